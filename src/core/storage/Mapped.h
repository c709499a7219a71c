// A file whose bytes lie in memory when somebody looks at them, not before.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/base/Bytes.h"

namespace brusk::storage {

/// The bytes of a file as they were when it was mapped, as long as this lives. A file that is cut short meanwhile, or
/// whose disk is pulled, reads as zeros from there on, and broken() says so: nothing dies of it.
class Mapped {
  public:
    virtual ~Mapped() = default;
    virtual ByteSpan bytes() const = 0;
    /// Something of it could not be read. Whoever looked at it asks afterwards, from any thread, and says kCutShort.
    virtual bool broken() const { return false; }
    static constexpr const char* kCutShort =
        "The file could not be read to its end: it was cut short, or its disk was taken away, after it was opened.";
    /// Bytes [from, from + count) will be read soon: without this, page by page.
    virtual void willNeed(size_t /*from*/, size_t /*count*/) const {}
};

/// Bytes in memory, as if they were a file's.
std::shared_ptr<const Mapped> mappedBytes(Bytes bytes);

}  // namespace brusk::storage
