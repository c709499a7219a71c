// Several files as one ZIP file (ISO/IEC 21320-1), each with its SHA-256: any program can open it, and a damaged place
// costs the piece it lies in.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "core/base/Bytes.h"
#include "core/base/Result.h"

struct archive;

namespace brusk::deliver {

struct Piece {
    std::string name;  ///< with '/' between folders; never absolute, never upwards
    Bytes bytes;
};

/// Packs pieces one after the other; what is packed goes to `out` as it comes.
class PieceWriter {
  public:
    using Out = std::function<Done(ByteSpan)>;
    explicit PieceWriter(Out out);
    ~PieceWriter();
    PieceWriter(const PieceWriter&) = delete;
    PieceWriter& operator=(const PieceWriter&) = delete;

    [[nodiscard]] Done add(const std::string& name, ByteSpan bytes);
    /// Writes the list of all SHA-256 and the end. Nothing may be added after it.
    [[nodiscard]] Done finish();

  private:
    Done problem(const char* what);

    Out out_;
    Error failed_;
    bool hasFailed_ = false;
    std::string shas_;
    struct Closer {
        void operator()(archive* a) const;
    };
    std::unique_ptr<archive, Closer> archive_;
};

[[nodiscard]] Result<Bytes> packed(const std::vector<Piece>& pieces);

/// What unpacking found.
struct Unpacked {
    std::vector<std::string> damaged;  ///< names of pieces that are not as they were packed, or lack
    bool listed = true;                ///< false: the list of SHA-256 was lost; the file's own CRCs were all there was
};
/// Hands each whole piece to `take` as it comes; a failure of `take` ends it. BadInput when it is no such file, or a
/// name leads out of it.
[[nodiscard]] Result<Unpacked> unpack(ByteSpan file, const std::function<Done(Piece&&)>& take);

}  // namespace brusk::deliver
