// Any car recorded by OBD: the quickest way of asking, what it costs, which calibration it was driven on.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "JobBench.h"
#include "benchcar/cars/WrongPart.h"
#include "core/job/LoadDrives.h"
#include "core/job/ObdDrive.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::job;

namespace {

const std::vector<uint8_t> kTwelve = {0x04, 0x0B, 0x0C, 0x0D, 0x0E, 0x10, 0x11, 0x14, 0x43, 0x44, 0x49, 0x4C};

ObdPlan planOf(Bench& bench, const std::vector<uint8_t>& wanted = {}) {
    auto plan = planObdDrive(bench.bus, wanted, {});
    if (!plan) qFatal("%s", plan.error().text().c_str());
    return *plan;
}

DriveOptions forSeconds(double seconds) {
    DriveOptions options;
    options.ends = [seconds](double elapsed_s) {
        return elapsed_s < seconds ? std::nullopt : std::optional(Ended::Seconds);
    };
    return options;
}

size_t longestRequest(const ObdPlan& plan) {
    size_t out = 0;
    for (const auto& request : plan.fast)
        out = std::max(out, request.size());
    return out;
}

}  // namespace

class ObdDriveTest : public QObject {
    Q_OBJECT
  private slots:
    void twelveIdsAreRecordedAtTheBestRate();
    void whatAnyCarTellsPlaysItsRoles();
    void aControllerThatTakesOneIdARequestIsAskedSo();
    void sensorsOnTheBusAreRecordedBesides();
    void aDriveOutlastsIgnitionAndCable();
    void codesThatNobodyTellsCostNoRows();
    void whoSpeaksSeldomIsNotCalledSilent();
    void drivesOnTwoCalibrationsAreNotMixed();
    void aFolderWithoutRoundsKeepsTheDrive();
    void whatNobodyTellsIsSaid();
};

void ObdDriveTest::twelveIdsAreRecordedAtTheBestRate() {
    Bench bench;
    const auto plan = planOf(bench, kTwelve);
    QCOMPARE(plan.fastIds(), size_t{12});
    QCOMPARE(longestRequest(plan), size_t{6});
    QVERIFY(plan.slow.empty() && plan.share() > 0.5 && plan.share() < 1);
    qInfo("%.0f samples a second, %.0f %% of what the wire allows", plan.samplesPerSecond(), plan.share() * 100);
    // What was planned is what comes.
    ObdRecorder recorder(bench.bus, plan, {});
    bench.car.startRoute(*benchcar::routeNamed("pulls-3"));
    storage::MemoryFileSystem files;
    const auto outcome = recordObdFile(recorder, files, "o.mf4", forSeconds(50));
    EXPECT_OK(outcome);
    QVERIFY(!outcome->problem && outcome->gaps.empty());
    const auto recording = recording::readMdf4(*files.read("o.mf4"));
    EXPECT_OK(recording);
    QCOMPARE(recording->groups.size(), size_t{1});
    const auto& group = recording->groups[0];
    const double rows = static_cast<double>(group.time_s.size());
    QVERIFY(std::abs(rows * 12 / 50 / plan.samplesPerSecond() - 1) < 0.05);
    for (const auto& channel : group.channels)
        for (const float value : channel.values.values())
            QVERIFY(!std::isnan(value));
    // And it is what the engine did.
    const auto speed = recording->findRole("engine_speed");
    QVERIFY(std::abs(static_cast<double>(speed.channel->values.values().back()) - bench.car.plant().state().speed_rpm) <
            30);
}

void ObdDriveTest::whatAnyCarTellsPlaysItsRoles() {
    Bench bench;
    const auto plan = planOf(bench);
    ObdRecorder recorder(bench.bus, plan, {});
    const auto layout = recorder.layout();
    QCOMPARE(layout.vin, std::string("FMKHR16T0E2004711"));
    QVERIFY(layout.areas.starts_with("obd:7E8:HERON16T-FACTORY="));
    for (const char* role :
         {"engine_speed", "manifold_pressure", "short_trim", "long_trim", "coolant", "battery", "pedal"})
        QVERIFY2(layout.findRole(roles::Role::named(role).value()), role);
    // Temperatures and their like come slower, and come.
    QCOMPARE(layout.groups.size(), size_t{2});
    QVERIFY(layout.groups[1].find("Coolant") && layout.groups[0].find("Engine speed"));
    storage::MemoryFileSystem files;
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    EXPECT_OK(recordObdFile(recorder, files, "o.mf4", forSeconds(20)));
    const auto recording = recording::readMdf4(*files.read("o.mf4"));
    const auto coolant = recording->findRole("coolant");
    QVERIFY(coolant.group->time_s.size() > 50 && coolant.group->time_s.size() * 4 < recording->groups[0].time_s.size());
    QVERIFY(std::abs(static_cast<double>(coolant.channel->values.values().back()) - 85) < 15);
}

void ObdDriveTest::aControllerThatTakesOneIdARequestIsAskedSo() {
    Bench bench;
    bench.bus.setFrameFilter(
        [](const link::CanFrame& frame) { return frame.id != 0x7E0 || frame.data[1] != 0x01 || frame.data[0] <= 2; });
    const auto plan = planOf(bench, {0x0B, 0x0C, 0x11});
    QCOMPARE(longestRequest(plan), size_t{1});
    QCOMPARE(plan.fastIds(), size_t{3});
}

void ObdDriveTest::sensorsOnTheBusAreRecordedBesides() {
    Bench bench;
    ObdRecorder recorder(bench.bus, planOf(bench, kTwelve), bench.kit->externalSensors);
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    storage::MemoryFileSystem files;
    EXPECT_OK(recordObdFile(recorder, files, "o.mf4", forSeconds(30)));
    const auto recording = recording::readMdf4(*files.read("o.mf4"));
    const auto lambda = recording->findRole("lambda_measured");
    QVERIFY(lambda && std::abs(static_cast<double>(lambda.group->time_s.size()) - 3000) < 30);
    QVERIFY(std::abs(static_cast<double>(lambda.channel->values.values().back()) - bench.car.plant().state().wideband) <
            0.02);
}

void ObdDriveTest::aDriveOutlastsIgnitionAndCable() {
    Bench bench;
    ObdRecorder recorder(bench.bus, planOf(bench, kTwelve), {});
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    storage::MemoryFileSystem files;
    auto options = forSeconds(60);
    const auto ends = options.ends;
    options.ends = [&](double elapsed_s) {
        bench.bus.setConnected(elapsed_s < 10 || elapsed_s > 18);
        bench.car.setKey(elapsed_s < 30 || elapsed_s > 40);
        return ends(elapsed_s);
    };
    const auto outcome = recordObdFile(recorder, files, "o.mf4", options);
    EXPECT_OK(outcome);
    QVERIFY(!outcome->problem && outcome->ended == Ended::Seconds);
    QCOMPARE(outcome->gaps.size(), size_t{2});
    QVERIFY(outcome->gaps[0].cause == GapCause::Cable && outcome->gaps[1].cause == GapCause::Silent);
    QVERIFY(std::abs(outcome->gaps[1].from_s - 30) < 0.5 && outcome->gaps[1].to_s > 40);
}

void ObdDriveTest::codesThatNobodyTellsCostNoRows() {
    Bench bench;
    size_t asked = 0;
    bench.bus.setFrameFilter([&](const link::CanFrame& frame) {
        const bool codes = frame.id == 0x7E0 && frame.data[0] == 1 && (frame.data[1] == 0x03 || frame.data[1] == 0x07);
        asked += codes;
        return !codes;
    });
    ObdRecorder recorder(bench.bus, planOf(bench, kTwelve), {});
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    storage::MemoryFileSystem files;
    const auto outcome = recordObdFile(recorder, files, "o.mf4", forSeconds(40));
    EXPECT_OK(outcome);
    QVERIFY(asked > 0 && outcome->gaps.size() <= 1);
}

void ObdDriveTest::whoSpeaksSeldomIsNotCalledSilent() {
    /// A row every 50 ms, and one of another group every two seconds, which stops after 30 s.
    class Seldom final : public DriveSource {
      public:
        explicit Seldom(link::CanPort& port) : port_(port) {}
        link::CanPort& port() override { return port_; }
        recording::Recording layout() const override {
            recording::Recording out;
            out.groups.resize(2);
            out.groups[0].rate_hz = 20;
            out.groups[0].channels = {{"a", "V", "", "", {}}};
            out.groups[1].name = "seldom";
            out.groups[1].rate_hz = 0.5;
            out.groups[1].channels = {{"b", "V", "", "", {}}};
            return out;
        }
        Done start() override { return {}; }
        Done poll(int64_t, const OnRow& onRow) override {
            const float value = 1;
            port_.wait(port_.now_us() + 50000);
            onRow(0, 0.05 * ++rows_, std::span(&value, 1));
            if (rows_ % 40 == 0 && rows_ <= 600) onRow(1, 0.05 * rows_, std::span(&value, 1));
            return {};
        }
        Done stop() override { return {}; }
        Done askForCodes(OnCodes) override { return {}; }

      private:
        link::CanPort& port_;
        int rows_ = 0;
    };
    Bench bench;
    Seldom source(bench.bus);
    storage::MemoryFileSystem files;
    const auto outcome = recordSource(source, files, "o.mf4", source.layout(), forSeconds(50));
    EXPECT_OK(outcome);
    QCOMPARE(outcome->marks.size(), size_t{1});
    QCOMPARE(outcome->marks[0].text, std::string("seldom says nothing"));
    QVERIFY(std::abs(outcome->marks[0].at_s - 30) < 0.1);
}

void ObdDriveTest::drivesOnTwoCalibrationsAreNotMixed() {
    Bench bench;
    const auto original = bench.read();
    const auto drive = [&] {
        ObdRecorder recorder(bench.bus, planOf(bench, kTwelve), {});
        auto outcome = recordObd(recorder, *bench.folder, bench.kit.get(), forSeconds(5));
        if (!outcome) qFatal("%s", outcome.error().text().c_str());
        return *outcome;
    };
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    for (int i = 0; i < 2; ++i) {
        const auto outcome = drive();
        QVERIFY(outcome.unbound.empty() && outcome.drive.entry.round == original.id);
        const auto recording = loadRecording(*bench.folder, outcome.drive.entry);
        QVERIFY((*recording)->imageSha256 == original.imageSha256 && (*recording)->roundId == "0");
    }
    // Somebody else flashes something; the ledger does not know.
    benchcar::rework(bench.car.memory(), *benchcar::parameterNamed("idle_speed"), [](double v) { return v + 50; });
    const auto other = drive();
    QVERIFY(other.unbound.find("something else was flashed") != std::string::npos);
    QVERIFY(!other.drive.entry.round);
    const auto stray = loadRecording(*bench.folder, other.drive.entry);
    QVERIFY((*stray)->imageSha256.empty());
    // Even where somebody says that it belongs there, it is not used.
    EXPECT_OK(bench.folder->recordings().bindTo(other.drive.entry.id, original.id));
    const auto drives = drivesIfAny(*bench.kit, *bench.folder, original.id);
    EXPECT_OK(drives);
    QVERIFY(std::any_of((*drives)->leftOut().begin(), (*drives)->leftOut().end(), [](const std::string& why) {
        return why.find("told another calibration") != std::string::npos;
    }));
}

void ObdDriveTest::aFolderWithoutRoundsKeepsTheDrive() {
    Bench bench;
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    ObdRecorder recorder(bench.bus, planOf(bench), {});
    const auto outcome = recordObd(recorder, *bench.folder, nullptr, forSeconds(5));
    EXPECT_OK(outcome);
    const auto all = bench.folder->recordings().all();
    QVERIFY(all && all->size() == 1 && !all->front().round && all->front().state == carfolder::RecordingState::Whole);
    const auto recording = loadRecording(*bench.folder, all->front());
    QVERIFY((*recording)->vin == "FMKHR16T0E2004711" && (*recording)->areas.starts_with("obd:"));
}

void ObdDriveTest::whatNobodyTellsIsSaid() {
    Bench bench;
    EXPECT_FAILS(planObdDrive(bench.bus, {0x2F}, {}), "tells none of these");
    EXPECT_FAILS(planObdDrive(bench.bus, {}, [] { return false; }), "Stopped");
    bench.bus.setFrameFilter([](const link::CanFrame& frame) { return frame.id < 0x700; });
    EXPECT_FAILS(planObdDrive(bench.bus, {}, {}), "No controller answers OBD");
    QVERIFY(!onOtherCalibrations("obd:a", "obd:a") && onOtherCalibrations("obd:a", "obd:b"));
    QVERIFY(!onOtherCalibrations("", "obd:b") && !onOtherCalibrations("calibration=1", "obd:b"));
}

QTEST_GUILESS_MAIN(ObdDriveTest)
#include "ObdDriveTest.moc"
