// What several checks ask of the same drives: computed when the first of them asks.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/evidence/Replay.h"
#include "core/evidence/Suspects.h"
#include "core/evidence/checks/CutLags.h"
#include "core/evidence/checks/Unevenness.h"

namespace brusk::evidence::checks {

/// Where the mixture's error became another one, and what each part of the drives says.
struct MixtureChange {
    size_t drive = 0;
    double from_s = 0;
    MixtureBlame before, since;
};

/// Of the joint fit.
struct MixtureAnswer {
    MixtureBlame blame;
    std::optional<MixtureChange> change;
};

struct Shared {
    std::optional<AxisCheck> axes;
    std::optional<MixtureAnswer> mixture;
    std::optional<double> meterLateness;
    std::optional<Lags> lags;
    std::optional<Unevenness> uneven;
};

template <class Answer, class Compute>
const Answer& once(std::optional<Answer>& kept, Compute compute) {
    if (!kept) kept = compute();
    return *kept;
}

/// The maps whose value was recorded, looked up; only where the bytes are known.
inline const AxisCheck& axesOf(const Looked& at) {
    return once(at.shared.axes, [&] { return checkAxes(*at.inCar, at.drives); });
}

/// Which part the mixture's error belongs to; while it was there, where it came or went.
const MixtureBlame& blameOf(const Looked& at);
/// Where that was: the part that was asked, else all.
std::vector<Stretch> whereBlamed(const Looked& at);
/// Nothing where one answer holds for all.
const std::optional<MixtureChange>& changeIn(const Looked& at);
/// Beyond that one thing is said to be at fault.
inline constexpr double kBlamed = 0.5;
/// As sure as the fit is, but for what it knows nothing of.
inline double certaintyOf(double chance) {
    constexpr double kKnowsNothing = 0.05;
    return chance * (1 - kKnowsNothing);
}

}  // namespace brusk::evidence::checks
