// Every kind of correction on a car that is wrong in that part: what it says, what it changes, and that it stands on
// those before it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>
#include <cmath>
#include <map>

#include "DrivenKit.h"
#include "Expect.h"
#include "core/evidence/FuelReplay.h"
#include "core/job/Correct.h"
#include "core/proposals/correct/Air.h"

using namespace brusk;
using proposals::Standing;

namespace {

std::shared_ptr<const job::Kit> kitOf(const std::string& model) {
    static std::map<std::string, std::shared_ptr<const job::Kit>> kits;
    auto& kit = kits[model];
    if (!kit) {
        storage::RealFileSystem files;
        const bool crane = model == "crane";
        const auto loaded = job::loadKit(files, crane ? BRUSK_DATA_DIR "/crane/aldine-e2-v6.profile.json"
                                                      : BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
        if (!loaded) qFatal("%s", loaded.error().text().c_str());
        kit = *loaded;
    }
    return kit;
}

/// A car of the book that is wrong in one part, driven.
struct Wrong {
    std::shared_ptr<const job::Kit> kit;
    std::optional<calibration::Calibration> inCar;
    std::unique_ptr<evidence::Drives> drives;

    Wrong(const std::string& model, const char* part, double amount, const std::vector<std::string>& routes,
          const std::vector<benchcar::Weather>& weathers = {{20, 100}}, bool wideband = true)
        : kit(kitOf(model)) {
        benchcar::BenchCar car(*benchcar::buildNamed(model), 7);
        if (!wideband) car.fit(benchcar::BenchCar::Wideband::None);
        if (part) {
            benchcar::makeWrong(car.memory(), *benchcar::wrongPartNamed(part), amount);
            car.powerCycle();
        }
        inCar = bench::calibrationOf(*kit, car);
        evidence::Drives::Recordings recordings;
        for (const auto& weather : weathers) {
            car.stopRoute();
            car.plant().setWeather(weather);
            car.advanceTo(car.now_us() + 30000000);
            auto recorded = std::make_shared<recording::Recording>(*bench::drive(car, {kit}, routes).recordings[0]);
            if (!wideband)
                for (auto& group : recorded->groups)
                    std::erase_if(group.channels,
                                  [](const auto& channel) { return channel.role.starts_with("lambda_measured"); });
            recordings.push_back(recorded);
        }
        drives = std::make_unique<evidence::Drives>(recordings, job::evidenceOptions(*inCar));
    }

    proposals::Corrections correct(proposals::CorrectionChoices choices = {}) const {
        auto made = proposals::correctAll(*inCar, *drives, choices);
        if (!made) qFatal("%s", made.error().text().c_str());
        return std::move(*made);
    }
};

const Wrong& rightHeron() {
    static const Wrong out("heron", nullptr, 0, {"survey"});
    return out;
}

calibration::Calibration edited(const calibration::Calibration& of, const char* name, double factor, double plus = 0) {
    calibration::Calibration out = of;
    const auto table = *of.read(name);
    std::vector<calibration::CellValue> cells;
    for (size_t i = 0; i < table.values.size(); ++i)
        cells.push_back({i, table.values[i] * factor + plus});
    const auto edit = out.prepare(*of.definition().parameter(name), cells, calibration::AtLimit::Clamp, "test");
    if (!edit || !out.apply(*edit)) qFatal("%s can't be edited", name);
    return out;
}

double meanOf(const std::vector<float>& values) {
    double sum = 0, n = 0;
    for (const float v : values)
        if (std::isfinite(v)) sum += static_cast<double>(v), ++n;
    return sum / n;
}

proposals::CorrectionChoices only(const char* kind) {
    proposals::CorrectionChoices out;
    out.only = {kind};
    return out;
}

}  // namespace

class CorrectionsTest : public QObject {
    Q_OBJECT
  private slots:
    void everyKindSaysWhatItNeedsAndHowItIsSet();
    void aRightCalibrationIsHardlyTouched();
    void theSameBytesReplayedSayTheSame();
    void aReplayedMapCountsOnlyWhereItsModelIsUsed();
    void aReplayedDeadTimeCountsByTheOpenTime();
    void deadTimeIsFoundToTwentyMicroseconds();
    void flowNeedsASecondWitness();
    void whatIsWrongTogetherIsSaidAndSeparatedByFacts();
    void aMeterIsPutRightAndItsCurveStaysRising();
    void underLoadLessFuelIsGivenOnlyUpToTheDoubt();
    void farFromAnyEvidenceMoreFuelFollowsTheFitAndLessDoesNot();
    void whatBecomesLeanerUnderLoadIsSaid();
    void weatherGoesIntoItsOwnParameters_data();
    void weatherGoesIntoItsOwnParameters();
    void thinAirGoesOnInALineButToLessFuelOnlyWhereSomebodyWas();
    void oneWeatherIsNotEnoughToTellIt();
    void theModelsAreBroughtTogetherWhereOneHandsOver();
    void theBanksShareWhatTheirLoopsTrimApart();
    void aFullLoadThatComesLateComesInTime();
    void withoutAWidebandTheClosedLoopTells();
    void whatIsLeftOutIsNotStoodOn();
    void aStopEndsTheWorkBetweenKinds();
};

void CorrectionsTest::everyKindSaysWhatItNeedsAndHowItIsSet() {
    std::vector<std::string_view> order;
    for (const auto& need : roles::kKindNeeds)
        if (proposals::correctionKind(need.id)) order.push_back(need.id);
    const auto kinds = proposals::correctionKinds();
    QCOMPARE(kinds.size(), order.size());
    for (size_t i = 0; i < kinds.size(); ++i) {
        QCOMPARE(kinds[i].id, order[i]);
        QVERIFY(std::any_of(evidence::kFigures.begin(), evidence::kFigures.end(),
                            [&](const auto& figure) { return figure.id == kinds[i].figure; }));
        for (const auto& setting : kinds[i].settings)
            QVERIFY(setting.least <= setting.usual && setting.usual <= setting.most);
    }
    QVERIFY(!proposals::correctionKind("nonsense"));
}

void CorrectionsTest::aRightCalibrationIsHardlyTouched() {
    const auto made = rightHeron().correct();
    for (const char* id : {"injector", "charge-temperature", "altitude", "changeover"})
        QVERIFY2(made.of(id)->edits.empty(), qPrintable(QString::fromStdString(made.of(id)->line)));
    for (const auto& one : made.all) {
        if (one.standing == Standing::Worth) continue;
        QVERIFY(one.reason.find("change") == std::string::npos);
        for (const auto& table : one.tables)
            QVERIFY(table.changed == 0 && table.result == table.table.values && table.errorExpected == table.errorNow);
    }
    // What is made of the map all the same is small.
    calibration::Calibration after = *rightHeron().inCar;
    for (const auto& edit : made.edits())
        EXPECT_OK(after.apply(edit));
    const auto before = *rightHeron().inCar->read("ve_map"), then = *after.read("ve_map");
    double most = 0;
    for (size_t i = 0; i < before.values.size(); ++i)
        most = std::max(most, std::abs(then.values[i] / before.values[i] - 1));
    QVERIFY2(most < 0.015, qPrintable(QString::number(most)));
}

void CorrectionsTest::theSameBytesReplayedSayTheSame() {
    const auto& heron = rightHeron();
    const auto again = evidence::replayFuel(*heron.drives, *heron.inCar, *heron.inCar);
    const auto& one = heron.drives->mixture()->drives[0];
    const auto& other = again->mixture()->drives[0];
    QVERIFY(one.size() > 1000);
    QVERIFY(one.ratio == other.ratio && one.row == other.row);
    QCOMPARE(again->mixture()->without, heron.drives->mixture()->without);
}

void CorrectionsTest::aReplayedMapCountsOnlyWhereItsModelIsUsed() {
    const auto& heron = rightHeron();  // speed-density
    const auto& was = heron.drives->mixture()->drives[0];
    const auto fuller = evidence::replayFuel(*heron.drives, *heron.inCar, edited(*heron.inCar, "ve_map", 1.1));
    const auto& now = fuller->mixture()->drives[0];
    // Of more air reckoned there is less too much: r falls by the tenth, to one count of the map.
    QVERIFY(std::abs(meanOf(now.density) * 1.1 / meanOf(was.density) - 1) < 1e-3);
    QVERIFY(std::abs(meanOf(now.ratio) * 1.1 / meanOf(was.ratio) - 1) < 1e-3);
    QVERIFY(std::abs(meanOf(now.metered) / meanOf(was.metered) - 1) < 1e-9);
    const auto wider = evidence::replayFuel(*heron.drives, *heron.inCar, edited(*heron.inCar, "maf_curve", 1.2));
    QVERIFY(std::abs(meanOf(wider->mixture()->drives[0].metered) * 1.2 / meanOf(was.metered) - 1) < 2e-3);
    QVERIFY(std::abs(meanOf(wider->mixture()->drives[0].ratio) / meanOf(was.ratio) - 1) < 1e-9);
}

void CorrectionsTest::aReplayedDeadTimeCountsByTheOpenTime() {
    const auto& heron = rightHeron();
    const auto& was = heron.drives->mixture()->drives[0];
    const auto later = evidence::replayFuel(*heron.drives, *heron.inCar, edited(*heron.inCar, "dead_time", 1, 100));
    const auto& now = later->mixture()->drives[0];
    const auto pulse = (*heron.drives)[0].columnIfAny("injector_pulse"),
               battery = (*heron.drives)[0].columnIfAny("battery");
    const auto pulses = *evidence::pulseModel(*heron.inCar);
    for (size_t k = 0; k < was.size(); k += 97) {
        const double open_us =
            static_cast<double>(pulse[was.row[k]]) - pulses.dead(static_cast<double>(battery[was.row[k]]));
        // With 100 us more to open the recorded pulse gave that much less fuel.
        const double wanted = static_cast<double>(was.ratio[k]) * (open_us - 100) / open_us;
        QVERIFY(std::abs(static_cast<double>(now.ratio[k]) - wanted) < 1e-4);
    }
    // Flow and density are of the whole pulse.
    const auto larger = evidence::replayFuel(*heron.drives, *heron.inCar, edited(*heron.inCar, "injector_flow", 1.05));
    QVERIFY(std::abs(meanOf(larger->mixture()->drives[0].ratio) / meanOf(was.ratio) - 1.05) < 1e-3);
}

void CorrectionsTest::deadTimeIsFoundToTwentyMicroseconds() {
    const Wrong heron("heron", "injector", 120, {"survey", "town"});
    const auto made = heron.correct(only("injector"));
    const auto* one = made.of("injector");
    QVERIFY(one && one->standing == Standing::Worth);
    QCOMPARE(one->values.size(), size_t{1});
    const auto& change = one->values[0];
    QCOMPARE(change.parameter().name, std::string("dead_time"));
    const double moved = change.after.values[5] - change.before.values[5];
    QVERIFY2(std::abs(moved + 120) < 25, qPrintable(QString::number(moved)));
    // At every voltage alike.
    for (size_t i = 0; i < change.before.values.size(); ++i)
        QVERIFY(std::abs(change.after.values[i] - change.before.values[i] - moved) <= 1);
    QVERIFY(one->formula.find("1/r") != std::string::npos && one->promise->expected < one->promise->now);
}

void CorrectionsTest::flowNeedsASecondWitness() {
    const Wrong heron("heron", "injector-flow", 8, {"survey"});
    const auto blind = heron.correct(only("injector"));
    for (const auto& value : blind.of("injector")->values)
        QVERIFY(value.parameter().name != "injector_flow");
    QCOMPARE(blind.of("injector")->changes(), blind.of("injector")->promise->gain() > 0);
    QVERIFY(blind.of("injector")->reason.find("can't be told from air") != std::string::npos);
    auto told = only("injector");
    told.facts.poured = 1 / 1.08;  // less was used than was reckoned
    const auto made = heron.correct(told);
    const auto* one = made.of("injector");
    QVERIFY(one->standing == Standing::Worth);
    const auto flow = std::find_if(one->values.begin(), one->values.end(),
                                   [](const auto& value) { return value.parameter().name == "injector_flow"; });
    QVERIFY(flow != one->values.end());
    QVERIFY2(std::abs(flow->after.values[0] / flow->before.values[0] * 1.08 - 1) < 0.007,
             qPrintable(QString::number(flow->after.values[0] / flow->before.values[0])));
}

void CorrectionsTest::whatIsWrongTogetherIsSaidAndSeparatedByFacts() {
    // Dead time, flow, meter and filling wrong at once, and a fuel pressure that does not follow the manifold.
    constexpr double kDead_us = 110, kFlow_pct = 8;
    const auto kit = kitOf("crane");
    benchcar::BenchCar car(*benchcar::buildNamed("crane"), 7);
    for (const auto& [part, amount] : {std::pair("injector", kDead_us), std::pair("injector-flow", kFlow_pct),
                                       std::pair("meter", -6.0), std::pair("air", 7.0)})
        benchcar::makeWrong(car.memory(), *benchcar::wrongPartNamed(part), amount);
    car.powerCycle();
    const auto inCar = bench::calibrationOf(*kit, car);
    const auto correct = [&](const evidence::MixtureFacts& facts) {
        const auto driven = bench::drive(car, {kit}, {"survey"});
        const evidence::Drives drives({driven.recordings[0]}, job::evidenceOptions(inCar));
        auto choices = only("injector");
        choices.facts = facts;
        auto made = proposals::correctAll(inCar, drives, choices);
        if (!made) qFatal("%s", made.error().text().c_str());
        return std::move(*made);
    };
    // Of the drive alone nothing is made, and what would tell is named.
    car.faults().regulatorUnreferenced = 1;
    const auto blind = correct({});
    QVERIFY(blind.edits().empty());
    QVERIFY2(blind.of("injector")->standing == Standing::Waits, blind.of("injector")->line.c_str());
    QVERIFY(!blind.blame.notApart.empty());
    const auto names = [&](const char* what) {
        return std::any_of(blind.blame.notApart.begin(), blind.blame.notApart.end(), [&](const auto& pair) {
            return evidence::sentenceOf(pair).find(what) != std::string::npos;
        });
    };
    QVERIFY(names("can't be told apart") && names("tell the litres"));
    // The gauge has found the hose; the pump and the injectors' bench have spoken.
    car.faults().regulatorUnreferenced = 0;
    evidence::MixtureFacts facts;
    facts.railFollows = true, facts.poured = 1 / (1 + kFlow_pct / 100), facts.deadTime_ms = -kDead_us / 1000;
    const auto made = correct(facts);
    const auto* one = made.of("injector");
    QVERIFY2(one->standing == Standing::Worth, one->line.c_str());
    QCOMPARE(one->estimates.size(), size_t{2});
    QVERIFY2(std::abs(one->estimates[0].off + kDead_us) < 20, qPrintable(QString::number(one->estimates[0].off)));
    QVERIFY2(std::abs(one->estimates[1].off - 100 * std::log(*facts.poured)) < 1,
             qPrintable(QString::number(one->estimates[1].off)));
}

void CorrectionsTest::aMeterIsPutRightAndItsCurveStaysRising() {
    const Wrong crane("crane", "meter", 9, {"survey"});
    const auto made = crane.correct(only("meter"));
    const auto* one = made.of("meter");
    QVERIFY2(one && one->standing == Standing::Worth, one ? one->line.c_str() : "");
    const auto& table = one->tables[0];
    QVERIFY(table.now.rms > 0.07 && table.expected < 0.01);
    for (size_t i = 1; i < table.result.size(); ++i)
        QVERIFY(table.result[i] >= table.result[i - 1]);
    // Nobody drove where most flows: less fuel is given to what was seen only, and that is said.
    QVERIFY(table.fit.visits.back() == 0 && table.change.back() == 0);
    const auto says = [](const proposals::Correction& of, const char* what) {
        return std::any_of(of.warnings.begin(), of.warnings.end(),
                           [&](const std::string& warning) { return warning.find(what) != std::string::npos; });
    };
    QVERIFY(says(*one, "the curve stays as it is"));
    // The air that the controller used is the meter's: by replay it is right then.
    QVERIFY(made.now.rms > 0.07 && made.expected.rms < 0.012);
    // More fuel is given to the end as well: it moves with the nearest that is known, and keeps its shape.
    const Wrong lean("crane", "meter", -9, {"survey"});
    const auto richer = lean.correct(only("meter"));
    QCOMPARE(richer.of("meter")->standing, Standing::Worth);
    const auto& change = richer.of("meter")->tables[0].change;
    QVERIFY(std::abs(change.back() - change[change.size() - 2]) < 0.004);
    QVERIFY(std::abs(change.back() - 0.1) < 0.02);
    QVERIFY(!says(*richer.of("meter"), "the curve stays as it is"));
}

void CorrectionsTest::underLoadLessFuelIsGivenOnlyUpToTheDoubt() {
    evidence::CellFit fit;
    fit.rows = 1, fit.columns = 4;
    fit.factor = {0.95, 0.95, 1.05, 0.95}, fit.doubt = {0.003, 0.003, 0.003, 0.003};
    fit.visits = {9, 9, 9, 0};
    proposals::Caution caution;
    caution.wideband = 0.004;
    const auto factor = proposals::knownFactors(fit, caution, {false, true, true, true});
    QCOMPARE(factor[0], 0.95);
    QVERIFY(std::abs(factor[1] - 0.95 * std::exp(0.005)) < 1e-12);  // hypot(0.003, 0.004) less lean
    QCOMPARE(factor[2], 1.05);                                      // richer at once
    QCOMPARE(factor[3], 1.0);                                       // and never leaner where nobody was
}

void CorrectionsTest::farFromAnyEvidenceMoreFuelFollowsTheFitAndLessDoesNot() {
    // Driven at one end only; what all cells say alike is left out of the sum here.
    evidence::CellFit fit;
    fit.rows = 1, fit.columns = 4;
    fit.doubt = {0.003, 0.02, 0.03, 0.2}, fit.visits = {9, 0, 0, 0};
    proposals::Caution caution;
    caution.alike = 0;
    fit.factor = {1.08, 1.07, 1.05, 1.04};
    const auto richer = proposals::knownFactors(fit, caution, {});
    QVERIFY(richer[0] == 1.08 && richer[1] == 1.07 && richer[2] == 1.05);
    fit.factor[2] = 1.02;  // no more than it may be off itself
    QCOMPARE(proposals::knownFactors(fit, caution, {})[2], 1.0);
    QCOMPARE(richer[3], 1.0);  // of which nothing is known
    fit.factor = {0.92, 0.93, 0.95, 0.96};
    const auto leaner = proposals::knownFactors(fit, caution, {});
    QVERIFY(leaner[0] == 0.92 && leaner[1] == 0.93);
    QVERIFY(leaner[2] == 1.0 && leaner[3] == 1.0);
}

void CorrectionsTest::whatBecomesLeanerUnderLoadIsSaid() {
    const Wrong rich("heron", "air", 8, {"survey", "pulls-3"}), lean("heron", "air", -8, {"survey", "pulls-3"});
    const auto said = [](const Wrong& car) { return car.correct(only("air")).of("air")->loosened; };
    QCOMPARE(said(rich).size(), size_t{1});
    QVERIFY2(said(rich)[0].starts_with("Under load"), said(rich)[0].c_str());
    QVERIFY(said(lean).empty());
}

void CorrectionsTest::weatherGoesIntoItsOwnParameters_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<double>("amount");
    QTest::addColumn<double>("otherTemperature");
    QTest::addColumn<double>("otherPressure");
    QTest::newRow("charge temperature") << "charge-temperature" << 50.0 << -8.0 << 100.0;
    QTest::newRow("altitude") << "altitude" << 9.0 << 20.0 << 82.0;
}

void CorrectionsTest::weatherGoesIntoItsOwnParameters() {
    QFETCH(QString, kind);
    QFETCH(double, amount);
    QFETCH(double, otherTemperature);
    QFETCH(double, otherPressure);
    const std::string id = kind.toStdString();
    const Wrong crane("crane", id.c_str(), amount, {"survey"},
                      {{otherTemperature < 20 ? 35.0 : 20.0, 100}, {otherTemperature, otherPressure}});
    const auto made = crane.correct();
    const auto* one = made.of(id);
    QVERIFY2(one && one->standing == Standing::Worth, one ? one->line.c_str() : "");
    const auto& change = one->values[0];
    // Towards what it was: by most of the amount where it was driven in.
    double most = 0;
    for (size_t i = 0; i < change.before.values.size(); ++i)
        if (change.before.values[i] != 0) most = std::min(most, change.after.values[i] / change.before.values[i] - 1);
    QVERIFY2(most < -0.02, qPrintable(QString::number(most)));
    QVERIFY(one->promise->expected < 0.5 * one->promise->now);
}

void CorrectionsTest::thinAirGoesOnInALineButToLessFuelOnlyWhereSomebodyWas() {
    // Wrong in proportion to how thin the air is; driven by the sea and at 84 kPa, between the second node and the
    // third.
    const auto madeOf = [](double amount) {
        const Wrong crane("crane", "altitude", amount, {"survey"}, {{20, 101}, {20, 84}});
        const auto all = crane.correct(only("altitude"));
        const auto* one = all.of("altitude");
        std::vector<double> out;
        if (!one || one->values.empty()) return out;
        const auto& change = one->values[0];
        for (size_t i = 0; i < change.before.values.size(); ++i)
            out.push_back(100 * std::log(change.after.values[i] / change.before.values[i]));
        return out;
    };
    const auto richer = madeOf(-8), leaner = madeOf(8);
    QCOMPARE(richer.size(), size_t{5});
    QCOMPARE(leaner.size(), size_t{5});
    // 60, 75 and 88 kPa: the line goes on, twice as far from the sea nearly twice as much.
    QVERIFY2(richer[0] > 1.25 * richer[1] && richer[1] > 1.4 * richer[2] && richer[2] > 1,
             qPrintable(QString("%1 %2 %3").arg(richer[0]).arg(richer[1]).arg(richer[2])));
    QVERIFY2(leaner[1] < 1.4 * leaner[2] && leaner[2] < -1, qPrintable(QString("%1").arg(leaner[1])));
    QVERIFY2(leaner[0] > leaner[1] - 0.8, qPrintable(QString("%1 %2").arg(leaner[0]).arg(leaner[1])));  // one count
    QVERIFY(std::abs(richer[3]) < 0.8 && std::abs(leaner[3]) < 0.8);                                    // by the sea
}

void CorrectionsTest::oneWeatherIsNotEnoughToTellIt() {
    const auto made = rightHeron().correct();
    for (const char* id : {"charge-temperature", "altitude"}) {
        QVERIFY(made.of(id)->standing != Standing::Worth);
        QVERIFY(made.of(id)->edits.empty());
    }
}

void CorrectionsTest::theModelsAreBroughtTogetherWhereOneHandsOver() {
    const Wrong crane("crane", "changeover", 8, {"survey"});
    const auto apart = crane.correct(only("changeover"));
    QVERIFY2(apart.of("changeover")->standing == Standing::Worth, apart.of("changeover")->line.c_str());
    QVERIFY(apart.of("changeover")->promise->now > 4);
    // Once meter and air are right no step is left.
    proposals::CorrectionChoices choices;
    choices.only = {"meter", "air", "changeover"};
    const auto made = crane.correct(choices);
    QVERIFY2(made.of("changeover")->standing == Standing::Right, made.of("changeover")->line.c_str());
    QVERIFY(made.of("changeover")->promise->now < 1);
}

void CorrectionsTest::theBanksShareWhatTheirLoopsTrimApart() {
    const Wrong crane("crane", "bank-trim", 4, {"survey"});
    const auto made = crane.correct(only("bank-trim"));
    const auto* one = made.of("bank-trim");
    QVERIFY2(one && one->standing == Standing::Worth, one ? one->line.c_str() : "");
    const auto& change = one->values[0];
    // Two more to the first, two less to the second: both are taken back, about the mean.
    const double first = change.after.values[0] - change.before.values[0],
                 second = change.after.values[1] - change.before.values[1];
    QVERIFY2(first < -0.8 && second > 0.8, qPrintable(QString("%1 %2").arg(first).arg(second)));
    QVERIFY(std::abs(first + second) < 0.25);
    QVERIFY(!one->points.empty() && one->points[0].moment);
    QVERIFY(one->points[0].moment->to_s > one->points[0].moment->from_s);
    // One bank has nothing to balance.
    QVERIFY(!rightHeron().correct(only("bank-trim")).of("bank-trim"));
}

void CorrectionsTest::aFullLoadThatComesLateComesInTime() {
    const Wrong heron("heron", "full-load", 2, {"pulls-3"});
    const auto made = heron.correct(only("full-load"));
    const auto* one = made.of("full-load");
    QVERIFY2(one && one->standing == Standing::Worth, one ? one->line.c_str() : "");
    QVERIFY(one->promise->now > 2 && one->promise->expected < 0.9);
    QCOMPARE(one->values[0].parameter().name, std::string("full_load_delay"));
    QVERIFY(one->values[0].after.values[0] < one->values[0].before.values[0] - 1.5);
    auto later = only("full-load");
    later.settings["full-load"] = {{"wanted", 2.0}};
    const auto gentler = heron.correct(later);
    QVERIFY(gentler.of("full-load")->values[0].after.values[0] > one->values[0].after.values[0] + 1);
    // Without a pull nobody can say.
    QVERIFY(Wrong("heron", nullptr, 0, {"idle"}).correct(only("full-load")).of("full-load")->standing ==
            Standing::Waits);
}

void CorrectionsTest::withoutAWidebandTheClosedLoopTells() {
    const Wrong heron("heron", "air", 8, {"survey"}, {{20, 100}}, false);
    EXPECT_OK(heron.drives->mixture());
    QVERIFY(heron.drives->mixture()->size() > 2000);
    QVERIFY(!heron.drives->mixture()->without.empty());
    QVERIFY(heron.drives->mixture()->without[0].find("has no wideband") != std::string::npos);
    const auto made = heron.correct(only("air"));
    const auto* one = made.of("air");
    QVERIFY2(one && one->standing == Standing::Worth, one ? one->line.c_str() : "");
    size_t closed = 0;
    for (size_t i = 0; i < one->tables[0].change.size(); ++i) {
        const double kPa = one->tables[0].table.y.values[i / one->tables[0].table.columns];
        if (one->tables[0].fit.visits[i] < 1) continue;
        if (kPa < 80) {
            QVERIFY2(std::abs(one->tables[0].change[i] + 0.074) < 0.03,
                     qPrintable(QString("%1: %2").arg(i).arg(one->tables[0].change[i])));
            ++closed;
        }
    }
    QVERIFY(closed > 10);
}

void CorrectionsTest::whatIsLeftOutIsNotStoodOn() {
    const Wrong crane("crane", "changeover", 8, {"survey"});
    proposals::CorrectionChoices all, without;
    all.only = without.only = {"meter", "air", "changeover"};
    without.left = {"meter"};
    const auto whole = crane.correct(all), part = crane.correct(without);
    QVERIFY(part.of("meter")->standing == Standing::Worth);
    QVERIFY(std::none_of(part.made.begin(), part.made.end(), [](const auto* one) { return one->kind->id == "meter"; }));
    // The step that the meter would have taken away is there for the next kind.
    QVERIFY(part.of("changeover")->promise->now > whole.of("changeover")->promise->now + 2);
    QCOMPARE(part.of("changeover")->standing, Standing::Worth);
}

void CorrectionsTest::aStopEndsTheWorkBetweenKinds() {
    int asked = 0;
    const auto made = proposals::correctAll(*rightHeron().inCar, *rightHeron().drives, {}, [&] { return ++asked > 2; });
    EXPECT_OK(made);
    QCOMPARE(made->all.size(), size_t{2});
}

QTEST_GUILESS_MAIN(CorrectionsTest)
#include "CorrectionsTest.moc"
