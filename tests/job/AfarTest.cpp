// Tuning from afar: a round is sealed for somebody, opened at the other end, flashed, driven, and what was driven comes
// back; and nothing of a round that one may only flash is seen on the way.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDirIterator>
#include <random>
#include <set>
#include <unordered_set>

#include "JobBench.h"
#include "core/carfolder/Schema.h"
#include "core/deliver/Archive.h"
#include "core/job/Base.h"
#include "core/job/Donors.h"
#include "core/job/Drive.h"
#include "core/job/Keeping.h"
#include "core/job/LoadDrives.h"
#include "core/job/Parcel.h"

using namespace brusk;
using namespace brusk::job;
using deliver::May;

namespace {

/// Somebody with a car folder, a car, a key and cards.
struct Somebody {
    Bench bench;
    deliver::Home home;
    deliver::Key key;
    explicit Somebody(const std::string& name)
        : home(bench.files, bench.temporary.filePath("home").toStdString()), key(home.makeKey(name, "").value()) {
        bench.read();
        if (!bench.folder->settings().set("profile", bench.kit->profile.name)) qFatal("no profile");
    }
    void useKey() { job::useKey(*bench.folder, key, home); }
    carfolder::Rounds& rounds() { return bench.folder->rounds(); }
    Result<carfolder::Round> take(const Bytes& file) {
        const auto sealed = deliver::unseal(file, key, home);
        if (!sealed) return tl::unexpected(sealed.error());
        return takeSealed(*bench.kit, *bench.folder, *sealed, file);
    }
};

/// The file that somebody's sealing hands over to be saved.
Result<Bytes> sealedBy(Somebody& who, int64_t round, const SealOptions& options) {
    Bytes out;
    const auto keep = [&](ByteSpan file) {
        out.assign(file.begin(), file.end());
        return Done();
    };
    if (auto done = sealRound(*who.bench.kit, *who.bench.folder, round, who.key, options, keep); !done)
        return tl::unexpected(done.error());
    return out;
}

/// Mara tunes, Jon sits far away with the car.
struct Two {
    Somebody mara{"Mara Ost"}, jon{"Jon Vale"};
    Two() {
        if (!mara.home.trust(jon.key.card()) || !jon.home.trust(mara.key.card())) qFatal("no trust");
        jon.useKey();
    }
    /// A round of Mara's with another rev limit, sealed for Jon.
    Bytes sealedFor(deliver::Allowed may, const std::function<void(SealOptions&)>& change = {}, double limit = 6300) {
        const auto round = mara.bench.change("rev_limit", limit, (*mara.rounds().original())->id);
        SealOptions options{{{jon.key.card(), may}}, *carOf(*mara.bench.folder)};
        if (change) change(options);
        const auto file = sealedBy(mara, round.id, options);
        if (!file) qFatal("%s", file.error().text().c_str());
        sealedRound = round.number;
        return *file;
    }
    int sealedRound = -1;
};

std::string refusalOf(const auto& result) {
    return result ? "done" : result.error().refused ? result.error().refused : "failed: " + result.error().text();
}

std::function<std::optional<Ended>(double)> after(double seconds) {
    return [seconds](double elapsed_s) { return elapsed_s < seconds ? std::nullopt : std::optional(Ended::Seconds); };
}

Result<DriveOutcome> record(Somebody& who, double seconds) {
    auto client = who.bench.uds();
    const auto channels = channelSet(*who.bench.kit, {"speed", "pressure"});
    DriveOptions options;
    options.title = "To the bridge";
    options.ends = after(seconds);
    options.conditions = {.fuel = "RON 98",
                          .ethanol_pct = 5,
                          .octane_RON = 98,
                          .weather = "dry",
                          .load = "one aboard",
                          .where = "road",
                          .note = "cold at first"};
    return recordDrive(client, *who.bench.kit, *who.bench.folder, *channels, options);
}

constexpr size_t kRun = 32;

/// Runs of 32 bytes that only the sealed image has.
struct Runs {
    std::vector<image::Segment> bytes;
    std::unordered_set<std::string_view> all;
};
Runs runsOf(const image::Image& sealed, const image::Image& open) {
    std::unordered_set<std::string_view> known;
    const auto each = [](const std::vector<image::Segment>& segments, auto take) {
        for (const auto& segment : segments)
            for (size_t i = 0; i + kRun <= segment.bytes.size(); ++i)
                take(asText(ByteSpan(segment.bytes).subspan(i, kRun)));
    };
    const auto openBytes = open.segments();
    each(openBytes, [&](std::string_view run) { known.insert(run); });
    Runs out{sealed.segments(), {}};
    each(out.bytes, [&](std::string_view run) {
        // Erased memory up to its last bytes lies everywhere.
        if (!known.contains(run) && std::set<char>(run.begin(), run.end()).size() >= 8) out.all.insert(run);
    });
    return out;
}

/// The first file below the folders that holds one of the runs; empty: none does.
QString fileWith(const Runs& runs, const QStringList& folders, size_t& searched) {
    for (const QString& folder : folders)
        for (QDirIterator it(folder, QDir::Files | QDir::Hidden, QDirIterator::Subdirectories); it.hasNext();) {
            const std::string text = readText(it.next().toStdString());
            searched += text.size();
            for (size_t i = 0; i + kRun <= text.size(); ++i)
                if (runs.all.contains(std::string_view(text).substr(i, kRun))) return it.filePath();
        }
    return {};
}

}  // namespace

class AfarTest : public QObject {
    Q_OBJECT
  private slots:
    void aSealedRoundIsFlashedDrivenAndComesBack();
    void aRoundIsGivenOutWhenItsFileIsThere();
    void whatMayBeChangedIsAsIfItWereOnesOwn();
    void nothingOfASealedRoundLiesOnTheDisk();
    void noWayShowsTheValuesOfASealedRound();
    void anotherCarIsRefused_data();
    void anotherCarIsRefused();
    void anOlderFileIsRefusedUnlessItsMakerAllowsIt();
    void theSameBytesUnderANewerSealAreTheSameRound();
    void rightsThatWereEditedInTheLedgerAreRefused();
    void theMakerMayHaveEverythingWrittenOnce();
    void theWayBackIsOpenUnlessTheMakerClosesIt();
    void whoMayOnlyFlashRecordsNothing();
    void aFlashThatWasCutOffIsFinishedFromAfar();
    void theCarIsComparedWithoutTheKey();
    void aParcelOfAnotherCarIsRefused();
    void aParcelBeginsAFolder();
    void anArchiveBringsEverythingBack();
    void anArchiveWithADamagedRecordingBringsTheRest();
};

void AfarTest::aSealedRoundIsFlashedDrivenAndComesBack() {
    Two two;
    const Bytes file = two.sealedFor({May::Flash, May::Record}, [](auto& o) { o.note = "Gently at first."; });
    const int first = two.sealedRound;
    QCOMPARE(two.mara.rounds().byNumber(first)->state, carfolder::RoundState::GivenOut);
    const auto round = two.jon.take(file);
    EXPECT_OK(round);
    QVERIFY(round->sealed && round->note == "From Mara Ost.\nGently at first.");
    QVERIFY(!rightsOf(*round)->value().may.seesValues());
    const auto report = two.jon.bench.flash(round->id);
    EXPECT_OK(report);
    QVERIFY(report->sectors > 0);
    QCOMPARE(two.jon.bench.contents().round, std::optional(round->id));
    const auto drive = record(two.jon, 5);
    EXPECT_OK(drive);
    // Back to Mara, bound to the round that was in the car, in the conditions it was driven in.
    std::vector<std::string> leftOut;
    const auto parcel = makeParcel(*two.jon.bench.kit, *two.jon.bench.folder, two.jon.key,
                                   {{two.mara.key.card()}, "Went well.", {}, true, {"P0172-00 stored"}}, leftOut);
    EXPECT_OK(parcel);
    QVERIFY(leftOut.empty());
    const auto opened = openParcel(*parcel, two.mara.key, two.mara.home);
    EXPECT_OK(opened);
    QVERIFY(opened->note == "Went well." && opened->codes == std::vector<std::string>{"P0172-00 stored"});
    QCOMPARE(opened->identity.at("vin"), std::string("FMKHR16T0E2004711"));
    const auto taken = takeParcel(*two.mara.bench.kit, *two.mara.bench.folder, *opened);
    EXPECT_OK(taken);
    QCOMPARE(taken->drives.size(), size_t{1});
    QCOMPARE(taken->drives[0].round, std::optional(first));
    QCOMPARE(taken->inCar, std::optional(first));
    QVERIFY(taken->drives[0].entry.conditions == drive->entry.conditions);
    QVERIFY(readText(two.mara.bench.folder->recordings().path(taken->drives[0].entry.file).string()) ==
            readText(drive->file.string()));
    // Twice is once.
    const auto again = takeParcel(*two.mara.bench.kit, *two.mara.bench.folder, *opened);
    EXPECT_OK(again);
    QVERIFY(again->drives.empty() && again->there.size() == 1);
    // The next one goes the same way.
    const auto next = two.jon.take(two.sealedFor({May::Flash, May::Record}, {}, 6350));
    EXPECT_OK(next);
    EXPECT_OK(two.jon.bench.flash(next->id));
    QCOMPARE(two.jon.bench.contents().round, std::optional(next->id));
}

void AfarTest::aRoundIsGivenOutWhenItsFileIsThere() {
    Two two;
    auto& mara = two.mara;
    const auto round = mara.bench.change("rev_limit", 6300, (*mara.rounds().original())->id);
    const SealOptions options{{{two.jon.key.card(), {May::Flash}}}, {}};
    const auto state = [&] { return mara.rounds().byId(round.id)->state; };
    const auto full = [](ByteSpan) -> Done { return fail(ErrorCode::Io, "The disk is full."); };
    EXPECT_FAILS(sealRound(*mara.bench.kit, *mara.bench.folder, round.id, mara.key, options, full),
                 "The disk is full.");
    EXPECT_FAILS(exportRound(*mara.bench.kit, *mara.bench.folder, round.id, "hex", "Pia Lund", full), "disk is full");
    QCOMPARE(state(), carfolder::RoundState::Draft);
    // Somebody edits it while its file is written: the ledger does not say that what it is now was given out.
    const auto edits = [&](ByteSpan) -> Done {
        image::Image other = **mara.rounds().image(round.id);
        if (auto done = other.overwrite(0x8D0000, Bytes{1, 2, 3}); !done) return done;
        return mara.rounds().updateDraft(round.id, other);
    };
    EXPECT_FAILS(sealRound(*mara.bench.kit, *mara.bench.folder, round.id, mara.key, options, edits),
                 "Round 1 was changed while it was given out");
    QCOMPARE(state(), carfolder::RoundState::Draft);
    EXPECT_OK(sealedBy(mara, round.id, options));
    QCOMPARE(state(), carfolder::RoundState::GivenOut);
}

void AfarTest::whatMayBeChangedIsAsIfItWereOnesOwn() {
    Two two;
    const auto round = two.jon.take(two.sealedFor({May::Change}));
    EXPECT_OK(round);
    QVERIFY(!round->sealed && round->state == carfolder::RoundState::Draft);
    const auto hers = *two.mara.rounds().image(two.mara.rounds().byNumber(two.sealedRound)->id);
    QVERIFY(**two.jon.rounds().image(round->id) == *hers);
    const auto own = two.jon.bench.change("rev_limit", 6100, round->id);
    EXPECT_OK(two.jon.bench.flash(own.id));
    QVERIFY(own.rights.empty());
}

void AfarTest::nothingOfASealedRoundLiesOnTheDisk() {
    Two two;
    // A round that differs in many places: every map of the calibration moved a little.
    const auto original = (*two.mara.rounds().original())->id;
    image::Image image = **two.mara.rounds().image(original);
    const auto& areas = two.mara.bench.kit->profile.areas;
    const auto area = std::find_if(areas.begin(), areas.end(), [](const auto& one) { return one.calibration; });
    const uint32_t place = area->start + 0x8000;
    Bytes scattered(20000);
    std::mt19937 random(11);
    for (uint8_t& byte : scattered)
        byte = static_cast<uint8_t>(random());
    EXPECT_OK(image.overwrite(place, scattered));
    const auto round = two.mara.rounds().add(original, image, "Scattered", "");
    EXPECT_OK(round);
    const auto file = sealedBy(two.mara, round->id,
                               {{{two.jon.key.card(), {May::Flash, May::Record}}}, *carOf(*two.mara.bench.folder)});
    EXPECT_OK(file);
    const auto sealed = two.jon.take(*file);
    EXPECT_OK(sealed);
    EXPECT_OK(two.jon.bench.flash(sealed->id));
    EXPECT_OK(record(two.jon, 3));
    // The car is read, asked and read again half; each compares, none keeps.
    auto client = two.jon.bench.uds();
    const auto identity = *link::identify(client);
    const auto read = readCar(client, *two.jon.bench.kit, identity, *two.jon.bench.folder, ReadScope::Everything, {});
    EXPECT_OK(read);
    QVERIFY2(read->sealed && read->round.id == sealed->id, read->sentence.c_str());
    int blocks = 0;
    EXPECT_FAILS(readCar(client, *two.jon.bench.kit, identity, *two.jon.bench.folder, ReadScope::Calibration,
                         [&](const link::Progress&) { return ++blocks < 20; }),
                 "");
    EXPECT_OK(takeStock(client, *two.jon.bench.kit, *two.jon.bench.folder, StockScope::Everything));
    std::vector<std::string> leftOut;
    EXPECT_OK(makeParcel(*two.jon.bench.kit, *two.jon.bench.folder, two.jon.key,
                         {{two.mara.key.card()}, {}, {}, true, {}}, leftOut));
    EXPECT_OK(deliver::archive(*two.jon.bench.folder, two.jon.bench.temporary.filePath("all.zip").toStdString()));
    const auto plain = *two.mara.rounds().image(round->id);
    const auto open = *two.jon.rounds().image((*two.jon.rounds().original())->id);
    const auto runs = runsOf(*plain, *open);
    QVERIFY(runs.all.size() > 15000);
    size_t searched = 0;
    const QString found = fileWith(runs, {two.jon.bench.temporary.path()}, searched);
    QVERIFY2(found.isEmpty(), qPrintable(found));
    QVERIFY(searched > 4000000);
    // The search finds what is there: in Mara's folder, once she exports it.
    QFile out(two.mara.bench.temporary.filePath("plain.bin"));
    QVERIFY(out.open(QFile::WriteOnly));
    const auto bytes = *plain->bytes(place, 4096);
    out.write(reinterpret_cast<const char*>(bytes.data()), static_cast<qint64>(bytes.size()));
    out.close();
    QVERIFY(fileWith(runs, {two.mara.bench.temporary.path()}, searched).endsWith("plain.bin"));
}

void AfarTest::noWayShowsTheValuesOfASealedRound() {
    Two two;
    const auto round = two.jon.take(two.sealedFor({May::Flash, May::Record}));
    EXPECT_OK(round);
    EXPECT_OK(two.jon.bench.flash(round->id));
    EXPECT_OK(record(two.jon, 3));
    auto& folder = *two.jon.bench.folder;
    const Kit& kit = *two.jon.bench.kit;
    QCOMPARE(qs(refusalOf(folder.rounds().image(round->id))), "not-allowed");
    QCOMPARE(qs(refusalOf(calibrationOf(kit, folder, round->id))), "not-allowed");
    QCOMPARE(qs(refusalOf(makeRound(kit, folder, round->id, {}, "built on it", {}))), "not-allowed");
    QCOMPARE(qs(refusalOf(sealedBy(two.jon, round->id, {{{two.mara.key.card(), {May::Look}}}, {}}))), "not-allowed");
    QCOMPARE(qs(refusalOf(drivesOf(kit, folder, round->id))), "not-allowed");
    QCOMPARE(qs(refusalOf(measureFuelError(kit, folder, round->id))), "not-allowed");
    EXPECT_FAILS(folder.rounds().updateDraft(round->id, image::Image()), "Only a draft can be edited");
    // The plan says where, and neither what nor by how much.
    auto client = two.jon.bench.uds();
    const auto identity = *link::identify(client);
    const auto plan = planFlash(kit, folder, round->id, &identity);
    EXPECT_OK(plan);
    QVERIFY(!plan->image && plan->changes.empty() && !plan->comparedWith);
    for (const Gate& gate : plan->gates)
        QVERIFY2(gate.sentence.find("6300") == std::string::npos && gate.parameter.empty(), gate.sentence.c_str());
    // Nor does a plan for another round, which would be compared with what is in the car.
    const auto other = planFlash(kit, folder, (*folder.rounds().original())->id, &identity);
    EXPECT_OK(other);
    QVERIFY(other->changes.empty() && !other->comparedWith);
    // Without the key it is not even flashed.
    folder.rounds().openSealedBy({});
    QCOMPARE(qs(refusalOf(planFlash(kit, folder, round->id, &identity))), "not-allowed");
}

void AfarTest::anotherCarIsRefused_data() {
    QTest::addColumn<QString>("part");
    QTest::addColumn<QString>("id");
    QTest::newRow("VIN") << "vin"
                         << "other-vin";
    QTest::newRow("serial") << "serial"
                            << "other-serial";
    QTest::newRow("software") << "software"
                              << "other-software";
}

void AfarTest::anotherCarIsRefused() {
    QFETCH(QString, part);
    QFETCH(QString, id);
    Two two;
    const auto bind = [&](SealOptions& options) {
        options.car = {};
        (part == "vin" ? options.car.vin : part == "serial" ? options.car.serial : options.car.software) = "ANOTHER";
    };
    const Bytes file = two.sealedFor({May::Flash}, bind);
    const size_t before = two.jon.rounds().all()->size();
    QCOMPARE(qs(refusalOf(two.jon.take(file))), id);
    QCOMPARE(two.jon.rounds().all()->size(), before);
    // A folder that says it is the other car takes it; the car on the link is asked again.
    auto& settings = two.jon.bench.folder->settings();
    const auto told = *settings.get("identity");
    auto lie = *identityFromJson(told);
    lie.values[part.toStdString()] = "ANOTHER";
    EXPECT_OK(settings.set("identity", toJson(lie)));
    const auto round = two.jon.take(file);
    EXPECT_OK(round);
    EXPECT_OK(settings.set("identity", told));
    const Bytes flash(two.jon.bench.car.memory().flash().begin(), two.jon.bench.car.memory().flash().end());
    QCOMPARE(qs(refusalOf(two.jon.bench.flash(round->id))), id);
    QVERIFY(std::equal(flash.begin(), flash.end(), two.jon.bench.car.memory().flash().begin()));
    QVERIFY(!*two.jon.bench.folder->memory().lastFlash());
}

void AfarTest::anOlderFileIsRefusedUnlessItsMakerAllowsIt() {
    Two two;
    const Bytes first = two.sealedFor({May::Flash}), second = two.sealedFor({May::Flash}, {}, 6310);
    const Bytes third = two.sealedFor(
        {May::Flash}, [](auto& o) { o.allowOlder = true; }, 6320);
    const Bytes fourth = two.sealedFor({May::Flash}, {}, 6330);
    EXPECT_OK(two.jon.take(second));
    const auto older = two.jon.take(first);
    QCOMPARE(qs(refusalOf(older)), "older");
    EXPECT_FAILS(older, "Mara Ost sealed this before round 1, which is here already (number 1 after 2)");
    EXPECT_FAILS(two.jon.take(second), "This file is in the folder already, as round 1");
    EXPECT_OK(two.jon.take(fourth));
    EXPECT_OK(two.jon.take(third));
    QCOMPARE(two.jon.rounds().all()->size(), size_t{4});
}

void AfarTest::theSameBytesUnderANewerSealAreTheSameRound() {
    Two two;
    const auto first = two.jon.take(two.sealedFor({May::Flash}));
    EXPECT_OK(first);
    EXPECT_OK(two.jon.bench.flash(first->id));
    QCOMPARE(qs(refusalOf(record(two.jon, 1))), "not-allowed");
    const auto hers = two.mara.rounds().byNumber(two.sealedRound);
    const auto again = sealedBy(two.mara, hers->id, {{{two.jon.key.card(), {May::Flash, May::Record}}}, {}});
    EXPECT_OK(again);
    const auto taken = two.jon.take(*again);
    EXPECT_OK(taken);
    QCOMPARE(taken->id, first->id);
    EXPECT_OK(record(two.jon, 1));
    EXPECT_OK(two.jon.bench.flash(first->id));
    // Somebody else's seal of them is refused.
    Somebody eve("Eve Rook");
    EXPECT_OK(two.jon.home.trust(eve.key.card()));
    const auto image = *two.mara.rounds().image(hers->id);
    const auto other = deliver::seal(eve.key, *image, {"Mine", "", {}, {{two.jon.key.card(), {May::Flash}}}}, "2026");
    EXPECT_OK(other);
    EXPECT_FAILS(two.jon.take(*other), "These bytes are in the folder already, as round 1, sealed by Mara Ost");
}

void AfarTest::rightsThatWereEditedInTheLedgerAreRefused() {
    Two two;
    const auto round = two.jon.take(two.sealedFor({May::Flash}));
    EXPECT_OK(round);
    const auto rights = *rightsOf(*round);
    const auto edited = [&](auto change) {
        deliver::Rights other = *rights;
        change(other);
        EXPECT_OK(two.jon.rounds().setRights(round->id, other.text()));
        QCOMPARE(qs(refusalOf(two.jon.bench.flash(round->id))), "altered");
        QCOMPARE(qs(refusalOf(two.jon.rounds().image(round->id))), "not-allowed");
    };
    edited([](auto& r) { r.may = {May::Change}; });
    edited([](auto& r) { r.car = {}; });
    edited([](auto& r) { r.writeAllOnce = !r.writeAllOnce; });
    edited([](auto& r) { r.wayBack = !r.wayBack; });
    edited([](auto& r) { r.number = 99; });
    EXPECT_OK(two.jon.rounds().setRights(round->id, ""));
    QCOMPARE(qs(refusalOf(two.jon.bench.flash(round->id))), "altered");
    QCOMPARE(qs(refusalOf(two.jon.rounds().image(round->id))), "not-allowed");
    EXPECT_OK(two.jon.rounds().setRights(round->id, rights->text()));
    EXPECT_OK(two.jon.bench.flash(round->id));
}

void AfarTest::theMakerMayHaveEverythingWrittenOnce() {
    Two two;
    const auto round = two.jon.take(two.sealedFor({May::Flash}, [](auto& o) { o.writeAllOnce = true; }));
    EXPECT_OK(round);
    const size_t all = two.jon.bench.kit->profile.sectors().size();
    // Asking for less makes it no less; stopping on the way neither.
    int blocks = 0;
    EXPECT_FAILS(
        two.jon.bench.flash(round->id, [&](const link::Progress&) { return ++blocks < 40; }, {FlashScope::Changed, ""}),
        "");
    auto client = two.jon.bench.uds();
    const auto identity = *link::identify(client);
    QCOMPARE(planFlash(*two.jon.bench.kit, *two.jon.bench.folder, round->id, &identity)->sectors.size(), all);
    const auto whole = two.jon.bench.flash(round->id, {}, {FlashScope::Changed, ""});
    EXPECT_OK(whole);
    QCOMPARE(static_cast<size_t>(whole->sectors), all);
    const auto again = two.jon.bench.flash(round->id, {}, {FlashScope::Everything, ""});
    EXPECT_OK(again);
    QCOMPARE(again->sectors, 0);
}

void AfarTest::theWayBackIsOpenUnlessTheMakerClosesIt() {
    Two two;
    const auto original = (*two.jon.rounds().original())->id;
    const auto open = two.jon.take(two.sealedFor({May::Flash}));
    EXPECT_OK(open);
    EXPECT_OK(two.jon.bench.flash(open->id));
    EXPECT_OK(two.jon.bench.flash(original));
    const auto closed = two.jon.take(two.sealedFor(
        {May::Flash}, [](auto& o) { o.wayBack = false; }, 6350));
    EXPECT_OK(closed);
    // It is closed by flashing it, not by taking it.
    EXPECT_OK(two.jon.bench.flash(original));
    EXPECT_OK(two.jon.bench.flash(closed->id));
    const auto back = two.jon.bench.flash(original);
    QCOMPARE(qs(refusalOf(back)), "not-allowed");
    EXPECT_FAILS(back, "Mara Ost sealed round 2 without a way back");
    // What its maker seals goes over it, and may open the way again.
    const auto next = two.jon.take(two.sealedFor({May::Flash}, {}, 6360));
    EXPECT_OK(next);
    EXPECT_OK(two.jon.bench.flash(next->id));
    EXPECT_OK(two.jon.bench.flash(original));
}

void AfarTest::whoMayOnlyFlashRecordsNothing() {
    Two two;
    const auto round = two.jon.take(two.sealedFor({May::Flash}));
    EXPECT_OK(round);
    EXPECT_OK(two.jon.bench.flash(round->id));
    const auto drive = record(two.jon, 2);
    QCOMPARE(qs(refusalOf(drive)), "not-allowed");
    EXPECT_FAILS(drive, "the seal does not allow it to be recorded on");
    QVERIFY(two.jon.bench.folder->recordings().all()->empty());
    const auto look = two.jon.take(two.sealedFor({May::Look}, {}, 6350));
    EXPECT_OK(look);
    QCOMPARE(qs(refusalOf(two.jon.bench.flash(look->id))), "not-allowed");
}

void AfarTest::aFlashThatWasCutOffIsFinishedFromAfar() {
    Two two;
    const auto round = two.jon.take(two.sealedFor({May::Flash}));
    EXPECT_OK(round);
    int blocks = 0;
    EXPECT_FAILS(two.jon.bench.flash(round->id, [&](const link::Progress&) { return ++blocks < 12; }), "");
    QVERIFY(two.jon.bench.contents().unfinished);
    QVERIFY2(two.jon.bench.sentence().find("The flash of round 1 was interrupted") == 0,
             two.jon.bench.sentence().c_str());
    EXPECT_OK(two.jon.bench.flash(round->id));
    QCOMPARE(two.jon.bench.contents().round, std::optional(round->id));
    QVERIFY(two.jon.bench.accountIsTrue());
}

void AfarTest::theCarIsComparedWithoutTheKey() {
    Two two;
    const auto round = two.jon.take(two.sealedFor({May::Flash}));
    EXPECT_OK(round);
    EXPECT_OK(two.jon.bench.flash(round->id));
    two.jon.rounds().openSealedBy({});
    auto client = two.jon.bench.uds();
    const auto stock = takeStock(client, *two.jon.bench.kit, *two.jon.bench.folder, StockScope::Everything);
    EXPECT_OK(stock);
    QVERIFY2(stock->changed == 0, stock->sentence.c_str());
    QCOMPARE(two.jon.bench.contents().round, std::optional(round->id));
    // Not even the ledger's own word is needed: what the sectors hold is recognised.
    for (const auto& sector : two.jon.bench.kit->profile.sectors())
        EXPECT_OK(two.jon.bench.folder->memory().found(sector, std::nullopt));
    QVERIFY(!two.jon.bench.contents().round);
    EXPECT_OK(takeStock(client, *two.jon.bench.kit, *two.jon.bench.folder, StockScope::Everything));
    QCOMPARE(two.jon.bench.contents().round, std::optional(round->id));
}

void AfarTest::aParcelOfAnotherCarIsRefused() {
    Two two;
    EXPECT_OK(record(two.jon, 2));
    for (const auto& [part, id] : {std::pair{"vin", "other-vin"}, {"serial", "other-serial"}}) {
        auto other = *identityFromJson(*two.jon.bench.folder->settings().get("identity"));
        const auto told = toJson(other);
        other.values[part] = "ANOTHER";
        EXPECT_OK(two.jon.bench.folder->settings().set("identity", toJson(other)));
        std::vector<std::string> leftOut;
        const auto parcel = makeParcel(*two.jon.bench.kit, *two.jon.bench.folder, two.jon.key,
                                       {{two.mara.key.card()}, {}, {}, true, {}}, leftOut);
        EXPECT_OK(parcel);
        const auto opened = openParcel(*parcel, two.mara.key, two.mara.home);
        EXPECT_OK(opened);
        QCOMPARE(qs(refusalOf(takeParcel(*two.mara.bench.kit, *two.mara.bench.folder, *opened))), id);
        QVERIFY(two.mara.bench.folder->recordings().all()->empty());
        EXPECT_OK(two.jon.bench.folder->settings().set("identity", told));
    }
}

void AfarTest::aParcelBeginsAFolder() {
    Two two;
    const auto drive = record(two.jon, 2);
    EXPECT_OK(drive);
    std::vector<std::string> leftOut;
    const auto parcel = makeParcel(*two.jon.bench.kit, *two.jon.bench.folder, two.jon.key,
                                   {{two.mara.key.card()}, {}, {}, true, {}}, leftOut);
    EXPECT_OK(parcel);
    const auto folder = carfolder::CarFolder::create(two.mara.bench.files,
                                                     two.mara.bench.temporary.filePath("new").toStdString(), "new");
    EXPECT_OK(folder);
    const auto taken = takeParcel(*two.mara.bench.kit, **folder, *openParcel(*parcel, two.mara.key, two.mara.home));
    EXPECT_OK(taken);
    QVERIFY(taken->original && taken->inCar == 0 && taken->drives.size() == 1 && taken->drives[0].round == 0);
    const auto his = *two.jon.rounds().image((*two.jon.rounds().original())->id);
    QVERIFY(**(*folder)->rounds().image((*(*folder)->rounds().original())->id) == *his);
}

void AfarTest::anArchiveBringsEverythingBack() {
    Two two;
    EXPECT_OK(record(two.mara, 3));
    const auto round = two.mara.bench.change("rev_limit", 6200, (*two.mara.rounds().original())->id);
    EXPECT_OK(two.mara.bench.files.save(two.mara.bench.folder->path() / "exports/n\u00f6te.txt", bytesOf("hello")));
    const auto there = two.mara.bench.temporary.filePath("all.zip").toStdString(),
               back = two.mara.bench.temporary.filePath("back").toStdString();
    EXPECT_OK(deliver::archive(*two.mara.bench.folder, there));
    EXPECT_FAILS(deliver::archive(*two.mara.bench.folder, there), "is there already; nothing was written");
    EXPECT_FAILS(deliver::restore(two.mara.bench.files, there, two.mara.bench.temporary.path().toStdString()),
                 "is there already; nothing was written");
    const auto restored = deliver::restore(two.mara.bench.files, there, back);
    EXPECT_OK(restored);
    QVERIFY(restored->lost.empty() && restored->listed);
    const auto folder = carfolder::CarFolder::open(two.mara.bench.files, back);
    EXPECT_OK(folder);
    QVERIFY2((*folder)->news().empty(), (*folder)->news().empty() ? "" : (*folder)->news().front().c_str());
    const auto before = *two.mara.rounds().all(), after = *(*folder)->rounds().all();
    QCOMPARE(after.size(), before.size());
    for (size_t i = 0; i < after.size(); ++i) {
        QVERIFY(after[i].imageSha256 == before[i].imageSha256 && after[i].title == before[i].title);
        QVERIFY(**(*folder)->rounds().image(after[i].id) == **two.mara.rounds().image(before[i].id));
    }
    QCOMPARE(after.front().number, round.number);
    const auto kept = *two.mara.bench.folder->filesToKeep();
    for (const std::string& name : kept)
        QVERIFY2(readText((two.mara.bench.folder->path() / name).string()) == readText(back + "/" + name),
                 name.c_str());
    QVERIFY(readText(back + "/exports/n\u00f6te.txt") == "hello");
    QVERIFY(!QFileInfo(qs(back) + "/original.hex").isWritable() || geteuid() == 0);
}

void AfarTest::anArchiveWithADamagedRecordingBringsTheRest() {
    Two two;
    EXPECT_OK(record(two.mara, 3));
    const auto drive = record(two.mara, 3);
    EXPECT_OK(drive);
    const auto there = two.mara.bench.temporary.filePath("all.zip").toStdString();
    EXPECT_OK(deliver::archive(*two.mara.bench.folder, there));
    std::string zip = readText(there);
    // A byte in the middle of the second recording's piece: after its local head, which names it.
    const std::string name = "recordings/" + drive->entry.file;
    const size_t head = zip.find(name);
    QVERIFY(head != std::string::npos);
    zip[head + name.size() + 2000] = static_cast<char>(zip[head + name.size() + 2000] ^ 0x55);
    const auto damaged = two.mara.bench.temporary.filePath("damaged.zip").toStdString();
    EXPECT_OK(two.mara.bench.files.save(damaged, bytesOf(zip)));
    const auto back = two.mara.bench.temporary.filePath("back").toStdString();
    const auto restored = deliver::restore(two.mara.bench.files, damaged, back);
    EXPECT_OK(restored);
    QCOMPARE(restored->lost, std::vector<std::string>{name});
    const auto folder = carfolder::CarFolder::open(two.mara.bench.files, back);
    EXPECT_OK(folder);
    QCOMPARE((*folder)->recordings().all()->size(), size_t{2});
    QVERIFY(QFile::exists(qs(back + "/recordings/" + (*folder)->recordings().all()->front().file)));
    // Without its ledger it is nothing, and leaves nothing.
    zip = readText(there);
    const size_t ledger = zip.find("car.sqlite") + 4000;
    zip[ledger] = static_cast<char>(zip[ledger] ^ 0x55);
    EXPECT_OK(two.mara.bench.files.save(damaged, bytesOf(zip)));
    const auto other = two.mara.bench.temporary.filePath("other").toStdString();
    EXPECT_FAILS(deliver::restore(two.mara.bench.files, damaged, other), "The ledger in");
    QVERIFY(!QFile::exists(qs(other)) && !QFile::exists(qs(other) + ".making"));
}

QTEST_APPLESS_MAIN(AfarTest)
#include "AfarTest.moc"
