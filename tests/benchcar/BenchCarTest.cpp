// Does the bench car behave like one? Physics against textbook ranges, the controller against its own bytes.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Bench.h"
#include "benchcar/VirtualBus.h"

using namespace brusk;
using namespace brusk::benchcar;
using namespace brusk::benchcar::bench;

class BenchCarTest : public QObject {
    Q_OBJECT
  private slots:
    void theStockCarStartsAndIdlesAtItsTarget();
    void theStockCarIsFuelledRightEverywhereItDrives();
    void volumetricEfficiencyLiesInTheTextbookRange();
    void fullLoadTorqueLiesInTheTextbookRange();
    void anInjectorChangeShowsAsItsRatioInLambda();
    void trimsSettleAtMinusTheError();
    void theWidebandAnswersLaterAtIdleThanUnderLoad();
    void knockLimitMovesTheRightWayWithEverything();
    void tooMuchSparkKnocksAndTheControllerTakesItBack();
    void poorFuelTeachesTheOctaneFactor();
    void dutyMakesBoostAndTheSpringAloneHoldsItsOwn();
    void idleHuntsWithBaseAirFarOff();
    void moreBaseAirIsTakenBackByTheIntegral();
    void tooTightAPlausibilityLimitBringsLimpMode();
    void theHeatOfTheFuelIsAccountedFor();
    void richMixtureAndLateSparkMoveTheExhaustTemperature();
    void wallFilmMakesTipInsLeanWithoutCompensation();
    void aColdEngineNeedsMoreFuelAndGetsIt();
    void overrunCutsTheFuelAndComesBack();
    void theRevLimitCutsAndReturns();
    void theFanKeepsTheCoolantBetweenItsLimits();
    void aRichEngineSetsTheCodeAndItsSwitchSilencesIt();
    void sameSeedSameBytes();
    void anotherSeedOtherNoise();
    void wrongBytesAreRunAsTheyStand();
    void aBrokenChecksumKeepsTheControllerInBootMode();
    void routesVisitTheMap();
    void chosenCellsAreVisitedAsFarAsTheCarCan();
};

void BenchCarTest::theStockCarStartsAndIdlesAtItsTarget() {
    BenchCar car(kHeronStock, 1);
    car.startRoute(holding(0, 0, 0));
    double started = 0;
    for (double t = 0; t < 10 && started == 0; t += 0.05) {
        run(car, 0.05);
        if (car.plant().state().speed_rpm > 600) started = t;
    }
    QVERIFY(started > 0 && started < 2);
    run(car, 40);
    double least = 1e9, most = 0;
    watch(car, 10, [&] {
        least = std::min(least, car.plant().state().speed_rpm);
        most = std::max(most, car.plant().state().speed_rpm);
    });
    const double target = seen(car, "idle_target");
    qInfo("starts in %.1f s, idles at %.0f to %.0f rpm, target %.0f, manifold %.1f kPa", started, least, most, target,
          car.plant().state().pressure_kPa);
    QVERIFY(least > target - 30 && most < target + 30);
    QVERIFY(car.plant().state().pressure_kPa > 22 && car.plant().state().pressure_kPa < 42);  // an idling petrol engine
}

void BenchCarTest::theStockCarIsFuelledRightEverywhereItDrives() {
    for (const auto& [speed, gear, grade] :
         {std::tuple{37.0, 3, 0.02}, {45.0, 3, 0.09}, {70.0, 4, 0.01}, {100.0, 5, 0.0}, {75.0, 3, 0.17}}) {
        BenchCar car(kHeronStock, 2);
        set(car, "loop_on", 0);  // open loop: the air model stands alone
        car.startRoute(holding(speed, gear, grade));
        run(car, 70);
        const double asked = seen(car, "lambda_asked");
        const double lambda = meanLambda(car, 5);
        qInfo("%.0f km/h in %d, slope %.0f %%: asked %.3f, lambda %.3f", speed, gear, grade * 100, asked, lambda);
        QVERIFY(std::abs(lambda / asked - 1) < 0.025);
    }
}

void BenchCarTest::volumetricEfficiencyLiesInTheTextbookRange() {
    // Heywood, section 6.2: 75 to 95 % at full load over the middle of the speed range, less when throttled.
    const auto filling = [](const Build& b, double rpm, double kPa) { return volumetricEfficiency(b, rpm, kPa); };
    for (const Build* build : {&kHeronStock, &kCraneStock})
        for (const double rpm : {1500.0, 2500.0, 3900.0, 5000.0, 6000.0}) {
            const double full = filling(*build, rpm, 100);
            qInfo("%s at %.0f rpm: %.0f %% at 100 kPa, %.0f %% at 30", std::string(build->name).c_str(), rpm,
                  full * 100, filling(*build, rpm, 30) * 100);
            QVERIFY(full > 0.72 && full < 0.97);
            QVERIFY(filling(*build, rpm, 30) < full);
        }
    QVERIFY(filling(kHeronStock, 3900, 100) > filling(kHeronStock, 1500, 100));
    // Wilder cams cost filling when slow and empty, and gain when fast.
    QVERIFY(filling(kHeronFitted, 900, 35) < filling(kHeronStock, 900, 35));
    QVERIFY(filling(kHeronFitted, 4800, 100) > filling(kHeronStock, 4800, 100));
    // Thin air lets the exhaust out.
    QVERIFY(volumetricEfficiency(kHeronStock, 3000, 50, 75) > volumetricEfficiency(kHeronStock, 3000, 50, 101));
}

void BenchCarTest::fullLoadTorqueLiesInTheTextbookRange() {
    // Greatest brake mean effective pressure (Heywood, section 2.7): 850 to 1050 kPa without turbocharger, 1250 to 1700
    // with one.
    for (const auto& [build, least, most] : {std::tuple{&kHeronStock, 1250.0, 1700.0}, {&kCraneStock, 850.0, 1050.0}}) {
        BenchCar car(*build, 1);
        const FullLoad best = fullLoadOf(car);
        qInfo("%s: %.0f Nm at best, at %.0f rpm, %.0f kPa", std::string(build->name).c_str(), best.torque_Nm,
              best.at_rpm, best.pressure_kPa);
        QVERIFY(best.pressure_kPa > least && best.pressure_kPa < most);
        QVERIFY(best.at_rpm > 2000 && best.at_rpm < 5000);
    }
}

void BenchCarTest::anInjectorChangeShowsAsItsRatioInLambda() {
    const auto lambdaWith = [](double flow) {
        Build build = kHeronStock;
        build.parts.injectors.flow_cm3min = flow;
        BenchCar car(build, 1);
        set(car, "loop_on", 0);
        car.startRoute(holding(45, 3, 0.04));
        run(car, 60);
        return meanLambda(car, 8);
    };
    const double base = lambdaWith(380);
    for (const double k : {0.9, 1.1, 1.2}) {
        const double ratio = base / lambdaWith(380 * k);
        qInfo("injectors x %.2f: fuel x %.3f", k, ratio);
        QVERIFY(std::abs(ratio / k - 1) < 0.02);
    }
}

void BenchCarTest::trimsSettleAtMinusTheError() {
    Build build = kHeronStock;
    build.parts.injectors.flow_cm3min *= 1.10;
    BenchCar car(build, 1);
    car.startRoute(holding(45, 3, 0.03));
    run(car, 120);
    double sum = 0;
    int n = 0;
    watch(car, 10, [&] { sum += (1 + seen(car, "short_trim") / 100) * (1 + seen(car, "long_trim") / 100), ++n; });
    qInfo("10 %% more fuel: trims %.3f", sum / n);
    QVERIFY(std::abs(sum / n * 1.10 - 1) < 0.015);
}

void BenchCarTest::theWidebandAnswersLaterAtIdleThanUnderLoad() {
    BenchCar idle(kHeronStock, 1), fast(kHeronStock, 1);
    idle.startRoute(holding(0, 0, 0));
    run(idle, 40);
    fast.startRoute(holding(120, 5, 0.02));
    run(fast, 90);
    qInfo("delay at idle %.0f ms, at 120 km/h %.0f ms", idle.plant().state().delay_s * 1000,
          fast.plant().state().delay_s * 1000);
    QVERIFY(idle.plant().state().delay_s > 3 * fast.plant().state().delay_s);
}

void BenchCarTest::knockLimitMovesTheRightWayWithEverything() {
    const auto limit = [](double mg, double chargeK, double lambda, double octane, double rpm = 2500) {
        Build build = kHeronStock;
        build.fuel.octane_RON = octane;
        return knockSpark_deg(build, rpm, mg, chargeK, lambda);
    };
    const double base = limit(600, 320, 1.0, 98);
    qInfo(
        "limit %.1f deg; 100 mg more air %+.1f, 20 K hotter %+.1f, lambda 0.85 %+.1f, 95 octane %+.1f, 2000 rpm more "
        "%+.1f",
        base, limit(700, 320, 1, 98) - base, limit(600, 340, 1, 98) - base, limit(600, 320, 0.85, 98) - base,
        limit(600, 320, 1, 95) - base, limit(600, 320, 1, 98, 4500) - base);
    QVERIFY(limit(700, 320, 1, 98) < base - 2);
    QVERIFY(limit(600, 340, 1, 98) < base - 2);
    QVERIFY(limit(600, 320, 0.85, 98) > base + 2);
    QVERIFY(limit(600, 320, 1, 95) < base - 2);
    QVERIFY(limit(600, 320, 1, 98, 4500) > base + 2);
}

void BenchCarTest::tooMuchSparkKnocksAndTheControllerTakesItBack() {
    const auto knocks = [](double advance, bool control) {
        BenchCar car(kHeronStock, 1);
        rework(car, "spark_map", [&](double v) { return v + advance; });
        set(car, "knock_on", control);
        car.startRoute(pull());
        run(car, 44);
        return std::pair(car.plant().state().knockMoments, seen(car, "knock_retard"));
    };
    const auto stock = knocks(0, true), wild = knocks(9, true), deaf = knocks(9, false);
    qInfo("knock moments in a pull: stock %ld, 9 deg more %ld with control (retard %.1f deg), %ld without", stock.first,
          wild.first, wild.second, deaf.first);
    QCOMPARE(stock.first, 0L);
    QVERIFY(wild.first > 0 && wild.second > 1);
    QVERIFY(deaf.first > 5 * wild.first);
}

void BenchCarTest::poorFuelTeachesTheOctaneFactor() {
    BenchCar car(kHeronStock, 1);
    car.plant().setFuel({93, 0});
    car.startRoute(pull());
    run(car, 1);
    const double before = seen(car, "octane_factor");
    run(car, 115);
    const double after = seen(car, "octane_factor");
    qInfo("octane factor from %.0f %% to %.0f %% on 93 RON", before, after);
    QVERIFY(after < before - 10);
}

void BenchCarTest::dutyMakesBoostAndTheSpringAloneHoldsItsOwn() {
    const auto boostWith = [](const char* change, double value) {
        BenchCar car(kHeronStock, 1);
        if (*change) set(car, change, value);
        car.startRoute(pull());
        run(car, 38);
        double most = 0;
        bool cut = false;
        watch(car, 6, [&] {
            most = std::max(most, car.plant().state().pressure_kPa);
            cut = cut || seen(car, "boost_cut_now") > 0;
        });
        return std::pair(most - 101.3, cut);
    };
    const auto spring = boostWith("boost_on", 0), stock = boostWith("", 0), far = boostWith("boost_target", 230);
    qInfo("boost: spring alone %.0f kPa (spring %.0f), stock %.0f, target 230 kPa %.0f%s", spring.first,
          kHeronStock.parts.turbo.spring_kPa, stock.first, far.first, far.second ? " and cut" : "");
    QVERIFY(!spring.second && !stock.second);
    QVERIFY(spring.first > 40 && spring.first < 62);  // the spring's pressure and what the gate needs to open
    QVERIFY(std::abs(stock.first - 56.7) < 6);
    QVERIFY(far.second && far.first > 70);
}

void BenchCarTest::idleHuntsWithBaseAirFarOff() {
    const auto spread = [](double more) {
        BenchCar car(kHeronStock, 1);
        rework(car, "idle_air", [&](double v) { return v + more; });
        car.startRoute(holding(0, 0, 0));
        run(car, 15);
        double least = 1e9, most = 0;
        watch(car, 30, [&] {
            least = std::min(least, car.plant().state().speed_rpm);
            most = std::max(most, car.plant().state().speed_rpm);
        });
        return most - least;
    };
    const double right = spread(0), far = spread(9);
    qInfo("idle spread: right %.0f rpm, base air 9 %% too much %.0f rpm", right, far);
    QVERIFY(right < 60);
    QVERIFY(far > 250);  // up to the overrun cut, down until fuel comes back, and again
}

void BenchCarTest::moreBaseAirIsTakenBackByTheIntegral() {
    BenchCar car(kHeronStock, 1);
    set(car, "idle_learn_rate", 0);
    car.startRoute(holding(0, 0, 0));
    run(car, 40);
    const double before = seen(car, "idle_integral");
    rework(car, "idle_air", [](double v) { return v + 0.6; });
    double most = 0;
    watch(car, 2, [&] { most = std::max(most, car.plant().state().speed_rpm); });
    run(car, 60);
    QVERIFY(most > 900);  // it flared
    QVERIFY(std::abs(car.plant().state().speed_rpm - seen(car, "idle_target")) < 40);
    QVERIFY(seen(car, "idle_integral") < before - 0.4);  // and the integral took back what was added
}

void BenchCarTest::tooTightAPlausibilityLimitBringsLimpMode() {
    const auto limps = [](double limit) {
        BenchCar car(kHeronStock, 1);
        set(car, "plaus_pressure", limit);
        car.startRoute(*routeNamed("town"));
        run(car, 60);
        return seen(car, "limp_mode") > 0;
    };
    QVERIFY(!limps(36));
    QVERIFY(limps(0.5));
    BenchCar car(kHeronStock, 1);
    set(car, "plaus_pressure", 0.5);
    car.startRoute(*routeNamed("town"));
    run(car, 60);
    QVERIFY(codeStatus(car, 0x006800) & status::kConfirmed);
    double open = 0;
    watch(car, 30, [&] { open = std::max(open, car.plant().state().throttle); });
    QVERIFY(open < 0.25);
}

void BenchCarTest::theHeatOfTheFuelIsAccountedFor() {
    for (const auto& [speed, gear, grade] : {std::tuple{0.0, 0, 0.0}, {60.0, 3, 0.02}, {100.0, 4, 0.06}}) {
        BenchCar car(kHeronStock, 1);
        car.startRoute(holding(speed, gear, grade));
        run(car, 90);
        const HeatBalance heat = heatOf(car);
        qInfo("%.0f km/h: work %.1f %%, coolant %.1f %%, exhaust %.1f %%, unburnt %.1f %%, not accounted for %.2f %%",
              speed, heat.work / heat.fuel * 100, heat.coolant / heat.fuel * 100, heat.exhaust / heat.fuel * 100,
              heat.unburnt / heat.fuel * 100, heat.missing() * 100);
        QVERIFY(std::abs(heat.missing()) < 0.03);
    }
}

void BenchCarTest::richMixtureAndLateSparkMoveTheExhaustTemperature() {
    const auto hot = [](double lambda, double spark) {
        return exhaustTemperature_C(kHeronStock, 4000, 500, lambda, spark, 320);
    };
    qInfo("exhaust at 4000 rpm: %.0f degC; lambda 0.82 %+.0f; spark 10 deg later %+.0f", hot(1, 18),
          hot(0.82, 18) - hot(1, 18), hot(1, 8) - hot(1, 18));
    QVERIFY(hot(1, 18) > 700 && hot(1, 18) < 1000);
    QVERIFY(hot(0.82, 18) < hot(1, 18) - 40);
    QVERIFY(hot(1, 8) > hot(1, 18) + 20);
}

void BenchCarTest::wallFilmMakesTipInsLeanWithoutCompensation() {
    const auto leanest = [](bool compensated) {
        BenchCar car(kHeronStock, 1);
        set(car, "film_on", compensated);
        car.startRoute({"tip",
                        "tip",
                        {{.seconds = 12},
                         {.seconds = 4, .speed_kmh = 16, .gear = 1},
                         {.seconds = 5, .speed_kmh = 30, .gear = 2},
                         {.seconds = 12, .speed_kmh = 45, .gear = 3},
                         {.seconds = 3, .gear = 3, .pedal = 0.45}}});
        run(car, 25);
        car.plant().setCoolant(35);  // a cool port holds more film
        run(car, 8);
        double lambda = 0;
        for (int i = 0; i < 60; ++i) {
            run(car, 0.01);
            lambda = std::max(lambda, car.plant().state().lambda);
        }
        return lambda;
    };
    const double with = leanest(true), without = leanest(false);
    qInfo("leanest moment of a tip-in: %.2f with compensation, %.2f without", with, without);
    QVERIFY(without > with + 0.03);
}

void BenchCarTest::aColdEngineNeedsMoreFuelAndGetsIt() {
    const auto afterTenSeconds = [](bool enriched) {
        BenchCar car(kHeronStock, 1);
        car.plant().setWeather({-5, 101.3});
        if (!enriched) set(car, "warm_up", 0), set(car, "after_start", 0);
        car.startRoute(*routeNamed("cold-start"));
        run(car, 12);
        return meanLambda(car, 3);
    };
    const double with = afterTenSeconds(true), without = afterTenSeconds(false);
    qInfo("ten seconds after a start at -5 degC: lambda %.2f enriched, %.2f not", with, without);
    QVERIFY(with > 0.88 && with < 1.12);
    QVERIFY(without > with + 0.2);
}

void BenchCarTest::overrunCutsTheFuelAndComesBack() {
    BenchCar car(kHeronStock, 1);
    car.startRoute(*routeNamed("coast-downs"));
    run(car, 42);
    bool cut = false, resumed = false;
    watch(car, 20, [&] {
        const bool now = seen(car, "fuel_cut") == 1;
        if (now) QCOMPARE(seen(car, "pulse"), 0.0);
        resumed = resumed || (cut && !now);
        cut = cut || now;
    });
    QVERIFY(cut && resumed);
}

void BenchCarTest::theRevLimitCutsAndReturns() {
    BenchCar car(kHeronStock, 1);
    car.startRoute({"revs", "revs", {{.seconds = 12}, {.seconds = 20, .pedal = 0.6}}});
    run(car, 13);
    double most = 0;
    bool cut = false;
    watch(car, 15, [&] {
        most = std::max(most, car.plant().state().speed_rpm);
        cut = cut || seen(car, "fuel_cut") == 2;
    });
    qInfo("free revs to %.0f rpm, limit 6700", most);
    QVERIFY(cut && most > 6600 && most < 7200);
}

void BenchCarTest::theFanKeepsTheCoolantBetweenItsLimits() {
    BenchCar car(kHeronStock, 1);
    car.plant().setCoolant(99);
    car.startRoute(holding(0, 0, 0));
    run(car, 4);
    QVERIFY(seen(car, "fan") > 0);  // above "fan on"
    int off_after_s = 0;
    while (seen(car, "fan") > 0 && off_after_s < 1200)
        run(car, 1), ++off_after_s;
    const double atOff = car.plant().state().coolant_C;
    qInfo("the fan stops after %d s at %.1f degC", off_after_s, atOff);
    QVERIFY(atOff > 89 && atOff < 92.5);  // "fan off" is 91 degC, read in whole degrees
    run(car, 600);
    QVERIFY(car.plant().state().coolant_C > 80 && car.plant().state().coolant_C < 100);
}

void BenchCarTest::aRichEngineSetsTheCodeAndItsSwitchSilencesIt() {
    const auto codeAfter = [](bool watched) {
        Build build = kHeronStock;
        build.parts.injectors.flow_cm3min *= 1.38;
        BenchCar car(build, 1);
        set(car, "diag_rich", watched);
        car.startRoute(holding(45, 3, 0.03));
        run(car, 120);
        return codeStatus(car, 0x017200);
    };
    QVERIFY(codeAfter(true) & status::kConfirmed);
    QCOMPARE(codeAfter(false), uint8_t{0});
}

void BenchCarTest::sameSeedSameBytes() {
    const auto trace = [](uint64_t seed) {
        BenchCar car(kHeronFitted, seed);
        car.faults().busLost = 0.001;
        VirtualBus bus(car);
        car.startRoute(*routeNamed("town"));
        Bytes out;
        while (bus.now_us() < 60000000) {
            const auto frame = bus.receive(60000000);
            if (!frame || !*frame) break;
            out.insert(out.end(), (*frame)->data.begin(), (*frame)->data.end());
            for (int shift = 0; shift < 32; shift += 8)
                out.push_back(static_cast<uint8_t>((*frame)->time_us >> shift));
        }
        const auto ram = car.memory().ram();
        out.insert(out.end(), ram.begin(), ram.begin() + 0x200);
        return out;
    };
    const Bytes first = trace(1);
    QVERIFY(first.size() > 50000);
    QVERIFY(first == trace(1));
    QVERIFY(first != trace(2));
}

void BenchCarTest::anotherSeedOtherNoise() {
    Noise a(1), b(2);
    double sum = 0, squares = 0;
    int equal = 0;
    for (int i = 0; i < 20000; ++i) {
        const double x = a.normal();
        equal += x == b.normal();
        sum += x;
        squares += x * x;
    }
    QVERIFY(equal < 5);
    QVERIFY(std::abs(sum / 20000) < 0.03 && std::abs(squares / 20000 - 1) < 0.05);
}

void BenchCarTest::wrongBytesAreRunAsTheyStand() {
    // Half the injector flow in the flash makes pulses twice as long: nothing checks the sense of what was flashed.
    BenchCar car(kHeronStock, 1);
    set(car, "loop_on", 0);
    car.startRoute(holding(45, 3, 0.03));
    run(car, 50);
    const double before = seen(car, "pulse") - seen(car, "dead_time_used");
    scale(car, "injector_flow", 0.5);
    run(car, 0.05);
    const double after = seen(car, "pulse") - seen(car, "dead_time_used");
    QVERIFY2(std::abs(after / before - 2) < 0.2, qPrintable(QString::number(after / before)));
}

void BenchCarTest::aBrokenChecksumKeepsTheControllerInBootMode() {
    BenchCar car(kHeronStock, 1);
    QVERIFY(!car.bootMode());
    scale(car, "injector_flow", 0.5);
    car.powerCycle();
    QVERIFY(car.bootMode());
    car.startRoute(holding(0, 0, 0));
    run(car, 5);
    QVERIFY(car.plant().state().speed_rpm < 400);  // the starter turns it, nothing burns
}

void BenchCarTest::routesVisitTheMap() {
    for (const Build* build : {&kHeronStock, &kCraneStock})
        for (const Route& route : routes()) {
            if (route.seconds() > 3600) continue;  // ten hours are driven elsewhere
            BenchCar car(*build, 1);
            car.startRoute(route);
            double most = 0, open = 0, stalled = 0;
            watch(car, route.seconds() + 1, [&] {
                most = std::max(most, car.plant().state().vehicle_kmh);
                open = std::max(open, car.plant().state().pedal);
                stalled += car.onRoute() && car.routeSeconds() > 8 && car.plant().state().speed_rpm < 400 ? 0.05 : 0;
            });
            QVERIFY(!car.onRoute());
            double asked = 0, off = 0;
            for (const Leg& leg : route.legs)
                asked = std::max(asked, leg.speed_kmh), off += leg.keyOff ? leg.seconds : 0;
            qInfo("%s, %s: up to %.0f of %.0f km/h, pedal to %.0f %%, stalled for %.1f s",
                  std::string(build->name).c_str(), route.name.c_str(), most, asked, open * 100, stalled);
            QVERIFY(most > asked * 0.9 - 0.1);
            if (open < 0.99) QVERIFY(most < asked * 1.25 + 2);
            QVERIFY(stalled < 0.5 + off);
            for (const StoredCode& code : car.controller().codes())
                QVERIFY2(code.status == 0,
                         qPrintable(QString::fromStdString(route.name) + ": " + QString::number(code.code, 16)));
        }
    QVERIFY(!routeNamed("moon"));
}

void BenchCarTest::chosenCellsAreVisitedAsFarAsTheCarCan() {
    BenchCar car(kHeronStock, 1);
    const std::vector<Cell> cells = {{1800, 45},  {1800, 70}, {2600, 40},  {2600, 85},
                                     {2600, 125}, {3500, 60}, {3500, 110}, {1500, 190}};
    const Route route = visitRoute(kHeronStock, cells, 7);
    car.startRoute(route);
    std::vector<double> nearest(cells.size(), 1e9);
    watch(car, route.seconds() + 1, [&] {
        const TrueState& s = car.plant().state();
        for (size_t i = 0; i < cells.size(); ++i)
            nearest[i] = std::min(nearest[i], std::abs(s.speed_rpm - cells[i].speed_rpm) / 40 +
                                                  std::abs(s.pressure_kPa - cells[i].pressure_kPa) / 2);
    });
    for (size_t i = 0; i < cells.size(); ++i) {
        const bool reachable = cells[i].pressure_kPa < 180;  // no boost at 1500 rpm
        qInfo("%.0f rpm, %.0f kPa: %s", cells[i].speed_rpm, cells[i].pressure_kPa,
              nearest[i] < 1.5 ? "reached" : "not reached");
        QCOMPARE(nearest[i] < 1.5, reachable);
    }
    QVERIFY(!car.onRoute());
}

QTEST_APPLESS_MAIN(BenchCarTest)
#include "BenchCarTest.moc"
