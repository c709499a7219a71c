// Means of visits on a surface that bends as much as they speak for, solved once, with its doubt.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/CellFit.h"

#include <Eigen/Sparse>
#include <Eigen/SparseCholesky>
#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/Parallel.h"
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

/// Two numbers that the processor adds at once.
using Pair = double __attribute__((vector_size(16)));

/// Of samples in one quarter of a cell: the sums from which the mean and the spread of what any surface leaves of them
/// follow, whatever their number. There the surface is a + b u + c w + d uw, with u and w from the lower to the upper
/// nodes. Two lines of the fast memory each.
struct alignas(64) Moments {
    Pair n_u{}, w_uw{}, uu_uuw{}, ww_uww{}, v_vu{}, vw_vuw{}, uuww_vv{};
    float least = INFINITY, most = -INFINITY;

    void add(float sample, double u, double w) {
        const auto v = static_cast<double>(sample);
        const Pair one = {1, u}, down = one * w;
        const double uw = u * w;
        n_u += one, w_uw += down, uu_uuw += Pair{u, uw} * u, ww_uww += down * w;
        v_vu += one * v, vw_vuw += down * v, uuww_vv += Pair{uw * uw, v * v};
        least = sample < least ? sample : least, most = sample > most ? sample : most;
    }
    void add(const Moments& o) {
        n_u += o.n_u, w_uw += o.w_uw, uu_uuw += o.uu_uuw, ww_uww += o.ww_uww;
        v_vu += o.v_vu, vw_vuw += o.vw_vuw, uuww_vv += o.uuww_vv;
        least = std::min(least, o.least), most = std::max(most, o.most);
    }
    double samples() const { return n_u[0]; }
    double values() const { return v_vu[0]; }
    double squares() const { return uuww_vv[1]; }
    /// Sum of the surface over the samples.
    double sumOf(double a, double b, double c, double d) const {
        return a * n_u[0] + b * n_u[1] + c * w_uw[0] + d * w_uw[1];
    }
    /// Sum of (value - surface)^2.
    double squaresLeft(double a, double b, double c, double d) const {
        return squares() - 2 * (a * v_vu[0] + b * v_vu[1] + c * vw_vuw[0] + d * vw_vuw[1]) + a * a * n_u[0] +
               b * b * uu_uuw[0] + c * c * ww_uww[0] + d * d * uuww_vv[0] +
               2 * (a * b * n_u[1] + a * c * w_uw[0] + (a * d + b * c) * w_uw[1] + b * d * uu_uuw[1] +
                    c * d * ww_uww[1]);
    }
};
static_assert(sizeof(Moments) == 128);

/// All samples of one cell: its quarters by row and column of their lower node, seen from the cell.
using CellMoments = std::array<Moments, 4>;

class Visits {
    static constexpr uint32_t kNone = UINT32_MAX;

  public:
    Visits(const AxisLookup& xAxis, const AxisLookup& yAxis, const FitSamples& samples)
        : x_(xAxis.view()),
          y_(yAxis.view()),
          s_(samples),
          columns_(std::max<size_t>(1, xAxis.size())),
          rows_(std::max<size_t>(1, yAxis.size())),
          count(rows_ * columns_) {
        // Samples that are all independent of each other need be looked at only once.
        if (!s_.time_s.empty() || !s_.airChange_s.empty() || !s_.drive.empty() || !takeMoments()) {
            takeIn();
            tame();
        }
        independence();
    }

    std::vector<Visit> all;
    double within = 0, correlation_s = 0;

    /// Takes out of every sample what the surface itself changes within its visit: that is no noise.
    template <class Surface>
    void flatten(std::span<const double> nodes, Surface surface) {
        if (!moments_.empty()) return flattenMoments(nodes);
        eachChunk<Level>(
            [&](size_t i, Level& level) {
                value_[i] -= static_cast<float>(surface(place(i)));
                const auto left = static_cast<double>(value_[i]);
                level.sum += left, level.squares += left * left;
            },
            [this](uint32_t visit, const Level& level) {
                levels_[visit].sum += level.sum, levels_[visit].squares += level.squares;
            },
            [this] { levels_.assign(all.size(), {}); });
        for (size_t k = 0; k < all.size(); ++k) {
            base_[k] = levels_[k].sum / all[k].n;
            all[k].squares = std::max(0.0, levels_[k].squares / all[k].n - base_[k] * base_[k]);
        }
        within = pooledSpread();
        independence();
    }

  private:
    std::pair<AxisLookup::Place, AxisLookup::Place> place(size_t i) const {
        return {x_.locate(static_cast<double>(s_.x[i])),
                rows_ > 1 ? y_.locate(static_cast<double>(s_.y[i])) : AxisLookup::Place{}};
    }

    struct Level {
        double sum = 0, squares = 0;
    };

    /// Goes through all samples that are in a visit, chunk by chunk side by side: `add` puts one into what its visit
    /// comes to in that chunk, `join` takes these, in order.
    template <class Part, class Add, class Join, class Begin>
    void eachChunk(Add add, Join join, Begin begin) {
        begin();
        const size_t n = visitOf_.size();
        struct Chunk {
            uint32_t first = 0;
            std::vector<Part> parts = {};
        };
        std::vector<Chunk> chunks((n + kChunk - 1) / kChunk);
        inParallel(chunks.size(), [&](size_t c) {
            const size_t from = c * kChunk, to = std::min(n, from + kChunk);
            // Visits of a chunk lie close together.
            uint32_t least = kNone, most = 0;
            for (size_t i = from; i < to; ++i)
                if (visitOf_[i] != kNone) least = std::min(least, visitOf_[i]), most = std::max(most, visitOf_[i]);
            if (least == kNone) return;
            chunks[c] = {least, std::vector<Part>(most - least + 1)};
            Part* const parts = chunks[c].parts.data();
            for (size_t i = from; i < to; ++i)
                if (visitOf_[i] != kNone) add(i, parts[visitOf_[i] - least]);
        });
        for (const Chunk& chunk : chunks)
            for (size_t k = 0; k < chunk.parts.size(); ++k)
                join(chunk.first + static_cast<uint32_t>(k), chunk.parts[k]);
    }

    /// Every sample into its visit.
    void takeIn() {
        const size_t n = s_.ratio.size();
        visitOf_.resize(n);
        value_.resize(n);
        inParallel((n + kChunk - 1) / kChunk, [&](size_t chunk) {
            for (size_t i = chunk * kChunk; i < std::min(n, (chunk + 1) * kChunk); ++i) {
                visitOf_[i] = kNone;
                if (!counts(i)) continue;
                visitOf_[i] = quarter(place(i)).cell;
                value_[i] = std::log(s_.ratio[i]);
            }
        });
        visitsOfCells();
        eachChunk<Visit>([this](size_t i, Visit& v) { add(i, v); },
                         [this](uint32_t visit, const Visit& part) {
                             Visit& v = all[visit];
                             if (part.n == 0) return;
                             v.least = v.n == 0 ? part.least : std::min(v.least, part.least);
                             v.most = v.n == 0 ? part.most : std::max(v.most, part.most);
                             v.n += part.n, v.mean += part.mean, v.squares += part.squares, v.change += part.change;
                             for (size_t k = 0; k < v.share.size(); ++k)
                                 v.share[k] += part.share[k];
                         },
                         [] {});
        for (Visit& v : all)
            finish(v);
    }

    bool counts(size_t i) const {
        // Nothing where one of them is no number.
        const float r = s_.ratio[i], y = rows_ > 1 ? s_.y[i] : 0;
        return r > 0 && (r - r) + (s_.x[i] - s_.x[i]) + (y - y) == 0;
    }
    /// The cell of a place, and which of its quarters that is.
    struct Quarter {
        uint32_t cell;
        size_t at;
    };
    Quarter quarter(const std::pair<AxisLookup::Place, AxisLookup::Place>& place) const {
        const size_t right = place.first.fraction >= 0.5f, below = place.second.fraction >= 0.5f;
        return {static_cast<uint32_t>((place.second.index + below) * columns_ + place.first.index + right),
                2 * (1 - below) + 1 - right};
    }

    /// One pass, one visit a cell; false, with nothing taken, where there are wild samples among them.
    bool takeMoments() {
        const size_t n = s_.ratio.size();
        std::vector<std::vector<CellMoments>> chunks((n + kChunk - 1) / kChunk);
        inParallel(chunks.size(), [&](size_t chunk) {
            std::vector<CellMoments> cells(rows_ * columns_);
            const auto across = x_, down = y_;
            // First where a few samples belong, then all of them there: no sample waits for the place of another.
            struct Found {
                Moments* quarter;
                float ratio, u, w;
            };
            std::array<Found, 64> found;
            const size_t end = std::min(n, (chunk + 1) * kChunk);
            for (size_t i = chunk * kChunk; i < end;) {
                size_t some = 0;
                for (; some < found.size() && i < end; ++i) {
                    if (!counts(i)) continue;
                    const std::pair at(across.locate(static_cast<double>(s_.x[i])),
                                       rows_ > 1 ? down.locate(static_cast<double>(s_.y[i])) : AxisLookup::Place{});
                    const Quarter here = quarter(at);
                    found[some++] = {&cells[here.cell][here.at], s_.ratio[i], at.first.fraction, at.second.fraction};
                }
                for (size_t k = 0; k < some; ++k)
                    found[k].quarter->add(std::log(found[k].ratio), static_cast<double>(found[k].u),
                                          static_cast<double>(found[k].w));
            }
            chunks[chunk] = std::move(cells);
        });
        for (uint32_t k = 0; k < rows_ * columns_; ++k) {
            CellMoments cell;
            for (const auto& chunk : chunks)
                for (size_t q = 0; q < cell.size(); ++q)
                    cell[q].add(chunk[k][q]);
            Visit v{k, 0};
            v.least = INFINITY, v.most = -INFINITY;
            for (size_t q = 0; q < cell.size(); ++q) {
                const Moments& m = cell[q];
                const size_t at = q / 2 * 3 + q % 2;
                v.n += m.samples(), v.mean += m.values(), v.squares += m.squares();
                v.least = std::min(v.least, m.least), v.most = std::max(v.most, m.most);
                v.share[at] += m.sumOf(1, -1, -1, 1);
                if (columns_ > 1) v.share[at + 1] += m.sumOf(0, 1, 0, -1);
                if (rows_ > 1) v.share[at + 3] += m.sumOf(0, 0, 1, -1);
                if (columns_ > 1 && rows_ > 1) v.share[at + 4] += m.sumOf(0, 0, 0, 1);
            }
            if (v.n == 0) continue;
            finish(v);
            count[k] = 1;
            all.push_back(v);
            moments_.push_back(cell);
        }
        within = pooledSpread();
        if (!anyWild(usualSpread([this](size_t i) -> std::optional<std::pair<double, const Visit*>> {
                if (!counts(i)) return std::nullopt;
                const auto cell = quarter(place(i)).cell;
                const auto visit = std::lower_bound(all.begin(), all.end(), cell,
                                                    [](const Visit& v, uint32_t c) { return v.cell < c; });
                return std::pair(static_cast<double>(std::log(s_.ratio[i])), &*visit);
            })))
            return true;
        all.clear(), moments_.clear();
        count.assign(count.size(), 0);
        return false;
    }

    void flattenMoments(std::span<const double> nodes) {
        for (size_t k = 0; k < all.size(); ++k) {
            Visit& v = all[k];
            double sum = 0, squares = 0;
            for (size_t q = 0; q < moments_[k].size(); ++q) {
                const Moments& m = moments_[k][q];
                if (m.samples() == 0) continue;
                const size_t lower = v.cell - (q / 2 == 0 ? columns_ : 0) - (q % 2 == 0 ? 1 : 0);
                const size_t right = columns_ > 1 ? 1 : 0, below = rows_ > 1 ? columns_ : 0;
                const double a = nodes[lower], b = nodes[lower + right] - a, c = nodes[lower + below] - a,
                             d = nodes[lower + right + below] - a - b - c;
                sum += m.values() - m.sumOf(a, b, c, d);
                squares += m.squaresLeft(a, b, c, d);
            }
            v.squares = std::max(0.0, squares / v.n - sum / v.n * (sum / v.n));
        }
        within = pooledSpread();
        independence();
    }

    /// From sums to means.
    static void finish(Visit& v) {
        v.mean /= v.n, v.change /= v.n;
        v.squares = std::max(0.0, v.squares / v.n - v.mean * v.mean);
        for (double& share : v.share)
            share /= v.n;
    }

    /// From the cell of each sample to its visit.
    void visitsOfCells() {
        const bool timed = !s_.time_s.empty();
        VisitCounter counter(rows_, columns_);
        std::vector<uint32_t> current(rows_ * columns_, kNone);
        for (size_t i = 0; i < visitOf_.size(); ++i) {
            const uint32_t cell = visitOf_[i];
            if (cell == kNone) continue;
            const uint16_t drive = s_.drive.empty() ? uint16_t{0} : s_.drive[i];
            const bool begins = timed && counter.step(drive, s_.time_s[i], cell / columns_, cell % columns_);
            if (begins || current[cell] == kNone) {
                current[cell] = static_cast<uint32_t>(all.size());
                all.push_back({cell, drive});
                count[cell]++;
            }
            visitOf_[i] = current[cell];
        }
    }

    void add(size_t i, Visit& v) const {
        const auto [px, py] = place(i);
        const size_t right = px.fraction >= 0.5f, below = py.fraction >= 0.5f;
        const float value = value_[i];
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

    double pooledSpread() const {
        double squares = 0, n = 0;
        for (const Visit& v : all)
            if (v.n > kFew) squares += v.squares * v.n, n += v.n - 1;
        return n > 0 ? std::max(kLeastWithin, std::sqrt(squares / n)) : kNobodyKnows;
    }

    /// Of the samples about their visits' means, by the median of up to a few thousand of them: wild ones do not move
    /// it. `sample`: a sample's value and its visit; nothing where it does not count.
    template <class Sample>
    double usualSpread(Sample sample) const {
        constexpr size_t kMost = 4096;
        std::vector<double> off;
        const size_t n = s_.ratio.size(), stride = std::max<size_t>(1, n / kMost);
        for (size_t i = 0; i < n; i += stride)
            if (const auto found = sample(i); found && found->second->n > kFew)
                off.push_back(std::abs(found->first - found->second->mean));
        if (off.empty()) return kNobodyKnows;
        std::nth_element(off.begin(), off.begin() + static_cast<long>(off.size() / 2), off.end());
        return std::max(kLeastWithin, 1.4826 * off[off.size() / 2]);
    }
    bool anyWild(double usual) const {
        constexpr double kWild = 8;
        return std::any_of(all.begin(), all.end(), [&](const Visit& v) {
            return static_cast<double>(v.most) - v.mean > kWild * usual ||
                   v.mean - static_cast<double>(v.least) > kWild * usual;
        });
    }

    /// Wild samples are drawn towards their visit's mean, as long as there are any.
    void tame() {
        constexpr double kTamed = 4;
        for (int pass = 0; pass < 5; ++pass) {
            const double usual = usualSpread([this](size_t i) -> std::optional<std::pair<double, const Visit*>> {
                if (visitOf_[i] == kNone) return std::nullopt;
                return std::pair(static_cast<double>(value_[i]), &all[visitOf_[i]]);
            });
            if (!anyWild(usual)) break;
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
        for (const Visit& v : all)
            base_.push_back(v.mean);
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
        const size_t n = value_.size(), stride = std::max<size_t>(1, n / kMost);
        const auto farthest = static_cast<size_t>(kFarthest_s / step_s);
        struct Lag {
            size_t steps;
            double products = 0, squares = 0;
        };
        std::vector<Lag> lags;
        for (size_t lag = 1; lag <= farthest; lag = lag < 4 ? lag + 1 : lag * 5 / 4)
            lags.push_back({lag});
        // All lags from one sample on: they lie side by side.
        for (size_t i = 0; i < n; i += stride) {
            const uint32_t visit = visitOf_[i];
            if (visit == kNone) continue;
            const double length = all[visit].n, base = base_[visit], b = static_cast<double>(value_[i]) - base;
            for (Lag& lag : lags) {
                if (i + lag.steps >= n || length < 3 * static_cast<double>(lag.steps)) break;
                if (visitOf_[i + lag.steps] != visit) continue;
                if (s_.time_s[i + lag.steps] - s_.time_s[i] > (static_cast<double>(lag.steps) + 0.5) * step_s) continue;
                const double a = static_cast<double>(value_[i + lag.steps]) - base;
                lag.products += a * b;
                lag.squares += (a * a + b * b) / 2;
            }
        }
        std::vector<double> out;
        double before = 1;
        for (const Lag& lag : lags) {
            const double rho = lag.squares > 0 ? lag.products / lag.squares : 0;
            for (size_t from = out.size(), k = from + 1; k <= lag.steps; ++k)
                out.push_back(before +
                              (rho - before) * static_cast<double>(k - from) / static_cast<double>(lag.steps - from));
            before = rho;
        }
        return out;
    }

    const AxisLookup::View x_, y_;
    const FitSamples& s_;
    size_t columns_, rows_;
    recording::Numbers<uint32_t> visitOf_;  ///< of each sample; kNone: it does not count
    recording::Numbers<float> value_;       ///< ln of the ratio; once flattened, what the surface does not explain
    std::vector<double> base_;              ///< of each visit, what its values are around
    std::vector<Level> levels_;
    std::vector<CellMoments> moments_;  ///< of each visit, where one pass was enough; then the above are empty

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
                visits_.flatten({m.data(), nodes_}, [&](const auto& place) {
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
        eachOfInverse([&](Index i, const Vector& column) {
            const auto k = static_cast<size_t>(i);
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
