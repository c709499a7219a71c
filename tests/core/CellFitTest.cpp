// Breakpoints found, statistics of cells, and the fit of a map to samples whose truth is known.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <random>

#include "Expect.h"
#include "core/evidence/CellFit.h"
#include "core/evidence/MapSamples.h"

using namespace brusk;
using namespace brusk::evidence;

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

const AxisLookup& fitAcross() {
    static const AxisLookup axis({600, 1000, 1500, 2000, 2500, 3000, 3500, 4000, 5000, 6000, 6800});
    return axis;
}
const AxisLookup& fitDown() {
    static const AxisLookup axis({15, 30, 45, 60, 80, 100, 130, 160, 205});
    return axis;
}

}  // namespace

class CellFitTest : public QObject {
    Q_OBJECT
  private slots:
    void axisLookupFindsTheSameIntervalAsASearch();
    void cellStatisticsMatchAPlainSecondComputation();
    void theFitRecoversNodeFactorsFromScatteredSamples();
    void theFitIsNotMovedByAFewWildSamples();
    void unvisitedNodesFollowTheirNeighboursAndReturnToOneFarAway();
    void certaintyFallsWithDistanceFromTheSamples();
    void aCurveIsFittedInOneDimension();
    void nothingMeasuredChangesNothing();
    void whatIsHeldOutTellsWhetherThereIsAnythingToLearn();
    void shortVisitsAreNotTakenForWildOnes();
    void aVisitEndsWhenTheNeighbourhoodIsLeftOrASecondPassed();
    void oneMinuteInACellDoesNotOutvoteFivePasses();
    void halfTheSamplingRateGivesTheSameDoubt();
    void eachDriveHasAFactorOfItsOwn();
    void enoughIsADoubtAndThreeVisits();
    void aFitFromSumsIsAFitFromSamples();
    void theFitGivesWhatItGaveBefore();
};

void CellFitTest::axisLookupFindsTheSameIntervalAsASearch() {
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

void CellFitTest::cellStatisticsMatchAPlainSecondComputation() {
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

void CellFitTest::theFitRecoversNodeFactorsFromScatteredSamples() {
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

void CellFitTest::theFitIsNotMovedByAFewWildSamples() {
    const AxisLookup ax({1000, 2000}), ay({20, 50});
    std::vector<float> x(1000, 1500), y(1000, 35), v(1000, 1.05f);
    for (size_t i = 0; i < 50; ++i)
        v[i] = 2.5f;  // a wideband that jumped
    const auto fit = fitCells(ax, ay, {x, y, v, {}, {}, {}});
    const double middle = fit.at(ax.locate(1500), ay.locate(35));
    QVERIFY2(std::abs(middle - 1.05) < 0.01, qPrintable(QString::number(middle)));
}

void CellFitTest::unvisitedNodesFollowTheirNeighboursAndReturnToOneFarAway() {
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

void CellFitTest::certaintyFallsWithDistanceFromTheSamples() {
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

void CellFitTest::aCurveIsFittedInOneDimension() {
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

void CellFitTest::nothingMeasuredChangesNothing() {
    const AxisLookup ax({1, 2, 3}), ay({1, 2, 3});
    const auto fit = fitCells(ax, ay, FitSamples{});
    for (const double m : fit.factor)
        QVERIFY(std::abs(m - 1) < 1e-9);
    const std::vector<float> nan(10, NAN);
    for (const double m : fitCells(ax, ay, {nan, nan, nan, {}, {}, {}}).factor)
        QVERIFY(std::abs(m - 1) < 1e-9);
}

void CellFitTest::whatIsHeldOutTellsWhetherThereIsAnythingToLearn() {
    // Visits of two seconds to drawn places, each with an error of its own: once around one, once five per cent off.
    const auto heldOut = [](double off) {
        std::mt19937 random(5);
        std::normal_distribution<double> visit(0, 0.004), sample(0, 0.01);
        std::vector<float> x, y, ratio;
        std::vector<double> time_s;
        std::vector<uint16_t> drive;
        for (int v = 0; v < 200; ++v) {
            const double speed = 1000 + static_cast<double>(random() % 4000),
                         load = 20 + static_cast<double>(random() % 120);
            const double own = visit(random);
            for (int i = 0; i < 200; ++i) {
                x.push_back(static_cast<float>(speed)), y.push_back(static_cast<float>(load));
                ratio.push_back(static_cast<float>((1 + off) * std::exp(own + sample(random))));
                time_s.push_back(v * 10 + i * 0.01), drive.push_back(0);
            }
        }
        return fitCells(fitAcross(), fitDown(), {x, y, ratio, time_s, drive, {}}).heldOut;
    };
    const HeldOut nothing = heldOut(0), something = heldOut(0.05);
    QVERIFY2(!nothing.passes(), qPrintable(QString::number(nothing.sureness)));
    QVERIFY(nothing.now < 0.006 && nothing.then < 0.007);
    QVERIFY(something.passes() && something.sureness > 5);
    QVERIFY(std::abs(something.now - std::log(1.05)) < 0.002);
    QVERIFY(something.then < 0.007 && something.then > 0.003);  // the visits' own error is left
    QVERIFY(something.gain() > 0.04 && something.doubt() < 0.01);
}

void CellFitTest::shortVisitsAreNotTakenForWildOnes() {
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

void CellFitTest::aVisitEndsWhenTheNeighbourhoodIsLeftOrASecondPassed() {
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

void CellFitTest::oneMinuteInACellDoesNotOutvoteFivePasses() {
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

void CellFitTest::halfTheSamplingRateGivesTheSameDoubt() {
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

void CellFitTest::eachDriveHasAFactorOfItsOwn() {
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

void CellFitTest::enoughIsADoubtAndThreeVisits() {
    CellFit fit;
    fit.doubt = {0.01, 0.02, 0.01, 0.01}, fit.resolution = {0.9, 0.9, 0.5, 0.9}, fit.visits = {3, 9, 9, 2};
    const Enough enough;
    QVERIFY(enough(fit, 0));
    for (size_t i = 1; i < 4; ++i)
        QVERIFY(!enough(fit, i));
}

void CellFitTest::aFitFromSumsIsAFitFromSamples() {
    const FitData d(120000);
    // Of one drive nothing is known of its own: the samples are as independent as without one.
    const std::vector<uint16_t> one(d.x.size(), 0);
    const auto sums = fitCells(fitAcross(), fitDown(), {d.x, d.y, d.ratio, {}, {}, {}}),
               samples = fitCells(fitAcross(), fitDown(), {d.x, d.y, d.ratio, {}, one, {}});
    for (size_t k = 0; k < sums.factor.size(); ++k) {
        QVERIFY(std::abs(sums.factor[k] - samples.factor[k]) < 1e-9);
        QVERIFY(std::abs(sums.doubt[k] / samples.doubt[k] - 1) < 1e-6);
        QVERIFY(std::abs(sums.resolution[k] - samples.resolution[k]) < 1e-9);
    }
    QVERIFY(sums.visits == samples.visits);
    QVERIFY(std::abs(sums.within / samples.within - 1) < 1e-6);
}

/// Figures of the fit as it was when it went over the samples four times.
void CellFitTest::theFitGivesWhatItGaveBefore() {
    const FitData plain(120000), wild(120000, true);
    const auto fits = {
        fitCells(fitAcross(), fitDown(), {plain.x, plain.y, plain.ratio, {}, {}, {}}),
        fitCells(fitAcross(), fitDown(), {wild.x, wild.y, wild.ratio, {}, {}, {}}),
        fitCells(fitAcross(), fitDown(), {plain.x, plain.y, plain.ratio, plain.time_s, plain.drive, {}})};
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

QTEST_APPLESS_MAIN(CellFitTest)
#include "CellFitTest.moc"
