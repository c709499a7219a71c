// The whole job through the real window, with mouse and keys on real widgets.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <QCheckBox>
#include <QComboBox>
#include <QElapsedTimer>
#include <QListWidget>
#include <QSignalSpy>
#include <QSlider>
#include <QSpinBox>
#include <QTableView>
#include <QTableWidget>
#include <QToolButton>
#include <QTreeWidget>

#include "Expect.h"
#include "Story.h"
#include "app/stations/correct/CorrectStation.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/MapGrid.h"
#include "core/image/ImageFile.h"

using namespace brusk;
using namespace brusk::app;

namespace {

/// The bench car's flash, as it stands in the folder after the last flash.
Bytes benchFlash(Session& session) {
    const auto bytes = session.folder()->files().read(session.folder()->path() / "benchcar.flash");
    return bytes.value_or(Bytes{});
}

bool carHoldsRound(Session& session, int64_t round) {
    const auto image = *session.folder()->image(round);
    const auto wanted = image->bytes(0x800000, 0x100000);
    const Bytes held = benchFlash(session);
    return wanted && held.size() == wanted->size() && std::equal(held.begin(), held.end(), wanted->begin());
}

void typeInto(MapGrid* grid, const char* text) {
    QTest::keyClick(grid, text[0]);
    auto* editor = grid->findChild<QLineEdit*>("cellEditor");
    QVERIFY(editor && editor->isVisible());
    QTest::keyClicks(editor, text + 1);
    QTest::keyClick(editor, Qt::Key_Return);
}

}  // namespace

class StoryTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void theWholeJobThroughTheWindow();
    void aFlashWhoseCableIsPulledIsSaidAndTheSameButtonFinishesIt();
    void aStoppedReadGoesOn();
    void theWindowStaysAliveWhileTheLinkWorks();
    void theWindowStaysAliveWhileACableIsPulledInMidRead();
    void aSilentControllerNeverHoldsTheWindow();
    void gatesAreShownWithWhatSettlesThem();
    void theScopeOfAFlashIsChosen();
    void theTrafficIsShownInWordsAndSaved();
    void theCarIsComparedWithTheLedger();
    void aCarNoProfileKnowsIsReadByObd();
    void anotherSoftwareIsSaidAndBlocksUntilTheSerialIsTyped();
    void mapsAreFoundEditedAndUndoneByKeyboard();
    void editsOnAFlashedRoundBeginADraftAndAreKept();
    void whatWasFlashedIsNotUndone();
    void valuesBeyondTheirLimitsAreSaidAndNotStored();
    void switchesAndTextsAreEdited();
    void theBarOfOperationsWorksByMouse();
    void proposalsCanBeLeftOut();
    void strengthAndLayersOfTheCorrection();
    void reviewShowsTheMomentsBehindACell();
    void theRingFollowsTheEngine();
    void troubleCodesAreReadAndCleared();
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
};

void StoryTest::initTestCase() {
    Theme::instance().loadFonts();
    Theme::instance().setDark(false);
}

void StoryTest::theWholeJobThroughTheWindow() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin());
    QCOMPARE(session.selected()->number, 0);
    QVERIFY(session.folder()->files().exists(session.folder()->path() / "original.hex"));
    QVERIFY(story.drive());
    QVERIFY(story.makeBase());
    QVERIFY(story.flash());
    QVERIFY(carHoldsRound(session, session.selected()->id));
    QVERIFY(story.drive());
    QVERIFY(story.correct());
    QVERIFY(story.flash());
    QVERIFY(story.drive());
    const auto& rounds = session.rounds();
    QCOMPARE(rounds.size(), size_t{3});
    qInfo("fuel off by %.1f %%, %.1f %%, %.1f %%", *rounds[2].fuelError_pct, *rounds[1].fuelError_pct,
          *rounds[0].fuelError_pct);
    QVERIFY(*rounds[2].fuelError_pct > 18);
    QVERIFY(*rounds[1].fuelError_pct < 10);
    QVERIFY(*rounds[0].fuelError_pct < 2);
    QVERIFY(*session.carContents().round == rounds[0].id);
    QVERIFY(carHoldsRound(session, rounds[0].id));
    QVERIFY(!carHoldsRound(session, rounds[1].id));
    auto* inTheCar = story.window().findChild<QLabel*>("inTheCar");
    QCOMPARE(inTheCar->text(), "The car runs round 2, as the ledger says.");
}

void StoryTest::aFlashWhoseCableIsPulledIsSaidAndTheSameButtonFinishesIt() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin() && story.makeBase());
    story.goTo("Flash");
    QVERIFY(story.settle());
    session.setTimeLapse(1);
    QTRY_VERIFY(story.find<QPushButton>("flash")->isEnabled());
    QVERIFY(story.click("flash") && story.click("confirmFlash"));
    QTRY_VERIFY_WITH_TIMEOUT(session.progress().step.find("Writing") == 0, 10000);
    story.goTo("Car");
    QVERIFY(story.click("cable"));
    QVERIFY(story.settle());
    QVERIFY2(
        story.message().contains("The flash stopped at sector") && story.message().contains("Flash again to finish it"),
        qPrintable(story.message()));
    QVERIFY(session.linkState() == LinkState::Lost);
    QVERIFY(story.window().findChild<QLabel*>("inTheCar")->text().contains("The flash of round 1 was interrupted"));
    QVERIFY(!carHoldsRound(session, session.selected()->id));
    story.hurry();
    QVERIFY(story.click("cable"));
    QVERIFY(story.settle());
    QVERIFY(session.linkState() == LinkState::Open);
    QVERIFY(story.flash());
    QVERIFY(carHoldsRound(session, session.selected()->id));
    QVERIFY(story.window().findChild<QLabel*>("inTheCar")->text().contains("The car runs round 1"));
}

void StoryTest::aStoppedReadGoesOn() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.connectBenchCar());
    session.setTimeLapse(5);
    story.goTo("Car");
    QVERIFY(story.click("carPrimary"));
    QTRY_VERIFY_WITH_TIMEOUT(session.progress().done > 100000, 20000);
    QVERIFY(story.click("carPrimary"));  // it says "Stop reading" now
    QVERIFY(story.settle());
    QVERIFY(story.message().contains("Stopped as you asked"));
    QVERIFY(session.rounds().empty());
    story.hurry();
    QVERIFY(story.read());
    QVERIFY(session.selected()->state == carfolder::RoundState::Original);
}

namespace {

/// Watches the event loop: how often it turned, and its longest pause.
class Heartbeat {
  public:
    Heartbeat() {
        QObject::connect(&timer_, &QTimer::timeout, &timer_, [this] {
            longest_ms = std::max(longest_ms, since_.restart());
            ++beats;
        });
        since_.start();
        timer_.start(5);
    }
    int beats = 0;
    qint64 longest_ms = 0;

  private:
    QTimer timer_;
    QElapsedTimer since_;
};

}  // namespace

void StoryTest::theWindowStaysAliveWhileTheLinkWorks() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.connectBenchCar());
    session.setTimeLapse(20);
    story.goTo("Car");
    // Were the link waited for on this thread, there would be no beats.
    Heartbeat heart;
    QVERIFY(story.click("carPrimary"));
    QVERIFY(story.settle());
    qInfo("%d beats while reading, the longest pause %lld ms", heart.beats, static_cast<long long>(heart.longest_ms));
    QVERIFY(heart.beats > 20);
}

void StoryTest::theWindowStaysAliveWhileACableIsPulledInMidRead() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.connectBenchCar());
    session.setTimeLapse(1);  // real time: a whole read takes half a minute
    story.goTo("Car");
    Heartbeat heart;
    QVERIFY(story.click("carPrimary"));
    QTRY_VERIFY(session.progress().done > 20000);
    QVERIFY(story.click("cable"));
    QVERIFY(story.settle());
    QVERIFY(session.linkState() == LinkState::Lost);
    QTest::qWait(100);
    // Pulled again while the controller is asked, and the link closed while an answer is waited for.
    QVERIFY(story.click("cable") && story.settle());
    QVERIFY(story.click("carPrimary"));
    QTRY_VERIFY(session.busy());
    session.disconnectLink();
    QVERIFY(session.linkState() == LinkState::Closed);
    QTest::qWait(100);
    qInfo("%d beats, the longest pause %lld ms", heart.beats, static_cast<long long>(heart.longest_ms));
    QVERIFY(heart.beats > 50);
}

void StoryTest::aSilentControllerNeverHoldsTheWindow() {
    // A bus with nobody on it: each question is waited for in vain.
    QTemporaryDir temporary;
    const std::string path = temporary.filePath("bus").toStdString();
    const int listener = ::socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0);
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    std::copy(path.begin(), path.end(), address.sun_path);
    QCOMPARE(::bind(listener, reinterpret_cast<const sockaddr*>(&address), sizeof address), 0);
    QCOMPARE(::listen(listener, 1), 0);
    Story story;
    Session& session = story.session();
    Heartbeat heart;
    session.connectLink("unix:" + QString::fromStdString(path));
    QTRY_VERIFY(session.busy());
    QTest::qWait(200);
    QVERIFY(session.busy());
    QElapsedTimer closing;
    closing.start();
    session.disconnectLink();
    const qint64 closed_ms = closing.elapsed();
    QTest::qWait(100);
    ::close(listener);
    qInfo("closed in %lld ms; %d beats, the longest pause %lld ms", static_cast<long long>(closed_ms), heart.beats,
          static_cast<long long>(heart.longest_ms));
    QVERIFY(heart.beats > 20 && session.linkState() == LinkState::Closed);
}

void StoryTest::gatesAreShownWithWhatSettlesThem() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin());
    auto* grid = story.openParameter("rev_limit");
    typeInto(grid, "7400");
    story.goTo("Flash");
    QTRY_VERIFY(story.find<QPushButton>("flash")->isEnabled());
    auto* warns = story.find<QLabel>("gateWarns");
    QVERIFY(warns && warns->text() == "Limits");
    // What the warning is about is one click away.
    QVERIFY(story.click("gateRemedy"));
    QTRY_VERIFY(story.find<MapGrid>("mapGrid")->isVisible());
    QCOMPARE(story.find<QLabel>("parameterName")->text(), "Rev limit");
    // The warning is repeated where the flash is confirmed.
    story.goTo("Flash");
    QTRY_VERIFY(story.find<QPushButton>("flash")->isEnabled());
    QVERIFY(story.click("flash"));
    QVERIFY(story.find<QLabel>("confirmText")->text().contains("Limits: Rev limit goes from 6700 to 7400 rpm"));
    QVERIFY(story.click("declineFlash"));
    // Without a link nobody can be asked: the gate blocks, and leads to where it is mended.
    session.disconnectLink();
    QTRY_VERIFY(story.find<QLabel>("gateBlocks"));
    QVERIFY(!story.find<QPushButton>("flash")->isEnabled());
    QVERIFY(story.click("gateRemedy"));
    QVERIFY(story.window().station("Car")->isVisible());
}

void StoryTest::theScopeOfAFlashIsChosen() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Flash");
    auto* button = story.find<QPushButton>("flash");
    QTRY_COMPARE(button->text(), "In the car already");
    auto* scope = story.find<QComboBox>("flashScope");
    scope->setFocus();
    QTest::keyClick(scope, Qt::Key_Down);
    QTRY_COMPARE(button->text(), "Flash 16 sectors");
    QTRY_VERIFY(button->isEnabled());
    QVERIFY(story.click("flash") && story.click("confirmFlash") && story.settle());
    QVERIFY2(story.message().contains("16 sectors written and read back"), qPrintable(story.message()));
    QVERIFY(story.find<QLabel>("lastFlash")->text().contains("times the theoretical least"));
}

void StoryTest::theTrafficIsShownInWordsAndSaved() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin() && story.makeBase() && story.flash());
    auto* table = story.find<QTableView>("traffic");
    const auto lines = [&](const QString& words) {
        int n = 0;
        for (int i = 0; i < table->model()->rowCount(); ++i)
            n += table->model()->index(i, 3).data().toString().startsWith(words);
        return n;
    };
    QTRY_VERIFY(lines("RequestDownload 0x") >= 2);
    QVERIFY(lines("RoutineControl 0xFF00 at 0x008C0000") == 1 && lines("TransferData 1, 4093 bytes") >= 2);
    QVERIFY(lines("RoutineControl pending") >= 2);
    QVERIFY(lines("other frame") == 0);
    story.find<QCheckBox>("trafficOthers")->click();
    QTRY_VERIFY(lines("other frame") > 0);
    QVERIFY(story.click("saveTraffic"));
    QTRY_VERIFY(story.message().startsWith("The traffic is in "));
    const QDir exports(QString::fromStdString((session.folder()->path() / "exports").string()));
    const auto names = exports.entryList({"traffic-*.log"});
    QCOMPARE(names.size(), 1);
    const auto log = link::readCandump(readText(exports.filePath(names[0]).toStdString().c_str()));
    EXPECT_OK(log);
    QCOMPARE(log->frames.size(), session.traffic()->frames().size());
}

void StoryTest::theCarIsComparedWithTheLedger() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Car");
    QVERIFY(story.click("compareLedger") && story.settle());
    QVERIFY2(story.message().contains("The car holds what the ledger says"), qPrintable(story.message()));
    QVERIFY(story.click("readCalibration") && story.settle());
    QVERIFY2(story.message().contains("The car holds round 0, as the ledger says. 256 KiB in"),
             qPrintable(story.message()));
    QVERIFY(story.find<QLabel>("busState")->text().contains("500 kbit/s"));
}

void StoryTest::aCarNoProfileKnowsIsReadByObd() {
    QTemporaryDir nothing;
    Story story({}, nothing.path());
    Session& session = story.session();
    story.hurry();
    QVERIFY(story.connectBenchCar());
    QVERIFY(session.obdCar());
    QCOMPARE(story.find<QPushButton>("carPrimary")->text(), "Ask the car again");
    auto* values = story.find<QTableWidget>("obdValues");
    QTRY_VERIFY(values->rowCount() > 15);
    QStringList names;
    for (int i = 0; i < values->rowCount(); ++i)
        names << values->item(i, 0)->text();
    QVERIFY(names.contains("Engine speed") && names.contains("Coolant"));
    QVERIFY(story.find<QLabel>("obdCodes")->text().contains("No trouble codes"));
    QVERIFY(story.find<QLabel>("linkState")->text().contains("no profile knows its controller"));
    // The values are asked for again by themselves.
    QSignalSpy again(&session, &Session::obdChanged);
    QTRY_VERIFY_WITH_TIMEOUT(again.count() >= 2, 10000);
}

void StoryTest::anotherSoftwareIsSaidAndBlocksUntilTheSerialIsTyped() {
    // The demo's profiles, but for another software.
    QTemporaryDir data;
    for (const char* name : {"aldine-e2.a2l", "aldine-e2.profile.json"}) {
        QByteArray text = QByteArray::fromStdString(readText(std::string(BRUSK_DATA_DIR "/heron/") + name));
        if (QByteArray(name).endsWith(".json"))
            text.replace("\"software\": \"AE2-5127-C04\"", "\"software\": \"AE2-9999-X01\"");
        QFile file(data.filePath(name));
        QVERIFY(file.open(QFile::WriteOnly) && file.write(text) == text.size());
    }
    QTemporaryDir cars;
    const QString car = cars.filePath("heron");
    {
        Story story(car);
        QVERIFY(story.begin() && story.makeBase());
    }
    Story story(car, data.path());
    Session& session = story.session();
    story.hurry();
    QVERIFY(story.connectBenchCar());
    auto* mismatch = story.find<QLabel>("mismatch");
    QVERIFY(mismatch->isVisible() && mismatch->text().contains("runs software \"AE2-5127-C04\""));
    QVERIFY(!story.find<QPushButton>("carPrimary")->isEnabled());
    session.selectRound(session.rounds().front().id);
    story.goTo("Flash");
    QTRY_VERIFY(story.find<QLineEdit>("overrideSerial"));
    auto* button = story.find<QPushButton>("flash");
    QVERIFY(!button->isEnabled());
    auto* serial = story.find<QLineEdit>("overrideSerial");
    QTest::keyClicks(serial, "E2-0098-4418");
    QTest::keyClick(serial, Qt::Key_Return);
    QTest::qWait(200);
    QVERIFY(!button->isEnabled());
    serial = story.find<QLineEdit>("overrideSerial");
    serial->clear();
    QTest::keyClicks(serial, "E2-0098-4417");
    QTest::keyClick(serial, Qt::Key_Return);
    QTRY_VERIFY(button->isEnabled());
    QVERIFY(story.click("flash"));
    QVERIFY(story.find<QLabel>("confirmText")->text().contains("Overridden by typing E2-0098-4417"));
    QVERIFY(story.click("confirmFlash") && story.settle());
    QVERIFY2(story.message().contains("is in the car"), qPrintable(story.message()));
    QVERIFY(session.folder()->lastFlash()->overridden.find("Right software") == 0);
}

void StoryTest::mapsAreFoundEditedAndUndoneByKeyboard() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin());
    story.goTo("Maps");
    auto* finder = story.find<QLineEdit>("finder");
    QVERIFY(finder->hasFocus());
    QTest::keyClicks(finder, "inject flow");
    auto* tree = story.find<QTreeWidget>("parameterTree");
    QCOMPARE(tree->topLevelItemCount(), 1);
    QTest::keyClick(finder, Qt::Key_Return);
    QCOMPARE(story.find<QLabel>("parameterName")->text(), "Injector flow");
    auto* grid = story.find<MapGrid>("mapGrid");
    typeInto(grid, "620");
    QCOMPARE(*session.calibration()->value("injector_flow"), 620.0);
    typeInto(grid, "-5%");
    QCOMPARE(*session.calibration()->value("injector_flow"), 589.0);
    QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(*session.calibration()->value("injector_flow"), 620.0);
    QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(*session.calibration()->value("injector_flow"), 380.0);
    QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QCOMPARE(*session.calibration()->value("injector_flow"), 620.0);

    finder->clear();
    QTest::keyClicks(finder, "how full");
    QTest::keyClick(finder, Qt::Key_Return);
    const auto before = session.calibration()->read("ve_map");
    QTest::keyClick(grid, Qt::Key_Right);
    QTest::keyClick(grid, Qt::Key_Down);
    QTest::keyClick(grid, Qt::Key_Right, Qt::ShiftModifier);
    QTest::keyClick(grid, Qt::Key_Down, Qt::ShiftModifier);
    QCOMPARE(grid->selectedCells(), (std::vector<size_t>{17, 18, 33, 34}));
    typeInto(grid, "+2");
    const auto after = session.calibration()->read("ve_map");
    for (size_t i = 0; i < after->values.size(); ++i) {
        const bool chosen = i == 17 || i == 18 || i == 33 || i == 34;
        QVERIFY(std::abs(after->values[i] - before->values[i] - (chosen ? 2 : 0)) < 0.006);
    }
    QTest::keyClick(grid, 'x');
    auto* editor = grid->findChild<QLineEdit*>("cellEditor");
    QTest::keyClick(editor, Qt::Key_Escape);  // Escape leaves everything as it is
    QVERIFY(session.calibration()->read("ve_map")->values == after->values);
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
        QCOMPARE(story.session().selected()->number, 1);
        QVERIFY(story.session().selected()->state == carfolder::RoundState::Draft);
        typeInto(grid, "6300");
        QCOMPARE(story.session().rounds().size(), size_t{2});  // the same draft goes on
    }
    Story again(path);
    QCOMPARE(again.session().rounds().size(), size_t{2});
    again.session().selectRound(again.session().rounds()[0].id);
    QCOMPARE(*again.session().calibration()->value("rev_limit"), 6300.0);
    again.session().selectRound(again.session().rounds()[1].id);
    QCOMPARE(*again.session().calibration()->value("rev_limit"), 6700.0);
}

void StoryTest::whatWasFlashedIsNotUndone() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin());
    typeInto(story.openParameter("rev limit"), "6400");
    QVERIFY(story.flash());
    const int64_t flashed = session.selected()->id;
    auto* grid = story.openParameter("rev limit");
    QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    QCOMPARE(*session.calibration()->value("rev_limit"), 6400.0);
    typeInto(grid, "6200");
    QVERIFY(session.selected()->id != flashed && session.selected()->state == carfolder::RoundState::Draft);
    session.saveDraftNow();
    QVERIFY(carHoldsRound(session, flashed));  // the round in the car still is what it was
    QVERIFY(*session.carContents().round == flashed);
}

void StoryTest::valuesBeyondTheirLimitsAreSaidAndNotStored() {
    Story story;
    QVERIFY(story.begin());
    auto* grid = story.openParameter("rev limit");
    typeInto(grid, "99000");
    QVERIFY(story.message().contains("beyond its limits, 1000 to 9000"));
    typeInto(grid, "+x");
    QVERIFY(story.message().contains("is not a number"));
    QCOMPARE(story.session().rounds().size(), size_t{1});
}

void StoryTest::switchesAndTextsAreEdited() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin());
    typeInto(story.openParameter("P0172"), "0");
    QCOMPARE(session.calibration()->read("diag_rich")->text, std::string("off"));
    QCOMPARE(session.calibration()->read("diag_lean")->text, std::string("on"));
    story.openParameter("calibration id");
    auto* text = story.find<QLineEdit>("textValue");
    QVERIFY(text);
    text->selectAll();
    QTest::keyClicks(text, "HERON-STAGE-1");
    QTest::keyClick(text, Qt::Key_Return);
    QCOMPARE(session.calibration()->read("calibration_id")->text, std::string("HERON-STAGE-1"));
}

void StoryTest::theBarOfOperationsWorksByMouse() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin());
    story.goTo("Maps");
    auto* grid = story.find<MapGrid>("mapGrid");
    QTest::mouseClick(grid, Qt::LeftButton, {}, grid->cellCentre(2, 3));
    QTest::mouseClick(grid, Qt::LeftButton, Qt::ShiftModifier, grid->cellCentre(3, 5));
    QCOMPARE(grid->selectedCells().size(), size_t{6});
    const double before = session.calibration()->read("ve_map")->at(2, 3);
    QVERIFY(story.click("scale"));
    QVERIFY(story.message().contains("Type an amount"));
    QTest::keyClicks(story.find<QLineEdit>("amount"), "1.10");
    QVERIFY(story.click("scale"));
    QVERIFY(std::abs(session.calibration()->read("ve_map")->at(2, 3) - before * 1.10) < 0.006);
    QVERIFY(story.click("undo"));
    QCOMPARE(session.calibration()->read("ve_map")->at(2, 3), before);
    QVERIFY(story.click("redo"));
    QVERIFY(session.calibration()->read("ve_map")->at(2, 3) > before * 1.09);
    QVERIFY(!story.find<QPushButton>("redo")->isEnabled());
}

void StoryTest::proposalsCanBeLeftOut() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin());
    story.goTo("Base");
    auto* stoich = story.find<QCheckBox>("accept_stoich");
    QVERIFY(stoich && stoich->isChecked());
    stoich->setFocus();
    QTest::keyClick(stoich, Qt::Key_Space);
    QVERIFY(!stoich->isChecked());
    QVERIFY(story.find<QPushButton>("makeBaseRound")->text().contains("with 5 changes"));
    QVERIFY(story.click("makeBaseRound"));
    QVERIFY(std::abs(*session.calibration()->value("stoich") - 14.7) < 1e-9);
    QVERIFY(std::abs(*session.calibration()->value("injector_flow") - 669.7) < 0.06);
    QVERIFY(session.selected()->note.find("sqrt(350 / 300)") != std::string::npos);
}

void StoryTest::strengthAndLayersOfTheCorrection() {
    Story story;
    QVERIFY(story.begin() && story.makeBase() && story.flash() && story.drive(2));
    story.goTo("Correct");
    auto* button = story.window().findChild<QPushButton*>("makeRound");
    QTRY_VERIFY_WITH_TIMEOUT(button->isEnabled(), 20000);
    auto* grid = story.find<MapGrid>("correctionGrid");
    const auto full = grid->contents().values;
    auto* strength = story.find<QSlider>("strength");
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
    QTRY_VERIFY_WITH_TIMEOUT(story.find<MapGrid>("cellView"), 20000);
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

void StoryTest::theRingFollowsTheEngine() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin());
    story.goTo("Drive");
    auto* lapse = story.find<QComboBox>("timeLapse");
    lapse->setFocus();
    QTest::keyClick(lapse, Qt::Key_Home);
    QTest::keyClick(lapse, Qt::Key_Down);
    QTest::keyClick(lapse, Qt::Key_Down);
    QVERIFY(story.click("record"));
    QTRY_VERIFY_WITH_TIMEOUT(session.liveRole("engine_speed") > 600, 10000);
    QVERIFY(!std::isnan(session.liveRole("lambda_measured")));
    QVERIFY(story.window().findChild<QPushButton*>("record")->text() == "Stop recording");
    story.goTo("Maps");
    QTest::qWait(300);
    auto* grid = story.find<MapGrid>("mapGrid");
    // With the ring drawn the grid looks different from the grid without it.
    const QImage with = grid->grab().toImage();
    grid->setRing(std::nullopt);
    QVERIFY(with != grid->grab().toImage());
    story.goTo("Drive");
    QVERIFY(story.click("record"));
    QVERIFY(story.settle());
    QVERIFY(story.message().contains("Recorded"));
    QCOMPARE(session.folder()->recordings(session.selected()->id).size(), size_t{1});
}

void StoryTest::troubleCodesAreReadAndCleared() {
    Story story;
    QVERIFY(story.begin() && story.drive());
    story.goTo("Car");
    QVERIFY(story.click("readCodes") && story.settle());
    auto* list = story.find<QListWidget>("troubleCodes");
    QTRY_VERIFY(list->count() > 0);
    QVERIFY(list->item(0)->text().startsWith("P0172-00"));
    // What was frozen with it, and a way to its switch.
    auto* detail = story.find<QWidget>("codeDetail");
    QStringList seen;
    for (const auto* text : detail->findChildren<QLabel*>())
        seen << text->text();
    QVERIFY(seen.contains("Manifold pressure") && seen.contains("kPa") && seen.filter("set ").size() == 1);
    const auto links = detail->findChildren<QToolButton*>("codeParameter");
    QVERIFY(links.size() >= 2 && links[0]->text().startsWith("Code P0172"));
    QTest::mouseClick(links[0], Qt::LeftButton);
    QTRY_VERIFY(story.find<MapGrid>("mapGrid")->isVisible());
    QCOMPARE(story.find<QLabel>("parameterName")->text(), "Code P0172");
    story.goTo("Car");
    QVERIFY(story.click("clearCodes") && story.settle());
    QVERIFY(story.session().troubleCodes().empty());
}

void StoryTest::theCalibrationIsExported() {
    Story story;
    Session& session = story.session();
    QVERIFY(story.begin());
    story.goTo("Deliver");
    QVERIFY(story.click("exportHex"));
    QVERIFY(story.find<QLabel>("exported")->text().contains("round0.hex"));
    QVERIFY(story.click("exportHex"));
    QVERIFY(story.find<QLabel>("exported")->text().contains("round0-2.hex"));  // nothing is overwritten
    const auto bytes = session.folder()->files().read(session.folder()->path() / "exports" / "round0-2.hex");
    EXPECT_OK(bytes);
    QVERIFY(*image::readImage(*bytes, image::Format::IntelHex) == **session.folder()->image(session.selected()->id));
}

void StoryTest::theLedgerSelectsByMouseAndKeys() {
    Story story;
    QVERIFY(story.begin() && story.makeBase());
    auto* ledger = story.window().ledger();
    QTest::mouseClick(ledger, Qt::LeftButton, {}, ledger->rowCentre(0));
    QCOMPARE(story.session().selected()->number, 0);
    QTest::keyClick(ledger, Qt::Key_Up);
    QCOMPARE(story.session().selected()->number, 1);
    QTest::keyClick(ledger, Qt::Key_Down);
    QCOMPARE(story.session().selected()->number, 0);
    QTest::keyClick(&story.window(), Qt::Key_B, Qt::ControlModifier);
    QVERIFY(ledger->collapsed() && ledger->width() == 56);
    QTest::mouseClick(ledger, Qt::LeftButton, {}, ledger->rowCentre(1));
    QCOMPARE(story.session().selected()->number, 1);
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
        const QColor ground = picture.pixelColor(250, picture.height() - 60);
        QCOMPARE(ground.name(), tokens().ground.name());
    }
}

void StoryTest::aFolderThatIsNoneIsSaidAndNothingChanges() {
    Story story;
    QVERIFY(story.begin());
    QTemporaryDir empty;
    EXPECT_FAILS(story.session().openFolder(empty.path().toStdString()), "is not a car folder");
    QVERIFY(story.session().selected() && story.session().linkState() == LinkState::Open);
    QVERIFY(QDir(empty.path()).isEmpty());
}

void StoryTest::aLinkNobodyListensOnIsSaid() {
    Story story;
    story.goTo("Car");
    auto* choice = story.find<QComboBox>("linkChoice");
    choice->setFocus();
    QTest::keyClick(choice, Qt::Key_Down);
    auto* path = story.find<QLineEdit>("socketPath");
    QVERIFY(path);
    QTest::keyClicks(path, "/tmp/brusk-nobody-is-here");
    QVERIFY(story.click("carPrimary"));
    QVERIFY(story.message().contains("Nobody listens on /tmp/brusk-nobody-is-here"));
    QVERIFY(story.session().linkState() == LinkState::Lost);
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
    QCOMPARE(again.session().selected()->number, 1);  // what is in the car
    QVERIFY(again.session().calibration());
    again.hurry();
    QVERIFY(again.connectBenchCar());
    // The bench car kept its flash: reading it says what the ledger says.
    QVERIFY(again.read());
    QVERIFY(again.message().contains("The car holds round 1, as the ledger says"));
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
    QCOMPARE(story.session().benchOrders().fuel.octane_RON, 95.0);
    QCOMPARE(story.session().benchOrders().weather.temperature_C, 35.0);
    // The idle route at twenty times as fast lasts five seconds; the fault comes in the middle of it.
    auto* route = story.find<QComboBox>("route");
    route->setFocus();
    QTest::keyClick(route, Qt::Key_Home);
    for (int i = 0; i < 4; ++i)
        QTest::keyClick(route, Qt::Key_Down);
    QVERIFY(story.click("record"));
    QTRY_VERIFY_WITH_TIMEOUT(story.session().live().time_s > 20, 20000);
    auto* faults = story.find<QListWidget>("faults");
    QVERIFY(faults->isEnabled());
    auto* coolant = faults->findItems("Coolant sensor dead", Qt::MatchExactly).value(0);
    QVERIFY(coolant);
    faults->setFocus();
    faults->setCurrentItem(coolant);
    QTest::keyClick(faults, Qt::Key_Space);
    QCOMPARE(story.find<QLabel>("faultCount")->text(), "1 on");
    QVERIFY(story.settle(60000));
    story.session().readTroubleCodes(false);
    QVERIFY(story.settle(20000));
    const auto& codes = story.session().troubleCodes();
    QVERIFY(std::any_of(codes.begin(), codes.end(), [](const auto& code) { return code.code.code == 0x011800; }));
    QTest::keyClick(faults, Qt::Key_Space);
    QCOMPARE(story.find<QLabel>("faultCount")->text(), "none");
}

void StoryTest::theDriverVisitsWhatTheRoundHasNotSeen() {
    Story story;
    // On the base for the parts: with the stock calibration the engine reads its own pressure wrong.
    QVERIFY(story.begin() && story.makeBase() && story.flash());
    auto& session = story.session();
    const int64_t round = *session.carContents().round;
    const auto missing = [&] { return job::unseenNodes(*session.kit(), *session.folder(), round)->size(); };
    const size_t before = missing();
    QVERIFY(story.drive(static_cast<int>(routeChoices().size()) - 1));
    const size_t after = missing();
    qInfo("cells not seen: %zu before the drive, %zu after", before, after);
    QVERIFY(before > 80 && after < before / 3);
}

QTEST_MAIN(StoryTest)
#include "StoryTest.moc"
