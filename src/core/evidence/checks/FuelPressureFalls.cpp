// Pulls that become leaner the more fuel they take, from a flow on.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"

namespace brusk::evidence::checks {

void fuelPressureFalls(const Looked& at, Found& out) {
    // A base's air may be off along speed by as much as a weak pump makes.
    const double lean = at.drives.untuned() ? 0.12 : 0.075;
    constexpr double kOfThat = 0.5, kBehind_s = 0.25, kSettled_s = 2, kLong_s = 3.2, kMore = 1.3, kWarm_C = 60;
    std::vector<std::pair<double, double>> samples;  // fuel rate, off
    Finding finding;
    for (const Of& pull : eventsOfKind(at, roles::kPull)) {
        if (pull.event->figure("coolant_C") < kWarm_C || pull.event->to_s - pull.event->from_s < kLong_s) continue;
        const Sampled& drive = at.drives[pull.drive];
        const auto time = drive.time_s();
        const Column lambda = drive.columnIfAny("lambda_measured"), asked = drive.columnIfAny("lambda_asked");
        const Column rate = drive.columnIfAny("fuel_rate");
        const Column shortTrim = drive.columnIfAny("short_trim"), longTrim = drive.columnIfAny("long_trim");
        const auto trim = [](const Column& column, size_t i) { return column.empty() ? 1 : 1 + column[i] / 100.0; };
        const Span span = samplesIn(time, pull.event->from_s + kSettled_s, pull.event->to_s);
        for (size_t i = span.begin; i < std::min(span.end, lambda.size()); ++i) {
            const size_t then = sampleAt(time, time[i] - kBehind_s);
            // What the loop still adds is asked for as well.
            const double off =
                valueAt(lambda, i) / valueAt(asked, then) * trim(shortTrim, then) * trim(longTrim, then) - 1;
            if (lambda[i] > 0.6F && lambda[i] < 1.8F && !std::isnan(off))
                samples.emplace_back(valueAt(rate, then), off);
        }
    }
    if (samples.size() < 40) return;
    std::sort(samples.begin(), samples.end());
    const auto part = [&](double from, double to) {
        std::vector<double> off;
        for (size_t i = static_cast<size_t>(from * static_cast<double>(samples.size()));
             i < static_cast<size_t>(to * static_cast<double>(samples.size())); ++i)
            off.push_back(samples[i].second);
        return medianOf(off);
    };
    if (samples[samples.size() * 9 / 10].first < kMore * samples[samples.size() / 10].first) return;
    const double least = part(0, 0.3), most = part(0.85, 1);
    if (!(most > lean) || !(most - least > lean) || least > kOfThat * most) return;
    for (const Of& pull : eventsOfKind(at, roles::kPull))
        if (pull.event->figure("lambda_measured") > (1 + lean / 2) * pull.event->figure("lambda_asked"))
            finding.where.push_back(pull.where());
    if (finding.where.empty()) return;
    finding.seriousness = Seriousness::Danger;
    finding.certainty = 0.75;
    finding.seen =
        say("finding.fuel-pressure-falls",
            "Pulls are {0} % lean at their greatest fuel flow ({1} l/h) and {2} % at their least.",
            {formatNumber(100 * most, 0), formatNumber(samples.back().first, 0), formatNumber(100 * least, 0)});
    finding.means = {"the fuel pressure falls with the flow: pump, filter or supply",
                     "the air is under-estimated at high speed"};
    finding.todo = "Lift. Measure the fuel pressure in a pull before fuel is added: no map puts a pump right.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"lean_pct", 100 * most}};
    finding.lanes = {"lambda_measured", "lambda_asked", "fuel_rate", "fuel_pressure"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
