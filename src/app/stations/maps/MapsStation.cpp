// Up to four panes, the bar of operations and the menus; what is done is done by the active pane.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/MapsStation.h"

#include <QActionGroup>
#include <QCursor>
#include <QFileDialog>
#include <QShortcut>
#include <algorithm>
#include <cmath>

#include "app/stations/review/Player.h"
#include "core/calibration/Cdf.h"

namespace brusk::app {

using calibration::Direction;

MapsStation::MapsStation(Desks& desks, QWidget* parent) : Station("Maps", parent), work_(desks) {
    primary()->hide();
    title()->hide();
    subtitle()->hide();
    body()->setContentsMargins(0, 0, 0, 0);
    body()->setSpacing(0);
    auto* row = new QHBoxLayout;
    row->setSpacing(0);
    auto* left = new QVBoxLayout;
    finder_ = new FinderPanel(work_);
    left->addWidget(finder_, 1);
    makeFamilyStrip(left);
    row->addLayout(left);

    auto* column = new QVBoxLayout;
    column->setContentsMargins(6, 8, 6, 4);
    column->setSpacing(4);
    makeBar(column);
    respace_ = new RespacePanel(work_);
    column->addWidget(respace_);
    bench_ = new QSplitter(Qt::Vertical);
    upper_ = new QSplitter(Qt::Horizontal);
    lower_ = new QSplitter(Qt::Horizontal);
    bench_->addWidget(upper_);
    bench_->addWidget(lower_);
    for (QSplitter* splitter : {bench_, upper_, lower_})
        splitter->setChildrenCollapsible(false);
    column->addWidget(bench_, 1);
    column->addWidget(makePlayBar(desks, "Maps"));
    empty_ = label(tr("Read the controller on the Car station; its parameters appear here."), "faint");
    column->addWidget(empty_);
    row->addLayout(column, 1);

    side_ = new QStackedWidget;
    card_ = new ParameterCard(work_);
    definitionPanel_ = new DefinitionPanel(work_);
    side_->addWidget(card_);
    side_->addWidget(definitionPanel_);
    row->addWidget(side_);
    body()->addLayout(row, 1);
    showDefinitionWork(false);

    connect(finder_, &FinderPanel::opened, this, [this](const QString& name, bool beside) {
        open(name, beside);
        active_->grid()->setFocus();
    });
    connect(finder_, &FinderPanel::chosenChanged, this, &MapsStation::familyChanged);
    connect(card_, &ParameterCard::nameFollowed, this, [this](const QString& name) { open(name); });
    connect(card_, &ParameterCard::searched, finder_, &FinderPanel::lookFor);
    connect(card_, &ParameterCard::definitionAsked, this, [this] { showDefinitionWork(true); });
    connect(&work_, &MapsWork::roleWanted, this, [this](const QString& role) {
        showDefinitionWork(true);
        definitionPanel_->showRoles(role);
    });
    connect(definitionPanel_, &DefinitionPanel::closed, this, [this] { showDefinitionWork(false); });
    for (auto asked : {&DefinitionPanel::made, &DefinitionPanel::nameFollowed})
        connect(definitionPanel_, asked, this, [this](const QString& name) { open(name); });
    connect(&work_, &MapsWork::changed, this, &MapsStation::reload);
    connect(&work_, &MapsWork::nowMoved, this, [this] {
        if (!isVisible()) return;
        for (ParameterPane* pane : panes_)
            pane->refreshHere();
    });
    makeShortcuts();
    activate(addPane());
    reload();
}

// --- the bar of operations

void MapsStation::makeBar(QVBoxLayout* column) {
    bar_ = new QWidget;
    auto* bar = new QHBoxLayout(bar_);
    bar->setContentsMargins(8, 0, 8, 0);
    bar->setSpacing(4);
    amount_ = new QLineEdit;
    amount_->setObjectName("amount");
    amount_->setMinimumWidth(44);
    amount_->setMaximumWidth(80);
    amount_->setPlaceholderText(tr("amount"));
    amount_->setAlignment(Qt::AlignRight);
    bar->addWidget(amount_);
    set_ = new QPushButton(tr("Set"));
    add_ = new QPushButton(tr("Add"));
    scale_ = new QPushButton(tr("Scale"));
    undo_ = new QPushButton("\u21b6");
    redo_ = new QPushButton("\u21b7");
    undo_->setAccessibleName(tr("Undo"));
    redo_->setAccessibleName(tr("Redo"));
    for (auto [button, name, prefix, tip] : {std::tuple{set_, "set", "", "Set the selected cells to the amount"},
                                             {add_, "add", "+", "Add the amount to the selected cells"},
                                             {scale_, "scale", "x", "Multiply the selected cells by the amount"}}) {
        button->setObjectName(name);
        button->setToolTip(tip);
        connect(button, &QPushButton::clicked, this, [this, prefix = prefix] { askAmount(prefix); });
        bar->addWidget(button);
    }
    bar->addStretch();
    auto* strengthName = label(tr("strength"), "faint");
    bar->addWidget(strengthName);
    auto* line = new QHBoxLayout;
    line->setContentsMargins(8, 0, 10, 0);
    line->setSpacing(4);
    makeMenus(line);
    bar->addWidget(strength_);
    undo_->setObjectName("undo");
    redo_->setObjectName("redo");
    bar->addWidget(undo_);
    bar->addWidget(redo_);
    connect(undo_, &QPushButton::clicked, &work_, &MapsWork::undo);
    connect(redo_, &QPushButton::clicked, &work_, &MapsWork::redo);
    for (QPushButton* button : bar_->findChildren<QPushButton*>())
        button->setStyleSheet("padding: 4px 7px;");
    // In a narrow bench the amount gives way, never a word on a button.
    for (QAbstractButton* button : bar_->findChildren<QAbstractButton*>()) {
        button->ensurePolished();
        button->setMinimumWidth(button->sizeHint().width());
    }
    selection_ = new ElidedLabel("faint");
    selection_->setObjectName("selection");
    column->addWidget(bar_);
    line->addSpacing(6);
    line->addWidget(selection_, 1);
    column->addLayout(line);
}

void MapsStation::makeMenus(QHBoxLayout* row) {
    const auto menuButton = [&](const QString& name, const QString& text) {
        auto* button = new QToolButton;
        button->setObjectName(name + "Menu");
        button->setText(text + " \u25be");
        button->setPopupMode(QToolButton::InstantPopup);
        button->setStyleSheet("padding: 4px 7px;");
        auto* menu = new QMenu(button);
        button->setMenu(menu);
        menus_[name] = menu;
        row->addWidget(button);
        return menu;
    };
    const auto item = [this](QMenu* menu, const char* object, const QString& text, auto call) {
        auto* action = menu->addAction(text);
        action->setObjectName(object);
        connect(action, &QAction::triggered, this, call);
        return action;
    };
    auto* shape = menuButton("shape", "Shape");
    item(shape, "fillAcross", "Fill between, across\tF \u2192", [this] { active_->fill(Direction::Across); });
    item(shape, "fillDown", "Fill between, down\tF \u2193", [this] { active_->fill(Direction::Down); });
    item(shape, "fillBoth", "Fill between, both ways\tF F", [this] { active_->fill(Direction::Both); });
    item(shape, "soften", "Soften\tG", [this] { active_->soften(strength()); });
    shape->addSeparator();
    item(shape, "respaceX", "Re-space the axis across \u2026", [this] { respace_->begin(active_, 0); });
    item(shape, "respaceY", "Re-space the axis down \u2026", [this] { respace_->begin(active_, 1); });
    shape->addSeparator();
    auto* hardware = shape->addAction(tr("Edit up to the hardware's limits"));
    hardware->setObjectName("hardwareLimits");
    hardware->setCheckable(true);
    hardware->setToolTip(tr("Beyond the usual limits, where the definition knows what the hardware bears"));
    connect(hardware, &QAction::toggled, &work_, &MapsWork::setHardwareLimits);
    auto* copy = menuButton("copy", "Copy");
    item(copy, "copyCells", "Copy\tCtrl+C", [this] { active_->copy(false); });
    item(copy, "copyWithBreakpoints", "Copy with breakpoints\tCtrl+Shift+C", [this] { active_->copy(true); });
    item(copy, "paste", "Paste\tCtrl+V", [this] { active_->paste(); });
    item(copy, "pasteFactors", "Paste as factors\tCtrl+Shift+V", [this] { active_->pasteFactors(strength()); });
    copy->addSeparator();
    item(copy, "exportCdf", "Save values as CDF \u2026", [this] {
        const QString path = QFileDialog::getSaveFileName(this, "Values as ASAM CDF 2.0", {}, "CDF 2.0 (*.cdfx)");
        if (!path.isEmpty()) exportCdf(path);
    });
    item(copy, "importCdf", "Take values from CDF \u2026", [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, "Values from ASAM CDF 2.0", {}, "CDF 2.0 (*.cdfx *.xml);;All files (*)");
        if (!path.isEmpty()) importCdf(path);
    });
    auto* reference = menuButton("reference", "Reference");
    connect(reference, &QMenu::aboutToShow, this, &MapsStation::fillReferenceMenu);
    difference_ = new QAction("Show the difference", this);
    difference_->setObjectName("showDifference");
    difference_->setCheckable(true);
    difference_->setShortcut(QKeySequence("Ctrl+Shift+D"));
    difference_->setShortcutContext(Qt::WidgetWithChildrenShortcut);
    addAction(difference_);
    connect(difference_, &QAction::toggled, this, [this](bool on) {
        if (on && active_->referenceValues().empty()) {
            work_.say(active_->noReference(), true);
            return difference_->setChecked(false);
        }
        active_->setShowsDifference(on);
        refreshBar();
    });
    fillReferenceMenu();
    strength_ = new QComboBox;
    strength_->setObjectName("strength");
    strength_->addItems({"100 %", "75 %", "50 %", "25 %", "10 %"});
    strength_->setToolTip(tr("Strength of softening, factors and taking from the reference"));
    strength_->setAccessibleName(tr("Strength"));
    strength_->setMinimumWidth(82);
    strength_->setStyleSheet("padding: 2px 7px;");
}

void MapsStation::fillReferenceMenu() {
    QMenu* menu = menus_["reference"];
    menu->clear();
    const auto item = [&](const char* object, const QString& text, auto call) {
        auto* action = menu->addAction(text);
        action->setObjectName(object);
        connect(action, &QAction::triggered, this, call);
        return action;
    };
    auto* group = new QActionGroup(menu);
    for (const auto& [key, name] : work_.referenceChoices()) {
        auto* action = menu->addAction(name);
        action->setCheckable(true);
        action->setChecked(key == work_.referenceKey());
        group->addAction(action);
        connect(action, &QAction::triggered, this, [this, key = key] { work_.setReference(key); });
    }
    menu->addSeparator();
    menu->addAction(difference_);
    item("takeReference", "Take the selection from it\tR", [this] { active_->takeReference(strength()); });
    const auto takeWhole = [this](bool axes) {
        const auto* donor = work_.reference();
        if (!donor || !work_.calibration() || !active_->readable())
            return work_.say(tr("There is no reference to take from."), true);
        calibration::TransferOptions options;
        options.axes = axes;
        options.strength = strength();
        forFamily(calibration::transfer(*work_.calibration(), *donor, {active_->parameter().toStdString()}, options,
                                        "take " + active_->table().parameter->title() + (axes ? " with its axes" : "") +
                                            " from " + work_.referenceName().toStdString()));
    };
    item("takeWhole", "Take all of it, resampled", [takeWhole] { takeWhole(false); });
    item("takeWithAxes", "Take all of it with its breakpoints", [takeWhole] { takeWhole(true); });
    menu->addSeparator();
    item("addDonor", "Add a donor \u2026", [this] { chooseDonor(false); });
    item("addDonorDefinition", "Add a donor with a definition of its own \u2026", [this] { chooseDonor(true); });
}

void MapsStation::chooseDonor(bool ownDefinition) {
    const QString image = QFileDialog::getOpenFileName(this, "A donor's image", {},
                                                       "Images (*.hex *.s19 *.srec *.mot *.bin);;All files (*)");
    if (image.isEmpty()) return;
    QString definition;
    if (ownDefinition) {
        definition =
            QFileDialog::getOpenFileName(this, "The donor's definition", {}, "ASAM A2L (*.a2l);;All files (*)");
        if (definition.isEmpty()) return;
    }
    addDonorFile(image, definition);
}

void MapsStation::addDonorFile(const QString& image, const QString& definition) {
    if (auto done = work_.addDonor(image.toStdString(), definition.toStdString()); !done)
        return work_.say(QString::fromStdString(done.error().text()), true);
    work_.say(tr("Holding ") + work_.referenceName() + tr(" beside this calibration."));
}

void MapsStation::exportCdf(const QString& path) {
    if (work_.isToLookAt()) return work_.say(tr("This round came sealed: it may be looked at, not exported."), true);
    if (!work_.calibration() || !work_.files()) return;
    std::vector<std::string> names, leftOut;
    for (const QString& name : finder_->chosen())
        names.push_back(name.toStdString());
    if (names.size() < 2) names = {active_->parameter().toStdString()};
    const auto text = calibration::writeCdf(*work_.calibration(), names, leftOut);
    if (!text) return work_.say(QString::fromStdString(text.error().text()), true);
    if (auto done = (*work_.files()).save(path.toStdString(), asBytes(*text)); !done)
        return work_.say(QString::fromStdString(done.error().text()), true);
    work_.say(tr("Saved %1 parameters to %2.%3")
                  .arg(names.size() - leftOut.size())
                  .arg(path.section('/', -1),
                       leftOut.empty() ? QString() : " Left out: " + QString::fromStdString(leftOut[0])),
              !leftOut.empty());
}

void MapsStation::importCdf(const QString& path) {
    if (!work_.calibration() || !work_.files()) return;
    const auto text = (*work_.files()).read(path.toStdString());
    if (!text) return work_.say(QString::fromStdString(text.error().text()), true);
    const auto contents = calibration::readCdf(std::string(asText(*text)));
    if (!contents)
        return work_.say(path.section('/', -1) + ": " + QString::fromStdString(contents.error().text()), true);
    auto plan = calibration::transferTables(*work_.calibration(), contents->tables, {},
                                            "take values from " + path.section('/', -1).toStdString());
    // What the file itself held back is told like what did not fit.
    for (const auto& d : contents->diagnostics)
        plan.lines.push_back({"",
                              calibration::TransferLine::Outcome::NotPossible,
                              0,
                              0,
                              {},
                              "Line " + std::to_string(d.line) + ": " + d.message});
    forFamily(std::move(plan));
}

double MapsStation::strength() const {
    return strength_->currentText().section(' ', 0, 0).toDouble() / 100;
}

void MapsStation::askAmount(const QString& prefix) {
    const QString amount = amount_->text().trimmed();
    if (amount.isEmpty()) {
        amount_->setFocus();
        return work_.say(tr("Type an amount first."), false);
    }
    active_->operate(prefix + amount);
}

void MapsStation::makeShortcuts() {
    const auto on = [this](const char* keys, auto call) {
        auto* shortcut = new QShortcut(QKeySequence(keys), this);
        shortcut->setContext(Qt::WidgetWithChildrenShortcut);
        connect(shortcut, &QShortcut::activated, this, call);
    };
    on("Ctrl+Z", [this] { work_.undo(); });
    on("Ctrl+Shift+Z", [this] { work_.redo(); });
    on("Ctrl+Y", [this] { work_.redo(); });
    on("Ctrl+F", [this] { finder_->focusFinder(); });
    on("Ctrl+W", [this] { closePane(active_); });
    on("Ctrl+P", [this] { work_.playOrHalt(); });
    on("F3", [this] { finder_->lookFor(nameUnderPointer()); });
    on("Ctrl+1", [this] { active_->setPicture(ParameterPane::Picture::Profiles); });
    on("Ctrl+2", [this] { active_->setPicture(ParameterPane::Picture::Surface); });
    on("Ctrl+0", [this] { active_->setPicture(ParameterPane::Picture::None); });
    on("F6", [this] {
        const auto at = panes_.indexOf(active_);
        activate(panes_[(at + 1) % panes_.size()]);
        active_->grid()->setFocus();
    });
}

QString MapsStation::nameUnderPointer() const {
    const QPoint at = QCursor::pos();
    for (ParameterPane* pane : panes_)
        if (const QPoint inside = pane->grid()->mapFromGlobal(at); pane->grid()->rect().contains(inside))
            return pane->nameAt(inside);
    if (card_->isVisible())
        if (QString name = card_->nameAt(at); !name.isEmpty()) return name;
    return active_->parameter();
}

// --- what is done to several parameters at a time

void MapsStation::makeFamilyStrip(QVBoxLayout* column) {
    family_ = new QFrame;
    family_->setObjectName("family");
    family_->setFixedWidth(222);
    auto* inside = new QVBoxLayout(family_);
    inside->setContentsMargins(10, 4, 8, 8);
    inside->setSpacing(5);
    familyCount_ = label({}, "heading");
    inside->addWidget(familyCount_);
    auto* row = new QHBoxLayout;
    familyAmount_ = new QLineEdit;
    familyAmount_->setObjectName("familyAmount");
    familyAmount_->setPlaceholderText("+2, x1.05, -3%");
    auto* apply = new QPushButton(tr("To all"));
    apply->setObjectName("familyApply");
    apply->setToolTip(tr("Do this to every cell of all that are chosen"));
    row->addWidget(familyAmount_, 1);
    row->addWidget(apply);
    inside->addLayout(row);
    auto* alike = new QPushButton(tr("Fill all like the open one"));
    alike->setObjectName("familyAlike");
    auto* donor = new QPushButton(tr("Take all from the reference"));
    donor->setObjectName("familyDonor");
    inside->addWidget(alike);
    inside->addWidget(donor);
    column->addWidget(family_);
    family_->hide();
    const auto names = [this] {
        std::vector<std::string> out;
        for (const QString& name : finder_->chosen())
            out.push_back(name.toStdString());
        return out;
    };
    const auto title = [names](const std::string& what) {
        return what + ", " + std::to_string(names().size()) + " parameters";
    };
    connect(familyAmount_, &QLineEdit::returnPressed, apply, &QPushButton::click);
    connect(apply, &QPushButton::clicked, this, [this, names, title] {
        const auto operation = calibration::parseOperation(familyAmount_->text().toStdString());
        if (!operation)
            return work_.say("\"" + familyAmount_->text() + tr("\" is not a number, +2, x1.05 or -3%."), true);
        if (work_.calibration())
            forFamily(
                calibration::operateOnAll(*work_.calibration(), *operation, names(), title(operation->describe())));
    });
    connect(alike, &QPushButton::clicked, this, [this, names, title] {
        if (!work_.calibration() || !active_->readable()) return;
        calibration::TransferOptions options;
        options.strength = strength();
        forFamily(calibration::fillAlike(*work_.calibration(), active_->table(), names(), options,
                                         title("fill like " + active_->table().parameter->title())));
    });
    connect(donor, &QPushButton::clicked, this, [this, names, title] {
        if (!work_.calibration() || !work_.reference())
            return work_.say(tr("There is no reference to take from."), true);
        calibration::TransferOptions options;
        options.strength = strength();
        forFamily(calibration::transfer(*work_.calibration(), *work_.reference(), names(), options,
                                        title("take from " + work_.referenceName().toStdString())));
    });
}

void MapsStation::familyChanged() {
    const auto count = finder_->chosen().size();
    family_->setVisible(count > 1);
    familyCount_->setText(QString("%1 chosen").arg(count));
}

void MapsStation::forFamily(calibration::Transfer plan) {
    QStringList remarks;
    int changed = 0;
    for (const auto& line : plan.lines) {
        changed += line.cells > 0;
        const bool failed = line.outcome == calibration::TransferLine::Outcome::NotPossible;
        if (failed || (plan.lines.size() == 1 && !line.remark.empty())) remarks << QString::fromStdString(line.remark);
        if (plan.lines.size() == 1 && line.outcome == calibration::TransferLine::Outcome::Resampled)
            remarks << tr("Resampled; it lies within %1 of the donor's surface.").arg(line.error.largest, 0, 'g', 3);
    }
    const bool any = !plan.edit.empty();
    if (any)
        if (auto done = work_.edit(plan.edit); !done)
            return work_.say(QString::fromStdString(done.error().text()), true);
    QString said = any ? QString::fromStdString(plan.edit.name) +
                             (plan.lines.size() > 1 ? tr(": %1 changed").arg(changed) : QString())
                       : tr("Nothing changed");
    if (plan.edit.clamped) said += tr("; %1 cells held at a limit").arg(plan.edit.clamped);
    work_.say(said + (remarks.isEmpty() ? "." : ". " + remarks.mid(0, 3).join(" ")),
              std::any_of(plan.lines.begin(), plan.lines.end(), [](const auto& line) {
                  return line.outcome == calibration::TransferLine::Outcome::NotPossible;
              }));
}

// --- the bench

ParameterPane* MapsStation::addPane() {
    const QString suffix = panes_.isEmpty() ? QString() : QString::number(panes_.size() + 1);
    auto* pane = new ParameterPane(work_, suffix);
    panes_ << pane;
    connect(pane, &ParameterPane::activated, this, [this, pane] { activate(pane); });
    connect(pane, &ParameterPane::closeAsked, this, [this, pane] { closePane(pane); });
    connect(pane, &ParameterPane::pinAsked, this, [this, pane](bool on) { finder_->setPinned(pane->parameter(), on); });
    connect(pane, &ParameterPane::softenAsked, this, [this, pane] { pane->soften(strength()); });
    connect(pane, &ParameterPane::factorsAsked, this, [this, pane] { pane->pasteFactors(strength()); });
    connect(pane, &ParameterPane::referenceAsked, this, [this, pane] { pane->takeReference(strength()); });
    connect(pane, &ParameterPane::selectionMoved, this, [this, pane] {
        if (pane == active_) refreshBar();
    });
    arrange();
    return pane;
}

void MapsStation::arrange() {
    // One fills the bench, two lie over each other, three and four in two rows.
    for (int i = 0; i < panes_.size(); ++i) {
        const bool below = panes_.size() == 2 ? i == 1 : i >= 2;
        (below ? lower_ : upper_)->addWidget(panes_[i]);
    }
    lower_->setVisible(panes_.size() > 1);
    for (ParameterPane* pane : panes_)
        pane->setActive(pane == active_ && panes_.size() > 1);
}

void MapsStation::closePane(ParameterPane* pane) {
    if (panes_.size() < 2) return work_.say(tr("One parameter always stays open."));
    panes_.removeAll(pane);
    pane->hide();
    pane->deleteLater();
    if (active_ == pane) activate(panes_.first());
    arrange();
}

void MapsStation::activate(ParameterPane* pane) {
    if (active_ == pane) return;
    active_ = pane;
    for (ParameterPane* other : panes_)
        other->setActive(other == pane && panes_.size() > 1);
    difference_->blockSignals(true);
    difference_->setChecked(pane->showsDifference());
    difference_->blockSignals(false);
    refreshBar();
}

void MapsStation::open(const QString& parameter, bool beside) {
    // On a full bench the next one makes room.
    if (beside && panes_.size() == kMostPanes)
        activate(panes_[(panes_.indexOf(active_) + 1) % kMostPanes]);
    else if (beside && !active_->parameter().isEmpty())
        activate(addPane());
    active_->open(parameter);
    active_->setPinned(finder_->isPinned(parameter));
    finder_->noteOpened(parameter);
}

void MapsStation::shown() {
    finder_->focusFinder();
    if (stale_) reload();
}

void MapsStation::reload() {
    // Nobody sees it: the work is done when somebody does.
    stale_ = !isVisible() && active_ && !active_->parameter().isEmpty() && work_.calibration();
    if (stale_) return;
    const auto* calibration = work_.calibration();
    if (active_->parameter().isEmpty() && calibration)
        if (const auto* ve = calibration->definition().parameterWithRole("ve_map"))
            active_->open(QString::fromStdString(ve->name));
    empty_->setVisible(!calibration);
    bench_->setVisible(calibration);
    bar_->setEnabled(calibration);
    for (ParameterPane* pane : panes_)
        pane->reload();
    if (definitionPanel_->isVisible()) definitionPanel_->showParameter(active_->parameter());
    refreshBar();
}

void MapsStation::refreshBar() {
    undo_->setEnabled(work_.history().canUndo());
    redo_->setEnabled(work_.history().canRedo());
    undo_->setToolTip(tr("Undo: ") + QString::fromStdString(work_.history().undoName()) + tr(" (Ctrl+Z)"));
    redo_->setToolTip(tr("Redo: ") + QString::fromStdString(work_.history().redoName()) + tr(" (Ctrl+Shift+Z)"));
    card_->show(active_);
    if (definitionPanel_->isVisible() && active_) definitionPanel_->showParameter(active_->parameter());
    QString text;
    if (active_ && active_->readable() && !active_->table().values.empty()) {
        const auto& t = active_->table();
        const auto cells = active_->grid()->selectedCells();
        double least = INFINITY, most = -INFINITY, sum = 0;
        for (const size_t i : cells)
            if (i < t.values.size()) {
                const double v = active_->shown()(t.values[i]);
                least = std::min(least, v), most = std::max(most, v), sum += v;
            }
        const int decimals = active_->shown().decimals(t.decimals);
        if (cells.size() > 1)
            text = tr("%1 cells \u00b7 %2 to %3 \u00b7 mean %4")
                       .arg(cells.size())
                       .arg(least, 0, 'f', decimals)
                       .arg(most, 0, 'f', decimals)
                       .arg(sum / static_cast<double>(cells.size()), 0, 'f', decimals);
        if (active_->showsDifference())
            text += tr("%1difference to %2").arg(text.isEmpty() ? "" : " \u00b7 ", work_.referenceName());
        else if (!active_->ridges().empty())
            text += tr("%1%2 cells stand out of their neighbours")
                        .arg(text.isEmpty() ? "" : " \u00b7 ")
                        .arg(active_->ridges().size());
    }
    selection_->setText(text);
}

void MapsStation::showDefinitionWork(bool on) {
    side_->setCurrentWidget(on ? static_cast<QWidget*>(definitionPanel_) : card_);
    side_->setFixedWidth(on ? 316 : 252);
    if (on) definitionPanel_->showParameter(active_->parameter());
}

}  // namespace brusk::app
