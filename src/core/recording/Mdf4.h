// ASAM MDF 4.1: writing while the recording grows, and reading.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <span>

#include "core/base/Result.h"
#include "core/recording/Recording.h"
#include "core/storage/FileSystem.h"

namespace brusk::recording {

/// How a file is written.
struct Mdf4Options {
    bool packed = false;  ///< deflated, in transposed blocks
};

/// Writes a sorted MDF 4.10 file: one data group per rate, time in seconds as float64, channels as float32 or, where
/// their column is wide, as float64 (states with a table of texts), marks as events.
///
/// 1. What write() has written is found by a reader though the program dies: the block lies there before the link to
/// it.
/// 2. The sample count names only rows that sync() saw on the disk. After a power loss a reader trusts those, and looks
///    at the rows beyond them before it takes them.
/// 3. Until finish() the file is marked unfinalised, as the standard asks.
/// 4. What a failing disk did not take stays pending: the next write has it.
class Mdf4Writer {
  public:
    /// Creates the file and its headers. The groups' samples are ignored, and so are marks; their channels are what
    /// will be written. A group that tells no time is written without one.
    [[nodiscard]] static Result<std::unique_ptr<Mdf4Writer>> create(storage::FileSystem& files,
                                                                    const storage::Path& path, const Recording& layout,
                                                                    const Mdf4Options& options = {});

    /// Adds one row to a group; kept in memory until write().
    void append(size_t group, double time_s, std::span<const float> values);
    void append(size_t group, double time_s, std::span<const double> values);
    /// Adds a mark; kept in memory until write().
    void append(const Mark& mark) { pendingMarks_.push_back(mark); }
    /// Hands what was appended to the system, without waiting for the disk.
    [[nodiscard]] Done write();
    /// Returns when what was written before it was called is on the disk. The only call that another thread may make
    /// meanwhile.
    [[nodiscard]] Done sync() { return file_->sync(); }
    /// Rows of each group that are written.
    std::vector<uint64_t> written() const;
    /// Says in the file that so many rows of each group are on the disk.
    [[nodiscard]] Done count(const std::vector<uint64_t>& rows);
    /// Writes, waits for the disk and counts.
    [[nodiscard]] Done flush();
    /// Gives up what is pending: a gap in the recording.
    void forgetPending();
    uint64_t pendingBytes() const;
    /// Flushes and marks the file finalised.
    [[nodiscard]] Done finish();
    uint64_t rows(size_t group) const { return groups_[group].rows + groups_[group].pendingRows; }
    uint64_t bytesWritten() const { return file_->size(); }

  private:
    struct OpenGroup {
        std::vector<bool> wide;  ///< of each channel: float64, not float32
        bool timed = true;
        bool begun = false;        ///< its list of data is there
        uint64_t countAt = 0;      ///< where the channel group's cycle count lies
        uint64_t linkAt = 0;       ///< the link that the next data list is hung on
        uint64_t rows = 0;         ///< written
        uint64_t countedRows = 0;  ///< what the cycle count in the file says
        uint64_t pendingRows = 0;
        Bytes pending;

        uint64_t bytesOf(size_t channel) const { return wide[channel] ? 8 : 4; }
        uint64_t rowBytes() const {
            uint64_t out = timed ? 8 : 0;
            for (size_t i = 0; i < wide.size(); ++i)
                out += bytesOf(i);
            return out;
        }
    };
    explicit Mdf4Writer(std::unique_ptr<storage::GrowingFile> file) : file_(std::move(file)) {}
    template <class Number>
    void appendRow(OpenGroup& group, double time_s, std::span<const Number> values);
    Done writeRows(OpenGroup& group);
    Done writeMarks();

    std::unique_ptr<storage::GrowingFile> file_;
    std::vector<OpenGroup> groups_;
    std::vector<Mark> pendingMarks_;
    uint64_t markLinkAt_ = 0;  ///< the link that the next event is hung on
    bool packed_ = false;
};

/// Reads MDF 4.00 to 4.20: sorted or not, every way of laying data down (packed, column by column), all data types and
/// conversions, masters of all kinds. Texts become states. Of a damaged file what is whole is given and what is lost is
/// said, with its place (Recording::damage); without anything that is whole it is an error. Of an unfinalised file,
/// rows beyond its count are given as long as their clock runs.
[[nodiscard]] Result<Recording> readMdf4(ByteSpan file);

/// The same of a file that is mapped: the numbers of large groups stay there until somebody asks for a column, so that
/// a file opens in the time of its head. Of such a group, what is damaged inside reads as NaN, and so does a row whose
/// time goes back; Recording::late says it. `laterFrom_bytes`: of a group's records.
[[nodiscard]] Result<Recording> openMdf4(const std::shared_ptr<const storage::Mapped>& file,
                                         uint64_t laterFrom_bytes = uint64_t{16} << 20);

/// The whole recording as one MDF 4.10 file, which must not be there yet; on failure nothing is left.
[[nodiscard]] Done saveMdf4(storage::FileSystem& files, const storage::Path& path, const Recording& recording,
                            const Mdf4Options& options = {});

}  // namespace brusk::recording
