// A map as a surface over its breakpoints: turned, moved and zoomed by mouse and keys; points picked, dragged up and
// down, or chosen by a rectangle.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QImage>
#include <QWidget>
#include <optional>
#include <vector>

#include "app/widgets/MapGrid.h"
#include "app/widgets/Raster.h"
#include "core/calibration/Surface.h"

namespace brusk::app {

class SurfaceView : public QWidget {
    Q_OBJECT
  public:
    explicit SurfaceView(QWidget* parent = nullptr);

    struct Shape {
        size_t rows = 0, columns = 0;
        std::vector<double> x, y;
        std::vector<double> values;
        std::vector<double> reference;  ///< empty for none
        QString xTitle, yTitle, unit;
        int decimals = 1, xDecimals = 0, yDecimals = 0;
    };
    void setShape(Shape shape);
    void setEditable(bool editable) { editable_ = editable; }
    void setSelection(const GridRange& range, int row, int column);
    void setHere(std::optional<QPointF> at);
    /// Back to how it is seen at first.
    void resetView();
    double yaw() const { return yaw_; }
    double zoom() const { return zoom_; }
    /// Where a cell's point is drawn, for tests that drag it.
    QPointF pointAt(size_t row, size_t column) const;
    QSize sizeHint() const override { return {420, 260}; }
    QSize minimumSizeHint() const override { return {200, 140}; }

  signals:
    void picked(int row, int column, bool extend);
    void chosen(const GridRange& range);
    /// A point is being dragged to a value; `done` when it is let go.
    void dragged(int row, int column, double value, bool done);

  protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override { changed(); }
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void focusInEvent(QFocusEvent*) override { update(); }
    void focusOutEvent(QFocusEvent*) override { update(); }

  private:
    enum class Drag { None, Turn, Move, Choose, Point };
    struct Place {
        double across, depth, up;  ///< turned: to the right, away from the eye, up; before zoom and size
    };
    void changed();
    double size() const;
    Place turned(double x, double y, double v) const;
    QPointF project(double x, double y, double v) const;
    double normalX(double x) const;
    double normalY(double y) const;
    double normalValue(double v) const;
    std::optional<std::pair<int, int>> pointUnder(QPointF at) const;
    double valueFor(QPointF at) const;
    QRect seen() const { return rect().adjusted(2, 2, -2, -2); }
    void paintSurface(Raster& raster);
    void paintReference(Raster& raster);
    void paintFloor(QPainter& painter);
    void paintPoints(QPainter& painter);
    QPointF pointOn(QPointF value) const;
    void paintPin(QPainter& painter);
    void zoomBy(double factor);

    Shape shape_;
    double least_ = 0, most_ = 1;
    double yaw_, pitch_, zoom_;
    QPointF shift_;
    bool editable_ = false;
    GridRange selection_;
    int row_ = 0, column_ = 0;
    Footprint footprint_;
    calibration::Table surface_;  ///< the shape as the core knows it, for the height under the pin
    bool stale_ = true;           ///< the picture is of what was
    QImage picture_;              ///< the surface, until something changes
    Drag drag_ = Drag::None;
    QPointF pressed_, last_;
    int heldRow_ = 0, heldColumn_ = 0;
    double heldValue_ = 0;
};

}  // namespace brusk::app
