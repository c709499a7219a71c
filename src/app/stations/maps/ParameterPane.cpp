// A table as grid, profiles or surface; each operation is prepared by the core and made as one edit.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/ParameterPane.h"

#include <QApplication>
#include <QClipboard>
#include <QEvent>
#include <QHBoxLayout>
#include <QLocale>
#include <QPointer>
#include <QSplitter>
#include <QStyle>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/desks/Background.h"
#include "app/widgets/Panels.h"
#include "core/calibration/Tabbed.h"

namespace brusk::app {

using calibration::CellRange;
using definition::Parameter;

namespace {

char decimalSign() {
    return QLocale().decimalPoint() == "," ? ',' : '.';
}

std::string cellsText(size_t count) {
    return std::to_string(count) + (count == 1 ? " cell" : " cells");
}

}  // namespace

ParameterPane::ParameterPane(MapsWork& work, const QString& suffix, QWidget* parent) : QFrame(parent), work_(work) {
    setObjectName("pane" + suffix);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 4, 8, 6);
    column->setSpacing(4);
    makeHead(suffix);
    problem_ = label({}, "alarm");
    problem_->setWordWrap(true);
    column->addWidget(problem_);
    split_ = new QSplitter(Qt::Vertical);
    split_->setChildrenCollapsible(false);
    auto* upper = new QWidget;
    auto* upperColumn = new QVBoxLayout(upper);
    upperColumn->setContentsMargins(0, 0, 0, 0);
    grid_ = new MapGrid;
    grid_->setObjectName("mapGrid" + suffix);
    grid_->setEditable(true);
    grid_->setScrolling(true);
    upperColumn->addWidget(grid_, 1000);
    editor_ = new ValueEditor(suffix);
    upperColumn->addWidget(editor_);
    upperColumn->addStretch();
    split_->addWidget(upper);
    makePictures(suffix);
    split_->addWidget(pictures_);
    column->addWidget(split_, 1);
    connect(split_, &QSplitter::splitterMoved, this, [this] { splitByHand_ = true; });
    grid_->installEventFilter(this);
    surface_->installEventFilter(this);
    connect(grid_, &MapGrid::typed, this, &ParameterPane::operate);
    connect(grid_, &MapGrid::asked, this, &ParameterPane::asked);
    connect(grid_, &MapGrid::selectionMoved, this, &ParameterPane::refreshSelection);
    connect(editor_, &ValueEditor::rawChosen, this, [this](double raw) {
        make(work_.calibration()->prepareRaw(*table_.parameter, 0, raw, "set " + table_.parameter->title()));
    });
    connect(editor_, &ValueEditor::stepped, this, &ParameterPane::step);
    connect(editor_, &ValueEditor::textChosen, this, &ParameterPane::operate);
    setPicture(Picture::Profiles);
}

void ParameterPane::makeHead(const QString& suffix) {
    auto* head = new QHBoxLayout;
    head->setSpacing(6);
    name_ = label({}, "heading");
    name_->setObjectName("parameterName" + suffix);
    axes_ = label({}, "faint");
    sliceBox_ = new QSpinBox;
    sliceBox_->setPrefix(tr("slice "));
    sliceBox_->setAccessibleName(tr("Slice of the cuboid"));
    connect(sliceBox_, &QSpinBox::valueChanged, this, [this](int value) {
        slice_ = static_cast<size_t>(value);
        reload();
    });
    head->addWidget(name_, 1);
    head->addWidget(sliceBox_);
    const auto button = [&](const char* object, const QString& text, const char* tip) {
        auto* made = new QToolButton;
        made->setObjectName(object + suffix);
        made->setText(text);
        made->setToolTip(tip);
        made->setAccessibleName(tip);
        made->setProperty("flat", true);
        head->addWidget(made);
        return made;
    };
    profilesButton_ = button("showProfiles", "Profiles", "Lines through the cell along both axes (Ctrl+1)");
    surfaceButton_ = button("showSurface", "Surface", "The map as a surface (Ctrl+2)");
    pinButton_ = button("pin", "\u2606", "Pin: always first in the finder");
    closeButton_ = button("closePane", "\u2715", "Close this one (Ctrl+W)");
    for (QToolButton* made : {profilesButton_, surfaceButton_, pinButton_})
        made->setCheckable(true);
    connect(profilesButton_, &QToolButton::clicked, this,
            [this] { setPicture(picture_ == Picture::Profiles ? Picture::None : Picture::Profiles); });
    connect(surfaceButton_, &QToolButton::clicked, this,
            [this] { setPicture(picture_ == Picture::Surface ? Picture::None : Picture::Surface); });
    connect(pinButton_, &QToolButton::clicked, this, [this](bool on) {
        setPinned(on);
        emit pinAsked(on);
    });
    connect(closeButton_, &QToolButton::clicked, this, &ParameterPane::closeAsked);
    auto* column = static_cast<QVBoxLayout*>(layout());
    column->addLayout(head);
    axes_->setWordWrap(true);
    column->addWidget(axes_);
}

void ParameterPane::makePictures(const QString& suffix) {
    pictures_ = new QStackedWidget;
    auto* profiles = new QWidget;
    auto* side = new QHBoxLayout(profiles);
    side->setContentsMargins(0, 0, 0, 0);
    across_ = new ProfileView;
    across_->setObjectName("across" + suffix);
    down_ = new ProfileView;
    down_->setObjectName("down" + suffix);
    side->addWidget(across_);
    side->addWidget(down_);
    surface_ = new SurfaceView;
    surface_->setObjectName("surface" + suffix);
    pictures_->addWidget(profiles);
    pictures_->addWidget(surface_);
    for (ProfileView* view : {across_, down_}) {
        view->setEditable(true);
        const bool isAcross = view == across_;
        connect(view, &ProfileView::picked, this, [this, isAcross](size_t i, bool extend) {
            const int at = static_cast<int>(i);
            const int row = isAcross ? grid_->currentRow() : at, column = isAcross ? at : grid_->currentColumn();
            // A point of a selection keeps it, so that all of it can be dragged.
            const bool several = grid_->selectedCells().size() > 1;
            if (!extend && several && grid_->selection().contains(row, column)) return;
            grid_->select(row, column, extend);
        });
        connect(view, &ProfileView::dragged, this, [this, isAcross](size_t i, double value, bool done) {
            const int at = static_cast<int>(i);
            drag(isAcross ? grid_->currentRow() : at, isAcross ? at : grid_->currentColumn(), value, done);
        });
    }
    surface_->setEditable(true);
    connect(surface_, &SurfaceView::picked, this, [this](int r, int c, bool extend) {
        if (!extend && grid_->selection().contains(r, c)) return;
        grid_->select(r, c, extend);
    });
    connect(surface_, &SurfaceView::chosen, grid_, &MapGrid::setSelection);
    connect(surface_, &SurfaceView::dragged, this, &ParameterPane::drag);
}

bool ParameterPane::eventFilter(QObject* object, QEvent* event) {
    if (event->type() == QEvent::FocusIn) emit activated();
    return QFrame::eventFilter(object, event);
}

void ParameterPane::setActive(bool active) {
    setRole(name_, active ? "headingon" : "heading");
}

void ParameterPane::setPinned(bool pinned) {
    pinButton_->setChecked(pinned);
    pinButton_->setText(pinned ? "\u2605" : "\u2606");
}

void ParameterPane::open(const QString& parameter) {
    parameter_ = parameter;
    slice_ = 0;
    evidenceFor_.clear();
    evidence_ = {};
    reload();
    if (readable_ && !table_.values.empty())
        grid_->select(0, 0);  // tells that the selection moved
    else
        emit selectionMoved();
}

void ParameterPane::setPicture(Picture picture) {
    picture_ = picture;
    profilesButton_->setChecked(picture == Picture::Profiles);
    surfaceButton_->setChecked(picture == Picture::Surface);
    refreshPictures();
    refreshHere();
}

void ParameterPane::balance() {
    if (splitByHand_ || !readable_ || !pictures_->isVisibleTo(this)) return;
    const int all = split_->height();
    const int natural = 30 + static_cast<int>(table_.rows) * 21;
    const int most = all * (picture_ == Picture::Surface ? 45 : 68) / 100;
    const int grid = std::min(natural, most);
    split_->setSizes({grid, all - grid});
}

void ParameterPane::setShowsDifference(bool on) {
    showsDifference_ = on;
    refreshGrid();
}

CellRange ParameterPane::range() const {
    const GridRange r = grid_->selection();
    return {static_cast<size_t>(r.top), static_cast<size_t>(r.left), static_cast<size_t>(r.bottom),
            static_cast<size_t>(r.right)};
}

void ParameterPane::reload() {
    const auto* calibration = work_.calibration();
    readable_ = false;
    if (!calibration || parameter_.isEmpty()) return;
    const Parameter* p = calibration->definition().parameter(parameter_.toStdString());
    name_->setText(p ? QString::fromStdString(p->title()) : parameter_);
    auto table = p ? calibration->read(*p, slice_)
                   : Result<calibration::Table>(
                         fail(ErrorCode::NotFound, "The definition no longer has " + parameter_.toStdString() + "."));
    problem_->setVisible(!table);
    for (QWidget* w : std::initializer_list<QWidget*>{grid_, editor_, pictures_})
        w->setVisible(table.has_value());
    if (!table) {
        axes_->clear();
        sliceBox_->hide();
        return problem_->setText(QString::fromStdString(table.error().text()));
    }
    readable_ = true;
    table_ = std::move(*table);
    const auto& units = work_.units();
    shown_ = units.shown(table_.unit);
    shownX_ = units.shown(table_.x.unit);
    shownY_ = units.shown(table_.y.unit);
    sliceBox_->setVisible(table_.slices > 1);
    sliceBox_->blockSignals(true);
    sliceBox_->setRange(0, static_cast<int>(table_.slices) - 1);
    sliceBox_->setSuffix(QString(" of %1").arg(table_.slices));
    sliceBox_->blockSignals(false);
    QString axes = QString::fromStdString(shown_.unit);
    const auto axis = [&](const calibration::AxisValues& a, const units::Shown& shown, const char* way) {
        if (a.values.empty()) return;
        axes += QString("%1%2 %3 %4")
                    .arg(axes.isEmpty() ? "" : " \u00b7 ", QString::fromStdString(a.label).toLower(),
                         QString::fromStdString(shown.unit), way);
    };
    axis(table_.x, shownX_, "across");
    axis(table_.y, shownY_, "down");
    axes_->setText(axes);
    editor_->setTable(table_, calibration->definition().conversionOf(*table_.parameter), shown_);
    grid_->setVisible(table_.parameter->kind != Parameter::Kind::Text);
    // A single value needs one row; what edits it stands right below.
    grid_->setMaximumHeight(table_.parameter->kind == Parameter::Kind::Value ? 30 : QWIDGETSIZE_MAX);
    loadReference();
    refreshEvidence();
    refreshGrid();
    refreshPictures();
    refreshHere();
}

void ParameterPane::loadReference() {
    reference_.clear();
    differs_.clear();
    edited_.clear();
    const auto compared = [&](const calibration::Calibration* with) -> Result<calibration::CellDifferences> {
        if (!with) return fail(ErrorCode::NotFound, "There is no reference here; choose one under Reference.");
        const Parameter* other = &with->definition() == &work_.calibration()->definition()
                                     ? table_.parameter
                                     : calibration::counterpart(with->definition(), *table_.parameter);
        if (!other) return fail(ErrorCode::NotFound, "The reference has no parameter " + table_.parameter->name + ".");
        const auto theirs = with->read(*other, slice_);
        if (!theirs) return tl::unexpected(theirs.error());
        return calibration::compareCells(table_, *theirs);
    };
    if (auto found = compared(work_.reference())) {
        reference_ = std::move(found->other);
        differs_ = std::move(found->differs);
    } else {
        noReference_ = QString::fromStdString(found.error().text());
    }
    // What this round changed, whatever the reference is.
    const auto parent = work_.referenceNamed("parent");
    if (auto found = compared(parent.get())) edited_ = std::move(found->differs);
    // A difference to the very round it came from is the edit itself; one mark is enough.
    if (work_.referenceKey() == "parent") differs_.clear();
    calibration::Table stock = table_;
    if (reference_.size() == table_.values.size()) stock.values = reference_;
    ridges_ = table_.values.size() > 8 ? calibration::findRidges(table_, reference_.empty() ? nullptr : &stock)
                                       : std::vector<calibration::Ridge>();
}

void ParameterPane::refreshEvidence() {
    const auto driven = work_.driven();
    if (!driven || driven->empty()) {
        evidence_ = {};
        return work_.loadDriven();
    }
    if (table_.x.values.size() < 2) {
        evidence_ = {};
        return;
    }
    // The cells of new breakpoints hold other samples.
    QString key = parameter_ + QString::number(reinterpret_cast<quintptr>(driven.get()));
    for (const auto* axis : {&table_.x, &table_.y})
        for (const double v : axis->values)
            key += QString::number(v) + ",";
    if (key == evidenceFor_) return;
    evidenceFor_ = key;
    work_.background().latest(
        this,
        [driven, table = table_, definition = work_.calibration()->sharedDefinition()] {
            return job::evidenceOf(*driven, *definition, table);
        },
        [this, key](job::CellEvidence found) {
            if (evidenceFor_ != key) return;
            evidence_ = std::move(found);
            refreshGrid();
            emit selectionMoved();
        });
}

std::vector<double> ParameterPane::inShown(const std::vector<double>& values) const {
    std::vector<double> out(values.size());
    std::transform(values.begin(), values.end(), out.begin(), shown_);
    return out;
}

void ParameterPane::refreshGrid() {
    if (!readable_ || table_.values.empty()) return;
    GridContents c;
    c.rows = table_.rows;
    c.columns = table_.columns;
    c.setAxes(ShownAxis(table_.x, work_.units()), ShownAxis(table_.y, work_.units()));
    c.decimals = shown_.decimals(table_.decimals);
    const bool difference = showsDifference_ && reference_.size() == table_.values.size();
    if (difference) {
        for (size_t i = 0; i < table_.values.size(); ++i)
            c.values.push_back(shown_.change(table_.values[i] - reference_[i]));
        c.showSign = true;
        c.shade = GridContents::Shade::Difference;
    } else {
        c.values = inShown(table_.values);
        c.shade = table_.values.size() > 1 ? GridContents::Shade::Value : GridContents::Shade::None;
    }
    c.edited = edited_;
    c.differs = differs_;
    if (evidence_.cells.size() == table_.values.size()) {
        for (size_t i = 0; i < evidence_.cells.size(); ++i) {
            const auto& cell = evidence_.cells[i];
            c.setDot(i, static_cast<double>(cell.count), evidence_.watched.empty() ? 0 : cell.spread, evidence_.wide);
        }
    }
    if (!ridges_.empty()) {
        c.pointedAt.assign(table_.values.size(), 0);
        for (const auto& ridge : ridges_)
            c.pointedAt[ridge.cell] = 1;
    }
    grid_->setContents(std::move(c));
}

void ParameterPane::refreshProfile(ProfileView* view, bool across) {
    const size_t row = std::min(static_cast<size_t>(grid_->currentRow()), table_.rows - 1);
    const size_t column = std::min(static_cast<size_t>(grid_->currentColumn()), table_.columns - 1);
    const auto& along = across ? table_.x : table_.y;
    const auto& beside = across ? table_.y : table_.x;
    const auto& shownAlong = across ? shownX_ : shownY_;
    const auto& shownBeside = across ? shownY_ : shownX_;
    const size_t fixed = across ? row : column;
    ProfileView::Line line;
    line.title = across ? "across" : "down";
    if (fixed < beside.values.size())
        line.title += tr(", at %1 %2")
                          .arg(shownBeside(beside.values[fixed]), 0, 'f', axisDecimals(beside, shownBeside))
                          .arg(QString::fromStdString(shownBeside.unit));
    line.decimals = shown_.decimals(table_.decimals);
    line.xDecimals = axisDecimals(along, shownAlong);
    line.current = across ? column : row;
    const GridRange range = grid_->selection();
    line.from = static_cast<size_t>(across ? range.left : range.top);
    line.to = static_cast<size_t>(across ? range.right : range.bottom);
    const size_t count = across ? table_.columns : table_.rows;
    for (size_t i = 0; i < count; ++i) {
        const size_t cell = across ? row * table_.columns + i : i * table_.columns + column;
        line.x.push_back(i < along.values.size() ? shownAlong(along.values[i]) : static_cast<double>(i));
        line.values.push_back(shown_(table_.values[cell]));
        if (reference_.size() == table_.values.size()) line.reference.push_back(shown_(reference_[cell]));
    }
    view->setLine(std::move(line));
}

void ParameterPane::refreshPictures() {
    const bool curve = readable_ && table_.columns > 1 && !table_.values.empty(), map = curve && table_.rows > 1;
    surfaceButton_->setVisible(map && !table_.y.values.empty());
    profilesButton_->setVisible(curve);
    const bool surface = picture_ == Picture::Surface && map && !table_.y.values.empty();
    pictures_->setVisible(curve && picture_ != Picture::None);
    pictures_->setCurrentIndex(surface ? 1 : 0);
    balance();
    if (!curve || picture_ == Picture::None) return;
    if (surface) {
        SurfaceView::Shape shape;
        shape.rows = table_.rows, shape.columns = table_.columns;
        for (const double v : table_.x.values)
            shape.x.push_back(shownX_(v));
        for (const double v : table_.y.values)
            shape.y.push_back(shownY_(v));
        shape.values = inShown(table_.values);
        shape.reference = inShown(reference_);
        const auto title = [](const calibration::AxisValues& axis, const units::Shown& shown) {
            return QString("%1 %2").arg(QString::fromStdString(axis.label).toLower(),
                                        QString::fromStdString(shown.unit));
        };
        shape.xTitle = title(table_.x, shownX_);
        shape.yTitle = title(table_.y, shownY_);
        shape.unit = QString::fromStdString(shown_.unit);
        shape.decimals = shown_.decimals(table_.decimals);
        shape.xDecimals = axisDecimals(table_.x, shownX_);
        shape.yDecimals = axisDecimals(table_.y, shownY_);
        surface_->setShape(std::move(shape));
        surface_->setSelection(grid_->selection(), grid_->currentRow(), grid_->currentColumn());
        return;
    }
    down_->setVisible(map);
    refreshProfile(across_, true);
    if (map) refreshProfile(down_, false);
}

void ParameterPane::refreshSelection() {
    if (!readable_ || table_.values.empty()) return emit selectionMoved();
    if (picture_ == Picture::Surface)
        surface_->setSelection(grid_->selection(), grid_->currentRow(), grid_->currentColumn());
    else
        refreshPictures();
    emit selectionMoved();
}

void ParameterPane::refreshHere() {
    std::optional<QPointF> at;
    if (table_.x.values.size() > 1) {
        const double x = work_.nowAlong(table_.x);
        const double y = table_.y.values.empty() ? 0 : work_.nowAlong(table_.y);
        if (!std::isnan(x) && !std::isnan(y)) at = QPointF(shownX_(x), shownY_(y));
    }
    grid_->setHere(at);
    across_->setHere(at ? std::optional(at->x()) : std::nullopt);
    down_->setHere(at && !table_.y.values.empty() ? std::optional(at->y()) : std::nullopt);
    if (picture_ == Picture::Surface) surface_->setHere(at);
}

QString ParameterPane::nameAt(QPoint inGrid) const {
    if (!readable_) return {};
    const auto along = [](const calibration::AxisValues& axis) {
        return QString::fromStdString(axis.input.empty() ? axis.label : axis.input);
    };
    const auto part = grid_->partAt(inGrid);
    if (part == MapGrid::Part::ColumnHeader && !table_.x.values.empty()) return along(table_.x);
    if (part == MapGrid::Part::RowHeader && !table_.y.values.empty()) return along(table_.y);
    return parameter_;
}

// --- what is done to cells

void ParameterPane::make(Result<calibration::Edit> edit) {
    const auto say = [this](const Error& error) { work_.say(QString::fromStdString(error.text()), true); };
    if (!edit) return say(edit.error());
    if (edit->empty()) return work_.say(tr("The stored bytes stay as they are: the change is smaller than one count."));
    const auto* shared = work_.sharedBytes();
    const auto others = shared ? shared->changedBy(*edit, table_.parameter) : std::vector<const Parameter*>();
    const QString name = QString::fromStdString(edit->name);
    const int clamped = edit->clamped;
    if (auto done = work_.edit(*edit); !done) return say(done.error());
    QString sentence = name + (clamped ? tr("; %1 held at the limit").arg(clamped) : QString());
    if (!others.empty()) {
        QStringList names;
        for (size_t i = 0; i < std::min<size_t>(others.size(), 3); ++i)
            names << QString::fromStdString(others[i]->title());
        sentence += "; on the same bytes, changed with it: " + names.join(", ") +
                    (others.size() > 3 ? tr(" and %1 more").arg(others.size() - 3) : QString());
    }
    work_.say(sentence);
}

void ParameterPane::makeCells(const std::vector<calibration::CellValue>& cells, const std::string& what) {
    const auto* calibration = work_.calibration();
    if (!calibration || !readable_ || cells.empty()) return;
    // One cell must say no at a limit; of many, those beyond it are held there and counted.
    const auto atLimit = cells.size() > 1 ? calibration::AtLimit::Clamp : calibration::AtLimit::Refuse;
    make(calibration->prepare(*table_.parameter, cells, atLimit,
                              what + ", " + cellsText(cells.size()) + " of " + table_.parameter->title(), slice_));
}

void ParameterPane::operate(const QString& text) {
    if (!work_.calibration() || !readable_) return;
    if (table_.parameter->kind == Parameter::Kind::Text)
        return make(work_.calibration()->prepareText(*table_.parameter, text.toStdString(), table_.parameter->title()));
    const auto operation = calibration::parseOperation(text.toStdString());
    if (!operation) return work_.say("\"" + text + tr("\" is not a number, +2, x1.05 or -3%."), true);
    makeCells(calibration::operate(table_, grid_->selectedCells(), *operation, shown_), operation->describe());
}

void ParameterPane::fill(calibration::Direction direction) {
    const CellRange r = range();
    const bool across = direction != calibration::Direction::Down, down = direction != calibration::Direction::Across;
    if ((across && r.columns() < 3 && !(down && r.rows() > 2)) ||
        (down && r.rows() < 3 && !(across && r.columns() > 2)))
        return work_.say(
            tr("Select at least three cells along the way: the first and the last stay, what is between is filled."),
            true);
    makeCells(calibration::fillBetween(table_, r, direction), "fill between");
}

void ParameterPane::soften(double strength) {
    makeCells(calibration::soften(table_, range(), strength),
              "soften by " + std::to_string(std::lround(strength * 100)) + " %");
}

void ParameterPane::takeReference(double strength) {
    if (reference_.size() != table_.values.size()) return work_.say(noReference_, true);
    std::vector<calibration::CellValue> cells;
    for (const size_t i : grid_->selectedCells())
        cells.push_back({i, table_.values[i] + strength * (reference_[i] - table_.values[i])});
    makeCells(cells, "take " + (strength < 1 ? std::to_string(std::lround(strength * 100)) + " % " : std::string()) +
                         "from " + work_.referenceName().toStdString());
}

void ParameterPane::copy(bool withBreakpoints) {
    if (!readable_ || table_.values.empty()) return;
    calibration::Table as = table_;
    as.values = inShown(table_.values);
    as.decimals = shown_.decimals(table_.decimals);
    for (double& v : as.x.values)
        v = shownX_(v);
    for (double& v : as.y.values)
        v = shownY_(v);
    if (work_.isToLookAt()) return work_.say(tr("This round came sealed: it may be looked at, not copied."), true);
    QApplication::clipboard()->setText(
        QString::fromStdString(calibration::toTabbed(as, range(), withBreakpoints, decimalSign())));
    work_.say(tr("Copied %1%2.")
                  .arg(QString::fromStdString(cellsText(grid_->selectedCells().size())),
                       withBreakpoints ? " with breakpoints" : ""));
}

void ParameterPane::paste() {
    const auto numbers = calibration::fromTabbed(QApplication::clipboard()->text().toStdString(), decimalSign());
    if (!numbers) return work_.say(QString::fromStdString(numbers.error().text()), true);
    const CellRange r = range();
    std::vector<calibration::CellValue> cells;
    if (!numbers->x.empty() && !table_.x.values.empty()) {
        // Numbers that bring their breakpoints go where those say, interpolated.
        calibration::Table from = table_;
        from.columns = numbers->columns, from.rows = numbers->rows;
        from.values = numbers->values;
        from.x.values.clear(), from.y.values.clear();
        for (const double v : numbers->x)
            from.x.values.push_back(shownX_.back(v));
        for (const double v : numbers->y)
            from.y.values.push_back(shownY_.back(v));
        if (table_.y.values.empty()) from.y.values.clear();
        for (double& v : from.values)
            v = shown_.back(v);
        const auto fitted = calibration::fitted(table_, from);
        if (!fitted) return work_.say(QString::fromStdString(fitted.error().text()), true);
        for (const size_t i : grid_->selectedCells())
            cells.push_back({i, (*fitted)[i]});
        return makeCells(cells, "paste by breakpoints");
    }
    // One number fills the selection; a block goes from its upper left corner on.
    const bool single = numbers->values.size() == 1;
    const size_t rows = single ? r.rows() : numbers->rows, columns = single ? r.columns() : numbers->columns;
    for (size_t i = 0; i < rows; ++i)
        for (size_t k = 0; k < columns; ++k) {
            const double v = numbers->values[single ? 0 : i * columns + k];
            if (r.top + i < table_.rows && r.left + k < table_.columns && std::isfinite(v))
                cells.push_back({(r.top + i) * table_.columns + r.left + k, shown_.back(v)});
        }
    makeCells(cells, "paste");
}

void ParameterPane::pasteFactors(double strength) {
    const auto numbers = calibration::fromTabbed(QApplication::clipboard()->text().toStdString(), decimalSign());
    if (!numbers) return work_.say(QString::fromStdString(numbers.error().text()), true);
    CellRange r = range();
    std::vector<double> factors = numbers->values;
    if (factors.size() == 1) {
        factors.assign(r.rows() * r.columns(), factors[0]);
    } else {
        if (r.top + numbers->rows > table_.rows || r.left + numbers->columns > table_.columns)
            return work_.say(
                tr("%1 x %2 factors do not fit from this cell on.").arg(numbers->rows).arg(numbers->columns), true);
        r.bottom = r.top + numbers->rows - 1;
        r.right = r.left + numbers->columns - 1;
    }
    makeCells(calibration::applyFactors(table_, r, factors, strength),
              "apply factors with " + std::to_string(std::lround(strength * 100)) + " %");
}

void ParameterPane::step(int counts) {
    if (!readable_ || table_.step <= 0)
        return work_.say(tr("A floating-point number has no raw counts to step by; type a number."), true);
    const auto& conversion = work_.calibration()->definition().conversionOf(*table_.parameter);
    // Up is up for the tuner, also where the stored number falls.
    const bool falls = conversion.toPhysical(table_.raw[0] + 1) < conversion.toPhysical(table_.raw[0]);
    std::vector<calibration::CellValue> cells;
    for (const size_t i : grid_->selectedCells())
        cells.push_back({i, conversion.toPhysical(table_.raw[i] + (falls ? -counts : counts))});
    makeCells(cells, counts > 0 ? "one count up" : "one count down");
}

void ParameterPane::drag(int row, int column, double shownValue, bool done) {
    if (!readable_) return;
    const size_t held = static_cast<size_t>(row) * table_.columns + static_cast<size_t>(column);
    // All selected points move with the one that is held, when it is one of them.
    std::vector<size_t> moved = grid_->selectedCells();
    if (std::find(moved.begin(), moved.end(), held) == moved.end()) moved = {held};
    const double by = shown_.back(shownValue) - table_.values[held];
    if (done) {
        std::vector<calibration::CellValue> cells;
        cells.reserve(moved.size());
        for (const size_t i : moved)
            cells.push_back({i, std::clamp(table_.values[i] + by, table_.lower, table_.upper)});
        makeCells(cells, "drag");
        refreshGrid();
        return refreshPictures();
    }
    const std::vector<double> kept = table_.values;
    for (const size_t i : moved)
        table_.values[i] = std::clamp(table_.values[i] + by, table_.lower, table_.upper);
    grid_->setValues(inShown(table_.values));
    refreshPictures();
    table_.values = kept;
}

void ParameterPane::asked(GridAsk ask) {
    switch (ask) {
        case GridAsk::Copy:
            return copy(false);
        case GridAsk::CopyWithBreakpoints:
            return copy(true);
        case GridAsk::Paste:
            return paste();
        case GridAsk::PasteFactors:
            return emit factorsAsked();
        case GridAsk::StepUp:
            return step(1);
        case GridAsk::StepDown:
            return step(-1);
        case GridAsk::FillAcross:
            return fill(calibration::Direction::Across);
        case GridAsk::FillDown:
            return fill(calibration::Direction::Down);
        case GridAsk::FillBoth:
            return fill(calibration::Direction::Both);
        case GridAsk::Soften:
            return emit softenAsked();
        case GridAsk::TakeReference:
            return emit referenceAsked();
    }
}

}  // namespace brusk::app
