// propose: what recordings say should be changed, as a list of corrections, an image or a new round.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/Text.h"
#include "core/carfolder/Schema.h"
#include "core/evidence/Finding.h"
#include "core/evidence/Learned.h"
#include "core/job/Correct.h"
#include "core/job/ObdDrive.h"
#include "core/roles/Needs.h"
#include "ctl/Links.h"
#include "ctl/Loading.h"
#include "ctl/Subject.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

constexpr std::string_view kKinds[] = {"air"};
static_assert(std::all_of(std::begin(kKinds), std::end(kKinds),
                          [](std::string_view kind) { return roles::needOf(roles::kKindNeeds, kind) != nullptr; }));

struct Choice {
    std::vector<std::string> words, settings;
    BytesChoice bytes;
    std::vector<std::string> putBack;
    std::string out, title;
    bool force = false;
};

/// "air.strength=80" and the like.
proposals::AirCorrectionOptions optionsOf(const Choice& o) {
    proposals::AirCorrectionOptions out;
    for (const std::string& text : o.settings) {
        const size_t equals = text.find('=');
        const std::string id = text.substr(0, equals);
        const std::string said = equals == std::string::npos ? "" : text.substr(equals + 1);
        if (id == "air.method") {
            if (said != "cell-fit" && said != "nearest-cell")
                throw WrongUse{"--setting air.method: cell-fit or nearest-cell."};
            out.method = said == "cell-fit" ? proposals::Method::CellFit : proposals::Method::NearestCell;
            continue;
        }
        struct Setting {
            std::string_view id;
            double least, most, scale;
            double proposals::AirCorrectionOptions::*member;
        };
        constexpr Setting kSettings[] = {
            {"air.strength", 1, 100, 0.01, &proposals::AirCorrectionOptions::strength},
            {"air.largest-step", 0.1, 60, 0.01, &proposals::AirCorrectionOptions::largestStep},
            {"air.largest-doubt", 0.1, 50, 0.01, &proposals::AirCorrectionOptions::largestDoubt}};
        const auto* setting =
            std::find_if(std::begin(kSettings), std::end(kSettings), [&](const Setting& one) { return one.id == id; });
        if (setting == std::end(kSettings))
            throw WrongUse{"--setting: there is no setting \"" + id +
                           "\"; air.method, air.strength, air.largest-step, air.largest-doubt."};
        const auto value = parseNumber(said);
        if (!value || *value < setting->least || *value > setting->most)
            throw WrongUse{"--setting " + id + ": a number from " + exactNumber(setting->least) + " to " +
                           exactNumber(setting->most) + "."};
        out.*setting->member = *value * setting->scale;
    }
    return out;
}

json figure(double share) {
    return {{"fuel_error_rms_pct", {{"value", share * 100}, {"unit", "%"}}}};
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
json cellsJson(const proposals::AirCorrection& air, const proposals::AirCorrectionOptions& options) {
    json out = json::array();
    for (size_t i = 0; i < air.fit.visits.size(); ++i)
        if (air.fit.visits[i])
            out.push_back({{"row", i / air.fit.columns},
                           {"column", i % air.fit.columns},
                           {"factor", air.fit.factor[i]},
                           {"doubt", air.fit.doubt[i]},
                           {"resolution", air.fit.resolution[i]},
                           {"visits", air.fit.visits[i]},
                           {"samples", air.cells[i].count},
                           {"sure", options.enough(air.fit, i)}});
    return out;
}

json correctionJson(const proposals::AirCorrection& air, const evidence::Mixture& mixture,
                    const proposals::AirCorrectionOptions& options, const std::string& reason,
                    const std::vector<std::string>& warnings, const std::optional<evidence::FirstPull>& pull,
                    const evidence::AxisCheck& axes) {
    std::vector<std::string> lacked;
    for (const roles::Role& role : axes.lacked)
        lacked.emplace_back(role.id());
    json out = {{"kind", "air"},
                {"on", json::array()},
                {"parameters",
                 {{{"name", air.parameter},
                   {"role", "ve_map"},
                   {"cells", air.table.values.size()},
                   {"cells_changed", air.changed},
                   {"cells_sure", air.sure},
                   {"largest_step", air.largestStep * 100},
                   {"unit", "%"}}}},
                {"now", figure(air.now.rms)},
                {"expected", figure(air.expected)},
                {"left_out", leftOut(mixture.leftOut)},
                {"delay", delayJson(mixture.delay)},
                {"systematic", air.fit.systematic},
                {"seen", cellsJson(air, options)},
                {"loosened", json::array()},
                {"warnings", warnings},
                {"axes", {{"looked", axes.looked}, {"lacked", lacked}}},
                {"reason", reason}};
    if (pull)
        out["first_pull"] = {{"with_learned_pct", pull->withLearned_pct},
                             {"cleared_pct", pull->cleared_pct},
                             {"learned_trim_pct", pull->trim_pct}};
    return out;
}

bool nobodyHas(const evidence::Drives& drives, roles::Role role) {
    for (size_t i = 0; i < drives.size(); ++i)
        if (drives.recording(i).findRole(role)) return false;
    return true;
}

/// Roles that the air correction needs and no recording has.
json lackingRoles(const evidence::Drives& drives) {
    json out = json::array();
    for (const roles::Role role : roles::needOf(roles::kKindNeeds, "air")->channels)
        if (nobodyHas(drives, role))
            out.push_back({{"role", role.id()},
                           {"sentence", "No recording has " + std::string(role.title()) +
                                            "; add it to the channel set and drive again."}});
    return out;
}

Done keep(Context& c, const Choice& o, Subject& subject, const proposals::AirCorrection& air,
          const job::RoundReason& reason) {
    if (!o.title.empty()) {
        const auto made = job::makeRound(*subject.kit, *subject.folder, subject.round->id, {air.edit}, o.title, reason);
        if (!made) return tl::unexpected(made.error());
        c.outcome.json["round"] = made->number;
        c.outcome.json["image_sha256"] = made->imageSha256;
        c.outcome.text += "Round " + std::to_string(made->number) + " made.\n";
    }
    if (o.out.empty()) return {};
    calibration::Calibration after = *subject.calibration;
    if (auto done = after.apply(air.edit); !done) return done;
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

Done propose(Context& c, const Choice& o, const std::vector<std::string>& files) {
    const auto options = optionsOf(o);
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
    const auto wait = [&](json why) {
        for (const auto& one : why)
            c.outcome.text += "Air waits: " + one["sentence"].get<std::string>() + "\n";
        c.outcome.json["waiting"].push_back({{"kind", "air"}, {"for", std::move(why)}});
        return Done{};
    };
    if (drives.empty()) return wait({{{"sentence", "No drive was recorded on these bytes yet."}}});
    const auto& mixture = drives.mixture();
    if (!mixture) {
        auto lacks = lackingRoles(drives);
        if (lacks.empty()) lacks.push_back({{"sentence", mixture.error().text()}});
        return wait(std::move(lacks));
    }
    const auto air = proposals::correctAir(*subject->calibration, drives, options);
    if (!air) return tl::unexpected(air.error());
    const auto reason = job::reasonOf(*air, options, *mixture);
    c.outcome.text += reason.text + "\n";
    const auto pull = evidence::firstPull(*subject->calibration, drives);
    const auto axes = evidence::checkAxes(*subject->calibration, drives);
    const auto warnings = job::airWarnings(*subject->calibration, drives, air->fit, axes);
    for (const std::string& warning : warnings)
        c.outcome.text += warning + "\n";
    c.outcome.text += axes.sentence() + "\n";
    if (air->changed == 0) {
        c.outcome.json["right"].push_back({{"kind", "air"}, {"now", figure(air->now.rms)}});
        c.outcome.text += "Nothing to change.\n";
        return {};
    }
    c.outcome.json["corrections"].push_back(correctionJson(*air, *mixture, options, reason.text, warnings, pull, axes));
    c.outcome.text += std::to_string(air->changed) + " of " + std::to_string(air->table.values.size()) + " cells of " +
                      air->parameter + " change, by at most " + formatNumber(air->largestStep * 100, 1) + " %.\n";
    return keep(c, o, *subject, *air, reason);
}

}  // namespace

void addProposeCommand(Command app, Context& c) {
    auto o = std::make_shared<Choice>();
    auto sub = app.command("propose", "what recordings say should be corrected: all, or kinds by name (air)");
    sub.option("KIND|REC", o->words,
               "kinds first, then MDF 4 recordings; with --car those of the round when none is named")
        .required();
    auto car = o->bytes.addTo(sub);
    sub.option("--setting", o->settings, "KIND.ID=V, may be given again");
    std::vector<std::string> checks;
    for (const auto& check : evidence::allChecks())
        checks.emplace_back(check.id);
    sub.option("--put-back", o->putBack, "a check whose findings leave nothing out; may be given again").oneOf(checks);
    auto out = sub.option("--out", o->out, "where the corrected image goes");
    sub.option("--make", o->title, "title of the round to make in the folder").needs(car).excludes(out);
    sub.flag("--force", o->force, "replace the file of --out");
    sub.run([o, &c] {
        std::vector<std::string> files;
        bool any = false;
        for (const std::string& word : o->words) {
            const bool kind =
                word == "all" || std::find(std::begin(kKinds), std::end(kKinds), word) != std::end(kKinds);
            if (kind && files.empty())
                any = true;
            else
                files.push_back(word);
        }
        if (!any) throw WrongUse{"propose: name a kind first; all or air."};
        if (o->bytes.car.empty() && (o->bytes.definition.empty() || o->bytes.image.empty()))
            throw WrongUse{"propose: give --car, or --definition and --image."};
        if (o->bytes.car.empty() && files.empty()) throw WrongUse{"propose: name the recordings to learn from."};
        if (auto done = propose(c, *o, files); !done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
