// The finders of all kinds of event, one source each.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/evidence/Events.h"
#include "core/evidence/Spans.h"

namespace brusk::evidence::events {

using Found = std::vector<FoundEvent>;

void starts(const Sampled& drive, Found& out);
void idles(const Sampled& drive, Found& out);
void idleLoads(const Sampled& drive, Found& out);
void cruises(const Sampled& drive, Found& out);
void pulls(const Sampled& drive, Found& out);
void tipIns(const Sampled& drive, Found& out);
void tipOuts(const Sampled& drive, Found& out);
void overruns(const Sampled& drive, Found& out);
void gears(const Sampled& drive, Found& out);
void clutches(const Sampled& drive, Found& out);
void limits(const Sampled& drive, Found& out);
void limps(const Sampled& drive, Found& out);
void throttleCloses(const Sampled& drive, Found& out);
void knocks(const Sampled& drive, Found& out);
void codes(const Sampled& drive, Found& out);
void gaps(const Sampled& drive, Found& out);
void marks(const Sampled& drive, Found& out);
void guards(const Sampled& drive, Found& out);
void refuels(const Sampled& drive, Found& out);
void keyOffs(const Sampled& drive, Found& out);
void adaptationResets(const Sampled& drive, Found& out);

// What several of them ask.
constexpr double kRuns_rpm = 400;
/// The pedal counts as down beyond this, or nine tenths of what it ever reached where it reached less.
double fullPedal_pct(Column pedal);
/// Stretches in one gear with the clutch shut: engine over road speed hardly changes.
struct InGear {
    Span span;
    double ratio = 0;  ///< rpm per km/h
};
std::vector<InGear> inOneGear(const Sampled& drive);
/// Where the foot moves by more than 10 % at more than 100 % a second, in one direction; the sample at its begin.
std::vector<Span> pedalSteps(const Sampled& drive, int direction);
/// Lean and rich areas after a moment, lambda seconds: what the wideband says against what was asked.
void addMixtureAreas(const Sampled& drive, double from_s, double to_s, FoundEvent& event);

}  // namespace brusk::evidence::events
