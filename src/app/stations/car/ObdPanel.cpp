// Values are asked for again by themselves while they are looked at.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/car/ObdPanel.h"

#include <QHeaderView>
#include "app/desks/ControllerDesk.h"
#include "core/job/AnyCar.h"

namespace brusk::app {

namespace {
constexpr int kAgain_ms = 1000;
enum Column { kName, kValue, kUnit, kFrozen, kColumns };

QTableWidgetItem* cell(const QString& text, bool number) {
    auto* item = new QTableWidgetItem(text);
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
    if (number) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    return item;
}

QString shown(const link::ObdValue& value) {
    if (!value.text.empty()) return QString::fromStdString(value.text);
    return QString::number(value.value, 'f', value.unit == "lambda" || value.unit == "V" ? 3 : 1);
}
}  // namespace

ObdPanel::ObdPanel(Desks& desks) : Panel(tr("Any car (OBD)")), desks_(desks) {
    clear_ = new QPushButton(tr("Clear codes"));
    clear_->setObjectName("clearObdCodes");
    headRow()->addWidget(clear_);
    vehicle_ = new Facts;
    body()->addWidget(vehicle_);
    codes_ = label({});
    codes_->setObjectName("obdCodes");
    codes_->setWordWrap(true);
    body()->addWidget(codes_);
    values_ = new QTableWidget(0, kColumns);
    values_->setObjectName("obdValues");
    values_->setHorizontalHeaderLabels({tr("Value"), tr("Now"), tr("Unit"), tr("Frozen")});
    values_->verticalHeader()->hide();
    values_->horizontalHeader()->setSectionResizeMode(kName, QHeaderView::Stretch);
    values_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    values_->horizontalHeaderItem(kValue)->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    values_->setColumnWidth(kValue, 170);
    values_->setColumnWidth(kUnit, 70);
    values_->verticalHeader()->setDefaultSectionSize(22);
    values_->setShowGrid(false);
    body()->addWidget(values_, 1);
    connect(clear_, &QPushButton::clicked, this, [this] { desks_.controller.refreshObd(true); });
    connect(&desks_.controller, &ControllerDesk::obdChanged, this, &ObdPanel::refresh);
    again_.setInterval(kAgain_ms);
    connect(&again_, &QTimer::timeout, this, [this] {
        if (isVisible() && desks_.controller.ready()) desks_.controller.refreshObd(false);
    });
    again_.start();
}

void ObdPanel::refresh() {
    const job::ObdCar* car = desks_.controller.obdCar();
    if (!car) return;
    QStringList names;
    for (const auto& controller : car->controllers)
        names << QString::fromStdString(controller.name());
    vehicle_->set(tr("VIN"), car->vehicle.vin.empty() ? tr("not told") : QString::fromStdString(car->vehicle.vin));
    vehicle_->set(tr("Controllers"), names.join(", "));
    if (!car->vehicle.controllerName.empty())
        vehicle_->set(tr("Name"), QString::fromStdString(car->vehicle.controllerName));
    for (size_t i = 0; i < car->vehicle.calibrations.size(); ++i)
        vehicle_->set(i ? tr("Calibration %1").arg(i + 1) : tr("Calibration"),
                      QString::fromStdString(car->vehicle.calibrations[i]));
    QStringList codes;
    for (const auto& code : car->codes)
        codes << QString::fromStdString(code.name) + (code.pending ? " pending" : " stored");
    codes_->setText(codes.isEmpty() ? tr("No trouble codes.") : codes.join(", "));
    setRole(codes_, codes.isEmpty() ? "good" : "warm");
    values_->setRowCount(static_cast<int>(car->values.size()));
    for (int i = 0; i < values_->rowCount(); ++i) {
        const link::ObdValue& value = car->values[static_cast<size_t>(i)];
        values_->setItem(i, kName, cell(QString::fromStdString(value.name), false));
        values_->setItem(i, kValue, cell(shown(value), true));
        values_->setItem(i, kUnit, cell(QString::fromStdString(value.unit), false));
        QString frozen;
        if (car->frozen)
            for (const auto& then : car->frozen->values)
                if (then.name == value.name) frozen = shown(then);
        values_->setItem(i, kFrozen, cell(frozen, true));
    }
    values_->setColumnHidden(kFrozen, !car->frozen);
    if (car->frozen)
        values_->horizontalHeaderItem(kFrozen)->setText(tr("At ") + QString::fromStdString(car->frozen->code));
}

}  // namespace brusk::app
