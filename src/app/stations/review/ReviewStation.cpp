// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/review/ReviewStation.h"

#include <QShortcut>
#include <algorithm>
#include <cmath>

#include "app/widgets/Times.h"
#include "app/desks/Background.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/OpenFolder.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/desks/RoundDesk.h"
#include "app/desks/UnitChoice.h"
#include "core/evidence/MapSamples.h"
#include "core/proposals/AirCorrection.h"
#include "core/job/Correct.h"

namespace brusk::app {

namespace {

struct LaneChoice {
    roles::Role role;
    int lane, colour, decimals;
    double low = 0, high = 0;
};
const LaneChoice kLanes[] = {{"engine_speed", 0, 0, 0},
                             {"vehicle_speed", 0, 4, 0},
                             {"manifold_pressure", 1, 1, 1},
                             {"throttle", 1, 3, 1},
                             {"lambda_measured", 2, 2, 3, 0.7, 1.3},
                             {"lambda_asked", 2, 4, 3, 0.7, 1.3},
                             {"short_trim", 3, 3, 1},
                             {"long_trim", 3, 5, 1}};

enum Shown { kMean, kCount, kSpread, kLeast, kMost };

double shownOf(const evidence::CellStat& cell, int what) {
    switch (what) {
        case kMean:
            return (cell.mean - 1) * 100;
        case kCount:
            return cell.count;
        case kSpread:
            return cell.spread * 100;
        case kLeast:
            return (cell.least - 1) * 100;
        default:
            return (cell.most - 1) * 100;
    }
}

}  // namespace

ReviewStation::ReviewStation(Desks& desks, QWidget* parent) : Station("Review", parent), desks_(desks) {
    primary()->hide();
    auto* top = new QHBoxLayout;
    top->setSpacing(12);
    auto* listPanel = new Panel("Recordings of this round");
    listPanel->setFixedWidth(250);
    list_ = new QListWidget;
    list_->setObjectName("recordings");
    found_ = label({});
    found_->setObjectName("found");
    found_->setWordWrap(true);
    listPanel->body()->addWidget(found_);
    listPanel->body()->addWidget(list_, 1);
    top->addWidget(listPanel);
    lanes_ = new LaneView;
    lanes_->setObjectName("reviewLanes");
    auto* traces = new QVBoxLayout;
    traces->addWidget(lanes_, 1);
    traces->addWidget(new PlayBar(desks_, ""));
    top->addLayout(traces, 1);
    body()->addLayout(top, 5);
    auto* bottom = new QHBoxLayout;
    auto* head = new QHBoxLayout;
    head->addWidget(label("Fuel off per cell, lean + rich \u2212, %", "heading"));
    cellText_ = label({}, "faint");
    head->addWidget(cellText_, 1);
    what_ = new QComboBox;
    what_->setObjectName("cellShown");
    what_->addItems({"mean", "samples", "spread", "least", "most"});
    head->addWidget(what_);
    body()->addLayout(head);
    cells_ = new MapGrid;
    cells_->setObjectName("cellView");
    bottom->addWidget(cells_);
    body()->addLayout(bottom, 5);
    connect(&desks_.units, &UnitChoice::changed, this, [this] {
        if (recording_) showRecording();
        refreshCells();
    });
    connect(list_, &QListWidget::currentRowChanged, this, &ReviewStation::load);
    connect(what_, &QComboBox::currentIndexChanged, this, &ReviewStation::refreshCells);
    connect(cells_, &MapGrid::selectionMoved, this, &ReviewStation::showMoments);
    connect(lanes_, &LaneView::cursorMoved, &desks_.playback, &Playback::setMoment);
    connect(&desks_.playback, &Playback::momentChanged, this, &ReviewStation::showMoment);
    for (const auto& [keys, place] : {std::pair{QKeySequence(Qt::Key_Space), static_cast<QWidget*>(lanes_)},
                                      {QKeySequence("Ctrl+P"), static_cast<QWidget*>(this)}}) {
        auto* shortcut = new QShortcut(keys, place);
        shortcut->setContext(Qt::WidgetWithChildrenShortcut);
        connect(shortcut, &QShortcut::activated, this, [this] { desks_.playback.play(!desks_.playback.playing()); });
    }
    connect(&desks_.places, &Places::roundShown, this, [this] {
        if (isVisible()) refresh();
    });
    connect(&desks_.evidence, &EvidenceDesk::changed, this, &ReviewStation::refreshCells);
    refresh();
}

void ReviewStation::refresh() {
    const auto* round = desks_.round.selected();
    // What is looked at stays where it is, as long as nothing was driven since.
    const QString shown = round ? QString("%1/%2/%3")
                                      .arg(QString::fromStdString(desks_.folder.folder()->path().string()))
                                      .arg(round->id)
                                      .arg(desks_.evidence.recordings(round->id).size())
                                : QString();
    if (round)
        subtitle()->setText(QString("round %1, %2").arg(round->number).arg(QString::fromStdString(round->title)));
    if (round && shown == shown_) return refreshCells();
    shown_ = shown;
    const QSignalBlocker quiet(list_);
    list_->clear();
    recording_.reset();
    recordingFile_.clear();
    lanes_->setTraces({}, 4);
    if (!round) {
        subtitle()->setText("Nothing was read yet.");
        return;
    }
    for (const auto& entry : desks_.evidence.recordings(round->id))
        list_->addItem(QString("%1\n%2, %3 s, %4")
                           .arg(QString::fromStdString(entry.title), timeOfDay(entry.startedAt))
                           .arg(entry.duration_s, 0, 'f', 0)
                           .arg(entry.gaps ? QString("%1 gaps").arg(entry.gaps) : QString("no gaps")));
    found_->setText("Reading the recordings \u2026");
    setRole(found_, "faint");
    if (list_->count() == 0)
        found_->setText("No drive was recorded on this round. Flash it and record one on the Drive station.");
    desks_.evidence.load(round->id);
    refreshCells();
    if (list_->count()) {
        list_->setCurrentRow(list_->count() - 1);
        load(list_->count() - 1);
    }
}

void ReviewStation::load(int row) {
    const auto* round = desks_.round.selected();
    if (!round || row < 0) return;
    const auto entries = desks_.evidence.recordings(round->id);
    if (row >= static_cast<int>(entries.size())) return;
    using Loaded = Result<std::shared_ptr<const recording::Recording>>;
    const QString title =
        QString("round %1, %2").arg(round->number).arg(QString::fromStdString(entries[static_cast<size_t>(row)].title));
    desks_.background.latest(
        this,
        [folder = desks_.folder.car().folder, entry = entries[static_cast<size_t>(row)]]() -> Loaded {
            return job::loadRecording(*folder, entry);
        },
        [this, title, file = entries[static_cast<size_t>(row)].file](Loaded loaded) {
            if (!loaded) {
                shown_.clear();  // to be tried again
                return desks_.messages.say(QString::fromStdString(loaded.error().text()), true);
            }
            recording_ = *loaded;
            recordingFile_ = file;
            showRecording();
            desks_.playback.lookAt(recording_, title);
        });
}

void ReviewStation::showRecording() {
    std::vector<Trace> traces;
    for (const LaneChoice& choice : kLanes) {
        const auto place = recording_->findRole(choice.role);
        if (!place) continue;
        const std::string& name = place.channel->description.empty() ? place.channel->name : place.channel->description;
        const auto shown = desks_.units.preferences().shown(place.channel->unit);
        traces.push_back(
            {QString::fromStdString(name + (shown.unit.empty() || name.ends_with(shown.unit) ? "" : " " + shown.unit)),
             QString::fromStdString(place.channel->unit), choice.lane, choice.colour, choice.decimals,
             std::make_shared<const TraceData>(place.group->time_s, place.channel->values), choice.low, choice.high,
             shown});
    }
    lanes_->setTraces(std::move(traces), 4);
    lanes_->setSpan(0, recording_->duration_s());
    showMoments();
}

void ReviewStation::refreshCells() {
    const auto* round = desks_.round.selected();
    const auto drives = round ? desks_.evidence.of(round->id) : nullptr;
    GridContents c;
    map_ = {};
    samples_.reset();
    if (drives && desks_.round.calibration()) {
        const auto* ve = desks_.folder.kit()->definition->parameterWithRole("ve_map");
        if (!ve) {
            found_->setText(
                "The definition does not say which map is the volumetric efficiency. Give it its role on the "
                "Maps station, under Definition.");
            setRole(found_, "warm");
        } else if (auto table = desks_.round.calibration()->read(*ve)) {
            map_ = std::move(*table);
        }
    }
    cells_->setVisible(!map_.values.empty());
    if (map_.values.empty()) return;
    drives_ = drives;
    samples_ = std::make_shared<const evidence::MapSamples>(*desks_.folder.kit()->definition, map_, *drives,
                                                            evidence::Measure::mixture());
    const auto stats = samples_->cells();
    const auto error = evidence::fuelError(stats, proposals::kVisited);
    c.rows = map_.rows;
    c.columns = map_.columns;
    c.setAxes(ShownAxis(map_.x, desks_.units.preferences()), ShownAxis(map_.y, desks_.units.preferences()));
    const int what = what_->currentIndex();
    c.decimals = what == kCount ? 0 : 1;
    c.showSign = what != kCount && what != kSpread;
    c.shade = c.showSign ? GridContents::Shade::Difference : GridContents::Shade::Value;
    c.blank.assign(stats.size(), 1);
    c.values.assign(stats.size(), 0);
    for (size_t i = 0; i < stats.size(); ++i)
        if (stats[i].count >= proposals::kVisited) c.blank[i] = 0, c.values[i] = shownOf(stats[i], what);
    cells_->setContents(std::move(c));
    const auto& cost = drives->mixture()->leftOut;
    found_->setText(QString("Fuel is off by %1 % over %2 cells. %3 of %4 samples are settled.")
                        .arg(error.rms * 100, 0, 'f', 1)
                        .arg(error.cells)
                        .arg(cost.kept)
                        .arg(cost.recorded));
    setRole(found_, error.rms > 0.05 ? "warm" : "good");
}

void ReviewStation::showMoments() {
    if (!samples_ || map_.values.empty()) return;
    const auto row = static_cast<size_t>(cells_->currentRow()), column = static_cast<size_t>(cells_->currentColumn());
    const auto drive = drives_->named(recordingFile_);
    std::vector<double> times;
    if (drive) times = samples_->times(row * map_.columns + column, static_cast<uint16_t>(*drive));
    const auto& units = desks_.units.preferences();
    cellText_->setText(QString("%1, %2: %3 samples in this recording")
                           .arg(ShownAxis(map_.x, units).text(column), ShownAxis(map_.y, units).text(row),
                                QString::number(times.size())));
    if (!times.empty() && cells_->hasFocus()) desks_.playback.setMoment(times.front());
    lanes_->setMarks(std::move(times));
}

void ReviewStation::showMoment() {
    if (!isVisible() || !recording_ || desks_.playback.recording() != recording_) return;
    const double now = desks_.playback.time_s();
    lanes_->setCursor(now);
    // What is played stays in sight.
    if (desks_.playback.playing() && (now > lanes_->to() || now < lanes_->from()))
        lanes_->setSpan(now, now + (lanes_->to() - lanes_->from()));
    if (map_.values.empty()) return;
    const auto x = evidence::valueAlong(*recording_, samples_->axes.x, now),
               y = evidence::valueAlong(*recording_, samples_->axes.y, now);
    if (!x || !y) return cells_->setRing(std::nullopt);
    const auto& units = desks_.units.preferences();
    cells_->setRing(QPointF(units.shown(map_.x.unit)(*x), units.shown(map_.y.unit)(*y)));
}

}  // namespace brusk::app
