// Node factors of a map from samples, the way the controller reads the map: each sample informs the four nodes around
// it. SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <span>
#include <vector>

#include "core/evidence/Cells.h"

namespace brusk::evidence {

struct CellFitOptions {
    double huber = 0.03;  ///< residual beyond which a sample counts less
    double curvature =
        0.02;  ///< how much a factor usually bends from node to node (standard deviation of second differences)
    double prior = 0.10;  ///< how far from 1 a factor may be where nobody drove (standard deviation)
    int passes = 4;       ///< of reweighting
    double independent =
        0.1;  ///< share of samples that count as independent (100 Hz samples resemble their neighbours)
};

/// rows x columns, a row is one y node.
struct CellFit {
    size_t rows = 0;
    size_t columns = 0;
    std::vector<double> factor;     ///< m: new = old x m
    std::vector<double> evidence;   ///< weight of samples on the node
    std::vector<double> deviation;  ///< standard deviation of the factor
    double residual = 0;            ///< root mean square of the samples about the fit

    /// The fit between nodes.
    double at(const AxisLookup::Place& x, const AxisLookup::Place& y) const;
};

/// Minimises  sum w rho(sum b m - r) / s^2 + (second differences / curvature)^2 + ((m - 1) / prior)^2  by iteratively
/// reweighted least squares with Huber's rho, s being the samples' own scatter; one pass over the samples each, sparse
/// LDLT. Nodes without samples follow their neighbours and return to 1 far away; the diagonal of the inverse is their
/// variance.
CellFit fitCells(const AxisLookup& xAxis, const AxisLookup& yAxis, std::span<const float> x, std::span<const float> y,
                 std::span<const float> ratio, const CellFitOptions& options = {});

}  // namespace brusk::evidence
