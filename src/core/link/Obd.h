// On-board diagnostics that every petrol car since 2008 answers: ISO 15031-5 / SAE J1979 over ISO 15765-4. No profile
// and no definition are needed.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/link/IsoTp.h"

namespace brusk::link {

/// A number in the answer to mode 01 or 02.
struct ObdQuantity {
    std::string name;
    std::string unit;
    size_t at = 0;     ///< first data byte
    size_t bytes = 1;  ///< big-endian
    double factor = 1;
    double offset = 0;
    bool isSigned = false;
};

/// A parameter id of mode 01: its length and the numbers in it.
struct ObdPid {
    uint8_t id = 0;
    size_t bytes = 0;
    std::vector<ObdQuantity> quantities;  ///< none: bits, shown as such
    std::string name;
};
/// Nothing for an id this table does not hold.
const ObdPid* obdPid(uint8_t id);

struct ObdValue {
    uint8_t pid = 0;
    std::string name;
    std::string unit;
    double value = 0;
    std::string text;  ///< where the value is none: "closed loop", bits in hexadecimal
};

/// A controller on the bus that answers OBD requests.
struct ObdController {
    IsoTpAddress address;       ///< physical
    std::vector<uint8_t> pids;  ///< of mode 01, supported
    std::string name() const;   ///< "7E8", "18DAF110"
};

/// What mode 09 tells of the vehicle.
struct ObdVehicle {
    std::string vin;
    std::vector<std::string> calibrations;         ///< calibration ids
    std::vector<std::string> verificationNumbers;  ///< CVN, hexadecimal, beside them
    std::string controllerName;
};

struct ObdCode {
    std::string name;  ///< "P0172"
    bool pending = false;
    std::string controller;
};

/// The numbers of one answer to mode 01 (or 02), `data` behind the ids as sent: id, bytes, id, bytes ... Ids that are
/// not known end it, as their lengths are not known either.
std::vector<ObdValue> obdValues(ByteSpan data, bool frozen);
/// The codes of an answer to mode 03 or 07, behind the service: count, two bytes each. BadInput when it is cut off.
[[nodiscard]] Result<std::vector<std::string>> obdCodes(ByteSpan data);

class Obd {
  public:
    explicit Obd(CanPort& port) : port_(port) {}
    /// Asked while waiting; when it says no, what is under way fails as Cancelled.
    void setGoOn(std::function<bool()> goOn) { goOn_ = std::move(goOn); }

    /// Who answers, with 11-bit identifiers first and 29-bit ones when nobody does. NotFound when nobody does at all.
    [[nodiscard]] Result<std::vector<ObdController>> discover();
    /// Live values of one controller, up to six ids a request (ISO 15031-5, 7.1); ids it does not support are left out.
    [[nodiscard]] Result<std::vector<ObdValue>> current(const ObdController& controller,
                                                        const std::vector<uint8_t>& pids);
    /// What one controller answers to a request of mode 01 as it stands: ids and their bytes; nothing where it does not
    /// answer, or refuses. At most six ids.
    [[nodiscard]] Result<std::optional<Bytes>> currentBytes(const ObdController& controller,
                                                            std::span<const uint8_t> pids);
    /// Frames that are no answers, while one is waited for.
    void setOtherFrames(std::function<void(const CanFrame&)> onOther) { onOther_ = std::move(onOther); }
    /// The values frozen with the code that was stored first, and that code; nothing when there is none.
    struct Frozen {
        std::string code;
        std::vector<ObdValue> values;
    };
    [[nodiscard]] Result<std::optional<Frozen>> freezeFrame(const ObdController& controller);
    /// Stored (mode 03) and pending (mode 07) codes of all controllers.
    [[nodiscard]] Result<std::vector<ObdCode>> codes(const std::vector<ObdController>& controllers);
    [[nodiscard]] Result<ObdVehicle> vehicle(const ObdController& controller);
    /// Clears codes, freeze frames and learned values of all controllers (mode 04).
    [[nodiscard]] Done clear(const std::vector<ObdController>& controllers);

  private:
    struct Answer {
        uint32_t id = 0;
        Bytes message;  ///< behind the service byte
    };
    /// Asks all controllers and collects what they answer until they are silent.
    Result<std::vector<Answer>> askAll(const Bytes& request, bool extendedIds);
    /// Asks one; nothing when it does not support what is asked.
    Result<std::optional<Bytes>> ask(const ObdController& controller, const Bytes& request);
    Result<std::vector<uint8_t>> supported(const ObdController& controller, uint8_t mode, ByteSpan first);

    bool stopped() const { return goOn_ && !goOn_(); }

    CanPort& port_;
    std::function<bool()> goOn_;
    std::function<void(const CanFrame&)> onOther_;
};

}  // namespace brusk::link
