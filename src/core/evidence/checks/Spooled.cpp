// The last second of a pull, where pressure no longer rises.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Spooled.h"

namespace brusk::evidence::checks {

Spooled spooledPulls(const Looked& at) {
    constexpr double kLast_s = 1, kLong_s = 3, kRises_kPas = 5, kBoosting_kPa = 110, kFast_rpm = 2500;
    Spooled out;
    for (const Of& pull : eventsOfKind(at, roles::kPull)) {
        const Sampled& drive = at.drives[pull.drive];
        const auto time = drive.time_s();
        const Column pressure = drive.columnIfAny("manifold_pressure"), target = drive.columnIfAny("boost_target_now");
        const double to_s = pull.event->to_s - 0.1;
        if (to_s - pull.event->from_s < kLong_s) continue;
        const Span span = samplesIn(time, to_s - kLast_s, to_s),
                   early = samplesIn(time, to_s - 2 * kLast_s, to_s - kLast_s);
        if (!(extentOf(drive.columnIfAny("engine_speed"), span).mean > kFast_rpm)) continue;  // too little gas for it
        const double now = extentOf(pressure, span).mean, wanted = extentOf(target, span).mean;
        if (!(wanted > kBoosting_kPa) || !(std::abs(now - extentOf(pressure, early).mean) < kRises_kPas)) continue;
        out.pulls.push_back({now - wanted, extentOf(drive.columnIfAny("wastegate_duty_now"), span).mean, pull.where()});
    }
    return out;
}

}  // namespace brusk::evidence::checks
