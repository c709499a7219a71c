// Elements and their order: ASAM AE CDF 2.0, MSRSW with SW-INSTANCE-SPEC.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Cdf.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <pugixml.hpp>
#include <sstream>

#include "core/base/Text.h"

namespace brusk::calibration {

using definition::Axis;
using definition::Diagnostic;
using definition::Parameter;

namespace {

constexpr size_t kLargest = size_t{1} << 28;
constexpr size_t kMostValues = size_t{1} << 22;
constexpr size_t kMostDiagnostics = 1000;

/// SW-VALUES-PHYS flattened: numbers, words, and how they were grouped.
struct Values {
    std::vector<double> numbers;
    std::string text;
    size_t groups = 0;
    size_t inGroup = 0;
    bool uneven = false;
};

class Reader {
  public:
    explicit Reader(const std::string& text) : text_(text) {}

    Result<CdfContents> read() {
        if (text_.size() > kLargest) return fail(ErrorCode::OutOfRange, "The file is larger than 256 MiB.");
        pugi::xml_document document;
        const auto parsed = document.load_buffer(text_.data(), text_.size());
        if (!parsed)
            return fail(ErrorCode::BadInput, "Line " + std::to_string(lineOf(parsed.offset)) +
                                                 ": the XML is broken: " + parsed.description() + ".");
        const auto root = document.child("MSRSW");
        if (!root) return fail(ErrorCode::BadInput, "This is no CDF 2.0: its root is not MSRSW.");
        for (const auto& system : root.child("SW-SYSTEMS").children("SW-SYSTEM"))
            for (const auto& spec : system.children("SW-INSTANCE-SPEC"))
                for (const auto& tree : spec.children("SW-INSTANCE-TREE"))
                    readTree(tree, 0);
        joinAxes();
        if (out_.tables.empty()) {
            std::string why = "There is no parameter value in this file.";
            if (!out_.diagnostics.empty())
                why += " Line " + std::to_string(out_.diagnostics[0].line) + ": " + out_.diagnostics[0].message;
            return fail(ErrorCode::BadInput, why);
        }
        return std::move(out_);
    }

  private:
    int lineOf(ptrdiff_t offset) const {
        const auto end = std::clamp<ptrdiff_t>(offset, 0, static_cast<ptrdiff_t>(text_.size()));
        return 1 + static_cast<int>(std::count(text_.begin(), text_.begin() + end, '\n'));
    }

    void complain(const pugi::xml_node& node, const std::string& message) {
        if (out_.diagnostics.size() < kMostDiagnostics)
            out_.diagnostics.push_back({Diagnostic::Severity::Error, lineOf(node.offset_debug()), message, {}});
    }

    void readTree(const pugi::xml_node& tree, int depth) {
        for (const auto& instance : tree.children("SW-INSTANCE"))
            readInstance(instance);
        if (depth < 32)
            for (const auto& inner : tree.children("SW-INSTANCE-TREE"))
                readTree(inner, depth + 1);
    }

    /// V and VT one after another; VG one level deep tells the rows.
    bool readValues(const pugi::xml_node& node, Values& out, int depth = 0) {
        for (const auto& child : node.children()) {
            const std::string_view name = child.name();
            if (out.numbers.size() > kMostValues) return false;
            if (name == "V") {
                const auto number = parseNumber(trimmed(child.text().get()));
                out.numbers.push_back(number.value_or(NAN));
                if (!number && !trimmed(child.text().get()).empty()) return false;
            } else if (name == "VT") {
                out.text = child.text().get();
            } else if (name == "VG" && depth < 4) {
                const size_t before = out.numbers.size();
                if (!readValues(child, out, depth + 1)) return false;
                const size_t here = out.numbers.size() - before;
                if (out.groups > 0 && here != out.inGroup) out.uneven = true;
                out.inGroup = here;
                ++out.groups;
            }
        }
        return true;
    }

    void readInstance(const pugi::xml_node& node) {
        static const std::map<std::string_view, Parameter::Kind> kinds = {
            {"VALUE", Parameter::Kind::Value},         {"DEPENDENT_VALUE", Parameter::Kind::Value},
            {"BOOLEAN", Parameter::Kind::Value},       {"ASCII", Parameter::Kind::Text},
            {"VAL_BLK", Parameter::Kind::Block},       {"VALUE_ARRAY", Parameter::Kind::Block},
            {"CURVE", Parameter::Kind::Curve},         {"MAP", Parameter::Kind::Map},
            {"COM_AXIS", Parameter::Kind::AxisPoints}, {"AXIS_PTS", Parameter::Kind::AxisPoints}};
        const std::string name = node.child_value("SHORT-NAME");
        const std::string category = node.child_value("CATEGORY");
        if (name.empty()) return complain(node, "An instance has no SHORT-NAME.");
        const auto kind = kinds.find(category);
        if (kind == kinds.end())
            return complain(node, name + " is of category \"" + category.substr(0, 40) + "\", which is not read.");
        const auto content = node.child("SW-VALUE-CONT");
        Values values;
        if (!readValues(content.child("SW-VALUES-PHYS"), values))
            return complain(node, name + " has a value that is not a number.");
        Parameter p;
        p.name = name;
        p.description = node.child_value("LONG-NAME");
        p.kind = kind->second;
        Table table;
        table.unit = content.child_value("UNIT-DISPLAY-NAME");
        table.text = values.text;
        table.values = table.raw = values.numbers;
        if (std::any_of(table.values.begin(), table.values.end(), [](double v) { return !std::isfinite(v); }))
            return complain(node, name + " has an empty value.");
        if (table.values.empty() && values.text.empty()) return complain(node, name + " has no value.");
        for (const auto& axis : node.child("SW-AXIS-CONTS").children("SW-AXIS-CONT"))
            if (!readAxis(axis, p, table)) return complain(axis, name + " has an axis that can't be read.");
        const size_t wanted = p.kind == Parameter::Kind::Map ? 2 : p.kind == Parameter::Kind::Curve ? 1 : 0;
        if (p.axes.size() < wanted)
            return complain(node, name + " is a " + category + " and has " + std::to_string(p.axes.size()) + " axes.");
        p.axes.resize(wanted);
        out_.parameters.push_back(std::move(p));
        table.parameter = &out_.parameters.back();
        table.columns = table.values.size();
        pending_.push_back({std::move(table), values, node});
    }

    bool readAxis(const pugi::xml_node& node, Parameter& p, Table& table) {
        AxisValues axis;
        Values values;
        axis.unit = node.child_value("UNIT-DISPLAY-NAME");
        axis.shared = node.child_value("SW-INSTANCE-REF");
        axis.label = axis.shared;
        if (!readValues(node.child("SW-VALUES-PHYS"), values)) return false;
        axis.values = axis.raw = values.numbers;
        p.axes.emplace_back();
        if (p.axes.size() <= 2) (p.axes.size() == 1 ? table.x : table.y) = std::move(axis);
        return p.axes.size() <= 5;
    }

    struct Pending {
        Table table;
        Values values;
        pugi::xml_node node;
    };

    /// The breakpoints of a shared axis stand in an instance of their own.
    void joinAxis(AxisValues& axis, const std::map<std::string, size_t>& byName) {
        if (!axis.values.empty() || axis.shared.empty()) return;
        const auto source = byName.find(axis.shared);
        if (source == byName.end()) return;
        axis.values = axis.raw = pending_[source->second].values.numbers;
        if (axis.unit.empty()) axis.unit = pending_[source->second].table.unit;
    }

    void joinAxes() {
        std::map<std::string, size_t> byName;
        for (size_t i = 0; i < pending_.size(); ++i)
            byName.emplace(pending_[i].table.parameter->name, i);
        for (Pending& pending : pending_) {
            Table& t = pending.table;
            joinAxis(t.x, byName);
            joinAxis(t.y, byName);
            const Parameter::Kind kind = t.parameter->kind;
            if (kind == Parameter::Kind::Curve || kind == Parameter::Kind::Map) {
                t.columns = t.x.values.size();
                t.rows = kind == Parameter::Kind::Map ? t.y.values.size() : 1;
                if (t.columns == 0 || t.rows == 0 || t.rows * t.columns != t.values.size() || pending.values.uneven) {
                    complain(pending.node, t.parameter->name + " has " + std::to_string(t.values.size()) +
                                               " values for " + std::to_string(t.columns) + " x " +
                                               std::to_string(t.rows) + " breakpoints.");
                    continue;
                }
                if (byColumns(pending)) transpose(t);
            }
            out_.tables.push_back(std::move(t));
        }
    }

    /// A group is one row, as the standard's examples have it; some writers group by columns.
    static bool byColumns(const Pending& pending) {
        const Table& t = pending.table;
        return t.rows > 1 && pending.values.groups == t.columns && t.columns != t.rows &&
               pending.values.inGroup == t.rows;
    }

    static void transpose(Table& t) {
        std::vector<double> rows(t.values.size());
        for (size_t r = 0; r < t.rows; ++r)
            for (size_t c = 0; c < t.columns; ++c)
                rows[r * t.columns + c] = t.values[c * t.rows + r];
        t.values = t.raw = rows;
    }

    const std::string& text_;
    CdfContents out_;
    std::vector<Pending> pending_;
};

// --- writing

void add(pugi::xml_node node, const char* name, const std::string& text) {
    node.append_child(name).text().set(text.c_str());
}

void addNumbers(pugi::xml_node node, const double* values, size_t count) {
    for (size_t i = 0; i < count; ++i)
        add(node, "V", exactNumber(values[i]));
}

const char* categoryOf(Parameter::Kind kind) {
    switch (kind) {
        case Parameter::Kind::Text:
            return "ASCII";
        case Parameter::Kind::Block:
            return "VAL_BLK";
        case Parameter::Kind::Curve:
            return "CURVE";
        case Parameter::Kind::Map:
            return "MAP";
        case Parameter::Kind::AxisPoints:
            return "COM_AXIS";
        default:
            return "VALUE";
    }
}

void writeAxis(pugi::xml_node axes, const Axis& described, const AxisValues& axis, int index) {
    auto node = axes.append_child("SW-AXIS-CONT");
    const bool shared = described.kind == Axis::Kind::Shared;
    add(node, "CATEGORY", shared ? "COM_AXIS" : described.kind == Axis::Kind::Fixed ? "FIX_AXIS" : "STD_AXIS");
    add(node, "UNIT-DISPLAY-NAME", axis.unit);
    add(node, "SW-AXIS-INDEX", std::to_string(index));
    if (shared) add(node, "SW-INSTANCE-REF", axis.shared);
    add(node.append_child("SW-ARRAYSIZE"), "V", std::to_string(axis.values.size()));
    addNumbers(node.append_child("SW-VALUES-PHYS"), axis.values.data(), axis.values.size());
}

void writeInstance(pugi::xml_node tree, const Calibration& calibration, const Table& t) {
    const Parameter& p = *t.parameter;
    auto node = tree.append_child("SW-INSTANCE");
    add(node, "SHORT-NAME", p.name);
    if (!p.description.empty()) add(node, "LONG-NAME", p.description);
    add(node, "CATEGORY", categoryOf(p.kind));
    auto content = node.append_child("SW-VALUE-CONT");
    add(content, "UNIT-DISPLAY-NAME", t.unit);
    const bool verbal = calibration.definition().conversionOf(p).kind == definition::Conversion::Kind::Verbal;
    if (p.kind == Parameter::Kind::Block || p.kind == Parameter::Kind::Map) {
        auto size = content.append_child("SW-ARRAYSIZE");
        add(size, "V", std::to_string(t.columns));
        if (t.rows > 1) add(size, "V", std::to_string(t.rows));
    }
    auto values = content.append_child("SW-VALUES-PHYS");
    if (p.kind == Parameter::Kind::Text || (verbal && p.kind == Parameter::Kind::Value && !t.text.empty()))
        add(values, "VT", t.text);
    else if (p.kind == Parameter::Kind::Map)
        for (size_t r = 0; r < t.rows; ++r)
            addNumbers(values.append_child("VG"), t.values.data() + r * t.columns, t.columns);
    else
        addNumbers(values, t.values.data(), t.values.size());
    if (p.axes.empty()) return;
    auto axes = node.append_child("SW-AXIS-CONTS");
    writeAxis(axes, p.axes[0], t.x, 1);
    if (p.axes.size() > 1) writeAxis(axes, p.axes[1], t.y, 2);
}

}  // namespace

Result<CdfContents> readCdf(const std::string& text) {
    return Reader(text).read();
}

Result<std::string> writeCdf(const Calibration& calibration, const std::vector<std::string>& names,
                             std::vector<std::string>& leftOut) {
    pugi::xml_document document;
    auto declaration = document.append_child(pugi::node_declaration);
    declaration.append_attribute("version") = "1.0";
    declaration.append_attribute("encoding") = "UTF-8";
    auto root = document.append_child("MSRSW");
    add(root, "SHORT-NAME", "calibration");
    add(root, "CATEGORY", "CDF20");
    auto system = root.append_child("SW-SYSTEMS").append_child("SW-SYSTEM");
    const auto& definition = calibration.definition();
    add(system, "SHORT-NAME", definition.module.empty() ? "controller" : definition.module);
    auto tree = system.append_child("SW-INSTANCE-SPEC").append_child("SW-INSTANCE-TREE");
    add(tree, "SHORT-NAME", "values");
    add(tree, "CATEGORY", "NO_VCD");
    size_t written = 0;
    for (const std::string& name : names) {
        const auto table = calibration.read(name);
        if (!table || table->slices > 1) {
            leftOut.push_back(table ? name + " has more than two axes." : table.error().message);
            continue;
        }
        writeInstance(tree, calibration, *table);
        ++written;
    }
    if (written == 0) return fail(ErrorCode::NotFound, "None of the parameters can be written.");
    std::ostringstream out;
    document.save(out, "  ");
    return out.str();
}

}  // namespace brusk::calibration
