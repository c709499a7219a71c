// Review: the recordings of a round as lanes with a cursor, and the fuel error on the VE map's own axes.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QListWidget>

#include "app/stations/review/EventList.h"
#include "app/stations/review/ReviewPresenter.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/MapGrid.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

class ReviewStation : public Station {
    Q_OBJECT
  public:
    ReviewStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override {
        return "an event or a cell leads to its moments \u00b7 Space plays \u00b7 wheel zooms \u00b7 right-drag moves "
               "\u00b7 "
               "Home shows all";
    }
    void shown() override { refresh(); }

  private:
    void refresh();
    void showRecording();
    void showLanes();
    void showCells();
    void showMoments();
    void showMoment();
    void showEvents();
    void showEvent();
    void showFindings();
    void showFinding();
    void showMeaning(const evidence::Finding& finding);
    /// The finding that is looked at; null while none is.
    const evidence::Finding* chosen() const;
    void showStretch(double from_s, double to_s);
    void showImport();
    void openFile(const QString& path);
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

    ReviewPresenter presenter_;
    QListWidget* list_;
    LaneView* lanes_;
    MapGrid* cells_;
    QComboBox* what_;
    QLabel* cellText_;
    QLabel* found_;
    EventList* events_;
    QLabel* findingsHead_;
    QListWidget* findings_;
    QPushButton *goThere_, *putBack_;
    QString chosen_;                           ///< the check whose finding is looked at
    std::optional<evidence::Stretch> wanted_;  ///< of a recording that is being loaded
    QLabel* figures_;
    QPushButton* bind_;
    QWidget* sheet_;   ///< lanes and cells
    QWidget* import_;  ///< in their place while a file is on the page
};

}  // namespace brusk::app
