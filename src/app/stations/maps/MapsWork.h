// What the Maps station works on, for all its panels: the calibration and its edits, what it is held against, what was
// driven behind its cells, what a channel says now. It keeps nothing itself; it asks the desks.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <functional>
#include <memory>
#include <vector>

#include "core/calibration/Calibration.h"
#include "core/calibration/SharedBytes.h"
#include "core/storage/FileSystem.h"
#include "core/units/Units.h"

namespace brusk::evidence {
class Drives;
}

namespace brusk::app {

class Background;
class Desks;

class MapsWork : public QObject {
    Q_OBJECT
  public:
    explicit MapsWork(Desks& desks, QObject* parent = nullptr);

    const calibration::Calibration* calibration() const;
    /// Of a round that came sealed: nothing of it is kept, not even in the clipboard.
    bool isToLookAt() const;
    [[nodiscard]] Done edit(const calibration::Edit& edit);
    void undo();
    void redo();
    const calibration::EditHistory& history() const;
    const calibration::SharedBytes* sharedBytes() const;
    void setHardwareLimits(bool allow);

    const calibration::Calibration* reference() const;
    std::shared_ptr<const calibration::Calibration> referenceNamed(const QString& key) const;
    QString referenceName() const;
    QString referenceKey() const;
    std::vector<std::pair<QString, QString>> referenceChoices() const;  ///< key and name
    void setReference(const QString& key);
    [[nodiscard]] Done addDonor(const storage::Path& image, const storage::Path& definitionFile);

    /// Null before the controller is known.
    std::shared_ptr<const definition::Definition> definition() const;
    void changeDefinition(std::string text, std::function<void()> then);
    /// Null without an open folder.
    storage::FileSystem* files() const;

    /// What was driven on the round or its nearest ancestor; null until it is loaded, and where nothing was.
    std::shared_ptr<const evidence::Drives> driven() const;
    void loadDriven();
    /// What moves along an axis now, in the axis' unit: in the car, else in the recording that is looked at; NaN when
    /// nothing does.
    double nowAlong(const calibration::AxisValues& axis) const;
    void playOrHalt();

    const units::Preferences& units() const;
    void say(const QString& sentence, bool alarm = false);
    Background& background() const;

  signals:
    void changed();  ///< any of these, the round that is shown, or the units
    void calibrationChanged();
    void referenceChanged();
    void drivenChanged();
    void definitionChanged();
    void nowMoved();
    void roleWanted(const QString& role);

  private:
    Desks& desks_;
};

}  // namespace brusk::app
