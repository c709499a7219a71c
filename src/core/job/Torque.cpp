// Mass and drag from the sheet; the rest is what cars have in common, with its doubt.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Torque.h"

#include "core/base/Say.h"
#include "core/base/Text.h"

namespace brusk::job {

std::optional<evidence::RoadFacts> roadFacts(const proposals::BuildSheet& sheet) {
    using proposals::Fact;
    const auto told = [&](Fact fact) {
        const auto fitted = sheet.of(fact);
        return fitted ? fitted : sheet.of(fact, false);
    };
    const auto mass = told(Fact::VehicleMass), drag = told(Fact::DragArea);
    if (!mass || !drag) return std::nullopt;
    evidence::RoadFacts out;
    out.mass_kg = *mass, out.dragArea_m2 = *drag;
    if (const auto displacement_cm3 = told(Fact::Displacement)) {
        // Crank, flywheel and clutch: about so much a litre.
        constexpr double kInertia_kgm2l = 0.09, kDoubt = 0.25;
        out.inertia_kgm2 = kInertia_kgm2l * *displacement_cm3 / 1000;
        out.inertiaDoubt_kgm2 = kDoubt * out.inertia_kgm2;
    }
    return out;
}

std::string torqueSentence(const evidence::TorqueCurve& curve, const units::Preferences& units) {
    const units::Shown torque = units.shown("Nm"), shownPower = units.shown("kW");
    const size_t peak = curve.peak(), strongest = curve.strongest();
    const auto band = [&](size_t i) { return evidence::TorqueCurve::kBand * curve.doubt_Nm[i]; };
    const double power = curve.power_kW(strongest);
    std::string out = say("torque.sentence", "{0} \u00b1 {1} {7} at {2} rpm, {3} \u00b1 {4} {8} at {5} rpm; {6}.",
                          {formatNumber(torque(curve.torque_Nm[peak]), torque.decimals(0)),
                           formatNumber(torque.change(band(peak)), torque.decimals(0)),
                           formatNumber(curve.speed_rpm[peak], 0), formatNumber(shownPower(power), 0),
                           formatNumber(shownPower.change(power * band(strongest) / curve.torque_Nm[strongest]), 0),
                           formatNumber(curve.speed_rpm[strongest], 0),
                           curve.coast   ? "the coast-down that follows tells the road"
                           : curve.known ? "by the grade that was told"
                                         : "no coast-down tells the slope: only differences on one road mean something",
                           torque.unit, shownPower.unit});
    if (curve.iso1585) out += say("torque.iso1585", " ISO 1585: times {0}.", {formatNumber(*curve.iso1585, 3)});
    return out;
}

}  // namespace brusk::job
