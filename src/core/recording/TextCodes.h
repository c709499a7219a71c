// Texts of a channel as numbers.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <unordered_map>
#include <vector>

#include "core/recording/Recording.h"

namespace brusk::recording {

/// Texts that become numbers: each the number of its first appearance.
class TextCodes {
  public:
    static constexpr size_t kMost = 60000;

    /// NaN for an empty text, and for new ones when there are too many.
    float codeOf(const std::string& text);
    bool full() const { return full_; }
    std::vector<State> states() const;

  private:
    std::unordered_map<std::string, float> codes_;
    bool full_ = false;
};

}  // namespace brusk::recording
