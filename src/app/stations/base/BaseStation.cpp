// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/base/BaseStation.h"

#include <QGridLayout>
#include <QScrollArea>
#include <algorithm>

namespace brusk::app {

namespace {
QString number(double value, int decimals) {
    return QString::number(value, 'f', decimals);
}
}  // namespace

BaseStation::BaseStation(Session& session, QWidget* parent) : Station("Base", parent), session_(session) {
    primary()->setObjectName("makeBaseRound");
    auto* columns = new QHBoxLayout;
    columns->setSpacing(12);
    auto* side = new Panel("Fitted against original");
    side->setFixedWidth(270);
    fitted_ = new QVBoxLayout;
    fitted_->setSpacing(10);
    side->body()->addLayout(fitted_);
    side->body()->addStretch();
    columns->addWidget(side);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    auto* inside = new QWidget;
    cards_ = new QVBoxLayout(inside);
    cards_->setContentsMargins(0, 0, 6, 0);
    cards_->setSpacing(10);
    scroll->setWidget(inside);
    columns->addWidget(scroll, 1);
    body()->addLayout(columns, 1);
    connect(primary(), &QPushButton::clicked, this, &BaseStation::makeRound);
    for (auto signal : {&Session::roundSelected, &Session::folderChanged, &Session::linkChanged})
        connect(&session_, signal, this, [this] {
            if (isVisible()) compute();
        });
    compute();
}

void BaseStation::compute() {
    emptyLayout(cards_);
    emptyLayout(fitted_);
    proposals_.clear();
    accepted_.clear();
    const auto* calibration = session_.calibration();
    if (!calibration) {
        cards_->addWidget(
            label("There is nothing to build on yet. Connect and read the controller on the Car station.", "faint"));
        cards_->addStretch();
        refreshButton();
        return;
    }
    auto proposals = proposals::baseProposals(*calibration, session_.buildSheet());
    if (!proposals) {
        auto* text = label(QString::fromStdString(proposals.error().text()), "alarm");
        text->setWordWrap(true);
        cards_->addWidget(text);
    } else {
        proposals_ = std::move(*proposals);
    }
    QString cause;
    for (size_t i = 0; i < proposals_.size(); ++i) {
        if (QString::fromStdString(proposals_[i].cause) != cause) {
            cause = QString::fromStdString(proposals_[i].cause);
            cards_->addWidget(label(cause, "heading"));
        }
        cards_->addWidget(card(proposals_[i], i));
    }
    if (proposals && proposals_.empty())
        cards_->addWidget(label("The build sheet names no part that differs. Fill it in on the Car station.", "faint"));
    cards_->addStretch();
    for (const auto& p : proposals_) {
        if (p.before.size() != 1) continue;
        auto* block = new QVBoxLayout;
        block->setSpacing(1);
        block->addWidget(label(QString::fromStdString(p.label), "faint"));
        block->addWidget(label(number(p.before[0], p.decimals) + "  \u2192  " + number(p.after[0], p.decimals) + " " +
                                   QString::fromStdString(p.unit),
                               "numbers"));
        fitted_->addLayout(block);
    }
    subtitle()->setText(session_.selected() ? QString("built on round %1, %2")
                                                  .arg(session_.selected()->number)
                                                  .arg(QString::fromStdString(session_.selected()->title))
                                            : "");
    refreshButton();
}

QWidget* BaseStation::card(const proposals::Proposal& p, size_t index) {
    auto* panel = new Panel("");
    auto* accept = new QCheckBox(QString::fromStdString(p.label));
    accept->setObjectName("accept_" + QString::fromStdString(p.parameter));
    accept->setChecked(p.changes());
    accept->setEnabled(p.changes());
    QFont bold = accept->font();
    bold.setWeight(QFont::DemiBold);
    accept->setFont(bold);
    panel->headRow()->insertWidget(0, accept);
    accepted_.push_back(accept);
    connect(accept, &QCheckBox::toggled, this, &BaseStation::refreshButton);
    auto* state = label(p.changes() ? QString() : QString("holds already"), "faint");
    panel->headRow()->addWidget(state);
    auto* reason = label(QString::fromStdString(p.reason));
    reason->setWordWrap(true);
    panel->body()->addWidget(reason);
    auto* formula = label(QString::fromStdString(p.formula), "numbers");
    formula->setWordWrap(true);
    panel->body()->addWidget(formula);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(18);
    grid->setVerticalSpacing(3);
    const auto cell = [&](int row, int column, const QString& text, const char* role) {
        auto* l = label(text, role);
        l->setAlignment(column ? Qt::AlignRight : Qt::AlignLeft);
        grid->addWidget(l, row, column);
    };
    int row = 0;
    if (p.before.size() > 1) {
        cell(row, 0, QString::fromStdString(p.xLabel), "faint");
        for (size_t i = 0; i < p.x.size(); ++i)
            cell(row, static_cast<int>(i) + 1, number(p.x[i], 1), "faint");
        ++row;
    }
    const QString unit = p.unit.empty() ? "" : " " + QString::fromStdString(p.unit);
    cell(row, 0, "before" + unit, "faint");
    cell(row + 1, 0, "after" + unit, "faint");
    for (size_t i = 0; i < p.before.size(); ++i) {
        cell(row, static_cast<int>(i) + 1, number(p.before[i], p.decimals), "numbers");
        cell(row + 1, static_cast<int>(i) + 1, number(p.after[i], p.decimals), p.changes() ? "goodnumbers" : "numbers");
    }
    grid->setColumnStretch(static_cast<int>(p.before.size()) + 1, 1);
    panel->body()->addLayout(grid);
    panel->setProperty("index", static_cast<int>(index));
    return panel;
}

void BaseStation::refreshButton() {
    const auto count = std::count_if(accepted_.begin(), accepted_.end(),
                                     [](const QCheckBox* box) { return box->isEnabled() && box->isChecked(); });
    const int next = session_.rounds().empty() ? 1 : session_.rounds().front().number + 1;
    primary()->setText(
        count ? QString("Make round %1 with %2 %3").arg(next).arg(count).arg(count == 1 ? "change" : "changes")
              : QString("Make round %1").arg(next));
    primary()->setEnabled(count > 0);
}

void BaseStation::makeRound() {
    std::vector<calibration::Edit> edits;
    std::string note;
    for (size_t i = 0; i < proposals_.size(); ++i) {
        if (!accepted_[i]->isEnabled() || !accepted_[i]->isChecked()) continue;
        edits.push_back(proposals_[i].edit);
        note += proposals_[i].label + ": " + proposals_[i].formula + "\n";
    }
    const auto round = session_.makeRound(edits, "Base for the new parts", note);
    if (!round) return session_.say(QString::fromStdString(round.error().text()), true);
    session_.say(QString("Round %1 is made. Flash it next.").arg(round->number));
}

}  // namespace brusk::app
