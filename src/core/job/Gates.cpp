// One function a gate, in the order in which they are shown.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Gates.h"

#include <algorithm>
#include <cmath>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/calibration/Compare.h"
#include "core/evidence/FirstPull.h"
#include "core/evidence/MapSamples.h"
#include "core/job/Deliver.h"
#include "core/job/Keeping.h"
#include "core/job/LoadDrives.h"
#include "core/job/Rounds.h"

namespace brusk::job {
namespace {

using Verdict = Gate::Verdict;
using Remedy = Gate::Remedy;

constexpr double kStanding_rpm = 50;  // A crank sensor's noise turns slower than this.

Gate passed(std::string name, std::string sentence) {
    return {std::move(name), Verdict::Passed, std::move(sentence)};
}
Gate blocks(std::string name, std::string sentence, Remedy remedy) {
    return {std::move(name), Verdict::Blocks, std::move(sentence), remedy};
}

/// A mismatch blocks unless somebody typed the serial number of the controller on the link.
Gate mismatch(const GateInput& in, std::string name, const std::string& sentence) {
    const std::string& serial = in.identity->at("serial");
    Gate gate =
        blocks(std::move(name),
               say("gate.to-override", "{0} To flash all the same, type the controller's serial number.", {sentence}),
               Remedy::TypeSerial);
    if (serial.empty() || in.typedSerial != serial) return gate;
    gate.verdict = Verdict::Warns;
    gate.overridden = true;
    gate.sentence = say("gate.overridden", "{0} Overridden by typing {1}.", {sentence, serial});
    return gate;
}

Gate rightCar(const GateInput& in, const link::Identity& kept) {
    const std::string& now = in.identity->at("vin");
    // A controller without a program may not tell it; that must not keep it from being mended.
    if (now.empty() && in.identity->bootMode())
        return {
            "Right car", Verdict::Warns,
            say("gate.vin-not-told", "The VIN is not told in boot mode. This folder is for {0}.", {kept.at("vin")})};
    if (kept.at("vin") == now) return passed("Right car", say("gate.vin-agrees", "VIN {0} is this folder's.", {now}));
    return blocks("Right car",
                  say("gate.other-car", "This folder is for {0}; the car on the link is {1}. Open its own folder.",
                      {kept.at("vin"), now}),
                  Remedy::None);
}

Gate rightController(const GateInput& in, const link::Identity& kept) {
    const link::Identity& now = *in.identity;
    const auto& fits = in.kit.profile.hardware;
    if (std::find(fits.begin(), fits.end(), now.at("hardware")) == fits.end())
        return mismatch(in, "Right controller",
                        say("gate.other-hardware", "The controller is hardware \"{0}\"; the profile {1} is not for it.",
                            {now.at("hardware"), in.kit.profile.name}));
    if (now.at("serial").empty() && now.bootMode())
        return {
            "Right controller", Verdict::Warns,
            say("gate.serial-not-told", "The serial number is not told in boot mode. This folder's controller is {0}.",
                {kept.at("serial")})};
    if (kept.at("serial") != now.at("serial"))
        return mismatch(
            in, "Right controller",
            say("gate.other-controller", "This folder's controller has serial {0}; the one on the link has {1}.",
                {kept.at("serial"), now.at("serial")}));
    return passed("Right controller",
                  say("gate.controller-agrees", "{0}, serial {1}.", {now.at("hardware"), now.at("serial")}));
}

Gate rightSoftware(const GateInput& in) {
    const std::string& seen = in.identity->at("software");
    const std::string& wanted = in.kit.profile.definitionSoftware;
    if (seen.empty())
        return passed(
            "Right software",
            say("gate.boot-mode",
                "The controller waits in boot mode: its program or calibration is not whole. A flash mends that."));
    if (seen == wanted)
        return passed("Right software", say("gate.software-agrees", "{0}, what the definition is for.", {seen}));
    return mismatch(in, "Right software",
                    say("gate.other-software", "The controller runs {0}, the definition is for {1}.", {seen, wanted}));
}

Gate refusedBy(const char* name, const Error& error) {
    Gate out = blocks(name, error.message, Remedy::None);
    out.refused = error.refused;
    return out;
}

/// Whoever sealed what was put to the car last may have closed the way back: then only what he sealed goes over it.
Done wayIsOpen(const GateInput& in, const std::optional<deliver::Rights>& rights) {
    const auto last = in.folder.memory().lastFlash();
    if (!last) return tl::unexpected(last.error());
    if (!*last || (*last)->round == in.round.id) return {};
    const auto held = in.folder.rounds().byId((*last)->round);
    if (!held) return tl::unexpected(held.error());
    const auto closed = rightsOf(*held);
    if (!closed) return tl::unexpected(closed.error());
    if (!*closed || (*closed)->wayBack || (rights && rights->maker == (*closed)->maker)) return {};
    return refuse("not-allowed", say("gate.no-way-back",
                                     "{0} sealed round {1} without a way back, and it was flashed: only what its maker "
                                     "seals goes over it.",
                                     {(*closed)->makerName, std::to_string(held->number)}));
}

Gate rights(const GateInput& in) {
    const char* name = "Rights";
    const auto rights = rightsOf(in.round);
    if (!rights) return blocks(name, rights.error().message, Remedy::None);
    if (auto open = wayIsOpen(in, *rights); !open) return refusedBy(name, open.error());
    if (!*rights) return passed(name, say("gate.own-round", "This round is your own."));
    if (auto may = mayBeDone(in.round, deliver::May::Flash); !may) return refusedBy(name, may.error());
    if ((*rights)->may.to(deliver::May::Change))
        return passed(name, say("gate.all-allowed", "{0} allows everything with it.", {(*rights)->makerName}));
    const link::Identity& now = *in.identity;
    if (auto fits =
            deliver::fitsCar((*rights)->car, {now.at("vin"), now.at("serial"), now.at("software"), now.bootMode()});
        !fits)
        return refusedBy(name, fits.error());
    return passed(name, say("gate.seal-fits", "Sealed by {0} for this car.", {(*rights)->makerName}));
}

Gate checksums(const GateInput& in) {
    const calibration::Calibration calibration(in.kit.definition, in.image);
    if (auto done = calibration.matchesDefinition(); !done)
        return blocks("Checksums", done.error().message, Remedy::NewRound);
    if (in.unmendable) return blocks("Checksums", in.unmendable->message, Remedy::NewRound);
    const std::string count = std::to_string(in.kit.profile.checksums.size());
    if (in.mended == 0)
        return passed("Checksums", say("gate.checksums-agree", "{0} areas agree with their checksums.", {count}));
    return passed("Checksums", say("gate.checksums-mended", "{0} of {1} checksums are mended before the flash.",
                                   {std::to_string(in.mended), count}));
}

Gate battery(const GateInput& in) {
    const link::Profile& profile = in.kit.profile;
    const double volts = in.identity->voltage;
    const std::string seen = formatNumber(volts, 1) + " V";
    if (volts < profile.leastVoltage)
        return blocks("Battery",
                      say("gate.battery-low", "{0}; at least {1} V are needed. Connect a charger.",
                          {seen, formatNumber(profile.leastVoltage, 1)}),
                      Remedy::AskAgain);
    if (volts > profile.mostVoltage)
        return blocks("Battery",
                      say("gate.battery-high",
                          "{0}; at most {1} V are good for the controller. Use a supply that is held to less.",
                          {seen, formatNumber(profile.mostVoltage, 1)}),
                      Remedy::AskAgain);
    return passed("Battery", say("gate.battery-enough", "{0}, enough.", {seen}));
}

Gate engineOff(const GateInput& in) {
    const double speed = in.identity->engineSpeed_rpm;
    if (speed < kStanding_rpm) return passed("Engine off", say("gate.engine-off", "The engine stands still."));
    return blocks(
        "Engine off",
        say("gate.engine-turns", "The engine turns at {0} rpm. Switch it off, ignition on.", {formatNumber(speed, 0)}),
        Remedy::AskAgain);
}

Gate limits(const calibration::Calibration& before, const calibration::Calibration& now) {
    const auto loose = loosenedLimits(before, now);
    if (loose.empty())
        return passed("Limits", say("gate.limits-kept", "No limit lets more through than what is in the car."));
    const auto number = [](double v) { return formatNumber(v, std::abs(v) < 100 ? 1 : 0); };
    const LoosenedLimit& first = loose.front();
    const std::string unit = first.unit.empty() ? "" : " " + first.unit;
    const std::string others = loose.size() == 1 ? ""
                               : loose.size() == 2
                                   ? say("gate.limits-one-more", ", and 1 other")
                                   : say("gate.limits-more", ", and {0} others", {std::to_string(loose.size() - 1)});
    const std::string sentence = say("gate.limits-loosened", "{0} goes from {1} to {2}{3}{4}. Is the engine up to it?",
                                     {first.parameter->title(), number(first.before), number(first.now), unit, others});
    return {"Limits", Verdict::Warns, sentence, Remedy::ShowParameter, first.parameter->name};
}

Gate evidence(const GateInput& in, const calibration::Calibration& before, const calibration::Calibration& now) {
    const char* name = "Evidence";
    const auto unseen = unseenChanges(in.kit, in.folder, in.round, before, now);
    if (!unseen) return {name, Verdict::Warns, unseen.error().message};
    if (unseen->empty())
        return passed(name, say("gate.evidence-enough", "No changed cell under full load lacks samples."));
    int cells = 0;
    for (const UnseenChange& change : *unseen)
        cells += change.cells;
    const UnseenChange& first = unseen->front();
    return {name, Verdict::Warns,
            say("gate.evidence-unseen",
                "{0} {1} under full load changed that no drive has visited, most in {2}. Drive up to them in steps.",
                {std::to_string(cells), cells == 1 ? "cell" : "cells", first.parameter->title()}),
            Remedy::ShowParameter, first.parameter->name};
}

/// What was driven on a round, in its order.
evidence::Drives drivesOn(const carfolder::CarFolder& folder, int64_t round) {
    evidence::Drives::Recordings out;
    if (const auto entries = folder.recordings().of(round))
        for (const auto& entry : *entries)
            if (auto recording = loadRecording(folder, entry)) out.push_back(std::move(*recording));
    return evidence::Drives(std::move(out));
}

/// What the controller learned on other bytes stays when these are written, and acts on them.
std::optional<Gate> learned(const GateInput& in, const calibration::Calibration& before,
                            const calibration::Calibration& now) {
    constexpr roles::Role kFuel[] = {"ve_map",           "meter_curve",  "injector_flow",        "injector_dead_time",
                                     "filling_altitude", "charge_blend", "stoichiometric_ratio", "displacement"};
    const char* name = "Learned";
    const bool fuel = std::any_of(std::begin(kFuel), std::end(kFuel), [&](roles::Role role) {
        const auto* parameter = before.definition().parameterWithRole(role);
        if (!parameter) return false;
        const auto a = before.read(*parameter), b = now.read(*parameter);
        return a && b && a->raw != b->raw;
    });
    if (!fuel) return std::nullopt;
    const auto pull = evidence::firstPull(before, drivesOn(in.folder, in.beforeRound), now);
    if (!pull || !pull->betterCleared()) return std::nullopt;
    if (in.clearLearned)
        return passed(
            name, say("gate.learned-cleared",
                      "{0} % was learned where pulls are driven; it is cleared with the flash, and trouble codes are.",
                      {formatNumber(pull->trim_pct, 1)}));
    return Gate{
        name, Verdict::Warns,
        say("gate.learned",
            "{0} % was learned where pulls are driven. Left as it is the first pull will be {1}, cleared {2}.",
            {formatNumber(pull->trim_pct, 1), pull->offText(pull->withLearned_pct), pull->offText(pull->cleared_pct)}),
        Remedy::ClearLearned};
}

Gate originalKept(const GateInput& in) {
    const auto original = in.folder.rounds().original();
    if (original && *original)
        return passed("Original kept", say("gate.original-kept", "Round 0 and original.hex are in the folder."));
    return blocks("Original kept",
                  say("gate.no-original", "Read the controller first, so that you can always go back."), Remedy::Read);
}

}  // namespace

std::vector<Gate> gatesOf(const GateInput& in) {
    std::vector<Gate> out;
    const auto told = in.folder.settings().get("identity");
    const auto kept = told ? identityFromJson(*told) : Result<link::Identity>(tl::unexpected(told.error()));
    if (!in.identity) {
        out.push_back(blocks("Right car", "No controller was asked yet. Connect on the Car station.", Remedy::Connect));
    } else if (!kept) {
        out.push_back(blocks("Right car", "This car was not read yet. Read it first.", Remedy::Read));
    } else {
        out.push_back(rightCar(in, *kept));
        out.push_back(rightController(in, *kept));
        out.push_back(rightSoftware(in));
        out.push_back(rights(in));
    }
    out.push_back(checksums(in));
    if (in.identity) {
        out.push_back(battery(in));
        out.push_back(engineOff(in));
    }
    out.push_back(originalKept(in));
    if (in.before) {
        const calibration::Calibration now(in.kit.definition, in.image);
        out.push_back(limits(*in.before, now));
        out.push_back(evidence(in, *in.before, now));
        if (auto gate = learned(in, *in.before, now)) out.push_back(std::move(*gate));
    }
    return out;
}

// --- limits

namespace {

struct LimitRole {
    roles::Role role;
    bool moreIsLooser;
};
/// A switch of a watch is looser when it is off.
constexpr LimitRole kLimitRoles[] = {{"rev_limit", true},         {"rev_limit_cold", true}, {"boost_cut", true},
                                     {"load_limit", true},        {"speed_limit", true},    {"plaus_pressure", true},
                                     {"plaus_airflow", true},     {"duty_limit", true},     {"limp_on", false},
                                     {"diag_plausibility", false}};

}  // namespace

std::vector<LoosenedLimit> loosenedLimits(const calibration::Calibration& before, const calibration::Calibration& now) {
    std::vector<LoosenedLimit> out;
    for (const LimitRole& limit : kLimitRoles) {
        const auto* parameter = now.definition().parameterWithRole(limit.role);
        if (!parameter) continue;
        const auto a = before.read(*parameter), b = now.read(*parameter);
        if (!a || !b || a->values.size() != b->values.size()) continue;
        size_t worst = 0;
        double by = 0;
        for (size_t i = 0; i < a->values.size(); ++i) {
            const double more = (b->values[i] - a->values[i]) * (limit.moreIsLooser ? 1 : -1);
            if (more > by) by = more, worst = i;
        }
        if (by > 0)
            out.push_back(
                {parameter, a->values[worst], b->values[worst], now.definition().conversionOf(*parameter).unit});
    }
    return out;
}

// --- evidence

namespace {

/// Whether a cell is one of full load, by what moves along its axes: near the air outside and above, or in the upper
/// part of the axis.
bool underFullLoad(const evidence::MapAxes& axes, size_t row, size_t column) {
    if (const auto pressure_kPa = axes.at("manifold_pressure", row, column)) return *pressure_kPa >= 90;
    if (const auto pedal_pct = axes.at("pedal", row, column)) return *pedal_pct >= 80;
    const auto air = axes.at("air_per_cylinder", row, column);
    return air && *air >= 0.7 * *axes.at("air_per_cylinder", axes.rows() - 1, axes.columns() - 1);
}

/// What was driven on a round and on those it came from, newest first, on whatever bytes.
DrivesPtr drivesOfAncestors(const carfolder::CarFolder& folder, const carfolder::Round& round) {
    constexpr size_t kMost = 24;
    evidence::Drives::Recordings out;
    for (std::optional<int64_t> id = round.id; id && out.size() < kMost;) {
        if (const auto entries = folder.recordings().of(*id))
            for (const auto& entry : *entries)
                if (auto recording = loadRecording(folder, entry)) out.push_back(std::move(*recording));
        const auto at = folder.rounds().byId(*id);
        id = at ? at->parent : std::nullopt;
    }
    return std::make_shared<const evidence::Drives>(std::move(out));
}

}  // namespace

Result<std::vector<UnseenChange>> unseenChanges(const Kit& kit, carfolder::CarFolder& folder,
                                                const carfolder::Round& round, const calibration::Calibration& before,
                                                const calibration::Calibration& now) {
    const definition::Definition& definition = *kit.definition;
    std::vector<UnseenChange> out;
    DrivesPtr drives;
    for (const auto& difference : calibration::compare(before, now)) {
        const definition::Parameter& map = *difference.parameter;
        if (map.kind != definition::Parameter::Kind::Map || map.axes.size() < 2) continue;
        const auto a = before.read(map), b = now.read(map);
        if (!a || !b || b->y.values.empty() || a->values.size() != b->values.size()) continue;
        const evidence::MapAxes axes(definition, *b);
        std::vector<evidence::CellStat> seen;
        UnseenChange change{&map, 0};
        for (size_t i = 0; i < b->values.size(); ++i) {
            if (a->values[i] == b->values[i] || !underFullLoad(axes, i / axes.columns(), i % axes.columns())) continue;
            if (!drives) drives = drivesOfAncestors(folder, round);
            if (seen.empty())
                seen = evidence::MapSamples(definition, *b, *drives, evidence::Measure::presence()).cells();
            change.cells += seen[i].count == 0;
        }
        if (change.cells) out.push_back(change);
    }
    std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.cells > b.cells; });
    return out;
}

const char* scopeName(FlashScope scope) {
    switch (scope) {
        case FlashScope::Changed:
            return "changed";
        case FlashScope::Calibration:
            return "calibration";
        case FlashScope::Everything:
            return "everything";
    }
    return "";
}

std::optional<FlashScope> scopeNamed(std::string_view name) {
    for (const FlashScope scope : {FlashScope::Changed, FlashScope::Calibration, FlashScope::Everything})
        if (name == scopeName(scope)) return scope;
    return std::nullopt;
}

}  // namespace brusk::job
