// Means of visits on a surface that bends as much as they speak for, solved once, with its doubt.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/CellFit.h"

#include <Eigen/Sparse>
#include <Eigen/SparseCholesky>
#include <algorithm>
#include <array>
#include <cmath>

#include "core/evidence/MapSamples.h"

namespace brusk::evidence {
namespace {

using Matrix = Eigen::SparseMatrix<double>;
using Vector = Eigen::VectorXd;
using Solver = Eigen::SimplicialLDLT<Matrix>;
using Index = Eigen::Index;

constexpr double kLeastWithin = 0.0005, kLeastBetween = 0.0003;
constexpr double kUsualBetween = 0.004, kUsualVisits = 3;
constexpr double kCurvatures[] = {0.003, 0.006, 0.012, 0.025, 0.05};
constexpr double kFew = 4;                // samples of a visit that tell nothing of their own spread
constexpr double kNobodyKnows = 0.01;     // what is taken for it where all visits are so short
constexpr double kDrivesTogether = 1e-4;  // the drives' factors add up to nil, to this

/// Between the four nodes around a place, of `columns` by `rows`.
template <class Values>
double bilinear(const Values& nodes, size_t columns, size_t rows, const AxisLookup::Place& x,
                const AxisLookup::Place& y) {
    const auto u = static_cast<double>(x.fraction), v = static_cast<double>(y.fraction);
    const size_t k = y.index * columns + x.index, right = columns > 1 ? 1 : 0, below = rows > 1 ? columns : 0;
    return (1 - v) * ((1 - u) * nodes[k] + u * nodes[k + right]) +
           v * ((1 - u) * nodes[k + below] + u * nodes[k + right + below]);
}

/// What one visit to a cell says: a mean, and how the nodes around share in it.
struct Visit {
    uint32_t cell = 0;
    uint16_t drive = 0;
    double n = 0, mean = 0, change = 0;
    std::array<double, 9> share{};  ///< of the nodes around the cell, row by row
    // While samples are taken in.
    double squares = 0;
    float least = 0, most = 0;

    double independent = 1;  ///< samples
    double weight = 0;
    double left = 0;  ///< mean less fit
};

class Visits {
  public:
    Visits(const AxisLookup& xAxis, const AxisLookup& yAxis, const FitSamples& samples)
        : x_(xAxis),
          y_(yAxis),
          s_(samples),
          columns_(std::max<size_t>(1, xAxis.size())),
          rows_(std::max<size_t>(1, yAxis.size())),
          count(rows_ * columns_) {
        takeIn();
        tame();
        independence();
    }

    std::vector<Visit> all;
    double within = 0, correlation_s = 0;

    /// Takes out of every sample what the surface itself changes within its visit: that is no noise.
    template <class Surface>
    void flatten(Surface surface) {
        std::vector<double> level(all.size()), squares(all.size());
        for (int pass = 0; pass < 2; ++pass)
            for (size_t i = 0; i < value_.size(); ++i) {
                const uint32_t visit = visitOf_[i];
                if (visit == UINT32_MAX) continue;
                Visit& v = all[visit];
                if (pass == 0) {
                    value_[i] -= static_cast<float>(surface(place(i)));
                    level[visit] += static_cast<double>(value_[i]) / v.n;
                } else {
                    value_[i] += static_cast<float>(v.mean - level[visit]);
                    squares[visit] += std::pow(static_cast<double>(value_[i]) - v.mean, 2);
                }
            }
        for (size_t k = 0; k < all.size(); ++k)
            all[k].squares = squares[k] / all[k].n;
        within = pooledSpread();
        independence();
    }

  private:
    std::pair<AxisLookup::Place, AxisLookup::Place> place(size_t i) const {
        return {x_.locate(static_cast<double>(s_.x[i])),
                rows_ > 1 ? y_.locate(static_cast<double>(s_.y[i])) : AxisLookup::Place{}};
    }

    /// One pass: every sample into its visit.
    void takeIn() {
        constexpr uint32_t kNone = UINT32_MAX;
        const bool timed = !s_.time_s.empty();
        VisitCounter counter(rows_, columns_);
        std::vector<uint32_t> current(rows_ * columns_, kNone);
        visitOf_.assign(s_.ratio.size(), kNone);
        value_.resize(s_.ratio.size());
        for (size_t i = 0; i < s_.ratio.size(); ++i) {
            const float r = s_.ratio[i];
            if (!(r > 0) || !std::isfinite(r) || !std::isfinite(s_.x[i]) || (rows_ > 1 && !std::isfinite(s_.y[i])))
                continue;
            const auto [px, py] = place(i);
            const size_t right = px.fraction >= 0.5f, below = py.fraction >= 0.5f;
            const size_t row = py.index + below, column = px.index + right, cell = row * columns_ + column;
            const uint16_t drive = s_.drive.empty() ? uint16_t{0} : s_.drive[i];
            const bool begins = timed ? counter.step(drive, s_.time_s[i], row, column) : current[cell] == kNone;
            if (begins || current[cell] == kNone) {
                current[cell] = static_cast<uint32_t>(all.size());
                all.push_back({static_cast<uint32_t>(cell), drive});
                count[cell]++;
            }
            visitOf_[i] = current[cell];
            Visit& v = all[current[cell]];
            const float value = std::log(r);
            value_[i] = value;
            if (v.n == 0) v.least = v.most = value;
            v.least = std::min(v.least, value), v.most = std::max(v.most, value);
            v.n += 1;
            v.mean += static_cast<double>(value);
            v.squares += static_cast<double>(value) * static_cast<double>(value);
            if (!s_.airChange_s.empty()) v.change += static_cast<double>(s_.airChange_s[i]);
            // The lower corner of the interval, seen from the cell.
            const double u = static_cast<double>(px.fraction), w = static_cast<double>(py.fraction);
            const size_t at = (1 - below) * 3 + (1 - right);
            v.share[at] += (1 - u) * (1 - w);
            if (columns_ > 1) v.share[at + 1] += u * (1 - w);
            if (rows_ > 1) v.share[at + 3] += (1 - u) * w;
            if (columns_ > 1 && rows_ > 1) v.share[at + 4] += u * w;
        }
        for (Visit& v : all) {
            v.mean /= v.n, v.change /= v.n;
            v.squares = std::max(0.0, v.squares / v.n - v.mean * v.mean);
            for (double& share : v.share)
                share /= v.n;
        }
    }

    double pooledSpread() const {
        double squares = 0, n = 0;
        for (const Visit& v : all)
            if (v.n > kFew) squares += v.squares * v.n, n += v.n - 1;
        return n > 0 ? std::max(kLeastWithin, std::sqrt(squares / n)) : kNobodyKnows;
    }

    /// Of the samples about their visits' means, by the median of up to a few thousand of them: wild ones do not move
    /// it.
    double usualSpread() const {
        constexpr size_t kMost = 4096;
        std::vector<double> off;
        const size_t stride = std::max<size_t>(1, value_.size() / kMost);
        for (size_t i = 0; i < value_.size(); i += stride)
            if (visitOf_[i] != UINT32_MAX && all[visitOf_[i]].n > kFew)
                off.push_back(std::abs(static_cast<double>(value_[i]) - all[visitOf_[i]].mean));
        if (off.empty()) return kNobodyKnows;
        std::nth_element(off.begin(), off.begin() + static_cast<long>(off.size() / 2), off.end());
        return std::max(kLeastWithin, 1.4826 * off[off.size() / 2]);
    }

    /// Wild samples are drawn towards their visit's mean, as long as there are any.
    void tame() {
        constexpr double kWild = 8, kTamed = 4;
        for (int pass = 0; pass < 5; ++pass) {
            const double usual = usualSpread();
            const bool wild = std::any_of(all.begin(), all.end(), [&](const Visit& v) {
                return static_cast<double>(v.most) - v.mean > kWild * usual ||
                       v.mean - static_cast<double>(v.least) > kWild * usual;
            });
            if (!wild) break;
            std::vector<double> sum(all.size()), squares(all.size());
            for (size_t i = 0; i < value_.size(); ++i) {
                if (visitOf_[i] == UINT32_MAX) continue;
                const Visit& v = all[visitOf_[i]];
                const double off = std::clamp(static_cast<double>(value_[i]) - v.mean, -kTamed * usual, kTamed * usual);
                value_[i] = static_cast<float>(v.mean + off);
                sum[visitOf_[i]] += off, squares[visitOf_[i]] += off * off;
            }
            for (size_t k = 0; k < all.size(); ++k) {
                Visit& v = all[k];
                const double by = sum[k] / v.n;
                v.squares = std::max(0.0, squares[k] / v.n - by * by);
                v.least = static_cast<float>(std::max(static_cast<double>(v.least), v.mean - kTamed * usual));
                v.most = static_cast<float>(std::min(static_cast<double>(v.most), v.mean + kTamed * usual));
                v.mean += by;
            }
        }
        within = pooledSpread();
    }

    /// How long samples of one visit resemble each other, from at most a few hundred thousand of them. The swing of the
    /// lambda loop takes back what it gave: a visit over whole swings counts more than its samples alone.
    void independence() {
        const size_t n = value_.size();
        double step_s = 0;
        if (!s_.time_s.empty() && n > 1) {
            std::vector<double> steps;
            for (size_t i = 1; i < n && steps.size() < 2000; ++i)
                if (visitOf_[i] == visitOf_[i - 1]) steps.push_back(s_.time_s[i] - s_.time_s[i - 1]);
            if (!steps.empty()) {
                std::nth_element(steps.begin(), steps.begin() + static_cast<long>(steps.size() / 2), steps.end());
                step_s = steps[steps.size() / 2];
            }
        }
        std::vector<double> rho = step_s > 0 ? correlations(step_s) : std::vector<double>();
        // Each visit's own mean was taken out, and with it a part of what is slow: put back as much as that mean
        // varies.
        double samples = 0, squares = 0;
        for (const Visit& v : all)
            samples += v.n, squares += v.n * v.n;
        const double length = samples > 0 ? squares / samples : 1;
        double lost = 0;
        for (int pass = 0; pass < 8; ++pass) {
            double whole = 1;
            for (const double r : rho)
                whole += 2 * (r + lost) / (1 + lost);
            lost = std::clamp(whole / length, 0.0, 0.5);
        }
        // Sums over the lags of rho and of lag rho.
        std::vector<double> sum{0}, moment{0};
        for (size_t k = 0; k < rho.size(); ++k) {
            const double r = (rho[k] + lost) / (1 + lost);
            sum.push_back(sum.back() + r);
            moment.push_back(moment.back() + r * static_cast<double>(k + 1));
        }
        correlation_s = std::max(0.0, sum.back()) * step_s;
        for (Visit& v : all) {
            const size_t k = std::min(sum.size() - 1, static_cast<size_t>(v.n) - 1);
            v.independent = std::clamp(v.n / std::max(1.0 / v.n, 1 + 2 * (sum[k] - moment[k] / v.n)), 1.0, v.n);
        }
    }

    /// How far samples resemble those one, two and more steps earlier in the same visit, up to two seconds.
    std::vector<double> correlations(double step_s) const {
        constexpr size_t kMost = 200000;
        constexpr double kFarthest_s = 2;
        const size_t n = value_.size();
        const auto farthest = static_cast<size_t>(kFarthest_s / step_s);
        std::vector<double> out;
        double before = 1;
        for (size_t lag = 1; lag <= farthest; lag = lag < 4 ? lag + 1 : lag * 5 / 4) {
            double products = 0, squares = 0;
            const size_t stride = std::max<size_t>(1, n / kMost);
            for (size_t i = lag; i < n; i += stride) {
                const uint32_t visit = visitOf_[i];
                if (visit == UINT32_MAX || visit != visitOf_[i - lag]) continue;
                if (all[visit].n < 3 * static_cast<double>(lag)) continue;
                if (s_.time_s[i] - s_.time_s[i - lag] > (static_cast<double>(lag) + 0.5) * step_s) continue;
                const double mean = all[visit].mean;
                const double a = static_cast<double>(value_[i]) - mean, b = static_cast<double>(value_[i - lag]) - mean;
                products += a * b;
                squares += (a * a + b * b) / 2;
            }
            const double rho = squares > 0 ? products / squares : 0;
            for (size_t from = out.size(), k = from + 1; k <= lag; ++k)
                out.push_back(before +
                              (rho - before) * static_cast<double>(k - from) / static_cast<double>(lag - from));
            before = rho;
        }
        return out;
    }

    const AxisLookup &x_, &y_;
    const FitSamples& s_;
    size_t columns_, rows_;
    std::vector<uint32_t> visitOf_;
    std::vector<float> value_;

  public:
    std::vector<uint32_t> count;  ///< per cell
};

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
            if (pass == 1)
                visits_.flatten([&](const auto& place) {
                    return bilinear(std::span(m.data(), nodes_), columns_, rows_, place.first, place.second);
                });
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
        if (lead_) call(nodes_, v.change);
        if (drives_ > 1) call(nodes_ + (lead_ ? 1 : 0) + v.drive, 1.0);
    }
    double predicted(const Visit& v, const Vector& m) const {
        double out = 0;
        each(v, [&](size_t i, double share) { out += share * m[static_cast<Index>(i)]; });
        return out;
    }

    /// Sums over the visits: B'WB and B'We.
    void normal() {
        data_.clear();
        target_ = Vector::Zero(static_cast<Index>(size_));
        std::array<std::pair<size_t, double>, 12> parts;
        for (const Visit& v : visits_.all) {
            size_t n = 0;
            each(v, [&](size_t i, double share) { parts[n++] = {i, share}; });
            for (size_t a = 0; a < n; ++a) {
                target_[static_cast<Index>(parts[a].first)] += v.weight * parts[a].second * v.mean;
                for (size_t b = 0; b < n; ++b)
                    data_.emplace_back(static_cast<int>(parts[a].first), static_cast<int>(parts[b].first),
                                       v.weight * parts[a].second * parts[b].second);
            }
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
        solver_.compute(Matrix(samples_ + prior_));
    }

    static double logDeterminant(const Solver& solver) { return solver.vectorD().array().abs().log().sum(); }

    /// The curvature under which these visits are most likely, all others integrated out.
    double likeliest(Vector& m) {
        double best = kCurvatures[0], top = -std::numeric_limits<double>::max();
        for (const double curvature : kCurvatures) {
            assemble(curvature);
            const Solver prior(prior_);
            m = solver_.solve(target_);
            double cost = m.dot(prior_ * m) + logDeterminant(solver_) - logDeterminant(prior);
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
        double out = 0;
        for (Index i = 0; i < static_cast<Index>(size_); ++i) {
            if (samples_.coeff(i, i) == 0) continue;
            const Vector column = solver_.solve(Vector(samples_.col(i)));
            out += column[i];
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
        for (size_t k = 0; k < nodes_; ++k) {
            const auto i = static_cast<Index>(k);
            const Vector column = solver_.solve(Vector(Vector::Unit(static_cast<Index>(size_), i)));
            out.factor.push_back(std::exp(m[i]));
            out.doubt.push_back(std::sqrt(std::max(0.0, column[i])));
            // What samples at the cell itself and at those beside it add to the answer.
            double near = 0;
            const size_t row = k / columns_, at = k % columns_;
            for (size_t r = row > 0 ? row - 1 : 0; r <= std::min(row + 1, rows_ - 1); ++r)
                for (size_t c = at > 0 ? at - 1 : 0; c <= std::min(at + 1, columns_ - 1); ++c)
                    near += samples_.col(static_cast<Index>(r * columns_ + c)).dot(column);
            out.resolution.push_back(std::clamp(near, 0.0, 1.0));
        }
        if (lead_) out.airLead_s = m[static_cast<Index>(nodes_)];
        if (drives_ > 1)
            for (size_t d = 0; d < drives_; ++d)
                out.drives.push_back(m[static_cast<Index>(size_ - drives_ + d)]);
        out.systematic = std::hypot(
            options_.wideband, options_.driveFactor / std::sqrt(static_cast<double>(std::max<size_t>(1, drives_))));
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
    Solver solver_;
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
