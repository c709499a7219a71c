// bruskctl: what the window does, for scripts and checks.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <iostream>

#include "ctl/Commands.h"

int main(int argc, char** argv) {
    using namespace brusk::ctl;
    CLI::App app("bruskctl: images, definitions, links, recordings and the whole job, without the window.");
    app.require_subcommand(1);
    app.fallthrough();
    bool asJson = false;
    Context context;
    app.add_flag("--json", asJson, "one JSON document on standard output");
    app.add_flag("--quiet", context.quiet, "no progress on standard error");
    addFileCommands(app, context);
    addDefinitionCommands(app, context);
    addLinkCommands(app, context);
    addLiveCommands(app, context);
    addCellsCommand(app, context);
    addBaseCommand(app, context);
    addLoopCommand(app, context);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& problem) {
        return app.exit(problem) == 0 ? kDone : kWrongUse;
    }
    if (!context.outcome.failure.empty()) {
        std::cerr << context.outcome.failure << "\n";
        return context.outcome.code;
    }
    if (asJson)
        std::cout << context.outcome.json.dump(2) << "\n";
    else
        std::cout << context.outcome.text;
    return context.outcome.code;
}
