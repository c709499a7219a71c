// Nil lies in the middle; seen points are rings with a bar of their doubt, what is left of them dots.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/correct/EvidencePlot.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>

#include "app/theme/Theme.h"

namespace brusk::app {

EvidencePlot::EvidencePlot(QWidget* parent) : QWidget(parent) {
    setCursor(Qt::PointingHandCursor);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void EvidencePlot::show(Picture picture) {
    picture_ = std::move(picture);
    update();
}

void EvidencePlot::setCurrent(size_t point) {
    picture_.current = point;
    update();
}

EvidencePlot::Scale EvidencePlot::scale() const {
    constexpr double kRoom = 1.08, kLeast = 0.1;
    Scale out{QRectF(rect()).adjusted(46, 28, -14, -24), INFINITY, -INFINITY, kLeast};
    const auto take = [&](double x, double v, double doubt) {
        out.least = std::min(out.least, x), out.most = std::max(out.most, x);
        out.reach = std::max(out.reach, kRoom * (std::abs(v) + (std::isfinite(doubt) ? doubt : 0)));
    };
    for (const Point& point : picture_.points)
        take(point.x, point.now, point.doubt);
    for (const QPointF& change : picture_.change)
        take(change.x(), change.y(), 0);
    if (!(out.most > out.least)) out.least -= 1, out.most = out.least + 2;
    return out;
}

QPointF EvidencePlot::pointAt(size_t i) const {
    return scale().at(picture_.points[i].x, picture_.points[i].now);
}

void EvidencePlot::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || picture_.points.empty()) return;
    const Scale k = scale();
    size_t best = 0;
    double least = INFINITY;
    for (size_t i = 0; i < picture_.points.size(); ++i) {
        const QPointF off = k.at(picture_.points[i].x, picture_.points[i].now) - event->position();
        const double far = off.x() * off.x() + off.y() * off.y();
        if (far < least) least = far, best = i;
    }
    setCurrent(best);
    emit chosen(best);
}

void EvidencePlot::paintScale(QPainter& painter, const Scale& k) const {
    const Tokens& t = tokens();
    painter.setFont(Theme::instance().numbers(10));
    const int decimals = k.reach < 10 ? 1 : 0;
    for (const int side : {1, 0, -1}) {
        const double v = side * k.reach;
        const double y = k.at(k.least, v).y();
        painter.setPen(QPen(side == 0 ? t.faint : t.line, 1));
        painter.drawLine(QPointF(k.plot.left(), y), QPointF(k.plot.right(), y));
        painter.setPen(t.faint);
        const QString text = side == 0 ? QString("0") : (side > 0 ? "+" : "") + QString::number(v, 'f', decimals);
        painter.drawText(QRectF(0, y - 8, k.plot.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter, text);
    }
    const QRectF foot(k.plot.left(), k.plot.bottom() + 4, k.plot.width(), 16);
    const int along = k.most - k.least < 20 ? 1 : 0;
    painter.drawText(foot, Qt::AlignLeft, QString::number(k.least, 'f', along));
    painter.drawText(foot, Qt::AlignRight, QString::number(k.most, 'f', along));
    painter.setFont(Theme::instance().text(11));
    painter.drawText(foot, Qt::AlignCenter, picture_.along);
    const bool left = std::any_of(picture_.points.begin(), picture_.points.end(),
                                  [](const Point& point) { return std::isfinite(point.after); });
    const QString seen = left ? tr("ring: seen, dot: left then") : tr("ring: seen");
    const QString change = picture_.change.empty() ? QString() : tr(", line: the change");
    painter.drawText(QRectF(10, 6, width() - 20, 18), Qt::AlignLeft | Qt::AlignVCenter,
                     seen + change + ", " + picture_.unit);
}

void EvidencePlot::paintPoint(QPainter& painter, const Scale& k, size_t i) const {
    const Tokens& t = tokens();
    const Point& point = picture_.points[i];
    const QPointF at = k.at(point.x, point.now);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(t.faint, 1.2));
    if (std::isfinite(point.doubt))
        painter.drawLine(k.at(point.x, point.now - point.doubt), k.at(point.x, point.now + point.doubt));
    const bool current = i == picture_.current;
    painter.setBrush(t.sheet);
    painter.setPen(QPen(current ? t.accent : t.ink, current ? 2.4 : 1.2));
    painter.drawEllipse(at, 4, 4);
    if (!std::isfinite(point.after)) return;
    painter.setPen(Qt::NoPen);
    painter.setBrush(t.accent);
    painter.drawEllipse(k.at(point.x, point.after), 2.5, 2.5);
}

void EvidencePlot::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Tokens& t = tokens();
    painter.setBrush(t.sheet);
    painter.setPen(QPen(t.line, 1));
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    if (picture_.points.empty()) return;
    const Scale k = scale();
    paintScale(painter, k);
    if (!picture_.change.empty()) {
        QPainterPath line(k.at(picture_.change[0].x(), picture_.change[0].y()));
        for (const QPointF& change : picture_.change)
            line.lineTo(k.at(change.x(), change.y()));
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(t.accent, 1.6));
        painter.drawPath(line);
    }
    for (size_t i = 0; i < picture_.points.size(); ++i)
        paintPoint(painter, k, i);
}

}  // namespace brusk::app
