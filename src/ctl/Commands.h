// bruskctl's commands. Each registers itself with the parser and, when called, fills in the outcome.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <nlohmann/json.hpp>
#include <optional>
#include <string>

#include "core/base/Result.h"
#include "core/deliver/Rights.h"
#include "core/storage/FileSystem.h"
#include "ctl/Arguments.h"

namespace brusk::ctl {

/// 0: computed, whatever was found; 1: the work could not be done; 2: wrong use; 3: refused, or a check failed.
enum Exit { kDone = 0, kFailed = 1, kWrongUse = 2, kRefused = 3, kCheckFailed = 3 };

/// What a command has to say: one JSON document, a readable text of the same, and how it ended.
struct Outcome {
    nlohmann::json json;
    std::string text;
    int code = kDone;

    void fail(const Error& error) { failure = error, code = error.code == ErrorCode::Refused ? kRefused : kFailed; }
    std::optional<Error> failure;
};

struct Context {
    storage::RealFileSystem files;
    Outcome outcome;
    bool quiet = false;          ///< no progress on standard error
    std::string home;            ///< data folder of one's own: key, cards, sets; empty: the usual one
    std::string passphraseFile;  ///< whose first line opens the key
};

void addFileCommands(Command app, Context& context);
void addFolderCommands(Command app, Context& context);
void addRecordingCommands(Command app, Context& context);
void addDefinitionCommands(Command app, Context& context);
void addLinkCommands(Command app, Context& context);
void addRecordCommand(Command app, Context& c);
void addLiveCommands(Command app, Context& context);
void addRecordCommand(Command app, Context& context);
void addSensorCommands(Command app, Context& context);
void addCellsCommand(Command app, Context& context);
void addEventsCommand(Command app, Context& context);
void addFindingsCommand(Command app, Context& context);
void addBlameCommand(Command app, Context& context);
void addProveCommand(Command app, Context& context);
void addTorqueCommand(Command app, Context& context);
void addBaseCommand(Command app, Context& context);
void addLoopCommand(Command app, Context& context);
void addBenchCommands(Command app, Context& context);
void addIdsCommand(Command app, Context& context);
void addProposeCommand(Command app, Context& context);
void addKeyCommands(Command app, Context& context);
void addDeliverCommands(Command app, Context& context);

/// What may be done, a name each.
nlohmann::json mayJson(const deliver::Allowed& may);
/// Refuses to overwrite unless forced.
[[nodiscard]] Done mayWrite(Context& context, const std::string& path, bool force);
/// The same for a file that grows: what is there goes, if it is a file. What can't be written is said before the work.
[[nodiscard]] Done makeRoom(Context& context, const std::string& path, bool force);

}  // namespace brusk::ctl
