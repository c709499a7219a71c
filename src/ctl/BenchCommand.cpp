// bench drive: a made-up car with chosen parts, bytes and faults over chosen routes, recorded with the truth beside it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <set>
#include <sstream>

#include "benchcar/cars/Factory.h"
#include "benchcar/cars/FromSheet.h"
#include "benchcar/cars/WrongPart.h"
#include "core/base/Text.h"
#include "core/carfolder/Schema.h"
#include "core/job/Keeping.h"
#include "ctl/BenchDrive.h"
#include "ctl/Links.h"
#include "ctl/Loading.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

/// What `bench drive` is told.
struct Choice {
    std::string out, truth, model = "heron", parts, image, base, channels;
    std::vector<std::string> routes, visits, faults, wrong, drop;
    double temperature_C = kUnsaid, pressure_kPa = kUnsaid, octane_RON = kUnsaid, ethanol_pct = kUnsaid;
    int rate_hz = 100;
    bool cold = false, noWideband = false, drawn = false, force = false;
    uint64_t seed = 1;

    static constexpr double kUnsaid = -1000;
    static std::optional<double> said(double value) { return value == kUnsaid ? std::nullopt : std::optional(value); }
};

std::string listed(const std::vector<std::string>& names) {
    std::string out;
    for (const std::string& name : names)
        out += (out.empty() ? "" : ", ") + name;
    return out;
}

/// The words are looked at before anything is made: who mistypes is told at once.
std::vector<benchcar::Route> routesOf(const Choice& o, const benchcar::Build& build) {
    std::vector<benchcar::Route> out;
    for (const std::string& name : o.routes) {
        const auto* route = benchcar::routeNamed(name);
        std::vector<std::string> known;
        for (const auto& one : benchcar::routes())
            known.push_back(one.name);
        if (!route) throw WrongUse{"There is no route \"" + name + "\"; " + listed(known) + "."};
        out.push_back(*route);
    }
    for (const std::string& text : o.visits) {
        benchcar::Cell cell;
        double seconds = 6;
        char colon = 0, second = 0;
        std::istringstream in(text);
        in >> cell.speed_rpm >> colon >> cell.pressure_kPa;
        const bool two = in && colon == ':';
        if (two && !in.eof()) in >> second >> seconds;
        if (!two || !in.eof() || (second != 0 && second != ':') || !(seconds > 0))
            throw WrongUse{"\"" + text + "\" is no cell; write RPM:KPA:SECONDS, as in 2600:85:6."};
        out.push_back(benchcar::visitRoute(build, {cell}, seconds));
    }
    if (out.empty()) out.push_back(*benchcar::routeNamed("survey"));
    if (o.cold) out.front().cold = true;
    return out;
}

Result<benchcar::Build> buildOf(Context& c, const Choice& o) {
    const auto* model = benchcar::buildNamed(o.model);
    if (!model) throw WrongUse{"There is no car \"" + o.model + "\"; heron, heron-fitted, crane or crane-fitted."};
    benchcar::Build build = *model;
    if (!o.parts.empty()) {
        const auto text = c.files.read(o.parts);
        if (!text) return tl::unexpected(text.error());
        // What the sheet itself refuses is no part at all.
        const auto sheet = job::buildSheetFromJson(std::string(asText(*text)));
        if (!sheet) throw WrongUse{sheet.error().text()};
        for (const auto& refused : proposals::refusals(*sheet))
            throw WrongUse{refused.why};
        const auto numbers = benchcar::sheetNumbers(asText(*text));
        if (!numbers) throw WrongUse{numbers.error().text()};
        auto fitted = benchcar::fromSheet(build, *numbers);
        if (!fitted) throw WrongUse{fitted.error().text()};
        build = *fitted;
    }
    if (o.drawn) build = benchcar::oneOf(build, o.seed);
    const auto temperature_C = Choice::said(o.temperature_C), pressure_kPa = Choice::said(o.pressure_kPa);
    if (temperature_C || pressure_kPa) {
        const auto other = build.drawn.weather.value_or(benchcar::Weather{});
        build.drawn.weather = {temperature_C.value_or(other.temperature_C), pressure_kPa.value_or(other.pressure_kPa)};
    }
    build.fuel.octane_RON = Choice::said(o.octane_RON).value_or(build.fuel.octane_RON);
    if (const auto ethanol = Choice::said(o.ethanol_pct)) build.fuel.ethanol = *ethanol / 100;
    return build;
}

benchcar::FaultPlan planOf(const Choice& o) {
    benchcar::FaultPlan plan;
    for (const std::string& fault : o.faults)
        if (auto done = plan.add(fault); !done) throw WrongUse{done.error().text()};
    return plan;
}

Result<std::shared_ptr<const job::Kit>> kitFor(Context& c, const benchcar::Model& model) {
    const auto kits = dataKits(c);
    if (!kits) return tl::unexpected(kits.error());
    for (const auto& kit : *kits)
        if (kit->profile.definitionSoftware == model.identity.software) return kit;
    return fail(ErrorCode::NotFound, "There is no definition for " + std::string(model.title) + ".");
}

/// By default every channel with a role.
Result<job::ChannelSet> channelsOf(const Choice& o, const std::shared_ptr<const job::Kit>& kit) {
    job::ChannelSet out;
    out.definition = kit->definition;
    out.rate_hz = o.rate_hz;
    const std::set<std::string> dropped(o.drop.begin(), o.drop.end());
    std::set<std::string> usual;
    if (o.channels == "usual") {
        const auto set = job::channelSet(*kit, job::usualChannels(*kit->definition));
        if (!set) return tl::unexpected(set.error());
        for (const auto* m : set->measurements)
            usual.insert(m->name);
    }
    std::set<std::string> known = {"lambda_measured", "wideband_ready"};
    for (const auto& m : kit->definition->measurements) {
        known.insert(m.role);
        const bool wanted = o.channels == "all"     ? true
                            : o.channels == "usual" ? usual.contains(m.name)
                                                    : !m.role.empty();
        if (wanted && !dropped.contains(m.role)) out.measurements.push_back(&m);
    }
    for (const std::string& role : o.drop)
        if (!known.contains(role)) throw WrongUse{"No channel has the role \"" + role + "\"."};
    return out;
}

/// Puts the bytes of a file into the flash, where there is flash for them.
Done putImage(Context& c, const Choice& o, benchcar::BenchCar& car) {
    namespace map = benchcar::map;
    const auto loaded = loadImage(c, o.image, o.base);
    if (!loaded) return tl::unexpected(loaded.error());
    for (const auto& segment : loaded->image.segments()) {
        if (segment.start < map::kFlash || segment.end() > uint64_t{map::kFlash} + map::kFlashSize)
            return fail(ErrorCode::Mismatch, "The image has bytes at " + hexAddress(segment.start) +
                                                 ", where this controller has no flash.");
        std::copy(segment.bytes.begin(), segment.bytes.end(),
                  car.memory().flash().begin() + (segment.start - map::kFlash));
    }
    car.powerCycle();
    if (car.bootMode())
        return fail(ErrorCode::Mismatch, "The controller does not start with these bytes: a checksum is wrong.");
    return {};
}

/// "PART" or "PART=AMOUNT": the calibration, wrong in this part alone.
json makeWrong(const Choice& o, benchcar::BenchCar& car) {
    json out = json::array();
    for (const std::string& text : o.wrong) {
        const auto equals = text.find('=');
        const auto* part = benchcar::wrongPartNamed(text.substr(0, equals));
        std::vector<std::string> known;
        for (const auto& one : benchcar::wrongParts())
            known.emplace_back(one.id);
        if (!part) throw WrongUse{"There is no part \"" + text.substr(0, equals) + "\"; " + listed(known) + "."};
        const auto amount = equals == std::string::npos ? std::optional(benchcar::drawnAmount(*part, o.seed))
                                                        : parseNumber(text.substr(equals + 1));
        if (!amount) throw WrongUse{"\"" + text + "\": the amount after \"=\" must be a number."};
        benchcar::makeWrong(car.memory(), *part, *amount);
        out.push_back({{"part", part->id}, {"amount", *amount}, {"unit", part->unit}});
    }
    if (!o.wrong.empty()) car.powerCycle();
    return out;
}

json outcomeJson(const Choice& o, const BenchOutcome& came, const benchcar::FaultPlan& plan) {
    json out = {
        {"file", o.out},          {"model", o.model},     {"seed", o.seed},      {"duration_s", came.duration_s},
        {"rows", came.rows},      {"rate_hz", o.rate_hz}, {"codes", came.codes}, {"limp_mode", came.limpMode},
        {"stalled", came.stalled}};
    out["routes"] = json::array();
    for (const auto& stretch : came.routes)
        out["routes"].push_back({{"route", stretch.route}, {"from_s", stretch.from_s}, {"to_s", stretch.to_s}});
    out["faults"] = json::array();
    for (const auto& span : plan.spans())
        if (span.from_s < came.duration_s)
            out["faults"].push_back(
                {{"fault", span.fault}, {"from_s", span.from_s}, {"to_s", std::min(span.to_s, came.duration_s)}});
    if (!came.refuelled.empty()) out["refuelled"] = json::array();
    for (const auto& fill : came.refuelled)
        out["refuelled"].push_back({{"at_s", fill.at_s}, {"litres", fill.litres}});
    for (const auto& [name, value] : came.figures)
        out["truth"][std::string(name)] = value;
    for (const auto& value : came.learned)
        out["learned"][std::string(value.name)] = {{"value", value.value}, {"unit", value.unit}};
    return out;
}

void drive(Context& c, const Choice& o) {
    constexpr int kTicks_hz = 100;
    if (kTicks_hz % o.rate_hz != 0)
        throw WrongUse{"--rate: the controller counts in 10 ms; 100, 50, 25, 20, 10 and less."};
    if (o.truth == o.out) throw WrongUse{"--truth and --out name the same file."};
    BenchOrders orders;
    orders.faults = planOf(o);
    const auto build = buildOf(c, o);
    if (!build) return c.outcome.fail(build.error());
    orders.routes = routesOf(o, *build);
    const auto& model = benchcar::modelOf(*build);
    const auto kit = kitFor(c, model);
    if (!kit) return c.outcome.fail(kit.error());
    const auto channels = channelsOf(o, *kit);
    if (!channels) return c.outcome.fail(channels.error());
    for (const std::string& path : {o.out, o.truth})
        if (!path.empty())
            if (auto may = mayWrite(c, path, o.force); !may) return c.outcome.fail(may.error());
    benchcar::BenchCar car(*build, o.seed);
    if (!o.image.empty())
        if (auto done = putImage(c, o, car); !done) return c.outcome.fail(done.error());
    const json wrong = makeWrong(o, car);
    image::Image image;
    if (auto done = image.add(benchcar::map::kFlash, car.memory().at(benchcar::map::kFlash, benchcar::map::kFlashSize));
        !done)
        return c.outcome.fail(done.error());
    const std::string sha = carfolder::imageFingerprint(image);
    orders.out = o.out;
    orders.truth = o.truth;
    orders.wideband = !o.noWideband && std::find(o.drop.begin(), o.drop.end(), "lambda_measured") == o.drop.end();
    orders.period_ms = 1000 / o.rate_hz;
    orders.seed = o.seed;
    orders.force = o.force;
    BenchDrive bench(c, car, **kit, *channels, image);
    const auto came = bench.run(orders);
    if (!came) return c.outcome.fail(came.error());
    c.outcome.json = outcomeJson(o, *came, orders.faults);
    c.outcome.json["image_sha256"] = sha;
    if (!wrong.empty()) c.outcome.json["wrong"] = wrong;
    if (o.drawn)
        for (const auto& fact : benchcar::factsOf(build->drawn))
            c.outcome.json["drawn"][fact.name] = {{"value", fact.value}, {"unit", fact.unit}};
    c.outcome.text = std::to_string(came->rows) + " rows in " + formatNumber(came->duration_s, 1) + " s: " + o.out +
                     (o.truth.empty() ? "" : ", truth in " + o.truth) + "\n";
    for (const auto& [name, value] : came->figures)
        c.outcome.text += "  " + std::string(name) + ": " + formatNumber(value, 2) + "\n";
    if (!came->codes.empty()) c.outcome.text += "  codes: " + listed(came->codes) + "\n";
    if (came->limpMode) c.outcome.text += "  limp mode\n";
    if (came->stalled) c.outcome.text += "  stalled\n";
}

}  // namespace

void addBenchCommands(Command app, Context& c) {
    auto bench = app.group("bench", "the made-up cars, without a link");
    auto o = std::make_shared<Choice>();
    auto sub = bench.command("drive", "a car with these parts runs these bytes over these routes, and is recorded");
    sub.option("--out", o->out, "MDF 4 file to write").required();
    sub.option("--truth", o->truth, "MDF 4 file with what the plant knows, on the same clock");
    sub.option("--model", o->model, "heron, heron-fitted, crane or crane-fitted");
    sub.option("--parts", o->parts, "build sheet of the fitted parts; what it is silent of is stock");
    sub.option("--image", o->image, "the bytes it runs, the factory's when not given");
    sub.option("--base", o->base, "address of a raw binary's first byte");
    sub.option("--route", o->routes, "a route, may be given again; the survey when none is");
    sub.option("--visit", o->visits, "RPM:KPA:SECONDS, a cell of the map to drive to, may be given again");
    sub.option("--fault", o->faults, "FAULT[=AMOUNT][@FROM-[TO]], seconds of the recording, may be given again");
    sub.option("--wrong", o->wrong, "PART[=AMOUNT]: the calibration is wrong there, drawn from the seed; again");
    sub.option("--temperature", o->temperature_C, "of the weather, degC").range(-40.0, 50.0);
    sub.option("--pressure", o->pressure_kPa, "of the weather, kPa").range(55.0, 108.0);
    sub.option("--octane", o->octane_RON, "of the fuel, RON").range(80.0, 120.0);
    sub.option("--ethanol", o->ethanol_pct, "of the fuel by volume, per cent").range(0.0, 100.0);
    sub.flag("--cold", o->cold, "the engine is as cold as the weather");
    sub.flag("--no-wideband", o->noWideband, "nothing measures lambda");
    sub.option("--channels", o->channels, "usual or all; every channel with a role when not given")
        .oneOf({"usual", "all"});
    sub.option("--rate", o->rate_hz, "rows a second").range(1, 100);
    sub.option("--drop", o->drop, "leave out the channel with this role, may be given again");
    sub.flag("--drawn", o->drawn, "the seed draws a car that differs from the book");
    sub.option("--seed", o->seed);
    sub.flag("--force", o->force, "replace the files");
    sub.run([o, &c] { drive(c, *o); });
}

}  // namespace brusk::ctl
