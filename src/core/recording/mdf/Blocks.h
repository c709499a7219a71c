// The blocks of an MDF 4 file: nothing is read beyond a block, no block twice, no claim believed.
// Layouts: ASAM MDF 4.1.1 and 4.2.0 base standard, chapter 6.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <bit>
#include <cstdint>
#include <string>
#include <string_view>
#include <unordered_set>
#include <vector>

#include "core/base/Bytes.h"

namespace brusk::recording::mdf {

/// Thrown inside the reader only.
struct BadMdf {
    std::string message;  ///< "At byte 812: ..."
    uint64_t at = 0;
};
/// A file that claims more than its bytes could hold: none of it can be trusted.
struct TooMuch : BadMdf {};
[[noreturn]] void bad(uint64_t at, const std::string& what);

/// One block: its links, and the data behind them.
struct Block {
    uint64_t at = 0;
    std::string_view id;
    std::vector<uint64_t> links;
    ByteView data{ByteSpan{}};
    bool cutOff = false;  ///< it claims more than the file has; data is what there is

    /// Of the data, little-endian; too short a block is bad.
    uint64_t number(uint64_t offset, size_t count) const;
    double real(uint64_t offset) const { return std::bit_cast<double>(number(offset, 8)); }
    uint64_t link(size_t i) const { return i < links.size() ? links[i] : 0; }
    /// All of the data.
    ByteSpan bytes() const { return *data.slice(0, data.size()); }
};

class BlockFile {
  public:
    /// Throws where it is no MDF 4 file.
    explicit BlockFile(ByteSpan file);

    bool unfinalised() const { return unfinalised_; }
    /// The length of the last data block was not written before the recording broke off.
    bool lastLengthUnknown() const { return lastLengthUnknown_; }
    size_t size() const { return file_.size(); }
    /// The block at `at`, which must be a `wanted` one. Texts and conversions may be shared; any other block is met
    /// once, or the links run in a circle.
    Block block(uint64_t at, std::string_view wanted);
    /// The same of a data block, which may be cut off at the end of the file.
    Block dataBlock(uint64_t at, std::string_view wanted);
    /// A data block that is looked at without being met.
    Block look(uint64_t at, std::string_view wanted) const { return blockAt(at, wanted, true); }
    /// The four letters that a block begins with.
    std::string idAt(uint64_t at) const;
    /// A link of the block at `at`, without meeting it; 0 where there is none.
    uint64_t linkOf(uint64_t at, size_t index) const { return file_.u64(at + 24 + 8 * index).value_or(0); }
    /// Of a TX or MD block; empty for link 0.
    std::string text(uint64_t at);
    /// The same; of an XML comment its plain text.
    std::string plainText(uint64_t at);

  private:
    Block read(uint64_t at, std::string_view wanted, bool mayBeCutOff);
    Block blockAt(uint64_t at, std::string_view wanted, bool mayBeCutOff) const;

    ByteView file_;
    std::unordered_set<uint64_t> met_;
    bool unfinalised_ = false;
    bool lastLengthUnknown_ = false;
};

/// What stands between two marks of an XML comment, its entities resolved; empty where they are not there.
std::string between(const std::string& xml, std::string_view open, std::string_view close);
/// The common property `name` of an XML comment.
std::string property(const std::string& xml, const std::string& name);
/// Four letters as they can be shown.
std::string printable(std::string_view text);

}  // namespace brusk::recording::mdf
