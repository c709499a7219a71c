// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/BaseCalibration.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/units/Units.h"

namespace brusk::proposals {
namespace {

using calibration::Calibration;

/// Fills in before, after and the edit for new physical values of one parameter.
Result<Proposal> propose(const Calibration& calibration, const char* role, const char* cause,
                         const std::vector<double>& wanted) {
    const auto* parameter = calibration.definition().parameterWithRole(role);
    if (!parameter)
        return fail(ErrorCode::NotFound,
                    std::string(cause) + ": the definition has no parameter with the role \"" + role + "\".");
    const auto table = calibration.read(*parameter);
    if (!table) return tl::unexpected(table.error());
    if (table->values.size() != wanted.size())
        return fail(ErrorCode::Mismatch, parameter->title() + " has " + std::to_string(table->values.size()) +
                                             " cells, " + std::to_string(wanted.size()) + " were computed.");
    Proposal out;
    out.cause = cause;
    out.parameter = parameter->name;
    out.label = parameter->title();
    out.unit = table->unit;
    out.decimals = table->decimals;
    out.before = table->values;
    out.x = table->x.values;
    out.xLabel = table->x.label + (table->x.unit.empty() ? "" : " " + table->x.unit);
    std::vector<calibration::CellValue> cells;
    for (size_t i = 0; i < wanted.size(); ++i)
        cells.push_back({i, wanted[i]});
    auto edit = calibration.prepare(*parameter, cells, calibration::AtLimit::Refuse, parameter->title());
    if (!edit) return tl::unexpected(edit.error());
    out.edit = std::move(*edit);
    Calibration after = calibration;
    if (auto done = after.apply(out.edit); !done) return tl::unexpected(done.error());
    const auto stored = after.read(*parameter);
    if (!stored) return tl::unexpected(stored.error());
    out.after = stored->values;
    return out;
}

double deadTimeAt(const std::vector<DeadTimePoint>& table, double volts) {
    if (volts <= table.front().volts || table.size() == 1) {
        // Below the table the last slope goes on: dead times rise fastest there.
        if (table.size() == 1) return table.front().time_us;
        const double slope = (table[1].time_us - table[0].time_us) / (table[1].volts - table[0].volts);
        return table[0].time_us + slope * (volts - table[0].volts);
    }
    for (size_t i = 1; i < table.size(); ++i)
        if (volts <= table[i].volts) {
            const double share = (volts - table[i - 1].volts) / (table[i].volts - table[i - 1].volts);
            return table[i - 1].time_us + share * (table[i].time_us - table[i - 1].time_us);
        }
    return table.back().time_us;
}

/// The least pulse that gives the fuel it gave at the old flow, and the formula; nothing when the definition has none.
std::optional<std::pair<double, std::string>> leastPulse(const Calibration& calibration, double newFlow) {
    const auto* pulse = calibration.definition().parameterWithRole("injector_least_pulse");
    const auto* flow = calibration.definition().parameterWithRole("injector_flow");
    if (!pulse || !flow) return std::nullopt;
    const auto old = calibration.value(pulse->name);
    const auto oldFlow = calibration.value(flow->name);
    if (!old || !oldFlow) return std::nullopt;
    const double least = *old * *oldFlow / newFlow;
    return std::pair{least, formatNumber(*old, 0) + " us x " + formatNumber(*oldFlow, 0) + " / " +
                                formatNumber(newFlow, 0) + " = " + formatNumber(least, 0) + " us"};
}

Done checkSheet(const BuildSheet& sheet) {
    if (sheet.injectorFlow_cm3min &&
        (*sheet.injectorFlow_cm3min <= 0 || sheet.injectorRatedPressure_kPa <= 0 || sheet.fuelPressure_kPa <= 0))
        return fail(ErrorCode::OutOfRange, "Injector flow and fuel pressures must be above nothing.");
    for (size_t i = 1; i < sheet.deadTimes.size(); ++i)
        if (sheet.deadTimes[i].volts <= sheet.deadTimes[i - 1].volts)
            return fail(ErrorCode::BadInput, "The dead-time table must rise in voltage.");
    if (sheet.pressureSensor && sheet.pressureSensor->highVolts <= sheet.pressureSensor->lowVolts)
        return fail(ErrorCode::BadInput,
                    "The pressure sensor's second point must lie at a higher voltage than its first.");
    if (sheet.ethanol_pct && (*sheet.ethanol_pct < 0 || *sheet.ethanol_pct > 100))
        return fail(ErrorCode::OutOfRange, "Ethanol is 0 to 100 % of the fuel.");
    return {};
}

}  // namespace

Result<std::vector<Proposal>> baseProposals(const Calibration& calibration, const BuildSheet& sheet) {
    if (auto done = checkSheet(sheet); !done) return tl::unexpected(done.error());
    std::vector<Proposal> out;
    const auto add = [&](Result<Proposal> proposal, std::string reason, std::string formula) -> Done {
        if (!proposal) return tl::unexpected(proposal.error());
        proposal->reason = std::move(reason);
        proposal->formula = std::move(formula);
        out.push_back(std::move(*proposal));
        return {};
    };
    if (sheet.injectorFlow_cm3min) {
        const double flow =
            *sheet.injectorFlow_cm3min * std::sqrt(sheet.fuelPressure_kPa / sheet.injectorRatedPressure_kPa);
        auto done =
            add(propose(calibration, "injector_flow", "Injectors", {flow}),
                "Larger injectors give more fuel in the same time, so the pulse must be shorter by the ratio of their "
                "flows.",
                "flow = " + formatNumber(*sheet.injectorFlow_cm3min, 0) + " x sqrt(" +
                    formatNumber(sheet.fuelPressure_kPa, 0) + " / " + formatNumber(sheet.injectorRatedPressure_kPa, 0) +
                    ") = " + formatNumber(flow, 1) + " cm3/min");
        if (!done) return tl::unexpected(done.error());
        if (auto least = leastPulse(calibration, flow); least) {
            done = add(propose(calibration, "injector_least_pulse", "Injectors", {least->first}),
                       "The shortest pulse keeps the fuel it gave before; left as it is, the larger injectors would "
                       "run rich on a closed throttle.",
                       least->second);
            if (!done) return tl::unexpected(done.error());
        }
    }
    if (!sheet.deadTimes.empty()) {
        const auto* parameter = calibration.definition().parameterWithRole("injector_dead_time");
        if (!parameter) return fail(ErrorCode::NotFound, "Injectors: the definition has no dead-time curve.");
        const auto table = calibration.read(*parameter);
        if (!table) return tl::unexpected(table.error());
        std::vector<double> wanted;
        for (const double volts : table->x.values)
            wanted.push_back(deadTimeAt(sheet.deadTimes, volts));
        auto done = add(propose(calibration, "injector_dead_time", "Injectors", wanted),
                        "An injector needs a while to open, longer when the battery is low. Wrong dead times show most "
                        "at idle, where the pulse is short.",
                        "the maker's table, linear between its points");
        if (!done) return tl::unexpected(done.error());
    }
    if (sheet.pressureSensor) {
        const SensorPoints& s = *sheet.pressureSensor;
        const double slope = (s.highPressure_kPa - s.lowPressure_kPa) / (s.highVolts - s.lowVolts);
        const double offset = s.lowPressure_kPa - slope * s.lowVolts;
        auto done = add(propose(calibration, "map_sensor_slope", "Pressure sensor", {slope}),
                        "The fitted sensor reaches a higher pressure at the same voltage; read with the old line it "
                        "would report too little air.",
                        "slope = (" + formatNumber(s.highPressure_kPa, 0) + " - " + formatNumber(s.lowPressure_kPa, 0) +
                            ") kPa / (" + formatNumber(s.highVolts, 2) + " - " + formatNumber(s.lowVolts, 2) +
                            ") V = " + formatNumber(slope, 2) + " kPa/V");
        if (!done) return tl::unexpected(done.error());
        done = add(propose(calibration, "map_sensor_offset", "Pressure sensor", {offset}),
                   "The same line, where it meets zero volts.",
                   "offset = " + formatNumber(s.lowPressure_kPa, 0) + " kPa - " + formatNumber(slope, 2) + " kPa/V x " +
                       formatNumber(s.lowVolts, 2) + " V = " + formatNumber(offset, 2) + " kPa");
        if (!done) return tl::unexpected(done.error());
    }
    if (sheet.ethanol_pct) {
        const double ratio = units::stoichiometricRatio(*sheet.ethanol_pct / 100);
        auto done = add(propose(calibration, "stoichiometric_ratio", "Fuel", {ratio}),
                        "Ethanol brings oxygen of its own, so the blend needs less air for each gram, that is more "
                        "fuel for the same air.",
                        "mass-weighted: petrol 14.7 at 0.745 kg/l, ethanol 9.0 at 0.789 kg/l, " +
                            formatNumber(*sheet.ethanol_pct, 0) + " % by volume = " + formatNumber(ratio, 2));
        if (!done) return tl::unexpected(done.error());
    }
    return out;
}

}  // namespace brusk::proposals
