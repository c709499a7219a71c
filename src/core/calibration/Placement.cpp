// Record layouts become offsets: axes, alignment, order of rows, bits of a byte.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Placement.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"

namespace brusk::calibration {

using definition::Axis;
using definition::Definition;
using definition::kMostAxes;
using definition::Layout;
using definition::Parameter;

uint32_t Placement::cellAddress(size_t index, size_t slice) const {
    size_t element = index % counts[0] * strides[0] + index / counts[0] * strides[1];
    for (int i = 2; i < kMostAxes; ++i) {
        element += slice % counts[i] * strides[i];
        slice /= counts[i];
    }
    return static_cast<uint32_t>(values + element * definition::sizeOf(type));
}

uint32_t Placement::breakpointAddress(size_t axis, size_t i) const {
    const AxisPlace& a = axes[axis];
    const size_t at = a.falling ? counts[axis] - 1 - i : i;
    return static_cast<uint32_t>(a.at + at * definition::sizeOf(a.type));
}

namespace {

constexpr size_t kMostElements = size_t{1} << 28;

/// Walks a layout's items once, field after field.
class Walk {
  public:
    Walk(const Definition& definition, const image::Image& image, const Parameter& p)
        : definition_(definition), image_(image), p_(p), layout_(definition.layouts[p.layout]) {}

    Result<Placement> run() {
        if (!layout_.unreadable.empty())
            return fail(ErrorCode::BadInput, p_.name + " can't be read: " + layout_.unreadable + ".");
        if (p_.computed)
            return fail(ErrorCode::BadInput, p_.name + " has no bytes of its own; it is computed from others.");
        out_.begin = p_.address;
        out_.order = p_.byteOrder.value_or(definition_.byteOrder);
        if (auto done = startCounts(); !done) return tl::unexpected(done.error());
        at_ = p_.address;
        for (const Layout::Item& item : layout_.items) {
            const size_t alignment = layout_.alignment[static_cast<size_t>(item.type)];
            at_ = (at_ + alignment - 1) / alignment * alignment;
            if (auto done = take(item); !done) return tl::unexpected(done.error());
            if (at_ > uint64_t{1} << 32)
                return fail(ErrorCode::OutOfRange, p_.name + " runs beyond the address space.");
        }
        out_.end = at_;
        computeAxes();
        const bool points = p_.kind == Parameter::Kind::AxisPoints;
        if (points && !pairs_) {
            // The breakpoints themselves are what is edited here.
            out_.values = out_.axes[0].at;
            out_.type = out_.axes[0].type;
        }
        if (!(points ? pairs_ || out_.axes[0].stored : found_))
            return fail(ErrorCode::BadInput, "Layout " + layout_.name + " of " + p_.name + " has no values.");
        setStrides();
        return std::move(out_);
    }

  private:
    /// Cells along each axis before the record's own counts are known.
    Done startCounts() {
        for (int i = 0; i < kMostAxes; ++i)
            most_[i] = 1;
        if (p_.axes.empty()) {
            const uint32_t number = std::max<uint32_t>(1, p_.number);
            most_[0] = p_.rowLength ? p_.rowLength : number;
            most_[1] = p_.rowLength ? (number + p_.rowLength - 1) / p_.rowLength : 1;
        }
        for (size_t i = 0; i < p_.axes.size(); ++i)
            most_[i] = std::max<uint32_t>(1, p_.axes[i].points);
        for (int i = 0; i < kMostAxes; ++i) {
            if (layout_.fixedCounts[i]) most_[i] = layout_.fixedCounts[i];
            out_.counts[i] = most_[i];
        }
        for (size_t i = 0; i < p_.axes.size(); ++i) {
            const Axis& axis = p_.axes[i];
            if (axis.kind == Axis::Kind::Fixed && !axis.fixed.empty()) out_.counts[i] = axis.fixed.size();
            if (axis.kind != Axis::Kind::Shared) continue;
            const Parameter* points = definition_.parameter(axis.shared);
            if (!points)
                return fail(ErrorCode::NotFound, "The axis " + axis.shared + " of " + p_.name + " is not defined.");
            const auto there = place(definition_, image_, *points);
            if (!there) return tl::unexpected(there.error());
            // An axis that stores fewer breakpoints makes the map smaller; one that stores more is not of this map.
            if (there->counts[0] > most_[i])
                return fail(ErrorCode::Mismatch, p_.name + " has room for " + std::to_string(most_[i]) +
                                                     " breakpoints, its axis " + axis.shared + " holds " +
                                                     std::to_string(there->counts[0]) + ".");
            out_.counts[i] = there->counts[0];
        }
        return {};
    }

    Result<double> number(const Layout::Item& item) const {
        const auto bytes =
            image_.bytes(static_cast<uint32_t>(at_), static_cast<uint32_t>(definition::sizeOf(item.type)));
        if (!bytes) return failBecause(p_.name + " can't be read.", bytes.error());
        return definition::loadRaw(bytes->data(), item.type, out_.order);
    }

    /// A count that the record keeps; it must lie between one and the most.
    Done takeCount(const Layout::Item& item, size_t most, size_t& count) {
        const auto stored = number(item);
        if (!stored) return tl::unexpected(stored.error());
        if (!(*stored >= 1 && *stored <= static_cast<double>(most)))
            return fail(ErrorCode::OutOfRange, p_.name + " stores " + formatNumber(*stored, 0) + " breakpoints at " +
                                                   hexAddress(at_) + "; the definition allows 1 to " +
                                                   std::to_string(most) + ".");
        count = static_cast<size_t>(*stored);
        return {};
    }

    Done take(const Layout::Item& item) {
        const size_t size = definition::sizeOf(item.type);
        const auto axis = static_cast<size_t>(item.axis);
        const bool keeps = layout_.staticPlaces || layout_.staticOffsets;
        size_t elements = 1;
        switch (item.field) {
            case Layout::Field::AxisCount:
                if (auto done = takeCount(item, most_[axis], out_.counts[axis]); !done) return done;
                break;
            case Layout::Field::RescaleCount: {
                size_t count = 1;
                if (auto done = takeCount(item, 65535, count); !done) return done;
                pairCount_ = count;
                break;
            }
            case Layout::Field::AxisPoints:
                out_.axes[axis] = {static_cast<uint32_t>(at_), item.type, true, item.falling, {}};
                elements = keeps ? most_[axis] : out_.counts[axis];
                break;
            case Layout::Field::RescalePairs:
                pairs_ = true;
                out_.values = static_cast<uint32_t>(at_);
                out_.type = item.type;
                out_.counts[0] = 2;
                out_.counts[1] = pairCount_ ? std::min<size_t>(pairCount_, item.pairs) : item.pairs;
                elements = 2 * (keeps ? item.pairs : out_.counts[1]);
                break;
            case Layout::Field::Values:
                found_ = true;
                out_.values = static_cast<uint32_t>(at_);
                out_.type = item.type;
                for (int i = 0; i < kMostAxes && elements <= kMostElements; ++i)
                    elements *= keeps ? most_[i] : out_.counts[i];
                if (elements > kMostElements)
                    return fail(ErrorCode::OutOfRange, p_.name + " asks for more than 256 million cells.");
                break;
            case Layout::Field::Offset:
            case Layout::Field::Shift:
            case Layout::Field::Distance: {
                const auto stored = number(item);
                if (!stored) return tl::unexpected(stored.error());
                (item.field == Layout::Field::Offset ? offset_[axis] : step_[axis]) =
                    item.field == Layout::Field::Shift ? std::exp2(*stored) : *stored;
                break;
            }
            case Layout::Field::Reserved:
            case Layout::Field::Other:
                break;
        }
        at_ += uint64_t{size} * elements;
        return {};
    }

    void computeAxes() {
        for (int i = 0; i < kMostAxes; ++i)
            for (size_t k = 0; step_[i] != 0 && k < out_.counts[i]; ++k)
                out_.axes[i].computed.push_back(offset_[i] + static_cast<double>(k) * step_[i]);
    }

    /// Rows or columns together; slices of a cuboid one after another.
    void setStrides() {
        const auto room = [&](int i) { return layout_.staticPlaces && !pairs_ ? most_[i] : out_.counts[i]; };
        const bool columns = layout_.columnsFirst && p_.axes.size() >= 2;
        out_.strides[0] = columns ? room(1) : 1;
        out_.strides[1] = columns ? 1 : room(0);
        size_t stride = room(0) * room(1);
        for (int i = 2; i < kMostAxes; ++i) {
            out_.strides[i] = stride;
            stride *= room(i);
        }
    }

    const Definition& definition_;
    const image::Image& image_;
    const Parameter& p_;
    const Layout& layout_;
    Placement out_;
    uint64_t at_ = 0;
    size_t most_[kMostAxes];
    double offset_[kMostAxes] = {}, step_[kMostAxes] = {};
    size_t pairCount_ = 0;
    bool pairs_ = false, found_ = false;
};

}  // namespace

Result<Placement> place(const Definition& definition, const image::Image& image, const Parameter& parameter) {
    return Walk(definition, image, parameter).run();
}

}  // namespace brusk::calibration
