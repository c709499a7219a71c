// bruskctl propose: from recordings to an image or a round, without the window.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFile>
#include <QTemporaryDir>
#include <cmath>

#include "ctl/Ctl.h"

using namespace brusk;

class ProposeTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void theErrorFallsDriveByDrive();
    void whatWasRecordedOnOtherBytesIsNotUsed();
    void whatLacksIsToldAndNothingIsWritten();
    void aFolderGetsItsRounds();
    void settingsAreObeyedAndNonsenseIsRefused();
    void anotherDefinitionOfTheSameControllerGivesTheSame();

  private:
    QString at(const QString& name) const { return folder_.filePath(name); }
    Ran drive(const QString& out, const QString& image, const QStringList& more = {"--route", "survey"}) {
        return ctl(
            QStringList{"bench", "drive", "--model", "heron-fitted", "--out", at(out), "--image", at(image), "--json"} +
            more);
    }
    Ran propose(const QStringList& words) { return ctl(QStringList{"propose", "air", "--json"} + words); }
    QTemporaryDir folder_;
};

void ProposeTest::initTestCase() {
    QVERIFY(folder_.isValid());
    const auto read = ctl({"--quiet", "read", "--link", "bench", "--out", at("car.hex")});
    QVERIFY2(read.code == 0, read.err);
    // The parts of the car on its sheet, so that there is little left but air.
    const auto base = ctl({"base", kA2l, at("car.hex"), "--sheet", BRUSK_DATA_DIR "/heron/build-sheet.json", "--out",
                           at("base.hex"), "--json"});
    QVERIFY2(base.code == 0, base.err);
    // Its checksums are those of the original; a proposal of nothing mends them.
    const auto driven = drive("first.mf4", "car.hex");
    QVERIFY2(driven.code == 0, driven.err);
}

void ProposeTest::theErrorFallsDriveByDrive() {
    const auto first =
        propose({at("first.mf4"), "--definition", kA2l, "--image", at("car.hex"), "--out", at("one.hex")});
    QVERIFY2(first.code == 0, first.err);
    const QJsonObject told = first.object();
    const QJsonObject correction = told["corrections"].toArray()[0].toObject();
    const auto figure = [](const QJsonObject& of, const char* which) {
        return of[which].toObject()["fuel_error_rms_pct"].toObject()["value"].toDouble();
    };
    QVERIFY(correction["kind"] == "air" && figure(correction, "now") > 15);
    const QJsonObject map = correction["parameters"].toArray()[0].toObject();
    QVERIFY(map["name"] == "ve_map" && map["role"] == "ve_map" && map["cells"] == 224);
    QVERIFY(map["cells_changed"].toInt() > 60 && map["cells_sure"].toInt() > 20 && map["largest_step"].toDouble() > 10);
    QVERIFY(!correction["left_out"].toArray().isEmpty() && !correction["reason"].toString().isEmpty());
    QVERIFY(told["out"] == at("one.hex"));
    // The bytes start a controller, and are those that were promised.
    const auto second = drive("second.mf4", "one.hex");
    QVERIFY2(second.code == 0, second.err);
    QCOMPARE(second.object()["image_sha256"], told["image_sha256"]);
    const auto next =
        propose({at("second.mf4"), "--definition", kA2l, "--image", at("one.hex"), "--out", at("two.hex")});
    QVERIFY2(next.code == 0, next.err);
    const double now = figure(next.object()["corrections"].toArray()[0].toObject(), "now");
    QVERIFY2(now < 0.7 * figure(correction, "now"), qPrintable(QString::number(now)));
}

void ProposeTest::whatWasRecordedOnOtherBytesIsNotUsed() {
    const auto other =
        propose({at("first.mf4"), "--definition", kA2l, "--image", at("base.hex"), "--out", at("none.hex")});
    QVERIFY2(other.code == 0, other.err);
    QVERIFY(other.object()["corrections"].toArray().isEmpty() && other.object()["out"].isNull());
    QVERIFY(other.object()["warnings"].toArray()[0].toString().contains("other bytes"));
    QVERIFY(!other.object()["waiting"].toArray().isEmpty() && !QFile::exists(at("none.hex")));
}

void ProposeTest::whatLacksIsToldAndNothingIsWritten() {
    QCOMPARE(drive("blind.mf4", "car.hex", {"--route", "idle", "--no-wideband", "--drop", "coolant"}).code, 0);
    const auto ran =
        propose({at("blind.mf4"), "--definition", kA2l, "--image", at("car.hex"), "--out", at("none.hex")});
    QVERIFY2(ran.code == 0, ran.err);
    QStringList roles;
    for (const auto& why : ran.object()["waiting"].toArray()[0].toObject()["for"].toArray())
        roles << why.toObject()["role"].toString();
    QCOMPARE(roles, QStringList{"coolant"});  // without a wideband the closed loop would do
    QVERIFY(!QFile::exists(at("none.hex")));
}

void ProposeTest::aFolderGetsItsRounds() {
    QVERIFY(ctl({"--quiet", "read", "--link", "bench", "--car", at("heron")}).code == 0);
    const auto base = ctl({"base", "--car", at("heron"), "--sheet", BRUSK_DATA_DIR "/heron/build-sheet.json", "--make",
                           "Base", "--json"});
    QVERIFY2(base.code == 0, base.err);
    QCOMPARE(base.object()["round"].toInt(), 1);
    // Nothing was driven on it yet.
    const auto early = propose({"--car", at("heron"), "--make", "Air"});
    QVERIFY2(early.code == 0 && !early.object().contains("round"), early.err);
    const auto recorded =
        ctl({"--quiet", "record", "--link", "bench", "--car", at("heron"), "--route", "survey", "--json"});
    QVERIFY2(recorded.code == 0, recorded.err);
    const auto made = propose({"--car", at("heron"), "--round", "0", "--make", "Air"});
    QVERIFY2(made.code == 0, made.err);
    QCOMPARE(made.object()["round"].toInt(), 2);
    const auto rounds = ctl({"rounds", "--car", at("heron"), "--json"}).object()["rounds"].toArray();
    QCOMPARE(rounds.size(), 3);
    for (const auto& round : rounds)
        if (round.toObject()["number"] == 2) {
            QVERIFY(round.toObject()["title"] == "Air" && round.toObject()["parent"] == 0);
            QCOMPARE(round.toObject()["image_sha256"], made.object()["image_sha256"]);
        }
}

void ProposeTest::settingsAreObeyedAndNonsenseIsRefused() {
    const QStringList bytes = {at("first.mf4"), "--definition", kA2l, "--image", at("car.hex")};
    const auto step = [&](const QStringList& more) {
        return propose(bytes + more)
            .object()["corrections"]
            .toArray()[0]
            .toObject()["parameters"]
            .toArray()[0]
            .toObject()["largest_step"]
            .toDouble();
    };
    const double whole = step({}), gentle = step({"--setting", "air.largest-step=5"});
    QVERIFY(whole > 8 && gentle < 5.6 && gentle > 4);
    for (const QStringList& words : {QStringList{"--setting", "air.moon=1"},
                                     {"--setting", "air.strength=900"},
                                     {"--setting", "air.strength"},
                                     {"--setting", "air.strength=0"},
                                     {"--out", at("x.moon")}}) {
        const auto ran = propose(bytes + words);
        QVERIFY2(ran.code == 2, ran.err);
    }
    QVERIFY(ctl({"propose", at("first.mf4")}).code == 2);
    QVERIFY(ctl({"propose", "air"}).code == 2);
    QVERIFY(ctl({"base"}).code == 2);
    QFile there(at("there.hex"));
    QVERIFY(there.open(QFile::WriteOnly));
    QVERIFY(propose(bytes + QStringList{"--out", at("there.hex")}).code == 1);
}

void ProposeTest::anotherDefinitionOfTheSameControllerGivesTheSame() {
    const QString data = at("foreign");
    QCOMPARE(QProcess::execute("python3", {BRUSK_SOURCE_DIR "/scripts/foreign-definition", data}), 0);
    const QString theirs = data + "/heron/aldine-e2.a2l";
    const auto through = [&](const QString& definition, const QStringList& arguments) {
        if (definition == theirs) qputenv("BRUSK_DATA", data.toUtf8());
        const auto ran = ctl(arguments);
        qunsetenv("BRUSK_DATA");
        if (ran.code != 0) qFatal("%s", ran.err.constData());
        return ran;
    };
    const QString names[] = {"ours", "theirs"}, definitions[] = {kA2l, theirs};
    QJsonObject corrections[2];
    for (int i = 0; i < 2; ++i) {
        const QString drive = at(names[i] + ".mf4"), definition = definitions[i];
        through(definition,
                {"bench", "drive", "--model", "heron-fitted", "--seed", "6", "--route", "hills", "--out", drive});
        corrections[i] = through(definition, {"propose", "air", drive, "--definition", definition, "--image",
                                              at("car.hex"), "--out", at(names[i] + ".hex"), "--json"})
                             .object()["corrections"]
                             .toArray()[0]
                             .toObject();
        through(definition, {"base", definition, at("car.hex"), "--sheet", BRUSK_DATA_DIR "/heron/build-sheet.json",
                             "--out", at(names[i] + "-base.hex")});
    }
    // The correction, to one count; the base, to the byte.
    for (const auto& value : ctl({"compare", kA2l, at("ours.hex"), at("theirs.hex"), "--json"}).array()) {
        QCOMPARE(value.toObject()["name"].toString(), QString("ve_map"));
        QVERIFY(std::abs(value.toObject()["largest_difference"].toDouble()) < 0.0101);
    }
    QVERIFY(ctl({"compare", kA2l, at("ours-base.hex"), at("theirs-base.hex"), "--json"}).array().isEmpty());
    // The evidence of each cell, whichever axis runs across.
    const auto seen = [&](int i) {
        QMap<std::pair<int, int>, QJsonObject> out;
        for (const auto& value : corrections[i]["seen"].toArray()) {
            const auto cell = value.toObject();
            const std::pair at{cell["row"].toInt(), cell["column"].toInt()};
            out[i == 0 ? at : std::pair{at.second, at.first}] = cell;
        }
        return out;
    };
    const auto mine = seen(0), other = seen(1);
    QVERIFY(mine.size() > 20 && mine.keys() == other.keys());
    for (auto cell = mine.begin(); cell != mine.end(); ++cell) {
        const auto& again = other[cell.key()];
        QVERIFY(std::abs(cell.value()["samples"].toInt() - again["samples"].toInt()) <= 2);
        QCOMPARE(cell.value()["visits"], again["visits"]);
        QVERIFY(std::abs(cell.value()["factor"].toDouble() - again["factor"].toDouble()) < 2e-4);
        QVERIFY(std::abs(cell.value()["doubt"].toDouble() - again["doubt"].toDouble()) < 2e-4);
    }
}

QTEST_GUILESS_MAIN(ProposeTest)
#include "ProposeTest.moc"
