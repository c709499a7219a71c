// rounds, next: what a car folder holds, without a car.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/Text.h"
#include "core/carfolder/CarFolder.h"
#include "core/job/NextStep.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

/// JSON that the folder keeps as text; what can't be read is told as the text it is.
json kept(const std::string& text) {
    json out = json::parse(text, nullptr, false);
    return out.is_discarded() ? json(text) : out;
}

Done rounds(Context& c, const std::string& car) {
    const auto folder = carfolder::CarFolder::open(c.files, car, carfolder::Purpose::Look);
    if (!folder) return tl::unexpected(folder.error());
    const auto all = (*folder)->rounds().all();
    if (!all) return tl::unexpected(all.error());
    std::optional<int64_t> inCar;
    if (const auto kit = kitOf(c, **folder)) {
        const auto contents = (*folder)->memory().contents((*kit)->profile.sectors());
        if (!contents) return tl::unexpected(contents.error());
        inCar = contents->round;
    }
    json list = json::array();
    for (const auto& round : *all) {
        json one{{"number", round.number},
                 {"title", round.title},
                 {"state", carfolder::stateName(round.state)},
                 {"in_car", inCar == round.id},
                 {"image_sha256", round.imageSha256},
                 {"created_at", round.createdAt},
                 {"recordings", round.recordings}};
        if (round.parent)
            if (const auto parent = (*folder)->rounds().byId(*round.parent)) one["parent"] = parent->number;
        if (!round.flashedAt.empty()) one["flashed_at"] = round.flashedAt;
        if (!round.note.empty()) one["note"] = round.note;
        if (const auto rights = job::rightsOf(round); rights && *rights) {
            one["from"] = {{"name", (*rights)->makerName}, {"fingerprint", (*rights)->maker}};
            one["may"] = mayJson((*rights)->may);
            one["sealed"] = round.sealed;
        }
        if (round.sheet) one["sheet"] = round.sheet;
        if (!round.reason.empty()) one["reason"] = kept(round.reason);
        if (!round.came.empty()) one["came"] = kept(round.came);
        if (round.fuelError_pct) one["fuel_error_pct"] = *round.fuelError_pct;
        list.push_back(std::move(one));
        c.outcome.text += std::to_string(round.number) + "  " + round.title + "  (" +
                          carfolder::stateName(round.state) + (inCar == round.id ? ", in the car" : "") + ")\n";
    }
    if (all->empty()) c.outcome.text = "There are no rounds: the controller was not read yet.\n";
    c.outcome.json = {{"rounds", list}};
    return {};
}

/// As if the car answered: whoever asks in a script connects by each command.
Done next(Context& c, const std::string& car) {
    const auto folder = carfolder::CarFolder::open(c.files, car, carfolder::Purpose::Look);
    if (!folder) return tl::unexpected(folder.error());
    const auto kit = kitOf(c, **folder);
    const auto situation = job::situationOf(**folder, kit ? kit->get() : nullptr, true);
    if (!situation) return tl::unexpected(situation.error());
    const auto step = job::nextStep(*situation);
    json place{{"station", step.station}};
    if (step.round)
        if (const auto round = (*folder)->rounds().byId(*step.round)) place["round"] = round->number;
    c.outcome.json = {{"step", job::stepId(step.step)},
                      {"station", step.station},
                      {"sentence", step.sentence},
                      {"reason", step.reason},
                      {"place", place}};
    c.outcome.text = step.sentence + ". " + step.reason + "\n";
    return {};
}

}  // namespace

void addFolderCommands(Command app, Context& c) {
    const auto add = [&](const char* name, const char* help, auto work) {
        auto car = std::make_shared<std::string>();
        auto sub = app.command(name, help);
        sub.option("--car", *car, "car folder").required();
        sub.run([car, work, &c] {
            if (auto done = work(c, *car); !done) c.outcome.fail(done.error());
        });
    };
    add("next", "the next sensible step with a car, and why", next);
    add("rounds", "the rounds of a car folder, newest first", rounds);
}

}  // namespace brusk::ctl
