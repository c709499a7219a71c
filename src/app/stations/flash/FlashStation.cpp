// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/flash/FlashStation.h"

#include <QDateTime>
#include <QPainter>
#include <algorithm>

#include "app/theme/Theme.h"
#include "core/base/Text.h"

namespace brusk::app {

MemoryRibbon::MemoryRibbon(QWidget* parent) : QWidget(parent) {
    setFixedHeight(66);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void MemoryRibbon::setCells(std::vector<Cell> cells) {
    if (cells == cells_) return;
    cells_ = std::move(cells);
    update();
}

void MemoryRibbon::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    if (cells_.empty()) return;
    const Tokens& t = tokens();
    // Each sector has the same width: a large one is not more work to look at.
    const double wide = static_cast<double>(width()) / static_cast<double>(cells_.size());
    painter.setFont(Theme::instance().numbers(10));
    for (size_t i = 0; i < cells_.size(); ++i) {
        const QRectF r(static_cast<double>(i) * wide + 1, 4, wide - 2, 34);
        QColor fill = t.line;
        QString mark;
        switch (cells_[i].state) {
            case State::Same:
                break;
            case State::Change:
                fill = Tokens::mix(t.sheet, t.accent, 0.75);
                mark = "\u2260";
                break;
            case State::Unknown:
                fill = t.warm;
                mark = "?";
                break;
            case State::Writing:
                fill = t.alarm;
                mark = "\u2026";
                break;
            case State::Verified:
                fill = t.accent;
                mark = "\u2713";
                break;
        }
        painter.fillRect(r, fill);
        painter.setPen(t.dark ? QColor("#0B1413") : QColor("#FFFFFF"));
        if (!mark.isEmpty()) painter.drawText(r, Qt::AlignCenter, mark);
        painter.setPen(t.faint);
        const bool label = i == 0 || cells_[i].length != cells_[i - 1].length || (i + 1 == cells_.size());
        if (label)
            painter.drawText(QRectF(std::min(r.left(), width() - 76.0), 42, 76, 16),
                             (i + 1 == cells_.size() ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter,
                             QString::fromStdString(hexAddress(cells_[i].start)));
    }
}

FlashStation::FlashStation(Session& session, QWidget* parent) : Station("Flash", parent), session_(session) {
    primary()->setObjectName("flash");
    auto* memory = new Panel("Memory");
    ribbonText_ = label({}, "faint");
    memory->headRow()->addWidget(ribbonText_);
    ribbon_ = new MemoryRibbon;
    memory->body()->addWidget(ribbon_);
    body()->addWidget(memory);

    confirm_ = new QFrame;
    confirm_->setProperty("note", true);
    auto* confirmRow = new QHBoxLayout(confirm_);
    confirmText_ = label({});
    confirmText_->setWordWrap(true);
    yes_ = new QPushButton("Flash now");
    yes_->setObjectName("confirmFlash");
    yes_->setProperty("danger", true);
    auto* no = new QPushButton("Not now");
    no->setObjectName("declineFlash");
    confirmRow->addWidget(confirmText_, 1);
    confirmRow->addWidget(no);
    confirmRow->addWidget(yes_);
    confirm_->hide();
    body()->addWidget(confirm_);

    auto* running = new Panel("");
    progressPanel_ = running;
    auto* progressRow = new QHBoxLayout;
    progressText_ = label({}, "numbers");
    progressText_->setObjectName("flashProgress");
    cancel_ = new QPushButton("Stop");
    cancel_->setObjectName("stopFlash");
    cancel_->setToolTip(
        "Stops after the block under way. The controller then waits in boot mode until it is flashed again.");
    progressRow->addWidget(progressText_, 1);
    progressRow->addWidget(cancel_);
    running->body()->addLayout(progressRow);
    progress_ = new QProgressBar;
    progress_->setTextVisible(false);
    running->body()->addWidget(progress_);
    progressPanel_->hide();
    body()->addWidget(progressPanel_);

    auto* columns = new QHBoxLayout;
    columns->setSpacing(12);
    auto* gatePanel = new Panel("Gates");
    gates_ = new QVBoxLayout;
    gates_->setSpacing(9);
    gatePanel->body()->addLayout(gates_);
    gatePanel->body()->addStretch();
    columns->addWidget(gatePanel, 4);
    auto* changePanel = new Panel("Changes against the parent round");
    changes_ = new QVBoxLayout;
    changes_->setSpacing(6);
    changePanel->body()->addLayout(changes_);
    changePanel->body()->addStretch();
    columns->addWidget(changePanel, 3);
    auto* journalPanel = new Panel("Journal");
    journal_ = new QVBoxLayout;
    journal_->setSpacing(4);
    journalPanel->body()->addLayout(journal_);
    journalPanel->body()->addStretch();
    columns->addWidget(journalPanel, 3);
    body()->addLayout(columns, 1);

    connect(primary(), &QPushButton::clicked, this, &FlashStation::act);
    connect(yes_, &QPushButton::clicked, this, [this] {
        confirm_->hide();
        session_.flashSelected();
    });
    connect(no, &QPushButton::clicked, confirm_, &QWidget::hide);
    connect(cancel_, &QPushButton::clicked, &session_, &Session::cancelTask);
    for (auto signal : {&Session::linkChanged, &Session::roundSelected, &Session::roundsChanged, &Session::taskChanged})
        connect(&session_, signal, this, [this] {
            if (isVisible()) refresh();
        });
}

void FlashStation::shown() {
    confirm_->hide();
    refresh();
    // The gates look at the car as it is now.
    if (session_.linkState() == LinkState::Open && !session_.busy()) session_.refreshIdentity();
}

void FlashStation::act() {
    if (!plan_ || plan_->blocked()) return;
    confirmText_->setText(
        QString("Round %1 goes into %2: %3 %4, %5 KiB. Keep the ignition on and a charger connected until it is done.")
            .arg(plan_->round.number)
            .arg(QString::fromStdString(session_.identity() ? session_.identity()->at("vin") : ""))
            .arg(plan_->sectors.size())
            .arg(plan_->sectors.size() == 1 ? "sector" : "sectors")
            .arg(plan_->bytes() / 1024));
    confirm_->show();
    yes_->setFocus();
}

void FlashStation::refresh() {
    const bool flashing = session_.flashing();
    progressPanel_->setVisible(flashing);
    if (flashing) {
        const auto& p = session_.progress();
        progress_->setMaximum(1000);
        progress_->setValue(p.total ? static_cast<int>(p.done * 1000 / p.total) : 0);
        progressText_->setText(QString("%1   %2 of %3 KiB   %4 KiB/s   %5 s left%6")
                                   .arg(QString::fromStdString(p.step), -22)
                                   .arg(p.done / 1024)
                                   .arg(p.total / 1024)
                                   .arg(p.rate() / 1024, 0, 'f', 1)
                                   .arg(p.secondsLeft(), 0, 'f', 0)
                                   .arg(p.retries ? QString("   %1 retries").arg(p.retries) : QString()));
    }
    primary()->setEnabled(false);
    if (flashing && plan_) {
        // The plan stands until the flash is over; only what moves is drawn anew.
        refreshRibbon();
        return refreshJournal();
    }
    plan_.reset();
    const auto* round = session_.selected();
    if (!round || !session_.kit()) {
        primary()->setText("Flash");
        subtitle()->setText("Read the controller first.");
        return;
    }
    auto plan = job::planFlash(*session_.kit(), *session_.folder(), round->id,
                               session_.linkState() == LinkState::Open ? session_.identity() : nullptr);
    if (!plan) return session_.say(QString::fromStdString(plan.error().text()), true);
    plan_ = std::move(*plan);
    subtitle()->setText(QString("round %1, %2").arg(round->number).arg(QString::fromStdString(round->title)));
    const size_t n = plan_->sectors.size();
    primary()->setText(n == 0   ? QString("In the car already")
                       : n == 1 ? QString("Flash 1 sector")
                                : QString("Flash %1 sectors").arg(n));
    primary()->setEnabled(n > 0 && !plan_->blocked() && !session_.busy());
    refreshRibbon();
    if (!flashing) {
        refreshGates();
        refreshChanges();
    }
    refreshJournal();
}

void FlashStation::refreshRibbon() {
    const bool flashing = session_.flashing();
    std::vector<MemoryRibbon::Cell> cells;
    const int unknown = session_.carContents().unknownSectors;
    const std::string step = session_.progress().step;
    for (const auto& sector : session_.kit()->profile.sectors()) {
        const bool toWrite = std::find(plan_->sectors.begin(), plan_->sectors.end(), sector) != plan_->sectors.end();
        auto state = !toWrite  ? MemoryRibbon::State::Same
                     : unknown ? MemoryRibbon::State::Unknown
                               : MemoryRibbon::State::Change;
        if (flashing && step.find(hexAddress(sector.start)) != std::string::npos) state = MemoryRibbon::State::Writing;
        cells.push_back({sector.start, sector.length, state});
    }
    ribbon_->setCells(std::move(cells));
    ribbonText_->setText(plan_->sectors.empty() ? QString("every sector holds this round's bytes")
                                                : QString("%1 of %2 sectors differ from the car, %3 KiB")
                                                      .arg(plan_->sectors.size())
                                                      .arg(session_.kit()->profile.sectors().size())
                                                      .arg(plan_->bytes() / 1024));
}

void FlashStation::refreshGates() {
    emptyLayout(gates_);
    for (const auto& gate : plan_->gates) {
        auto* row = new QHBoxLayout;
        auto* mark = label(gate.passed ? "\u2713" : "\u2715", gate.passed ? "good" : "alarm");
        mark->setFixedWidth(16);
        mark->setAlignment(Qt::AlignTop);
        auto* text = new QVBoxLayout;
        text->setSpacing(1);
        auto* name = label(QString::fromStdString(gate.name), "heading");
        auto* sentence = label(QString::fromStdString(gate.sentence), gate.passed ? "faint" : "alarm");
        sentence->setWordWrap(true);
        text->addWidget(name);
        text->addWidget(sentence);
        row->addWidget(mark);
        row->addLayout(text, 1);
        gates_->addLayout(row);
    }
}

void FlashStation::refreshChanges() {
    emptyLayout(changes_);
    const auto* now = session_.calibration();
    const auto* before = session_.reference();
    if (!now || !before) {
        changes_->addWidget(label("This round has no parent.", "faint"));
        return;
    }
    const auto differences = calibration::compare(*before, *now);
    if (differences.empty()) changes_->addWidget(label("None.", "faint"));
    for (const auto& d : differences) {
        auto* row = new QHBoxLayout;
        row->addWidget(label(QString::fromStdString(d.parameter->label)));
        row->addStretch();
        const auto& conversion = now->definition().conversionOf(*d.parameter);
        QString text = QString("%1%2 %3")
                           .arg(d.largest > 0 ? "+" : "")
                           .arg(d.largest, 0, 'f', conversion.decimals)
                           .arg(QString::fromStdString(conversion.unit));
        if (d.cells > 1) text = QString("%1 cells, up to %2").arg(d.cells).arg(text);
        row->addWidget(label(text, "numbers"));
        changes_->addLayout(row);
    }
}

void FlashStation::refreshJournal() {
    emptyLayout(journal_);
    for (const auto& entry : session_.folder()->journal(12)) {
        auto* row = new QHBoxLayout;
        row->addWidget(
            label(
                QDateTime::fromString(QString::fromStdString(entry.at), Qt::ISODate).toLocalTime().toString("HH:mm:ss"),
                "faint"),
            0, Qt::AlignTop);
        auto* what = label(QString::fromStdString(entry.what));
        what->setWordWrap(true);
        row->addWidget(what, 1);
        journal_->addLayout(row);
    }
}

}  // namespace brusk::app
