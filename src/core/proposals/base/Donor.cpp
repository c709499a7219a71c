// Groups of tables that a donor offers, held against the parts they were made for.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/Text.h"
#include "core/calibration/Transfer.h"
#include "core/proposals/base/Draft.h"

namespace brusk::proposals {

using calibration::Calibration;

namespace {

constexpr std::string_view kCause = "Donor";

constexpr Rule offer(std::string_view id, std::string_view title) {
    return {id, kCause, title, [](Draft&) {}, false, {}, {}, true};
}

constexpr roles::Role kInjectors[] = {"injector_flow", "injector_dead_time", "injector_least_pulse", "film_share",
                                      "film_time"};
constexpr roles::Role kSensor[] = {"map_sensor_slope", "map_sensor_offset"};
constexpr roles::Role kMeter[] = {"meter_curve"};
constexpr roles::Role kFilling[] = {"ve_map", "meter_fill", "expected_pressure"};
constexpr roles::Role kIdle[] = {"idle_speed", "idle_air", "spark_idle"};
constexpr roles::Role kThrottle[] = {"throttle_for_air"};
constexpr roles::Role kBoost[] = {"boost_target", "wastegate_duty", "boost_gear", "boost_p",
                                  "boost_i",      "boost_d",        "boost_cut"};
constexpr roles::Role kMixture[] = {"lambda_map",      "full_load_on",    "full_load_pedal", "full_load_pressure",
                                    "full_load_speed", "full_load_delay", "full_load_ramp",  "full_load_lambda"};
constexpr roles::Role kSpark[] = {"spark_map", "spark_octane", "spark_charge"};
constexpr roles::Role kTorque[] = {"torque_ceiling", "torque_for_air", "air_for_torque", "pedal_map", "load_limit"};
constexpr roles::Role kRevs[] = {"rev_limit", "rev_limit_cold"};
constexpr roles::Role kDriveline[] = {"wheel_pulses", "gear_ratio"};
constexpr roles::Role kCooling[] = {"fan_on", "fan_off", "fan_high_on", "fan_high_off"};

// What is taken over together, and the parts that its maker made it for.
const DonorGroup kGroups[] = {
    {offer("donor_injectors", "Injectors of the donor"), kInjectors, {{Fact::InjectorFlow, "flow"}}},
    {offer("donor_sensor", "Pressure sensor of the donor"), kSensor, {{Fact::SensorSlope, "slope"}}},
    {offer("donor_meter", "Airflow meter of the donor"), kMeter, {{Fact::MeterHousing, "housing"}}},
    {offer("donor_filling", "Filling of the donor"),
     kFilling,
     {{Fact::CamOverlap, "overlap"},
      {Fact::CamDuration, "intake open"},
      {Fact::Displacement, "displacement"},
      {Fact::ManifoldVolume, "manifold"}}},
    {offer("donor_idle", "Idle of the donor"),
     kIdle,
     {{Fact::CamOverlap, "overlap"}, {Fact::ThrottleBore, "throttle"}}},
    {offer("donor_throttle", "Throttle of the donor"), kThrottle, {{Fact::ThrottleBore, "bore"}}},
    {offer("donor_boost", "Boost of the donor"),
     kBoost,
     {{Fact::BoostCeiling, "boost"}, {Fact::TurboSpring, "spring"}, {Fact::CompressorWheel, "wheel"}}},
    {offer("donor_mixture", "Mixture of the donor"), kMixture, {{Fact::BoostCeiling, "boost"}}},
    {offer("donor_spark", "Spark of the donor"),
     kSpark,
     {{Fact::Octane, "octane"}, {Fact::BoostCeiling, "boost"}, {Fact::Intercooler, "intercooler"}}},
    {offer("donor_torque", "Torque and pedal of the donor"),
     kTorque,
     {{Fact::BoostCeiling, "boost"}, {Fact::Displacement, "displacement"}}},
    {offer("donor_revs", "Rev limits of the donor"), kRevs, {{Fact::RevLimit, "revs"}}},
    {offer("donor_driveline", "Driveline of the donor"),
     kDriveline,
     {{Fact::TyreCircumference, "tyre"}, {Fact::FinalDrive, "final drive"}}},
    {offer("donor_cooling", "Fans of the donor"), kCooling, {{Fact::Thermostat, "thermostat"}}},
};

std::optional<double> finite(double v) {
    return std::isfinite(v) ? std::optional(v) : std::nullopt;
}

std::optional<calibration::Table> tableOf(const Calibration& calibration, roles::Role role) {
    auto table = readRole(calibration, role);
    return table && !table->values.empty() ? std::optional(std::move(*table)) : std::nullopt;
}

std::optional<double> valueOf(const Calibration& calibration, roles::Role role) {
    const auto table = tableOf(calibration, role);
    return table && table->values.size() == 1 ? finite(table->values[0]) : std::nullopt;
}

/// What a car has now: the fitted part, or the one it was sold with.
std::optional<double> presentOn(const BuildSheet& sheet, Fact fact) {
    const auto fitted = sheet.of(fact);
    return fitted ? fitted : sheet.of(fact, false);
}

double flowThere(const BuildSheet& sheet, double rated) {
    const auto ratedAt = sheet.of(Fact::InjectorPressure);
    const auto pressure = presentOn(sheet, Fact::FuelPressure);
    return ratedAt && pressure ? rated * std::sqrt(*pressure / *ratedAt) : rated;
}

/// One part of three: what our original was made for, the donor, and what is fitted.
struct Likeness {
    std::string_view word;
    const FactKind& kind;
    std::optional<double> original, donor, fitted;
    bool known() const { return original && donor && fitted; }
    /// Below nil: the donor is nearer.
    int compared() const {
        const double o = std::abs(*original - *fitted), d = std::abs(*donor - *fitted);
        const double same = 0.002 * std::abs(*fitted) + 1e-9;
        return std::abs(o - d) <= same ? 0 : d < o ? -1 : 1;
    }
    std::string text() const {
        const auto number = [&](const std::optional<double>& v) {
            return v ? formatNumber(*v, kind.fact == Fact::SensorSlope ? 1 : kind.decimals) : std::string("?");
        };
        return std::string(word) + ": original " + number(original) + ", donor " + number(donor) + ", fitted " +
               number(fitted) + (kind.unit.empty() ? "" : " " + std::string(kind.unit));
    }
};

Likeness likeness(const DonorGroup::Part& part, const Calibration& original, const BuildSheet& sheet,
                  const Donor& donor) {
    const FactKind& kind = kindOf(part.fact);
    const auto told = [&](const std::optional<double>& said, const Calibration& calibration) {
        const auto read = partReadFrom(calibration, part.fact, original, sheet);
        return kind.compared && said ? said : read ? read : said;
    };
    Likeness out{part.word,
                 kind,
                 told(sheet.of(part.fact, false), original),
                 told(presentOn(donor.sheet, part.fact), donor.calibration),
                 {}};
    if (const auto fitted = sheet.of(part.fact))
        out.fitted = part.fact == Fact::InjectorFlow ? flowThere(sheet, *fitted) : *fitted;
    else if (part.fact == Fact::SensorSlope && sensorLine(sheet))
        out.fitted = sensorLine(sheet)->slope_kPaV;
    else
        out.fitted = out.original;  // the part that it was sold with
    return out;
}

std::string joined(const std::vector<std::string_view>& words) {
    std::string out;
    for (const auto word : words)
        out += (out.empty() ? "" : ", ") + std::string(word);
    return out;
}

/// Our load axis is stretched where the donor's reaches farther, so that nothing of its surface is lost.
void reachAsFar(Calibration& work, const definition::Parameter& p, const calibration::Table& theirs,
                std::vector<const definition::Parameter*>& touched) {
    const auto ours = work.read(p);
    if (!ours || ours->y.values.size() < 2 || theirs.y.values.size() < 2 || p.axes.size() < 2) return;
    auto last = theirs.y.unit == ours->y.unit ? std::optional(theirs.y.values.back())
                                              : units::convert(theirs.y.values.back(), theirs.y.unit, ours->y.unit);
    if (!last) return;
    if (p.axes[1].upper > 0) last = std::min(*last, p.axes[1].upper);
    const auto& axis = ours->y.values;
    if (*last <= axis.back()) return;
    const auto moved = calibration::respace(work, p, 1, stretchedAbove(axis, *last, axis[axis.size() / 2]),
                                            calibration::Keep::Surface, calibration::Outside::Extend);
    if (!moved || !work.apply(moved->edit)) return;  // it is resampled on what we have
    for (const auto& follower : moved->followers)
        touched.push_back(follower.parameter);
}

}  // namespace

std::span<const DonorGroup> donorGroups() {
    return kGroups;
}

std::vector<Fact> factsOfDonors() {
    std::vector<Fact> out;
    for (const FactKind& kind : factKinds())
        for (const DonorGroup& group : kGroups)
            if (kind.compared && std::any_of(group.parts.begin(), group.parts.end(),
                                             [&](const auto& part) { return part.fact == kind.fact; })) {
                out.push_back(kind.fact);
                break;
            }
    return out;
}

std::optional<double> partReadFrom(const Calibration& calibration, Fact fact, const Calibration& original,
                                   const BuildSheet& sheet) {
    const auto against = [&](Fact of, auto ratio) -> std::optional<double> {
        const auto stock = sheet.of(of, false);
        if (!stock) return std::nullopt;
        const std::optional<double> r = ratio();
        return r ? std::optional(*stock * *r) : std::nullopt;
    };
    switch (fact) {
        case Fact::Displacement:
            return valueOf(calibration, "displacement");
        case Fact::RevLimit:
            return valueOf(calibration, "rev_limit");
        case Fact::InjectorFlow:
            return valueOf(calibration, "injector_flow");
        case Fact::SensorSlope:
            return valueOf(calibration, "map_sensor_slope");
        case Fact::SensorOffset:
            return valueOf(calibration, "map_sensor_offset");
        case Fact::FanOn:
            return valueOf(calibration, "fan_on");
        case Fact::BoostCeiling: {
            const auto target = tableOf(calibration, "boost_target");
            if (!target) return std::nullopt;
            return greatest(*target) - kWeather_kPa;
        }
        case Fact::MeterHousing:
            return against(fact, [&]() -> std::optional<double> {
                const auto mine = tableOf(original, "meter_curve"), theirs = tableOf(calibration, "meter_curve");
                const auto there = mine && theirs ? calibration::fitted(*mine, *theirs) : fail(ErrorCode::NotFound, "");
                if (!there || mine->values.back() <= 0) return std::nullopt;
                const size_t middle = mine->values.size() / 2;  // away from where curves are bent
                return mine->values[middle] > 0 ? finite(std::sqrt((*there)[middle] / mine->values[middle]))
                                                : std::nullopt;
            });
        case Fact::TyreCircumference:
            return against(fact, [&]() -> std::optional<double> {
                const auto mine = valueOf(original, "wheel_pulses"), theirs = valueOf(calibration, "wheel_pulses");
                return mine && theirs && *theirs > 0 ? std::optional(*mine / *theirs) : std::nullopt;
            });
        default:
            return std::nullopt;
    }
}

PartNumbers expectedParts(const Calibration& original, const BuildSheet& sheet) {
    PartNumbers out = sheet.stock;
    for (const FactKind& kind : factKinds())
        if (auto& part = out[static_cast<size_t>(kind.fact)]; !part)
            part = partReadFrom(original, kind.fact, original, sheet);
    return out;
}

std::string adopt(Calibration& work, roles::Role role, const Calibration& donor,
                  std::vector<const definition::Parameter*>& touched, int& clamped) {
    const auto* ours = work.definition().parameterWithRole(role);
    const auto* theirs = donor.definition().parameterWithRole(role);
    if (!ours) return {};
    if (!theirs) return "The donor has no " + ours->title() + ".";
    const auto table = donor.read(*theirs);
    if (!table) return "The donor's " + theirs->title() + " can't be read: " + table.error().message;
    reachAsFar(work, *ours, *table, touched);
    const auto line = calibration::takeOver(work, *ours, *table);
    if (line.outcome == calibration::TransferLine::Outcome::NotPossible)
        return ours->title() + " is not taken: " + line.remark;
    touched.push_back(ours);
    clamped += line.clamped;
    std::string out;
    if (line.outcome == calibration::TransferLine::Outcome::Resampled) {
        const auto now = work.read(*ours);
        out = "Resampled on our breakpoints, within " + formatNumber(line.error.largest, now ? now->decimals + 1 : 2) +
              (now ? " " + now->unit : "") + " of the donor's surface, " +
              formatNumber(line.error.rms, now ? now->decimals + 1 : 2) + " rms.";
    }
    if (!line.remark.empty()) out += (out.empty() ? "" : " ") + line.remark;
    return out;
}

void offerGroup(Draft& d, const DonorGroup& group, const Calibration& original, const Donor& donor) {
    for (const roles::Role role : group.roles)
        if (d.plays(role)) d.adopt(role, donor.calibration);
    std::vector<std::string_view> nearer, farther, unknown;
    bool any = false;
    for (const auto& part : group.parts) {
        const Likeness l = likeness(part, original, d.sheet, donor);
        if (!l.original && !l.donor) continue;  // not a part of such cars
        if (!l.known()) {
            unknown.push_back(part.word);
            continue;
        }
        any = true;
        d.formula += (d.formula.empty() ? "" : "; ") + l.text();
        if (const int c = l.compared(); c != 0) (c < 0 ? nearer : farther).push_back(part.word);
    }
    if (!nearer.empty() && farther.empty()) {
        d.suggest();
        d.reason = "made for parts nearer to what is fitted than the original's: " + joined(nearer) + ".";
    } else if (!nearer.empty()) {
        d.reason = "nearer in " + joined(nearer) + ", but farther off in " + joined(farther) + " than the original.";
    } else if (!farther.empty()) {
        d.reason = "farther from what is fitted than the original: " + joined(farther) + ".";
    } else if (any) {
        d.reason = "made for parts no nearer than the original's.";
    } else {
        d.reason = "nothing says for which parts it was made.";
    }
    d.reason = donor.name + ": " + d.reason;
    if (any && !unknown.empty()) d.remark("Not known of all: " + joined(unknown) + ".");
    if (d.formula.empty()) d.formula = "nothing known to compare";
    d.check = "these cells before others: they were driven in another car";
}

Maker donorMaker(const Calibration& original, const BuildSheet& sheet, const Donor& donor) {
    Maker out{original, {}, true};
    std::vector<const definition::Parameter*> touched;
    int clamped = 0;
    for (const DonorGroup& group : kGroups)
        for (const roles::Role role : group.roles)
            adopt(out.calibration, role, donor.calibration, touched, clamped);
    adopt(out.calibration, "displacement", donor.calibration, touched, clamped);
    for (const FactKind& kind : factKinds()) {
        const auto told = presentOn(donor.sheet, kind.fact);
        out.parts[static_cast<size_t>(kind.fact)] =
            told ? told : partReadFrom(donor.calibration, kind.fact, original, sheet);
    }
    return out;
}

}  // namespace brusk::proposals
