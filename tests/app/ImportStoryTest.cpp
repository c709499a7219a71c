// A table of another program's, dropped on the window: put right by mouse and keys, kept on a round, and what the drive
// says of the air is what the original says.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QComboBox>
#include <QDropEvent>
#include <QListWidget>
#include <QMimeData>
#include <QTableView>

#include "DrivenKit.h"
#include "Expect.h"
#include "Story.h"
#include "app/desks/ImportDesk.h"
#include "app/desks/Places.h"
#include "app/stations/review/ImportTable.h"
#include "app/widgets/LaneView.h"
#include "core/base/Text.h"
#include "core/calibration/Compare.h"
#include "core/units/Units.h"

using namespace brusk;
using namespace brusk::app;

namespace {

using RecordingPtr = std::shared_ptr<const recording::Recording>;

void dropOn(Story& story, const QString& path) {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(path)});
    QDragEnterEvent enter(QPoint(400, 400), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&story.window(), &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent event(QPointF(400, 400), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(&story.window(), &event);
}

const ImportDesk::Shown* shownIn(Story& story) {
    return story.desks().imports.shown();
}

bool pageIsReady(Story& story) {
    return QTest::qWaitFor([&] { return shownIn(story) && !story.desks().imports.working(); }, 30000);
}

/// Types into a cell of the columns' table as a person does: a click, the text, Enter.
bool typeInto(Story& story, const std::string& column, int at, const QString& text) {
    auto* view = story.find<QTableView>("importColumns");
    const auto& columns = shownIn(story)->plan.columns;
    for (size_t row = 0; row < columns.size(); ++row) {
        if (columns[row].key != column) continue;
        const QModelIndex cell = view->model()->index(static_cast<int>(row), at);
        view->scrollTo(cell);
        QTest::mouseClick(view->viewport(), Qt::LeftButton, {}, view->visualRect(cell).center());
        auto* box = view->viewport()->findChild<QComboBox*>();
        auto* line = box ? box->lineEdit() : view->viewport()->findChild<QLineEdit*>();
        if (!line) return false;
        line->selectAll();
        QTest::keyClicks(line, text);
        QTest::keyClick(line, Qt::Key_Return);
        if (auto* popup = QApplication::activePopupWidget()) {
            QTest::keyClick(popup, Qt::Key_Return);
            if (view->viewport()->findChild<QComboBox*>()) QTest::keyClick(line, Qt::Key_Return);
        }
        return QTest::qWaitFor([&] { return view->model()->data(cell, Qt::EditRole).toString() == text; }, 5000) &&
               pageIsReady(story);
    }
    return false;
}

QString numberText(double value) {
    if (!std::isfinite(value)) return "---";
    return QString::fromStdString(exactNumber(value)).replace('.', ',');
}

/// The drive as another program's table: semicolons, decimal commas, time of day, names that tell nothing, units in a
/// row of their own, the pressure in mbar, the mixture as a ratio without a unit.
QString tableOf(const recording::Recording& drive, std::map<std::string, std::string>& roles) {
    std::vector<recording::Recording::Place> places;
    QStringList names = {"Uhr"}, units = {""};
    for (const auto& group : drive.groups)
        for (const auto& channel : group.channels) {
            if (channel.role.empty()) continue;
            const QString name = QString("K%1").arg(places.size() + 1, 2, 10, QChar('0'));
            names << name;
            const bool pressure = channel.role == "manifold_pressure", mixture = channel.role == "lambda_measured";
            units << (pressure ? "mbar" : mixture ? "" : QString::fromStdString(channel.unit));
            roles[name.toStdString()] = channel.role;
            places.push_back({&group, &channel});
        }
    QString out = "Messung 12\nFahrer;Ines\n" + names.join(';') + '\n' + units.join(';') + '\n';
    // A row at each time that any group has; who has none then is blank.
    std::set<double> times;
    for (const auto& place : places)
        times.insert(place.group->time_s.begin(), place.group->time_s.end());
    for (const double time_s : times) {
        const double at = 36725 + time_s;
        const int whole = static_cast<int>(at);
        QString row = QString("%1:%2:%3,%4")
                          .arg(whole / 3600, 2, 10, QChar('0'))
                          .arg(whole / 60 % 60, 2, 10, QChar('0'))
                          .arg(whole % 60, 2, 10, QChar('0'))
                          .arg(qRound64((at - whole) * 1e6), 6, 10, QChar('0'));
        for (const auto& place : places) {
            const size_t sample = recording::indexAt(place.group->time_s, time_s);
            const bool there = place.group->time_s[sample] == time_s;
            double value = there ? double(place.channel->values[sample]) : std::nan("");
            if (place.channel->role == "manifold_pressure") value *= 10;
            if (place.channel->role == "lambda_measured") value *= 14.7;
            row += ';' + (there ? numberText(value) : QString());
        }
        out += row + '\n';
    }
    return out;
}

std::shared_ptr<const image::Image> correctedOn(Story& story) {
    if (!story.correct()) qFatal("nothing was made: %s", qPrintable(story.message()));
    return *story.folder().rounds().image(story.selected()->id);
}

}  // namespace

class ImportStoryTest : public QObject {
    Q_OBJECT
  private slots:
    void aTableOfStrangeNamesBecomesADriveThatSaysTheSameOfTheAir();
    void aFileIsLookedAtWithoutACarFolder();
    void whatIsKeptUnboundIsBoundByAClick();
    void aCanLogAsksForWhatItsFramesMean();
    void whatIsNoRecordingIsSaid();
};

void ImportStoryTest::aTableOfStrangeNamesBecomesADriveThatSaysTheSameOfTheAir() {
    storage::RealFileSystem files;
    const auto kit = job::loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
    EXPECT_OK(kit);
    benchcar::BenchCar car(benchcar::kHeronFitted, 1);
    // From its first row on, as a time of day tells it.
    recording::Recording driven = *bench::drive(car, {*kit}, {"hills"}).recordings[0];
    const double first = driven.groups[0].time_s[0];
    for (auto& group : driven.groups)
        for (double& time_s : group.time_s.edit())
            time_s = std::round((time_s - first) * 1e9) / 1e9;
    const auto drive = std::make_shared<const recording::Recording>(std::move(driven));

    Story before;
    QVERIFY(before.begin());
    const auto kept = before.folder().recordings().keep("drive.mf4", *drive, before.selected()->id);
    EXPECT_OK(kept);
    before.desks().places.showRound(before.desks().places.round());
    const auto wanted = correctedOn(before);

    Story story;
    QVERIFY(story.begin());
    QTemporaryDir folder;
    std::map<std::string, std::string> roles;
    const QString path = folder.filePath("Messung 12.csv");
    QFile file(path);
    QVERIFY(file.open(QFile::WriteOnly) && file.write(tableOf(*drive, roles).toUtf8()) > 0);
    file.close();
    dropOn(story, path);
    QVERIFY(pageIsReady(story));
    const auto point = [&](const char* id) { return shownIn(story)->plan.point(id)->value; };
    QCOMPARE(point("separator"), std::string(";"));
    QCOMPARE(point("decimal"), std::string(","));
    QCOMPARE(point("time-form"), std::string("clock"));
    QCOMPARE(point("header"), std::string("3"));
    QCOMPARE(point("units"), std::string("4"));
    QCOMPARE(shownIn(story)->plan.columns.size(), roles.size());
    for (const auto& [name, id] : roles) {
        const auto title = std::string(roles::Role::named(id)->title());
        if (id == "lambda_measured") QVERIFY(typeInto(story, name, ImportColumns::Unit, "AFR"));
        QVERIFY2(typeInto(story, name, ImportColumns::Role, QString::fromStdString(title)), title.c_str());
    }
    for (const auto& column : shownIn(story)->plan.columns)
        QCOMPARE(column.role, roles[column.key]);
    // The first rows stand there as they will be read.
    auto* rows = story.find<QTableView>("importRows");
    QVERIFY(rows && rows->model()->rowCount() == 12 && rows->model()->data(rows->model()->index(0, 0)) == "0.000");
    auto* round = story.find<QComboBox>("importRound");
    round->setFocus();
    QTest::keyClick(round, Qt::Key_Down);
    QCOMPARE(round->currentData().toLongLong(), qlonglong(story.selected()->id));
    QVERIFY(story.click("importKeep"));
    QVERIFY(QTest::qWaitFor([&] { return story.message().startsWith("Kept as recordings/"); }, 30000));
    QVERIFY(!shownIn(story));
    const auto entries = story.folder().recordings().of(story.selected()->id);
    QCOMPARE(entries->size(), size_t{1});
    QTRY_COMPARE(story.find<QListWidget>("recordings")->count(), 1);

    // Every role has the same numbers on the same clock.
    const auto taken = job::loadRecording(story.folder(), (*entries)[0]);
    EXPECT_OK(taken);
    const evidence::Sampled said(drive), read(*taken);
    QCOMPARE(read.size(), said.size());
    for (size_t i = 0; i < said.size(); ++i)
        QVERIFY2(read.time_s()[i] == said.time_s()[i], qPrintable(QString::number(i)));
    for (const auto& [name, id] : roles) {
        const auto role = *roles::Role::named(id);
        const auto was = said.column(role), is = read.column(role);
        EXPECT_OK(was);
        EXPECT_OK(is);
        for (size_t i = 0; i < was->size(); ++i) {
            const float a = (*was)[i], b = (*is)[i];
            const bool same = (std::isnan(a) && std::isnan(b)) || std::abs(a - b) <= 2e-6f * std::abs(a);
            QVERIFY2(same,
                     qPrintable(QString("%1 row %2: %3, was %4").arg(id.c_str()).arg(i).arg(double(b)).arg(double(a))));
        }
    }
    const auto image = correctedOn(story);
    const calibration::Calibration a((*kit)->definition, *wanted), b((*kit)->definition, *image);
    const auto changed = calibration::compare(a, bench::calibrationOf(**kit, car));
    QVERIFY(
        std::any_of(changed.begin(), changed.end(), [](const auto& one) { return one.parameter->name == "ve_map"; }));
    // To one count, in every cell of everything that was changed.
    size_t differ = 0;
    for (const auto& difference : calibration::compare(a, b)) {
        const auto ours = *a.read(*difference.parameter), theirs = *b.read(*difference.parameter);
        for (size_t i = 0; i < ours.raw.size(); ++i) {
            QVERIFY2(std::abs(ours.raw[i] - theirs.raw[i]) <= 1, difference.parameter->name.c_str());
            differ += ours.raw[i] != theirs.raw[i];
        }
    }
    qInfo("%zu cells differ by a count", differ);

    // What was said is remembered: the same program's next file needs nothing but a look.
    QVERIFY(QFile::copy(path, folder.filePath("Messung 13.csv")));
    dropOn(story, folder.filePath("Messung 13.csv"));
    QVERIFY(pageIsReady(story));
    for (const auto& column : shownIn(story)->plan.columns)
        QCOMPARE(column.role, roles[column.key]);
    QVERIFY(story.click("importAgain"));
    QVERIFY(pageIsReady(story));
    const auto& guessed = shownIn(story)->plan.columns;
    QVERIFY(std::count_if(guessed.begin(), guessed.end(), [](const auto& c) { return c.why == "as you said"; }) == 0);
    QVERIFY(std::count_if(guessed.begin(), guessed.end(), [](const auto& c) { return c.role.empty(); }) > 10);
    QVERIFY(story.click("importAside"));
    QVERIFY(!story.find<QWidget>("importPage"));
}

void ImportStoryTest::aFileIsLookedAtWithoutACarFolder() {
    QTemporaryDir home, folder;
    storage::RealFileSystem files;
    Desks desks(files, BRUSK_DATA_DIR);
    desks.setHome(home.path().toStdString());
    MainWindow window(desks);
    window.show();
    QFile file(folder.filePath("a.csv"));
    QVERIFY(file.open(QFile::WriteOnly));
    file.write("t;alpha;beta\n");
    for (int i = 0; i < 200; ++i)
        file.write(QString("%1;%2;%3\n").arg(i * 0.1).arg(i % 17).arg(i * i).toUtf8());
    file.close();
    window.showStation("Review");
    desks.imports.open(folder.filePath("a.csv").toStdString());
    QTRY_VERIFY(desks.imports.shown() && !desks.imports.working());
    auto* look = window.findChild<QPushButton*>("importLook");
    QVERIFY(look->isVisible() && !window.findChild<QPushButton*>("importKeep")->isEnabled());
    QTest::mouseClick(look, Qt::LeftButton);
    auto* lanes = window.findChild<LaneView*>("reviewLanes");
    QTRY_VERIFY(lanes->isVisible() && std::abs(lanes->to() - 19.9) < 1e-6);
    QVERIFY(!desks.imports.shown());
}

void ImportStoryTest::whatIsKeptUnboundIsBoundByAClick() {
    Story story;
    QVERIFY(story.begin());
    recording::Recording drive;
    drive.title = "From afar";
    drive.groups.push_back({"all", 10, {0, 0.1, 0.2}, {{"speed", "rpm", "", "engine_speed", {800, 900, 1000}}}});
    EXPECT_OK(story.folder().recordings().keep("afar.mf4", drive, std::nullopt));
    EXPECT_FAILS(story.folder().recordings().keep("afar.mf4", drive, std::nullopt), "in the folder already");
    story.goTo("Review");
    auto* list = story.find<QListWidget>("recordings");
    QTRY_COMPARE(list->count(), 1);
    QVERIFY(list->item(0)->text().contains("of no round"));
    list->setCurrentRow(-1);
    list->setCurrentRow(0);
    QVERIFY(story.click("bindRecording"));
    QTRY_VERIFY(!story.find<QPushButton>("bindRecording"));
    QCOMPARE(story.folder().recordings().of(story.selected()->id)->size(), size_t{1});
    QVERIFY(!story.find<QListWidget>("recordings")->item(0)->text().contains("of no round"));
}

void ImportStoryTest::aCanLogAsksForWhatItsFramesMean() {
    Story story;
    QVERIFY(story.begin());
    QTemporaryDir folder;
    const auto write = [&](const char* name, const QByteArray& text) {
        QFile file(folder.filePath(name));
        QVERIFY(file.open(QFile::WriteOnly) && file.write(text) == text.size());
    };
    write("box.dbc", "BO_ 291 Box: 8 X\n SG_ oil : 0|8@1+ (1,-40) [0|0] \"degC\" X\n");
    QByteArray log;
    for (int i = 0; i < 40; ++i)
        log += QString("(%1) can0 123#%2\n").arg(1000 + i * 0.1, 0, 'f', 6).arg(90 + i, 2, 16, QChar('0')).toUtf8();
    write("night.log", log);
    dropOn(story, folder.filePath("night.log"));
    QTRY_VERIFY(story.message().contains("No frame of this log") && story.message().contains("123"));
    QVERIFY(story.find<QPushButton>("importDbc"));
    story.desks().imports.addDbc(folder.filePath("box.dbc").toStdString());
    QVERIFY(pageIsReady(story));
    QCOMPARE(shownIn(story)->plan.columns.size(), size_t{1});
    QCOMPARE(shownIn(story)->plan.columns[0].unit, std::string("\u00b0C"));
    QCOMPARE(shownIn(story)->first.groups[0].channels[0].values[0], 50.0f);
    // The library is one's own: the next log is read at once.
    story.desks().imports.putAside();
    dropOn(story, folder.filePath("night.log"));
    QVERIFY(pageIsReady(story));
}

void ImportStoryTest::whatIsNoRecordingIsSaid() {
    Story story;
    QVERIFY(story.begin());
    QTemporaryDir folder;
    QFile file(folder.filePath("letter.txt"));
    QVERIFY(file.open(QFile::WriteOnly));
    file.write("Dear all,\nthe car is fine.\n");
    file.close();
    dropOn(story, folder.filePath("letter.txt"));
    QTRY_VERIFY(story.message().contains("There is no "));
    QVERIFY(!shownIn(story) && !story.find<QWidget>("importPage"));
}

QTEST_MAIN(ImportStoryTest)
#include "ImportStoryTest.moc"
