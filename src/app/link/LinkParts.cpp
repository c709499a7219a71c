// The bench car on its bus, paced to the clock, or a socket: the one source of the window that sees the simulated
// car.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/link/LinkParts.h"

#include <algorithm>
#include <mutex>
#include <optional>
#include <utility>

#include "benchcar/VirtualBus.h"
#include "core/link/Ports.h"

namespace brusk::app {

struct LinkParts::Bench {
    explicit Bench(const benchcar::Build& build) : car(build) {}
    benchcar::BenchCar car;
    benchcar::VirtualBus bus{car};
    benchcar::PacedBus paced{bus, 0};

    struct Orders {
        benchcar::Weather weather;
        benchcar::Fuel fuel;
        benchcar::Faults faults;
        benchcar::BenchCar::Wideband wideband;
        bool ignition;
        int resets;
    };
    // As they were obeyed last.
    benchcar::Weather weather;
    bool ignition = true;
    int resets = 0;
    std::mutex mutex;  // guards orders
    std::optional<Orders> orders;
};

BenchOrders usualOrders() {
    const benchcar::Weather weather;
    const benchcar::Fuel& fuel = benchcar::kHeronFitted.fuel;
    return {weather.temperature_C, weather.pressure_kPa, fuel.octane_RON, fuel.ethanol * 100, {}};
}

const std::vector<BenchChoice>& routeChoices() {
    static const std::vector<BenchChoice> choices = [] {
        std::vector<BenchChoice> out;
        for (const auto& route : benchcar::routes())
            out.push_back({route.name, route.title, route.seconds()});
        out.push_back({kUnseenCells, "Cells not seen yet on this round", 0});
        return out;
    }();
    return choices;
}

const std::vector<BenchChoice>& faultChoices() {
    static const std::vector<BenchChoice> choices = [] {
        std::vector<BenchChoice> out;
        for (const auto& fault : benchcar::faultChoices())
            out.push_back({std::string(fault.name), std::string(fault.title), 0});
        return out;
    }();
    return choices;
}

const std::vector<BenchChoice>& widebandChoices() {
    static const std::vector<BenchChoice> choices = {{"ombrel-w1", "Ombrel W1 on the bus", 0},
                                                     {"tarn-l3", "Tarn L3 on the bus", 0},
                                                     {"none", "no wideband on the bus", 0}};
    return choices;
}

namespace {

constexpr std::string_view kBench = "bench", kNamed = "bench:";

/// The car of "bench" or "bench:CAR"; null for what is no bench car.
const benchcar::Build* benchBuild(const std::string& choice) {
    if (choice == kBench) return &benchcar::kHeronFitted;
    return choice.starts_with(kNamed) ? benchcar::buildNamed(choice.substr(kNamed.size())) : nullptr;
}

}  // namespace

LinkParts::LinkParts() = default;
LinkParts::~LinkParts() = default;

std::string LinkParts::memoryFileOf(const std::string& choice) {
    if (!benchBuild(choice)) return {};
    return choice == kBench ? "benchcar.flash" : "benchcar-" + choice.substr(kNamed.size()) + ".flash";
}

Result<std::unique_ptr<LinkParts>> LinkParts::open(const std::string& choice, ByteSpan flash) {
    std::unique_ptr<LinkParts> out(new LinkParts);
    if (const auto* build = benchBuild(choice)) {
        out->bench_ = std::make_unique<Bench>(*build);
        out->memoryFile_ = memoryFileOf(choice);
        const auto memory = out->bench_->car.memory().flash();
        if (flash.size() == memory.size()) {
            std::copy(flash.begin(), flash.end(), memory.begin());
            out->bench_->car.powerCycle();
        }
        return out;
    }
    auto socket = link::portNamed(choice);
    if (!socket) return tl::unexpected(socket.error());
    out->socket_ = std::move(*socket);
    return out;
}

link::CanPort& LinkParts::port() {
    return bench_ ? static_cast<link::CanPort&>(bench_->paced) : *socket_;
}

void LinkParts::watchTraffic() {
    link::CanPort& watched = bench_ ? static_cast<link::CanPort&>(bench_->bus) : *socket_;
    watched.watch([log = traffic_, bitrate = watched.status().bitrate](const link::CanFrame& frame, bool ours) {
        log->add(frame, ours, bitrate);
    });
}

void LinkParts::setCable(bool plugged) {
    if (bench_) bench_->bus.setConnected(plugged);
}

Done LinkParts::order(const BenchOrders& wanted) {
    if (!bench_) return {};
    Bench::Orders orders{{wanted.temperature_C, wanted.pressure_kPa},
                         {wanted.octane_RON, wanted.ethanol_pct / 100},
                         {},
                         benchcar::BenchCar::Wideband::OmbrelW1,
                         wanted.ignition,
                         wanted.resets};
    const auto& choices = widebandChoices();
    for (size_t i = 0; i < choices.size(); ++i)
        if (choices[i].name == wanted.wideband) orders.wideband = static_cast<benchcar::BenchCar::Wideband>(i);
    for (const std::string& fault : wanted.faults)
        if (auto done = benchcar::addFault(orders.faults, fault); !done) return done;
    const std::lock_guard lock(bench_->mutex);
    bench_->orders = orders;
    return {};
}

void LinkParts::obeyOrders() {
    if (!bench_) return;
    // Between drives another weather is another day: while the engine stands the controller reads it.
    constexpr int64_t kReads_us = 20000000;
    const std::lock_guard lock(bench_->mutex);
    if (!bench_->orders) return;
    const benchcar::Weather weather = bench_->orders->weather, before = std::exchange(bench_->weather, weather);
    bench_->car.plant().setWeather(weather);
    if (weather.pressure_kPa != before.pressure_kPa && !onRoute()) stand(kReads_us);
    bench_->car.plant().setFuel(bench_->orders->fuel);
    bench_->car.faults() = bench_->orders->faults;
    bench_->car.fit(bench_->orders->wideband);
    if (std::exchange(bench_->ignition, bench_->orders->ignition) != bench_->orders->ignition) {
        bench_->car.setKey(bench_->ignition);
        bench_->car.plant().setIgnition(bench_->ignition);
    }
    if (std::exchange(bench_->resets, bench_->orders->resets) != bench_->orders->resets) bench_->car.powerCycle();
    bench_->orders.reset();
}

void LinkParts::setTimeLapse(double lapse) {
    if (bench_) bench_->paced.setTimeLapse(lapse);
}

Result<std::string> LinkParts::startRoute(const std::string& name) {
    const auto* route = benchcar::routeNamed(name);
    if (!bench_ || !route) return fail(ErrorCode::NotFound, "The bench car knows no route \"" + name + "\".");
    bench_->car.startRoute(*route);
    return route->title;
}

std::string LinkParts::startRouteThrough(const std::vector<BenchNode>& nodes) {
    std::vector<benchcar::Cell> cells;
    cells.reserve(nodes.size());
    for (const auto& node : nodes)
        cells.push_back({node.speed_rpm, node.pressure_kPa});
    const auto route = benchcar::visitRoute(bench_->car.plant().build(), cells);
    bench_->car.startRoute(route);
    return route.title;
}

bool LinkParts::onRoute() const {
    return bench_ && bench_->car.onRoute();
}

void LinkParts::stopRoute() {
    constexpr int64_t kRunsDown_us = 3000000;
    if (!bench_) return;
    if (!std::exchange(bench_->ignition, true)) bench_->car.setKey(true);
    bench_->car.stopRoute();
    setTimeLapse(0);
    stand(kRunsDown_us);
}

void LinkParts::stand(int64_t time_us) {
    for (const int64_t until = bench_->bus.now_us() + time_us; bench_->bus.now_us() < until;)
        if (!bench_->bus.receive(until)) break;
}

Bytes LinkParts::flash() const {
    if (!bench_) return {};
    const auto flash = bench_->car.memory().flash();
    return Bytes(flash.begin(), flash.end());
}

}  // namespace brusk::app
