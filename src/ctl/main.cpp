// bruskctl: what the window does, for scripts and checks.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <iostream>

#include "ctl/Commands.h"

namespace {

using namespace brusk;
using namespace brusk::ctl;

/// What a failure says on standard output when a program reads it.
nlohmann::json errorJson(const Error& error) {
    if (error.refused) return {{"refused", error.refused}, {"sentence", error.text()}};
    nlohmann::json out{{"code", errorCodeName(error.code)}, {"sentence", error.text()}};
    const ErrorPlace place = error.placeOfAll();
    if (!place.file.empty()) out["file"] = place.file;
    if (place.line > 0) out["line"] = place.line;
    if (place.offset) out["offset"] = *place.offset;
    return {{"error", out}};
}

/// One JSON document on standard output; text that is not UTF-8 is mended, never thrown at.
void print(const nlohmann::json& document) {
    std::cout << document.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) << "\n";
}

int failed(const Error& error, int code, bool asJson) {
    if (asJson) print(errorJson(error));
    std::cerr << error.text() << "\n";
    return code;
}

int run(int argc, char** argv, bool asJson) {
    CommandLine line("bruskctl: images, definitions, links, recordings and the whole job, without the window.");
    Context context;
    Command app = line.commands();
    bool json = false;
    app.flag("--json", json, "one JSON document on standard output");
    app.option("--home", context.home, "folder of your key, cards and channel sets (default: brusk in XDG_DATA_HOME)");
    app.option("--passphrase-file", context.passphraseFile, "file whose first line opens your key");
    app.flag("--quiet", context.quiet, "no progress on standard error");
    addFileCommands(app, context);
    addFolderCommands(app, context);
    addRecordingCommands(app, context);
    addDefinitionCommands(app, context);
    addLinkCommands(app, context);
    addRecordCommand(app, context);
    addSensorCommands(app, context);
    addLiveCommands(app, context);
    addCellsCommand(app, context);
    addEventsCommand(app, context);
    addFindingsCommand(app, context);
    addBlameCommand(app, context);
    addProveCommand(app, context);
    addTorqueCommand(app, context);
    addBaseCommand(app, context);
    addLoopCommand(app, context);
    addBenchCommands(app, context);
    addProposeCommand(app, context);
    addIdsCommand(app, context);
    addKeyCommands(app, context);
    addDeliverCommands(app, context);
    int code = kDone;
    std::string sentence;
    if (!line.run(argc, argv, code, sentence))
        return sentence.empty() ? code : failed({ErrorCode::BadInput, sentence}, code, asJson);
    const Outcome& outcome = context.outcome;
    if (outcome.failure) return failed(*outcome.failure, outcome.code, asJson);
    if (asJson)
        print(outcome.json);
    else
        std::cout << outcome.text;
    if (!std::cout.flush()) return failed({ErrorCode::Io, "Nobody takes what standard output says."}, kFailed, false);
    return outcome.code;
}

}  // namespace

int main(int argc, char** argv) {
    // Known before the words are understood, so that wrong use is told in the same form.
    const bool asJson =
        std::any_of(argv + 1, argv + argc, [](const char* a) { return std::string_view(a) == "--json"; });
    try {
        return run(argc, argv, asJson);
    } catch (const std::exception& problem) {
        return failed({ErrorCode::Broken, std::string("bruskctl met something it did not expect: ") + problem.what() +
                                              ". Nothing more was done."},
                      kFailed, asJson);
    }
}
