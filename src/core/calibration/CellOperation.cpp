// What somebody types over cells, understood once.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/calibration/Calibration.h"

namespace brusk::calibration {

double CellOperation::apply(double value) const {
    switch (kind) {
        case Kind::Set:
            return amount;
        case Kind::Add:
            return value + amount;
        case Kind::Scale:
            return value * amount;
    }
    return value;
}

std::string CellOperation::describe() const {
    const auto number = [](double v) {
        std::string text = formatNumber(v, 4);
        text.erase(text.find_last_not_of('0') + 1);
        if (text.back() == '.') text.pop_back();
        return text;
    };
    switch (kind) {
        case Kind::Set:
            return "set to " + number(amount);
        case Kind::Add:
            return "add " + number(amount);
        case Kind::Scale:
            return "scale by " + number(amount);
    }
    return {};
}

std::optional<CellOperation> parseOperation(std::string_view text) {
    std::string cleaned(trimmed(text));
    std::replace(cleaned.begin(), cleaned.end(), ',', '.');
    if (cleaned.empty()) return std::nullopt;
    CellOperation::Kind kind = CellOperation::Kind::Set;
    std::string_view rest = cleaned;
    const bool percent = rest.back() == '%';
    if (percent) rest.remove_suffix(1);
    if (rest.empty()) return std::nullopt;
    if (percent) {
        kind = CellOperation::Kind::Scale;
    } else if (rest[0] == '+') {
        kind = CellOperation::Kind::Add;
        rest.remove_prefix(1);
    } else if (rest[0] == 'x' || rest[0] == 'X' || rest[0] == '*') {
        kind = CellOperation::Kind::Scale;
        rest.remove_prefix(1);
    }
    rest = trimmed(rest);
    // parseNumber() takes a leading plus; behind an operator it would hide a slip of the finger.
    if (kind != CellOperation::Kind::Set && !percent && rest.starts_with('+')) return std::nullopt;
    const auto amount = parseNumber(rest);
    if (!amount || !std::isfinite(*amount)) return std::nullopt;
    return CellOperation{kind, percent ? 1 + *amount / 100 : *amount};
}

std::vector<CellValue> operate(const Table& table, const std::vector<size_t>& cells, const CellOperation& operation,
                               const units::Shown& shown) {
    std::vector<CellValue> out;
    out.reserve(cells.size());
    for (const size_t i : cells)
        if (i < table.values.size()) out.push_back({i, shown.back(operation.apply(shown(table.values[i])))});
    return out;
}

}  // namespace brusk::calibration
