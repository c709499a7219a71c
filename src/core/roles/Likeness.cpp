// Words of a name and its unit against what a role is usually called.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/roles/Likeness.h"

#include <algorithm>
#include <cctype>

#include "core/units/Units.h"

namespace brusk::roles {

namespace {

template <class Each>
void eachPart(std::string_view text, char parting, Each each) {
    while (!text.empty()) {
        const size_t end = text.find(parting);
        if (const auto part = text.substr(0, end); !part.empty()) each(part);
        if (end == std::string_view::npos) return;
        text.remove_prefix(end + 1);
    }
}

/// Lower case, everything but letters and digits a blank, one before the first word.
std::string wordsOf(std::string_view text) {
    std::string out = " ";
    char before = ' ';
    for (const char c : text) {
        const bool letter = std::isalnum(static_cast<unsigned char>(c));
        const bool upper = c >= 'A' && c <= 'Z';
        if (letter && upper && before >= 'a' && before <= 'z') out += ' ';  // "boostTarget"
        out += letter ? static_cast<char>(std::tolower(static_cast<unsigned char>(c))) : ' ';
        before = c;
    }
    return out;
}

/// How much of the role's words a thing's names and description have; the words found are collected.
double wordScore(const Meaning& role, const std::string& names, const std::string& description,
                 std::vector<std::string>& found) {
    double score = 0;
    int groups = 0;
    eachPart(role.words, ' ', [&](std::string_view group) {
        ++groups;
        double best = 0;
        std::string which;
        eachPart(group, '|', [&](std::string_view word) {
            const std::string begins = " " + std::string(word);
            const double here = names.find(begins) != std::string::npos         ? 1
                                : description.find(begins) != std::string::npos ? 0.6
                                                                                : 0;
            if (here > best) best = here, which = word;
        });
        score += best;
        if (best > 0 && std::find(found.begin(), found.end(), which) == found.end()) found.push_back(which);
    });
    return groups ? score / groups : 0;
}

}  // namespace

double unitFits(std::string_view unit, std::string_view wanted) {
    if (unit == wanted) return 1;
    const auto *have = units::findUnit(unit), *want = units::findUnit(wanted);
    if (have && want) return have->quantity == want->quantity ? 1 : 0;
    // A unit where none is wanted, or a known one where a peculiar one is.
    if (have || want) return unit.empty() || wanted.empty() ? 0.3 : 0;
    return 0.5;
}

std::optional<Likeness> likeness(const Meaning& role, const Named& thing, double unitFit) {
    constexpr double kLeast = 0.55;
    if (unitFit <= 0) return std::nullopt;
    std::vector<std::string> found;
    const double words = wordScore(role, wordsOf(thing.name) + wordsOf(thing.label), wordsOf(thing.description), found);
    const double score = words * (0.6 + 0.4 * unitFit);
    if (score < kLeast) return std::nullopt;
    std::string reason;
    for (const std::string& word : found)
        reason += (reason.empty() ? "\"" : ", \"") + word + "\"";
    if (unitFit >= 1 && !role.unit.empty()) reason += "; unit " + std::string(thing.unit);
    return Likeness{score, reason};
}

namespace {

/// What the trade writes instead of words, each a whole word of a name.
struct Abbreviation {
    std::string_view word;
    Role role;
};
constexpr Abbreviation kAbbreviations[] = {{"rpm", "engine_speed"},
                                           {"tps", "throttle"},
                                           {"app", "pedal"},
                                           {"ect", "coolant"},
                                           {"clt", "coolant"},
                                           {"iat", "intake_temperature"},
                                           {"act", "intake_temperature"},
                                           {"maf", "airflow"},
                                           {"vss", "vehicle_speed"},
                                           {"baro", "barometric_pressure"},
                                           {"vbat", "battery"},
                                           {"batt", "battery"},
                                           {"stft", "short_trim"},
                                           {"ltft", "long_trim"},
                                           {"afr", "lambda_measured"},
                                           {"lambda", "lambda_measured"},
                                           {"ipw", "injector_pulse"},
                                           {"pw", "injector_pulse"},
                                           {"idc", "injector_duty"},
                                           {"ign", "spark"},
                                           {"knk", "knock_retard"},
                                           {"kr", "knock_retard"},
                                           {"wgdc", "wastegate_duty_now"}};

std::optional<LikelyRole> byAbbreviation(const Named& thing) {
    // Less than words that all fit, more than some of them.
    constexpr double kScore = 0.8;
    const std::string words = wordsOf(thing.name) + " ";
    for (const auto& [word, role] : kAbbreviations) {
        if (words.find(" " + std::string(word) + " ") == std::string::npos) continue;
        const double fit = unitFits(thing.unit, role.unit());
        if (fit > 0) return LikelyRole{role, {kScore * (0.6 + 0.4 * fit), "\"" + std::string(word) + "\""}};
    }
    return std::nullopt;
}

}  // namespace

std::optional<LikelyRole> likeliestChannel(const Named& thing) {
    std::optional<LikelyRole> best = byAbbreviation(thing);
    for (const Meaning& role : known()) {
        if (!role.measured()) continue;
        const auto like = likeness(role, thing, unitFits(thing.unit, role.unit));
        if (like && (!best || like->score > best->likeness.score)) best = LikelyRole{*Role::named(role.id), *like};
    }
    return best;
}

std::optional<Role> Role::named(std::string_view id) {
    for (size_t i = 0; i < kRoles.size(); ++i)
        if (kRoles[i].id == id) return Role(Index{static_cast<uint16_t>(i)});
    return std::nullopt;
}

}  // namespace brusk::roles
