// Codes at the left, what was frozen with the chosen one and its parameters at the right.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/car/CodesPanel.h"

#include <QGridLayout>
#include <QScrollArea>
#include <QToolButton>
#include "app/desks/CarInHand.h"
#include "app/desks/ControllerDesk.h"
#include "app/desks/Places.h"

namespace brusk::app {

namespace {
constexpr int kMostParameters = 6;
constexpr int kListWidth = 150;

QString stateOf(const link::TroubleCode& code) {
    return code.failingNow() ? "failing now" : code.confirmed() ? "confirmed" : "pending";
}
}  // namespace

CodesPanel::CodesPanel(Desks& desks) : Panel(tr("Trouble codes")), desks_(desks) {
    read_ = new QPushButton(tr("Read"));
    read_->setObjectName("readCodes");
    clear_ = new QPushButton(tr("Clear"));
    clear_->setObjectName("clearCodes");
    clear_->setToolTip(tr("Clears all codes, their freeze frames and what the controller learned"));
    headRow()->addWidget(read_);
    headRow()->addWidget(clear_);
    empty_ = label(tr("Not read yet."), "faint");
    body()->addWidget(empty_);
    auto* row = new QHBoxLayout;
    row->setSpacing(14);
    list_ = new QListWidget;
    list_->setObjectName("troubleCodes");
    list_->setAccessibleName(tr("Trouble codes"));
    list_->setFixedWidth(kListWidth);
    // As high as there is room, not as high as they would like.
    list_->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Ignored);
    row->addWidget(list_);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Ignored);
    detail_ = new QWidget;
    detail_->setObjectName("codeDetail");
    detailBody_ = new QVBoxLayout(detail_);
    detailBody_->setContentsMargins(0, 0, 6, 0);
    detailBody_->setSpacing(4);
    scroll->setWidget(detail_);
    row->addWidget(scroll, 1);
    body()->addLayout(row, 1);
    connect(read_, &QPushButton::clicked, this, [this] { desks_.controller.readCodes(false); });
    connect(clear_, &QPushButton::clicked, this, [this] { desks_.controller.readCodes(true); });
    connect(list_, &QListWidget::currentRowChanged, this, &CodesPanel::refreshDetail);
    connect(&desks_.controller, &ControllerDesk::codesChanged, this, &CodesPanel::refreshList);
    connect(&desks_.controller, &ControllerDesk::linkChanged, this, &CodesPanel::refreshButtons);
    refreshList();
}

void CodesPanel::refreshButtons() {
    const bool ready = desks_.controller.ready() && desks_.car.kit;
    read_->setEnabled(ready);
    clear_->setEnabled(ready && desks_.controller.codesRead());
}

void CodesPanel::refreshList() {
    const auto& codes = desks_.controller.codes();
    list_->clear();
    for (const auto& report : codes)
        list_->addItem(QString::fromStdString(report.code.name()) + "  " + stateOf(report.code));
    const bool any = !codes.empty();
    list_->setVisible(any);
    detail_->setVisible(any);
    empty_->setVisible(!any);
    empty_->setText(desks_.controller.codesRead() ? tr("None stored.") : tr("Not read yet."));
    setRole(empty_, desks_.controller.codesRead() ? "good" : "faint");
    if (any) list_->setCurrentRow(0);
    refreshButtons();
}

void CodesPanel::refreshDetail() {
    emptyLayout(detailBody_);
    const int at = list_->currentRow();
    if (at < 0 || at >= static_cast<int>(desks_.controller.codes().size())) return;
    const job::TroubleCodeReport& report = desks_.controller.codes()[static_cast<size_t>(at)];
    QString head = stateOf(report.code);
    if (report.occurrences)
        head += tr(", set %1 %2").arg(report.occurrences).arg(report.occurrences == 1 ? "time" : "times");
    detailBody_->addWidget(label(head, report.code.failingNow() ? "warm" : "faint"));
    auto* rows = new QVBoxLayout;
    rows->setSpacing(8);
    auto* frame = new QGridLayout;
    frame->setHorizontalSpacing(10);
    frame->setVerticalSpacing(2);
    int i = 0;
    for (const auto& value : report.frozen) {
        frame->addWidget(label(QString::fromStdString(value.label), "faint"), i, 0);
        auto* number = label(QString::number(value.value, 'f', 1), "numbers");
        number->setAlignment(Qt::AlignRight);
        frame->addWidget(number, i, 1);
        frame->addWidget(label(QString::fromStdString(value.unit), "faint"), i++, 2);
    }
    if (report.frozen.empty()) frame->addWidget(label(tr("No freeze frame was kept."), "faint"), 0, 0);
    frame->setRowStretch(i + 1, 1);
    auto* links = new QVBoxLayout;
    links->setSpacing(2);
    if (!report.parameters.empty()) links->addWidget(label(tr("In the calibration"), "faint"));
    for (size_t k = 0; k < report.parameters.size() && k < kMostParameters; ++k) {
        const auto* parameter = report.parameters[k];
        auto* link = new QToolButton;
        link->setProperty("link", true);
        link->setObjectName("codeParameter");
        link->setText(QString::fromStdString(parameter->title()) + " \u2192");
        link->setToolTip(QString::fromStdString(parameter->description));
        connect(link, &QToolButton::clicked, this, [this, name = QString::fromStdString(parameter->name)] {
            desks_.places.go({.station = "Maps", .parameter = name});
        });
        links->addWidget(link);
    }
    rows->addLayout(links);
    rows->addLayout(frame);
    detailBody_->addLayout(rows);
    detailBody_->addStretch();
}

}  // namespace brusk::app
