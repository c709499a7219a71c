// What was done to a car, as its owner reads it: a model, no drawing. Numbers stay numbers with their units; who draws
// it decides how they look.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace brusk::deliver {

/// A number in a table; without one it was not measured.
struct Quantity {
    std::optional<double> value;
    int decimals = 1;
};
/// A cell of a table: words, or a number in its column's unit.
using ReportCell = std::variant<std::string, Quantity>;

struct ReportTable {
    struct Column {
        std::string title;
        std::string unit = {};
    };
    std::string title;
    std::vector<Column> columns;
    std::vector<std::vector<ReportCell>> rows;  ///< each as long as `columns`
};

/// The same map at two times on one scale: what no drive has visited has no value.
struct ReportMaps {
    struct One {
        std::string title;
        std::vector<std::optional<double>> values;  ///< row by row
    };
    std::string title;
    std::string unit;
    std::string xTitle, xUnit, yTitle, yUnit;
    std::vector<double> x, y;  ///< breakpoints; values has y.size() rows of x.size()
    std::vector<One> maps;
    double scale = 0;  ///< colours run from -scale to scale, in `unit`
};

using ReportBlock = std::variant<std::string, ReportTable, ReportMaps>;

struct ReportSection {
    std::string title;
    std::vector<ReportBlock> blocks;
};

struct Report {
    std::string title;     ///< the car
    std::string subtitle;  ///< round and date
    std::vector<ReportSection> sections;
};

/// "12.3", or "not measured".
std::string textOf(const Quantity& quantity);
/// The whole of it as plain text, as a test and a terminal read it.
std::string textOf(const Report& report);

}  // namespace brusk::deliver
