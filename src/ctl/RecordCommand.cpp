// record: what Record does in the window, into a car folder or a file.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <atomic>
#include <cmath>
#include <csignal>
#include <iostream>

#include "core/base/Text.h"
#include "core/job/Guards.h"
#include "core/job/Keeping.h"
#include "core/job/KeptSets.h"
#include "core/job/ObdDrive.h"
#include "core/job/Purposes.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

/// What `record` is told.
struct RecordChoice {
    LinkOptions link;
    std::string car, out;
    std::vector<std::string> names, purposes, paces;
    std::string set, keepSet;
    double seconds = 0;  ///< 0: until a signal, or the route's end
    double wait_s = job::DriveOptions().waitFor_s;
    bool force = false;
    carfolder::Conditions conditions;
    double ethanol_pct = -1, octane_RON = -1;
    std::string arm;
    double before_s = drive::Arming().before_s;
    std::vector<std::string> guards;
    bool shippedGuards = false;
    bool obd = false;
    std::vector<std::string> pids;  ///< hexadecimal
    std::vector<std::string> dbcs;
};

std::atomic<bool> signalled{false};
void onSignal(int) {
    signalled = true;
}

json gapsJson(const std::vector<job::DriveGap>& gaps) {
    json out = json::array();
    for (const auto& gap : gaps)
        out.push_back({{"from_s", gap.from_s}, {"to_s", gap.to_s}, {"cause", job::gapCauseName(gap.cause)}});
    return out;
}

json marksJson(const std::vector<recording::Mark>& marks) {
    json out = json::array();
    for (const auto& mark : marks)
        out.push_back({{"at_s", mark.at_s}, {"kind", mark.kind}, {"text", mark.text}});
    return out;
}

json stretchesJson(const std::vector<job::DriveStretch>& stretches) {
    json out = json::array();
    for (const auto& stretch : stretches)
        out.push_back({{"from_s", stretch.from_s}, {"to_s", stretch.to_s}});
    return out;
}

/// The newest value of each channel that said something.
void tellLast(Context& c, const recording::Recording& layout, const job::DriveOutcome& outcome) {
    json last = json::object();
    size_t at = 0;
    for (const auto& group : layout.groups)
        for (const auto& channel : group.channels) {
            const size_t i = at++;
            if (i >= outcome.last.size() || std::isnan(outcome.last[i])) continue;
            last[channel.name] = {{"unit", channel.unit}, {"value", outcome.last[i]}};
            c.outcome.text += channel.name + ": " + formatNumber(outcome.last[i], 3) + " " + channel.unit + "\n";
        }
    c.outcome.json["last"] = last;
}

/// "NAME=slow" for each.
Result<job::PaceWishes> pacesOf(const job::Kit& kit, const RecordChoice& choice) {
    job::PaceWishes out;
    for (const std::string& text : choice.paces) {
        const size_t at = text.find('=');
        const auto pace = at == std::string::npos ? std::nullopt : job::paceNamed(text.substr(at + 1));
        if (!pace) return fail(ErrorCode::BadInput, "--at " + text + ": NAME=fast, NAME=medium or NAME=slow.");
        if (!kit.definition->measurement(text.substr(0, at)))
            return fail(ErrorCode::NotFound, "The definition has no measurement " + text.substr(0, at) + ".");
        out.insert_or_assign(text.substr(0, at), *pace);
    }
    return out;
}

/// What the purposes need, a kept set, and what was named; none of them: the usual ones into a folder, what fuelling
/// needs into a file.
Result<job::KeptSet> chosenChannels(Context& c, const job::Kit& kit, const RecordChoice& choice, bool intoFolder) {
    job::KeptSet out;
    if (!choice.set.empty()) {
        std::vector<std::string> missing;
        auto set = job::setNamed(c.files, homeFolder(c), kit, choice.set, missing);
        if (!set) return tl::unexpected(set.error());
        for (const std::string& name : missing)
            std::cerr << "This controller has no " << name << ".\n";
        out = std::move(*set);
    }
    if (!choice.purposes.empty()) {
        std::vector<const roles::Purpose*> purposes;
        for (const std::string& id : choice.purposes)
            purposes.push_back(roles::purposeOf(id));
        const auto chosen = job::channelsFor(kit, purposes);
        for (const auto& lack : chosen.lacks)
            std::cerr << job::lackSentence(lack) << "\n";
        out.channels.insert(out.channels.end(), chosen.names.begin(), chosen.names.end());
    }
    out.channels.insert(out.channels.begin(), choice.names.begin(), choice.names.end());
    if (intoFolder && out.channels.empty()) out.channels = job::usualChannels(*kit.definition);
    auto paces = pacesOf(kit, choice);
    if (!paces) return tl::unexpected(paces.error());
    for (const auto& [name, pace] : *paces)
        out.paces.insert_or_assign(name, pace);
    if (choice.keepSet.empty()) return out;
    out.name = choice.keepSet;
    if (auto done = job::keepSet(c.files, homeFolder(c), kit.profile.controller, out); !done)
        return tl::unexpected(done.error());
    return out;
}

/// The error of a set that the link can't carry, and what would have to go.
void tellTooMany(Context& c, const job::Kit& kit, const job::KeptSet& chosen, const Error& error) {
    std::string names;
    for (const std::string& name : job::tooMany(kit, chosen.channels, chosen.paces))
        names += (names.empty() ? "" : ", ") + name;
    if (!names.empty()) std::cerr << "It would fit without " << names << ".\n";
    c.outcome.fail(error);
}

Done addOwnGuards(const RecordChoice& choice, const recording::Vocabulary& vocabulary, job::DriveOptions& options) {
    for (const std::string& text : choice.guards) {
        auto guard = job::guardFromText(vocabulary, text);
        if (!guard) return tl::unexpected(guard.error());
        options.guards.push_back(std::move(*guard));
    }
    return {};
}

/// Guards and arming, and the channels they ask for beside those that are chosen.
Done addWatching(const job::Kit& kit, const carfolder::CarFolder* folder, const RecordChoice& choice,
                 job::DriveOptions& options, std::vector<std::string>& names) {
    if (choice.shippedGuards) {
        proposals::BuildSheet sheet;
        if (folder)
            if (const auto kept = folder->settings().sheet(); kept && kept->version)
                if (auto read = job::buildSheetFromJson(kept->facts)) sheet = std::move(*read);
        auto shipped = job::guardsFor(kit, sheet);
        options.guards = std::move(shipped.guards);
        for (const auto& lack : shipped.lacks)
            std::cerr << "Not watched: " << lack.kind.title << "; nobody plays " << lack.roles.front().title() << ".\n";
    }
    const auto vocabulary = recording::vocabularyOf(job::everythingOf(kit));
    if (auto done = addOwnGuards(choice, vocabulary, options); !done) return done;
    auto asked = job::channelsAskedFor(kit, options.guards, options.arm);
    if (!asked) return tl::unexpected(asked.error());
    names.insert(names.begin(), asked->begin(), asked->end());
    return {};
}

/// The folder that is recorded into, to work in; null for a file, which may be written.
Result<std::unique_ptr<carfolder::CarFolder>> folderFor(Context& c, const RecordChoice& choice) {
    if (choice.car.empty()) {
        if (auto may = mayWrite(c, choice.out, choice.force); !may) return tl::unexpected(may.error());
        return std::unique_ptr<carfolder::CarFolder>();
    }
    auto opened = carfolder::CarFolder::open(c.files, choice.car);
    if (opened && !(*opened)->mayWrite())
        return fail(ErrorCode::Refused, "Nothing can be recorded: " + (*opened)->whyNot());
    return opened;
}

/// What is the same whatever is asked for over the link.
job::DriveOptions optionsOf(const RecordChoice& choice, const OpenLink& link) {
    job::DriveOptions options;
    options.title = choice.link.route.empty() ? "Drive" : choice.link.route;
    options.conditions = choice.conditions;
    options.waitFor_s = choice.wait_s;
    options.onWaiting = [](const std::string& sentence) {
        std::cerr << (sentence.empty() ? "The car answers again." : sentence) << "\n";
    };
    if (choice.ethanol_pct >= 0) options.conditions.ethanol_pct = choice.ethanol_pct;
    if (choice.octane_RON >= 0) options.conditions.octane_RON = choice.octane_RON;
    options.ends = [&choice, &link](double elapsed_s) -> std::optional<job::Ended> {
        if (signalled) return job::Ended::Signal;
        if (choice.seconds > 0 && elapsed_s >= choice.seconds) return job::Ended::Seconds;
        const bool driven = !choice.link.route.empty() && link.car && !link.car->onRoute();
        return driven ? std::optional(job::Ended::Asked) : std::nullopt;
    };
    // Whoever reads standard error learns the file's name as soon as it can be found on the disk.
    options.onBegun = [](const storage::Path& file) { std::cerr << file.string() << "\n" << std::flush; };
    options.onTrouble = [](const std::string& sentence) { std::cerr << sentence << "\n"; };
    options.onTrip = [](const drive::Guard& guard) { std::cerr << "! " << guard.sentence << "\n"; };
    if (!choice.arm.empty()) options.arm = drive::Arming{choice.arm, choice.before_s, drive::Arming().after_s};
    return options;
}

void tellOutcome(Context& c, const carfolder::CarFolder* folder, const job::DriveOutcome& outcome) {
    c.outcome.json = {{"file", outcome.file.string()},          {"duration_s", outcome.entry.duration_s},
                      {"rows", outcome.entry.samples},          {"gaps", gapsJson(outcome.gaps)},
                      {"marks", marksJson(outcome.marks)},      {"stretches", stretchesJson(outcome.stretches)},
                      {"ended", job::endedName(outcome.ended)}, {"longest_pause_s", outcome.longestAway_s}};
    if (!outcome.entry.imageSha256.empty()) c.outcome.json["image_sha256"] = outcome.entry.imageSha256;
    if (folder && outcome.entry.round)
        if (const auto round = folder->rounds().byId(*outcome.entry.round)) c.outcome.json["round"] = round->number;
    c.outcome.text += std::to_string(outcome.entry.samples) + " rows in " + formatNumber(outcome.entry.duration_s, 1) +
                      " s; ended by " + job::endedName(outcome.ended) + ". " + outcome.file.string() + "\n";
    // What was recorded is told; that it ended early, and why, is told as well.
    if (outcome.problem) {
        std::cerr << outcome.problem->text() << "\n";
        c.outcome.code = kFailed;
    }
}

/// The DBC files that were named; what can't be read of them is told.
std::vector<can::DbcMessage> namedSensors(Context& c, const RecordChoice& choice) {
    std::vector<std::string> remarks;
    auto out = job::loadDbcs(c.files, {choice.dbcs.begin(), choice.dbcs.end()}, remarks);
    for (const std::string& remark : remarks)
        std::cerr << remark << "\n";
    return out;
}

void record(Context& c, const RecordChoice& choice) {
    const auto folder = folderFor(c, choice);
    if (!folder) return c.outcome.fail(folder.error());
    const auto session = connect(c, choice.link);
    if (!session) return c.outcome.fail(session.error());
    const auto withSensors = job::withSensors(session->kit(), namedSensors(c, choice));
    const auto& kit = *withSensors;
    auto chosen = chosenChannels(c, kit, choice, *folder != nullptr);
    if (!chosen) return c.outcome.fail(chosen.error());
    auto options = optionsOf(choice, *session->link);
    if (auto done = addWatching(kit, folder->get(), choice, options, chosen->channels); !done)
        return c.outcome.fail(done.error());
    const auto channels = job::channelSet(kit, chosen->channels, chosen->paces);
    if (!channels) return tellTooMany(c, kit, *chosen, channels.error());
    if (!*folder)
        if (auto done = makeRoom(c, choice.out, choice.force); !done) return c.outcome.fail(done.error());
    const auto outcome = *folder ? job::recordDrive(*session->uds, kit, **folder, *channels, options)
                                 : job::recordFile(*session->uds, kit, c.files, choice.out, *channels, options);
    if (!outcome) return c.outcome.fail(outcome.error());
    tellOutcome(c, folder->get(), *outcome);
    c.outcome.json["bus_load"] = channels->plan.busLoad;
    c.outcome.text += formatNumber(channels->plan.busLoad * 100, 0) + " % of the link\n";
    tellLast(c, job::layoutOf(kit, *channels), *outcome);
}

/// Ids as "0C" or "0x0C".
Result<std::vector<uint8_t>> pidsOf(const RecordChoice& choice) {
    std::vector<uint8_t> out;
    for (const std::string& text : choice.pids) {
        char* end = nullptr;
        const unsigned long id = std::strtoul(text.c_str(), &end, 16);
        if (text.empty() || *end || id > 0xFF || !link::obdPid(static_cast<uint8_t>(id)))
            return fail(ErrorCode::BadInput, "--pids " + text + ": no id of mode 01, in hexadecimal, as 0C.");
        out.push_back(static_cast<uint8_t>(id));
    }
    return out;
}

/// The condition and the guards of one's own, of what any car tells.
Done addObdWatching(const RecordChoice& choice, const recording::Recording& layout, job::DriveOptions& options) {
    const auto vocabulary = recording::vocabularyOf(layout);
    if (choice.shippedGuards) options.guards = drive::shippedGuards(vocabulary, {}).guards;
    return addOwnGuards(choice, vocabulary, options);
}

void recordObd(Context& c, const RecordChoice& choice) {
    const auto pids = pidsOf(choice);
    if (!pids) return c.outcome.fail(pids.error());
    const auto folder = folderFor(c, choice);
    if (!folder) return c.outcome.fail(folder.error());
    std::shared_ptr<const job::Kit> kit;
    if (*folder)
        if (auto known = kitOf(c, **folder)) kit = std::move(*known);
    const auto link = openLink(c, choice.link);
    if (!link) return c.outcome.fail(link.error());
    auto plan = job::planObdDrive(*(*link)->port, *pids, [] { return !signalled; });
    if (!plan) return c.outcome.fail(plan.error());
    job::ObdRecorder recorder(*(*link)->port, std::move(*plan), namedSensors(c, choice));
    auto options = optionsOf(choice, **link);
    if (auto done = addObdWatching(choice, recorder.layout(), options); !done) return c.outcome.fail(done.error());
    std::string unbound;
    if (*folder) {
        const auto outcome = job::recordObd(recorder, **folder, kit.get(), options);
        if (!outcome) return c.outcome.fail(outcome.error());
        tellOutcome(c, folder->get(), outcome->drive);
        unbound = outcome->unbound;
    } else {
        if (auto done = makeRoom(c, choice.out, choice.force); !done) return c.outcome.fail(done.error());
        const auto outcome = job::recordObdFile(recorder, c.files, choice.out, options);
        if (!outcome) return c.outcome.fail(outcome.error());
        tellOutcome(c, nullptr, *outcome);
    }
    const auto& found = recorder.plan();
    c.outcome.json["obd"] = {{"controller", found.controller.name()},
                             {"calibrations", found.vehicle.calibrations},
                             {"verification_numbers", found.vehicle.verificationNumbers},
                             {"fast_ids", found.fastIds()},
                             {"requests_a_row", found.fast.size()},
                             {"samples_per_s", found.samplesPerSecond()},
                             {"share_of_wire", found.share()}};
    if (!unbound.empty()) std::cerr << unbound << "\n";
    c.outcome.text += std::to_string(found.fastIds()) + " ids in " + std::to_string(found.fast.size()) +
                      " requests a row: " + formatNumber(found.samplesPerSecond(), 0) + " samples a second, " +
                      formatNumber(found.share() * 100, 0) + " % of what the wire allows\n";
}

}  // namespace

void addRecordCommand(Command app, Context& c) {
    auto o = std::make_shared<RecordChoice>();
    auto sub = app.command("record", "record channels into a car folder or a file, as the window does");
    o->link.addTo(sub);
    auto car = sub.option("--car", o->car, "car folder: the recording is bound to the round in the car");
    sub.option("--out", o->out, "MDF 4 file to write, bound to no round").excludes(car);
    sub.option("--channels", o->names, "measurements besides those the fuelling corrections need").commas();
    std::vector<std::string> purposes;
    for (const auto& purpose : roles::kPurposes)
        purposes.emplace_back(purpose.id);
    sub.option("--purpose", o->purposes, "what the drive is for: what its corrections and checks need is recorded")
        .oneOf(purposes);
    sub.option("--at", o->paces, "NAME=fast, medium or slow: how often a channel is recorded").commas();
    sub.option("--set", o->set, "a set of channels that was kept for this family of controllers");
    sub.option("--keep-set", o->keepSet, "keep these channels under a name");
    sub.option("--seconds", o->seconds, "end it after so long").range(0.01, 360000.0);
    sub.option("--wait", o->wait_s, "s that a lost link is waited for; what is missing is a gap").range(0.0, 360000.0);
    sub.option("--arm", o->arm, "keep only stretches in which this holds: held(<pedal> > 80 %, 0.3 s)");
    sub.option("--before", o->before_s, "s that are kept from before such a stretch").range(0.0, 600.0);
    sub.option("--guard", o->guards, "CONDITION;SECONDS;SENTENCE: said, and marked, when it has held so long");
    sub.flag("--guards", o->shippedGuards, "watch what the guards that ship watch");
    sub.option("--route", o->link.route, "the bench car drives this route meanwhile, and its end is the recording's");
    sub.flag("--obd", o->obd, "any car: by the requests that every car answers, without a profile");
    sub.option("--pids", o->pids, "with --obd: ids of mode 01 in hexadecimal; all that tell a number when not given")
        .commas();
    sub.option("--dbc", o->dbcs, "what the frames of sensors on the bus mean, may be given again");
    sub.flag("--force", o->force, "replace the file of --out");
    sub.option("--fuel", o->conditions.fuel, "what is in the tank, in words");
    sub.option("--ethanol", o->ethanol_pct, "of the fuel, per cent").range(0.0, 100.0);
    sub.option("--octane", o->octane_RON, "of the fuel, RON").range(60.0, 130.0);
    sub.option("--weather", o->conditions.weather, "in words");
    sub.option("--load", o->conditions.load, "who and what was aboard");
    sub.option("--where", o->conditions.where, "road or dyno").oneOf({"road", "dyno"});
    sub.option("--note", o->conditions.note, "whatever else matters");
    sub.run([o, &c] {
        if (o->out.empty() == o->car.empty()) throw WrongUse{"record: give --car or --out."};
        std::signal(SIGTERM, onSignal);
        std::signal(SIGINT, onSignal);
        if (o->obd)
            recordObd(c, *o);
        else
            record(c, *o);
    });
}

}  // namespace brusk::ctl
