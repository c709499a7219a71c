// The operating system's side of a mapped file; for RealFileSystem alone.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/storage/Mapped.h"

namespace brusk::storage {

/// The first `size` bytes of an open file, which may be closed afterwards; null where it can't be mapped, or too many
/// are.
std::shared_ptr<const Mapped> mapFile(int descriptor, size_t size);

}  // namespace brusk::storage
