// Conversions, layouts, and the A2L reader on good and broken text.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Expect.h"
#include "core/definition/A2lReader.h"

using namespace brusk;
using namespace brusk::definition;

namespace {

std::string moduleWith(const std::string& inside) {
    return "ASAP2_VERSION 1 61\n/begin PROJECT P \"\"\n/begin MODULE M \"a module\"\n" + inside +
           "\n/end MODULE\n/end PROJECT\n";
}

const std::string kBasics = R"(
/begin COMPU_METHOD tenth "" LINEAR "%6.1" "V" COEFFS_LINEAR 0.1 0 /end COMPU_METHOD
/begin RECORD_LAYOUT word FNC_VALUES 1 UWORD ROW_DIR DIRECT /end RECORD_LAYOUT
)";

std::string value(const std::string& name, const std::string& more = "") {
    return "/begin CHARACTERISTIC " + name + " \"text of " + name + "\" VALUE 0x100 word 0 tenth 0 100 " + more +
           " /end CHARACTERISTIC\n";
}

bool says(const A2lContents& contents, const std::string& part) {
    for (const auto& d : contents.diagnostics)
        if (d.message.find(part) != std::string::npos) return true;
    return false;
}

}  // namespace

class DefinitionTest : public QObject {
    Q_OBJECT
  private slots:
    void rawNumbersOfEveryTypeRoundTripInBothByteOrders();
    void aMeasurementIsDecodedByItsOwnOrderMaskShiftAndSign_data();
    void aMeasurementIsDecodedByItsOwnOrderMaskShiftAndSign();
    void linearConversionGoesBothWays();
    void rationalConversionGoesFromPhysicalToRaw();
    void quadraticConversionIsInverted();
    void verbalTablesGiveTheirWordsOrTheDefault();
    void theDemoDefinitionHasNoComplaint();
    void theDemoDefinitionSaysWhatItsPartsAre();
    void groupsNameTheirPath();
    void aGroupThatContainsItselfDoesNotHang();
    void stringsKnowEscapesAndDoubledQuotes();
    void bothCommentKindsAreSkippedAndLinesStillCounted();
    void aBrokenBlockCostsOnlyItself();
    void aBlockThatIsNeverClosedIsNamedWithItsLine();
    void aWrongEndIsSaid();
    void unknownKeywordsAreKeptWithAWarning();
    void whatIsDefinedTwiceKeepsTheFirst();
    void aMapWhoseAxisIsMissingIsLeftOutAndSaid();
    void conversionsMayStandBehindTheirUsers();
    void limitsOnCountsAreHeld();
    void depthIsLimited();
    void whatIsNoDefinitionIsRefusedWithASentence_data();
    void whatIsNoDefinitionIsRefusedWithASentence();
    void a2mlIsCarriedOver();
};

void DefinitionTest::rawNumbersOfEveryTypeRoundTripInBothByteOrders() {
    const std::tuple<DataType, double> cases[] = {
        {DataType::UByte, 200},   {DataType::SByte, -100},  {DataType::UWord, 65000}, {DataType::SWord, -32000},
        {DataType::ULong, 4e9},   {DataType::SLong, -2e9},  {DataType::UInt64, 9e15}, {DataType::Int64, -9e15},
        {DataType::Float32, 1.5}, {DataType::Float64, -0.1}};
    for (const auto& [type, raw] : cases)
        for (const ByteOrder order : {ByteOrder::BigEndian, ByteOrder::LittleEndian}) {
            uint8_t bytes[8] = {};
            storeRaw(bytes, type, order, raw);
            QCOMPARE(loadRaw(bytes, type, order), raw);
            const auto [low, high] = rangeOf(type);
            QVERIFY(low <= raw && raw <= high);
        }
    uint8_t word[2];
    storeRaw(word, DataType::UWord, ByteOrder::BigEndian, 0x1234);
    QCOMPARE(word[0], uint8_t{0x12});
}

void DefinitionTest::aMeasurementIsDecodedByItsOwnOrderMaskShiftAndSign_data() {
    QTest::addColumn<QString>("says");
    QTest::addColumn<QByteArray>("bytes");
    QTest::addColumn<double>("raw");
    const auto row = [](const char* name, const char* says, const char* hex, double raw) {
        QTest::newRow(name) << QString(says) << QByteArray::fromHex(hex) << raw;
    };
    row("as the definition counts", "UWORD M 0 0 0 65535 ECU_ADDRESS 0x10", "1234", 0x1234);
    row("an order of its own", "UWORD M 0 0 0 65535 ECU_ADDRESS 0x10 BYTE_ORDER MSB_LAST", "1234", 0x3412);
    row("a signed one", "SWORD M 0 0 0 65535 ECU_ADDRESS 0x10", "fff0", -16);
    row("a mask alone is moved down", "UBYTE M 0 0 0 255 ECU_ADDRESS 0x10 BIT_MASK 0x70", "5a", 5);
    row("a mask of the own order", "UWORD M 0 0 0 65535 ECU_ADDRESS 0x10 BIT_MASK 0xFF00 BYTE_ORDER MSB_LAST", "1234",
        0x34);
    row("a shift to the left",
        "UBYTE M 0 0 0 255 ECU_ADDRESS 0x10 /begin BIT_OPERATION LEFT_SHIFT 2 /end BIT_OPERATION", "21", 0x84);
    row("mask, then a shift of its own",
        "UWORD M 0 0 0 65535 ECU_ADDRESS 0x10 BIT_MASK 0x0FF0 /begin BIT_OPERATION RIGHT_SHIFT 2 /end BIT_OPERATION",
        "1234", 0x8C);
    row("the highest bit left is the sign",
        "UWORD M 0 0 0 65535 ECU_ADDRESS 0x10 BIT_MASK 0x0FF0 /begin BIT_OPERATION RIGHT_SHIFT 4 SIGN_EXTEND /end "
        "BIT_OPERATION",
        "1f04", -16);
    row("a positive one stays",
        "UWORD M 0 0 0 65535 ECU_ADDRESS 0x10 BIT_MASK 0x0FF0 /begin BIT_OPERATION RIGHT_SHIFT 4 "
        "SIGN_EXTEND /end BIT_OPERATION",
        "1704", 0x70);
    row("a float has no bits to mask", "FLOAT32_IEEE M 0 0 0 65535 ECU_ADDRESS 0x10 BIT_MASK 0x1", "3fc00000", 1.5);
    row("a mask beyond the number", "UBYTE M 0 0 0 255 ECU_ADDRESS 0x10 BIT_MASK 0xF00", "ff", 0);
    row("all of eight bytes", "A_UINT64 M 0 0 0 65535 ECU_ADDRESS 0x10 BIT_MASK 0xFF00000000000000", "9000000000000001",
        0x90);
}

void DefinitionTest::aMeasurementIsDecodedByItsOwnOrderMaskShiftAndSign() {
    QFETCH(QString, says);
    QFETCH(QByteArray, bytes);
    QFETCH(double, raw);
    const std::string text =
        "ASAP2_VERSION 1 71 /begin PROJECT p \"\" /begin MODULE m \"\" /begin MOD_COMMON \"\" BYTE_ORDER MSB_FIRST "
        "/end "
        "MOD_COMMON /begin COMPU_METHOD M \"\" LINEAR \"%5.1\" \"kPa\" COEFFS_LINEAR 0.5 -2 /end COMPU_METHOD /begin "
        "MEASUREMENT x \"\" " +
        says.toStdString() + " PHYS_UNIT \"hPa\" /end MEASUREMENT /end MODULE /end PROJECT";
    const auto read = readA2l(text);
    QVERIFY2(read, read ? "" : read.error().text().c_str());
    const auto* m = read->definition.measurement("x");
    QVERIFY(m);
    const auto* at = reinterpret_cast<const uint8_t*>(bytes.constData());
    QCOMPARE(rawOf(read->definition, *m, at), raw);
    QCOMPARE(physicalOf(read->definition, *m, at), raw * 0.5 - 2);
    QCOMPARE(read->definition.unitOf(*m), std::string("hPa"));
}

void DefinitionTest::linearConversionGoesBothWays() {
    Conversion c;
    c.kind = Conversion::Kind::Linear;
    c.a = 0.5;
    c.b = -40;
    QCOMPARE(c.toPhysical(100), 10.0);
    QCOMPARE(c.toRaw(10), 100.0);
}

void DefinitionTest::rationalConversionGoesFromPhysicalToRaw() {
    // The standard's own direction: raw = (a p2 + b p + c) / (d p2 + e p + f). 0 128 0 0 0 1 means raw = 128 p.
    Conversion c;
    c.kind = Conversion::Kind::Rational;
    c.a = 0, c.b = 128, c.c = 0, c.d = 0, c.e = 0, c.f = 1;
    QCOMPARE(c.toRaw(1), 128.0);
    QCOMPARE(c.toPhysical(64), 0.5);
    // A hyperbola: raw = 1000 / p.
    c.a = 0, c.b = 0, c.c = 1000, c.d = 0, c.e = 1, c.f = 0;
    QCOMPARE(c.toRaw(4), 250.0);
    QCOMPARE(c.toPhysical(250), 4.0);
    QVERIFY(std::isnan(c.toRaw(0)));
}

void DefinitionTest::quadraticConversionIsInverted() {
    Conversion c;
    c.kind = Conversion::Kind::Rational;
    c.a = 2, c.b = 3, c.c = 1, c.d = 0, c.e = 0, c.f = 1;
    for (const double p : {0.0, 1.5, 20.0})
        QVERIFY(std::abs(c.toPhysical(c.toRaw(p)) - p) < 1e-9);
    QVERIFY(std::isnan(c.toPhysical(-100)));  // no physical value gives it
}

void DefinitionTest::verbalTablesGiveTheirWordsOrTheDefault() {
    Conversion c;
    c.texts = {{0, 0, "off"}, {1, 5, "on"}};
    c.defaultText = "unknown";
    QCOMPARE(c.textFor(0), std::string_view("off"));
    QCOMPARE(c.textFor(3), std::string_view("on"));
    QCOMPARE(c.textFor(9), std::string_view("unknown"));
}

void DefinitionTest::theDemoDefinitionHasNoComplaint() {
    const auto contents = readA2l(readText(BRUSK_DATA_DIR "/heron/aldine-e2.a2l"));
    EXPECT_OK(contents);
    for (const auto& d : contents->diagnostics)
        qWarning("line %d: %s", d.line, d.message.c_str());
    QVERIFY(contents->diagnostics.empty());
}

void DefinitionTest::theDemoDefinitionSaysWhatItsPartsAre() {
    const auto contents = readA2l(readText(BRUSK_DATA_DIR "/heron/aldine-e2.a2l"));
    const Definition& d = contents->definition;
    QCOMPARE(d.softwareId, std::string("AE2-5127-C04"));
    QCOMPARE(*d.softwareIdAddress, uint32_t{0x810010});
    QVERIFY(d.byteOrder == ByteOrder::BigEndian);
    const Parameter* ve = d.parameterWithRole("ve_map");
    QVERIFY(ve && ve->kind == Parameter::Kind::Map);
    QCOMPARE(ve->axes[0].shared, std::string("axis_speed"));
    QCOMPARE(ve->axes[1].points, uint32_t{14});
    QVERIFY(*ve->decimals == 1);
    const Parameter* rich = d.parameter("diag_rich");
    QVERIFY(rich && rich->bitMask == 2);
    QCOMPARE(d.conversionOf(*rich).textFor(1), std::string_view("on"));
    QVERIFY(d.measurementWithRole("engine_speed"));
    // Every parameter can be learned from: it has a description and a group.
    for (const Parameter& p : d.parameters)
        QVERIFY2(p.description.size() > 15 && !d.groupPath(p.name).empty(), p.name.c_str());
    for (const Measurement& m : d.measurements)
        QVERIFY2(!m.description.empty() && !d.groupPath(m.name).empty(), m.name.c_str());
}

void DefinitionTest::groupsNameTheirPath() {
    const auto contents = readA2l(
        moduleWith(kBasics + value("x") +
                   "/begin GROUP top \"Engine\" ROOT /begin SUB_GROUP fuel /end SUB_GROUP /end GROUP\n"
                   "/begin GROUP fuel \"Fuel\" /begin REF_CHARACTERISTIC x /end REF_CHARACTERISTIC /end GROUP\n"));
    EXPECT_OK(contents);
    QCOMPARE(contents->definition.groupPath("x"), std::string("Engine / Fuel"));
    QCOMPARE(contents->definition.groupPath("y"), std::string());
}

void DefinitionTest::aGroupThatContainsItselfDoesNotHang() {
    const auto contents = readA2l(moduleWith(kBasics + value("x") +
                                             "/begin GROUP a \"A\" /begin SUB_GROUP b /end SUB_GROUP /begin "
                                             "REF_CHARACTERISTIC x /end REF_CHARACTERISTIC /end GROUP\n"
                                             "/begin GROUP b \"B\" /begin SUB_GROUP a /end SUB_GROUP /end GROUP\n"));
    EXPECT_OK(contents);
    QVERIFY(contents->definition.groupPath("x").size() < 100);
}

void DefinitionTest::stringsKnowEscapesAndDoubledQuotes() {
    const auto contents = readA2l(moduleWith(
        kBasics +
        R"(/begin CHARACTERISTIC x "a \"quoted\" and ""doubled"" \n text" VALUE 0x100 word 0 tenth 0 100 /end CHARACTERISTIC)"));
    EXPECT_OK(contents);
    QCOMPARE(contents->definition.parameters[0].description, std::string("a \"quoted\" and \"doubled\" \n text"));
}

void DefinitionTest::bothCommentKindsAreSkippedAndLinesStillCounted() {
    const auto contents =
        readA2l(moduleWith("// one line /begin\n/* several\nlines */" + kBasics + value("x") + value("y", "NONSENSE")));
    EXPECT_OK(contents);
    QCOMPARE(contents->definition.parameters.size(), size_t{2});
    QCOMPARE(contents->diagnostics.size(), size_t{1});
    QCOMPARE(contents->diagnostics[0].line, 10);
}

void DefinitionTest::aBrokenBlockCostsOnlyItself() {
    const auto contents = readA2l(moduleWith(
        kBasics + value("good") + "/begin CHARACTERISTIC bad \"\" VALUE what word 0 tenth 0 100 /end CHARACTERISTIC\n" +
        "/begin CHARACTERISTIC short \"\" VALUE /end CHARACTERISTIC\n" + value("alsoGood")));
    EXPECT_OK(contents);
    QVERIFY(contents->definition.parameter("good") && contents->definition.parameter("alsoGood"));
    QVERIFY(!contents->definition.parameter("bad"));
    QVERIFY(says(*contents, "expected an address, found \"what\""));
    QVERIFY(says(*contents, "fewer arguments"));
}

void DefinitionTest::aBlockThatIsNeverClosedIsNamedWithItsLine() {
    const auto contents = readA2l("/begin PROJECT P \"\"\n/begin MODULE M \"\"\n" + kBasics + value("x"));
    EXPECT_OK(contents);
    QVERIFY(contents->definition.parameter("x"));
    QVERIFY(says(*contents, "MODULE is opened here and never closed"));
    QCOMPARE(contents->diagnostics.back().line, 2);
}

void DefinitionTest::aWrongEndIsSaid() {
    const auto contents = readA2l(moduleWith(kBasics + value("x") + "/end GROUP\n"));
    EXPECT_OK(contents);
    QVERIFY(says(*contents, "/end GROUP closes a block that was not opened"));
    const auto crossed =
        readA2l(moduleWith(kBasics + value("x") + "/begin GROUP g \"\" /begin SUB_GROUP a /end GROUP\n" + value("y")));
    QVERIFY(says(*crossed, "SUB_GROUP is opened here and not closed"));
    QVERIFY(crossed->definition.parameter("y"));
}

void DefinitionTest::unknownKeywordsAreKeptWithAWarning() {
    const auto contents =
        readA2l(moduleWith(kBasics + value("x", "SPARKLE") + "/begin NEW_THING a b /end NEW_THING\n"));
    EXPECT_OK(contents);
    QVERIFY(says(*contents, "SPARKLE is not known"));
    QVERIFY(says(*contents, "NEW_THING is not known"));
    for (const auto& d : contents->diagnostics)
        QVERIFY(d.severity == Diagnostic::Severity::Warning);
}

void DefinitionTest::whatIsDefinedTwiceKeepsTheFirst() {
    const auto contents = readA2l(moduleWith(kBasics + value("x") + value("x", "READ_ONLY")));
    EXPECT_OK(contents);
    QCOMPARE(contents->definition.parameters.size(), size_t{1});
    QVERIFY(!contents->definition.parameters[0].readOnly);
    QVERIFY(says(*contents, "x is defined twice"));
}

void DefinitionTest::aMapWhoseAxisIsMissingIsLeftOutAndSaid() {
    const auto contents =
        readA2l(moduleWith(kBasics + value("x") +
                           "/begin CHARACTERISTIC c \"\" CURVE 0x200 word 0 tenth 0 100 /begin AXIS_DESCR COM_AXIS n "
                           "tenth 8 0 100 AXIS_PTS_REF gone /end AXIS_DESCR /end CHARACTERISTIC\n"));
    EXPECT_OK(contents);
    QVERIFY(!contents->definition.parameter("c"));
    QVERIFY(says(*contents, "uses the axis gone, which is not defined"));
}

void DefinitionTest::conversionsMayStandBehindTheirUsers() {
    const auto contents = readA2l(moduleWith(value("x") + kBasics));
    EXPECT_OK(contents);
    QCOMPARE(contents->definition.conversionOf(contents->definition.parameters[0]).unit, std::string("V"));
}

void DefinitionTest::limitsOnCountsAreHeld() {
    const auto contents = readA2l(moduleWith(kBasics + value("x") +
                                             "/begin CHARACTERISTIC c \"\" CURVE 0x200 word 0 tenth 0 100 /begin "
                                             "AXIS_DESCR FIX_AXIS n tenth 4000000000 0 100 "
                                             "FIX_AXIS_PAR_DIST 0 1 4000000000 /end AXIS_DESCR /end CHARACTERISTIC\n"));
    EXPECT_OK(contents);
    QVERIFY(says(*contents, "must be a whole number up to 65535"));
}

void DefinitionTest::depthIsLimited() {
    std::string deep = "/begin PROJECT P \"\" ";
    for (int i = 0; i < 100000; ++i)
        deep += "/begin X ";
    EXPECT_FAILS(readA2l(deep), "nested more than 64 deep");
}

void DefinitionTest::whatIsNoDefinitionIsRefusedWithASentence_data() {
    QTest::addColumn<QByteArray>("text");
    QTest::newRow("empty") << QByteArray();
    QTest::newRow("prose") << QByteArray("Dear Sir, please find enclosed");
    QTest::newRow("an image") << QByteArray(":0200000400807A\n:00000001FF\n");
    QTest::newRow("zeros") << QByteArray(5000, '\0');
    QTest::newRow("an open string") << QByteArray("/begin PROJECT P \"never closed");
    QTest::newRow("an open comment") << QByteArray("/* never closed");
    QTest::newRow("ends in begin") << QByteArray("/begin");
}

void DefinitionTest::whatIsNoDefinitionIsRefusedWithASentence() {
    QFETCH(QByteArray, text);
    EXPECT_FAILS(readA2l(text.toStdString()), "no parameter and no measurement");
}

void DefinitionTest::a2mlIsCarriedOver() {
    const auto contents = readA2l(moduleWith(
        "/begin A2ML block \"IF_DATA\" taggedunion { \"X\" struct { uint; }; }; /end A2ML\n" + kBasics + value("x")));
    EXPECT_OK(contents);
    QVERIFY(contents->diagnostics.empty());
    QVERIFY(contents->definition.parameter("x"));
}

QTEST_APPLESS_MAIN(DefinitionTest)
#include "DefinitionTest.moc"
