// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/MapsStation.h"

#include <QHeaderView>
#include <QShortcut>
#include <algorithm>
#include <cmath>

#include "core/base/Text.h"

namespace brusk::app {

namespace {
using definition::Parameter;

QString shapeOf(const Parameter& p) {
    if (p.kind == Parameter::Kind::Map) return QString("%1 \u00d7 %2").arg(p.axes[0].points).arg(p.axes[1].points);
    if (p.kind == Parameter::Kind::Curve) return QString::number(p.axes[0].points);
    return QString::fromUtf8(definition::kindName(p.kind).data());
}
}  // namespace

MapsStation::MapsStation(Session& session, QWidget* parent) : Station("Maps", parent), session_(session) {
    primary()->hide();
    title()->hide();
    subtitle()->hide();
    body()->setContentsMargins(0, 0, 0, 0);
    body()->setSpacing(0);
    auto* row = new QHBoxLayout;
    row->setSpacing(0);
    makeFinder(row);
    makeBench(row);
    makeCard(row);
    body()->addLayout(row, 1);
    connect(&session_, &Session::calibrationChanged, this, &MapsStation::reload);
    connect(&session_, &Session::folderChanged, this, &MapsStation::find);
    connect(&session_, &Session::linkChanged, this, [this] {
        if (tree_->topLevelItemCount() == 0) find();
    });
    connect(&session_, &Session::roundSelected, this, [this] {
        if (tree_->topLevelItemCount() == 0) find();
        reload();
    });
    connect(&session_, &Session::liveChanged, this, &MapsStation::refreshRing);
    connect(&session_, &Session::driveChanged, this, &MapsStation::refreshRing);
    const std::pair<const char*, void (Session::*)()> shortcuts[] = {
        {"Ctrl+Z", &Session::undo}, {"Ctrl+Shift+Z", &Session::redo}, {"Ctrl+Y", &Session::redo}};
    for (const auto& [keys, call] : shortcuts) {
        auto* shortcut = new QShortcut(QKeySequence(keys), this);
        shortcut->setContext(Qt::WidgetWithChildrenShortcut);
        connect(shortcut, &QShortcut::activated, this, [this, call = call] { (session_.*call)(); });
    }
    find();
    reload();
}

void MapsStation::makeFinder(QHBoxLayout* row) {
    auto* side = new QFrame;
    side->setFixedWidth(222);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(10, 10, 8, 6);
    column->setSpacing(8);
    finder_ = new QLineEdit;
    finder_->setObjectName("finder");
    finder_->setPlaceholderText("Find a parameter");
    finder_->setClearButtonEnabled(true);
    column->addWidget(finder_);
    tree_ = new QTreeWidget;
    tree_->setObjectName("parameterTree");
    tree_->setHeaderHidden(true);
    tree_->setColumnCount(2);
    tree_->setIndentation(10);
    tree_->setRootIsDecorated(false);
    tree_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    tree_->setTextElideMode(Qt::ElideRight);
    tree_->header()->setStretchLastSection(false);
    tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    tree_->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    column->addWidget(tree_, 1);
    row->addWidget(side);
    connect(finder_, &QLineEdit::textChanged, this, &MapsStation::find);
    connect(finder_, &QLineEdit::returnPressed, this, [this] {
        for (QTreeWidgetItemIterator it(tree_); *it; ++it)
            if (!(*it)->data(0, Qt::UserRole).toString().isEmpty() && (*it)->parent()) {
                tree_->setCurrentItem(*it);
                grid_->setFocus();
                return;
            }
    });
    connect(tree_, &QTreeWidget::currentItemChanged, this, [this](QTreeWidgetItem* item) {
        if (item && !item->data(0, Qt::UserRole).toString().isEmpty()) open(item->data(0, Qt::UserRole).toString());
    });
}

void MapsStation::makeBench(QHBoxLayout* row) {
    bench_ = new QWidget;
    auto* column = new QVBoxLayout(bench_);
    column->setContentsMargins(14, 10, 14, 10);
    column->setSpacing(9);
    auto* head = new QHBoxLayout;
    name_ = label({}, "title");
    name_->setObjectName("parameterName");
    axes_ = label({}, "faint");
    head->addWidget(name_);
    head->addWidget(axes_, 1);
    column->addLayout(head);

    auto* bar = new QHBoxLayout;
    amount_ = new QLineEdit;
    amount_->setObjectName("amount");
    amount_->setFixedWidth(92);
    amount_->setPlaceholderText("amount");
    amount_->setAlignment(Qt::AlignRight);
    set_ = new QPushButton("Set");
    add_ = new QPushButton("Add");
    scale_ = new QPushButton("Scale");
    undo_ = new QPushButton("Undo");
    redo_ = new QPushButton("Redo");
    bar->addWidget(amount_);
    for (auto [button, name, tip] : {std::tuple{set_, "set", "Set the selected cells to the amount"},
                                     {add_, "add", "Add the amount to the selected cells"},
                                     {scale_, "scale", "Multiply the selected cells by the amount"},
                                     {undo_, "undo", "Ctrl+Z"},
                                     {redo_, "redo", "Ctrl+Shift+Z"}}) {
        button->setObjectName(name);
        button->setToolTip(tip);
        bar->addWidget(button);
    }
    text_ = new QLineEdit;
    text_->setObjectName("textValue");
    text_->hide();
    bar->addWidget(text_, 1);
    bar->addStretch();
    selection_ = label({}, "faint");
    bar->addWidget(selection_);
    column->addLayout(bar);
    connect(set_, &QPushButton::clicked, this, [this] { askAmount("", ""); });
    connect(add_, &QPushButton::clicked, this, [this] { askAmount("+", ""); });
    connect(scale_, &QPushButton::clicked, this, [this] { askAmount("x", ""); });
    connect(undo_, &QPushButton::clicked, &session_, &Session::undo);
    connect(redo_, &QPushButton::clicked, &session_, &Session::redo);
    connect(text_, &QLineEdit::returnPressed, this, [this] { operate(text_->text()); });

    grid_ = new MapGrid;
    grid_->setObjectName("mapGrid");
    grid_->setEditable(true);
    column->addWidget(grid_, 3);
    auto* profiles = new QHBoxLayout;
    across_ = new ProfileView;
    down_ = new ProfileView;
    profiles->addWidget(across_);
    profiles->addWidget(down_);
    column->addLayout(profiles, 2);
    empty_ = label("Read the controller on the Car station; its parameters appear here.", "faint");
    column->addWidget(empty_);
    row->addWidget(bench_, 1);
    connect(grid_, &MapGrid::typed, this, &MapsStation::operate);
    connect(grid_, &MapGrid::selectionMoved, this, [this] {
        refreshCard();
        refreshProfiles();
    });
}

void MapsStation::makeCard(QHBoxLayout* row) {
    auto* side = new QFrame;
    side->setFixedWidth(246);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(12, 12, 14, 10);
    column->setSpacing(9);
    description_ = label({}, "faint");
    description_->setWordWrap(true);
    column->addWidget(description_);
    facts_ = new Facts;
    column->addWidget(facts_);
    column->addStretch();
    row->addWidget(side);
}

void MapsStation::find() {
    const QString kept = parameter_;
    const QSignalBlocker quiet(tree_);
    tree_->clear();
    if (!session_.kit()) return;
    const auto& d = *session_.kit()->definition;
    const QStringList words = finder_->text().toLower().split(' ', Qt::SkipEmptyParts);
    QTreeWidgetItem* current = nullptr;
    for (const auto& group : d.groups) {
        if (group.parameters.empty()) continue;
        auto* top = new QTreeWidgetItem({QString::fromStdString(group.description), {}});
        for (const auto& name : group.parameters) {
            const auto* p = d.parameter(name);
            if (!p || p->kind == Parameter::Kind::AxisPoints) continue;
            const QString everything = QString::fromStdString(
                toLower(p->name + " " + p->title() + " " + p->description + " " + d.conversionOf(*p).unit + " " +
                        group.description + " " + hexAddress(p->address)));
            if (!std::all_of(words.begin(), words.end(),
                             [&](const QString& word) { return everything.contains(word); }))
                continue;
            auto* item = new QTreeWidgetItem({QString::fromStdString(p->title()), shapeOf(*p)});
            item->setData(0, Qt::UserRole, QString::fromStdString(p->name));
            item->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
            item->setForeground(1, palette().placeholderText());
            item->setToolTip(0, QString::fromStdString(p->description));
            top->addChild(item);
            if (item->data(0, Qt::UserRole).toString() == kept) current = item;
        }
        if (top->childCount() == 0) {
            delete top;
            continue;
        }
        top->setFlags(Qt::ItemIsEnabled);
        QFont bold = tree_->font();
        bold.setWeight(QFont::DemiBold);
        bold.setPixelSize(12);
        top->setFont(0, bold);
        tree_->addTopLevelItem(top);
        top->setExpanded(true);
    }
    if (current) tree_->setCurrentItem(current);
    if (parameter_.isEmpty()) {
        if (const auto* ve = d.parameterWithRole("ve_map")) open(QString::fromStdString(ve->name));
    }
}

void MapsStation::open(const QString& parameter) {
    parameter_ = parameter;
    reload();
    grid_->select(0, 0);
}

GridContents MapsStation::contentsOf(const calibration::Table& t) const {
    GridContents c;
    c.rows = t.rows;
    c.columns = t.columns;
    c.x = t.x.values;
    c.y = t.y.values;
    c.xDecimals = t.x.unit == "rpm" || t.x.values.empty() || t.x.values.back() >= 200 ? 0 : std::min(t.x.decimals, 1);
    c.yDecimals = t.y.values.empty() || t.y.values.back() >= 200 ? 0 : std::min(t.y.decimals, 1);
    c.values = t.values;
    c.decimals = t.decimals;
    c.shade = t.values.size() > 1 ? GridContents::Shade::Value : GridContents::Shade::None;
    if (reference_ && reference_->raw.size() == t.raw.size()) {
        c.differs.resize(t.raw.size());
        for (size_t i = 0; i < t.raw.size(); ++i)
            c.differs[i] = t.raw[i] != reference_->raw[i];
        if (session_.selected() && session_.selected()->state == carfolder::RoundState::Draft)
            std::swap(c.edited, c.differs);
    }
    return c;
}

void MapsStation::reload() {
    const auto* calibration = session_.calibration();
    const bool any = calibration && !parameter_.isEmpty();
    empty_->setVisible(!any);
    for (QWidget* w : std::initializer_list<QWidget*>{grid_, across_, down_, set_, add_, scale_, undo_, redo_, amount_})
        w->setVisible(any);
    text_->hide();
    if (!any) return;
    auto table = calibration->read(parameter_.toStdString());
    if (!table) return session_.say(QString::fromStdString(table.error().text()), true);
    table_ = std::move(*table);
    reference_.reset();
    if (session_.reference())
        if (auto reference = session_.reference()->read(parameter_.toStdString())) reference_ = std::move(*reference);
    const Parameter& p = *table_.parameter;
    name_->setText(QString::fromStdString(p.title()));
    QString axes = QString::fromStdString(table_.unit);
    if (!table_.x.values.empty())
        axes += QString(" \u00b7 %1 %2 across")
                    .arg(QString::fromStdString(table_.x.label).toLower(), QString::fromStdString(table_.x.unit));
    if (!table_.y.values.empty())
        axes += QString(", %1 %2 down")
                    .arg(QString::fromStdString(table_.y.label).toLower(), QString::fromStdString(table_.y.unit));
    axes_->setText(axes);
    const bool isText = p.kind == Parameter::Kind::Text;
    text_->setVisible(isText);
    if (isText) text_->setText(QString::fromStdString(table_.text));
    for (QWidget* w : std::initializer_list<QWidget*>{grid_, set_, add_, scale_, amount_})
        w->setVisible(!isText);
    across_->setVisible(table_.columns > 1 && !isText);
    down_->setVisible(table_.rows > 1);
    undo_->setEnabled(session_.history().canUndo());
    redo_->setEnabled(session_.history().canRedo());
    undo_->setToolTip("Undo: " + QString::fromStdString(session_.history().undoName()) + " (Ctrl+Z)");
    grid_->setContents(contentsOf(table_));
    refreshCard();
    refreshProfiles();
}

void MapsStation::refreshProfiles() {
    if (table_.values.empty()) return;
    if (table_.columns > 1) {
        const auto row = static_cast<size_t>(grid_->currentRow());
        ProfileView::Line line;
        line.title = table_.y.values.empty() ? QString("across")
                                             : QString("across, at %1 %2")
                                                   .arg(table_.y.values[row], 0, 'f', 0)
                                                   .arg(QString::fromStdString(table_.y.unit));
        line.x = table_.x.values;
        line.decimals = table_.decimals;
        line.current = static_cast<size_t>(grid_->currentColumn());
        for (size_t c = 0; c < table_.columns; ++c) {
            line.values.push_back(table_.at(row, c));
            if (reference_ && reference_->values.size() == table_.values.size())
                line.reference.push_back(reference_->at(row, c));
        }
        across_->setLine(std::move(line));
    }
    if (table_.rows > 1) {
        const auto column = static_cast<size_t>(grid_->currentColumn());
        ProfileView::Line line;
        line.title = QString("down, at %1 %2")
                         .arg(table_.x.values[column], 0, 'f', 0)
                         .arg(QString::fromStdString(table_.x.unit));
        line.x = table_.y.values;
        line.decimals = table_.decimals;
        line.current = static_cast<size_t>(grid_->currentRow());
        for (size_t r = 0; r < table_.rows; ++r) {
            line.values.push_back(table_.at(r, column));
            if (reference_ && reference_->values.size() == table_.values.size())
                line.reference.push_back(reference_->at(r, column));
        }
        down_->setLine(std::move(line));
    }
}

void MapsStation::refreshCard() {
    if (!table_.parameter) return;
    description_->setText(QString::fromStdString(table_.parameter->description));
    facts_->clear();
    if (!table_.values.empty()) {
        const size_t cell = std::min(grid_->currentCell(), table_.values.size() - 1);
        const QString unit = " " + QString::fromStdString(table_.unit);
        const auto shown = [&](double v) { return QString::number(v, 'f', table_.decimals); };
        if (!table_.x.values.empty()) {
            QString place = QString("%1 %2")
                                .arg(table_.x.values[cell % table_.columns], 0, 'f', grid_->contents().xDecimals)
                                .arg(QString::fromStdString(table_.x.unit));
            if (!table_.y.values.empty())
                place += QString(", %1 %2")
                             .arg(table_.y.values[cell / table_.columns], 0, 'f', 0)
                             .arg(QString::fromStdString(table_.y.unit));
            facts_->set("Cell", place);
        }
        facts_->set("Value", shown(table_.values[cell]) + unit +
                                 (table_.text.empty() ? "" : " = " + QString::fromStdString(table_.text)));
        if (reference_ && reference_->values.size() == table_.values.size() &&
            reference_->raw[cell] != table_.raw[cell])
            facts_->set("In " + session_.referenceName(), shown(reference_->values[cell]) + unit);
        facts_->set("Stored",
                    QString("%1 = 0x%2")
                        .arg(table_.raw[cell], 0, 'f', 0)
                        .arg(static_cast<qulonglong>(static_cast<int64_t>(table_.raw[cell])) & 0xFFFFFFFF, 0, 16));
        facts_->set("One count", QString::number(table_.step, 'g', 3) + unit);
        facts_->set("Limits", shown(table_.lower) + " to " + shown(table_.upper));
    }
    facts_->set("Address", QString::fromStdString(hexAddress(table_.parameter->address)));
    const auto cells = grid_->selectedCells();
    double least = INFINITY, most = -INFINITY;
    for (const size_t i : cells)
        if (i < table_.values.size())
            least = std::min(least, table_.values[i]), most = std::max(most, table_.values[i]);
    selection_->setText(cells.size() > 1 ? QString("%1 cells \u00b7 %2 to %3")
                                               .arg(cells.size())
                                               .arg(least, 0, 'f', table_.decimals)
                                               .arg(most, 0, 'f', table_.decimals)
                                         : QString());
}

void MapsStation::refreshRing() {
    if (!session_.driving() || table_.x.values.size() < 2) return grid_->setRing(std::nullopt);
    const double x = session_.liveValue(table_.x.input);
    const double y = table_.y.values.empty() ? 0 : session_.liveValue(table_.y.input);
    if (std::isnan(x) || std::isnan(y)) return grid_->setRing(std::nullopt);
    grid_->setRing(QPointF(x, y));
}

void MapsStation::askAmount(const QString& prefix, const QString& suffix) {
    const QString amount = amount_->text().trimmed();
    if (amount.isEmpty()) {
        amount_->setFocus();
        return session_.say("Type an amount first.", false);
    }
    operate(prefix + amount + suffix);
}

void MapsStation::operate(const QString& text) {
    const auto* calibration = session_.calibration();
    if (!calibration || !table_.parameter) return;
    if (table_.parameter->kind == Parameter::Kind::Text) {
        const auto edit = calibration->prepareText(*table_.parameter, text.toStdString(), table_.parameter->title());
        if (!edit) return session_.say(QString::fromStdString(edit.error().text()), true);
        if (auto done = session_.edit(*edit); !done) session_.say(QString::fromStdString(done.error().text()), true);
        return;
    }
    const auto operation = calibration::parseOperation(text.toStdString());
    if (!operation) return session_.say("\"" + text + "\" is not a number, +2, x1.05 or -3%.", true);
    const auto selected = grid_->selectedCells();
    std::vector<calibration::CellValue> cells;
    cells.reserve(selected.size());
    for (const size_t i : selected)
        cells.push_back({i, operation->apply(table_.values[i])});
    // One cell must say no at a limit; of many, those beyond it are held there and counted.
    const auto atLimit = cells.size() > 1 ? calibration::AtLimit::Clamp : calibration::AtLimit::Refuse;
    const std::string name = operation->describe() + ", " + std::to_string(cells.size()) +
                             (cells.size() == 1 ? " cell of " : " cells of ") + table_.parameter->title();
    const auto edit = calibration->prepare(*table_.parameter, cells, atLimit, name);
    if (!edit) return session_.say(QString::fromStdString(edit.error().text()), true);
    if (edit->empty()) return session_.say("The stored bytes stay as they are: the change is smaller than one count.");
    const int clamped = edit->clamped;
    if (auto done = session_.edit(*edit); !done) return session_.say(QString::fromStdString(done.error().text()), true);
    session_.say(QString::fromStdString(name) + (clamped ? QString("; %1 held at the limit").arg(clamped) : QString()));
}

}  // namespace brusk::app
