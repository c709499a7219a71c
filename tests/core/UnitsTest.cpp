// Units of the trade: exact factors, preferences, the converter.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "Expect.h"
#include "core/units/Units.h"

using namespace brusk;
using namespace brusk::units;

class UnitsTest : public QObject {
    Q_OBJECT
  private slots:
    void knownConversionsAgreeWithTheirDefinitions();
    void everyUnitGoesToEveryOtherOfItsQuantityAndBack();
    void unitsOfDifferentQuantitiesDoNotMix();
    void ratesGoByTheirParts();
    void unitsAreKnownHoweverTheyAreSpelled();
    void aPreferenceShowsNumbersInItsUnit();
    void anAirFuelRatioFollowsTheFuel();
    void decimalsFollowTheUnit();
    void preferencesAreKeptAsText();
    void theConverterUnderstandsWhatPeopleType();
};

void UnitsTest::knownConversionsAgreeWithTheirDefinitions() {
    const auto near = [](std::optional<double> a, double b) {
        return a && std::abs(*a - b) < 1e-6 * std::abs(b) + 1e-9;
    };
    QVERIFY(near(convert(14.695948775513, "psi", "kPa"), 101.325));
    QVERIFY(near(convert(29.921260, "inHg", "kPa"), 101.325));
    QVERIFY(near(convert(-40, "\u00b0C", "\u00b0F"), -40));
    QVERIFY(near(convert(100, "\u00b0C", "K"), 373.15));
    QVERIFY(near(convert(1, "lb/min", "g/s"), 7.5598728));
    QVERIFY(near(convert(100, "mph", "km/h"), 160.9344));
    QVERIFY(near(convert(1, "hp", "kW"), 0.7456999));
    QVERIFY(near(convert(100, "lbf ft", "Nm"), 135.58179));
    QVERIFY(near(convert(550, "cc/min", "l/h"), 33));
    QVERIFY(near(convert(1, "lambda", "AFR"), 14.7));
}

void UnitsTest::everyUnitGoesToEveryOtherOfItsQuantityAndBack() {
    int pairs = 0;
    for (const Quantity quantity : kQuantities) {
        QVERIFY(!quantityName(quantity).empty());
        for (const auto from : unitsOf(quantity))
            for (const auto to : unitsOf(quantity)) {
                const auto there = convert(12.5, from, to);
                QVERIFY(there);
                QVERIFY(std::abs(*convert(*there, to, from) - 12.5) < 1e-9);
                ++pairs;
            }
    }
    QVERIFY(pairs > 150);
}

void UnitsTest::unitsOfDifferentQuantitiesDoNotMix() {
    QVERIFY(!convert(1, "kPa", "rpm"));
    QVERIFY(!convert(1, "furlong", "mm"));
}

void UnitsTest::ratesGoByTheirParts() {
    const auto by = [](const char* from, const char* to) { return conversion(from, to).value_or(Shown{"", 0, 0}); };
    QVERIFY(std::abs(by("mbar/V", "kPa/V").scale - 0.1) < 1e-12);
    QVERIFY(std::abs(by("kPa/mV", "bar/V").scale - 10) < 1e-12);
    QVERIFY(std::abs(by("%/(bar/s)", "%/(kPa/s)").scale - 0.01) < 1e-12);
    QVERIFY(std::abs(by("rpm/mph", "rpm/(km/h)").scale - 1 / 1.609344) < 1e-12);
    // A rate of temperatures has no offset.
    QCOMPARE(by("\u00b0F/s", "\u00b0C/s").offset, 0.0);
    QVERIFY(std::abs(by("\u00b0F", "\u00b0C")(212) - 100) < 1e-9);
    QVERIFY(!conversion("kPa/V", "rpm/V") && !conversion("kPa", "kPa/V") && !conversion("kPa/turn", "kPa/V"));
    QVERIFY(conversion("turns/mile", "turns/mile")->same());
    QVERIFY(std::abs(conversion("AFR", "lambda", 14.1)->scale - 1 / 14.1) < 1e-12);
}

void UnitsTest::unitsAreKnownHoweverTheyAreSpelled() {
    for (const auto& [spelled, meant] : {std::pair{"cm\u00b3/min", "cm3/min"},
                                         {"ml/min", "cm3/min"},
                                         {"\u00b5s", "us"},
                                         {"Deg C", "\u00b0C"},
                                         {"mg/stk", "mg"},
                                         {"U/min", "rpm"},
                                         {"\u00b0KW", "\u00b0"},
                                         {"lb-ft", "lbf ft"},
                                         {"KPA", "kPa"},
                                         {" bar ", "bar"}})
        QVERIFY2(findUnit(spelled) && findUnit(spelled)->symbol == meant, spelled);
    // Other spellings are understood and not offered.
    for (const auto symbol : unitsOf(Quantity::VolumeFlow))
        QVERIFY(symbol != "ml/min");
}

void UnitsTest::aPreferenceShowsNumbersInItsUnit() {
    Preferences p;
    p.wanted[Quantity::Pressure] = "psi";
    p.wanted[Quantity::Temperature] = "\u00b0F";
    const Shown psi = p.shown("kPa");
    QCOMPARE(psi.unit, std::string("psi"));
    QVERIFY(std::abs(psi(101.325) - 14.6959) < 1e-3);
    QVERIFY(std::abs(psi.back(psi(101.325)) - 101.325) < 1e-9);
    const Shown warm = p.shown("\u00b0C");
    QCOMPARE(warm(100), 212.0);
    QVERIFY(std::abs(warm.change(10) - 18) < 1e-9);
    QVERIFY(p.shown("rpm").same());
    QCOMPARE(p.shown("steps").unit, std::string("steps"));
}

void UnitsTest::anAirFuelRatioFollowsTheFuel() {
    Preferences p;
    p.wanted[Quantity::Lambda] = "AFR";
    QVERIFY(std::abs(p.shown("lambda")(0.85) - 12.495) < 1e-9);
    p.stoichiometric = stoichiometricRatio(0.85);
    QVERIFY(std::abs(p.shown("lambda")(1) - 9.8) < 0.1);
}

void UnitsTest::decimalsFollowTheUnit() {
    Preferences p;
    p.wanted[Quantity::Pressure] = "bar";
    QCOMPARE(p.shown("kPa").decimals(1), 3);
    p.wanted[Quantity::Pressure] = "Pa";
    QCOMPARE(p.shown("kPa").decimals(1), 0);
    QCOMPARE(p.shown("rpm").decimals(0), 0);
}

void UnitsTest::preferencesAreKeptAsText() {
    Preferences p;
    p.wanted[Quantity::Pressure] = "psi";
    p.wanted[Quantity::Lambda] = "AFR";
    p.stoichiometric = 9.83;
    QVERIFY(Preferences::fromText(p.text()) == p);
    const Preferences odd = Preferences::fromText("pressure=rpm;speed=mph;what;stoichiometric=-3;=;");
    QCOMPARE(odd.wanted.size(), size_t{1});
    QCOMPARE(odd.stoichiometric, 14.7);
}

void UnitsTest::theConverterUnderstandsWhatPeopleType() {
    for (const char* text : {"14.2 psi", "14,2psi", " 14.2  PSI "}) {
        bool found = false;
        for (const Converted& c : convertAll(text, 14.7))
            found |= c.unit == "kPa" && std::abs(c.value - 97.9056) < 1e-3;
        QVERIFY2(found, text);
    }
    for (const Converted& c : convertAll("12.5 AFR", 14.7)) {
        QCOMPARE(c.unit, std::string("lambda"));
        QVERIFY(std::abs(c.value - 12.5 / 14.7) < 1e-9);
    }
    for (const char* text : {"psi", "14.2", "ve map", "", "1 furlong", "1.2.3 psi"})
        QVERIFY2(convertAll(text, 14.7).empty(), text);
}

QTEST_APPLESS_MAIN(UnitsTest)
#include "UnitsTest.moc"
