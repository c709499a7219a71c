// The order of a step: inputs, air, torque, fuel, spark, boost, idle, diagnosis.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Controller.h"

#include <cmath>

namespace brusk::benchcar {

Controller::Controller(ControllerMemory& memory)
    : memory_(memory),
      inputs_(memory),
      air_(memory),
      limits_(memory),
      boost_(memory),
      fuel_(memory),
      loop_(memory),
      spark_(memory),
      idle_(memory),
      torque_(memory),
      cooling_(memory),
      purge_(memory),
      diagnosis_(memory) {}

void Controller::powerUp() {
    s_ = {};
    memory_.clearRam();
    inputs_.powerUp();
    air_.powerUp();
    limits_.powerUp();
    boost_.powerUp();
    fuel_.powerUp();
    loop_.powerUp();
    spark_.powerUp();
    idle_.powerUp();
    torque_.powerUp();
    cooling_.powerUp();
    purge_.powerUp();
    diagnosis_.powerUp();
}

void Controller::clearCodes() {
    diagnosis_.clear();
    forgetLearned();
}

void Controller::forgetLearned() {
    loop_.forget();
    idle_.forget();
    spark_.forget();
}

void Controller::addSteps(double duty_pct, double lambda) {
    s_.dutyStep_c = static_cast<int>(std::lround(duty_pct * 100));
    s_.lambdaStep_4 = static_cast<int>(std::lround(lambda * 10000));
}

ActuatorCommands Controller::step(const SensorReadings& in, bool ignition) {
    ActuatorCommands out;
    s_.in = in;
    inputs_.step(s_);
    if (!ignition) {
        s_.engine = EngineState::Stopped;
        s_.runTicks = 0;
        memory_.put(layout::inputsSeen.engineState, 0);
        cooling_.step(s_, false);
        out.fans = s_.fans;
        return out;
    }
    air_.step(s_);
    boost_.step(s_);
    const int throttleMost = limits_.step(s_);
    fuel_.ask(s_);
    loop_.step(s_);
    out.pulse_us = fuel_.pulses(s_);
    cooling_.step(s_, true);
    idle_.step(s_);
    out.spark_d = spark_.step(s_);
    out.dwell_us = spark_.dwell_us(s_);
    out.throttle_c = torque_.step(s_, throttleMost);
    out.purge_h = purge_.step(s_);
    diagnosis_.step(s_);
    out.wastegate_h = static_cast<int>(memory_.seen(layout::boostSeen.duty));
    out.fans = s_.fans;
    out.compressor = s_.compressor;
    return out;
}

namespace {

std::vector<const Item*> gatherParameters() {
    std::vector<const Item*> out;
    layout::append(out, layout::inputs);
    layout::append(out, layout::air);
    layout::append(out, layout::fuel);
    layout::append(out, layout::loop);
    layout::append(out, layout::spark);
    layout::append(out, layout::boost);
    layout::append(out, layout::idle);
    layout::append(out, layout::torque);
    layout::append(out, layout::limits);
    layout::append(out, layout::cooling);
    layout::append(out, layout::purge);
    layout::append(out, layout::diagnosis);
    return out;
}

std::vector<const Item*> gatherMeasurements() {
    std::vector<const Item*> out;
    layout::append(out, layout::inputsSeen);
    layout::append(out, layout::airSeen);
    layout::append(out, layout::fuelSeen);
    layout::append(out, layout::loopSeen);
    layout::append(out, layout::sparkSeen);
    layout::append(out, layout::boostSeen);
    layout::append(out, layout::idleSeen);
    layout::append(out, layout::torqueSeen);
    layout::append(out, layout::limitsSeen);
    layout::append(out, layout::purgeSeen);
    layout::append(out, layout::diagnosisSeen);
    return out;
}

const Item* named(const std::vector<const Item*>& items, std::string_view name) {
    for (const Item* item : items)
        if (item->name == name) return item;
    return nullptr;
}

}  // namespace

const std::vector<const Item*>& allParameters() {
    static const auto all = gatherParameters();
    return all;
}

const std::vector<const Item*>& allMeasurements() {
    static const auto all = gatherMeasurements();
    return all;
}

const Item* parameterNamed(std::string_view name) {
    return named(allParameters(), name);
}

const Item* measurementNamed(std::string_view name) {
    return named(allMeasurements(), name);
}

}  // namespace brusk::benchcar
