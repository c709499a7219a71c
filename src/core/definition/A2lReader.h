// Reads ASAM MCD-2 MC (A2L) definitions.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>
#include <vector>

#include "core/base/Result.h"
#include "core/definition/Definition.h"

namespace brusk::definition {

struct A2lContents {
    Definition definition;
    std::vector<Diagnostic> diagnostics;  ///< in order of lines
};

/// Reads what Brusk understands of an A2L text. A broken block costs that block; an error comes back only when there
/// is nothing usable (no module with a parameter or measurement).
[[nodiscard]] Result<A2lContents> readA2l(std::string_view text);

}  // namespace brusk::definition
