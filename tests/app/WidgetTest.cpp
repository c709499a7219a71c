// The widgets painted by us: what they show, and what mouse and keys do to them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QSignalSpy>
#include <QWheelEvent>
#include <atomic>
#include <random>
#include <thread>

#include "Expect.h"
#include "app/desks/Background.h"
#include "app/theme/Theme.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/MapGrid.h"
#include "app/widgets/ProfileView.h"
#include "app/widgets/Raster.h"
#include "app/widgets/TraceSpans.h"

using namespace brusk;
using namespace brusk::app;

namespace {

GridContents contentsOf(size_t rows, size_t columns) {
    GridContents c;
    c.rows = rows;
    c.columns = columns;
    for (size_t i = 0; i < columns; ++i)
        c.x.push_back(static_cast<double>(1000 + i * 500));
    for (size_t i = 0; i < rows; ++i)
        c.y.push_back(static_cast<double>(20 + i * 20));
    for (size_t i = 0; i < rows * columns; ++i)
        c.values.push_back(static_cast<double>(i));
    return c;
}

int differentPixels(const QImage& a, const QImage& b, const QRect& where) {
    int count = 0;
    for (int y = where.top(); y <= where.bottom(); ++y)
        for (int x = where.left(); x <= where.right(); ++x)
            count += a.pixel(x, y) != b.pixel(x, y);
    return count;
}

}  // namespace

class WidgetTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void callsFromOtherThreadsAreMadeInTheirOrder();
    void aCallThatStaysHoldsUpNoOther();
    void thePoolDoesWhatWaitsBeforeItGoes();
    void arrowsMoveAndShiftExtends();
    void theSelectionStaysInside();
    void headersSelectRowsAndColumns();
    void draggingSelectsARectangle();
    void typingReplacesAndEnterConfirms();
    void aReadOnlyGridTakesNoTyping();
    void marksAreDrawnWithoutTouchingTheDigits();
    void theFootprintCarriesTheWeightsAndTouchesNoDigit();
    void anArrowAfterFSaysWhereToFill();
    void compactGridsTakeNoMouse();
    void thePyramidGivesTheSameRangeAsAScan();
    void gapsAndMissingSamplesAreNotBridged();
    void spansCoverWhatALineThroughThePointsCovers();
    void facesThatShareEdgesCoverEachPixelOnce();
    void aLineInksItsLengthTimesItsWidth();
    void dashesGoOnAroundCorners();
    void nothingIsColouredOutsideTheBoundsOrForPlacesThatAreNone();
    void denseAndSparseLanesShowTheSameTrace();
    void tracesAreReadAtTheirLastSample();
    void theCursorFollowsMouseAndKeys();
    void theWheelZoomsAroundThePointer();
    void whatIsBeyondAFixedRangeIsMarked();
    void aMillionSamplesAreDrawn();
    void profilesShowTheReference();
    void traceColoursDiffer();
};

void WidgetTest::initTestCase() {
    Theme::instance().loadFonts();
    Theme::instance().setDark(false);
}

void WidgetTest::callsFromOtherThreadsAreMadeInTheirOrder() {
    InterfaceCalls calls;
    std::vector<int> made[2];
    {
        std::vector<std::thread> threads;
        for (int who : {0, 1})
            threads.emplace_back([&calls, &made, who] {
                for (int i = 0; i < 1000; ++i)
                    calls.post([&made, who, i] { made[who].push_back(i); });
            });
        for (auto& thread : threads)
            thread.join();
    }
    QVERIFY(made[0].empty());  // none on the thread that asked
    QTRY_VERIFY(made[0].size() == 1000 && made[1].size() == 1000);
    QVERIFY(std::is_sorted(made[0].begin(), made[0].end()) && std::is_sorted(made[1].begin(), made[1].end()));
}

void WidgetTest::aCallThatStaysHoldsUpNoOther() {
    // As a dialog does that a call opens.
    InterfaceCalls calls;
    bool behind = false, back = false;
    calls.post([&] {
        QVERIFY(QTest::qWaitFor([&] { return behind; }));
        back = true;
    });
    calls.post([&] { behind = true; });
    QTRY_VERIFY(back);
}

void WidgetTest::thePoolDoesWhatWaitsBeforeItGoes() {
    std::atomic<int> done{0};
    {
        WorkPool pool;
        for (int i = 0; i < 200; ++i)
            pool.post([&] { ++done; });
    }
    QCOMPARE(done.load(), 200);
}

void WidgetTest::arrowsMoveAndShiftExtends() {
    MapGrid grid;
    grid.setContents(contentsOf(4, 5));
    QSignalSpy moved(&grid, &MapGrid::selectionMoved);
    grid.select(1, 1);
    QTest::keyClick(&grid, Qt::Key_Right);
    QTest::keyClick(&grid, Qt::Key_Down);
    QCOMPARE(grid.currentRow(), 2);
    QCOMPARE(grid.currentColumn(), 2);
    QTest::keyClick(&grid, Qt::Key_Up, Qt::ShiftModifier);
    QTest::keyClick(&grid, Qt::Key_Left, Qt::ShiftModifier);
    QCOMPARE(grid.selectedCells(), (std::vector<size_t>{6, 7, 11, 12}));
    QTest::keyClick(&grid, Qt::Key_End);
    QCOMPARE(grid.selectedCells(), (std::vector<size_t>{9}));
    QTest::keyClick(&grid, Qt::Key_Home, Qt::ShiftModifier);
    QCOMPARE(grid.selectedCells().size(), size_t{5});
    QCOMPARE(moved.count(), 7);
}

void WidgetTest::theSelectionStaysInside() {
    MapGrid grid;
    grid.select(3, 3);  // nothing to select yet
    grid.setContents(contentsOf(2, 2));
    for (const auto key : {Qt::Key_Left, Qt::Key_Up, Qt::Key_Right, Qt::Key_Right, Qt::Key_Right, Qt::Key_Down,
                           Qt::Key_Down, Qt::Key_Down})
        QTest::keyClick(&grid, key);
    QCOMPARE(grid.currentCell(), size_t{3});
    // A new shape begins at its corner.
    grid.setContents(contentsOf(1, 3));
    QCOMPARE(grid.currentCell(), size_t{0});
}

void WidgetTest::headersSelectRowsAndColumns() {
    MapGrid grid;
    grid.setContents(contentsOf(4, 5));
    grid.resize(400, 160);
    const QPoint cell = grid.cellCentre(2, 3);
    QTest::mouseClick(&grid, Qt::LeftButton, {}, QPoint(cell.x(), 8));
    QCOMPARE(grid.selectedCells(), (std::vector<size_t>{3, 8, 13, 18}));
    QTest::mouseClick(&grid, Qt::LeftButton, {}, QPoint(8, cell.y()));
    QCOMPARE(grid.selectedCells(), (std::vector<size_t>{10, 11, 12, 13, 14}));
}

void WidgetTest::draggingSelectsARectangle() {
    MapGrid grid;
    grid.setContents(contentsOf(4, 5));
    grid.resize(400, 160);
    QTest::mousePress(&grid, Qt::LeftButton, {}, grid.cellCentre(0, 1));
    QMouseEvent move(QEvent::MouseMove, QPointF(grid.cellCentre(1, 2)), QPointF(grid.cellCentre(1, 2)), Qt::NoButton,
                     Qt::LeftButton, {});
    QApplication::sendEvent(&grid, &move);
    QTest::mouseRelease(&grid, Qt::LeftButton, {}, grid.cellCentre(1, 2));
    QCOMPARE(grid.selectedCells(), (std::vector<size_t>{1, 2, 6, 7}));
}

void WidgetTest::typingReplacesAndEnterConfirms() {
    MapGrid grid;
    grid.setContents(contentsOf(2, 2));
    grid.setEditable(true);
    grid.show();
    QSignalSpy typed(&grid, &MapGrid::typed);
    QTest::keyClick(&grid, '7');
    auto* editor = grid.findChild<QLineEdit*>("cellEditor");
    QCOMPARE(editor->text(), "7");
    QTest::keyClicks(editor, ".5");
    QTest::keyClick(editor, Qt::Key_Return);
    QCOMPARE(typed.count(), 1);
    QCOMPARE(typed[0][0].toString(), "7.5");
    QVERIFY(!editor->isVisible());
    QTest::keyClick(&grid, Qt::Key_F2);  // F2 begins with what is there
    QCOMPARE(editor->text(), "0.0");
    QTest::keyClick(editor, Qt::Key_Escape);
    QCOMPARE(typed.count(), 1);
}

void WidgetTest::aReadOnlyGridTakesNoTyping() {
    MapGrid grid;
    grid.setContents(contentsOf(2, 2));
    grid.show();
    QTest::keyClick(&grid, '7');
    QTest::keyClick(&grid, Qt::Key_F2);
    QVERIFY(!grid.findChild<QLineEdit*>("cellEditor")->isVisible());
}

void WidgetTest::marksAreDrawnWithoutTouchingTheDigits() {
    MapGrid grid;
    auto c = contentsOf(1, 3);
    c.shade = GridContents::Shade::None;
    c.values = {-88.8, -88.8, -88.8};
    grid.resize(46 + 3 * 46, 60);
    grid.setContents(c);
    grid.select(0, 2);
    const QImage plain = grid.grab().toImage();
    c.evidence = {1, 0, 0};
    c.doubt = {0, 0, 0};
    c.edited = {1, 0, 0};
    c.differs = {1, 0, 0};
    grid.setContents(c);
    const QImage marked = grid.grab().toImage();
    const QPoint centre = grid.cellCentre(0, 0);
    QVERIFY(differentPixels(plain, marked, QRect(centre.x() - 22, centre.y() - 11, 44, 22)) > 20);
    // The digits lie in the middle of the height, right of the dot: there, nothing changed.
    QCOMPARE(differentPixels(plain, marked, QRect(centre.x() - 12, centre.y() - 5, 32, 10)), 0);
    QCOMPARE(differentPixels(plain, marked, QRect(grid.cellCentre(0, 1).x() - 20, 26, 40, 20)), 0);
}

void WidgetTest::theFootprintCarriesTheWeightsAndTouchesNoDigit() {
    MapGrid grid;
    auto c = contentsOf(5, 5);
    c.shade = GridContents::Shade::None;
    grid.setContents(c);
    grid.resize(400, 170);
    const QImage without = grid.grab().toImage();
    // A quarter of the way to the next column, half of the way to the next row.
    const double x = c.x[2] + 0.25 * (c.x[3] - c.x[2]), y = c.y[1] + 0.5 * (c.y[2] - c.y[1]);
    grid.setHere(QPointF(x, y));
    const auto& cells = grid.footprint().cells();
    QCOMPARE(cells.size(), size_t{4});
    QCOMPARE(cells[0].cell, size_t{1 * 5 + 2});
    QVERIFY(std::abs(cells[0].weight - 0.375) < 1e-9 && std::abs(cells[1].weight - 0.125) < 1e-9);
    const QImage with = grid.grab().toImage();
    const auto lowerEdge = [&](int row, int column) {
        const QPoint centre = grid.cellCentre(row, column);
        const int half = grid.cellCentre(row + 1, column).y() - centre.y();
        return QRect(centre.x() - 30, centre.y() + half / 2 - 4, 60, 4);
    };
    const auto digits = [&](int row, int column) {
        return QRect(grid.cellCentre(row, column).x() - 30, grid.cellCentre(row, column).y() - 6, 60, 12);
    };
    for (int row = 0; row < 5; ++row)
        for (int column = 0; column < 5; ++column)
            QCOMPARE(differentPixels(without, with, digits(row, column)), 0);
    // The bar is as long as the weight.
    const auto blue = [&](int row, int column) {
        int count = 0;
        const QRect edge = lowerEdge(row, column);
        for (int at = edge.left(); at <= edge.right(); ++at)
            for (int down = edge.top(); down <= edge.bottom(); ++down)
                if (with.pixelColor(at, down) == tokens().here) {
                    ++count;
                    break;
                }
        return count;
    };
    QVERIFY(blue(1, 2) > 2 * blue(1, 3) && blue(1, 3) > 3);
    QCOMPARE(blue(1, 2), blue(2, 2));
    QCOMPARE(differentPixels(without, with, lowerEdge(0, 4)), 0);
    // Ticks stand on both margins, at the values themselves.
    QVERIFY(differentPixels(without, with,
                            QRect(grid.cellCentre(0, 2).x(), 0, grid.cellCentre(0, 3).x() - grid.cellCentre(0, 2).x(),
                                  grid.cellCentre(0, 0).y() - 10)) > 2);
    grid.setHere(QPointF(1e9, -1e9));  // held at the border, not lost
    QCOMPARE(grid.footprint().cells().size(), size_t{1});
    QCOMPARE(grid.footprint().cells()[0].cell, size_t{4});
    QCOMPARE(grid.footprint().cells()[0].weight, 1.0);
    // The cells it left keep a hairline.
    QCOMPARE(grid.footprint().cellsLeft().size(), size_t{4});
    const QImage after = grid.grab().toImage();
    QVERIFY(differentPixels(without, after, lowerEdge(1, 2)) > 10);
    for (int row = 0; row < 5; ++row)
        for (int column = 0; column < 5; ++column)
            QCOMPARE(differentPixels(without, after, digits(row, column)), 0);
    grid.setHere(std::nullopt);
    QCOMPARE(grid.grab().toImage(), without);
}

void WidgetTest::anArrowAfterFSaysWhereToFill() {
    MapGrid grid;
    grid.setContents(contentsOf(4, 5));
    grid.setEditable(true);
    std::vector<GridAsk> asked;
    connect(&grid, &MapGrid::asked, this, [&](GridAsk ask) { asked.push_back(ask); });
    grid.select(1, 1);
    for (const int second : {Qt::Key_Left, Qt::Key_Right, Qt::Key_Up, Qt::Key_Down, Qt::Key_F}) {
        QTest::keyClick(&grid, Qt::Key_F);
        QVERIFY(grid.asksWhereToFill());
        QTest::keyClick(&grid, static_cast<Qt::Key>(second));
        QVERIFY(!grid.asksWhereToFill());
    }
    using A = GridAsk;
    QVERIFY((asked == std::vector<A>{A::FillAcross, A::FillAcross, A::FillDown, A::FillDown, A::FillBoth}));
    QCOMPARE(grid.currentRow(), 1);  // the arrows filled, they did not move
    // Escape leaves it; another key is itself.
    QTest::keyClick(&grid, Qt::Key_F);
    QTest::keyClick(&grid, Qt::Key_Escape);
    QTest::keyClick(&grid, Qt::Key_Down);
    QCOMPARE(grid.currentRow(), 2);
    QTest::keyClick(&grid, Qt::Key_F);
    QTest::keyClick(&grid, Qt::Key_G);
    QVERIFY(asked.back() == A::Soften && asked.size() == 6);
    // The letters of before are nobody's.
    for (const int key : {Qt::Key_H, Qt::Key_V, Qt::Key_B, Qt::Key_S})
        QTest::keyClick(&grid, static_cast<Qt::Key>(key));
    QCOMPARE(asked.size(), size_t{6});
}

void WidgetTest::compactGridsTakeNoMouse() {
    MapGrid grid;
    grid.setCompact(true);
    grid.setContents(contentsOf(3, 3));
    QVERIFY(grid.testAttribute(Qt::WA_TransparentForMouseEvents));
    QCOMPARE(grid.focusPolicy(), Qt::NoFocus);
}

void WidgetTest::thePyramidGivesTheSameRangeAsAScan() {
    std::mt19937 random(1);
    std::vector<double> time(10007);
    std::vector<float> values(time.size());
    for (size_t i = 0; i < time.size(); ++i)
        time[i] = static_cast<double>(i) * 0.01, values[i] = i % 31 == 7 ? NAN : static_cast<float>(random() % 10000);
    const TraceData data(time, values);
    for (int n = 0; n < 2000; ++n) {
        const size_t from = random() % values.size(), to = from + random() % 3000;
        float least = INFINITY, most = -INFINITY;
        for (size_t i = from; i < std::min(to, values.size()); ++i)
            if (!std::isnan(values[i])) least = std::min(least, values[i]), most = std::max(most, values[i]);
        const auto stretch = data.over(from, to);
        QCOMPARE(stretch.any(), least <= most);
        if (stretch.any()) QVERIFY(stretch.least == least && stretch.most == most);
    }
    QVERIFY(std::abs(data.gap_s() - 0.05) < 1e-9);
}

void WidgetTest::gapsAndMissingSamplesAreNotBridged() {
    const auto picture = [](bool gap) {
        std::vector<double> time;
        std::vector<float> values;
        for (int i = 0; i < 100; ++i) {
            if (gap && i > 40 && i < 60) continue;
            time.push_back(i * 0.1);
            values.push_back(5);
        }
        LaneView lanes;
        lanes.resize(600, 160);
        lanes.setTraces({{"a", "", 0, 0, 1, std::make_shared<const TraceData>(time, values)}}, 1);
        lanes.setSpan(0, 10);
        return lanes.grab().toImage();
    };
    const QImage whole = picture(false), broken = picture(true);
    const double plot = 600 - 8 - 186;
    const int middle = 8 + static_cast<int>(plot / 2), quarter = 8 + static_cast<int>(plot / 4);
    QVERIFY(differentPixels(whole, broken, QRect(middle - 10, 10, 20, 120)) > 10);
    QCOMPARE(differentPixels(whole, broken, QRect(quarter - 10, 10, 20, 120)), 0);
}

void WidgetTest::spansCoverWhatALineThroughThePointsCovers() {
    std::mt19937 random(4);
    for (int round = 0; round < 50; ++round) {
        // Points that stand anywhere, some of them apart from those before.
        struct Point {
            double x, y;
            bool apart;
        };
        std::vector<Point> points;
        double x = -5;
        for (int i = 0; i < 30; ++i) {
            x += static_cast<double>(random() % 1000) / 200;
            points.push_back({x, 5 + static_cast<double>(random() % 400) / 10, i == 0 || random() % 8 == 0});
        }
        std::vector<float> tops(60), bottoms(60);
        SpanLine line(tops, bottoms, 0.5f);
        for (const Point& p : points) {
            if (p.apart) line.part();
            line.to(p.x, p.y);
        }
        // Each column by walking along the line in small steps.
        for (size_t column = 0; column < tops.size(); ++column) {
            double least = INFINITY, most = -INFINITY;
            for (size_t i = 0; i < points.size(); ++i) {
                const Point &to = points[i], &from = points[to.apart ? i : i - 1];
                for (int k = 0; k <= 2000; ++k) {
                    const double share = k / 2000.0, at = from.x + share * (to.x - from.x);
                    if (std::floor(at) != static_cast<double>(column)) continue;
                    const double y = from.y + share * (to.y - from.y);
                    least = std::min(least, y), most = std::max(most, y);
                }
            }
            if (least > most) {
                QVERIFY(std::isnan(tops[column]));
                continue;
            }
            QVERIFY(std::abs(static_cast<double>(tops[column]) - (least - 0.5)) < 0.2);
            QVERIFY(std::abs(static_cast<double>(bottoms[column]) - (most + 0.5)) < 0.2);
        }
    }
    // Soft ends: a pixel that is half covered is half coloured, and nothing outside its rows.
    QImage image(33, 10, QImage::Format_ARGB32_Premultiplied);
    image.fill(Qt::transparent);
    std::vector<float> tops(33, 2.5f), bottoms(33, 6.25f);
    tops[5] = bottoms[5] = NAN;
    tops[6] = 3.25f, bottoms[6] = 3.5f;
    paintSpans(image, tops, bottoms, 0, 6, Qt::red);
    for (const int x : {0, 16, 32}) {
        QCOMPARE(qAlpha(image.pixel(x, 1)), 0);
        QVERIFY(std::abs(qAlpha(image.pixel(x, 2)) - 128) <= 1);
        QCOMPARE(image.pixel(x, 3), qRgba(255, 0, 0, 255));
        QCOMPARE(image.pixel(x, 5), qRgba(255, 0, 0, 255));
        QCOMPARE(qAlpha(image.pixel(x, 6)), 0);
    }
    QCOMPARE(qAlpha(image.pixel(5, 3)), 0);
    QVERIFY(std::abs(qAlpha(image.pixel(6, 3)) - 64) <= 1);
}

void WidgetTest::facesThatShareEdgesCoverEachPixelOnce() {
    // A net of skewed quads, each pixel of which is counted in its blue channel by filling with what is there plus one.
    std::mt19937 random(3);
    std::uniform_real_distribution<double> shift(-4, 4);
    constexpr int kNet = 7;
    std::vector<QPointF> points;
    for (int r = 0; r < kNet; ++r)
        for (int c = 0; c < kNet; ++c)
            points.emplace_back(20 + 15 * c + (c > 0 && c + 1 < kNet && r > 0 && r + 1 < kNet ? shift(random) : 0),
                                20 + 15 * r + (c > 0 && c + 1 < kNet && r > 0 && r + 1 < kNet ? shift(random) : 0));
    std::vector<int> counts(130 * 130);
    for (int r = 0; r + 1 < kNet; ++r)
        for (int c = 0; c + 1 < kNet; ++c) {
            QImage image(130, 130, QImage::Format_ARGB32_Premultiplied);
            image.fill(Qt::white);
            const auto at = static_cast<size_t>(r * kNet + c);
            const QPointF quad[] = {points[at], points[at + 1], points[at + kNet + 1], points[at + kNet]};
            Raster(image, image.rect()).fill(quad, qRgb(0, 0, 0));
            for (int y = 0; y < 130; ++y)
                for (int x = 0; x < 130; ++x)
                    counts[static_cast<size_t>(y * 130 + x)] += image.pixelColor(x, y) == Qt::black;
        }
    for (int y = 0; y < 130; ++y)
        for (int x = 0; x < 130; ++x) {
            const bool inside = x >= 20 && x < 110 && y >= 20 && y < 110;
            QVERIFY2(counts[static_cast<size_t>(y * 130 + x)] == (inside ? 1 : 0),
                     qPrintable(QString("%1, %2").arg(x).arg(y)));
        }
}

void WidgetTest::aLineInksItsLengthTimesItsWidth() {
    std::mt19937 random(4);
    std::uniform_real_distribution<double> place(10, 110), wide(0.6, 2.5);
    for (int n = 0; n < 300; ++n) {
        QImage image(120, 120, QImage::Format_ARGB32_Premultiplied);
        image.fill(Qt::white);
        const QPointF from(place(random), place(random)), to(place(random), place(random));
        const double width = wide(random), length = std::hypot(to.x() - from.x(), to.y() - from.y());
        Raster(image, image.rect()).line(from, to, width, qRgb(0, 0, 0));
        double inked = 0;
        for (int y = 0; y < 120; ++y)
            for (int x = 0; x < 120; ++x)
                inked += 1 - qRed(image.pixel(x, y)) / 255.0;
        QVERIFY2(std::abs(inked - length * width) < 0.02 * length * width + 0.5,
                 qPrintable(QString("%1 instead of %2").arg(inked).arg(length * width)));
    }
}

void WidgetTest::dashesGoOnAroundCorners() {
    // A way of 240 pixels in pieces that are shorter than a dash: two thirds of it are inked, in 20 dashes.
    QImage image(300, 40, QImage::Format_ARGB32_Premultiplied);
    image.fill(Qt::white);
    std::vector<QPointF> way;
    for (int i = 0; i <= 80; ++i)
        way.emplace_back(20 + 3 * i, 20.5);
    Raster(image, image.rect()).path(way, 1, qRgb(0, 0, 0), 8);
    int inked = 0, dashes = 0;
    for (int x = 1; x < 300; ++x) {
        const bool here = image.pixelColor(x, 20) == Qt::black;
        inked += here;
        dashes += here && image.pixelColor(x - 1, 20) != Qt::black;
    }
    QCOMPARE(inked, 160);
    QCOMPARE(dashes, 20);
}

void WidgetTest::nothingIsColouredOutsideTheBoundsOrForPlacesThatAreNone() {
    QImage image(60, 50, QImage::Format_ARGB32_Premultiplied);
    image.fill(Qt::white);
    const QImage white = image;
    const QRect bounds(10, 12, 30, 20);
    Raster raster(image, bounds);
    const double none = std::numeric_limits<double>::quiet_NaN(), far = 1e12;
    const QPointF nowhere[] = {{none, 3}, {20, none}, {30, 25}}, beside[] = {{41, 0}, {59, 0}, {59, 49}, {41, 49}};
    raster.fill(nowhere, 0);
    raster.fill(beside, qRgb(0, 0, 0));
    raster.line({none, 20}, {30, 20}, 1, qRgb(0, 0, 0));
    raster.line({15, 20}, {30, none}, 1, qRgb(0, 0, 0));
    raster.line({0, 5}, {far, 5}, 1, qRgb(0, 0, 0));
    raster.line({15, 20}, {15, 20}, 0, qRgb(0, 0, 0));
    QCOMPARE(differentPixels(image, white, image.rect()), 0);
    // From far outside through the middle, and larger than all of it.
    const QPointF all[] = {{-far, -far}, {far, -far}, {far, far}, {-far, far}};
    QImage mask(80, 80, QImage::Format_Alpha8);
    mask.fill(255);
    for (const auto& draw : std::initializer_list<std::function<void()>>{
             [&] { raster.fill(all, qRgb(0, 0, 0)); }, [&] { raster.stamp(mask, -9, -9, qRgb(0, 0, 0)); }}) {
        image = white.copy();
        raster = Raster(image, bounds);
        draw();
        QCOMPARE(differentPixels(image, white, image.rect()), bounds.width() * bounds.height());
        QCOMPARE(differentPixels(image, white, bounds), bounds.width() * bounds.height());
    }
}

void WidgetTest::denseAndSparseLanesShowTheSameTrace() {
    // The same curve, by a few samples a pixel and by many.
    const auto picture = [](size_t samples) {
        std::vector<double> time(samples);
        std::vector<float> values(samples);
        for (size_t i = 0; i < samples; ++i)
            time[i] = 10 * static_cast<double>(i) / static_cast<double>(samples),
            values[i] = static_cast<float>(std::sin(time[i]));
        LaneView lanes;
        lanes.resize(600, 160);
        lanes.setTraces({{"a", "", 0, 0, 1, std::make_shared<const TraceData>(time, values), -2, 2}}, 1);
        lanes.setSpan(0, 9);
        return lanes.grab().toImage();
    };
    const QImage sparse = picture(800), dense = picture(200000);
    // Where one has the line the other has it within a pixel.
    int lines = 0, apart = 0;
    const auto isLine = [](const QImage& image, int x, int y) {
        const QColor c = image.pixelColor(x, y), background = image.pixelColor(20, 20);
        return std::abs(c.red() - background.red()) + std::abs(c.green() - background.green()) +
                   std::abs(c.blue() - background.blue()) >
               120;
    };
    for (int x = 12; x < 380; ++x)
        for (int y = 22; y < 130; ++y) {
            if (!isLine(dense, x, y)) continue;
            ++lines;
            bool near = false;
            for (int dx = -1; dx <= 1; ++dx)
                for (int dy = -1; dy <= 1; ++dy)
                    near = near || isLine(sparse, x + dx, y + dy);
            apart += !near;
        }
    QVERIFY(lines > 300);
    QCOMPARE(apart, 0);
}

void WidgetTest::tracesAreReadAtTheirLastSample() {
    const TraceData data({1, 2, 3}, {10, 20, 30});
    QVERIFY(std::isnan(data.at(0.5)));
    QCOMPARE(data.at(2), 20.0f);
    QCOMPARE(data.at(2.9), 20.0f);
    QCOMPARE(data.at(99), 30.0f);
    QVERIFY(std::isnan(TraceData({}, {}).at(1)));
}

void WidgetTest::theCursorFollowsMouseAndKeys() {
    LaneView lanes;
    lanes.resize(600, 160);
    lanes.setTraces(
        {{"a", "", 0, 0, 1, std::make_shared<const TraceData>(std::vector<double>{0, 10}, std::vector<float>{0, 1})}},
        1);
    lanes.setSpan(0, 10);
    QSignalSpy moved(&lanes, &LaneView::cursorMoved);
    QTest::mouseClick(&lanes, Qt::LeftButton, {}, QPoint(8 + (600 - 194) / 2, 50));
    QVERIFY(std::abs(*lanes.cursor() - 5) < 0.05);
    QTest::keyClick(&lanes, Qt::Key_Left);
    QVERIFY(*lanes.cursor() < 5);
    QTest::mouseClick(&lanes, Qt::LeftButton, {}, QPoint(2, 50));
    QCOMPARE(*lanes.cursor(), 0.0);  // not before the beginning
    QCOMPARE(moved.count(), 3);
    QTest::keyClick(&lanes, Qt::Key_PageDown);
    QCOMPARE(lanes.from(), 8.0);
}

void WidgetTest::theWheelZoomsAroundThePointer() {
    LaneView lanes;
    lanes.resize(600, 160);
    lanes.setTraces(
        {{"a", "", 0, 0, 1, std::make_shared<const TraceData>(std::vector<double>{0, 100}, std::vector<float>{0, 1})}},
        1);
    lanes.setSpan(0, 100);
    const QPointF pointer(8 + (600 - 194) * 0.25, 50);
    QWheelEvent wheel(pointer, pointer, {}, QPoint(0, 120), Qt::NoButton, {}, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&lanes, &wheel);
    QVERIFY(std::abs(lanes.to() - lanes.from() - 85) < 0.5);
    QVERIFY(std::abs((25 - lanes.from()) / (lanes.to() - lanes.from()) - 0.25) < 0.01);
}

void WidgetTest::whatIsBeyondAFixedRangeIsMarked() {
    const auto picture = [](float value) {
        LaneView lanes;
        lanes.resize(600, 160);
        lanes.setTraces(
            {{"lambda", "lambda", 0, 2, 2,
              std::make_shared<const TraceData>(std::vector<double>{0, 5, 10}, std::vector<float>{1, value, 1}), 0.7,
              1.3}},
            1);
        lanes.setSpan(0, 10);
        return lanes.grab().toImage();
    };
    const QRect edge(600 - 186 + 1, 8, 5, 130);
    QCOMPARE(differentPixels(picture(1.0f), picture(1.2f), edge), 0);
    QVERIFY(differentPixels(picture(1.0f), picture(4.0f), edge) > 10);
    QVERIFY(differentPixels(picture(1.0f), picture(0.5f), edge) > 10);
}

void WidgetTest::aMillionSamplesAreDrawn() {
    std::vector<double> time(1000000);
    std::vector<float> values(time.size());
    for (size_t i = 0; i < time.size(); ++i)
        time[i] = static_cast<double>(i) * 0.01,
        values[i] = static_cast<float>(std::sin(static_cast<double>(i) * 0.001));
    LaneView lanes;
    lanes.resize(800, 200);
    const QImage empty = lanes.grab().toImage();
    lanes.setTraces({{"a", "", 0, 0, 1, std::make_shared<const TraceData>(std::move(time), std::move(values))}}, 1);
    lanes.setSpan(0, 10000);
    // Every column of the plot has something of the trace.
    const QImage drawn = lanes.grab().toImage();
    for (int x = 12; x < 800 - 194; x += 7)
        QVERIFY(differentPixels(empty, drawn, QRect(x, 10, 1, 160)) > 0);
}

void WidgetTest::profilesShowTheReference() {
    ProfileView profile;
    profile.resize(300, 200);
    ProfileView::Line line;
    line.title = "across";
    line.x = {1, 2, 3};
    line.values = {1, 5, 2};
    profile.setLine(line);
    const QImage without = profile.grab().toImage();
    line.reference = {1, 3, 2};
    profile.setLine(line);
    QVERIFY(differentPixels(without, profile.grab().toImage(), QRect(50, 30, 230, 140)) > 50);
    profile.setLine({});  // nothing to show is no reason to fail
    QVERIFY(!profile.grab().isNull());
}

void WidgetTest::traceColoursDiffer() {
    for (const bool dark : {false, true}) {
        Theme::instance().setDark(dark);
        QSet<QRgb> seen;
        for (int i = 0; i < 8; ++i) {
            const QColor colour = Theme::instance().trace(i);
            seen.insert(colour.rgb());
            QVERIFY(std::abs(colour.lightnessF() - tokens().sheet.lightnessF()) > 0.2f);
        }
        QCOMPARE(seen.size(), 8);
    }
    Theme::instance().setDark(false);
}

QTEST_MAIN(WidgetTest)
#include "WidgetTest.moc"
