// Torque from the road, held against the plant's over drawn cars.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <string>

#include "core/base/Result.h"

namespace brusk::ctl {

struct TorqueOrders {
    int cars = 100;
    uint64_t seed = 1;
};

/// Root mean square of the error over pulls, in per cent of the greatest torque, and how often the band held.
struct TorqueProof {
    struct Way {
        std::string what;
        size_t pulls = 0;
        double error_pct = 0;
        double peak_pct = 0;  ///< of the greatest torque
        double mean_pct = 0;
        double inBand_pct = 0;  ///< of the points
        double band_pct = 0;    ///< half its width, mean
    };
    Way graded, coasted;
    size_t changes = 0;
    double change_pct = 0;  ///< root mean square of the change between two rounds, told less true
};
[[nodiscard]] Result<TorqueProof> proveTorque(const std::string& dataFolder, const TorqueOrders& orders,
                                              const std::function<void(const std::string&)>& progress);
std::string tableOf(const TorqueProof& proof);

}  // namespace brusk::ctl
