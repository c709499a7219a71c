// loop: the whole job on the bench car in virtual time, round by round.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <iostream>

#include "core/base/Text.h"
#include "core/job/Correct.h"
#include "core/job/Drive.h"
#include "core/job/FlashRound.h"
#include "core/job/ReadCar.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

constexpr double kGood = 0.02;

template <class T>
json orNull(const std::optional<T>& value) {
    return value ? json(*value) : json();
}

/// "12.3 kPa", or a dash where nothing was seen.
std::string figure(const json& value, int decimals, const char* unit) {
    return value.is_null() ? "-" : formatNumber(value.get<double>(), decimals) + unit;
}

constexpr int kMostComparisonRounds = 8;

/// A bench car with its folder, and the steps of the job on them.
class Loop {
  public:
    Loop(Context& c, uint64_t seed, std::string route)
        : c_(c), car_(benchcar::kHeronFitted, seed), bus_(car_), route_(std::move(route)) {}
    ~Loop() {
        folder_.reset();
        std::error_code ignored;
        if (!path_.empty()) std::filesystem::remove_all(path_, ignored);
    }

    Done begin() {
        auto kits = dataKits(c_);
        if (!kits) return tl::unexpected(kits.error());
        auto found = job::findController(bus_, *kits);
        if (!found) return tl::unexpected(found.error());
        found_ = std::move(*found);
        std::string pattern = (std::filesystem::temp_directory_path() / "brusk-loop-XXXXXX").string();
        if (!mkdtemp(pattern.data())) return fail(ErrorCode::Io, "No temporary folder could be made.");
        path_ = pattern;
        auto folder = carfolder::CarFolder::create(c_.files, path_ / "car", "Heron 1.6 T");
        if (!folder) return tl::unexpected(folder.error());
        folder_ = std::move(*folder);
        link::Uds uds(bus_, kit().profile);
        auto read = job::readCar(uds, kit(), found_.identity, *folder_, job::ReadScope::Everything, {});
        if (!read) return tl::unexpected(read.error());
        round_ = read->round;
        return {};
    }

    Done base() {
        const auto sheetText = c_.files.read(dataFolder() / "heron" / "build-sheet.json");
        if (!sheetText) return tl::unexpected(sheetText.error());
        const auto sheet = job::buildSheetFromJson(std::string(asText(*sheetText)));
        if (!sheet) return tl::unexpected(sheet.error());
        const auto calibration = job::calibrationOf(kit(), *folder_, round_.id);
        if (!calibration) return tl::unexpected(calibration.error());
        const auto proposals = proposals::baseProposals(*calibration, *sheet);
        if (!proposals) return tl::unexpected(proposals.error());
        std::vector<calibration::Edit> edits;
        for (const auto& p : *proposals)
            edits.push_back(p.edit);
        return takeRound(job::makeRound(kit(), *folder_, round_.id, edits, "Base for the new parts", ""));
    }

    Done correct(const proposals::AirCorrectionOptions& options) {
        const auto samples = job::roundSamples(*folder_, round_.id);
        if (!samples) return tl::unexpected(samples.error());
        const auto calibration = job::calibrationOf(kit(), *folder_, round_.id);
        if (!calibration) return tl::unexpected(calibration.error());
        const auto correction = proposals::correctAir(*calibration, *samples, options);
        if (!correction) return tl::unexpected(correction.error());
        return takeRound(job::makeRound(kit(), *folder_, round_.id, {correction->edit}, "Air model", ""));
    }

    Done flash() {
        link::Uds uds(bus_, kit().profile);
        const auto report = job::flashRound(uds, kit(), *folder_, round_.id, {}, {});
        if (!report) return tl::unexpected(report.error());
        report_ = *report;
        return {};
    }

    /// The route for the fuel, then pulls for knock and boost.
    Done drive() {
        for (const std::string& route : {route_, std::string("pulls-3")})
            if (auto done = record(route); !done) return done;
        const auto error = job::measureFuelError(kit(), *folder_, round_.id);
        if (!error) return tl::unexpected(error.error());
        error_ = *error;
        const auto figures = job::roundFigures(*folder_, round_.id);
        if (!figures) return tl::unexpected(figures.error());
        figures_ = *figures;
        return {};
    }

    Done record(const std::string& route) {
        link::Uds uds(bus_, kit().profile);
        std::vector<std::string> names;
        for (const char* role : {"knock_retard", "boost_target_now", "idle_active", "idle_target", "vehicle_speed"})
            if (const auto* m = kit().definition->measurementWithRole(role)) names.push_back(m->name);
        const auto channels = job::channelSet(kit(), names);
        if (!channels) return tl::unexpected(channels.error());
        car_.startRoute(*benchcar::routeNamed(route));
        job::DriveOptions options;
        options.title = route;
        options.goOn = [&](double) { return car_.onRoute(); };
        const auto outcome = job::recordDrive(uds, kit(), *folder_, *channels, options);
        car_.stopRoute();
        if (!outcome) return tl::unexpected(outcome.error());
        if (outcome->problem) return tl::unexpected(*outcome->problem);
        // The engine runs down before anybody flashes.
        for (const int64_t until = bus_.now_us() + 3000000; bus_.now_us() < until;)
            if (auto frame = bus_.receive(until); !frame) return tl::unexpected(frame.error());
        return {};
    }

    json report() const {
        return {{"round", round_.number},
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
    }
    double error() const { return error_.rms; }

  private:
    const job::Kit& kit() const { return *found_.kit; }
    Done takeRound(Result<carfolder::Round> made) {
        if (!made) return tl::unexpected(made.error());
        round_ = *made;
        return {};
    }

    Context& c_;
    benchcar::BenchCar car_;
    benchcar::VirtualBus bus_;
    std::string route_;
    job::Found found_;
    std::unique_ptr<carfolder::CarFolder> folder_;
    std::filesystem::path path_;
    carfolder::Round round_;
    evidence::FuelError error_;
    evidence::DriveFigures figures_;
    link::FlashReport report_;
};

/// One correction round: compute, flash, drive.
Done turn(Loop& loop, const proposals::AirCorrectionOptions& options) {
    if (auto done = loop.correct(options); !done) return done;
    if (auto done = loop.flash(); !done) return done;
    return loop.drive();
}

Done untilBase(Loop& loop) {
    if (auto done = loop.begin(); !done) return done;
    if (auto done = loop.base(); !done) return done;
    if (auto done = loop.flash(); !done) return done;
    return loop.drive();
}

/// Correction rounds after the base that a method needs until the error is good; kMost + 1 when it does not get there.
Result<int> roundsToGood(Context& c, uint64_t seed, const std::string& route,
                         const proposals::AirCorrectionOptions& options, json& errors) {
    Loop loop(c, seed, route);
    if (auto done = untilBase(loop); !done) return tl::unexpected(done.error());
    errors = json::array({loop.error() * 100});
    int rounds = 0;
    while (loop.error() >= kGood && rounds < kMostComparisonRounds) {
        if (auto done = turn(loop, options); !done) return tl::unexpected(done.error());
        errors.push_back(loop.error() * 100);
        ++rounds;
    }
    return loop.error() < kGood ? rounds : kMostComparisonRounds + 1;
}

Done run(Context& c, int rounds, const std::string& route, uint64_t seed) {
    Loop loop(c, seed, route);
    json list = json::array();
    const auto show = [&] {
        const json r = loop.report();
        list.push_back(r);
        c.outcome.text +=
            "round " + std::to_string(r["round"].get<int>()) + "  fuel off by " +
            formatNumber(r["fuel_error_rms_pct"], 2) + " %  over " + std::to_string(r["visited_cells"].get<int>()) +
            " cells  (" + r["title"].get<std::string>() + ", flash " + formatNumber(r["flash_seconds"], 1) +
            " s)\n         knock " + figure(r["knock_moments"], 0, " times") + ", retard to " +
            figure(r["knock_retard_deg"], 1, " deg") + "; boost off by " + figure(r["boost_error_kpa"], 1, " kPa") +
            "; idle spread " + figure(r["idle_spread_rpm"], 1, " rpm") + ", off by " +
            figure(r["idle_off_rpm"], 1, " rpm") + "\n";
    };
    if (auto done = loop.begin(); !done) return done;
    if (auto done = loop.drive(); !done) return done;
    show();
    for (int n = 1; n <= rounds; ++n) {
        if (auto done = n == 1 ? loop.base() : loop.correct({}); !done) return done;
        if (auto done = loop.flash(); !done) return done;
        if (auto done = loop.drive(); !done) return done;
        show();
    }
    json fitErrors, nearestErrors;
    proposals::AirCorrectionOptions nearest;
    nearest.method = proposals::Method::NearestCell;
    nearest.strength = 0.5;
    const auto fit = roundsToGood(c, seed, route, {}, fitErrors);
    if (!fit) return tl::unexpected(fit.error());
    const auto half = roundsToGood(c, seed, route, nearest, nearestErrors);
    if (!half) return tl::unexpected(half.error());
    c.outcome.json = {{"seed", seed},
                      {"route", route},
                      {"rounds", list},
                      {"rounds_to_2_pct", {{"cell_fit", *fit}, {"nearest_cell_half_strength", *half}}},
                      {"errors_pct", {{"cell_fit", fitErrors}, {"nearest_cell_half_strength", nearestErrors}}}};
    c.outcome.text +=
        "correction rounds to below 2 %: cell fit " + std::to_string(*fit) + ", nearest cell at half strength " +
        (*half > kMostComparisonRounds ? "more than " + std::to_string(kMostComparisonRounds) : std::to_string(*half)) +
        "\n";
    return {};
}

std::vector<std::string> routeNames() {
    std::vector<std::string> out;
    for (const auto& route : benchcar::routes())
        out.push_back(route.name);
    return out;
}

}  // namespace

void addLoopCommand(CLI::App& app, Context& c) {
    struct Options {
        int rounds = 3;
        std::string route = "survey";
        uint64_t seed = 1;
    };
    auto o = std::make_shared<Options>();
    auto* sub = app.add_subcommand("loop", "the whole job on the bench car: read, base, then drive, correct and flash");
    sub->add_option("--rounds", o->rounds, "rounds after the original; the first is the base")
        ->check(CLI::Range(1, 20));
    sub->add_option("--route", o->route)->check(CLI::IsMember(routeNames()));
    sub->add_option("--seed", o->seed);
    sub->callback([o, &c] {
        if (auto done = run(c, o->rounds, o->route, o->seed); !done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
