// Hostile frames into the transport and the UDS client: no hang, no unbounded memory.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstring>

#include "core/link/Uds.h"

namespace {

/// Plays the input as frames of 9 bytes (length, data); time passes when it is empty.
class ScriptedPort final : public brusk::link::CanPort {
  public:
    ScriptedPort(const uint8_t* data, size_t size) : data_(data), left_(size) {}
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
    static const brusk::link::Profile profile;
    ScriptedPort port(data, size);
    brusk::link::Uds uds(port, profile);
    (void)uds.readId(0xF190);
    (void)uds.readTroubleCodes();
    (void)uds.requestUpload(0, 4096);
    (void)uds.receiveBlock(1);
    (void)uds.checksum(0, 16);
    return 0;
}
