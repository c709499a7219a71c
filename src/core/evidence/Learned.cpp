// Trims and what else was learned at a drive's end, and what they do on another map.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Learned.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/calibration/RoleUnits.h"
#include "core/roles/Needs.h"

namespace brusk::evidence {

std::vector<LearnedValue> learnedOf(const recording::Recording& recording) {
    std::vector<LearnedValue> out;
    for (const auto& group : recording.groups) {
        if (group.name != kLearnedGroup || group.time_s.empty()) continue;
        for (const auto& channel : group.channels) {
            const auto role = roles::Role::named(channel.role);
            const auto shown = role ? intoRole(channel.unit, *role) : std::nullopt;
            if (!shown || channel.values.empty()) continue;
            const auto at = [&](size_t i) { return (*shown)(static_cast<double>(channel.values[i])); };
            const bool ended = channel.values.size() > 1;
            out.push_back({*role, channel.name, at(0), ended ? at(channel.values.size() - 1) : std::nan("")});
        }
    }
    return out;
}

namespace {

constexpr roles::Role kZones[] = {"learned_trim_0", "learned_trim_1", "learned_trim_2", "learned_trim_3"};

/// The zone of an airflow by the controller's own borders; the last where they are not known.
size_t zoneOf(const calibration::Calibration& inCar, double airflow_kgh) {
    const auto borders = calibration::readRole(inCar, "learn_borders");
    if (!borders) return std::size(kZones) - 1;
    size_t zone = 0;
    while (zone + 1 < std::size(kZones) && zone < borders->values.size() && airflow_kgh >= borders->values[zone])
        ++zone;
    return zone;
}

/// Of a drive, wild readings aside.
double greatestAirflow(const Sampled& drive) {
    const Column airflow = drive.columnIfAny("airflow");
    std::vector<float> values;
    for (const float v : airflow)
        if (std::isfinite(v)) values.push_back(v);
    if (values.empty()) return std::nan("");
    const auto at = static_cast<long>(0.998 * static_cast<double>(values.size() - 1));
    std::nth_element(values.begin(), values.begin() + at, values.end());
    return static_cast<double>(values[static_cast<size_t>(at)]);
}

}  // namespace

std::optional<FirstPull> firstPull(const calibration::Calibration& inCar, const Drives& drives) {
    std::vector<LearnedValue> newest;
    double airflow_kgh = 0;
    for (size_t i = 0; i < drives.size(); ++i) {
        if (auto learned = learnedOf(drives.recording(i)); !learned.empty()) newest = std::move(learned);
        const double here = greatestAirflow(drives[i]);
        if (std::isfinite(here)) airflow_kgh = std::max(airflow_kgh, here);
    }
    const roles::Role acting = kZones[zoneOf(inCar, airflow_kgh)];
    for (const LearnedValue& value : newest) {
        if (value.role != acting) continue;
        const double trim = std::isfinite(value.to) ? value.to : value.from;
        if (!std::isfinite(trim) || trim <= -90) return std::nullopt;
        return FirstPull{(1 / (1 + trim / 100) - 1) * 100, 0, trim};
    }
    return std::nullopt;
}

std::string FirstPull::sentence() const {
    return "The controller has learned " + formatNumber(trim_pct, 1) +
           " % where pulls are driven. With that left as it is "
           "the first pull on the new map will be " +
           formatNumber(std::abs(withLearned_pct), 1) + " % " + (withLearned_pct > 0 ? "lean" : "rich") +
           "; clear what was learned when you flash.";
}

}  // namespace brusk::evidence
