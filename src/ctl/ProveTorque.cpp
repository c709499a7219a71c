// Pulls with a coast-down on the same stretch; the book's mass, drag and inertia, the car's own drawn beside them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/ProveTorque.h"

#include <cmath>
#include <map>
#include <mutex>

#include "benchcar/cars/WrongPart.h"
#include "core/base/Text.h"
#include "core/evidence/RoadTorque.h"
#include "ctl/DrivenCar.h"
#include "ctl/OnAll.h"

namespace brusk::ctl {
namespace {

using evidence::TorqueCurve;

/// The plant's torque and grade in a pull.
struct True {
    std::span<const double> time_s;
    std::span<const float> torque_Nm, grade_pct;
    explicit True(const recording::Recording& truth) : time_s(truth.groups[0].time_s.times()) {
        for (const auto& channel : truth.groups[0].channels) {
            if (channel.name == "true_torque") torque_Nm = channel.values.values();
            if (channel.name == "true_grade") grade_pct = channel.values.values();
        }
    }
    /// Mean over the window the estimate has.
    double at(std::span<const float> column, double t) const {
        double sum = 0;
        size_t n = 0;
        for (size_t i = recording::indexAt(time_s, t - 0.25); i < time_s.size() && time_s[i] < t + 0.25; ++i)
            sum += static_cast<double>(column[i]), ++n;
        return n > 0 ? sum / static_cast<double>(n) : std::nan("");
    }
};

struct Sums {
    double squares = 0, sum = 0, bands = 0, peaks = 0;
    size_t pulls = 0, points = 0, held = 0;
    void add(const TorqueCurve& curve, const True& known) {
        double peak = 0, told = 0, square = 0, mean = 0, band = 0;
        for (size_t i = 0; i < curve.torque_Nm.size(); ++i)
            peak = std::max(peak, known.at(known.torque_Nm, curve.time_s[i])),
            told = std::max(told, curve.torque_Nm[i]);
        peaks += (told / peak - 1) * (told / peak - 1);
        for (size_t i = 0; i < curve.torque_Nm.size(); ++i) {
            const double off = curve.torque_Nm[i] - known.at(known.torque_Nm, curve.time_s[i]);
            square += off * off, mean += off, band += TorqueCurve::kBand * curve.doubt_Nm[i];
            held += std::abs(off) <= TorqueCurve::kBand * curve.doubt_Nm[i] ? 1 : 0;
        }
        const auto n = static_cast<double>(curve.torque_Nm.size());
        squares += square / n / peak / peak, sum += mean / n / peak, bands += band / n / peak;
        points += curve.torque_Nm.size(), ++pulls;
    }
    TorqueProof::Way way(const char* what) const {
        const auto n = static_cast<double>(std::max<size_t>(1, pulls));
        const auto all = static_cast<double>(std::max<size_t>(1, points));
        return {.what = what,
                .pulls = pulls,
                .error_pct = 100 * std::sqrt(squares / n),
                .peak_pct = 100 * std::sqrt(peaks / n),
                .mean_pct = 100 * sum / n,
                .inBand_pct = 100 * static_cast<double>(held) / all,
                .band_pct = 100 * bands / n};
    }
};

/// Mean over the curve of what was told, and of what was so.
std::pair<double, double> means(const std::vector<TorqueCurve>& curves, const True& known) {
    double told = 0, is = 0;
    for (const auto& curve : curves)
        for (size_t i = 0; i < curve.torque_Nm.size(); ++i)
            told += curve.torque_Nm[i], is += known.at(known.torque_Nm, curve.time_s[i]);
    return {told, is};
}

}  // namespace

Result<TorqueProof> proveTorque(const std::string& dataFolder, const TorqueOrders& orders,
                                const std::function<void(const std::string&)>& progress) {
    storage::RealFileSystem files;
    const auto heron = job::loadKit(files, dataFolder + "/heron/aldine-e2.profile.json");
    const auto crane = job::loadKit(files, dataFolder + "/crane/aldine-e2-v6.profile.json");
    if (!heron) return tl::unexpected(heron.error());
    if (!crane) return tl::unexpected(crane.error());
    Sums graded, coasted;
    double changes = 0;
    size_t changed = 0;
    std::mutex mutex;
    onAll(static_cast<size_t>(orders.cars), [&](size_t car) {
        const bool six = car % 3 == 2;
        const auto build = bench::drawnBuild(six ? "crane" : "heron", orders.seed * 1000 + car);
        evidence::RoadFacts facts;
        // Crank, flywheel and clutch: about so much a litre.
        constexpr double kInertia_kgm2l = 0.09;
        facts.inertia_kgm2 = kInertia_kgm2l * build.engine.displacement_m3 * 1000;
        facts.inertiaDoubt_kgm2 = 0.25 * facts.inertia_kgm2;
        facts.mass_kg = build.chassis.mass_kg, facts.dragArea_m2 = build.chassis.dragArea_m2;
        const auto drive = [&](double spark_deg, std::vector<TorqueCurve>& curves) {
            benchcar::BenchCar bench(build, car);
            if (spark_deg < 0) {
                benchcar::makeWrong(bench.memory(), *benchcar::wrongPartNamed("spark"), spark_deg);
                bench.powerCycle();
            }
            auto driven =
                bench::drive(bench, {six ? *crane : *heron}, {car % 2 == 0 ? "road-pulls-3" : "road-pulls-4"});
            const evidence::Sampled sampled(driven.recordings[0]);
            const True known(*driven.truth);
            const auto events = evidence::eventsOf(sampled);
            for (const auto* pull : events.of(roles::kPull)) {
                if (pull->to_s - pull->from_s < 4) continue;
                const auto curve = evidence::roadTorque(sampled, *pull, facts);
                if (!curve || !curve->coast) continue;
                curves.push_back(*curve);
                evidence::RoadFacts withGrade = facts;
                withGrade.grade = known.at(known.grade_pct, (pull->from_s + pull->to_s) / 2) / 100;
                recording::Recording until = *driven.recordings[0];
                // Without what follows there is no coast-down.
                evidence::FoundEvent alone = *pull;
                for (auto& group : until.groups) {
                    const size_t rows = std::min(group.time_s.size(), recording::indexAt(group.time_s, pull->to_s) + 1);
                    group.time_s = recording::Clock(group.time_s.column().firstRows(rows));
                    for (auto& channel : group.channels)
                        channel.values = channel.values.firstRows(rows);
                }
                const evidence::Sampled early(std::make_shared<const recording::Recording>(std::move(until)));
                const auto byGrade = evidence::roadTorque(early, alone, withGrade);
                const std::lock_guard lock(mutex);
                if (spark_deg < 0) continue;
                coasted.add(*curve, known);
                if (byGrade) graded.add(*byGrade, known);
            }
            return means(curves, known);
        };
        std::vector<TorqueCurve> before, after;
        const auto [toldBefore, wasBefore] = drive(0, before);
        const auto [toldAfter, wasAfter] = drive(-6, after);
        const std::lock_guard lock(mutex);
        if (!before.empty() && before.size() == after.size() && wasBefore > 0) {
            const double off = toldAfter / toldBefore - wasAfter / wasBefore;
            changes += off * off, ++changed;
        }
        progress(std::to_string(car) + ": " + std::to_string(before.size()) + " pulls, told over true " +
                 formatNumber(toldBefore / wasBefore, 3));
    });
    TorqueProof out;
    out.graded = graded.way("the grade known"), out.coasted = coasted.way("a coast-down on the stretch");
    out.changes = changed;
    out.change_pct = 100 * std::sqrt(changes / static_cast<double>(std::max<size_t>(1, changed)));
    return out;
}

std::string tableOf(const TorqueProof& proof) {
    std::string out =
        "| with | pulls | error, RMS over the curve | of the greatest torque | mean | half band | points in the band "
        "|\n"
        "| --- | --- | --- | --- | --- | --- | --- |\n";
    for (const auto* way : {&proof.graded, &proof.coasted})
        out += "| " + way->what + " | " + std::to_string(way->pulls) + " | " + formatNumber(way->error_pct, 1) +
               " % | " + formatNumber(way->peak_pct, 1) + " % | " + formatNumber(way->mean_pct, 1) + " % | " +
               formatNumber(way->band_pct, 1) + " % | " + formatNumber(way->inBand_pct, 0) + " % |\n";
    out += "\nChange between two rounds on one road, told less true: " + formatNumber(proof.change_pct, 2) +
           " % RMS over " + std::to_string(proof.changes) + " cars.\n";
    return out;
}

}  // namespace brusk::ctl
