// Node factors of a map from samples, the way the controller reads the map: each sample informs the four nodes around
// it. Visits, not samples, are what is independent.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <span>
#include <vector>

#include "core/evidence/Cells.h"

namespace brusk::evidence {

struct MapSamples;

struct CellFitOptions {
    double restraint = 0.10;    ///< how far ln m may be from nil where nobody drove (standard deviation)
    double driveFactor = 0.01;  ///< how far one drive's level may be from another's: fuel, weather
    double airLead_s = 0.05;    ///< of the coefficient of d ln(air) / dt
    double curvature = 0;       ///< how much ln m bends from node to node; nil: what the samples speak for
    double huber = 1.345;       ///< standard deviations beyond which a visit counts less
    int passes = 4;             ///< of reweighting
    double wideband = 0.01;     ///< its error, which no number of samples removes
};

/// Samples to be fitted, n each; the last three may be empty: then every sample is independent of the others.
struct FitSamples {
    std::span<const float> x, y, ratio;  ///< in the axes' units; the ratio around one
    std::span<const double> time_s;
    std::span<const uint16_t> drive;
    std::span<const float> airChange_s;
};

/// How well the fit tells a visit that it has not seen: every visit is left out once. RMS of ln over the visits by
/// their weights; what belongs to a drive as a whole, or to motion, is taken out of all of them.
struct HeldOut {
    double now = 0;        ///< of what the visits say
    double then = 0;       ///< of what is left once each is told by all others
    double thenDoubt = 0;  ///< of `then`, a standard deviation between visits
    double sureness = 0;   ///< mean of (now^2 - then^2) over its standard deviation between visits
    double gain() const { return now - then; }
    /// Standard deviation of the gain.
    double doubt() const { return sureness > 0 ? gain() / sureness : INFINITY; }
    /// Whether the gain is above nil with p < 0.01.
    bool passes() const { return sureness > 2.33; }
};

/// rows x columns, a row is one y node. Doubts are standard deviations of ln m.
struct CellFit {
    size_t rows = 0;
    size_t columns = 0;
    std::vector<double> factor;      ///< m: new = old x m
    std::vector<double> doubt;       ///< random part
    std::vector<double> resolution;  ///< share of the answer that samples in the cell and those beside it give, 0 to 1
    std::vector<uint32_t> visits;    ///< of the nearest cell
    std::vector<double> evidence;    ///< weight of samples on the node
    double systematic = 0;           ///< of all cells alike: the wideband's and the drives'
    double within = 0;               ///< spread of samples within a visit
    double between = 0;              ///< of visits beyond what their samples explain
    double correlation_s = 0;        ///< how long samples resemble each other
    double curvature = 0;            ///< that the samples speak for: how much ln m bends from node to node
    std::vector<double> drives;      ///< ln of each drive's own factor; empty for one drive
    double airLead_s = 0;            ///< what filters and wall film leave
    HeldOut heldOut;

    /// The fit between nodes.
    double at(const AxisLookup::Place& x, const AxisLookup::Place& y) const;
};

/// When a cell is known: by doubt, not by a count.
struct Enough {
    double resolution = 0.8;
    double doubt = 0.015;
    uint32_t visits = 3;

    bool operator()(const CellFit& fit, size_t cell) const {
        return fit.resolution[cell] >= resolution && fit.doubt[cell] <= doubt && fit.visits[cell] >= visits;
    }
};

/// Minimises  sum w rho(sum b ln m - ln r) + curvature of ln m along both axes and mixed + (ln m / restraint)^2  over
/// the means of visits, by iteratively reweighted least squares with Huber's rho. Weights are those of variance
/// components: within visits by the samples that are independent, between visits by what is left. How much the surface
/// bends is what the samples themselves speak for most. Nodes without samples follow their neighbours and return to one
/// far away.
CellFit fitCells(const AxisLookup& xAxis, const AxisLookup& yAxis, const FitSamples& samples,
                 const CellFitOptions& options = {});
CellFit fitCells(const MapSamples& samples, const CellFitOptions& options = {});

}  // namespace brusk::evidence
