// Steady states of the plant's physics, written into the layouts of the firmware.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/cars/Factory.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>

#include "benchcar/cars/CalibrationWriter.h"
#include "benchcar/cars/Steady.h"
#include "benchcar/controller/Controller.h"
#include "benchcar/plant/Plant.h"

namespace brusk::benchcar {

namespace {

namespace L = layout;
using Row = std::vector<double>;
constexpr double kCrankOpening = 0.06;

/// One car's calibration, strategy by strategy.
class Calibrator {
  public:
    Calibrator(ControllerMemory& memory, const Build& build, const Wishes& wishes)
        : w_(memory), b_(build), engine_(build.engine), wishes_(wishes), steady_(build) {}

    void write() {
        inputs();
        air();
        fuel();
        coldEngine();
        fullLoad();
        loop();
        spark();
        knock();
        boost();
        idle();
        torque();
        limits();
        purge();
        diagnosis();
    }

  private:
    bool turbo() const { return engine_.turbo; }
    /// Air in a cylinder at filling 1.
    double full_mg() const { return engine_.displacement_m3 / engine_.cylinders * 1e6 * burn::kReferenceFill_mgcm3; }
    double strokesToKgh(double rpm, double air_mg) const {
        return air_mg * 1e-6 * rpm / 120 * engine_.cylinders * 3600;
    }

    void inputs();
    void air();
    void fuel();
    void coldEngine();
    void fullLoad();
    void loop();
    void spark();
    void knock();
    void boost();
    void idle();
    void torque();
    void limits();
    void purge();
    void diagnosis();

    CalibrationWriter w_;
    const Build& b_;
    const Engine& engine_;
    const Wishes& wishes_;
    Steady steady_;
};

void Calibrator::inputs() {
    const auto& i = L::inputs;
    w_.text(i.calibrationId, wishes_.calibrationId);
    w_.text(i.tunerNote, "");
    w_.set(i.mapSlope, b_.parts.pressure.slope_kPaV);
    w_.set(i.mapOffset, b_.parts.pressure.offset_kPa);
    w_.set(i.mapFilter, 63);
    w_.set(i.meterFilter, 70);
    w_.set(i.pedalFilter, 55);
    w_.set(i.temperatureFilter, 2);
    for (const Item* closed : {&i.throttleClosed, &i.pedalClosed})
        w_.set(*closed, sense::kClosed_V);
    for (const Item* open : {&i.throttleOpen, &i.pedalOpen})
        w_.set(*open, sense::kOpen_V);
    w_.set(i.batteryScale, sense::kDivider);
    w_.set(i.coolantDefault, 85);
    w_.set(i.intakeDefault, 35);
    w_.set(i.baroDefault, 100);
    w_.set(i.baroThrottle, 70);
    w_.set(i.baroFilter, 2);
    w_.set(i.wheelPulses, pulsesPerKm(b_.parts));
    w_.curve(i.gearRatio, Row{1, 2, 3, 4, 5, 6},
             [&](double gear) { return 1 / roadSpeed_kmh(b_, 1.0, static_cast<int>(gear)); });
    w_.set(i.gearTolerance, 12);
    const Row celsius = {130, 115, 104, 96, 88, 80, 70, 60, 50, 40, 30, 20, 10, 0, -12, -28};
    Row volts;
    volts.reserve(celsius.size());
    for (const double c : celsius)
        volts.push_back(thermistor_V(c));
    for (const Item* sensor : {&i.coolantSensor, &i.intakeSensor})
        w_.curve(*sensor, volts, [](double v) { return thermistor_C(v); });
    Row hertz;
    for (int n = 0; n < 24; ++n)
        hertz.push_back(sense::kMeterZero_Hz + 6 + 330 * n + 2.4 * n * n);
    w_.curve(i.meterCurve, hertz, [&](double f) { return meterFlow_kgh(b_.parts.airflowHousing_mm, f); });
}

void Calibrator::air() {
    const auto& a = L::air;
    w_.set(a.displacement, engine_.displacement_m3 * 1e6);
    w_.set(a.cylinders, engine_.cylinders);
    w_.set(a.banks, engine_.banks);
    w_.set(a.model, wishes_.airModel);
    w_.set(a.changeoverOn, 3200);
    w_.set(a.changeoverOff, 2900);
    w_.set(a.changeoverTime, 0.4);
    w_.set(a.fallback, 1);
    // Share of the manifold's content that the cylinders take in ten milliseconds.
    w_.curve(a.meterFill, Row{500, 900, 1600, 3000, 6000}, [&](double rpm) {
        return 100 * std::min(0.9, 0.01 * 0.72 * engine_.displacement_m3 * rpm / 120 / engine_.manifold_m3);
    });
    w_.axis(a.axisSpeed, wishes_.speeds);
    w_.axis(a.axisPressure, wishes_.pressures);
    w_.curve(a.chargeBlend, Row{10, 20, 40, 80, 150, 300}, [](double kgh) { return 100 * chargeBlend(kgh); });
    w_.curve(a.veBaro, Row{60, 75, 88, 101, 107}, [&](double kPa) {
        return volumetricEfficiency(b_, 3000, 55, kPa) / volumetricEfficiency(b_, 3000, 55, 101.3);
    });
    w_.map(a.veMap, wishes_.speeds, wishes_.pressures,
           [&](double rpm, double kPa) { return 100 * volumetricEfficiency(b_, rpm, kPa); });
    w_.map(a.meterCorrection, Row{600, 900, 1200, 1500, 1900, 2400, 3200, 5000}, Row{20, 30, 42, 60, 100},
           [](double rpm, double open) { return 1 / (1 + reversion(rpm, open / 100)); });
    w_.map(a.throttleAir, Row{600, 1000, 1500, 2200, 3000, 4000, 5200, 6600}, Row{2, 4, 7, 11, 17, 27, 45, 90},
           [&](double rpm, double open) { return steady_.air_mg(rpm, steady_.pressureAt_kPa(rpm, open / 100)); });
}

void Calibrator::fuel() {
    const auto& f = L::fuel;
    w_.set(f.stoich, blendStoich(b_.fuel.ethanol));
    w_.set(f.injectorFlow, b_.parts.injectors.flow_cm3min);
    w_.set(f.density, blendDensity(b_.fuel.ethanol));
    w_.set(f.minPulse, 400 * 380 / b_.parts.injectors.flow_cm3min);
    w_.set(f.dutyLimit, 92);
    w_.curve(f.deadTime, Row{8, 9, 10, 11, 12, 13, 14, 15},
             [&](double volts) { return deadTime_us(b_.parts.injectors, volts); });
    w_.curve(f.smallPulse, {{200, 0}, {500, 0}, {800, 0}, {1200, 0}, {2000, 0}, {4000, 0}});
    w_.block(f.bankTrim, {0, 0});
    w_.map(f.lambdaMap, wishes_.speeds, wishes_.pressures,
           [&](double rpm, double kPa) { return steady_.lambdaWanted(rpm, kPa); });
    w_.set(f.cutBegins, 1700);
    w_.set(f.cutEnds, 1350);
    w_.set(f.cutPedal, 1);
    w_.set(f.cutDelay, 0.25);
    w_.curve(f.cutCold, {{-20, 700}, {10, 450}, {40, 250}, {70, 60}, {85, 0}});
    w_.set(f.cutReturn, 4);
    w_.set(f.cutReturnDecay, 0.5);
    w_.set(f.filmOn, 1);
    const Row coolant = {-20, 0, 20, 45, 70, 95};
    w_.curve(f.filmShare, coolant, [](double c) { return 100 * filmShare(c, 100); });
    w_.curve(f.filmTime, coolant, [](double c) { return 1000 * filmTime_s(c); });
    w_.curve(f.filmPressure, Row{20, 40, 70, 100, 180},
             [](double kPa) { return filmShare(90, kPa) / filmShare(90, 100); });
}

void Calibrator::coldEngine() {
    const auto& f = L::fuel;
    const double crank_mg = 1.1 * steady_.air_mg(270, steady_.pressureAt_kPa(270, kCrankOpening));
    w_.curve(f.crankFuel, Row{-20, -5, 10, 25, 40, 60, 80, 100}, [&](double c) {
        // The charge of a cold engine is as cold as the engine; a little more than enough starts surely.
        const double air = crank_mg * 350 / (273.15 + 0.5 * (c + 25));
        return air / blendStoich(b_.fuel.ethanol) / (evaporated(c) * (1 - startLoss(c, 0)));
    });
    w_.curve(f.crankFade, {{0, 1}, {6, 1}, {14, 0.88}, {28, 0.72}, {45, 0.6}});
    w_.set(f.floodPedal, 80);
    w_.curve(f.warmUp, Row{-20, -5, 10, 25, 40, 55, 70, 90}, [](double c) { return 100 * (1 / evaporated(c) - 1); });
    w_.curve(f.warmUpLoad, {{60, 1}, {120, 1}, {200, 1}, {350, 1}, {600, 1}});
    w_.curve(f.afterStart, Row{-20, 0, 20, 45, 70, 95}, [](double c) { return 100 * (1 / (1 - startLoss(c, 1)) - 1); });
    w_.set(f.afterStartDecay, 13);
}

void Calibrator::fullLoad() {
    const auto& f = L::fuel;
    w_.set(f.fullLoadOn, 1);
    w_.set(f.fullLoadPedal, 75);
    w_.set(f.fullLoadReturn, 65);
    w_.set(f.fullLoadPressure, turbo() ? 110 : 85);
    w_.set(f.fullLoadSpeed, 2000);
    w_.set(f.fullLoadDelay, 0.5);
    w_.set(f.fullLoadRamp, 0.12);
    w_.curve(f.fullLoadLambda, wishes_.speeds,
             [&](double rpm) { return (turbo() ? 0.87 : 0.90) - std::max(0.0, rpm - 3000) * 0.000012; });
    w_.set(f.protectTemp, turbo() ? 960 : 980);
    w_.set(f.protectGain, 0.06);
    w_.set(f.protectLeast, 0.75);
    const Row loads = {0.25 * full_mg(), 0.45 * full_mg(), 0.65 * full_mg(),
                       0.85 * full_mg(), 1.2 * full_mg(),  1.7 * full_mg()};
    w_.map(f.exhaustModel, Row{800, 1600, 2600, 3800, 5200, 6600}, loads, [&](double rpm, double air) {
        const double lambda = steady_.lambdaWanted(rpm, steady_.pressureFor_kPa(rpm, air));
        const double spark = steady_.spark_deg(rpm, air, 98, lambda, wishes_.sparkMargin_deg);
        return exhaustTemperature_C(b_, rpm, air, lambda, spark, steady_.chargeTemp_K(rpm, air));
    });
    w_.set(f.exhaustTime, 1.2);
}

void Calibrator::loop() {
    const auto& l = L::loop;
    w_.set(l.on, 1);
    w_.set(l.coolant, 55);
    w_.set(l.wait, 15);
    w_.curve(l.jump, {{8, 0.6}, {25, 0.8}, {60, 0.9}, {150, 1}, {300, 1}});
    w_.curve(l.ramp, {{8, 1.2}, {25, 2}, {60, 2.6}, {150, 3.5}, {300, 4}});
    w_.set(l.limit, 20);
    w_.set(l.volts, 0.45);
    w_.set(l.bias, 0);
    w_.set(l.pressureMost, turbo() ? 112 : 96);
    w_.set(l.speedMost, 5200);
    w_.set(l.afterCut, 1);
    w_.set(l.learnOn, 1);
    w_.set(l.learnCoolant, 70);
    w_.set(l.learnLimit, 12);
    w_.set(l.learnRate, 4);
    w_.block(l.learnBorders, {24, 60, 130});
}

void Calibrator::spark() {
    const auto& s = L::spark;
    w_.axis(s.axisLoad, wishes_.loads);
    const auto with = [&](double rpm, double air, double octane) {
        const double lambda = steady_.lambdaWanted(rpm, steady_.pressureFor_kPa(rpm, air));
        return steady_.spark_deg(rpm, air, octane, lambda, wishes_.sparkMargin_deg);
    };
    // The base bears poor fuel; what better fuel allows is advanced as far as it has been learned.
    w_.map(s.base, wishes_.speeds, wishes_.loads, [&](double rpm, double air) { return with(rpm, air, 91); });
    w_.map(s.octane, wishes_.speeds, wishes_.loads,
           [&](double rpm, double air) { return std::max(0.0, with(rpm, air, 98) - with(rpm, air, 91)); });
    w_.set(s.octaneStart, 80);
    w_.set(s.octaneDown, 4);
    w_.set(s.octaneUp, 0.5);
    w_.set(s.octaneLoad, 0.75 * full_mg());
    w_.curve(s.charge, {{-20, 0}, {20, 0}, {35, 0}, {45, -1.8}, {55, -3.6}, {70, -6.3}, {85, -9}, {110, -12}});
    w_.curve(s.chargeLoad, {{0.5 * full_mg(), 0}, {0.7 * full_mg(), 0.4}, {0.9 * full_mg(), 1}, {1.4 * full_mg(), 1}});
    w_.curve(s.coolant, {{-20, 4}, {20, 3}, {60, 0.5}, {80, 0}, {104, 0}, {118, -5}});
    w_.curve(s.lambda, {{0.75, 0.5}, {0.85, 0.2}, {0.95, 0}, {1.02, 0}, {1.15, 2}});
    w_.set(s.idle, 12);
    w_.set(s.idleGain, 2.4);
    w_.set(s.idleLimit, 7);
    w_.set(s.crank, 8);
    w_.set(s.least, -12);
    w_.set(s.most, 46);
    w_.set(s.rate, 0.6);
    w_.curve(s.dwell, Row{6, 8, 9.5, 11, 12.5, 14, 15.5}, [](double volts) { return 1.12 * dwellNeeded_ms(volts); });
}

void Calibrator::knock() {
    const auto& s = L::spark;
    w_.set(s.knockOn, 1);
    w_.curve(s.knockThreshold, Row{800, 1500, 2200, 3000, 3800, 4800, 5800, 6800},
             [](double rpm) { return 1.36 * (sense::kKnockFloor_mV + sense::kKnockSpeed_mV * rpm) / 1000; });
    w_.set(s.knockStep, 1.5);
    w_.set(s.knockDecay, 0.8);
    w_.set(s.knockLimit, 9);
    w_.set(s.knockLoad, 0.55 * full_mg());
    w_.set(s.knockSpeed, 1000);
    w_.set(s.knockCoolant, 50);
    w_.set(s.knockFallback, 5);
}

void Calibrator::boost() {
    const auto& o = L::boost;
    const Row pedals = {0, 30, 50, 70, 85, 100};
    const Row speeds = {1000, 1500, 2000, 2500, 3000, 3500, 4200, 5000, 5800, 6600};
    const double most_kPa = wishes_.boost_kPa - 101.3;
    const auto wanted = [&](double rpm, double pedal) {
        const double low = std::clamp((rpm - 1000) / 1900, 0.0, 1.0);
        const double high = 1 - std::max(0.0, rpm - 5400) * 0.00012;
        const double foot = std::clamp((pedal - 35) / 45, 0.0, 1.0);
        return 101.3 + most_kPa * foot * std::min(low, high);
    };
    w_.set(o.on, turbo());
    w_.map(o.target, speeds, pedals, wanted);
    w_.curve(o.gear, {{1, 0.8}, {2, 0.95}, {3, 1}, {4, 1}, {5, 1}, {6, 1}});
    const Row targets = {101.3, 115, 130, 145, 165, 190};
    w_.map(o.duty, speeds, targets, [&](double rpm, double kPa) {
        // The gate must open a little for any flow beyond what the turbine needs: more so when fast.
        Turbocharger t = b_.parts.turbo;
        t.spring_kPa += turbo::kGateRange_kPa * std::clamp((rpm - 2200) / 5000, 0.05, 0.6);
        return turbo() ? 100 * std::min(0.7, dutyForBoost(t, kPa - 101.3)) : 0;
    });
    // A heavier turbine answers later: less integral, more attention to the rise.
    const double heavy = turbo() ? b_.parts.turbo.inertia_kgm2 / kHeronStockParts.turbo.inertia_kgm2 : 1;
    w_.set(o.p, 0.3);
    w_.set(o.i, 0.7 / heavy);
    w_.set(o.d, 0.04 * heavy);
    w_.set(o.iMost, 35);
    w_.set(o.iWindow, 34 / (heavy * heavy));
    w_.set(o.spool, 44);
    w_.curve(o.charge, {{20, 1}, {45, 1}, {60, 0.9}, {75, 0.7}, {95, 0.4}});
    w_.curve(o.altitude, {{60, 125}, {75, 148}, {90, 185}, {101, 260}});
    w_.set(o.dutyMost, 85);
    w_.set(o.pedal, 30);
    w_.set(o.cut, turbo() ? wishes_.boost_kPa + 16 : 130);
    w_.set(o.cutReturn, 25);
    w_.set(o.cutDelay, 0.25);
}

void Calibrator::idle() {
    const auto& d = L::idle;
    const Row coolant = {-20, 0, 20, 45, 65, 85};
    const auto speed = [&](double c) { return wishes_.idle_rpm + 6.2 * std::max(0.0, 75 - c); };
    w_.curve(d.speed, coolant, speed);
    w_.curve(d.air, coolant, [&](double c) { return 100 * steady_.idleOpening(speed(c), c, 12 + (c < 60 ? 2 : 0)); });
    w_.curve(d.crankAir, {{-20, 9}, {0, 8}, {20, 7}, {50, 6.3}, {85, 100 * kCrankOpening}});
    const double scale = kHeronEngine.throttleBore_m * kHeronEngine.throttleBore_m /
                         (engine_.throttleBore_m * engine_.throttleBore_m) * engine_.displacement_m3 / 1598e-6;
    w_.set(d.p, 0.40 * scale);
    w_.set(d.i, 0.35 * scale);
    w_.set(d.pLimit, 3);
    w_.set(d.iMost, 4);
    w_.set(d.iLeast, -3);
    w_.set(d.gearRise, 50);
    w_.set(d.coolingRise, 60);
    w_.set(d.batteryVolts, 12.2);
    w_.set(d.batteryRise, 120);
    w_.set(d.coolingAir, 0.9 * scale);
    w_.set(d.fanAir, 0.18 * scale);
    w_.set(d.pedal, 1.5);
    w_.set(d.enter, 500);
    w_.set(d.learnRate, 6);
    w_.set(d.learnLimit, 2);
    w_.set(d.dashpot, 12);
    w_.set(d.dashpotDecay, 2.5);
    w_.set(d.startAir, 0.8);
    w_.set(d.startDecay, 6);
}

void Calibrator::torque() {
    const auto& t = L::torque;
    const Row speeds = {800, 1500, 2200, 3000, 3800, 4600, 5600, 6600};
    const auto indicated = [&](double rpm, double air) {
        const double lambda = steady_.lambdaWanted(rpm, steady_.pressureFor_kPa(rpm, air));
        return indicatedTorque_Nm(b_, rpm, air, lambda,
                                  steady_.spark_deg(rpm, air, 98, lambda, wishes_.sparkMargin_deg));
    };
    const auto lost = [&](double rpm) { return lostTorque_Nm(engine_, rpm, 90, 60, 104) + 2; };
    const auto airFor = [&](double rpm, double nm) {
        double low = 0, high = std::min(1300.0, 2.6 * full_mg());
        for (int n = 0; n < 30; ++n) {
            const double middle = (low + high) / 2;
            (indicated(rpm, middle) < nm ? low : high) = middle;
        }
        return low;
    };
    const double peak = indicated(3600, steady_.air_mg(3600, 0.97 * wishes_.boost_kPa)) - lost(3600);
    w_.map(t.pedalMap, Row{0, 2, 5, 10, 20, 35, 50, 65, 80, 100}, Row{0, 15, 40, 80, 130, 200},
           [&](double pedal, double kmh) {
               if (pedal < 1) return kmh < 5 ? 0.0 : -18.0;
               // A pedal on the floor asks for more than there is, so that the throttle opens all the way.
               const double share = pedal > 99 ? 1.15 : std::pow(pedal / 100, 1.35 / wishes_.eager);
               return peak * share * (1 - 0.12 * std::sin(std::min(share, 1.0) * 3.1416) * std::min(1.0, kmh / 130));
           });
    w_.curve(t.ceiling, Row{800, 1300, 1800, 2400, 3000, 3600, 4400, 5200, 6000, 6800}, [&](double rpm) {
        return 1.08 * std::max(60.0, indicated(rpm, steady_.air_mg(rpm, wishes_.boost_kPa)) - lost(rpm));
    });
    w_.curve(t.gear, {{1, 0.85}, {2, 1}, {3, 1}, {4, 1}, {5, 1}, {6, 1}});
    w_.set(t.rise, 900);
    w_.set(t.fall, 1400);
    w_.curve(t.loss, speeds, lost);
    w_.curve(t.lossCold, {{-20, 17}, {10, 11}, {40, 5}, {70, 0}, {100, 0}});
    const double scale = engine_.displacement_m3 / 1598e-6;
    w_.map(t.airForTorque, speeds,
           Row{0, 20 * scale, 45 * scale, 80 * scale, 120 * scale, 170 * scale, 230 * scale, 300 * scale}, airFor);
    const double f = full_mg();
    w_.map(t.torqueForAir, speeds, Row{0.12 * f, 0.25 * f, 0.4 * f, 0.55 * f, 0.75 * f, 1.0 * f, 1.35 * f, 1.8 * f},
           indicated);
    w_.map(t.throttleForAir, Row{800, 1200, 1700, 2200, 2800, 3500, 4200, 5000, 5800, 6600},
           Row{0.1 * f, 0.16 * f, 0.24 * f, 0.33 * f, 0.43 * f, 0.53 * f, 0.63 * f, 0.72 * f, 0.8 * f, 0.95 * f},
           [&](double rpm, double air) { return 100 * steady_.openingFor(rpm, air); });
}

void Calibrator::limits() {
    const auto& l = L::limits;
    w_.set(l.revLimit, wishes_.revLimit_rpm);
    w_.set(l.revReturn, 150);
    w_.curve(l.revCold, {{-20, 4500}, {20, 5200}, {60, 6400}, {75, 7500}});
    w_.set(l.speedLimit, 245);
    w_.set(l.speedReturn, 3);
    w_.set(l.loadLimit, turbo() ? 1.9 * full_mg() : 1.15 * full_mg());
    w_.set(l.loadDelay, 0.4);
    w_.set(l.limpThrottle, 22);
    w_.set(l.limpRevs, 3200);
    const auto& c = L::cooling;
    w_.set(c.fanOn, 97);
    w_.set(c.fanOff, 91);
    w_.set(c.fanHighOn, 104);
    w_.set(c.fanHighOff, 98);
    w_.set(c.fanWithCooling, 1);
    w_.set(c.fanSpeedCut, 95);
    w_.set(c.runOnTime, 45);
    w_.set(c.runOnCoolant, 94);
    w_.set(c.coolingPedal, 85);
    w_.set(c.coolingSpeed, 600);
    w_.set(c.coolingReturn, 3);
    w_.set(c.coolingCoolant, 112);
}

void Calibrator::purge() {
    const auto& p = L::purge;
    w_.set(p.on, 1);
    w_.set(p.coolant, 65);
    w_.set(p.time, 40);
    w_.set(p.pause, 60);
    w_.set(p.pressureMost, 90);
    w_.curve(p.duty, {{8, 0}, {15, 6}, {30, 20}, {80, 50}, {200, 70}});
}

void Calibrator::diagnosis() {
    const auto& d = L::diagnosis;
    std::vector<const Item*> all;
    L::append(all, d);
    for (const Item* item : all)
        if (item->mask) w_.set(*item, 1);
    w_.set(d.overBoost, turbo());
    w_.set(d.underBoost, turbo());
    w_.set(d.quiet2, engine_.banks > 1);
    w_.set(d.codeTime, 3);
    w_.set(d.substituteTime, 0.3);
    w_.set(d.mapLeast, 0.2);
    w_.set(d.mapMost, 4.85);
    w_.set(d.meterLeast, 900);
    w_.set(d.meterMost, 11500);
    for (const Item* least : {&d.intakeLeast, &d.coolantLeast})
        w_.set(*least, 0.08);
    for (const Item* most : {&d.intakeMost, &d.coolantMost})
        w_.set(*most, 4.92);
    for (const Item* least : {&d.throttleLeast, &d.pedalLeast})
        w_.set(*least, 0.25);
    for (const Item* most : {&d.throttleMost, &d.pedalMost})
        w_.set(*most, 4.75);
    w_.set(d.quietTime, 20);
    w_.set(d.trim, 24);
    w_.set(d.boostUnder, 25);
    w_.set(d.knockQuiet, 0.05);
    w_.set(d.idleOff, 200);
    w_.set(d.batteryLeast, 11.5);
    w_.set(d.batteryMost, 16);
    w_.map(d.expected, Row{700, 1000, 1500, 2200, 3000, 4000, 5200, 6600}, Row{2.5, 5, 8, 12, 18, 28, 45},
           [&](double rpm, double open) { return steady_.pressureAt_kPa(rpm, open / 100); });
    w_.curve(d.plausPressure, {{700, 32}, {1200, 34}, {2000, 36}, {3000, 38}, {4500, 40}, {6500, 42}});
    w_.set(d.plausThrottle, turbo() ? 12 : 30);
    w_.set(d.plausTime, 1.5);
    w_.curve(d.plausAirflow, {{700, 60}, {1200, 55}, {2000, 50}, {3000, 45}, {4500, 45}, {6500, 45}});
}

/// Machine code stands in the application; what matters to us is that it is there, varied, and checked.
void writeApplication(std::span<uint8_t> flash) {
    uint64_t state = 0x9E3779B97F4A7C15ull;
    for (uint32_t at = 0; at < map::kApplicationSize; ++at) {
        state ^= state << 13, state ^= state >> 7, state ^= state << 17;
        flash[map::kApplication - map::kFlash + at] = static_cast<uint8_t>(state >> 24);
    }
    for (uint32_t at = 0; at < 0x8000; ++at)
        flash[at] = static_cast<uint8_t>((at * 73) ^ (at >> 5));
}

}  // namespace

void writeCalibration(ControllerMemory& memory, const Build& build, const Wishes& wishes) {
    memory.eraseSector(map::kCalibration, map::kCalibrationSize);
    Calibrator(memory, build, wishes).write();
    sealFlash(memory);
}

namespace {

void makeFlash(ControllerMemory& memory, const Model& model) {
    std::span<uint8_t> flash = memory.flash();
    writeApplication(flash);
    CalibrationWriter w(memory);
    w.characters(map::kVin, map::kVinSize, model.identity.vin);
    w.characters(map::kSerial, map::kSerialSize, model.identity.serial);
    w.characters(map::kHardware, map::kHardwareSize, model.identity.hardware);
    w.characters(map::kSoftwareId, map::kSoftwareIdSize, model.identity.software);
    writeCalibration(memory, *model.build, model.wishes);
}

}  // namespace

void programFlash(ControllerMemory& memory, const Model& model) {
    // Solving a calibration takes a while; every car of a model leaves the factory with the same one.
    static std::mutex mutex;  // guards made
    static std::map<std::string_view, ControllerMemory> made;
    const std::lock_guard lock(mutex);
    const auto [at, isNew] = made.try_emplace(model.name);
    if (isNew) makeFlash(at->second, model);
    std::copy(at->second.flash().begin(), at->second.flash().end(), memory.flash().begin());
}

Wishes wishesFor(const Model& model, const Build& build) {
    Wishes out = model.wishes;
    if (build.engine.turbo) out.boost_kPa = std::max(out.boost_kPa, 101.3 + build.parts.turbo.spring_kPa * 1.35);
    return out;
}

}  // namespace brusk::benchcar
