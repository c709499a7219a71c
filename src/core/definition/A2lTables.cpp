// Positions of arguments: ASAM MCD-2 MC 1.6 and 1.7, chapter "ASAP2 keywords".
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lTables.h"

#include <array>

#include "core/base/Text.h"

namespace brusk::definition {
namespace {

/// Keywords without meaning for us, and how many arguments follow each, so that they are passed over exactly.
const std::map<std::string_view, int> kPassedOver = {{"ASAP2_VERSION", 2},
                                                     {"A2ML_VERSION", 2},
                                                     {"CALIBRATION_ACCESS", 1},
                                                     {"CALIBRATION_HANDLE", 1},
                                                     {"COMPARISON_QUANTITY", 1},
                                                     {"CPU_TYPE", 1},
                                                     {"CUSTOMER", 1},
                                                     {"CUSTOMER_NO", 1},
                                                     {"DATA_SIZE", 1},
                                                     {"DEPOSIT", 1},
                                                     {"DISCRETE", 0},
                                                     {"ECU", 1},
                                                     {"ECU_ADDRESS_EXTENSION", 1},
                                                     {"ECU_CALIBRATION_OFFSET", 1},
                                                     {"ENCODING", 1},
                                                     {"ERROR_MASK", 1},
                                                     {"EXTENDED_LIMITS", 2},
                                                     {"FORMAT", 1},
                                                     {"FUNCTION_VERSION", 1},
                                                     {"GUARD_RAILS", 0},
                                                     {"LAYOUT", 1},
                                                     {"MAX_GRAD", 1},
                                                     {"MAX_REFRESH", 2},
                                                     {"MODEL_LINK", 1},
                                                     {"MONOTONY", 1},
                                                     {"NO_OF_INTERFACES", 1},
                                                     {"PHONE_NO", 1},
                                                     {"PHYS_UNIT", 1},
                                                     {"PROJECT_NO", 1},
                                                     {"READ_ONLY", 0},
                                                     {"READ_WRITE", 0},
                                                     {"REF_MEMORY_SEGMENT", 1},
                                                     {"REF_UNIT", 1},
                                                     {"ROOT", 0},
                                                     {"SI_EXPONENTS", 7},
                                                     {"STATUS_STRING_REF", 1},
                                                     {"STEP_SIZE", 1},
                                                     {"SUPPLIER", 1},
                                                     {"SYMBOL_LINK", 2},
                                                     {"SYMBOL_TYPE_LINK", 1},
                                                     {"S_REC_LAYOUT", 1},
                                                     {"UNIT_CONVERSION", 2},
                                                     {"USER", 1},
                                                     {"VERSION", 1},
                                                     {"VAR_ADDRESS", 0}};

/// "..._X" is axis 0, "_Y" 1, "_Z" 2, "_4" 3, "_5" 4; -1 for none.
int axisOfSuffix(A2lWord key) {
    if (key.size() < 3 || key[key.size() - 2] != '_') return -1;
    const size_t at = std::string_view("XYZ45").find(key.back());
    return at == std::string_view::npos ? -1 : static_cast<int>(at);
}

}  // namespace

const std::vector<std::pair<std::string_view, std::vector<DataType>>>& alignmentKeywords() {
    static const std::vector<std::pair<std::string_view, std::vector<DataType>>> keywords = {
        {"ALIGNMENT_BYTE", {DataType::UByte, DataType::SByte}},
        {"ALIGNMENT_WORD", {DataType::UWord, DataType::SWord}},
        {"ALIGNMENT_LONG", {DataType::ULong, DataType::SLong}},
        {"ALIGNMENT_INT64", {DataType::UInt64, DataType::Int64}},
        {"ALIGNMENT_FLOAT16_IEEE", {DataType::Float16}},
        {"ALIGNMENT_FLOAT32_IEEE", {DataType::Float32}},
        {"ALIGNMENT_FLOAT64_IEEE", {DataType::Float64}}};
    return keywords;
}

ByteOrder readByteOrder(A2lStream& in) {
    const size_t at = in.peek().begin;
    const A2lWord word = in.word("a byte order");
    if (word == "MSB_FIRST") return ByteOrder::BigEndian;
    if (word == "MSB_LAST") return ByteOrder::LittleEndian;
    // The two old words were used both ways round; the standard asks that they be avoided.
    if (word == "BIG_ENDIAN" || word == "LITTLE_ENDIAN") {
        in.warn(at, "BYTE_ORDER " + std::string(word) + " was used in two senses; it is read as " +
                        (word == "BIG_ENDIAN" ? "MSB_FIRST." : "MSB_LAST."));
        return word == "BIG_ENDIAN" ? ByteOrder::BigEndian : ByteOrder::LittleEndian;
    }
    in.broken(at, "BYTE_ORDER " + nameForMessage(word) + " is not one that Brusk reads.");
}

DataType readDataType(A2lStream& in) {
    const size_t at = in.peek().begin;
    const A2lWord word = in.word("a data type");
    const auto type = dataTypeNamed(word);
    if (!type) in.broken(at, nameForMessage(word) + " is not a data type.");
    return *type;
}

std::optional<int> decimalsOf(std::string_view format) {
    const size_t dot = format.find('.');
    if (dot == std::string_view::npos) return format.starts_with('%') ? std::optional<int>(0) : std::nullopt;
    int digits = 0;
    size_t at = dot + 1;
    for (; at < format.size() && format[at] >= '0' && format[at] <= '9' && digits <= 15; ++at)
        digits = digits * 10 + (format[at] - '0');
    return at == dot + 1 || digits > 15 ? std::nullopt : std::optional<int>(digits);
}

void passOver(A2lStream& in) {
    const A2lToken token = in.peek();
    if (token.kind == A2lToken::Kind::Begin) {
        static const std::map<std::string_view, int> known = {
            {"ANNOTATION", 0},         {"A2ML", 0},          {"FUNCTION_LIST", 0},     {"IF_DATA", 0}, {"MAP_LIST", 0},
            {"VAR_CHARACTERISTIC", 0}, {"BIT_OPERATION", 0}, {"CALIBRATION_METHOD", 0}};
        if (!known.count(token.text))
            in.warn(token.begin, std::string(in.keyword()) + ": the block " + nameForMessage(token.text) +
                                     " is not known and left alone.");
        return in.skip();
    }
    in.advance();
    if (token.kind != A2lToken::Kind::Word) return;
    const auto known = kPassedOver.find(token.text);
    const auto isArgument = [&] {
        return in.peek().kind == A2lToken::Kind::Word || in.peek().kind == A2lToken::Kind::String;
    };
    if (known != kPassedOver.end()) {
        for (int i = 0; i < known->second && isArgument(); ++i)
            in.advance();
        return;
    }
    in.warn(token.begin,
            std::string(in.keyword()) + ": " + nameForMessage(token.text) + " is not known and left alone.");
    // Its arguments, as far as they can be told from keywords.
    while (in.peek().kind == A2lToken::Kind::String || in.peekIsNumber())
        in.advance();
}

A2lTables::A2lTables(A2lStream& in, Definition& out) : in_(in), out_(out) {
    Conversion identical;
    identical.name = "NO_COMPU_METHOD";
    out_.conversions.push_back(identical);
    pending_.emplace_back();
    conversionIndex_.add(0, [&](uint32_t i) { return std::string_view(out_.conversions[i].name); });
}

bool A2lTables::read(std::string_view keyword) {
    static const std::map<std::string_view, Step> steps = {{"MOD_COMMON", &A2lTables::readModCommon},
                                                           {"COMPU_METHOD", &A2lTables::readConversion},
                                                           {"COMPU_TAB", &A2lTables::readTable},
                                                           {"COMPU_VTAB", &A2lTables::readVerbalTable},
                                                           {"COMPU_VTAB_RANGE", &A2lTables::readVerbalRanges},
                                                           {"UNIT", &A2lTables::readUnit},
                                                           {"RECORD_LAYOUT", &A2lTables::readLayout}};
    const auto step = steps.find(keyword);
    if (step == steps.end()) return false;
    (this->*step->second)();
    return true;
}

uint32_t A2lTables::conversion(std::string_view name) const {
    return conversionIndex_.find(name, [&](uint32_t i) { return std::string_view(out_.conversions[i].name); });
}

uint32_t A2lTables::layout(std::string_view name) const {
    return layoutIndex_.find(name, [&](uint32_t i) { return std::string_view(out_.layouts[i].name); });
}

bool A2lTables::readAlignment(A2lWord key, uint8_t* alignment) {
    const auto& types = alignmentKeywords();
    const auto found = std::find_if(types.begin(), types.end(), [&](const auto& entry) { return entry.first == key; });
    if (found == types.end()) return false;
    in_.advance();
    const uint32_t bytes = std::max<uint32_t>(1, in_.whole("an alignment", 64));
    for (const DataType type : found->second)
        alignment[static_cast<size_t>(type)] = static_cast<uint8_t>(bytes);
    return true;
}

void A2lTables::readModCommon() {
    in_.string("a comment");
    while (in_.more()) {
        const A2lToken token = in_.peek();
        if (token.text == "BYTE_ORDER") {
            in_.advance();
            out_.byteOrder = readByteOrder(in_);
        } else if (token.text == "DEPOSIT") {
            in_.advance();
            differences_ = in_.word("a deposit") == "DIFFERENCE";
            // Breakpoints are summed up as they are read: those above would be taken for absolute ones.
            if (differences_ && !out_.parameters.empty())
                in_.warn(token.begin, "DEPOSIT DIFFERENCE stands behind parameters; it holds for those that follow.");
        } else if (!readAlignment(token.text, alignment_)) {
            passOver(in_);
        }
    }
}

void A2lTables::readCoefficients(Conversion& conversion, bool& given) {
    const bool linear = in_.peek().text == "COEFFS_LINEAR";
    in_.advance();
    double* const all[] = {&conversion.a, &conversion.b, &conversion.c, &conversion.d, &conversion.e, &conversion.f};
    for (int i = 0; i < (linear ? 2 : 6); ++i)
        *all[i] = in_.number("a coefficient");
    given = true;
}

void A2lTables::readFormula(Conversion& conversion) {
    in_.enter();
    conversion.formula = in_.string("a formula");
    while (in_.more()) {
        if (in_.peek().text == "FORMULA_INV") {
            in_.advance();
            conversion.inverse = in_.string("a formula");
        } else {
            passOver(in_);
        }
    }
}

void A2lTables::readConversion() {
    static const std::map<std::string_view, Conversion::Kind> kinds = {
        {"IDENTICAL", Conversion::Kind::Identical}, {"LINEAR", Conversion::Kind::Linear},
        {"RAT_FUNC", Conversion::Kind::Rational},   {"TAB_INTP", Conversion::Kind::Interpolated},
        {"TAB_NOINTP", Conversion::Kind::Stepped},  {"TAB_VERB", Conversion::Kind::Verbal},
        {"FORM", Conversion::Kind::Formula}};
    const size_t begin = in_.blockBegin();
    Conversion conversion;
    Pending pending;
    pending.offset = begin;
    conversion.name = in_.word("a name");
    conversion.description = in_.string("a description");
    const size_t kindAt = in_.peek().begin;
    const A2lWord kindWord = in_.word("a conversion type");
    const auto kind = kinds.find(kindWord);
    if (kind == kinds.end())
        in_.warn(kindAt, "Conversion " + conversion.name + " is of type " + nameForMessage(kindWord) +
                             "; its raw values are shown.");
    else
        conversion.kind = kind->second;
    const size_t formatAt = in_.peek().begin;
    const std::string format = in_.string("a format");
    const auto decimals = decimalsOf(format);
    if (!decimals && !format.empty())
        in_.warn(formatAt,
                 "The format \"" + nameForMessage(format) + "\" is not like \"%8.2\"; three decimals are shown.");
    conversion.decimals = decimals.value_or(3);
    conversion.unit = in_.string("a unit");
    bool given = false;
    while (in_.more()) {
        const A2lToken token = in_.peek();
        if (token.kind == A2lToken::Kind::Begin && token.text == "FORMULA") {
            readFormula(conversion);
        } else if (token.text == "COEFFS" || token.text == "COEFFS_LINEAR") {
            readCoefficients(conversion, given);
        } else if (token.text == "COMPU_TAB_REF") {
            in_.advance();
            conversion.table = in_.word("a table's name");
        } else if (token.text == "REF_UNIT") {
            in_.advance();
            pending.unit = in_.word("a unit's name");
        } else {
            passOver(in_);
        }
    }
    using Kind = Conversion::Kind;
    if (!given && (conversion.kind == Kind::Linear || conversion.kind == Kind::Rational))
        in_.broken(begin, "Conversion " + conversion.name + " has no coefficients.");
    if (conversion.kind == Kind::Formula && conversion.formula.empty())
        in_.broken(begin, "Conversion " + conversion.name + " has no formula.");
    conversion.span = {begin, in_.lastEnd()};
    out_.conversions.push_back(std::move(conversion));
    const auto index = static_cast<uint32_t>(out_.conversions.size() - 1);
    if (!conversionIndex_.add(index, [&](uint32_t i) { return std::string_view(out_.conversions[i].name); })) {
        const std::string name = out_.conversions.back().name;
        out_.conversions.pop_back();
        in_.broken(begin, "Conversion " + name + " is defined twice; the first is kept.");
    }
    pending_.push_back(std::move(pending));
}

void A2lTables::keepTable(const std::string& name, TabbedValues table) {
    if (!tables_.emplace(name, std::move(table)).second)
        in_.error(in_.lastEnd(), "Table " + name + " is defined twice; the first is kept.");
}

void A2lTables::readTable() {
    const std::string name(in_.word("a name"));
    in_.string("a description");
    in_.word("a conversion type");
    const uint32_t count = in_.whole("a count", 1 << 20);
    TabbedValues table;
    for (uint32_t i = 0; i < count; ++i) {
        const double raw = in_.number("a raw value");
        table.points.push_back({raw, in_.number("a physical value")});
    }
    while (in_.more()) {
        if (in_.peek().text == "DEFAULT_VALUE_NUMERIC") {
            in_.advance();
            table.defaultValue = in_.number("a value");
        } else if (in_.peek().text == "DEFAULT_VALUE") {
            in_.advance();
            table.defaultText = in_.string("a text");
        } else {
            passOver(in_);
        }
    }
    std::stable_sort(table.points.begin(), table.points.end(),
                     [](const auto& a, const auto& b) { return a.raw < b.raw; });
    keepTable(name, std::move(table));
}

void A2lTables::readVerbal(bool ranges) {
    const std::string name(in_.word("a name"));
    in_.string("a description");
    if (!ranges) in_.word("TAB_VERB");
    const uint32_t count = in_.whole("a count", 1 << 20);
    TabbedValues table;
    for (uint32_t i = 0; i < count; ++i) {
        Conversion::Text text;
        text.low = in_.number("a value");
        text.high = ranges ? in_.number("a value") : text.low;
        text.text = in_.string("a text");
        table.texts.push_back(std::move(text));
    }
    while (in_.more()) {
        if (in_.peek().text == "DEFAULT_VALUE") {
            in_.advance();
            table.defaultText = in_.string("a text");
        } else {
            passOver(in_);
        }
    }
    keepTable(name, std::move(table));
}
void A2lTables::readVerbalTable() {
    readVerbal(false);
}
void A2lTables::readVerbalRanges() {
    readVerbal(true);
}

void A2lTables::readUnit() {
    const std::string name(in_.word("a name"));
    in_.string("a description");
    units_.emplace(name, in_.string("how it is written"));
    in_.word("a unit type");
    while (in_.more())
        passOver(in_);
}

void A2lTables::readAddressType(Layout& layout) {
    const A2lWord type = in_.word("an address type");
    if (type != "DIRECT")
        layout.unreadable = "its values lie behind a pointer (" + std::string(type.substr(0, 20)) +
                            "), which is known only inside the controller";
}

bool A2lTables::readLayoutItem(Layout& layout, A2lWord key) {
    using Field = Layout::Field;
    static const std::map<std::string_view, Field> fields = {
        {"AXIS_PTS", Field::AxisPoints},     {"NO_AXIS_PTS", Field::AxisCount}, {"AXIS_RESCALE", Field::RescalePairs},
        {"NO_RESCALE", Field::RescaleCount}, {"OFFSET", Field::Offset},         {"SHIFT_OP", Field::Shift},
        {"DIST_OP", Field::Distance},        {"SRC_ADDR", Field::Other},        {"RIP_ADDR", Field::Other}};
    Layout::Item item;
    const int axis = key == "RIP_ADDR_W" ? 0 : axisOfSuffix(key);
    if (key == "FNC_VALUES") {
        item.field = Field::Values;
    } else if (key == "IDENTIFICATION") {
        item.field = Field::Other;
    } else if (axis >= 0 && fields.count(key.substr(0, key.size() - 2))) {
        item.field = fields.at(key.substr(0, key.size() - 2));
        item.axis = axis;
    } else {
        return false;
    }
    in_.advance();
    item.position = static_cast<int>(in_.whole("a position", 10000));
    item.type = readDataType(in_);
    if (item.field == Field::RescalePairs) item.pairs = in_.whole("the greatest number of pairs", 65535);
    if (item.field == Field::AxisPoints || item.field == Field::RescalePairs) {
        item.falling = in_.word("an index order") == "INDEX_DECR";
        readAddressType(layout);
    } else if (item.field == Field::Values) {
        const A2lWord mode = in_.word("an index mode");
        layout.columnsFirst = mode == "COLUMN_DIR";
        if (mode.starts_with("ALTERNATE"))
            layout.unreadable = "its values and breakpoints are interleaved (" + std::string(mode) + ")";
        readAddressType(layout);
    }
    layout.items.push_back(item);
    return true;
}

void A2lTables::readLayout() {
    const size_t begin = in_.blockBegin();
    Layout layout;
    layout.name = in_.word("a name");
    uint8_t own[kDataTypes] = {};
    while (in_.more()) {
        const A2lWord key = in_.peek().text;
        const int axis = axisOfSuffix(key);
        if (key == "RESERVED") {
            in_.advance();
            Layout::Item item;
            item.field = Layout::Field::Reserved;
            item.position = static_cast<int>(in_.whole("a position", 10000));
            const A2lWord size = in_.word("a size");
            item.type = size == "BYTE" ? DataType::UByte : size == "WORD" ? DataType::UWord : DataType::ULong;
            layout.items.push_back(item);
        } else if (key.starts_with("FIX_NO_AXIS_PTS_") && axis >= 0) {
            in_.advance();
            layout.fixedCounts[axis] = in_.whole("a number of breakpoints", 65535);
        } else if (key == "STATIC_RECORD_LAYOUT" || key == "STATIC_ADDRESS_OFFSETS") {
            in_.advance();
            (key == "STATIC_RECORD_LAYOUT" ? layout.staticPlaces : layout.staticOffsets) = true;
        } else if (!readAlignment(key, own) && !readLayoutItem(layout, key)) {
            passOver(in_);
        }
    }
    std::stable_sort(layout.items.begin(), layout.items.end(),
                     [](const Layout::Item& a, const Layout::Item& b) { return a.position < b.position; });
    // Zero: not given here; finish() puts MOD_COMMON's in, wherever that stands.
    std::copy(std::begin(own), std::end(own), std::begin(layout.alignment));
    layout.span = {begin, in_.lastEnd()};
    out_.layouts.push_back(std::move(layout));
    const auto index = static_cast<uint32_t>(out_.layouts.size() - 1);
    if (!layoutIndex_.add(index, [&](uint32_t i) { return std::string_view(out_.layouts[i].name); })) {
        const std::string name = out_.layouts.back().name;
        out_.layouts.pop_back();
        in_.broken(begin, "Layout " + name + " is defined twice; the first is kept.");
    }
}

void A2lTables::joinTable(Conversion& conversion, const Pending& pending) {
    using Kind = Conversion::Kind;
    const bool tabbed =
        conversion.kind == Kind::Interpolated || conversion.kind == Kind::Stepped || conversion.kind == Kind::Verbal;
    if (!tabbed) return;
    const auto table = tables_.find(conversion.table);
    if (table == tables_.end()) {
        in_.error(pending.offset, "Conversion " + conversion.name + " names the table " +
                                      nameForMessage(conversion.table) +
                                      ", which is not defined; its raw values are shown.");
        if (conversion.kind != Kind::Verbal) conversion.kind = Kind::Identical;
        return;
    }
    conversion.texts = table->second.texts;
    conversion.defaultText = table->second.defaultText;
    conversion.points = table->second.points;
    conversion.defaultValue = table->second.defaultValue;
}

void A2lTables::finish() {
    for (size_t i = 0; i < out_.conversions.size(); ++i) {
        Conversion& conversion = out_.conversions[i];
        joinTable(conversion, pending_[i]);
        const auto unit = units_.find(pending_[i].unit);
        if (conversion.unit.empty() && unit != units_.end()) conversion.unit = unit->second;
    }
    for (Layout& layout : out_.layouts)
        for (size_t t = 0; t < kDataTypes; ++t)
            if (layout.alignment[t] == 0) layout.alignment[t] = alignment_[t];
}

}  // namespace brusk::definition
