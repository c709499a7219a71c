// base: the proposals of a build sheet for a calibration, what waits, what contradicts, and the image with all of it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <memory>

#include "core/base/Text.h"
#include "core/job/Correct.h"
#include "core/job/Donors.h"
#include "core/job/Keeping.h"
#include "core/proposals/Consistency.h"
#include "core/proposals/Stages.h"
#include "ctl/Links.h"
#include "ctl/Loading.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

struct Options {
    std::string definition, image, base, sheet, stage = "Full load", out;
    std::vector<std::string> leaveOut, fit, take;
    std::string donor, donorDefinition, donorSheet, car, title;
    int round = -1;
    bool force = false;
};

json describe(const proposals::Proposal& p) {
    json changes = json::array();
    for (const auto& change : p.changes)
        changes.push_back({{"parameter", change.parameter().name},
                           {"unit", change.after.unit},
                           {"before", change.before.values},
                           {"after", change.after.values},
                           {"remark", change.remark},
                           {"follows", change.follows}});
    return {{"id", p.id},           {"cause", p.cause},
            {"title", p.title},     {"reason", p.reason},
            {"formula", p.formula}, {"first_drive", p.check},
            {"changes", changes},   {"accepted", p.accepted && p.changesAnything()},
            {"offered", p.offered}, {"suggested", p.suggested},
            {"needs", p.needs}};
}

/// Parts of the library on the sheet, each by its name.
Done fit(Context& c, const Options& o, proposals::BuildSheet& sheet) {
    if (o.fit.empty()) return {};
    const auto parts = job::loadParts(c.files, dataFolder() / "parts.json");
    if (!parts) return tl::unexpected(parts.error());
    for (const std::string& name : o.fit) {
        const auto part = std::find_if(parts->begin(), parts->end(), [&](const auto& p) { return p.name == name; });
        if (part == parts->end()) return fail(ErrorCode::NotFound, "The library has no part \"" + name + "\".");
        proposals::put(sheet, *part, true);
    }
    return {};
}

Done listParts(Context& c) {
    const auto parts = job::loadParts(c.files, dataFolder() / "parts.json");
    if (!parts) return tl::unexpected(parts.error());
    c.outcome.json = json::parse(job::toJson(*parts));
    for (const auto& part : *parts) {
        c.outcome.text += part.group + "  " + part.name;
        for (const auto& [fact, value] : part.facts) {
            const auto& kind = proposals::kindOf(fact);
            c.outcome.text += "  " + std::string(kind.title) + " " + exactNumber(value) +
                              (kind.unit.empty() ? "" : " " + std::string(kind.unit));
        }
        if (!part.meterCurve.empty())
            c.outcome.text += "  curve of " + std::to_string(part.meterCurve.size()) + " points";
        if (!part.deadTimes.empty()) c.outcome.text += "  " + std::to_string(part.deadTimes.size()) + " dead times";
        c.outcome.text += "\n";
    }
    return {};
}

Done base(Context& c, const Options& o) {
    std::optional<RoundOf> from;
    if (!o.car.empty()) {
        auto opened = roundOf(c, o.car, o.round);
        if (!opened) return tl::unexpected(opened.error());
        from = std::move(*opened);
        if (!from->folder->mayWrite())
            return fail(ErrorCode::Refused, "No round can be made: " + from->folder->whyNot());
    }
    const auto calibration = from ? job::calibrationOf(*from->kit, *from->folder, from->round.id)
                                  : loadCalibration(c, o.definition, o.image, o.base);
    if (!calibration) return tl::unexpected(calibration.error());
    const auto text = c.files.read(o.sheet);
    if (!text) return tl::unexpected(text.error());
    auto sheet = job::buildSheetFromJson(std::string(asText(*text)));
    if (!sheet) return tl::unexpected(sheet.error());
    if (auto done = fit(c, o, *sheet); !done) return done;
    std::optional<proposals::Donor> donor;
    if (!o.donor.empty()) {
        auto read =
            job::readDonor(c.files, o.donor, o.donorDefinition, calibration->sharedDefinition(), 0, o.donorSheet);
        if (!read) return tl::unexpected(read.error());
        donor = std::move(*read);
    }
    proposals::Decisions decisions;
    for (const std::string& id : o.leaveOut)
        decisions[id].accepted = false;
    for (const std::string& id : o.take)
        decisions[id].accepted = true;
    const auto stage = std::find(std::begin(proposals::kStages), std::end(proposals::kStages), o.stage);
    const auto plan = proposals::planBase(*calibration, *sheet, decisions,
                                          static_cast<proposals::Stage>(stage - std::begin(proposals::kStages)),
                                          donor ? &*donor : nullptr);
    if (!plan) return tl::unexpected(plan.error());
    for (const std::string& id : o.leaveOut)
        if (!plan->find(id)) return fail(ErrorCode::NotFound, "There is no proposal \"" + id + "\" to leave out.");
    for (const std::string& id : o.take)
        if (!plan->find(id)) return fail(ErrorCode::NotFound, "There is no offer \"" + id + "\" to take.");
    json list = json::array(), waiting = json::array(), found = json::array();
    for (const auto& p : plan->proposals)
        list.push_back(describe(p));
    for (const auto& w : plan->waiting)
        waiting.push_back(
            {{"id", w.id}, {"title", w.title}, {"lacks", w.what}, {"role", w.role}, {"problem", w.problem}});
    c.outcome.text = plan->account(*sheet);
    for (const auto& p : plan->proposals)
        if (p.offered && !p.accepted)
            c.outcome.text +=
                (p.suggested ? "Suggested: " : "Offered: ") + p.id + ". " + p.reason + " " + p.formula + "\n";
    if (donor && !donor->remark.empty()) c.outcome.text += donor->remark + "\n";
    for (const auto& one : proposals::contradictions(plan->result, *sheet)) {
        found.push_back({{"id", one.id}, {"title", one.title}, {"why", one.why}, {"parameter", one.parameter}});
        c.outcome.text += "Contradiction: " + one.title + ". " + one.why + "\n";
    }
    json stages = json::array();
    for (const auto& s : proposals::firstStartPlan(plan->result, *sheet))
        stages.push_back({{"stage", proposals::kStages[static_cast<size_t>(s.stage)]},
                          {"limits", s.limits()},
                          {"conditions", s.conditions},
                          {"watch", s.watch}});
    c.outcome.json = {{"proposals", list},
                      {"waiting", waiting},
                      {"conflicts", plan->conflicts},
                      {"contradictions", found},
                      {"stages", stages}};
    if (from) {
        const auto made = job::makeRound(*from->kit, *from->folder, from->round.id, plan->edits(), o.title,
                                         job::reasonOf(*plan, *sheet));
        if (!made) return tl::unexpected(made.error());
        c.outcome.json["round"] = made->number;
        c.outcome.json["image_sha256"] = made->imageSha256;
        c.outcome.text += "Round " + std::to_string(made->number) + " made.\n";
    }
    if (o.out.empty()) return {};
    if (auto may = mayWrite(c, o.out, o.force); !may) return may;
    const auto bytes =
        image::writeImage(plan->result.image(), image::formatOfName(o.out).value_or(image::Format::IntelHex));
    if (!bytes) return tl::unexpected(bytes.error());
    if (auto done = c.files.save(o.out, *bytes); !done) return done;
    c.outcome.json["written"] = o.out;
    c.outcome.text += "Wrote " + o.out + ".\n";
    return {};
}

}  // namespace

void addBaseCommand(Command app, Context& c) {
    auto o = std::make_shared<Options>();
    auto sub = app.command("base", "a first calibration for the parts on a build sheet, with its reasons");
    auto definition = sub.option("DEFINITION", o->definition);
    sub.option("IMAGE", o->image).needs(definition);
    auto car = sub.option("--car", o->car, "car folder, in place of DEFINITION and IMAGE").excludes(definition);
    sub.option("--round", o->round, "of the folder; else the newest").needs(car);
    auto make = sub.option("--make", o->title, "title of the round to make in the folder").needs(car);
    car.needs(make);
    sub.option("--base", o->base, "address of a binary's first byte");
    sub.option("--sheet", o->sheet, "the build sheet (JSON)").required();
    sub.option("--leave-out", o->leaveOut, "proposals that are not made");
    sub.option("--fit", o->fit, "parts of the library, by name, in place of what the sheet says (see parts)");
    sub.option("--donor", o->donor, "another car's image, whose groups of tables are offered");
    sub.option("--donor-definition", o->donorDefinition, "the donor's definition, when it is another");
    sub.option("--donor-sheet", o->donorSheet, "its build sheet; else NAME.build-sheet.json beside it");
    sub.option("--take", o->take, "groups of the donor, by id: donor_boost");
    sub.option("--stage", o->stage, "limits for these drives")
        .oneOf({std::begin(proposals::kStages), std::end(proposals::kStages)});
    sub.option("--out", o->out, "where the image with all that is accepted goes");
    sub.flag("--force", o->force, "replace the file of --out");
    sub.run([o, &c] {
        if (o->car.empty() && o->image.empty()) throw WrongUse{"base: give DEFINITION and IMAGE, or --car and --make."};
        if (auto done = base(c, *o); !done) c.outcome.fail(done.error());
    });
    auto parts = app.command("parts", "parts that ship with Brusk, for build sheets");
    parts.run([&c] {
        if (auto done = listParts(c); !done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
