// A car as anybody can ask it, whatever its controller is: by the requests that every car answers.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "core/link/Obd.h"

namespace brusk::job {

struct ObdCar {
    std::vector<link::ObdController> controllers;
    link::ObdVehicle vehicle;  ///< of the first controller
    std::vector<link::ObdValue> values;
    std::vector<link::ObdCode> codes;
    std::optional<link::Obd::Frozen> frozen;
};

/// Vehicle, all live values, codes, freeze frame. `goOn` is asked between requests; Cancelled when it says no.
[[nodiscard]] Result<ObdCar> askAnyCar(link::CanPort& port, bool clearFirst, const std::function<bool()>& goOn);

}  // namespace brusk::job
