// Walks the demo story and saves a picture of each station: screenshots OUTDIR [light|dark] [station ...]
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QComboBox>

#include "Story.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/MapGrid.h"

using namespace brusk::app;

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    if (argc < 2) return 2;
    const QString out = argv[1];
    const bool dark = argc > 2 && QString(argv[2]) == "dark";
    Theme::instance().loadFonts();
    Theme::instance().setDark(dark);
    Story story;
    auto& window = story.window();
    window.resize(1280, 800);
    const auto shoot = [&](const char* name) {
        QTest::qWait(250);
        window.grab().save(out + "/" + name + ".png");
    };
    const auto must = [](bool ok, const char* what) {
        if (!ok) qFatal("the story stopped at: %s", what);
    };
    story.hurry();
    shoot("0-start");
    must(story.connectBenchCar(), "connect");
    must(story.read(), "read");
    must(story.drive(), "drive the original");
    story.goTo("Car");
    must(story.click("readCodes") && story.settle(), "trouble codes");
    shoot("car");
    story.goTo("Base");
    shoot("base");
    must(story.makeBase(), "base");
    must(story.flash(), "flash");
    must(story.drive(), "drive the base");
    story.goTo("Review");
    must(QTest::qWaitFor([&] { return story.find<MapGrid>("cellView"); }, 20000), "waiting");
    if (auto* cells = story.find<MapGrid>("cellView"))
        QTest::mouseClick(cells, Qt::LeftButton, {}, cells->cellCentre(6, 6));
    shoot("review");
    story.goTo("Correct");
    must(QTest::qWaitFor([&] { return window.findChild<QPushButton*>("makeRound")->isEnabled(); }, 20000), "waiting");
    shoot("correct");
    must(story.correct(), "correct");
    story.goTo("Flash");
    story.settle();
    must(QTest::qWaitFor([&] { return story.find<QPushButton>("flash")->isEnabled(); }, 20000), "the gates");
    shoot("flash-ready");
    // The picture of a flash under way: slow enough to be looked at.
    story.session().setTimeLapse(1);
    must(story.click("flash") && story.click("confirmFlash"), "begin the flash");
    QTest::qWait(1100);
    window.grab().save(out + "/flash.png");
    must(story.settle(), "flash");
    story.goTo("Maps");
    if (auto* grid = story.find<MapGrid>("mapGrid")) {
        QTest::mouseClick(grid, Qt::LeftButton, {}, grid->cellCentre(4, 5));
        QTest::mouseClick(grid, Qt::LeftButton, Qt::ShiftModifier, grid->cellCentre(5, 7));
        QTest::keyClicks(grid, "x");
        if (auto* editor = grid->findChild<QLineEdit*>("cellEditor")) {
            QTest::keyClicks(editor, "1.02");
            QTest::keyClick(editor, Qt::Key_Return);
        }
    }
    shoot("maps");
    story.goTo("Drive");
    story.session().setTimeLapse(20);
    if (auto* lapse = window.findChild<QComboBox*>("timeLapse")) lapse->setCurrentIndex(2);
    must(story.click("record"), "record");
    QTest::qWait(9000);
    window.grab().save(out + "/drive.png");
    story.click("record");
    must(story.settle(), "stop the drive");
    story.goTo("Deliver");
    shoot("deliver");
    return 0;
}
