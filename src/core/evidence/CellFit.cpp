// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/CellFit.h"

#include <Eigen/Sparse>
#include <Eigen/SparseCholesky>
#include <algorithm>
#include <array>
#include <cmath>

namespace brusk::evidence {
namespace {

constexpr double kFirstScatter = 0.02;   // of the samples, until the first pass has measured it
constexpr double kLeastScatter = 0.004;  // a wideband is no better than this

using Matrix = Eigen::SparseMatrix<double>;
using Vector = Eigen::VectorXd;

/// Sums of one pass over the samples, kept per interval of the map: ten products and four right-hand sides.
struct IntervalSums {
    std::array<double, 10> products{};
    std::array<double, 4> targets{};
};

struct Weights {
    std::array<double, 4> b;
};

Weights bilinear(const AxisLookup::Place& x, const AxisLookup::Place& y) {
    const double u = x.fraction, v = y.fraction;
    return {{(1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v}};
}

class Fitter {
  public:
    Fitter(const AxisLookup& xAxis, const AxisLookup& yAxis, const CellFitOptions& options)
        : xAxis_(xAxis),
          yAxis_(yAxis),
          options_(options),
          columns_(std::max<size_t>(1, xAxis.size())),
          rows_(std::max<size_t>(1, yAxis.size())) {}

    CellFit run(std::span<const float> x, std::span<const float> y, std::span<const float> ratio) {
        CellFit fit;
        fit.rows = rows_;
        fit.columns = columns_;
        fit.factor.assign(rows_ * columns_, 1.0);
        Eigen::SimplicialLDLT<Matrix> solver;
        for (int pass = 0; pass < options_.passes; ++pass) {
            accumulate(fit, x, y, ratio, pass > 0);
            addPriors();
            const auto [matrix, target] = assemble(fit);
            solver.compute(matrix);
            const Vector m = solver.solve(target);
            std::copy(m.data(), m.data() + m.size(), fit.factor.begin());
        }
        certainty(fit, solver);
        return fit;
    }

  private:
    std::array<size_t, 4> nodes(size_t interval) const {
        const size_t across = std::max<size_t>(1, columns_ - 1);
        const size_t k = (interval / across) * columns_ + interval % across;
        const size_t right = columns_ > 1 ? 1 : 0;
        const size_t below = rows_ > 1 ? columns_ : 0;
        return {k, k + right, k + below, k + right + below};
    }

    void accumulate(const CellFit& fit, std::span<const float> xs, std::span<const float> ys,
                    std::span<const float> ratio, bool robust) {
        const size_t across = std::max<size_t>(1, columns_ - 1);
        sums_.assign(across * std::max<size_t>(1, rows_ - 1), {});
        double squares = 0;
        double weightSum = 0;
        for (size_t k = 0; k < ratio.size(); ++k) {
            if (!std::isfinite(ratio[k])) continue;
            const auto px = xAxis_.locate(xs[k]);
            const auto py = yAxis_.locate(ys[k]);
            const Weights w = bilinear(px, py);
            const size_t interval = py.index * across + px.index;
            double weight = 1;
            if (robust) {
                const auto n = nodes(interval);
                double predicted = 0;
                for (size_t i = 0; i < 4; ++i)
                    predicted += w.b[i] * fit.factor[n[i]];
                const double off = std::abs(predicted - ratio[k]);
                weight = off <= options_.huber ? 1 : options_.huber / off;
                squares += weight * off * off;
                weightSum += weight;
            }
            IntervalSums& s = sums_[interval];
            size_t p = 0;
            for (size_t i = 0; i < 4; ++i) {
                const double wb = weight * w.b[i];
                s.targets[i] += wb * ratio[k];
                for (size_t j = i; j < 4; ++j)
                    s.products[p++] += wb * w.b[j];
            }
        }
        if (weightSum > 0) residual_ = std::sqrt(squares / weightSum);
    }

    /// Second differences along both axes, scaled by the distances of the breakpoints, and the pull to 1.
    void addPriors() {
        priors_.clear();
        const double sample = sampleVariance();
        const double smoothness = sample / (options_.curvature * options_.curvature);
        restraint_ = sample / (options_.prior * options_.prior);
        const auto curvature = [&](const std::vector<double>& p, size_t i, size_t node, size_t stride) {
            const double h0 = p[i] - p[i - 1];
            const double h1 = p[i + 1] - p[i];
            if (h0 <= 0 || h1 <= 0) return;
            const double h = (h0 + h1) / 2;
            const std::array<double, 3> d{h / h0, -h / h0 - h / h1, h / h1};
            for (size_t a = 0; a < 3; ++a)
                for (size_t b = 0; b < 3; ++b)
                    add(node + a * stride - stride, node + b * stride - stride, smoothness * d[a] * d[b]);
        };
        for (size_t r = 0; r < rows_; ++r)
            for (size_t c = 0; c < columns_; ++c) {
                const size_t node = r * columns_ + c;
                if (c > 0 && c + 1 < columns_) curvature(xAxis_.points(), c, node, 1);
                if (r > 0 && r + 1 < rows_) curvature(yAxis_.points(), r, node, columns_);
                add(node, node, restraint_);
            }
    }

    /// Variance that one sample stands for, fewer of them being independent than there are.
    double sampleVariance() const {
        const double scatter = std::max(residual_, kLeastScatter);
        return scatter * scatter / options_.independent;
    }

    void add(size_t row, size_t column, double value) {
        priors_.emplace_back(static_cast<int>(row), static_cast<int>(column), value);
    }

    std::pair<Matrix, Vector> assemble(CellFit& fit) const {
        const auto n = static_cast<Eigen::Index>(rows_ * columns_);
        std::vector<Eigen::Triplet<double>> entries = priors_;
        Vector target = Vector::Constant(n, restraint_);
        fit.evidence.assign(rows_ * columns_, 0);
        for (size_t interval = 0; interval < sums_.size(); ++interval) {
            const auto node = nodes(interval);
            const IntervalSums& s = sums_[interval];
            size_t p = 0;
            for (size_t i = 0; i < 4; ++i) {
                target[static_cast<Eigen::Index>(node[i])] += s.targets[i];
                for (size_t j = i; j < 4; ++j, ++p) {
                    if (s.products[p] == 0) continue;
                    entries.emplace_back(static_cast<int>(node[i]), static_cast<int>(node[j]), s.products[p]);
                    if (i != j)
                        entries.emplace_back(static_cast<int>(node[j]), static_cast<int>(node[i]), s.products[p]);
                    fit.evidence[node[i]] += s.products[p];
                    if (i != j) fit.evidence[node[j]] += s.products[p];
                }
            }
        }
        Matrix matrix(n, n);
        matrix.setFromTriplets(entries.begin(), entries.end());
        return {matrix, target};
    }

    /// The diagonal of the inverse gives each node's variance in units of one sample's.
    void certainty(CellFit& fit, const Eigen::SimplicialLDLT<Matrix>& solver) const {
        const auto n = static_cast<Eigen::Index>(rows_ * columns_);
        fit.residual = residual_;
        fit.deviation.resize(rows_ * columns_);
        const double scale = sampleVariance();
        for (Eigen::Index i = 0; i < n; ++i) {
            Vector unit = Vector::Zero(n);
            unit[i] = 1;
            fit.deviation[static_cast<size_t>(i)] = std::sqrt(std::max(0.0, solver.solve(unit)[i] * scale));
        }
    }

    const AxisLookup& xAxis_;
    const AxisLookup& yAxis_;
    const CellFitOptions& options_;
    size_t columns_;
    size_t rows_;
    std::vector<IntervalSums> sums_;
    std::vector<Eigen::Triplet<double>> priors_;
    double residual_ = kFirstScatter;
    double restraint_ = 0;
};

}  // namespace

double CellFit::at(const AxisLookup::Place& x, const AxisLookup::Place& y) const {
    const Weights w = bilinear(x, y);
    const size_t k = y.index * columns + x.index;
    const size_t right = columns > 1 ? 1 : 0;
    const size_t below = rows > 1 ? columns : 0;
    return w.b[0] * factor[k] + w.b[1] * factor[k + right] + w.b[2] * factor[k + below] +
           w.b[3] * factor[k + right + below];
}

CellFit fitCells(const AxisLookup& xAxis, const AxisLookup& yAxis, std::span<const float> x, std::span<const float> y,
                 std::span<const float> ratio, const CellFitOptions& options) {
    return Fitter(xAxis, yAxis, options).run(x, y, ratio);
}

}  // namespace brusk::evidence
