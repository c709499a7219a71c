// Rows of a polygon between its edges; lines by the share of each pixel that they cover.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/Raster.h"

#include <algorithm>
#include <cmath>
#include <utility>

namespace brusk::app {

namespace {

constexpr double kLongest = 1e5, kLeast = 1e-6;  // pixels: what is longer is not dashed; what is less is nothing

/// The whole pixel at or below, of places that may lie far outside the picture, or nowhere.
int pixelAt(double place) {
    constexpr double kFar = 1 << 24;
    const double held = place > -kFar ? std::min(place, kFar) : -kFar;
    const int whole = static_cast<int>(held);  // towards zero
    return held < whole ? whole - 1 : whole;
}

}  // namespace

Raster::Raster(QImage& image, const QRect& bounds)
    : pixels_(reinterpret_cast<QRgb*>(image.bits())),  // NOLINT: what its format says
      line_(image.bytesPerLine() / static_cast<qsizetype>(sizeof(QRgb))),
      bounds_(bounds.intersected(image.rect())) {}

void Raster::fill(std::span<const QPointF> corners, QRgb colour) {
    double top = INFINITY, bottom = -INFINITY;
    for (const QPointF& p : corners)
        top = std::min(top, p.y()), bottom = std::max(bottom, p.y());
    // Middles of rows and columns lie at a half: the first at or behind a place is the pixel of that place and a half.
    const int last = std::min(bounds_.bottom(), pixelAt(bottom - 0.5));
    for (int y = std::max(bounds_.top(), pixelAt(top + 0.5)); y <= last; ++y) {
        const double middle = y + 0.5;
        double left = INFINITY, right = -INFINITY;
        for (size_t i = 0; i < corners.size(); ++i) {
            const QPointF &a = corners[i], &b = corners[i + 1 == corners.size() ? 0 : i + 1];
            if ((a.y() <= middle) == (b.y() <= middle)) continue;
            const double x = a.x() + (middle - a.y()) / (b.y() - a.y()) * (b.x() - a.x());
            left = std::min(left, x), right = std::max(right, x);
        }
        const int from = std::max(bounds_.left(), pixelAt(left + 0.5));
        const int to = std::min(bounds_.right() + 1, pixelAt(right + 0.5));
        if (from < to) std::fill(row(y) + from, row(y) + to, colour);
    }
}

void Raster::line(QPointF from, QPointF to, double width, QRgb colour) {
    // Along the longer way it takes a step a pixel; across it covers as much as it is wide there.
    const bool steep = std::abs(to.y() - from.y()) > std::abs(to.x() - from.x());
    if (steep) from = from.transposed(), to = to.transposed();
    if (from.x() > to.x()) std::swap(from, to);
    const double length = to.x() - from.x();
    const double slope = length > 0 ? (to.y() - from.y()) / length : 0;
    if (!std::isfinite(length + slope)) return;
    const int leastSide = steep ? bounds_.left() : bounds_.top(), mostSide = steep ? bounds_.right() : bounds_.bottom();
    const int first = std::max(steep ? bounds_.top() : bounds_.left(), pixelAt(from.x()));
    const int last = std::min(steep ? bounds_.bottom() : bounds_.right(), pixelAt(to.x()));
    const qsizetype stepOn = steep ? line_ : 1, sideOn = steep ? 1 : line_;
    // Across in parts of a 65,536th of a pixel.
    constexpr double kOne = 1 << 16;
    const auto half = static_cast<int64_t>(width * std::sqrt(1 + slope * slope) / 2 * kOne);
    const auto rise = static_cast<int64_t>(slope * kOne);
    auto middle = static_cast<int64_t>(std::clamp(from.y() + (first + 0.5 - from.x()) * slope, -kOne, kOne) * kOne);
    for (int step = first; step <= last; ++step, middle += rise) {
        // Of this pixel along the line, up to 256.
        const double along = std::min(step + 1.0, to.x()) - std::max<double>(step, from.x());
        const auto share = static_cast<int64_t>(along * 256);
        const int64_t low = middle - half, high = middle + half;
        const auto lastSide = std::min<int64_t>(mostSide, high >> 16);
        for (auto side = std::max<int64_t>(leastSide, low >> 16); side <= lastSide; ++side) {
            const int64_t covered = std::min((side + 1) << 16, high) - std::max(side << 16, low);
            QRgb& pixel = pixels_[step * stepOn + side * sideOn];
            pixel = mixed(pixel, colour, static_cast<unsigned>(covered * share >> 16));
        }
    }
}

void Raster::path(std::span<const QPointF> points, double width, QRgb colour, double dash) {
    bool inked = true;
    double left = dash;  // of the dash, or of what is free behind it: half as long
    for (size_t i = 1; i < points.size(); ++i) {
        const QPointF from = points[i - 1], way = points[i] - from;
        const double length = std::hypot(way.x(), way.y());
        if (dash <= 0 || !(length < kLongest)) {
            line(from, points[i], width, colour);
            continue;
        }
        for (double at = 0; at < length;) {
            const double next = std::min(length, at + left);
            if (inked) line(from + way * (at / length), from + way * (next / length), width, colour);
            left -= next - at;
            at = next;
            if (left > kLeast) continue;
            inked = !inked;
            left = inked ? dash : dash / 2;
        }
    }
}

void Raster::stamp(const QImage& mask, int x, int y, QRgb colour) {
    const QRect seen = QRect(x, y, mask.width(), mask.height()).intersected(bounds_);
    for (int at = seen.top(); at <= seen.bottom(); ++at) {
        const uchar* const shares = mask.constScanLine(at - y) - x;
        QRgb* const pixels = row(at);
        for (int k = seen.left(); k <= seen.right(); ++k)
            if (shares[k]) pixels[k] = mixed(pixels[k], colour, shares[k] + (shares[k] >> 7U));  // 255 is all of it
    }
}

bool renewPicture(QImage& picture, const QSize& size, double ratio) {
    if (picture.size() == size * ratio && picture.devicePixelRatio() == ratio) return false;
    picture = QImage(size * ratio, QImage::Format_ARGB32_Premultiplied);
    picture.setDevicePixelRatio(ratio);
    return true;
}

}  // namespace brusk::app
