// Knock that comes where nothing knocks: in one band of speed whatever the load, or with every tip-in.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void knockFalse(const Looked& at, Found& out) {
    constexpr double kBehind_s = 0.7, kMostly = 0.7, kBand_rpm = 750, kOutside = 0.5, kLoad_kPa = 12;
    constexpr double kFar_deg = 4;
    constexpr double kExactly_rpm = 60;  // no knock begins at one speed in every pull
    constexpr size_t kFewest = 6, kFewestExactly = 3;
    std::vector<double> speeds, loads, taken;
    size_t withTip = 0;
    Finding finding;
    const auto tips = eventsOfKind(at, roles::kTipIn);
    for (const Of& knock : eventsOfKind(at, roles::kKnock)) {
        const Sampled& drive = at.drives[knock.drive];
        const size_t i = sampleAt(drive.time_s(), knock.event->from_s);
        speeds.push_back(valueAt(drive.columnIfAny("engine_speed"), i));
        loads.push_back(valueAt(drive.columnIfAny("manifold_pressure"), i));
        withTip += std::any_of(tips.begin(), tips.end(), [&](const Of& tip) {
            return tip.drive == knock.drive && knock.event->from_s >= tip.event->from_s - 0.1 &&
                   knock.event->from_s <= tip.event->to_s + kBehind_s;
        });
        taken.push_back(knock.event->figure("retard_deg"));
        finding.where.push_back(knock.where());
    }
    if (speeds.size() < kFewestExactly) return;
    auto sorted = speeds;
    std::sort(sorted.begin(), sorted.end());
    double low = sorted[sorted.size() / 10], high = sorted[sorted.size() - 1 - sorted.size() / 10];
    // Where most of them begin at the very same speed.
    const size_t most =
        std::max(kFewestExactly, static_cast<size_t>(std::ceil(kMostly * static_cast<double>(sorted.size()))));
    bool exactly = false;
    for (size_t i = 0; i + most <= sorted.size() && !exactly; ++i)
        if (exactly = sorted[i + most - 1] - sorted[i] < kExactly_rpm; exactly)
            low = sorted[i], high = sorted[i + most - 1];
    if (!exactly && sorted.size() < kFewest) return;
    // Time at such load outside the band: real knock comes there too.
    const double load = medianOf(loads) - kLoad_kPa;
    double inside_s = 0, outside_s = 0;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const auto time = at.drives[d].time_s();
        const Column n = at.drives[d].columnIfAny("engine_speed"), p = at.drives[d].columnIfAny("manifold_pressure");
        for (size_t i = 1; i < std::min(n.size(), p.size()); ++i)
            if (p[i] > load && n[i] > 1200)
                (n[i] >= low - 100 && n[i] <= high + 100 ? inside_s : outside_s) += time[i] - time[i - 1];
    }
    const bool tip =
        sorted.size() >= kFewest && static_cast<double>(withTip) > kMostly * static_cast<double>(speeds.size());
    // What rings does not ask how much was taken back; what knocks falls silent with it.
    const bool band = high - low < kBand_rpm && outside_s > kOutside * inside_s && medianOf(taken) > kFar_deg;
    if (!tip && !band) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.9;
    finding.seen = tip ? say("finding.knock-false-tip", "{0} of {1} knocks come within a moment of a tip-in.",
                             {std::to_string(withTip), std::to_string(speeds.size())})
                       : say("finding.knock-false-band",
                             "All knock lies between {0} and {1} rpm; at the same load beside that band none is heard.",
                             {formatNumber(low, 0), formatNumber(high, 0)});
    finding.means = {
        tip ? "what is heard is the valve train or a mount" : "what is heard is something loose that rings",
        "it knocks there indeed"};
    finding.todo = "Look for what is loose and raise the threshold there; no cell's spark is pulled for it.";
    finding.place = {"Correct", "knock-threshold", roles::Role("knock_threshold")};
    finding.figures = {{"heard", static_cast<double>(speeds.size())}};
    for (const Stretch& where : finding.where)
        finding.taints.push_back({"knock_retard", where});
    finding.lanes = {"knock_retard", "engine_speed", "manifold_pressure", "throttle"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
