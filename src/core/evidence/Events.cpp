// The registry of events, and one walk over it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Events.h"

#include <algorithm>
#include <cmath>

#include "core/evidence/events/Finders.h"

namespace brusk::evidence {
namespace {

constexpr EventKind kKinds[] = {
    {roles::kStart, {"engine_speed"}, events::starts},
    {roles::kIdle, {"engine_speed"}, events::idles},
    {roles::kIdleLoad, {"engine_speed", "fan"}, events::idleLoads},
    {roles::kCruise, {"vehicle_speed", "pedal"}, events::cruises},
    {roles::kPull, {"engine_speed", "pedal"}, events::pulls},
    {roles::kTipIn, {"pedal"}, events::tipIns},
    {roles::kTipOut, {"pedal"}, events::tipOuts},
    {roles::kOverrun, {"fuel_cut", "engine_speed"}, events::overruns},
    {roles::kGear, {"engine_speed", "vehicle_speed"}, events::gears},
    {roles::kClutch, {"engine_speed", "vehicle_speed"}, events::clutches},
    {roles::kLimit, {"engine_speed"}, events::limits},
    {roles::kLimp, {"limp_mode"}, events::limps},
    {roles::kThrottleCloses, {"pedal", "throttle"}, events::throttleCloses},
    {roles::kKnock, {"knock_retard"}, events::knocks},
    {roles::kCode, {}, events::codes},
    {roles::kGap, {}, events::gaps},
    {roles::kMark, {}, events::marks},
    {roles::kGuard, {}, events::guards},
    {roles::kRefuel, {}, events::refuels},
    {roles::kKeyOff, {"engine_speed"}, events::keyOffs},
    {roles::kAdaptationReset, {"long_trim"}, events::adaptationResets},
};

const roles::EventName& nameOf(roles::Event kind) {
    return *std::find_if(std::begin(roles::kEvents), std::end(roles::kEvents),
                         [&](const roles::EventName& one) { return one.event == kind; });
}

}  // namespace

double FoundEvent::figure(std::string_view id) const {
    for (const EventFigure& one : figures)
        if (one.id == id) return one.value;
    return std::nan("");
}

void FoundEvent::add(std::string_view id, double value) {
    if (!std::isnan(value)) figures.push_back({id, value});
}

std::string_view EventKind::id() const {
    return nameOf(kind).id;
}

std::string_view EventKind::title() const {
    return nameOf(kind).title;
}

std::span<const EventKind> eventKinds() {
    return kKinds;
}

std::vector<const FoundEvent*> DriveEvents::of(roles::Event kind) const {
    std::vector<const FoundEvent*> out;
    for (const FoundEvent& one : found)
        if (one.kind == kind) out.push_back(&one);
    return out;
}

DriveEvents eventsOf(const Sampled& drive) {
    DriveEvents out;
    for (const EventKind& kind : kKinds) {
        std::vector<roles::Role> lacks;
        for (const roles::Role role : kind.needs)
            if (drive.columnIfAny(role).empty()) lacks.push_back(role);
        if (lacks.empty())
            kind.find(drive, out.found);
        else
            out.notLooked.push_back({kind.kind, std::move(lacks)});
    }
    std::stable_sort(out.found.begin(), out.found.end(),
                     [](const FoundEvent& a, const FoundEvent& b) { return a.from_s < b.from_s; });
    return out;
}

}  // namespace brusk::evidence
