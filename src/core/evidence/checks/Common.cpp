// Small questions that checks share.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

std::vector<Of> eventsOfKind(const Looked& at, roles::Event kind) {
    std::vector<Of> out;
    for (size_t d = 0; d < at.events.size(); ++d)
        for (const auto* event : at.events[d].of(kind))
            out.push_back({event, d});
    return out;
}

std::optional<double> parameterOf(const Looked& at, roles::Role role) {
    const auto* parameter = at.inCar ? at.inCar->definition().parameterWithRole(role) : nullptr;
    const auto table =
        parameter ? at.inCar->read(*parameter) : Result<calibration::Table>(fail(ErrorCode::NotFound, "not there"));
    return table && table->values.size() == 1 ? std::optional(table->values[0]) : std::nullopt;
}

std::vector<Stretch> wholeDrives(const Looked& at) {
    std::vector<Stretch> out;
    for (size_t d = 0; d < at.drives.size(); ++d)
        if (const auto time = at.drives[d].time_s(); !time.empty()) out.push_back({d, time.front(), time.back()});
    return out;
}

std::vector<Stretch> stretchesBelow(const Looked& at, roles::Role role, double border) {
    constexpr double kBridge_s = 1;
    std::vector<Stretch> out;
    for (size_t d = 0; d < at.drives.size(); ++d) {
        const auto time = at.drives[d].time_s();
        const Column column = at.drives[d].columnIfAny(role);
        for (const Span& span : spansWhere(
                 time, [&](size_t i) { return valueAt(column, i) < border; }, 0, kBridge_s))
            out.push_back({d, time[span.begin], time[span.end - 1]});
    }
    return out;
}

std::string countText(size_t some, size_t of, const char* what) {
    return std::to_string(some) + " of " + std::to_string(of) + " " + what;
}

}  // namespace brusk::evidence::checks
