// One rule at work: it asks for facts and tables, puts new numbers, and says why. What it lacks is remembered, so that
// a rule is plain arithmetic from top to bottom. SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <functional>
#include <span>

#include "core/calibration/Respace.h"
#include "core/proposals/BaseCalibration.h"

namespace brusk::proposals {

class Draft {
  public:
    Draft(const calibration::Calibration& original, const calibration::Calibration& soFar, const BuildSheet& facts,
          const Decision& decision, Stage next)
        : start(original),
          sheet(facts),
          strength(decision.strength),
          stage(next),
          decision_(decision),
          before_(soFar),
          after_(soFar) {}

    const calibration::Calibration& start;  ///< before any proposal
    const BuildSheet& sheet;
    const double strength;
    const Stage stage;

    // --- what the rule builds on; what is missing is remembered, and NaN or an empty table given
    double fitted(Fact fact);
    double stock(Fact fact);
    /// The fitted part's number, or the stock one's where the part was not changed.
    double present(Fact fact);
    bool has(Fact fact) const { return sheet.of(fact).has_value(); }
    /// The parameter with a role, as accepted proposals left it.
    calibration::Table table(std::string_view role);
    double value(std::string_view role);
    /// Whether anybody plays it; never missed.
    bool plays(std::string_view role) const { return before_.definition().parameterWithRole(role) != nullptr; }
    /// The same as they were before any proposal; empty, NaN where nobody plays it.
    calibration::Table original(std::string_view role) const;
    double originalValue(std::string_view role) const;
    /// As this rule has made it so far.
    const calibration::Calibration& now() const { return after_; }
    /// Air in a cylinder at a pressure, by the filling as it is now.
    double reachableLoad_mg(double kPa);
    /// Nothing is lacking so far.
    bool ready() const { return missingFacts_.empty() && missingRole_.empty() && !error_; }

    // --- what it puts
    void set(std::string_view role, double value);
    void set(std::string_view role, const std::vector<double>& values);
    /// Every cell by its place: f(x, y, old).
    void each(std::string_view role, const std::function<double(double, double, double)>& f);
    /// New breakpoints of axis 0 or 1, the surface kept and extended by its last slope.
    void move(std::string_view role, size_t axis, const std::vector<double>& breakpoints);
    /// The number somebody may set by hand: the computed one, or what was set.
    double choose(double computed, std::string unit);
    /// It waits for this.
    void lack(std::string what) { missingFacts_.push_back(std::move(what)); }
    /// Beside the formula: what did not fit.
    void remark(const std::string& sentence) { remarks_ += " " + sentence; }

    std::string reason, formula, check;

    struct Outcome {
        std::optional<Proposal> proposal;
        std::optional<Waiting> waiting;
        std::optional<Error> error;
    };
    Outcome finish() const;

  private:
    const definition::Parameter* player(std::string_view role);
    void take(Result<calibration::Edit> edit);

    const Decision& decision_;
    const calibration::Calibration& before_;
    calibration::Calibration after_;
    std::vector<const definition::Parameter*> touched_;
    std::vector<std::string> missingFacts_;
    std::string missingRole_;
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
};

/// Runs a rule on what the plan holds so far and takes its outcome in; `before` may put numbers first.
[[nodiscard]] Done runRule(const Rule& rule, const calibration::Calibration& start, const BuildSheet& sheet,
                           const Decisions& decisions, Stage stage, BasePlan& plan,
                           const std::function<void(Draft&)>& before = {});

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

/// Breakpoints of which those above `from` are stretched so that the last is `last`; the others stay.
std::vector<double> stretchedAbove(const std::vector<double>& axis, double last, double from);

/// Air in a cylinder at a pressure and filling, mg: swept volume, dry air at 25 degC.
double airAt_mg(double filling_pct, double displacement_cm3, double cylinders, double kPa);
/// Air in a cylinder at a pressure where it fills best, mg: swept volume, filling, dry air at 25 degC.
double airAt_mg(const calibration::Table& filling, double displacement_cm3, double cylinders, double kPa);

}  // namespace brusk::proposals
