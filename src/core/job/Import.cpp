// Opens, remembers, writes and keeps; the plan itself is recording::ImportPlan.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Import.h"

#include <algorithm>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/job/Keeping.h"
#include "core/recording/Mdf4.h"

namespace brusk::job {

using recording::ImportFile;
using recording::ImportPlan;
using recording::ImportSaid;

std::vector<can::DbcMessage> loadDbcs(storage::FileSystem& files, const std::vector<storage::Path>& paths,
                                      std::vector<std::string>& remarks) {
    std::vector<can::DbcMessage> out;
    for (const storage::Path& path : paths) {
        const std::string name = path.filename().string();
        const auto bytes = files.read(path);
        const auto dbc = bytes ? can::readDbc(asText(*bytes)) : Result<can::Dbc>(tl::unexpected(bytes.error()));
        if (!dbc) {
            remarks.push_back(dbc.error().in(name).text());
            continue;
        }
        for (const std::string& damage : dbc->damage)
            remarks.push_back(say("import.remark", "{0}: {1}", {name, damage}));
        out.insert(out.end(), dbc->messages.begin(), dbc->messages.end());
    }
    return out;
}

std::vector<can::DbcMessage> ownDbcs(storage::FileSystem& files, const ImportHome& home,
                                     std::vector<std::string>& remarks) {
    const auto held = files.list(home.dbcs());
    if (!held) return {};
    std::vector<storage::Path> paths;
    for (const storage::Entry& entry : *held)
        if (!entry.isFolder && toLower(entry.path.extension().string()) == ".dbc") paths.push_back(entry.path);
    return loadDbcs(files, paths, remarks);
}

Done keepDbc(storage::FileSystem& files, const ImportHome& home, const storage::Path& dbc) {
    const auto bytes = files.read(dbc);
    if (!bytes) return tl::unexpected(bytes.error());
    if (const auto read = can::readDbc(asText(*bytes)); !read)
        return tl::unexpected(read.error().in(dbc.filename().string()));
    if (auto done = files.makeFolder(home.dbcs()); !done) return done;
    return files.save(home.dbcs() / (dbc.stem().string() + ".dbc"), *bytes);
}

Result<ImportFile> openForImport(storage::FileSystem& files, const storage::Path& path,
                                 const std::vector<can::DbcMessage>& messages) {
    auto mapped = files.map(path);
    if (!mapped) return tl::unexpected(mapped.error());
    const std::string ending = toLower(path.extension().string());
    auto file = ImportFile::open(validText(path.stem().string()), std::move(*mapped), messages,
                                 ending == ".mf4" || ending == ".mdf");
    if (!file) return tl::unexpected(file.error().in(validText(path.filename().string())));
    return file;
}

ImportSaid remembered(storage::FileSystem& files, const ImportHome& home, const std::string& fingerprint) {
    const auto bytes = files.read(home.plans() / (fingerprint + ".json"));
    if (!bytes) return {};
    return importSaidFromJson(std::string(asText(*bytes))).value_or(ImportSaid{});
}

Done remember(storage::FileSystem& files, const ImportHome& home, const std::string& fingerprint,
              const ImportSaid& said) {
    const storage::Path path = home.plans() / (fingerprint + ".json");
    if (said.empty()) return files.remove(path);
    if (auto done = files.makeFolder(home.plans()); !done) return done;
    return files.save(path, asBytes(toJson(said)));
}

Result<ImportPlan> planFor(storage::FileSystem& files, const ImportHome& home, const ImportFile& file,
                           ImportSaid& said) {
    if (file.isOurs()) return file.plan();
    said = remembered(files, home, file.fingerprint());
    auto plan = file.plan(said);
    if (plan || said.empty()) return plan;
    said = {};
    return file.plan();
}

Result<recording::Recording> readRecording(storage::FileSystem& files, const ImportHome& home,
                                           const storage::Path& path, const std::vector<can::DbcMessage>& messages) {
    const auto file = openForImport(files, path, messages);
    if (!file) return tl::unexpected(file.error());
    ImportSaid said;
    const auto plan = planFor(files, home, *file, said);
    if (!plan) return tl::unexpected(plan.error().in(path.filename().string()));
    return file->recording(*plan);
}

std::optional<WrittenAs> writtenAs(const storage::Path& path) {
    const std::string ending = toLower(path.extension().string());
    if (ending == ".mf4") return WrittenAs::Mdf4;
    if (ending == ".csv") return WrittenAs::Table;
    return std::nullopt;
}

Done writeRecording(storage::FileSystem& files, const storage::Path& path, const recording::Recording& recording,
                    WrittenAs as, const recording::csv::CsvOptions& table) {
    if (as != WrittenAs::Table)
        return recording::saveMdf4(files, path, recording, {.packed = as == WrittenAs::PackedMdf4});
    const auto text = recording::csv::toCsv(recording, table);
    if (!text) return tl::unexpected(text.error());
    return files.save(path, asBytes(*text));
}

}  // namespace brusk::job
