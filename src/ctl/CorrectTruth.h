// What the plant knows of a corrected car: driven with the truth beside, and by which figures a kind of correction is
// judged.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/evidence/MapSamples.h"
#include "ctl/DrivenCar.h"
#include "ctl/ProveCorrect.h"

namespace brusk::ctl::truth {

/// A car as it was drawn.
struct Car {
    std::string model;
    uint64_t seed;
    std::shared_ptr<const job::Kit> kit;
    benchcar::Build build;
    std::string name() const { return model + " " + std::to_string(seed); }
};

/// Some routes in one weather.
struct Leg {
    std::vector<std::string> routes;
    std::optional<benchcar::Weather> weather = {};
};

/// What was driven, with the truth beside it.
struct Told {
    evidence::Drives::Recordings recordings;
    std::vector<std::shared_ptr<const recording::Recording>> truths;
};

/// A table that the mixture speaks of, and by which air.
struct Cells {
    roles::Role table;
    evidence::Measure measure;
};
/// Mixture by speed-density over the map of filling, by the meter over its curve, in use over the map of filling.
extern const Cells kDensity, kMetered, kUsed;

/// Samples for a cell to count.
inline constexpr uint32_t kEnoughSamples = 50;

std::span<const float> channel(const recording::Recording& truth, std::string_view name);
std::unique_ptr<evidence::Drives> drivesOf(const Told& told, const calibration::Calibration& inCar);
/// Learned values at both ends are kept with each drive, as recordings of a job keep them.
Told drive(const Car& car, benchcar::BenchCar& bench, const std::vector<Leg>& legs);
/// Flashed; with `clears` what was learned on the old bytes is forgotten.
void flash(benchcar::BenchCar& bench, const calibration::Calibration& calibration, bool clears = true);

/// The samples that `told` gives, saying what this car's wideband would tell of the true mixture without noise, with
/// what the loop did taken out.
evidence::MapSamples trueSamples(const Car& car, const calibration::Calibration& inCar, const Told& told,
                                 const Cells& cells, const evidence::Drives& drives);
/// Means of those over `held`, in cells that `told` learned of: of others nothing was claimed.
std::vector<evidence::CellStat> trueCells(const Car& car, const calibration::Calibration& inCar, const Told& told,
                                          const Told& held, const Cells& cells);
/// RMS of that, per cent.
double fuelOff(const Car& car, const calibration::Calibration& inCar, const Told& told, const Told& held,
               const Cells& cells);

/// What a change of bytes made of that on roads that are driven before and after, and of the cell that became worst.
CorrectHarm harmOf(const Car& car, const calibration::Calibration& before, const Told& told, const Told& heldBefore,
                   const calibration::Calibration& after, const Told& heldAfter, const Cells& cells);

/// What drives on these bytes say should be put right, faults in them looked for first.
Result<proposals::Corrections> corrected(const calibration::Calibration& inCar, const Told& told,
                                         const proposals::CorrectionChoices& choices);
Result<calibration::Calibration> with(calibration::Calibration calibration,
                                      const std::vector<calibration::Edit>& edits);
/// Litres at the pump over litres reckoned. A pump tells to half a per cent, and no tank is full to the drop: one per
/// cent either way, drawn for each filling.
double poured(const Car& car, const calibration::Calibration& inCar, int filling);

/// What the bytes are off by: us, the mean over 13 to 14.5 V; per cent of the flow; both as the car is over the bytes.
double deadTime(const Car& car, const calibration::Calibration& inCar);
double flow(const Car& car, const calibration::Calibration& inCar);
/// What the second bank's fuel lacks against the first's, loops taken out; per cent.
double banksApart(const calibration::Calibration& inCar, const Told& held);
/// True lambda over the full-load target half a second after the pedal, in the lean direction: mean of pulls, per cent.
double fullLoadOff(const calibration::Calibration& inCar, const Told& held);
/// Seconds leaner than 1.03 of asked, or, where at most that was asked for, than 0.92 beyond 130 kPa; in stretches of
/// over 0.3 s.
double leanSeconds(const Told& told, const calibration::Calibration& inCar);

}  // namespace brusk::ctl::truth
