// Settling, the wideband's delay, cells and figures of made-up drives with a known truth.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <random>

#include "Expect.h"
#include "core/evidence/CellFit.h"
#include "core/evidence/Coverage.h"
#include "core/evidence/Drives.h"
#include "core/evidence/MapSamples.h"
#include "core/units/Units.h"

using namespace brusk;
using namespace brusk::evidence;

namespace {

/// The columns of a made-up drive; trims as fractions.
struct Made {
    std::vector<double> time_s, speed_rpm, pressure_kPa, throttle_pct, coolant_C, lambdaAsked, shortTrim, longTrim,
        airflow_kgh, fuelCut, exhaust_C, widebandTime_s, wideband;
};

constexpr double kPipe_g = 0.7, kCycles = 0.75, kSensorLag_s = 0.06, kExhaust_C = 600;

/// The transport that the made-up car has, by the physics of 0.7 g at 760 K in a pipe whose gas has lost a fifth of its
/// heat to 320 K.
double transport_s(double flow_kgh, double rpm) {
    return kCycles * 120 / rpm + kPipe_g * 760 / (0.8 * (kExhaust_C + 273.15) + 64) / (flow_kgh / 3.6 * 1.07);
}

/// A drive at 100 Hz whose engine breathes `truth` times what the controller thinks; the wideband tells it after the
/// gas was pushed out, with a lag.
Made makeDrive(double seconds, double truth, unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0, 0.004);
    Made c;
    const auto n = static_cast<size_t>(seconds * 100);
    double trim = 0, direction = 1;
    for (size_t i = 0; i < n; ++i) {
        const double t = static_cast<double>(i) * 0.01;
        c.time_s.push_back(t);
        c.speed_rpm.push_back(2000 + 300 * std::sin(t / 11));
        c.pressure_kPa.push_back(60);
        c.throttle_pct.push_back(15);
        c.coolant_C.push_back(88);
        c.lambdaAsked.push_back(1);
        // A limit cycle like a lambda loop's, with an uneven period.
        trim += direction * 0.0003;
        if (std::abs(trim) > 0.02 + 0.01 * std::sin(t)) direction = -direction, trim += direction * 0.012;
        c.shortTrim.push_back(trim);
        c.longTrim.push_back(0.01);
        c.airflow_kgh.push_back(20 + 60 * (0.5 + 0.5 * std::sin(t / 17)));
        c.fuelCut.push_back(0);
        c.exhaust_C.push_back(kExhaust_C);
    }
    double shown = 1;
    for (size_t i = 0; i < n; ++i) {
        const double t = static_cast<double>(i) * 0.01 + 0.008;
        // What was injected one transport earlier; a value holds until the next.
        size_t k = i;
        for (int pass = 0; pass < 3; ++pass) {
            const double left_s = t - 0.008 - transport_s(c.airflow_kgh[k], c.speed_rpm[k]);
            k = static_cast<size_t>(std::max(0.0, std::floor(left_s * 100 + 1e-9)));
        }
        const double injected = (1 + c.shortTrim[k]) * (1 + c.longTrim[k]) / truth;
        shown += (injected - shown) * (1 - std::exp(-0.01 / kSensorLag_s));
        c.widebandTime_s.push_back(t);
        c.wideband.push_back(1 / shown * (1 + noise(random)));
    }
    return c;
}

/// The columns of a drive as a recording; `foreign`: in the units of another maker's definition.
std::shared_ptr<const recording::Recording> recorded(const Made& c, bool foreign = false) {
    auto out = std::make_shared<recording::Recording>();
    out->groups.resize(2);
    auto &group = out->groups[0], &wideband = out->groups[1];
    group.time_s = c.time_s;
    const auto add = [&](const char* role, const std::vector<double>& values, const char* unit, double scale = 1,
                         double offset = 0) {
        recording::Channel channel{std::string(foreign ? "Z_" : "") + role, unit, "", role, {}};
        for (const double v : values)
            channel.values.push_back(static_cast<float>(v * scale + offset));
        group.channels.push_back(std::move(channel));
    };
    add("engine_speed", c.speed_rpm, foreign ? "1/min" : "rpm");
    add("manifold_pressure", c.pressure_kPa, foreign ? "mbar" : "kPa", foreign ? 10 : 1);
    add("throttle", c.throttle_pct, "%");
    add("coolant", c.coolant_C, foreign ? "K" : "\u00b0C", 1, foreign ? 273.15 : 0);
    add("lambda_asked", c.lambdaAsked, foreign ? "AFR" : "lambda", foreign ? 14.7 : 1);
    add("short_trim", c.shortTrim, foreign ? "factor" : "%", foreign ? 1 : 100, foreign ? 1 : 0);
    add("long_trim", c.longTrim, foreign ? "" : "%", foreign ? 1 : 100, foreign ? 1 : 0);
    add("airflow", c.airflow_kgh, foreign ? "g/s" : "kg/h", foreign ? 1 / 3.6 : 1);
    add("fuel_cut", c.fuelCut, "");
    add("exhaust_temperature", c.exhaust_C, "\u00b0C");
    wideband.time_s = c.widebandTime_s;
    wideband.channels.push_back({"wb", foreign ? "AFR" : "lambda", "", "lambda_measured", {}});
    for (const double v : c.wideband)
        wideband.channels[0].values.push_back(static_cast<float>(v * (foreign ? 14.7 : 1)));
    return out;
}

Drives drivesOf(const Made& drive) {
    return Drives({recorded(drive)});
}

/// A table over speed and pressure, and a definition of what moves along its axes.
struct MapOfTwo {
    definition::Definition definition;
    calibration::Table table;
    explicit MapOfTwo(bool exchanged = false) {
        definition.measurements = {{}, {}};
        definition.measurements[0].name = "n", definition.measurements[0].role = "engine_speed";
        definition.measurements[1].name = "p", definition.measurements[1].role = "manifold_pressure";
        definition.index();
        auto &speed = exchanged ? table.y : table.x, &pressure = exchanged ? table.x : table.y;
        speed.input = "n", speed.unit = exchanged ? "1/min" : "rpm", speed.values = {600, 2000, 4000, 6800};
        pressure.input = "p", pressure.unit = exchanged ? "mbar" : "kPa";
        pressure.values = exchanged ? std::vector<double>{200, 600, 2000} : std::vector<double>{20, 60, 200};
    }
};

}  // namespace

class EvidenceTest : public QObject {
    Q_OBJECT
  private slots:
    void fuelErrorCountsVisitedCellsOnly();
    void driveFiguresTellKnockBoostAndIdle();
    void driveFiguresWithoutChannelsSayNothing();
    void theWidebandDelayIsFoundFromTheData();
    void withoutExcitationTheDelayIsTheDefaultAndSaysSo();
    void everySampleIsBookedOnceAndOnTheRightRule();
    void theRatioHoldsInClosedAndOpenLoopAlike();
    void missingChannelsAreNamed();
    void theSameDriveInOtherUnitsGivesTheSameSamples();
    void aUnitOfAnotherQuantityIsRefused();
    void aDriveThatTellsNoDelayBorrowsTheCarsEarlierOne();
    void anExpressionLeavesOutWhatItDoesNotHoldFor();
    void samplesOfHeatSoakPurgeAndLimpModeAreLeftOut();
    void aColumnIsConvertedOnceWhoeverAsks();
    void samplesFallIntoTheSameCellsWhicheverAxisRunsAcross();
    void momentsLeadToCellsAndCellsToMoments();
    void anExpressionIsWatchedAndAWrongOneIsSaid();
    void aDriveWithoutWidebandTakesNothingFromTheOthers();
    void boostThatNeverComesNearItsTargetIsAnError();
    void coverageCountsSeconds();
    void stoichiometricRatioFollowsTheBlend();
    void unitsConvertExactly();
};

void EvidenceTest::fuelErrorCountsVisitedCellsOnly() {
    std::vector<CellStat> cells(4);
    cells[0].count = 100, cells[0].mean = 1.1;
    cells[1].count = 100, cells[1].mean = 0.9;
    cells[2].count = 5, cells[2].mean = 2;
    const auto error = fuelError(cells, 20);
    QCOMPARE(error.cells, size_t{2});
    QVERIFY(std::abs(error.rms - 0.1) < 1e-12);
    QCOMPARE(fuelError({}, 20).cells, size_t{0});
}

void EvidenceTest::theWidebandDelayIsFoundFromTheData() {
    const Sampled one(recorded(makeDrive(200, 1.0, 5))), other(recorded(makeDrive(200, 1.1, 6)));
    const auto delay = measureDelay({*engineColumns(one), *engineColumns(other)}, std::nullopt);
    QVERIFY(delay.measured());
    QVERIFY(delay.events > 50);
    for (const double flow : {25.0, 50.0, 75.0}) {
        const double found = delay.transport_s(flow, 2000, kExhaust_C), is = transport_s(flow, 2000);
        QVERIFY2(std::abs(found - is) < 0.012,
                 qPrintable(QString("%1 for %2 at %3 kg/h").arg(found).arg(is).arg(flow)));
        QVERIFY(std::abs(found - is) < 2 * delay.doubt_s(flow, 2000, kExhaust_C));
    }
    QVERIFY2(std::abs(delay.lag_s - kSensorLag_s) < 0.02, qPrintable(QString::number(delay.lag_s)));
}

void EvidenceTest::withoutExcitationTheDelayIsTheDefaultAndSaysSo() {
    auto drive = makeDrive(60, 1.0, 5);
    std::fill(drive.shortTrim.begin(), drive.shortTrim.end(), 0);
    const Sampled sampled(recorded(drive));
    const auto delay = measureDelay({*engineColumns(sampled)}, std::nullopt);
    QVERIFY(!delay.measured());
    QCOMPARE(delay.at(26, 2000, 600), WidebandDelay{}.at(26, 2000, 600));
    QVERIFY(!measureDelay({}, std::nullopt).measured());
}

void EvidenceTest::aDriveThatTellsNoDelayBorrowsTheCarsEarlierOne() {
    auto drive = makeDrive(60, 1.0, 5);
    std::fill(drive.shortTrim.begin(), drive.shortTrim.end(), 0);
    Drives::Options options;
    options.delay = WidebandDelay{};
    options.delay->mass_g = 0.55;
    const Drives borrowing({recorded(drive)}, options);
    QVERIFY(borrowing.mixture()->delay.from == WidebandDelay::From::Borrowed);
    QCOMPARE(borrowing.mixture()->delay.mass_g, 0.55);
    // One that tells its own takes nobody's.
    const Drives telling({recorded(makeDrive(120, 1.0, 5))}, options);
    QVERIFY(telling.mixture()->delay.measured());
}

void EvidenceTest::everySampleIsBookedOnceAndOnTheRightRule() {
    auto c = makeDrive(60, 1.0, 5);
    const auto stretch = [](double from, double to, std::vector<double>& column, double value) {
        for (size_t i = static_cast<size_t>(from * 100); i < static_cast<size_t>(to * 100); ++i)
            column[i] = value;
    };
    stretch(0, 5, c.speed_rpm, 0);
    stretch(5, 10, c.coolant_C, 30);
    stretch(20, 21, c.fuelCut, 1);
    stretch(30, 32, c.pressure_kPa, 90);
    stretch(40, 41, c.lambdaAsked, 0.9);
    for (size_t i = 5000; i < 5200; ++i)
        c.wideband[i] = 4;
    const Drives drives = drivesOf(c);
    const auto& mixture = *drives.mixture();
    const LeftOut& cost = mixture.leftOut;
    QCOMPARE(cost.recorded, size_t{6000});
    QCOMPARE(cost.kept, mixture.size());
    size_t booked = cost.kept;
    for (const auto& rule : cost.costs)
        booked += rule.samples;
    QCOMPARE(booked, cost.recorded);
    QCOMPARE(cost.of("not-running"), size_t{500});
    QCOMPARE(cost.of("cold"), size_t{500});
    QCOMPARE(cost.of("just-started"), size_t{500});                   // of ten seconds the first five are cold
    QVERIFY(cost.of("fuel-cut") > 230 && cost.of("fuel-cut") < 300);  // the cut, 1.5 s after it, the delay before it
    QVERIFY(cost.of("moving") > 100 && cost.of("asked-changed") > 20);
    QVERIFY(cost.of("no-wideband") > 190 && cost.of("no-wideband") < 225);
    for (const uint32_t i : mixture.drives[0].row)
        QVERIFY(!(c.time_s[i] > 19.99 && c.time_s[i] < 22.4));
}

void EvidenceTest::anExpressionLeavesOutWhatItDoesNotHoldFor() {
    const auto drive = recorded(makeDrive(60, 1.0, 5));
    Drives::Options options;
    options.rules.expression = "engine_speed > 2000";
    const Drives all({drive}), some({drive}, options);
    const auto& kept = some.mixture()->drives[0].row;
    QVERIFY(!kept.empty() && kept.size() < all.mixture()->size());
    for (const uint32_t i : kept)
        QVERIFY(some[0].column("engine_speed").value()[i] > 2000);
    QCOMPARE(some.mixture()->leftOut.of("expression") + kept.size(), all.mixture()->size());
    options.rules.expression = "nobody > 3";
    EXPECT_FAILS(Drives({drive}, options).mixture(), "no channel \"nobody\"");
}

void EvidenceTest::samplesOfHeatSoakPurgeAndLimpModeAreLeftOut() {
    const auto plain = makeDrive(300, 1.0, 5);
    auto drive = std::make_shared<recording::Recording>(*recorded(plain));
    auto& group = drive->groups[0];
    const size_t n = group.time_s.size();
    std::vector<float> road(n, 50), purge(n, 0), limp(n, 0);
    std::fill(road.begin(), road.begin() + 13000, 0.0f);  // stands for 130 s
    std::fill(purge.begin() + 20000, purge.begin() + 21000, 30.0f);
    std::fill(limp.begin() + 25000, limp.begin() + 25500, 1.0f);
    group.channels.push_back({"v", "km/h", "", "vehicle_speed", road});
    group.channels.push_back({"purge", "%", "", "purge_duty_now", purge});
    group.channels.push_back({"limp", "", "", "limp_mode", limp});
    const Drives drives({drive});
    const LeftOut& cost = drives.mixture()->leftOut;
    QCOMPARE(cost.of("purge"), size_t{1000});
    QCOMPARE(cost.of("limp"), size_t{500});
    // The last ten seconds of the stop, and a minute after it.
    QVERIFY2(std::abs(static_cast<double>(cost.of("heat-soak")) - 7000) < 30,
             qPrintable(QString::number(cost.of("heat-soak"))));
}

void EvidenceTest::theRatioHoldsInClosedAndOpenLoopAlike() {
    // 10 % more air than thought: open loop shows it in lambda, closed loop in the trims.
    QVERIFY(std::abs(airRatioOf(1.10, 1.0, 0, 0) - 1.1) < 1e-12);
    QVERIFY(std::abs(airRatioOf(1.0, 1.0, 0.06, 1.1 / 1.06 - 1) - 1.1) < 1e-12);
    QVERIFY(std::abs(airRatioOf(0.88, 0.80, 0, 0) - 1.1) < 1e-12);
}

void EvidenceTest::missingChannelsAreNamed() {
    recording::Recording r;
    EXPECT_FAILS(engineColumns(Sampled(std::make_shared<const recording::Recording>(r))), "no engine speed");
    recording::Group& g = r.groups.emplace_back();
    g.time_s = {0};
    g.channels.push_back({"rpm", "rpm", "", "engine_speed", {800}});
    EXPECT_FAILS(engineColumns(Sampled(std::make_shared<const recording::Recording>(r))), "no manifold pressure");
}

void EvidenceTest::theSameDriveInOtherUnitsGivesTheSameSamples() {
    const Made drive = makeDrive(120, 1.07, 5);
    const Drives ours({recorded(drive)}), theirs({recorded(drive, true)});
    const auto &a = ours.mixture(), &b = theirs.mixture();
    EXPECT_OK(a);
    EXPECT_OK(b);
    QVERIFY(a->size() > 1000 && a->size() == b->size());
    QVERIFY(std::abs(a->delay.mass_g - b->delay.mass_g) < 1e-4 && std::abs(a->delay.lag_s - b->delay.lag_s) < 1e-4);
    size_t differ = 0;
    for (size_t i = 0; i < a->size(); ++i) {
        // A sample of the wideband that lies on the border of its average may count in one and not in the other.
        const float off = std::abs(a->drives[0].ratio[i] - b->drives[0].ratio[i]);
        differ += off > 1e-5f;
        QVERIFY(off < 0.005f);
    }
    QVERIFY2(differ < a->size() / 20, qPrintable(QString("%1 of %2").arg(differ).arg(a->size())));
}

void EvidenceTest::aUnitOfAnotherQuantityIsRefused() {
    recording::Recording odd = *recorded(makeDrive(5, 1, 5));
    odd.groups[0].channels[1].unit = "rpm";
    EXPECT_FAILS(Drives({std::make_shared<const recording::Recording>(odd)}).mixture(),
                 "manifold pressure in rpm, which can't be turned into kPa");
    // A unit that nobody knows is taken for the role's own.
    odd.groups[0].channels[1].unit = "kilopas";
    EXPECT_OK(Drives({std::make_shared<const recording::Recording>(odd)}).mixture());
}

void EvidenceTest::aColumnIsConvertedOnceWhoeverAsks() {
    const Sampled drive(recorded(makeDrive(5, 1, 5), true));
    for (int i = 0; i < 3; ++i) {
        QCOMPARE(drive.column("manifold_pressure").value()[7], 60.0f);
        QVERIFY(drive.column("lambda_measured").value().size() == drive.size());
    }
    const auto times = drive.conversions();
    QCOMPARE(times.at("Z_manifold_pressure"), size_t{1});
    QCOMPARE(times.at("wb"), size_t{1});
}

void EvidenceTest::samplesFallIntoTheSameCellsWhicheverAxisRunsAcross() {
    auto drive = makeDrive(300, 1.0, 5);
    std::mt19937 random(9);
    std::uniform_real_distribution<double> speed(500, 7000), pressure(10, 210);
    for (size_t i = 0; i < drive.time_s.size(); ++i)
        drive.speed_rpm[i] = speed(random), drive.pressure_kPa[i] = pressure(random);
    const Drives drives = drivesOf(drive);
    const MapOfTwo ours, theirs(true);
    // Neither table names a channel of the recording: what plays the role of its input is taken.
    const MapSamples a(ours.definition, ours.table, drives, Measure::channel("short_trim")),
        b(theirs.definition, theirs.table, drives, Measure::channel("short_trim"));
    QVERIFY(a.recorded && b.recorded);
    const auto mine = a.cells(), other = b.cells();
    QCOMPARE(mine.size(), size_t(12));
    for (size_t row = 0; row < 3; ++row)
        for (size_t column = 0; column < 4; ++column) {
            const auto &m = mine[row * 4 + column], &o = other[column * 3 + row];
            QVERIFY(std::abs(static_cast<double>(m.count) - static_cast<double>(o.count)) <= 1);
            QVERIFY(m.count > 100 && std::abs(m.mean - o.mean) < 1e-4);
            QCOMPARE(*a.axes.at("engine_speed", row, column), *b.axes.at("engine_speed", column, row));
            QVERIFY(std::abs(*a.axes.at("manifold_pressure", row, column) -
                             *b.axes.at("manifold_pressure", column, row)) < 1e-9);
        }
    QVERIFY(!a.axes.at("coolant", 0, 0));
}

void EvidenceTest::momentsLeadToCellsAndCellsToMoments() {
    auto drive = makeDrive(40, 1.0, 5);
    for (size_t i = 0; i < drive.time_s.size(); ++i)
        drive.speed_rpm[i] = i < 1000 || i >= 3000 ? 2000 : 4000;
    const Drives drives = drivesOf(drive);
    const MapOfTwo map;
    const MapSamples samples(map.definition, map.table, drives, Measure::presence());
    const size_t cell = 1 * 4 + 1;
    const auto moments = samples.moments(cell);
    QCOMPARE(moments.size(), size_t{2});
    QCOMPARE(moments[0].from_s, 0.0);
    QVERIFY(std::abs(moments[0].to_s - 9.99) < 1e-9 && std::abs(moments[1].from_s - 30) < 1e-9);
    QCOMPARE(*samples.cellAt(0, 5), cell);
    QCOMPARE(*samples.cellAt(0, 20), cell + 1);
    QVERIFY(!samples.cellAt(0, 100) && !samples.cellAt(1, 5));
    QCOMPARE(samples.times(cell, 0).size(), size_t{2000});
}

void EvidenceTest::anExpressionIsWatchedAndAWrongOneIsSaid() {
    const Drives drives = drivesOf(makeDrive(40, 1.0, 5));
    const MapOfTwo map;
    const MapSamples trims(map.definition, map.table, drives, Measure::ofExpression("short_trim + long_trim"));
    QVERIFY(!trims.problem && trims.size() == drives[0].size());
    const auto shortTrim = *drives[0].column("short_trim"), longTrim = *drives[0].column("long_trim");
    for (size_t i = 0; i < trims.size(); ++i)
        QVERIFY(std::abs(trims.value[i] - shortTrim[trims.row[i]] - longTrim[trims.row[i]]) < 1e-4f);
    const MapSamples wrong(map.definition, map.table, drives, Measure::ofExpression("nobody + 1"));
    QVERIFY(wrong.recorded && wrong.size() == 0 && wrong.problem);
    QVERIFY(qs(wrong.problem->message).contains("no channel \"nobody\""));
    const MapSamples silent(map.definition, map.table, drives, Measure::channel("knock_retard"));
    QVERIFY(silent.problem && qs(silent.problem->message).contains("no knock retard"));
}

void EvidenceTest::aDriveWithoutWidebandTakesNothingFromTheOthers() {
    const auto whole = recorded(makeDrive(60, 1.0, 5));
    auto blind = std::make_shared<recording::Recording>(*whole);
    blind->title = "Home";
    blind->groups.pop_back();
    const Drives alone({whole}), both({blind, whole});
    EXPECT_OK(both.mixture());
    // Its loop is closed, and tells what the trims say: a long one of a hundredth, about which the short one swings.
    const auto& told = both.mixture()->drives[0].ratio;
    QVERIFY(told.size() > 1000);
    double mean = 0;
    for (const float ratio : told)
        mean += static_cast<double>(ratio) / static_cast<double>(told.size());
    QVERIFY2(std::abs(mean - 1.01) < 0.003, qPrintable(QString::number(mean)));
    QCOMPARE(both.mixture()->drives[1].size(), alone.mixture()->size());
    QCOMPARE(both.mixture()->without.size(), size_t{1});
    QVERIFY(
        qs(both.mixture()->without[0]).startsWith("Home has no wideband: its mixture is told where the lambda loop"));
    // What has not even trims tells none.
    auto deaf = std::make_shared<recording::Recording>(*blind);
    std::erase_if(deaf->groups[0].channels, [](const auto& channel) { return channel.role == "short_trim"; });
    EXPECT_FAILS(Drives({deaf}).mixture(), "no short trim");
}

void EvidenceTest::coverageCountsSeconds() {
    Coverage coverage({1000, 2000}, {20, 40});
    for (int i = 0; i <= 30; ++i)
        coverage.add(i * 0.1, 1900, 38);
    QVERIFY(std::abs(coverage.seconds()[3] - 3.0) < 1e-9);
    coverage.add(100, 1000, 20);  // a pause counts as its longest only
    QCOMPARE(coverage.seconds()[0], Coverage::kLongest_s);
}

void EvidenceTest::stoichiometricRatioFollowsTheBlend() {
    QCOMPARE(units::stoichiometricRatio(0), 14.7);
    QCOMPARE(units::stoichiometricRatio(1), 9.0);
    // E10: published figures lie at 14.0 to 14.1; E85 near 9.8.
    QVERIFY(std::abs(units::stoichiometricRatio(0.10) - 14.08) < 0.05);
    QVERIFY(std::abs(units::stoichiometricRatio(0.85) - 9.8) < 0.05);
}

void EvidenceTest::unitsConvertExactly() {
    QVERIFY(std::abs(*units::convert(14.2, "psi", "bar") - 0.97905553) < 1e-7);
    QVERIFY(std::abs(*units::convert(212, "\u00b0F", "\u00b0C") - 100) < 1e-9);
    QVERIFY(std::abs(*units::convert(0, "K", "degC") + 273.15) < 1e-9);
    QVERIFY(std::abs(*units::convert(36, "kg/h", "g/s") - 10) < 1e-12);
    QVERIFY(!units::convert(1, "psi", "rpm"));
    QVERIFY(!units::convert(1, "furlong", "mm"));
    QVERIFY(units::unitsOf(units::Quantity::Pressure).size() >= 5);
}

void EvidenceTest::driveFiguresTellKnockBoostAndIdle() {
    recording::Recording r;
    auto& group = r.groups.emplace_back();
    for (const char* role : {"engine_speed", "manifold_pressure", "knock_retard", "boost_target_now", "idle_active",
                             "idle_target", "vehicle_speed", "pedal"})
        group.channels.push_back({role, "", "", role, {}});
    const auto add = [&](std::initializer_list<float> row) {
        group.time_s.push_back(static_cast<double>(group.time_s.size()) * 0.1);
        size_t i = 0;
        for (const float v : row)
            group.channels[i++].values.push_back(v);
    };
    // Ten seconds of idle, 20 rpm to either side of 5 above the target; the first three do not count.
    for (int i = 0; i < 100; ++i)
        add({i < 30 ? 2000.0f : 855.0f + (i % 2 ? 20.0f : -20.0f), 30, 0, 101, 1, 850, 0, 0});
    // A pull: spool-up, then 4 kPa above the target; two knocks, the second on the decay of the first.
    for (int i = 0; i < 17; ++i)
        add({3000, 120, 0, 160, 0, 850, 60, 100});
    for (int i = 0; i < 50; ++i)
        add({3500, 164, i < 10 ? 0.0f : i < 20 ? 1.5f : i < 30 ? 1.2f : 2.7f, 160, 0, 850, 70, 100});

    const Sampled sampled(std::make_shared<const recording::Recording>(r));
    const auto f = evidence::driveFigures({&sampled});
    QCOMPARE(*f.knocks, 2);
    QVERIFY(std::abs(*f.greatestRetard_deg - 2.7) < 1e-5);
    QVERIFY2(std::abs(*f.boostError_kPa - 4) < 1e-5, qPrintable(QString::number(*f.boostError_kPa)));
    QVERIFY(std::abs(*f.idleSpread_rpm - 20) < 0.1 && std::abs(*f.idleOff_rpm - 5) < 0.7);
}

void EvidenceTest::boostThatNeverComesNearItsTargetIsAnError() {
    recording::Recording r;
    auto& group = r.groups.emplace_back();
    for (const char* role : {"engine_speed", "manifold_pressure", "boost_target_now", "pedal"})
        group.channels.push_back({role, "", "", role, {}});
    for (int i = 0; i < 80; ++i) {
        group.time_s.push_back(i * 0.1);
        const float row[] = {3000, 130, 160, 100};
        for (size_t k = 0; k < 4; ++k)
            group.channels[k].values.push_back(row[k]);
    }
    const Sampled sampled(std::make_shared<const recording::Recording>(r));
    const auto f = evidence::driveFigures({&sampled});
    QVERIFY(f.boostError_kPa && std::abs(*f.boostError_kPa - 30) < 1e-4);
}

void EvidenceTest::driveFiguresWithoutChannelsSayNothing() {
    recording::Recording r;
    r.groups.emplace_back().channels.push_back({"rpm", "rpm", "", "engine_speed", {800, 810}});
    r.groups[0].time_s = {0, 0.1};
    const Sampled sampled(std::make_shared<const recording::Recording>(r));
    const auto f = evidence::driveFigures({&sampled});
    QVERIFY(!f.knocks && !f.boostError_kPa && !f.idleSpread_rpm && !f.idleOff_rpm);
    QVERIFY(!evidence::driveFigures({}).knocks);
}

QTEST_APPLESS_MAIN(EvidenceTest)
#include "EvidenceTest.moc"
