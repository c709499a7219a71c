// Straight to the pixels of a picture, for the small shapes that a map draws thousands of: a painter asks more for each
// than it costs to colour it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QColor>
#include <QImage>
#include <QPointF>
#include <span>

namespace brusk::app {

/// `share`, 0 to 256, of a premultiplied colour over what is there.
inline QRgb mixed(QRgb below, QRgb colour, unsigned share) {
    // Two channels at a time: each has eight bits of room above it.
    constexpr unsigned kPair = 0x00FF00FF;
    const auto pair = [&](int shift) {
        return ((colour >> shift & kPair) * share + (below >> shift & kPair) * (256 - share)) >> 8 & kPair;
    };
    return pair(0) | pair(8) << 8;
}

/// Shapes in pixels of a picture of format ARGB32, premultiplied, which outlives this. What lies outside `bounds` stays
/// as it is. Colours are opaque.
class Raster {
  public:
    Raster(QImage& image, const QRect& bounds);

    /// The pixels whose middles lie in a convex polygon of three or four corners.
    void fill(std::span<const QPointF> corners, QRgb colour);
    /// A line of up to a few pixels' width, soft along its sides.
    void line(QPointF from, QPointF to, double width, QRgb colour);
    /// Lines from point to point, dashed where a length is given.
    void path(std::span<const QPointF> points, double width, QRgb colour, double dash = 0);
    /// The colour through a mask of shares (Alpha8) whose corner is at (x, y).
    void stamp(const QImage& mask, int x, int y, QRgb colour);

  private:
    QRgb* row(int y) const { return pixels_ + y * line_; }

    QRgb* pixels_;
    qsizetype line_;  // pixels from one row to the next
    QRect bounds_;
};

/// Makes `picture` one for `size` points; false where it is already. Touching memory for the first time is a quarter of
/// the work of a picture: what is drawn anew goes over what was drawn.
bool renewPicture(QImage& picture, const QSize& size, double ratio);

}  // namespace brusk::app
