// One line through a map or a curve: the numbers of a row or column over their breakpoints, with a reference behind.
// Points can be picked and dragged up and down.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QImage>
#include <QWidget>
#include <optional>
#include <vector>

namespace brusk::app {

class ProfileView : public QWidget {
    Q_OBJECT
  public:
    explicit ProfileView(QWidget* parent = nullptr);
    struct Line {
        QString title;
        QString unit;
        std::vector<double> x;
        std::vector<double> values;
        std::vector<double> reference;  ///< empty for none
        int decimals = 1;
        int xDecimals = 0;
        size_t current = 0;
        size_t from = 0, to = 0;  ///< the selected points, both included
    };
    void setLine(Line line);
    const Line& line() const { return line_; }
    void setEditable(bool editable) { editable_ = editable; }
    /// Where the engine is along the breakpoints: a thin line with the value at its foot; nothing hides it.
    void setHere(std::optional<double> x);
    std::optional<double> here() const { return here_; }
    /// Where a point is drawn, for tests that drag it.
    QPointF pointAt(size_t i) const;
    QSize sizeHint() const override { return {280, 190}; }
    QSize minimumSizeHint() const override { return {150, 84}; }

  signals:
    void picked(size_t index, bool extend);
    /// A point is being dragged to a value; `done` when it is let go.
    void dragged(size_t index, double value, bool done);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;

  private:
    struct Scale {
        QRectF plot;
        double first = 0, span = 1, least = 0, most = 1;
        QPointF at(double x, double v) const {
            return {plot.left() + (x - first) / span * plot.width(),
                    plot.bottom() - (v - least) / (most - least) * plot.height()};
        }
    };
    Scale scale() const;
    std::optional<size_t> pointUnder(QPointF at) const;
    void changed();
    void paintPicture(const std::optional<Scale>& k);
    void paintScale(QPainter& painter, const Scale& k);
    void paintTraces(const Scale& k);
    void paintPoints(QPainter& painter, const Scale& k);
    void paintHere(QPainter& painter, const Scale& k);

    Line line_;
    bool stale_ = true;  ///< the picture is of what was
    QImage picture_;     ///< everything but where the engine is
    bool editable_ = false;
    std::optional<double> here_;
    std::optional<size_t> held_;
    double heldOffset_ = 0;           ///< between the pointer and the point, pixels
    std::optional<Scale> heldScale_;  ///< stays while a point is dragged
};

}  // namespace brusk::app
