// The checks before a flash: each with a verdict, one sentence, and what would settle it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"
#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"

namespace brusk::job {

/// A check before a flash.
struct Gate {
    enum class Verdict { Passed, Warns, Blocks };
    /// What would settle it.
    enum class Remedy {
        None,
        Connect,        ///< no controller was asked yet
        Read,           ///< the controller has to be read first
        AskAgain,       ///< after charging, stopping the engine: ask the controller once more
        TypeSerial,     ///< somebody types the controller's serial number and takes the responsibility
        ShowParameter,  ///< `parameter` is to be looked at
        ClearLearned,   ///< what the controller learned is to be cleared with the flash
        NewRound        ///< the round's bytes can't be mended as they are: make a new one from it
    };
    std::string name;
    Verdict verdict = Verdict::Passed;
    std::string sentence;  ///< what was seen, and what to do when it does not pass
    Remedy remedy = Remedy::None;
    std::string parameter{};        ///< name in the definition, with ShowParameter
    bool overridden = false;        ///< it would block, and the serial number was typed
    const char* refused = nullptr;  ///< id of the refusal, where programs tell them apart ("other-vin")
};

/// What is written: only what differs, the whole calibration, or all that the profile lets be erased.
enum class FlashScope { Changed, Calibration, Everything };
const char* scopeName(FlashScope scope);
std::optional<FlashScope> scopeNamed(std::string_view name);

struct GateInput {
    const Kit& kit;
    carfolder::CarFolder& folder;
    const carfolder::Round& round;
    const image::Image& image;        ///< with its checksums mended
    int mended = 0;                   ///< checksums that had to be
    std::optional<Error> unmendable;  ///< why they could not all be
    const link::Identity* identity;   ///< what the controller says now; null when nobody was asked
    std::string typedSerial;          ///< what somebody typed to override a mismatch
    /// What is in the car now, or what the round was made from; nothing for an original.
    const calibration::Calibration* before = nullptr;
    int64_t beforeRound = -1;   ///< whose they are
    bool clearLearned = false;  ///< somebody wants what was learned cleared with the flash
};
std::vector<Gate> gatesOf(const GateInput& input);

/// A limit that lets more through in `now` than in `before`.
struct LoosenedLimit {
    const definition::Parameter* parameter = nullptr;
    double before = 0, now = 0;  ///< of the cell that was loosened most
    std::string unit;
};
/// By the roles of limits (revs, boost cut, load, road speed, plausibility) and switches of watches.
std::vector<LoosenedLimit> loosenedLimits(const calibration::Calibration& before, const calibration::Calibration& now);

/// Changed cells under full load that no recording of the round's line visited.
struct UnseenChange {
    const definition::Parameter* parameter = nullptr;
    int cells = 0;
};
[[nodiscard]] Result<std::vector<UnseenChange>> unseenChanges(const Kit& kit, carfolder::CarFolder& folder,
                                                              const carfolder::Round& round,
                                                              const calibration::Calibration& before,
                                                              const calibration::Calibration& now);

}  // namespace brusk::job
