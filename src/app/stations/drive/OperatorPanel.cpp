// Every change is an order to the bench car, taken at once.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/drive/OperatorPanel.h"

#include <QGridLayout>

#include "app/link/LinkParts.h"
#include "app/widgets/Times.h"

namespace brusk::app {
namespace {

QDoubleSpinBox* number(const char* name, double least, double most, double value, int decimals, const char* unit,
                       const char* tip) {
    auto* box = new QDoubleSpinBox;
    box->setObjectName(name);
    box->setRange(least, most);
    box->setDecimals(decimals);
    box->setValue(value);
    box->setSuffix(unit);
    box->setToolTip(tip);
    box->setKeyboardTracking(false);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);  // arrow keys and the wheel step it
    return box;
}

}  // namespace

OperatorPanel::OperatorPanel(DrivePresenter& presenter, QWidget* parent)
    : Panel(tr("Bench car"), parent), presenter_(presenter) {
    setObjectName("operatorPanel");
    headRow()->addWidget(label(tr("simulated"), "faint"));
    const auto flat = [this](const QString& text, const char* name, const QString& tip) {
        auto* button = new QToolButton;
        button->setText(text);
        button->setObjectName(name);
        button->setToolTip(tip);
        button->setProperty("flat", true);
        button->setEnabled(false);
        headRow()->addWidget(button);
        return button;
    };
    headRow()->addStretch(1);
    ignition_ = flat(tr("Ignition"), "ignition", tr("Off and on while it drives"));
    ignition_->setCheckable(true);
    ignition_->setChecked(true);
    reset_ = flat(tr("Reset"), "resetController", tr("The controller begins anew, as after a drop of its supply"));
    connect(ignition_, &QToolButton::toggled, this, [this] { order(); });
    connect(reset_, &QToolButton::clicked, this, [this] {
        ++resets_;
        order();
    });
    body()->setSpacing(4);
    makeRoute();
    makeWeatherAndFuel();
    makeFaults();
}

void OperatorPanel::makeRoute() {
    route_ = new QComboBox;
    route_->setObjectName("route");
    route_->setToolTip(tr("What the bench car's driver does"));
    for (const auto& choice : routeChoices()) {
        const QString length = choice.seconds >= 1 ? ", " + minutesText(choice.seconds) : QString();
        route_->addItem(QString::fromStdString(choice.title) + length, QString::fromStdString(choice.name));
    }
    lapse_ = new QComboBox;
    lapse_->setObjectName("timeLapse");
    lapse_->setToolTip(tr("How fast the bench car's time passes"));
    for (const auto& [text, value] : {std::pair{"as it happens", 1.0},
                                      {"5 times as fast", 5.0},
                                      {"20 times as fast", 20.0},
                                      {"as fast as it can", 0.0}})
        lapse_->addItem(text, value);
    lapse_->setCurrentIndex(2);
    body()->addWidget(route_);
    body()->addWidget(lapse_);
    connect(lapse_, &QComboBox::currentIndexChanged, this,
            [this] { presenter_.setTimeLapse(lapse_->currentData().toDouble()); });
}

void OperatorPanel::makeWeatherAndFuel() {
    const BenchOrders& now = presenter_.benchOrders();
    temperature_ = number("weatherTemperature", -30, 45, now.temperature_C, 0, " \u00b0C", "Outside air");
    pressure_ = number("weatherPressure", 60, 106, now.pressure_kPa, 1, " kPa",
                       "Air pressure: 101.3 at the sea, 80 at 2,000 m");
    octane_ = number("fuelOctane", 85, 105, now.octane_RON, 0, " RON", "Octane of what is in the tank");
    ethanol_ = number("fuelEthanol", 0, 85, now.ethanol_pct, 0, " % ethanol", "Share of ethanol by volume");
    auto* grid = new QGridLayout;
    grid->setSpacing(4);
    grid->addWidget(label(tr("Weather"), "faint"), 0, 0);
    grid->addWidget(temperature_, 0, 1);
    grid->addWidget(pressure_, 0, 2);
    grid->addWidget(label(tr("Fuel"), "faint"), 1, 0);
    grid->addWidget(octane_, 1, 1);
    grid->addWidget(ethanol_, 1, 2);
    grid->setColumnStretch(2, 1);
    body()->addLayout(grid);
    wideband_ = new QComboBox;
    wideband_->setObjectName("benchWideband");
    wideband_->setToolTip(tr("Its analogue output is on the controller's spare input, whichever it is"));
    for (const auto& choice : widebandChoices())
        wideband_->addItem(QString::fromStdString(choice.title), QString::fromStdString(choice.name));
    body()->addWidget(wideband_);
    connect(wideband_, &QComboBox::currentIndexChanged, this, [this] { order(); });
    for (auto* box : {temperature_, pressure_, octane_, ethanol_})
        connect(box, &QDoubleSpinBox::valueChanged, this, [this] { order(); });
}

void OperatorPanel::makeFaults() {
    auto* head = new QHBoxLayout;
    head->addWidget(label(tr("Faults"), "faint"));
    head->addStretch();
    faultCount_ = label(tr("none"), "faint");
    faultCount_->setObjectName("faultCount");
    head->addWidget(faultCount_);
    body()->addLayout(head);
    faults_ = new QListWidget;
    faults_->setObjectName("faults");
    faults_->setMinimumHeight(48);
    faults_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    faults_->setTextElideMode(Qt::ElideRight);
    for (const auto& choice : faultChoices()) {
        auto* item = new QListWidgetItem(QString::fromStdString(choice.title), faults_);
        item->setToolTip(item->text());
        item->setData(Qt::UserRole, QString::fromStdString(choice.name));
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
        item->setCheckState(Qt::Unchecked);
    }
    body()->addWidget(faults_, 1);
    connect(faults_, &QListWidget::itemChanged, this, [this] { order(); });
}

void OperatorPanel::setDriving(bool driving) {
    ignition_->setEnabled(driving);
    reset_->setEnabled(driving);
    if (!driving) ignition_->setChecked(true);  // the next drive begins with it on
}

void OperatorPanel::order() {
    BenchOrders orders{temperature_->value(),
                       pressure_->value(),
                       octane_->value(),
                       ethanol_->value(),
                       {},
                       wideband_->currentData().toString().toStdString(),
                       ignition_->isChecked(),
                       resets_};
    for (int i = 0; i < faults_->count(); ++i) {
        if (faults_->item(i)->checkState() != Qt::Checked) continue;
        orders.faults.push_back(faults_->item(i)->data(Qt::UserRole).toString().toStdString());
    }
    faultCount_->setText(orders.faults.empty() ? tr("none") : QString("%1 on").arg(orders.faults.size()));
    presenter_.order(orders);
}

}  // namespace brusk::app
