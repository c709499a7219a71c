// bruskctl bench drive: a car with these parts, bytes and faults over these routes, recorded, with the truth beside it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFile>
#include <QTemporaryDir>
#include <cmath>

#include "core/recording/Mdf4.h"
#include "ctl/Ctl.h"

using namespace brusk;

namespace {

recording::Recording readBack(const QString& path) {
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly)) qFatal("%s is not there", qPrintable(path));
    const QByteArray bytes = file.readAll();
    auto out =
        recording::readMdf4({reinterpret_cast<const uint8_t*>(bytes.constData()), static_cast<size_t>(bytes.size())});
    if (!out) qFatal("%s", out.error().text().c_str());
    return std::move(*out);
}

const recording::Group& groupNamed(const recording::Recording& recording, std::string_view name) {
    for (const auto& group : recording.groups)
        if (group.name == name) return group;
    qFatal("no group %s", std::string(name).c_str());
}

}  // namespace

class BenchTest : public QObject {
    Q_OBJECT
  private slots:
    void init() { QVERIFY(folder_.isValid()); }
    void aDriveIsRecordedWithTheTruthOnItsClock();
    void theSameSeedDrivesTheSame();
    void faultsComeAndGoOnTime();
    void whatIsLeftOutIsLeftOut();
    void itRunsTheBytesItIsGiven();
    void aWrongPartIsToldAndFelt();
    void aSheetFitsItsPartsAndRefusesOthers();
    void theKeyOffLeavesAGapAndAFullTankIsTold();
    void wrongUseEndsWithTwoAndMakesNothing_data();
    void wrongUseEndsWithTwoAndMakesNothing();
    void nothingIsOverwrittenUnasked();
    void everyIdIsToldOnceAndHasATitle();

  private:
    QString at(const QString& name) const { return folder_.filePath(name); }
    QTemporaryDir folder_;
};

void BenchTest::aDriveIsRecordedWithTheTruthOnItsClock() {
    const auto ran = ctl({"bench", "drive", "--out", at("a.mf4"), "--truth", at("at.mf4"), "--route", "town", "--route",
                          "pulls-3", "--drawn", "--seed", "5", "--json"});
    QVERIFY2(ran.code == 0, ran.err);
    const QJsonObject told = ran.object();
    QVERIFY(told["model"] == "heron" && told["seed"] == 5 && told["rate_hz"] == 100);
    QCOMPARE(told["image_sha256"].toString().size(), 64);
    const QJsonArray routes = told["routes"].toArray();
    QCOMPARE(routes.size(), 2);
    QCOMPARE(routes[1].toObject()["from_s"], routes[0].toObject()["to_s"]);
    QVERIFY(std::abs(routes[1].toObject()["to_s"].toDouble() - told["duration_s"].toDouble()) < 0.02);
    QVERIFY(!told["limp_mode"].toBool() && !told["stalled"].toBool());
    for (const char* figure : {"fuel_error_rms_pct", "boost_error_kpa", "idle_off_rpm", "start_s", "knock_retard_deg"})
        QVERIFY2(told["truth"].toObject().contains(figure), figure);
    const auto drive = readBack(at("a.mf4")), truth = readBack(at("at.mf4"));
    QVERIFY(drive.imageSha256 == told["image_sha256"].toString().toStdString() &&
            truth.imageSha256 == drive.imageSha256);
    const auto& rows = drive.groups[0].time_s;
    QVERIFY(rows == groupNamed(truth, "truth").time_s);
    QCOMPARE(static_cast<qint64>(rows.size()), told["rows"].toInteger());
    QVERIFY(rows.size() > 20000 && std::abs(rows[1] - rows[0] - 0.01) < 1e-9);
    QVERIFY(drive.findRole("lambda_measured") && drive.findRole("wideband_ready") && drive.findRole("purge_duty_now") &&
            drive.findRole("learned_trim_2") && drive.findRole("throttle_target"));
    // What the controller shows follows the truth.
    const auto& seen = drive.findRole("engine_speed").channel->values;
    const auto& known = truth.find("true_engine_speed").channel->values;
    for (size_t i = 0; i < seen.size(); i += 500)
        QVERIFY(std::abs(seen[i] - known[i]) < 60);
    // What was drawn stands in both.
    const auto& drawn = groupNamed(truth, "drawn");
    QVERIFY(drawn.channels.size() > 90);
    for (const auto& fact : drawn.channels)
        QVERIFY(std::abs(static_cast<double>(fact.values.at(0)) -
                         told["drawn"].toObject()[QString::fromStdString(fact.name)].toObject()["value"].toDouble()) <
                1e-5);
    for (const auto& figure : groupNamed(truth, "figures").channels)
        if (const QJsonValue value = told["truth"].toObject().value(QString::fromStdString(figure.name));
            !value.isUndefined())
            QVERIFY2(
                std::abs(static_cast<double>(figure.values.at(0)) - value.toDouble()) <
                    1e-5 * std::max(1.0, std::abs(value.toDouble())),
                qPrintable(QString("%1: %2, %3").arg(figure.name.c_str()).arg(figure.values[0]).arg(value.toDouble())));
    QCOMPARE(groupNamed(truth, "learned").channels.size(), size_t(6));
}

void BenchTest::theSameSeedDrivesTheSame() {
    const auto told = [&](const QString& seed) {
        auto out = ctl({"bench", "drive", "--out", at("s.mf4"), "--route", "hills", "--drawn", "--seed", seed,
                        "--force", "--json"})
                       .object();
        out.remove("seed");
        return out;
    };
    const auto one = told("3");
    QVERIFY(!one["truth"].toObject().isEmpty());
    QVERIFY(one == told("3") && one != told("4"));
}

void BenchTest::faultsComeAndGoOnTime() {
    const auto ran = ctl({"bench", "drive", "--out", at("f.mf4"), "--truth", at("ft.mf4"), "--model", "crane",
                          "--route", "idle", "--fault", "intake-leak=1@60-90", "--fault", "coolant:dead@95", "--json"});
    QVERIFY2(ran.code == 0, ran.err);
    const QJsonArray faults = ran.object()["faults"].toArray();
    QVERIFY(faults[0].toObject()["from_s"] == 60 && faults[0].toObject()["to_s"] == 90);
    QVERIFY(faults[1].toObject()["to_s"] == ran.object()["duration_s"]);
    QVERIFY(ran.object()["codes"].toArray().contains("P0118"));
    const auto truth = readBack(at("ft.mf4"));
    const auto value = [&](const char* name, double t) { return truth.valueAt(name, t); };
    QVERIFY(value("fault_intake_leak", 59.98) == 0 && value("true_intake_leak", 59.98) == 0);
    QVERIFY(value("fault_intake_leak", 60.02) == 1 && std::abs(value("true_intake_leak", 60.02) - 1) < 0.05);
    QVERIFY(value("fault_intake_leak", 89.98) == 1 && value("fault_intake_leak", 90.02) == 0);
    QVERIFY(value("fault_sensor_coolant", 94.98) == 0 && value("fault_sensor_coolant", 95.02) == 1);
    // A meter car is lean by it until the trims have it.
    const auto drive = readBack(at("f.mf4"));
    QVERIFY(drive.valueAt("short_trim", 75) + drive.valueAt("long_trim", 75) >
            drive.valueAt("short_trim", 55) + drive.valueAt("long_trim", 55) + 8);
}

void BenchTest::whatIsLeftOutIsLeftOut() {
    const auto drive = [&](QStringList more) {
        QStringList words = {"bench", "drive", "--out", at("l.mf4"), "--route", "idle", "--force", "--json"};
        const auto ran = ctl(words + more);
        if (ran.code != 0) qFatal("%s", ran.err.constData());
        return readBack(at("l.mf4"));
    };
    const auto usual = drive({"--channels", "usual"}), all = drive({"--channels", "all"}), roles = drive({});
    QVERIFY(usual.groups[0].channels.size() < roles.groups[0].channels.size());
    QVERIFY(roles.groups[0].channels.size() < all.groups[0].channels.size() &&
            all.find("tick_none").channel == nullptr);
    QVERIFY(all.find("substitutes") && !roles.find("substitutes"));
    const auto blind = drive({"--no-wideband"});
    QVERIFY(blind.groups.size() == 2 && !blind.findRole("lambda_measured"));
    QVERIFY(!drive({"--drop", "lambda_measured"}).findRole("lambda_measured"));
    const auto dropped = drive({"--drop", "short_trim", "--drop", "pedal"});
    QVERIFY(!dropped.findRole("short_trim") && !dropped.findRole("pedal") && dropped.findRole("long_trim"));
    const auto slow = drive({"--rate", "20"});
    QVERIFY(std::abs(slow.groups[0].time_s[5] - slow.groups[0].time_s[4] - 0.05) < 1e-9);
}

void BenchTest::itRunsTheBytesItIsGiven() {
    const QString car = at("factory.bin");
    QProcess print;
    print.setStandardOutputFile(car);
    print.start(kBin + "/brusk-benchcar", {"--print-calibration", "--car", "heron"});
    QVERIFY(print.waitForFinished(60000) && print.exitCode() == 0);
    const auto drive = [&](const QStringList& more) {
        return ctl(QStringList{"bench", "drive", "--out", at("b.mf4"), "--route", "idle", "--force", "--json"} + more);
    };
    const QString factory = drive({}).object()["image_sha256"].toString();
    const auto same = drive({"--image", car, "--base", "0x8C0000"});
    QVERIFY2(same.code == 0, same.err);
    QCOMPARE(same.object()["image_sha256"].toString(), factory);
    // A byte beside its checksum: the controller would not start.
    QFile file(car);
    QVERIFY(file.open(QIODevice::ReadWrite) && file.seek(0x4200) && file.write("\x01\x02\x03", 3) == 3);
    file.close();
    const auto broken = drive({"--image", car, "--base", "0x8C0000"});
    QVERIFY(broken.code == 1 && broken.err.contains("checksum"));
    const auto elsewhere = drive({"--image", car, "--base", "0x100000"});
    QVERIFY(elsewhere.code == 1 && elsewhere.err.contains("no flash"));
}

void BenchTest::aWrongPartIsToldAndFelt() {
    const auto off = [&](const QStringList& wrong) {
        const auto told =
            ctl(QStringList{"bench", "drive", "--out", at("w.mf4"), "--route", "pulls-3", "--force", "--json"} + wrong)
                .object();
        return std::tuple(told["truth"].toObject()["fuel_error_boost_pct"].toDouble(), told["image_sha256"].toString(),
                          told["wrong"].toArray());
    };
    const auto [right, sha, none] = off({});
    const auto [wrong, otherSha, told] = off({"--wrong", "air=8"});
    QVERIFY(right < 1.5 && wrong > 5 && wrong < 9 && sha != otherSha && none.isEmpty());
    QVERIFY(told[0].toObject()["part"] == "air" && told[0].toObject()["amount"] == 8);
    const auto [drawn, drawnSha, amount] = off({"--wrong", "air", "--seed", "2"});
    QVERIFY(std::abs(amount[0].toObject()["amount"].toDouble()) >= 4 && drawn > 2);
}

void BenchTest::aSheetFitsItsPartsAndRefusesOthers() {
    const auto drive = [&](const QString& sheet, const char* model = "heron") {
        return ctl({"bench", "drive", "--out", at("p.mf4"), "--route", "hills", "--parts", sheet, "--model", model,
                    "--force", "--json"});
    };
    const auto fitted = drive(BRUSK_DATA_DIR "/heron/build-sheet.json");
    QVERIFY2(fitted.code == 0, fitted.err);
    // The owner's parts on the factory's bytes: wrong everywhere.
    QVERIFY(fitted.object()["truth"].toObject()["fuel_error_rms_pct"].toDouble() > 5);
    QVERIFY(drive(BRUSK_DATA_DIR "/crane/build-sheet.json", "crane").code == 0);
    const auto sheet = [&](const char* text) {
        QFile file(at("sheet.json"));
        if (!file.open(QIODevice::WriteOnly) || file.write(text) < 0) qFatal("no sheet");
        return at("sheet.json");
    };
    for (const auto& [text, word] : {std::pair{R"({"fitted":{"rev_limit":7200}})", "rev_limit"},
                                     {R"({"fitted":{"vehicle_mass":5}})", "weighs"},
                                     {R"({"fitted":{"moon":1}})", "moon"},
                                     {R"({"gears":[1,2]})", "fall"},
                                     {R"({"regulator":"sideways"})", "regulator"},
                                     {"{", "read"}}) {
        const auto ran = drive(sheet(text));
        QVERIFY2(ran.code == 2 && ran.err.contains(word), ran.err);
    }
    QVERIFY(drive(at("nowhere.json")).code == 1);
    // The bench car as a process reads the same sheets.
    for (const auto& [text, word] :
         {std::pair{R"({"fitted":{"rev_limit":7200}})", "rev_limit"}, {"[]", "JSON"}, {"", "read"}}) {
        QProcess car;
        car.start(kBin + "/brusk-benchcar", {"--link", "unix:" + at("bus"), "--parts", sheet(text)});
        QVERIFY(car.waitForFinished(20000));
        const QByteArray says = car.readAllStandardError();
        QVERIFY2(car.exitCode() == 2 && says.contains(word), says);
    }
}

void BenchTest::theKeyOffLeavesAGapAndAFullTankIsTold() {
    const auto off = ctl({"bench", "drive", "--out", at("k.mf4"), "--route", "key-off-and-on", "--json"});
    QVERIFY2(off.code == 0, off.err);
    const auto gaps = recording::gapsOf(readBack(at("k.mf4")).groups[0]);
    QVERIFY(gaps.size() == 1 && std::abs(gaps[0].to_s - gaps[0].from_s - 4) < 0.1);
    QVERIFY(!off.object()["stalled"].toBool());
    const auto tank = ctl({"bench", "drive", "--out", at("t.mf4"), "--route", "refuelling", "--rate", "10", "--json"});
    const QJsonArray fills = tank.object()["refuelled"].toArray();
    QCOMPARE(fills.size(), 2);
    const double litres = fills[1].toObject()["litres"].toDouble();
    QVERIFY(litres > 0.5 && litres < 5 && std::abs(litres * 100 - std::round(litres * 100)) < 1e-6);
}

void BenchTest::wrongUseEndsWithTwoAndMakesNothing_data() {
    QTest::addColumn<QStringList>("words");
    QTest::addColumn<QString>("says");
    const auto row = [](const char* name, const QStringList& words, const char* says) {
        QTest::newRow(name) << words << QString(says);
    };
    row("route", {"--route", "moon"}, "moon");
    row("car", {"--model", "moon"}, "moon");
    row("fault", {"--fault", "moon@5"}, "moon");
    row("time", {"--fault", "intake-leak=1@90-60"}, "seconds");
    row("cell", {"--visit", "2600"}, "RPM:KPA");
    row("part", {"--wrong", "moon"}, "moon");
    row("amount", {"--wrong", "air=much"}, "number");
    row("role", {"--drop", "moon"}, "moon");
    row("rate", {"--rate", "30"}, "--rate");
    row("weather", {"--temperature", "90"}, "temperature");
}

void BenchTest::wrongUseEndsWithTwoAndMakesNothing() {
    QFETCH(QStringList, words);
    QFETCH(QString, says);
    const auto ran = ctl(QStringList{"bench", "drive", "--out", at("none.mf4"), "--json"} + words);
    QVERIFY2(ran.code == 2, ran.err);
    QVERIFY2(QString(ran.err).contains(says), ran.err);
    QVERIFY(!QFile::exists(at("none.mf4")));
}

void BenchTest::nothingIsOverwrittenUnasked() {
    QFile mine(at("mine.mf4"));
    QVERIFY(mine.open(QIODevice::WriteOnly) && mine.write("mine") == 4);
    mine.close();
    for (const QStringList& words :
         {QStringList{"--out", at("mine.mf4")}, {"--out", at("new.mf4"), "--truth", at("mine.mf4")}}) {
        const auto ran = ctl(QStringList{"bench", "drive", "--route", "idle"} + words);
        QVERIFY(ran.code == 1 && !ran.err.isEmpty());
        QVERIFY(!QFile::exists(at("new.mf4")));
    }
    QVERIFY(mine.open(QIODevice::ReadOnly) && mine.readAll() == "mine");
    const auto same = ctl({"bench", "drive", "--out", at("x.mf4"), "--truth", at("x.mf4")});
    QVERIFY(same.code == 2);
}

void BenchTest::everyIdIsToldOnceAndHasATitle() {
    const auto ran = ctl({"ids", "--json"});
    QVERIFY2(ran.code == 0, ran.err);
    const QJsonObject told = ran.object();
    for (const QString kind :
         {"roles", "kinds", "checks", "events", "figures", "facts", "faults", "routes", "wrong_parts"}) {
        QStringList ids;
        for (const auto& one : told[kind].toArray()) {
            ids << one.toObject()["id"].toString();
            QVERIFY2(!one.toObject()["title"].toString().isEmpty(), qPrintable(ids.last()));
        }
        QVERIFY2(!ids.isEmpty(), qPrintable(kind));
        QCOMPARE(ids.removeDuplicates(), 0);
    }
    // What a drive's truth tells is among the figures, and each of them has its unit.
    QStringList figures;
    for (const auto& one : told["figures"].toArray()) {
        figures << one.toObject()["id"].toString();
        QVERIFY2(!one.toObject()["unit"].toString().isEmpty(), qPrintable(figures.last()));
    }
    const auto drive = ctl({"bench", "drive", "--out", at("i.mf4"), "--route", "pulls-3", "--json"}).object();
    const QJsonObject truth = drive["truth"].toObject();
    QVERIFY(truth.size() > 8);
    for (auto figure = truth.begin(); figure != truth.end(); ++figure)
        QVERIFY2(figures.contains(figure.key()), qPrintable(figure.key()));
}

QTEST_GUILESS_MAIN(BenchTest)
#include "BenchTest.moc"
