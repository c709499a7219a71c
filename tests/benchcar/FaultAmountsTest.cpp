// Every fault of the bench car over three amounts: its size in the truth, its signature in what is recorded, its begin
// and its end.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <numeric>

#include "Bench.h"
#include "benchcar/truth/Truth.h"

using namespace brusk;
using namespace brusk::benchcar;
using namespace brusk::benchcar::bench;

namespace {

double trims(BenchCar& car) {
    return seen(car, "short_trim") + seen(car, "long_trim");
}
double shown(BenchCar& car) {
    return car.plant().wideband();
}

/// Full pedal, the road holding the speed.
Route fullLoad(double seconds) {
    Route route = holding(60, 3, 0);
    route.legs.back().seconds = 8;
    route.legs.push_back({.seconds = 8, .speed_kmh = 96, .gear = 4});
    route.legs.push_back({.seconds = seconds, .speed_kmh = 96, .gear = 4, .pedal = 1, .dyno = true});
    return route;
}
Route loaded(double kPa) {
    Route route = holding(67, 3, 0);
    route.legs.back().pressure_kPa = kPa;
    return route;
}
/// Of fuel cuts, between which the pipe fills with exhaust again.
Route lifts() {
    Route route = holding(70, 3, 0);
    route.legs.back().seconds = 12;
    for (int n = 0; n < 60; ++n) {
        route.legs.push_back({.seconds = 2, .gear = 3, .pedal = 0.35});
        route.legs.push_back({.seconds = 1.5, .gear = 3, .pedal = 0});
    }
    return route;
}
Route stabs() {
    Route route = holding(60, 3, 0);
    route.legs.back().seconds = 8;
    for (int n = 0; n < 60; ++n) {
        route.legs.push_back({.seconds = 1.5, .gear = 4, .pedal = 0.9});
        route.legs.push_back({.seconds = 3, .gear = 4, .pedal = 0.05});
    }
    return route;
}
Route idle() {
    return holding(0, 0, 0);
}
Route cruise() {
    return holding(45, 3, 0.03);
}

enum class Tell { Mean, Spread, Most, Rate, Last, Frames };

struct Case {
    const char* id;
    const Build* build;
    Route route;
    std::vector<double> amounts;  ///< from the least harm to the most
    const char* what;             ///< of the signature, for whoever reads the figures
    Tell tell;
    double (*signature)(BenchCar&);
    double least;  ///< the signature moves by so much at the worst amount; negative: downwards
    double from_s = 60, on_s = 40;
    bool returns = true;  ///< mended, the signature goes away within the time it was on
    void (*setup)(BenchCar&) = nullptr;
};

/// Wideband frames of this 50 ms that don't follow the one before.
double outOfTurn(BenchCar&) {
    return 0;  // counted where the frames are taken
}

const std::vector<Case>& cases() {
    static const std::vector<Case> all = {
        {"banks-crossed",
         &kCraneStock,
         cruise(),
         {1},
         "trims apart, %",
         Tell::Most,
         [](BenchCar& c) { return std::abs(seen(c, "short_trim_2") + seen(c, "long_trim_2") - trims(c)); },
         8,
         80,
         60,
         false},
        {"wideband-cold",
         &kHeronStock,
         idle(),
         {8, 16, 32},
         "seconds not ready",
         Tell::Mean,
         [](BenchCar& c) { return c.plant().state().widebandReady ? 0.0 : 40.0; },
         30},
        {"wideband-aged", &kHeronStock, lifts(), {0.1, 0.3, 1}, "spread of lambda", Tell::Spread, shown, -0.3},
        {"wideband-leak", &kHeronStock, idle(), {0.2, 0.5, 1}, "lambda", Tell::Mean, shown, 0.15},
        {"wideband-late-pipe", &kHeronStock, cruise(), {1200, 2600, 4000}, "lambda", Tell::Mean, shown, 1.5},
        {"wideband-before-turbine",
         &kHeronStock,
         fullLoad(400),
         {0.001, 0.002, 0.004},
         "lambda",
         Tell::Mean,
         shown,
         -0.02},
        {"wideband-behind-catalyst", &kHeronStock, lifts(), {0.3, 1, 5}, "spread of lambda", Tell::Spread, shown, -0.3},
        {"exhaust-leak", &kHeronStock, idle(), {0.1, 0.25, 0.4}, "trims, %", Tell::Mean, trims, 8},
        {"intake-leak", &kCraneStock, idle(), {0.15, 0.3, 0.6}, "trims, %", Tell::Mean, trims, 8},
        {"duct-leak", &kCraneStock, cruise(), {0.03, 0.08, 0.16}, "trims, %", Tell::Mean, trims, 10},
        {"boost-leak",
         &kHeronStock,
         fullLoad(400),
         {3, 8, 16},
         "meter over speed-density",
         Tell::Mean,
         [](BenchCar& c) { return seen(c, "air_meter") / std::max(1.0, seen(c, "air_speed_density")); },
         0.1},
        {"weak-pump",
         &kHeronStock,
         fullLoad(400),
         {0.15, 0.13, 0.1},
         "lambda over asked",
         Tell::Mean,
         [](BenchCar& c) { return shown(c) / seen(c, "lambda_asked"); },
         0.08},
        {"regulator-unreferenced", &kHeronStock, cruise(), {0.3, 0.6, 1}, "trims, %", Tell::Mean, trims, -4},
        {"injector-dead",
         &kHeronStock,
         idle(),
         {1},
         "spread of speed, rpm",
         Tell::Spread,
         [](BenchCar& c) { return seen(c, "speed"); },
         5},
        {"injector-lean", &kHeronStock, cruise(), {0.1, 0.25, 0.5}, "trims, %", Tell::Mean, trims, 8},
        {"purge-valve",
         &kHeronStock,
         cruise(),
         {0.1, 0.3, 0.8},
         "trims, %",
         Tell::Mean,
         trims,
         -3,
         60,
         40,
         true,
         [](BenchCar& c) { set(c, "purge_on", 0); }},  // else the controller opens it wider itself
        {"canister-full",
         &kHeronStock,
         cruise(),
         {0.05, 0.15, 0.4},
         "trims, %",
         Tell::Mean,
         trims,
         -3,
         60,
         40,
         true,
         [](BenchCar& c) { set(c, "purge_pause", 0.1); }},
        {"other-fuel", &kHeronStock, cruise(), {0.15, 0.4, 0.7}, "trims, %", Tell::Last, trims, 12, 60, 500},
        {"poor-fuel",
         &kHeronStock,
         fullLoad(400),
         {95, 91, 87},
         "learned octane factor, %",
         Tell::Last,
         [](BenchCar& c) { return seen(c, "octane_factor"); },
         -15,
         60,
         60,
         false},
        {"false-knock",
         &kHeronStock,
         loaded(85),
         {0.15, 0.3, 0.6},
         "knocks heard",
         Tell::Rate,
         [](BenchCar& c) { return seen(c, "knock_events"); },
         5},
        {"tip-in-noise",
         &kHeronStock,
         stabs(),
         {0.12, 0.3, 0.6},
         "knocks heard",
         Tell::Rate,
         [](BenchCar& c) { return seen(c, "knock_events"); },
         5},
        {"clutch-slip",
         &kHeronStock,
         fullLoad(400),
         {160, 120, 60},
         "rpm per km/h",
         Tell::Mean,
         [](BenchCar& c) { return seen(c, "speed") / std::max(1.0, seen(c, "vehicle_speed")); },
         5},
        {"throttle-ceiling",
         &kHeronStock,
         fullLoad(400),
         {0.8, 0.5, 0.25},
         "wanted less given, %",
         Tell::Mean,
         [](BenchCar& c) { return seen(c, "throttle_target") - seen(c, "throttle"); },
         50},
        {"wastegate-stuck",
         &kHeronStock,
         fullLoad(400),
         {0.3, 0.6, 1},
         "pressure, kPa",
         Tell::Mean,
         [](BenchCar& c) { return seen(c, "pressure"); },
         -30},
        {"low-battery",
         &kHeronStock,
         idle(),
         {12, 11.2, 10.4},
         "battery, V",
         Tell::Mean,
         [](BenchCar& c) { return seen(c, "battery"); },
         -3},
        {"alternator-dead",
         &kHeronStock,
         idle(),
         {0.5, 1, 3},
         "battery, V",
         Tell::Last,
         [](BenchCar& c) { return seen(c, "battery"); },
         -2},
        {"heat-soak",
         &kHeronStock,
         idle(),
         {5, 15, 30},
         "intake air, K",
         Tell::Last,
         [](BenchCar& c) { return seen(c, "intake_temp"); },
         15},
        {"bus-lost", &kHeronStock, idle(), {0.02, 0.1, 0.3}, "frames out of turn", Tell::Frames, outOfTurn, 100},
        {"bus-late", &kHeronStock, idle(), {0.02, 0.1, 0.3}, "frames out of turn", Tell::Frames, outOfTurn, 100},
        {"bus-corrupt", &kHeronStock, idle(), {0.02, 0.1, 0.3}, "frames out of turn", Tell::Frames, outOfTurn, 50},
    };
    return all;
}

struct Window {
    std::vector<double> values;
    double outOfTurn = 0;
    double tell(Tell how) const {
        const auto n = static_cast<double>(values.size());
        const double mean = std::accumulate(values.begin(), values.end(), 0.0) / n;
        double squares = 0;
        for (const double v : values)
            squares += (v - mean) * (v - mean);
        switch (how) {
            case Tell::Mean:
                return mean;
            case Tell::Spread:
                return std::sqrt(squares / n);
            case Tell::Most:
                return *std::max_element(values.begin(), values.end());
            case Tell::Rate:
                return values.back() - values.front();
            case Tell::Last: {
                const size_t tail = values.size() / 10;
                return std::accumulate(values.end() - static_cast<std::ptrdiff_t>(tail), values.end(), 0.0) /
                       static_cast<double>(tail);
            }
            case Tell::Frames:
                return outOfTurn;
        }
        return 0;
    }
};

/// Lets time pass; the wideband's frames are watched for their counter.
Window watched(BenchCar& car, const Case& c, double seconds, int& counter) {
    Window out;
    for (double t = 0; t < seconds; t += 0.05) {
        const int64_t until = car.now_us() + 50000;
        while (car.now_us() < until) {
            car.advanceTo(std::min(until, car.now_us() + 10000));
            while (const auto frame = car.nextFrame()) {
                if (frame->id != BenchCar::kWidebandId) continue;
                if (counter >= 0 && static_cast<uint8_t>(frame->data[3] - counter) != 1) ++out.outOfTurn;
                counter = frame->data[3];
            }
        }
        out.values.push_back(c.signature(car));
    }
    return out;
}

double amountInTruth(BenchCar& car, std::string_view id) {
    std::string name = "fault_" + std::string(id);
    std::replace(name.begin(), name.end(), '-', '_');
    std::vector<float> now;
    truthNow(car, now);
    const auto& channels = truthChannels();
    for (size_t i = 0; i < channels.size(); ++i)
        if (channels[i].name == name) return static_cast<double>(now[i]);
    qFatal("the truth has no %s", name.c_str());
}

}  // namespace

class FaultAmountsTest : public QObject {
    Q_OBJECT
  private slots:
    void everyFaultHasACase();
    void aFaultShowsByItsAmountFromItsBeginToItsEnd_data();
    void aFaultShowsByItsAmountFromItsBeginToItsEnd();
    void aSpanIsReadAsItIsWritten();
    void aPowerCutIsNotArmedAnewByAnotherFault();
};

void FaultAmountsTest::everyFaultHasACase() {
    for (const FaultKind& kind : faultKinds())
        QVERIFY2(std::any_of(cases().begin(), cases().end(), [&](const Case& c) { return c.id == kind.id; }),
                 std::string(kind.id).c_str());
    QCOMPARE(cases().size(), faultKinds().size());
}

void FaultAmountsTest::aFaultShowsByItsAmountFromItsBeginToItsEnd_data() {
    QTest::addColumn<int>("index");
    for (size_t i = 0; i < cases().size(); ++i)
        QTest::newRow(cases()[i].id) << static_cast<int>(i);
}

void FaultAmountsTest::aFaultShowsByItsAmountFromItsBeginToItsEnd() {
    QFETCH(int, index);
    const Case& c = cases()[static_cast<size_t>(index)];
    const double way = c.least > 0 ? 1 : -1;
    double first = 0, last = 0;
    std::string figures;
    for (size_t i = 0; i < c.amounts.size(); ++i) {
        BenchCar car(*c.build, 1);
        if (c.setup) c.setup(car);
        FaultPlan plan;
        const std::string text = std::string(c.id) + "=" + std::to_string(c.amounts[i]) + "@" +
                                 std::to_string(c.from_s) + "-" + std::to_string(c.from_s + c.on_s);
        QVERIFY2(plan.add(text), text.c_str());
        car.planFaults(plan);
        car.startRoute(c.route);
        int counter = -1;
        run(car, c.from_s - 21);
        watched(car, c, 1, counter);
        const double before = watched(car, c, 19.95, counter).tell(c.tell);
        QCOMPARE(amountInTruth(car, c.id), 0.0);
        QVERIFY(!car.faults().any());
        run(car, 0.06);
        QVERIFY(std::abs(amountInTruth(car, c.id) - c.amounts[i]) < 1e-6 * std::max(1.0, c.amounts[i]));
        const Window with = watched(car, c, c.on_s - 0.1, counter);
        run(car, 0.1);
        QCOMPARE(amountInTruth(car, c.id), 0.0);
        watched(car, c, c.on_s, counter);
        const double after = watched(car, c, 20, counter).tell(c.tell);
        // What counts is told over as long a time as before.
        const double share = c.tell == Tell::Rate || c.tell == Tell::Frames ? 20 / c.on_s : 1;
        const double moved = with.tell(c.tell) * share - before;
        figures += QString("%1%2: %3").arg(i ? "; " : "").arg(c.amounts[i]).arg(moved, 0, 'g', 3).toStdString();
        // More of it shows more, until the channel or the trims are at their end.
        QVERIFY2(i == 0 || way * (moved - last) > -0.02 * std::abs(c.least), figures.c_str());
        last = moved;
        if (i == 0) first = moved;
        if (c.returns)
            QVERIFY2(std::abs(after - before) < 0.35 * std::abs(c.least),
                     qPrintable(QString("%1 before, %2 after").arg(before).arg(after)));
    }
    qInfo("%s moves by %s", c.what, figures.c_str());
    QVERIFY2(way * last > std::abs(c.least), figures.c_str());
    QVERIFY2(c.amounts.size() == 1 || way * last > 1.2 * way * first, figures.c_str());
}

void FaultAmountsTest::aSpanIsReadAsItIsWritten() {
    FaultPlan plan;
    QVERIFY(plan.add("intake-leak=1@60-90"));
    QVERIFY(plan.add("coolant:dead@75"));
    QVERIFY(plan.add("low-battery"));
    QVERIFY(plan.add("weak-pump=0.2@10-"));
    QVERIFY(plan.at(5).lowBattery_V > 0 && plan.at(5).intakeLeak_gs == 0 && plan.at(5).weakPump == 1);
    QVERIFY(plan.at(60).intakeLeak_gs == 1 && plan.at(89.99).intakeLeak_gs == 1 && plan.at(90).intakeLeak_gs == 0);
    QVERIFY(plan.at(1e6).weakPump == 0.2 && plan.at(80).of(Sensor::Coolant).kind == SensorFault::Kind::Dead);
    QVERIFY(plan.changes(59.99, 60) && !plan.changes(60, 60.01) && plan.changes(89.99, 90) && !plan.changes(90, 1e6));
    for (const char* nonsense : {"intake-leak=1@", "intake-leak=1@5-4", "intake-leak=1@a-b", "intake-leak=1@-5",
                                 "intake-leak=99", "moon@5", "poor-fuel=20", "intake-leak=x@1"}) {
        const auto done = plan.add(nonsense);
        QVERIFY2(!done && !done.error().text().empty(), nonsense);
    }
    QCOMPARE(plan.spans().size(), size_t(4));
}

void FaultAmountsTest::aPowerCutIsNotArmedAnewByAnotherFault() {
    BenchCar car(kHeronStock, 1);
    FaultPlan plan;
    QVERIFY(plan.add("power-cut-frame=50") && plan.add("coolant:dead@20-25"));
    car.planFaults(plan);
    car.startRoute(idle());
    run(car, 19);
    QVERIFY(car.faults().powerCutFrame < 0 && seen(car, "run_time") > 10);
    run(car, 10);
    QVERIFY(car.faults().powerCutFrame < 0 && seen(car, "run_time") > 20);
}

QTEST_APPLESS_MAIN(FaultAmountsTest)
#include "FaultAmountsTest.moc"
