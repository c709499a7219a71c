// Flow, dead time and density of the calibration as fuel a pulse.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/PulseModel.h"

#include <algorithm>

#include "core/calibration/RoleUnits.h"

namespace brusk::evidence {

double PulseModel::dead(double battery) const {
    if (battery_V.size() < 2) return dead_us.empty() ? 0 : dead_us[0];
    const auto above = std::lower_bound(battery_V.begin() + 1, battery_V.end() - 1, battery);
    const auto i = static_cast<size_t>(above - battery_V.begin());
    const double u = std::clamp((battery - battery_V[i - 1]) / (battery_V[i] - battery_V[i - 1]), 0.0, 1.0);
    return dead_us[i - 1] + u * (dead_us[i] - dead_us[i - 1]);
}

double PulseModel::fuel_mg(double pulse_us, double battery) const {
    return std::max(0.0, pulse_us - dead(battery)) * flow_mgus;
}

std::optional<PulseModel> pulseModel(const calibration::Calibration& calibration) {
    const auto value = [&](roles::Role role) -> std::optional<double> {
        const auto table = calibration::readRole(calibration, role);
        return table && table->values.size() == 1 ? std::optional(table->values[0]) : std::nullopt;
    };
    const auto flow = value("injector_flow"), density = value("fuel_density"), ratio = value("stoichiometric_ratio");
    const auto dead = calibration::readRole(calibration, "injector_dead_time");
    if (!flow || !density || !ratio || !dead || dead->values.empty() || *flow <= 0 || *density <= 0)
        return std::nullopt;
    PulseModel out;
    out.flow_mgus = *flow * *density * 1000 / 60e6;
    out.battery_V = dead->x.values, out.dead_us = dead->values;
    if (out.battery_V.size() != out.dead_us.size()) out.battery_V.clear();
    out.stoichiometric = *ratio;
    out.leastPulse_us = value("injector_least_pulse").value_or(0);
    out.dutyLimit_pct = value("duty_limit").value_or(100);
    return out;
}

}  // namespace brusk::evidence
