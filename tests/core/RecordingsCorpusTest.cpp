// Files that programs of their own wrote from the standards, with oracles beside them, against our readers; the same
// damaged.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QDir>
#include <QElapsedTimer>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>

#include "Expect.h"
#include "core/can/Dbc.h"
#include "core/recording/Mdf4.h"
#include "core/recording/canlog/CanLog.h"
#include "core/recording/csv/Csv.h"

using namespace brusk;
using namespace brusk::recording;

namespace {

QJsonObject oracleOf(const QString& file) {
    QFile json(file.chopped(4) + ".json");
    if (!json.open(QFile::ReadOnly)) return {};
    return QJsonDocument::fromJson(json.readAll()).object();
}

/// A number, a text or nothing, as a channel has it at a row.
QString difference(const Channel& channel, size_t row, const QJsonValue& wanted) {
    const float value = channel.values[row];
    const auto say = [&] {
        return QString("%1 row %2: %3, wanted %4")
            .arg(QString::fromStdString(channel.name))
            .arg(row)
            .arg(double(value))
            .arg(QString::fromUtf8(QJsonDocument(QJsonArray{wanted}).toJson(QJsonDocument::Compact)));
    };
    if (wanted.isNull()) return std::isnan(value) || !std::isfinite(value) ? QString() : say();
    if (wanted.isString()) {
        const std::string* text = channel.textOf(value);
        return text && *text == wanted.toString().toStdString() ? QString() : say();
    }
    const double number = wanted.toDouble();
    return std::abs(double(value) - number) <= 2e-7 * std::abs(number) + 1e-30 || double(value) == number ? QString()
                                                                                                          : say();
}

/// How a group differs from what must be found; empty where it does not.
QString difference(const Group& group, const QJsonObject& wanted) {
    const QJsonArray time = wanted["time"].toArray();
    if (group.timed == wanted["time"].isNull()) return "a clock, or none, that should not be";
    if (group.timed) {
        if (group.time_s.size() != size_t(time.size()))
            return QString("%1 rows, wanted %2").arg(group.time_s.size()).arg(time.size());
        for (size_t i = 0; i < group.time_s.size(); ++i)
            if (std::abs(group.time_s[i] - time[int(i)].toDouble()) > 1e-9)
                return QString("time of row %1: %2").arg(i).arg(group.time_s[i]);
    }
    const QJsonObject channels = wanted["channels"].toObject();
    if (group.channels.size() != size_t(channels.size())) {
        QString names;
        for (const Channel& channel : group.channels)
            names += QString::fromStdString(channel.name) + ", ";
        return QString("%1 channels, wanted %2: %3").arg(group.channels.size()).arg(channels.size()).arg(names);
    }
    for (auto one = channels.begin(); one != channels.end(); ++one) {
        const Channel* channel = group.find(one.key().toStdString());
        if (!channel) return "no channel " + one.key();
        const QJsonArray values = one.value().toArray();
        if (channel->values.size() != size_t(values.size()) || group.time_s.size() != channel->values.size())
            return one.key() + QString(" has %1 values, wanted %2").arg(channel->values.size()).arg(values.size());
        for (int row = 0; row < values.size(); ++row)
            if (const QString d = difference(*channel, size_t(row), values[row]); !d.isEmpty()) return d;
    }
    const QJsonObject units = wanted["units"].toObject();
    for (auto unit = units.begin(); unit != units.end(); ++unit)
        if (group.find(unit.key().toStdString())->unit != unit.value().toString().toStdString())
            return "the unit of " + unit.key();
    return {};
}

QString difference(const Recording& recording, const QJsonObject& wanted) {
    const QJsonArray groups = wanted["groups"].toArray();
    std::vector<const Group*> held;
    for (const Group& group : recording.groups)
        held.push_back(&group);
    if (held.size() != size_t(groups.size()))
        return QString("%1 groups, wanted %2").arg(held.size()).arg(groups.size());
    for (size_t g = 0; g < held.size(); ++g) {
        const QJsonObject group = groups[int(g)].toObject();
        if (held[g]->name != group["name"].toString().toStdString()) return "the name of group " + QString::number(g);
        if (const QString d = difference(*held[g], group); !d.isEmpty()) return d;
    }
    const QJsonArray marks = wanted["marks"].toArray();
    if (recording.marks.size() != size_t(marks.size())) return QString("%1 marks").arg(recording.marks.size());
    for (size_t m = 0; m < recording.marks.size(); ++m) {
        const QJsonObject mark = marks[int(m)].toObject();
        const Mark& have = recording.marks[m];
        if (std::abs(have.at_s - mark["at"].toDouble()) > 1e-9 || have.text != mark["text"].toString().toStdString() ||
            have.kind != mark["kind"].toString().toStdString())
            return "mark " + QString::fromStdString(have.text);
    }
    if (wanted.contains("title") && recording.title != wanted["title"].toString().toStdString()) return "the title";
    if (wanted.contains("started") && recording.startedAt != wanted["started"].toString().toStdString())
        return "when it started: " + QString::fromStdString(recording.startedAt);
    const QJsonObject descriptions = wanted["descriptions"].toObject();
    for (auto one = descriptions.begin(); one != descriptions.end(); ++one)
        if (recording.find(one.key().toStdString()).channel->description != one.value().toString().toStdString())
            return "the description of " + one.key();
    return {};
}

Bytes bytesOf(const QString& path) {
    QFile file(path);
    if (!file.open(QFile::ReadOnly)) qFatal("%s can't be read", qPrintable(path));
    const QByteArray all = file.readAll();
    return {all.begin(), all.end()};
}

std::string allDamage(const Recording& recording) {
    std::string out;
    for (const std::string& sentence : recording.damage)
        out += sentence + "\n";
    return out;
}

/// A table by its guess, or a CAN log by the DBC file beside it.
Result<Recording> readText(const QString& path) {
    const Bytes bytes = bytesOf(path);
    if (path.endsWith(".log")) {
        const auto dbc = can::readDbc(asText(bytesOf(path.chopped(4) + ".dbc")));
        if (!dbc) return tl::unexpected(dbc.error());
        return readCanLog(asText(bytes), dbc->messages);
    }
    const auto guess = csv::guess(bytes);
    if (!guess) return tl::unexpected(guess.error());
    return csv::readCsv(bytes, guess->dialect);
}

/// How a reading differs from the oracle beside a damaged file.
QString differsFromOracle(const Result<Recording>& read, const QJsonObject& oracle) {
    const std::string said = read ? allDamage(*read) : read.error().text();
    const std::string says = oracle[oracle.contains("refused") ? "refused" : "says"].toString().toStdString();
    if (oracle.contains("refused") == read.has_value()) return QString::fromStdString("given or refused: " + said);
    if (said.find(says) == std::string::npos || (read && says.empty() && !said.empty()))
        return QString::fromStdString("it says \"" + said + "\" instead of \"" + says + "\"");
    return read ? difference(*read, oracle) : QString();
}

}  // namespace

class RecordingsCorpusTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void everyFileOfTheCorpusIsReadAsItsOracleSays();
    void everyTableIsReadAsItsOracleSaysWithoutAWordSaidAboutIt();
    void everyCanLogIsReadAsItsOracleSays();
    void ofADamagedFileWhatIsWholeIsGivenAndWhatIsLostIsSaid();
    void ofADamagedTextWhatIsWholeIsGivenAndWhatIsLostIsSaidWithItsLine();
    void mutatedTextsEndInASentenceOrARecording();
    void mutatedFilesEndInASentenceWithItsPlaceOrARecording();
    void columnsLeftInTheFileAreThoseDecodedAtOnce();
    void whatIsWrittenAgainIsEqualAndTheIndependentReaderFindsTheSame();

  private:
    QString made(const char* program, const QStringList& arguments);
    static QStringList files(const QString& folder, const char* ending = "*.mf4") {
        return QDir(folder).entryList({ending}, QDir::Files);
    }

    QTemporaryDir folder_;
    QString corpus_, damaged_, tables_, logs_, texts_;
};

QString RecordingsCorpusTest::made(const char* program, const QStringList& arguments) {
    QProcess python;
    python.setProcessChannelMode(QProcess::MergedChannels);
    python.start(BRUSK_PYTHON, QStringList{"-B", QString(BRUSK_SOURCE_DIR "/tests/corpus/") + program} + arguments);
    if (!python.waitForFinished(60000) || python.exitCode() != 0)
        qFatal("%s: %s", program, python.readAll().constData());
    return python.readAll();
}

void RecordingsCorpusTest::initTestCase() {
    corpus_ = folder_.filePath("corpus"), damaged_ = folder_.filePath("damaged");
    tables_ = folder_.filePath("tables");
    made("mdf_corpus.py", {corpus_});
    made("csv_corpus.py", {tables_});
    logs_ = folder_.filePath("logs"), texts_ = folder_.filePath("texts");
    made("can_corpus.py", {logs_});
    made("text_damaged.py", {texts_, tables_, logs_});
    made("mdf_damaged.py", {damaged_, corpus_});
}

void RecordingsCorpusTest::everyFileOfTheCorpusIsReadAsItsOracleSays() {
    const QStringList all = files(corpus_);
    QVERIFY(all.size() >= 43);
    int wrong = 0;
    for (const QString& name : all) {
        const auto read = readMdf4(bytesOf(corpus_ + "/" + name));
        QString problem =
            read ? difference(*read, oracleOf(corpus_ + "/" + name)) : QString::fromStdString(read.error().text());
        if (problem.isEmpty() && !read->damage.empty() && !name.contains("unfinalised"))
            problem = "damage is said: " + QString::fromStdString(read->damage[0]);
        if (!problem.isEmpty()) ++wrong, qWarning("%s: %s", qPrintable(name), qPrintable(problem));
    }
    QCOMPARE(wrong, 0);
}

void RecordingsCorpusTest::everyTableIsReadAsItsOracleSaysWithoutAWordSaidAboutIt() {
    const QStringList all = files(tables_, "*.csv");
    QVERIFY(all.size() >= 112);
    int wrong = 0;
    for (const QString& name : all) {
        const Bytes bytes = bytesOf(tables_ + "/" + name);
        const QJsonObject oracle = oracleOf(tables_ + "/" + name);
        QString problem;
        const auto guess = csv::guess(bytes);
        const auto read =
            guess ? csv::readCsv(bytes, guess->dialect) : Result<Recording>(tl::unexpected(guess.error()));
        problem = read ? difference(*read, oracle) : QString::fromStdString(read.error().text());
        const std::string damage = oracle["damage"].toString().toStdString();
        if (problem.isEmpty() &&
            (damage.empty() != read->damage.empty() || allDamage(*read).find(damage) == std::string::npos))
            problem = "it says " + QString::fromStdString(allDamage(*read));
        if (!problem.isEmpty()) ++wrong, qWarning("%s: %s", qPrintable(name), qPrintable(problem));
    }
    QCOMPARE(wrong, 0);
}

void RecordingsCorpusTest::ofADamagedFileWhatIsWholeIsGivenAndWhatIsLostIsSaid() {
    int wrong = 0, seen = 0;
    for (const QString& name : files(damaged_)) {
        const QJsonObject oracle = oracleOf(damaged_ + "/" + name);
        if (oracle.isEmpty()) continue;
        ++seen;
        const QString problem = differsFromOracle(readMdf4(bytesOf(damaged_ + "/" + name)), oracle);
        if (!problem.isEmpty()) ++wrong, qWarning("%s: %s", qPrintable(name), qPrintable(problem));
    }
    QVERIFY(seen >= 60);
    QCOMPARE(wrong, 0);
}

void RecordingsCorpusTest::everyCanLogIsReadAsItsOracleSays() {
    int wrong = 0;
    for (const QString& name : files(logs_, "*.log")) {
        const auto read = readText(logs_ + "/" + name);
        QString problem =
            read ? difference(*read, oracleOf(logs_ + "/" + name)) : QString::fromStdString(read.error().text());
        if (problem.isEmpty() && !read->damage.empty()) problem = QString::fromStdString(allDamage(*read));
        if (!problem.isEmpty()) ++wrong, qWarning("%s: %s", qPrintable(name), qPrintable(problem));
    }
    QCOMPARE(wrong, 0);
    QCOMPARE(files(logs_, "*.log").size(), 40);
}

void RecordingsCorpusTest::ofADamagedTextWhatIsWholeIsGivenAndWhatIsLostIsSaidWithItsLine() {
    int wrong = 0, seen = 0;
    for (const char* ending : {"*.csv", "*.log"})
        for (const QString& name : files(texts_, ending)) {
            const QJsonObject oracle = oracleOf(texts_ + "/" + name);
            if (oracle.isEmpty()) continue;
            ++seen;
            const QString problem = differsFromOracle(readText(texts_ + "/" + name), oracle);
            if (!problem.isEmpty()) ++wrong, qWarning("%s: %s", qPrintable(name), qPrintable(problem));
        }
    QVERIFY(seen >= 21);
    QCOMPARE(wrong, 0);
}

void RecordingsCorpusTest::mutatedTextsEndInASentenceOrARecording() {
    int given = 0, refused = 0;
    for (const char* ending : {"*.csv", "*.log"})
        for (const QString& name : files(texts_, ending)) {
            if (!name.startsWith('~')) continue;
            const auto read = readText(texts_ + "/" + name);
            read ? ++given : ++refused;
            if (!read) {
                QVERIFY2(!read.error().message.empty(), qPrintable(name));
                continue;
            }
            for (const Group& group : read->groups) {
                QVERIFY2(std::is_sorted(group.time_s.begin(), group.time_s.end()), qPrintable(name));
                for (const Channel& channel : group.channels)
                    QVERIFY2(channel.values.size() == group.time_s.size(), qPrintable(name));
            }
        }
    QVERIFY2(given > 300 && refused > 0, qPrintable(QString("%1 given, %2 refused").arg(given).arg(refused)));
}

void RecordingsCorpusTest::mutatedFilesEndInASentenceWithItsPlaceOrARecording() {
    int given = 0, refused = 0;
    for (const QString& name : files(damaged_)) {
        if (!name.startsWith('~')) continue;
        const auto read = readMdf4(bytesOf(damaged_ + "/" + name));
        if (!read) {
            ++refused;
            QVERIFY2(read.error().message.find("At byte ") == 0, qPrintable(name));
            QVERIFY2(read.error().placeOfAll().offset, qPrintable(name));
            const std::string place = "At byte " + std::to_string(*read.error().placeOfAll().offset) + ":";
            QVERIFY2(read.error().message.starts_with(place), read.error().message.c_str());
            continue;
        }
        ++given;
        for (const Group& group : read->groups) {
            QVERIFY2(std::is_sorted(group.time_s.begin(), group.time_s.end()), qPrintable(name));
            for (const Channel& channel : group.channels)
                QVERIFY2(channel.values.size() == group.time_s.size(), qPrintable(name));
        }
        for (const std::string& sentence : read->damage)
            QVERIFY2(sentence.find("At byte ") == 0, sentence.c_str());
    }
    QVERIFY(given > 200 && refused > 50);
}

void RecordingsCorpusTest::columnsLeftInTheFileAreThoseDecodedAtOnce() {
    int left = 0;
    for (const QString& folder : {corpus_, damaged_})
        for (const QString& name : files(folder)) {
            const Bytes bytes = bytesOf(folder + "/" + name);
            const auto once = readMdf4(bytes);
            const auto later = openMdf4(storage::mappedBytes(bytes), 0);
            if (!later) {
                QVERIFY2(!once, qPrintable(name));
                continue;
            }
            for (const Group& group : later->groups)
                for (const Channel& channel : group.channels)
                    left += !channel.values.decoded(), (void)channel.values.values(), (void)group.time_s.times();
            for (const Group& group : later->groups)
                QVERIFY2(std::is_sorted(group.time_s.begin(), group.time_s.end()), qPrintable(name));
            // What is damaged inside keeps its rows there, without numbers.
            const bool damaged = !once || !once->damage.empty();
            QVERIFY2(later->allDamage().empty() != damaged, qPrintable(name));
            if (damaged) continue;
            QCOMPARE(later->groups.size(), once->groups.size());
            for (size_t g = 0; g < once->groups.size(); ++g) {
                const Group &a = once->groups[g], &b = later->groups[g];
                QVERIFY2(a.time_s == b.time_s && a.rate_hz == b.rate_hz && a.channels.size() == b.channels.size(),
                         qPrintable(name));
                for (size_t c = 0; c < a.channels.size(); ++c) {
                    const Channel &x = a.channels[c], &y = b.channels[c];
                    QVERIFY2(x.name == y.name && x.unit == y.unit, qPrintable(name));
                    QVERIFY2(Column(x.values.values()) == Column(y.values.values()),
                             (name.toStdString() + " " + x.name).c_str());
                    for (const float value : x.values) {
                        const std::string *was = x.textOf(value), *is = y.textOf(value);
                        QVERIFY2(was ? is && *was == *is : !is, qPrintable(name));
                    }
                }
            }
        }
    QVERIFY2(left > 300, qPrintable(QString::number(left)));
}

void RecordingsCorpusTest::whatIsWrittenAgainIsEqualAndTheIndependentReaderFindsTheSame() {
    const QString ours = folder_.filePath("ours");
    QDir().mkpath(ours);
    storage::RealFileSystem disk;
    int count = 0;
    for (const QString& name : files(corpus_))
        for (const bool packed : {false, true}) {
            const auto read = readMdf4(bytesOf(corpus_ + "/" + name));
            EXPECT_OK(read);
            const QString path = ours + "/" + name.chopped(4) + (packed ? " deflated" : "") + ".mf4";
            EXPECT_OK(saveMdf4(disk, path.toStdString(), *read, {packed}));
            const auto again = readMdf4(bytesOf(path));
            EXPECT_OK(again);
            QVERIFY2(again->damage.empty(), allDamage(*again).c_str());
            const QString d = difference(*again, oracleOf(corpus_ + "/" + name));
            QVERIFY2(d.isEmpty(), qPrintable(name + ": " + d));
            QVERIFY(QFile::copy(corpus_ + "/" + name.chopped(4) + ".json", path.chopped(4) + ".json"));
            ++count;
        }
    QVERIFY(count >= 86);
    // Its last line counts what it found to agree.
    const QString found = made("read_mdf.py", {"--check", ours});
    QVERIFY2(found.trimmed().endsWith(QString("%1 agree, 0 differ").arg(count)), qPrintable(found));
}

QTEST_GUILESS_MAIN(RecordingsCorpusTest)
#include "RecordingsCorpusTest.moc"
