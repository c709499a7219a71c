// The axes of a map over engine speed and manifold pressure: in rpm and kPa, whichever of them runs across, whatever
// units the controller keeps them in. SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>

#include "core/calibration/Calibration.h"
#include "core/evidence/AirRatio.h"
#include "core/evidence/Cells.h"

namespace brusk::evidence {

class MapAxes {
  public:
    /// Axes in units that nobody knows are taken for rpm across and kPa down.
    explicit MapAxes(const calibration::Table& table);

    const AxisLookup& across() const { return across_; }
    const AxisLookup& down() const { return down_; }
    bool pressureAcross() const { return pressureAcross_; }
    std::span<const float> across(const AirSamples& samples) const { return pressureAcross_ ? samples.y : samples.x; }
    std::span<const float> down(const AirSamples& samples) const { return pressureAcross_ ? samples.x : samples.y; }
    /// Statistics of the samples' ratio in the map's cells, row by row as the map lies.
    std::vector<CellStat> statistics(const AirSamples& samples) const { return statistics(samples, samples.ratio); }
    std::vector<CellStat> statistics(const AirSamples& samples, std::span<const float> value) const {
        return cellStatistics(across_, down_, across(samples), down(samples), value);
    }
    /// Speed and pressure of a node.
    double speed_rpm(size_t row, size_t column) const;
    double pressure_kPa(size_t row, size_t column) const;

  private:
    bool pressureAcross_;
    AxisLookup across_, down_;
};

}  // namespace brusk::evidence
