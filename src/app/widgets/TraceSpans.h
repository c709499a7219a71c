// A trace as one span a pixel column, with soft ends: what a smoothed line looks like, at the cost of its pixels.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QColor>
#include <QImage>
#include <span>

namespace brusk::app {

/// Colours the rows from tops[x] to bottoms[x] of each column x of `image` (ARGB32, premultiplied); the pixels at the
/// ends take the share that is covered. Columns whose top is NaN, and what lies outside [least, most), stay as they
/// are.
void paintSpans(QImage& image, std::span<const float> tops, std::span<const float> bottoms, int least, int most,
                const QColor& colour);

/// The spans of a line through points that come one after the other; a point apart from the one before begins anew.
class SpanLine {
  public:
    /// `halfWidth`: of the line, in pixels. Fills both with no span.
    SpanLine(std::span<float> tops, std::span<float> bottoms, float halfWidth);
    /// The next point, in pixels; x never falls.
    void to(double x, double y);
    /// The next point is apart.
    void part() { apart_ = true; }

  private:
    void cover(long column, double a, double b);

    std::span<float> tops_, bottoms_;
    float half_;
    double x_ = 0, y_ = 0;
    bool apart_ = true;
};

}  // namespace brusk::app
