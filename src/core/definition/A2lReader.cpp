// From the block tree to the model. Positions of arguments: ASAM MCD-2 MC 1.6, chapter "ASAP2 keywords".
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lReader.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/base/Text.h"
#include "core/definition/A2lTree.h"

namespace brusk::definition {
namespace {

/// Thrown inside the reader only, to give up one block; never leaves readA2l().
struct BrokenBlock {
    int line;
    std::string message;
};

/// Walks the items of one block: the fixed arguments first, then keywords with theirs.
class Arguments {
  public:
    explicit Arguments(const A2lBlock& block) : block_(block) {}

    bool more() const { return at_ < block_.items.size(); }
    const A2lItem& peek() const { return block_.items[at_]; }
    int line() const { return more() ? peek().line : block_.line; }
    const A2lItem& take() {
        if (!more())
            throw BrokenBlock{block_.line, block_.keyword + " has fewer arguments than the standard asks for."};
        return block_.items[at_++];
    }

    std::string word(const char* what) {
        const A2lItem& item = take();
        if (item.block) throw BrokenBlock{item.line, block_.keyword + ": expected " + what + ", found a block."};
        return item.text;
    }

    double number(const char* what) {
        const A2lItem& item = take();
        const auto value = item.block || item.quoted ? std::nullopt : parseNumber(item.text);
        if (!value || !std::isfinite(*value))
            throw BrokenBlock{item.line, block_.keyword + ": expected " + what + ", found \"" + item.text + "\"."};
        return *value;
    }

    uint32_t whole(const char* what, double limit = 4294967295.0) {
        const int at = line();
        const double value = number(what);
        if (value < 0 || value > limit || value != std::floor(value))
            throw BrokenBlock{
                at, block_.keyword + ": " + what + " must be a whole number up to " + formatNumber(limit, 0) + "."};
        return static_cast<uint32_t>(value);
    }

  private:
    const A2lBlock& block_;
    size_t at_ = 0;
};

/// Keywords without meaning for us, and how many arguments follow each, so that they are passed over exactly.
const std::map<std::string_view, int> kPassedOver = {
    {"DISPLAY_IDENTIFIER", 1},
    {"ECU_ADDRESS_EXTENSION", 1},
    {"CALIBRATION_ACCESS", 1},
    {"MAX_REFRESH", 2},
    {"REF_MEMORY_SEGMENT", 1},
    {"STEP_SIZE", 1},
    {"SYMBOL_LINK", 2},
    {"DISCRETE", 0},
    {"COMPARISON_QUANTITY", 1},
    {"GUARD_RAILS", 0},
    {"REF_UNIT", 1},
    {"PHYS_UNIT", 1},
    {"BYTE_ORDER", 1},
    {"DEPOSIT", 1},
    {"EXTENDED_LIMITS", 2},
    {"MONOTONY", 1},
    {"MAX_GRAD", 1},
    {"ERROR_MASK", 1},
    {"LAYOUT", 1},
    {"VERSION", 1},
    {"CUSTOMER", 1},
    {"CUSTOMER_NO", 1},
    {"USER", 1},
    {"PHONE_NO", 1},
    {"ECU", 1},
    {"CPU_TYPE", 1},
    {"NO_OF_INTERFACES", 1},
    {"ECU_CALIBRATION_OFFSET", 1},
    {"SUPPLIER", 1},
    {"S_REC_LAYOUT", 1},
    {"DATA_SIZE", 1},
    {"ALIGNMENT_INT64", 1},
    {"STATIC_RECORD_LAYOUT", 0},
    {"PROJECT_NO", 1},
    {"STATUS_STRING_REF", 1},
    {"SI_EXPONENTS", 7},
    {"ASAP2_VERSION", 2},
    {"A2ML_VERSION", 2},
};

class Reader {
  public:
    explicit Reader(std::vector<Diagnostic> diagnostics) : diagnostics_(std::move(diagnostics)) {
        Conversion identical;
        identical.name = "NO_COMPU_METHOD";
        out_.conversions.push_back(identical);
        conversionIndex_["NO_COMPU_METHOD"] = 0;
    }

    void readRoot(const A2lBlock& root) {
        for (const A2lItem& item : root.items) {
            if (!item.block || item.block->keyword != "PROJECT") continue;
            if (!item.block->items.empty()) out_.project = item.block->items[0].text;
            for (const A2lItem& inner : item.block->items)
                if (inner.block && inner.block->keyword == "MODULE") readModule(*inner.block);
        }
    }

    A2lContents finish() {
        resolveVerbalTables();
        dropUnresolvable();
        out_.index();
        std::stable_sort(diagnostics_.begin(), diagnostics_.end(),
                         [](const Diagnostic& a, const Diagnostic& b) { return a.line < b.line; });
        return {std::move(out_), std::move(diagnostics_)};
    }

  private:
    void error(int line, std::string message) {
        diagnostics_.push_back({Diagnostic::Severity::Error, line, std::move(message)});
    }
    void warn(int line, std::string message) {
        diagnostics_.push_back({Diagnostic::Severity::Warning, line, std::move(message)});
    }

    void readModule(const A2lBlock& module) {
        if (module.items.size() > 1) {
            out_.module = module.items[0].text;
            out_.description = module.items[1].text;
        }
        using Step = void (Reader::*)(const A2lBlock&);
        static const std::map<std::string_view, Step> first = {{"MOD_PAR", &Reader::readModPar},
                                                               {"MOD_COMMON", &Reader::readModCommon},
                                                               {"COMPU_METHOD", &Reader::readConversion},
                                                               {"COMPU_VTAB", &Reader::readVerbalTable},
                                                               {"COMPU_VTAB_RANGE", &Reader::readVerbalRanges},
                                                               {"RECORD_LAYOUT", &Reader::readLayout},
                                                               {"GROUP", &Reader::readGroup},
                                                               {"FUNCTION", &Reader::readFunction}};
        static const std::map<std::string_view, Step> second = {{"CHARACTERISTIC", &Reader::readCharacteristic},
                                                                {"AXIS_PTS", &Reader::readAxisPoints},
                                                                {"MEASUREMENT", &Reader::readMeasurement}};
        static const std::set<std::string_view> carried = {"A2ML",        "IF_DATA",        "UNIT",      "FRAME",
                                                           "USER_RIGHTS", "VARIANT_CODING", "ANNOTATION"};
        // Conversions and layouts may stand behind what uses them.
        for (const auto* steps : {&first, &second})
            for (const A2lItem& item : module.items) {
                if (!item.block) continue;
                const auto step = steps->find(item.block->keyword);
                if (step != steps->end()) {
                    guarded(step->second, *item.block);
                } else if (steps == &first && !second.count(item.block->keyword) &&
                           !carried.count(item.block->keyword)) {
                    warn(item.line, item.block->keyword + " is not known and left alone.");
                }
            }
    }

    void guarded(void (Reader::*step)(const A2lBlock&), const A2lBlock& block) {
        try {
            (this->*step)(block);
        } catch (const BrokenBlock& broken) {
            error(broken.line, broken.message);
        }
    }

    /// Passes over one keyword we have no use for.
    void passOver(Arguments& args, const A2lBlock& block) {
        const A2lItem& item = args.take();
        if (item.block) return;
        const auto known = kPassedOver.find(item.text);
        if (known == kPassedOver.end()) {
            warn(item.line, block.keyword + ": " + item.text + " is not known and left alone.");
            return;
        }
        for (int i = 0; i < known->second && args.more(); ++i)
            args.take();
    }

    /// The role that an IF_DATA of our own gives: /begin IF_DATA BRUSK ROLE "ve_map" /end IF_DATA
    static std::string roleIn(const A2lBlock& ifData) {
        if (ifData.items.size() == 3 && ifData.items[0].text == "BRUSK" && ifData.items[1].text == "ROLE")
            return ifData.items[2].text;
        return {};
    }

    static ByteOrder byteOrderOf(const A2lItem& item) {
        // MSB_FIRST and its old name BIG_ENDIAN keep the most significant byte first.
        if (item.text == "MSB_FIRST" || item.text == "BIG_ENDIAN") return ByteOrder::BigEndian;
        if (item.text == "MSB_LAST" || item.text == "LITTLE_ENDIAN") return ByteOrder::LittleEndian;
        throw BrokenBlock{item.line, "BYTE_ORDER " + item.text + " is not one that Brusk reads."};
    }

    void readModPar(const A2lBlock& block) {
        Arguments args(block);
        args.word("a comment");
        while (args.more()) {
            if (args.peek().text == "EPK") {
                args.take();
                out_.softwareId = args.word("the software's text");
            } else if (args.peek().text == "ADDR_EPK") {
                args.take();
                out_.softwareIdAddress = args.whole("an address");
            } else {
                passOver(args, block);
            }
        }
    }

    void readModCommon(const A2lBlock& block) {
        Arguments args(block);
        args.word("a comment");
        while (args.more()) {
            const std::string key = args.peek().text;
            if (key == "BYTE_ORDER") {
                args.take();
                out_.byteOrder = byteOrderOf(args.take());
            } else if (key.starts_with("ALIGNMENT_")) {
                args.take();
                alignments_[key] = static_cast<int>(args.whole("an alignment", 8));
            } else {
                passOver(args, block);
            }
        }
    }

    /// "%8.2" shows two digits behind the point.
    static int decimalsOf(const std::string& format, int line) {
        const size_t dot = format.find('.');
        const auto digits =
            dot == std::string::npos ? std::optional<uint64_t>(0) : parseUnsigned(format.substr(dot + 1));
        if (!digits || *digits > 15) throw BrokenBlock{line, "The format \"" + format + "\" is not like \"%8.2\"."};
        return static_cast<int>(*digits);
    }

    void readConversion(const A2lBlock& block) {
        Arguments args(block);
        Conversion conversion;
        conversion.name = args.word("a name");
        args.word("a description");
        const std::string kind = args.word("a conversion type");
        const int formatLine = args.line();
        conversion.decimals = decimalsOf(args.word("a format"), formatLine);
        conversion.unit = args.word("a unit");
        if (kind == "LINEAR") {
            conversion.kind = Conversion::Kind::Linear;
        } else if (kind == "RAT_FUNC") {
            conversion.kind = Conversion::Kind::Rational;
        } else if (kind == "TAB_VERB") {
            conversion.kind = Conversion::Kind::Verbal;
        } else if (kind != "IDENTICAL") {
            warn(block.line, "Conversion " + conversion.name + " is of type " + kind + "; its raw values are shown.");
        }
        bool coefficients =
            conversion.kind != Conversion::Kind::Linear && conversion.kind != Conversion::Kind::Rational;
        while (args.more()) {
            const std::string key = args.peek().text;
            if (key == "COEFFS_LINEAR") {
                args.take();
                conversion.a = args.number("a");
                conversion.b = args.number("b");
                coefficients = true;
            } else if (key == "COEFFS") {
                args.take();
                for (double* k :
                     {&conversion.a, &conversion.b, &conversion.c, &conversion.d, &conversion.e, &conversion.f})
                    *k = args.number("a coefficient");
                coefficients = true;
            } else if (key == "COMPU_TAB_REF") {
                args.take();
                tableOfConversion_[conversion.name] = {args.word("a table's name"), block.line};
            } else {
                passOver(args, block);
            }
        }
        if (!coefficients) throw BrokenBlock{block.line, "Conversion " + conversion.name + " has no coefficients."};
        if (!conversionIndex_.emplace(conversion.name, out_.conversions.size()).second)
            throw BrokenBlock{block.line, "Conversion " + conversion.name + " is defined twice; the first is kept."};
        out_.conversions.push_back(std::move(conversion));
    }

    void readVerbal(const A2lBlock& block, bool ranges) {
        Arguments args(block);
        const std::string name = args.word("a name");
        args.word("a description");
        if (!ranges) args.word("TAB_VERB");
        const uint32_t count = args.whole("a count", 100000);
        Conversion table;
        for (uint32_t i = 0; i < count; ++i) {
            Conversion::Text text;
            text.low = args.number("a value");
            text.high = ranges ? args.number("a value") : text.low;
            text.text = args.word("a text");
            table.texts.push_back(std::move(text));
        }
        if (args.more() && args.peek().text == "DEFAULT_VALUE") {
            args.take();
            table.defaultText = args.word("a text");
        }
        verbalTables_[name] = std::move(table);
    }
    void readVerbalTable(const A2lBlock& block) { readVerbal(block, false); }
    void readVerbalRanges(const A2lBlock& block) { readVerbal(block, true); }

    static DataType dataTypeOf(const A2lItem& item) {
        static const std::map<std::string_view, DataType> types = {
            {"UBYTE", DataType::UByte},         {"SBYTE", DataType::SByte},   {"UWORD", DataType::UWord},
            {"SWORD", DataType::SWord},         {"ULONG", DataType::ULong},   {"SLONG", DataType::SLong},
            {"A_UINT64", DataType::UInt64},     {"A_INT64", DataType::Int64}, {"FLOAT32_IEEE", DataType::Float32},
            {"FLOAT64_IEEE", DataType::Float64}};
        const auto found = types.find(item.text);
        if (found == types.end()) throw BrokenBlock{item.line, item.text + " is not a data type."};
        return found->second;
    }

    void readLayout(const A2lBlock& block) {
        Arguments args(block);
        Layout layout;
        layout.name = args.word("a name");
        while (args.more()) {
            const A2lItem& key = args.peek();
            Layout::Item item;
            if (key.text == "FNC_VALUES") {
                args.take();
                item.position = static_cast<int>(args.whole("a position", 1000));
                item.type = dataTypeOf(args.take());
                layout.columnsFirst = args.word("an index mode") == "COLUMN_DIR";
                args.word("an address type");
            } else if (key.text == "AXIS_PTS_X" || key.text == "AXIS_PTS_Y") {
                item.field = Layout::Field::AxisPoints;
                item.axis = key.text.back() == 'Y';
                args.take();
                item.position = static_cast<int>(args.whole("a position", 1000));
                item.type = dataTypeOf(args.take());
                if (args.word("an order") == "INDEX_DECR")
                    throw BrokenBlock{key.line, "Layout " + layout.name +
                                                    " keeps its breakpoints in falling order, which Brusk can't read."};
                args.word("an address type");
            } else if (key.text == "NO_AXIS_PTS_X" || key.text == "NO_AXIS_PTS_Y") {
                item.field = Layout::Field::AxisCount;
                item.axis = key.text.back() == 'Y';
                args.take();
                item.position = static_cast<int>(args.whole("a position", 1000));
                item.type = dataTypeOf(args.take());
            } else if (key.text == "RESERVED") {
                args.take();
                item.field = Layout::Field::Reserved;
                item.position = static_cast<int>(args.whole("a position", 1000));
                const std::string size = args.word("a size");
                item.type = size == "BYTE" ? DataType::UByte : size == "WORD" ? DataType::UWord : DataType::ULong;
            } else {
                passOver(args, block);
                continue;
            }
            layout.items.push_back(item);
        }
        std::stable_sort(layout.items.begin(), layout.items.end(),
                         [](const Layout::Item& a, const Layout::Item& b) { return a.position < b.position; });
        for (const auto& [key, alignment] : alignments_)
            layout.alignment = std::max(layout.alignment, alignment);
        layoutIndex_.emplace(layout.name, out_.layouts.size());
        out_.layouts.push_back(std::move(layout));
    }

    void readGroup(const A2lBlock& block) {
        Arguments args(block);
        Group group;
        group.name = args.word("a name");
        group.description = args.word("a description");
        while (args.more()) {
            const A2lItem& item = args.take();
            if (item.text == "ROOT") group.root = true;
            if (!item.block) continue;
            std::vector<std::string>* list = item.block->keyword == "REF_CHARACTERISTIC" ? &group.parameters
                                             : item.block->keyword == "REF_MEASUREMENT"  ? &group.measurements
                                             : item.block->keyword == "SUB_GROUP"        ? &group.subgroups
                                                                                         : nullptr;
            if (!list) continue;
            for (const A2lItem& name : item.block->items)
                list->push_back(name.text);
        }
        out_.groups.push_back(std::move(group));
    }

    void readFunction(const A2lBlock& block) {
        Arguments args(block);
        Function function;
        function.name = args.word("a name");
        function.description = args.word("a description");
        const std::map<std::string_view, std::vector<std::string>*> lists = {
            {"DEF_CHARACTERISTIC", &function.parameters},
            {"REF_CHARACTERISTIC", &function.parameters},
            {"IN_MEASUREMENT", &function.inputs},
            {"OUT_MEASUREMENT", &function.outputs},
            {"LOC_MEASUREMENT", &function.outputs}};
        while (args.more()) {
            const A2lItem& item = args.take();
            if (!item.block) continue;
            const auto list = lists.find(item.block->keyword);
            if (list == lists.end()) continue;
            for (const A2lItem& name : item.block->items)
                list->second->push_back(name.text);
        }
        out_.functions.push_back(std::move(function));
    }

    size_t conversionNamed(const std::string& name, int line) {
        const auto found = conversionIndex_.find(name);
        if (found == conversionIndex_.end()) throw BrokenBlock{line, "Conversion " + name + " is not defined."};
        return found->second;
    }

    size_t layoutNamed(const std::string& name, int line) {
        const auto found = layoutIndex_.find(name);
        if (found == layoutIndex_.end()) throw BrokenBlock{line, "Layout " + name + " is not defined."};
        return found->second;
    }

    Axis readAxis(const A2lBlock& block) {
        Arguments args(block);
        Axis axis;
        const std::string kind = args.word("an axis type");
        axis.input = args.word("an input quantity");
        axis.conversion = conversionNamed(args.word("a conversion"), block.line);
        axis.points = args.whole("the greatest number of breakpoints", 65535);
        axis.lower = args.number("a lower limit");
        axis.upper = args.number("an upper limit");
        axis.kind = kind == "COM_AXIS"   ? Axis::Kind::Shared
                    : kind == "FIX_AXIS" ? Axis::Kind::Fixed
                                         : Axis::Kind::Standard;
        if (kind != "COM_AXIS" && kind != "FIX_AXIS" && kind != "STD_AXIS")
            throw BrokenBlock{block.line, "Axis type " + kind + " is not one that Brusk reads yet."};
        while (args.more()) {
            const std::string key = args.peek().text;
            if (key == "AXIS_PTS_REF") {
                args.take();
                axis.shared = args.word("an axis' name");
            } else if (key == "FIX_AXIS_PAR_DIST") {
                args.take();
                const double offset = args.number("an offset");
                const double distance = args.number("a distance");
                const uint32_t count = args.whole("a count", 65535);
                for (uint32_t i = 0; i < count; ++i)
                    axis.fixed.push_back(offset + i * distance);
            } else if (key == "FORMAT") {
                args.take();
                args.word("a format");
            } else {
                passOver(args, block);
            }
        }
        if (axis.kind == Axis::Kind::Shared && axis.shared.empty())
            throw BrokenBlock{block.line, "A COM_AXIS names no AXIS_PTS_REF."};
        if (axis.kind == Axis::Kind::Fixed && axis.fixed.size() != axis.points)
            throw BrokenBlock{block.line, "A FIX_AXIS gives another number of breakpoints than it says."};
        return axis;
    }

    void readCharacteristic(const A2lBlock& block) {
        Arguments args(block);
        Parameter p;
        p.name = args.word("a name");
        p.description = args.word("a description");
        static const std::map<std::string_view, Parameter::Kind> kinds = {{"VALUE", Parameter::Kind::Value},
                                                                          {"CURVE", Parameter::Kind::Curve},
                                                                          {"MAP", Parameter::Kind::Map},
                                                                          {"VAL_BLK", Parameter::Kind::Block},
                                                                          {"ASCII", Parameter::Kind::Text}};
        const std::string kind = args.word("a kind");
        const auto known = kinds.find(kind);
        if (known == kinds.end())
            throw BrokenBlock{block.line, p.name + " is a " + kind + ", which Brusk does not read yet."};
        p.kind = known->second;
        p.address = args.whole("an address");
        p.layout = layoutNamed(args.word("a layout"), block.line);
        args.number("the greatest difference");
        p.conversion = conversionNamed(args.word("a conversion"), block.line);
        p.lower = args.number("a lower limit");
        p.upper = args.number("an upper limit");
        while (args.more()) {
            const A2lItem& item = args.peek();
            if (item.block && item.block->keyword == "AXIS_DESCR") {
                p.axes.push_back(readAxis(*args.take().block));
            } else if (!item.block && (item.text == "NUMBER" || item.text == "MATRIX_DIM")) {
                args.take();
                p.number = args.whole("a number", 1 << 24);
                while (item.text == "MATRIX_DIM" && args.more() && parseUnsigned(args.peek().text))
                    p.number *= std::max(1u, args.whole("a number", 65535));
            } else {
                readCommon(args, block, p);
            }
        }
        const size_t wanted = p.kind == Parameter::Kind::Map ? 2 : p.kind == Parameter::Kind::Curve ? 1 : 0;
        if (p.axes.size() != wanted)
            throw BrokenBlock{block.line,
                              p.name + " is a " + kind + " and has " + std::to_string(p.axes.size()) + " axes."};
        addParameter(std::move(p), block.line);
    }

    /// Keywords that parameters and measurements share.
    template <class T>
    void readCommon(Arguments& args, const A2lBlock& block, T& out) {
        const A2lItem& item = args.peek();
        if (item.block && item.block->keyword == "IF_DATA") {
            const std::string role = roleIn(*args.take().block);
            if (!role.empty()) out.role = role;
        } else if (item.text == "DISPLAY_IDENTIFIER" && !item.block) {
            args.take();
            out.label = args.word("a name");
            std::replace(out.label.begin(), out.label.end(), '_', ' ');
        } else if (item.text == "BIT_MASK" && !item.block) {
            args.take();
            out.bitMask = static_cast<uint64_t>(args.number("a mask"));
        } else if constexpr (std::is_same_v<T, Parameter>) {
            if (item.text == "FORMAT" && !item.block) {
                args.take();
                const int line = args.line();
                out.decimals = decimalsOf(args.word("a format"), line);
            } else if (item.text == "READ_ONLY" && !item.block) {
                args.take();
                out.readOnly = true;
            } else {
                passOver(args, block);
            }
        } else {
            passOver(args, block);
        }
    }

    void addParameter(Parameter p, int line) {
        if (p.label.empty()) p.label = p.name;
        if (!names_.insert(p.name).second) throw BrokenBlock{line, p.name + " is defined twice; the first is kept."};
        lineOfParameter_[p.name] = line;
        out_.parameters.push_back(std::move(p));
    }

    void readAxisPoints(const A2lBlock& block) {
        Arguments args(block);
        Parameter p;
        p.kind = Parameter::Kind::AxisPoints;
        p.name = args.word("a name");
        p.description = args.word("a description");
        p.address = args.whole("an address");
        p.input = args.word("an input quantity");
        p.layout = layoutNamed(args.word("a layout"), block.line);
        args.number("the greatest difference");
        p.conversion = conversionNamed(args.word("a conversion"), block.line);
        p.number = args.whole("the greatest number of breakpoints", 65535);
        p.lower = args.number("a lower limit");
        p.upper = args.number("an upper limit");
        while (args.more())
            readCommon(args, block, p);
        addParameter(std::move(p), block.line);
    }

    void readMeasurement(const A2lBlock& block) {
        Arguments args(block);
        Measurement m;
        m.name = args.word("a name");
        m.description = args.word("a description");
        m.type = dataTypeOf(args.take());
        m.conversion = conversionNamed(args.word("a conversion"), block.line);
        args.number("a resolution");
        args.number("an accuracy");
        m.lower = args.number("a lower limit");
        m.upper = args.number("an upper limit");
        bool placed = false;
        while (args.more()) {
            if (args.peek().text == "ECU_ADDRESS" && !args.peek().block) {
                args.take();
                m.address = args.whole("an address");
                placed = true;
            } else {
                readCommon(args, block, m);
            }
        }
        if (!placed) {
            warn(block.line, "Measurement " + m.name + " has no address and can't be sampled.");
            return;
        }
        if (m.label.empty()) m.label = m.name;
        if (!names_.insert(m.name).second)
            throw BrokenBlock{block.line, m.name + " is defined twice; the first is kept."};
        out_.measurements.push_back(std::move(m));
    }

    void resolveVerbalTables() {
        for (Conversion& conversion : out_.conversions) {
            const auto reference = tableOfConversion_.find(conversion.name);
            if (reference == tableOfConversion_.end()) continue;
            const auto table = verbalTables_.find(reference->second.first);
            if (table == verbalTables_.end()) {
                error(reference->second.second, "Conversion " + conversion.name + " names the table " +
                                                    reference->second.first + ", which is not defined.");
                continue;
            }
            conversion.texts = table->second.texts;
            conversion.defaultText = table->second.defaultText;
        }
    }

    /// A map whose shared axis is missing can't be read: it is left out, and said.
    void dropUnresolvable() {
        std::set<std::string> axisNames;
        for (const Parameter& p : out_.parameters)
            if (p.kind == Parameter::Kind::AxisPoints) axisNames.insert(p.name);
        std::erase_if(out_.parameters, [&](const Parameter& p) {
            for (const Axis& axis : p.axes)
                if (axis.kind == Axis::Kind::Shared && !axisNames.count(axis.shared)) {
                    error(lineOfParameter_[p.name],
                          p.name + " uses the axis " + axis.shared + ", which is not defined.");
                    return true;
                }
            return false;
        });
    }

    Definition out_;
    std::vector<Diagnostic> diagnostics_;
    std::map<std::string, size_t> conversionIndex_;
    std::map<std::string, size_t> layoutIndex_;
    std::map<std::string, int> alignments_;
    std::map<std::string, std::pair<std::string, int>> tableOfConversion_;
    std::map<std::string, Conversion> verbalTables_;
    std::map<std::string, int> lineOfParameter_;
    std::set<std::string> names_;
};

}  // namespace

Result<A2lContents> readA2l(std::string_view text) {
    std::vector<Diagnostic> diagnostics;
    const A2lBlock root = parseA2lTree(text, diagnostics);
    Reader reader(std::move(diagnostics));
    reader.readRoot(root);
    A2lContents contents = reader.finish();
    if (contents.definition.parameters.empty() && contents.definition.measurements.empty()) {
        std::string why = "There is no parameter and no measurement in this definition.";
        if (!contents.diagnostics.empty())
            why += " Line " + std::to_string(contents.diagnostics[0].line) + ": " + contents.diagnostics[0].message;
        else
            why += " Is it an A2L file?";
        return fail(ErrorCode::BadInput, why);
    }
    return contents;
}

}  // namespace brusk::definition
