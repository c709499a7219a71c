// Parameter values as an ASAM CDF 2.0 file (Calibration Data Format, XML), in and out, by name and with units.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <deque>

#include "core/calibration/Calibration.h"

namespace brusk::calibration {

/// What a CDF file holds: tables without bytes, ready for transferTables(). Axes that lie in an instance of their own
/// are put into the tables that name them.
struct CdfContents {
    std::deque<definition::Parameter> parameters;  ///< name, kind and text of each instance; the tables point here
    std::vector<Table> tables;
    std::vector<definition::Diagnostic> diagnostics;  ///< instances that could not be used, by line
};

/// An error names the line when the XML is broken, or says that it is no CDF 2.0.
[[nodiscard]] Result<CdfContents> readCdf(const std::string& text);

/// The named parameters of a calibration. Those that can't be read (a cuboid, missing bytes) are listed in `leftOut`.
[[nodiscard]] Result<std::string> writeCdf(const Calibration& calibration, const std::vector<std::string>& names,
                                           std::vector<std::string>& leftOut);

}  // namespace brusk::calibration
