// Byte ranges of all parameters, sorted once, asked often.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/SharedBytes.h"

#include <algorithm>

namespace brusk::calibration {

using definition::Parameter;

namespace {
constexpr uint32_t kNowhere = 0xFFFFFFFF;
}

SharedBytes::SharedBytes(const Calibration& calibration) : definition_(calibration.sharedDefinition()) {
    const auto& parameters = definition_->parameters;
    for (uint32_t i = 0; i < parameters.size(); ++i) {
        const auto there = place(*definition_, calibration.image(), parameters[i]);
        if (there && there->end > there->begin) stretches_.push_back({there->begin, there->end, 0, i});
    }
    std::stable_sort(stretches_.begin(), stretches_.end(),
                     [](const Stretch& a, const Stretch& b) { return a.begin < b.begin; });
    ofParameter_.assign(parameters.size(), kNowhere);
    uint64_t furthest = 0;
    for (uint32_t i = 0; i < stretches_.size(); ++i) {
        furthest = std::max(furthest, stretches_[i].end);
        stretches_[i].furthest = furthest;
        ofParameter_[stretches_[i].parameter] = i;
    }
}

template <class Visit>
void SharedBytes::visit(uint32_t begin, uint64_t end, Visit call) const {
    auto at = std::lower_bound(stretches_.begin(), stretches_.end(), end,
                               [](const Stretch& s, uint64_t limit) { return s.begin < limit; });
    while (at != stretches_.begin()) {
        --at;
        if (at->end > begin) call(*at);
        if (at->furthest <= begin) break;
    }
}

std::vector<SharedBytes::Neighbour> SharedBytes::of(const Parameter& parameter) const {
    std::vector<Neighbour> out;
    const auto index = static_cast<size_t>(&parameter - definition_->parameters.data());
    if (index >= ofParameter_.size() || ofParameter_[index] == kNowhere) return out;
    const Stretch& mine = stretches_[ofParameter_[index]];
    visit(mine.begin, mine.end, [&](const Stretch& other) {
        if (other.parameter == mine.parameter) return;
        const Parameter& p = definition_->parameters[other.parameter];
        const uint32_t first = std::max(mine.begin, other.begin);
        const uint64_t last = std::min(mine.end, other.end);
        const bool whole = mine.begin == other.begin && mine.end == other.end;
        const bool apart = whole && parameter.bitMask && p.bitMask && !(parameter.bitMask & p.bitMask);
        out.push_back({&p,
                       apart   ? Overlap::OtherBits
                       : whole ? Overlap::Whole
                               : Overlap::Part,
                       first, static_cast<uint32_t>(last - first)});
    });
    std::stable_sort(out.begin(), out.end(),
                     [](const Neighbour& a, const Neighbour& b) { return a.address < b.address; });
    return out;
}

std::vector<const Parameter*> SharedBytes::changedBy(const Edit& edit, const Parameter* apart) const {
    std::vector<const Parameter*> out;
    for (const ByteChange& change : edit.changes) {
        const uint64_t end = uint64_t{change.address} + change.after.size();
        visit(change.address, end, [&](const Stretch& s) {
            const Parameter& p = definition_->parameters[s.parameter];
            if (&p == apart) return;
            // Of a masked parameter only its own bits count.
            if (p.bitMask && s.begin == change.address && s.end == end) {
                const auto bits = [&](const Bytes& bytes) {
                    return loadUnsigned(bytes.data(), std::min<size_t>(8, bytes.size()),
                                        p.byteOrder.value_or(definition_->byteOrder)) &
                           p.bitMask;
                };
                if (bits(change.before) == bits(change.after)) return;
            }
            out.push_back(&p);
        });
    }
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

}  // namespace brusk::calibration
