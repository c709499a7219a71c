// Lanes above, cells below; a cell leads to its moments and a moment to its cells.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/review/ReviewStation.h"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QMimeData>
#include <QShortcut>
#include <algorithm>
#include <cmath>
#include <utility>

#include "app/desks/Desks.h"
#include "app/desks/ImportDesk.h"
#include "app/stations/review/ImportPage.h"
#include "app/stations/review/Player.h"
#include "app/theme/Theme.h"
#include "app/widgets/Times.h"
#include "core/job/Drive.h"
#include "core/proposals/correct/Air.h"

namespace brusk::app {

namespace {

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

ReviewStation::ReviewStation(Desks& desks, QWidget* parent) : Station("Review", parent), presenter_(desks) {
    primary()->hide();
    setAcceptDrops(true);
    auto* open = new QPushButton(tr("Open a recording \u2026"));
    open->setObjectName("openRecording");
    open->setToolTip(tr("MDF 4, a table in text, a CAN log; it can be dropped on the window too (Ctrl+Shift+O)"));
    open->setShortcut(QKeySequence("Ctrl+Shift+O"));
    titleRow()->insertWidget(titleRow()->count() - 1, open);
    connect(open, &QPushButton::clicked, this, [this] {
        openFile(QFileDialog::getOpenFileName(this, tr("A recording"), {},
                                              tr("Recordings (*.mf4 *.csv *.txt *.tsv *.log *.asc);;All files (*)")));
    });
    import_ = new ImportPage(desks);
    import_->hide();
    body()->addWidget(import_, 1);
    sheet_ = new QWidget;
    body()->addWidget(sheet_, 1);
    auto* sides = new QHBoxLayout(sheet_);
    sides->setContentsMargins(0, 0, 0, 0);
    sides->setSpacing(12);
    auto* listPanel = new Panel(tr("Recordings of this round"));
    listPanel->setFixedWidth(270);
    list_ = new QListWidget;
    list_->setObjectName("recordings");
    constexpr int kSomeRows = 84;
    list_->setMaximumHeight(kSomeRows);
    found_ = label({});
    found_->setObjectName("found");
    found_->setWordWrap(true);
    listPanel->body()->addWidget(found_);
    listPanel->body()->addWidget(list_, 1);
    findingsHead_ = label(tr("Findings"), "heading");
    findingsHead_->setObjectName("findingsHead");
    listPanel->body()->addWidget(findingsHead_);
    findings_ = new QListWidget;
    findings_->setObjectName("findings");
    findings_->setAccessibleName(tr("Findings"));
    findings_->setWordWrap(true);
    findings_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    listPanel->body()->addWidget(findings_, 3);
    connect(findings_, &QListWidget::currentRowChanged, this, &ReviewStation::showFinding);
    connect(&presenter_, &ReviewPresenter::findingsFound, this, &ReviewStation::showFindings);
    connect(&Theme::instance(), &Theme::changed, this, &ReviewStation::showFindings);
    listPanel->body()->addWidget(label(tr("Events"), "heading"));
    events_ = new EventList;
    listPanel->body()->addWidget(events_, 3);
    figures_ = label({}, "faint");
    figures_->setObjectName("eventFigures");
    figures_->setWordWrap(true);
    figures_->setTextFormat(Qt::RichText);
    listPanel->body()->addWidget(figures_);
    goThere_ = new QPushButton;
    goThere_->setObjectName("goThere");
    goThere_->hide();
    listPanel->body()->addWidget(goThere_, 0, Qt::AlignLeft);
    connect(goThere_, &QPushButton::clicked, this, [this] {
        if (const auto* one = chosen()) presenter_.goTo(evidence::Finding::Place(one->place));
    });
    putBack_ = new QPushButton;
    putBack_->setObjectName("putBack");
    putBack_->hide();
    listPanel->body()->addWidget(putBack_, 0, Qt::AlignLeft);
    connect(putBack_, &QPushButton::clicked, this, [this] {
        if (const auto* one = chosen()) presenter_.putBack(*one, presenter_.isLeftOut(*one));
    });
    connect(&presenter_, &ReviewPresenter::lanesLaidOut, this, &ReviewStation::showLanes);
    connect(events_, &EventList::chosen, this, &ReviewStation::showEvent);
    connect(&presenter_, &ReviewPresenter::eventsFound, this, &ReviewStation::showEvents);
    bind_ = new QPushButton;
    bind_->setObjectName("bindRecording");
    bind_->hide();
    listPanel->body()->addWidget(bind_);
    connect(bind_, &QPushButton::clicked, this, [this] { presenter_.bind(static_cast<size_t>(list_->currentRow())); });
    connect(&desks.imports, &ImportDesk::changed, this, &ReviewStation::showImport);
    connect(&desks.imports, &ImportDesk::lookedAt, this,
            [this](const std::shared_ptr<const recording::Recording>& recording, const QString& title) {
                {
                    const QSignalBlocker quiet(list_);
                    list_->setCurrentRow(-1);
                }
                bind_->hide();
                presenter_.lookAt(recording, title);
            });
    sides->addWidget(listPanel);
    auto* whole = new QVBoxLayout;
    whole->setSpacing(body()->spacing());
    sides->addLayout(whole, 1);
    lanes_ = new LaneView;
    lanes_->setObjectName("reviewLanes");
    auto* traces = new QVBoxLayout;
    traces->addWidget(lanes_, 1);
    traces->addWidget(makePlayBar(desks, ""));
    whole->addLayout(traces, 5);
    auto* bottom = new QHBoxLayout;
    auto* head = new QHBoxLayout;
    head->addWidget(label(tr("Fuel off per cell, lean + rich \u2212, %"), "heading"));
    cellText_ = label({}, "faint");
    head->addWidget(cellText_, 1);
    what_ = new QComboBox;
    what_->setObjectName("cellShown");
    what_->addItems({"mean", "samples", "spread", "least", "most"});
    head->addWidget(what_);
    whole->addLayout(head);
    cells_ = new MapGrid;
    cells_->setObjectName("cellView");
    bottom->addWidget(cells_);
    whole->addLayout(bottom, 5);
    connect(&presenter_, &ReviewPresenter::unitsChanged, this, [this] {
        if (presenter_.recording()) showRecording();
        if (const auto* event = events_->current()) figures_->setText(presenter_.figures(*event));
        showCells();
    });
    connect(list_, &QListWidget::currentRowChanged, this, [this](int row) {
        wanted_.reset();  // a moment that was waited for is of another one
        if (row < 0) return;
        presenter_.load(static_cast<size_t>(row));
        const QString round = presenter_.roundText();
        bind_->setText(tr("It was driven on %1").arg(round.section(',', 0, 0)));
        bind_->setVisible(!presenter_.isBound(static_cast<size_t>(row)) && !round.isEmpty());
    });
    connect(what_, &QComboBox::currentIndexChanged, this, &ReviewStation::showCells);
    connect(cells_, &MapGrid::selectionMoved, this, &ReviewStation::showMoments);
    connect(lanes_, &LaneView::cursorMoved, &presenter_, &ReviewPresenter::setMoment);
    connect(&presenter_, &ReviewPresenter::recordingLoaded, this, [this] {
        showEvents();
        showRecording();
        if (const auto where = std::exchange(wanted_, std::nullopt)) {
            if (const auto* one = chosen()) presenter_.layOut(one->lanes);
            showStretch(where->from_s, where->to_s);
        }
    });
    connect(&presenter_, &ReviewPresenter::cellsChanged, this, &ReviewStation::showCells);
    connect(&presenter_, &ReviewPresenter::momentChanged, this, &ReviewStation::showMoment);
    for (const auto& [keys, place] : {std::pair{QKeySequence(Qt::Key_Space), static_cast<QWidget*>(lanes_)},
                                      {QKeySequence("Ctrl+P"), static_cast<QWidget*>(this)}}) {
        auto* shortcut = new QShortcut(keys, place);
        shortcut->setContext(Qt::WidgetWithChildrenShortcut);
        connect(shortcut, &QShortcut::activated, &presenter_, &ReviewPresenter::playOrHalt);
    }
    connect(&presenter_, &ReviewPresenter::roundShown, this, [this] {
        if (isVisible()) refresh();
    });
    refresh();
}

void ReviewStation::refresh() {
    const bool other = presenter_.look();
    const QString round = presenter_.roundText();
    subtitle()->setText(round.isEmpty() ? tr("Nothing was read yet.") : round);
    if (!other) return;
    {
        const QSignalBlocker quiet(list_);
        list_->clear();
        lanes_->setTraces({}, 4);
        lanes_->setFlags({});
        showEvents();
        bind_->hide();
        for (const auto& entry : presenter_.recordings())
            list_->addItem(QString("%1\n%2, %3 s, %4")
                               .arg(QString::fromStdString(entry.title),
                                    entry.round ? timeOfDay(entry.startedAt) : tr("of no round"))
                               .arg(entry.duration_s, 0, 'f', 0)
                               .arg(QString::fromStdString(job::gapsText(entry.gaps))));
    }
    if (list_->count()) list_->setCurrentRow(list_->count() - 1);
}

void ReviewStation::showLanes() {
    if (const auto* event = events_->current(); event && !chosen() && !presenter_.torque().isEmpty())
        figures_->setText(
            tr("Torque <b>%1</b><br>%2").arg(presenter_.torque().toHtmlEscaped(), presenter_.figures(*event)));
    std::vector<Trace> traces;
    for (const ReviewLane& lane : presenter_.lanes()) {
        const auto shown = lane.played ? presenter_.units().shown(lane.unit.toStdString()) : units::Shown{};
        const QString unit = QString::fromStdString(shown.unit);
        const bool named = unit.isEmpty() || lane.name.endsWith(unit);
        traces.push_back({lane.name + (named ? QString() : " " + unit), lane.unit, lane.lane, lane.colour,
                          lane.decimals, lane.data, lane.low, lane.high, shown});
    }
    lanes_->setTraces(std::move(traces), 4);
}

void ReviewStation::showRecording() {
    showLanes();
    std::vector<LaneFlag> flags;
    for (const auto& mark : presenter_.recording()->marks)
        flags.push_back({mark.at_s, QString::fromStdString(mark.text)});
    lanes_->setFlags(std::move(flags));
    lanes_->setSpan(0, presenter_.recording()->duration_s());
    showMoments();
}

void ReviewStation::showEvents() {
    events_->show(presenter_.events());
    if (findings_->currentRow() < 0) figures_->clear();
}

/// The lanes show it with a little before and after; its figures stand below.
void ReviewStation::showEvent() {
    const auto* event = events_->current();
    if (!event) return;
    {
        const QSignalBlocker quiet(findings_);
        findings_->setCurrentRow(-1);
    }
    goThere_->hide(), putBack_->hide();
    chosen_.clear();
    event->kind == roles::kPull ? presenter_.layOutPull(*event) : presenter_.layOut({});
    showCells();
    showStretch(event->from_s, event->to_s);
    figures_->setText(presenter_.figures(*event));
}

void ReviewStation::showStretch(double from_s, double to_s) {
    constexpr double kLeast_s = 2, kAround = 0.3;
    const double around_s = std::max(kLeast_s, kAround * (to_s - from_s));
    lanes_->setSpan(std::max(0.0, from_s - around_s), to_s + around_s);
    presenter_.setMoment(from_s);
}

const evidence::Finding* ReviewStation::chosen() const {
    const auto& found = presenter_.findings().found;
    const int at = findings_->currentRow();
    return at < 0 || at >= static_cast<int>(found.size()) ? nullptr : &found[static_cast<size_t>(at)];
}

void ReviewStation::showFindings() {
    const auto& findings = presenter_.findings();
    const QSignalBlocker quiet(findings_);
    // One that is looked at stays so, as when what it taints was put back.
    const auto* before = chosen_.isEmpty() ? nullptr : &chosen_;
    findings_->clear();
    int again = -1;
    const Tokens& theme = tokens();
    for (const auto& one : findings.found) {
        const bool danger = one.seriousness == evidence::Seriousness::Danger;
        const auto name = evidence::seriousnessName(one.seriousness);
        auto* item = new QListWidgetItem(tr("%1: %2").arg(QString::fromUtf8(name.data(), static_cast<int>(name.size())),
                                                          QString::fromStdString(one.seen)),
                                         findings_);
        item->setForeground(danger                                           ? theme.alarm
                            : one.seriousness == evidence::Seriousness::Warn ? theme.warm
                                                                             : theme.ink);
        item->setToolTip(item->text());
        if (before && *before == ReviewPresenter::checkOf(one)) again = findings_->count() - 1;
    }
    QString head = findings.looked.empty() || !findings.found.empty()
                       ? tr("Findings")
                       : tr("Nothing was found; %1 checks looked").arg(findings.looked.size());
    // What could not be looked for, and which channel to record next time.
    if (const size_t lack = findings.couldNot.size(); lack > 0)
        head += lack == 1 ? tr("; 1 lacks a channel") : tr("; %1 lack a channel").arg(lack);
    findingsHead_->setText(head);
    findingsHead_->setToolTip(presenter_.couldNot());
    findings_->setVisible(!findings.found.empty());
    if (again >= 0) {
        findings_->setCurrentRow(again);
        return showMeaning(*chosen());
    }
    chosen_.clear();
    if (!goThere_->isHidden()) figures_->clear();  // it told of one that is chosen no more
    goThere_->hide(), putBack_->hide();
}

/// What it means, where it is put right, and whether it is learned from.
void ReviewStation::showMeaning(const evidence::Finding& finding) {
    figures_->setText(ReviewPresenter::meaning(finding));
    goThere_->setText(
        tr("%1 \u2192")
            .arg(QString::fromUtf8(finding.place.station.data(), static_cast<int>(finding.place.station.size()))));
    goThere_->show();
    putBack_->setVisible(finding.leavesOut());
    putBack_->setText(presenter_.isLeftOut(finding) ? tr("Left out of evidence: put back")
                                                    : tr("Put back into evidence: leave out"));
}

/// Its first moment, in the recording it is of, in lanes laid out for it; the cells it was seen in have a dot.
void ReviewStation::showFinding() {
    const auto* finding = chosen();
    if (!finding) return;
    chosen_ = ReviewPresenter::checkOf(*finding);
    showMeaning(*finding);
    showCells();
    if (finding->where.empty()) return presenter_.layOut(finding->lanes);
    const evidence::Stretch first = finding->where.front();
    const auto recording = presenter_.recordingOf(first);
    if (!recording) return;
    if (presenter_.looksAt(*recording)) {
        presenter_.layOut(finding->lanes);
        return showStretch(first.from_s, first.to_s);
    }
    list_->setCurrentRow(static_cast<int>(*recording));
    wanted_ = first;
}

void ReviewStation::showCells() {
    const auto finding = presenter_.finding();
    found_->setText(finding.sentence);
    setRole(found_, finding.role);
    cells_->setVisible(presenter_.samples() != nullptr);
    if (!presenter_.samples()) return;
    const auto& map = presenter_.map();
    const auto& stats = presenter_.cells();
    GridContents c;
    c.rows = map.rows;
    c.columns = map.columns;
    c.setAxes(ShownAxis(map.x, presenter_.units()), ShownAxis(map.y, presenter_.units()));
    const int what = what_->currentIndex();
    c.decimals = what == kCount ? 0 : 1;
    c.showSign = what != kCount && what != kSpread;
    c.shade = c.showSign ? GridContents::Shade::Difference : GridContents::Shade::Value;
    c.blank.assign(stats.size(), 1);
    c.values.assign(stats.size(), 0);
    for (size_t i = 0; i < stats.size(); ++i)
        if (stats[i].count >= proposals::kVisited) c.blank[i] = 0, c.values[i] = shownOf(stats[i], what);
    if (const auto* one = chosen()) {
        const auto seen = presenter_.cellsOf(*one);
        for (size_t i = 0; i < seen.size(); ++i)
            c.setDot(i, seen[i], 0, 1);
        cellText_->setText(tr("a dot: the finding was seen here"));
    }
    cells_->setContents(std::move(c));
    showMoment();
}

void ReviewStation::showMoments() {
    if (!presenter_.samples()) return;
    const auto row = static_cast<size_t>(cells_->currentRow()), column = static_cast<size_t>(cells_->currentColumn());
    const auto& map = presenter_.map();
    std::vector<double> times = presenter_.moments(row * map.columns + column);
    cellText_->setText(tr("%1, %2: %3 samples in this recording")
                           .arg(ShownAxis(map.x, presenter_.units()).text(column),
                                ShownAxis(map.y, presenter_.units()).text(row), QString::number(times.size())));
    if (!times.empty() && cells_->hasFocus()) presenter_.setMoment(times.front());
    lanes_->setMarks(std::move(times));
}

void ReviewStation::showImport() {
    const bool page = !presenter_.importedPath().isEmpty();
    import_->setVisible(page);
    sheet_->setVisible(!page);
}

void ReviewStation::openFile(const QString& path) {
    if (!path.isEmpty()) presenter_.open(path);
}

void ReviewStation::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void ReviewStation::dropEvent(QDropEvent* event) {
    for (const QUrl& url : event->mimeData()->urls())
        if (url.isLocalFile()) return openFile(url.toLocalFile());
}

void ReviewStation::showMoment() {
    const auto now = presenter_.moment();
    if (!isVisible() || !now) return;
    lanes_->setCursor(*now);
    // What is played stays in sight.
    if (presenter_.playing() && (*now > lanes_->to() || *now < lanes_->from()))
        lanes_->setSpan(*now, *now + (lanes_->to() - lanes_->from()));
    const auto place = presenter_.place();
    if (!place) return cells_->setHere(std::nullopt);
    const auto& map = presenter_.map();
    const auto& units = presenter_.units();
    cells_->setHere(QPointF(units.shown(map.x.unit)(place->first), units.shown(map.y.unit)(place->second)));
}

}  // namespace brusk::app
