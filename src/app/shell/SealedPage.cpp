// Calm and the same everywhere: from whom, what may be done, and where that is done.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/SealedPage.h"

#include "app/desks/Desks.h"
#include "app/desks/Places.h"
#include "app/desks/RoundDesk.h"
#include "core/job/Deliver.h"

namespace brusk::app {

SealedPage::SealedPage(Desks& desks) : Station({}), desks_(desks) {
    setObjectName("sealedPage");
    auto* panel = new Panel(tr("This round came sealed"));
    why_ = label({});
    why_->setObjectName("sealedWhy");
    why_->setWordWrap(true);
    panel->body()->addWidget(why_);
    facts_ = new Facts;
    panel->body()->addWidget(facts_);
    body()->addWidget(panel);
    body()->addStretch();
    primary()->setObjectName("sealedFlash");
    primary()->setText(tr("Go to Flash"));
    connect(primary(), &QPushButton::clicked, this, [this] { desks_.places.go({.station = "Flash"}); });
}

bool SealedPage::standsFor(const QString& station) const {
    if (station == "Maps") return !desks_.round.closed().isEmpty();
    return (station == "Base" || station == "Correct") &&
           (desks_.round.isToLookAt() || !desks_.round.closed().isEmpty());
}

void SealedPage::standFor(const QString& station) {
    title()->setText(station);
    const auto* round = desks_.round.selected();
    if (!round) return;
    subtitle()->setText(tr("round %1, %2").arg(round->number).arg(QString::fromStdString(round->title)));
    why_->setText(desks_.round.isToLookAt()
                      ? tr("This round came sealed: look at its values on Maps. Nothing is computed from them or kept.")
                      : desks_.round.closed());
    const auto rights = job::rightsOf(*round);
    if (!rights || !*rights) return facts_->clear();
    QStringList may;
    for (const auto one : {deliver::May::Flash, deliver::May::Record, deliver::May::Look})
        if ((*rights)->may.to(one)) may << QString(deliver::mayName(one));
    facts_->set(tr("From"), QString::fromStdString((*rights)->makerName), "");
    facts_->set(tr("Fingerprint"), QString::fromStdString((*rights)->maker));
    facts_->set(tr("You may"), may.join(", "), "");
    facts_->set(tr("Way back"),
                (*rights)->wayBack ? tr("open: the original may be flashed") : tr("closed once flashed"), "");
    if (!round->note.empty()) facts_->set(tr("Note"), QString::fromStdString(round->note), "");
}

}  // namespace brusk::app
