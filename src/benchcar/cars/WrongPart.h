// Calibrations that are right but for one part, by an amount: what each kind of correction has to find and put right.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <span>
#include <string_view>
#include <vector>

#include "benchcar/controller/ControllerMemory.h"
#include "core/base/Result.h"

namespace brusk::benchcar {

/// Changes every stored number of a parameter, one cell after another, held within what it can store. The checksums are
/// left as they were.
void rework(ControllerMemory& memory, const Item& item, const std::function<double(double physical)>& change);

/// One part of the calibration.
struct WrongPart {
    std::string_view id;  ///< of the kind of correction; with "-" and more where a kind has several parts
    std::string_view title;
    std::string_view unit;       ///< "%": a share of every number; else so much more of each
    double least = 0, most = 0;  ///< of the size of the amount that is drawn
    bool eitherWay = true;       ///< too much or too little
    std::vector<std::string_view> parameters;
};
const std::vector<WrongPart>& wrongParts();
/// Null when there is none.
const WrongPart* wrongPartNamed(std::string_view id);
/// The amount that a seed draws.
double drawnAmount(const WrongPart& part, uint64_t seed);
/// Puts it into the flash, checksums included.
void makeWrong(ControllerMemory& memory, const WrongPart& part, double amount);

}  // namespace brusk::benchcar
