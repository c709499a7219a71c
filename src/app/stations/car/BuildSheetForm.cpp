// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/car/BuildSheetForm.h"

#include <QGridLayout>

#include "app/widgets/Panels.h"

namespace brusk::app {

QDoubleSpinBox* BuildSheetForm::field(const char* name, double most, int decimals, const QString& unit, double step) {
    auto* box = new QDoubleSpinBox;
    box->setObjectName(name);
    box->setAccessibleName(QString(name));
    box->setRange(-1, most);
    // The lowest value means that nothing was entered; it is shown as such.
    box->setSpecialValueText("as built");
    box->setValue(-1);
    box->setDecimals(decimals);
    box->setSingleStep(step);
    if (!unit.isEmpty()) box->setSuffix(" " + unit);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    box->setAlignment(Qt::AlignRight);
    box->setMinimumWidth(unit.size() > 4 ? 122 : 84);
    connect(box, &QDoubleSpinBox::valueChanged, this, [this] {
        if (!filling_) emit changed();
    });
    return box;
}

BuildSheetForm::BuildSheetForm(QWidget* parent) : QWidget(parent) {
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(7);
    int row = 0;
    const auto heading = [&](const QString& text) {
        auto* l = label(text, "heading");
        if (row) l->setContentsMargins(0, 8, 0, 0);
        grid->addWidget(l, row++, 0, 1, 6);
    };
    const auto line = [&](const QString& text, std::initializer_list<QWidget*> boxes) {
        grid->addWidget(label(text, "faint"), row, 0);
        int column = 1;
        // A wide field may reach into the next column, where none follows.
        for (QWidget* box : boxes)
            grid->addWidget(box, row, column++, 1, boxes.size() == 1 ? 2 : 1,
                            boxes.size() == 1 ? Qt::AlignLeft : Qt::Alignment());
        ++row;
    };
    heading("Injectors");
    line("Flow, rated", {flow_ = field("injectorFlow", 3000, 0, "cm\u00b3/min", 10)});
    line("Rated at", {rated_ = field("ratedPressure", 1000, 0, "kPa", 10)});
    line("Fuel pressure here", {fuel_ = field("fuelPressure", 1000, 0, "kPa", 10)});
    for (size_t i = 0; i < kPoints; ++i) {
        volts_[i] = field(("deadVolts" + std::to_string(i)).c_str(), 20, 1, "V", 0.5);
        dead_[i] = field(("deadTime" + std::to_string(i)).c_str(), 5000, 0, "\u00b5s", 10);
    }
    line("Dead time at", {volts_[0], volts_[1], volts_[2], volts_[3], volts_[4]});
    line("is", {dead_[0], dead_[1], dead_[2], dead_[3], dead_[4]});
    heading("Manifold pressure sensor");
    line("Low point",
         {lowVolts_ = field("lowVolts", 5, 2, "V", 0.05), lowPressure_ = field("lowPressure", 1000, 0, "kPa", 5)});
    line("High point",
         {highVolts_ = field("highVolts", 5, 2, "V", 0.05), highPressure_ = field("highPressure", 1000, 0, "kPa", 5)});
    heading("Fuel");
    line("Ethanol by volume", {ethanol_ = field("ethanol", 100, 0, "%", 5)});
    grid->setColumnStretch(6, 1);
}

void BuildSheetForm::setSheet(const proposals::BuildSheet& s) {
    filling_ = true;
    flow_->setValue(s.injectorFlow_cm3min.value_or(-1));
    rated_->setValue(s.injectorRatedPressure_kPa);
    fuel_->setValue(s.fuelPressure_kPa);
    for (size_t i = 0; i < kPoints; ++i) {
        volts_[i]->setValue(i < s.deadTimes.size() ? s.deadTimes[i].volts : -1);
        dead_[i]->setValue(i < s.deadTimes.size() ? s.deadTimes[i].time_us : -1);
    }
    const bool sensor = s.pressureSensor.has_value();
    lowVolts_->setValue(sensor ? s.pressureSensor->lowVolts : -1);
    lowPressure_->setValue(sensor ? s.pressureSensor->lowPressure_kPa : -1);
    highVolts_->setValue(sensor ? s.pressureSensor->highVolts : -1);
    highPressure_->setValue(sensor ? s.pressureSensor->highPressure_kPa : -1);
    ethanol_->setValue(s.ethanol_pct.value_or(-1));
    filling_ = false;
}

proposals::BuildSheet BuildSheetForm::sheet() const {
    proposals::BuildSheet s;
    if (flow_->value() > 0) s.injectorFlow_cm3min = flow_->value();
    if (rated_->value() > 0) s.injectorRatedPressure_kPa = rated_->value();
    if (fuel_->value() > 0) s.fuelPressure_kPa = fuel_->value();
    for (size_t i = 0; i < kPoints; ++i)
        if (volts_[i]->value() > 0 && dead_[i]->value() >= 0)
            s.deadTimes.push_back({volts_[i]->value(), dead_[i]->value()});
    if (highPressure_->value() > 0 && highVolts_->value() > 0)
        s.pressureSensor =
            proposals::SensorPoints{std::max(0.0, lowVolts_->value()), std::max(0.0, lowPressure_->value()),
                                    highVolts_->value(), highPressure_->value()};
    if (ethanol_->value() >= 0) s.ethanol_pct = ethanol_->value();
    return s;
}

}  // namespace brusk::app
