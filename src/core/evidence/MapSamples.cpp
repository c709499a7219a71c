// Lays each drive's samples on the axes, counts visits, keeps the way back to moments.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/MapSamples.h"

#include "core/evidence/Spans.h"

#include <algorithm>
#include <cmath>

#include "core/recording/Expression.h"

namespace brusk::evidence {

namespace {

/// The watched numbers of one drive: their rows, all of them when empty.
struct Watched {
    std::span<const uint32_t> row;
    Column value;
    Column airChange_s;
    recording::Column own;  ///< what `value` looks at where nobody else keeps it
    bool there = false;
    std::optional<Error> problem;
};

Watched watched(const Drives& drives, size_t i, const Measure& measure) {
    Watched out;
    switch (measure.what) {
        case Measure::What::Presence:
            out.there = true;
            break;
        case Measure::What::Mixture:
        case Measure::What::Density:
        case Measure::What::Metered:
            if (const auto& mixture = drives.mixture()) {
                const MixtureSamples& samples = mixture->drives[i];
                out.row = samples.row;
                out.value = measure.what == Measure::What::Mixture   ? samples.ratio
                            : measure.what == Measure::What::Density ? samples.density
                                                                     : samples.metered;
                out.airChange_s = samples.airChange_s;
                out.there = !samples.row.empty();
            } else {
                out.problem = mixture.error();
            }
            break;
        case Measure::What::Channel:
            if (const auto column = drives[i].column(*measure.role)) {
                out.value = *column;
                out.there = !out.value.empty();
            } else {
                out.problem = column.error();
            }
            break;
        case Measure::What::Expression:
            for (const auto& group : drives.recording(i).groups) {
                if (group.time_s.begin() != drives[i].time_s().data()) continue;
                if (auto values = recording::evaluate(measure.expression, drives.recording(i), group)) {
                    out.own = std::move(*values);
                    out.value = out.own.values();
                    out.there = true;
                } else {
                    out.problem = values.error();
                }
            }
            break;
    }
    return out;
}

}  // namespace

MapAxes::MapAxes(const definition::Definition& definition, const calibration::Table& table)
    : x(axisInput(definition, table.x)),
      y(axisInput(definition, table.y)),
      across(table.x.values),
      down(table.y.values) {}

std::optional<double> MapAxes::at(roles::Role role, size_t row, size_t column) const {
    const auto in = [&](const AxisInput& axis, const AxisLookup& points, size_t i) -> std::optional<double> {
        if (axis.role != role || i >= points.size()) return std::nullopt;
        const double point = points.points()[i];
        if (axis.unit.empty() || axis.unit == role.unit()) return point;
        const auto shown = units::conversion(axis.unit, role.unit());
        return shown ? std::optional((*shown)(point)) : std::nullopt;
    };
    const auto first = in(x, across, column);
    return first ? first : in(y, down, row);
}

MapSamples::MapSamples(const definition::Definition& definition, const calibration::Table& table, const Drives& drives,
                       const Measure& measure)
    : MapSamples(definition, table) {
    const bool map = axes.rows() > 1;
    for (size_t d = 0; d < drives.size(); ++d) {
        const Sampled& sampled = drives[d];
        const Column acrossAt = sampled.along(axes.x), downAt = map ? sampled.along(axes.y) : Column();
        if (acrossAt.empty() || (map && downAt.empty())) continue;
        recorded = true;
        const Watched seen = watched(drives, d, measure);
        if (seen.problem && !problem) problem = seen.problem;
        if (!seen.there) continue;
        const bool all = seen.row.empty();
        const size_t n = all ? sampled.size() : seen.row.size();
        for (size_t k = 0; k < n; ++k) {
            const size_t i = all ? k : seen.row[k];
            const float v = seen.value.empty() ? 0 : seen.value[k];
            const float down = map ? downAt[i] : 0;
            if (std::isnan(acrossAt[i]) || std::isnan(down) || std::isnan(v)) continue;
            x.push_back(acrossAt[i]), y.push_back(down), value.push_back(v);
            if (!seen.airChange_s.empty()) airChange_s.push_back(seen.airChange_s[k]);
            row.push_back(static_cast<uint32_t>(i));
            drive.push_back(static_cast<uint16_t>(d));
            time_s.push_back(sampled.time_s()[i]);
        }
    }
}

std::vector<uint32_t> MapSamples::visits() const {
    std::vector<uint32_t> out(axes.rows() * axes.columns());
    VisitCounter counter(axes.rows(), axes.columns());
    for (size_t i = 0; i < size(); ++i) {
        const size_t cell = cellOf(i);
        out[cell] += counter.step(drive[i], time_s[i], cell / axes.columns(), cell % axes.columns());
    }
    return out;
}

std::vector<double> MapSamples::times(size_t cell, uint16_t wanted) const {
    std::vector<double> out;
    for (size_t i = 0; i < size(); ++i)
        if (drive[i] == wanted && cellOf(i) == cell) out.push_back(time_s[i]);
    return out;
}

std::vector<Moment> MapSamples::moments(size_t cell) const {
    std::vector<Moment> out;
    for (size_t i = 0; i < size(); ++i) {
        if (cellOf(i) != cell) continue;
        if (out.empty() || out.back().drive != drive[i] || time_s[i] - out.back().to_s > VisitCounter::kPause_s)
            out.push_back({drive[i], time_s[i], time_s[i]});
        out.back().to_s = time_s[i];
    }
    return out;
}

std::optional<size_t> MapSamples::cellAt(uint32_t wanted, double t) const {
    constexpr double kNear_s = 0.5;
    const auto from = std::lower_bound(drive.begin(), drive.end(), wanted) - drive.begin();
    const auto to = std::upper_bound(drive.begin(), drive.end(), wanted) - drive.begin();
    if (from == to) return std::nullopt;
    auto i = std::upper_bound(time_s.begin() + from, time_s.begin() + to, t) - time_s.begin();
    if (i > from) --i;
    const auto k = static_cast<size_t>(i);
    return std::abs(time_s[k] - t) <= kNear_s ? std::optional(cellOf(k)) : std::nullopt;
}

VisitCounter::VisitCounter(size_t rows, size_t columns)
    : rows_(rows), columns_(columns), near_(rows * columns), open_(rows * columns) {}

bool VisitCounter::step(uint32_t drive, double time_s, size_t row, size_t column) {
    // A sample that follows no other leaves a hole, so that no neighbourhood goes on.
    const bool pause = drive != drive_ || time_s - time_s_ > kPause_s || time_s < time_s_;
    drive_ = drive, time_s_ = time_s;
    // Where it stays in its cell nothing changes for any other.
    const size_t here = row * columns_ + column;
    if (!pause && here == here_) return false;
    here_ = here;
    sample_ += pause ? 2 : 1;
    for (size_t r = row > 0 ? row - 1 : 0; r <= std::min(row + 1, rows_ - 1); ++r)
        for (size_t c = column > 0 ? column - 1 : 0; c <= std::min(column + 1, columns_ - 1); ++c) {
            const size_t k = r * columns_ + c;
            if (near_[k] + 1 != sample_) open_[k] = false;
            near_[k] = sample_;
        }
    const bool begins = !open_[here];
    open_[here] = true;
    return begins;
}

std::vector<uint32_t> samplesInCells(const MapAxes& axes, const Drives& drives, std::span<const Stretch> stretches) {
    std::vector<uint32_t> out(axes.rows() * axes.columns());
    for (const Stretch& where : stretches) {
        const Sampled& drive = drives[where.drive];
        const Column x = drive.along(axes.x), y = axes.rows() > 1 ? drive.along(axes.y) : Column();
        if (x.empty() || (axes.rows() > 1 && y.empty())) continue;
        const Span span = samplesIn(drive.time_s(), where.from_s, where.to_s);
        for (size_t i = span.begin; i < span.end; ++i) {
            if (std::isnan(x[i]) || (!y.empty() && std::isnan(y[i]))) continue;
            const size_t row = y.empty() ? 0 : axes.down.nearest(static_cast<double>(y[i]));
            ++out[row * axes.columns() + axes.across.nearest(static_cast<double>(x[i]))];
        }
    }
    return out;
}

}  // namespace brusk::evidence
