// Searches as somebody types; filters by kind, by difference and by evidence.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/FinderPanel.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QPointer>
#include <QSettings>
#include <QVBoxLayout>

#include "app/desks/Background.h"
#include "app/widgets/Panels.h"
#include "core/calibration/Compare.h"
#include "core/evidence/Drives.h"

namespace brusk::app {

using definition::Parameter;

namespace {
constexpr int kMostRecent = 8;
constexpr size_t kBuiltAtOnce = 3000;  // parameters
constexpr size_t kMostListed = 2000;
constexpr size_t kExpandBelow = 1500;  // a tree of more parameters opens closed
}  // namespace

FinderPanel::FinderPanel(MapsWork& work, QWidget* parent) : QFrame(parent), work_(work) {
    setFixedWidth(222);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(10, 10, 8, 6);
    column->setSpacing(6);
    text_ = new QLineEdit;
    text_->setObjectName("finder");
    text_->setPlaceholderText(tr("Find a parameter"));
    text_->setClearButtonEnabled(true);
    text_->setToolTip(
        tr("Any part of name, description, unit, group or address; several words.\n"
           "Enter opens the first, Ctrl+Enter beside what is open."));
    text_->installEventFilter(this);
    column->addWidget(text_);
    auto* row = new QHBoxLayout;
    filter_ = new QToolButton;
    filter_->setObjectName("filter");
    filter_->setProperty("flat", true);
    filter_->setPopupMode(QToolButton::InstantPopup);
    filter_->setToolTip(tr("Show only some kinds, what differs, what was edited, what has evidence"));
    count_ = label({}, "faint");
    row->addWidget(filter_);
    row->addStretch();
    row->addWidget(count_);
    column->addLayout(row);
    makeFilterMenu();
    model_ = new FinderModel(this);
    view_ = new QTreeView;
    view_->setObjectName("parameterTree");
    view_->setModel(model_);
    view_->setHeaderHidden(true);
    view_->setUniformRowHeights(true);
    view_->setIndentation(10);
    view_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    view_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    // Names of one family differ at their end.
    view_->setTextElideMode(Qt::ElideMiddle);
    view_->header()->setStretchLastSection(false);
    view_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    view_->header()->setSectionResizeMode(1, QHeaderView::Fixed);
    view_->header()->resizeSection(1, 66);
    view_->installEventFilter(this);
    column->addWidget(view_, 1);
    connect(text_, &QLineEdit::textChanged, this, &FinderPanel::refresh);
    connect(view_, &QTreeView::clicked, this, [this](const QModelIndex& index) {
        if (chosen().size() == 1) openIndex(index, false);
    });
    connect(view_->selectionModel(), &QItemSelectionModel::selectionChanged, this, &FinderPanel::chosenChanged);
    const QSettings kept("Brusk", "Brusk");
    pinned_ = kept.value("maps/pinned").toStringList();
    recent_ = kept.value("maps/recent").toStringList();
    connect(&work_, &MapsWork::definitionChanged, this, &FinderPanel::refresh);
    connect(&work_, &MapsWork::drivenChanged, this, [this] {
        if (evident_->isChecked()) refresh();
    });
    connect(&work_, &MapsWork::referenceChanged, this, [this] {
        if (differs_->isChecked()) refresh();
    });
    refresh();
}

void FinderPanel::makeFilterMenu() {
    auto* menu = new QMenu(filter_);
    const std::pair<const char*, std::vector<Parameter::Kind>> kinds[] = {
        {"Values, switches", {Parameter::Kind::Value}},
        {"Curves", {Parameter::Kind::Curve}},
        {"Maps", {Parameter::Kind::Map, Parameter::Kind::Cuboid}},
        {"Texts, blocks", {Parameter::Kind::Text, Parameter::Kind::Block}},
        {"Axes", {Parameter::Kind::AxisPoints}}};
    for (const auto& [name, list] : kinds) {
        auto* action = menu->addAction(name);
        action->setCheckable(true);
        connect(action, &QAction::toggled, this, [this, list = list](bool on) {
            for (const auto kind : list)
                on ? void(kinds_.insert(kind)) : void(kinds_.erase(kind));
            refresh();
        });
    }
    menu->addSeparator();
    const auto check = [&](const char* name, const char* text) {
        auto* action = menu->addAction(text);
        action->setObjectName(name);
        action->setCheckable(true);
        connect(action, &QAction::toggled, this, &FinderPanel::refresh);
        return action;
    };
    differs_ = check("filterDiffers", "Differs from the reference");
    edited_ = check("filterEdited", "Edited in this round");
    evident_ = check("filterEvidence", "Evidence in its cells");
    menu->addSeparator();
    menu->addAction(tr("Show everything"), this, [menu] {
        for (QAction* action : menu->actions())
            action->setChecked(false);
    });
    filter_->setMenu(menu);
}

void FinderPanel::refreshFilterText() {
    QStringList active;
    for (const QAction* action : filter_->menu()->actions())
        if (action->isChecked()) active << action->text().section(' ', 0, 0);
    filter_->setText(active.isEmpty()     ? tr("Filter \u25be")
                     : active.size() == 1 ? active[0] + " \u25be"
                                          : QString("%1 filters \u25be").arg(active.size()));
}

void FinderPanel::makeFinder() {
    const auto now = work_.definition();
    if (now == definition_) return;
    definition_ = now;
    finder_.reset();
    if (!now) return;
    if (now->parameters.size() < kBuiltAtOnce) {
        finder_ = std::make_shared<const definition::Finder>(now);
        return;
    }
    // A large definition takes longer than a frame to be made searchable; the tree is there meanwhile.
    work_.background().latest(
        this, [now] { return std::make_shared<const definition::Finder>(now); },
        [this, now](std::shared_ptr<const definition::Finder> made) {
            if (definition_ != now) return;
            finder_ = std::move(made);
            if (!text_->text().isEmpty()) refresh();
        });
}

bool FinderPanel::passes(const Parameter& p) const {
    if (kinds_.empty() ? p.kind == Parameter::Kind::AxisPoints && text_->text().isEmpty() : !kinds_.count(p.kind))
        return false;
    if (!evident_->isChecked()) return true;
    const auto driven = work_.driven();
    if (!driven || p.axes.empty()) return false;
    return std::all_of(p.axes.begin(), p.axes.end(), [&](const auto& axis) {
        for (size_t i = 0; i < driven->size(); ++i)
            if (driven->recording(i).find(axis.input)) return true;
        return false;
    });
}

void FinderPanel::showDifferences() {
    // Against the reference, or against the round this one came from.
    const auto parent = work_.referenceNamed("parent");
    const auto* against = edited_->isChecked() ? parent.get() : work_.reference();
    const auto* ours = work_.calibration();
    std::vector<uint32_t> rows;
    std::vector<QString> beside;
    std::set<uint32_t> found;
    const std::string text = text_->text().toStdString();
    if (finder_ && !text.empty())
        for (const auto& hit : finder_->find(text, definition_->parameters.size()).hits)
            found.insert(hit.parameter);
    if (ours && against)
        for (const auto& d : calibration::compare(*ours, *against)) {
            const auto i = static_cast<uint32_t>(d.parameter - ours->definition().parameters.data());
            if ((!text.empty() && !found.count(i)) || (!kinds_.empty() && !kinds_.count(d.parameter->kind))) continue;
            rows.push_back(i);
            beside.push_back(d.cells == 1 ? tr("1 cell") : QString("%1 cells").arg(d.cells));
        }
    count_->setText(against ? QString("%1 differ").arg(rows.size()) : tr("no reference"));
    model_->showList(definition_, std::move(rows), std::move(beside));
}

void FinderPanel::refresh() {
    makeFinder();
    refreshFilterText();
    if (!definition_) {
        model_->showList(std::make_shared<definition::Definition>(), {});
        count_->clear();
        return;
    }
    if (evident_->isChecked()) work_.loadDriven();
    if (differs_->isChecked() || edited_->isChecked()) return showDifferences();
    const std::string text = text_->text().trimmed().toStdString();
    if (text.empty()) {
        model_->showTree(definition_, indicesOf(pinned_), indicesOf(recent_),
                         [this](const Parameter& p) { return passes(p); });
        if (model_->parameters() < kExpandBelow) view_->expandAll();
        for (int row = 0; row < model_->rowCount(); ++row)
            if (model_->index(row, 0).data().toString() == "Functions of the program")
                view_->collapse(model_->index(row, 0));
        count_->setText(QString::number(model_->parameters()));
        return;
    }
    if (!finder_) return count_->setText(tr("one moment"));
    const auto found = finder_->find(text, kMostListed);
    std::vector<uint32_t> rows;
    for (const auto& hit : found.hits)
        if (passes(definition_->parameters[hit.parameter])) rows.push_back(hit.parameter);
    // Among the best, what is pinned or was open lately comes first.
    const auto liked = [&](uint32_t i) {
        const QString name = QString::fromStdString(definition_->parameters[i].name);
        return pinned_.contains(name) || recent_.contains(name);
    };
    const auto scoreOf = [&](uint32_t i) {
        for (const auto& hit : found.hits)
            if (hit.parameter == i) return hit.score;
        return 0u;
    };
    if (!rows.empty()) {
        const auto best = scoreOf(rows[0]);
        const auto end = std::find_if(rows.begin(), rows.end(), [&](uint32_t i) { return scoreOf(i) < best; });
        std::stable_partition(rows.begin(), end, liked);
    }
    count_->setText(found.guessed               ? tr("%1 like it").arg(rows.size())
                    : found.total > kMostListed ? QString("%1 of %2").arg(rows.size()).arg(found.total)
                                                : QString::number(rows.size()));
    model_->showList(definition_, std::move(rows));
}

std::vector<uint32_t> FinderPanel::indicesOf(const QStringList& names) const {
    std::vector<uint32_t> out;
    for (const QString& name : names)
        if (const Parameter* p = definition_->parameter(name.toStdString()))
            out.push_back(static_cast<uint32_t>(p - definition_->parameters.data()));
    return out;
}

QStringList FinderPanel::chosen() const {
    QStringList out;
    for (const QModelIndex& index : view_->selectionModel()->selectedRows())
        if (const Parameter* p = model_->parameter(index)) {
            const QString name = QString::fromStdString(p->name);
            if (!out.contains(name)) out << name;
        }
    return out;
}

void FinderPanel::openIndex(const QModelIndex& index, bool beside) {
    if (const Parameter* p = model_->parameter(index)) emit opened(QString::fromStdString(p->name), beside);
}

void FinderPanel::lookFor(const QString& text) {
    text_->setText(text);
    text_->setFocus();
}

void FinderPanel::focusFinder() {
    text_->setFocus();
    text_->selectAll();
}

void FinderPanel::noteOpened(const QString& parameter) {
    if (!recent_.isEmpty() && recent_[0] == parameter) return;
    recent_.removeAll(parameter);
    recent_.prepend(parameter);
    while (recent_.size() > kMostRecent)
        recent_.removeLast();
    keep();
}

void FinderPanel::setPinned(const QString& parameter, bool pinned) {
    pinned_.removeAll(parameter);
    if (pinned) pinned_.append(parameter);
    keep();
    if (text_->text().isEmpty()) refresh();
}

void FinderPanel::keep() const {
    QSettings kept("Brusk", "Brusk");
    kept.setValue("maps/pinned", pinned_);
    kept.setValue("maps/recent", recent_);
}

bool FinderPanel::eventFilter(QObject* object, QEvent* event) {
    if (event->type() != QEvent::KeyPress) return QFrame::eventFilter(object, event);
    const auto* key = static_cast<QKeyEvent*>(event);
    const bool enter = key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
    const bool beside = key->modifiers() & Qt::ControlModifier;
    if (object == text_ && enter) {
        openIndex(model_->firstParameter(), beside);
        return true;
    }
    if (object == text_ && key->key() == Qt::Key_Down) {
        view_->setFocus();
        view_->setCurrentIndex(model_->firstParameter());
        return true;
    }
    if (object == text_ && key->key() == Qt::Key_Escape && !text_->text().isEmpty()) {
        text_->clear();
        return true;
    }
    if (object == view_ && enter) {
        openIndex(view_->currentIndex(), beside);
        return true;
    }
    return QFrame::eventFilter(object, event);
}

}  // namespace brusk::app
