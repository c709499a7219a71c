// On-board diagnostics for everybody: ISO 15031-5 / SAE J1979 modes 01, 02, 03, 04, 07 and 09.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <vector>

#include "benchcar/controller/Controller.h"

namespace brusk::benchcar {

using Message = std::vector<uint8_t>;

class Obd {
  public:
    Obd(ControllerMemory& memory, Controller& controller);
    static bool serves(uint8_t mode) {
        return mode == 1 || mode == 2 || mode == 3 || mode == 4 || mode == 7 || mode == 9;
    }
    /// Empty when what is asked for is not supported: on CAN the controller then keeps silent.
    Message answer(const Message& request);

  private:
    /// A parameter id: its length and its bytes, from a set of values (live or frozen).
    struct Pid {
        uint8_t id;
        int bytes;
        std::function<uint32_t(const FreezeFrame&)> live;
        bool frozen;  ///< kept in freeze frames
    };
    Message current(const Message& request);
    Message freezeFrame(const Message& request);
    Message codes(uint8_t mode, uint8_t mask) const;
    Message vehicle(const Message& request) const;
    uint32_t supported(uint8_t from, bool frozen) const;
    bool append(Message& out, uint8_t id, const FreezeFrame& values, bool frozen) const;
    const StoredCode* firstConfirmed() const;
    FreezeFrame now() const;

    ControllerMemory& memory_;
    Controller& controller_;
    std::vector<Pid> pids_;
};

}  // namespace brusk::benchcar
