// Cars drawn from a seed: the same every time, within their bounds, and believable every one of them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <map>

#include "Bench.h"

using namespace brusk;
using namespace brusk::benchcar;
using namespace brusk::benchcar::bench;

namespace {

constexpr int kCars = 100;

const Build& stockOf(int seed) {
    return seed % 2 ? kHeronStock : kCraneStock;
}

struct Range {
    double least = 1e9, most = -1e9;
    void add(double value) {
        least = std::min(least, value);
        most = std::max(most, value);
    }
    bool within(double low, double high) const { return least > low && most < high; }
};

}  // namespace

class DrawnTest : public QObject {
    Q_OBJECT
  private slots:
    void aSeedDrawsTheSameCarEveryTimeAndAnotherSeedAnother();
    void everyAmountFillsItsBounds();
    void whatIsDrawnIsWhatTheSensorsAndTheRoadSay();
    void aHundredDrawnCarsAreBelievable();
};

void DrawnTest::aSeedDrawsTheSameCarEveryTimeAndAnotherSeedAnother() {
    const auto facts = factsOf(draw(7, 4)), again = factsOf(draw(7, 4)), other = factsOf(draw(8, 4));
    QVERIFY(facts.size() > 30 && facts.size() == other.size());
    for (size_t i = 0; i < facts.size(); ++i) {
        QVERIFY(facts[i].name == again[i].name && facts[i].value == again[i].value);
        QVERIFY2(facts[i].value != other[i].value, facts[i].name.c_str());
    }
    // The book's car has nothing drawn.
    for (const DrawnFact& fact : factsOf(kHeronFitted.drawn))
        QCOMPARE(fact.value, 0.0);
    QVERIFY(!kHeronFitted.drawn.weather);
}

void DrawnTest::everyAmountFillsItsBounds() {
    std::map<std::string, Range> seen;
    for (int seed = 1; seed <= 1000; ++seed)
        for (const DrawnFact& fact : factsOf(draw(static_cast<uint64_t>(seed), 4)))
            seen[fact.name].add(fact.value);
    const std::map<std::string, std::pair<double, double>> bounds = {
        {"injector_flow", {-2, 2}}, {"dead_time", {-40, 40}},    {"dead_time_slope", {-10, 10}},
        {"wideband_gain", {-1, 1}}, {"mass", {-40, 40}},         {"wideband_offset", {-0.005, 0.005}},
        {"drag_area", {-5, 5}},     {"wind", {-3, 3}},           {"stoichiometric_ratio", {-1, 1}},
        {"intake_sensor", {-2, 2}}, {"air_pressure", {80, 102}}, {"air_temperature", {-10, 38}},
        {"filling_0_0", {-2, 2}},   {"filling_4_4", {-2, 2}},    {"filling_2_3", {-2, 2}},
        {"grade_0", {-1, 1}},       {"grade_63", {-1, 1}}};
    for (const auto& [name, bound] : bounds) {
        const auto [low, high] = bound;
        const Range& range = seen.at(name);
        const double edge = (high - low) * 0.02;
        QVERIFY2(range.least >= low && range.least < low + edge && range.most <= high && range.most > high - edge,
                 name.c_str());
    }
    QVERIFY(seen.at("fullest_cylinder").within(0, 4));  // two percent each, less a mean of at most two
}

void DrawnTest::whatIsDrawnIsWhatTheSensorsAndTheRoadSay() {
    Build build = kHeronStock;
    BenchCar book(build, 3);
    build.drawn.widebandGain = 0.01;
    build.drawn.widebandOffset = 0.005;
    BenchCar car(build, 3);
    for (BenchCar* each : {&book, &car}) {
        each->startRoute(holding(0, 0, 0));
        run(*each, 20);
    }
    QVERIFY(car.plant().state().lambda == book.plant().state().lambda);  // nothing but the sensor differs
    const double shown = book.plant().wideband();
    QVERIFY(std::abs(car.plant().wideband() - (shown * 1.01 + 0.005)) < 1e-12);
    // Fuel that needs less air a gram, and less of it injected: leaner by both.
    Build leaner = kHeronStock;
    leaner.drawn.stoich = -0.01;
    leaner.drawn.injectorFlow = -0.02;
    const auto openLoop = [](const Build& of) {
        BenchCar one(of, 1);
        set(one, "loop_on", 0);
        one.startRoute(holding(70, 4, 0.01));
        run(one, 60);
        return meanLambda(one, 8);
    };
    QVERIFY(std::abs(openLoop(leaner) / openLoop(kHeronStock) - 1 / (0.99 * 0.98)) < 0.004);
    // Headwind and drag area want more torque at the same speed.
    Build slow = kHeronStock;
    slow.drawn.wind_ms = 3;
    slow.drawn.dragArea = 0.05;
    struct Held {
        double torque_Nm = 0, speed_ms = 0;
    };
    const auto held = [](const Build& of) {
        BenchCar one(of, 1);
        one.startRoute(holding(110, 5, 0));
        run(one, 200);
        Held out;
        watch(one, 20, [&] {
            out.torque_Nm += one.plant().state().torque_Nm / 400;
            out.speed_ms += one.plant().state().vehicle_kmh / 3.6 / 400;
        });
        return out;
    };
    const auto drag_Nm = [](const Held& at, double area, double wind_ms) {
        const Chassis& c = kHeronStock.chassis;
        return 0.5 * chassis::kAirDensity * c.dragArea_m2 * area * std::pow(at.speed_ms + wind_ms, 2) *
               kHeronStock.parts.tyreRadius_m / (c.gears[5] * c.final * chassis::kDriveline);
    };
    const Held with = held(slow), without = held(kHeronStock);
    const double gained = with.torque_Nm - without.torque_Nm;
    const double wanted = drag_Nm(with, 1.05, 3) - drag_Nm(without, 1, 0);
    qInfo("headwind and drag area: %.1f Nm more at the crank, by the book %.1f", gained, wanted);
    QVERIFY(std::abs(gained / wanted - 1) < 0.1);
}

void DrawnTest::aHundredDrawnCarsAreBelievable() {
    Range start_s, idleOff_rpm, missing_pct, full_pct, turbo_kPa, natural_kPa, slower, looped;
    for (int seed = 1; seed <= kCars; ++seed) {
        const Build build = oneOf(stockOf(seed), static_cast<uint64_t>(seed));
        const double ambient_kPa = build.drawn.weather->pressure_kPa;
        for (const double rpm : {1500.0, 2500.0, 3900.0, 5000.0, 6000.0})
            full_pct.add(volumetricEfficiency(build, rpm, ambient_kPa - 1.3, ambient_kPa) * 100);
        BenchCar car(build, static_cast<uint64_t>(seed));
        start_s.add(secondsToStart(car));
        run(car, 40);
        double mean = 0;
        watch(car, 5, [&] { mean += car.plant().state().speed_rpm / 100; });
        idleOff_rpm.add(mean - seen(car, "idle_target"));
        missing_pct.add(heatOf(car).missing() * 100);
        looped.add(meanLambda(car, 10));  // the loop is closed by now
        const double idleDelay_s = car.plant().state().delay_s;
        // Full load follows the air: the textbook's is told for the book's day.
        Build onTheDay = build;
        onTheDay.drawn.weather.reset();
        BenchCar same(onTheDay, static_cast<uint64_t>(seed));
        (build.engine.turbo ? turbo_kPa : natural_kPa).add(fullLoadOf(same).pressure_kPa);
        slower.add(idleDelay_s / same.plant().state().delay_s);
    }
    qInfo(
        "%d cars: start %.2f to %.2f s, idle off %.0f to %.0f rpm, heat missing %.2f to %.2f %%, filling %.0f to "
        "%.0f %%, full load %.0f to %.0f and %.0f to %.0f kPa, the wideband %.1f to %.1f times as late at idle, lambda "
        "in "
        "the loop %.3f to %.3f",
        kCars, start_s.least, start_s.most, idleOff_rpm.least, idleOff_rpm.most, missing_pct.least, missing_pct.most,
        full_pct.least, full_pct.most, turbo_kPa.least, turbo_kPa.most, natural_kPa.least, natural_kPa.most,
        slower.least, slower.most, looped.least, looped.most);
    QVERIFY(start_s.most < 2);
    QVERIFY(idleOff_rpm.within(-30, 30));
    QVERIFY(missing_pct.within(-3, 3));
    QVERIFY(full_pct.within(70, 99));
    QVERIFY(turbo_kPa.within(1250, 1700));
    QVERIFY(slower.least > 4);
    QVERIFY(looped.within(0.98, 1.02));
    QVERIFY(natural_kPa.within(850, 1050));
}

QTEST_GUILESS_MAIN(DrawnTest)
#include "DrawnTest.moc"
