// Proofs beside the kinds: what the first pull on new bytes is told to be, many parts wrong at once, and a mountain.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "ctl/CorrectTruth.h"
#include "ctl/ProveCorrect.h"

namespace brusk::ctl {

/// Filling wrong by a drawn amount, driven, corrected and flashed: once with what was learned left as it is, once
/// cleared; each time the first pull.
Result<FirstPullRun> proveFirstPull(const truth::Car& car);

/// Dead time, flow, meter and filling wrong by drawn amounts, and the fuel pressure not following the manifold. Driven
/// and corrected without a fact; then the gauge finds the hose, the pump tells the litres and the bench the dead time.
Result<TogetherRun> proveTogether(const truth::Car& car);

/// Two rounds of every kind, from two weathers, two heights and pulls; then a drive over a mountain, and what is
/// proposed of it taken.
Result<HarmRun> proveHarm(const truth::Car& car);

}  // namespace brusk::ctl
