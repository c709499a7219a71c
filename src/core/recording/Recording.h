// Samples of channels over time, as columns.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <cstdint>
#include <limits>
#include <string>
#include <string_view>
#include <vector>

#include "core/roles/Role.h"

namespace brusk::recording {

/// One recorded signal. NaN marks a sample that did not arrive.
struct Channel {
    std::string name;
    std::string unit;
    std::string description;
    std::string role;
    std::vector<float> values;
};

/// Channels that share a clock: one time column, each channel as long as it.
struct Group {
    std::string name;
    double rate_hz = 0;          ///< nominal
    std::vector<double> time_s;  ///< from the start of the recording, never falling
    std::vector<Channel> channels;

    const Channel* find(std::string_view name) const;
};

/// A recording and what was in the car when it was made.
struct Recording {
    std::string title;
    std::string startedAt;    ///< ISO 8601, UTC
    std::string roundId;      ///< the car folder's round, empty for a foreign file
    std::string imageSha256;  ///< of the image in the car, empty for a foreign file
    std::string areas;        ///< SHA-256 of its parts, as "calibration=ab12... application=..."
    std::string definitionSha256;
    std::string channelsSha256;       ///< of the channel set
    std::vector<std::string> damage;  ///< what could not be read of a damaged file, a sentence each with its place
    std::vector<Group> groups;

    double duration_s() const;
    size_t samples() const;  ///< rows over all groups
    struct Place {
        const Group* group = nullptr;
        const Channel* channel = nullptr;
        explicit operator bool() const { return channel != nullptr; }
    };
    /// By name, letter case aside.
    Place find(std::string_view name) const;
    Place findRole(roles::Role role) const;
    /// What a channel said last at a moment; NaN when there is none of that name, or nothing yet.
    double valueAt(std::string_view name, double time_s) const;
};

/// A stretch without samples.
struct Gap {
    double from_s = 0;
    double to_s = 0;
};
/// Where the clock of a group jumps by more than three of its periods.
std::vector<Gap> gapsOf(const Group& group);

/// Index of the last time not after `t`; 0 when all are later.
size_t indexAt(const std::vector<double>& time_s, double t);

}  // namespace brusk::recording
