// A2L in and out in depth: every part of the standard that Brusk reads, included files, encodings, changes that leave
// the rest of a text byte for byte, large and hostile texts.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Expect.h"
#include "core/calibration/Calibration.h"
#include "core/definition/A2lWriter.h"

using namespace brusk;
using namespace brusk::definition;

namespace {

const char* const kRich = R"a2l(ASAP2_VERSION 1 71 /* a comment at the top */
/begin PROJECT Rich "many parts"
  /begin HEADER "" PROJECT_NO "X1" /end HEADER
  /begin MODULE Rich "one of everything"
    /begin A2ML block "IF_DATA" taggedunion if_data { "SOME" struct { uint; /begin x /end x }; }; /end A2ML
    /begin MOD_PAR "comment"
      VERSION "7" EPK "SW7" ADDR_EPK 0x10 CUSTOMER "somebody"
      SYSTEM_CONSTANT "CYLINDERS" "4"
      /begin MEMORY_SEGMENT flash "calibration" DATA FLASH INTERN 0x8000 0x4000 -1 -1 -1 -1 -1
        /begin IF_DATA SOME 1 2 /end IF_DATA
      /end MEMORY_SEGMENT
    /end MOD_PAR
    /begin MOD_COMMON "" BYTE_ORDER MSB_LAST ALIGNMENT_BYTE 1 ALIGNMENT_WORD 2 DEPOSIT ABSOLUTE /end MOD_COMMON
    /begin UNIT bar_unit "bar" "bar" DERIVED /end UNIT
    /begin COMPU_METHOD ident "" IDENTICAL "%5.0" "" /end COMPU_METHOD
    /begin COMPU_METHOD bars "" LINEAR "%5.2" "" COEFFS_LINEAR 0.01 0 REF_UNIT bar_unit /end COMPU_METHOD
    /begin COMPU_METHOD curved "" TAB_INTP "%5.1" "degC" COMPU_TAB_REF ntc /end COMPU_METHOD
    /begin COMPU_TAB ntc "a sensor" TAB_INTP 3 255 -40 0 120 128 20 /end COMPU_TAB
    /begin COMPU_METHOD steps "" TAB_NOINTP "%5.1" "gear" COMPU_TAB_REF gears /end COMPU_METHOD
    /begin COMPU_TAB gears "" TAB_NOINTP 3 1 10 2 20 4 40 DEFAULT_VALUE_NUMERIC -1 /end COMPU_TAB
    /begin COMPU_METHOD words "" TAB_VERB "%1.0" "" COMPU_TAB_REF states /end COMPU_METHOD
    /begin COMPU_VTAB_RANGE states "" 2 0 3 "low" 4 9 "high" DEFAULT_VALUE "odd" /end COMPU_VTAB_RANGE
    /begin COMPU_METHOD formula "" FORM "%6.2" "Nm" /begin FORMULA "sqrt(X1)*2 + (X1 & 1)" FORMULA_INV "X1*X1/4" /end FORMULA /end COMPU_METHOD
    /begin RECORD_LAYOUT byte FNC_VALUES 1 UBYTE ROW_DIR DIRECT /end RECORD_LAYOUT
    /begin RECORD_LAYOUT half FNC_VALUES 1 FLOAT16_IEEE ROW_DIR DIRECT /end RECORD_LAYOUT
    /begin RECORD_LAYOUT rescale NO_RESCALE_X 1 UBYTE AXIS_RESCALE_X 2 UBYTE 5 INDEX_INCR DIRECT /end RECORD_LAYOUT
    /begin RECORD_LAYOUT computed OFFSET_X 1 UBYTE SHIFT_OP_X 2 UBYTE FNC_VALUES 3 UBYTE ROW_DIR DIRECT FIX_NO_AXIS_PTS_X 4 /end RECORD_LAYOUT
    /begin RECORD_LAYOUT pointer FNC_VALUES 1 UBYTE ROW_DIR PLONG /end RECORD_LAYOUT
    /begin CHARACTERISTIC pressure "in bar" VALUE 0x100 byte 0 bars 0 2.55
      EXTENDED_LIMITS -1 3 STEP_SIZE 0.1 FORMAT "%6.3" PHYS_UNIT "kPa" DISPLAY_IDENTIFIER Some_pressure
      SYMBOL_LINK "p_sym" 0 BYTE_ORDER MSB_FIRST
      /begin ANNOTATION ANNOTATION_LABEL "note" ANNOTATION_ORIGIN "me" /begin ANNOTATION_TEXT "first line" "second line" /end ANNOTATION_TEXT /end ANNOTATION
      /begin IF_DATA SOME 0x1 /begin INNER "x" /end INNER /end IF_DATA
      /begin IF_DATA BRUSK ROLE "map_sensor_slope" /end IF_DATA
      /begin FUNCTION_LIST air /end FUNCTION_LIST
    /end CHARACTERISTIC
    /begin CHARACTERISTIC temperature "" VALUE 0x101 byte 0 curved -40 120 /end CHARACTERISTIC
    /begin CHARACTERISTIC gear "" VALUE 0x102 byte 0 steps 0 50 /end CHARACTERISTIC
    /begin CHARACTERISTIC state "" VALUE 0x103 byte 0 words 0 9 READ_ONLY /end CHARACTERISTIC
    /begin CHARACTERISTIC torque "" VALUE 0x104 byte 0 formula 0 500 /end CHARACTERISTIC
    /begin CHARACTERISTIC virtual "" VALUE 0x0 byte 0 ident 0 255 /begin VIRTUAL_CHARACTERISTIC "X1+X2" gear state /end VIRTUAL_CHARACTERISTIC /end CHARACTERISTIC
    /begin CHARACTERISTIC grid "" VAL_BLK 0x110 byte 0 ident 0 255 MATRIX_DIM 3 2 1 /end CHARACTERISTIC
    /begin CHARACTERISTIC behind "" VALUE 0x105 pointer 0 ident 0 255 /end CHARACTERISTIC
    /begin CHARACTERISTIC listed "" CURVE 0x120 byte 0 ident 0 255
      /begin AXIS_DESCR FIX_AXIS speed ident 3 0 9000 /begin FIX_AXIS_PAR_LIST 800 2500 6000 /end FIX_AXIS_PAR_LIST MONOTONY STRICT_INCREASE MAX_GRAD 10 /end AXIS_DESCR
    /end CHARACTERISTIC
    /begin CHARACTERISTIC shifted "" CURVE 0x124 byte 0 ident 0 255
      /begin AXIS_DESCR FIX_AXIS speed ident 4 0 9000 FIX_AXIS_PAR 1000 9 4 /end AXIS_DESCR
    /end CHARACTERISTIC
    /begin CHARACTERISTIC stored_step "" CURVE 0x128 computed 0 ident 0 255
      /begin AXIS_DESCR FIX_AXIS speed ident 4 0 9000 /end AXIS_DESCR
    /end CHARACTERISTIC
    /begin AXIS_PTS pairs "rescale" 0x130 speed rescale 0 ident 9 0 255 /end AXIS_PTS
    /begin CHARACTERISTIC rescaled "" CURVE 0x140 byte 0 ident 0 255
      /begin AXIS_DESCR RES_AXIS speed ident 5 0 255 AXIS_PTS_REF pairs /end AXIS_DESCR
    /end CHARACTERISTIC
    /begin CHARACTERISTIC position "" CURVE 0x148 byte 0 ident 0 255
      /begin AXIS_DESCR FIX_AXIS speed ident 3 0 9000 FIX_AXIS_PAR_DIST 0 1000 3 /end AXIS_DESCR
    /end CHARACTERISTIC
    /begin CHARACTERISTIC looked_up "" CURVE 0x150 byte 0 ident 0 255
      /begin AXIS_DESCR CURVE_AXIS speed ident 3 0 255 CURVE_AXIS_REF position /end AXIS_DESCR
    /end CHARACTERISTIC
    /begin CHARACTERISTIC cube "" CUBOID 0x160 byte 0 ident 0 255
      /begin AXIS_DESCR FIX_AXIS speed ident 2 0 9 FIX_AXIS_PAR_DIST 0 1 2 /end AXIS_DESCR
      /begin AXIS_DESCR FIX_AXIS load ident 3 0 9 FIX_AXIS_PAR_DIST 0 1 3 /end AXIS_DESCR
      /begin AXIS_DESCR FIX_AXIS speed ident 2 0 9 FIX_AXIS_PAR_DIST 0 1 2 /end AXIS_DESCR
    /end CHARACTERISTIC
    /begin MEASUREMENT speed "engine speed" UWORD ident 0 0 0 9000 ECU_ADDRESS 0x400 ARRAY_SIZE 4 DISPLAY_IDENTIFIER Engine_speed
      /begin BIT_OPERATION RIGHT_SHIFT 4 SIGN_EXTEND /end BIT_OPERATION /begin ANNOTATION /begin ANNOTATION_TEXT "in rpm" /end ANNOTATION_TEXT /end ANNOTATION
    /end MEASUREMENT
    /begin MEASUREMENT load "" UBYTE ident 0 0 0 255 ECU_ADDRESS 0x410 MATRIX_DIM 2 3 1 /end MEASUREMENT
    /begin GROUP all "Everything" ROOT /begin SUB_GROUP some /end SUB_GROUP /end GROUP
    /begin GROUP some "Some" /begin REF_CHARACTERISTIC pressure gear /end REF_CHARACTERISTIC /begin REF_MEASUREMENT speed /end REF_MEASUREMENT /end GROUP
    /begin FUNCTION air "air" /begin DEF_CHARACTERISTIC pressure /end DEF_CHARACTERISTIC /begin IN_MEASUREMENT speed /end IN_MEASUREMENT /begin SUB_FUNCTION deeper /end SUB_FUNCTION FUNCTION_VERSION "1" /end FUNCTION
  /end MODULE
/end PROJECT
)a2l";

A2lContents rich() {
    auto contents = readA2l(kRich);
    if (!contents) qFatal("%s", contents.error().text().c_str());
    for (const auto& d : contents->diagnostics)
        qFatal("line %d: %s", d.line, d.message.c_str());
    return std::move(*contents);
}

calibration::Calibration richCalibration() {
    Bytes memory(0x400, 0);
    memory[0x100] = 200, memory[0x101] = 64, memory[0x102] = 4, memory[0x103] = 5, memory[0x104] = 100;
    const auto fill = [&](size_t at, std::initializer_list<int> values) {
        for (const int v : values)
            memory[at++] = static_cast<uint8_t>(v);
    };
    fill(0x110, {1, 2, 3, 4, 5, 6});
    fill(0x128, {10, 3, 7, 7, 7, 7});
    fill(0x130, {3, 0, 0, 100, 50, 200, 100});  // 0 -> 0, 100 -> 50, 200 -> 100
    fill(0x148, {0, 1, 2});
    fill(0x160, {1, 2, 3, 4, 5, 6, 11, 12, 13, 14, 15, 16});
    image::Image image;
    if (!image.add(0, memory)) qFatal("no image");
    return {std::make_shared<const Definition>(rich().definition), image};
}

/// How many bytes two texts have in common at their beginning and at their end.
size_t sharedBytes(const std::string& a, const std::string& b) {
    size_t front = 0, back = 0;
    while (front < std::min(a.size(), b.size()) && a[front] == b[front])
        ++front;
    while (back < std::min(a.size(), b.size()) - front && a[a.size() - 1 - back] == b[b.size() - 1 - back])
        ++back;
    return front + back;
}

Definition reread(const Result<std::string>& text) {
    if (!text) qFatal("%s", text.error().text().c_str());
    auto contents = readA2l(*text);
    if (!contents || !contents->diagnostics.empty())
        qFatal("%s", contents ? contents->diagnostics[0].message.c_str() : contents.error().text().c_str());
    return std::move(contents->definition);
}

}  // namespace

class A2lTest : public QObject {
    Q_OBJECT
  private slots:
    void everyPartOfARichDefinitionIsRead();
    void everyKindOfAxisGivesItsBreakpoints();
    void everyKindOfConversionGoesBothWays();
    void aCuboidIsReadSliceBySlice();
    void whatCantBeReadIsSaidByName();
    void writingAndReadingGivesAnEqualDefinition();
    void theDemoDefinitionsComeBackEqualFromTheWriter();
    void aChangeTouchesOnlyItsOwnBytes_data();
    void aChangeTouchesOnlyItsOwnBytes();
    void renamingFollowsEveryReference();
    void aParameterMovesBetweenGroupsAndIntoANewOne();
    void aRoleIsGivenChangedAndTakenAway();
    void removingTakesTheReferencesAlong();
    void aParameterIsCopiedWithAllItNeeds();
    void copyingKeepsNamesThatStandForSomethingElseApart();
    void namesThatCantBeAreRefused();
    void includedFilesStandInTheirPlaceAndErrorsNameThem();
    void anIncludeThatIsMissingOrCircularCostsOnlyItself();
    void stringsOfEitherEncodingAreReadAndWritten();
    void utf16IsReadToo();
    void oldByteOrderWordsAreReadWithAWarning();
    void thousandsOfBrokenBlocksAreNotThousandsOfComplaints();
    void anArrayOfHugeDimensionsIsRefused();
    void aDefinitionCutOffAnywhereStillGivesWhatWasWhole();
};

void A2lTest::everyPartOfARichDefinitionIsRead() {
    const Definition d = rich().definition;
    QCOMPARE(d.softwareId, std::string("SW7"));
    QVERIFY(d.byteOrder == ByteOrder::LittleEndian);
    QCOMPARE(d.memory.size(), size_t{1});
    QCOMPARE(d.memory[0].size, uint32_t{0x4000});
    QCOMPARE(d.constants[0].second, std::string("4"));
    const Parameter& p = *d.parameter("pressure");
    QCOMPARE(p.title(), std::string("Some pressure"));
    QCOMPARE(p.role, std::string("map_sensor_slope"));
    QCOMPARE(d.unitOf(p), std::string("kPa"));
    QCOMPARE(d.conversionOf(p).unit, std::string("bar"));
    QCOMPARE(p.stepSize, 0.1);
    QVERIFY(p.extendedLimits && p.extendedLimits->second == 3);
    QVERIFY(p.byteOrder == ByteOrder::BigEndian);
    QCOMPARE(*p.decimals, 3);
    QCOMPARE(p.remarks->annotations[0], std::string("note\nme\nfirst line\nsecond line"));
    QCOMPARE(p.remarks->symbol, std::string("p_sym"));
    QVERIFY(d.parameter("state")->readOnly && d.parameter("virtual")->computed);
    const Measurement& speed = *d.measurement("speed");
    QCOMPARE(speed.elements, uint32_t{4});
    QCOMPARE(speed.shift, -4);
    QVERIFY(speed.signExtend);
    QCOMPARE(d.measurement("load")->elements, uint32_t{6});
    QCOMPARE(d.groupPath("gear"), std::string("Everything / Some"));
    QCOMPARE(d.functions[0].subfunctions, std::vector<std::string>{"deeper"});
    QCOMPARE(d.functionsOf("pressure").size(), size_t{1});
    QCOMPARE(d.layouts[1].items[0].type, DataType::Float16);
    QCOMPARE(d.layouts[0].alignment[static_cast<size_t>(DataType::UWord)], uint8_t{2});
}

void A2lTest::everyKindOfAxisGivesItsBreakpoints() {
    const auto c = richCalibration();
    using V = std::vector<double>;
    QCOMPARE(c.read("listed")->x.values, (V{800, 2500, 6000}));
    QCOMPARE(c.read("shifted")->x.values, (V{1000, 1512, 2024, 2536}));
    QCOMPARE(c.read("stored_step")->x.values, (V{10, 18, 26, 34}));
    QCOMPARE(c.read("rescaled")->x.values, (V{0, 50, 100, 150, 200}));
    QCOMPARE(c.read("looked_up")->x.values, (V{0, 1000, 2000}));
    const auto grid = c.read("grid");
    QCOMPARE(grid->rows, size_t{2});
    QCOMPARE(grid->at(1, 0), 4.0);
    QVERIFY(!c.read("listed")->x.editable);
}

void A2lTest::everyKindOfConversionGoesBothWays() {
    const auto c = richCalibration();
    QCOMPARE(c.read("pressure")->values[0], 2.0);
    QCOMPARE(c.read("temperature")->values[0], 70.0);  // halfway between 0 -> 120 and 128 -> 20
    QCOMPARE(c.read("gear")->values[0], 40.0);
    QCOMPARE(c.read("state")->text, std::string("high"));
    QCOMPARE(c.read("torque")->values[0], 20.0);
    const Definition& d = c.definition();
    QCOMPARE(d.conversionOf(*d.parameter("temperature")).toRaw(70), 64.0);
    QCOMPARE(d.conversionOf(*d.parameter("gear")).toPhysical(3), -1.0);
    QCOMPARE(d.conversionOf(*d.parameter("gear")).toRaw(22), 2.0);
    QCOMPARE(d.conversionOf(*d.parameter("torque")).toPhysical(9), 7.0);
    const auto edit = c.prepare(*d.parameter("torque"), {{0, 12}}, calibration::AtLimit::Refuse, "set");
    EXPECT_OK(edit);
    QCOMPARE(edit->changes[0].after, Bytes{36});
}

void A2lTest::aCuboidIsReadSliceBySlice() {
    auto c = richCalibration();
    const Parameter& cube = *c.definition().parameter("cube");
    const auto second = c.read(cube, 1);
    EXPECT_OK(second);
    QCOMPARE(second->slices, size_t{2});
    QCOMPARE(second->values, (std::vector<double>{11, 12, 13, 14, 15, 16}));
    QCOMPARE(second->deeper[0].values, (std::vector<double>{0, 1}));
    const auto edit = c.prepare(cube, {{5, 99}}, calibration::AtLimit::Refuse, "set", 1);
    EXPECT_OK(edit);
    QCOMPARE(edit->changes[0].address, uint32_t{0x16B});
    EXPECT_FAILS(c.read(cube, 2), "2 slices");
}

void A2lTest::whatCantBeReadIsSaidByName() {
    const auto c = richCalibration();
    EXPECT_FAILS(c.read("behind"), "behind can't be read: its values lie behind a pointer");
    EXPECT_FAILS(c.read("virtual"), "virtual has no bytes of its own");
}

void A2lTest::writingAndReadingGivesAnEqualDefinition() {
    const Definition d = rich().definition;
    Definition readable = d;
    // What can't be read has no layout to write; everything else must come back.
    std::erase_if(readable.parameters, [](const Parameter& p) { return p.name == "behind"; });
    readable.layouts.pop_back();
    readable.index();
    const auto text = writeA2l(readable);
    EXPECT_OK(text);
    const Definition again = reread(text);
    const std::string difference = firstDifference(readable, again);
    QVERIFY2(difference.empty(), difference.c_str());
    QCOMPARE(*writeA2l(again), *text);
}

void A2lTest::theDemoDefinitionsComeBackEqualFromTheWriter() {
    for (const char* file : {"/heron/aldine-e2.a2l", "/crane/aldine-e2-v6.a2l"}) {
        const auto contents = readA2l(readText(std::string(BRUSK_DATA_DIR) + file));
        EXPECT_OK(contents);
        const Definition again = reread(writeA2l(contents->definition));
        const std::string difference = firstDifference(contents->definition, again);
        QVERIFY2(difference.empty(), difference.c_str());
    }
}

void A2lTest::aChangeTouchesOnlyItsOwnBytes_data() {
    QTest::addColumn<QString>("what");
    QTest::addColumn<int>("most");  // bytes that may be new
    QTest::newRow("description") << "description" << 40;
    QTest::newRow("label") << "label" << 40;
    QTest::newRow("address") << "address" << 10;
    QTest::newRow("role") << "role" << 20;
    QTest::newRow("new role") << "new role" << 60;
    QTest::newRow("nothing") << "nothing" << 0;
}

void A2lTest::aChangeTouchesOnlyItsOwnBytes() {
    QFETCH(QString, what);
    QFETCH(int, most);
    const Definition d = rich().definition;
    const auto text = what == "description" ? withDescription(d, "pressure", "a \"new\" text")
                      : what == "label"     ? withLabel(d, "pressure", "Other pressure")
                      : what == "address"   ? withAddress(d, "pressure", 0x180)
                      : what == "role"      ? withRole(d, "pressure", "other_role")
                      : what == "new role"  ? withRole(d, "gear", "gear_role")
                                            : withName(d, "pressure", "pressure");
    EXPECT_OK(text);
    QVERIFY(text->size() - sharedBytes(kRich, *text) <= static_cast<size_t>(most));
    const Definition now = reread(text);
    const Parameter& p = *now.parameter("pressure");
    if (what == "description") QCOMPARE(p.description, std::string("a \"new\" text"));
    if (what == "label") QCOMPARE(p.title(), std::string("Other pressure"));
    if (what == "address") QCOMPARE(p.address, uint32_t{0x180});
    if (what == "role") QCOMPARE(p.role, std::string("other_role"));
    if (what == "new role") QCOMPARE(now.parameter("gear")->role, std::string("gear_role"));
    if (what == "nothing") QCOMPARE(*text, std::string(kRich));
}

void A2lTest::renamingFollowsEveryReference() {
    const Definition d = rich().definition;
    const Definition axis = reread(withName(d, "pairs", "new_pairs"));
    QCOMPARE(axis.parameter("rescaled")->axes[0].shared, std::string("new_pairs"));
    const Definition input = reread(withName(d, "speed", "nmot"));
    QCOMPARE(input.parameter("cube")->axes[2].input, std::string("nmot"));
    QCOMPARE(input.parameter("pairs")->input, std::string("nmot"));
    QCOMPARE(input.functions[0].inputs, std::vector<std::string>{"nmot"});
    QCOMPARE(input.groupPath("nmot"), std::string("Everything / Some"));
    const Definition virtualOne = reread(withName(d, "gear", "gear_2"));
    QVERIFY(virtualOne.parameter("virtual")->remarks->dependsOn.find("gear_2") != std::string::npos);
}

void A2lTest::aParameterMovesBetweenGroupsAndIntoANewOne() {
    const Definition d = rich().definition;
    const Definition moved = reread(withGroup(d, "gear", "all"));
    QCOMPARE(moved.groupPath("gear"), std::string("Everything"));
    QCOMPARE(moved.groups[1].parameters, std::vector<std::string>{"pressure"});
    const Definition fresh = reread(withGroup(d, "torque", "own_group"));
    QCOMPARE(fresh.groupPath("torque"), std::string("own_group"));
    QCOMPARE(fresh.groups.size(), size_t{3});
}

void A2lTest::aRoleIsGivenChangedAndTakenAway() {
    const Definition d = rich().definition;
    const auto without = withRole(d, "pressure", "");
    EXPECT_OK(without);
    QVERIFY(without->find("BRUSK") == std::string::npos);
    QVERIFY(without->find("IF_DATA SOME 0x1") != std::string::npos);
    const Definition again = reread(withRole(reread(without), "pressure", "back"));
    QCOMPARE(again.parameter("pressure")->role, std::string("back"));
}

void A2lTest::removingTakesTheReferencesAlong() {
    const Definition d = rich().definition;
    EXPECT_FAILS(without(d, "pairs"), "pairs is the axis of rescaled");
    const auto text = without(d, "pressure");
    EXPECT_OK(text);
    const Definition now = reread(text);
    QVERIFY(!now.parameter("pressure"));
    QCOMPARE(now.groups[1].parameters, std::vector<std::string>{"gear"});
}

void A2lTest::aParameterIsCopiedWithAllItNeeds() {
    const Definition from = rich().definition;
    const std::string small =
        R"(/begin PROJECT P "" /begin MODULE M "" /begin MOD_COMMON "" BYTE_ORDER MSB_FIRST /end MOD_COMMON
/begin COMPU_METHOD ident "" IDENTICAL "%5.0" "" /end COMPU_METHOD
/begin RECORD_LAYOUT byte FNC_VALUES 1 UBYTE ROW_DIR DIRECT /end RECORD_LAYOUT
/begin CHARACTERISTIC own "" VALUE 0x1 byte 0 ident 0 255 /end CHARACTERISTIC
/end MODULE /end PROJECT)";
    const auto to = readA2l(small);
    EXPECT_OK(to);
    const auto part = extract(from, "rescaled");
    EXPECT_OK(part);
    const auto text = withAdded(to->definition, *part, "copied");
    EXPECT_OK(text);
    QCOMPARE(text->substr(0, small.find("/end MODULE")), small.substr(0, small.find("/end MODULE")));
    const Definition now = reread(text);
    QVERIFY(now.parameter("rescaled") && now.parameter("pairs") && now.measurement("speed"));
    QCOMPARE(now.groupPath("rescaled"), std::string("copied"));
    // The donor's controller is little-endian: the copy says so.
    QVERIFY(now.parameter("pairs")->byteOrder == ByteOrder::LittleEndian);
    QCOMPARE(now.layouts[now.parameter("pairs")->layout].items[1].pairs, uint32_t{5});
    // A second time there is nothing left to add.
    EXPECT_FAILS(withAdded(now, *part, "copied"), "has all of this already");
    EXPECT_FAILS(extract(from, "nothing"), "no parameter nothing");
}

void A2lTest::copyingKeepsNamesThatStandForSomethingElseApart() {
    const std::string small = R"(/begin PROJECT P "" /begin MODULE M ""
/begin COMPU_METHOD curved "another" LINEAR "%5.0" "V" COEFFS_LINEAR 2 0 /end COMPU_METHOD
/begin RECORD_LAYOUT byte FNC_VALUES 1 SWORD ROW_DIR DIRECT /end RECORD_LAYOUT
/begin CHARACTERISTIC own "" VALUE 0x1 byte 0 curved 0 255 /end CHARACTERISTIC
/end MODULE /end PROJECT)";
    const auto to = readA2l(small);
    EXPECT_OK(to);
    const Definition now = reread(withAdded(to->definition, *extract(rich().definition, "temperature"), ""));
    const Parameter& p = *now.parameter("temperature");
    QCOMPARE(now.conversionOf(p).name, std::string("curved_2"));
    QCOMPARE(now.conversionOf(p).points.size(), size_t{3});
    QCOMPARE(now.layouts[p.layout].name, std::string("byte_2"));
    QCOMPARE(now.conversionOf(*now.parameter("own")).unit, std::string("V"));
}

void A2lTest::namesThatCantBeAreRefused() {
    const Definition d = rich().definition;
    EXPECT_FAILS(withName(d, "gear", "1st gear"), "can't be a name");
    EXPECT_FAILS(withName(d, "gear", "speed"), "There is a speed already");
    EXPECT_FAILS(withName(d, "nothing", "x"), "no nothing");
    EXPECT_FAILS(withLabel(d, "gear", "a \"b\""), "can't be a name to show");
    EXPECT_FAILS(withGroup(d, "gear", "a b"), "can't be the name of a group");
    Definition made;
    EXPECT_FAILS(withName(made, "a", "b"), "not read from a text");
}

void A2lTest::includedFilesStandInTheirPlaceAndErrorsNameThem() {
    const std::string outer =
        "/begin PROJECT P \"\" /begin MODULE M \"\"\n/include \"sub dir/parts.a2l\"\n"
        "/begin CHARACTERISTIC last \"\" VALUE 0x1 byte 0 ident 0 nonsense /end CHARACTERISTIC\n"
        "/end MODULE /end PROJECT";
    const auto contents = readA2l(outer, [](const std::string& name) -> Result<std::string> {
        if (name == "sub dir/parts.a2l")
            return std::string(
                "/begin COMPU_METHOD ident \"\" IDENTICAL \"%5.0\" \"\" /end COMPU_METHOD\n/include more.aml\n");
        if (name == "more.aml")
            return std::string(
                "/begin RECORD_LAYOUT byte FNC_VALUES 1 UBYTE ROW_DIR DIRECT /end RECORD_LAYOUT\n"
                "/begin CHARACTERISTIC first \"\" VALUE 0x1 byte 0 ident 0 255 /end CHARACTERISTIC\n"
                "/begin CHARACTERISTIC bad \"\" VALUE what /end CHARACTERISTIC\n");
        return fail(ErrorCode::NotFound, "no such file");
    });
    EXPECT_OK(contents);
    QVERIFY(contents->definition.parameter("first"));
    QCOMPARE(contents->diagnostics.size(), size_t{2});
    for (const auto& d : contents->diagnostics)
        QVERIFY((d.file == "more.aml" && d.line == 3) || (d.file.empty() && d.line == 3));
}

void A2lTest::anIncludeThatIsMissingOrCircularCostsOnlyItself() {
    const std::string outer =
        "/begin PROJECT P \"\" /begin MODULE M \"\"\n"
        "/begin COMPU_METHOD ident \"\" IDENTICAL \"%5.0\" \"\" /end COMPU_METHOD\n"
        "/begin RECORD_LAYOUT byte FNC_VALUES 1 UBYTE ROW_DIR DIRECT /end RECORD_LAYOUT\n"
        "/begin CHARACTERISTIC x \"/include no\" VALUE 0x1 byte 0 ident 0 9 /end CHARACTERISTIC\n"
        "/include self.a2l\n/end MODULE /end PROJECT";
    const auto missing = readA2l(outer);
    EXPECT_OK(missing);
    QVERIFY(missing->definition.parameter("x"));
    QCOMPARE(missing->diagnostics.size(), size_t{1});
    QVERIFY(missing->diagnostics[0].message.find("self.a2l is not read here") != std::string::npos);
    QCOMPARE(missing->diagnostics[0].line, 5);
    const auto circular =
        readA2l(outer, [](const std::string&) -> Result<std::string> { return std::string("/include self.a2l\n"); });
    EXPECT_OK(circular);
    QVERIFY(circular->diagnostics[0].message.find("more than 16 files deep") != std::string::npos);
}

void A2lTest::stringsOfEitherEncodingAreReadAndWritten() {
    const auto with = [](const std::string& text) {
        return "/begin PROJECT P \"\" /begin MODULE M \"\"\n/begin COMPU_METHOD ident \"\" IDENTICAL \"%5.0\" \"\" "
               "/end COMPU_METHOD\n/begin RECORD_LAYOUT byte FNC_VALUES 1 UBYTE ROW_DIR DIRECT /end RECORD_LAYOUT\n"
               "/begin CHARACTERISTIC x \"" +
               text + "\" VALUE 0x1 byte 0 ident 0 9 /end CHARACTERISTIC\n/end MODULE /end PROJECT";
    };
    const auto utf8 = readA2l("\xEF\xBB\xBF" + with("20 \u00b0C"));
    const auto latin =
        readA2l(with("20 \xB0"
                     "C"));
    EXPECT_OK(utf8);
    EXPECT_OK(latin);
    QCOMPARE(utf8->definition.parameter("x")->description, std::string("20 \u00b0C"));
    QCOMPARE(latin->definition.parameter("x")->description, std::string("20 \u00b0C"));
    // A change stays in the file's own encoding.
    const auto changed = withDescription(latin->definition, "x", "30 \u00b0C");
    EXPECT_OK(changed);
    QVERIFY(changed->find("30 \xB0"
                          "C") != std::string::npos);
    EXPECT_FAILS(withDescription(latin->definition, "x", "\u03bb"), "ISO 8859-1, lacks");
}

void A2lTest::utf16IsReadToo() {
    const std::u16string wide =
        u"/begin PROJECT P \"\" /begin MODULE M \"\" /begin COMPU_METHOD i \"\" IDENTICAL \"%5.0\" \"\" /end "
        u"COMPU_METHOD "
        u"/begin MEASUREMENT m \"20 \u00b0C\" UBYTE i 0 0 0 9 ECU_ADDRESS 1 /end MEASUREMENT /end MODULE /end PROJECT";
    std::string little = "\xFF\xFE", big = "\xFE\xFF";
    for (const char16_t c : wide) {
        little += {static_cast<char>(c & 0xFF), static_cast<char>(c >> 8)};
        big += {static_cast<char>(c >> 8), static_cast<char>(c & 0xFF)};
    }
    for (const std::string& text : {little, big}) {
        const auto contents = readA2l(text);
        EXPECT_OK(contents);
        QCOMPARE(contents->definition.measurement("m")->description, std::string("20 \u00b0C"));
    }
}

void A2lTest::oldByteOrderWordsAreReadWithAWarning() {
    std::string text = kRich;
    text.replace(text.find("MSB_LAST"), 8, "BIG_ENDIAN");
    const auto contents = readA2l(text);
    EXPECT_OK(contents);
    QVERIFY(contents->definition.byteOrder == ByteOrder::BigEndian);
    QCOMPARE(contents->diagnostics.size(), size_t{1});
    QVERIFY(contents->diagnostics[0].message.find("two senses") != std::string::npos);
}

void A2lTest::thousandsOfBrokenBlocksAreNotThousandsOfComplaints() {
    std::string text = kRich;
    std::string bad;
    for (int i = 0; i < 50000; ++i)
        bad += "/begin CHARACTERISTIC b" + std::to_string(i) + " \"\" VALUE nowhere /end CHARACTERISTIC\n";
    text.insert(text.find("/end MODULE"), bad);
    const auto contents = readA2l(text);
    EXPECT_OK(contents);
    QVERIFY(contents->definition.parameter("pressure"));
    QCOMPARE(contents->diagnostics.size(), size_t{1001});
}

void A2lTest::anArrayOfHugeDimensionsIsRefused() {
    std::string text = kRich;
    text.replace(text.find("MATRIX_DIM 3 2 1"), 16, "MATRIX_DIM 60000 60000 60000");
    const auto contents = readA2l(text);
    EXPECT_OK(contents);
    QVERIFY(!contents->definition.parameter("grid"));
    // A map of 65535 x 65535 is read as what it says, and refused when its cells are asked for.
    std::string huge = kRich;
    huge.replace(huge.find("FIX_AXIS_PAR_DIST 0 1 3 /end"), 28, "/end");
    for (size_t at = huge.find("FIX_AXIS load ident 3"); at != std::string::npos; at = std::string::npos)
        huge.replace(at, 21, "STD_AXIS load ident 65535");
    const auto big = readA2l(huge);
    EXPECT_OK(big);
    image::Image image;
    EXPECT_OK(image.add(0, Bytes(0x400)));
    const calibration::Calibration c(std::make_shared<const Definition>(big->definition), image);
    QVERIFY(!c.read("cube"));
}

void A2lTest::aDefinitionCutOffAnywhereStillGivesWhatWasWhole() {
    const std::string whole = kRich;
    const Definition all = rich().definition;
    for (size_t cut = 0; cut < whole.size(); cut += 17) {
        const auto contents = readA2l(whole.substr(0, cut));
        if (!contents) continue;
        QVERIFY(!contents->diagnostics.empty());
        for (const Parameter& p : contents->definition.parameters)
            QVERIFY(all.parameter(p.name) || p.span.end >= cut);
    }
}

QTEST_APPLESS_MAIN(A2lTest)
#include "A2lTest.moc"
