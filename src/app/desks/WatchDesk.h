// What is watched while somebody drives, when a recording begins by itself, which sets of channels there are, and what
// is in the tank: chosen before a drive, kept for the next.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QStringList>
#include <optional>
#include <set>

#include "app/desks/CarInHand.h"
#include "app/desks/Sound.h"
#include "core/job/Guards.h"
#include "core/job/KeptSets.h"

namespace brusk::app {

class LinkDesk;
class SheetDesk;

class WatchDesk : public QObject {
    Q_OBJECT
  public:
    WatchDesk(storage::FileSystem& files, const CarInHand& car, const LinkDesk& link, const SheetDesk& sheet);
    /// Where the tones of a warning are kept, and sets of channels.
    void setHome(const storage::Path& home) { home_ = home; }

    // Sets of channels, for controllers of this family.
    [[nodiscard]] Result<std::vector<job::KeptSet>> sets() const;
    [[nodiscard]] Done keepSet(const job::KeptSet& set);
    [[nodiscard]] Done forgetSet(const std::string& name);

    // Guards: those that ship, as this car can be asked, then one's own.
    struct Row {
        drive::Guard guard;
        bool on = true;
        bool own = false;
        QString lacks;  ///< why this car can't be asked; such a one is never on
    };
    std::vector<Row> rows() const;
    void turn(const drive::Guard& guard, bool on);
    /// "CONDITION;SECONDS;SENTENCE".
    [[nodiscard]] Done addOwn(const QString& line);
    void forgetOwn(const drive::Guard& guard);
    /// Those that are on and can be asked.
    std::vector<drive::Guard> chosen() const;
    /// Made when it is first asked for.
    Sound& sound();

    // Armed.
    const std::optional<drive::Arming>& arming() const { return arming_; }
    /// Checked against what this car can be asked; nothing: by hand.
    [[nodiscard]] Done arm(const std::optional<drive::Arming>& arming);

    // The tank.
    /// As it was told last for this car, else as the build sheet has it.
    carfolder::Conditions tank() const;
    /// Neither did anybody say it, nor does the build sheet.
    bool tankIsUntold() const;
    /// "98 RON, 10 % ethanol"; empty where nothing is known.
    QString tankText() const;
    [[nodiscard]] Done tellTank(const carfolder::Conditions& tank);

  signals:
    void changed();

  private:
    void keep();
    /// What a drive of this car can be asked; nothing where no car is known.
    std::optional<recording::Vocabulary> vocabulary() const;

    storage::FileSystem& files_;
    storage::Path home_;
    const CarInHand& car_;
    const LinkDesk& link_;
    const SheetDesk& sheet_;
    std::unique_ptr<Sound> sound_;
    std::vector<drive::Guard> own_;
    std::set<std::string> off_;  ///< ids, or conditions of one's own
    std::optional<drive::Arming> arming_;
};

}  // namespace brusk::app
