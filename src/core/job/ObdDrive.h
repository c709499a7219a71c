// A drive of any car by the requests that every car answers: no profile and no definition.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/Drive.h"
#include "core/job/Sensors.h"
#include "core/link/Obd.h"

namespace brusk::job {

/// How the ids of a drive are asked for, and what that was found to give.
struct ObdPlan {
    link::ObdController controller;  ///< the engine's
    link::ObdVehicle vehicle;
    std::vector<std::vector<uint8_t>> fast;  ///< requests, one after the other: together a row
    std::vector<std::vector<uint8_t>> slow;  ///< one of them after every few rows
    double rowTime_s = 0;                    ///< that all fast requests take, measured
    double leastRowTime_s = 0;               ///< that their frames alone take on the wire
    size_t fastIds() const;
    /// Of the controller's answers a second, and of what the wire alone would allow.
    double samplesPerSecond() const { return static_cast<double>(fastIds()) / rowTime_s; }
    double share() const { return leastRowTime_s / rowTime_s; }
};

/// Asks who answers, and tries which way of asking is the quickest: as many ids a request as the standard allows, or as
/// many as an answer of one frame holds, or one. `wanted`: ids; all that tell a number when empty. Temperatures and
/// what changes as slowly are slow. Cancelled when `goOn` says no.
[[nodiscard]] Result<ObdPlan> planObdDrive(link::CanPort& port, const std::vector<uint8_t>& wanted,
                                           const std::function<bool()>& goOn);
/// Everything that can be recorded of a car that answers so and has these sensors, as groups without samples.
recording::Recording everythingOf(const std::vector<link::ObdController>& controllers, const KeptSensors& sensors);
/// "obd:7E8:CALID=CVN ...", by which two drives on different calibrations are told apart: Recording::areas of a drive
/// that was recorded so. Empty where the car tells neither.
std::string obdBinding(const ObdPlan& plan);

/// Whether two recordings that were made so tell different calibrations; false where either tells none.
bool onOtherCalibrations(const std::string& areas, const std::string& otherAreas);
/// What the drives that were recorded so on a round told; empty where there is none yet.
[[nodiscard]] Result<std::string> obdBindingOf(const carfolder::CarFolder& folder, int64_t round);

/// Rows of one controller's answers: group 0 the fast ids, group 1 the slow ones (where there are any), then external
/// sensors.
class ObdRecorder final : public DriveSource {
  public:
    /// `meanings`: what the sensors' numbers mean to this car, where somebody said.
    ObdRecorder(link::CanPort& port, ObdPlan plan, const std::vector<can::DbcMessage>& sensors,
                std::vector<drive::Sensor> meanings = {});

    const ObdPlan& plan() const { return plan_; }
    link::CanPort& port() override { return port_; }
    recording::Recording layout() const override;
    [[nodiscard]] Done start() override;
    [[nodiscard]] Done poll(int64_t deadline_us, const OnRow& onRow) override;
    [[nodiscard]] Done stop() override { return {}; }
    /// Each question may be "pending" for seconds.
    int64_t longestPoll_us() const override { return 15000000; }
    [[nodiscard]] Done askForCodes(OnCodes onCodes) override;

  private:
    /// The numbers of one class of ids, and where each stands in their row.
    struct Class {
        std::vector<uint8_t> ids;    ///< sorted
        std::vector<size_t> begins;  ///< of each id, in the row
        std::vector<float> row;
    };
    static Class classOf(const std::vector<std::vector<uint8_t>>& requests);
    /// Whether the controller answered.
    Result<bool> ask(const std::vector<uint8_t>& request, Class& into);
    Done answerCodes();
    double since_s(int64_t time_us) const { return static_cast<double>(time_us - *begun_us_) * 1e-6; }

    link::CanPort& port_;
    link::Obd obd_;
    ObdPlan plan_;
    Class fast_, slow_;
    size_t nextSlow_ = 0, rows_ = 0;
    std::vector<drive::Sensor> meanings_;
    ExternalRows external_;
    const OnRow* onRow_ = nullptr;
    OnCodes onCodes_;
    bool tellsCodes_ = true;
    std::optional<int64_t> begun_us_;
    int64_t heard_us_ = 0;
};

/// Records into the folder. Where the car's bytes are known, the recording belongs to the round in it, unless an
/// earlier drive on that round told other calibration ids or verification numbers: then the car runs something else,
/// and the recording belongs to no round (`unbound` says it). Into a folder without rounds it belongs to none. `kit`:
/// of the folder's controller, where one is known; null otherwise.
struct ObdOutcome {
    DriveOutcome drive;
    std::string unbound;  ///< a sentence
};
[[nodiscard]] Result<ObdOutcome> recordObd(ObdRecorder& recorder, carfolder::CarFolder& folder, const Kit* kit,
                                           const DriveOptions& options);
/// The same into a file of its own.
[[nodiscard]] Result<DriveOutcome> recordObdFile(ObdRecorder& recorder, storage::FileSystem& files,
                                                 const storage::Path& file, const DriveOptions& options);

}  // namespace brusk::job
