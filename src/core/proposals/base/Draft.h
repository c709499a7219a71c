// One rule at work: it asks for facts and tables, puts new numbers, and says why. What it lacks is remembered, so that
// a rule is plain arithmetic from top to bottom.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cmath>
#include <functional>
#include <span>

#include "core/calibration/Respace.h"
#include "core/calibration/RoleUnits.h"
#include "core/proposals/BaseCalibration.h"

namespace brusk::proposals {

using calibration::blend_gcm3;
using calibration::FuelOf;
using calibration::kPetrol_gcm3;
using calibration::readRole;
using calibration::RoleUnits;
using calibration::roleUnits;

/// Who made the tables a rule starts from: the car's maker, or a donor's.
struct Maker {
    calibration::Calibration calibration;  ///< through our definition, before any other proposal
    PartNumbers parts;
    bool isDonor = false;
};

class Draft {
  public:
    Draft(const Maker& from, const calibration::Calibration& soFar, const BuildSheet& facts, const Decision& decision,
          Stage next)
        : maker(from), sheet(facts), strength(decision.strength), stage(next), decision_(decision), before_(soFar) {}

    const Maker& maker;
    const BuildSheet& sheet;
    const double strength;
    const Stage stage;

    // --- what the rule builds on; what is missing is remembered, and NaN or an empty table given
    double fitted(Fact fact);
    double stock(Fact fact);
    std::optional<double> stockIfKnown(Fact fact) const { return maker.parts[static_cast<size_t>(fact)]; }
    /// The fitted part's number, or the stock one's where the part was not changed.
    double present(Fact fact);
    bool has(Fact fact) const { return fittedIfKnown(fact).has_value(); }
    /// The parameter with a role, as accepted proposals left it, in the units of the role. All that is put goes back
    /// into the definition's own.
    calibration::Table table(roles::Role role);
    double value(roles::Role role);
    /// Whether anybody plays it; never missed.
    bool plays(roles::Role role) const { return before_.definition().parameterWithRole(role) != nullptr; }
    /// The same as their maker left them; empty, NaN where nobody plays it.
    calibration::Table original(roles::Role role) const;
    double originalValue(roles::Role role) const;
    /// As this rule has made it so far.
    const calibration::Calibration& now() const { return after_ ? *after_ : before_; }
    /// Swept volume as accepted proposals left it, over its maker's; 1 where nobody tells.
    double size() const;
    /// Air in a cylinder at a pressure, by the filling as it is now.
    double reachableLoad_mg(double kPa);
    /// Nothing is lacking so far.
    bool ready() const { return missingFacts_.empty() && !missingRole_ && !error_; }

    // --- what it puts
    void set(roles::Role role, double value);
    void set(roles::Role role, const std::vector<double>& values);
    /// Every cell by its place: f(x, y, old).
    void each(roles::Role role, const std::function<double(double, double, double)>& f);
    /// New breakpoints of axis 0 or 1, the surface kept and extended by its last slope.
    void move(roles::Role role, size_t axis, const std::vector<double>& breakpoints);
    /// Puts another calibration's table in place of ours: resampled, converted, its load axis stretched to reach as
    /// far.
    void adopt(roles::Role role, const calibration::Calibration& donor);
    /// Of what is offered: it fits this car better than what it has.
    void suggest() { suggested_ = true; }
    /// The number somebody may set by hand: the computed one, or what was set.
    double choose(double computed, std::string unit);
    /// It waits for this.
    void lack(std::string what);
    /// Beside the formula: what did not fit.
    void remark(const std::string& sentence) { remarks_ += " " + sentence; }

    /// "the original's", "the donor's": whose numbers it starts from.
    std::string makers() const { return maker.isDonor ? "the donor's" : "the original's"; }

    std::string reason, formula, check;

    struct Outcome {
        std::optional<Proposal> proposal;
        std::optional<Waiting> waiting;
    };
    Outcome finish() const;

  private:
    const definition::Parameter* player(roles::Role role);
    /// The units of whoever plays a role; null with the reason remembered where they are of another quantity.
    const RoleUnits* unitsOf(const definition::Parameter* parameter);
    FuelOf fuel() const;
    /// To a donor's table the part that the car was sold with counts as fitted too.
    std::optional<double> fittedIfKnown(Fact fact) const {
        const auto value = sheet.of(fact);
        return value || !maker.isDonor ? value : sheet.of(fact, false);
    }
    void take(Result<calibration::Edit> edit);
    void touch(const definition::Parameter* parameter);

    const Decision& decision_;
    const calibration::Calibration& before_;
    std::optional<calibration::Calibration> after_;  ///< a copy, once something is put
    std::vector<const definition::Parameter*> touched_;
    std::map<const definition::Parameter*, RoleUnits> units_;
    std::map<const definition::Parameter*, std::string> adopted_;  ///< a donor's, with what there is to say of it
    bool suggested_ = false;
    std::vector<std::string> missingFacts_;
    bool begun_ = false;  ///< some fact was there
    std::optional<roles::Role> missingRole_;
    std::optional<Error> error_;
    std::optional<double> number_;
    std::string numberUnit_;
    std::string remarks_;
    int clamped_ = 0;
};

struct Rule {
    std::string_view id, cause, title;
    void (*run)(Draft&);
    bool hasStrength = false;
    std::string_view needs = {};  ///< computed on these, blanks between
    /// The table it scales: whoever made that one, its parts are what counts as stock. Empty: the car's maker.
    std::string_view about = {};
    bool offered = false;  ///< left out until somebody says yes
};

/// Runs a rule on what the plan holds so far and takes its outcome in; `before` may put numbers first.
[[nodiscard]] Done runRule(const Rule& rule, const Maker& maker, const BuildSheet& sheet, const Decisions& decisions,
                           Stage stage, BasePlan& plan, const std::function<void(Draft&)>& before = {});

/// Tables that are taken over together, and the parts they were made for.
struct DonorGroup {
    struct Part {
        Fact fact;
        std::string_view word;
    };
    Rule rule;
    std::span<const roles::Role> roles;
    std::vector<Part> parts;
};
std::span<const DonorGroup> donorGroups();
/// A donor's table in place of ours: resampled, converted, our load axis stretched to reach as far. Says what there is
/// to say of it; `touched` are the parameters that changed with it.
std::string adopt(calibration::Calibration& work, roles::Role role, const calibration::Calibration& donor,
                  std::vector<const definition::Parameter*>& touched, int& clamped);
/// A group as an offer, with the parts it was made for held against ours.
void offerGroup(Draft& draft, const DonorGroup& group, const calibration::Calibration& original, const Donor& donor);
/// Where rules start that scale a table of the donor's.
Maker donorMaker(const calibration::Calibration& original, const BuildSheet& sheet, const Donor& donor);

// The rules by what asks for them, in working order within each.
std::span<const Rule> fuelRules();
std::span<const Rule> intakeRules();
std::span<const Rule> turboRules();
std::span<const Rule> sparkRules();
std::span<const Rule> carRules();
std::span<const Rule> stageRules();

/// "620 x sqrt(350 / 300)": numbers into a formula.
std::string text(double value, int decimals = 0);

/// Nominal weather that formulas assume, kPa.
inline constexpr double kWeather_kPa = 101.3;

/// A maker's table of two points or more at `at`: linear between them, the nearest slope beyond, never below nil.
template <class Point>
double alongTable(const std::vector<Point>& table, double Point::*x, double Point::*y, double at) {
    size_t i = 1;
    while (i + 1 < table.size() && at > table[i].*x)
        ++i;
    const Point &a = table[i - 1], &b = table[i];
    return std::max(0.0, a.*y + (at - a.*x) / (b.*x - a.*x) * (b.*y - a.*y));
}

/// Breakpoints of which those above `from` are stretched so that the last is `last`; the others stay.
std::vector<double> stretchedAbove(const std::vector<double>& axis, double last, double from);

/// Air in a cylinder at a pressure and filling, mg: swept volume, dry air at 25 degC.
double airAt_mg(double filling_pct, double displacement_cm3, double cylinders, double kPa);
/// Air in a cylinder at a pressure where it fills best, mg: swept volume, filling, dry air at 25 degC.
double airAt_mg(const calibration::Table& filling, double displacement_cm3, double cylinders, double kPa);

}  // namespace brusk::proposals
