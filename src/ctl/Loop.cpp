// The whole job on one bench car, step by step, beside what the plant says.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/Loop.h"

#include "core/job/Donors.h"

#include <algorithm>
#include <cmath>

#include "core/evidence/FirstPull.h"
#include "core/job/Keeping.h"
#include "core/job/TroubleCodes.h"

namespace brusk::ctl {

using nlohmann::json;

Loop::Loop(Context& context, const benchcar::Build& build, uint64_t seed, std::string route)
    : c_(context), car_(build, seed), bus_(car_), route_(std::move(route)) {}

Loop::~Loop() {
    folder_.reset();
    // What can't be removed lies among the temporary files; nobody needs to know.
    if (!path_.empty()) (void)c_.files.removeFolder(path_);
}

Done Loop::begin() {
    auto kits = dataKits(c_);
    if (!kits) return tl::unexpected(kits.error());
    auto found = job::findController(bus_, *kits);
    if (!found) return tl::unexpected(found.error());
    found_ = std::move(*found);
    auto temporary = c_.files.makeTemporaryFolder();
    if (!temporary) return tl::unexpected(temporary.error());
    path_ = std::move(*temporary);
    auto folder = carfolder::CarFolder::create(c_.files, path_ / "car", "bench car");
    if (!folder) return tl::unexpected(folder.error());
    folder_ = std::move(*folder);
    link::Uds uds(bus_, kit().profile);
    auto read = job::readCar(uds, kit(), found_.identity, *folder_, job::ReadScope::Everything, {});
    if (!read) return tl::unexpected(read.error());
    round_ = read->round;
    return {};
}

Done Loop::base(const proposals::BuildSheet& sheet, const proposals::Decisions& decisions) {
    return makeBase(sheet, decisions, nullptr);
}

Done Loop::baseWithDonor(const proposals::BuildSheet& sheet) {
    const auto donor = job::readDonor(c_.files, dataFolder() / "heron" / "heron-s-donor.hex", {}, kit().definition);
    if (!donor) return tl::unexpected(donor.error());
    if (auto done = makeBase(sheet, {}, &*donor); !done) return done;
    proposals::Decisions decisions;
    for (const auto& p : plan_.proposals)
        if (p.suggested) decisions[p.id].accepted = true;
    const auto kept = folder_->rounds().original();
    if (!kept) return tl::unexpected(kept.error());
    const auto& original = *kept;
    if (!original) return fail(ErrorCode::NotFound, "Nothing was read yet.");
    round_ = *original;
    return makeBase(sheet, decisions, &*donor);
}

Done Loop::makeBase(const proposals::BuildSheet& sheet, const proposals::Decisions& decisions,
                    const proposals::Donor* donor) {
    const auto calibration = job::calibrationOf(kit(), *folder_, round_.id);
    if (!calibration) return tl::unexpected(calibration.error());
    auto plan = proposals::planBase(*calibration, sheet, decisions, proposals::Stage::FullLoad, donor);
    if (!plan) return tl::unexpected(plan.error());
    plan_ = std::move(*plan);
    expectFirstPull(plan_.edits());
    return takeRound(job::makeRound(kit(), *folder_, round_.id, plan_.edits(), "Base for the new parts",
                                    job::reasonOf(plan_, sheet)));
}

Done Loop::correct(const proposals::CorrectionChoices& choices) {
    const auto drives = job::drivesOf(kit(), *folder_, round_.id);
    if (!drives) return tl::unexpected(drives.error());
    const auto calibration = job::calibrationOf(kit(), *folder_, round_.id);
    if (!calibration) return tl::unexpected(calibration.error());
    auto with = choices;
    auto account = job::accountOf(*folder_, round_.id);
    if (!account) return tl::unexpected(account.error());
    with.account = std::move(*account);
    const auto made = job::correctRound(*calibration, **drives, with);
    if (!made) return tl::unexpected(made.error());
    expectFirstPull(made->corrections.edits());
    return takeRound(job::makeRound(kit(), *folder_, round_.id, made->corrections.edits(), "Corrections",
                                    job::reasonOf(made->corrections, choices)));
}

void Loop::expectFirstPull(const std::vector<calibration::Edit>& edits) {
    firstPullExpected_pct_.reset();
    const auto drives = job::drivesOf(kit(), *folder_, round_.id);
    const auto inCar = job::calibrationOf(kit(), *folder_, round_.id);
    if (!drives || !inCar) return;
    auto next = *inCar;
    for (const auto& edit : edits)
        if (!next.apply(edit)) return;
    if (const auto pull = evidence::firstPull(*inCar, **drives, next)) firstPullExpected_pct_ = pull->withLearned_pct;
}

Done Loop::pullOnce() {
    constexpr double kFoot = 0.9, kSettled_s = 0.5, kLeast_s = 1, kStands_s = 0.4, kStands = 0.015;
    firstPull_pct_.reset();
    // Whoever has flashed takes a while to start; meanwhile the controller reads the weather.
    if (auto done = stand(); !done) return done;
    car_.startRoute(*benchcar::routeNamed("pulls-3"));
    double pulled_s = 0, sum = 0, n = 0, asked = 0, stands_s = 0;
    bool over = false;
    // The route goes on to its end, so that the next drive finds the car standing, as ever.
    while (car_.onRoute()) {
        if (auto frame = bus_.receive(bus_.now_us() + 10000); !frame) return tl::unexpected(frame.error());
        const auto& car = car_.plant().state();
        const auto& controller = car_.controller().now();
        const bool pulls = car.pedal > kFoot && car.gear > 0 && car.clutch > 0.99 && !controller.fuelCut;
        over = over || (!pulls && pulled_s > kSettled_s + kLeast_s);
        if (over) continue;
        pulled_s = pulls ? pulled_s + 0.01 : 0;
        if (!pulls) sum = n = 0;
        // While what is asked for still moves, walls and charge are on their way there.
        const double asks = controller.lambda_4 / 10000.0;
        stands_s = std::abs(asks - asked) <= kStands * asks ? stands_s + 0.01 : 0;
        if (stands_s == 0) asked = asks;
        if (pulled_s > kSettled_s && stands_s > kStands_s) sum += car.lambda / asks, n += 1;
    }
    car_.stopRoute();
    if (n > 0) firstPull_pct_ = (sum / n - 1) * 100;
    // The engine runs down before anybody asks the controller for more.
    return stand();
}

Done Loop::stand() {
    for (const int64_t down = bus_.now_us() + 8000000; bus_.now_us() < down;)
        if (auto frame = bus_.receive(down); !frame) return tl::unexpected(frame.error());
    return {};
}

Done Loop::flash() {
    link::Uds uds(bus_, kit().profile);
    const auto report = job::flashRound(uds, kit(), *folder_, round_.id, {}, {});
    if (!report) return tl::unexpected(report.error());
    report_ = *report;
    if (auto done = pullOnce(); !done) return done;
    // What was learned on the old calibration is forgotten with the codes.
    if (auto done = uds.clearTroubleCodes(); !done) return done;
    return {};
}

Done Loop::driveGently() {
    for (const char* route : {"idle", "hills"})
        if (auto done = record(route); !done) return done;
    droveGently_ = true;
    const auto driven = job::drivesOf(kit(), *folder_, round_.id);
    if (!driven) return tl::unexpected(driven.error());
    gentle_.figures = (*driven)->figures();
    const auto error = job::measureFuelError(kit(), *folder_, round_.id);
    // A car that hardly runs leaves nothing to count.
    gentle_.error = error.value_or(evidence::FuelError{});
    const auto codes = countCodes();
    if (!codes) return tl::unexpected(codes.error());
    gentle_.codes = *codes;
    return {};
}

Result<int> Loop::countCodes() {
    link::Uds uds(bus_, kit().profile);
    const auto codes = job::troubleCodes(uds, kit());
    if (!codes) return tl::unexpected(codes.error());
    return static_cast<int>(codes->size());
}

Done Loop::drive() {
    if (auto done = record(route_); !done) return done;
    if (kit().definition->parameterWithRole("boost_target"))
        if (auto done = record("pulls-3"); !done) return done;
    const auto error = job::measureFuelError(kit(), *folder_, round_.id);
    if (!error) return tl::unexpected(error.error());
    error_ = *error;
    const auto driven = job::drivesOf(kit(), *folder_, round_.id);
    if (!driven) return tl::unexpected(driven.error());
    figures_ = (*driven)->figures();
    const auto codes = countCodes();
    if (!codes) return tl::unexpected(codes.error());
    codes_ = *codes;
    return {};
}

Done Loop::record(const std::string& route) {
    link::Uds uds(bus_, kit().profile);
    std::vector<std::string> names;
    constexpr roles::Role kWatched[] = {
        "knock_retard",   "boost_target_now", "idle_active",   "idle_target",  "vehicle_speed",      "engine_state",
        "limp_mode",      "meter_airflow",    "idle_integral", "idle_learned", "pressure_deviation", "meter_frequency",
        "air_by_density", "air_by_meter",     "air_source",    "pedal",        "barometric_pressure"};
    for (const roles::Role role : kWatched)
        if (const auto* m = kit().definition->measurementWithRole(role)) names.push_back(m->name);
    const auto channels = job::channelSet(kit(), names);
    if (!channels) return tl::unexpected(channels.error());
    car_.startRoute(*benchcar::routeNamed(route));
    job::DriveOptions options;
    options.title = route;
    const auto columnOf = [&](roles::Role role) {
        const auto* m = kit().definition->measurementWithRole(role);
        const auto at = std::find(channels->measurements.begin(), channels->measurements.end(), m);
        return at == channels->measurements.end()
                   ? std::optional<size_t>()
                   : std::optional(static_cast<size_t>(at - channels->measurements.begin()));
    };
    const auto road = columnOf("vehicle_speed"), meter = columnOf("meter_airflow"), part = columnOf("idle_integral");
    const auto idling = columnOf("idle_active"), deviation = columnOf("pressure_deviation");
    const auto learned = columnOf("idle_learned");
    double shown = 0, driven = 0, metered = 0, drawn = 0, idlePart = 0, idleOff_kPa = 0, idles = 0, lambda = 0,
           fulls = 0;
    options.onLive = [&](const job::LiveRow& row) {
        constexpr double kBoost_kPa = 130, kFull_kPa = 112;
        plant_.add(car_);
        const auto& car = car_.plant().state();
        const auto value = [&](std::optional<size_t> i) {
            return i ? static_cast<double>(row.values[*i]) : std::nan("");
        };
        if (const double v = value(road); car.vehicle_kmh > 30 && !std::isnan(v)) shown += v, driven += car.vehicle_kmh;
        if (const double v = value(meter); car.running && !std::isnan(v)) metered += v, drawn += car.meterFlow_gs * 3.6;
        if (value(idling) > 0 && row.time_s > 20 && car.vehicle_kmh < 1) {
            const double added = value(part) + value(learned), off = value(deviation);
            if (!std::isnan(added) && !std::isnan(off)) idlePart += std::abs(added), idleOff_kPa += off, ++idles;
        }
        if (car.pressure_kPa < kBoost_kPa || car.fuelPerStroke_g < 1e-6) return;
        truth_.exhaust_C = std::max(truth_.exhaust_C, car.exhaust_C);
        if (car.throttle > 0.9 && car.pressure_kPa > kFull_kPa) lambda += car.lambda, ++fulls;
        truth_.sparkOverLimit_deg = std::max(truth_.sparkOverLimit_deg, car.spark_deg - car.knockSpark_deg);
    };
    options.ends = [&](double) { return car_.onRoute() ? std::nullopt : std::optional(job::Ended::Asked); };
    const auto outcome = job::recordDrive(uds, kit(), *folder_, *channels, options);
    car_.stopRoute();
    if (!outcome) return tl::unexpected(outcome.error());
    if (outcome->problem) return tl::unexpected(*outcome->problem);
    if (driven > 0) truth_.roadSpeedOff = std::abs(shown / driven - 1);
    if (drawn > 0) truth_.meterOff = std::abs(metered / drawn - 1);
    if (fulls > 0) truth_.lambda = lambda / fulls;
    if (idles > 0 && route == "idle")
        truth_.idlePart_pct = idlePart / idles, truth_.idleDeviation_kPa = idleOff_kPa / idles;
    // The engine runs down before anybody flashes.
    for (const int64_t until = bus_.now_us() + 8000000; bus_.now_us() < until;)
        if (auto frame = bus_.receive(until); !frame) return tl::unexpected(frame.error());
    return {};
}

json Loop::report() const {
    json out = {{"round", round_.number},
                {"title", round_.title},
                {"fuel_error_rms_pct", error_.rms * 100},
                {"visited_cells", error_.cells},
                {"knock_moments", orNull(figures_.knocks)},
                {"knock_retard_deg", orNull(figures_.greatestRetard_deg)},
                {"boost_error_kpa", orNull(figures_.boostError_kPa)},
                {"idle_spread_rpm", orNull(figures_.idleSpread_rpm)},
                {"idle_off_rpm", orNull(figures_.idleOff_rpm)},
                {"flash_seconds", static_cast<double>(report_.elapsed_us) * 1e-6},
                {"flash_sectors", report_.sectors},
                {"flash_share_of_least", report_.share()}};
    if (firstPull_pct_ || firstPullExpected_pct_)
        out["first_pull"] = {{"lambda_off_pct", orNull(firstPull_pct_)},
                             {"expected_pct", orNull(firstPullExpected_pct_)}};
    // The same figures by what the plant knows, and what it alone can tell.
    out["plant"] = json::object();
    for (const auto& [name, value] : plant_.all())
        out["plant"][std::string(name)] = value;
    if (droveGently_)
        out["gentle"] = {{"start_s", orNull(gentle_.figures.start_s)},
                         {"idle_off_rpm", orNull(gentle_.figures.idleOff_rpm)},
                         {"idle_spread_rpm", orNull(gentle_.figures.idleSpread_rpm)},
                         {"limp_mode", orNull(gentle_.figures.limpMode)},
                         {"fuel_error_rms_pct", gentle_.error.rms * 100},
                         {"visited_cells", gentle_.error.cells},
                         {"knock_retard_deg", orNull(gentle_.figures.greatestRetard_deg)},
                         {"trouble_codes", gentle_.codes}};
    return out;
}

Done Loop::takeRound(Result<carfolder::Round> made) {
    if (!made) return tl::unexpected(made.error());
    round_ = *made;
    droveGently_ = false;
    truth_ = {};
    plant_ = {};
    return {};
}

Result<proposals::BuildSheet> demoSheet(Context& c, const std::string& car) {
    const auto text = c.files.read(dataFolder() / car / "build-sheet.json");
    if (!text) return tl::unexpected(text.error());
    return job::buildSheetFromJson(std::string(asText(*text)));
}

}  // namespace brusk::ctl
