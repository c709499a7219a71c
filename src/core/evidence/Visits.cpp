// Samples into visits, and the noise of both.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Visits.h"

#include <algorithm>
#include <cmath>

#include "core/base/Parallel.h"
#include "core/evidence/MapSamples.h"

namespace brusk::evidence {

namespace {

constexpr double kLeastWithin = 0.0005;
constexpr double kFew = 4;             // samples of a visit that tell nothing of their own spread
constexpr double kNobodyKnows = 0.01;  // what is taken for it where all visits are so short
constexpr uint32_t kNone = UINT32_MAX;

/// From sums to means.
void finish(Visit& v) {
    v.mean /= v.n, v.change /= v.n;
    v.squares = std::max(0.0, v.squares / v.n - v.mean * v.mean);
    for (double& share : v.share)
        share /= v.n;
}

}  // namespace

Visits::Visits(const AxisLookup& xAxis, const AxisLookup& yAxis, const FitSamples& samples)
    : x_(xAxis.view()),
      y_(yAxis.view()),
      s_(samples),
      columns_(std::max<size_t>(1, xAxis.size())),
      rows_(std::max<size_t>(1, yAxis.size())) {
    count.resize(rows_ * columns_);
    // Samples that are all independent of each other need be looked at only once.
    if (!s_.time_s.empty() || !s_.airChange_s.empty() || !s_.drive.empty() || !takeMoments()) {
        takeIn();
        tame();
    }
    independence();
}

void Visits::flatten(std::span<const double> nodes) {
    if (!moments_.empty()) return flattenMoments(nodes);
    struct Level {
        double sum = 0, squares = 0;
    };
    std::vector<Level> levels(all.size());
    eachChunk<Level>(
        [&](size_t i, Level& level) {
            const auto [across, down] = place(i);
            value_[i] -= static_cast<float>(bilinear(nodes, columns_, rows_, across, down));
            const auto left = static_cast<double>(value_[i]);
            level.sum += left, level.squares += left * left;
        },
        [&](uint32_t visit, const Level& level) {
            levels[visit].sum += level.sum, levels[visit].squares += level.squares;
        });
    for (size_t k = 0; k < all.size(); ++k) {
        base_[k] = levels[k].sum / all[k].n;
        all[k].squares = std::max(0.0, levels[k].squares / all[k].n - base_[k] * base_[k]);
    }
    within = pooledSpread();
    independence();
}

Visits::Places Visits::place(size_t i) const {
    return {x_.locate(static_cast<double>(s_.x[i])),
            rows_ > 1 ? y_.locate(static_cast<double>(s_.y[i])) : AxisLookup::Place{}};
}

bool Visits::counts(size_t i) const {
    // Nothing where one of them is no number.
    const float r = s_.ratio[i], y = rows_ > 1 ? s_.y[i] : 0;
    return r > 0 && (r - r) + (s_.x[i] - s_.x[i]) + (y - y) == 0;
}

Visits::Quarter Visits::quarter(const Places& place) const {
    const size_t right = place.across.fraction >= 0.5f, below = place.down.fraction >= 0.5f;
    return {static_cast<uint32_t>((place.down.index + below) * columns_ + place.across.index + right),
            2 * (1 - below) + 1 - right};
}

template <class Part, class Add, class Join>
void Visits::eachChunk(Add add, Join join) {
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

void Visits::takeIn() {
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
                     });
    for (Visit& v : all)
        finish(v);
}

void Visits::visitsOfCells() {
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

void Visits::add(size_t i, Visit& v) const {
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

std::vector<CellMoments> Visits::momentsOfCells() const {
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
                const Places at{across.locate(static_cast<double>(s_.x[i])),
                                rows_ > 1 ? down.locate(static_cast<double>(s_.y[i])) : AxisLookup::Place{}};
                const Quarter here = quarter(at);
                found[some++] = {&cells[here.cell][here.at], s_.ratio[i], at.across.fraction, at.down.fraction};
            }
            for (size_t k = 0; k < some; ++k)
                found[k].quarter->add(std::log(found[k].ratio), static_cast<double>(found[k].u),
                                      static_cast<double>(found[k].w));
        }
        chunks[chunk] = std::move(cells);
    });
    std::vector<CellMoments> out(rows_ * columns_);
    for (const auto& chunk : chunks)
        for (size_t k = 0; k < out.size(); ++k)
            for (size_t q = 0; q < out[k].size(); ++q)
                out[k][q].add(chunk[k][q]);
    return out;
}

bool Visits::takeMoments() {
    const auto cells = momentsOfCells();
    for (uint32_t k = 0; k < cells.size(); ++k) {
        Visit v{k, 0};
        v.least = INFINITY, v.most = -INFINITY;
        for (size_t q = 0; q < cells[k].size(); ++q) {
            const Moments& m = cells[k][q];
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
        moments_.push_back(cells[k]);
    }
    within = pooledSpread();
    if (!anyWild(usualSpread([this](size_t i) -> std::optional<std::pair<double, const Visit*>> {
            if (!counts(i)) return std::nullopt;
            const auto cell = quarter(place(i)).cell;
            const auto visit =
                std::lower_bound(all.begin(), all.end(), cell, [](const Visit& v, uint32_t c) { return v.cell < c; });
            return std::pair(static_cast<double>(std::log(s_.ratio[i])), &*visit);
        })))
        return true;
    all.clear(), moments_.clear();
    count.assign(count.size(), 0);
    return false;
}

void Visits::flattenMoments(std::span<const double> nodes) {
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

double Visits::pooledSpread() const {
    double squares = 0, n = 0;
    for (const Visit& v : all)
        if (v.n > kFew) squares += v.squares * v.n, n += v.n - 1;
    return n > 0 ? std::max(kLeastWithin, std::sqrt(squares / n)) : kNobodyKnows;
}

/// Of the samples about their visits' means, by the median of up to a few thousand of them: wild ones do not move
/// it. `sample`: a sample's value and its visit; nothing where it does not count.
template <class Sample>
double Visits::usualSpread(Sample sample) const {
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

bool Visits::anyWild(double usual) const {
    constexpr double kWild = 8;
    return std::any_of(all.begin(), all.end(), [&](const Visit& v) {
        return static_cast<double>(v.most) - v.mean > kWild * usual ||
               v.mean - static_cast<double>(v.least) > kWild * usual;
    });
}

void Visits::tame() {
    constexpr double kTamed = 4;
    for (int pass = 0; pass < 5; ++pass) {
        const double usual = usualSpread([this](size_t i) -> std::optional<std::pair<double, const Visit*>> {
            if (visitOf_[i] == kNone) return std::nullopt;
            return std::pair(static_cast<double>(value_[i]), &all[visitOf_[i]]);
        });
        if (!anyWild(usual)) break;
        std::vector<double> sum(all.size()), squares(all.size());
        for (size_t i = 0; i < value_.size(); ++i) {
            if (visitOf_[i] == kNone) continue;
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

void Visits::independence() {
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

std::vector<double> Visits::correlations(double step_s) const {
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

}  // namespace brusk::evidence
