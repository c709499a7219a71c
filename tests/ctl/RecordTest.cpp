// record and sensor from the command line: any car, armed, guarded, with sensors of one's own.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>

#include "Ctl.h"

using namespace brusk;

class RecordTest : public QObject {
    Q_OBJECT
  private slots:
    void anyCarIsRecordedWithoutAProfile();
    void anArmedRecordingTellsItsStretches();
    void guardsAreSaidWhileItRecordsAndMarked();
    void whatCantBeAskedEndsItBeforeAFileIsMade();
    void sensorsAreFoundUsedWiredAndForgotten();
    void everyGuardHasAnId();
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

QTEST_GUILESS_MAIN(RecordTest)
#include "RecordTest.moc"
