// Means of visits on a surface that bends as much as they speak for, solved once, with its doubt.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/CellFit.h"

#include <Eigen/Sparse>
#include <Eigen/SparseCholesky>
#include <algorithm>
#include <array>
#include <cmath>

#include "core/evidence/MapSamples.h"
#include "core/evidence/Visits.h"

namespace brusk::evidence {
namespace {

using Matrix = Eigen::SparseMatrix<double>;
using Vector = Eigen::VectorXd;
using Solver = Eigen::SimplicialLDLT<Matrix>;
using Index = Eigen::Index;

constexpr double kLeastBetween = 0.0003;
constexpr double kUsualBetween = 0.004, kUsualVisits = 3;
constexpr double kCurvatures[] = {0.003, 0.006, 0.012, 0.025, 0.05};
constexpr size_t kMostHeldOut = 2500;     // unknowns whose whole inverse is kept
constexpr double kDrivesTogether = 1e-4;  // the drives' factors add up to nil, to this

class Fitter {
  public:
    Fitter(const AxisLookup& xAxis, const AxisLookup& yAxis, const FitSamples& samples, const CellFitOptions& options)
        : options_(options),
          columns_(std::max<size_t>(1, xAxis.size())),
          rows_(std::max<size_t>(1, yAxis.size())),
          nodes_(rows_ * columns_),
          visits_(xAxis, yAxis, samples) {
        for (const Visit& v : visits_.all)
            drives_ = std::max<size_t>(drives_, v.drive + size_t{1});
        lead_ = !samples.airChange_s.empty();
        size_ = nodes_ + (lead_ ? 1 : 0) + (drives_ > 1 ? drives_ : 0);
        bends(xAxis.points(), yAxis.points());
    }

    CellFit run() {
        double between = kUsualBetween;
        double curvature = options_.curvature > 0 ? options_.curvature : 0.012;
        std::vector<double> robust(visits_.all.size(), 1);
        Vector m = Vector::Zero(static_cast<Index>(size_));
        for (int pass = 0; pass < options_.passes; ++pass) {
            if (pass == 1) visits_.flatten({m.data(), nodes_});
            const double within = visits_.within;
            for (size_t g = 0; g < visits_.all.size(); ++g)
                visits_.all[g].weight = robust[g] / varianceOf(visits_.all[g], between, within);
            normal();
            // Which bend do the samples speak for? Asked twice, once the variances are about right.
            if (options_.curvature == 0 && (pass == 1 || pass == options_.passes - 1)) curvature = likeliest(m);
            assemble(curvature);
            m = solver_.solve(target_);
            double squares = 0, sum = 0, ones = 0;
            for (size_t g = 0; g < visits_.all.size(); ++g) {
                Visit& v = visits_.all[g];
                v.left = v.mean - predicted(v, m);
                const double off = std::abs(v.left) / std::sqrt(varianceOf(v, between, within));
                robust[g] = off <= options_.huber ? 1 : options_.huber / off;
                // Beyond three deviations no more is learned of the spread.
                const double counted = std::min(1.0, 9 / std::max(off * off, 1e-9));
                squares += v.independent * v.left * v.left * counted;
                sum += v.independent, ones += v.independent * v.independent;
            }
            if (sum <= 0) break;
            const double free = std::max(0.0, static_cast<double>(visits_.all.size()) - explained());
            const double tau2 = (squares - free * within * within) / std::max(1.0, sum - ones / sum);
            // Fits of few visits take part of what is between them; the share that is left tells how much. What is
            // usual weighs as much as a few visits do.
            const double share = std::clamp(free / static_cast<double>(visits_.all.size()), 0.2, 1.0);
            // Visits that agree better than their samples promise: what was slow within them was no error of theirs.
            constexpr double kLeastAgreement = 0.1;
            agreement_ = tau2 < 0 && free > kUsualVisits
                             ? std::clamp(squares / (free * within * within), kLeastAgreement, 1.0)
                             : 1.0;
            const double told = std::max(kLeastBetween * kLeastBetween, tau2 / share);
            between = std::sqrt((kUsualVisits * kUsualBetween * kUsualBetween + free * told) / (kUsualVisits + free));
        }
        return answer(m, visits_.within, between, curvature);
    }

  private:
    double varianceOf(const Visit& v, double between, double within) const {
        return between * between + agreement_ * within * within / v.independent;
    }

    /// What takes part in a visit: nodes with their shares, then the nuisances. Called with (index, share).
    template <class Each>
    void each(const Visit& v, Each call) const {
        const size_t row = v.cell / columns_, column = v.cell % columns_;
        for (size_t k = 0; k < 9; ++k)
            if (v.share[k] != 0) call((row + k / 3 - 1) * columns_ + column + k % 3 - 1, v.share[k]);
        eachOther(v, call);
    }
    template <class Each>
    void eachOther(const Visit& v, Each call) const {
        if (lead_) call(nodes_, v.change);
        if (drives_ > 1) call(nodes_ + (lead_ ? 1 : 0) + v.drive, 1.0);
    }
    double predicted(const Visit& v, const Vector& m) const {
        double out = 0;
        each(v, [&](size_t i, double share) { out += share * m[static_cast<Index>(i)]; });
        return out;
    }

    /// Sums over the visits: B'WB and B'We. What the nodes around a cell have in common is added up cell by cell first.
    void normal() {
        constexpr size_t kAround = 9;
        struct Around {
            std::array<double, kAround * kAround> products{};
            std::array<double, kAround> target{};
        };
        std::vector<Around> cells(nodes_);
        // The nuisances' rows are short, and full.
        const size_t others = size_ - nodes_;
        std::vector<double> rows(others * size_);
        target_ = Vector::Zero(static_cast<Index>(size_));
        for (const Visit& v : visits_.all) {
            Around& cell = cells[v.cell];
            for (size_t a = 0; a < kAround; ++a) {
                const double weighed = v.weight * v.share[a];
                cell.target[a] += weighed * v.mean;
                for (size_t b = 0; b < kAround; ++b)
                    cell.products[a * kAround + b] += weighed * v.share[b];
            }
            if (others == 0) continue;
            eachOther(v, [&](size_t i, double share) {
                target_[static_cast<Index>(i)] += v.weight * share * v.mean;
                each(v, [&](size_t k, double with) { rows[(i - nodes_) * size_ + k] += v.weight * share * with; });
            });
        }
        data_.clear();
        for (size_t c = 0; c < nodes_; ++c) {
            const auto node = [&](size_t k) { return static_cast<int>(c + k / 3 * columns_ + k % 3 - columns_ - 1); };
            for (size_t a = 0; a < kAround; ++a) {
                if (cells[c].products[a * kAround + a] == 0) continue;
                target_[node(a)] += cells[c].target[a];
                for (size_t b = 0; b < kAround; ++b)
                    if (const double product = cells[c].products[a * kAround + b]; product != 0)
                        data_.emplace_back(node(a), node(b), product);
            }
        }
        for (size_t i = 0; i < others; ++i)
            for (size_t k = 0; k < size_; ++k)
                if (const double product = rows[i * size_ + k]; product != 0) {
                    const auto row = static_cast<int>(nodes_ + i), column = static_cast<int>(k);
                    data_.emplace_back(row, column, product);
                    if (k < nodes_) data_.emplace_back(column, row, product);
                }
        const auto n = static_cast<Index>(size_);
        samples_.resize(n, n);
        samples_.setFromTriplets(data_.begin(), data_.end());
    }

    /// Second differences along both axes, scaled by the distances of the breakpoints, and mixed ones; for a bend of
    /// one.
    void bends(const std::vector<double>& xs, const std::vector<double>& ys) {
        std::vector<Eigen::Triplet<double>> entries;
        const auto add = [&](std::span<const std::pair<size_t, double>> stencil, double weight) {
            for (const auto& [i, a] : stencil)
                for (const auto& [j, b] : stencil)
                    entries.emplace_back(static_cast<int>(i), static_cast<int>(j), weight * a * b);
        };
        const auto along = [&](const std::vector<double>& p, size_t i, size_t node, size_t stride) {
            const double h0 = p[i] - p[i - 1], h1 = p[i + 1] - p[i];
            if (h0 <= 0 || h1 <= 0) return;
            const double h = (h0 + h1) / 2;
            const std::pair<size_t, double> stencil[] = {
                {node - stride, h / h0}, {node, -h / h0 - h / h1}, {node + stride, h / h1}};
            add(stencil, 1);
        };
        for (size_t r = 0; r < rows_; ++r)
            for (size_t c = 0; c < columns_; ++c) {
                const size_t node = r * columns_ + c;
                if (c > 0 && c + 1 < columns_) along(xs, c, node, 1);
                if (r > 0 && r + 1 < rows_) along(ys, r, node, columns_);
                if (r + 1 < rows_ && c + 1 < columns_) {
                    const std::pair<size_t, double> mixed[] = {
                        {node, 1}, {node + 1, -1}, {node + columns_, -1}, {node + columns_ + 1, 1}};
                    add(mixed, 2);
                }
            }
        const auto n = static_cast<Index>(size_);
        bend_.resize(n, n);
        bend_.setFromTriplets(entries.begin(), entries.end());
        entries.clear();
        for (size_t k = 0; k < nodes_; ++k)
            entries.emplace_back(static_cast<int>(k), static_cast<int>(k),
                                 1 / (options_.restraint * options_.restraint));
        size_t at = nodes_;
        if (lead_) {
            entries.emplace_back(static_cast<int>(at), static_cast<int>(at),
                                 1 / (options_.airLead_s * options_.airLead_s));
            ++at;
        }
        if (drives_ > 1)
            for (size_t a = 0; a < drives_; ++a)
                for (size_t b = 0; b < drives_; ++b)
                    entries.emplace_back(static_cast<int>(at + a), static_cast<int>(at + b),
                                         (a == b ? 1 / (options_.driveFactor * options_.driveFactor) : 0) +
                                             1 / (kDrivesTogether * kDrivesTogether * static_cast<double>(drives_)));
        hold_.resize(n, n);
        hold_.setFromTriplets(entries.begin(), entries.end());
    }

    Matrix priorOf(double curvature) const { return hold_ + bend_ * (1 / (curvature * curvature)); }

    void assemble(double curvature) {
        prior_ = priorOf(curvature);
        factorise(solver_, analysed_, samples_ + prior_);
    }

    /// Which nodes hang together is the same in every pass: the order of elimination is found once.
    static void factorise(Solver& solver, bool& analysed, const Matrix& matrix) {
        if (!analysed) solver.analyzePattern(matrix);
        analysed = true;
        solver.factorize(matrix);
    }

    /// The columns of the inverse of what was assembled, eight at a time, which is how many the processor takes at
    /// once.
    template <class Take>
    void eachOfInverse(Take take) const {
        constexpr int kAtOnce = 8;
        using Block = Eigen::Matrix<double, Eigen::Dynamic, kAtOnce, Eigen::RowMajor>;
        const auto& lower = solver_.matrixL().nestedExpression();
        const auto& order = solver_.permutationP().indices();
        const auto n = static_cast<Index>(size_);
        Block x(n, kAtOnce);
        Vector column(n);
        for (Index first = 0; first < n; first += kAtOnce) {
            const Index some = std::min<Index>(kAtOnce, n - first);
            x.setZero();
            for (Index k = 0; k < some; ++k)
                x(order[first + k], k) = 1;
            // Before the first of them all is nil.
            for (Index j = order.segment(first, some).minCoeff(); j < n; ++j)
                for (Matrix::InnerIterator it(lower, j); it; ++it)
                    if (it.index() > j) x.row(it.index()) -= it.value() * x.row(j);
            for (Index j = 0; j < n; ++j)
                x.row(j) /= solver_.vectorD()[j];
            for (Index j = n - 1; j >= 0; --j)
                for (Matrix::InnerIterator it(lower, j); it; ++it)
                    if (it.index() > j) x.row(j) -= it.value() * x.row(it.index());
            for (Index k = 0; k < some; ++k) {
                for (Index i = 0; i < n; ++i)
                    column[i] = x(order[i], k);
                take(first + k, column);
            }
        }
    }

    static double logDeterminant(const Solver& solver) { return solver.vectorD().array().abs().log().sum(); }

    /// The curvature under which these visits are most likely, all others integrated out.
    double likeliest(Vector& m) {
        double best = kCurvatures[0], top = -std::numeric_limits<double>::max();
        for (const double curvature : kCurvatures) {
            assemble(curvature);
            factorise(priorSolver_, priorAnalysed_, prior_);
            m = solver_.solve(target_);
            double cost = m.dot(prior_ * m) + logDeterminant(solver_) - logDeterminant(priorSolver_);
            for (const Visit& v : visits_.all) {
                const double left = v.mean - predicted(v, m);
                cost += v.weight * left * left;
            }
            if (-cost > top) top = -cost, best = curvature;
        }
        return best;
    }

    /// How many visits' worth of freedom the surface has: the trace of A^-1 B'WB.
    double explained() const {
        const auto& lower = solver_.matrixL().nestedExpression();
        const auto& order = solver_.permutationP().indices();
        const auto n = static_cast<Index>(size_);
        const auto *begins = lower.outerIndexPtr(), *rows = lower.innerIndexPtr();
        const double* factors = lower.valuePtr();
        // Those elements of the inverse that stand where L has some, column by column from the last: each follows from
        // later ones (Takahashi). The products ask for no others.
        std::vector<double> inverse(static_cast<size_t>(lower.nonZeros())), diagonal(size_), here(size_), sum(size_);
        const auto at = [&](Index p) -> double& { return inverse[static_cast<size_t>(p)]; };
        const auto of = [](std::vector<double>& values, Index i) -> double& { return values[static_cast<size_t>(i)]; };
        for (Index j = n - 1; j >= 0; --j) {
            for (auto p = begins[j]; p < begins[j + 1]; ++p)
                of(here, rows[p]) = factors[p], of(sum, rows[p]) = 0;
            double own = 1 / solver_.vectorD()[j];
            for (auto p = begins[j]; p < begins[j + 1]; ++p) {
                const Index k = rows[p];
                if (k <= j) continue;
                double& mine = of(sum, k);
                mine -= factors[p] * of(diagonal, k);
                for (auto q = begins[k]; q < begins[k + 1]; ++q) {
                    const double other = of(here, rows[q]);
                    if (rows[q] <= k || other == 0) continue;
                    of(sum, rows[q]) -= factors[p] * at(q);
                    mine -= other * at(q);
                }
            }
            for (auto p = begins[j]; p < begins[j + 1]; ++p) {
                if (rows[p] > j) at(p) = of(sum, rows[p]), own -= factors[p] * at(p);
                of(here, rows[p]) = 0;
            }
            of(diagonal, j) = own;
        }
        double out = 0;
        for (Index c = 0; c < n; ++c)
            for (Matrix::InnerIterator it(samples_, c); it; ++it) {
                const Index a = std::max(order[it.row()], order[c]), b = std::min(order[it.row()], order[c]);
                if (a == b) {
                    out += it.value() * of(diagonal, a);
                    continue;
                }
                const auto* found = std::lower_bound(rows + begins[b], rows + begins[b + 1], static_cast<int>(a));
                if (found != rows + begins[b + 1] && *found == a) out += it.value() * at(found - rows);
            }
        return out;
    }

    CellFit answer(const Vector& m, double within, double between, double curvature) const {
        CellFit out;
        out.rows = rows_, out.columns = columns_;
        out.within = within, out.between = between, out.curvature = curvature;
        out.correlation_s = visits_.correlation_s;
        out.visits = visits_.count;
        out.evidence.assign(nodes_, 0);
        for (const Visit& v : visits_.all)
            each(v, [&](size_t i, double share) {
                if (i < nodes_) out.evidence[i] += share * v.n;
            });
        Eigen::MatrixXf inverse;
        if (size_ <= kMostHeldOut) inverse.resize(static_cast<Index>(size_), static_cast<Index>(size_));
        eachOfInverse([&](Index i, const Vector& column) {
            const auto k = static_cast<size_t>(i);
            if (inverse.size() > 0) inverse.col(i) = column.cast<float>();
            if (k >= nodes_) return;
            out.factor.push_back(std::exp(m[i]));
            out.doubt.push_back(std::sqrt(std::max(0.0, column[i])));
            // What samples at the cell itself and at those beside it add to the answer.
            double near = 0;
            const size_t row = k / columns_, at = k % columns_;
            for (size_t r = row > 0 ? row - 1 : 0; r <= std::min(row + 1, rows_ - 1); ++r)
                for (size_t c = at > 0 ? at - 1 : 0; c <= std::min(at + 1, columns_ - 1); ++c)
                    near += samples_.col(static_cast<Index>(r * columns_ + c)).dot(column);
            out.resolution.push_back(std::clamp(near, 0.0, 1.0));
        });
        if (lead_) out.airLead_s = m[static_cast<Index>(nodes_)];
        if (drives_ > 1)
            for (size_t d = 0; d < drives_; ++d)
                out.drives.push_back(m[static_cast<Index>(size_ - drives_ + d)]);
        if (inverse.size() > 0) out.heldOut = heldOut(m, inverse);
        out.systematic = std::hypot(
            options_.wideband, options_.driveFactor / std::sqrt(static_cast<double>(std::max<size_t>(1, drives_))));
        return out;
    }

    /// Leaving a visit out of a linear fit grows what is left of it by 1 / (1 - its leverage).
    HeldOut heldOut(const Vector& m, const Eigen::MatrixXf& inverse) const {
        double weights = 0, now = 0, then = 0;
        std::vector<std::pair<double, double>> gains, lefts;  // of a visit: weight, square
        gains.reserve(visits_.all.size()), lefts.reserve(visits_.all.size());
        for (const Visit& v : visits_.all) {
            std::array<std::pair<Index, double>, 11> part{};
            size_t parts = 0;
            double own = v.mean;
            each(v, [&](size_t i, double share) {
                part[parts++] = {static_cast<Index>(i), share};
                if (i >= nodes_) own -= share * m[static_cast<Index>(i)];
            });
            double leverage = 0;
            for (size_t a = 0; a < parts; ++a)
                for (size_t b = 0; b < parts; ++b)
                    leverage +=
                        part[a].second * part[b].second * static_cast<double>(inverse(part[a].first, part[b].first));
            const double left = v.left / std::max(0.05, 1 - v.weight * leverage);
            weights += v.weight, now += v.weight * own * own, then += v.weight * left * left;
            gains.emplace_back(v.weight, own * own - left * left), lefts.emplace_back(v.weight, left * left);
        }
        HeldOut out;
        if (!(weights > 0)) return out;
        const double mean = (now - then) / weights;
        const auto spreadAround = [](const auto& squares, double middle) {
            double sum = 0;
            for (const auto& [weight, square] : squares)
                sum += weight * weight * (square - middle) * (square - middle);
            return std::sqrt(sum);
        };
        const double spread = spreadAround(gains, mean);
        out.now = std::sqrt(now / weights), out.then = std::sqrt(then / weights);
        out.sureness = spread > 0 ? mean * weights / spread : 0;
        if (then > 0) out.thenDoubt = spreadAround(lefts, then / weights) / weights / (2 * out.then);
        return out;
    }

    const CellFitOptions& options_;
    size_t columns_, rows_, nodes_;
    Visits visits_;
    size_t drives_ = 0, size_ = 0;
    bool lead_ = false;
    double agreement_ = 1;
    std::vector<Eigen::Triplet<double>> data_;
    Matrix samples_, bend_, hold_, prior_;
    Vector target_;
    Solver solver_, priorSolver_;
    bool analysed_ = false, priorAnalysed_ = false;
};

}  // namespace

double CellFit::at(const AxisLookup::Place& x, const AxisLookup::Place& y) const {
    return bilinear(factor, columns, rows, x, y);
}

CellFit fitCells(const AxisLookup& xAxis, const AxisLookup& yAxis, const FitSamples& samples,
                 const CellFitOptions& options) {
    return Fitter(xAxis, yAxis, samples, options).run();
}

CellFit fitCells(const MapSamples& s, const CellFitOptions& options) {
    return fitCells(s.axes.across, s.axes.down, {s.x, s.y, s.value, s.time_s, s.drive, s.airChange_s}, options);
}

}  // namespace brusk::evidence
