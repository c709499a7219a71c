// Makes header, ledger, stations and footer and connects them with the desks; it decides nothing.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/MainWindow.h"

#include <QButtonGroup>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QMimeData>
#include <QShortcut>
#include <QStyle>

#include "app/desks/CarInHand.h"
#include "app/desks/DeliverDesk.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/FlashDesk.h"
#include "app/desks/ImportDesk.h"
#include "app/desks/LinkDesk.h"
#include "app/desks/LinkFacts.h"
#include "app/desks/Messages.h"
#include "app/desks/NextDesk.h"
#include "app/desks/OpenFolder.h"
#include "app/desks/Places.h"
#include "app/desks/RoundDesk.h"
#include "app/shell/FindAnything.h"
#include "app/shell/NextFoot.h"
#include "app/shell/SealedPage.h"
#include "app/shell/UnitsDialog.h"
#include "app/stations/base/BaseStation.h"
#include "app/stations/car/CarStation.h"
#include "app/stations/correct/CorrectStation.h"
#include "app/stations/deliver/DeliverStation.h"
#include "app/stations/drive/DriveStation.h"
#include "app/stations/flash/FlashStation.h"
#include "app/stations/maps/MapsStation.h"
#include "app/stations/review/ReviewStation.h"
#include "app/theme/Theme.h"

namespace brusk::app {

MainWindow::MainWindow(Desks& desks, QWidget* parent) : QMainWindow(parent), desks_(desks) {
    setWindowTitle("Brusk");
    resize(1280, 800);
    setMinimumSize(1100, 700);
    setAcceptDrops(true);
    auto* central = new QWidget;
    central->setObjectName("central");
    auto* column = new QVBoxLayout(central);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(makeHeader());
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    ledger_ = new Ledger(desks_);
    next_ = new NextFoot;
    auto* spine = new QVBoxLayout;
    spine->setSpacing(0);
    spine->addWidget(ledger_, 1);
    spine->addWidget(next_);
    middle->addLayout(spine);
    auto* right = new QVBoxLayout;
    right->setSpacing(0);
    messageBar_ = new QFrame;
    messageBar_->setObjectName("messageBar");
    auto* messageRow = new QHBoxLayout(messageBar_);
    messageRow->setContentsMargins(14, 5, 8, 5);
    message_ = label({});
    message_->setObjectName("message");
    message_->setWordWrap(true);
    auto* close = new QToolButton;
    close->setProperty("flat", true);
    close->setText("\u2715");
    close->setAccessibleName(tr("Close the message"));
    messageRow->addWidget(message_, 1);
    messageRow->addWidget(close);
    messageBar_->hide();
    connect(close, &QToolButton::clicked, messageBar_, &QWidget::hide);
    // Good news goes by itself; what went wrong stays until it was read.
    messageTimer_.setSingleShot(true);
    messageTimer_.setInterval(6000);
    connect(&messageTimer_, &QTimer::timeout, messageBar_, &QWidget::hide);
    right->addWidget(messageBar_);
    stack_ = new QStackedWidget;
    right->addWidget(stack_, 1);
    middle->addLayout(right, 1);
    column->addLayout(middle, 1);
    column->addWidget(makeFooter());
    setCentralWidget(central);

    addStation("Car", new CarStation(desks_), tabs_);
    addStation("Base", new BaseStation(desks_), tabs_);
    addStation("Maps", new MapsStation(desks_), tabs_);
    addStation("Drive", new DriveStation(desks_), tabs_);
    addStation("Review", new ReviewStation(desks_), tabs_);
    addStation("Correct", new CorrectStation(desks_), tabs_);
    addStation("Flash", new FlashStation(desks_), tabs_);
    addStation("Deliver", new DeliverStation(desks_), tabs_);
    tabs_->addStretch();
    sealed_ = new SealedPage(desks_);
    stack_->addWidget(sealed_);
    connect(&desks_.round, &RoundDesk::calibrationChanged, this, [this] {
        for (int i = 0; i < stations_.size(); ++i)
            if (buttons_[i]->isChecked()) showPage(i);
    });

    connect(&desks_.car, &CarInHand::changed, this,
            [this] { carName_->setText(QString::fromStdString(desks_.folder.setting("car_name"))); });
    connect(&desks_.link, &LinkDesk::changed, this, &MainWindow::refreshLink);
    connect(&desks_.link, &LinkDesk::taskChanged, this, &MainWindow::refreshTask);
    connect(&desks_.car, &CarInHand::roundsChanged, this, &MainWindow::refreshTask);
    connect(&desks_.messages, &Messages::said, this, &MainWindow::say);
    connect(&desks_.places, &Places::wanted, this, [this](const Place& place) {
        if (!place.station.isEmpty()) showStation(place.station);
        if (place.parameter.isEmpty()) return;
        if (auto* maps = qobject_cast<MapsStation*>(station("Maps"))) maps->open(place.parameter);
    });
    for (int i = 0; i < stations_.size(); ++i) {
        auto* shortcut = new QShortcut(QKeySequence(tr("Alt+%1").arg(i + 1)), this);
        connect(shortcut, &QShortcut::activated, this, [this, i] { showStation(stations_[i].first); });
    }
    // A mark is set at once, whatever is looked at while it is driven.
    auto* mark = new QShortcut(QKeySequence("M"), this);
    mark->setAutoRepeat(false);
    connect(mark, &QShortcut::activated, this, [this] { desks_.drive.mark(); });
    for (auto signal : {&DriveDesk::noted, &DriveDesk::driveChanged})
        connect(&desks_.drive, signal, this, &MainWindow::refreshLink);
    connect(new QShortcut(QKeySequence("Ctrl+B"), this), &QShortcut::activated, this, &MainWindow::narrowLedger);
    connect(&desks_.next, &NextDesk::changed, this, &MainWindow::refreshNext);
    connect(&desks_.next, &NextDesk::folderWanted, this, &MainWindow::openFolder);
    connect(next_, &NextFoot::clicked, &desks_.next, &NextDesk::go);
    connect(new QShortcut(QKeySequence("Alt+N"), this), &QShortcut::activated, next_, &NextFoot::click);
    refreshNext();
    makeFindAnything();
    refreshLink();
    refreshTask();
    showStation("Car");
}

void MainWindow::makeFindAnything() {
    anything_ = new FindAnything(desks_, this);
    connect(new QShortcut(QKeySequence("Ctrl+K"), this), &QShortcut::activated, anything_, &FindAnything::begin);
    std::vector<FindAnything::Action> actions;
    actions.reserve(64);
    for (int i = 0; i < stations_.size(); ++i)
        actions.push_back({"Go to " + stations_[i].first, tr("Alt+%1").arg(i + 1),
                           [this, name = stations_[i].first] { showStation(name); }});
    for (QAction* action : this->actions())
        actions.push_back({action->text(), action->shortcut().toString(), [action] { action->trigger(); }});
    if (auto* maps = qobject_cast<MapsStation*>(station("Maps"))) {
        actions.push_back({"Undo", "Ctrl+Z", [maps] { maps->undo(); }});
        actions.push_back({"Redo", "Ctrl+Shift+Z", [maps] { maps->redo(); }});
        const auto onMaps = [this, maps](auto call) {
            return [this, maps, call] {
                showStation("Maps");
                call(*maps);
            };
        };
        actions.push_back({"Work on the definition", {}, onMaps([](MapsStation& m) { m.showDefinitionWork(true); })});
        for (const char* menu : {"shape", "copy", "reference"})
            for (QAction* action : maps->menu(menu)->actions())
                if (!action->objectName().isEmpty())
                    actions.push_back({action->text().section('\t', 0, 0), action->text().section('\t', 1, 1),
                                       onMaps([name = action->objectName(), menu = QString(menu)](MapsStation& m) {
                                           for (QAction* now : m.menu(menu)->actions())
                                               if (now->objectName() == name) return now->trigger();
                                       })});
    }
    anything_->setActions(std::move(actions));
}

QWidget* MainWindow::makeHeader() {
    auto* header = new QFrame;
    header->setObjectName("header");
    header->setFixedHeight(44);
    auto* row = new QHBoxLayout(header);
    row->setContentsMargins(14, 0, 10, 0);
    row->setSpacing(4);
    carName_ = label("Brusk", "heading");
    carName_->setFixedWidth(186);
    row->addWidget(carName_);
    tabs_ = new QHBoxLayout;
    tabs_->setSpacing(2);
    row->addLayout(tabs_, 1);
    linkDot_ = label("\u25cf", "faint");
    linkText_ = label(tr("No link"), "faint");
    voltage_ = label({}, "numbers");
    row->addWidget(linkDot_);
    row->addWidget(linkText_);
    row->addSpacing(6);
    row->addWidget(voltage_);
    auto* menuButton = new QToolButton;
    menuButton->setProperty("flat", true);
    menuButton->setText("\u2630");
    menuButton->setObjectName("menu");
    menuButton->setAccessibleName(tr("Menu"));
    menuButton->setToolTip(tr("Car folder, theme"));
    menuButton->setPopupMode(QToolButton::InstantPopup);
    menuButton->setStyleSheet("QToolButton::menu-indicator { image: none; }");
    auto* menu = new QMenu(menuButton);
    menu->addAction(tr("Open a car folder ..."), QKeySequence::Open, this, &MainWindow::openFolder);
    menu->addAction(tr("Open this folder again"), QKeySequence::Refresh, this, [this] {
        if (!desks_.car.folder) return;
        if (auto done = desks_.folder.open(desks_.car.folder->path()); !done)
            say(QString::fromStdString(done.error().text()), true);
    });
    menu->addAction(tr("New car folder ..."), QKeySequence::New, this, &MainWindow::newFolder);
    menu->addAction(tr("Light or dark"), QKeySequence("Ctrl+D"), this,
                    [] { Theme::instance().setDark(!tokens().dark); });
    menu->addAction(tr("Units ..."), QKeySequence(), this, [this] {
        auto* dialog = new UnitsDialog(desks_, this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        dialog->show();
    });
    menu->addAction(tr("Narrow ledger"), QKeySequence(), this, &MainWindow::narrowLedger);
    menuButton->setMenu(menu);
    addActions(menu->actions());
    row->addWidget(menuButton);
    return header;
}

QWidget* MainWindow::makeFooter() {
    auto* footer = new QFrame;
    footer->setObjectName("footer");
    footer->setFixedHeight(26);
    auto* row = new QHBoxLayout(footer);
    row->setContentsMargins(14, 0, 14, 0);
    row->setSpacing(26);
    inTheCar_ = label({});
    inTheCar_->setObjectName("inTheCar");
    task_ = label({});
    task_->setObjectName("task");
    hint_ = label({});
    row->addWidget(inTheCar_);
    row->addWidget(task_);
    row->addStretch();
    row->addWidget(hint_);
    return footer;
}

void MainWindow::addStation(const QString& name, Station* station, QHBoxLayout* tabs) {
    auto* button = new QToolButton;
    button->setProperty("tab", true);
    button->setObjectName("tab" + name);
    button->setText(name);
    button->setCheckable(true);
    button->setAutoExclusive(true);
    button->setToolTip(tr("Alt+%1").arg(stations_.size() + 1));
    tabs->addWidget(button);
    stack_->addWidget(station);
    stations_.append({name, station});
    buttons_.append(button);
    connect(button, &QToolButton::clicked, this, [this, name] { showStation(name); });
}

void MainWindow::showStation(const QString& name) {
    for (int i = 0; i < stations_.size(); ++i) {
        if (stations_[i].first != name) continue;
        if (messageTimer_.isActive()) messageBar_->hide();
        buttons_[i]->setChecked(true);
        showPage(i);
        stations_[i].second->shown();
    }
}

void MainWindow::showPage(int at) {
    const auto& [name, station] = stations_[at];
    const bool closed = sealed_->standsFor(name);
    if (closed) sealed_->standFor(name);
    stack_->setCurrentWidget(closed ? sealed_ : station);
    hint_->setText(closed ? QString() : station->hint());
}

Station* MainWindow::station(const QString& name) const {
    for (const auto& [known, station] : stations_)
        if (known == name) return station;
    return nullptr;
}

void MainWindow::refreshLink() {
    switch (desks_.link.state()) {
        case LinkState::Closed:
            setRole(linkDot_, "faint");
            linkText_->setText(tr("No link"));
            break;
        case LinkState::Connecting:
            setRole(linkDot_, "warm");
            linkText_->setText(desks_.link.name());
            break;
        case LinkState::Open:
            setRole(linkDot_, desks_.drive.waiting().isEmpty() ? "good" : "warm");
            linkText_->setText(desks_.link.name());
            break;
        case LinkState::Lost:
            setRole(linkDot_, "alarm");
            linkText_->setText(tr("Link lost"));
            break;
    }
    const auto* identity = desks_.link.identity();
    voltage_->setText(identity && identity->voltage > 0 && desks_.link.state() == LinkState::Open
                          ? QString::number(identity->voltage, 'f', 1) + " V"
                          : "");
    refreshTask();
}

void MainWindow::refreshNext() {
    const auto& step = desks_.next.step();
    next_->show(QString::fromStdString(step.sentence), QString::fromStdString(step.reason));
}

void MainWindow::narrowLedger() {
    ledger_->setCollapsed(!ledger_->collapsed());
    next_->setNarrow(ledger_->collapsed());
}

void MainWindow::refreshTask() {
    const auto* folder = desks_.car.folder.get();
    const bool looks = folder && !folder->mayWrite();
    // Stays when the sentence above is long gone.
    inTheCar_->setText((looks ? "Only to look. " : "") + desks_.folder.carSentence());
    inTheCar_->setToolTip(looks ? QString::fromStdString(folder->whyNot()) : QString());
    QString text;
    if (desks_.link.busy()) {
        text = taskTitle(desks_.link.task());
        const auto& p = desks_.link.progress();
        if (p.total && !desks_.drive.driving()) text = progressText(p);
    }
    task_->setText(text);
}

void MainWindow::say(const QString& sentence, bool alarm) {
    message_->setText(sentence);
    setRole(message_, alarm ? "alarm" : "");
    messageBar_->setProperty("note", alarm);
    messageBar_->setProperty("told", !alarm);
    messageBar_->style()->unpolish(messageBar_);
    messageBar_->style()->polish(messageBar_);
    messageBar_->show();
    alarm ? messageTimer_.stop() : messageTimer_.start();
}

void MainWindow::newFolder() {
    const QString path = QFileDialog::getSaveFileName(this, "A new car folder, named after the car");
    if (path.isEmpty()) return;
    const storage::Path folder = path.toStdString();
    if (auto done = desks_.folder.create(folder, folder.filename().string()); !done)
        say(QString::fromStdString(done.error().text()), true);
}

void MainWindow::openFolder() {
    const QString path = QFileDialog::getExistingDirectory(this, "Open a car folder");
    if (path.isEmpty()) return;
    if (auto done = desks_.folder.open(path.toStdString()); !done)
        say(QString::fromStdString(done.error().text()), true);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    for (const QUrl& url : event->mimeData()->urls()) {
        if (!url.isLocalFile()) continue;
        const QString path = url.toLocalFile();
        const bool fromOthers = QStringList{"sealed", "parcel", "card"}.contains(QFileInfo(path).suffix().toLower());
        showStation(fromOthers ? "Deliver" : "Review");
        if (fromOthers) return desks_.deliver.open(path.toStdString());
        return desks_.imports.open(path.toStdString());
    }
}

void MainWindow::closeEvent(QCloseEvent* event) {
    const QString held = desks_.flash.heldBy();
    if (held.isEmpty()) return event->accept();
    event->ignore();
    say(held, true);
}

}  // namespace brusk::app
