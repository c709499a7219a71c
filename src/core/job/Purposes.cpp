// From purposes to the needs of their kinds and checks, from roles to who plays them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Purposes.h"

#include <algorithm>

#include "core/job/Drive.h"

namespace brusk::job {
namespace {

/// The needs of all purposes, each once.
std::vector<const roles::Need*> needsOf(std::span<const roles::Purpose* const> purposes) {
    std::vector<const roles::Need*> out;
    for (const roles::Purpose* purpose : purposes)
        for (const auto* list : {&purpose->kinds, &purpose->checks})
            for (const roles::Need* need : *list)
                if (std::find(out.begin(), out.end(), need) == out.end()) out.push_back(need);
    return out;
}

/// A correction of maps that this controller does not have can't be made, whatever is recorded.
bool applies(const roles::Need& need, const definition::Definition& definition) {
    return std::all_of(need.parameters.begin(), need.parameters.end(),
                       [&](roles::Role role) { return definition.parameterWithRole(role) != nullptr; });
}

bool isOfSecondBank(roles::Role role) {
    return role.id().ends_with("_2");
}

bool sensorPlays(const Kit& kit, roles::Role role) {
    for (const auto& message : kit.externalSensors)
        for (const auto& signal : message.signalList)
            if (role == roleOfSignal(kit, message, signal)) return true;
    return std::any_of(kit.sensors.begin(), kit.sensors.end(),
                       [&](const auto& sensor) { return sensor.analogue() && role == sensor.role; });
}

}  // namespace

PurposeChannels channelsFor(const Kit& kit, std::span<const roles::Purpose* const> purposes) {
    PurposeChannels out;
    const auto play = [&](roles::Role role) {
        const auto* m = kit.definition->measurementWithRole(role);
        if (m && std::find(out.names.begin(), out.names.end(), m->name) == out.names.end())
            out.names.push_back(m->name);
        return m != nullptr || sensorPlays(kit, role);
    };
    auto needs = needsOf(purposes);
    std::erase_if(needs, [&](const roles::Need* need) { return !applies(*need, *kit.definition); });
    for (const roles::Need* need : needs)
        for (const roles::Role role : need->channels) {
            // An engine of one bank lacks no second one.
            if (play(role) || isOfSecondBank(role)) continue;
            auto lack = std::find_if(out.lacks.begin(), out.lacks.end(), [&](const Lack& l) { return l.role == role; });
            if (lack == out.lacks.end()) lack = out.lacks.insert(lack, {role, {}});
            lack->by.push_back(need);
        }
    for (const roles::Need* need : needs)
        for (const roles::Role role : need->helped)
            play(role);
    std::stable_sort(out.lacks.begin(), out.lacks.end(),
                     [](const Lack& a, const Lack& b) { return a.by.size() > b.by.size(); });
    return out;
}

std::string lackSentence(const Lack& lack) {
    constexpr size_t kNamed = 3;
    std::string out = "Nobody plays " + std::string(lack.role.title()) + "; without it go: ";
    for (size_t i = 0; i < std::min(kNamed, lack.by.size()); ++i)
        out += (i > 0 ? ", " : "") + std::string(lack.by[i]->title);
    if (lack.by.size() > kNamed) out += " and " + std::to_string(lack.by.size() - kNamed) + " more";
    return out + ".";
}

}  // namespace brusk::job
