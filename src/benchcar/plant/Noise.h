// Repeatable noise: same seed, same numbers, on every machine.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace brusk::benchcar {

class Noise {
  public:
    explicit Noise(uint64_t seed) : state_(seed * 0x9E3779B97F4A7C15ull + 0x1234567ull) {}

    uint64_t next() {
        // splitmix64 (Steele, Lea, Flood 2014)
        state_ += 0x9E3779B97F4A7C15ull;
        uint64_t z = state_;
        z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ull;
        z = (z ^ (z >> 27)) * 0x94D049BB133111EBull;
        return z ^ (z >> 31);
    }

    /// About normal with standard deviation one: four uniform numbers from one draw.
    double normal() {
        const uint64_t bits = next();
        const double sum =
            static_cast<double>((bits & 0xFFFF) + (bits >> 16 & 0xFFFF) + (bits >> 32 & 0xFFFF) + (bits >> 48));
        return (sum / 65536.0 - 2.0) * 1.7320508;
    }

  private:
    uint64_t state_;
};

}  // namespace brusk::benchcar
