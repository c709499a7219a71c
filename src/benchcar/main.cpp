// brusk-benchcar: the bench car as a process of its own.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <CLI/CLI.hpp>
#include <csignal>
#include <fstream>
#include <iostream>
#include <optional>
#include <sstream>

#include "benchcar/SocketServer.h"
#include "benchcar/cars/Factory.h"
#include "benchcar/cars/FromSheet.h"

namespace {

using namespace brusk;

std::atomic<bool> stopping{false};
void onSignal(int) {
    stopping = true;
}

struct Options {
    std::string link;
    std::string car = "heron-fitted";
    std::string route, parts;
    std::vector<std::string> faults;
    std::vector<std::string> visits;  ///< "RPM:KPA"
    bool printCalibration = false;
    uint64_t seed = 1;
    bool drawn = false;
    std::optional<double> temperature_C, pressure_kPa;  ///< nothing: the book's, or the drawn
    std::optional<double> octane;                       ///< nothing: what the car or its sheet says
};

int failed(const std::string& sentence, int code) {
    std::cerr << sentence << "\n";
    return code;
}

/// The calibration area of a model as it leaves the factory, 0xFF where nothing is kept, to standard output.
int printCalibration(const Options& o) {
    const auto* model = benchcar::modelNamed(o.car);
    if (!model)
        return failed("There is no car \"" + o.car + "\" with a calibration of its own; heron, heron-s or crane.", 2);
    benchcar::ControllerMemory memory;
    benchcar::programFlash(memory, *model);
    const auto bytes = memory.at(benchcar::map::kCalibration, benchcar::map::kCalibrationSize);
    std::cout.write(reinterpret_cast<const char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
    return std::cout.flush() ? 0 : failed("Nobody takes the bytes.", 1);
}

Result<std::vector<benchcar::Cell>> cellsFrom(const std::vector<std::string>& texts) {
    std::vector<benchcar::Cell> out;
    for (const std::string& text : texts) {
        benchcar::Cell cell;
        char colon = 0;
        std::istringstream in(text);
        if (!(in >> cell.speed_rpm >> colon >> cell.pressure_kPa) || colon != ':' || !in.eof())
            return fail(ErrorCode::BadInput, "\"" + text + "\" is no cell; write RPM:KPA, as in 2600:85.");
        out.push_back(cell);
    }
    return out;
}

/// The car that was asked for, with its parts.
Result<benchcar::Build> buildFor(const Options& o) {
    const auto* model = benchcar::buildNamed(o.car);
    if (!model)
        return fail(ErrorCode::BadInput,
                    "There is no car \"" + o.car + "\"; heron, heron-fitted, crane or crane-fitted.");
    benchcar::Build build = *model;
    if (!o.parts.empty()) {
        std::ostringstream text;
        if (!(text << std::ifstream(o.parts).rdbuf()))
            return fail(ErrorCode::NotFound, "The build sheet " + o.parts + " can't be read.");
        const auto numbers = benchcar::sheetNumbers(text.str());
        if (!numbers) return tl::unexpected(numbers.error());
        auto fitted = benchcar::fromSheet(build, *numbers);
        if (!fitted) return tl::unexpected(fitted.error());
        build = *fitted;
    }
    return o.drawn ? benchcar::oneOf(build, o.seed) : build;
}

Result<std::unique_ptr<benchcar::Peers>> peersFor(const std::string& link) {
    if (link.starts_with("unix:")) return benchcar::listenOnSocket(link.substr(5));
    if (link.starts_with("socketcan:")) return benchcar::joinInterface(link.substr(10));
    return fail(ErrorCode::BadInput, "The link must be unix:PATH or socketcan:INTERFACE.");
}

int run(const Options& o) {
    if (o.printCalibration) return printCalibration(o);
    const auto built = buildFor(o);
    if (!built) return failed(built.error().text(), 2);
    benchcar::Build one = *built;
    // What is told of the weather goes before what is drawn; the car has stood in it from the beginning.
    if (o.temperature_C || o.pressure_kPa) {
        const benchcar::Weather other = one.drawn.weather.value_or(benchcar::Weather{});
        one.drawn.weather = {o.temperature_C.value_or(other.temperature_C),
                             o.pressure_kPa.value_or(other.pressure_kPa)};
    }
    benchcar::BenchCar car(one, o.seed);
    benchcar::FaultPlan plan;
    for (const std::string& fault : o.faults)
        if (auto done = plan.add(fault); !done) return failed(done.error().text(), 2);
    car.planFaults(plan);
    if (o.octane) car.plant().setFuel({*o.octane, one.fuel.ethanol});
    if (!o.route.empty()) {
        const auto* found = benchcar::routeNamed(o.route);
        if (!found) return failed("There is no route \"" + o.route + "\".", 2);
        car.startRoute(*found);
    }
    if (!o.visits.empty()) {
        const auto cells = cellsFrom(o.visits);
        if (!cells) return failed(cells.error().text(), 2);
        car.startRoute(benchcar::visitRoute(one, *cells));
    }
    const auto peers = peersFor(o.link);
    if (!peers) return failed(peers.error().text(), peers.error().code == ErrorCode::BadInput ? 2 : 1);
    std::signal(SIGINT, onSignal);
    std::signal(SIGTERM, onSignal);
    std::cerr << "The bench car listens on " << o.link.substr(o.link.find(':') + 1) << "; stop it with Ctrl+C.\n";
    benchcar::serve(car, **peers, stopping);
    return 0;
}

}  // namespace

int main(int argc, char** argv) {
    CLI::App app("The bench car: a simulated car with its Aldine E2 controller, on a CAN bus.");
    Options o;
    std::string names;
    for (const auto& route : benchcar::routes())
        names += (names.empty() ? "" : ", ") + route.name;
    std::string faultNames;
    for (const auto& choice : benchcar::faultChoices())
        faultNames += (faultNames.empty() ? "" : ", ") + choice.name;
    auto* link = app.add_option("--link", o.link, "unix:PATH, the socket to listen on, or socketcan:INTERFACE");
    app.add_option("--car,--model", o.car,
                   "heron (as sold), heron-fitted (with the owner's parts), crane, crane-fitted");
    app.add_option("--parts", o.parts, "build sheet of the fitted parts; what it is silent of is as it was");
    app.add_option("--seed", o.seed, "seed of all noise");
    app.add_flag("--drawn", o.drawn, "a car that differs from the book as the seed draws it");
    app.add_option("--route", o.route, "start the engine and drive this route: " + names);
    app.add_option("--visit", o.visits, "drive to this cell of the map, RPM:KPA, may be given again");
    app.add_option("--fault", o.faults,
                   "FAULT[=AMOUNT][@FROM-[TO]], seconds from the beginning, may be given again: " + faultNames);
    app.add_option("--temperature", o.temperature_C, "of the weather, degC")->check(CLI::Range(-40.0, 50.0));
    app.add_option("--pressure", o.pressure_kPa, "of the weather, kPa: lower in the mountains")
        ->check(CLI::Range(55.0, 108.0));
    app.add_option("--octane", o.octane, "of the fuel, RON")->check(CLI::Range(85.0, 110.0));
    app.add_flag("--print-calibration", o.printCalibration,
                 "write the factory's calibration area of --car (heron, heron-s, crane) to standard output and stop")
        ->excludes(link);
    try {
        app.parse(argc, argv);
        if (o.link.empty() && !o.printCalibration) throw CLI::RequiredError("--link");
    } catch (const CLI::ParseError& problem) {
        const int code = app.exit(problem);
        return code == 0 ? 0 : 2;
    }
    return run(o);
}
