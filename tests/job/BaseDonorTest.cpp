// Donors by the parts they were made for, parts from the library, sensors told either way.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QRegularExpression>

#include "BaseBench.h"
#include "core/job/Keeping.h"

namespace {

/// The parameter with a role.
calibration::Table played(const calibration::Calibration& calibration, roles::Role role) {
    const auto table = calibration.read(*calibration.definition().parameterWithRole(role));
    if (!table) qFatal("%s", table.error().text().c_str());
    return *table;
}

Donor heronS() {
    const auto kit = [] {
        storage::RealFileSystem files;
        return job::loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
    }();
    storage::RealFileSystem files;
    auto donor = job::readDonor(files, BRUSK_DATA_DIR "/heron/heron-s-donor.hex", {}, (*kit)->definition);
    if (!donor) qFatal("%s", donor.error().text().c_str());
    return std::move(*donor);
}

Result<BasePlan> taking(std::initializer_list<const char*> groups, const Donor& donor,
                        const BuildSheet& sheet = demoSheet()) {
    Decisions decisions;
    for (const char* id : groups)
        decisions[id].accepted = true;
    return planBase(heron(), sheet, decisions, Stage::FullLoad, &donor);
}

}  // namespace

class BaseDonorTest : public QObject {
    Q_OBJECT
  private slots:
    void aDonorsGroupsAreSuggestedByThePartsTheyWereMadeFor();
    void rulesGoOnFromTheDonorsPartsOnlyWhereItsTablesAreTaken();
    void aDonorOfOtherBreakpointsAndUnitsGivesItsSurfaceWithinTheErrorItTells();
    void whatNobodyKnowsOfADonorIsWaitedFor();
    void aSensorIsToldByPointsOrBySlopeAndOffset();
    void partsGoOnTheSheetAndComeBackFromIt();
};

void BaseDonorTest::aDonorsGroupsAreSuggestedByThePartsTheyWereMadeFor() {
    const Donor donor = heronS();
    QVERIFY2(donor.remark.empty(), donor.remark.c_str());
    const auto plan = planBase(heron(), demoSheet(), {}, Stage::FullLoad, &donor);
    EXPECT_OK(plan);
    std::set<std::string> suggested, offered;
    for (const auto& p : plan->proposals)
        if (p.offered) (p.suggested ? suggested : offered).insert(p.id);
    QCOMPARE(suggested, (std::set<std::string>{"donor_injectors", "donor_sensor", "donor_meter", "donor_boost",
                                               "donor_mixture", "donor_spark", "donor_torque", "donor_driveline"}));
    // Its cams are the original's, and it turns higher than this engine needs.
    QVERIFY(offered.contains("donor_filling") && offered.contains("donor_revs"));
    const Proposal* boost = plan->find("donor_boost");
    QCOMPARE(qs(boost->formula), QString("boost: original 57, donor 71, fitted 84 kPa; spring: original 45, donor 55, "
                                         "fitted 62 kPa; wheel: original 46.4, donor 48.1, fitted 50.0 mm"));
    QVERIFY(boost->reason.find("boost, spring, wheel") != std::string::npos);
    // Offers wait for a yes: until then all is as without a donor.
    const auto without = planBase(heron(), demoSheet());
    QCOMPARE(plan->edits().size(), without->edits().size());
    QVERIFY(plan->result.image() == without->result.image());
    // To a car that stayed as it is the donor is farther off everywhere.
    const auto stock = planBase(heron(), sheetOf({{Fact::MeterHousing, 70, 70}, {Fact::TurboSpring, 45, 45}}), {},
                                Stage::FullLoad, &donor);
    for (const auto& p : stock->proposals)
        QVERIFY2(!p.suggested, p.id.c_str());
}

void BaseDonorTest::rulesGoOnFromTheDonorsPartsOnlyWhereItsTablesAreTaken() {
    const Donor donor = heronS();
    const auto plain = planBase(heron(), demoSheet());
    const auto meter = taking({"donor_meter"}, donor);
    EXPECT_OK(meter);
    // 76 mm to 82 mm on the donor's curve; the donor's own factory made it by the same physics, so the result is alike.
    const auto theirs = played(donor.calibration, "meter_curve"), is = played(meter->result, "meter_curve");
    for (size_t i = 0; i < is.values.size(); ++i)
        QVERIFY(near(is.values[i], theirs.values[i] * (82.0 * 82) / (76 * 76), 0.02));
    QVERIFY(meter->find("meter_housing")->formula.find("82.0 mm / 76.0 mm") != std::string::npos);
    // The tables of its boost come with its spring and wheel; spark that was not taken goes on from the original's.
    const auto boost = taking({"donor_boost"}, donor);
    EXPECT_OK(boost);
    QVERIFY(near(greatest(played(boost->result, "boost_target")), 101.3 + 84, 0.1));
    QVERIFY(boost->find("wastegate_duty")->formula.find("spring 55 to 62 kPa") != std::string::npos);
    QVERIFY(boost->find("boost_control")->formula.find("50.0 mm / 48.1 mm") != std::string::npos);
    QCOMPARE(played(boost->result, "spark_map").raw, played(plain->result, "spark_map").raw);
    // With the donor's spark the margin begins where the donor's boost ends.
    const auto both = taking({"donor_boost", "donor_spark"}, donor);
    QVERIFY(both->find("spark_boost")->formula != plain->find("spark_boost")->formula);
    QVERIFY(both->find("spark_boost")->formula.find("than the donor's") != std::string::npos);
    for (const auto& one : contradictions(both->result, demoSheet()))
        QFAIL(one.why.c_str());
}

void BaseDonorTest::aDonorOfOtherBreakpointsAndUnitsGivesItsSurfaceWithinTheErrorItTells() {
    // The same donor through a definition of other names, which tells boost in bar.
    Donor donor = heronS();
    auto definition = donor.calibration.definition();
    for (auto& p : definition.parameters) {
        if (p.kind != definition::Parameter::Kind::AxisPoints) p.name = "z_" + p.name;
        if (p.role != "boost_target") continue;
        auto conversion = definition.conversionOf(p);
        conversion.name = "in_bar";
        conversion.unit = "bar";
        conversion.decimals = 4;
        if (conversion.kind == definition::Conversion::Kind::Linear)
            conversion.a /= 100, conversion.b /= 100;
        else
            conversion.b *= 100;  // stored = b x physical
        definition.conversions.push_back(conversion);
        p.conversion = definition.conversions.size() - 1;
        p.lower /= 100, p.upper /= 100;
    }
    donor.calibration = calibration::Calibration(std::make_shared<const definition::Definition>(std::move(definition)),
                                                 donor.calibration.image());
    const auto inBar = played(donor.calibration, "boost_target");
    QCOMPARE(qs(inBar.unit), QString("bar"));
    QVERIFY(greatest(inBar) < 2);
    const auto plan = taking({"donor_boost", "donor_filling", "donor_mixture"}, donor, {});
    EXPECT_OK(plan);
    int seen = 0;
    for (const char* id : {"donor_boost", "donor_filling", "donor_mixture"})
        for (const auto& change : plan->find(id)->changes) {
            const auto role = roles::Role::named(change.parameter().role);
            const auto* parameter = role ? donor.calibration.definition().parameterWithRole(*role) : nullptr;
            if (change.after.rows < 2 || change.follows) continue;
            QVERIFY(parameter);
            const auto theirs = *donor.calibration.read(*parameter);
            const double scale = theirs.unit == "bar" ? 100 : 1;
            static const QRegularExpression within("within ([0-9.]+)");
            const auto told = within.match(qs(change.remark));
            const double error = told.hasMatch() ? told.captured(1).toDouble() : 0;
            const double rounding = 1.01 * std::pow(10.0, -change.after.decimals - 1);
            for (double rpm = 900; rpm < 6700; rpm += 130)
                for (double y = std::max(theirs.y.values.front(), change.after.y.values.front());
                     y < theirs.y.values.back(); y += (theirs.y.values.back() - theirs.y.values.front()) / 61)
                    QVERIFY2(std::abs(calibration::surfaceAt(change.after, rpm, y) -
                                      scale * calibration::surfaceAt(theirs, rpm, y)) <= error + rounding + 1e-9,
                             qPrintable(QString("%1 at %2 %3").arg(qs(change.parameter().name)).arg(rpm).arg(y)));
            seen += told.hasMatch();
        }
    QVERIFY(seen >= 2);
    // The donor's boost reaches beyond our axis: it was stretched, nothing of the surface is lost.
    const auto ve = played(plan->result, "ve_map");
    QCOMPARE(ve.y.values.back(), played(donor.calibration, "ve_map").y.values.back());
    QVERIFY(ve.x.values == played(heron(), "ve_map").x.values);
}

void BaseDonorTest::whatNobodyKnowsOfADonorIsWaitedFor() {
    Donor donor = heronS();
    donor.sheet = {};
    const auto plan = taking({"donor_boost"}, donor);
    EXPECT_OK(plan);
    // Boost is read from its targets; its spring and wheel leave no clear trace.
    const Proposal* boost = plan->find("donor_boost");
    QVERIFY(boost->suggested && boost->formula.find("donor 71") != std::string::npos);
    QVERIFY(boost->reason.find("Not known of all: spring, wheel") != std::string::npos);
    const Waiting* duty = waits(*plan, "wastegate_duty");
    QVERIFY(duty);
    QCOMPARE(qs(duty->what), QString("the wastegate spring of the donor's turbo"));
    // Its housing is told by its curve against ours.
    QVERIFY(near(*partReadFrom(donor.calibration, Fact::MeterHousing, heron(), demoSheet()), 76, 0.2));
    QVERIFY(near(*partReadFrom(donor.calibration, Fact::TyreCircumference, heron(), demoSheet()), 1960, 2));
    QVERIFY(!partReadFrom(donor.calibration, Fact::CamOverlap, heron(), demoSheet()));
    // Without a role in its definition a table is not there to take, which is said.
    auto definition = donor.calibration.definition();
    for (auto& p : definition.parameters)
        if (p.role == "boost_i") p.role.clear();
    donor.calibration =
        calibration::Calibration(std::make_shared<const definition::Definition>(definition), donor.calibration.image());
    const auto bare = taking({"donor_boost"}, donor);
    QVERIFY(bare->find("donor_boost")->reason.find("The donor has no") != std::string::npos);
    QCOMPARE(played(bare->result, "boost_i").values[0],
             played(planBase(heron(), demoSheet())->result, "boost_i").values[0]);
}

void BaseDonorTest::aSensorIsToldByPointsOrBySlopeAndOffset() {
    const auto byPoints = planBase(heron(), demoSheet());
    auto sheet = demoSheet();
    for (const Fact fact :
         {Fact::SensorLowVolts, Fact::SensorLowPressure, Fact::SensorHighVolts, Fact::SensorHighPressure})
        sheet.of(fact).reset();
    sheet.of(Fact::SensorSlope) = 77.647;
    QVERIFY(waits(*planBase(heron(), sheet), "pressure_sensor"));
    sheet.of(Fact::SensorOffset) = -11.059;
    const auto told = planBase(heron(), sheet);
    EXPECT_OK(told);
    for (const roles::Role role : {roles::Role("map_sensor_slope"), roles::Role("map_sensor_offset")})
        QCOMPARE(played(told->result, role).values, played(byPoints->result, role).values);
    // Both ways at once must agree.
    auto both = demoSheet();
    both.of(Fact::SensorSlope) = 77.647, both.of(Fact::SensorOffset) = -11.059;
    QVERIFY(refusals(both).empty());
    both.of(Fact::SensorOffset) = 11.059;
    QCOMPARE(refusals(both).size(), size_t{1});
    QVERIFY2(refusals(both)[0].why.find("360 kPa at 4.5 V, the two points 338 kPa") != std::string::npos,
             refusals(both)[0].why.c_str());
    // 9 bar at 4.5 V is beyond what the axis can become.
    sheet.of(Fact::SensorSlope) = 203, sheet.of(Fact::SensorOffset) = -10;
    const auto calibration = heron();
    const auto refused = refusals(sheet, &calibration);
    QVERIFY(refused.size() == 1 && refused[0].fact == Fact::SensorSlope);
    QVERIFY(refused[0].why.find("904 kPa is beyond") != std::string::npos);
}

void BaseDonorTest::partsGoOnTheSheetAndComeBackFromIt() {
    storage::RealFileSystem files;
    const auto parts = job::loadParts(files, BRUSK_DATA_DIR "/parts.json");
    EXPECT_OK(parts);
    QVERIFY(parts->size() > 15);
    const auto named = [&](const char* name) {
        return *std::find_if(parts->begin(), parts->end(), [&](const Part& p) { return p.name == name; });
    };
    // The demo's fitted parts from the library are the demo's sheet.
    BuildSheet sheet = demoSheet();
    for (const char* name :
         {"Brindal 620", "Halmer 82 housing", "Ombrel P35, 3.5 bar", "Orrin 224 sport", "Tulvik T50", "225/40 R18"})
        put(sheet, named(name), true);
    QVERIFY(sheet == demoSheet());
    // A sensor told another way takes the place of all that was said; what is wanted stays.
    put(sheet, named("Ombrel P30, 3 bar"), true);
    QVERIFY(!sheet.of(Fact::SensorHighPressure) && near(sensorLine(sheet)->at(4.5), 290.1, 0.1));
    put(sheet, named("Tulvik T46"), false);
    QCOMPARE(*sheet.of(Fact::TurboSpring, false), 45.0);
    QCOMPARE(*sheet.of(Fact::BoostCeiling), 84.0);
    // Another meter brings its curve, and takes it away again.
    put(sheet, named("Halmer W2 meter"), true);
    QCOMPARE(sheet.meterCurve.size(), size_t{13});
    const auto meter = partOn(sheet, "Airflow meter", "ours");
    QVERIFY(meter && meter->meterCurve == sheet.meterCurve);
    QVERIFY(*job::buildSheetFromJson(job::toJson(sheet)) == sheet);
    put(sheet, named("Halmer 90 housing"), true);
    QVERIFY(sheet.meterCurve.empty() && *sheet.of(Fact::MeterHousing) == 90);
    // And back: what is fitted becomes a part, without what is only wished for.
    auto own = partOn(demoSheet(), "Turbo", "ours");
    QVERIFY(own && own->facts.size() == 3);
    QVERIFY(!partOn(BuildSheet{}, "Turbo", "nothing"));
    QTemporaryDir place;
    const storage::Path file = place.filePath("deep/parts.json").toStdString();
    EXPECT_OK(job::keepPart(files, file, *own));
    own->facts[0].second = 70;
    EXPECT_OK(job::keepPart(files, file, *own));
    auto kept = *job::loadParts(files, file);
    own->own = false;  // whose it is, the file does not say
    QVERIFY(kept.size() == 1 && kept[0] == *own);
    EXPECT_OK(job::forgetPart(files, file, *own));
    QVERIFY(job::loadParts(files, file)->empty());
    QVERIFY(!job::forgetPart(files, file, *own));
    // Nonsense is refused by a sentence that names the part.
    for (const auto& [text, why] :
         {std::pair{R"({"parts":[{"group":"Injectors","name":"X","injector_flow":0}]})", "X: An injector flows 50"},
          {R"({"parts":[{"group":"Wings","name":"X"}]})", "no group of the build sheet"},
          {R"({"parts":[{"group":"Turbo","name":"X","injector_flow":500}]})", "belongs to Injectors"},
          {R"({"parts":[{"group":"Turbo","name":""}]})", "needs a name"},
          {R"({"parts":[{"group":"Turbo","name":"X","meter_curve":[{"reading":1,"kgh":1}]}]})", "is no meter"},
          {R"({"parts":[{"group":7,"name":"X"}]})", "can't be read"},
          {"{", "can't be read"}}) {
        const auto read = job::partsFromJson(text);
        QVERIFY2(!read && read.error().text().find(why) != std::string::npos,
                 read ? text : read.error().text().c_str());
    }
}

QTEST_APPLESS_MAIN(BaseDonorTest)
#include "BaseDonorTest.moc"
