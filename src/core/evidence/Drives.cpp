// Computes what is asked for on its first asking, for whoever asks.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Drives.h"

#include <algorithm>

#include "core/base/Say.h"

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
        drives_.push_back(std::make_shared<const Sampled>(std::move(recording), options_.stoichiometric));
}

std::optional<size_t> Drives::named(const std::string& name) const {
    const auto at = std::find(options_.names.begin(), options_.names.end(), name);
    return at == options_.names.end() ? std::nullopt : std::optional(static_cast<size_t>(at - options_.names.begin()));
}

std::shared_ptr<const Drives> Drives::with(std::shared_ptr<const Findings> findings, std::vector<Taint> taints) const {
    auto out = std::make_shared<Drives>(Recordings(), options_, leftOut_);
    out->drives_ = drives_;
    out->findings_ = std::move(findings);
    out->told_ = told_;
    const bool tells =
        std::any_of(taints.begin(), taints.end(), [](const Taint& one) { return tellsMixture(one.role); });
    if (!tells && options_.taints.empty()) out->computed_ = computed_;
    out->options_.taints = std::move(taints);
    return out;
}

std::shared_ptr<const Drives> Drives::with(Mixture mixture) const {
    auto out = std::make_shared<Drives>(Recordings(), options_, leftOut_);
    out->drives_ = drives_, out->findings_ = findings_, out->told_ = told_;
    std::call_once(out->computed_->mixtureOnce, [&] { out->computed_->mixture = std::move(mixture); });
    return out;
}

const Result<Mixture>& Drives::mixture() const {
    std::call_once(computed_->mixtureOnce, [this] { computed_->mixture = computeMixture(); });
    return computed_->mixture;
}

const Drives::Told& Drives::told() const {
    std::call_once(told_->once, [this] {
        told_->events.reserve(drives_.size());
        std::vector<const Sampled*> all;
        all.reserve(drives_.size());
        for (const auto& drive : drives_)
            told_->events.push_back(eventsOf(*drive)), all.push_back(drive.get());
        told_->figures = driveFigures(all);
    });
    return *told_;
}

const std::vector<DriveEvents>& Drives::events() const {
    return told().events;
}

const DriveFigures& Drives::figures() const {
    return told().figures;
}

Result<Mixture> Drives::computeMixture() const {
    Mixture out;
    out.drives.resize(drives_.size());
    std::vector<EngineColumns> columns;
    std::vector<size_t> of;  // whose columns
    std::optional<Error> lacks;
    for (size_t i = 0; i < drives_.size(); ++i) {
        auto found = engineColumns(*drives_[i]);
        if (found) {
            columns.push_back(*found), of.push_back(i);
            continue;
        }
        if (!lacks) lacks = found.error();
        const std::string& title = recording(i).title;
        out.without.push_back((title.empty() ? "A drive" : title) + " tells no mixture: " + found.error().message);
    }
    if (columns.empty() && lacks) return tl::unexpected(*lacks);
    std::vector<EngineColumns> seeing;
    for (size_t i = 0; i < columns.size(); ++i) {
        if (columns[i].wideband) {
            seeing.push_back(columns[i]);
            continue;
        }
        const std::string& title = recording(of[i]).title;
        out.without.push_back(
            say("mixture.no-wideband",
                "{0} has no wideband: its mixture is told where the lambda loop is closed, and out of "
                "sight where it is open.",
                {title.empty() ? std::string("A drive") : title}));
    }
    out.delay = measureDelay(seeing, options_.pulses);
    if (!out.delay.measured() && options_.delay) {
        out.delay = *options_.delay;
        out.delay.from = WidebandDelay::From::Borrowed;
    }
    for (size_t i = 0; i < columns.size(); ++i) {
        std::vector<Taint> taints;
        for (const Taint& taint : options_.taints)
            if (taint.where.drive == of[i]) taints.push_back(taint);
        auto samples = mixtureSamples(*drives_[of[i]], columns[i], out.delay, options_.rules, options_.pulses, taints,
                                      out.leftOut, out.forms);
        if (!samples) return tl::unexpected(samples.error());
        out.drives[of[i]] = std::move(*samples);
    }
    return out;
}

}  // namespace brusk::evidence
