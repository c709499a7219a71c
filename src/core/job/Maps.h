// What the work on maps needs beyond one calibration: donors, evidence in the cells of any map, a definition of the
// car's own.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <set>

#include "core/calibration/Calibration.h"
#include "core/carfolder/CarFolder.h"
#include "core/evidence/Cells.h"
#include "core/evidence/Drives.h"
#include "core/job/Garage.h"
#include "core/recording/Recording.h"

namespace brusk::job {

/// A definition with the files it includes, which are looked for beside it.
[[nodiscard]] Result<definition::A2lContents> readDefinition(storage::FileSystem& files, const storage::Path& path);

/// What recordings say of the cells of a table.
struct CellEvidence {
    std::vector<evidence::CellStat> cells;  ///< row by row; empty when the table's inputs were not recorded
    std::vector<uint32_t> visits;           ///< per cell
    std::string watched;                    ///< "fuel off", "knock retard"; empty: samples were only counted
    std::string unit;                       ///< of the watched quantity
    double wide = 0;                        ///< a spread of it that says nothing any more
};
/// The samples nearest to each cell. In fuelling maps these are the settled ones and what the fuel was off by, in spark
/// maps the knock retard, in boost maps the boost that was missing; in others they are counted.
CellEvidence evidenceOf(const evidence::Drives& drives, const definition::Definition& definition,
                        const calibration::Table& table);

/// The kit with the folder's own definition, if it keeps one; the kit as it is otherwise.
[[nodiscard]] Result<std::shared_ptr<const Kit>> withOwnDefinition(std::shared_ptr<const Kit> kit,
                                                                   carfolder::CarFolder& folder);
/// Keeps a definition's text in the folder's "definitions", beside a copy of the one it came from and under a name of
/// its own: nothing is ever written over. The folder uses it from now on. Gives the kit with it.
[[nodiscard]] Result<std::shared_ptr<const Kit>> keepOwnDefinition(const std::shared_ptr<const Kit>& kit,
                                                                   carfolder::CarFolder& folder,
                                                                   const std::string& text);

}  // namespace brusk::job
