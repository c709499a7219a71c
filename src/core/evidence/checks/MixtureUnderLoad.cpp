// Measured over asked, in the part of a pull where both have settled.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/MixtureUnderLoad.h"

namespace brusk::evidence::checks {

MixtureOff mixtureOff(const Looked& at, int direction, double beyond_pct) {
    constexpr double kLeast = 0.6, kMost = 1.6, kWarm_C = 60;  // beyond them no engine pulls: the sensor is at fault
    MixtureOff out;
    for (const Of& pull : eventsOfKind(at, roles::kPull)) {
        const double off = (pull.event->figure("lambda_measured") / pull.event->figure("lambda_asked") - 1) * 100;
        // A cold one is enriched by other maps.
        if (pull.event->figure("coolant_C") < kWarm_C) continue;
        const double measured = pull.event->figure("lambda_measured");
        if (std::isnan(off) || measured < kLeast || measured > kMost) continue;
        ++out.pulls;
        if (!(direction * off > beyond_pct)) continue;
        out.off_pct.push_back(off);
        out.where.push_back(pull.where());
    }
    return out;
}

bool MixtureOff::shows(double beyond_pct) const {
    constexpr double kFar = 2;
    const auto far =
        std::count_if(off_pct.begin(), off_pct.end(), [&](double off) { return std::abs(off) > kFar * beyond_pct; });
    return off_pct.size() * 2 > pulls || far > 1;
}

}  // namespace brusk::evidence::checks
