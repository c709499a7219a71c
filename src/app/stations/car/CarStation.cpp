// Link, controller and build sheet; the filled button is the next step.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/car/CarStation.h"

#include <QScrollArea>
#include <QSignalBlocker>

#include "app/desks/CarInHand.h"
#include "app/desks/ControllerDesk.h"
#include "app/desks/LinkDesk.h"
#include "app/desks/LinkFacts.h"
#include "app/desks/NextDesk.h"
#include "app/desks/OpenFolder.h"
#include "app/desks/RoundDesk.h"
#include "app/desks/SheetDesk.h"
#include "core/job/AnyCar.h"
#include "core/link/SocketCan.h"

namespace brusk::app {

namespace {
constexpr int kLeastCodes_px = 190;
constexpr int kBusEvery_ms = 500;
constexpr const char* kSocket = "unix:";
}  // namespace

LinkChoice::LinkChoice() {
    setObjectName("linkChoice");
    setAccessibleName(tr("Link"));
    list();
}

void LinkChoice::showPopup() {
    list();
    QComboBox::showPopup();
}

void LinkChoice::list() {
    const QString before = chosen();
    const QSignalBlocker quiet(this);
    clear();
    addItem("Bench car", "bench");
    addItem("Bench car: Crane", "bench:crane");
    for (const auto& found : link::canInterfaces())
        addItem(QString::fromStdString(found.text()), "socketcan:" + QString::fromStdString(found.name));
    addItem("Bus on a socket", kSocket);
    choose(before);
}

void LinkChoice::choose(const QString& link) {
    const int at = findData(link.startsWith(kSocket) ? QString(kSocket) : link);
    if (at >= 0) setCurrentIndex(at);
}

QString LinkChoice::advice() const {
    if (!chosen().startsWith("socketcan:")) return {};
    const std::string name = chosen().mid(10).toStdString();
    for (const auto& found : link::canInterfaces())
        if (found.name == name && !found.up) return QString::fromStdString(link::bringUpLines(name, found.isVirtual));
    return {};
}

CarStation::CarStation(Desks& desks, QWidget* parent) : Station("Car", parent), desks_(desks) {
    primary()->setObjectName("carPrimary");
    auto* columns = new QHBoxLayout;
    columns->setSpacing(12);
    // In a small window it scrolls, rather than to cut what the controller says of itself.
    auto* inside = new QWidget;
    auto* left = new QVBoxLayout(inside);
    left->setContentsMargins(0, 0, 0, 0);
    left->setSpacing(12);
    makeLinkPanel(left);
    makeIdentityPanel(left);
    codes_ = new CodesPanel(desks_);
    codes_->setMinimumHeight(kLeastCodes_px);
    left->addWidget(codes_, 1);
    left->addStretch();
    auto* room = new QScrollArea;
    room->setFrameShape(QFrame::NoFrame);
    room->setWidgetResizable(true);
    room->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    room->setWidget(inside);
    columns->addWidget(room, 5);

    auto* right = new QVBoxLayout;
    sheetPanel_ = new Panel(tr("Build sheet"));
    sheetPanel_->headRow()->addWidget(label(tr("the parts fitted; Base computes from them"), "faint"));
    sheet_ = new BuildSheetForm(
        [this](const proposals::BuildSheet& sheet) { return proposals::refusals(sheet, desks_.round.calibration()); });
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(sheet_);
    scroll->setMinimumHeight(300);
    sheetPanel_->body()->addWidget(scroll);
    right->addWidget(sheetPanel_, 3);
    obd_ = new ObdPanel(desks_);
    right->addWidget(obd_, 1);
    columns->addLayout(right, 5);
    body()->addLayout(columns, 1);

    connect(sheet_, &BuildSheetForm::changed, this, [this] { desks_.sheet.setSheet(sheet_->sheet()); });
    connect(&desks_.sheet, &SheetDesk::sheetChanged, this, [this] {
        if (const auto sheet = desks_.sheet.sheet(); !(sheet == sheet_->sheet())) sheet_->setSheet(sheet);
    });
    const auto takeParts = [this] { sheet_->setParts(desks_.sheet.parts()); };
    connect(&desks_.sheet, &SheetDesk::partsChanged, this, takeParts);
    takeParts();
    connect(sheet_, &BuildSheetForm::partKept, &desks_.sheet, &SheetDesk::keepPart);
    connect(sheet_, &BuildSheetForm::partForgotten, &desks_.sheet, &SheetDesk::forgetPart);
    connect(primary(), &QPushButton::clicked, this, &CarStation::act);
    connect(&desks_.car, &CarInHand::changed, this, [this] {
        sheet_->setSheet(desks_.sheet.sheet());
        const QString kept = QString::fromStdString(desks_.folder.setting("link"));
        linkChoice_->choose(kept);
        if (kept.startsWith(kSocket)) socketPath_->setText(kept.mid(5));
        refresh();
    });
    for (auto signal : {&LinkDesk::changed, &LinkDesk::taskChanged, &LinkDesk::obdChanged})
        connect(&desks_.link, signal, this, &CarStation::refresh);
    connect(&desks_.car, &CarInHand::roundsChanged, this, &CarStation::refresh);
    connect(&desks_.next, &NextDesk::changed, this, &CarStation::refreshButtons);
    busTimer_.setInterval(kBusEvery_ms);
    connect(&busTimer_, &QTimer::timeout, this, [this] {
        if (isVisible()) refreshBus();
    });
    busTimer_.start();
    refresh();
}

void CarStation::shown() {
    if (desks_.link.state() != LinkState::Open) linkChoice_->list();
    refresh();
}

void CarStation::makeLinkPanel(QVBoxLayout* column) {
    auto* panel = new Panel(tr("Link"));
    auto* row = new QHBoxLayout;
    linkChoice_ = new LinkChoice;
    socketPath_ = new QLineEdit;
    socketPath_->setObjectName("socketPath");
    socketPath_->setPlaceholderText("/tmp/brusk-bus");
    socketPath_->setToolTip(tr("The Unix-domain socket that brusk-benchcar listens on"));
    row->addWidget(linkChoice_);
    row->addWidget(socketPath_, 1);
    cable_ = new QPushButton(tr("Pull the cable"));
    cable_->setObjectName("cable");
    cable_->setToolTip(tr("Bench car only: what happens when the link goes"));
    disconnect_ = new QPushButton(tr("Disconnect"));
    disconnect_->setObjectName("disconnect");
    row->addStretch();
    row->addWidget(cable_);
    row->addWidget(disconnect_);
    panel->body()->addLayout(row);
    linkState_ = label({}, "faint");
    linkState_->setObjectName("linkState");
    linkState_->setWordWrap(true);
    panel->body()->addWidget(linkState_);
    bus_ = label({}, "numbers");
    bus_->setObjectName("busState");
    bus_->setToolTip(
        tr("Bitrate, share of the wire in use over the last second, error frames and lost frames since the "
           "link was opened"));
    panel->body()->addWidget(bus_);
    ipLines_ = label({}, "numbers");
    ipLines_->setObjectName("ipLines");
    ipLines_->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
    ipLines_->setToolTip(tr("What to type in a terminal, as root, to bring the interface up"));
    panel->body()->addWidget(ipLines_);
    column->addWidget(panel);
    connect(linkChoice_, &QComboBox::currentIndexChanged, this, &CarStation::refresh);
    connect(cable_, &QPushButton::clicked, this,
            [this] { desks_.link.setBenchCable(!desks_.link.benchCablePlugged()); });
    connect(disconnect_, &QPushButton::clicked, this, [this] { desks_.link.disconnectLink(); });
}

void CarStation::makeIdentityPanel(QVBoxLayout* column) {
    auto* panel = new Panel(tr("Controller"));
    controllerPanel_ = panel;
    readAgain_ = new QPushButton(tr("Read again"));
    readAgain_->setObjectName("readAgain");
    readAgain_->setToolTip(tr("The whole memory once more, held against the ledger"));
    calibrationOnly_ = new QPushButton(tr("Read calibration"));
    calibrationOnly_->setObjectName("readCalibration");
    calibrationOnly_->setToolTip(
        tr("A quarter of the memory: what a tuner changes. The rest stays as the ledger has it."));
    compare_ = new QPushButton(tr("Compare"));
    compare_->setObjectName("compareLedger");
    compare_->setToolTip(
        tr("With the ledger: asks the controller for the checksum of every sector; takes a moment, changes nothing."));
    auto* again = new QHBoxLayout;
    for (QPushButton* button : {readAgain_, calibrationOnly_, compare_})
        again->addWidget(button);
    again->addStretch();
    panel->body()->addLayout(again);
    mismatch_ = label({}, "alarm");
    mismatch_->setObjectName("mismatch");
    mismatch_->setWordWrap(true);
    panel->body()->addWidget(mismatch_);
    identity_ = new Facts;
    panel->body()->addWidget(identity_);
    inTheCar_ = label({});
    inTheCar_->setObjectName("carNow");
    inTheCar_->setWordWrap(true);
    panel->body()->addWidget(inTheCar_);
    progressBox_ = new QWidget;
    auto* box = new QVBoxLayout(progressBox_);
    box->setContentsMargins(0, 4, 0, 0);
    progressText_ = label({}, "numbers");
    progressText_->setObjectName("readProgress");
    progress_ = new QProgressBar;
    progress_->setTextVisible(false);
    progress_->setMaximum(1000);
    box->addWidget(progressText_);
    box->addWidget(progress_);
    auto* stopping = label(
        tr("Ignition on, charger connected. Stopping keeps what was read; the next read goes on from there."), "faint");
    stopping->setWordWrap(true);
    box->addWidget(stopping);
    progressBox_->hide();
    panel->body()->addWidget(progressBox_);
    column->addWidget(panel);
    connect(compare_, &QPushButton::clicked, this, [this] { desks_.controller.checkAgainstLedger(); });
    connect(readAgain_, &QPushButton::clicked, this, [this] { desks_.controller.read(); });
    connect(calibrationOnly_, &QPushButton::clicked, this,
            [this] { desks_.controller.read(job::ReadScope::Calibration); });
}

QString CarStation::chosenLink() const {
    if (linkChoice_->chosen() != kSocket) return linkChoice_->chosen();
    return kSocket + (socketPath_->text().isEmpty() ? socketPath_->placeholderText() : socketPath_->text());
}

void CarStation::act() {
    if (desks_.link.busy())
        desks_.link.cancelTask();
    else if (desks_.link.state() == LinkState::Open && desks_.link.obdCar())
        desks_.controller.refreshObd(false);
    else if (desks_.link.state() == LinkState::Open && desks_.car.rounds.empty())
        desks_.controller.read();
    else if (desks_.link.state() == LinkState::Open && desks_.next.step().step == job::Step::FillSheet)
        sheet_->begin();
    else if (desks_.link.state() == LinkState::Open)
        desks_.next.go();
    else
        desks_.link.connectTo(chosenLink(), desks_.folder.kits(), desks_.folder.setting("profile"));
}

void CarStation::refreshProgress() {
    const bool reading = desks_.link.task() == Task::Read;
    progressBox_->setVisible(reading);
    if (!reading) return;
    const auto& p = desks_.link.progress();
    progress_->setValue(p.total ? static_cast<int>(p.done * 1000 / p.total) : 0);
    progressText_->setText(progressText(p));
}

void CarStation::refreshButtons() {
    const bool open = desks_.link.state() == LinkState::Open;
    const bool idle = !desks_.link.busy();
    const bool reading = desks_.link.task() == Task::Read;
    const bool anyCar = desks_.link.obdCar() != nullptr;
    const bool fits = open && !anyCar && desks_.car.mismatch.isEmpty();
    const bool known = !desks_.car.rounds.empty();
    socketPath_->setVisible(linkChoice_->chosen() == kSocket);
    linkChoice_->setEnabled(!open);
    socketPath_->setEnabled(!open);
    cable_->setVisible(desks_.link.isBenchCar());
    cable_->setText(desks_.link.benchCablePlugged() ? tr("Pull the cable") : tr("Plug the cable in"));
    disconnect_->setVisible(open && idle);
    readAgain_->setVisible(fits && known);
    readAgain_->setEnabled(idle);
    compare_->setVisible(fits && known);
    compare_->setEnabled(idle);
    calibrationOnly_->setVisible(fits && known);
    calibrationOnly_->setEnabled(idle);
    primary()->setText(reading                     ? tr("Stop reading")
                       : open && anyCar            ? tr("Ask the car again")
                       : open && (!known || !fits) ? tr("Read the controller")
                       : open                      ? QString::fromStdString(desks_.next.step().sentence)
                       : desks_.link.isBenchCar() && desks_.link.state() == LinkState::Lost ? tr("Connect again")
                                                                                            : tr("Connect"));
    primary()->setEnabled(desks_.car.folder && (idle || reading) && (!open || anyCar || fits || reading));
}

void CarStation::refreshLink() {
    switch (desks_.link.state()) {
        case LinkState::Closed:
            linkState_->setText(tr("Not connected."));
            setRole(linkState_, "faint");
            break;
        case LinkState::Connecting:
            linkState_->setText(desks_.link.text());
            setRole(linkState_, "faint");
            break;
        case LinkState::Open:
            linkState_->setText(desks_.link.text());
            setRole(linkState_, desks_.car.mismatch.isEmpty() ? "good" : "warm");
            break;
        case LinkState::Lost:
            linkState_->setText(desks_.link.text());
            setRole(linkState_, "alarm");
            break;
    }
    const QString lines = desks_.link.state() == LinkState::Open ? QString() : linkChoice_->advice();
    ipLines_->setText(lines);
    ipLines_->setVisible(!lines.isEmpty());
    refreshBus();
}

void CarStation::refreshBus() {
    const bool open = desks_.link.state() == LinkState::Open;
    bus_->setVisible(open);
    if (!open) return;
    const link::PortStatus status = desks_.link.portStatus();
    QString text = status.bitrateKnown ? QString("%1 kbit/s").arg(status.bitrate / 1000) : tr("virtual bus");
    if (const auto traffic = desks_.link.traffic()) text += tr("   bus %1 %").arg(traffic->busLoad() * 100, 0, 'f', 0);
    if (desks_.link.identity() && desks_.link.identity()->voltage > 0)
        text += QString("   %1 V").arg(desks_.link.identity()->voltage, 0, 'f', 1);
    text += tr("   %1 error frames").arg(status.errorFrames);
    if (status.overruns) text += tr("   %1 frames lost").arg(status.overruns);
    bus_->setText(text);
    // A bus that is in trouble says so before anybody asks something of it.
    if (!status.advice.empty()) {
        linkState_->setText(QString::fromStdString(status.advice));
        setRole(linkState_, "warm");
    }
}

void CarStation::refreshIdentity() {
    mismatch_->setText(desks_.car.mismatch);
    mismatch_->setVisible(!desks_.car.mismatch.isEmpty());
    inTheCar_->setText(desks_.folder.carSentence());
    const link::Identity* identity = desks_.link.identity() ? desks_.link.identity() : desks_.folder.keptIdentity();
    if (!identity || !desks_.car.kit) return;
    for (const auto& item : desks_.car.kit->profile.identity) {
        const QString value = QString::fromStdString(identity->at(item.key));
        identity_->set(QString::fromStdString(item.label), value.isEmpty() ? tr("not told in boot mode") : value);
    }
    identity_->set(
        tr("Profile"),
        desks_.link.why().isEmpty() ? QString::fromStdString(desks_.car.kit->profile.name) : desks_.link.why(), "");
    for (const auto& round : desks_.car.rounds)
        if (round.number == 0)
            identity_->set(
                tr("Original"),
                tr("kept %1, original.hex, never overwritten").arg(QString::fromStdString(round.createdAt).left(10)),
                "");
}

void CarStation::refresh() {
    refreshProgress();
    refreshButtons();
    refreshLink();
    refreshIdentity();
    const bool anyCar = desks_.link.obdCar() != nullptr;
    controllerPanel_->setVisible(!anyCar);
    sheetPanel_->setVisible(!anyCar);
    obd_->setVisible(anyCar);
    codes_->setVisible(!anyCar);
    if (desks_.car.folder) {
        subtitle()->setText(tr("folder ") + QString::fromStdString(desks_.car.folder->path().filename().string()));
        subtitle()->setToolTip(QString::fromStdString(desks_.car.folder->path().string()));
    } else {
        subtitle()->setText(tr("Open a car folder (Ctrl+O) or make a new one (Ctrl+N)."));
    }
}

}  // namespace brusk::app
