// What samples say of a map, visit by visit: a mean, how the nodes around share in it, how much of it is noise.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <cmath>

#include "core/evidence/CellFit.h"
#include "core/recording/Column.h"

namespace brusk::evidence {

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

/// Samples that depend on each other (by time, by drive) are taken in by visits; of those that do not, the sums over a
/// cell are all that is needed, whatever their number.
class Visits {
  public:
    Visits(const AxisLookup& xAxis, const AxisLookup& yAxis, const FitSamples& samples);

    std::vector<Visit> all;
    double within = 0, correlation_s = 0;
    std::vector<uint32_t> count;  ///< per cell

    /// Takes out of every sample what the surface through `nodes` itself changes within its visit: that is no noise.
    void flatten(std::span<const double> nodes);

  private:
    struct Places {
        AxisLookup::Place across, down;
    };
    Places place(size_t i) const;
    bool counts(size_t i) const;
    /// The cell of a place, and which of its quarters that is.
    struct Quarter {
        uint32_t cell;
        size_t at;
    };
    Quarter quarter(const Places& place) const;
    /// Goes through all samples that are in a visit, chunk by chunk side by side: `add` puts one into what its visit
    /// comes to in that chunk, `join` takes these, in order.
    template <class Part, class Add, class Join>
    void eachChunk(Add add, Join join);
    /// Every sample into its visit.
    void takeIn();
    /// From the cell of each sample to its visit.
    void visitsOfCells();
    void add(size_t i, Visit& v) const;
    /// One pass, one visit a cell; false, with nothing taken, where there are wild samples among them.
    bool takeMoments();
    std::vector<CellMoments> momentsOfCells() const;
    void flattenMoments(std::span<const double> nodes);
    double pooledSpread() const;
    template <class Sample>
    double usualSpread(Sample sample) const;
    bool anyWild(double usual) const;
    /// Wild samples are drawn towards their visit's mean, as long as there are any.
    void tame();
    /// How long samples of one visit resemble each other, from at most a few hundred thousand of them. The swing of the
    /// lambda loop takes back what it gave: a visit over whole swings counts more than its samples alone.
    void independence();
    /// How far samples resemble those one, two and more steps earlier in the same visit, up to two seconds.
    std::vector<double> correlations(double step_s) const;

    const AxisLookup::View x_, y_;
    const FitSamples& s_;
    size_t columns_, rows_;
    recording::Numbers<uint32_t> visitOf_;  ///< of each sample
    recording::Numbers<float> value_;       ///< ln of the ratio; once flattened, what the surface does not explain
    std::vector<double> base_;              ///< of each visit, what its values are around
    std::vector<CellMoments> moments_;      ///< of each visit, where one pass was enough; then the above are empty
};

}  // namespace brusk::evidence
