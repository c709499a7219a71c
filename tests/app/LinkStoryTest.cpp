// The link as its users meet it: the Car and Flash stations through the real window.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <QCheckBox>
#include <QComboBox>
#include <QElapsedTimer>
#include <QListWidget>
#include <QMenu>
#include <QSignalSpy>
#include <QTableView>
#include <QTableWidget>
#include <QToolButton>

#include "Expect.h"
#include "Story.h"
#include "app/desks/CarInHand.h"
#include "app/desks/ControllerDesk.h"
#include "app/desks/FlashDesk.h"
#include "app/desks/OpenFolder.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/MapGrid.h"
#include "core/job/LoadDrives.h"

using namespace brusk;
using namespace brusk::app;

class LinkStoryTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void theWindowStaysAliveWhileTheLinkWorks();
    void theWindowStaysAliveWhileACableIsPulledInMidRead();
    void aDriveOutlastsAPulledCableAndKeepsItsMarks();
    void aPurposeChoosesTheChannels();
    void aSilentControllerNeverHoldsTheWindow();
    void gatesAreShownWithWhatSettlesThem();
    void theScopeOfAFlashIsChosen();
    void inMidFlashFolderLinkAndWindowAreHeld();
    void aFolderThatSomebodyElseWorksInIsOnlyLookedAt();
    void theTrafficIsShownInWordsAndSaved();
    void theCarIsComparedWithTheLedger();
    void aCarNoProfileKnowsIsReadByObd();
    void anotherSoftwareIsSaidAndBlocksUntilTheSerialIsTyped();
    void aStoppedReadGoesOn();
    void aFlashWhoseCableIsPulledIsSaidAndTheSameButtonFinishesIt();
    void troubleCodesAreReadAndCleared();
};

void LinkStoryTest::initTestCase() {
    Theme::instance().loadFonts();
    Theme::instance().setDark(false);
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

void LinkStoryTest::aFlashWhoseCableIsPulledIsSaidAndTheSameButtonFinishesIt() {
    Story story;
    Desks& desks = story.desks();
    QVERIFY(story.begin() && story.makeBase());
    story.goTo("Flash");
    QVERIFY(story.settle());
    story.setTimeLapse(1);
    QTRY_VERIFY(story.find<QPushButton>("flash")->isEnabled());
    QVERIFY(story.click("flash") && story.click("confirmFlash"));
    QTRY_VERIFY_WITH_TIMEOUT(story.progress().step.find("Writing") == 0, 10000);
    story.goTo("Car");
    QVERIFY(story.click("cable"));
    QVERIFY(story.settle());
    QVERIFY2(
        story.message().contains("The flash stopped at sector") && story.message().contains("Flash again to finish it"),
        qPrintable(story.message()));
    QVERIFY(story.linkState() == LinkState::Lost);
    QVERIFY(story.window().findChild<QLabel*>("inTheCar")->text().contains("The flash of round 1 was interrupted"));
    QVERIFY(!carHoldsRound(desks, story.selected()->id));
    story.hurry();
    QVERIFY(story.click("cable"));
    QVERIFY(story.settle());
    QVERIFY(story.linkIsOpen());
    QVERIFY(story.flash());
    QVERIFY(carHoldsRound(desks, story.selected()->id));
    QVERIFY(story.window().findChild<QLabel*>("inTheCar")->text().contains("The car runs round 1"));
}

void LinkStoryTest::aDriveOutlastsAPulledCableAndKeepsItsMarks() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Drive");
    auto* lapse = story.find<QComboBox>("timeLapse");
    QVERIFY(lapse && !story.find<QPushButton>("mark"));
    lapse->setCurrentIndex(1);  // five times as fast
    QVERIFY(story.click("record"));
    auto* lanes = story.find<LaneView>("liveLanes");
    const auto now_s = [&] { return lanes->to(); };
    const auto situation = [&] { return story.window().findChild<QLabel*>("driveSituation")->text(); };
    QTRY_VERIFY_WITH_TIMEOUT(now_s() > 31, 20000);
    QTRY_VERIFY(story.find<QPushButton>("mark"));
    QCOMPARE(story.find<QPushButton>("mark")->text(), QString("Mark 1"));
    QTest::keyClick(&story.window(), Qt::Key_M);
    QTRY_COMPARE(story.find<QPushButton>("mark")->text(), QString("Mark 2"));
    // The cable is out: the recording says so, and waits.
    story.goTo("Car");
    QVERIFY(story.click("cable"));
    story.goTo("Drive");
    QTRY_VERIFY_WITH_TIMEOUT(situation().contains("stays open"), 10000);
    QVERIFY(story.busy());
    // What it said last is not what it says now.
    QTRY_COMPARE(story.find<QWidget>("readout_engine_speed")->findChildren<QLabel*>().last()->text(), QString("-"));
    const double still_s = now_s();
    QTest::qWait(1000);
    QCOMPARE(now_s(), still_s);
    QTest::keyClick(&story.window(), Qt::Key_M);
    story.goTo("Car");
    QVERIFY(story.click("cable"));
    story.goTo("Drive");
    QTRY_VERIFY_WITH_TIMEOUT(!situation().contains("stays open"), 10000);
    QTRY_VERIFY_WITH_TIMEOUT(now_s() > still_s + 5, 10000);
    QVERIFY(story.click("record") && story.settle());
    QVERIFY2(story.message().contains("1 gap."), qPrintable(story.message()));
    QVERIFY(story.linkIsOpen() && !story.find<QPushButton>("mark"));
    // In the file, and where somebody reviews it.
    const auto entries = story.folder().recordings().of(story.selected()->id);
    QVERIFY(entries && entries->size() == 1 && entries->front().gaps == 1);
    const auto recording = job::loadRecording(story.folder(), entries->front());
    QVERIFY(recording);
    QStringList marks;
    for (const auto& mark : (*recording)->marks)
        marks << QString::fromStdString(mark.kind);
    marks.sort();
    QCOMPARE(marks.join(" "), QString("gap mark mark"));
    story.goTo("Review");
    auto* review = story.find<LaneView>("reviewLanes");
    QTRY_VERIFY_WITH_TIMEOUT(review && review->flags().size() == 3, 10000);
    QVERIFY(review->flags()[1].text.contains("the cable was out"));
}

void LinkStoryTest::aPurposeChoosesTheChannels() {
    Story story;
    // Chosen before the car is known, it holds when it is.
    story.goTo("Drive");
    auto* channels = story.find<QListWidget>("channels");
    auto* purpose = story.find<QToolButton>("purpose");
    QVERIFY(channels && purpose && channels->count() == 0);
    purpose->menu()->actions()[0]->trigger();
    QVERIFY(story.connectBenchCar());
    story.goTo("Drive");
    QVERIFY(channels->count() > 50);
    const auto shortTrim = channels->findItems("Short trim", Qt::MatchStartsWith);
    const auto idleTarget = channels->findItems("Idle target", Qt::MatchStartsWith);
    QVERIFY(!shortTrim.isEmpty() && shortTrim[0]->checkState() == Qt::Checked);
    QVERIFY(!idleTarget.isEmpty() && idleTarget[0]->checkState() == Qt::Unchecked);
    purpose->menu()->actions()[0]->trigger();
    QCOMPARE(purpose->text(), QString("For: the usual \u25be"));
    const auto chosen = [&] {
        QStringList out;
        for (int i = 0; i < channels->count(); ++i)
            if (channels->item(i)->checkState() == Qt::Checked) out << channels->item(i)->text();
        return out;
    };
    const QStringList usual = chosen();
    const auto actions = purpose->menu()->actions();
    const auto action = [&](const QString& title) {
        return *std::find_if(actions.begin(), actions.end(), [&](QAction* a) { return a->text() == title; });
    };
    action("Idle")->trigger();
    QCOMPARE(purpose->text(), QString("For: Idle \u25be"));
    const QStringList idle = chosen();
    QVERIFY(!idle.filter("Idle target").isEmpty() && idle.filter("Knock retard").isEmpty() && idle != usual);
    const QString cost = story.find<QLabel>("channelCost")->text();
    action("Knock and spark")->trigger();
    QCOMPARE(purpose->text(), QString("For: Knock and spark, Idle \u25be"));
    QVERIFY(chosen().size() > idle.size() && !chosen().filter("Knock retard").isEmpty());
    QVERIFY(story.find<QLabel>("channelCost")->text() != cost);
    QVERIFY(!story.find<QLabel>("lacks"));
    action("Idle")->trigger();
    action("Knock and spark")->trigger();
    QCOMPARE(chosen(), usual);
}

void LinkStoryTest::aStoppedReadGoesOn() {
    Story story;
    QVERIFY(story.connectBenchCar());
    story.setTimeLapse(5);
    story.goTo("Car");
    QVERIFY(story.click("carPrimary"));
    QTRY_VERIFY_WITH_TIMEOUT(story.progress().done > 100000, 20000);
    QVERIFY(story.click("carPrimary"));  // it says "Stop reading" now
    QVERIFY(story.settle());
    QVERIFY(story.message().contains("Stopped as you asked"));
    QVERIFY(story.rounds().empty());
    story.hurry();
    QVERIFY(story.read());
    QVERIFY(story.selected()->state == carfolder::RoundState::Original);
}

void LinkStoryTest::theWindowStaysAliveWhileTheLinkWorks() {
    Story story;
    QVERIFY(story.connectBenchCar());
    story.setTimeLapse(20);
    story.goTo("Car");
    // Were the link waited for on this thread, there would be no beats.
    Heartbeat heart;
    QVERIFY(story.click("carPrimary"));
    QVERIFY(story.settle());
    qInfo("%d beats while reading, the longest pause %lld ms", heart.beats, static_cast<long long>(heart.longest_ms));
    QVERIFY(heart.beats > 20);
}

void LinkStoryTest::theWindowStaysAliveWhileACableIsPulledInMidRead() {
    Story story;
    QVERIFY(story.connectBenchCar());
    story.setTimeLapse(1);  // real time: a whole read takes half a minute
    story.goTo("Car");
    Heartbeat heart;
    QVERIFY(story.click("carPrimary"));
    QTRY_VERIFY(story.progress().done > 20000);
    QVERIFY(story.click("cable"));
    QVERIFY(story.settle());
    QVERIFY(story.linkState() == LinkState::Lost);
    QTest::qWait(100);
    // Pulled again while the controller is asked, and the link closed while an answer is waited for.
    QVERIFY(story.click("cable") && story.settle());
    QVERIFY(story.click("carPrimary"));
    QTRY_VERIFY(story.busy());
    story.disconnectLink();
    QVERIFY(story.linkState() == LinkState::Closed);
    QTest::qWait(100);
    qInfo("%d beats, the longest pause %lld ms", heart.beats, static_cast<long long>(heart.longest_ms));
    QVERIFY(heart.beats > 20);
}

void LinkStoryTest::aSilentControllerNeverHoldsTheWindow() {
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
    Heartbeat heart;
    story.connectTo("unix:" + QString::fromStdString(path));
    QTRY_VERIFY(story.busy());
    // It beats while the link waits, however slow the machine is just then.
    QTRY_VERIFY(heart.beats > 10 || !story.busy());
    QVERIFY(story.busy() && heart.beats > 10);
    QElapsedTimer closing;
    closing.start();
    story.disconnectLink();
    const qint64 closed_ms = closing.elapsed();
    QTest::qWait(100);
    ::close(listener);
    qInfo("closed in %lld ms; %d beats, the longest pause %lld ms", static_cast<long long>(closed_ms), heart.beats,
          static_cast<long long>(heart.longest_ms));
    QVERIFY(story.linkState() == LinkState::Closed);
}

void LinkStoryTest::gatesAreShownWithWhatSettlesThem() {
    Story story;
    QVERIFY(story.begin());
    auto* grid = story.openParameter("rev_limit");
    typeInto(grid, "7400");
    story.goTo("Flash");
    QTRY_VERIFY(story.find<QPushButton>("flash")->isEnabled());
    // The gates are computed anew when the controller has been asked again.
    QTRY_VERIFY(story.find<QLabel>("gateWarns") && story.find<QLabel>("gateWarns")->text() == "Limits");
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
    story.disconnectLink();
    QTRY_VERIFY(story.find<QLabel>("gateBlocks"));
    QVERIFY(!story.find<QPushButton>("flash")->isEnabled());
    QVERIFY(story.click("gateRemedy"));
    QVERIFY(story.window().station("Car")->isVisible());
}

void LinkStoryTest::theScopeOfAFlashIsChosen() {
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

void LinkStoryTest::inMidFlashFolderLinkAndWindowAreHeld() {
    QTemporaryDir other;
    Story story;
    Desks& desks = story.desks();
    QVERIFY(story.begin() && story.makeBase());
    const auto folder = desks.car.folder;
    story.goTo("Flash");
    QTRY_VERIFY(story.find<QPushButton>("flash")->isEnabled());
    story.setTimeLapse(1);
    QVERIFY(story.click("flash") && story.click("confirmFlash"));
    QTRY_VERIFY(desks.flash.flashing() && story.progress().done > 0);
    EXPECT_FAILS(desks.folder.create(other.filePath("other").toStdString(), "other"), "is being written into the car");
    EXPECT_FAILS(story.open(folder->path()), "is being written into the car");
    QVERIFY(!story.disconnectLink());
    QVERIFY(story.message().contains("is being written into the car"));
    QVERIFY(!story.window().close() && story.window().isVisible());
    QVERIFY(desks.flash.flashing() && desks.car.folder == folder);
    // Stopped as its own button does, it lets go of everything.
    QVERIFY(story.click("stopFlash") && story.settle());
    story.setTimeLapse(0);
    QVERIFY(story.disconnectLink());
    EXPECT_OK(desks.folder.create(other.filePath("other").toStdString(), "other"));
}

void LinkStoryTest::aFolderThatSomebodyElseWorksInIsOnlyLookedAt() {
    QTemporaryDir place;
    const QString path = place.filePath("car");
    auto first = std::make_unique<Story>(path);
    QVERIFY(first->begin());
    // The one that is open here is not shut out by its own lock.
    EXPECT_OK(first->open((path + "/.").toStdString()));
    QVERIFY(first->folder().mayWrite());
    Story second(path);
    QVERIFY(second.message().contains("Another Brusk works in this folder"));
    QCOMPARE(second.rounds().size(), size_t{1});
    QVERIFY(second.find<QLabel>("inTheCar")->text().startsWith("Only to look. The car runs round 0"));
    // It is seen in full, and nothing of it changes.
    auto* grid = second.openParameter("rev_limit");
    QVERIFY(grid);
    typeInto(grid, "6500");
    QVERIFY(second.message().contains("Nothing can be changed"));
    QCOMPARE(second.rounds().size(), size_t{1});
    // Once the first is gone, one key takes over.
    first.reset();
    QTest::keyClick(&second.window(), Qt::Key_F5);
    QVERIFY(second.folder().mayWrite());
    typeInto(second.openParameter("rev_limit"), "6500");
    QCOMPARE(second.rounds().size(), size_t{2});
}

void LinkStoryTest::theTrafficIsShownInWordsAndSaved() {
    Story story;
    Desks& desks = story.desks();
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
    const QDir exports(QString::fromStdString((story.folder().path() / "exports").string()));
    const auto names = exports.entryList({"traffic-*.log"});
    QCOMPARE(names.size(), 1);
    const auto log = can::readCandump(readText(exports.filePath(names[0]).toStdString().c_str()));
    EXPECT_OK(log);
    QCOMPARE(log->frames.size(), desks.flash.traffic()->frames().size());
}

void LinkStoryTest::theCarIsComparedWithTheLedger() {
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

void LinkStoryTest::aCarNoProfileKnowsIsReadByObd() {
    QTemporaryDir nothing;
    Story story({}, nothing.path());
    Desks& desks = story.desks();
    story.hurry();
    QVERIFY(story.connectBenchCar());
    QVERIFY(desks.controller.obdCar());
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
    QSignalSpy again(&desks.controller, &ControllerDesk::obdChanged);
    QTRY_VERIFY_WITH_TIMEOUT(again.count() >= 2, 10000);
}

void LinkStoryTest::anotherSoftwareIsSaidAndBlocksUntilTheSerialIsTyped() {
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
    story.hurry();
    QVERIFY(story.connectBenchCar());
    auto* mismatch = story.find<QLabel>("mismatch");
    QVERIFY(mismatch->isVisible() && mismatch->text().contains("runs software \"AE2-5127-C04\""));
    QVERIFY(!story.find<QPushButton>("carPrimary")->isEnabled());
    story.select(story.rounds().front().id);
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
    QVERIFY((*story.folder().memory().lastFlash())->overridden.find("Right software") == 0);
}

void LinkStoryTest::troubleCodesAreReadAndCleared() {
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
    QVERIFY(story.desks().controller.codes().empty());
}

QTEST_MAIN(LinkStoryTest)
#include "LinkStoryTest.moc"
