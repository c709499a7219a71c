// ISO 14229-1 services, client side, over ISO-TP.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/link/IsoTp.h"
#include "core/link/Profile.h"

namespace brusk::link {

/// The sentence for a negative response code (ISO 14229-1 table A.1).
std::string negativeResponseText(uint8_t code);
/// What a service does, after "to": "read an identifier" (ISO 14229-1 table 2; OBD modes of ISO 15031-5 too).
std::string serviceText(uint8_t service);
/// The name a service has in the standard: "ReadDataByIdentifier"; empty when it is none of it.
std::string serviceName(uint8_t service);

/// A trouble code with its status byte (ISO 14229-1 D.2). `name` is its SAE J2012 spelling, "P0172" (+ failure type).
struct TroubleCode {
    uint32_t code = 0;
    uint8_t status = 0;
    std::string name() const;
    bool failingNow() const { return status & 0x01; }
    bool confirmed() const { return status & 0x08; }
    bool operator==(const TroubleCode&) const = default;
};

/// The SAE J2012 spelling of a two-byte code: "P0172".
std::string troubleCodeName(uint16_t code);

/// What asks for the codes that fail, wait to be confirmed, or are (ReadDTCInformation by status mask); and the codes
/// in its answer, behind the service byte. BadInput when it is cut off.
inline constexpr uint8_t kTroubleCodesRequest[] = {0x19, 0x02, 0x0D};
[[nodiscard]] Result<std::vector<TroubleCode>> troubleCodesIn(ByteSpan answer);

/// A value that was frozen when a code was set, by the identifier it has in the controller.
struct FrozenValue {
    uint16_t did = 0;
    uint32_t raw = 0;
};

/// One client of one controller. Every call waits for its answer, through "response pending" and "busy, repeat". A
/// request whose answer does not come is sent again (ISO 14229-2, 7.2), answers to something else are let pass.
class Uds {
  public:
    Uds(CanPort& port, const Profile& profile) : profile_(profile), transport_(port, profile.address) {}

    static constexpr int kTries = 3;  ///< how often a request is sent before its silence is an error

    IsoTp& transport() { return transport_; }
    CanPort& port() { return transport_.port(); }
    const Profile& profile() const { return profile_; }

    /// Sends a request and returns the positive response without its first byte. A negative response is `Refused`.
    [[nodiscard]] Result<Bytes> request(ByteSpan message, int tries = kTries);
    /// The code of the last negative response; 0 before the first.
    uint8_t lastRefusal() const { return lastRefusal_; }
    /// How often a request had to be sent again.
    int repeats() const { return repeats_; }
    /// Asks before every wait whether to go on; false ends the request with `Cancelled`.
    void setGoOn(std::function<bool()> goOn) { goOn_ = std::move(goOn); }

    [[nodiscard]] Done startSession(uint8_t session);
    /// Seed and key for the profile's level; nothing is sent twice when the controller says it is open already.
    [[nodiscard]] Done unlock();
    [[nodiscard]] Done reset();
    [[nodiscard]] Done testerPresent();
    [[nodiscard]] Result<Bytes> readId(uint16_t did);
    [[nodiscard]] Done writeId(uint16_t did, ByteSpan data);
    /// Bytes of the controller's memory, at most what one message carries.
    [[nodiscard]] Result<Bytes> readMemory(uint32_t address, uint16_t size);
    /// Stops (or allows again) the messages the controller sends by itself, so that they take no wire.
    [[nodiscard]] Done silence(bool silent);
    /// Stops (or allows again) the setting of trouble codes while others miss the controller's messages.
    [[nodiscard]] Done holdTroubleCodes(bool hold);
    [[nodiscard]] Result<std::vector<TroubleCode>> readTroubleCodes();
    [[nodiscard]] Done clearTroubleCodes();
    /// The values in which a code was set; empty when the controller kept none.
    /// Lengths of the identifiers come from the profile's list of frozen values.
    [[nodiscard]] Result<std::vector<FrozenValue>> freezeFrame(uint32_t code);
    /// How often a code was set, where the controller counts it.
    [[nodiscard]] Result<int> occurrences(uint32_t code);
    [[nodiscard]] Done erase(const image::Sector& sector);
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

    /// Makes the controller begin anew what it learned: trims, idle, octane. In the extended session. NotFound where
    /// the profile knows no routine for it.
    [[nodiscard]] Done forgetLearned();

  private:
    Result<Bytes> requestOnce(ByteSpan message);
    /// The answer to `message`, passing over answers to anything else. `BusyRepeat` is told by an empty optional.
    Result<std::optional<Bytes>> awaitAnswer(ByteSpan message);
    Result<size_t> requestTransfer(uint8_t service, uint32_t start, uint32_t length);
    Result<Bytes> routine(uint16_t id, ByteSpan options);

    const Profile& profile_;
    IsoTp transport_;
    std::function<bool()> goOn_;
    uint8_t lastRefusal_ = 0;
    int repeats_ = 0;
};

}  // namespace brusk::link
