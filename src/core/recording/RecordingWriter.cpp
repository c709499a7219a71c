// Hands rows from the sampling thread to the system, and sees to it that the disk gets them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/RecordingWriter.h"

#include <utility>

namespace brusk::recording {

RecordingWriter::RecordingWriter(std::unique_ptr<Mdf4Writer> file, std::vector<size_t> widths,
                                 std::function<void(const std::string&)> tell)
    : file_(std::move(file)), tell_(std::move(tell)), queue_(std::move(widths), kMostQueued_bytes / RowQueue::kBytes) {
    writing_ = std::thread([this] { writeAsItComes(); });
    syncing_ = std::thread([this] { waitForTheDisk(); });
}

RecordingWriter::~RecordingWriter() {
    stop();
}

void RecordingWriter::append(size_t group, double time_s, std::span<const float> values) {
    if (!queue_.push(group, time_s, values)) return giveUp(time_s);
    if (group != 0) return;
    if (!missed_) return void(pushed_s_ = time_s);
    missed_->to_s = time_s;
    const std::lock_guard lock(mutex_);
    comingLost_.push_back(*std::exchange(missed_, std::nullopt));
}

void RecordingWriter::giveUp(double time_s) {
    if (!missed_) missed_ = Lost{pushed_s_, time_s};
    missed_->to_s = time_s;
}

void RecordingWriter::append(Mark mark) {
    const std::lock_guard lock(mutex_);
    comingMarks_.push_back(std::move(mark));
}

void RecordingWriter::due() {
    {
        const std::lock_guard lock(mutex_);
        due_ = true;
    }
    wake_.notify_all();
}

void RecordingWriter::takeOver() {
    queue_.take([this](size_t group, double time_s, std::span<const float> values) {
        file_->append(group, time_s, values);
        if (group == 0) newest_s_ = time_s;
    });
    for (const Mark& mark : takenMarks_)
        file_->append(mark);
    takenMarks_.clear();
}

void RecordingWriter::tellOnce(bool& failing, const Done& done) {
    if (failing == !done.has_value()) return;
    failing = !done;
    const std::lock_guard lock(telling_);
    if (tell_)
        tell_(done ? "The disk takes the recording again."
                   : "The recording is not on the disk: " + done.error().text());
}

void RecordingWriter::written(const Done& done) {
    tellOnce(writeFails_, done);
    if (done) {
        kept_s_ = newest_s_;
    } else if (file_->pendingBytes() > kMostPending_bytes) {
        file_->forgetPending();
        lost_.push_back({kept_s_, newest_s_});
        kept_s_ = newest_s_;
    }
}

void RecordingWriter::writeAsItComes() {
    while (true) {
        std::optional<std::vector<uint64_t>> onDisk;
        {
            std::unique_lock lock(mutex_);
            wake_.wait(lock, [&] { return due_ || stopping_; });
            if (stopping_) return;
            due_ = false;
            comingMarks_.swap(takenMarks_);
            lost_.insert(lost_.end(), comingLost_.begin(), comingLost_.end());
            comingLost_.clear();
            onDisk.swap(toCount_);
        }
        takeOver();
        Done done = file_->write();
        if (done && onDisk) done = file_->count(*onDisk);
        written(done);
        std::optional<std::vector<uint64_t>> toSync = file_->written();
        {
            const std::lock_guard lock(mutex_);
            toSync_.swap(toSync);
        }
        wake_.notify_all();
    }
}

void RecordingWriter::waitForTheDisk() {
    while (true) {
        std::vector<uint64_t> rows;
        {
            std::unique_lock lock(mutex_);
            wake_.wait(lock, [&] { return toSync_ || stopping_; });
            if (stopping_) return;
            rows = std::move(*toSync_);
            toSync_.reset();
        }
        const Done done = file_->sync();
        tellOnce(syncFails_, done);
        if (!done) continue;
        const std::lock_guard lock(mutex_);
        toCount_ = std::move(rows);
    }
}

void RecordingWriter::stop() {
    {
        const std::lock_guard lock(mutex_);
        stopping_ = true;
    }
    wake_.notify_all();
    for (std::thread* thread : {&writing_, &syncing_})
        if (thread->joinable()) thread->join();
}

Done RecordingWriter::finish() {
    stop();
    takenMarks_.swap(comingMarks_);
    takeOver();
    lost_.insert(lost_.end(), comingLost_.begin(), comingLost_.end());
    if (missed_) lost_.push_back(*missed_);
    Done done = file_->finish();
    if (done) {
        kept_s_ = newest_s_;
    } else {
        lost_.push_back({kept_s_, newest_s_});
    }
    return done;
}

}  // namespace brusk::recording
