// Kept as it is typed; nil octane means that nobody knows.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/drive/TankPanel.h"

#include <QFormLayout>

#include "app/desks/WatchDesk.h"

namespace brusk::app {
namespace {

QDoubleSpinBox* number(const char* name, double least, double most, const QString& unit) {
    auto* box = new QDoubleSpinBox;
    box->setObjectName(name);
    box->setRange(least, most);
    box->setDecimals(0);
    box->setSuffix(unit);
    box->setSpecialValueText(QObject::tr("not known"));
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    return box;
}

}  // namespace

TankPanel::TankPanel(WatchDesk& desk) : desk_(desk) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    question_ = label(tr("What is in the tank? Enter records with this."), "warm");
    question_->setObjectName("tankQuestion");
    question_->hide();
    column->addWidget(question_);
    auto* form = new QFormLayout;
    form->setContentsMargins(0, 0, 0, 0);
    form->setVerticalSpacing(5);
    fuel_ = new QLineEdit;
    fuel_->setObjectName("tankFuel");
    fuel_->setPlaceholderText(tr("in words, where it is from"));
    octane_ = number("tankOctane", 59, 130, tr(" RON"));
    ethanol_ = number("tankEthanol", -1, 100, tr(" %"));
    note_ = new QLineEdit;
    note_->setObjectName("tankNote");
    note_->setPlaceholderText(tr("weather, load, road or dyno, anything else"));
    form->addRow(tr("Fuel"), fuel_);
    form->addRow(tr("Octane"), octane_);
    form->addRow(tr("Ethanol"), ethanol_);
    form->addRow(tr("Note"), note_);
    column->addLayout(form);
    answer_ = new QPushButton(tr("Record with this"));
    answer_->setObjectName("tankAnswer");
    answer_->setAutoDefault(true);
    answer_->setDefault(true);
    answer_->hide();
    column->addWidget(answer_, 0, Qt::AlignLeft);
    problem_ = new ElidedLabel("alarm");
    problem_->setObjectName("tankProblem");
    column->addWidget(problem_);
    column->addStretch(1);
    for (auto* edit : {fuel_, note_}) {
        connect(edit, &QLineEdit::editingFinished, this, &TankPanel::keep);
        connect(edit, &QLineEdit::returnPressed, answer_, [this] {
            if (answer_->isVisible()) answer_->click();
        });
    }
    for (auto* box : {octane_, ethanol_})
        connect(box, &QDoubleSpinBox::valueChanged, this, &TankPanel::keep);
    connect(answer_, &QPushButton::clicked, this, [this] {
        if (tell(desk_.tank())) emit answered();
    });
    connect(&desk_, &WatchDesk::changed, this, &TankPanel::refresh);
    refresh();
}

void TankPanel::showEvent(QShowEvent* event) {
    refresh();
    QWidget::showEvent(event);
}

void TankPanel::refresh() {
    if (fuel_->hasFocus() || note_->hasFocus()) return;
    filling_ = true;
    const auto tank = desk_.tank();
    fuel_->setText(QString::fromStdString(tank.fuel));
    note_->setText(QString::fromStdString(tank.note));
    octane_->setValue(tank.octane_RON.value_or(octane_->minimum()));
    ethanol_->setValue(tank.ethanol_pct.value_or(ethanol_->minimum()));
    filling_ = false;
}

void TankPanel::ask() {
    refresh();
    question_->show();
    answer_->show();
    answer_->setFocus();
}

void TankPanel::keep() {
    if (filling_) return;
    carfolder::Conditions tank = desk_.tank();
    const auto of = [](const QDoubleSpinBox* box) {
        return box->value() > box->minimum() ? std::optional(box->value()) : std::nullopt;
    };
    tank.fuel = fuel_->text().trimmed().toStdString();
    tank.note = note_->text().trimmed().toStdString();
    tank.octane_RON = of(octane_);
    tank.ethanol_pct = of(ethanol_);
    if (!(tank == desk_.tank())) (void)tell(tank);
}

bool TankPanel::tell(const carfolder::Conditions& tank) {
    const auto done = desk_.tellTank(tank);
    problem_->setText(done ? QString() : QString::fromStdString(done.error().text()));
    return done.has_value();
}

void TankPanel::answerIsKnown() {
    question_->hide();
    answer_->hide();
}

}  // namespace brusk::app
