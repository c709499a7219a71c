// One recording for the lanes, all drives of the round for the cells.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/review/ReviewPresenter.h"

#include "app/desks/Background.h"
#include "app/desks/CarInHand.h"
#include "app/desks/Desks.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/ImportDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/desks/RoundDesk.h"
#include "app/desks/SheetDesk.h"
#include "core/job/Correct.h"
#include "core/job/Torque.h"
#include "core/proposals/correct/Air.h"

namespace brusk::app {

namespace {
constexpr int kLaying = 2;  ///< of this presenter's questions
}

ReviewPresenter::ReviewPresenter(Desks& desks, QObject* parent) : RoundPresenter(desks, parent) {
    connect(&desks.playback, &Playback::momentChanged, this, &ReviewPresenter::momentChanged);
    connect(&desks.evidence, &EvidenceDesk::changed, this, &ReviewPresenter::refreshCells);
    connect(&desks.evidence, &EvidenceDesk::couldNotLoad, this, &ReviewPresenter::cellsChanged);
}

bool ReviewPresenter::look() {
    const auto* round = desks_.round.selected();
    auto there = recordingsOfRound();
    if (desks_.car.folder)
        for (auto& entry : desks_.messages.orSay(desks_.car.folder->recordings().all()))
            if (!entry.round) there.push_back(std::move(entry));
    // What is looked at stays where it is, as long as nothing was driven since.
    const auto bound =
        std::count_if(there.begin(), there.end(), [](const auto& entry) { return entry.round.has_value(); });
    const QString shown = desks_.car.folder ? QString("%1/%2/%3/%4")
                                                  .arg(QString::fromStdString(desks_.car.folder->path().string()))
                                                  .arg(round ? round->id : -1)
                                                  .arg(there.size())
                                                  .arg(bound)
                                            : QString();
    const bool other = shown != shown_ || (recordings_.empty() && !recording_);
    shown_ = shown;
    if (other) {
        recordings_ = std::move(there);
        recording_.reset();
        lanes_.clear();
        events_ = {};
        file_.clear();
        if (round) desks_.evidence.load(round->id);
    }
    refreshCells();
    return other;
}

void ReviewPresenter::load(size_t at) {
    if (at >= recordings_.size()) return;
    using Loaded = Result<Looked>;
    const auto* round = recordings_[at].round ? desks_.round.selected() : nullptr;
    const QString name = QString::fromStdString(recordings_[at].title);
    const QString title = round ? tr("round %1, %2").arg(round->number).arg(name) : tr("of no round, %1").arg(name);
    desks_.background.latest(
        this,
        [folder = desks_.car.folder, entry = recordings_[at]]() -> Loaded {
            auto loaded = job::loadRecording(*folder, entry);
            if (!loaded) return tl::unexpected(loaded.error());
            return look(std::move(*loaded));
        },
        [this, title, file = recordings_[at].file, of = shown_, from = desks_.car.folder](Loaded loaded) {
            // Another round is looked at by now, or another folder is open, whatever station shows it.
            if (of != shown_ || desks_.car.folder != from) return;
            if (!loaded) {
                shown_.clear();  // to be tried again
                return desks_.messages.failed(loaded.error());
            }
            file_ = file;
            show(std::move(*loaded), title);
        });
}

ReviewPresenter::Looked ReviewPresenter::look(std::shared_ptr<const recording::Recording> recording) {
    auto lanes = reviewLanes(*recording);
    return {std::move(recording), std::move(lanes)};
}

void ReviewPresenter::show(Looked looked, const QString& title) {
    recording_ = std::move(looked.recording);
    lanes_ = std::move(looked.lanes);
    asked_.clear(), torque_.clear();
    // What only the decoding brought to light.
    if (recording_->late)
        for (const std::string& sentence : recording_->late->sentences())
            desks_.messages.say(QString::fromStdString(sentence), true);
    events_ = {};
    desks_.playback.lookAt(recording_, title);
    emit recordingLoaded();
    // Looked for behind the lanes, which are there first.
    constexpr int kEvents = 1;
    desks_.background.latest(
        this,
        [recording = recording_, ratio = units().stoichiometric] {
            return evidence::eventsOf(evidence::Sampled(recording, ratio));
        },
        [this, of = recording_](evidence::DriveEvents events) {
            if (recording_ != of) return;
            events_ = std::move(events);
            emit eventsFound();
        },
        kEvents);
}

QString ReviewPresenter::figures(const evidence::FoundEvent& event) const {
    QStringList out;
    if (!event.what.empty()) out << QString::fromStdString(event.what).toHtmlEscaped();
    for (const auto& figure : event.figures)
        for (const auto& name : evidence::eventFigureNames()) {
            if (name.id != figure.id) continue;
            const auto shown = units().shown(std::string(name.unit));
            out << tr("%1 <b>%2</b>")
                       .arg(QString::fromUtf8(name.title.data(), static_cast<int>(name.title.size())),
                            (QString::number(shown(figure.value), 'f', shown.decimals(name.decimals)) + " " +
                             QString::fromStdString(shown.unit))
                                .trimmed());
        }
    return out.join(" \u00b7 ");
}

void ReviewPresenter::bind(size_t at) {
    const auto* round = desks_.round.selected();
    if (at < recordings_.size() && round) desks_.imports.bind(recordings_[at].id, round->id);
}

void ReviewPresenter::open(const QString& path) {
    desks_.imports.open(path.toStdString());
}

QString ReviewPresenter::importedPath() const {
    return QString::fromStdString(desks_.imports.path().string());
}

void ReviewPresenter::lookAt(const std::shared_ptr<const recording::Recording>& recording, const QString& title) {
    desks_.background.latest(
        this, [recording] { return look(recording); },
        [this, title](Looked looked) {
            file_.clear();
            show(std::move(looked), title);
        });
}

void ReviewPresenter::refreshCells() {
    map_ = {};
    samples_.reset();
    cells_.clear();
    noMap_ = false;
    drives_ = drivesOfRound();
    const auto* calibration = desks_.round.calibration();
    if (drives_ && calibration) {
        const auto* ve = calibration->definition().parameterWithRole("ve_map");
        noMap_ = !ve;
        if (auto table = ve ? calibration->read(*ve) : Result<calibration::Table>(fail(ErrorCode::NotFound, "")); table)
            map_ = std::move(*table);
    }
    if (!map_.values.empty() && drives_->mixture()) {
        samples_ = std::make_shared<const evidence::MapSamples>(calibration->definition(), map_, *drives_,
                                                                evidence::Measure::mixture());
        cells_ = samples_->cells();
    }
    if (drives_ != foundIn_) {
        foundIn_ = drives_;
        const auto* round = desks_.round.selected();
        putBack_ = round ? desks_.evidence.putBackOn(round->id) : std::vector<std::string>();
        emit findingsFound();
    }
    emit cellsChanged();
}

const evidence::Findings& ReviewPresenter::findings() const {
    static const evidence::Findings none;
    return foundIn_ && foundIn_->findings() ? *foundIn_->findings() : none;
}

QString ReviewPresenter::couldNot() const {
    const auto text = [](std::string_view from) {
        return QString::fromUtf8(from.data(), static_cast<int>(from.size()));
    };
    QStringList lines;
    for (const auto& one : findings().couldNot) {
        QStringList lacks;
        for (const roles::Role role : one.lacks)
            lacks << text(role.title());
        const auto* need = roles::needOf(roles::kCheckNeeds, one.check);
        lines << tr("%1: record %2").arg(text(need ? need->title : one.check), lacks.join(", "));
    }
    return lines.join("\n");
}

void ReviewPresenter::layOut(const std::vector<roles::Role>& lanes) {
    if (!recording_ || (lanes == asked_ && torque_.isEmpty())) return;
    asked_ = lanes;
    torque_.clear();
    desks_.background.latest(
        this, [recording = recording_, lanes] { return reviewLanes(*recording, lanes); },
        [this, of = recording_](std::vector<ReviewLane> laid) {
            if (recording_ != of) return;
            lanes_ = std::move(laid);
            emit lanesLaidOut();
        },
        kLaying);
}

void ReviewPresenter::layOutPull(const evidence::FoundEvent& pull) {
    if (!recording_) return;
    struct Laid {
        std::vector<ReviewLane> lanes;
        QString torque;
    };
    asked_ = {"manifold_pressure", "boost_target_now", "lambda_measured", "lambda_asked", "engine_speed"};
    desks_.background.latest(
        this,
        [recording = recording_, asked = asked_, pull, facts = job::roadFacts(desks_.sheet.sheet()),
         wished = units()]() -> Laid {
            Laid out{reviewLanes(*recording, asked), {}};
            const auto curve =
                facts ? evidence::roadTorque(evidence::Sampled(recording, wished.stoichiometric), pull, *facts)
                      : std::nullopt;
            if (!curve) return out;
            addTorque(*curve, out.lanes);
            out.torque = QString::fromStdString(job::torqueSentence(*curve, wished));
            return out;
        },
        [this, of = recording_](Laid laid) {
            if (recording_ != of) return;
            lanes_ = std::move(laid.lanes);
            torque_ = std::move(laid.torque);
            emit lanesLaidOut();
        },
        kLaying);
}

std::vector<uint32_t> ReviewPresenter::cellsOf(const evidence::Finding& finding) const {
    if (!samples_ || !foundIn_) return {};
    return evidence::samplesInCells(samples_->axes, *foundIn_, finding.where);
}

bool ReviewPresenter::isLeftOut(const evidence::Finding& finding) const {
    return std::find(putBack_.begin(), putBack_.end(), finding.check) == putBack_.end();
}

void ReviewPresenter::putBack(const evidence::Finding& finding, bool back) {
    if (const auto* round = desks_.round.selected())
        desks_.evidence.putBack(round->id, std::string(finding.check), back);
}

std::optional<size_t> ReviewPresenter::recordingOf(const evidence::Stretch& where) const {
    if (!foundIn_) return std::nullopt;
    for (size_t i = 0; i < recordings_.size(); ++i)
        if (foundIn_->named(recordings_[i].file) == where.drive) return i;
    return std::nullopt;
}

QString ReviewPresenter::meaning(const evidence::Finding& finding) {
    const auto text = [](const std::string& from) { return QString::fromStdString(from).toHtmlEscaped(); };
    QStringList means;
    for (const std::string& one : finding.means)
        means << text(one);
    QString out = tr("<b>%1</b>: %2. %3").arg(tr("It means"), means.join(tr("; or ")), text(finding.todo));
    if (!finding.because.empty())
        if (const auto* need = roles::needOf(roles::kCheckNeeds, finding.because))
            out += tr(" It follows from: %1.").arg(text(std::string(need->title)));
    for (const std::string& sentence : finding.notApart)
        out += "<br>" + text(sentence);
    return out;
}

void ReviewPresenter::goTo(const evidence::Finding::Place& place) {
    Place to{.station = QString::fromUtf8(place.station.data(), static_cast<int>(place.station.size()))};
    const auto* calibration = desks_.round.calibration();
    const auto* parameter =
        place.parameter && calibration ? calibration->definition().parameterWithRole(*place.parameter) : nullptr;
    if (parameter && to.station == "Maps") to.parameter = QString::fromStdString(parameter->name);
    desks_.places.go(to);
}

ReviewPresenter::Finding ReviewPresenter::finding() const {
    const bool driven =
        std::any_of(recordings_.begin(), recordings_.end(), [](const auto& entry) { return entry.round.has_value(); });
    if (!driven) {
        if (!desks_.round.selected()) return {};
        return {"No drive was recorded on this round. Flash it and record one on the Drive station."};
    }
    if (!desks_.round.closed().isEmpty())
        return {tr("This round came sealed: the recordings are sent to who made it, under Deliver.")};
    if (noMap_)
        return {
            "The definition does not say which map is the volumetric efficiency. Give it its role on the Maps "
            "station, under Definition.",
            "warm"};
    if (!drives_) return {withoutDrives()};
    if (!drives_->mixture()) return {QString::fromStdString(drives_->mixture().error().text()), "warm"};
    if (!samples_) return {};
    const auto error = evidence::fuelError(cells_, proposals::kVisited);
    const auto& cost = drives_->mixture()->leftOut;
    return {tr("Fuel is off by %1 % over %2 cells. %3 of %4 samples are settled.")
                .arg(error.rms * 100, 0, 'f', 1)
                .arg(error.cells)
                .arg(cost.kept)
                .arg(cost.recorded),
            error.rms > 0.05 ? "warm" : "good"};
}

std::vector<double> ReviewPresenter::moments(size_t cell) const {
    const auto drive = samples_ ? drives_->named(file_) : std::nullopt;
    return drive ? samples_->times(cell, static_cast<uint16_t>(*drive)) : std::vector<double>();
}

std::optional<double> ReviewPresenter::moment() const {
    if (!recording_ || desks_.playback.recording() != recording_) return std::nullopt;
    return desks_.playback.time_s();
}

bool ReviewPresenter::playing() const {
    return desks_.playback.playing();
}

void ReviewPresenter::setMoment(double time_s) {
    desks_.playback.setMoment(time_s);
}

void ReviewPresenter::playOrHalt() {
    desks_.playback.play(!desks_.playback.playing());
}

std::optional<std::pair<double, double>> ReviewPresenter::place() const {
    const auto now = moment();
    if (!now || !samples_) return std::nullopt;
    const auto x = evidence::valueAlong(*recording_, samples_->axes.x, *now, units().stoichiometric),
               y = evidence::valueAlong(*recording_, samples_->axes.y, *now, units().stoichiometric);
    if (!x || !y) return std::nullopt;
    return std::pair(*x, *y);
}

}  // namespace brusk::app
