// Any car by OBD, without a profile: the bench cars, and made-up buses with several controllers, 29-bit identifiers and
// answers that are wrong.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <deque>

#include "JobBench.h"
#include "core/job/TroubleCodes.h"
#include "core/link/Obd.h"

using namespace brusk;
using namespace brusk::link;

namespace {

/// Controllers that answer single-frame requests by a table.
class TablePort final : public CanPort {
  public:
    struct Answer {
        uint32_t to = 0;
        Bytes request;
        uint32_t from = 0;
        std::vector<Bytes> frames;
    };
    std::vector<Answer> answers;
    bool extended = false;
    int requests = 0;

    using CanPort::send;
    Done send(const CanFrame& frame, int64_t) override {
        if (frame.data[0] >> 4 == 3) {
            // Leave to go on: the rest of what was begun.
            waiting_.insert(waiting_.end(), held_.begin(), held_.end());
            held_.clear();
            return {};
        }
        ++requests;
        const Bytes request(frame.data.begin() + 1, frame.data.begin() + 1 + frame.data[0]);
        for (const Answer& answer : answers) {
            if (answer.to != frame.id || frame.extended != extended || answer.request != request) continue;
            for (size_t i = 0; i < answer.frames.size(); ++i) {
                CanFrame out;
                out.id = answer.from;
                out.extended = extended;
                out.length = 8;
                std::copy(answer.frames[i].begin(), answer.frames[i].end(), out.data.begin());
                (i == 0 ? waiting_ : held_).push_back(out);
            }
        }
        return {};
    }
    Done confirm(int64_t) override { return {}; }
    Result<std::optional<CanFrame>> receive(int64_t deadline_us) override {
        if (waiting_.empty() || deadline_us <= now_) {
            now_ = std::max(now_, deadline_us);
            return std::optional<CanFrame>{};
        }
        const CanFrame frame = waiting_.front();
        waiting_.pop_front();
        now_ += 300;
        return std::optional(frame);
    }
    int64_t now_us() const override { return now_; }

  private:
    std::deque<CanFrame> waiting_, held_;
    int64_t now_ = 0;
};

/// The whole first route, on the stock calibration with other injectors: the trims run to their stop.
void driveUntilRich(job::Bench& bench) {
    const auto& route = benchcar::routes().front();
    bench.car.startRoute(route);
    bench.letTimePass(route.seconds());
}

}  // namespace

class AnyCarTest : public QObject {
    Q_OBJECT
  private slots:
    void theBenchCarIsKnownByObdAlone();
    void aDriveSetsCodesThatObdReads();
    void everyValueAgreesWithTheCar();
    void severalControllersAnswerAtOnce();
    void aCarOf29BitsIsFound();
    void aControllerThatTakesOneIdAtATimeIsAskedSo();
    void valuesAreScaledAsTheStandardSays_data();
    void valuesAreScaledAsTheStandardSays();
    void cutOffAnswersAreSaidOrLeftOut();
    void nobodyIsSaid();
    void aCodesParametersAreFound();
    void freezeFramesAreReadByTheProfile();
};

void AnyCarTest::theBenchCarIsKnownByObdAlone() {
    benchcar::BenchCar car;
    benchcar::VirtualBus bus(car);
    Obd obd(bus);
    const auto controllers = obd.discover();
    EXPECT_OK(controllers);
    QCOMPARE(controllers->size(), size_t{1});
    QCOMPARE(controllers->front().name(), std::string("7E8"));
    QVERIFY(controllers->front().pids.size() > 15);
    const auto vehicle = obd.vehicle(controllers->front());
    EXPECT_OK(vehicle);
    QCOMPARE(vehicle->vin, std::string("FMKHR16T0E2004711"));
    QVERIFY(!vehicle->calibrations.empty() && vehicle->calibrations.size() == vehicle->verificationNumbers.size());
    const auto codes = obd.codes(*controllers);
    EXPECT_OK(codes);
    QVERIFY(codes->empty());
    const auto frozen = obd.freezeFrame(controllers->front());
    EXPECT_OK(frozen);
    QVERIFY(!*frozen);
}

void AnyCarTest::aDriveSetsCodesThatObdReads() {
    job::Bench bench;
    driveUntilRich(bench);
    bench.car.stopRoute();
    bench.letTimePass(5);
    Obd obd(bench.bus);
    const auto controllers = obd.discover();
    const auto codes = obd.codes(*controllers);
    EXPECT_OK(codes);
    const auto has = [&](const std::string& name) {
        return std::any_of(codes->begin(), codes->end(),
                           [&](const ObdCode& c) { return c.name == name && !c.pending; });
    };
    QVERIFY(has("P0172"));
    const auto frozen = obd.freezeFrame(controllers->front());
    EXPECT_OK(frozen);
    QVERIFY(*frozen && has((*frozen)->code) && (*frozen)->values.size() > 5);
    EXPECT_OK(obd.clear(*controllers));
    QVERIFY(obd.codes(*controllers)->empty());
}

void AnyCarTest::everyValueAgreesWithTheCar() {
    job::Bench bench;
    bench.car.startRoute(*benchcar::routeNamed("idle"));
    bench.letTimePass(30);
    Obd obd(bench.bus);
    const auto controllers = obd.discover();
    const auto values = obd.current(controllers->front(), controllers->front().pids);
    EXPECT_OK(values);
    const auto value = [&](const char* name) {
        for (const ObdValue& v : *values)
            if (v.name == name) return v.value;
        return std::nan("");
    };
    const auto& truth = bench.car.plant().state();
    QVERIFY(std::abs(value("Engine speed") - truth.speed_rpm) < 60);
    QVERIFY(std::abs(value("Coolant") - truth.coolant_C) < 2);
    QVERIFY(std::abs(value("Intake air") - truth.intake_C) < 3);
    QCOMPARE(value("Road speed"), 0.0);
}

void AnyCarTest::severalControllersAnswerAtOnce() {
    TablePort port;
    port.answers = {{0x7DF, {0x01, 0x00}, 0x7E9, {{6, 0x41, 0x00, 0, 0x10, 0, 0}}},
                    {0x7DF, {0x01, 0x00}, 0x7E8, {{6, 0x41, 0x00, 0x08, 0x18, 0, 0}}},
                    {0x7E0, {0x03}, 0x7E8, {{0x10, 8, 0x43, 3, 0x01, 0x72, 0xC1, 0x00}, {0x21, 0x92, 0x34}}},
                    {0x7E1, {0x07}, 0x7E9, {{4, 0x47, 1, 0x05, 0x07}}}};
    Obd obd(port);
    const auto controllers = obd.discover();
    EXPECT_OK(controllers);
    QCOMPARE(controllers->size(), size_t{2});
    QCOMPARE(controllers->at(0).name() + controllers->at(1).name(), std::string("7E87E9"));
    QCOMPARE(controllers->at(0).pids, (std::vector<uint8_t>{0x05, 0x0C, 0x0D}));
    const auto codes = obd.codes(*controllers);
    EXPECT_OK(codes);
    QCOMPARE(codes->size(), size_t{4});
    QVERIFY(codes->at(0).name == "P0172" && codes->at(1).name == "U0100" && codes->at(2).name == "B1234");
    QVERIFY(codes->at(3).name == "P0507" && codes->at(3).pending && codes->at(3).controller == "7E9");
}

void AnyCarTest::aCarOf29BitsIsFound() {
    TablePort port;
    port.extended = true;
    port.answers = {{0x18DB33F1, {0x01, 0x00}, 0x18DAF110, {{6, 0x41, 0x00, 0, 0x10, 0, 0}}},
                    {0x18DA10F1, {0x01, 0x0C}, 0x18DAF110, {{4, 0x41, 0x0C, 0x0B, 0xB8}}}};
    Obd obd(port);
    const auto controllers = obd.discover();
    EXPECT_OK(controllers);
    QCOMPARE(controllers->front().name(), std::string("18DAF110"));
    const auto values = obd.current(controllers->front(), {0x0C});
    EXPECT_OK(values);
    QVERIFY(values->size() == 1 && values->front().value == 750 && values->front().unit == "rpm");
}

void AnyCarTest::aControllerThatTakesOneIdAtATimeIsAskedSo() {
    TablePort port;
    port.answers = {{0x7DF, {0x01, 0x00}, 0x7E8, {{6, 0x41, 0x00, 0, 0x18, 0, 0}}},
                    {0x7E0, {0x01, 0x0C}, 0x7E8, {{4, 0x41, 0x0C, 0x0B, 0xB8}}},
                    {0x7E0, {0x01, 0x0D}, 0x7E8, {{3, 0x41, 0x0D, 50}}}};
    Obd obd(port);
    const auto controllers = obd.discover();
    const auto values = obd.current(controllers->front(), {0x0C, 0x0D, 0x10});
    EXPECT_OK(values);
    QCOMPARE(values->size(), size_t{2});
    QVERIFY(values->at(1).value == 50 && values->at(1).unit == "km/h");
}

void AnyCarTest::valuesAreScaledAsTheStandardSays_data() {
    QTest::addColumn<QByteArray>("data");
    QTest::addColumn<double>("value");
    QTest::addColumn<QString>("unit");
    const auto row = [](const char* hex, double value, const char* unit) {
        QTest::newRow(hex) << QByteArray::fromHex(hex) << value << QString::fromUtf8(unit);
    };
    // By the formulas of SAE J1979's table B, computed by hand.
    row("04ff", 100, "%");
    row("055a", 50, "\u00b0C");
    row("0680", 0, "%");
    row("06ff", 99.21875, "%");
    row("0b65", 101, "kPa");
    row("0c1af8", 1726, "rpm");
    row("0e80", 0, "\u00b0");
    row("0ea0", 16, "\u00b0");
    row("100fa0", 40, "g/s");
    row("1180", 50.19607843137255, "%");
    row("145aff", 0.45, "V");
    row("2480008000", 1, "lambda");
    row("3480008000", 1, "lambda");
    row("4235e8", 13.8, "V");
    row("4300ff", 100, "%");
    row("448000", 1, "lambda");
    row("5c64", 60, "\u00b0C");
    row("5e0064", 5, "l/h");
}

void AnyCarTest::valuesAreScaledAsTheStandardSays() {
    QFETCH(QByteArray, data);
    QFETCH(double, value);
    QFETCH(QString, unit);
    const auto values = obdValues(asBytes(data.toStdString()), false);
    QVERIFY(!values.empty());
    QVERIFY2(std::abs(values[0].value - value) < 1e-9, qPrintable(QString::number(values[0].value, 'g', 12)));
    QCOMPARE(QString::fromStdString(values[0].unit), unit);
}

void AnyCarTest::cutOffAnswersAreSaidOrLeftOut() {
    QVERIFY(obdValues(Bytes{0x0C, 0x1A}, false).empty());
    QCOMPARE(obdValues(Bytes{0x05, 0x5A, 0x0C, 0x1A}, false).size(), size_t{1});
    QVERIFY(obdValues(Bytes{0xFE, 1, 2, 3}, false).empty());
    EXPECT_FAILS(obdCodes(Bytes{3, 0x01, 0x72}), "3 are announced, 1 came");
    QVERIFY(obdCodes(Bytes{0})->empty() && obdCodes(Bytes{})->empty());
}

void AnyCarTest::nobodyIsSaid() {
    TablePort port;
    Obd obd(port);
    const auto controllers = obd.discover();
    EXPECT_FAILS(controllers, "No controller answers OBD requests");
    QCOMPARE(port.requests, 2);  // 11 bits, then 29
}

void AnyCarTest::aCodesParametersAreFound() {
    job::Bench bench;
    const auto& definition = *bench.kit->definition;
    const auto found = job::parametersOfCode(definition, "P0172");
    QVERIFY(found.size() >= 2);
    QCOMPARE(found[0]->name, std::string("diag_rich"));  // the switch comes first
    QVERIFY(std::any_of(found.begin(), found.end(), [](const auto* p) { return p->name == "diag_trim"; }));
    QVERIFY(job::parametersOfCode(definition, "P017").empty());  // half a code is none
    QVERIFY(job::parametersOfCode(definition, "P0999").empty());
}

void AnyCarTest::freezeFramesAreReadByTheProfile() {
    job::Bench bench;
    driveUntilRich(bench);
    auto uds = bench.uds();
    const auto codes = job::troubleCodes(uds, *bench.kit);
    EXPECT_OK(codes);
    const auto rich = std::find_if(codes->begin(), codes->end(), [](const auto& c) { return c.code.code == 0x017200; });
    QVERIFY(rich != codes->end() && rich->occurrences >= 1);
    QCOMPARE(rich->frozen.size(), size_t{9});
    const auto frozen = [&](const char* label) {
        for (const auto& value : rich->frozen)
            if (value.label == label) return value.value;
        return std::nan("");
    };
    // What set the code: long trims far down, a warm engine, the generator at work.
    QVERIFY(frozen("Short trim") + frozen("Long trim") < -10);
    QVERIFY(frozen("Coolant") > 60 && frozen("Battery") > 13 && frozen("Engine speed") > 500);
}

QTEST_GUILESS_MAIN(AnyCarTest)
#include "AnyCarTest.moc"
