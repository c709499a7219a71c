// Lanes of traces over time, with a cursor. Dense stretches are drawn as one vertical span a pixel column, from a
// pyramid of least and greatest values built once.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <memory>
#include <optional>
#include <vector>

#include "core/units/Units.h"

namespace brusk::app {

/// One trace: samples over time, and the pyramid over them. Immutable once shared.
class TraceData {
  public:
    TraceData(std::vector<double> time_s, std::vector<float> values);
    const std::vector<double>& time() const { return time_; }
    const std::vector<float>& values() const { return values_; }
    /// Least and greatest of [from, to); false when there is no number in it.
    bool range(size_t from, size_t to, float& least, float& most) const;
    /// The value at the last sample not after t; NaN before the first.
    float at(double t) const;
    /// The usual time between two samples; a longer pause is a gap.
    double step_s() const { return step_s_; }

  private:
    static constexpr size_t kFan = 16;
    struct Span {
        float least, most;
    };
    std::vector<double> time_;
    std::vector<float> values_;
    std::vector<std::vector<Span>> levels_;
    double step_s_ = 0;
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

class LaneView : public QWidget {
    Q_OBJECT
  public:
    explicit LaneView(QWidget* parent = nullptr);
    void setTraces(std::vector<Trace> traces, int lanes);
    /// Shows this stretch of time.
    void setSpan(double from_s, double to_s);
    double from() const { return from_; }
    double to() const { return to_; }
    void setCursor(std::optional<double> time_s);
    std::optional<double> cursor() const { return cursor_; }
    /// Spans marked in the background (moments behind a cell).
    void setMarks(std::vector<double> times_s);
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
    void paintTrace(QPainter& painter, const Trace& trace, const QRectF& lane, double& labelY);
    void moveCursor(double t);

    std::vector<Trace> traces_;
    int lanes_ = 1;
    double from_ = 0, to_ = 10, most_ = 10;
    std::optional<double> cursor_;
    std::vector<double> marks_;
    double dragFrom_ = 0;
    QPoint dragAt_;
};

}  // namespace brusk::app
