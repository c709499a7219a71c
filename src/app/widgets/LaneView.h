// Lanes of traces over time, with a cursor. However long a recording is, what is drawn is one span a pixel column.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QImage>
#include <QWidget>
#include <memory>
#include <optional>
#include <vector>

#include "core/recording/Column.h"
#include "core/units/Units.h"

namespace brusk::app {

/// The samples of a trace. Immutable once shared; made on the thread that loads, for the pyramid is built here.
class TraceData {
  public:
    TraceData(recording::Clock time_s, recording::Column values);
    std::span<const double> time() const { return time_; }
    std::span<const float> values() const { return values_; }
    /// Of the samples [from, to).
    recording::Stretch over(size_t from, size_t to) const { return column_.pyramid().over(values_, from, to); }
    /// The value at the last sample not after t; NaN before the first.
    float at(double t) const;
    /// A pause that is longer is a gap, in s.
    double gap_s() const { return gap_s_; }

  private:
    recording::Clock clock_;
    recording::Column column_;
    std::span<const double> time_;
    std::span<const float> values_;
    double gap_s_ = 0;
};

struct Trace {
    QString name;
    QString unit;
    int lane = 0;
    int colour = 0;
    int decimals = 1;
    std::shared_ptr<const TraceData> data;
    double low = 0, high = 0;  ///< a fixed range; what lies beyond is marked at the edge. Automatic when equal
    units::Shown shown = {};   ///< how its numbers are told; data and range stay in the stored unit
};

/// A moment that somebody, or the recording itself, marked.
struct LaneFlag {
    double at_s = 0;
    QString text;
};

class LaneView : public QWidget {
    Q_OBJECT
  public:
    explicit LaneView(QWidget* parent = nullptr);
    void setTraces(std::vector<Trace> traces, int lanes);
    const std::vector<Trace>& traces() const { return traces_; }
    /// Shows this stretch of time.
    void setSpan(double from_s, double to_s);
    double from() const { return from_; }
    double to() const { return to_; }
    void setCursor(std::optional<double> time_s);
    std::optional<double> cursor() const { return cursor_; }
    /// Spans marked in the background (moments behind a cell).
    void setMarks(std::vector<double> times_s);
    /// Moments with words, which the pointer shows whole; in order of time.
    void setFlags(std::vector<LaneFlag> flags);
    const std::vector<LaneFlag>& flags() const { return flags_; }
    QSize minimumSizeHint() const override { return {300, 160}; }

  signals:
    void cursorMoved(double time_s);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

  private:
    QRectF plotRect() const;
    double timeAt(double x) const;
    double xAt(double t) const;
    /// Least and greatest of what is shown of all traces in a lane that share a unit, with a little room.
    std::pair<double, double> rangeOf(const Trace& trace) const;
    std::pair<size_t, size_t> shownSamples(const TraceData& held) const;
    /// Where the samples of each pixel column begin; found once for traces that share a clock.
    const std::vector<size_t>& edgesOf(const TraceData& held, int columns);
    void paintTrace(QPainter& painter, const Trace& trace, const QRectF& lane);
    void paintLabel(QPainter& painter, const Trace& trace, const QRectF& lane, double& labelY);
    void paintFlags(QPainter& painter, const QRectF& plot);
    bool event(QEvent* event) override;
    void moveCursor(double t);

    std::vector<Trace> traces_;
    int lanes_ = 1;
    double from_ = 0, to_ = 10, most_ = 10;
    std::optional<double> cursor_;
    std::vector<double> marks_;
    std::vector<LaneFlag> flags_;
    // While it paints.
    QImage image_;  ///< the plot, in device pixels
    std::vector<float> tops_, bottoms_;
    std::vector<std::pair<const double*, std::vector<size_t>>> edges_;  ///< by clock
    double dragFrom_ = 0;
    QPoint dragAt_;
};

}  // namespace brusk::app
