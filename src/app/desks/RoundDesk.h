// The calibration under edit: that of the round the user looks at, its edits and their undo, new rounds from it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QTimer>
#include <optional>

#include "app/desks/CarInHand.h"
#include "core/calibration/SharedBytes.h"

namespace brusk::job {
struct RoundReason;
}

namespace brusk::app {

class Background;
class Messages;
class Places;

class RoundDesk : public QObject {
    Q_OBJECT
  public:
    RoundDesk(const CarInHand& car, Places& places, Background& background, Messages& messages);

    /// The round that is shown; null for none.
    const carfolder::Round* selected() const;
    void select(int64_t round);
    /// The same, also where it is shown already: its bytes may be others.
    void showAnew(int64_t round);
    const calibration::Calibration* calibration() const { return calibration_ ? &*calibration_ : nullptr; }
    /// Why the selected round is not shown, a sentence, when it came sealed; empty else.
    const QString& closed() const { return closed_; }
    /// It came sealed and may be looked at: nothing of it is changed, kept or computed with.
    bool isToLookAt() const { return calibration_ && selected() && selected()->sealed; }
    /// Makes an edit on the selected round; on one that is not a draft it begins a new draft.
    [[nodiscard]] Done edit(const calibration::Edit& edit);
    void undo();
    void redo();
    const calibration::EditHistory& history() const { return history_; }
    [[nodiscard]] Result<carfolder::Round> makeRound(const std::vector<calibration::Edit>& edits,
                                                     const std::string& title, const job::RoundReason& reason);
    void saveNow();
    /// What is in the car is not taken back by undo: the next edit begins a round of its own.
    void endEditing();
    /// Another folder is in hand.
    void forget();
    /// Sees the same bytes through another definition.
    void lookAgain();
    /// Which parameters lie on the same bytes, in the selected calibration; null until that is known.
    const calibration::SharedBytes* sharedBytes() const { return shared_.get(); }
    /// Whether edits may go to the hardware's limits, where the definition knows them.
    bool hardwareLimits() const { return hardwareLimits_; }
    void setHardwareLimits(bool allow);

  signals:
    void calibrationChanged();
    /// A round was added or changed in the folder.
    void ledgerMoved();

  private:
    void load(int64_t round);
    void loadSharedBytes();
    [[nodiscard]] Done beginDraft();
    /// Through the history, here and in the folder.
    void step(Result<std::string> (calibration::EditHistory::*move)(calibration::Calibration&),
              Done (carfolder::Rounds::*keep)(int64_t));
    /// Of an edit that was made, taken back or made again.
    void changed();

    const CarInHand& car_;
    Places& places_;
    Background& background_;
    Messages& messages_;
    std::optional<calibration::Calibration> calibration_;
    QString closed_;
    std::shared_ptr<const calibration::SharedBytes> shared_;
    calibration::EditHistory history_;
    bool hardwareLimits_ = false;
    QTimer saveTimer_;
    bool unsaved_ = false;
};

}  // namespace brusk::app
