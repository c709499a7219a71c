// Samples of channels over time, as columns.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <cstdint>
#include <limits>
#include <mutex>
#include <string>
#include <string_view>
#include <vector>

#include "core/recording/Column.h"
#include "core/roles/Role.h"

namespace brusk::recording {

/// What a number of a channel stands for: a gear, a mode, a message.
struct State {
    float value = 0;
    std::string text;
    bool operator==(const State&) const = default;
};

/// One recorded signal. NaN marks a sample that did not arrive.
struct Channel {
    std::string name;
    std::string unit;
    std::string description;
    std::string role;
    Column values;
    std::vector<State> states = {};  ///< by value, each once; empty for what is a number

    /// The text that a value stands for; null where it stands for none.
    const std::string* textOf(float value) const;
};

/// Channels that share a clock: one time column, each channel as long as it.
struct Group {
    std::string name;
    double rate_hz = 0;  ///< nominal
    Clock time_s;        ///< from the start of the recording, never falling
    std::vector<Channel> channels;
    bool timed = true;  ///< false: the file tells no time; time_s counts the rows, and nothing is learned from them

    const Channel* find(std::string_view name) const;
};

/// A moment that somebody, or a program, pointed at.
struct Mark {
    double at_s = 0;
    std::string kind;  ///< "marker", "trigger"; empty where nobody said
    std::string text;
    bool operator==(const Mark&) const = default;
};

/// What of a large file came to light only when its columns were decoded. May be asked from several threads.
class LateDamage {
  public:
    void add(const std::string& sentence);
    std::vector<std::string> sentences() const;

  private:
    mutable std::mutex mutex_;
    std::vector<std::string> sentences_;
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
    std::vector<Mark> marks = {};                 ///< by time
    std::string vin = {};                         ///< of the car; empty where nobody said
    std::string sensors = {};                     ///< what its external sensors meant then, as text of whoever wrote it
    std::shared_ptr<const LateDamage> late = {};  ///< of what is decoded when asked for

    /// `damage`, and what came to light since.
    std::vector<std::string> allDamage() const;
    double duration_s() const;
    size_t samples() const;  ///< rows over all groups
    struct Place {
        const Group* group = nullptr;
        const Channel* channel = nullptr;
        explicit operator bool() const { return channel != nullptr; }
    };
    /// By name, letter case aside.
    Place find(std::string_view name) const;
    /// Among the groups that tell the time.
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
/// The rate that a clock mostly has, in whole Hz from 1 on; 0 where it has none.
double nominalRate(std::span<const double> time_s);

/// Index of the last time not after `t`; 0 when all are later.
size_t indexAt(std::span<const double> time_s, double t);

}  // namespace brusk::recording
