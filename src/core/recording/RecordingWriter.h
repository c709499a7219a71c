// The recording that grows, on threads of its own.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <condition_variable>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <thread>
#include <vector>

#include "core/recording/Mdf4.h"
#include "core/recording/RowQueue.h"

namespace brusk::recording {

/// Takes rows from the thread that samples and writes them as they come.
///
/// 1. append() of a row copies it into a queue, without a lock; a mark, or that something is due, takes one that is
/// held
///    no longer than it takes to hand over what was marked. Neither waits for the disk.
/// 2. What is due is handed to the system at once, so that it outlives the program; a second thread waits for the disk
///    meanwhile, so that it outlives the power. A busy disk delays only that.
/// 3. While the disk takes nothing, rows are kept in memory, up to kMostPending_bytes, while a write does not come back
///    up to kMostQueued_bytes; then they are given up, and the recording has a gap.
class RecordingWriter {
  public:
    static constexpr uint64_t kMostPending_bytes = uint64_t{64} << 20;
    static constexpr uint64_t kMostQueued_bytes = 2 * kMostPending_bytes;

    /// Rows that were given up, by the time of the last before and the last of them.
    struct Lost {
        double from_s = 0;
        double to_s = 0;
    };
    /// `tell` gets a sentence when the disk takes nothing and when it takes it again; called on the writing threads,
    /// one at a time.
    /// `widths`: how many channels each group has.
    RecordingWriter(std::unique_ptr<Mdf4Writer> file, std::vector<size_t> widths,
                    std::function<void(const std::string&)> tell);
    ~RecordingWriter();
    RecordingWriter(const RecordingWriter&) = delete;
    RecordingWriter& operator=(const RecordingWriter&) = delete;

    void append(size_t group, double time_s, std::span<const float> values);
    void append(Mark mark);
    /// What came is to be written now.
    void due();
    /// Writes what is left, waits for the disk, marks the file finalised. No rows may come after it.
    [[nodiscard]] Done finish();

    /// After finish(): rows of a group that the file has, the time of group 0's newest row that the file has, what was
    /// given up.
    uint64_t rows(size_t group) const { return file_->written()[group]; }
    double kept_s() const { return kept_s_; }
    const std::vector<Lost>& lost() const { return lost_; }

  private:
    void giveUp(double time_s);
    void writeAsItComes();
    void waitForTheDisk();
    void takeOver();
    void written(const Done& done);
    void tellOnce(bool& failing, const Done& done);
    void stop();

    std::unique_ptr<Mdf4Writer> file_;
    std::function<void(const std::string&)> tell_;

    RowQueue queue_;
    // Of the thread that samples: the newest row that the queue took, and what it had no room for since.
    double pushed_s_ = 0;
    std::optional<Lost> missed_;

    std::mutex telling_;
    std::mutex mutex_;  // guards what follows, up to the empty line
    std::condition_variable wake_;
    std::vector<Mark> comingMarks_;
    std::vector<Lost> comingLost_;
    bool due_ = false;
    bool stopping_ = false;
    std::optional<std::vector<uint64_t>> toSync_;   ///< rows that the system has and the disk perhaps not
    std::optional<std::vector<uint64_t>> toCount_;  ///< rows that the disk has

    // Of the writing thread; after finish() of whoever asks.
    std::vector<Mark> takenMarks_;
    double newest_s_ = 0, kept_s_ = 0;
    std::vector<Lost> lost_;
    bool writeFails_ = false;
    bool syncFails_ = false;  ///< of the thread that waits for the disk

    std::thread writing_, syncing_;
};

}  // namespace brusk::recording
