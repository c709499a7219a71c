// The registry, and the chain in which each kind sees what those before it left.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/Correction.h"

#include <algorithm>

#include "core/base/Say.h"
#include "core/evidence/FuelReplay.h"
#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals {
namespace {

constexpr std::string_view kMethods[] = {"cell-fit", "nearest-cell"};
constexpr Setting kTableSettings[] = {{"strength", "Strength", "%", 10, 100, 100},
                                      {"largest-step", "Largest step", "%", 0.1, 60, 25},
                                      {"largest-doubt", "Largest doubt", "%", 0.1, 50, 5},
                                      {"method", "Method", "", 0, 1, 0, kMethods}};
constexpr Setting kPartSettings[] = {{"strength", "Strength", "%", 10, 100, 100},
                                     {"largest-step", "Largest step", "%", 0.1, 60, 25}};
constexpr Setting kInjectorSettings[] = {{"strength", "Strength", "%", 10, 100, 100},
                                         {"largest-doubt", "Largest doubt of the dead time", "us", 5, 100, 45}};
constexpr Setting kBankSettings[] = {{"strength", "Strength", "%", 10, 100, 100}};
constexpr Setting kFullLoadSettings[] = {{"wanted", "Asked for after the pedal", "s", 0.1, 2, 0.4}};

constexpr CorrectionKind kKinds[] = {
    {"adaptations", "Learned values", {}, "fuel_error_rms_pct", 0.5, correct::adaptations},
    {"injector", "Injector", kInjectorSettings, "fuel_error_rms_pct", 0.15, correct::injector},
    {"meter", "Airflow meter", kTableSettings, "fuel_error_rms_pct", 0.15, correct::meter},
    {"charge-temperature", "Charge temperature", kPartSettings, "fuel_error_rms_pct", 0.1, correct::chargeTemperature},
    {"altitude", "Altitude", kPartSettings, "fuel_error_rms_pct", 0.1, correct::altitude},
    {"air", "Air", kTableSettings, "fuel_error_rms_pct", 0.15, correct::air},
    {"changeover", "Changeover", kPartSettings, "changeover_step_pct", 0.5, correct::changeover},
    {"bank-trim", "Banks", kBankSettings, "banks_apart_pct", 0.3, correct::bankTrim},
    {"full-load", "Full load", kFullLoadSettings, "full_load_late_s", 0.1, correct::fullLoad},
};

bool nobodyHas(const evidence::Drives& drives, roles::Role role) {
    for (size_t i = 0; i < drives.size(); ++i)
        if (drives.recording(i).findRole(role)) return false;
    return true;
}

/// Channels without which it can't be computed from these drives.
std::vector<roles::Role> lacks(const CorrectionKind& kind, const evidence::Drives& drives) {
    std::vector<roles::Role> out;
    for (const roles::Role role : kind.need().channels)
        // The loop of the narrowband tells the mixture too, where it is closed.
        if (role != roles::Role("lambda_measured") && nobodyHas(drives, role)) out.push_back(role);
    return out;
}

/// What is off of the air in use, in the cells of the VE map.
evidence::FuelError fuelErrorOf(const calibration::Calibration& calibration, const evidence::Drives& drives) {
    const auto* map = calibration.definition().parameterWithRole("ve_map");
    if (!map || !drives.mixture()) return {};
    const auto table = calibration.read(*map);
    if (!table) return {};
    const evidence::MapSamples samples(calibration.definition(), *table, drives, evidence::Measure::mixture());
    return evidence::fuelError(samples.cells(), kVisited);
}

bool fits(const CorrectionKind& kind, const calibration::Calibration& calibration) {
    const auto& needed = kind.need().parameters;
    return std::all_of(needed.begin(), needed.end(),
                       [&](roles::Role role) { return calibration.definition().parameterWithRole(role) != nullptr; });
}

bool has(const std::vector<std::string>& ids, std::string_view id) {
    return std::find(ids.begin(), ids.end(), id) != ids.end();
}

}  // namespace

double CorrectionInput::setting(std::string_view id) const {
    if (const auto chosen = settings.find(id); chosen != settings.end()) return chosen->second;
    for (const Setting& one : kind.settings)
        if (one.id == id) return one.usual;
    return 0;
}

Promise CorrectionInput::promise(double now, double expected, double doubt, double leftDoubt) const {
    return {kind.figure,
            now,
            std::clamp(expected + trust.optimism, 0.0, std::max(now, expected)),
            doubt * trust.widens,
            leftDoubt * trust.widens,
            {}};
}

size_t Correction::changed() const {
    size_t out = 0;
    for (const TableCorrection& table : tables)
        out += table.changed;
    for (const Change& value : values)
        for (size_t i = 0; i < value.before.raw.size(); ++i)
            out += value.before.raw[i] != value.after.raw[i] ? 1 : 0;
    return out;
}

std::span<const CorrectionKind> correctionKinds() {
    return kKinds;
}

const CorrectionKind* correctionKind(std::string_view id) {
    const auto* at =
        std::find_if(std::begin(kKinds), std::end(kKinds), [&](const auto& kind) { return kind.id == id; });
    return at == std::end(kKinds) ? nullptr : at;
}

std::vector<calibration::Edit> Corrections::edits() const {
    std::vector<calibration::Edit> out;
    for (const Correction* one : made)
        out.insert(out.end(), one->edits.begin(), one->edits.end());
    return out;
}

const Correction* Corrections::of(std::string_view kind) const {
    const auto at = std::find_if(all.begin(), all.end(), [&](const Correction& one) { return one.kind->id == kind; });
    return at == all.end() ? nullptr : &*at;
}

void judge(Correction& c, bool passes, bool enough) {
    const bool worth =
        c.promise && passes && c.changes() && c.promise->surely() > 0 && c.promise->gain() > c.kind->floor;
    c.standing = worth ? Standing::Worth : enough ? Standing::Right : Standing::Waits;
    if (worth) return;
    c.edits.clear(), c.values.clear(), c.loosened.clear();
    std::for_each(c.tables.begin(), c.tables.end(), leaveAsItIs);
}

Result<Corrections> correctAll(const calibration::Calibration& inCar, const evidence::Drives& drives,
                               const CorrectionChoices& choices, const std::function<bool()>& stop) {
    Corrections out;
    out.blame = evidence::whoIsToBlame(drives, choices.facts);
    calibration::Calibration after = inCar;
    std::shared_ptr<const evidence::Drives> replayed;
    const Settings usual;
    for (const CorrectionKind& kind : kKinds) {
        if (!choices.only.empty() && !has(choices.only, kind.id)) continue;
        if (!fits(kind, inCar)) continue;
        if (stop && stop()) break;
        const auto settings = choices.settings.find(kind.id);
        const CorrectionInput input{kind,
                                    after,
                                    replayed ? *replayed : drives,
                                    out.blame,
                                    choices.facts,
                                    settings == choices.settings.end() ? usual : settings->second,
                                    trustOf(choices.account, kind.id)};
        Correction made;
        if (made.lacks = lacks(kind, drives); !made.lacks.empty()) {
            made.line =
                say("correct.not-recorded", "for {0}, which was not recorded", {std::string(made.lacks[0].title())});
        } else {
            auto computed = kind.compute(input);
            if (!computed) return tl::unexpected(computed.error());
            made = std::move(*computed);
        }
        made.kind = &kind;
        out.all.push_back(std::move(made));
        const Correction& one = out.all.back();
        if (one.standing != Standing::Worth || has(choices.left, kind.id) || !one.changes()) continue;
        out.made.push_back(&one);
        for (const auto& edit : one.edits)
            if (auto done = after.apply(edit); !done) return tl::unexpected(done.error());
        replayed = evidence::replayFuel(drives, inCar, after);
    }
    out.now = out.expected = fuelErrorOf(inCar, drives);
    if (replayed) out.expected = fuelErrorOf(after, *replayed);
    return out;
}

}  // namespace brusk::proposals
