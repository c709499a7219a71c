// Each question is a task on the link; its answer comes back as a call on the interface thread.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/ControllerDesk.h"

#include "app/desks/LinkDesk.h"
#include "app/desks/Messages.h"
#include "app/link/LinkParts.h"
#include "core/job/AnyCar.h"
#include "core/job/Deliver.h"
#include "core/job/Stock.h"

namespace brusk::app {

ControllerDesk::ControllerDesk(const CarInHand& car, LinkDesk& link, Messages& messages)
    : car_(car), link_(link), messages_(messages) {
    for (auto signal : {&LinkDesk::changed, &LinkDesk::taskChanged})
        connect(&link_, signal, this, &ControllerDesk::linkChanged);
    connect(&link_, &LinkDesk::obdChanged, this, &ControllerDesk::obdChanged);
}

bool ControllerDesk::ready() const {
    return link_.ready();
}

const job::ObdCar* ControllerDesk::obdCar() const {
    return link_.obdCar();
}

void ControllerDesk::refreshIdentity() {
    if (!car_.kit) return;
    link_.run(Task::AskIdentity,
              [this, kit = car_.kit](LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
                  link::Uds uds(open.port(), kit->profile);
                  uds.setGoOn([stop] { return !stop.stop_requested(); });
                  auto identity = link::identify(uds);
                  return [this, identity] {
                      if (!identity) return link_.failed(identity.error());
                      link_.heard(*identity, job::answerSentence(*car_.kit, *identity));
                  };
              });
}

void ControllerDesk::read(job::ReadScope scope) {
    if (!car_.kit || !link_.identity()) return;
    if (!car_.mismatch.isEmpty()) return messages_.say(car_.mismatch, true);
    link_.run(
        Task::Read,
        [this, kit = car_.kit, folder = car_.folder, identity = *link_.identity(), scope](
            LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
            const link::Unkept unseen(*open.traffic(), job::holdsSealed(*folder));
            link::Uds uds(open.port(), kit->profile);
            auto outcome = job::readCar(uds, *kit, identity, *folder, scope, link_.reporter(stop));
            return [this, outcome] {
                if (!outcome) return link_.failed(outcome.error());
                emit ledgerMoved();
                // A part of a sealed round is no round.
                if (outcome->round.id) emit wasRead(outcome->round.id);
                messages_.say(tr("%1 %2 KiB in %3 s, %4 times the theoretical least.")
                                  .arg(QString::fromStdString(outcome->sentence))
                                  .arg(outcome->report.bytes / 1024)
                                  .arg(static_cast<double>(outcome->report.elapsed_us) * 1e-6, 0, 'f', 1)
                                  .arg(outcome->report.share() > 0 ? 1 / outcome->report.share() : 1.0, 0, 'f', 2));
            };
        });
}

void ControllerDesk::checkAgainstLedger() {
    if (!car_.kit || !messages_.orSay(car_.folder->rounds().original())) return;
    link_.run(Task::Compare,
              [this, kit = car_.kit, folder = car_.folder](LinkParts& open,
                                                           const std::stop_token& stop) -> std::function<void()> {
                  const link::Unkept unseen(*open.traffic(), job::holdsSealed(*folder));
                  link::Uds uds(open.port(), kit->profile);
                  uds.setGoOn([stop] { return !stop.stop_requested(); });
                  auto stock = job::takeStock(uds, *kit, *folder, job::StockScope::Everything);
                  return [this, stock] {
                      emit ledgerMoved();
                      if (!stock) return link_.failed(stock.error());
                      emit told(QString::fromStdString(stock->sentence), stock->changed > 0);
                  };
              });
}

void ControllerDesk::readCodes(bool clearFirst) {
    if (!car_.kit) return;
    link_.run(
        Task::Codes,
        [this, kit = car_.kit, clearFirst](LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
            link::Uds uds(open.port(), kit->profile);
            uds.setGoOn([stop] { return !stop.stop_requested(); });
            Done cleared;
            if (clearFirst) cleared = uds.clearTroubleCodes();
            auto codes = cleared ? job::troubleCodes(uds, *kit)
                                 : Result<std::vector<job::TroubleCodeReport>>(tl::unexpected(cleared.error()));
            return [this, codes, kit] {
                if (!codes) return link_.failed(codes.error());
                codes_ = *codes;
                codesKit_ = kit;
                codesRead_ = true;
                emit codesChanged();
            };
        });
}

void ControllerDesk::refreshObd(bool clearFirst) {
    if (!link_.obdCar()) return;
    link_.run(Task::Obd, [this, clearFirst](LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
        auto car = job::askAnyCar(open.port(), clearFirst, [stop] { return !stop.stop_requested(); });
        return [this, car] {
            if (!car) return link_.failed(car.error());
            link_.setObdCar(*car);
        };
    });
}

}  // namespace brusk::app
