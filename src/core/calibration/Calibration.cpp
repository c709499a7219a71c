// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Calibration.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/base/Text.h"

namespace brusk::calibration {

using definition::Axis;
using definition::Conversion;
using definition::DataType;
using definition::Layout;
using definition::Parameter;

/// Where the fields of one parameter lie in the image.
struct Calibration::Placement {
    uint32_t values = 0;
    DataType type = DataType::UByte;
    bool columnsFirst = false;
    size_t rows = 1;
    size_t columns = 1;
    uint32_t axisAt[2] = {0, 0};
    DataType axisType[2] = {DataType::UByte, DataType::UByte};

    uint32_t cellAddress(size_t index) const {
        const size_t row = index / columns;
        const size_t column = index % columns;
        const size_t position = columnsFirst ? column * rows + row : index;
        return static_cast<uint32_t>(values + position * definition::sizeOf(type));
    }
};

namespace {

std::string inputLabel(const definition::Definition& definition, const std::string& input) {
    const auto* measurement = definition.measurement(input);
    return measurement ? measurement->label : input;
}

uint64_t maskShift(uint64_t mask) {
    return mask == 0 ? 0 : static_cast<uint64_t>(std::countr_zero(mask));
}

double maskedRaw(double raw, uint64_t mask) {
    if (mask == 0) return raw;
    return static_cast<double>((static_cast<uint64_t>(raw) & mask) >> maskShift(mask));
}

}  // namespace

Done Calibration::matchesDefinition() const {
    if (!definition_->softwareIdAddress || definition_->softwareId.empty()) return {};
    const std::string& wanted = definition_->softwareId;
    const auto found = image_.bytes(*definition_->softwareIdAddress, static_cast<uint32_t>(wanted.size()));
    if (!found)
        return failBecause("The image does not hold the software id that the definition asks for.", found.error());
    if (asText(*found) == wanted) return {};
    std::string seen;
    for (const uint8_t byte : *found)
        seen += byte >= 32 && byte < 127 ? static_cast<char>(byte) : '.';
    return fail(ErrorCode::Mismatch, "The definition is for software \"" + wanted + "\", the image holds \"" + seen +
                                         "\". Choose the definition of this software.");
}

Result<Calibration::Placement> Calibration::place(const Parameter& p) const {
    Placement out;
    const Layout& layout = definition_->layouts[p.layout];
    size_t counts[2] = {1, 1};
    for (size_t i = 0; i < p.axes.size(); ++i)
        counts[i] = std::max<uint32_t>(1, p.axes[i].points);
    if (p.axes.empty()) counts[0] = std::max<uint32_t>(1, p.number);

    uint64_t at = p.address;
    for (const Layout::Item& item : layout.items) {
        const size_t size = definition::sizeOf(item.type);
        const size_t alignment = std::min(size, static_cast<size_t>(layout.alignment));
        at = (at + alignment - 1) / alignment * alignment;
        const auto here = static_cast<uint32_t>(at);
        switch (item.field) {
            case Layout::Field::AxisCount: {
                const auto bytes = image_.bytes(here, static_cast<uint32_t>(size));
                if (!bytes) return failBecause(p.name + " can't be read.", bytes.error());
                const double stored = definition::loadRaw(bytes->data(), item.type, definition_->byteOrder);
                if (stored < 1 || stored > static_cast<double>(counts[item.axis]))
                    return fail(ErrorCode::OutOfRange,
                                p.name + " stores " + formatNumber(stored, 0) + " breakpoints at " + hexAddress(here) +
                                    "; the definition allows 1 to " + std::to_string(counts[item.axis]) + ".");
                counts[item.axis] = static_cast<size_t>(stored);
                at += size;
                break;
            }
            case Layout::Field::AxisPoints:
                out.axisAt[item.axis] = here;
                out.axisType[item.axis] = item.type;
                at += size * counts[item.axis];
                break;
            case Layout::Field::Values:
                out.values = here;
                out.type = item.type;
                at += size * counts[0] * counts[1];
                break;
            case Layout::Field::Reserved:
                at += size;
                break;
        }
        if (at > 0xFFFFFFFFull) return fail(ErrorCode::OutOfRange, p.name + " runs beyond the address space.");
    }
    if (p.kind == Parameter::Kind::AxisPoints) {
        // The breakpoints themselves are what is edited here.
        out.values = out.axisAt[0];
        out.type = out.axisType[0];
    }
    if (out.values == 0)
        return fail(ErrorCode::BadInput, "Layout " + layout.name + " of " + p.name + " has no values.");
    out.columnsFirst = layout.columnsFirst;
    out.columns = counts[0];
    out.rows = counts[1];
    return out;
}

Result<AxisValues> Calibration::readAxis(const Parameter& p, size_t index, const Placement& placement) const {
    const Axis& axis = p.axes[index];
    const Conversion& conversion = definition_->conversions[axis.conversion];
    AxisValues out;
    out.input = axis.input;
    out.label = inputLabel(*definition_, axis.input);
    out.unit = conversion.unit;
    out.decimals = conversion.decimals;
    if (axis.kind == Axis::Kind::Fixed) {
        for (const double raw : axis.fixed)
            out.values.push_back(conversion.toPhysical(raw));
        return out;
    }
    if (axis.kind == Axis::Kind::Shared) {
        const Parameter* points = definition_->parameter(axis.shared);
        if (!points) return fail(ErrorCode::NotFound, "The axis " + axis.shared + " of " + p.name + " is not defined.");
        auto table = read(*points);
        if (!table) return tl::unexpected(table.error());
        out.shared = axis.shared;
        out.values = std::move(table->values);
        out.decimals = table->decimals;
        out.unit = table->unit;
        return out;
    }
    const size_t count = index == 0 ? placement.columns : placement.rows;
    const size_t size = definition::sizeOf(placement.axisType[index]);
    const auto bytes = image_.bytes(placement.axisAt[index], static_cast<uint32_t>(count * size));
    if (!bytes) return failBecause("The axis of " + p.name + " can't be read.", bytes.error());
    for (size_t i = 0; i < count; ++i)
        out.values.push_back(conversion.toPhysical(
            definition::loadRaw(bytes->data() + i * size, placement.axisType[index], definition_->byteOrder)));
    return out;
}

void Calibration::describe(Table& table, const Parameter& p, const Placement& placement) const {
    const Conversion& conversion = definition_->conversionOf(p);
    table.parameter = &p;
    table.unit = conversion.unit;
    table.decimals = definition::isFloat(placement.type) || p.decimals ? p.decimals.value_or(conversion.decimals)
                                                                       : conversion.decimals;
    // What the stored type can hold narrows what the definition allows.
    auto [lowRaw, highRaw] = definition::rangeOf(placement.type);
    if (p.bitMask) lowRaw = 0, highRaw = static_cast<double>(p.bitMask >> maskShift(p.bitMask));
    double low = conversion.toPhysical(lowRaw);
    double high = conversion.toPhysical(highRaw);
    if (low > high) std::swap(low, high);
    const bool bounded = std::isfinite(low) && std::isfinite(high) && conversion.kind != Conversion::Kind::Rational;
    table.lower = bounded ? std::max(p.lower, low) : p.lower;
    table.upper = bounded ? std::min(p.upper, high) : p.upper;
}

Result<Table> Calibration::read(const Parameter& p) const {
    const auto placement = place(p);
    if (!placement) return tl::unexpected(placement.error());
    Table table;
    table.rows = placement->rows;
    table.columns = placement->columns;
    describe(table, p, *placement);

    // The parameter's own axes tell how many of the possible cells are in use; a shared axis may store fewer.
    for (size_t i = 0; i < p.axes.size(); ++i) {
        auto axis = readAxis(p, i, *placement);
        if (!axis) return tl::unexpected(axis.error());
        const size_t count = i == 0 ? table.columns : table.rows;
        if (axis->values.size() != count)
            return fail(ErrorCode::Mismatch, p.name + " has " + std::to_string(count) + " cells along " + axis->label +
                                                 ", its axis " + std::to_string(axis->values.size()) + " breakpoints.");
        (i == 0 ? table.x : table.y) = std::move(*axis);
    }
    const size_t size = definition::sizeOf(placement->type);
    const size_t cells = table.rows * table.columns;
    const auto bytes = image_.bytes(placement->values, static_cast<uint32_t>(cells * size));
    if (!bytes) return failBecause(p.name + " can't be read.", bytes.error());
    if (p.kind == Parameter::Kind::Text) {
        table.text = std::string(trimmed(asText(*bytes).substr(0, asText(*bytes).find('\0'))));
        return table;
    }
    const Conversion& conversion = definition_->conversionOf(p);
    table.values.resize(cells);
    table.raw.resize(cells);
    for (size_t i = 0; i < cells; ++i) {
        const uint8_t* at = bytes->data() + (placement->cellAddress(i) - placement->values);
        table.raw[i] = maskedRaw(definition::loadRaw(at, placement->type, definition_->byteOrder), p.bitMask);
        table.values[i] = conversion.toPhysical(table.raw[i]);
    }
    table.step =
        definition::isFloat(placement->type) ? 0 : std::abs(conversion.toPhysical(table.raw[0] + 1) - table.values[0]);
    if (conversion.kind == Conversion::Kind::Verbal) table.text = conversion.textFor(table.raw[0]);
    if (p.kind == Parameter::Kind::AxisPoints) table.x.label = inputLabel(*definition_, p.input);
    return table;
}

Result<Table> Calibration::read(std::string_view name) const {
    const Parameter* p = definition_->parameter(name);
    if (!p) return fail(ErrorCode::NotFound, "There is no parameter " + std::string(name) + " in the definition.");
    return read(*p);
}

Result<double> Calibration::value(std::string_view name) const {
    const auto table = read(name);
    if (!table) return tl::unexpected(table.error());
    if (table->values.size() != 1) return fail(ErrorCode::BadInput, std::string(name) + " is not a single value.");
    return table->values[0];
}

Result<Edit> Calibration::prepare(const Parameter& p, const std::vector<CellValue>& cells, AtLimit atLimit,
                                  std::string name) const {
    if (p.readOnly) return fail(ErrorCode::Refused, p.name + " is marked read-only in the definition.");
    if (p.kind == Parameter::Kind::Text) return fail(ErrorCode::BadInput, p.name + " is a text.");
    const auto table = read(p);
    if (!table) return tl::unexpected(table.error());
    const auto placement = place(p);
    if (!placement) return tl::unexpected(placement.error());
    const Conversion& conversion = definition_->conversionOf(p);
    const size_t size = definition::sizeOf(placement->type);
    const auto [lowRaw, highRaw] = definition::rangeOf(placement->type);

    Edit edit;
    edit.name = std::move(name);
    for (const CellValue& cell : cells) {
        if (cell.index >= table->values.size())
            return fail(ErrorCode::OutOfRange, p.name + " has no cell " + std::to_string(cell.index) + ".");
        double value = cell.value;
        const double tolerance = 1e-9 * std::max(1.0, std::abs(table->upper));
        if (!std::isfinite(value) || value < table->lower - tolerance || value > table->upper + tolerance) {
            if (atLimit == AtLimit::Refuse || !std::isfinite(value))
                return fail(ErrorCode::OutOfRange, p.name + ": " + formatNumber(value, table->decimals) + " " +
                                                       table->unit + " is beyond its limits, " +
                                                       formatNumber(table->lower, table->decimals) + " to " +
                                                       formatNumber(table->upper, table->decimals) + ".");
            value = std::clamp(value, table->lower, table->upper);
            ++edit.clamped;
        }
        double raw = conversion.toRaw(value);
        if (!definition::isFloat(placement->type)) raw = std::clamp(std::round(raw), lowRaw, highRaw);
        const uint32_t address = placement->cellAddress(cell.index);
        const auto before = image_.bytes(address, static_cast<uint32_t>(size));
        if (!before) return tl::unexpected(before.error());
        if (p.bitMask) {
            const uint64_t whole = loadUnsigned(before->data(), size, definition_->byteOrder);
            raw = static_cast<double>((whole & ~p.bitMask) |
                                      ((static_cast<uint64_t>(raw) << maskShift(p.bitMask)) & p.bitMask));
        }
        Bytes after(size);
        definition::storeRaw(after.data(), placement->type, definition_->byteOrder, raw);
        if (!std::equal(after.begin(), after.end(), before->begin()))
            edit.changes.push_back({address, Bytes(before->begin(), before->end()), std::move(after)});
    }
    return edit;
}

Result<Edit> Calibration::prepareText(const Parameter& p, std::string_view text, std::string name) const {
    if (p.kind != Parameter::Kind::Text) return fail(ErrorCode::BadInput, p.name + " is not a text.");
    if (text.size() > p.number)
        return fail(ErrorCode::OutOfRange, p.name + " holds " + std::to_string(p.number) + " characters, \"" +
                                               std::string(text) + "\" has more.");
    const auto placement = place(p);
    if (!placement) return tl::unexpected(placement.error());
    const auto before = image_.bytes(placement->values, p.number);
    if (!before) return tl::unexpected(before.error());
    Bytes after(p.number, ' ');
    std::copy(text.begin(), text.end(), after.begin());
    Edit edit{std::move(name), {}, 0};
    if (!std::equal(after.begin(), after.end(), before->begin()))
        edit.changes.push_back({placement->values, Bytes(before->begin(), before->end()), std::move(after)});
    return edit;
}

Done Calibration::apply(const Edit& edit) {
    for (const ByteChange& change : edit.changes)
        if (auto done = image_.overwrite(change.address, change.after); !done) return done;
    return {};
}

Done Calibration::revert(const Edit& edit) {
    for (auto change = edit.changes.rbegin(); change != edit.changes.rend(); ++change)
        if (auto done = image_.overwrite(change->address, change->before); !done) return done;
    return {};
}

Done EditHistory::make(Calibration& calibration, Edit edit) {
    if (edit.empty()) return {};
    if (auto done = calibration.apply(edit); !done) return done;
    done_.push_back(std::move(edit));
    undone_.clear();
    return {};
}

Result<std::string> EditHistory::undo(Calibration& calibration) {
    if (done_.empty()) return fail(ErrorCode::NotFound, "There is nothing to undo.");
    if (auto done = calibration.revert(done_.back()); !done) return tl::unexpected(done.error());
    undone_.push_back(std::move(done_.back()));
    done_.pop_back();
    return undone_.back().name;
}

Result<std::string> EditHistory::redo(Calibration& calibration) {
    if (undone_.empty()) return fail(ErrorCode::NotFound, "There is nothing to redo.");
    if (auto done = calibration.apply(undone_.back()); !done) return tl::unexpected(done.error());
    done_.push_back(std::move(undone_.back()));
    undone_.pop_back();
    return done_.back().name;
}

void EditHistory::clear() {
    done_.clear();
    undone_.clear();
}

double CellOperation::apply(double value) const {
    switch (kind) {
        case Kind::Set:
            return amount;
        case Kind::Add:
            return value + amount;
        case Kind::Scale:
            return value * amount;
    }
    return value;
}

std::string CellOperation::describe() const {
    const auto number = [](double v) {
        std::string text = formatNumber(v, 4);
        text.erase(text.find_last_not_of('0') + 1);
        if (text.back() == '.') text.pop_back();
        return text;
    };
    switch (kind) {
        case Kind::Set:
            return "set to " + number(amount);
        case Kind::Add:
            return "add " + number(amount);
        case Kind::Scale:
            return "scale by " + number(amount);
    }
    return {};
}

std::optional<CellOperation> parseOperation(std::string_view text) {
    std::string cleaned(trimmed(text));
    std::replace(cleaned.begin(), cleaned.end(), ',', '.');
    if (cleaned.empty()) return std::nullopt;
    CellOperation::Kind kind = CellOperation::Kind::Set;
    std::string_view rest = cleaned;
    const bool percent = rest.back() == '%';
    if (percent) rest.remove_suffix(1);
    if (rest.empty()) return std::nullopt;
    if (percent) {
        kind = CellOperation::Kind::Scale;
    } else if (rest[0] == '+') {
        kind = CellOperation::Kind::Add;
        rest.remove_prefix(1);
    } else if (rest[0] == 'x' || rest[0] == 'X' || rest[0] == '*') {
        kind = CellOperation::Kind::Scale;
        rest.remove_prefix(1);
    }
    rest = trimmed(rest);
    // parseNumber() takes a leading plus; behind an operator it would hide a slip of the finger.
    if (kind != CellOperation::Kind::Set && !percent && rest.starts_with('+')) return std::nullopt;
    const auto amount = parseNumber(rest);
    if (!amount || !std::isfinite(*amount)) return std::nullopt;
    return CellOperation{kind, percent ? 1 + *amount / 100 : *amount};
}

std::vector<Difference> compare(const Calibration& a, const Calibration& b) {
    std::vector<Difference> out;
    for (const Parameter& p : a.definition().parameters) {
        const auto left = a.read(p);
        const auto right = b.read(p);
        if (!left || !right) continue;
        Difference difference{&p, 0, 0};
        if (left->text != right->text && left->values.empty()) difference.cells = 1;
        for (size_t i = 0; i < std::min(left->values.size(), right->values.size()); ++i) {
            const double change = right->values[i] - left->values[i];
            if (left->raw[i] == right->raw[i]) continue;
            ++difference.cells;
            if (std::abs(change) > std::abs(difference.largest)) difference.largest = change;
        }
        if (difference.cells) out.push_back(difference);
    }
    return out;
}

}  // namespace brusk::calibration
