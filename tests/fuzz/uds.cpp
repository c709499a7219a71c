// Hostile answers to every service the client knows: each is a whole message, as the transport would hand it up.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstring>
#include <deque>

#include "core/link/Obd.h"
#include "core/link/Traffic.h"
#include "core/link/Transfer.h"

namespace {

using namespace brusk;

/// Answers each request with the next piece of the input (a length byte, then the message), cut into frames.
class AnsweringPort final : public link::CanPort {
  public:
    AnsweringPort(const uint8_t* data, size_t size) : data_(data), left_(size) {}
    using CanPort::send;
    Done send(const link::CanFrame& frame, int64_t) override {
        const uint8_t kind = frame.data[0] >> 4;
        if (kind == 1) push({0x30, 0, 0});
        if (kind == 3) std::swap(queue_, held_);
        // The last frame of a request: single, or a consecutive one that is filled up.
        if (kind == 0) answer();
        if (kind == 2 && frame.data[7] == 0xAA) answer();
        return {};
    }
    Done confirm(int64_t) override { return {}; }
    Result<std::optional<link::CanFrame>> receive(int64_t deadline_us) override {
        if (queue_.empty() || deadline_us <= now_) {
            now_ = std::max(now_, deadline_us);
            return std::optional<link::CanFrame>{};
        }
        const link::CanFrame frame = queue_.front();
        queue_.pop_front();
        now_ += 200;
        return std::optional(frame);
    }
    int64_t now_us() const override { return now_; }

  private:
    void push(std::initializer_list<uint8_t> bytes) { queue_.push_back(frameOf({bytes.begin(), bytes.end()})); }
    static link::CanFrame frameOf(const Bytes& bytes) {
        link::CanFrame frame;
        frame.id = 0x7E8;
        frame.length = 8;
        std::copy(bytes.begin(), bytes.end(), frame.data.begin());
        return frame;
    }
    void answer() {
        if (left_ < 2) return;
        const size_t count = std::min<size_t>(1 + data_[0] % 64, left_ - 1);
        const Bytes message(data_ + 1, data_ + 1 + count);
        data_ += 1 + count;
        left_ -= 1 + count;
        if (count <= 7) {
            Bytes frame{static_cast<uint8_t>(count)};
            frame.insert(frame.end(), message.begin(), message.end());
            queue_.push_back(frameOf(frame));
            return;
        }
        Bytes first{0x10, static_cast<uint8_t>(count)};
        first.insert(first.end(), message.begin(), message.begin() + 6);
        queue_.push_back(frameOf(first));
        uint8_t sequence = 1;
        for (size_t at = 6; at < count; at += 7, sequence = (sequence + 1) & 15) {
            Bytes frame{static_cast<uint8_t>(0x20 | sequence)};
            frame.insert(frame.end(), message.begin() + static_cast<long>(at),
                         message.begin() + static_cast<long>(std::min(count, at + 7)));
            held_.push_back(frameOf(frame));
        }
    }
    const uint8_t* data_;
    size_t left_;
    std::deque<link::CanFrame> queue_, held_;
    int64_t now_ = 0;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    static const link::Profile profile = [] {
        link::Profile out;
        out.key = {"rotate-xor-add", 1, 2, 3};
        out.freezeFrame = {{0xFD02, "speed", 2, false, 1, 0, "rpm"}, {0xFD05, "coolant", 4, true, 1, 0, ""}};
        out.identity = {{"vin", "VIN", 0xF190}};
        return out;
    }();
    AnsweringPort port(data, size);
    link::Uds uds(port, profile);
    (void)link::identify(uds);
    (void)uds.unlock();
    (void)uds.readTroubleCodes();
    (void)uds.freezeFrame(0x017200);
    (void)uds.occurrences(0x017200);
    (void)uds.readMemory(0x8C0000, 16);
    (void)uds.checksum(0, 16);
    (void)uds.requestUpload(0, 4096);
    (void)uds.receiveBlock(1);
    (void)uds.exitTransfer();
    link::Obd obd(port);
    if (const auto controllers = obd.discover()) {
        (void)obd.vehicle(controllers->front());
        (void)obd.current(controllers->front(), controllers->front().pids);
        (void)obd.freezeFrame(controllers->front());
        (void)obd.codes(*controllers);
    }
    (void)link::obdValues({data, size}, false);
    (void)link::obdValues({data, size}, true);
    (void)link::obdCodes({data, size});
    (void)link::messageText({data, size}, true);
    (void)link::messageText({data, size}, false);
    return 0;
}
