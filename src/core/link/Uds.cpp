// Services of ISO 14229, each with its answer or a sentence on the refusal.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Uds.h"

#include <algorithm>

#include "core/base/Text.h"

namespace brusk::link {
namespace {

// A controller that stays "pending" for longer than this has hung: erasing and checking memory takes long, the rest
// not.
constexpr int64_t kMostPendingSlow_us = 180000000;
constexpr int64_t kMostPending_us = 12000000;
constexpr int64_t kMostBusy_us = 10000000;
constexpr int kMostBusyRepeats = 100;
constexpr int64_t kBusyPause_us = 50000;
constexpr int64_t kTransportSlack_us = 500000;  // What the operating system and the way back may add to P2.

void append32(Bytes& out, uint32_t value) {
    for (int shift = 24; shift >= 0; shift -= 8)
        out.push_back(static_cast<uint8_t>(value >> shift));
}

void append16(Bytes& out, uint16_t value) {
    out.push_back(static_cast<uint8_t>(value >> 8));
    out.push_back(static_cast<uint8_t>(value));
}

struct ServiceWords {
    uint8_t service;
    const char* name;
    const char* text;
    size_t echo;  ///< bytes of the request, after the service, that the answer repeats
};

constexpr ServiceWords kServices[] = {
    {0x01, "CurrentData", "read live values", 1},
    {0x02, "FreezeFrameData", "read a freeze frame", 1},
    {0x03, "StoredCodes", "read stored codes", 0},
    {0x04, "ClearCodes", "clear codes", 0},
    {0x07, "PendingCodes", "read pending codes", 0},
    {0x09, "VehicleInformation", "read vehicle information", 1},
    {0x10, "DiagnosticSessionControl", "start a session", 1},
    {0x11, "ECUReset", "reset", 1},
    {0x14, "ClearDiagnosticInformation", "clear trouble codes", 0},
    {0x19, "ReadDTCInformation", "read trouble codes", 1},
    {0x22, "ReadDataByIdentifier", "read an identifier", 2},
    {0x23, "ReadMemoryByAddress", "read memory", 0},
    {0x27, "SecurityAccess", "security access", 1},
    {0x28, "CommunicationControl", "be silent", 1},
    {0x2A, "ReadDataByPeriodicIdentifier", "periodic data", 0},
    {0x2C, "DynamicallyDefineDataIdentifier", "define an identifier", 1},
    {0x2E, "WriteDataByIdentifier", "write an identifier", 2},
    {0x31, "RoutineControl", "run a routine", 3},
    {0x34, "RequestDownload", "begin a download", 0},
    {0x35, "RequestUpload", "begin an upload", 0},
    {0x36, "TransferData", "transfer a block", 1},
    {0x37, "RequestTransferExit", "end a transfer", 0},
    {0x3E, "TesterPresent", "tester present", 1},
    {0x85, "ControlDTCSetting", "hold trouble codes", 1},
};

const ServiceWords* wordsOf(uint8_t service) {
    for (const ServiceWords& words : kServices)
        if (words.service == service) return &words;
    return nullptr;
}

bool worthRepeating(const Error& error) {
    return error.code == ErrorCode::Timeout || error.code == ErrorCode::BadInput;
}

/// Whether a positive answer belongs to this request: it repeats sub-function, identifier or block number.
bool answers(ByteSpan answer, ByteSpan request) {
    if (answer[0] != static_cast<uint8_t>(request[0] + 0x40)) return false;
    const ServiceWords* words = wordsOf(request[0]);
    const size_t echo = words ? std::min(words->echo, request.size() - 1) : 0;
    if (answer.size() < 1 + echo) return false;
    for (size_t i = 1; i <= echo; ++i) {
        // The bit that suppresses an answer is none of the sub-function's own.
        const bool counts = request[0] == 0x36 || request[0] == 0x22 || request[0] == 0x2E || i > 1;
        if ((answer[i] & (counts ? 0xFF : 0x7F)) != (request[i] & (counts ? 0xFF : 0x7F))) return false;
    }
    return true;
}

}  // namespace

std::string serviceText(uint8_t service) {
    const ServiceWords* words = wordsOf(service);
    return words ? words->text : "service " + hexAddress(service);
}

std::string serviceName(uint8_t service) {
    const ServiceWords* words = wordsOf(service);
    return words ? words->name : std::string();
}

std::string negativeResponseText(uint8_t code) {
    switch (code) {
        case 0x10:
            return "it rejects the request";
        case 0x11:
            return "it does not know this service";
        case 0x12:
            return "it does not know this sub-function";
        case 0x13:
            return "the request has the wrong length or format";
        case 0x14:
            return "the response would be too long";
        case 0x21:
            return "it is busy; try again";
        case 0x22:
            return "the conditions are not right (engine running, or the step is out of turn)";
        case 0x24:
            return "the request is out of sequence";
        case 0x25:
            return "a part behind it does not answer";
        case 0x26:
            return "a failure prevents it";
        case 0x31:
            return "an address, identifier or number is out of range";
        case 0x33:
            return "security access is needed first";
        case 0x35:
            return "the key is wrong";
        case 0x36:
            return "too many wrong keys";
        case 0x37:
            return "it wants a pause before the next key";
        case 0x70:
            return "it accepts no upload or download of this stretch";
        case 0x71:
            return "the transfer was suspended";
        case 0x72:
            return "programming failed";
        case 0x73:
            return "a block came out of order";
        case 0x78:
            return "it needs more time";
        case 0x7E:
            return "the sub-function is not available in this session";
        case 0x7F:
            return "the service is not available in this session";
        case 0x92:
            return "the voltage is too high";
        case 0x93:
            return "the voltage is too low";
        default:
            return "it refuses with code " + hexAddress(code);
    }
}

std::string troubleCodeName(uint16_t code) {
    static constexpr char kSystem[] = "PCBU";
    char text[8];
    std::snprintf(text, sizeof text, "%c%04X", kSystem[code >> 14 & 3], code & 0x3FFF);
    return text;
}

std::string TroubleCode::name() const {
    char type[8];
    std::snprintf(type, sizeof type, "-%02X", code & 0xFF);
    return troubleCodeName(static_cast<uint16_t>(code >> 8)) + type;
}

Result<std::optional<Bytes>> Uds::awaitAnswer(ByteSpan message) {
    const uint8_t service = message[0];
    int64_t deadline = port().now_us() + profile_.p2_us + kTransportSlack_us;
    const bool slow = service == 0x31 || service == 0x34 || service == 0x36 || service == 0x37;
    const int64_t atMost = port().now_us() + (slow ? kMostPendingSlow_us : kMostPending_us);
    while (true) {
        if (goOn_ && !goOn_()) return fail(ErrorCode::Cancelled, "Stopped as you asked.");
        auto answer = transport_.receive(deadline);
        if (!answer) return tl::unexpected(answer.error());
        if (answers(*answer, message)) return Bytes(answer->begin() + 1, answer->end());
        // An answer to an earlier request is let pass, as long as there is time.
        if (port().now_us() > deadline)
            return fail(ErrorCode::Timeout, "No answer: only answers to something else came.");
        if (answer->size() < 3 || (*answer)[0] != 0x7F || (*answer)[1] != service) continue;
        const uint8_t code = (*answer)[2];
        if (code == 0x78) {
            deadline = std::min(atMost, port().now_us() + profile_.p2Star_us + kTransportSlack_us);
            if (port().now_us() < atMost) continue;
        }
        lastRefusal_ = code;
        if (code == 0x21) return std::optional<Bytes>{};
        return fail(ErrorCode::Refused,
                    "The controller refused to " + serviceText(service) + ": " + negativeResponseText(code) + ".");
    }
}

Result<Bytes> Uds::requestOnce(ByteSpan message) {
    const uint8_t service = message[0];
    const int64_t atMost = port().now_us() + kMostBusy_us;
    for (int busy = 0; busy <= kMostBusyRepeats && port().now_us() < atMost; ++busy) {
        if (auto done = transport_.drain(); !done) return tl::unexpected(done.error());
        if (auto done = transport_.send(message); !done)
            return failBecause("The controller did not take the request to " + serviceText(service) + ".",
                               done.error());
        auto answer = awaitAnswer(message);
        if (!answer && answer.error().code != ErrorCode::Refused && answer.error().code != ErrorCode::Cancelled)
            return failBecause("The controller did not answer the request to " + serviceText(service) + ".",
                               answer.error());
        if (!answer) return tl::unexpected(answer.error());
        if (*answer) return std::move(**answer);
        // Busy: asked again after a while, as 14229-1 (table A.1, busyRepeatRequest) wants it.
        for (const int64_t until = port().now_us() + kBusyPause_us; port().now_us() < until;)
            if (auto frame = port().receive(until); !frame) return tl::unexpected(frame.error());
    }
    return fail(ErrorCode::Refused,
                "The controller refused to " + serviceText(service) + ": " + negativeResponseText(0x21) + ".");
}

Result<Bytes> Uds::request(ByteSpan message, int tries) {
    if (message.empty()) return fail(ErrorCode::BadInput, "An empty request can't be sent.");
    for (int attempt = 1;; ++attempt) {
        auto answer = requestOnce(message);
        if (answer || attempt >= tries || !worthRepeating(answer.error())) return answer;
        ++repeats_;
    }
}

Done Uds::startSession(uint8_t session) {
    const auto answer = request(Bytes{0x10, session});
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Done Uds::unlock() {
    for (int attempt = 1;; ++attempt) {
        const auto seed = request(Bytes{0x27, profile_.securityLevel});
        if (!seed) return tl::unexpected(seed.error());
        if (seed->size() < 2) return fail(ErrorCode::BadInput, "The controller's seed is empty.");
        const ByteSpan value = ByteSpan(*seed).subspan(1);
        // All zeros: already open (ISO 14229-1, 9.4.1).
        if (std::all_of(value.begin(), value.end(), [](uint8_t byte) { return byte == 0; })) return {};
        const auto key = profile_.key.key(value);
        if (!key) return tl::unexpected(key.error());
        Bytes message{0x27, static_cast<uint8_t>(profile_.securityLevel + 1)};
        message.insert(message.end(), key->begin(), key->end());
        // A key is good for one try; after a lost answer the next seed tells whether it was taken.
        const auto answer = request(message, 1);
        if (answer) return {};
        if (attempt >= kTries || !worthRepeating(answer.error())) return tl::unexpected(answer.error());
        ++repeats_;
    }
}

Done Uds::reset() {
    const auto answer = request(Bytes{0x11, 0x01});
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Done Uds::testerPresent() {
    // Bit 7: no answer wanted.
    return transport_.send(Bytes{0x3E, 0x80});
}

Result<Bytes> Uds::readId(uint16_t did) {
    Bytes message{0x22};
    append16(message, did);
    auto answer = request(message);
    if (!answer) return answer;
    if (answer->size() < 2 || loadUnsigned(answer->data(), 2, ByteOrder::BigEndian) != did)
        return fail(ErrorCode::BadInput,
                    "The controller answered for another identifier than " + hexAddress(did) + ".");
    return Bytes(answer->begin() + 2, answer->end());
}

Done Uds::writeId(uint16_t did, ByteSpan data) {
    Bytes message{0x2E};
    append16(message, did);
    message.insert(message.end(), data.begin(), data.end());
    const auto answer = request(message);
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Result<Bytes> Uds::readMemory(uint32_t address, uint16_t size) {
    Bytes message{0x23, 0x24};
    append32(message, address);
    append16(message, size);
    auto answer = request(message);
    if (answer && answer->size() != size)
        return fail(ErrorCode::BadInput, "The controller sent " + std::to_string(answer->size()) + " bytes from " +
                                             hexAddress(address) + "; " + std::to_string(size) + " were asked for.");
    return answer;
}

Done Uds::silence(bool silent) {
    // Normal messages (communication type 1): neither sent nor received, or both again.
    const auto answer = request(Bytes{0x28, static_cast<uint8_t>(silent ? 0x03 : 0x00), 0x01});
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Done Uds::holdTroubleCodes(bool hold) {
    const auto answer = request(Bytes{0x85, static_cast<uint8_t>(hold ? 0x02 : 0x01)});
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Result<std::vector<FrozenValue>> Uds::freezeFrame(uint32_t code) {
    const auto answer = request(Bytes{0x19, 0x04, static_cast<uint8_t>(code >> 16), static_cast<uint8_t>(code >> 8),
                                      static_cast<uint8_t>(code), 0xFF});
    if (!answer) return tl::unexpected(answer.error());
    std::vector<FrozenValue> out;
    if (answer->size() < 5) return fail(ErrorCode::BadInput, "The freeze frame is cut off.");
    // Sub-function, code, status; then each record: its number, how many identifiers, and each with its value.
    const ByteView view(*answer);
    for (uint64_t at = 5; at < answer->size();) {
        const auto count = view.number(at + 1, 1, ByteOrder::BigEndian);
        if (!count) return fail(ErrorCode::BadInput, "The freeze frame is cut off.");
        at += 2;
        for (uint64_t i = 0; i < *count; ++i) {
            const auto did = view.number(at, 2, ByteOrder::BigEndian);
            const FrozenItem* item = did ? profile_.frozenItem(static_cast<uint16_t>(*did)) : nullptr;
            // Without its length nothing behind an unknown identifier can be found.
            if (did && !item) return out;
            const auto raw = item ? view.number(at + 2, item->bytes, ByteOrder::BigEndian) : std::nullopt;
            if (!raw) return fail(ErrorCode::BadInput, "The freeze frame is cut off.");
            out.push_back({item->did, static_cast<uint32_t>(*raw)});
            at += 2 + item->bytes;
        }
    }
    return out;
}

Result<int> Uds::occurrences(uint32_t code) {
    const auto answer = request(Bytes{0x19, 0x06, static_cast<uint8_t>(code >> 16), static_cast<uint8_t>(code >> 8),
                                      static_cast<uint8_t>(code), 0x01});
    if (!answer) return tl::unexpected(answer.error());
    if (answer->size() < 7) return fail(ErrorCode::NotFound, "The controller counts no occurrences.");
    return static_cast<int>((*answer)[6]);
}

Result<std::vector<TroubleCode>> troubleCodesIn(ByteSpan answer) {
    if (answer.size() < 2 || (answer.size() - 2) % 4)
        return fail(ErrorCode::BadInput, "The list of trouble codes has a wrong length.");
    std::vector<TroubleCode> codes;
    for (size_t at = 2; at < answer.size(); at += 4)
        codes.push_back(
            {static_cast<uint32_t>(loadUnsigned(answer.data() + at, 3, ByteOrder::BigEndian)), answer[at + 3]});
    return codes;
}

Result<std::vector<TroubleCode>> Uds::readTroubleCodes() {
    const auto answer = request(kTroubleCodesRequest);
    if (!answer) return tl::unexpected(answer.error());
    return troubleCodesIn(*answer);
}

Done Uds::clearTroubleCodes() {
    const auto answer = request(Bytes{0x14, 0xFF, 0xFF, 0xFF});
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Result<Bytes> Uds::routine(uint16_t id, ByteSpan options) {
    Bytes message{0x31, 0x01};
    append16(message, id);
    message.insert(message.end(), options.begin(), options.end());
    auto answer = request(message);
    if (!answer) return answer;
    if (answer->size() < 3 || loadUnsigned(answer->data() + 1, 2, ByteOrder::BigEndian) != id)
        return fail(ErrorCode::BadInput, "The controller answered for another routine than " + hexAddress(id) + ".");
    return Bytes(answer->begin() + 3, answer->end());
}

Done Uds::erase(const image::Sector& sector) {
    Bytes options{0x44};
    append32(options, sector.start);
    append32(options, sector.length);
    const auto answer = routine(profile_.routineErase, options);
    if (!answer) return tl::unexpected(answer.error());
    if (!answer->empty() && (*answer)[0] != 0)
        return fail(ErrorCode::Refused,
                    "The controller could not erase the sector at " + hexAddress(sector.start) + ".");
    return {};
}

Result<uint32_t> Uds::checksum(uint32_t start, uint32_t length) {
    Bytes options{0x44};
    append32(options, start);
    append32(options, length);
    const auto answer = routine(profile_.routineChecksum, options);
    if (!answer) return tl::unexpected(answer.error());
    if (answer->size() < 4) return fail(ErrorCode::BadInput, "The controller's checksum is cut off.");
    return static_cast<uint32_t>(loadUnsigned(answer->data(), 4, ByteOrder::BigEndian));
}

Done Uds::checkDependencies() {
    const auto answer = routine(profile_.routineDependencies, {});
    if (!answer) return tl::unexpected(answer.error());
    if (!answer->empty() && (*answer)[0] != 0)
        return fail(
            ErrorCode::Mismatch,
            "The controller finds its own checksums wrong after programming. It stays in boot mode; flash again.");
    return {};
}

Done Uds::forgetLearned() {
    if (!profile_.routineForget)
        return fail(ErrorCode::NotFound, "The profile knows no routine that clears what the controller learned.");
    const auto answer = routine(*profile_.routineForget, {});
    if (!answer) return tl::unexpected(answer.error());
    if (!answer->empty() && (*answer)[0] != 0)
        return fail(ErrorCode::Refused, "The controller keeps what it learned; clear the trouble codes instead.");
    return {};
}

Result<size_t> Uds::requestTransfer(uint8_t service, uint32_t start, uint32_t length) {
    Bytes message{service, 0x00, 0x44};
    append32(message, start);
    append32(message, length);
    const auto answer = request(message);
    if (!answer) return tl::unexpected(answer.error());
    const size_t bytes = answer->empty() ? 0 : (*answer)[0] >> 4;
    if (bytes == 0 || bytes > 8 || answer->size() < 1 + bytes)
        return fail(ErrorCode::BadInput, "The controller's block length is cut off.");
    const uint64_t block = loadUnsigned(answer->data() + 1, bytes, ByteOrder::BigEndian);
    // Service byte and counter are part of the block length (ISO 14229-1, 14.2.2.2).
    if (block < 3 || block > kLongestMessage)
        return fail(ErrorCode::BadInput,
                    "The controller's block length of " + std::to_string(block) + " bytes can't be used.");
    return static_cast<size_t>(block - 2);
}

Result<size_t> Uds::requestDownload(uint32_t start, uint32_t length) {
    return requestTransfer(0x34, start, length);
}
Result<size_t> Uds::requestUpload(uint32_t start, uint32_t length) {
    return requestTransfer(0x35, start, length);
}

Done Uds::sendBlock(uint8_t counter, ByteSpan data) {
    Bytes message{0x36, counter};
    message.insert(message.end(), data.begin(), data.end());
    const auto answer = request(message);
    if (!answer) return tl::unexpected(answer.error());
    if (answer->empty() || (*answer)[0] != counter)
        return fail(ErrorCode::BadInput, "The controller confirmed another block than the one sent.");
    return {};
}

Result<Bytes> Uds::receiveBlock(uint8_t counter) {
    auto answer = request(Bytes{0x36, counter});
    if (!answer) return answer;
    if (answer->empty() || (*answer)[0] != counter)
        return fail(ErrorCode::BadInput, "The controller sent another block than the one asked for.");
    return Bytes(answer->begin() + 1, answer->end());
}

Done Uds::exitTransfer() {
    for (int attempt = 1;; ++attempt) {
        const auto answer = request(Bytes{0x37}, 1);
        if (answer) return {};
        // Asked again after a lost answer: "out of sequence" then says that it was done.
        if (attempt > 1 && answer.error().code == ErrorCode::Refused && lastRefusal_ == 0x24) return {};
        if (attempt >= kTries || !worthRepeating(answer.error())) return tl::unexpected(answer.error());
        ++repeats_;
    }
}

Done Uds::defineDynamicId(uint16_t did, const std::vector<Place>& places) {
    Bytes message{0x2C, 0x02};
    append16(message, did);
    message.push_back(0x14);
    for (const Place& place : places) {
        append32(message, place.address);
        message.push_back(place.size);
    }
    const auto answer = request(message);
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Done Uds::clearDynamicIds() {
    const auto answer = request(Bytes{0x2C, 0x03});
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Done Uds::startPeriodic(uint8_t rate, const std::vector<uint8_t>& ids) {
    Bytes message{0x2A, rate};
    message.insert(message.end(), ids.begin(), ids.end());
    const auto answer = request(message);
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Done Uds::stopPeriodic() {
    const auto answer = request(Bytes{0x2A, 0x04});
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

}  // namespace brusk::link
