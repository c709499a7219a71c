// A narrowband that says the same while the engine works warm.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void narrowbandDead(const Looked& at, Found& out) {
    constexpr double kLong_s = 30, kStill_V = 0.008, kWarm_C = 60, kAsked = 0.97, kBehindCut_s = 2;
    constexpr double kLean_V = 0.3, kRich_V = 0.6, kOff = 0.015;
    Finding finding;
    double long_s = 0, at_V = 0;
    for (const roles::Role role : {roles::Role("narrowband"), roles::Role("narrowband_2")})
        for (size_t d = 0; d < at.drives.size(); ++d) {
            const Sampled& drive = at.drives[d];
            const auto time = drive.time_s();
            const Column volts = drive.columnIfAny(role), speed = drive.columnIfAny("engine_speed");
            const Column coolant = drive.columnIfAny("coolant"), asked = drive.columnIfAny("lambda_asked");
            const Column cut = drive.columnIfAny("fuel_cut"), lambda = drive.columnIfAny("lambda_measured");
            if (volts.empty() || speed.empty()) continue;
            float held = NAN;
            double cut_s = -kBehindCut_s;
            const auto still = [&](size_t i) {
                if (valueAt(cut, i) > 0) cut_s = time[i];
                // Enrichment holds it rich, a cut holds it lean, and rightly so.
                if (!(speed[i] > 500) || valueAt(coolant, i) < kWarm_C || valueAt(asked, i) < kAsked) return false;
                if (std::isnan(volts[i])) return true;
                const bool same = std::abs(volts[i] - held) < static_cast<float>(kStill_V);
                if (time[i] - cut_s < kBehindCut_s) return same || std::isnan(held);
                if (!same) held = volts[i];
                return same;
            };
            for (const Span& span : spansWhere(time, still, kLong_s)) {
                const Extent is = extentOf(volts, span), other = extentOf(lambda, span);
                if (is.range() > 2 * kStill_V) continue;
                // One that the wideband bears out tells the truth: the loop is at its end.
                if ((is.mean < kLean_V && other.mean > 1 + kOff) || (is.mean > kRich_V && other.mean < 1 - kOff))
                    continue;
                finding.where.push_back({d, time[span.begin], time[span.end - 1]});
                long_s += time[span.end - 1] - time[span.begin];
                at_V = is.mean;
            }
        }
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.95;
    finding.seen =
        say("finding.narrowband-dead", "The narrowband stays at {0} V for {1} s while the warm engine works.",
            {formatNumber(at_V, 2), formatNumber(long_s, 0)});
    finding.means = {"the narrowband is dead, or its wire is off", "its heater does not work"};
    finding.todo = "Look at plug and heater; the loop does not hold the mixture, so trims say nothing.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"length_s", long_s}};
    finding.lanes = {"narrowband", "short_trim", "lambda_measured", "lambda_asked"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
