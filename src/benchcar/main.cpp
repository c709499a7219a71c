// brusk-benchcar: the bench car as a process of its own.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <CLI/CLI.hpp>
#include <csignal>
#include <iostream>

#include "benchcar/SocketServer.h"

namespace {
std::atomic<bool> stopping{false};
void onSignal(int) {
    stopping = true;
}
}  // namespace

int main(int argc, char** argv) {
    CLI::App app("The bench car: a simulated Fennmark Heron 1.6 T with its Aldine E2 controller, on a CAN bus.");
    std::string link;
    uint64_t seed = 1;
    std::string route;
    bool stock = false;
    app.add_option("--link", link, "unix:PATH: the socket to listen on")->required();
    app.add_option("--seed", seed, "seed of all noise");
    app.add_option("--route", route, "start the engine and drive this route: survey, town, hills, motorway, idle");
    app.add_flag("--stock-parts", stock, "the car as it left the factory, without the owner's parts");
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& problem) {
        const int code = app.exit(problem);
        return code == 0 ? 0 : 2;
    }
    if (link.rfind("unix:", 0) != 0) {
        std::cerr << "The link must be unix:PATH.\n";
        return 2;
    }
    brusk::benchcar::BenchCar car(stock ? brusk::benchcar::kHeronStock : brusk::benchcar::kHeronFitted, seed);
    if (!route.empty()) {
        const auto* found = brusk::benchcar::routeNamed(route);
        if (!found) {
            std::cerr << "There is no route \"" << route << "\".\n";
            return 2;
        }
        car.startRoute(*found);
    }
    std::signal(SIGINT, onSignal);
    std::signal(SIGTERM, onSignal);
    std::cerr << "The bench car listens on " << link.substr(5) << "; stop it with Ctrl+C.\n";
    const auto done = brusk::benchcar::serveSocket(car, link.substr(5), stopping);
    if (!done) {
        std::cerr << done.error().text() << "\n";
        return 1;
    }
    return 0;
}
