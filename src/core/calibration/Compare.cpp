// Physical values against each other, by name, however they are stored.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Compare.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "core/calibration/Surface.h"

namespace brusk::calibration {

using definition::Parameter;

const Parameter* counterpart(const definition::Definition& there, const Parameter& parameter) {
    if (const Parameter* same = there.parameter(parameter.name)) return same;
    const auto role = roles::Role::named(parameter.role);
    return role ? there.parameterWithRole(*role) : nullptr;
}

Result<CellDifferences> compareCells(const Table& a, const Table& b) {
    CellDifferences out;
    out.text = b.text;
    if (a.parameter->kind == Parameter::Kind::Text && b.parameter->kind == Parameter::Kind::Text) {
        out.cells = a.text != b.text;
        out.differs.assign(1, a.text != b.text);
        return out;
    }
    const bool sameStore = a.parameter == b.parameter || (a.type == b.type && a.unit == b.unit);
    const bool sameAxes = a.x.values == b.x.values && a.y.values == b.y.values && a.x.unit == b.x.unit &&
                          a.y.unit == b.y.unit && a.values.size() == b.values.size();
    out.resampled = !sameAxes || a.unit != b.unit;
    if (sameAxes && a.unit == b.unit) {
        out.other = b.values;
    } else {
        auto numbers = fitted(a, b);
        if (!numbers) return tl::unexpected(numbers.error());
        out.other = std::move(*numbers);
    }
    out.differs.resize(a.values.size());
    for (size_t i = 0; i < a.values.size(); ++i) {
        const double change = out.other[i] - a.values[i];
        // Stored numbers tell exactly; across units and breakpoints half a count is no difference.
        const bool differs = sameStore && !out.resampled && a.parameter == b.parameter
                                 ? a.raw[i] != b.raw[i]
                                 : std::abs(change) > 0.5001 * a.step + 1e-9 * std::abs(a.values[i]);
        if (!differs) continue;
        out.differs[i] = 1;
        ++out.cells;
        if (std::abs(change) > std::abs(out.largest)) out.largest = change;
    }
    return out;
}

namespace {

/// Whether the records of one parameter hold the same bytes in both images; unsure counts as no.
bool sameBytes(const Calibration& a, const Calibration& b, const Parameter& p) {
    const auto left = place(a.definition(), a.image(), p);
    const auto right = place(b.definition(), b.image(), p);
    if (!left || !right || left->end != right->end) return false;
    const auto count = static_cast<uint32_t>(left->end - left->begin);
    const auto mine = a.image().bytes(left->begin, count);
    const auto other = b.image().bytes(right->begin, count);
    return mine && other && std::equal(mine->begin(), mine->end(), other->begin());
}

void compareOne(const Calibration& a, const Calibration& b, const Parameter& p, const Parameter& other,
                Comparison& out) {
    const auto left = a.read(p);
    const auto right = b.read(other);
    if (!left || !right) {
        // What neither can read (no bytes there) is no difference.
        if (left.has_value() != right.has_value())
            out.notComparable.push_back({&p, (left ? right : left).error().message});
        return;
    }
    const auto cells = compareCells(*left, *right);
    if (!cells) {
        out.notComparable.push_back({&p, cells.error().message});
        return;
    }
    if (cells->cells)
        out.differences.push_back({&p, &other, cells->cells, cells->largest, cells->resampled});
    else
        ++out.same;
}

}  // namespace

Comparison compareAll(const Calibration& a, const Calibration& b) {
    Comparison out;
    const bool oneDefinition = &a.definition() == &b.definition();
    std::set<const Parameter*> met;
    for (const Parameter& p : a.definition().parameters) {
        if (oneDefinition && sameBytes(a, b, p)) {
            ++out.same;
            continue;
        }
        const Parameter* other = oneDefinition ? &p : counterpart(b.definition(), p);
        if (!oneDefinition) met.insert(other);
        if (other)
            compareOne(a, b, p, *other, out);
        else
            out.onlyInA.push_back(&p);
    }
    if (oneDefinition) return out;
    for (const Parameter& p : b.definition().parameters)
        if (!met.count(&p)) out.onlyInB.push_back(&p);
    return out;
}

std::vector<Difference> compare(const Calibration& a, const Calibration& b) {
    return compareAll(a, b).differences;
}

}  // namespace brusk::calibration
