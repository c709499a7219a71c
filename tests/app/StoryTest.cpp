// The whole job through the real window, with mouse and keys on real widgets.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QCheckBox>
#include <QComboBox>
#include <QListWidget>
#include <QSlider>
#include <QSpinBox>
#include <QTreeWidget>

#include "Expect.h"
#include "Story.h"
#include "app/desks/CarInHand.h"
#include "app/desks/ControllerDesk.h"
#include "app/desks/DriveDesk.h"
#include "app/link/LinkParts.h"
#include "app/stations/correct/CorrectStation.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/MapGrid.h"
#include "benchcar/VirtualBus.h"
#include "core/image/ImageFile.h"
#include "core/job/Correct.h"

using namespace brusk;
using namespace brusk::app;

class StoryTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void theWholeJobThroughTheWindow();
    void mapsAreFoundEditedAndUndoneByKeyboard();
    void editsOnAFlashedRoundBeginADraftAndAreKept();
    void whatWasFlashedIsNotUndone();
    void valuesBeyondTheirLimitsAreSaidAndNotStored();
    void switchesAndTextsAreEdited();
    void theBarOfOperationsWorksByMouse();
    void strengthAndLayersOfTheCorrection();
    void reviewShowsTheMomentsBehindACell();
    void theFootprintFollowsTheEngine();
    void theOperatorChangesWeatherFuelAndFaultsWhileItDrives();
    void theDriverVisitsWhatTheRoundHasNotSeen();
    void theCalibrationIsExported();
    void theLedgerSelectsByMouseAndKeys();
    void stationsAreReachedByKeyboard();
    void bothThemesAreComplete();
    void aFolderThatIsNoneIsSaidAndNothingChanges();
    void aLinkNobodyListensOnIsSaid();
    void theFolderOpensAgainWhereItWasLeft();
    void withoutACarEveryStationSaysWhatToDo();
    void aBuildSheetThatCantBeReadIsSaidAndKept();
    void aVinThatIsNoTextIsShown();
};

void StoryTest::initTestCase() {
    Theme::instance().loadFonts();
    Theme::instance().setDark(false);
}

void StoryTest::theWholeJobThroughTheWindow() {
    Story story;
    Desks& desks = story.desks();
    QVERIFY(story.begin());
    QCOMPARE(story.selected()->number, 0);
    QVERIFY(story.folder().files().exists(story.folder().path() / "original.hex"));
    QVERIFY(story.drive());
    QVERIFY(story.makeBase());
    QVERIFY(story.flash());
    QVERIFY(carHoldsRound(desks, story.selected()->id));
    QVERIFY(story.drive());
    QVERIFY(story.correct());
    QVERIFY(story.flash());
    QVERIFY(story.drive());
    const auto& rounds = story.rounds();
    QCOMPARE(rounds.size(), size_t{3});
    // How far fuel was off is computed beside the window, after the drive.
    for (size_t i = 0; i < rounds.size(); ++i)
        QTRY_VERIFY_WITH_TIMEOUT(story.rounds()[i].fuelError_pct, 20000);
    qInfo("fuel off by %.1f %%, %.1f %%, %.1f %%", *rounds[2].fuelError_pct, *rounds[1].fuelError_pct,
          *rounds[0].fuelError_pct);
    QVERIFY(*rounds[2].fuelError_pct > 18);
    QVERIFY(*rounds[1].fuelError_pct < 10);
    QVERIFY(*rounds[0].fuelError_pct < 2);
    QVERIFY(*desks.car.contents.round == rounds[0].id);
    QVERIFY(carHoldsRound(desks, rounds[0].id));
    QVERIFY(!carHoldsRound(desks, rounds[1].id));
    auto* inTheCar = story.window().findChild<QLabel*>("inTheCar");
    QCOMPARE(inTheCar->text(), "The car runs round 2, as the ledger says.");
}

void StoryTest::mapsAreFoundEditedAndUndoneByKeyboard() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Maps");
    auto* finder = story.find<QLineEdit>("finder");
    QVERIFY(finder->hasFocus());
    QTest::keyClicks(finder, "inject flow");
    auto* tree = story.find<QTreeView>("parameterTree");
    QCOMPARE(tree->model()->index(0, 0).data().toString(), "Injector flow");
    QTest::keyClick(finder, Qt::Key_Return);
    QCOMPARE(story.find<QLabel>("parameterName")->text(), "Injector flow");
    auto* grid = story.find<MapGrid>("mapGrid");
    typeInto(grid, "620");
    QCOMPARE(*story.calibration()->value("injector_flow"), 620.0);
    typeInto(grid, "-5%");
    QCOMPARE(*story.calibration()->value("injector_flow"), 589.0);
    QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(*story.calibration()->value("injector_flow"), 620.0);
    QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(*story.calibration()->value("injector_flow"), 380.0);
    QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QCOMPARE(*story.calibration()->value("injector_flow"), 620.0);

    finder->clear();
    QTest::keyClicks(finder, "how full");
    QTest::keyClick(finder, Qt::Key_Return);
    const auto before = story.calibration()->read("ve_map");
    QTest::keyClick(grid, Qt::Key_Right);
    QTest::keyClick(grid, Qt::Key_Down);
    QTest::keyClick(grid, Qt::Key_Right, Qt::ShiftModifier);
    QTest::keyClick(grid, Qt::Key_Down, Qt::ShiftModifier);
    QCOMPARE(grid->selectedCells(), (std::vector<size_t>{17, 18, 33, 34}));
    typeInto(grid, "+2");
    const auto after = story.calibration()->read("ve_map");
    for (size_t i = 0; i < after->values.size(); ++i) {
        const bool chosen = i == 17 || i == 18 || i == 33 || i == 34;
        QVERIFY(std::abs(after->values[i] - before->values[i] - (chosen ? 2 : 0)) < 0.006);
    }
    QTest::keyClick(grid, 'x');
    auto* editor = grid->findChild<QLineEdit*>("cellEditor");
    QTest::keyClick(editor, Qt::Key_Escape);  // Escape leaves everything as it is
    QVERIFY(story.calibration()->read("ve_map")->values == after->values);
    QTest::keyClick(grid, Qt::Key_A, Qt::ControlModifier);
    QCOMPARE(grid->selectedCells().size(), size_t{224});
}

void StoryTest::editsOnAFlashedRoundBeginADraftAndAreKept() {
    QTemporaryDir folder;
    const QString path = folder.filePath("car");
    {
        Story story(path);
        QVERIFY(story.begin());
        auto* grid = story.openParameter("rev limit");
        typeInto(grid, "6400");
        QCOMPARE(story.selected()->number, 1);
        QVERIFY(story.selected()->state == carfolder::RoundState::Draft);
        typeInto(grid, "6300");
        QCOMPARE(story.rounds().size(), size_t{2});  // the same draft goes on
    }
    Story again(path);
    QCOMPARE(again.rounds().size(), size_t{2});
    again.select(again.rounds()[0].id);
    QCOMPARE(*again.calibration()->value("rev_limit"), 6300.0);
    again.select(again.rounds()[1].id);
    QCOMPARE(*again.calibration()->value("rev_limit"), 6700.0);
}

void StoryTest::whatWasFlashedIsNotUndone() {
    Story story;
    Desks& desks = story.desks();
    QVERIFY(story.begin());
    typeInto(story.openParameter("rev limit"), "6400");
    QVERIFY(story.flash());
    const int64_t flashed = story.selected()->id;
    auto* grid = story.openParameter("rev limit");
    QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(*story.calibration()->value("rev_limit"), 6400.0);
    typeInto(grid, "6200");
    QVERIFY(story.selected()->id != flashed && story.selected()->state == carfolder::RoundState::Draft);
    story.saveNow();
    QVERIFY(carHoldsRound(desks, flashed));  // the round in the car still is what it was
    QVERIFY(*desks.car.contents.round == flashed);
}

void StoryTest::valuesBeyondTheirLimitsAreSaidAndNotStored() {
    Story story;
    QVERIFY(story.begin());
    auto* grid = story.openParameter("rev limit");
    typeInto(grid, "99000");
    QVERIFY(story.message().contains("beyond its limits, 1000 to 9000"));
    typeInto(grid, "+x");
    QVERIFY(story.message().contains("is not a number"));
    QCOMPARE(story.rounds().size(), size_t{1});
}

void StoryTest::switchesAndTextsAreEdited() {
    Story story;
    QVERIFY(story.begin());
    typeInto(story.openParameter("P0172"), "0");
    QCOMPARE(story.calibration()->read("diag_rich")->text, std::string("off"));
    QCOMPARE(story.calibration()->read("diag_lean")->text, std::string("on"));
    story.openParameter("calibration id");
    auto* text = story.find<QLineEdit>("textValue");
    QVERIFY(text);
    text->selectAll();
    QTest::keyClicks(text, "HERON-STAGE-1");
    QTest::keyClick(text, Qt::Key_Return);
    QCOMPARE(story.calibration()->read("calibration_id")->text, std::string("HERON-STAGE-1"));
}

void StoryTest::theBarOfOperationsWorksByMouse() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Maps");
    auto* grid = story.find<MapGrid>("mapGrid");
    QTest::mouseClick(grid, Qt::LeftButton, {}, grid->cellCentre(2, 3));
    QTest::mouseClick(grid, Qt::LeftButton, Qt::ShiftModifier, grid->cellCentre(3, 5));
    QCOMPARE(grid->selectedCells().size(), size_t{6});
    const double before = story.calibration()->read("ve_map")->at(2, 3);
    QVERIFY(story.click("scale"));
    QVERIFY(story.message().contains("Type an amount"));
    QTest::keyClicks(story.find<QLineEdit>("amount"), "1.10");
    QVERIFY(story.click("scale"));
    QVERIFY(std::abs(story.calibration()->read("ve_map")->at(2, 3) - before * 1.10) < 0.006);
    QVERIFY(story.click("undo"));
    QCOMPARE(story.calibration()->read("ve_map")->at(2, 3), before);
    QVERIFY(story.click("redo"));
    QVERIFY(story.calibration()->read("ve_map")->at(2, 3) > before * 1.09);
    QVERIFY(!story.find<QPushButton>("redo")->isEnabled());
}

void StoryTest::strengthAndLayersOfTheCorrection() {
    Story story;
    QVERIFY(story.begin() && story.makeBase() && story.flash() && story.drive(2));
    story.goTo("Correct");
    auto* button = story.window().findChild<QPushButton*>("makeRound");
    QTRY_VERIFY_WITH_TIMEOUT(button->isEnabled(), 20000 * kSlower);
    // Which kind is worth most depends on the drive.
    QVERIFY(story.openKind("air"));
    auto* grid = story.find<MapGrid>("correctionGrid");
    QVERIFY(grid);
    // What a layout was given shows a turn of the loop later.
    QTRY_VERIFY(story.find<QSlider>("setting.strength"));
    auto* strength = story.find<QSlider>("setting.strength");
    const auto full = grid->contents().values;
    strength->setFocus();
    QTest::keyClick(strength, Qt::Key_Home);  // down to its least, 10 %
    QTRY_VERIFY(grid->contents().values != full);
    double largest = 0, weak = 0;
    for (size_t i = 0; i < full.size(); ++i)
        largest = std::max(largest, std::abs(full[i])), weak = std::max(weak, std::abs(grid->contents().values[i]));
    QVERIFY2(std::abs(weak / largest - 0.1) < 0.03, qPrintable(QString("%1 of %2").arg(weak).arg(largest)));
    QTest::keyClick(strength, Qt::Key_End);
    QTRY_VERIFY(grid->contents().values == full);
    for (int layer = 0; layer < 4; ++layer) {
        QVERIFY(story.click(qPrintable(QString("layerButton%1").arg(layer))));
        QCOMPARE(grid->contents().values.size(), size_t{224});
    }
    QVERIFY(grid->contents().values[100] > 20);  // the result is the map itself
    QVERIFY(story.find<QLabel>("errorNow")->text().contains("%"));
}

void StoryTest::reviewShowsTheMomentsBehindACell() {
    Story story;
    QVERIFY(story.begin() && story.drive(4));
    story.goTo("Review");
    QTRY_VERIFY_WITH_TIMEOUT(story.find<MapGrid>("cellView"), 20000 * kSlower);
    auto* cells = story.find<MapGrid>("cellView");
    auto* lanes = story.find<LaneView>("reviewLanes");
    QTRY_VERIFY(lanes->to() > 50);
    // The idle's cell: the one with most samples.
    auto* what = story.find<QComboBox>("cellShown");
    what->setFocus();
    QTest::keyClick(what, Qt::Key_Down);
    QCOMPARE(what->currentText(), "samples");
    const auto& counts = cells->contents().values;
    const auto busiest = static_cast<int>(std::max_element(counts.begin(), counts.end()) - counts.begin());
    QTest::mouseClick(cells, Qt::LeftButton, {}, cells->cellCentre(busiest / 16, busiest % 16));
    QVERIFY(lanes->cursor().has_value());
    QTest::mouseClick(lanes, Qt::LeftButton, {}, QPoint(200, 40));
    const double at = *lanes->cursor();
    QTest::keyClick(lanes, Qt::Key_Right);
    QVERIFY(*lanes->cursor() > at);
    const double whole = lanes->to() - lanes->from();
    QTest::keyClick(lanes, Qt::Key_Plus);
    QVERIFY(lanes->to() - lanes->from() < 0.8 * whole);
    QTest::keyClick(lanes, Qt::Key_Home);
    QVERIFY(lanes->to() > 50);
}

void StoryTest::theFootprintFollowsTheEngine() {
    Story story;
    Desks& desks = story.desks();
    QVERIFY(story.begin());
    story.goTo("Drive");
    auto* lapse = story.find<QComboBox>("timeLapse");
    lapse->setFocus();
    QTest::keyClick(lapse, Qt::Key_Home);
    QTest::keyClick(lapse, Qt::Key_Down);
    QTest::keyClick(lapse, Qt::Key_Down);
    QVERIFY(story.click("record"));
    QTRY_VERIFY_WITH_TIMEOUT(desks.drive.role("engine_speed") > 600, 10000 * kSlower);
    QVERIFY(!std::isnan(desks.drive.role("lambda_measured")));
    QVERIFY(story.window().findChild<QPushButton*>("record")->text() == "Stop recording");
    story.goTo("Maps");
    QTest::qWait(300);
    auto* grid = story.find<MapGrid>("mapGrid");
    // With the footprint drawn the grid looks different from the grid without it.
    const QImage with = grid->grab().toImage();
    grid->setHere(std::nullopt);
    QVERIFY(with != grid->grab().toImage());
    story.goTo("Drive");
    QVERIFY(story.click("record"));
    QVERIFY(story.settle());
    QVERIFY(story.message().contains("Recorded"));
    QCOMPARE(story.folder().recordings().of(story.selected()->id)->size(), size_t{1});
}

void StoryTest::theCalibrationIsExported() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Deliver");
    QVERIFY(story.click("export_hex"));
    const auto said = [&](const char* name) {
        const auto* text = story.find<QLabel>("exported");
        return text && text->text().contains(name);
    };
    QTRY_VERIFY(said("round0.hex"));
    // The filled button does the same while nobody is to be sealed to; nothing is overwritten.
    QVERIFY(story.click("deliverPrimary"));
    QTRY_VERIFY(said("round0-2.hex"));
    const auto bytes = story.folder().files().read(story.folder().path() / "exports" / "round0-2.hex");
    EXPECT_OK(bytes);
    QVERIFY(*image::readImage(*bytes, image::Format::IntelHex) ==
            **story.folder().rounds().image(story.selected()->id));
}

void StoryTest::theLedgerSelectsByMouseAndKeys() {
    Story story;
    QVERIFY(story.begin() && story.makeBase());
    auto* ledger = story.window().ledger();
    QTest::mouseClick(ledger, Qt::LeftButton, {}, ledger->rowCentre(0));
    QCOMPARE(story.selected()->number, 0);
    QTest::keyClick(ledger, Qt::Key_Up);
    QCOMPARE(story.selected()->number, 1);
    QTest::keyClick(ledger, Qt::Key_Down);
    QCOMPARE(story.selected()->number, 0);
    QTest::keyClick(&story.window(), Qt::Key_B, Qt::ControlModifier);
    QVERIFY(ledger->collapsed() && ledger->width() == 56);
    QTest::mouseClick(ledger, Qt::LeftButton, {}, ledger->rowCentre(1));
    QCOMPARE(story.selected()->number, 1);
}

void StoryTest::stationsAreReachedByKeyboard() {
    Story story;
    const char* names[] = {"Car", "Base", "Maps", "Drive", "Review", "Correct", "Flash", "Deliver"};
    for (int i = 7; i >= 0; --i) {
        QTest::keyClick(&story.window(), static_cast<Qt::Key>(Qt::Key_1 + i), Qt::AltModifier);
        QVERIFY2(story.window().station(names[i])->isVisible(), names[i]);
    }
}

void StoryTest::bothThemesAreComplete() {
    Story story;
    for (const bool dark : {true, false}) {
        QTest::keyClick(&story.window(), Qt::Key_D, Qt::ControlModifier);
        QCOMPARE(tokens().dark, dark);
        const QImage picture = story.window().grab().toImage();
        // Between a station's title and its button.
        const QColor ground = picture.pixelColor(700, 72);
        QCOMPARE(ground.name(), tokens().ground.name());
    }
}

void StoryTest::aFolderThatIsNoneIsSaidAndNothingChanges() {
    Story story;
    QVERIFY(story.begin());
    QTemporaryDir empty;
    EXPECT_FAILS(story.open(empty.path().toStdString()), "is not a car folder");
    QVERIFY(story.selected() && story.linkIsOpen());
    QVERIFY(QDir(empty.path()).isEmpty());
}

void StoryTest::aLinkNobodyListensOnIsSaid() {
    Story story;
    story.goTo("Car");
    auto* choice = story.find<QComboBox>("linkChoice");
    choice->setFocus();
    QTest::keyClick(choice, Qt::Key_End);
    auto* path = story.find<QLineEdit>("socketPath");
    QVERIFY(path);
    QTest::keyClicks(path, "/tmp/brusk-nobody-is-here");
    QVERIFY(story.click("carPrimary"));
    QVERIFY(story.message().contains("Nobody listens on /tmp/brusk-nobody-is-here"));
    QVERIFY(story.linkState() == LinkState::Lost);
    QVERIFY(story.find<QPushButton>("carPrimary")->isEnabled());  // it can be tried again
}

void StoryTest::theFolderOpensAgainWhereItWasLeft() {
    QTemporaryDir folder;
    const QString path = folder.filePath("car");
    {
        Story story(path);
        QVERIFY(story.begin() && story.makeBase() && story.flash());
    }
    Story again(path);
    QCOMPARE(again.selected()->number, 1);  // what is in the car
    QVERIFY(again.calibration());
    again.hurry();
    QVERIFY(again.connectBenchCar());
    // The bench car kept its flash: reading it says what the ledger says.
    QVERIFY(again.read());
    QVERIFY(again.message().contains("The car holds round 1, as the ledger says"));
}

void StoryTest::aBuildSheetThatCantBeReadIsSaidAndKept() {
    QTemporaryDir folder;
    const QString path = folder.filePath("car");
    const std::string facts = "{\"from\": \"a newer Brusk\"";
    {
        Story story(path);
        EXPECT_OK(story.folder().settings().keepSheet(facts));
    }
    Story again(path);
    QVERIFY2(again.message().contains("build sheet can't be read"), qPrintable(again.message()));
    proposals::BuildSheet typed;
    typed.of(proposals::Fact::Ethanol) = 10;
    again.setSheet(typed);
    QVERIFY(again.message().contains("nothing is kept over it"));
    QCOMPARE(again.folder().settings().sheet()->facts, facts);
}

void StoryTest::aVinThatIsNoTextIsShown() {
    const std::string vin = std::string("M\xDCLLER") + '\x02' + std::string("7\xFF\xFF", 3);
    benchcar::BenchCar car;
    const auto flash = car.memory().flash();
    const size_t at = benchcar::map::kVin - benchcar::map::kFlash;
    std::fill_n(flash.begin() + static_cast<long>(at), benchcar::map::kVinSize, uint8_t{0xFF});
    std::copy(vin.begin(), vin.end(), flash.begin() + static_cast<long>(at));
    Story story;
    EXPECT_OK(
        story.folder().files().save(story.folder().path() / "benchcar.flash", ByteSpan(flash.data(), flash.size())));
    QVERIFY(story.begin());
    QString all;
    for (const QLabel* text : story.window().station("Car")->findChildren<QLabel*>())
        all += text->text() + "\n";
    QVERIFY2(all.contains(QString::fromUtf8("M\u00dcLLER\uFFFD7")), qPrintable(all));
    QVERIFY(QString::fromStdString(story.rounds().front().note).contains(QString::fromUtf8("M\u00dcLLER\uFFFD7")));
}

void StoryTest::withoutACarEveryStationSaysWhatToDo() {
    Story story;
    for (const char* name : {"Base", "Maps", "Drive", "Review", "Correct", "Flash", "Deliver"}) {
        story.goTo(name);
        QString all;
        for (const QLabel* text : story.window().station(name)->findChildren<QLabel*>())
            if (text->isVisible()) all += text->text() + " ";
        QVERIFY2(all.contains("read", Qt::CaseInsensitive) || all.contains("connect", Qt::CaseInsensitive), name);
        for (const auto* primary : story.window().station(name)->findChildren<QPushButton*>())
            if (primary->property("primary").toBool() && primary->isVisible()) QVERIFY2(!primary->isEnabled(), name);
    }
}

void StoryTest::theOperatorChangesWeatherFuelAndFaultsWhileItDrives() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Drive");
    auto* octane = story.find<QDoubleSpinBox>("fuelOctane");
    auto* temperature = story.find<QDoubleSpinBox>("weatherTemperature");
    for (const auto& [box, text] : {std::pair{octane, "95"}, {temperature, "35"}}) {
        box->setFocus();
        box->selectAll();
        QTest::keyClicks(box, text);
        QTest::keyClick(box, Qt::Key_Return);
    }
    QCOMPARE(story.desks().drive.benchOrders().octane_RON, 95.0);
    QCOMPARE(story.desks().drive.benchOrders().temperature_C, 35.0);
    // The idle route at twenty times as fast lasts five seconds; the fault comes in the middle of it.
    auto* route = story.find<QComboBox>("route");
    route->setFocus();
    QTest::keyClick(route, Qt::Key_Home);
    for (int i = 0; i < 4; ++i)
        QTest::keyClick(route, Qt::Key_Down);
    QVERIFY(story.click("record"));
    QTRY_VERIFY_WITH_TIMEOUT(story.desks().drive.live().time_s > 20, 20000 * kSlower);
    auto* faults = story.find<QListWidget>("faults");
    QVERIFY(faults->isEnabled());
    auto* coolant = faults->findItems("Coolant sensor dead", Qt::MatchExactly).value(0);
    QVERIFY(coolant);
    faults->setFocus();
    faults->setCurrentItem(coolant);
    QTest::keyClick(faults, Qt::Key_Space);
    QCOMPARE(story.find<QLabel>("faultCount")->text(), "1 on");
    QVERIFY(story.settle(60000));
    story.desks().controller.readCodes(false);
    QVERIFY(story.settle(20000));
    const auto& codes = story.desks().controller.codes();
    QVERIFY(std::any_of(codes.begin(), codes.end(), [](const auto& code) { return code.code.code == 0x011800; }));
    QTest::keyClick(faults, Qt::Key_Space);
    QCOMPARE(story.find<QLabel>("faultCount")->text(), "none");
}

void StoryTest::theDriverVisitsWhatTheRoundHasNotSeen() {
    Story story;
    // On the base for the parts: with the stock calibration the engine reads its own pressure wrong.
    QVERIFY(story.begin() && story.makeBase() && story.flash());
    auto& desks = story.desks();
    const int64_t round = *desks.car.contents.round;
    const auto missing = [&] { return job::unseenNodes(*desks.car.kit, story.folder(), round)->size(); };
    const size_t before = missing();
    QVERIFY(story.drive(static_cast<int>(routeChoices().size()) - 1));
    const size_t after = missing();
    qInfo("cells not seen: %zu before the drive, %zu after", before, after);
    QVERIFY(before > 80 && after < before / 3);
}

QTEST_MAIN(StoryTest)
#include "StoryTest.moc"
