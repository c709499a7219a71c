// Facts of the round, and its image as Intel HEX.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/deliver/DeliverStation.h"

#include <QScrollArea>

#include "app/desks/CarInHand.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "app/widgets/Times.h"
#include "core/image/ImageFile.h"

namespace brusk::app {

DeliverStation::DeliverStation(Desks& desks, QWidget* parent) : Station("Deliver", parent), desks_(desks) {
    primary()->setObjectName("exportHex");
    primary()->setText(tr("Export as Intel HEX"));
    auto* panel = new Panel(tr("The calibration of this round"));
    facts_ = new Facts;
    panel->body()->addWidget(facts_);
    written_ = label({}, "good");
    written_->setObjectName("exported");
    written_->setWordWrap(true);
    panel->body()->addWidget(written_);
    // The account of a base is longer than a window.
    auto* room = new QScrollArea;
    room->setFrameShape(QFrame::NoFrame);
    room->setWidgetResizable(true);
    room->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    room->setWidget(panel);
    body()->addWidget(room, 1);
    auto* later = new Panel(tr("What will come here"));
    auto* text = label(
        tr("A report of what was done and why, with the evidence before and after; and a sealed calibration for a "
           "customer far away, bound to one car."),
        "faint");
    text->setWordWrap(true);
    later->body()->addWidget(text);
    body()->addWidget(later);
    connect(primary(), &QPushButton::clicked, this, &DeliverStation::exportHex);
    connect(&desks_.places, &Places::roundShown, this, &DeliverStation::refresh);
    refresh();
}

void DeliverStation::refresh() {
    const auto* round = desks_.car.round(desks_.places.round());
    primary()->setEnabled(round != nullptr);
    written_->clear();
    if (!round) return subtitle()->setText(tr("Nothing was read yet."));
    subtitle()->setText(tr("round %1, %2").arg(round->number).arg(QString::fromStdString(round->title)));
    facts_->set(tr("Flashed"), round->flashedAt.empty() ? QString("never")
                                                        : localTime(round->flashedAt).toString("d MMM yyyy, HH:mm"));
    facts_->set(tr("Drives"), QString::number(round->recordings));
    facts_->set(tr("Fuel error"),
                round->fuelError_pct ? QString::number(*round->fuelError_pct, 'f', 1) + " %" : tr("not measured"));
    facts_->set(tr("Note"), round->note.empty() ? QString("none") : QString::fromStdString(round->note).trimmed(), "");
}

void DeliverStation::exportHex() {
    const auto* round = desks_.car.round(desks_.places.round());
    if (!round) return;
    desks_.saveEdits();
    const auto image = desks_.car.folder->rounds().image(round->id);
    if (!image) return desks_.messages.say(QString::fromStdString(image.error().text()), true);
    const auto bytes = image::writeImage(**image, image::Format::IntelHex);
    if (!bytes) return desks_.messages.say(QString::fromStdString(bytes.error().text()), true);
    auto& files = desks_.car.folder->files();
    // A name that is taken gets a number: nothing is overwritten.
    const storage::Path path =
        files.freeName(desks_.car.folder->path() / "exports", "round" + std::to_string(round->number), ".hex");
    if (auto done = files.save(path, *bytes); !done)
        return desks_.messages.say(QString::fromStdString(done.error().text()), true);
    written_->setText(tr("Wrote ") + QString::fromStdString(path.string()));
}

}  // namespace brusk::app
