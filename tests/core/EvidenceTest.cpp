// Cells, the cell fit, settling, the wideband's delay, and the air correction on made-up drives with a known truth.
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
    void aFitFromSumsIsAFitFromSamples();
    void theFitGivesWhatItGaveBefore();
    void axisLookupFindsTheSameIntervalAsASearch();
    void cellStatisticsMatchAPlainSecondComputation();
    void fuelErrorCountsVisitedCellsOnly();
    void driveFiguresTellKnockBoostAndIdle();
    void driveFiguresWithoutChannelsSayNothing();
    void theFitRecoversNodeFactorsFromScatteredSamples();
    void theFitIsNotMovedByAFewWildSamples();
    void unvisitedNodesFollowTheirNeighboursAndReturnToOneFarAway();
    void certaintyFallsWithDistanceFromTheSamples();
    void aCurveIsFittedInOneDimension();
    void nothingMeasuredChangesNothing();
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
    void shortVisitsAreNotTakenForWildOnes();
    void aVisitEndsWhenTheNeighbourhoodIsLeftOrASecondPassed();
    void oneMinuteInACellDoesNotOutvoteFivePasses();
    void halfTheSamplingRateGivesTheSameDoubt();
    void eachDriveHasAFactorOfItsOwn();
    void enoughIsADoubtAndThreeVisits();
    void boostThatNeverComesNearItsTargetIsAnError();
    void coverageCountsSeconds();
    void stoichiometricRatioFollowsTheBlend();
    void unitsConvertExactly();
};

void EvidenceTest::axisLookupFindsTheSameIntervalAsASearch() {
    const std::vector<double> points{600, 800, 1000, 1250, 1500, 1800, 2200, 6800};
    const AxisLookup axis(points);
    for (double v = 300; v < 7200; v += 0.7) {
        const auto at = axis.locate(v);
        const double clamped = std::clamp(v, 600.0, 6800.0);
        const double back =
            points[at.index] + static_cast<double>(at.fraction) * (points[at.index + 1] - points[at.index]);
        QVERIFY2(std::abs(back - clamped) < 0.01, qPrintable(QString::number(v)));
    }
    QCOMPARE(axis.nearest(899), uint32_t{1});
    QCOMPARE(axis.nearest(901), uint32_t{2});
    QCOMPARE(axis.nearest(NAN), uint32_t{0});
    QCOMPARE(AxisLookup({}).nearest(5), uint32_t{0});
    QCOMPARE(AxisLookup({7}).nearest(5), uint32_t{0});
}

void EvidenceTest::cellStatisticsMatchAPlainSecondComputation() {
    std::mt19937 random(3);
    std::uniform_real_distribution<float> ux(500, 7000), uy(10, 210), uv(0.7f, 1.3f);
    std::vector<float> x, y, v;
    for (int i = 0; i < 5000; ++i)
        x.push_back(ux(random)), y.push_back(uy(random)), v.push_back(i % 97 ? uv(random) : NAN);
    const AxisLookup ax({600, 2000, 4000, 6800}), ay({20, 60, 100, 205});
    const auto cells = cellStatistics(ax, ay, x, y, v);
    for (uint32_t r = 0; r < 4; ++r)
        for (uint32_t c = 0; c < 4; ++c) {
            std::vector<double> mine;
            for (size_t i = 0; i < v.size(); ++i)
                if (std::isfinite(v[i]) && ax.nearest(x[i]) == c && ay.nearest(y[i]) == r)
                    mine.push_back(static_cast<double>(v[i]));
            const CellStat& cell = cells[r * 4 + c];
            QCOMPARE(cell.count, static_cast<uint32_t>(mine.size()));
            double sum = 0, squares = 0;
            for (const double m : mine)
                sum += m;
            for (const double m : mine)
                squares += (m - sum / static_cast<double>(mine.size())) * (m - sum / static_cast<double>(mine.size()));
            QVERIFY(std::abs(cell.mean - sum / static_cast<double>(mine.size())) < 1e-9);
            QVERIFY(std::abs(cell.spread - std::sqrt(squares / static_cast<double>(mine.size() - 1))) < 1e-9);
            QCOMPARE(static_cast<double>(cell.most), *std::max_element(mine.begin(), mine.end()));
            QCOMPARE(static_cast<double>(cell.last), mine.back());
        }
}

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

void EvidenceTest::theFitRecoversNodeFactorsFromScatteredSamples() {
    const AxisLookup ax({1000, 2000, 3000, 4500, 6000}), ay({20, 50, 80, 120});
    std::vector<double> truth;
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 5; ++c)
            truth.push_back(1 + 0.03 * c - 0.04 * r + 0.008 * r * c);
    std::mt19937 random(1);
    std::uniform_real_distribution<float> ux(1000, 6000), uy(20, 120);
    std::normal_distribution<float> noise(0, 0.01f);
    std::vector<float> x, y, v;
    CellFit model;
    model.rows = 4, model.columns = 5, model.factor = truth;
    for (int i = 0; i < 20000; ++i) {
        x.push_back(ux(random)), y.push_back(uy(random));
        v.push_back(static_cast<float>(
                        model.at(ax.locate(static_cast<double>(x.back())), ay.locate(static_cast<double>(y.back())))) +
                    noise(random));
    }
    const auto fit = fitCells(ax, ay, {x, y, v, {}, {}, {}});
    for (size_t i = 0; i < truth.size(); ++i)
        QVERIFY2(std::abs(fit.factor[i] - truth[i]) < 0.004,
                 qPrintable(QString("node %1: %2 for %3").arg(i).arg(fit.factor[i]).arg(truth[i])));
    QVERIFY(fit.between < 0.003);
}

void EvidenceTest::theFitIsNotMovedByAFewWildSamples() {
    const AxisLookup ax({1000, 2000}), ay({20, 50});
    std::vector<float> x(1000, 1500), y(1000, 35), v(1000, 1.05f);
    for (size_t i = 0; i < 50; ++i)
        v[i] = 2.5f;  // a wideband that jumped
    const auto fit = fitCells(ax, ay, {x, y, v, {}, {}, {}});
    const double middle = fit.at(ax.locate(1500), ay.locate(35));
    QVERIFY2(std::abs(middle - 1.05) < 0.01, qPrintable(QString::number(middle)));
}

void EvidenceTest::unvisitedNodesFollowTheirNeighboursAndReturnToOneFarAway() {
    std::vector<double> points;
    for (int i = 0; i < 20; ++i)
        points.push_back(1000 + i * 200);
    const AxisLookup ax(points), ay({0, 1});
    std::vector<float> x, y, v;
    for (int i = 0; i < 2000; ++i)
        x.push_back(1000 + static_cast<float>(i % 400)), y.push_back(static_cast<float>(i % 2)), v.push_back(1.1f);
    const auto fit = fitCells(ax, ay, {x, y, v, {}, {}, {}});
    QVERIFY(std::abs(fit.factor[1] - 1.1) < 0.005);
    QVERIFY(fit.factor[3] > 1.05);                 // next to the evidence
    QVERIFY(std::abs(fit.factor[19] - 1) < 0.02);  // far away
    for (size_t i = 0; i < 40; ++i)
        QVERIFY(fit.factor[i] > 0.9 && fit.factor[i] < 1.25);  // no wild extrapolation
}

void EvidenceTest::certaintyFallsWithDistanceFromTheSamples() {
    std::vector<double> points;
    for (int i = 0; i < 10; ++i)
        points.push_back(i);
    const AxisLookup ax(points), ay({0, 1});
    std::vector<float> x(500, 2), y(500, 0), v(500, 1.02f);
    const auto fit = fitCells(ax, ay, {x, y, v, {}, {}, {}});
    QVERIFY(fit.doubt[2] < 0.005);
    for (size_t i = 3; i < 6; ++i)
        QVERIFY(fit.doubt[i] > fit.doubt[i - 1]);
    QVERIFY(fit.doubt[9] > 0.03);
    QVERIFY(fit.evidence[2] > 400 && fit.evidence[9] == 0);
}

void EvidenceTest::aCurveIsFittedInOneDimension() {
    const AxisLookup ax({0, 10, 20}), none({});
    std::vector<float> x, y, v;
    for (int i = 0; i <= 2000; ++i)
        x.push_back(static_cast<float>(i) * 0.01f), y.push_back(0),
            v.push_back(x.back() < 10 ? 1 + x.back() * 0.01f : 1.1f);
    const auto fit = fitCells(ax, none, {x, y, v, {}, {}, {}});
    QCOMPARE(fit.factor.size(), size_t{3});
    // The bend in the middle is rounded off a little.
    QVERIFY(std::abs(fit.factor[0] - 1) < 0.02 && std::abs(fit.factor[1] - 1.1) < 0.02 &&
            std::abs(fit.factor[2] - 1.1) < 0.02);
}

void EvidenceTest::nothingMeasuredChangesNothing() {
    const AxisLookup ax({1, 2, 3}), ay({1, 2, 3});
    const auto fit = fitCells(ax, ay, FitSamples{});
    for (const double m : fit.factor)
        QVERIFY(std::abs(m - 1) < 1e-9);
    const std::vector<float> nan(10, NAN);
    for (const double m : fitCells(ax, ay, {nan, nan, nan, {}, {}, {}}).factor)
        QVERIFY(std::abs(m - 1) < 1e-9);
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
    QVERIFY(both.mixture()->drives[0].size() == 0);
    QCOMPARE(both.mixture()->drives[1].size(), alone.mixture()->size());
    QCOMPARE(both.mixture()->without.size(), size_t{1});
    QVERIFY(qs(both.mixture()->without[0]).startsWith("Home tells no mixture: The recording has no wideband lambda"));
    EXPECT_FAILS(Drives({blind}).mixture(), "no wideband lambda");
}

void EvidenceTest::shortVisitsAreNotTakenForWildOnes() {
    // Most samples come alone, and have no spread of their own; those that stay spread by 1 %, which is not wild.
    const AxisLookup ax({1000, 2000, 3000, 4000}), ay({20, 60});
    std::mt19937 random(6);
    std::normal_distribution<float> noise(0, 0.01f);
    std::vector<float> x, y, v;
    std::vector<double> t;
    double now = 0;
    for (int i = 0; i < 900; ++i)
        x.push_back(3900), y.push_back(30), v.push_back(1 + noise(random)), t.push_back(now += 5);
    for (int visit = 0; visit < 6; ++visit) {
        for (int i = 0; i < 100; ++i)
            x.push_back(1000), y.push_back(30), v.push_back(1 + noise(random)), t.push_back(now += 0.01);
        now += 5;
    }
    const auto fit = fitCells(ax, ay, {x, y, v, t, {}, {}});
    QVERIFY2(std::abs(fit.within - 0.01) < 0.001, qPrintable(QString::number(fit.within)));
}

void EvidenceTest::aVisitEndsWhenTheNeighbourhoodIsLeftOrASecondPassed() {
    VisitCounter counter(1, 6);
    double t = 0;
    const auto at = [&](size_t column, double later = 0.1) { return counter.step(0, t += later, 0, column); };
    QVERIFY(at(2));
    QVERIFY(!at(2));
    QVERIFY(at(3));   // a visit of the next cell
    QVERIFY(!at(2));  // which is in the neighbourhood: the first goes on
    QVERIFY(at(4));
    QVERIFY(at(2));  // four was too far from it
    QVERIFY(!at(2, 0.9));
    QVERIFY(at(2, 1.1));  // a pause
    QVERIFY(!at(2));
    QVERIFY(counter.step(1, t, 0, 2));  // another drive
}

void EvidenceTest::oneMinuteInACellDoesNotOutvoteFivePasses() {
    // Five passes of two seconds say 1.05, one stay of a minute says 1.00; each with an error of its own.
    const AxisLookup ax({1000, 2000, 3000}), ay({20, 60});
    std::vector<float> x, y, v;
    std::vector<double> t;
    std::mt19937 random(4);
    std::normal_distribution<float> noise(0, 0.004f);
    double now = 0;
    const auto stay = [&](double seconds, float value) {
        for (int i = 0; i < static_cast<int>(seconds * 100); ++i)
            x.push_back(2000), y.push_back(20), v.push_back(value + noise(random)), t.push_back(now += 0.01);
        now += 5;
    };
    for (int pass = 0; pass < 5; ++pass)
        stay(2, 1.05f + (pass % 2 ? 0.004f : -0.004f));
    stay(60, 1.0f);
    const auto fit = fitCells(ax, ay, {x, y, v, t, {}, {}});
    QCOMPARE(fit.visits[1], uint32_t{6});
    QVERIFY2(fit.factor[1] > 1.03, qPrintable(QString::number(fit.factor[1])));
    QVERIFY(fit.between > 0.01);
    // The visits do not agree: more samples of the same do not make it surer.
    QVERIFY(fit.doubt[1] > 0.003);
}

void EvidenceTest::halfTheSamplingRateGivesTheSameDoubt() {
    const AxisLookup ax({1000, 2000, 3000}), ay({20, 60});
    std::mt19937 random(8);
    std::normal_distribution<float> noise(0, 1);
    std::vector<float> x, y, v;
    std::vector<double> t;
    double now = 0;
    for (int visit = 0; visit < 40; ++visit) {
        const float off = 0.004f * noise(random);
        float slow = 0;
        for (int i = 0; i < 600; ++i) {
            slow += (noise(random) - slow) * 0.05f;  // neighbours resemble each other
            x.push_back(2000), y.push_back(20), v.push_back(1.03f + off + 0.05f * slow), t.push_back(now += 0.01);
        }
        now += 5;
    }
    const auto every = [](const auto& column) {
        std::decay_t<decltype(column)> out;
        for (size_t i = 0; i < column.size(); i += 2)
            out.push_back(column[i]);
        return out;
    };
    const auto whole = fitCells(ax, ay, {x, y, v, t, {}, {}});
    const auto hx = every(x), hy = every(y), hv = every(v);
    const auto ht = every(t);
    const auto half = fitCells(ax, ay, {hx, hy, hv, ht, {}, {}});
    QVERIFY2(std::abs(half.doubt[1] / whole.doubt[1] - 1) < 0.1,
             qPrintable(QString("%1 and %2").arg(whole.doubt[1]).arg(half.doubt[1])));
    QVERIFY(std::abs(whole.factor[1] - 1.03) < 3 * whole.doubt[1]);
    QVERIFY2(whole.correlation_s > 0.1 && whole.correlation_s < 0.4,
             qPrintable(QString::number(whole.correlation_s)));  // 0.05 a sample: 0.2 s
}

void EvidenceTest::eachDriveHasAFactorOfItsOwn() {
    const AxisLookup ax({1000, 2000, 3000}), ay({20, 60});
    std::vector<float> x, y, v;
    std::vector<double> t;
    std::vector<uint16_t> drive;
    std::mt19937 random(2);
    std::normal_distribution<float> noise(0, 0.003f);
    for (uint16_t d = 0; d < 2; ++d)
        for (int visit = 0; visit < 12; ++visit)
            for (int i = 0; i < 200; ++i) {
                x.push_back(visit % 2 ? 1000 : 2600), y.push_back(30), drive.push_back(d);
                t.push_back(visit * 5 + i * 0.01);
                v.push_back((d ? 1.02f : 0.98f) + noise(random));
            }
    const auto fit = fitCells(ax, ay, {x, y, v, t, drive, {}});
    QCOMPARE(fit.drives.size(), size_t{2});
    QVERIFY(std::abs(fit.drives[0] + fit.drives[1]) < 1e-3);
    QVERIFY2(fit.drives[1] > 0.015, qPrintable(QString::number(fit.drives[1])));
    QVERIFY(std::abs(fit.factor[0] - 1) < 0.005);
    QVERIFY(fit.systematic > 0.01 && fit.systematic < 0.014);
}

void EvidenceTest::enoughIsADoubtAndThreeVisits() {
    CellFit fit;
    fit.doubt = {0.01, 0.02, 0.01, 0.01}, fit.resolution = {0.9, 0.9, 0.5, 0.9}, fit.visits = {3, 9, 9, 2};
    const Enough enough;
    QVERIFY(enough(fit, 0));
    for (size_t i = 1; i < 4; ++i)
        QVERIFY(!enough(fit, i));
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

namespace {

/// Numbers that are the same everywhere.
struct FitData {
    std::vector<float> x, y, ratio;
    std::vector<double> time_s;
    std::vector<uint16_t> drive;

    explicit FitData(size_t n, bool wild = false) {
        std::mt19937 random(1);
        double speed = 3000, load = 80;
        for (size_t i = 0; i < n; ++i) {
            speed = std::clamp(speed + (static_cast<double>(random() % 2001) - 1000) * 0.2, 500.0, 7000.0);
            load = std::clamp(load + (static_cast<double>(random() % 2001) - 1000) * 0.006, 10.0, 215.0);
            x.push_back(static_cast<float>(speed)), y.push_back(static_cast<float>(load));
            ratio.push_back(static_cast<float>(1 + (speed - 3000) * 1e-5 + (load - 100) * 2e-4 +
                                               (static_cast<double>(random() % 2001) - 1000) * 2e-5));
            if (i % 1000 == 7) ratio.back() = NAN;
            if (wild && i % 500 == 3) ratio.back() *= 3;
            time_s.push_back(static_cast<double>(i) * 0.01 + static_cast<double>(i / 20000) * 3);
            drive.push_back(static_cast<uint16_t>(i * 2 / n));
        }
    }
};

const evidence::AxisLookup& fitAcross() {
    static const evidence::AxisLookup axis({600, 1000, 1500, 2000, 2500, 3000, 3500, 4000, 5000, 6000, 6800});
    return axis;
}
const evidence::AxisLookup& fitDown() {
    static const evidence::AxisLookup axis({15, 30, 45, 60, 80, 100, 130, 160, 205});
    return axis;
}

}  // namespace

void EvidenceTest::aFitFromSumsIsAFitFromSamples() {
    const FitData d(120000);
    // Of one drive nothing is known of its own: the samples are as independent as without one.
    const std::vector<uint16_t> one(d.x.size(), 0);
    const auto sums = evidence::fitCells(fitAcross(), fitDown(), {d.x, d.y, d.ratio, {}, {}, {}}),
               samples = evidence::fitCells(fitAcross(), fitDown(), {d.x, d.y, d.ratio, {}, one, {}});
    for (size_t k = 0; k < sums.factor.size(); ++k) {
        QVERIFY(std::abs(sums.factor[k] - samples.factor[k]) < 1e-9);
        QVERIFY(std::abs(sums.doubt[k] / samples.doubt[k] - 1) < 1e-6);
        QVERIFY(std::abs(sums.resolution[k] - samples.resolution[k]) < 1e-9);
    }
    QVERIFY(sums.visits == samples.visits);
    QVERIFY(std::abs(sums.within / samples.within - 1) < 1e-6);
}

/// Figures of the fit as it was when it went over the samples four times.
void EvidenceTest::theFitGivesWhatItGaveBefore() {
    const FitData plain(120000), wild(120000, true);
    const auto fits = {
        evidence::fitCells(fitAcross(), fitDown(), {plain.x, plain.y, plain.ratio, {}, {}, {}}),
        evidence::fitCells(fitAcross(), fitDown(), {wild.x, wild.y, wild.ratio, {}, {}, {}}),
        evidence::fitCells(fitAcross(), fitDown(), {plain.x, plain.y, plain.ratio, plain.time_s, plain.drive, {}})};
    const double was[] = {0.970651030, 0.000757412565, 0.991890027, 0.000742083755, 1.004730778, 0.000721438222,
                          1.025713141, 0.000728354673, 0.970833202, 0.000756882892, 0.992065505, 0.000741534147,
                          1.004833545, 0.000721101217, 1.025834024, 0.000728236394, 0.970642777, 0.000550323768,
                          0.991731669, 0.000544910183, 1.004572612, 0.000473938894, 1.025902876, 0.000369049625};
    const double* next = was;
    for (const auto& fit : fits)
        for (const size_t k : {13, 38, 61, 74}) {
            QVERIFY2(std::abs(fit.factor[k] - *next) < 1e-6, QByteArray::number(fit.factor[k], 'f', 9));
            ++next;
            QVERIFY2(std::abs(fit.doubt[k] / *next - 1) < 1e-5, QByteArray::number(fit.doubt[k], 'g', 9));
            ++next;
        }
}

QTEST_APPLESS_MAIN(EvidenceTest)
#include "EvidenceTest.moc"
