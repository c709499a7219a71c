// Spark was taken back because knock was heard.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/events/Finders.h"

namespace brusk::evidence::events {

void knocks(const Sampled& drive, Found& out) {
    constexpr double kStep_deg = 0.3, kCalm_s = 1, kNone_deg = 0.05;
    const auto time = drive.time_s();
    const Column retard = drive.columnIfAny("knock_retard"), speed = drive.columnIfAny("engine_speed");
    double before = std::nan(""), heard_s = -INFINITY, held = 0;
    for (size_t i = 0; i < time.size(); ++i) {
        const double now = valueAt(retard, i);
        if (std::isnan(now)) continue;
        // Off load a retard is laid aside, and taken up again where load comes back: nothing was heard then.
        if (before - now > kStep_deg && now < kNone_deg) held = before;
        const bool takenUp = before < kNone_deg && now < held + kNone_deg;
        const bool heard = now - before > kStep_deg && !takenUp;
        before = now;
        if (!heard) continue;
        // One moment as long as it is heard again and again.
        if (time[i] - heard_s > kCalm_s) {
            FoundEvent event{roles::kKnock, time[i], time[i]};
            event.add("engine_rpm", valueAt(speed, i));
            event.add("pressure_kpa", valueAt(drive.columnIfAny("manifold_pressure"), i));
            event.add("spark_deg", valueAt(drive.columnIfAny("spark"), i));
            event.figures.push_back({"retard_deg", now});
            event.figures.push_back({"heard", 0});
            out.push_back(std::move(event));
        }
        heard_s = time[i];
        FoundEvent& event = out.back();
        event.to_s = heard_s;
        auto& figures = event.figures;
        figures[figures.size() - 2].value = std::max(figures[figures.size() - 2].value, now);
        figures.back().value += 1;
    }
}

}  // namespace brusk::evidence::events
