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
evidence::Drives drivenRandomly(unsigned seed) {
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
    return evidence::Drives({recording});
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
    const evidence::Drives driven = drivenRandomly(7);
    const auto evidence = evidenceOf(driven, {}, table);
    QCOMPARE(qs(evidence.watched), QString("knock retard"));
    const auto& r = driven.recording(0);
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
    const auto evidence = evidenceOf(drivenRandomly(3), {}, mapOf(p));
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
    auto recording = std::make_shared<recording::Recording>();
    recording->groups.resize(2);
    auto &group = recording->groups[0], &wideband = recording->groups[1];
    const std::pair<const char*, float> still[] = {{"engine_speed", 2000}, {"manifold_pressure", 60}, {"throttle", 20},
                                                   {"coolant", 90},        {"lambda_asked", 1},       {"short_trim", 3},
                                                   {"long_trim", 2},       {"airflow", 60},           {"fuel_cut", 0}};
    for (const auto& [role, value] : still)
        group.channels.push_back({role, "", "", role, std::vector<float>(2000, value)});
    group.channels[0].name = "speed", group.channels[0].unit = "rpm";
    group.channels.push_back({"load", "mg", "", "", std::vector<float>(2000, 60)});
    wideband.channels.push_back({"wb", "lambda", "", "lambda_measured", std::vector<float>(2000, 1.0f)});
    for (int i = 0; i < 2000; ++i)
        group.time_s.push_back(i * 0.01), wideband.time_s.push_back(i * 0.01);
    // The throttle moves for three seconds: these count nowhere.
    for (size_t i = 1000; i < 1300; ++i)
        group.channels[2].values.edit()[i] = static_cast<float>(20 + i % 40);
    const evidence::Drives drives({recording});
    EXPECT_OK(drives.mixture());
    const auto evidence = evidenceOf(drives, {}, mapOf(p));
    QCOMPARE(qs(evidence.watched), QString("fuel off"));
    const auto& cell = evidence.cells[1 * 4 + 1];
    QVERIFY2(cell.count > 1500 && cell.count < 1700,
             qPrintable(QString("%1 of %2").arg(cell.count).arg(drives.mixture()->size())));
    QVERIFY(std::abs(cell.mean - (1.03 * 1.02 - 1) * 100) < 1e-3);
    QCOMPARE(evidence.visits[1 * 4 + 1], uint32_t{2});
    for (size_t i = 0; i < evidence.cells.size(); ++i)
        QVERIFY(i == 5 || evidence.cells[i].count == 0);
}

void CellEvidenceTest::inputsThatWereNotRecordedGiveNothing() {
    definition::Parameter p;
    auto table = mapOf(p);
    table.y.input = "elsewhere";
    QVERIFY(evidenceOf(drivenRandomly(1), {}, table).cells.empty());
    QVERIFY(evidenceOf(evidence::Drives({}), {}, mapOf(p)).cells.empty());
}

QTEST_APPLESS_MAIN(CellEvidenceTest)
#include "CellEvidenceTest.moc"
