// Choices of channels that somebody kept, by the family of controllers they are for.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/Channels.h"

namespace brusk::job {

/// A choice of channels under a name.
struct KeptSet {
    std::string name;
    std::vector<std::string> channels;  ///< what matters most first
    PaceWishes paces;
    bool operator==(const KeptSet&) const = default;
};
/// Of every family of controllers, by what its profile calls it; of each by name.
using SetsByFamily = std::map<std::string, std::vector<KeptSet>>;

/// The file in the folder of one's own things; nothing kept where there is none.
[[nodiscard]] Result<SetsByFamily> loadSets(storage::FileSystem& files, const storage::Path& home);
/// Adds one to a family, or takes the place of the one of that name. BadInput without a name or channels; a file that
/// can't be read is left as it is, and said.
[[nodiscard]] Done keepSet(storage::FileSystem& files, const storage::Path& home, const std::string& family,
                           const KeptSet& set);
/// NotFound where there is none of that name.
[[nodiscard]] Done forgetSet(storage::FileSystem& files, const storage::Path& home, const std::string& family,
                             const std::string& name);
/// By its name, as this car can record it: what its definition does not have is left out and named in `missing`.
[[nodiscard]] Result<KeptSet> setNamed(storage::FileSystem& files, const storage::Path& home, const Kit& kit,
                                       const std::string& name, std::vector<std::string>& missing);

}  // namespace brusk::job
