// A drive while it is recorded: it samples where the controller answers, and waits where it does not.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>

#include "core/job/Drive.h"
#include "core/recording/RecordingWriter.h"

namespace brusk::job {

/// From the first row to the last, on the thread that samples.
///
/// 1. Once it has begun, nothing but its end (asked for, or waited for too long) closes the recording.
/// 2. Every stretch without rows is a gap with its cause, and a mark in the file.
/// 3. What arrived is handed to the writer before anything is asked of a link that may not answer.
class DriveLoop {
  public:
    DriveLoop(link::Uds& uds, DriveRecorder& recorder, const recording::Recording& layout, double rate_hz,
              const DriveOptions& options, DriveOutcome& out);
    void run(std::unique_ptr<recording::Mdf4Writer> file);

  private:
    /// Since when the controller is silent, and what is known of why.
    struct Outage {
        int64_t since_us = 0;
        Error error;
        GapCause cause = GapCause::Silent;
        int attempts = 0;
    };
    bool begin();
    /// Until somebody ends it; whether the controller still sends then.
    bool goOn();
    void sample();
    /// Asks again; whether the recording is to stay open.
    bool wait();
    void lost(const Error& error);
    void row(double time_s, const std::vector<float>& values);
    void external(double time_s, const std::vector<float>& values);
    void takeMarks();
    void keepLearned(double time_s);
    void account();
    void fail(const Error& error);
    double elapsed_s() const { return static_cast<double>(port_.now_us() - begun_us_) * 1e-6; }

    DriveRecorder& recorder_;
    link::CanPort& port_;
    const DriveOptions& options_;
    DriveOutcome& out_;
    bool learns_;
    size_t learnedGroup_, externals_ = 0;
    double gap_s_;
    std::optional<recording::RecordingWriter> writer_;
    std::optional<Outage> outage_;
    std::optional<GapCause> ended_;  ///< of the outage that is over, until the next row tells how long it was
    LiveRow live_;
    int64_t begun_us_ = 0, dueAt_us_ = 0, lastLive_us_ = 0;
    double last_s_ = 0;
};

}  // namespace brusk::job
