// Writing a round into the car: what it would write and whether it may, the writing, what came of it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "app/desks/CarInHand.h"
#include "core/job/FlashRound.h"
#include "core/link/Traffic.h"

namespace brusk::app {

class Background;
class LinkDesk;
class Messages;
class Places;

class FlashDesk : public QObject {
    Q_OBJECT
  public:
    FlashDesk(storage::FileSystem& files, const CarInHand& car, Places& places, LinkDesk& link, Background& background,
              Messages& messages);

    /// The round that is shown.
    void flash(const job::FlashOptions& options = {});
    /// What a flash would write and whether it may, computed off this thread; the newest answer comes to `then`.
    void plan(const QObject* asker, const std::optional<link::Identity>& identity, const job::FlashOptions& options,
              std::function<void(Result<job::FlashPlan>)> then);
    bool flashing() const;
    // Of the link, for who flashes over it.
    const link::Identity* identity() const;  ///< of who answers now; null where nobody does
    bool linkIsOpen() const;
    bool busy() const;
    const link::Progress& progress() const;
    void cancel();
    std::shared_ptr<const link::TrafficLog> traffic() const;
    void saveTraffic(const storage::Path& path);
    /// While a flash runs: why folder, link and window can't be let go of; empty else.
    QString heldBy() const;
    const std::optional<link::FlashReport>& lastReport() const { return report_; }
    /// The newest lines of the car's journal, the newest first.
    std::vector<carfolder::JournalEntry> journal(int lines) const;

  signals:
    void aboutToFlash();
    /// Done or not; the ledger has moved.
    void flashed();
    void linkChanged();  ///< it, or what runs on it

  private:
    storage::FileSystem& files_;
    const CarInHand& car_;
    Places& places_;
    LinkDesk& link_;
    Background& background_;
    Messages& messages_;
    int number_ = 0;  ///< of the round that is being written
    std::optional<link::FlashReport> report_;
};

}  // namespace brusk::app
