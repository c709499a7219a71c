// Guards, triggers and what is kept from before, on rows that are made up.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "Expect.h"
#include "core/drive/Guard.h"
#include "core/drive/Trigger.h"

using namespace brusk;
using namespace brusk::drive;

namespace {

constexpr double kStep_s = 0.01;

/// A controller at 100 Hz and a sensor at 50.
recording::Recording layout() {
    recording::Recording out;
    out.groups.resize(2);
    out.groups[0].rate_hz = 100;
    out.groups[0].channels = {{"pedal", "%", "", "pedal", {}}, {"ect", "\u00b0F", "", "coolant", {}}};
    out.groups[1].rate_hz = 50;
    out.groups[1].channels = {{"wide", "lambda", "", "lambda_measured", {}}};
    return out;
}

/// Times of the trips of a guard on a pedal that moves as somebody says; NaN: no row then.
std::vector<double> trips(const Guard& guard, double seconds, const std::function<double(double)>& pedal) {
    LiveLayout live(layout(), 2);
    auto watch = GuardWatch::compile({guard}, live);
    if (!watch) qFatal("%s", watch.error().text().c_str());
    std::vector<double> out;
    for (int i = 0; i * kStep_s < seconds; ++i) {
        const double t = i * kStep_s;
        if (std::isnan(pedal(t))) continue;
        const float row[] = {static_cast<float>(pedal(t)), 200};
        live.take(0, t, row);
        watch->step(t, live, [&](const Guard&) { out.push_back(t); });
    }
    return out;
}

std::vector<roles::Role> rolesOf(std::initializer_list<const char*> ids) {
    std::vector<roles::Role> out;
    for (const char* id : ids)
        out.push_back(roles::Role::named(id).value());
    return out;
}

}  // namespace

class DriveTest : public QObject {
    Q_OBJECT
  private slots:
    void whatWasSaidLongAgoIsNotSaidNow();
    void conditionsSpeakInTheUnitsOfRoles();
    void aGuardTripsOnceItsConditionHasHeldLongEnough();
    void aGuardTripsAgainOnlyWhenItWasOver();
    void nothingHoldsAcrossAGap();
    void whatCantBeAskedIsNamed();
    void guardsAreAskedAsTheCarCanBeAsked();
    void aPumpThatGivesWayTripsItsGuard();
    void aTriggerHasATail();
    void whatIsKeptFromBeforeIsBounded();
};

void DriveTest::whatWasSaidLongAgoIsNotSaidNow() {
    LiveLayout live(layout(), 2);
    QVERIFY(std::isnan(live.at(2, 0)));
    const float sensor[] = {0.9f};
    live.take(1, 1.0, sensor);
    QCOMPARE(live.at(2, 1.059), static_cast<double>(0.9f));
    QVERIFY(std::isnan(live.at(2, 1.061)));
    // Groups that were not asked for are not there.
    QCOMPARE(LiveLayout(layout(), 1).vocabulary().names.size(), size_t{2});
}

void DriveTest::conditionsSpeakInTheUnitsOfRoles() {
    LiveLayout live(layout(), 2);
    auto hot = LiveCondition::compile("<coolant> > 110 \u00b0C", live);
    EXPECT_OK(hot);
    for (const auto& [fahrenheit, is] : {std::pair{229.f, false}, {231.f, true}}) {
        const float row[] = {0, fahrenheit};
        live.take(0, 1, row);
        QCOMPARE(hot->step(1, live), is);
    }
    // Nobody can tell: it does not hold.
    auto lean = LiveCondition::compile("<lambda_measured> > 0.9 lambda", live);
    EXPECT_OK(lean);
    QVERIFY(!lean->step(1, live));
    EXPECT_FAILS(LiveCondition::compile("<pedal> * 2", live), "is a number");
    EXPECT_FAILS(LiveCondition::compile("<knock retard> > 3 \u00b0", live), "knock retard");
}

void DriveTest::aGuardTripsOnceItsConditionHasHeldLongEnough() {
    const Guard guard{"", "down", "<pedal> > 80 %", "", 0.3, "down", true};
    QCOMPARE(trips(guard, 3, [](double) { return 90; }).size(), size_t{1});
    const auto at = trips(guard, 3, [](double t) { return t >= 1 ? 90 : 10; });
    QVERIFY(at.size() == 1 && std::abs(at[0] - 1.3) < 1e-9);
    // 0.25 s at a time are never 0.3 s.
    QVERIFY(trips(guard, 10, [](double t) { return std::fmod(t, 0.5) < 0.25 ? 90 : 10; }).empty());
}

void DriveTest::aGuardTripsAgainOnlyWhenItWasOver() {
    Guard guard{"", "down", "<pedal> > 80 %", "", 0, "down", true};
    // Flickering about the border is one trip; a second after a calm half second.
    const auto flicker = [](double t) { return t < 2 ? (std::fmod(t, 0.2) < 0.1 ? 81 : 79) : t < 3 ? 10 : 90; };
    QCOMPARE(trips(guard, 5, flicker).size(), size_t{2});
    // With a border of its own for "over", the pedal has to come back that far.
    guard.calm = "<pedal> < 50 %";
    const auto half = [](double t) { return std::fmod(t, 2.0) < 1 ? 90 : 60; };
    QCOMPARE(trips(guard, 9, half).size(), size_t{1});
    const auto far = [](double t) { return std::fmod(t, 2.0) < 1 ? 90 : 40; };
    QCOMPARE(trips(guard, 9, far).size(), size_t{5});
}

void DriveTest::nothingHoldsAcrossAGap() {
    const Guard guard{"", "down", "<pedal> > 80 %", "", 0.5, "down", true};
    const auto at = trips(guard, 3, [](double t) { return t > 0.4 && t < 1.4 ? std::nan("") : 90; });
    QVERIFY(at.size() == 1 && std::abs(at[0] - 1.9) < 0.02);
}

void DriveTest::whatCantBeAskedIsNamed() {
    LiveLayout live(layout(), 2);
    EXPECT_FAILS(GuardWatch::compile({{"", "hot oil", "{oil} > 120", "", 0, "", true}}, live), "\"hot oil\"");
    EXPECT_FAILS(GuardWatch::compile({{"", "down", "<pedal> > 80 %", "<pedal>", 0, "", true}}, live), "\"down\"");
    EXPECT_FAILS(Trigger::compile({"<pedal>", 5, 1}, live), "is a number");
    EXPECT_FAILS(Trigger::compile({"<pedal> > 80 %", 601, 1}, live), "600 s");
    EXPECT_OK(Trigger::compile({"<pedal> > 80 %", 600, 0}, live));
}

void DriveTest::guardsAreAskedAsTheCarCanBeAsked() {
    const auto idsOf = [](const ShippedGuards& shipped) {
        QStringList out;
        for (const Guard& guard : shipped.guards)
            out << qs(guard.id);
        return out.join(" ");
    };
    const auto bare = shippedGuards(recording::vocabularyOf(layout()), {});
    QCOMPARE(idsOf(bare), QString("lean-under-load coolant-hot"));
    QVERIFY(bare.guards[0].condition.find("<pedal> > 85 %") != std::string::npos);
    const auto lack = std::find_if(bare.lacks.begin(), bare.lacks.end(),
                                   [](const auto& one) { return one.kind.id == "knock-retard"; });
    QVERIFY(lack != bare.lacks.end() && lack->roles == rolesOf({"knock_retard"}));
    // What a kind needs a number for is not offered without it, nor called a lack.
    QVERIFY(std::none_of(bare.lacks.begin(), bare.lacks.end(),
                         [](const auto& one) { return one.kind.id == "boost-above"; }));

    auto whole = layout();
    for (const char* role : {"lambda_asked", "manifold_pressure", "barometric_pressure", "fuel_cut", "knock_retard",
                             "boost_target_now", "injector_duty", "battery", "engine_speed", "fuel_pressure"})
        whole.groups[0].channels.push_back({role, std::string(roles::meaningOf(role)->unit), "", role, {}});
    const auto vocabulary = recording::vocabularyOf(whole);
    const auto all = shippedGuards(vocabulary, {84, 80});
    QCOMPARE(all.guards.size(), guardKinds().size());
    QVERIFY(all.lacks.empty());
    LiveLayout live(whole, 2);
    EXPECT_OK(GuardWatch::compile(all.guards, live));
    for (const Guard& guard : all.guards) {
        if (guard.id == "boost-above") QVERIFY(guard.condition.find("> 99.0 kPa") != std::string::npos);
        if (guard.id == "coolant-hot") QVERIFY(guard.condition.find("> 102.0 ") != std::string::npos);
    }
}

void DriveTest::aPumpThatGivesWayTripsItsGuard() {
    recording::Recording pumped;
    pumped.groups.resize(1);
    pumped.groups[0].rate_hz = 100;
    pumped.groups[0].channels = {{"p", "kPa", "", "fuel_pressure", {}}, {"pedal", "%", "", "pedal", {}}};
    auto shipped = shippedGuards(recording::vocabularyOf(pumped), {});
    std::erase_if(shipped.guards, [](const Guard& guard) { return guard.id != "fuel-pressure"; });
    const auto trips = [&](float falls_kPa, float pedal_pct) {
        LiveLayout live(pumped, 1);
        auto watch = *GuardWatch::compile(shipped.guards, live);
        int out = 0;
        for (int i = 0; i < 2000; ++i) {
            const double time_s = i * 0.01;
            const float row[] = {time_s > 12 ? 350 - falls_kPa : 350, time_s > 12 ? pedal_pct : 15};
            live.take(0, time_s, row);
            watch.step(time_s, live, [&](const Guard&) { ++out; });
        }
        return out;
    };
    QCOMPARE(trips(70, 100), 1);
    QCOMPARE(trips(40, 100), 0);  // a regulator is not that stiff
    QCOMPARE(trips(70, 20), 0);   // it follows the manifold
}

void DriveTest::aTriggerHasATail() {
    LiveLayout live(layout(), 2);
    auto trigger = Trigger::compile({"held(<pedal> > 80 %, 0.3 s)", 5, 1}, live);
    EXPECT_OK(trigger);
    double begun = 0, ended = 0;
    for (int i = 0; i < 600; ++i) {
        const double t = i * kStep_s;
        const float row[] = {t >= 1 && t < 2 ? 90.f : 10.f, 200};
        live.take(0, t, row);
        const bool was = trigger->open(), is = trigger->step(t, live);
        if (is && !was) begun = t;
        if (was && !is) ended = t;
    }
    QVERIFY2(std::abs(begun - 1.3) < 0.011, qPrintable(QString::number(begun)));
    QVERIFY2(std::abs(ended - 3) < 0.021, qPrintable(QString::number(ended)));
}

void DriveTest::whatIsKeptFromBeforeIsBounded() {
    PreRoll before(layout(), 2, 5);
    for (int i = 0; i < 100000; ++i) {
        const float row[] = {static_cast<float>(i), 1};
        before.push(0, i * kStep_s, row);
        if (i % 2 == 0) before.push(1, i * kStep_s, std::span(row).first(1));
    }
    const double now_s = 100000 * kStep_s;
    std::vector<double> times;
    bool same = true;
    before.drain(0, now_s, [&](double t, std::span<const float> row) {
        times.push_back(t);
        same = same && row.size() == 2 && row[0] == static_cast<float>(std::lround(t / kStep_s)) && row[1] == 1;
    });
    QVERIFY(same && times.size() == 500 && std::is_sorted(times.begin(), times.end()));
    size_t sensor = 0;
    before.drain(1, now_s, [&](double, std::span<const float>) { ++sensor; });
    QCOMPARE(sensor, size_t{250});
    // It is handed over once.
    before.drain(0, now_s, [&](double, std::span<const float>) { sensor = 0; });
    QCOMPARE(sensor, size_t{250});
    const float row[] = {1, 1};
    before.push(0, now_s, row);
    before.clear();
    before.drain(0, now_s, [&](double, std::span<const float>) { sensor = 0; });
    QCOMPARE(sensor, size_t{250});
}

QTEST_APPLESS_MAIN(DriveTest)
#include "DriveTest.moc"
