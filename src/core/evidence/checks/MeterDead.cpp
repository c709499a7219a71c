// An airflow meter that says nothing, or always the same, while the engine draws air.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void meterDead(const Looked& at, Found& out) {
    constexpr double kTurns_rpm = 300, kLong_s = 12, kStill = 0.002, kMoves_rpm = 400, kMoves_kPa = 8;
    Finding finding;
    double long_s = 0, at_Hz = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column meter = drive.columnIfAny("meter_frequency"), speed = drive.columnIfAny("engine_speed");
        const Column pressure = drive.columnIfAny("manifold_pressure");
        if (meter.empty() || speed.empty()) continue;
        float held = NAN;
        const auto still = [&](size_t i) {
            if (!(speed[i] > kTurns_rpm)) return false;
            const bool same =
                std::isnan(meter[i]) || std::abs(meter[i] - held) <= static_cast<float>(kStill) * std::abs(held);
            if (!same) held = meter[i];
            return same;
        };
        for (const Span& span : spansWhere(time, still, kLong_s)) {
            const Extent is = extentOf(meter, span);
            if (is.count > 0 && is.most > 1 && extentOf(speed, span).range() < kMoves_rpm &&
                !(extentOf(pressure, span).range() > kMoves_kPa))
                continue;
            finding.where.push_back({d, time[span.begin], time[span.end - 1]});
            finding.taints.push_back({"meter_airflow", finding.where.back()});
            long_s += time[span.end - 1] - time[span.begin], at_Hz = is.mean;
        }
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen = say("finding.meter-dead", "The airflow meter stays at {0} Hz for {1} s while the engine draws air.",
                       {formatNumber(at_Hz, 0), formatNumber(long_s, 0)});
    finding.means = {"the airflow meter is dead, or its plug is off", "its line breaks off under vibration"};
    finding.todo = "Look at the meter's plug; nothing is learned of it from this stretch.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"length_s", long_s}};
    finding.lanes = {"meter_frequency", "meter_airflow", "airflow", "engine_speed"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
