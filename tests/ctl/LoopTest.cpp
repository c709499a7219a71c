// bruskctl loop: what a base and its corrections come to on the bench car, with and without each proposal.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "ctl/Ctl.h"

using namespace brusk;

class LoopTest : public QObject {
    Q_OBJECT
  private slots:
    void leavingAnyProposalOutShows_data();
    void leavingAnyProposalOutShows();
    void theBaseWithADonorDrivesToo();
    void theLoopConverges_data();
    void theLoopConverges();
};

void LoopTest::leavingAnyProposalOutShows_data() {
    QTest::addColumn<QStringList>("figures");  // proposal: figure that must show it
    QTest::newRow("heron") << QStringList{"injector_dead_time: fuel_gentle", "tyres: speed_off",
                                          "meter_housing: meter_off", "spark_boost: spark"};
    QTest::newRow("crane") << QStringList{"injector_dead_time: fuel_gentle", "throttle_bore: start_s"};
}

void LoopTest::leavingAnyProposalOutShows() {
    QFETCH(QStringList, figures);
    const auto told = ctl({"loop", "--leave-one-out", "--car", QTest::currentDataTag(), "--json"}).object();
    QMap<QString, QJsonArray> worse;
    for (const auto& one : told["left_out"].toArray())
        worse[one.toObject()["id"].toString()] = one.toObject()["worse"].toArray();
    QVERIFY(worse.size() >= 7);
    for (auto one = worse.begin(); one != worse.end(); ++one)
        QVERIFY2(!one->isEmpty(), qPrintable("nothing is worse without " + one.key()));
    for (const QString& pair : figures)
        QVERIFY2(worse[pair.section(": ", 0, 0)].contains(pair.section(": ", 1)), qPrintable(pair));
    // Alone, by its name.
    const auto tyres =
        ctl({"loop", "--leave-one-out", "--car", QTest::currentDataTag(), "--only", "tyres", "--json"}).object();
    QCOMPARE(tyres["left_out"].toArray().size(), 1);
    const double with = tyres["base"].toObject()["speed_off"].toDouble();
    QVERIFY(tyres["left_out"].toArray()[0].toObject()["figures"].toObject()["speed_off"].toDouble() > with + 0.5);
}

void LoopTest::theBaseWithADonorDrivesToo() {
    const auto told = ctl({"loop", "--donor", "--rounds", "1", "--json"}).object();
    QVERIFY(told["taken"].toArray().contains("donor_boost"));
    const auto gentle = told["rounds"].toArray().last().toObject()["gentle"].toObject();
    QVERIFY(gentle["start_s"].toDouble() < 2 && std::abs(gentle["idle_off_rpm"].toDouble()) < 50);
    QVERIFY(gentle["fuel_error_rms_pct"].toDouble() < 8 && gentle["knock_retard_deg"].toDouble() <= 2);
    QVERIFY(!gentle["limp_mode"].toBool());
}

void LoopTest::theLoopConverges_data() {
    QTest::addColumn<int>("seed");
    for (int seed = 1; seed <= 2; ++seed)
        QTest::addRow("seed %d", seed) << seed;
}

void LoopTest::theLoopConverges() {
    QFETCH(int, seed);
    const Ran ran = ctl({"loop", "--rounds", "3", "--seed", QString::number(seed), "--json"});
    QVERIFY2(ran.code == 0, ran.err.constData());
    const auto rounds = ran.object()["rounds"].toArray();
    QCOMPARE(rounds.size(), 4);
    QVector<double> errors;
    for (const auto& round : rounds)
        errors << round.toObject()["fuel_error_rms_pct"].toDouble();
    qInfo("seed %d: %.2f, %.2f, %.2f, %.2f %%", seed, errors[0], errors[1], errors[2], errors[3]);
    QVERIFY(errors[0] > 18);  // stock calibration, fitted parts
    QVERIFY(errors[1] < 10);  // base
    QVERIFY(errors[3] < 2);   // two corrections
    for (const auto& round : rounds)
        QVERIFY(round.toObject()["visited_cells"].toInt() > 60);
    // The plant says so too, by what truly burns, transients and the loop's own swing included.
    const auto byPlant = [&](int round, const char* figure) {
        return rounds[round].toObject()["plant"].toObject()[figure].toDouble();
    };
    qInfo("by the plant: %.2f, %.2f, %.2f %%", byPlant(0, "fuel_error_rms_pct"), byPlant(1, "fuel_error_rms_pct"),
          byPlant(3, "fuel_error_rms_pct"));
    QVERIFY(byPlant(0, "fuel_error_rms_pct") > 4 && byPlant(1, "fuel_error_rms_pct") < 2);
    QVERIFY(byPlant(3, "fuel_error_rms_pct") < 1);
    QVERIFY(byPlant(3, "fuel_error_boost_pct") < 0.5 * byPlant(1, "fuel_error_boost_pct"));
    // The base starts, idles and drives gently without a word; the stock calibration does not.
    const auto gentle = [&](int round) { return rounds[round].toObject()["gentle"].toObject(); };
    const auto strays = [](const QJsonObject& g) {
        return std::hypot(g["idle_off_rpm"].toDouble(), g["idle_spread_rpm"].toDouble());
    };
    const auto base = gentle(1), stock = gentle(0);
    const QByteArray told = QJsonDocument(base).toJson();
    QVERIFY2(base["start_s"].toDouble() < 2 && strays(base) < 50 && !base["limp_mode"].toBool(), told);
    QVERIFY2(base["fuel_error_rms_pct"].toDouble() < 8 && base["visited_cells"].toInt() > 15, told);
    QVERIFY2(base["knock_retard_deg"].toDouble() < 2 && base["trouble_codes"].toInt() == 0, told);
    QVERIFY(stock["start_s"].toDouble() > 2 && strays(stock) > 50 && stock["fuel_error_rms_pct"].toDouble() > 8);
    QVERIFY(stock["trouble_codes"].toInt() > 0);
    // Knock, boost and idle of every round: rough and knocking on the stock calibration, sound at the end.
    const auto first = rounds[0].toObject(), last = rounds[3].toObject();
    for (const char* name : {"knock_moments", "boost_error_kpa", "idle_spread_rpm"})
        qInfo("%s: %.1f, then %.1f", name, first[name].toDouble(), last[name].toDouble());
    QVERIFY(first["knock_moments"].toInt() > 0);
    QVERIFY(last["knock_moments"].toInt() < first["knock_moments"].toInt());
    QVERIFY(first["idle_spread_rpm"].toDouble() > 1.5 * last["idle_spread_rpm"].toDouble());
    QVERIFY(last["idle_spread_rpm"].toDouble() < 30 && last["boost_error_kpa"].isDouble());
    const auto needed = ran.object()["rounds_to_2_pct"].toObject();
    QVERIFY(needed["cell_fit"].toInt() < needed["nearest_cell_half_strength"].toInt());
}

QTEST_GUILESS_MAIN(LoopTest)
#include "LoopTest.moc"
