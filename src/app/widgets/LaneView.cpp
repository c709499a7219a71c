// Draws from pyramids: as many points as pixels, whatever the recording's length.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/LaneView.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include "app/theme/Theme.h"

namespace brusk::app {

TraceData::TraceData(std::vector<double> time_s, std::vector<float> values)
    : time_(std::move(time_s)), values_(std::move(values)) {
    std::vector<double> steps;
    for (size_t i = 1; i < std::min<size_t>(time_.size(), 1001); ++i)
        steps.push_back(time_[i] - time_[i - 1]);
    if (!steps.empty()) {
        std::nth_element(steps.begin(), steps.begin() + static_cast<long>(steps.size() / 2), steps.end());
        step_s_ = steps[steps.size() / 2];
    }
    const auto join = [](Span& into, float least, float most) {
        if (std::isnan(least)) return;
        if (std::isnan(into.least))
            into = {least, most};
        else
            into = {std::min(into.least, least), std::max(into.most, most)};
    };
    size_t below = values_.size();
    while (below > kFan) {
        std::vector<Span> level((below + kFan - 1) / kFan, Span{NAN, NAN});
        for (size_t i = 0; i < below; ++i) {
            if (levels_.empty())
                join(level[i / kFan], values_[i], values_[i]);
            else
                join(level[i / kFan], levels_.back()[i].least, levels_.back()[i].most);
        }
        below = level.size();
        levels_.push_back(std::move(level));
    }
}

bool TraceData::range(size_t from, size_t to, float& least, float& most) const {
    least = INFINITY, most = -INFINITY;
    to = std::min(to, values_.size());
    const auto take = [&](float low, float high) {
        if (std::isnan(low)) return;
        least = std::min(least, low);
        most = std::max(most, high);
    };
    size_t i = from;
    while (i < to) {
        // The largest block that begins here and ends inside.
        size_t level = 0, block = 1;
        while (level < levels_.size() && i % (block * kFan) == 0 && i + block * kFan <= to)
            block *= kFan, ++level;
        if (level == 0)
            take(values_[i], values_[i]);
        else
            take(levels_[level - 1][i / block].least, levels_[level - 1][i / block].most);
        i += block;
    }
    return least <= most;
}

float TraceData::at(double t) const {
    const auto after = std::upper_bound(time_.begin(), time_.end(), t);
    return after == time_.begin() ? NAN : values_[static_cast<size_t>(after - time_.begin()) - 1];
}

LaneView::LaneView(QWidget* parent) : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void LaneView::setTraces(std::vector<Trace> traces, int lanes) {
    traces_ = std::move(traces);
    lanes_ = std::max(1, lanes);
    most_ = 1;
    for (const Trace& trace : traces_)
        if (trace.data && !trace.data->time().empty()) most_ = std::max(most_, trace.data->time().back());
    update();
}

void LaneView::setSpan(double from_s, double to_s) {
    from_ = from_s;
    to_ = std::max(to_s, from_s + 0.05);
    update();
}

void LaneView::setCursor(std::optional<double> time_s) {
    cursor_ = time_s;
    update();
}

void LaneView::setMarks(std::vector<double> times_s) {
    marks_ = std::move(times_s);
    update();
}

QRectF LaneView::plotRect() const {
    return QRectF(rect()).adjusted(8, 8, -186, -22);
}

double LaneView::timeAt(double x) const {
    const QRectF plot = plotRect();
    return from_ + (x - plot.left()) / std::max(1.0, plot.width()) * (to_ - from_);
}

double LaneView::xAt(double t) const {
    const QRectF plot = plotRect();
    return plot.left() + (t - from_) / (to_ - from_) * plot.width();
}

void LaneView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Tokens& t = tokens();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(t.line);
    painter.setBrush(t.sheet);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5);
    painter.setRenderHint(QPainter::Antialiasing, false);
    const QRectF plot = plotRect();
    if (plot.width() < 20 || plot.height() < 20) return;

    QColor mark = t.warm;
    mark.setAlphaF(0.18f);
    int lastX = -10;
    for (const double time : marks_) {
        const int x = static_cast<int>(xAt(time));
        if (time < from_ || time > to_ || x == lastX) continue;
        painter.fillRect(QRectF(x, plot.top(), 1.5, plot.height()), mark);
        lastX = x;
    }
    const double laneHeight = plot.height() / lanes_;
    std::vector<double> labels(static_cast<size_t>(lanes_));
    for (int lane = 0; lane < lanes_; ++lane) {
        const double top = plot.top() + lane * laneHeight;
        labels[static_cast<size_t>(lane)] = top + 4;
        if (lane > 0) {
            painter.setPen(t.line);
            painter.drawLine(QPointF(plot.left(), top), QPointF(width() - 8, top));
        }
    }
    for (const Trace& trace : traces_) {
        if (trace.lane < 0 || trace.lane >= lanes_ || !trace.data) continue;
        const QRectF lane(plot.left(), plot.top() + trace.lane * laneHeight + 5, plot.width(), laneHeight - 10);
        paintTrace(painter, trace, lane, labels[static_cast<size_t>(trace.lane)]);
    }
    // Times along the bottom: a step of 1, 2 or 5 that leaves room for its label.
    double step = std::pow(10, std::floor(std::log10((to_ - from_) / 5)));
    while ((to_ - from_) / step > 10)
        step *= step / std::pow(10, std::floor(std::log10(step) + 1e-9)) < 1.5 ? 2 : 2.5;
    painter.setFont(Theme::instance().numbers(10));
    painter.setPen(t.faint);
    for (double time = std::ceil(from_ / step) * step; time <= to_; time += step)
        painter.drawText(QRectF(std::max(xAt(time) - 40, plot.left() - 28), plot.bottom() + 3, 80, 16), Qt::AlignCenter,
                         QString::number(time, 'f', step < 1 ? 1 : 0) + " s");
    if (cursor_ && *cursor_ >= from_ && *cursor_ <= to_) {
        painter.setPen(QPen(t.accent, 1));
        painter.drawLine(QPointF(xAt(*cursor_), plot.top()), QPointF(xAt(*cursor_), plot.bottom()));
    }
}

std::pair<size_t, size_t> LaneView::shownSamples(const TraceData& held) const {
    const auto& time = held.time();
    const auto first = static_cast<size_t>(std::lower_bound(time.begin(), time.end(), from_) - time.begin());
    const auto last = static_cast<size_t>(std::upper_bound(time.begin(), time.end(), to_) - time.begin());
    return {first > 0 ? first - 1 : 0, std::min(time.size(), last + 1)};
}

std::pair<double, double> LaneView::rangeOf(const Trace& trace) const {
    if (trace.high > trace.low) return {trace.low, trace.high};
    double low = INFINITY, high = -INFINITY;
    for (const Trace& other : traces_) {
        if (other.lane != trace.lane || other.unit != trace.unit || !other.data) continue;
        const auto [begin, end] = shownSamples(*other.data);
        float a, b;
        if (other.data->range(begin, end, a, b)) low = std::min<double>(low, a), high = std::max<double>(high, b);
    }
    if (!(low <= high)) return {0, 1};
    // Room around, and a flat line does not fill the lane with its noise.
    const double pad = std::max((high - low) * 0.06, std::max(std::abs(high), 1.0) * 0.004);
    return {low - pad, high + pad};
}

void LaneView::paintTrace(QPainter& painter, const Trace& trace, const QRectF& lane, double& labelY) {
    const TraceData& held = *trace.data;
    const auto& time = held.time();
    const auto [begin, end] = shownSamples(held);
    const QColor colour = Theme::instance().trace(trace.colour);
    float least = 0, most = 1;
    const bool any = held.range(begin, end, least, most);
    const auto [low, high] = rangeOf(trace);
    const double lowest = low, span = high - low;
    const auto y = [&](double v) {
        return std::clamp(lane.bottom() - (v - lowest) / span * lane.height(), lane.top() - 3, lane.bottom() + 3);
    };
    // Nothing is clipped silently: a bar at the lane's edge says that the trace goes on beyond it.
    if (any && most > high) painter.fillRect(QRectF(lane.right() + 2, lane.top() - 3, 3, 8), colour);
    if (any && least < low) painter.fillRect(QRectF(lane.right() + 2, lane.bottom() - 5, 3, 8), colour);
    painter.setPen(QPen(colour, 1.3));
    if (any && end - begin > static_cast<size_t>(lane.width()) * 2) {
        size_t at = begin;
        double before = NAN;
        for (int px = 0; px < static_cast<int>(lane.width()); ++px) {
            const double until = timeAt(lane.left() + px + 1);
            const auto next = static_cast<size_t>(
                std::lower_bound(time.begin() + static_cast<long>(at), time.begin() + static_cast<long>(end), until) -
                time.begin());
            float a, b;
            if (next > at && held.range(at, next, a, b)) {
                double top = y(b), bottom = y(a);
                if (!std::isnan(before)) top = std::min(top, before), bottom = std::max(bottom, before);
                painter.drawLine(QPointF(lane.left() + px, top), QPointF(lane.left() + px, bottom + 0.5));
                before = y(held.values()[next - 1]);
            }
            at = std::max(at, next);
        }
    } else if (any) {
        painter.setRenderHint(QPainter::Antialiasing);
        QPolygonF path;
        const auto flush = [&] {
            painter.drawPolyline(path);
            path.clear();
        };
        for (size_t i = begin; i < end; ++i) {
            // A gap in the samples is a gap in the line.
            const bool gap = std::isnan(held.values()[i]) ||
                             (!path.isEmpty() && i > 0 && time[i] - time[i - 1] > std::max(0.05, 4 * held.step_s()));
            if (gap) flush();
            if (!std::isnan(held.values()[i]))
                path << QPointF(std::clamp(xAt(time[i]), lane.left(), lane.right()), y(held.values()[i]));
        }
        flush();
        painter.setRenderHint(QPainter::Antialiasing, false);
    }
    const double shown = cursor_ ? held.at(*cursor_) : (time.empty() ? NAN : held.at(to_));
    painter.setFont(Theme::instance().text(11));
    painter.setPen(colour);
    const QString value =
        std::isnan(shown) ? "-" : QString::number(trace.shown(shown), 'f', trace.shown.decimals(trace.decimals));
    const QRectF label(lane.right() + 9, labelY, 170, 15);
    painter.drawText(label, Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(trace.name, Qt::ElideRight, 122));
    painter.setFont(Theme::instance().numbers(11));
    painter.drawText(label, Qt::AlignRight | Qt::AlignVCenter, value);
    labelY += 16;
}

void LaneView::moveCursor(double t) {
    cursor_ = std::clamp(t, 0.0, most_);
    update();
    emit cursorMoved(*cursor_);
}

void LaneView::mousePressEvent(QMouseEvent* event) {
    setFocus();
    if (event->button() == Qt::LeftButton) moveCursor(timeAt(event->position().x()));
    dragAt_ = event->pos();
    dragFrom_ = from_;
}

void LaneView::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons() & Qt::LeftButton) moveCursor(timeAt(event->position().x()));
    if (event->buttons() & (Qt::MiddleButton | Qt::RightButton)) {
        const double shift = (dragAt_.x() - event->pos().x()) / std::max(1.0, plotRect().width()) * (to_ - from_);
        const double width = to_ - from_;
        setSpan(dragFrom_ + shift, dragFrom_ + shift + width);
    }
}

void LaneView::wheelEvent(QWheelEvent* event) {
    const double centre = timeAt(event->position().x());
    const double factor = std::pow(0.85, event->angleDelta().y() / 120.0);
    const double width = std::clamp((to_ - from_) * factor, 0.2, most_ * 1.1);
    const double share = (centre - from_) / (to_ - from_);
    setSpan(centre - share * width, centre + (1 - share) * width);
}

void LaneView::keyPressEvent(QKeyEvent* event) {
    const double width = to_ - from_;
    switch (event->key()) {
        case Qt::Key_Left:
            return moveCursor(cursor_.value_or(from_) - width / 200);
        case Qt::Key_Right:
            return moveCursor(cursor_.value_or(from_) + width / 200);
        case Qt::Key_PageUp:
            return setSpan(from_ - width * 0.8, to_ - width * 0.8);
        case Qt::Key_PageDown:
            return setSpan(from_ + width * 0.8, to_ + width * 0.8);
        case Qt::Key_Plus:
            return setSpan(from_ + width * 0.15, to_ - width * 0.15);
        case Qt::Key_Minus:
            return setSpan(from_ - width * 0.2, to_ + width * 0.2);
        case Qt::Key_Home:
            return setSpan(0, most_);
        default:
            QWidget::keyPressEvent(event);
    }
}

}  // namespace brusk::app
