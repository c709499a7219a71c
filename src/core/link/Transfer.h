// Identify, read and flash: whole jobs over UDS, with progress, retries and a journal.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/image/Image.h"
#include "core/link/Uds.h"

namespace brusk::link {

struct Progress {
    std::string step;   ///< "Reading calibration", "Erasing 0x8C0000"
    uint64_t done = 0;  ///< bytes
    uint64_t total = 0;
    uint64_t before = 0;                    ///< of `done`, bytes that were there when the work began
    int64_t elapsed_us = 0;                 ///< on the link's clock
    int retries = 0;                        ///< requests sent again and sectors begun again
    bool waitsForPerson = false;            ///< `step` says what somebody at the car has to do
    std::optional<image::Sector> sector{};  ///< under work, with a flash
    /// Bytes a second so far.
    double rate() const {
        return elapsed_us > 0 ? static_cast<double>(done - before) * 1e6 / static_cast<double>(elapsed_us) : 0;
    }
    /// At this rate; nothing before there is one.
    std::optional<double> secondsLeft() const {
        return rate() > 0 ? std::optional(static_cast<double>(total - done) / rate()) : std::nullopt;
    }
};

/// Called after each block; false stops the work with `Cancelled`.
using OnProgress = std::function<bool(const Progress&)>;

/// What the controller says of itself, by the profile's keys ("vin", "serial", "hardware", "software", "calibration").
struct Identity {
    std::map<std::string, std::string> values;
    double voltage = 0;
    double engineSpeed_rpm = 0;
    const std::string& at(const std::string& key) const;
    /// It answers, and tells no software: its program or calibration is not whole.
    bool bootMode() const { return at("software").empty(); }
};

/// Asks for every identifier of the profile. Whether the profile is for this controller is for the caller to judge.
[[nodiscard]] Result<Identity> identify(Uds& uds);

/// Where the bytes of a read are kept as they arrive, so that nothing is read twice.
class ReadKeeper {
  public:
    virtual ~ReadKeeper() = default;
    [[nodiscard]] virtual Done keep(uint32_t start, ByteSpan bytes) = 0;
};

struct ReadReport {
    int64_t elapsed_us = 0;
    int64_t theoreticalLeast_us = 0;  ///< of the bytes that crossed the wire now (Profile::leastRead_us)
    uint64_t bytes = 0;               ///< that crossed the wire now
    int retries = 0;
    double share() const {
        return elapsed_us > 0 ? static_cast<double>(theoreticalLeast_us) / static_cast<double>(elapsed_us) : 0;
    }
};

/// Reads what `image` does not hold of the areas into it: after a failure `image` keeps the blocks that arrived, and
/// calling again goes on from there. In the end every area is compared with the controller's own checksum; what does
/// not agree is read again. `keeper` may be null.
[[nodiscard]] Result<ReadReport> readMemory(Uds& uds, const std::vector<MemoryArea>& areas, image::Image& image,
                                            ReadKeeper* keeper, const OnProgress& onProgress);

/// What a flash tells the car folder before each step that changes the controller, and after a sector was verified.
class FlashJournal {
  public:
    virtual ~FlashJournal() = default;
    [[nodiscard]] virtual Done step(const image::Sector& sector, image::SectorStep step) = 0;
};

struct FlashReport {
    int64_t elapsed_us = 0;
    /// Sum of Profile::leastFlash_us of the sectors: the frames ISO-TP needs at their bit times to write and read back,
    /// plus the stated erase and program times.
    int64_t theoreticalLeast_us = 0;
    uint64_t bytes = 0;
    size_t sectors = 0;
    int retries = 0;
    double share() const {
        return elapsed_us > 0 ? static_cast<double>(theoreticalLeast_us) / static_cast<double>(elapsed_us) : 0;
    }
};

/// Erases, programs and reads back the given sectors from `image`, then has the controller check itself and start.
[[nodiscard]] Result<FlashReport> flashSectors(Uds& uds, const image::Image& image,
                                               const std::vector<image::Sector>& sectors, FlashJournal& journal,
                                               const OnProgress& onProgress);

/// Opens a session in which the controller's memory can be read, or with `programming` written.
[[nodiscard]] Done openForTransfer(Uds& uds, bool programming);

/// Reads a stretch, and once more when the controller's checksum does not agree with it. For small stretches.
[[nodiscard]] Result<Bytes> readStretch(Uds& uds, uint32_t start, uint32_t length);

}  // namespace brusk::link
