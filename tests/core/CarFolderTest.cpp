// The car folder: rounds, the original's protection, what is in the car, and folders that are none.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QProcess>
#include <QTemporaryDir>

#include <sys/stat.h>

#include "Expect.h"
#include "core/carfolder/CarFolder.h"
#include "core/carfolder/Schema.h"
#include "core/image/ImageFile.h"
#include "core/job/Garage.h"
#include "core/job/Keeping.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::carfolder;

namespace {

image::Image imageOf(uint8_t fill) {
    image::Image image;
    if (!image.add(0x1000, Bytes(64, fill))) qFatal("no image");
    return image;
}

const std::vector<image::Sector> kSectors{{0x1000, 16}, {0x1010, 16}, {0x1020, 16}, {0x1030, 16}};

image::Image withSector(const image::Image& base, size_t sector, uint8_t fill) {
    image::Image image = base;
    if (!image.overwrite(kSectors[sector].start, Bytes(16, fill))) qFatal("no sector");
    return image;
}

calibration::Edit editOf(const std::string& name, uint32_t address, uint8_t before, uint8_t after) {
    return {name, {{address, {before}, {after}}}, 0};
}

/// A recording file as a drive that went well leaves it.
recording::Recording driveOf(const Round& round, size_t rows) {
    recording::Recording out;
    out.title = "Town";
    out.startedAt = "2026-03-01T10:12:05Z";
    out.roundId = std::to_string(round.number);
    out.imageSha256 = round.imageSha256;
    out.groups.push_back({"controller", 100, {}, {{"rpm", "rpm", "", "engine_speed", {}}}});
    for (size_t i = 0; i < rows; ++i) {
        out.groups[0].time_s.push_back(static_cast<double>(i) * 0.01);
        out.groups[0].channels[0].values.push_back(900);
    }
    return out;
}

}  // namespace

class CarFolderTest : public QObject {
    Q_OBJECT
  private slots:
    void init();
    void aNewFolderHoldsNothingButItsName();
    void theOriginalIsKeptTwiceAndNeverReplaced();
    void theOriginalCannotBeChangedEvenBehindOurBack();
    void roundsKeepTheirImagesAndBranch();
    void onlyDraftsCanBeEdited();
    void aRoundThatWasBuiltOnIsFixed();
    void whatIsInTheCarFollowsTheJournal();
    void aFlashedRoundIsPreferredAmongEqualOnes();
    void onlySectorsThatDifferOrAreUnknownAreWritten();
    void everythingIsThereAfterReopening();
    void foldersThatAreNoneAreSaidAndLeftAlone_data();
    void foldersThatAreNoneAreSaidAndLeftAlone();
    void aFolderFromANewerBruskIsRefused();
    void aFolderOfAnOlderFormatIsBroughtUpWithACopyKept_data();
    void aFolderOfAnOlderFormatIsBroughtUpWithACopyKept();
    void editsOutliveTheProgramAndCanBeUndone();
    void aDraftIsBroughtToItsEditsAfterACrashAnywhere();
    void aFlashThatDidNotEndIsRemembered();
    void piecesOfAReadAreKept();
    void packedImagesRoundTripAndDamageIsSaid();
    void buildSheetsAndIdentitiesRoundTrip();
    void whoComesSecondLooksAndMayTakeOver();
    void aFolderWhoseMakingWasCutOffCanBeMadeAnew();
    void aDamagedPageIsASentence();
    void aPipeInPlaceOfTheDatabaseIsSaid();
    void whileACarWaitsTheDatabaseIsWaitedFor();
    void recordingsThatADeadProgramLeftAreTakenIn();
    void sheetsHaveVersionsThatRoundsAndRecordingsName();
    void conditionsOfADriveAreKept();
    void aPartOfAnImageBindsTheSameRound();
    void theOriginalSurvivesADeathBetweenFileAndLedger();
    void aFolderThatWasDeletedWhileOpenIsSaid();

  private:
    std::unique_ptr<QTemporaryDir> temporary_;
    storage::RealFileSystem files_;
    storage::Path path_;
};

void CarFolderTest::init() {
    temporary_ = std::make_unique<QTemporaryDir>();
    path_ = temporary_->filePath("car").toStdString();
}

void CarFolderTest::aNewFolderHoldsNothingButItsName() {
    const auto folder = CarFolder::create(files_, path_, "Heron 1.6 T");
    EXPECT_OK(folder);
    QCOMPARE(*(*folder)->settings().get("car_name"), std::string("Heron 1.6 T"));
    QVERIFY((*folder)->rounds().all()->empty() && !*(*folder)->rounds().original());
    QVERIFY(!(*folder)->memory().contents(kSectors)->everKnown);
    EXPECT_FAILS(CarFolder::create(files_, path_, "again"), "is a car folder already");
}

void CarFolderTest::theOriginalIsKeptTwiceAndNeverReplaced() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto round = folder->rounds().storeOriginal(imageOf(7), "first read");
    EXPECT_OK(round);
    QCOMPARE(round->number, 0);
    QVERIFY(round->state == RoundState::Original);
    const auto hex = files_.read(path_ / "original.hex");
    EXPECT_OK(hex);
    QVERIFY(*image::readImage(*hex, image::Format::IntelHex) == imageOf(7));
    QVERIFY(!(QFile::permissions(qs((path_ / "original.hex").string())) & QFile::WriteOwner));
    EXPECT_FAILS(folder->rounds().storeOriginal(imageOf(8), ""), "never overwritten");
    EXPECT_FAILS(folder->rounds().updateDraft(round->id, imageOf(8)), "Only a draft");
    QVERIFY(**folder->rounds().image(round->id) == imageOf(7));
}

void CarFolderTest::theOriginalCannotBeChangedEvenBehindOurBack() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->rounds().storeOriginal(imageOf(7), "");
    EXPECT_OK(folder->rounds().markFlashed(
        original.id, original.imageSha256));  // flashing it back is fine; its state and bytes stay
    QVERIFY((*folder->rounds().original())->state == RoundState::Original);
    const QString path = qs((path_ / "car.sqlite").string());
    for (const char* sql : {"UPDATE round SET image_sha256 = 'x' WHERE number = 0",
                            "UPDATE round SET number = 5 WHERE number = 0", "DELETE FROM round WHERE number = 0"}) {
        QProcess sqlite;
        sqlite.start("python3",
                     {"-c", "import sqlite3,sys\nd=sqlite3.connect(sys.argv[1])\nd.execute(sys.argv[2])\nd.commit()",
                      path, sql});
        QVERIFY(sqlite.waitForFinished());
        QVERIFY2(sqlite.readAllStandardError().contains("the original is never"), sql);
    }
    QVERIFY(**folder->rounds().image(original.id) == imageOf(7));
}

void CarFolderTest::roundsKeepTheirImagesAndBranch() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    const auto one = *folder->rounds().add(original.id, imageOf(1), "one", "why");
    const auto two = *folder->rounds().add(one.id, imageOf(2), "two", "");
    const auto branch = *folder->rounds().add(original.id, imageOf(3), "branch", "");
    QCOMPARE(branch.number, 3);
    QCOMPARE(*branch.parent, original.id);
    QVERIFY(**folder->rounds().image(one.id) == imageOf(1) && **folder->rounds().image(two.id) == imageOf(2));
    const auto rounds = *folder->rounds().all();
    QCOMPARE(rounds.size(), size_t{4});
    QCOMPARE(rounds.front().title, std::string("branch"));  // newest first
    EXPECT_OK(folder->rounds().rename(one.id, "renamed", "note"));
    QCOMPARE(folder->rounds().byId(one.id)->title, std::string("renamed"));
    EXPECT_FAILS(folder->rounds().byId(999), "no such round");
}

void CarFolderTest::onlyDraftsCanBeEdited() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    const auto draft = *folder->rounds().add(original.id, imageOf(1), "one", "");
    EXPECT_OK(folder->rounds().updateDraft(draft.id, imageOf(9)));
    QVERIFY(**folder->rounds().image(draft.id) == imageOf(9));
    EXPECT_OK(folder->rounds().addEdit(draft.id, editOf("edit", 0x1000, 9, 8)));
    // It is flashed as what it is now, not as what it was.
    EXPECT_FAILS(folder->rounds().fix(draft.id, draft.imageSha256), "was changed while it was being flashed");
    EXPECT_FAILS(folder->rounds().markFlashed(draft.id, draft.imageSha256), "was changed while");
    QVERIFY(folder->rounds().byId(draft.id)->state == RoundState::Draft);
    const std::string sha = folder->rounds().byId(draft.id)->imageSha256;
    EXPECT_OK(folder->rounds().fix(draft.id, sha));
    EXPECT_FAILS(folder->rounds().addEdit(draft.id, editOf("edit", 0x1000, 9, 7)), "begin a new round");
    EXPECT_FAILS(folder->rounds().editUndone(draft.id), "Only a draft");
    EXPECT_OK(folder->rounds().markFlashed(draft.id, sha));
    EXPECT_FAILS(folder->rounds().updateDraft(draft.id, imageOf(5)), "Only a draft");
    QVERIFY(**folder->rounds().image(draft.id) == imageOf(9));
    QVERIFY(!folder->rounds().byId(draft.id)->flashedAt.empty());
}

void CarFolderTest::aRoundThatWasBuiltOnIsFixed() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    const auto one = *folder->rounds().add(original.id, imageOf(1), "one", "");
    QVERIFY(folder->rounds().add(one.id, imageOf(2), "two", "").has_value());
    EXPECT_FAILS(folder->rounds().updateDraft(one.id, imageOf(5)), "Only a draft");
}

void CarFolderTest::whatIsInTheCarFollowsTheJournal() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    EXPECT_OK(folder->memory().holds(imageOf(0), kSectors));
    QCOMPARE(*folder->memory().contents(kSectors)->round, original.id);
    const image::Image changed = withSector(imageOf(0), 2, 9);
    const auto one = *folder->rounds().add(original.id, changed, "one", "");
    EXPECT_OK(folder->memory().step(kSectors[2], image::SectorStep::Erase));
    QCOMPARE(folder->memory().contents(kSectors)->unknown.size(), size_t{1});
    QVERIFY(!folder->memory().contents(kSectors)->round);
    EXPECT_OK(folder->memory().step(kSectors[2], image::SectorStep::Verified, *changed.bytes(0x1020, 16)));
    QCOMPARE(*folder->memory().contents(kSectors)->round, one.id);
    const auto journal = *folder->memory().journal(2);
    QVERIFY(journal[0].what.find("0x001020: verified") != std::string::npos);
    QVERIFY(journal[1].what.find("0x001020: erasing") != std::string::npos);
}

void CarFolderTest::aFlashedRoundIsPreferredAmongEqualOnes() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    const auto one = *folder->rounds().add(original.id, imageOf(1), "one", "");
    EXPECT_OK(folder->memory().holds(imageOf(1), kSectors));
    EXPECT_OK(folder->rounds().markFlashed(one.id, one.imageSha256));
    QVERIFY(folder->rounds().add(one.id, imageOf(1), "an equal draft", "").has_value());
    QCOMPARE(*folder->memory().contents(kSectors)->round, one.id);
}

void CarFolderTest::onlySectorsThatDifferOrAreUnknownAreWritten() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const image::Image changed = withSector(imageOf(0), 1, 5);
    QCOMPARE(folder->memory().toWrite(changed, kSectors)->size(), size_t{4});  // nothing is known yet
    EXPECT_OK(folder->memory().holds(imageOf(0), kSectors));
    QCOMPARE(*folder->memory().toWrite(changed, kSectors), (std::vector<image::Sector>{kSectors[1]}));
    EXPECT_OK(folder->memory().step(kSectors[3], image::SectorStep::Erase));
    QCOMPARE(*folder->memory().toWrite(changed, kSectors), (std::vector<image::Sector>{kSectors[1], kSectors[3]}));
    QVERIFY(folder->memory().toWrite(imageOf(0), {kSectors[0]})->empty());
}

void CarFolderTest::everythingIsThereAfterReopening() {
    {
        auto folder = *CarFolder::create(files_, path_, "car");
        const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
        EXPECT_OK(folder->rounds().setFuelError(original.id, 12.5));
        RecordingEntry entry;
        entry.round = original.id;
        entry.file = "a.mf4";
        entry.title = "Town";
        entry.duration_s = 60;
        entry.samples = 6000;
        EXPECT_OK(folder->recordings().add(entry));
        EXPECT_FAILS(folder->recordings().add(entry), "could not keep the recording");  // one file, one entry
        EXPECT_OK(folder->settings().set("link", "bench"));
    }
    // At rest it is one file: a copy of it alone is the whole.
    QVERIFY(!files_.exists(path_ / "car.sqlite-wal"));
    const auto folder = CarFolder::open(files_, path_);
    EXPECT_OK(folder);
    QCOMPARE(*(*(*folder)->rounds().all())[0].fuelError_pct, 12.5);
    QCOMPARE((*folder)->recordings().of((*(*folder)->rounds().original())->id)->size(), size_t{1});
    QCOMPARE((*(*folder)->rounds().all())[0].recordings, 1);
    QCOMPARE(*(*folder)->settings().get("link"), std::string("bench"));
    QCOMPARE(*(*folder)->settings().get("never set"), std::string());
}

void CarFolderTest::foldersThatAreNoneAreSaidAndLeftAlone_data() {
    QTest::addColumn<QByteArray>("database");
    QTest::addColumn<QByteArray>("part");
    QTest::newRow("no database") << QByteArray("-") << QByteArray("holds no car.sqlite");
    QTest::newRow("not a database") << QByteArray("this is no database at all, but a long enough text to be looked at")
                                    << QByteArray("can't be read");
    QTest::newRow("empty file") << QByteArray("") << QByteArray("is empty. Make the car folder there anew");
}

void CarFolderTest::foldersThatAreNoneAreSaidAndLeftAlone() {
    QFETCH(QByteArray, database);
    QFETCH(QByteArray, part);
    EXPECT_OK(files_.makeFolder(path_));
    if (database != "-") EXPECT_OK(files_.save(path_ / "car.sqlite", bytesOf(database.toStdString())));
    EXPECT_FAILS(CarFolder::open(files_, path_), part.toStdString());
    QStringList left = QDir(qs(path_.string())).entryList(QDir::Files);
    left.removeAll("car.lock");
    QCOMPARE(left, database == "-" ? QStringList{} : QStringList{"car.sqlite"});
    if (database != "-") QCOMPARE(readText((path_ / "car.sqlite").string()), database.toStdString());
    EXPECT_FAILS(CarFolder::open(files_, path_ / "nowhere"), "There is no folder");
}

void CarFolderTest::aFolderFromANewerBruskIsRefused() {
    EXPECT_OK(CarFolder::create(files_, path_, "car"));
    QProcess sqlite;
    sqlite.start(
        "python3",
        {"-c", "import sqlite3,sys\nd=sqlite3.connect(sys.argv[1])\nd.execute('PRAGMA user_version = 99')\nd.commit()",
         qs((path_ / "car.sqlite").string())});
    QVERIFY(sqlite.waitForFinished() && sqlite.exitCode() == 0);
    EXPECT_FAILS(CarFolder::open(files_, path_), "written by a newer Brusk (format 99)");
}

void CarFolderTest::aFolderOfAnOlderFormatIsBroughtUpWithACopyKept_data() {
    QTest::addColumn<int>("format");
    QTest::newRow("format 1") << 1;
    QTest::newRow("format 2") << 2;
    QTest::newRow("format 3") << 3;
}

void CarFolderTest::aFolderOfAnOlderFormatIsBroughtUpWithACopyKept() {
    QFETCH(int, format);
    const std::string name = "car.format" + std::to_string(format) + ".sqlite";
    EXPECT_OK(files_.makeFolder(path_));
    const std::string sample = readText(BRUSK_SOURCE_DIR "/tests/core/samples/" + name);
    EXPECT_OK(files_.save(path_ / "car.sqlite", bytesOf(sample)));
    for (int opening = 0; opening < 2; ++opening) {
        const auto folder = CarFolder::open(files_, path_);
        EXPECT_OK(folder);
        const auto rounds = *(*folder)->rounds().all();
        QCOMPARE(rounds.size(), size_t{2});
        QVERIFY(rounds[0].title == "Base" && rounds[0].fuelError_pct == 3.5 && rounds[0].rights.empty());
        QCOMPARE((*folder)->memory().contents(kSectors)->round, std::optional(rounds[0].id));
        EXPECT_OK((*folder)->rounds().image(rounds[1].id));
        QVERIFY(!*(*folder)->memory().lastFlash());
        EXPECT_OK((*folder)->rounds().setRights(rounds[0].id, "{}"));
        EXPECT_OK((*folder)->rounds().setRights(rounds[0].id, ""));
        const auto history = (*folder)->rounds().edits(rounds[0].id);
        EXPECT_OK(history);
        QVERIFY(!history->canUndo());
        // What format 4 adds: the sheet that was kept is the one that all was made on.
        const auto sheet = (*folder)->settings().sheet();
        const auto driven = (*folder)->recordings().of(rounds[0].id);
        QCOMPARE(sheet->version, int64_t{format == 3 ? 1 : 0});
        QCOMPARE(rounds[0].sheet, sheet->version);
        QCOMPARE(driven->size(), size_t{format == 3 ? 1u : 0u});
        if (format == 3) {
            QVERIFY(sheet->facts.find("620") != std::string::npos);
            QVERIFY((*driven)[0].imageSha256 == rounds[0].imageSha256 && (*driven)[0].sheet == 1);
            QVERIFY((*driven)[0].title == "Town" && (*driven)[0].gaps == 1);
        }
        QCOMPARE(*(*folder)->settings().get("build_sheet"), std::string());
    }
    // The old one is beside it, as it was, and can still be looked at.
    QVERIFY(files_.exists(path_ / name));
    QProcess sqlite;
    sqlite.start("python3", {"-c",
                             "import sqlite3,sys\nd=sqlite3.connect(sys.argv[1])\nprint(d.execute('PRAGMA "
                             "user_version').fetchone()[0], d.execute('SELECT COUNT(*) FROM round').fetchone()[0])",
                             qs((path_ / name).string())});
    QVERIFY(sqlite.waitForFinished());
    QCOMPARE(QString(sqlite.readAllStandardOutput()).trimmed(), QString("%1 2").arg(format));
}

void CarFolderTest::editsOutliveTheProgramAndCanBeUndone() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    const auto draft = *folder->rounds().add(original.id, imageOf(0), "draft", "");
    EXPECT_OK(folder->rounds().addEdit(draft.id, editOf("first", 0x1000, 0, 1)));
    EXPECT_OK(folder->rounds().addEdit(draft.id, editOf("second", 0x1001, 0, 2)));
    EXPECT_OK(folder->rounds().addEdit(draft.id, editOf("third", 0x1000, 1, 3)));
    EXPECT_OK(folder->rounds().editUndone(draft.id));
    EXPECT_OK(folder->rounds().editUndone(draft.id));
    EXPECT_OK(folder->rounds().editRedone(draft.id));
    folder.reset();
    folder = std::move(*CarFolder::open(files_, path_));
    auto history = folder->rounds().edits(draft.id);
    EXPECT_OK(history);
    QCOMPARE(history->undoName(), std::string("second"));
    QCOMPARE(history->redoName(), std::string("third"));
    QCOMPARE(history->done().size(), size_t{2});
    // What was done and not yet saved with the image is there again.
    const auto image = folder->rounds().image(draft.id);
    EXPECT_OK(image);
    QCOMPARE((*image)->bytes(0x1000, 2)->front(), uint8_t{1});
    QCOMPARE((*image)->bytes(0x1001, 1)->front(), uint8_t{2});
    // A new edit forgets what was undone.
    EXPECT_OK(folder->rounds().addEdit(draft.id, editOf("other", 0x1002, 0, 9)));
    QVERIFY(!folder->rounds().edits(draft.id)->canRedo());
    QVERIFY(!folder->rounds().edits(original.id)->canUndo());
}

void CarFolderTest::aDraftIsBroughtToItsEditsAfterACrashAnywhere() {
    // The image may have been saved after any of the edits and before the program died.
    std::vector<calibration::Edit> edits;
    for (uint8_t i = 0; i < 6; ++i)
        edits.push_back(editOf("edit " + std::to_string(i), 0x1000 + i % 2, i < 2 ? 0 : i - 1, i + 1));
    for (size_t saved = 0; saved <= edits.size(); ++saved)
        for (int undone = 0; undone <= 3; ++undone) {
            QTemporaryDir place;
            const storage::Path path = storage::Path(place.path().toStdString()) / "car";
            auto folder = std::move(*CarFolder::create(files_, path, "car"));
            const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
            const auto draft = *folder->rounds().add(original.id, imageOf(0), "draft", "");
            image::Image image = imageOf(0);
            for (size_t i = 0; i < edits.size(); ++i) {
                if (i == saved) EXPECT_OK(folder->rounds().updateDraft(draft.id, image));
                EXPECT_OK(folder->rounds().addEdit(draft.id, edits[i]));
                EXPECT_OK(image.overwrite(edits[i].changes[0].address, edits[i].changes[0].after));
            }
            if (saved == edits.size()) EXPECT_OK(folder->rounds().updateDraft(draft.id, image));
            for (int i = 0; i < undone; ++i) {
                EXPECT_OK(folder->rounds().editUndone(draft.id));
                const auto& change = edits[edits.size() - 1 - static_cast<size_t>(i)].changes[0];
                EXPECT_OK(image.overwrite(change.address, change.before));
            }
            folder.reset();
            folder = std::move(*CarFolder::open(files_, path));
            QVERIFY(**folder->rounds().image(draft.id) == image);
        }
}

void CarFolderTest::aFlashThatDidNotEndIsRemembered() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    EXPECT_OK(folder->memory().holds(imageOf(0), kSectors));
    const auto one = *folder->rounds().add(original.id, imageOf(1), "one", "");
    const auto flash = folder->memory().flashBegun(one.id, "changed", 4, "");
    EXPECT_OK(flash);
    EXPECT_OK(folder->memory().step(kSectors[0], image::SectorStep::Erase));
    EXPECT_OK(folder->memory().step(kSectors[0], image::SectorStep::Verified, *imageOf(1).bytes(0x1000, 16)));
    EXPECT_OK(folder->memory().step(kSectors[1], image::SectorStep::Erase));
    EXPECT_OK(folder->memory().step(kSectors[1], image::SectorStep::Write));
    folder.reset();  // the program is gone
    folder = std::move(*CarFolder::open(files_, path_));
    auto contents = *folder->memory().contents(kSectors);
    QVERIFY(!contents.round && contents.unknown.size() == 1 && contents.unknown[0].sector == kSectors[1]);
    QVERIFY(contents.unknown[0].step == image::SectorStep::Write);
    QVERIFY(contents.unfinished && contents.unfinished->round == one.id && contents.unfinished->endedAt.empty());
    QVERIFY(contents.sectorsOfUnfinished == 1 && contents.sectors == 4);
    // Found out from the car itself.
    EXPECT_OK(folder->memory().found(kSectors[1], *imageOf(0).bytes(0x1010, 16)));
    QVERIFY(folder->memory().contents(kSectors)->unknown.empty());
    EXPECT_OK(folder->memory().flashEnded(*flash, "done"));
    QVERIFY(!folder->memory().contents(kSectors)->unfinished);
}

void CarFolderTest::piecesOfAReadAreKept() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    EXPECT_OK(folder->memory().keepPiece(0x1000, Bytes(32, 1)));
    EXPECT_OK(folder->memory().keepPiece(0x1020, Bytes(32, 2)));
    EXPECT_OK(folder->memory().keepPiece(0x1008, Bytes(8, 3)));  // read again
    folder.reset();
    folder = std::move(*CarFolder::open(files_, path_));
    const auto pieces = folder->memory().keptPieces();
    EXPECT_OK(pieces);
    QCOMPARE(pieces->size(), uint64_t{64});
    QVERIFY((*pieces->bytes(0x1008, 1))[0] == 3 && (*pieces->bytes(0x1010, 1))[0] == 1);
    EXPECT_OK(folder->memory().forgetPieces());
    QVERIFY(folder->memory().keptPieces()->empty());
}

void CarFolderTest::packedImagesRoundTripAndDamageIsSaid() {
    image::Image image = imageOf(3);
    EXPECT_OK(image.add(0xFFFF0000, Bytes(1000, 1)));
    Bytes packed = packImage(image);
    QVERIFY(*unpackImage(packed) == image);
    for (size_t at = 0; at < packed.size(); ++at) {
        Bytes damaged = packed;
        damaged[at] ^= 0x10;
        const auto read = unpackImage(damaged);
        if (!read)
            QVERIFY(read.error().message.find("damaged") != std::string::npos ||
                    read.error().code != ErrorCode::BadInput);
    }
    EXPECT_FAILS(unpackImage(Bytes{1, 2}), "damaged");
}

void CarFolderTest::buildSheetsAndIdentitiesRoundTrip() {
    proposals::BuildSheet sheet;
    double number = 1;
    for (const auto& kind : proposals::factKinds())
        for (const bool fitted : {false, true})
            sheet.of(kind.fact, fitted) = number += 0.25;
    sheet.of(proposals::Fact::Ethanol).reset();
    sheet.deadTimes = {{8, 1700}, {14, 995}};
    sheet.loadModel = proposals::LoadModel::Both;
    sheet.wish = proposals::Wish::Quiet;
    sheet.notes = "3-inch exhaust";
    const auto again = job::buildSheetFromJson(job::toJson(sheet));
    EXPECT_OK(again);
    QVERIFY(*again == sheet);
    // Sheets of before knew only what is fitted, under other names.
    const auto earlier = job::buildSheetFromJson(
        R"({"injector_flow_cm3min": 620, "fuel_pressure_kPa": 350, "ethanol_pct": 10, "pressure_sensor":
            {"low_volts": 0.4, "low_kPa": 20, "high_volts": 4.65, "high_kPa": 350}})");
    EXPECT_OK(earlier);
    QCOMPARE(*earlier->of(proposals::Fact::InjectorFlow), 620.0);
    QCOMPARE(*earlier->of(proposals::Fact::SensorHighPressure), 350.0);
    EXPECT_FAILS(job::buildSheetFromJson(R"({"load_model": "by guess"})"), "load_model");
    proposals::Decisions decisions{{"tyres", {false, 0.5, 1.25}}, {"fans", {}}};
    const auto decided = job::decisionsFromJson(job::toJson(decisions));
    EXPECT_OK(decided);
    QVERIFY(!decided->at("tyres").accepted && *decided->at("tyres").number == 1.25 && decided->at("fans").accepted);
    EXPECT_FAILS(job::decisionsFromJson("[1"), "can't be read");
    EXPECT_OK(job::buildSheetFromJson(""));
    EXPECT_FAILS(job::buildSheetFromJson("{\"dead_times\": [{\"volts\": 1}]}"), "can't be read");
    link::Identity identity;
    identity.values = {{"vin", "X"}, {"serial", "Y"}};
    QCOMPARE(job::identityFromJson(job::toJson(identity))->at("serial"), std::string("Y"));
    EXPECT_FAILS(job::identityFromJson(""), "not identified yet");
}

void CarFolderTest::whoComesSecondLooksAndMayTakeOver() {
    auto first = std::move(*CarFolder::create(files_, path_, "car"));
    const auto original = *first->rounds().storeOriginal(imageOf(0), "");
    auto second = CarFolder::open(files_, path_);
    EXPECT_OK(second);
    QVERIFY(first->mayWrite() && !(*second)->mayWrite());
    QVERIFY((*second)->whyNot().find("process " + std::to_string(QCoreApplication::applicationPid())) !=
            std::string::npos);
    QCOMPARE((*second)->rounds().all()->size(), size_t{1});
    EXPECT_FAILS((*second)->rounds().add(original.id, imageOf(1), "one", ""), "another Brusk works in this folder");
    // Looking keeps nobody out, and sees what the first does.
    EXPECT_OK(first->rounds().add(original.id, imageOf(1), "one", ""));
    QCOMPARE((*second)->rounds().all()->size(), size_t{2});
    first.reset();
    second->reset();
    const auto again = CarFolder::open(files_, path_);
    QVERIFY((*again)->mayWrite());
}

void CarFolderTest::aFolderWhoseMakingWasCutOffCanBeMadeAnew() {
    // What a death may leave at any point: folders alone, a database half made beside, an empty one in place.
    for (const char* left : {"", "car.sqlite.making", "car.sqlite"}) {
        QTemporaryDir place;
        const storage::Path path = storage::Path(place.path().toStdString()) / "car";
        EXPECT_OK(files_.makeFolder(path / "recordings"));
        if (*left) EXPECT_OK(files_.save(path / left, Bytes{}));
        QVERIFY(!CarFolder::isThere(files_, path));
        const auto made = CarFolder::create(files_, path, "car");
        EXPECT_OK(made);
        QCOMPARE(*(*made)->settings().get("car_name"), std::string("car"));
        QVERIFY(!files_.exists(path / "car.sqlite.making"));
        EXPECT_FAILS(CarFolder::create(files_, path, "car"), "is a car folder already");
    }
}

void CarFolderTest::aDamagedPageIsASentence() {
    {
        auto folder = std::move(*CarFolder::create(files_, path_, "car"));
        const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
        for (int i = 0; i < 200; ++i)
            EXPECT_OK(folder->memory().note("a line of the journal that fills pages " + std::to_string(i)));
        EXPECT_OK(folder->rounds().add(original.id, imageOf(1), "one", ""));
    }
    const Bytes whole = *files_.read(path_ / "car.sqlite");
    int sentences = 0;
    for (size_t page = 1; page * 4096 < whole.size(); ++page) {
        Bytes damaged = whole;
        std::fill_n(damaged.begin() + static_cast<long>(page * 4096), 4096, uint8_t{0xA5});
        QTemporaryDir place;
        const storage::Path path = storage::Path(place.path().toStdString());
        EXPECT_OK(files_.save(path / "car.sqlite", damaged));
        const auto opened = CarFolder::open(files_, path);
        const auto told = [&](const auto& result) {
            if (result) return;
            ++sentences;
            QVERIFY2(result.error().message.find("is damaged") != std::string::npos, result.error().message.c_str());
        };
        told(opened);
        if (!opened) continue;
        told((*opened)->rounds().all());
        told((*opened)->memory().journal(1000));
        told((*opened)->memory().contents(kSectors));
        told((*opened)->settings().get("car_name"));
        told((*opened)->settings().set("x", "y"));
    }
    QVERIFY(sentences > 3);
}

void CarFolderTest::aPipeInPlaceOfTheDatabaseIsSaid() {
    EXPECT_OK(files_.makeFolder(path_));
    QCOMPARE(::mkfifo((path_ / "car.sqlite").c_str(), 0600), 0);
    EXPECT_FAILS(CarFolder::open(files_, path_), "is not a file");
    EXPECT_FAILS(files_.read(path_ / "car.sqlite"), "is not a file");
}

void CarFolderTest::whileACarWaitsTheDatabaseIsWaitedFor() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    QProcess holder;
    holder.start("python3", {"-c",
                             "import sqlite3,sys,time\nd=sqlite3.connect(sys.argv[1])\nd.execute('BEGIN IMMEDIATE')\n"
                             "print('held',flush=True)\ntime.sleep(4)\nd.rollback()",
                             qs((path_ / "car.sqlite").string())});
    QVERIFY(holder.waitForReadyRead());
    // What may be tried again later says so; what a car waits for is waited for.
    EXPECT_FAILS(folder->settings().set("a", "b"), "another program holds its car.sqlite");
    EXPECT_OK(folder->memory().step(kSectors[0], image::SectorStep::Erase));
    QVERIFY(holder.waitForFinished());
}

void CarFolderTest::recordingsThatADeadProgramLeftAreTakenIn() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    const auto one = *folder->rounds().add(original.id, imageOf(1), "one", "");
    RecordingEntry begun;
    begun.round = original.id;
    begun.file = "begun.mf4";
    begun.state = RecordingState::Open;
    EXPECT_OK(folder->recordings().add(begun));
    EXPECT_OK(recording::saveMdf4(files_, folder->recordings().path("begun.mf4"), driveOf(original, 201)));
    EXPECT_OK(recording::saveMdf4(files_, folder->recordings().path("unknown.mf4"), driveOf(one, 101)));
    Round stranger = one;
    stranger.imageSha256 = std::string(64, 'f');
    EXPECT_OK(recording::saveMdf4(files_, folder->recordings().path("stranger.mf4"), driveOf(stranger, 11)));
    EXPECT_OK(files_.save(folder->recordings().path("broken.mf4"), bytesOf("this is no recording")));
    folder.reset();  // the program died
    folder = std::move(*CarFolder::open(files_, path_));
    QCOMPARE(folder->news().size(), size_t{4});
    const auto all = *folder->recordings().all();
    QCOMPARE(all.size(), size_t{3});
    QVERIFY(all[0].file == "begun.mf4" && all[0].state == RecordingState::Recovered && all[0].samples == 201);
    QCOMPARE(all[0].duration_s, 2.0);
    QVERIFY(all[1].file == "stranger.mf4" && !all[1].round);
    QVERIFY(all[2].file == "unknown.mf4" && all[2].round == one.id && all[2].title == "Town");
    QCOMPARE(folder->recordings().of(one.id)->size(), size_t{1});
    // Once is enough; what can't be read stays where it is, and is said again.
    folder.reset();
    folder = std::move(*CarFolder::open(files_, path_));
    QCOMPARE(folder->recordings().all()->size(), size_t{3});
    QCOMPARE(folder->news().size(), size_t{1});
    QVERIFY(files_.exists(folder->recordings().path("broken.mf4")));
}

void CarFolderTest::sheetsHaveVersionsThatRoundsAndRecordingsName() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    QCOMPARE(folder->settings().sheet()->version, int64_t{0});
    QCOMPARE(*folder->settings().keepSheet("{\"a\":1}"), int64_t{1});
    QCOMPARE(*folder->settings().keepSheet("{\"a\":2}"), int64_t{1});  // nothing was made on it yet
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    QCOMPARE(original.sheet, int64_t{1});
    QCOMPARE(*folder->settings().keepSheet("{\"a\":2}"), int64_t{1});  // it says the same
    QCOMPARE(*folder->settings().keepSheet("{\"a\":3}"), int64_t{2});
    RecordingEntry entry;
    entry.round = original.id;
    entry.file = "a.mf4";
    QCOMPARE(folder->recordings().add(entry)->sheet, int64_t{2});
    QCOMPARE(folder->settings().sheet(1)->facts, std::string("{\"a\":2}"));
    QCOMPARE(folder->rounds().add(original.id, imageOf(1), "one", "", "{\"kind\":\"base\"}")->sheet, int64_t{2});
    EXPECT_FAILS(folder->settings().sheet(9), "no such version");
}

void CarFolderTest::conditionsOfADriveAreKept() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    RecordingEntry entry;  // an imported one, bound to no round
    entry.file = "a.mf4";
    entry.conditions.fuel = "RON 98";
    entry.conditions.ethanol_pct = 10;
    const auto added = folder->recordings().add(entry);
    EXPECT_OK(added);
    Conditions changed = added->conditions;
    changed.where = "road";
    changed.note = "\xFF no text";  // whatever somebody pastes
    EXPECT_OK(folder->recordings().setConditions(added->id, changed));
    const auto kept = (*folder->recordings().all())[0];
    QVERIFY(!kept.round && kept.conditions.ethanol_pct == 10.0 && kept.conditions.where == "road");
    QCOMPARE(kept.conditions.fuel, std::string("RON 98"));
    EXPECT_FAILS(folder->recordings().setConditions(99, changed), "no such recording");
}

void CarFolderTest::aPartOfAnImageBindsTheSameRound() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    const auto original = *folder->rounds().storeOriginal(imageOf(0), "");
    const auto one = *folder->rounds().add(original.id, withSector(imageOf(0), 2, 9), "one", "");
    const std::vector<NamedArea> areas{{"application", 0x1000, 0x20}, {"calibration", 0x1020, 0x20}};
    EXPECT_OK(folder->rounds().nameAreas(original.id, areas));
    EXPECT_OK(folder->rounds().nameAreas(one.id, areas));
    const auto ofOriginal = *folder->rounds().areas(original.id), ofOne = *folder->rounds().areas(one.id);
    QCOMPARE(ofOriginal[0], ofOne[0]);  // the application is the same
    QVERIFY(ofOriginal[1] != ofOne[1]);
    QCOMPARE((*folder->rounds().ofImage(ofOne[1].second))->id, one.id);
    QCOMPARE((*folder->rounds().ofImage(original.imageSha256))->id, original.id);
    QVERIFY(!*folder->rounds().ofImage(std::string(64, '0')));
}

void CarFolderTest::theOriginalSurvivesADeathBetweenFileAndLedger() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    const Bytes hex = *image::writeImage(imageOf(7), image::Format::IntelHex);
    EXPECT_OK(files_.save(path_ / "original.hex", hex));
    EXPECT_OK(files_.makeReadOnly(path_ / "original.hex"));
    EXPECT_OK(folder->rounds().storeOriginal(imageOf(8), ""));  // another car's bytes were there: kept, not overwritten
    QCOMPARE(*files_.read(path_ / "original-of-a-read-that-was-cut-off.hex"), hex);
    QVERIFY(*image::readImage(*files_.read(path_ / "original.hex"), image::Format::IntelHex) == imageOf(8));
}

void CarFolderTest::aFolderThatWasDeletedWhileOpenIsSaid() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    EXPECT_OK(folder->rounds().storeOriginal(imageOf(0), ""));
    EXPECT_OK(files_.removeFolder(path_));
    EXPECT_FAILS(folder->settings().set("a", "b"), "Was the folder moved or deleted?");
    EXPECT_FAILS(folder->memory().step(kSectors[0], image::SectorStep::Erase), "moved or deleted");
    QVERIFY(!files_.exists(path_));  // nothing was made anew where it had been
}

QTEST_APPLESS_MAIN(CarFolderTest)
#include "CarFolderTest.moc"
