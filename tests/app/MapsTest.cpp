// The Maps station through the real window: every operation by keys and mouse in grid, profile and surface, and back to
// the first byte; donors, families, several panes, references, spreadsheets, definition work, units.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QListWidget>
#include <QSignalSpy>
#include <QSpinBox>
#include <QTreeView>
#include <cmath>

#include "../../bench/LargeDefinition.h"
#include "Expect.h"
#include "Story.h"
#include "app/stations/maps/MapsStation.h"
#include "core/base/Text.h"
#include "core/image/ImageFile.h"

using namespace brusk;
using namespace brusk::app;

namespace {

MapsStation* mapsOf(Story& story) {
    return qobject_cast<MapsStation*>(story.window().station("Maps"));
}

/// Triggers a named entry of one of the bar's menus, as a click on it does.
void choose(MapsStation* maps, const char* menu, const char* entry) {
    emit maps->menu(menu)->aboutToShow();
    for (QAction* action : maps->menu(menu)->actions())
        if (action->objectName() == entry) return action->trigger();
    QFAIL("no such entry");
}

void drag(QWidget* widget, QPointF from, QPointF to, Qt::KeyboardModifiers modifiers = {}) {
    QTest::mousePress(widget, Qt::LeftButton, modifiers, from.toPoint());
    QMouseEvent move(QEvent::MouseMove, to, widget->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, modifiers);
    QApplication::sendEvent(widget, &move);
    QTest::mouseRelease(widget, Qt::LeftButton, modifiers, to.toPoint());
}

const image::Image& imageOf(Story& story) {
    return story.session().calibration()->image();
}

}  // namespace

class MapsTest : public QObject {
    Q_OBJECT
  private slots:
    void everyOperationChangesItsBytesAndUndoesToTheFirst();
    void pointsAreDraggedInProfileAndSurface();
    void theSurfaceTurnsMovesAndZooms();
    void theSelectionIsOneInGridProfileAndSurface();
    void theKeyboardReachesEveryCellOfALargeMap();
    void cellsGoToASpreadsheetAndBack();
    void aMapAndItsAxesComeFromADonor();
    void aFamilyIsFilledAlikeInOneAction();
    void aMissingParameterIsFoundInALargeDefinitionAndCopied();
    void aParameterIsAddedByAddressWithItsCellsInView();
    void aParameterIsRenamedDescribedAndMoved();
    void fourParametersStandSideBySide();
    void theFinderFiltersPinsAndRemembers();
    void aSwitchIsSetByItsWords();
    void aValueIsSteppedAndSlid();
    void theCardTellsWhatIsKnown();
    void numbersAreShownAndTypedInTheChosenUnit();
    void editsAreUndoneAfterTheProgramWasClosed();
    void anAxisIsReSpacedWithItsSurface();
    void valuesGoOutAsCdfAndComeBack();
    void anythingIsFoundAndConverted();
};

void MapsTest::everyOperationChangesItsBytesAndUndoesToTheFirst() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("how full");
    const image::Image first = imageOf(story);
    const auto stock = *session.calibration()->read("ve_map");
    int done = 0;
    const auto changed = [&](const char* what) {
        const auto& history = session.history();
        const bool grew = static_cast<int>(history.done().size()) == ++done;
        if (!grew)
            qWarning("%s: %d edits, %d expected; %s", what, static_cast<int>(history.done().size()), done,
                     qPrintable(story.message()));
        return grew;
    };
    const auto value = [&](size_t r, size_t c) { return session.calibration()->read("ve_map")->at(r, c); };
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
    QTest::keyClick(grid, Qt::Key_H);
    QVERIFY(changed("fill across"));
    const auto filled = *session.calibration()->read("ve_map");
    const double share = (filled.x.values[6] - filled.x.values[5]) / (filled.x.values[8] - filled.x.values[5]);
    QVERIFY(std::abs(filled.at(4, 6) - (60 + share * (filled.at(4, 8) - 60))) < 0.006);
    grid->setSelection({3, 5, 8, 5});
    QTest::keyClick(grid, Qt::Key_V);
    QVERIFY(changed("fill down"));
    grid->setSelection({2, 4, 7, 9});
    QTest::keyClick(grid, Qt::Key_B);
    QVERIFY(changed("fill both"));
    grid->setSelection({1, 3, 9, 11});
    QTest::keyClick(grid, Qt::Key_S);
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
    QCOMPARE(session.folder()->edits(session.selected()->id)->done().size(), static_cast<size_t>(done));
    for (int i = 0; i < done; ++i)
        QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(imageOf(story) == first);
    QVERIFY(!session.history().canUndo());
    for (int i = 0; i < done; ++i)
        QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(imageOf(story) == first && !session.history().canRedo());
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
    const double before = story.session().calibration()->read("ve_map")->at(5, 6);
    drag(across, across->pointAt(6), across->pointAt(6) - QPointF(0, 20));
    const double up = story.session().calibration()->read("ve_map")->at(5, 6);
    QVERIFY2(up > before + 0.5, qPrintable(story.message()));
    // All selected points move together.
    grid->setSelection({5, 4, 5, 7});
    drag(across, across->pointAt(5), across->pointAt(5) + QPointF(0, 15));
    const auto moved = *story.session().calibration()->read("ve_map");
    QVERIFY(moved.at(5, 6) < up - 0.3);
    ProfileView* down = maps->active()->down();
    grid->select(5, 6);
    drag(down, down->pointAt(5), down->pointAt(5) - QPointF(0, 12));
    QVERIFY(story.session().calibration()->read("ve_map")->at(5, 6) > moved.at(5, 6));
    QTest::keyClick(grid, Qt::Key_2, Qt::ControlModifier);
    SurfaceView* surface = maps->active()->surface();
    QTRY_VERIFY(surface->isVisible());
    grid->select(9, 8);
    const double low = story.session().calibration()->read("ve_map")->at(9, 8);
    drag(surface, surface->pointAt(9, 8), surface->pointAt(9, 8) - QPointF(0, 18));
    QVERIFY(story.session().calibration()->read("ve_map")->at(9, 8) > low + 0.5);
    QCOMPARE(story.session().history().done().size(), size_t{4});
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
    QVERIFY(!story.session().history().canUndo());
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
    const auto now = *story.session().calibration()->read("ve_map");
    const calibration::Calibration before(story.session().calibration()->sharedDefinition(), first);
    const auto then = *before.read("ve_map");
    for (size_t i = 0; i < now.values.size(); ++i)
        QVERIFY(std::abs(now.values[i] - then.values[i]) <= 0.0501);  // one decimal is copied
    QApplication::clipboard()->setText("1\t2\n3\tword\n");
    QTest::keyClick(grid, Qt::Key_V, Qt::ControlModifier);
    QVERIFY(story.message().contains("Row 2, column 2"));
}

void MapsTest::aMapAndItsAxesComeFromADonor() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* maps = mapsOf(story);
    // The donor: the demo's own, with the pressure axis stretched and the map filled otherwise.
    calibration::Calibration donor = *session.calibration();
    const auto& ve = *donor.definition().parameter("ve_map");
    auto wider = donor.read(ve)->y.values;
    for (double& v : wider)
        v = std::round(v * 1.2);
    EXPECT_OK(donor.apply(
        calibration::respace(donor, ve, 1, wider, calibration::Keep::Surface, calibration::Outside::Clamp)->edit));
    std::vector<calibration::CellValue> fuller;
    const auto table = *donor.read(ve);
    for (size_t i = 0; i < table.values.size(); ++i)
        fuller.push_back({i, table.values[i] * 1.07});
    EXPECT_OK(donor.apply(*donor.prepare(ve, fuller, calibration::AtLimit::Clamp, "")));
    QTemporaryDir place;
    storage::RealFileSystem files;
    const QString path = place.filePath("donor.s19");
    EXPECT_OK(files.save(path.toStdString(), *image::writeImage(donor.image(), image::Format::SRecord)));

    story.openParameter("how full");
    maps->addDonorFile(path);
    QVERIFY2(session.referenceName() == "donor.s19", qPrintable(story.message()));
    const image::Image first = imageOf(story);
    // Resampled onto our breakpoints first, as a look; then with its axes.
    choose(maps, "reference", "takeWhole");
    QVERIFY(story.message().contains("Resampled; it lies within"));
    QVERIFY(session.calibration()->read("ve_map")->y.values != donor.read(ve)->y.values);
    choose(maps, "reference", "takeWithAxes");
    QCOMPARE(session.calibration()->read("ve_map")->y.values, donor.read(ve)->y.values);
    QCOMPARE(session.calibration()->read("ve_map")->raw, donor.read(ve)->raw);
    // The other maps on that axis kept their surface.
    QVERIFY(story.message().contains("their surfaces were kept"));
    session.undo();
    session.undo();
    QVERIFY(imageOf(story) == first);
}

void MapsTest::aFamilyIsFilledAlikeInOneAction() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* maps = mapsOf(story);
    const image::Image first = imageOf(story);
    // Every curve and map in degrees of spark, found by what they have in common, chosen at once.
    auto* grid = story.openParameter("boost target");
    auto* finder = story.find<QLineEdit>("finder");
    finder->clear();
    QTest::keyClicks(finder, "boost");
    auto* tree = story.find<QTreeView>("parameterTree");
    QStringList maps3;
    for (int row = 0; row < tree->model()->rowCount(); ++row) {
        const QString name = tree->model()->index(row, 0).data(Qt::UserRole).toString();
        const auto* p = session.calibration()->definition().parameter(name.toStdString());
        const bool pressure = session.calibration()->definition().unitOf(*p) == "kPa";
        if (p->kind != definition::Parameter::Kind::Map || !pressure || name == "boost_target") continue;
        tree->selectionModel()->select(tree->model()->index(row, 0),
                                       QItemSelectionModel::Select | QItemSelectionModel::Rows);
        maps3 << name;
    }
    // An operation on several that were chosen: all in one edit.
    finder->clear();
    QTest::keyClicks(finder, "injector");
    tree->selectAll();
    QVERIFY(story.find<QFrame>("family"));
    QTest::keyClicks(story.find<QLineEdit>("familyAmount"), "x1.01");
    QVERIFY(story.click("familyApply"));
    QCOMPARE(session.history().done().size(), size_t{1});
    QVERIFY(session.history().undoName().find("parameters") != std::string::npos);
    session.undo();
    QVERIFY(imageOf(story) == first);
    // Curves filled like the open one, each on its own breakpoints.
    std::vector<std::string> family;
    for (const auto& p : session.calibration()->definition().parameters)
        if (p.kind == definition::Parameter::Kind::Map && p.name != "ve_map" && !p.readOnly &&
            session.calibration()->definition().unitOf(p) == "%" && family.size() < 3)
            family.push_back(p.name);
    QVERIFY(family.size() >= 2);
    story.openParameter("how full");
    finder->clear();
    tree->clearSelection();
    for (const std::string& name : family) {
        const auto walk = [&](const QModelIndex& parent, auto&& self) -> void {
            for (int row = 0; row < tree->model()->rowCount(parent); ++row) {
                const QModelIndex at = tree->model()->index(row, 0, parent);
                if (at.data(Qt::UserRole).toString() == QString::fromStdString(name))
                    tree->selectionModel()->select(at, QItemSelectionModel::Select | QItemSelectionModel::Rows);
                self(at, self);
            }
        };
        walk({}, walk);
    }
    QVERIFY(story.click("familyAlike"));
    QCOMPARE(session.history().done().size(), size_t{1});
    const auto like = *session.calibration()->read("ve_map");
    int alike = 0;
    for (const std::string& name : family) {
        const auto table = *session.calibration()->read(name);
        if (table.y.unit != like.y.unit || table.x.unit != like.x.unit) continue;
        for (size_t r = 0; r < table.rows; ++r)
            for (size_t c = 0; c < table.columns; ++c) {
                const double wanted = std::clamp(calibration::surfaceAt(like, table.x.values[c], table.y.values[r]),
                                                 table.lower, table.upper);
                QVERIFY(std::abs(table.at(r, c) - wanted) <= table.step);
            }
        ++alike;
    }
    QVERIFY2(alike > 0, qPrintable(story.message()));
    session.undo();
    QVERIFY(imageOf(story) == first);
    Q_UNUSED(grid);
    Q_UNUSED(maps);
}

void MapsTest::aMissingParameterIsFoundInALargeDefinitionAndCopied() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* maps = mapsOf(story);
    // A large definition of somebody else's that knows one table more of our controller.
    std::string text = brusk::bench::largeDefinition(20000);
    const uint32_t at = session.calibration()->definition().parameter("rev_limit")->address;
    text.insert(text.find("/end MODULE"),
                "/begin CHARACTERISTIC altitude_reserve \"Reserve of charge pressure kept for high passes\" VALUE " +
                    hexAddress(at) + " word 0 method_9 0 6553.5 /end CHARACTERISTIC\n");
    QTemporaryDir place;
    storage::RealFileSystem files;
    const QString path = place.filePath("large.a2l");
    EXPECT_OK(files.save(path.toStdString(), asBytes(text)));
    story.goTo("Maps");
    QVERIFY(story.click("definitionWork"));
    QVERIFY(story.click("copyPage"));
    auto* file = story.find<QLineEdit>("otherFile");
    QTest::keyClicks(file, path);
    QTest::keyClick(file, Qt::Key_Return);
    auto* tree = story.find<QTreeView>("otherTree");
    QTRY_VERIFY_WITH_TIMEOUT(tree->model()->rowCount() > 0, 20000);
    auto* find = story.find<QLineEdit>("otherFind");
    QTest::keyClicks(find, "high pases reserve");
    QCOMPARE(tree->model()->rowCount(), 1);
    QTest::keyClick(find, Qt::Key_Return);
    QVERIFY(story.click("copyOver"));
    QVERIFY2(session.calibration()->definition().parameter("altitude_reserve"), qPrintable(story.message()));
    QCOMPARE(maps->active()->parameter(), QString("altitude_reserve"));
    // It lies on the rev limit's bytes; editing it says so.
    const double before = *session.calibration()->value("rev_limit");
    typeInto(maps->active()->grid(), "+1");
    QVERIFY(story.message().contains("on the same bytes"));
    QVERIFY(*session.calibration()->value("rev_limit") != before);
    // The original definition is beside it, untouched; the folder opens with the edited one.
    const auto folder = session.folder()->path() / "definitions";
    EXPECT_OK(files.read(folder / "aldine-e2.edit-1.a2l"));
    const auto original = files.read(folder / "aldine-e2.a2l");
    EXPECT_OK(original);
    QVERIFY(std::string(asText(*original)) == readText(BRUSK_DATA_DIR "/heron/aldine-e2.a2l"));
    story.session().saveDraftNow();
    Story again(QString::fromStdString(session.folder()->path().string()));
    QVERIFY(again.session().calibration() && again.session().calibration()->definition().parameter("altitude_reserve"));
}

void MapsTest::aParameterIsAddedByAddressWithItsCellsInView() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* maps = mapsOf(story);
    story.goTo("Maps");
    maps->showDefinitionWork(true);
    QVERIFY(story.click("addPage"));
    const auto& ve = *session.calibration()->definition().parameter("ve_map");
    QTest::keyClicks(story.find<QLineEdit>("newAddress"), QString::fromStdString(hexAddress(ve.address)));
    story.find<QComboBox>("newKind")->setCurrentIndex(2);
    story.find<QComboBox>("newType")->setCurrentText("UWORD");
    story.find<QComboBox>("newX")->setCurrentText("axis_speed");
    story.find<QComboBox>("newY")->setCurrentText("axis_pressure");
    auto* factor = story.find<QLineEdit>("newFactor");
    factor->selectAll();
    QTest::keyClicks(factor, "0.01");
    // The cells are in view before the parameter has a name.
    const auto known = *session.calibration()->read(ve);
    auto* grid = story.find<MapGrid>("newGrid");
    QCOMPARE(grid->contents().values, known.values);
    QCOMPARE(grid->contents().x, known.x.values);
    auto* add = story.find<QPushButton>("addParameter");
    QVERIFY(!add->isEnabled());
    QTest::keyClicks(story.find<QLineEdit>("newName"), "1st");
    QVERIFY(!add->isEnabled() && story.find<QLabel>("newProblem")->text().contains("can't be a name"));
    story.find<QLineEdit>("newName")->clear();
    QTest::keyClicks(story.find<QLineEdit>("newName"), "fill_again");
    QVERIFY(story.click("addParameter"));
    QVERIFY2(session.calibration()->definition().parameter("fill_again"), qPrintable(story.message()));
    QCOMPARE(session.calibration()->read("fill_again")->raw, known.raw);
    QCOMPARE(maps->active()->parameter(), QString("fill_again"));
    story.find<QLineEdit>("newName")->setText("elsewhere");
    story.find<QLineEdit>("newAddress")->clear();
    QTest::keyClicks(story.find<QLineEdit>("newAddress"), "0x12");
    QVERIFY(story.find<QLabel>("newProblem")->text().contains("no byte at"));
}

void MapsTest::aParameterIsRenamedDescribedAndMoved() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    story.openParameter("rev limit");
    QTRY_VERIFY(story.find<QPushButton>("definitionWork"));
    QVERIFY(story.click("definitionWork"));
    const auto put = [&](const char* name, const char* text) {
        auto* edit = story.find<QLineEdit>(name);
        edit->selectAll();
        QTest::keyClicks(edit, text);
    };
    put("editName", "rpm_ceiling");
    put("editLabel", "Ceiling of speed");
    put("editDescription", "Where the fuel is cut");
    story.find<QComboBox>("editGroup")->setCurrentText("my_limits");
    QVERIFY(story.click("keepDefinition"));
    const auto& d = session.calibration()->definition();
    const auto* p = d.parameter("rpm_ceiling");
    QVERIFY2(p && !d.parameter("rev_limit"), qPrintable(story.message()));
    QCOMPARE(p->title(), std::string("Ceiling of speed"));
    QCOMPARE(p->role, std::string("rev_limit"));
    QCOMPARE(d.groupPath("rpm_ceiling"), std::string("my_limits"));
    QVERIFY(story.message().contains("4 changes"));
    // It is found by its new name at once.
    auto* finder = story.find<QLineEdit>("finder");
    finder->clear();
    QTest::keyClicks(finder, "ceiling of");
    QCOMPARE(story.find<QTreeView>("parameterTree")->model()->index(0, 0).data().toString(), "Ceiling of speed");
}

void MapsTest::fourParametersStandSideBySide() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    story.openParameter("how full");
    auto* finder = story.find<QLineEdit>("finder");
    for (const char* words : {"boost target", "rev limit", "injector dead"}) {
        finder->setFocus();
        finder->clear();
        QTest::keyClicks(finder, words);
        QTest::keyClick(finder, Qt::Key_Return, Qt::ControlModifier);
    }
    QVERIFY(maps->pane(3) && !maps->pane(4));
    for (int i = 0; i < 4; ++i)
        QVERIFY(maps->pane(i)->isVisible());
    QCOMPARE(maps->pane(0)->parameter(), QString("ve_map"));
    // What is edited in one is seen in all, and F6 goes from one to the next.
    QTest::keyClick(maps->active()->grid(), Qt::Key_F6);
    QCOMPARE(maps->active(), maps->pane(0));
    const double before = maps->pane(0)->table().at(0, 0);
    maps->open("ve_map", true);
    typeInto(maps->pane(0)->grid(), "+1");
    QCOMPARE(maps->pane(1)->parameter(), QString("ve_map"));
    QVERIFY(std::abs(maps->pane(1)->table().at(0, 0) - before - 1) < 0.006);
    while (maps->pane(1))
        QTest::keyClick(maps->active()->grid(), Qt::Key_W, Qt::ControlModifier);
    QVERIFY(maps->pane(0)->isVisible());
}

void MapsTest::theFinderFiltersPinsAndRemembers() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* tree = story.find<QTreeView>("parameterTree") ? story.find<QTreeView>("parameterTree") : nullptr;
    auto* grid = story.openParameter("rev limit");
    tree = story.find<QTreeView>("parameterTree");
    typeInto(grid, "6500");
    auto* edited = story.window().findChild<QAction*>("filterEdited");
    auto* finder = story.find<QLineEdit>("finder");
    finder->clear();
    edited->setChecked(true);
    QCOMPARE(tree->model()->rowCount(), 1);
    QCOMPARE(tree->model()->index(0, 0).data(Qt::UserRole).toString(), "rev_limit");
    QCOMPARE(tree->model()->index(0, 1).data().toString(), "1 cell");
    edited->setChecked(false);
    QVERIFY(story.click("pin"));
    QCOMPARE(tree->model()->index(0, 0).data().toString(), "Pinned");
    QCOMPARE(tree->model()->index(1, 0).data().toString(), "Recent");
    story.openParameter("boost target");
    finder->clear();
    const QModelIndex recent = tree->model()->index(1, 0);
    QCOMPARE(tree->model()->index(0, 0, recent).data(Qt::UserRole).toString(), "boost_target");
    // A switch of the same column: everything again.
    QVERIFY(session.calibration());
}

void MapsTest::aSwitchIsSetByItsWords() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    const definition::Parameter* wanted = nullptr;
    for (const auto& p : session.calibration()->definition().parameters)
        if (p.kind == definition::Parameter::Kind::Value && p.bitMask &&
            session.calibration()->definition().conversionOf(p).texts.size() == 2)
            wanted = &p;
    QVERIFY(wanted);
    story.goTo("Maps");
    mapsOf(story)->open(QString::fromStdString(wanted->name));
    const double before = *session.calibration()->value(wanted->name);
    const std::string name = wanted->name;
    QTRY_VERIFY(story.find<QAbstractButton>("word0"));
    auto* other = story.find<QAbstractButton>(before == 0 ? "word1" : "word0");
    QTest::mouseClick(other, Qt::LeftButton, {}, QPoint(8, other->height() / 2));
    QVERIFY(*session.calibration()->value(name) != before);
    QCOMPARE(session.history().done().size(), size_t{1});
}

void MapsTest::aValueIsSteppedAndSlid() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* grid = story.openParameter("inject flow");
    const auto table = *session.calibration()->read("injector_flow");
    QVERIFY(story.click("stepUp"));
    QVERIFY(std::abs(*session.calibration()->value("injector_flow") - table.values[0] - table.step) < 1e-9);
    QTest::keyClick(grid, Qt::Key_Down, Qt::ControlModifier);
    QCOMPARE(*session.calibration()->value("injector_flow"), table.values[0]);
    auto* slider = story.find<QSlider>("valueSlider");
    slider->setFocus();
    QTest::keyClick(slider, Qt::Key_PageUp);
    const double slid = *session.calibration()->value("injector_flow");
    QVERIFY(slid > table.values[0] + 10);
    QTest::keyClick(slider, Qt::Key_End);
    QVERIFY(std::abs(*session.calibration()->value("injector_flow") - table.upper) <= table.step);
}

void MapsTest::theCardTellsWhatIsKnown() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("how full");
    grid->select(5, 6);
    const auto table = *session.calibration()->read("ve_map");
    const auto* card = maps->card();
    QVERIFY(card->text("Value").startsWith(QString::number(table.at(5, 6), 'f', 1)));
    QVERIFY(card->text("Stored").startsWith(QString::number(table.raw[5 * 16 + 6], 'f', 0)));
    QCOMPARE(card->text("Address"), QString::fromStdString(hexAddress(table.parameter->address)));
    QCOMPARE(card->text("Bits").remove(' ').toInt(nullptr, 2), static_cast<int>(table.raw[5 * 16 + 6]));
    QCOMPARE(card->text("Role"), QString("ve_map"));
    typeInto(grid, "+3");
    QVERIFY2(card->text("in original").contains("ours +3.0"), qPrintable(card->text("in original")));
    // The axis can be followed by its name.
    auto* link = story.window().findChild<QLabel*>("link_axis_speed");
    QVERIFY(link);
    emit link->linkActivated("#");
    QCOMPARE(maps->active()->parameter(), QString("axis_speed"));
}

void MapsTest::numbersAreShownAndTypedInTheChosenUnit() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("boost target");
    grid->select(4, 5);
    const double kPa = session.calibration()->read("boost_target")->at(4, 5);
    units::Preferences wanted;
    wanted.wanted[units::Quantity::Pressure] = "psi";
    session.setUnitPreferences(wanted);
    QVERIFY(std::abs(grid->contents().values[grid->currentCell()] - kPa / 6.894757) < 1e-3);
    QVERIFY(maps->card()->text("Value").endsWith("psi"));
    typeInto(grid, "20");
    QVERIFY(std::abs(session.calibration()->read("boost_target")->at(4, 5) - 137.895) < 0.006);
    typeInto(grid, "+1");
    QVERIFY(std::abs(session.calibration()->read("boost_target")->at(4, 5) - 144.79) < 0.006);
    session.setUnitPreferences({});
    QVERIFY(std::abs(grid->contents().values[grid->currentCell()] - 144.79) < 0.006);
}

void MapsTest::editsAreUndoneAfterTheProgramWasClosed() {
    QTemporaryDir folder;
    const QString path = folder.filePath("car");
    double before = 0;
    {
        Story story(path);
        QVERIFY(story.begin());
        before = *story.session().calibration()->value("rev_limit");
        auto* grid = story.openParameter("rev limit");
        typeInto(grid, "6400");
        typeInto(grid, "6300");
        QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    }
    Story again(path);
    Session& session = again.session();
    session.selectRound(session.rounds()[0].id);
    QCOMPARE(*session.calibration()->value("rev_limit"), 6400.0);
    QVERIFY(session.history().canUndo() && session.history().canRedo());
    session.undo();
    QCOMPARE(*session.calibration()->value("rev_limit"), before);
    session.redo();
    session.redo();
    QCOMPARE(*session.calibration()->value("rev_limit"), 6300.0);
}

void MapsTest::anAxisIsReSpacedWithItsSurface() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    auto* maps = mapsOf(story);
    story.openParameter("how full");
    const image::Image first = imageOf(story);
    const auto before = *session.calibration()->read("ve_map");
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
    const auto after = *session.calibration()->read("ve_map");
    QCOMPARE(after.y.values.back(), 260.0);
    QVERIFY(std::abs(after.at(13, 4) - before.at(13, 4)) < 0.006);  // held beyond the old end
    QCOMPARE(session.history().done().size(), size_t{1});
    choose(maps, "shape", "respaceY");
    edit->setText("1 2 3");
    QVERIFY(!story.find<QPushButton>("applyRespace")->isEnabled());
    session.undo();
    QVERIFY(imageOf(story) == first);
}

void MapsTest::valuesGoOutAsCdfAndComeBack() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    auto* grid = story.openParameter("how full");
    const image::Image first = imageOf(story);
    QTemporaryDir place;
    const QString path = place.filePath("ve.cdfx");
    maps->exportCdf(path);
    QVERIFY2(story.message().contains("Saved 1 parameters"), qPrintable(story.message()));
    grid->selectAll();
    typeInto(grid, "42");
    maps->importCdf(path);
    QVERIFY(imageOf(story) == first);
    QCOMPARE(story.session().history().done().size(), size_t{2});
    maps->importCdf(BRUSK_DATA_DIR "/heron/aldine-e2.a2l");
    QVERIFY(story.message().contains("XML is broken"));
}

void MapsTest::anythingIsFoundAndConverted() {
    Story story;
    QVERIFY(story.begin());
    auto& window = story.window();
    const auto look = [&](const char* text) {
        QTest::keyClick(&window, Qt::Key_K, Qt::ControlModifier);
        auto* edit = story.find<QLineEdit>("anything");
        QTest::keyClicks(edit, text);
        return edit;
    };
    auto* edit = look("14.2 psi");
    auto* list = story.find<QListWidget>("anythingList");
    QStringList rows;
    for (int i = 0; i < list->count(); ++i)
        rows << list->item(i)->text();
    QVERIFY2(rows.filter("97.9056 kPa").size() == 1, qPrintable(rows.join("; ")));
    QTest::keyClick(edit, Qt::Key_Return);
    QVERIFY(QApplication::clipboard()->text().contains("97.9056 kPa"));
    QTest::keyClick(look("rev limit"), Qt::Key_Return);
    QTRY_COMPARE(mapsOf(story)->active()->parameter(), QString("rev_limit"));
    QTest::keyClick(look("go to flash"), Qt::Key_Return);
    QVERIFY(window.station("Flash")->isVisible());
    QTest::keyClick(look("original"), Qt::Key_Return);
    QCOMPARE(story.session().selected()->number, 0);
    QTest::keyClick(look("zzzz"), Qt::Key_Escape);
    QVERIFY(!story.find<QLineEdit>("anything"));
}

QTEST_MAIN(MapsTest)
#include "MapsTest.moc"
