// Proposals are computed on the pool whenever something they stand on changes; cards that tell the same stay.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/base/BaseStation.h"

#include <QFileDialog>
#include <QPushButton>
#include <QScrollBar>
#include <QShortcut>
#include <QToolButton>
#include <algorithm>
#include <utility>

#include "app/desks/Background.h"
#include "app/desks/CarInHand.h"
#include "app/desks/Messages.h"
#include "app/desks/OpenFolder.h"
#include "app/desks/Places.h"
#include "app/desks/ReferenceDesk.h"
#include "app/desks/RoundDesk.h"
#include "app/desks/SheetDesk.h"
#include "app/desks/UnitChoice.h"
#include "app/stations/car/BuildSheetForm.h"
#include "core/base/Text.h"
#include "core/job/Keeping.h"

namespace brusk::app {

namespace {

constexpr const char* kDecisions = "base_decisions";  // settings of the folder
constexpr const char* kStage = "stage";
constexpr const char* kDonor = "base_donor";
constexpr const char* kBrief = "base_brief";
constexpr const char* kDonorCause = "Donor";

QString qs(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size()));
}

}  // namespace

BaseStation::BaseStation(Desks& desks, QWidget* parent) : Station("Base", parent), desks_(desks) {
    primary()->setObjectName("makeBaseRound");
    auto* columns = new QHBoxLayout;
    columns->setSpacing(12);
    fitted_ = new FittedPanel;
    connect(fitted_, &FittedPanel::sheetWanted, this, [this] { desks_.places.go({.station = "Car"}); });
    connect(fitted_, &FittedPanel::causeWanted, this, &BaseStation::lookAt);
    connect(fitted_, &FittedPanel::roleWanted, this,
            [this](const QString& role) { desks_.places.go({.station = "Maps", .role = role}); });
    columns->addWidget(fitted_);
    scroll_ = new QScrollArea;
    scroll_->setObjectName("proposals");
    scroll_->setWidgetResizable(true);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    columns->addWidget(scroll_, 1);
    drives_ = new FirstDrivesPanel;
    connect(drives_, &FirstDrivesPanel::parameterWanted, this, &BaseStation::openParameter);
    connect(drives_, &FirstDrivesPanel::stageChosen, this, [this](proposals::Stage stage) {
        stage_ = stage;
        // A limit set by hand was meant for its own stage.
        std::erase_if(decisions_, [](const auto& one) { return one.first.starts_with("stage_"); });
        keepDecisions();
        compute();
    });
    columns->addWidget(drives_);
    body()->addLayout(columns, 1);
    connect(primary(), &QPushButton::clicked, this, &BaseStation::makeRound);
    auto* make = new QShortcut(QKeySequence("Ctrl+Return"), this);
    make->setContext(Qt::WidgetWithChildrenShortcut);
    connect(make, &QShortcut::activated, this, [this] {
        if (primary()->isEnabled()) makeRound();
    });
    auto* brief = new QShortcut(QKeySequence("Ctrl+Shift+B"), this);
    brief->setContext(Qt::WidgetWithChildrenShortcut);
    connect(brief, &QShortcut::activated, this, &BaseStation::turnBrief);
    // What cards tell in other units, or of parameters that are gone, is told anew.
    const auto forgets = [this](auto* desk, auto change) {
        connect(desk, change, this, [this] {
            askingParts_ = false;
            qDeleteAll(findChildren<ProposalCard*>());
        });
    };
    forgets(&desks_.car, &CarInHand::definitionChanged);
    forgets(&desks_.car, &CarInHand::changed);
    forgets(&desks_.units, &UnitChoice::changed);
    const auto computes = [this](auto* desk, auto change) {
        connect(desk, change, this, [this] {
            if (isVisible()) compute();
        });
    };
    computes(&desks_.places, &Places::roundShown);
    computes(&desks_.car, &CarInHand::changed);
    computes(&desks_.car, &CarInHand::definitionChanged);
    computes(&desks_.sheet, &SheetDesk::sheetChanged);
    computes(&desks_.units, &UnitChoice::changed);
    computes(&desks_.reference, &ReferenceDesk::donorsChanged);
    compute();
}

void BaseStation::compute() {
    const auto* round = desks_.round.selected();
    if (desks_.car.folder) {
        auto decisions = job::decisionsFromJson(desks_.folder.setting(kDecisions));
        if (!decisions) desks_.messages.say(qs(decisions.error().text()), true);
        decisions_ = std::move(decisions).value_or(proposals::Decisions{});
        const std::string kept = desks_.folder.setting(kStage);
        const auto at = std::find(std::begin(proposals::kStages), std::end(proposals::kStages), kept);
        stage_ = at == std::end(proposals::kStages)
                     ? proposals::Stage::Gentle
                     : static_cast<proposals::Stage>(at - std::begin(proposals::kStages));
    }
    if (desks_.car.folder) {
        donor_ = desks_.folder.setting(kDonor);
        brief_ = !desks_.folder.setting(kBrief).empty();
    }
    ++asked_;
    if (!round || !desks_.car.kit || !desks_.round.calibration()) {
        computing_ = false;
        work_.reset();
        problem_.clear();
        return fill();
    }
    computing_ = true;
    refreshButton();
    using Work = Result<job::BaseWork>;
    desks_.background.latest(
        this,
        [kit = desks_.car.kit, folder = desks_.car.folder, id = round->id, sheet = desks_.sheet.sheet(),
         decisions = decisions_, stage = stage_,
         from = donor()]() -> Work { return job::baseWork(*kit, *folder, id, sheet, decisions, stage, from.get()); },
        [this, mine = asked_](Work work) {
            if (mine == asked_) computed(std::move(work));
        });
}

void BaseStation::openParameter(const QString& name) {
    desks_.places.go({.station = "Maps", .parameter = name});
}

void BaseStation::computed(Result<job::BaseWork> work) {
    computing_ = false;
    work_.reset();
    problem_.clear();
    if (work)
        work_ = std::move(*work);
    else
        problem_ = work.error().text();
    fill();
    if (std::exchange(makeWhenDone_, false) && primary()->isEnabled()) makeRound();
}

job::DonorPtr BaseStation::donor() const {
    for (const auto& one : desks_.reference.donors())
        if (one->name == donor_) return one;
    return nullptr;
}

void BaseStation::fill() {
    // The keyboard stays where it was.
    const QString focused = focusWidget() ? focusWidget()->objectName() : QString();
    const int scrolled = scroll_->verticalScrollBar()->value();
    subtitle()->setText(
        desks_.round.selected()
            ? tr("built on round %1, %2").arg(desks_.round.selected()->number).arg(qs(desks_.round.selected()->title))
            : "");
    fitted_->show(desks_.sheet.sheet(), work());
    drives_->show(work(), stage_);
    if (askingParts_) return refreshButton();
    // The old cards go as the new ones take their place; those that tell the same move over.
    auto* inside = narrow();
    cards_ = new QVBoxLayout(inside);
    cards_->setContentsMargins(0, 0, 6, 0);
    cards_->setSpacing(10);
    fillCards();
    cards_->addStretch();
    scroll_->setWidget(inside);
    inside->show();
    refreshButton();
    scroll_->verticalScrollBar()->setValue(scrolled);
    if (auto* again = focused.isEmpty() ? nullptr : findChild<QWidget*>(focused)) again->setFocus();
}

void BaseStation::fillCards() {
    if (!work_) {
        cards_->addWidget(problem_.empty()
                              ? wrapped(tr("There is nothing to build on yet. Connect and read the controller on "
                                           "the Car station."),
                                        "faint")
                              : wrapped(qs(problem_), "alarm"));
        return;
    }
    for (const std::string& conflict : work_->plan.conflicts)
        cards_->addWidget(wrapped(qs(conflict), "warm"));
    if (!work_->onOriginal)
        cards_->addWidget(
            wrapped(tr("This round is built on the base; here are the limits of the drives that come next. "
                       "Select the original to change the base itself."),
                    "faint"));
    if (work_->onOriginal) cards_->addWidget(donorHead());
    if (donorMissing())
        cards_->addWidget(
            wrapped(tr("The donor ") + qs(donor_) + tr(" is not there; choose another, or none."), "warm"));
    std::string cause = kDonorCause;
    for (const auto& p : work_->plan.proposals) {
        if (p.cause != cause) cards_->addWidget(causeHead(qs(cause = p.cause)));
        auto* card = cardOf(p);
        card->setBrief(brief_);
        cards_->addWidget(card);
    }
    if (work_->plan.proposals.empty())
        cards_->addWidget(
            wrapped(tr("The build sheet names no part that differs. Fill it in on the Car station."), "faint"));
}

ProposalCard* BaseStation::cardOf(const proposals::Proposal& p) {
    if (auto* shown = findChild<ProposalCard*>("card_" + qs(p.id)); shown && shown->tells(p)) return shown;
    auto* card = new ProposalCard(p, desks_.units.preferences());
    card->setObjectName("card_" + qs(p.id));
    connect(card, &ProposalCard::decided, this, &BaseStation::decide);
    connect(card, &ProposalCard::parameterWanted, this, &BaseStation::openParameter);
    return card;
}

QWidget* BaseStation::donorHead() {
    auto* box = new QWidget;
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(2, 4, 0, 0);
    auto* choice = new QComboBox;
    choice->setObjectName("donor");
    choice->setAccessibleName(tr("Donor: another car's calibration whose tables are offered"));
    choice->setToolTip(tr("Another car's calibration; groups of its tables that fit better are suggested"));
    choice->addItem("no donor");
    for (const auto& one : desks_.reference.donors())
        choice->addItem(qs(one->name), qs(one->name));
    choice->addItem("add a donor \u2026");
    choice->setCurrentIndex(std::max(0, choice->findData(qs(donor_))));
    connect(choice, &QComboBox::activated, this, &BaseStation::chooseDonor, Qt::QueuedConnection);
    row->addWidget(label(kDonorCause, "heading"));
    row->addWidget(choice);
    const auto from = donor();
    if (from) {
        auto* parts = new QPushButton(tr("Its parts"));
        parts->setObjectName("donorParts");
        parts->setToolTip(tr("What this donor was built of; what nobody tells is read from its numbers"));
        connect(parts, &QPushButton::clicked, this, &BaseStation::askDonorParts, Qt::QueuedConnection);
        row->addWidget(parts);
        auto* suggested = new QToolButton;
        suggested->setText(tr("take what is suggested"));
        suggested->setObjectName("takeSuggested");
        suggested->setProperty("link", true);
        suggested->setFocusPolicy(Qt::TabFocus);
        connect(suggested, &QToolButton::clicked, this, [this] {
            for (const auto& p : work_->plan.proposals)
                if (p.suggested) decisions_[p.id].accepted = true;
            keepDecisions();
            QMetaObject::invokeMethod(this, &BaseStation::compute, Qt::QueuedConnection);
        });
        row->addWidget(suggested);
    }
    row->addStretch();
    auto* brief = new QToolButton;
    brief->setText(brief_ ? tr("in full") : tr("in brief"));
    brief->setObjectName("brief");
    brief->setToolTip(brief_
                          ? tr("Each proposal with reason, numbers before and after, and what to check (Ctrl+Shift+B)")
                          : tr("Each proposal by its formula alone (Ctrl+Shift+B)"));
    brief->setProperty("link", true);
    brief->setFocusPolicy(Qt::TabFocus);
    connect(brief, &QToolButton::clicked, this, &BaseStation::turnBrief, Qt::QueuedConnection);
    row->addWidget(brief);
    return box;
}

void BaseStation::turnBrief() {
    brief_ = !brief_;
    keepDecisions();
    fill();
}

void BaseStation::lookAt(const QString& cause) {
    // While a donor's parts are asked for, no proposals are shown.
    auto* head = scroll_->widget() ? scroll_->widget()->findChild<QWidget*>("cause_" + cause) : nullptr;
    if (!head) return;
    scroll_->verticalScrollBar()->setValue(head->y());
    if (auto* all = head->findChild<QToolButton*>()) all->setFocus();
}

void BaseStation::chooseDonor(int index) {
    const auto donors = static_cast<int>(desks_.reference.donors().size());
    if (index > donors) return addDonor();
    donor_ = index == 0 ? std::string() : desks_.reference.donors()[static_cast<size_t>(index) - 1]->name;
    if (index > 0) desks_.reference.choose(QString("donor:%1").arg(index - 1));  // on Maps too
    // What was said yes to was another's.
    std::erase_if(decisions_, [](const auto& one) { return proposals::causeOf(one.first) == kDonorCause; });
    keepDecisions();
    compute();
}

void BaseStation::addDonor() {
    const QString image = QFileDialog::getOpenFileName(
        this, "A donor's image",
        qs(desks_.car.kit ? storage::Path(desks_.car.kit->definitionFile).parent_path().string() : ""),
        "Images (*.hex *.s19 *.srec *.mot *.bin);;All files (*)");
    if (!image.isEmpty()) addDonorFile(image);
    compute();  // the choice shows again what is so
}

void BaseStation::addDonorFile(const QString& image) {
    if (auto done = desks_.reference.addDonor(image.toStdString(), {}); !done)
        return desks_.messages.say(qs(done.error().text()), true);
    chooseDonor(static_cast<int>(desks_.reference.donors().size()));
}

void BaseStation::askDonorParts() {
    const auto from = donor();
    if (!from) return;
    askingParts_ = true;
    auto* inside = narrow();
    auto* column = new QVBoxLayout(inside);
    auto* row = new QHBoxLayout;
    row->addWidget(label(tr("What ") + qs(from->name) + tr(" was built of"), "heading"), 1);
    auto* back = new QPushButton(tr("Back to the proposals"));
    back->setObjectName("donorPartsDone");
    row->addWidget(back);
    column->addLayout(row);
    auto* form = new BuildSheetForm([](const proposals::BuildSheet& sheet) { return proposals::refusals(sheet); },
                                    proposals::factsOfDonors());
    form->setObjectName("donorSheet");
    form->setParts(desks_.sheet.parts());
    connect(form, &BuildSheetForm::partKept, &desks_.sheet, &SheetDesk::keepPart);
    connect(form, &BuildSheetForm::partForgotten, &desks_.sheet, &SheetDesk::forgetPart);
    connect(&desks_.sheet, &SheetDesk::partsChanged, form, [this, form] { form->setParts(desks_.sheet.parts()); });
    form->setSheet(from->sheet);
    column->addWidget(form);
    connect(
        back, &QPushButton::clicked, this,
        [this, form, from] {
            askingParts_ = false;
            const auto sheet = form->sheet();
            if (from == donor() && !(from->sheet == sheet))
                desks_.reference.setDonorSheet(from, sheet);  // computes anew
            else
                QMetaObject::invokeMethod(this, &BaseStation::fill, Qt::QueuedConnection);
        },
        Qt::QueuedConnection);
    scroll_->setWidget(inside);
    inside->show();
    back->setFocus();
}

QWidget* BaseStation::causeHead(const QString& cause) {
    auto* box = new QWidget;
    box->setObjectName("cause_" + cause);
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(2, 4, 0, 0);
    row->addWidget(label(cause, "heading"));
    for (const auto& [text, accept] : {std::pair{"all", true}, {"none", false}}) {
        auto* button = new QToolButton;
        button->setText(text);
        button->setProperty("link", true);
        button->setObjectName((accept ? "all_" : "none_") + cause);
        button->setToolTip((accept ? "Accept all of " : "Leave out all of ") + cause);
        button->setFocusPolicy(Qt::TabFocus);
        connect(button, &QToolButton::clicked, this,
                [this, cause = cause.toStdString(), accept = accept] { decideCause(cause, accept); });
        row->addWidget(button);
    }
    row->addStretch();
    return box;
}

void BaseStation::keepDecisions() {
    if (!desks_.car.folder) return;
    const auto keep = [&](const char* key, const std::string& value) {
        if (auto done = desks_.car.folder->settings().set(key, value); !done)
            desks_.messages.say(qs(done.error().text()), true);
    };
    keep(kDecisions, job::toJson(decisions_));
    keep(kDonor, donor_);
    keep(kBrief, brief_ ? "yes" : "");
    keep(kStage, std::string(proposals::kStages[static_cast<size_t>(stage_)]));
}

void BaseStation::decide(const std::string& id, const proposals::Decision& decision) {
    decisions_[id] = decision;
    keepDecisions();
    // The card that asked is still on the way out of its own event.
    QMetaObject::invokeMethod(this, &BaseStation::compute, Qt::QueuedConnection);
}

void BaseStation::decideCause(const std::string& cause, bool accept) {
    if (!work_) return;
    // Also what is not proposed just now, because something it is computed on was left out.
    for (auto& [id, decision] : decisions_)
        if (proposals::causeOf(id) == cause) decision.accepted = accept;
    for (const auto& p : work_->plan.proposals)
        if (p.cause == cause) decisions_[p.id] = {accept, p.strength, p.byHand ? p.number : std::nullopt};
    keepDecisions();
    QMetaObject::invokeMethod(this, &BaseStation::compute, Qt::QueuedConnection);
}

void BaseStation::refreshButton() {
    const auto count = work_ ? work_->plan.edits().size() : 0;
    const int next = desks_.car.nextNumber();
    primary()->setText(
        count ? tr("Make round %1 with %2 %3").arg(next).arg(count).arg(count == 1 ? "proposal" : "proposals")
              : tr("Make round %1").arg(next));
    // What was said yes to of a donor that is gone would be left out in silence.
    primary()->setEnabled(count > 0 && !donorMissing());
}

void BaseStation::makeRound() {
    if (computing_) {
        makeWhenDone_ = true;
        return;
    }
    if (!work_) return;
    const std::string title = work_->onOriginal
                                  ? "Base for the new parts"
                                  : "Limits for " + std::string(proposals::kStages[static_cast<size_t>(stage_)]);
    const auto round =
        desks_.round.makeRound(work_->plan.edits(), title, job::reasonOf(work_->plan, desks_.sheet.sheet()));
    if (!round) return desks_.messages.say(qs(round.error().text()), true);
    desks_.messages.say(tr("Round %1 is made. Flash it next.").arg(round->number));
}

}  // namespace brusk::app
