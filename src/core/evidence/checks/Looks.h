// All checks, one source each, and what several of them ask.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/evidence/Finding.h"
#include "core/evidence/Median.h"
#include "core/evidence/Spans.h"

namespace brusk::evidence::checks {

using Found = std::vector<Finding>;

void widebandDead(const Looked& at, Found& out);
void coolantStuck(const Looked& at, Found& out);
void wheelDead(const Looked& at, Found& out);
void batteryLow(const Looked& at, Found& out);
void injectorAtLimit(const Looked& at, Found& out);
void knock(const Looked& at, Found& out);
void underboost(const Looked& at, Found& out);
void overboost(const Looked& at, Found& out);
void throttleCloses(const Looked& at, Found& out);
void leanUnderLoad(const Looked& at, Found& out);
void richUnderLoad(const Looked& at, Found& out);
void idleOff(const Looked& at, Found& out);
void hardStart(const Looked& at, Found& out);
void trimAtStop(const Looked& at, Found& out);
void limpMode(const Looked& at, Found& out);
void limitHit(const Looked& at, Found& out);
void axisMismatch(const Looked& at, Found& out);
void gaps(const Looked& at, Found& out);
void widebandSlow(const Looked& at, Found& out);
void widebandCold(const Looked& at, Found& out);
void widebandScale(const Looked& at, Found& out);
void widebandLeak(const Looked& at, Found& out);
void exhaustLeak(const Looked& at, Found& out);
void widebandLatePipe(const Looked& at, Found& out);
void narrowbandDead(const Looked& at, Found& out);
void narrowbandSlow(const Looked& at, Found& out);
void banksCrossed(const Looked& at, Found& out);
void pressureDead(const Looked& at, Found& out);
void pressureScale(const Looked& at, Found& out);
void meterDead(const Looked& at, Found& out);
void meterDisagrees(const Looked& at, Found& out);
void intakeLeak(const Looked& at, Found& out);
void boostLeak(const Looked& at, Found& out);
void throttleOffset(const Looked& at, Found& out);
void pedalDead(const Looked& at, Found& out);
void intakeStuck(const Looked& at, Found& out);
void heatSoak(const Looked& at, Found& out);
void speedScale(const Looked& at, Found& out);
void clutchSlips(const Looked& at, Found& out);
void fuelPressureFalls(const Looked& at, Found& out);
void regulator(const Looked& at, Found& out);
void oneCylinder(const Looked& at, Found& out);
void misfire(const Looked& at, Found& out);
void knockDeaf(const Looked& at, Found& out);
void knockFalse(const Looked& at, Found& out);
void octaneLow(const Looked& at, Found& out);
void wastegateStuckOpen(const Looked& at, Found& out);
void wastegateStuckShut(const Looked& at, Found& out);
void fuelChanged(const Looked& at, Found& out);
void purgeSuspected(const Looked& at, Found& out);
void leanTipIn(const Looked& at, Found& out);
void richTipIn(const Looked& at, Found& out);
void idleHunts(const Looked& at, Found& out);
void wrongRound(const Looked& at, Found& out);
void trimsKept(const Looked& at, Found& out);
void fuelPath(const Looked& at, Found& out);
void widebandAfterCatalyst(const Looked& at, Found& out);

/// Events of a kind over all drives, each with its drive.
struct Of {
    const FoundEvent* event;
    size_t drive;
    Stretch where() const { return {drive, event->from_s, event->to_s}; }
};
std::vector<Of> eventsOfKind(const Looked& at, roles::Event kind);
/// The number of a value parameter of the bytes that were in the car; nothing where they are not known.
std::optional<double> parameterOf(const Looked& at, roles::Role role);
/// What the wideband reads beyond 1 while the loop holds it, over one over the airflow (h/kg), and how far that
/// reached.
struct ByFlow {
    Line line;
    double least = 0, most = 0;
};
ByFlow widebandByFlow(const Looked& at);
/// Whether a compressor fills the engine: it has a boost target, or was over the weather.
bool isPressed(const Looked& at);
/// How much less the meter says than speed-density while air rises than while it falls, as a share.
double meterLateness(const Looked& at);
/// All of every drive.
std::vector<Stretch> wholeDrives(const Looked& at);
/// Where a column lies below a border, of every drive.
std::vector<Stretch> stretchesBelow(const Looked& at, roles::Role role, double border);
/// "3 of 5 pulls".
std::string countText(size_t some, size_t of, const char* what);

}  // namespace brusk::evidence::checks
