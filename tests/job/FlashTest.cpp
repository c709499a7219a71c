// Reading and flashing the bench car in virtual time: what is read and written, scopes and gates.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QProcess>

#include "JobBench.h"
#include "core/job/Deliver.h"
#include "core/job/Keeping.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::job;

class FlashTest : public QObject {
    Q_OBJECT
  private slots:
    void whoFlashesIsToldThatTheDatabaseIsWaitedFor();
    void theFirstReadIsTheOriginalByteForByte();
    void anInterruptedReadGoesOnWhereItStopped();
    void aCancelledReadStops();
    void damagedBytesOfAReadAreReadAgain();
    void readingTheCalibrationOnlyIsEnoughToCompare();
    void readingAgainSaysWhatTheLedgerKnows();
    void bytesThatNoRoundHadAreKeptAsTheirOwn();
    void aHalfWrittenFlashIsNotKeptAsARound();
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
    void aControllerInBootModeThatTellsLittleIsNotLockedOut();
    void aLoosenedLimitWarns();
    void changedCellsUnderFullLoadWithoutSamplesWarn();
    void checksumsOfADraftAreMendedFirst();
    void aFlashWithTheEngineRunningIsRefused();
    void whatWasLearnedOutlivesAFlashUntilTheRoutineClearsIt();
};

void FlashTest::whatWasLearnedOutlivesAFlashUntilTheRoutineClearsIt() {
    Bench bench;
    const auto learned = [&] {
        double most = 0;
        for (const char* name : {"learned_0", "learned_1", "learned_2", "learned_3"})
            most = std::max(most,
                            std::abs(static_cast<double>(bench.car.memory().seen(*benchcar::measurementNamed(name)))));
        return most / 100;
    };
    const auto original = bench.read();
    bench.car.startRoute(*benchcar::routeNamed("hills"));
    bench.letTimePass(240);  // the owner's parts on the factory's bytes: there is much to learn
    bench.car.stopRoute();
    bench.letTimePass(10);
    QVERIFY2(learned() > 3, qPrintable(QString::number(learned())));
    EXPECT_OK(bench.flash(bench.change("rev_limit", 6500, original.id).id));
    bench.car.setIgnition(true);
    bench.letTimePass(1);
    QVERIFY(learned() > 3);
    auto uds = bench.uds();
    EXPECT_FAILS(uds.forgetLearned(), "session");
    EXPECT_OK(uds.startSession(bench.kit->profile.sessionExtended));
    EXPECT_OK(uds.forgetLearned());
    bench.letTimePass(1);
    QVERIFY(learned() < 0.01);
    auto knowing = bench.kit->profile;
    knowing.routineForget.reset();
    link::Uds other(bench.bus, knowing);
    EXPECT_FAILS(other.forgetLearned(), "knows no routine");
}

void FlashTest::whoFlashesIsToldThatTheDatabaseIsWaitedFor() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    const QString database = qs((bench.folder->path() / "car.sqlite").string());
    QProcess holder;
    std::vector<std::string> told;
    EXPECT_OK(bench.flash(round.id, [&](const link::Progress& progress) {
        if (holder.state() == QProcess::NotRunning && told.empty() && progress.step.starts_with("Erasing")) {
            holder.start("python3", {"-c",
                                     "import sqlite3,sys,time\nd=sqlite3.connect(sys.argv[1])\n"
                                     "d.execute('BEGIN IMMEDIATE')\nprint('held',flush=True)\ntime.sleep(4)\n"
                                     "d.rollback()",
                                     database});
            holder.waitForReadyRead();
        }
        if (progress.waitsForPerson) told.push_back(progress.step);
        return true;
    }));
    QVERIFY(holder.waitForFinished());
    QVERIFY(told.size() == 1 && told[0].find("The car folder's database does not answer yet") == 0);
    QVERIFY(bench.carHoldsExactly(round.id));
}

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
    QVERIFY(!*bench.folder->rounds().original());  // nothing half is kept as the original
    // The program is gone too: what was read is in the folder.
    const auto path = bench.folder->path();
    bench.folder.reset();
    bench.folder = std::move(*carfolder::CarFolder::open(bench.files, path));
    const uint64_t kept = bench.folder->memory().keptPieces()->size();
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
    QVERIFY(bench.carHoldsExactly((*bench.folder->rounds().original())->id));
    QVERIFY(bench.bus.framesSeen() - before < 160000 - static_cast<int64_t>(kept / 8));
    QCOMPARE(bench.folder->memory().keptPieces()->size(), uint64_t{0});
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
    QVERIFY(last < 110000 && !*bench.folder->rounds().original());
    QVERIFY(bench.folder->memory().keptPieces()->size() >= 65536);
}

void FlashTest::damagedBytesOfAReadAreReadAgain() {
    Bench bench;
    auto client = bench.uds();
    const auto identity = link::identify(client);
    // A piece on the disk that is not what the car holds: its checksum gives it away.
    EXPECT_OK(bench.folder->settings().set("reading", identity->at("serial") + " all"));
    EXPECT_OK(bench.folder->memory().keepPiece(0x8C0000, Bytes(5000, 0x42)));
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
    QCOMPARE(bench.folder->rounds().all()->size(), size_t{1});
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

void FlashTest::aHalfWrittenFlashIsNotKeptAsARound() {
    Bench bench;
    const auto original = bench.read();
    const auto first = bench.change("rev_limit", 6500, original.id);
    const auto second = bench.change("injector_flow", 600, first.id);  // in another sector
    bool stopped = false;
    EXPECT_FAILS(
        bench.flash(second.id, [&](const link::Progress& p) { return !(stopped = stopped || p.done > 17000); }), "");
    QVERIFY(stopped && !bench.contents().round);
    // Read again before anybody flashed: what is in the car is told, and is nobody's calibration.
    auto client = bench.uds();
    const auto identity = identityFromJson(*bench.folder->settings().get("identity"));
    const auto outcome = readCar(client, *bench.kit, *identity, *bench.folder, ReadScope::Everything, {});
    EXPECT_OK(outcome);
    QVERIFY(!outcome->unknown && outcome->round.id == second.id);
    QVERIFY(outcome->sentence.find("did not come to its end") != std::string::npos);
    QCOMPARE(bench.folder->rounds().all()->size(), size_t{3});
    EXPECT_OK(bench.flash(second.id));
    QVERIFY(bench.carHoldsExactly(second.id));
}

void FlashTest::anotherCarIsNotReadIntoThisFolder() {
    Bench bench;
    bench.read();
    auto client = bench.uds();
    auto identity = *link::identify(client);
    identity.values["serial"] = "E2-0000-0000";
    EXPECT_FAILS(readCar(client, *bench.kit, identity, *bench.folder, ReadScope::Everything, {}),
                 "belongs to controller E2-0098-4417");
    QCOMPARE(bench.folder->memory().keptPieces()->size(), uint64_t{0});
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
    QCOMPARE(*bench.folder->memory().contents(bench.kit->profile.sectors())->round, round.id);
    QVERIFY(bench.folder->rounds().byId(round.id)->state == carfolder::RoundState::Fixed);
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
    EXPECT_OK(bench.folder->memory().found({0x810000, 0x10000}, std::nullopt));
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
    row("sealed for another car",
        "Rights: This calibration was sealed for the controller E2-7; the one on the link is E2-0098-4417",
        Remedy::None);
    row("sealed to look at", "Rights: Mara Ost sealed round 1; the seal does not allow it to be flashed", Remedy::None);
    row("no way back", "Rights: Mara Ost sealed round 2 without a way back", Remedy::None);
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
    const auto seal = [&](int64_t which, deliver::Allowed may, auto change) {
        deliver::Rights rights{.may = may, .maker = "1", .makerName = "Mara Ost", .id = "1", .number = 1};
        change(rights);
        return bench.folder->rounds().setRights(which, rights.text());
    };
    using enum deliver::May;
    Done prepared;
    if (what == "wrong car") now.values["vin"] = "FMKHR16T0E2009999";
    if (what == "wrong serial") now.values["serial"] = "E2-1";
    if (what == "wrong hardware") now.values["hardware"] = "ALD-X";
    if (what == "wrong software") now.values["software"] = "AE2-0000-A01";
    if (what == "low battery") now.voltage = 11.4;
    if (what == "high battery") now.voltage = 16.2;
    if (what == "engine running") now.engineSpeed_rpm = 850;
    if (what == "original missing") prepared = bench.folder->settings().set("identity", "");
    if (what == "fixed round with a wrong checksum") {
        image::Image damaged = **bench.folder->rounds().image(round.id);
        EXPECT_OK(damaged.overwrite(0x8C4002, Bytes{0x12}));
        EXPECT_OK(bench.folder->rounds().updateDraft(round.id, damaged));
        EXPECT_OK(bench.folder->rounds().add(round.id, damaged, "built on it", ""));
    }
    if (what == "checksum out of reach") kit->profile.checksums.front() = {0x8C0000, 16, 0x800100};
    if (what == "sealed for another car")
        prepared = seal(round.id, {Flash}, [](auto& rights) { rights.car.serial = "E2-7"; });
    if (what == "sealed to look at") prepared = seal(round.id, {Look}, [](auto&) {});
    if (what == "no way back") {
        const auto other = bench.change("rev_limit", 6400, original.id);
        EXPECT_OK(bench.folder->memory().flashBegun(other.id, "changed", 1, ""));
        prepared = seal(other.id, {Flash}, [](auto& rights) { rights.wayBack = false; });
    }
    if (what == "damaged rights") prepared = bench.folder->rounds().setRights(round.id, "{");
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
    const deliver::Rights look{.may = {deliver::May::Look}, .makerName = "Mara Ost"};
    EXPECT_OK(bench.folder->rounds().setRights(round.id, look.text()));
    EXPECT_FAILS(bench.flash(round.id), "Rights: Mara Ost sealed round 1; the seal does not allow it to be flashed");
    QVERIFY(bench.carHoldsExactly(original.id));
    QVERIFY(!*bench.folder->memory().lastFlash());
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
    const auto entry = *bench.folder->memory().lastFlash();
    QVERIFY(entry && entry->overridden.find("Overridden by typing E2-0098-4417") != std::string::npos);
    bool inJournal = false;
    const auto lines = *bench.folder->memory().journal(50);
    for (const auto& line : lines)
        inJournal = inJournal || line.what.starts_with("Overridden: Right software");
    QVERIFY(inJournal);
    QVERIFY(bench.carHoldsExactly(round.id));
}

void FlashTest::aControllerInBootModeThatTellsLittleIsNotLockedOut() {
    Bench bench;
    auto client = bench.uds();
    link::Identity now = *link::identify(client);
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    for (const char* key : {"vin", "serial", "software", "calibration"})
        now.values[key] = "";
    const auto plan = planFlash(*bench.kit, *bench.folder, round.id, &now);
    EXPECT_OK(plan);
    QVERIFY(!plan->blocked());
    QCOMPARE(notPassed(*plan, Gate::Verdict::Warns).size(), size_t{2});
    // With a program it would have to tell.
    now.values["software"] = bench.kit->profile.definitionSoftware;
    QVERIFY(planFlash(*bench.kit, *bench.folder, round.id, &now)->blocked());
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
        return makeRound(*bench.kit, *bench.folder, original.id, {*edit}, "VE", {})->id;
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
    EXPECT_OK(recording::saveMdf4(bench.files, bench.folder->recordings().path("a.mf4"), drive));
    EXPECT_OK(bench.folder->recordings().add(
        {.round = original.id, .file = "a.mf4", .title = "pull", .startedAt = "", .duration_s = 1, .samples = 2}));
    QVERIFY2(warnings(boosted)[0].starts_with("Evidence: 2 cells"), warnings(boosted)[0].c_str());
}

void FlashTest::checksumsOfADraftAreMendedFirst() {
    Bench bench;
    const auto original = bench.read();
    image::Image damaged = **bench.folder->rounds().image(original.id);
    EXPECT_OK(damaged.overwrite(benchcar::layout::limits.revLimit.at, Bytes{0x17, 0x70}));
    const auto draft = *bench.folder->rounds().add(original.id, damaged, "edited elsewhere", "");
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

QTEST_GUILESS_MAIN(FlashTest)
#include "FlashTest.moc"
