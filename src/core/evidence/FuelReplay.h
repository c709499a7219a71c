// What the mixture's samples would say were other bytes in the car: air by both models, the pulse, and which of the
// models counts, looked up again at recorded inputs.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"
#include "core/evidence/Drives.h"

namespace brusk::evidence {

/// `drives` were driven on `inCar`; what comes out says of `with` what they said of that: r as lambda measured times
/// the fuel that `with` takes the recorded pulse for, over the air that `with` reckons. Every table speaks by the
/// ratio of what it says with the one bytes and with the other, so that parts that nobody recorded cancel, and bytes
/// that are the same give the very same samples. A part whose inputs were not recorded is taken as it was and stands in
/// `without` of the mixture, a sentence each.
std::shared_ptr<const Drives> replayFuel(const Drives& drives, const calibration::Calibration& inCar,
                                         const calibration::Calibration& with);

}  // namespace brusk::evidence
