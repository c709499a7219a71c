// Findings: faults of the bench car are found first by the checks that are for them, a healthy car is left in peace.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "DrivenKit.h"
#include "Expect.h"
#include "benchcar/cars/Factory.h"
#include "core/evidence/Finding.h"
#include "core/job/LookForFaults.h"
#include "core/recording/ImportPlan.h"
#include "core/recording/csv/Csv.h"

using namespace brusk;
using namespace brusk::evidence;

namespace {

/// Drives of one car, over several routes each in a recording of its own, with the bytes that were in it.
struct Car {
    explicit Car(uint64_t seed = 1, const benchcar::Build& build = benchcar::kHeronStock)
        : car(build, seed), kit(bench::kitOf(build)) {}
    Findings over(const std::vector<std::string>& routes, bool withBytes = true) {
        auto driven = bench::drive(car, {kit}, routes);
        drives = std::make_unique<Drives>(Drives::Recordings{driven.recordings[0]});
        const auto calibration = bench::calibrationOf(*kit, car);
        return findingsOf(*drives, withBytes ? &calibration : nullptr);
    }
    benchcar::BenchCar car;
    std::shared_ptr<const job::Kit> kit;
    std::unique_ptr<Drives> drives;
};

QString idsOf(const Findings& findings, Seriousness least = Seriousness::Note) {
    QStringList out;
    for (const auto& one : findings.found)
        if (one.seriousness >= least) out << qs(std::string(one.check)) + " (" + qs(one.seen) + ")";
    return out.join("; ");
}

const Finding* find(const Findings& findings, std::string_view check) {
    for (const auto& one : findings.found)
        if (one.check == check) return &one;
    return nullptr;
}

}  // namespace

class FindingsTest : public QObject {
    Q_OBJECT
  private slots:
    void everyCheckIsInTheTableAndInItsOrder();
    void aFaultIsFoundFirst_data();
    void aFaultIsFoundFirst();
    void aCalibrationThatIsWrongInOnePartIsFound_data();
    void aCalibrationThatIsWrongInOnePartIsFound();
    void aHealthyCarIsLeftInPeace_data();
    void aHealthyCarIsLeftInPeace();
    void aFindingSaysWhereAndWhatToDo();
    void whatCameOnTheWayIsFoundWhereItWas();
    void whatMayBeTheBytesFaultIsLearnedFromAllTheSame();
    void whatIsSickIsTainted();
    void whatLacksIsNamed();
    void theMostSeriousComesFirst();
    void whatFollowsFromAnotherIsANoteBeneathIt();
    void whatWasSeenWhileTheSensorWasWellStandsForItself();
    void whatIsSickIsLeftOutOfEvidenceUntilItIsPutBack();
    void aTableWithoutAHeadIsFoundToBeOfOtherBytes();
    void aSteadyRowSaysWhatTheCarDid();
    void aLineIsDrawnThroughWhatMostPointsSay();
    void nothingDrivenIsNothingFound();
};

void FindingsTest::everyCheckIsInTheTableAndInItsOrder() {
    size_t last = 0;
    for (const Check& check : allChecks()) {
        size_t at = 0;
        while (at < std::size(roles::kCheckNeeds) && roles::kCheckNeeds[at].id != check.id)
            ++at;
        QVERIFY(at < std::size(roles::kCheckNeeds));
        QVERIFY2(at >= last, check.id.data());
        last = at;
    }
    // But for one: a wideband before the turbine reads as a richer pull does.
    QCOMPARE(allChecks().size() + 1, std::size(roles::kCheckNeeds));
}

void FindingsTest::aFaultIsFoundFirst_data() {
    QTest::addColumn<QString>("fault");
    QTest::addColumn<QStringList>("routes");
    QTest::addColumn<QString>("checks");
    const auto add = [](const char* fault, const QStringList& routes, const char* checks) {
        QTest::newRow(fault) << fault << routes << checks;
    };
    add("wideband:stuck", {"town"}, "wideband-dead");
    add("wideband:dead", {"town"}, "wideband-dead");
    add("wheel:dead", {"town"}, "wheel-dead");
    add("alternator-dead=2", {"town"}, "battery-low");
    add("low-battery=11", {"town"}, "battery-low");
    add("poor-fuel=84", {"pulls-3", "pulls-4"}, "knock");
    add("poor-fuel=86", {"pulls-3", "pulls-4"}, "knock");
    add("wastegate-stuck=0", {"pulls-3", "pulls-4"}, "wastegate-stuck-shut overboost");
    add("wastegate-stuck=1", {"pulls-3", "pulls-4"}, "wastegate-stuck-open");
    add("wastegate-stuck=0.7", {"pulls-3", "pulls-4"}, "wastegate-stuck-open");
    add("throttle-ceiling=0.3", {"pulls-3", "pulls-4"}, "throttle-closes");
    add("weak-pump=0.15", {"pulls-3", "pulls-4"}, "fuel-pressure-falls");
    add("weak-pump=0.12", {"pulls-3", "pulls-4"}, "fuel-pressure-falls");
    add("pedal:dead", {"town"}, "pedal-dead");
    add("wideband:slow=2", {"town", "hills", "coast-downs"}, "wideband-slow");
    add("wideband-cold=90", {"town"}, "wideband-cold");
    add("wideband:offset=0.12", {"town", "hills"}, "wideband-scale");
    add("wideband-leak=0.8", {"town", "hills", "motorway"}, "wideband-leak");
    add("exhaust-leak=0.8", {"town", "hills", "motorway"}, "exhaust-leak");
    add("wideband-late-pipe=2500", {"town", "hills", "motorway"}, "wideband-late-pipe");
    add("narrowband:dead", {"town", "hills"}, "narrowband-dead");
    add("meter:dead", {"town"}, "meter-dead");
    add("meter:scaled=1.12", {"town", "hills"}, "meter-disagrees");
    add("throttle:offset=0.4", {"town", "hills"}, "throttle-offset");
    add("wheel:scaled=1.2", {"town", "hills"}, "speed-scale");
    add("injector-dead", {"town"}, "misfire");
    add("injector-lean=0.6", {"town"}, "one-cylinder misfire");
    add("regulator-unreferenced", {"town", "pulls-3", "pulls-4"}, "regulator");
    add("knock:dead", {"town", "pulls-3"}, "knock-deaf");
    add("coolant:dead", {"town"}, "coolant-stuck");
    add("coolant:stuck", {"cold-start"}, "coolant-stuck");
}

void FindingsTest::aFaultIsFoundFirst() {
    QFETCH(QString, fault);
    QFETCH(QStringList, routes);
    QFETCH(QString, checks);
    std::vector<std::string> names;
    for (const QString& route : routes)
        names.push_back(route.toStdString());
    for (const uint64_t seed : {1, 2}) {
        Car car(seed);
        EXPECT_OK(benchcar::addFault(car.car.faults(), fault.toStdString()));
        const auto findings = car.over(names);
        const auto first = std::find_if(findings.found.begin(), findings.found.end(),
                                        [](const Finding& one) { return one.seriousness >= Seriousness::Warn; });
        QVERIFY2(first != findings.found.end() && checks.split(' ').contains(qs(std::string(first->check))),
                 qPrintable(idsOf(findings)));
    }
}

void FindingsTest::aCalibrationThatIsWrongInOnePartIsFound_data() {
    QTest::addColumn<QString>("part");
    QTest::addColumn<double>("amount");
    QTest::addColumn<QStringList>("routes");
    QTest::addColumn<QString>("check");
    QTest::newRow("rich") << "injector-flow" << -25.0 << QStringList{"pulls-3", "pulls-4"} << "rich-under-load";
    QTest::newRow("lean") << "injector-flow" << 20.0 << QStringList{"pulls-3", "pulls-4"} << "lean-under-load";
    QTest::newRow("trims") << "injector-flow" << -35.0 << QStringList{"town"} << "trim-at-stop";
}

void FindingsTest::aCalibrationThatIsWrongInOnePartIsFound() {
    QFETCH(QString, part);
    QFETCH(double, amount);
    QFETCH(QStringList, routes);
    QFETCH(QString, check);
    std::vector<std::string> names;
    for (const QString& route : routes)
        names.push_back(route.toStdString());
    Car car;
    benchcar::makeWrong(car.car.memory(), *benchcar::wrongPartNamed(part.toStdString()), amount);
    car.car.powerCycle();
    const auto findings = car.over(names);
    QVERIFY2(find(findings, check.toStdString()), qPrintable(idsOf(findings)));
}

void FindingsTest::aHealthyCarIsLeftInPeace_data() {
    QTest::addColumn<QStringList>("routes");
    QTest::newRow("pulls") << QStringList{"pulls-3", "pulls-4"};
    QTest::newRow("town") << QStringList{"town", "hills"};
    QTest::newRow("motorway") << QStringList{"motorway"};
    QTest::newRow("tip-ins") << QStringList{"tip-ins", "coast-downs"};
    QTest::newRow("cold") << QStringList{"cold-start"};
    QTest::newRow("frost") << QStringList{"cold-start-minus-10"};
    QTest::newRow("idle") << QStringList{"idle", "idle-loads"};
    QTest::newRow("pass") << QStringList{"mountain"};
    QTest::newRow("survey") << QStringList{"survey"};
    QTest::newRow("tank") << QStringList{"refuelling"};
}

void FindingsTest::aHealthyCarIsLeftInPeace() {
    QFETCH(QStringList, routes);
    std::vector<std::string> names;
    for (const QString& route : routes)
        names.push_back(route.toStdString());
    for (const char* model : {"heron", "crane"})
        for (const uint64_t seed : {1, 2, 3}) {
            Car car(seed, bench::drawnBuild(model, seed));
            const auto findings = car.over(names);
            QVERIFY2(idsOf(findings, Seriousness::Warn).isEmpty(), qPrintable(idsOf(findings, Seriousness::Warn)));
        }
}

void FindingsTest::whatCameOnTheWayIsFoundWhereItWas() {
    constexpr double kFrom_s = 240;
    // The lines hold 120 g of the old fuel: half of the change is there after two minutes in town.
    for (const auto& [fault, check, near_s] : {std::tuple("exhaust-leak=0.6@240-", "exhaust-leak", 60.0),
                                               std::tuple("other-fuel=0.5@240-", "fuel-changed", 130.0)}) {
        Car car;
        benchcar::FaultPlan plan;
        EXPECT_OK(plan.add(fault));
        car.car.planFaults(plan);
        const auto findings = car.over({"town", "hills", "motorway"});
        const Finding* found = find(findings, check);
        QVERIFY2(found, qPrintable(idsOf(findings)));
        QVERIFY2(std::abs(found->where.at(0).from_s - kFrom_s) < near_s,
                 qPrintable(QString("%1: %2").arg(fault).arg(found->where[0].from_s)));
    }
}

void FindingsTest::whatMayBeTheBytesFaultIsLearnedFromAllTheSame() {
    for (const auto& [fault, check] :
         {std::pair("exhaust-leak=0.8", "exhaust-leak"), std::pair("pressure:scaled=0.88", "pressure-scale")}) {
        Car car;
        EXPECT_OK(benchcar::addFault(car.car.faults(), fault));
        const auto findings = car.over({"town", "hills", "motorway"});
        const Finding* found = find(findings, check);
        QVERIFY2(found, qPrintable(idsOf(findings)));
        QVERIFY(found->certainty > 0.8 && !found->leavesOut());
        // What it can't be told from is said, with what would tell.
        QVERIFY(!found->notApart.empty());
        for (const std::string& sentence : found->notApart)
            QVERIFY2(sentence.find("this would tell: ") != std::string::npos, sentence.c_str());
    }
}

void FindingsTest::aFindingSaysWhereAndWhatToDo() {
    Car car;
    EXPECT_OK(benchcar::addFault(car.car.faults(), "wastegate-stuck=0"));
    const auto findings = car.over({"pulls-3"});
    const auto* over = find(findings, "overboost");
    QVERIFY(over);  // it follows from the wastegate, and says so
    QVERIFY(over->because == "wastegate-stuck-shut");
    QVERIFY(over->certainty > 0 && over->certainty <= 1 && !over->seen.empty() && !over->todo.empty());
    QVERIFY(!over->means.empty() && over->means.size() <= 2 && over->where.size() == 3);
    for (const auto& where : over->where)
        QVERIFY(where.drive == 0 && where.to_s > where.from_s);
    QVERIFY(over->place.station == "Correct" && over->place.kind == "boost");
    // Every sentence has its numbers.
    for (const auto& one : findings.found)
        QVERIFY2(one.seen.find('{') == std::string::npos && one.seen.find("nan") == std::string::npos,
                 one.seen.c_str());
    QVERIFY(findings.couldNot.empty() || findings.looked.size() + findings.couldNot.size() == allChecks().size());
}

void FindingsTest::whatIsSickIsTainted() {
    benchcar::FaultPlan plan;
    EXPECT_OK(plan.add("wideband:stuck@100-"));
    Car car;
    car.car.planFaults(plan);
    const auto findings = car.over({"town"});
    const auto* dead = find(findings, "wideband-dead");
    QVERIFY2(dead, qPrintable(idsOf(findings)));
    QVERIFY(!dead->taints.empty() && dead->taints[0].role == roles::Role("lambda_measured"));
    QVERIFY2(dead->taints[0].where.from_s > 95 && dead->taints[0].where.from_s < 125,
             qPrintable(QString::number(dead->taints[0].where.from_s)));
}

void FindingsTest::whatLacksIsNamed() {
    recording::Recording r;
    r.groups.resize(1);
    r.groups[0].rate_hz = 10;
    r.groups[0].time_s = std::vector<double>{0, 0.1, 0.2};
    r.groups[0].channels = {{"n", "rpm", "", "engine_speed", std::vector<float>{900, 900, 900}}};
    const Drives drives({std::make_shared<const recording::Recording>(r)});
    const auto findings = findingsOf(drives, nullptr);
    QVERIFY(findings.found.empty());
    const auto at = std::find_if(findings.couldNot.begin(), findings.couldNot.end(),
                                 [](const auto& one) { return one.check == "battery-low"; });
    QVERIFY(at != findings.couldNot.end() && at->lacks == std::vector<roles::Role>{"battery"});
    QVERIFY(std::find(findings.looked.begin(), findings.looked.end(), "gaps") != findings.looked.end());
}

void FindingsTest::theMostSeriousComesFirst() {
    Car car;
    EXPECT_OK(benchcar::addFault(car.car.faults(), "wastegate-stuck=0"));
    EXPECT_OK(benchcar::addFault(car.car.faults(), "alternator-dead=2"));
    const auto findings = car.over({"pulls-3", "pulls-4"});
    QVERIFY2(findings.found.size() >= 2, qPrintable(idsOf(findings)));
    for (size_t i = 1; i < findings.found.size(); ++i) {
        const auto &a = findings.found[i - 1], &b = findings.found[i];
        QVERIFY(a.seriousness > b.seriousness || (a.seriousness == b.seriousness && a.certainty >= b.certainty));
    }
    QVERIFY(find(findings, "battery-low") && find(findings, "overboost"));
}

void FindingsTest::whatFollowsFromAnotherIsANoteBeneathIt() {
    Car car;
    EXPECT_OK(benchcar::addFault(car.car.faults(), "weak-pump=0.12"));
    const auto findings = car.over({"pulls-3", "pulls-4"});
    const auto *cause = find(findings, "fuel-pressure-falls"), *effect = find(findings, "lean-under-load");
    QVERIFY2(cause && effect, qPrintable(idsOf(findings)));
    QVERIFY(cause->because.empty() && cause->seriousness == Seriousness::Danger);
    QVERIFY(effect->because == "fuel-pressure-falls" && effect->seriousness == Seriousness::Note);
    QVERIFY(cause < effect);
}

void FindingsTest::whatWasSeenWhileTheSensorWasWellStandsForItself() {
    benchcar::FaultPlan plan;
    EXPECT_OK(plan.add("wideband:stuck@60-200"));
    EXPECT_OK(plan.add("weak-pump=0.12"));
    Car car;
    car.car.planFaults(plan);
    const auto findings = car.over({"town", "pulls-3", "pulls-4"});
    const auto *dead = find(findings, "wideband-dead"), *falls = find(findings, "fuel-pressure-falls");
    QVERIFY2(dead && falls, qPrintable(idsOf(findings)));
    QVERIFY(falls->because.empty() && falls->seriousness == Seriousness::Danger);
    QVERIFY(dead->because.empty() && dead->seriousness == Seriousness::Warn);
}

void FindingsTest::whatIsSickIsLeftOutOfEvidenceUntilItIsPutBack() {
    benchcar::FaultPlan plan;
    EXPECT_OK(plan.add("wideband:stuck@150-"));
    Car car;
    car.car.planFaults(plan);
    const auto driven = bench::drive(car.car, {car.kit}, {"town"});
    const auto inCar = bench::calibrationOf(*car.kit, car.car);
    const auto drives =
        std::make_shared<const Drives>(Drives::Recordings{driven.recordings[0]}, job::evidenceOptions(inCar));
    QVERIFY(!drives->findings());
    const auto looked = job::lookedAt(drives, inCar, {});
    QVERIFY(looked->findings() && !looked->findings()->found.empty());
    EXPECT_OK(looked->mixture());
    const auto& all = *drives->mixture();
    const auto& left = *looked->mixture();
    QVERIFY(left.leftOut.of("wideband-dead") > 1000);
    QVERIFY(left.size() > 0 && left.size() < all.size());
    const auto time = (*looked)[0].time_s();
    for (const uint32_t row : left.drives[0].row)
        QVERIFY2(time[row] < 170, qPrintable(QString::number(time[row])));
    // Somebody knows better.
    const auto back = job::lookedAt(drives, inCar, {"wideband-dead"});
    QCOMPARE(back->mixture()->size(), all.size());
    QCOMPARE(back->mixture()->leftOut.of("wideband-dead"), size_t{0});
}

void FindingsTest::aTableWithoutAHeadIsFoundToBeOfOtherBytes() {
    Car car;
    const auto driven = bench::drive(car.car, {car.kit}, {"hills", "pulls-3"});
    // As text, with what only a head tells gone; the names tell the roles.
    const auto text = recording::csv::toCsv(*driven.recordings[0]);
    EXPECT_OK(text);
    const auto bytes = storage::mappedBytes(Bytes(text->begin(), text->end()));
    const auto file = recording::ImportFile::open("table.csv", bytes);
    EXPECT_OK(file);
    const auto importPlan = file->plan();
    EXPECT_OK(importPlan);
    const auto read = file->recording(*importPlan);
    EXPECT_OK(read);
    QVERIFY(read->imageSha256.empty() && read->roundId.empty());
    const Drives drives({std::make_shared<const recording::Recording>(*read)});
    const auto right = bench::calibrationOf(*car.kit, car.car);
    QVERIFY2(!find(findingsOf(drives, &right), "wrong-round"), qPrintable(idsOf(findingsOf(drives, &right))));
    // Bytes for other parts.
    const auto& fitted = benchcar::kHeronFitted;
    benchcar::writeCalibration(car.car.memory(), fitted, benchcar::wishesFor(benchcar::modelOf(fitted), fitted));
    const auto other = bench::calibrationOf(*car.kit, car.car);
    const auto findings = findingsOf(drives, &other);
    const auto* wrong = find(findings, "wrong-round");
    QVERIFY2(wrong, qPrintable(idsOf(findings)));
    // Nothing is learned from it.
    const auto looked = job::lookedAt(
        std::make_shared<const Drives>(Drives::Recordings{std::make_shared<const recording::Recording>(*read)}), other,
        {});
    QVERIFY(!looked->mixture() || looked->mixture()->size() == 0);
}

void FindingsTest::aSteadyRowSaysWhatTheCarDid() {
    Car car;
    (void)car.over({"idle", "hills"});
    const auto rows = steadyRows(*car.drives);
    QVERIFY(rows.size() > 10);
    size_t idles = 0;
    for (const SteadyRow& row : rows) {
        QVERIFY(row.to_s - row.from_s >= 2 && row.speed_rpm > 450 && row.pressure_kPa > 15);
        if (row.closed) QVERIFY2(std::abs(row.off() - 1) < 0.06, qPrintable(QString::number(row.off())));
        QVERIFY(std::abs(row.models() - 1) < 0.12);
        idles += row.idle ? 1 : 0;
    }
    QVERIFY(idles > 5 && idles < rows.size());
}

void FindingsTest::aLineIsDrawnThroughWhatMostPointsSay() {
    std::vector<double> x, y;
    for (int i = 0; i < 20; ++i)
        x.push_back(i), y.push_back(3 + 0.5 * i + (i % 2 == 0 ? 0.01 : -0.01));
    y[7] = 100;  // one that lies far off
    const Line line = lineThrough(x, y);
    QVERIFY(std::abs(line.slope - 0.5) < 0.02 && std::abs(line.at - 3) < 0.2);
    QVERIFY(line.sureness() > 5);
    y[3] = std::nan("");
    QCOMPARE(lineThrough(x, y).rows, size_t{19});
    QVERIFY(std::isnan(lineThrough({1, 2, 3}, {1, 2, 3}).slope));  // too few
    QVERIFY(std::isnan(lineThrough({2, 2, 2, 2, 2}, {1, 2, 3, 4, 5}).slope));
}

void FindingsTest::nothingDrivenIsNothingFound() {
    const Drives none(Drives::Recordings{});
    QVERIFY(findingsOf(none, nullptr).found.empty());
    const Drives empty({std::make_shared<const recording::Recording>()});
    QVERIFY(findingsOf(empty, nullptr).found.empty());
}

QTEST_GUILESS_MAIN(FindingsTest)
#include "FindingsTest.moc"
