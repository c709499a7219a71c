// Pairs of facts in a calibration that can't both be meant.
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
    const calibration::Table* table(roles::Role role) {
        auto [at, isNew] = tables_.try_emplace(role.index());
        if (isNew)
            if (auto read = readRole(calibration_, role)) at->second = std::move(*read);
        return at->second.values.empty() ? nullptr : &at->second;
    }
    std::optional<double> value(roles::Role role) {
        const auto* t = table(role);
        return t && t->values.size() == 1 ? std::optional(t->values[0]) : std::nullopt;
    }
    /// What a value means, in the definition's words; empty where nobody plays the role.
    std::string word(roles::Role role) {
        const auto* t = table(role);
        return t ? toLower(t->text) : std::string();
    }
    std::optional<double> most(roles::Role role) {
        const auto* t = table(role);
        return t ? std::optional(greatest(*t)) : std::nullopt;
    }
    void say(const char* id, const char* title, roles::Role role, const std::string& why) {
        found.push_back({id, title, why, table(role)->parameter->name});
    }

  private:
    const calibration::Calibration& calibration_;
    std::map<size_t, calibration::Table> tables_;
};

/// Highest pressure that the car reaches: what boost asks for, or what the spring holds, or the weather.
double reachable_kPa(Look& c) {
    double out = std::max(kWeather_kPa, c.most("boost_target").value_or(kWeather_kPa));
    if (const auto spring = c.sheet.of(Fact::TurboSpring)) out = std::max(out, kWeather_kPa + *spring);
    return out;
}

/// The charge is warmer than the 25 degC that filling is counted at.
constexpr double kWarm = 0.9;

/// Air in a cylinder at full pedal, mg; what lacks for it gives nothing.
std::optional<double> fullLoad_mg(Look& c, double rpm) {
    const auto *ve = c.table("ve_map"), *target = c.table("boost_target");
    const auto size = c.value("displacement"), cylinders = c.value("cylinders");
    if (!ve || ve->y.values.empty() || !size || !cylinders || *cylinders < 1) return std::nullopt;
    double kPa = kWeather_kPa;
    if (target && !target->y.values.empty())
        kPa = std::max(kPa, calibration::surfaceAt(*target, rpm, target->y.values.back()));
    return kWarm * airAt_mg(calibration::surfaceAt(*ve, rpm, kPa), *size, *cylinders, kPa);
}

/// Where full load takes most of something: the speeds of the air map up to the rev limit, and the limit itself.
std::vector<double> speedsUpToLimit(Look& c) {
    std::vector<double> out;
    const auto* ve = c.table("ve_map");
    const double limit = c.value("rev_limit").value_or(ve ? ve->x.values.back() : 0);
    for (const double rpm : ve ? ve->x.values : std::vector<double>())
        if (rpm < limit) out.push_back(rpm);
    if (limit > 0) out.push_back(limit);
    return out;
}

void fan(Look& c) {
    const auto on = c.value("fan_on"), off = c.value("fan_off");
    struct Stage {
        roles::Role start, stop;
    };
    constexpr Stage kStages[] = {{"fan_on", "fan_off"}, {"fan_high_on", "fan_high_off"}};
    for (const auto& [start, stop] : kStages)
        if (const auto starts = c.value(start), stops = c.value(stop); starts && stops && *stops >= *starts)
            c.say(
                "fan_hysteresis", "The fan would never stop", stop,
                "Fan off at " + text(*stops) + " \u00b0C does not lie below fan on at " + text(*starts) + " \u00b0C.");
    if (const auto second = c.value("fan_high_on"); on && second && *second < *on)
        c.say("fan_stages", "The second fan starts before the first", "fan_high_on",
              "It starts at " + text(*second) + " \u00b0C, the first at " + text(*on) + " \u00b0C.");
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
    // Where a ratiometric sensor's output ends, no higher pressure is seen.
    constexpr double kFull_V = 4.8;
    const auto slope = c.value("map_sensor_slope"), offset = c.value("map_sensor_offset");
    const double wanted = std::max(most.value_or(0), cut.value_or(0));
    if (slope && offset && wanted > *offset + *slope * kFull_V)
        c.say("sensor_range", "The pressure sensor ends too early", "map_sensor_slope",
              "It shows " + text(*offset + *slope * kFull_V) + " kPa at most; target and cut reach " + text(wanted) +
                  " kPa, which would never be seen.");
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
    const auto* cold = c.table("rev_limit_cold");
    if (const auto revs = c.value("rev_limit"); cold && revs && cold->values.back() < *revs)
        c.say("rev_limit_cold", "The cold engine's rev limit never ends", "rev_limit_cold",
              "It is " + text(cold->values.back()) + " rpm even when hot; the rev limit is " + text(*revs) + " rpm.");
    const auto *spark = c.table("spark_map"), *ve = c.table("ve_map");
    const auto size = c.value("displacement"), cylinders = c.value("cylinders");
    if (!spark || spark->y.values.empty() || !ve || !size || !cylinders || *cylinders < 1) return;
    const double load = airAt_mg(*ve, *size, *cylinders, reached);
    if (spark->y.values.back() < load * kWarm)
        c.say(
            "load_axis", "The load axis ends too early", "spark_map",
            "It ends at " + text(spark->y.values.back()) + " mg; about " + text(load * kWarm) + " mg can be reached.");
}

/// What full load asks of injectors, airflow meter and load limit.
void fullLoad(Look& c) {
    const auto flow = c.value("injector_flow"), stoich = c.value("stoichiometric_ratio");
    const auto density = c.value("fuel_density"), cylinders = c.value("cylinders");
    const auto *lambda = c.table("full_load_lambda"), *dead = c.table("injector_dead_time");
    const double allowed = c.value("duty_limit").value_or(95);
    double duty = 0, dutyAt = 0, airflow = 0, airflowAt = 0, load = 0, loadAt = 0;
    const auto most = [](double value, double rpm, double& best, double& at) {
        if (value > best) best = value, at = rpm;
    };
    for (const double rpm : speedsUpToLimit(c)) {
        const auto air = fullLoad_mg(c, rpm);
        if (!air) return;
        most(*air, rpm, load, loadAt);
        most(*air * *cylinders * rpm * 30 / 1e6, rpm, airflow, airflowAt);
        if (!flow || !stoich || !density || *flow <= 0 || *stoich <= 0 || *density <= 0) continue;
        const double asked = lambda ? calibration::surfaceAt(*lambda, rpm, 0) : 1;
        const double fuel_mg = *air / (*stoich * std::max(0.5, asked));
        const double opens_us = dead ? calibration::surfaceAt(*dead, 14, 0) : 0;
        most((fuel_mg / (*flow * *density) * 60e3 + opens_us) * rpm / 120e6 * 100, rpm, duty, dutyAt);
    }
    if (duty > allowed)
        c.say("injectors_small", "The injectors are too small", "injector_flow",
              "At full load and " + text(dutyAt) + " rpm they would have to stay open for " + text(duty) +
                  " % of the time; beyond " + text(allowed) + " % the engine runs lean.");
    const auto* meter = c.table("meter_curve");
    const auto model = c.word("air_model");
    if (meter && !model.empty() && !model.starts_with("speed-density") && airflow > greatest(*meter))
        c.say("meter_range", "The airflow meter's curve ends too early", "meter_curve",
              "It ends at " + text(greatest(*meter)) + " kg/h; at " + text(airflowAt) + " rpm full load draws about " +
                  text(airflow) + " kg/h.");
    if (const auto limit = c.value("load_limit"); limit && *limit < load)
        c.say(
            "load_limit", "The load limit cuts at full load", "load_limit",
            "It is " + text(*limit) + " mg; at " + text(loadAt) + " rpm full load gives about " + text(load) + " mg.");
}

/// Two models that hand over to each other at one speed would flip to and fro.
void changeover(Look& c) {
    const auto on = c.value("changeover_on"), off = c.value("changeover_off");
    if (on && off && *off >= *on && c.word("air_model").starts_with("both"))
        c.say(
            "changeover", "The air estimate flips to and fro", "changeover_off",
            "Changeover back below " + text(*off) + " rpm does not lie under changeover above " + text(*on) + " rpm.");
}

void enrichment(Look& c) {
    const auto on = c.value("full_load_on");
    if (!on || *on == 0) return;
    if (const auto pedal = c.value("full_load_pedal"); pedal && *pedal >= 100)
        c.say("enrichment", "Full-load enrichment never enters", "full_load_pedal",
              "It waits for a pedal above " + text(*pedal) + " %.");
    if (const auto pedal = c.value("full_load_pedal"), ends = c.value("full_load_return");
        pedal && ends && *ends >= *pedal)
        c.say("enrichment_flutters", "Full-load enrichment flutters", "full_load_return",
              "It begins above " + text(*pedal) + " % of pedal and ends below " + text(*ends) + " %.");
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
    const auto* gives = c.table("torque_for_air");
    if (!ceiling || !gives || !c.table("boost_target")) return;
    for (size_t i = 0; i < ceiling->values.size(); ++i) {
        const double rpm = ceiling->x.values[i];
        const auto air = fullLoad_mg(c, rpm);
        if (!air) return;
        constexpr double kFriction = 0.88;
        const double reached = calibration::surfaceAt(*gives, rpm, *air) * kFriction;
        if (ceiling->values[i] < 0.9 * reached) {
            c.say("torque_ceiling", "The torque ceiling lies below what the engine gives", "torque_ceiling",
                  "At " + text(rpm) + " rpm it is " + text(ceiling->values[i]) + " Nm; the boost target gives about " +
                      text(reached) + " Nm, so the throttle closes against the turbo.");
            return;
        }
    }
}

void curves(Look& c) {
    // A thermistor's voltage falls as it warms, a meter's frequency rises; neither turns back.
    for (const roles::Role role :
         {roles::Role("meter_curve"), roles::Role("coolant_sensor"), roles::Role("intake_sensor")}) {
        const auto* t = c.table(role);
        if (!t) continue;
        const bool rises = std::is_sorted(t->values.begin(), t->values.end());
        const bool falls = std::is_sorted(t->values.rbegin(), t->values.rend());
        if (!rises && (!falls || role == "meter_curve"))
            c.say("sensor_curve", "A sensor's curve turns back", role,
                  t->parameter->title() + " turns back where its input goes on; two readings would mean the same.");
    }
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
    for (const auto check : {fan, boost, axes, fullLoad, changeover, enrichment, torque, curves, inversePair})
        check(look);
    return std::move(look.found);
}

}  // namespace brusk::proposals
