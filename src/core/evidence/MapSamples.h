// From samples to the cells of a map and back: where on a table's own axes each sample lies, whatever moves along them,
// in whatever unit.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/Cells.h"
#include "core/evidence/Drives.h"

namespace brusk::evidence {

/// What is watched in the cells.
struct Measure {
    enum class What {
        Presence,  ///< nothing: every sample counts, as nil
        Mixture,   ///< the ratio r of what counts, of the air that the controller used
        Density,   ///< the same of what its speed-density model said
        Metered,   ///< and of what its airflow meter said
        Channel,   ///< a channel by its role
        Expression
    };
    What what = What::Presence;
    std::optional<roles::Role> role;
    std::string expression;

    static Measure presence() { return {}; }
    static Measure mixture() { return {What::Mixture, {}, {}}; }
    static Measure density() { return {What::Density, {}, {}}; }
    static Measure metered() { return {What::Metered, {}, {}}; }
    static Measure channel(roles::Role role) { return {What::Channel, role, {}}; }
    static Measure ofExpression(std::string text) { return {What::Expression, {}, std::move(text)}; }
};

/// A table's axes in their own units, and what moves along them.
struct MapAxes {
    AxisInput x, y;
    AxisLookup across, down;

    MapAxes(const definition::Definition& definition, const calibration::Table& table);
    size_t columns() const { return std::max<size_t>(1, across.size()); }
    size_t rows() const { return std::max<size_t>(1, down.size()); }
    /// The value of a role at a node, in the role's unit; nothing where neither axis is that role.
    std::optional<double> at(roles::Role role, size_t row, size_t column) const;
};

/// A stretch of a drive.
struct Moment {
    uint32_t drive = 0;
    double from_s = 0, to_s = 0;
};

/// Samples on the axes of one table (n each).
struct MapSamples {
    MapAxes axes;
    std::vector<float> x, y;  ///< in the axes' units; y is nil for a curve
    std::vector<float> value;
    std::vector<float> airChange_s;  ///< d ln(air) / dt where the mixture is watched; else empty
    std::vector<uint32_t> row;       ///< on the drive's clock
    std::vector<uint16_t> drive;
    std::vector<double> time_s;
    bool recorded = false;         ///< some drive has what moves along the axes
    std::optional<Error> problem;  ///< the first reason why a drive could not be watched

    /// On the axes of a table, none yet.
    MapSamples(const definition::Definition& definition, const calibration::Table& table) : axes(definition, table) {}
    /// Where a drive lacks a channel of the axes, or of what is watched, it adds nothing.
    MapSamples(const definition::Definition& definition, const calibration::Table& table, const Drives& drives,
               const Measure& measure);

    size_t size() const { return value.size(); }
    std::vector<CellStat> cells() const { return cellStatistics(axes.across, axes.down, x, y, value); }
    /// Per cell how often the engine came by: a visit ends when it leaves the cell's neighbourhood, or pauses over a
    /// second.
    std::vector<uint32_t> visits() const;
    /// When one drive was in a cell, sample by sample.
    std::vector<double> times(size_t cell, uint16_t drive) const;
    /// When the engine was in a cell, stretches in their order.
    std::vector<Moment> moments(size_t cell) const;
    /// The cell of a moment of a drive; nothing where no sample that counts lies within half a second.
    std::optional<size_t> cellAt(uint32_t drive, double time_s) const;

  private:
    size_t cellOf(size_t i) const {
        return size_t{axes.down.nearest(y[i])} * axes.columns() + axes.across.nearest(x[i]);
    }
};

/// How many samples of some stretches lie in each cell, whether they count as evidence or not.
std::vector<uint32_t> samplesInCells(const MapAxes& axes, const Drives& drives, std::span<const Stretch> stretches);

/// Counts visits to cells while samples pass by in their order.
class VisitCounter {
  public:
    VisitCounter(size_t rows, size_t columns);
    /// The engine is in this cell now. Returns whether a visit begins.
    bool step(uint32_t drive, double time_s, size_t row, size_t column);
    static constexpr double kPause_s = 1;

  private:
    size_t rows_, columns_;
    std::vector<uint64_t> near_;  ///< per cell the last sample at which the engine was in its neighbourhood
    std::vector<bool> open_;      ///< whether a visit goes on as long as it stays there
    uint64_t sample_ = 1;         ///< of those that change cells; nil: never
    size_t here_ = SIZE_MAX;
    uint32_t drive_ = 0;
    double time_s_ = 0;
};

}  // namespace brusk::evidence
