// Limits of the first drives, tightened from the base.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/Stages.h"

#include <algorithm>

#include "core/base/Text.h"
#include "core/proposals/base/Draft.h"

namespace brusk::proposals {

namespace {

/// Share of the way from nothing to all that a stage allows.
struct Share {
    Stage stage;
    double revs, boost, torque, coverage_pct;
};
constexpr Share kShares[] = {{Stage::Idle, 0.45, 0, 0.35, 0},
                             {Stage::Gentle, 0.60, 0, 0.60, 40},
                             {Stage::Road, 0.85, 0.5, 0.85, 60},
                             {Stage::FullLoad, 1, 1, 1, 80}};

double tableMost(const calibration::Calibration& calibration, roles::Role role, double otherwise) {
    const auto table = readRole(calibration, role);
    return table && !table->values.empty() ? greatest(*table) : otherwise;
}

std::vector<std::string> conditionsOf(Stage stage, bool boosted) {
    switch (stage) {
        case Stage::Idle:
            return {"starts within 2 s, warm and cold", "idle within 50 rpm of its target for a minute",
                    "no trouble code, no limp mode", "pressure with the engine off is the weather's"};
        case Stage::Gentle:
            return {"fuel error below 8 % over the cells seen", "no knock retard above 2\u00b0",
                    "long trims within 10 %"};
        case Stage::Road:
            return {"fuel error below 4 % over the cells seen", "no knock retard above 1\u00b0",
                    boosted ? "boost within 10 kPa of its target" : "lambda at full load within 0.03 of its target"};
        default:
            return {"fuel error below 2 %", "lambda at full load within 0.02 of its target", "no knock retard"};
    }
}

std::vector<std::string> watchOf(Stage stage, bool boosted) {
    switch (stage) {
        case Stage::Idle:
            return {"oil pressure and coolant", "lambda", "battery voltage", "idle speed against its target"};
        case Stage::Gentle:
            return {"lambda and trims", "knock retard", "pressure deviation", "road speed and gear"};
        case Stage::Road:
            return {"lambda when the throttle opens", "knock retard", boosted ? "boost against its target" : "lambda",
                    "charge and exhaust temperature"};
        default:
            return {"lambda at full load", "knock retard", "injector duty", boosted ? "overshoot of boost" : "revs"};
    }
}

}  // namespace

std::string StagePlan::limits() const {
    std::string out = formatNumber(revLimit_rpm, 0) + " rpm";
    if (stage == Stage::FullLoad) return out;
    if (boost_kPa > 0) out += ", boost to " + formatNumber(boost_kPa, 0) + " kPa";
    return out + ", torque to " + formatNumber(torqueShare * 100, 0) + " %";
}

std::vector<StagePlan> firstStartPlan(const calibration::Calibration& calibration, const BuildSheet& sheet) {
    const double revs = tableMost(calibration, "rev_limit", 6500);
    const double most = tableMost(calibration, "boost_target", kWeather_kPa);
    const bool boosted = most > kWeather_kPa + 1;
    const auto pipe = sheet.of(Fact::ExhaustBore), pipeWas = sheet.of(Fact::ExhaustBore, false);
    const bool freer = pipe && (!pipeWas || *pipe > *pipeWas);
    std::vector<StagePlan> out;
    for (const Share& share : kShares) {
        StagePlan plan;
        plan.stage = share.stage;
        plan.revLimit_rpm = std::floor(revs * share.revs / 100) * 100;
        plan.boost_kPa = boosted ? (most - kWeather_kPa) * share.boost : 0;
        plan.torqueShare = share.torque;
        plan.fromSpeed_rpm = share.stage == Stage::Idle ? 600 : 900;
        plan.toSpeed_rpm = share.stage == Stage::Idle ? 1500 : plan.revLimit_rpm;
        plan.toPressure_kPa = share.stage == Stage::Idle     ? 55
                              : share.stage == Stage::Gentle ? 85
                                                             : kWeather_kPa + plan.boost_kPa;
        plan.coverage_pct = share.coverage_pct;
        plan.conditions = conditionsOf(share.stage, boosted);
        plan.watch = watchOf(share.stage, boosted);
        if (boosted && freer && share.boost > 0)
            plan.watch.push_back(
                "boost that creeps over its target at high revs: the wider exhaust lets the turbine "
                "breathe, and a small wastegate can't let enough past");
        out.push_back(std::move(plan));
    }
    return out;
}

// --- the limits of a stage as proposals

namespace {

std::optional<StagePlan> limitsNow(Draft& d) {
    if (d.stage == Stage::FullLoad) return std::nullopt;
    return firstStartPlan(d.now(), d.sheet)[static_cast<size_t>(d.stage)];
}

std::string driven(const Draft& d) {
    return "For the stage \"" + std::string(kStages[static_cast<size_t>(d.stage)]) + "\"; loosened for the next. ";
}

void stageRevs(Draft& d) {
    const auto limits = limitsNow(d);
    if (!limits) return;
    const double limit = d.choose(limits->revLimit_rpm, "rpm");
    const double full = d.value("rev_limit");
    d.set("rev_limit", std::min(full, limit));
    d.reason = driven(d) + "Below it nothing turns fast enough to break before the mixture is known.";
    d.formula = text(full) + " rpm x " + text(limits->revLimit_rpm / full * 100) + " % = " + text(limit) + " rpm";
    d.check = "the engine is cut softly, not in town traffic";
}

void stageBoost(Draft& d) {
    const auto limits = limitsNow(d);
    if (!limits || !d.plays("boost_target")) return;
    const double most = kWeather_kPa + d.choose(limits->boost_kPa, "kPa");
    d.each("boost_target", [&](double, double, double kPa) { return std::min(kPa, most); });
    if (d.plays("wastegate_duty")) {
        d.each("wastegate_duty", [&](double, double kPa, double duty) { return kPa > most + 1 ? 0.0 : duty; });
    }
    d.reason = driven(d) + "The wastegate's spring alone gives what it gives; nothing is asked for beyond.";
    d.formula = "boost target at most " + text(most) + " kPa absolute, no duty above it";
    d.check = "boost stays at what the spring holds";
}

void stageTorque(Draft& d) {
    const auto limits = limitsNow(d);
    if (!limits || !d.plays("torque_ceiling")) return;
    const double share = d.choose(limits->torqueShare * 100, "%") / 100;
    d.each("torque_ceiling", [&](double, double, double torque) { return torque * share; });
    d.reason = driven(d) + "Full pedal then is no full load.";
    d.formula = "ceiling x " + text(share * 100) + " %";
    d.check = "the throttle closes at the ceiling without a jolt";
}

constexpr Rule kRules[] = {
    {"stage_revs", "First drives", "Rev limit for this stage", stageRevs, false, "rev_limit"},
    {"stage_boost", "First drives", "Boost for this stage", stageBoost, false, "boost_target"},
    {"stage_torque", "First drives", "Torque for this stage", stageTorque, false, "torque_ceiling"},
};

}  // namespace

std::span<const Rule> stageRules() {
    return kRules;
}

Result<BasePlan> planStage(const calibration::Calibration& round, const calibration::Calibration& loose,
                           const BuildSheet& sheet, const Decisions& decisions, Stage stage) {
    // What each rule limits, let loose first.
    static const std::map<std::string_view, std::vector<roles::Role>> limited = {
        {"stage_revs", {roles::Role("rev_limit")}},
        {"stage_boost", {roles::Role("boost_target"), roles::Role("wastegate_duty")}},
        {"stage_torque", {roles::Role("torque_ceiling")}}};
    BasePlan plan;
    plan.result = round;
    const Maker ours{round, sheet.stock};
    for (const Rule& rule : kRules) {
        const auto loosen = [&](Draft& draft) {
            for (const auto role : limited.at(rule.id))
                if (const auto table = readRole(loose, role); table && draft.plays(role))
                    draft.set(role, table->values);
            draft.reason = "Nothing of the first drives' limits is left. ";
            draft.formula = "as the base computed it";
        };
        if (auto done = runRule(rule, ours, sheet, decisions, stage, plan, loosen); !done)
            return tl::unexpected(done.error());
    }
    return plan;
}

}  // namespace brusk::proposals
