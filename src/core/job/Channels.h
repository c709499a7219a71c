// Which channels are recorded, how often each, what that costs the link, and what is left out when it is too much.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "core/job/Garage.h"
#include "core/link/Sampler.h"
#include "core/recording/Recording.h"

namespace brusk::job {

/// Which channels are recorded, and what they cost the link.
struct ChannelSet {
    std::shared_ptr<const definition::Definition> definition;  ///< keeps what the pointers point to
    std::vector<const definition::Measurement*> measurements;  ///< the fast ones first, then medium, then slow
    std::vector<link::Pace> paces;                             ///< of each; empty: all are fast
    std::vector<link::Uds::Place> places;
    link::SamplePlan plan;
    double rate_hz = 100;  ///< of the fast ones
};

/// The channels of one pace: a group of the recording, with a clock of its own.
struct ChannelClass {
    link::Pace pace = link::Pace::Fast;
    double rate_hz = 0;
    size_t first = 0, size = 0;  ///< in ChannelSet::measurements
};
/// Those that a set has, the fastest first.
std::vector<ChannelClass> classesOf(const Kit& kit, const ChannelSet& channels);

/// How often somebody wants a channel, by its name; of others the proposal counts.
using PaceWishes = std::map<std::string, link::Pace>;
/// "fast", "medium", "slow".
const char* paceName(link::Pace pace);
std::optional<link::Pace> paceNamed(std::string_view name);
/// By quantity: temperatures, weather and what is learned are slow; states and voltages of supply are medium.
link::Pace proposedPace(const definition::Definition& definition, const definition::Measurement& measurement);

/// The channels that the fuelling corrections need, by role, inputs of this car's sensors, then whatever else of
/// `names`. NotFound for a name that is none, OutOfRange where the link can't carry them.
[[nodiscard]] Result<ChannelSet> channelSet(const Kit& kit, const std::vector<std::string>& names,
                                            const PaceWishes& paces = {});
/// What has to go for the link to carry the rest: from the end of `names`, where what only helps stands. Empty when all
/// fits, or nothing helps.
std::vector<std::string> tooMany(const Kit& kit, const std::vector<std::string>& names, const PaceWishes& paces = {});

/// Names of the channels a drive records when nobody chooses: what the corrections need, by role.
std::vector<std::string> usualChannels(const definition::Definition& definition);
/// Names of all measurements that have a role.
std::vector<std::string> channelsWithRole(const definition::Definition& definition);
/// SHA-256 of the names of the channels, and of their paces where they are not fast.
std::string channelsSha(const ChannelSet& channels);

/// Empty groups for these channels, one for each pace, and, unless it is left out, for the external sensors: names,
/// units and roles.
recording::Recording layoutOf(const Kit& kit, const ChannelSet& channels, bool withExternal = true);
/// What the controller learns and keeps, by role; and a group for it: a row when a recording begins, one when it ends.
std::vector<const definition::Measurement*> learnedChannels(const definition::Definition& definition);
void addLearned(const Kit& kit, recording::Recording& layout);

/// SHA-256 of the definition's text (empty for one that came from no text).
std::string definitionSha(const Kit& kit);
/// What a signal of an external sensor means: "lambda_measured", "wideband_ready" where the sensor says so, or nothing.
std::string roleOfSignal(const can::DbcMessage& message, const can::DbcSignal& signal);
/// The same in a car, where somebody may have said what it means.
std::string roleOfSignal(const Kit& kit, const can::DbcMessage& message, const can::DbcSignal& signal);

}  // namespace brusk::job
