// A recording that is played: lanes, cells and open maps follow the same moment, in the units the user wants.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QComboBox>
#include <QLabel>
#include <QSlider>
#include <QTreeWidget>
#include <cmath>

#include "Expect.h"
#include "Maps.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/Playback.h"
#include "app/desks/UnitChoice.h"
#include "app/widgets/LaneView.h"
#include "core/evidence/Events.h"

using namespace brusk;
using namespace brusk::app;

class PlaybackTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void thePlayedRecordingMovesTheFootprintOnOpenMaps();
    void theCursorOfTheLanesIsTheMomentOfTheMaps();
    void anEventLeadsToItsMoment();
    void playingHaltsAtTheEndAndBeginsAgain();
    void readoutsAndCellsSpeakTheWantedUnits();

  private:
    /// Opens Review and waits until the last recording is there.
    void review();
    std::unique_ptr<Story> story_;
};

void PlaybackTest::initTestCase() {
    story_ = std::make_unique<Story>();
    QVERIFY(story_->begin());
    QVERIFY(story_->drive());
}

void PlaybackTest::review() {
    story_->goTo("Review");
    QTRY_VERIFY_WITH_TIMEOUT(story_->desks().playback.recording(), 20000);
    QTRY_VERIFY_WITH_TIMEOUT(story_->find<QPushButton>("play"), 5000);
}

void PlaybackTest::thePlayedRecordingMovesTheFootprintOnOpenMaps() {
    Desks& desks = story_->desks();
    auto* grid = story_->openParameter("how full");
    QVERIFY(!grid->footprint().at());
    review();
    story_->goTo("Maps");
    const auto& table = mapsOf(*story_)->active()->table();
    const auto& recording = *desks.playback.recording();
    // Played by the button; the footprint is where the engine was.
    story_->find<QComboBox>("playRateMaps")->setCurrentText("20 \u00d7");
    QTest::keyClick(grid, Qt::Key_P, Qt::ControlModifier);
    QVERIFY(desks.playback.playing());
    QTRY_VERIFY_WITH_TIMEOUT(desks.playback.time_s() > 4, 20000);
    QTest::keyClick(grid, Qt::Key_P, Qt::ControlModifier);
    QVERIFY(!desks.playback.playing());
    const double now = desks.playback.time_s();
    QVERIFY(grid->footprint().at());
    QCOMPARE(grid->footprint().at()->x(), recording.valueAt(table.x.input, now));
    QCOMPARE(grid->footprint().at()->y(), recording.valueAt(table.y.input, now));
    // By the slider as well, on the surface as on the grid.
    story_->find<QSlider>("playPlaceMaps")->setValue(200);
    QCOMPARE(desks.playback.time_s(), 10.0);
    QCOMPARE(grid->footprint().at()->x(), recording.valueAt(table.x.input, 10));
    // A map whose inputs were not recorded has no footprint.
    auto* other = story_->openParameter("pressure expected");
    const auto& axes = mapsOf(*story_)->active()->table();
    QCOMPARE(bool(other->footprint().at()), bool(recording.find(axes.x.input)) && bool(recording.find(axes.y.input)));
}

void PlaybackTest::theCursorOfTheLanesIsTheMomentOfTheMaps() {
    Desks& desks = story_->desks();
    review();
    auto* lanes = story_->find<LaneView>("reviewLanes");
    auto* cells = story_->find<MapGrid>("cellView");
    QTRY_VERIFY_WITH_TIMEOUT(cells->isVisible() && !cells->contents().values.empty(), 20000);
    desks.playback.setMoment(7);
    QCOMPARE(lanes->cursor(), std::optional<double>(7));
    QVERIFY(cells->footprint().at());
    QCOMPARE(cells->footprint().at()->x(), desks.drive.valueNow("speed"));
    QTest::mouseClick(lanes, Qt::LeftButton, {}, QPoint(lanes->width() / 2, 20));
    QVERIFY(desks.playback.time_s() > 7);
    QCOMPARE(lanes->cursor(), std::optional<double>(desks.playback.time_s()));
    // Space plays and halts where the lanes have the keyboard.
    lanes->setFocus();
    QTest::keyClick(lanes, Qt::Key_Space);
    QVERIFY(desks.playback.playing());
    QTest::keyClick(lanes, Qt::Key_Space);
    QVERIFY(!desks.playback.playing());
}

void PlaybackTest::anEventLeadsToItsMoment() {
    Desks& desks = story_->desks();
    review();
    auto* events = story_->find<QTreeWidget>("events");
    QTRY_VERIFY_WITH_TIMEOUT(events->topLevelItemCount() > 5, 20000);
    const auto kind = [&](const char* title) {
        const auto items = events->findItems(title, Qt::MatchStartsWith);
        return items.isEmpty() ? nullptr : items[0];
    };
    auto* pulls = kind("Full pedal in one gear");
    QVERIFY(pulls && pulls->isExpanded() && pulls->childCount() == pulls->text(1).toInt());
    // The same as the core finds.
    const auto found = evidence::eventsOf(evidence::Sampled(desks.playback.recording()));
    const auto there = found.of(roles::kPull);
    QCOMPARE(static_cast<size_t>(pulls->childCount()), there.size());
    // By the keyboard: from a kind to its first event, and on.
    events->setFocus();
    events->setCurrentItem(pulls);
    QTest::keyClick(events, Qt::Key_Down);
    QCOMPARE(events->currentItem(), pulls->child(0));
    auto* lanes = story_->find<LaneView>("reviewLanes");
    QCOMPARE(desks.playback.time_s(), there[0]->from_s);
    QVERIFY(lanes->from() < there[0]->from_s && lanes->to() > there[0]->to_s);
    QVERIFY(lanes->to() - lanes->from() < 2 * (there[0]->to_s - there[0]->from_s) + 5);
    const QString figures = story_->find<QLabel>("eventFigures")->text();
    QVERIFY2(figures.contains("gear <b>4</b>") && figures.contains("greatest pressure") && figures.contains("kPa"),
             qPrintable(figures));
    QTest::keyClick(events, Qt::Key_Down);
    QCOMPARE(desks.playback.time_s(), there[1]->from_s);
    // In the units that somebody wants.
    units::Preferences wanted = story_->units();
    wanted.wanted[units::Quantity::Pressure] = "psi";
    desks.units.choose(wanted);
    QVERIFY2(story_->find<QLabel>("eventFigures")->text().contains("psi"),
             qPrintable(story_->find<QLabel>("eventFigures")->text()));
    wanted.wanted.erase(units::Quantity::Pressure);
    desks.units.choose(wanted);
}

void PlaybackTest::playingHaltsAtTheEndAndBeginsAgain() {
    Desks& desks = story_->desks();
    review();
    const double end = desks.playback.recording()->duration_s();
    desks.playback.setMoment(end + 100);
    QCOMPARE(desks.playback.time_s(), end);
    QVERIFY(story_->find<QLabel>("playTime")->text().contains("of"));
    desks.playback.setMoment(end - 0.05);
    QVERIFY(story_->click("play"));
    QTRY_VERIFY_WITH_TIMEOUT(!desks.playback.playing(), 20000);
    QCOMPARE(desks.playback.time_s(), end);
    QVERIFY(story_->click("play"));
    QVERIFY(desks.playback.playing() && desks.playback.time_s() < end);
    QVERIFY(story_->click("play"));
}

void PlaybackTest::readoutsAndCellsSpeakTheWantedUnits() {
    Desks& desks = story_->desks();
    units::Preferences wanted = story_->units();
    wanted.wanted[units::Quantity::Pressure] = "psi";
    story_->chooseUnits(wanted);
    review();
    auto* cells = story_->find<MapGrid>("cellView");
    QTRY_VERIFY_WITH_TIMEOUT(cells->isVisible() && !cells->contents().values.empty(), 20000);
    const auto table = *story_->calibration()->read("ve_map");
    QCOMPARE(cells->contents().y.front(), *units::convert(table.y.values.front(), "kPa", "psi"));
    desks.playback.setMoment(5);
    QVERIFY(std::abs(cells->footprint().at()->y() - *units::convert(desks.drive.valueNow("pressure"), "kPa", "psi")) <
            1e-9);
    story_->goTo("Drive");
    auto* readout = story_->find<QFrame>("readout_manifold_pressure");
    QVERIFY(readout);
    QCOMPARE(readout->findChildren<QLabel*>().front()->text(), QString("pressure psi"));
    story_->chooseUnits({});
    QCOMPARE(readout->findChildren<QLabel*>().front()->text(), QString("pressure kPa"));
}

QTEST_MAIN(PlaybackTest)
#include "PlaybackTest.moc"
