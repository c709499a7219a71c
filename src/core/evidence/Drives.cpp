// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Drives.h"

#include <algorithm>

namespace brusk::evidence {

size_t Mixture::size() const {
    size_t out = 0;
    for (const auto& drive : drives)
        out += drive.size();
    return out;
}

Drives::Drives(Recordings recordings, Options options, std::vector<std::string> leftOut)
    : options_(std::move(options)), leftOut_(std::move(leftOut)) {
    for (auto& recording : recordings)
        drives_.push_back(std::make_unique<Sampled>(std::move(recording), options_.stoichiometric));
}

std::optional<size_t> Drives::named(const std::string& name) const {
    const auto at = std::find(options_.names.begin(), options_.names.end(), name);
    return at == options_.names.end() ? std::nullopt : std::optional(static_cast<size_t>(at - options_.names.begin()));
}

const Result<Mixture>& Drives::mixture() const {
    std::call_once(mixtureOnce_, [this] { mixture_ = computeMixture(); });
    return mixture_;
}

const DriveFigures& Drives::figures() const {
    std::call_once(figuresOnce_, [this] {
        std::vector<const Sampled*> all;
        for (const auto& drive : drives_)
            all.push_back(drive.get());
        figures_ = driveFigures(all);
    });
    return figures_;
}

Result<Mixture> Drives::computeMixture() const {
    std::vector<EngineColumns> columns;
    for (const auto& drive : drives_) {
        auto found = engineColumns(*drive);
        if (!found) return tl::unexpected(found.error());
        columns.push_back(*found);
    }
    Mixture out;
    out.delay = measureDelay(columns, options_.pulses);
    if (!out.delay.measured() && options_.delay) {
        out.delay = *options_.delay;
        out.delay.from = WidebandDelay::From::Borrowed;
    }
    for (size_t i = 0; i < columns.size(); ++i) {
        auto samples =
            mixtureSamples(*drives_[i], columns[i], out.delay, options_.rules, options_.pulses, out.leftOut, out.forms);
        if (!samples) return tl::unexpected(samples.error());
        out.drives.push_back(std::move(*samples));
    }
    return out;
}

}  // namespace brusk::evidence
