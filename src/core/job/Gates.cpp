// One function a gate, in the order in which they are shown.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Gates.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/calibration/Compare.h"
#include "core/evidence/MapSamples.h"
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
    Gate gate = blocks(std::move(name), sentence + " To flash all the same, type the controller's serial number.",
                       Remedy::TypeSerial);
    if (serial.empty() || in.typedSerial != serial) return gate;
    gate.verdict = Verdict::Warns;
    gate.overridden = true;
    gate.sentence = sentence + " Overridden by typing " + serial + ".";
    return gate;
}

Gate rightCar(const GateInput& in, const link::Identity& kept) {
    const std::string& now = in.identity->at("vin");
    // A controller without a program may not tell it; that must not keep it from being mended.
    if (now.empty() && in.identity->bootMode())
        return {"Right car", Verdict::Warns,
                "The VIN is not told in boot mode. This folder is for " + kept.at("vin") + "."};
    if (kept.at("vin") == now) return passed("Right car", "VIN " + now + " is this folder's.");
    return blocks("Right car",
                  "This folder is for " + kept.at("vin") + "; the car on the link is " + now + ". Open its own folder.",
                  Remedy::None);
}

Gate rightController(const GateInput& in, const link::Identity& kept) {
    const link::Identity& now = *in.identity;
    const auto& fits = in.kit.profile.hardware;
    if (std::find(fits.begin(), fits.end(), now.at("hardware")) == fits.end())
        return mismatch(in, "Right controller",
                        "The controller is hardware \"" + now.at("hardware") + "\"; the profile " +
                            in.kit.profile.name + " is not for it.");
    if (now.at("serial").empty() && now.bootMode())
        return {"Right controller", Verdict::Warns,
                "The serial number is not told in boot mode. This folder's controller is " + kept.at("serial") + "."};
    if (kept.at("serial") != now.at("serial"))
        return mismatch(in, "Right controller",
                        "This folder's controller has serial " + kept.at("serial") + "; the one on the link has " +
                            now.at("serial") + ".");
    return passed("Right controller", now.at("hardware") + ", serial " + now.at("serial") + ".");
}

Gate rightSoftware(const GateInput& in) {
    const std::string& seen = in.identity->at("software");
    const std::string& wanted = in.kit.profile.definitionSoftware;
    if (seen.empty())
        return passed("Right software",
                      "The controller waits in boot mode: its program or calibration is not whole. A flash mends "
                      "that.");
    if (seen == wanted) return passed("Right software", seen + ", what the definition is for.");
    return mismatch(in, "Right software", "The controller runs " + seen + ", the definition is for " + wanted + ".");
}

Gate rights(const GateInput& in) {
    const char* name = "Rights";
    if (in.round.rights.empty()) return passed(name, "This round is your own.");
    const auto rights = rightsFromJson(in.round.rights);
    if (!rights) return blocks(name, rights.error().message, Remedy::None);
    if (!rights->mayFlash)
        return blocks(name, "Its seal lets this calibration be looked at, not flashed.", Remedy::None);
    const link::Identity& now = *in.identity;
    const std::pair<const std::string*, const char*> bound[] = {
        {&rights->vin, "vin"}, {&rights->serial, "serial"}, {&rights->software, "software"}};
    for (const auto& [wanted, key] : bound)
        if (!wanted->empty() && *wanted != now.at(key) && !(std::string_view(key) == "software" && now.bootMode()))
            return blocks(name,
                          "This calibration was sealed for " + *wanted + "; the car on the link is " + now.at(key) +
                              ". Ask its maker for one for this car.",
                          Remedy::None);
    if (rights->wholeOnly && in.scope == FlashScope::Changed)
        return blocks(name, "Its seal asks for a whole flash. Choose the calibration or everything.", Remedy::None);
    if (rights->scope == "calibration" && in.scope == FlashScope::Everything)
        return blocks(name, "Its seal covers the calibration only. Choose the calibration.", Remedy::None);
    return passed(name, "Its seal is for this car and this scope.");
}

Gate checksums(const GateInput& in) {
    const calibration::Calibration calibration(in.kit.definition, in.image);
    if (auto done = calibration.matchesDefinition(); !done)
        return blocks("Checksums", done.error().message, Remedy::NewRound);
    if (in.unmendable) return blocks("Checksums", in.unmendable->message, Remedy::NewRound);
    const std::string count = std::to_string(in.kit.profile.checksums.size());
    if (in.mended == 0) return passed("Checksums", count + " areas agree with their checksums.");
    return passed("Checksums", std::to_string(in.mended) + " of " + count + " checksums are mended before the flash.");
}

Gate battery(const GateInput& in) {
    const link::Profile& profile = in.kit.profile;
    const double volts = in.identity->voltage;
    const std::string seen = formatNumber(volts, 1) + " V";
    if (volts < profile.leastVoltage)
        return blocks(
            "Battery",
            seen + "; at least " + formatNumber(profile.leastVoltage, 1) + " V are needed. Connect a charger.",
            Remedy::AskAgain);
    if (volts > profile.mostVoltage)
        return blocks("Battery",
                      seen + "; at most " + formatNumber(profile.mostVoltage, 1) +
                          " V are good for the controller. Use a supply that is held to less.",
                      Remedy::AskAgain);
    return passed("Battery", seen + ", enough.");
}

Gate engineOff(const GateInput& in) {
    const double speed = in.identity->engineSpeed_rpm;
    if (speed < kStanding_rpm) return passed("Engine off", "The engine stands still.");
    return blocks("Engine off", "The engine turns at " + formatNumber(speed, 0) + " rpm. Switch it off, ignition on.",
                  Remedy::AskAgain);
}

Gate limits(const calibration::Calibration& before, const calibration::Calibration& now) {
    const auto loose = loosenedLimits(before, now);
    if (loose.empty()) return passed("Limits", "No limit lets more through than what is in the car.");
    const auto number = [](double v) { return formatNumber(v, std::abs(v) < 100 ? 1 : 0); };
    const LoosenedLimit& first = loose.front();
    std::string sentence = first.parameter->title() + " goes from " + number(first.before) + " to " +
                           number(first.now) + (first.unit.empty() ? "" : " " + first.unit);
    if (loose.size() > 1)
        sentence += ", and " + std::to_string(loose.size() - 1) + (loose.size() == 2 ? " other" : " others");
    return {"Limits", Verdict::Warns, sentence + ". Is the engine up to it?", Remedy::ShowParameter,
            first.parameter->name};
}

Gate evidence(const GateInput& in, const calibration::Calibration& before, const calibration::Calibration& now) {
    const char* name = "Evidence";
    const auto unseen = unseenChanges(in.kit, in.folder, in.round, before, now);
    if (!unseen) return {name, Verdict::Warns, unseen.error().message};
    if (unseen->empty()) return passed(name, "No changed cell under full load lacks samples.");
    int cells = 0;
    for (const UnseenChange& change : *unseen)
        cells += change.cells;
    const UnseenChange& first = unseen->front();
    return {name, Verdict::Warns,
            std::to_string(cells) + (cells == 1 ? " cell" : " cells") +
                " under full load changed that no drive has "
                "visited, most in " +
                first.parameter->title() + ". Drive up to them in steps.",
            Remedy::ShowParameter, first.parameter->name};
}

Gate originalKept(const GateInput& in) {
    const auto original = in.folder.rounds().original();
    if (original && *original) return passed("Original kept", "Round 0 and original.hex are in the folder.");
    return blocks("Original kept", "Read the controller first, so that you can always go back.", Remedy::Read);
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
