// What every file system can do with the operations of its own kind.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/storage/FileSystem.h"

namespace brusk::storage {

Done FileSystem::save(const Path& path, ByteSpan bytes, const Stamp& seen) {
    if (stamp(path) == seen) return save(path, bytes);
    const char* what = stamp(path).there ? " was changed by another program meanwhile" : " was removed meanwhile";
    return fail(ErrorCode::Conflict, path.string() + what + "; it was left as it is. Open it again, then save.");
}

std::vector<Entry> FileSystem::filesBelow(const Path& folder, size_t most) const {
    std::vector<Entry> out;
    std::vector<Path> open{folder};
    while (!open.empty() && out.size() < most) {
        const Path next = std::move(open.back());
        open.pop_back();
        const auto held = list(next);
        if (!held) continue;
        for (const Entry& entry : *held) {
            if (entry.isFolder)
                open.push_back(entry.path);
            else if (out.size() < most)
                out.push_back(entry);
        }
    }
    return out;
}

Path FileSystem::freeName(const Path& folder, const std::string& stem, const std::string& ending) const {
    for (int n = 1;; ++n) {
        std::string name = stem;
        if (n > 1) name.append("-").append(std::to_string(n));
        Path path = folder / name.append(ending);
        if (!exists(path)) return path;
    }
}

}  // namespace brusk::storage
