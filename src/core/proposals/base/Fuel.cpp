// Fuel and injectors.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/base/Draft.h"
#include "core/units/Units.h"

namespace brusk::proposals {
namespace {

void stoichiometricRatio(Draft& d) {
    const double ethanol = d.fitted(Fact::Ethanol) / 100;
    const double ratio = d.choose(units::stoichiometricRatio(ethanol), "");
    d.set("stoichiometric_ratio", ratio);
    const double density = blend_gcm3(ethanol);
    if (d.plays("fuel_density")) d.set("fuel_density", density);
    d.reason =
        "Ethanol brings oxygen of its own, so the blend needs less air for each gram: more fuel for the same air. It "
        "is a little denser too.";
    d.formula = "petrol 14.7 at 0.745 kg/l, ethanol 9.0 at 0.789 kg/l, by mass, " + text(ethanol * 100) +
                " % ethanol by volume = " + text(units::stoichiometricRatio(ethanol), 2) + "; density " +
                text(density, 3) + " g/cm3";
    d.check = "fuel trims at idle and at a steady speed: the same share everywhere points at the fuel";
}

void injectorFlow(Draft& d) {
    const double rated = d.fitted(Fact::InjectorFlow), ratedAt = d.fitted(Fact::InjectorPressure);
    const double pressure = d.present(Fact::FuelPressure);
    const double flow = rated * std::sqrt(pressure / ratedAt);
    d.set("injector_flow", d.choose(flow, "cm3/min"));
    d.reason = "The injectors give another amount in the same time; the pulse must change by the ratio of their flows.";
    d.formula = "flow = rated x sqrt(fuel pressure / rated at) = " + text(rated) + " cm3/min x sqrt(" + text(pressure) +
                " kPa / " + text(ratedAt) + " kPa) = " + text(flow, 1) + " cm3/min";
    d.check = "fuel trims: off by the same share everywhere means the flow";
}

/// Only one dead time is known: the shape over the voltage is that of the injectors before.
void scaledDeadTimes(Draft& d, const DeadTimePoint& known) {
    const auto curve = d.table("injector_dead_time");
    const double was = curve.values.empty() ? 0 : calibration::surfaceAt(curve, known.volts, 0);
    if (!(was > 0)) {
        d.lack("a second dead time of the fitted injectors");
        return;
    }
    const double factor = d.choose(known.time_us / was, "times");
    d.each("injector_dead_time", [&](double, double, double time_us) { return time_us * factor; });
    d.formula = "every dead time x " + text(known.time_us) + " us / " + text(was) + " us at " + text(known.volts, 1) +
                " V = x " + text(known.time_us / was, 3);
    d.remark(
        "Of the fitted ones a single dead time is known, so the shape over the voltage stays that of the injectors "
        "before.");
}

void deadTimes(Draft& d) {
    if (d.sheet.deadTimes.empty()) d.lack("the dead times of the fitted injectors");
    d.reason =
        "An injector needs a while to open, longer when the battery is low. Wrong dead times show most at idle, where "
        "the pulse is short.";
    if (d.sheet.deadTimes.size() == 1) {
        scaledDeadTimes(d, d.sheet.deadTimes.front());
    } else {
        // Dead times rise fastest at low voltage: beyond the table its slope goes on.
        d.each("injector_dead_time", [&](double volts, double, double) {
            return alongTable(d.sheet.deadTimes, &DeadTimePoint::volts, &DeadTimePoint::time_us, volts);
        });
        d.formula = "the maker's table of " + std::to_string(d.sheet.deadTimes.size()) +
                    " points, linear between them, its last slope beyond";
    }
    d.check = "fuel trims at idle against those at speed; idle with lamps and blower on";
}

void leastPulse(Draft& d) {
    if (!d.has(Fact::InjectorFlow)) return;  // said by the flow itself
    const double was = d.originalValue("injector_flow"), is = d.value("injector_flow");
    const double old = d.originalValue("injector_least_pulse");
    const double least = old * was / is;
    d.set("injector_least_pulse", d.choose(least, "us"));
    d.reason =
        "The shortest pulse keeps the fuel it gave before; left as it is, larger injectors would run rich on a closed "
        "throttle.";
    d.formula =
        "least pulse = " + text(old) + " us x " + text(was) + " / " + text(is) + " cm3/min = " + text(least) + " us";
    d.check = "lambda while rolling to a stop with the throttle closed";
}

constexpr Rule kRules[] = {
    {"stoichiometric_ratio", "Fuel", "Stoichiometric ratio", stoichiometricRatio, false},
    {"injector_flow", "Injectors", "Injector flow", injectorFlow, false},
    {"injector_dead_time", "Injectors", "Dead times", deadTimes, false},
    {"injector_least_pulse", "Injectors", "Least pulse", leastPulse, false, "injector_flow", "injector_least_pulse"},
};

}  // namespace

std::span<const Rule> fuelRules() {
    return kRules;
}

}  // namespace brusk::proposals
