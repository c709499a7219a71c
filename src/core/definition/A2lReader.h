// Reads ASAM MCD-2 MC (A2L) definitions.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/definition/A2lText.h"
#include "core/definition/Definition.h"

namespace brusk::definition {

struct A2lContents {
    Definition definition;
    std::vector<Diagnostic> diagnostics;  ///< in order of lines
};

/// Reads what Brusk understands of an A2L text of versions 1.6 and 1.7, in one pass. A broken block costs that block;
/// an error comes back only when there is nothing usable (no module with a parameter or measurement). `include` gives
/// the texts of included files; without it they are missing, and said. The definition keeps the text, for writing.
[[nodiscard]] Result<A2lContents> readA2l(std::string text, const IncludeReader& include = {});

}  // namespace brusk::definition
