// What was seen along one quantity: every point with its doubt, what is left of it after the change, and the change.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <cmath>
#include <vector>

namespace brusk::app {

class EvidencePlot : public QWidget {
    Q_OBJECT
  public:
    struct Point {
        double x = 0, now = 0;
        double after = std::nan(""), doubt = std::nan("");  ///< NaN: none
    };
    struct Picture {
        QString along, unit;  ///< of x with its unit, and of the rest
        std::vector<Point> points;
        std::vector<QPointF> change;  ///< empty for none
        size_t current = 0;
    };
    explicit EvidencePlot(QWidget* parent = nullptr);
    void show(Picture picture);
    void setCurrent(size_t point);
    /// Where a point is drawn.
    QPointF pointAt(size_t i) const;
    QSize sizeHint() const override { return {400, 230}; }
    QSize minimumSizeHint() const override { return {200, 110}; }

  signals:
    void chosen(size_t point);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;

  private:
    /// From the quantities to pixels.
    struct Scale {
        QRectF plot;
        double least = 0, most = 1, reach = 1;  ///< along x; up and down from nil
        QPointF at(double x, double v) const {
            return {plot.left() + (x - least) / (most - least) * plot.width(),
                    plot.center().y() - v / reach * plot.height() / 2};
        }
    };
    Scale scale() const;
    void paintScale(QPainter& painter, const Scale& k) const;
    void paintPoint(QPainter& painter, const Scale& k, size_t i) const;

    Picture picture_;
};

}  // namespace brusk::app
