// What somebody drives for, and which corrections and checks that serves: what is to be recorded follows from their
// needs.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <initializer_list>
#include <span>

#include "core/roles/Needs.h"

namespace brusk::roles {

/// Kinds of correction or checks, by their ids; one that is in neither table does not compile.
class NeedList {
  public:
    static constexpr size_t kMost = 20;
    consteval NeedList(std::span<const Need> table, std::initializer_list<const char*> ids) : size_(ids.size()) {
        size_t at = 0;
        for (const char* id : ids) {
            const Need* need = needOf(table, id);
            if (!need) throw "no such kind or check";  // at compile time: it stops there
            needs_.at(at++) = need;
        }
    }
    constexpr const Need* const* begin() const { return needs_.data(); }
    constexpr const Need* const* end() const { return needs_.data() + size_; }

  private:
    std::array<const Need*, kMost> needs_{};
    size_t size_;
};

/// Why somebody drives.
struct Purpose {
    std::string_view id, title;
    NeedList kinds, checks;
};

inline constexpr Purpose kPurposes[] = {
    {"fuelling",
     "Fuelling",
     {kKindNeeds,
      {"adaptations", "injector", "meter", "air", "charge-temperature", "altitude", "changeover", "bank-trim",
       "air-lead", "transient", "cut-return", "lambda-loop"}},
     {kCheckNeeds,
      {"wideband-dead", "wideband-slow", "wideband-scale", "wideband-leak", "exhaust-leak", "wideband-after-catalyst",
       "intake-leak", "meter-disagrees", "one-cylinder", "misfire", "fuel-changed", "purge-suspected", "lean-tip-in",
       "rich-tip-in", "trim-at-stop", "trims-kept", "fuel-path"}}},
    {"full-load",
     "Full load",
     {kKindNeeds, {"full-load"}},
     {kCheckNeeds,
      {"lean-under-load", "rich-under-load", "fuel-pressure-falls", "regulator", "injector-at-limit",
       "wideband-pressure", "throttle-closes", "limit-hit", "limp-mode"}}},
    {"knock",
     "Knock and spark",
     {kKindNeeds, {"spark", "knock-threshold"}},
     {kCheckNeeds, {"knock", "knock-deaf", "knock-false", "octane-low", "heat-soak"}}},
    {"boost",
     "Boost",
     {kKindNeeds, {"boost", "boost-target"}},
     {kCheckNeeds, {"boost-leak", "wastegate-stuck-open", "wastegate-stuck-shut", "underboost", "overboost"}}},
    {"idle",
     "Idle",
     {kKindNeeds, {"idle", "idle-loads"}},
     {kCheckNeeds, {"idle-off", "idle-hunts", "wideband-late-pipe"}}},
    {"pedal",
     "Pedal and torque",
     {kKindNeeds, {"pedal", "expected-pressure", "throttle-model", "torque-pair", "speed"}},
     {kCheckNeeds, {"throttle-closes", "throttle-offset", "pedal-dead", "wheel-dead", "speed-scale", "clutch-slips"}}},
    {"sensors",
     "Sensor checks",
     {kKindNeeds, {"plausibility", "cooling"}},
     {kCheckNeeds,
      {"wideband-dead", "narrowband-dead", "narrowband-slow", "banks-crossed", "pressure-dead", "pressure-scale",
       "meter-dead", "meter-disagrees", "throttle-offset", "pedal-dead", "coolant-stuck", "intake-stuck", "wheel-dead",
       "speed-scale", "battery-low", "axis-mismatch", "wrong-round", "gaps"}}},
    {"starts",
     "Starts and warm-up",
     {kKindNeeds, {"warm-up", "cranking"}},
     {kCheckNeeds, {"hard-start", "wideband-cold", "battery-low"}}},
};

/// By its id; null for none of that name.
constexpr const Purpose* purposeOf(std::string_view id) {
    for (const Purpose& purpose : kPurposes)
        if (purpose.id == id) return &purpose;
    return nullptr;
}

}  // namespace brusk::roles
