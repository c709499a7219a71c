// The report as plain text: columns as wide as they need.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Report.h"

#include <algorithm>

#include "core/base/Say.h"
#include "core/base/Text.h"

namespace brusk::deliver {
namespace {

std::string textOf(const ReportCell& cell) {
    if (const auto* words = std::get_if<std::string>(&cell)) return *words;
    return deliver::textOf(std::get<Quantity>(cell));
}

/// Letters, not bytes, of a UTF-8 text.
size_t lengthOf(const std::string& text) {
    return static_cast<size_t>(
        std::count_if(text.begin(), text.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}

std::string padded(std::string text, size_t width) {
    const size_t length = lengthOf(text);
    if (length < width) text.append(width - length, ' ');
    return text;
}

std::string textOf(const ReportTable& table) {
    std::vector<std::vector<std::string>> rows(1);
    for (const auto& column : table.columns)
        rows[0].push_back(column.title + (column.unit.empty() ? "" : ", " + column.unit));
    for (const auto& row : table.rows) {
        auto& out = rows.emplace_back();
        for (const ReportCell& cell : row)
            out.push_back(textOf(cell));
    }
    std::vector<size_t> widths(table.columns.size(), 0);
    for (const auto& row : rows)
        for (size_t i = 0; i < row.size() && i < widths.size(); ++i)
            widths[i] = std::max(widths[i], lengthOf(row[i]));
    std::string out = table.title.empty() ? "" : table.title + "\n";
    for (const auto& row : rows) {
        std::string line;
        for (size_t i = 0; i < row.size(); ++i)
            line += (i ? "  " : "") + (i + 1 < row.size() ? padded(row[i], widths[i]) : row[i]);
        out += line + "\n";
    }
    return out;
}

std::string textOf(const ReportMaps& maps) {
    std::string out = maps.title + ", " + maps.unit + "\n";
    for (const auto& map : maps.maps) {
        const auto seen =
            std::count_if(map.values.begin(), map.values.end(), [](const auto& v) { return v.has_value(); });
        out += say("report.map-seen", "{0}: {1} of {2} cells were driven\n",
                   {map.title, std::to_string(seen), std::to_string(map.values.size())});
    }
    return out;
}

std::string textOf(const std::string& paragraph) {
    return paragraph + "\n";
}

}  // namespace

std::string textOf(const Quantity& quantity) {
    return quantity.value ? formatNumber(*quantity.value, quantity.decimals)
                          : say("report.not-measured", "not measured");
}

std::string textOf(const Report& report) {
    std::string out = report.title + "\n" + report.subtitle + "\n";
    for (const auto& section : report.sections) {
        out += "\n" + section.title + "\n";
        for (const auto& block : section.blocks)
            out += std::visit([](const auto& one) { return textOf(one); }, block);
    }
    return out;
}

}  // namespace brusk::deliver
