// The table of suspects with their signatures, and the fit over it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Suspects.h"

#include <Eigen/Dense>
#include <algorithm>
#include <map>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/evidence/Median.h"
#include "core/evidence/Spans.h"

namespace brusk::evidence {
namespace {

using Id = Suspect::Id;

constexpr double kWeather_kPa = 100, kRail_kPa = 300, kIdleFlow_kgh = 10;

constexpr Suspect kSuspects[] = {
    {Id::Flow, "injector flow", kShare, 0.015, 0.04, 0.15, 0, 0, false,
     "fill up twice and tell the litres, or the injectors' maker's sheet"},
    {Id::Stoichiometry, "fuel in the tank", kShare, 0.015, 0.015, 0.08, 0, 0, false,
     "test the fuel for ethanol and tell what is in the tank"},
    {Id::DeadTime, "injector dead time", "ms", 0.02, 0.06, 0.2, 0, 0, false,
     "drive calmly with lights and heater on and off, so that the voltage changes"},
    {Id::ExhaustAir, "air in the exhaust before the sensors", "kg/h", 0.03, 0.03, 2, 0, 0, true,
     "look for soot at manifold and flanges"},
    {Id::Vapour, "vapour from the canister", "kg/h", 0.004, 0.004, 0.15, 0, 0, true,
     "close the canister's hose and drive again"},
    {Id::Rail, "fuel pressure that does not follow the manifold", kShare, 0.03, 0.03, 0.15, 0, 1, true,
     "measure the fuel pressure at idle with the hose on and off"},
    {Id::Supply, "fuel pressure that falls with the flow", kShare, 0.01, 0.01, 0.15, 0, 0, true,
     "measure the fuel pressure in a pull"},
    {Id::Wideband, "wideband", kShare, 0.008, 0.008, 0.06, 0, 0, false, "calibrate the wideband in free air"},
    {Id::Meter, "airflow meter", kShare, 0.012, 0.08, 0.2, 0, 0, false, "record the manifold pressure too"},
    // A meter usually reads a little much where the air column swings.
    {Id::MeterLow, "airflow meter where little flows", kShare, 0.015, 0.06, 0.2, 0.02, 0, false,
     "clean the meter, and look for a leak behind it"},
    {Id::MeterScale, "airflow meter's scaling", kShare, 0.008, 0.05, 0.15, 0, 0, false,
     "record the manifold pressure too"},
    {Id::Filling, "filling, or the pressure sensor's slope", kShare, 0.012, 0.12, 0.15, 0, 0, false,
     "record an airflow meter too; compare the pressure with the weather's, engine off"},
    {Id::PressureOffset, "pressure sensor's offset", "kPa", 0.5, 2, 14, 0, 0, false,
     "compare the pressure with the weather's, engine off"},
    {Id::FillingByPressure, "filling along pressure", kShare, 0.02, 0.1, 0.1, 0, 0, false,
     "drive the same pressure at other speeds"},
    {Id::FillingBySpeed, "filling along speed", kShare, 0.02, 0.1, 0.1, 0, 0, false,
     "drive the same speed in another gear"},
    {Id::IntakeLeak, "air past the meter", "kg/h", 0.05, 0.05, 6, 0, 0, true,
     "look for the leak with the engine idling"},
    {Id::BoostLeak, "air lost before the throttle", "kg/h", 0.3, 0.3, 35, 0, 0, true, "press the pipes with air"},
    {Id::ChargeTemperature, "charge temperature", kShare, 0.08, 0.15, 0.2, 0, 0, false,
     "drive the same road with the engine colder"},
    {Id::HeatSoak, "heat in the intake sensor", "K", 3, 3, 25, 0, 0, true, "drive on after a stop until it has cooled"},
};

static_assert([] {
    for (size_t i = 0; i < std::size(kSuspects); ++i)
        if (kSuspects[i].id != static_cast<Id>(i)) return false;
    return true;
}());

/// What a leak at the manifold draws: all it can until the manifold comes near the weather (choked below 0.53).
double draws(double pressure_kPa) {
    constexpr double kChoked = 0.53;
    const double share = std::min(1.0, pressure_kPa / kWeather_kPa);
    return share < kChoked ? 1.0 : 2 * std::sqrt(std::max(0.0, share * (1 - share)));
}

/// In the pipe between compressor and throttle: what the manifold is over the weather, and what a compressor that is
/// only blown along makes of the flow.
double pipeGauge_kPa(const MixtureCell& c) {
    constexpr double kBlown = 0.0025, kMostBlown_kgh = 65;
    const double blown = std::min(c.flow_kgh, kMostBlown_kgh);
    return std::max(kBlown * blown * blown, c.pressure_kPa - kWeather_kPa);
}

/// What lies in the middle of what was driven, and its end.
struct Middle {
    double pressure_kPa = 0, speed_rpm = 0, mostFlow_kgh = 0;
    explicit Middle(const std::vector<MixtureCell>& cells) {
        for (const MixtureCell& cell : cells) {
            pressure_kPa += cell.pressure_kPa / static_cast<double>(cells.size());
            speed_rpm += cell.speed_rpm / static_cast<double>(cells.size());
            mostFlow_kgh = std::max(mostFlow_kgh, cell.flow_kgh);
        }
    }
};

/// How much an error of one unit moves what is seen in a cell.
double signatureOf(Id id, const MixtureCell& c, bool byMeter, const Middle& middle) {
    constexpr double kPressure_kPa = 60, kSpeed_rpm = 2000, kBoosts_kPa = 50, kFalls = 0.6, kAir_K = 300, kRatio = 14,
                     kPart = 0.5, kResidual_kPa = 10, kSoaks_kgh = 40, kLeast_ms = 0.3;
    switch (id) {
        case Id::Flow:
        case Id::Stoichiometry:
            return 1;
        case Id::DeadTime:
            return c.open_ms > kLeast_ms ? 1 / c.open_ms : std::nan("");
        case Id::ExhaustAir:
            return 1 / c.flow_kgh;
        // Of fuel; the air it comes with the meter does not count.
        case Id::Vapour:
            return -kRatio * (byMeter ? kPart : 1) * draws(c.pressure_kPa) / c.flow_kgh;
        case Id::Rail:
            return -0.5 * std::log(std::max(0.1, 1 + (kWeather_kPa - c.pressure_kPa) / kRail_kPa));
        case Id::Supply:
            return std::max(0.0, c.flow_kgh / middle.mostFlow_kgh - kFalls) / (1 - kFalls);
        case Id::Wideband:
            return c.byWideband;
        case Id::Meter:
            return byMeter ? -1 : 0;
        case Id::MeterLow:
            return byMeter ? -std::sqrt(kIdleFlow_kgh / c.flow_kgh) : 0;
        // A signal that is off by a share: its curve is steepest where little flows.
        case Id::MeterScale:
            return byMeter ? -(1 + std::sqrt(kIdleFlow_kgh / c.flow_kgh)) : 0;
        // What stays in the cylinder counts too, and weighs most where the pressure is low.
        case Id::Filling:
            return !byMeter ? 1 + kResidual_kPa / c.pressure_kPa : 0;
        case Id::PressureOffset:
            return !byMeter ? -1 / c.pressure_kPa : 0;
        case Id::FillingByPressure:
            return !byMeter ? (c.pressure_kPa - middle.pressure_kPa) / kPressure_kPa : 0;
        case Id::FillingBySpeed:
            return !byMeter ? (c.speed_rpm - middle.speed_rpm) / kSpeed_rpm : 0;
        case Id::IntakeLeak:
            return byMeter ? draws(c.pressure_kPa) / c.flow_kgh : 0;
        case Id::BoostLeak:
            return byMeter ? -std::sqrt(pipeGauge_kPa(c) / kBoosts_kPa) / c.flow_kgh : 0;
        case Id::ChargeTemperature:
            return !byMeter && c.warmer_K > -100 ? c.warmer_K / kAir_K * kIdleFlow_kgh / (kIdleFlow_kgh + c.flow_kgh)
                                                 : 0;
        case Id::HeatSoak:
            return !byMeter ? 1 / (kAir_K * (1 + c.flow_kgh / kSoaks_kgh)) : 0;
    }
    return 0;
}

}  // namespace

std::span<const Suspect> suspects() {
    return kSuspects;
}

const Suspect& suspect(Suspect::Id id) {
    return kSuspects[static_cast<size_t>(id)];
}

std::vector<MixturePoint> mixturePoints(const Drives& drives, const std::vector<DriveEvents>& events,
                                        const std::vector<SteadyRow>& steady) {
    constexpr double kWarm_C = 60, kLong_s = 3, kDraws_kgh = 2, kMostOff = 0.4, kAtOne = 0.02;
    constexpr double kUsualDead_ms = 0.8;  // of injectors of which the bytes say nothing
    const auto open_ms = [&](double pulse_ms, double battery_V) {
        const bool told = drives.pulses() && std::isfinite(battery_V);
        return pulse_ms - (told ? drives.pulses()->dead(battery_V) / 1000 : kUsualDead_ms);
    };
    std::vector<MixturePoint> out;
    const auto add = [&](size_t drive, double from_s, MixtureCell one, double ln, double air_mg, double density_mg,
                         double metered_mg, bool hasMeter) {
        // What is further off is no mixture but a cut, or nothing that burns.
        if (!(std::abs(ln) < kMostOff) || !(one.flow_kgh > kDraws_kgh)) return;
        one.density = ln + std::log(air_mg / density_mg), one.meter = ln + std::log(air_mg / metered_mg);
        // A recording that does not say both speaks of the model in use.
        if (std::isnan(one.density) && std::isnan(one.meter)) (hasMeter ? one.meter : one.density) = ln;
        out.push_back({drive, from_s, one});
    };
    for (const SteadyRow& row : steady) {
        const bool whole = !row.closed || row.nearStop();
        if (whole && !(row.measured > 0)) continue;
        add(row.drive, row.from_s,
            {row.pressure_kPa, row.airflow_kgh, row.speed_rpm, open_ms(row.pulse_ms, row.battery_V),
             row.coolant_C - row.intake_C, whole ? 1.0 : 0.0, 0, 0,
             !whole && std::abs(row.asked - 1) < kAtOne ? std::log(row.off()) : std::nan(""), 0, 1},
            std::log(whole ? row.ratio() : row.trim()), row.air_mg, row.density_mg, row.metered_mg, row.meter_kgh > 0);
    }
    for (size_t d = 0; d < drives.size(); ++d) {
        const Sampled& drive = drives[d];
        for (const FoundEvent* pull : events[d].of(roles::kPull)) {
            if (pull->figure("coolant_C") < kWarm_C || pull->to_s - pull->from_s < kLong_s) continue;
            const Span later = samplesIn(drive.time_s(), (pull->from_s + pull->to_s) / 2, pull->to_s);
            const auto mean = [&](roles::Role role) { return extentOf(drive.columnIfAny(role), later).mean; };
            const double trim = mean("long_trim");
            add(d, pull->from_s,
                {mean("manifold_pressure"), mean("airflow"), mean("engine_speed"),
                 open_ms(mean("injector_pulse") / 1000, mean("battery")), mean("coolant") - mean("intake_temperature"),
                 1, 0, 0, std::nan(""), 0, 1},
                std::log(mean("lambda_measured") / mean("lambda_asked") * (1 + (std::isnan(trim) ? 0 : trim) / 100)),
                mean("air_per_cylinder"), mean("air_by_density"), mean("air_by_meter"), mean("meter_airflow") > 0);
        }
    }
    std::sort(out.begin(), out.end(), [](const MixturePoint& a, const MixturePoint& b) {
        return std::pair(a.drive, a.from_s) < std::pair(b.drive, b.from_s);
    });
    return out;
}

std::pair<int, int> MixturePoint::place() const {
    constexpr double kCell_kPa = 12, kOctave = 2;
    return {static_cast<int>(means.pressure_kPa / kCell_kPa), static_cast<int>(kOctave * std::log2(means.flow_kgh))};
}

std::vector<MixtureCell> mixtureCells(std::span<const MixturePoint> driven) {
    constexpr double kFloor = 0.01, kRow = 0.015;
    constexpr long kFewestTold = 3;
    std::map<std::pair<int, int>, std::vector<MixtureCell>> cells;
    for (const MixturePoint& point : driven)
        cells[point.place()].push_back(point.means);
    std::vector<MixtureCell> out;
    out.reserve(cells.size());
    for (const auto& placed : cells) {
        const std::vector<MixtureCell>& points = placed.second;
        const auto middle = [&](double MixtureCell::*part) {
            std::vector<double> all;
            all.reserve(points.size());
            for (const MixtureCell& point : points)
                all.push_back(point.*part);
            return medianOf(std::move(all));
        };
        MixtureCell cell;
        for (double MixtureCell::*part : {&MixtureCell::pressure_kPa, &MixtureCell::flow_kgh, &MixtureCell::speed_rpm,
                                          &MixtureCell::open_ms, &MixtureCell::warmer_K, &MixtureCell::byWideband,
                                          &MixtureCell::density, &MixtureCell::meter, &MixtureCell::wideband})
            cell.*part = middle(part);
        cell.rows = points.size();
        // One stretch alone may be one in which the loop was on its way.
        const auto told = std::count_if(points.begin(), points.end(),
                                        [](const MixtureCell& point) { return std::isfinite(point.wideband); });
        if (told < kFewestTold) cell.wideband = std::nan("");
        cell.doubt = std::hypot(kFloor, kRow / std::sqrt(static_cast<double>(cell.rows)));
        out.push_back(cell);
    }
    return out;
}

const MixtureBlame::Part& MixtureBlame::of(Suspect::Id id) const {
    return *std::find_if(parts.begin(), parts.end(), [&](const Part& part) { return part.suspect->id == id; });
}

double MixtureBlame::chanceOf(std::initializer_list<Suspect::Id> ids) const {
    double out = 0;
    for (const Part& part : parts)
        if (std::find(ids.begin(), ids.end(), part.suspect->id) != ids.end()) out += part.chance;
    return out;
}

namespace {

using Matrix = Eigen::MatrixXd;
using Vector = Eigen::VectorXd;
using Index = Eigen::Index;
constexpr Index kCount = std::size(kSuspects);

/// What was seen, a row each, by all suspects.
struct Seen {
    Matrix x;
    Vector y, variance;
};

Seen seenIn(const std::vector<MixtureCell>& cells, const MixtureFacts& facts) {
    constexpr size_t kFacts = 5;
    constexpr double kPulsates = 2;  // a meter where the air column swings
    constexpr double kPulses_kgh = 25;
    const Middle middle(cells);
    Seen out;
    out.x = Matrix::Zero(static_cast<Index>(3 * cells.size() + kFacts), kCount);
    out.y.resize(out.x.rows()), out.variance.resize(out.x.rows());
    Index row = 0;
    const auto see = [&](double y, double doubt) {
        out.y(row) = y, out.variance(row) = doubt * doubt;
        ++row;
    };
    for (const MixtureCell& cell : cells) {
        for (const bool byMeter : {false, true}) {
            const double y = byMeter ? cell.meter : cell.density;
            if (!std::isfinite(y)) continue;
            for (const Suspect& one : kSuspects) {
                const double x = signatureOf(one.id, cell, byMeter, middle);
                out.x(row, static_cast<Index>(one.id)) = std::isfinite(x) ? x : 0;
            }
            see(y, cell.doubt * (byMeter && cell.flow_kgh < kPulses_kgh ? kPulsates : 1));
        }
        if (!std::isfinite(cell.wideband)) continue;
        out.x(row, static_cast<Index>(Id::Wideband)) = 1;
        see(cell.wideband, cell.doubt);
    }
    // A pump tells to half a per cent, and a tank is never full to the drop.
    constexpr double kLitres = 0.006, kBench_ms = 0.02, kGauge = 0.1, kTested = 0.003, kFreeAir = 0.004;
    const auto told = [&](Id id, double off, double doubt) {
        out.x(row, static_cast<Index>(id)) = 1;
        see(off, doubt);
    };
    // Of less fuel than was reckoned more is asked for.
    if (facts.poured) told(Id::Flow, -std::log(*facts.poured), kLitres);
    if (facts.deadTime_ms) told(Id::DeadTime, *facts.deadTime_ms, kBench_ms);
    if (facts.railFollows) told(Id::Rail, *facts.railFollows ? 0 : 1, kGauge);
    if (facts.fuelTold) told(Id::Stoichiometry, 0, kTested);
    if (facts.widebandCalibrated) told(Id::Wideband, 0, kFreeAir);
    out.x.conservativeResize(row, kCount), out.y.conservativeResize(row), out.variance.conservativeResize(row);
    return out;
}

struct Prior {
    Vector expects = Vector::Zero(kCount), sd = Vector::Zero(kCount);
};

/// ln p(y) with the suspects integrated out, over that of cells that are met exactly.
double lnEvidence(const Seen& seen, const Prior& prior) {
    const Vector rest = seen.y - seen.x * prior.expects;
    Matrix covariance = seen.x * prior.sd.cwiseAbs2().asDiagonal() * seen.x.transpose();
    covariance.diagonal() += seen.variance;
    const Eigen::LLT<Matrix> solved(covariance);
    const Vector scaled = solved.matrixL().solve(rest);
    return -0.5 * scaled.squaredNorm() - solved.matrixLLT().diagonal().array().log().sum() +
           0.5 * seen.variance.array().log().sum();
}

struct Posterior {
    Vector mean;
    Matrix covariance;
};

Posterior posteriorOf(const Seen& seen, const Prior& prior) {
    const Vector weight = seen.variance.cwiseInverse();
    Matrix normal = seen.x.transpose() * weight.asDiagonal() * seen.x;
    normal.diagonal() += prior.sd.cwiseAbs2().cwiseInverse();
    Posterior out;
    out.covariance = normal.llt().solve(Matrix::Identity(kCount, kCount));
    const Vector right =
        seen.x.transpose() * weight.asDiagonal() * seen.y + prior.expects.cwiseQuotient(prior.sd.cwiseAbs2());
    out.mean = out.covariance * right;
    return out;
}

}  // namespace

MixtureBlame whoIsToBlame(std::vector<MixtureCell> cells, const MixtureFacts& facts) {
    constexpr size_t kFewest = 4;
    constexpr double kOther = 3, kRougher = 1.5;
    constexpr double kNothing = 4;  // how much likelier than any one fault it is that nothing is broken
    MixtureBlame out;
    out.cells = std::move(cells);
    if (out.cells.size() < kFewest) return out;
    Seen seen = seenIn(out.cells, facts);
    if (seen.y.size() < static_cast<Index>(kFewest)) return out;
    Prior usual, open;
    for (const Suspect& one : kSuspects) {
        const auto i = static_cast<Index>(one.id);
        usual.sd(i) = facts.untuned ? one.computed : one.usual, usual.expects(i) = one.habit;
        open.sd(i) = std::max(one.broken, one.expects);
    }
    const Posterior all = posteriorOf(seen, open);
    for (const Suspect& one : kSuspects) {
        const auto i = static_cast<Index>(one.id);
        out.parts.push_back({&one, all.mean(i), std::sqrt(all.covariance(i, i)), 0, 0, 0});
    }
    out.correlation.resize(static_cast<size_t>(kCount * kCount));
    for (Index i = 0; i < kCount; ++i)
        for (Index k = 0; k < kCount; ++k)
            out.correlation[static_cast<size_t>(i * kCount + k)] =
                all.covariance(i, k) / std::sqrt(all.covariance(i, i) * all.covariance(k, k));
    constexpr double kClose = 0.65, kUnknown = 0.4;
    for (size_t i = 0; i < out.parts.size(); ++i)
        for (size_t k = i + 1; k < out.parts.size(); ++k) {
            const double together = out.correlation[i * out.parts.size() + k];
            const auto unknown = [&](size_t at) {
                return out.parts[at].doubt > kUnknown * open.sd(static_cast<Index>(at));
            };
            if (std::abs(together) > kClose && unknown(i) && unknown(k))
                out.notApart.push_back({out.parts[i].suspect, out.parts[k].suspect, together});
        }
    std::sort(out.notApart.begin(), out.notApart.end(),
              [](const auto& a, const auto& b) { return std::abs(a.correlation) > std::abs(b.correlation); });
    const auto lnAll = [&] {
        std::vector<double> ln;
        for (MixtureBlame::Part& part : out.parts) {
            Prior prior = usual;
            const auto i = static_cast<Index>(part.suspect->id);
            prior.sd(i) = std::max(part.suspect->broken, usual.sd(i)),
            prior.expects(i) = part.suspect->habit + part.suspect->expects;
            const Posterior broken = posteriorOf(seen, prior);
            part.alone = broken.mean(i), part.aloneDoubt = std::sqrt(broken.covariance(i, i));
            ln.push_back(part.suspect->onlyAbove && part.alone < 0 ? -INFINITY : lnEvidence(seen, prior));
        }
        ln.push_back(lnEvidence(seen, usual) + std::log(kNothing));
        // Something that is not in the table.
        Prior other = usual;
        other.sd *= kOther;
        Seen doubted = seen;
        doubted.variance *= kRougher * kRougher;
        // Told against the same cells as the others.
        ln.push_back(lnEvidence(doubted, other) - static_cast<double>(seen.y.size()) * std::log(kRougher));
        return ln;
    };
    auto ln = lnAll();
    out.misfit = -*std::max_element(ln.begin(), ln.end());
    // What no suspect explains is doubt, whatever the cells say.
    const Vector rest = seen.y - seen.x * all.mean;
    out.unexplained = std::sqrt(rest.squaredNorm() / static_cast<double>(seen.y.size()));
    if (const double rough = rest.cwiseAbs2().cwiseQuotient(seen.variance).mean(); rough > 1)
        seen.variance *= rough, ln = lnAll();
    const double most = *std::max_element(ln.begin(), ln.end());
    double sum = 0;
    for (const double one : ln)
        sum += std::exp(one - most);
    for (size_t i = 0; i < out.parts.size(); ++i)
        out.parts[i].chance = std::exp(ln[i] - most) / sum;
    out.chanceOfNothing = std::exp(ln[out.parts.size()] - most) / sum;
    return out;
}

double MixtureBlame::showsIn(const MixtureCell& cell, Suspect::Id id, bool byMeter) const {
    return of(id).alone * signatureOf(id, cell, byMeter, Middle(cells));
}

MixtureBlame whoIsToBlame(const Drives& drives, MixtureFacts facts) {
    facts.untuned = drives.untuned();
    return whoIsToBlame(mixtureCells(mixturePoints(drives, drives.events(), steadyRows(drives))), facts);
}

std::vector<std::string> MixtureBlame::notApartFrom(std::initializer_list<Suspect::Id> ids) const {
    constexpr size_t kMost = 2;
    std::vector<std::string> out;
    const auto has = [&](const Suspect* one) { return std::find(ids.begin(), ids.end(), one->id) != ids.end(); };
    for (const Pair& pair : notApart)
        if (out.size() < kMost && has(pair.one) != has(pair.other)) out.push_back(sentenceOf(pair));
    return out;
}

std::string sentenceOf(const MixtureBlame::Pair& pair) {
    std::string first(pair.one->title);
    first[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(first[0])));
    return say("blame.not-apart", "{0} and {1} can't be told apart ({2}); this would tell: {3}; or {4}.",
               {first, std::string(pair.other->title), formatNumber(std::abs(pair.correlation), 2),
                std::string(pair.one->tells), std::string(pair.other->tells)});
}

}  // namespace brusk::evidence
