// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/ProfileView.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/theme/Theme.h"

namespace brusk::app {

ProfileView::ProfileView(QWidget* parent) : QWidget(parent) {
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void ProfileView::setLine(Line line) {
    line_ = std::move(line);
    update();
}

void ProfileView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Tokens& t = tokens();
    painter.setPen(t.line);
    painter.setBrush(t.sheet);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5);
    painter.setFont(Theme::instance().text(11));
    painter.setPen(t.faint);
    painter.drawText(QRectF(9, 5, width() - 18, 16), Qt::AlignLeft | Qt::AlignVCenter, line_.title);
    if (line_.values.size() < 2) return;

    double least = INFINITY, most = -INFINITY;
    for (const auto* values : {&line_.values, &line_.reference})
        for (const double v : *values)
            least = std::min(least, v), most = std::max(most, v);
    if (most - least < 1e-9) least -= 1, most += 1;
    const QRectF plot = QRectF(rect()).adjusted(46, 28, -14, -24);
    const double first = line_.x.front(), span = std::max(1e-9, line_.x.back() - line_.x.front());
    const auto point = [&](double x, double v) {
        return QPointF(plot.left() + (x - first) / span * plot.width(),
                       plot.bottom() - (v - least) / (most - least) * plot.height());
    };
    painter.setFont(Theme::instance().numbers(10));
    for (const double share : {0.0, 0.5, 1.0}) {
        const double y = plot.bottom() - share * plot.height();
        painter.setPen(QPen(t.line, 1));
        painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y));
        painter.setPen(t.faint);
        painter.drawText(QRectF(0, y - 8, plot.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                         QString::number(least + share * (most - least), 'f', line_.decimals));
    }
    for (const size_t end : {size_t{0}, line_.x.size() - 1}) {
        const double x = point(line_.x[end], least).x();
        painter.drawText(QRectF(x - 40, plot.bottom() + 4, 80, 16), Qt::AlignCenter,
                         QString::number(line_.x[end], 'f', 0));
    }
    const auto trace = [&](const std::vector<double>& values, const QPen& pen) {
        QPolygonF path;
        for (size_t i = 0; i < std::min(values.size(), line_.x.size()); ++i)
            path << point(line_.x[i], values[i]);
        painter.setPen(pen);
        painter.setBrush(Qt::NoBrush);
        painter.drawPolyline(path);
    };
    if (!line_.reference.empty()) trace(line_.reference, QPen(t.violet, 1.2, Qt::DashLine));
    trace(line_.values, QPen(t.accent, 2));
    painter.setPen(Qt::NoPen);
    for (size_t i = 0; i < std::min(line_.values.size(), line_.x.size()); ++i) {
        const bool on = i == line_.current;
        painter.setBrush(on ? t.warm : t.accent);
        painter.drawEllipse(point(line_.x[i], line_.values[i]), on ? 4.5 : 2.5, on ? 4.5 : 2.5);
    }
}

}  // namespace brusk::app
