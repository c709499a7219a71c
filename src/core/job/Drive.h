// Recording a drive: channels of the definition and of external sensors, sampled over the link into the car folder.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"
#include "core/link/Sampler.h"
#include "core/recording/Recording.h"

namespace brusk::job {

/// Which channels are recorded, and what they cost the link.
struct ChannelSet {
    std::vector<const definition::Measurement*> measurements;
    std::vector<link::Uds::Place> places;
    link::SamplePlan plan;
    double rate_hz = 100;
};

/// The channels that the fuelling corrections need, by role, then whatever else of `names`.
[[nodiscard]] Result<ChannelSet> channelSet(const Kit& kit, const std::vector<std::string>& names);
/// Names of the channels a drive records when nobody chooses: what the corrections need, by role.
std::vector<std::string> usualChannels(const definition::Definition& definition);
/// Names of all measurements that have a role.
std::vector<std::string> channelsWithRole(const definition::Definition& definition);

/// The newest row of the controller's channels, physical, and of the external ones.
struct LiveRow {
    double time_s = 0;
    std::vector<float> values;    ///< as ChannelSet::measurements; NaN when it did not arrive
    std::vector<float> external;  ///< one per external signal
};

/// Turns raw rows into physical columns of a recording.
class DriveRecorder {
  public:
    DriveRecorder(link::Uds& uds, const Kit& kit, ChannelSet channels);

    /// Empty groups with the channels' names, units and roles.
    recording::Recording layout() const;
    [[nodiscard]] Done start();
    /// Samples until `deadline_us`; each row goes to `onRow` (group 0) or `onExternal` (group 1).
    using OnRow = std::function<void(double time_s, const std::vector<float>& values)>;
    [[nodiscard]] Done poll(int64_t deadline_us, const OnRow& onRow, const OnRow& onExternal);
    [[nodiscard]] Done stop();

  private:
    link::Uds& uds_;
    const Kit& kit_;
    ChannelSet channels_;
    link::Sampler sampler_;
    int64_t begun_us_ = 0;
    std::vector<float> row_;
    std::vector<float> external_;
};

/// Records into the folder until `goOn` says no or the link fails; what arrived before is kept and entered in the
/// ledger under the round that is in the car. The failure, if any, is in `problem`.
struct DriveOutcome {
    carfolder::RecordingEntry entry;
    std::optional<Error> problem;
};
struct DriveOptions {
    std::string title;
    std::function<bool(double elapsed_s)> goOn;
    std::function<void(const LiveRow&)> onLive;  ///< at most 30 times a second of wall clock when `throttle` is set
    bool throttle = false;
    int64_t flushEvery_us = 1000000;  ///< of the link's clock
};
[[nodiscard]] Result<DriveOutcome> recordDrive(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder,
                                               const ChannelSet& channels, const DriveOptions& options);

}  // namespace brusk::job
