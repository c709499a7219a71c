// What several checks ask of the same drives: computed when the first of them asks.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>

#include "core/evidence/Replay.h"
#include "core/evidence/checks/Blame.h"
#include "core/evidence/checks/CutLags.h"
#include "core/evidence/checks/Models.h"
#include "core/evidence/checks/Unevenness.h"

namespace brusk::evidence::checks {

struct Shared {
    std::optional<AxisCheck> axes;
    std::optional<Models> models;
    std::optional<double> meterLateness;
    std::optional<Blamed> blamed;
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

}  // namespace brusk::evidence::checks
