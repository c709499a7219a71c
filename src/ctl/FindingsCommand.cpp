// findings: what is wrong in what was driven, as far as it shows. blame: which part the mixture's error belongs to.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/Text.h"
#include "core/evidence/Finding.h"
#include "core/evidence/Suspects.h"
#include "ctl/Subject.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

struct Choice {
    std::vector<std::string> files;
    BytesChoice bytes;
    std::string failOn;
};

/// What a recording is called: the file it was named by, or its name in the folder.
std::string nameOf(const evidence::Drives& drives, const std::vector<std::string>& names, size_t drive) {
    return drive < names.size() ? names[drive] : drives.recording(drive).title;
}

json stretchJson(const evidence::Stretch& where, const std::string& recording) {
    return {{"recording", recording}, {"from_s", where.from_s}, {"to_s", where.to_s}};
}

json findingJson(const evidence::Finding& finding, const std::function<std::string(size_t)>& name) {
    json figures = json::object(), where = json::array(), taints = json::array(), lanes = json::array();
    for (const auto& figure : finding.figures)
        figures[std::string(figure.id)] = figure.value;
    for (const auto& one : finding.where)
        where.push_back(stretchJson(one, name(one.drive)));
    for (const auto& taint : finding.taints) {
        json one = stretchJson(taint.where, name(taint.where.drive));
        one["role"] = taint.role.id();
        taints.push_back(std::move(one));
    }
    for (const roles::Role role : finding.lanes)
        lanes.push_back(role.id());
    json place = {{"station", finding.place.station}};
    if (!finding.place.kind.empty()) place["kind"] = finding.place.kind;
    if (finding.place.parameter) place["parameter"] = finding.place.parameter->id();
    return {{"check", finding.check},
            {"seriousness", evidence::seriousnessName(finding.seriousness)},
            {"certainty", finding.certainty},
            {"seen", finding.seen},
            {"means", finding.means},
            {"todo", finding.todo},
            {"not_apart", finding.notApart},
            {"place", place},
            {"figures", figures},
            {"where", where},
            {"because", finding.because},
            {"left_out", finding.leavesOut()},
            {"lanes", lanes},
            {"taints", taints}};
}

/// Recordings alone, or with the bytes they were made on.
Result<Subject> bytesOf(Context& c, const Choice& o) {
    if (o.bytes.given()) return subjectOf(c, o.bytes);
    if (o.files.empty()) throw WrongUse{"findings: name recordings, or a car folder with --car."};
    return Subject();
}

Result<job::DrivesPtr> drivesOf(Context& c, const Choice& o, const Subject& subject) {
    if (o.bytes.given()) return evidenceFor(c, subject, o.files);
    evidence::Drives::Recordings recordings;
    for (const std::string& file : o.files) {
        auto read = recordingOf(c, file);
        if (!read) return failBecause(file + " can't be read.", read.error());
        recordings.push_back(std::make_shared<const recording::Recording>(std::move(*read)));
    }
    return std::make_shared<const evidence::Drives>(std::move(recordings));
}

Done findings(Context& c, const Choice& o) {
    auto subject = bytesOf(c, o);
    if (!subject) return tl::unexpected(subject.error());
    const auto drives = drivesOf(c, o, *subject);
    if (!drives) return tl::unexpected(drives.error());
    const auto found = (*drives)->findings() ? *(*drives)->findings() : evidence::findingsOf(**drives, nullptr);
    const auto name = [&](size_t drive) {
        return nameOf(**drives, o.files.size() == (*drives)->size() ? o.files : std::vector<std::string>(), drive);
    };
    json list = json::array(), couldNot = json::array();
    for (const std::string& sentence : (*drives)->leftOut())
        c.outcome.text += sentence + "\n";
    bool failed = false;
    for (const auto& finding : found.found) {
        list.push_back(findingJson(finding, name));
        const auto seriousness = evidence::seriousnessName(finding.seriousness);
        failed = failed || (!o.failOn.empty() && (seriousness == o.failOn || seriousness == "danger"));
        c.outcome.text += std::string(seriousness) + "  " + std::string(finding.check) + ": " + finding.seen +
                          (finding.because.empty() ? "" : " It follows from " + std::string(finding.because) + ".") +
                          "\n    " + finding.means.front() + " (" + formatNumber(finding.certainty, 2) + "). " +
                          finding.todo + "\n";
        for (const std::string& sentence : finding.notApart)
            c.outcome.text += "    " + sentence + "\n";
    }
    if (found.found.empty()) c.outcome.text += "Nothing was found.\n";
    for (const auto& one : found.couldNot) {
        json lacks = json::array();
        for (const roles::Role role : one.lacks)
            lacks.push_back(role.id());
        couldNot.push_back({{"check", one.check}, {"lacks", lacks}});
    }
    c.outcome.text += std::to_string(found.looked.size()) + " checks looked, " + std::to_string(found.couldNot.size()) +
                      " lack a channel.\n";
    c.outcome.json = {
        {"findings", list}, {"looked", found.looked}, {"could_not", couldNot}, {"warnings", (*drives)->leftOut()}};
    if (failed) c.outcome.code = kCheckFailed;
    return {};
}

struct BlameChoice {
    Choice of;
    FactsChoice known;
};

Done blame(Context& c, const BlameChoice& o) {
    auto subject = bytesOf(c, o.of);
    if (!subject) return tl::unexpected(subject.error());
    const auto drives = drivesOf(c, o.of, *subject);
    if (!drives) return tl::unexpected(drives.error());
    const auto blame = evidence::whoIsToBlame(**drives, o.known.facts());
    if (blame.parts.empty())
        return fail(ErrorCode::NotFound,
                    "Too little settled driving to tell: drive calmly at four pressures or more, warm.");
    json parts = json::array(), pairs = json::array();
    const auto shown = [](const evidence::Suspect& suspect, double value) {
        return suspect.unit == evidence::kShare ? formatNumber(100 * value, 1) : formatNumber(value, 2);
    };
    const auto unitOf = [](const evidence::Suspect& suspect) {
        return suspect.unit == evidence::kShare ? std::string("%") : std::string(suspect.unit);
    };
    for (const auto& part : blame.parts) {
        parts.push_back({{"suspect", part.suspect->title},
                         {"unit", part.suspect->unit},
                         {"off", part.off},
                         {"doubt", part.doubt},
                         {"alone", part.alone},
                         {"chance", part.chance}});
        c.outcome.text += std::string(part.suspect->title) + ": " + shown(*part.suspect, part.off) + " \u00b1 " +
                          shown(*part.suspect, part.doubt) + " " + unitOf(*part.suspect) + ", alone to blame " +
                          formatNumber(part.chance, 2) + "\n";
    }
    c.outcome.text += "nothing is broken: " + formatNumber(blame.chanceOfNothing, 2) + "\n";
    for (const auto& pair : blame.notApart) {
        pairs.push_back({{"one", pair.one->title},
                         {"other", pair.other->title},
                         {"correlation", pair.correlation},
                         {"sentence", evidence::sentenceOf(pair)}});
        c.outcome.text += evidence::sentenceOf(pair) + "\n";
    }
    c.outcome.json = {{"parts", parts},
                      {"chance_of_nothing", blame.chanceOfNothing},
                      {"unexplained_pct", 100 * blame.unexplained},
                      {"cells", blame.cells.size()},
                      {"not_apart", pairs}};
    return {};
}

}  // namespace

void addBlameCommand(Command app, Context& c) {
    auto o = std::make_shared<BlameChoice>();
    auto sub = app.command("blame", "which part the mixture's error belongs to, and what can't be told apart");
    sub.option("REC", o->of.files, "recordings; with --car those of the round when none is named");
    (void)o->of.bytes.addTo(sub);
    o->known.addTo(sub);
    sub.run([o, &c] {
        if (auto done = blame(c, *o); !done) c.outcome.fail(done.error());
    });
}

void addFindingsCommand(Command app, Context& c) {
    auto o = std::make_shared<Choice>();
    auto sub = app.command("findings", "what is wrong in what was driven, most serious first");
    sub.option("REC", o->files, "recordings; with --car those of the round when none is named");
    (void)o->bytes.addTo(sub);
    sub.option("--fail-on", o->failOn, "exit with 3 when one is as serious").oneOf({"note", "warn", "danger"});
    sub.run([o, &c] {
        if (auto done = findings(c, *o); !done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
