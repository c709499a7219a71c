// Which recordings of a round are learned from: those made on its bytes, with the parts and the fuel of now; and what
// the controller had learned at both ends of each.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "JobBench.h"
#include "core/evidence/FirstPull.h"
#include "core/evidence/Learned.h"
#include "core/job/Drive.h"
#include "core/job/Keeping.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::job;

namespace {

/// A car that was read and driven a minute, twice.
struct Driven : Bench {
    carfolder::Round original;
    std::vector<carfolder::RecordingEntry> entries;

    Driven() : original(read()) {
        drive(), drive();
        entries = *folder->recordings().of(original.id);
    }
    void drive() {
        auto client = uds();
        car.startRoute(*benchcar::routeNamed("idle"));
        DriveOptions options;
        options.ends = [](double t) { return t < 45 ? std::nullopt : std::optional(Ended::Asked); };
        const auto outcome =
            recordDrive(client, *kit, *folder, *channelSet(*kit, usualChannels(*kit->definition)), options);
        if (!outcome || outcome->problem) qFatal("not driven");
    }
    DrivesPtr drives(int64_t round) {
        auto out = drivesOf(*kit, *folder, round);
        if (!out) qFatal("%s", out.error().text().c_str());
        return *out;
    }
    DrivesPtr drives() { return drives(original.id); }
};

/// Four minutes of the survey on what is in the car.
void survey(Bench& bench, const std::vector<std::string>& channels) {
    auto client = bench.uds();
    bench.car.startRoute(*benchcar::routeNamed("survey"));
    DriveOptions options;
    options.ends = [](double t) { return t < 240 ? std::nullopt : std::optional(Ended::Asked); };
    const auto outcome = recordDrive(client, *bench.kit, *bench.folder, *channelSet(*bench.kit, channels), options);
    if (!outcome || outcome->problem) qFatal("not driven");
}

std::string sheetWith(proposals::Fact fact, double value) {
    proposals::BuildSheet sheet;
    sheet.of(fact) = value;
    return toJson(sheet);
}

}  // namespace

class EvidenceUsedTest : public QObject {
    Q_OBJECT
  private slots:
    void whatWasDrivenOnTheRoundIsUsed();
    void evidenceFromOtherBytesIsNotUsedAndSaid();
    void evidenceOfOtherPartsIsNotUsedAndSaid();
    void evidenceOfAnotherFuelIsNotUsedAndSaid();
    void aPromiseWhoseBytesWereTakenBackIsNotHeldAgainstTheDrives();
    void promisedCellsAreHeldAgainstTheSameCellsWithWhatTheRoundMadeOfThem();
    void whatTheControllerLearnedIsKeptAtBothEnds();
    void aNewMapOverLearnedValuesIsSaidToBeOffByThem();
    void theFirstPullOnOtherBytesIsToldByPullsReplayed();
};

void EvidenceUsedTest::whatWasDrivenOnTheRoundIsUsed() {
    Driven bench;
    const auto drives = bench.drives();
    QCOMPARE(drives->size(), size_t{2});
    QVERIFY(drives->leftOut().empty());
    QCOMPARE(*drives->named(bench.entries[1].file), size_t{1});
    QVERIFY(!drives->named("nobody.mf4"));
    QVERIFY(drives->mixture()->forms.samples > 1000 && drives->mixture()->forms.agree());
    // Where a round was not driven on, the one it came from speaks for it.
    const auto child = bench.change("injector_flow", 300, bench.original.id);
    EXPECT_FAILS(drivesOf(*bench.kit, *bench.folder, child.id), "No drive was recorded on this round yet");
    const auto line = *drivesOfLine(*bench.kit, *bench.folder, child.id);
    QCOMPARE(line.drives->size(), size_t{2});
    QVERIFY(line.round != child.id);
}

void EvidenceUsedTest::evidenceFromOtherBytesIsNotUsedAndSaid() {
    Driven bench;
    // Somebody enters the original's drive under a round of other bytes.
    const auto child = bench.change("injector_flow", 300, bench.original.id);
    auto moved = bench.entries[0];
    moved.round = child.id;
    moved.file = "moved.mf4";
    const auto path = [&](const std::string& file) { return bench.folder->recordings().path(file); };
    EXPECT_OK(bench.files.save(path(moved.file), *bench.files.read(path(bench.entries[0].file))));
    EXPECT_OK(bench.folder->recordings().add(moved));
    EXPECT_FAILS(drivesOf(*bench.kit, *bench.folder, child.id),
                 "moved.mf4 is not used: it was recorded on other bytes than this round's.");
    QCOMPARE(bench.drives()->size(), size_t{2});
}

void EvidenceUsedTest::evidenceOfOtherPartsIsNotUsedAndSaid() {
    using proposals::Fact;
    Bench bench;
    const auto original = bench.read();
    EXPECT_OK(bench.folder->settings().keepSheet(sheetWith(Fact::InjectorFlow, 300)));
    auto client = bench.uds();
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    DriveOptions options;
    options.ends = [](double t) { return t < 45 ? std::nullopt : std::optional(Ended::Asked); };
    EXPECT_OK(recordDrive(client, *bench.kit, *bench.folder, *channelSet(*bench.kit, {}), options));
    EXPECT_OK(drivesOf(*bench.kit, *bench.folder, original.id));
    // What the mixture has nothing to do with may change.
    auto heavier = *buildSheetFromJson(sheetWith(Fact::InjectorFlow, 300));
    heavier.of(Fact::VehicleMass) = 1350, heavier.of(Fact::BoostCeiling) = 90, heavier.notes = "a new silencer";
    EXPECT_OK(bench.folder->settings().keepSheet(toJson(heavier)));
    EXPECT_OK(drivesOf(*bench.kit, *bench.folder, original.id));
    EXPECT_OK(bench.folder->settings().keepSheet(sheetWith(Fact::InjectorFlow, 550)));
    EXPECT_FAILS(drivesOf(*bench.kit, *bench.folder, original.id),
                 "it was driven with other parts than the build sheet names now");
    // A sheet that nobody can read tells nothing of the parts.
    EXPECT_OK(bench.folder->settings().keepSheet("{ no sheet"));
    EXPECT_OK(drivesOf(*bench.kit, *bench.folder, original.id));
}

void EvidenceUsedTest::evidenceOfAnotherFuelIsNotUsedAndSaid() {
    Driven bench;
    carfolder::Conditions petrol, blend;
    petrol.ethanol_pct = 10, petrol.octane_RON = 98;
    blend.fuel = "E85 of the station at the bridge", blend.ethanol_pct = 85;
    EXPECT_OK(bench.folder->recordings().setConditions(bench.entries[0].id, petrol));
    // Who tells nothing is taken to have had the same.
    QCOMPARE(bench.drives()->size(), size_t{2});
    EXPECT_OK(bench.folder->recordings().setConditions(bench.entries[1].id, blend));
    const auto drives = bench.drives();
    QCOMPARE(drives->size(), size_t{1});
    QCOMPARE(*drives->named(bench.entries[1].file), size_t{0});
    QVERIFY(drives->leftOut().size() == 1);
    const QString said = qs(drives->leftOut()[0]);
    QVERIFY2(said.contains("another fuel (98 RON, 10 % ethanol") && said.contains("85 % ethanol"), qPrintable(said));
}

void EvidenceUsedTest::aPromiseWhoseBytesWereTakenBackIsNotHeldAgainstTheDrives() {
    Bench bench;
    const auto original = bench.read();
    survey(bench, usualChannels(*bench.kit->definition));
    const auto drives = drivesOf(*bench.kit, *bench.folder, original.id);
    EXPECT_OK(drives);
    const auto inCar = calibrationOf(*bench.kit, *bench.folder, original.id);
    EXPECT_OK(inCar);
    // Air and meter were promised; the meter's edit was undone before the flash.
    const auto* map = inCar->definition().parameterWithRole("ve_map");
    const auto edit =
        inCar->prepare(*map, {{0, inCar->read(*map)->values[0] * 1.1}}, calibration::AtLimit::Clamp, "air");
    EXPECT_OK(edit);
    RoundReason reason;
    reason.promised = {{"air", "fuel_error_rms_pct", 5, 1, 0.3}, {"meter", "fuel_error_rms_pct", 4, 1, 0.3}};
    const auto round = makeRound(*bench.kit, *bench.folder, original.id, {*edit}, "both", reason);
    EXPECT_OK(round);
    EXPECT_OK(keepAccount(*bench.kit, *bench.folder, round->id, **drives));
    const auto account = accountOf(*bench.folder, round->id);
    EXPECT_OK(account);
    QCOMPARE(account->size(), size_t{2});
    QVERIFY(account->at(0).kind == "air" && account->at(0).came);
    QVERIFY(account->at(1).kind == "meter" && !account->at(1).came);
}

void EvidenceUsedTest::promisedCellsAreHeldAgainstTheSameCellsWithWhatTheRoundMadeOfThem() {
    Bench bench;
    const auto original = bench.read();
    survey(bench, usualChannels(*bench.kit->definition));
    const auto drives = drivesOf(*bench.kit, *bench.folder, original.id);
    EXPECT_OK(drives);
    const auto inCar = calibrationOf(*bench.kit, *bench.folder, original.id);
    EXPECT_OK(inCar);
    proposals::CorrectionChoices choices;
    choices.only = {"air"};
    const auto made = correctRound(*inCar, **drives, choices);
    EXPECT_OK(made);
    const auto cells = made->corrections.of("air")->promise->cells;
    QVERIFY(cells.size() >= 3);
    const auto* map = inCar->definition().parameterWithRole("ve_map");
    const auto values = inCar->read(*map)->values;
    const auto heldOn = [&](const std::vector<calibration::CellValue>& changed) {
        const auto edit = inCar->prepare(*map, changed, calibration::AtLimit::Clamp, "air");
        RoundReason reason;
        reason.promised = {{"air", "fuel_error_rms_pct", 5, 1, 0.3, cells}};
        const auto round = makeRound(*bench.kit, *bench.folder, original.id, {*edit}, "air", reason);
        if (!round || !keepAccount(*bench.kit, *bench.folder, round->id, **drives)) return proposals::Match{};
        const auto account = accountOf(*bench.folder, round->id);
        return account && account->size() == 1 && account->at(0).cells ? *account->at(0).cells : proposals::Match{};
    };
    // A round that changed none of them, and the same drives: all are off by as much as they were.
    const auto same = heldOn({{0, values[0] * 1.1}});
    QCOMPARE(same.numbers, cells.size());
    QVERIFY2(same.q < 1e-6, qPrintable(QString::number(same.q)));
    // One that was made tenth richer should be off by a tenth less; it isn't.
    const auto broken = heldOn({{cells[0].cell, values[cells[0].cell] * 1.1}});
    QCOMPARE(broken.numbers, cells.size());
    QVERIFY2(broken.q > 3, qPrintable(QString::number(broken.q)));
}

void EvidenceUsedTest::whatTheControllerLearnedIsKeptAtBothEnds() {
    Bench bench;
    const auto original = bench.read();
    survey(bench, {});
    const auto drives = drivesOf(*bench.kit, *bench.folder, original.id);
    EXPECT_OK(drives);
    QVERIFY(!(*drives)->untuned());  // its maker tuned it
    const auto learned = evidence::learnedOf((*drives)->recording(0));
    QVERIFY(learned.size() >= 6);
    // The car itself still holds what the drive left.
    const auto valueOf = [&](roles::Role role) {
        const auto* m = bench.kit->definition->measurementWithRole(role);
        const auto bytes = bench.car.memory().at(m->address, static_cast<uint32_t>(definition::sizeOf(m->type)));
        return definition::physicalOf(*bench.kit->definition, *m, bytes.data());
    };
    bool moved = false;
    for (const auto& value : learned) {
        QVERIFY2(std::isfinite(value.from) && std::isfinite(value.to), value.name.c_str());
        QVERIFY2(std::abs(value.to - valueOf(value.role)) < 0.2, value.name.c_str());
        moved = moved || std::abs(value.to - value.from) > 1;
    }
    // Stock bytes with larger injectors: it has learned a lot.
    QVERIFY(moved);
    // The sheet says so too: for those parts nobody tuned it.
    EXPECT_OK(bench.folder->settings().keepSheet(readText(BRUSK_DATA_DIR "/heron/build-sheet.json")));
    QVERIFY((*drivesOf(*bench.kit, *bench.folder, original.id))->untuned());
}

void EvidenceUsedTest::aNewMapOverLearnedValuesIsSaidToBeOffByThem() {
    auto recording = std::make_shared<recording::Recording>();
    recording->groups.resize(2);
    auto &engine = recording->groups[0], &learned = recording->groups[1];
    engine.channels = {{"n", "rpm", "", "engine_speed", std::vector<float>(100, 4000)},
                       {"m", "kg/h", "", "airflow", std::vector<float>(100, 300)}};
    for (int i = 0; i < 100; ++i)
        engine.time_s.push_back(i * 0.01);
    learned.name = evidence::kLearnedGroup;
    learned.time_s = {0, 1};
    learned.channels = {{"a", "%", "", "learned_trim_0", {1, 1}}, {"d", "%", "", "learned_trim_3", {0, -8}}};
    const Bench bench;
    namespace map = benchcar::map;
    image::Image image;
    EXPECT_OK(image.add(map::kFlash, bench.car.memory().at(map::kFlash, map::kFlashSize)));
    const calibration::Calibration inCar(bench.kit->definition, image);
    const auto pull = evidence::firstPull(inCar, evidence::Drives({recording}));
    QVERIFY(pull);
    QCOMPARE(pull->trim_pct, -8.0);
    QVERIFY(std::abs(pull->withLearned_pct - 8.696) < 0.01);
    QVERIFY2(qs(pull->sentence()).contains("8.7 % lean, with it cleared right; clear what was learned"),
             pull->sentence().c_str());
    recording->groups.pop_back();
    QVERIFY(!evidence::firstPull(inCar, evidence::Drives({recording})));
}

void EvidenceUsedTest::theFirstPullOnOtherBytesIsToldByPullsReplayed() {
    // Eight seconds at full pedal from 2000 rpm on, 4 % lean with a trim of 2 % that was at work; the drive
    // leaves one of 5 %.
    constexpr int kRows = 1200;
    constexpr float kAsked = 0.85F, kMeasured = 0.85F * 1.04F, kTrim = 2;
    auto recording = std::make_shared<recording::Recording>();
    recording->groups.resize(2);
    auto &engine = recording->groups[0], &learned = recording->groups[1];
    const auto add = [&](const char* role, const char* unit, const std::function<double(double t, bool foot)>& value) {
        std::vector<float> values;
        for (int i = 0; i < kRows; ++i)
            values.push_back(static_cast<float>(value(i * 0.01, i >= 200 && i < 1000)));
        engine.channels.push_back({role, unit, "", role, std::move(values)});
    };
    for (int i = 0; i < kRows; ++i)
        engine.time_s.push_back(i * 0.01);
    add("engine_speed", "rpm", [](double t, bool) { return 2000 + 300 * std::clamp(t - 2, 0.0, 10.0); });
    add("manifold_pressure", "kPa", [](double, bool foot) { return foot ? 98 : 40; });
    add("throttle", "%", [](double, bool foot) { return foot ? 100 : 12; });
    add("pedal", "%", [](double, bool foot) { return foot ? 100 : 12; });
    add("coolant", "\u00b0C", [](double, bool) { return 88; });
    add("lambda_asked", "lambda", [](double, bool foot) { return foot ? kAsked : 1; });
    add("lambda_measured", "lambda", [](double, bool foot) { return foot ? kMeasured : 1; });
    add("short_trim", "%", [](double, bool) { return 0; });
    add("long_trim", "%", [](double, bool) { return kTrim; });
    add("airflow", "kg/h", [](double t, bool foot) { return foot ? 150 + 30 * t : 30; });
    add("fuel_cut", "", [](double, bool) { return 0; });
    learned.name = evidence::kLearnedGroup;
    learned.time_s = {0, 1};
    learned.channels = {{"d", "%", "", "learned_trim_3", {0, 5}}};
    const Bench bench;
    namespace map = benchcar::map;
    image::Image image;
    EXPECT_OK(image.add(map::kFlash, bench.car.memory().at(map::kFlash, map::kFlashSize)));
    const calibration::Calibration inCar(bench.kit->definition, image);
    const evidence::Drives drives({recording});
    EXPECT_OK(drives.mixture());
    const double r = 1.04 * 1.02;
    // On the same bytes: what was measured, without the trim, and with the one that the drive left.
    const auto same = evidence::firstPull(inCar, drives, inCar);
    QVERIFY(same);
    QVERIFY2(std::abs(same->cleared_pct - (r - 1) * 100) < 0.01, qPrintable(QString::number(same->cleared_pct)));
    QVERIFY(std::abs(same->withLearned_pct - (r / 1.05 - 1) * 100) < 0.01);
    QVERIFY(!same->betterCleared());
    // With injectors said to give less by r the pull is right, and what was learned makes it rich.
    auto next = inCar;
    const auto* flow = next.definition().parameterWithRole("injector_flow");
    const auto edit = next.prepare(*flow, {{0, next.read(*flow)->values[0] / r}}, calibration::AtLimit::Clamp, "flow");
    EXPECT_OK(edit);
    EXPECT_OK(next.apply(*edit));
    const auto right = evidence::firstPull(inCar, drives, next);
    QVERIFY(right);
    QVERIFY2(std::abs(right->cleared_pct) < 0.2, qPrintable(QString::number(right->cleared_pct)));
    QVERIFY(std::abs(right->withLearned_pct + 100 - 100 / 1.05) < 0.2);
    QVERIFY(right->betterCleared());
}

QTEST_GUILESS_MAIN(EvidenceUsedTest)
#include "EvidenceUsedTest.moc"
