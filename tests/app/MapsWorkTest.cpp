// Whole pieces of work on the Maps station through the real window: donors, families, several panes, definitions,
// finding.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QCursor>
#include <QListWidget>
#include <QTreeView>
#include <cmath>

#include "../../bench/LargeDefinition.h"
#include "Expect.h"
#include "Maps.h"
#include "app/desks/DefinitionDesk.h"
#include "app/desks/ReferenceDesk.h"
#include "core/base/Text.h"
#include "core/definition/A2lWriter.h"
#include "core/image/ImageFile.h"

using namespace brusk;
using namespace brusk::app;

class MapsWorkTest : public QObject {
    Q_OBJECT
  private slots:
    void aMapAndItsAxesComeFromADonor();
    void namesThatDifferAtTheirEndAreToldApartInTheFinder();
    void aFamilyIsFilledAlikeInOneAction();
    void aMissingParameterIsFoundInALargeDefinitionAndCopied();
    void aParameterIsAddedByAddressWithItsCellsInView();
    void aParameterIsRenamedDescribedAndMoved();
    void guessedRolesAreTakenWhenTheyAreTicked();
    void theNameUnderThePointerIsLookedFor();
    void editsGoToTheHardwaresLimitsOnlyWhenAllowed();
    void fourParametersStandSideBySide();
    void theFinderFiltersPinsAndRemembers();
    void editsAreUndoneAfterTheProgramWasClosed();
    void valuesGoOutAsCdfAndComeBack();
    void anythingIsFoundAndConverted();
};

void MapsWorkTest::aMapAndItsAxesComeFromADonor() {
    Story story;
    QVERIFY(story.begin());
    Desks& desks = story.desks();
    auto* maps = mapsOf(story);
    // The donor: the demo's own, with the pressure axis stretched and the map filled otherwise.
    calibration::Calibration donor = *story.calibration();
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
    QVERIFY2(desks.reference.name() == "donor.s19", qPrintable(story.message()));
    const image::Image first = imageOf(story);
    // Resampled onto our breakpoints first, as a look; then with its axes.
    choose(maps, "reference", "takeWhole");
    QVERIFY(story.message().contains("Resampled; it lies within"));
    QVERIFY(story.calibration()->read("ve_map")->y.values != donor.read(ve)->y.values);
    choose(maps, "reference", "takeWithAxes");
    QCOMPARE(story.calibration()->read("ve_map")->y.values, donor.read(ve)->y.values);
    QCOMPARE(story.calibration()->read("ve_map")->raw, donor.read(ve)->raw);
    // The other maps on that axis kept their surface.
    QVERIFY(story.message().contains("their surfaces were kept"));
    story.undo();
    story.undo();
    QVERIFY(imageOf(story) == first);
}

void MapsWorkTest::namesThatDifferAtTheirEndAreToldApartInTheFinder() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Maps");
    auto* tree = story.find<QTreeView>("parameterTree");
    const QString beginning = "Injection time added while the engine warms up after ";
    const auto drawn = [&](const QString& name) {
        return tree->fontMetrics().elidedText(name, tree->textElideMode(), tree->columnWidth(0));
    };
    QVERIFY(drawn(beginning + "a cold start") != beginning + "a cold start");
    QVERIFY(drawn(beginning + "a cold start") != drawn(beginning + "a hot start"));
}

void MapsWorkTest::aFamilyIsFilledAlikeInOneAction() {
    Story story;
    QVERIFY(story.begin());
    const image::Image first = imageOf(story);
    story.goTo("Maps");
    auto* finder = story.find<QLineEdit>("finder");
    auto* tree = story.find<QTreeView>("parameterTree");
    // An operation on several that were chosen: all in one edit.
    finder->clear();
    QTest::keyClicks(finder, "injector");
    tree->selectAll();
    QVERIFY(story.find<QFrame>("family"));
    QTest::keyClicks(story.find<QLineEdit>("familyAmount"), "x1.01");
    QVERIFY(story.click("familyApply"));
    QCOMPARE(story.history().done().size(), size_t{1});
    QVERIFY(story.history().undoName().find("parameters") != std::string::npos);
    story.undo();
    QVERIFY(imageOf(story) == first);
    // Curves filled like the open one, each on its own breakpoints.
    std::vector<std::string> family;
    for (const auto& p : story.calibration()->definition().parameters)
        if (p.kind == definition::Parameter::Kind::Map && p.name != "ve_map" && !p.readOnly &&
            story.calibration()->definition().unitOf(p) == "%" && family.size() < 3)
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
    QCOMPARE(story.history().done().size(), size_t{1});
    const auto like = *story.calibration()->read("ve_map");
    int alike = 0;
    for (const std::string& name : family) {
        const auto table = *story.calibration()->read(name);
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
    story.undo();
    QVERIFY(imageOf(story) == first);
}

void MapsWorkTest::aMissingParameterIsFoundInALargeDefinitionAndCopied() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    // A large definition of somebody else's that knows one table more of our controller.
    std::string text = brusk::bench::largeDefinition(20000);
    const uint32_t at = story.calibration()->definition().parameter("rev_limit")->address;
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
    QTRY_VERIFY2(story.calibration()->definition().parameter("altitude_reserve"), qPrintable(story.message()));
    QCOMPARE(maps->active()->parameter(), QString("altitude_reserve"));
    // It lies on the rev limit's bytes; editing it says so.
    const double before = *story.calibration()->value("rev_limit");
    typeInto(maps->active()->grid(), "+1");
    QVERIFY(story.message().contains("on the same bytes"));
    QVERIFY(*story.calibration()->value("rev_limit") != before);
    // The original definition is beside it, untouched; the folder opens with the edited one.
    const auto folder = story.folder().path() / "definitions";
    EXPECT_OK(files.read(folder / "aldine-e2.edit-1.a2l"));
    const auto original = files.read(folder / "aldine-e2.a2l");
    EXPECT_OK(original);
    QVERIFY(std::string(asText(*original)) == readText(BRUSK_DATA_DIR "/heron/aldine-e2.a2l"));
    story.saveNow();
    Story again(QString::fromStdString(story.folder().path().string()));
    QVERIFY(again.calibration() && again.calibration()->definition().parameter("altitude_reserve"));
}

void MapsWorkTest::aParameterIsAddedByAddressWithItsCellsInView() {
    Story story;
    QVERIFY(story.begin());
    auto* maps = mapsOf(story);
    story.goTo("Maps");
    maps->showDefinitionWork(true);
    QVERIFY(story.click("addPage"));
    const auto& ve = *story.calibration()->definition().parameter("ve_map");
    QTest::keyClicks(story.find<QLineEdit>("newAddress"), QString::fromStdString(hexAddress(ve.address)));
    story.find<QComboBox>("newKind")->setCurrentIndex(2);
    story.find<QComboBox>("newType")->setCurrentText("UWORD");
    story.find<QComboBox>("newX")->setCurrentText("axis_speed");
    story.find<QComboBox>("newY")->setCurrentText("axis_pressure");
    auto* factor = story.find<QLineEdit>("newFactor");
    factor->selectAll();
    QTest::keyClicks(factor, "0.01");
    // The cells are in view before the parameter has a name.
    const auto known = *story.calibration()->read(ve);
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
    QTRY_VERIFY2(story.calibration()->definition().parameter("fill_again"), qPrintable(story.message()));
    QCOMPARE(story.calibration()->read("fill_again")->raw, known.raw);
    QCOMPARE(maps->active()->parameter(), QString("fill_again"));
    story.find<QLineEdit>("newName")->setText("elsewhere");
    story.find<QLineEdit>("newAddress")->clear();
    QTest::keyClicks(story.find<QLineEdit>("newAddress"), "0x12");
    QVERIFY(story.find<QLabel>("newProblem")->text().contains("no byte at"));
}

void MapsWorkTest::aParameterIsRenamedDescribedAndMoved() {
    Story story;
    QVERIFY(story.begin());
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
    QTRY_VERIFY2(story.calibration()->definition().parameter("rpm_ceiling"), qPrintable(story.message()));
    const auto& d = story.calibration()->definition();
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

void MapsWorkTest::guessedRolesAreTakenWhenTheyAreTicked() {
    Story story;
    QVERIFY(story.begin());
    Desks& desks = story.desks();
    // As a definition from elsewhere comes: nothing says which value the rev limit is.
    const auto bare = definition::withRole(story.calibration()->definition(), "rev_limit", "");
    EXPECT_OK(bare);
    desks.definition.change(*bare, [] {});
    QTRY_VERIFY(!story.calibration()->definition().parameterWithRole("rev_limit"));
    story.goTo("Maps");
    mapsOf(story)->showDefinitionWork(true);
    QVERIFY(story.click("rolesPage"));
    QTRY_VERIFY_WITH_TIMEOUT(story.find<QCheckBox>("role_rev_limit"), 10000);
    auto* keep = story.find<QPushButton>("keepRoles");
    QVERIFY(!keep->isEnabled());
    auto* who = story.find<QComboBox>("who_rev_limit");
    const int right = who->findData("rev_limit");
    QVERIFY(right >= 0);
    who->setCurrentIndex(right);
    // Nothing is taken before somebody says so.
    QVERIFY(!story.calibration()->definition().parameterWithRole("rev_limit"));
    story.find<QCheckBox>("role_rev_limit")->setChecked(true);
    QVERIFY(keep->text().contains("1 role"));
    QVERIFY(story.click("keepRoles"));
    QTRY_VERIFY(story.calibration()->definition().parameterWithRole("rev_limit"));
    QCOMPARE(story.calibration()->definition().parameterWithRole("rev_limit")->name, std::string("rev_limit"));
    // It is not asked again.
    QTRY_VERIFY(!story.find<QCheckBox>("role_rev_limit"));
}

void MapsWorkTest::theNameUnderThePointerIsLookedFor() {
    Story story;
    QVERIFY(story.begin());
    auto* grid = story.openParameter("how full");
    auto* finder = story.find<QLineEdit>("finder");
    QCOMPARE(mapsOf(story)->active()->nameAt(grid->cellCentre(0, 2)), QString("ve_map"));
    const auto under = [&](QPoint at) {
        QCursor::setPos(grid->mapToGlobal(at));
        QTest::keyClick(grid, Qt::Key_F3);
        return finder->text();
    };
    QCOMPARE(under(QPoint(grid->cellCentre(0, 2).x(), 4)), QString("speed"));
    QCOMPARE(under(QPoint(4, grid->cellCentre(2, 0).y())), QString("pressure"));
}

void MapsWorkTest::editsGoToTheHardwaresLimitsOnlyWhenAllowed() {
    Story story;
    QVERIFY(story.begin());
    Desks& desks = story.desks();
    std::string text = story.calibration()->definition().source->text;
    const size_t at = text.find("/end CHARACTERISTIC", text.find("/begin CHARACTERISTIC rev_limit\n"));
    desks.definition.change(text.insert(at, "EXTENDED_LIMITS 500 12000 "), [] {});
    QTRY_VERIFY(story.calibration()->definition().parameter("rev_limit")->extendedLimits);
    auto* grid = story.openParameter("rev limit");
    const double before = *story.calibration()->value("rev_limit");
    typeInto(grid, "9500");
    QVERIFY2(story.message().contains("beyond its limits"), qPrintable(story.message()));
    QCOMPARE(*story.calibration()->value("rev_limit"), before);
    choose(mapsOf(story), "shape", "hardwareLimits");
    typeInto(grid, "9500");
    QCOMPARE(*story.calibration()->value("rev_limit"), 9500.0);
    typeInto(grid, "12500");
    QVERIFY(story.message().contains("beyond its limits, 500 to 12000"));
    choose(mapsOf(story), "shape", "hardwareLimits");
    QVERIFY(!story.hardwareLimits());
}

void MapsWorkTest::fourParametersStandSideBySide() {
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

void MapsWorkTest::theFinderFiltersPinsAndRemembers() {
    Story story;
    QVERIFY(story.begin());
    auto* grid = story.openParameter("rev limit");
    auto* tree = story.find<QTreeView>("parameterTree");
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
}

void MapsWorkTest::editsAreUndoneAfterTheProgramWasClosed() {
    QTemporaryDir folder;
    const QString path = folder.filePath("car");
    double before = 0;
    {
        Story story(path);
        QVERIFY(story.begin());
        before = *story.calibration()->value("rev_limit");
        auto* grid = story.openParameter("rev limit");
        typeInto(grid, "6400");
        typeInto(grid, "6300");
        QTest::keyClick(grid, Qt::Key_Z, Qt::ControlModifier);
    }
    Story again(path);
    again.select(again.rounds()[0].id);
    QCOMPARE(*again.calibration()->value("rev_limit"), 6400.0);
    QVERIFY(again.history().canUndo() && again.history().canRedo());
    again.undo();
    QCOMPARE(*again.calibration()->value("rev_limit"), before);
    again.redo();
    again.redo();
    QCOMPARE(*again.calibration()->value("rev_limit"), 6300.0);
}

void MapsWorkTest::valuesGoOutAsCdfAndComeBack() {
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
    QCOMPARE(story.history().done().size(), size_t{2});
    maps->importCdf(BRUSK_DATA_DIR "/heron/aldine-e2.a2l");
    QVERIFY(story.message().contains("XML is broken"));
}

void MapsWorkTest::anythingIsFoundAndConverted() {
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
    QCOMPARE(story.selected()->number, 0);
    QTest::keyClick(look("zzzz"), Qt::Key_Escape);
    QVERIFY(!story.find<QLineEdit>("anything"));
}

QTEST_MAIN(MapsWorkTest)
#include "MapsWorkTest.moc"
