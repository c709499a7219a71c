// Hostile frames into the transport, with each way of addressing: no hang, no unbounded memory.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstring>

#include "core/link/IsoTp.h"

namespace {

/// Plays the input as frames of 9 bytes (length, data); time passes when it is empty.
class ScriptedPort final : public brusk::link::CanPort {
  public:
    ScriptedPort(const uint8_t* data, size_t size) : data_(data), left_(size) {}
    using CanPort::send;
    brusk::Done send(const brusk::link::CanFrame&, int64_t) override { return {}; }
    brusk::Done confirm(int64_t) override { return {}; }
    brusk::Result<std::optional<brusk::link::CanFrame>> receive(int64_t deadline_us) override {
        // A drain asks for what is here now; the script is for those who wait.
        if (left_ < 9 || deadline_us <= now_) {
            now_ = std::max(now_, deadline_us);
            return std::optional<brusk::link::CanFrame>{};
        }
        brusk::link::CanFrame frame;
        frame.id = 0x7E8;
        frame.length = data_[0] % 9;
        std::memcpy(frame.data.data(), data_ + 1, 8);
        data_ += 9;
        left_ -= 9;
        frame.time_us = now_ += 200;
        return std::optional(frame);
    }
    int64_t now_us() const override { return now_; }

  private:
    const uint8_t* data_;
    size_t left_;
    int64_t now_ = 0;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    if (size == 0) return 0;
    using namespace brusk;
    link::IsoTpAddress address;
    if (data[0] & 1) address.requestTarget = 0x10, address.responseTarget = 0xF1;
    if (data[0] & 2) address.padding.reset();
    ScriptedPort port(data + 1, size - 1);
    link::IsoTp transport(port, address);
    for (int i = 0; i < 8; ++i)
        if (const auto message = transport.receive(port.now_us() + 100000);
            message && message->size() > link::kLongestMessage)
            __builtin_trap();
    const Bytes request(static_cast<size_t>(data[0]) + 1, 0x5A);
    (void)transport.send(request);
    (void)transport.drain();
    return 0;
}
