// A line a gate: verdict as a mark and a word, its sentence, and a button for what would settle it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/flash/GateList.h"

#include <algorithm>

namespace brusk::app {

using Verdict = job::Gate::Verdict;
using Remedy = job::Gate::Remedy;

namespace {

int rank(Verdict verdict) {
    return verdict == Verdict::Blocks ? 0 : verdict == Verdict::Warns ? 1 : 2;
}

const char* buttonText(Remedy remedy) {
    switch (remedy) {
        case Remedy::Connect:
            return "Connect";
        case Remedy::Read:
            return "To the Car station";
        case Remedy::AskAgain:
            return "Ask again";
        case Remedy::ShowParameter:
            return "Show";
        case Remedy::ClearLearned:
            return "Clear it too";
        default:
            return nullptr;
    }
}

}  // namespace

GateList::GateList(QWidget* parent) : QWidget(parent), rows_(new QVBoxLayout(this)) {
    rows_->setContentsMargins(0, 0, 6, 0);
    rows_->setSpacing(6);
}

void GateList::setGates(const std::vector<job::Gate>& gates) {
    QString text;
    for (const auto& gate : gates)
        text += QString::fromStdString(gate.name + gate.sentence) + QChar(rank(gate.verdict) + 'a');
    if (text == shown_) return;
    shown_ = text;
    emptyLayout(rows_);
    std::vector<job::Gate> sorted = gates;
    std::stable_sort(sorted.begin(), sorted.end(),
                     [](const job::Gate& a, const job::Gate& b) { return rank(a.verdict) < rank(b.verdict); });
    for (const auto& gate : sorted)
        addGate(gate);
    rows_->addStretch();
}

void GateList::addGate(const job::Gate& gate) {
    const bool passed = gate.verdict == Verdict::Passed;
    const char* role = passed ? "faint" : gate.verdict == Verdict::Blocks ? "alarm" : "warm";
    auto* row = new QHBoxLayout;
    auto* mark = label(passed ? "\u2713" : gate.verdict == Verdict::Blocks ? "\u2715" : "!", passed ? "good" : role);
    mark->setFixedWidth(16);
    mark->setAlignment(Qt::AlignTop);
    row->addWidget(mark);
    auto* name = label(QString::fromStdString(gate.name), passed ? "" : "heading");
    name->setFixedWidth(98);
    name->setAlignment(Qt::AlignTop);
    name->setObjectName(passed ? "gatePassed" : gate.verdict == Verdict::Blocks ? "gateBlocks" : "gateWarns");
    row->addWidget(name);
    auto* sentence = label(QString::fromStdString(gate.sentence), role);
    sentence->setWordWrap(true);
    sentence->setAlignment(Qt::AlignTop);
    row->addWidget(sentence, 1);
    addRemedy(gate, row);
    rows_->addLayout(row);
}

void GateList::addRemedy(const job::Gate& gate, QHBoxLayout* row) {
    if (gate.overridden) return;
    if (gate.remedy == Remedy::TypeSerial) {
        auto* serial = new QLineEdit;
        serial->setObjectName("overrideSerial");
        serial->setPlaceholderText(tr("serial number"));
        serial->setAccessibleName(tr("Serial number, to override ") + QString::fromStdString(gate.name));
        serial->setToolTip(
            tr("Typing the controller's serial number takes the responsibility; the ledger remembers it."));
        serial->setFixedWidth(120);
        connect(serial, &QLineEdit::returnPressed, this,
                [this, serial] { emit serialTyped(serial->text().trimmed()); });
        row->addWidget(serial, 0, Qt::AlignTop);
        return;
    }
    const char* text = buttonText(gate.remedy);
    if (!text) return;
    auto* button = new QPushButton(text);
    button->setObjectName("gateRemedy");
    connect(button, &QPushButton::clicked, this,
            [this, gate] { emit remedyWanted(gate.remedy, QString::fromStdString(gate.parameter)); });
    row->addWidget(button, 0, Qt::AlignTop);
}

}  // namespace brusk::app
