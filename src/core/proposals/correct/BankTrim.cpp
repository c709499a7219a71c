// Fuel of each bank: what the two loops trim apart, put into the banks' own trims; what they have in common stays.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/calibration/RoleUnits.h"
#include "core/evidence/Steady.h"
#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals::correct {

Result<Correction> bankTrim(const CorrectionInput& in) {
    constexpr size_t kFewest = 10;
    constexpr double kSensors = 0.003;  // of two narrowbands against each other
    constexpr double kAgain = 0.0001;   // of one drive against another
    Correction out;
    out.kind = &in.kind;
    const auto* parameter = in.calibration.definition().parameterWithRole("bank_trim");
    const auto trims = in.calibration.read(*parameter);
    if (!trims) return tl::unexpected(trims.error());
    if (trims->values.size() != 2) return fail(ErrorCode::Mismatch, "The banks' trims are not two numbers.");
    // A settled stretch of closed loop is one word of both banks.
    std::vector<double> apart;
    for (const auto& row : evidence::steadyRows(in.drives)) {
        if (!row.closed || row.nearStop()) continue;
        const double ln = std::log(row.trim2() / row.trim());
        if (!std::isfinite(ln)) continue;
        apart.push_back(ln);
        out.points.push_back({say("correct.bank-point", "{0} rpm, {1} kPa",
                                  {formatNumber(row.speed_rpm, 0), formatNumber(row.pressure_kPa, 0)}),
                              ln * 100, 0, evidence::Moment{static_cast<uint32_t>(row.drive), row.from_s, row.to_s},
                              row.airflow_kgh});
    }
    if (apart.size() < kFewest) {
        out.line = "for settled driving with both loops closed";
        out.points.clear();
        return out;
    }
    double mean = 0, squares = 0;
    const auto n = static_cast<double>(apart.size());
    for (const double one : apart)
        mean += one / n;
    for (const double one : apart)
        squares += (one - mean) * (one - mean);
    const double random = std::hypot(std::sqrt(squares / (n - 1) / n), kAgain);
    const double doubt = std::hypot(random, kSensors), strength = in.setting("strength") / 100;
    out.pointsUnit = "%", out.pointsAlong = "airflow, kg/h";
    for (SeenPoint& point : out.points)
        point.expected = point.now - strength * mean * 100;
    const auto units = calibration::roleUnits(in.calibration, *parameter);
    if (!units) return tl::unexpected(units.error());
    const auto stored = [&](double share) { return units->value.back((share - 1) * 100); };
    const auto shareOf = [&](const calibration::Table& table, size_t bank) {
        return 1 + units->value(table.values[bank]) / 100;
    };
    const double first = shareOf(*trims, 0), second = shareOf(*trims, 1);
    const double each = std::exp(strength * mean / 2);
    calibration::Edit edit;
    auto change = setTable(in.calibration, *parameter, {stored(first / each), stored(second * each)}, edit,
                           "Fuel of each bank from evidence");
    if (!change) return tl::unexpected(change.error());
    const auto apartBy = [&](const calibration::Table& table) {
        return std::log(shareOf(table, 1) / shareOf(table, 0));
    };
    // In whole counts.
    const double left = std::abs(mean - (apartBy(change->after) - apartBy(change->before)));
    const bool changes = change->changes();
    if (changes) out.values.push_back(std::move(*change)), out.edits.push_back(std::move(edit));
    // The sensors' own difference stays the same on the next drive: it is in no promise.
    out.estimates.push_back({"banks apart", "%", mean * 100, random * 100});
    out.promise = in.promise(std::abs(mean) * 100, std::hypot(left, random) * 100, random * 100, random * 100);
    out.formula = say("correct.bank-formula",
                      "(1 + t2)/(1 + t1) new = old \u00d7 (1 + short2)(1 + long2) / [(1 + short1)(1 + long1)] = old "
                      "\u00d7 {0}; the product of both stays",
                      {formatNumber(std::exp(mean), 4)});
    out.reason = say("correct.bank",
                     "Over {0} settled stretches the second bank asks for {1} % more fuel than the first, \u00b1 {2}.",
                     {std::to_string(apart.size()), formatNumber(mean * 100, 2), formatNumber(doubt * 100, 2)});
    judge(out, std::abs(mean) > 2.33 * random, doubt < 0.01);
    out.line = out.standing == Standing::Worth
                   ? say("correct.bank-line", "{0} % apart", {formatNumber(std::abs(mean) * 100, 1)})
               : out.standing == Standing::Right
                   ? say("correct.bank-right", "{0} \u00b1 {1} % apart",
                         {formatNumber(std::abs(mean) * 100, 1), formatNumber(doubt * 100, 1)})
                   : std::string("for more settled driving with both loops closed");
    return out;
}

}  // namespace brusk::proposals::correct
