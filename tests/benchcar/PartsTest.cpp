// A build sheet's parts on the bench car: what each changes in the plant, and what is refused by its name.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Bench.h"
#include "benchcar/cars/FromSheet.h"

using namespace brusk;
using namespace brusk::benchcar;
using namespace brusk::benchcar::bench;

namespace {

Build with(const char* json, const Build& stock = kHeronStock) {
    const auto numbers = sheetNumbers(json);
    if (!numbers) qFatal("%s", numbers.error().text().c_str());
    const auto build = fromSheet(stock, *numbers);
    if (!build) qFatal("%s", build.error().text().c_str());
    return *build;
}

std::string refused(const char* json, const Build& stock = kHeronStock) {
    const auto numbers = sheetNumbers(json);
    if (!numbers) return numbers.error().text();
    const auto build = fromSheet(stock, *numbers);
    return build ? "" : build.error().text();
}

bool near(double a, double b, double share = 1e-3) {
    return std::abs(a - b) <= share * std::abs(b);
}

/// Lambda over asked while cruising, loop open.
double leanness(const Build& build) {
    BenchCar car(build, 1);
    set(car, "loop_on", 0);
    car.startRoute(holding(45, 3, 0.03));
    run(car, 60);
    return meanLambda(car, 10) / seen(car, "lambda_asked");
}

}  // namespace

class PartsTest : public QObject {
    Q_OBJECT
  private slots:
    void anEmptySheetIsTheStockCar();
    void theDemosSheetMakesItsFittedCar();
    void everyPartThePlantKnowsIsTaken();
    void aPartThePlantHasNoNumberForIsRefusedByName();
    void nonsenseIsRefused();
    void partsActAsPhysicsSays();
    void theRegulatorAndTheWidebandsPlaceAct();
};

void PartsTest::anEmptySheetIsTheStockCar() {
    const Build build = with("{}");
    BenchCar a(kHeronStock, 1), b(build, 1);
    for (BenchCar* car : {&a, &b}) {
        car->startRoute(pull());
        run(*car, 40);
    }
    QVERIFY(a.plant().state().torque_Nm == b.plant().state().torque_Nm);
    QVERIFY(a.plant().state().lambda == b.plant().state().lambda);
}

void PartsTest::theDemosSheetMakesItsFittedCar() {
    const Build build = with(readText(std::string(BRUSK_DATA_DIR) + "/heron/build-sheet.json").c_str());
    const Parts &made = build.parts, &fitted = kHeronFittedParts;
    QVERIFY(near(made.injectors.flow_cm3min, fitted.injectors.flow_cm3min));
    // The maker's table differs from the parts by what such tables differ.
    QVERIFY(near(made.injectors.deadAt14_us, fitted.injectors.deadAt14_us, 0.03));
    QVERIFY(near(made.injectors.deadSlope_us, fitted.injectors.deadSlope_us, 0.03));
    QVERIFY(near(made.pressure.slope_kPaV, fitted.pressure.slope_kPaV) &&
            near(made.pressure.offset_kPa, fitted.pressure.offset_kPa));
    QVERIFY(made.airflowHousing_mm == 82 && made.cams.moreOverlap() == 1 && made.cams.moreDuration() == 1);
    QVERIFY(made.turbo.spring_kPa == 62 && near(made.turbo.compressorRadius_m, 0.025));
    QVERIFY(near(made.turbo.turbineArea_m2, fitted.turbo.turbineArea_m2, 0.03));
    QVERIFY(near(made.turbo.inertia_kgm2, fitted.turbo.inertia_kgm2, 0.03));
    QVERIFY(made.intercooler == 0.8 && near(made.tyreRadius_m, 0.312) && build.fuel.ethanol == 0.1);
    const Build crane = with(readText(std::string(BRUSK_DATA_DIR) + "/crane/build-sheet.json").c_str(), kCraneStock);
    QVERIFY(near(crane.parts.injectors.flow_cm3min, 360) && near(crane.engine.throttleBore_m, 0.075) &&
            near(crane.parts.tyreRadius_m, 0.325));
}

void PartsTest::everyPartThePlantKnowsIsTaken() {
    const Build b = with(R"({"stock":{"exhaust_bore":50},
        "fitted":{"displacement":1800,"manifold_volume":3,"octane":100,"ethanol":50,"throttle_bore":62,"thermostat":80,
                  "final_drive":4.5,"vehicle_mass":1210,"drag_area":0.6,"exhaust_bore":63,"sensor_slope":60,
                  "sensor_offset":-2,"boost_ceiling":90,"fan_on":95},
        "gears":[3.3,1.9,1.3,1,0.8],"regulator":"to the weather","wideband":"before the turbine"})");
    QVERIFY(near(b.engine.displacement_m3, 1.8e-3) && near(b.engine.manifold_m3, 3e-3));
    QVERIFY(b.fuel.octane_RON == 100 && b.fuel.ethanol == 0.5 && near(b.engine.throttleBore_m, 0.062));
    QVERIFY(b.parts.thermostat_C == 80 && b.chassis.final == 4.5 && b.chassis.mass_kg == 1210);
    QVERIFY(b.chassis.dragArea_m2 == 0.6 && near(b.parts.exhaustBore, 1.26));
    QVERIFY(b.parts.pressure.slope_kPaV == 60 && b.parts.pressure.offset_kPa == -2);
    QVERIFY(b.chassis.gears[1] == 3.3 && b.chassis.gears[5] == 0.8 && b.chassis.gears[6] == 0.69);
    QVERIFY(!b.parts.regulatorReferenced && b.parts.wideband == WidebandPlace::BeforeTurbine);
}

void PartsTest::aPartThePlantHasNoNumberForIsRefusedByName() {
    for (const auto& [sheet, name] : {std::pair{R"({"fitted":{"rev_limit":7200}})", "rev_limit"},
                                      {R"({"fitted":{"exhaust_bore":63}})", "exhaust_bore"},
                                      {R"({"fitted":{"flux_capacitor":1.21}})", "flux_capacitor"},
                                      {R"({"meter_curve":[{"reading":1,"kgh":10}]})", "meter_curve"},
                                      {R"({"gears":[7,6,5,4,3,2,1]})", "gears"}}) {
        const std::string why = refused(sheet);
        QVERIFY2(why.find(name) != std::string::npos, (std::string(name) + ": " + why).c_str());
    }
    // Without a turbocharger there is no spring to change.
    QVERIFY(refused(R"({"fitted":{"turbo_spring":60}})", kCraneStock).find("turbo_spring") != std::string::npos);
    QVERIFY(refused(R"({"fitted":{"turbo_spring":60}})").empty());
}

void PartsTest::nonsenseIsRefused() {
    for (const char* sheet : {"", "[]", "{", "17", "null"})
        QVERIFY2(!sheetNumbers(sheet), sheet);
    // Members of another kind are no numbers.
    const auto odd = sheetNumbers(R"({"fitted":{"octane":"high"},"gears":["first"],"dead_times":[5],"stock":[1]})");
    QVERIFY(odd && odd->fitted.empty() && odd->gears.empty() && odd->stock.empty());
}

void PartsTest::partsActAsPhysicsSays() {
    const double stock = leanness(kHeronStock);
    // Flow by the root of the pressure; ethanol by its stoichiometric ratio and density.
    const double pressure = leanness(with(R"({"fitted":{"fuel_pressure":363}})")) / stock;
    QVERIFY2(near(pressure, 1 / 1.1, 0.01), qPrintable(QString::number(pressure)));
    const double flow = leanness(with(R"({"fitted":{"injector_flow":418,"injector_pressure":300}})")) / stock;
    QVERIFY2(near(flow, 1 / 1.1, 0.01), qPrintable(QString::number(flow)));
    const double ethanol = leanness(with(R"({"fitted":{"ethanol":85}})")) / stock;
    const double wanted = blendStoich(0) * blendDensity(0) / (blendStoich(0.85) * blendDensity(0.85));
    QVERIFY2(near(ethanol, wanted, 0.01), qPrintable(QString::number(ethanol)));
    // A lighter car with less drag gets further in the same pull.
    const auto reached = [](const Build& build) {
        BenchCar car(build, 1);
        car.startRoute(pull());
        run(car, 43.5);
        return car.plant().state().vehicle_kmh;
    };
    const double light = reached(with(R"({"fitted":{"vehicle_mass":1000,"drag_area":0.5}})")),
                 book = reached(kHeronStock);
    QVERIFY(light > book + 8);
    // A wider pipe leaves less pressure behind the turbine: more boost is not promised, less back pressure is.
    const auto back = [](const Build& build) {
        BenchCar car(build, 1);
        car.startRoute(pull());
        double most = 0;
        watch(car, 43.5, [&] { most = std::max(most, car.plant().state().backPressure_kPa); });
        return most;
    };
    QVERIFY(back(with(R"({"stock":{"exhaust_bore":50},"fitted":{"exhaust_bore":38}})")) > back(kHeronStock) + 3);
    // A cooler thermostat keeps the engine cooler.
    BenchCar cool(with(R"({"fitted":{"thermostat":72}})"), 1);
    cool.startRoute(holding(70, 4, 0.01));
    run(cool, 600);
    QVERIFY(cool.plant().state().coolant_C < 84 && cool.plant().state().coolant_C > 68);
}

void PartsTest::theRegulatorAndTheWidebandsPlaceAct() {
    // Without the hose there is more fuel at idle, where the manifold is empty: by the root of the pressures.
    Build build = with(R"({"regulator":"to the weather"})");
    BenchCar car(build, 1), stock(kHeronStock, 1);
    double lambda[2] = {};
    for (BenchCar* each : {&car, &stock}) {
        set(*each, "loop_on", 0);
        each->startRoute(holding(45, 3, 0.03));
        run(*each, 60);
        lambda[each == &stock] = meanLambda(*each, 10);
    }
    const double p = car.plant().state().pressure_kPa;
    const double wanted = 1 / std::sqrt(1 + (101.3 - p) / 300);
    QVERIFY2(near(lambda[0] / lambda[1], wanted, 0.01), qPrintable(QString::number(lambda[0] / lambda[1])));
    // Behind a catalyst the wideband hardly moves while the loop swings.
    const auto spread = [](const char* sheet) {
        BenchCar one(with(sheet), 1);
        Route route = holding(70, 3, 0);
        route.legs.back().seconds = 12;
        for (int n = 0; n < 20; ++n) {
            route.legs.push_back({.seconds = 2, .gear = 3, .pedal = 0.35});
            route.legs.push_back({.seconds = 1.5, .gear = 3, .pedal = 0});
        }
        one.startRoute(route);
        run(one, 30);
        double sum = 0, squares = 0;
        watch(one, 15,
              [&] { sum += one.plant().wideband() / 300, squares += std::pow(one.plant().wideband(), 2) / 300; });
        return std::sqrt(squares - sum * sum);
    };
    QVERIFY(spread(R"({"wideband":"behind the catalyst"})") < 0.5 * spread("{}"));
}

QTEST_APPLESS_MAIN(PartsTest)
#include "PartsTest.moc"
