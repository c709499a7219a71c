// The Maps station in the real window with a definition of 100,000 parameters: a keystroke in the finder, opening a
// map, an arrow key and an edit, each until the window is painted, against a frame of 60 a second.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QElapsedTimer>
#include <algorithm>
#include <cstdio>

#include "LargeDefinition.h"
#include "Maps.h"
#include "app/desks/CarInHand.h"
#include "app/desks/DefinitionDesk.h"

using namespace brusk;
using namespace brusk::app;

namespace {

constexpr double kFrame_ms = 1000.0 / 60;

template <class Step>
void tell(const char* what, int rounds, Step step) {
    double sum = 0, worst = 0;
    for (int i = 0; i < rounds; ++i) {
        QElapsedTimer timer;
        timer.start();
        step(i);
        QCoreApplication::processEvents();
        const double took = static_cast<double>(timer.nsecsElapsed()) / 1e6;
        sum += took;
        worst = std::max(worst, took);
    }
    std::printf("%-34s mean %6.2f ms, %.2f of a frame; worst %6.2f ms\n", what, sum / rounds, sum / rounds / kFrame_ms,
                worst);
}

}  // namespace

int main(int argc, char** argv) {
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    Theme::instance().loadFonts();
    Theme::instance().setDark(false);
    Story story;
    if (!story.begin()) return 1;
    Desks& desks = story.desks();
    auto* grid = story.openParameter("how full");
    auto* finder = story.find<QLineEdit>("finder");
    auto* maps = mapsOf(story);
    const auto measure = [&] {
        std::printf("%zu parameters\n", story.calibration()->definition().parameters.size());
        const QString words = "boost target full load";
        finder->clear();
        QCoreApplication::processEvents();
        tell("a keystroke in the finder", static_cast<int>(words.size()),
             [&](int i) { QTest::keyClicks(finder, words.mid(i, 1)); });
        tell("opening a map", 20, [&](int i) { maps->open(i % 2 ? "ve_map" : "boost_target"); });
        maps->open("ve_map");
        tell("an arrow key in the grid", 60,
             [&](int i) { QTest::keyClick(grid, i % 2 ? Qt::Key_Left : Qt::Key_Right); });
        tell("an edit, kept in the journal", 20, [&](int i) { typeInto(grid, i % 2 ? "+1" : "-1%"); });
    };
    measure();
    // The demo's definition with a hundred thousand more.
    const std::string large = bench::largeDefinition(100000);
    std::string text = desks.car.kit->definition->source->text;
    const size_t first = large.find("/begin RECORD_LAYOUT"), last = large.find("/begin GROUP");
    text.insert(text.rfind("/end MODULE"), large.substr(first, last - first));
    bool kept = false;
    desks.definition.change(text, [&] { kept = true; });
    if (!QTest::qWaitFor([&] { return kept; }, 60000)) return 1;
    // What is built off the window's thread is waited for, as a person would have it by then.
    QTest::qWait(3000);
    measure();
    return 0;
}
