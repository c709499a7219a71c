// Pulls as they were recorded, replayed on other bytes, with the trims that the newest drive left.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/FirstPull.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/calibration/RoleUnits.h"
#include "core/evidence/Events.h"
#include "core/evidence/FuelReplay.h"
#include "core/evidence/Learned.h"
#include "core/evidence/Spans.h"
#include "core/recording/Follower.h"

namespace brusk::evidence {
namespace {

constexpr roles::Role kZones[] = {"learned_trim_0", "learned_trim_1", "learned_trim_2", "learned_trim_3"};

/// The zones of learned trims by airflow, with what the newest drive left in each.
class LearnedZones {
  public:
    LearnedZones(const calibration::Calibration& inCar, const Drives& drives) {
        if (const auto borders = calibration::readRole(inCar, "learn_borders")) borders_kgh_ = borders->values;
        constexpr double kNone_pct = -90;
        for (size_t d = 0; d < drives.size(); ++d)
            for (const LearnedValue& value : learnedOf(drives.recording(d))) {
                const auto* zone = std::find(std::begin(kZones), std::end(kZones), value.role);
                const double trim = std::isfinite(value.to) ? value.to : value.from;
                if (zone != std::end(kZones))
                    trim_pct_[static_cast<size_t>(zone - kZones)] = trim > kNone_pct ? trim : std::nan("");
            }
    }
    /// NaN where nothing was kept; of the last zone where the borders are not known.
    double at(double airflow_kgh) const {
        size_t zone = borders_kgh_.empty() ? std::size(kZones) - 1 : 0;
        while (zone + 1 < std::size(kZones) && zone < borders_kgh_.size() && airflow_kgh >= borders_kgh_[zone])
            ++zone;
        return trim_pct_[zone];
    }

  private:
    std::vector<double> borders_kgh_;
    std::vector<double> trim_pct_ = std::vector<double>(std::size(kZones), std::nan(""));
};

/// What hardly any sample of any drive exceeds, wild readings aside; NaN where nobody recorded it.
double greatest(const Drives& drives, roles::Role role) {
    constexpr double kHardly = 0.998;
    double out = std::nan("");
    for (size_t d = 0; d < drives.size(); ++d) {
        std::vector<float> values;
        for (const float v : drives[d].columnIfAny(role))
            if (std::isfinite(v)) values.push_back(v);
        if (values.empty()) continue;
        const auto at = static_cast<long>(kHardly * static_cast<double>(values.size() - 1));
        std::nth_element(values.begin(), values.begin() + at, values.end());
        out = std::fmax(out, static_cast<double>(values[static_cast<size_t>(at)]));
    }
    return out;
}

/// Whether both read what the sensors say alike.
bool readAlike(const calibration::Calibration& one, const calibration::Calibration& other) {
    constexpr roles::Role kSensors[] = {"map_sensor_slope", "map_sensor_offset", "coolant_sensor", "intake_sensor"};
    return std::all_of(std::begin(kSensors), std::end(kSensors), [&](roles::Role role) {
        const auto a = calibration::readRole(one, role), b = calibration::readRole(other, role);
        return !a || !b || (a->values == b->values && a->x.values == b->x.values);
    });
}

/// What one of the pulls told, row by row of the drive's clock.
void addPull(MixtureSamples& out, const EngineColumns& c, const FoundEvent& pull, const WidebandDelay& delay) {
    constexpr double kBegins_s = 0.5, kStands_s = 0.4, kStands = 0.015;
    recording::Follower before(c.time_s), told(c.wideband.time_s);
    const Span span = samplesIn(c.time_s, pull.from_s + kBegins_s, pull.to_s);
    for (size_t i = span.begin; i < span.end; ++i) {
        const double asked = static_cast<double>(c.lambdaAsked[i]);
        const double earlier = static_cast<double>(c.lambdaAsked[before.orFirst(c.time_s[i] - kStands_s)]);
        const double told_s = c.time_s[i] + delay.at(static_cast<double>(c.airflow_kgh[i]),
                                                     static_cast<double>(c.speed_rpm[i]), c.exhaustAt(i));
        // Of what is told after the foot has lifted nothing belongs to the pull.
        if (c.fuelCut[i] != 0 || !(std::abs(asked - earlier) <= kStands * asked) || told_s >= pull.to_s) continue;
        const auto r = static_cast<float>(static_cast<double>(c.wideband.value[told.orFirst(told_s)]) * c.share(i));
        const auto over = [&](Column air) {
            return c.air_mg.empty() || air.empty() ? std::nanf("") : r * c.air_mg[i] / air[i];
        };
        if (!std::isfinite(r)) continue;
        out.row.push_back(static_cast<uint32_t>(i)), out.ratio.push_back(r);
        out.density.push_back(over(c.airByDensity_mg)), out.metered.push_back(over(c.airByMeter_mg));
        out.airChange_s.push_back(0);
    }
}

}  // namespace

Mixture pullMixture(const Drives& drives) {
    Mixture out;
    out.drives.resize(drives.size());
    if (!drives.mixture()) return out;
    out.delay = drives.mixture()->delay;
    for (size_t d = 0; d < drives.size(); ++d) {
        const auto columns = engineColumns(drives[d]);
        if (!columns || !columns->wideband) continue;
        for (const FoundEvent* pull : drives.events()[d].of(roles::kPull))
            addPull(out.drives[d], *columns, *pull, out.delay);
    }
    return out;
}

std::optional<FirstPull> firstPull(const calibration::Calibration& inCar, const Drives& drives) {
    const double trim = LearnedZones(inCar, drives).at(greatest(drives, "airflow"));
    if (std::isnan(trim)) return std::nullopt;
    return FirstPull{(1 / (1 + trim / 100) - 1) * 100, 0, trim};
}

std::optional<FirstPull> firstPull(const calibration::Calibration& inCar, const Drives& drives,
                                   const calibration::Calibration& next) {
    constexpr double kMostLoad = 0.85, kSpeeds_rpm = 500;
    constexpr int kFewest = 20;
    constexpr size_t kFewestSpeeds = 2;
    const auto right = firstPull(inCar, drives);
    if (!right || !drives.mixture() || !readAlike(inCar, next)) return right;
    const LearnedZones zones(inCar, drives);
    struct AtSpeed {
        double cleared = 0, with = 0, trim = 0;
        int n = 0;
    };
    // A pull passes through all speeds: each counts alike, however long it was driven.
    const auto told = [&](const Drives& saying, double least_kPa) {
        std::map<int, AtSpeed> out;
        const auto mixture = replayFuel(saying, inCar, next);
        for (size_t d = 0; d < saying.size(); ++d) {
            const MixtureSamples& samples = mixture->mixture()->drives[d];
            const Column pressure = saying[d].columnIfAny("manifold_pressure"),
                         speed = saying[d].columnIfAny("engine_speed"), airflow = saying[d].columnIfAny("airflow");
            if (speed.empty() || airflow.empty()) continue;
            for (size_t k = 0; k < samples.size(); ++k) {
                const size_t i = samples.row[k];
                const double trim = zones.at(static_cast<double>(airflow[i]));
                if (std::isnan(trim) || (least_kPa > 0 && !(valueAt(pressure, i) >= least_kPa))) continue;
                AtSpeed& at = out[static_cast<int>(static_cast<double>(speed[i]) / kSpeeds_rpm)];
                const auto r = static_cast<double>(samples.ratio[k]);
                at.cleared += r, at.with += r / (1 + trim / 100), at.trim += trim, ++at.n;
            }
        }
        for (auto at = out.begin(); at != out.end();)
            at = at->second.n < kFewest ? out.erase(at) : std::next(at);
        return out;
    };
    auto speeds = told(*drives.with(pullMixture(drives)), 0);
    if (speeds.size() < kFewestSpeeds) speeds = told(drives, kMostLoad * greatest(drives, "manifold_pressure"));
    if (speeds.size() < kFewestSpeeds) return right;
    FirstPull out;
    const auto n = static_cast<double>(speeds.size());
    for (const auto& [speed, at] : speeds)
        out.cleared_pct += (at.cleared / at.n - 1) * 100 / n, out.withLearned_pct += (at.with / at.n - 1) * 100 / n,
            out.trim_pct += at.trim / at.n / n;
    return out;
}

bool FirstPull::betterCleared() const {
    constexpr double kNothing_pct = 0.5;
    return std::abs(withLearned_pct) >= kNothing_pct && std::abs(cleared_pct) < std::abs(withLearned_pct);
}

std::string FirstPull::offText(double pct) {
    constexpr double kShown_pct = 0.05;
    if (std::abs(pct) < kShown_pct) return "right";
    return formatNumber(std::abs(pct), 1) + " % " + (pct > 0 ? "lean" : "rich");
}

std::string FirstPull::sentence() const {
    return say("first-pull.learned",
               "The controller has learned {0} % where pulls are driven. With that left as it is the first pull on the "
               "new map will be {1}, with it cleared {2}{3}",
               {formatNumber(trim_pct, 1), offText(withLearned_pct), offText(cleared_pct),
                betterCleared() ? "; clear what was learned when you flash." : "."});
}

}  // namespace brusk::evidence
