// A rule's reads and writes, with what it lacked remembered.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/base/Draft.h"

#include <algorithm>
#include <limits>

#include "core/base/Text.h"
#include "core/definition/Roles.h"

namespace brusk::proposals {

namespace {
constexpr double kNothing = std::numeric_limits<double>::quiet_NaN();

std::string lowerFirst(std::string_view text) {
    std::string out(text);
    if (out.size() > 1 && !(out[1] >= 'A' && out[1] <= 'Z')) out[0] = toLower(out.substr(0, 1))[0];
    return out;
}
}  // namespace

std::string text(double value, int decimals) {
    return formatNumber(value, decimals);
}

double greatest(const calibration::Table& table) {
    return table.values.empty() ? kNothing : *std::max_element(table.values.begin(), table.values.end());
}

std::vector<double> stretchedAbove(const std::vector<double>& axis, double last, double from) {
    std::vector<double> out = axis;
    const double end = axis.back();
    for (double& v : out)
        if (v > from && end > from) v = std::round(from + (v - from) * (last - from) / (end - from));
    return out;
}

double airAt_mg(double filling_pct, double displacement_cm3, double cylinders, double kPa) {
    constexpr double kAir_mgcm3 = 1.184, kAt_kPa = 100;
    return displacement_cm3 / std::max(1.0, cylinders) * kAir_mgcm3 * kPa / kAt_kPa * filling_pct / 100;
}

double airAt_mg(const calibration::Table& filling, double displacement_cm3, double cylinders, double kPa) {
    double best_pct = 0;
    for (const double rpm : filling.x.values)
        best_pct = std::max(best_pct, calibration::surfaceAt(filling, rpm, kPa));
    return airAt_mg(best_pct, displacement_cm3, cylinders, kPa);
}

double Draft::size() const {
    const auto is = readRole(now(), "displacement");
    const double was = originalValue("displacement");
    return is && was > 0 ? is->values.at(0) / was : 1;
}

double Draft::reachableLoad_mg(double kPa) {
    return airAt_mg(table("ve_map"), value("displacement"), value("cylinders"), kPa);
}

void Draft::lack(std::string what) {
    // Asked for twice, it is missed once.
    if (std::find(missingFacts_.begin(), missingFacts_.end(), what) == missingFacts_.end())
        missingFacts_.push_back(std::move(what));
}

double Draft::fitted(Fact fact) {
    if (const auto value = fittedIfKnown(fact)) {
        begun_ = true;
        return *value;
    }
    const FactKind& kind = kindOf(fact);
    lack("the " + lowerFirst(kind.title) + " of the " + lowerFirst(kind.group));
    return kNothing;
}

double Draft::stock(Fact fact) {
    if (const auto value = stockIfKnown(fact)) {
        begun_ = begun_ || !maker.isDonor;
        return *value;
    }
    const FactKind& kind = kindOf(fact);
    lack("the " + lowerFirst(kind.title) + " of the " + (maker.isDonor ? "donor's " : "stock ") +
         lowerFirst(kind.group));
    return kNothing;
}

double Draft::present(Fact fact) {
    return has(fact) ? fitted(fact) : stock(fact);
}

const definition::Parameter* Draft::player(roles::Role role) {
    const auto* parameter = before_.definition().parameterWithRole(role);
    if (!parameter && !missingRole_) missingRole_ = role;
    return parameter;
}

FuelOf Draft::fuel() const {
    const auto ethanol = sheet.of(Fact::Ethanol);
    const double ratio = originalValue("stoichiometric_ratio");
    return {ethanol ? blend_gcm3(*ethanol / 100) : kPetrol_gcm3,
            std::isfinite(ratio) ? std::optional(ratio) : std::nullopt};
}

const RoleUnits* Draft::unitsOf(const definition::Parameter* parameter) {
    if (const auto known = units_.find(parameter); known != units_.end()) return &known->second;
    auto units = roleUnits(before_, *parameter, fuel());
    if (!units) {
        if (!error_) error_ = units.error();
        return nullptr;
    }
    remarks_ += units->remark;
    return &units_.emplace(parameter, std::move(*units)).first->second;
}

calibration::Table Draft::table(roles::Role role) {
    const auto* parameter = player(role);
    const auto* units = parameter ? unitsOf(parameter) : nullptr;
    if (!units) return {};
    auto read = now().read(*parameter);
    if (read) return units->in(std::move(*read));
    if (!error_) error_ = read.error();
    return {};
}

double Draft::value(roles::Role role) {
    const auto t = table(role);
    return t.values.size() == 1 ? t.values[0] : kNothing;
}

calibration::Table Draft::original(roles::Role role) const {
    return readRole(maker.calibration, role).value_or(calibration::Table{});
}

double Draft::originalValue(roles::Role role) const {
    const auto t = original(role);
    return t.values.size() == 1 ? t.values[0] : kNothing;
}

void Draft::take(Result<calibration::Edit> edit) {
    if (edit) {
        clamped_ += edit->clamped;
        if (!after_) after_ = before_;
        if (auto done = after_->apply(*edit); !done) error_ = done.error();
    } else if (!error_) {
        error_ = edit.error();
    }
}

void Draft::set(roles::Role role, double value) {
    set(role, std::vector<double>{value});
}

void Draft::set(roles::Role role, const std::vector<double>& values) {
    const auto* parameter = player(role);
    if (!parameter || !ready()) return;
    if (!std::all_of(values.begin(), values.end(), [](double v) { return std::isfinite(v); })) {
        if (!error_)
            error_ = Error{ErrorCode::OutOfRange, "Its formula gives no number for " + parameter->title() + "."};
        return;
    }
    const auto* units = unitsOf(parameter);
    if (!units) return;
    touch(parameter);
    const auto read = now().read(*parameter);
    const size_t rows = read ? units->in(*read).rows : 1,
                 columns = std::max<size_t>(1, values.size() / std::max<size_t>(1, rows));
    std::vector<calibration::CellValue> cells;
    for (size_t i = 0; i < values.size(); ++i)
        cells.push_back({units->ownCell(i, rows, columns), units->value.back(values[i])});
    take(now().prepare(*parameter, cells, calibration::AtLimit::Clamp, parameter->title()));
}

void Draft::each(roles::Role role, const std::function<double(double, double, double)>& f) {
    const auto t = table(role);
    if (!ready()) return;  // a rule that lacks something has no numbers to compute with
    std::vector<double> values;
    for (size_t i = 0; i < t.values.size(); ++i) {
        const double x = t.x.values.empty() ? 0 : t.x.values[i % t.columns];
        const double y = t.y.values.empty() ? 0 : t.y.values[i / t.columns];
        values.push_back(f(x, y, t.values[i]));
    }
    set(role, values);
}

void Draft::move(roles::Role role, size_t axis, const std::vector<double>& breakpoints) {
    const auto* parameter = player(role);
    if (!parameter || !ready()) return;
    const auto* units = unitsOf(parameter);
    if (!units) return;
    std::vector<double> own = breakpoints;
    for (double& breakpoint : own)
        breakpoint = (axis == 0 ? units->x : units->y).back(breakpoint);
    auto moved = calibration::respace(now(), *parameter, units->ownAxis(axis), own, calibration::Keep::Surface,
                                      calibration::Outside::Extend);
    if (!moved) {
        error_ = moved.error();
        return;
    }
    for (const auto& follower : moved->followers)
        touch(follower.parameter);
    take(std::move(moved->edit));
}

void Draft::touch(const definition::Parameter* parameter) {
    if (std::find(touched_.begin(), touched_.end(), parameter) == touched_.end()) touched_.push_back(parameter);
}

void Draft::adopt(roles::Role role, const calibration::Calibration& donor) {
    const auto* parameter = player(role);
    if (!parameter || !ready()) return;
    if (!after_) after_ = before_;
    std::vector<const definition::Parameter*> touched;
    const std::string said = proposals::adopt(*after_, role, donor, touched, clamped_);
    for (const auto* one : touched)
        touch(one);
    if (touched.empty())
        remark(said);
    else
        adopted_[parameter] = said;
}

double Draft::choose(double computed, std::string unit) {
    number_ = computed;
    numberUnit_ = std::move(unit);
    return decision_.number.value_or(computed);
}

Draft::Outcome Draft::finish() const {
    Outcome out;
    Waiting waiting;
    waiting.begun = begun_;
    if (!missingFacts_.empty()) {
        for (const std::string& fact : missingFacts_)
            waiting.what += (waiting.what.empty() ? "" : "; ") + fact;
        out.waiting = waiting;
        return out;
    }
    if (missingRole_) {
        waiting.role = missingRole_->id();
        waiting.what = "a parameter for \"" + std::string(missingRole_->title()) + "\"";
        out.waiting = waiting;
        return out;
    }
    if (error_) {
        waiting.problem = error_->text();
        out.waiting = waiting;
        return out;
    }
    if (touched_.empty()) return out;
    Proposal p;
    p.reason = reason + remarks_;
    if (clamped_)
        p.reason += " " + std::to_string(clamped_) + (clamped_ == 1 ? " cell is" : " cells are") + " held at a limit.";
    p.formula = formula;
    p.check = check;
    for (const auto* parameter : touched_) {
        auto before = before_.read(*parameter), after = now().read(*parameter);
        if (!before || !after) continue;
        const auto said = adopted_.find(parameter);
        Change change{std::move(*before), std::move(*after), {}, false};
        if (said != adopted_.end()) change.remark = said->second;
        change.follows = !adopted_.empty() && said == adopted_.end();
        p.changes.push_back(std::move(change));
    }
    const bool any = std::any_of(p.changes.begin(), p.changes.end(), [](const Change& c) { return c.changes(); });
    // Several edits of the same bytes become one from how it was to how it will be.
    if (any) p.edit = calibration::editBetween(before_.image(), now().image(), "");
    p.suggested = suggested_;
    p.strength = decision_.strength;
    p.number = number_;
    p.numberUnit = numberUnit_;
    p.byHand = decision_.number.has_value() && number_.has_value();
    if (p.byHand) {
        p.formula += "; set by hand to " + formatNumber(*decision_.number, 2) + " " + numberUnit_;
        p.number = decision_.number;
    }
    p.accepted = decision_.accepted;
    out.proposal = std::move(p);
    return out;
}

}  // namespace brusk::proposals
