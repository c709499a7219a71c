// What is in the car, as far as is known: sector by sector, with the journal of flashes and reads.
//
// 1. From "erasing" until "verified" nobody knows what a sector holds, whatever happened in between.
// 2. What is known of a sector is the SHA-256 of bytes that were read back from it, never of bytes that were sent.
// 3. A step is on the disk before the controller is told to take it; while a car waits erased, it is waited for.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/carfolder/Rounds.h"
#include "core/image/Sector.h"

namespace brusk::carfolder {

/// A flash as the folder remembers it.
struct FlashEntry {
    int64_t id = 0;
    int64_t round = 0;
    std::string scope;
    int sectors = 0;
    std::string begunAt;
    std::string endedAt;     ///< empty: it is under way, or was cut off
    std::string outcome;     ///< "done", or why it stopped
    std::string overridden;  ///< the gates somebody overrode, and the serial number typed for it
};

struct JournalEntry {
    std::string at;
    std::string what;
};

/// A sector that nobody knows the content of, and how far the work on it had come.
struct UnknownSector {
    image::Sector sector;
    image::SectorStep step = image::SectorStep::Erase;
};

/// What the ledger knows of the controller's sectors.
struct CarContents {
    std::optional<int64_t> round;  ///< the round whose bytes all sectors hold
    std::vector<UnknownSector> unknown;
    bool everKnown = false;  ///< the car was read or flashed at least once
    /// The flash that did not come to its end, if the last one did not; and how many sectors hold its round's bytes.
    std::optional<FlashEntry> unfinished;
    int sectorsOfUnfinished = 0;
    int sectors = 0;  ///< in all
};

class CarMemory {
  public:
    CarMemory(Database& database, const Rounds& rounds) : database_(database), rounds_(rounds) {}

    /// Takes every sector of the image as known to be in the car.
    [[nodiscard]] Done holds(const image::Image& image, const std::vector<image::Sector>& sectors);
    /// One step of a flash. With Verified, `bytes` are what the sector holds; before, nobody knows.
    [[nodiscard]] Done step(const image::Sector& sector, image::SectorStep step, ByteSpan bytes = {});
    /// What was found in a sector outside a flash; without `bytes` it is not known.
    [[nodiscard]] Done found(const image::Sector& sector, std::optional<ByteSpan> bytes);
    /// SHA-256 of each sector's bytes as the ledger has it; empty where it is not known.
    [[nodiscard]] Result<std::map<uint32_t, std::string>> sectorHashes() const;
    /// Sectors whose content in the car differs from the image's, or is not known.
    [[nodiscard]] Result<std::vector<image::Sector>> toWrite(const image::Image& image,
                                                             const std::vector<image::Sector>& sectors) const;
    [[nodiscard]] Result<CarContents> contents(const std::vector<image::Sector>& sectors) const;

    [[nodiscard]] Result<int64_t> flashBegun(int64_t round, const std::string& scope, int sectors,
                                             const std::string& overridden);
    [[nodiscard]] Done flashEnded(int64_t flash, const std::string& outcome);
    [[nodiscard]] Result<std::optional<FlashEntry>> lastFlash() const;
    /// Whether a flash of the round in this scope came to its end.
    [[nodiscard]] Result<bool> wasFlashed(int64_t round, const std::string& scope) const;

    /// Pieces of a read that is not finished yet; a later read goes on from them.
    [[nodiscard]] Done keepPiece(uint32_t start, ByteSpan bytes);
    [[nodiscard]] Result<image::Image> keptPieces() const;
    [[nodiscard]] Done forgetPieces();

    [[nodiscard]] Done note(const std::string& what);
    [[nodiscard]] Result<std::vector<JournalEntry>> journal(int most) const;  ///< newest first

  private:
    using SectorShas = std::map<uint32_t, std::string>;
    /// SHA-256 of each sector of a round's image, computed once an image.
    Result<std::shared_ptr<const SectorShas>> sectorShas(const Round& round,
                                                         const std::vector<image::Sector>& sectors) const;

    Database& database_;
    const Rounds& rounds_;
    mutable std::mutex mutex_;                                               // guards sectorShas_
    mutable std::map<std::string, std::shared_ptr<const SectorShas>> shas_;  // by image
};

}  // namespace brusk::carfolder
