// prove: what Brusk claims, held against the plant's truth, as tables.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cstdio>

#include "ctl/Commands.h"
#include "ctl/ProveCorrect.h"
#include "ctl/ProveFindings.h"
#include "ctl/ProveTorque.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

json caseJson(const CaseProof& one) {
    json sizes = json::array();
    for (const auto& size : one.sizes) {
        json drives = json::array();
        for (const auto& drive : size.drives) {
            json driven = {
                {"drive", drive.what}, {"showed", drive.showed}, {"found", drive.found}, {"serious", drive.serious}};
            if (drive.after_s) driven["after_s"] = *drive.after_s;
            drives.push_back(std::move(driven));
        }
        sizes.push_back({{"amount", size.amount}, {"drives", std::move(drives)}});
    }
    return {{"fault", one.of->id}, {"showed", one.showed()}, {"found", one.found()}, {"sizes", std::move(sizes)}};
}

Done findings(Context& c, const ProveOrders& orders) {
    const auto progress = [&](const std::string& line) {
        if (!c.quiet) std::fprintf(stderr, "%s\n", line.c_str());
    };
    const auto proof = proveFindings(BRUSK_DATA_DIR, orders, progress);
    if (!proof) return tl::unexpected(proof.error());
    json cases = json::array(), pairs = json::array();
    for (const auto& one : proof->cases)
        cases.push_back(caseJson(one));
    for (const auto& pair : proof->pairs)
        pairs.push_back({{"pair", pair.what}, {"showed", pair.showed}, {"first", pair.first}, {"second", pair.second}});
    c.outcome.json = {{"cases", cases},
                      {"pairs", pairs},
                      {"healthy_hours", proof->healthyHours},
                      {"false_alarms", proof->falseAlarms}};
    c.outcome.text = tableOf(*proof, orders);
    return {};
}

Done torque(Context& c, const TorqueOrders& orders) {
    const auto proof = proveTorque(BRUSK_DATA_DIR, orders, [&](const std::string& line) {
        if (!c.quiet) std::fprintf(stderr, "%s\n", line.c_str());
    });
    if (!proof) return tl::unexpected(proof.error());
    const auto way = [](const TorqueProof::Way& one) {
        return json{{"pulls", one.pulls},       {"error_pct", one.error_pct}, {"peak_pct", one.peak_pct},
                    {"mean_pct", one.mean_pct}, {"band_pct", one.band_pct},   {"in_band_pct", one.inBand_pct}};
    };
    c.outcome.json = {{"graded", way(proof->graded)},
                      {"coasted", way(proof->coasted)},
                      {"changes", proof->changes},
                      {"change_pct", proof->change_pct}};
    c.outcome.text = tableOf(*proof);
    return {};
}

Done corrections(Context& c, const CorrectOrders& orders) {
    const auto proof = proveCorrect(BRUSK_DATA_DIR, orders, [&](const std::string& line) {
        if (!c.quiet) std::fprintf(stderr, "%s\n", line.c_str());
    });
    if (!proof) return tl::unexpected(proof.error());
    const auto harm = [](const std::optional<CorrectHarm>& one) {
        return one ? json{{"before", one->before}, {"after", one->after}, {"cell", one->cell}} : json();
    };
    json list = json::array(), pulls = json::array(), mountains = json::array(), together = json::array();
    for (const auto& one : proof->cases) {
        json runs = json::array();
        for (const auto& each : one.runs)
            runs.push_back({{"car", each.car},
                            {"amount", each.amount},
                            {"figure", each.figure},
                            {"nearest", each.nearest},
                            {"promised", each.promised},
                            {"came", each.came},
                            {"kept", each.kept},
                            {"misses", each.misses},
                            {"lean_s", each.leanest},
                            {"rounds", each.rounds},
                            {"harm", harm(each.harm)},
                            {"said", each.said}});
        list.push_back({{"kind", one.kind}, {"unit", one.unit}, {"target", one.target}, {"runs", runs}});
    }
    for (const auto& one : proof->firstPulls)
        pulls.push_back({{"car", one.car},
                         {"learned_trim_pct", one.trim},
                         {"left", {{"expected_pct", one.expectedLeft}, {"came_pct", one.cameLeft}}},
                         {"cleared", {{"expected_pct", one.expectedCleared}, {"came_pct", one.cameCleared}}}});
    for (const auto& one : proof->harms)
        mountains.push_back({{"car", one.car},
                             {"density", harm(one.density)},
                             {"meter", harm(one.metered)},
                             {"in_use", harm(one.used)},
                             {"made", one.made}});
    for (const auto& one : proof->together) {
        json stages = json::array();
        for (const auto& stage : one.stages)
            stages.push_back({{"stage", stage.what},
                              {"dead_time_us", stage.dead_us},
                              {"flow_pct", stage.flow},
                              {"meter_pct", stage.meter},
                              {"air_pct", stage.air},
                              {"in_use_pct", stage.used},
                              {"said", stage.said},
                              {"not_apart", stage.notApart}});
        together.push_back({{"car", one.car}, {"stages", stages}});
    }
    c.outcome.json = {{"kinds", list}, {"first_pulls", pulls}, {"mountains", mountains}, {"together", together}};
    c.outcome.text = tableOf(*proof);
    return {};
}

}  // namespace

void addProveCommand(Command app, Context& c) {
    auto o = std::make_shared<ProveOrders>();
    auto prove = app.group("prove", "what is claimed, held against the bench car's truth");
    auto sub = prove.command("findings", "every fault at three sizes over drawn cars, pairs, and healthy hours");
    sub.option("--hours", o->hours, "healthy hours; 0: none").range(0.0, 1000.0);
    sub.option("--cars", o->cars, "drawn for each size of each fault").range(1, 100);
    sub.option("--seed", o->seed);
    sub.option("--only", o->only, "faults whose name contains it; no pairs");
    sub.run([o, &c] {
        if (auto done = findings(c, *o); !done) c.outcome.fail(done.error());
    });
    auto k = std::make_shared<CorrectOrders>();
    auto correct = prove.command("correct", "kinds of correction on calibrations wrong in one part, over drawn cars");
    correct.option("KIND", k->kinds, "kinds, first-pull, harm, together; all when none is named");
    correct.option("--model", k->model, "heron or crane").oneOf({"heron", "crane"});
    correct.option("--seeds", k->seeds).range(1, 1000);
    correct.option("--rounds", k->rounds).range(1, 10);
    correct.run([k, &c] {
        if (auto done = corrections(c, *k); !done) c.outcome.fail(done.error());
    });
    auto t = std::make_shared<TorqueOrders>();
    auto road = prove.command("torque", "torque from the road over drawn cars");
    road.option("--cars", t->cars).range(1, 10000);
    road.option("--seed", t->seed);
    road.run([t, &c] {
        if (auto done = torque(c, *t); !done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
