// The data sections of an MDF 4 file: DT, DV, DI, SD blocks, lists of them (DL, LD, HL), packed ones (DZ). Piece by
// piece, so that no more than one packed block lies unpacked in memory.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>

#include "core/recording/mdf/Blocks.h"

namespace brusk::recording::mdf {

/// Takes the next piece. `jumped`: what came between it and the piece before is lost, and this piece begins at `offset`
/// of the section.
using TakePiece = std::function<void(ByteSpan piece, bool jumped, uint64_t offset)>;

/// One block of a section that is whole: where its bytes lie, and what they are of the section.
struct DataPiece {
    uint64_t block = 0;   ///< where it begins in the file, for sentences
    uint64_t at = 0;      ///< of its bytes in the file
    uint64_t stored = 0;  ///< how many they are
    uint64_t offset = 0;  ///< in the section
    uint64_t length = 0;  ///< in the section, that is: unpacked
    bool packed = false;
    uint64_t width = 0;  ///< of rows that were packed column by column; 0: as they are
};
/// A packed piece's bytes, columns still one behind the other where it has a width; fewer, and a sentence, where they
/// are damaged.
Bytes unpackedPiece(const DataPiece& piece, ByteSpan stored, std::string& damage);
/// Columns of `width` bytes back to rows; what is left over at the end was not turned.
Bytes turnedBack(const Bytes& columns, uint64_t width);

class DataSection {
  public:
    struct Entry {
        uint64_t at = 0;
        std::optional<uint64_t> offset;  ///< in the section
    };
    struct Entries {
        std::vector<Entry> data, invalidation;
    };

    /// `damage` gets a sentence for each part that is lost.
    DataSection(BlockFile& file, std::vector<std::string>& damage) : file_(file), damage_(damage) {}

    /// Whether values and their validity lie in blocks of their own (4.2).
    bool isByColumn(uint64_t at);
    /// The blocks of the section that hangs on a link, each met once. `sampleBytes` and `invalidationBytes` turn an LD
    /// list's offsets, which are in samples, into bytes.
    Entries entries(uint64_t at, uint64_t sampleBytes, uint64_t invalidationBytes = 0);
    /// Hands out all pieces, in order, and then those of an LD list that tell which samples are invalid.
    void each(const Entries& entries, const TakePiece& take, const TakePiece& takeInvalidation = {});
    /// The same for a section that nobody has looked at.
    void each(uint64_t at, const TakePiece& take) { each(entries(at, 1), take); }
    /// Where everything lies, without a look at the data; nothing where a block is missing, cut off or odd.
    std::optional<std::vector<DataPiece>> wholePieces(const Entries& entries) const;

  private:
    void listOf(const Block& list, std::vector<Entry>& out) const;
    static void newListOf(const Block& list, size_t first, uint64_t sampleBytes, std::vector<Entry>& out);
    void run(const std::vector<Entry>& entries, const TakePiece& take);
    /// Hands out one block; false where a part of it is lost. `held`: its bytes.
    bool give(uint64_t at, bool jumped, uint64_t offset, const TakePiece& take, uint64_t& held);
    Bytes unpacked(const Block& dz, bool& whole);

    BlockFile& file_;
    std::vector<std::string>& damage_;
    uint64_t unpackedSoFar_ = 0;
};

}  // namespace brusk::recording::mdf
