// Kept in the folder's settings as the ids of checks, apart by spaces.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/LookForFaults.h"

#include <algorithm>
#include <sstream>

namespace brusk::job {
namespace {

std::string keyOf(int64_t round) {
    return "put-back/" + std::to_string(round);
}

}  // namespace

DrivesPtr lookedAt(const DrivesPtr& drives, const calibration::Calibration& inCar,
                   const std::vector<std::string>& putBack) {
    const auto found = std::make_shared<const evidence::Findings>(evidence::findingsOf(*drives, &inCar));
    std::vector<evidence::Taint> taints;
    for (const evidence::Finding& finding : found->found)
        if (finding.leavesOut() && std::find(putBack.begin(), putBack.end(), finding.check) == putBack.end())
            taints.insert(taints.end(), finding.taints.begin(), finding.taints.end());
    return drives->with(found, std::move(taints));
}

Result<std::vector<std::string>> putBackOn(const carfolder::CarFolder& folder, int64_t round) {
    const auto kept = folder.settings().get(keyOf(round));
    if (!kept) return tl::unexpected(kept.error());
    std::vector<std::string> out;
    std::istringstream words(*kept);
    for (std::string word; words >> word;)
        out.push_back(std::move(word));
    return out;
}

Done putBack(carfolder::CarFolder& folder, int64_t round, const std::string& check, bool back) {
    auto kept = putBackOn(folder, round);
    if (!kept) return tl::unexpected(kept.error());
    std::erase(*kept, check);
    if (back) kept->push_back(check);
    std::string text;
    for (const std::string& one : *kept)
        text += (text.empty() ? "" : " ") + one;
    return folder.settings().set(keyOf(round), text);
}

}  // namespace brusk::job
