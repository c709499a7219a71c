// Large numbers, lanes and coverage, drawn twenty times a second while a drive runs.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/drive/DriveStation.h"

#include <QButtonGroup>
#include <algorithm>
#include <cmath>

#include "app/desks/Desks.h"
#include "app/stations/drive/ChannelsPanel.h"
#include "app/stations/drive/GuardsPanel.h"
#include "app/stations/drive/OperatorPanel.h"
#include "app/stations/drive/SensorsPanel.h"
#include "app/stations/drive/TankPanel.h"
#include "app/widgets/Times.h"

namespace brusk::app {

namespace {

constexpr double kLaneSpan_s = 30;
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
    value_->setStyleSheet("font-size: 25px; font-family: 'JetBrains Mono';");  // whatever its colour
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

DriveStation::DriveStation(Desks& desks, QWidget* parent) : Station("Drive", parent), desks_(desks), presenter_(desks) {
    primary()->setObjectName("record");
    status_ = label({}, "numbers");
    status_->setObjectName("driveStatus");
    titleRow()->insertWidget(2, status_);
    mark_ = new QPushButton;
    mark_->setObjectName("mark");
    subtitle()->setObjectName("driveSituation");
    mark_->setToolTip(tr("Marks this moment of the drive, to be found again"));
    titleRow()->insertWidget(titleRow()->indexOf(primary()), mark_);
    connect(mark_, &QPushButton::clicked, &presenter_, &DrivePresenter::mark);
    makeReadouts();
    lanes_ = new LaneView;
    lanes_->setObjectName("liveLanes");
    body()->addWidget(lanes_, 4);
    auto* bottom = new QHBoxLayout;
    bottom->setSpacing(12);
    coverPanel_ = new Panel(tr("Cells of the VE map"));
    coverageText_ = new ElidedLabel("faint");
    coverPanel_->headRow()->addWidget(coverageText_);
    coverage_ = new MapGrid;
    coverage_->setObjectName("coverage");
    coverage_->setCompact(true);
    coverage_->setMinimumHeight(120);
    coverPanel_->body()->addWidget(coverage_, 1);
    bottom->addWidget(coverPanel_, 4);
    bottom->addWidget(makeSetup(), 3);
    operatorPanel_ = makeOperatorPanel();
    bottom->addWidget(operatorPanel_, 2);
    body()->addLayout(bottom, 3);

    paint_.setInterval(50);
    connect(&paint_, &QTimer::timeout, this, [this] {
        drawLanes();
        drawCoverage();
    });
    std::vector<roles::Role> watched;
    for (const LaneChoice& lane : kLanes)
        watched.push_back(lane.role);
    presenter_.watch(std::move(watched));
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (presenter_.driving()) return presenter_.stop();
        if (!presenter_.tankIsUntold()) return record();
        showSetup(kTank);
        tank_->ask();
    });
    connect(tank_, &TankPanel::answered, this, &DriveStation::record);
    connect(&presenter_, &DrivePresenter::driveChanged, this, [this] {
        if (presenter_.driving())
            paint_.start();
        else
            paint_.stop();
        drawLanes();
        drawCoverage();
        refresh();
    });
    connect(&presenter_, &DrivePresenter::changed, this, &DriveStation::refresh);
    connect(&presenter_, &DrivePresenter::channelsChanged, this, [this] {
        channels_->fill();
        guards_->refresh();
    });
    refresh();
}

void DriveStation::shown() {
    channels_->fill();
    guards_->refresh();
    sensors_->refresh();
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
            readout->setShown(presenter_.units().shown(std::string(role.unit())));
        drawLanes();
        drawCoverage();
    };
    connect(&presenter_, &DrivePresenter::unitsChanged, this, units);
    for (const auto& [readout, role] : readouts_)
        readout->setShown(presenter_.units().shown(std::string(role.unit())));
}

QWidget* DriveStation::makeOperatorPanel() {
    auto* panel = new OperatorPanel(presenter_);
    connect(&presenter_, &DrivePresenter::driveChanged, panel,
            [this, panel] { panel->setDriving(presenter_.driving()); });
    route_ = panel->route();
    lapse_ = panel->lapse();
    return panel;
}

QWidget* DriveStation::makeSetup() {
    auto* panel = new Panel(QString());
    channels_ = new ChannelsPanel(presenter_);
    sensors_ = new SensorsPanel(desks_.sensors, presenter_);
    guards_ = new GuardsPanel(desks_.watch);
    tank_ = new TankPanel(desks_.watch);
    pages_ = new QStackedWidget;
    auto* tabs = new QButtonGroup(this);
    const char* names[] = {"channelsTab", "sensorsTab", "guardsTab", "tankTab"};
    for (QWidget* page : std::initializer_list<QWidget*>{channels_, sensors_, guards_, tank_}) {
        const int i = pages_->addWidget(page);
        auto* tab = new QToolButton;
        tab->setObjectName(names[i]);
        tab->setCheckable(true);
        tab->setProperty("flat", true);
        tabs->addButton(tab, i);
        tabs_[i] = tab;
        panel->headRow()->addWidget(tab);
    }
    panel->headRow()->setSpacing(0);
    panel->headRow()->addStretch(1);
    // The page that is shown says how wide it is, not the widest.
    for (int i = 0; i < pages_->count(); ++i)
        pages_->widget(i)->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Ignored);
    tabs_[kChannels]->setChecked(true);
    panel->body()->addWidget(pages_, 1);
    connect(tabs, &QButtonGroup::idClicked, this, &DriveStation::showSetup);
    connect(guards_, &GuardsPanel::refreshed, this,
            [this] { tabs_[kGuards]->setText(tr("Guards %1").arg(guards_->summary())); });
    return panel;
}

void DriveStation::showSetup(int page) {
    tabs_[page]->setChecked(true);
    pages_->setCurrentIndex(page);
    // Sensors need the room; the map's cells come back with another page.
    coverPanel_->setVisible(page != kSensors);
}

void DriveStation::record() {
    tank_->answerIsKnown();
    presenter_.record(channels_->chosen(), route_->currentData().toString().toStdString(),
                      lapse_->currentData().toDouble());
}

void DriveStation::drawLanes() {
    constexpr double kMuch_pct = 5;
    for (const auto& [readout, role] : readouts_)
        readout->show(presenter_.now(role));
    const double off = presenter_.fuelOff_pct();
    fuelOff_->show(off, std::abs(off) > kMuch_pct ? "warm" : "numbers");
    const auto& time = presenter_.time_s();
    std::vector<Trace> traces;
    for (size_t i = 0; i < std::size(kLanes); ++i) {
        const auto shown = presenter_.units().shown(kLanes[i].unit);
        const QString unit = QString::fromStdString(shown.unit);
        traces.push_back({kLanes[i].name + (unit == "lambda" ? QString() : " " + unit), kLanes[i].unit, kLanes[i].lane,
                          kLanes[i].colour, kLanes[i].decimals,
                          std::make_shared<const TraceData>(time, presenter_.column(i)), kLanes[i].low, kLanes[i].high,
                          shown});
    }
    lanes_->setTraces(std::move(traces), 3);
    std::vector<LaneFlag> flags;
    for (const auto& mark : presenter_.allMarks())
        flags.push_back({mark.at_s, QString::fromStdString(mark.kind == "mark" ? "mark " + mark.text : mark.text)});
    lanes_->setFlags(std::move(flags));
    if (sensors_->isVisible()) sensors_->refreshNumbers();
    const double now = time.empty() ? kLaneSpan_s : std::max(time.back(), kLaneSpan_s);
    lanes_->setSpan(now - kLaneSpan_s, now);
    if (presenter_.driving()) {
        status_->setText(minutesText(time.empty() ? 0 : time.back()));
    }
}

void DriveStation::drawCoverage() {
    const auto coverage = presenter_.coverage();
    if (!coverage || !coverage->sees()) {
        coverageText_->setText(coverage                   ? tr("what moves along its axes is not recorded")
                               : presenter_.carIsSealed() ? tr("what is in the car came sealed: its axes are not shown")
                                                          : QString());
        return coverage_->setContents({});
    }
    const auto& map = coverage->map();
    const auto now = coverage->now();
    const auto& units = presenter_.units();
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
    coverage_->setHere(std::isnan(now.x) ? std::optional<QPointF>()
                                         : QPointF(units.shown(map.x.unit)(now.x), units.shown(map.y.unit)(now.y)));
    coverageText_->setText(tr("%1 cells seen, %2 of them for 2 s and more").arg(seen).arg(enough));
}

void DriveStation::refresh() {
    const bool driving = presenter_.driving();
    primary()->setText(driving ? tr("Stop recording") : tr("Record"));
    primary()->setEnabled(driving || presenter_.mayRecord());
    mark_->setVisible(driving);
    mark_->setText(tr("Mark %1").arg(presenter_.marks() + 1));
    setRole(subtitle(), presenter_.waiting() ? "warm" : "faint");
    operatorPanel_->setVisible(presenter_.isBenchCar());
    channels_->setEditable(!driving);
    guards_->setEditable(!driving);
    sensors_->setEditable(!driving);
    tabs_[kChannels]->setText(tr("Channels"));
    const size_t offers = presenter_.offers();
    tabs_[kSensors]->setText(offers ? tr("Sensors \u00b7 %1 heard").arg(offers) : tr("Sensors"));
    tabs_[kGuards]->setText(tr("Guards %1").arg(guards_->summary()));
    tabs_[kTank]->setText(tr("Tank"));
    route_->setEnabled(!driving);
    lapse_->setEnabled(!driving);
    subtitle()->setText(presenter_.situation());
}

}  // namespace brusk::app
