// On-board diagnostics as a workshop's scan tool asks for them: by everybody's address, live, frozen, and by mode.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Wire.h"

using namespace brusk;
using namespace brusk::benchcar;

class ObdTest : public QObject {
    Q_OBJECT
  private slots:
    void functionalRequestsAreAnsweredOrIgnored();
    void obdModesTellWhatTheStandardAsks();
    void obdFreezeFrameHoldsTheMoment();
};

void ObdTest::functionalRequestsAreAnsweredOrIgnored() {
    Wire w;
    const auto ask = [&](std::initializer_list<uint8_t> request) -> std::optional<can::CanFrame> {
        can::CanFrame frame;
        frame.id = 0x7DF;
        frame.length = 8;
        frame.data[0] = static_cast<uint8_t>(request.size());
        std::copy(request.begin(), request.end(), frame.data.begin() + 1);
        if (!w.bus.send(frame)) return std::nullopt;
        for (const int64_t until = w.bus.now_us() + 60000; w.bus.now_us() < until;) {
            const auto answer = w.bus.receive(until);
            if (answer && *answer && (*answer)->id == 0x7E8) return **answer;
        }
        return std::nullopt;
    };
    const auto ids = ask({0x01, 0x00});
    QVERIFY(ids && ids->data[1] == 0x41 && ids->data[2] == 0x00 && ids->data[3] & 0x18);
    QVERIFY(!ask({0x01, 0xF5}));  // not supported: silence
    QVERIFY(!ask({0x99, 0x00}));
    QVERIFY(!ask({0x22, 0x12, 0x34}));
    const auto present = ask({0x3E, 0x00});
    QVERIFY(present && present->data[1] == 0x7E);
    QVERIFY(!ask({0x3E, 0x80}));
}

void ObdTest::obdModesTellWhatTheStandardAsks() {
    Wire w;
    w.car.startRoute(*routeNamed("idle"));
    w.letTimePass(30);
    const auto ask = [&](const Bytes& request) {
        if (!w.uds.transport().send(request)) return Bytes{};
        auto answer = w.uds.transport().receive(w.bus.now_us() + 500000);
        return answer ? *answer : Bytes{};
    };
    const TrueState& s = w.car.plant().state();
    // Several ids in one request; then each against the truth.
    const Bytes live = ask({0x01, 0x0C, 0x05, 0x0B, 0x42, 0x0F, 0x33});
    QVERIFY(live.size() == 1 + 3 + 2 + 2 + 3 + 2 + 2 && live[0] == 0x41 && live[1] == 0x0C);
    QVERIFY(std::abs((live[2] << 8 | live[3]) / 4.0 - s.speed_rpm) < 40);
    QVERIFY(std::abs(live[5] - 40 - s.coolant_C) < 2.5);
    QVERIFY(std::abs(live[7] - s.pressure_kPa) < 3);
    QVERIFY(std::abs((live[9] << 8 | live[10]) / 1000.0 - s.battery_V) < 0.2);
    QVERIFY(std::abs(live[12] - 40 - s.intake_C) < 3);
    QVERIFY(std::abs(live[14] - 101.3) < 2);
    const Bytes lambda = ask({0x01, 0x44});
    QVERIFY(std::abs((lambda[2] << 8 | lambda[3]) / 32768.0 - 1) < 0.02);
    // Every id that the masks promise is answered.
    for (const uint8_t base : {0x00, 0x20, 0x40}) {
        const Bytes mask = ask({0x01, base});
        QCOMPARE(mask.size(), size_t{6});
        for (int bit = 0; bit < 32; ++bit)
            if (mask[2 + static_cast<size_t>(bit / 8)] >> (7 - bit % 8) & 1) {
                const auto id = static_cast<uint8_t>(base + bit + 1);
                const Bytes answer = ask({0x01, id});
                QVERIFY2(answer.size() > 2 && answer[1] == id, qPrintable(QString::number(id, 16)));
            }
    }
    const Bytes vin = ask({0x09, 0x02});
    QCOMPARE(std::string(vin.begin() + 3, vin.end()), std::string("FMKHR16T0E2004711"));
    const Bytes id = ask({0x09, 0x04});
    QCOMPARE(std::string(id.begin() + 3, id.end()), std::string("HERON16T-FACTORY"));
    const Bytes sum = ask({0x09, 0x06});
    const uint32_t crc = memoryCrc(w.car.memory().at(map::kCalibration, map::kCalibrationSize));
    QCOMPARE(static_cast<uint32_t>(sum[3]) << 24 | static_cast<uint32_t>(sum[4]) << 16 |
                 static_cast<uint32_t>(sum[5]) << 8 | sum[6],
             crc);
    QCOMPARE(ask({0x03}), (Bytes{0x43, 0x00}));
    QCOMPARE(ask({0x07}), (Bytes{0x47, 0x00}));
}

void ObdTest::obdFreezeFrameHoldsTheMoment() {
    Wire w;
    w.car.startRoute(*routeNamed("idle"));
    w.letTimePass(15);
    QVERIFY(addFault(w.car.faults(), "intake:dead"));
    w.letTimePass(5);
    const auto ask = [&](const Bytes& request) {
        if (!w.uds.transport().send(request)) return Bytes{};
        auto answer = w.uds.transport().receive(w.bus.now_us() + 500000);
        return answer ? *answer : Bytes{};
    };
    QCOMPARE(ask({0x03}), (Bytes{0x43, 0x01, 0x01, 0x13}));
    QCOMPARE(ask({0x02, 0x02, 0x00}), (Bytes{0x42, 0x02, 0x00, 0x01, 0x13}));
    const Bytes frozen = ask({0x02, 0x0C, 0x00});
    QCOMPARE(frozen.size(), size_t{5});
    w.car.stopRoute();
    w.letTimePass(5);
    QCOMPARE(ask({0x02, 0x0C, 0x00}), frozen);  // the engine stands, the frame does not change
    const Bytes status = ask({0x01, 0x01});
    QCOMPARE(status[2], uint8_t{0x81});  // lamp on, one code
    QCOMPARE(ask({0x04}), Bytes{0x44});
    w.car.faults() = {};
    w.letTimePass(1);
    QCOMPARE(ask({0x03}), (Bytes{0x43, 0x00}));
}

QTEST_APPLESS_MAIN(ObdTest)
#include "ObdTest.moc"
