// bruskctl recording: plans that are guessed, corrected and obeyed, files turned into each other, strangers' files kept
// in a car's folder.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFile>
#include <QTemporaryDir>
#include <cmath>

#include "ctl/Ctl.h"

using namespace brusk;

class ImportCtlTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void theGuessTellsEachPointWithItsCertainty();
    void aCorrectedPlanIsObeyed();
    void anyFormatBecomesAnyOther();
    void aTableProposesWhatTheRecordingDoes();
    void aCanLogIsReadByItsDbc();
    void aStrangersFileIsKeptOnARoundOrOnNone();
    void whatCantBeReadIsSaidWithItsPlace();

  private:
    QString at(const QString& name) const { return folder_.filePath(name); }
    void write(const QString& name, const QByteArray& text) const {
        QFile file(at(name));
        QVERIFY(file.open(QFile::WriteOnly) && file.write(text) == text.size());
    }
    static Ran recording(const QStringList& words) {
        return ctl(QStringList{"recording"} + words + QStringList{"--json"});
    }
    static QJsonObject channel(const Ran& info, const QString& name) {
        for (const auto& group : info.object()["groups"].toArray())
            for (const auto& one : group.toObject()["channels"].toArray())
                if (one.toObject()["name"] == name) return one.toObject();
        return {};
    }
    QTemporaryDir folder_;
};

void ImportCtlTest::initTestCase() {
    QByteArray table = "Recorder 3\nZeit;Drehzahl;Lade\ns;1/min;mbar\n";
    for (int i = 0; i < 200; ++i)
        table += QString("%1;%2;%3\n").arg(i * 0.05).arg(900 + i).arg(1000 + i * 2.5).replace('.', ',').toUtf8();
    write("a.csv", table);
}

void ImportCtlTest::theGuessTellsEachPointWithItsCertainty() {
    const auto plan = recording({"import-plan", at("a.csv")});
    QVERIFY2(plan.code == 0, plan.err);
    QCOMPARE(plan.object()["format"].toString(), QString("csv"));
    QMap<QString, QString> values;
    for (const auto& one : plan.object()["points"].toArray()) {
        const QJsonObject point = one.toObject();
        values[point["id"].toString()] = point["value"].toString();
        QVERIFY(point["certainty"].toDouble() > 0 && point["certainty"].toDouble() <= 1);
        QVERIFY(!point["why"].toString().isEmpty());
    }
    QCOMPARE(values["separator"], QString(";"));
    QCOMPARE(values["decimal"], QString(","));
    QCOMPARE(values["header"], QString("2"));
    QCOMPARE(values["units"], QString("3"));
    QCOMPARE(values["time-form"], QString("s"));
    QCOMPARE(plan.object()["columns"].toArray().size(), 2);
}

void ImportCtlTest::aCorrectedPlanIsObeyed() {
    QJsonObject plan = recording({"import-plan", at("a.csv")}).object();
    QJsonArray columns = plan["columns"].toArray();
    QJsonObject speed = columns[0].toObject(), boost = columns[1].toObject();
    speed["name"] = "Engine speed", speed["role"] = "engine_speed";
    boost["name"] = "Boost", boost["role"] = "manifold_pressure", boost["unit"] = "kPa";
    boost["factor"] = 0.1, boost["offset"] = 1;
    plan["columns"] = QJsonArray{speed, boost};
    write("plan.json", QJsonDocument(plan).toJson());
    const auto done = recording({"convert", at("a.csv"), at("a.mf4"), "--plan", at("plan.json")});
    QVERIFY2(done.code == 0, done.err);
    QCOMPARE(done.object()["rows"].toInt(), 200);
    const auto info = recording({"info", at("a.mf4")});
    QCOMPARE(channel(info, "Engine speed")["role"].toString(), QString("engine_speed"));
    QVERIFY(std::abs(channel(info, "Boost")["first"].toDouble() - 101) < 1e-4);
    QCOMPARE(channel(info, "Boost")["unit"].toString(), QString("kPa"));
    // Nonsense is refused, and what exists is not written over.
    QCOMPARE(recording({"import-plan", at("a.csv"), "--say", "separator=x"}).code, 1);
    QCOMPARE(recording({"import-plan", at("a.csv"), "--say", "separator"}).code, 2);
    QCOMPARE(recording({"convert", at("a.csv"), at("a.mf4")}).code, 1);
    QCOMPARE(recording({"convert", at("a.csv"), at("a.xyz")}).code, 2);
    speed["role"] = "no_such_role";
    plan["columns"] = QJsonArray{speed};
    write("wrong.json", QJsonDocument(plan).toJson());
    const auto wrong = recording({"convert", at("a.csv"), at("b.mf4"), "--plan", at("wrong.json")});
    QVERIFY(wrong.code == 1 && wrong.err.contains("no_such_role") && !QFile::exists(at("b.mf4")));
}

void ImportCtlTest::anyFormatBecomesAnyOther() {
    QVERIFY(ctl({"bench", "drive", "--out", at("d.mf4"), "--visit", "2000:60:3"}).code == 0);
    const auto first = recording({"info", at("d.mf4")});
    for (const QStringList& more :
         {QStringList{}, {"--decimal-comma"}, {"--own-clocks"}, {"--decimal-comma", "--own-clocks"}}) {
        const auto out = recording(QStringList{"convert", at("d.mf4"), at("d.csv"), "--force"} + more);
        QVERIFY2(out.code == 0, out.err);
        const auto again = recording({"info", at("d.csv")});
        QVERIFY2(again.code == 0, again.err);
        for (const char* name : {"speed", "pressure", "lambda_asked", "pulse", "coolant"})
            for (const char* figure : {"first", "last", "min", "max", "unit"})
                QVERIFY2(channel(first, name)[figure] == channel(again, name)[figure], name);
    }
    QCOMPARE(recording({"convert", at("d.csv"), at("packed.mf4"), "--packed"}).code, 0);
    QCOMPARE(channel(recording({"info", at("packed.mf4")}), "speed")["max"], channel(first, "speed")["max"]);
    QVERIFY(QFile(at("packed.mf4")).size() * 2 < QFile(at("d.mf4")).size());
}

void ImportCtlTest::aTableProposesWhatTheRecordingDoes() {
    QVERIFY(ctl({"--quiet", "read", "--link", "bench", "--out", at("car.hex")}).code == 0);
    QVERIFY(ctl({"bench", "drive", "--model", "heron-fitted", "--image", at("car.hex"), "--out", at("long.mf4"),
                 "--route", "survey"})
                .code == 0);
    // What the file's own names and units tell is put right by the plan; the roles stand in the recording.
    QJsonObject roles;
    for (const auto& group : recording({"info", at("long.mf4")}).object()["groups"].toArray())
        for (const auto& one : group.toObject()["channels"].toArray())
            roles[one.toObject()["name"].toString()] = one.toObject()["role"].toString();
    QCOMPARE(recording({"convert", at("long.mf4"), at("long.csv"), "--own-clocks"}).code, 0);
    QJsonObject plan = recording({"import-plan", at("long.csv")}).object();
    QJsonArray columns;
    for (const auto& one : plan["columns"].toArray()) {
        QJsonObject column = one.toObject();
        column["role"] = roles[column["column"].toString()].toString();
        columns.append(column);
    }
    plan["columns"] = columns;
    write("long.json", QJsonDocument(plan).toJson());
    QCOMPARE(recording({"convert", at("long.csv"), at("back.mf4"), "--plan", at("long.json")}).code, 0);
    const auto propose = [&](const QString& file) {
        return ctl({"propose", "air", at(file), "--definition", kA2l, "--image", at("car.hex"), "--json"});
    };
    const auto original = propose("long.mf4"), table = propose("back.mf4");
    QVERIFY2(original.code == 0 && table.code == 0, table.err);
    const auto map = [](const Ran& ran) {
        return ran.object()["corrections"].toArray()[0].toObject()["parameters"].toArray()[0].toObject();
    };
    QCOMPARE(map(table)["cells_changed"], map(original)["cells_changed"]);
    QCOMPARE(map(table)["cells_sure"], map(original)["cells_sure"]);
    QVERIFY(std::abs(map(table)["largest_step"].toDouble() - map(original)["largest_step"].toDouble()) < 1e-3);
}

void ImportCtlTest::aCanLogIsReadByItsDbc() {
    write("x.dbc", "BO_ 928 Sensor: 8 X\n SG_ lambda : 7|16@0+ (0.0001,0) [0|0] \"lambda\" X\n");
    QByteArray log;
    for (int i = 0; i < 50; ++i)
        log += QString("(%1) can0 3A0#%2\n")
                   .arg(1000 + i * 0.01, 0, 'f', 6)
                   .arg(9000 + i, 4, 16, QChar('0'))
                   .toUtf8()
                   .toUpper()
                   .replace("CAN0", "can0");
    write("x.log", log);
    const auto without = recording({"info", at("x.log")});
    QVERIFY(without.code == 1 && without.err.contains("needs a DBC file") && without.err.contains("3A0"));
    const auto info = recording({"info", at("x.log"), "--dbc", at("x.dbc")});
    QVERIFY2(info.code == 0, info.err);
    QVERIFY(std::abs(channel(info, "lambda")["first"].toDouble() - 0.9) < 1e-6);
    QCOMPARE(channel(info, "lambda")["role"].toString(), QString("lambda_measured"));
    QCOMPARE(recording({"convert", at("x.log"), at("x.csv"), "--dbc", at("x.dbc")}).code, 0);
    QCOMPARE(channel(recording({"info", at("x.csv")}), "lambda")["count"].toInt(), 50);
}

void ImportCtlTest::aStrangersFileIsKeptOnARoundOrOnNone() {
    QVERIFY(ctl({"--quiet", "read", "--link", "bench", "--car", at("car")}).code == 0);
    // What Brusk records says in whose car it was.
    QVERIFY(ctl({"--quiet", "record", "--link", "bench", "--car", at("car"), "--seconds", "1"}).code == 0);
    const QString own =
        recording({"list", "--car", at("car")}).object()["recordings"].toArray()[0].toObject()["file"].toString();
    QCOMPARE(recording({"info", at("car/" + own)}).object()["vin"].toString(), QString("FMKHR16T0E2004711"));
    const auto bound = recording({"keep", at("a.csv"), "--car", at("car"), "--round", "0"});
    QVERIFY2(bound.code == 0, bound.err);
    QCOMPARE(bound.object()["round"].toInt(-1), 0);
    const auto twice = recording({"keep", at("a.csv"), "--car", at("car")});
    QVERIFY(twice.code == 1 && twice.err.contains("in the folder already"));
    const auto free = recording({"keep", at("x.log"), "--dbc", at("x.dbc"), "--car", at("car")});
    QVERIFY2(free.code == 0, free.err);
    QVERIFY(free.object()["round"].isNull());
    QCOMPARE(recording({"keep", at("a.csv"), "--car", at("car"), "--round", "77"}).code, 1);
    const auto list = recording({"list", "--car", at("car")}).object()["recordings"].toArray();
    QCOMPARE(list.size(), 3);
    QVERIFY(list[1].toObject()["round"].toInt(-1) == 0 && !list[2].toObject().contains("round"));
    QCOMPARE(list[1].toObject()["state"].toString(), QString("whole"));
}

void ImportCtlTest::whatCantBeReadIsSaidWithItsPlace() {
    write("no.mf4",
          "MDF     4.10    me      " + QByteArray(4, 0) + QByteArray("\x9A\x01", 2) + QByteArray(34, 0) + "##XX");
    const auto ran = recording({"info", at("no.mf4")});
    QCOMPARE(ran.code, 1);
    const QJsonObject error = ran.object()["error"].toObject();
    QCOMPARE(error["offset"].toInt(), 64);
    QVERIFY(error["file"].toString().endsWith("no.mf4") && error["sentence"].toString().contains("At byte 64"));
    write("letter.txt", "Dear all,\nthe car is fine.\n");
    QVERIFY(recording({"info", at("letter.txt")}).err.contains("There is no "));
    QCOMPARE(recording({"info", at("missing.csv")}).code, 1);
}

QTEST_GUILESS_MAIN(ImportCtlTest)
#include "ImportCtlTest.moc"
