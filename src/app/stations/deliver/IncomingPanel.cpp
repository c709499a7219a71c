// Says what a file is before anything of it is taken, and what a seal can't do.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/deliver/IncomingPanel.h"

#include "app/desks/DeliverDesk.h"
#include "app/widgets/Times.h"

namespace brusk::app {

namespace {

QString qs(const std::string& text) {
    return QString::fromStdString(text);
}

QString mayText(const deliver::Allowed& may) {
    using enum deliver::May;
    if (may.to(Change)) return QObject::tr("everything, as if it were your own");
    QStringList out;
    if (may.to(Flash)) out << QObject::tr("flash it");
    if (may.to(Record)) out << QObject::tr("drive it and send the recordings back");
    if (may.to(Look)) out << QObject::tr("look at its values, not keep them");
    return out.join(", ");
}

QString boundText(const deliver::Binding& car) {
    QStringList out;
    if (!car.vin.empty()) out << QObject::tr("car %1").arg(qs(car.vin));
    if (!car.serial.empty()) out << QObject::tr("controller %1").arg(qs(car.serial));
    if (!car.software.empty()) out << QObject::tr("software %1").arg(qs(car.software));
    return out.isEmpty() ? QObject::tr("any car") : out.join(", ");
}

}  // namespace

IncomingPanel::IncomingPanel(DeliverDesk& desk) : Panel(tr("What came")), desk_(desk) {
    setObjectName("incoming");
    facts_ = new Facts;
    body()->addWidget(facts_);
    honest_ =
        label(tr("Its values are not shown here and lie encrypted in the folder. That keeps honest people honest; "
                 "whoever holds a car can read its memory."),
              "faint");
    refusal_ = label({}, "alarm");
    refusal_->setObjectName("incomingRefusal");
    for (QLabel* words : {honest_, refusal_}) {
        words->setWordWrap(true);
        body()->addWidget(words);
    }
    buttons_ = new QWidget;
    auto* row = new QHBoxLayout(buttons_);
    row->setContentsMargins(0, 4, 0, 0);
    trust_ = new QPushButton(tr("I compared: trust this card"));
    trust_->setObjectName("trustStranger");
    auto* aside = new QPushButton(tr("Put it aside"));
    aside->setObjectName("putAside");
    row->addWidget(trust_);
    row->addWidget(aside);
    row->addStretch();
    body()->addWidget(buttons_);
    connect(aside, &QPushButton::clicked, &desk_, &DeliverDesk::putAside);
    connect(trust_, &QPushButton::clicked, this, [this] {
        const auto& incoming = desk_.incoming();
        if (incoming && incoming->stranger) desk_.trust(qs(incoming->stranger->text()), false);
    });
    connect(&desk_, &DeliverDesk::incomingChanged, this, &IncomingPanel::refresh);
    refresh();
}

void IncomingPanel::showSealed(const Incoming& incoming) {
    const auto& sealed = *incoming.sealed;
    const auto& rights = sealed.rights;
    facts_->set(tr("Calibration"), qs(sealed.title), "");
    facts_->set(tr("From"),
                tr("%1, number %2, sealed %3")
                    .arg(qs(rights.makerName))
                    .arg(rights.number)
                    .arg(localTime(sealed.head.made).toString("d MMM yyyy, HH:mm")),
                "");
    facts_->set(tr("For"), boundText(rights.car), "");
    facts_->set(tr("You may"), mayText(rights.may), "");
    if (!sealed.note.empty()) facts_->set(tr("Note"), qs(sealed.note), "");
    if (rights.writeAllOnce) facts_->set(tr("Flash"), tr("the first one writes everything"), "");
    if (!rights.wayBack)
        facts_->set(tr("Way back"),
                    tr("closed once it was flashed: only what %1 seals goes over it").arg(qs(rights.makerName)),
                    "warm");
    honest_->setVisible(!rights.may.seesValues());
}

void IncomingPanel::showParcel(const Incoming& incoming) {
    const auto& parcel = *incoming.parcel;
    const size_t count = parcel.drives.size();
    facts_->set(tr("Parcel"), count == 1 ? tr("1 recording") : tr("%1 recordings").arg(count), "");
    facts_->set(
        tr("From"),
        tr("%1, packed %2").arg(qs(parcel.head.by.name), localTime(parcel.head.made).toString("d MMM yyyy, HH:mm")),
        "");
    const auto vin = parcel.identity.find("vin");
    if (vin != parcel.identity.end()) facts_->set(tr("Of the car"), qs(vin->second));
    if (!parcel.note.empty()) facts_->set(tr("Note"), qs(parcel.note), "");
    QStringList codes;
    for (const std::string& code : parcel.codes)
        codes << qs(code);
    if (!codes.isEmpty()) facts_->set(tr("Trouble codes"), codes.join(", "), "warm");
    if (parcel.original) facts_->set(tr("Original"), tr("the first read is in it"), "");
}

void IncomingPanel::refresh() {
    facts_->clear();
    const auto& incoming = desk_.incoming();
    setVisible(incoming.has_value());
    if (!incoming) return;
    honest_->hide();
    if (incoming->sealed) showSealed(*incoming);
    if (incoming->parcel) showParcel(*incoming);
    refusal_->setText(incoming->refusal);
    refusal_->setVisible(!incoming->refusal.isEmpty());
    if (incoming->stranger) facts_->set(tr("Fingerprint"), qs(incoming->stranger->fingerprint()), "numbers");
    trust_->setVisible(incoming->stranger.has_value());
}

}  // namespace brusk::app
