// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/proposals/Consistency.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/calibration/Surface.h"
#include "core/proposals/base/Draft.h"

namespace brusk::proposals {

namespace {

/// A calibration asked by role, and what was found in it.
class Look {
  public:
    Look(const calibration::Calibration& calibration, const BuildSheet& facts)
        : sheet(facts), calibration_(calibration) {}

    const BuildSheet& sheet;
    std::vector<Contradiction> found;

    /// Null where nobody plays the role or the bytes are not there.
    const calibration::Table* table(std::string_view role) {
        auto [at, isNew] = tables_.try_emplace(std::string(role));
        if (isNew)
            if (const auto* parameter = calibration_.definition().parameterWithRole(role))
                if (auto read = calibration_.read(*parameter)) at->second = std::move(*read);
        return at->second.values.empty() ? nullptr : &at->second;
    }
    std::optional<double> value(std::string_view role) {
        const auto* t = table(role);
        return t && t->values.size() == 1 ? std::optional(t->values[0]) : std::nullopt;
    }
    std::optional<double> most(std::string_view role) {
        const auto* t = table(role);
        return t ? std::optional(greatest(*t)) : std::nullopt;
    }
    void say(const char* id, const char* title, std::string_view role, const std::string& why) {
        found.push_back({id, title, why, table(role)->parameter->name});
    }

  private:
    const calibration::Calibration& calibration_;
    std::map<std::string, calibration::Table, std::less<>> tables_;
};

/// Highest pressure that the car reaches: what boost asks for, or what the spring holds, or the weather.
double reachable_kPa(Look& c) {
    double out = std::max(kWeather_kPa, c.most("boost_target").value_or(kWeather_kPa));
    if (const auto spring = c.sheet.of(Fact::TurboSpring)) out = std::max(out, kWeather_kPa + *spring);
    return out;
}

void fan(Look& c) {
    const auto on = c.value("fan_on"), off = c.value("fan_off");
    if (on && off && *off >= *on)
        c.say("fan_hysteresis", "The fan would never stop", "fan_off",
              "Fan off at " + text(*off) + " \u00b0C does not lie below fan on at " + text(*on) + " \u00b0C.");
    if (const auto opens = c.sheet.of(Fact::Thermostat); opens && off && *off <= *opens)
        c.say("fan_thermostat", "The fan would run for ever", "fan_off",
              "The thermostat holds " + text(*opens) + " \u00b0C; the fan stops only at " + text(*off) + " \u00b0C.");
}

void boost(Look& c) {
    const auto most = c.most("boost_target"), cut = c.value("boost_cut");
    if (most && cut && *cut <= *most)
        c.say("boost_cut", "Boost is cut before it is reached", "boost_cut",
              "The cut at " + text(*cut) + " kPa lies below the greatest target, " + text(*most) + " kPa.");
    else if (cut && c.sheet.of(Fact::TurboSpring) && *cut <= kWeather_kPa + *c.sheet.of(Fact::TurboSpring))
        c.say("boost_cut_spring", "The wastegate's spring alone reaches the boost cut", "boost_cut",
              "The spring holds " + text(kWeather_kPa + *c.sheet.of(Fact::TurboSpring)) + " kPa, the cut is at " +
                  text(*cut) + " kPa.");
}

void axes(Look& c) {
    const double reached = reachable_kPa(c);
    if (const auto* ve = c.table("ve_map"); ve && !ve->y.values.empty()) {
        if (ve->y.values.back() < reached)
            c.say("pressure_axis", "The pressure axis ends too early", "ve_map",
                  "It ends at " + text(ve->y.values.back()) + " kPa; " + text(reached) + " kPa can be reached.");
        if (const auto revs = c.value("rev_limit"); revs && *revs > ve->x.values.back() + 200)
            c.say("rev_limit", "The rev limit lies beyond the maps", "rev_limit",
                  "It is " + text(*revs) + " rpm; the speed axis ends at " + text(ve->x.values.back()) + " rpm.");
    }
    const auto *spark = c.table("spark_map"), *ve = c.table("ve_map");
    const auto size = c.value("displacement"), cylinders = c.value("cylinders");
    if (!spark || spark->y.values.empty() || !ve || !size || !cylinders || *cylinders < 1) return;
    const double load = airAt_mg(*ve, *size, *cylinders, reached);
    // The charge is warmer than the 25 degC that filling is counted at.
    constexpr double kWarm = 0.9;
    if (spark->y.values.back() < load * kWarm)
        c.say(
            "load_axis", "The load axis ends too early", "spark_map",
            "It ends at " + text(spark->y.values.back()) + " mg; about " + text(load * kWarm) + " mg can be reached.");
}

void enrichment(Look& c) {
    const auto on = c.value("full_load_on");
    if (!on || *on == 0) return;
    if (const auto pedal = c.value("full_load_pedal"); pedal && *pedal >= 100)
        c.say("enrichment", "Full-load enrichment never enters", "full_load_pedal",
              "It waits for a pedal above " + text(*pedal) + " %.");
    if (const auto kPa = c.value("full_load_pressure"); kPa && *kPa >= reachable_kPa(c))
        c.say("enrichment", "Full-load enrichment never enters", "full_load_pressure",
              "It waits for " + text(*kPa) + " kPa; " + text(reachable_kPa(c)) + " kPa can be reached.");
    const auto speed = c.value("full_load_speed"), revs = c.value("rev_limit");
    if (speed && revs && *speed >= *revs)
        c.say("enrichment", "Full-load enrichment never enters", "full_load_speed",
              "It waits for " + text(*speed) + " rpm; the rev limit is " + text(*revs) + " rpm.");
}

void torque(Look& c) {
    const auto *ceiling = c.table("torque_ceiling"), *pedal = c.table("pedal_map"), *axis = c.table("air_for_torque");
    if (ceiling && pedal && greatest(*pedal) < greatest(*ceiling) * 0.9)
        c.say("pedal_torque", "Full pedal asks for less than there is", "pedal_map",
              "It asks for " + text(greatest(*pedal)) + " Nm; the ceiling is " + text(greatest(*ceiling)) + " Nm.");
    if (ceiling && axis && !axis->y.values.empty() && axis->y.values.back() < greatest(*ceiling) * 0.95)
        c.say("torque_axis", "The torque axis ends below the ceiling", "air_for_torque",
              "It ends at " + text(axis->y.values.back()) + " Nm; the ceiling reaches " + text(greatest(*ceiling)) +
                  " Nm.");
    // What the air at the target would give, by the controller's own model.
    const auto *gives = c.table("torque_for_air"), *ve = c.table("ve_map"), *target = c.table("boost_target");
    const auto size = c.value("displacement"), cylinders = c.value("cylinders");
    if (!ceiling || !gives || !ve || !target || target->y.values.empty() || !size || !cylinders || *cylinders < 1)
        return;
    for (size_t i = 0; i < ceiling->values.size(); ++i) {
        const double rpm = ceiling->x.values[i];
        const double kPa = calibration::surfaceAt(*target, rpm, target->y.values.back());
        constexpr double kWarm = 0.9, kFriction = 0.88;
        const double air = kWarm * airAt_mg(calibration::surfaceAt(*ve, rpm, kPa), *size, *cylinders, kPa);
        const double reached = calibration::surfaceAt(*gives, rpm, air) * kFriction;
        if (ceiling->values[i] < 0.9 * reached) {
            c.say("torque_ceiling", "The torque ceiling lies below what the engine gives", "torque_ceiling",
                  "At " + text(rpm) + " rpm it is " + text(ceiling->values[i]) + " Nm; the boost target gives about " +
                      text(reached) + " Nm, so the throttle closes against the turbo.");
            return;
        }
    }
}

void curves(Look& c) {
    for (const char* role : {"meter_curve"})
        if (const auto* t = c.table(role); t && !std::is_sorted(t->values.begin(), t->values.end()))
            c.say("sensor_curve", "A sensor's curve turns back", role,
                  t->parameter->title() + " falls where its input rises; one reading would stand for two flows.");
    const auto* dead = c.table("injector_dead_time");
    if (!dead) return;
    if (!dead->x.values.empty() && dead->x.values.front() <= 0)
        c.say("dead_time_axis", "Dead time at zero volts", "injector_dead_time",
              "The first breakpoint is " + text(dead->x.values.front(), 1) + " V, where no injector opens.");
    if (!std::is_sorted(dead->values.rbegin(), dead->values.rend()))
        c.say("dead_time", "Dead time rises with the voltage", "injector_dead_time",
              "An injector opens sooner at a higher voltage; somewhere the curve says the opposite.");
    if (*std::min_element(dead->values.begin(), dead->values.end()) <= 0)
        c.say("dead_time_zero", "No dead time at all", "injector_dead_time", "Every injector needs a while to open.");
}

/// Air for a torque and torque for an air: one after the other must give back what went in.
void inversePair(Look& c) {
    const auto *air = c.table("air_for_torque"), *torque = c.table("torque_for_air");
    if (!air || !torque || air->y.values.empty() || torque->y.values.empty()) return;
    double worst = 0, at_rpm = 0, at_Nm = 0, back_Nm = 0;
    const double most = torque->y.values.back(), least = torque->y.values.front();
    for (const double rpm : air->x.values)
        for (const double nm : air->y.values) {
            const double mg = calibration::surfaceAt(*air, rpm, nm);
            if (mg > most || mg < least) continue;
            const double back = calibration::surfaceAt(*torque, rpm, mg);
            if (std::abs(back - nm) > worst) worst = std::abs(back - nm), at_rpm = rpm, at_Nm = nm, back_Nm = back;
        }
    constexpr double kTolerance = 0.08;
    if (worst > kTolerance * greatest(*torque))
        c.say("inverse_pair", "Torque from air and air from torque disagree", "air_for_torque",
              "At " + text(at_rpm) + " rpm the air for " + text(at_Nm) + " Nm gives " + text(back_Nm) + " Nm.");
}

}  // namespace

std::vector<Contradiction> contradictions(const calibration::Calibration& calibration, const BuildSheet& sheet) {
    Look look(calibration, sheet);
    for (const auto check : {fan, boost, axes, enrichment, torque, curves, inversePair})
        check(look);
    return std::move(look.found);
}

}  // namespace brusk::proposals
