// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Transfer.h"

#include <algorithm>

#include "core/base/Text.h"

namespace brusk::link {
namespace {

constexpr uint32_t kReadPiece = 32 * 1024;  // What is lost, at most, when the link goes in the middle of a read.
constexpr int kTries = 3;

/// Reports progress and asks whether to go on.
class Reporter {
  public:
    Reporter(CanPort& port, uint64_t total, const OnProgress& onProgress)
        : port_(port), onProgress_(onProgress), begun_(port.now_us()) {
        progress_.total = total;
    }
    void step(std::string text) { progress_.step = std::move(text); }
    void retry() { ++progress_.retries; }
    Done advance(uint64_t bytes) {
        progress_.done += bytes;
        progress_.elapsed_us = port_.now_us() - begun_;
        if (onProgress_ && !onProgress_(progress_)) return fail(ErrorCode::Cancelled, "Stopped as you asked.");
        return {};
    }
    void takeBack(uint64_t bytes) { progress_.done -= bytes; }
    int64_t elapsed_us() const { return port_.now_us() - begun_; }

  private:
    CanPort& port_;
    const OnProgress& onProgress_;
    int64_t begun_;
    Progress progress_;
};

Result<Bytes> uploadOnce(Uds& uds, uint32_t start, uint32_t length, Reporter& reporter, uint64_t& reported) {
    const auto block = uds.requestUpload(start, length);
    if (!block) return tl::unexpected(block.error());
    Bytes out;
    out.reserve(length);
    for (uint8_t counter = 1; out.size() < length; ++counter) {
        const auto part = uds.receiveBlock(counter);
        if (!part) return tl::unexpected(part.error());
        if (part->empty() || part->size() > length - out.size())
            return fail(ErrorCode::BadInput, "The controller sent a block of " + std::to_string(part->size()) +
                                                 " bytes at " + hexAddress(start + out.size()) + ".");
        out.insert(out.end(), part->begin(), part->end());
        reported += part->size();
        if (auto done = reporter.advance(part->size()); !done) return tl::unexpected(done.error());
    }
    if (auto done = uds.exitTransfer(); !done) return tl::unexpected(done.error());
    return out;
}

bool worthRetrying(const Error& error) {
    return error.code == ErrorCode::Timeout || error.code == ErrorCode::BadInput;
}

Result<Bytes> upload(Uds& uds, uint32_t start, uint32_t length, Reporter& reporter) {
    for (int attempt = 1;; ++attempt) {
        uint64_t reported = 0;
        auto bytes = uploadOnce(uds, start, length, reporter, reported);
        if (bytes || attempt == kTries || !worthRetrying(bytes.error())) return bytes;
        reporter.retry();
        reporter.takeBack(reported);
        // Ends a transfer that may still be open; a refusal only says that there is none.
        (void)uds.exitTransfer();
    }
}

Done openForTransfer(Uds& uds, uint8_t session) {
    if (auto done = uds.startSession(session); !done) return done;
    return uds.unlock();
}

}  // namespace

const std::string& Identity::at(const std::string& key) const {
    static const std::string none;
    const auto found = values.find(key);
    return found == values.end() ? none : found->second;
}

Result<Identity> identify(Uds& uds) {
    Identity identity;
    const Profile& profile = uds.profile();
    for (const IdentityItem& item : profile.identity) {
        const auto bytes = uds.readId(item.did);
        if (!bytes) {
            // A controller may lack one identifier; that nobody answers at all is another matter.
            if (bytes.error().code == ErrorCode::Refused) continue;
            return failBecause("No controller answers on this link. Is the ignition on?", bytes.error());
        }
        identity.values[item.key] = std::string(trimmed(asText(*bytes).substr(0, asText(*bytes).find('\0'))));
    }
    if (const auto volts = uds.readId(profile.didVoltage); volts && !volts->empty())
        identity.voltage =
            static_cast<double>(loadUnsigned(volts->data(), std::min<size_t>(8, volts->size()), ByteOrder::BigEndian)) *
            profile.voltageScale;
    if (const auto speed = uds.readId(profile.didEngineSpeed); speed && !speed->empty())
        identity.engineSpeed_rpm =
            static_cast<double>(loadUnsigned(speed->data(), std::min<size_t>(8, speed->size()), ByteOrder::BigEndian));
    const std::string& hardware = identity.at("hardware");
    if (std::find(profile.hardware.begin(), profile.hardware.end(), hardware) == profile.hardware.end())
        return fail(ErrorCode::Mismatch, "The controller says it is hardware \"" + hardware + "\"; the profile " +
                                             profile.name + " is not for it.");
    return identity;
}

Done readMemory(Uds& uds, const std::vector<MemoryArea>& areas, image::Image& image, const OnProgress& onProgress) {
    uint64_t total = 0;
    for (const MemoryArea& area : areas)
        total += area.length;
    Reporter reporter(uds.port(), total, onProgress);
    if (auto done = openForTransfer(uds, uds.profile().sessionExtended); !done) return done;
    for (const MemoryArea& area : areas) {
        reporter.step("Reading " + area.name);
        for (uint64_t at = area.start; at < area.end(); at += kReadPiece) {
            const auto start = static_cast<uint32_t>(at);
            const auto length = static_cast<uint32_t>(std::min<uint64_t>(kReadPiece, area.end() - at));
            if (image.contains(start, length)) {
                if (auto done = reporter.advance(length); !done) return done;
                continue;
            }
            const auto bytes = upload(uds, start, length, reporter);
            if (!bytes)
                return failBecause("Reading stopped at " + hexAddress(start) + "; read again to go on from there.",
                                   bytes.error());
            const auto sum = uds.checksum(start, length);
            if (!sum) return failBecause("The bytes read could not be checked.", sum.error());
            if (*sum != image::crc32(*bytes))
                return fail(ErrorCode::Mismatch, "The bytes read at " + hexAddress(start) +
                                                     " do not have the controller's own checksum. Read again.");
            if (auto done = image.add(start, *bytes); !done) return done;
        }
    }
    return {};
}

namespace {

/// One sector: erase, program, read back. The journal is told before and after.
class SectorFlash {
  public:
    SectorFlash(Uds& uds, const image::Image& image, FlashJournal& journal, Reporter& reporter)
        : uds_(uds), image_(image), journal_(journal), reporter_(reporter) {}

    Done run(const Sector& sector) {
        const auto bytes = image_.bytes(sector.start, sector.length);
        if (!bytes)
            return failBecause("The image lacks bytes of the sector at " + hexAddress(sector.start) + ".",
                               bytes.error());
        if (auto done = journal_.sectorBegun(sector); !done) return done;
        for (int attempt = 1;; ++attempt) {
            auto done = eraseAndProgram(sector, *bytes);
            if (done) done = readBack(sector, *bytes);
            if (done) break;
            if (attempt == kTries || !worthRetrying(done.error())) return done;
            reporter_.retry();
            (void)uds_.exitTransfer();
        }
        return journal_.sectorVerified(sector);
    }

    int64_t least_us() const { return least_us_; }

  private:
    Done eraseAndProgram(const Sector& sector, ByteSpan bytes) {
        reporter_.step("Erasing " + hexAddress(sector.start));
        if (auto done = reporter_.advance(0); !done) return done;
        if (auto done = uds_.erase(sector); !done) return done;
        least_us_ += uds_.profile().eraseSector_us;
        reporter_.step("Writing " + hexAddress(sector.start));
        const auto block = uds_.requestDownload(sector.start, sector.length);
        if (!block) return tl::unexpected(block.error());
        uint8_t counter = 1;
        for (size_t at = 0; at < bytes.size(); ++counter) {
            const ByteSpan part = bytes.subspan(at, std::min(*block, bytes.size() - at));
            if (auto done = uds_.sendBlock(counter, part); !done) return done;
            countLeast(uds_.profile().address.requestId, counter, part);
            least_us_ += uds_.profile().programBlock_us;
            at += part.size();
            if (auto done = reporter_.advance(part.size()); !done) {
                reporter_.takeBack(at);
                return done;
            }
        }
        return uds_.exitTransfer();
    }

    Done readBack(const Sector& sector, ByteSpan bytes) {
        reporter_.step("Reading back " + hexAddress(sector.start));
        const auto held = upload(uds_, sector.start, sector.length, reporter_);
        if (!held) return tl::unexpected(held.error());
        countLeast(uds_.profile().address.responseId, 1, *held);
        if (!std::equal(held->begin(), held->end(), bytes.begin(), bytes.end()))
            return fail(ErrorCode::Mismatch, "The sector at " + hexAddress(sector.start) +
                                                 " reads back differently from what was written. Flash again.");
        return {};
    }

    void countLeast(uint32_t id, uint8_t counter, ByteSpan data) {
        // A read-back arrives in blocks of the longest classic ISO-TP message.
        for (size_t at = 0; at < data.size();) {
            const ByteSpan part = data.subspan(at, std::min<size_t>(4093, data.size() - at));
            Bytes message{0x36, counter};
            message.insert(message.end(), part.begin(), part.end());
            least_us_ += leastMessageTime_us(message, id, uds_.profile().address.padding);
            at += part.size();
        }
    }

    Uds& uds_;
    const image::Image& image_;
    FlashJournal& journal_;
    Reporter& reporter_;
    int64_t least_us_ = 0;
};

}  // namespace

Result<FlashReport> flashSectors(Uds& uds, const image::Image& image, const std::vector<Sector>& sectors,
                                 FlashJournal& journal, const OnProgress& onProgress) {
    FlashReport report;
    report.sectors = sectors.size();
    for (const Sector& sector : sectors)
        report.bytes += sector.length;
    // Each sector crosses the wire twice: written, and read back.
    Reporter reporter(uds.port(), report.bytes * 2, onProgress);
    if (auto done = openForTransfer(uds, uds.profile().sessionProgramming); !done) return tl::unexpected(done.error());
    SectorFlash flash(uds, image, journal, reporter);
    for (const Sector& sector : sectors)
        if (auto done = flash.run(sector); !done)
            return failBecause("The flash stopped at sector " + hexAddress(sector.start) +
                                   "; the controller waits in boot mode. Flash again to finish it.",
                               done.error());
    if (auto done = uds.checkDependencies(); !done) return tl::unexpected(done.error());
    if (auto done = uds.reset(); !done) return tl::unexpected(done.error());
    report.elapsed_us = reporter.elapsed_us();
    report.theoreticalLeast_us = flash.least_us();
    return report;
}

}  // namespace brusk::link
