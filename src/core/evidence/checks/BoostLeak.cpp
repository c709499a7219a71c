// Air that the meter counts in boost and the cylinders never get.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Models.h"

namespace brusk::evidence::checks {

void boostLeak(const Looked& at, Found& out) {
    constexpr double kBoost_kPa = 115, kLost = 0.05, kMeter = 0.45, kUsual = 1.02, kReads = 0.02;
    constexpr size_t kFewest = 2;
    std::vector<double> below, idle;
    for (const SteadyRow& row : at.steady)
        if (row.pressure_kPa < 100 && row.pressure_kPa > 55)
            below.push_back(row.models());
        else if (row.idle)
            idle.push_back(row.models());
    // A meter that reads much is furthest off where little flows; a leak blows most where pressure is.
    if (medianOf(idle) > 1 + kMeter || medianOf(below) < 1 - kLost) return;
    const Models& models = modelsOf(at);
    if (models.meterOff < kReads || models.blame == Models::Blame::Pressure) return;
    std::vector<double> lost;
    Finding finding;
    for (const Of& pull : eventsOfKind(at, roles::kPull)) {
        const Sampled& drive = at.drives[pull.drive];
        const Column metered = drive.columnIfAny("air_by_meter"), density = drive.columnIfAny("air_by_density");
        const Column pressure = drive.columnIfAny("manifold_pressure");
        std::vector<double> ratios;
        const Span span = samplesIn(drive.time_s(), pull.event->from_s + 1, pull.event->to_s);
        for (size_t i = span.begin; i < std::min({span.end, metered.size(), density.size()}); ++i)
            if (valueAt(pressure, i) > kBoost_kPa)
                ratios.push_back(static_cast<double>(metered[i]) / static_cast<double>(density[i]));
        if (ratios.size() < 10) continue;
        lost.push_back(medianOf(ratios) / kUsual - 1);
        if (lost.back() > kLost) finding.where.push_back(pull.where());
    }
    if (lost.size() < kFewest || !(medianOf(lost) > kLost)) return;
    finding.seriousness = Seriousness::Warn;
    finding.certainty = 0.7;
    finding.seen = say("finding.boost-leak",
                       "In boost the meter counts {0} % more air than the cylinders get, in {1}; below it does less.",
                       {formatNumber(100 * medianOf(lost), 0), countText(finding.where.size(), lost.size(), "pulls")});
    finding.means = {"air leaks out between compressor and throttle", "the air map is too low in boost"};
    finding.todo = "Press the pipes with air and listen, before boost or fuel is corrected.";
    finding.place = {"Car", "", std::nullopt};
    finding.figures = {{"meter_off_pct", 100 * medianOf(lost)}};
    finding.lanes = {"meter_airflow", "airflow", "manifold_pressure", "wastegate_duty_now"};
    out.push_back(std::move(finding));
}

}  // namespace brusk::evidence::checks
