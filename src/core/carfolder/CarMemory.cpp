// The tables `sector`, `flash`, `read_piece` and `journal`.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/carfolder/CarMemory.h"

#include <algorithm>

#include "core/base/Text.h"
#include "core/carfolder/Statements.h"

namespace brusk::carfolder {
namespace {

void setSector(SQLite::Database& db, const image::Sector& sector, const std::string& sha, image::SectorStep step) {
    SQLite::Statement insert(db, "INSERT OR REPLACE INTO sector(start, length, sha256, step) VALUES (?, ?, ?, ?)");
    insert.bind(1, static_cast<int64_t>(sector.start));
    insert.bind(2, static_cast<int64_t>(sector.length));
    insert.bind(3, sha);
    insert.bind(4, static_cast<int>(step));
    insert.exec();
}

/// SHA-256 of the image's bytes in a sector; empty when the image lacks them.
std::string sectorSha(const image::Image& image, const image::Sector& sector) {
    const auto bytes = image.bytes(sector.start, sector.length);
    return bytes ? sha256Hex(*bytes) : std::string();
}

}  // namespace

Done CarMemory::holds(const image::Image& image, const std::vector<image::Sector>& sectors) {
    return database_.write("note what is in the car", [&](SQLite::Database& db) -> Done {
        for (const image::Sector& sector : sectors)
            if (const std::string sha = sectorSha(image, sector); !sha.empty())
                setSector(db, sector, sha, image::SectorStep::Verified);
        return {};
    });
}

Done CarMemory::step(const image::Sector& sector, image::SectorStep step, ByteSpan bytes) {
    const bool known = step == image::SectorStep::Verified;
    const std::string sha = known ? sha256Hex(bytes) : std::string();
    const auto work = [&](SQLite::Database& db) -> Done {
        setSector(db, sector, sha, step);
        static constexpr const char* kWhat[] = {": erasing", ": writing", ": reading back", ": verified"};
        writeJournal(db, hexAddress(sector.start) + kWhat[static_cast<int>(step)]);
        return {};
    };
    return database_.write("write the flash journal", work, Patience::WhileItWaits);
}

Done CarMemory::found(const image::Sector& sector, std::optional<ByteSpan> bytes) {
    return database_.write("note what is in the car", [&](SQLite::Database& db) -> Done {
        setSector(db, sector, bytes ? sha256Hex(*bytes) : std::string(),
                  bytes ? image::SectorStep::Verified : image::SectorStep::Write);
        writeJournal(db, hexAddress(sector.start) + (bytes ? ": looked at, known again" : ": holds bytes of no round"));
        return {};
    });
}

Result<CarMemory::SectorShas> CarMemory::sectorHashes() const {
    return database_.read("look up what the car holds", [](SQLite::Database& db) -> Result<SectorShas> {
        SectorShas out;
        SQLite::Statement row(db, "SELECT start, sha256 FROM sector");
        while (row.executeStep())
            out[static_cast<uint32_t>(row.getColumn(0).getInt64())] = row.getColumn(1).getString();
        return out;
    });
}

Result<std::vector<image::Sector>> CarMemory::toWrite(const image::Image& image,
                                                      const std::vector<image::Sector>& sectors) const {
    const auto known = sectorHashes();
    if (!known) return tl::unexpected(known.error());
    std::vector<image::Sector> out;
    for (const image::Sector& sector : sectors) {
        const std::string wanted = sectorSha(image, sector);
        const auto held = known->find(sector.start);
        if (!wanted.empty() && (held == known->end() || held->second != wanted)) out.push_back(sector);
    }
    return out;
}

Result<std::shared_ptr<const CarMemory::SectorShas>> CarMemory::sectorShas(
    const Round& round, const std::vector<image::Sector>& sectors) const {
    {
        const std::lock_guard lock(mutex_);
        const auto known = shas_.find(round.imageSha256);
        if (known != shas_.end()) return known->second;
    }
    auto shas = std::make_shared<SectorShas>();
    if (round.sealed) {
        // What a sealed image holds was named when it came: no key is needed to compare with the car.
        const auto named = rounds_.areas(round.id);
        if (!named) return tl::unexpected(named.error());
        const std::map<std::string, std::string> parts(named->begin(), named->end());
        for (const image::Sector& sector : sectors) {
            const auto part = parts.find(sectorName(sector));
            (*shas)[sector.start] = part == parts.end() ? "" : part->second;
        }
        const std::lock_guard lock(mutex_);
        shas_[round.imageSha256] = shas;
        return shas;
    }
    const auto bytes = rounds_.image(round.id);
    if (!bytes) return tl::unexpected(bytes.error());
    for (const image::Sector& sector : sectors)
        (*shas)[sector.start] = sectorSha(**bytes, sector);
    const std::lock_guard lock(mutex_);
    shas_[round.imageSha256] = shas;
    return shas;
}

Result<CarContents> CarMemory::contents(const std::vector<image::Sector>& sectors) const {
    CarContents out;
    const auto known = sectorHashes();
    if (!known) return tl::unexpected(known.error());
    auto lost =
        database_.read("look up what the car holds", [](SQLite::Database& db) -> Result<std::vector<UnknownSector>> {
            std::vector<UnknownSector> unknown;
            SQLite::Statement row(db, "SELECT start, length, step FROM sector WHERE sha256 = '' ORDER BY start");
            while (row.executeStep())
                unknown.push_back({{static_cast<uint32_t>(row.getColumn(0).getInt64()),
                                    static_cast<uint32_t>(row.getColumn(1).getInt64())},
                                   static_cast<image::SectorStep>(row.getColumn(2).getInt())});
            return unknown;
        });
    if (!lost) return tl::unexpected(lost.error());
    out.unknown = std::move(*lost);
    out.everKnown = !known->empty();
    out.sectors = static_cast<int>(sectors.size());
    const auto holds = [&](const auto& entry) {
        const auto held = known->find(entry.first);
        return entry.second.empty() || (held != known->end() && held->second == entry.second);
    };
    auto last = lastFlash();
    if (!last) return tl::unexpected(last.error());
    if (*last && (*last)->outcome != "done") {
        const auto flashed = rounds_.byId((*last)->round);
        if (!flashed) return tl::unexpected(flashed.error());
        // An image that can't be looked at tells nothing of how far its flash came; that it was cut off is known.
        if (const auto shas = sectorShas(*flashed, sectors))
            out.sectorsOfUnfinished = static_cast<int>(std::count_if((*shas)->begin(), (*shas)->end(), holds));
        out.unfinished = std::move(*last);
    }
    if (!out.everKnown || !out.unknown.empty()) return out;
    const auto rounds = rounds_.all();
    if (!rounds) return tl::unexpected(rounds.error());
    for (const Round& candidate : *rounds) {
        // A damaged image is no candidate; whoever opens that round is told.
        const auto shas = sectorShas(candidate, sectors);
        if (!shas) continue;
        const bool same = std::all_of((*shas)->begin(), (*shas)->end(), holds);
        // Of rounds with the same bytes, the one that was flashed is meant.
        if (same && (!out.round || !candidate.flashedAt.empty())) out.round = candidate.id;
        if (same && !candidate.flashedAt.empty()) break;
    }
    return out;
}

Result<int64_t> CarMemory::flashBegun(int64_t round, const std::string& scope, int sectors,
                                      const std::string& overridden) {
    return database_.write("write the flash journal", [&](SQLite::Database& db) -> Result<int64_t> {
        SQLite::Statement insert(
            db, "INSERT INTO flash(round, scope, sectors, begun_at, overridden) VALUES (?, ?, ?, ?, ?)");
        insert.bind(1, round);
        insert.bind(2, scope);
        insert.bind(3, sectors);
        insert.bind(4, utcNow());
        insert.bind(5, overridden);
        insert.exec();
        const int64_t id = db.getLastInsertRowid();
        SQLite::Statement number(db, "SELECT number FROM round WHERE id = ?");
        number.bind(1, round);
        const int n = number.executeStep() ? number.getColumn(0).getInt() : -1;
        writeJournal(db, "Flash of round " + std::to_string(n) + " begun, " + std::to_string(sectors) +
                             (sectors == 1 ? " sector" : " sectors"));
        if (!overridden.empty()) writeJournal(db, "Overridden: " + overridden);
        return id;
    });
}

Done CarMemory::flashEnded(int64_t flash, const std::string& outcome) {
    const auto work = [&](SQLite::Database& db) -> Done {
        SQLite::Statement update(db, "UPDATE flash SET ended_at = ?, outcome = ? WHERE id = ?");
        update.bind(1, utcNow());
        update.bind(2, outcome);
        update.bind(3, flash);
        update.exec();
        return {};
    };
    return database_.write("write the flash journal", work, Patience::WhileItWaits);
}

Result<std::optional<FlashEntry>> CarMemory::lastFlash() const {
    return database_.read("look up the last flash", [](SQLite::Database& db) -> Result<std::optional<FlashEntry>> {
        SQLite::Statement row(db,
                              "SELECT id, round, scope, sectors, begun_at, ended_at, outcome, overridden FROM flash "
                              "ORDER BY id DESC LIMIT 1");
        if (!row.executeStep()) return std::optional<FlashEntry>();
        return FlashEntry{row.getColumn(0).getInt64(),  row.getColumn(1).getInt64(),  row.getColumn(2).getString(),
                          row.getColumn(3).getInt(),    row.getColumn(4).getString(), row.getColumn(5).getString(),
                          row.getColumn(6).getString(), row.getColumn(7).getString()};
    });
}

Result<bool> CarMemory::wasFlashed(int64_t round, const std::string& scope) const {
    return database_.read("look up a flash", [&](SQLite::Database& db) -> Result<bool> {
        SQLite::Statement row(db, "SELECT 1 FROM flash WHERE round = ? AND scope = ? AND outcome = 'done'");
        row.bind(1, round);
        row.bind(2, scope);
        return row.executeStep();
    });
}

Done CarMemory::keepPiece(uint32_t start, ByteSpan bytes) {
    return database_.write("keep what was read", [&](SQLite::Database& db) -> Done {
        SQLite::Statement insert(db, "INSERT OR REPLACE INTO read_piece(start, bytes) VALUES (?, ?)");
        insert.bind(1, static_cast<int64_t>(start));
        insert.bindNoCopy(2, bytes.data(), static_cast<int>(bytes.size()));
        insert.exec();
        return {};
    });
}

Result<image::Image> CarMemory::keptPieces() const {
    return database_.read("look up what was read", [](SQLite::Database& db) -> Result<image::Image> {
        image::Image out;
        SQLite::Statement row(db, "SELECT start, bytes FROM read_piece ORDER BY start");
        while (row.executeStep()) {
            const auto start = static_cast<uint32_t>(row.getColumn(0).getInt64());
            const auto column = row.getColumn(1);
            const ByteSpan bytes = blobOf(column);
            // A piece that was read again lies over an older one.
            const bool held = out.contains(start, static_cast<uint32_t>(bytes.size()));
            if (auto done = held ? out.overwrite(start, bytes) : out.add(start, bytes); !done)
                return tl::unexpected(done.error());
        }
        return out;
    });
}

Done CarMemory::forgetPieces() {
    return database_.write("tidy up after a read", [](SQLite::Database& db) -> Done {
        db.exec("DELETE FROM read_piece");
        return {};
    });
}

Done CarMemory::note(const std::string& what) {
    return database_.write("write the journal", [&](SQLite::Database& db) -> Done {
        writeJournal(db, what);
        return {};
    });
}

Result<std::vector<JournalEntry>> CarMemory::journal(int most) const {
    return database_.read("look into the journal", [&](SQLite::Database& db) -> Result<std::vector<JournalEntry>> {
        std::vector<JournalEntry> out;
        SQLite::Statement row(db, "SELECT at, what FROM journal ORDER BY id DESC LIMIT ?");
        row.bind(1, most);
        while (row.executeStep())
            out.push_back({row.getColumn(0).getString(), row.getColumn(1).getString()});
        return out;
    });
}

}  // namespace brusk::carfolder
