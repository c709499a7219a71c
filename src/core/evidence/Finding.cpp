// The registry of checks, and one walk over it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Finding.h"

#include <algorithm>

#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence {
namespace {

constexpr Check kChecks[] = {
    {"wideband-dead", checks::widebandDead},
    {"wideband-slow", checks::widebandSlow},
    {"wideband-cold", checks::widebandCold},
    {"wideband-scale", checks::widebandScale},
    {"wideband-leak", checks::widebandLeak},
    {"exhaust-leak", checks::exhaustLeak},
    {"wideband-late-pipe", checks::widebandLatePipe},
    {"wideband-after-catalyst", checks::widebandAfterCatalyst},
    {"narrowband-dead", checks::narrowbandDead},
    {"narrowband-slow", checks::narrowbandSlow},
    {"banks-crossed", checks::banksCrossed},
    {"pressure-dead", checks::pressureDead},
    {"pressure-scale", checks::pressureScale},
    {"meter-dead", checks::meterDead},
    {"meter-disagrees", checks::meterDisagrees},
    {"intake-leak", checks::intakeLeak},
    {"boost-leak", checks::boostLeak},
    {"throttle-offset", checks::throttleOffset},
    {"pedal-dead", checks::pedalDead},
    {"coolant-stuck", checks::coolantStuck},
    {"intake-stuck", checks::intakeStuck},
    {"heat-soak", checks::heatSoak},
    {"wheel-dead", checks::wheelDead},
    {"speed-scale", checks::speedScale},
    {"clutch-slips", checks::clutchSlips},
    {"battery-low", checks::batteryLow},
    {"fuel-pressure-falls", checks::fuelPressureFalls},
    {"regulator", checks::regulator},
    {"one-cylinder", checks::oneCylinder},
    {"misfire", checks::misfire},
    {"injector-at-limit", checks::injectorAtLimit},
    {"knock", checks::knock},
    {"knock-deaf", checks::knockDeaf},
    {"knock-false", checks::knockFalse},
    {"octane-low", checks::octaneLow},
    {"wastegate-stuck-open", checks::wastegateStuckOpen},
    {"underboost", checks::underboost},
    {"wastegate-stuck-shut", checks::wastegateStuckShut},
    {"overboost", checks::overboost},
    {"throttle-closes", checks::throttleCloses},
    {"fuel-changed", checks::fuelChanged},
    {"purge-suspected", checks::purgeSuspected},
    {"lean-under-load", checks::leanUnderLoad},
    {"rich-under-load", checks::richUnderLoad},
    {"lean-tip-in", checks::leanTipIn},
    {"rich-tip-in", checks::richTipIn},
    {"idle-off", checks::idleOff},
    {"idle-hunts", checks::idleHunts},
    {"hard-start", checks::hardStart},
    {"trim-at-stop", checks::trimAtStop},
    {"limp-mode", checks::limpMode},
    {"limit-hit", checks::limitHit},
    {"axis-mismatch", checks::axisMismatch},
    {"wrong-round", checks::wrongRound},
    {"trims-kept", checks::trimsKept},
    {"fuel-path", checks::fuelPath},
    {"gaps", checks::gaps},
};
static_assert(std::all_of(std::begin(kChecks), std::end(kChecks),
                          [](const Check& one) { return roles::needOf(roles::kCheckNeeds, one.id) != nullptr; }));

/// What a check finds explains what others find: they follow from it, and are put right with it.
struct Explains {
    std::string_view cause, effects;  ///< the effects apart by spaces
    /// The effects only seem so: they were read from the sensor that is at fault, and only where it is.
    bool seem = false;
};
constexpr Explains kExplains[] = {
    {"wideband-dead",
     "wideband-slow wideband-cold wideband-scale wideband-leak wideband-late-pipe wideband-after-catalyst "
     "lean-under-load rich-under-load lean-tip-in rich-tip-in fuel-pressure-falls regulator exhaust-leak "
     "purge-suspected pressure-scale meter-disagrees intake-leak boost-leak",
     true},
    {"wideband-cold",
     "wideband-dead wideband-scale wideband-leak lean-under-load rich-under-load lean-tip-in rich-tip-in", true},
    {"wideband-slow",
     "lean-under-load rich-under-load lean-tip-in rich-tip-in fuel-pressure-falls wideband-scale regulator "
     "wideband-leak wideband-late-pipe",
     true},
    {"wideband-after-catalyst",
     "lean-under-load rich-under-load lean-tip-in rich-tip-in fuel-pressure-falls wideband-dead regulator", true},
    {"wideband-scale", "lean-under-load rich-under-load lean-tip-in rich-tip-in fuel-pressure-falls", true},
    {"exhaust-leak",
     "wideband-leak wideband-late-pipe wideband-scale trim-at-stop rich-under-load lean-under-load idle-hunts "
     "rich-tip-in trims-kept"},
    {"wideband-late-pipe", "wideband-leak wideband-scale lean-under-load lean-tip-in", true},
    {"wideband-leak", "wideband-late-pipe wideband-scale lean-under-load lean-tip-in", true},
    {"narrowband-dead",
     "trim-at-stop wideband-scale rich-under-load lean-under-load trims-kept fuel-changed exhaust-leak "
     "purge-suspected regulator idle-hunts one-cylinder misfire"},
    {"narrowband-slow", "wideband-scale trims-kept lean-tip-in rich-tip-in idle-hunts"},
    {"banks-crossed",
     "trim-at-stop wideband-scale wideband-leak wideband-late-pipe rich-under-load lean-under-load trims-kept "
     "one-cylinder misfire exhaust-leak purge-suspected fuel-changed idle-hunts regulator narrowband-dead"},
    {"pressure-dead",
     "hard-start limp-mode meter-disagrees pressure-scale trim-at-stop lean-under-load rich-under-load idle-off "
     "idle-hunts overboost underboost limit-hit intake-leak boost-leak throttle-closes axis-mismatch "
     "lean-tip-in rich-tip-in wastegate-stuck-open wastegate-stuck-shut"},
    {"pressure-scale",
     "boost-leak trims-kept wideband-scale limp-mode meter-disagrees trim-at-stop lean-under-load rich-under-load "
     "idle-off idle-hunts overboost "
     "underboost limit-hit throttle-closes lean-tip-in rich-tip-in wastegate-stuck-open "
     "wastegate-stuck-shut knock octane-low fuel-pressure-falls fuel-changed"},
    {"meter-dead",
     "lean-under-load rich-under-load lean-tip-in rich-tip-in limit-hit meter-disagrees intake-leak boost-leak "
     "pressure-scale trim-at-stop "
     "fuel-changed limp-mode"},
    {"meter-disagrees",
     "regulator wideband-late-pipe trim-at-stop lean-under-load rich-under-load lean-tip-in rich-tip-in fuel-changed "
     "limp-mode"},
    {"intake-leak",
     "boost-leak idle-off idle-hunts trim-at-stop limp-mode meter-disagrees lean-tip-in rich-tip-in fuel-changed"},
    {"boost-leak", "underboost meter-disagrees limit-hit wastegate-stuck-open"},
    {"throttle-offset", "limp-mode idle-off idle-hunts throttle-closes underboost"},
    {"pedal-dead", "limp-mode idle-off idle-hunts throttle-closes"},
    {"coolant-stuck",
     "idle-off idle-hunts hard-start lean-tip-in rich-tip-in trim-at-stop knock rich-under-load lean-under-load"},
    {"intake-stuck", "pressure-scale trim-at-stop lean-under-load rich-under-load knock fuel-changed"},
    {"speed-scale", "throttle-closes idle-off limit-hit clutch-slips"},
    {"wheel-dead",
     "wastegate-stuck-shut wastegate-stuck-open fuel-pressure-falls lean-under-load overboost underboost speed-scale "
     "idle-off idle-hunts limit-hit clutch-slips"},
    {"battery-low",
     "fuel-changed exhaust-leak purge-suspected hard-start idle-off idle-hunts lean-under-load rich-under-load misfire "
     "one-cylinder trim-at-stop "
     "fuel-pressure-falls"},
    {"regulator", "lean-under-load rich-under-load trim-at-stop fuel-pressure-falls lean-tip-in rich-tip-in"},
    {"fuel-pressure-falls", "lean-under-load trim-at-stop"},
    {"one-cylinder",
     "trim-at-stop lean-under-load rich-under-load idle-hunts idle-off lean-tip-in rich-tip-in fuel-changed"},
    {"misfire",
     "wideband-late-pipe wideband-leak trim-at-stop lean-under-load rich-under-load idle-hunts idle-off wideband-scale "
     "lean-tip-in rich-tip-in "
     "fuel-changed fuel-pressure-falls underboost wastegate-stuck-open"},
    {"knock", "octane-low"},
    {"knock-false", "knock octane-low"},
    {"wastegate-stuck-open", "underboost"},
    {"wastegate-stuck-shut",
     "clutch-slips lean-under-load fuel-pressure-falls overboost limit-hit knock octane-low throttle-closes"},
    {"overboost", "lean-under-load limit-hit fuel-pressure-falls"},
    {"clutch-slips", "overboost lean-under-load limit-hit"},
    {"throttle-closes", "underboost wastegate-stuck-open"},
    {"fuel-changed",
     "purge-suspected exhaust-leak regulator fuel-pressure-falls trim-at-stop lean-under-load rich-under-load "
     "trims-kept"},
    {"purge-suspected", "fuel-changed fuel-path trim-at-stop rich-under-load idle-off idle-hunts trims-kept"},
    {"limp-mode", "throttle-closes underboost idle-off idle-hunts"},
    {"trim-at-stop", "lean-under-load rich-under-load"},
    {"wrong-round", "axis-mismatch fuel-path pressure-scale meter-disagrees"},
};

bool listed(std::string_view list, std::string_view word) {
    for (size_t at = list.find(word); at != std::string_view::npos; at = list.find(word, at + 1)) {
        const size_t end = at + word.size();
        if ((at == 0 || list[at - 1] == ' ') && (end == list.size() || list[end] == ' ')) return true;
    }
    return false;
}

/// More than half of the stretches in which it was seen touch one that is tainted.
bool within(const Finding& effect, const std::vector<Taint>& taints) {
    const auto touch = std::count_if(effect.where.begin(), effect.where.end(), [&](const Stretch& where) {
        return std::any_of(taints.begin(), taints.end(), [&](const Taint& taint) {
            return taint.where.drive == where.drive && taint.where.from_s <= where.to_s &&
                   taint.where.to_s >= where.from_s;
        });
    });
    return 2 * static_cast<size_t>(touch) > effect.where.size() || effect.where.empty();
}

/// What follows from something else that was found is a note beneath it. A cause is as serious as what it leads to; not
/// so a sensor by which it only seems so, and what was seen while that was well stands for itself.
void explain(std::vector<Finding>& found) {
    constexpr double kBelieved = 0.5;
    for (const Explains& one : kExplains) {
        const auto cause = std::find_if(found.begin(), found.end(), [&](const Finding& f) {
            return f.check == one.cause && f.seriousness >= Seriousness::Warn && f.certainty >= kBelieved &&
                   f.because.empty();
        });
        if (cause == found.end()) continue;
        for (Finding& effect : found) {
            if (&effect == &*cause || !effect.because.empty() || !listed(one.effects, effect.check)) continue;
            if (one.seem && !cause->taints.empty() && !within(effect, cause->taints)) continue;
            effect.because = cause->check;
            if (!one.seem) cause->seriousness = std::max(cause->seriousness, effect.seriousness);
            effect.seriousness = Seriousness::Note;
        }
    }
}

/// Channels that no drive has.
std::vector<roles::Role> lacking(const roles::Need& need, const Drives& drives) {
    std::vector<roles::Role> out;
    for (const roles::Role role : need.channels) {
        bool any = false;
        for (size_t d = 0; d < drives.size() && !any; ++d)
            any = static_cast<bool>(drives.recording(d).findRole(role));
        if (!any) out.push_back(role);
    }
    return out;
}

}  // namespace

std::string_view seriousnessName(Seriousness seriousness) {
    constexpr std::string_view kNames[] = {"note", "warn", "danger"};
    return kNames[static_cast<size_t>(seriousness)];
}

const roles::Need& Check::need() const {
    return *roles::needOf(roles::kCheckNeeds, id);
}

std::span<const Check> allChecks() {
    return kChecks;
}

Findings findingsOf(const Drives& drives, const calibration::Calibration* inCar) {
    const std::vector<DriveEvents>& events = drives.events();
    const auto steady = steadyRows(drives);
    checks::Shared shared;
    Findings out;
    for (const Check& check : kChecks) {
        auto lacks = lacking(check.need(), drives);
        if (!lacks.empty()) {
            out.couldNot.push_back({check.id, std::move(lacks)});
            continue;
        }
        out.looked.push_back(check.id);
        const size_t before = out.found.size();
        check.look({drives, events, steady, inCar, shared}, out.found);
        for (size_t i = before; i < out.found.size(); ++i) {
            out.found[i].check = check.id;
            for (Taint& taint : out.found[i].taints)
                taint.check = check.id;
        }
    }
    explain(out.found);
    const auto first = [](const Finding& one) {
        return one.where.empty() ? std::pair<size_t, double>{} : std::pair(one.where[0].drive, one.where[0].from_s);
    };
    std::stable_sort(out.found.begin(), out.found.end(), [&](const Finding& a, const Finding& b) {
        if (a.seriousness != b.seriousness) return a.seriousness > b.seriousness;
        if (a.certainty > b.certainty || b.certainty > a.certainty) return a.certainty > b.certainty;
        return first(a) < first(b);
    });
    return out;
}

}  // namespace brusk::evidence
