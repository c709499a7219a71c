// Review: the recordings of a round as lanes with a cursor, and the fuel error on the VE map's own axes.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QListWidget>

#include "app/desks/Desks.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/MapGrid.h"
#include "app/widgets/Panels.h"
#include "app/widgets/PlayBar.h"
#include "core/evidence/Drives.h"
#include "core/evidence/MapSamples.h"

namespace brusk::app {

class ReviewStation : public Station {
    Q_OBJECT
  public:
    ReviewStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override {
        return "click a cell to see its moments \u00b7 Space plays \u00b7 wheel zooms \u00b7 right-drag moves \u00b7 "
               "Home shows all";
    }
    void shown() override { refresh(); }

  private:
    void refresh();
    void load(int row);
    void showRecording();
    void refreshCells();
    void showMoments();
    void showMoment();

    Desks& desks_;
    QListWidget* list_;
    LaneView* lanes_;
    MapGrid* cells_;
    QComboBox* what_;
    QLabel* cellText_;
    QLabel* found_;
    std::shared_ptr<const recording::Recording> recording_;
    std::string recordingFile_;
    int asked_ = 0;  ///< counts loads, so that a late one is told apart
    QString shown_;  ///< folder, round and number of recordings in the list
    calibration::Table map_;
    std::shared_ptr<const evidence::Drives> drives_;       ///< whose samples are shown
    std::shared_ptr<const evidence::MapSamples> samples_;  ///< on the map's axes
};

}  // namespace brusk::app
