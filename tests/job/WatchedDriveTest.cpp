// Guards, armed recordings and the marks a drive sets by itself, on the bench car.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "Expect.h"
#include "benchcar/VirtualBus.h"
#include "benchcar/cars/WrongPart.h"
#include "core/job/Drive.h"
#include "core/job/Guards.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::job;

namespace {

/// A car that runs the calibration that is right for it, recorded into memory.
struct Healthy {
    explicit Healthy(uint64_t seed = 1, const benchcar::Build& build = benchcar::kHeronStock)
        : car(build, seed),
          bus(car),
          kit(*loadKit(disk, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json")),
          uds(bus, kit->profile) {}

    /// Over these routes, one after the other, engine running.
    DriveOutcome drive(const std::vector<std::string>& routes, DriveOptions options,
                       std::vector<std::string> names = {}) {
        const auto asked = channelsAskedFor(*kit, options.guards, options.arm);
        if (!asked) qFatal("%s", asked.error().text().c_str());
        names.insert(names.end(), asked->begin(), asked->end());
        size_t next = 0;
        const auto wasAsked = options.ends;
        options.ends = [&](double elapsed_s) -> std::optional<Ended> {
            if (wasAsked) (void)wasAsked(elapsed_s);
            if (car.onRoute()) return std::nullopt;
            if (next == routes.size()) return Ended::Asked;
            car.startRoute(*benchcar::routeNamed(routes[next++]));
            return std::nullopt;
        };
        auto outcome = recordFile(uds, *kit, files, file, *channelSet(*kit, names), options);
        if (!outcome || outcome->problem) qFatal("the drive failed");
        return *outcome;
    }
    recording::Vocabulary vocabulary() const { return recording::vocabularyOf(everythingOf(*kit)); }
    recording::Recording recorded() { return *recording::readMdf4(*files.read(file)); }

    storage::RealFileSystem disk;
    storage::MemoryFileSystem files;
    storage::Path file = "drive.mf4";
    benchcar::BenchCar car;
    benchcar::VirtualBus bus;
    std::shared_ptr<const Kit> kit;
    link::Uds uds;
};

/// What the guards that ship say over these routes, by id, each as often as it tripped.
std::vector<std::string> tripped(Healthy& bench, const std::vector<std::string>& routes,
                                 const proposals::BuildSheet& sheet = {}) {
    std::vector<std::string> out;
    DriveOptions options;
    options.guards = guardsFor(*bench.kit, sheet).guards;
    options.onTrip = [&](const drive::Guard& guard) { out.push_back(guard.id); };
    (void)bench.drive(routes, options);
    return out;
}

QStringList kindsOf(const std::vector<recording::Mark>& marks) {
    QStringList out;
    for (const auto& mark : marks)
        out << qs(mark.kind);
    return out;
}

}  // namespace

class WatchedDriveTest : public QObject {
    Q_OBJECT
  private slots:
    void aHealthyCarTripsNoGuard_data();
    void aHealthyCarTripsNoGuard();
    void whatGoesWrongTripsItsGuard_data();
    void whatGoesWrongTripsItsGuard();
    void eachTripIsAMarkInTheFile();
    void anArmedRecordingKeepsEveryPullWithTheSecondsBeforeIt();
    void anArmedRecordingOutlastsTheIgnition();
    void whatTheCarSaysOfItselfIsMarked();
    void aWidebandIsHeldAgainstTheNarrowband_data();
    void aWidebandIsHeldAgainstTheNarrowband();
    void aGuardOfOnesOwnIsReadFromALine();
    void whatCantBeAskedIsSaidBeforeAFileIsMade();
};

void WatchedDriveTest::aHealthyCarTripsNoGuard_data() {
    QTest::addColumn<QStringList>("routes");
    QTest::newRow("pulls") << QStringList{"pulls-3", "pulls-4"};
    QTest::newRow("tip-ins") << QStringList{"tip-ins", "coast-downs"};
    QTest::newRow("town") << QStringList{"town", "hills"};
    QTest::newRow("cold") << QStringList{"cold-start"};
    QTest::newRow("pass") << QStringList{"mountain"};
    QTest::newRow("survey") << QStringList{"survey"};
}

void WatchedDriveTest::aHealthyCarTripsNoGuard() {
    QFETCH(QStringList, routes);
    std::vector<std::string> names;
    for (const QString& route : routes)
        names.push_back(route.toStdString());
    for (const uint64_t seed : {1, 2}) {
        Healthy bench(seed);
        proposals::BuildSheet sheet;
        sheet.of(proposals::Fact::BoostCeiling) = 60;
        const auto said = tripped(bench, names, sheet);
        QVERIFY2(said.empty(), said.empty() ? "" : said.front().c_str());
    }
}

void WatchedDriveTest::whatGoesWrongTripsItsGuard_data() {
    QTest::addColumn<QString>("fault");
    QTest::addColumn<QString>("route");
    QTest::addColumn<QString>("guard");
    QTest::newRow("weak pump") << "weak-pump=0.15"
                               << "pulls-3"
                               << "lean-under-load";
    QTest::newRow("poor fuel") << "poor-fuel=84"
                               << "pulls-3"
                               << "knock-retard";
    QTest::newRow("wastegate shut") << "wastegate-stuck=0"
                                    << "pulls-3"
                                    << "boost-above";
    QTest::newRow("wastegate shut, by target") << "wastegate-stuck=0"
                                               << "pulls-3"
                                               << "boost-off-target";
    QTest::newRow("alternator") << "alternator-dead=2"
                                << "town"
                                << "battery-low";
    QTest::newRow("hot, as the controller has it") << "coolant:offset=-0.5"
                                                   << "town"
                                                   << "coolant-hot";
    QTest::newRow("injectors too small") << ""
                                         << "pulls-3"
                                         << "injector-duty";
}

void WatchedDriveTest::whatGoesWrongTripsItsGuard() {
    QFETCH(QString, fault);
    QFETCH(QString, route);
    QFETCH(QString, guard);
    // Injectors too small for the engine, and a calibration that knows it.
    constexpr double kSmaller_pct = -56;
    auto small = benchcar::kHeronStock;
    small.parts.injectors.flow_cm3min *= 1 + kSmaller_pct / 100;
    Healthy bench(1, fault.isEmpty() ? small : benchcar::kHeronStock);
    if (fault.isEmpty()) {
        benchcar::makeWrong(bench.car.memory(), *benchcar::wrongPartNamed("injector-flow"), kSmaller_pct);
        bench.car.powerCycle();
    } else {
        EXPECT_OK(benchcar::addFault(bench.car.faults(), fault.toStdString()));
    }
    proposals::BuildSheet sheet;
    sheet.of(proposals::Fact::BoostCeiling) = 60;
    const auto said = tripped(bench, {route.toStdString()}, sheet);
    QVERIFY2(std::find(said.begin(), said.end(), guard.toStdString()) != said.end(), qPrintable(guard));
}

void WatchedDriveTest::eachTripIsAMarkInTheFile() {
    Healthy bench;
    DriveOptions options;
    options.guards = {*guardFromText(bench.vocabulary(), "<pedal> > 80 %; 0.5; foot down")};
    size_t told = 0, marked = 0;
    options.onTrip = [&](const drive::Guard&) { ++told; };
    options.onMark = [&](const recording::Mark& mark) { marked += mark.kind == "guard"; };
    const auto outcome = bench.drive({"pulls-3"}, options);
    const auto recording = bench.recorded();
    QCOMPARE(told, size_t{3});
    QCOMPARE(marked, told);
    QCOMPARE(kindsOf(recording.marks), QStringList({"guard", "guard", "guard"}));
    const auto pedal = recording.findRole("pedal");
    for (const auto& mark : recording.marks) {
        QCOMPARE(mark.text, std::string("foot down"));
        // It had held for half a second then, and not before.
        const auto at = recording::indexAt(pedal.group->time_s, mark.at_s);
        const auto values = pedal.channel->values.values();
        QVERIFY(values[at] > 80 && values[at - 49] > 80 && values[at - 52] <= 80);
    }
    QVERIFY(recording.marks == outcome.marks);
}

void WatchedDriveTest::anArmedRecordingKeepsEveryPullWithTheSecondsBeforeIt() {
    Healthy bench;
    DriveOptions options;
    options.arm = drive::Arming{"held(<pedal> > 80 %, 0.3 s)", 5, 1};
    const auto outcome = bench.drive({"pulls-3", "pulls-4"}, options);
    QCOMPARE(outcome.stretches.size(), size_t{6});
    QVERIFY(outcome.gaps.empty());
    // The whole of both routes, beside it.
    Healthy beside;
    (void)beside.drive({"pulls-3", "pulls-4"}, {}, {"pedal"});
    const auto whole = beside.recorded(), armed = bench.recorded();
    const auto all = whole.findRole("pedal"), kept = armed.findRole("pedal");
    const auto allValues = all.channel->values.values(), keptValues = kept.channel->values.values();
    // Each row lies in one stretch, and each stretch is whole.
    size_t row = 0;
    for (const auto& stretch : outcome.stretches) {
        const double asked_s = stretch.from_s + 5;
        size_t at = recording::indexAt(all.group->time_s, stretch.from_s), foot = 0;
        for (double last_s = stretch.from_s; row < kept.group->time_s.size() && kept.group->time_s[row] <= stretch.to_s;
             ++row, ++at) {
            const double time_s = kept.group->time_s[row];
            QVERIFY(std::abs(time_s - last_s) < 0.015);
            QVERIFY(std::abs(all.group->time_s[at] - time_s) < 0.005 && allValues[at] == keptValues[row]);
            foot += keptValues[row] > 80;
            if (std::abs(time_s - asked_s) < 0.005) QVERIFY(keptValues[row] > 80 && keptValues[row - 34] <= 80);
            last_s = time_s;
        }
        QVERIFY(foot > 300);
        // A second after the foot came up.
        QVERIFY(keptValues[row - 1] < 80 && keptValues[row - 90] < 80 && keptValues[row - 110] > 80);
    }
    QCOMPARE(row, kept.group->time_s.size());
    QVERIFY(static_cast<double>(row) < 0.5 * static_cast<double>(all.group->time_s.size()));
    // The wideband's rows are kept for the same stretches.
    const auto sensor = armed.findRole("lambda_measured");
    QVERIFY(sensor.group != kept.group);
    QVERIFY(std::abs(static_cast<double>(sensor.group->time_s.size()) - static_cast<double>(row)) < 12);
    QCOMPARE(kindsOf(armed.marks).filter("stretch").size(), 6);
}

void WatchedDriveTest::anArmedRecordingOutlastsTheIgnition() {
    Healthy bench;
    DriveOptions options;
    options.arm = drive::Arming{"held(<pedal> > 80 %, 0.3 s)", 5, 1};
    size_t waited = 0;
    options.onWaiting = [&](const std::string& sentence) { waited += !sentence.empty(); };
    options.ends = [&](double elapsed_s) {
        bench.bus.setConnected(elapsed_s < 65 || elapsed_s > 80);
        return std::nullopt;
    };
    const auto outcome = bench.drive({"pulls-3"}, options);
    // The second pull is cut by the cable, and its stretch ends where it was.
    QCOMPARE(waited, size_t{1});
    QCOMPARE(outcome.stretches.size(), size_t{3});
    QVERIFY(std::abs(outcome.stretches[1].to_s - 65) < 0.2);
    QVERIFY(outcome.gaps.empty());
}

void WatchedDriveTest::whatTheCarSaysOfItselfIsMarked() {
    Healthy bench;
    DriveOptions options;
    options.ends = [&](double elapsed_s) {
        if (elapsed_s > 20) bench.car.faults().of(benchcar::Sensor::Pedal).kind = benchcar::SensorFault::Kind::Dead;
        bench.bus.setFrameFilter([=](const link::CanFrame& frame) {
            return frame.id != benchcar::BenchCar::kWidebandId || elapsed_s < 10 || elapsed_s > 15;
        });
        return std::nullopt;
    };
    (void)bench.drive({"idle"}, options, {bench.kit->definition->measurementWithRole("limp_mode")->name});
    const auto marks = bench.recorded().marks;
    const auto find = [&](const char* kind) {
        const auto at = std::find_if(marks.begin(), marks.end(), [&](const auto& mark) { return mark.kind == kind; });
        return at == marks.end() ? recording::Mark{-1, "none", ""} : *at;
    };
    const auto sensor = find("sensor"), code = find("code"), limp = find("limp");
    QVERIFY2(std::abs(sensor.at_s - 10) < 0.1 && sensor.text.find("says nothing") != std::string::npos,
             sensor.text.c_str());
    QVERIFY2(code.text.starts_with("P") && code.at_s > 20 && code.at_s < 40, code.text.c_str());
    QVERIFY2(limp.at_s > 20 && limp.at_s < 30, limp.kind.c_str());
    QCOMPARE(kindsOf(marks).count("sensor"), 1);
}

void WatchedDriveTest::aWidebandIsHeldAgainstTheNarrowband_data() {
    QTest::addColumn<QString>("fault");
    QTest::addColumn<QString>("route");
    QTest::addColumn<QString>("said");
    QTest::newRow("right, in town") << ""
                                    << "town"
                                    << "they agree";
    QTest::newRow("right, on the motorway") << ""
                                            << "motorway"
                                            << "they agree";
    QTest::newRow("right, among hills") << ""
                                        << "hills"
                                        << "they agree";
    QTest::newRow("lean by 4 %") << "wideband:offset=0.04"
                                 << "motorway"
                                 << "its scaling is off";
    QTest::newRow("scaled by 0.95") << "wideband:scaled=0.95"
                                    << "town"
                                    << "its scaling is off";
    QTest::newRow("nobody swings") << "narrowband:stuck"
                                   << "town"
                                   << "";
}

void WatchedDriveTest::aWidebandIsHeldAgainstTheNarrowband() {
    QFETCH(QString, fault);
    QFETCH(QString, route);
    QFETCH(QString, said);
    for (const uint64_t seed : {1, 2}) {
        Healthy bench(seed);
        if (!fault.isEmpty()) EXPECT_OK(benchcar::addFault(bench.car.faults(), fault.toStdString()));
        (void)bench.drive({route.toStdString()}, {}, {bench.kit->definition->measurementWithRole("narrowband")->name});
        QStringList checks;
        for (const auto& mark : bench.recorded().marks)
            if (mark.kind == "check") checks << qs(mark.text);
        QVERIFY2(said.isEmpty() ? checks.isEmpty() : checks.size() == 1 && checks[0].contains(said),
                 qPrintable(checks.join("; ")));
    }
}

void WatchedDriveTest::aGuardOfOnesOwnIsReadFromALine() {
    const Healthy bench;
    const auto guard = guardFromText(bench.vocabulary(), " <coolant> > 105 \u00b0C ; 2.5 ; too hot; stop");
    EXPECT_OK(guard);
    QVERIFY(guard->condition == "<coolant> > 105 \u00b0C" && guard->hold_s == 2.5 &&
            guard->sentence == "too hot; stop");
    const auto bare = guardFromText(bench.vocabulary(), "<battery> < 11 V");
    EXPECT_OK(bare);
    QVERIFY(bare->hold_s == 0 && bare->sentence == "<battery> < 11 V" && bare->sound);
    EXPECT_FAILS(guardFromText(bench.vocabulary(), "<coolant> > 105;soon;hot"), "0 to 60 s");
    EXPECT_FAILS(guardFromText(bench.vocabulary(), "<coolant> + 5"), "is a number");
    EXPECT_FAILS(guardFromText(bench.vocabulary(), "<coolant> > 5 rpm"), "rpm");
    // What it asks for is recorded.
    const auto channels = channelsAskedFor(*bench.kit, {*guard, *bare}, drive::Arming{"<pedal> > 80 %"});
    EXPECT_OK(channels);
    QCOMPARE(channels->size(), size_t{3});
}

void WatchedDriveTest::whatCantBeAskedIsSaidBeforeAFileIsMade() {
    Healthy bench;
    DriveOptions options;
    options.arm = drive::Arming{"<fuel pressure> > 80 kPa"};
    EXPECT_FAILS(recordFile(bench.uds, *bench.kit, bench.files, bench.file, *channelSet(*bench.kit, {}), options),
                 "can't be armed so");
    QVERIFY(!bench.files.exists(bench.file));
}

QTEST_GUILESS_MAIN(WatchedDriveTest)
#include "WatchedDriveTest.moc"
