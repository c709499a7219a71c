// One stretch of memory over a link that loses frames: resent, counted, timed.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Stretch.h"

#include <algorithm>

#include "core/base/Text.h"

namespace brusk::link {

namespace {
constexpr int kTriesWithoutProgress = 8;  // Of the smallest blocks; then the link is as good as gone.
constexpr int kRowToGrow = 8;
constexpr int64_t kPoll_us = 200000;
}  // namespace

bool worthRetrying(const Error& error) {
    return error.code == ErrorCode::Timeout || error.code == ErrorCode::BadInput || error.code == ErrorCode::Refused;
}

Reporter::Reporter(Uds& uds, uint64_t total, const OnProgress& onProgress)
    : uds_(uds), onProgress_(onProgress), begun_us_(uds.port().now_us()), repeatsBefore_(uds.repeats()) {
    progress_.total = total;
    progress_.step = "Opening a session";
    uds_.setGoOn([this] { return tell(); });
}

Reporter::~Reporter() {
    uds_.setGoOn({});
}

bool Reporter::tell() {
    progress_.elapsed_us = elapsed_us();
    progress_.retries = retries();
    return !onProgress_ || onProgress_(progress_);
}

void Reporter::step(std::string text, std::optional<image::Sector> sector) {
    progress_.step = std::move(text);
    progress_.sector = sector;
}

Done Reporter::advance(uint64_t bytes) {
    progress_.done += bytes;
    if (!tell()) return fail(ErrorCode::Cancelled, "Stopped as you asked.");
    return {};
}

Done Reporter::awaitIgnition(double off_s) {
    if (off_s <= 0) return {};
    CanPort& port = uds_.port();
    const int64_t waitBegun_us = port.now_us();
    progress_.waitsForPerson = true;
    // A controller without ignition does not answer; its silence is what is waited for.
    step("Switch the ignition off");
    int64_t silentSince_us = -1;
    const auto ask = [&] { return uds_.request(Bytes{0x3E, 0x00}, 1); };
    while (silentSince_us < 0 || port.now_us() - silentSince_us < static_cast<int64_t>(off_s * 1e6)) {
        if (auto done = advance(0); !done) return done;
        const int64_t asked_us = port.now_us();
        const auto answer = ask();
        if (!answer && answer.error().code != ErrorCode::Timeout && answer.error().code != ErrorCode::Refused)
            return tl::unexpected(answer.error());
        const bool silent = !answer && answer.error().code == ErrorCode::Timeout;
        if (silent && silentSince_us < 0) {
            silentSince_us = asked_us;
            step("Leave the ignition off for " + formatNumber(off_s, 0) + " s");
        }
        if (!silent) {
            silentSince_us = -1;
            step("Switch the ignition off");
            for (const int64_t until = port.now_us() + kPoll_us; port.now_us() < until;)
                if (auto frame = port.receive(until); !frame) return tl::unexpected(frame.error());
        }
    }
    step("Switch the ignition on");
    while (true) {
        if (auto done = advance(0); !done) return done;
        const auto answer = ask();
        if (answer || answer.error().code == ErrorCode::Refused) break;
        if (answer.error().code != ErrorCode::Timeout) return tl::unexpected(answer.error());
    }
    progress_.waitsForPerson = false;
    begun_us_ += port.now_us() - waitBegun_us;
    return {};
}

void BlockSize::cameThrough() {
    if (now_ == most_ || ++inARow_ < kRowToGrow) return;
    now_ = std::min(most_, now_ * 2);
    inARow_ = 0;
}

/// One transfer from `start` on; `start` moves with every block that arrived.
Done StretchReader::upload(uint32_t& start, uint32_t end, const Take& take) {
    // A controller fills its blocks as far as it can: a smaller one is asked for by a smaller stretch.
    const bool whole = !block_ || block_->now() == block_->most();
    const uint32_t length = whole ? end - start : std::min<uint32_t>(end - start, static_cast<uint32_t>(block_->now()));
    const auto block = uds_.requestUpload(start, length);
    if (!block) return tl::unexpected(block.error());
    if (!block_) block_.emplace(*block), largest_ = *block;
    const uint32_t stop = start + length;
    for (uint8_t counter = 1; start < stop; ++counter) {
        const auto part = uds_.receiveBlock(counter);
        if (!part) return tl::unexpected(part.error());
        if (part->empty() || part->size() > stop - start)
            return fail(ErrorCode::BadInput, "The controller sent a block of " + std::to_string(part->size()) +
                                                 " bytes at " + hexAddress(start) + ".");
        if (auto done = take(start, *part); !done) return done;
        start += static_cast<uint32_t>(part->size());
        block_->cameThrough();
        if (auto done = reporter_.advance(part->size()); !done) return done;
    }
    return uds_.exitTransfer();
}

Done StretchReader::read(uint32_t start, uint32_t length, const Take& take) {
    const uint32_t end = start + length;
    for (int failures = 0; start < end;) {
        const uint32_t before = start;
        auto done = upload(start, end, take);
        if (done) continue;
        // A transfer that may still be open is ended; a refusal only says that there is none.
        if (done.error().code != ErrorCode::LinkLost) (void)uds_.exitTransfer();
        const bool hopeless = !block_ || block_->smallest();
        failures = start > before || !hopeless ? 1 : failures + 1;
        if (!worthRetrying(done.error()) || failures >= kTriesWithoutProgress) return done;
        if (block_) block_->failed();
        reporter_.retry();
        // A controller that fell back to its default session in the meantime opens again.
        if (done.error().code == ErrorCode::Refused)
            if (auto open = openForTransfer(uds_, programming_); !open && !worthRetrying(open.error())) return open;
    }
    return {};
}

}  // namespace brusk::link
