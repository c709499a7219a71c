// record, dtc, obd, interfaces: what a car says while it runs.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <atomic>
#include <cmath>
#include <csignal>
#include <iostream>

#include "core/base/Text.h"
#include "core/job/Drive.h"
#include "core/job/Guards.h"
#include "core/job/Keeping.h"
#include "core/job/Purposes.h"
#include "core/job/TroubleCodes.h"
#include "core/link/Obd.h"
#include "core/link/SocketCan.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

/// What `record` is told.
struct RecordChoice {
    LinkOptions link;
    std::string car, out;
    std::vector<std::string> names, purposes;
    double seconds = 0;  ///< 0: until a signal, or the route's end
    double wait_s = job::DriveOptions().waitFor_s;
    bool force = false;
    carfolder::Conditions conditions;
    double ethanol_pct = -1, octane_RON = -1;
    std::string arm;
    double before_s = drive::Arming().before_s;
    std::vector<std::string> guards;
    bool shippedGuards = false;
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
void tellLast(Context& c, const job::Kit& kit, const job::ChannelSet& channels, const job::DriveOutcome& outcome) {
    json last = json::object();
    const auto tell = [&](const std::string& name, const std::string& unit, float value) {
        if (std::isnan(value)) return;
        last[name] = {{"unit", unit}, {"value", value}};
        c.outcome.text += name + ": " + formatNumber(value, 3) + " " + unit + "\n";
    };
    for (size_t i = 0; i < channels.measurements.size() && i < outcome.last.size(); ++i)
        tell(channels.measurements[i]->name, kit.definition->unitOf(*channels.measurements[i]), outcome.last[i]);
    size_t at = 0;
    for (const auto& message : kit.externalSensors)
        for (const auto& signal : message.signalList)
            if (const size_t i = at++; i < outcome.external.size()) tell(signal.name, signal.unit, outcome.external[i]);
    c.outcome.json["last"] = last;
}

/// What the purposes need, and what was named; neither: the usual ones into a folder, what fuelling needs into a file.
std::vector<std::string> chosenChannels(const job::Kit& kit, const RecordChoice& choice, bool intoFolder) {
    if (choice.purposes.empty())
        return intoFolder && choice.names.empty() ? job::usualChannels(*kit.definition) : choice.names;
    std::vector<const roles::Purpose*> purposes;
    for (const std::string& id : choice.purposes)
        purposes.push_back(roles::purposeOf(id));
    auto chosen = job::channelsFor(kit, purposes);
    for (const auto& lack : chosen.lacks)
        std::cerr << job::lackSentence(lack) << "\n";
    chosen.names.insert(chosen.names.end(), choice.names.begin(), choice.names.end());
    return chosen.names;
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
    for (const std::string& text : choice.guards) {
        auto guard = job::guardFromText(kit, text);
        if (!guard) return tl::unexpected(guard.error());
        options.guards.push_back(std::move(*guard));
    }
    if (!choice.arm.empty()) options.arm = drive::Arming{choice.arm, choice.before_s, drive::Arming().after_s};
    auto asked = job::channelsAskedFor(kit, options.guards, options.arm);
    if (!asked) return tl::unexpected(asked.error());
    names.insert(names.end(), asked->begin(), asked->end());
    options.onTrip = [](const drive::Guard& guard) { std::cerr << "! " << guard.sentence << "\n"; };
    return {};
}

void record(Context& c, const RecordChoice& choice) {
    std::unique_ptr<carfolder::CarFolder> folder;
    if (!choice.car.empty()) {
        auto opened = carfolder::CarFolder::open(c.files, choice.car);
        if (!opened) return c.outcome.fail(opened.error());
        folder = std::move(*opened);
        if (!folder->mayWrite())
            return c.outcome.fail({ErrorCode::Refused, "Nothing can be recorded: " + folder->whyNot()});
    } else if (auto may = mayWrite(c, choice.out, choice.force); !may) {
        return c.outcome.fail(may.error());
    }
    const auto session = connect(c, choice.link);
    if (!session) return c.outcome.fail(session.error());
    const auto& kit = session->kit();
    auto names = chosenChannels(kit, choice, folder != nullptr);
    job::DriveOptions options;
    if (auto done = addWatching(kit, folder.get(), choice, options, names); !done) return c.outcome.fail(done.error());
    const auto channels = job::channelSet(kit, names);
    if (!channels) return c.outcome.fail(channels.error());
    options.title = choice.link.route.empty() ? "Drive" : choice.link.route;
    options.conditions = choice.conditions;
    options.waitFor_s = choice.wait_s;
    options.onWaiting = [](const std::string& sentence) {
        std::cerr << (sentence.empty() ? "The car answers again." : sentence) << "\n";
    };
    if (choice.ethanol_pct >= 0) options.conditions.ethanol_pct = choice.ethanol_pct;
    if (choice.octane_RON >= 0) options.conditions.octane_RON = choice.octane_RON;
    options.ends = [&](double elapsed_s) -> std::optional<job::Ended> {
        if (signalled) return job::Ended::Signal;
        if (choice.seconds > 0 && elapsed_s >= choice.seconds) return job::Ended::Seconds;
        const bool driven = !choice.link.route.empty() && session->link->car && !session->link->car->onRoute();
        return driven ? std::optional(job::Ended::Asked) : std::nullopt;
    };
    // Whoever reads standard error learns the file's name as soon as it can be found on the disk.
    options.onBegun = [](const storage::Path& file) { std::cerr << file.string() << "\n" << std::flush; };
    options.onTrouble = [](const std::string& sentence) { std::cerr << sentence << "\n"; };
    std::signal(SIGTERM, onSignal);
    std::signal(SIGINT, onSignal);
    if (!folder)
        if (auto done = makeRoom(c, choice.out, choice.force); !done) return c.outcome.fail(done.error());
    const auto outcome = folder ? job::recordDrive(*session->uds, kit, *folder, *channels, options)
                                : job::recordFile(*session->uds, kit, c.files, choice.out, *channels, options);
    if (!outcome) return c.outcome.fail(outcome.error());
    c.outcome.json = {{"file", outcome->file.string()},
                      {"duration_s", outcome->entry.duration_s},
                      {"rows", outcome->entry.samples},
                      {"bus_load", channels->plan.busLoad},
                      {"gaps", gapsJson(outcome->gaps)},
                      {"marks", marksJson(outcome->marks)},
                      {"stretches", stretchesJson(outcome->stretches)},
                      {"ended", job::endedName(outcome->ended)}};
    if (!outcome->entry.imageSha256.empty()) c.outcome.json["image_sha256"] = outcome->entry.imageSha256;
    if (folder && outcome->entry.round)
        if (const auto round = folder->rounds().byId(*outcome->entry.round)) c.outcome.json["round"] = round->number;
    tellLast(c, kit, *channels, *outcome);
    c.outcome.text += std::to_string(outcome->entry.samples) + " rows in " +
                      formatNumber(outcome->entry.duration_s, 1) + " s, " +
                      formatNumber(channels->plan.busLoad * 100, 0) + " % of the link; ended by " +
                      job::endedName(outcome->ended) + ". " + outcome->file.string() + "\n";
    // What was recorded is told; that it ended early, and why, is told as well.
    if (outcome->problem) {
        std::cerr << outcome->problem->text() << "\n";
        c.outcome.code = kFailed;
    }
}

void troubleCodes(Context& c, const LinkOptions& options, double seconds, bool clear) {
    const auto session = connect(c, options);
    if (!session) return c.outcome.fail(session.error());
    if (auto done = session->link->wait(seconds); !done) return c.outcome.fail(done.error());
    if (clear)
        if (auto done = session->uds->clearTroubleCodes(); !done) return c.outcome.fail(done.error());
    const auto codes = job::troubleCodes(*session->uds, session->kit());
    if (!codes) return c.outcome.fail(codes.error());
    c.outcome.json = json::array();
    for (const auto& code : *codes) {
        json frame = json::object();
        std::string frozen;
        for (const auto& value : code.frozen) {
            frame[value.label] = {{"value", value.value}, {"unit", value.unit}};
            frozen += "    " + value.label + ": " + formatNumber(value.value, 2) + " " + value.unit + "\n";
        }
        json parameters = json::array();
        for (const auto* parameter : code.parameters)
            parameters.push_back(parameter->name);
        c.outcome.json.push_back({{"code", code.code.name()},
                                  {"status", code.code.status},
                                  {"failing_now", code.code.failingNow()},
                                  {"confirmed", code.code.confirmed()},
                                  {"occurrences", code.occurrences},
                                  {"freeze_frame", frame},
                                  {"parameters", parameters}});
        c.outcome.text += code.code.name() + (code.code.failingNow() ? "  failing now" : "") +
                          (code.code.confirmed() ? "  confirmed" : "") + "\n" + frozen;
    }
    if (codes->empty()) c.outcome.text = "No trouble codes.\n";
}

json valuesJson(const std::vector<link::ObdValue>& values) {
    json out = json::array();
    for (const auto& value : values) {
        json entry = {{"pid", value.pid}, {"name", value.name}};
        if (value.text.empty())
            entry["value"] = value.value, entry["unit"] = value.unit;
        else
            entry["text"] = value.text;
        out.push_back(std::move(entry));
    }
    return out;
}

std::string valuesText(const std::vector<link::ObdValue>& values) {
    std::string out;
    for (const auto& value : values)
        out += "    " + value.name + ": " +
               (value.text.empty() ? formatNumber(value.value, 3) + " " + value.unit : value.text) + "\n";
    return out;
}

void obd(Context& c, const LinkOptions& options, double seconds, bool clear) {
    auto link = openLink(c, options);
    if (!link) return c.outcome.fail(link.error());
    if (auto done = (*link)->wait(seconds); !done) return c.outcome.fail(done.error());
    link::Obd obd(*(*link)->port);
    const auto controllers = obd.discover();
    if (!controllers) return c.outcome.fail(controllers.error());
    if (clear)
        if (auto done = obd.clear(*controllers); !done) return c.outcome.fail(done.error());
    c.outcome.json = {{"controllers", json::array()}};
    for (const auto& controller : *controllers) {
        const auto vehicle = obd.vehicle(controller);
        const auto values = obd.current(controller, controller.pids);
        const auto frozen = obd.freezeFrame(controller);
        if (!vehicle) return c.outcome.fail(vehicle.error());
        if (!values) return c.outcome.fail(values.error());
        if (!frozen) return c.outcome.fail(frozen.error());
        json entry = {{"id", controller.name()},
                      {"supported", controller.pids},
                      {"vin", vehicle->vin},
                      {"name", vehicle->controllerName},
                      {"calibrations", vehicle->calibrations},
                      {"verification_numbers", vehicle->verificationNumbers},
                      {"values", valuesJson(*values)}};
        c.outcome.text += "Controller " + controller.name() +
                          (vehicle->controllerName.empty() ? "" : " (" + vehicle->controllerName + ")") +
                          (vehicle->vin.empty() ? "" : ", VIN " + vehicle->vin) + "\n  Live values\n" +
                          valuesText(*values);
        if (*frozen) {
            entry["freeze_frame"] = {{"code", (*frozen)->code}, {"values", valuesJson((*frozen)->values)}};
            c.outcome.text += "  Freeze frame of " + (*frozen)->code + "\n" + valuesText((*frozen)->values);
        }
        c.outcome.json["controllers"].push_back(std::move(entry));
    }
    const auto codes = obd.codes(*controllers);
    if (!codes) return c.outcome.fail(codes.error());
    c.outcome.json["codes"] = json::array();
    for (const auto& code : *codes) {
        c.outcome.json["codes"].push_back(
            {{"code", code.name}, {"pending", code.pending}, {"controller", code.controller}});
        c.outcome.text += "  " + code.name + (code.pending ? ", pending" : ", stored") + "\n";
    }
    if (codes->empty()) c.outcome.text += "  No trouble codes.\n";
}

void interfaces(Context& c) {
    c.outcome.json = json::array();
    for (const auto& found : link::canInterfaces()) {
        c.outcome.json.push_back(
            {{"name", found.name}, {"up", found.up}, {"virtual", found.isVirtual}, {"bitrate", found.bitrate}});
        c.outcome.text += found.text() + "\n";
        if (!found.up) c.outcome.text += "Bring it up:\n" + link::bringUpLines(found.name, found.isVirtual) + "\n";
    }
    if (c.outcome.json.empty())
        c.outcome.text = "This machine has no CAN interface. Plug one in, or make a simulated one:\n" +
                         link::makeVirtualLines("vcan0") + "\n";
}

}  // namespace

void addLiveCommands(Command app, Context& c) {
    struct Options {
        LinkOptions link;
        std::string out;
        std::vector<std::string> names;
        double seconds = 0;
        bool force = false, clear = false;
    };
    const auto add = [&](const char* name, const char* help) {
        auto o = std::make_shared<Options>();
        auto sub = app.command(name, help);
        o->link.addTo(sub);
        sub.option("--route", o->link.route, "the bench car drives this route meanwhile");
        return std::pair{sub, o};
    };
    {
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
        sub.option("--seconds", o->seconds, "end it after so long").range(0.01, 360000.0);
        sub.option("--wait", o->wait_s, "s that a lost link is waited for; what is missing is a gap")
            .range(0.0, 360000.0);
        sub.option("--arm", o->arm, "keep only stretches in which this holds: held(<pedal> > 80 %, 0.3 s)");
        sub.option("--before", o->before_s, "s that are kept from before such a stretch").range(0.0, 600.0);
        sub.option("--guard", o->guards, "CONDITION;SECONDS;SENTENCE: said, and marked, when it has held so long");
        sub.flag("--guards", o->shippedGuards, "watch what the guards that ship watch");
        sub.option("--route", o->link.route,
                   "the bench car drives this route meanwhile, and its end is the recording's");
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
            record(c, *o);
        });
    }
    {
        auto [sub, o] = add("dtc", "read trouble codes with their freeze frames");
        sub.flag("--clear", o->clear, "clear them first");
        sub.option("--seconds", o->seconds, "wait this long before reading").range(0.0, 36000.0);
        sub.run([o = o, &c] { troubleCodes(c, o->link, o->seconds, o->clear); });
    }
    {
        auto [sub, o] = add("obd", "any car since 2008: who answers, VIN, live values, codes, freeze frame");
        sub.flag("--clear", o->clear, "clear codes first");
        sub.option("--seconds", o->seconds, "wait this long before reading").range(0.0, 36000.0);
        sub.run([o = o, &c] { obd(c, o->link, o->seconds, o->clear); });
    }
    app.command("interfaces", "the CAN interfaces of this machine").run([&c] { interfaces(c); });
}

}  // namespace brusk::ctl
