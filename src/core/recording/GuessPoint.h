// One thing that was guessed about a file before it is read: shown with how sure that is, and correctable.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace brusk::recording {

struct GuessPoint {
    struct Choice {
        std::string value;
        std::string title;
    };
    std::string id;
    std::string title;
    std::string value;
    double certainty = 0;  ///< 0 to 1; 1 too where somebody said it
    std::string why;
    std::vector<Choice> choices = {};  ///< empty: a text
    std::string takes = {};            ///< what such a text can be
};

/// What somebody said about the points of a file: by id. An id that the file has no point for is passed over.
using Said = std::map<std::string, std::string, std::less<>>;

}  // namespace brusk::recording
