// Reading, flashing, driving and correcting the bench car in virtual time, with the link and the power failing on the
// way. SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>

#include "Expect.h"
#include "benchcar/VirtualBus.h"
#include "core/job/Correct.h"
#include "core/job/Drive.h"
#include "core/job/FlashRound.h"
#include "core/job/ReadCar.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::job;

namespace {

/// A bench car, its bus and its folder.
struct Bench {
    explicit Bench(uint64_t seed = 1)
        : car(benchcar::kHeronFitted, seed),
          bus(car),
          kit(*loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json")) {
        auto made = carfolder::CarFolder::create(files, temporary.filePath("car").toStdString(), "car");
        if (!made) qFatal("%s", made.error().text().c_str());
        folder = std::move(*made);
    }
    link::Uds uds() { return {bus, kit->profile}; }
    /// Reads the car; fails the program when that fails.
    carfolder::Round read() {
        auto client = uds();
        const auto identity = link::identify(client);
        image::Image partial;
        const auto outcome = readCar(client, *kit, *identity, *folder, partial, {});
        if (!outcome) qFatal("%s", outcome.error().text().c_str());
        return outcome->round;
    }
    /// A round with one parameter changed.
    carfolder::Round change(const char* parameter, double value, int64_t parent) {
        const auto calibration = calibrationOf(*kit, *folder, parent);
        const auto edit = calibration->prepare(*kit->definition->parameter(parameter), {{0, value}},
                                               calibration::AtLimit::Refuse, parameter);
        const auto round = makeRound(*kit, *folder, parent, {*edit}, parameter, "");
        if (!round) qFatal("%s", round.error().text().c_str());
        return *round;
    }
    Result<link::FlashReport> flash(int64_t round, const link::OnProgress& progress = {}) {
        auto client = uds();
        return flashRound(client, *kit, *folder, round, progress);
    }
    bool carHoldsExactly(int64_t round) const {
        const auto image = *folder->image(round);
        const auto held = image->bytes(benchcar::map::kFlash, benchcar::map::kFlashSize);
        return held && std::equal(held->begin(), held->end(), car.memory().flash().begin());
    }
    std::string sentence() const {
        const auto contents = folder->contents(kit->profile.sectors());
        const auto round = folder->round(contents.round.value_or(-1));
        return whatIsInTheCar(contents, round ? &*round : nullptr);
    }
    void letTimePass(double seconds) {
        const int64_t until = bus.now_us() + static_cast<int64_t>(seconds * 1e6);
        while (bus.now_us() < until)
            if (!bus.receive(until)) break;
    }

    storage::RealFileSystem files;
    QTemporaryDir temporary;
    benchcar::BenchCar car;
    benchcar::VirtualBus bus;
    std::shared_ptr<const Kit> kit;
    std::unique_ptr<carfolder::CarFolder> folder;
};

}  // namespace

class JobTest : public QObject {
    Q_OBJECT
  private slots:
    void theControllerIsFoundByWhatItSays();
    void noAnswerIsSaid();
    void anotherSoftwareThanTheDefinitionsIsRefused();
    void theFirstReadIsTheOriginalByteForByte();
    void anInterruptedReadGoesOnWhereItStopped();
    void aCancelledReadStops();
    void readingAgainSaysWhatTheLedgerKnows();
    void bytesThatNoRoundHadAreKeptAsTheirOwn();
    void anotherCarIsNotReadIntoThisFolder();
    void aOneMapChangeWritesOneSector();
    void whatWasFlashedIsInTheCarByteForByte();
    void flashingTheSameAgainWritesNothing();
    void aFlashIsCloseToTheTheoreticalLeast();
    void gatesBlockWhatTheyShould();
    void aFlashWithTheEngineRunningIsRefused();
    void aCutLinkAtSampledFramesOfAFlashIsFinishedByTheNext();
    void aPowerCutAtSampledFramesLeavesACarThatCanBeFlashed();
    void aStoppedFlashSaysSoAndTheNextFinishesIt();
    void lostFramesAreRetried();
    void aFailingJournalStopsTheFlashBeforeTheCarIsTouched();
    void wrongKeysLockOut();
    void aDriveIsRecordedAndBoundToItsRound();
    void aPulledCableKeepsWhatWasRecorded();
    void withoutKnowingWhatIsInTheCarNothingIsRecorded();
    void baseProposalsGiveFormulasAndStoredNumbers();
    void baseProposalsRefuseNonsense();
    void theCorrectionTakesTheErrorAway();
    void strengthScalesTheChange();
    void damagedRecordingsAreNamed();
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
    EXPECT_FAILS(findController(bench.bus, {other}), "is not for it");
    EXPECT_OK(findController(bench.bus, {other, bench.kit}));
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

void JobTest::anotherSoftwareThanTheDefinitionsIsRefused() {
    Bench bench;
    auto other = std::make_shared<Kit>(*bench.kit);
    other->profile.definitionSoftware = "AE2-9999-X01";
    EXPECT_FAILS(findController(bench.bus, {other}),
                 "runs software \"AE2-5127-C04\"; the definition is for \"AE2-9999-X01\"");
}

void JobTest::theFirstReadIsTheOriginalByteForByte() {
    Bench bench;
    const auto round = bench.read();
    QCOMPARE(round.number, 0);
    QVERIFY(bench.carHoldsExactly(round.id));
    QVERIFY(bench.files.exists(bench.folder->path() / "original.hex"));
    QCOMPARE(bench.sentence(), std::string("The car runs round 0, as the ledger says."));
}

void JobTest::anInterruptedReadGoesOnWhereItStopped() {
    Bench bench;
    auto client = bench.uds();
    const auto identity = link::identify(client);
    image::Image partial;
    bench.bus.cutAfterFrames(30000);
    const auto first = readCar(client, *bench.kit, *identity, *bench.folder, partial, {});
    EXPECT_FAILS(first, "read again to go on from there");
    QVERIFY(!bench.folder->original());  // nothing half is kept as the original
    const uint64_t kept = partial.size();
    QVERIFY(kept >= 150000 && kept < 300000);
    bench.bus.setConnected(true);
    bench.letTimePass(6);  // the session times out meanwhile
    const int64_t before = bench.bus.framesSeen();
    EXPECT_OK(readCar(client, *bench.kit, *identity, *bench.folder, partial, {}));
    QVERIFY(bench.carHoldsExactly(bench.folder->original()->id));
    QVERIFY(bench.bus.framesSeen() - before <
            160000 - static_cast<int64_t>(kept / 8));  // the first part was not read again
}

void JobTest::aCancelledReadStops() {
    Bench bench;
    auto client = bench.uds();
    const auto identity = link::identify(client);
    image::Image partial;
    uint64_t last = 0;
    const auto outcome = readCar(client, *bench.kit, *identity, *bench.folder, partial, [&](const link::Progress& p) {
        last = p.done;
        return p.done < 100000;
    });
    QVERIFY(!outcome && outcome.error().code == ErrorCode::Cancelled);
    QVERIFY(last < 110000 && !bench.folder->original());
}

void JobTest::readingAgainSaysWhatTheLedgerKnows() {
    Bench bench;
    const auto original = bench.read();
    const auto again = bench.read();
    QCOMPARE(again.id, original.id);
    QCOMPARE(bench.folder->rounds().size(), size_t{1});
}

void JobTest::bytesThatNoRoundHadAreKeptAsTheirOwn() {
    Bench bench;
    bench.read();
    bench.car.memory().flash()[benchcar::layout::limits.revLimit.at + 1 - benchcar::map::kFlash] ^=
        1;  // somebody else was here
    const auto round = bench.read();
    QCOMPARE(round.number, 1);
    QCOMPARE(round.title, std::string("Found in the car"));
    QVERIFY(bench.carHoldsExactly(round.id));
}

void JobTest::anotherCarIsNotReadIntoThisFolder() {
    Bench bench;
    bench.read();
    auto client = bench.uds();
    auto identity = *link::identify(client);
    identity.values["serial"] = "E2-0000-0000";
    image::Image partial;
    EXPECT_FAILS(readCar(client, *bench.kit, identity, *bench.folder, partial, {}),
                 "belongs to controller E2-0098-4417");
    QVERIFY(partial.empty());
}

void JobTest::aOneMapChangeWritesOneSector() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    const auto plan = planFlash(*bench.kit, *bench.folder, round.id, nullptr);
    EXPECT_OK(plan);
    QCOMPARE(plan->sectors.size(), size_t{1});
    QCOMPARE(plan->sectors[0].start, uint32_t{0x8E0000});
    QVERIFY(plan->blocked());  // nobody was asked yet
}

void JobTest::whatWasFlashedIsInTheCarByteForByte() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("injector_flow", 600, original.id);
    std::vector<std::string> steps;
    const auto report = bench.flash(round.id, [&](const link::Progress& p) {
        if (steps.empty() || steps.back() != p.step) steps.push_back(p.step);
        return true;
    });
    EXPECT_OK(report);
    QVERIFY(bench.carHoldsExactly(round.id));
    QVERIFY(!bench.car.bootMode());
    QCOMPARE(steps, (std::vector<std::string>{"Erasing 0x8C8000", "Writing 0x8C8000", "Reading back 0x8C8000"}));
    QCOMPARE(*bench.folder->contents(bench.kit->profile.sectors()).round, round.id);
    QVERIFY(bench.folder->round(round.id)->state == carfolder::RoundState::Fixed);
    // And back to the original.
    EXPECT_OK(bench.flash(original.id));
    QVERIFY(bench.carHoldsExactly(original.id));
}

void JobTest::flashingTheSameAgainWritesNothing() {
    Bench bench;
    const auto original = bench.read();
    const auto report = bench.flash(original.id);
    EXPECT_OK(report);
    QCOMPARE(report->sectors, size_t{0});
}

void JobTest::aFlashIsCloseToTheTheoreticalLeast() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("injector_flow", 600, original.id);
    const auto report = bench.flash(round.id);
    EXPECT_OK(report);
    qInfo("one sector: %.2f s, %.1f %% of it the theoretical least", static_cast<double>(report->elapsed_us) * 1e-6,
          report->share() * 100);
    QVERIFY(report->share() > 0.9 && report->share() <= 1.0);
}

void JobTest::gatesBlockWhatTheyShould() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    auto client = bench.uds();
    const link::Identity good = *link::identify(client);
    const auto blockedBy = [&](const link::Identity& identity) -> std::string {
        const auto plan = planFlash(*bench.kit, *bench.folder, round.id, &identity);
        for (const Gate& gate : plan->gates)
            if (!gate.passed) return gate.name + ": " + gate.sentence;
        return "";
    };
    QCOMPARE(blockedBy(good), std::string());
    link::Identity other = good;
    other.values["serial"] = "E2-1111-1111";
    QVERIFY(blockedBy(other).find("Right controller: This folder is for FMKHR16T0E2004711") == 0);
    other = good;
    other.values["software"] = "AE2-0000-A01";
    QVERIFY(blockedBy(other).find("Right software: The controller runs AE2-0000-A01") == 0);
    other = good;
    other.voltage = 11.4;
    QVERIFY(blockedBy(other).find("Battery: 11.4 V, at least 12.0 V are needed") == 0);
    other = good;
    other.engineSpeed_rpm = 850;
    QVERIFY(blockedBy(other).find("Engine off: The engine turns at 850 rpm") == 0);
    // An image whose checksum does not agree never leaves the folder.
    image::Image damaged = **bench.folder->image(original.id);
    EXPECT_OK(damaged.overwrite(0x8C4002, Bytes{0x12}));
    const auto wrong = *bench.folder->addRound(original.id, damaged, "unmended", "");
    const auto plan = planFlash(*bench.kit, *bench.folder, wrong.id, &good);
    QVERIFY(plan->blocked());
    EXPECT_FAILS(bench.flash(wrong.id), "Checksums: The checksum of the area at 0x8C4000");
    QVERIFY(bench.carHoldsExactly(original.id));
}

void JobTest::aFlashWithTheEngineRunningIsRefused() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    bench.letTimePass(15);
    EXPECT_FAILS(bench.flash(round.id), "Engine off");
    bench.car.stopRoute();
    bench.letTimePass(5);
    EXPECT_OK(bench.flash(round.id));
}

void JobTest::aCutLinkAtSampledFramesOfAFlashIsFinishedByTheNext() {
    Bench bench;
    const auto original = bench.read();
    const auto a = bench.change("rev_limit", 6500, original.id);
    const int64_t before = bench.bus.framesSeen();
    EXPECT_OK(bench.flash(a.id));
    const int64_t frames = bench.bus.framesSeen() - before;
    const auto b = bench.change("rev_limit", 6400, original.id);
    int interrupted = 0;
    bool toB = true;
    // Every 97th frame, so that starts, ends and middles of blocks are all hit.
    for (int64_t cut = 1; cut < frames; cut += 97) {
        const int64_t target = toB ? b.id : a.id;
        bench.bus.cutAfterFrames(cut);
        const auto first = bench.flash(target);
        bench.bus.setConnected(true);
        if (!first) {
            ++interrupted;
            QVERIFY2(first.error().text().find("cable is out") != std::string::npos, first.error().text().c_str());
            const auto contents = bench.folder->contents(bench.kit->profile.sectors());
            // What the ledger says of the car is never wrong: either it knows, and is right, or it says that it does
            // not.
            if (contents.round)
                QVERIFY(bench.carHoldsExactly(*contents.round));
            else
                QVERIFY(contents.unknownSectors > 0 && bench.sentence().find("interrupted") != std::string::npos);
        }
        bench.letTimePass(1);
        EXPECT_OK(bench.flash(target));
        QVERIFY(bench.carHoldsExactly(target));
        QVERIFY(!bench.car.bootMode());
        toB = !toB;
    }
    qInfo("%d interrupted flashes of %lld frames, all finished by the next", interrupted,
          static_cast<long long>(frames));
    QVERIFY(interrupted > 20);
}

void JobTest::aPowerCutAtSampledFramesLeavesACarThatCanBeFlashed() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    int inBootMode = 0;
    for (int64_t cut = 3; cut < 5200; cut += 311) {
        int64_t target = bench.carHoldsExactly(round.id) ? original.id : round.id;
        bench.bus.cutAfterFrames(cut);
        const auto first = bench.flash(target);
        bench.bus.setConnected(true);
        bench.car.powerCycle();
        if (first) continue;
        inBootMode += bench.car.bootMode();
        const auto found = findController(bench.bus, {bench.kit});
        EXPECT_OK(found);
        QCOMPARE(found->bootMode, bench.car.bootMode());
        EXPECT_OK(bench.flash(target));
        QVERIFY(bench.carHoldsExactly(target));
        QVERIFY(!bench.car.bootMode());
    }
    qInfo("%d times the controller came up in boot mode", inBootMode);
    QVERIFY(inBootMode > 3);
}

void JobTest::aStoppedFlashSaysSoAndTheNextFinishesIt() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    const auto stopped = bench.flash(round.id, [](const link::Progress& p) { return p.done < 8000; });
    EXPECT_FAILS(stopped,
                 "The flash stopped at sector 0x8E0000; the controller waits in boot mode. Flash again to finish it.");
    QVERIFY(stopped.error().code == ErrorCode::Cancelled);
    EXPECT_OK(bench.flash(round.id));
    QVERIFY(bench.carHoldsExactly(round.id));
}

void JobTest::lostFramesAreRetried() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    int seen = 0, lost = 0;
    bench.bus.setFrameFilter([&](const link::CanFrame& frame) {
        // Two frames of the data are lost; requests and their confirmations come through.
        const bool consecutive = (frame.id == 0x7E0 || frame.id == 0x7E8) && frame.data[0] >> 4 == 2;
        if (!consecutive || (++seen != 700 && seen != 4000)) return true;
        ++lost;
        return false;
    });
    int retries = 0;
    EXPECT_OK(bench.flash(round.id, [&](const link::Progress& p) {
        retries = p.retries;
        return true;
    }));
    QCOMPARE(lost, 2);
    QCOMPARE(retries, 2);
    QVERIFY(bench.carHoldsExactly(round.id));
}

void JobTest::aFailingJournalStopsTheFlashBeforeTheCarIsTouched() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    class FullDisk final : public link::FlashJournal {
        Done sectorBegun(const link::Sector&) override { return fail(ErrorCode::Io, "no space left on device"); }
        Done sectorVerified(const link::Sector&) override { return {}; }
    } journal;
    auto client = bench.uds();
    const auto image = *bench.folder->image(round.id);
    const auto plan = planFlash(*bench.kit, *bench.folder, round.id, nullptr);
    EXPECT_FAILS(link::flashSectors(client, *image, plan->sectors, journal, {}), "no space left on device");
    QVERIFY(bench.carHoldsExactly(original.id));
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
        if (row.values.size() != channels->measurements.size()) qFatal("a live row of the wrong width");
    };
    options.goOn = [](double elapsed_s) { return elapsed_s < 30; };
    const auto outcome = recordDrive(client, *bench.kit, *bench.folder, *channels, options);
    EXPECT_OK(outcome);
    QVERIFY(!outcome->problem);
    QVERIFY(outcome->entry.samples > 2950 && outcome->entry.gaps == 0 && live > 2900);
    const auto recording = loadRecording(*bench.folder, outcome->entry);
    EXPECT_OK(recording);
    QCOMPARE((*recording)->roundId, std::string("0"));
    QCOMPARE((*recording)->imageSha256, original.imageSha256);
    QCOMPARE((*recording)->groups.size(), size_t{2});
    QVERIFY(std::abs((*recording)->groups[0].rate_hz - 100) < 1);
    // What was recorded is what the car did.
    const auto speed = (*recording)->findRole("engine_speed");
    QVERIFY(std::abs(static_cast<double>(speed.channel->values.back()) - bench.car.plant().state().speed_rpm) < 15);
    const auto lambda = (*recording)->findRole("lambda_measured");
    QVERIFY(lambda &&
            std::abs(static_cast<double>(lambda.channel->values.back()) - bench.car.plant().state().wideband) < 0.02);
    QVERIFY((*recording)->find("spark") && (*recording)->find("battery"));
    EXPECT_FAILS(channelSet(*bench.kit, {"boost_pressure"}), "no measurement boost_pressure");
}

void JobTest::aPulledCableKeepsWhatWasRecorded() {
    Bench bench;
    bench.read();
    auto client = bench.uds();
    const auto channels = channelSet(*bench.kit, {});
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    DriveOptions options;
    options.title = "Idle";
    options.goOn = [&](double elapsed_s) {
        if (elapsed_s > 10) bench.bus.setConnected(false);
        return elapsed_s < 30;
    };
    const auto outcome = recordDrive(client, *bench.kit, *bench.folder, *channels, options);
    EXPECT_OK(outcome);
    QVERIFY(outcome->problem && outcome->problem->text().find("cable is out") != std::string::npos);
    QVERIFY(outcome->entry.samples > 950);
    const auto recording = loadRecording(*bench.folder, outcome->entry);
    EXPECT_OK(recording);
    QCOMPARE(static_cast<int64_t>((*recording)->groups[0].time_s.size()), outcome->entry.samples);
}

void JobTest::withoutKnowingWhatIsInTheCarNothingIsRecorded() {
    Bench bench;
    auto client = bench.uds();
    DriveOptions options;
    options.goOn = [](double) { return false; };
    EXPECT_FAILS(recordDrive(client, *bench.kit, *bench.folder, *channelSet(*bench.kit, {}), options),
                 "could not be tied to a round");
}

void JobTest::baseProposalsGiveFormulasAndStoredNumbers() {
    Bench bench;
    const auto original = bench.read();
    const auto calibration = calibrationOf(*bench.kit, *bench.folder, original.id);
    const auto sheet = buildSheetFromJson(readText(BRUSK_DATA_DIR "/heron/build-sheet.json"));
    const auto proposals = proposals::baseProposals(*calibration, *sheet);
    EXPECT_OK(proposals);
    QCOMPARE(proposals->size(), size_t{6});
    const auto named = [&](const std::string& parameter) -> const proposals::Proposal& {
        return *std::find_if(proposals->begin(), proposals->end(),
                             [&](const auto& p) { return p.parameter == parameter; });
    };
    // q = 620 sqrt(350 / 300); p = slope V + offset through (0.4 V, 20 kPa) and (4.65 V, 350 kPa).
    QVERIFY(std::abs(named("injector_flow").after[0] - 620 * std::sqrt(350.0 / 300)) < 0.06);
    QVERIFY(std::abs(named("map_sensor_slope").after[0] - 330 / 4.25) < 0.006);
    QVERIFY(std::abs(named("map_sensor_offset").after[0] - (20 - 330 / 4.25 * 0.4)) < 0.006);
    QVERIFY(std::abs(named("stoich").after[0] - 14.1) < 0.03);
    QVERIFY(std::abs(named("min_pulse").after[0] - 400 * 380 / 669.7) < 0.6);
    const auto& dead = named("dead_time");
    QCOMPARE(dead.x, (std::vector<double>{8, 9, 10, 11, 12, 13, 14, 15}));
    QCOMPARE(dead.after[0], 1700.0);
    QCOMPARE(dead.after[1], 1583.0);  // 1582.5, between 8 V and 10 V, to the next microsecond
    for (const auto& p : *proposals)
        QVERIFY(p.changes() && !p.reason.empty() && !p.formula.empty());
    // An empty sheet proposes nothing; a sheet that names what is there changes nothing.
    QVERIFY(proposals::baseProposals(*calibration, {})->empty());
    proposals::BuildSheet stock;
    stock.injectorFlow_cm3min = 380;
    QVERIFY(!proposals::baseProposals(*calibration, stock)->at(0).changes());
}

void JobTest::baseProposalsRefuseNonsense() {
    Bench bench;
    const auto calibration = calibrationOf(*bench.kit, *bench.folder, bench.read().id);
    proposals::BuildSheet sheet;
    sheet.injectorFlow_cm3min = -5;
    EXPECT_FAILS(proposals::baseProposals(*calibration, sheet), "above nothing");
    sheet.injectorFlow_cm3min = 50000;
    EXPECT_FAILS(proposals::baseProposals(*calibration, sheet), "beyond its limits");
    sheet = {};
    sheet.deadTimes = {{14, 900}, {12, 1000}};
    EXPECT_FAILS(proposals::baseProposals(*calibration, sheet), "must rise in voltage");
    sheet = {};
    sheet.pressureSensor = proposals::SensorPoints{4, 20, 1, 300};
    EXPECT_FAILS(proposals::baseProposals(*calibration, sheet), "higher voltage");
    sheet = {};
    sheet.ethanol_pct = 130;
    EXPECT_FAILS(proposals::baseProposals(*calibration, sheet), "0 to 100");
}

void JobTest::theCorrectionTakesTheErrorAway() {
    Bench bench;
    const auto original = bench.read();
    auto client = bench.uds();
    const auto drive = [&] {
        bench.car.startRoute(*benchcar::routeNamed("hills"));
        DriveOptions options;
        options.title = "Hills";
        options.goOn = [&](double) { return bench.car.onRoute(); };
        const auto outcome = recordDrive(client, *bench.kit, *bench.folder, *channelSet(*bench.kit, {}), options);
        bench.car.stopRoute();
        bench.letTimePass(3);
        return outcome.has_value() && !outcome->problem;
    };
    const auto calibration = calibrationOf(*bench.kit, *bench.folder, original.id);
    const auto sheet = buildSheetFromJson(readText(BRUSK_DATA_DIR "/heron/build-sheet.json"));
    std::vector<calibration::Edit> edits;
    const auto base = proposals::baseProposals(*calibration, *sheet);
    for (const auto& p : *base)
        edits.push_back(p.edit);
    const auto one = makeRound(*bench.kit, *bench.folder, original.id, edits, "base", "");
    EXPECT_OK(bench.flash(one->id));
    EXPECT_FAILS(roundSamples(*bench.folder, one->id), "No drive was recorded on this round");
    QVERIFY(drive());
    const auto before = measureFuelError(*bench.kit, *bench.folder, one->id);
    EXPECT_OK(before);
    const auto samples = roundSamples(*bench.folder, one->id);
    const auto correction = proposals::correctAir(*calibrationOf(*bench.kit, *bench.folder, one->id), *samples, {});
    EXPECT_OK(correction);
    QVERIFY(correction->expected < 0.01 && correction->changed > 50);
    for (size_t i = 0; i < correction->change.size(); ++i)
        QVERIFY(std::abs(correction->change[i]) <= 0.251);
    const auto two = makeRound(*bench.kit, *bench.folder, one->id, {correction->edit}, "air", "");
    EXPECT_OK(bench.flash(two->id));
    QVERIFY(drive());
    const auto after = measureFuelError(*bench.kit, *bench.folder, two->id);
    EXPECT_OK(after);
    qInfo("fuel off by %.2f %% before, %.2f %% after, expected %.2f %%", before->rms * 100, after->rms * 100,
          correction->expected * 100);
    QVERIFY(before->rms > 0.05 && after->rms < 0.02);
    QVERIFY(bench.folder->round(two->id)->fuelError_pct < 2.0);
}

void JobTest::strengthScalesTheChange() {
    Bench bench;
    const auto original = bench.read();
    const auto calibration = calibrationOf(*bench.kit, *bench.folder, original.id);
    evidence::AirSamples samples;
    for (int i = 0; i < 3000; ++i) {
        samples.x.push_back(2200 + static_cast<float>(i % 7)), samples.y.push_back(58), samples.ratio.push_back(1.10f);
        samples.time_s.push_back(0), samples.source.push_back(0);
    }
    proposals::AirCorrectionOptions full, half, strict, nearest;
    half.strength = 0.5;
    strict.largestStep = 0.03;
    nearest.method = proposals::Method::NearestCell;
    const auto cell = [&](const proposals::AirCorrectionOptions& o) {
        return proposals::correctAir(*calibration, samples, o)->change[5 * 16 + 6];
    };
    QVERIFY(std::abs(cell(full) - 0.10) < 0.003);
    QVERIFY(std::abs(cell(half) - 0.05) < 0.002);
    QVERIFY(std::abs(cell(strict) - 0.03) < 0.001);
    QVERIFY(std::abs(cell(nearest) - 0.10) < 0.001);
    const auto plain = proposals::correctAir(*calibration, samples, nearest);
    QCOMPARE(plain->changed, size_t{1});
    QVERIFY(proposals::correctAir(*calibration, samples, strict)->clamped > 0);
    // The floor of evidence: above what was seen nothing moves, below it only the cells seen and those beside them.
    proposals::AirCorrectionOptions demanding;
    demanding.leastEvidence = 1e6;
    QCOMPARE(proposals::correctAir(*calibration, samples, demanding)->changed, size_t{0});
    QVERIFY(proposals::correctAir(*calibration, samples, full)->changed <= 20);
    const auto nothing = proposals::correctAir(*calibration, {}, full);
    QCOMPARE(nothing->changed, size_t{0});
}

void JobTest::damagedRecordingsAreNamed() {
    Bench bench;
    const auto original = bench.read();
    carfolder::RecordingEntry entry;
    entry.round = original.id;
    entry.file = "damaged.mf4";
    EXPECT_OK(bench.files.save(bench.folder->recordingPath(entry.file),
                               bytesOf("not a recording at all, but long enough to be one, surely")));
    EXPECT_OK(bench.folder->addRecording(entry));
    EXPECT_FAILS(roundSamples(*bench.folder, original.id), "damaged.mf4 can't be read");
}

QTEST_APPLESS_MAIN(JobTest)
#include "JobTest.moc"
