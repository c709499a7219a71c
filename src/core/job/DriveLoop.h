// A drive while it is recorded: it samples where the controller answers, and waits where it does not.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>

#include "core/drive/NarrowbandCheck.h"
#include "core/job/Drive.h"
#include "core/recording/RecordingWriter.h"

namespace brusk::job {

/// What is asked at every row: guards, and whether an armed recording keeps it.
struct DriveWatch {
    drive::LiveLayout live;
    drive::GuardWatch guards;
    std::optional<drive::Trigger> trigger;
    drive::PreRoll before;
    std::optional<drive::NarrowbandCheck> narrowband;

    /// Refused where a guard or the condition can't be asked of what is recorded.
    [[nodiscard]] static Result<DriveWatch> compile(const recording::Recording& layout, const DriveOptions& options);
};

/// From the first row to the last, on the thread that samples.
///
/// 1. Once it has begun, nothing but its end (asked for, or waited for too long) closes the recording.
/// 2. Every stretch without rows is a gap with its cause, and a mark in the file.
/// 3. What arrived is handed to the writer before anything is asked of a link that may not answer.
class DriveLoop {
  public:
    DriveLoop(DriveSource& source, const recording::Recording& layout, DriveWatch watch, const DriveOptions& options,
              DriveOutcome& out);
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
    /// Whether nobody has looked for so long that the computer slept.
    bool slept() const;
    /// Asks again; whether the recording is to stay open.
    bool wait();
    void lost(const Error& error);
    void row(double time_s, std::span<const float> values);
    void external(size_t group, double time_s, std::span<const float> values);
    /// Appends a row of the controller's channels, and tells what is missing before it.
    void keep(double time_s, std::span<const float> values);
    /// Whether the row is one to keep; a stretch that begins has the rows from before it.
    bool armed(double time_s);
    void beginStretch(double time_s);
    void mark(double time_s, const char* kind, std::string text);
    void takeMarks();
    void watchLimpMode(double time_s);
    void watchSensors(double time_s);
    void askForCodes();
    void tellCodes(const std::vector<SeenCode>& codes);
    void keepLearned(double time_s);
    void account();
    void fail(const Error& error);
    double elapsed_s() const { return static_cast<double>(port_.now_us() - begun_us_) * 1e-6; }

    DriveSource& source_;
    link::CanPort& port_;
    const DriveOptions& options_;
    DriveOutcome& out_;
    bool learns_;
    size_t learnedGroup_;
    std::vector<size_t> widths_;  ///< of the groups' rows
    /// A group of its own clock beside the first.
    struct External {
        std::string name;
        double patience_s = 1;  ///< before its silence is told
        double heard_s = 0;     ///< when it spoke last
        bool silent = true;     ///< until it is heard, and once its silence was told
    };
    std::vector<External> externals_;
    std::optional<size_t> limpChannel_;  ///< of the live layout
    DriveWatch watch_;
    std::optional<recording::RecordingWriter> writer_;
    std::optional<Outage> outage_;
    std::optional<GapCause> ended_;  ///< of the outage that is over, until the next row tells how long it was
    LiveRow live_;
    int64_t begun_us_ = 0, looked_us_ = 0, dueAt_us_ = 0, codesAt_us_ = 0, lastLive_us_ = 0;
    double last_s_ = 0;  ///< of the newest row that is kept
    bool limp_ = false;
    std::optional<std::vector<SeenCode>> codes_;  ///< that the controller told last
};

}  // namespace brusk::job
