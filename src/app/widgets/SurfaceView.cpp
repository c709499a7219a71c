// Projects the map by hand: faces from back to front, nothing but a painter.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/SurfaceView.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <array>
#include <cmath>

#include "app/theme/Theme.h"

namespace brusk::app {

namespace {
constexpr double kYaw = -0.62, kPitch = 0.52;  // radians: how it is seen at first
constexpr double kHeight = 0.85;               // of the values against half the width
constexpr double kMesh = 0.8;                  // width of its lines
constexpr double kReach = 8;                   // pixels around a point in which it is taken hold of

}  // namespace

SurfaceView::SurfaceView(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setToolTip(
        tr("Drag to turn, with the right button to move, wheel to zoom. Drag a point to change it.\n"
           "Shift and drag chooses points. Keys: arrows turn, Shift+arrows move, + and - zoom, 0 resets."));
    resetView();
    connect(&Theme::instance(), &Theme::changed, this, &SurfaceView::changed);
}

void SurfaceView::changed() {
    stale_ = true;
    update();
}

void SurfaceView::resetView() {
    yaw_ = kYaw, pitch_ = kPitch, zoom_ = 1;
    shift_ = {};
    changed();
}

void SurfaceView::setShape(Shape shape) {
    shape_ = std::move(shape);
    surface_.rows = shape_.rows;
    surface_.columns = shape_.columns;
    surface_.x.values = shape_.x;
    surface_.y.values = shape_.y;
    surface_.values = shape_.values;
    // While a point is dragged the scale stays, or it would run away under the pointer.
    if (drag_ != Drag::Point) {
        least_ = INFINITY, most_ = -INFINITY;
        for (const auto* values : {&shape_.values, &shape_.reference})
            for (const double v : *values)
                if (std::isfinite(v)) least_ = std::min(least_, v), most_ = std::max(most_, v);
        if (!(most_ - least_ > 1e-9)) least_ -= 1, most_ += 1;
    }
    changed();
}

void SurfaceView::setSelection(const GridRange& range, int row, int column) {
    selection_ = range;
    row_ = row, column_ = column;
    update();
}

void SurfaceView::setHere(std::optional<QPointF> at) {
    footprint_.moveTo(at);
    update();
}

double SurfaceView::size() const {
    return std::min(width() * 0.33, (height() - 50) * 0.46) * zoom_;
}

double SurfaceView::normalX(double x) const {
    const double span = shape_.x.back() - shape_.x.front();
    return span > 0 ? 2 * (x - shape_.x.front()) / span - 1 : 0;
}

double SurfaceView::normalY(double y) const {
    const double span = shape_.y.back() - shape_.y.front();
    return span > 0 ? 2 * (y - shape_.y.front()) / span - 1 : 0;
}

double SurfaceView::normalValue(double v) const {
    return kHeight * ((v - least_) / (most_ - least_) - 0.5);
}

SurfaceView::Place SurfaceView::turned(double x, double y, double v) const {
    const double across = x * std::cos(yaw_) - y * std::sin(yaw_);
    const double away = x * std::sin(yaw_) + y * std::cos(yaw_);
    return {across, away * std::cos(pitch_) - v * std::sin(pitch_), v * std::cos(pitch_) + away * std::sin(pitch_)};
}

QPointF SurfaceView::project(double x, double y, double v) const {
    const Place p = turned(x, y, v);
    return QPointF(width() / 2.0 + p.across * size(), height() / 2.0 - 8 - p.up * size()) + shift_;
}

QPointF SurfaceView::pointAt(size_t row, size_t column) const {
    return project(normalX(shape_.x[column]), normalY(shape_.y[row]),
                   normalValue(shape_.values[row * shape_.columns + column]));
}

std::optional<std::pair<int, int>> SurfaceView::pointUnder(QPointF at) const {
    std::optional<std::pair<int, int>> best;
    double distance = kReach * kReach;
    for (size_t r = 0; r < shape_.rows; ++r)
        for (size_t c = 0; c < shape_.columns; ++c) {
            const QPointF off = pointAt(r, c) - at;
            const double d = off.x() * off.x() + off.y() * off.y();
            if (d < distance) distance = d, best = std::pair{static_cast<int>(r), static_cast<int>(c)};
        }
    return best;
}

void SurfaceView::paintFloor(QPainter& painter) {
    const Tokens& t = tokens();
    const double floor = -kHeight / 2;
    const QPolygonF base{project(-1, -1, floor), project(1, -1, floor), project(1, 1, floor), project(-1, 1, floor)};
    painter.setPen(QPen(t.line, 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawPolygon(base);
    painter.setFont(Theme::instance().numbers(10));
    painter.setPen(t.faint);
    // Titles stand at the edges that are nearer to the eye.
    const double nearY = turned(0, -1, floor).depth < turned(0, 1, floor).depth ? -1 : 1;
    const double nearX = turned(-1, 0, floor).depth < turned(1, 0, floor).depth ? -1 : 1;
    const auto label = [&](QPointF at, const QString& text) {
        painter.drawText(QRectF(at.x() - 90, at.y() + 3, 180, 14), Qt::AlignCenter, text);
    };
    // Both meet in the near corner: those of x stand left of it, those of y right.
    const QPointF aside(16, 0);
    label(project(-1, nearY, floor) - aside, QString::number(shape_.x.front(), 'f', shape_.xDecimals));
    label(project(1, nearY, floor) - aside, QString::number(shape_.x.back(), 'f', shape_.xDecimals));
    label(project(nearX, -1, floor) + aside, QString::number(shape_.y.front(), 'f', shape_.yDecimals));
    label(project(nearX, 1, floor) + aside, QString::number(shape_.y.back(), 'f', shape_.yDecimals));
    if (size() < 70) return;  // too small for titles
    painter.setFont(Theme::instance().text(11));
    label(project(0, nearY, floor) + QPointF(0, 12), shape_.xTitle);
    label(project(nearX, 0, floor) + QPointF(0, 12), shape_.yTitle);
}

void SurfaceView::paintSurface(Raster& raster) {
    const Tokens& t = tokens();
    const double ratio = picture_.devicePixelRatio();
    std::vector<QPointF> points(shape_.rows * shape_.columns);
    for (size_t r = 0; r < shape_.rows; ++r)
        for (size_t c = 0; c < shape_.columns; ++c)
            points[r * shape_.columns + c] = pointAt(r, c) * ratio;
    // From the far corner to the near one: rows and columns in the order of their depth.
    const bool rowsFirst = turned(0, 1, 0).depth > turned(0, -1, 0).depth;
    const bool columnsFirst = turned(1, 0, 0).depth > turned(-1, 0, 0).depth;
    const auto range = [](size_t count, bool last) {
        std::vector<size_t> order(count);
        for (size_t i = 0; i < count; ++i)
            order[i] = last ? count - 1 - i : i;
        return order;
    };
    // Soft edges are those of the mesh: what is filled lies below it.
    const QRgb mesh = Tokens::mix(t.sheet, t.ink, 0.42).rgb();
    std::array<QRgb, 256> colours;
    for (size_t i = 0; i < colours.size(); ++i)
        colours[i] = Tokens::mix(t.sheet, t.accent, 0.10 + 0.55 * static_cast<double>(i) / (colours.size() - 1)).rgb();
    for (const size_t r : range(shape_.rows - 1, rowsFirst))
        for (const size_t c : range(shape_.columns - 1, columnsFirst)) {
            const size_t i = r * shape_.columns + c, down = i + shape_.columns;
            const QPointF quad[] = {points[i], points[i + 1], points[down + 1], points[down]};
            const double mean =
                (shape_.values[i] + shape_.values[i + 1] + shape_.values[down] + shape_.values[down + 1]) / 4;
            if (!std::isfinite(mean)) continue;
            const double share = std::clamp((mean - least_) / (most_ - least_), 0.0, 1.0);
            raster.fill(quad, colours[static_cast<size_t>(share * (colours.size() - 1))]);
            // Each edge once, with the later of its two faces; the near rim has no later one.
            const auto edge = [&](size_t k) { raster.line(quad[k], quad[(k + 1) % 4], kMesh * ratio, mesh); };
            edge(rowsFirst ? 2 : 0), edge(columnsFirst ? 1 : 3);
            if (r == (rowsFirst ? 0 : shape_.rows - 2)) edge(rowsFirst ? 0 : 2);
            if (c == (columnsFirst ? 0 : shape_.columns - 2)) edge(columnsFirst ? 3 : 1);
        }
}

/// What the controller has, dashed, where it is another.
void SurfaceView::paintReference(Raster& raster) {
    if (shape_.reference.size() != shape_.values.size()) return;
    const double ratio = picture_.devicePixelRatio();
    const auto differs = [&](size_t i) {
        return std::abs(shape_.reference[i] - shape_.values[i]) > 1e-6 * (most_ - least_);
    };
    std::vector<QPointF> path;
    const auto draw = [&] {
        raster.path(path, kMesh * ratio, tokens().violet.rgb(), 4 * kMesh * ratio);
        path.clear();
    };
    for (size_t r = 0; r < shape_.rows; ++r, draw())
        for (size_t c = 0; c + 1 < shape_.columns; ++c) {
            const size_t i = r * shape_.columns + c;
            const auto there = [&](size_t column) {
                return project(normalX(shape_.x[column]), normalY(shape_.y[r]),
                               normalValue(shape_.reference[r * shape_.columns + column])) *
                       ratio;
            };
            if (!differs(i) && !differs(i + 1)) {
                draw();
                continue;
            }
            if (path.empty()) path.push_back(there(c));
            path.push_back(there(c + 1));
        }
}

void SurfaceView::paintPoints(QPainter& painter) {
    const Tokens& t = tokens();
    for (int r = selection_.top; r <= selection_.bottom && r < static_cast<int>(shape_.rows); ++r)
        for (int c = selection_.left; c <= selection_.right && c < static_cast<int>(shape_.columns); ++c) {
            const bool on = r == row_ && c == column_;
            painter.setPen(QPen(t.accent, 1.5));
            painter.setBrush(on ? t.warm : t.sheet);
            painter.drawEllipse(pointAt(static_cast<size_t>(r), static_cast<size_t>(c)), on ? 5 : 3.2, on ? 5 : 3.2);
        }
}

QPointF SurfaceView::pointOn(QPointF value) const {
    const double x = std::clamp(value.x(), shape_.x.front(), shape_.x.back());
    const double y = std::clamp(value.y(), shape_.y.front(), shape_.y.back());
    return project(normalX(x), normalY(y), normalValue(calibration::surfaceAt(surface_, x, y)));
}

/// A pin in the surface, and its way of the last five seconds as points.
void SurfaceView::paintPin(QPainter& painter) {
    if (!footprint_.at()) return;
    constexpr double kTall = 22, kHead = 3.2;
    QColor here = tokens().here;
    painter.setPen(Qt::NoPen);
    for (const auto& past : footprint_.past()) {
        here.setAlphaF(0.15f + 0.55f * past.fresh);
        painter.setBrush(here);
        painter.drawRect(QRectF(pointOn(past.at) - QPointF(0.9, 0.9), QSizeF(1.8, 1.8)));
    }
    here.setAlphaF(1);
    const QPointF foot = pointOn(*footprint_.at()), head = foot - QPointF(0, kTall);
    painter.setPen(QPen(here, 1.4));
    painter.drawLine(foot, head);
    painter.setPen(Qt::NoPen);
    painter.setBrush(here);
    const QPointF flag[] = {head, head + QPointF(2.4 * kHead, kHead), head + QPointF(0, 2 * kHead)};
    painter.drawPolygon(flag, 3);
}

void SurfaceView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Tokens& t = tokens();
    const qreal ratio = devicePixelRatioF();
    const bool drawable = shape_.rows > 1 && shape_.columns > 1 && shape_.x.size() == shape_.columns &&
                          shape_.y.size() == shape_.rows && shape_.values.size() == shape_.rows * shape_.columns;
    if (renewPicture(picture_, QWidget::size(), ratio) || stale_) {
        stale_ = false;
        picture_.fill(Qt::transparent);
        QPainter inside(&picture_);
        inside.setRenderHint(QPainter::Antialiasing);
        inside.setPen(t.line);
        inside.setBrush(t.sheet);
        inside.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5);
        inside.setClipRect(seen());
        if (drawable) {
            paintFloor(inside);
            const QRectF sheet(seen());
            Raster raster(picture_, QRectF(sheet.topLeft() * ratio, sheet.size() * ratio).toRect());
            paintSurface(raster);
            paintReference(raster);
        }
        inside.setPen(t.faint);
        inside.setFont(Theme::instance().numbers(10));
        inside.drawText(QRectF(9, 4, width() - 18, 16), Qt::AlignLeft,
                        QString("%1 to %2 %3")
                            .arg(least_, 0, 'f', shape_.decimals)
                            .arg(most_, 0, 'f', shape_.decimals)
                            .arg(shape_.unit));
    }
    painter.drawImage(0, 0, picture_);
    if (!drawable) return;
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setClipRect(seen());
    paintPoints(painter);
    paintPin(painter);
    painter.setRenderHint(QPainter::Antialiasing);
    if (drag_ == Drag::Choose) {
        painter.setPen(QPen(t.accent, 1, Qt::DashLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(QRectF(pressed_, last_).normalized());
    }
    if (hasFocus()) {
        painter.setPen(QPen(t.accent, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(QRectF(rect()).adjusted(2.5, 2.5, -2.5, -2.5), 4, 4);
    }
}

double SurfaceView::valueFor(QPointF at) const {
    const double perValue = kHeight / (most_ - least_) * std::cos(pitch_) * size();
    return heldValue_ - (at.y() - pressed_.y()) / perValue;
}

void SurfaceView::mousePressEvent(QMouseEvent* event) {
    pressed_ = last_ = event->position();
    if (shape_.values.empty()) return;
    if (event->button() == Qt::RightButton || event->button() == Qt::MiddleButton) {
        drag_ = Drag::Move;
    } else if (const auto point = pointUnder(pressed_)) {
        emit picked(point->first, point->second, event->modifiers() & Qt::ShiftModifier);
        heldRow_ = point->first, heldColumn_ = point->second;
        heldValue_ = shape_.values[static_cast<size_t>(heldRow_) * shape_.columns + static_cast<size_t>(heldColumn_)];
        drag_ = editable_ && !(event->modifiers() & Qt::ShiftModifier) ? Drag::Point : Drag::None;
    } else {
        drag_ = event->modifiers() & Qt::ShiftModifier ? Drag::Choose : Drag::Turn;
    }
}

void SurfaceView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF moved = event->position() - last_;
    switch (drag_) {
        case Drag::None:
            setCursor(!shape_.values.empty() && pointUnder(event->position()) ? Qt::SizeVerCursor : Qt::ArrowCursor);
            return;
        case Drag::Turn:
            yaw_ -= moved.x() * 0.01;
            pitch_ = std::clamp(pitch_ + moved.y() * 0.008, 0.02, 1.5);
            changed();
            break;
        case Drag::Move:
            shift_ += moved;
            changed();
            break;
        case Drag::Choose:
            update();
            break;
        case Drag::Point:
            emit dragged(heldRow_, heldColumn_, valueFor(event->position()), false);
            break;
    }
    last_ = event->position();
}

void SurfaceView::mouseReleaseEvent(QMouseEvent* event) {
    const Drag was = std::exchange(drag_, Drag::None);
    if (was == Drag::Point && event->position() != pressed_)
        emit dragged(heldRow_, heldColumn_, valueFor(event->position()), true);
    if (was != Drag::Choose) return;
    const QRectF area = QRectF(pressed_, event->position()).normalized();
    std::optional<GridRange> range;
    for (size_t r = 0; r < shape_.rows; ++r)
        for (size_t c = 0; c < shape_.columns; ++c) {
            if (!area.contains(pointAt(r, c))) continue;
            const int row = static_cast<int>(r), column = static_cast<int>(c);
            if (!range) range = GridRange{row, column, row, column};
            *range = {std::min(range->top, row), std::min(range->left, column), std::max(range->bottom, row),
                      std::max(range->right, column)};
        }
    if (range) emit chosen(*range);
    update();
}

void SurfaceView::zoomBy(double factor) {
    zoom_ = std::clamp(zoom_ * factor, 0.3, 12.0);
    changed();
}

void SurfaceView::wheelEvent(QWheelEvent* event) {
    zoomBy(std::pow(1.0015, event->angleDelta().y()));
    event->accept();
}

void SurfaceView::keyPressEvent(QKeyEvent* event) {
    const bool move = event->modifiers() & Qt::ShiftModifier;
    constexpr double kTurn = 0.08, kMove = 12;
    switch (event->key()) {
        case Qt::Key_Left:
            move ? void(shift_.rx() -= kMove) : void(yaw_ += kTurn);
            break;
        case Qt::Key_Right:
            move ? void(shift_.rx() += kMove) : void(yaw_ -= kTurn);
            break;
        case Qt::Key_Up:
            move ? void(shift_.ry() -= kMove) : void(pitch_ = std::max(0.02, pitch_ - kTurn));
            break;
        case Qt::Key_Down:
            move ? void(shift_.ry() += kMove) : void(pitch_ = std::min(1.5, pitch_ + kTurn));
            break;
        case Qt::Key_Plus:
        case Qt::Key_Equal:
            return zoomBy(1.15);
        case Qt::Key_Minus:
            return zoomBy(1 / 1.15);
        case Qt::Key_0:
            return resetView();
        default:
            return QWidget::keyPressEvent(event);
    }
    changed();
}

}  // namespace brusk::app
