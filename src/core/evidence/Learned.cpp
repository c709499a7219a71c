// Trims and what else was learned, out of the group that a recording keeps them in.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Learned.h"

#include <cmath>

#include "core/roles/Needs.h"

namespace brusk::evidence {

std::vector<LearnedValue> learnedOf(const recording::Recording& recording) {
    std::vector<LearnedValue> out;
    for (const auto& group : recording.groups) {
        if (group.name != kLearnedGroup || group.time_s.empty()) continue;
        for (const auto& channel : group.channels) {
            const auto role = roles::Role::named(channel.role);
            const auto shown = role ? intoRole(channel.unit, *role) : std::nullopt;
            if (!shown || channel.values.empty()) continue;
            const auto at = [&](size_t i) { return (*shown)(static_cast<double>(channel.values[i])); };
            const bool ended = channel.values.size() > 1;
            out.push_back({*role, channel.name, at(0), ended ? at(channel.values.size() - 1) : std::nan("")});
        }
    }
    return out;
}

}  // namespace brusk::evidence
