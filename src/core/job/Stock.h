// Taking stock: the controller is asked what its sectors hold, and the ledger learns what was found.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"

namespace brusk::job {

enum class StockScope {
    Unknown,    ///< sectors that a flash had begun and not finished
    Everything  ///< all sectors, also those the ledger is sure of
};

struct Stock {
    int looked = 0;   ///< sectors asked for
    int settled = 0;  ///< whose bytes are known now and were not before
    int changed = 0;  ///< that held something else than the ledger said
    std::string sentence;
};

/// Compares the controller's checksum of each sector with the rounds of the ledger, newest first; one that agrees is
/// read and compared byte by byte before it is believed. What agrees with none is not known.
[[nodiscard]] Result<Stock> takeStock(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder, StockScope scope);

}  // namespace brusk::job
