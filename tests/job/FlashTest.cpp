// Reading and flashing the bench car in virtual time: scopes, gates, and every way in which it can be cut short.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <sqlite3.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

#include "JobBench.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::job;

class FlashTest : public QObject {
    Q_OBJECT
  private slots:
    void theFirstReadIsTheOriginalByteForByte();
    void anInterruptedReadGoesOnWhereItStopped();
    void aCancelledReadStops();
    void damagedBytesOfAReadAreReadAgain();
    void readingTheCalibrationOnlyIsEnoughToCompare();
    void readingAgainSaysWhatTheLedgerKnows();
    void bytesThatNoRoundHadAreKeptAsTheirOwn();
    void anotherCarIsNotReadIntoThisFolder();
    void aOneMapChangeWritesOneSector();
    void whatWasFlashedIsInTheCarByteForByte();
    void flashingTheSameAgainWritesNothing();
    void readAndFlashAreCloseToTheTheoreticalLeast();
    void functionalRequestsInBetweenDoNoHarm();
    void theScopeChoosesTheSectors();
    void anIgnitionCycleIsWaitedForWhereTheProfileAsks();
    void everyGateBlocksWithASentence_data();
    void everyGateBlocksWithASentence();
    void aBlockedFlashTouchesNothing();
    void theSerialNumberOverridesAMismatchAndTheLedgerKnows();
    void aLoosenedLimitWarns();
    void changedCellsUnderFullLoadWithoutSamplesWarn();
    void checksumsOfADraftAreMendedFirst();
    void aFlashWithTheEngineRunningIsRefused();
    void aCutLinkAtAnyFrameIsFinishedByTheNextFlash();
    void aPowerCutAtAnyFrameIsFinishedByTheNextFlash();
    void aPowerBlipIsGotOverWithoutHelp();
    void aKilledProgramIsFinishedByTheNextFlash();
    void aBadLinkIsGotOverOrSaid_data();
    void aBadLinkIsGotOverOrSaid();
    void aBadLinkReadsTheRightBytes();
    void aStoppedFlashSaysSoAndTheNextFinishesIt();
    void lostFramesAreRetried();
    void aFailingJournalStopsTheFlashBeforeTheCarIsTouched();
    void stockTellsWhatSomebodyElseWrote();
};

void FlashTest::theFirstReadIsTheOriginalByteForByte() {
    Bench bench;
    const auto round = bench.read();
    QCOMPARE(round.number, 0);
    QVERIFY(bench.carHoldsExactly(round.id));
    QVERIFY(bench.files.exists(bench.folder->path() / "original.hex"));
    QCOMPARE(bench.sentence(), std::string("The car runs round 0, as the ledger says."));
}

void FlashTest::anInterruptedReadGoesOnWhereItStopped() {
    Bench bench;
    auto client = bench.uds();
    const auto identity = link::identify(client);
    bench.bus.cutAfterFrames(30000);
    const auto first = readCar(client, *bench.kit, *identity, *bench.folder, ReadScope::Everything, {});
    EXPECT_FAILS(first, "reading again goes on from there");
    QVERIFY(!bench.folder->original());  // nothing half is kept as the original
    // The program is gone too: what was read is in the folder.
    const auto path = bench.folder->path();
    bench.folder.reset();
    bench.folder = std::move(*carfolder::CarFolder::open(bench.files, path));
    const uint64_t kept = bench.folder->keptPieces()->size();
    QVERIFY(kept >= 150000 && kept < 300000);
    bench.bus.setConnected(true);
    bench.letTimePass(6);  // the session times out meanwhile
    const int64_t before = bench.bus.framesSeen();
    uint64_t firstSeen = 0;
    const auto again =
        readCar(client, *bench.kit, *identity, *bench.folder, ReadScope::Everything, [&](const link::Progress& p) {
            if (!firstSeen && p.done) firstSeen = p.done;
            return true;
        });
    EXPECT_OK(again);
    QVERIFY(firstSeen >= kept && again->report.bytes == 1048576 - kept);
    QVERIFY(bench.carHoldsExactly(bench.folder->original()->id));
    QVERIFY(bench.bus.framesSeen() - before < 160000 - static_cast<int64_t>(kept / 8));
    QCOMPARE(bench.folder->keptPieces()->size(), uint64_t{0});
}

void FlashTest::aCancelledReadStops() {
    Bench bench;
    auto client = bench.uds();
    const auto identity = link::identify(client);
    uint64_t last = 0;
    const auto outcome =
        readCar(client, *bench.kit, *identity, *bench.folder, ReadScope::Everything, [&](const link::Progress& p) {
            last = p.done;
            return p.done < 100000;
        });
    QVERIFY(!outcome && outcome.error().code == ErrorCode::Cancelled);
    QVERIFY(last < 110000 && !bench.folder->original());
    QVERIFY(bench.folder->keptPieces()->size() >= 65536);
}

void FlashTest::damagedBytesOfAReadAreReadAgain() {
    Bench bench;
    auto client = bench.uds();
    const auto identity = link::identify(client);
    // A piece on the disk that is not what the car holds: its checksum gives it away.
    EXPECT_OK(bench.folder->setSetting("reading", identity->at("serial") + " all"));
    EXPECT_OK(bench.folder->keepPiece(0x8C0000, Bytes(5000, 0x42)));
    const auto outcome = readCar(client, *bench.kit, *identity, *bench.folder, ReadScope::Everything, {});
    EXPECT_OK(outcome);
    QVERIFY(outcome->report.retries > 0);
    QVERIFY(bench.carHoldsExactly(outcome->round.id));
}

void FlashTest::readingTheCalibrationOnlyIsEnoughToCompare() {
    Bench bench;
    auto client = bench.uds();
    const auto identity = link::identify(client);
    EXPECT_FAILS(readCar(client, *bench.kit, *identity, *bench.folder, ReadScope::Calibration, {}),
                 "Read the whole memory first");
    const auto original = bench.read();
    const auto same = readCar(client, *bench.kit, *identity, *bench.folder, ReadScope::Calibration, {});
    EXPECT_OK(same);
    QCOMPARE(same->round.id, original.id);
    QCOMPARE(same->report.bytes, uint64_t{262144});
    bench.car.memory().flash()[benchcar::layout::limits.revLimit.at + 1 - benchcar::map::kFlash] ^= 1;
    const auto other = readCar(client, *bench.kit, *identity, *bench.folder, ReadScope::Calibration, {});
    EXPECT_OK(other);
    QVERIFY(other->unknown && *other->round.parent == original.id);
    QVERIFY(bench.carHoldsExactly(other->round.id));  // the application from before, the calibration from the car
}

void FlashTest::readingAgainSaysWhatTheLedgerKnows() {
    Bench bench;
    const auto original = bench.read();
    const auto again = bench.read();
    QCOMPARE(again.id, original.id);
    QCOMPARE(bench.folder->rounds().size(), size_t{1});
}

void FlashTest::bytesThatNoRoundHadAreKeptAsTheirOwn() {
    Bench bench;
    bench.read();
    bench.car.memory().flash()[benchcar::layout::limits.revLimit.at + 1 - benchcar::map::kFlash] ^=
        1;  // somebody else was here
    const auto round = bench.read();
    QCOMPARE(round.number, 1);
    QCOMPARE(round.title, std::string("Found in the car"));
    QVERIFY(bench.carHoldsExactly(round.id));
}

void FlashTest::anotherCarIsNotReadIntoThisFolder() {
    Bench bench;
    bench.read();
    auto client = bench.uds();
    auto identity = *link::identify(client);
    identity.values["serial"] = "E2-0000-0000";
    EXPECT_FAILS(readCar(client, *bench.kit, identity, *bench.folder, ReadScope::Everything, {}),
                 "belongs to controller E2-0098-4417");
    QCOMPARE(bench.folder->keptPieces()->size(), uint64_t{0});
}

void FlashTest::aOneMapChangeWritesOneSector() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    const auto plan = planFlash(*bench.kit, *bench.folder, round.id, nullptr);
    EXPECT_OK(plan);
    QCOMPARE(plan->sectors.size(), size_t{1});
    QCOMPARE(plan->sectors[0].start, uint32_t{0x8E0000});
    QVERIFY(plan->comparedWith && plan->comparedWith->id == original.id);
    QCOMPARE(plan->changes.size(), size_t{1});
    QCOMPARE(plan->changes[0].parameter->name, std::string("rev_limit"));
    QVERIFY(plan->blocked());  // nobody was asked yet
}

void FlashTest::whatWasFlashedIsInTheCarByteForByte() {
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
    QCOMPARE(steps, (std::vector<std::string>{"Opening a session", "Erasing 0x8C8000", "Writing 0x8C8000",
                                              "Reading back 0x8C8000", "Checking the controller"}));
    QCOMPARE(*bench.folder->contents(bench.kit->profile.sectors()).round, round.id);
    QVERIFY(bench.folder->round(round.id)->state == carfolder::RoundState::Fixed);
    // And back to the original.
    EXPECT_OK(bench.flash(original.id));
    QVERIFY(bench.carHoldsExactly(original.id));
}

void FlashTest::flashingTheSameAgainWritesNothing() {
    Bench bench;
    const auto original = bench.read();
    const auto report = bench.flash(original.id);
    EXPECT_OK(report);
    QCOMPARE(report->sectors, size_t{0});
}

void FlashTest::readAndFlashAreCloseToTheTheoreticalLeast() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("injector_flow", 600, original.id);
    const auto one = bench.flash(round.id);
    EXPECT_OK(one);
    auto client = bench.uds();
    image::Image image;
    const auto read = link::readMemory(client, {*bench.kit->profile.calibrationArea()}, image, nullptr, {});
    EXPECT_OK(read);
    const auto all = bench.flash(original.id, {}, {FlashScope::Calibration, {}});
    EXPECT_OK(all);
    QCOMPARE(all->sectors, size_t{16});
    QCOMPARE(read->bytes, uint64_t{262144});
    const auto seconds = [](int64_t us) { return static_cast<double>(us) * 1e-6; };
    qInfo(
        "read 256 KiB: %.2f s, %.3f times the least; flash 256 KiB: %.2f s, %.3f times; one sector: %.2f s, %.3f "
        "times",
        seconds(read->elapsed_us), 1 / read->share(), seconds(all->elapsed_us), 1 / all->share(),
        seconds(one->elapsed_us), 1 / one->share());
    QVERIFY(read->share() >= 1 / 1.03 && read->share() <= 1.0);
    QVERIFY(all->share() >= 1 / 1.03 && all->share() <= 1.0);
    // A round of one map takes the time of its one sector.
    QCOMPARE(one->sectors, size_t{1});
    QVERIFY(seconds(one->elapsed_us) < 1.1 * seconds(all->elapsed_us) / 16);
}

void FlashTest::functionalRequestsInBetweenDoNoHarm() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    // A sign of life to all, in the middle of long messages of either side.
    link::CanFrame alive;
    alive.id = 0x7DF;
    alive.length = 8;
    alive.data = {0x02, 0x3E, 0x80};
    int seen = 0, sent = 0;
    bench.bus.watch([&](const link::CanFrame& frame, bool) {
        const bool consecutive = (frame.id == 0x7E0 || frame.id == 0x7E8) && frame.data[0] >> 4 == 2;
        if (!consecutive || ++seen % 40) return;
        ++sent;
        if (!bench.bus.send(alive)) qFatal("the bus took no frame");
    });
    const auto report = bench.flash(round.id);
    EXPECT_OK(report);
    QVERIFY(sent > 50 && report->retries == 0);
    QVERIFY(bench.carHoldsExactly(round.id));
}

void FlashTest::theScopeChoosesTheSectors() {
    Bench bench;
    const auto original = bench.read();
    const auto count = [&](FlashScope scope) {
        return planFlash(*bench.kit, *bench.folder, original.id, nullptr, {scope, {}})->sectors.size();
    };
    QCOMPARE(count(FlashScope::Changed), size_t{0});
    QCOMPARE(count(FlashScope::Calibration), size_t{16});
    QCOMPARE(count(FlashScope::Everything), size_t{27});
    // A sector nobody knows is written whatever the scope.
    EXPECT_OK(bench.folder->sectorFound({0x810000, 0x10000}, std::nullopt));
    QCOMPARE(count(FlashScope::Calibration), size_t{17});
    QCOMPARE(scopeNamed("calibration"), std::optional(FlashScope::Calibration));
    QVERIFY(!scopeNamed("half"));
}

void FlashTest::anIgnitionCycleIsWaitedForWhereTheProfileAsks() {
    Bench bench;
    const auto original = bench.read();
    auto kit = std::make_shared<Kit>(*bench.kit);
    kit->profile.ignition.afterFlash_s = 3;
    const auto round = bench.change("rev_limit", 6500, original.id);
    link::Uds client(bench.bus, kit->profile);
    std::vector<std::string> asked;
    int64_t off_us = 0, on_us = 0;
    const auto report = flashRound(client, *kit, *bench.folder, round.id, {}, [&](const link::Progress& p) {
        if (p.waitsForPerson && (asked.empty() || asked.back() != p.step)) {
            asked.push_back(p.step);
            // The person at the car does as told.
            if (p.step == "Switch the ignition off") bench.car.setKey(false), off_us = bench.bus.now_us();
            if (p.step == "Switch the ignition on") bench.car.setKey(true), on_us = bench.bus.now_us();
        }
        return true;
    });
    EXPECT_OK(report);
    QCOMPARE(asked, (std::vector<std::string>{"Switch the ignition off", "Leave the ignition off for 3 s",
                                              "Switch the ignition on"}));
    QVERIFY(on_us - off_us >= 3000000);
    QVERIFY(report->elapsed_us < 2500000);  // the wait is no part of it
    QVERIFY(bench.carHoldsExactly(round.id));
}

// --- gates

namespace {

/// The gates that do not pass, as "name: sentence".
std::vector<std::string> notPassed(const FlashPlan& plan, Gate::Verdict verdict) {
    std::vector<std::string> out;
    for (const Gate& gate : plan.gates)
        if (gate.verdict == verdict) out.push_back(gate.name + ": " + gate.sentence);
    return out;
}

}  // namespace

void FlashTest::everyGateBlocksWithASentence_data() {
    QTest::addColumn<QString>("what");
    QTest::addColumn<QString>("sentence");
    QTest::addColumn<int>("remedy");
    using Remedy = Gate::Remedy;
    const auto row = [](const char* what, const char* sentence, Remedy remedy) {
        QTest::newRow(what) << QString(what) << QString(sentence) << static_cast<int>(remedy);
    };
    row("wrong car", "Right car: This folder is for FMKHR16T0E2004711; the car on the link is FMKHR16T0E2009999",
        Remedy::None);
    row("wrong serial",
        "Right controller: This folder's controller has serial E2-0098-4417; the one on the link has E2-1",
        Remedy::TypeSerial);
    row("wrong hardware", "Right controller: The controller is hardware \"ALD-X\"", Remedy::TypeSerial);
    row("wrong software", "Right software: The controller runs AE2-0000-A01, the definition is for AE2-5127-C04",
        Remedy::TypeSerial);
    row("low battery", "Battery: 11.4 V; at least 12.0 V are needed. Connect a charger.", Remedy::AskAgain);
    row("high battery", "Battery: 16.2 V; at most 15.5 V are good", Remedy::AskAgain);
    row("engine running", "Engine off: The engine turns at 850 rpm", Remedy::AskAgain);
    row("nobody asked", "Right car: No controller was asked yet", Remedy::Connect);
    row("original missing", "Right car: This car was not read yet", Remedy::Read);
    row("fixed round with a wrong checksum", "Checksums: The checksum of the area at 0x8C4000 is wrong, and round 1 is",
        Remedy::NewRound);
    row("checksum out of reach", "Checksums: The checksum of the area at 0x8C0000 is wrong and is kept in memory that",
        Remedy::NewRound);
    row("sealed for another car", "Rights: This calibration was sealed for E2-7; the car on the link is E2-0098-4417",
        Remedy::None);
    row("sealed to look at", "Rights: Its seal lets this calibration be looked at, not flashed", Remedy::None);
    row("sealed for a whole flash", "Rights: Its seal asks for a whole flash", Remedy::None);
    row("damaged rights", "Rights: The rights of this round can't be read", Remedy::None);
}

void FlashTest::everyGateBlocksWithASentence() {
    QFETCH(QString, what);
    QFETCH(QString, sentence);
    QFETCH(int, remedy);
    Bench bench;
    auto client = bench.uds();
    link::Identity now = *link::identify(client);
    auto kit = std::make_shared<Kit>(*bench.kit);
    const auto original = bench.read();
    auto round = bench.change("rev_limit", 6300, original.id);
    const auto seal = [&](Rights rights) { return bench.folder->setRights(round.id, toJson(rights)); };
    Done prepared;
    if (what == "wrong car") now.values["vin"] = "FMKHR16T0E2009999";
    if (what == "wrong serial") now.values["serial"] = "E2-1";
    if (what == "wrong hardware") now.values["hardware"] = "ALD-X";
    if (what == "wrong software") now.values["software"] = "AE2-0000-A01";
    if (what == "low battery") now.voltage = 11.4;
    if (what == "high battery") now.voltage = 16.2;
    if (what == "engine running") now.engineSpeed_rpm = 850;
    if (what == "original missing") prepared = bench.folder->setSetting("identity", "");
    if (what == "fixed round with a wrong checksum") {
        image::Image damaged = **bench.folder->image(round.id);
        EXPECT_OK(damaged.overwrite(0x8C4002, Bytes{0x12}));
        EXPECT_OK(bench.folder->updateDraft(round.id, damaged));
        EXPECT_OK(bench.folder->addRound(round.id, damaged, "built on it", ""));
    }
    if (what == "checksum out of reach") kit->profile.checksums.front() = {0x8C0000, 16, 0x800100};
    if (what == "sealed for another car") prepared = seal({.serial = "E2-7"});
    if (what == "sealed to look at") prepared = seal({.mayFlash = false});
    if (what == "sealed for a whole flash") prepared = seal({.wholeOnly = true});
    if (what == "damaged rights") prepared = bench.folder->setRights(round.id, "{");
    EXPECT_OK(prepared);
    const auto plan = planFlash(*kit, *bench.folder, round.id, what == "nobody asked" ? nullptr : &now);
    EXPECT_OK(plan);
    QVERIFY(plan->blocked());
    const auto blocking = notPassed(*plan, Gate::Verdict::Blocks);
    QVERIFY2(!blocking.empty() && blocking[0].starts_with(sentence.toStdString()),
             blocking.empty() ? "nothing blocks" : blocking[0].c_str());
    for (const Gate& gate : plan->gates)
        if (gate.verdict == Gate::Verdict::Blocks) {
            QCOMPARE(static_cast<int>(gate.remedy), remedy);
            break;
        }
    // Nothing but the plan was asked for: the car is as it was.
    QVERIFY(bench.carHoldsExactly(original.id));
}

void FlashTest::aBlockedFlashTouchesNothing() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    EXPECT_OK(bench.folder->setRights(round.id, toJson(Rights{.mayFlash = false})));
    EXPECT_FAILS(bench.flash(round.id), "Rights: Its seal lets");
    QVERIFY(bench.carHoldsExactly(original.id));
    QVERIFY(!bench.folder->lastFlash());
}

void FlashTest::theSerialNumberOverridesAMismatchAndTheLedgerKnows() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    auto kit = std::make_shared<Kit>(*bench.kit);
    kit->profile.definitionSoftware = "AE2-9999-X01";
    link::Uds client(bench.bus, kit->profile);
    EXPECT_FAILS(flashRound(client, *kit, *bench.folder, round.id, {}, {}), "Right software");
    EXPECT_FAILS(flashRound(client, *kit, *bench.folder, round.id, {FlashScope::Changed, "E2-0098-4418"}, {}),
                 "Right software");
    EXPECT_OK(flashRound(client, *kit, *bench.folder, round.id, {FlashScope::Changed, "E2-0098-4417"}, {}));
    const auto entry = bench.folder->lastFlash();
    QVERIFY(entry && entry->overridden.find("Overridden by typing E2-0098-4417") != std::string::npos);
    bool inJournal = false;
    for (const auto& line : bench.folder->journal(50))
        inJournal = inJournal || line.what.starts_with("Overridden: Right software");
    QVERIFY(inJournal);
    QVERIFY(bench.carHoldsExactly(round.id));
}

void FlashTest::aLoosenedLimitWarns() {
    Bench bench;
    auto client = bench.uds();
    const link::Identity now = *link::identify(client);
    const auto original = bench.read();
    const auto tighter = bench.change("rev_limit", 6000, original.id);
    const auto looser = bench.change("rev_limit", 7400, original.id);
    const auto watch = bench.change("limp_on", 0, original.id);
    const auto warnings = [&](int64_t round) {
        const auto plan = planFlash(*bench.kit, *bench.folder, round, &now);
        if (plan->blocked()) qFatal("the plan is blocked");
        return notPassed(*plan, Gate::Verdict::Warns);
    };
    QVERIFY(warnings(tighter.id).empty());
    QCOMPARE(warnings(looser.id).size(), size_t{1});
    QVERIFY2(
        warnings(looser.id)[0].starts_with("Limits: Rev limit goes from 6700 to 7400 rpm. Is the engine up to it?"),
        warnings(looser.id)[0].c_str());
    QVERIFY(warnings(watch.id)[0].starts_with("Limits: Limp mode on faults goes from 1.0 to 0.0"));
    EXPECT_OK(bench.flash(looser.id));  // a warning does not block
}

void FlashTest::changedCellsUnderFullLoadWithoutSamplesWarn() {
    Bench bench;
    auto client = bench.uds();
    const link::Identity now = *link::identify(client);
    const auto original = bench.read();
    const auto calibration = calibrationOf(*bench.kit, *bench.folder, original.id);
    const auto& map = *bench.kit->definition->parameterWithRole("ve_map");
    const auto table = calibration->read(map);
    const size_t columns = table->x.values.size(), top = table->y.values.size() - 1;
    const auto changed = [&](size_t row) {
        std::vector<calibration::CellValue> cells;
        for (size_t i = 0; i < 3; ++i)
            cells.push_back({row * columns + i, table->values[row * columns + i] * 1.05});
        const auto edit = calibration->prepare(map, cells, calibration::AtLimit::Clamp, "VE");
        return makeRound(*bench.kit, *bench.folder, original.id, {*edit}, "VE", "")->id;
    };
    const auto warnings = [&](int64_t round) {
        return notPassed(*planFlash(*bench.kit, *bench.folder, round, &now), Gate::Verdict::Warns);
    };
    QVERIFY(warnings(changed(0)).empty());  // the lowest pressures are no full load
    const int64_t boosted = changed(top);
    const auto said = warnings(boosted);
    QCOMPARE(said.size(), size_t{1});
    QVERIFY2(said[0].starts_with("Evidence: 3 cells under full load changed that no drive has visited"),
             said[0].c_str());
    // A recording of the parent that visited one of them counts as evidence.
    recording::Recording drive;
    recording::Group group;
    group.time_s = {0, 1};
    const auto channel = [&](size_t axis, double value) {
        group.channels.push_back({map.axes[axis].input, "", "", "", {}});
        group.channels.back().values = {static_cast<float>(value), static_cast<float>(value)};
    };
    channel(0, table->x.values[1]);
    channel(1, table->y.values[top]);
    drive.groups.push_back(group);
    EXPECT_OK(recording::saveMdf4(bench.files, bench.folder->recordingPath("a.mf4"), drive));
    EXPECT_OK(bench.folder->addRecording(
        {.round = original.id, .file = "a.mf4", .title = "pull", .startedAt = "", .duration_s = 1, .samples = 2}));
    QVERIFY2(warnings(boosted)[0].starts_with("Evidence: 2 cells"), warnings(boosted)[0].c_str());
}

void FlashTest::checksumsOfADraftAreMendedFirst() {
    Bench bench;
    const auto original = bench.read();
    image::Image damaged = **bench.folder->image(original.id);
    EXPECT_OK(damaged.overwrite(benchcar::layout::limits.revLimit.at, Bytes{0x17, 0x70}));
    const auto draft = *bench.folder->addRound(original.id, damaged, "edited elsewhere", "");
    const auto plan = planFlash(*bench.kit, *bench.folder, draft.id, nullptr);
    QCOMPARE(plan->mended, 1);
    EXPECT_OK(bench.flash(draft.id));
    QVERIFY(bench.carHoldsExactly(draft.id));  // the round's own bytes were mended, not only the car's
    QVERIFY(!bench.car.bootMode());
}

void FlashTest::aFlashWithTheEngineRunningIsRefused() {
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

// --- interruptions

namespace {

/// Every frame when BRUSK_EVERY_FRAME is set; else a tenth, from a different one each time the caller wants.
int64_t stride() {
    return qEnvironmentVariableIsSet("BRUSK_EVERY_FRAME") ? 1 : 10;
}

/// What has to be so after an interruption, and that the next flash ends it. Returns whether something was not known.
bool mendsItself(Bench& bench, int64_t before, int64_t target) {
    if (!bench.accountIsTrue()) qFatal("the ledger is sure of what is not so");
    const bool lost = !bench.contents().unknown.empty();
    const std::string sentence = bench.sentence();
    if (lost && sentence.find("was interrupted") == std::string::npos) qFatal("%s", sentence.c_str());
    if (lost && sentence.find("Flash again to finish it") == std::string::npos) qFatal("%s", sentence.c_str());
    auto client = bench.uds();
    const auto stock = takeStock(client, *bench.kit, *bench.folder, StockScope::Everything);
    if (!stock) qFatal("%s", stock.error().text().c_str());
    if (stock->changed || !bench.accountIsTrue()) qFatal("the ledger was wrong: %s", stock->sentence.c_str());
    // What can be known is known: whole old or new bytes are never called unknown.
    for (const int64_t round : {before, target})
        if (bench.carHoldsExactly(round) && bench.contents().round != round) qFatal("a whole car was not recognised");
    if (const auto flashed = bench.flash(target); !flashed) qFatal("%s", flashed.error().text().c_str());
    if (!bench.carHoldsExactly(target) || bench.car.bootMode()) qFatal("the second flash did not finish it");
    if (bench.contents().unfinished) qFatal("a finished flash is still called unfinished");
    return lost;
}

}  // namespace

void FlashTest::aCutLinkAtAnyFrameIsFinishedByTheNextFlash() {
    Bench bench;
    const auto original = bench.read();
    const auto a = bench.change("rev_limit", 6500, original.id), b = bench.change("rev_limit", 6400, original.id);
    EXPECT_OK(bench.flash(a.id));
    const int64_t before = bench.bus.framesSeen();
    EXPECT_OK(bench.flash(b.id));
    const int64_t frames = bench.bus.framesSeen() - before;
    int interrupted = 0, unknown = 0;
    bool toA = true;
    for (int64_t cut = 1; cut < frames; cut += stride()) {
        const int64_t target = toA ? a.id : b.id, from = toA ? b.id : a.id;
        bench.bus.cutAfterFrames(cut);
        const auto first = bench.flash(target);
        bench.bus.setConnected(true);
        bench.bus.cutAfterFrames(-1);
        if (!first) {
            ++interrupted;
            QVERIFY2(first.error().text().find("cable is out") != std::string::npos, first.error().text().c_str());
        }
        unknown += mendsItself(bench, from, target);
        toA = !toA;
    }
    qInfo("%d interrupted flashes of %lld frames, %d of them left a sector unknown; all finished by the next",
          interrupted, static_cast<long long>(frames), unknown);
    QVERIFY(interrupted >= frames / stride() - 5 && unknown > interrupted / 2);
}

void FlashTest::aPowerCutAtAnyFrameIsFinishedByTheNextFlash() {
    Bench bench;
    const auto original = bench.read();
    const auto a = bench.change("rev_limit", 6500, original.id), b = bench.change("rev_limit", 6400, original.id);
    EXPECT_OK(bench.flash(a.id));
    const int64_t before = bench.bus.framesSeen();
    EXPECT_OK(bench.flash(b.id));
    const int64_t frames = bench.bus.framesSeen() - before;
    int stopped = 0, recovered = 0, cuts = 0;
    bool toA = true;
    for (int64_t cut = 1; cut < frames; cut += stride()) {
        const int64_t target = toA ? a.id : b.id, from = toA ? b.id : a.id;
        bench.car.faults().powerCutFrame = cut;
        ++cuts;
        // A battery that is flat stays flat: the tester meets a controller that has forgotten its session.
        const auto first = bench.flash(target, [&](const link::Progress& p) { return p.retries < 1; });
        bench.car.faults().powerCutFrame = -1;
        stopped += !first;
        recovered += first.has_value();
        (void)mendsItself(bench, from, target);
        toA = !toA;
    }
    qInfo("%d power cuts: %d ended the flash, %d were got over; all finished by the next", cuts, stopped, recovered);
    QVERIFY(stopped > cuts / 2);
}

void FlashTest::aPowerBlipIsGotOverWithoutHelp() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    bench.car.faults().powerCutFrame = 1500;  // in the middle of the sector's bytes
    const auto report = bench.flash(round.id);
    EXPECT_OK(report);
    QVERIFY(report->retries > 0);
    QVERIFY(bench.carHoldsExactly(round.id) && bench.accountIsTrue());
}

namespace {

// What the child process of a kill test counts: commits of the car folder's database, and where to end.
struct KillPlan {
    int at = 0;         ///< end at this commit
    bool after = true;  ///< when it is on the disk, or just before
    int seen = 0;
    std::function<void()> keepCar;
};
KillPlan killPlan;

void countCommit(bool after) {
    if (killPlan.after != after || ++killPlan.seen != killPlan.at) return;
    killPlan.keepCar();
    _exit(9);  // as a killed program: nothing is tidied up
}

int watchCommits(sqlite3* db, const char**, const sqlite3_api_routines*) {
    sqlite3_commit_hook(
        db,
        [](void*) {
            countCommit(false);
            return 0;
        },
        nullptr);
    // A statement has run when its time is known.
    sqlite3_trace_v2(
        db, SQLITE_TRACE_PROFILE,
        [](unsigned, void*, void* statement, void*) {
            const char* sql = sqlite3_sql(static_cast<sqlite3_stmt*>(statement));
            if (sql && QByteArray(sql).toUpper().startsWith("COMMIT")) countCommit(true);
            return 0;
        },
        nullptr);
    return SQLITE_OK;
}

}  // namespace

void FlashTest::aKilledProgramIsFinishedByTheNextFlash() {
    Bench first;
    const auto original = first.read();
    auto second = first.change("rev_limit", 6500, original.id);
    second = first.change("injector_flow", 600, second.id);  // two sectors
    const storage::Path kept = first.folder->path();
    const std::filesystem::path flashFile = kept.parent_path() / "car.flash";
    const Bytes flash(first.car.memory().flash().begin(), first.car.memory().flash().end());
    first.folder.reset();
    int kills = 0;
    for (const bool after : {false, true})
        for (int at = 1;; ++at) {
            const std::filesystem::path copy = kept.parent_path() / "copy";
            std::filesystem::remove_all(copy);
            std::filesystem::copy(kept, copy, std::filesystem::copy_options::recursive);
            const pid_t child = fork();
            QVERIFY(child >= 0);
            if (child == 0) {
                Bench victim;
                killPlan = {at, after, 0, [&] {
                                std::ofstream out(flashFile, std::ios::binary);
                                const auto bytes = victim.car.memory().flash();
                                out.write(reinterpret_cast<const char*>(bytes.data()),
                                          static_cast<std::streamsize>(bytes.size()));
                            }};
                sqlite3_auto_extension(reinterpret_cast<void (*)()>(watchCommits));
                victim.folder = std::move(*carfolder::CarFolder::open(victim.files, copy));
                const auto done = victim.flash(second.id);
                _exit(done ? 0 : 1);
            }
            int status = 0;
            QCOMPARE(waitpid(child, &status, 0), child);
            QVERIFY(WIFEXITED(status));
            // No such commit any more: the flash came to its end.
            if (WEXITSTATUS(status) == 0) break;
            QCOMPARE(WEXITSTATUS(status), 9);
            ++kills;
            Bench bench;
            std::ifstream in(flashFile, std::ios::binary);
            in.read(reinterpret_cast<char*>(bench.car.memory().flash().data()),
                    static_cast<std::streamsize>(bench.car.memory().flash().size()));
            bench.car.powerCycle();
            bench.folder = std::move(*carfolder::CarFolder::open(bench.files, copy));
            (void)mendsItself(bench, original.id, second.id);
        }
    qInfo("%d kills, before and after every write of the journal", kills);
    QVERIFY(kills >= 24);
}

void FlashTest::aBadLinkIsGotOverOrSaid_data() {
    QTest::addColumn<double>("lost");
    QTest::addColumn<double>("late");
    QTest::addColumn<double>("corrupt");
    QTest::newRow("1 % lost") << 0.01 << 0.0 << 0.0;
    QTest::newRow("1 % late") << 0.0 << 0.01 << 0.0;
    QTest::newRow("0.1 % corrupted") << 0.0 << 0.0 << 0.001;
    QTest::newRow("all three") << 0.01 << 0.01 << 0.001;
}

void FlashTest::aBadLinkIsGotOverOrSaid() {
    QFETCH(double, lost);
    QFETCH(double, late);
    QFETCH(double, corrupt);
    int done = 0, tries = 0;
    for (uint64_t seed = 1; seed <= 3; ++seed) {
        Bench bench(seed);
        const auto original = bench.read();
        const auto round = bench.change("rev_limit", 6500, original.id);
        auto& faults = bench.car.faults();
        faults.busLost = lost, faults.busLate = late, faults.busCorrupt = corrupt;
        for (int attempt = 0; attempt < 4; ++attempt) {
            ++tries;
            const auto report = bench.flash(round.id);
            if (report) {
                ++done;
                qInfo("seed %llu: flashed in %.1f s with %d retries", static_cast<unsigned long long>(seed),
                      static_cast<double>(report->elapsed_us) * 1e-6, report->retries);
                QVERIFY(bench.carHoldsExactly(round.id) && bench.accountIsTrue());
                break;
            }
            qInfo("seed %llu: %s", static_cast<unsigned long long>(seed), report.error().text().c_str());
        }
        faults.busLost = faults.busLate = faults.busCorrupt = 0;
        bench.letTimePass(6);
        auto client = bench.uds();
        EXPECT_OK(takeStock(client, *bench.kit, *bench.folder, StockScope::Everything));
        QVERIFY(bench.accountIsTrue());
        EXPECT_OK(bench.flash(round.id));
        QVERIFY(bench.carHoldsExactly(round.id) && !bench.car.bootMode());
    }
    qInfo("%d of 3 cars were flashed over the bad link, in %d tries", done, tries);
    QVERIFY(done >= 2);
}

void FlashTest::aBadLinkReadsTheRightBytes() {
    Bench bench;
    auto& faults = bench.car.faults();
    faults.busLost = faults.busLate = 0.01, faults.busCorrupt = 0.001;
    auto client = bench.uds();
    image::Image image;
    const auto report = link::readMemory(client, {*bench.kit->profile.calibrationArea()}, image, nullptr, {});
    EXPECT_OK(report);
    qInfo("256 KiB in %.0f s with %d retries", static_cast<double>(report->elapsed_us) * 1e-6, report->retries);
    const auto held = bench.car.memory().flash().subspan(0xC0000, 0x40000);
    const auto bytes = image.bytes(0x8C0000, 0x40000);
    QVERIFY(bytes && std::equal(bytes->begin(), bytes->end(), held.begin()));
}

void FlashTest::aStoppedFlashSaysSoAndTheNextFinishesIt() {
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

void FlashTest::lostFramesAreRetried() {
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
    QVERIFY(retries >= 2);
    QVERIFY(bench.carHoldsExactly(round.id));
}

void FlashTest::aFailingJournalStopsTheFlashBeforeTheCarIsTouched() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    class FullDisk final : public link::FlashJournal {
        Done step(const link::Sector&, link::SectorStep) override {
            return fail(ErrorCode::Io, "no space left on device");
        }
    } journal;
    auto client = bench.uds();
    const auto image = *bench.folder->image(round.id);
    const auto plan = planFlash(*bench.kit, *bench.folder, round.id, nullptr);
    EXPECT_FAILS(link::flashSectors(client, *image, plan->sectors, journal, {}), "no space left on device");
    QVERIFY(bench.carHoldsExactly(original.id));
}

void FlashTest::stockTellsWhatSomebodyElseWrote() {
    Bench bench;
    const auto original = bench.read();
    auto client = bench.uds();
    auto stock = takeStock(client, *bench.kit, *bench.folder, StockScope::Everything);
    EXPECT_OK(stock);
    QVERIFY(stock->looked == 27 && stock->changed == 0 && stock->sentence == "The car holds what the ledger says.");
    bench.car.memory().flash()[benchcar::layout::limits.revLimit.at + 1 - benchcar::map::kFlash] ^= 1;
    stock = takeStock(client, *bench.kit, *bench.folder, StockScope::Everything);
    QVERIFY(stock->changed == 1 && bench.contents().unknown.size() == 1);
    QVERIFY(bench.accountIsTrue());
    QVERIFY(bench.sentence().find("1 sector (0x8E0000) is not known") != std::string::npos);
    EXPECT_OK(bench.flash(original.id));
    QVERIFY(bench.carHoldsExactly(original.id));
}

QTEST_GUILESS_MAIN(FlashTest)
#include "FlashTest.moc"
