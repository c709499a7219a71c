// Makes a channel's column from records: its field, its conversion, its texts, the samples that are invalid.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <unordered_map>

#include "core/recording/TextCodes.h"
#include "core/recording/mdf/Decoder.h"

namespace brusk::recording::mdf {

/// cn_type.
enum class ChannelType : uint8_t {
    Value = 0,
    VariableLength = 1,
    Master = 2,
    VirtualMaster = 3,
    Synchronization = 4,
    MaximumLength = 5,
    Virtual = 6
};

/// One channel of a file, and the column that is made of it.
class ColumnMaker {
  public:
    uint64_t block = 0;  ///< its CN block
    Channel channel;
    Numbers<float> values;  ///< of the channel, until finish()
    Numbers<double> exact;  ///< instead, where it mayBeWide()
    ChannelType type = ChannelType::Value;
    uint64_t sync = 0;  ///< of a master: 1 time, 2 angle, 3 distance, 4 index
    Field field;
    Conversion conversion;
    uint64_t dataLink = 0;                    ///< where its texts lie, or the channel that says how long they are
    std::optional<Field> length;              ///< of a text of varying length within its maximum
    std::optional<uint64_t> invalidationBit;  ///< in the bytes behind the data bytes
    bool alwaysInvalid = false;
    bool later = false;  ///< `channel` has its numbers when somebody asks; there is nothing to take

    bool isTimeMaster() const { return isMaster() && sync == 1; }
    bool isMaster() const { return type == ChannelType::Master || type == ChannelType::VirtualMaster; }
    bool isVirtual() const { return type == ChannelType::VirtualMaster || type == ChannelType::Virtual; }
    bool isVariable() const { return type == ChannelType::VariableLength; }
    /// Bytes that a record must have for it.
    uint64_t end() const;

    /// So many rows are to come.
    void expect(size_t rows) { mayBeWide() ? exact.reserve(rows) : values.reserve(rows); }
    /// So many rows are whole.
    void cutTo(size_t rows);
    /// So many rows are lost.
    void lose(size_t rows);
    /// Adds the records' values. `validAt`: where the invalidation bytes begin in a record that has them.
    void take(const Records& records, std::optional<uint64_t> validAt);
    /// Whether its numbers can be decoded in any order, from any thread.
    bool mayBeLater() const;
    /// Whether float32 could lose some of what it has.
    bool mayBeWide() const;
    /// Where bytes of records are: these records, from this byte on.
    struct Where {
        const Records& records;
        uint64_t byte;
    };
    /// Of mayBeLater(), a time master in s: the numbers of a field, NaN for invalid ones. `validity`: the byte that has
    /// the bit that says so, of a column with one.
    template <class Number>
    void decode(const Where& field, const Where& validity, Number* out) const;
    /// The times of a time master, in s.
    void takeTimes(const Records& records, Numbers<double>& time_s) const;
    /// Samples of which `invalid` says so, by row.
    void invalidate(size_t row);
    /// Now that all records came: the texts of varying length from where they lie.
    void resolveTexts(ByteSpan texts);
    /// Puts what was collected into `channel`, and what stands beside it (the texts of a channel of numbers).
    void finish(std::vector<std::string>& damage, size_t rows);
    std::optional<Channel> beside;
    Numbers<float> besideValues;  ///< of it

  private:
    /// What is counted has no bytes, whatever its type says.
    bool textual() const {
        return !isVirtual() && (field.isText() || isVariable() || type == ChannelType::MaximumLength);
    }
    void takeNumbers(const Records& records);
    void takeTexts(const Records& records);
    void put(const Physical& physical, double raw);

    std::vector<uint64_t> offsets_;  ///< of texts of varying length
    TextCodes codes_;
    std::unordered_map<float, std::string> states_;  ///< raw numbers that stay, and their texts
};

}  // namespace brusk::recording::mdf
