// The controller's diagnostic side: its own ISO 15765-2 transport, ISO 14229 server and OBD modes. Written apart from
// the tester's, so that each checks the other.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>
#include <functional>
#include <map>
#include <optional>
#include <utility>
#include <vector>

#include "benchcar/diagnostics/Obd.h"
#include "core/can/CanFrame.h"

namespace brusk::benchcar {

/// Server end of the transport: gathers requests, hands out responses frame by frame.
class ServerTransport {
  public:
    ServerTransport(uint32_t receiveId, uint32_t sendId) : receiveId_(receiveId), sendId_(sendId) {}

    /// A frame from the bus; a whole request when it was the last one of it.
    std::optional<Message> receive(const can::CanFrame& frame, int64_t now_us);
    void send(const Message& message, int64_t now_us);
    /// The next frame that may go out now.
    std::optional<can::CanFrame> nextFrame(int64_t now_us);
    /// When nextFrame() may have something, if ever.
    std::optional<int64_t> nextTime_us() const;
    bool sending() const { return !outgoing_.empty(); }
    void reset();

    // What this server asks of the tester, for tests of the tester's obedience.
    int blockSize = 0;
    uint8_t separation = 0;
    int waitsBeforeLeave = 0;

  private:
    void flowControl(uint8_t status);

    uint32_t receiveId_;
    uint32_t sendId_;
    std::deque<can::CanFrame> control_;
    // receiving
    Message incoming_;
    size_t expected_ = 0;
    uint8_t sequenceIn_ = 0;
    int inBlock_ = 0;
    int64_t giveUpIncoming_us_ = 0;
    // sending
    Message outgoing_;
    size_t sent_ = 0;
    uint8_t sequenceOut_ = 0;
    bool mayGoOn_ = false;
    int leftInBlock_ = 0;
    int64_t gap_us_ = 0;
    int64_t readyAt_us_ = 0;
    int64_t giveUpAt_us_ = 0;
};

/// Negative response codes of ISO 14229-1, annex A.
enum Refusal : uint8_t {
    kNoService = 0x11,
    kNoSubFunction = 0x12,
    kWrongLength = 0x13,
    kBusy = 0x21,
    kConditions = 0x22,
    kSequence = 0x24,
    kOutOfRange = 0x31,
    kDenied = 0x33,
    kWrongKey = 0x35,
    kTooManyKeys = 0x36,
    kKeyDelay = 0x37,
    kNotAccepted = 0x70,
    kProgramming = 0x72,
    kWrongBlock = 0x73,
    kPendingCode = 0x78,
    kNotInSession = 0x7F
};

/// The services: sessions, security, identification, memory up and down, routines, trouble codes, periodic data.
class Diagnostics {
  public:
    Diagnostics(ControllerMemory& memory, Controller& controller);

    void receive(const can::CanFrame& frame, int64_t now_us);
    /// Called every 10 ms: queues the periodic frames that are due.
    void tick(int64_t now_us);
    std::optional<can::CanFrame> nextFrame(int64_t now_us);
    std::optional<int64_t> nextTime_us() const;
    void powerUp(bool bootMode);
    bool bootMode() const { return bootMode_; }
    /// Whether the controller may send its own broadcasts (ISO 14229 communication control).
    bool talks() const { return talks_ && !bootMode_; }
    /// Set when a reset was asked for and its answer is out.
    bool takeReset();
    /// Set when the power went in the middle of programming.
    bool takePowerCut() { return std::exchange(powerCut_, false); }
    ServerTransport& transport() { return transport_; }
    void setVehicle(int engineSpeed_rpm, int battery_mV) {
        engineSpeed_rpm_ = engineSpeed_rpm, battery_mV_ = battery_mV;
    }

    static constexpr int64_t kEraseSector_us = 180000;
    static constexpr int64_t kProgramBlock_us = 6000;
    static constexpr int64_t kThinking_us = 400;  ///< between the last frame of a request and the first of its answer
    static constexpr size_t kMostDynamic = 24;

    /// Power goes when so many more bytes have been programmed; negative: it stays.
    int64_t powerCutAfterBytes = -1;

  private:
    struct Pending {
        int64_t at_us;
        Message message;
        std::function<void()> action;
    };
    void serve(const Message& request, bool functional, int64_t now_us);
    Message answer(const Message& request, int64_t now_us);
    Message refuse(uint8_t service, uint8_t code) const { return {0x7F, service, code}; }
    /// Says "pending" now and answers after `duration_us`, when `action` is done.
    Message later(uint8_t service, int64_t duration_us, int64_t now_us, Message response, std::function<void()> action);
    bool working() const;

    // Diagnostics.cpp
    Message session(const Message& r);
    Message reset(const Message& r);
    Message security(const Message& r, int64_t now_us);
    Message communication(const Message& r);
    Message codeSetting(const Message& r);
    // Identification.cpp
    Message readId(const Message& r);
    bool appendId(Message& out, uint16_t did) const;
    Message writeId(const Message& r);
    Message clearCodes(const Message& r);
    Message troubleCodes(const Message& r);
    Message snapshot(const Message& r) const;
    Message extended(const Message& r) const;
    Message dynamicId(const Message& r);
    Message defineDynamic(const Message& r);
    Message periodic(const Message& r);
    void stopPeriodic(uint8_t low);
    // Programming.cpp
    Message readMemory(const Message& r);
    Message routine(const Message& r, int64_t now_us);
    Message erase(const Message& r, int64_t now_us);
    Message beginTransfer(const Message& r, bool up);
    Message transfer(const Message& r, int64_t now_us);
    Message endTransfer(const Message& r);
    bool program(std::span<const uint8_t> bytes);

    ControllerMemory& memory_;
    Controller& controller_;
    Obd obd_;
    ServerTransport transport_;
    ServerTransport functional_;
    std::deque<Pending> pending_;
    std::deque<can::CanFrame> periodicFrames_;
    uint8_t session_ = 1;
    bool unlocked_ = false;
    uint32_t seed_ = 0;
    int wrongKeys_ = 0;
    int64_t lockedUntil_us_ = 0;
    int64_t lastRequest_us_ = 0;
    bool bootMode_ = false;
    bool resetAsked_ = false;
    bool powerCut_ = false;
    bool talks_ = true;
    int engineSpeed_rpm_ = 0;
    int battery_mV_ = 12400;
    std::optional<uint8_t> eraseResult_;
    enum class Direction { None, Up, Down } direction_ = Direction::None;
    uint32_t transferAt_ = 0;
    uint32_t transferEnd_ = 0;
    uint8_t blockCounter_ = 1;
    bool anyBlock_ = false;
    Message lastUpload_;
    struct Place {
        uint32_t address;
        uint32_t size;
    };
    std::map<uint16_t, std::vector<Place>> dynamic_;
    struct Periodic {
        uint8_t low;
        int64_t every;  ///< in ticks of 10 ms
    };
    std::vector<Periodic> periodic_;
    int64_t ticks_ = 0;
    // Written by a workshop and kept without power, beside the flash.
    std::array<uint8_t, 10> workshop_{};
    std::array<uint8_t, 4> programmingDate_{};
};

uint32_t get32(const Message& m, size_t at);

}  // namespace brusk::benchcar
