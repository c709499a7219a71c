// propose: what recordings say should be changed, as a list of corrections, an image or a new round.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/carfolder/Schema.h"
#include "core/evidence/Finding.h"
#include "core/job/Correct.h"
#include "core/job/ObdDrive.h"
#include "core/roles/Needs.h"
#include "ctl/Links.h"
#include "ctl/Loading.h"
#include "ctl/Subject.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

struct Choice {
    std::vector<std::string> words, settings;
    BytesChoice bytes;
    FactsChoice facts;
    std::vector<std::string> putBack;
    std::string out, title;
    bool force = false;
};

/// "air.strength=80" and the like.
void takeSetting(const std::string& text, proposals::CorrectionChoices& out) {
    const size_t equals = text.find('='), dot = text.find('.');
    const std::string id = text.substr(0, equals);
    const std::string said = equals == std::string::npos ? "" : text.substr(equals + 1);
    const auto* kind = dot < equals ? proposals::correctionKind(text.substr(0, dot)) : nullptr;
    if (!kind) throw WrongUse{"--setting: \"" + id + "\" does not begin with a kind and a dot."};
    std::string all;
    for (const proposals::Setting& setting : kind->settings) {
        all.append(all.empty() ? "" : ", ").append(kind->id).append(".").append(setting.id);
        if (id.substr(dot + 1) != setting.id) continue;
        double& chosen = out.settings[std::string(kind->id)][std::string(setting.id)];
        if (!setting.words.empty()) {
            const auto at = std::find(setting.words.begin(), setting.words.end(), said);
            if (at == setting.words.end()) throw WrongUse{"--setting " + id + ": that is none of its words."};
            chosen = static_cast<double>(at - setting.words.begin());
            return;
        }
        const auto value = parseNumber(said);
        if (!value || *value < setting.least || *value > setting.most)
            throw WrongUse{"--setting " + id + ": a number from " + exactNumber(setting.least) + " to " +
                           exactNumber(setting.most) + "."};
        chosen = *value;
        return;
    }
    throw WrongUse{"--setting: there is no setting \"" + id + "\"" + (all.empty() ? "." : "; " + all + ".")};
}

json figure(std::string_view id, double value, std::optional<double> doubt) {
    json out = {{"value", value}, {"unit", evidence::figureKind(id)->unit}};
    if (doubt) out["doubt"] = *doubt;
    return {{std::string(id), std::move(out)}};
}

json leftOut(const evidence::LeftOut& leftOut) {
    json out = json::array();
    for (const auto& rule : leftOut.costs)
        if (rule.samples) out.push_back({{"rule", rule.id}, {"title", rule.title}, {"samples", rule.samples}});
    return out;
}

json delayJson(const evidence::WidebandDelay& d) {
    using From = evidence::WidebandDelay::From;
    const auto at = [&](double flow_kgh, double rpm) {
        return json{{"value", d.transport_s(flow_kgh, rpm, std::nan(""))},
                    {"doubt", d.doubt_s(flow_kgh, rpm, std::nan(""))},
                    {"unit", "s"}};
    };
    return {{"idle", at(12, 850)},
            {"full_load", at(250, 4500)},
            {"lag_s", d.lag_s},
            {"from", d.from == From::Measured   ? "drives"
                     : d.from == From::Borrowed ? "earlier-drives"
                                                : "default"},
            {"events", d.events}};
}

/// Every cell that was driven in.
json cellsJson(const proposals::TableCorrection& table) {
    const evidence::Enough enough;
    json out = json::array();
    for (size_t i = 0; i < table.fit.visits.size(); ++i)
        if (table.fit.visits[i])
            out.push_back({{"row", i / table.fit.columns},
                           {"column", i % table.fit.columns},
                           {"factor", table.fit.factor[i]},
                           {"doubt", table.fit.doubt[i]},
                           {"resolution", table.fit.resolution[i]},
                           {"visits", table.fit.visits[i]},
                           {"samples", table.cells[i].count},
                           {"sure", enough(table.fit, i)}});
    return out;
}

json parametersJson(const proposals::Correction& one) {
    json out = json::array();
    for (const auto& table : one.tables)
        out.push_back({{"name", table.parameter},
                       {"role", table.table.parameter->role},
                       {"cells", table.table.values.size()},
                       {"cells_changed", table.changed},
                       {"cells_sure", table.sure},
                       {"largest_step", table.largestStep * 100},
                       {"unit", "%"}});
    for (const auto& value : one.values) {
        double step = 0;
        size_t changed = 0;
        for (size_t i = 0; i < value.before.values.size(); ++i) {
            const double by = value.after.values[i] - value.before.values[i];
            if (std::abs(by) > std::abs(step)) step = by;
            changed += value.before.raw[i] != value.after.raw[i] ? 1 : 0;
        }
        out.push_back({{"name", value.parameter().name},
                       {"role", value.parameter().role},
                       {"cells", value.before.values.size()},
                       {"cells_changed", changed},
                       {"largest_step", step},
                       {"unit", value.before.unit},
                       {"before", value.before.values},
                       {"after", value.after.values}});
    }
    return out;
}

json correctionJson(const proposals::Correction& one, const evidence::Drives& drives,
                    const std::vector<std::string>& on) {
    const auto& promise = *one.promise;
    json out = {{"kind", one.kind->id},
                {"on", on},
                {"parameters", parametersJson(one)},
                {"now", figure(promise.figure, promise.now, promise.leftDoubt)},
                {"expected", figure(promise.figure, promise.expected, promise.leftDoubt)},
                {"left_out", json::array()},
                {"loosened", one.loosened},
                {"warnings", one.warnings},
                {"formula", one.formula},
                {"reason", one.reason}};
    for (const proposals::Estimate& estimate : one.estimates)
        out["estimates"].push_back(
            {{"what", estimate.what}, {"value", estimate.off}, {"doubt", estimate.doubt}, {"unit", estimate.unit}});
    if (const auto& mixture = drives.mixture()) {
        out["left_out"] = leftOut(mixture->leftOut);
        out["delay"] = delayJson(mixture->delay);
    }
    if (one.tables.empty()) return out;
    out["systematic"] = one.tables[0].fit.systematic;
    out["seen"] = cellsJson(one.tables[0]);
    return out;
}

/// For what a kind waits.
json waitingJson(const proposals::Correction& one) {
    json out = json::array();
    for (const roles::Role role : one.lacks)
        out.push_back({{"role", role.id()},
                       {"sentence", "No recording has " + std::string(role.title()) +
                                        "; add it to the channel set and drive again."}});
    if (out.empty()) out.push_back({{"sentence", "It waits " + one.line + "."}});
    return out;
}

Done keep(Context& c, const Choice& o, Subject& subject, const std::vector<calibration::Edit>& edits,
          const job::RoundReason& reason) {
    if (!o.title.empty()) {
        const auto made = job::makeRound(*subject.kit, *subject.folder, subject.round->id, edits, o.title, reason);
        if (!made) return tl::unexpected(made.error());
        c.outcome.json["round"] = made->number;
        c.outcome.json["image_sha256"] = made->imageSha256;
        c.outcome.text += "Round " + std::to_string(made->number) + " made.\n";
    }
    if (o.out.empty()) return {};
    calibration::Calibration after = *subject.calibration;
    for (const auto& edit : edits)
        if (auto done = after.apply(edit); !done) return done;
    if (subject.kit) {
        std::vector<image::ChecksumArea> held;
        for (const auto& area : subject.kit->profile.checksums)
            if (after.image().contains(area.start, area.length) &&
                after.image().contains(area.storedAt, static_cast<uint32_t>(image::checksumSize(area.kind))))
                held.push_back(area);
        if (auto mended = after.mendChecksums(held); !mended) return tl::unexpected(mended.error());
    }
    const auto bytes = image::writeImage(after.image(), *image::formatOfName(o.out));
    if (!bytes) return tl::unexpected(bytes.error());
    if (auto done = c.files.save(o.out, *bytes); !done) return done;
    c.outcome.json["out"] = o.out;
    c.outcome.json["image_sha256"] = carfolder::imageFingerprint(after.image());
    c.outcome.text += "Wrote " + o.out + ".\n";
    return {};
}

Done propose(Context& c, const Choice& o, const std::vector<std::string>& kinds,
             const std::vector<std::string>& files) {
    proposals::CorrectionChoices choices;
    choices.only = kinds, choices.facts = o.facts.facts();
    for (const std::string& text : o.settings)
        takeSetting(text, choices);
    if (!o.out.empty()) {
        if (!image::formatOfName(o.out))
            throw WrongUse{"The ending of " + o.out + " names no format; use .hex, .s19, .srec or .bin."};
        if (auto may = mayWrite(c, o.out, o.force); !may) return may;
    }
    auto subject = subjectOf(c, o.bytes);
    if (!subject) return tl::unexpected(subject.error());
    if (!o.title.empty() && !subject->folder->mayWrite())
        return fail(ErrorCode::Refused, "No round can be made: " + subject->folder->whyNot());
    const auto found = evidenceFor(c, *subject, files, o.putBack);
    if (!found) return tl::unexpected(found.error());
    const evidence::Drives& drives = **found;
    c.outcome.json = {{"corrections", json::array()},
                      {"right", json::array()},
                      {"waiting", json::array()},
                      {"warnings", drives.leftOut()},
                      {"out", nullptr}};
    for (const std::string& warning : drives.leftOut())
        c.outcome.text += warning + "\n";
    if (drives.empty()) {
        const char* sentence = "No drive was recorded on these bytes yet.";
        for (const auto& kind : proposals::correctionKinds())
            if (kinds.empty() || std::find(kinds.begin(), kinds.end(), kind.id) != kinds.end())
                c.outcome.json["waiting"].push_back({{"kind", kind.id}, {"for", {{{"sentence", sentence}}}}});
        c.outcome.text += std::string(sentence) + "\n";
        return {};
    }
    if (subject->folder) {
        auto account = job::accountOf(*subject->folder, subject->round->id);
        if (!account) return tl::unexpected(account.error());
        choices.account = std::move(*account);
    }
    const auto made = job::correctRound(*subject->calibration, drives, choices);
    if (!made) return tl::unexpected(made.error());
    std::vector<std::string> on;
    for (const proposals::Correction& one : made->corrections.all) {
        const std::string title(one.kind->title);
        switch (one.standing) {
            case proposals::Standing::Worth:
                if (one.changes()) c.outcome.json["corrections"].push_back(correctionJson(one, drives, on));
                on.emplace_back(one.kind->id);
                c.outcome.text += title + ": " + one.line + ". " + one.reason + "\n";
                break;
            case proposals::Standing::Right: {
                json right = {{"kind", one.kind->id}, {"line", one.line}};
                if (one.promise) right["now"] = figure(one.promise->figure, one.promise->now, one.promise->leftDoubt);
                c.outcome.json["right"].push_back(std::move(right));
                c.outcome.text += title + " is right within its doubt: " + one.line + "\n";
                break;
            }
            case proposals::Standing::Waits:
                c.outcome.json["waiting"].push_back({{"kind", one.kind->id}, {"for", waitingJson(one)}});
                c.outcome.text += title + " waits " + one.line + "\n";
                break;
        }
    }
    for (const std::string& warning : made->warnings)
        c.outcome.text += warning + "\n";
    c.outcome.text += made->axes.sentence() + "\n";
    std::vector<std::string> lacked;
    lacked.reserve(made->axes.lacked.size());
    for (const roles::Role& role : made->axes.lacked)
        lacked.emplace_back(role.id());
    c.outcome.json["axes"] = {{"looked", made->axes.looked}, {"lacked", lacked}};
    for (const std::string& warning : made->warnings)
        c.outcome.json["warnings"].push_back(warning);
    if (made->firstPull)
        c.outcome.json["first_pull"] = {{"with_learned_pct", made->firstPull->withLearned_pct},
                                        {"cleared_pct", made->firstPull->cleared_pct},
                                        {"learned_trim_pct", made->firstPull->trim_pct}};
    const auto edits = made->corrections.edits();
    if (edits.empty()) {
        c.outcome.text += "Nothing to change.\n";
        return {};
    }
    const auto reason = job::reasonOf(made->corrections, choices);
    c.outcome.text += reason.text + "\n";
    return keep(c, o, *subject, edits, reason);
}

}  // namespace

void addProposeCommand(Command app, Context& c) {
    auto o = std::make_shared<Choice>();
    auto sub = app.command("propose", "what recordings say should be corrected: all, or kinds by name");
    sub.option("KIND|REC", o->words,
               "kinds first, then MDF 4 recordings; with --car those of the round when none is named")
        .required();
    auto car = o->bytes.addTo(sub);
    sub.option("--setting", o->settings, "KIND.ID=V, may be given again");
    o->facts.addTo(sub);
    std::vector<std::string> checks;
    for (const auto& check : evidence::allChecks())
        checks.emplace_back(check.id);
    sub.option("--put-back", o->putBack, "a check whose findings leave nothing out; may be given again").oneOf(checks);
    auto out = sub.option("--out", o->out, "where the corrected image goes");
    sub.option("--make", o->title, "title of the round to make in the folder").needs(car).excludes(out);
    sub.flag("--force", o->force, "replace the file of --out");
    sub.run([o, &c] {
        std::vector<std::string> kinds, files;
        bool all = false;
        for (const std::string& word : o->words) {
            const bool early = files.empty();
            if (early && word == "all")
                all = true;
            else if (early && proposals::correctionKind(word))
                kinds.push_back(word);
            else
                files.push_back(word);
        }
        if (!all && kinds.empty()) {
            std::string names;
            for (const auto& kind : proposals::correctionKinds())
                names.append(", ").append(kind.id);
            throw WrongUse{"propose: name a kind first; all" + names + "."};
        }
        if (all) kinds.clear();
        if (o->bytes.car.empty() && (o->bytes.definition.empty() || o->bytes.image.empty()))
            throw WrongUse{"propose: give --car, or --definition and --image."};
        if (o->bytes.car.empty() && files.empty()) throw WrongUse{"propose: name the recordings to learn from."};
        if (auto done = propose(c, *o, kinds, files); !done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
