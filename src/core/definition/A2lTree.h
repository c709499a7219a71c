// The grammar layer of A2L: words, strings and /begin ... /end blocks, before anybody asks what they mean.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/definition/Definition.h"

namespace brusk::definition {

struct A2lBlock;

/// A word, a string, or a nested block, in the order of the file.
struct A2lItem {
    std::string text;
    int line = 0;
    bool quoted = false;
    std::unique_ptr<A2lBlock> block;  ///< set for a nested block; then text is its keyword
};

struct A2lBlock {
    std::string keyword;
    int line = 0;
    std::vector<A2lItem> items;
};

/// The file as one root block. Never fails: what can't be paired is said in `diagnostics` and costs its own block only.
A2lBlock parseA2lTree(std::string_view text, std::vector<Diagnostic>& diagnostics);

}  // namespace brusk::definition
