// Computes on the pool; only the answer for the round that is still looked at is taken.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/correct/CorrectPresenter.h"

#include <algorithm>

#include "app/desks/Background.h"
#include "app/desks/CarInHand.h"
#include "app/desks/Desks.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/desks/RoundDesk.h"
#include "app/stations/correct/CoreText.h"

namespace brusk::app {

CorrectPresenter::CorrectPresenter(Desks& desks, QObject* parent) : RoundPresenter(desks, parent) {
    connect(&desks.evidence, &EvidenceDesk::changed, this, &CorrectPresenter::takeEvidence);
    connect(&desks.evidence, &EvidenceDesk::couldNotLoad, this, &CorrectPresenter::changed);
    connect(&desks.round, &RoundDesk::calibrationChanged, this, &CorrectPresenter::draftChanged);
    // What was chosen for one car is not meant for another.
    connect(&desks.car, &CarInHand::changed, this, [this] {
        choices_ = {}, opened_.clear();
        result_.reset();
        emit changed();
    });
}

const carfolder::Round* CorrectPresenter::driven() const {
    const auto* round = desks_.car.round(desks_.places.round());
    while (round && round->state == carfolder::RoundState::Draft && round->parent &&
           desks_.evidence.recordings(round->id).empty())
        round = desks_.car.round(*round->parent);
    return round;
}

const carfolder::Round* CorrectPresenter::draft() const {
    const auto* on = driven();
    if (!on) return nullptr;
    const auto isDraft = [&](const carfolder::Round& one) {
        return one.state == carfolder::RoundState::Draft && one.parent == on->id && !one.sealed;
    };
    // The one that is looked at before others; then the newest.
    if (const auto* looked = desks_.car.round(desks_.places.round()); looked && isDraft(*looked)) return looked;
    const auto at = std::find_if(desks_.car.rounds.begin(), desks_.car.rounds.end(), isDraft);
    return at == desks_.car.rounds.end() ? nullptr : &*at;
}

std::vector<carfolder::RecordingEntry> CorrectPresenter::recordings() const {
    const auto* round = driven();
    return round ? desks_.evidence.recordings(round->id) : std::vector<carfolder::RecordingEntry>();
}

std::shared_ptr<const evidence::Drives> CorrectPresenter::drives() const {
    const auto* round = driven();
    return round ? desks_.evidence.of(round->id) : nullptr;
}

const proposals::Correction* CorrectPresenter::opened() const {
    return result_ ? result_->corrections.of(opened_) : nullptr;
}

bool CorrectPresenter::taken(std::string_view kind) const {
    return std::find(choices_.left.begin(), choices_.left.end(), kind) == choices_.left.end();
}

double CorrectPresenter::setting(const proposals::Setting& setting) const {
    const auto kind = choices_.settings.find(opened_);
    if (kind == choices_.settings.end()) return setting.usual;
    const auto chosen = kind->second.find(setting.id);
    return chosen == kind->second.end() ? setting.usual : chosen->second;
}

QString CorrectPresenter::waitsFor() const {
    if (result_) return {};
    if (roundText().isEmpty()) return tr("Nothing was read yet.");
    if (!problem_.empty()) return QString::fromStdString(problem_);
    if (recordings().empty())
        return tr("No drive was recorded on this round. Flash it, then record one on the Drive station.");
    const auto* round = driven();
    if (drives()) return tr("Computing \u2026");
    return desks_.evidence.reading(round->id) ? tr("Reading the recordings \u2026")
                                              : tr("None of the recordings can be learned from; the message said why.");
}

QString CorrectPresenter::fromWhat() const {
    const auto* round = driven();
    if (!round) return {};
    const auto n = static_cast<int>(recordings().size());
    return n == 1 ? tr("from one drive on round %1").arg(round->number)
                  : tr("from %1 drives on round %2").arg(n).arg(round->number);
}

QString CorrectPresenter::makes(bool may) const {
    const auto* into = draft();
    if (!into) return tr("Make round %1").arg(desks_.car.nextNumber());
    return may || !result_ || result_->corrections.made.empty() ? tr("Add to round %1").arg(into->number)
                                                                : tr("In round %1 already").arg(into->number);
}

bool CorrectPresenter::draftLacks() const {
    const auto* into = draft();
    if (!into || !desks_.car.kit || !desks_.car.folder) return true;
    const auto has = job::calibrationOf(*desks_.car.kit, *desks_.car.folder, into->id);
    if (!has) return true;
    const bool shown = into->id == desks_.places.round() && desks_.round.calibration();
    calibration::Calibration after = shown ? *desks_.round.calibration() : *has;
    const image::Image before = after.image();
    for (const auto& edit : result_->corrections.edits())
        if (!after.apply(edit)) return true;
    return !(after.image() == before);
}

bool CorrectPresenter::mayMake() const {
    return result_ && !result_->corrections.edits().empty() && draftLacks();
}

void CorrectPresenter::look() {
    looked_ = desks_.places.round();
    result_.reset();
    problem_.clear();
    if (const auto* round = driven()) desks_.evidence.load(round->id);
    emit changed();
    compute();
}

void CorrectPresenter::open(std::string_view kind) {
    if (opened_ == kind) return;
    opened_ = kind;
    emit changed();
}

void CorrectPresenter::take(std::string_view kind, bool takes) {
    if (taken(kind) == takes) return;
    if (takes)
        choices_.left.erase(std::remove(choices_.left.begin(), choices_.left.end(), kind), choices_.left.end());
    else
        choices_.left.emplace_back(kind);
    compute();
}

void CorrectPresenter::set(std::string_view setting, double value) {
    choices_.settings[opened_][std::string(setting)] = value;
    compute();
}

/// Whoever else has a round's drives loaded costs no correction.
void CorrectPresenter::takeEvidence() {
    if (looked_ == desks_.places.round() && drives() != from_) compute();
}

void CorrectPresenter::compute() {
    const uint64_t mine = ++*asked_;
    const auto of = from_ = drives();
    const auto* round = driven();
    inCar_.reset();
    if (of && round && round->id == desks_.places.round()) {
        if (desks_.round.calibration()) inCar_ = *desks_.round.calibration();
    } else if (of && round && desks_.car.kit && desks_.car.folder) {
        if (auto read = job::calibrationOf(*desks_.car.kit, *desks_.car.folder, round->id)) inCar_ = std::move(*read);
    }
    if (!of || !inCar_) {
        result_.reset();
        return emit changed();
    }
    if (auto account = job::accountOf(*desks_.car.folder, round->id))
        choices_.account = std::move(*account);
    else
        desks_.messages.failed(account.error());
    desks_.background.latest(
        this,
        [of, inCar = *inCar_, choices = choices_, asked = asked_, mine] {
            return job::correctRound(inCar, *of, choices, [&] { return *asked != mine; });
        },
        [this, of, choices = choices_](Result<job::RoundCorrections> computed) {
            if (of != drives()) return;  // another round is looked at by now
            problem_ = computed ? std::string() : computed.error().text();
            result_.reset();
            if (computed) result_ = std::make_shared<const job::RoundCorrections>(std::move(*computed));
            made_ = choices;
            emit changed();
        });
}

void CorrectPresenter::makeRound() {
    if (!mayMake()) return;
    const auto result = result_;
    const auto& made = result->corrections;
    if (const auto* into = draft()) {
        const int number = into->number;
        const int64_t id = into->id;
        const auto reason = job::reasonOf(made, made_);
        desks_.round.select(id);
        for (const auto& edit : made.edits()) {
            // It was computed on what was in the car; undoing it brings back what the draft has.
            const auto here = desks_.round.calibration()->onto(edit);
            if (!here) return desks_.messages.failed(here.error());
            if (auto done = desks_.round.edit(*here); !done) return desks_.messages.failed(done.error());
        }
        if (auto done = job::addReason(*desks_.car.folder, id, reason); !done)
            return desks_.messages.failed(done.error());
        desks_.messages.say(tr("Added to round %1. Flash it next.").arg(number));
        return emit changed();
    }
    const QString title = made.made.size() == 1 ? tr("%1 from drives").arg(textOf(made.made[0]->kind->title))
                                                : tr("%1 corrections from drives").arg(made.made.size());
    if (const auto* on = driven(); on && on->id != desks_.places.round()) desks_.round.select(on->id);
    const auto round = desks_.round.makeRound(made.edits(), title.toStdString(), job::reasonOf(made, made_));
    if (!round) return desks_.messages.failed(round.error());
    desks_.messages.say(tr("Round %1 is made. Flash it next.").arg(round->number));
}

void CorrectPresenter::showMoment(const evidence::Moment& moment) {
    if (!from_ || moment.drive >= from_->size()) return;
    const auto& drive = *from_;
    const auto recording = std::shared_ptr<const recording::Recording>(from_, &drive.recording(moment.drive));
    desks_.playback.lookAt(recording, QString::fromStdString(recording->title));
    desks_.playback.setMoment(moment.from_s);
    desks_.places.go({.station = "Review"});
}

void CorrectPresenter::sayNoMoment() {
    desks_.messages.say(tr("Many moments speak of this together."));
}

void CorrectPresenter::showCell(size_t cell) {
    const auto* one = opened();
    if (!one || one->tables.empty() || !from_ || !inCar_) return;
    const evidence::MapSamples samples(inCar_->definition(), one->tables[0].table, *from_,
                                       evidence::Measure::mixture());
    const auto moments = samples.moments(cell);
    if (moments.empty()) return desks_.messages.say(tr("Nobody drove in this cell."));
    showMoment(*std::max_element(moments.begin(), moments.end(),
                                 [](const auto& a, const auto& b) { return a.to_s - a.from_s < b.to_s - b.from_s; }));
}

}  // namespace brusk::app
