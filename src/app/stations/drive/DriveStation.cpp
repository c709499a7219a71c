// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/drive/DriveStation.h"

#include <algorithm>
#include <cmath>

#include "app/stations/drive/OperatorPanel.h"
#include "app/widgets/Times.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/LinkDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/OpenFolder.h"
#include "app/desks/UnitChoice.h"
#include "core/evidence/MixtureRatio.h"

namespace brusk::app {

namespace {

constexpr double kLaneSpan_s = 30;
constexpr size_t kMostLive = 40000;
constexpr double kEnough_s = 2;

/// The roles shown in the lanes: lane, colour, decimals.
struct LaneChoice {
    roles::Role role;
    const char* name;
    const char* unit;
    int lane, colour, decimals;
    double low = 0, high = 0;
};
const LaneChoice kLanes[] = {{"engine_speed", "speed", "rpm", 0, 0, 0},
                             {"manifold_pressure", "pressure", "kPa", 0, 1, 1},
                             {"lambda_measured", "lambda", "lambda", 1, 2, 3, 0.7, 1.3},
                             {"lambda_asked", "asked", "lambda", 1, 4, 3, 0.7, 1.3},
                             {"short_trim", "short trim", "%", 2, 3, 1},
                             {"long_trim", "long trim", "%", 2, 5, 1}};

}  // namespace

Readout::Readout(const QString& name, int decimals, QWidget* parent)
    : QFrame(parent), title_(name), decimals_(decimals) {
    setProperty("panel", true);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(11, 7, 11, 7);
    column->setSpacing(1);
    name_ = label(name, "faint");
    column->addWidget(name_);
    value_ = label("-", "numbers");
    value_->setStyleSheet("font-size: 25px;");
    column->addWidget(value_);
}

void Readout::setShown(const units::Shown& shown) {
    shown_ = shown;
    const QString unit = QString::fromStdString(shown.unit);
    name_->setText(title_.isEmpty() ? unit : title_ + " " + unit);
}

void Readout::show(double value, const char* role) {
    value_->setText(std::isnan(value) ? "-" : QString::number(shown_(value), 'f', shown_.decimals(decimals_)));
    setRole(value_, role);
}

DriveStation::DriveStation(Desks& desks, QWidget* parent) : Station("Drive", parent), desks_(desks) {
    primary()->setObjectName("record");
    status_ = label({}, "numbers");
    status_->setObjectName("driveStatus");
    titleRow()->insertWidget(2, status_);
    makeReadouts();
    lanes_ = new LaneView;
    lanes_->setObjectName("liveLanes");
    body()->addWidget(lanes_, 4);
    auto* bottom = new QHBoxLayout;
    bottom->setSpacing(12);
    auto* coverPanel = new Panel("Cells of the VE map");
    coverageText_ = label({}, "faint");
    coverPanel->headRow()->addWidget(coverageText_);
    coverage_ = new MapGrid;
    coverage_->setObjectName("coverage");
    coverage_->setCompact(true);
    coverage_->setMinimumHeight(120);
    coverPanel->body()->addWidget(coverage_, 1);
    bottom->addWidget(coverPanel, 4);
    bottom->addWidget(makeChannelPanel(), 3);
    operatorPanel_ = makeOperatorPanel();
    bottom->addWidget(operatorPanel_, 2);
    body()->addLayout(bottom, 3);

    paint_.setInterval(50);
    connect(&paint_, &QTimer::timeout, this, [this] {
        drawLanes();
        drawCoverage();
    });
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (desks_.drive.driving()) return desks_.drive.stop();
        time_.clear();
        columns_.clear();
        desks_.link.setTimeLapse(lapse_->currentData().toDouble());
        if (auto done = desks_.drive.start(chosen(), route_->currentData().toString().toStdString()); !done)
            desks_.messages.say(QString::fromStdString(done.error().text()), true);
    });
    connect(&desks_.drive, &DriveDesk::liveChanged, this, &DriveStation::takeLive);
    connect(&desks_.drive, &DriveDesk::driveChanged, this, [this] {
        if (desks_.drive.driving())
            paint_.start();
        else
            paint_.stop();
        drawLanes();
        drawCoverage();
        refresh();
    });
    for (auto signal : {&LinkDesk::changed, &LinkDesk::taskChanged})
        connect(&desks_.link, signal, this, &DriveStation::refresh);
    for (auto signal : {&OpenFolder::roundsChanged, &OpenFolder::changed})
        connect(&desks_.folder, signal, this, &DriveStation::refresh);
    connect(&desks_.link, &LinkDesk::changed, this, &DriveStation::fillChannels);
    refresh();
}

void DriveStation::makeReadouts() {
    auto* row = new QHBoxLayout;
    row->setSpacing(10);
    const auto add = [&](const char* name, roles::Role role, int decimals) {
        auto* readout = new Readout(name, decimals);
        readouts_.append({readout, role});
        readout->setObjectName("readout_" + QString::fromStdString(std::string(role.id())));
        row->addWidget(readout);
    };
    add("engine speed", "engine_speed", 0);
    add("pressure", "manifold_pressure", 1);
    add("", "lambda_measured", 2);
    fuelOff_ = new Readout("fuel off, lean + %", 1);
    fuelOff_->setObjectName("readout_");
    row->addWidget(fuelOff_);
    add("vehicle", "vehicle_speed", 0);
    add("coolant", "coolant", 0);
    body()->addLayout(row);
    const auto units = [this] {
        for (const auto& [readout, role] : readouts_)
            readout->setShown(desks_.units.preferences().shown(std::string(role.unit())));
        drawLanes();
        drawCoverage();
    };
    connect(&desks_.units, &UnitChoice::changed, this, units);
    for (const auto& [readout, role] : readouts_)
        readout->setShown(desks_.units.preferences().shown(std::string(role.unit())));
}

QWidget* DriveStation::makeOperatorPanel() {
    auto* panel = new OperatorPanel(desks_);
    route_ = panel->route();
    lapse_ = panel->lapse();
    return panel;
}

QWidget* DriveStation::makeChannelPanel() {
    auto* panel = new Panel("Channels");
    cost_ = label({}, "faint");
    cost_->setObjectName("channelCost");
    panel->headRow()->addWidget(cost_);
    channels_ = new QListWidget;
    channels_->setObjectName("channels");
    panel->body()->addWidget(channels_);
    connect(channels_, &QListWidget::itemChanged, this, &DriveStation::refreshCost);
    return panel;
}

void DriveStation::fillChannels() {
    if (!desks_.folder.kit() || channels_->count()) return;
    const QSignalBlocker quiet(channels_);
    const auto& d = *desks_.folder.kit()->definition;
    const auto usual = job::usualChannels(d);
    for (const auto& m : d.measurements) {
        auto* item = new QListWidgetItem(
            QString::fromStdString(m.title() + (d.unitOf(m).empty() ? "" : ", " + d.unitOf(m))), channels_);
        item->setData(Qt::UserRole, QString::fromStdString(m.name));
        item->setToolTip(QString::fromStdString(m.description));
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
        item->setCheckState(std::find(usual.begin(), usual.end(), m.name) == usual.end() ? Qt::Unchecked : Qt::Checked);
    }
    refreshCost();
}

std::vector<std::string> DriveStation::chosen() const {
    std::vector<std::string> names;
    for (int i = 0; i < channels_->count(); ++i)
        if (channels_->item(i)->checkState() == Qt::Checked)
            names.push_back(channels_->item(i)->data(Qt::UserRole).toString().toStdString());
    return names;
}

void DriveStation::refreshCost() {
    if (!desks_.folder.kit()) return;
    const auto set = job::channelSet(*desks_.folder.kit(), chosen());
    cost_->setText(set ? QString("%1 at %2 Hz \u00b7 link %3 %")
                             .arg(set->measurements.size())
                             .arg(set->rate_hz, 0, 'f', 0)
                             .arg(set->plan.busLoad * 100, 0, 'f', 0)
                       : QString::fromStdString(set.error().message));
    setRole(cost_, set ? "faint" : "alarm");
}

void DriveStation::takeLive() {
    const auto& live = desks_.drive.live();
    if (!desks_.drive.channels()) return;
    if (columns_.empty()) columns_.resize(std::size(kLanes));
    if (time_.size() >= kMostLive) {
        const long half = static_cast<long>(kMostLive / 2);
        time_.erase(time_.begin(), time_.begin() + half);
        for (auto& column : columns_)
            column.erase(column.begin(), column.begin() + half);
    }
    time_.push_back(live.time_s);
    for (size_t i = 0; i < std::size(kLanes); ++i)
        columns_[i].push_back(static_cast<float>(desks_.drive.role(kLanes[i].role)));
}

void DriveStation::drawLanes() {
    for (const auto& [readout, role] : readouts_)
        readout->show(desks_.drive.role(role));
    // What the lambda says against what was asked, trims counted; the settled answer is Correct's.
    const double asked = desks_.drive.role("lambda_asked"), measured = desks_.drive.role("lambda_measured");
    const double off = evidence::airRatioOf(measured, asked, desks_.drive.role("short_trim") / 100,
                                            desks_.drive.role("long_trim") / 100) *
                           100 -
                       100;
    const bool burning = desks_.drive.role("fuel_cut") == 0;
    fuelOff_->show(burning ? off : std::nan(""), std::abs(off) > 5 && burning ? "warm" : "numbers");
    std::vector<Trace> traces;
    for (size_t i = 0; i < std::size(kLanes) && i < columns_.size(); ++i) {
        const auto shown = desks_.units.preferences().shown(kLanes[i].unit);
        const QString unit = QString::fromStdString(shown.unit);
        traces.push_back({kLanes[i].name + (unit == "lambda" ? QString() : " " + unit), kLanes[i].unit, kLanes[i].lane,
                          kLanes[i].colour, kLanes[i].decimals, std::make_shared<const TraceData>(time_, columns_[i]),
                          kLanes[i].low, kLanes[i].high, shown});
    }
    lanes_->setTraces(std::move(traces), 3);
    const double now = time_.empty() ? kLaneSpan_s : std::max(time_.back(), kLaneSpan_s);
    lanes_->setSpan(now - kLaneSpan_s, now);
    if (desks_.drive.driving()) {
        status_->setText(minutesText(time_.empty() ? 0 : time_.back()));
    }
}

void DriveStation::drawCoverage() {
    const auto coverage = desks_.drive.coverage();
    if (!coverage || !coverage->sees()) {
        coverageText_->setText(coverage ? "what moves along its axes is not recorded" : "");
        return coverage_->setContents({});
    }
    const auto& map = coverage->map();
    const auto now = coverage->now();
    const auto& units = desks_.units.preferences();
    GridContents c;
    c.rows = map.rows;
    c.columns = map.columns;
    c.setAxes(ShownAxis(map.x, units), ShownAxis(map.y, units));
    c.shade = GridContents::Shade::Value;
    size_t enough = 0, seen = 0;
    c.blank.assign(map.values.size(), 1);
    c.values.assign(map.values.size(), 0);
    for (size_t i = 0; i < c.values.size(); ++i) {
        const double spent = now.seconds[i];
        if (spent <= 0) continue;
        ++seen;
        enough += spent >= kEnough_s;
        c.blank[i] = 0;
        c.values[i] = std::min(spent, kEnough_s);
    }
    coverage_->setContents(std::move(c));
    coverage_->setRing(std::isnan(now.x) ? std::optional<QPointF>()
                                         : QPointF(units.shown(map.x.unit)(now.x), units.shown(map.y.unit)(now.y)));
    coverageText_->setText(QString("%1 cells seen, %2 of them for 2 s and more").arg(seen).arg(enough));
}

void DriveStation::refresh() {
    const bool driving = desks_.drive.driving();
    const bool open = desks_.link.state() == LinkState::Open;
    primary()->setText(driving ? "Stop recording" : "Record");
    primary()->setEnabled(driving || (open && !desks_.link.busy() && desks_.folder.car().contents.round));
    operatorPanel_->setVisible(desks_.link.isBenchCar());
    channels_->setEnabled(!driving);
    route_->setEnabled(!driving);
    lapse_->setEnabled(!driving);
    const auto* round = desks_.folder.car().contents.round ? desks_.folder.car().round(*desks_.folder.car().contents.round) : nullptr;
    if (driving)
        subtitle()->setText(round ? QString("recording on round %1").arg(round->number) : "recording");
    else if (!open)
        subtitle()->setText("Connect on the Car station, then record.");
    else if (!round)
        subtitle()->setText(desks_.folder.carSentence());
    else
        subtitle()->setText(QString("the car runs round %1, %2; the recording will belong to it")
                                .arg(round->number)
                                .arg(QString::fromStdString(round->title)));
}

}  // namespace brusk::app
