// Cells are drawn once into a picture; selection and footprint lie over it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/MapGrid.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <utility>

#include "app/theme/Theme.h"
#include "app/widgets/Raster.h"
#include "core/calibration/Surface.h"

namespace brusk::app {

namespace {
constexpr double kRowHeader = 38, kColumnHeader = 24, kLeastCell = 38, kCellHeight = 24, kLeastHeight = 16;

/// Position among breakpoints: 2.25 is a quarter of the way from the third to the fourth.
double positionOn(const std::vector<double>& axis, double value) {
    const auto at = calibration::positionOn(axis, value, calibration::Outside::Clamp);
    return static_cast<double>(at.below) + at.share;
}

/// Of the footprint's bar: lower cells leave it less room below their digits.
double barHeight(const QRectF& cell) {
    return cell.height() < 20 ? 1.5 : 2.4;
}

/// What `draw` inks, in a square of that many points, as a mask.
template <class Draw>
QImage maskOf(int side, double ratio, Draw draw) {
    QImage drawn(QSize(side, side) * ratio, QImage::Format_ARGB32_Premultiplied);
    drawn.setDevicePixelRatio(ratio);
    drawn.fill(Qt::transparent);
    QPainter painter(&drawn);
    draw(painter);
    painter.end();
    return drawn.convertToFormat(QImage::Format_Alpha8);
}
}  // namespace

void GridContents::setDot(size_t cell, double samples, double spread, double wide) {
    constexpr double kPlenty = 3;  // a thousand samples
    evidence.resize(values.size()), doubt.resize(values.size());
    evidence[cell] =
        samples < 1 ? 0.0f : static_cast<float>(std::min(1.0, 0.15 + 0.85 * std::log10(samples) / kPlenty));
    doubt[cell] = wide > 0 ? static_cast<float>(std::clamp(spread / wide, 0.0, 1.0)) : 0.0f;
}

namespace {

/// Marks that many cells have, each look drawn once.
class Marks {
  public:
    static constexpr int kDot = 8, kCorner = 5;  // points they are wide
    explicit Marks(double ratio) : ratio_(ratio) {}

    /// The dot of evidence: larger with more samples, emptier the wider they spread.
    const QImage& dot(double radius, float doubt) {
        const auto tenths = static_cast<size_t>(std::clamp<long>(std::lround(radius * 10), 0, kTenths - 1));
        const auto empty = static_cast<size_t>(std::clamp<long>(std::lround(doubt * kSteps), 0, kSteps));
        QImage& dot = dots_[tenths][empty];
        if (dot.isNull())
            dot = maskOf(kDot, ratio_, [&](QPainter& painter) {
                painter.setRenderHint(QPainter::Antialiasing);
                painter.setPen(QPen(Qt::black, 0.8));
                painter.setBrush(QColor(0, 0, 0, 255 - 255 * static_cast<int>(empty) / kSteps));
                const double r = static_cast<double>(tenths) / 10;
                painter.drawEllipse(QPointF(kDot / 2.0, kDot / 2.0), r, r);
            });
        return dot;
    }
    /// The corner of a cell that was edited.
    const QImage& corner() {
        if (corner_.isNull())
            corner_ = maskOf(kCorner, ratio_, [](QPainter& painter) {
                painter.setPen(Qt::NoPen);
                painter.setBrush(Qt::black);
                const QPointF triangle[] = {{0, 0}, {kCorner, 0}, {0, kCorner}};
                painter.drawPolygon(triangle, 3);
            });
        return corner_;
    }

  private:
    static constexpr int kTenths = 30, kSteps = 8;  // of the radius, of emptiness
    double ratio_;
    std::array<std::array<QImage, kSteps + 1>, kTenths> dots_;
    QImage corner_;
};

/// The letters of numbers as masks, each drawn once at every quarter of a pixel.
class Letters {
  public:
    Letters(const QFont& font, double ratio) : font_(font), ratio_(ratio) {
        const QFontMetricsF metrics(font);
        advance_ = metrics.horizontalAdvance('0') * ratio;
        drop_ = (metrics.ascent() - metrics.descent()) / 2 * ratio;
        ascent_ = std::ceil(metrics.ascent() * ratio) + 1;
        size_ = QSize(static_cast<int>(advance_) + 4, static_cast<int>(ascent_ + metrics.descent() * ratio) + 2);
    }
    /// In pixels: ends at `right`, its middle at `middle`.
    void draw(Raster& raster, const QString& text, double right, double middle, QRgb colour) {
        double x = right - advance_ * static_cast<double>(text.size());
        const int top = static_cast<int>(std::lround(middle + drop_ - ascent_));
        for (const QChar letter : text) {
            const double left = std::floor(x * kPhases + 0.5) / kPhases, whole = std::floor(left);
            const auto phase = static_cast<size_t>((left - whole) * kPhases);
            if (const auto known = kKnown.indexOf(letter); known >= 0) {
                const Mask& ink = mask(static_cast<size_t>(known), phase);
                raster.stamp(ink.shares, static_cast<int>(whole) - 1 + ink.corner.x(), top + ink.corner.y(), colour);
            }
            x += advance_;
        }
    }

  private:
    static constexpr QStringView kKnown = u"0123456789.+-\u00b7einfa";
    static constexpr size_t kPhases = 4;

    /// What of a letter is inked, and where its corner lies from the corner of its box.
    struct Mask {
        QImage shares;
        QPoint corner;
    };

    const Mask& mask(size_t known, size_t phase) {
        std::optional<Mask>& mask = masks_[known][phase];
        if (mask) return *mask;
        QImage drawn(size_, QImage::Format_ARGB32_Premultiplied);
        drawn.fill(Qt::transparent);
        QPainter painter(&drawn);
        painter.scale(ratio_, ratio_);
        painter.setFont(font_);
        painter.drawText(QPointF((1 + static_cast<double>(phase) / kPhases) / ratio_, ascent_ / ratio_),
                         QString(kKnown[static_cast<qsizetype>(known)]));
        painter.end();
        QRect inked;
        for (int y = 0; y < drawn.height(); ++y)
            for (int x = 0; x < drawn.width(); ++x)
                if (qAlpha(drawn.pixel(x, y)) > 0) inked |= QRect(x, y, 1, 1);
        return mask.emplace(Mask{drawn.copy(inked).convertToFormat(QImage::Format_Alpha8), inked.topLeft()});
    }

    QFont font_;
    double ratio_;
    double advance_ = 0, drop_ = 0, ascent_ = 0;
    QSize size_;
    std::array<std::array<std::optional<Mask>, kPhases>, kKnown.size()> masks_;
};

/// Those of a size, kept: every map is drawn with the same few.
Letters& lettersOf(int pixels, double ratio) {
    static std::map<std::pair<int, double>, Letters> kept;
    return kept.try_emplace({pixels, ratio}, Theme::instance().numbers(pixels), ratio).first->second;
}

Marks& marksOf(double ratio) {
    static std::map<double, Marks> kept;
    return kept.try_emplace(ratio, ratio).first->second;
}

}  // namespace

MapGrid::MapGrid(QWidget* parent) : QWidget(parent), editor_(new QLineEdit(this)) {
    setFocusPolicy(Qt::StrongFocus);
    editor_->hide();
    editor_->setObjectName("cellEditor");
    editor_->setAlignment(Qt::AlignRight);
    editor_->installEventFilter(this);
    connect(&Theme::instance(), &Theme::changed, this, &MapGrid::changed);
}

void MapGrid::changed() {
    stale_ = true;
    update();
}

void MapGrid::setContents(GridContents contents) {
    const bool sameShape = contents.rows == contents_.rows && contents.columns == contents_.columns;
    contents_ = std::move(contents);
    if (!sameShape) {
        row_ = column_ = anchorRow_ = anchorColumn_ = 0;
        firstRow_ = firstColumn_ = 0;
        footprint_.moveTo(std::nullopt);
        updateGeometry();
    }
    footprint_.setAxes(contents_.x, contents_.y);
    least_ = INFINITY, most_ = -INFINITY, range_ = 0;
    for (size_t i = 0; i < contents_.values.size(); ++i) {
        const double v = contents_.values[i];
        if (!std::isfinite(v) || isBlank(i)) continue;
        least_ = std::min(least_, v);
        most_ = std::max(most_, v);
        range_ = std::max(range_, std::abs(v));
    }
    if (contents_.shadeRange > 0) range_ = contents_.shadeRange;
    const auto letters = [&](double v) {
        return std::isfinite(v) ? QString::number(v, 'f', contents_.decimals).size() : 1;
    };
    const auto longest = std::max(letters(least_), letters(most_)) + (contents_.showSign ? 1 : 0);
    leastCell_ = 8 + 6.65 * static_cast<double>(std::max<qsizetype>(longest, 3));
    for (const double v : contents_.x)
        leastCell_ =
            std::max(leastCell_, 6 + 6.65 * static_cast<double>(QString::number(v, 'f', contents_.xDecimals).size()));
    changed();
}

void MapGrid::setValues(const std::vector<double>& values) {
    if (values.size() != contents_.values.size()) return;
    contents_.values = values;
    changed();
}

void MapGrid::setScrolling(bool scrolling) {
    scrolling_ = scrolling;
    updateGeometry();
    changed();
}

void MapGrid::resizeEvent(QResizeEvent*) {
    keepInView();
    stale_ = true;
}

void MapGrid::changeEvent(QEvent* event) {
    if (event->type() == QEvent::EnabledChange) changed();
    QWidget::changeEvent(event);
}

void MapGrid::setCompact(bool compact) {
    compact_ = compact;
    setFocusPolicy(compact ? Qt::NoFocus : Qt::StrongFocus);
    setAttribute(Qt::WA_TransparentForMouseEvents, compact);
    updateGeometry();
    changed();
}

void MapGrid::setHere(std::optional<QPointF> at) {
    footprint_.moveTo(at);
    update();
}

QSize MapGrid::minimumSizeHint() const {
    if (compact_) return {60, 40};
    const auto columns = static_cast<double>(std::clamp<size_t>(contents_.columns, 1, scrolling_ ? 4 : 4096));
    const auto rows = static_cast<double>(std::clamp<size_t>(contents_.rows, 1, scrolling_ ? 3 : 4096));
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
    double wide = (width() - left - 1) / columns, high = (height() - top - 1) / rows;
    if (scrolling_) wide = std::max(wide, leastCell_), high = std::max(high, kLeastHeight);
    return {left, top, std::min(wide, 110.0), std::min(high, kCellHeight + 2)};
}

void MapGrid::keepInView() {
    const int row = firstRow_, column = firstColumn_;
    if (!scrolling_) {
        firstRow_ = firstColumn_ = 0;
    } else {
        const Geometry g = geometry();
        const auto settle = [](int& first, int current, double room, double size, size_t count) {
            const int seen = std::max(1, static_cast<int>(room / size + 1e-6));
            if (current < first) first = current;
            if (current >= first + seen) first = current - seen + 1;
            first = std::clamp(first, 0, std::max(0, static_cast<int>(count) - seen));
        };
        settle(firstRow_, row_, height() - g.top - 1, g.cellHeight, contents_.rows);
        settle(firstColumn_, column_, width() - g.left - 1, g.cellWidth, contents_.columns);
    }
    if (row != firstRow_ || column != firstColumn_) stale_ = true;
}

QRectF MapGrid::cellRect(const Geometry& g, size_t row, size_t column) const {
    return {g.left + (static_cast<double>(column) - firstColumn_) * g.cellWidth,
            g.top + (static_cast<double>(row) - firstRow_) * g.cellHeight, g.cellWidth, g.cellHeight};
}

QPoint MapGrid::cellCentre(int row, int column) const {
    return cellRect(geometry(), static_cast<size_t>(row), static_cast<size_t>(column)).center().toPoint();
}

std::pair<int, int> MapGrid::endOfSeen(const Geometry& g) const {
    const int rows = static_cast<int>(std::ceil((height() - g.top) / g.cellHeight));
    const int columns = static_cast<int>(std::ceil((width() - g.left) / g.cellWidth));
    return {std::min(static_cast<int>(contents_.rows), firstRow_ + rows),
            std::min(static_cast<int>(contents_.columns), firstColumn_ + columns)};
}

template <class Each>
void MapGrid::forEachSeen(const Geometry& g, Each each) const {
    const auto [lastRow, lastColumn] = endOfSeen(g);
    for (int r = firstRow_; r < lastRow; ++r)
        for (int c = firstColumn_; c < lastColumn; ++c)
            each(cellRect(g, static_cast<size_t>(r), static_cast<size_t>(c)),
                 static_cast<size_t>(r) * contents_.columns + static_cast<size_t>(c));
}

std::optional<std::pair<int, int>> MapGrid::cellAt(QPoint point) const {
    const Geometry g = geometry();
    if (point.x() < g.left || point.y() < g.top) return std::nullopt;
    const int column = firstColumn_ + static_cast<int>(std::floor((point.x() - g.left) / g.cellWidth));
    const int row = firstRow_ + static_cast<int>(std::floor((point.y() - g.top) / g.cellHeight));
    if (row >= static_cast<int>(contents_.rows) || column >= static_cast<int>(contents_.columns)) return std::nullopt;
    return std::pair{row, column};
}

MapGrid::Part MapGrid::partAt(QPoint point) const {
    const Geometry g = geometry();
    if (point.y() < g.top) return Part::ColumnHeader;
    return point.x() < g.left ? Part::RowHeader : Part::Cells;
}

QColor MapGrid::shadeOf(size_t cell) const {
    const Tokens& t = tokens();
    const double v = contents_.values[cell];
    if (contents_.shade == GridContents::Shade::None || !std::isfinite(v) || isBlank(cell))
        return compact_ ? Tokens::mix(t.sheet, t.line, 0.45) : t.sheet;
    if (contents_.shade == GridContents::Shade::Value) {
        const bool given = contents_.to > contents_.from;
        const double from = given ? contents_.from : least_, to = given ? contents_.to : most_;
        return to > from ? Tokens::mix(t.sheet, t.accent, 0.06 + 0.36 * std::clamp((v - from) / (to - from), 0.0, 1.0))
                         : t.sheet;
    }
    if (range_ <= 0) return t.sheet;
    const double share = std::min(1.0, std::abs(v) / range_);
    return Tokens::mix(t.sheet, v > 0 ? t.warm : t.violet, (compact_ ? 0.8 : 0.42) * std::sqrt(share));
}

void MapGrid::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Geometry g = geometry();
    if (contents_.values.empty()) return;
    const qreal ratio = devicePixelRatioF();
    if (renewPicture(picture_, size(), ratio) || stale_) {
        stale_ = false;
        picture_.fill(Qt::transparent);
        QPainter inside(&picture_);
        paintCells(inside, g);
        inside.end();
        if (!compact_) paintInk(g);
    }
    painter.drawImage(0, 0, picture_);
    if (!compact_) paintHeaderTicks(painter, g);
    painter.setClipRect(QRectF(g.left - 1, g.top - 1, width() - g.left + 1, height() - g.top + 1));
    if (!compact_) paintSelection(painter, g);
    painter.setClipping(false);
    paintFootprint(painter, g);
    if (fillAsked_) paintWhereToFill(painter);
}

void MapGrid::paintCells(QPainter& painter, const Geometry& g) {
    forEachSeen(g, [&](const QRectF& r, size_t cell) {
        painter.fillRect(compact_ ? r.adjusted(0.5, 0.5, -0.5, -0.5) : r, shadeOf(cell));
        if (!compact_) paintMarks(painter, r, cell);
    });
    if (compact_) return;
    const auto [lastRow, lastColumn] = endOfSeen(g);
    const double right = g.left + (lastColumn - firstColumn_) * g.cellWidth;
    const double bottom = g.top + (lastRow - firstRow_) * g.cellHeight;
    for (int c = firstColumn_; c <= lastColumn; ++c) {
        const double x = g.left + (c - firstColumn_) * g.cellWidth;
        painter.fillRect(QRectF(x, g.top, 1, bottom - g.top), tokens().line);
    }
    for (int r = firstRow_; r <= lastRow; ++r) {
        const double y = g.top + (r - firstRow_) * g.cellHeight;
        painter.fillRect(QRectF(g.left, y, right - g.left, 1), tokens().line);
    }
    // What goes on out of sight is said at the edge.
    painter.setPen(tokens().faint);
    painter.setFont(Theme::instance().text(11));
    if (lastColumn < static_cast<int>(contents_.columns) || firstColumn_ > 0)
        painter.drawText(QRectF(0, 0, g.left - 4, g.top), Qt::AlignCenter,
                         QString("%1\u2026%2").arg(firstColumn_ + 1).arg(lastColumn));
}

QString MapGrid::textOf(size_t cell) const {
    const double v = contents_.values[cell];
    if (isBlank(cell) || !std::isfinite(v)) return QString("\u00b7");
    QString text = QString::number(v, 'f', contents_.decimals);
    // What is shown as nought has no sign.
    const bool nought = std::none_of(text.begin(), text.end(), [](QChar c) { return c >= '1' && c <= '9'; });
    if (contents_.showSign && v > 0 && !nought) text.prepend('+');
    if (nought && text.startsWith('-')) text.remove(0, 1);
    return text;
}

void MapGrid::paintInk(const Geometry& g) {
    const double ratio = picture_.devicePixelRatio();
    Raster raster(picture_, picture_.rect());
    Marks& marks = marksOf(ratio);
    const Tokens& t = tokens();
    const QRgb ink = t.ink.rgb(), faint = t.faint.rgb(), accent = t.accent.rgb();
    const auto pixel = [&](double place) { return static_cast<int>(std::lround(place * ratio)); };
    Letters& letters = lettersOf(g.cellWidth < 50 || g.cellHeight < 20 ? 11 : 12, ratio);
    forEachSeen(g, [&](const QRectF& r, size_t cell) {
        const bool narrow = r.width() < 40;
        letters.draw(raster, textOf(cell), (r.right() - (narrow ? 2.5 : 5)) * ratio, r.center().y() * ratio,
                     isBlank(cell) ? faint : ink);
        if (cell < contents_.edited.size() && contents_.edited[cell])
            raster.stamp(marks.corner(), pixel(std::round(r.left() + 1)), pixel(std::round(r.top() + 1)), accent);
        if (cell >= contents_.evidence.size() || !(contents_.evidence[cell] > 0)) return;
        const double radius = narrow ? 0.6 + 1.2 * contents_.evidence[cell] : 0.8 + 1.4 * contents_.evidence[cell];
        const float doubt = cell < contents_.doubt.size() ? contents_.doubt[cell] : 0.0f;
        // Where the number needs the whole width the dot stands above it.
        const double middle = narrow && r.height() >= 20 ? r.top() + 4 : r.center().y();
        raster.stamp(marks.dot(radius, doubt), pixel(r.left() + (narrow ? 3.0 : 3.6) - Marks::kDot / 2.0),
                     pixel(std::round(middle) - Marks::kDot / 2.0), faint);
    });
    Letters& breakpoints = lettersOf(11, ratio);
    for (size_t c = static_cast<size_t>(firstColumn_); c < contents_.x.size(); ++c) {
        const QRectF r = cellRect(g, static_cast<size_t>(firstRow_), c);
        if (r.left() >= width()) break;
        breakpoints.draw(raster, QString::number(contents_.x[c], 'f', contents_.xDecimals), (r.right() - 5) * ratio,
                         g.top / 2 * ratio, faint);
    }
    for (size_t row = static_cast<size_t>(firstRow_); row < contents_.y.size(); ++row) {
        const QRectF r = cellRect(g, row, static_cast<size_t>(firstColumn_));
        if (r.top() >= height()) break;
        breakpoints.draw(raster, QString::number(contents_.y[row], 'f', contents_.yDecimals), (g.left - 6) * ratio,
                         r.center().y() * ratio, faint);
    }
}

void MapGrid::paintMarks(QPainter& painter, const QRectF& r, size_t cell) {
    const Tokens& t = tokens();
    if (cell < contents_.differs.size() && contents_.differs[cell])
        painter.fillRect(QRectF(r.right() - 30, r.bottom() - barHeight(r) - 2, 26, r.height() < 20 ? 1 : 1.3),
                         t.violet);
    if (cell < contents_.pointedAt.size() && contents_.pointedAt[cell]) {
        painter.setPen(QPen(t.warm, 1.6));
        const QPointF top(r.right() - 17, r.top() + 2.2);
        const QPointF roof[] = {top + QPointF(-8, 3.2), top, top + QPointF(8, 3.2)};
        painter.drawPolyline(roof, 3);
    }
}

void MapGrid::paintHeaderTicks(QPainter& painter, const Geometry& g) {
    const GridRange range = selection();
    const QRectF cells = cellRect(g, static_cast<size_t>(range.top), static_cast<size_t>(range.left))
                             .united(cellRect(g, static_cast<size_t>(range.bottom), static_cast<size_t>(range.right)));
    const double left = std::max(cells.left(), g.left), top = std::max(cells.top(), g.top);
    if (!contents_.x.empty() && cells.right() > left)
        painter.fillRect(QRectF(left + 2, g.top - 3, cells.right() - left - 4, 2), tokens().accent);
    if (!contents_.y.empty() && cells.bottom() > top)
        painter.fillRect(QRectF(g.left - 4, top + 2, 2, cells.bottom() - top - 4), tokens().accent);
}

void MapGrid::paintSelection(QPainter& painter, const Geometry& g) {
    const GridRange range = selection();
    const auto rectOf = [&](int row, int column) {
        return cellRect(g, static_cast<size_t>(row), static_cast<size_t>(column));
    };
    painter.setPen(QPen(tokens().accent, hasFocus() ? 2 : 1));
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(rectOf(range.top, range.left).united(rectOf(range.bottom, range.right)).adjusted(1, 1, -1, -1));
    if (range.top == range.bottom && range.left == range.right) return;
    // Which of them the arrows move.
    painter.setPen(QPen(tokens().accent, 1, Qt::DotLine));
    painter.drawRect(rectOf(row_, column_).adjusted(3, 3, -3, -3));
}

void MapGrid::paintFootprint(QPainter& painter, const Geometry& g) {
    if (!footprint_.at() || contents_.x.empty()) return;
    constexpr double kTick = 5, kEdge = 2;
    const QColor here = tokens().here;
    const auto faded = [&](float fresh) {
        QColor out = here;
        out.setAlphaF(0.15f + 0.55f * fresh);
        return out;
    };
    const double lower = compact_ ? 0 : 0.5;
    const auto edgeOf = [&](size_t cell) {
        const QRectF r = cellRect(g, cell / contents_.columns, cell % contents_.columns);
        const double bar = barHeight(r);
        return QRectF(r.left() + kEdge, r.bottom() - lower - bar, r.width() - 2 * kEdge, bar);
    };
    painter.setClipRect(QRectF(g.left, g.top, width() - g.left, height() - g.top));
    for (const auto& [cell, fresh] : footprint_.cellsLeft()) {
        const QRectF edge = edgeOf(cell);
        painter.fillRect(QRectF(edge.left(), edge.bottom() - 1, edge.width(), 1), faded(fresh));
    }
    for (const auto& cell : footprint_.cells()) {
        QRectF edge = edgeOf(cell.cell);
        painter.fillRect(edge, Tokens::mix(tokens().sheet, here, 0.25));
        edge.setWidth(std::max(1.0, edge.width() * cell.weight));
        painter.fillRect(edge, here);
    }
    painter.setClipping(false);
    if (compact_) return;
    const auto tick = [&](QPointF at, double wide, const QColor& colour) {
        const double x = g.left + (positionOn(contents_.x, at.x()) - firstColumn_ + 0.5) * g.cellWidth;
        if (x >= g.left && x < width()) painter.fillRect(QRectF(x - wide / 2, g.top - kTick, wide, kTick - 1), colour);
        if (contents_.y.empty()) return;
        const double y = g.top + (positionOn(contents_.y, at.y()) - firstRow_ + 0.5) * g.cellHeight;
        if (y >= g.top && y < height()) painter.fillRect(QRectF(g.left - kTick, y - wide / 2, kTick - 1, wide), colour);
    };
    for (const auto& past : footprint_.past())
        tick(past.at, 1, faded(past.fresh));
    tick(*footprint_.at(), 2.4, here);
}

void MapGrid::paintWhereToFill(QPainter& painter) {
    const Tokens& t = tokens();
    const QString text = "Fill: \u2190 \u2192 across, \u2191 \u2193 down, F both, Esc leaves it";
    painter.setFont(Theme::instance().text(12));
    const QRectF box(width() - painter.fontMetrics().horizontalAdvance(text) - 26, height() - 28,
                     painter.fontMetrics().horizontalAdvance(text) + 20, 22);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(t.accent, 1));
    painter.setBrush(t.sheet);
    painter.drawRoundedRect(box, 4, 4);
    painter.setPen(t.ink);
    painter.drawText(box, Qt::AlignCenter, text);
}

GridRange MapGrid::selection() const {
    return {std::min(row_, anchorRow_), std::min(column_, anchorColumn_), std::max(row_, anchorRow_),
            std::max(column_, anchorColumn_)};
}

std::vector<size_t> MapGrid::selectedCells() const {
    std::vector<size_t> out;
    const GridRange range = selection();
    for (int r = range.top; r <= range.bottom; ++r)
        for (int c = range.left; c <= range.right; ++c)
            out.push_back(static_cast<size_t>(r) * contents_.columns + static_cast<size_t>(c));
    return out;
}

void MapGrid::select(int row, int column, bool extend) {
    if (contents_.rows == 0 || contents_.columns == 0) return;
    row_ = std::clamp(row, 0, static_cast<int>(contents_.rows) - 1);
    column_ = std::clamp(column, 0, static_cast<int>(contents_.columns) - 1);
    if (!extend) anchorRow_ = row_, anchorColumn_ = column_;
    keepInView();
    update();
    emit selectionMoved();
}

void MapGrid::setSelection(const GridRange& range) {
    if (contents_.rows == 0 || contents_.columns == 0) return;
    anchorRow_ = std::clamp(range.top, 0, static_cast<int>(contents_.rows) - 1);
    anchorColumn_ = std::clamp(range.left, 0, static_cast<int>(contents_.columns) - 1);
    select(range.bottom, range.right, true);
}

void MapGrid::selectAll() {
    setSelection({0, 0, static_cast<int>(contents_.rows) - 1, static_cast<int>(contents_.columns) - 1});
}

void MapGrid::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    setFocus();
    const Geometry g = geometry();
    const bool extend = event->modifiers() & Qt::ShiftModifier;
    const int lastRow = static_cast<int>(contents_.rows) - 1, lastColumn = static_cast<int>(contents_.columns) - 1;
    dragging_ = Dragging::Cells;
    if (const auto cell = cellAt(event->pos())) return select(cell->first, cell->second, extend);
    const bool above = event->pos().y() < g.top, beside = event->pos().x() < g.left;
    if (above && beside) return selectAll();
    // A header selects its whole column or row; dragged on, or with Shift, those up to there.
    if (above) {
        const auto below = cellAt({event->pos().x(), static_cast<int>(g.top) + 1});
        if (!below) return;
        dragging_ = Dragging::Columns;
        setSelection({0, extend ? anchorColumn_ : below->second, lastRow, below->second});
    } else if (beside) {
        const auto right = cellAt({static_cast<int>(g.left) + 1, event->pos().y()});
        if (!right) return;
        dragging_ = Dragging::Rows;
        setSelection({extend ? anchorRow_ : right->first, 0, right->first, lastColumn});
    }
}

void MapGrid::mouseMoveEvent(QMouseEvent* event) {
    if (!(event->buttons() & Qt::LeftButton)) return;
    const Geometry g = geometry();
    const QPoint inside(std::max(event->pos().x(), static_cast<int>(g.left) + 1),
                        std::max(event->pos().y(), static_cast<int>(g.top) + 1));
    const auto cell = cellAt(inside);
    if (!cell) return;
    const int row = dragging_ == Dragging::Columns ? static_cast<int>(contents_.rows) - 1 : cell->first;
    const int column = dragging_ == Dragging::Rows ? static_cast<int>(contents_.columns) - 1 : cell->second;
    select(row, column, true);
}

void MapGrid::wheelEvent(QWheelEvent* event) {
    if (!scrolling_) return QWidget::wheelEvent(event);
    const int steps = -event->angleDelta().y() / 40 ? -event->angleDelta().y() / 40 : 0;
    const bool sideways = (event->modifiers() & Qt::ShiftModifier) || event->angleDelta().x() != 0;
    const Geometry g = geometry();
    const auto most = [](size_t count, double room, double size) {
        return std::max(0, static_cast<int>(count) - std::max(1, static_cast<int>(room / size + 1e-6)));
    };
    if (sideways)
        firstColumn_ = std::clamp(firstColumn_ + (steps ? steps : -event->angleDelta().x() / 40), 0,
                                  most(contents_.columns, width() - g.left - 1, g.cellWidth));
    else
        firstRow_ = std::clamp(firstRow_ + steps, 0, most(contents_.rows, height() - g.top - 1, g.cellHeight));
    changed();
    event->accept();
}

bool MapGrid::ask(const QKeyEvent* event) {
    if (event->matches(QKeySequence::Copy)) return emit asked(GridAsk::Copy), true;
    if (event->matches(QKeySequence::Paste)) return editable_ ? emit asked(GridAsk::Paste), true : true;
    const auto modifiers = event->modifiers() & ~Qt::KeypadModifier;
    struct Key {
        int key;
        Qt::KeyboardModifiers modifiers;
        GridAsk ask;
        bool edits;
    };
    static const Key keys[] = {
        {Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier, GridAsk::CopyWithBreakpoints, false},
        {Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier, GridAsk::PasteFactors, true},
        {Qt::Key_Up, Qt::ControlModifier, GridAsk::StepUp, true},
        {Qt::Key_Down, Qt::ControlModifier, GridAsk::StepDown, true},
        {Qt::Key_G, Qt::NoModifier, GridAsk::Soften, true},
        {Qt::Key_R, Qt::NoModifier, GridAsk::TakeReference, true}};
    for (const Key& key : keys)
        if (event->key() == key.key && modifiers == key.modifiers && (editable_ || !key.edits))
            return emit asked(key.ask), true;
    return false;
}

/// F, then an arrow for the direction or F again for both; anything else leaves it and is itself.
bool MapGrid::fillKey(const QKeyEvent* event) {
    if (!editable_ || event->key() == Qt::Key_Shift || event->key() == Qt::Key_Control) return false;
    const bool isF = event->key() == Qt::Key_F && !(event->modifiers() & ~Qt::KeypadModifier);
    if (!fillAsked_ && !isF) return false;
    update();
    if (!std::exchange(fillAsked_, !fillAsked_)) return true;
    switch (event->key()) {
        case Qt::Key_Left:
        case Qt::Key_Right:
            return emit asked(GridAsk::FillAcross), true;
        case Qt::Key_Up:
        case Qt::Key_Down:
            return emit asked(GridAsk::FillDown), true;
        case Qt::Key_F:
            return emit asked(GridAsk::FillBoth), true;
        default:
            return event->key() == Qt::Key_Escape;
    }
}

void MapGrid::focusOutEvent(QFocusEvent* event) {
    fillAsked_ = false;
    QWidget::focusOutEvent(event);
    update();
}

void MapGrid::keyPressEvent(QKeyEvent* event) {
    if (fillKey(event) || ask(event)) return;
    const bool extend = event->modifiers() & Qt::ShiftModifier;
    const bool far = event->modifiers() & Qt::ControlModifier;
    const int lastRow = static_cast<int>(contents_.rows) - 1, lastColumn = static_cast<int>(contents_.columns) - 1;
    const int page = std::max(1, static_cast<int>((height() - geometry().top) / geometry().cellHeight) - 1);
    switch (event->key()) {
        case Qt::Key_Left:
            return select(row_, far ? 0 : column_ - 1, extend);
        case Qt::Key_Right:
            return select(row_, far ? lastColumn : column_ + 1, extend);
        case Qt::Key_Up:
            return select(row_ - 1, column_, extend);
        case Qt::Key_Down:
            return select(row_ + 1, column_, extend);
        case Qt::Key_Home:
            return select(far ? 0 : row_, 0, extend);
        case Qt::Key_End:
            return select(far ? lastRow : row_, lastColumn, extend);
        case Qt::Key_PageUp:
            return select(row_ - page, column_, extend);
        case Qt::Key_PageDown:
            return select(row_ + page, column_, extend);
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
    const double left = std::clamp(r.left(), 0.0, std::max(0.0, width() - wide));
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
