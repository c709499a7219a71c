// Contradictions within a calibration: each is found where it is made, and none in what left the factory.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "BaseBench.h"

class ConsistencyTest : public QObject {
    Q_OBJECT
  private slots:
    void contradictionsAreFoundAndNamed();
};

void ConsistencyTest::contradictionsAreFoundAndNamed() {
    const auto clean = heron();
    QVERIFY(contradictions(clean, {}).empty());
    struct Case {
        const char* id;
        const char* parameter;
        size_t cell;
        double value;
    };
    const Case cases[] = {{"fan_hysteresis", "fan_off", 0, 98},
                          {"boost_cut", "boost_cut", 0, 150},
                          {"rev_limit", "rev_limit", 0, 7400},
                          {"enrichment", "full_load_pedal", 0, 100},
                          {"enrichment", "full_load_pressure", 0, 300},
                          {"torque_ceiling", "torque_ceiling", 5, 120},
                          {"sensor_curve", "maf_curve", 10, 10},
                          {"dead_time", "dead_time", 3, 4000},
                          {"dead_time_zero", "dead_time", 7, 0},
                          {"inverse_pair", "torque_for_air", 30, 20},
                          {"fan_hysteresis", "fan_high_off", 0, 110},
                          {"fan_stages", "fan_high_on", 0, 95},
                          {"sensor_range", "map_sensor_slope", 0, 30},
                          {"rev_limit_cold", "rev_cold", 3, 6000},
                          {"injectors_small", "injector_flow", 0, 200},
                          {"load_limit", "load_limit", 0, 500},
                          {"enrichment_flutters", "full_load_return", 0, 80},
                          {"sensor_curve", "coolant_sensor", 7, 120},
                          {"sensor_curve", "intake_sensor", 3, -20}};
    for (const Case& c : cases) {
        auto broken = clean;
        EXPECT_OK(broken.apply(*broken.prepare(*broken.definition().parameter(c.parameter), {{c.cell, c.value}},
                                               calibration::AtLimit::Clamp, "")));
        const auto found = contradictions(broken, {});
        const auto at = std::find_if(found.begin(), found.end(), [&](const auto& one) { return one.id == c.id; });
        QVERIFY2(at != found.end(), c.id);
        QVERIFY(!at->title.empty() && !at->why.empty());
        QVERIFY2(clean.definition().parameter(at->parameter), at->parameter.c_str());
    }
    // What depends on the air model is said only where it counts.
    const auto with = [&](std::initializer_list<std::pair<const char*, double>> values) {
        auto changed = clean;
        for (const auto& [name, value] : values)
            if (!changed.apply(*changed.prepare(*changed.definition().parameter(name), {{0, value}},
                                                calibration::AtLimit::Clamp, "")))
                qFatal("%s", name);
        std::set<std::string> ids;
        for (const auto& one : contradictions(changed, {}))
            ids.insert(one.id);
        return ids;
    };
    QVERIFY(!with({{"changeover_off", 3300}}).contains("changeover"));
    QVERIFY(with({{"changeover_off", 3300}, {"air_model", 2}}).contains("changeover"));
    auto narrow = clean;
    std::vector<calibration::CellValue> cells;
    for (size_t i = 0; i < 24; ++i)
        cells.push_back({i, 5.0 * static_cast<double>(i)});
    EXPECT_OK(narrow.apply(
        *narrow.prepare(*narrow.definition().parameter("maf_curve"), cells, calibration::AtLimit::Clamp, "")));
    QVERIFY(contradictions(narrow, {}).empty());
    EXPECT_OK(narrow.apply(
        *narrow.prepare(*narrow.definition().parameter("air_model"), {{0, 1}}, calibration::AtLimit::Clamp, "")));
    QCOMPARE(contradictions(narrow, {}).size(), size_t{1});
    QCOMPARE(contradictions(narrow, {})[0].id, std::string("meter_range"));
    QVERIFY(contradictions(crane(), {}).empty());
    // What only the sheet knows: a spring beyond the axis and the cut.
    const auto springs = contradictions(clean, sheetOf({{Fact::TurboSpring, 45, 140}}));
    QVERIFY(springs.size() >= 3);
}

QTEST_APPLESS_MAIN(ConsistencyTest)
#include "ConsistencyTest.moc"
