// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/MapGrid.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/theme/Theme.h"

namespace brusk::app {

namespace {
constexpr double kRowHeader = 46, kColumnHeader = 24, kLeastCell = 38, kCellHeight = 24;
constexpr size_t kWake = 24;

double positionOn(const std::vector<double>& axis, double value) {
    if (axis.size() < 2) return 0;
    if (value <= axis.front()) return 0;
    if (value >= axis.back()) return static_cast<double>(axis.size() - 1);
    const auto above = std::upper_bound(axis.begin(), axis.end(), value);
    const auto i = static_cast<size_t>(above - axis.begin()) - 1;
    return static_cast<double>(i) + (value - axis[i]) / (axis[i + 1] - axis[i]);
}
}  // namespace

MapGrid::MapGrid(QWidget* parent) : QWidget(parent), editor_(new QLineEdit(this)) {
    setFocusPolicy(Qt::StrongFocus);
    editor_->hide();
    editor_->setObjectName("cellEditor");
    editor_->setAlignment(Qt::AlignRight);
    editor_->installEventFilter(this);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void MapGrid::setContents(GridContents contents) {
    const bool sameShape = contents.rows == contents_.rows && contents.columns == contents_.columns;
    contents_ = std::move(contents);
    if (!sameShape) {
        row_ = column_ = anchorRow_ = anchorColumn_ = 0;
        wake_.clear();
        ring_.reset();
        updateGeometry();
    }
    least_ = INFINITY, most_ = -INFINITY, range_ = 0;
    for (size_t i = 0; i < contents_.values.size(); ++i) {
        const double v = contents_.values[i];
        if (!std::isfinite(v) || (i < contents_.blank.size() && contents_.blank[i])) continue;
        least_ = std::min(least_, v);
        most_ = std::max(most_, v);
        range_ = std::max(range_, std::abs(v));
    }
    if (contents_.shadeRange > 0) range_ = contents_.shadeRange;
    update();
}

void MapGrid::setCompact(bool compact) {
    compact_ = compact;
    setFocusPolicy(compact ? Qt::NoFocus : Qt::StrongFocus);
    setAttribute(Qt::WA_TransparentForMouseEvents, compact);
    updateGeometry();
}

void MapGrid::setRing(std::optional<QPointF> at) {
    if (at && ring_) {
        wake_.push_back(*ring_);
        if (wake_.size() > kWake) wake_.pop_front();
    }
    if (!at) wake_.clear();
    ring_ = at;
    update();
}

QSize MapGrid::minimumSizeHint() const {
    if (compact_) return {60, 40};
    const auto columns = static_cast<double>(std::max<size_t>(1, contents_.columns));
    const auto rows = static_cast<double>(std::max<size_t>(1, contents_.rows));
    return {static_cast<int>(kRowHeader + columns * kLeastCell), static_cast<int>(kColumnHeader + rows * 19)};
}

QSize MapGrid::sizeHint() const {
    if (compact_) return {170, 64};
    return {minimumSizeHint().width(),
            static_cast<int>(kColumnHeader + static_cast<double>(std::max<size_t>(1, contents_.rows)) * kCellHeight)};
}

MapGrid::Geometry MapGrid::geometry() const {
    const auto columns = static_cast<double>(std::max<size_t>(1, contents_.columns));
    const auto rows = static_cast<double>(std::max<size_t>(1, contents_.rows));
    if (compact_) return {0, 0, width() / columns, height() / rows};
    const double left = contents_.y.empty() ? 0 : kRowHeader;
    const double top = contents_.x.empty() ? 0 : kColumnHeader;
    return {left, top, std::min((width() - left - 1) / columns, 110.0),
            std::min((height() - top - 1) / rows, kCellHeight + 2)};
}

QRectF MapGrid::cellRect(const Geometry& g, size_t row, size_t column) const {
    return {g.left + static_cast<double>(column) * g.cellWidth, g.top + static_cast<double>(row) * g.cellHeight,
            g.cellWidth, g.cellHeight};
}

QPoint MapGrid::cellCentre(int row, int column) const {
    return cellRect(geometry(), static_cast<size_t>(row), static_cast<size_t>(column)).center().toPoint();
}

std::optional<std::pair<int, int>> MapGrid::cellAt(QPoint point) const {
    const Geometry g = geometry();
    const int column = static_cast<int>(std::floor((point.x() - g.left) / g.cellWidth));
    const int row = static_cast<int>(std::floor((point.y() - g.top) / g.cellHeight));
    if (row < 0 || column < 0 || row >= static_cast<int>(contents_.rows) ||
        column >= static_cast<int>(contents_.columns))
        return std::nullopt;
    return std::pair{row, column};
}

QColor MapGrid::shadeOf(size_t cell) const {
    const Tokens& t = tokens();
    const double v = contents_.values[cell];
    if (contents_.shade == GridContents::Shade::None || !std::isfinite(v) ||
        (cell < contents_.blank.size() && contents_.blank[cell]))
        return compact_ ? Tokens::mix(t.sheet, t.line, 0.45) : t.sheet;
    if (contents_.shade == GridContents::Shade::Value)
        return most_ > least_ ? Tokens::mix(t.sheet, t.accent, 0.06 + 0.36 * (v - least_) / (most_ - least_)) : t.sheet;
    if (range_ <= 0) return t.sheet;
    const double share = std::min(1.0, std::abs(v) / range_);
    return Tokens::mix(t.sheet, v > 0 ? t.warm : t.violet, (compact_ ? 0.8 : 0.42) * std::sqrt(share));
}

void MapGrid::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Geometry g = geometry();
    if (contents_.values.empty()) return;
    if (!compact_) paintHeaders(painter, g);
    painter.setFont(Theme::instance().numbers(g.cellWidth < 50 ? 11 : 12));
    for (size_t cell = 0; cell < contents_.values.size(); ++cell)
        paintCell(painter, cellRect(g, cell / contents_.columns, cell % contents_.columns), cell);
    if (compact_) {
        paintRing(painter, g);
        return;
    }
    painter.setPen(tokens().line);
    const double right = g.left + static_cast<double>(contents_.columns) * g.cellWidth;
    const double bottom = g.top + static_cast<double>(contents_.rows) * g.cellHeight;
    for (size_t c = 0; c <= contents_.columns; ++c)
        painter.drawLine(QPointF(g.left + static_cast<double>(c) * g.cellWidth, g.top),
                         QPointF(g.left + static_cast<double>(c) * g.cellWidth, bottom));
    for (size_t r = 0; r <= contents_.rows; ++r)
        painter.drawLine(QPointF(g.left, g.top + static_cast<double>(r) * g.cellHeight),
                         QPointF(right, g.top + static_cast<double>(r) * g.cellHeight));
    paintSelection(painter, g);
    paintRing(painter, g);
}

void MapGrid::paintHeaders(QPainter& painter, const Geometry& g) {
    painter.setFont(Theme::instance().numbers(11));
    for (size_t c = 0; c < contents_.x.size(); ++c) {
        const bool on = static_cast<int>(c) == column_;
        painter.setPen(on ? tokens().ink : tokens().faint);
        painter.drawText(QRectF(g.left + static_cast<double>(c) * g.cellWidth, 0, g.cellWidth - 5, g.top),
                         Qt::AlignRight | Qt::AlignVCenter, QString::number(contents_.x[c], 'f', contents_.xDecimals));
    }
    for (size_t r = 0; r < contents_.y.size(); ++r) {
        const bool on = static_cast<int>(r) == row_;
        painter.setPen(on ? tokens().ink : tokens().faint);
        painter.drawText(QRectF(0, g.top + static_cast<double>(r) * g.cellHeight, g.left - 6, g.cellHeight),
                         Qt::AlignRight | Qt::AlignVCenter, QString::number(contents_.y[r], 'f', contents_.yDecimals));
    }
}

void MapGrid::paintCell(QPainter& painter, const QRectF& r, size_t cell) {
    const Tokens& t = tokens();
    painter.fillRect(compact_ ? r.adjusted(0.5, 0.5, -0.5, -0.5) : r, shadeOf(cell));
    if (compact_) return;
    const bool blank = cell < contents_.blank.size() && contents_.blank[cell];
    QString text = blank || !std::isfinite(contents_.values[cell])
                       ? QString("\u00b7")
                       : QString::number(contents_.values[cell], 'f', contents_.decimals);
    if (!blank && contents_.showSign && contents_.values[cell] > 0 && text.toDouble() != 0) text.prepend('+');
    if (text.startsWith('-') && text.toDouble() == 0) text.remove(0, 1);
    painter.setPen(blank ? t.faint : t.ink);
    painter.drawText(r.adjusted(0, 0, -5, 0), Qt::AlignRight | Qt::AlignVCenter, text);
    if (cell < contents_.evidence.size() && contents_.evidence[cell] > 0) {
        const double radius = 0.8 + 1.4 * contents_.evidence[cell];
        QColor fill = t.faint;
        fill.setAlphaF(cell < contents_.doubt.size() ? 1.0f - 0.8f * contents_.doubt[cell] : 1.0f);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(t.faint, 0.6));
        painter.setBrush(fill);
        painter.drawEllipse(QPointF(r.left() + 3.6, r.center().y()), radius, radius);
        painter.setBrush(Qt::NoBrush);
        painter.setRenderHint(QPainter::Antialiasing, false);
    }
    if (cell < contents_.edited.size() && contents_.edited[cell]) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(t.accent);
        const QPointF corner = r.topLeft() + QPointF(1, 1);
        const QPointF triangle[] = {corner, corner + QPointF(5, 0), corner + QPointF(0, 5)};
        painter.drawPolygon(triangle, 3);
        painter.setBrush(Qt::NoBrush);
    }
    if (cell < contents_.differs.size() && contents_.differs[cell])
        painter.fillRect(QRectF(r.right() - 30, r.bottom() - 3, 26, 1.5), t.violet);
}

void MapGrid::paintSelection(QPainter& painter, const Geometry& g) {
    const int top = std::min(row_, anchorRow_), left = std::min(column_, anchorColumn_);
    const QRectF first = cellRect(g, static_cast<size_t>(top), static_cast<size_t>(left));
    const QRectF last = cellRect(g, static_cast<size_t>(std::max(row_, anchorRow_)),
                                 static_cast<size_t>(std::max(column_, anchorColumn_)));
    painter.setPen(QPen(tokens().accent, hasFocus() ? 2 : 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(first.united(last).adjusted(1, 1, -1, -1));
}

QPointF MapGrid::ringPoint(const Geometry& g, QPointF value) const {
    const double column = positionOn(contents_.x, value.x());
    const double row = contents_.y.empty() ? 0 : positionOn(contents_.y, value.y());
    return {g.left + (column + 0.5) * g.cellWidth, g.top + (row + 0.5) * g.cellHeight};
}

void MapGrid::paintRing(QPainter& painter, const Geometry& g) {
    if (!ring_) return;
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setBrush(Qt::NoBrush);
    for (size_t i = 0; i + 1 < wake_.size(); ++i) {
        QColor colour = tokens().warm;
        colour.setAlphaF(0.6f * static_cast<float>(i + 1) / static_cast<float>(wake_.size()));
        painter.setPen(QPen(colour, 2));
        painter.drawLine(ringPoint(g, wake_[i]), ringPoint(g, wake_[i + 1]));
    }
    painter.setPen(QPen(tokens().warm, 2));
    painter.drawEllipse(ringPoint(g, *ring_), compact_ ? 5 : 10, compact_ ? 5 : 10);
    painter.setRenderHint(QPainter::Antialiasing, false);
}

std::vector<size_t> MapGrid::selectedCells() const {
    std::vector<size_t> out;
    for (int r = std::min(row_, anchorRow_); r <= std::max(row_, anchorRow_); ++r)
        for (int c = std::min(column_, anchorColumn_); c <= std::max(column_, anchorColumn_); ++c)
            out.push_back(static_cast<size_t>(r) * contents_.columns + static_cast<size_t>(c));
    return out;
}

void MapGrid::select(int row, int column, bool extend) {
    if (contents_.rows == 0 || contents_.columns == 0) return;
    row_ = std::clamp(row, 0, static_cast<int>(contents_.rows) - 1);
    column_ = std::clamp(column, 0, static_cast<int>(contents_.columns) - 1);
    if (!extend) anchorRow_ = row_, anchorColumn_ = column_;
    update();
    emit selectionMoved();
}

void MapGrid::selectAll() {
    anchorRow_ = anchorColumn_ = 0;
    select(static_cast<int>(contents_.rows) - 1, static_cast<int>(contents_.columns) - 1, true);
}

void MapGrid::mousePressEvent(QMouseEvent* event) {
    setFocus();
    const Geometry g = geometry();
    if (const auto cell = cellAt(event->pos())) {
        select(cell->first, cell->second, event->modifiers() & Qt::ShiftModifier);
    } else if (event->pos().y() < g.top && event->pos().x() >= g.left) {
        // A header selects its whole column or row.
        const auto below = cellAt({event->pos().x(), static_cast<int>(g.top) + 1});
        if (below) select(0, below->second), select(static_cast<int>(contents_.rows) - 1, below->second, true);
    } else if (event->pos().x() < g.left) {
        const auto beside = cellAt({static_cast<int>(g.left) + 1, event->pos().y()});
        if (beside) select(beside->first, 0), select(beside->first, static_cast<int>(contents_.columns) - 1, true);
    }
}

void MapGrid::mouseMoveEvent(QMouseEvent* event) {
    if (!(event->buttons() & Qt::LeftButton)) return;
    if (const auto cell = cellAt(event->pos())) select(cell->first, cell->second, true);
}

void MapGrid::keyPressEvent(QKeyEvent* event) {
    const bool extend = event->modifiers() & Qt::ShiftModifier;
    switch (event->key()) {
        case Qt::Key_Left:
            return select(row_, column_ - 1, extend);
        case Qt::Key_Right:
            return select(row_, column_ + 1, extend);
        case Qt::Key_Up:
            return select(row_ - 1, column_, extend);
        case Qt::Key_Down:
            return select(row_ + 1, column_, extend);
        case Qt::Key_Home:
            return select(row_, 0, extend);
        case Qt::Key_End:
            return select(row_, static_cast<int>(contents_.columns) - 1, extend);
        default:
            break;
    }
    if (event->matches(QKeySequence::SelectAll)) return selectAll();
    const QString text = event->text();
    if (editable_ && !text.isEmpty() && QString("0123456789+-xX*.,").contains(text[0]) &&
        !(event->modifiers() & Qt::ControlModifier))
        return beginTyping(text);
    if (editable_ && (event->key() == Qt::Key_Return || event->key() == Qt::Key_F2)) return beginTyping({});
    QWidget::keyPressEvent(event);
}

void MapGrid::beginTyping(const QString& first) {
    const QRectF r = cellRect(geometry(), static_cast<size_t>(row_), static_cast<size_t>(column_));
    const double wide = std::max(r.width(), 84.0);
    const double left = std::min(r.left(), width() - wide);
    editor_->setGeometry(QRectF(left, r.top() - 3, wide, r.height() + 6).toRect());
    editor_->setText(first.isEmpty() ? QString::number(contents_.values[currentCell()], 'f', contents_.decimals)
                                     : first);
    editor_->show();
    editor_->setFocus();
    if (first.isEmpty()) editor_->selectAll();
}

bool MapGrid::eventFilter(QObject* object, QEvent* event) {
    if (object != editor_) return QWidget::eventFilter(object, event);
    if (event->type() == QEvent::FocusOut) editor_->hide();
    if (event->type() != QEvent::KeyPress) return false;
    const auto* key = static_cast<QKeyEvent*>(event);
    if (key->key() == Qt::Key_Escape) {
        editor_->hide();
        setFocus();
        return true;
    }
    if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
        const QString text = editor_->text();
        editor_->hide();
        setFocus();
        emit typed(text);
        return true;
    }
    return false;
}

}  // namespace brusk::app
