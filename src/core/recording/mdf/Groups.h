// Channel groups: what a record holds, records from a data section, sorted or not, and the columns they become.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/recording/mdf/Columns.h"
#include "core/recording/mdf/Data.h"
#include "core/storage/Mapped.h"

namespace brusk::recording::mdf {

/// One channel group while its records come.
struct ChannelGroup {
    uint64_t at = 0;
    uint64_t recordId = 0;
    uint64_t claimedRows = 0;
    uint64_t dataBytes = 0, invalidationBytes = 0;
    uint64_t masterGroup = 0;  ///< block of the group that has the clock; 0: this one
    bool byColumn = false;     ///< what is invalid lies apart from the records
    bool isTexts = false;      ///< it holds the texts of another group's channel
    Group group;
    Numbers<double> time_s;  ///< of the group, until it is finished
    std::vector<ColumnMaker> columns;
    bool later = false;  ///< its clock is decoded when somebody asks
    Bytes texts;         ///< of isTexts
    Bytes pending;       ///< records that are not yet in the columns
    uint64_t rows = 0;
    uint64_t fileRow = 0;  ///< as rows, those that are lost counted too

    uint64_t recordBytes() const { return dataBytes + (byColumn ? 0 : invalidationBytes); }
};

/// What is left in the file until somebody asks.
struct Later {
    std::shared_ptr<const storage::Mapped> file = {};  ///< null: nothing is, all is decoded at once
    uint64_t from_bytes = 0;                           ///< of a group's data
    std::shared_ptr<LateDamage> damage = {};
};

class GroupReader {
  public:
    GroupReader(BlockFile& file, std::vector<std::string>& damage, const Later& later)
        : file_(file), damage_(damage), later_(later), section_(file, damage) {}

    /// The groups of a data group block that hold something.
    std::vector<ChannelGroup> read(const Block& dg);

  private:
    ChannelGroup groupOf(const Block& cg);
    void channelsOf(uint64_t at, ChannelGroup& group, int depth);
    void channelOf(const Block& cn, ChannelGroup& group, int depth);
    void arrayOf(const Block& ca, const ColumnMaker& first, uint64_t conversion, ChannelGroup& group);
    void add(ColumnMaker column, ChannelGroup& group);
    void makeRoom(ChannelGroup& group);
    void skipTo(uint64_t fileRow, ChannelGroup& group);
    void sorted(uint64_t data, ChannelGroup& group);
    /// Leaves in the file what can be decoded later of a large group without damage.
    void leave(const DataSection::Entries& entries, ChannelGroup& group);
    /// What is decoded at once is read from end to end: the disk is told.
    void fetchAll() const {
        if (later_.file) later_.file->willNeed(0, file_.size());
    }
    void unsorted(uint64_t data, size_t idBytes, std::vector<ChannelGroup>& groups);
    enum class Took { Record, Incomplete, Unknown };
    /// Takes the record or text at the front of `bytes`.
    static Took takeRecord(ByteSpan& bytes, size_t idBytes, std::vector<ChannelGroup>& groups, ChannelGroup*& owner);
    /// Adds whole records to the columns.
    void decode(ChannelGroup& group, ByteSpan records);
    void decodeRows(ChannelGroup& group, const uint8_t* first, uint64_t count);
    void textsFor(ChannelGroup& group, const std::vector<ChannelGroup>& all);
    void count(ChannelGroup& group, uint64_t data);
    void finish(ChannelGroup& group);
    void afford(uint64_t values, uint64_t bytes, uint64_t at);

    BlockFile& file_;
    std::vector<std::string>& damage_;
    const Later& later_;
    DataSection section_;
    uint64_t values_ = 0, bytes_ = 0;
};

}  // namespace brusk::recording::mdf
