// What is watched while somebody drives, so that nobody has to look: conditions with a sentence.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>

#include "core/drive/LiveLayout.h"
#include "core/roles/Role.h"

namespace brusk::drive {

struct Guard {
    std::string id;         ///< of a shipped one, as "lean-under-load"; empty for one's own
    std::string title;      ///< "Lean under load"
    std::string condition;  ///< an expression
    std::string calm;       ///< by which it is over again; empty: when the condition no longer holds
    double hold_s = 0;      ///< the condition has to hold for so long
    std::string sentence;   ///< what is said: "lean under load: lift"
    bool sound = true;
    bool operator==(const Guard&) const = default;
};

/// What the parts of a car allow, where somebody told it.
struct GuardLimits {
    std::optional<double> boost_kPa;  ///< the greatest that is wanted, over the weather
    std::optional<double> thermostat_C;
};

/// A guard that ships, in words, and the roles it asks for in each way it can be asked.
struct GuardKind {
    std::string_view id, title;
};
std::span<const GuardKind> guardKinds();

/// The guards that ship, as this car can be asked; and those it lacks the channels for.
struct ShippedGuards {
    struct Lack {
        GuardKind kind;
        std::vector<roles::Role> roles;  ///< that nobody plays, of the way that lacks least
    };
    std::vector<Guard> guards;
    std::vector<Lack> lacks;
};
ShippedGuards shippedGuards(const recording::Vocabulary& vocabulary, const GuardLimits& limits);

/// Follows guards row by row. A guard that has tripped trips again when it was over meanwhile, for half a second.
class GuardWatch {
  public:
    GuardWatch() = default;
    /// An error names the guard whose condition can't be asked here.
    [[nodiscard]] static Result<GuardWatch> compile(const std::vector<Guard>& guards, const LiveLayout& layout);
    /// `onTrip` gets those that trip at this row.
    void step(double time_s, const LiveLayout& layout, const std::function<void(const Guard&)>& onTrip);

  private:
    struct Watched {
        Guard guard;
        LiveCondition condition;
        std::optional<LiveCondition> calm;
        std::optional<double> since_s, calmSince_s;
        bool tripped = false;
    };
    std::vector<Watched> watched_;
    double last_s_ = 0, gap_s_ = 0;
};

}  // namespace brusk::drive
