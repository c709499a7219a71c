// A polyline with handles; while a point is held its scale stays.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/ProfileView.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/theme/Theme.h"
#include "app/widgets/Raster.h"

namespace brusk::app {

namespace {
constexpr double kReach = 9;  // pixels around a point in which it is taken hold of
}

ProfileView::ProfileView(QWidget* parent) : QWidget(parent) {
    setMouseTracking(true);
    connect(&Theme::instance(), &Theme::changed, this, &ProfileView::changed);
}

void ProfileView::changed() {
    stale_ = true;
    update();
}

void ProfileView::setLine(Line line) {
    line_ = std::move(line);
    if (held_ && *held_ >= line_.values.size()) held_.reset(), heldScale_.reset();
    changed();
}

void ProfileView::setHere(std::optional<double> x) {
    if (x == here_) return;
    here_ = x;
    update();
}

ProfileView::Scale ProfileView::scale() const {
    if (heldScale_) return *heldScale_;
    Scale k;
    k.plot = QRectF(rect()).adjusted(46, 26, -14, -20);
    k.least = INFINITY, k.most = -INFINITY;
    for (const auto* values : {&line_.values, &line_.reference})
        for (const double v : *values)
            k.least = std::min(k.least, v), k.most = std::max(k.most, v);
    if (!(k.most - k.least > 1e-9)) k.least -= 1, k.most += 1;
    k.first = line_.x.front();
    k.span = std::max(1e-9, line_.x.back() - line_.x.front());
    return k;
}

QPointF ProfileView::pointAt(size_t i) const {
    return scale().at(line_.x[i], line_.values[i]);
}

std::optional<size_t> ProfileView::pointUnder(QPointF at) const {
    if (line_.values.size() < 2 || line_.x.size() != line_.values.size()) return std::nullopt;
    const Scale k = scale();
    std::optional<size_t> best;
    double distance = kReach * kReach;
    for (size_t i = 0; i < line_.values.size(); ++i) {
        const QPointF off = k.at(line_.x[i], line_.values[i]) - at;
        const double d = off.x() * off.x() + off.y() * off.y();
        if (d < distance) distance = d, best = i;
    }
    return best;
}

void ProfileView::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    const auto point = pointUnder(event->position());
    if (!point) return;
    emit picked(*point, event->modifiers() & Qt::ShiftModifier);
    if (!editable_) return;
    heldScale_ = scale();
    held_ = point;
    heldOffset_ = pointAt(*point).y() - event->position().y();
}

void ProfileView::mouseMoveEvent(QMouseEvent* event) {
    if (!held_) {
        setCursor(pointUnder(event->position()) ? (editable_ ? Qt::SizeVerCursor : Qt::PointingHandCursor)
                                                : Qt::ArrowCursor);
        return;
    }
    const Scale& k = *heldScale_;
    const double y = event->position().y() + heldOffset_;
    emit dragged(*held_, k.least + (k.plot.bottom() - y) / k.plot.height() * (k.most - k.least), false);
}

void ProfileView::mouseReleaseEvent(QMouseEvent* event) {
    if (!held_ || event->button() != Qt::LeftButton) return;
    const size_t index = *held_;
    const Scale k = *heldScale_;
    held_.reset();
    heldScale_.reset();
    const double y = event->position().y() + heldOffset_;
    emit dragged(index, k.least + (k.plot.bottom() - y) / k.plot.height() * (k.most - k.least), true);
    changed();
}

void ProfileView::paintScale(QPainter& painter, const Scale& k) {
    const Tokens& t = tokens();
    painter.setFont(Theme::instance().numbers(10));
    for (const double share : {0.0, 0.5, 1.0}) {
        const double y = k.plot.bottom() - share * k.plot.height();
        painter.setPen(QPen(t.line, 1));
        painter.drawLine(QPointF(k.plot.left(), y), QPointF(k.plot.right(), y));
        painter.setPen(t.faint);
        painter.drawText(QRectF(0, y - 8, k.plot.left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                         QString::number(k.least + share * (k.most - k.least), 'f', line_.decimals));
    }
    for (const size_t end : {size_t{0}, line_.x.size() - 1}) {
        const double x = k.at(line_.x[end], k.least).x();
        painter.drawText(QRectF(x - 40, k.plot.bottom() + 3, 80, 15), Qt::AlignCenter,
                         QString::number(line_.x[end], 'f', line_.xDecimals));
    }
}

void ProfileView::paintHere(QPainter& painter, const Scale& k) {
    const Tokens& t = tokens();
    const double x = k.at(std::clamp(*here_, line_.x.front(), line_.x.back()), k.least).x();
    painter.setPen(QPen(t.here, 1.2));
    painter.drawLine(QPointF(x, k.plot.top() - 2), QPointF(x, k.plot.bottom() + 3));
    // Its value in front of those of the axis' ends.
    const QString text = QString::number(*here_, 'f', line_.xDecimals);
    painter.setFont(Theme::instance().numbers(10));
    const double wide = painter.fontMetrics().horizontalAdvance(text) + 6;
    const double left = std::clamp(x - wide / 2, 2.0, std::max(2.0, width() - wide - 2.0));
    painter.fillRect(QRectF(left, k.plot.bottom() + 3, wide, 15), t.sheet);
    painter.setPen(t.here);
    painter.drawText(QRectF(left, k.plot.bottom() + 3, wide, 15), Qt::AlignCenter, text);
}

void ProfileView::paintTraces(const Scale& k) {
    const Tokens& t = tokens();
    const double ratio = picture_.devicePixelRatio();
    const QRectF inside(0, 20, width(), height() - 21);
    Raster raster(picture_, QRectF(inside.topLeft() * ratio, inside.size() * ratio).toRect());
    const auto trace = [&](const std::vector<double>& values, double wide, const QColor& colour, double dash) {
        std::vector<QPointF> points;
        points.reserve(values.size());
        for (size_t i = 0; i < std::min(values.size(), line_.x.size()); ++i)
            points.push_back(k.at(line_.x[i], values[i]) * ratio);
        raster.path(points, wide * ratio, colour.rgb(), dash * ratio);
    };
    trace(line_.reference, 1.2, t.violet, 4.8);
    trace(line_.values, 2, t.accent, 0);
}

void ProfileView::paintPoints(QPainter& painter, const Scale& k) {
    const Tokens& t = tokens();
    painter.setClipRect(QRectF(0, 20, width(), height() - 21));
    for (size_t i = 0; i < line_.values.size(); ++i) {
        const QPointF point = k.at(line_.x[i], line_.values[i]);
        const bool on = i == line_.current, selected = i >= line_.from && i <= line_.to;
        painter.setPen(selected && !on ? QPen(t.accent, 1.5) : QPen(Qt::NoPen));
        painter.setBrush(on ? t.warm : selected ? t.sheet : t.accent);
        painter.drawEllipse(point, on ? 4.5 : selected ? 4 : 2.5, on ? 4.5 : selected ? 4 : 2.5);
    }
    painter.setClipping(false);
}

/// The sheet with title and scale, its traces and their points.
void ProfileView::paintPicture(const std::optional<Scale>& k) {
    const Tokens& t = tokens();
    picture_.fill(Qt::transparent);
    QPainter painter(&picture_);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(t.line);
    painter.setBrush(t.sheet);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5);
    painter.setFont(Theme::instance().text(11));
    painter.setPen(t.faint);
    painter.drawText(QRectF(9, 4, width() - 18, 16), Qt::AlignLeft | Qt::AlignVCenter, line_.title);
    if (!k) return;
    paintScale(painter, *k);
    paintTraces(*k);
    paintPoints(painter, *k);
}

void ProfileView::paintEvent(QPaintEvent*) {
    std::optional<Scale> k;
    if (line_.values.size() > 1 && line_.x.size() >= line_.values.size()) k = scale();
    if (renewPicture(picture_, size(), devicePixelRatioF()) || stale_) {
        stale_ = false;
        paintPicture(k);
    }
    QPainter painter(this);
    painter.drawImage(0, 0, picture_);
    painter.setRenderHint(QPainter::Antialiasing);
    if (k && here_) paintHere(painter, *k);
}

}  // namespace brusk::app
