// Cells as text of tabs and line ends, with or without breakpoints, and back.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Tabbed.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"

namespace brusk::calibration {
namespace {

constexpr size_t kMostFields = size_t{1} << 20;

std::string written(double value, int decimals, char decimalSign) {
    std::string text = formatNumber(value, decimals);
    std::replace(text.begin(), text.end(), '.', decimalSign);
    return text;
}

std::vector<std::string_view> split(std::string_view text, char at) {
    std::vector<std::string_view> out;
    while (true) {
        const size_t found = text.find(at);
        out.push_back(text.substr(0, found));
        if (found == std::string_view::npos) return out;
        text.remove_prefix(found + 1);
    }
}

/// One field: NaN when empty, nothing when it is no number.
std::optional<double> numberIn(std::string_view field, char decimalSign) {
    std::string text;
    for (const char c : trimmed(field))
        if (c != ' ' && c != '\'' && c != '"') text += c;
    if (text.empty()) return std::nan("");
    const auto commas = std::count(text.begin(), text.end(), ','), dots = std::count(text.begin(), text.end(), '.');
    // With both signs the last is the decimal one; with one of them it is, too, as no table groups its digits alone.
    const char sign = commas && dots ? (text.rfind(',') > text.rfind('.') ? ',' : '.') : commas ? ',' : decimalSign;
    const char grouping = sign == ',' ? '.' : ',';
    if (commas && dots) std::erase(text, grouping);
    std::replace(text.begin(), text.end(), ',', '.');
    return parseNumber(text);
}

}  // namespace

std::string toTabbed(const Table& t, const CellRange& range, bool withBreakpoints, char decimalSign) {
    std::string out;
    const bool rows = withBreakpoints && !t.y.values.empty();
    if (withBreakpoints && !t.x.values.empty()) {
        for (size_t c = range.left; c <= range.right; ++c) {
            if (c > range.left || rows) out += '\t';
            out += written(t.x.values[c], t.x.decimals, decimalSign);
        }
        out += '\n';
    }
    for (size_t r = range.top; r <= range.bottom; ++r) {
        if (rows) out += written(t.y.values[r], t.y.decimals, decimalSign) + '\t';
        for (size_t c = range.left; c <= range.right; ++c)
            out += (c > range.left ? "\t" : "") + written(t.at(r, c), t.decimals, decimalSign);
        out += '\n';
    }
    return out;
}

Result<TabbedNumbers> fromTabbed(std::string_view text, char decimalSign) {
    TabbedNumbers out;
    std::vector<std::vector<double>> rows;
    size_t fields = 0, line = 0;
    bool corner = false;
    for (std::string_view row : split(text, '\n')) {
        ++line;
        if (row.ends_with('\r')) row.remove_suffix(1);
        if (trimmed(row).empty()) continue;
        rows.emplace_back();
        for (const std::string_view field : split(row, '\t')) {
            const auto number = numberIn(field, decimalSign);
            if (!number)
                return fail(ErrorCode::BadInput, "Row " + std::to_string(line) + ", column " +
                                                     std::to_string(rows.back().size() + 1) + ": \"" +
                                                     std::string(field.substr(0, 40)) + "\" is not a number.");
            rows.back().push_back(*number);
            if (++fields > kMostFields) return fail(ErrorCode::OutOfRange, "That is more than a million fields.");
        }
        if (rows.size() == 1) corner = rows[0].size() > 1 && std::isnan(rows[0][0]);
    }
    if (rows.empty()) return fail(ErrorCode::BadInput, "There are no numbers to paste.");
    const size_t width = std::max_element(rows.begin(), rows.end(), [](const auto& a, const auto& b) {
                             return a.size() < b.size();
                         })->size();
    if (corner) {
        out.x.assign(rows[0].begin() + 1, rows[0].end());
        rows.erase(rows.begin());
        for (auto& row : rows) {
            out.y.push_back(row[0]);
            row.erase(row.begin());
        }
    }
    out.rows = rows.size();
    out.columns = corner ? width - 1 : width;
    for (auto& row : rows) {
        row.resize(out.columns, std::nan(""));
        out.values.insert(out.values.end(), row.begin(), row.end());
    }
    return out;
}

}  // namespace brusk::calibration
