// What is fitted to the car: its build sheet, and the parts to choose from, those that ship and one's own.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "app/desks/CarInHand.h"
#include "core/proposals/BuildSheet.h"
#include "core/proposals/Parts.h"

namespace brusk::app {

class Messages;

class SheetDesk : public QObject {
    Q_OBJECT
  public:
    SheetDesk(storage::FileSystem& files, storage::Path dataFolder, const CarInHand& car, Messages& messages);

    const proposals::BuildSheet& sheet() const { return sheet_; }
    /// Nothing is told yet; a sheet that can't be read is not empty.
    bool isEmpty() const;
    void setSheet(const proposals::BuildSheet& sheet);
    /// The demo's build sheet, when this car folder has none of its own yet.
    void offer(const storage::Path& file);
    /// Reads that of the folder in hand.
    void load();
    /// Of what the sheet says is in the tank, kg of air a kg of fuel.
    double stoichiometric() const;

    const std::vector<proposals::Part>& parts() const { return parts_; }
    /// Where one's own parts are kept, for every car.
    void setOwnParts(const storage::Path& file);
    void keepPart(const proposals::Part& part);
    void forgetPart(const proposals::Part& part);

  signals:
    void sheetChanged();
    void fuelChanged();
    void partsChanged();

  private:
    void loadParts();

    storage::FileSystem& files_;
    storage::Path dataFolder_;
    const CarInHand& car_;
    Messages& messages_;
    proposals::BuildSheet sheet_;
    Done problem_;  ///< why the kept sheet is not shown
    storage::Path ownParts_;
    std::vector<proposals::Part> parts_;
};

}  // namespace brusk::app
