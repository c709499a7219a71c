// Erase, program, read back: sector by sector, so that at any moment only one is not known.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/Text.h"
#include "core/link/Stretch.h"

namespace brusk::link {
namespace {

constexpr int kSectorTries = 10;           // Each wears the flash by one erasure.
constexpr int kBlocksWithoutProgress = 8;  // Of the smallest; then the link is as good as gone.
constexpr int kReadTries = 5;              // Of a block that reads back differently, before it is believed.
constexpr uint8_t kErased = 0xFF;
constexpr int kStartTries = 20;

class SectorFlash {
  public:
    SectorFlash(Uds& uds, const image::Image& image, FlashJournal& journal, Reporter& reporter)
        : uds_(uds), image_(image), journal_(journal), reporter_(reporter), reader_(uds, reporter, true) {}

    Done run(const image::Sector& sector) {
        const auto bytes = image_.bytes(sector.start, sector.length);
        if (!bytes)
            return failBecause("The image lacks bytes of the sector at " + hexAddress(sector.start) + ".",
                               bytes.error());
        const uint64_t before = reporter_.done();
        for (int attempt = 1;; ++attempt) {
            auto done = once(sector, *bytes);
            if (done) break;
            const bool again = worthRetrying(done.error()) || done.error().code == ErrorCode::Mismatch;
            if (!again || attempt == kSectorTries) return done;
            reporter_.retry();
            reporter_.backTo(before);
            (void)uds_.exitTransfer();
            if (auto open = openForTransfer(uds_, true); !open) return open;
        }
        least_us_ += uds_.profile().leastFlash_us(sector, *bytes, block_ ? block_->most() : 1);
        return journal_.step(sector, image::SectorStep::Verified);
    }
    int64_t least_us() const { return least_us_; }

  private:
    Done once(const image::Sector& sector, ByteSpan bytes) {
        if (auto done = step(sector, image::SectorStep::Erase, "Erasing "); !done) return done;
        if (auto done = uds_.erase(sector); !done) return done;
        if (auto done = step(sector, image::SectorStep::Write, "Writing "); !done) return done;
        for (uint32_t at = 0; at < sector.length;)
            if (auto done = write(sector, bytes, at); !done) return done;
        if (auto done = step(sector, image::SectorStep::ReadBack, "Reading back "); !done) return done;
        return readBack(sector, bytes);
    }

    /// Journal first: what the folder says is never behind what the controller was told.
    Done step(const image::Sector& sector, image::SectorStep step, const char* what) {
        reporter_.step(what + hexAddress(sector.start), sector);
        if (auto done = reporter_.advance(0); !done) return done;
        return journal_.step(sector, step);
    }

    /// One download from `at` to the sector's end; `at` moves with every block that was confirmed. A block that does
    /// not come through ends the download: the next begins behind what the controller's checksum says was written.
    Done write(const image::Sector& sector, ByteSpan bytes, uint32_t& at) {
        const auto most = uds_.requestDownload(sector.start + at, sector.length - at);
        if (!most) return tl::unexpected(most.error());
        if (!block_) block_.emplace(*most);
        for (uint8_t counter = 1; at < sector.length; ++counter) {
            const ByteSpan part = bytes.subspan(at, std::min<size_t>(block_->now(), sector.length - at));
            if (auto sent = uds_.sendBlock(counter, part); !sent) {
                if (block_->smallest()) ++failures_;
                if (!worthRetrying(sent.error()) || failures_ >= kBlocksWithoutProgress) return sent;
                reporter_.retry();
                (void)uds_.exitTransfer();
                const auto written = wasWritten(sector.start + at, part);
                if (!written) return tl::unexpected(written.error());
                if (*written) at += static_cast<uint32_t>(part.size());
                block_->failed();
                return {};
            }
            failures_ = 0;
            block_->cameThrough();
            at += static_cast<uint32_t>(part.size());
            if (auto done = reporter_.advance(part.size()); !done) return done;
        }
        return uds_.exitTransfer();
    }

    /// Whether a block whose confirmation was lost is in the flash; an error when half of it is.
    Result<bool> wasWritten(uint32_t start, ByteSpan part) {
        const auto sum = uds_.checksum(start, static_cast<uint32_t>(part.size()));
        if (!sum) return tl::unexpected(sum.error());
        if (*sum == image::crc32(part)) return true;
        if (*sum == image::crc32(Bytes(part.size(), kErased))) return false;
        return fail(ErrorCode::Mismatch, "A block at " + hexAddress(start) + " was written wrongly.");
    }

    /// A block that reads back differently is read again: it may be the answer that was damaged, not the flash.
    Done readBack(const image::Sector& sector, ByteSpan bytes) {
        std::vector<image::Sector> doubtful{sector};
        for (int attempt = 1; !doubtful.empty(); ++attempt) {
            std::vector<image::Sector> differ;
            const uint64_t counted = reporter_.done();
            for (const image::Sector& part : doubtful) {
                auto done = reader_.read(part.start, part.length, [&](uint32_t at, ByteSpan held) {
                    if (!std::equal(held.begin(), held.end(), bytes.begin() + (at - sector.start)))
                        differ.push_back({at, static_cast<uint32_t>(held.size())});
                    return Done{};
                });
                if (!done) return done;
            }
            if (attempt > 1) reporter_.backTo(counted), reporter_.retry();
            if (!differ.empty() && attempt == kReadTries)
                return fail(ErrorCode::Mismatch, "The sector at " + hexAddress(sector.start) +
                                                     " reads back differently from what was written. Flash again.");
            doubtful = std::move(differ);
        }
        return {};
    }

    Uds& uds_;
    const image::Image& image_;
    FlashJournal& journal_;
    Reporter& reporter_;
    StretchReader reader_;
    std::optional<BlockSize> block_;
    int failures_ = 0;
    int64_t least_us_ = 0;
};

/// A controller that was reset needs a moment; it is there again when it answers.
Done awaitStart(Uds& uds) {
    for (int attempt = 1;; ++attempt) {
        const auto answer = uds.request(Bytes{0x3E, 0x00}, 1);
        if (answer || answer.error().code == ErrorCode::Refused) return {};
        if (answer.error().code != ErrorCode::Timeout || attempt == kStartTries)
            return failBecause("The controller was written and does not start.", answer.error());
    }
}

}  // namespace

Result<FlashReport> flashSectors(Uds& uds, const image::Image& image, const std::vector<image::Sector>& sectors,
                                 FlashJournal& journal, const OnProgress& onProgress) {
    FlashReport report;
    report.sectors = sectors.size();
    for (const image::Sector& sector : sectors)
        report.bytes += sector.length;
    // Each sector crosses the wire twice: written, and read back.
    Reporter reporter(uds, report.bytes * 2, onProgress);
    const IgnitionCycles& ignition = uds.profile().ignition;
    if (auto done = reporter.awaitIgnition(ignition.beforeFlash_s); !done) return tl::unexpected(done.error());
    if (auto done = openForTransfer(uds, true); !done) return tl::unexpected(done.error());
    SectorFlash flash(uds, image, journal, reporter);
    for (const image::Sector& sector : sectors)
        if (auto done = flash.run(sector); !done)
            return failBecause("The flash stopped at sector " + hexAddress(sector.start) +
                                   "; the controller waits in boot mode. Flash again to finish it.",
                               done.error());
    reporter.step("Checking the controller");
    if (auto done = reporter.advance(0); !done) return tl::unexpected(done.error());
    if (auto done = uds.checkDependencies(); !done) return tl::unexpected(done.error());
    if (auto done = uds.reset(); !done) return tl::unexpected(done.error());
    report.elapsed_us = reporter.elapsed_us();
    if (auto done = reporter.awaitIgnition(ignition.afterFlash_s); !done) return tl::unexpected(done.error());
    if (auto done = awaitStart(uds); !done) return tl::unexpected(done.error());
    report.retries = reporter.retries();
    report.theoreticalLeast_us = flash.least_us();
    return report;
}

}  // namespace brusk::link
