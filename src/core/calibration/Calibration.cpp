// Reads and writes tables by their placement; limits and quantisation are those of the conversion.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Calibration.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/base/Text.h"

namespace brusk::calibration {

using definition::Axis;
using definition::Conversion;
using definition::Parameter;

namespace {

std::string inputLabel(const definition::Definition& definition, const std::string& input) {
    const auto* measurement = definition.measurement(input);
    return measurement ? measurement->title() : input;
}

uint64_t maskShift(uint64_t mask) {
    return mask == 0 ? 0 : static_cast<uint64_t>(std::countr_zero(mask));
}

/// One stored number: whole, or what its mask leaves.
double rawAt(const uint8_t* at, const Parameter& p, const Placement& placement) {
    if (p.bitMask == 0) return definition::loadRaw(at, placement.type, placement.order);
    const uint64_t bits = loadUnsigned(at, definition::sizeOf(placement.type), placement.order);
    return static_cast<double>((bits & p.bitMask) >> maskShift(p.bitMask));
}

/// Least and greatest raw number that can be stored.
std::pair<double, double> rawRange(const Parameter& p, const Placement& placement) {
    if (p.bitMask) return {0, static_cast<double>(p.bitMask >> maskShift(p.bitMask))};
    return definition::rangeOf(placement.type);
}

/// Raw breakpoints stored one after another as differences are summed up, and the reverse.
void sumUp(std::vector<double>& raw) {
    for (size_t i = 1; i < raw.size(); ++i)
        raw[i] += raw[i - 1];
}

/// The raw count whose physical value is nearest to the wanted one, and lies within the limits if one beside it does.
double nearestRaw(const Conversion& conversion, double physical, double lower, double upper) {
    const double raw = conversion.toRaw(physical);
    if (!std::isfinite(raw)) return raw;
    const double slack = 1e-9 * std::max({1.0, std::abs(lower), std::abs(upper)});
    double best = std::round(raw), distance = INFINITY;
    for (const double candidate : {std::round(raw), std::floor(raw), std::ceil(raw)}) {
        const double there = conversion.toPhysical(candidate);
        const bool inside = there >= lower - slack && there <= upper + slack;
        const double off = std::abs(there - physical) + (inside ? 0 : 1e300);
        if (off < distance) best = candidate, distance = off;
    }
    return best;
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

namespace {

/// Breakpoints that another curve gives: where along its input it reaches 0, 1, 2 ... (a curve that turns the input
/// into a position). Positions themselves where the curve does not rise.
std::vector<double> lookedUp(const Table& curve, size_t count) {
    std::vector<double> out;
    const auto& y = curve.values;
    const auto& x = curve.x.values;
    const bool rises = std::is_sorted(y.begin(), y.end()) && x.size() == y.size() && y.size() > 1;
    for (size_t i = 0; i < count; ++i) {
        const auto wanted = static_cast<double>(i);
        if (!rises) {
            out.push_back(wanted);
            continue;
        }
        const auto above = std::clamp<size_t>(
            static_cast<size_t>(std::lower_bound(y.begin(), y.end(), wanted) - y.begin()), 1, y.size() - 1);
        const double span = y[above] - y[above - 1];
        const double share = span > 0 ? std::clamp((wanted - y[above - 1]) / span, 0.0, 1.0) : 0;
        out.push_back(x[above - 1] + share * (x[above] - x[above - 1]));
    }
    return out;
}

/// Breakpoints evenly spaced between the virtual positions of rescale pairs (breakpoint, position), rows of two.
std::vector<double> rescaled(const std::vector<double>& pairs, size_t count) {
    std::vector<double> out;
    const size_t n = pairs.size() / 2;
    for (size_t i = 0; i < count && n > 0; ++i) {
        const double first = pairs[1], last = pairs[2 * n - 1];
        const double at =
            count > 1 ? first + (last - first) * static_cast<double>(i) / static_cast<double>(count - 1) : first;
        double value = pairs[2 * n - 2];
        for (size_t k = 1; k < n; ++k) {
            const double from = pairs[2 * k - 1], to = pairs[2 * k + 1];
            if (at > to) continue;
            const double share = to > from ? (at - from) / (to - from) : 0;
            value = pairs[2 * k - 2] + share * (pairs[2 * k] - pairs[2 * k - 2]);
            break;
        }
        out.push_back(value);
    }
    return out;
}

}  // namespace

Result<AxisValues> Calibration::readAxis(const Parameter& p, size_t index, const Placement& placement) const {
    const Axis& axis = p.axes[index];
    const Conversion& conversion = definition_->conversions[axis.conversion];
    AxisValues out;
    out.input = axis.input;
    out.label = inputLabel(*definition_, axis.input);
    out.unit = axis.unit.empty() ? conversion.unit : axis.unit;
    out.decimals = axis.decimals.value_or(conversion.decimals);
    out.shared = axis.shared;
    const size_t count = placement.counts[index];
    const auto physical = [&] {
        for (const double raw : out.raw)
            out.values.push_back(conversion.toPhysical(raw));
    };
    switch (axis.kind) {
        case Axis::Kind::Shared:
        case Axis::Kind::Rescaled:
        case Axis::Kind::Lookup: {
            const Parameter* source = definition_->parameter(axis.shared);
            // A curve that is its own axis, or one behind several others, must not hang us.
            if (!source || source->axes.size() > 1 ||
                (!source->axes.empty() && !source->axes[0].shared.empty() &&
                 source->axes[0].kind != Axis::Kind::Shared))
                return fail(ErrorCode::NotFound, "The axis " + axis.shared + " of " + p.name + " can't be used.");
            auto table = read(*source);
            if (!table) return tl::unexpected(table.error());
            if (axis.kind == Axis::Kind::Shared) {
                out.values = std::move(table->values);
                out.raw = std::move(table->raw);
                out.decimals = table->decimals;
                out.unit = table->unit;
                out.editable = !source->readOnly;
            } else {
                out.values = axis.kind == Axis::Kind::Lookup ? lookedUp(*table, count) : rescaled(table->values, count);
            }
            return out;
        }
        case Axis::Kind::Fixed:
            out.raw = axis.fixed.empty() ? placement.axes[index].computed : axis.fixed;
            physical();
            out.raw.clear();
            return out;
        case Axis::Kind::Standard:
            break;
    }
    const AxisPlace& place = placement.axes[index];
    if (!place.stored) {
        out.raw = place.computed;
        physical();
        out.raw.clear();
        return out;
    }
    const ByteOrder order = axis.byteOrder.value_or(placement.order);
    const size_t size = definition::sizeOf(place.type);
    for (size_t i = 0; i < count; ++i) {
        const auto bytes = image_.bytes(placement.breakpointAddress(index, i), static_cast<uint32_t>(size));
        if (!bytes) return failBecause("The axis of " + p.name + " can't be read.", bytes.error());
        out.raw.push_back(definition::loadRaw(bytes->data(), place.type, order));
    }
    if (axis.differences) sumUp(out.raw);
    out.editable = !axis.readOnly && !p.readOnly;
    physical();
    return out;
}

void Calibration::describe(Table& table, const Parameter& p, const Placement& placement) const {
    const Conversion& conversion = definition_->conversionOf(p);
    table.parameter = &p;
    table.unit = definition_->unitOf(p);
    table.decimals = p.decimals.value_or(conversion.decimals);
    table.type = placement.type;
    // What the stored type can hold narrows what the definition allows.
    const auto [lowRaw, highRaw] = rawRange(p, placement);
    double low = conversion.toPhysical(lowRaw);
    double high = conversion.toPhysical(highRaw);
    if (low > high) std::swap(low, high);
    using Kind = Conversion::Kind;
    const bool straight =
        conversion.kind == Kind::Identical || conversion.kind == Kind::Linear || conversion.kind == Kind::Verbal;
    const bool bounded = straight && std::isfinite(low) && std::isfinite(high);
    const auto [least, most] = hardwareLimits_ && p.extendedLimits ? *p.extendedLimits : std::pair{p.lower, p.upper};
    table.lower = bounded ? std::max(least, low) : least;
    table.upper = bounded ? std::min(most, high) : most;
}

Result<std::vector<double>> Calibration::readRaw(const Parameter& p, const Placement& placement, size_t slice) const {
    const size_t size = definition::sizeOf(placement.type);
    const size_t cells = placement.cellsOfSlice();
    std::vector<double> raw(cells);
    if (p.kind == Parameter::Kind::AxisPoints && placement.axes[0].stored) {
        for (size_t i = 0; i < cells; ++i) {
            const auto bytes = image_.bytes(placement.breakpointAddress(0, i), static_cast<uint32_t>(size));
            if (!bytes) return failBecause(p.name + " can't be read.", bytes.error());
            raw[i] = rawAt(bytes->data(), p, placement);
        }
        if (p.differences) sumUp(raw);
        return raw;
    }
    const uint32_t first = placement.cellAddress(0, slice);
    const uint32_t last = placement.cellAddress(cells - 1, slice);
    const auto bytes = image_.bytes(first, static_cast<uint32_t>(last - first + size));
    if (!bytes) return failBecause(p.name + " can't be read.", bytes.error());
    for (size_t i = 0; i < cells; ++i)
        raw[i] = rawAt(bytes->data() + (placement.cellAddress(i, slice) - first), p, placement);
    return raw;
}

Result<Table> Calibration::read(const Parameter& p) const {
    return read(p, 0);
}

Result<Table> Calibration::read(const Parameter& p, size_t slice) const {
    const auto placement = place(*definition_, image_, p);
    if (!placement) return tl::unexpected(placement.error());
    Table table;
    table.columns = placement->counts[0];
    table.rows = placement->counts[1];
    table.slices = placement->slices();
    table.slice = slice;
    if (slice >= table.slices)
        return fail(ErrorCode::OutOfRange, p.name + " has " + std::to_string(table.slices) + " slices.");
    describe(table, p, *placement);
    for (size_t i = 0; i < p.axes.size(); ++i) {
        auto axis = readAxis(p, i, *placement);
        if (!axis) return tl::unexpected(axis.error());
        if (axis->values.size() != placement->counts[i])
            return fail(ErrorCode::Mismatch, p.name + " has " + std::to_string(placement->counts[i]) + " cells along " +
                                                 axis->label + ", its axis " + std::to_string(axis->values.size()) +
                                                 " breakpoints.");
        if (i < 2)
            (i == 0 ? table.x : table.y) = std::move(*axis);
        else
            table.deeper.push_back(std::move(*axis));
    }
    if (p.kind == Parameter::Kind::Text) {
        const auto bytes = image_.bytes(placement->values, static_cast<uint32_t>(placement->counts[0]));
        if (!bytes) return failBecause(p.name + " can't be read.", bytes.error());
        table.text = validText(trimmed(asText(*bytes).substr(0, asText(*bytes).find('\0'))));
        return table;
    }
    auto raw = readRaw(p, *placement, slice);
    if (!raw) return tl::unexpected(raw.error());
    table.raw = std::move(*raw);
    const Conversion& conversion = definition_->conversionOf(p);
    table.values.resize(table.raw.size());
    std::transform(table.raw.begin(), table.raw.end(), table.values.begin(),
                   [&](double r) { return conversion.toPhysical(r); });
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

namespace {

/// What an edit asks for in raw counts; held at a limit, or refused.
Result<double> rawFor(const Parameter& p, const Table& table, const Conversion& conversion, const Placement& placement,
                      double value, AtLimit atLimit, int& clamped) {
    const auto beyond = [&] {
        return fail(ErrorCode::OutOfRange, p.name + ": " + formatNumber(value, table.decimals) + " " + table.unit +
                                               " is beyond its limits, " + formatNumber(table.lower, table.decimals) +
                                               " to " + formatNumber(table.upper, table.decimals) + ".");
    };
    if (!std::isfinite(value)) return beyond();
    const double tolerance = 1e-9 * std::max(1.0, std::abs(table.upper));
    if (value < table.lower - tolerance || value > table.upper + tolerance) {
        if (atLimit == AtLimit::Refuse) return beyond();
        value = std::clamp(value, table.lower, table.upper);
        ++clamped;
    }
    const bool whole = !definition::isFloat(placement.type);
    const double raw = whole ? nearestRaw(conversion, value, table.lower, table.upper) : conversion.toRaw(value);
    if (std::isnan(raw))
        return fail(ErrorCode::OutOfRange, p.name + ": no stored number gives " + formatNumber(value, table.decimals) +
                                               " " + table.unit + "; its conversion " + conversion.name +
                                               " can't be turned round there.");
    const auto [low, high] = rawRange(p, placement);
    if (raw >= low && raw <= high) return raw;
    if (atLimit == AtLimit::Refuse)
        return fail(ErrorCode::OutOfRange, p.name + ": " + formatNumber(value, table.decimals) + " " + table.unit +
                                               " is more than its bytes can hold.");
    ++clamped;
    return std::clamp(raw, low, high);
}

}  // namespace

Done Calibration::change(uint32_t address, ByteSpan after, Edit& edit) const {
    const auto before = image_.bytes(address, static_cast<uint32_t>(after.size()));
    if (!before) return tl::unexpected(before.error());
    if (!std::equal(after.begin(), after.end(), before->begin()))
        edit.changes.push_back({address, Bytes(before->begin(), before->end()), Bytes(after.begin(), after.end())});
    return {};
}

/// New raw breakpoints of an axis that stores differences: the bytes of a breakpoint and of the one behind it change.
Done Calibration::storeDifferences(const Parameter& p, const Placement& placement, const std::vector<CellValue>& raw,
                                   Edit& edit) const {
    auto all = readRaw(p, placement, 0);
    if (!all) return tl::unexpected(all.error());
    for (const CellValue& cell : raw)
        (*all)[cell.index] = cell.value;
    const auto [low, high] = definition::rangeOf(placement.type);
    Bytes after(definition::sizeOf(placement.type));
    for (size_t i = 0; i < all->size(); ++i) {
        const double stored = i == 0 ? (*all)[0] : (*all)[i] - (*all)[i - 1];
        if (stored < low || stored > high)
            return fail(ErrorCode::OutOfRange, p.name + " stores the distances of its breakpoints; one of " +
                                                   formatNumber(stored, 0) + " counts does not fit.");
        definition::storeRaw(after.data(), placement.type, placement.order, stored);
        if (auto done = change(placement.breakpointAddress(0, i), after, edit); !done) return done;
    }
    return {};
}

Result<Edit> Calibration::store(const Parameter& p, const Placement& placement, size_t slice,
                                const std::vector<CellValue>& raw, std::string name) const {
    Edit edit;
    edit.name = std::move(name);
    const bool points = p.kind == Parameter::Kind::AxisPoints && placement.axes[0].stored;
    if (points && p.differences) {
        if (auto done = storeDifferences(p, placement, raw, edit); !done) return tl::unexpected(done.error());
        return edit;
    }
    const size_t size = definition::sizeOf(placement.type);
    Bytes after(size);
    for (const CellValue& cell : raw) {
        const uint32_t address =
            points ? placement.breakpointAddress(0, cell.index) : placement.cellAddress(cell.index, slice);
        if (p.bitMask) {
            const auto before = image_.bytes(address, static_cast<uint32_t>(size));
            if (!before) return tl::unexpected(before.error());
            const uint64_t whole = loadUnsigned(before->data(), size, placement.order);
            const uint64_t bits = static_cast<uint64_t>(cell.value) << maskShift(p.bitMask);
            storeUnsigned(after.data(), size, placement.order, (whole & ~p.bitMask) | (bits & p.bitMask));
        } else {
            definition::storeRaw(after.data(), placement.type, placement.order, cell.value);
        }
        if (auto done = change(address, after, edit); !done) return tl::unexpected(done.error());
    }
    return edit;
}

Result<Edit> Calibration::prepare(const Parameter& p, const std::vector<CellValue>& cells, AtLimit atLimit,
                                  std::string name, size_t slice) const {
    if (p.readOnly) return fail(ErrorCode::Refused, p.name + " is marked read-only in the definition.");
    if (p.kind == Parameter::Kind::Text) return fail(ErrorCode::BadInput, p.name + " is a text.");
    const auto table = read(p, slice);
    if (!table) return tl::unexpected(table.error());
    const auto placement = place(*definition_, image_, p);
    if (!placement) return tl::unexpected(placement.error());
    std::vector<CellValue> raw;
    raw.reserve(cells.size());
    int clamped = 0;
    for (const CellValue& cell : cells) {
        if (cell.index >= table->values.size())
            return fail(ErrorCode::OutOfRange, p.name + " has no cell " + std::to_string(cell.index) + ".");
        // A stored number of 64 bits may lie between two doubles: what is not changed is not written.
        if (cell.value == table->values[cell.index]) continue;
        const auto stored = rawFor(p, *table, definition_->conversionOf(p), *placement, cell.value, atLimit, clamped);
        if (!stored) return tl::unexpected(stored.error());
        raw.push_back({cell.index, *stored});
    }
    auto edit = store(p, *placement, slice, raw, std::move(name));
    if (edit) edit->clamped = clamped;
    return edit;
}

Result<Edit> Calibration::prepareRaw(const Parameter& p, size_t cell, double raw, std::string name) const {
    if (p.readOnly) return fail(ErrorCode::Refused, p.name + " is marked read-only in the definition.");
    if (p.kind == Parameter::Kind::Text) return fail(ErrorCode::BadInput, p.name + " is a text.");
    const auto placement = place(*definition_, image_, p);
    if (!placement) return tl::unexpected(placement.error());
    const auto [low, high] = rawRange(p, *placement);
    if (!(raw >= low && raw <= high) || cell >= placement->cellsOfSlice())
        return fail(ErrorCode::OutOfRange,
                    p.name + " can store " + formatNumber(low, 0) + " to " + formatNumber(high, 0) + ".");
    return store(p, *placement, 0, {{cell, raw}}, std::move(name));
}

Result<Edit> Calibration::prepareBreakpoints(const Parameter& p, size_t axis, const std::vector<double>& values,
                                             AtLimit atLimit, std::string name) const {
    if (axis >= p.axes.size()) return fail(ErrorCode::BadInput, p.name + " has no such axis.");
    for (size_t i = 1; i < values.size(); ++i)
        if (!(values[i] > values[i - 1]))
            return fail(ErrorCode::BadInput, "Breakpoints must rise; " + formatNumber(values[i], 2) +
                                                 " stands behind " + formatNumber(values[i - 1], 2) + ".");
    const auto placement = place(*definition_, image_, p);
    if (!placement) return tl::unexpected(placement.error());
    if (values.size() != placement->counts[axis])
        return fail(ErrorCode::BadInput, p.name + " has " + std::to_string(placement->counts[axis]) +
                                             " breakpoints there, " + std::to_string(values.size()) + " are given.");
    const Axis& described = p.axes[axis];
    std::vector<CellValue> cells;
    for (size_t i = 0; i < values.size(); ++i)
        cells.push_back({i, values[i]});
    const auto distinct = [&](Result<Edit> edit, const Parameter& owner, size_t ownAxis) -> Result<Edit> {
        if (!edit) return edit;
        Calibration after = *this;
        if (auto done = after.apply(*edit); !done) return tl::unexpected(done.error());
        const auto table = after.read(owner);
        if (!table) return tl::unexpected(table.error());
        const auto& raw = owner.kind == Parameter::Kind::AxisPoints ? table->raw
                          : ownAxis                                 ? table->y.raw
                                                                    : table->x.raw;
        for (size_t i = 1; i < raw.size(); ++i)
            if (raw[i] == raw[i - 1])
                return fail(ErrorCode::BadInput, "Two breakpoints would be stored as the same number, " +
                                                     formatNumber(values[i], 3) + "; move them further apart.");
        return edit;
    };
    if (described.kind == Axis::Kind::Shared)
        return distinct(prepare(*definition_->parameter(described.shared), cells, atLimit, std::move(name)),
                        *definition_->parameter(described.shared), 0);
    if (!placement->axes[axis].stored || described.readOnly || p.readOnly)
        return fail(ErrorCode::Refused, "The breakpoints of " + p.name + " do not lie in the image; they are fixed.");
    // The axis as a parameter of its own, with this record's place and the axis' description.
    Parameter own;
    own.name = p.name + ", axis " + described.input;
    own.kind = Parameter::Kind::AxisPoints;
    own.conversion = described.conversion;
    own.lower = described.lower;
    own.upper = described.upper;
    own.differences = described.differences;
    Placement there = *placement;
    there.axes[0] = placement->axes[axis];
    there.type = placement->axes[axis].type;
    there.order = described.byteOrder.value_or(placement->order);
    there.counts[0] = values.size();
    there.counts[1] = 1;
    Table limits;
    describe(limits, own, there);
    std::vector<CellValue> raw;
    int clamped = 0;
    for (const CellValue& cell : cells) {
        const auto stored = rawFor(own, limits, definition_->conversionOf(own), there, cell.value, atLimit, clamped);
        if (!stored) return tl::unexpected(stored.error());
        raw.push_back({cell.index, *stored});
    }
    auto edit = store(own, there, 0, raw, std::move(name));
    if (edit) edit->clamped = clamped;
    return distinct(std::move(edit), p, axis);
}

Result<Edit> Calibration::prepareText(const Parameter& p, std::string_view text, std::string name) const {
    if (p.kind != Parameter::Kind::Text) return fail(ErrorCode::BadInput, p.name + " is not a text.");
    if (text.size() > p.number)
        return fail(ErrorCode::OutOfRange, p.name + " holds " + std::to_string(p.number) + " characters, \"" +
                                               std::string(text) + "\" has more.");
    const auto placement = place(*definition_, image_, p);
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

Result<Edit> Calibration::onto(Edit edit) const {
    for (ByteChange& change : edit.changes) {
        const auto here = image_.bytes(change.address, static_cast<uint32_t>(change.after.size()));
        if (!here) return tl::unexpected(here.error());
        change.before.assign(here->begin(), here->end());
    }
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

}  // namespace brusk::calibration
