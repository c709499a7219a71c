// DBC: signals of every kind decoded by hand, multiplexing within multiplexing, damaged statements.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <bit>

#include "Expect.h"
#include "core/can/Dbc.h"

using namespace brusk;
using namespace brusk::can;

namespace {

CanFrame frameOf(std::initializer_list<uint8_t> bytes) {
    CanFrame frame;
    frame.id = 0x100;
    for (const uint8_t byte : bytes)
        frame.data[frame.length++] = byte;
    return frame;
}

const char* const kHead = "BO_ 256 Box: 8 Gateway\n";

/// The value of a message's signal in a frame; NaN where it is not there.
double valueIn(const Dbc& dbc, const char* name, const CanFrame& frame) {
    const DbcSignal* signal = dbc.messages[0].find(name);
    return signal ? dbc.messages[0].value(*signal, frame).value_or(std::nan("")) : -12345;
}

}  // namespace

class CanTest : public QObject {
    Q_OBJECT
  private slots:
    void signalsOfBothByteOrdersAreDecoded();
    void signedWholeAndRealNumbersAreDecoded();
    void aMultiplexedSignalIsThereOnlyAtItsSwitchValue();
    void switchesMayDependOnSwitches();
    void textsAndCommentsBelongToTheirSignals();
    void whatIsNotAskedForIsPassedOver();
    void aDamagedStatementCostsItselfAndIsNamed();
    void aFileWithoutMessagesSaysSo();
};

void CanTest::signalsOfBothByteOrdersAreDecoded() {
    const auto dbc = readDbc(
        "BO_ 928 W1: 8 X\n SG_ big : 7|16@0+ (0.0001,0) [0|7] \"lambda\" T\n SG_ little : 16|12@1- (0.5,10) [0|7] "
        "\"V\" T\n\nBO_ 2566844160 E: 8 X\n");
    EXPECT_OK(dbc);
    QCOMPARE(dbc->messages.size(), size_t{2});
    QVERIFY(dbc->messages[1].extended && dbc->damage.empty());
    CanFrame frame = frameOf({0x27, 0x10, 0xFE, 0x0F});  // 10000; little-endian 12 bits 0xFFE = -2
    QVERIFY(std::abs(valueIn(*dbc, "big", frame) - 1.0) < 1e-12);
    QCOMPARE(valueIn(*dbc, "little", frame), 9.0);
    frame.length = 2;
    QVERIFY(std::isnan(valueIn(*dbc, "little", frame)));
    EXPECT_OK(readDbc(readText(BRUSK_DATA_DIR "/heron/ombrel-w1.dbc")));
}

void CanTest::signedWholeAndRealNumbersAreDecoded() {
    const auto dbc = readDbc(std::string(kHead) +
                             " SG_ whole : 0|64@1- (1,0) [0|0] \"\" X\n SG_ real : 0|32@1- (2,1) [0|0] \"\" X\n"
                             " SG_ long : 7|64@0- (1,0) [0|0] \"\" X\n SG_ bit : 63|1@1- (1,0) [0|0] \"\" X\n"
                             "SIG_VALTYPE_ 256 real : 1;\nSIG_VALTYPE_ 256 long : 2;\n");
    EXPECT_OK(dbc);
    CanFrame frame;
    frame.length = 8;
    storeUnsigned(frame.data.data(), 8, ByteOrder::LittleEndian, static_cast<uint64_t>(-7));
    QCOMPARE(valueIn(*dbc, "whole", frame), -7.0);
    QCOMPARE(valueIn(*dbc, "bit", frame), -1.0);
    storeUnsigned(frame.data.data(), 4, ByteOrder::LittleEndian, std::bit_cast<uint32_t>(1.25f));
    QCOMPARE(valueIn(*dbc, "real", frame), 3.5);
    storeUnsigned(frame.data.data(), 8, ByteOrder::BigEndian, std::bit_cast<uint64_t>(-0.1));
    QCOMPARE(valueIn(*dbc, "long", frame), -0.1);
}

void CanTest::aMultiplexedSignalIsThereOnlyAtItsSwitchValue() {
    const auto dbc = readDbc(std::string(kHead) +
                             " SG_ mode M : 0|8@1+ (1,0) [0|0] \"\" X\n SG_ one m1 : 8|8@1+ (1,0) [0|0] \"\" X\n"
                             " SG_ two m2 : 8|8@1+ (10,0) [0|0] \"\" X\n SG_ always : 16|8@1+ (1,0) [0|0] \"\" X\n");
    EXPECT_OK(dbc);
    QCOMPARE(valueIn(*dbc, "one", frameOf({1, 42, 7})), 42.0);
    QVERIFY(std::isnan(valueIn(*dbc, "two", frameOf({1, 42, 7}))));
    QCOMPARE(valueIn(*dbc, "two", frameOf({2, 42, 7})), 420.0);
    QCOMPARE(valueIn(*dbc, "always", frameOf({9, 42, 7})), 7.0);
    QVERIFY(std::isnan(valueIn(*dbc, "one", frameOf({}))));
}

void CanTest::switchesMayDependOnSwitches() {
    const auto dbc = readDbc(std::string(kHead) +
                             " SG_ outer M : 0|8@1+ (1,0) [0|0] \"\" X\n SG_ inner m3M : 8|8@1+ (1,0) [0|0] \"\" X\n"
                             " SG_ deep m0 : 16|8@1+ (1,0) [0|0] \"\" X\nSG_MUL_VAL_ 256 inner outer 3-3;\n"
                             "SG_MUL_VAL_ 256 deep inner 5-7, 9-9;\n");
    EXPECT_OK(dbc);
    QVERIFY(dbc->damage.empty());
    QCOMPARE(valueIn(*dbc, "deep", frameOf({3, 6, 77})), 77.0);
    QCOMPARE(valueIn(*dbc, "deep", frameOf({3, 9, 78})), 78.0);
    QVERIFY(std::isnan(valueIn(*dbc, "deep", frameOf({3, 8, 77}))));
    QVERIFY(std::isnan(valueIn(*dbc, "deep", frameOf({4, 6, 77}))));
    // A circle of switches ends.
    const auto circle = readDbc(std::string(kHead) +
                                " SG_ a m0M : 0|8@1+ (1,0) [0|0] \"\" X\n SG_ b m0M : 8|8@1+ (1,0) [0|0] \"\" X\n"
                                "SG_MUL_VAL_ 256 a b 0-255;\nSG_MUL_VAL_ 256 b a 0-255;\n");
    EXPECT_OK(circle);
    QVERIFY(std::isnan(valueIn(*circle, "a", frameOf({0, 0}))));
}

void CanTest::textsAndCommentsBelongToTheirSignals() {
    const auto dbc = readDbc(std::string(kHead) +
                             " SG_ state : 0|3@1- (1,0) [0|0] \"\" X\n"
                             "CM_ SG_ 256 state \"What it\ndoes; BO_ 1 x: 8 Y\";\n"
                             "VAL_ 256 state 2 \"hot\" 0 \"cold\" -1 \"no sensor\" ;\nVAL_ 999 other 1 \"x\";\n");
    EXPECT_OK(dbc);
    const DbcSignal& signal = dbc->messages[0].signalList[0];
    QCOMPARE(signal.comment, std::string("What it\ndoes; BO_ 1 x: 8 Y"));
    QCOMPARE(signal.texts.size(), size_t{3});
    QVERIFY(signal.texts[0].first == -1 && signal.texts[0].second == "no sensor");
    QVERIFY(signal.texts[2].first == 2 && signal.texts[2].second == "hot");
    QCOMPARE(dbc->messages.size(), size_t{1});
}

void CanTest::whatIsNotAskedForIsPassedOver() {
    const auto dbc = readDbc(
        "VERSION \"1\"\n\nNS_ :\n\tNS_DESC_\n\tCM_\n\tVAL_\n\tSG_MUL_VAL_\n\nBS_:\n\nBU_: A B\n"
        "VAL_TABLE_ T 1 \"a\" 0 \"b\" ;\nBO_ 3221225472 VECTOR__INDEPENDENT_SIG_MSG: 0 Vector__XXX\n"
        " SG_ stray : 0|8@1+ (1,0) [0|0] \"\" X\nBO_ 256 Box: 8 A\n SG_ x : 0|8@1+ (1,0) [0|0] \"\" B,A\n"
        "BO_TX_BU_ 256 : A,B;\nEV_ E: 0 [0|1] \"\" 0 1 DUMMY_NODE_VECTOR0 A;\nBA_DEF_ BO_ \"t\" INT 0 9;\n"
        "BA_ \"t\" BO_ 256 5;\nVAL_ E 1 \"on\" ;\nSIG_GROUP_ 256 G 1 : x;\n");
    EXPECT_OK(dbc);
    QVERIFY2(dbc->damage.empty(), dbc->damage.empty() ? "" : dbc->damage[0].c_str());
    QCOMPARE(dbc->messages.size(), size_t{1});
    QCOMPARE(dbc->messages[0].signalList.size(), size_t{1});
}

void CanTest::aDamagedStatementCostsItselfAndIsNamed() {
    const auto dbc = readDbc(
        "BO_ 1 A: 8 X\n SG_ a : 600|8@1+ (1,0) [0|1] \"\" T\n SG_ b : 0|8@1+ (1,zero) [0|1] \"\" T\n"
        " SG_ c : 0|8@2+ (1,0) [0|1] \"\" T\n SG_ d mX : 0|8@1+ (1,0) [0|1] \"\" T\n"
        " SG_ good : 0|8@1+ (1,0) [0|1] \"\" T\nBO_ 99999999999 B: 8 X\n SG_ lost : 0|8@1+ (1,0) [0|1] \"\" T\n"
        "SIG_VALTYPE_ 1 good : 1;\n");
    EXPECT_OK(dbc);
    QCOMPARE(dbc->messages.size(), size_t{1});
    QCOMPARE(dbc->messages[0].signalList.size(), size_t{1});
    QCOMPARE(dbc->damage.size(), size_t{6});
    QVERIFY(dbc->damage[0].find("DBC line 2: the place of signal a") == 0);
    QVERIFY(dbc->damage[1].find("DBC line 3") == 0 && dbc->damage[2].find("DBC line 4") == 0);
    QVERIFY(dbc->damage[4].find("DBC line 7: a message's identifier") == 0);
    QVERIFY(dbc->damage[5].find("good is a real number of 8 bits") != std::string::npos);
}

void CanTest::aFileWithoutMessagesSaysSo() {
    EXPECT_FAILS(readDbc("VERSION \"\"\n"), "no message");
    EXPECT_FAILS(readDbc("BO_ x\n"), "line 1: a message's identifier");
    EXPECT_FAILS(readDbc("\n SG_ a : 0|8@1+ (1,0) [0|1] \"\" T\n"), "line 2: a signal stands before any message");
    EXPECT_FAILS(readDbc("BO_ 1 \"never closed"), "line 1");
}

QTEST_GUILESS_MAIN(CanTest)
#include "CanTest.moc"
