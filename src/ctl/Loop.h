// A bench car with its folder, and the steps of the job on them, in virtual time.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/truth/Truth.h"
#include "core/job/Correct.h"
#include "core/job/Drive.h"
#include "core/job/FlashRound.h"
#include "core/job/ReadCar.h"
#include "ctl/Links.h"

namespace brusk::ctl {

/// A figure that was not seen is null.
template <class T>
nlohmann::json orNull(const std::optional<T>& value) {
    return value ? nlohmann::json(*value) : nlohmann::json();
}

/// What the first, gentle drives of a round said: idle, then a neighbourhood with small hills.
struct GentleDrive {
    evidence::DriveFigures figures;
    evidence::FuelError error;
    int codes = 0;  ///< trouble codes that were set
};

class Loop {
  public:
    Loop(Context& context, const benchcar::Build& build, uint64_t seed, std::string route);
    ~Loop();

    /// Finds the controller and reads the car into a folder of its own.
    [[nodiscard]] Done begin();
    /// The base for a build sheet as round 1; `accepted` are the ids that were, in their order.
    [[nodiscard]] Done base(const proposals::BuildSheet& sheet, const proposals::Decisions& decisions = {});
    /// The same, with every group that the Heron's donor is suggested for.
    [[nodiscard]] Done baseWithDonor(const proposals::BuildSheet& sheet);
    const proposals::BasePlan& plan() const { return plan_; }
    [[nodiscard]] Done correct(const proposals::CorrectionChoices& choices);
    /// Flashes, pulls once with what the controller has learned as it is, and clears that.
    [[nodiscard]] Done flash();
    /// Idle and small hills.
    [[nodiscard]] Done driveGently();
    /// The route for the fuel, where the car has a turbo also pulls for knock and boost.
    [[nodiscard]] Done drive();

    nlohmann::json report() const;
    double error() const { return error_.rms; }
    const GentleDrive& gentle() const { return gentle_; }
    /// Trouble codes after all drives.
    int codes() const { return codes_; }
    /// What the bench car knows better than its controller, over all drives of the last round.
    struct Truth {
        double roadSpeedOff = 0;          ///< of the speed shown, share
        double meterOff = 0;              ///< of the airflow meter's reading, share
        double idlePart_pct = 0;          ///< throttle that idle control had to add, mean of its size
        double idleDeviation_kPa = 0;     ///< of pressure from what throttle and speed let expect, mean in idle
        double exhaust_C = 0;             ///< hottest in boost
        double lambda = 0;                ///< mean at full pedal in boost
        double sparkOverLimit_deg = -99;  ///< spark over the knock limit in boost, at worst
    };
    const Truth& truth() const { return truth_; }
    const evidence::DriveFigures& figures() const { return figures_; }

  private:
    const job::Kit& kit() const { return *found_.kit; }
    Done record(const std::string& route);
    /// To the end of the first pull of its route; the true mixture of that.
    Done pullOnce();
    /// Engine off, for some seconds.
    Done stand();
    /// What the drives on the round before let expect of it.
    void expectFirstPull(const std::vector<calibration::Edit>& edits);
    Done makeBase(const proposals::BuildSheet& sheet, const proposals::Decisions& decisions,
                  const proposals::Donor* donor);
    Done takeRound(Result<carfolder::Round> made);

    Context& c_;
    benchcar::BenchCar car_;
    benchcar::VirtualBus bus_;
    std::string route_;
    job::Found found_;
    std::unique_ptr<carfolder::CarFolder> folder_;
    storage::Path path_;
    carfolder::Round round_;
    proposals::BasePlan plan_;
    evidence::FuelError error_;
    evidence::DriveFigures figures_;
    GentleDrive gentle_;
    bool droveGently_ = false;
    int codes_ = 0;
    Truth truth_;
    std::optional<double> firstPull_pct_;  ///< true lambda over asked of the first pull after the flash, lean above nil
    std::optional<double> firstPullExpected_pct_;
    benchcar::TruthFigures plant_;  ///< over all drives of the last round, by the plant
    Result<int> countCodes();
    link::FlashReport report_;
};

/// The build sheet of a demo car: "heron", "crane".
[[nodiscard]] Result<proposals::BuildSheet> demoSheet(Context& context, const std::string& car);

}  // namespace brusk::ctl
