// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Uds.h"

#include "core/base/Text.h"

namespace brusk::link {
namespace {

constexpr int kMostPending = 200;  // A controller that stays "pending" for longer than this has hung.
constexpr int kMostBusyRepeats = 10;
constexpr int64_t kTransportSlack_us = 1000000;

void append32(Bytes& out, uint32_t value) {
    for (int shift = 24; shift >= 0; shift -= 8)
        out.push_back(static_cast<uint8_t>(value >> shift));
}

void append16(Bytes& out, uint16_t value) {
    out.push_back(static_cast<uint8_t>(value >> 8));
    out.push_back(static_cast<uint8_t>(value));
}

std::string serviceName(uint8_t service) {
    switch (service) {
        case 0x10:
            return "start a session";
        case 0x11:
            return "reset";
        case 0x14:
            return "clear trouble codes";
        case 0x19:
            return "read trouble codes";
        case 0x22:
            return "read an identifier";
        case 0x27:
            return "security access";
        case 0x2A:
            return "periodic data";
        case 0x2C:
            return "define an identifier";
        case 0x31:
            return "run a routine";
        case 0x34:
            return "begin a download";
        case 0x35:
            return "begin an upload";
        case 0x36:
            return "transfer a block";
        case 0x37:
            return "end a transfer";
        case 0x3E:
            return "tester present";
        default:
            return "service " + hexAddress(service);
    }
}

}  // namespace

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

std::string TroubleCode::name() const {
    static constexpr char kSystem[] = "PCBU";
    char text[16];
    std::snprintf(text, sizeof text, "%c%04X-%02X", kSystem[code >> 22 & 3], code >> 8 & 0x3FFF, code & 0xFF);
    return text;
}

Result<Bytes> Uds::request(ByteSpan message) {
    if (message.empty()) return fail(ErrorCode::BadInput, "An empty request can't be sent.");
    const uint8_t service = message[0];
    for (int busy = 0;; ++busy) {
        if (auto done = transport_.drain(); !done) return tl::unexpected(done.error());
        if (auto done = transport_.send(message); !done)
            return failBecause("The controller did not take the request to " + serviceName(service) + ".",
                               done.error());
        int64_t deadline = port().now_us() + profile_.p2_us + kTransportSlack_us;
        bool again = false;
        for (int pending = 0; !again;) {
            auto answer = transport_.receive(deadline);
            if (!answer)
                return failBecause("The controller did not answer the request to " + serviceName(service) + ".",
                                   answer.error());
            if ((*answer)[0] == service + 0x40) return Bytes(answer->begin() + 1, answer->end());
            // An answer to an earlier request is let pass.
            if (answer->size() < 3 || (*answer)[0] != 0x7F || (*answer)[1] != service) continue;
            const uint8_t code = (*answer)[2];
            if (code == 0x78 && ++pending <= kMostPending) {
                deadline = port().now_us() + profile_.p2Star_us + kTransportSlack_us;
                continue;
            }
            if (code != 0x21 || busy >= kMostBusyRepeats)
                return fail(ErrorCode::Refused, "The controller refused to " + serviceName(service) + ": " +
                                                    negativeResponseText(code) + ".");
            again = true;
        }
    }
}

Done Uds::startSession(uint8_t session) {
    const auto answer = request(Bytes{0x10, session});
    if (!answer) return tl::unexpected(answer.error());
    return {};
}

Done Uds::unlock() {
    const auto seed = request(Bytes{0x27, profile_.securityLevel});
    if (!seed) return tl::unexpected(seed.error());
    if (seed->size() < 2) return fail(ErrorCode::BadInput, "The controller's seed is empty.");
    const ByteSpan value = ByteSpan(*seed).subspan(1);
    // All zeros: already open (ISO 14229-1, 9.4.1).
    bool open = true;
    for (const uint8_t byte : value)
        open = open && byte == 0;
    if (open) return {};
    const auto key = profile_.key.key(value);
    if (!key) return tl::unexpected(key.error());
    Bytes message{0x27, static_cast<uint8_t>(profile_.securityLevel + 1)};
    message.insert(message.end(), key->begin(), key->end());
    const auto answer = request(message);
    if (!answer) return tl::unexpected(answer.error());
    return {};
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

Result<std::vector<TroubleCode>> Uds::readTroubleCodes() {
    // Sub-function 02, by status mask: test failed, pending, confirmed.
    const auto answer = request(Bytes{0x19, 0x02, 0x0D});
    if (!answer) return tl::unexpected(answer.error());
    if (answer->size() < 2 || (answer->size() - 2) % 4)
        return fail(ErrorCode::BadInput, "The list of trouble codes has a wrong length.");
    std::vector<TroubleCode> codes;
    for (size_t at = 2; at < answer->size(); at += 4)
        codes.push_back(
            {static_cast<uint32_t>(loadUnsigned(answer->data() + at, 3, ByteOrder::BigEndian)), (*answer)[at + 3]});
    return codes;
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

Done Uds::erase(const Sector& sector) {
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
    if (block < 3 || block > IsoTp::kLongestMessage)
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
    const auto answer = request(Bytes{0x37});
    if (!answer) return tl::unexpected(answer.error());
    return {};
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
