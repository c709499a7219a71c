// Every way in which a flash or a read can be cut short: the link, the power, the program, a bad bus; and what is known
// after it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <sqlite3.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

#include "JobBench.h"

using namespace brusk;
using namespace brusk::job;

class InterruptionTest : public QObject {
    Q_OBJECT
  private slots:
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

void InterruptionTest::aCutLinkAtAnyFrameIsFinishedByTheNextFlash() {
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

void InterruptionTest::aPowerCutAtAnyFrameIsFinishedByTheNextFlash() {
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

void InterruptionTest::aPowerBlipIsGotOverWithoutHelp() {
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

void InterruptionTest::aKilledProgramIsFinishedByTheNextFlash() {
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

void InterruptionTest::aBadLinkIsGotOverOrSaid_data() {
    QTest::addColumn<double>("lost");
    QTest::addColumn<double>("late");
    QTest::addColumn<double>("corrupt");
    QTest::newRow("1 % lost") << 0.01 << 0.0 << 0.0;
    QTest::newRow("1 % late") << 0.0 << 0.01 << 0.0;
    QTest::newRow("0.1 % corrupted") << 0.0 << 0.0 << 0.001;
    QTest::newRow("all three") << 0.01 << 0.01 << 0.001;
}

void InterruptionTest::aBadLinkIsGotOverOrSaid() {
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

void InterruptionTest::aBadLinkReadsTheRightBytes() {
    Bench bench;
    auto& faults = bench.car.faults();
    faults.busLost = faults.busLate = 0.01, faults.busCorrupt = 0.001;
    auto client = bench.uds();
    image::Image image;
    bool whole = false;
    // A damaged byte that no frame betrays is found by the checksum, and said; then the reading is done again.
    for (int attempt = 0; attempt < 5 && !whole; ++attempt) {
        image = {};
        const auto report = link::readMemory(client, {*bench.kit->profile.calibrationArea()}, image, nullptr, {});
        whole = report.has_value();
        if (!report) {
            QVERIFY2(report.error().text().find("The bytes read ") == 0, report.error().text().c_str());
            continue;
        }
        qInfo("256 KiB in %.0f s with %d retries", static_cast<double>(report->elapsed_us) * 1e-6, report->retries);
    }
    QVERIFY(whole);
    const auto held = bench.car.memory().flash().subspan(0xC0000, 0x40000);
    const auto bytes = image.bytes(0x8C0000, 0x40000);
    QVERIFY(bytes && std::equal(bytes->begin(), bytes->end(), held.begin()));
}

void InterruptionTest::aStoppedFlashSaysSoAndTheNextFinishesIt() {
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

void InterruptionTest::lostFramesAreRetried() {
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

void InterruptionTest::aFailingJournalStopsTheFlashBeforeTheCarIsTouched() {
    Bench bench;
    const auto original = bench.read();
    const auto round = bench.change("rev_limit", 6500, original.id);
    class FullDisk final : public link::FlashJournal {
        Done step(const image::Sector&, image::SectorStep) override {
            return fail(ErrorCode::Io, "no space left on device");
        }
    } journal;
    auto client = bench.uds();
    const auto image = *bench.folder->rounds().image(round.id);
    const auto plan = planFlash(*bench.kit, *bench.folder, round.id, nullptr);
    EXPECT_FAILS(link::flashSectors(client, *image, plan->sectors, journal, {}), "no space left on device");
    QVERIFY(bench.carHoldsExactly(original.id));
}

void InterruptionTest::stockTellsWhatSomebodyElseWrote() {
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

QTEST_GUILESS_MAIN(InterruptionTest)
#include "InterruptionTest.moc"
