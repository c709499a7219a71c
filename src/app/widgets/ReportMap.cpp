// A cell a number, coloured by sign and size on the one scale of its frame.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/ReportMap.h"

#include <QLocale>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace brusk::app {

namespace {

constexpr double kRow = 12 * ReportMap::kUnit;
const QColor kInk("#23231f"), kFaint("#6b6a63"), kLine("#d9d4c9"), kLean("#b65c1a"), kRich("#2b5f9e");

QString numberText(double value, int decimals) {
    return QLocale().toString(value, 'f', decimals);
}

/// From white to one of two colours by sign; the number's sign tells them apart without colour.
QColor shade(double share) {
    const QColor& end = share >= 0 ? kLean : kRich;
    const double t = std::min(1.0, std::abs(share)) * 0.75;
    const auto mixed = [t](double to) { return static_cast<float>(1 + (to - 1) * t); };
    return QColor::fromRgbF(mixed(end.redF()), mixed(end.greenF()), mixed(end.blueF()));
}

}  // namespace

int ReportMap::add(const deliver::ReportMaps& frame, size_t which) {
    maps_.push_back({frame, which});
    return static_cast<int>(maps_.size()) - 1;
}

QSizeF ReportMap::intrinsicSize(QTextDocument* /*document*/, int /*position*/, const QTextFormat& format) {
    return {width_, kRow * static_cast<double>(of(format).frame.y.size() + 2)};
}

void ReportMap::drawObject(QPainter* painter, const QRectF& rect, QTextDocument* /*document*/, int /*position*/,
                           const QTextFormat& format) {
    const auto& [frame, which] = of(format);
    const auto columns = frame.x.size(), rows = frame.y.size();
    if (!columns || !rows) return;
    painter->save();
    QFont font = painter->font();
    font.setPixelSize(static_cast<int>(6 * kUnit));
    painter->setFont(font);
    const double wide = rect.width() / static_cast<double>(columns + 1);
    const auto cell = [&](size_t row, size_t column) {
        return QRectF(rect.x() + wide * static_cast<double>(column), rect.y() + kRow * static_cast<double>(row), wide,
                      kRow);
    };
    painter->setPen(kFaint);
    for (size_t x = 0; x < columns; ++x)
        painter->drawText(cell(0, x + 1), Qt::AlignCenter, numberText(frame.x[x], 0));
    for (size_t y = 0; y < rows; ++y) {
        painter->setPen(kFaint);
        painter->drawText(cell(y + 1, 0).adjusted(0, 0, -3 * kUnit, 0), Qt::AlignRight | Qt::AlignVCenter,
                          numberText(frame.y[y], 0));
        for (size_t x = 0; x < columns; ++x) {
            const auto& value = frame.maps[which].values[y * columns + x];
            const QRectF at = cell(y + 1, x + 1);
            painter->setPen(QPen(kLine, 0.4 * kUnit));
            painter->setBrush(value ? QBrush(shade(*value / frame.scale)) : QBrush(Qt::NoBrush));
            painter->drawRect(at);
            if (!value) continue;
            painter->setPen(kInk);
            painter->drawText(at, Qt::AlignCenter,
                              (*value > 0 ? "+" : "") + numberText(*value, std::abs(*value) < 9.95 ? 1 : 0));
        }
    }
    painter->setPen(kFaint);
    const auto text = [](const std::string& words) { return QString::fromStdString(words); };
    painter->drawText(cell(rows + 1, 1).adjusted(0, 0, rect.width() - 2 * wide, 0), Qt::AlignLeft | Qt::AlignVCenter,
                      tr("across: %1, %2; down: %3, %4; colours run from -%5 to +%5 %6; empty: no drive was there")
                          .arg(text(frame.xTitle), text(frame.xUnit), text(frame.yTitle), text(frame.yUnit))
                          .arg(numberText(frame.scale, 0), text(frame.unit)));
    painter->restore();
}

}  // namespace brusk::app
