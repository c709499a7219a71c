// Does the bench car behave like one? Physics against textbook ranges, the controller against its own bytes, and the
// definition against the controller's memory map.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Expect.h"
#include "benchcar/VirtualBus.h"
#include "core/calibration/Calibration.h"
#include "core/definition/A2lReader.h"

using namespace brusk;
using namespace brusk::benchcar;

namespace {

int word(const BenchCar& car, uint32_t address) {
    const auto b = car.memory().at(address, 2);
    return b[0] << 8 | b[1];
}
int signedWord(const BenchCar& car, uint32_t address) {
    return static_cast<int16_t>(word(car, address));
}

void run(BenchCar& car, double seconds) {
    car.advanceTo(car.now_us() + static_cast<int64_t>(seconds * 1e6));
    while (car.nextFrame()) {
    }
}

/// A route that holds one thing.
const Route& holding(double speed_kmh, int gear, double grade) {
    static std::deque<Route> kept;
    kept.push_back({"test", "test", {{12, 0, 0}, {4, 16, 1}, {5, 28, 2}, {2000, speed_kmh, gear, grade, grade, -1}}});
    if (gear == 0) kept.back().legs = {{2000, 0, 0}};
    return kept.back();
}

/// Lambda as it truly is, averaged over a while.
double meanLambda(BenchCar& car, double seconds) {
    double sum = 0;
    int n = 0;
    for (double t = 0; t < seconds; t += 0.05, ++n) {
        run(car, 0.05);
        sum += 1 / car.plant().state().lambda;
    }
    return n / sum;
}

void poke(BenchCar& car, uint32_t address, std::initializer_list<int> bytes) {
    size_t at = address - map::kFlash;
    for (const int b : bytes)
        car.memory().flash()[at++] = static_cast<uint8_t>(b);
}

}  // namespace

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
    void overrunCutsTheFuelAndComesBack();
    void theRevLimitCutsAndReturns();
    void moreBaseAirRaisesTheIdleUntilTheIntegralTakesItBack();
    void theFanKeepsTheCoolantBetweenItsLimits();
    void aRichEngineSetsTheCodeAndItsSwitchSilencesIt();
    void theFittedPartsRunRichOnTheStockCalibration();
    void sameSeedSameBytes();
    void anotherSeedOtherNoise();
    void wrongBytesAreRunAsTheyStand();
    void aBrokenChecksumKeepsTheControllerInBootMode();
    void theDefinitionAgreesWithTheMemoryMap();
    void theDefinitionReadsWhatTheFactoryWrote();
    void routesVisitTheMap();
};

void BenchCarTest::theStockCarStartsAndIdlesAtItsTarget() {
    BenchCar car(kStockParts, 1);
    car.startRoute(holding(0, 0, 0));
    run(car, 40);
    double least = 1e9, most = 0;
    for (int i = 0; i < 200; ++i) {
        run(car, 0.05);
        least = std::min(least, car.plant().state().speed_rpm);
        most = std::max(most, car.plant().state().speed_rpm);
    }
    const int target = word(car, map::ram::kIdleTarget);
    qInfo("idle %.0f to %.0f rpm, target %d, manifold %.1f kPa", least, most, target, car.plant().state().pressure_kPa);
    QVERIFY(least > target - 30 && most < target + 30);
    QVERIFY(car.plant().state().pressure_kPa > 22 && car.plant().state().pressure_kPa < 42);  // an idling petrol engine
}

void BenchCarTest::theStockCarIsFuelledRightEverywhereItDrives() {
    for (const auto& [speed, gear, grade] :
         {std::tuple{37.0, 3, 0.02}, {45.0, 3, 0.09}, {70.0, 4, 0.01}, {100.0, 5, 0.0}}) {
        BenchCar car(kStockParts, 2);
        poke(car, map::cal::kLoopOn, {0});  // open loop: the air model stands alone
        car.startRoute(holding(speed, gear, grade));
        run(car, 70);
        const double asked = word(car, map::ram::kLambdaAsked) / 10000.0;
        const double lambda = meanLambda(car, 5);
        qInfo("%.0f km/h in %d: asked %.3f, lambda %.3f", speed, gear, asked, lambda);
        QVERIFY(std::abs(lambda / asked - 1) < 0.025);
    }
}

void BenchCarTest::volumetricEfficiencyLiesInTheTextbookRange() {
    // Heywood, section 6.2: 75 to 95 % at full load over the middle of the speed range, less when throttled.
    for (const double rpm : {1500.0, 2500.0, 3900.0, 5000.0, 6000.0}) {
        const double full = truth::volumetricEfficiency(rpm, 100, false);
        QVERIFY2(full > 0.72 && full < 0.97, qPrintable(QString("%1 at %2 rpm").arg(full).arg(rpm)));
        QVERIFY(truth::volumetricEfficiency(rpm, 30, false) < full);
    }
    QVERIFY(truth::volumetricEfficiency(3900, 100, false) > truth::volumetricEfficiency(1500, 100, false));
    // Wilder cams cost filling when slow and empty, and gain when fast.
    QVERIFY(truth::volumetricEfficiency(900, 35, true) < truth::volumetricEfficiency(900, 35, false));
    QVERIFY(truth::volumetricEfficiency(4800, 100, true) > truth::volumetricEfficiency(4800, 100, false));
}

void BenchCarTest::fullLoadTorqueLiesInTheTextbookRange() {
    // A turbocharged 1.6 of its decade makes 180 to 260 Nm: 14 to 21 bar of brake mean effective pressure.
    Route pull{"pull", "pull", {{12, 0, 0}, {4, 16, 1}, {5, 28, 2}, {8, 40, 3}, {9, 150, 3, 0, 0, 1.0}}};
    BenchCar car(kStockParts, 1);
    car.startRoute(pull);
    run(car, 29.5);
    double best = 0;
    for (int i = 0; i < 160; ++i) {
        run(car, 0.05);
        best = std::max(best, car.plant().state().torque_Nm);
    }
    qInfo("full load in 3rd: %.0f Nm at best, up to %.0f rpm", best, car.plant().state().speed_rpm);
    QVERIFY(best > 170 && best < 270);
}

void BenchCarTest::anInjectorChangeShowsAsItsRatioInLambda() {
    const auto lambdaWith = [](double flow) {
        Parts parts = kStockParts;
        parts.injectors.flow_cm3min = flow;
        BenchCar car(parts, 1);
        poke(car, map::cal::kLoopOn, {0});
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
    Parts parts = kStockParts;
    parts.injectors.flow_cm3min *= 1.10;
    BenchCar car(parts, 1);
    car.startRoute(holding(45, 3, 0.03));
    run(car, 120);
    double sum = 0;
    for (int i = 0; i < 200; ++i) {
        run(car, 0.05);
        sum += (1 + signedWord(car, map::ram::kShortTrim) / 10000.0) *
               (1 + signedWord(car, map::ram::kLongTrim) / 10000.0);
    }
    const double trims = sum / 200;
    qInfo("10 %% more fuel: trims %.3f", trims);
    QVERIFY(std::abs(trims * 1.10 - 1) < 0.015);
}

void BenchCarTest::theWidebandAnswersLaterAtIdleThanUnderLoad() {
    BenchCar idle(kStockParts, 1), fast(kStockParts, 1);
    idle.startRoute(holding(0, 0, 0));
    run(idle, 40);
    fast.startRoute(holding(120, 5, 0.02));
    run(fast, 90);
    qInfo("delay at idle %.0f ms, at 120 km/h %.0f ms", idle.plant().state().delay_s * 1000,
          fast.plant().state().delay_s * 1000);
    QVERIFY(idle.plant().state().delay_s > 3 * fast.plant().state().delay_s);
}

void BenchCarTest::overrunCutsTheFuelAndComesBack() {
    Route route{"overrun", "overrun", {{12, 0, 0}, {4, 16, 1}, {5, 28, 2}, {10, 60, 3}, {12, 60, 3, -0.1, -0.1, 0.0}}};
    BenchCar car(kStockParts, 1);
    car.startRoute(route);
    run(car, 31);
    bool cut = false, resumed = false;
    for (int i = 0; i < 400; ++i) {
        run(car, 0.05);
        const bool now = car.memory().at(map::ram::kFuelCut, 1)[0] == 1;
        if (now) QCOMPARE(word(car, map::ram::kPulse), 0);
        resumed = resumed || (cut && !now);
        cut = cut || now;
    }
    QVERIFY(cut && resumed);
}

void BenchCarTest::theRevLimitCutsAndReturns() {
    Route route{"revs", "revs", {{12, 0, 0}, {20, 0, 0, 0, 0, 0.6}}};
    BenchCar car(kStockParts, 1);
    car.startRoute(route);
    run(car, 13);
    double most = 0;
    bool cut = false;
    for (int i = 0; i < 300; ++i) {
        run(car, 0.05);
        most = std::max(most, car.plant().state().speed_rpm);
        cut = cut || car.memory().at(map::ram::kFuelCut, 1)[0] == 2;
    }
    qInfo("free revs to %.0f rpm, limit 6700", most);
    QVERIFY(cut && most > 6600 && most < 7100);
}

void BenchCarTest::moreBaseAirRaisesTheIdleUntilTheIntegralTakesItBack() {
    BenchCar car(kStockParts, 1);
    car.startRoute(holding(0, 0, 0));
    run(car, 40);
    const int before = signedWord(car, map::ram::kIdleIntegral);
    const uint32_t values = map::cal::kIdleAir + 2 + 6;
    for (uint32_t i = 0; i < 6; ++i) {
        const int raised = word(car, values + 2 * i) + 60;
        poke(car, values + 2 * i, {raised >> 8, raised & 255});
    }
    double most = 0;
    for (int i = 0; i < 40; ++i) {
        run(car, 0.05);
        most = std::max(most, car.plant().state().speed_rpm);
    }
    run(car, 60);
    QVERIFY(most > 900);  // it flared
    QVERIFY(std::abs(car.plant().state().speed_rpm - word(car, map::ram::kIdleTarget)) < 40);
    QVERIFY(signedWord(car, map::ram::kIdleIntegral) < before - 40);  // and the integral took back what was added
}

void BenchCarTest::theFanKeepsTheCoolantBetweenItsLimits() {
    BenchCar car(kStockParts, 1);
    car.plant().setCoolant(99);
    car.startRoute(holding(0, 0, 0));
    run(car, 2);
    QVERIFY(car.memory().at(map::ram::kFan, 1)[0] == 1);  // above "fan on"
    int off_after_s = 0;
    while (car.memory().at(map::ram::kFan, 1)[0] && off_after_s < 1200)
        run(car, 1), ++off_after_s;
    const double atOff = car.plant().state().coolant_C;
    qInfo("the fan stops after %d s at %.1f degC", off_after_s, atOff);
    QVERIFY(atOff > 89.5 && atOff < 92);  // "fan off" is 91 degC, read in whole degrees
    run(car, 600);
    QVERIFY(car.plant().state().coolant_C > 80 && car.plant().state().coolant_C < 98);
}

void BenchCarTest::aRichEngineSetsTheCodeAndItsSwitchSilencesIt() {
    const auto codeAfter = [](bool watched) {
        Parts parts = kStockParts;
        parts.injectors.flow_cm3min *= 1.5;
        BenchCar car(parts, 1);
        if (!watched) poke(car, map::cal::kDiagSwitches, {0x07});
        car.startRoute(holding(45, 3, 0.03));
        run(car, 120);
        return car.controller().codes()[3].status;
    };
    QVERIFY(codeAfter(true) & 0x08);
    QCOMPARE(codeAfter(false), uint8_t{0});
}

void BenchCarTest::theFittedPartsRunRichOnTheStockCalibration() {
    BenchCar car(kFittedParts, 1);
    poke(car, map::cal::kLoopOn, {0});
    car.startRoute(holding(45, 3, 0.04));
    run(car, 60);
    const double lambda = meanLambda(car, 8);
    qInfo("fitted parts, stock calibration, open loop: lambda %.2f", lambda);
    QVERIFY(lambda < 0.86);
}

void BenchCarTest::sameSeedSameBytes() {
    const auto trace = [](uint64_t seed) {
        BenchCar car(kFittedParts, seed);
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
    BenchCar car(kStockParts, 1);
    poke(car, map::cal::kLoopOn, {0});
    car.startRoute(holding(45, 3, 0.03));
    run(car, 50);
    const double before = word(car, map::ram::kPulse) - word(car, map::ram::kDeadTime);
    const int half = word(car, map::cal::kInjectorFlow) / 2;
    poke(car, map::cal::kInjectorFlow, {half >> 8, half & 255});
    run(car, 0.2);
    const double after = word(car, map::ram::kPulse) - word(car, map::ram::kDeadTime);
    QVERIFY(std::abs(after / before - 2) < 0.2);
}

void BenchCarTest::aBrokenChecksumKeepsTheControllerInBootMode() {
    BenchCar car(kStockParts, 1);
    QVERIFY(!car.bootMode());
    poke(car, map::cal::kInjectorFlow, {0, 1});
    car.powerCycle();
    QVERIFY(car.bootMode());
    car.startRoute(holding(0, 0, 0));
    run(car, 5);
    QVERIFY(car.plant().state().speed_rpm < 400);  // the starter turns it, nothing burns
}

void BenchCarTest::theDefinitionAgreesWithTheMemoryMap() {
    const auto contents = definition::readA2l(readText(BRUSK_DATA_DIR "/heron/aldine-e2.a2l"));
    EXPECT_OK(contents);
    const auto& d = contents->definition;
    using definition::DataType;
    struct Expected {
        const char* name;
        uint32_t address;
        DataType type;
        double perCount;
    };
    namespace cal = map::cal;
    const Expected parameters[] = {{"displacement", cal::kDisplacement, DataType::UWord, 1},
                                   {"map_sensor_slope", cal::kMapSlope, DataType::UWord, 0.01},
                                   {"map_sensor_offset", cal::kMapOffset, DataType::SWord, 0.01},
                                   {"map_filter", cal::kMapFilter, DataType::UByte, 100.0 / 256},
                                   {"charge_blend", cal::kChargeBlend, DataType::UByte, 100.0 / 256},
                                   {"axis_speed", cal::kAxisSpeed, DataType::UWord, 1},
                                   {"axis_pressure", cal::kAxisPressure, DataType::UWord, 0.01},
                                   {"ve_map", cal::kVe, DataType::UWord, 0.01},
                                   {"stoich", cal::kStoich, DataType::UWord, 0.001},
                                   {"injector_flow", cal::kInjectorFlow, DataType::UWord, 0.1},
                                   {"fuel_density", cal::kFuelDensity, DataType::UWord, 0.0001},
                                   {"min_pulse", cal::kMinPulse, DataType::UWord, 1},
                                   {"dead_time", cal::kDeadTime, DataType::UWord, 1},
                                   {"warm_up", cal::kWarmUp, DataType::UByte, 0.5},
                                   {"after_start", cal::kAfterStart, DataType::UByte, 0.5},
                                   {"after_start_decay", cal::kAfterStartDecay, DataType::UWord, 0.1},
                                   {"cut_begins", cal::kCutBegins, DataType::UWord, 1},
                                   {"cut_ends", cal::kCutEnds, DataType::UWord, 1},
                                   {"lambda_map", cal::kLambda, DataType::UByte, 1.0 / 128},
                                   {"loop_on", cal::kLoopOn, DataType::UByte, 1},
                                   {"loop_coolant", cal::kLoopCoolant, DataType::UByte, 1},
                                   {"loop_wait", cal::kLoopWait, DataType::UWord, 0.1},
                                   {"loop_jump", cal::kLoopJump, DataType::UWord, 0.01},
                                   {"loop_ramp", cal::kLoopRamp, DataType::UWord, 0.01},
                                   {"loop_limit", cal::kLoopLimit, DataType::UByte, 1},
                                   {"learn_limit", cal::kLearnLimit, DataType::UByte, 1},
                                   {"learn_rate", cal::kLearnRate, DataType::UWord, 0.1},
                                   {"axis_load", cal::kAxisLoad, DataType::UWord, 0.02},
                                   {"spark_map", cal::kSpark, DataType::SWord, 0.1},
                                   {"spark_idle", cal::kSparkIdle, DataType::SWord, 0.1},
                                   {"wastegate", cal::kWastegate, DataType::UByte, 0.5},
                                   {"boost_cut", cal::kBoostCut, DataType::UWord, 0.01},
                                   {"idle_speed", cal::kIdleSpeed, DataType::UWord, 1},
                                   {"idle_air", cal::kIdleAir, DataType::UWord, 0.01},
                                   {"idle_p", cal::kIdleP, DataType::UWord, 0.01},
                                   {"idle_i", cal::kIdleI, DataType::UWord, 0.01},
                                   {"pedal_map", cal::kPedal, DataType::UWord, 0.01},
                                   {"rev_limit", cal::kRevLimit, DataType::UWord, 1},
                                   {"rev_return", cal::kRevReturn, DataType::UWord, 1},
                                   {"fan_on", cal::kFanOn, DataType::UByte, 1},
                                   {"fan_off", cal::kFanOff, DataType::UByte, 1},
                                   {"wheel_pulses", cal::kWheelPulses, DataType::UWord, 1},
                                   {"diag_map_low", cal::kDiagSwitches, DataType::UByte, 1},
                                   {"diag_map_high", cal::kDiagSwitches, DataType::UByte, 1},
                                   {"diag_lean", cal::kDiagSwitches, DataType::UByte, 1},
                                   {"diag_rich", cal::kDiagSwitches, DataType::UByte, 1},
                                   {"diag_low_volts", cal::kDiagMapLow, DataType::UWord, 0.001},
                                   {"diag_high_volts", cal::kDiagMapHigh, DataType::UWord, 0.001},
                                   {"diag_trim", cal::kDiagTrim, DataType::UByte, 1},
                                   {"calibration_id", cal::kId, DataType::UByte, 1}};
    QCOMPARE(d.parameters.size(), std::size(parameters));
    for (const Expected& e : parameters) {
        const auto* p = d.parameter(e.name);
        QVERIFY2(p && p->address == e.address, e.name);
        const auto& items = d.layouts[p->layout].items;
        QVERIFY2(items.back().type == e.type, e.name);
        const auto& conversion = d.conversionOf(*p);
        QVERIFY2(std::abs(conversion.toPhysical(101) - conversion.toPhysical(100) - e.perCount) < 1e-9, e.name);
    }
    const std::pair<const char*, uint32_t> measurements[] = {{"speed", map::ram::kSpeed},
                                                             {"pressure", map::ram::kPressure},
                                                             {"map_volts", map::ram::kMapVolts},
                                                             {"throttle", map::ram::kThrottle},
                                                             {"pedal", map::ram::kPedal},
                                                             {"intake_temp", map::ram::kIntakeTemp},
                                                             {"coolant", map::ram::kCoolant},
                                                             {"battery", map::ram::kBattery},
                                                             {"air_per_cylinder", map::ram::kAirPerCylinder},
                                                             {"airflow", map::ram::kAirflow},
                                                             {"ve_used", map::ram::kVeUsed},
                                                             {"charge_temp", map::ram::kChargeTemp},
                                                             {"lambda_asked", map::ram::kLambdaAsked},
                                                             {"short_trim", map::ram::kShortTrim},
                                                             {"long_trim", map::ram::kLongTrim},
                                                             {"pulse", map::ram::kPulse},
                                                             {"dead_time_used", map::ram::kDeadTime},
                                                             {"injector_duty", map::ram::kInjectorDuty},
                                                             {"spark", map::ram::kSpark},
                                                             {"idle_target", map::ram::kIdleTarget},
                                                             {"idle_integral", map::ram::kIdleIntegral},
                                                             {"fuel_cut", map::ram::kFuelCut},
                                                             {"loop_state", map::ram::kLoopState},
                                                             {"vehicle_speed", map::ram::kVehicleSpeed},
                                                             {"gear", map::ram::kGear},
                                                             {"wastegate_duty", map::ram::kWastegate},
                                                             {"boost_cut_now", map::ram::kBoostCut},
                                                             {"fan", map::ram::kFan},
                                                             {"engine_state", map::ram::kEngineState},
                                                             {"run_time", map::ram::kRunTime},
                                                             {"narrowband", map::ram::kNarrowband},
                                                             {"throttle_target", map::ram::kThrottleTarget},
                                                             {"warm_up_now", map::ram::kWarmUp}};
    QCOMPARE(d.measurements.size(), std::size(measurements));
    for (const auto& [name, address] : measurements)
        QVERIFY2(d.measurement(name) && d.measurement(name)->address == address, name);
}

void BenchCarTest::theDefinitionReadsWhatTheFactoryWrote() {
    auto contents = definition::readA2l(readText(BRUSK_DATA_DIR "/heron/aldine-e2.a2l"));
    BenchCar car(kStockParts, 1);
    image::Image image;
    EXPECT_OK(image.add(map::kFlash, ByteSpan(car.memory().flash().data(), car.memory().flash().size())));
    const calibration::Calibration calibration(
        std::make_shared<const definition::Definition>(std::move(contents->definition)), std::move(image));
    EXPECT_OK(calibration.matchesDefinition());
    // Every parameter can be read, and every one of its numbers lies within its own limits.
    for (const auto& p : calibration.definition().parameters) {
        const auto table = calibration.read(p);
        EXPECT_OK(table);
        for (const double v : table->values)
            QVERIFY2(v >= table->lower - 1e-6 && v <= table->upper + 1e-6, p.name.c_str());
    }
    QCOMPARE(*calibration.value("injector_flow"), 380.0);
    QVERIFY(std::abs(*calibration.value("stoich") - 14.7) < 1e-9);
    const auto ve = calibration.read("ve_map");
    QCOMPARE(ve->x.values[4], 1500.0);
    QVERIFY(std::abs(ve->at(8, 10) - truth::volumetricEfficiency(4000, 100, false) * 100) < 0.01);
    QCOMPARE(calibration.read("calibration_id")->text, std::string("HERON16T-FACTORY"));
    const auto pedal = calibration.read("pedal_map");
    QCOMPARE(pedal->rows, size_t{6});
    QCOMPARE(pedal->columns, size_t{8});
}

void BenchCarTest::routesVisitTheMap() {
    for (const Route& route : routes()) {
        BenchCar car(kStockParts, 1);
        car.startRoute(route);
        double most = 0;
        for (double t = 0; t < route.seconds() + 1; t += 0.5) {
            run(car, 0.5);
            most = std::max(most, car.plant().state().vehicle_kmh);
        }
        QVERIFY(!car.onRoute());
        double asked = 0;
        for (const Leg& leg : route.legs)
            asked = std::max(asked, leg.speed_kmh);
        qInfo("%s: up to %.0f of %.0f km/h", route.name.c_str(), most, asked);
        QVERIFY(most > asked * 0.95 - 0.1 && most < asked * 1.2 + 1);
    }
    QVERIFY(!routeNamed("moon"));
}

QTEST_APPLESS_MAIN(BenchCarTest)
#include "BenchCarTest.moc"
