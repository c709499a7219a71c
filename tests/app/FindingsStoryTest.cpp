// What was found, followed through the window: opened, moments, lanes, cells, what to do, and evidence left out and put
// back.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QTreeWidget>

#include "DrivenKit.h"
#include "Expect.h"
#include "Story.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/widgets/LaneView.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::app;

class FindingsStoryTest : public QObject {
    Q_OBJECT
  private slots:
    void aFindingIsFollowed_data();
    void aFindingIsFollowed();
    void aPullHasItsTorqueFromTheRoad();
};

namespace {

/// A recording of the bench car with a fault, in the folder that is open.
void keepDrive(Story& story, const char* fault, const std::vector<std::string>& routes) {
    benchcar::BenchCar car(benchcar::kHeronStock, 1);
    if (*fault) QVERIFY(benchcar::addFault(car.faults(), fault));
    const auto driven = bench::drive(car, {bench::kitOf(benchcar::kHeronStock)}, routes, 20);
    carfolder::RecordingEntry entry;
    entry.round = story.selected()->id;
    entry.file = "drive.mf4";
    entry.title = "A drive";
    entry.startedAt = "2026-05-04T10:00:00Z";
    entry.duration_s = driven.recordings[0]->duration_s();
    auto& folder = story.folder();
    EXPECT_OK(recording::saveMdf4(folder.files(), folder.recordings().path(entry.file), *driven.recordings[0]));
    EXPECT_OK(folder.recordings().add(entry));
    story.desks().evidence.driveAdded(story.selected()->id);
    story.desks().places.showRound(story.desks().places.round());
}

}  // namespace

void FindingsStoryTest::aFindingIsFollowed_data() {
    QTest::addColumn<QString>("fault");
    QTest::addColumn<QStringList>("routes");
    QTest::addColumn<QString>("seen");     ///< of its sentence
    QTest::addColumn<QString>("lane");     ///< the first that is laid out for it
    QTest::addColumn<QString>("station");  ///< where it is put right
    QTest::addColumn<bool>("taints");      ///< the mixture
    const auto add = [](const char* fault, const QStringList& routes, const char* seen, const char* lane,
                        const char* station,
                        bool taints) { QTest::newRow(fault) << fault << routes << seen << lane << station << taints; };
    add("wideband:stuck", {"town"}, "wideband says the same", "lambda", "Drive", false);
    add("wideband-leak=0.8", {"town", "hills", "motorway"}, "wideband alone reads", "lambda", "Drive", true);
    add("wideband-cold=90", {"town"}, "not ready", "lambda", "Drive", true);
    add("wideband:offset=0.12", {"town", "hills"}, "wherever the narrowband", "lambda", "Drive", true);
    add("narrowband:dead", {"town", "hills"}, "narrowband stays", "narrowband", "Car", false);
    add("meter:dead", {"town"}, "airflow meter stays", "airflow meter", "Car", false);
    add("alternator-dead=2", {"town"}, "battery falls", "battery", "Car", false);
    add("wastegate-stuck=1", {"pulls-3", "pulls-4"}, "With the duty at its end", "pressure", "Car", false);
    add("poor-fuel=84", {"pulls-3", "pulls-4"}, "Knock was heard", "spark", "Correct", false);
    add("wheel:scaled=1.2", {"town", "hills"}, "road speed reads", "speed", "Correct", false);
}

void FindingsStoryTest::aFindingIsFollowed() {
    QFETCH(QString, fault);
    QFETCH(QStringList, routes);
    QFETCH(QString, seen);
    QFETCH(QString, lane);
    QFETCH(QString, station);
    QFETCH(bool, taints);
    std::vector<std::string> names;
    for (const QString& route : routes)
        names.push_back(route.toStdString());
    Story story;
    story.hurry();
    QVERIFY(story.begin());
    keepDrive(story, fault.toUtf8().constData(), names);
    story.goTo("Review");
    auto* findings = story.window().findChild<QListWidget*>("findings");
    QTRY_VERIFY_WITH_TIMEOUT(findings->count() > 0, 30000);
    int row = -1;
    for (int i = 0; i < findings->count() && row < 0; ++i)
        if (findings->item(i)->text().contains(seen)) row = i;
    QVERIFY2(row >= 0, qPrintable(findings->item(0)->text()));
    QTRY_VERIFY_WITH_TIMEOUT(story.desks().playback.recording(), 20000);
    auto* lanes = story.find<LaneView>("reviewLanes");
    QTRY_VERIFY_WITH_TIMEOUT(!lanes->traces().empty(), 20000);
    // By the keyboard: down to it.
    findings->setFocus();
    findings->setCurrentRow(row);
    auto* meaning = story.find<QLabel>("eventFigures");
    QVERIFY(meaning->text().contains("It means"));
    // Its lanes, at its moment.
    QTRY_VERIFY2_WITH_TIMEOUT(lanes->traces()[0].name.contains(lane, Qt::CaseInsensitive),
                              qPrintable(lanes->traces()[0].name), 10000);
    QVERIFY(lanes->to() > lanes->from() && lanes->cursor());
    // The cells behind it.
    const auto& cells = story.find<MapGrid>("cellView")->contents();
    QVERIFY(std::any_of(cells.evidence.begin(), cells.evidence.end(), [](float dot) { return dot > 0; }));
    // What is sick is not learned from, until it is put back.
    auto* putBack = story.window().findChild<QPushButton*>("putBack");
    const auto kept = [&] {
        const auto drives = story.desks().evidence.of(story.selected()->id);
        return drives && drives->mixture() ? drives->mixture()->size() : size_t{0};
    };
    if (taints) {
        QVERIFY(putBack->isVisible() && putBack->text().startsWith("Left out"));
        const size_t before = kept();
        QVERIFY(story.click("putBack"));
        QTRY_VERIFY_WITH_TIMEOUT(putBack->isVisible() && putBack->text().startsWith("Put back"), 20000);
        QVERIFY2(kept() > before + 100, qPrintable(QString("%1 of %2").arg(before).arg(kept())));
        QCOMPARE(findings->currentRow() >= 0, true);
        QVERIFY(story.click("putBack"));
        QTRY_VERIFY_WITH_TIMEOUT(putBack->isVisible() && putBack->text().startsWith("Left out"), 20000);
        QCOMPARE(kept(), before);
    }
    // The ledger knows, and what to do leads there.
    QVERIFY(story.desks().evidence.openFindings(story.selected()->id) > 0);
    QCOMPARE(story.find<QPushButton>("goThere")->text(), station + " \u2192");
    QVERIFY(story.click("goThere"));
    QTRY_VERIFY(!story.find<LaneView>("reviewLanes"));
}

void FindingsStoryTest::aPullHasItsTorqueFromTheRoad() {
    Story story;
    story.hurry();
    QVERIFY(story.begin());
    keepDrive(story, "", {"road-pulls-3"});
    proposals::BuildSheet sheet = story.sheet();
    sheet.of(proposals::Fact::VehicleMass) = 1310;
    sheet.of(proposals::Fact::DragArea) = 0.66;
    story.setSheet(sheet);
    story.goTo("Review");
    QTRY_VERIFY_WITH_TIMEOUT(story.desks().playback.recording(), 20000);
    auto* events = story.find<QTreeWidget>("events");
    const auto pull = [&]() -> QTreeWidgetItem* {
        const auto items = events->findItems("Full pedal in one gear", Qt::MatchStartsWith);
        return items.isEmpty() ? nullptr : items[0]->child(0);
    };
    QTRY_VERIFY_WITH_TIMEOUT(pull(), 20000);
    events->setCurrentItem(pull());
    auto* lanes = story.find<LaneView>("reviewLanes");
    const auto torque = [&] {
        for (const auto& trace : lanes->traces())
            if (trace.name.startsWith("Torque from the road")) return &trace;
        return static_cast<const Trace*>(nullptr);
    };
    QTRY_VERIFY_WITH_TIMEOUT(torque(), 20000);
    const QString told = story.find<QLabel>("eventFigures")->text();
    QVERIFY2(told.contains("Nm at") && told.contains("coast-down"), qPrintable(told));
    float most = 0;
    for (const float one : torque()->data->values())
        most = std::max(most, one);
    QVERIFY2(most > 120 && most < 320, qPrintable(QString::number(most)));
}

QTEST_MAIN(FindingsStoryTest)
#include "FindingsStoryTest.moc"
