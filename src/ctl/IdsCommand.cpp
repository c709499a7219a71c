// ids: every name by which files and commands call things, with its title.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <utility>

#include "benchcar/cars/WrongPart.h"
#include "benchcar/plant/Driver.h"
#include "benchcar/plant/Faults.h"
#include "core/definition/Roles.h"
#include "core/drive/Guard.h"
#include "core/evidence/Figures.h"
#include "core/job/NextStep.h"
#include "core/proposals/BuildSheet.h"
#include "core/roles/Purposes.h"
#include "ctl/Commands.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

void tell(Context& c, const char* kind, json list) {
    c.outcome.text += std::string(kind) + "\n";
    for (const auto& one : list) {
        const std::string unit = one.value("unit", "");
        c.outcome.text += "  " + one["id"].get<std::string>() + "  " + one["title"].get<std::string>() +
                          (unit.empty() ? "" : ", " + unit) + "\n";
    }
    c.outcome.json[kind] = std::move(list);
}

template <class Things, class Row>
json listOf(const Things& things, Row row) {
    json out = json::array();
    for (const auto& thing : things)
        out.push_back(row(thing));
    return out;
}

json entry(std::string_view id, std::string_view title, std::string_view unit = {}) {
    json out{{"id", id}, {"title", title}};
    if (!unit.empty()) out["unit"] = unit;
    return out;
}

/// A kind or a check, with what it needs.
json needed(const roles::Need& need) {
    const auto listed = [](const roles::RoleList& list) {
        json out = json::array();
        for (const roles::Role role : list)
            out.push_back(role.id());
        return out;
    };
    json out = entry(need.id, need.title);
    out["parameters"] = listed(need.parameters);
    out["channels"] = listed(need.channels);
    out["helped"] = listed(need.helped);
    json events = json::array();
    for (const auto& event : roles::kEvents)
        if (need.events & event.event) events.push_back(event.id);
    out["events"] = std::move(events);
    return out;
}

void ids(Context& c) {
    c.outcome.json = json::object();
    tell(c, "roles", listOf(roles::known(), [](const auto& role) { return entry(role.id, role.title, role.unit); }));
    tell(c, "kinds", listOf(roles::kKindNeeds, needed));
    tell(c, "checks", listOf(roles::kCheckNeeds, needed));
    tell(c, "purposes", listOf(roles::kPurposes, [](const auto& purpose) {
             json out = entry(purpose.id, purpose.title);
             for (const auto& [key, list] : {std::pair{"kinds", &purpose.kinds}, {"checks", &purpose.checks}})
                 for (const roles::Need* need : *list)
                     out[key].push_back(need->id);
             return out;
         }));
    tell(c, "guards", listOf(drive::guardKinds(), [](const auto& guard) { return entry(guard.id, guard.title); }));
    tell(c, "events", listOf(roles::kEvents, [](const auto& event) { return entry(event.id, event.title); }));
    tell(c, "figures",
         listOf(evidence::kFigures, [](const auto& figure) { return entry(figure.id, figure.title, figure.unit); }));
    tell(c, "facts", listOf(proposals::factKinds(), [](const auto& fact) {
             return entry(fact.key, std::string(fact.group) + ", " + std::string(fact.title), fact.unit);
         }));
    tell(c, "steps", listOf(job::steps(), [](job::Step step) {
             std::string title(job::stepId(step));
             std::replace(title.begin(), title.end(), '-', ' ');
             return entry(job::stepId(step), title);
         }));
    tell(c, "faults",
         listOf(benchcar::faultKinds(), [](const auto& fault) { return entry(fault.id, fault.title, fault.unit); }));
    tell(c, "routes", listOf(benchcar::routes(), [](const auto& route) { return entry(route.name, route.title); }));
    tell(c, "wrong_parts",
         listOf(benchcar::wrongParts(), [](const auto& part) { return entry(part.id, part.title, part.unit); }));
}

}  // namespace

void addIdsCommand(Command app, Context& c) {
    app.command("ids", "every name by which files and commands call things, with its title").run([&c] { ids(c); });
}

}  // namespace brusk::ctl
