// Flash: what would be written, the gates, the progress, what the journal says and what goes over the wire.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QProgressBar>

#include "app/desks/Desks.h"
#include "app/stations/flash/GateList.h"
#include "app/stations/flash/MemoryRibbon.h"
#include "app/stations/flash/TrafficView.h"
#include "app/widgets/Panels.h"
#include "core/job/FlashRound.h"

namespace brusk::app {

class FlashStation : public Station {
    Q_OBJECT
  public:
    FlashStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override { return "each sector is read back before the ledger believes it"; }
    void shown() override;

  private:
    void makeMemory();
    void makeConfirm();
    void makeProgress();
    void makeColumns();
    void refresh();
    /// Asks the core what would be written and whether it may be; the answer comes to takePlan().
    void plan();
    void takePlan(Result<job::FlashPlan> plan);
    void refreshProgress();
    void refreshPrimary();
    void refreshRibbon();
    void refreshChanges();
    void refreshJournal();
    void settle(job::Gate::Remedy remedy, const QString& parameter);
    void act();

    Desks& desks_;
    std::optional<job::FlashPlan> plan_;
    job::FlashOptions options_;
    int asked_ = 0;  ///< counts the questions, so that only the newest answer is taken
    bool planning_ = false;
    QComboBox* scope_;
    MemoryRibbon* ribbon_;
    QLabel* ribbonText_;
    QLabel* lastFlash_;
    GateList* gates_;
    QLabel* changesHead_;
    QVBoxLayout* changes_;
    QVBoxLayout* journal_;
    QString newestJournal_;
    QFrame* progressPanel_;
    QLabel* progressText_;
    QProgressBar* progress_;
    QPushButton* cancel_;
    QFrame* confirm_;
    QLabel* confirmText_;
    QPushButton* yes_;
};

}  // namespace brusk::app
