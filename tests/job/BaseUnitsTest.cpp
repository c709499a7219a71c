// The same controller through definitions that tell its numbers in other units gets the same base; what measures
// another quantity is not computed with.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "BaseBench.h"

namespace {

using definition::Definition;

/// Tells the parameter of a name in another unit.
void tellIn(Definition& d, const char* name, const char* unit, double factor, double offset = 0) {
    for (auto& p : d.parameters)
        if (p.name == name) {
            p.conversion = retold(d, p.conversion, unit, factor, offset);
            p.unit.clear();
            for (double* limit : {&p.lower, &p.upper})
                *limit = *limit * factor + offset;
            return;
        }
    qFatal("no %s", name);
}

/// Tells an axis of its own in another unit.
void tellAxisIn(Definition& d, const char* name, size_t axis, const char* unit, double factor) {
    for (auto& p : d.parameters)
        if (p.name == name) {
            auto& a = p.axes[axis];
            a.conversion = retold(d, a.conversion, unit, factor);
            a.unit.clear();
            a.lower *= factor, a.upper *= factor;
            return;
        }
    qFatal("no %s", name);
}

calibration::Calibration heronTold(const std::function<void(Definition&)>& in) {
    Definition d = heron().definition();
    in(d);
    return {std::make_shared<const Definition>(std::move(d)), heron().image()};
}

constexpr double kLbPerHour_gmin = 453.59237 / 60;

/// As somebody on the other side of the ocean would tell it.
calibration::Calibration foreign() {
    return heronTold([](Definition& d) {
        tellIn(d, "injector_flow", "lb/hr", calibration::kPetrol_gcm3 / kLbPerHour_gmin);
        tellIn(d, "dead_time", "msec", 1e-3);
        tellIn(d, "map_sensor_slope", "bar/V", 0.01);
        tellIn(d, "map_sensor_offset", "psi", 1 / 6.894757293168361);
        tellIn(d, "displacement", "l", 1e-3);
        tellIn(d, "boost_target", "psi", 1 / 6.894757293168361);
        tellIn(d, "boost_cut", "bar", 0.01);
        tellIn(d, "lambda_map", "AFR", 14.7);
        tellIn(d, "axis_pressure", "hPa", 10);
        tellIn(d, "axis_load", "g/stk", 1e-3);
        tellIn(d, "torque_ceiling", "lb-ft", 1 / 1.3558179483314004);
        tellAxisIn(d, "wastegate", 1, "bar", 0.01);
        for (const char* fan : {"fan_on", "fan_off", "fan_high_on", "fan_high_off"})
            tellIn(d, fan, "deg F", 1.8, 32);
    });
}

}  // namespace

class BaseUnitsTest : public QObject {
    Q_OBJECT
  private slots:
    void otherUnitsGiveTheSameBase();
    void limitsOfStagesAndContradictionsSeeThroughUnits();
    void anotherQuantityIsNotComputedWith();
    void anUnknownUnitIsSaid();
};

void BaseUnitsTest::otherUnitsGiveTheSameBase() {
    auto sheet = demoSheet();
    sheet.of(Fact::BoostCeiling) = 125;  // axes move, too
    sheet.of(Fact::FanOn) = 92;
    sheet.of(Fact::Displacement) = 1720;
    const auto plain = planBase(heron(), sheet), told = planBase(foreign(), sheet);
    EXPECT_OK(plain);
    EXPECT_OK(told);
    for (const auto& p : plain->proposals)
        QVERIFY2(told->find(p.id), p.id.c_str());
    QCOMPARE(told->waiting.size(), plain->waiting.size());
    QCOMPARE(told->proposals.size(), plain->proposals.size());
    for (size_t i = 0; i < plain->proposals.size(); ++i) {
        const auto &a = plain->proposals[i], &b = told->proposals[i];
        QCOMPARE(b.id, a.id);
        QCOMPARE(qs(b.formula), qs(a.formula));  // formulas are in the units of the trade
        QCOMPARE(qs(b.reason), qs(a.reason));
        QCOMPARE(b.changes.size(), a.changes.size());
        for (size_t c = 0; c < a.changes.size(); ++c) {
            if (a.id == "injector_flow") continue;  // told by mass, below
            const auto &is = b.changes[c].after, &wanted = a.changes[c].after;
            for (size_t n = 0; n < wanted.raw.size(); ++n)
                QVERIFY2(std::abs(is.raw[n] - wanted.raw[n]) <= 1, (a.id + " " + wanted.parameter->name).c_str());
        }
    }
    // 620 cm3/min at 350 instead of 300 kPa, of a blend of 0.7494 g/cm3: 669.7 x 0.7494 = 501.9 g/min = 66.4 lb/h.
    QVERIFY(near(after(*told, "injector_flow").values[0], 669.68 * 0.7494 / kLbPerHour_gmin, 0.02));
    QCOMPARE(qs(after(*told, "injector_flow").unit), QString("lb/hr"));
    QVERIFY(near(after(*told, "pressure_sensor", 0).values[0], 0.7765, 0.0001));
    QVERIFY(near(changeOf(*told, "fans", "fan_on").after.values[0], 92 * 1.8 + 32, 0.91));
}

void BaseUnitsTest::limitsOfStagesAndContradictionsSeeThroughUnits() {
    const auto sheet = demoSheet();
    const auto plain = firstStartPlan(heron(), sheet), told = firstStartPlan(foreign(), sheet);
    for (size_t i = 0; i < plain.size(); ++i)
        QCOMPARE(qs(told[i].limits()), qs(plain[i].limits()));
    const auto gentle = planBase(foreign(), sheet, {}, Stage::Gentle);
    EXPECT_OK(gentle);
    QVERIFY(near(greatest(*gentle->result.read("boost_target")), 101.3 / 6.894757, 0.01));
    // Loosened again, it is what the base computed.
    const auto loose = planBase(foreign(), sheet);
    const auto next = planStage(gentle->result, loose->result, sheet, {}, Stage::FullLoad);
    EXPECT_OK(next);
    QVERIFY(next->result.image() == loose->result.image());
    QVERIFY(contradictions(foreign(), {}).empty());
    const auto springs = sheetOf({{Fact::TurboSpring, 45, 140}});
    QCOMPARE(contradictions(foreign(), springs).size(), contradictions(heron(), springs).size());
    // A sensor beyond what the axis can become is refused in the unit of the field.
    auto nine = sheet;
    nine.of(Fact::SensorHighPressure) = 900;
    const auto calibration = foreign();
    QVERIFY(refusals(nine, &calibration)[0].why.find("ends at 205 kPa and can be stretched to 400 kPa") !=
            std::string::npos);
    // So are a donor's numbers.
    QVERIFY(near(*partReadFrom(foreign(), Fact::InjectorFlow, heron(), sheet), 380, 0.2));
    QVERIFY(near(*partReadFrom(foreign(), Fact::BoostCeiling, heron(), sheet), 56.7, 0.1));
}

void BaseUnitsTest::anotherQuantityIsNotComputedWith() {
    // A duty map over load instead of over boost, and boost told in degrees.
    const auto strange = heronTold([](Definition& d) {
        tellAxisIn(d, "wastegate", 1, "mg", 4);
        tellIn(d, "idle_speed", "V", 1);
    });
    const auto plan = planBase(strange, demoSheet());
    EXPECT_OK(plan);
    for (const auto& [id, why] : {std::pair{"wastegate_duty", "is told in mg, and that is no pressure."},
                                  {"idle_speed", "is told in V, and that is no engine speed."}}) {
        const Waiting* w = waits(*plan, id);
        QVERIFY2(w, id);
        QVERIFY2(w->sentence().find(why) != std::string::npos, w->sentence().c_str());
    }
    QVERIFY(plan->find("boost_target") && plan->find("injector_flow"));
    QCOMPARE(plan->result.read("wastegate")->raw, heron().read("wastegate")->raw);
}

void BaseUnitsTest::anUnknownUnitIsSaid() {
    const auto odd = heronTold([](Definition& d) { tellIn(d, "boost_cut", "furlong", 1); });
    const auto plan = planBase(odd, demoSheet());
    EXPECT_OK(plan);
    QVERIFY2(
        plan->find("boost_cut")->reason.find("is told in \"furlong\", which is taken for kPa.") != std::string::npos,
        plan->find("boost_cut")->reason.c_str());
    // Where nothing is told there is nothing to doubt.
    const auto silent = heronTold([](Definition& d) { tellIn(d, "boost_cut", "", 1); });
    QCOMPARE(qs(planBase(silent, demoSheet())->find("boost_cut")->reason),
             qs(planBase(heron(), demoSheet())->find("boost_cut")->reason));
}

QTEST_APPLESS_MAIN(BaseUnitsTest)
#include "BaseUnitsTest.moc"
