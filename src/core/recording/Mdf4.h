// ASAM MDF 4.1: writing while the recording grows, and reading.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <span>

#include "core/base/Result.h"
#include "core/recording/Recording.h"
#include "core/storage/FileSystem.h"

namespace brusk::recording {

/// Writes a sorted MDF 4.10 file: one data group per rate, time in seconds as float64, channels as float32.
/// The file is complete after every flush(): samples lie in data blocks that are linked only once they are written, and
/// the sample count is patched last. Until finish() it is marked unfinalised, as the standard asks.
class Mdf4Writer {
  public:
    /// Creates the file and its headers. The groups' samples are ignored; their channels are what will be written.
    [[nodiscard]] static Result<std::unique_ptr<Mdf4Writer>> create(storage::FileSystem& files,
                                                                    const storage::Path& path, const Recording& layout);

    /// Adds one row to a group; kept in memory until flush().
    void append(size_t group, double time_s, std::span<const float> values);
    /// Writes what was appended and waits for the disk. What could not be written stays pending: a later flush has it.
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
        size_t channels = 0;
        uint64_t countAt = 0;      ///< where the channel group's cycle count lies
        uint64_t linkAt = 0;       ///< the link that the next data list is hung on
        uint64_t rows = 0;         ///< on the disk
        uint64_t countedRows = 0;  ///< what the cycle count on the disk says
        uint64_t pendingRows = 0;
        Bytes pending;
    };
    explicit Mdf4Writer(std::unique_ptr<storage::GrowingFile> file) : file_(std::move(file)) {}

    std::unique_ptr<storage::GrowingFile> file_;
    std::vector<OpenGroup> groups_;
};

/// Reads sorted MDF 4 files, damaged ones up to the damage (Recording::damage): byte-aligned integers and floats of
/// both byte orders, linear conversions, plain data blocks and data lists. What else a file holds is refused with a
/// sentence.
[[nodiscard]] Result<Recording> readMdf4(ByteSpan file);

/// The whole recording as one MDF 4.10 file.
[[nodiscard]] Done saveMdf4(storage::FileSystem& files, const storage::Path& path, const Recording& recording);

}  // namespace brusk::recording
