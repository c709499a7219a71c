// The joint fit on cells that were made up: what is broken is named, what can't be told apart is said, facts tell.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>
#include <cmath>

#include "core/evidence/Suspects.h"

using namespace brusk::evidence;
using Id = Suspect::Id;

namespace {

/// A grid of settled running from idle to boost; each error is computed here from what it does to the engine, in ln of
/// the fuel asked for by speed-density and by the meter.
struct Errors {
    double both = 0, exhaust_kgh = 0, pastMeter_kgh = 0, pressure_share = 0, offset_kPa = 0, meterReads = 0;
    bool weatherRail = false;
};

std::vector<MixtureCell> driven(const Errors& wrong, bool hasMeter = true) {
    std::vector<MixtureCell> out;
    for (const double pressure : {28.0, 40.0, 55.0, 70.0, 85.0, 100.0, 140.0})
        for (const double speed : {900.0, 1600.0, 2400.0, 3400.0}) {
            if (pressure > 60 && speed < 1200) continue;
            MixtureCell cell;
            cell.pressure_kPa = pressure, cell.speed_rpm = speed;
            cell.flow_kgh = pressure * speed / 3000;
            cell.open_ms = 0.4 + pressure / 18, cell.warmer_K = 70;
            cell.rows = 5, cell.doubt = 0.012, cell.byWideband = pressure > 100 ? 1 : 0;
            const double besides = wrong.exhaust_kgh / cell.flow_kgh;
            const double rail = wrong.weatherRail ? -0.5 * std::log((300 + 100 - pressure) / 300) : 0;
            // What is left of a table's steps: some thousandths, and no pattern.
            const double left = 0.003 * std::sin(17.0 * static_cast<double>(out.size()));
            cell.density = wrong.both + besides + rail + left - std::log(1 + wrong.pressure_share) -
                           std::log(1 + wrong.offset_kPa / pressure);
            // Choked up to half of the weather's pressure, as good as nothing beyond it.
            const double draws = pressure < 53    ? 1
                                 : pressure < 100 ? 2 * std::sqrt(pressure / 100 * (1 - pressure / 100))
                                                  : 0;
            cell.meter = hasMeter ? wrong.both + besides + rail - left - std::log(1 + wrong.meterReads) +
                                        std::log(1 + wrong.pastMeter_kgh * draws / cell.flow_kgh)
                                  : std::nan("");
            out.push_back(cell);
        }
    return out;
}

Id likeliest(const MixtureBlame& blame) {
    return std::max_element(blame.parts.begin(), blame.parts.end(),
                            [](const auto& a, const auto& b) { return a.chance < b.chance; })
        ->suspect->id;
}

}  // namespace

class SuspectsTest : public QObject {
    Q_OBJECT
  private slots:
    void whatIsBrokenAloneIsNamedAndMeasured();
    void aSoundCarIsBlamedForNothing();
    void whatNoSuspectDoesIsBlamedOnNone();
    void chancesAddUpToOne();
    void withoutAMeterFlowAndFillingCantBeToldApartUntilSomebodyPours();
    void aFactMovesTheAnswerWhereItBelongs();
    void whatIsComputedAndNotYetCorrectedIsNoBrokenSensor();
    void tooLittleTellsNothing();
    void cellsThatSayNothingAreLeftOut();
    void everySuspectSaysWhatWouldTell();
};

void SuspectsTest::whatIsBrokenAloneIsNamedAndMeasured() {
    struct Case {
        Errors wrong;
        Id is;
        double off, within;
    };
    const Case cases[] = {{{.exhaust_kgh = 1.5}, Id::ExhaustAir, 1.5, 0.3},
                          {{.pastMeter_kgh = 4}, Id::IntakeLeak, 4, 0.6},
                          {{.offset_kPa = 6}, Id::PressureOffset, 6, 1.5},
                          {{.meterReads = 0.12}, Id::Meter, 0.113, 0.02},
                          {{.weatherRail = true}, Id::Rail, 1, 0.15}};
    for (const Case& one : cases) {
        const auto blame = whoIsToBlame(driven(one.wrong));
        QCOMPARE(static_cast<int>(likeliest(blame)), static_cast<int>(one.is));
        QVERIFY2(blame.of(one.is).chance > 0.8, qPrintable(QString::number(blame.of(one.is).chance)));
        QVERIFY2(std::abs(blame.of(one.is).alone - one.off) < one.within,
                 qPrintable(QString::number(blame.of(one.is).alone)));
        QVERIFY(blame.unexplained < 0.012);
    }
}

void SuspectsTest::aSoundCarIsBlamedForNothing() {
    const auto blame = whoIsToBlame(driven({}));
    for (const auto& part : blame.parts)
        QVERIFY2(part.chance < 0.5 && part.chance < blame.chanceOfNothing, part.suspect->title.data());
    QVERIFY(blame.misfit < 12);
}

void SuspectsTest::whatNoSuspectDoesIsBlamedOnNone() {
    auto cells = driven({});
    for (size_t i = 0; i < cells.size(); ++i)
        cells[i].density += i % 2 == 0 ? 0.1 : -0.1, cells[i].meter += i % 3 == 0 ? 0.1 : -0.05;
    const auto blame = whoIsToBlame(cells);
    for (const auto& part : blame.parts)
        QVERIFY2(part.chance < 0.5, part.suspect->title.data());
}

void SuspectsTest::chancesAddUpToOne() {
    const auto blame = whoIsToBlame(driven({.exhaust_kgh = 0.4}));
    double sum = blame.chanceOfNothing;
    for (const auto& part : blame.parts)
        sum += part.chance;
    QVERIFY(sum > 0.5 && sum < 1 + 1e-9);  // what is left to one is something else
    QCOMPARE(blame.chanceOf({Id::Flow, Id::Rail}), blame.of(Id::Flow).chance + blame.of(Id::Rail).chance);
}

void SuspectsTest::withoutAMeterFlowAndFillingCantBeToldApartUntilSomebodyPours() {
    const auto cells = driven({.both = 0.1}, false);
    const auto apart = [](const MixtureBlame& blame) {
        return std::none_of(blame.notApart.begin(), blame.notApart.end(), [](const MixtureBlame::Pair& pair) {
            return pair.one->id == Id::Flow && pair.other->id == Id::Filling;
        });
    };
    const auto blind = whoIsToBlame(cells);
    QVERIFY(!apart(blind));
    const auto sentences = blind.notApartFrom({Id::Flow});
    QVERIFY(!sentences.empty() && sentences.size() <= 2);
    QVERIFY2(sentences[0].find("can't be told apart (0.") != std::string::npos, sentences[0].c_str());
    QVERIFY(sentences[0].find("litres") != std::string::npos);
    QVERIFY(std::isupper(static_cast<unsigned char>(sentences[0][0])));
    // The pump's litres say that the injectors gave a tenth less than was reckoned.
    const auto poured = whoIsToBlame(cells, {.poured = std::exp(-0.1)});
    QVERIFY(apart(poured));
    QVERIFY(std::abs(poured.of(Id::Flow).off - 0.1) < 0.02);
    QVERIFY(std::abs(poured.of(Id::Filling).off) < 0.03);
    // Or that they gave what was reckoned: then it is the filling.
    const auto right = whoIsToBlame(cells, {.poured = 1.0, .fuelTold = true, .widebandCalibrated = true});
    QVERIFY(std::abs(right.of(Id::Flow).off) < 0.02);
    QVERIFY2(right.of(Id::Filling).off > 0.06, qPrintable(QString::number(right.of(Id::Filling).off)));
}

void SuspectsTest::aFactMovesTheAnswerWhereItBelongs() {
    const auto cells = driven({.exhaust_kgh = 1});
    const auto before = whoIsToBlame(cells), after = whoIsToBlame(cells, {.deadTime_ms = 0.0, .railFollows = true});
    QVERIFY(after.of(Id::DeadTime).doubt < 0.5 * before.of(Id::DeadTime).doubt);
    QVERIFY(after.of(Id::Rail).doubt < 0.5 * before.of(Id::Rail).doubt);
    QVERIFY(after.of(Id::ExhaustAir).doubt < before.of(Id::ExhaustAir).doubt);
}

void SuspectsTest::whatIsComputedAndNotYetCorrectedIsNoBrokenSensor() {
    const auto cells = driven({.pressure_share = -0.08});
    QVERIFY(whoIsToBlame(cells).chanceOf({Id::Filling, Id::PressureOffset}) > 0.8);
    QVERIFY(whoIsToBlame(cells, {.untuned = true}).chanceOf({Id::Filling, Id::PressureOffset}) < 0.5);
}

void SuspectsTest::tooLittleTellsNothing() {
    auto cells = driven({.exhaust_kgh = 1});
    cells.resize(3);
    const auto blame = whoIsToBlame(cells);
    QVERIFY(blame.parts.empty() && blame.notApart.empty());
    QCOMPARE(blame.chanceOfNothing, 1.0);
    QCOMPARE(blame.chanceOf({Id::ExhaustAir}), 0.0);
    QVERIFY(whoIsToBlame(std::vector<MixtureCell>()).parts.empty());
}

void SuspectsTest::cellsThatSayNothingAreLeftOut() {
    auto cells = driven({.exhaust_kgh = 1.5});
    auto blank = cells[0];
    blank.density = blank.meter = blank.open_ms = blank.warmer_K = std::nan("");
    cells.insert(cells.begin(), 5, blank);
    const auto blame = whoIsToBlame(cells);
    QCOMPARE(static_cast<int>(likeliest(blame)), static_cast<int>(Id::ExhaustAir));
    for (const auto& part : blame.parts)
        QVERIFY(std::isfinite(part.off) && std::isfinite(part.doubt) && std::isfinite(part.chance));
    std::vector<MixtureCell> blanks(9, blank);
    QVERIFY(whoIsToBlame(blanks).parts.empty());
}

void SuspectsTest::everySuspectSaysWhatWouldTell() {
    for (const Suspect& one : suspects()) {
        QVERIFY(!one.title.empty() && !one.tells.empty() && !one.unit.empty());
        QVERIFY(one.usual > 0 && one.computed >= one.usual && one.broken > one.usual);
        QCOMPARE(&suspect(one.id), &one);
    }
}

QTEST_GUILESS_MAIN(SuspectsTest)
#include "SuspectsTest.moc"
