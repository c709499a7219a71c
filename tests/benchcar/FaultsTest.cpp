// Every fault of the bench car leaves its signature in the channels a tuner records, and goes away when it is mended.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Bench.h"
#include "benchcar/VirtualBus.h"

using namespace brusk;
using namespace brusk::benchcar;
using namespace brusk::benchcar::bench;

namespace {

void add(BenchCar& car, const char* fault) {
    if (auto done = addFault(car.faults(), fault); !done) qFatal("%s", done.error().text().c_str());
}

/// Mean and spread of a channel over a while.
struct Figures {
    double mean = 0, spread = 0, least = 1e12, most = -1e12;
};
template <class F>
Figures over(BenchCar& car, double seconds, F value) {
    double sum = 0, squares = 0;
    int n = 0;
    Figures out;
    watch(car, seconds, [&] {
        const double v = value();
        sum += v, squares += v * v, ++n;
        out.least = std::min(out.least, v), out.most = std::max(out.most, v);
    });
    out.mean = sum / n;
    out.spread = std::sqrt(std::max(0.0, squares / n - out.mean * out.mean));
    return out;
}
Figures channel(BenchCar& car, double seconds, const char* name) {
    return over(car, seconds, [&] { return seen(car, name); });
}

/// What the wideband's frames say: lambda, and whether it calls itself ready.
std::pair<double, bool> widebandFrame(BenchCar& car) {
    std::pair<double, bool> out{0, false};
    car.advanceTo(car.now_us() + 20000);
    for (auto frame = car.nextFrame(); frame; frame = car.nextFrame())
        if (frame->id == BenchCar::kWidebandId)
            out = {(frame->data[0] << 8 | frame->data[1]) / 10000.0, frame->data[2] != 0};
    return out;
}

Route stopAndGo() {
    Route route = holding(45, 3, 0.01);
    route.legs.back().seconds = 18;
    for (int n = 0; n < 30; ++n) {
        route.legs.push_back({.seconds = 5, .speed_kmh = 60, .gear = 3});
        route.legs.push_back({.seconds = 5, .speed_kmh = 40, .gear = 3});
    }
    return route;
}

struct SensorCase {
    const char* name;     ///< as the faults call it
    const char* channel;  ///< what is recorded of it
    double offset;        ///< as the fault takes it
    double unit;          ///< channel units to one of the fault's
    double near;          ///< how near the channel of a healthy sensor lies to the truth, on average
    bool moving;          ///< changes while driving, so that slow shows
    double (*truth)(const TrueState&);
};
double travel(double share) {
    return sense::kClosed_V + (sense::kOpen_V - sense::kClosed_V) * share;
}
const SensorCase kSensors[] = {
    {"pressure", "map_volts", 0.3, 1, 0.005, true,
     [](const TrueState& s) {
         return (s.pressure_kPa - kHeronStockParts.pressure.offset_kPa) / kHeronStockParts.pressure.slope_kPaV;
     }},
    {"meter", "maf_frequency", 0.5, 1000, 15, true,
     [](const TrueState& s) {
         return meter_Hz(kHeronStockParts.airflowHousing_mm,
                         s.meterFlow_gs * 3.6 * (1 + reversion(s.speed_rpm, s.throttle)));
     }},
    {"throttle", "throttle_volts", 0.5, 1, 0.005, true, [](const TrueState& s) { return travel(s.throttle); }},
    {"pedal", "pedal_volts", 0.5, 1, 0.005, true, [](const TrueState& s) { return travel(s.pedal); }},
    {"intake", "intake_volts", 0.5, 1, 0.005, false, [](const TrueState& s) { return thermistor_V(s.intake_C); }},
    {"coolant", "coolant_volts", 0.5, 1, 0.005, false, [](const TrueState& s) { return thermistor_V(s.coolant_C); }},
    {"narrowband", "narrowband", 0.3, 1, 0.005, true, [](const TrueState& s) { return s.banks[0].narrowband_V; }},
    {"knock", "knock_volts", 0.3, 1, 0.01, true,
     [](const TrueState& s) { return (sense::kKnockFloor_mV + sense::kKnockSpeed_mV * s.speed_rpm) / 1000; }},
    {"wheel", "wheel_rate", 20, 1, 0.1, true,
     [](const TrueState& s) { return s.vehicle_kmh / 3600 * pulsesPerKm(kHeronStockParts); }}};

}  // namespace

class FaultsTest : public QObject {
    Q_OBJECT
  private slots:
    void aSensorFaultShowsInItsChannel_data();
    void aSensorFaultShowsInItsChannel();
    void aDeadPressureSensorSwitchesToTheMeterAndSetsItsCode();
    void aScaledPressureSensorShowsInTheTrims();
    void aDeadPedalSensorLeavesTheCarIdling();
    void aSlowNarrowbandSwingsWiderAndCrossesLess();
    void aSecondBanksSensorFailsAlone();
    void theWidebandsOwnFaultsShowInItsFrames();
    void crossedBanksDriveTheTrimsApart();
    void aLeakBeforeTheWidebandReadsLeanMostAtIdle();
    void aLatePipeReadsLeanUntilItOpens();
    void aLowBatteryLengthensDeadTimesAndRaisesIdle();
    void aWeakPumpRunsLeanOnlyAtHighFlow();
    void aStuckWastegateOverboostsOrNeverBoosts();
    void powerCanGoAtAChosenFrame();
    void theBusLosesDelaysAndCorruptsFrames_data();
    void theBusLosesDelaysAndCorruptsFrames();
    void faultsMayBeSwitchedWhileItRuns();
    void nonsenseIsRefusedWithASentence();
    void everyListedFaultIsUnderstood();
};

void FaultsTest::aSensorFaultShowsInItsChannel_data() {
    QTest::addColumn<int>("index");
    for (size_t i = 0; i < std::size(kSensors); ++i)
        QTest::newRow(kSensors[i].name) << static_cast<int>(i);
}

void FaultsTest::aSensorFaultShowsInItsChannel() {
    QFETCH(int, index);
    const SensorCase& c = kSensors[index];
    // Each kind on a car of its own. The car reacts to what it is told, so the channel is held against what was true at
    // the same moment, not against a healthy car.
    struct Recorded {
        Figures seen, truth, off;
    };
    const auto recorded = [&](const std::string& fault) {
        BenchCar car(kHeronStock, 1);
        car.startRoute(stopAndGo());
        run(car, 45);
        if (!fault.empty()) add(car, (std::string(c.name) + ":" + fault).c_str());
        run(car, 1);
        Recorded out;
        double seenSum = 0, truthSum = 0;
        int n = 0;
        out.seen = over(car, 15, [&] {
            seenSum += seen(car, c.channel), truthSum += c.truth(car.plant().state()), ++n;
            return seen(car, c.channel);
        });
        out.truth.mean = truthSum / n;
        out.off.mean = (seenSum - truthSum) / n;
        return out;
    };
    const Recorded healthy = recorded(""), dead = recorded("dead"), stuck = recorded("stuck"),
                   slow = recorded("slow=8"), offset = recorded("offset=" + std::to_string(c.offset)),
                   scaled = recorded("scaled=0.7");
    // Half as much and half as much again show as much less and more.
    for (const double share : {0.5, 1.5}) {
        const double off = recorded("offset=" + std::to_string(c.offset * share)).off.mean;
        QVERIFY2(std::abs(off - c.offset * c.unit * share) < c.near, qPrintable(QString::number(off)));
    }
    for (const double factor : {0.9, 0.55}) {
        const Recorded r = recorded("scaled=" + std::to_string(factor));
        QVERIFY(std::abs(r.seen.mean / r.truth.mean - factor) < 0.03);
    }
    if (c.moving) {
        const double quicker = recorded("slow=3").seen.spread, slower = recorded("slow=20").seen.spread;
        QVERIFY(slower < slow.seen.spread * 1.05 && slow.seen.spread < quicker * 1.1);
    }
    qInfo(
        "%s: healthy %+.4f off; dead reads %.3f; stuck +- %.5f, slow +- %.4f of +- %.4f; offset %+.3f off; scaled x "
        "%.3f",
        c.channel, healthy.off.mean, dead.seen.mean, stuck.seen.spread, slow.seen.spread, healthy.seen.spread,
        offset.off.mean, scaled.seen.mean / scaled.truth.mean);
    QVERIFY(std::abs(healthy.off.mean) < c.near);
    QVERIFY(dead.seen.spread < 1e-6 && std::abs(dead.off.mean) > 20 * c.near);
    QVERIFY(stuck.seen.spread < 1e-4 && healthy.seen.spread > 10 * stuck.seen.spread);
    if (c.moving) QVERIFY(slow.seen.spread < 0.8 * healthy.seen.spread && slow.seen.spread > 1e-6);
    QVERIFY(std::abs(offset.off.mean - c.offset * c.unit) < c.near);
    QVERIFY(std::abs(scaled.seen.mean / scaled.truth.mean - 0.7) < 0.03);
}

void FaultsTest::aDeadPressureSensorSwitchesToTheMeterAndSetsItsCode() {
    BenchCar car(kHeronStock, 1);
    car.startRoute(holding(45, 3, 0.03));
    run(car, 50);
    QCOMPARE(seen(car, "air_source"), 0.0);
    add(car, "pressure:dead");
    run(car, 8);
    QCOMPARE(seen(car, "air_source"), 1.0);
    QVERIFY(codeStatus(car, 0x010700) & status::kConfirmed);
    QVERIFY(static_cast<int>(seen(car, "substitutes")) & 1);
    const double lambda = meanLambda(car, 5);
    QVERIFY2(std::abs(lambda - 1) < 0.05, qPrintable(QString::number(lambda)));  // and it drives on
    // The frame of values in which the code was set is kept.
    for (const StoredCode& code : car.controller().codes())
        if (code.code == 0x010700) {
            QVERIFY(code.frame.speed_q > 4 * 1500 && code.frame.coolant_d > 800 && code.frame.vehicle_c > 4000);
            QCOMPARE(code.occurrences, 1);
        }
}

void FaultsTest::aScaledPressureSensorShowsInTheTrims() {
    BenchCar car(kHeronStock, 1);
    add(car, "pressure:scaled=0.9");
    car.startRoute(holding(45, 3, 0.03));
    run(car, 110);
    const double trims = over(car, 10, [&] { return seen(car, "short_trim") + seen(car, "long_trim"); }).mean;
    qInfo("pressure read 10 %% low: trims %+.1f %%", trims);
    QVERIFY(trims > 6 && trims < 18);
}

void FaultsTest::aDeadPedalSensorLeavesTheCarIdling() {
    BenchCar car(kHeronStock, 1);
    car.startRoute(holding(45, 3, 0.01));
    run(car, 45);
    add(car, "pedal:dead");
    run(car, 40);
    QVERIFY(car.plant().state().pedal > 0.9);  // the driver presses in vain
    QVERIFY(seen(car, "pedal") < 1 && seen(car, "limp_mode") > 0);
    QVERIFY(car.plant().state().vehicle_kmh < 30);
    QVERIFY(car.plant().state().speed_rpm > 600);  // it does not stall
}

void FaultsTest::aSlowNarrowbandSwingsWiderAndCrossesLess() {
    const auto swing = [](const char* fault) {
        BenchCar car(kHeronStock, 1);
        if (*fault) add(car, fault);
        car.startRoute(holding(45, 3, 0.03));
        run(car, 70);
        const double before = seen(car, "narrowband_switches");
        const Figures trim = channel(car, 30, "short_trim");
        return std::pair(trim.most - trim.least, seen(car, "narrowband_switches") - before);
    };
    const auto healthy = swing(""), slow = swing("narrowband:slow=0.6");
    qInfo("short trim swings %.1f %% with %.0f crossings in 30 s; slow sensor %.1f %% with %.0f", healthy.first,
          healthy.second, slow.first, slow.second);
    QVERIFY(slow.first > 1.3 * healthy.first);
    QVERIFY(slow.second < 0.7 * healthy.second);
}

void FaultsTest::aSecondBanksSensorFailsAlone() {
    BenchCar car(kCraneStock, 1);
    add(car, "narrowband-2:dead");
    car.startRoute(holding(45, 3, 0.03));
    run(car, 110);
    QVERIFY(codeStatus(car, 0x015400) & status::kConfirmed);
    QCOMPARE(codeStatus(car, 0x013400), uint8_t{0});
    QCOMPARE(seen(car, "loop_state"), 1.0);
    QCOMPARE(seen(car, "loop_state_2"), 2.0);
}

void FaultsTest::theWidebandsOwnFaultsShowInItsFrames() {
    const auto frames = [](const char* fault) {
        BenchCar car(kHeronStock, 1);
        car.startRoute(holding(45, 3, 0.03));
        run(car, 50);
        if (*fault) add(car, fault);
        run(car, 1);
        double sum = 0, squares = 0;
        int ready = 0;
        for (int i = 0; i < 400; ++i) {
            const auto [lambda, isReady] = widebandFrame(car);
            sum += lambda, squares += lambda * lambda, ready += isReady;
        }
        return std::tuple(sum / 400, std::sqrt(std::max(0.0, squares / 400 - sum / 400 * sum / 400)), ready);
    };
    const auto [mean, spread, ready] = frames("");
    QVERIFY(ready > 390 && mean > 0.9 && mean < 2);
    const auto dead = frames("wideband:dead");
    QVERIFY(std::get<2>(dead) == 0 && std::get<0>(dead) == 0);
    QVERIFY(std::get<1>(frames("wideband:stuck")) < 1e-4);
    QVERIFY(std::get<1>(frames("wideband:slow=5")) < 0.6 * spread);
    QVERIFY(std::abs(std::get<0>(frames("wideband:offset=0.05")) - mean - 0.05) < 0.01);
    QVERIFY(std::abs(std::get<0>(frames("wideband:scaled=1.1")) / mean - 1.1) < 0.01);
}

void FaultsTest::crossedBanksDriveTheTrimsApart() {
    BenchCar healthy(kCraneStock, 1), crossed(kCraneStock, 1);
    add(crossed, "banks-crossed");
    for (BenchCar* car : {&healthy, &crossed}) {
        car->startRoute(holding(60, 3, 0.02));
        run(*car, 110);
    }
    const auto apart = [](BenchCar& car) {
        return over(car, 5,
                    [&] {
                        return seen(car, "short_trim_2") + seen(car, "long_trim_2") - seen(car, "short_trim") -
                               seen(car, "long_trim");
                    })
            .mean;
    };
    const double right = apart(healthy), wrong = apart(crossed);
    qInfo("trims of bank 2 less bank 1: %.1f %%, crossed %.1f %%", right, wrong);
    // Each loop corrects the other's bank: a small difference grows in mirror image until the stops.
    QVERIFY(std::abs(right) < 3 && std::abs(wrong) > 15);
}

void FaultsTest::aLeakBeforeTheWidebandReadsLeanMostAtIdle() {
    const auto reads = [](bool idle, const char* fault) {
        BenchCar car(kHeronStock, 1);
        if (*fault) add(car, fault);
        car.startRoute(idle ? holding(0, 0, 0) : holding(100, 4, 0.04));
        run(car, 60);
        return over(car, 10, [&] { return car.plant().state().wideband; }).mean;
    };
    const double idle = reads(true, "wideband-leak") / reads(true, ""),
                 load = reads(false, "wideband-leak") / reads(false, "");
    qInfo("the wideband reads x %.2f at idle, x %.3f under load", idle, load);
    QVERIFY(idle > 1.1 && load < 1.05 && load > 1);
}

void FaultsTest::aLatePipeReadsLeanUntilItOpens() {
    BenchCar car(kHeronStock, 1);
    add(car, "wideband-late-pipe");
    car.startRoute(pull());
    run(car, 36);
    const double before = car.plant().state().wideband;
    run(car, 7.3);
    qInfo("wideband at 2500 rpm %.2f, at %.0f rpm %.2f", before, car.plant().state().speed_rpm,
          car.plant().state().wideband);
    QVERIFY(before > 2);
    QVERIFY(car.plant().state().speed_rpm > 3900 && car.plant().state().wideband < 1);
}

void FaultsTest::aLowBatteryLengthensDeadTimesAndRaisesIdle() {
    BenchCar healthy(kHeronStock, 1), weak(kHeronStock, 1);
    add(weak, "low-battery");
    for (BenchCar* car : {&healthy, &weak}) {
        car->startRoute(holding(0, 0, 0));
        run(*car, 40);
    }
    qInfo("battery %.1f and %.1f V, dead time %.0f and %.0f us", seen(healthy, "battery"), seen(weak, "battery"),
          seen(healthy, "dead_time_used"), seen(weak, "dead_time_used"));
    QVERIFY(seen(weak, "battery") < 11.6);
    QVERIFY(seen(weak, "dead_time_used") > seen(healthy, "dead_time_used") + 150);
    QVERIFY(seen(weak, "idle_target") > seen(healthy, "idle_target") + 100);
    QVERIFY(codeStatus(weak, 0x056200) & status::kConfirmed);
}

void FaultsTest::aWeakPumpRunsLeanOnlyAtHighFlow() {
    const auto off = [](bool full, const char* fault) {
        BenchCar car(kHeronStock, 1);
        if (*fault) add(car, fault);
        car.startRoute(full ? pull() : holding(45, 3, 0.03));
        run(car, full ? 41 : 50);
        return over(car, 2, [&] { return car.plant().state().wideband / seen(car, "lambda_asked"); }).mean;
    };
    const double part = off(false, "weak-pump"), full = off(true, "weak-pump"), healthy = off(true, "");
    qInfo("lambda over asked: part load x %.3f, full load x %.3f (healthy x %.3f)", part, full, healthy);
    QVERIFY(std::abs(part - 1) < 0.03 && std::abs(healthy - 1) < 0.03);
    QVERIFY(full > 1.07);
}

void FaultsTest::aStuckWastegateOverboostsOrNeverBoosts() {
    const auto most = [](const char* fault) {
        BenchCar car(kHeronStock, 1);
        if (*fault) add(car, fault);
        car.startRoute(pull());
        run(car, 34.5);
        bool cut = false;
        const double pressure = over(car, 8.7, [&] {
                                    cut = cut || seen(car, "boost_cut_now") > 0;
                                    return seen(car, "pressure");
                                }).most;
        return std::tuple(pressure, cut, codeStatus(car, 0x023400), codeStatus(car, 0x029900));
    };
    const auto [healthy, healthyCut, h1, h2] = most("");
    const auto [shut, shutCut, shutCode, s2] = most("wastegate-stuck=0");
    const auto [open, openCut, o1, openCode] = most("wastegate-stuck=1");
    qInfo("greatest pressure: %.0f kPa healthy, %.0f stuck shut, %.0f stuck open", healthy, shut, open);
    QVERIFY(!healthyCut && h1 == 0 && h2 == 0 && s2 == 0 && o1 == 0);
    QVERIFY(shut > healthy + 10 && shutCut && shutCode & status::kConfirmed);
    QVERIFY(open < healthy - 30 && !openCut && openCode & status::kConfirmed);
}

void FaultsTest::powerCanGoAtAChosenFrame() {
    BenchCar car(kHeronStock, 1);
    car.startRoute(holding(0, 0, 0));
    run(car, 20);
    QVERIFY(seen(car, "run_time") > 15);
    add(car, "power-cut-frame=50");
    run(car, 1);  // a hundred frames of the wideband
    QVERIFY(seen(car, "run_time") < 2);
    QVERIFY(car.faults().powerCutFrame < 0);
}

void FaultsTest::theBusLosesDelaysAndCorruptsFrames_data() {
    QTest::addColumn<QString>("fault");
    QTest::newRow("lost") << "bus-lost=0.2";
    QTest::newRow("late") << "bus-late=0.2";
    QTest::newRow("corrupted") << "bus-corrupt=0.2";
}

void FaultsTest::theBusLosesDelaysAndCorruptsFrames() {
    QFETCH(QString, fault);
    BenchCar car(kHeronStock, 1);
    add(car, fault.toUtf8().constData());
    VirtualBus bus(car);
    int gaps = 0, backwards = 0, odd = 0, frames = 0;
    int last = -1;
    while (bus.now_us() < 14000000) {
        const auto frame = bus.receive(14000000);
        if (!frame || !*frame) break;
        if ((*frame)->id != BenchCar::kWidebandId || bus.now_us() < 4000000) continue;
        ++frames;
        // The engine stands and the pipe is full of air: everything but the counter is known.
        const int lambda = (*frame)->data[0] << 8 | (*frame)->data[1];
        odd += lambda != 40000 || (*frame)->data[2] > 1;
        const int step = static_cast<uint8_t>((*frame)->data[3] - last);
        if (last >= 0) gaps += step > 1 && step < 100, backwards += step >= 100;
        last = (*frame)->data[3];
    }
    qInfo("%d frames, %d gaps, %d out of order, %d damaged", frames, gaps, backwards, odd);
    if (fault.startsWith("bus-lost")) QVERIFY(frames < 900 && gaps > 100 && backwards == 0 && odd == 0);
    if (fault.startsWith("bus-late")) QVERIFY(frames > 980 && backwards > 100 && odd == 0);
    if (fault.startsWith("bus-corrupt")) QVERIFY(frames > 980 && odd > 50);
}

void FaultsTest::faultsMayBeSwitchedWhileItRuns() {
    BenchCar car(kHeronStock, 1);
    car.startRoute(holding(0, 0, 0));
    run(car, 20);
    add(car, "coolant:dead");
    run(car, 5);
    QVERIFY(codeStatus(car, 0x011800) & status::kFailed);
    car.faults() = {};
    run(car, 5);
    const uint8_t after = codeStatus(car, 0x011800);
    QVERIFY(!(after & status::kFailed) && after & status::kConfirmed);  // mended now, remembered
    QVERIFY(std::abs(seen(car, "coolant") - car.plant().state().coolant_C) < 2);
    QVERIFY(!car.faults().any());
}

void FaultsTest::nonsenseIsRefusedWithASentence() {
    Faults faults;
    EXPECT_FAILS(addFault(faults, "coolant:broken"), "a sensor can be dead, stuck, slow, offset or scaled");
    EXPECT_FAILS(addFault(faults, "soul:dead"), "there is no such sensor");
    EXPECT_FAILS(addFault(faults, "gremlins"), "there is no such fault");
    EXPECT_FAILS(addFault(faults, "bus-lost=7"), "between 0 and 1");
    EXPECT_FAILS(addFault(faults, "bus-lost=many"), "must be a number");
    EXPECT_FAILS(addFault(faults, "power-cut-frame"), "it needs a count");
    EXPECT_FAILS(addFault(faults, "pressure:offset=x"), "must be a number");
    QVERIFY(!faults.any());
}

void FaultsTest::everyListedFaultIsUnderstood() {
    for (const FaultChoice& choice : faultChoices()) {
        Faults faults;
        EXPECT_OK(addFault(faults, choice.name));
        QVERIFY2(faults.any() && !choice.title.empty(), choice.name.c_str());
    }
}

QTEST_APPLESS_MAIN(FaultsTest)
#include "FaultsTest.moc"
