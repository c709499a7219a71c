// From a kit and a build sheet to guards, from guards to channels.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Guards.h"

#include <algorithm>

#include "core/base/Text.h"
#include "core/job/Drive.h"

namespace brusk::job {

recording::Recording everythingOf(const Kit& kit) {
    ChannelSet all;
    all.definition = kit.definition;
    for (const auto& m : kit.definition->measurements)
        all.measurements.push_back(&m);
    return layoutOf(kit, all);
}

drive::ShippedGuards guardsFor(const Kit& kit, const proposals::BuildSheet& sheet) {
    return guardsFor(recording::vocabularyOf(everythingOf(kit)), sheet);
}

drive::ShippedGuards guardsFor(const recording::Vocabulary& vocabulary, const proposals::BuildSheet& sheet) {
    drive::GuardLimits limits;
    limits.boost_kPa = sheet.of(proposals::Fact::BoostCeiling);
    limits.thermostat_C = sheet.of(proposals::Fact::Thermostat);
    return drive::shippedGuards(vocabulary, limits);
}

Result<drive::Guard> guardFromText(const recording::Vocabulary& vocabulary, const std::string& text) {
    constexpr double kLongest_s = 60;
    const size_t first = text.find(';');
    const size_t second = first == std::string::npos ? first : text.find(';', first + 1);
    drive::Guard guard;
    guard.condition = std::string(trimmed(text.substr(0, first)));
    if (first != std::string::npos) {
        const auto seconds = parseNumber(trimmed(text.substr(first + 1, second - first - 1)));
        if (!seconds || !(*seconds >= 0 && *seconds <= kLongest_s))
            return fail(ErrorCode::BadInput,
                        "How long a guard's condition has to hold is a number from 0 to 60 s: CONDITION;0.5;SENTENCE.");
        guard.hold_s = *seconds;
    }
    if (second != std::string::npos) guard.sentence = std::string(trimmed(text.substr(second + 1)));
    if (guard.sentence.empty()) guard.sentence = guard.condition;
    guard.title = guard.sentence;
    const auto expression = drive::conditionIn(guard.condition, vocabulary);
    if (!expression) return tl::unexpected(expression.error());
    return guard;
}

namespace {

/// Places in the vocabulary of what guards and an arming ask for.
Result<std::vector<size_t>> inputsOf(const recording::Vocabulary& vocabulary, const std::vector<drive::Guard>& guards,
                                     const std::optional<drive::Arming>& arming) {
    std::vector<size_t> out;
    const auto ask = [&](const std::string& text) -> Done {
        const auto expression = drive::conditionIn(text, vocabulary);
        if (!expression) return tl::unexpected(expression.error());
        for (const size_t input : expression->inputs())
            if (std::find(out.begin(), out.end(), input) == out.end()) out.push_back(input);
        return {};
    };
    for (const auto& guard : guards)
        for (const std::string* text : {&guard.condition, &guard.calm}) {
            if (text->empty() && text == &guard.calm) continue;
            if (auto done = ask(*text); !done)
                return failBecause("The guard \"" + guard.title + "\" can't be asked of this car.", done.error());
        }
    if (arming)
        if (auto done = ask(arming->condition); !done)
            return failBecause("The recording can't be armed so.", done.error());
    return out;
}

}  // namespace

Done askable(const recording::Vocabulary& vocabulary, const std::vector<drive::Guard>& guards,
             const std::optional<drive::Arming>& arming) {
    const auto inputs = inputsOf(vocabulary, guards, arming);
    return inputs ? Done() : tl::unexpected(inputs.error());
}

Result<std::vector<std::string>> channelsAskedFor(const Kit& kit, const std::vector<drive::Guard>& guards,
                                                  const std::optional<drive::Arming>& arming) {
    const auto vocabulary = recording::vocabularyOf(everythingOf(kit));
    const auto inputs = inputsOf(vocabulary, guards, arming);
    if (!inputs) return tl::unexpected(inputs.error());
    std::vector<std::string> out;
    for (const size_t input : *inputs)
        if (kit.definition->measurement(vocabulary.names[input].name)) out.push_back(vocabulary.names[input].name);
    return out;
}

}  // namespace brusk::job
