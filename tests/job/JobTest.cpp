// Finding, driving and correcting the bench car in virtual time.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <atomic>
#include <thread>
#include <utility>

#include "JobBench.h"
#include "benchcar/truth/Truth.h"
#include "core/image/ImageFile.h"
#include "core/job/Donors.h"
#include "core/job/Drive.h"
#include "core/job/Keeping.h"
#include "core/job/Purposes.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::job;

namespace {

/// Ends a drive when its time is over.
std::function<std::optional<Ended>(double)> after(double seconds) {
    return [seconds](double elapsed_s) { return elapsed_s < seconds ? std::nullopt : std::optional(Ended::Seconds); };
}

}  // namespace

class JobTest : public QObject {
    Q_OBJECT
  private slots:
    void theControllerIsFoundByWhatItSays();
    void noAnswerIsSaid();
    void anotherSoftwareThanTheDefinitionsIsTold();
    void wrongKeysLockOut();
    void aDriveIsRecordedAndBoundToItsRound();
    void aPurposeRecordsWhatItsCorrectionsNeedAndSaysWhatTheCarLacks();
    void aPulledCableKeepsWhatWasRecorded();
    void aRecordingGoesOnAfterCableIgnitionAndResetAndSaysWhatIsMissing();
    void aRecordingIsInTheLedgerFromItsFirstBlockOn();
    void aDiskThatFillsInMidDriveLosesNothingWhenThereIsRoomAgain();
    void aSensorMessageWithoutSignalsSaysNothing();
    void aVinThatIsNoTextIsReadKeptEditedAndFlashed();
    void oneUnreadableRecordingIsLeftOutAndSaid();
    void withoutKnowingWhatIsInTheCarNothingIsRecorded();
    void theCorrectionTakesTheErrorAway();
    void strengthScalesTheChange();
    void damagedRecordingsAreNamed();
    void donorsStayWithTheFolder();
};

void JobTest::theControllerIsFoundByWhatItSays() {
    Bench bench;
    const auto found = findController(bench.bus, {bench.kit});
    EXPECT_OK(found);
    QCOMPARE(found->identity.at("vin"), std::string("FMKHR16T0E2004711"));
    QVERIFY(found->identity.voltage > 12 && !found->bootMode);
    QVERIFY(found->why.find("ALD-E2-HW03") != std::string::npos);
    auto other = std::make_shared<Kit>(*bench.kit);
    other->profile.hardware = {"SOMETHING-ELSE"};
    EXPECT_FAILS(findController(bench.bus, {other}), "hardware \"ALD-E2-HW03\"; no profile is for it");
    const auto right = findController(bench.bus, {other, bench.kit});
    EXPECT_OK(right);
    QVERIFY(right->kit == bench.kit && right->mismatch.empty());
    // The folder's own profile is taken all the same, and the mismatch is told.
    const auto stranger = findController(bench.bus, {other}, other->profile.name);
    EXPECT_OK(stranger);
    QVERIFY(stranger->mismatch.find("no profile is for it") != std::string::npos);
    EXPECT_FAILS(findController(bench.bus, {}), "no controller profile");
}

void JobTest::noAnswerIsSaid() {
    Bench bench;
    bench.bus.setFrameFilter([](const link::CanFrame& frame) { return frame.id != 0x7E0; });
    const auto found = findController(bench.bus, {bench.kit});
    EXPECT_FAILS(found, "No controller answers on this link");
    QVERIFY(found.error().code == ErrorCode::Timeout);
    bench.bus.setConnected(false);
    EXPECT_FAILS(findController(bench.bus, {bench.kit}), "cable is out");
}

void JobTest::anotherSoftwareThanTheDefinitionsIsTold() {
    Bench bench;
    auto other = std::make_shared<Kit>(*bench.kit);
    other->profile.definitionSoftware = "AE2-9999-X01";
    const auto found = findController(bench.bus, {other});
    EXPECT_OK(found);
    QVERIFY2(found->mismatch.find("runs software \"AE2-5127-C04\"; the definition is for \"AE2-9999-X01\"") !=
                 std::string::npos,
             found->mismatch.c_str());
}

void JobTest::wrongKeysLockOut() {
    Bench bench;
    auto kit = std::make_shared<Kit>(*bench.kit);
    kit->profile.key.add ^= 1;
    link::Uds uds(bench.bus, kit->profile);
    EXPECT_OK(uds.startSession(3));
    EXPECT_FAILS(uds.unlock(), "the key is wrong");
    EXPECT_FAILS(uds.unlock(), "the key is wrong");
    EXPECT_FAILS(uds.unlock(), "too many wrong keys");
    auto right = bench.uds();
    EXPECT_FAILS(right.unlock(), "pause before the next key");
    bench.letTimePass(4);
    EXPECT_OK(right.testerPresent());
    bench.letTimePass(4);
    EXPECT_OK(right.testerPresent());
    bench.letTimePass(3);
    EXPECT_OK(right.unlock());
    EXPECT_FAILS(right.requestUpload(0x00000000, 16), "out of range");
    EXPECT_FAILS(right.erase({0x800000, 0x4000}), "not available in this session");
}

void JobTest::aDriveIsRecordedAndBoundToItsRound() {
    Bench bench;
    const auto original = bench.read();
    auto client = bench.uds();
    const auto channels = channelSet(*bench.kit, {"spark", "battery"});
    EXPECT_OK(channels);
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    DriveOptions options;
    options.title = "Idle";
    int live = 0;
    options.onLive = [&](const LiveRow& row) {
        ++live;
        // The controller's channels, and what the wideband says.
        if (row.values.size() != channels->measurements.size() + 2) qFatal("a live row of the wrong width");
    };
    options.ends = after(30);
    const auto outcome = recordDrive(client, *bench.kit, *bench.folder, *channels, options);
    EXPECT_OK(outcome);
    QVERIFY(!outcome->problem);
    QVERIFY(outcome->entry.samples > 2950 && outcome->entry.gaps == 0 && live > 2900);
    const auto recording = loadRecording(*bench.folder, outcome->entry);
    EXPECT_OK(recording);
    QCOMPARE((*recording)->roundId, std::string("0"));
    QCOMPARE((*recording)->imageSha256, original.imageSha256);
    // The controller's channels at three paces, the wideband, and what was learned.
    QCOMPARE((*recording)->groups.size(), size_t{5});
    QVERIFY(std::abs((*recording)->groups[0].rate_hz - 100) < 1);
    // What was recorded is what the car did.
    const auto speed = (*recording)->findRole("engine_speed");
    QVERIFY(std::abs(static_cast<double>(speed.channel->values.values().back()) - bench.car.plant().state().speed_rpm) <
            15);
    const auto lambda = (*recording)->findRole("lambda_measured");
    QVERIFY(lambda && std::abs(static_cast<double>(lambda.channel->values.values().back()) -
                               bench.car.plant().state().wideband) < 0.02);
    QVERIFY((*recording)->find("spark") && (*recording)->find("battery"));
    EXPECT_FAILS(channelSet(*bench.kit, {"boost_pressure"}), "no measurement boost_pressure");
}

void JobTest::aPurposeRecordsWhatItsCorrectionsNeedAndSaysWhatTheCarLacks() {
    const Bench bench;
    const auto nameOf = [](const Kit& kit, roles::Role role) {
        const auto* m = kit.definition->measurementWithRole(role);
        return m ? m->name : std::string();
    };
    const auto records = [](const PurposeChannels& chosen, const std::string& name) {
        return std::count(chosen.names.begin(), chosen.names.end(), name);
    };
    const roles::Purpose* const knock[] = {roles::purposeOf("knock")};
    const auto whole = channelsFor(*bench.kit, knock);
    QVERIFY(whole.lacks.empty());
    for (const roles::Need* need : knock[0]->kinds)
        for (const roles::Role role : need->channels)
            QCOMPARE(records(whole, nameOf(*bench.kit, role)), 1);
    QCOMPARE(records(whole, nameOf(*bench.kit, "idle_target")), 0);
    EXPECT_OK(channelSet(*bench.kit, whole.names));
    // Two purposes are one set; the wideband, which is a sensor of its own, is no lack of fuelling.
    const roles::Purpose* const both[] = {roles::purposeOf("idle"), roles::purposeOf("fuelling")};
    const auto wide = channelsFor(*bench.kit, both);
    QVERIFY(wide.lacks.empty());
    QCOMPARE(records(wide, nameOf(*bench.kit, "idle_target")), 1);
    QCOMPARE(records(wide, nameOf(*bench.kit, "engine_speed")), 1);
    // A car that does not tell its retard, and one without the map.
    Kit mute = *bench.kit;
    auto definition = std::make_shared<definition::Definition>(*bench.kit->definition);
    for (auto& m : definition->measurements)
        if (m.role == "knock_retard") m.role.clear();
    definition->index();
    mute.definition = definition;
    const auto lacking = channelsFor(mute, knock);
    QCOMPARE(lacking.lacks.size(), size_t{1});
    QVERIFY(lacking.lacks[0].role == roles::Role("knock_retard") && lacking.lacks[0].by.size() > 3);
    const std::string sentence = lackSentence(lacking.lacks[0]);
    QVERIFY2(sentence.find("knock retard") != std::string::npos && sentence.find(" more.") != std::string::npos,
             sentence.c_str());
    auto without = std::make_shared<definition::Definition>(*definition);
    for (auto& p : without->parameters)
        if (p.role == "spark_map" || p.role == "knock_threshold") p.role.clear();
    without->index();
    mute.definition = without;
    const auto onlyChecks = channelsFor(mute, knock);
    QCOMPARE(onlyChecks.lacks.size(), size_t{1});
    QVERIFY(onlyChecks.lacks[0].by.size() < lacking.lacks[0].by.size());
}

void JobTest::aPulledCableKeepsWhatWasRecorded() {
    Bench bench;
    bench.read();
    auto client = bench.uds();
    const auto channels = channelSet(*bench.kit, {});
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    DriveOptions options;
    options.title = "Idle";
    options.waitFor_s = 20;
    double last_s = 0;
    options.ends = [&](double elapsed_s) {
        if (elapsed_s > 10) bench.bus.setConnected(false);
        last_s = elapsed_s;
        return after(300)(elapsed_s);
    };
    const auto outcome = recordDrive(client, *bench.kit, *bench.folder, *channels, options);
    EXPECT_OK(outcome);
    QVERIFY(outcome->problem && outcome->problem->text().find("cable is out") != std::string::npos);
    QVERIFY(outcome->entry.samples > 950 && outcome->ended == Ended::Link);
    QVERIFY(last_s > 29 && last_s < 31);
    QVERIFY(outcome->entry.state == carfolder::RecordingState::Whole);
    const auto recording = loadRecording(*bench.folder, outcome->entry);
    EXPECT_OK(recording);
    QCOMPARE(static_cast<int64_t>((*recording)->groups[0].time_s.size()), outcome->entry.samples);
    // Whoever reviews it sees why it ends there.
    QVERIFY((*recording)->marks.size() == 1 && (*recording)->marks[0].kind == "gap");
    QVERIFY2((*recording)->marks[0].text.starts_with("ended so: 2") &&
                 (*recording)->marks[0].text.ends_with("the cable was out"),
             (*recording)->marks[0].text.c_str());
}

void JobTest::aRecordingGoesOnAfterCableIgnitionAndResetAndSaysWhatIsMissing() {
    Bench bench;
    bench.read();
    auto client = bench.uds();
    const auto channels = channelSet(*bench.kit, {});
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    DriveOptions options;
    options.title = "Idle";
    std::vector<std::string> said;
    options.onWaiting = [&](const std::string& sentence) { said.push_back(sentence); };
    double now_s = 0;
    bool reset = false, marked = false;
    options.marks = [&] {
        const bool due = now_s > 15 && !marked;
        marked |= due;
        return due ? std::vector<std::string>{"1"} : std::vector<std::string>();
    };
    options.ends = [&](double elapsed_s) {
        now_s = elapsed_s;
        bench.bus.setConnected(elapsed_s < 10 || elapsed_s > 18);
        bench.car.setKey(elapsed_s < 30 || elapsed_s > 42);
        if (elapsed_s > 55 && !std::exchange(reset, true) && !client.reset()) qFatal("no reset");
        return after(70)(elapsed_s);
    };
    const auto outcome = recordDrive(client, *bench.kit, *bench.folder, *channels, options);
    EXPECT_OK(outcome);
    QVERIFY2(!outcome->problem, outcome->problem ? outcome->problem->text().c_str() : "");
    QVERIFY(outcome->entry.state == carfolder::RecordingState::Whole && outcome->ended == Ended::Seconds);
    const struct {
        GapCause cause;
        double from_s, to_s;
    } expected[] = {{GapCause::Cable, 10, 18}, {GapCause::Silent, 30, 42}, {GapCause::Stopped, 55, 56}};
    QCOMPARE(outcome->gaps.size(), std::size(expected));
    for (size_t i = 0; i < std::size(expected); ++i) {
        const DriveGap& gap = outcome->gaps[i];
        QCOMPARE(gapCauseName(gap.cause), gapCauseName(expected[i].cause));
        QVERIFY2(std::abs(gap.from_s - expected[i].from_s) < 0.2 && gap.to_s > expected[i].to_s &&
                     gap.to_s < expected[i].to_s + 1.5,
                 qPrintable(QString("%1 to %2").arg(gap.from_s).arg(gap.to_s)));
    }
    // It was told that it waits, and that it goes on; what had only stopped was asked again at once.
    QCOMPARE(said.size(), size_t{5});
    QVERIFY(said[0].find("cable") != std::string::npos && said[1].empty());
    QVERIFY(said[2].find("ignition") != std::string::npos && said[3].empty() && said[4].empty());

    const auto recording = loadRecording(*bench.folder, outcome->entry);
    EXPECT_OK(recording);
    const std::span<const double> time = (*recording)->groups[0].time_s;
    QCOMPARE(static_cast<int64_t>(time.size()), outcome->entry.samples);
    size_t missing = 0;
    for (size_t i = 1; i < time.size(); ++i) {
        QVERIFY(time[i] > time[i - 1]);
        if (time[i] - time[i - 1] <= 0.05) continue;
        QVERIFY(missing < outcome->gaps.size() && time[i] == outcome->gaps[missing].to_s);
        ++missing;
    }
    QCOMPARE(missing, std::size(expected));
    QVERIFY(time.back() > 69.5);
    auto marks = (*recording)->marks;
    std::stable_sort(marks.begin(), marks.end(), [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
    QVERIFY(marks == outcome->marks && marks.size() == 4);
    QCOMPARE(marks[0].kind + ": " + marks[0].text.substr(marks[0].text.find(" s ")),
             std::string("gap:  s missing: the cable was out"));
    QVERIFY(marks[1].kind == "mark" && marks[1].text == "1" && std::abs(marks[1].at_s - 15) < 0.6);
}

void JobTest::aRecordingIsInTheLedgerFromItsFirstBlockOn() {
    Bench bench;
    const auto original = bench.read();
    auto client = bench.uds();
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    DriveOptions options;
    options.title = "Idle";
    options.conditions.fuel = "RON 98";
    bool begun = false;
    options.onBegun = [&](const storage::Path& file) { begun = bench.files.exists(file); };
    size_t seen = 0;
    options.ends = [&](double elapsed_s) {
        // What somebody finds who opens the folder now, as after a death. The writer runs by the wall clock.
        for (int tries = 0; elapsed_s > 5 && seen <= 440 && tries < 5000; ++tries) {
            const auto others = carfolder::CarFolder::open(bench.files, bench.folder->path());
            const auto entries = *(*others)->recordings().of(original.id);
            const auto grown = loadRecording(**others, entries.at(0));
            if (entries[0].state == carfolder::RecordingState::Open && grown) seen = (*grown)->groups[0].time_s.size();
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
        }
        return after(10)(elapsed_s);
    };
    const auto outcome = recordDrive(client, *bench.kit, *bench.folder, *channelSet(*bench.kit, {}), options);
    EXPECT_OK(outcome);
    QVERIFY(begun && outcome->ended == Ended::Seconds);
    QVERIFY2(seen > 440, qPrintable(QString::number(seen)));  // all but the last half second
    const auto entry = (*bench.folder->recordings().of(original.id))[0];
    QVERIFY(entry.state == carfolder::RecordingState::Whole && entry.samples > 950);
    QVERIFY(entry.conditions.fuel == "RON 98" && entry.imageSha256 == original.imageSha256);
    QVERIFY(entry.definitionSha256.size() == 64 && entry.channelsSha256.size() == 64);
    const auto recording = loadRecording(*bench.folder, entry);
    QVERIFY((*recording)->areas.find("calibration=") != std::string::npos);
}

void JobTest::aDiskThatFillsInMidDriveLosesNothingWhenThereIsRoomAgain() {
    Bench bench;
    auto client = bench.uds();
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    for (const bool roomAgain : {true, false}) {
        storage::MemoryFileSystem files;
        std::atomic<size_t> toldTimes{0};
        std::vector<std::string> told;
        DriveOptions options;
        options.onTrouble = [&](const std::string& sentence) {
            told.push_back(sentence);
            ++toldTimes;
        };
        // The simulated car drives faster than the writing thread may follow: it waits where the disk changes.
        const auto waitFor = [](const std::function<bool()>& seen) {
            for (int tries = 0; tries < 5000 && !seen(); ++tries)
                std::this_thread::sleep_for(std::chrono::milliseconds(1));
        };
        options.ends = [&](double elapsed_s) {
            if (elapsed_s > 10 && elapsed_s < 11) {
                if (toldTimes == 0)
                    waitFor(
                        [&] { return recording::readMdf4(*files.read("/drive.mf4"))->groups[0].time_s.back() > 9; });
                files.setRoom(500);
            }
            if (elapsed_s > 12) waitFor([&] { return toldTimes > 0; });
            if (elapsed_s > 20 && roomAgain) files.setRoom(std::nullopt);
            if (elapsed_s > 22 && roomAgain) waitFor([&] { return toldTimes > 1; });
            return after(30)(elapsed_s);
        };
        const auto outcome = recordFile(client, *bench.kit, files, "/drive.mf4", *channelSet(*bench.kit, {}), options);
        EXPECT_OK(outcome);
        const auto recording = recording::readMdf4(*files.read("/drive.mf4"));
        EXPECT_OK(recording);
        const auto& times = recording->groups[0].time_s;
        QVERIFY(recording->damage.empty());
        QCOMPARE(told.size(), size_t{roomAgain ? 2u : 1u});
        QVERIFY(told[0].find("the disk is full") != std::string::npos);
        if (roomAgain) {
            QVERIFY(outcome->ended == Ended::Seconds && outcome->gaps.empty() && times.back() > 29.5);
            QVERIFY(recording::gapsOf(recording->groups[0]).empty());
        } else {
            // Whole up to the gap, and the gap is told with its cause.
            QVERIFY(outcome->ended == Ended::Disk && outcome->problem && times.back() > 8.5 && times.back() < 11.5);
            QVERIFY(outcome->gaps.size() == 1 && outcome->gaps[0].cause == GapCause::Disk &&
                    outcome->gaps[0].to_s > 29);
            QCOMPARE(outcome->entry.duration_s, outcome->gaps[0].from_s);
        }
    }
}

void JobTest::aSensorMessageWithoutSignalsSaysNothing() {
    Bench bench;
    auto client = bench.uds();
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    Kit kit = *bench.kit;
    QVERIFY(!kit.externalSensors.empty());
    auto silent = kit.externalSensors[0];
    silent.signalList.clear();
    kit.externalSensors.insert(kit.externalSensors.begin(), silent);
    for (const bool alone : {false, true}) {
        if (alone) kit.externalSensors = {silent};
        storage::MemoryFileSystem files;
        DriveOptions options;
        options.ends = after(2);
        const auto outcome = recordFile(client, kit, files, "/drive.mf4", *channelSet(kit, {}), options);
        EXPECT_OK(outcome);
        QVERIFY(!outcome->problem && outcome->entry.samples > 150);
        QCOMPARE(recording::readMdf4(*files.read("/drive.mf4"))->groups.size(), size_t{alone ? 3u : 4u});
    }
}

void JobTest::aVinThatIsNoTextIsReadKeptEditedAndFlashed() {
    Bench bench;
    // Latin-1 in the middle, a control, and erased flash behind.
    const std::string vin = std::string("M\xDCLLER") + '\x02' + std::string("7\xFF\xFF", 3);
    auto flash = bench.car.memory().flash();
    const size_t at = benchcar::map::kVin - benchcar::map::kFlash;
    std::fill_n(flash.begin() + static_cast<long>(at), benchcar::map::kVinSize, uint8_t{0xFF});
    std::copy(vin.begin(), vin.end(), flash.begin() + static_cast<long>(at));
    bench.car.powerCycle();
    const auto original = bench.read();
    QCOMPARE(original.note, std::string("Read from M\u00dcLLER\uFFFD7"));
    const auto identity = identityFromJson(*bench.folder->settings().get("identity"));
    EXPECT_OK(identity);
    QCOMPARE(identity->at("vin"), std::string("M\u00dcLLER\uFFFD7"));
    const auto changed = bench.change("rev_limit", 6500, original.id);
    EXPECT_OK(bench.flash(changed.id));
    QVERIFY(bench.carHoldsExactly(changed.id));
}

void JobTest::oneUnreadableRecordingIsLeftOutAndSaid() {
    Bench bench;
    const auto original = bench.read();
    auto client = bench.uds();
    for (int drive = 0; drive < 2; ++drive) {
        bench.car.startRoute(*benchcar::routeNamed("idle"));
        DriveOptions options;
        options.ends = after(60);
        EXPECT_OK(recordDrive(client, *bench.kit, *bench.folder, *channelSet(*bench.kit, {}), options));
    }
    const auto entries = *bench.folder->recordings().of(original.id);
    QCOMPARE(entries.size(), size_t{2});
    const auto both = drivesOf(*bench.kit, *bench.folder, original.id);
    EXPECT_OK(bench.files.save(bench.folder->recordings().path(entries[0].file), bytesOf("no recording any more")));
    const auto one = drivesOf(*bench.kit, *bench.folder, original.id);
    EXPECT_OK(one);
    const size_t counted = (*one)->mixture()->size();
    QVERIFY(counted > 0 && counted < (*both)->mixture()->size());
    const auto& leftOut = (*one)->leftOut();
    QVERIFY(leftOut.size() == 1 && leftOut[0].find(entries[0].file + " is left out") == 0);
    EXPECT_OK(bench.files.save(bench.folder->recordings().path(entries[1].file), bytesOf("nor this")));
    EXPECT_FAILS(drivesOf(*bench.kit, *bench.folder, original.id), "is left out");
}

void JobTest::withoutKnowingWhatIsInTheCarNothingIsRecorded() {
    Bench bench;
    auto client = bench.uds();
    DriveOptions options;
    options.ends = after(0);
    EXPECT_FAILS(recordDrive(client, *bench.kit, *bench.folder, *channelSet(*bench.kit, {}), options),
                 "could not be tied to a round");
}

void JobTest::theCorrectionTakesTheErrorAway() {
    Bench bench;
    const auto original = bench.read();
    auto client = bench.uds();
    const auto drive = [&] {
        bench.car.startRoute(*benchcar::routeNamed("survey"));
        DriveOptions options;
        options.title = "Survey";
        options.ends = [&](double) { return bench.car.onRoute() ? std::nullopt : std::optional(Ended::Asked); };
        const auto outcome = recordDrive(client, *bench.kit, *bench.folder, *channelSet(*bench.kit, {}), options);
        bench.car.stopRoute();
        bench.letTimePass(3);
        return outcome.has_value() && !outcome->problem;
    };
    const auto calibration = calibrationOf(*bench.kit, *bench.folder, original.id);
    const auto sheet = buildSheetFromJson(readText(BRUSK_DATA_DIR "/heron/build-sheet.json"));
    // Without the cams' rule of thumb, so that there is something to correct.
    const auto base = proposals::planBase(*calibration, *sheet, {{"cam_filling", {false, 1, std::nullopt}}});
    EXPECT_OK(base);
    const auto one = makeRound(*bench.kit, *bench.folder, original.id, base->edits(), "base", {});
    EXPECT_OK(bench.flash(one->id));
    EXPECT_FAILS(drivesOf(*bench.kit, *bench.folder, one->id), "No drive was recorded on this round");
    QVERIFY(drive());
    const auto before = measureFuelError(*bench.kit, *bench.folder, one->id);
    EXPECT_OK(before);
    const auto drives = drivesOf(*bench.kit, *bench.folder, one->id);
    EXPECT_OK(drives);
    QVERIFY((*drives)->untuned());  // a base, and no drive has corrected it
    const proposals::CorrectionChoices onlyAir{.only = {"air"}, .left = {}};
    const auto made = proposals::correctAll(*calibrationOf(*bench.kit, *bench.folder, one->id), **drives, onlyAir);
    EXPECT_OK(made);
    QCOMPARE(made->made.size(), size_t{1});
    const proposals::TableCorrection* correction = &made->made[0]->tables[0];
    QVERIFY(correction->expected < 0.01 && correction->changed > 50);
    for (size_t i = 0; i < correction->change.size(); ++i)
        QVERIFY(std::abs(correction->change[i]) <= 0.251);
    const auto two = makeRound(*bench.kit, *bench.folder, one->id, made->edits(), "air", reasonOf(*made, onlyAir));
    // What was learned on the old map would act on the new one: it is said, and cleared where somebody wants it.
    auto asking = bench.uds();
    const auto identity = link::identify(asking);
    EXPECT_OK(identity);
    const auto learned = [&](const FlashOptions& options) -> std::optional<Gate> {
        const auto plan = planFlash(*bench.kit, *bench.folder, two->id, &*identity, options);
        if (!plan) return std::nullopt;
        const auto at = std::find_if(plan->gates.begin(), plan->gates.end(),
                                     [](const Gate& gate) { return gate.name == "Learned"; });
        return at == plan->gates.end() ? std::nullopt : std::optional(*at);
    };
    FlashOptions clears;
    clears.clearLearned = true;
    const auto warns = learned({}), settled = learned(clears);
    QVERIFY(warns && warns->verdict == Gate::Verdict::Warns && warns->remedy == Gate::Remedy::ClearLearned);
    QVERIFY2(warns->sentence.find("the first pull will be") != std::string::npos, warns->sentence.c_str());
    QVERIFY(settled && settled->verdict == Gate::Verdict::Passed);
    const auto trims = [&] {
        double most = 0;
        for (const auto& value : benchcar::learnedNow(bench.car))
            if (value.name.starts_with("learned_")) most = std::max(most, std::abs(value.value));
        return most;
    };
    QVERIFY2(trims() > 0.5, qPrintable(QString::number(trims())));
    EXPECT_OK(bench.flash(two->id, {}, clears));
    QVERIFY2(trims() < 0.1, qPrintable(QString::number(trims())));
    QVERIFY(drive());
    const auto after = measureFuelError(*bench.kit, *bench.folder, two->id);
    EXPECT_OK(after);
    qInfo("fuel off by %.2f %% before, %.2f %% after, expected %.2f %%", before->rms * 100, after->rms * 100,
          correction->expected * 100);
    QVERIFY(before->rms > 0.05 && after->rms < 0.02);
    QVERIFY(!(*drivesOf(*bench.kit, *bench.folder, two->id))->untuned());
    QVERIFY(bench.folder->rounds().byId(two->id)->fuelError_pct < 2.0);
}

void JobTest::strengthScalesTheChange() {
    Bench bench;
    const auto original = bench.read();
    const auto calibration = calibrationOf(*bench.kit, *bench.folder, original.id);
    const auto table = *calibration->read(*calibration->definition().parameterWithRole("ve_map"));
    evidence::MapSamples samples(calibration->definition(), table);
    const evidence::MapSamples none = samples;
    // Six visits of five seconds.
    for (int i = 0; i < 3000; ++i) {
        samples.x.push_back(2200 + static_cast<float>(i % 7)), samples.y.push_back(58), samples.value.push_back(1.10f);
        samples.time_s.push_back(i * 0.01 + i / 500 * 5), samples.drive.push_back(0);
    }
    proposals::Caution full, half, strict, nearest;
    half.strength = 0.5;
    strict.largestStep = 0.03;
    nearest.method = proposals::Method::NearestCell;
    const auto correct = [&](const evidence::MapSamples& from, const proposals::Caution& o) {
        return proposals::correctTable(*calibration, table, from, {}, o, "Air");
    };
    const auto cell = [&](const proposals::Caution& o) { return correct(samples, o)->change[5 * 16 + 6]; };
    QVERIFY2(std::abs(cell(full) - 0.10) < 0.003, qPrintable(QString::number(cell(full))));
    QVERIFY(std::abs(cell(half) - 0.05) < 0.002);
    QVERIFY(std::abs(cell(strict) - 0.03) < 0.001);
    QVERIFY(std::abs(cell(nearest) - 0.10) < 0.001);
    QCOMPARE(correct(samples, nearest)->changed, size_t{1});
    QVERIFY(correct(samples, strict)->clamped > 0);
    // What is less sure than asked for stays. More fuel follows the fit as far as that is sure; less only beside what
    // was seen.
    proposals::Caution demanding;
    demanding.largestDoubt = 1e-6;
    QCOMPARE(correct(samples, demanding)->changed, size_t{0});
    const auto richer = correct(samples, full);
    QVERIFY2(richer->changed > 20 && richer->changed < richer->change.size() / 2,
             qPrintable(QString::number(richer->changed)));
    for (size_t i = 0; i < richer->change.size(); ++i)
        QVERIFY(richer->change[i] == 0 || richer->fit.doubt[i] <= full.largestDoubt);
    auto rich = samples;
    std::fill(rich.value.begin(), rich.value.end(), 0.90f);
    const auto leaner = correct(rich, full);
    QVERIFY2(leaner->changed >= 1 && leaner->changed <= 20, qPrintable(QString::number(leaner->changed)));
    QVERIFY(correct(samples, full)->sure >= 1);
    QCOMPARE(correct(none, full)->changed, size_t{0});
}

void JobTest::damagedRecordingsAreNamed() {
    Bench bench;
    const auto original = bench.read();
    carfolder::RecordingEntry entry;
    entry.round = original.id;
    entry.file = "damaged.mf4";
    EXPECT_OK(bench.files.save(bench.folder->recordings().path(entry.file),
                               bytesOf("not a recording at all, but long enough to be one, surely")));
    EXPECT_OK(bench.folder->recordings().add(entry));
    EXPECT_FAILS(drivesOf(*bench.kit, *bench.folder, original.id), "damaged.mf4 can't be read");
}

void JobTest::donorsStayWithTheFolder() {
    Bench bench;
    const storage::Path shipped = BRUSK_DATA_DIR "/heron/heron-s-donor.hex";
    const auto donor = addDonor(*bench.kit, *bench.folder, shipped, {});
    EXPECT_OK(donor);
    QCOMPARE(*(*donor)->sheet.of(proposals::Fact::TurboSpring), 55.0);
    // The same file again is another donor, through a definition of its own; a plain binary keeps its place as hex.
    const auto second = addDonor(*bench.kit, *bench.folder, shipped, BRUSK_DATA_DIR "/heron/aldine-e2.a2l");
    EXPECT_OK(second);
    QCOMPARE((*second)->name, std::string("heron-s-donor-2.hex"));
    auto sheet = (*second)->sheet;
    sheet.of(proposals::Fact::TurboSpring) = 58;
    EXPECT_OK(setDonorSheet(*bench.folder, *second, sheet));
    // All is in the folder: it may be moved, and the shipped file may go.
    std::vector<Error> problems;
    auto kept = donorsOf(*bench.kit, *bench.folder, problems);
    QVERIFY(problems.empty() && kept.size() == 2);
    QCOMPARE(*kept[1]->sheet.of(proposals::Fact::TurboSpring), 58.0);
    QVERIFY(kept[0]->calibration.image() == (*donor)->calibration.image());
    QVERIFY(kept[0]->calibration.sharedDefinition() == bench.kit->definition);
    QVERIFY(kept[1]->calibration.sharedDefinition() != bench.kit->definition);
    // A calibration alone, as tools export it, does not tell its software; that is said and stops nobody.
    auto& files = bench.files;
    const storage::Path place = bench.temporary.filePath("strangers").toStdString();
    EXPECT_OK(files.makeFolder(place));
    const auto calibrationOnly = (*donor)->calibration.image().bytes(benchcar::map::kCalibration, 32);
    image::Image part;
    EXPECT_OK(part.add(benchcar::map::kCalibration, *calibrationOnly));
    EXPECT_OK(files.save(place / "part.s19", *image::writeImage(part, image::Format::SRecord)));
    const auto quiet = readDonor(files, place / "part.s19", {}, bench.kit->definition);
    EXPECT_OK(quiet);
    QVERIFY(quiet->remark.find("holds no software id") != std::string::npos);
    // Another software is refused, and so is a sheet that can't be read.
    auto other = (*donor)->calibration.image();
    EXPECT_OK(other.overwrite(*bench.kit->definition->softwareIdAddress, Bytes{'X', 'X'}));
    EXPECT_OK(files.save(place / "other.hex", *image::writeImage(other, image::Format::IntelHex)));
    EXPECT_FAILS(addDonor(*bench.kit, *bench.folder, place / "other.hex", {}), "other.hex does not fit");
    EXPECT_OK(files.save(place / "part.build-sheet.json", asBytes("{\"wish\": \"speed\"}")));
    EXPECT_FAILS(addDonor(*bench.kit, *bench.folder, place / "part.s19", {}), "donor's build sheet can't be used");
    EXPECT_FAILS(addDonor(*bench.kit, *bench.folder, place / "nothing.hex", {}), "nothing.hex");
    // A file that is gone, or names another place, is said; the others are there.
    EXPECT_OK(files.remove(bench.folder->path() / "donors" / "heron-s-donor.hex"));
    kept = donorsOf(*bench.kit, *bench.folder, problems);
    QVERIFY(kept.size() == 1 && problems.size() == 1);
    EXPECT_OK(bench.folder->settings().set("donors", R"([{"name": "../../original.hex"}])"));
    problems.clear();
    QVERIFY(donorsOf(*bench.kit, *bench.folder, problems).empty() && problems.size() == 1);
    EXPECT_OK(bench.folder->settings().set("donors", "[{"));
    problems.clear();
    QVERIFY(donorsOf(*bench.kit, *bench.folder, problems).empty());
    QVERIFY(problems.size() == 1 && problems[0].text().find("list of donors can't be read") != std::string::npos);
    EXPECT_FAILS(addDonor(*bench.kit, *bench.folder, shipped, {}), "list of donors");
}

QTEST_APPLESS_MAIN(JobTest)
#include "JobTest.moc"
