// Spark for another fuel and for loads that the original never saw.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/proposals/base/Draft.h"

namespace brusk::proposals {
namespace {

/// Load at a pressure by the maker's own filling.
double originalLoad_mg(const Draft& d, double kPa) {
    return airAt_mg(d.original("ve_map"), d.originalValue("displacement"), d.originalValue("cylinders"), kPa);
}

void loadAxis(Draft& d) {
    const bool boosted = d.plays("boost_target");
    if (!boosted && d.size() <= 1) return;  // nothing fills the cylinders more than before
    const auto map = d.table("spark_map");
    const double kPa = boosted ? greatest(d.table("boost_target")) : kWeather_kPa;
    const double load = d.reachableLoad_mg(kPa);
    if (!d.ready() || map.y.values.empty() || map.y.values.back() >= load) return;
    d.move("spark_map", 1, stretchedAbove(map.y.values, load, originalLoad_mg(d, kWeather_kPa)));
    d.reason =
        "The cylinders can fill beyond the last breakpoint of the spark maps; there every load would get the spark of "
        "the last one. Breakpoints beyond what the weather fills are stretched, the surface goes on by its last slope.";
    d.formula = "air at " + text(kPa) + " kPa, 25 \u00b0C and the best filling = " + text(load) +
                " mg; the axis ended at " + text(map.y.values.back()) + " mg";
    d.check = "the air per cylinder in full boost stays below the last breakpoint";
}

void octane(Draft& d) {
    const double ron = d.fitted(Fact::Octane), was = d.stock(Fact::Octane);
    if (d.ready() && ron >= was) return;
    constexpr double kForOne = 0.8;  // degrees for one RON
    const double retard = d.choose((was - ron) * kForOne * d.strength, "\u00b0");
    const double full = originalLoad_mg(d, kWeather_kPa);
    d.each("spark_map", [&](double, double load, double deg) {
        return deg - retard * std::clamp((load / full - 0.5) / 0.4, 0.0, 1.0);
    });
    d.reason = "Fuel of less octane knocks earlier. Light loads never knock and keep their spark.";
    d.formula = text(was) + " - " + text(ron) + " RON x 0.8\u00b0 = " + text(retard, 1) + "\u00b0 from 90 % of " +
                text(full) + " mg on, none below half";
    d.check = "knock retard while pulling at low speed";
}

void boostSpark(Draft& d) {
    if (!d.plays("boost_target")) return;
    const double was = greatest(d.original("boost_target")), is = greatest(d.table("boost_target"));
    if (!(is > was + 0.5)) return;
    const double cooler = d.fitted(Fact::Intercooler) / 100, coolerWas = d.stock(Fact::Intercooler) / 100;
    // Heat of compression at 70 % efficiency less what the intercooler takes away (Heywood, section 6.8); some 0.2
    // degrees of spark for a kelvin of charge.
    constexpr double kIntake_K = 298, kCompressor = 0.7, kForKelvin = 0.2, kForTenKpa = 1.0, kUnknown = 1.0;
    const auto heat = [&](double kPa, double reached) {
        return kIntake_K * (std::pow(kPa / kWeather_kPa, 0.2857) - 1) / kCompressor * (1 - reached);
    };
    const double hotter = heat(is, cooler) - heat(was, coolerWas);
    const double margin = (kUnknown + kForKelvin * std::max(0.0, hotter)) * d.strength;
    const double chosen = d.choose(margin, "\u00b0");
    const double most = originalLoad_mg(d, was), full = originalLoad_mg(d, kWeather_kPa);
    const auto map = d.table("spark_map");
    d.each("spark_map", [&](double rpm, double load, double deg) {
        if (load <= full) return deg;
        const double inBoost = deg - chosen * std::min(1.0, (load / full - 1) / 0.1);
        if (load <= most) return inBoost;
        const double beyond =
            calibration::surfaceAt(map, rpm, most) - chosen - kForTenKpa * was * (load / most - 1) / 10;
        return std::min(inBoost, beyond);
    });
    d.reason =
        "No engine of this kind left the factory with so much boost: its whole area starts later by what the charge is "
        "hotter and one degree for what nobody knows; cells beyond the highest load that its maker drove go on from "
        "the last one.";
    d.formula = "charge " + text(std::abs(hotter)) + (hotter > 0 ? " K hotter" : " K cooler") + " than " + d.makers() +
                ": " + (hotter > 0 ? "x 0.2\u00b0 + 1\u00b0 = " : "1\u00b0 all the same = ") + text(margin, 1) +
                "\u00b0 above " + text(full) + " mg; beyond " + text(most) + " mg 1\u00b0 more for each 10 kPa";
    d.check = "knock retard in full boost; none means there is room";
}

constexpr Rule kRules[] = {
    {"load_axis", "Turbo", "Load axis", loadAxis, false, "boost_target cam_filling", "spark_map"},
    {"spark_octane", "Fuel", "Spark for the octane", octane, true, "", "spark_map"},
    {"spark_boost", "Turbo", "Spark in boost", boostSpark, true, "boost_target cam_filling", "spark_map"},
};

}  // namespace

std::span<const Rule> sparkRules() {
    return kRules;
}

}  // namespace brusk::proposals
