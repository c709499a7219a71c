// Hostile bytes as raw frames of an interface, datagrams of a socket, and lines of a CAN log.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/SocketCan.h"
#include "core/link/SocketFrame.h"
#include "core/link/Traffic.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace brusk;
    const link::RawFrame raw = link::readRawFrame(data, size);
    (void)link::stateAfterError(raw, link::BusState::Active);
    if (const auto frame = link::unpackSocketFrame(data, size); frame && frame->length > 8) __builtin_trap();
    const auto log = can::readCandump(asText({data, size}));
    if (!log) return 0;
    // What was read is written and read again as the same.
    const auto again = can::readCandump(can::toCandump(log->frames, "can0"));
    if (!again || again->frames.size() != log->frames.size()) __builtin_trap();
    link::TrafficDecoder decoder;
    decoder.know(link::IsoTpAddress{});
    std::vector<link::TrafficLine> lines;
    for (const auto& frame : log->frames)
        decoder.take(frame, lines);
    if (lines.size() > log->frames.size()) __builtin_trap();
    return 0;
}
