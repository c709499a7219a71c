// ISO 14229-1 services, client side, over ISO-TP.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>
#include <vector>

#include "core/link/IsoTp.h"
#include "core/link/Profile.h"

namespace brusk::link {

/// The sentence for a negative response code (ISO 14229-1 table A.1).
std::string negativeResponseText(uint8_t code);

/// A trouble code with its status byte (ISO 14229-1 D.2). `name` is its SAE J2012 spelling, "P0172" (+ failure type).
struct TroubleCode {
    uint32_t code = 0;
    uint8_t status = 0;
    std::string name() const;
    bool failingNow() const { return status & 0x01; }
    bool confirmed() const { return status & 0x08; }
};

/// One client of one controller. Every call waits for its answer, through "response pending" and "busy, repeat".
class Uds {
  public:
    Uds(CanPort& port, const Profile& profile) : profile_(profile), transport_(port, profile.address) {}

    IsoTp& transport() { return transport_; }
    CanPort& port() { return transport_.port(); }
    const Profile& profile() const { return profile_; }

    /// Sends a request and returns the positive response without its first byte. A negative response is `Refused`.
    [[nodiscard]] Result<Bytes> request(ByteSpan message);

    [[nodiscard]] Done startSession(uint8_t session);
    /// Seed and key for the profile's level; nothing is sent twice when the controller says it is open already.
    [[nodiscard]] Done unlock();
    [[nodiscard]] Done reset();
    [[nodiscard]] Done testerPresent();
    [[nodiscard]] Result<Bytes> readId(uint16_t did);
    [[nodiscard]] Result<std::vector<TroubleCode>> readTroubleCodes();
    [[nodiscard]] Done clearTroubleCodes();
    [[nodiscard]] Done erase(const Sector& sector);
    /// The controller's own CRC-32 over a stretch of its memory.
    [[nodiscard]] Result<uint32_t> checksum(uint32_t start, uint32_t length);
    [[nodiscard]] Done checkDependencies();

    /// Opens a transfer; returns how many data bytes fit one block.
    [[nodiscard]] Result<size_t> requestDownload(uint32_t start, uint32_t length);
    [[nodiscard]] Result<size_t> requestUpload(uint32_t start, uint32_t length);
    [[nodiscard]] Done sendBlock(uint8_t counter, ByteSpan data);
    [[nodiscard]] Result<Bytes> receiveBlock(uint8_t counter);
    [[nodiscard]] Done exitTransfer();

    /// Defines a dynamic identifier as the bytes at these places, in order.
    struct Place {
        uint32_t address = 0;
        uint8_t size = 0;
    };
    [[nodiscard]] Done defineDynamicId(uint16_t did, const std::vector<Place>& places);
    [[nodiscard]] Done clearDynamicIds();
    [[nodiscard]] Done startPeriodic(uint8_t rate, const std::vector<uint8_t>& ids);
    [[nodiscard]] Done stopPeriodic();

  private:
    Result<size_t> requestTransfer(uint8_t service, uint32_t start, uint32_t length);
    Result<Bytes> routine(uint16_t id, ByteSpan options);

    const Profile& profile_;
    IsoTp transport_;
};

}  // namespace brusk::link
