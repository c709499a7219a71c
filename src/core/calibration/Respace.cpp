// A table on other breakpoints, with what is lost told beforehand.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Respace.h"

namespace brusk::calibration {

using definition::Axis;
using definition::Parameter;

std::vector<const Parameter*> usersOfAxis(const definition::Definition& definition, const std::string& shared) {
    std::vector<const Parameter*> out;
    for (const Parameter& p : definition.parameters)
        for (const Axis& axis : p.axes)
            if (axis.kind == Axis::Kind::Shared && axis.shared == shared) {
                out.push_back(&p);
                break;
            }
    return out;
}

namespace {

std::vector<CellValue> asCells(const std::vector<double>& values) {
    std::vector<CellValue> cells;
    cells.reserve(values.size());
    for (size_t i = 0; i < values.size(); ++i)
        cells.push_back({i, values[i]});
    return cells;
}

/// Brings the numbers of one parameter from its old surface onto its new breakpoints, slice by slice.
Result<Respacing::Follower> follow(const Calibration& before, Calibration& after, const Parameter& p, Keep keep,
                                   Outside outside) {
    Respacing::Follower follower{&p, {}, 0};
    const auto first = before.read(p);
    if (!first) return tl::unexpected(first.error());
    for (size_t slice = 0; slice < first->slices; ++slice) {
        const auto old = before.read(p, slice);
        auto now = after.read(p, slice);
        if (!old || !now) return tl::unexpected((old ? now : old).error());
        if (keep == Keep::Surface) {
            const auto numbers = fitted(*now, *old, outside);
            if (!numbers) return tl::unexpected(numbers.error());
            const auto edit = after.prepare(p, asCells(*numbers), AtLimit::Clamp, {}, slice);
            if (!edit) return tl::unexpected(edit.error());
            follower.clamped += edit->clamped;
            if (auto done = after.apply(*edit); !done) return tl::unexpected(done.error());
            now = after.read(p, slice);
            if (!now) return tl::unexpected(now.error());
        }
        const SurfaceError error = surfaceError(*now, *old);
        follower.error.largest = std::max(follower.error.largest, error.largest);
        follower.error.rms = std::max(follower.error.rms, error.rms);
    }
    return follower;
}

}  // namespace

Result<Respacing> respace(const Calibration& calibration, const Parameter& parameter, size_t axis,
                          const std::vector<double>& breakpoints, Keep keep, Outside outside) {
    if (axis >= parameter.axes.size()) return fail(ErrorCode::BadInput, parameter.name + " has no such axis.");
    Respacing out;
    const Axis& described = parameter.axes[axis];
    if (described.kind == Axis::Kind::Shared) out.shared = described.shared;
    const auto points = calibration.prepareBreakpoints(parameter, axis, breakpoints, AtLimit::Refuse, {});
    if (!points) return tl::unexpected(points.error());
    Calibration after = calibration;
    if (auto done = after.apply(*points); !done) return tl::unexpected(done.error());
    std::vector<const Parameter*> users{&parameter};
    if (!out.shared.empty())
        for (const Parameter* user : usersOfAxis(calibration.definition(), out.shared))
            if (user != &parameter) users.push_back(user);
    for (const Parameter* user : users) {
        if (user->readOnly && keep == Keep::Surface)
            return fail(ErrorCode::Refused,
                        user->name + " lies on this axis and is read-only: its surface can't be kept.");
        auto follower = follow(calibration, after, *user, keep, outside);
        if (!follower) return tl::unexpected(follower.error());
        out.followers.push_back(*follower);
    }
    out.edit = editBetween(
        calibration.image(), after.image(),
        "re-space " + (out.shared.empty() ? parameter.title() : out.shared) + (axis == 0 ? " across" : " down"));
    return out;
}

std::vector<double> stretched(const std::vector<double>& breakpoints, double first, double last) {
    std::vector<double> out = breakpoints;
    if (out.size() < 2) return out;
    const double from = breakpoints.front(), span = breakpoints.back() - breakpoints.front();
    for (double& b : out)
        b = span > 0 ? first + (b - from) / span * (last - first) : first;
    return out;
}

std::vector<double> evenly(size_t count, double first, double last) {
    std::vector<double> out(count, first);
    for (size_t i = 1; i < count; ++i)
        out[i] = first + (last - first) * static_cast<double>(i) / static_cast<double>(count - 1);
    return out;
}

}  // namespace brusk::calibration
