// A tester on the bench car's bus, for tests of its diagnostics.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "Expect.h"
#include "benchcar/VirtualBus.h"
#include "core/link/Transfer.h"

namespace brusk::benchcar {

struct Wire {
    Wire()
        : car(kHeronStock, 1),
          bus(car),
          profile(*link::readProfile(readText(BRUSK_DATA_DIR "/heron/aldine-e2.profile.json"))),
          uds(bus, profile) {}

    /// The negative response code to a raw request; 0 for a positive answer, -1 for none.
    int refusal(const Bytes& request) {
        if (!uds.transport().send(request)) return -1;
        for (int i = 0; i < 5; ++i) {
            const auto answer = uds.transport().receive(bus.now_us() + 500000);
            if (!answer) return -1;
            if ((*answer)[0] != 0x7F) return 0;
            if ((*answer)[2] != 0x78) return (*answer)[2];
        }
        return -1;
    }
    void open(uint8_t session) {
        if (!uds.startSession(session) || !uds.unlock()) qFatal("the session did not open");
    }
    void letTimePass(double seconds) {
        const int64_t until = bus.now_us() + static_cast<int64_t>(seconds * 1e6);
        while (bus.now_us() < until)
            if (!bus.receive(until)) break;
    }

    BenchCar car;
    VirtualBus bus;
    link::Profile profile;
    link::Uds uds;
};

}  // namespace brusk::benchcar
