// The grid of a value, curve or map: numbers with shading and marks, a selection by mouse and keys, typing over cells,
// and the footprint where the engine is.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QImage>
#include <QLineEdit>
#include <QPointF>
#include <QWidget>
#include <optional>
#include <vector>

#include "app/widgets/Footprint.h"
#include "app/widgets/ShownAxis.h"

namespace brusk::app {

/// What a grid shows. Cells are row by row; a row is one y breakpoint.
struct GridContents {
    enum class Shade { None, Value, Difference };
    size_t rows = 0;
    size_t columns = 0;
    std::vector<double> x, y;  ///< empty for none
    int xDecimals = 0, yDecimals = 0;
    std::vector<double> values;
    int decimals = 1;
    bool showSign = false;
    Shade shade = Shade::Value;
    double shadeRange = 0;        ///< for differences: the value of full colour; 0 takes the largest
    double from = 0, to = 0;      ///< for values: those of no and of full colour; equal takes the least and the largest
    std::vector<char> blank;      ///< cells shown as a dot: nothing is known of them
    std::vector<float> evidence;  ///< 0 to 1: how much is known; draws the dot
    std::vector<float> doubt;     ///< 0 to 1: how spread it is; empties the dot
    std::vector<char> edited;     ///< corner mark
    std::vector<char> differs;    ///< line below the number
    std::vector<char> pointedAt;  ///< a cell that stands out of its neighbours: a small roof above the number

    /// The dot of a cell: larger with the samples' logarithm, full at a thousand; emptier the more they spread, all
    /// empty at `wide`.
    void setDot(size_t cell, double samples, double spread, double wide);
    void setAxes(const ShownAxis& across, const ShownAxis& down) {
        x = across.values, y = down.values;
        xDecimals = across.decimals, yDecimals = down.decimals;
    }
};

/// A rectangle of cells, both ends included.
struct GridRange {
    int top = 0, left = 0, bottom = 0, right = 0;
    bool operator==(const GridRange&) const = default;
    bool contains(int row, int column) const {
        return row >= top && row <= bottom && column >= left && column <= right;
    }
};

/// What the keys of a grid ask for beyond moving and typing.
enum class GridAsk {
    Copy,
    CopyWithBreakpoints,
    Paste,
    PasteFactors,
    StepUp,
    StepDown,
    FillAcross,
    FillDown,
    FillBoth,
    Soften,
    TakeReference,
};

class MapGrid : public QWidget {
    Q_OBJECT
  public:
    explicit MapGrid(QWidget* parent = nullptr);

    void setContents(GridContents contents);
    const GridContents& contents() const { return contents_; }
    void setEditable(bool editable) { editable_ = editable; }
    /// Cells keep a readable size and the grid scrolls; otherwise all cells share the room there is.
    void setScrolling(bool scrolling);
    /// Other numbers in the same cells, while a point is dragged.
    void setValues(const std::vector<double>& values);
    /// Draws cells as small blocks without numbers or headers (thumbnails, coverage).
    void setCompact(bool compact);
    /// Where the engine is, by x and y value; nothing hides it. Each cell the controller interpolates between carries a
    /// bar along its lower edge, as long as its weight; ticks on both margins stand at the exact values, those of the
    /// last five seconds fade, and cells left in that time keep a hairline.
    void setHere(std::optional<QPointF> at);
    const Footprint& footprint() const { return footprint_; }
    /// F was pressed, and an arrow or another F says where to fill.
    bool asksWhereToFill() const { return fillAsked_; }

    std::vector<size_t> selectedCells() const;
    size_t currentCell() const { return static_cast<size_t>(row_) * contents_.columns + static_cast<size_t>(column_); }
    int currentRow() const { return row_; }
    int currentColumn() const { return column_; }
    void select(int row, int column, bool extend = false);
    void selectAll();
    GridRange selection() const;
    /// The current cell becomes the range's last one.
    void setSelection(const GridRange& range);
    /// Middle of a cell in widget coordinates, for tests that click.
    QPoint cellCentre(int row, int column) const;

    enum class Part { Cells, ColumnHeader, RowHeader };
    Part partAt(QPoint point) const;

    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

  signals:
    void selectionMoved();
    /// Something was typed over the selected cells and confirmed.
    void typed(const QString& text);
    void asked(GridAsk ask);

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void focusOutEvent(QFocusEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void changeEvent(QEvent*) override;
    bool eventFilter(QObject* object, QEvent* event) override;

  private:
    struct Geometry {
        double left, top, cellWidth, cellHeight;
    };
    Geometry geometry() const;
    QRectF cellRect(const Geometry& g, size_t row, size_t column) const;
    std::optional<std::pair<int, int>> cellAt(QPoint point) const;
    QColor shadeOf(size_t cell) const;
    bool ask(const QKeyEvent* event);
    void keepInView();
    void changed();
    void paintCells(QPainter& painter, const Geometry& g);
    void paintMarks(QPainter& painter, const QRectF& r, size_t cell);
    bool isBlank(size_t cell) const { return cell < contents_.blank.size() && contents_.blank[cell]; }
    QString textOf(size_t cell) const;
    void paintInk(const Geometry& g);
    /// Row and column behind the last that is seen, in part or whole.
    std::pair<int, int> endOfSeen(const Geometry& g) const;
    template <class Each>
    void forEachSeen(const Geometry& g, Each each) const;
    void paintHeaderTicks(QPainter& painter, const Geometry& g);
    void paintSelection(QPainter& painter, const Geometry& g);
    void paintFootprint(QPainter& painter, const Geometry& g);
    void paintWhereToFill(QPainter& painter);
    bool fillKey(const QKeyEvent* event);
    void beginTyping(const QString& first);

    GridContents contents_;
    double least_ = 0, most_ = 1, range_ = 1;
    double leastCell_ = 38;  ///< the width that the longest number asks for
    bool editable_ = false;
    bool compact_ = false;
    bool scrolling_ = false;
    int firstRow_ = 0, firstColumn_ = 0;  ///< the upper left cell that is seen
    enum class Dragging { Cells, Columns, Rows } dragging_ = Dragging::Cells;
    bool stale_ = true;  ///< the picture is of what was
    QImage picture_;     ///< everything but the selection and the footprint, until something changes
    int row_ = 0, column_ = 0, anchorRow_ = 0, anchorColumn_ = 0;
    QLineEdit* editor_;
    Footprint footprint_;
    bool fillAsked_ = false;
};

}  // namespace brusk::app
