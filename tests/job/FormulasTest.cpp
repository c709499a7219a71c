// Each kind of correction against a worked example: a drive that was made by the formula, settled in every cell, with
// the number that must come out.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>
#include <cmath>
#include <functional>
#include <map>

#include "DrivenKit.h"
#include "Expect.h"
#include "core/calibration/RoleUnits.h"
#include "core/evidence/PulseModel.h"
#include "core/job/Correct.h"

using namespace brusk;
using proposals::Standing;

namespace {

/// Where a made-up engine is held.
struct Held {
    double rpm = 0, kPa = 0;
    double air_mg() const { return 4 * kPa; }
    double airflow_kgh() const { return air_mg() * rpm * 1.2e-4; }
    double open_us() const { return 20 * air_mg(); }
};
using Value = std::function<double(const Held&)>;
/// By role: its unit, and what it says.
using Channels = std::map<std::string, std::pair<const char*, Value>>;

Value always(double v) {
    return [v](const Held&) { return v; };
}

struct Example {
    std::shared_ptr<const job::Kit> kit;
    std::optional<calibration::Calibration> inCar;

    explicit Example(const char* model = "heron") {
        const auto build = *benchcar::buildNamed(model);
        kit = bench::kitOf(build);
        benchcar::BenchCar car(build, 1);
        inCar = bench::calibrationOf(*kit, car);
    }

    std::vector<double> values(roles::Role role) const {
        return inCar->read(*inCar->definition().parameterWithRole(role))->values;
    }

    /// What every drive has, settled and warm at lambda 0.95, mixture as asked.
    Channels usual() const {
        const auto pulses = *evidence::pulseModel(*inCar);
        return {{"engine_speed", {"rpm", [](const Held& at) { return at.rpm; }}},
                {"manifold_pressure", {"kPa", [](const Held& at) { return at.kPa; }}},
                {"throttle", {"%", [](const Held& at) { return at.kPa * 0.5; }}},
                {"pedal", {"%", [](const Held& at) { return at.kPa * 0.5; }}},
                {"coolant", {"\u00b0C", always(88)}},
                {"intake_temperature", {"\u00b0C", always(25)}},
                {"barometric_pressure", {"kPa", always(100)}},
                {"battery", {"V", always(14)}},
                {"lambda_asked", {"lambda", always(0.95)}},
                {"lambda_measured", {"lambda", always(0.95)}},
                {"short_trim", {"%", always(0)}},
                {"long_trim", {"%", always(0)}},
                {"fuel_cut", {"", always(0)}},
                {"airflow", {"kg/h", [](const Held& at) { return at.airflow_kgh(); }}},
                {"air_per_cylinder", {"mg", [](const Held& at) { return at.air_mg(); }}},
                {"air_by_density", {"mg", [](const Held& at) { return at.air_mg(); }}},
                {"air_by_meter", {"mg", [](const Held& at) { return at.air_mg(); }}},
                {"air_source", {"", always(0)}},
                {"meter_airflow", {"kg/h", [](const Held& at) { return at.airflow_kgh(); }}},
                {"injector_pulse", {"us", [pulses](const Held& at) { return pulses.dead(14) + at.open_us(); }}}};
    }

    /// Every cell thrice, four seconds each.
    static std::shared_ptr<const recording::Recording> drive(const Channels& channels) {
        auto out = std::make_shared<recording::Recording>();
        auto& rows = out->groups.emplace_back();
        std::vector<std::vector<float>> columns(channels.size());
        constexpr int kPasses = 3, kRows = 80;
        constexpr double kStep_s = 0.05;
        for (int pass = 0; pass < kPasses; ++pass)
            for (double rpm = 1200; rpm <= 4400; rpm += 400)
                for (double kPa = 30; kPa <= 95; kPa += 13)
                    for (int i = 0; i < kRows; ++i) {
                        size_t at = 0;
                        for (const auto& channel : channels)
                            columns[at++].push_back(static_cast<float>(channel.second.second({rpm, kPa})));
                        rows.time_s.push_back(static_cast<double>(rows.time_s.size()) * kStep_s);
                    }
        size_t at = 0;
        for (const auto& [role, channel] : channels)
            rows.channels.push_back({role, channel.first, "", role, std::move(columns[at++])});
        return out;
    }

    proposals::Corrections correct(const evidence::Drives::Recordings& recordings, const char* kind,
                                   proposals::CorrectionChoices choices = {}) const {
        choices.only = {kind};
        const evidence::Drives drives(recordings, job::evidenceOptions(*inCar));
        auto made = proposals::correctAll(*inCar, drives, choices);
        if (!made) qFatal("%s", made.error().text().c_str());
        return std::move(*made);
    }

    /// A parameter once all that is made is applied.
    std::vector<double> after(const proposals::Corrections& made, roles::Role role) const {
        auto next = *inCar;
        for (const auto& edit : made.edits())
            if (!next.apply(edit)) qFatal("an edit does not fit");
        return next.read(*next.definition().parameterWithRole(role))->values;
    }
};

Value scaled(double by) {
    return always(0.95 * by);
}

}  // namespace

class FormulasTest : public QObject {
    Q_OBJECT
  private slots:
    void fillingIsMultipliedByTheMixtureRatio();
    void whatAllCellsSayAlikeIsLeftToMoreDrives();
    void theMeterIsMultipliedByTheMixtureRatio();
    void deadTimeIsWhatGrowsWithOneOverTheOpenTime();
    void flowIsWhatThePumpTells();
    void theBlendTakesWhatWarmerAirLacks();
    void altitudeTakesWhatThinnerAirLacks();
    void theMeterTakesTheStepWhereOneModelHandsOver();
    void eachBankTakesHalfOfWhatTheyAreApart();
    void fullLoadWaitsForSoMuchLess();
};

void FormulasTest::fillingIsMultipliedByTheMixtureRatio() {
    // r = (lambda measured / lambda asked)(1 + short)(1 + long) = 1.04 x 1.02 x 0.99 = 1.0502.
    const Example example;
    auto channels = example.usual();
    channels["lambda_measured"].second = scaled(1.04);
    channels["short_trim"].second = always(2), channels["long_trim"].second = always(-1);
    const auto made = example.correct({Example::drive(channels)}, "air");
    const auto* air = made.of("air");
    QVERIFY2(air && air->standing == Standing::Worth, air ? air->line.c_str() : "");
    const auto& table = air->tables[0];
    size_t driven = 0;
    for (size_t i = 0; i < table.change.size(); ++i) {
        if (table.fit.visits[i] < 3) continue;
        QVERIFY2(std::abs(table.change[i] - 0.0502) < 0.004, qPrintable(QString::number(table.change[i])));
        ++driven;
    }
    QVERIFY(driven > 20);
    QVERIFY(std::abs(air->promise->now - 5.02) < 0.02);
}

void FormulasTest::whatAllCellsSayAlikeIsLeftToMoreDrives() {
    // 0.8 % alike: one drive may be off from another by 1 %; the root of four drives is half of that.
    const Example example;
    auto channels = example.usual();
    channels["lambda_measured"].second = scaled(1.008);
    const auto drive = Example::drive(channels);
    const auto one = example.correct({drive}, "air"), four = example.correct({drive, drive, drive, drive}, "air");
    QVERIFY(one.edits().empty());
    QVERIFY(std::abs(one.of("air")->tables[0].leftAlike - 0.008) < 0.001);
    QVERIFY(std::any_of(one.of("air")->warnings.begin(), one.of("air")->warnings.end(),
                        [](const std::string& said) { return said.find("0.8 % alike") != std::string::npos; }));
    QCOMPARE(four.of("air")->tables[0].leftAlike, 0.0);
    QVERIFY(four.of("air")->tables[0].largestStep > 0.005);
}

void FormulasTest::theMeterIsMultipliedByTheMixtureRatio() {
    const Example example("crane");
    auto channels = example.usual();
    const auto curve = *example.inCar->read(*example.inCar->definition().parameterWithRole("meter_curve"));
    // The signal at which the curve says the airflow.
    channels["meter_frequency"] = {
        "Hz", [curve](const Held& at) {
            size_t i = 1;
            while (i + 1 < curve.values.size() && curve.values[i] < at.airflow_kgh())
                ++i;
            const double share = (at.airflow_kgh() - curve.values[i - 1]) / (curve.values[i] - curve.values[i - 1]);
            return curve.x.values[i - 1] + share * (curve.x.values[i] - curve.x.values[i - 1]);
        }};
    channels["air_source"].second = always(1);
    channels["lambda_measured"].second = scaled(1.06);
    const auto made = example.correct({Example::drive(channels)}, "meter");
    const auto* meter = made.of("meter");
    QVERIFY2(meter && meter->standing == Standing::Worth, meter ? meter->line.c_str() : "");
    const auto& table = meter->tables[0];
    for (size_t i = 0; i < table.change.size(); ++i)
        if (table.fit.visits[i] >= 3)
            QVERIFY2(std::abs(table.change[i] - 0.06) < 0.005, qPrintable(QString::number(table.change[i])));
}

void FormulasTest::deadTimeIsWhatGrowsWithOneOverTheOpenTime() {
    // Of o us of opening 90 are lost: lambda is asked x o / (o - 90).
    constexpr double kLost_us = 90;
    const Example example;
    auto channels = example.usual();
    channels["lambda_measured"].second = [](const Held& at) { return 0.95 * at.open_us() / (at.open_us() - kLost_us); };
    const auto made = example.correct({Example::drive(channels)}, "injector");
    const auto* injector = made.of("injector");
    QVERIFY2(injector && injector->standing == Standing::Worth, injector ? injector->line.c_str() : "");
    const auto& estimate = injector->estimates[0];
    QCOMPARE(estimate.what, std::string_view("dead time"));
    QVERIFY2(std::abs(estimate.off - kLost_us) < estimate.doubt && estimate.doubt < 15,
             qPrintable(QString::number(estimate.off)));
    const auto before = example.values("injector_dead_time"), after = example.after(made, "injector_dead_time");
    for (size_t i = 0; i < before.size(); ++i)
        QVERIFY(std::abs(after[i] - before[i] - estimate.off) < 2);
}

void FormulasTest::flowIsWhatThePumpTells() {
    // 46 litres at the pump where 50 were reckoned: flow x 0.92; the mixture says the same, 8 % lean.
    const Example example;
    auto channels = example.usual();
    channels["lambda_measured"].second = scaled(1 / 0.92);
    proposals::CorrectionChoices choices;
    choices.facts.poured = 46.0 / 50;
    const auto made = example.correct({Example::drive(channels)}, "injector", choices);
    const double is = example.after(made, "injector_flow")[0] / example.values("injector_flow")[0];
    QVERIFY2(std::abs(is - 0.92) < 0.004, qPrintable(QString::number(is)));
    QVERIFY(example.correct({Example::drive(channels)}, "injector").edits().empty());
}

void FormulasTest::theBlendTakesWhatWarmerAirLacks() {
    // The share of the coolant lacks 0.1: ln r = -0.1 (88 - T intake) / T charge, at 0 and at 40 degC.
    constexpr double kLacks = 0.1, kKelvin = 273.15;
    const Example example;
    const auto blend = *example.inCar->read(*example.inCar->definition().parameterWithRole("charge_blend"));
    const double unit = blend.unit == "%" ? 0.01 : 1;
    evidence::Drives::Recordings drives;
    for (const double intake_C : {0.0, 40.0}) {
        auto channels = example.usual();
        channels["intake_temperature"].second = always(intake_C);
        channels["lambda_measured"].second = [&, intake_C](const Held& at) {
            const evidence::AxisLookup axis(blend.x.values);
            const double share =
                unit * evidence::bilinear(blend.values, blend.values.size(), 1, axis.locate(at.airflow_kgh()), {});
            const double charge_K = kKelvin + intake_C + share * (88 - intake_C);
            return 0.95 * std::exp(-kLacks * (88 - intake_C) / charge_K);
        };
        drives.push_back(Example::drive(channels));
    }
    proposals::CorrectionChoices far;
    far.settings["charge-temperature"] = {{"largest-step", 60}};
    const auto made = example.correct(drives, "charge-temperature", far);
    QVERIFY2(made.of("charge-temperature")->standing == Standing::Worth, made.of("charge-temperature")->line.c_str());
    const auto after = example.after(made, "charge_blend");
    size_t driven = 0;
    for (size_t i = 0; i < after.size(); ++i) {
        // Where air was driven; beyond it the curve follows.
        if (blend.x.values[i] < 20 || blend.x.values[i] > 170) continue;
        const double lacks = (after[i] - blend.values[i]) * unit;
        QVERIFY2(std::abs(lacks - kLacks) < 0.015, qPrintable(QString("%1: %2").arg(i).arg(lacks)));
        ++driven;
    }
    QVERIFY(driven >= 2);
}

void FormulasTest::altitudeTakesWhatThinnerAirLacks() {
    // ln r = 0.05 at 82 kPa, nil by the sea.
    constexpr double kLacks = 0.05, kHigh_kPa = 82;
    const Example example;
    const auto curve = *example.inCar->read(*example.inCar->definition().parameterWithRole("filling_altitude"));
    evidence::Drives::Recordings drives;
    for (const double outside_kPa : {100.0, kHigh_kPa}) {
        auto channels = example.usual();
        channels["barometric_pressure"].second = always(outside_kPa);
        channels["lambda_measured"].second = scaled(outside_kPa < 90 ? std::exp(kLacks) : 1);
        drives.push_back(Example::drive(channels));
    }
    const auto made = example.correct(drives, "altitude");
    QVERIFY2(made.of("altitude")->standing == Standing::Worth, made.of("altitude")->line.c_str());
    const auto after = example.after(made, "filling_altitude");
    const evidence::AxisLookup axis(curve.x.values);
    const auto at = [&](const std::vector<double>& values, double kPa) {
        return evidence::bilinear(values, values.size(), 1, axis.locate(kPa), {});
    };
    QVERIFY2(std::abs(std::log(at(after, kHigh_kPa) / at(curve.values, kHigh_kPa)) - kLacks) < 0.008,
             qPrintable(QString::number(at(after, kHigh_kPa) / at(curve.values, kHigh_kPa))));
    QVERIFY(std::abs(at(after, 100) / at(curve.values, 100) - 1) < 0.005);
}

void FormulasTest::theMeterTakesTheStepWhereOneModelHandsOver() {
    // Speed-density says 3 % more than the meter everywhere around the changeover.
    const Example example("crane");
    auto channels = example.usual();
    const double over_rpm = example.values("changeover_on")[0];
    channels["meter_frequency"] = {"Hz", [](const Held& at) { return 1000 + 20 * at.airflow_kgh(); }};
    channels["air_source"].second = [over_rpm](const Held& at) { return at.rpm > over_rpm ? 1 : 0; };
    channels["air_by_density"].second = [](const Held& at) { return 1.03 * at.air_mg(); };
    channels["air_per_cylinder"].second = [over_rpm](const Held& at) {
        return (at.rpm > over_rpm ? 1 : 1.03) * at.air_mg();
    };
    const auto made = example.correct({Example::drive(channels)}, "changeover");
    const auto* one = made.of("changeover");
    QVERIFY2(one && one->standing == Standing::Worth, one ? one->line.c_str() : "");
    QVERIFY2(std::abs(one->promise->now - 3) < 0.1, qPrintable(QString::number(one->promise->now)));
    const auto& table = one->tables[0];
    for (size_t i = 0; i < table.change.size(); ++i)
        if (table.fit.visits[i] >= 3)
            QVERIFY2(std::abs(table.change[i] - 0.03) < 0.004, qPrintable(QString::number(table.change[i])));
}

void FormulasTest::eachBankTakesHalfOfWhatTheyAreApart() {
    // (1 + 0.03)(1 + 0.01) / [(1 - 0.04)(1 + 0)] = 1.0836: the first less by its root, the second more.
    const Example example("crane");
    auto channels = example.usual();
    channels["lambda_asked"].second = channels["lambda_measured"].second = always(1);
    channels["short_trim"].second = always(-4), channels["long_trim"].second = always(0);
    channels["short_trim_2"] = {"%", always(3)}, channels["long_trim_2"] = {"%", always(1)};
    const auto made = example.correct({Example::drive(channels)}, "bank-trim");
    const auto* one = made.of("bank-trim");
    QVERIFY2(one && one->standing == Standing::Worth, one ? one->line.c_str() : "");
    const double apart = 1.03 * 1.01 / 0.96;
    QVERIFY(std::abs(one->estimates[0].off - 100 * std::log(apart)) < 0.05);
    const auto before = example.values("bank_trim"), after = example.after(made, "bank_trim");
    const auto factor = [](double pct) { return 1 + pct / 100; };
    QVERIFY2(std::abs(factor(after[0]) / factor(before[0]) * std::sqrt(apart) - 1) < 0.001,
             qPrintable(QString::number(after[0])));
    QVERIFY(std::abs(factor(after[1]) / factor(before[1]) / std::sqrt(apart) - 1) < 0.001);
}

void FormulasTest::fullLoadWaitsForSoMuchLess() {
    // Conditions are met when the foot is down; the mixture is asked for 1.8 s later, 0.4 s are wanted: the wait
    // becomes 1.4 s less, or nil.
    constexpr double kLate_s = 1.8, kWanted_s = 0.4, kDown_s = 3, kUp_s = 9, kStep_s = 0.01;
    const Example example;
    const auto target = *calibration::readRole(*example.inCar, "full_load_lambda");
    const double wait_s = example.values("full_load_delay")[0];
    recording::Recording drive;
    auto& rows = drive.groups.emplace_back();
    const auto add = [&](const char* role, const char* unit, const std::function<double(double)>& value) {
        std::vector<float> values;
        for (double t = 0; t < 12; t += kStep_s)
            values.push_back(static_cast<float>(value(t)));
        rows.channels.push_back({role, unit, "", role, std::move(values)});
    };
    for (double t = 0; t < 12; t += kStep_s)
        rows.time_s.push_back(t);
    const auto foot = [&](double t) { return t >= kDown_s && t < kUp_s; };
    const auto rpm = [&](double t) { return 2500 + (foot(t) ? 300 * (t - kDown_s) : 0); };
    const evidence::AxisLookup axis(target.x.values);
    const auto asked = [&](double t) {
        return foot(t) && t >= kDown_s + kLate_s
                   ? evidence::bilinear(target.values, target.values.size(), 1, axis.locate(rpm(t)), {})
                   : 1;
    };
    add("engine_speed", "rpm", rpm);
    add("pedal", "%", [&](double t) { return foot(t) ? 100 : 15; });
    add("throttle", "%", [&](double t) { return foot(t) ? 100 : 15; });
    add("manifold_pressure", "kPa", [&](double t) { return foot(t) ? 170 : 50; });
    add("lambda_asked", "lambda", asked);
    add("lambda_measured", "lambda", asked);
    add("coolant", "\u00b0C", [](double) { return 88; });
    add("short_trim", "%", [](double) { return 0; });
    add("long_trim", "%", [](double) { return 0; });
    add("fuel_cut", "", [](double) { return 0; });
    add("airflow", "kg/h", [&](double t) { return foot(t) ? 250 : 40; });
    const auto made = example.correct({std::make_shared<const recording::Recording>(std::move(drive))}, "full-load");
    const auto* one = made.of("full-load");
    QVERIFY2(one && one->standing != Standing::Waits, one ? one->line.c_str() : "");
    QVERIFY2(std::abs(one->promise->now - kLate_s) < 0.05, qPrintable(QString::number(one->promise->now)));
    const double becomes_s = std::max(0.0, wait_s - (kLate_s - kWanted_s));
    QVERIFY2(std::abs(example.after(made, "full_load_delay")[0] - becomes_s) < 0.06,
             qPrintable(QString("%1 of %2").arg(example.after(made, "full_load_delay")[0]).arg(wait_s)));
}

QTEST_GUILESS_MAIN(FormulasTest)
#include "FormulasTest.moc"
