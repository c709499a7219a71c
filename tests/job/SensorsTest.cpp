// Sensors that somebody fitted: heard on the bus, wired to a spare input, put right when everything is recorded
// already.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "JobBench.h"
#include "core/evidence/Sampled.h"
#include "core/job/Drive.h"
#include "core/job/Keeping.h"
#include "core/job/LoadDrives.h"
#include "core/job/Sensors.h"
#include "core/proposals/correct/Air.h"

using namespace brusk;
using namespace brusk::job;

namespace {

using Wideband = benchcar::BenchCar::Wideband;

/// A bench car whose profile knows no sensor.
struct Bare : Bench {
    explicit Bare(Wideband fitted) {
        auto bare = std::make_shared<Kit>(*kit);
        bare->externalSensors.clear();
        kit = bare;
        car.fit(fitted);
    }
    /// Over a route, into the folder.
    DriveOutcome drive(const std::string& route, const Kit& with) {
        car.startRoute(*benchcar::routeNamed(route));
        DriveOptions options;
        options.ends = [&](double) { return car.onRoute() ? std::nullopt : std::optional(Ended::Asked); };
        auto client = link::Uds(bus, with.profile);
        auto outcome = recordDrive(client, with, *folder, *channelSet(with, usualChannels(*with.definition)), options);
        if (!outcome || outcome->problem) qFatal("the drive failed");
        return *outcome;
    }
};

std::vector<SensorFile> library(storage::FileSystem& files) {
    std::vector<std::string> remarks;
    auto out = sensorLibrary(files, {BRUSK_DATA_DIR}, remarks);
    if (!remarks.empty()) qFatal("%s", remarks.front().c_str());
    return out;
}

drive::Sensor analogue(const drive::Scaling& scaling) {
    drive::Sensor out;
    out.title = "Wideband on the spare input";
    out.name = "lambda_analogue";
    out.channel = "spare_volts";
    out.role = "lambda_measured";
    out.unit = "lambda";
    out.scaling = scaling;
    return out;
}

double meanOf(const recording::Recording& recording, const char* role, double from_s, double to_s) {
    const auto series = evidence::Sampled(std::make_shared<const recording::Recording>(recording))
                            .series(roles::Role::named(role).value());
    if (!series) qFatal("%s", series.error().text().c_str());
    double sum = 0;
    int count = 0;
    for (size_t i = 0; i < series->time_s.size(); ++i)
        if (series->time_s[i] > from_s && series->time_s[i] < to_s && !std::isnan(series->value[i]))
            sum += static_cast<double>(series->value[i]), ++count;
    return sum / count;
}

}  // namespace

class SensorsTest : public QObject {
    Q_OBJECT
  private slots:
    void aLineGoesThroughTwoPointsAndIsMovedByAGauge();
    void anUnknownWidebandIsHeardOfferedAndRecorded();
    void whatIsKnownOrShortIsNotOffered();
    void oneSensorPlaysARole();
    void whoWasSilencedPlaysAgain();
    void ofTwoWidebandsEachIsABanks();
    void anotherWidebandThanTheProfilesIsLearnedFrom();
    void aBrokenWireSaysNothing();
    void anAnalogueWidebandIsPutRightAfterwards();
    void aVoltageThatWasRecordedBecomesASensorLater();
    void whatCantBeIsSaid();
    void whatIsKeptComesBack();
};

void SensorsTest::aLineGoesThroughTwoPointsAndIsMovedByAGauge() {
    const auto line = drive::Scaling::through({0.5, 0.6}, {4.5, 1.4});
    EXPECT_OK(line);
    QVERIFY(std::abs(line->slope - 0.2) < 1e-12 && std::abs(line->offset - 0.5) < 1e-12);
    QVERIFY(std::abs(line->rawOf(line->at(3.3)) - 3.3) < 1e-12);
    const auto moved = line->shownAs(2.5, 1.02);
    QVERIFY(std::abs(moved.at(2.5) - 1.02) < 1e-12 && moved.slope == line->slope);
    EXPECT_FAILS(drive::Scaling::through({1, 0.6}, {1, 1.4}), "same voltage");
    EXPECT_FAILS(drive::Scaling::through({1, 0.6}, {2, 0.6}), "same value");
    EXPECT_FAILS(drive::Scaling::through({1, 0.6}, {2, std::nan("")}), "four numbers");
}

void SensorsTest::anUnknownWidebandIsHeardOfferedAndRecorded() {
    Bare bench(Wideband::TarnL3);
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    bench.letTimePass(20);
    const auto ears = listen(bench.bus, 1);
    EXPECT_OK(ears);
    const auto known = library(bench.files);
    const auto offers = sensorOffers(*ears, known, bench.kit.get());
    QVERIFY(offers.size() == 4);
    const auto& best = offers.front();
    QCOMPARE(best.sensor.name, std::string("afr"));
    QVERIFY(best.sensor.role == "lambda_measured" && best.sensor.unit == "AFR");
    QVERIFY(std::abs(best.rate_hz - 50) < 1);
    QVERIFY(std::abs(best.value / 14.7 - bench.car.plant().wideband()) < 0.05);
    QVERIFY2(
        offerSentence(best).find("TarnL3 sends afr: ") == 0 &&
            offerSentence(best).find(" AFR, 50 times a second; it looks like wideband lambda.") != std::string::npos,
        offerSentence(best).c_str());

    bench.read();
    KeptSensors kept;
    put(kept, best.sensor, best.file->text, bench.kit.get());
    EXPECT_OK(keepSensors(*bench.folder, kept));
    const auto with = withKeptSensors(bench.kit, *bench.folder);
    EXPECT_OK(with);
    QVERIFY(sensorOffers(*ears, known, with->get()).empty());
    const auto outcome = bench.drive("idle", **with);
    const auto recording = loadRecording(*bench.folder, outcome.entry);
    EXPECT_OK(recording);
    const auto place = (*recording)->findRole("lambda_measured");
    QVERIFY(place && place.group->name == "TarnL3" && place.channel->unit == "AFR");
    // At warm idle the controller holds it at stoichiometry, whatever the map says; evidence reads lambda.
    const double lambda = meanOf(**recording, "lambda_measured", 60, 110);
    QVERIFY2(lambda > 0.7 && lambda < 1.05, qPrintable(QString::number(lambda)));
    QVERIFY((*recording)->sensors.find("\"afr\"") != std::string::npos);
}

void SensorsTest::whatIsKnownOrShortIsNotOffered() {
    Bench bench;
    bench.letTimePass(1);
    const auto ears = listen(bench.bus, 0.5);
    EXPECT_OK(ears);
    QVERIFY(ears->heard().size() >= 2);  // the wideband, and the controller's own broadcast
    const auto known = library(bench.files);
    QVERIFY(sensorOffers(*ears, known, bench.kit.get()).empty());
    // The same wideband is offered where no profile is.
    QVERIFY(!sensorOffers(*ears, known, nullptr).empty());
    // Frames of the right number and too short are another's.
    BusEars strange;
    can::CanFrame frame;
    frame.id = benchcar::BenchCar::kOtherWidebandId;
    frame.length = 1;
    strange.take(frame);
    QVERIFY(sensorOffers(strange, known, nullptr).empty());
    bench.bus.setConnected(false);
    EXPECT_FAILS(listen(bench.bus, 0.5), "cable");
}

void SensorsTest::oneSensorPlaysARole() {
    const Bench bench;
    KeptSensors kept;
    put(kept, analogue({0.2, 0.5}), "", bench.kit.get());
    // The profile's own loses it, and what it says of its readiness with it.
    QCOMPARE(kept.sensors.size(), size_t{3});
    for (const char* name : {"lambda", "sensor_ready"}) {
        const auto* own = drive::sensorOf(kept.sensors, "OmbrelW1", name);
        QVERIFY2(own && own->role.empty(), name);
    }
    // It is taken back.
    drive::Sensor again = *drive::sensorOf(kept.sensors, "OmbrelW1", "lambda");
    QCOMPARE(again.unit, std::string("lambda"));
    again.role = "lambda_measured";
    put(kept, again, "", bench.kit.get());
    QVERIFY(drive::sensorOf(kept.sensors, "", "lambda_analogue")->role.empty());
    QCOMPARE(kept.sensors.size(), size_t{3});
}

void SensorsTest::whoWasSilencedPlaysAgain() {
    const Bench bench;
    KeptSensors kept;
    put(kept, analogue({0.2, 0.5}), "", bench.kit.get());
    auto stranger = analogue({1, 0});
    stranger.name = "another";
    QVERIFY(!forget(kept, stranger));
    QCOMPARE(kept.sensors.size(), size_t{3});
    QVERIFY(forget(kept, kept.sensors.back()) && kept.sensors.empty());
    EXPECT_OK(keepSensors(*bench.folder, kept));
    const auto kit = *withKeptSensors(bench.kit, *bench.folder);
    QVERIFY(layoutOf(*kit, *channelSet(*kit, {})).findRole("lambda_measured").channel->name == "lambda");
}

void SensorsTest::ofTwoWidebandsEachIsABanks() {
    const Bench bench;
    KeptSensors kept;
    put(kept, analogue({0.2, 0.5}), "", bench.kit.get());
    // It is the second bank's: the profile's own plays the first again, and says when it is ready.
    drive::Sensor second = analogue({0.2, 0.5});
    second.role = "lambda_measured_2";
    put(kept, second, "", bench.kit.get());
    QCOMPARE(kept.sensors.size(), size_t{1});
    auto kit = std::make_shared<Kit>(*bench.kit);
    kit->sensors = kept.sensors;
    const auto layout = layoutOf(*kit, *channelSet(*kit, {}));
    QCOMPARE(layout.findRole("lambda_measured").channel->name, std::string("lambda"));
    QCOMPARE(layout.findRole("lambda_measured_2").channel->name, std::string("lambda_analogue"));
    // A sender of two says one for each; of one number in two units there is one.
    const auto dbc = can::readDbc(
        "BO_ 5 Two: 8 X\n SG_ left : 0|16@1+ (0.001,0) [0|2] \"lambda\" Y\n"
        " SG_ right : 16|16@1+ (0.001,0) [0|2] \"lambda\" Y\n"
        " SG_ left_afr : 32|16@1+ (0.001,0) [0|30] \"AFR\" Y\n");
    EXPECT_OK(dbc);
    const auto& message = dbc->messages.front();
    QStringList roles;
    for (const auto& signal : message.signalList)
        roles << qs(roleOfSignal(message, signal));
    QCOMPARE(roles, QStringList({"lambda_measured", "lambda_measured_2", ""}));
}

void SensorsTest::anotherWidebandThanTheProfilesIsLearnedFrom() {
    Bench bench;
    bench.car.fit(Wideband::TarnL3);
    const auto original = bench.read();
    const auto ears = listen(bench.bus, 1);
    const auto known = library(bench.files);
    const auto offers = sensorOffers(*ears, known, bench.kit.get());
    QVERIFY(!offers.empty() && offers.front().sensor.name == "afr");
    KeptSensors kept;
    put(kept, offers.front().sensor, offers.front().file->text, bench.kit.get());
    EXPECT_OK(keepSensors(*bench.folder, kept));
    const auto kit = *withKeptSensors(bench.kit, *bench.folder);
    bench.car.startRoute(*benchcar::routeNamed("hills"));
    DriveOptions options;
    options.ends = [&](double) { return bench.car.onRoute() ? std::nullopt : std::optional(Ended::Asked); };
    auto client = bench.uds();
    EXPECT_OK(recordDrive(client, *kit, *bench.folder, *channelSet(*kit, usualChannels(*kit->definition)), options));
    const auto drives = drivesOf(*kit, *bench.folder, original.id);
    EXPECT_OK(drives);
    // The sensor that is not there any more does not hold back what the one that is there says.
    const auto correction = proposals::correctAir(*calibrationOf(*kit, *bench.folder, original.id), **drives, {});
    EXPECT_OK(correction);
    QVERIFY2(correction->changed > 50, qPrintable(QString::number(correction->changed)));
}

void SensorsTest::aBrokenWireSaysNothing() {
    const Bench bench;
    auto sensor = analogue({0.2, 0.5});
    sensor.least = 0.05, sensor.most = 4.95;
    auto kit = std::make_shared<Kit>(*bench.kit);
    kit->sensors = {sensor};
    const auto channels = channelSet(*kit, {});
    EXPECT_OK(channels);
    const AnalogueRows rows(*kit, *channels);
    QCOMPARE(rows.size(), size_t{1});
    std::vector<float> row(channels->measurements.size());
    for (size_t i = 0; i < row.size(); ++i)
        if (channels->measurements[i]->name == "spare_volts") {
            row[i] = 2.5f;
            QCOMPARE(rows.value(0, row), 1.0f);
            for (const float broken : {0.0f, 4.99f, std::nanf("")}) {
                row[i] = broken;
                QVERIFY(std::isnan(rows.value(0, row)));
            }
        }
}

void SensorsTest::anAnalogueWidebandIsPutRightAfterwards() {
    Bench bench;
    const auto original = bench.read();
    const auto sheet = buildSheetFromJson(readText(BRUSK_DATA_DIR "/heron/build-sheet.json"));
    const auto base = proposals::planBase(*calibrationOf(*bench.kit, *bench.folder, original.id), *sheet,
                                          {{"cam_filling", {false, 1, std::nullopt}}});
    const auto round = makeRound(*bench.kit, *bench.folder, original.id, base->edits(), "base", {});
    EXPECT_OK(bench.flash(round->id));
    // As somebody takes it from a leaflet for another model, and with no thought of grounds.
    KeptSensors kept;
    put(kept, analogue({0.25, 0.45}), "", bench.kit.get());
    EXPECT_OK(keepSensors(*bench.folder, kept));
    const auto kit = *withKeptSensors(bench.kit, *bench.folder);
    {
        bench.car.startRoute(*benchcar::routeNamed("hills"));
        DriveOptions options;
        options.ends = [&](double) { return bench.car.onRoute() ? std::nullopt : std::optional(Ended::Asked); };
        auto client = bench.uds();
        EXPECT_OK(
            recordDrive(client, *kit, *bench.folder, *channelSet(*kit, usualChannels(*kit->definition)), options));
    }
    const auto calibration = calibrationOf(*kit, *bench.folder, round->id);
    const auto propose = [&] {
        const auto drives = drivesOf(*kit, *bench.folder, round->id);
        if (!drives) qFatal("%s", drives.error().text().c_str());
        auto out = proposals::correctAir(*calibration, **drives, {});
        if (!out) qFatal("%s", out.error().text().c_str());
        return *out;
    };
    const auto wrong = propose();
    // Two points that a second gauge shows: at stoichiometry 1.000, and richer 0.850; volts as the controller has them.
    const auto line = drive::Scaling::through({2.515, 1.0}, {1.765, 0.85});
    EXPECT_OK(line);
    put(kept, analogue(*line), "", kit.get());
    EXPECT_OK(keepSensors(*bench.folder, kept));
    const auto right = propose();
    // The digital one of the same drive beside it.
    auto digital = *drive::sensorOf(kept.sensors, "OmbrelW1", "lambda");
    digital.role = "lambda_measured";
    put(kept, digital, "", kit.get());
    EXPECT_OK(keepSensors(*bench.folder, kept));
    const auto beside = propose();
    double worst = 0, before = 0;
    size_t compared = 0;
    for (size_t i = 0; i < beside.change.size(); ++i) {
        if (beside.state[i] == proposals::CellState::Untouched) continue;
        ++compared;
        worst = std::max(worst, std::abs(right.result[i] / beside.result[i] - 1));
        before = std::max(before, std::abs(wrong.result[i] / beside.result[i] - 1));
    }
    qInfo("%zu cells: off by at most %.2f %% as it was, %.3f %% put right", compared, before * 100, worst * 100);
    QVERIFY(compared > 30 && before > 0.01 && worst < 0.003);
}

void SensorsTest::aVoltageThatWasRecordedBecomesASensorLater() {
    recording::Recording recording;
    recording.groups.resize(1);
    recording.groups[0].rate_hz = 100;
    recording.groups[0].time_s = std::vector<double>{0, 0.01, 0.02, 0.03};
    recording.groups[0].channels = {{"spare_volts", "V", "", "spare_input", {0.01f, 2.5f, 3.0f, 4.99f}}};
    auto sensor = analogue({0.2, 0.5});
    sensor.least = 0.05, sensor.most = 4.95;
    putRight({sensor}, recording);
    const auto lambda = recording.findRole("lambda_measured");
    QVERIFY(lambda && lambda.channel->unit == "lambda");
    QVERIFY(std::isnan(lambda.channel->values[0]) && std::isnan(lambda.channel->values[3]));
    QVERIFY(std::abs(static_cast<double>(lambda.channel->values[2]) - 1.1) < 1e-6);
    // Again with another line: from the voltage, not from what was made of it.
    sensor.scaling.offset = 0.6;
    putRight({sensor}, recording);
    QCOMPARE(recording.groups.size(), size_t{2});
    QVERIFY(std::abs(static_cast<double>(recording.findRole("lambda_measured").channel->values[2]) - 1.2) < 1e-6);
    // One that sends, recorded with a scaling: turned back by the head.
    recording::Recording sent;
    sent.groups.resize(1);
    sent.groups[0].name = "TarnL3";
    sent.groups[0].channels = {{"afr", "AFR", "", "lambda_measured", {15.0f}}};
    drive::Sensor then;
    then.message = "TarnL3", then.name = "afr", then.unit = "AFR", then.scaling = {1, 0.3};
    sent.sensors = sensorsText({then});
    auto now = then;
    now.scaling = {1, 0};
    putRight({now}, sent);
    QVERIFY(std::abs(static_cast<double>(sent.groups[0].channels[0].values[0]) - 14.7) < 1e-5);
}

void SensorsTest::whatCantBeIsSaid() {
    const Bench bench;
    auto sensor = analogue({0.2, 0.5});
    EXPECT_OK(check(sensor, bench.kit.get()));
    sensor.unit = "kPa";
    EXPECT_FAILS(check(sensor, bench.kit.get()), "is something else");
    sensor.unit = "AFR";
    EXPECT_OK(check(sensor, bench.kit.get()));
    sensor.channel = "no_such";
    EXPECT_FAILS(check(sensor, bench.kit.get()), "no measurement \"no_such\"");
    sensor.channel = "spare_volts";
    sensor.role = "lambda_dreamt";
    EXPECT_FAILS(check(sensor, bench.kit.get()), "lambda_dreamt");
    sensor.role.clear();
    sensor.scaling.slope = 0;
    EXPECT_FAILS(check(sensor, bench.kit.get()), "slope");
    sensor.scaling.slope = 1;
    sensor.least = 5, sensor.most = 0;
    EXPECT_FAILS(check(sensor, bench.kit.get()), "range");
}

void SensorsTest::whatIsKeptComesBack() {
    auto sensor = analogue({0.2, 0.5});
    sensor.least = 0.05;
    const KeptSensors kept{{"VERSION \"\""}, {sensor}};
    const auto back = keptSensorsFromJson(toJson(kept));
    EXPECT_OK(back);
    QVERIFY(back->sensors == kept.sensors && back->dbcs == kept.dbcs);
    for (const char* bad : {"", "[]", "{\"sensors\":[{}]}", "{\"sensors\":[{\"name\":\"a\",\"slope\":0}]}",
                            "{\"sensors\":[{\"name\":7}]}"})
        QVERIFY2(!keptSensorsFromJson(bad), bad);
    // A folder whose list can't be read says so, and is not taken for one without sensors.
    const Bench bench;
    EXPECT_OK(bench.folder->settings().set("sensors", "nonsense"));
    EXPECT_FAILS(withKeptSensors(bench.kit, *bench.folder), "can't be read");
    const auto guards =
        guardsFromJson(toJson(std::vector<drive::Guard>{{"", "a", "<pedal> > 5 %", "", 1, "b", false}}));
    EXPECT_OK(guards);
    QVERIFY(guards->size() == 1 && guards->front().hold_s == 1 && !guards->front().sound);
    QVERIFY(!guardsFromJson("[{}]") && !guardsFromJson("x"));
}

QTEST_GUILESS_MAIN(SensorsTest)
#include "SensorsTest.moc"
