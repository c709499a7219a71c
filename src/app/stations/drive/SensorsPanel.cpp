// Rows: what is kept, then what is offered. Below: a line through two points, moved by what a gauge shows.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/drive/SensorsPanel.h"

#include <QFileDialog>
#include <QGridLayout>
#include <cmath>

#include "app/desks/SensorDesk.h"

namespace brusk::app {
namespace {

/// What somebody wires to a spare input.
constexpr roles::Role kWired[] = {"lambda_measured",     "lambda_measured_2", "fuel_pressure",
                                  "exhaust_temperature", "manifold_pressure", "intake_temperature"};

QString text(const std::string& from) {
    return QString::fromStdString(from);
}

QString numberText(double value, const std::string& unit) {
    return std::isnan(value) ? "-" : QString::number(value, 'g', 4) + (unit.empty() ? QString() : " " + text(unit));
}

QString roleTitle(const std::string& id) {
    const auto role = roles::Role::named(id);
    return role ? text(std::string(role->title())) : QString();
}

}  // namespace

SensorsPanel::SensorsPanel(SensorDesk& desk, DrivePresenter& presenter) : desk_(desk), presenter_(presenter) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(12);
    auto* column = new QVBoxLayout;
    column->setSpacing(6);
    tree_ = new QTreeWidget;
    tree_->setObjectName("sensors");
    tree_->setAccessibleName(tr("Sensors of this car"));
    tree_->setHeaderLabels({tr("Sensor"), tr("Now"), tr("Plays")});
    tree_->setRootIsDecorated(false);
    column->addWidget(tree_, 1);
    auto* buttons = new QHBoxLayout;
    const auto button = [&](const QString& title, const char* name, const QString& tip) {
        auto* out = new QPushButton(title);
        out->setObjectName(name);
        out->setToolTip(tip);
        buttons->addWidget(out);
        return out;
    };
    use_ = button(tr("Use it"), "useSensor", tr("Keeps it with this car; every drive records it"));
    plays_ = new QComboBox;
    plays_->setObjectName("plays");
    plays_->setAccessibleName(tr("What the sensor is to the engine"));
    plays_->setToolTip(tr("What it is to the engine; of two widebands, which bank's"));
    plays_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    auto* plays = new QHBoxLayout;
    plays->setSpacing(6);
    plays->addWidget(label(tr("To the engine it is"), "faint"));
    plays->addWidget(plays_, 1);
    column->addLayout(plays);
    listen_ = button(tr("Listen"), "listen", tr("For a second, sending nothing"));
    auto* open = button(tr("DBC \u2026"), "openDbc", tr("A DBC file that says what the frames mean"));
    remove_ = button(tr("Forget"), "forgetSensor", tr("This car no longer has it"));
    buttons->addStretch(1);
    column->addLayout(buttons);
    row->addLayout(column, 5);
    row->addWidget(makeLine(), 3);
    connect(tree_, &QTreeWidget::currentItemChanged, this, &SensorsPanel::showCurrent);
    connect(tree_, &QTreeWidget::itemActivated, this, &SensorsPanel::useCurrent);
    connect(use_, &QPushButton::clicked, this, &SensorsPanel::useCurrent);
    connect(listen_, &QPushButton::clicked, &desk_, &SensorDesk::listen);
    connect(open, &QPushButton::clicked, this, &SensorsPanel::openDescription);
    connect(remove_, &QPushButton::clicked, this, [this] {
        if (const auto sensor = current()) desk_.remove(sensor->sensor);
    });
    connect(plays_, &QComboBox::activated, this, &SensorsPanel::choosePlays);
    connect(&desk_, &SensorDesk::changed, this, &SensorsPanel::refresh);
    refresh();
}

QWidget* SensorsPanel::makeLine() {
    auto* out = new QWidget;
    auto* grid = new QGridLayout(out);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setVerticalSpacing(5);
    grid->addWidget(label(tr("A voltage on a spare input"), "faint"), 0, 0, 1, 4);
    const auto combo = [](const char* name, const QString& tip) {
        auto* box = new QComboBox;
        box->setObjectName(name);
        box->setToolTip(tip);
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        return box;
    };
    channel_ = combo("spareChannel", tr("The controller's measurement that has the voltage"));
    role_ = combo("spareRole", tr("What it is to the engine"));
    unit_ = combo("spareUnit", tr("Unit of the values below"));
    unit_->setMinimumWidth(76);
    for (const roles::Role role : kWired)
        role_->addItem(text(std::string(role.title())), text(std::string(role.id())));
    const auto units = [this] {
        unit_->clear();
        const auto role = roles::Role::named(role_->currentData().toString().toStdString());
        for (const std::string& unit : presenter_.unitsLike(std::string(role->unit())))
            unit_->addItem(text(unit));
    };
    connect(role_, &QComboBox::currentIndexChanged, this, units);
    units();
    grid->addWidget(channel_, 1, 0, 1, 4);
    grid->addWidget(role_, 2, 0, 1, 3);
    grid->addWidget(unit_, 2, 3);
    const char* names[] = {"volts1", "value1", "volts2", "value2"};
    for (int i = 0; i < 4; ++i) {
        points_[i] = new QLineEdit;
        points_[i]->setObjectName(names[i]);
        points_[i]->setProperty("numbers", true);
        points_[i]->setPlaceholderText(i % 2 ? tr("value") : tr("V"));
        grid->addWidget(points_[i], 3 + i / 2, i % 2 ? 2 : 0, 1, i % 2 ? 2 : 1);
        if (i % 2 == 0) grid->addWidget(label(tr("V means"), "faint"), 3 + i / 2, 1);
    }
    gauge_ = new QLineEdit;
    gauge_->setObjectName("gauge");
    gauge_->setPlaceholderText(tr("the gauge shows, now"));
    gauge_->setToolTip(tr("While it is driven: what another gauge shows at this moment. Enter moves the line there."));
    keep_ = new QPushButton(tr("Keep"));
    keep_->setObjectName("keepLine");
    keep_->setToolTip(tr("With this car, and for everything that was recorded"));
    for (int column = 0; column < 4; ++column)
        grid->setColumnStretch(column, column == 1 ? 0 : 1);
    grid->addWidget(gauge_, 5, 0, 1, 3);
    grid->addWidget(keep_, 5, 3);
    problem_ = new ElidedLabel("alarm");
    problem_->setObjectName("sensorProblem");
    ends_ = new ElidedLabel("faint");
    ends_->setObjectName("lineEnds");
    grid->addWidget(ends_, 6, 0, 1, 4);
    grid->addWidget(problem_, 7, 0, 1, 4);
    grid->setRowStretch(8, 1);
    connect(keep_, &QPushButton::clicked, this, &SensorsPanel::keepLine);
    for (auto* edit : points_) {
        connect(edit, &QLineEdit::returnPressed, this, &SensorsPanel::keepLine);
        connect(edit, &QLineEdit::textChanged, this, &SensorsPanel::showLine);
    }
    for (auto* box : {role_, unit_})
        connect(box, &QComboBox::currentIndexChanged, this, &SensorsPanel::showLine);
    connect(gauge_, &QLineEdit::returnPressed, this, &SensorsPanel::gaugeShows);
    return out;
}

void SensorsPanel::fillChannels() {
    const QString was = channel_->currentData().toString();
    channel_->clear();
    for (const auto& channel : presenter_.voltages())
        channel_->addItem(channel.title, text(channel.name));
    channel_->setCurrentIndex(std::max(0, channel_->findData(was)));
}

void SensorsPanel::refresh() {
    const int was = tree_->indexOfTopLevelItem(tree_->currentItem());
    {
        const QSignalBlocker quiet(tree_);
        tree_->clear();
        for (const auto& own : presenter_.ownSensors())
            new QTreeWidgetItem(tree_, {text(own.sensor.title), "-", roleTitle(own.sensor.role)});
        for (const auto& offer : desk_.offers()) {
            auto* item = new QTreeWidgetItem(
                tree_, {text(offer.sensor.title), numberText(offer.value, offer.sensor.unit),
                        offer.sensor.role.empty() ? tr("heard") : tr("%1?").arg(roleTitle(offer.sensor.role))});
            item->setToolTip(0, text(job::offerSentence(offer)));
        }
        for (int i = 0; i < tree_->columnCount(); ++i)
            tree_->resizeColumnToContents(i);
        // What is new is what somebody looks for.
        const int own = static_cast<int>(presenter_.ownSensors().size());
        const int now = offered_ == 0 && !desk_.offers().empty() ? own : was;
        offered_ = desk_.offers().size();
        tree_->setCurrentItem(tree_->topLevelItem(std::clamp(now, 0, std::max(0, tree_->topLevelItemCount() - 1))));
    }
    fillChannels();
    refreshNumbers();
    showCurrent();
}

void SensorsPanel::refreshNumbers() {
    int at = 0;
    for (const auto& own : presenter_.ownSensors()) {
        const double now = presenter_.value(own.sensor.name);
        if (auto* item = tree_->topLevelItem(at++)) item->setText(1, numberText(now, own.sensor.unit));
    }
}

std::optional<DrivePresenter::OwnSensor> SensorsPanel::current() const {
    const int at = tree_->indexOfTopLevelItem(tree_->currentItem());
    const auto own = presenter_.ownSensors();
    return at < 0 || at >= static_cast<int>(own.size()) ? std::nullopt : std::optional(own[static_cast<size_t>(at)]);
}

const job::SensorOffer* SensorsPanel::offer() const {
    const int at = tree_->indexOfTopLevelItem(tree_->currentItem()) - static_cast<int>(presenter_.ownSensors().size());
    return at < 0 || at >= static_cast<int>(desk_.offers().size()) ? nullptr : &desk_.offers()[static_cast<size_t>(at)];
}

void SensorsPanel::showCurrent() {
    use_->setEnabled(offer() != nullptr);
    const auto own = current();
    remove_->setEnabled(own && own->kept);
    showPlays();
    if (!own || !own->sensor.analogue()) return;
    const drive::Sensor& sensor = own->sensor;
    channel_->setCurrentIndex(std::max(0, channel_->findData(text(sensor.channel))));
    role_->setCurrentIndex(std::max(0, role_->findData(text(sensor.role))));
    unit_->setCurrentText(text(sensor.unit));
    constexpr double kVolts[] = {0.5, 4.5};
    for (int i = 0; i < 2; ++i) {
        points_[2 * i]->setText(QString::number(kVolts[i]));
        points_[2 * i + 1]->setText(QString::number(sensor.scaling.at(kVolts[i]), 'g', 6));
    }
}

void SensorsPanel::showPlays() {
    plays_->clear();
    const auto own = current();
    const auto* heard = offer();
    plays_->setEnabled(own || heard);
    if (!own && !heard) return;
    const drive::Sensor& sensor = own ? own->sensor : heard->sensor;
    plays_->addItem(tr("plays nothing"), QString());
    for (const roles::Role role : DrivePresenter::rolesLike(sensor.unit))
        plays_->addItem(text(std::string(role.title())), text(std::string(role.id())));
    if (plays_->findData(text(sensor.role)) < 0) plays_->addItem(roleTitle(sensor.role), text(sensor.role));
    plays_->setCurrentIndex(plays_->findData(text(sensor.role)));
}

/// Of one that is heard only it counts once it is used.
void SensorsPanel::choosePlays() {
    auto own = current();
    if (!own) return;
    own->sensor.role = plays_->currentData().toString().toStdString();
    say(desk_.put(own->sensor));
}

void SensorsPanel::useCurrent() {
    const auto* heard = offer();
    if (!heard) return;
    job::SensorOffer chosen = *heard;
    chosen.sensor.role = plays_->currentData().toString().toStdString();
    desk_.use(chosen);
}

void SensorsPanel::say(const Done& done) {
    problem_->setText(done ? QString() : text(done.error().text()));
}

Result<drive::Scaling> SensorsPanel::line() const {
    double numbers[4];
    for (int i = 0; i < 4; ++i) {
        bool is = false;
        numbers[i] = points_[i]->text().replace(',', '.').toDouble(&is);
        if (!is) numbers[i] = std::nan("");
    }
    return drive::Scaling::through({numbers[0], numbers[1]}, {numbers[2], numbers[3]});
}

/// What the ends of the wire mean; a wideband in free air stands at one of them.
void SensorsPanel::showLine() {
    constexpr double kFull_V = 5;
    const auto scaling = line();
    const std::string unit = unit_->currentText().toStdString();
    const auto* known = units::findUnit(unit);
    const bool lambda = known && known->quantity == units::Quantity::Lambda;
    ends_->setText(!scaling ? QString()
                            : tr("0 V says %1, 5 V %2%3")
                                  .arg(QString::number(scaling->at(0), 'g', 4), numberText(scaling->at(kFull_V), unit),
                                       lambda ? tr("; in free air it stands at the lean end") : QString()));
}

void SensorsPanel::keepLine() {
    const auto line = this->line();
    if (!line) return say(tl::unexpected(line.error()));
    drive::Sensor sensor;
    sensor.channel = channel_->currentData().toString().toStdString();
    sensor.role = role_->currentData().toString().toStdString();
    sensor.unit = unit_->currentText().toStdString();
    sensor.name = sensor.channel + "_scaled";
    sensor.title = (role_->currentText() + tr(" on ") + channel_->currentText().section(',', 0, 0)).toStdString();
    sensor.scaling = *line;
    constexpr double kBroken_V = 0.05, kFull_V = 4.95;  // beyond them a wire is off, or shorted
    sensor.least = kBroken_V, sensor.most = kFull_V;
    say(desk_.put(sensor));
}

void SensorsPanel::gaugeShows() {
    bool is = false;
    const double shows = gauge_->text().replace(',', '.').toDouble(&is);
    const auto own = current();
    const double raw = own && own->sensor.analogue() ? presenter_.value(own->sensor.channel) : std::nan("");
    if (!is || std::isnan(raw))
        return say(
            fail(ErrorCode::BadInput, "Choose the sensor above and drive: the line is moved by what comes now."));
    drive::Sensor moved = own->sensor;
    moved.scaling = moved.scaling.shownAs(raw, shows);
    gauge_->clear();
    say(desk_.put(moved));
}

void SensorsPanel::openDescription() {
    const QString file = QFileDialog::getOpenFileName(this, tr("A description of messages"), {}, tr("DBC (*.dbc)"));
    if (!file.isEmpty()) desk_.openDescription(file.toStdString());
}

void SensorsPanel::setEditable(bool editable) {
    // A line may be moved while it is driven: that is when a gauge shows something.
    for (QWidget* widget : std::initializer_list<QWidget*>{listen_, channel_, role_, unit_})
        widget->setEnabled(editable);
}

}  // namespace brusk::app
