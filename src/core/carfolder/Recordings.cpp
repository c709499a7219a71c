// The table `recording`, and the files of recordings/.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/carfolder/Recordings.h"

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/carfolder/Statements.h"
#include "core/recording/Mdf4.h"

namespace brusk::carfolder {
namespace {

using nlohmann::json;

constexpr const char* kColumns =
    "SELECT id, COALESCE(round, 0), file, title, started_at, duration_s, samples, gaps, state, image_sha256, "
    "definition_sha256, channels_sha256, COALESCE(sheet, 0), conditions FROM recording ";

RecordingEntry entryOf(SQLite::Statement& row) {
    RecordingEntry out;
    out.id = row.getColumn(0).getInt64();
    if (const int64_t round = row.getColumn(1).getInt64()) out.round = round;
    out.file = row.getColumn(2).getString();
    out.title = row.getColumn(3).getString();
    out.startedAt = row.getColumn(4).getString();
    out.duration_s = row.getColumn(5).getDouble();
    out.samples = row.getColumn(6).getInt64();
    out.gaps = row.getColumn(7).getInt();
    out.state = static_cast<RecordingState>(std::clamp(row.getColumn(8).getInt(), 0, 2));
    out.imageSha256 = row.getColumn(9).getString();
    out.definitionSha256 = row.getColumn(10).getString();
    out.channelsSha256 = row.getColumn(11).getString();
    out.sheet = row.getColumn(12).getInt64();
    out.conditions = conditionsFromJson(row.getColumn(13).getString());
    return out;
}

std::vector<RecordingEntry> entriesOf(SQLite::Statement& row) {
    std::vector<RecordingEntry> out;
    while (row.executeStep())
        out.push_back(entryOf(row));
    return out;
}

Done update(SQLite::Database& db, const RecordingEntry& entry) {
    SQLite::Statement update(db, "UPDATE recording SET duration_s = ?, samples = ?, gaps = ?, state = ? WHERE id = ?");
    update.bind(1, entry.duration_s);
    update.bind(2, entry.samples);
    update.bind(3, entry.gaps);
    update.bind(4, static_cast<int>(entry.state));
    update.bind(5, entry.id);
    update.exec();
    return {};
}

}  // namespace

std::string conditionsJson(const Conditions& c) {
    json out = json::object();
    const auto put = [&](const char* key, const std::string& text) {
        if (!text.empty()) out[key] = text;
    };
    put("fuel", c.fuel);
    if (c.ethanol_pct) out["ethanol_pct"] = *c.ethanol_pct;
    if (c.octane_RON) out["octane_RON"] = *c.octane_RON;
    put("weather", c.weather);
    put("load", c.load);
    put("where", c.where);
    put("note", c.note);
    return out.empty() ? std::string() : out.dump(-1, ' ', false, json::error_handler_t::replace);
}

/// What can't be read is left out: it is a remark, no measurement.
Conditions conditionsFromJson(const std::string& text) {
    const json in = json::parse(text, nullptr, false);
    Conditions out;
    if (!in.is_object()) return out;
    const auto textOf = [&](const char* key) {
        const auto found = in.find(key);
        return found != in.end() && found->is_string() ? found->get<std::string>() : std::string();
    };
    const auto numberOf = [&](const char* key) {
        const auto found = in.find(key);
        return found != in.end() && found->is_number() ? std::optional(found->get<double>()) : std::nullopt;
    };
    out.fuel = textOf("fuel");
    out.ethanol_pct = numberOf("ethanol_pct");
    out.octane_RON = numberOf("octane_RON");
    out.weather = textOf("weather");
    out.load = textOf("load");
    out.where = textOf("where");
    out.note = textOf("note");
    return out;
}

const char* stateName(RecordingState state) {
    constexpr const char* names[] = {"open", "whole", "recovered"};
    return names[static_cast<int>(state)];
}

Result<std::vector<RecordingEntry>> Recordings::of(int64_t round) const {
    return database_.read("list the recordings", [&](SQLite::Database& db) -> Result<std::vector<RecordingEntry>> {
        SQLite::Statement row(db, std::string(kColumns) + "WHERE round = ? ORDER BY id");
        row.bind(1, round);
        return entriesOf(row);
    });
}

Result<std::vector<RecordingEntry>> Recordings::all() const {
    return database_.read("list the recordings", [&](SQLite::Database& db) -> Result<std::vector<RecordingEntry>> {
        SQLite::Statement row(db, std::string(kColumns) + "ORDER BY id");
        return entriesOf(row);
    });
}

Result<RecordingEntry> Recordings::add(RecordingEntry entry) {
    return database_.write("keep the recording", [&](SQLite::Database& db) -> Result<RecordingEntry> {
        if (entry.sheet == 0) entry.sheet = newestSheetVersion(db);
        SQLite::Statement insert(db,
                                 "INSERT INTO recording(round, file, title, started_at, duration_s, samples, gaps, "
                                 "state, image_sha256, definition_sha256, channels_sha256, sheet, conditions) VALUES "
                                 "(?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)");
        bindNumberOrNull(insert, 1, entry.round.value_or(0));
        insert.bind(2, entry.file);
        insert.bind(3, entry.title);
        insert.bind(4, entry.startedAt);
        insert.bind(5, entry.duration_s);
        insert.bind(6, entry.samples);
        insert.bind(7, entry.gaps);
        insert.bind(8, static_cast<int>(entry.state));
        insert.bind(9, entry.imageSha256);
        insert.bind(10, entry.definitionSha256);
        insert.bind(11, entry.channelsSha256);
        bindNumberOrNull(insert, 12, entry.sheet);
        insert.bind(13, conditionsJson(entry.conditions));
        insert.exec();
        entry.id = db.getLastInsertRowid();
        return entry;
    });
}

Done Recordings::ended(const RecordingEntry& entry) {
    return database_.write("keep the recording", [&](SQLite::Database& db) { return update(db, entry); });
}

Done Recordings::setConditions(int64_t recording, const Conditions& conditions) {
    return database_.write("keep the conditions of a drive", [&](SQLite::Database& db) -> Done {
        SQLite::Statement update(db, "UPDATE recording SET conditions = ? WHERE id = ?");
        update.bind(1, conditionsJson(conditions));
        update.bind(2, recording);
        return update.exec() ? Done() : Done(fail(ErrorCode::NotFound, "The folder has no such recording."));
    });
}

bool Recordings::readHead(RecordingEntry& entry) const {
    const auto file = files_.map(path(entry.file));
    const auto recording =
        file ? recording::openMdf4(*file) : Result<recording::Recording>(tl::unexpected(file.error()));
    if (!recording || recording->groups.empty()) return false;
    entry.title = recording->title.empty() ? entry.file : recording->title;
    entry.startedAt = recording->startedAt;
    entry.imageSha256 = recording->imageSha256;
    entry.definitionSha256 = recording->definitionSha256;
    entry.channelsSha256 = recording->channelsSha256;
    entry.duration_s = recording->duration_s();
    entry.samples = static_cast<int64_t>(recording->groups[0].time_s.size());
    entry.gaps = static_cast<int>(recording::gapsOf(recording->groups[0]).size());
    entry.state = RecordingState::Recovered;
    return true;
}

Done Recordings::bind(RecordingEntry& entry) const {
    if (entry.imageSha256.empty()) return {};
    const auto round = rounds_.ofImage(entry.imageSha256);
    if (!round) return tl::unexpected(round.error());
    if (!*round) return {};
    entry.round = (*round)->id;
    entry.sheet = (*round)->sheet;
    return {};
}

Result<RecordingEntry> Recordings::takeIn(const std::string& name, ByteSpan bytes, const Conditions& conditions) {
    const auto recording = recording::readMdf4(bytes);
    if (!recording) return tl::unexpected(recording.error().in(name));
    const auto known = all();
    if (!known) return tl::unexpected(known.error());
    for (const RecordingEntry& entry : *known)
        if (entry.startedAt == recording->startedAt && entry.imageSha256 == recording->imageSha256)
            return fail(ErrorCode::Conflict,
                        say("recording.there", "{0} is in the folder already, as {1}.", {name, entry.file}));
    if (auto done = files_.makeFolder(folder_); !done) return tl::unexpected(done.error());
    const storage::Path whole = storage::Path(name).filename();
    const storage::Path file = files_.freeName(folder_, whole.stem().string(), ".mf4");
    if (auto done = files_.save(file, bytes); !done) return tl::unexpected(done.error());
    RecordingEntry entry;
    entry.file = file.filename().string();
    entry.conditions = conditions;
    auto done = readHead(entry)
                    ? bind(entry)
                    : Done(fail(ErrorCode::BadInput, say("recording.unreadable", "{0} can't be read.", {name})));
    entry.state = RecordingState::Whole;
    auto added = done ? add(entry) : Result<RecordingEntry>(tl::unexpected(done.error()));
    // Without its entry nobody would find it.
    if (!added) (void)files_.remove(file);
    return added;
}

Result<RecordingEntry> Recordings::keep(const std::string& name, const recording::Recording& recording,
                                        std::optional<int64_t> round) {
    const auto known = all();
    if (!known) return tl::unexpected(known.error());
    const size_t samples = recording.groups.empty() ? 0 : recording.groups[0].time_s.size();
    for (const RecordingEntry& entry : *known)
        if (entry.title == recording.title && entry.startedAt == recording.startedAt &&
            entry.imageSha256 == recording.imageSha256 && entry.duration_s == recording.duration_s() &&
            entry.samples == static_cast<int64_t>(samples))
            return fail(ErrorCode::Conflict,
                        say("recording.kept", "{0} is in the folder already, as {1}.", {name, entry.file}));
    if (auto done = files_.makeFolder(folder_); !done) return tl::unexpected(done.error());
    const storage::Path file = files_.freeName(folder_, storage::Path(name).stem().string(), ".mf4");
    // Written under another name, so that a death in between leaves nothing that looks like a recording.
    const storage::Path saving = file.string() + storage::FileSystem::kSaving;
    if (auto done = files_.remove(saving); !done) return tl::unexpected(done.error());
    if (auto done = recording::saveMdf4(files_, saving, recording); !done) return tl::unexpected(done.error());
    if (auto done = files_.move(saving, file); !done) {
        (void)files_.remove(saving);
        return tl::unexpected(done.error());
    }
    RecordingEntry entry;
    entry.file = file.filename().string();
    auto done = readHead(entry) ? bind(entry) : Done(fail(ErrorCode::Io, entry.file + " was not written whole."));
    entry.state = RecordingState::Whole;
    if (done && round) {
        const auto said = rounds_.byId(*round);
        done = said ? Done() : Done(tl::unexpected(said.error()));
        if (said) entry.round = round, entry.sheet = said->sheet;
    }
    auto added = done ? add(entry) : Result<RecordingEntry>(tl::unexpected(done.error()));
    if (!added) (void)files_.remove(file);
    return added;
}

Done Recordings::bindTo(int64_t recording, std::optional<int64_t> round) {
    int64_t sheet = 0;
    if (round) {
        const auto said = rounds_.byId(*round);
        if (!said) return tl::unexpected(said.error());
        sheet = said->sheet;
    }
    return database_.write("bind a recording", [&](SQLite::Database& db) -> Done {
        SQLite::Statement update(db, "UPDATE recording SET round = ?, sheet = ? WHERE id = ?");
        bindNumberOrNull(update, 1, round.value_or(0));
        bindNumberOrNull(update, 2, sheet);
        update.bind(3, recording);
        return update.exec() ? Done() : Done(fail(ErrorCode::NotFound, "The folder has no such recording."));
    });
}

Result<std::vector<std::string>> Recordings::adopt() {
    std::vector<std::string> news;
    const auto known = all();
    if (!known) return tl::unexpected(known.error());
    std::set<std::string> names;
    for (RecordingEntry entry : *known) {
        names.insert(entry.file);
        if (entry.state != RecordingState::Open) continue;
        if (!readHead(entry)) {
            entry.state = RecordingState::Recovered;
            news.push_back("The recording " + entry.file + " was cut off before anything was kept of it.");
        } else {
            news.push_back("The recording " + entry.file + " was cut off; its first " +
                           formatNumber(entry.duration_s, 1) + " s are kept.");
        }
        if (auto done = ended(entry); !done) return tl::unexpected(done.error());
    }
    const auto held = files_.list(folder_);
    if (!held) return news;  // no folder of recordings: nothing to take in
    for (const storage::Entry& file : *held) {
        RecordingEntry entry;
        entry.file = file.path.filename().string();
        if (file.isFolder || file.path.extension() != ".mf4" || names.count(entry.file)) continue;
        if (!readHead(entry)) {
            // Empty files are what is left of a drive that never began.
            if (file.size > 0)
                news.push_back("recordings/" + entry.file + " is no recording that can be read; it was left as it is.");
            continue;
        }
        if (auto done = bind(entry); !done) return tl::unexpected(done.error());
        if (auto added = add(entry); !added) return tl::unexpected(added.error());
        const auto round = entry.round ? rounds_.byId(*entry.round) : Result<Round>(Round{});
        if (!round) return tl::unexpected(round.error());
        news.push_back(
            "The recording " + entry.file + " was not in the ledger; it was taken in" +
            (entry.round ? " with round " + std::to_string(round->number) : std::string(", bound to no round")) + ".");
    }
    return news;
}

}  // namespace brusk::carfolder
