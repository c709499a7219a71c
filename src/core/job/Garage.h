// What Brusk knows of controllers: profiles with their definitions and external sensors, found by what a controller
// says. SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "core/definition/A2lReader.h"
#include "core/link/Dbc.h"
#include "core/link/Transfer.h"
#include "core/proposals/BaseCalibration.h"
#include "core/proposals/Parts.h"
#include "core/storage/FileSystem.h"

namespace brusk::job {

/// One family of controllers, ready to be talked to. Never changed once loaded.
struct Kit {
    link::Profile profile;
    std::shared_ptr<const definition::Definition> definition;
    std::vector<link::DbcMessage> externalSensors;
    std::string definitionFile;
};

/// Loads a profile and what stands beside it: its definition and every .dbc file of the folder.
[[nodiscard]] Result<std::shared_ptr<const Kit>> loadKit(storage::FileSystem& files, const storage::Path& profile);
/// Every *.profile.json below a folder; a broken one is skipped and its error kept in `problems`.
std::vector<std::shared_ptr<const Kit>> loadKits(storage::FileSystem& files, const storage::Path& folder,
                                                 std::vector<Error>& problems);

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

/// A build sheet as kept in the car folder (JSON), and back; unknown members are kept out, wrong ones are an error.
std::string toJson(const proposals::BuildSheet& sheet);
[[nodiscard]] Result<proposals::BuildSheet> buildSheetFromJson(const std::string& text);
/// Parts that ship with Brusk and those that somebody kept, as files (JSON).
std::string toJson(const std::vector<proposals::Part>& parts);
[[nodiscard]] Result<std::vector<proposals::Part>> partsFromJson(const std::string& text);
/// A file of parts; one that is not there holds none.
[[nodiscard]] Result<std::vector<proposals::Part>> loadParts(storage::FileSystem& files, const storage::Path& path);
/// Keeps a part in a file of one's own, in place of one with the same group and name.
[[nodiscard]] Done keepPart(storage::FileSystem& files, const storage::Path& path, const proposals::Part& part);
[[nodiscard]] Done forgetPart(storage::FileSystem& files, const storage::Path& path, const proposals::Part& part);
/// What was decided about the base's proposals, kept beside it.
std::string toJson(const proposals::Decisions& decisions);
[[nodiscard]] Result<proposals::Decisions> decisionsFromJson(const std::string& text);
std::string toJson(const link::Identity& identity);
[[nodiscard]] Result<link::Identity> identityFromJson(const std::string& text);

}  // namespace brusk::job
