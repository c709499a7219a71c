// A change that Brusk computed, with its reason, waiting for a yes.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/calibration/Calibration.h"

namespace brusk::proposals {

/// One parameter of a proposal as it is and as it will be stored.
struct Change {
    calibration::Table before, after;
    std::string remark;    ///< how a donor's table came to be this one
    bool follows = false;  ///< beside a donor's table: only its breakpoints move, its surface is kept
    const definition::Parameter& parameter() const { return *after.parameter; }
    bool changes() const {
        return before.raw != after.raw || before.x.values != after.x.values || before.y.values != after.y.values;
    }
};

struct Proposal {
    std::string id;       ///< "injector_flow"; the same for every car
    std::string cause;    ///< "Injectors": what of the car asks for it
    std::string title;    ///< "Injector flow"
    std::string reason;   ///< a sentence or two
    std::string formula;  ///< with its numbers and units
    std::string check;    ///< what to look at on the first drive
    std::vector<Change> changes;
    calibration::Edit edit;  ///< empty when nothing is to be changed
    bool offered = false;    ///< it asks for a yes of its own; the others are accepted until somebody says no
    bool suggested = false;  ///< of what is offered, what fits this car better than what it has
    bool accepted = true;
    bool hasStrength = false;
    double strength = 1;
    std::optional<double> number;  ///< the one number that can be set by hand, as it is proposed
    std::string numberUnit;
    bool byHand = false;
    std::vector<std::string> needs;  ///< ids of proposals it was computed on
    bool changesAnything() const { return !edit.empty(); }
};

/// The greatest number of a table; NaN of an empty one.
double greatest(const calibration::Table& table);

/// A proposal that could not be made yet.
struct Waiting {
    std::string id, cause, title;
    std::string what;     ///< for what it waits: "the bore of the stock housing"
    std::string problem;  ///< instead: why it can't be computed, a sentence
    std::string role;     ///< the role that nobody plays; empty when it waits for the build sheet
    bool begun = false;   ///< the sheet says something of what it needs
    /// "Airflow meter curve: waits for the bore of the stock housing".
    std::string sentence() const {
        return title + (problem.empty() ? ": waits for " + what : ": can't be computed. " + problem);
    }
};

}  // namespace brusk::proposals
