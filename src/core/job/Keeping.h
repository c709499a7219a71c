// What is kept as text beside the folder's rows, and back: all JSON of the job. Unknown members are left out, wrong
// ones are an error.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/drive/Guard.h"
#include "core/job/Gates.h"
#include "core/job/KeptSets.h"
#include "core/job/Rounds.h"
#include "core/job/Sensors.h"
#include "core/proposals/BaseCalibration.h"
#include "core/proposals/Parts.h"
#include "core/recording/ImportPlan.h"

namespace brusk::job {

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
std::string toJson(const RoundReason& reason);
/// A round without one was made before reasons were kept: all empty.
[[nodiscard]] Result<RoundReason> reasonFromJson(const std::string& text);

/// What came of a round's promises, kind by kind.
std::string toJson(const std::map<std::string, Came>& came);
[[nodiscard]] Result<std::map<std::string, Came>> cameFromJson(const std::string& text);
/// A donor of the folder: the file below it, and its definition's; names only.
struct KeptDonor {
    std::string name;
    std::string definition;  ///< empty: the car's own
};
std::string toJson(const std::vector<KeptDonor>& donors);
[[nodiscard]] Result<std::vector<KeptDonor>> donorsFromJson(const std::string& text);

/// Sensors that somebody fitted, with the descriptions of their messages.
std::string toJson(const KeptSensors& kept);
[[nodiscard]] Result<KeptSensors> keptSensorsFromJson(const std::string& text);
/// Sets of channels.
std::string toJson(const SetsByFamily& sets);
[[nodiscard]] Result<SetsByFamily> setsFromJson(const std::string& text);

/// Guards of one's own.
std::string toJson(const std::vector<drive::Guard>& guards);
[[nodiscard]] Result<std::vector<drive::Guard>> guardsFromJson(const std::string& text);

/// How a file is imported: each point and each column, with how sure that is and why.
std::string toJson(const recording::ImportPlan& plan);
/// What was said about a file alone, as it is remembered.
std::string toJson(const recording::ImportSaid& said);
/// Of either: of a whole plan every value it names is taken as said.
[[nodiscard]] Result<recording::ImportSaid> importSaidFromJson(const std::string& text);

}  // namespace brusk::job
