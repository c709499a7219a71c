// All checks, one source each, and what several of them ask.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/evidence/Finding.h"
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

/// Events of a kind over all drives, each with its drive.
struct Of {
    const FoundEvent* event;
    size_t drive;
    Stretch where() const { return {drive, event->from_s, event->to_s}; }
};
std::vector<Of> eventsOfKind(const Looked& at, roles::Event kind);
/// The number of a value parameter of the bytes that were in the car; nothing where they are not known.
std::optional<double> parameterOf(const Looked& at, roles::Role role);
/// The middle one of some numbers; NaN of none.
double medianOf(std::vector<double> numbers);
/// "3 of 5 pulls".
std::string countText(size_t some, size_t of, const char* what);

}  // namespace brusk::evidence::checks
