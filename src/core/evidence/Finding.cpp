// The registry of checks, and one walk over it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Finding.h"

#include <algorithm>

#include "core/evidence/checks/Looks.h"

namespace brusk::evidence {
namespace {

constexpr Check kChecks[] = {
    {"wideband-dead", checks::widebandDead},
    {"coolant-stuck", checks::coolantStuck},
    {"wheel-dead", checks::wheelDead},
    {"battery-low", checks::batteryLow},
    {"injector-at-limit", checks::injectorAtLimit},
    {"knock", checks::knock},
    {"underboost", checks::underboost},
    {"overboost", checks::overboost},
    {"throttle-closes", checks::throttleCloses},
    {"lean-under-load", checks::leanUnderLoad},
    {"rich-under-load", checks::richUnderLoad},
    {"idle-off", checks::idleOff},
    {"hard-start", checks::hardStart},
    {"trim-at-stop", checks::trimAtStop},
    {"limp-mode", checks::limpMode},
    {"limit-hit", checks::limitHit},
    {"axis-mismatch", checks::axisMismatch},
    {"gaps", checks::gaps},
};
static_assert(std::all_of(std::begin(kChecks), std::end(kChecks),
                          [](const Check& one) { return roles::needOf(roles::kCheckNeeds, one.id) != nullptr; }));

/// Channels that no drive has.
std::vector<roles::Role> lacking(const roles::Need& need, const Drives& drives) {
    std::vector<roles::Role> out;
    for (const roles::Role role : need.channels) {
        bool any = false;
        for (size_t d = 0; d < drives.size() && !any; ++d)
            any = static_cast<bool>(drives.recording(d).findRole(role));
        if (!any) out.push_back(role);
    }
    return out;
}

}  // namespace

std::string_view seriousnessName(Seriousness seriousness) {
    constexpr std::string_view kNames[] = {"note", "warn", "danger"};
    return kNames[static_cast<size_t>(seriousness)];
}

const roles::Need& Check::need() const {
    return *roles::needOf(roles::kCheckNeeds, id);
}

std::span<const Check> allChecks() {
    return kChecks;
}

Findings findingsOf(const Drives& drives, const calibration::Calibration* inCar) {
    std::vector<DriveEvents> events;
    for (size_t d = 0; d < drives.size(); ++d)
        events.push_back(eventsOf(drives[d]));
    Findings out;
    for (const Check& check : kChecks) {
        auto lacks = lacking(check.need(), drives);
        if (!lacks.empty()) {
            out.couldNot.push_back({check.id, std::move(lacks)});
            continue;
        }
        out.looked.push_back(check.id);
        const size_t before = out.found.size();
        check.look({drives, events, inCar}, out.found);
        for (size_t i = before; i < out.found.size(); ++i)
            out.found[i].check = check.id;
    }
    const auto first = [](const Finding& one) {
        return one.where.empty() ? std::pair<size_t, double>{} : std::pair(one.where[0].drive, one.where[0].from_s);
    };
    std::stable_sort(out.found.begin(), out.found.end(), [&](const Finding& a, const Finding& b) {
        if (a.seriousness != b.seriousness) return a.seriousness > b.seriousness;
        if (a.certainty > b.certainty || b.certainty > a.certainty) return a.certainty > b.certainty;
        return first(a) < first(b);
    });
    return out;
}

}  // namespace brusk::evidence
