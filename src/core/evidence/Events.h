// Moments of a drive that tell something by themselves, found in its columns, each with its figures.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <initializer_list>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/evidence/Sampled.h"
#include "core/roles/Needs.h"

namespace brusk::evidence {

/// One figure of an event; one that nobody could tell is not there.
struct EventFigure {
    std::string_view id;  ///< with its unit at the end
    double value = 0;
};

struct FoundEvent {
    roles::Event kind;
    double from_s = 0, to_s = 0;
    std::vector<EventFigure> figures = {};
    std::string what = {};  ///< which: a code, a mark, a change of gear

    /// NaN where it was not told.
    double figure(std::string_view id) const;
    void add(std::string_view id, double value);
};

/// What a figure is called, and its unit; every figure of an event is one of these.
struct EventFigureName {
    std::string_view id, title, unit;
    int decimals = 0;  ///< in which it is told, in its unit
};
std::span<const EventFigureName> eventFigureNames();
/// "3rd, 1,990 to 4,340": what tells one event from the others of its kind, in a few words.
std::string eventLine(const FoundEvent& event);

/// How a kind of event is found. Columns it can't do without are asked for by role; a drive without one of them has no
/// event of the kind that anybody could find, which is something else than having none.
struct EventKind {
    roles::Event kind;
    roles::RoleList needs;
    void (*find)(const Sampled& drive, std::vector<FoundEvent>& out);
    /// "overrun"; "Fuel cut while rolling".
    std::string_view id() const;
    std::string_view title() const;
};
/// All of roles::kEvents, in their order.
std::span<const EventKind> eventKinds();

struct DriveEvents {
    std::vector<FoundEvent> found;  ///< by their begin
    struct NotLooked {
        roles::Event kind;
        std::vector<roles::Role> lacks;
    };
    std::vector<NotLooked> notLooked;
    /// Those of a kind, in order.
    std::vector<const FoundEvent*> of(roles::Event kind) const;
};
DriveEvents eventsOf(const Sampled& drive);

}  // namespace brusk::evidence
