// From tokens to the model in one pass. Positions of arguments: ASAM MCD-2 MC 1.6 and 1.7, chapter "ASAP2 keywords".
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lReader.h"

#include <cmath>
#include <numeric>

#include "core/base/Memory.h"
#include "core/base/Text.h"
#include "core/definition/A2lTables.h"

namespace brusk::definition {
namespace {

using TokenKind = A2lToken::Kind;

/// What a parameter or measurement is described with, by name; it may stand further down.
struct Wanted {
    std::string_view conversion;
    std::string_view layout;  ///< empty for a measurement, which has none
    std::vector<std::string_view> axisConversions;
    size_t offset = 0;   ///< where the parameter or measurement begins
    uint32_t thing = 0;  ///< which it is: the parameter's number or the measurement's
};

class Reader {
  public:
    Reader(SourceText& source, std::vector<Diagnostic>& diagnostics)
        : source_(source), in_(source, diagnostics), tables_(in_, out_) {
        names_.reserve(source.text.size() / 512);
    }

    void readRoot() {
        while (in_.more()) {
            if (in_.peek().kind == TokenKind::Begin && in_.peek().text == "PROJECT")
                guarded(&Reader::readProject);
            else if (in_.peek().kind == TokenKind::Begin && in_.peek().text == "MODULE")
                guarded(&Reader::readModule);
            else
                in_.skip();
        }
    }

    bool metInclude() const { return in_.metInclude(); }

    Definition finish() {
        tables_.finish();
        const bool parameters = resolveLate(out_.parameters, wantedByParameters_);
        const bool measurements = resolveLate(out_.measurements, wantedByMeasurements_);
        // What was read stands where its name was noted, unless something had to be taken out again.
        out_.index(parameters && measurements ? std::move(names_) : NameIndex());
        // Their numbers are others then, too: all are looked at.
        if (!parameters) sharing_.resize(out_.parameters.size()), std::iota(sharing_.begin(), sharing_.end(), 0);
        if (!dropParametersWithoutAxis()) out_.index();
        return std::move(out_);
    }

  private:
    using Step = void (Reader::*)();

    /// Enters the block at hand and reads it; if it is broken, passes over the rest of it.
    void guarded(Step step) {
        const size_t depth = in_.depth();
        try {
            in_.enter();
            (this->*step)();
        } catch (const BrokenBlock& broken) {
            in_.error(broken.offset, broken.message);
            // What was begun and could not be finished.
            out_.parameters.resize(wholeParameters_);
            out_.measurements.resize(wholeMeasurements_);
        }
        in_.leaveTo(depth);
    }

    void readProject() {
        out_.project = in_.string("a name");
        while (in_.more()) {
            if (in_.peek().kind == TokenKind::Begin && in_.peek().text == "MODULE")
                guarded(&Reader::readModule);
            else
                in_.skip();
        }
    }

    void readModule() {
        // Room for as many as a text of this length mostly has; what is not used costs no memory, moving would.
        constexpr size_t kUsual_bytes = 600;
        const size_t usual = in_.textSize() / kUsual_bytes;
        out_.parameters.reserve(out_.parameters.size() + usual);
        out_.measurements.reserve(out_.measurements.size() + usual);
        askForLargePages(out_.parameters.data(), out_.parameters.capacity() * sizeof(Parameter));
        askForLargePages(out_.measurements.data(), out_.measurements.capacity() * sizeof(Measurement));
        out_.module = in_.string("a name");
        out_.description = in_.string("a description");
        static const std::map<std::string_view, Step> steps = {{"MOD_PAR", &Reader::readModPar},
                                                               {"GROUP", &Reader::readGroup},
                                                               {"FUNCTION", &Reader::readFunction},
                                                               {"AXIS_PTS", &Reader::readAxisPoints}};
        static const std::map<std::string_view, int> carried = {{"A2ML", 0},
                                                                {"IF_DATA", 0},
                                                                {"FRAME", 0},
                                                                {"USER_RIGHTS", 0},
                                                                {"VARIANT_CODING", 0},
                                                                {"ANNOTATION", 0},
                                                                {"BLOB", 0},
                                                                {"INSTANCE", 0},
                                                                {"TRANSFORMER", 0},
                                                                {"TYPEDEF_AXIS", 0},
                                                                {"TYPEDEF_BLOB", 0},
                                                                {"TYPEDEF_CHARACTERISTIC", 0},
                                                                {"TYPEDEF_MEASUREMENT", 0},
                                                                {"TYPEDEF_STRUCTURE", 0}};
        while (in_.more()) {
            const A2lToken token = in_.peek();
            // Nearly all blocks are one of these two.
            if (token.kind == TokenKind::Begin && token.text == "MEASUREMENT") {
                guarded(&Reader::readMeasurement);
            } else if (token.kind == TokenKind::Begin && token.text == "CHARACTERISTIC") {
                guarded(&Reader::readCharacteristic);
            } else if (token.kind != TokenKind::Begin || carried.count(token.text)) {
                in_.skip();
            } else if (const auto step = steps.find(token.text); step != steps.end()) {
                guarded(step->second);
            } else {
                guarded(&Reader::readTable);
            }
        }
        source_.moduleEnd = endOfModule();
    }

    /// Where the "/end MODULE" that was just passed begins.
    size_t endOfModule() const {
        const size_t at = source_.text.rfind("/end", in_.lastEnd());
        return at == std::string::npos || !in_.lastEnd() ? 0 : at;
    }

    void readTable() {
        const size_t begin = in_.blockBegin();
        const std::string keyword(in_.keyword());
        if (!tables_.read(keyword)) in_.warn(begin, nameForMessage(keyword) + " is not known and left alone.");
    }

    void readModPar() {
        in_.string("a comment");
        while (in_.more()) {
            const A2lToken token = in_.peek();
            if (token.kind == TokenKind::Begin && token.text == "MEMORY_SEGMENT") {
                guarded(&Reader::readMemorySegment);
            } else if (token.text == "EPK" && token.kind == TokenKind::Word) {
                in_.advance();
                out_.softwareId = in_.string("the software's text");
            } else if (token.text == "ADDR_EPK" && token.kind == TokenKind::Word) {
                in_.advance();
                out_.softwareIdAddress = in_.whole("an address");
            } else if (token.text == "SYSTEM_CONSTANT" && token.kind == TokenKind::Word) {
                in_.advance();
                std::string name = in_.string("a name");
                out_.constants.emplace_back(std::move(name), in_.string("a value"));
            } else if (token.kind == TokenKind::Begin && token.text == "MEMORY_LAYOUT") {
                in_.skip();
            } else {
                passOver(in_);
            }
        }
    }

    void readMemorySegment() {
        MemorySegment segment;
        segment.name = in_.string("a name");
        segment.description = in_.string("a description");
        segment.program = in_.word("a program type");
        segment.memory = in_.word("a memory type");
        in_.word("an attribute");
        segment.address = in_.whole("an address");
        segment.size = in_.whole("a size");
        while (in_.more())
            in_.skip();  // five offsets and what a program of its own keeps here
        out_.memory.push_back(std::move(segment));
    }

    void readNames(std::vector<std::string>& names) {
        in_.enter();
        while (in_.more()) {
            if (in_.peek().kind == TokenKind::Begin)
                in_.skip();
            else
                names.push_back(in_.string("a name"));
        }
    }

    void readGroup() {
        Group group;
        const size_t begin = in_.blockBegin();
        group.name = in_.string("a name");
        group.description = in_.string("a description");
        while (in_.more()) {
            const A2lToken token = in_.peek();
            std::vector<std::string>* list = token.kind != TokenKind::Begin       ? nullptr
                                             : token.text == "REF_CHARACTERISTIC" ? &group.parameters
                                             : token.text == "REF_MEASUREMENT"    ? &group.measurements
                                             : token.text == "SUB_GROUP"          ? &group.subgroups
                                                                                  : nullptr;
            if (token.text == "ROOT") group.root = true;
            list ? readNames(*list) : passOver(in_);
        }
        group.span = {begin, in_.lastEnd()};
        out_.groups.push_back(std::move(group));
    }

    void readFunction() {
        Function function;
        const size_t begin = in_.blockBegin();
        function.name = in_.string("a name");
        function.description = in_.string("a description");
        const auto listOf = [&](A2lWord key) -> std::vector<std::string>* {
            if (key == "DEF_CHARACTERISTIC" || key == "REF_CHARACTERISTIC") return &function.parameters;
            if (key == "IN_MEASUREMENT") return &function.inputs;
            if (key == "OUT_MEASUREMENT" || key == "LOC_MEASUREMENT") return &function.outputs;
            return key == "SUB_FUNCTION" ? &function.subfunctions : nullptr;
        };
        while (in_.more()) {
            const A2lToken token = in_.peek();
            auto* list = token.kind == TokenKind::Begin ? listOf(token.text) : nullptr;
            list ? readNames(*list) : passOver(in_);
        }
        function.span = {begin, in_.lastEnd()};
        out_.functions.push_back(std::move(function));
    }

    // --- parameters and measurements

    void readFixedAxis(Axis& axis, A2lWord key) {
        const double first = in_.number("an offset");
        const double second = in_.number(key == "FIX_AXIS_PAR" ? "a shift" : "a distance");
        const uint32_t count = in_.whole("a count", 65535);
        const double step = key == "FIX_AXIS_PAR" ? std::exp2(std::min(second, 60.0)) : second;
        axis.fixed.clear();
        for (uint32_t i = 0; i < count; ++i)
            axis.fixed.push_back(first + i * step);
    }

    void readFixedList(Axis& axis) {
        in_.enter();
        axis.fixed.clear();
        while (in_.more()) {
            if (axis.fixed.size() > 65535)
                in_.broken(in_.peek().begin, "A FIX_AXIS_PAR_LIST has more than 65535 values.");
            axis.fixed.push_back(in_.number("a breakpoint"));
        }
    }

    void readAxis(Parameter& p) {
        static const std::map<std::string_view, Axis::Kind> kinds = {{"STD_AXIS", Axis::Kind::Standard},
                                                                     {"COM_AXIS", Axis::Kind::Shared},
                                                                     {"FIX_AXIS", Axis::Kind::Fixed},
                                                                     {"RES_AXIS", Axis::Kind::Rescaled},
                                                                     {"CURVE_AXIS", Axis::Kind::Lookup}};
        in_.enter();
        const size_t begin = in_.blockBegin();
        Axis& axis = p.axes.emplace_back();  // one that turns out broken costs its parameter
        const size_t kindAt = in_.peek().begin;
        const A2lWord kindWord = in_.word("an axis type");
        const auto kind = kinds.find(kindWord);
        if (kind == kinds.end()) in_.broken(kindAt, "Axis type " + nameForMessage(kindWord) + " is not known.");
        axis.kind = kind->second;
        axis.input = in_.word("an input quantity");
        wanted_.axisConversions.push_back(in_.word("a conversion"));
        axis.points = in_.whole("the greatest number of breakpoints", 65535);
        axis.lower = in_.number("a lower limit");
        axis.upper = in_.number("an upper limit");
        axis.differences = tables_.differences();
        while (in_.more())
            readAxisOption(axis);
        if (axis.kind == Axis::Kind::Fixed && axis.fixed.size() != axis.points && !axis.fixed.empty()) {
            in_.broken(begin, "A FIX_AXIS gives " + std::to_string(axis.fixed.size()) + " breakpoints and says " +
                                  std::to_string(axis.points) + ".");
        }
        if ((axis.kind == Axis::Kind::Shared || axis.kind == Axis::Kind::Rescaled || axis.kind == Axis::Kind::Lookup) &&
            axis.shared.empty())
            in_.broken(begin, "A " + std::string(kindWord) + " names no " +
                                  (axis.kind == Axis::Kind::Lookup ? "CURVE_AXIS_REF." : "AXIS_PTS_REF."));
    }

    void readAxisOption(Axis& axis) {
        const A2lToken token = in_.peek();
        if (token.kind == TokenKind::Begin && token.text == "FIX_AXIS_PAR_LIST") return readFixedList(axis);
        if (token.kind != TokenKind::Word) return passOver(in_);
        const A2lWord key = token.text;
        if (key == "AXIS_PTS_REF" || key == "CURVE_AXIS_REF") {
            in_.advance();
            axis.shared = in_.word("the name of an axis or curve");
        } else if (key == "FIX_AXIS_PAR" || key == "FIX_AXIS_PAR_DIST") {
            in_.advance();
            readFixedAxis(axis, key);
        } else if (key == "DEPOSIT") {
            in_.advance();
            axis.differences = in_.word("a deposit") == "DIFFERENCE";
        } else if (key == "READ_ONLY") {
            in_.advance();
            axis.readOnly = true;
        } else if (!readFormatOrUnit(key, axis)) {
            passOver(in_);
        }
    }

    /// FORMAT, PHYS_UNIT and BYTE_ORDER, which axes, parameters and measurements share.
    template <class T>
    bool readFormatOrUnit(A2lWord key, T& out) {
        if (key == "FORMAT") {
            in_.advance();
            out.decimals = decimalsOf(in_.string("a format"));
        } else if (key == "PHYS_UNIT") {
            in_.advance();
            out.unit = in_.string("a unit");
        } else if (key == "BYTE_ORDER") {
            in_.advance();
            out.byteOrder = readByteOrder(in_);
        } else {
            return false;
        }
        return true;
    }

    // The newest parameter or measurement is filled in where it stands: its address holds until the next is begun.

    template <class T>
    Remarks& remarksOf(T& out) {
        if (!out.remarks) out.remarks = std::make_shared<Remarks>();
        return const_cast<Remarks&>(*out.remarks);  // made here, and shared with nobody yet
    }

    template <class T>
    void readAnnotation(T& out) {
        in_.enter();
        std::string text;
        const auto add = [&](const std::string& part) {
            if (part.empty()) return;
            if (!text.empty()) text += "\n";
            text += part;
        };
        while (in_.more()) {
            if (in_.peek().kind == TokenKind::Begin) {
                in_.enter();  // ANNOTATION_TEXT: strings, a line each
                while (in_.more())
                    in_.peek().kind == TokenKind::String ? add(in_.string("a text")) : in_.skip();
            } else if (in_.peek().kind == TokenKind::String) {
                add(in_.string("a text"));
            } else {
                in_.advance();  // ANNOTATION_LABEL, ANNOTATION_ORIGIN
            }
        }
        if (!text.empty()) remarksOf(out).annotations.push_back(text);
    }

    /// A formula of other objects: DEPENDENT_CHARACTERISTIC, VIRTUAL_CHARACTERISTIC, VIRTUAL.
    template <class T>
    void readDependence(T& out) {
        std::vector<std::string> parts;
        readNames(parts);
        std::string text;
        for (const std::string& part : parts)
            text += (text.empty() ? "" : ", ") + part;
        remarksOf(out).dependsOn = text;
    }

    /// The role that an IF_DATA of our own gives: /begin IF_DATA BRUSK ROLE "ve_map" /end IF_DATA
    template <class T>
    void readIfData(T& out) {
        const size_t depth = in_.depth();
        in_.enter();
        if (in_.peek().text == "BRUSK") {
            in_.advance();
            if (in_.peek().text == "ROLE") {
                in_.advance();
                out.role = in_.string("a role");
            }
        }
        in_.leaveTo(depth);
    }

    /// Blocks that parameters and measurements share.
    template <class T>
    bool readSharedBlock(A2lWord key, T& out) {
        if (key == "IF_DATA") {
            readIfData(out);
        } else if (key == "ANNOTATION") {
            readAnnotation(out);
        } else if (key == "DEPENDENT_CHARACTERISTIC" || key == "VIRTUAL_CHARACTERISTIC" || key == "VIRTUAL") {
            readDependence(out);
        } else {
            return false;
        }
        return true;
    }

    template <class T>
    bool readSharedWord(A2lWord key, T& out) {
        if (key == "DISPLAY_IDENTIFIER") {
            in_.advance();
            out.label = in_.word("a name");
            std::replace(out.label.begin(), out.label.end(), '_', ' ');
        } else if (key == "BIT_MASK") {
            in_.advance();
            readMask(out.bitMask);
        } else if (key == "SYMBOL_LINK") {
            in_.advance();
            remarksOf(out).symbol = in_.string("a symbol");
            in_.number("an offset");
        } else {
            return readFormatOrUnit(key, out);
        }
        return true;
    }

    /// 64 bits do not fit a double: a mask is read as the whole number it is.
    void readMask(uint64_t& mask) {
        const A2lToken token = in_.peek();
        const auto value = parseUnsigned(token.text);
        if (!value) in_.expected("a mask");
        in_.advance();
        mask = *value;
    }

    /// The product of MATRIX_DIM's numbers; the first is the length of a row.
    uint32_t readDimensions(uint32_t& rowLength) {
        uint64_t product = 1;
        int dimensions = 0;
        uint32_t first = 1;
        bool several = false;
        for (; in_.peekIsNumber() && dimensions < 8; ++dimensions) {
            const uint32_t n = std::max(1u, in_.whole("a dimension", 1 << 24));
            if (dimensions == 0) first = n;
            if (dimensions > 0 && n > 1) several = true;
            product = std::min<uint64_t>(product * n, uint64_t{1} << 32);
        }
        if (product > 1 << 24) in_.broken(in_.peek().begin, "MATRIX_DIM asks for more than 16 million elements.");
        rowLength = several ? first : 0;
        return static_cast<uint32_t>(product);
    }

    void readParameterOption(Parameter& p) {
        const A2lToken token = in_.peek();
        const A2lWord key = token.text;
        if (token.kind == TokenKind::Begin) {
            if (key == "AXIS_DESCR") return readAxis(p);
            p.computed |= key == "VIRTUAL_CHARACTERISTIC";
            return readSharedBlock(key, p) ? void() : passOver(in_);
        }
        if (token.kind != TokenKind::Word) return passOver(in_);
        if (key == "NUMBER") {
            in_.advance();
            p.number = in_.whole("a number", 1 << 24);
        } else if (key == "MATRIX_DIM") {
            in_.advance();
            p.number = readDimensions(p.rowLength);
        } else if (key == "READ_ONLY") {
            in_.advance();
            p.readOnly = true;
        } else if (key == "CALIBRATION_ACCESS") {
            in_.advance();
            const A2lWord access = in_.word("an access");
            p.readOnly |= access == "NO_CALIBRATION" || access == "NOT_IN_MCD_SYSTEM";
        } else if (key == "EXTENDED_LIMITS") {
            in_.advance();
            const double low = in_.number("a lower limit");
            p.extendedLimits = {low, in_.number("an upper limit")};
        } else if (key == "STEP_SIZE") {
            in_.advance();
            p.stepSize = in_.number("a step");
        } else if (key == "DEPOSIT" && p.kind == Parameter::Kind::AxisPoints) {
            in_.advance();
            p.differences = in_.word("a deposit") == "DIFFERENCE";
        } else if (!readSharedWord(key, p)) {
            passOver(in_);
        }
    }

    void readCharacteristic() {
        static const std::map<std::string_view, std::pair<Parameter::Kind, size_t>> kinds = {
            {"VALUE", {Parameter::Kind::Value, 0}},   {"CURVE", {Parameter::Kind::Curve, 1}},
            {"MAP", {Parameter::Kind::Map, 2}},       {"VAL_BLK", {Parameter::Kind::Block, 0}},
            {"ASCII", {Parameter::Kind::Text, 0}},    {"CUBOID", {Parameter::Kind::Cuboid, 3}},
            {"CUBE_4", {Parameter::Kind::Cuboid, 4}}, {"CUBE_5", {Parameter::Kind::Cuboid, 5}}};
        beginObject();
        Parameter& p = out_.parameters.emplace_back();
        p.name = readNameOfThing();
        p.description = in_.string("a description");
        const A2lWord kindWord = in_.word("a kind");
        const auto kind = kinds.find(kindWord);
        if (kind == kinds.end())
            in_.broken(wanted_.offset, p.name + " is a " + nameForMessage(kindWord) + ", which Brusk does not know.");
        p.kind = kind->second.first;
        p.address = in_.whole("an address");
        wanted_.layout = in_.word("a layout");
        in_.number("the greatest difference");
        wanted_.conversion = in_.word("a conversion");
        p.lower = in_.number("a lower limit");
        p.upper = in_.number("an upper limit");
        p.axes.reserve(kind->second.second);
        while (in_.more())
            readParameterOption(p);
        if (p.axes.size() != kind->second.second)
            in_.broken(wanted_.offset, p.name + " is a " + std::string(kindWord) + " and has " +
                                           std::to_string(p.axes.size()) + " axes.");
        finishParameter(p);
    }

    void readAxisPoints() {
        beginObject();
        Parameter& p = out_.parameters.emplace_back();
        p.kind = Parameter::Kind::AxisPoints;
        p.name = readNameOfThing();
        p.description = in_.string("a description");
        p.address = in_.whole("an address");
        p.input = in_.word("an input quantity");
        wanted_.layout = in_.word("a layout");
        in_.number("the greatest difference");
        wanted_.conversion = in_.word("a conversion");
        p.number = in_.whole("the greatest number of breakpoints", 65535);
        p.lower = in_.number("a lower limit");
        p.upper = in_.number("an upper limit");
        p.differences = tables_.differences();
        while (in_.more())
            readParameterOption(p);
        finishParameter(p);
    }

    void beginObject() {
        wanted_.conversion = wanted_.layout = {};
        wanted_.axisConversions.clear();
        wanted_.offset = in_.blockBegin();
    }

    std::string readNameOfThing() {
        std::string name = in_.string("a name");
        names_.prefetch(name);
        return name;
    }

    /// Whether the newest parameter or measurement has a name of its own.
    bool nameIsNew(uint32_t thing) {
        return names_.add(thing, [this](uint32_t i) { return out_.nameOf(i); });
    }

    void finishParameter(Parameter& p) {
        p.span = {wanted_.offset, in_.lastEnd()};
        wanted_.thing = wholeParameters_;
        if (!nameIsNew(wanted_.thing << 1))
            in_.broken(wanted_.offset, p.name + " is defined twice; the first is kept.");
        if (!resolve(p, wanted_)) wantedByParameters_.push_back(wanted_);
        if (std::any_of(p.axes.begin(), p.axes.end(), [](const Axis& axis) { return !axis.shared.empty(); }))
            sharing_.push_back(wanted_.thing);
        ++wholeParameters_;
    }

    void readMeasurement() {
        beginObject();
        Measurement& m = out_.measurements.emplace_back();
        m.name = readNameOfThing();
        m.description = in_.string("a description");
        m.type = readDataType(in_);
        wanted_.conversion = in_.word("a conversion");
        in_.number("a resolution");
        in_.number("an accuracy");
        m.lower = in_.number("a lower limit");
        m.upper = in_.number("an upper limit");
        bool placed = false;
        while (in_.more())
            placed |= readMeasurementOption(m);
        if (!placed) {
            in_.warn(wanted_.offset, "Measurement " + m.name + " has no address and can't be sampled.");
            out_.measurements.pop_back();
            return;
        }
        m.span = {wanted_.offset, in_.lastEnd()};
        wanted_.thing = wholeMeasurements_;
        if (!nameIsNew(wanted_.thing << 1 | 1))
            in_.broken(wanted_.offset, m.name + " is defined twice; the first is kept.");
        if (!resolve(m, wanted_)) wantedByMeasurements_.push_back(wanted_);
        ++wholeMeasurements_;
    }

    /// Whether it was the address.
    bool readMeasurementOption(Measurement& m) {
        const A2lToken token = in_.peek();
        const A2lWord key = token.text;
        if (token.kind == TokenKind::Begin) {
            if (key == "BIT_OPERATION")
                readBitOperation(m);
            else if (!readSharedBlock(key, m))
                passOver(in_);
            return false;
        }
        if (token.kind != TokenKind::Word) {
            passOver(in_);
            return false;
        }
        if (key == "ECU_ADDRESS") {
            in_.advance();
            m.address = in_.whole("an address");
            return true;
        }
        if (key == "ARRAY_SIZE") {
            in_.advance();
            m.elements = in_.whole("a number", 1 << 24);
        } else if (key == "MATRIX_DIM") {
            in_.advance();
            uint32_t rowLength = 0;
            m.elements = readDimensions(rowLength);
        } else if (!readSharedWord(key, m)) {
            passOver(in_);
        }
        return false;
    }

    void readBitOperation(Measurement& m) {
        in_.enter();
        while (in_.more()) {
            const A2lWord key = in_.peek().text;
            if (key == "LEFT_SHIFT" || key == "RIGHT_SHIFT") {
                in_.advance();
                const auto bits = static_cast<int>(in_.whole("a number of bits", 63));
                m.shift = key == "LEFT_SHIFT" ? bits : -bits;
            } else if (key == "SIGN_EXTEND") {
                in_.advance();
                m.signExtend = true;
            } else {
                passOver(in_);
            }
        }
    }

    // --- what may stand further down

    /// Whether it is there, by now.
    bool findConversion(std::string_view name, size_t& conversion) {
        if (name != lastConversionName_) {
            const uint32_t found = tables_.conversion(name);
            if (found == NameIndex::kNone) return false;
            lastConversionName_ = name;
            lastConversion_ = found;
        }
        conversion = lastConversion_;
        return true;
    }

    /// Whether all that it is described with was found.
    bool resolve(Measurement& m, const Wanted& wanted) { return findConversion(wanted.conversion, m.conversion); }
    bool resolve(Parameter& p, const Wanted& wanted) {
        bool found = findConversion(wanted.conversion, p.conversion);
        for (size_t i = 0; i < p.axes.size() && found; ++i)
            found = findConversion(wanted.axisConversions[i], p.axes[i].conversion);
        const uint32_t layout = tables_.layout(wanted.layout);
        p.layout = layout;
        return found && layout != NameIndex::kNone;
    }

    /// The first thing that resolve() did not find.
    std::string missing(const Wanted& wanted) const {
        const auto unknown = [this](std::string_view name) { return tables_.conversion(name) == NameIndex::kNone; };
        if (unknown(wanted.conversion)) return "conversion " + nameForMessage(wanted.conversion);
        for (const std::string_view name : wanted.axisConversions)
            if (unknown(name)) return "conversion " + nameForMessage(name);
        return "layout " + nameForMessage(wanted.layout);
    }

    /// Looks up what was not there yet when it was asked for; what is nowhere costs who asked for it. Whether all is
    /// left.
    template <class T>
    bool resolveLate(std::vector<T>& things, const std::vector<Wanted>& late) {
        std::vector<size_t> lost;
        for (const Wanted& wanted : late) {
            T& thing = things[wanted.thing];
            if (resolve(thing, wanted)) continue;
            in_.error(wanted.offset, thing.name + ": " + missing(wanted) + " is not defined.");
            lost.push_back(wanted.thing);
        }
        return remove(things, lost);
    }

    /// Whether there was nothing to take out.
    template <class T>
    static bool remove(std::vector<T>& things, const std::vector<size_t>& lost) {
        if (lost.empty()) return true;
        size_t next = 0, kept = 0;
        for (size_t i = 0; i < things.size(); ++i) {
            if (next < lost.size() && lost[next] == i)
                ++next;
            else if (kept != i)
                things[kept++] = std::move(things[i]);
            else
                ++kept;
        }
        things.resize(kept);
        return false;
    }

    /// A map whose shared axis is missing can't be read: it is left out, and said. Whether all are left.
    bool dropParametersWithoutAxis() {
        const auto missing = [this](const Axis& axis) {
            if (axis.shared.empty()) return false;
            const Parameter* source = out_.parameter(axis.shared);
            return !source || source->kind != (axis.kind == Axis::Kind::Lookup ? Parameter::Kind::Curve
                                                                               : Parameter::Kind::AxisPoints);
        };
        std::vector<size_t> lost;
        for (const uint32_t i : sharing_) {
            const Parameter& p = out_.parameters[i];
            const auto axis = std::find_if(p.axes.begin(), p.axes.end(), missing);
            if (axis == p.axes.end()) continue;
            in_.error(p.span.begin,
                      p.name + " uses the axis " + nameForMessage(axis->shared) + ", which is not defined.");
            lost.push_back(i);
        }
        return remove(out_.parameters, lost);
    }

    SourceText& source_;
    Definition out_;
    A2lStream in_;
    A2lTables tables_;
    NameIndex names_;  // of parameters (even) and measurements (odd) together
    // Read whole, with a name of their own; what was begun behind them is taken back when it turns out broken.
    uint32_t wholeParameters_ = 0, wholeMeasurements_ = 0;
    Wanted wanted_;  // of the one that is being read
    std::vector<Wanted> wantedByParameters_, wantedByMeasurements_;
    std::vector<uint32_t> sharing_;  // parameters whose axes stand elsewhere
    std::string_view lastConversionName_;
    size_t lastConversion_ = 0;
};

}  // namespace

Result<A2lContents> readA2l(std::string text, const IncludeReader& include) {
    A2lContents contents;
    auto source = std::make_shared<SourceText>(makeSourceText(std::move(text)));
    // Includes are rare: only where one was met is the text put together and read again.
    for (bool again = true; again;) {
        Reader reader(*source, contents.diagnostics);
        reader.readRoot();
        again = reader.metInclude();
        if (again) {
            contents.diagnostics.clear();
            source = std::make_shared<SourceText>(withIncludes(*source, include, contents.diagnostics));
        } else {
            contents.definition = reader.finish();
        }
    }
    contents.definition.source = source;
    std::stable_sort(contents.diagnostics.begin(), contents.diagnostics.end(),
                     [](const Diagnostic& a, const Diagnostic& b) { return a.line < b.line; });
    if (!contents.definition.parameters.empty() || !contents.definition.measurements.empty()) return contents;
    std::string why = "There is no parameter and no measurement in this definition.";
    if (contents.diagnostics.empty())
        why += " Is it an A2L file?";
    else
        why += " Line " + std::to_string(contents.diagnostics[0].line) + ": " + contents.diagnostics[0].message;
    return fail(ErrorCode::BadInput, why);
}

}  // namespace brusk::definition
