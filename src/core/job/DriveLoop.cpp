// Slices of time: sampled or waited through, then marks and what is due to the disk.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/DriveLoop.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <utility>

#include "core/evidence/Learned.h"

namespace brusk::job {
namespace {

constexpr int64_t kSlice_us = 20000;
constexpr int64_t kAskAgain_us = 250000;  // while the controller is silent
constexpr int64_t kLive_us = 1000000 / 30;
constexpr double kSilent_s = 1, kSilentPeriods = 5;  // whichever is longer

int64_t wall_us() {
    return std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now().time_since_epoch())
        .count();
}

const char* waitingSentence(GapCause cause) {
    return cause == GapCause::Cable
               ? "The link is gone: the cable, or the interface. The recording stays open and goes on when it is back."
               : "The controller says nothing: ignition off? The recording stays open and goes on when it answers.";
}

}  // namespace

Result<DriveWatch> DriveWatch::compile(const recording::Recording& layout, const DriveOptions& options) {
    const size_t groups = layout.groups.size() - (layout.groups.back().name == evidence::kLearnedGroup ? 1 : 0);
    drive::LiveLayout live(layout, groups);
    auto guards = drive::GuardWatch::compile(options.guards, live);
    if (!guards) return tl::unexpected(guards.error());
    std::optional<drive::Trigger> trigger;
    if (options.arm) {
        auto armed = drive::Trigger::compile(*options.arm, live);
        if (!armed) return failBecause("The recording can't be armed so.", armed.error());
        trigger.emplace(std::move(*armed));
    }
    drive::PreRoll before(layout, options.arm ? groups : 0, options.arm ? options.arm->before_s : 0);
    auto narrowband = drive::NarrowbandCheck::of(live);
    return DriveWatch{std::move(live), std::move(*guards), std::move(trigger), std::move(before),
                      std::move(narrowband)};
}

DriveLoop::DriveLoop(DriveSource& source, const recording::Recording& layout, DriveWatch watch,
                     const DriveOptions& options, DriveOutcome& out)
    : source_(source),
      port_(source.port()),
      options_(options),
      out_(out),
      learns_(layout.groups.back().name == evidence::kLearnedGroup),
      learnedGroup_(layout.groups.size() - 1),
      watch_(std::move(watch)) {
    for (const auto& group : layout.groups)
        widths_.push_back(group.channels.size());
    for (size_t g = 1; g < layout.groups.size() - (learns_ ? 1 : 0); ++g) {
        const double rate_hz = layout.groups[g].rate_hz;
        const double patience_s = rate_hz > 0 ? std::max(kSilent_s, kSilentPeriods / rate_hz) : kSilent_s;
        externals_.push_back({layout.groups[g].name, patience_s});
    }
    const auto& names = watch_.live.vocabulary().names;
    for (size_t i = 0; i < names.size(); ++i)
        if (names[i].role == "limp_mode") limpChannel_ = i;
}

void DriveLoop::run(std::unique_ptr<recording::Mdf4Writer> file) {
    writer_.emplace(std::move(file), widths_, options_.onTrouble);
    keepLearned(0);
    const bool sends = begin() && goOn();
    if (outage_ && last_s_ > 0 && elapsed_s() > last_s_)
        mark(last_s_, "gap", "ended so: " + gapSentence(elapsed_s() - last_s_, outage_->cause));
    // What came is safe before the controller is asked to stop, which can take its time.
    writer_->due();
    if (sends) {
        if (const Done done = source_.stop())
            keepLearned(last_s_);
        else
            fail(done.error());
    }
    account();
}

bool DriveLoop::begin() {
    if (const Done done = source_.start(); !done) {
        fail(done.error());
        return false;
    }
    begun_us_ = port_.now_us();
    dueAt_us_ = begun_us_ + options_.writeEvery_us;
    askForCodes();
    return true;
}

bool DriveLoop::goOn() {
    while (true) {
        if (const auto end = options_.ends(elapsed_s())) {
            out_.ended = *end;
            return !outage_;
        }
        if (!outage_)
            sample();
        else if (!wait())
            return false;
        takeMarks();
        if (!outage_ && port_.now_us() >= codesAt_us_) askForCodes();
        if (port_.now_us() < dueAt_us_) continue;
        dueAt_us_ = port_.now_us() + options_.writeEvery_us;
        writer_->due();
    }
}

bool DriveLoop::slept() const {
    return looked_us_ > 0 && port_.now_us() - looked_us_ > source_.longestPoll_us();
}

void DriveLoop::sample() {
    // What arrived meanwhile would be told at the wrong time: the controller is asked anew.
    if (slept()) return lost({ErrorCode::Timeout, "This computer slept."});
    looked_us_ = port_.now_us();
    const Done done =
        source_.poll(port_.now_us() + kSlice_us, [this](size_t group, double time_s, std::span<const float> values) {
            if (group == 0)
                row(time_s, values);
            else
                external(group, time_s, values);
        });
    if (!done) lost(done.error());
}

void DriveLoop::lost(const Error& error) {
    const GapCause cause = slept()                             ? GapCause::Asleep
                           : error.code == ErrorCode::LinkLost ? GapCause::Cable
                                                               : GapCause::Silent;
    outage_ = Outage{port_.now_us(), error, cause, 0};
    looked_us_ = 0;
    out_.longestAway_s = std::max(out_.longestAway_s, static_cast<double>(source_.longestAway_us()) * 1e-6);
    watch_.before.clear();
    writer_->due();
}

bool DriveLoop::wait() {
    Outage& outage = *outage_;
    if (static_cast<double>(port_.now_us() - outage.since_us) * 1e-6 >= options_.waitFor_s) {
        fail(outage.error);
        return false;
    }
    if (outage.attempts > 0) port_.wait(port_.now_us() + kAskAgain_us);
    const Done done = source_.start();
    ++outage.attempts;
    if (!done) {
        if (done.error().code == ErrorCode::LinkLost) outage.cause = GapCause::Cable;
        if (outage.attempts == 1 && options_.onWaiting) options_.onWaiting(waitingSentence(outage.cause));
        return true;
    }
    // One that answers the first question was there all the time: it had only stopped sending.
    if (outage.attempts == 1 && outage.cause == GapCause::Silent) outage.cause = GapCause::Stopped;
    ended_ = outage.cause;
    outage_.reset();
    for (External& sensor : externals_)
        sensor.heard_s = elapsed_s();  // whoever was heard before has as long again
    if (options_.onWaiting) options_.onWaiting({});
    return true;
}

void DriveLoop::row(double time_s, std::span<const float> values) {
    watch_.live.take(0, time_s, values);
    live_.kept = armed(time_s);
    if (live_.kept)
        keep(time_s, values);
    else
        watch_.before.push(0, time_s, values);
    watchLimpMode(time_s);
    watchSensors(time_s);
    if (watch_.narrowband)
        if (auto said = watch_.narrowband->step(time_s, watch_.live)) mark(time_s, "check", std::move(*said));
    watch_.guards.step(time_s, watch_.live, [&](const drive::Guard& guard) {
        if (live_.kept) mark(time_s, "guard", guard.sentence);
        if (options_.onTrip) options_.onTrip(guard);
    });
    if (options_.onRow) options_.onRow(time_s, watch_.live.values());
    if (!options_.onLive) return;
    const int64_t now = wall_us();
    if (options_.throttle && now - lastLive_us_ < kLive_us) return;
    lastLive_us_ = now;
    live_.time_s = time_s;
    live_.values.assign(watch_.live.values().begin(), watch_.live.values().end());
    live_.stretches = out_.stretches.size();
    options_.onLive(live_);
}

void DriveLoop::keep(double time_s, std::span<const float> values) {
    if (last_s_ > 0 && (ended_ || time_s - last_s_ > watch_.live.gap_s())) {
        const GapCause cause = ended_.value_or(GapCause::Frames);
        out_.gaps.push_back({last_s_, time_s, cause});
        mark(last_s_, "gap", gapSentence(time_s - last_s_, cause));
    }
    ended_.reset();
    writer_->append(0, time_s, values);
    last_s_ = time_s;
    if (!out_.stretches.empty()) out_.stretches.back().to_s = time_s;
}

bool DriveLoop::armed(double time_s) {
    if (!watch_.trigger) return true;
    const bool was = watch_.trigger->open();
    const bool is = watch_.trigger->step(time_s, watch_.live);
    if (is && !was) beginStretch(time_s);
    // What an outage left out between two stretches is missed by nobody.
    if (!is) ended_.reset();
    return is;
}

void DriveLoop::beginStretch(double time_s) {
    out_.stretches.push_back({time_s, time_s});
    last_s_ = 0;  // what lies between two stretches is no gap
    watch_.before.drain(0, time_s, [&](double at_s, std::span<const float> row) {
        if (last_s_ == 0) out_.stretches.back().from_s = at_s;
        keep(at_s, row);
    });
    for (size_t group = 1; group <= externals_.size(); ++group)
        watch_.before.drain(group, time_s,
                            [&](double at_s, std::span<const float> row) { writer_->append(group, at_s, row); });
    mark(time_s, "stretch", std::to_string(out_.stretches.size()) + ": " + options_.arm->condition);
}

void DriveLoop::external(size_t group, double time_s, std::span<const float> values) {
    External& sensor = externals_[group - 1];
    watch_.live.take(group, time_s, values);
    if (live_.kept)
        writer_->append(group, time_s, values);
    else
        watch_.before.push(group, time_s, values);
    sensor.heard_s = time_s;
    sensor.silent = false;
}

void DriveLoop::mark(double time_s, const char* kind, std::string text) {
    out_.marks.push_back({time_s, kind, std::move(text)});
    writer_->append(out_.marks.back());
    if (options_.onMark) options_.onMark(out_.marks.back());
}

void DriveLoop::takeMarks() {
    if (!options_.marks) return;
    for (std::string& text : options_.marks())
        mark(elapsed_s(), "mark", std::move(text));
}

void DriveLoop::watchLimpMode(double time_s) {
    const double now = limpChannel_ ? watch_.live.at(*limpChannel_, time_s) : std::nan("");
    if (std::isnan(now)) return;
    const bool is = now != 0;
    if (is && !limp_) mark(time_s, "limp", "limp mode");
    limp_ = is;
}

void DriveLoop::watchSensors(double time_s) {
    for (External& sensor : externals_) {
        if (sensor.silent || time_s - sensor.heard_s <= sensor.patience_s) continue;
        sensor.silent = true;
        mark(sensor.heard_s, "sensor", sensor.name + " says nothing");
    }
}

void DriveLoop::askForCodes() {
    codesAt_us_ = port_.now_us() + static_cast<int64_t>(options_.codesEvery_s * 1e6);
    // A link that does not take the question is noticed by what samples.
    (void)source_.askForCodes([this](const std::vector<SeenCode>& codes) { tellCodes(codes); });
}

void DriveLoop::tellCodes(const std::vector<SeenCode>& codes) {
    for (const SeenCode& code : codes)
        if (codes_ && std::find(codes_->begin(), codes_->end(), code) == codes_->end())
            mark(elapsed_s(), "code", code.name + (code.stored ? ", stored" : ", not yet stored"));
    codes_ = codes;
}

void DriveLoop::keepLearned(double time_s) {
    if (const auto row = learns_ ? source_.learned() : std::nullopt) writer_->append(learnedGroup_, time_s, *row);
}

void DriveLoop::fail(const Error& error) {
    if (!out_.problem) out_.problem = error;
    out_.ended = Ended::Link;
}

void DriveLoop::account() {
    const Done whole = writer_->finish();
    if (!whole) {
        out_.problem = whole.error();
        out_.ended = Ended::Disk;
    }
    for (const auto& gone : writer_->lost())
        out_.gaps.push_back({gone.from_s, gone.to_s, GapCause::Disk});
    // A gap is told when it is over; what was marked meanwhile came before.
    std::stable_sort(out_.marks.begin(), out_.marks.end(),
                     [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
    out_.longestAway_s = std::max(out_.longestAway_s, static_cast<double>(source_.longestAway_us()) * 1e-6);
    out_.last.assign(watch_.live.values().begin(), watch_.live.values().end());
    out_.entry.duration_s = whole ? last_s_ : writer_->kept_s();
    out_.entry.samples = static_cast<int64_t>(writer_->rows(0));
    out_.entry.gaps = static_cast<int>(out_.gaps.size());
    out_.entry.state = whole ? carfolder::RecordingState::Whole : carfolder::RecordingState::Recovered;
}

}  // namespace brusk::job
