// The car folder: rounds, the original's protection, what is in the car, and folders that are none.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>

#include "Expect.h"
#include "core/carfolder/CarFolder.h"
#include "core/carfolder/Schema.h"
#include "core/image/ImageFile.h"
#include "core/job/Garage.h"

using namespace brusk;
using namespace brusk::carfolder;

namespace {

image::Image imageOf(uint8_t fill) {
    image::Image image;
    if (!image.add(0x1000, Bytes(64, fill))) qFatal("no image");
    return image;
}

const std::vector<link::Sector> kSectors{{0x1000, 16}, {0x1010, 16}, {0x1020, 16}, {0x1030, 16}};

image::Image withSector(const image::Image& base, size_t sector, uint8_t fill) {
    image::Image image = base;
    if (!image.overwrite(kSectors[sector].start, Bytes(16, fill))) qFatal("no sector");
    return image;
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
    QCOMPARE((*folder)->carName(), std::string("Heron 1.6 T"));
    QVERIFY((*folder)->rounds().empty() && !(*folder)->original());
    QVERIFY(!(*folder)->contents(kSectors).everKnown);
    EXPECT_FAILS(CarFolder::create(files_, path_, "again"), "is a car folder already");
}

void CarFolderTest::theOriginalIsKeptTwiceAndNeverReplaced() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto round = folder->storeOriginal(imageOf(7), "first read");
    EXPECT_OK(round);
    QCOMPARE(round->number, 0);
    QVERIFY(round->state == RoundState::Original);
    const auto hex = files_.read(path_ / "original.hex");
    EXPECT_OK(hex);
    QVERIFY(*image::readImage(*hex, image::Format::IntelHex) == imageOf(7));
    QVERIFY(!(QFile::permissions(qs((path_ / "original.hex").string())) & QFile::WriteOwner));
    EXPECT_FAILS(folder->storeOriginal(imageOf(8), ""), "never overwritten");
    EXPECT_FAILS(folder->updateDraft(round->id, imageOf(8)), "Only a draft");
    QVERIFY(**folder->image(round->id) == imageOf(7));
}

void CarFolderTest::theOriginalCannotBeChangedEvenBehindOurBack() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->storeOriginal(imageOf(7), "");
    EXPECT_OK(folder->markFlashed(original.id));  // flashing it back is fine; its state and bytes stay
    QVERIFY(folder->original()->state == RoundState::Original);
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
    QVERIFY(**folder->image(original.id) == imageOf(7));
}

void CarFolderTest::roundsKeepTheirImagesAndBranch() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->storeOriginal(imageOf(0), "");
    const auto one = *folder->addRound(original.id, imageOf(1), "one", "why");
    const auto two = *folder->addRound(one.id, imageOf(2), "two", "");
    const auto branch = *folder->addRound(original.id, imageOf(3), "branch", "");
    QCOMPARE(branch.number, 3);
    QCOMPARE(*branch.parent, original.id);
    QVERIFY(**folder->image(one.id) == imageOf(1) && **folder->image(two.id) == imageOf(2));
    const auto rounds = folder->rounds();
    QCOMPARE(rounds.size(), size_t{4});
    QCOMPARE(rounds.front().title, std::string("branch"));  // newest first
    EXPECT_OK(folder->renameRound(one.id, "renamed", "note"));
    QCOMPARE(folder->round(one.id)->title, std::string("renamed"));
    EXPECT_FAILS(folder->round(999), "no such round");
}

void CarFolderTest::onlyDraftsCanBeEdited() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->storeOriginal(imageOf(0), "");
    const auto draft = *folder->addRound(original.id, imageOf(1), "one", "");
    EXPECT_OK(folder->updateDraft(draft.id, imageOf(9)));
    QVERIFY(**folder->image(draft.id) == imageOf(9));
    EXPECT_OK(folder->markFlashed(draft.id));
    EXPECT_FAILS(folder->updateDraft(draft.id, imageOf(5)), "Only a draft");
    QVERIFY(**folder->image(draft.id) == imageOf(9));
    QVERIFY(!folder->round(draft.id)->flashedAt.empty());
}

void CarFolderTest::aRoundThatWasBuiltOnIsFixed() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->storeOriginal(imageOf(0), "");
    const auto one = *folder->addRound(original.id, imageOf(1), "one", "");
    QVERIFY(folder->addRound(one.id, imageOf(2), "two", "").has_value());
    EXPECT_FAILS(folder->updateDraft(one.id, imageOf(5)), "Only a draft");
}

void CarFolderTest::whatIsInTheCarFollowsTheJournal() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->storeOriginal(imageOf(0), "");
    EXPECT_OK(folder->carHolds(imageOf(0), kSectors));
    QCOMPARE(*folder->contents(kSectors).round, original.id);
    const image::Image changed = withSector(imageOf(0), 2, 9);
    const auto one = *folder->addRound(original.id, changed, "one", "");
    EXPECT_OK(folder->sectorStep(kSectors[2], link::SectorStep::Erase));
    QCOMPARE(folder->contents(kSectors).unknown.size(), size_t{1});
    QVERIFY(!folder->contents(kSectors).round);
    EXPECT_OK(folder->sectorStep(kSectors[2], link::SectorStep::Verified, *changed.bytes(0x1020, 16)));
    QCOMPARE(*folder->contents(kSectors).round, one.id);
    const auto journal = folder->journal(2);
    QVERIFY(journal[0].what.find("0x001020: verified") != std::string::npos);
    QVERIFY(journal[1].what.find("0x001020: erasing") != std::string::npos);
}

void CarFolderTest::aFlashedRoundIsPreferredAmongEqualOnes() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const auto original = *folder->storeOriginal(imageOf(0), "");
    const auto one = *folder->addRound(original.id, imageOf(1), "one", "");
    EXPECT_OK(folder->carHolds(imageOf(1), kSectors));
    EXPECT_OK(folder->markFlashed(one.id));
    QVERIFY(folder->addRound(one.id, imageOf(1), "an equal draft", "").has_value());
    QCOMPARE(*folder->contents(kSectors).round, one.id);
}

void CarFolderTest::onlySectorsThatDifferOrAreUnknownAreWritten() {
    auto folder = *CarFolder::create(files_, path_, "car");
    const image::Image changed = withSector(imageOf(0), 1, 5);
    QCOMPARE(folder->sectorsToWrite(changed, kSectors).size(), size_t{4});  // nothing is known yet
    EXPECT_OK(folder->carHolds(imageOf(0), kSectors));
    QCOMPARE(folder->sectorsToWrite(changed, kSectors), (std::vector<link::Sector>{kSectors[1]}));
    EXPECT_OK(folder->sectorStep(kSectors[3], link::SectorStep::Erase));
    QCOMPARE(folder->sectorsToWrite(changed, kSectors), (std::vector<link::Sector>{kSectors[1], kSectors[3]}));
    QVERIFY(folder->sectorsToWrite(imageOf(0), {kSectors[0]}).empty());
}

void CarFolderTest::everythingIsThereAfterReopening() {
    {
        auto folder = *CarFolder::create(files_, path_, "car");
        const auto original = *folder->storeOriginal(imageOf(0), "");
        EXPECT_OK(folder->setFuelError(original.id, 12.5));
        RecordingEntry entry;
        entry.round = original.id;
        entry.file = "a.mf4";
        entry.title = "Town";
        entry.duration_s = 60;
        entry.samples = 6000;
        EXPECT_OK(folder->addRecording(entry));
        EXPECT_FAILS(folder->addRecording(entry), "could not keep the recording");  // one file, one entry
        EXPECT_OK(folder->setSetting("link", "bench"));
    }
    const auto folder = CarFolder::open(files_, path_);
    EXPECT_OK(folder);
    QCOMPARE(*(*folder)->rounds()[0].fuelError_pct, 12.5);
    QCOMPARE((*folder)->recordings((*folder)->original()->id).size(), size_t{1});
    QCOMPARE((*folder)->rounds()[0].recordings, 1);
    QCOMPARE((*folder)->setting("link"), std::string("bench"));
    QCOMPARE((*folder)->setting("never set"), std::string());
}

void CarFolderTest::foldersThatAreNoneAreSaidAndLeftAlone_data() {
    QTest::addColumn<QByteArray>("database");
    QTest::addColumn<QByteArray>("part");
    QTest::newRow("no database") << QByteArray("-") << QByteArray("holds no car.sqlite");
    QTest::newRow("not a database") << QByteArray("this is no database at all, but a long enough text to be looked at")
                                    << QByteArray("can't be read");
    QTest::newRow("empty file") << QByteArray("") << QByteArray("belongs to another program");
}

void CarFolderTest::foldersThatAreNoneAreSaidAndLeftAlone() {
    QFETCH(QByteArray, database);
    QFETCH(QByteArray, part);
    EXPECT_OK(files_.makeFolder(path_));
    if (database != "-") EXPECT_OK(files_.save(path_ / "car.sqlite", bytesOf(database.toStdString())));
    EXPECT_FAILS(CarFolder::open(files_, path_), part.toStdString());
    const QStringList left = QDir(qs(path_.string())).entryList(QDir::Files);
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
        const auto rounds = (*folder)->rounds();
        QCOMPARE(rounds.size(), size_t{2});
        QVERIFY(rounds[0].title == "Base" && rounds[0].fuelError_pct == 3.5 && rounds[0].rights.empty());
        QCOMPARE((*folder)->contents(kSectors).round, std::optional(rounds[0].id));
        EXPECT_OK((*folder)->image(rounds[1].id));
        QVERIFY(!(*folder)->lastFlash());
        EXPECT_OK((*folder)->setRights(rounds[0].id, "{}"));
        EXPECT_OK((*folder)->setRights(rounds[0].id, ""));
        const auto history = (*folder)->edits(rounds[0].id);
        EXPECT_OK(history);
        QVERIFY(!history->canUndo());
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

namespace {

calibration::Edit editOf(const std::string& name, uint32_t address, uint8_t before, uint8_t after) {
    return {name, {{address, {before}, {after}}}, 0};
}

}  // namespace

void CarFolderTest::editsOutliveTheProgramAndCanBeUndone() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    const auto original = *folder->storeOriginal(imageOf(0), "");
    const auto draft = *folder->addRound(original.id, imageOf(0), "draft", "");
    EXPECT_OK(folder->addEdit(draft.id, editOf("first", 0x1000, 0, 1)));
    EXPECT_OK(folder->addEdit(draft.id, editOf("second", 0x1001, 0, 2)));
    EXPECT_OK(folder->addEdit(draft.id, editOf("third", 0x1000, 1, 3)));
    EXPECT_OK(folder->editUndone(draft.id));
    EXPECT_OK(folder->editUndone(draft.id));
    EXPECT_OK(folder->editRedone(draft.id));
    folder.reset();
    folder = std::move(*CarFolder::open(files_, path_));
    auto history = folder->edits(draft.id);
    EXPECT_OK(history);
    QCOMPARE(history->undoName(), std::string("second"));
    QCOMPARE(history->redoName(), std::string("third"));
    QCOMPARE(history->done().size(), size_t{2});
    // What was done and not yet saved with the image is there again.
    const auto image = folder->image(draft.id);
    EXPECT_OK(image);
    QCOMPARE((*image)->bytes(0x1000, 2)->front(), uint8_t{1});
    QCOMPARE((*image)->bytes(0x1001, 1)->front(), uint8_t{2});
    // A new edit forgets what was undone.
    EXPECT_OK(folder->addEdit(draft.id, editOf("other", 0x1002, 0, 9)));
    QVERIFY(!folder->edits(draft.id)->canRedo());
    QVERIFY(!folder->edits(original.id)->canUndo());
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
            const auto original = *folder->storeOriginal(imageOf(0), "");
            const auto draft = *folder->addRound(original.id, imageOf(0), "draft", "");
            image::Image image = imageOf(0);
            for (size_t i = 0; i < edits.size(); ++i) {
                if (i == saved) EXPECT_OK(folder->updateDraft(draft.id, image));
                EXPECT_OK(folder->addEdit(draft.id, edits[i]));
                EXPECT_OK(image.overwrite(edits[i].changes[0].address, edits[i].changes[0].after));
            }
            if (saved == edits.size()) EXPECT_OK(folder->updateDraft(draft.id, image));
            for (int i = 0; i < undone; ++i) {
                EXPECT_OK(folder->editUndone(draft.id));
                const auto& change = edits[edits.size() - 1 - static_cast<size_t>(i)].changes[0];
                EXPECT_OK(image.overwrite(change.address, change.before));
            }
            folder.reset();
            folder = std::move(*CarFolder::open(files_, path));
            QVERIFY(**folder->image(draft.id) == image);
        }
}

void CarFolderTest::aFlashThatDidNotEndIsRemembered() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    const auto original = *folder->storeOriginal(imageOf(0), "");
    EXPECT_OK(folder->carHolds(imageOf(0), kSectors));
    const auto one = *folder->addRound(original.id, imageOf(1), "one", "");
    const auto flash = folder->flashBegun(one.id, "changed", 4, "");
    EXPECT_OK(flash);
    EXPECT_OK(folder->sectorStep(kSectors[0], link::SectorStep::Erase));
    EXPECT_OK(folder->sectorStep(kSectors[0], link::SectorStep::Verified, *imageOf(1).bytes(0x1000, 16)));
    EXPECT_OK(folder->sectorStep(kSectors[1], link::SectorStep::Erase));
    EXPECT_OK(folder->sectorStep(kSectors[1], link::SectorStep::Write));
    folder.reset();  // the program is gone
    folder = std::move(*CarFolder::open(files_, path_));
    auto contents = folder->contents(kSectors);
    QVERIFY(!contents.round && contents.unknown.size() == 1 && contents.unknown[0].sector == kSectors[1]);
    QVERIFY(contents.unknown[0].step == link::SectorStep::Write);
    QVERIFY(contents.unfinished && contents.unfinished->round == one.id && contents.unfinished->endedAt.empty());
    QVERIFY(contents.sectorsOfUnfinished == 1 && contents.sectors == 4);
    // Found out from the car itself.
    EXPECT_OK(folder->sectorFound(kSectors[1], *imageOf(0).bytes(0x1010, 16)));
    QVERIFY(folder->contents(kSectors).unknown.empty());
    EXPECT_OK(folder->flashEnded(*flash, "done"));
    QVERIFY(!folder->contents(kSectors).unfinished);
}

void CarFolderTest::piecesOfAReadAreKept() {
    auto folder = std::move(*CarFolder::create(files_, path_, "car"));
    EXPECT_OK(folder->keepPiece(0x1000, Bytes(32, 1)));
    EXPECT_OK(folder->keepPiece(0x1020, Bytes(32, 2)));
    EXPECT_OK(folder->keepPiece(0x1008, Bytes(8, 3)));  // read again
    folder.reset();
    folder = std::move(*CarFolder::open(files_, path_));
    const auto pieces = folder->keptPieces();
    EXPECT_OK(pieces);
    QCOMPARE(pieces->size(), uint64_t{64});
    QVERIFY((*pieces->bytes(0x1008, 1))[0] == 3 && (*pieces->bytes(0x1010, 1))[0] == 1);
    EXPECT_OK(folder->forgetPieces());
    QVERIFY(folder->keptPieces()->empty());
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

QTEST_APPLESS_MAIN(CarFolderTest)
#include "CarFolderTest.moc"
