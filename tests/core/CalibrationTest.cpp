// Typed reads and edits of a calibration, undo and redo, what a person types, comparison.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Expect.h"
#include "core/calibration/Compare.h"
#include "core/definition/A2lReader.h"

using namespace brusk;
using namespace brusk::calibration;

namespace {

const char* const kDefinition = R"(
/begin PROJECT P "" /begin MODULE M ""
/begin MOD_PAR "" EPK "SW1" ADDR_EPK 0x0 /end MOD_PAR
/begin MOD_COMMON "" BYTE_ORDER MSB_FIRST ALIGNMENT_WORD 1 /end MOD_COMMON
/begin COMPU_METHOD tenth "" LINEAR "%6.1" "kPa" COEFFS_LINEAR 0.1 0 /end COMPU_METHOD
/begin COMPU_METHOD plain "" IDENTICAL "%5.0" "rpm" /end COMPU_METHOD
/begin COMPU_METHOD onoff "" TAB_VERB "%1.0" "" COMPU_TAB_REF words /end COMPU_METHOD
/begin COMPU_VTAB words "" TAB_VERB 2 0 "off" 1 "on" /end COMPU_VTAB
/begin RECORD_LAYOUT word FNC_VALUES 1 UWORD ROW_DIR DIRECT /end RECORD_LAYOUT
/begin RECORD_LAYOUT byte FNC_VALUES 1 UBYTE ROW_DIR DIRECT /end RECORD_LAYOUT
/begin RECORD_LAYOUT column FNC_VALUES 1 UBYTE COLUMN_DIR DIRECT /end RECORD_LAYOUT
/begin RECORD_LAYOUT points NO_AXIS_PTS_X 1 UBYTE AXIS_PTS_X 2 UWORD INDEX_INCR DIRECT /end RECORD_LAYOUT
/begin RECORD_LAYOUT curve NO_AXIS_PTS_X 1 UBYTE AXIS_PTS_X 2 UBYTE INDEX_INCR DIRECT FNC_VALUES 3 SWORD ROW_DIR DIRECT /end RECORD_LAYOUT
/begin CHARACTERISTIC pressure "" VALUE 0x10 word 0 tenth 10 400 EXTENDED_LIMITS 5 500 /end CHARACTERISTIC
/begin CHARACTERISTIC low "" VALUE 0x12 byte 0 onoff 0 1 BIT_MASK 0x01 /end CHARACTERISTIC
/begin CHARACTERISTIC high "" VALUE 0x12 byte 0 onoff 0 1 BIT_MASK 0x30 /end CHARACTERISTIC
/begin CHARACTERISTIC fixed "" VALUE 0x13 byte 0 plain 0 255 READ_ONLY /end CHARACTERISTIC
/begin CHARACTERISTIC label "" ASCII 0x14 byte 0 plain 0 255 NUMBER 6 /end CHARACTERISTIC
/begin AXIS_PTS speeds "" 0x20 n points 0 plain 4 0 8000 /end AXIS_PTS
/begin CHARACTERISTIC curve "" CURVE 0x40 curve 0 tenth -100 100 /begin AXIS_DESCR STD_AXIS n plain 5 0 200 /end AXIS_DESCR /end CHARACTERISTIC
/begin CHARACTERISTIC map "" MAP 0x60 column 0 plain 0 200
  /begin AXIS_DESCR COM_AXIS n plain 4 0 8000 AXIS_PTS_REF speeds /end AXIS_DESCR
  /begin AXIS_DESCR FIX_AXIS n tenth 2 0 8000 FIX_AXIS_PAR_DIST 100 50 2 /end AXIS_DESCR /end CHARACTERISTIC
/end MODULE /end PROJECT
)";

Calibration makeCalibration() {
    auto contents = definition::readA2l(kDefinition);
    if (!contents || !contents->diagnostics.empty())
        qFatal("the test's definition is wrong: %s",
               contents ? contents->diagnostics[0].message.c_str() : contents.error().message.c_str());
    Bytes bytes(0x80, 0);
    const auto put = [&](size_t at, std::initializer_list<int> values) {
        for (const int v : values)
            bytes[at++] = static_cast<uint8_t>(v);
    };
    put(0, {'S', 'W', '1'});
    put(0x10, {0x03, 0xE8});  // 1000 -> 100.0 kPa
    put(0x12, {0x23});        // low on, high 2
    put(0x14, {'A', 'B', 'C', ' ', ' ', ' '});
    put(0x20, {3, 0x03, 0xE8, 0x07, 0xD0, 0x0B, 0xB8});   // 1000, 2000, 3000
    put(0x40, {3, 10, 20, 30, 0xFF, 0xF6, 0, 0, 0, 10});  // -1.0, 0.0, 1.0
    put(0x60, {1, 2, 3, 4, 5, 6});                        // columns of two: (1,2) (3,4) (5,6)
    image::Image image;
    if (!image.add(0, bytes)) qFatal("the test's image is wrong");
    return {std::make_shared<const definition::Definition>(std::move(contents->definition)), std::move(image)};
}

}  // namespace

class CalibrationTest : public QObject {
    Q_OBJECT
  private slots:
    void aValueReadsPhysicalRawAndLimits();
    void aCurveWithFewerBreakpointsThanItMayHaveReadsThoseInUse();
    void aMapStoredByColumnsReadsByRows();
    void aMapFollowsTheCountOfItsSharedAxis();
    void bitsOfOneByteAreSeparateSwitches();
    void aTextIsReadWithoutItsPadding();
    void theStoredCountIsBoundedByTheDefinition();
    void theWrongSoftwareIsSaid();
    void aWriteRoundsToTheNearestCount();
    void aWriteBeyondLimitsIsRefusedOrHeld();
    void theHardwaresLimitsHoldWhereTheyAreAllowed();
    void whatDoesNotChangeTheBytesIsNoEdit();
    void writingOneSwitchLeavesItsNeighboursAlone();
    void readOnlyIsReadOnly();
    void textsThatAreTooLongAreRefused();
    void undoAndRedoWalkBackAndForthByteForByte();
    void aNewEditForgetsWhatWasUndone();
    void typedOperationsMeanWhatTheySay_data();
    void typedOperationsMeanWhatTheySay();
    void nonsenseIsNoOperation();
    void comparisonListsParametersAndCells();
    void missingBytesAreAnErrorThatNamesTheParameter();
};

void CalibrationTest::aValueReadsPhysicalRawAndLimits() {
    const auto t = makeCalibration().read("pressure");
    EXPECT_OK(t);
    QCOMPARE(t->values[0], 100.0);
    QCOMPARE(t->raw[0], 1000.0);
    QCOMPARE(t->lower, 10.0);
    QCOMPARE(t->upper, 400.0);
    QVERIFY(std::abs(t->step - 0.1) < 1e-12);
    QCOMPARE(t->unit, std::string("kPa"));
}

void CalibrationTest::aCurveWithFewerBreakpointsThanItMayHaveReadsThoseInUse() {
    const auto t = makeCalibration().read("curve");
    EXPECT_OK(t);
    QCOMPARE(t->columns, size_t{3});
    QCOMPARE(t->x.values, (std::vector<double>{10, 20, 30}));
    QCOMPARE(t->values, (std::vector<double>{-1, 0, 1}));
}

void CalibrationTest::aMapStoredByColumnsReadsByRows() {
    // Three of four breakpoints of its axis are in use: the map is as wide as its axis.
    auto calibration = makeCalibration();
    const auto narrow = calibration.read("map");
    EXPECT_OK(narrow);
    QCOMPARE(narrow->values, (std::vector<double>{1, 3, 5, 2, 4, 6}));
    QCOMPARE(narrow->x.values, (std::vector<double>{1000, 2000, 3000}));
    // With all four in use it has four columns.
    Bytes four{4, 0x03, 0xE8, 0x07, 0xD0, 0x0B, 0xB8, 0x0F, 0xA0};
    image::Image image = calibration.image();
    EXPECT_OK(image.overwrite(0x20, four));
    EXPECT_OK(image.overwrite(0x66, Bytes{7, 8}));
    const Calibration whole(calibration.sharedDefinition(), image);
    const auto t = whole.read("map");
    EXPECT_OK(t);
    QCOMPARE(t->rows, size_t{2});
    QCOMPARE(t->values, (std::vector<double>{1, 3, 5, 7, 2, 4, 6, 8}));
    QCOMPARE(t->y.values, (std::vector<double>{10, 15}));
}

void CalibrationTest::aMapFollowsTheCountOfItsSharedAxis() {
    const auto t = makeCalibration().read("speeds");
    EXPECT_OK(t);
    QCOMPARE(t->values, (std::vector<double>{1000, 2000, 3000}));
}

void CalibrationTest::bitsOfOneByteAreSeparateSwitches() {
    const auto calibration = makeCalibration();
    QCOMPARE(*calibration.value("low"), 1.0);
    QCOMPARE(*calibration.value("high"), 2.0);
    QCOMPARE(calibration.read("low")->text, std::string("on"));
}

void CalibrationTest::aTextIsReadWithoutItsPadding() {
    QCOMPARE(makeCalibration().read("label")->text, std::string("ABC"));
}

void CalibrationTest::theStoredCountIsBoundedByTheDefinition() {
    auto calibration = makeCalibration();
    image::Image image = calibration.image();
    EXPECT_OK(image.overwrite(0x40, Bytes{200}));
    EXPECT_FAILS(Calibration(calibration.sharedDefinition(), image).read("curve"), "stores 200 breakpoints");
    EXPECT_OK(image.overwrite(0x40, Bytes{0}));
    EXPECT_FAILS(Calibration(calibration.sharedDefinition(), image).read("curve"), "allows 1 to 5");
}

void CalibrationTest::theWrongSoftwareIsSaid() {
    auto calibration = makeCalibration();
    EXPECT_OK(calibration.matchesDefinition());
    image::Image image = calibration.image();
    EXPECT_OK(image.overwrite(2, Bytes{'9'}));
    EXPECT_FAILS(Calibration(calibration.sharedDefinition(), image).matchesDefinition(),
                 "is for software \"SW1\", the image holds \"SW9\"");
}

void CalibrationTest::aWriteRoundsToTheNearestCount() {
    auto calibration = makeCalibration();
    const auto& p = *calibration.definition().parameter("pressure");
    const auto edit = calibration.prepare(p, {{0, 123.46}}, AtLimit::Refuse, "set");
    EXPECT_OK(edit);
    EXPECT_OK(calibration.apply(*edit));
    QVERIFY(std::abs(*calibration.value("pressure") - 123.5) < 1e-9);
    QCOMPARE(edit->changes[0].address, uint32_t{0x10});
    QCOMPARE(edit->changes[0].after, (Bytes{0x04, 0xD3}));
}

void CalibrationTest::aWriteBeyondLimitsIsRefusedOrHeld() {
    auto calibration = makeCalibration();
    const auto& p = *calibration.definition().parameter("pressure");
    EXPECT_FAILS(calibration.prepare(p, {{0, 400.2}}, AtLimit::Refuse, ""), "beyond its limits, 10.0 to 400.0");
    EXPECT_FAILS(calibration.prepare(p, {{0, NAN}}, AtLimit::Clamp, ""), "beyond its limits");
    EXPECT_FAILS(calibration.prepare(p, {{1, 50}}, AtLimit::Clamp, ""), "no cell 1");
    const auto held = calibration.prepare(p, {{0, 1e9}}, AtLimit::Clamp, "");
    EXPECT_OK(held);
    QCOMPARE(held->clamped, 1);
    EXPECT_OK(calibration.apply(*held));
    QCOMPARE(*calibration.value("pressure"), 400.0);
}

void CalibrationTest::theHardwaresLimitsHoldWhereTheyAreAllowed() {
    auto calibration = makeCalibration();
    const auto& p = *calibration.definition().parameter("pressure");
    calibration.allowHardwareLimits(true);
    EXPECT_OK(calibration.prepare(p, {{0, 450}}, AtLimit::Refuse, ""));
    EXPECT_FAILS(calibration.prepare(p, {{0, 501}}, AtLimit::Refuse, ""), "beyond its limits, 5.0 to 500.0");
    calibration.allowHardwareLimits(false);
    EXPECT_FAILS(calibration.prepare(p, {{0, 450}}, AtLimit::Refuse, ""), "beyond its limits, 10.0 to 400.0");
}

void CalibrationTest::whatDoesNotChangeTheBytesIsNoEdit() {
    const auto calibration = makeCalibration();
    const auto edit =
        calibration.prepare(*calibration.definition().parameter("pressure"), {{0, 100.04}}, AtLimit::Refuse, "");
    EXPECT_OK(edit);
    QVERIFY(edit->empty());
}

void CalibrationTest::writingOneSwitchLeavesItsNeighboursAlone() {
    auto calibration = makeCalibration();
    const auto edit = calibration.prepare(*calibration.definition().parameter("low"), {{0, 0}}, AtLimit::Refuse, "");
    EXPECT_OK(edit);
    EXPECT_OK(calibration.apply(*edit));
    QCOMPARE(*calibration.value("low"), 0.0);
    QCOMPARE(*calibration.value("high"), 2.0);
    QCOMPARE((*calibration.image().bytes(0x12, 1))[0], uint8_t{0x22});
}

void CalibrationTest::readOnlyIsReadOnly() {
    const auto calibration = makeCalibration();
    EXPECT_FAILS(calibration.prepare(*calibration.definition().parameter("fixed"), {{0, 1}}, AtLimit::Refuse, ""),
                 "read-only");
}

void CalibrationTest::textsThatAreTooLongAreRefused() {
    auto calibration = makeCalibration();
    const auto& p = *calibration.definition().parameter("label");
    EXPECT_FAILS(calibration.prepareText(p, "SEVENCH", ""), "holds 6 characters");
    const auto edit = calibration.prepareText(p, "XY", "");
    EXPECT_OK(edit);
    EXPECT_OK(calibration.apply(*edit));
    QCOMPARE(calibration.read("label")->text, std::string("XY"));
}

void CalibrationTest::undoAndRedoWalkBackAndForthByteForByte() {
    auto calibration = makeCalibration();
    const image::Image original = calibration.image();
    EditHistory history;
    std::vector<image::Image> states{original};
    for (int i = 1; i <= 20; ++i) {
        const auto edit = calibration.prepare(*calibration.definition().parameter("pressure"), {{0, 100.0 + i}},
                                              AtLimit::Refuse, "step " + std::to_string(i));
        EXPECT_OK(history.make(calibration, *edit));
        states.push_back(calibration.image());
    }
    for (size_t i = 20; i-- > 0;) {
        QCOMPARE(*history.undo(calibration), "step " + std::to_string(i + 1));
        QVERIFY(calibration.image() == states[i]);
    }
    EXPECT_FAILS(history.undo(calibration), "nothing to undo");
    for (size_t i = 1; i <= 20; ++i) {
        EXPECT_OK(history.redo(calibration));
        QVERIFY(calibration.image() == states[i]);
    }
    EXPECT_FAILS(history.redo(calibration), "nothing to redo");
}

void CalibrationTest::aNewEditForgetsWhatWasUndone() {
    auto calibration = makeCalibration();
    EditHistory history;
    const auto& p = *calibration.definition().parameter("pressure");
    EXPECT_OK(history.make(calibration, *calibration.prepare(p, {{0, 150}}, AtLimit::Refuse, "a")));
    EXPECT_OK(history.undo(calibration));
    QVERIFY(history.canRedo());
    EXPECT_OK(history.make(calibration, *calibration.prepare(p, {{0, 160}}, AtLimit::Refuse, "b")));
    QVERIFY(!history.canRedo());
    QCOMPARE(history.undoName(), std::string("b"));
    EXPECT_OK(history.make(calibration, Edit{}));  // an empty edit is not remembered
    QCOMPARE(history.undoName(), std::string("b"));
}

void CalibrationTest::typedOperationsMeanWhatTheySay_data() {
    QTest::addColumn<QByteArray>("text");
    QTest::addColumn<double>("of80");
    QTest::newRow("a number sets") << QByteArray("12.5") << 12.5;
    QTest::newRow("a negative number sets") << QByteArray("-4") << -4.0;
    QTest::newRow("plus adds") << QByteArray("+2") << 82.0;
    QTest::newRow("plus minus subtracts") << QByteArray("+-2") << 78.0;
    QTest::newRow("x scales") << QByteArray("x1.05") << 84.0;
    QTest::newRow("star scales") << QByteArray("*0.5") << 40.0;
    QTest::newRow("percent up") << QByteArray("+10%") << 88.0;
    QTest::newRow("percent down") << QByteArray("-5%") << 76.0;
    QTest::newRow("decimal comma") << QByteArray("12,5") << 12.5;
    QTest::newRow("blanks around") << QByteArray("  +2 ") << 82.0;
}

void CalibrationTest::typedOperationsMeanWhatTheySay() {
    QFETCH(QByteArray, text);
    QFETCH(double, of80);
    const auto operation = parseOperation(text.toStdString());
    QVERIFY(operation);
    QCOMPARE(operation->apply(80), of80);
}

void CalibrationTest::nonsenseIsNoOperation() {
    for (const char* text : {"", " ", "+", "x", "%", "abc", "1.2.3", "++2", "2x", "nan", "inf"})
        QVERIFY2(!parseOperation(text), text);
}

void CalibrationTest::comparisonListsParametersAndCells() {
    const auto a = makeCalibration();
    auto b = makeCalibration();
    EXPECT_OK(b.apply(*b.prepare(*b.definition().parameter("curve"), {{0, 5}, {2, 3}}, AtLimit::Refuse, "")));
    EXPECT_OK(b.apply(*b.prepareText(*b.definition().parameter("label"), "ZZ", "")));
    const auto differences = compare(a, b);
    QCOMPARE(differences.size(), size_t{2});
    QCOMPARE(differences[1].parameter->name, std::string("curve"));
    QCOMPARE(differences[1].cells, size_t{2});
    QCOMPARE(differences[1].largest, 6.0);
}

void CalibrationTest::missingBytesAreAnErrorThatNamesTheParameter() {
    auto calibration = makeCalibration();
    image::Image image;
    EXPECT_OK(image.add(0, Bytes(0x11)));
    const Calibration cut(calibration.sharedDefinition(), image);
    EXPECT_FAILS(cut.read("pressure"), "pressure can't be read");
    EXPECT_FAILS(cut.read("nothing"), "no parameter nothing");
}

QTEST_APPLESS_MAIN(CalibrationTest)
#include "CalibrationTest.moc"
