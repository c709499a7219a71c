// The report: its numbers are the ledger's, its pages hold them, its PDF opens elsewhere.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QLineEdit>
#include <QProcess>
#include <QPushButton>
#include <QRegularExpression>

#include "Expect.h"
#include "Story.h"
#include "app/widgets/ReportPages.h"
#include "core/job/Garage.h"
#include "core/job/MakeReport.h"

using namespace brusk;
using namespace brusk::app;

namespace {

const deliver::ReportSection* sectionOf(const deliver::Report& report, const char* title) {
    for (const auto& section : report.sections)
        if (section.title == title) return &section;
    return nullptr;
}

template <class T>
const T* blockOf(const deliver::ReportSection* section) {
    if (section)
        for (const auto& block : section->blocks)
            if (const auto* found = std::get_if<T>(&block)) return found;
    return nullptr;
}

std::shared_ptr<const job::Kit> kit() {
    storage::RealFileSystem files;
    return *job::loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
}

/// What a program of this machine reads out of the file.
QString readBy(const QString& program, const QStringList& words) {
    QProcess process;
    process.start(program, words);
    if (!process.waitForFinished(60000) || process.exitCode() != 0)
        return "failed: " + QString::fromUtf8(process.readAllStandardError());
    return QString::fromUtf8(process.readAllStandardOutput());
}

}  // namespace

class ReportTest : public QObject {
    Q_OBJECT
  private slots:
    void itsNumbersAreThoseOfTheLedger();
    void itIsLookedAtAndWrittenByMouseAndKeys();
    void aRoundIsGivenOutAsAPlainFile();
    void aFolderWithoutDrivesSaysSo();
    void fortyRoundsFitOnTheirPages_data();
    void fortyRoundsFitOnTheirPages();
};

void ReportTest::itsNumbersAreThoseOfTheLedger() {
    Story story;
    QVERIFY(story.begin() && story.drive() && story.makeBase() && story.flash() && story.drive() && story.correct() &&
            story.flash() && story.drive());
    QTRY_VERIFY_WITH_TIMEOUT(story.rounds().front().fuelError_pct, 20000);
    const auto kitOfFolder = kit();
    const auto id = story.rounds().front().id;
    const auto report = job::reportOn(*kitOfFolder, story.folder(), id, {"Mara Ost", "Use RON 98.", "Brusk"});
    EXPECT_OK(report);
    const auto* rounds = blockOf<deliver::ReportTable>(sectionOf(*report, "What was done, and why"));
    QVERIFY(rounds && rounds->rows.size() == story.rounds().size());
    for (size_t i = 0; i < rounds->rows.size(); ++i) {
        const auto& round = story.rounds()[story.rounds().size() - 1 - i];
        QCOMPARE(std::get<std::string>(rounds->rows[i][0]), std::to_string(round.number));
        QCOMPARE(std::get<std::string>(rounds->rows[i][1]), round.title);
        QCOMPARE(std::get<deliver::Quantity>(rounds->rows[i][3]).value, std::optional<double>(round.recordings));
        QCOMPARE(std::get<deliver::Quantity>(rounds->rows[i][4]).value, round.fuelError_pct);
        QVERIFY(round.fuelError_pct);
    }
    // Before and after on one scale, and the after is better.
    const auto* maps = blockOf<deliver::ReportMaps>(sectionOf(*report, "Fuel, before and after"));
    QVERIFY(maps && maps->maps.size() == 2 && maps->maps[0].values.size() == maps->x.size() * maps->y.size());
    double off[2] = {0, 0};
    size_t seen[2] = {0, 0};
    for (size_t which = 0; which < 2; ++which)
        for (const auto& value : maps->maps[which].values) {
            if (!value) continue;
            QVERIFY(std::abs(*value) <= maps->scale + 1e-9);
            off[which] += *value * *value, ++seen[which];
        }
    QVERIFY(seen[0] > 20 && seen[1] > 20);
    const double before = std::sqrt(off[0] / static_cast<double>(seen[0])),
                 after = std::sqrt(off[1] / static_cast<double>(seen[1]));
    QVERIFY2(after < before / 2, qPrintable(QString("%1 %2").arg(before).arg(after)));
    // The same number as the ledger's, from the same cells.
    QVERIFY2(std::abs(after - *story.rounds().front().fuelError_pct) < 0.01, qPrintable(QString::number(after)));
    const auto* promises = blockOf<deliver::ReportTable>(sectionOf(*report, "Promised and came"));
    QVERIFY(promises);
    const auto fuel = std::find_if(promises->rows.begin(), promises->rows.end(), [](const auto& row) {
        return std::get<std::string>(row[1]) == "Fuel off, root mean square";
    });
    QVERIFY(fuel != promises->rows.end());
    QCOMPARE(std::get<deliver::Quantity>(fuel->back()).value, story.rounds().front().fuelError_pct);
    const std::string text = deliver::textOf(*report);
    for (const char* word : {"FMKHR16T0E2004711", "Mara Ost", "Use RON 98.", "Boost cut", "SHA-256 of its calibration"})
        QVERIFY2(text.find(word) != std::string::npos, word);
    QVERIFY(text.find(story.rounds().front().imageSha256) != std::string::npos);
}

void ReportTest::itIsLookedAtAndWrittenByMouseAndKeys() {
    Story story;
    QVERIFY(story.begin() && story.makeBase());
    story.goTo("Deliver");
    QVERIFY(story.click("showReport"));
    QTRY_VERIFY_WITH_TIMEOUT(story.find<QWidget>("reportPage"), 20000);
    QTest::keyClicks(story.find<QLineEdit>("ownerWords"), "Run it in gently.");
    QTest::keyClick(story.find<QLineEdit>("ownerWords"), Qt::Key_Return);
    QTest::qWait(500);
    QVERIFY(story.click("deliverPrimary"));
    const QString path = QString::fromStdString((story.folder().path() / "exports" / "report-round1.pdf").string());
    QTRY_VERIFY_WITH_TIMEOUT(QFile::exists(path), 20000);
    const QString poppler = readBy("pdftotext", {"-layout", path, "-"});
    QVERIFY2(poppler.contains("Run it in gently.") && poppler.contains("FMKHR16T0E2004711"), qPrintable(poppler));
    QVERIFY(poppler.contains("page 1 of "));
    const QString other = readBy("mutool", {"draw", "-F", "txt", path});
    QVERIFY2(other.contains("Run it in gently."), qPrintable(other));
    // Another round is another report.
    story.select(story.rounds().back().id);
    QTest::qWait(500);
    QVERIFY(story.click("deliverPrimary"));
    const QString other0 = QString::fromStdString((story.folder().path() / "exports" / "report-round0.pdf").string());
    QTRY_VERIFY_WITH_TIMEOUT(QFile::exists(other0), 20000);
    QVERIFY(readBy("pdftotext", {other0, "-"}).contains("Round 0, Original"));
    QVERIFY(story.click("closeReport"));
    QVERIFY(!story.find<QWidget>("reportPage") && story.find<QPushButton>("showReport"));
}

void ReportTest::aRoundIsGivenOutAsAPlainFile() {
    Story story;
    QVERIFY(story.begin() && story.makeBase());
    story.goTo("Deliver");
    const auto written = [&](const char* name) {
        return QString::fromStdString((story.folder().path() / "exports" / name).string());
    };
    QVERIFY(story.click("export_txt"));
    QTRY_VERIFY(QFile::exists(written("round1-differences.txt")));
    const std::string text = readText(written("round1-differences.txt").toStdString());
    // A value by what it was and is, a map by its cells.
    const QStringList lines = qs(text).split('\n').filter(QRegularExpression("^(Boost cut|Boost target) \\("));
    QCOMPARE(lines.size(), 2);
    QVERIFY2(lines.join(' ').contains("(boost_target): 36 cells, by up to 27.30 kPa"), qPrintable(lines.join('\n')));
    QVERIFY2(lines.join(' ').contains("(boost_cut): 174.00 -> 201."), qPrintable(lines.join('\n')));
    QVERIFY(story.click("export_a2l"));
    QTRY_VERIFY(QFile::exists(written("round1.a2l")));
    QVERIFY(readText(written("round1.a2l").toStdString()) == readText(BRUSK_DATA_DIR "/heron/aldine-e2.a2l"));
    QCOMPARE(story.selected()->state, carfolder::RoundState::Draft);
    QTest::keyClicks(story.find<QLineEdit>("givenTo"), "Pia Lund");
    QVERIFY(story.click("export_s19"));
    QTRY_VERIFY(QFile::exists(written("round1.s19")));
    QTRY_COMPARE(story.selected()->state, carfolder::RoundState::GivenOut);
    QVERIFY(story.folder().memory().journal(1)->front().what.find("given to Pia Lund as .s19") != std::string::npos);
}

void ReportTest::aFolderWithoutDrivesSaysSo() {
    Story story;
    QVERIFY(story.begin());
    const auto report = job::reportOn(*kit(), story.folder(), story.rounds().front().id, {});
    EXPECT_OK(report);
    const std::string text = deliver::textOf(*report);
    QVERIFY(text.find("Not measured: no drive with a wideband was recorded.") != std::string::npos);
    QVERIFY(text.find("Not measured: nothing was driven on these rounds.") != std::string::npos);
    QVERIFY(text.find("None: every limit and every watch is as it was.") != std::string::npos);
    QVERIFY(ReportPages(*report).count() >= 1);
    EXPECT_FAILS(job::reportOn(*kit(), story.folder(), 99, {}), "The ledger has no such round");
}

void ReportTest::fortyRoundsFitOnTheirPages_data() {
    QTest::addColumn<int>("paper");
    QTest::newRow("A4") << static_cast<int>(QPageSize::A4);
    QTest::newRow("Letter") << static_cast<int>(QPageSize::Letter);
}

void ReportTest::fortyRoundsFitOnTheirPages() {
    QFETCH(int, paper);
    Story story;
    QVERIFY(story.begin());
    auto& rounds = story.folder().rounds();
    auto last = *rounds.byNumber(0);
    const auto image = *rounds.image(last.id);
    for (int i = 1; i <= 40; ++i)
        last = *rounds.add(last.id, *image, "Round of many words to see how a long title is set on a page",
                           "Because of reason " + std::to_string(i));
    const auto report = job::reportOn(*kit(), story.folder(), last.id, {});
    EXPECT_OK(report);
    const QPageSize size(static_cast<QPageSize::PageSizeId>(paper));
    const ReportPages pages(*report, size);
    QVERIFY2(pages.count() >= 3 && pages.count() <= 8, qPrintable(QString::number(pages.count())));
    QVERIFY(pages.text().contains("Because of reason 40"));
    const QByteArray pdf = pages.pdf();
    QTemporaryDir folder;
    QFile file(folder.filePath("report.pdf"));
    QVERIFY(file.open(QFile::WriteOnly) && file.write(pdf) == pdf.size());
    file.close();
    const QString info = readBy("pdfinfo", {file.fileName()});
    QVERIFY2(info.contains(QRegularExpression("Pages:\\s+" + QString::number(pages.count()))), qPrintable(info));
    QVERIFY2(info.contains(paper == QPageSize::A4 ? "(A4)" : "(letter)"), qPrintable(info));
    const QString text = readBy("pdftotext", {"-layout", file.fileName(), "-"});
    for (int i = 1; i <= 40; ++i)
        QVERIFY(text.contains(QString("Because of reason %1").arg(i)));
}

QTEST_MAIN(ReportTest)
#include "ReportTest.moc"
