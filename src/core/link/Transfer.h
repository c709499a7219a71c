// Identify, read and flash: whole jobs over UDS, with progress, retries and a journal.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <string>
#include <vector>

#include "core/image/Image.h"
#include "core/link/Uds.h"

namespace brusk::link {

struct Progress {
    std::string step;   ///< "Reading calibration", "Erasing 0x8C0000"
    uint64_t done = 0;  ///< bytes
    uint64_t total = 0;
    int64_t elapsed_us = 0;  ///< on the link's clock
    int retries = 0;
    /// Bytes a second so far, and the seconds that are left at this rate.
    double rate() const {
        return elapsed_us > 0 ? static_cast<double>(done) * 1e6 / static_cast<double>(elapsed_us) : 0;
    }
    double secondsLeft() const { return rate() > 0 ? static_cast<double>(total - done) / rate() : 0; }
};

/// Called after each block; false stops the work with `Cancelled`.
using OnProgress = std::function<bool(const Progress&)>;

/// What the controller says of itself, by the profile's keys ("vin", "serial", "hardware", "software", "calibration").
struct Identity {
    std::map<std::string, std::string> values;
    double voltage = 0;
    double engineSpeed_rpm = 0;
    const std::string& at(const std::string& key) const;
};

/// Asks for every identifier of the profile. Mismatch when the hardware number is none that the profile is for.
[[nodiscard]] Result<Identity> identify(Uds& uds);

/// Reads the areas that `image` does not hold yet into it, piece by piece: after a failure `image` keeps the pieces
/// that arrived, and calling again goes on from there. Each piece is compared with the controller's own checksum.
[[nodiscard]] Done readMemory(Uds& uds, const std::vector<MemoryArea>& areas, image::Image& image,
                              const OnProgress& onProgress);

/// What a flash tells the car folder, before and after each step that changes the controller.
class FlashJournal {
  public:
    virtual ~FlashJournal() = default;
    /// Written before the sector is erased: from here on nobody knows what it holds.
    [[nodiscard]] virtual Done sectorBegun(const Sector& sector) = 0;
    /// Written after the sector was read back and found equal to the image.
    [[nodiscard]] virtual Done sectorVerified(const Sector& sector) = 0;
};

struct FlashReport {
    int64_t elapsed_us = 0;
    int64_t theoreticalLeast_us = 0;  ///< frames ISO-TP needs at their bit times, plus stated erase and program times
    uint64_t bytes = 0;
    size_t sectors = 0;
    double share() const {
        return elapsed_us > 0 ? static_cast<double>(theoreticalLeast_us) / static_cast<double>(elapsed_us) : 0;
    }
};

/// Erases, programs and reads back the given sectors from `image`, then has the controller check itself and start.
[[nodiscard]] Result<FlashReport> flashSectors(Uds& uds, const image::Image& image, const std::vector<Sector>& sectors,
                                               FlashJournal& journal, const OnProgress& onProgress);

}  // namespace brusk::link
