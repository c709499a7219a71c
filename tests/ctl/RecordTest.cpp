// record and sensor from the command line: any car, armed, guarded, with sensors of one's own.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>
#include <algorithm>
#include <cmath>
#include <csignal>

#include "Ctl.h"
#include "core/recording/Mdf4.h"

using namespace brusk;

namespace {

/// The bench car as a process of its own, idling.
struct Served {
    explicit Served(const QTemporaryDir& temporary) : socket(temporary.filePath("bus")), link("unix:" + socket) {
        process.start(kBin + "/brusk-benchcar", {"--link", link, "--route", "idle"});
        if (!process.waitForStarted() || !QTest::qWaitFor([&] { return QFile::exists(socket); }, 10000))
            qFatal("the bench car does not come up");
    }
    ~Served() {
        process.terminate();
        process.waitForFinished(10000);
    }
    QString socket, link;
    QProcess process;
};

}  // namespace

class RecordTest : public QObject {
    Q_OBJECT
  private slots:
    void anyCarIsRecordedWithoutAProfile();
    void anArmedRecordingTellsItsStretches();
    void guardsAreSaidWhileItRecordsAndMarked();
    void whatCantBeAskedEndsItBeforeAFileIsMade();
    void sensorsAreFoundUsedWiredAndForgotten();
    void everyGuardHasAnId();
    void aSetOfChannelsIsKeptAndRecordedAtItsPaces();
    void twentySecondsOfSleepAreAGap();
    void aClockThatIsSetBackChangesNoTime();
};

void RecordTest::anyCarIsRecordedWithoutAProfile() {
    const QTemporaryDir temporary;
    const QString file = temporary.filePath("o.mf4");
    const auto ran = ctl({"record", "--link", "bench", "--out", file, "--obd", "--pids", "0B,0C,11", "--route", "idle",
                          "--seconds", "10", "--dbc", BRUSK_DATA_DIR "/heron/ombrel-w1.dbc", "--json"});
    QVERIFY2(ran.code == 0, ran.err.constData());
    const auto obd = ran.object()["obd"].toObject();
    QVERIFY(obd["fast_ids"].toInt() == 3 && obd["controller"].toString() == "7E8");
    QVERIFY(obd["samples_per_s"].toDouble() > 100 && obd["share_of_wire"].toDouble() > 0.3);
    QCOMPARE(obd["calibrations"].toArray()[0].toString(), QString("HERON16T-FACTORY"));
    const auto info = ctl({"recording", "info", file, "--json"});
    QVERIFY(info.out.contains("Engine speed"));
    QVERIFY(info.out.contains("lambda_measured"));
    QVERIFY(ctl({"record", "--link", "bench", "--out", file, "--obd", "--pids", "ZZ"}).code != 0);
}

void RecordTest::anArmedRecordingTellsItsStretches() {
    const QTemporaryDir temporary;
    const auto ran = ctl({"record", "--link", "bench", "--out", temporary.filePath("a.mf4"), "--route", "pulls-3",
                          "--arm", "held(<pedal> > 80 %, 0.3 s)", "--before", "2", "--json"});
    QVERIFY2(ran.code == 0, ran.err.constData());
    const auto stretches = ran.object()["stretches"].toArray();
    QCOMPARE(stretches.size(), 3);
    for (const auto& one : stretches) {
        const double long_s = one.toObject()["to_s"].toDouble() - one.toObject()["from_s"].toDouble();
        QVERIFY(long_s > 8 && long_s < 20);
    }
    QVERIFY(ran.object()["gaps"].toArray().isEmpty());
}

void RecordTest::guardsAreSaidWhileItRecordsAndMarked() {
    const QTemporaryDir temporary;
    const auto ran = ctl({"record", "--link", "bench", "--out", temporary.filePath("g.mf4"), "--route", "pulls-3",
                          "--guards", "--guard", "<pedal> > 80 %;0.5;foot down", "--json"});
    QVERIFY2(ran.code == 0, ran.err.constData());
    QCOMPARE(ran.err.count("! foot down\n"), 3);
    QVERIFY(ran.err.contains("Not watched: Fuel pressure falls; nobody plays fuel pressure."));
    int marked = 0;
    for (const auto& mark : ran.object()["marks"].toArray())
        marked += mark.toObject()["text"].toString() == "foot down" && mark.toObject()["kind"].toString() == "guard";
    QCOMPARE(marked, 3);
}

void RecordTest::whatCantBeAskedEndsItBeforeAFileIsMade() {
    const QTemporaryDir temporary;
    const QString file = temporary.filePath("w.mf4");
    for (const auto& wrong : {QStringList{"--arm", "<pedal>"}, QStringList{"--arm", "<pedel> > 5"},
                              QStringList{"--guard", "<pedal> > 80 %;soon;down"}}) {
        const auto ran = ctl(QStringList{"record", "--link", "bench", "--out", file, "--seconds", "1"} + wrong);
        QVERIFY2(ran.code != 0 && !ran.err.isEmpty(), qPrintable(wrong.join(' ')));
        QVERIFY(!QFile::exists(file));
    }
}

void RecordTest::sensorsAreFoundUsedWiredAndForgotten() {
    const QTemporaryDir temporary;
    const QString car = temporary.filePath("car"), home = temporary.filePath("home");
    QVERIFY(ctl({"read", "--link", "bench", "--car", car}).code == 0);
    // To a car without a profile the wideband on the bus is a stranger's; this one's profile knows it.
    const auto strange = ctl({"sensor", "find", "--link", "bench", "--json"});
    QVERIFY2(strange.code == 0 && strange.object()["offers"].toArray().size() == 2, strange.err.constData());
    const auto known = ctl({"sensor", "find", "--link", "bench", "--car", car, "--json"});
    QVERIFY2(known.code == 0 && known.object()["offers"].toArray().isEmpty(), known.err.constData());
    QVERIFY(!known.object()["heard"].toArray().isEmpty());

    QVERIFY(ctl({"sensor", "use", "TarnL3", "afr", "--car", car, "--role", "lambda_measured"}).code == 0);
    QVERIFY(ctl({"sensor", "use", "TarnL3", "afr", "--car", car, "--role", "battery"}).code != 0);
    QVERIFY(ctl({"sensor", "use", "TarnL3", "nothing", "--car", car}).code != 0);
    const QStringList wire{"sensor",          "wire",   "spare_volts", "--car", car, "--role",
                           "lambda_measured", "--unit", "lambda"};
    QVERIFY(ctl(wire).code == 2);
    QVERIFY(ctl(wire + QStringList{"--point", "1:x", "--point", "2:1"}).code == 2);
    const auto wired = ctl(wire + QStringList{"--point", "0.5:0.6", "--point", "4.5:1.4", "--json"});
    QVERIFY2(wired.code == 0, wired.err.constData());
    QVERIFY(std::abs(wired.object()["sensor"].toObject()["slope"].toDouble() - 0.2) < 1e-9);
    const auto moved = ctl(wire + QStringList{"--shows", "2.515:1.0", "--json"});
    QVERIFY(std::abs(moved.object()["sensor"].toObject()["offset"].toDouble() - 0.497) < 1e-9);
    // Who plays a role plays it alone.
    QString playing;
    for (const auto& sensor : ctl({"sensor", "list", "--car", car, "--json"}).object()["sensors"].toArray())
        if (sensor.toObject()["role"].toString() == "lambda_measured") playing += sensor.toObject()["name"].toString();
    QCOMPARE(playing, QString("spare_volts_scaled"));
    QVERIFY(ctl({"sensor", "forget", "spare_volts_scaled", "--car", car}).code == 0);
    QVERIFY(ctl({"sensor", "forget", "spare_volts_scaled", "--car", car}).code != 0);
}

void RecordTest::everyGuardHasAnId() {
    const auto guards = ctl({"ids", "--json"}).object()["guards"].toArray();
    QCOMPARE(guards.size(), 8);
    QCOMPARE(guards[0].toObject()["id"].toString(), QString("lean-under-load"));
}

void RecordTest::aSetOfChannelsIsKeptAndRecordedAtItsPaces() {
    const QTemporaryDir temporary;
    const auto record = [&](QStringList more) {
        return ctl(QStringList{"--home", temporary.filePath("home"), "record", "--link", "bench", "--seconds", "3",
                               "--out", temporary.filePath("s.mf4"), "--force", "--json"} +
                   more);
    };
    const auto rateOf = [&](const char* channel) {
        const auto recording = recording::readMdf4(asBytes(readText(temporary.filePath("s.mf4").toStdString())));
        const auto place = recording ? recording->find(channel) : recording::Recording::Place();
        return place ? place.group->rate_hz : 0;
    };
    QCOMPARE(record({"--channels", "spark,battery", "--at", "spark=slow", "--keep-set", "mine"}).code, 0);
    QVERIFY(rateOf("spark") == 5 && rateOf("battery") == 20 && rateOf("speed") == 100);
    QCOMPARE(record({}).code, 0);
    QCOMPARE(rateOf("spark"), 0.0);
    QCOMPARE(record({"--set", "mine", "--at", "battery=fast"}).code, 0);
    QVERIFY(rateOf("spark") == 5 && rateOf("battery") == 100);
    QVERIFY(record({"--set", "yours"}).err.contains("is kept for"));
    QVERIFY(record({"--at", "spark=often"}).err.contains("fast, NAME=medium or NAME=slow"));
    QVERIFY(record({"--at", "nothing=slow"}).err.contains("no measurement nothing"));
}

void RecordTest::twentySecondsOfSleepAreAGap() {
    const QTemporaryDir temporary;
    const Served car(temporary);
    QProcess record;
    record.start(kBin + "/bruskctl",
                 {"record", "--link", car.link, "--out", temporary.filePath("s.mf4"), "--seconds", "34", "--json"});
    QVERIFY(record.waitForStarted());
    QTest::qWait(5000);
    ::kill(static_cast<pid_t>(record.processId()), SIGSTOP);
    QTest::qWait(20000);
    ::kill(static_cast<pid_t>(record.processId()), SIGCONT);
    QVERIFY(record.waitForFinished(60000));
    QVERIFY2(record.exitCode() == 0, record.readAllStandardError().constData());
    const auto told = QJsonDocument::fromJson(record.readAllStandardOutput()).object();
    // A machine that is busy loses frames besides; they are told apart.
    double asleep_s = 0, woke_s = 0;
    for (const auto& one : told["gaps"].toArray()) {
        const auto gap = one.toObject();
        const double long_s = gap["to_s"].toDouble() - gap["from_s"].toDouble();
        if (gap["cause"].toString() == "frames") continue;
        QVERIFY(asleep_s == 0 && gap["cause"].toString() == "asleep");
        asleep_s = long_s;
        woke_s = gap["to_s"].toDouble();
    }
    QVERIFY2(asleep_s > 19.5 && asleep_s < 23, qPrintable(QString::number(asleep_s)));
    // What lay in the socket when it woke, half a second's rows, is not told as if it came then.
    const auto recording = recording::readMdf4(asBytes(readText(temporary.filePath("s.mf4").toStdString())));
    EXPECT_OK(recording);
    const std::span<const double> time = recording->groups.front().time_s;
    const auto within = [&](double from_s, double to_s) {
        return std::lower_bound(time.begin(), time.end(), to_s) - std::lower_bound(time.begin(), time.end(), from_s);
    };
    QVERIFY2(within(woke_s, woke_s + 0.5) < 80, qPrintable(QString::number(within(woke_s, woke_s + 0.5))));
}

void RecordTest::aClockThatIsSetBackChangesNoTime() {
    const QTemporaryDir temporary;
    const Served car(temporary);
    QProcess record;
    auto environment = QProcessEnvironment::systemEnvironment();
    environment.insert("LD_PRELOAD", CLOCK_BACK);
    record.setProcessEnvironment(environment);
    record.start(kBin + "/bruskctl",
                 {"record", "--link", car.link, "--out", temporary.filePath("c.mf4"), "--seconds", "8", "--json"});
    QVERIFY(record.waitForFinished(60000));
    QVERIFY2(record.exitCode() == 0, record.readAllStandardError().constData());
    const auto told = QJsonDocument::fromJson(record.readAllStandardOutput()).object();
    // A busy machine may lose frames; an hour is another matter.
    for (const auto& gap : told["gaps"].toArray())
        QVERIFY(gap.toObject()["to_s"].toDouble() - gap.toObject()["from_s"].toDouble() < 1);
    QVERIFY(std::abs(told["duration_s"].toDouble() - 8) < 0.5 && told["rows"].toInt() > 600);
    // The clock was set back indeed.
    QProcess date;
    date.setProcessEnvironment(environment);
    date.start("bash", {"-c", "a=$EPOCHSECONDS; sleep 4; echo $((EPOCHSECONDS - a))"});
    QVERIFY(date.waitForFinished(20000));
    QVERIFY(date.readAllStandardOutput().trimmed().toInt() < -3000);
}

QTEST_GUILESS_MAIN(RecordTest)
#include "RecordTest.moc"
