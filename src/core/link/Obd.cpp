// Requests and formulas of SAE J1979, several ids at once where the car takes them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Obd.h"

#include <algorithm>

#include "core/base/Text.h"
#include "core/link/Uds.h"

namespace brusk::link {
namespace {

constexpr int64_t kAnswer_us = 200000;      // P2 of ISO 15765-4 is 50 ms; some gateways need more.
constexpr int64_t kPending_us = 5000000;    // P2*
constexpr int64_t kNextFrame_us = 1000000;  // N_Cr
// What one question may take in all, however often a controller says "pending" or begins anew.
constexpr int64_t kMostWaiting_us = 12000000;
constexpr int64_t kLook_us = 100000;  // how often it is looked whether somebody wants it stopped
constexpr uint8_t kTester = 0xF1;
constexpr uint8_t kFunctionalTarget = 0x33;
constexpr size_t kIdsARequest = 6;

/// Whether a frame is an answer to the functional address of ISO 15765-4, and from which physical address.
std::optional<IsoTpAddress> responder(const CanFrame& frame, bool extendedIds) {
    if (frame.extended != extendedIds) return std::nullopt;
    IsoTpAddress out;
    out.padding = 0x00;
    if (!extendedIds) {
        if (frame.id < 0x7E8 || frame.id > 0x7EF) return std::nullopt;
        out.requestId = frame.id - 8;
        out.responseId = frame.id;
        return out;
    }
    if ((frame.id & 0xFFFFFF00u) != (0x18DA0000u | kTester << 8)) return std::nullopt;
    out = IsoTpAddress::normalFixed(static_cast<uint8_t>(frame.id), kTester);
    out.padding = 0x00;
    return out;
}

std::string textOf(ByteSpan bytes) {
    std::string out;
    for (const uint8_t byte : bytes)
        if (byte >= 0x20 && byte < 0x7F) out += static_cast<char>(byte);
    return std::string(trimmed(out));
}

}  // namespace

std::string ObdController::name() const {
    char text[16];
    std::snprintf(text, sizeof text, address.extendedIds ? "%08X" : "%03X", address.responseId);
    return text;
}

Result<std::vector<Obd::Answer>> Obd::askAll(const Bytes& request, bool extendedIds) {
    IsoTpAddress all;
    if (extendedIds) all = IsoTpAddress::normalFixed(kFunctionalTarget, kTester, true);
    if (!extendedIds) all.requestId = 0x7DF;
    all.padding = 0x00;
    IsoTp out(port_, all);
    if (auto done = out.drain(); !done) return tl::unexpected(done.error());
    if (auto done = out.send(request); !done) return tl::unexpected(done.error());
    struct Stream {
        IsoTpAddress address;
        IsoTpAssembler assembler;
        bool pending = false;
    };
    std::map<uint32_t, Stream> streams;
    std::vector<Answer> answers;
    int64_t deadline_us = port_.now_us() + kAnswer_us;
    const int64_t atMost_us = port_.now_us() + kMostWaiting_us;
    while (true) {
        if (stopped()) return fail(ErrorCode::Cancelled, "Stopped as you asked.");
        deadline_us = std::min(deadline_us, atMost_us);
        const auto frame = port_.receive(std::min(deadline_us, port_.now_us() + kLook_us));
        if (!frame) return tl::unexpected(frame.error());
        if (port_.now_us() >= deadline_us && (!*frame || port_.now_us() >= atMost_us)) return answers;
        if (!*frame) continue;
        const auto from = responder(**frame, extendedIds);
        if (!from) continue;
        Stream& stream = streams.try_emplace((*frame)->id, Stream{*from, IsoTpAssembler(), false}).first->second;
        const auto event = stream.assembler.take(**frame);
        if (event == IsoTpAssembler::Event::Begun) {
            if (auto done = port_.send(from->frame(kGoOn)); !done) return tl::unexpected(done.error());
            deadline_us = std::max(deadline_us, port_.now_us() + kNextFrame_us);
        }
        if (event != IsoTpAssembler::Event::Complete) continue;
        const Bytes& message = stream.assembler.message();
        if (message.size() >= 3 && message[0] == 0x7F && message[1] == request[0] && message[2] == 0x78) {
            stream.pending = true;
            deadline_us = std::max(deadline_us, port_.now_us() + kPending_us);
            continue;
        }
        stream.pending = false;
        if (message[0] == request[0] + 0x40)
            answers.push_back({(*frame)->id, Bytes(message.begin() + 1, message.end())});
        // Nobody is waited for longer than the answer time once those who asked for more are done.
        const bool waiting = std::any_of(streams.begin(), streams.end(), [](const auto& entry) {
            return entry.second.pending || entry.second.assembler.underWay();
        });
        if (!waiting) deadline_us = std::min(deadline_us, port_.now_us() + kAnswer_us);
    }
}

Result<std::optional<Bytes>> Obd::ask(const ObdController& controller, const Bytes& request) {
    IsoTp transport(port_, controller.address);
    transport.setOtherFrames(onOther_);
    for (int attempt = 1;; ++attempt) {
        if (auto done = transport.drain(); !done) return tl::unexpected(done.error());
        if (auto done = transport.send(request); !done) return tl::unexpected(done.error());
        int64_t deadline_us = port_.now_us() + kAnswer_us;
        const int64_t atMost_us = port_.now_us() + kMostWaiting_us;
        while (true) {
            if (stopped()) return fail(ErrorCode::Cancelled, "Stopped as you asked.");
            if (port_.now_us() >= atMost_us)
                return fail(ErrorCode::Timeout,
                            "Controller " + controller.name() + " says \"pending\" and never answers.");
            auto answer = transport.receive(std::min(deadline_us, atMost_us));
            if (!answer && answer.error().code == ErrorCode::LinkLost) return tl::unexpected(answer.error());
            if (!answer && port_.now_us() >= atMost_us) continue;  // said above
            // What is not supported is not answered (ISO 15031-5, 5.2); it is asked twice to be sure.
            if (!answer && attempt >= 2) return std::optional<Bytes>{};
            if (!answer) break;
            if (answer->size() >= 3 && (*answer)[0] == 0x7F && (*answer)[1] == request[0]) {
                if ((*answer)[2] != 0x78) return std::optional<Bytes>{};
                deadline_us = port_.now_us() + kPending_us;
                continue;
            }
            if ((*answer)[0] == request[0] + 0x40) return std::optional(Bytes(answer->begin() + 1, answer->end()));
        }
    }
}

Result<std::vector<uint8_t>> Obd::supported(const ObdController& controller, uint8_t mode, ByteSpan first) {
    std::vector<uint8_t> out;
    Bytes answer(first.begin(), first.end());
    // Ids 0x00, 0x20, 0x40 ... tell of the 32 ids behind them; the last of these tells whether there are more.
    const size_t head = mode == 0x02 ? 2 : 1;
    for (int base = 0;;) {
        if (answer.size() < head + 4 || answer[0] != base) return out;
        for (int i = 0; i < 32; ++i)
            if (answer[head + static_cast<size_t>(i / 8)] & 0x80 >> i % 8)
                out.push_back(static_cast<uint8_t>(base + i + 1));
        base += 0x20;
        if (out.empty() || out.back() != base || base > 0xE0) return out;
        out.pop_back();
        Bytes request{mode, static_cast<uint8_t>(base)};
        if (mode == 0x02) request.push_back(0x00);
        auto more = ask(controller, request);
        if (!more) return tl::unexpected(more.error());
        if (!*more) return out;
        answer = **more;
    }
}

Result<std::vector<ObdController>> Obd::discover() {
    for (const bool extendedIds : {false, true}) {
        const auto answers = askAll(Bytes{0x01, 0x00}, extendedIds);
        if (!answers) return tl::unexpected(answers.error());
        std::vector<ObdController> out;
        for (const Answer& answer : *answers) {
            CanFrame from;
            from.id = answer.id;
            from.extended = extendedIds;
            ObdController controller{*responder(from, extendedIds), {}};
            const auto pids = supported(controller, 0x01, answer.message);
            if (!pids) return tl::unexpected(pids.error());
            controller.pids = *pids;
            out.push_back(std::move(controller));
        }
        std::sort(out.begin(), out.end(), [](const ObdController& a, const ObdController& b) {
            return a.address.responseId < b.address.responseId;
        });
        if (!out.empty()) return out;
    }
    return fail(ErrorCode::NotFound, "No controller answers OBD requests on this link. Is the ignition on?");
}

Result<std::optional<Bytes>> Obd::currentBytes(const ObdController& controller, std::span<const uint8_t> pids) {
    Bytes request{0x01};
    request.insert(request.end(), pids.begin(), pids.end());
    return ask(controller, request);
}

Result<std::vector<ObdValue>> Obd::current(const ObdController& controller, const std::vector<uint8_t>& pids) {
    std::vector<ObdValue> out;
    std::vector<uint8_t> wanted;
    for (const uint8_t pid : pids)
        if (obdPid(pid) && std::binary_search(controller.pids.begin(), controller.pids.end(), pid))
            wanted.push_back(pid);
    for (size_t at = 0; at < wanted.size(); at += kIdsARequest) {
        Bytes request{0x01};
        request.insert(request.end(), wanted.begin() + static_cast<long>(at),
                       wanted.begin() + static_cast<long>(std::min(wanted.size(), at + kIdsARequest)));
        auto answer = ask(controller, request);
        if (!answer) return tl::unexpected(answer.error());
        // A controller that takes one id at a time is asked so.
        if (!*answer && request.size() > 2) {
            for (size_t i = 1; i < request.size(); ++i) {
                const auto single = ask(controller, Bytes{0x01, request[i]});
                if (!single) return tl::unexpected(single.error());
                if (*single)
                    for (ObdValue& value : obdValues(**single, false))
                        out.push_back(std::move(value));
            }
            continue;
        }
        if (*answer)
            for (ObdValue& value : obdValues(**answer, false))
                out.push_back(std::move(value));
    }
    return out;
}

Result<std::optional<Obd::Frozen>> Obd::freezeFrame(const ObdController& controller) {
    const auto first = ask(controller, Bytes{0x02, 0x00, 0x00});
    if (!first) return tl::unexpected(first.error());
    if (!*first) return std::optional<Frozen>{};
    const auto pids = supported(controller, 0x02, **first);
    if (!pids) return tl::unexpected(pids.error());
    Frozen out;
    for (const uint8_t pid : *pids) {
        const auto answer = ask(controller, Bytes{0x02, pid, 0x00});
        if (!answer) return tl::unexpected(answer.error());
        if (!*answer) continue;
        for (ObdValue& value : obdValues(**answer, true)) {
            if (value.pid == 0x02)
                out.code = value.text;
            else
                out.values.push_back(std::move(value));
        }
    }
    if (out.code.empty() || out.code == "P0000") return std::optional<Frozen>{};
    return std::optional(std::move(out));
}

Result<std::vector<ObdCode>> Obd::codes(const std::vector<ObdController>& controllers) {
    std::vector<ObdCode> out;
    for (const ObdController& controller : controllers)
        for (const uint8_t mode : {uint8_t{0x03}, uint8_t{0x07}}) {
            const auto answer = ask(controller, Bytes{mode});
            if (!answer) return tl::unexpected(answer.error());
            if (!*answer) continue;
            const auto names = obdCodes(**answer);
            if (!names) return tl::unexpected(names.error());
            for (const std::string& name : *names)
                out.push_back({name, mode == 0x07, controller.name()});
        }
    return out;
}

Result<ObdVehicle> Obd::vehicle(const ObdController& controller) {
    ObdVehicle out;
    // Behind the id stands how many items follow.
    const auto items = [&](uint8_t id) -> Result<Bytes> {
        auto answer = ask(controller, Bytes{0x09, id});
        if (!answer) return tl::unexpected(answer.error());
        if (!*answer || (*answer)->size() < 2 || (**answer)[0] != id) return Bytes{};
        return Bytes((*answer)->begin() + 2, (*answer)->end());
    };
    const auto vin = items(0x02), ids = items(0x04), numbers = items(0x06), name = items(0x0A);
    for (const auto* part : {&vin, &ids, &numbers, &name})
        if (!*part) return tl::unexpected(part->error());
    out.vin = textOf(*vin);
    for (size_t at = 0; at + 16 <= ids->size(); at += 16)
        out.calibrations.push_back(textOf(ByteSpan(*ids).subspan(at, 16)));
    for (size_t at = 0; at + 4 <= numbers->size(); at += 4)
        out.verificationNumbers.push_back(hexBytes(ByteSpan(*numbers).subspan(at, 4)));
    out.controllerName = textOf(*name);
    return out;
}

Done Obd::clear(const std::vector<ObdController>& controllers) {
    for (const ObdController& controller : controllers) {
        const auto answer = ask(controller, Bytes{0x04});
        if (!answer) return tl::unexpected(answer.error());
        if (!*answer)
            return fail(ErrorCode::Refused, "Controller " + controller.name() +
                                                " did not clear its codes. Switch the engine off, ignition on.");
    }
    return {};
}

}  // namespace brusk::link
