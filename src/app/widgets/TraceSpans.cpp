// Straight to the pixels: strokes of smoothed lines through thousands of points are a hundred times dearer.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/TraceSpans.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include "app/widgets/Raster.h"

namespace brusk::app {

void paintSpans(QImage& image, std::span<const float> tops, std::span<const float> bottoms, int least, int most,
                const QColor& colour) {
    // Side by side as many columns as a line of the fast memory holds, or each row would be fetched for each column.
    constexpr size_t kTile = 16;
    const QRgb full = qPremultiply(colour.rgba());
    auto* const pixels = reinterpret_cast<QRgb*>(image.bits());  // NOLINT: what its format says
    const auto line = image.bytesPerLine() / static_cast<qsizetype>(sizeof(QRgb));
    const auto columns = std::min<size_t>(tops.size(), static_cast<size_t>(image.width()));
    for (size_t tile = 0; tile < columns; tile += kTile) {
        const size_t count = std::min(kTile, columns - tile);
        // Rows that are covered whole.
        std::array<int, kTile> first{}, last{};
        int from = most, to = least;
        QRgb* const begin = pixels + static_cast<qsizetype>(tile);
        for (size_t k = 0; k < count; ++k) {
            const float top = std::max(tops[tile + k], static_cast<float>(least)),
                        bottom = std::min(bottoms[tile + k], static_cast<float>(most));
            if (!(top < bottom)) continue;  // nothing, or NaN
            const int above = static_cast<int>(top), below = static_cast<int>(bottom);
            first[k] = static_cast<float>(above) < top ? above + 1 : above;
            last[k] = below;
            const auto soften = [&](int y, float covered) {
                QRgb& pixel = begin[y * line + static_cast<qsizetype>(k)];
                pixel = mixed(pixel, full, static_cast<unsigned>(covered * 256));
            };
            if (first[k] > below) {
                soften(above, bottom - top);
            } else {
                if (first[k] > above) soften(above, static_cast<float>(first[k]) - top);
                if (static_cast<float>(below) < bottom) soften(below, bottom - static_cast<float>(below));
            }
            from = std::min(from, first[k]), to = std::max(to, last[k]);
        }
        for (int y = from; y < to; ++y) {
            QRgb* const at = begin + y * line;
            if (count == kTile)
                for (size_t k = 0; k < kTile; ++k)
                    at[k] = first[k] <= y && y < last[k] ? full : at[k];
            else
                for (size_t k = 0; k < count; ++k)
                    at[k] = first[k] <= y && y < last[k] ? full : at[k];
        }
    }
}

SpanLine::SpanLine(std::span<float> tops, std::span<float> bottoms, float halfWidth)
    : tops_(tops), bottoms_(bottoms), half_(halfWidth) {
    std::fill(tops.begin(), tops.end(), std::numeric_limits<float>::quiet_NaN());
    std::fill(bottoms.begin(), bottoms.end(), std::numeric_limits<float>::quiet_NaN());
}

void SpanLine::cover(long column, double a, double b) {
    if (column < 0 || column >= static_cast<long>(tops_.size())) return;
    const auto i = static_cast<size_t>(column);
    const float top = static_cast<float>(std::min(a, b)) - half_, bottom = static_cast<float>(std::max(a, b)) + half_;
    if (!(tops_[i] <= top)) tops_[i] = top;
    if (!(bottoms_[i] >= bottom)) bottoms_[i] = bottom;
}

void SpanLine::to(double x, double y) {
    const auto width = static_cast<double>(tops_.size());
    if (apart_) {
        cover(static_cast<long>(std::floor(x)), y, y);
    } else {
        const double from = std::max(0.0, x_), end = std::min(width, x);
        const double slope = x > x_ ? (y - y_) / (x - x_) : 0;
        const auto at = [&](double where) { return y_ + (where - x_) * slope; };
        auto column = static_cast<long>(std::floor(from));
        if (x <= x_ || column == static_cast<long>(std::floor(x))) {
            cover(column, from > x_ ? at(from) : y_, y);
        } else {
            for (double left = from; left < end; left = static_cast<double>(column)) {
                const double right = std::min(end, static_cast<double>(column + 1));
                cover(column, at(left), right < x ? at(right) : y);
                ++column;
            }
            if (x < width && std::floor(x) == x) cover(static_cast<long>(x), y, y);
        }
    }
    x_ = x, y_ = y;
    apart_ = false;
}

}  // namespace brusk::app
