// Corrections through the window: a car that is wrong in one part, the kind opened, its reason read, a setting moved,
// the others left out, the round made, flashed and driven; then it is better, and the promise stands beside what came.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSlider>
#include <QTreeWidget>

#include "Expect.h"
#include "Story.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/desks/RoundDesk.h"
#include "app/stations/correct/KindList.h"
#include "core/job/Correct.h"
#include "core/job/Keeping.h"

using namespace brusk;
using namespace brusk::app;

namespace {

/// Adds to or multiplies every number of a parameter, on the round that is looked at.
void makeWrong(Story& story, const char* parameter, double factor, double plus) {
    const auto& calibration = *story.calibration();
    const auto table = *calibration.read(parameter);
    std::vector<calibration::CellValue> cells;
    for (size_t i = 0; i < table.values.size(); ++i)
        cells.push_back({i, table.values[i] * factor + plus});
    const auto edit = calibration.prepare(*calibration.definition().parameter(parameter), cells,
                                          calibration::AtLimit::Clamp, "made wrong");
    EXPECT_OK(edit);
    EXPECT_OK(story.desks().round.edit(*edit));
    story.saveNow();
}

int rowOf(const QListWidget& kinds, const QString& kind) {
    for (int i = 0; i < kinds.count(); ++i)
        if (kinds.item(i)->data(Qt::UserRole).toString() == kind) return i;
    return -1;
}

bool driveRoute(Story& story, const char* title) {
    story.goTo("Drive");
    return story.drive(story.find<QComboBox>("route")->findText(title, Qt::MatchStartsWith));
}

}  // namespace

class CorrectStoryTest : public QObject {
    Q_OBJECT
  private slots:
    void aKindIsOpenedReadSetMadeFlashedAndDriven_data();
    void aKindIsOpenedReadSetMadeFlashedAndDriven();
    void theKeysReachEverything();
};

void CorrectStoryTest::aKindIsOpenedReadSetMadeFlashedAndDriven_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<QString>("parameter");
    QTest::addColumn<double>("factor");
    QTest::addColumn<double>("plus");
    QTest::addColumn<QString>("route");
    QTest::addColumn<QString>("setting");
    QTest::newRow("air") << "air"
                         << "ve_map" << 1.08 << 0.0 << "Survey"
                         << "strength";
    QTest::newRow("injector") << "injector"
                              << "dead_time" << 1.0 << 150.0 << "Survey"
                              << "strength";
    QTest::newRow("full load") << "full-load"
                               << "full_load_delay" << 1.0 << 2.0 << "Pulls in 3rd"
                               << "wanted";
}

void CorrectStoryTest::aKindIsOpenedReadSetMadeFlashedAndDriven() {
    QFETCH(QString, kind);
    QFETCH(QString, parameter);
    QFETCH(double, factor);
    QFETCH(double, plus);
    QFETCH(QString, route);
    QFETCH(QString, setting);
    Story story;
    QVERIFY(story.begin() && story.makeBase());
    // Dead time is told once the air is right.
    if (kind == "injector") {
        QVERIFY(story.flash() && driveRoute(story, "Survey") && story.correct() && story.flash());
    }
    makeWrong(story, parameter.toUtf8().constData(), factor, plus);
    const auto wrong = *story.calibration()->read(parameter.toStdString());
    QVERIFY(story.flash() && driveRoute(story, route.toUtf8().constData()));
    story.goTo("Correct");
    auto* make = story.find<QPushButton>("makeRound");
    auto* kinds = story.find<QListWidget>("kinds");
    // Opened, and its reason read.
    QVERIFY(story.openKind(kind.toUtf8().constData()));
    const auto* reason = story.find<QLabel>("reason");
    QVERIFY2(reason->text().size() > 40, qPrintable(reason->text()));
    QVERIFY(!story.find<QLabel>("formula")->text().isEmpty());
    QVERIFY2(kinds->item(rowOf(*kinds, kind))->flags() & Qt::ItemIsUserCheckable, qPrintable(reason->text()));
    // All others are left out with the space bar; what stood on them is computed anew.
    for (int i = 0; i < kinds->count(); ++i) {
        const QString other = kinds->item(i)->data(Qt::UserRole).toString();
        if (other.isEmpty() || other == kind || !(kinds->item(i)->flags() & Qt::ItemIsUserCheckable)) continue;
        kinds->setCurrentRow(i);
        kinds->setFocus();
        QTest::keyClick(kinds, Qt::Key_Space);
        QTest::qWait(50);
    }
    QTRY_VERIFY_WITH_TIMEOUT(make->isEnabled(), 60000 * kSlower);
    kinds->setCurrentRow(rowOf(*kinds, kind));
    // A setting moves what is promised, and back.
    const QByteArray name = ("setting." + setting).toUtf8();
    QTRY_VERIFY(story.find<QSlider>(name.constData()));
    auto* slider = story.find<QSlider>(name.constData());
    const QString after = story.find<QLabel>("errorAfter")->text();
    const int usual = slider->value();
    slider->setFocus();
    QTest::keyClick(slider, setting == "wanted" ? Qt::Key_End : Qt::Key_Home);
    QTRY_VERIFY_WITH_TIMEOUT(story.find<QLabel>("errorAfter")->text() != after, 60000 * kSlower);
    slider->setValue(usual);
    QTRY_COMPARE_WITH_TIMEOUT(story.find<QLabel>("errorAfter")->text(), after, 60000 * kSlower);
    // Made.
    const size_t before = story.rounds().size();
    QTRY_VERIFY_WITH_TIMEOUT(make->isEnabled(), 60000 * kSlower);
    QTest::mouseClick(make, Qt::LeftButton);
    QVERIFY2(story.rounds().size() == before + 1, qPrintable(story.message()));
    const auto kept = job::reasonFromJson(story.selected()->reason);
    EXPECT_OK(kept);
    QCOMPARE(QString::fromStdString(kept->kind), kind);
    QCOMPARE(kept->promised.size(), size_t{1});
    const auto put = *story.calibration()->read(parameter.toStdString());
    QVERIFY(put.raw != wrong.raw);
    // Flashed, driven: better, and the account has what came.
    const int64_t round = story.selected()->id;
    QVERIFY(story.flash() && driveRoute(story, route.toUtf8().constData()));
    QTRY_VERIFY_WITH_TIMEOUT(!story.folder().rounds().byId(round)->came.empty(), 60000 * kSlower);
    const auto came = job::cameFromJson(story.folder().rounds().byId(round)->came);
    EXPECT_OK(came);
    const auto& promise = kept->promised[0];
    const double is = came->at(promise.kind).value;
    qInfo("%s: %.2f before, %.2f promised, %.2f came", promise.kind.c_str(), promise.now, promise.expected, is);
    QVERIFY(is < 0.6 * promise.now);
    story.goTo("Correct");
    QTRY_VERIFY_WITH_TIMEOUT(story.find<QTreeWidget>("promised"), 60000 * kSlower);
    // Its line is the newest, with what came beside what was promised.
    QTRY_COMPARE_WITH_TIMEOUT(story.find<QTreeWidget>("promised")->topLevelItem(0)->text(2),
                              QString::number(is, 'f', 1), 60000 * kSlower);
    QCOMPARE(story.find<QTreeWidget>("promised")->topLevelItem(0)->text(1), QString::number(promise.expected, 'f', 1));
}

void CorrectStoryTest::theKeysReachEverything() {
    Story story;
    QVERIFY(story.begin() && driveRoute(story, "Small hills"));
    story.goTo("Correct");
    auto* kinds = story.find<QListWidget>("kinds");
    auto* make = story.find<QPushButton>("makeRound");
    QTRY_VERIFY_WITH_TIMEOUT(make->isEnabled(), 60000 * kSlower);
    kinds->setCurrentRow(rowOf(*kinds, "air"));
    kinds->setFocus();
    // A layer by its digit, from the list too.
    auto* grid = story.find<MapGrid>("correctionGrid");
    QTest::keyClick(kinds, Qt::Key_4);
    const auto result = grid->contents().values;
    QTest::keyClick(kinds, Qt::Key_1);
    QVERIFY(grid->contents().values != result);
    // Enter leads to the moment behind a cell.
    const auto& evidence = grid->contents().evidence;
    const auto busiest = static_cast<int>(std::max_element(evidence.begin(), evidence.end()) - evidence.begin());
    const auto columns = static_cast<int>(grid->contents().columns);
    QTest::mouseClick(grid, Qt::LeftButton, {}, grid->cellCentre(busiest / columns, busiest % columns));
    QTest::keyClick(grid, Qt::Key_Return);
    QTRY_VERIFY(story.find<QListWidget>("recordings"));
    QVERIFY(story.desks().playback.recording());
    QVERIFY(story.desks().playback.time_s() > 0);
    // Ctrl Enter makes the round.
    story.goTo("Correct");
    QTRY_VERIFY_WITH_TIMEOUT(make->isEnabled(), 60000 * kSlower);
    const size_t before = story.rounds().size();
    kinds->setFocus();
    QTest::keyClick(kinds, Qt::Key_Return, Qt::ControlModifier);
    QTRY_COMPARE(story.rounds().size(), before + 1);
}

QTEST_MAIN(CorrectStoryTest)
#include "CorrectStoryTest.moc"
