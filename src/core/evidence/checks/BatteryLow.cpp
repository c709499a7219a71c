// The battery is not charged while the engine runs.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void batteryLow(const Looked& at, Found& out) {
    constexpr double kLow_V = 12.3, kRuns_rpm = 700, kLong_s = 5;
    Finding finding;
    double least = INFINITY;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column battery = drive.columnIfAny("battery"), speed = drive.columnIfAny("engine_speed");
        const auto low = [&](size_t i) { return battery[i] < kLow_V && (speed.empty() || speed[i] > kRuns_rpm); };
        if (battery.empty()) continue;
        for (const Span& span : spansWhere(time, low, kLong_s, 0.5)) {
            finding.where.push_back({d, time[span.begin], time[span.end - 1]});
            least = std::min(least, extentOf(battery, span).least);
        }
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen =
        say("finding.battery-low", "The battery falls to {0} V while the engine runs.", {formatNumber(least, 1)});
    finding.means = {"the alternator does not charge", "a bad connection to the controller"};
    finding.todo = "Put the supply right first: injector dead times and pump follow the voltage.";
    finding.place = {"Car", "", std::nullopt};
    finding.lanes = {"battery", "engine_speed", "injector_pulse"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
