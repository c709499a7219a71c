// What drives say should be put right: every kind of correction in one shape. Kinds build on each other: each is
// computed on what those before it left, by replay of what was driven.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <deque>
#include <functional>
#include <map>

#include "core/evidence/Figures.h"
#include "core/evidence/Suspects.h"
#include "core/proposals/Account.h"
#include "core/proposals/FromFactor.h"
#include "core/roles/Needs.h"

namespace brusk::proposals {

/// A number that somebody may move; sliders and the command line make themselves of it.
struct Setting {
    std::string_view id, title, unit;
    double least = 0, most = 0, usual = 0;
    std::span<const std::string_view> words = {};  ///< instead of a number; the value is the place of one
};
/// By id; what is missing is as usual.
using Settings = std::map<std::string, double, std::less<>>;

/// A figure as it is and as it should be with the change; all in the figure's unit.
struct Promise {
    std::string_view figure;  ///< id of evidence::kFigures
    double now = 0, expected = 0;
    double doubt = 0;      ///< of the gain, a standard deviation
    double leftDoubt = 0;  ///< of what is expected to be left, when other roads tell it again
    std::vector<CellEstimate> cells =
        {};  ///< what each that is known is off by, as it is; of a kind with a map or curve
    double gain() const { return now - expected; }
    double surely() const { return gain() - doubt; }
};

struct CorrectionKind;

struct CorrectionInput {
    const CorrectionKind& kind;
    const calibration::Calibration& calibration;  ///< with what the corrections before this one left
    const evidence::Drives& drives;               ///< saying the mixture of these very bytes
    const evidence::MixtureBlame& blame;          ///< of the drives as they were recorded
    const evidence::MixtureFacts& facts;
    const Settings& settings;
    Trust trust = {};  ///< by what this kind promised before
    /// As chosen, or as usual, in the setting's unit.
    double setting(std::string_view id) const;
    /// What is promised of the kind's figure, in its unit, as its record lets it be believed.
    Promise promise(double now, double expected, double doubt, double leftDoubt) const;
};

enum class Standing {
    Worth,  ///< it gains more than its doubt and its kind's floor
    Right,  ///< within its doubt, which is small enough
    Waits   ///< the doubt is too large to say, or something was not recorded
};

/// Where a value that is not a cell of a map comes from: what was seen, one point a line.
struct SeenPoint {
    std::string what;  ///< "pull 2, drive 1"
    double now = 0, expected = 0;
    std::optional<evidence::Moment> moment;  ///< nothing where many speak together
    double at = std::nan("");                ///< where it lies along what tells it; NaN: nowhere
};

/// A number about the car that a correction stands on: what the bytes are off by, with a standard deviation.
struct Estimate {
    std::string_view what, unit;
    double off = 0, doubt = 0;
};

struct Correction {
    const CorrectionKind* kind = nullptr;
    Standing standing = Standing::Waits;
    std::vector<roles::Role> lacks;       ///< channels that nobody recorded
    std::string line;                     ///< a few words: what is off, or for what it waits
    std::vector<TableCorrection> tables;  ///< those with evidence in their cells
    std::vector<Change> values;           ///< and those without
    std::string pointsUnit, pointsAlong;  ///< of what lies along, with its unit; empty: nothing does
    std::vector<SeenPoint> points;
    std::vector<calibration::Edit> edits;  ///< in their order, on the calibration it was computed on; empty: none
    std::optional<Promise> promise;
    std::vector<Estimate> estimates;
    std::string reason, formula;        ///< a sentence or two; the formula with its numbers
    std::vector<std::string> warnings;  ///< a sentence each
    std::vector<std::string> loosened;  ///< what becomes leaner, later or wider, a sentence each
    bool changes() const { return !edits.empty(); }
    size_t changed() const;  ///< cells and values
};

struct CorrectionKind {
    std::string_view id;     ///< of roles::kKindNeeds
    std::string_view title;  ///< "Air"
    std::span<const Setting> settings;
    std::string_view figure;  ///< by which it is promised
    double floor = 0;         ///< of the gain, below which nobody would notice; in the figure's unit
    Result<Correction> (*compute)(const CorrectionInput&);
    const roles::Need& need() const { return *roles::needOf(roles::kKindNeeds, id); }
};

/// In the order in which they build on each other.
std::span<const CorrectionKind> correctionKinds();
/// Null for none.
const CorrectionKind* correctionKind(std::string_view id);

struct CorrectionChoices {
    std::vector<std::string> only;  ///< kinds; empty: all
    std::vector<std::string> left;  ///< kinds whose change is not made, and that others do not stand on
    std::map<std::string, Settings, std::less<>> settings = {};
    evidence::MixtureFacts facts = {};
    std::vector<KeptPromise> account = {};  ///< of the rounds before
};

struct Corrections {
    std::deque<Correction> all;  ///< one a kind that this car can have, in their order
    evidence::MixtureBlame blame;
    /// Of the air that the controller used, over the VE map's cells: as it was, and with all that is made, by replay.
    evidence::FuelError now, expected;
    std::vector<const Correction*> made;  ///< those that are worth it and not left out, in their order
    std::vector<calibration::Edit> edits() const;
    /// Null for none.
    const Correction* of(std::string_view kind) const;
};

/// `inCar` is what the drives were driven on. `stop`, where there is one, is asked between kinds; what is there by then
/// comes back.
[[nodiscard]] Result<Corrections> correctAll(const calibration::Calibration& inCar, const evidence::Drives& drives,
                                             const CorrectionChoices& choices, const std::function<bool()>& stop = {});

/// Sets `standing` by the promise, the kind's floor and `enough`: whether as much is known as the kind asks for. Of
/// what is not worth it nothing is changed.
void judge(Correction& correction, bool passes, bool enough);

}  // namespace brusk::proposals
