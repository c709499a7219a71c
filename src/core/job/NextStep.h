// The next sensible step with a car, and why: the same at the foot of the ledger, on primary buttons and from bruskctl.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"

namespace brusk::job {

enum class Step {
    OpenFolder,
    Connect,
    Read,
    FillSheet,
    MakeBase,
    FinishFlash,
    Flash,
    Drive,
    Correct,
    AwaitDrives,  ///< the round was given out: what is driven on it comes back
    SendDrives    ///< the round came sealed: its maker looks at the drives
};
/// "open-folder", "connect", "read", "fill-sheet", "make-base", "finish-flash", "flash", "drive", "correct",
/// "await-drives", "send-drives".
std::string_view stepId(Step step);
/// Every step, in the order of a job.
const std::vector<Step>& steps();

/// What the next step depends on.
struct Situation {
    bool folderIsOpen = false;
    bool connected = false;
    std::vector<carfolder::Round> rounds;  ///< newest first
    carfolder::CarContents contents;
    bool sheetIsEmpty = true;
};
/// Of a folder; `kit` null: nobody knows its controller yet.
[[nodiscard]] Result<Situation> situationOf(const carfolder::CarFolder& folder, const Kit* kit, bool connected);

struct NextStep {
    Step step = Step::OpenFolder;
    std::string station;           ///< where it is done: "Car", "Base", "Drive", "Correct", "Flash"; empty for none
    std::string sentence;          ///< what to do, a few words: "Flash round 2"
    std::string reason;            ///< why, a sentence
    std::optional<int64_t> round;  ///< that it is about
};
NextStep nextStep(const Situation& situation);

}  // namespace brusk::job
