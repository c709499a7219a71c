// Computes on the pool; only the answer for the round that is still looked at is taken.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/correct/CorrectPresenter.h"

#include "app/desks/Background.h"
#include "app/desks/CarInHand.h"
#include "app/desks/Desks.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "app/desks/RoundDesk.h"
#include "core/job/Correct.h"

namespace brusk::app {

CorrectPresenter::CorrectPresenter(Desks& desks, QObject* parent) : RoundPresenter(desks, parent) {
    connect(&desks.evidence, &EvidenceDesk::changed, this, &CorrectPresenter::takeEvidence);
    connect(&desks.evidence, &EvidenceDesk::couldNotLoad, this, &CorrectPresenter::changed);
}

int CorrectPresenter::nextNumber() const {
    return desks_.car.nextNumber();
}

QString CorrectPresenter::waitsFor() const {
    if (correction_) return {};
    if (roundText().isEmpty()) return "Nothing was read yet.";
    if (!problem_.empty()) return QString::fromStdString(problem_);
    if (recordings().empty())
        return "No drive was recorded on this round. Flash it, then record one on the Drive station.";
    return withoutDrives();
}

void CorrectPresenter::look() {
    looked_ = desks_.places.round();
    correction_.reset();
    problem_.clear();
    desks_.evidence.load(desks_.places.round());
    emit changed();
    compute();
}

void CorrectPresenter::setOptions(const proposals::AirCorrectionOptions& options) {
    options_ = options;
    compute();
}

/// Whoever else has a round's drives loaded costs no correction.
void CorrectPresenter::takeEvidence() {
    if (looked_ == desks_.places.round() && drives() != from_) compute();
}

void CorrectPresenter::compute() {
    const auto of = from_ = drives();
    if (!of || !desks_.round.calibration()) {
        correction_.reset();
        return emit changed();
    }
    struct Computed {
        Result<proposals::AirCorrection> correction;
        std::vector<std::string> warnings;
        std::string axes;
    };
    desks_.background.latest(
        this,
        [of, calibration = *desks_.round.calibration(), options = options_] {
            Computed out{proposals::correctAir(calibration, *of, options), {}, {}};
            if (!out.correction) return out;
            const auto axes = evidence::checkAxes(calibration, *of);
            out.warnings = job::airWarnings(calibration, *of, out.correction->fit, axes);
            out.axes = axes.sentence();
            return out;
        },
        [this, of, options = options_](Computed computed) {
            if (of != drives()) return;  // another round is looked at by now
            problem_ = computed.correction ? std::string() : computed.correction.error().text();
            correction_.reset();
            if (computed.correction) correction_ = std::move(*computed.correction);
            made_ = options;
            warnings_ = std::move(computed.warnings);
            axes_ = std::move(computed.axes);
            emit changed();
        });
}

void CorrectPresenter::makeRound() {
    if (!correction_ || !from_) return;
    const auto& c = *correction_;
    const auto round =
        desks_.round.makeRound({c.edit}, "Air model from drives", job::reasonOf(c, made_, *from_->mixture()));
    if (!round) return desks_.messages.failed(round.error());
    desks_.messages.say(tr("Round %1 is made. Flash it next.").arg(round->number));
}

}  // namespace brusk::app
