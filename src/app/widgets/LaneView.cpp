// Finds each pixel column's samples, and draws what their pyramid says of them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/LaneView.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

#include "app/theme/Theme.h"
#include "app/widgets/TraceSpans.h"

namespace brusk::app {

TraceData::TraceData(recording::Clock time_s, recording::Column values)
    : clock_(std::move(time_s)), column_(std::move(values)), time_(clock_), values_(column_) {
    constexpr size_t kLooked = 1001;
    constexpr double kLeastGap_s = 0.05;
    std::vector<double> steps;
    for (size_t i = 1; i < std::min(time_.size(), kLooked); ++i)
        steps.push_back(time_[i] - time_[i - 1]);
    const auto middle = steps.begin() + static_cast<long>(steps.size() / 2);
    std::nth_element(steps.begin(), middle, steps.end());
    gap_s_ = std::max(kLeastGap_s, steps.empty() ? 0 : 4 * *middle);
    (void)column_.pyramid();
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

void LaneView::setFlags(std::vector<LaneFlag> flags) {
    std::stable_sort(flags.begin(), flags.end(), [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
    flags_ = std::move(flags);
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
    const double dpr = devicePixelRatioF();
    const QSize size = (plot.size() * dpr).toSize();
    if (image_.size() != size) image_ = QImage(size, QImage::Format_ARGB32_Premultiplied);
    image_.fill(Qt::transparent);
    edges_.clear();
    for (const Trace& trace : traces_) {
        if (trace.lane < 0 || trace.lane >= lanes_ || !trace.data) continue;
        const QRectF lane(plot.left(), plot.top() + trace.lane * laneHeight + 5, plot.width(), laneHeight - 10);
        paintTrace(painter, trace, lane);
        paintLabel(painter, trace, lane, labels[static_cast<size_t>(trace.lane)]);
    }
    image_.setDevicePixelRatio(dpr);
    painter.drawImage(plot.topLeft(), image_);
    image_.setDevicePixelRatio(1);
    paintFlags(painter, plot);
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

/// A line each, and its words above the lowest lane's foot as far as they have room beside those before.
void LaneView::paintFlags(QPainter& painter, const QRectF& plot) {
    constexpr double kTall = 15, kWidest = 150, kRoom = 6;
    const Tokens& t = tokens();
    painter.setFont(Theme::instance().text(11));
    const QFontMetricsF metrics(painter.font());
    double free = plot.left();
    for (const LaneFlag& flag : flags_) {
        if (flag.at_s < from_ || flag.at_s > to_) continue;
        const double x = std::round(xAt(flag.at_s));
        painter.setPen(QPen(t.warm, 1));
        painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()));
        if (x < free) continue;
        const double room = plot.right() - x;
        const double wide = std::min({std::max(metrics.horizontalAdvance(flag.text) + kRoom, kTall), kWidest, room});
        if (room < kTall) continue;
        const QRectF words(x, plot.bottom() - kTall, wide, kTall);
        painter.fillRect(words, Tokens::mix(t.sheet, t.warm, 0.16));
        painter.setPen(t.ink);
        painter.drawText(words.adjusted(kRoom / 2, 0, 0, 0), Qt::AlignVCenter,
                         metrics.elidedText(flag.text, Qt::ElideRight, wide - kRoom / 2));
        free = words.right() + 2;
    }
}

bool LaneView::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip) return QWidget::event(event);
    constexpr double kReach = 5;
    const auto* help = static_cast<QHelpEvent*>(event);
    QStringList words;
    for (const LaneFlag& flag : flags_)
        if (std::abs(xAt(flag.at_s) - help->pos().x()) <= kReach)
            words << QString::number(flag.at_s, 'f', 1) + " s: " + flag.text;
    QToolTip::showText(help->globalPos(), words.join("\n"), this);
    return true;
}

std::pair<size_t, size_t> LaneView::shownSamples(const TraceData& held) const {
    const auto time = held.time();
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
        const auto stretch = other.data->over(begin, end);
        if (stretch.any()) low = std::min<double>(low, stretch.least), high = std::max<double>(high, stretch.most);
    }
    if (!(low <= high)) return {0, 1};
    // Room around, and a flat line does not fill the lane with its noise.
    const double pad = std::max((high - low) * 0.06, std::max(std::abs(high), 1.0) * 0.004);
    return {low - pad, high + pad};
}

const std::vector<size_t>& LaneView::edgesOf(const TraceData& held, int columns) {
    for (const auto& [clock, edges] : edges_)
        if (clock == held.time().data()) return edges;
    const auto time = held.time();
    const auto [begin, end] = shownSamples(held);
    std::vector<size_t> out;
    const double perColumn = static_cast<double>(end - begin) / columns;
    // Moved by less than a sixteenth of a pixel, to where the pyramid's blocks begin.
    size_t block = 1;
    for (size_t next = recording::Pyramid::kBase; static_cast<double>(next) * 16 <= perColumn;
         next *= recording::Pyramid::kFan)
        block = next;
    size_t at = begin;
    for (int column = 0; column <= columns; ++column) {
        const double until = from_ + (to_ - from_) * column / columns;
        // Most clocks run evenly: a look around the place where the edge would be.
        size_t low = at, high = std::min(end, at + static_cast<size_t>(perColumn) + 2);
        for (size_t step = 1; high < end && time[high] < until; step *= 2)
            low = high, high = std::min(end, high + step);
        at = static_cast<size_t>(
            std::lower_bound(time.begin() + static_cast<long>(low), time.begin() + static_cast<long>(high), until) -
            time.begin());
        out.push_back(column == 0 || column == columns ? at : std::max(out.back(), at / block * block));
    }
    return edges_.emplace_back(time.data(), std::move(out)).second;
}

void LaneView::paintTrace(QPainter& painter, const Trace& trace, const QRectF& lane) {
    constexpr double kHalfWidth = 0.65;
    const TraceData& held = *trace.data;
    const auto time = held.time();
    const auto values = held.values();
    const auto [begin, end] = shownSamples(held);
    const QColor colour = Theme::instance().trace(trace.colour);
    const auto all = held.over(begin, end);
    if (!all.any()) return;
    const auto [low, high] = rangeOf(trace);
    const double lowest = low, span = high - low;
    // Nothing is clipped silently: a bar at the lane's edge says that the trace goes on beyond it.
    if (all.most > high) painter.fillRect(QRectF(lane.right() + 2, lane.top() - 3, 3, 8), colour);
    if (all.least < low) painter.fillRect(QRectF(lane.right() + 2, lane.bottom() - 5, 3, 8), colour);

    // In the image's pixels from here on.
    const double dpr = devicePixelRatioF();
    const double above = lane.top() - plotRect().top();
    const double top = (above - 3) * dpr, bottom = (above + lane.height() + 3) * dpr;
    const auto y = [&](double v) {
        return std::clamp((above + lane.height() - (v - lowest) / span * lane.height()) * dpr, top, bottom);
    };
    const int columns = image_.width();
    tops_.resize(static_cast<size_t>(columns));
    bottoms_.resize(static_cast<size_t>(columns));
    SpanLine line(tops_, bottoms_, static_cast<float>(kHalfWidth * dpr));
    double before_s = -INFINITY;
    if (end - begin > static_cast<size_t>(columns) * 2) {
        const auto& edges = edgesOf(held, columns);
        for (size_t x = 0; x + 1 < edges.size(); ++x) {
            if (edges[x] >= edges[x + 1]) continue;
            const auto stretch = held.over(edges[x], edges[x + 1]);
            if (!stretch.any() || time[edges[x]] - before_s > held.gap_s()) line.part();
            before_s = time[edges[x + 1] - 1];
            if (!stretch.any()) continue;
            const auto here = static_cast<double>(x);
            line.to(here, y(stretch.first));
            line.to(here, y(stretch.least));
            line.to(here, y(stretch.most));
            line.to(here, y(stretch.last));
        }
    } else {
        const double scale = columns / (to_ - from_);
        for (size_t i = begin; i < end; ++i) {
            // A gap in the samples is a gap in the line.
            if (std::isnan(values[i]) || time[i] - before_s > held.gap_s()) line.part();
            if (std::isnan(values[i])) continue;
            line.to((time[i] - from_) * scale, y(static_cast<double>(values[i])));
            before_s = time[i];
        }
    }
    paintSpans(image_, tops_, bottoms_, std::max(0, static_cast<int>(top)),
               std::min(image_.height(), static_cast<int>(std::ceil(bottom))), colour);
}

void LaneView::paintLabel(QPainter& painter, const Trace& trace, const QRectF& lane, double& labelY) {
    const TraceData& held = *trace.data;
    const double shown = cursor_ ? held.at(*cursor_) : held.at(to_);
    painter.setFont(Theme::instance().text(11));
    painter.setPen(Theme::instance().trace(trace.colour));
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
