// What was driven on one set of bytes: the recordings, and what is learned from them, once and for whoever asks.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/DriveFigures.h"
#include "core/evidence/Events.h"
#include "core/evidence/MixtureRatio.h"

namespace brusk::evidence {

/// The mixture ratio over all drives.
struct Mixture {
    std::vector<MixtureSamples> drives;  ///< one a drive; empty for one that lacks a channel
    std::vector<std::string> without;    ///< what those lack, a sentence each
    LeftOut leftOut;
    WidebandDelay delay;
    FormsCompared forms;
    size_t size() const;
};

struct Findings;

/// Immutable; shared between threads. What is asked for is computed on the first asking.
class Drives {
  public:
    struct Options {
        SettlingRules rules;
        /// Of the car's earlier drives, for those that tell nothing themselves.
        std::optional<WidebandDelay> delay;
        std::optional<PulseModel> pulses;
        double stoichiometric = units::kPetrolRatio;  ///< for lambda that was recorded as an air-fuel ratio
        std::vector<Taint> taints;                    ///< what is not learned from
        bool untuned = false;                         ///< the bytes are computed, and no drive has corrected them yet
        std::vector<std::string> names;  ///< of the recordings, as whoever keeps them calls them; may be empty
    };
    using Recordings = std::vector<std::shared_ptr<const recording::Recording>>;

    explicit Drives(Recordings recordings) : Drives(std::move(recordings), Options()) {}
    Drives(Recordings recordings, Options options, std::vector<std::string> leftOut = {});

    size_t size() const { return drives_.size(); }
    bool empty() const { return drives_.empty(); }
    const Sampled& operator[](size_t i) const { return *drives_[i]; }
    const recording::Recording& recording(size_t i) const { return drives_[i]->recording(); }
    /// Which drive has a name; nothing where that recording is not used.
    std::optional<size_t> named(const std::string& name) const;
    /// Recordings that are not used, and why, a sentence each.
    const std::vector<std::string>& leftOut() const { return leftOut_; }

    /// A drive that lacks a channel tells nothing, and is said; NotFound names the channel where all lack one.
    const Result<Mixture>& mixture() const;
    /// Of each drive.
    const std::vector<DriveEvents>& events() const;
    const DriveFigures& figures() const;
    bool untuned() const { return options_.untuned; }
    const std::optional<PulseModel>& pulses() const { return options_.pulses; }

    /// What is wrong in them; null where nobody looked.
    const std::shared_ptr<const Findings>& findings() const { return findings_; }
    /// The same drives, with what was found in them, and without what it taints.
    std::shared_ptr<const Drives> with(std::shared_ptr<const Findings> findings, std::vector<Taint> taints) const;
    /// The same drives, saying another mixture.
    std::shared_ptr<const Drives> with(Mixture mixture) const;

  private:
    Result<Mixture> computeMixture() const;

    std::vector<std::shared_ptr<const Sampled>> drives_;
    Options options_;
    std::vector<std::string> leftOut_;
    std::shared_ptr<const Findings> findings_;
    /// Shared by those that leave the same out.
    struct Computed {
        std::once_flag mixtureOnce;
        Result<Mixture> mixture;
    };
    std::shared_ptr<Computed> computed_ = std::make_shared<Computed>();
    /// Whatever is left out.
    struct Told {
        std::once_flag once;
        std::vector<DriveEvents> events;
        DriveFigures figures;
    };
    std::shared_ptr<Told> told_ = std::make_shared<Told>();
    const Told& told() const;
};

}  // namespace brusk::evidence
