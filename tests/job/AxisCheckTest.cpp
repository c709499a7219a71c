// Recorded values against looked-up ones: a right definition is left alone, a wrong axis channel or scaling is named
// with its map and axis.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <map>

#include <random>

#include "BaseBench.h"
#include "DrivenKit.h"
#include "core/evidence/Replay.h"

namespace {

using definition::Definition;
using evidence::AxisMismatch;

struct Case {
    std::shared_ptr<const job::Kit> kit;
    std::shared_ptr<const recording::Recording> recording;
    image::Image image;
};

/// A car that was driven over a route, its definition right.
const Case& driven(const char* model, const char* route) {
    static std::map<std::string, Case> made;
    const auto [at, isNew] = made.try_emplace(std::string(model) + route);
    if (isNew) {
        const auto build = bench::drawnBuild(model, 3);
        benchcar::BenchCar car(build, 3);
        at->second.kit = bench::kitOf(build);
        at->second.image = bench::calibrationOf(*at->second.kit, car).image();
        at->second.recording = bench::drive(car, {at->second.kit}, {route}).recordings[0];
    }
    return at->second;
}

/// What is found with a definition that was changed, and a recording.
std::vector<AxisMismatch> foundWith(const Case& c, const std::function<void(Definition&)>& change,
                                    const std::function<void(recording::Recording&)>& told = {}) {
    Definition d = *c.kit->definition;
    change(d);
    d.index();
    auto recording = std::make_shared<recording::Recording>(*c.recording);
    if (told) told(*recording);
    const calibration::Calibration inCar(std::make_shared<const Definition>(std::move(d)), c.image);
    return evidence::checkAxes(inCar, evidence::Drives({recording})).found;
}

definition::Parameter& kept(Definition& d, roles::Role role) {
    for (auto& p : d.parameters)
        if (role == p.role) return p;
    qFatal("nobody plays it");
}

void scale(recording::Recording& r, roles::Role role, float factor) {
    for (auto& group : r.groups)
        for (auto& channel : group.channels)
            if (role == channel.role)
                for (float& v : channel.values.edit())
                    v *= factor;
}

}  // namespace

class AxisCheckTest : public QObject {
    Q_OBJECT
  private slots:
    void theRightDefinitionIsLeftAlone_data() { routes(); }
    void theRightDefinitionIsLeftAlone();
    void anotherChannelAlongAnAxisIsNamed_data() { routes(); }
    void anotherChannelAlongAnAxisIsNamed();
    void aScalingThreePerCentOffIsNamed_data() { routes(); }
    void aScalingThreePerCentOffIsNamed();
    void aTableAtRecordedInputsSaysWhatTheControllerRead();
    void theFootprintsWeightsAreThoseOfTheReplay();
    void whatWasNotRecordedCantBeLookedAtAndIsSaid();

  private:
    static void routes() {
        QTest::addColumn<QString>("model");
        QTest::addColumn<QString>("route");
        for (const char* model : {"heron", "crane"})
            for (const char* route : {"town", "pulls-3"})
                QTest::newRow(qPrintable(QString("%1 %2").arg(model, route))) << QString(model) << QString(route);
    }
};

void AxisCheckTest::theRightDefinitionIsLeftAlone() {
    QFETCH(QString, model);
    QFETCH(QString, route);
    const auto& c = driven(qPrintable(model), qPrintable(route));
    const calibration::Calibration inCar(c.kit->definition, c.image);
    const auto check = evidence::checkAxes(inCar, evidence::Drives({c.recording}));
    QVERIFY(check.looked.size() >= 4);
    for (const auto& one : check.found)
        QVERIFY2(false, one.sentence().c_str());
}

void AxisCheckTest::anotherChannelAlongAnAxisIsNamed() {
    QFETCH(QString, model);
    QFETCH(QString, route);
    const auto& c = driven(qPrintable(model), qPrintable(route));
    // The map of filling is said to follow the weather's pressure, the spark the air of another estimate.
    const auto found = foundWith(c, [&](Definition& d) {
        kept(d, "ve_map").axes[1].input = d.measurementWithRole("barometric_pressure")->name;
        kept(d, "expected_pressure").axes[1].input = d.measurementWithRole("pedal")->name;
    });
    for (const auto& one : found)
        qInfo("%s", one.sentence().c_str());
    const auto named = [&](const char* parameter) -> const AxisMismatch* {
        for (const auto& one : found)
            if (one.parameter == parameter) return &one;
        return nullptr;
    };
    const auto* ve = named("ve_map");
    QVERIFY(ve && ve->kind == AxisMismatch::Kind::OtherChannel && ve->axis == size_t{1});
    QCOMPARE(ve->instead, c.kit->definition->measurementWithRole("manifold_pressure")->name);
    const auto* expected = named("expected_pressure");
    QVERIFY(expected && expected->axis == size_t{1});
    QCOMPARE(found.size(), size_t{2});
}

void AxisCheckTest::aScalingThreePerCentOffIsNamed() {
    QFETCH(QString, model);
    QFETCH(QString, route);
    const auto& c = driven(qPrintable(model), qPrintable(route));
    const auto found = foundWith(
        c, [](Definition&) {}, [](recording::Recording& r) { scale(r, "manifold_pressure", 1.03f); });
    for (const auto& one : found)
        qInfo("%s", one.sentence().c_str());
    QCOMPARE(found.size(), size_t{1});
    QCOMPARE(found[0].parameter, std::string("ve_map"));
    QVERIFY(found[0].kind == AxisMismatch::Kind::Scaled && found[0].axis == size_t{1});
    QVERIFY2(std::abs(found[0].factor * 1.03 - 1) < 0.006, qPrintable(QString::number(found[0].factor)));
    // The speed runs along more maps than one: each that bends enough says it.
    const auto fast = foundWith(
        c, [](Definition&) {}, [](recording::Recording& r) { scale(r, "engine_speed", 0.97f); });
    QVERIFY(!fast.empty());
    for (const auto& one : fast)
        QVERIFY2(
            one.kind == AxisMismatch::Kind::Scaled && one.axis == size_t{0} && std::abs(one.factor * 0.97 - 1) < 0.01,
            one.sentence().c_str());
}

void AxisCheckTest::aTableAtRecordedInputsSaysWhatTheControllerRead() {
    const auto& c = driven("heron", "town");
    const calibration::Calibration inCar(c.kit->definition, c.image);
    const evidence::TableReplay replay(*c.kit->definition,
                                       *inCar.read(*c.kit->definition->parameterWithRole("spark_map")));
    const evidence::Sampled drive(c.recording);
    const auto said = replay.values(drive);
    const auto recorded = *drive.column("spark_base_part");
    QCOMPARE(said.size(), recorded.size());
    double worst = 0;
    for (size_t i = 100; i < said.size(); ++i)
        worst = std::max(worst, std::abs(static_cast<double>(said[i] - recorded[i])));
    QVERIFY2(worst < 0.6, qPrintable(QString::number(worst)));
}

void AxisCheckTest::theFootprintsWeightsAreThoseOfTheReplay() {
    const auto& c = driven("heron", "town");
    const calibration::Calibration inCar(c.kit->definition, c.image);
    std::mt19937 random(3);
    int maps = 0, curves = 0;
    for (const auto& parameter : c.kit->definition->parameters) {
        const auto table = inCar.read(parameter);
        if (!table || table->x.values.size() < 2) continue;
        ++(table->y.values.size() > 1 ? maps : curves);
        // As it lies, and lying down: rows for columns.
        calibration::Table turned = *table;
        std::swap(turned.x, turned.y), std::swap(turned.rows, turned.columns);
        for (size_t r = 0; r < table->rows; ++r)
            for (size_t k = 0; k < table->columns; ++k)
                turned.values[k * table->rows + r] = table->at(r, k);
        const evidence::TableReplay replay(*c.kit->definition, *table);
        const auto& x = table->x.values;
        const auto& y = table->y.values;
        const auto draw = [&](const std::vector<double>& axis) {
            if (axis.empty()) return 0.0;
            const double span = axis.back() - axis.front();
            return axis.front() - 0.2 * span + 1.4 * span * static_cast<double>(random() % 10001) / 10000;
        };
        for (int i = 0; i < 200; ++i) {
            // Now and then on a breakpoint, or at an end.
            const double at = i % 5 == 0 ? x[random() % x.size()] : draw(x);
            const double down = !y.empty() && i % 7 == 0 ? y[random() % y.size()] : draw(y);
            double sum = 0, value = 0, lyingDown = 0;
            const auto weights = calibration::weightsAt(x, y, at, down);
            QVERIFY(!weights.empty() && weights.size() <= 4);
            for (const auto& one : weights) {
                QVERIFY(one.weight > 0 && one.cell < table->values.size());
                sum += one.weight, value += one.weight * table->values[one.cell];
            }
            QVERIFY(std::abs(sum - 1) < 1e-12);
            const double said = replay.at(at, down), size = 1e-9 * (1 + std::abs(said));
            QVERIFY2(std::abs(value - said) < size, parameter.name.c_str());
            if (y.size() < 2) continue;
            for (const auto& one : calibration::weightsAt(y, x, down, at))
                lyingDown += one.weight * turned.values[one.cell];
            QVERIFY2(std::abs(lyingDown - said) < size, parameter.name.c_str());
        }
    }
    QVERIFY(maps > 10 && curves > 5);
    QVERIFY(calibration::weightsAt({1, 2}, {}, std::nan(""), 0).empty());
}

void AxisCheckTest::whatWasNotRecordedCantBeLookedAtAndIsSaid() {
    const auto& c = driven("heron", "town");
    recording::Recording r = *c.recording;
    std::erase_if(r.groups[0].channels, [](const auto& channel) { return channel.role == "ve_now"; });
    const calibration::Calibration inCar(c.kit->definition, c.image);
    const auto check = evidence::checkAxes(inCar, evidence::Drives({std::make_shared<const recording::Recording>(r)}));
    QVERIFY(check.found.empty());
    QCOMPARE(check.lacked.size(), size_t{1});
    QVERIFY(check.lacked[0] == "ve_now");
    const auto said = check.sentence();
    QVERIFY2(said.find("Not looked at, for it was not recorded: " + std::string(check.lacked[0].title())) !=
                 std::string::npos,
             said.c_str());
}

QTEST_GUILESS_MAIN(AxisCheckTest)
#include "AxisCheckTest.moc"
