// One function a section, in the order in which an owner asks.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/MakeReport.h"

#include <algorithm>
#include <cmath>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/evidence/Figures.h"
#include "core/evidence/MapSamples.h"
#include "core/job/Deliver.h"
#include "core/job/Drive.h"
#include "core/job/Gates.h"
#include "core/job/Keeping.h"
#include "core/job/LoadDrives.h"
#include "core/job/NextStep.h"
#include "core/proposals/correct/Air.h"

namespace brusk::job {
namespace {

using deliver::Quantity;
using deliver::ReportMaps;
using deliver::ReportSection;
using deliver::ReportTable;

constexpr double kLeastScale_pct = 5;  // of the fuel error's colours: a good map is not blown up

/// What every section is made of.
struct About {
    const Kit& kit;
    const carfolder::CarFolder& folder;
    std::vector<carfolder::Round> line;  ///< from the original to the round
    proposals::BuildSheet sheet;
    std::map<int64_t, DrivesPtr> drives;  ///< by round; only those that were driven on and may be seen

    const carfolder::Round& round() const { return line.back(); }
    const evidence::Drives* of(int64_t id) const {
        const auto found = drives.find(id);
        return found == drives.end() ? nullptr : found->second.get();
    }
};

Result<About> gather(const Kit& kit, const carfolder::CarFolder& folder, int64_t id) {
    About out{kit, folder, {}, {}, {}};
    for (std::optional<int64_t> at = id; at;) {
        const auto round = folder.rounds().byId(*at);
        if (!round) return tl::unexpected(round.error());
        at = round->parent;
        out.line.insert(out.line.begin(), *round);
    }
    const auto kept = folder.settings().sheet();
    if (!kept) return tl::unexpected(kept.error());
    if (const auto sheet = buildSheetFromJson(kept->facts); sheet && !kept->facts.empty()) out.sheet = *sheet;
    for (const auto& round : out.line) {
        if (!round.recordings || round.sealed) continue;
        // Drives that can't be learned from leave their round "not measured".
        if (auto drives = drivesIfAny(kit, folder, round.id); drives && !(*drives)->empty())
            out.drives[round.id] = std::move(*drives);
    }
    return out;
}

std::string numbered(const carfolder::Round& round) {
    return std::to_string(round.number);
}

Result<ReportSection> theCar(const About& about) {
    ReportSection out{say("report.car", "The car"), {}};
    ReportTable who{"", {{say("report.what", "What")}, {say("report.value", "Value")}}, {}};
    const auto told = about.folder.settings().get("identity");
    if (!told) return tl::unexpected(told.error());
    if (const auto identity = told->empty() ? Result<link::Identity>(link::Identity{}) : identityFromJson(*told))
        for (const auto& [name, title] : {std::pair{"vin", say("report.vin", "VIN")},
                                          {"serial", say("report.serial", "Controller, serial number")},
                                          {"hardware", say("report.hardware", "Hardware")},
                                          {"software", say("report.software", "Software")},
                                          {"calibration", say("report.calibration", "Calibration as it came")}})
            if (!identity->at(name).empty()) who.rows.push_back({title, identity->at(name)});
    out.blocks.emplace_back(std::move(who));
    ReportTable parts{say("report.parts", "Parts"),
                      {{say("report.part", "Part")},
                       {say("report.stock", "As built")},
                       {say("report.fitted", "Fitted")},
                       {say("report.unit", "Unit")}},
                      {}};
    for (const auto& kind : proposals::factKinds()) {
        const auto fitted = about.sheet.of(kind.fact), stock = about.sheet.of(kind.fact, false);
        if (!fitted && !stock) continue;
        const auto cell = [&](const std::optional<double>& value) -> deliver::ReportCell {
            if (value) return Quantity{value, kind.decimals};
            return std::string();
        };
        parts.rows.push_back(
            {std::string(kind.group) + ", " + toLower(kind.title), cell(stock), cell(fitted), std::string(kind.unit)});
    }
    if (parts.rows.empty())
        out.blocks.emplace_back(say("report.no-parts", "Nothing is written on the build sheet."));
    else
        out.blocks.emplace_back(std::move(parts));
    if (!about.sheet.notes.empty()) out.blocks.emplace_back(about.sheet.notes);
    return out;
}

ReportSection whatWasDone(const About& about) {
    ReportSection out{say("report.done", "What was done, and why"), {}};
    ReportTable rounds{"",
                       {{say("report.round", "Round")},
                        {say("report.title", "Title")},
                        {say("report.flashed", "Flashed")},
                        {say("report.drives", "Drives")},
                        {say("report.fuel-error", "Fuel error"), "%"}},
                       {}};
    for (const auto& round : about.line)
        rounds.rows.push_back({numbered(round), round.title, round.flashedAt.substr(0, 10),
                               Quantity{static_cast<double>(round.recordings), 0}, Quantity{round.fuelError_pct, 1}});
    out.blocks.emplace_back(std::move(rounds));
    for (const auto& round : about.line) {
        if (round.number == 0) continue;
        const auto rights = rightsOf(round);
        if (rights && *rights && round.sealed) {
            out.blocks.emplace_back(say("report.sealed",
                                        "Round {0} came sealed from {1}; its values are not in this report.",
                                        {numbered(round), (*rights)->makerName}));
            continue;
        }
        const auto reason = round.reason.empty() ? Result<RoundReason>(RoundReason{}) : reasonFromJson(round.reason);
        if (reason && reason->kind == "base") {
            out.blocks.emplace_back(
                say("report.why-base",
                    "Round {0}: a calibration for the parts on the build sheet, computed before the "
                    "first drive.",
                    {numbered(round)}));
            continue;
        }
        // Of a long account its first line; the whole is in the ledger.
        const std::string note = std::string(trimmed(round.note.substr(0, round.note.find('\n'))));
        if (!note.empty()) out.blocks.emplace_back(say("report.why", "Round {0}: {1}", {numbered(round), note}));
    }
    return out;
}

/// The mixture's error in the cells of the round's own map; nothing where it was not driven.
std::optional<ReportMaps::One> errorMap(const About& about, const carfolder::Round& round, ReportMaps& frame) {
    const auto* drives = about.of(round.id);
    const auto* map = about.kit.definition->parameterWithRole("ve_map");
    if (!drives || !map || !drives->mixture()) return std::nullopt;
    const auto calibration = calibrationOf(about.kit, about.folder, round.id);
    const auto table =
        calibration ? calibration->read(*map) : Result<calibration::Table>(tl::unexpected(calibration.error()));
    if (!table) return std::nullopt;
    const evidence::MapSamples samples(*about.kit.definition, *table, *drives, evidence::Measure::mixture());
    const auto cells = samples.cells();
    if (frame.x.empty()) {
        frame.x = table->x.values;
        frame.y = table->y.values;
        frame.xTitle = table->x.label, frame.xUnit = table->x.unit;
        frame.yTitle = table->y.label, frame.yUnit = table->y.unit;
    }
    if (frame.x != table->x.values || frame.y != table->y.values) return std::nullopt;
    ReportMaps::One out{say("report.map-of", "Round {0}", {numbered(round)}), {}};
    for (const auto& cell : cells)
        out.values.push_back(cell.count >= proposals::kVisited ? std::optional((cell.mean - 1) * 100) : std::nullopt);
    return out;
}

ReportSection fuel(const About& about) {
    ReportSection out{say("report.fuel", "Fuel, before and after"), {}};
    ReportMaps maps;
    maps.title = say("report.fuel-map", "Fuel error, lean + rich -");
    maps.unit = "%";
    std::vector<const carfolder::Round*> driven;
    for (const auto& round : about.line)
        if (about.of(round.id)) driven.push_back(&round);
    if (driven.size() > 2) driven = {driven.front(), driven.back()};
    for (const auto* round : driven)
        if (auto one = errorMap(about, *round, maps)) maps.maps.push_back(std::move(*one));
    if (maps.maps.empty()) {
        out.blocks.emplace_back(
            say("report.fuel-not-measured", "Not measured: no drive with a wideband was recorded."));
        return out;
    }
    maps.scale = kLeastScale_pct;
    for (const auto& map : maps.maps)
        for (const auto& value : map.values)
            if (value) maps.scale = std::max(maps.scale, std::abs(*value));
    out.blocks.emplace_back(std::move(maps));
    return out;
}

ReportSection figures(const About& about) {
    ReportSection out{say("report.figures", "Knock, boost, idle, starts"), {}};
    ReportTable table{"", {{say("report.figure", "Figure")}, {say("report.figure-unit", "Unit")}}, {}};
    std::vector<const evidence::DriveFigures*> driven;
    for (const auto& round : about.line)
        if (const auto* drives = about.of(round.id)) {
            driven.push_back(&drives->figures());
            table.columns.push_back({say("report.figure-round", "Round {0}", {numbered(round)})});
        }
    if (driven.empty()) {
        out.blocks.emplace_back(
            say("report.figures-not-measured", "Not measured: nothing was driven on these rounds."));
        return out;
    }
    const auto row = [&](std::string title, std::string unit, int decimals, auto member) {
        std::vector<deliver::ReportCell> cells{std::move(title), std::move(unit)};
        for (const auto* one : driven) {
            const auto& value = one->*member;
            cells.emplace_back(Quantity{value ? std::optional(static_cast<double>(*value)) : std::nullopt, decimals});
        }
        table.rows.push_back(std::move(cells));
    };
    using F = evidence::DriveFigures;
    row(say("report.knocks", "Times it knocked"), "", 0, &F::knocks);
    row(say("report.retard", "Deepest knock retard"), "\u00b0", 1, &F::greatestRetard_deg);
    row(say("report.boost", "Boost off its target"), "kPa", 1, &F::boostError_kPa);
    row(say("report.idle-off", "Idle off its target"), "rpm", 0, &F::idleOff_rpm);
    row(say("report.idle-spread", "Idle spread"), "rpm", 0, &F::idleSpread_rpm);
    row(say("report.start", "Longest start"), "s", 2, &F::start_s);
    out.blocks.emplace_back(std::move(table));
    return out;
}

ReportSection promises(const About& about) {
    ReportSection out{say("report.promises", "Promised and came"), {}};
    ReportTable table{"",
                      {{say("report.promise-round", "Round")},
                       {say("report.promise-figure", "Figure")},
                       {say("report.promise-unit", "Unit")},
                       {say("report.before", "Before")},
                       {say("report.promised", "Promised")},
                       {say("report.came", "Came")}},
                      {}};
    for (const auto& round : about.line) {
        const auto reason = round.reason.empty() ? Result<RoundReason>(RoundReason{}) : reasonFromJson(round.reason);
        if (!reason || round.sealed) continue;
        const auto came = cameFromJson(round.came);
        const auto cameOf = [&](const std::string& figure) -> std::optional<double> {
            if (figure == "fuel_error_rms_pct") return round.fuelError_pct;
            for (const Promised& promise : reason->promised)
                if (promise.figure == figure && came)
                    if (const auto at = came->find(promise.kind); at != came->end()) return at->second.value;
            return std::nullopt;
        };
        for (const auto& [figure, expected] : reason->expected) {
            const auto now = reason->now.find(figure);
            // What came of it is what the drives on the round itself say.
            const auto* kind = evidence::figureKind(figure);
            table.rows.push_back({numbered(round), kind ? std::string(kind->title) : figure,
                                  kind ? std::string(kind->unit) : std::string(),
                                  Quantity{now == reason->now.end() ? std::nullopt : std::optional(now->second), 1},
                                  Quantity{expected, 1}, Quantity{cameOf(figure), 1}});
        }
    }
    if (table.rows.empty())
        out.blocks.emplace_back(say("report.no-promises", "No round here promised a figure."));
    else
        out.blocks.emplace_back(std::move(table));
    return out;
}

ReportSection limits(const About& about) {
    ReportSection out{say("report.limits", "Limits loosened, diagnostics silenced"), {}};
    const auto first = calibrationOf(about.kit, about.folder, about.line.front().id),
               last = calibrationOf(about.kit, about.folder, about.round().id);
    if (!first || !last) {
        out.blocks.emplace_back(say("report.limits-sealed", "Not told: the calibration came sealed."));
        return out;
    }
    ReportTable table{"",
                      {{say("report.limit", "Limit or watch")},
                       {say("report.limit-before", "Before")},
                       {say("report.limit-now", "Now")},
                       {say("report.limit-unit", "Unit")}},
                      {}};
    for (const auto& one : loosenedLimits(*first, *last))
        table.rows.push_back({one.parameter->title(), Quantity{one.before, 1}, Quantity{one.now, 1}, one.unit});
    if (table.rows.empty())
        out.blocks.emplace_back(say("report.limits-kept", "None: every limit and every watch is as it was."));
    else
        out.blocks.emplace_back(std::move(table));
    return out;
}

Result<ReportSection> open(const About& about) {
    ReportSection out{say("report.open", "What is still open"), {}};
    const auto situation = situationOf(about.folder, &about.kit, true);
    if (!situation) return tl::unexpected(situation.error());
    const auto step = nextStep(*situation);
    out.blocks.emplace_back(say("report.next", "Next: {0}. {1}", {step.sentence, step.reason}));
    std::string missing;
    for (const auto& round : about.line)
        if (round.number > 0 && !round.flashedAt.empty() && !about.of(round.id))
            missing += (missing.empty() ? "" : ", ") + numbered(round);
    if (!missing.empty())
        out.blocks.emplace_back(
            say("report.not-driven", "Flashed and not measured by any drive: round {0}.", {missing}));
    return out;
}

Result<ReportSection> byWhom(const About& about, const ReportOptions& options) {
    ReportSection out{say("report.by", "By whom, and what is in the car"), {}};
    ReportTable table{"", {{say("report.by-what", "What")}, {say("report.by-value", "Value")}}, {}};
    if (!options.tuner.empty()) table.rows.push_back({say("report.tuner", "Tuned by"), options.tuner});
    if (!options.madeWith.empty()) table.rows.push_back({say("report.with", "With"), options.madeWith});
    table.rows.push_back({say("report.when", "Report made"), carfolder::utcNow()});
    const auto contents = about.folder.memory().contents(about.kit.profile.sectors());
    if (!contents) return tl::unexpected(contents.error());
    if (contents->round) {
        const auto round = about.folder.rounds().byId(*contents->round);
        if (!round) return tl::unexpected(round.error());
        table.rows.push_back(
            {say("report.in-car", "In the car"), say("report.in-car-round", "round {0}", {numbered(*round)})});
        table.rows.push_back({say("report.sha", "SHA-256 of its image"), round->imageSha256});
        const auto image = about.folder.rounds().image(round->id);
        const auto areas = about.folder.rounds().areas(round->id);
        if (!areas) return tl::unexpected(areas.error());
        const auto shas = image ? carfolder::areaShas(**image, namedAreas(about.kit))
                                : std::map<std::string, std::string>(areas->begin(), areas->end());
        for (const auto& [name, sha] : shas)
            if (!name.starts_with(carfolder::kSectorName))
                table.rows.push_back({say("report.sha-area", "SHA-256 of its {0}", {name}), sha});
    } else {
        table.rows.push_back({say("report.in-car-unknown", "In the car"), say("report.unknown", "not known")});
    }
    out.blocks.emplace_back(std::move(table));
    return out;
}

}  // namespace

Result<deliver::Report> reportOn(const Kit& kit, const carfolder::CarFolder& folder, int64_t id,
                                 const ReportOptions& options) {
    const auto about = gather(kit, folder, id);
    if (!about) return tl::unexpected(about.error());
    const auto name = folder.settings().get("car_name");
    if (!name) return tl::unexpected(name.error());
    deliver::Report out;
    out.title = name->empty() ? say("report.a-car", "A car") : *name;
    out.subtitle = say("report.subtitle", "Round {0}, {1}", {numbered(about->round()), about->round().title});
    auto car = theCar(*about);
    if (!car) return tl::unexpected(car.error());
    out.sections.push_back(std::move(*car));
    for (auto section : {whatWasDone, fuel, figures, promises, limits})
        out.sections.push_back(section(*about));
    auto rest = open(*about);
    if (!rest) return tl::unexpected(rest.error());
    out.sections.push_back(std::move(*rest));
    if (!options.words.empty()) out.sections.push_back({say("report.words", "Words for the owner"), {options.words}});
    auto by = byWhom(*about, options);
    if (!by) return tl::unexpected(by.error());
    out.sections.push_back(std::move(*by));
    return out;
}

}  // namespace brusk::job
