// The plan on the pool, the flash on the link's thread; the ledger is told by Desks when it is over.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/FlashDesk.h"

#include "app/desks/Background.h"
#include "app/desks/LinkDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "app/link/LinkParts.h"
#include "core/job/Deliver.h"

namespace brusk::app {

FlashDesk::FlashDesk(storage::FileSystem& files, const CarInHand& car, Places& places, LinkDesk& link,
                     Background& background, Messages& messages)
    : files_(files), car_(car), places_(places), link_(link), background_(background), messages_(messages) {
    for (auto signal : {&LinkDesk::changed, &LinkDesk::taskChanged})
        connect(&link_, signal, this, &FlashDesk::linkChanged);
}

const link::Identity* FlashDesk::identity() const {
    return linkIsOpen() ? link_.identity() : nullptr;
}

bool FlashDesk::linkIsOpen() const {
    return link_.state() == LinkState::Open;
}

bool FlashDesk::busy() const {
    return link_.busy();
}

const link::Progress& FlashDesk::progress() const {
    return link_.progress();
}

void FlashDesk::cancel() {
    link_.cancelTask();
}

std::shared_ptr<const link::TrafficLog> FlashDesk::traffic() const {
    return link_.traffic();
}

void FlashDesk::saveTraffic(const storage::Path& path) {
    link_.saveTraffic(path);
}

bool FlashDesk::flashing() const {
    return link_.task() == Task::Flash;
}

QString FlashDesk::heldBy() const {
    if (!flashing()) return {};
    return tr("Round %1 is being written into the car. Let that come to its end, or stop it, first.").arg(number_);
}

void FlashDesk::plan(const QObject* asker, const std::optional<link::Identity>& identity,
                     const job::FlashOptions& options, std::function<void(Result<job::FlashPlan>)> then) {
    background_.latest(
        asker,
        [kit = car_.kit, folder = car_.folder, round = places_.round(), identity, options] {
            return job::planFlash(*kit, *folder, round, identity ? &*identity : nullptr, options);
        },
        [this, of = car_.folder, then = std::move(then)](Result<job::FlashPlan> plan) {
            if (car_.folder == of) then(std::move(plan));
        });
}

void FlashDesk::flash(const job::FlashOptions& options) {
    const auto* round = car_.round(places_.round());
    if (!car_.kit || !round || link_.busy()) return;
    emit aboutToFlash();
    number_ = round->number;
    link_.run(Task::Flash,
              [this, kit = car_.kit, folder = car_.folder, round = round->id, files = &files_, options](
                  LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
                  const link::Unkept unseen(*open.traffic(), job::holdsSealed(*folder));
                  link::Uds uds(open.port(), kit->profile);
                  auto report = job::flashRound(uds, *kit, *folder, round, options, link_.reporter(stop));
                  // The bench car's memory outlives the program, as a real one's does; losing it would cost the
                  // simulated car only.
                  // Of a round that came sealed nothing lies in the folder, not even as the memory of a simulated car.
                  if (open.hasBenchCar() && !job::holdsSealed(*folder))
                      (void)files->save(folder->path() / open.memoryFile(), open.flash());
                  auto identity = report ? link::identify(uds) : Result<link::Identity>(tl::unexpected(report.error()));
                  return [this, report, identity] {
                      emit flashed();
                      if (!report) return link_.failed(report.error());
                      report_ = *report;
                      if (identity) link_.heard(*identity, "It answers.");
                      messages_.say(tr("Round %1 is in the car: %2 %3 written and read back in %4 s, %5 times the "
                                       "theoretical least.")
                                        .arg(number_)
                                        .arg(report->sectors)
                                        .arg(report->sectors == 1 ? "sector" : "sectors")
                                        .arg(static_cast<double>(report->elapsed_us) * 1e-6, 0, 'f', 1)
                                        .arg(report->share() > 0 ? 1 / report->share() : 1.0, 0, 'f', 2));
                  };
              });
}

std::vector<carfolder::JournalEntry> FlashDesk::journal(int lines) const {
    return car_.folder ? messages_.orSay(car_.folder->memory().journal(lines)) : std::vector<carfolder::JournalEntry>();
}

}  // namespace brusk::app
