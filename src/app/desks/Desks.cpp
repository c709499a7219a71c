// Which desk is told of what another did. A desk hears before a station does: it was connected first.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/Desks.h"

#include "app/desks/Background.h"
#include "app/desks/ControllerDesk.h"
#include "app/desks/DefinitionDesk.h"
#include "app/desks/DeliverDesk.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/FlashDesk.h"
#include "app/desks/ImportDesk.h"
#include "app/desks/LinkDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/NextDesk.h"
#include "app/desks/OpenFolder.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/desks/ReferenceDesk.h"
#include "app/desks/RoundDesk.h"
#include "app/desks/SensorDesk.h"
#include "app/desks/SheetDesk.h"
#include "app/desks/UnitChoice.h"
#include "app/desks/WatchDesk.h"

namespace brusk::app {

/// In the order in which they stand on each other; gone in the other order. The pool outlives the desks that ask it:
/// what it still works on holds what it needs, and Background drops the answer to an asker that is gone.
struct Desks::All {
    All(storage::FileSystem& files, const storage::Path& dataFolder)
        : folder(files, dataFolder, car, messages),
          sheet(files, dataFolder, car, messages),
          round(car, places, background, messages),
          reference(car, places, background, messages),
          definition(car, background, messages),
          evidence(car, background, messages),
          link(files, car, background, messages),
          controller(car, link, messages),
          flash(files, car, places, link, background, messages),
          drive(car, link, playback, background, messages),
          next(car, places),
          deliver(files, car, places, background, messages),
          imports(files, car, background, messages),
          sensors(files, dataFolder, car, link, messages),
          watch(files, car, link, sheet) {
        car.heldBy = [this] { return flash.heldBy(); };
        openAndClose();
        rounds();
        theLink();
        whatNext();
        handedOver();
    }
    ~All() {
        link.leave();
        round.saveNow();
    }

    CarInHand car;
    Messages messages;
    Background background{messages};
    Places places;
    UnitChoice units;
    Playback playback;
    OpenFolder folder;
    SheetDesk sheet;
    RoundDesk round;
    ReferenceDesk reference;
    DefinitionDesk definition;
    EvidenceDesk evidence;
    LinkDesk link;
    ControllerDesk controller;
    FlashDesk flash;
    DriveDesk drive;
    NextDesk next;
    DeliverDesk deliver;
    ImportDesk imports;
    SensorDesk sensors;
    WatchDesk watch;

  private:
    template <class From, class Signal, class Call>
    void when(From& from, Signal signal, Call call) {
        QObject::connect(&from, signal, &folder, call);
    }
    void refreshLedger() { folder.refresh(); }
    void withCarSentence(const QString& sentence, bool alarm) {
        messages.say(sentence + " " + folder.carSentence(), alarm);
    }
    void openAndClose();
    void rounds();
    void theLink();
    void whatNext();
    void handedOver();
};

void Desks::All::openAndClose() {
    when(folder, &OpenFolder::aboutToClose, [this] {
        round.saveNow();
        link.disconnectLink();
    });
    when(folder, &OpenFolder::closed, [this] {
        round.forget();
        evidence.forget();
        playback.lookAt(nullptr, {});
        reference.forgetChoice();
        reference.reload();
        sheet.load();
        sensors.load();
    });
    when(folder, &OpenFolder::opened, [this] {
        if (!car.rounds.empty()) round.showAnew(car.contents.round.value_or(car.rounds.front().id));
    });
    when(sheet, &SheetDesk::fuelChanged, [this] { units.setStoichiometric(sheet.stoichiometric()); });
}

void Desks::All::rounds() {
    when(round, &RoundDesk::ledgerMoved, [this] { refreshLedger(); });
    when(folder, &OpenFolder::kitFound, [this] { round.lookAgain(); });
    when(folder, &OpenFolder::definitionTaken, [this] {
        reference.reload();
        round.lookAgain();
    });
    when(definition, &DefinitionDesk::made, [this](const std::shared_ptr<const job::Kit>& kit) {
        round.saveNow();
        folder.takeDefinition(kit);
    });
    when(evidence, &EvidenceDesk::measured, [this] { refreshLedger(); });
    when(places, &Places::wanted, [this](const Place& place) {
        if (place.round) round.select(*place.round);
    });
}

void Desks::All::theLink() {
    when(link, &LinkDesk::found, [this](const std::shared_ptr<const job::Kit>& kit, const std::string& mismatch) {
        folder.useKit(kit, mismatch);
    });
    when(link, &LinkDesk::connectedTo, [this](const std::string& choice) {
        if (car.mayWrite()) folder.keep("link", choice);
    });
    when(link, &LinkDesk::closed, [this] {
        folder.forgetMismatch();
        sensors.forget();
    });
    when(link, &LinkDesk::heardOthers, [this](const job::BusEars& ears) { sensors.heard(ears); });
    when(sensors, &SensorDesk::keptChanged, [this] {
        folder.takeSensorsAnew();
        evidence.forget();
        places.showRound(places.round());
    });
    when(drive, &DriveDesk::tripped, [this](const QString& sentence, bool sound) {
        messages.say(sentence, true);
        if (sound) watch.sound().warn();
    });
    when(link, &LinkDesk::pluggedInAgain, [this] { controller.refreshIdentity(); });
    when(link, &LinkDesk::broke, [this] { refreshLedger(); });
    when(link, &LinkDesk::told, [this](const QString& sentence, bool alarm) { withCarSentence(sentence, alarm); });
    when(controller, &ControllerDesk::told, [this](const QString& s, bool alarm) { withCarSentence(s, alarm); });
    when(controller, &ControllerDesk::ledgerMoved, [this] { refreshLedger(); });
    when(controller, &ControllerDesk::wasRead, [this](int64_t read) { round.showAnew(read); });
    when(flash, &FlashDesk::aboutToFlash, [this] { round.saveNow(); });
    when(flash, &FlashDesk::flashed, [this] {
        refreshLedger();
        round.endEditing();
    });
    when(drive, &DriveDesk::recorded, [this](int64_t on) {
        if (on >= 0) evidence.driveAdded(on);
        refreshLedger();
        places.showRound(places.round());
    });
}

void Desks::All::whatNext() {
    const auto look = [this] { next.refresh(link.state() == LinkState::Open && link.identity(), sheet.isEmpty()); };
    when(car, &CarInHand::roundsChanged, look);
    when(car, &CarInHand::changed, look);
    when(link, &LinkDesk::changed, look);
    when(sheet, &SheetDesk::sheetChanged, look);
}

void Desks::All::handedOver() {
    when(folder, &OpenFolder::opened, [this] {
        deliver.putAside();
        deliver.folderOpened();
    });
    when(deliver, &DeliverDesk::ledgerMoved, [this] { refreshLedger(); });
    when(deliver, &DeliverDesk::tookRound, [this](int64_t taken) { round.showAnew(taken); });
    when(deliver, &DeliverDesk::tookDrives, [this](int64_t on) { evidence.driveAdded(on); });
    when(imports, &ImportDesk::kept, [this](int64_t on) {
        if (on >= 0) evidence.driveAdded(on);
        refreshLedger();
        places.showRound(places.round());
    });
}

Desks::Desks(storage::FileSystem& files, const storage::Path& dataFolder)
    : all_(std::make_unique<All>(files, dataFolder)),
      car(all_->car),
      messages(all_->messages),
      background(all_->background),
      places(all_->places),
      units(all_->units),
      playback(all_->playback),
      folder(all_->folder),
      sheet(all_->sheet),
      round(all_->round),
      reference(all_->reference),
      definition(all_->definition),
      evidence(all_->evidence),
      link(all_->link),
      controller(all_->controller),
      flash(all_->flash),
      drive(all_->drive),
      next(all_->next),
      deliver(all_->deliver),
      imports(all_->imports),
      sensors(all_->sensors),
      watch(all_->watch) {}

Desks::~Desks() = default;

void Desks::saveEdits() {
    all_->round.saveNow();
}

void Desks::setOwnParts(const storage::Path& file) {
    all_->sheet.setOwnParts(file);
}

void Desks::setHome(const storage::Path& at) {
    all_->deliver.setHome(at);
    all_->imports.setHome(at);
    all_->sensors.setOwnLibrary(at / "dbc");
    all_->watch.setHome(at);
}

void Desks::offerSheet(const storage::Path& file) {
    all_->sheet.offer(file);
}

Done Desks::open(const storage::Path& path, bool create, const std::string& carName) {
    const bool there = carfolder::CarFolder::isThere(all_->folder.files(), path);
    return create && !there ? all_->folder.create(path, carName) : all_->folder.open(path);
}

}  // namespace brusk::app
