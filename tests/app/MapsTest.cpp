// The Maps station through the real window: what is done to cells, by keys and mouse in grid, profile and surface, and
// back to the first byte.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QClipboard>
#include <QComboBox>
#include <QTextBrowser>
#include <QTreeView>
#include <cmath>

#include "Expect.h"
#include "Maps.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/Places.h"
#include "core/base/Text.h"

using namespace brusk;
using namespace brusk::app;

class MapsTest : public QObject {
    Q_OBJECT
  private slots:
    void everyOperationChangesItsBytesAndUndoesToTheFirst();
    void pointsAreDraggedInProfileAndSurface();
    void theSurfaceTurnsMovesAndZooms();
    void theSelectionIsOneInGridProfileAndSurface();
    void theKeyboardReachesEveryCellOfALargeMap();
    void cellsGoToASpreadsheetAndBack();
    void aSwitchIsSetByItsWords();
    void aValueIsSteppedAndSlid();
    void theCardTellsWhatIsKnown();
    void numbersAreShownAndTypedInTheChosenUnit();
    void anAxisIsReSpacedWithItsSurface();
    void theEvidenceOfADriveIsSeen();
    void aDifferenceNeedsAReferenceThatFits();
};

void MapsTest::everyOperationChangesItsBytesAndUndoesToTheFirst() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("how full");
    const image::Image first = imageOf(story);
    const auto stock = *story.calibration()->read("ve_map");
    int done = 0;
    const auto changed = [&](const char* what) {
        const auto& history = story.history();
        const bool grew = static_cast<int>(history.done().size()) == ++done;
        if (!grew)
            qWarning("%s: %d edits, %d expected; %s", what, static_cast<int>(history.done().size()), done,
                     qPrintable(story.message()));
        return grew;
    };
    const auto value = [&](size_t r, size_t c) { return story.calibration()->read("ve_map")->at(r, c); };
    // By keys: go to a cell, extend, type.
    QTest::keyClick(grid, Qt::Key_Home, Qt::ControlModifier);
    for (int i = 0; i < 4; ++i)
        QTest::keyClick(grid, Qt::Key_Down);
    for (int i = 0; i < 5; ++i)
        QTest::keyClick(grid, Qt::Key_Right);
    QTest::keyClick(grid, Qt::Key_Down, Qt::ShiftModifier);
    for (int i = 0; i < 3; ++i)
        QTest::keyClick(grid, Qt::Key_Right, Qt::ShiftModifier);
    QCOMPARE(grid->selection(), (GridRange{4, 5, 5, 8}));
    typeInto(grid, "70");
    QVERIFY(changed("set"));
    QCOMPARE(value(5, 8), 70.0);
    typeInto(grid, "+2.5");
    QVERIFY(changed("add") && value(4, 5) == 72.5);
    typeInto(grid, "x1.02");
    QVERIFY(changed("scale") && std::abs(value(4, 5) - 73.95) < 1e-9);
    typeInto(grid, "-10%");
    QVERIFY(changed("per cent"));
    QTest::keyClick(grid, Qt::Key_Up, Qt::ControlModifier);
    QVERIFY(changed("step up"));
    QTest::keyClick(grid, Qt::Key_Down, Qt::ControlModifier);
    QVERIFY(changed("step down"));
    // Give the range something to be filled between.
    grid->setSelection({4, 5, 5, 5});
    typeInto(grid, "60");
    QVERIFY(changed("left edge"));
    grid->setSelection({4, 5, 5, 8});
    QTest::keyClick(grid, Qt::Key_F);
    QTest::keyClick(grid, Qt::Key_Right);
    QVERIFY(changed("fill across"));
    const auto filled = *story.calibration()->read("ve_map");
    const double share = (filled.x.values[6] - filled.x.values[5]) / (filled.x.values[8] - filled.x.values[5]);
    QVERIFY(std::abs(filled.at(4, 6) - (60 + share * (filled.at(4, 8) - 60))) < 0.006);
    grid->setSelection({3, 5, 8, 5});
    QTest::keyClick(grid, Qt::Key_F);
    QTest::keyClick(grid, Qt::Key_Down);
    QVERIFY(changed("fill down"));
    grid->setSelection({2, 4, 7, 9});
    QTest::keyClick(grid, Qt::Key_F);
    QTest::keyClick(grid, Qt::Key_F);
    QVERIFY(changed("fill both"));
    grid->setSelection({1, 3, 9, 11});
    QTest::keyClick(grid, Qt::Key_G);
    QVERIFY(changed("soften"));
    QApplication::clipboard()->setText("1.1\t0.9\n1\t1.05\n");
    grid->setSelection({4, 5, 4, 5});
    const double before = value(4, 5);
    story.find<QComboBox>("strength")->setCurrentText("50 %");
    QTest::keyClick(grid, Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(changed("factors"));
    QVERIFY(std::abs(value(4, 5) - before * 1.05) < 0.006);
    QTest::keyClick(grid, Qt::Key_V, Qt::ControlModifier);
    QVERIFY(changed("paste"));
    QCOMPARE(value(5, 6), 1.05);
    story.find<QComboBox>("strength")->setCurrentText("100 %");
    grid->setSelection({4, 5, 5, 6});
    QTest::keyClick(grid, Qt::Key_R);
    QVERIFY(changed("reference"));
    QCOMPARE(value(5, 6), stock.at(5, 6));
    choose(maps, "shape", "soften");
    QVERIFY(changed("soften by menu"));
    grid->selectAll();
    choose(maps, "reference", "takeReference");
    QVERIFY(changed("take all"));
    // With the whole map taken from the reference the bytes are the first again; undo goes there step by step too.
    QVERIFY(imageOf(story) == first);
    QCOMPARE(story.folder().rounds().edits(story.selected()->id)->done().size(), static_cast<size_t>(done));
    for (int i = 0; i < done; ++i)
        QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(imageOf(story) == first);
    QVERIFY(!story.history().canUndo());
    for (int i = 0; i < done; ++i)
        QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(imageOf(story) == first && !story.history().canRedo());
}

void MapsTest::pointsAreDraggedInProfileAndSurface() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("how full");
    const image::Image first = imageOf(story);
    QTest::qWait(50);
    grid->select(5, 6);
    ProfileView* across = maps->active()->across();
    const double before = story.calibration()->read("ve_map")->at(5, 6);
    drag(across, across->pointAt(6), across->pointAt(6) - QPointF(0, 20));
    const double up = story.calibration()->read("ve_map")->at(5, 6);
    QVERIFY2(up > before + 0.5, qPrintable(story.message()));
    // All selected points move together.
    grid->setSelection({5, 4, 5, 7});
    drag(across, across->pointAt(5), across->pointAt(5) + QPointF(0, 15));
    const auto moved = *story.calibration()->read("ve_map");
    QVERIFY(moved.at(5, 6) < up - 0.3);
    ProfileView* down = maps->active()->down();
    grid->select(5, 6);
    drag(down, down->pointAt(5), down->pointAt(5) - QPointF(0, 12));
    QVERIFY(story.calibration()->read("ve_map")->at(5, 6) > moved.at(5, 6));
    QTest::keyClick(grid, Qt::Key_2, Qt::ControlModifier);
    SurfaceView* surface = maps->active()->surface();
    QTRY_VERIFY(surface->isVisible());
    grid->select(9, 8);
    const double low = story.calibration()->read("ve_map")->at(9, 8);
    drag(surface, surface->pointAt(9, 8), surface->pointAt(9, 8) - QPointF(0, 18));
    QVERIFY(story.calibration()->read("ve_map")->at(9, 8) > low + 0.5);
    QCOMPARE(story.history().done().size(), size_t{4});
    for (int i = 0; i < 4; ++i)
        QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(imageOf(story) == first);
}

void MapsTest::theSurfaceTurnsMovesAndZooms() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    story.openParameter("how full");
    QVERIFY(story.click("showSurface"));
    SurfaceView* surface = maps->active()->surface();
    QTRY_VERIFY(surface->isVisible());
    const double yaw = surface->yaw();
    const QPointF corner(6, surface->height() - 6);
    drag(surface, corner, corner + QPointF(60, 0));
    QVERIFY(surface->yaw() != yaw);
    surface->setFocus();
    QTest::keyClick(surface, Qt::Key_0);
    QCOMPARE(surface->yaw(), yaw);
    QTest::keyClick(surface, Qt::Key_Left);
    QVERIFY(surface->yaw() > yaw);
    QTest::keyClick(surface, Qt::Key_Plus);
    QVERIFY(surface->zoom() > 1);
    const QPointF before = surface->pointAt(3, 3);
    QTest::keyClick(surface, Qt::Key_Right, Qt::ShiftModifier);
    QVERIFY(surface->pointAt(3, 3).x() > before.x());
    QVERIFY(!story.history().canUndo());
}

void MapsTest::theSelectionIsOneInGridProfileAndSurface() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("how full");
    QTest::mouseClick(grid, Qt::LeftButton, {}, grid->cellCentre(6, 4));
    QTest::mouseClick(grid, Qt::LeftButton, Qt::ShiftModifier, grid->cellCentre(8, 7));
    QCOMPARE(maps->active()->across()->line().from, size_t{4});
    QCOMPARE(maps->active()->across()->line().to, size_t{7});
    QCOMPARE(maps->active()->down()->line().current, size_t{8});
    // A point of a profile picks the cell; with Shift up to it.
    ProfileView* across = maps->active()->across();
    QTest::mouseClick(across, Qt::LeftButton, {}, across->pointAt(2).toPoint());
    QCOMPARE(grid->currentColumn(), 2);
    // Headers select their column and row, the corner all.
    QTest::mouseClick(grid, Qt::LeftButton, {}, QPoint(grid->cellCentre(0, 5).x(), 6));
    QCOMPARE(grid->selection(), (GridRange{0, 5, 13, 5}));
    QTest::mouseClick(grid, Qt::LeftButton, {}, QPoint(4, grid->cellCentre(3, 0).y()));
    QCOMPARE(grid->selection(), (GridRange{3, 0, 3, 15}));
    QTest::mouseClick(grid, Qt::LeftButton, {}, QPoint(4, 4));
    QCOMPARE(grid->selectedCells().size(), size_t{224});
    // A rectangle drawn over the surface chooses its points.
    QVERIFY(story.click("showSurface"));
    SurfaceView* surface = maps->active()->surface();
    QTRY_VERIFY(surface->isVisible());
    drag(surface, QPointF(3, 3), QPointF(surface->width() - 3, surface->height() - 3), Qt::ShiftModifier);
    QCOMPARE(grid->selectedCells().size(), size_t{224});
    QTest::mouseClick(surface, Qt::LeftButton, {}, surface->pointAt(13, 15).toPoint());
    QTest::mouseClick(grid, Qt::LeftButton, {}, grid->cellCentre(grid->currentRow(), 3));
    QVERIFY(grid->selectedCells().size() == 1);
}

void MapsTest::theKeyboardReachesEveryCellOfALargeMap() {
    MapGrid grid;
    grid.setScrolling(true);
    grid.resize(420, 260);
    GridContents c;
    c.rows = 32, c.columns = 32;
    for (int i = 0; i < 32; ++i)
        c.x.push_back(i * 250), c.y.push_back(i * 10);
    c.values.assign(1024, 12.5);
    grid.setContents(c);
    grid.show();
    QTest::keyClick(&grid, Qt::Key_End, Qt::ControlModifier);
    QCOMPARE(grid.currentCell(), size_t{1023});
    // What is current is in view.
    QVERIFY(grid.rect().contains(grid.cellCentre(31, 31)));
    QVERIFY(!grid.rect().contains(grid.cellCentre(0, 0)));
    QTest::keyClick(&grid, Qt::Key_PageUp);
    QVERIFY(grid.currentRow() < 28);
    QTest::keyClick(&grid, Qt::Key_Home, Qt::ControlModifier);
    QCOMPARE(grid.currentCell(), size_t{0});
    QVERIFY(grid.rect().contains(grid.cellCentre(0, 0)));
    QTest::keyClick(&grid, Qt::Key_Right, Qt::ControlModifier | Qt::ShiftModifier);
    QCOMPARE(grid.selection(), (GridRange{0, 0, 0, 31}));
}

void MapsTest::cellsGoToASpreadsheetAndBack() {
    Story story;
    QVERIFY(story.begin());
    auto* grid = story.openParameter("how full");
    const image::Image first = imageOf(story);
    grid->selectAll();
    QTest::keyClick(grid, Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier);
    const QString text = QApplication::clipboard()->text();
    QCOMPARE(text.count('\n'), 15);
    QCOMPARE(text.section('\n', 0, 0).count('\t'), 16);
    // Back by its breakpoints, after the map was flattened.
    typeInto(grid, "50");
    QTest::keyClick(grid, Qt::Key_V, Qt::ControlModifier);
    const auto now = *story.calibration()->read("ve_map");
    const calibration::Calibration before(story.calibration()->sharedDefinition(), first);
    const auto then = *before.read("ve_map");
    for (size_t i = 0; i < now.values.size(); ++i)
        QVERIFY(std::abs(now.values[i] - then.values[i]) <= 0.0501);  // one decimal is copied
    QApplication::clipboard()->setText("1\t2\n3\tword\n");
    QTest::keyClick(grid, Qt::Key_V, Qt::ControlModifier);
    QVERIFY(story.message().contains("Row 2, column 2"));
}

void MapsTest::aSwitchIsSetByItsWords() {
    Story story;
    QVERIFY(story.begin());
    const definition::Parameter* wanted = nullptr;
    for (const auto& p : story.calibration()->definition().parameters)
        if (p.kind == definition::Parameter::Kind::Value && p.bitMask &&
            story.calibration()->definition().conversionOf(p).texts.size() == 2)
            wanted = &p;
    QVERIFY(wanted);
    story.goTo("Maps");
    mapsOf(story)->open(QString::fromStdString(wanted->name));
    const double before = *story.calibration()->value(wanted->name);
    const std::string name = wanted->name;
    QTRY_VERIFY(story.find<QAbstractButton>("word0"));
    auto* other = story.find<QAbstractButton>(before == 0 ? "word1" : "word0");
    QTest::mouseClick(other, Qt::LeftButton, {}, QPoint(8, other->height() / 2));
    QVERIFY(*story.calibration()->value(name) != before);
    QCOMPARE(story.history().done().size(), size_t{1});
}

void MapsTest::aValueIsSteppedAndSlid() {
    Story story;
    QVERIFY(story.begin());
    auto* grid = story.openParameter("inject flow");
    const auto table = *story.calibration()->read("injector_flow");
    QVERIFY(story.click("stepUp"));
    QVERIFY(std::abs(*story.calibration()->value("injector_flow") - table.values[0] - table.step) < 1e-9);
    QTest::keyClick(grid, Qt::Key_Down, Qt::ControlModifier);
    QCOMPARE(*story.calibration()->value("injector_flow"), table.values[0]);
    auto* slider = story.find<QSlider>("valueSlider");
    slider->setFocus();
    QTest::keyClick(slider, Qt::Key_PageUp);
    const double slid = *story.calibration()->value("injector_flow");
    QVERIFY(slid > table.values[0] + 10);
    QTest::keyClick(slider, Qt::Key_End);
    QVERIFY(std::abs(*story.calibration()->value("injector_flow") - table.upper) <= table.step);
}

void MapsTest::theCardTellsWhatIsKnown() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("how full");
    grid->select(5, 6);
    const auto table = *story.calibration()->read("ve_map");
    const auto* card = maps->card();
    QVERIFY(card->text("Value").startsWith(QString::number(table.at(5, 6), 'f', 1)));
    QVERIFY(card->text("Stored").startsWith(QString::number(table.raw[5 * 16 + 6], 'f', 0)));
    QCOMPARE(card->text("Address"), QString::fromStdString(hexAddress(table.parameter->address)));
    QCOMPARE(card->text("Bits").remove(' ').toInt(nullptr, 2), static_cast<int>(table.raw[5 * 16 + 6]));
    QCOMPARE(card->text("Role"), QString("ve_map"));
    typeInto(grid, "+3");
    QVERIFY2(card->text("in original").contains("ours +3.0"), qPrintable(card->text("in original")));
    // The axis can be followed by its name.
    auto* text = story.find<QTextBrowser>("cardText");
    QVERIFY(text->toHtml().contains("parameter:axis_speed"));
    emit text->anchorClicked(QUrl("parameter:axis_speed"));
    QCOMPARE(maps->active()->parameter(), QString("axis_speed"));
}

void MapsTest::numbersAreShownAndTypedInTheChosenUnit() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("boost target");
    grid->select(4, 5);
    const double kPa = story.calibration()->read("boost_target")->at(4, 5);
    units::Preferences wanted;
    wanted.wanted[units::Quantity::Pressure] = "psi";
    story.chooseUnits(wanted);
    QVERIFY(std::abs(grid->contents().values[grid->currentCell()] - kPa / 6.894757) < 1e-3);
    QVERIFY(maps->card()->text("Value").endsWith("psi"));
    typeInto(grid, "20");
    QVERIFY(std::abs(story.calibration()->read("boost_target")->at(4, 5) - 137.895) < 0.006);
    typeInto(grid, "+1");
    QVERIFY(std::abs(story.calibration()->read("boost_target")->at(4, 5) - 144.79) < 0.006);
    // An air-fuel ratio is of the fuel on the build sheet.
    auto sheet = story.sheet();
    sheet.of(proposals::Fact::Ethanol) = 85;
    story.setSheet(sheet);
    QVERIFY(std::abs(story.units().stoichiometric - 9.8) < 0.1);
    story.chooseUnits({});
    QVERIFY(std::abs(grid->contents().values[grid->currentCell()] - 144.79) < 0.006);
}

void MapsTest::anAxisIsReSpacedWithItsSurface() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    story.openParameter("how full");
    const image::Image first = imageOf(story);
    const auto before = *story.calibration()->read("ve_map");
    choose(maps, "shape", "respaceY");
    auto* edit = story.find<QLineEdit>("breakpoints");
    QVERIFY(edit);
    QStringList parts = edit->text().split(' ', Qt::SkipEmptyParts);
    QCOMPARE(parts.size(), 14);
    parts[13] = "260";
    edit->setText(parts.join(' '));
    QVERIFY2(story.find<QLabel>("respaceOutcome")->text().contains("follow"),
             qPrintable(story.find<QLabel>("respaceOutcome")->text()));
    QVERIFY(story.click("applyRespace"));
    const auto after = *story.calibration()->read("ve_map");
    QCOMPARE(after.y.values.back(), 260.0);
    QVERIFY(std::abs(after.at(13, 4) - before.at(13, 4)) < 0.006);  // held beyond the old end
    QCOMPARE(story.history().done().size(), size_t{1});
    choose(maps, "shape", "respaceY");
    edit->setText("1 2 3");
    QVERIFY(!story.find<QPushButton>("applyRespace")->isEnabled());
    story.undo();
    QVERIFY(imageOf(story) == first);
}

void MapsTest::theEvidenceOfADriveIsSeen() {
    Story story;
    QVERIFY(story.begin());
    auto* grid = story.openParameter("how full");
    QVERIFY(grid->contents().evidence.empty());
    QVERIFY(story.drive());
    story.goTo("Maps");
    // The dots come by themselves; the driven cells have them, the corner nobody reaches has none.
    QTRY_VERIFY_WITH_TIMEOUT(!grid->contents().evidence.empty(), 20000);
    const auto& dots = grid->contents().evidence;
    const auto seen = std::count_if(dots.begin(), dots.end(), [](float dot) { return dot > 0; });
    QVERIFY(seen > 10 && seen < static_cast<long>(dots.size()));
    const auto driven = story.desks().evidence.behind(story.desks().places.round());
    const auto evidence =
        job::evidenceOf(*driven, story.calibration()->definition(), *story.calibration()->read("ve_map"));
    const auto& cells = evidence.cells;
    QCOMPARE(std::count_if(cells.begin(), cells.end(), [](const auto& cell) { return cell.count > 0; }), seen);
    // How full a dot is tells how far its samples agree.
    const auto& doubt = grid->contents().doubt;
    QCOMPARE(doubt.size(), dots.size());
    for (size_t i = 0; i < doubt.size(); ++i)
        QCOMPARE(doubt[i], static_cast<float>(std::min(1.0, cells[i].spread / evidence.wide)));
    const auto most =
        std::max_element(cells.begin(), cells.end(), [](const auto& a, const auto& b) { return a.count < b.count; }) -
        cells.begin();
    grid->select(static_cast<int>(most) / static_cast<int>(grid->contents().columns),
                 static_cast<int>(most) % static_cast<int>(grid->contents().columns));
    const QString said = mapsOf(story)->card()->text("Evidence");
    QVERIFY2(said.startsWith(QString::number(cells[static_cast<size_t>(most)].count) + " samples") &&
                 said.contains("fuel off") && said.contains("\u00b1"),
             qPrintable(said));
    // The filter knows which maps' inputs were recorded.
    auto* finder = story.find<QLineEdit>("finder");
    finder->clear();
    auto* tree = story.find<QTreeView>("parameterTree");
    auto* filter = story.window().findChild<QAction*>("filterEvidence");
    filter->setChecked(true);
    QTest::keyClicks(finder, "how full");
    QCOMPARE(tree->model()->index(0, 0).data(Qt::UserRole).toString(), "ve_map");
    finder->clear();
    QTest::keyClicks(finder, "limit");
    QVERIFY(tree->model()->rowCount() > 0);
    for (int row = 0; row < tree->model()->rowCount(); ++row) {
        const auto name = tree->model()->index(row, 0).data(Qt::UserRole).toString().toStdString();
        const auto* p = story.calibration()->definition().parameter(name);
        QVERIFY2(!p->axes.empty(), name.c_str());
        for (const auto& axis : p->axes)
            QVERIFY2(driven->recording(0).find(axis.input), name.c_str());
    }
}

void MapsTest::aDifferenceNeedsAReferenceThatFits() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("how full");
    // The original has nothing before it.
    choose(maps, "reference", "showDifference");
    QVERIFY2(story.message().contains("no reference"), qPrintable(story.message()));
    QVERIFY(!maps->active()->showsDifference());
    grid->select(3, 3);
    typeInto(grid, "+2");
    choose(maps, "reference", "showDifference");
    QVERIFY(maps->active()->showsDifference());
    QVERIFY(std::abs(grid->contents().values[3 * 16 + 3] - 2) < 0.006);
    QCOMPARE(grid->contents().values[0], 0.0);
}

QTEST_MAIN(MapsTest)
#include "MapsTest.moc"
