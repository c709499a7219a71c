// What each keyword means, one small function a block.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lBlocks.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/definition/A2lTables.h"
#include "core/definition/A2lText.h"

namespace brusk::definition {

namespace {

std::string formatOf(int decimals) {
    return "\"%" + std::to_string(decimals + 6) + "." + std::to_string(decimals) + "\"";
}

const char* orderName(ByteOrder order) {
    return order == ByteOrder::BigEndian ? "MSB_FIRST" : "MSB_LAST";
}

std::string limits(double lower, double upper) {
    return exactNumber(lower) + " " + exactNumber(upper);
}

const char* kAxisSuffix[] = {"X", "Y", "Z", "4", "5"};

}  // namespace

std::string A2lBlocks::quoted(const std::string& plain) {
    auto between = quotedString(plain, latin1_);
    if (between) return *between;
    if (problem.empty()) problem = between.error().message;
    return "\"\"";
}

void A2lBlocks::line(int indent, const std::string& words) {
    text.append(static_cast<size_t>(indent) * 2, ' ');
    text += words;
    text += '\n';
}

void A2lBlocks::table(const Conversion& k) {
    const bool verbal = k.kind == Conversion::Kind::Verbal;
    const bool ranges = std::any_of(k.texts.begin(), k.texts.end(), [](const auto& t) { return t.low != t.high; });
    const std::string keyword = !verbal ? "COMPU_TAB" : ranges ? "COMPU_VTAB_RANGE" : "COMPU_VTAB";
    const size_t count = verbal ? k.texts.size() : k.points.size();
    line(2, "/begin " + keyword + " " + k.table + " \"\"" +
                (verbal                                ? (ranges ? "" : " TAB_VERB")
                 : k.kind == Conversion::Kind::Stepped ? " TAB_NOINTP"
                                                       : " TAB_INTP") +
                " " + std::to_string(count));
    for (const auto& t : k.texts)
        if (verbal) line(3, exactNumber(t.low) + " " + (ranges ? exactNumber(t.high) + " " : "") + quoted(t.text));
    for (const auto& point : k.points)
        if (!verbal) line(3, exactNumber(point.raw) + " " + exactNumber(point.physical));
    if (k.defaultValue) line(3, "DEFAULT_VALUE_NUMERIC " + exactNumber(*k.defaultValue));
    if (!k.defaultText.empty()) line(3, "DEFAULT_VALUE " + quoted(k.defaultText));
    line(2, "/end " + keyword);
}

void A2lBlocks::conversion(const Conversion& k) {
    using Kind = Conversion::Kind;
    static const char* const names[] = {"IDENTICAL",  "LINEAR",   "RAT_FUNC", "TAB_INTP",
                                        "TAB_NOINTP", "TAB_VERB", "FORM"};
    line(2, "/begin COMPU_METHOD " + k.name + " " + quoted(k.description) + " " + names[static_cast<int>(k.kind)] +
                " " + formatOf(k.decimals) + " " + quoted(k.unit));
    if (k.kind == Kind::Linear) line(3, "COEFFS_LINEAR " + limits(k.a, k.b));
    if (k.kind == Kind::Rational)
        line(3, "COEFFS " + limits(k.a, k.b) + " " + limits(k.c, k.d) + " " + limits(k.e, k.f));
    if (!k.table.empty()) line(3, "COMPU_TAB_REF " + k.table);
    if (k.kind == Kind::Formula)
        line(3, "/begin FORMULA " + quoted(k.formula) + (k.inverse.empty() ? "" : " FORMULA_INV " + quoted(k.inverse)) +
                    " /end FORMULA");
    line(2, "/end COMPU_METHOD");
    if (!k.table.empty()) table(k);
}

void A2lBlocks::layout(const Layout& l) {
    line(2, "/begin RECORD_LAYOUT " + l.name);
    // In the order of Layout::Field.
    static const char* const words[] = {"AXIS_PTS",   "NO_AXIS_PTS", "FNC_VALUES", "RESERVED", "AXIS_RESCALE",
                                        "NO_RESCALE", "OFFSET",      "SHIFT_OP",   "DIST_OP",  "SRC_ADDR"};
    bool uses[kDataTypes] = {};
    for (const Layout::Item& item : l.items) {
        using Field = Layout::Field;
        std::string entry = words[static_cast<size_t>(item.field)];
        if (item.field != Field::Values && item.field != Field::Reserved) (entry += '_') += kAxisSuffix[item.axis];
        (entry += ' ') += std::to_string(item.position);
        uses[static_cast<size_t>(item.type)] = true;
        if (item.field == Field::Reserved) {
            const size_t size = sizeOf(item.type);
            entry += size == 1 ? " BYTE" : size == 2 ? " WORD" : " LONG";
        } else {
            (entry += ' ') += dataTypeName(item.type);
        }
        if (item.field == Field::RescalePairs) (entry += ' ') += std::to_string(item.pairs);
        if (item.field == Field::Values) entry += l.columnsFirst ? " COLUMN_DIR DIRECT" : " ROW_DIR DIRECT";
        if (item.field == Field::AxisPoints || item.field == Field::RescalePairs)
            entry += item.falling ? " INDEX_DECR DIRECT" : " INDEX_INCR DIRECT";
        line(3, entry);
    }
    for (int i = 0; i < kMostAxes; ++i)
        if (l.fixedCounts[i])
            line(3, std::string("FIX_NO_AXIS_PTS_") + kAxisSuffix[i] + " " + std::to_string(l.fixedCounts[i]));
    if (l.staticPlaces) line(3, "STATIC_RECORD_LAYOUT");
    if (l.staticOffsets) line(3, "STATIC_ADDRESS_OFFSETS");
    // What the record uses is always written: the module it goes into may have other defaults.
    const Layout natural;
    for (const auto& [name, types] : alignmentKeywords()) {
        const auto at = static_cast<size_t>(types[0]);
        if (l.alignment[at] != natural.alignment[at] ||
            std::any_of(types.begin(), types.end(), [&](DataType t) { return uses[static_cast<size_t>(t)]; }))
            line(3, std::string(name) + " " + std::to_string(l.alignment[at]));
    }
    line(2, "/end RECORD_LAYOUT");
}

void A2lBlocks::axis(const Axis& a) {
    static const char* const names[] = {"STD_AXIS", "COM_AXIS", "FIX_AXIS", "RES_AXIS", "CURVE_AXIS"};
    line(3, std::string("/begin AXIS_DESCR ") + names[static_cast<int>(a.kind)] + " " + a.input + " " +
                d_.conversions[a.conversion].name + " " + std::to_string(a.points) + " " + limits(a.lower, a.upper));
    if (!a.shared.empty()) line(4, (a.kind == Axis::Kind::Lookup ? "CURVE_AXIS_REF " : "AXIS_PTS_REF ") + a.shared);
    if (!a.fixed.empty()) {
        std::string list = "/begin FIX_AXIS_PAR_LIST";
        for (const double v : a.fixed)
            list += " " + exactNumber(v);
        line(4, list + " /end FIX_AXIS_PAR_LIST");
    }
    line(4, a.differences ? "DEPOSIT DIFFERENCE" : "DEPOSIT ABSOLUTE");
    if (a.readOnly) line(4, "READ_ONLY");
    if (a.decimals) line(4, "FORMAT " + formatOf(*a.decimals));
    if (a.byteOrder) line(4, std::string("BYTE_ORDER ") + orderName(*a.byteOrder));
    if (!a.unit.empty()) line(4, "PHYS_UNIT " + quoted(a.unit));
    line(3, "/end AXIS_DESCR");
}

template <class T>
void A2lBlocks::common(const T& thing, ByteOrder defaultOrder) {
    if (!thing.label.empty()) {
        std::string label = thing.label;
        std::replace(label.begin(), label.end(), ' ', '_');
        line(3, "DISPLAY_IDENTIFIER " + label);
    }
    if (thing.bitMask) line(3, "BIT_MASK " + hexAddress(thing.bitMask));
    const ByteOrder order = thing.byteOrder.value_or(d_.byteOrder);
    if (thing.byteOrder || order != defaultOrder) line(3, std::string("BYTE_ORDER ") + orderName(order));
    if (thing.decimals) line(3, "FORMAT " + formatOf(*thing.decimals));
    if (!thing.unit.empty()) line(3, "PHYS_UNIT " + quoted(thing.unit));
    if (thing.remarks)
        for (const std::string& annotation : thing.remarks->annotations)
            line(3, "/begin ANNOTATION /begin ANNOTATION_TEXT " + quoted(annotation) +
                        " /end ANNOTATION_TEXT /end ANNOTATION");
    if (thing.remarks && !thing.remarks->symbol.empty()) line(3, "SYMBOL_LINK " + quoted(thing.remarks->symbol) + " 0");
    if (!thing.role.empty()) line(3, "/begin IF_DATA BRUSK ROLE " + quoted(thing.role) + " /end IF_DATA");
}

void A2lBlocks::parameter(const Parameter& p, ByteOrder defaultOrder) {
    const bool points = p.kind == Parameter::Kind::AxisPoints;
    const std::string keyword = points ? "AXIS_PTS" : "CHARACTERISTIC";
    static const char* const kinds[] = {"VALUE", "CURVE", "MAP", "VAL_BLK", "ASCII", "", "CUBOID"};
    std::string kind = kinds[static_cast<int>(p.kind)];
    if (p.axes.size() > 3) kind = p.axes.size() == 4 ? "CUBE_4" : "CUBE_5";
    const std::string tail = " 0 " + d_.conversions[p.conversion].name;
    line(2, "/begin " + keyword + " " + p.name + " " + quoted(p.description));
    if (points)
        line(3, hexAddress(p.address) + " " + p.input + " " + d_.layouts[p.layout].name + tail + " " +
                    std::to_string(p.number) + " " + limits(p.lower, p.upper));
    else
        line(3, kind + " " + hexAddress(p.address) + " " + d_.layouts[p.layout].name + tail + " " +
                    limits(p.lower, p.upper));
    for (const Axis& a : p.axes)
        axis(a);
    if (p.kind == Parameter::Kind::Text) line(3, "NUMBER " + std::to_string(p.number));
    if (p.kind == Parameter::Kind::Block)
        line(3, p.rowLength
                    ? "MATRIX_DIM " + std::to_string(p.rowLength) + " " + std::to_string(p.number / p.rowLength) + " 1"
                    : "NUMBER " + std::to_string(p.number));
    if (points && p.differences) line(3, "DEPOSIT DIFFERENCE");
    if (p.readOnly) line(3, "READ_ONLY");
    if (p.extendedLimits) line(3, "EXTENDED_LIMITS " + limits(p.extendedLimits->first, p.extendedLimits->second));
    if (p.stepSize != 0) line(3, "STEP_SIZE " + exactNumber(p.stepSize));
    if (p.remarks && !p.remarks->dependsOn.empty()) {
        const size_t comma = p.remarks->dependsOn.find(", ");
        std::string names = comma == std::string::npos ? "" : p.remarks->dependsOn.substr(comma);
        std::replace(names.begin(), names.end(), ',', ' ');
        const std::string word = p.computed ? "VIRTUAL_CHARACTERISTIC" : "DEPENDENT_CHARACTERISTIC";
        line(3, "/begin " + word + " " + quoted(p.remarks->dependsOn.substr(0, comma)) + names + " /end " + word);
    }
    common(p, defaultOrder);
    line(2, "/end " + keyword);
}

void A2lBlocks::measurement(const Measurement& m, ByteOrder defaultOrder) {
    line(2, "/begin MEASUREMENT " + m.name + " " + quoted(m.description));
    line(3, std::string(dataTypeName(m.type)) + " " + d_.conversions[m.conversion].name + " 0 0 " +
                limits(m.lower, m.upper));
    line(3, "ECU_ADDRESS " + hexAddress(m.address));
    if (m.elements > 1) line(3, "ARRAY_SIZE " + std::to_string(m.elements));
    if (m.shift != 0 || m.signExtend)
        line(3,
             "/begin BIT_OPERATION" +
                 (m.shift ? (m.shift > 0 ? " LEFT_SHIFT " : " RIGHT_SHIFT ") + std::to_string(std::abs(m.shift)) : "") +
                 (m.signExtend ? " SIGN_EXTEND" : "") + " /end BIT_OPERATION");
    common(m, defaultOrder);
    line(2, "/end MEASUREMENT");
}

void A2lBlocks::names(const char* keyword, const std::vector<std::string>& list) {
    if (list.empty()) return;
    line(3, std::string("/begin ") + keyword);
    for (const std::string& name : list)
        line(4, name);
    line(3, std::string("/end ") + keyword);
}

void A2lBlocks::group(const Group& g) {
    line(2, "/begin GROUP " + g.name + " " + quoted(g.description) + (g.root ? " ROOT" : ""));
    names("REF_CHARACTERISTIC", g.parameters);
    names("REF_MEASUREMENT", g.measurements);
    names("SUB_GROUP", g.subgroups);
    line(2, "/end GROUP");
}

void A2lBlocks::function(const Function& f) {
    line(2, "/begin FUNCTION " + f.name + " " + quoted(f.description));
    names("DEF_CHARACTERISTIC", f.parameters);
    names("IN_MEASUREMENT", f.inputs);
    names("OUT_MEASUREMENT", f.outputs);
    names("SUB_FUNCTION", f.subfunctions);
    line(2, "/end FUNCTION");
}

}  // namespace brusk::definition
