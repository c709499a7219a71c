// How long a map of 32 x 32 with every mark takes to repaint, as grid, profiles and surface, at rest and while the
// footprint moves; each against a frame of 60 a second, and the moving footprint against a plain fill of the same area.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QImage>
#include <QPainter>
#include <chrono>
#include <cmath>
#include <cstdio>

#include "app/theme/Theme.h"
#include "app/widgets/MapGrid.h"
#include "app/widgets/ProfileView.h"
#include "app/widgets/SurfaceView.h"

using namespace brusk::app;

namespace {

constexpr double kFrame_ms = 1000.0 / 60;

template <class Step>
double milliseconds(int rounds, Step step) {
    const auto from = std::chrono::steady_clock::now();
    for (int i = 0; i < rounds; ++i)
        step(i);
    return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - from).count() / rounds;
}

}  // namespace

int main(int argc, char** argv) {
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    Theme::instance().loadFonts();
    Theme::instance().setDark(false);
    constexpr size_t kSide = 32;
    GridContents contents;
    contents.rows = contents.columns = kSide;
    SurfaceView::Shape shape;
    shape.rows = shape.columns = kSide;
    for (size_t i = 0; i < kSide; ++i) {
        contents.x.push_back(500 + 200.0 * static_cast<double>(i));
        contents.y.push_back(10 + 8.0 * static_cast<double>(i));
    }
    for (size_t i = 0; i < kSide * kSide; ++i) {
        contents.values.push_back(60 + 30 * std::sin(static_cast<double>(i % kSide) / 7) *
                                           std::cos(static_cast<double>(i / kSide) / 9));
        contents.evidence.push_back(static_cast<float>(i % 5) / 4);
        contents.doubt.push_back(static_cast<float>(i % 7) / 6);
        contents.edited.push_back(i % 3 == 0);
        contents.differs.push_back(i % 4 == 0);
        contents.pointedAt.push_back(i % 17 == 0);
    }
    shape.x = contents.x, shape.y = contents.y;
    shape.values = shape.reference = contents.values;
    MapGrid grid;
    grid.resize(1200, 700);
    SurfaceView surface;
    surface.resize(700, 500);
    ProfileView profile;
    profile.resize(500, 200);
    ProfileView::Line line;
    line.x = contents.x;
    line.values.assign(contents.values.begin(), contents.values.begin() + kSide);
    line.reference = line.values;
    QImage sheet(1200, 700, QImage::Format_ARGB32_Premultiplied);
    const auto paint = [&](QWidget& widget) { widget.render(&sheet); };
    grid.setContents(contents);
    surface.setShape(shape);
    profile.setLine(line);
    paint(grid), paint(surface), paint(profile);

    const double fill = milliseconds(60, [&](int i) { sheet.fill(i); });
    const double gridWhole = milliseconds(60, [&](int) { grid.setContents(contents), paint(grid); });
    const double surfaceWhole = milliseconds(60, [&](int) { surface.setShape(shape), paint(surface); });
    const double profileWhole = milliseconds(60, [&](int) { profile.setLine(line), paint(profile); });
    const double footprint = milliseconds(60, [&](int i) {
        const QPointF at(500 + 90.0 * i, 10 + 4.0 * i);
        grid.setHere(at), surface.setHere(at);
        paint(grid), paint(surface), paint(profile);
    });
    const auto tell = [](const char* what, double ms) {
        std::printf("%-48s %6.2f ms, %.2f of a frame\n", what, ms, ms / kFrame_ms);
    };
    tell("grid, everything new", gridWhole);
    tell("surface, everything new", surfaceWhole);
    tell("profile, everything new", profileWhole);
    tell("all three, everything new", gridWhole + surfaceWhole + 2 * profileWhole);
    tell("all three while only the footprint moves", footprint);
    std::printf("the moving footprint takes %.1f times a plain fill of the grid's area\n", footprint / fill);
    return 0;
}
