// Hands rows from the sampling thread to the system, and sees to it that the disk gets them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/RecordingWriter.h"

namespace brusk::recording {

void RecordingWriter::Rows::clear() {
    time_s.clear();
    values.clear();
    ends.clear();
}

RecordingWriter::RecordingWriter(std::unique_ptr<Mdf4Writer> file, size_t groups,
                                 std::function<void(const std::string&)> tell)
    : file_(std::move(file)), tell_(std::move(tell)), coming_(groups), taken_(groups) {
    writing_ = std::thread([this] { writeAsItComes(); });
    syncing_ = std::thread([this] { waitForTheDisk(); });
}

RecordingWriter::~RecordingWriter() {
    stop();
}

void RecordingWriter::append(size_t group, double time_s, std::span<const float> values) {
    const std::lock_guard lock(mutex_);
    Rows& rows = coming_[group];
    rows.time_s.push_back(time_s);
    rows.values.insert(rows.values.end(), values.begin(), values.end());
    rows.ends.push_back(rows.values.size());
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
    for (size_t group = 0; group < taken_.size(); ++group) {
        const Rows& rows = taken_[group];
        size_t begin = 0;
        for (size_t i = 0; i < rows.time_s.size(); ++i) {
            file_->append(group, rows.time_s[i], std::span(rows.values).subspan(begin, rows.ends[i] - begin));
            begin = rows.ends[i];
        }
        if (group == 0 && !rows.time_s.empty()) newest_s_ = rows.time_s.back();
        taken_[group].clear();
    }
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
            coming_.swap(taken_);
            comingMarks_.swap(takenMarks_);
            onDisk.swap(toCount_);
        }
        takeOver();
        Done done = file_->write();
        if (done && onDisk) done = file_->count(*onDisk);
        written(done);
        {
            const std::lock_guard lock(mutex_);
            toSync_ = file_->written();
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
    taken_.swap(coming_);
    takenMarks_.swap(comingMarks_);
    takeOver();
    Done done = file_->finish();
    if (done) {
        kept_s_ = newest_s_;
    } else {
        lost_.push_back({kept_s_, newest_s_});
    }
    return done;
}

}  // namespace brusk::recording
