// The same controller and the same drive through another definition: other names, units, axes, byte orders, masks. What
// is learned from it must be the same.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <set>

#include "BaseBench.h"
#include "DrivenKit.h"
#include "core/job/Correct.h"
#include "core/job/Drive.h"
#include "core/job/Maps.h"
#include "core/proposals/correct/Air.h"

namespace {

using definition::Definition;

definition::Measurement& measured(Definition& d, std::string_view name) {
    for (auto& m : d.measurements)
        if (m.name == name) return m;
    qFatal("no %s", std::string(name).c_str());
}

definition::Parameter& kept(Definition& d, std::string_view name) {
    for (auto& p : d.parameters)
        if (p.name == name) return p;
    qFatal("no %s", std::string(name).c_str());
}

void tellIn(Definition& d, definition::Parameter& p, const char* unit, double factor) {
    p.conversion = retold(d, p.conversion, unit, factor);
    p.lower *= factor, p.upper *= factor;
}

/// As another maker would have written it.
std::shared_ptr<const job::Kit> foreignKit(const job::Kit& ours) {
    auto out = std::make_shared<job::Kit>(ours);
    Definition d = *ours.definition;
    const auto in = [&](const char* name, const char* unit, double factor, double offset = 0) {
        auto& m = measured(d, name);
        m.conversion = retold(d, m.conversion, unit, factor, offset);
    };
    in("pressure", "mbar", 10);
    in("baro", "psi", 1 / 6.894757293168361);
    in("coolant", "K", 1, 273.15);
    in("lambda_asked", "AFR", 14.7);
    in("short_trim", "factor", 0.01, 1);
    in("long_trim", "factor", 0.01, 1);
    in("airflow", "g/s", 1 / 3.6);
    in("boost_target_now", "bar", 0.01);
    // The same bytes told otherwise: the low byte of a word that begins with it; the high byte of one, moved down; a
    // signed number as the sign of a word.
    auto& gear = measured(d, "gear");
    gear.type = definition::DataType::UWord, gear.byteOrder = ByteOrder::LittleEndian, gear.bitMask = 0xFF;
    auto& cut = measured(d, "fuel_cut");
    cut.type = definition::DataType::UWord, cut.bitMask = 0xFF00, cut.shift = -8;
    auto& retard = measured(d, "knock_retard");
    retard.type = definition::DataType::UWord, retard.bitMask = 0xFFFF, retard.signExtend = true;
    // Pressure runs across the map of filling, in mbar; the mixture is told as an air-fuel ratio.
    tellIn(d, kept(d, "axis_pressure"), "mbar", 10);
    tellIn(d, kept(d, "lambda_map"), "AFR", 14.7);
    tellIn(d, kept(d, "boost_target"), "bar", 0.01);
    auto& ve = kept(d, "ve_map");
    auto layout = d.layouts[ve.layout];
    layout.columnsFirst = !layout.columnsFirst;
    layout.name += "_exchanged";
    d.layouts.push_back(layout);
    ve.layout = d.layouts.size() - 1;
    std::swap(ve.axes[0], ve.axes[1]);
    // Nothing keeps its name.
    for (auto& m : d.measurements)
        m.name = "Z" + m.name;
    for (auto& p : d.parameters)
        for (auto& axis : p.axes)
            if (!axis.input.empty()) axis.input = "Z" + axis.input;
    d.index();
    out->definition = std::make_shared<const Definition>(std::move(d));
    return out;
}

struct Both {
    std::shared_ptr<const job::Kit> ours, theirs;
    recording::Recording mine, other;
};

const Both& both(const char* route) {
    static std::map<std::string, Both> made;
    const auto [at, isNew] = made.try_emplace(route);
    if (isNew) {
        storage::RealFileSystem files;
        at->second.ours = *job::loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
        at->second.theirs = foreignKit(*at->second.ours);
        benchcar::BenchCar car(benchcar::kHeronFitted, 1);
        const auto driven = bench::drive(car, {at->second.ours, at->second.theirs}, {route});
        at->second.mine = *driven.recordings[0];
        at->second.other = *driven.recordings[1];
    }
    return at->second;
}

calibration::Calibration calibrationThrough(const job::Kit& kit) {
    return {kit.definition, heron().image()};
}

std::unique_ptr<evidence::Drives> drivesThrough(const job::Kit& kit, const recording::Recording& drive) {
    return std::make_unique<evidence::Drives>(
        evidence::Drives::Recordings{std::make_shared<const recording::Recording>(drive)},
        job::evidenceOptions(calibrationThrough(kit)));
}

}  // namespace

class ForeignDefinitionTest : public QObject {
    Q_OBJECT
  private slots:
    void theSameBytesAreTheSameNumbers();
    void theSameDriveGivesTheSameAirCorrection();
    void everyKindOfCorrectionWritesTheSameBytes();
    void theSameDriveFallsIntoTheSameCells_data();
    void theSameDriveFallsIntoTheSameCells();
    void theSameDriveGivesTheSameFigures();
    void theSameRowsCoverTheSameCellsWhileTheyAreRecorded();
};

void ForeignDefinitionTest::theSameBytesAreTheSameNumbers() {
    const Both& b = both("town");
    for (const auto& [name, factor, offset] : {std::tuple{"pressure", 10.0, 0.0},
                                               {"short_trim", 0.01, 1.0},
                                               {"lambda_asked", 14.7, 0.0},
                                               {"coolant", 1.0, 273.15},
                                               {"gear", 1.0, 0.0},
                                               {"fuel_cut", 1.0, 0.0},
                                               {"knock_retard", 1.0, 0.0},
                                               {"airflow", 1 / 3.6, 0.0}}) {
        const auto* mine = b.mine.groups[0].find(name);
        const auto* other = b.other.groups[0].find(std::string("Z") + name);
        QVERIFY2(mine && other && mine->role == other->role, name);
        bool moves = false;
        for (size_t i = 0; i < mine->values.size(); ++i) {
            const double wanted = static_cast<double>(mine->values[i]) * factor + offset;
            QVERIFY2(std::abs(static_cast<double>(other->values[i]) - wanted) < 1e-5 * std::max(1.0, std::abs(wanted)),
                     name);
            moves = moves || mine->values[i] != mine->values[0];
        }
        QVERIFY2(moves || std::string_view(name) == "knock_retard", name);
    }
}

void ForeignDefinitionTest::theSameDriveGivesTheSameAirCorrection() {
    const Both& b = both("survey");
    const auto mine = drivesThrough(*b.ours, b.mine), other = drivesThrough(*b.theirs, b.other);
    EXPECT_OK(mine->mixture());
    EXPECT_OK(other->mixture());
    const auto n = static_cast<double>(mine->mixture()->size()), m = static_cast<double>(other->mixture()->size());
    QVERIFY(n > 5000 && std::abs(n - m) < 0.001 * n);
    QVERIFY(mine->mixture()->forms.samples > 5000 && mine->mixture()->forms.agree());
    QVERIFY(std::abs(mine->mixture()->forms.mean - other->mixture()->forms.mean) < 1e-4);
    const auto ours = proposals::correctAir(calibrationThrough(*b.ours), *mine, {});
    const auto theirs = proposals::correctAir(calibrationThrough(*b.theirs), *other, {});
    EXPECT_OK(ours);
    EXPECT_OK(theirs);
    QVERIFY(ours->table.rows == theirs->table.columns && ours->table.columns == theirs->table.rows);
    QVERIFY(ours->changed > 60);
    size_t differ = 0;
    for (size_t row = 0; row < ours->table.rows; ++row)
        for (size_t column = 0; column < ours->table.columns; ++column) {
            const size_t i = row * ours->table.columns + column, j = column * theirs->table.columns + row;
            QVERIFY(std::abs(ours->table.values[i] - theirs->table.values[j]) < 1e-9);
            // To one count.
            QVERIFY2(
                std::abs(ours->result[i] - theirs->result[j]) < 0.0101,
                qPrintable(
                    QString("%1, %2: %3 and %4").arg(row).arg(column).arg(ours->result[i]).arg(theirs->result[j])));
            differ += ours->result[i] != theirs->result[j];
        }
    qInfo("%zu of %zu cells differ by a count", differ, ours->result.size());
    QVERIFY(std::abs(ours->now.rms - theirs->now.rms) < 1e-4 && ours->now.cells == theirs->now.cells);
    QVERIFY(std::abs(ours->expected - theirs->expected) < 1e-4);
}

void ForeignDefinitionTest::everyKindOfCorrectionWritesTheSameBytes() {
    std::set<std::string_view> made;
    for (const char* route : {"survey", "pulls-3"}) {
        const Both& b = both(route);
        // Each kind by itself, so that none hides behind another.
        for (const auto& kind : proposals::correctionKinds()) {
            proposals::CorrectionChoices choices;
            choices.only = {std::string(kind.id)};
            choices.facts.poured = 1.04;
            const auto ours =
                proposals::correctAll(calibrationThrough(*b.ours), *drivesThrough(*b.ours, b.mine), choices);
            const auto theirs =
                proposals::correctAll(calibrationThrough(*b.theirs), *drivesThrough(*b.theirs, b.other), choices);
            EXPECT_OK(ours);
            EXPECT_OK(theirs);
            QCOMPARE(ours->all.size(), theirs->all.size());
            QCOMPARE(ours->made.size(), theirs->made.size());
            if (ours->made.empty()) continue;
            made.insert(kind.id);
            auto mine = calibrationThrough(*b.ours), other = calibrationThrough(*b.theirs);
            for (const auto& edit : ours->edits())
                EXPECT_OK(mine.apply(edit));
            for (const auto& edit : theirs->edits())
                EXPECT_OK(other.apply(edit));
            // To one count of whatever is stored, in a cell or two of two bytes each.
            size_t differ = 0;
            for (const auto& segment : mine.image().segments()) {
                const auto bytes = *other.image().bytes(segment.start, static_cast<uint32_t>(segment.bytes.size()));
                for (size_t i = 0; i < bytes.size(); ++i)
                    differ += bytes[i] != segment.bytes[i] ? 1 : 0;
            }
            QVERIFY2(differ <= 4, qPrintable(QString("%1 on %2: %3 bytes").arg(kind.id.data()).arg(route).arg(differ)));
        }
    }
    for (const char* kind : {"injector", "meter", "air", "full-load"})
        QVERIFY2(made.count(kind), kind);
}

void ForeignDefinitionTest::theSameDriveFallsIntoTheSameCells_data() {
    QTest::addColumn<QString>("map");
    for (const char* map : {"ve_map", "lambda_map", "spark_map", "boost_target", "expected_pressure", "pedal_map",
                            "full_load_lambda", "torque_ceiling"})
        QTest::newRow(map) << QString(map);
}

void ForeignDefinitionTest::theSameDriveFallsIntoTheSameCells() {
    QFETCH(QString, map);
    const Both& b = both("town");
    const auto evidenceThrough = [&](const job::Kit& kit, const recording::Recording& drive,
                                     calibration::Table& table) {
        const auto calibration = calibrationThrough(kit);
        table = *calibration.read(map.toStdString());
        return job::evidenceOf(*drivesThrough(kit, drive), *kit.definition, table);
    };
    calibration::Table ours, theirs;
    const auto mine = evidenceThrough(*b.ours, b.mine, ours), other = evidenceThrough(*b.theirs, b.other, theirs);
    QVERIFY(!mine.cells.empty() && mine.cells.size() == other.cells.size());
    const bool exchanged = map == "ve_map";
    size_t visited = 0;
    for (size_t row = 0; row < ours.rows; ++row)
        for (size_t column = 0; column < ours.columns; ++column) {
            const auto& a = mine.cells[row * ours.columns + column];
            const auto& c = other.cells[exchanged ? column * theirs.columns + row : row * theirs.columns + column];
            // A sample that lies on the border of two cells may fall to either.
            QVERIFY(std::abs(static_cast<double>(a.count) - static_cast<double>(c.count)) <= 2 + 0.001 * a.count);
            if (a.count > 50) QVERIFY(std::abs(a.mean - c.mean) < 0.01 + 0.002 * std::abs(a.mean));
            visited += a.count > 0;
        }
    QVERIFY(visited > 3 && mine.watched == other.watched && mine.unit == other.unit);
}

void ForeignDefinitionTest::theSameDriveGivesTheSameFigures() {
    const Both& b = both("pulls-3");
    const auto mine = drivesThrough(*b.ours, b.mine)->figures(), other = drivesThrough(*b.theirs, b.other)->figures();
    QCOMPARE(mine.knocks, other.knocks);
    QVERIFY(mine.greatestRetard_deg && std::abs(*mine.greatestRetard_deg - *other.greatestRetard_deg) < 1e-4);
    QVERIFY(mine.boostError_kPa && other.boostError_kPa &&
            std::abs(*mine.boostError_kPa - *other.boostError_kPa) < 0.02);
    QVERIFY(mine.idleOff_rpm && std::abs(*mine.idleOff_rpm - *other.idleOff_rpm) < 1e-3);
    QCOMPARE(mine.limpMode, other.limpMode);
}

void ForeignDefinitionTest::theSameRowsCoverTheSameCellsWhileTheyAreRecorded() {
    const Both& b = both("town");
    const auto covered = [](const job::Kit& kit, const recording::Recording& drive) {
        job::ChannelSet set;
        set.definition = kit.definition;
        for (const auto& m : kit.definition->measurements)
            if (!m.role.empty()) set.measurements.push_back(&m);
        const auto table = *calibrationThrough(kit).read("ve_map");
        auto out = std::make_unique<job::LiveCoverage>(kit, table, set);
        const auto& group = drive.groups[0];
        std::vector<float> row(group.channels.size());
        for (size_t i = 0; i < group.time_s.size(); ++i) {
            for (size_t k = 0; k < row.size(); ++k)
                row[k] = group.channels[k].values[i];
            out->row(group.time_s[i], row);
        }
        return out;
    };
    const auto mine = covered(*b.ours, b.mine), other = covered(*b.theirs, b.other);
    QVERIFY(mine->sees() && other->sees());
    const auto &ours = mine->map(), &theirs = other->map();
    const auto a = mine->now(), c = other->now();
    double sum = 0;
    for (size_t row = 0; row < ours.rows; ++row)
        for (size_t column = 0; column < ours.columns; ++column) {
            const double one = a.seconds[row * ours.columns + column];
            QVERIFY(std::abs(one - c.seconds[column * theirs.columns + row]) < 0.05);
            sum += one;
        }
    // Every row counts, not only those that the window is shown.
    QVERIFY(std::abs(sum - b.mine.groups[0].time_s.back() + b.mine.groups[0].time_s.front()) < 0.1);
    // Where the engine is, in the axes' own units.
    QVERIFY(std::abs(a.x - c.y) < 0.01 && std::abs(a.y * 10 - c.x) < 0.01);
    // What was not chosen can't be seen.
    job::ChannelSet none;
    none.definition = b.ours->definition;
    QVERIFY(!job::LiveCoverage(*b.ours, ours, none).sees());
}

QTEST_GUILESS_MAIN(ForeignDefinitionTest)
#include "ForeignDefinitionTest.moc"
