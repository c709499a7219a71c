// Walks the rules in order; the first that is broken books the sample.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Filter.h"

#include <algorithm>

namespace brusk::evidence {

size_t LeftOut::of(std::string_view id) const {
    for (const Cost& cost : costs)
        if (cost.id == id) return cost.samples;
    return 0;
}

LeftOut& LeftOut::operator+=(const LeftOut& other) {
    recorded += other.recorded;
    kept += other.kept;
    for (const Cost& theirs : other.costs) {
        const auto ours = std::find_if(costs.begin(), costs.end(), [&](const Cost& c) { return c.id == theirs.id; });
        if (ours == costs.end())
            costs.push_back(theirs);
        else
            ours->samples += theirs.samples;
    }
    return *this;
}

std::vector<uint32_t> Filter::kept(size_t n, LeftOut& leftOut) const {
    LeftOut mine;
    mine.recorded = n;
    for (const Rule& rule : rules_)
        mine.costs.push_back({rule.id, rule.title, 0});
    std::vector<uint32_t> out;
    for (size_t i = 0; i < n; ++i) {
        size_t first = 0;
        while (first < rules_.size() && !rules_[first].broken(i))
            ++first;
        if (first == rules_.size())
            out.push_back(static_cast<uint32_t>(i));
        else
            ++mine.costs[first].samples;
    }
    mine.kept = out.size();
    leftOut += mine;
    return out;
}

}  // namespace brusk::evidence
