// An edit is kept in the folder before it is believed; the image follows half a second later.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/RoundDesk.h"

#include "app/desks/Background.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "core/job/Keeping.h"

namespace brusk::app {

RoundDesk::RoundDesk(const CarInHand& car, Places& places, Background& background, Messages& messages)
    : car_(car), places_(places), background_(background), messages_(messages) {
    constexpr int kSaveAfter_ms = 500;
    saveTimer_.setSingleShot(true);
    saveTimer_.setInterval(kSaveAfter_ms);
    connect(&saveTimer_, &QTimer::timeout, this, &RoundDesk::saveNow);
}

const carfolder::Round* RoundDesk::selected() const {
    return car_.round(places_.round());
}

void RoundDesk::select(int64_t round) {
    if (round != places_.round()) showAnew(round);
}

void RoundDesk::showAnew(int64_t round) {
    if (!car_.round(round)) return;
    saveNow();
    load(round);
    places_.showRound(round);
    emit calibrationChanged();
}

void RoundDesk::forget() {
    places_.forgetRound();
    calibration_.reset();
    history_.clear();
}

void RoundDesk::lookAgain() {
    saveNow();
    load(places_.round());
    emit calibrationChanged();
}

void RoundDesk::load(int64_t id) {
    calibration_.reset();
    closed_.clear();
    history_.clear();
    const auto* round = car_.round(id);
    if (!car_.kit || !round) return;
    auto calibration = job::calibrationToShow(*car_.kit, *car_.folder, id);
    if (!calibration && calibration.error().refused) {
        closed_ = QString::fromStdString(calibration.error().text());
        return;
    }
    if (!calibration) return messages_.failed(calibration.error());
    calibration_ = std::move(*calibration);
    calibration_->allowHardwareLimits(hardwareLimits_);
    loadSharedBytes();
    if (round->state != carfolder::RoundState::Draft) return;
    if (auto history = car_.folder->rounds().edits(id))
        history_ = std::move(*history);
    else
        messages_.failed(history.error());
}

void RoundDesk::loadSharedBytes() {
    shared_.reset();
    constexpr size_t kBuiltAtOnce = 3000;  // parameters
    if (calibration_->definition().parameters.size() < kBuiltAtOnce) {
        shared_ = std::make_shared<const calibration::SharedBytes>(*calibration_);
        return;
    }
    background_.latest(
        this, [calibration = *calibration_] { return std::make_shared<const calibration::SharedBytes>(calibration); },
        [this, of = calibration_->sharedDefinition()](std::shared_ptr<const calibration::SharedBytes> made) {
            if (calibration_ && calibration_->sharedDefinition() == of) shared_ = std::move(made);
        });
}

Done RoundDesk::edit(const calibration::Edit& edit) {
    if (!calibration_ || !selected())
        return fail(ErrorCode::NotFound, "No calibration is open. Read the controller first.");
    if (!car_.mismatch.isEmpty()) return fail(ErrorCode::Mismatch, car_.mismatch.toStdString());
    if (edit.empty()) return {};
    if (isToLookAt())
        return fail(ErrorCode::Refused, "This round came sealed: it may be looked at, not changed or kept.");
    if (!car_.heldBy().isEmpty())
        return fail(ErrorCode::Conflict, "The calibration is being flashed; edit it when that is done.");
    if (auto may = car_.mayWrite(); !may) return may;
    if (selected()->state != carfolder::RoundState::Draft)
        if (auto begun = beginDraft(); !begun) return begun;
    if (auto done = history_.make(*calibration_, edit); !done) return done;
    auto kept = car_.folder->rounds().addEdit(places_.round(), edit);
    if (!kept) {
        // What is not kept would be lost with the program: it is taken back, and the folder looked at again.
        if (auto undone = history_.undo(*calibration_); !undone) messages_.failed(undone.error());
        emit ledgerMoved();
        // Fixed meanwhile, by a flash of it: the edit begins a new draft.
        if (kept.error().code == ErrorCode::Refused && selected() && selected()->state != carfolder::RoundState::Draft)
            return this->edit(edit);
        emit calibrationChanged();
        return kept;
    }
    changed();
    return {};
}

void RoundDesk::changed() {
    unsaved_ = true;
    saveTimer_.start();
    emit calibrationChanged();
}

Done RoundDesk::beginDraft() {
    auto round = car_.folder->rounds().add(places_.round(), calibration_->image(), "Edited by hand", "",
                                           job::toJson(job::RoundReason{}));
    if (!round) return tl::unexpected(round.error());
    history_.clear();
    emit ledgerMoved();
    places_.showRound(round->id);
    return {};
}

void RoundDesk::undo() {
    if (history_.canUndo()) step(&calibration::EditHistory::undo, &carfolder::Rounds::editUndone);
}

void RoundDesk::redo() {
    if (history_.canRedo()) step(&calibration::EditHistory::redo, &carfolder::Rounds::editRedone);
}

void RoundDesk::step(Result<std::string> (calibration::EditHistory::*move)(calibration::Calibration&),
                     Done (carfolder::Rounds::*keep)(int64_t)) {
    if (!calibration_ || !car_.heldBy().isEmpty()) return;
    if (auto may = car_.mayWrite(); !may) return messages_.failed(may.error());
    if (auto done = (history_.*move)(*calibration_); !done) return messages_.failed(done.error());
    if (auto done = (car_.folder->rounds().*keep)(places_.round()); !done) messages_.failed(done.error());
    changed();
}

void RoundDesk::saveNow() {
    saveTimer_.stop();
    if (!unsaved_ || !calibration_ || !car_.kit) return;
    unsaved_ = false;
    calibration::Calibration whole = *calibration_;
    if (auto mended = whole.mendChecksums(car_.kit->profile.checksums); !mended)
        return messages_.failed(mended.error());
    if (auto done = car_.folder->rounds().updateDraft(places_.round(), whole.image()); !done)
        return messages_.failed(done.error());
    emit ledgerMoved();
}

void RoundDesk::endEditing() {
    history_.clear();
    places_.showRound(places_.round());
}

Result<carfolder::Round> RoundDesk::makeRound(const std::vector<calibration::Edit>& edits, const std::string& title,
                                              const job::RoundReason& reason) {
    if (!car_.kit || !selected())
        return fail(ErrorCode::NotFound, "No calibration is open. Read the controller first.");
    if (auto may = car_.mayWrite(); !may) return tl::unexpected(may.error());
    saveNow();
    auto round = job::makeRound(*car_.kit, *car_.folder, places_.round(), edits, title, reason);
    if (!round) return round;
    emit ledgerMoved();
    select(round->id);
    return round;
}

void RoundDesk::setHardwareLimits(bool allow) {
    if (hardwareLimits_ == allow) return;
    hardwareLimits_ = allow;
    if (!calibration_) return;
    calibration_->allowHardwareLimits(allow);
    emit calibrationChanged();
}

}  // namespace brusk::app
