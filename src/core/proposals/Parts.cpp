// A part fills the facts of its group.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/Parts.h"

#include <algorithm>

namespace brusk::proposals {

namespace {
constexpr std::string_view kInjectors = "Injectors", kMeter = "Airflow meter", kSensor = "Pressure sensor";
}

void put(BuildSheet& sheet, const Part& part, bool isFitted) {
    if (part.group == kInjectors || part.group == kSensor)
        for (const FactKind& kind : factKinds())
            if (kind.group == part.group && (isFitted || kind.compared)) sheet.of(kind.fact, isFitted).reset();
    for (const auto& [fact, value] : part.facts)
        if (isFitted || kindOf(fact).compared) sheet.of(fact, isFitted) = value;
    if (isFitted && part.group == kInjectors) sheet.deadTimes = part.deadTimes;
    if (isFitted && part.group == kMeter) sheet.meterCurve = part.meterCurve;
}

std::optional<Part> partOn(const BuildSheet& sheet, const std::string& group, const std::string& name) {
    Part part{name, group, {}, {}, {}, true};
    for (const FactKind& kind : factKinds())
        if (const auto value = sheet.of(kind.fact); kind.group == group && !kind.isWish && value)
            part.facts.emplace_back(kind.fact, *value);
    if (group == kInjectors) part.deadTimes = sheet.deadTimes;
    if (group == kMeter) part.meterCurve = sheet.meterCurve;
    const bool empty = part.facts.empty() && part.deadTimes.empty() && part.meterCurve.empty();
    return empty ? std::nullopt : std::optional(std::move(part));
}

std::string refusalOf(const Part& part) {
    if (part.name.empty()) return "A part needs a name.";
    const auto kinds = factKinds();
    if (std::none_of(kinds.begin(), kinds.end(), [&](const FactKind& kind) { return kind.group == part.group; }))
        return "\"" + part.group + "\" is no group of the build sheet.";
    BuildSheet sheet;
    for (const auto& [fact, value] : part.facts) {
        const FactKind& kind = kindOf(fact);
        if (kind.group != part.group)
            return part.name + " says \"" + std::string(kind.key) + "\", which belongs to " + std::string(kind.group) +
                   ".";
        sheet.of(fact) = value;
    }
    if (!part.deadTimes.empty() && part.group != kInjectors) return part.name + " has dead times and is no injector.";
    if (!part.meterCurve.empty() && part.group != kMeter) return part.name + " has a meter's curve and is no meter.";
    sheet.deadTimes = part.deadTimes;
    sheet.meterCurve = part.meterCurve;
    const auto refused = refusals(sheet);
    return refused.empty() ? std::string() : part.name + ": " + refused.front().why;
}

}  // namespace brusk::proposals
