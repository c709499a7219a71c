// A row a person, a tick for each thing they may do.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/deliver/SealPanel.h"

#include <algorithm>

namespace brusk::app {

namespace {
constexpr std::array kMay{deliver::May::Flash, deliver::May::Record, deliver::May::Look, deliver::May::Change};
}  // namespace

SealPanel::SealPanel() : Panel(tr("Seal it for somebody far away")) {
    people_ = new QGridLayout;
    people_->setHorizontalSpacing(14);
    people_->setVerticalSpacing(6);
    people_->setColumnStretch(0, 1);
    body()->addLayout(people_);
    auto* binding = new QHBoxLayout;
    binding->addWidget(label(tr("Only for this"), "faint"));
    const std::pair<const char*, QString> parts[] = {
        {"boundVin", tr("car")}, {"boundSerial", tr("controller")}, {"boundSoftware", tr("software")}};
    for (size_t i = 0; i < bound_.size(); ++i) {
        bound_[i] = new QCheckBox(parts[i].second);
        bound_[i]->setObjectName(parts[i].first);
        bound_[i]->setChecked(true);
        binding->addWidget(bound_[i]);
    }
    binding->addStretch();
    body()->addLayout(binding);
    const auto choice = [this](const char* name, const QString& text, const QString& tip) {
        auto* box = new QCheckBox(text);
        box->setObjectName(name);
        box->setToolTip(tip);
        body()->addWidget(box);
        return box;
    };
    once_ = choice("writeOnce", tr("The first flash writes everything"),
                   tr("Whatever the car holds. Else only what differs from it is written."));
    older_ = choice("allowOlder", tr("It may be taken after a newer one"),
                    tr("Else a file that was sealed before one already taken is refused"));
    noWayBack_ = choice("noWayBack", tr("No way back to the car's own original"),
                        tr("Once it was flashed, only what you seal goes over it. That is shown before it is taken."));
    note_ = new QLineEdit;
    note_->setObjectName("sealNote");
    note_->setPlaceholderText(tr("Words for whoever opens it"));
    body()->addWidget(note_);
    whyNot_ = label({}, "faint");
    whyNot_->setObjectName("sealWhyNot");
    whyNot_->setWordWrap(true);
    body()->addWidget(whyNot_);
}

void SealPanel::setPeople(const std::vector<deliver::Card>& cards) {
    // Nobody is made anew while somebody ticks.
    const auto same = [](const Row& row, const deliver::Card& card) {
        return row.card.sameKeys(card) && row.card.name == card.name;
    };
    if (std::equal(rows_.begin(), rows_.end(), cards.begin(), cards.end(), same)) return;
    std::vector<std::pair<deliver::PublicKey, deliver::Allowed>> ticked;
    for (const auto& person : options().to)
        ticked.emplace_back(person.card.seal, person.may);
    rows_.clear();
    emptyLayout(people_);
    if (cards.empty()) return;
    const QString words[] = {tr("flash"), tr("record"), tr("look"), tr("change")};
    const QString tips[] = {tr("Write it into the car; its values are not shown"),
                            tr("Drive it and send the recordings"), tr("See its values, not keep them"),
                            tr("Everything, as if it were theirs")};
    for (size_t k = 0; k < kMay.size(); ++k)
        people_->addWidget(label(words[k], "faint"), 0, static_cast<int>(k) + 1);
    for (const auto& card : cards) {
        Row row{card, {}};
        const int at = static_cast<int>(rows_.size()) + 1;
        people_->addWidget(label(QString::fromStdString(card.name)), at, 0);
        for (size_t k = 0; k < kMay.size(); ++k) {
            auto* box = row.may[k] = new QCheckBox;
            box->setObjectName(QString("may_%1_%2").arg(at - 1).arg(deliver::mayName(kMay[k])));
            box->setAccessibleName(tr("%1 may %2").arg(QString::fromStdString(card.name), words[k]));
            box->setToolTip(tips[k]);
            for (const auto& [seal, may] : ticked)
                if (seal == card.seal) box->setChecked(may.to(kMay[k]));
            people_->addWidget(box, at, static_cast<int>(k) + 1);
            connect(box, &QCheckBox::toggled, this, &SealPanel::chosenChanged);
        }
        rows_.push_back(row);
    }
}

void SealPanel::setCar(const deliver::Binding& car) {
    car_ = car;
    const std::string* values[] = {&car_.vin, &car_.serial, &car_.software};
    for (size_t i = 0; i < bound_.size(); ++i) {
        bound_[i]->setEnabled(!values[i]->empty());
        bound_[i]->setToolTip(QString::fromStdString(*values[i]));
    }
}

job::SealOptions SealPanel::options() const {
    job::SealOptions out;
    for (const Row& row : rows_) {
        deliver::Allowed may;
        for (size_t k = 0; k < kMay.size(); ++k)
            if (row.may[k]->isChecked()) may.add(kMay[k]);
        if (!may.nothing()) out.to.push_back({row.card, may});
    }
    out.car = car_;
    std::string* values[] = {&out.car.vin, &out.car.serial, &out.car.software};
    for (size_t i = 0; i < bound_.size(); ++i)
        if (!bound_[i]->isChecked()) values[i]->clear();
    out.writeAllOnce = once_->isChecked();
    out.allowOlder = older_->isChecked();
    out.wayBack = !noWayBack_->isChecked();
    out.note = note_->text().toStdString();
    return out;
}

void SealPanel::setWhyNot(const QString& why) {
    whyNot_->setText(why);
    whyNot_->setVisible(!why.isEmpty());
}

}  // namespace brusk::app
