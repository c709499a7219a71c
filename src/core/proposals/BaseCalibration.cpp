// Runs the rules in their order, each on what those before left.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/BaseCalibration.h"

#include <algorithm>
#include <set>
#include <sstream>

#include "core/base/Text.h"
#include "core/proposals/base/Draft.h"

namespace brusk::proposals {

namespace {

/// All rules, those first that others build on: sensors and axes before maps, air before spark, boost before torque.
constexpr std::span<const Rule> (*kParts[])() = {fuelRules, intakeRules, turboRules, sparkRules, carRules, stageRules};

const Rule* ruleOf(std::string_view id) {
    for (const auto part : kParts)
        for (const Rule& rule : part())
            if (rule.id == id) return &rule;
    for (const DonorGroup& group : donorGroups())
        if (group.rule.id == id) return &group.rule;
    return nullptr;
}

std::string titleOf(std::string_view id) {
    const Rule* rule = ruleOf(id);
    return std::string(rule ? rule->title : id);
}

}  // namespace

std::string_view causeOf(std::string_view id) {
    const Rule* rule = ruleOf(id);
    return rule ? rule->cause : std::string_view();
}

std::vector<calibration::Edit> BasePlan::edits() const {
    std::vector<calibration::Edit> out;
    for (const Proposal& p : proposals)
        if (p.accepted && p.changesAnything()) out.push_back(p.edit);
    return out;
}

const Proposal* BasePlan::find(std::string_view id) const {
    const auto at = std::find_if(proposals.begin(), proposals.end(), [&](const Proposal& p) { return p.id == id; });
    return at == proposals.end() ? nullptr : &*at;
}

std::string BasePlan::account(const BuildSheet& sheet) const {
    std::string out, cause;
    for (const Proposal& p : proposals) {
        if (!p.accepted || !p.changesAnything()) continue;
        if (p.cause != cause) out += (cause = p.cause) + "\n";
        out += "  " + p.title + ": " + p.formula + "\n    " + p.reason + "\n";
        if (!p.check.empty()) out += "    First drive: " + p.check + "\n";
    }
    for (const Proposal& p : proposals)
        if (!p.accepted && !p.offered && p.changesAnything()) out += "Left out: " + p.title + "\n";
    for (const Waiting& w : waiting)
        if (w.begun || !w.role.empty() || !w.problem.empty()) out += "Not computed: " + w.sentence() + "\n";
    for (const std::string& conflict : conflicts)
        out += "Mind: " + conflict + "\n";
    if (!sheet.notes.empty()) out += "Fitted besides: " + sheet.notes + "\n";
    return out;
}

Done runRule(const Rule& rule, const Maker& maker, const BuildSheet& sheet, const Decisions& decisions, Stage stage,
             BasePlan& plan, const std::function<void(Draft&)>& before) {
    const auto given = decisions.find(std::string(rule.id));
    Decision decision = given == decisions.end() ? Decision{} : given->second;
    if (given == decisions.end()) decision.accepted = !rule.offered;
    Draft draft(maker, plan.result, sheet, decision, stage);
    if (before) before(draft);
    rule.run(draft);
    auto outcome = draft.finish();
    if (outcome.waiting) {
        outcome.waiting->id = rule.id;
        outcome.waiting->cause = rule.cause;
        outcome.waiting->title = rule.title;
        plan.waiting.push_back(std::move(*outcome.waiting));
        return {};
    }
    if (!outcome.proposal) return {};
    Proposal& p = *outcome.proposal;
    p.id = rule.id;
    p.cause = rule.cause;
    p.title = rule.title;
    p.hasStrength = rule.hasStrength;
    p.offered = rule.offered;
    p.edit.name = rule.title;
    std::istringstream needs{std::string(rule.needs)};
    for (std::string need; needs >> need;)
        if (const Proposal* other = plan.find(need); other && other->changesAnything()) {
            p.needs.push_back(need);
            if (p.accepted && p.changesAnything() && !other->accepted)
                plan.conflicts.push_back(p.title + " is computed for what \"" + titleOf(need) +
                                         "\" would change, and that is left out.");
        }
    if (p.accepted && p.changesAnything())
        if (auto done = plan.result.apply(p.edit); !done) return done;
    plan.proposals.push_back(std::move(p));
    return {};
}

Result<BasePlan> planBase(const calibration::Calibration& start, const BuildSheet& sheet, const Decisions& decisions,
                          Stage stage, const Donor* donor) {
    if (const auto refused = refusals(sheet, &start); !refused.empty())
        return fail(ErrorCode::OutOfRange, refused.front().why);
    BasePlan plan;
    plan.result = start;
    const Maker ours{start, sheet.stock};
    std::optional<Maker> theirs;
    std::set<std::string_view> taken;
    for (const DonorGroup& group : donor ? donorGroups() : std::span<const DonorGroup>()) {
        const auto offered = [&](Draft& draft) { offerGroup(draft, group, start, *donor); };
        if (auto done = runRule(group.rule, ours, sheet, decisions, stage, plan, offered); !done)
            return tl::unexpected(done.error());
        const Proposal* p = plan.find(group.rule.id);
        if (!p || !p->accepted) continue;
        for (const roles::Role role : group.roles)
            if (donor->calibration.definition().parameterWithRole(role)) taken.insert(role.id());
    }
    if (!taken.empty()) theirs = donorMaker(start, sheet, *donor);
    for (const auto part : kParts) {
        // A car that stays as it is needs no limits for first drives.
        if (part == stageRules && plan.edits().empty()) break;
        for (const Rule& rule : part())
            if (auto done = runRule(rule, taken.contains(rule.about) ? *theirs : ours, sheet, decisions, stage, plan);
                !done)
                return tl::unexpected(done.error());
    }
    return plan;
}

}  // namespace brusk::proposals
