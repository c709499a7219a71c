// Plans on every change, draws the plan, and asks once before it writes.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/flash/FlashStation.h"

#include <QScrollArea>
#include <QToolButton>
#include <algorithm>

#include "app/desks/CarInHand.h"
#include "app/desks/ControllerDesk.h"
#include "app/desks/FlashDesk.h"
#include "app/desks/LinkFacts.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "app/widgets/Times.h"
#include "core/base/Text.h"

namespace brusk::app {

namespace {

constexpr int kJournalLines = 30;
constexpr size_t kMostChanges = 60;

/// A panel whose content scrolls when there is more than room.
QVBoxLayout* scrolled(Panel* panel) {
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = new QWidget;
    auto* rows = new QVBoxLayout(inside);
    rows->setContentsMargins(0, 0, 6, 0);
    scroll->setWidget(inside);
    panel->body()->addWidget(scroll, 1);
    return rows;
}

QString sectorsText(size_t n) {
    return QString("%1 %2").arg(n).arg(n == 1 ? "sector" : "sectors");
}

}  // namespace

FlashStation::FlashStation(Desks& desks, QWidget* parent) : Station("Flash", parent), desks_(desks) {
    primary()->setObjectName("flash");
    scope_ = new QComboBox;
    scope_->setObjectName("flashScope");
    scope_->setAccessibleName(tr("What is written"));
    scope_->setToolTip(
        tr("What is written: only the sectors that differ from the car, the whole calibration, or all that "
           "the controller lets be erased"));
    scope_->addItems({tr("Sectors that changed"), tr("The whole calibration"), tr("Everything")});
    titleRow()->insertWidget(titleRow()->count() - 1, scope_);
    makeMemory();
    makeConfirm();
    makeProgress();
    makeColumns();
    auto* traffic = new TrafficView(desks_);
    body()->addWidget(traffic, 3);

    connect(scope_, &QComboBox::currentIndexChanged, this, [this](int index) {
        options_.scope = static_cast<job::FlashScope>(index);
        plan();
    });
    connect(gates_, &GateList::remedyWanted, this, &FlashStation::settle);
    connect(gates_, &GateList::serialTyped, this, [this](const QString& serial) {
        options_.typedSerial = serial.toStdString();
        plan();
    });
    connect(primary(), &QPushButton::clicked, this, &FlashStation::act);
    connect(cancel_, &QPushButton::clicked, &desks_.flash, &FlashDesk::cancel);
    const auto refreshes = [this](auto* desk, auto signal) {
        connect(desk, signal, this, [this] {
            if (isVisible()) refresh();
        });
    };
    refreshes(&desks_.flash, &FlashDesk::linkChanged);
    refreshes(&desks_.places, &Places::roundShown);
    refreshes(&desks_.car, &CarInHand::roundsChanged);
}

void FlashStation::makeMemory() {
    auto* memory = new Panel(tr("Memory"));
    ribbonText_ = label({}, "faint");
    ribbonText_->setObjectName("ribbonText");
    memory->headRow()->insertWidget(1, ribbonText_);
    memory->headRow()->insertSpacing(1, 10);
    ribbon_ = new MemoryRibbon;
    memory->body()->addWidget(ribbon_);
    lastFlash_ = label({}, "faint");
    lastFlash_->setObjectName("lastFlash");
    lastFlash_->setToolTip(
        tr("The theoretical least: the frames ISO-TP needs to write and read back, back to back at the "
           "bitrate, and the controller's stated erase and program times"));
    memory->headRow()->addWidget(lastFlash_);
    body()->addWidget(memory);
}

void FlashStation::makeConfirm() {
    confirm_ = new QFrame;
    confirm_->setProperty("note", true);
    auto* row = new QHBoxLayout(confirm_);
    confirmText_ = label({});
    confirmText_->setObjectName("confirmText");
    confirmText_->setWordWrap(true);
    yes_ = new QPushButton(tr("Flash now"));
    yes_->setObjectName("confirmFlash");
    yes_->setProperty("danger", true);
    auto* no = new QPushButton(tr("Not now"));
    no->setObjectName("declineFlash");
    row->addWidget(confirmText_, 1);
    row->addWidget(no);
    row->addWidget(yes_);
    confirm_->hide();
    body()->addWidget(confirm_);
    connect(yes_, &QPushButton::clicked, this, [this] {
        confirm_->hide();
        desks_.flash.flash(options_);
        // What was typed was for this flash.
        options_.typedSerial.clear(), options_.clearLearned = false;
    });
    connect(no, &QPushButton::clicked, confirm_, &QWidget::hide);
}

void FlashStation::makeProgress() {
    auto* panel = new Panel("");
    progressPanel_ = panel;
    auto* row = new QHBoxLayout;
    progressText_ = label({}, "numbers");
    progressText_->setObjectName("flashProgress");
    cancel_ = new QPushButton(tr("Stop"));
    cancel_->setObjectName("stopFlash");
    cancel_->setToolTip(
        tr("Stops after the block under way. The controller then waits in boot mode until it is flashed again."));
    row->addWidget(progressText_, 1);
    row->addWidget(cancel_);
    panel->body()->addLayout(row);
    progress_ = new QProgressBar;
    progress_->setTextVisible(false);
    progress_->setMaximum(1000);
    panel->body()->addWidget(progress_);
    progressPanel_->hide();
    body()->addWidget(progressPanel_);
}

void FlashStation::makeColumns() {
    auto* columns = new QHBoxLayout;
    columns->setSpacing(12);
    auto* gatePanel = new Panel(tr("Gates"));
    gates_ = new GateList;
    scrolled(gatePanel)->addWidget(gates_);
    columns->addWidget(gatePanel, 21);
    auto* changePanel = new Panel(tr("What changed"));
    changesHead_ = label({}, "faint");
    changePanel->headRow()->addWidget(changesHead_);
    changes_ = scrolled(changePanel);
    changes_->setSpacing(4);
    columns->addWidget(changePanel, 15);
    auto* journalPanel = new Panel(tr("Journal"));
    journal_ = scrolled(journalPanel);
    journal_->setSpacing(4);
    columns->addWidget(journalPanel, 14);
    body()->addLayout(columns, 5);
}

void FlashStation::shown() {
    confirm_->hide();
    refresh();
    // The gates look at the car as it is now.
    if (desks_.controller.ready()) desks_.controller.refreshIdentity();
}

void FlashStation::settle(job::Gate::Remedy remedy, const QString& parameter) {
    switch (remedy) {
        case job::Gate::Remedy::Connect:
        case job::Gate::Remedy::Read:
            desks_.places.go({.station = "Car"});
            break;
        case job::Gate::Remedy::AskAgain:
            desks_.controller.refreshIdentity();
            break;
        case job::Gate::Remedy::ShowParameter:
            desks_.places.go({.station = "Maps", .parameter = parameter});
            break;
        case job::Gate::Remedy::ClearLearned:
            options_.clearLearned = true;
            plan();
            break;
        default:
            break;
    }
}

void FlashStation::act() {
    if (!plan_ || plan_->blocked()) return;
    QString text =
        tr("Round %1 goes into %2: %3, %4 KiB. Keep the ignition on and a charger connected until it is done.")
            .arg(plan_->round.number)
            .arg(QString::fromStdString(desks_.flash.identity() ? desks_.flash.identity()->at("vin") : ""))
            .arg(sectorsText(plan_->sectors.size()))
            .arg(plan_->bytes() / 1024);
    for (const auto& gate : plan_->gates)
        if (gate.verdict == job::Gate::Verdict::Warns)
            text += "\n" + QString::fromStdString(gate.name + ": " + gate.sentence);
    confirmText_->setText(text);
    confirm_->show();
    yes_->setFocus();
}

void FlashStation::refresh() {
    refreshProgress();
    if (desks_.flash.flashing() && plan_) {
        // The plan stands until the flash is over; only what moves is drawn anew.
        refreshPrimary();
        refreshRibbon();
        return refreshJournal();
    }
    const auto* round = desks_.car.round(desks_.places.round());
    if (!round || !desks_.car.kit) {
        plan_.reset();
        primary()->setText(tr("Flash"));
        primary()->setEnabled(false);
        subtitle()->setText(tr("Read the controller first."));
        return;
    }
    subtitle()->setText(tr("round %1, %2").arg(round->number).arg(QString::fromStdString(round->title)));
    // What was asked for was for the round that was shown then.
    if (plan_ && plan_->round.id != round->id) plan_.reset(), options_.clearLearned = false;
    refreshPrimary();
    refreshJournal();
    plan();
}

void FlashStation::plan() {
    const auto* round = desks_.car.round(desks_.places.round());
    if (!round || !desks_.car.kit || desks_.flash.flashing()) return;
    planning_ = true;
    std::optional<link::Identity> identity;
    if (desks_.flash.identity()) identity = *desks_.flash.identity();
    desks_.flash.plan(this, identity, options_, [this](Result<job::FlashPlan> plan) { takePlan(std::move(plan)); });
    refreshPrimary();
}

void FlashStation::takePlan(Result<job::FlashPlan> plan) {
    planning_ = false;
    // A flash that began meanwhile keeps the plan it was begun with.
    if (desks_.flash.flashing()) return;
    if (!plan) return desks_.messages.say(QString::fromStdString(plan.error().text()), true);
    plan_ = std::move(*plan);
    scope_->setEnabled(!plan_->round.sealed);
    gates_->setGates(plan_->gates);
    refreshPrimary();
    refreshRibbon();
    refreshChanges();
}

void FlashStation::refreshProgress() {
    const bool flashing = desks_.flash.flashing();
    progressPanel_->setVisible(flashing);
    // Of a sealed round nobody chooses what is written.
    scope_->setEnabled(!flashing && !(plan_ && plan_->round.sealed));
    if (flashing) {
        const auto& p = desks_.flash.progress();
        progress_->setValue(p.total ? static_cast<int>(p.done * 1000 / p.total) : 0);
        progressText_->setText(progressText(p));
    }
    const auto last = desks_.flash.lastReport();
    lastFlash_->setVisible(last && last->sectors > 0);
    if (last && last->sectors > 0)
        lastFlash_->setText(tr("last flash: %1, %2 KiB in %3 s, %4 times the theoretical least")
                                .arg(sectorsText(last->sectors))
                                .arg(last->bytes / 1024)
                                .arg(static_cast<double>(last->elapsed_us) * 1e-6, 0, 'f', 1)
                                .arg(1 / last->share(), 0, 'f', 3));
}

void FlashStation::refreshPrimary() {
    const size_t n = plan_ ? plan_->sectors.size() : 0;
    primary()->setText(!plan_ ? tr("Flash") : n == 0 ? tr("In the car already") : tr("Flash ") + sectorsText(n));
    primary()->setEnabled(plan_ && !planning_ && n > 0 && !plan_->blocked() && !desks_.flash.busy());
}

void FlashStation::refreshRibbon() {
    const bool flashing = desks_.flash.flashing();
    const auto& unknown = desks_.car.contents.unknown;
    const auto now = flashing ? desks_.flash.progress().sector : std::optional<image::Sector>();
    bool behind = now.has_value();  // sectors of the plan up to the one under work are done
    std::vector<MemoryRibbon::Cell> cells;
    for (const auto& sector : desks_.car.kit->profile.sectors()) {
        using State = MemoryRibbon::State;
        const bool toWrite = std::find(plan_->sectors.begin(), plan_->sectors.end(), sector) != plan_->sectors.end();
        const bool lost =
            std::any_of(unknown.begin(), unknown.end(), [&](const auto& u) { return u.sector == sector; });
        State state = lost ? State::Unknown : toWrite ? State::Change : State::Same;
        if (now && sector == *now) {
            state = State::Writing;
            behind = false;
        } else if (behind && toWrite) {
            state = State::Verified;
        }
        cells.push_back({sector.start, sector.length, state});
    }
    ribbon_->setCells(std::move(cells));
    ribbonText_->setText(plan_->sectors.empty() ? tr("every sector holds this round's bytes")
                                                : tr("%1 of %2 sectors to write, %3 KiB")
                                                      .arg(plan_->sectors.size())
                                                      .arg(desks_.car.kit->profile.sectors().size())
                                                      .arg(plan_->bytes() / 1024));
}

void FlashStation::refreshChanges() {
    emptyLayout(changes_);
    if (!plan_->comparedWith) {
        changesHead_->clear();
        auto* why = label(plan_->round.sealed        ? tr("This round came sealed: what differs is not shown.")
                          : plan_->round.number == 0 ? tr("This is the original.")
                                                     : tr("What it would be compared with came sealed."),
                          "faint");
        why->setWordWrap(true);
        changes_->addWidget(why);
        changes_->addStretch();
        return;
    }
    const bool inCar = desks_.car.contents.round == plan_->comparedWith->id;
    changesHead_->setText(
        QString(inCar ? tr("against round %1, in the car") : tr("against round %1")).arg(plan_->comparedWith->number));
    if (plan_->changes.empty()) changes_->addWidget(label(tr("Nothing."), "faint"));
    for (size_t i = 0; i < plan_->changes.size() && i < kMostChanges; ++i) {
        const auto& d = plan_->changes[i];
        auto* row = new QVBoxLayout;
        row->setSpacing(0);
        auto* name = new QToolButton;
        name->setProperty("link", true);
        name->setText(QString::fromStdString(d.parameter->title()));
        name->setToolTip(QString::fromStdString(d.parameter->description));
        connect(name, &QToolButton::clicked, this, [this, parameter = QString::fromStdString(d.parameter->name)] {
            desks_.places.go({.station = "Maps", .parameter = parameter});
        });
        row->addWidget(name);
        const auto& conversion = desks_.car.kit->definition->conversionOf(*d.parameter);
        QString text = QString("%1%2 %3")
                           .arg(d.largest > 0 ? "+" : "")
                           .arg(d.largest, 0, 'f', conversion.decimals)
                           .arg(QString::fromStdString(conversion.unit));
        if (d.cells > 1) text = tr("%1 cells, up to %2").arg(d.cells).arg(text);
        auto* amount = label(text, "faint");
        amount->setWordWrap(true);
        row->addWidget(amount);
        changes_->addLayout(row);
    }
    if (plan_->changes.size() > kMostChanges)
        changes_->addWidget(label(tr("and %1 more").arg(plan_->changes.size() - kMostChanges), "faint"));
    changes_->addStretch();
}

void FlashStation::refreshJournal() {
    const auto entries = desks_.flash.journal(kJournalLines);
    // Progress comes many times a second; the lines are made anew when there is a new one.
    const QString newest = entries.empty() ? QString() : QString::fromStdString(entries[0].at + entries[0].what);
    if (newest == newestJournal_ && journal_->count() > 0) return;
    newestJournal_ = newest;
    emptyLayout(journal_);
    for (const auto& entry : entries) {
        auto* row = new QHBoxLayout;
        row->addWidget(label(localTime(entry.at).toString("HH:mm:ss"), "faint"), 0, Qt::AlignTop);
        auto* what = label(QString::fromStdString(entry.what));
        what->setWordWrap(true);
        row->addWidget(what, 1);
        journal_->addLayout(row);
    }
    journal_->addStretch();
}

}  // namespace brusk::app
