// One file with the sets of all families, written whole each time.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/KeptSets.h"

#include <algorithm>

#include "core/job/Keeping.h"

namespace brusk::job {
namespace {

storage::Path fileIn(const storage::Path& home) {
    return home / "channel-sets.json";
}

Done save(storage::FileSystem& files, const storage::Path& home, const SetsByFamily& sets) {
    if (auto made = files.makeFolder(home); !made) return made;
    return files.save(fileIn(home), asBytes(toJson(sets)));
}

auto named(const std::string& name) {
    return [&name](const KeptSet& one) { return one.name == name; };
}

Error noSuchSet(const std::string& family, const std::string& name) {
    return {ErrorCode::NotFound, "No set of channels \"" + name + "\" is kept for " + family + "."};
}

}  // namespace

Result<SetsByFamily> loadSets(storage::FileSystem& files, const storage::Path& home) {
    if (!files.exists(fileIn(home))) return SetsByFamily();
    const auto text = files.read(fileIn(home));
    if (!text) return tl::unexpected(text.error());
    auto sets = setsFromJson(std::string(text->begin(), text->end()));
    if (!sets) return failBecause(fileIn(home).string() + " can't be read.", sets.error());
    return sets;
}

Done keepSet(storage::FileSystem& files, const storage::Path& home, const std::string& family, const KeptSet& set) {
    if (set.name.empty() || set.channels.empty())
        return fail(ErrorCode::BadInput, "A set of channels needs a name, and a channel.");
    auto sets = loadSets(files, home);
    if (!sets) return tl::unexpected(sets.error());
    auto& own = (*sets)[family];
    std::erase_if(own, named(set.name));
    own.push_back(set);
    std::sort(own.begin(), own.end(), [](const KeptSet& a, const KeptSet& b) { return a.name < b.name; });
    return save(files, home, *sets);
}

Done forgetSet(storage::FileSystem& files, const storage::Path& home, const std::string& family,
               const std::string& name) {
    auto sets = loadSets(files, home);
    if (!sets) return tl::unexpected(sets.error());
    if (std::erase_if((*sets)[family], named(name)) == 0) return tl::unexpected(noSuchSet(family, name));
    return save(files, home, *sets);
}

Result<KeptSet> setNamed(storage::FileSystem& files, const storage::Path& home, const Kit& kit, const std::string& name,
                         std::vector<std::string>& missing) {
    auto sets = loadSets(files, home);
    if (!sets) return tl::unexpected(sets.error());
    const auto& own = (*sets)[kit.profile.controller];
    const auto at = std::find_if(own.begin(), own.end(), named(name));
    if (at == own.end()) return tl::unexpected(noSuchSet(kit.profile.controller, name));
    KeptSet out = *at;
    std::erase_if(out.channels, [&](const std::string& channel) {
        if (kit.definition->measurement(channel)) return false;
        missing.push_back(channel);
        return true;
    });
    return out;
}

}  // namespace brusk::job
