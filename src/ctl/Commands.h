// bruskctl's commands. Each registers itself with the parser and, when called, fills in the outcome.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>
#include <string>

#include "core/base/Result.h"
#include "core/storage/FileSystem.h"

namespace brusk::ctl {

enum Exit { kDone = 0, kFailed = 1, kWrongUse = 2, kCheckFailed = 3 };

/// What a command has to say: one JSON document, a readable text of the same, and how it ended.
struct Outcome {
    nlohmann::json json;
    std::string text;
    int code = kDone;

    void fail(const Error& error) { failure = error.text(), code = kFailed; }
    std::string failure;
};

struct Context {
    storage::RealFileSystem files;
    Outcome outcome;
    bool quiet = false;  ///< no progress on standard error
};

void addFileCommands(CLI::App& app, Context& context);
void addDefinitionCommands(CLI::App& app, Context& context);
void addLinkCommands(CLI::App& app, Context& context);
void addLiveCommands(CLI::App& app, Context& context);
void addCellsCommand(CLI::App& app, Context& context);
void addBaseCommand(CLI::App& app, Context& context);
void addLoopCommand(CLI::App& app, Context& context);

/// Refuses to overwrite unless forced.
[[nodiscard]] Done mayWrite(Context& context, const std::string& path, bool force);

}  // namespace brusk::ctl
