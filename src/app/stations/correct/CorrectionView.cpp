// The picture follows from the kind: grid with thumbnails, curve over its own grid row, or lines with points.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/correct/CorrectionView.h"

#include <QHeaderView>
#include <QLabel>
#include <QScrollArea>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <utility>

#include "app/stations/correct/CoreText.h"
#include "app/theme/Theme.h"
#include "app/widgets/Panels.h"
#include "core/base/Text.h"

namespace brusk::app {
namespace {

constexpr double kWideSpread = 0.05;  // of the ratio: a cell says nothing any more

QString percent(double share, int decimals = 1) {
    return QString::fromStdString(formatNumber(share * 100, decimals)) + " %";
}

QString counted(size_t n, const char* one, const char* many) {
    return QString("%1 %2").arg(n).arg(n == 1 ? one : many);
}

/// A curve as it is behind the curve as it will be.
ProfileView::Line lineOf(const calibration::Table& table, const std::vector<double>& after,
                         const units::Preferences& units) {
    const ShownAxis x(table.x, units);
    const auto shown = units.shown(table.unit);
    ProfileView::Line out;
    out.title = QString::fromStdString(table.parameter->title());
    out.unit = QString::fromStdString(shown.unit);
    out.x = x.values, out.xDecimals = x.decimals;
    for (const double v : after)
        out.values.push_back(shown(v));
    for (const double v : table.values)
        out.reference.push_back(shown(v));
    out.decimals = shown.decimals(table.decimals);
    return out;
}

}  // namespace

CorrectionView::CorrectionView(QWidget* parent) : QWidget(parent) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(10);
    pages_ = new QStackedWidget;
    pages_->addWidget(makeTablePage());
    pages_->addWidget(makeValuesPage());
    all->addWidget(pages_, 1);
    auto* foot = new QHBoxLayout;
    now_ = label({}, "numbers");
    now_->setObjectName("errorNow");
    after_ = label({}, "good");
    after_->setObjectName("errorAfter");
    nowTitle_ = new ElidedLabel("faint");
    distribution_ = new Distribution;
    foot->addWidget(nowTitle_, 1);
    foot->addWidget(now_);
    foot->addWidget(distribution_, 1);
    foot->addStretch(0);
    foot->addWidget(label(tr("expected after"), "faint"));
    foot->addWidget(after_);
    all->addLayout(foot);
}

QWidget* CorrectionView::makeTablePage() {
    static const char* const names[] = {"Off by", "How sure", "Change", "Result"};
    static const char* const what[] = {"lean + rich \u2212, %", "\u00b1 of each cell, %", "of the table, %",
                                       "the table then"};
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(10);
    auto* row = new QHBoxLayout;
    for (int i = 0; i < kLayers; ++i) {
        auto* frame = new Panel("");
        frame->setObjectName(QString("layer%1").arg(i));
        emptyLayout(frame->headRow());
        auto* button = new QPushButton(QString("%1 %2").arg(i + 1).arg(names[i]));
        button->setObjectName(QString("layerButton%1").arg(i));
        button->setFlat(true);
        button->setStyleSheet("text-align: left; border: 0; background: transparent; font-weight: 600; padding: 0;");
        frame->body()->setSpacing(3);
        frame->body()->addWidget(button);
        auto* caption = new ElidedLabel("faint");
        caption->setText(what[i]);
        frame->body()->addWidget(caption);
        frame->layout()->setContentsMargins(9, 8, 8, 9);
        small_[i] = new MapGrid;
        small_[i]->setCompact(true);
        small_[i]->setFixedHeight(54);
        frame->body()->addWidget(small_[i]);
        thumbs_[i] = frame;
        row->addWidget(frame);
        connect(button, &QPushButton::clicked, this, [this, i] { showLayer(static_cast<Layer>(i)); });
    }
    column->addLayout(row);
    curve_ = new ProfileView;
    curve_->setObjectName("correctionCurve");
    column->addWidget(curve_, 2);
    along_ = new EvidencePlot;
    along_->setObjectName("correctionAlong");
    column->addWidget(along_, 2);
    grid_ = new MapGrid;
    grid_->setObjectName("correctionGrid");
    room_ = new QScrollArea;
    room_->setFrameShape(QFrame::NoFrame);
    room_->setWidgetResizable(true);
    room_->setFocusPolicy(Qt::NoFocus);
    room_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    room_->setWidget(grid_);
    column->addWidget(room_, 3);
    cell_ = label({}, "faint");
    cell_->setWordWrap(true);
    column->addWidget(cell_);
    connect(grid_, &MapGrid::selectionMoved, this, &CorrectionView::showCell);
    connect(along_, &EvidencePlot::chosen, this, [this](size_t point) {
        if (point < plotted_.size()) grid_->select(0, static_cast<int>(plotted_[point]));
    });
    return page;
}

QWidget* CorrectionView::makeValuesPage() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(10);
    values_ = new QVBoxLayout;
    values_->setSpacing(10);
    column->addLayout(values_);
    scatter_ = new EvidencePlot;
    scatter_->setObjectName("scatter");
    column->addWidget(scatter_, 1);
    points_ = new QTreeWidget;
    points_->setObjectName("points");
    points_->setAccessibleName(tr("What speaks for it"));
    points_->setRootIsDecorated(false);
    points_->setFrameShape(QFrame::NoFrame);
    points_->setUniformRowHeights(true);
    column->addWidget(points_, 1);
    column->addStretch();
    connect(scatter_, &EvidencePlot::chosen, this, [this](size_t point) {
        if (point < plotted_.size()) points_->setCurrentItem(points_->topLevelItem(static_cast<int>(plotted_[point])));
    });
    connect(points_, &QTreeWidget::currentItemChanged, this, [this] {
        const auto at = std::find(plotted_.begin(), plotted_.end(), currentPoint());
        scatter_->setCurrent(static_cast<size_t>(at - plotted_.begin()));
    });
    connect(points_, &QTreeWidget::itemActivated, this, [this](QTreeWidgetItem* item) {
        const auto at = static_cast<size_t>(points_->indexOfTopLevelItem(item));
        if (shown_ && at < shown_->points.size() && shown_->points[at].moment)
            emit momentWanted(*shown_->points[at].moment);
    });
    return page;
}

size_t CorrectionView::currentPoint() const {
    return static_cast<size_t>(std::max(0, points_->indexOfTopLevelItem(points_->currentItem())));
}

void CorrectionView::show(const proposals::Correction* correction, const units::Preferences& units) {
    const auto* before = std::exchange(kind_, correction ? correction->kind : nullptr);
    shown_ = correction, units_ = units;
    setVisible(correction);
    if (!correction) return;
    if (correction->tables.empty())
        showValues();
    else
        showTable(kind_ != before);
    showFigures();
}

void CorrectionView::showTable(bool fresh) {
    pages_->setCurrentIndex(0);
    constexpr int kColumn_px = 46, kStrip_px = 66;
    const bool map = shown_->tables[0].table.rows > 1;
    for (int i = 0; i < kLayers; ++i) {
        small_[i]->setVisible(map);
        if (map) small_[i]->setContents(contentsOf(static_cast<Layer>(i)));
    }
    const auto& table = shown_->tables[0];
    if (!map) curve_->setLine(lineOf(table.table, table.result, units_));
    grid_->setMinimumWidth(map ? 1 : kColumn_px * static_cast<int>(table.table.columns));
    room_->setMaximumHeight(map ? QWIDGETSIZE_MAX : kStrip_px + 12);
    showLayer(layer_);
    // It begins where most is known.
    const auto& evidence = table.fit.evidence;
    const auto most = static_cast<size_t>(std::max_element(evidence.begin(), evidence.end()) - evidence.begin());
    const auto columns = static_cast<int>(table.table.columns);
    if (fresh) grid_->select(static_cast<int>(most) / columns, static_cast<int>(most) % columns);
}

/// Every breakpoint that was driven at: what was seen, what is left, and the change as a line.
void CorrectionView::showAlong() {
    const auto& c = shown_->tables[0];
    const ShownAxis x(c.table.x, units_);
    EvidencePlot::Picture picture{QString::fromStdString(c.table.x.label) + ", " + x.unit(), "%", {}, {}};
    plotted_.clear();
    for (size_t i = 0; i < c.table.values.size(); ++i) {
        picture.change.emplace_back(x.values[i], c.change[i] * 100);
        if (c.cells[i].count < proposals::kVisited) continue;
        const double seen = (c.cells[i].mean - 1) * 100;
        picture.points.push_back({x.values[i], seen, seen - c.change[i] * 100, c.fit.doubt[i] * 100});
        plotted_.push_back(i);
    }
    along_->show(std::move(picture));
}

void CorrectionView::showScatter() {
    EvidencePlot::Picture picture{
        QString::fromStdString(shown_->pointsAlong), QString::fromStdString(shown_->pointsUnit), {}, {}};
    plotted_.clear();
    for (size_t i = 0; i < shown_->points.size(); ++i) {
        const auto& point = shown_->points[i];
        if (!std::isfinite(point.at)) continue;
        picture.points.push_back({point.at, point.now, shown_->changes() ? point.expected : std::nan("")});
        plotted_.push_back(i);
    }
    scatter_->setVisible(!plotted_.empty());
    scatter_->show(std::move(picture));
}

void CorrectionView::showValues() {
    pages_->setCurrentIndex(1);
    emptyLayout(values_);
    for (const auto& value : shown_->values) {
        if (value.before.values.size() > 1) {
            auto* curve = new ProfileView;
            curve->setObjectName("valueCurve");
            curve->setMinimumHeight(170);
            curve->setLine(lineOf(value.before, value.after.values, units_));
            values_->addWidget(curve);
            continue;
        }
        auto* row = new QHBoxLayout;
        const auto shown = units_.shown(value.before.unit);
        const int decimals = shown.decimals(value.before.decimals);
        row->addWidget(label(QString::fromStdString(value.parameter().title())));
        row->addStretch();
        row->addWidget(label(QString("%1 \u2192 %2 %3")
                                 .arg(shown(value.before.values[0]), 0, 'f', decimals)
                                 .arg(shown(value.after.values[0]), 0, 'f', decimals)
                                 .arg(QString::fromStdString(shown.unit)),
                             "numbers"));
        values_->addLayout(row);
    }
    if (shown_->values.empty()) values_->addWidget(label(tr("Nothing is changed."), "faint"));
    points_->clear();
    points_->setVisible(!shown_->points.empty());
    const QString unit = QString::fromStdString(shown_->pointsUnit);
    points_->setHeaderLabels({tr("Seen"), tr("now, %1").arg(unit), tr("expected, %1").arg(unit)});
    for (const auto& point : shown_->points) {
        auto* item =
            new QTreeWidgetItem(points_, {QString::fromStdString(point.what), QString::number(point.now, 'f', 2),
                                          shown_->changes() ? QString::number(point.expected, 'f', 2) : QString("-")});
        for (int column : {1, 2}) {
            item->setTextAlignment(column, Qt::AlignRight | Qt::AlignVCenter);
            item->setFont(column, Theme::instance().numbers(12));
        }
    }
    points_->header()->setStretchLastSection(false);
    points_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    showScatter();
}

void CorrectionView::showFigures() {
    const auto& promise = shown_->promise;
    const bool table = !shown_->tables.empty();
    distribution_->setVisible(table);
    if (table) distribution_->setErrors(shown_->tables[0].errorNow, shown_->tables[0].errorExpected);
    const auto* figure = promise ? evidence::figureKind(promise->figure) : nullptr;
    const auto text = [&](double v) { return QString("%1 %2").arg(v, 0, 'f', 2).arg(textOf(figure->unit)); };
    nowTitle_->setText(figure ? textOf(figure->title) + tr(", now") : QString());
    now_->setText(figure ? text(promise->now) : QString());
    after_->setText(!figure ? tr("-")
                    : shown_->changes()
                        ? text(promise->expected) + QString(" \u00b1 %1").arg(promise->leftDoubt, 0, 'f', 2)
                        : tr("as it is"));
}

GridContents CorrectionView::contentsOf(Layer layer) const {
    const auto& c = shown_->tables[0];
    GridContents out;
    out.rows = c.table.rows;
    out.columns = c.table.columns;
    out.setAxes(ShownAxis(c.table.x, units_), ShownAxis(c.table.y, units_));
    out.decimals = 1;
    const size_t count = c.table.values.size();
    out.values.resize(count);
    out.blank.assign(count, 0);
    for (size_t i = 0; i < count; ++i) {
        switch (layer) {
            case kOffBy:
                out.values[i] = (c.cells[i].mean - 1) * 100;
                out.blank[i] = c.cells[i].count < proposals::kVisited;
                break;
            case kHowSure:
                out.values[i] = c.fit.doubt[i] * 100;
                out.blank[i] = c.fit.evidence[i] < 1;
                break;
            case kChange:
                out.values[i] = c.change[i] * 100;
                out.blank[i] = c.change[i] == 0;
                break;
            default:
                out.values[i] = c.result[i];
        }
    }
    out.showSign = layer == kOffBy || layer == kChange;
    out.shade = out.showSign ? GridContents::Shade::Difference : GridContents::Shade::Value;
    if (layer != kHowSure) {
        for (size_t i = 0; i < count; ++i)
            out.setDot(i, c.fit.evidence[i], c.cells[i].spread, kWideSpread);
    }
    if (layer == kResult) {
        out.edited.resize(count);
        for (size_t i = 0; i < count; ++i)
            out.edited[i] = c.change[i] != 0;
    }
    return out;
}

void CorrectionView::showLayer(Layer layer) {
    layer_ = layer;
    for (int i = 0; i < kLayers; ++i)
        thumbs_[i]->setStyleSheet(
            i == layer ? tr("QFrame#layer%1 { border: 2px solid %2; }").arg(i).arg(tokens().accent.name()) : QString());
    if (!shown_ || shown_->tables.empty()) return;
    const bool map = shown_->tables[0].table.rows > 1;
    curve_->setVisible(!map && layer == kResult);
    along_->setVisible(!map && layer != kResult);
    if (!map) showAlong();
    grid_->setContents(contentsOf(layer));
    showCell();
}

void CorrectionView::showCell() {
    if (!shown_ || shown_->tables.empty()) return cell_->clear();
    const auto& c = shown_->tables[0];
    const QPoint centre = grid_->cellCentre(0, static_cast<int>(grid_->currentCell() % c.table.columns));
    if (c.table.rows == 1) room_->ensureVisible(centre.x(), centre.y());
    const auto drawn = std::find(plotted_.begin(), plotted_.end(), grid_->currentCell());
    along_->setCurrent(static_cast<size_t>(drawn - plotted_.begin()));
    const size_t i = std::min(grid_->currentCell(), c.table.values.size() - 1);
    static const char* const states[] = {"stays as it is", "changed from its own evidence", "changed, not sure yet",
                                         "follows its neighbours", "held at the largest step"};
    const ShownAxis x(c.table.x, units_), y(c.table.y, units_);
    const QString place = c.table.rows > 1 ? x.text(i % c.table.columns) + ", " + y.text(i / c.table.columns)
                                           : x.text(i % c.table.columns);
    cell_->setText(tr("%1: %2 in %3, off by %4 \u00b1 %5; %6 \u2192 %7 %8, %9")
                       .arg(place)
                       .arg(counted(c.cells[i].count, "sample", "samples"), counted(c.fit.visits[i], "visit", "visits"))
                       .arg(c.cells[i].count ? percent(c.cells[i].mean - 1) : QString("-"))
                       .arg(percent(c.fit.doubt[i]))
                       .arg(c.table.values[i], 0, 'f', 2)
                       .arg(c.result[i], 0, 'f', 2)
                       .arg(QString::fromStdString(c.table.unit))
                       .arg(states[static_cast<int>(c.state[i])]));
}

}  // namespace brusk::app
