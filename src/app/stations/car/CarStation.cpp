// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/car/CarStation.h"

#include <QScrollArea>

namespace brusk::app {

CarStation::CarStation(Session& session, QWidget* parent) : Station("Car", parent), session_(session) {
    primary()->setObjectName("carPrimary");
    auto* columns = new QHBoxLayout;
    columns->setSpacing(12);
    auto* left = new QVBoxLayout;
    left->setSpacing(12);
    makeLinkPanel(left);
    makeIdentityPanel(left);
    makeCodesPanel(left);
    left->addStretch();
    columns->addLayout(left, 5);

    auto* right = new QVBoxLayout;
    auto* panel = new Panel("Build sheet");
    panel->headRow()->addWidget(label("the parts fitted; Base computes from them", "faint"));
    sheet_ = new BuildSheetForm;
    panel->body()->addWidget(sheet_);
    right->addWidget(panel);
    right->addStretch();
    columns->addLayout(right, 6);
    body()->addLayout(columns, 1);

    connect(sheet_, &BuildSheetForm::changed, this, [this] { session_.setBuildSheet(sheet_->sheet()); });
    connect(primary(), &QPushButton::clicked, this, &CarStation::act);
    connect(&session_, &Session::folderChanged, this, [this] {
        sheet_->setSheet(session_.buildSheet());
        const QString kept = QString::fromStdString(session_.folder()->setting("link"));
        if (kept.startsWith("unix:")) {
            linkChoice_->setCurrentIndex(1);
            socketPath_->setText(kept.mid(5));
        }
        refresh();
    });
    for (auto signal : {&Session::linkChanged, &Session::taskChanged, &Session::roundsChanged})
        connect(&session_, signal, this, &CarStation::refresh);
    connect(&session_, &Session::codesChanged, this, &CarStation::refreshCodes);
    refresh();
}

void CarStation::makeLinkPanel(QVBoxLayout* column) {
    auto* panel = new Panel("Link");
    auto* row = new QHBoxLayout;
    linkChoice_ = new QComboBox;
    linkChoice_->setObjectName("linkChoice");
    linkChoice_->addItems({"Bench car", "Bus on a socket"});
    socketPath_ = new QLineEdit;
    socketPath_->setObjectName("socketPath");
    socketPath_->setPlaceholderText("/tmp/brusk-bus");
    socketPath_->setToolTip("The Unix-domain socket that brusk-benchcar listens on");
    row->addWidget(linkChoice_);
    row->addWidget(socketPath_, 1);
    cable_ = new QPushButton("Pull the cable");
    cable_->setObjectName("cable");
    cable_->setToolTip("Bench car only: what happens when the link goes");
    disconnect_ = new QPushButton("Disconnect");
    disconnect_->setObjectName("disconnect");
    row->addStretch();
    row->addWidget(cable_);
    row->addWidget(disconnect_);
    panel->body()->addLayout(row);
    linkState_ = label({}, "faint");
    linkState_->setObjectName("linkState");
    linkState_->setWordWrap(true);
    panel->body()->addWidget(linkState_);
    column->addWidget(panel);
    connect(linkChoice_, &QComboBox::currentIndexChanged, this, &CarStation::refresh);
    connect(cable_, &QPushButton::clicked, this, [this] { session_.setBenchCable(!session_.benchCablePlugged()); });
    connect(disconnect_, &QPushButton::clicked, this, [this] { session_.disconnectLink(); });
}

void CarStation::makeIdentityPanel(QVBoxLayout* column) {
    auto* panel = new Panel("Controller");
    identity_ = new Facts;
    panel->body()->addWidget(identity_);
    inTheCar_ = label({});
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
    auto* stopping = label("Stopping keeps what was read; the next read goes on from there.", "faint");
    stopping->setWordWrap(true);
    box->addWidget(stopping);
    progressBox_->hide();
    panel->body()->addWidget(progressBox_);
    column->addWidget(panel);
}

void CarStation::makeCodesPanel(QVBoxLayout* column) {
    auto* panel = new Panel("Trouble codes");
    readCodes_ = new QPushButton("Read");
    readCodes_->setObjectName("readCodes");
    clearCodes_ = new QPushButton("Clear");
    clearCodes_->setObjectName("clearCodes");
    panel->headRow()->addWidget(readCodes_);
    panel->headRow()->addWidget(clearCodes_);
    codes_ = new QVBoxLayout;
    codes_->setSpacing(4);
    panel->body()->addLayout(codes_);
    column->addWidget(panel);
    connect(readCodes_, &QPushButton::clicked, this, [this] { session_.readTroubleCodes(false); });
    connect(clearCodes_, &QPushButton::clicked, this, [this] { session_.readTroubleCodes(true); });
    refreshCodes();
}

QString CarStation::chosenLink() const {
    return linkChoice_->currentIndex() == 0
               ? QString("bench")
               : "unix:" + (socketPath_->text().isEmpty() ? socketPath_->placeholderText() : socketPath_->text());
}

void CarStation::act() {
    if (session_.busy())
        session_.cancelTask();
    else if (session_.linkState() == LinkState::Open)
        session_.readController();
    else
        session_.connectLink(chosenLink());
}

void CarStation::refreshProgress() {
    const bool reading = session_.busy() && session_.taskTitle() == "Reading";
    progressBox_->setVisible(reading);
    if (!reading) return;
    const auto& p = session_.progress();
    progress_->setValue(p.total ? static_cast<int>(p.done * 1000 / p.total) : 0);
    progressText_->setText(QString("%1  %2 of %3 KiB  %4 KiB/s  %5 s left")
                               .arg(QString::fromStdString(p.step))
                               .arg(p.done / 1024)
                               .arg(p.total / 1024)
                               .arg(p.rate() / 1024, 0, 'f', 1)
                               .arg(p.secondsLeft(), 0, 'f', 0));
}

void CarStation::refresh() {
    refreshProgress();
    const bool open = session_.linkState() == LinkState::Open;
    const bool idle = !session_.busy();
    const bool reading = session_.busy() && session_.taskTitle() == "Reading";
    socketPath_->setVisible(linkChoice_->currentIndex() == 1);
    linkChoice_->setEnabled(!open);
    socketPath_->setEnabled(!open);
    cable_->setVisible(session_.linkIsBenchCar());
    cable_->setText(session_.benchCablePlugged() ? "Pull the cable" : "Plug the cable in");
    disconnect_->setVisible(open && idle);
    primary()->setText(reading                                                                ? "Stop reading"
                       : open                                                                 ? "Read the controller"
                       : session_.linkIsBenchCar() && session_.linkState() == LinkState::Lost ? "Connect again"
                                                                                              : "Connect");
    primary()->setEnabled(session_.folder() && (idle || reading));
    readCodes_->setEnabled(open && idle);
    clearCodes_->setEnabled(open && idle && session_.troubleCodesRead());
    switch (session_.linkState()) {
        case LinkState::Closed:
            linkState_->setText("Not connected.");
            setRole(linkState_, "faint");
            break;
        case LinkState::Connecting:
            linkState_->setText(session_.linkText());
            setRole(linkState_, "faint");
            break;
        case LinkState::Open:
            linkState_->setText("500 kbit/s. " + session_.linkText());
            setRole(linkState_, "good");
            break;
        case LinkState::Lost:
            linkState_->setText(session_.linkText());
            setRole(linkState_, "alarm");
            break;
    }
    if (session_.folder()) {
        subtitle()->setText("folder " + QString::fromStdString(session_.folder()->path().filename().string()));
        subtitle()->setToolTip(QString::fromStdString(session_.folder()->path().string()));
    } else {
        subtitle()->setText("Open a car folder (Ctrl+O) or make a new one (Ctrl+N).");
    }
    inTheCar_->setText(session_.carSentence());
    const auto kept = session_.folder() ? job::identityFromJson(session_.folder()->setting("identity"))
                                        : Result<link::Identity>(fail(ErrorCode::NotFound, ""));
    const link::Identity* identity = session_.identity() ? session_.identity() : kept ? &*kept : nullptr;
    if (!identity || !session_.kit()) return;
    identity_->set(
        "Profile",
        session_.linkWhy().isEmpty() ? QString::fromStdString(session_.kit()->profile.name) : session_.linkWhy(), "");
    for (const auto& item : session_.kit()->profile.identity) {
        const QString value = QString::fromStdString(identity->at(item.key));
        identity_->set(QString::fromStdString(item.label), value.isEmpty() ? "not told in boot mode" : value);
    }
    if (identity->voltage > 0) identity_->set("Battery", QString::number(identity->voltage, 'f', 1) + " V");
}

void CarStation::refreshCodes() {
    emptyLayout(codes_);
    if (!session_.troubleCodesRead()) {
        codes_->addWidget(label("Not read yet.", "faint"));
        return;
    }
    if (session_.troubleCodes().empty()) codes_->addWidget(label("None stored.", "good"));
    for (const auto& code : session_.troubleCodes()) {
        auto* row = new QHBoxLayout;
        auto* name = label(QString::fromStdString(code.name()), "numbers");
        name->setObjectName("troubleCode");
        row->addWidget(name);
        row->addWidget(label(code.failingNow()  ? "failing now"
                             : code.confirmed() ? "confirmed, not failing now"
                                                : "pending",
                             code.failingNow() ? "warm" : "faint"));
        row->addStretch();
        codes_->addLayout(row);
    }
    refresh();
}

}  // namespace brusk::app
