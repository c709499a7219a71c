// The mixture told by the trims against that told by the pulses.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void fuelPath(const Looked& at, Found& out) {
    const auto& mixture = at.drives.mixture();
    if (!mixture || mixture->forms.agree()) return;
    constexpr size_t kFewest = 200;
    if (mixture->forms.samples < kFewest) return;
    Finding finding;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.5;
    finding.seen =
        say("finding.fuel-path", "The pulses tell {0} % {1} fuel than trims and target do.",
            {formatNumber(100 * std::abs(mixture->forms.mean), 1), mixture->forms.mean > 0 ? "more" : "less"});
    finding.means = {"flow or dead time in the bytes are not those of the recording",
                     "a part of the fuel is not recorded"};
    finding.todo = "Check that these are the bytes that were in the car, and the injector's numbers.";
    finding.place = {"Maps", "injector", roles::Role("injector_flow")};
    finding.figures = {{"fuel_off_pct", 100 * mixture->forms.mean}};
    finding.where = wholeDrives(at);
    finding.lanes = {"injector_pulse", "short_trim", "long_trim", "lambda_asked"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
