// The car folder that is open: opening it, its rounds, what its car runs, its settings.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "app/desks/CarInHand.h"

namespace brusk::app {

class Messages;

class OpenFolder : public QObject {
    Q_OBJECT
  public:
    OpenFolder(storage::FileSystem& files, storage::Path dataFolder, CarInHand& car, Messages& messages);

    /// Refused while a flash runs.
    [[nodiscard]] Done open(const storage::Path& path);
    [[nodiscard]] Done create(const storage::Path& path, const std::string& carName);

    /// What the car runs, as the footer says it.
    QString carSentence() const;
    /// What the folder keeps of the controller that was read; null before.
    const link::Identity* keptIdentity() const { return keptIdentity_ ? &*keptIdentity_ : nullptr; }
    /// A setting of the open folder; empty without one.
    std::string setting(const std::string& key) const;
    /// What can't be kept is said.
    void keep(const std::string& key, const std::string& value);
    /// All controllers that Brusk has a kit for.
    const std::vector<std::shared_ptr<const job::Kit>>& kits() const { return kits_; }

    storage::FileSystem& files() const { return files_; }

    /// Looks the rounds and the car's contents up again.
    void refresh();
    /// The controller that answered. `mismatch`: what does not fit, a sentence; empty where it is the folder's own.
    void useKit(std::shared_ptr<const job::Kit> kit, const std::string& mismatch);
    /// The folder's sensors are others now.
    void takeSensorsAnew();
    /// The link is closed: nothing is there that might not fit.
    void forgetMismatch() { car_.mismatch.clear(); }
    /// The same kit with another definition, kept in the folder.
    void takeDefinition(std::shared_ptr<const job::Kit> kit);

  signals:
    void aboutToClose();     ///< what is not kept yet is kept now
    void closed();           ///< another folder is in hand; what was known of the one before is forgotten
    void opened();           ///< its rounds are known
    void kitFound();         ///< the first time this car's controller is known
    void definitionTaken();  ///< the calibration is another view now

  private:
    void take(std::unique_ptr<carfolder::CarFolder> folder);
    /// The kit with the definition and the sensors that the open folder keeps of its own.
    void useOwn();
    void useKeptSensors();

    storage::FileSystem& files_;
    storage::Path dataFolder_;
    CarInHand& car_;
    Messages& messages_;
    std::vector<std::shared_ptr<const job::Kit>> kits_;
    std::optional<link::Identity> keptIdentity_;
};

}  // namespace brusk::app
