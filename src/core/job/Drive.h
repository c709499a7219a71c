// Recording a drive: channels of the definition and of external sensors, sampled over the link into the car folder.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <functional>
#include <memory>
#include <mutex>

#include "core/carfolder/CarFolder.h"
#include "core/drive/Guard.h"
#include "core/drive/Trigger.h"
#include "core/evidence/Coverage.h"
#include "core/evidence/Sampled.h"
#include "core/job/Channels.h"
#include "core/link/Sampler.h"
#include "core/recording/Recording.h"

namespace brusk::job {

/// The areas of a controller's memory by which a recording is bound to bytes.
std::vector<carfolder::NamedArea> namedAreas(const Kit& kit);
/// "application=... calibration=ab12...": the areas that an image holds whole.
std::string areasText(const Kit& kit, const image::Image& image);
/// Whether a recording was made on these bytes, as far as its head tells.
enum class Bound { Same, Other, Untold };
Bound boundTo(const Kit& kit, const image::Image& image, const recording::Recording& recording);

/// The newest value of every channel, physical.
struct LiveRow {
    double time_s = 0;
    std::vector<float> values;  ///< as the layout's groups, one after the other; NaN when it did not arrive
    bool kept = true;           ///< false: the recording is armed, and waits for its condition
    size_t stretches = 0;       ///< begun so far, where it is armed
};

/// Which of the recorded channels moves along an axis, found by name, else by role, and how its values become those of
/// the axis.
struct LiveAlong {
    size_t channel = 0;
    units::Shown shown;
};
/// Nothing where none of them does, or its unit can't be turned into the axis'.
std::optional<LiveAlong> liveAlong(const ChannelSet& channels, const evidence::AxisInput& input);

/// Seconds at each node of a map of the car's while a drive is recorded, from every row; fed where the rows arrive,
/// looked at from other threads.
class LiveCoverage {
  public:
    /// `map` of the calibration that is in the car. What moves along its axes is found among the channels by name, else
    /// by role, and told in the axes' units.
    LiveCoverage(const Kit& kit, calibration::Table map, const ChannelSet& channels);
    /// Both axes are among the channels.
    bool sees() const { return x_.has_value() && (map_.y.values.size() < 2 || y_.has_value()); }
    /// `values`: as the channels are in their set.
    void row(double time_s, std::span<const float> values);

    const calibration::Table& map() const { return map_; }
    struct Now {
        std::vector<double> seconds;  ///< row by row
        double x = 0, y = 0;          ///< where the engine is; NaN before the first row
    };
    Now now() const;

  private:
    calibration::Table map_;
    std::optional<LiveAlong> x_, y_;
    mutable std::mutex mutex_;
    evidence::Coverage seen_;
    double atX_, atY_;
};

/// A trouble code as a drive tells it.
struct SeenCode {
    std::string name;  ///< "P0172"
    bool stored = false;
    bool operator==(const SeenCode&) const = default;
};

/// Where the rows of a drive come from.
class DriveSource {
  public:
    virtual ~DriveSource() = default;
    virtual link::CanPort& port() = 0;
    /// Empty groups with the channels' names, units and roles: what is sampled first, then each external sensor, then
    /// what is learned, where somebody tells it.
    virtual recording::Recording layout() const = 0;
    /// What the controller has learned now, as the layout's last group; nothing where it does not tell.
    virtual std::optional<std::vector<float>> learned() { return std::nullopt; }
    /// Sets the channels up and lets them come; again after the link was lost. Times count from the first start.
    [[nodiscard]] virtual Done start() = 0;
    /// Samples until `deadline_us`; each row is one of a group of the layout.
    using OnRow = std::function<void(size_t group, double time_s, std::span<const float> values)>;
    [[nodiscard]] virtual Done poll(int64_t deadline_us, const OnRow& onRow) = 0;
    [[nodiscard]] virtual Done stop() = 0;
    /// The longest since the start that nobody looked at the bus; nil where nobody measures it.
    virtual int64_t longestAway_us() const { return 0; }
    /// How long a poll takes at most beyond its deadline; when it took longer, this computer slept.
    virtual int64_t longestPoll_us() const { return 2000000; }
    /// Asks for trouble codes; a later poll tells them. Nothing is told where the controller refuses.
    using OnCodes = std::function<void(const std::vector<SeenCode>&)>;
    [[nodiscard]] virtual Done askForCodes(OnCodes onCodes) = 0;
};

/// The newest row of each message that external sensors send, scaled as this car's are.
class ExternalRows {
  public:
    explicit ExternalRows(const Kit& kit) : ExternalRows(kit.externalSensors, kit.sensors) {}
    explicit ExternalRows(const std::vector<can::DbcMessage>& messages, std::vector<drive::Sensor> sensors = {});
    /// A group for each message that has signals.
    void addTo(recording::Recording& layout) const;
    /// Which row a frame changed; nothing where it is nobody's.
    std::optional<size_t> take(const link::CanFrame& frame);
    std::span<const float> row(size_t message) const { return rows_[message]; }
    size_t size() const { return rows_.size(); }

  private:
    std::vector<can::DbcMessage> messages_;
    std::vector<drive::Sensor> sensors_;
    std::vector<std::vector<drive::Scaling>> scalings_;  ///< of each signal
    std::vector<std::vector<float>> rows_;
};

/// Sensors on inputs of the controller: what its measurements mean.
class AnalogueRows {
  public:
    AnalogueRows(const Kit& kit, const ChannelSet& channels);
    /// A group for each.
    void addTo(recording::Recording& layout) const;
    size_t size() const { return inputs_.size(); }
    /// Which of the set's classes its input is sampled in.
    size_t classOf(size_t sensor) const { return inputs_[sensor].of; }
    /// From a row of that class. NaN where the voltage lies beyond the sensor's range; what it was is recorded besides.
    float value(size_t sensor, std::span<const float> row) const {
        const Input& one = inputs_[sensor];
        const auto raw = static_cast<double>(row[one.column]);
        return one.sensor.believes(raw) ? static_cast<float>(one.sensor.scaling.at(raw)) : std::nanf("");
    }

  private:
    struct Input {
        drive::Sensor sensor;
        double rate_hz;
        size_t of, column;  ///< class, and place in its row
    };
    std::vector<Input> inputs_;
};

/// The controller's measurements by periodic frames, raw rows turned into physical ones.
class DriveRecorder final : public DriveSource {
  public:
    DriveRecorder(link::Uds& uds, const Kit& kit, ChannelSet channels);

    link::CanPort& port() override { return uds_.port(); }
    recording::Recording layout() const override;
    std::optional<std::vector<float>> learned() override;
    [[nodiscard]] Done start() override;
    [[nodiscard]] Done poll(int64_t deadline_us, const OnRow& onRow) override;
    [[nodiscard]] Done stop() override;
    int64_t longestAway_us() const override { return sampler_.longestAway_us(); }
    [[nodiscard]] Done askForCodes(OnCodes onCodes) override;

  private:
    link::Uds& uds_;
    const Kit& kit_;
    ChannelSet channels_;
    link::Sampler sampler_;
    std::optional<int64_t> begun_us_;
    std::vector<ChannelClass> classes_;
    std::vector<float> row_;
    ExternalRows external_;
    AnalogueRows analogue_;
};

/// Why a recording ended.
enum class Ended { Asked, Seconds, Signal, Link, Disk };
const char* endedName(Ended ended);

/// Why a stretch is missing.
enum class GapCause {
    Frames,   ///< a few rows did not arrive
    Cable,    ///< the interface was gone
    Silent,   ///< the controller did not answer: ignition off, or no supply
    Stopped,  ///< it had stopped sending, and answered when it was asked again: a reset
    Disk,     ///< the disk took nothing for so long that rows were given up
    Asleep    ///< this computer slept, or was held up
};
/// "frames", "cable", "silent", "stopped", "disk", "asleep".
const char* gapCauseName(GapCause cause);
/// "12.3 s missing: the cable was out".
std::string gapSentence(double seconds, GapCause cause);

/// "no gaps", "1 gap", "3 gaps".
std::string gapsText(int gaps);

/// A stretch that is missing in a recording, and why.
struct DriveGap {
    double from_s = 0;
    double to_s = 0;
    GapCause cause = GapCause::Frames;
};

/// A stretch that an armed recording kept.
struct DriveStretch {
    double from_s = 0;
    double to_s = 0;
};

/// What came of a recording: what arrived is kept, whatever went wrong.
struct DriveOutcome {
    carfolder::RecordingEntry entry;  ///< without an id where there is no folder
    storage::Path file;
    std::vector<DriveGap> gaps;
    /// What was marked by hand ("mark"), gaps ("gap"), guards that tripped ("guard"), trouble codes that appeared
    /// ("code"), limp mode ("limp"), sensors that fell silent ("sensor"), stretches of an armed recording ("stretch"),
    /// what the wideband is worth against the narrowband ("check").
    std::vector<recording::Mark> marks;
    std::vector<DriveStretch> stretches;  ///< of an armed recording
    Ended ended = Ended::Asked;
    std::optional<Error> problem;
    double longestAway_s = 0;  ///< that nobody looked at the bus
    std::vector<float> last;   ///< the newest value of every channel, as LiveRow::values
};
struct DriveOptions {
    std::string title;
    /// Asked between slices of time; another answer than nothing ends the recording.
    std::function<std::optional<Ended>(double elapsed_s)> ends;
    std::function<void(const LiveRow&)> onLive;  ///< at most 30 times a second of wall clock when `throttle` is set
    /// Every row of the controller's first group, on the thread that samples; with the newest of all others.
    std::function<void(double time_s, std::span<const float> values)> onRow;
    std::function<void(const storage::Path&)> onBegun;  ///< the file's head is on the disk
    /// A sentence: the disk takes nothing, or takes it again. Called on threads that write, one at a time.
    std::function<void(const std::string&)> onTrouble;
    /// What somebody marked since it was asked last: a text for each. Asked between slices of time.
    std::function<std::vector<std::string>()> marks;
    /// A sentence while the recording waits for the car; an empty one when it goes on. On the thread that samples.
    std::function<void(const std::string&)> onWaiting;
    /// When the link is lost the recording stays open and goes on when the car answers again; it ends when that has
    /// not happened for so long. 0: at once.
    double waitFor_s = 600;
    /// What is watched meanwhile. Each time one trips is a mark; what trips while an armed recording waits is only
    /// told.
    std::vector<drive::Guard> guards = {};
    std::function<void(const drive::Guard&)> onTrip = {};
    /// Every mark as it is set, on the thread that samples.
    std::function<void(const recording::Mark&)> onMark = {};
    /// Keeps only stretches in which a condition holds.
    std::optional<drive::Arming> arm = {};
    double codesEvery_s = 5;  ///< how often the controller is asked for its trouble codes
    bool throttle = false;
    int64_t writeEvery_us = 500000;  ///< of the link's clock
    carfolder::Conditions conditions = {};
};

/// Records what a source gives into a file that must not be there yet. `layout`: the source's, with its head filled in.
/// `entered` is called when the file's head is on the disk, before the first row; an error of it ends all.
[[nodiscard]] Result<DriveOutcome> recordSource(DriveSource& source, storage::FileSystem& files,
                                                const storage::Path& file, recording::Recording layout,
                                                const DriveOptions& options,
                                                const std::function<Done(DriveOutcome&)>& entered = {});
/// The same into a folder, in its ledger from its first block on.
[[nodiscard]] Result<DriveOutcome> recordSource(DriveSource& source, carfolder::CarFolder& folder,
                                                recording::Recording layout, std::optional<carfolder::Round> round,
                                                const DriveOptions& options);
/// Records into the folder, bound to the round that is in the car. The recording is in the ledger from its first block
/// on. While the disk takes nothing the newest rows are kept in memory and tried again. While the car says nothing the
/// recording waits: what is missing is a gap, and a mark in the file says why.
[[nodiscard]] Result<DriveOutcome> recordDrive(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder,
                                               const ChannelSet& channels, const DriveOptions& options);
/// The same into a file of its own, bound to no round.
[[nodiscard]] Result<DriveOutcome> recordFile(link::Uds& uds, const Kit& kit, storage::FileSystem& files,
                                              const storage::Path& file, const ChannelSet& channels,
                                              const DriveOptions& options);

}  // namespace brusk::job
