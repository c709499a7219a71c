// events: the moments of drives that tell something by themselves, with their figures.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/Text.h"
#include "core/evidence/Events.h"
#include "core/job/LoadDrives.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

struct Choice {
    std::vector<std::string> files, kinds;
    std::string car;
    int round = -1;
};

std::string_view idOf(roles::Event kind) {
    for (const auto& one : evidence::eventKinds())
        if (one.kind == kind) return one.id();
    return {};
}

bool wanted(const Choice& o, roles::Event kind) {
    return o.kinds.empty() || std::find(o.kinds.begin(), o.kinds.end(), idOf(kind)) != o.kinds.end();
}

json figuresJson(const evidence::FoundEvent& event) {
    json out = json::object();
    for (const auto& figure : event.figures)
        out[std::string(figure.id)] = figure.value;
    return out;
}

void tell(Context& c, const Choice& o, const std::string& name, const evidence::Sampled& drive) {
    const auto events = evidence::eventsOf(drive);
    for (const auto& event : events.found) {
        if (!wanted(o, event.kind)) continue;
        json one = {{"kind", idOf(event.kind)},
                    {"recording", name},
                    {"from_s", event.from_s},
                    {"to_s", event.to_s},
                    {"figures", figuresJson(event)}};
        if (!event.what.empty()) one["what"] = event.what;
        c.outcome.json["events"].push_back(std::move(one));
        std::string line = formatNumber(event.from_s, 2) + " s  " + std::string(idOf(event.kind));
        if (!event.what.empty()) line += " (" + event.what + ")";
        for (const auto& figure : event.figures)
            line += "  " + std::string(figure.id) + " " + formatNumber(figure.value, 2);
        c.outcome.text += line + "\n";
    }
    for (const auto& one : events.notLooked) {
        if (!wanted(o, one.kind)) continue;
        json lacks = json::array();
        for (const roles::Role role : one.lacks)
            lacks.push_back(role.id());
        c.outcome.json["not_looked"].push_back({{"kind", idOf(one.kind)}, {"recording", name}, {"lacks", lacks}});
    }
}

Done events(Context& c, const Choice& o) {
    c.outcome.json = {{"events", json::array()}, {"not_looked", json::array()}};
    if (o.files.empty()) {
        if (o.car.empty()) throw WrongUse{"events: name recordings, or a car folder with --car."};
        const auto opened = roundOf(c, o.car, o.round);
        if (!opened) return tl::unexpected(opened.error());
        const auto drives = job::drivesOf(*opened->kit, *opened->folder, opened->round.id);
        if (!drives) return tl::unexpected(drives.error());
        const auto entries = opened->folder->recordings().of(opened->round.id);
        if (!entries) return tl::unexpected(entries.error());
        for (const auto& entry : *entries)
            if (const auto at = (*drives)->named(entry.file)) tell(c, o, entry.file, (**drives)[*at]);
        return {};
    }
    for (const std::string& file : o.files) {
        auto read = recordingOf(c, file);
        if (!read) return failBecause(file + " can't be read.", read.error());
        const evidence::Sampled drive(std::make_shared<const recording::Recording>(std::move(*read)));
        tell(c, o, file, drive);
    }
    return {};
}

}  // namespace

void addEventsCommand(Command app, Context& c) {
    auto o = std::make_shared<Choice>();
    auto sub = app.command("events", "moments of drives that tell something, with their figures");
    sub.option("REC", o->files, "recordings; with --car those of the round when none is named");
    auto car = sub.option("--car", o->car, "car folder");
    sub.option("--round", o->round, "of the folder; else the newest").needs(car);
    std::vector<std::string> kinds;
    for (const auto& kind : evidence::eventKinds())
        kinds.emplace_back(kind.id());
    sub.option("--kind", o->kinds, "only these").oneOf(kinds);
    sub.run([o, &c] {
        if (auto done = events(c, *o); !done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
