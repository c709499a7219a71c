// Events of drives, held against what the bench car's plant did.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <map>

#include "DrivenKit.h"
#include "Expect.h"
#include "benchcar/truth/Truth.h"
#include "core/evidence/Events.h"
#include "core/evidence/Spans.h"

using namespace brusk;
using namespace brusk::evidence;

namespace {

/// A drive, what was found in it, and what the plant knows on the same clock.
struct Drive {
    std::unique_ptr<Sampled> sampled;
    std::shared_ptr<const recording::Recording> truth;
    DriveEvents events;

    std::span<const double> time() const { return truth->groups[0].time_s.times(); }
    Column known(const char* name) const { return truth->find(name).channel->values.values(); }
    Extent known(const char* name, double from_s, double to_s) const {
        return extentOf(known(name), samplesIn(time(), from_s, to_s));
    }
    std::vector<const FoundEvent*> of(roles::Event kind) const { return events.of(kind); }
};

Drive driveOver(const std::vector<std::string>& routes, const char* fault = nullptr, uint64_t seed = 1,
                const benchcar::Build& build = benchcar::kHeronStock) {
    benchcar::BenchCar car(build, seed);
    if (fault && !benchcar::addFault(car.faults(), fault)) qFatal("no such fault");
    auto driven = bench::drive(car, {bench::kitOf(benchcar::kHeronStock)}, routes);
    Drive out;
    out.truth = driven.truth;
    out.sampled = std::make_unique<Sampled>(driven.recordings[0]);
    out.events = eventsOf(*out.sampled);
    return out;
}

/// The same drives for all tests.
const Drive& driven(const std::string& route) {
    static std::map<std::string, Drive> all;
    const auto at = all.find(route);
    return at != all.end() ? at->second : all.emplace(route, driveOver({route})).first->second;
}

}  // namespace

class EventsTest : public QObject {
    Q_OBJECT
  private slots:
    void everyKindHasAFinder();
    void everyFigureHasANameAndAUnit();
    void pullsAreFoundWithTheirFigures_data();
    void pullsAreFoundWithTheirFigures();
    void aStartIsAsLongAsTheStarterTurned();
    void idleIsWhereTheEngineIdles();
    void aLoadAtIdleTellsDipAndRecovery();
    void aCruiseIsSteady();
    void everyQuickFootIsFound();
    void fuelIsCutInAnOverrun();
    void gearsAreThoseThatWereChanged();
    void knockIsWhatTheControllerHeard();
    void aThrottleThatClosesUnderFullPedalIsFound();
    void limpModeIsFound();
    void theKeyGoesOff();
    void whatWasLearnedIsCleared();
    void aHealthyCarHasNoneOfTheBadOnes();
    void whatIsMarkedIsAnEvent();
    void aHoleIsAGapWithItsReason();
    void whatLacksIsNamed();
    void anotherCarsUnitsGiveTheSameEvents();
    void aSlowRecorderSeesThePullsToo();
    void anEmptyDriveHasNoEvents();
};

void EventsTest::everyKindHasAFinder() {
    const auto kinds = eventKinds();
    QCOMPARE(kinds.size(), std::size(roles::kEvents));
    for (size_t i = 0; i < kinds.size(); ++i)
        QVERIFY(kinds[i].kind == roles::kEvents[i].event && kinds[i].id() == roles::kEvents[i].id);
}

void EventsTest::everyFigureHasANameAndAUnit() {
    const auto names = eventFigureNames();
    size_t seen = 0;
    for (const char* route : {"pulls-3", "town", "idle", "tip-ins", "cold-start", "idle-loads"})
        for (const auto& event : driven(route).events.found) {
            for (const auto& figure : event.figures) {
                const auto at =
                    std::find_if(names.begin(), names.end(), [&](const auto& n) { return n.id == figure.id; });
                QVERIFY2(at != names.end(), qPrintable(qs(std::string(figure.id))));
                QVERIFY2(std::isfinite(figure.value), qPrintable(qs(std::string(figure.id))));
                ++seen;
            }
            const std::string line = eventLine(event);
            QVERIFY2(line.find("nan") == std::string::npos, line.c_str());
        }
    QVERIFY(seen > 300);
    // An id ends with its unit, where it has one.
    const std::map<std::string_view, std::string_view> ends = {
        {"s", "_s"},      {"rpm", "_rpm"}, {"\u00b0C", "_C"}, {"%", "_pct"}, {"\u00b0", "_deg"},
        {"km/h", "_kmh"}, {"kPa", "_kpa"}, {"K", "_K"},       {"Hz", "_hz"}, {"lambda s", "_lambda_s"}};
    for (const auto& name : names)
        if (const auto end = ends.find(name.unit); end != ends.end())
            QVERIFY2(name.id.ends_with(end->second), name.id.data());
    QCOMPARE(eventLine(*driven("pulls-3").of(roles::kPull)[0]).substr(0, 5), std::string("3rd, "));
    FoundEvent pull{roles::kPull, 0, 1};
    pull.add("gear", 2), pull.add("from_rpm", 1994), pull.add("to_rpm", 6008);
    QCOMPARE(eventLine(pull), std::string("2nd, 1,990 to 6,010"));
}

void EventsTest::pullsAreFoundWithTheirFigures_data() {
    QTest::addColumn<QString>("route");
    QTest::addColumn<int>("gear");
    QTest::newRow("3rd") << "pulls-3" << 3;
    QTest::newRow("4th") << "pulls-4" << 4;
}

void EventsTest::pullsAreFoundWithTheirFigures() {
    QFETCH(QString, route);
    QFETCH(int, gear);
    const Drive& d = driven(route.toStdString());
    const auto pulls = d.of(roles::kPull);
    QCOMPARE(pulls.size(), size_t{3});
    for (const auto* pull : pulls) {
        QCOMPARE(static_cast<int>(pull->figure("gear")), gear);
        const auto is = [&](const char* name) { return d.known(name, pull->from_s, pull->to_s); };
        QVERIFY(is("true_gear").least == gear && is("true_gear").most == gear);
        QVERIFY(is("true_pedal").least > 78);
        QVERIFY(std::abs(pull->figure("to_rpm") - is("true_engine_speed").most) < 40);
        QVERIFY(std::abs(pull->figure("from_rpm") - is("true_engine_speed").least) < 120);
        QVERIFY(std::abs(pull->figure("pressure_peak_kpa") - is("true_manifold_pressure").most) < 3);
        QVERIFY(pull->figure("rise_s") > 0.1 && pull->figure("rise_s") < pull->to_s - pull->from_s);
        // Beyond the target by what the plant reached beyond it.
        QVERIFY(pull->figure("overshoot_kpa") < 25 && pull->figure("overshoot_kpa") > -15);
        QVERIFY(std::abs(pull->figure("lambda_measured") -
                         d.known("true_lambda", (pull->from_s + pull->to_s) / 2, pull->to_s).mean) < 0.03);
        QVERIFY(pull->figure("enriched_s") >= 0 && pull->figure("enriched_s") < 3);
    }
    // No full pedal of the plant is left without a pull.
    const auto full = spansWhere(
        d.time(), [&](size_t i) { return d.known("true_pedal")[i] > 85; }, 3);
    QCOMPARE(full.size(), pulls.size());
}

void EventsTest::aStartIsAsLongAsTheStarterTurned() {
    const Drive& d = driven("cold-start");
    const auto starts = d.of(roles::kStart);
    QCOMPARE(starts.size(), size_t{1});
    const auto& start = *starts[0];
    // From the starter to an engine above 400 rpm for good, by the plant.
    const Column speed = d.known("true_engine_speed");
    size_t turns = 0, runs = 0;
    while (speed[turns] < 40)
        ++turns;
    for (runs = turns; speed[runs] < 400; ++runs) {
    }
    QVERIFY2(std::abs(start.figure("start_s") - (d.time()[runs] - d.time()[turns])) < 0.15,
             qPrintable(QString("%1, %2").arg(start.figure("start_s")).arg(d.time()[runs] - d.time()[turns])));
    QVERIFY(start.figure("flare_rpm") > 0 && start.figure("flare_rpm") < 1500);
    QVERIFY(std::abs(start.figure("coolant_C") - d.known("true_coolant")[turns]) < 4);
    QVERIFY(start.what.empty());
}

void EventsTest::idleIsWhereTheEngineIdles() {
    const Drive& d = driven("idle");
    const auto idles = d.of(roles::kIdle);
    QVERIFY(!idles.empty());
    double long_s = 0;
    for (const auto* idle : idles) {
        long_s += idle->to_s - idle->from_s;
        QVERIFY(d.known("true_vehicle_speed", idle->from_s, idle->to_s).most < 3);
        const Extent is = d.known("true_engine_speed", idle->from_s + 1, idle->to_s);
        QVERIFY(std::abs(idle->figure("mean_rpm") - is.mean) < 5 &&
                std::abs(idle->figure("spread_rpm") - is.spread) < 8);
        QVERIFY(std::abs(idle->figure("off_rpm")) < 60 && idle->figure("swing_rpm") < 120);
        QVERIFY(idle->figure("air_pct") > 0 && idle->figure("coolant_C") > 60);
    }
    QVERIFY(long_s > 0.8 * d.time().back());
}

void EventsTest::aLoadAtIdleTellsDipAndRecovery() {
    const Drive& d = driven("idle-loads");
    const auto loads = d.of(roles::kIdleLoad);
    QVERIFY2(loads.size() >= 2, qPrintable(QString::number(loads.size())));
    for (const auto* load : loads) {
        const Extent before = d.known("true_engine_speed", load->from_s - 1, load->from_s);
        const Extent after = d.known("true_engine_speed", load->from_s, load->to_s);
        QVERIFY(std::abs(load->figure("dip_rpm") - (before.mean - after.least)) < 15);
        QVERIFY(load->what == "fan on" || load->what == "fan off");
    }
}

void EventsTest::aCruiseIsSteady() {
    const Drive& d = driven("motorway");
    const auto cruises = d.of(roles::kCruise);
    QVERIFY2(cruises.size() >= 3, qPrintable(QString::number(cruises.size())));
    for (const auto* cruise : cruises) {
        QVERIFY(cruise->to_s - cruise->from_s >= 8);
        QVERIFY(d.known("true_vehicle_speed", cruise->from_s, cruise->to_s).range() < 4.5);
        QVERIFY(std::abs(cruise->figure("vehicle_kmh") -
                         d.known("true_vehicle_speed", cruise->from_s, cruise->to_s).mean) < 3);
    }
}

void EventsTest::everyQuickFootIsFound() {
    const Drive& d = driven("tip-ins");
    const auto ins = d.of(roles::kTipIn), lifts = d.of(roles::kTipOut);
    QVERIFY(ins.size() >= 8 && lifts.size() >= 6);
    // By the plant's own pedal: no move of 16 % in a tenth of a second is without its event.
    const Column pedal = d.known("true_pedal");
    for (size_t i = 10; i < pedal.size(); ++i) {
        const float moved = pedal[i] - pedal[i - 10];
        if (std::abs(moved) < 16 || d.known("true_engine_speed")[i] < 500) continue;
        const auto& events = moved > 0 ? ins : lifts;
        QVERIFY2(std::any_of(events.begin(), events.end(),
                             [&](const auto* e) { return d.time()[i] > e->from_s - 0.1 && d.time()[i] < e->to_s - 1; }),
                 qPrintable(QString("%1 % at %2 s").arg(moved).arg(d.time()[i])));
    }
    for (const auto* in : ins) {
        const Extent moved = d.known("true_pedal", in->from_s - 0.1, in->to_s - 1.4);
        QVERIFY(in->figure("step_pct") > 10 && in->figure("step_pct") < moved.range() + 3);
        QVERIFY(in->figure("lean_area_lambda_s") >= 0 && in->figure("response_s") < 1.6);
    }
}

void EventsTest::fuelIsCutInAnOverrun() {
    const Drive& d = driven("town");
    const auto overruns = d.of(roles::kOverrun);
    QVERIFY2(overruns.size() >= 5, qPrintable(QString::number(overruns.size())));
    double cut_s = 0;
    for (const auto* one : overruns) {
        QVERIFY(d.known("true_injected", one->from_s + 0.05, one->to_s - 0.05).most < 1e-6);
        QVERIFY(d.known("true_vehicle_speed", one->from_s, one->to_s).least > 1);
        cut_s += one->figure("length_s");
    }
    double all_s = 0;
    for (size_t i = 1; i < d.time().size(); ++i)
        if (d.known("true_injected")[i] < 1e-6 && d.known("true_vehicle_speed")[i] > 3 &&
            d.known("true_engine_speed")[i] > 600)
            all_s += d.time()[i] - d.time()[i - 1];
    QVERIFY2(cut_s > 0.9 * all_s && cut_s < 1.1 * all_s, qPrintable(QString("%1 of %2").arg(cut_s).arg(all_s)));
}

void EventsTest::gearsAreThoseThatWereChanged() {
    const Drive& d = driven("town");
    const Column gear = d.known("true_gear");
    // From one gear to another within five seconds, the car rolling.
    size_t changed = 0, found = 0;
    double last_s = -100;
    float last = 0;
    const auto events = d.of(roles::kGear);
    for (size_t i = 1; i < gear.size(); ++i) {
        if (!(d.known("true_clutch")[i] > 99) || gear[i] < 1 || d.known("true_vehicle_speed")[i] < 12) continue;
        if (last >= 1 && gear[i] != last && d.time()[i] - last_s < 4) {
            ++changed;
            found += std::any_of(events.begin(), events.end(), [&](const auto* event) {
                return d.time()[i] > event->from_s - 1.5 && d.time()[i] < event->to_s + 1.5 &&
                       (event->what.starts_with("up") == (gear[i] > last));
            });
        }
        last = gear[i], last_s = d.time()[i];
    }
    QVERIFY2(changed > 8 && static_cast<double>(found) > 0.9 * static_cast<double>(changed),
             qPrintable(QString("%1 of %2").arg(found).arg(changed)));
    QVERIFY2(static_cast<double>(events.size()) < 1.2 * static_cast<double>(changed) + 1,
             qPrintable(QString("%1 for %2").arg(events.size()).arg(changed)));
}

void EventsTest::knockIsWhatTheControllerHeard() {
    const Drive d = driveOver({"pulls-3"}, "poor-fuel=84");
    const auto knocks = d.of(roles::kKnock);
    QVERIFY(knocks.size() >= 2);
    size_t true_ = 0;
    for (const auto* knock : knocks) {
        QVERIFY(knock->figure("heard") >= 1 && knock->figure("retard_deg") > 0.3);
        // Combustions knocked then, by the plant; a controller hears some that did not.
        true_ += d.known("true_knock_moments", knock->from_s - 0.2, knock->to_s).range() >= 1;
    }
    QVERIFY2(10 * true_ >= 8 * knocks.size(), qPrintable(QString("%1 of %2").arg(true_).arg(knocks.size())));
    // One that was not heard is none.
    QVERIFY(driven("idle").of(roles::kKnock).empty());
}

void EventsTest::aThrottleThatClosesUnderFullPedalIsFound() {
    const Drive d = driveOver({"pulls-3"});
    QVERIFY(d.of(roles::kThrottleCloses).empty());
    benchcar::BenchCar car(benchcar::kHeronStock, 1);
    car.planFaults([] {
        benchcar::FaultPlan plan;
        if (!plan.add("throttle-ceiling=0.3@60-")) qFatal("no such fault");
        return plan;
    }());
    const auto driven = bench::drive(car, {bench::kitOf(benchcar::kHeronStock)}, {"pulls-3"});
    const auto closes = eventsOf(Sampled(driven.recordings[0])).of(roles::kThrottleCloses).size();
    QVERIFY(closes >= 1);
}

void EventsTest::limpModeIsFound() {
    const Drive d = driveOver({"town"}, "pedal:dead");
    const auto limps = d.of(roles::kLimp);
    QVERIFY(!limps.empty() && limps[0]->figure("length_s") > 10);
    QVERIFY(driven("town").of(roles::kLimp).empty());
}

void EventsTest::theKeyGoesOff() {
    const Drive d = driveOver({"key-off-and-on"});
    // By the plant: how often the engine stood still after it ran.
    size_t stopped = 0;
    bool ran = false;
    for (const float rpm : d.known("true_engine_speed")) {
        if (rpm > 400) ran = true;
        if (ran && rpm < 5) ++stopped, ran = false;
    }
    const auto keys = d.of(roles::kKeyOff);
    QVERIFY2(stopped >= 1 && keys.size() == stopped, qPrintable(QString("%1 of %2").arg(keys.size()).arg(stopped)));
    // Each is followed by a start.
    QVERIFY(d.of(roles::kStart).size() >= stopped);
}

void EventsTest::whatWasLearnedIsCleared() {
    benchcar::BenchCar car(benchcar::kHeronFitted, 1);
    const auto kit = bench::kitOf(benchcar::kHeronStock);
    // The factory's calibration on larger injectors: long trims go far, and are cleared between two drives.
    auto first = bench::drive(car, {kit}, {"town"});
    QVERIFY(eventsOf(Sampled(first.recordings[0])).of(roles::kAdaptationReset).empty());
    auto joined = std::make_shared<recording::Recording>(*first.recordings[0]);
    car.controller().forgetLearned();
    const auto second = bench::drive(car, {kit}, {"idle"});
    auto& group = joined->groups[0];
    const double last_s = group.time_s.back();
    std::vector<double> time(group.time_s.times().begin(), group.time_s.times().end());
    for (const double t : second.recordings[0]->groups[0].time_s.times())
        time.push_back(last_s + t);
    group.time_s = time;
    for (size_t k = 0; k < group.channels.size(); ++k) {
        std::vector<float> values(group.channels[k].values.values().begin(), group.channels[k].values.values().end());
        const auto more = second.recordings[0]->groups[0].channels[k].values.values();
        values.insert(values.end(), more.begin(), more.end());
        group.channels[k].values = values;
    }
    const auto resets = eventsOf(Sampled(joined)).of(roles::kAdaptationReset).size();
    QCOMPARE(resets, size_t{1});
}

void EventsTest::aHealthyCarHasNoneOfTheBadOnes() {
    for (const char* route : {"pulls-3", "town", "idle", "motorway", "tip-ins"})
        for (const auto kind : {roles::kLimp, roles::kThrottleCloses, roles::kLimit, roles::kAdaptationReset,
                                roles::kGap, roles::kCode}) {
            const auto found = driven(route).of(kind);
            QVERIFY2(
                found.empty(),
                qPrintable(QString("%1: %2 at %3 s").arg(route).arg(kind).arg(found.empty() ? 0 : found[0]->from_s)));
        }
}

void EventsTest::whatIsMarkedIsAnEvent() {
    auto marked = std::make_shared<recording::Recording>(driven("idle").sampled->recording());
    marked->marks = {{3, "mark", "1"}, {4, "code", "P0172, stored"}, {5, "guard", "knock: lift"}, {6, "", "there"}};
    const auto events = eventsOf(Sampled(marked));
    QCOMPARE(events.of(roles::kMark).size(), size_t{2});
    QVERIFY(events.of(roles::kCode).size() == 1 && events.of(roles::kCode)[0]->what == "P0172, stored");
    QVERIFY(events.of(roles::kGuard).size() == 1 && events.of(roles::kGuard)[0]->from_s == 5);
    QVERIFY(std::is_sorted(events.found.begin(), events.found.end(),
                           [](const auto& a, const auto& b) { return a.from_s < b.from_s; }));
}

void EventsTest::aHoleIsAGapWithItsReason() {
    recording::Recording r;
    r.groups.resize(1);
    r.groups[0].rate_hz = 100;
    std::vector<double> time;
    std::vector<float> speed;
    for (int i = 0; i < 3000; ++i)
        if (i <= 1000 || i > 1800) time.push_back(i * 0.01), speed.push_back(900);
    r.groups[0].time_s = time;
    r.groups[0].channels = {{"n", "rpm", "", "engine_speed", speed}};
    r.marks = {{9.99, "gap", "8.0 s missing: the controller did not answer"}};
    const auto events = eventsOf(Sampled(std::make_shared<const recording::Recording>(r)));
    const auto gaps = events.of(roles::kGap);
    QCOMPARE(gaps.size(), size_t{1});
    QVERIFY(std::abs(gaps[0]->figure("length_s") - 8.01) < 0.02 &&
            gaps[0]->what.find("did not answer") != std::string::npos);
    QCOMPARE(events.of(roles::kKeyOff).size(), size_t{1});
    // Nobody said why, but the engine turns slowly behind it: it had stood.
    r.marks.clear();
    QVERIFY(eventsOf(Sampled(std::make_shared<const recording::Recording>(r))).of(roles::kKeyOff).empty());
    speed[1001] = 120;
    r.groups[0].channels[0].values = speed;
    QCOMPARE(eventsOf(Sampled(std::make_shared<const recording::Recording>(r))).of(roles::kKeyOff).size(), size_t{1});
    // Nothing that holds across it is one.
    for (const auto& span : spansWhere(std::span<const double>(time), [](size_t) { return true; }))
        QVERIFY(time[span.end - 1] - time[span.begin] < 13);
}

void EventsTest::whatLacksIsNamed() {
    recording::Recording r;
    r.groups.resize(1);
    r.groups[0].rate_hz = 10;
    r.groups[0].time_s = std::vector<double>{0, 0.1, 0.2};
    r.groups[0].channels = {{"n", "rpm", "", "engine_speed", std::vector<float>{900, 900, 900}}};
    const auto events = eventsOf(Sampled(std::make_shared<const recording::Recording>(r)));
    const auto at = std::find_if(events.notLooked.begin(), events.notLooked.end(),
                                 [](const auto& one) { return one.kind == roles::kPull; });
    QVERIFY(at != events.notLooked.end() && at->lacks.size() == 1 && at->lacks[0] == roles::Role("pedal"));
    QVERIFY(std::none_of(events.notLooked.begin(), events.notLooked.end(),
                         [](const auto& one) { return one.kind == roles::kMark || one.kind == roles::kStart; }));
}

void EventsTest::anotherCarsUnitsGiveTheSameEvents() {
    const Drive& d = driven("pulls-3");
    auto foreign = std::make_shared<recording::Recording>(d.sampled->recording());
    const auto turn = [&](const char* role, const char* unit, float factor) {
        for (auto& group : foreign->groups)
            for (auto& channel : group.channels) {
                if (channel.role != role) continue;
                std::vector<float> values(channel.values.values().begin(), channel.values.values().end());
                for (float& v : values)
                    v *= factor;
                channel.values = values;
                channel.unit = unit;
            }
    };
    turn("vehicle_speed", "mph", 1 / 1.609344f);
    turn("manifold_pressure", "mbar", 10);
    turn("lambda_measured", "AFR", 14.7f);
    const auto events = eventsOf(Sampled(foreign));
    const auto mine = d.of(roles::kPull), theirs = events.of(roles::kPull);
    QCOMPARE(theirs.size(), mine.size());
    for (size_t i = 0; i < mine.size(); ++i) {
        QVERIFY(std::abs(mine[i]->from_s - theirs[i]->from_s) < 0.02 &&
                std::abs(mine[i]->to_s - theirs[i]->to_s) < 0.02);
        for (const char* id : {"pressure_peak_kpa", "lambda_measured", "to_rpm"})
            QVERIFY2(std::abs(mine[i]->figure(id) / theirs[i]->figure(id) - 1) < 1e-3, id);
    }
    QCOMPARE(events.of(roles::kGear).size(), d.of(roles::kGear).size());
}

void EventsTest::aSlowRecorderSeesThePullsToo() {
    // One row of a hundred, as a car tells that is asked once a second.
    const Drive& d = driven("pulls-3");
    auto slow = std::make_shared<recording::Recording>(d.sampled->recording());
    for (auto& group : slow->groups) {
        const auto times = group.time_s.times();
        std::vector<double> time;
        for (size_t i = 0; i < times.size(); i += 100)
            time.push_back(times[i]);
        for (auto& channel : group.channels) {
            const auto all = channel.values.values();
            std::vector<float> values;
            for (size_t i = 0; i < all.size(); i += 100)
                values.push_back(all[i]);
            channel.values = values;
        }
        group.time_s = time;
        group.rate_hz = 1;
    }
    const auto events = eventsOf(Sampled(slow));
    const auto mine = d.of(roles::kPull), theirs = events.of(roles::kPull);
    QCOMPARE(theirs.size(), mine.size());
    for (size_t i = 0; i < mine.size(); ++i)
        QVERIFY(std::abs(mine[i]->from_s - theirs[i]->from_s) < 1.2 && std::abs(mine[i]->to_s - theirs[i]->to_s) < 1.2);
    QVERIFY(!events.of(roles::kIdle).empty() && !events.of(roles::kOverrun).empty());
    QVERIFY(events.of(roles::kGap).empty() && events.of(roles::kKeyOff).empty());
}

void EventsTest::anEmptyDriveHasNoEvents() {
    recording::Recording r;
    QVERIFY(eventsOf(Sampled(std::make_shared<const recording::Recording>(r))).found.empty());
    r.groups.resize(1);
    r.groups[0].channels = {{"n", "rpm", "", "engine_speed", {}}, {"p", "%", "", "pedal", {}}};
    QVERIFY(eventsOf(Sampled(std::make_shared<const recording::Recording>(r))).found.empty());
}

QTEST_GUILESS_MAIN(EventsTest)
#include "EventsTest.moc"
