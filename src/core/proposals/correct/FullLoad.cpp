// Full load, pull by pull: when its conditions were met, when its mixture was asked for, when it came; and which of
// conditions, wait, target or air is at fault. A pull whose throttle closes under full pedal says nothing here.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/calibration/RoleUnits.h"
#include "core/evidence/Median.h"
#include "core/evidence/Spans.h"
#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals::correct {
namespace {

using evidence::Column;
using evidence::valueAt;

/// What the bytes ask before they enrich.
struct Conditions {
    double pedal_pct = 0, pressure_kPa = 0, speed_rpm = 0, delay_s = 0, ramp_perS = INFINITY;
    bool on = true;
    evidence::AxisLookup speeds{std::vector<double>{}};
    std::vector<double> lambda;
    double targetAt(double rpm) const { return evidence::bilinear(lambda, lambda.size(), 1, speeds.locate(rpm), {}); }
};

Result<Conditions> conditionsOf(const calibration::Calibration& calibration) {
    Conditions out;
    const auto number = [&](roles::Role role, double& into) {
        if (const auto table = calibration::readRole(calibration, role); table && table->values.size() == 1)
            into = table->values[0];
    };
    const auto curve = calibration::readRole(calibration, "full_load_lambda");
    if (!curve) return tl::unexpected(curve.error());
    double on = 1;
    number("full_load_on", on), number("full_load_pedal", out.pedal_pct),
        number("full_load_pressure", out.pressure_kPa);
    number("full_load_speed", out.speed_rpm), number("full_load_delay", out.delay_s),
        number("full_load_ramp", out.ramp_perS);
    out.on = on != 0;
    out.speeds = evidence::AxisLookup(curve->x.values), out.lambda = curve->values;
    return out;
}

/// One pull; NaN where something did not happen.
struct Pull {
    uint32_t drive = 0;
    double from_s = 0, to_s = 0;
    double met_s = std::nan(""), asked_s = std::nan(""), before = std::nan(""), target = std::nan("");
    double measuredOff = std::nan("");  ///< lambda measured over asked at its end
    double late_s() const { return asked_s - met_s; }
};

std::vector<Pull> pullsOf(const CorrectionInput& in, const Conditions& c) {
    constexpr double kAhead_s = 3, kThere = 0.012;
    std::vector<Pull> out;
    const auto& events = in.drives.events();
    for (size_t d = 0; d < in.drives.size(); ++d) {
        const evidence::Sampled& drive = in.drives[d];
        const auto time = drive.time_s();
        const Column pedal = drive.columnIfAny("pedal"), pressure = drive.columnIfAny("manifold_pressure"),
                     speed = drive.columnIfAny("engine_speed"), asked = drive.columnIfAny("lambda_asked"),
                     measured = drive.columnIfAny("lambda_measured");
        if (pedal.empty() || pressure.empty() || speed.empty() || asked.empty()) continue;
        const auto closes = events[d].of(roles::kThrottleCloses);
        for (const auto* event : events[d].of(roles::kPull)) {
            if (std::any_of(closes.begin(), closes.end(), [&](const auto* other) {
                    return other->from_s < event->to_s && other->to_s > event->from_s;
                }))
                continue;
            Pull pull{.drive = static_cast<uint32_t>(d), .from_s = event->from_s, .to_s = event->to_s};
            const evidence::Span span = evidence::samplesIn(time, event->from_s - kAhead_s, event->to_s);
            for (size_t i = span.begin; i < span.end; ++i) {
                const bool met = valueAt(pedal, i) > c.pedal_pct && valueAt(pressure, i) > c.pressure_kPa &&
                                 valueAt(speed, i) > c.speed_rpm;
                if (!met && std::isnan(pull.asked_s)) pull.met_s = std::nan("");
                if (met && std::isnan(pull.met_s)) pull.met_s = time[i], pull.before = valueAt(asked, i);
                if (std::isnan(pull.met_s) || !std::isnan(pull.asked_s)) continue;
                pull.target = c.targetAt(valueAt(speed, i));
                if (valueAt(asked, i) <= pull.target + kThere) pull.asked_s = time[i];
            }
            const evidence::Span end = evidence::samplesIn(time, event->to_s - 1, event->to_s);
            pull.measuredOff = evidence::extentOf(measured, end).mean / evidence::extentOf(asked, end).mean - 1;
            out.push_back(pull);
        }
    }
    return out;
}

}  // namespace

Result<Correction> fullLoad(const CorrectionInput& in) {
    constexpr double kAir = 0.015, kRampShare = 0.8, kNeverPedal_pct = 80;
    Correction out;
    out.kind = &in.kind;
    out.pointsUnit = "s";
    const auto conditions = conditionsOf(in.calibration);
    if (!conditions) return tl::unexpected(conditions.error());
    const Conditions& c = *conditions;
    const std::vector<Pull> pulls = pullsOf(in, c);
    if (pulls.empty()) {
        out.line = "for a pull at full pedal";
        return out;
    }
    const double wanted_s = in.setting("wanted");
    std::vector<double> late, richer, off;
    size_t unmet = 0, never = 0;
    for (const Pull& pull : pulls) {
        if (std::isfinite(pull.measuredOff)) off.push_back(pull.measuredOff);
        if (std::isnan(pull.met_s)) {
            ++unmet;
            continue;
        }
        if (std::isnan(pull.asked_s)) ++never;
        // What was never asked for was late by at least the rest of the pull.
        late.push_back(std::isnan(pull.asked_s) ? pull.to_s - pull.met_s : pull.late_s());
        richer.push_back(std::max(0.0, pull.before - pull.target));
        out.points.push_back({say("correct.pull", "drive {0}, pull at {1} s",
                                  {std::to_string(pull.drive + 1), formatNumber(pull.from_s, 0)}),
                              late.back(), 0, evidence::Moment{pull.drive, pull.from_s, pull.to_s}});
    }
    const double airOff = off.empty() ? 0 : evidence::medianOf(off);
    if (std::abs(airOff) > kAir)
        out.warnings.push_back(say("correct.full-load-air",
                                   "At the pulls' ends lambda is {0} % {1} of what is asked: that is air or fuel, not "
                                   "the conditions.",
                                   {formatNumber(std::abs(airOff) * 100, 1), airOff > 0 ? "lean" : "rich"}));
    const auto set = [&](roles::Role role, double value, const char* title) -> Done {
        const auto* parameter = in.calibration.definition().parameterWithRole(role);
        if (!parameter) return {};
        const auto units = calibration::roleUnits(in.calibration, *parameter);
        if (!units) return tl::unexpected(units.error());
        calibration::Edit edit;
        auto change = setTable(in.calibration, *parameter, {units->value.back(value)}, edit, title);
        if (!change) return tl::unexpected(change.error());
        if (change->changes()) out.values.push_back(std::move(*change)), out.edits.push_back(std::move(edit));
        return {};
    };
    std::string fault;
    double now = late.empty() ? 0 : evidence::medianOf(late), expected = now;
    if (!c.on) {
        if (auto done = set("full_load_on", 1, "Full-load enrichment on"); !done) return tl::unexpected(done.error());
        fault = "the enrichment is switched off", expected = std::min(now, c.delay_s);
    } else if (late.empty()) {
        now = pulls[0].to_s - pulls[0].from_s, expected = wanted_s;
        if (c.pedal_pct > kNeverPedal_pct) {
            if (auto done = set("full_load_pedal", kNeverPedal_pct, "Full load above pedal"); !done)
                return tl::unexpected(done.error());
            fault = "no pull met its conditions; the pedal's border lies high";
        } else {
            fault = "no pull met its conditions: pressure or speed stay below their borders";
        }
    } else if (now > wanted_s) {
        const double ramp_s = richer.empty() ? 0 : evidence::medianOf(richer) / c.ramp_perS;
        const double delay_s = std::clamp(c.delay_s - (now - wanted_s), 0.0, c.delay_s);
        expected = now - (c.delay_s - delay_s);
        if (delay_s < c.delay_s)
            if (auto done = set("full_load_delay", delay_s, "Full-load delay"); !done)
                return tl::unexpected(done.error());
        fault = say("correct.full-load-delay", "of that the wait is {0} s", {formatNumber(c.delay_s, 2)});
        if (expected > wanted_s && ramp_s > kRampShare * wanted_s) {
            if (auto done =
                    set("full_load_ramp", evidence::medianOf(richer) / (kRampShare * wanted_s), "Full-load ramp");
                !done)
                return tl::unexpected(done.error());
            expected = wanted_s,
            fault += say("correct.full-load-ramp", " and the ramp {0} s", {formatNumber(ramp_s, 2)});
        }
    }
    for (SeenPoint& point : out.points)
        point.expected = std::max(0.0, point.now - (now - expected));
    double spread = 0;
    for (const double one : late)
        spread += (one - now) * (one - now) / static_cast<double>(late.size());
    // Where conditions are met and left again on the way no two drives are alike.
    constexpr double kAgain_s = 0.15;
    const double doubt =
        std::hypot(std::sqrt(spread / static_cast<double>(std::max<size_t>(1, late.size()))), kAgain_s);
    out.promise = in.promise(now, expected, doubt, doubt);
    out.formula =
        say("correct.full-load-formula",
            "late = t(asked reaches its target) - t(pedal, pressure and speed are met); wait new = wait old - "
            "(late - {0} s)",
            {formatNumber(wanted_s, 1)});
    out.reason = say("correct.full-load",
                     "In {0} pulls the full-load mixture was asked for {1} s after its conditions were met{2}.",
                     {std::to_string(pulls.size() - unmet), formatNumber(now, 2), fault.empty() ? "" : "; " + fault});
    if (never)
        out.warnings.push_back(
            say("correct.full-load-never", "In {0} of them it was not reached at all.", {std::to_string(never)}));
    judge(out, true, true);
    out.line = out.standing == Standing::Worth
                   ? say("correct.full-load-line", "asked for {0} s late", {formatNumber(now, 1)})
                   : say("correct.full-load-right", "asked for after {0} s", {formatNumber(now, 1)});
    return out;
}

}  // namespace brusk::proposals::correct
