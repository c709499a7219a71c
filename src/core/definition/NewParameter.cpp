// The text of a parameter that somebody describes by its address.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/NewParameter.h"

#include <cmath>

#include "core/base/Text.h"
#include "core/definition/A2lWriter.h"

namespace brusk::definition {
namespace {

/// A plain name for a scale of its own: "scale_0_01_kPa".
std::string scaleName(const NewParameter& wanted) {
    std::string name = "scale_" + exactNumber(wanted.factor) + "_" + exactNumber(wanted.offset) + "_" + wanted.unit;
    for (char& c : name)
        if (!((c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9'))) c = '_';
    return name;
}

Result<Conversion> conversionFor(const NewParameter& wanted, const Definition& base) {
    if (!wanted.conversion.empty()) {
        for (const Conversion& k : base.conversions)
            if (k.name == wanted.conversion) return k;
        return fail(ErrorCode::NotFound, "There is no conversion " + wanted.conversion + " in the definition.");
    }
    if (!std::isfinite(wanted.factor) || wanted.factor == 0 || !std::isfinite(wanted.offset))
        return fail(ErrorCode::BadInput, "The factor must be a number other than zero.");
    Conversion k;
    k.name = scaleName(wanted);
    k.kind = Conversion::Kind::Linear;
    k.a = wanted.factor;
    k.b = wanted.offset;
    k.unit = wanted.unit;
    k.decimals = std::clamp(wanted.decimals, 0, 15);
    return k;
}

/// The axis as a description, its AXIS_PTS (and what that needs) put into `out`.
Result<Axis> axisFor(const NewParameter::Along& along, const Definition& base, Definition& out) {
    Axis axis;
    if (along.shared.empty()) {
        if (along.points < 1 || along.points > 65535)
            return fail(ErrorCode::BadInput, "An axis has 1 to 65535 breakpoints.");
        axis.kind = Axis::Kind::Fixed;
        axis.points = along.points;
        axis.input = "NO_INPUT_QUANTITY";
        axis.upper = along.points;
        for (uint32_t i = 0; i < along.points; ++i)
            axis.fixed.push_back(i);
        return axis;
    }
    const auto part = extract(base, along.shared);
    if (!part) return tl::unexpected(part.error());
    const Parameter& points = part->parameters.front();
    if (points.kind != Parameter::Kind::AxisPoints) return fail(ErrorCode::BadInput, along.shared + " is not an axis.");
    axis.kind = Axis::Kind::Shared;
    axis.shared = points.name;
    axis.input = points.input;
    axis.points = points.number;
    axis.lower = points.lower;
    axis.upper = points.upper;
    const size_t conversions = out.conversions.size(), layouts = out.layouts.size();
    out.conversions.insert(out.conversions.end(), part->conversions.begin(), part->conversions.end());
    out.layouts.insert(out.layouts.end(), part->layouts.begin(), part->layouts.end());
    axis.conversion = conversions + points.conversion;
    if (std::none_of(out.parameters.begin(), out.parameters.end(),
                     [&](const Parameter& p) { return p.name == points.name; })) {
        Parameter copy = points;
        copy.conversion += conversions;
        copy.layout += layouts;
        if (!copy.byteOrder) copy.byteOrder = base.byteOrder;
        out.parameters.push_back(std::move(copy));
    }
    return axis;
}

}  // namespace

Result<Definition> describe(const NewParameter& wanted, const Definition& base) {
    if (!isIdentifier(wanted.name))
        return fail(ErrorCode::BadInput,
                    "\"" + wanted.name + "\" can't be a name: letters, digits and underscores, no digit first.");
    if (base.parameter(wanted.name) || base.measurement(wanted.name))
        return fail(ErrorCode::Conflict, "There is a " + wanted.name + " already.");
    Definition out;
    out.byteOrder = base.byteOrder;
    Conversion none;
    none.name = "NO_COMPU_METHOD";
    out.conversions.push_back(none);
    auto conversion = conversionFor(wanted, base);
    if (!conversion) return tl::unexpected(conversion.error());
    out.conversions.push_back(std::move(*conversion));
    Layout layout;
    layout.name =
        std::string("values_") + std::string(dataTypeName(wanted.type)) + (wanted.columnsFirst ? "_columns" : "");
    layout.columnsFirst = wanted.columnsFirst;
    layout.items.push_back({1, Layout::Field::Values, 0, wanted.type});
    // The address is given by hand: it is taken as it is.
    std::fill(std::begin(layout.alignment), std::end(layout.alignment), uint8_t{1});
    out.layouts.push_back(layout);
    Parameter p;
    p.name = wanted.name;
    p.description = wanted.description;
    p.kind = wanted.kind;
    p.address = wanted.address;
    p.conversion = 1;
    if (wanted.byteOrder != base.byteOrder) p.byteOrder = wanted.byteOrder;
    const auto [low, high] = rangeOf(wanted.type);
    const Conversion& k = out.conversions[1];
    const double a = k.toPhysical(low), b = k.toPhysical(high);
    p.lower = std::isfinite(a) && std::isfinite(b) ? std::min(a, b) : -1e9;
    p.upper = std::isfinite(a) && std::isfinite(b) ? std::max(a, b) : 1e9;
    if (wanted.kind == Parameter::Kind::Text) p.number = std::max(1u, wanted.x.points);
    const NewParameter::Along* along[] = {&wanted.x, &wanted.y};
    const size_t axes = wanted.kind == Parameter::Kind::Map ? 2 : wanted.kind == Parameter::Kind::Curve ? 1 : 0;
    for (size_t i = 0; i < axes; ++i) {
        auto axis = axisFor(*along[i], base, out);
        if (!axis) return tl::unexpected(axis.error());
        p.axes.push_back(std::move(*axis));
    }
    out.parameters.insert(out.parameters.begin(), std::move(p));
    out.index();
    return out;
}

}  // namespace brusk::definition
