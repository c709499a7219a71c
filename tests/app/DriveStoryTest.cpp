// Drive by mouse and keyboard: an unknown wideband found and used, purpose, guards, arming, what is in the tank, a car
// that no profile knows.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFile>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QProcess>
#include <QSettings>
#include <QToolButton>
#include <QTreeWidget>

#include "Expect.h"
#include "Story.h"
#include "app/desks/Playback.h"
#include "app/desks/SheetDesk.h"
#include "app/desks/WatchDesk.h"
#include "app/widgets/LaneView.h"
#include "core/job/LoadDrives.h"
#include "core/job/Sensors.h"

using namespace brusk;
using namespace brusk::app;

namespace {

/// Profile and definition without any sensor beside them, and a library of sensors.
QString bareData(const QTemporaryDir& into) {
    QDir().mkpath(into.filePath("heron"));
    QDir().mkpath(into.filePath("sensors"));
    for (const char* file :
         {"heron/aldine-e2.a2l", "heron/aldine-e2.profile.json", "sensors/tarn-l3.dbc", "sensors/selby-g2.dbc"})
        QFile::copy(QString(BRUSK_DATA_DIR "/") + file, into.filePath(file));
    return into.path();
}

void choose(QComboBox* box, const char* part) {
    box->setCurrentIndex(box->findText(part, Qt::MatchContains));
}

void tick(QListWidget* list, const char* title, bool on) {
    const auto items = list->findItems(title, Qt::MatchStartsWith);
    QVERIFY2(items.size() == 1, title);
    list->scrollToItem(items[0]);
    if ((items[0]->checkState() == Qt::Checked) == on) return;
    list->setCurrentItem(items[0]);
    list->setFocus();
    QTest::keyClick(list, Qt::Key_Space);
    QCOMPARE(items[0]->checkState() == Qt::Checked, on);
}

QStringList kinds(const recording::Recording& recording) {
    QStringList out;
    for (const auto& mark : recording.marks)
        out << qs(mark.kind);
    return out;
}

}  // namespace

class DriveStoryTest : public QObject {
    Q_OBJECT
  private slots:
    void init() { QSettings("Brusk", "Brusk").clear(); }
    void fromAnEmptyFolderToOneRecordingWithAllThatHappened();
    void channelsAreKeptAsASetAndRecordedAtTheirRates();
    void whatTheLinkCantCarryIsSaidAndLeftOut();
    void aVoltageOnASpareInputBecomesAWideband();
    void guardsAreChosenAndAddedAndKept();
    void whatWasWrongIsFoundInReview();
    void anArmedRecordingWaitsForItsCondition();
    void theTankIsAskedForOnceInOneKey();
    void aCarThatNoProfileKnowsIsRecorded();
};

void DriveStoryTest::fromAnEmptyFolderToOneRecordingWithAllThatHappened() {
    const QTemporaryDir data;
    Story story({}, bareData(data));
    QVERIFY(story.begin());
    story.goTo("Drive");
    // Another maker's wideband is on the bus, and no profile knows it.
    choose(story.find<QComboBox>("benchWideband"), "Tarn L3");
    QVERIFY(story.click("sensorsTab"));
    QVERIFY(story.click("listen") && story.settle());
    QVERIFY(story.find<QToolButton>("sensorsTab")->text().contains("1 heard"));
    auto* sensors = story.find<QTreeWidget>("sensors");
    QCOMPARE(sensors->topLevelItemCount(), 4);
    QVERIFY2(sensors->topLevelItem(0)->text(2).contains("wideband lambda?"),
             qPrintable(sensors->topLevelItem(0)->text(2)));
    QVERIFY(story.click("useSensor"));
    QTRY_COMPARE(sensors->topLevelItem(0)->text(2), QString("wideband lambda"));
    QVERIFY(!story.find<QToolButton>("sensorsTab")->text().contains("heard"));
    // What the drive is for, and what is watched: this car runs the factory's calibration on larger injectors.
    QVERIFY(story.click("channelsTab"));
    auto* purpose = story.find<QToolButton>("purpose");
    for (const int i : {1, 2})
        purpose->menu()->actions()[i]->trigger();
    QVERIFY(purpose->text().contains("Full load") && purpose->text().contains("Knock"));
    choose(story.find<QComboBox>("route"), "Pulls in 3rd,");
    choose(story.find<QComboBox>("timeLapse"), "20 times");
    auto* faults = story.find<QListWidget>("faults");
    tick(faults, "Fuel pump weak", true);
    tick(faults, "Poorer fuel", true);
    QVERIFY(story.click("record"));
    if (auto* answer = story.find<QPushButton>("tankAnswer")) QTest::keyClick(answer, Qt::Key_Return);
    QTRY_VERIFY(story.find<QPushButton>("mark"));
    auto* lanes = story.find<LaneView>("liveLanes");
    const auto situation = [&] { return story.window().findChild<QLabel*>("driveSituation")->text(); };
    // Marks are set at once, twice in a moment, also while something else is looked at.
    QTRY_VERIFY_WITH_TIMEOUT(lanes->to() > 31, 20000);
    QTest::keyClick(&story.window(), Qt::Key_M);
    QTest::keyClick(&story.window(), Qt::Key_M);
    story.goTo("Maps");
    QTest::keyClick(&story.window(), Qt::Key_M);
    story.goTo("Drive");
    QTRY_COMPARE(story.find<QPushButton>("mark")->text(), QString("Mark 4"));
    QTRY_VERIFY_WITH_TIMEOUT(lanes->to() > 46, 20000);
    // Guards tripped in the first pull, and were said.
    QTRY_VERIFY(lanes->flags().size() >= 5);
    story.goTo("Car");
    QVERIFY(story.click("cable"));
    story.goTo("Drive");
    QTRY_VERIFY_WITH_TIMEOUT(situation().contains("stays open"), 10000);
    story.goTo("Car");
    QVERIFY(story.click("cable"));
    story.goTo("Drive");
    const auto goesOn = [&](double seconds) {
        const double still_s = lanes->to();
        return QTest::qWaitFor([&] { return situation().startsWith("recording") && lanes->to() > still_s + seconds; },
                               20000);
    };
    QVERIFY(goesOn(5));
    // The ignition goes off, and on.
    QVERIFY(story.click("ignition"));
    QTRY_VERIFY_WITH_TIMEOUT(situation().contains("ignition off?"), 20000);
    QVERIFY(story.click("ignition"));
    QVERIFY(goesOn(5));
    // The controller begins anew.
    QVERIFY(story.click("resetController"));
    QVERIFY(goesOn(10));
    QVERIFY(story.click("record") && story.settle());
    QVERIFY(!story.find<QToolButton>("ignition")->isEnabled());

    const auto entries = story.folder().recordings().of(story.selected()->id);
    QVERIFY(entries && entries->size() == 1);
    QVERIFY2(entries->front().gaps == 3, qPrintable(story.message()));
    const auto recording = job::loadRecording(story.folder(), entries->front());
    EXPECT_OK(recording);
    const auto all = kinds(**recording);
    QCOMPARE(all.count("mark"), 3);
    QStringList gaps;
    for (const auto& mark : (*recording)->marks)
        if (mark.kind == "gap") gaps << qs(mark.text).section(": ", 1);
    QCOMPARE(gaps,
             QStringList({"the cable was out", "the controller did not answer", "the controller had stopped sending"}));
    QVERIFY2(all.count("guard") >= 2, qPrintable(all.join(' ')));
    QStringList said;
    for (const auto& mark : (*recording)->marks)
        if (mark.kind == "guard") said << qs(mark.text);
    QVERIFY2(said.contains("knock: lift") && said.contains("lean under load: lift"), qPrintable(said.join("; ")));
    const auto lambda = (*recording)->findRole("lambda_measured");
    QVERIFY(lambda && lambda.channel->unit == "AFR" && lambda.group->name == "TarnL3");
    // An independent reader finds every mark.
    QProcess reader;
    reader.start(BRUSK_PYTHON, {BRUSK_SOURCE_DIR "/tests/corpus/read_mdf.py",
                                qs(story.folder().recordings().path(entries->front().file).string())});
    QVERIFY(reader.waitForFinished(60000));
    const auto marks = QJsonDocument::fromJson(reader.readAllStandardOutput()).object()["marks"].toArray();
    QVERIFY2(marks.size() == all.size(), reader.readAllStandardError().constData());
    auto own = (*recording)->marks;
    for (const auto& read : marks)
        QCOMPARE(std::erase_if(own,
                               [&](const auto& mark) {
                                   return qs(mark.text) == read.toObject()["text"].toString() &&
                                          qs(mark.kind) == read.toObject()["kind"].toString() &&
                                          std::abs(mark.at_s - read.toObject()["at"].toDouble()) < 1e-6;
                               }),
                 size_t{1});
}

void DriveStoryTest::channelsAreKeptAsASetAndRecordedAtTheirRates() {
    Story story;
    story.hurry();
    QVERIFY(story.begin());
    story.goTo("Drive");
    auto* channels = story.find<QListWidget>("channels");
    auto* rate = story.find<QComboBox>("channelRate");
    const auto named = [&](const char* title) {
        const auto items = channels->findItems(title, Qt::MatchStartsWith);
        return items.size() == 1 ? items[0] : nullptr;
    };
    // Temperatures are proposed as slow, and somebody wants this one quicker.
    QVERIFY(named("Coolant temperature")->text().endsWith("5 Hz") && !rate->isEnabled());
    const QString cost = story.find<QLabel>("channelCost")->text();
    QVERIFY2(
        cost.startsWith("link ") && cost.contains("at 100,") && cost.contains("at 20,") && cost.endsWith("at 5 Hz"),
        qPrintable(cost));
    channels->setCurrentItem(named("Coolant temperature"));
    QVERIFY(rate->isEnabled() && rate->currentText() == "5 Hz");
    rate->setFocus();
    QTest::keyClick(rate, Qt::Key_Up);
    QCOMPARE(rate->currentText(), QString("20 Hz"));
    QVERIFY(named("Coolant temperature")->text().endsWith("20 Hz"));
    QVERIFY(story.find<QLabel>("channelCost")->text() != cost);
    tick(channels, "Knock retard", false);
    // Kept under a name.
    const auto menuOf = [&] {
        auto* menu = story.find<QToolButton>("channelSets")->menu();
        emit menu->aboutToShow();
        return menu;
    };
    auto* name = menuOf()->findChild<QLineEdit*>("keepSet");
    QVERIFY(name);
    QTest::keyClicks(name, "No knock");
    QTest::keyClick(name, Qt::Key_Return);
    // Another choice, and the set again.
    auto* purpose = story.find<QToolButton>("purpose");
    QCOMPARE(purpose->text(), QString("Set: No knock \u25be"));
    purpose->menu()->actions()[4]->trigger();
    QVERIFY(named("Coolant temperature")->text().endsWith("5 Hz"));
    purpose->menu()->actions()[4]->trigger();
    QVERIFY(named("Knock retard")->checkState() == Qt::Checked);
    const auto actionOf = [](const QMenu* menu, const char* text) {
        for (auto* action : menu->actions())
            if (action->text() == text) return action;
        return static_cast<QAction*>(nullptr);
    };
    QVERIFY(actionOf(menuOf(), "No knock"));
    actionOf(menuOf(), "No knock")->trigger();
    QVERIFY(named("Knock retard")->checkState() == Qt::Unchecked);
    QVERIFY(named("Coolant temperature")->text().endsWith("20 Hz"));
    // Recorded so; what guards ask for comes besides.
    choose(story.find<QComboBox>("route"), "Warm idle");
    QVERIFY(story.click("record"));
    if (auto* answer = story.find<QPushButton>("tankAnswer")) QTest::keyClick(answer, Qt::Key_Return);
    QVERIFY(story.settle());
    const auto entries = story.folder().recordings().of(story.selected()->id);
    const auto recording = job::loadRecording(story.folder(), entries->front());
    QCOMPARE((*recording)->findRole("coolant").group->rate_hz, 20.0);
    QCOMPARE((*recording)->findRole("barometric_pressure").group->rate_hz, 5.0);
    // And forgotten.
    actionOf(actionOf(menuOf(), "Forget")->menu(), "No knock")->trigger();
    QVERIFY(!actionOf(menuOf(), "No knock") && !actionOf(menuOf(), "Forget"));
}

void DriveStoryTest::whatTheLinkCantCarryIsSaidAndLeftOut() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Drive");
    auto* channels = story.find<QListWidget>("channels");
    QVERIFY(!story.find<QPushButton>("leaveOut"));
    QVERIFY(story.find<QPushButton>("record")->isEnabled());
    for (int i = 0; i < channels->count(); ++i)
        channels->item(i)->setCheckState(Qt::Checked);
    channels->selectAll();
    auto* rate = story.find<QComboBox>("channelRate");
    QCOMPARE(rate->currentIndex(), -1);  // they are not alike
    rate->setFocus();
    QTest::keyClick(rate, Qt::Key_Home);
    QCOMPARE(rate->currentText(), QString("100 Hz"));
    const QString cost = story.find<QLabel>("channelCost")->text();
    QVERIFY2(cost.contains("Choose fewer"), qPrintable(cost));
    auto* leave = story.find<QPushButton>("leaveOut");
    QVERIFY(leave && leave->text().startsWith("Leave out "));
    const int gone = leave->text().section(' ', 2).toInt();
    QTest::mouseClick(leave, Qt::LeftButton);
    QVERIFY(!story.find<QPushButton>("leaveOut"));
    QVERIFY(story.find<QLabel>("channelCost")->text().startsWith("link "));
    int ticked = 0;
    for (int i = 0; i < channels->count(); ++i)
        ticked += channels->item(i)->checkState() == Qt::Checked;
    QVERIFY(gone > 0 && ticked == channels->count() - gone);
}

void DriveStoryTest::aVoltageOnASpareInputBecomesAWideband() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Drive");
    QVERIFY(story.click("sensorsTab"));
    QVERIFY(story.find<QComboBox>("spareChannel")->currentData().toString() == "spare_volts");
    const auto type = [&](const char* name, const char* text) {
        auto* edit = story.find<QLineEdit>(name);
        QVERIFY2(edit, name);
        edit->clear();
        QTest::keyClicks(edit, text);
    };
    type("volts1", "0,5"), type("value1", "0.6"), type("volts2", "0.5"), type("value2", "1.4");
    QTest::keyClick(story.find<QLineEdit>("value2"), Qt::Key_Return);
    QVERIFY(story.window().findChild<QLabel*>("sensorProblem")->text().contains("same voltage"));
    type("volts2", "4.5");
    QTest::keyClick(story.find<QLineEdit>("value2"), Qt::Key_Return);
    auto* sensors = story.find<QTreeWidget>("sensors");
    const auto rowOf = [&](const char* part) {
        const auto items = sensors->findItems(part, Qt::MatchContains, 0);
        return items.isEmpty() ? nullptr : items[0];
    };
    QTRY_VERIFY(rowOf("wideband lambda on"));
    QCOMPARE(rowOf("wideband lambda on")->text(2), QString("wideband lambda"));
    QCOMPARE(rowOf("OmbrelW1, lambda")->text(2), QString());
    // What the ends of the wire mean is said.
    QVERIFY(story.find<QLabel>("lineEnds")->text().startsWith("0 V says 0.5, 5 V 1.5 lambda; in free air"));
    // It may be the second bank's.
    sensors->setCurrentItem(rowOf("wideband lambda on"));
    auto* plays = story.find<QComboBox>("plays");
    QCOMPARE(plays->currentText(), QString("wideband lambda"));
    plays->setFocus();
    QTest::keyClick(plays, Qt::Key_Down);
    QTRY_COMPARE(rowOf("wideband lambda on")->text(2), QString("wideband lambda, bank 2"));
    QTRY_COMPARE(rowOf("OmbrelW1, lambda")->text(2), QString("wideband lambda"));
    sensors->setCurrentItem(rowOf("wideband lambda on"));
    plays->setFocus();
    QTest::keyClick(plays, Qt::Key_Up);
    QTRY_COMPARE(rowOf("wideband lambda on")->text(2), QString("wideband lambda"));
    // Driven, and moved by what the other gauge shows.
    choose(story.find<QComboBox>("route"), "Warm idle");
    choose(story.find<QComboBox>("timeLapse"), "5 times");
    QVERIFY(story.click("record"));
    if (auto* answer = story.find<QPushButton>("tankAnswer")) QTest::keyClick(answer, Qt::Key_Return);
    QVERIFY(story.click("sensorsTab"));
    QTRY_VERIFY_WITH_TIMEOUT(
        rowOf("wideband lambda on") && rowOf("wideband lambda on")->text(1).section(' ', 0, 0).toDouble() > 0.5, 10000);
    sensors->setCurrentItem(rowOf("wideband lambda on"));
    type("gauge", "1.05");
    QTest::keyClick(story.find<QLineEdit>("gauge"), Qt::Key_Return);
    QVERIFY2(story.window().findChild<QLabel*>("sensorProblem")->text().isEmpty(),
             qPrintable(story.window().findChild<QLabel*>("sensorProblem")->text()));
    QVERIFY(story.click("record") && story.settle());
    const auto entries = story.folder().recordings().of(story.selected()->id);
    const auto recording = job::loadRecording(story.folder(), entries->front());
    const auto lambda = (*recording)->findRole("lambda_measured");
    QVERIFY(lambda && lambda.channel->name == "spare_volts_scaled");
    const auto kept = job::sensorsOf(story.folder());
    const auto* line = drive::sensorOf(kept->sensors, "", "spare_volts_scaled");
    QVERIFY(line && std::abs(line->scaling.slope - 0.2) < 1e-9 && std::abs(line->scaling.offset - 0.5) > 1e-4);
}

void DriveStoryTest::guardsAreChosenAndAddedAndKept() {
    Story story;
    QVERIFY(story.connectBenchCar());
    story.goTo("Drive");
    QVERIFY(story.click("guardsTab"));
    auto* guards = story.find<QListWidget>("guards");
    const QString before = story.find<QToolButton>("guardsTab")->text();
    tick(guards, "Knock", false);
    QVERIFY(story.find<QToolButton>("guardsTab")->text() != before);
    const auto lack = guards->findItems("Fuel pressure falls", Qt::MatchStartsWith);
    QVERIFY(lack.size() == 1 && lack[0]->text().contains("nobody plays fuel pressure"));
    QVERIFY(!(lack[0]->flags() & Qt::ItemIsEnabled));
    auto* line = story.find<QLineEdit>("ownGuard");
    QTest::keyClicks(line, "<coolant> > 5 rpm; 1; hot");
    QTest::keyClick(line, Qt::Key_Return);
    QVERIFY(story.find<QLabel>("guardProblem")->text().contains("rpm"));
    line->clear();
    QTest::keyClicks(line, "<pedal> > 60 %; 0.5; foot down");
    QTest::keyClick(line, Qt::Key_Return);
    QVERIFY(line->text().isEmpty() && guards->findItems("foot down", Qt::MatchStartsWith).size() == 1);
    QVERIFY(!story.find<QLabel>("guardProblem"));
    // This machine has no sound, or it has: the window says which.
    auto* silent = story.window().findChild<QLabel*>("silent");
    QVERIFY(silent->text().isEmpty() == !silent->isVisible());
    // Who sits here finds it so tomorrow.
    const WatchDesk tomorrow(story.folder().files(), story.desks().car, story.desks().link, story.desks().sheet);
    const auto rows = tomorrow.rows();
    const auto row = [&](const char* title) {
        return std::find_if(rows.begin(), rows.end(), [&](const auto& one) { return one.guard.title == title; });
    };
    QVERIFY(row("Knock") != rows.end() && !row("Knock")->on);
    QVERIFY(row("foot down") != rows.end() && row("foot down")->on && row("foot down")->guard.hold_s == 0.5);
    const auto own = guards->findItems("foot down", Qt::MatchStartsWith);
    guards->setCurrentItem(own[0]);
    QTest::keyClick(guards, Qt::Key_Delete);
    QVERIFY(guards->findItems("foot down", Qt::MatchStartsWith).isEmpty());
}

void DriveStoryTest::whatWasWrongIsFoundInReview() {
    Story story;
    story.hurry();
    QVERIFY(story.begin());
    story.goTo("Drive");
    tick(story.find<QListWidget>("faults"), "Wastegate stuck open to", true);
    tick(story.find<QListWidget>("faults"), "Alternator dead", true);
    choose(story.find<QComboBox>("route"), "Pulls in 3rd,");
    QVERIFY(story.click("record"));
    if (auto* answer = story.find<QPushButton>("tankAnswer")) QTest::keyClick(answer, Qt::Key_Return);
    QVERIFY(story.settle());
    story.goTo("Review");
    auto* findings = story.window().findChild<QListWidget*>("findings");
    QTRY_VERIFY_WITH_TIMEOUT(findings->count() >= 2, 20000);
    const auto row = [&](const char* part) {
        for (int i = 0; i < findings->count(); ++i)
            if (findings->item(i)->text().contains(part)) return i;
        return -1;
    };
    QVERIFY(row("battery falls") >= 0);
    // Serious ones stand first.
    for (int i = 1; i < findings->count(); ++i)
        QVERIFY(
            !(findings->item(i)->text().startsWith("danger") && !findings->item(i - 1)->text().startsWith("danger")));
    auto* lanes = story.find<LaneView>("reviewLanes");
    QTRY_VERIFY_WITH_TIMEOUT(lanes->to() > 60, 20000);
    findings->setFocus();
    findings->setCurrentRow(row("battery falls"));
    const QString meaning = story.find<QLabel>("eventFigures")->text();
    QVERIFY2(meaning.contains("alternator does not charge") && meaning.contains("Put the supply right"),
             qPrintable(meaning));
    QVERIFY(lanes->from() >= 0 && lanes->cursor());
    // What to do leads there.
    QCOMPARE(story.find<QPushButton>("goThere")->text(), QString("Car \u2192"));
    QVERIFY(story.click("goThere"));
    QVERIFY(story.find<QPushButton>("cable"));
    // Another drive is looked at: the finding leads back to the one it is of.
    story.goTo("Drive");
    tick(story.find<QListWidget>("faults"), "Alternator dead", false);
    choose(story.find<QComboBox>("route"), "Warm idle");
    QVERIFY(story.click("record") && story.settle());
    story.goTo("Review");
    auto* recordings = story.find<QListWidget>("recordings");
    QTRY_COMPARE_WITH_TIMEOUT(recordings->count(), 2, 20000);
    QTRY_VERIFY_WITH_TIMEOUT(recordings->currentRow() == 1 && row("battery falls") >= 0, 20000);
    QTRY_COMPARE_WITH_TIMEOUT(story.desks().playback.recording() ? story.desks().playback.recording()->title : "",
                              std::string("Warm idle"), 20000);
    findings->setCurrentRow(row("battery falls"));
    QTRY_COMPARE_WITH_TIMEOUT(story.desks().playback.recording()->title, std::string("Pulls in 3rd"), 20000);
    QCOMPARE(recordings->currentRow(), 0);
    QVERIFY(story.desks().playback.time_s() > 1 && lanes->from() < story.desks().playback.time_s());
    QVERIFY(story.find<QLabel>("eventFigures")->text().contains("alternator"));
}

void DriveStoryTest::anArmedRecordingWaitsForItsCondition() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Drive");
    QVERIFY(story.click("guardsTab"));
    auto* arm = story.find<QLineEdit>("arm");
    QTest::keyClicks(arm, "held(<pedal> > 80, 0.3 s");
    QTest::keyClick(arm, Qt::Key_Return);
    QVERIFY(story.find<QLabel>("guardProblem"));
    arm->clear();
    QTest::keyClicks(arm, "held(<pedal> > 80 %, 0.3 s)");
    QTest::keyClick(arm, Qt::Key_Return);
    QVERIFY(!story.find<QLabel>("guardProblem"));
    choose(story.find<QComboBox>("route"), "Pulls in 3rd,");
    choose(story.find<QComboBox>("timeLapse"), "20 times");
    QVERIFY(story.click("record"));
    if (auto* answer = story.find<QPushButton>("tankAnswer")) QTest::keyClick(answer, Qt::Key_Return);
    const auto situation = [&] { return story.window().findChild<QLabel*>("driveSituation")->text(); };
    QTRY_VERIFY_WITH_TIMEOUT(situation().startsWith("armed: waits for held("), 10000);
    QTRY_VERIFY_WITH_TIMEOUT(situation().contains("stretch 1 is recorded"), 20000);
    QVERIFY(story.settle());
    const auto entries = story.folder().recordings().of(story.selected()->id);
    QVERIFY(entries && entries->size() == 1 && entries->front().gaps == 0);
    const auto recording = job::loadRecording(story.folder(), entries->front());
    QCOMPARE(kinds(**recording).count("stretch"), 3);
}

void DriveStoryTest::theTankIsAskedForOnceInOneKey() {
    Story story;
    story.hurry();
    QVERIFY(story.begin());
    story.setSheet({});
    story.goTo("Drive");
    choose(story.find<QComboBox>("route"), "Warm idle");
    QVERIFY(story.click("record"));
    // It is asked for, not begun; the answer has the focus.
    QVERIFY(!story.busy());
    auto* octane = story.find<QDoubleSpinBox>("tankOctane");
    QVERIFY(octane && octane->text() == "not known");
    auto* answer = story.find<QPushButton>("tankAnswer");
    QTRY_VERIFY(answer && answer->hasFocus());
    octane->setValue(95);
    QTest::keyClick(answer, Qt::Key_Return);
    QVERIFY(story.busy());
    QVERIFY(story.settle());
    const auto entries = story.folder().recordings().of(story.selected()->id);
    QVERIFY(entries && entries->size() == 1 && entries->front().conditions.octane_RON == 95.0);
    // It is remembered.
    QVERIFY(story.click("record"));
    QVERIFY(story.busy() && story.settle());
    const auto two = story.folder().recordings().of(story.selected()->id);
    QVERIFY(two->size() == 2 && two->back().conditions.octane_RON == 95.0);
    QVERIFY(story.window().findChild<QLabel*>("driveSituation")->text().contains("95 RON"));
}

void DriveStoryTest::aCarThatNoProfileKnowsIsRecorded() {
    const QTemporaryDir data;
    QDir().mkpath(data.filePath("sensors"));
    QFile::copy(BRUSK_DATA_DIR "/sensors/tarn-l3.dbc", data.filePath("sensors/tarn-l3.dbc"));
    Story story({}, data.path());
    story.hurry();
    story.connectTo("bench");
    QVERIFY(story.settle());
    QVERIFY(story.linkIsOpen());
    story.goTo("Drive");
    QVERIFY(story.find<QLabel>("channelCost")->text().contains("by OBD"));
    // A wideband on its bus is heard, and used.
    choose(story.find<QComboBox>("benchWideband"), "Tarn L3");
    QVERIFY(story.click("sensorsTab"));
    QVERIFY(story.click("listen") && story.settle());
    QVERIFY(story.click("useSensor"));
    auto* sensors = story.find<QTreeWidget>("sensors");
    QTRY_COMPARE(sensors->topLevelItem(0)->text(2), QString("wideband lambda"));
    // Its numbers, and those of the car, can be watched.
    QVERIFY(story.click("guardsTab"));
    auto* guards = story.find<QListWidget>("guards");
    QCOMPARE(guards->findItems("Coolant too hot", Qt::MatchStartsWith).size(), 1);
    auto* line = story.find<QLineEdit>("ownGuard");
    QTest::keyClicks(line, "<lambda_measured> > 0.5 lambda and <engine_speed> > 400 rpm; 1; it runs");
    QTest::keyClick(line, Qt::Key_Return);
    QVERIFY(line->text().isEmpty() && guards->findItems("it runs", Qt::MatchStartsWith).size() == 1);
    const auto situation = [&] { return story.window().findChild<QLabel*>("driveSituation")->text(); };
    QVERIFY2(situation().contains("by OBD"), qPrintable(situation()));
    choose(story.find<QComboBox>("route"), "Warm idle");
    QVERIFY(story.find<QPushButton>("record")->isEnabled());
    QVERIFY(story.click("record"));
    if (auto* answer = story.find<QPushButton>("tankAnswer")) QTest::keyClick(answer, Qt::Key_Return);
    QVERIFY(story.settle());
    QVERIFY2(story.message().contains("Recorded"), qPrintable(story.message()));
    const auto all = story.folder().recordings().all();
    QVERIFY(all && all->size() == 1 && !all->front().round);
    const auto recording = job::loadRecording(story.folder(), all->front());
    QVERIFY((*recording)->areas.starts_with("obd:") && (*recording)->findRole("engine_speed"));
    const auto lambda = (*recording)->findRole("lambda_measured");
    QVERIFY(lambda && lambda.group->name == "TarnL3" && lambda.channel->unit == "AFR");
    QCOMPARE(kinds(**recording).count("guard"), 1);
}

QTEST_MAIN(DriveStoryTest)
#include "DriveStoryTest.moc"
