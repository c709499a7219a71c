// From names and roles to a set of channels with paces, and to the groups they are recorded in.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Channels.h"

#include <algorithm>

#include "core/base/Text.h"
#include "core/evidence/Learned.h"
#include "core/job/Drive.h"
#include "core/job/Sensors.h"
#include "core/roles/Needs.h"
#include "core/units/Units.h"

namespace brusk::job {
namespace {

/// Whose air was used, and what the map of speed-density said itself: where a meter is believed, the map can learn all
/// the same, and must not learn the meter's error.
constexpr roles::Role kAirModels[] = {"air_per_cylinder", "air_by_density", "air_by_meter", "air_source"};

/// What the corrections of fuel need of the controller.
std::vector<const definition::Measurement*> fuelChannels(const definition::Definition& definition) {
    std::vector<const definition::Measurement*> out;
    const auto add = [&](roles::Role role) {
        if (const auto* m = definition.measurementWithRole(role)) out.push_back(m);
    };
    for (const roles::Role role : roles::needOf(roles::kKindNeeds, "air")->channels)
        add(role);
    for (const roles::Role role : kAirModels)
        add(role);
    return out;
}

constexpr roles::Role kUsualRoles[] = {"pedal",
                                       "intake_temperature",
                                       "charge_temperature",
                                       "battery",
                                       "barometric_pressure",
                                       "meter_airflow",
                                       "meter_frequency",
                                       "air_per_cylinder",
                                       "injector_pulse",
                                       "injector_duty",
                                       "narrowband",
                                       "loop_state",
                                       "short_trim_2",
                                       "long_trim_2",
                                       "spark",
                                       "knock_retard",
                                       "octane_factor",
                                       "boost_target_now",
                                       "wastegate_duty_now",
                                       "boost_i_part",
                                       "exhaust_temperature",
                                       "torque_request",
                                       "torque_actual",
                                       "idle_active",
                                       "idle_target",
                                       "idle_integral",
                                       "idle_learned",
                                       "vehicle_speed",
                                       "gear",
                                       "engine_state",
                                       "limp_mode",
                                       "ve_now",
                                       "spark_base_part"};

/// What hardly changes in a second beside temperatures.
constexpr roles::Role kSlowRoles[] = {"barometric_pressure", "octane_factor", "idle_learned"};
/// States of the car, supply, and a temperature that is computed from what changes quickly.
constexpr roles::Role kMediumRoles[] = {"battery",      "engine_state",  "limp_mode",          "gear",
                                        "fan",          "fuel_pressure", "charge_temperature", "loop_state",
                                        "loop_state_2", "wideband_ready"};

/// What is recorded whatever is chosen.
std::vector<const definition::Measurement*> alwaysRecorded(const Kit& kit) {
    auto out = fuelChannels(*kit.definition);
    for (const auto& sensor : kit.sensors)
        if (const auto* m = sensor.analogue() ? kit.definition->measurement(sensor.channel) : nullptr) out.push_back(m);
    return out;
}

constexpr const char* kPaceNames[] = {"fast", "medium", "slow"};

}  // namespace

const char* paceName(link::Pace pace) {
    return kPaceNames[static_cast<size_t>(pace)];
}

std::optional<link::Pace> paceNamed(std::string_view name) {
    for (const link::Pace pace : link::kPaces)
        if (name == paceName(pace)) return pace;
    return std::nullopt;
}

link::Pace proposedPace(const definition::Definition& definition, const definition::Measurement& measurement) {
    const auto is = [&](roles::Role role) { return role == measurement.role; };
    if (std::any_of(std::begin(kMediumRoles), std::end(kMediumRoles), is)) return link::Pace::Medium;
    if (std::any_of(std::begin(kSlowRoles), std::end(kSlowRoles), is)) return link::Pace::Slow;
    const auto* unit = units::findUnit(definition.unitOf(measurement));
    return unit && unit->quantity == units::Quantity::Temperature ? link::Pace::Slow : link::Pace::Fast;
}

std::vector<ChannelClass> classesOf(const Kit& kit, const ChannelSet& channels) {
    std::vector<ChannelClass> out;
    for (size_t i = 0; i < channels.measurements.size(); ++i) {
        const link::Pace pace = channels.paces.empty() ? link::Pace::Fast : channels.paces[i];
        const double rate_hz =
            pace == link::Pace::Fast ? channels.rate_hz : 1e6 / static_cast<double>(kit.profile.period_us(pace));
        if (out.empty() || out.back().pace != pace) out.push_back({pace, rate_hz, i, 0});
        ++out.back().size;
    }
    // A recording has a group that its questions are asked at, be it empty.
    if (out.empty()) out.push_back({link::Pace::Fast, channels.rate_hz, 0, 0});
    return out;
}

std::vector<const definition::Measurement*> learnedChannels(const definition::Definition& definition) {
    std::vector<const definition::Measurement*> out;
    for (const roles::Role role : roles::kLearned)
        if (const auto* m = definition.measurementWithRole(role)) out.push_back(m);
    return out;
}

void addLearned(const Kit& kit, recording::Recording& layout) {
    const auto channels = learnedChannels(*kit.definition);
    if (channels.empty()) return;
    auto& group = layout.groups.emplace_back();
    group.name = evidence::kLearnedGroup;
    for (const auto* m : channels)
        group.channels.push_back(
            {m->name, std::string(kit.definition->unitOf(*m)), m->title() + ", learned", m->role, {}});
}

std::vector<std::string> usualChannels(const definition::Definition& definition) {
    std::vector<std::string> out;
    const auto add = [&](roles::Role role) {
        if (const auto* m = definition.measurementWithRole(role)) out.push_back(m->name);
    };
    for (const auto* m : fuelChannels(definition))
        out.push_back(m->name);
    for (const roles::Role role : kUsualRoles)
        add(role);
    for (const roles::Role role : roles::needOf(roles::kKindNeeds, "air")->helped)
        add(role);
    // Each once, in this order.
    std::vector<std::string> once;
    for (std::string& name : out)
        if (std::find(once.begin(), once.end(), name) == once.end()) once.push_back(std::move(name));
    return once;
}

std::vector<std::string> channelsWithRole(const definition::Definition& definition) {
    std::vector<std::string> out;
    for (const auto& m : definition.measurements)
        if (!m.role.empty()) out.push_back(m.name);
    return out;
}

Result<ChannelSet> channelSet(const Kit& kit, const std::vector<std::string>& names, const PaceWishes& paces) {
    auto all = alwaysRecorded(kit);
    for (const std::string& name : names) {
        const auto* m = kit.definition->measurement(name);
        if (!m) return fail(ErrorCode::NotFound, "The definition has no measurement " + name + ".");
        all.push_back(m);
    }
    ChannelSet set;
    set.definition = kit.definition;
    set.rate_hz = 1e6 / static_cast<double>(kit.profile.fastPeriod_us);
    for (const link::Pace pace : link::kPaces)
        for (const auto* m : all) {
            const auto wish = paces.find(m->name);
            const auto wanted = wish == paces.end() ? proposedPace(*kit.definition, *m) : wish->second;
            if (kit.profile.paceOr(wanted) != pace) continue;
            if (std::find(set.measurements.begin(), set.measurements.end(), m) != set.measurements.end()) continue;
            set.measurements.push_back(m);
            set.paces.push_back(pace);
            set.places.push_back({m->address, static_cast<uint8_t>(definition::sizeOf(m->type))});
        }
    auto plan = link::planSampling(kit.profile, set.places, set.paces);
    if (!plan) return tl::unexpected(plan.error());
    set.plan = std::move(*plan);
    return set;
}

std::vector<std::string> tooMany(const Kit& kit, const std::vector<std::string>& names, const PaceWishes& paces) {
    const auto always = alwaysRecorded(kit);
    const auto stays = [&](const std::string& name) {
        return std::any_of(always.begin(), always.end(), [&](const auto* m) { return m->name == name; });
    };
    const auto fits = [&](const std::vector<std::string>& some) {
        const auto set = channelSet(kit, some, paces);
        return set || set.error().code != ErrorCode::OutOfRange;
    };
    std::vector<std::string> kept = names, out;
    while (!fits(kept)) {
        const auto last = std::find_if_not(kept.rbegin(), kept.rend(), stays);
        if (last == kept.rend()) return {};
        out.insert(out.begin(), *last);
        kept.erase(std::next(last).base());
    }
    return out;
}

std::string channelsSha(const ChannelSet& channels) {
    std::string names;
    for (size_t i = 0; i < channels.measurements.size(); ++i) {
        names += channels.measurements[i]->name;
        if (!channels.paces.empty() && channels.paces[i] != link::Pace::Fast)
            names += std::string(", ") + paceName(channels.paces[i]);
        names += "\n";
    }
    return sha256Hex(asBytes(names));
}

recording::Recording layoutOf(const Kit& kit, const ChannelSet& channels, bool withExternal) {
    recording::Recording out;
    for (const ChannelClass& one : classesOf(kit, channels)) {
        recording::Group& group = out.groups.emplace_back();
        group.name = kit.profile.controller;
        if (out.groups.size() > 1) group.name += std::string(", ") + paceName(one.pace);
        group.rate_hz = one.rate_hz;
        for (size_t i = one.first; i < one.first + one.size; ++i) {
            const auto* m = channels.measurements[i];
            group.channels.push_back({m->name, kit.definition->unitOf(*m), m->title(), m->role, {}});
        }
    }
    if (withExternal) {
        ExternalRows(kit).addTo(out);
        AnalogueRows(kit, channels).addTo(out);
    }
    out.sensors = sensorsText(kit.sensors);
    return out;
}

std::string roleOfSignal(const can::DbcMessage& message, const can::DbcSignal& signal) {
    const auto isLambda = [](const can::DbcSignal& one) {
        const auto* unit = units::findUnit(one.unit);
        return unit && unit->quantity == units::Quantity::Lambda;
    };
    // Two in one unit are one for each bank; in two units they are the same number twice.
    if (isLambda(signal)) {
        const auto& all = message.signalList;
        const auto first = std::find_if(all.begin(), all.end(), isLambda);
        if (first->name == signal.name) return "lambda_measured";
        const auto alike = std::count_if(all.begin(), all.end(), [&](const auto& s) { return s.unit == first->unit; });
        return signal.unit == first->unit && alike == 2 ? "lambda_measured_2" : "";
    }
    const bool ofWideband = std::any_of(message.signalList.begin(), message.signalList.end(), isLambda);
    const bool tellsReady = signal.name.find("ready") != std::string::npos;
    return ofWideband && tellsReady ? "wideband_ready" : "";
}

std::string roleOfSignal(const Kit& kit, const can::DbcMessage& message, const can::DbcSignal& signal) {
    const auto* sensor = drive::sensorOf(kit.sensors, message.name, signal.name);
    return sensor ? sensor->role : roleOfSignal(message, signal);
}

std::string definitionSha(const Kit& kit) {
    return kit.definition->source ? sha256Hex(asBytes(kit.definition->source->text)) : std::string();
}

}  // namespace brusk::job
