// A number for each text, in the order they first appear.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/TextCodes.h"

#include <limits>

namespace brusk::recording {

namespace {
constexpr float kNone = std::numeric_limits<float>::quiet_NaN();
}

float TextCodes::codeOf(const std::string& text) {
    if (text.empty()) return kNone;
    const auto known = codes_.find(text);
    if (known != codes_.end()) return known->second;
    if (codes_.size() >= kMost) {
        full_ = true;
        return kNone;
    }
    return codes_.emplace(text, static_cast<float>(codes_.size())).first->second;
}

std::vector<State> TextCodes::states() const {
    std::vector<State> out(codes_.size());
    for (const auto& [text, code] : codes_)
        out[static_cast<size_t>(code)] = {code, text};
    return out;
}

}  // namespace brusk::recording
