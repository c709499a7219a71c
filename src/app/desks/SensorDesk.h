// The sensors of this car that are not its controller's: what is heard on the bus, what is kept with the car.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "app/desks/CarInHand.h"
#include "core/job/Sensors.h"

namespace brusk::app {

class LinkDesk;
class Messages;

class SensorDesk : public QObject {
    Q_OBJECT
  public:
    /// `dataFolder` and the folder of one's own DBC files are where descriptions are looked for.
    SensorDesk(storage::FileSystem& files, storage::Path dataFolder, const CarInHand& car, LinkDesk& link,
               Messages& messages);

    void setOwnLibrary(const storage::Path& folder) { own_ = folder; }
    /// For a second, sending nothing; what is heard is offered.
    void listen();
    /// What was heard while the link was opened.
    void heard(const job::BusEars& ears);
    void forget();
    const std::vector<job::SensorOffer>& offers() const { return offers_; }
    /// A description of somebody else's, kept in one's own library; what it describes and is heard is offered.
    void openDescription(const storage::Path& dbc);

    /// What is kept with the car.
    const std::vector<drive::Sensor>& kept() const { return kept_.sensors; }
    /// Reads them of the folder in hand.
    void load();
    void use(const job::SensorOffer& offer);
    /// As somebody says; kept with the car, and true for everything that was recorded.
    [[nodiscard]] Done put(const drive::Sensor& sensor);
    void remove(const drive::Sensor& sensor);

  signals:
    void changed();
    /// The car's sensors are others: the kit is to be made anew, and what was recorded looked at again.
    void keptChanged();

  private:
    void look();
    void keep();

    storage::FileSystem& files_;
    storage::Path dataFolder_, own_;
    const CarInHand& car_;
    LinkDesk& link_;
    Messages& messages_;
    job::BusEars ears_;
    std::vector<job::SensorFile> library_;
    std::vector<job::SensorOffer> offers_;
    job::KeptSensors kept_;
};

}  // namespace brusk::app
