// Stretches of memory in blocks that the controller takes, again where they were lost.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/Text.h"
#include "core/link/Stretch.h"

namespace brusk::link {
namespace {

constexpr uint32_t kKeepAfter = 32 * 1024;  // What is read again, at most, after the program was killed.
constexpr uint32_t kCheckPiece = 4 * 1024;  // What is read again when a checksum does not agree.
constexpr int kCheckTries = 5;
constexpr int kOpenTries = 3;

/// Hands what arrived to the keeper in larger pieces, and the rest when it goes.
class Keeping {
  public:
    Keeping(image::Image& image, ReadKeeper* keeper) : image_(image), keeper_(keeper) {}
    Done take(uint32_t start, ByteSpan bytes) {
        if (image_.contains(start, static_cast<uint32_t>(bytes.size()))) {
            if (auto done = image_.overwrite(start, bytes); !done) return done;
        } else if (auto done = image_.add(start, bytes); !done) {
            return done;
        }
        if (!keeper_) return {};
        if (start != start_ + waiting_.size())
            if (auto done = flush(); !done) return done;
        if (waiting_.empty()) start_ = start;
        waiting_.insert(waiting_.end(), bytes.begin(), bytes.end());
        return waiting_.size() >= kKeepAfter ? flush() : Done{};
    }
    Done flush() {
        if (!keeper_ || waiting_.empty()) return {};
        auto done = keeper_->keep(start_, waiting_);
        waiting_.clear();
        return done;
    }

  private:
    image::Image& image_;
    ReadKeeper* keeper_;
    uint32_t start_ = 0;
    Bytes waiting_;
};

/// The stretches of an area that the image does not hold.
std::vector<image::Sector> missing(const image::Image& image, const MemoryArea& area) {
    std::vector<image::Sector> out;
    uint64_t at = area.start;
    const auto gap = [&](uint64_t until) {
        if (until > at) out.push_back({static_cast<uint32_t>(at), static_cast<uint32_t>(until - at)});
    };
    for (const image::Segment& held : image.segments()) {
        const uint64_t heldEnd = uint64_t{held.start} + held.bytes.size();
        if (heldEnd <= at || held.start >= area.end()) continue;
        gap(std::min<uint64_t>(held.start, area.end()));
        at = std::max(at, heldEnd);
    }
    gap(area.end());
    return out;
}

class MemoryReader {
  public:
    MemoryReader(Uds& uds, image::Image& image, ReadKeeper* keeper, Reporter& reporter, ReadReport& report)
        : uds_(uds),
          image_(image),
          reporter_(reporter),
          report_(report),
          keeping_(image, keeper),
          reader_(uds, reporter, false) {}

    Done area(const MemoryArea& area) {
        for (const image::Sector& gap : missing(image_, area)) {
            reporter_.step("Reading " + area.name);
            if (auto done = stretch(gap); !done)
                return failBecause("Reading stopped; what arrived is kept, and reading again goes on from there.",
                                   done.error());
        }
        reporter_.step("Checking " + area.name);
        if (auto done = reporter_.advance(0); !done) return done;
        return check(area);
    }
    Done flush() { return keeping_.flush(); }

  private:
    Done stretch(const image::Sector& gap) {
        auto done =
            reader_.read(gap.start, gap.length, [&](uint32_t at, ByteSpan bytes) { return keeping_.take(at, bytes); });
        // What arrived is kept, however the read ended; its own failure is the one to be told.
        auto kept = keeping_.flush();
        if (!done) return done;
        if (!kept) return kept;
        const auto bytes = image_.bytes(gap.start, gap.length);
        if (bytes)
            report_.theoreticalLeast_us += uds_.profile().leastRead_us(gap.start, *bytes, reader_.largestBlock());
        report_.bytes += gap.length;
        return {};
    }

    Result<bool> agrees(uint32_t start, uint32_t length) {
        const auto sum = uds_.checksum(start, length);
        if (!sum) return failBecause("The bytes read could not be checked.", sum.error());
        const auto bytes = image_.bytes(start, length);
        if (!bytes) return tl::unexpected(bytes.error());
        return *sum == image::crc32(*bytes);
    }

    /// An area whose checksum does not agree has its pieces compared, and those that differ read again.
    Done check(const MemoryArea& area) {
        for (int attempt = 1;; ++attempt) {
            const auto whole = agrees(area.start, area.length);
            if (!whole) return tl::unexpected(whole.error());
            if (*whole) return {};
            if (attempt == kCheckTries)
                return fail(ErrorCode::Mismatch, "The bytes read of " + area.name +
                                                     " do not have the controller's own checksum. Read again.");
            reporter_.retry();
            for (uint64_t at = area.start; at < area.end(); at += kCheckPiece) {
                const image::Sector piece{static_cast<uint32_t>(at),
                                          static_cast<uint32_t>(std::min<uint64_t>(kCheckPiece, area.end() - at))};
                const auto good = agrees(piece.start, piece.length);
                if (!good) return tl::unexpected(good.error());
                if (*good) continue;
                const uint64_t counted = reporter_.done();
                auto done = reader_.read(piece.start, piece.length,
                                         [&](uint32_t from, ByteSpan bytes) { return keeping_.take(from, bytes); });
                reporter_.backTo(counted);
                if (!done) return done;
                if (auto kept = keeping_.flush(); !kept) return kept;
            }
        }
    }

    Uds& uds_;
    image::Image& image_;
    Reporter& reporter_;
    ReadReport& report_;
    Keeping keeping_;
    StretchReader reader_;
};

}  // namespace

namespace {

Done openOnce(Uds& uds, bool programming) {
    const Profile& profile = uds.profile();
    if (auto done = uds.startSession(profile.sessionExtended); !done) return done;
    if (profile.silenceWhileBusy) {
        // The order of ISO 14229-1, 15: no trouble codes for missing messages, then silence.
        if (auto done = uds.holdTroubleCodes(true); !done && done.error().code != ErrorCode::Refused) return done;
        if (auto done = uds.silence(true); !done && done.error().code != ErrorCode::Refused) return done;
    }
    if (programming)
        if (auto done = uds.startSession(profile.sessionProgramming); !done) return done;
    return profile.key.name == "none" ? Done{} : uds.unlock();
}

}  // namespace

Done openForTransfer(Uds& uds, bool programming) {
    for (int attempt = 1;; ++attempt) {
        auto done = openOnce(uds, programming);
        // A request that was damaged on its way is refused as unknown; a key is not tried out.
        const uint8_t why = uds.lastRefusal();
        const bool damaged = !done && done.error().code == ErrorCode::Refused &&
                             (why == 0x11 || why == 0x12 || why == 0x13 || why == 0x31);
        if (done || !damaged || attempt == kOpenTries) return done;
    }
}

Result<ReadReport> readMemory(Uds& uds, const std::vector<MemoryArea>& areas, image::Image& image, ReadKeeper* keeper,
                              const OnProgress& onProgress) {
    ReadReport report;
    uint64_t total = 0, held = 0;
    for (const MemoryArea& area : areas) {
        total += area.length;
        held += area.length;
        for (const image::Sector& gap : missing(image, area))
            held -= gap.length;
    }
    Reporter reporter(uds, total, onProgress);
    reporter.alreadyDone(held);
    if (auto done = reporter.awaitIgnition(uds.profile().ignition.beforeRead_s); !done)
        return tl::unexpected(done.error());
    if (auto done = openForTransfer(uds, false); !done) return tl::unexpected(done.error());
    MemoryReader reader(uds, image, keeper, reporter, report);
    for (const MemoryArea& area : areas)
        if (auto done = reader.area(area); !done) return tl::unexpected(done.error());
    // Back to the default session: the controller talks and watches as before. It would fall back by itself.
    if (uds.profile().silenceWhileBusy) (void)uds.startSession(0x01);
    report.elapsed_us = reporter.elapsed_us();
    report.retries = reporter.retries();
    return report;
}

Result<Bytes> readStretch(Uds& uds, uint32_t start, uint32_t length) {
    const OnProgress quiet;
    Reporter reporter(uds, length, quiet);
    StretchReader reader(uds, reporter, false);
    Bytes out;
    for (int attempt = 1;; ++attempt) {
        out.clear();
        if (auto done = reader.read(start, length,
                                    [&](uint32_t, ByteSpan bytes) {
                                        out.insert(out.end(), bytes.begin(), bytes.end());
                                        return Done{};
                                    });
            !done)
            return tl::unexpected(done.error());
        const auto sum = uds.checksum(start, length);
        if (!sum) return tl::unexpected(sum.error());
        if (*sum == image::crc32(out)) return out;
        if (attempt == kCheckTries)
            return fail(ErrorCode::Mismatch,
                        "The bytes at " + hexAddress(start) + " do not have the controller's own checksum.");
    }
}

}  // namespace brusk::link
