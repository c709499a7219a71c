// All desks of the window, and how they answer to each other. Nobody who holds this sees a desk: who works at one
// includes its header.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>

#include "core/storage/FileSystem.h"

namespace brusk::app {

class Background;
class CarInHand;
class ControllerDesk;
class DefinitionDesk;
class DeliverDesk;
class DriveDesk;
class EvidenceDesk;
class FlashDesk;
class ImportDesk;
class LinkDesk;
class Messages;
class NextDesk;
class OpenFolder;
class Places;
class Playback;
class ReferenceDesk;
class RoundDesk;
class SensorDesk;
class SheetDesk;
class UnitChoice;
class WatchDesk;

class Desks {
  public:
    Desks(storage::FileSystem& files, const storage::Path& dataFolder);
    ~Desks();
    Desks(const Desks&) = delete;
    Desks& operator=(const Desks&) = delete;

    /// Opens a car folder, or makes it, where `create` says so and none is there.
    [[nodiscard]] Done open(const storage::Path& path, bool create, const std::string& carName);

    /// What was edited and is not in the folder yet, goes there now.
    void saveEdits();
    /// Where one's own parts are kept, for every car.
    void setOwnParts(const storage::Path& file);
    /// Where the key and the cards of who sits here lie.
    void setHome(const storage::Path& at);
    /// A build sheet for a car that has none of its own yet.
    void offerSheet(const storage::Path& file);

  private:
    struct All;
    std::unique_ptr<All> all_;

  public:
    const CarInHand& car;
    Messages& messages;
    Background& background;
    Places& places;
    UnitChoice& units;
    Playback& playback;
    OpenFolder& folder;
    SheetDesk& sheet;
    RoundDesk& round;
    ReferenceDesk& reference;
    DefinitionDesk& definition;
    EvidenceDesk& evidence;
    LinkDesk& link;
    ControllerDesk& controller;
    FlashDesk& flash;
    DriveDesk& drive;
    NextDesk& next;
    DeliverDesk& deliver;
    ImportDesk& imports;
    SensorDesk& sensors;
    WatchDesk& watch;
};

}  // namespace brusk::app
