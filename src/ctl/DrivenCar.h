// A car that is driven and recorded in memory, through one definition or several, with the truth beside every row.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdlib>
#include <memory>
#include <string>
#include <vector>

#include "benchcar/cars/WrongPart.h"
#include "benchcar/truth/Truth.h"
#include "core/job/Correct.h"
#include "core/job/Drive.h"

namespace brusk::bench {

/// All on one clock; the truth's channels are those of benchcar::truthChannels().
struct Driven {
    std::vector<std::shared_ptr<const recording::Recording>> recordings;  ///< one a kit
    std::shared_ptr<const recording::Recording> truth;
};

inline benchcar::Build drawnBuild(const char* model, uint64_t seed) {
    auto build = *benchcar::buildNamed(model);
    build.drawn = benchcar::draw(seed, build.engine.cylinders);
    return build;
}

inline calibration::Calibration calibrationOf(const job::Kit& kit, benchcar::BenchCar& car) {
    namespace map = benchcar::map;
    image::Image image;
    if (auto done = image.add(map::kFlash, car.memory().at(map::kFlash, map::kFlashSize)); !done) std::exit(1);
    return {kit.definition, std::move(image)};
}

/// Records every channel with a role each `period_ms`, and the external sensors, through each of the kits.
inline Driven drive(benchcar::BenchCar& car, const std::vector<std::shared_ptr<const job::Kit>>& kits,
                    const std::vector<std::string>& routes, int period_ms = 10) {
    std::vector<job::ChannelSet> sets;
    std::vector<std::shared_ptr<recording::Recording>> out;
    for (const auto& kit : kits) {
        auto& set = sets.emplace_back();
        set.definition = kit->definition;
        for (const auto& m : kit->definition->measurements)
            if (!m.role.empty()) set.measurements.push_back(&m);
        out.push_back(std::make_shared<recording::Recording>(job::layoutOf(*kit, set)));
    }
    auto truth = std::make_shared<recording::Recording>();
    auto& states = truth->groups.emplace_back();
    for (const auto& channel : benchcar::truthChannels())
        states.channels.push_back({channel.name, channel.unit, channel.title, "", {}});
    const auto append = [](recording::Group& group, double t, const auto& values) {
        group.time_s.push_back(t);
        size_t i = 0;
        for (const auto value : values)
            group.channels[i++].values.push_back(static_cast<float>(value));
    };
    std::vector<float> known;
    std::vector<double> row;
    const int64_t from_us = car.now_us();
    for (size_t r = 0; r < routes.size(); ++r) {
        auto route = *benchcar::routeNamed(routes[r]);
        if (r > 0) route.cold = false, route.weather_C.reset();
        car.startRoute(route);
        while (car.onRoute()) {
            car.advanceTo(car.now_us() + 10000);
            const double t = static_cast<double>(car.now_us() - from_us) * 1e-6;
            while (const auto frame = car.nextFrame())
                for (size_t k = 0; k < kits.size(); ++k)
                    for (const auto& message : kits[k]->externalSensors) {
                        if (message.id != frame->id) continue;
                        row.clear();
                        for (const auto& signal : message.signalList)
                            row.push_back(signal.decode(*frame));
                        append(out[k]->groups[1], t, row);
                    }
            if ((car.now_us() - from_us) / 10000 % (period_ms / 10) != 0) continue;
            for (size_t k = 0; k < kits.size(); ++k) {
                row.clear();
                for (const auto* m : sets[k].measurements) {
                    const auto bytes = car.memory().at(m->address, static_cast<uint32_t>(definition::sizeOf(m->type)));
                    row.push_back(definition::physicalOf(*kits[k]->definition, *m, bytes.data()));
                }
                append(out[k]->groups[0], t, row);
            }
            benchcar::truthNow(car, known);
            append(states, t, known);
        }
    }
    return {{out.begin(), out.end()}, truth};
}

}  // namespace brusk::bench
