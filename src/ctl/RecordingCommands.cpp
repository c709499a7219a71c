// recording: what a file of samples holds, how somebody else's is read, and turning one into another.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "core/base/Text.h"
#include "core/carfolder/CarFolder.h"
#include "core/job/Keeping.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

Done recordings(Context& c, const std::string& car) {
    const auto folder = carfolder::CarFolder::open(c.files, car, carfolder::Purpose::Look);
    if (!folder) return tl::unexpected(folder.error());
    const auto all = (*folder)->recordings().all();
    if (!all) return tl::unexpected(all.error());
    json list = json::array();
    for (const auto& entry : *all) {
        json one{{"file", "recordings/" + entry.file},
                 {"title", entry.title},
                 {"started_at", entry.startedAt},
                 {"duration_s", entry.duration_s},
                 {"rows", entry.samples},
                 {"gaps", entry.gaps},
                 {"state", carfolder::stateName(entry.state)}};
        std::string bound = "bound to no round";
        if (entry.round) {
            const auto round = (*folder)->rounds().byId(*entry.round);
            if (!round) return tl::unexpected(round.error());
            one["round"] = round->number;
            bound = "round " + std::to_string(round->number);
        }
        if (!entry.imageSha256.empty()) one["image_sha256"] = entry.imageSha256;
        if (entry.sheet) one["sheet"] = entry.sheet;
        list.push_back(std::move(one));
        c.outcome.text += entry.file + "  " + bound + "  " + formatNumber(entry.duration_s, 1) + " s  " +
                          carfolder::stateName(entry.state) + "\n";
    }
    if (all->empty()) c.outcome.text = "Nothing was recorded yet.\n";
    c.outcome.json = {{"recordings", list}};
    return {};
}

json channelJson(const recording::Channel& channel, const recording::ColumnSummary& all, std::string& text) {
    json out{{"name", channel.name}, {"unit", channel.unit}, {"count", all.count}};
    if (!channel.role.empty()) out["role"] = channel.role;
    for (const auto& state : channel.states)
        out["states"].push_back({{"value", state.value}, {"text", state.text}});
    if (all.count)
        out.update(
            {{"first", all.first}, {"last", all.last}, {"min", all.least}, {"max", all.most}, {"mean", all.mean}});
    text += "  " + channel.name + " " + channel.unit + ": " + std::to_string(all.count) + " samples" +
            (all.count ? ", " + formatNumber(all.least, 3) + " to " + formatNumber(all.most, 3) : "") + "\n";
    return out;
}

Done info(Context& c, const std::string& file, const std::vector<std::string>& dbcs) {
    const auto recording = recordingOf(c, file, dbcs);
    if (!recording) return tl::unexpected(recording.error());
    json groups = json::array(), marks = json::array();
    for (const auto& group : recording->groups) {
        json channels = json::array();
        c.outcome.text +=
            group.name + (group.timed ? " at " + formatNumber(group.rate_hz, 0) + " Hz\n" : ", no time\n");
        std::vector<recording::Column> columns;
        for (const auto& channel : group.channels)
            columns.push_back(channel.values);
        const auto summaries = recording::summariesOf(columns);
        for (size_t i = 0; i < group.channels.size(); ++i)
            channels.push_back(channelJson(group.channels[i], summaries[i], c.outcome.text));
        groups.push_back({{"rate_hz", group.rate_hz}, {"timed", group.timed}, {"channels", channels}});
    }
    for (const auto& mark : recording->marks)
        marks.push_back({{"at_s", mark.at_s}, {"kind", mark.kind}, {"text", mark.text}});
    c.outcome.json = {{"duration_s", recording->duration_s()},
                      {"round", recording->roundId},
                      {"started_at", recording->startedAt},
                      {"vin", recording->vin},
                      {"marks", marks},
                      {"groups", groups}};
    const auto damaged = recording->allDamage();
    if (!damaged.empty()) c.outcome.json["damage"] = damaged;
    for (const std::string& damage : damaged)
        c.outcome.text += "Damaged: " + damage + "\n";
    return {};
}

/// "separator=;" as the command line says it.
Result<recording::ImportSaid> saidOf(Context& c, const std::string& planFile, const std::vector<std::string>& points) {
    recording::ImportSaid out;
    if (!planFile.empty()) {
        const auto text = c.files.read(planFile);
        if (!text) return tl::unexpected(text.error());
        auto said = job::importSaidFromJson(std::string(asText(*text)));
        if (!said) return tl::unexpected(said.error().in(planFile));
        out = std::move(*said);
    }
    for (const std::string& point : points) {
        const size_t equals = point.find('=');
        if (equals == std::string::npos) throw WrongUse{"--say " + point + ": POINT=VALUE, as --say separator=;"};
        out.points[point.substr(0, equals)] = point.substr(equals + 1);
    }
    return out;
}

struct Options {
    std::string in, out, plan, car;
    std::vector<std::string> dbcs, said;
    int round = -1;
    bool force = false, packed = false, decimalComma = false, ownClocks = false, remember = false;
};

/// The plan: what was said now, or what is remembered where nothing is.
Result<recording::ImportPlan> planOf(Context& c, const Options& o, const recording::ImportFile& file) {
    auto said = saidOf(c, o.plan, o.said);
    if (!said) return tl::unexpected(said.error());
    if (said->empty()) return job::planFor(c.files, importHomeOf(c), file, *said);
    auto plan = file.plan(*said);
    if (plan && o.remember)
        if (auto done = job::remember(c.files, importHomeOf(c), file.fingerprint(), *said); !done)
            return tl::unexpected(done.error());
    return plan;
}

Done importPlan(Context& c, const Options& o) {
    const auto file = importFileOf(c, o.in, o.dbcs);
    if (!file) return tl::unexpected(file.error());
    const auto plan = planOf(c, o, *file);
    if (!plan) return tl::unexpected(plan.error().in(o.in));
    c.outcome.json = json::parse(job::toJson(*plan));
    const auto percent = [](double certainty) { return " (" + formatNumber(certainty * 100, 0) + " % sure: "; };
    for (const auto& point : plan->points)
        c.outcome.text += point.title + ": " + point.value + percent(point.certainty) + point.why + ")\n";
    for (const auto& column : plan->columns)
        c.outcome.text += "  " + column.key + (column.use ? "" : " [not used]") + ": " + column.kind +
                          (column.unit.empty() ? "" : ", " + column.unit) +
                          (column.role.empty() ? "" : ", " + column.role) + percent(column.certainty) + column.why +
                          ")\n";
    return {};
}

Result<recording::Recording> imported(Context& c, const Options& o) {
    const auto file = importFileOf(c, o.in, o.dbcs);
    if (!file) return tl::unexpected(file.error());
    const auto plan = planOf(c, o, *file);
    if (!plan) return tl::unexpected(plan.error().in(o.in));
    auto recording = file->recording(*plan);
    if (!recording) return tl::unexpected(recording.error().in(o.in));
    return recording;
}

void tell(Context& c, const recording::Recording& recording) {
    size_t channels = 0;
    for (const auto& group : recording.groups)
        channels += group.channels.size();
    c.outcome.json.update({{"duration_s", recording.duration_s()},
                           {"rows", recording.samples()},
                           {"channels", channels},
                           {"damage", recording.damage}});
    c.outcome.text += std::to_string(channels) + " channels, " + std::to_string(recording.samples()) + " samples, " +
                      formatNumber(recording.duration_s(), 1) + " s\n";
    for (const std::string& damage : recording.damage)
        c.outcome.text += "Damaged: " + damage + "\n";
}

Done convert(Context& c, const Options& o) {
    auto as = job::writtenAs(o.out);
    if (!as) throw WrongUse{"OUT ends with .mf4 or .csv."};
    if (*as == job::WrittenAs::Mdf4 && o.packed) as = job::WrittenAs::PackedMdf4;
    if (auto done = mayWrite(c, o.out, o.force); !done) return done;
    const auto recording = imported(c, o);
    if (!recording) return tl::unexpected(recording.error());
    if (*as != job::WrittenAs::Table)
        if (auto done = makeRoom(c, o.out, o.force); !done) return done;
    recording::csv::CsvOptions table;
    if (o.decimalComma) table.decimal = ',', table.separator = ';';
    table.oneClock = !o.ownClocks;
    if (auto done = job::writeRecording(c.files, o.out, *recording, *as, table); !done) return done;
    // What only the decoding brought to light.
    if (recording->late)
        for (const std::string& damage : recording->late->sentences())
            c.outcome.text += "Damaged: " + damage + "\n";
    c.outcome.json = {{"file", o.out}};
    tell(c, *recording);
    return {};
}

Done keep(Context& c, const Options& o) {
    const auto folder = carfolder::CarFolder::open(c.files, o.car, carfolder::Purpose::Work);
    if (!folder) return tl::unexpected(folder.error());
    std::optional<int64_t> round;
    if (o.round >= 0) {
        const auto said = (*folder)->rounds().byNumber(o.round);
        if (!said) return tl::unexpected(said.error());
        round = said->id;
    }
    const auto recording = imported(c, o);
    if (!recording) return tl::unexpected(recording.error());
    const auto entry = (*folder)->recordings().keep(storage::Path(o.in).filename().string(), *recording, round);
    if (!entry) return tl::unexpected(entry.error());
    c.outcome.json = {{"file", "recordings/" + entry->file}, {"round", nullptr}};
    c.outcome.text = "Kept as recordings/" + entry->file;
    if (entry->round) {
        const auto bound = (*folder)->rounds().byId(*entry->round);
        if (!bound) return tl::unexpected(bound.error());
        c.outcome.json["round"] = bound->number;
        c.outcome.text += ", driven on round " + std::to_string(bound->number);
    }
    c.outcome.text += ".\n";
    tell(c, *recording);
    return {};
}

void addImportOptions(Command sub, const std::shared_ptr<Options>& o) {
    sub.option("--plan", o->plan, "a plan as import-plan prints it, corrected");
    sub.option("--say", o->said, "POINT=VALUE: what a guess should have been");
    sub.option("--dbc", o->dbcs, "what the frames of a CAN log mean");
    sub.flag("--remember", o->remember, "say the same of every file laid out like this one");
}

}  // namespace

void addRecordingCommands(Command app, Context& c) {
    auto group = app.group("recording", "recordings: MDF 4, CSV and candump files");
    const auto add = [&](const char* name, const char* help, auto work) {
        auto o = std::make_shared<Options>();
        auto sub = group.command(name, help);
        sub.run([o, work, &c] {
            if (auto done = work(c, *o); !done) c.outcome.fail(done.error());
        });
        return std::pair{sub, o};
    };
    {
        auto [sub, o] = add("list", "the recordings of a car folder",
                            [](Context& x, const Options& said) { return recordings(x, said.car); });
        sub.option("--car", o->car, "car folder").required();
    }
    {
        auto [sub, o] = add("info", "channels and their ranges",
                            [](Context& x, const Options& said) { return info(x, said.in, said.dbcs); });
        sub.option("FILE", o->in).required();
        sub.option("--dbc", o->dbcs, "what the frames of a CAN log mean");
    }
    {
        auto [sub, o] = add("import-plan", "how a file will be read, each guess with how sure it is", importPlan);
        sub.option("FILE", o->in).required();
        addImportOptions(sub, o);
    }
    {
        auto [sub, o] = add("convert", "a recording of any kind as MDF 4 or CSV", convert);
        sub.option("IN", o->in).required();
        sub.option("OUT", o->out).required();
        addImportOptions(sub, o);
        sub.flag("--packed", o->packed, "MDF: deflated");
        sub.flag("--decimal-comma", o->decimalComma, "CSV: decimal commas, semicolons between");
        sub.flag("--own-clocks", o->ownClocks, "CSV: each rate with a time column of its own");
        sub.flag("--force", o->force, "replace OUT");
    }
    {
        auto [sub, o] = add("keep", "a recording of any kind into a car folder", keep);
        sub.option("FILE", o->in).required();
        sub.option("--car", o->car, "car folder").required();
        sub.option("--round", o->round, "it was driven on this round").range(0, 1000000);
        addImportOptions(sub, o);
    }
}

}  // namespace brusk::ctl
