// Maps worked on as a whole: filled, softened, scaled, re-spaced, taken from a donor, compared; ridges, shared bytes,
// numbers from and to spreadsheets.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "Expect.h"
#include "core/base/Text.h"
#include "core/calibration/Cdf.h"
#include "core/calibration/Compare.h"
#include "core/calibration/Respace.h"
#include "core/calibration/Shape.h"
#include "core/calibration/SharedBytes.h"
#include "core/calibration/Tabbed.h"
#include "core/calibration/Transfer.h"
#include "core/definition/A2lReader.h"

using namespace brusk;
using namespace brusk::calibration;

namespace {

/// Two maps and a curve on one speed axis; the loads are each map's own. `unit` and `factor` make a donor of it.
std::string definitionText(const std::string& unit, const std::string& factor, int columns) {
    const std::string n = std::to_string(columns);
    return R"(/begin PROJECT P "" /begin MODULE M "" /begin MOD_COMMON "" BYTE_ORDER MSB_FIRST ALIGNMENT_WORD 1 /end MOD_COMMON
/begin COMPU_METHOD value "" LINEAR "%6.2" ")" +
           unit + R"(" COEFFS_LINEAR )" + factor + R"( 0 /end COMPU_METHOD
/begin COMPU_METHOD rpm "" IDENTICAL "%5.0" "rpm" /end COMPU_METHOD
/begin COMPU_METHOD plain "" IDENTICAL "%5.0" "" /end COMPU_METHOD
/begin COMPU_METHOD onoff "" TAB_VERB "%1.0" "" COMPU_TAB_REF w /end COMPU_METHOD
/begin COMPU_VTAB w "" TAB_VERB 2 0 "off" 1 "on" /end COMPU_VTAB
/begin RECORD_LAYOUT byte FNC_VALUES 1 UBYTE ROW_DIR DIRECT /end RECORD_LAYOUT
/begin RECORD_LAYOUT word FNC_VALUES 1 UWORD ROW_DIR DIRECT /end RECORD_LAYOUT
/begin RECORD_LAYOUT points AXIS_PTS_X 1 UWORD INDEX_INCR DIRECT /end RECORD_LAYOUT
/begin RECORD_LAYOUT map AXIS_PTS_Y 1 UWORD INDEX_INCR DIRECT FNC_VALUES 2 UWORD ROW_DIR DIRECT /end RECORD_LAYOUT
/begin AXIS_PTS speeds "" 0x100 n points 0 rpm )" +
           n + R"( 0 9000 /end AXIS_PTS
)" +
           [&] {
               std::string maps;
               for (const auto& [name, at] : {std::pair{"first", "0x200"}, {"second", "0x300"}})
                   maps += std::string("/begin CHARACTERISTIC ") + name + " \"\" MAP " + at + " map 0 value 0 600\n" +
                           "/begin AXIS_DESCR COM_AXIS n rpm " + n +
                           " 0 9000 AXIS_PTS_REF speeds /end AXIS_DESCR\n"
                           "/begin AXIS_DESCR STD_AXIS load plain 4 0 9000 /end AXIS_DESCR /end CHARACTERISTIC\n";
               return maps;
           }() +
           R"(/begin CHARACTERISTIC curve "" CURVE 0x400 word 0 value 0 600
/begin AXIS_DESCR COM_AXIS n rpm )" +
           n + R"( 0 9000 AXIS_PTS_REF speeds /end AXIS_DESCR /end CHARACTERISTIC
/begin CHARACTERISTIC whole "" VALUE 0x10 word 0 plain 0 65535 /end CHARACTERISTIC
/begin CHARACTERISTIC upper "" VALUE 0x10 byte 0 plain 0 255 /end CHARACTERISTIC
/begin CHARACTERISTIC bit0 "" VALUE 0x20 byte 0 onoff 0 1 BIT_MASK 1 /end CHARACTERISTIC
/begin CHARACTERISTIC bit1 "" VALUE 0x20 byte 0 onoff 0 1 BIT_MASK 2 /end CHARACTERISTIC
/begin CHARACTERISTIC label "" ASCII 0x30 byte 0 plain 0 255 NUMBER 8 /end CHARACTERISTIC
/end MODULE /end PROJECT)";
}

constexpr double kLoads[] = {20, 40, 80, 160};

double hill(double speed, double load) {
    return 40 + speed / 100 + load / 4 + 20 * std::sin(speed / 2000);
}

Calibration made(const std::vector<double>& speeds, const std::string& unit = "kPa", double factor = 0.01) {
    auto contents = definition::readA2l(definitionText(unit, formatNumber(factor, 6), static_cast<int>(speeds.size())));
    if (!contents || !contents->diagnostics.empty())
        qFatal("%s", contents ? contents->diagnostics[0].message.c_str() : contents.error().text().c_str());
    Bytes memory(0x800, 0);
    const auto put = [&](size_t at, double value) {
        storeUnsigned(memory.data() + at, 2, ByteOrder::BigEndian, static_cast<uint64_t>(std::lround(value)));
    };
    for (size_t c = 0; c < speeds.size(); ++c) {
        put(0x100 + 2 * c, speeds[c]);
        put(0x400 + 2 * c, hill(speeds[c], 100) / factor * (unit == "bar" ? 0.01 : 1));
    }
    for (const size_t at : {size_t{0x200}, size_t{0x300}})
        for (size_t r = 0; r < 4; ++r) {
            put(at + 2 * r, kLoads[r]);
            for (size_t c = 0; c < speeds.size(); ++c)
                put(at + 8 + 2 * (r * speeds.size() + c),
                    hill(speeds[c], kLoads[r]) / factor * (unit == "bar" ? 0.01 : 1));
        }
    memory[0x20] = 2;
    std::copy_n("ABC     ", 8, memory.begin() + 0x30);
    image::Image image;
    if (!image.add(0, memory)) qFatal("no image");
    return {std::make_shared<const definition::Definition>(std::move(contents->definition)), std::move(image)};
}

/// Between the four cells around a place, found by walking; another way than the core's.
double plainSurface(const Table& t, double x, double y) {
    size_t c = 0, r = 0;
    while (c + 2 < t.columns && t.x.values[c + 1] < x)
        ++c;
    while (r + 2 < t.rows && t.y.values[r + 1] < y)
        ++r;
    const double u = (x - t.x.values[c]) / (t.x.values[c + 1] - t.x.values[c]);
    const double v = (y - t.y.values[r]) / (t.y.values[r + 1] - t.y.values[r]);
    return (1 - u) * (1 - v) * t.at(r, c) + u * (1 - v) * t.at(r, c + 1) + (1 - u) * v * t.at(r + 1, c) +
           u * v * t.at(r + 1, c + 1);
}

const std::vector<double> kSpeeds{800, 1500, 2500, 4000, 6000};

/// A table by hand, for the pure functions.
Table flat(std::vector<double> x, std::vector<double> y, double (*f)(double, double)) {
    Table t;
    t.columns = x.size();
    t.rows = y.empty() ? 1 : y.size();
    t.x.values = std::move(x);
    t.y.values = std::move(y);
    for (size_t r = 0; r < t.rows; ++r)
        for (size_t c = 0; c < t.columns; ++c)
            t.values.push_back(f(t.x.values[c], t.y.values.empty() ? 0 : t.y.values[r]));
    t.raw = t.values;
    t.step = 0.01;
    return t;
}

const std::vector<double> kUneven{0, 1, 3, 4, 8, 9, 15, 20};
double plane(double x, double y) {
    return 3 + 2 * x - 5 * y;
}

void setCells(Table& t, const std::vector<CellValue>& cells) {
    for (const CellValue& cell : cells)
        t.values[cell.index] = cell.value;
}

}  // namespace

class ShapeTest : public QObject {
    Q_OBJECT
  private slots:
    void fillingAPlaneBetweenItsEdgesGivesThePlane();
    void fillingOneWayTakesOnlyThoseEdges();
    void softeningKeepsSlopesOfUnevenBreakpoints();
    void softeningTakesASpikeAndKeepsAStep();
    void factorsActWithTheirStrengthAndBlanksStay();
    void aSpikeIsPointedOutOnceAndAHillIsNot();
    void whatTheStockMapDoesIsNoRidge();
    void aSharedAxisMovesAllItsMapsAndKeepsTheirSurfaces();
    void reSpacingCanKeepTheNumbers();
    void reSpacingByHalfACountIsRefused();
    void anOwnAxisMovesAlone();
    void whatLiesBeyondTheOldAxisIsHeldOrExtended();
    void aDonorWithOtherBreakpointsAndUnitsGivesTheSameSurface();
    void aDonorsBreakpointsComeAlongAndOthersKeepTheirSurface();
    void anAxisMovesAlsoWhereTheNumbersFitAlready();
    void whatCantBeTakenOverIsSaidAndStopsNothing();
    void halfTheStrengthGoesHalfTheWay();
    void twoCalibrationsOfOneDefinitionAreComparedCellByCell();
    void twoDefinitionsAreComparedAcrossUnitsAndBreakpoints();
    void parametersOnTheSameBytesAreKnown();
    void anEditTellsWhoElseItChanges();
    void cellsGoToASpreadsheetAndBack();
    void bothDecimalSignsAreUnderstood();
    void whatIsNoTableIsSaidWithItsPlace();
    void valuesGoThroughCdfAndBack();
    void aCdfOfAnotherWriterIsRead();
    void aBrokenCdfIsSaidWithItsLine_data();
    void aBrokenCdfIsSaidWithItsLine();
    void theDifferenceOfTwoImagesIsAnEdit();
};

void ShapeTest::fillingAPlaneBetweenItsEdgesGivesThePlane() {
    const Table truth = flat(kUneven, {0, 2, 3, 7}, plane);
    for (const Direction direction : {Direction::Across, Direction::Down, Direction::Both}) {
        Table t = truth;
        for (size_t r = 0; r < t.rows; ++r)
            for (size_t c = 0; c < t.columns; ++c) {
                const bool edgeX = c == 0 || c + 1 == t.columns, edgeY = r == 0 || r + 1 == t.rows;
                const bool kept = direction == Direction::Across ? edgeX
                                  : direction == Direction::Down ? edgeY
                                                                 : edgeX && edgeY;
                if (!kept) t.values[r * t.columns + c] = 999;
            }
        setCells(t, fillBetween(t, {0, 0, 3, 7}, direction));
        for (size_t i = 0; i < t.values.size(); ++i)
            QVERIFY(std::abs(t.values[i] - truth.values[i]) < 1e-9);
    }
}

void ShapeTest::fillingOneWayTakesOnlyThoseEdges() {
    Table t = flat({0, 1, 2, 3}, {0, 1}, [](double x, double) { return x * x; });
    setCells(t, fillBetween(t, {1, 0, 1, 3}, Direction::Across));
    QCOMPARE(t.values, (std::vector<double>{0, 1, 4, 9, 0, 3, 6, 9}));
}

void ShapeTest::softeningKeepsSlopesOfUnevenBreakpoints() {
    Table t = flat(kUneven, {0, 2, 3, 7, 20}, plane);
    const Table before = t;
    setCells(t, soften(t, {0, 0, 4, 7}, 1));
    for (size_t i = 0; i < t.values.size(); ++i)
        QVERIFY(std::abs(t.values[i] - before.values[i]) < 1e-9);
}

void ShapeTest::softeningTakesASpikeAndKeepsAStep() {
    Table spike = flat(kUneven, {0, 2, 3, 7, 20}, plane);
    const size_t cell = 2 * spike.columns + 3;
    const double there = spike.values[cell];
    spike.values[cell] += 40;
    setCells(spike, soften(spike, {2, 3, 2, 3}, 1));
    QVERIFY(std::abs(spike.values[cell] - there) < 1);
    Table step = flat(kUneven, {}, [](double x, double) { return x < 5 ? 10.0 + 0.1 * x : 60.0 + 0.1 * x; });
    const Table before = step;
    setCells(step, soften(step, {0, 0, 0, 7}, 1));
    for (size_t i = 0; i < step.values.size(); ++i)
        QVERIFY(std::abs(step.values[i] - before.values[i]) < 1);
    // Half the strength moves half as far.
    Table half = flat(kUneven, {}, plane);
    half.values[3] += 8;
    Table full = half;
    const double from = half.values[3];
    setCells(half, soften(half, {0, 3, 0, 3}, 0.5));
    setCells(full, soften(full, {0, 3, 0, 3}, 1));
    QVERIFY(std::abs((half.values[3] - from) * 2 - (full.values[3] - from)) < 1e-9);
}

void ShapeTest::factorsActWithTheirStrengthAndBlanksStay() {
    Table t = flat({0, 1, 2}, {0, 1}, [](double, double) { return 100.0; });
    setCells(t, applyFactors(t, {0, 0, 1, 1}, {1.1, 0.9, NAN, 2}, 0.5));
    QCOMPARE(t.values, (std::vector<double>{105, 95, 100, 100, 150, 100}));
}

void ShapeTest::aSpikeIsPointedOutOnceAndAHillIsNot() {
    Table t = flat({500, 1000, 2000, 3000, 5000, 7000}, {20, 40, 60, 100, 160}, hill);
    QVERIFY(findRidges(t, nullptr).empty());
    t.values[2 * 6 + 2] -= 40;
    const auto ridges = findRidges(t, nullptr);
    QCOMPARE(ridges.size(), size_t{2});  // along both axes
    for (const Ridge& ridge : ridges) {
        QCOMPARE(ridge.cell, size_t{14});
        QVERIFY(ridge.height < -30);
    }
}

void ShapeTest::whatTheStockMapDoesIsNoRidge() {
    Table t = flat({500, 1000, 2000, 3000, 5000, 7000}, {}, hill);
    t.values[2] += 30;
    QVERIFY(findRidges(t, &t).empty());
    QVERIFY(!findRidges(t, nullptr).empty());
}

void ShapeTest::aSharedAxisMovesAllItsMapsAndKeepsTheirSurfaces() {
    Calibration c = made(kSpeeds);
    const auto& first = *c.definition().parameter("first");
    const std::vector<double> wanted{1000, 2000, 3000, 5000, 6000};
    const auto plan = respace(c, first, 0, wanted, Keep::Surface, Outside::Clamp);
    EXPECT_OK(plan);
    QCOMPARE(plan->shared, std::string("speeds"));
    QCOMPARE(plan->followers.size(), size_t{3});
    const auto oldSecond = *c.read("second");
    EXPECT_OK(c.apply(plan->edit));
    for (const char* name : {"first", "second", "curve"})
        QCOMPARE(c.read(name)->x.values, wanted);
    const auto second = *c.read("second");
    for (size_t r = 0; r < 4; ++r)
        for (size_t k = 0; k < 5; ++k)
            QVERIFY(std::abs(second.at(r, k) - surfaceAt(oldSecond, wanted[k], kLoads[r])) <= 0.0051);
    // The error that is told is the error there is, by a search that knows nothing of breakpoints.
    double largest = 0;
    for (double speed = 1000; speed <= 6000; speed += 10)
        for (double load = 20; load <= 160; load += 2)
            largest =
                std::max(largest, std::abs(plainSurface(second, speed, load) - plainSurface(oldSecond, speed, load)));
    QVERIFY(largest > 0.5);
    QVERIFY(std::abs(plan->followers[1].error.largest - largest) < 0.02 * largest + 0.01);
    EXPECT_OK(c.revert(plan->edit));
    QVERIFY(c.image() == made(kSpeeds).image());
}

void ShapeTest::reSpacingCanKeepTheNumbers() {
    Calibration c = made(kSpeeds);
    const auto before = c.read("first")->raw;
    const auto plan =
        respace(c, *c.definition().parameter("first"), 0, {900, 1600, 2600, 4100, 6100}, Keep::Numbers, Outside::Clamp);
    EXPECT_OK(plan);
    EXPECT_OK(c.apply(plan->edit));
    QCOMPARE(c.read("first")->raw, before);
    QVERIFY(plan->followers[0].error.largest > 0.5);
}

void ShapeTest::reSpacingByHalfACountIsRefused() {
    const Calibration c = made(kSpeeds);
    const auto& first = *c.definition().parameter("first");
    EXPECT_FAILS(respace(c, first, 0, {800, 800.2, 2500, 4000, 6000}, Keep::Surface, Outside::Clamp),
                 "stored as the same number");
    EXPECT_FAILS(respace(c, first, 0, {800, 700, 2500, 4000, 6000}, Keep::Surface, Outside::Clamp), "must rise");
    EXPECT_FAILS(respace(c, first, 0, {800, 1500}, Keep::Surface, Outside::Clamp), "5 breakpoints");
    EXPECT_FAILS(respace(c, first, 0, {800, 1500, 2500, 4000, 9500}, Keep::Surface, Outside::Clamp),
                 "beyond its limits");
    EXPECT_FAILS(respace(c, first, 2, {}, Keep::Surface, Outside::Clamp), "no such axis");
}

void ShapeTest::anOwnAxisMovesAlone() {
    Calibration c = made(kSpeeds);
    const auto plan =
        respace(c, *c.definition().parameter("first"), 1, {30, 60, 120, 160}, Keep::Surface, Outside::Clamp);
    EXPECT_OK(plan);
    QVERIFY(plan->shared.empty());
    QCOMPARE(plan->followers.size(), size_t{1});
    const auto second = c.read("second")->y.values;
    EXPECT_OK(c.apply(plan->edit));
    QCOMPARE(c.read("first")->y.values, (std::vector<double>{30, 60, 120, 160}));
    QCOMPARE(c.read("second")->y.values, second);
}

void ShapeTest::whatLiesBeyondTheOldAxisIsHeldOrExtended() {
    const Calibration c = made(kSpeeds);
    const auto last = [&](Outside outside) {
        Calibration work = c;
        const auto plan =
            respace(c, *c.definition().parameter("curve"), 0, {800, 1500, 2500, 4000, 8000}, Keep::Surface, outside);
        if (!plan || !work.apply(plan->edit)) return 0.0;
        return work.read("curve")->values.back();
    };
    const auto old = c.read("curve")->values;
    QVERIFY(std::abs(last(Outside::Clamp) - old[4]) < 0.006);
    QVERIFY(std::abs(last(Outside::Extend) - (old[4] + (old[4] - old[3]))) < 0.011);
}

void ShapeTest::aDonorWithOtherBreakpointsAndUnitsGivesTheSameSurface() {
    // The donor keeps bar on seven speeds, we keep kPa on five.
    const Calibration donor = made({700, 1200, 2000, 3000, 4200, 5400, 6500}, "bar", 0.0001);
    Calibration ours = made(kSpeeds);
    const auto& first = *ours.definition().parameter("first");
    std::vector<CellValue> zero;
    for (size_t i = 0; i < 20; ++i)
        zero.push_back({i, 1});
    EXPECT_OK(ours.apply(*ours.prepare(first, zero, AtLimit::Refuse, "flat")));
    const auto plan = transfer(ours, donor, {"first"}, {}, "from the donor");
    QCOMPARE(plan.lines.size(), size_t{1});
    QVERIFY(plan.lines[0].outcome == TransferLine::Outcome::Resampled);
    QCOMPARE(plan.lines[0].cells, size_t{20});
    QVERIFY(plan.lines[0].remark.find("Converted from bar to kPa") != std::string::npos);
    EXPECT_OK(ours.apply(plan.edit));
    const auto now = *ours.read("first");
    for (size_t r = 0; r < 4; ++r)
        for (size_t c = 0; c < 5; ++c)
            QVERIFY(std::abs(now.at(r, c) - hill(kSpeeds[c], kLoads[r])) < 2.5);
    const auto theirs = *donor.read("first");
    double largest = 0;
    for (double speed = 800; speed <= 6000; speed += 10)
        for (double load = 20; load <= 160; load += 2)
            largest =
                std::max(largest, std::abs(100 * plainSurface(theirs, speed, load) - plainSurface(now, speed, load)));
    QVERIFY(std::abs(plan.lines[0].error.largest - largest) < 0.05 * largest + 0.02);
}

void ShapeTest::aDonorsBreakpointsComeAlongAndOthersKeepTheirSurface() {
    const Calibration donor = made({1000, 2000, 3000, 4500, 6000});
    Calibration ours = made(kSpeeds);
    const auto oldSecond = *ours.read("second");
    TransferOptions options;
    options.axes = true;
    const auto plan = transfer(ours, donor, {"first"}, options, "with axes");
    QVERIFY(plan.lines[0].remark.find("moved for 2 other parameters") != std::string::npos);
    EXPECT_OK(ours.apply(plan.edit));
    QCOMPARE(ours.read("first")->x.values, donor.read("first")->x.values);
    QCOMPARE(ours.read("first")->raw, donor.read("first")->raw);
    const auto second = *ours.read("second");
    QVERIFY(std::abs(second.at(0, 1) - surfaceAt(oldSecond, 2000, 20)) <= 0.0051);
}

void ShapeTest::anAxisMovesAlsoWhereTheNumbersFitAlready() {
    // Flat maps look the same on any breakpoints; the donor's still come along.
    Calibration ours = made(kSpeeds), donor = made({1000, 2000, 3000, 4500, 6000});
    for (Calibration* c : {&ours, &donor}) {
        std::vector<CellValue> flatCells;
        for (size_t i = 0; i < 20; ++i)
            flatCells.push_back({i, 70});
        EXPECT_OK(c->apply(*c->prepare(*c->definition().parameter("first"), flatCells, AtLimit::Refuse, "")));
    }
    TransferOptions options;
    options.axes = true;
    const auto plan = transfer(ours, donor, {"first"}, options, "with axes");
    QVERIFY(plan.lines[0].outcome == TransferLine::Outcome::Copied);
    EXPECT_OK(ours.apply(plan.edit));
    QCOMPARE(ours.read("first")->x.values, donor.read("first")->x.values);
}

void ShapeTest::whatCantBeTakenOverIsSaidAndStopsNothing() {
    const Calibration donor = made(kSpeeds, "rpm");
    const Calibration ours = made(kSpeeds);
    const auto plan = transfer(ours, donor, {"first", "nothing", "whole", "label"}, {}, "try");
    QVERIFY(plan.lines[0].outcome == TransferLine::Outcome::NotPossible);
    QVERIFY(plan.lines[0].remark.find("is in rpm there and in kPa here") != std::string::npos);
    QVERIFY(plan.lines[1].remark.find("no parameter nothing") != std::string::npos);
    QVERIFY(plan.lines[2].outcome == TransferLine::Outcome::Same);
    QVERIFY(plan.lines[3].outcome == TransferLine::Outcome::Same);
    QVERIFY(plan.edit.empty());
}

void ShapeTest::halfTheStrengthGoesHalfTheWay() {
    Calibration donor = made(kSpeeds), ours = made(kSpeeds);
    const auto& whole = *donor.definition().parameter("whole");
    EXPECT_OK(donor.apply(*donor.prepare(whole, {{0, 1000}}, AtLimit::Refuse, "set")));
    TransferOptions options;
    options.strength = 0.5;
    EXPECT_OK(ours.apply(transfer(ours, donor, {"whole"}, options, "half").edit));
    QCOMPARE(*ours.value("whole"), 500.0);
}

void ShapeTest::twoCalibrationsOfOneDefinitionAreComparedCellByCell() {
    const Calibration a = made(kSpeeds);
    Calibration b = a;
    EXPECT_OK(b.apply(*b.prepare(*b.definition().parameter("second"), {{3, 100}, {7, 90}}, AtLimit::Refuse, "")));
    EXPECT_OK(b.apply(*b.prepareText(*b.definition().parameter("label"), "XYZ", "")));
    const Comparison all = compareAll(a, b);
    QCOMPARE(all.differences.size(), size_t{2});
    QCOMPARE(all.differences[0].parameter->name, std::string("second"));
    QCOMPARE(all.differences[0].cells, size_t{2});
    const auto cells = compareCells(*a.read("second"), *b.read("second"));
    EXPECT_OK(cells);
    QVERIFY(cells->differs[3] && cells->differs[7] && !cells->differs[4] && !cells->resampled);
}

void ShapeTest::twoDefinitionsAreComparedAcrossUnitsAndBreakpoints() {
    const Calibration ours = made(kSpeeds);
    const Calibration same = made(kSpeeds, "bar", 0.0001);
    // The same numbers in another unit are no difference.
    const Comparison equal = compareAll(ours, same);
    QVERIFY(equal.differences.empty() && equal.notComparable.empty() && equal.onlyInA.empty());
    const Calibration other = made({1000, 2000, 3000, 4500, 6000}, "bar", 0.0001);
    const Comparison differ = compareAll(ours, other);
    QVERIFY(!differ.differences.empty());
    bool met = false;
    for (const Difference& d : differ.differences) {
        if (d.parameter->name != "first") continue;
        met = true;
        double largest = 0;
        const Table mine = *ours.read("first"), theirs = *other.read("first");
        for (size_t r = 0; r < 4; ++r)
            for (size_t c = 0; c < 5; ++c) {
                const double speed = std::clamp(kSpeeds[c], 1000.0, 6000.0);  // held beyond the other's ends
                largest = std::max(largest, std::abs(100 * plainSurface(theirs, speed, kLoads[r]) - mine.at(r, c)));
            }
        QVERIFY(d.resampled && std::abs(std::abs(d.largest) - largest) < 1e-6);
    }
    QVERIFY(met);
}

void ShapeTest::parametersOnTheSameBytesAreKnown() {
    const Calibration c = made(kSpeeds);
    const SharedBytes shared(c);
    const auto& d = c.definition();
    const auto whole = shared.of(*d.parameter("whole"));
    QCOMPARE(whole.size(), size_t{1});
    QCOMPARE(whole[0].parameter->name, std::string("upper"));
    QVERIFY(whole[0].overlap == SharedBytes::Overlap::Part && whole[0].bytes == 1);
    const auto bit = shared.of(*d.parameter("bit0"));
    QVERIFY(bit.size() == 1 && bit[0].overlap == SharedBytes::Overlap::OtherBits);
    QVERIFY(shared.of(*d.parameter("first")).empty());
}

void ShapeTest::anEditTellsWhoElseItChanges() {
    const Calibration c = made(kSpeeds);
    const SharedBytes shared(c);
    const auto& d = c.definition();
    const auto high = c.prepare(*d.parameter("whole"), {{0, 0x1200}}, AtLimit::Refuse, "");
    const auto changed = shared.changedBy(*high, d.parameter("whole"));
    QCOMPARE(changed.size(), size_t{1});
    QCOMPARE(changed[0]->name, std::string("upper"));
    // Another bit of the same byte is nobody else's.
    const auto bit = c.prepare(*d.parameter("bit0"), {{0, 1}}, AtLimit::Refuse, "");
    QVERIFY(shared.changedBy(*bit, d.parameter("bit0")).empty());
}

void ShapeTest::cellsGoToASpreadsheetAndBack() {
    const auto t = *made(kSpeeds).read("first");
    const std::string plainText = toTabbed(t, {0, 1, 1, 2}, false, ',');
    QCOMPARE(std::count(plainText.begin(), plainText.end(), '\n'), 2);
    QVERIFY(plainText.find(',') != std::string::npos && plainText.find('.') == std::string::npos);
    const auto back = fromTabbed(plainText, ',');
    EXPECT_OK(back);
    QCOMPARE(back->rows, size_t{2});
    QVERIFY(std::abs(back->values[0] - t.at(0, 1)) < 0.006);
    const auto withAxes = fromTabbed(toTabbed(t, {0, 0, 3, 4}, true, '.'), '.');
    EXPECT_OK(withAxes);
    QCOMPARE(withAxes->x, kSpeeds);
    QCOMPARE(withAxes->y, (std::vector<double>(std::begin(kLoads), std::end(kLoads))));
    QCOMPARE(withAxes->values.size(), size_t{20});
}

void ShapeTest::bothDecimalSignsAreUnderstood() {
    for (const char* text : {"1,5\t-2,25\r\n1.500,5\t\r\n", "1.5\t-2.25\n1,500.5\t\n"}) {
        const auto numbers = fromTabbed(text, '.');
        EXPECT_OK(numbers);
        QCOMPARE(numbers->values[0], 1.5);
        QCOMPARE(numbers->values[1], -2.25);
        QCOMPARE(numbers->values[2], 1500.5);
        QVERIFY(std::isnan(numbers->values[3]));
    }
}

void ShapeTest::whatIsNoTableIsSaidWithItsPlace() {
    EXPECT_FAILS(fromTabbed("1\t2\n3\tfour\n", '.'), "Row 2, column 2: \"four\" is not a number");
    EXPECT_FAILS(fromTabbed("  \n", '.'), "no numbers");
}

void ShapeTest::valuesGoThroughCdfAndBack() {
    Calibration source = made(kSpeeds);
    const auto& d = source.definition();
    EXPECT_OK(source.apply(*source.prepare(*d.parameter("bit0"), {{0, 1}}, AtLimit::Refuse, "")));
    EXPECT_OK(source.apply(*source.prepareText(*d.parameter("label"), "x < & >", "")));
    EXPECT_OK(source.apply(*source.prepare(*d.parameter("first"), {{2, 123.45}}, AtLimit::Refuse, "")));
    std::vector<std::string> names, leftOut;
    for (const auto& p : d.parameters)
        names.push_back(p.name);
    const auto text = writeCdf(source, names, leftOut);
    EXPECT_OK(text);
    QVERIFY(leftOut.empty());
    const auto contents = readCdf(*text);
    EXPECT_OK(contents);
    QVERIFY(contents->diagnostics.empty());
    QCOMPARE(contents->tables.size(), names.size());
    Calibration target = made(kSpeeds);
    const auto plan = transferTables(target, contents->tables, {}, "import");
    for (const auto& line : plan.lines)
        QVERIFY2(line.outcome != TransferLine::Outcome::NotPossible, line.remark.c_str());
    EXPECT_OK(target.apply(plan.edit));
    QVERIFY(target.image() == source.image());
    // Into a calibration with other breakpoints and units it is resampled and converted.
    const Calibration other = made({1000, 2000, 3000, 4500, 6000}, "bar", 0.0001);
    for (const auto& line : transferTables(other, contents->tables, {}, "import").lines)
        if (line.name == "second") QVERIFY(line.remark.find("Converted from kPa to bar") != std::string::npos);
}

void ShapeTest::aCdfOfAnotherWriterIsRead() {
    // Grouped by columns, axis values in place, a label in each group, an unknown category beside.
    const auto contents =
        readCdf(R"(<?xml version="1.0" encoding="utf-8"?><MSRSW><SHORT-NAME>x</SHORT-NAME><CATEGORY>CDF20</CATEGORY>
<SW-SYSTEMS><SW-SYSTEM><SHORT-NAME>s</SHORT-NAME><SW-INSTANCE-SPEC><SW-INSTANCE-TREE><SHORT-NAME>t</SHORT-NAME>
<SW-INSTANCE><SHORT-NAME>m</SHORT-NAME><CATEGORY>MAP</CATEGORY><SW-VALUE-CONT><UNIT-DISPLAY-NAME xml:space="preserve">kPa</UNIT-DISPLAY-NAME>
<SW-VALUES-PHYS><VG><LABEL>1</LABEL><V>1</V><V>4</V></VG><VG><V>2</V><V>5</V></VG><VG><V>3</V><V>6</V></VG></SW-VALUES-PHYS></SW-VALUE-CONT>
<SW-AXIS-CONTS><SW-AXIS-CONT><CATEGORY>STD_AXIS</CATEGORY><SW-VALUES-PHYS><V>10</V><V>20</V><V>30</V></SW-VALUES-PHYS></SW-AXIS-CONT>
<SW-AXIS-CONT><CATEGORY>STD_AXIS</CATEGORY><SW-VALUES-PHYS><V>1</V><V>2</V></SW-VALUES-PHYS></SW-AXIS-CONT></SW-AXIS-CONTS></SW-INSTANCE>
<SW-INSTANCE><SHORT-NAME>odd</SHORT-NAME><CATEGORY>STRANGE</CATEGORY></SW-INSTANCE>
</SW-INSTANCE-TREE></SW-INSTANCE-SPEC></SW-SYSTEM></SW-SYSTEMS></MSRSW>)");
    EXPECT_OK(contents);
    QCOMPARE(contents->tables.size(), size_t{1});
    QCOMPARE(contents->tables[0].values, (std::vector<double>{1, 2, 3, 4, 5, 6}));
    QCOMPARE(contents->diagnostics.size(), size_t{1});
    QCOMPARE(contents->diagnostics[0].line, 7);
}

void ShapeTest::aBrokenCdfIsSaidWithItsLine_data() {
    QTest::addColumn<QByteArray>("text");
    QTest::addColumn<QByteArray>("why");
    QTest::newRow("empty") << QByteArray("") << QByteArray("XML is broken");
    QTest::newRow("another XML") << QByteArray("<a/>") << QByteArray("its root is not MSRSW");
    QTest::newRow("cut off") << QByteArray("<MSRSW>\n<SW-SYSTEMS>\n<SW") << QByteArray("Line 3");
    QTest::newRow("no values") << QByteArray("<MSRSW/>") << QByteArray("no parameter value");
    QTest::newRow("a word for a number")
        << QByteArray(
               "<MSRSW><SW-SYSTEMS><SW-SYSTEM><SW-INSTANCE-SPEC><SW-INSTANCE-TREE>\n<SW-INSTANCE><SHORT-NAME>p"
               "</SHORT-NAME><CATEGORY>VALUE</CATEGORY><SW-VALUE-CONT><SW-VALUES-PHYS><V>four</V></SW-VALUES-PHYS>"
               "</SW-VALUE-CONT></SW-INSTANCE></SW-INSTANCE-TREE></SW-INSTANCE-SPEC></SW-SYSTEM></SW-SYSTEMS></MSRSW>")
        << QByteArray("Line 2: p has a value that is not a number");
}

void ShapeTest::aBrokenCdfIsSaidWithItsLine() {
    QFETCH(QByteArray, text);
    QFETCH(QByteArray, why);
    EXPECT_FAILS(readCdf(text.toStdString()), why.toStdString());
}

void ShapeTest::theDifferenceOfTwoImagesIsAnEdit() {
    const Calibration a = made(kSpeeds);
    Calibration b = a;
    EXPECT_OK(b.apply(*b.prepare(*b.definition().parameter("first"), {{0, 1}, {19, 2}}, AtLimit::Refuse, "")));
    const Edit edit = editBetween(a.image(), b.image(), "both");
    QCOMPARE(edit.changes.size(), size_t{2});
    Calibration again = a;
    EXPECT_OK(again.apply(edit));
    QVERIFY(again.image() == b.image());
    EXPECT_OK(again.revert(edit));
    QVERIFY(again.image() == a.image());
}

QTEST_APPLESS_MAIN(ShapeTest)
#include "ShapeTest.moc"
