// What findings claim, held against the plant: faults of three sizes in drawn cars, pairs of them, and healthy hours.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>

#include "core/evidence/Finding.h"
#include "core/job/Garage.h"
#include "ctl/FaultCases.h"

namespace brusk::ctl {

struct ProveOrders {
    std::string only;   ///< cases whose name contains it; empty: all
    int cars = 4;       ///< drawn for each size
    double hours = 60;  ///< healthy ones; nil: none
    bool pairs = true;
    uint64_t seed = 1;
};

/// One drive with a fault, and what was found in it.
struct Judged {
    std::string what;  ///< "heron, seed 3, town+hills, from 120 s": by which it can be driven again
    bool showed = false;
    bool found = false;                ///< an accepted check came first
    std::optional<double> after_s;     ///< of driving since the onset, until it was found first
    std::vector<std::string> serious;  ///< the checks of warn or above, in order
};

struct CaseProof {
    const FaultCase* of = nullptr;
    struct Size {
        double amount = 0;
        std::vector<Judged> drives;
    };
    std::vector<Size> sizes;
    size_t showed() const;
    size_t found() const;
};

struct PairProof {
    std::string what;
    bool first = false, second = false;  ///< each among what was found
    bool showed = false;                 ///< both did
};

/// How often what a check named was there.
struct Claims {
    size_t made = 0, right = 0;
    double claimed = 0;  ///< sum of the certainties
};

struct FindingsProof {
    std::vector<CaseProof> cases;
    std::vector<PairProof> pairs;
    double healthyHours = 0, baseHours = 0;
    std::vector<std::string> falseAlarms;  ///< each with the drive it came in
    std::map<std::string, int> ofBases;    ///< what healthy cars on an uncorrected base were said to lack, by check
    std::map<std::string, Claims> byCheck;
    std::map<int, Claims> byTenth;  ///< of the certainty: 9 is 0.9 to 1
};

[[nodiscard]] Result<FindingsProof> proveFindings(const std::string& dataFolder, const ProveOrders& orders,
                                                  const std::function<void(const std::string&)>& progress);
/// As the page docs/findings.md has it.
std::string tableOf(const FindingsProof& proof, const ProveOrders& orders);

}  // namespace brusk::ctl
