// An intake air sensor that never moves while heat and airflow do.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void intakeStuck(const Looked& at, Found& out) {
    constexpr double kLong_s = 200, kStill_K = 0.06, kMoves = 4, kBoost_kPa = 125, kWarms_K = 30, kLeaps_s = 4,
                     kLeaps_K = 3;
    Finding finding;
    double at_C = 0, long_s = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const Sampled& drive = at.drives[d];
        const auto time = drive.time_s();
        const Column air = drive.columnIfAny("intake_temperature"), speed = drive.columnIfAny("engine_speed");
        const Column pressure = drive.columnIfAny("manifold_pressure"), coolant = drive.columnIfAny("coolant");
        const Column flow = drive.columnIfAny("airflow"), road = drive.columnIfAny("vehicle_speed");
        if (air.empty() || speed.empty()) continue;
        float held = NAN;
        const auto still = [&](size_t i) {
            const bool same = std::abs(air[i] - held) <= static_cast<float>(kStill_K);
            if (!same) held = air[i];
            return same && speed[i] > 400;
        };
        for (const Span& span : spansWhere(time, still, kLong_s)) {
            if (extentOf(air, span).range() > 2 * kStill_K) continue;  // it crept
            const Extent drawn = extentOf(flow, span), rolls = extentOf(road, span);
            if (!(drawn.most > kMoves * drawn.least) && !(rolls.most > 30 && rolls.least < 3)) continue;
            // Heat must have moved: a compressor's, a warming engine's; or it leapt to where it stays.
            const Extent pressed = extentOf(pressure, span), warms = extentOf(coolant, span);
            const Extent before = extentOf(air, samplesIn(time, time[span.begin] - kLeaps_s, time[span.begin]));
            if (!(pressed.most > kBoost_kPa) && !(warms.range() > kWarms_K) && !(before.range() > kLeaps_K)) continue;
            finding.where.push_back({d, time[span.begin], time[span.end - 1]});
            finding.taints.push_back({"intake_temperature", finding.where.back()});
            at_C = extentOf(air, span).mean, long_s += time[span.end - 1] - time[span.begin];
        }
    }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen =
        say("finding.intake-stuck", "The intake temperature stays at {0} \u00b0C for {1} s, standing and driving.",
            {formatNumber(at_C, 1), formatNumber(long_s, 0)});
    finding.means = {"the intake air sensor is dead, and the controller goes on with a number of its own",
                     "the sensor is stuck"};
    finding.todo = "Look at the sensor's plug; air computed from pressure is off by its error.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"length_s", long_s}};
    finding.lanes = {"intake_temperature", "airflow", "vehicle_speed", "coolant"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
