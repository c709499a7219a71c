// What recordings say of the cells of a map: whose samples fell where, and how far they agree.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <random>

#include "Expect.h"
#include "core/job/Maps.h"

using namespace brusk;
using namespace brusk::job;

namespace {

constexpr double kSpeeds[] = {1000, 2000, 3000, 4500};
constexpr double kLoads[] = {20, 60, 100};

calibration::Table mapOf(const definition::Parameter& p) {
    calibration::Table t;
    t.parameter = &p;
    t.x.input = "speed", t.y.input = "load";
    t.x.values.assign(std::begin(kSpeeds), std::end(kSpeeds));
    t.y.values.assign(std::begin(kLoads), std::end(kLoads));
    t.rows = std::size(kLoads), t.columns = std::size(kSpeeds);
    t.values.assign(t.rows * t.columns, 0);
    return t;
}

/// Speed at 100 Hz, load and knock retard at 40 Hz, the load two seconds late.
Driven drivenRandomly(unsigned seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> speed(800, 5000), load(10, 110), retard(0, 6);
    auto recording = std::make_shared<recording::Recording>();
    recording->groups.resize(2);
    auto& fast = recording->groups[0];
    auto& slow = recording->groups[1];
    fast.channels = {{"speed", "rpm", "", "engine_speed", {}}};
    slow.channels = {{"load", "mg", "", "", {}}, {"retard", "deg", "", "knock_retard", {}}};
    for (int i = 0; i < 3000; ++i) {
        fast.time_s.push_back(i * 0.01);
        fast.channels[0].values.push_back(i % 50 == 3 ? NAN : speed(random));
    }
    for (int i = 0; i < 1000; ++i) {
        slow.time_s.push_back(2 + i * 0.025);
        slow.channels[0].values.push_back(load(random));
        slow.channels[1].values.push_back(retard(random));
    }
    Driven out;
    out.recordings.push_back(recording);
    return out;
}

template <size_t N>
size_t nearest(const double (&points)[N], double value) {
    size_t best = 0;
    for (size_t i = 1; i < N; ++i)
        if (std::abs(points[i] - value) <= std::abs(points[best] - value)) best = i;
    return best;
}

}  // namespace

class CellEvidenceTest : public QObject {
    Q_OBJECT
  private slots:
    void knockRetardIsCollectedInSparkMapsLikeAPlainSecondComputation();
    void aMapNobodyWatchesIsCounted();
    void fuelMapsTakeTheSettledSamples();
    void inputsThatWereNotRecordedGiveNothing();
};

void CellEvidenceTest::knockRetardIsCollectedInSparkMapsLikeAPlainSecondComputation() {
    definition::Parameter p;
    p.role = "spark_map";
    const auto table = mapOf(p);
    const Driven driven = drivenRandomly(7);
    const auto evidence = evidenceOf(driven, table);
    QCOMPARE(qs(evidence.watched), QString("knock retard"));
    const auto& r = *driven.recordings[0];
    std::vector<std::vector<double>> cells(table.values.size());
    for (size_t i = 0; i < r.groups[0].time_s.size(); ++i) {
        const double t = r.groups[0].time_s[i], speed = r.groups[0].channels[0].values[i];
        const double load = r.valueAt("load", t), retard = r.valueAt("retard", t);
        if (std::isnan(speed) || std::isnan(load)) continue;
        cells[nearest(kLoads, load) * table.columns + nearest(kSpeeds, speed)].push_back(retard);
    }
    QCOMPARE(evidence.cells.size(), cells.size());
    for (size_t i = 0; i < cells.size(); ++i) {
        QCOMPARE(size_t{evidence.cells[i].count}, cells[i].size());
        QVERIFY(cells[i].size() > 50);
        double mean = 0, square = 0;
        for (const double v : cells[i])
            mean += v / static_cast<double>(cells[i].size());
        for (const double v : cells[i])
            square += (v - mean) * (v - mean) / static_cast<double>(cells[i].size() - 1);
        QVERIFY(std::abs(evidence.cells[i].mean - mean) < 1e-4);
        QVERIFY(std::abs(evidence.cells[i].spread - std::sqrt(square)) < 0.02);
    }
}

void CellEvidenceTest::aMapNobodyWatchesIsCounted() {
    definition::Parameter p;
    const auto evidence = evidenceOf(drivenRandomly(3), mapOf(p));
    QVERIFY(evidence.watched.empty());
    size_t count = 0;
    for (const auto& cell : evidence.cells)
        count += cell.count;
    // All that came after the load was first heard, less every fiftieth that did not arrive.
    QCOMPARE(count, size_t{2800 - 2800 / 50});
}

void CellEvidenceTest::fuelMapsTakeTheSettledSamples() {
    definition::Parameter p;
    p.role = "ve_map";
    Driven driven = drivenRandomly(5);
    auto air = std::make_shared<evidence::AirSamples>();
    for (int i = 0; i < 40; ++i) {
        air->time_s.push_back(5.0f + 0.1f * static_cast<float>(i));
        air->ratio.push_back(i % 2 ? 1.04f : 1.06f);
        air->source.push_back(0);
    }
    driven.air = air;
    const auto evidence = evidenceOf(driven, mapOf(p));
    QCOMPARE(qs(evidence.watched), QString("fuel off"));
    size_t count = 0;
    double mean = 0;
    for (const auto& cell : evidence.cells)
        count += cell.count, mean += cell.mean * cell.count;
    QVERIFY(count >= 38 && count <= 40);  // one or two fall on a speed that did not arrive
    QVERIFY(std::abs(mean / static_cast<double>(count) - 5) < 0.2);
}

void CellEvidenceTest::inputsThatWereNotRecordedGiveNothing() {
    definition::Parameter p;
    auto table = mapOf(p);
    table.y.input = "elsewhere";
    QVERIFY(evidenceOf(drivenRandomly(1), table).cells.empty());
    QVERIFY(evidenceOf({}, mapOf(p)).cells.empty());
}

QTEST_APPLESS_MAIN(CellEvidenceTest)
#include "CellEvidenceTest.moc"
