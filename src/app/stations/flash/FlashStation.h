// Flash: what would be written, the gates, the progress, and what the journal says.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QProgressBar>

#include "app/Session.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

/// The controller's sectors as a strip: same, to be written, unknown, being written, verified.
class MemoryRibbon : public QWidget {
    Q_OBJECT
  public:
    enum class State { Same, Change, Unknown, Writing, Verified };
    explicit MemoryRibbon(QWidget* parent = nullptr);
    struct Cell {
        uint32_t start = 0;
        uint32_t length = 0;
        State state = State::Same;
        bool operator==(const Cell&) const = default;
    };
    void setCells(std::vector<Cell> cells);

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    std::vector<Cell> cells_;
};

class FlashStation : public Station {
    Q_OBJECT
  public:
    FlashStation(Session& session, QWidget* parent = nullptr);
    QString hint() const override { return "only the sectors that differ are written; each is read back"; }
    void shown() override;

  private:
    void refresh();
    void refreshGates();
    void refreshRibbon();
    void refreshChanges();
    void refreshJournal();
    void act();

    Session& session_;
    std::optional<job::FlashPlan> plan_;
    MemoryRibbon* ribbon_;
    QLabel* ribbonText_;
    QVBoxLayout* gates_;
    QVBoxLayout* changes_;
    QVBoxLayout* journal_;
    QFrame* progressPanel_;
    QLabel* progressText_;
    QProgressBar* progress_;
    QPushButton* cancel_;
    QFrame* confirm_;
    QLabel* confirmText_;
    QPushButton* yes_;
};

}  // namespace brusk::app
