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

class DataSection {
  public:
    /// `damage` gets a sentence for each part that is lost.
    DataSection(BlockFile& file, std::vector<std::string>& damage) : file_(file), damage_(damage) {}

    /// Whether values and their validity lie in blocks of their own (4.2).
    bool isByColumn(uint64_t at);
    /// All pieces of the section that hangs on a link, in order, and then those of an LD list that tell which samples
    /// are invalid. `sampleBytes` and `invalidationBytes` turn an LD list's offsets, which are in samples, into bytes.
    void each(uint64_t at, uint64_t sampleBytes, const TakePiece& take, uint64_t invalidationBytes = 0,
              const TakePiece& takeInvalidation = {});

  private:
    struct Entry {
        uint64_t at = 0;
        std::optional<uint64_t> offset;  ///< in the section
    };
    struct Entries {
        std::vector<Entry> data, invalidation;
    };
    Entries entriesOf(uint64_t at, uint64_t sampleBytes, uint64_t invalidationBytes);
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
