// Corrections through the window: a car that is wrong in one part, the kind opened, its reason read, a setting moved,
// the others left out, the round made, flashed and driven; then it is better, and the promise stands beside what came.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QSlider>
#include <QTreeWidget>
#include <map>

#include "Expect.h"
#include "Story.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/desks/RoundDesk.h"
#include "app/stations/correct/KindList.h"
#include "core/evidence/Learned.h"
#include "core/job/Correct.h"
#include "core/job/Keeping.h"

using namespace brusk;
using namespace brusk::app;

namespace {

/// Adds to or multiplies every number of a parameter, on the round that is looked at; of a curve over the weather's
/// pressure only what is not by the sea; of two banks' trims the one up and the other down.
void makeWrong(Story& story, const char* parameter, double factor, double plus) {
    constexpr double kBySea_kPa = 97;
    const auto& calibration = *story.calibration();
    const auto table = *calibration.read(parameter);
    const bool weather = table.parameter->role == "filling_altitude", banks = table.parameter->role == "bank_trim";
    std::vector<calibration::CellValue> cells;
    for (size_t i = 0; i < table.values.size(); ++i)
        if (!weather || table.x.values[i] < kBySea_kPa)
            cells.push_back({i, table.values[i] * factor + (banks && i > 0 ? -plus : plus)});
    const auto edit = calibration.prepare(*calibration.definition().parameter(parameter), cells,
                                          calibration::AtLimit::Clamp, "made wrong");
    EXPECT_OK(edit);
    EXPECT_OK(story.desks().round.edit(*edit));
    story.saveNow();
}

/// A drive in one weather; as it is where none is given.
struct Leg {
    const char* route;
    std::optional<double> air_C = {}, pressure_kPa = {};
};

struct Trial {
    const char *kind, *parameter;  ///< what is to put right, and what is made wrong
    double factor, plus;
    std::vector<Leg> drives;
    const char* setting;
    bool airFirst = false;  ///< it is told once the air is right
    const char* link = "bench";
    bool bothModels = false;  ///< the controller hands over from one model of the air to the other
};

const std::map<QString, Trial>& trials() {
    static const std::vector<Leg> survey = {{"Survey"}}, pulls = {{"Pulls in 3rd"}};
    static const std::vector<Leg> weathers = {{"Survey", 2}, {"Survey", 34}};
    static const std::vector<Leg> heights = {{"Survey", 18, 101}, {"Survey", 18, 84}};
    static const std::map<QString, Trial> all = {
        {"air", {"air", "ve_map", 1.08, 0, survey, "strength"}},
        {"injector", {"injector", "dead_time", 1, 150, survey, "strength", true}},
        {"meter", {"meter", "maf_curve", 1.08, 0, survey, "strength"}},
        {"charge temperature", {"charge-temperature", "charge_blend", 1.6, 0, weathers, "strength", true}},
        {"altitude", {"altitude", "ve_baro", 1.08, 0, heights, "strength", true}},
        {"changeover", {"changeover", "maf_curve", 1.07, 0, survey, "strength", true, "bench", true}},
        {"banks", {"bank-trim", "bank_trim", 1, 2, survey, "strength", false, "bench:crane"}},
        {"full load", {"full-load", "full_load_delay", 1, 2, pulls, "wanted"}},
    };
    return all;
}

bool driveAll(Story& story, const Trial& trial) {
    return std::all_of(trial.drives.begin(), trial.drives.end(),
                       [&](const Leg& leg) { return story.driveRoute(leg.route, leg.air_C, leg.pressure_kPa); });
}

int rowOf(const QListWidget& kinds, const QString& kind) {
    for (int i = 0; i < kinds.count(); ++i)
        if (kinds.item(i)->data(Qt::UserRole).toString() == kind) return i;
    return -1;
}

}  // namespace

class CorrectStoryTest : public QObject {
    Q_OBJECT
  private slots:
    void aKindIsOpenedReadSetMadeFlashedAndDriven_data();
    void aKindIsOpenedReadSetMadeFlashedAndDriven();
    void whatWasLearnedIsClearedAndPromisesStandBesideWhatCame();
    void theKeysReachEverything();
};

void CorrectStoryTest::aKindIsOpenedReadSetMadeFlashedAndDriven_data() {
    QTest::addColumn<QString>("trialed");
    for (const auto& [name, trial] : trials())
        QTest::newRow(qPrintable(name)) << name;
}

void CorrectStoryTest::aKindIsOpenedReadSetMadeFlashedAndDriven() {
    QFETCH(QString, trialed);
    const Trial& trial = trials().at(trialed);
    const QString kind = trial.kind;
    Story story;
    QVERIFY(story.begin(trial.link) && story.driveAnything());
    // The sheet is the Heron's.
    if (trial.link == std::string("bench")) QVERIFY(story.makeBase());
    if (trial.airFirst) QVERIFY(story.flash() && story.driveRoute("Survey") && story.correct() && story.flash());
    if (trial.bothModels) makeWrong(story, "air_model", 0, 2);
    makeWrong(story, trial.parameter, trial.factor, trial.plus);
    const auto wrong = *story.calibration()->read(trial.parameter);
    QVERIFY(story.flash() && driveAll(story, trial));
    // Each bench car keeps its own memory.
    const auto keeps = [&](const char* file) { return story.folder().files().exists(story.folder().path() / file); };
    const bool crane = trial.link != std::string("bench");
    QVERIFY(keeps("benchcar-crane.flash") == crane && keeps("benchcar.flash") != crane);
    story.goTo("Correct");
    auto* make = story.find<QPushButton>("makeRound");
    auto* kinds = story.find<QListWidget>("kinds");
    // Opened, and its reason read.
    QVERIFY(story.openKind(kind.toUtf8().constData()));
    const auto* reason = story.find<QLabel>("reason");
    QVERIFY2(reason->text().size() > 40, qPrintable(reason->text()));
    QVERIFY(!story.find<QLabel>("formula")->text().isEmpty());
    // All others are left out with the space bar; what stood on them is computed anew.
    const auto other = [&] {
        for (int row = 0; row < kinds->count(); ++row) {
            const auto* item = kinds->item(row);
            const QString id = item->data(Qt::UserRole).toString();
            if (!id.isEmpty() && id != kind && item->flags() & Qt::ItemIsUserCheckable &&
                item->checkState() == Qt::Checked)
                return row;
        }
        return -1;
    };
    while (other() >= 0) {
        kinds->setCurrentRow(other());
        kinds->setFocus();
        QTest::keyClick(kinds, Qt::Key_Space);
        QTest::qWait(50);
    }
    QTRY_VERIFY2_WITH_TIMEOUT(kinds->item(rowOf(*kinds, kind))->flags() & Qt::ItemIsUserCheckable,
                              qPrintable(reason->text()), 60000 * kSlower);
    QTRY_VERIFY_WITH_TIMEOUT(make->isEnabled(), 60000 * kSlower);
    kinds->setCurrentRow(rowOf(*kinds, kind));
    // A setting moves what is promised, and back.
    const QByteArray name = QByteArray("setting.") + trial.setting;
    QTRY_VERIFY(story.find<QSlider>(name.constData()));
    auto* slider = story.find<QSlider>(name.constData());
    const QString after = story.find<QLabel>("errorAfter")->text();
    const int usual = slider->value();
    slider->setFocus();
    QTest::keyClick(slider, trial.setting == std::string("wanted") ? Qt::Key_End : Qt::Key_Home);
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
    const auto put = *story.calibration()->read(trial.parameter);
    QVERIFY(put.raw != wrong.raw);
    // Flashed, driven: better, and the account has what came.
    const int64_t round = story.selected()->id;
    QVERIFY(story.flash() && driveAll(story, trial));
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

void CorrectStoryTest::whatWasLearnedIsClearedAndPromisesStandBesideWhatCame() {
    Story story;
    QVERIFY(story.begin() && story.makeBase() && story.flash() && story.driveRoute("Survey"));
    // The line of what was learned says what the first pull will be like; nothing of it becomes bytes.
    story.goTo("Correct");
    QVERIFY(story.openKind("adaptations"));
    QTRY_VERIFY2(story.find<QLabel>("reason")->text().startsWith("The controller has learned"),
                 qPrintable(story.find<QLabel>("reason")->text()));
    const auto learnedAt = [&](int64_t round) {
        const auto entries = story.folder().recordings().of(round);
        const auto recording = job::loadRecording(story.folder(), entries->back());
        double most = 0;
        for (const auto& value : evidence::learnedOf(**recording))
            if (value.role.id().starts_with("learned_trim")) most = std::max(most, std::abs(value.from));
        return most;
    };
    QVERIFY(story.correct());
    // The gate offers to clear it, and it is cleared with the flash.
    story.goTo("Flash");
    const auto remedy = [&]() -> QPushButton* {
        for (auto* button : story.window().findChildren<QPushButton*>("gateRemedy"))
            if (button->isVisible() && button->text() == "Clear it too") return button;
        return nullptr;
    };
    QTRY_VERIFY_WITH_TIMEOUT(remedy(), 20000 * kSlower);
    QTest::mouseClick(remedy(), Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(!remedy(), 20000 * kSlower);
    QVERIFY(story.flash() && story.driveRoute("Survey"));
    const int64_t second = story.selected()->id;
    QVERIFY2(learnedAt(second) < 0.1, qPrintable(QString::number(learnedAt(second))));
    // What was promised stands beside what came; a third round adds its own.
    const auto came = [&](int64_t round) {
        QTRY_VERIFY_WITH_TIMEOUT(!story.folder().rounds().byId(round)->came.empty(), 60000 * kSlower);
    };
    came(second);
    makeWrong(story, "ve_map", 1.06, 0);
    QVERIFY(story.flash() && story.driveRoute("Survey") && story.correct() && story.flash());
    QVERIFY(story.driveRoute("Survey"));
    const int64_t third = story.selected()->id;
    came(third);
    story.goTo("Correct");
    QTRY_VERIFY_WITH_TIMEOUT(story.find<QTreeWidget>("promised"), 60000 * kSlower);
    const auto* lines = story.find<QTreeWidget>("promised");
    // Of a round's promise of the air, and of what came; nothing for what is not there.
    const auto air = [&](int number, int column) -> std::optional<double> {
        for (int i = 0; i < lines->topLevelItemCount(); ++i) {
            const auto* line = lines->topLevelItem(i);
            bool told = false;
            const double value = line->text(column).toDouble(&told);
            if (told && line->text(0) == QString("%1 Air").arg(number)) return value;
        }
        return std::nullopt;
    };
    for (const int64_t round : {second, third}) {
        const int number = story.folder().rounds().byId(round)->number;
        QTRY_VERIFY_WITH_TIMEOUT(air(number, 1) && air(number, 2), 60000 * kSlower);
        QVERIFY2(std::abs(*air(number, 1) - *air(number, 2)) < 1, qPrintable(QString::number(number)));
    }
}

void CorrectStoryTest::theKeysReachEverything() {
    Story story;
    QVERIFY(story.begin() && story.driveRoute("Small hills"));
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
