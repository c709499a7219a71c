// The filled button takes what came, else seals for those who are ticked, else exports the image.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/deliver/DeliverStation.h"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QMimeData>
#include <QScrollArea>

#include "app/desks/CarInHand.h"
#include "app/desks/ControllerDesk.h"
#include "app/desks/DeliverDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "app/stations/deliver/IncomingPanel.h"
#include "app/stations/deliver/KeyPanel.h"
#include "app/stations/deliver/ReportPanel.h"
#include "app/stations/deliver/SealPanel.h"
#include "app/widgets/Times.h"

namespace brusk::app {

namespace {

/// A column that scrolls when there is more than room.
QScrollArea* column(const std::vector<QWidget*>& panels) {
    auto* inside = new QWidget;
    auto* rows = new QVBoxLayout(inside);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(12);
    for (QWidget* panel : panels)
        rows->addWidget(panel);
    rows->addStretch();
    auto* room = new QScrollArea;
    room->setFrameShape(QFrame::NoFrame);
    room->setWidgetResizable(true);
    room->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    room->setWidget(inside);
    return room;
}

}  // namespace

DeliverStation::DeliverStation(Desks& desks, QWidget* parent) : Station("Deliver", parent), desks_(desks) {
    primary()->setObjectName("deliverPrimary");
    setAcceptDrops(true);
    auto* openButton = new QPushButton(tr("Open what came \u2026"));
    openButton->setObjectName("openIncoming");
    openButton->setToolTip(tr("A sealed calibration, a parcel or a card; it can be dropped here too"));
    titleRow()->insertWidget(titleRow()->count() - 1, openButton);
    seal_ = new SealPanel;
    columns_ = new QWidget;
    auto* columns = new QHBoxLayout(columns_);
    columns->setContentsMargins(0, 0, 0, 0);
    columns->setSpacing(12);
    columns->addWidget(column({makeRoundPanel(), new KeyPanel(desks_.deliver)}), 1);
    columns->addWidget(column({new IncomingPanel(desks_.deliver), seal_, makeDrivesPanel()}), 1);
    body()->addWidget(columns_, 1);
    report_ = new ReportPanel;
    report_->hide();
    body()->addWidget(report_, 1);
    connect(report_, &ReportPanel::wordsChanged, this, &DeliverStation::makeReport);
    connect(report_, &ReportPanel::closed, this, &DeliverStation::closeReport);
    // Another round is another report; another folder none yet.
    connect(&desks_.places, &Places::roundShown, this, [this] {
        if (report_->isVisibleTo(this)) makeReport();
    });
    connect(&desks_.car, &CarInHand::changed, this, &DeliverStation::closeReport);
    connect(openButton, &QPushButton::clicked, this, [this] {
        openFile(QFileDialog::getOpenFileName(this, tr("What came"), {},
                                              tr("Sealed, parcels, cards (*.sealed *.parcel *.card);;All files (*)")));
    });
    connect(primary(), &QPushButton::clicked, this, &DeliverStation::act);
    connect(seal_, &SealPanel::chosenChanged, this, &DeliverStation::refresh);
    connect(&desks_.places, &Places::roundShown, this, &DeliverStation::refresh);
    connect(&desks_.car, &CarInHand::roundsChanged, this, &DeliverStation::refresh);
    for (auto signal : {&DeliverDesk::changed, &DeliverDesk::incomingChanged})
        connect(&desks_.deliver, signal, this, &DeliverStation::refresh);
    connect(&desks_.deliver, &DeliverDesk::written, this, [this](const QString& path) {
        written_->setText(tr("Wrote %1").arg(path));
        written_->show();
        desks_.messages.say(written_->text());
    });
    refresh();
}

QWidget* DeliverStation::makeRoundPanel() {
    auto* panel = new Panel(tr("This round"));
    facts_ = new Facts;
    panel->body()->addWidget(facts_);
    exports_ = new QWidget;
    auto* plain = new QVBoxLayout(exports_);
    plain->setContentsMargins(0, 0, 0, 0);
    auto* row = new QHBoxLayout;
    plain->addWidget(label(tr("As a plain file"), "faint"));
    const std::pair<const char*, QString> formats[] = {{"hex", tr("Intel HEX")},
                                                       {"s19", tr("S-record")},
                                                       {"bin", tr("Raw")},
                                                       {"a2l", tr("A2L")},
                                                       {"txt", tr("Differences")}};
    for (const auto& [ending, text] : formats) {
        auto* button = new QPushButton(text);
        button->setObjectName(QString("export_%1").arg(ending));
        connect(button, &QPushButton::clicked, this, [this, format = ending] { exportRound(format); });
        row->addWidget(button);
    }
    row->addStretch();
    plain->addLayout(row);
    givenTo_ = new QLineEdit;
    givenTo_->setObjectName("givenTo");
    givenTo_->setPlaceholderText(tr("Given to: a name, and the ledger keeps to whom and when"));
    plain->addWidget(givenTo_);
    panel->body()->addWidget(exports_);
    auto* account = new QHBoxLayout;
    account->addWidget(label(tr("For the owner"), "faint"));
    auto* reporting = new QPushButton(tr("Report"));
    reporting->setObjectName("showReport");
    reporting->setToolTip(
        tr("What was done and why, fuel before and after, limits loosened, what is still open: as pages"));
    connect(reporting, &QPushButton::clicked, this, &DeliverStation::makeReport);
    account->addWidget(reporting);
    account->addStretch();
    panel->body()->addLayout(account);
    auto* folder = new QHBoxLayout;
    folder->addWidget(label(tr("The whole folder"), "faint"));
    auto* archive = new QPushButton(tr("In one file"));
    archive->setObjectName("makeArchive");
    archive->setToolTip(
        tr("Rounds, recordings and exports as a ZIP file beside the folder; bruskctl archive open makes "
           "the folder anew from it"));
    connect(archive, &QPushButton::clicked, this, [this] {
        desks_.saveEdits();
        desks_.deliver.makeArchive();
    });
    folder->addWidget(archive);
    folder->addStretch();
    panel->body()->addLayout(folder);
    written_ = label({}, "good");
    written_->setObjectName("exported");
    written_->setWordWrap(true);
    written_->hide();
    panel->body()->addWidget(written_);
    return panel;
}

QWidget* DeliverStation::makeDrivesPanel() {
    auto* panel = new Panel(tr("Send the drives to who made the calibration"));
    auto* row = new QHBoxLayout;
    receiver_ = new QComboBox;
    receiver_->setObjectName("parcelTo");
    receiver_->setAccessibleName(tr("Who gets the drives"));
    parcel_ = new QPushButton(tr("Make the parcel"));
    parcel_->setObjectName("makeParcel");
    parcel_->setToolTip(
        tr("Recordings with their conditions, what is in the car, the trouble codes read on Car, and the original; "
           "sealed to one person"));
    row->addWidget(receiver_, 1);
    row->addWidget(parcel_);
    panel->body()->addLayout(row);
    parcelNote_ = new QLineEdit;
    parcelNote_->setObjectName("parcelNote");
    parcelNote_->setPlaceholderText(tr("Words that go with them"));
    panel->body()->addWidget(parcelNote_);
    connect(parcel_, &QPushButton::clicked, this, [this] {
        const auto at = static_cast<size_t>(std::max(0, receiver_->currentIndex()));
        if (at >= desks_.deliver.cards().size()) return;
        job::ParcelOptions options;
        options.to = {desks_.deliver.cards()[at]};
        options.note = parcelNote_->text().toStdString();
        options.codes = job::codeLines(desks_.controller.codes());
        desks_.deliver.makeParcel(options);
    });
    return panel;
}

QString DeliverStation::hint() const {
    return tr("what came is opened here, and nothing of it is taken before you say so");
}

void DeliverStation::refresh() {
    const auto* round = desks_.car.round(desks_.places.round());
    const auto& incoming = desks_.deliver.incoming();
    const auto& people = desks_.deliver.cards();
    seal_->setPeople(people);
    if (desks_.car.folder) seal_->setCar(desks_.messages.orSay(job::carOf(*desks_.car.folder)));
    QStringList names, shown;
    for (const auto& card : people)
        names << QString::fromStdString(card.name);
    for (int i = 0; i < receiver_->count(); ++i)
        shown << receiver_->itemText(i);
    // Whom somebody chose stays chosen.
    if (names != shown) {
        receiver_->clear();
        receiver_->addItems(names);
    }
    parcel_->setEnabled(desks_.deliver.keyIsOpen() && !people.empty() && desks_.car.folder);
    const bool sealed = round && round->sealed;
    exports_->setVisible(round && !sealed);
    seal_->setWhyNot(!round                        ? tr("There is no round yet.")
                     : sealed                      ? tr("This round came sealed; it is not handed on.")
                     : !desks_.deliver.keyIsOpen() ? tr("Open your key first.")
                     : people.empty()              ? tr("Trust somebody's card first.")
                                                   : QString());
    const bool mayTake = incoming && incoming->mayBeTaken();
    const bool maySeal = round && !sealed && desks_.deliver.keyIsOpen() && !seal_->options().to.empty();
    const bool reporting = report_->isVisibleTo(this);
    primary()->setVisible(reporting || mayTake || (round && !sealed));
    primary()->setText(reporting                     ? tr("Write the PDF")
                       : mayTake && incoming->parcel ? tr("Take the drives")
                       : mayTake                     ? tr("Take it as round %1").arg(desks_.car.nextNumber())
                       : maySeal                     ? tr("Seal round %1").arg(round->number)
                                                     : tr("Export as Intel HEX"));
    if (!round) return subtitle()->setText(tr("Nothing was read yet."));
    subtitle()->setText(tr("round %1, %2").arg(round->number).arg(QString::fromStdString(round->title)));
    facts_->set(tr("Flashed"),
                round->flashedAt.empty() ? tr("never") : localTime(round->flashedAt).toString("d MMM yyyy, HH:mm"));
    facts_->set(tr("Drives"), QString::number(round->recordings));
    facts_->set(tr("Fuel error"),
                round->fuelError_pct ? QString::number(*round->fuelError_pct, 'f', 1) + " %" : tr("not measured"));
    // The account of a base is long; it is read in the report and on Base.
    const QString note = QString::fromStdString(round->note).trimmed();
    facts_->set(tr("Note"),
                note.isEmpty()         ? tr("none")
                : note.count('\n') > 2 ? tr("its account has %1 lines").arg(note.count('\n'))
                                       : note,
                "");
    facts_->set(
        tr("Seal"),
        sealed ? tr("came sealed: its values are not shown, compared, exported or kept") : tr("none: it is your own"),
        "");
}

void DeliverStation::act() {
    written_->hide();
    if (report_->isVisibleTo(this) && report_->pages())
        return desks_.deliver.keep("report-round" + std::to_string(reported_), ".pdf", report_->pages()->pdf());
    if (desks_.deliver.incoming() && desks_.deliver.incoming()->mayBeTaken()) return desks_.deliver.take();
    desks_.saveEdits();
    const auto options = seal_->options();
    if (desks_.deliver.keyIsOpen() && !options.to.empty()) return desks_.deliver.seal(options);
    exportRound("hex");
}

void DeliverStation::exportRound(const char* ending) {
    desks_.saveEdits();
    desks_.deliver.exportRound(ending, givenTo_->text());
    givenTo_->clear();
}

void DeliverStation::closeReport() {
    report_->hide();
    columns_->show();
    refresh();
}

void DeliverStation::makeReport() {
    const auto* round = desks_.car.round(desks_.places.round());
    if (!round) return closeReport();
    desks_.saveEdits();
    desks_.deliver.report(report_->words(), [this, number = round->number](const deliver::Report& report) {
        reported_ = number;
        report_->show(report);
        columns_->hide();
        report_->setVisible(true);
        refresh();
    });
}

void DeliverStation::openFile(const QString& path) {
    if (path.isEmpty()) return;
    desks_.deliver.open(path.toStdString());
}

void DeliverStation::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void DeliverStation::dropEvent(QDropEvent* event) {
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) return openFile(url.toLocalFile());
}

}  // namespace brusk::app
