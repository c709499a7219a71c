// What Brusk knows of controllers: profiles with their definitions and external sensors, found by what a controller
// says.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "core/can/Dbc.h"
#include "core/definition/A2lReader.h"
#include "core/drive/Sensor.h"
#include "core/link/Transfer.h"
#include "core/storage/FileSystem.h"

namespace brusk::job {

/// One family of controllers, ready to be talked to. Never changed once loaded.
struct Kit {
    link::Profile profile;
    std::shared_ptr<const definition::Definition> definition;
    std::vector<can::DbcMessage> externalSensors;
    std::vector<drive::Sensor> sensors = {};  ///< what this car's own, and the former, mean in it
    std::string definitionFile;
};

/// Loads a profile and what stands beside it: its definition and every .dbc file of the folder.
[[nodiscard]] Result<std::shared_ptr<const Kit>> loadKit(storage::FileSystem& files, const storage::Path& profile);
/// Every *.profile.json below a folder; a broken one is skipped and its error kept in `problems`.
std::vector<std::shared_ptr<const Kit>> loadKits(storage::FileSystem& files, const storage::Path& folder,
                                                 std::vector<Error>& problems);

/// The same with more external sensors; one of the same message takes the place of what was there.
std::shared_ptr<const Kit> withSensors(const Kit& kit, const std::vector<can::DbcMessage>& sensors);

/// The kit that knows this hardware; NotFound when none does.
[[nodiscard]] Result<std::shared_ptr<const Kit>> kitOfHardware(const std::vector<std::shared_ptr<const Kit>>& kits,
                                                               const std::string& hardware);

/// Asks the controller who it is with each kit in turn; the first whose hardware numbers match is the one. Where none
/// matches, the kit named `usual` (the folder's own) is taken if its controller answers, and the mismatch is told.
struct Found {
    std::shared_ptr<const Kit> kit;
    link::Identity identity;
    bool bootMode = false;  ///< it answers, and has no valid program
    std::string why;        ///< which kit was chosen and why, a sentence
    std::string mismatch;   ///< what does not fit, a sentence; empty when all does. Nothing is read or edited then
};
[[nodiscard]] Result<Found> findController(link::CanPort& port, const std::vector<std::shared_ptr<const Kit>>& kits,
                                           const std::string& usual = {}, const std::function<bool()>& goOn = {});

/// Who answers on which id, and whether it is whole, a sentence.
std::string answerSentence(const Kit& kit, const link::Identity& identity);

}  // namespace brusk::job
