// Cells, the cell fit, settling, the wideband's delay, and the air correction on made-up drives with a known truth.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <random>

#include "Expect.h"
#include "core/evidence/AirRatio.h"
#include "core/evidence/CellFit.h"
#include "core/evidence/Coverage.h"
#include "core/evidence/DriveFigures.h"
#include "core/evidence/MapAxes.h"
#include "core/units/Units.h"

using namespace brusk;
using namespace brusk::evidence;

namespace {

/// A drive at 100 Hz whose engine breathes `truth` times what the controller thinks; the wideband answers after a + b /
/// flow.
EngineColumns makeDrive(double seconds, double truth, double a, double b, unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0, 0.004);
    EngineColumns c;
    const auto n = static_cast<size_t>(seconds * 100);
    double trim = 0, direction = 1;
    for (size_t i = 0; i < n; ++i) {
        const double t = static_cast<double>(i) * 0.01;
        const double flow = 20 + 60 * (0.5 + 0.5 * std::sin(t / 17));
        c.time_s.push_back(t);
        c.speed_rpm.push_back(2000 + 300 * std::sin(t / 11));
        c.pressure_kPa.push_back(60);
        c.throttle_pct.push_back(15);
        c.coolant_C.push_back(88);
        c.lambdaAsked.push_back(1);
        // A limit cycle like a lambda loop's, with an uneven period.
        trim += direction * 0.0003;
        if (std::abs(trim) > 0.02 + 0.01 * std::sin(t)) direction = -direction, trim += direction * 0.008;
        c.shortTrim.push_back(trim);
        c.longTrim.push_back(0.01);
        c.airflow_kgh.push_back(flow);
        c.fuelCut.push_back(0);
    }
    for (size_t i = 0; i < n; ++i) {
        const double t = static_cast<double>(i) * 0.01 + 0.004;
        // What was injected one delay earlier; the delay at that time's flow.
        size_t k = i;
        for (int pass = 0; pass < 3; ++pass) {
            const double tau = a + b / c.airflow_kgh[k];
            k = static_cast<size_t>(std::max(0.0, (t - tau) * 100));
        }
        const double injected = (1 + c.shortTrim[k]) * (1 + c.longTrim[k]);
        c.widebandTime_s.push_back(t);
        c.wideband.push_back(truth / injected * (1 + noise(random)));
    }
    return c;
}

}  // namespace

class EvidenceTest : public QObject {
    Q_OBJECT
  private slots:
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
    void theRatioFallsIntoTheSameCellsWhicheverAxisRunsAcross();
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
    const auto fit = fitCells(ax, ay, x, y, v);
    for (size_t i = 0; i < truth.size(); ++i)
        QVERIFY2(std::abs(fit.factor[i] - truth[i]) < 0.004,
                 qPrintable(QString("node %1: %2 for %3").arg(i).arg(fit.factor[i]).arg(truth[i])));
    QVERIFY(std::abs(fit.residual - 0.01) < 0.003);
}

void EvidenceTest::theFitIsNotMovedByAFewWildSamples() {
    const AxisLookup ax({1000, 2000}), ay({20, 50});
    std::vector<float> x(1000, 1500), y(1000, 35), v(1000, 1.05f);
    for (size_t i = 0; i < 50; ++i)
        v[i] = 2.5f;  // a wideband that jumped
    const auto fit = fitCells(ax, ay, x, y, v);
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
    const auto fit = fitCells(ax, ay, x, y, v);
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
    const auto fit = fitCells(ax, ay, x, y, v);
    QVERIFY(fit.deviation[2] < 0.005);
    for (size_t i = 3; i < 6; ++i)
        QVERIFY(fit.deviation[i] > fit.deviation[i - 1]);
    QVERIFY(fit.deviation[9] > 0.05);
    QVERIFY(fit.evidence[2] > 400 && fit.evidence[9] == 0);
}

void EvidenceTest::aCurveIsFittedInOneDimension() {
    const AxisLookup ax({0, 10, 20}), none({});
    std::vector<float> x, y, v;
    for (int i = 0; i <= 2000; ++i)
        x.push_back(static_cast<float>(i) * 0.01f), y.push_back(0),
            v.push_back(x.back() < 10 ? 1 + x.back() * 0.01f : 1.1f);
    const auto fit = fitCells(ax, none, x, y, v);
    QCOMPARE(fit.factor.size(), size_t{3});
    QVERIFY(std::abs(fit.factor[0] - 1) < 0.01 && std::abs(fit.factor[1] - 1.1) < 0.01 &&
            std::abs(fit.factor[2] - 1.1) < 0.01);
}

void EvidenceTest::nothingMeasuredChangesNothing() {
    const AxisLookup ax({1, 2, 3}), ay({1, 2, 3});
    const auto fit = fitCells(ax, ay, {}, {}, {});
    for (const double m : fit.factor)
        QVERIFY(std::abs(m - 1) < 1e-9);
    const std::vector<float> nan(10, NAN);
    for (const double m : fitCells(ax, ay, nan, nan, nan).factor)
        QVERIFY(std::abs(m - 1) < 1e-9);
}

void EvidenceTest::theWidebandDelayIsFoundFromTheData() {
    const auto delay = measureDelay({makeDrive(200, 1.0, 0.06, 3.0, 5), makeDrive(200, 1.1, 0.06, 3.0, 6)});
    QVERIFY(delay.measured);
    QVERIFY(delay.correlation > 0.35);
    for (const double flow : {25.0, 50.0, 75.0})
        QVERIFY2(std::abs(delay.at(flow) - (0.06 + 3.0 / flow)) < 0.02,
                 qPrintable(QString("%1 at %2 kg/h").arg(delay.at(flow)).arg(flow)));
}

void EvidenceTest::withoutExcitationTheDelayIsTheDefaultAndSaysSo() {
    auto drive = makeDrive(60, 1.0, 0.06, 3.0, 5);
    std::fill(drive.shortTrim.begin(), drive.shortTrim.end(), 0);
    const auto delay = measureDelay({drive});
    QVERIFY(!delay.measured);
    QCOMPARE(delay.at(26), WidebandDelay{}.at(26));
    QVERIFY(!measureDelay({}).measured);
}

void EvidenceTest::everySampleIsBookedOnceAndOnTheRightRule() {
    auto c = makeDrive(60, 1.0, 0.06, 3.0, 5);
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
    SettlingCost cost;
    WidebandDelay delay{0.06, 3.0, 1, true};
    const auto kept = settledSamples(c, delay, {}, cost);
    QCOMPARE(cost.recorded, size_t{6000});
    QCOMPARE(cost.settled, kept.size());
    QCOMPARE(
        cost.settled + cost.notRunning + cost.cold + cost.fuelCut + cost.moving + cost.askedChanged + cost.noWideband,
        cost.recorded);
    QCOMPARE(cost.notRunning, size_t{500});
    QCOMPARE(cost.cold, size_t{500});
    QVERIFY(cost.fuelCut > 230 && cost.fuelCut < 290);  // the cut itself, 1.5 s after it, and the delay before it
    QVERIFY(cost.moving > 100 && cost.askedChanged > 20);
    QVERIFY(cost.noWideband > 190 && cost.noWideband < 215);
    for (const uint32_t i : kept)
        QVERIFY(!(c.time_s[i] > 19.99 && c.time_s[i] < 22.4));
}

void EvidenceTest::theRatioHoldsInClosedAndOpenLoopAlike() {
    // 10 % more air than thought: open loop shows it in lambda, closed loop in the trims.
    QVERIFY(std::abs(airRatioOf(1.10, 1.0, 0, 0) - 1.1) < 1e-12);
    QVERIFY(std::abs(airRatioOf(1.0, 1.0, 0.06, 1.1 / 1.06 - 1) - 1.1) < 1e-12);
    QVERIFY(std::abs(airRatioOf(0.88, 0.80, 0, 0) - 1.1) < 1e-12);
}

void EvidenceTest::missingChannelsAreNamed() {
    recording::Recording r;
    EXPECT_FAILS(engineColumns(r), "no engine speed");
    recording::Group& g = r.groups.emplace_back();
    g.time_s = {0};
    g.channels.push_back({"rpm", "rpm", "", "engine_speed", {800}});
    EXPECT_FAILS(engineColumns(r), "no manifold pressure");
}

namespace {

/// The columns of a drive as a recording; `foreign`: in the units of another maker's definition.
recording::Recording recorded(const EngineColumns& c, bool foreign) {
    recording::Recording out;
    auto& group = out.groups.emplace_back();
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
    auto& wideband = out.groups.emplace_back();
    wideband.time_s = c.widebandTime_s;
    wideband.channels.push_back({"wb", foreign ? "AFR" : "lambda", "", "lambda_measured", {}});
    for (const double v : c.wideband)
        wideband.channels[0].values.push_back(static_cast<float>(v * (foreign ? 14.7 : 1)));
    return out;
}

}  // namespace

void EvidenceTest::theSameDriveInOtherUnitsGivesTheSameSamples() {
    const EngineColumns drive = makeDrive(120, 1.07, 0.05, 2.2, 5);
    const auto ours = recorded(drive, false), theirs = recorded(drive, true);
    const auto a = airSamples({&ours}, {}), b = airSamples({&theirs}, {});
    EXPECT_OK(a);
    EXPECT_OK(b);
    QVERIFY(a->size() > 1000 && a->size() == b->size());
    QVERIFY(std::abs(a->delay.a_s - b->delay.a_s) < 1e-9 && std::abs(a->delay.b_s_kgh - b->delay.b_s_kgh) < 1e-9);
    size_t differ = 0;
    for (size_t i = 0; i < a->size(); ++i) {
        // A sample of the wideband that lies on the border of its average may count in one and not in the other.
        differ += std::abs(a->ratio[i] - b->ratio[i]) > 1e-5f;
        QVERIFY(std::abs(a->ratio[i] - b->ratio[i]) < 0.005f);
        QVERIFY(std::abs(a->x[i] - b->x[i]) < 0.01f && std::abs(a->y[i] - b->y[i]) < 0.001f);
    }
    QVERIFY2(differ < a->size() / 20, qPrintable(QString("%1 of %2").arg(differ).arg(a->size())));
}

void EvidenceTest::aUnitOfAnotherQuantityIsRefused() {
    auto odd = recorded(makeDrive(5, 1, 0.05, 2.2, 5), false);
    odd.groups[0].channels[1].unit = "rpm";
    EXPECT_FAILS(airSamples({&odd}, {}), "manifold pressure in rpm, which can't be turned into kPa");
    // A unit that nobody knows is taken for the role's own.
    odd.groups[0].channels[1].unit = "kilopas";
    EXPECT_OK(airSamples({&odd}, {}));
}

void EvidenceTest::theRatioFallsIntoTheSameCellsWhicheverAxisRunsAcross() {
    AirSamples samples;
    std::mt19937 random(9);
    std::uniform_real_distribution<float> speed(500, 7000), pressure(10, 210), ratio(0.8f, 1.2f);
    for (int i = 0; i < 4000; ++i)
        samples.x.push_back(speed(random)), samples.y.push_back(pressure(random)),
            samples.ratio.push_back(ratio(random));
    calibration::Table ours, theirs;
    ours.x.unit = "rpm", ours.x.values = {600, 2000, 4000, 6800};
    ours.y.unit = "kPa", ours.y.values = {20, 60, 200};
    theirs.x.unit = "mbar", theirs.x.values = {200, 600, 2000};
    theirs.y.unit = "1/min", theirs.y.values = ours.x.values;
    const MapAxes a(ours), b(theirs);
    QVERIFY(!a.pressureAcross() && b.pressureAcross());
    const auto mine = a.statistics(samples), other = b.statistics(samples);
    QCOMPARE(mine.size(), size_t(12));
    for (size_t row = 0; row < 3; ++row)
        for (size_t column = 0; column < 4; ++column) {
            const auto &m = mine[row * 4 + column], &o = other[column * 3 + row];
            QCOMPARE(m.count, o.count);
            QVERIFY(m.count > 0 && std::abs(m.mean - o.mean) < 1e-9);
            QCOMPARE(a.speed_rpm(row, column), b.speed_rpm(column, row));
            QVERIFY(std::abs(a.pressure_kPa(row, column) - b.pressure_kPa(column, row)) < 1e-9);
        }
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
                             "idle_target", "vehicle_speed"})
        group.channels.push_back({role, "", "", role, {}});
    const auto add = [&](std::initializer_list<float> row) {
        group.time_s.push_back(static_cast<double>(group.time_s.size()) * 0.1);
        size_t i = 0;
        for (const float v : row)
            group.channels[i++].values.push_back(v);
    };
    // Ten seconds of idle, 20 rpm to either side of 5 above the target; the first three do not count.
    for (int i = 0; i < 100; ++i)
        add({i < 30 ? 2000.0f : 855.0f + (i % 2 ? 20.0f : -20.0f), 30, 0, 101, 1, 850, 0});
    // A pull: spool-up, then 4 kPa above the target; two knocks, the second on the decay of the first.
    for (int i = 0; i < 10; ++i)
        add({3000, 120, 0, 160, 0, 850, 60});
    for (int i = 0; i < 50; ++i)
        add({3500, 164, i < 10 ? 0.0f : i < 20 ? 1.5f : i < 30 ? 1.2f : 2.7f, 160, 0, 850, 70});
    const auto f = evidence::driveFigures({&r});
    QCOMPARE(*f.knocks, 2);
    QVERIFY(std::abs(*f.greatestRetard_deg - 2.7) < 1e-5);
    QVERIFY2(std::abs(*f.boostError_kPa - 4) < 1e-5, qPrintable(QString::number(*f.boostError_kPa)));
    QVERIFY(std::abs(*f.idleSpread_rpm - 20) < 0.1 && std::abs(*f.idleOff_rpm - 5) < 0.7);
}

void EvidenceTest::driveFiguresWithoutChannelsSayNothing() {
    recording::Recording r;
    r.groups.emplace_back().channels.push_back({"rpm", "rpm", "", "engine_speed", {800, 810}});
    r.groups[0].time_s = {0, 0.1};
    const auto f = evidence::driveFigures({&r});
    QVERIFY(!f.knocks && !f.boostError_kPa && !f.idleSpread_rpm && !f.idleOff_rpm);
    QVERIFY(!evidence::driveFigures({}).knocks);
}

QTEST_APPLESS_MAIN(EvidenceTest)
#include "EvidenceTest.moc"
