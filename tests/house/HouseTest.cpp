// The walls of the house: who may include and link whom, what the core must not touch, and that documents name real
// paths.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDirIterator>
#include <QProcess>
#include <QRegularExpression>
#include <QTemporaryDir>

#include "Expect.h"

using namespace brusk;

namespace {

const QString kSource = BRUSK_SOURCE_DIR;

/// Folders of src/core from the ground up, and what each may include besides itself.
const QMap<QString, QStringList> kMayInclude = {
    {"base", {}},
    {"can", {"base"}},
    {"units", {"base"}},
    {"roles", {"base", "units"}},
    {"storage", {"base"}},
    {"image", {"base", "units"}},
    {"definition", {"base", "units", "roles", "image"}},
    {"calibration", {"base", "units", "roles", "image", "definition"}},
    {"recording", {"base", "can", "units", "roles", "storage"}},
    {"link", {"base", "can", "units", "image"}},
    {"evidence", {"base", "units", "roles", "storage", "image", "definition", "calibration", "recording"}},
    {"drive", {"base", "units", "roles", "recording"}},
    {"proposals", {"base", "units", "roles", "image", "definition", "calibration", "recording", "evidence"}},
    {"carfolder", {"base", "units", "storage", "image", "definition", "calibration", "recording"}},
    {"deliver",
     {"base", "units", "roles", "storage", "image", "definition", "calibration", "recording", "evidence", "carfolder"}},
    {"job",
     {"base", "units", "roles", "storage", "image", "definition", "calibration", "recording", "can", "link", "evidence",
      "drive", "proposals", "carfolder", "deliver"}},
};

/// All the bench car may know of the core: the CAN frame, the port with its clock, and how either says that it failed.
const QStringList kBenchCarMayInclude = {"core/can/CanFrame.h", "core/link/CanPort.h", "core/link/SocketFrame.h",
                                         "core/base/Result.h"};

struct Include {
    QString file;
    int line;
    QString path;
};

QStringList sourcesBelow(const QString& folder) {
    QStringList out;
    QDirIterator it(kSource + "/" + folder, {"*.h", "*.cpp"}, QDir::Files, QDirIterator::Subdirectories);
    while (it.hasNext())
        out << it.next();
    return out;
}

QList<Include> includesOf(const QString& file) {
    static const QRegularExpression pattern("^\\s*#\\s*include\\s*[<\"]([^>\"]+)[>\"]");
    QList<Include> out;
    int line = 0;
    for (const QString& text : qs(readText(file.toStdString())).split('\n')) {
        ++line;
        const auto match = pattern.match(text);
        if (match.hasMatch()) out.append({file, line, match.captured(1)});
    }
    return out;
}

QString place(const Include& include) {
    return QString("%1:%2 includes %3").arg(include.file.mid(kSource.size() + 1)).arg(include.line).arg(include.path);
}

/// The targets named in each brusk_library(... DEPENDS ...) of src/CMakeLists.txt.
QMap<QString, QStringList> linkLines() {
    QMap<QString, QStringList> out;
    static const QRegularExpression library("brusk_library\\((\\w+)([^)]*)\\)");
    auto it = library.globalMatch(qs(readText((kSource + "/src/CMakeLists.txt").toStdString())));
    while (it.hasNext()) {
        const auto match = it.next();
        const QString depends = match.captured(2).section("DEPENDS", 1);
        for (const QString& target : depends.split(QRegularExpression("\\s+"), Qt::SkipEmptyParts))
            out[match.captured(1)] << target;
    }
    return out;
}

}  // namespace

class HouseTest : public QObject {
    Q_OBJECT
  private slots:
    void theCoreIncludesOnlyBelowItself();
    void theCoreHasNoQt();
    void theBenchCarKnowsOnlyTheFrameAndTheClock();
    void theCoreDoesNotKnowTheBenchCar();
    void appAndCtlDoNotKnowEachOther();
    void linkLinesFollowTheSameWalls();
    void onlyStorageAndTheSocketsOpenFiles();
    void onlyStorageTouchesTheFileSystem();
    void onlyTheFlashAndTheComparisonHaveASealedRoundsBytes();
    void onlyRootsParsersAndTheDatabaseCatch();
    void theSimulatedCarIsKnownToOneSourceOfTheWindow();
    void widgetsDrawAndKnowNoDesk();
    void stationsAskDesksAndNotTheLink();
    void desksStaySmallAndApart();
    void theJobsJsonLiesInOnePlace();
    void eachSentenceOfTheCoreHasAnIdOfItsOwnAndAPlaceForEachValue();
    void theWindowsTextsGoThroughTr();
    void everySourceFileSaysItsPurposeAndItsLicence();
    void documentsNamePathsThatExist();
    void theMainWindowStaysSmall();
};

void HouseTest::theCoreIncludesOnlyBelowItself() {
    int seen = 0;
    for (const QString& file : sourcesBelow("src/core")) {
        const QString folder = file.section("/src/core/", 1).section('/', 0, 0);
        QVERIFY2(kMayInclude.contains(folder), qPrintable("src/core/" + folder + " is not on the plan"));
        for (const Include& include : includesOf(file)) {
            if (!include.path.startsWith("core/")) continue;
            ++seen;
            const QString target = include.path.section('/', 1, 1);
            QVERIFY2(target == folder || kMayInclude[folder].contains(target), qPrintable(place(include)));
        }
    }
    QVERIFY(seen > 100);
}

void HouseTest::theCoreHasNoQt() {
    static const QRegularExpression qt("^(Q[A-Z]\\w*|Qt\\w+/.*|q(?!rencode)[a-z]+\\.h)$");
    for (const QString& folder : {QString("src/core"), QString("src/benchcar"), QString("src/ctl")})
        for (const QString& file : sourcesBelow(folder))
            for (const Include& include : includesOf(file))
                QVERIFY2(!qt.match(include.path).hasMatch(), qPrintable(place(include)));
}

void HouseTest::theBenchCarKnowsOnlyTheFrameAndTheClock() {
    for (const QString& file : sourcesBelow("src/benchcar"))
        for (const Include& include : includesOf(file)) {
            const bool ours =
                include.path.startsWith("core/") || include.path.startsWith("app/") || include.path.startsWith("ctl/");
            QVERIFY2(!ours || kBenchCarMayInclude.contains(include.path), qPrintable(place(include)));
        }
}

void HouseTest::theCoreDoesNotKnowTheBenchCar() {
    for (const QString& file : sourcesBelow("src/core"))
        for (const Include& include : includesOf(file))
            QVERIFY2(!include.path.startsWith("benchcar/") && !include.path.startsWith("app/") &&
                         !include.path.startsWith("ctl/"),
                     qPrintable(place(include)));
}

void HouseTest::appAndCtlDoNotKnowEachOther() {
    for (const QString& file : sourcesBelow("src/app"))
        for (const Include& include : includesOf(file))
            QVERIFY2(!include.path.startsWith("ctl/"), qPrintable(place(include)));
    for (const QString& file : sourcesBelow("src/ctl"))
        for (const Include& include : includesOf(file))
            QVERIFY2(!include.path.startsWith("app/"), qPrintable(place(include)));
}

void HouseTest::linkLinesFollowTheSameWalls() {
    const auto lines = linkLines();
    QCOMPARE(lines.size(), kMayInclude.size() + 1);  // the core's libraries and the bench car
    for (auto it = lines.begin(); it != lines.end(); ++it)
        for (const QString& target : it.value()) {
            QVERIFY2(!target.startsWith("Qt6::"), qPrintable(it.key() + " links " + target));
            if (!target.startsWith("brusk_")) continue;
            QVERIFY2(it.key() != "benchcar", "the bench car links no library of the core");
            QVERIFY2(kMayInclude.value(it.key()).contains(target.mid(6)), qPrintable(it.key() + " links " + target));
        }
}

void HouseTest::onlyStorageAndTheSocketsOpenFiles() {
    static const QRegularExpression call(
        "(?<![\\w.>])(::open|::rename|::unlink|fopen|fsync|std::ofstream|std::ifstream|QFile|QSaveFile)\\b");
    for (const QString& file : sourcesBelow("src")) {
        // The bench car as a process knows no storage of the core's; it reads the build sheet it is given.
        if (file.contains("/core/storage/") || file.endsWith("/SocketServer.cpp") ||
            file.endsWith("/benchcar/main.cpp"))
            continue;
        int line = 0;
        for (const QString& text : qs(readText(file.toStdString())).split('\n')) {
            ++line;
            QVERIFY2(text.trimmed().startsWith("//") || !call.match(text).hasMatch(),
                     qPrintable(QString("%1:%2 %3").arg(file).arg(line).arg(text.trimmed())));
        }
    }
}

namespace {

/// Where a pattern stands in code of src/, comments aside, but for files whose path contains one of `but`.
QStringList usesOf(const QString& pattern, const QStringList& but) {
    const QRegularExpression wanted(pattern);
    QStringList out;
    for (const QString& file : sourcesBelow("src")) {
        if (std::any_of(but.begin(), but.end(), [&](const QString& part) { return file.contains(part); })) continue;
        int line = 0;
        for (const QString& text : qs(readText(file.toStdString())).split('\n'))
            if (++line; !text.trimmed().startsWith("//") && wanted.match(text).hasMatch())
                out << QString("%1:%2 %3").arg(file.mid(kSource.size() + 1)).arg(line).arg(text.trimmed());
    }
    return out;
}

}  // namespace

void HouseTest::onlyStorageTouchesTheFileSystem() {
    const QStringList found =
        usesOf("std::filesystem|\\bmkdtemp\\b|::flock\\b|::chmod\\b|::stat\\(", {"/core/storage/"});
    QVERIFY2(found.isEmpty(), qPrintable(found.join('\n')));
    QVERIFY(!usesOf("std::filesystem", {}).isEmpty());
}

void HouseTest::onlyTheFlashAndTheComparisonHaveASealedRoundsBytes() {
    const auto only = [](const char* call, const QStringList& who) {
        const QStringList found = usesOf(QString("\\b%1\\(").arg(call), who);
        QVERIFY2(found.isEmpty(), qPrintable(found.join('\n')));
        QVERIFY(!usesOf(call, {}).isEmpty());
    };
    only("imageForCar", {"/core/carfolder/Rounds.", "/core/job/FlashRound.cpp", "/core/job/Stock.cpp"});
    only("imageToShow", {"/core/carfolder/Rounds.", "/core/job/Rounds.cpp"});
    only("calibrationToShow", {"/core/job/Rounds.", "/app/desks/RoundDesk.cpp"});
    only("unseal", {"/core/deliver/", "/core/job/Deliver.cpp", "/app/desks/Incoming.cpp", "/ctl/DeliverCommands.cpp"});
}

void HouseTest::onlyRootsParsersAndTheDatabaseCatch() {
    // Roots: main() of each program, the link's thread, the pool. Parsers of JSON, formulas, A2L, DBC and MDF throw
    // inside.
    const QStringList found =
        usesOf("\\bcatch \\(",
               {"/main.cpp", "/app/link/LinkThread.cpp", "/app/desks/LinkDesk.cpp", "/app/desks/Background.h",
                "/core/base/Parallel.cpp", "/core/carfolder/Database.cpp", "/core/definition/", "/core/recording/",
                "/core/can/", "/core/link/Profile.cpp", "/core/job/Keeping.cpp", "/ctl/Arguments.cpp"});
    QVERIFY2(found.isEmpty(), qPrintable(found.join('\n')));
}

void HouseTest::theSimulatedCarIsKnownToOneSourceOfTheWindow() {
    QSet<QString> seers;
    for (const QString& file : sourcesBelow("src/app"))
        for (const Include& include : includesOf(file)) {
            QVERIFY2(!include.path.startsWith("benchcar/") || file.endsWith("/app/link/LinkParts.cpp"),
                     qPrintable(place(include)));
            if (include.path == "app/link/LinkParts.h") seers << file.section('/', -1);
        }
    QCOMPARE(seers, (QSet<QString>{"LinkParts.cpp", "LinkThread.cpp", "LinkDesk.cpp", "ControllerDesk.cpp",
                                   "FlashDesk.cpp", "DriveTask.cpp", "SensorDesk.cpp", "OperatorPanel.cpp"}));
}

void HouseTest::widgetsDrawAndKnowNoDesk() {
    int seen = 0;
    for (const QString& file : sourcesBelow("src/app/widgets"))
        for (const Include& include : includesOf(file)) {
            ++seen;
            for (const char* wall : {"app/desks/", "app/link/", "app/stations/", "core/link/", "core/carfolder/",
                                     "core/job/", "core/evidence/"})
                QVERIFY2(!include.path.startsWith(wall), qPrintable(place(include)));
        }
    QVERIFY(seen > 40);
}

void HouseTest::stationsAskDesksAndNotTheLink() {
    // What is seen of the link: its traffic, line by line, and which interfaces this machine has.
    const QSet<QString> may = {"TrafficView.h core/link/Traffic.h", "CarStation.cpp core/link/SocketCan.h",
                               "OperatorPanel.cpp app/link/LinkParts.h"};
    for (const QString& file : sourcesBelow("src/app/stations") + sourcesBelow("src/app/shell"))
        for (const Include& include : includesOf(file)) {
            const bool link = include.path.startsWith("app/link/") || include.path.startsWith("core/link/");
            QVERIFY2(!link || may.contains(file.section('/', -1) + " " + include.path), qPrintable(place(include)));
            QVERIFY2(include.path != "app/desks/Desks.h" || !file.contains("/stations/maps/") ||
                         file.contains("/MapsWork.") || file.contains("/MapsStation."),
                     qPrintable(place(include)));
        }
}

void HouseTest::desksStaySmallAndApart() {
    constexpr int kMost = 250;  // lines
    int seen = 0;
    for (const QString& file : sourcesBelow("src/app/desks")) {
        const auto lines = qs(readText(file.toStdString())).count('\n');
        QVERIFY2(lines > 5 && lines <= kMost, qPrintable(QString("%1 has %2 lines").arg(file).arg(lines)));
        ++seen;
        for (const Include& include : includesOf(file))
            QVERIFY2(!include.path.startsWith("app/stations/") && !include.path.startsWith("app/widgets/") &&
                         !include.path.startsWith("app/shell/"),
                     qPrintable(place(include)));
    }
    QVERIFY(seen > 25);
}

void HouseTest::theJobsJsonLiesInOnePlace() {
    const QStringList found = usesOf("nlohmann|json::", {"/ctl/", "/benchcar/", "/core/job/Keeping.cpp",
                                                         "/core/link/Profile.cpp", "/core/carfolder/Recordings.cpp"});
    QVERIFY2(found.isEmpty(), qPrintable(found.join('\n')));
}

void HouseTest::eachSentenceOfTheCoreHasAnIdOfItsOwnAndAPlaceForEachValue() {
    static const QRegularExpression call(
        "(?<![.>])\\bsay\\(\\s*\"([a-z0-9-]+\\.[a-z0-9-]+)\",\\s*((?:\"(?:[^\"\\\\]|\\\\.)*\"\\s*)+)(,\\s*\\{)?");
    static const QRegularExpression place("\\{(\\d)\\}");
    QMap<QString, QString> at;
    for (const QString& file : sourcesBelow("src/core"))
        for (auto it = call.globalMatch(qs(readText(file.toStdString()))); it.hasNext();) {
            const auto match = it.next();
            const QString id = match.captured(1);
            QVERIFY2(!at.contains(id), qPrintable(id + " in " + file + " and " + at[id]));
            at[id] = file;
            QSet<int> places;
            for (auto p = place.globalMatch(match.captured(2)); p.hasNext();)
                places << p.next().captured(1).toInt();
            for (int i = 0; i < places.size(); ++i)
                QVERIFY2(places.contains(i), qPrintable(id + " leaves a number out"));
            QVERIFY2(places.isEmpty() == match.captured(3).isEmpty(), qPrintable(id + ": values and places"));
        }
    QVERIFY(at.size() > 50);
}

void HouseTest::theWindowsTextsGoThroughTr() {
    QCOMPARE(QProcess::execute("python3", {kSource + "/scripts/mark-texts"}), 0);
    // The check can fail: what is shown is found, what is a name is not.
    QTemporaryDir folder;
    QDir(folder.path()).mkpath("src/app");
    const QString file = folder.filePath("src/app/Bare.cpp");
    const auto holds = [&](const QByteArray& line) {
        QFile out(file);
        return out.open(QFile::WriteOnly) && out.write(line) == line.size();
    };
    QVERIFY(holds("void f() { button->setText(on ? \"Stop\" : tr(\"Go\")); }\n"));
    QCOMPARE(QProcess::execute("python3", {kSource + "/scripts/mark-texts", file}), 1);
    QVERIFY(holds("void f() { button->setObjectName(\"stop\"); button->setText(tr(\"Go\")); }\n"));
    QCOMPARE(QProcess::execute("python3", {kSource + "/scripts/mark-texts", file}), 0);
}

void HouseTest::everySourceFileSaysItsPurposeAndItsLicence() {
    for (const QString& folder : {QString("src"), QString("tests"), QString("bench")})
        for (const QString& file : sourcesBelow(folder))
            QVERIFY2(readText(file.toStdString()).find("// SPDX-License-Identifier: GPL-3.0-or-later\n") !=
                         std::string::npos,
                     qPrintable(file));
    // Every source of ours opens with its purpose.
    for (const QString& file : sourcesBelow("src")) {
        const QString first = qs(readText(file.toStdString())).section('\n', 0, 0);
        QVERIFY2(first.startsWith("// ") && !first.contains("SPDX") && first.size() > 20, qPrintable(file));
    }
    QVERIFY(readText((kSource + "/COPYING").toStdString()).find("GNU GENERAL PUBLIC LICENSE") != std::string::npos);
}

void HouseTest::documentsNamePathsThatExist() {
    static const QRegularExpression quoted("`((?:src|tests|scripts|docs|demo|bench|cmake)/[\\w./-]*)`");
    static const QRegularExpression linked("\\]\\(((?!http)[\\w./-]+)\\)");
    int seen = 0;
    for (const char* document : {"README.md", "docs/architecture.md"}) {
        const QString text = qs(readText((kSource + "/" + document).toStdString()));
        QVERIFY2(!text.isEmpty(), document);
        const QString folder = QFileInfo(kSource + "/" + document).path();
        for (auto it = quoted.globalMatch(text); it.hasNext();) {
            const QString path = it.next().captured(1);
            ++seen;
            QVERIFY2(QFileInfo::exists(kSource + "/" + path), qPrintable(QString(document) + " names " + path));
        }
        for (auto it = linked.globalMatch(text); it.hasNext();) {
            const QString path = it.next().captured(1);
            ++seen;
            QVERIFY2(QFileInfo::exists(folder + "/" + path), qPrintable(QString(document) + " links " + path));
        }
    }
    QVERIFY(seen > 15);
}

void HouseTest::theMainWindowStaysSmall() {
    const auto lines = qs(readText((kSource + "/src/app/shell/MainWindow.cpp").toStdString())).count('\n');
    QVERIFY(lines > 50 && lines < 600);
}

QTEST_APPLESS_MAIN(HouseTest)
#include "HouseTest.moc"
