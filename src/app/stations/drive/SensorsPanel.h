// The sensors of this car that are not its controller's: what is heard on the bus and can be used, what is kept, and a
// voltage on a spare input with its line.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLineEdit>
#include <QTreeWidget>

#include "app/stations/drive/DrivePresenter.h"
#include "app/widgets/Panels.h"
#include "core/job/Sensors.h"

namespace brusk::app {

class SensorDesk;

class SensorsPanel : public QWidget {
    Q_OBJECT
  public:
    SensorsPanel(SensorDesk& desk, DrivePresenter& presenter);
    void refresh();
    /// The numbers alone, while it is driven.
    void refreshNumbers();
    void setEditable(bool editable);

  private:
    QWidget* makeLine();
    void fillChannels();
    void useCurrent();
    void showCurrent();
    void keepLine();
    void gaugeShows();
    void openDescription();
    void say(const Done& done);
    /// The sensor under the cursor; nothing where an offer is.
    std::optional<DrivePresenter::OwnSensor> current() const;
    /// The offer under the cursor; null where a sensor of the car's is.
    const job::SensorOffer* offer() const;
    void showPlays();
    void choosePlays();
    void showLine();
    /// Through the two points that stand there.
    Result<drive::Scaling> line() const;

    SensorDesk& desk_;
    DrivePresenter& presenter_;
    QTreeWidget* tree_;
    QPushButton* use_;
    QComboBox* plays_;
    QPushButton* listen_;
    QPushButton* remove_;
    QComboBox* channel_;
    QComboBox* role_;
    QComboBox* unit_;
    QLineEdit* points_[4];
    QLineEdit* gauge_;
    QPushButton* keep_;
    ElidedLabel* ends_;
    ElidedLabel* problem_;
    size_t offered_ = 0;
};

}  // namespace brusk::app
