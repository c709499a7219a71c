// The bench car's diagnostic server in unlucky conversations: out of session, repeated, wrong, with every kind of flow
// control. SPDX-License-Identifier: GPL-3.0-or-later
#include "Expect.h"
#include "benchcar/VirtualBus.h"
#include "core/link/Transfer.h"

using namespace brusk;
using namespace brusk::benchcar;

namespace {

struct Wire {
    Wire()
        : car(kHeronStock, 1),
          bus(car),
          profile(*link::readProfile(readText(BRUSK_DATA_DIR "/heron/aldine-e2.profile.json"))),
          uds(bus, profile) {}

    /// The negative response code to a raw request; 0 for a positive answer, -1 for none.
    int refusal(const Bytes& request) {
        if (!uds.transport().send(request)) return -1;
        for (int i = 0; i < 5; ++i) {
            const auto answer = uds.transport().receive(bus.now_us() + 500000);
            if (!answer) return -1;
            if ((*answer)[0] != 0x7F) return 0;
            if ((*answer)[2] != 0x78) return (*answer)[2];
        }
        return -1;
    }
    void open(uint8_t session) {
        if (!uds.startSession(session) || !uds.unlock()) qFatal("the session did not open");
    }
    void letTimePass(double seconds) {
        const int64_t until = bus.now_us() + static_cast<int64_t>(seconds * 1e6);
        while (bus.now_us() < until)
            if (!bus.receive(until)) break;
    }

    BenchCar car;
    VirtualBus bus;
    link::Profile profile;
    link::Uds uds;
};

Bytes withRange(Bytes head, uint32_t start, uint32_t length) {
    for (const uint32_t value : {start, length})
        for (int shift = 24; shift >= 0; shift -= 8)
            head.push_back(static_cast<uint8_t>(value >> shift));
    return head;
}

}  // namespace

class DiagnosticsTest : public QObject {
    Q_OBJECT
  private slots:
    void requestsOutOfSessionAreRefused();
    void wrongLengthsAndUnknownThingsAreRefused();
    void theSessionTimesOutWithoutTesterPresent();
    void nothingOpensWithoutTheKey();
    void theBootAreaCannotBeErased();
    void programmingWantsErasedMemory();
    void aRepeatedBlockIsConfirmedAndWrittenOnce();
    void aBlockOutOfOrderIsRefused();
    void aNewTransferWhileOneIsOpenIsRefused();
    void uploadsEndWhereTheyShould();
    void theTesterObeysSlowFlowControl_data();
    void theTesterObeysSlowFlowControl();
    void theServerObeysTheTestersFlowControl();
    void dynamicIdsAreCheckedAndLimited();
    void periodicDataStopsWhenAsked();
    void eraseSaysPendingAndTakesItsTime();
    void aResetEndsTheSession();
    void arbitrationLetsTheLowestIdentifierGoFirst();
    void theWireCarriesNoMoreThanItCan();
};

void DiagnosticsTest::requestsOutOfSessionAreRefused() {
    Wire w;
    QCOMPARE(w.refusal(withRange({0x31, 0x01, 0xFF, 0x00, 0x44}, 0x8C0000, 0x4000)), 0x7F);
    QCOMPARE(w.refusal(withRange({0x35, 0x00, 0x44}, 0x8C0000, 16)), 0x7F);
    QCOMPARE(w.refusal({0x27, 0x01}), 0x7F);
    QCOMPARE(w.refusal({0x2C, 0x03}), 0x7F);
    QCOMPARE(w.refusal({0x36, 0x01}), 0x24);
    QCOMPARE(w.refusal({0x37}), 0x24);
    w.open(3);
    QCOMPARE(w.refusal(withRange({0x31, 0x01, 0xFF, 0x00, 0x44}, 0x8C0000, 0x4000)),
             0x7F);  // erasing wants programming
    QCOMPARE(w.refusal(withRange({0x34, 0x00, 0x44}, 0x8C0000, 0x4000)), 0x7F);
}

void DiagnosticsTest::wrongLengthsAndUnknownThingsAreRefused() {
    Wire w;
    QCOMPARE(w.refusal({0x99}), 0x11);
    QCOMPARE(w.refusal({0x10}), 0x13);
    QCOMPARE(w.refusal({0x10, 0x7E}), 0x12);
    QCOMPARE(w.refusal({0x11, 0x05}), 0x12);
    QCOMPARE(w.refusal({0x22, 0xF1}), 0x13);
    QCOMPARE(w.refusal({0x22, 0x12, 0x34}), 0x31);
    QCOMPARE(w.refusal({0x19, 0x02}), 0x13);
    QCOMPARE(w.refusal({0x19, 0x77, 0xFF}), 0x12);
    QCOMPARE(w.refusal({0x14, 0xFF}), 0x13);
    QCOMPARE(w.refusal({0x3E, 0x00}), 0);
    w.open(3);
    QCOMPARE(w.refusal({0x31, 0x01, 0x77, 0x77}), 0x31);
    QCOMPARE(w.refusal({0x31, 0x02, 0xFF, 0x01}), 0x12);
    QCOMPARE(w.refusal({0x31, 0x01, 0xFF}), 0x13);
    QCOMPARE(w.refusal({0x35, 0x00, 0x22, 0x00, 0x00}), 0x13);
    QCOMPARE(w.refusal(withRange({0x35, 0x00, 0x44}, 0x8FFFF0, 0x20)), 0x31);
}

void DiagnosticsTest::theSessionTimesOutWithoutTesterPresent() {
    Wire w;
    w.open(3);
    w.letTimePass(4);
    EXPECT_OK(w.uds.testerPresent());
    w.letTimePass(4);
    EXPECT_OK(w.uds.checksum(0x8C0000, 16));
    w.letTimePass(6);
    EXPECT_FAILS(w.uds.checksum(0x8C0000, 16), "not available in this session");
}

void DiagnosticsTest::nothingOpensWithoutTheKey() {
    Wire w;
    EXPECT_OK(w.uds.startSession(2));
    QCOMPARE(w.refusal(withRange({0x31, 0x01, 0xFF, 0x00, 0x44}, 0x8C0000, 0x4000)), 0x33);
    QCOMPARE(w.refusal(withRange({0x34, 0x00, 0x44}, 0x8C0000, 0x4000)), 0x33);
    QCOMPARE(w.refusal({0x27, 0x02, 1, 2, 3, 4}), 0x24);  // a key before any seed
    EXPECT_OK(w.uds.unlock());
    EXPECT_OK(w.uds.unlock());  // open already: a seed of zeros
    EXPECT_OK(w.uds.startSession(2));
    QCOMPARE(w.refusal(withRange({0x34, 0x00, 0x44}, 0x8C0000, 0x4000)), 0x33);  // a new session locks again
}

void DiagnosticsTest::theBootAreaCannotBeErased() {
    Wire w;
    w.open(2);
    const Bytes before(w.car.memory().flash().begin(), w.car.memory().flash().begin() + 0x10000);
    QCOMPARE(w.refusal(withRange({0x31, 0x01, 0xFF, 0x00, 0x44}, 0x800000, 0x10000)), 0x31);
    QCOMPARE(w.refusal(withRange({0x31, 0x01, 0xFF, 0x00, 0x44}, 0x8C1000, 0x4000)), 0x31);  // not a sector's beginning
    QCOMPARE(w.refusal(withRange({0x31, 0x01, 0xFF, 0x00, 0x44}, 0x8C0000, 0x8000)), 0x31);  // two at once
    QCOMPARE(w.refusal(withRange({0x34, 0x00, 0x44}, 0x800000, 0x100)), 0x70);
    QVERIFY(std::equal(before.begin(), before.end(), w.car.memory().flash().begin()));
}

void DiagnosticsTest::programmingWantsErasedMemory() {
    Wire w;
    w.open(2);
    QCOMPARE(w.refusal(withRange({0x34, 0x00, 0x44}, 0x8C0000, 0x4000)), 0x22);
    EXPECT_OK(w.uds.erase({0x8C0000, 0x4000}));
    EXPECT_OK(w.uds.requestDownload(0x8C0000, 0x4000));
}

void DiagnosticsTest::aRepeatedBlockIsConfirmedAndWrittenOnce() {
    Wire w;
    w.open(2);
    EXPECT_OK(w.uds.erase({0x8C0000, 0x4000}));
    EXPECT_OK(w.uds.requestDownload(0x8C0000, 0x4000));
    EXPECT_OK(w.uds.sendBlock(1, Bytes{1, 2, 3, 4}));
    EXPECT_OK(w.uds.sendBlock(1, Bytes{1, 2, 3, 4}));  // its answer was lost, so it comes again
    EXPECT_OK(w.uds.sendBlock(2, Bytes{5, 6}));
    const auto flash = w.car.memory().at(0x8C0000, 8);
    QCOMPARE(Bytes(flash.begin(), flash.end()), (Bytes{1, 2, 3, 4, 5, 6, 0xFF, 0xFF}));
}

void DiagnosticsTest::aBlockOutOfOrderIsRefused() {
    Wire w;
    w.open(2);
    EXPECT_OK(w.uds.erase({0x8C0000, 0x4000}));
    EXPECT_OK(w.uds.requestDownload(0x8C0000, 0x4000));
    EXPECT_FAILS(w.uds.sendBlock(2, Bytes{1}), "out of order");
    EXPECT_FAILS(w.uds.sendBlock(0, Bytes{1}), "out of order");
    EXPECT_OK(w.uds.sendBlock(1, Bytes{1}));
    QCOMPARE(w.refusal({0x36, 0x02}), 0x31);  // a block of nothing
}

void DiagnosticsTest::aNewTransferWhileOneIsOpenIsRefused() {
    Wire w;
    w.open(3);
    EXPECT_OK(w.uds.requestUpload(0x8C0000, 0x100));
    QCOMPARE(w.refusal(withRange({0x35, 0x00, 0x44}, 0x8C0000, 16)), 0x22);
    EXPECT_OK(w.uds.exitTransfer());
    EXPECT_OK(w.uds.requestUpload(0x8C0000, 0x100));
}

void DiagnosticsTest::uploadsEndWhereTheyShould() {
    Wire w;
    w.open(3);
    const auto block = w.uds.requestUpload(0x8C0000, 5000);
    EXPECT_OK(block);
    QCOMPARE(*block, size_t{4093});
    QCOMPARE(w.uds.receiveBlock(1)->size(), size_t{4093});
    QCOMPARE(w.uds.receiveBlock(2)->size(), size_t{907});
    EXPECT_FAILS(w.uds.receiveBlock(3), "out of sequence");
}

void DiagnosticsTest::theTesterObeysSlowFlowControl_data() {
    QTest::addColumn<int>("block");
    QTest::addColumn<int>("separation");
    QTest::addColumn<int>("waits");
    QTest::newRow("block size 1") << 1 << 0 << 0;
    QTest::newRow("10 ms between frames") << 0 << 10 << 0;
    QTest::newRow("300 us between frames") << 0 << 0xF3 << 0;
    QTest::newRow("waits three times") << 0 << 0 << 3;
    QTest::newRow("all of it") << 2 << 2 << 2;
}

void DiagnosticsTest::theTesterObeysSlowFlowControl() {
    QFETCH(int, block);
    QFETCH(int, separation);
    QFETCH(int, waits);
    Wire w;
    w.open(2);
    EXPECT_OK(w.uds.erase({0x8C0000, 0x4000}));
    EXPECT_OK(w.uds.requestDownload(0x8C0000, 0x4000));
    w.car.diagnostics().transport().blockSize = block;
    w.car.diagnostics().transport().separation = static_cast<uint8_t>(separation);
    w.car.diagnostics().transport().waitsBeforeLeave = waits;
    Bytes data(300);
    for (size_t i = 0; i < data.size(); ++i)
        data[i] = static_cast<uint8_t>(i * 3);
    const int64_t begun = w.bus.now_us();
    EXPECT_OK(w.uds.sendBlock(1, data));
    const auto flash = w.car.memory().at(0x8C0000, 300);
    QVERIFY(std::equal(data.begin(), data.end(), flash.begin()));
    if (separation == 10) QVERIFY(w.bus.now_us() - begun > 42 * 10000);
}

void DiagnosticsTest::theServerObeysTheTestersFlowControl() {
    ServerTransport server(0x7E0, 0x7E8);
    server.send(Message(30, 7), 0);
    QVERIFY(server.nextFrame(0));   // first frame
    QVERIFY(!server.nextFrame(1));  // nothing without leave
    link::CanFrame flow;
    flow.id = 0x7E0;
    flow.length = 8;
    flow.data = {0x30, 2, 5};  // two frames, 5 ms apart
    server.receive(flow, 1000);
    QVERIFY(server.nextFrame(1000));
    QVERIFY(!server.nextFrame(5999));
    QVERIFY(server.nextFrame(6000));
    QVERIFY(!server.nextFrame(20000));  // the block is over
    server.receive(flow, 30000);
    QVERIFY(server.nextFrame(30000));
    // Without further leave it gives up after N_Bs.
    server.send(Message(30, 7), 0);
    QVERIFY(server.nextFrame(0));
    QVERIFY(!server.nextFrame(1000001));
    QVERIFY(!server.sending());
}

void DiagnosticsTest::dynamicIdsAreCheckedAndLimited() {
    Wire w;
    EXPECT_OK(w.uds.startSession(3));
    EXPECT_OK(w.uds.defineDynamicId(0xF200, {{0x3F0000, 2}, {0x3F0002, 2}}));
    EXPECT_FAILS(w.uds.defineDynamicId(0xF201, {{0x3F0000, 4}, {0x3F0002, 4}}),
                 "out of range");  // more than a frame holds
    EXPECT_FAILS(w.uds.defineDynamicId(0xF201, {{0x00000000, 2}}), "out of range");
    EXPECT_FAILS(w.uds.defineDynamicId(0x1234, {{0x3F0000, 2}}), "out of range");
    for (uint16_t i = 1; i < 24; ++i)
        EXPECT_OK(w.uds.defineDynamicId(static_cast<uint16_t>(0xF200 + i), {{0x3F0000, 1}}));
    EXPECT_FAILS(w.uds.defineDynamicId(0xF218, {{0x3F0000, 1}}), "out of range");
    EXPECT_FAILS(w.uds.startPeriodic(3, {0x40}), "out of range");
    EXPECT_OK(w.uds.clearDynamicIds());
    EXPECT_FAILS(w.uds.startPeriodic(3, {0x00}), "out of range");
}

void DiagnosticsTest::periodicDataStopsWhenAsked() {
    Wire w;
    EXPECT_OK(w.uds.startSession(3));
    EXPECT_OK(w.uds.defineDynamicId(0xF200, {{0x3F0000, 2}}));
    EXPECT_OK(w.uds.startPeriodic(3, {0x00}));
    const auto count = [&] {
        int frames = 0;
        const int64_t until = w.bus.now_us() + 1000000;
        while (w.bus.now_us() < until) {
            const auto frame = w.bus.receive(until);
            frames += frame && *frame && (*frame)->id == w.profile.periodicId;
        }
        return frames;
    };
    const int running = count();
    QVERIFY2(running >= 99 && running <= 101, qPrintable(QString::number(running)));
    EXPECT_OK(w.uds.stopPeriodic());
    count();
    QCOMPARE(count(), 0);
}

void DiagnosticsTest::eraseSaysPendingAndTakesItsTime() {
    Wire w;
    w.open(2);
    const int64_t begun = w.bus.now_us();
    EXPECT_OK(w.uds.erase({0x8C0000, 0x4000}));
    QVERIFY(w.bus.now_us() - begun >= Diagnostics::kEraseSector_us);
    const auto bytes = w.car.memory().at(0x8C0000, 0x4000);
    QVERIFY(std::all_of(bytes.begin(), bytes.end(), [](uint8_t b) { return b == 0xFF; }));
}

void DiagnosticsTest::aResetEndsTheSession() {
    Wire w;
    w.open(2);
    EXPECT_OK(w.uds.erase({0x8C4000, 0x4000}));
    EXPECT_OK(w.uds.reset());
    w.letTimePass(0.05);
    QVERIFY(w.car.bootMode());
    EXPECT_FAILS(w.uds.readId(0xF188), "conditions are not right");  // no valid program tells no number
    EXPECT_OK(w.uds.readId(0xF190));                                 // the boot area still knows the car
}

void DiagnosticsTest::arbitrationLetsTheLowestIdentifierGoFirst() {
    Wire w;
    w.car.startRoute(*routeNamed("idle"));
    EXPECT_OK(w.uds.startSession(3));
    std::vector<link::Uds::Place> place{{0x3F0000, 2}};
    for (uint16_t i = 0; i < 4; ++i)
        EXPECT_OK(w.uds.defineDynamicId(static_cast<uint16_t>(0xF200 + i), place));
    EXPECT_OK(w.uds.startPeriodic(3, {0, 1, 2, 3}));
    // In each period the wideband (0x3A0) comes before the periodic data (0x5E8).
    uint32_t previous = 0;
    int64_t previousAt = 0;
    int seen = 0;
    while (seen < 200) {
        const auto frame = w.bus.receive(w.bus.now_us() + 20000);
        if (!frame || !*frame) break;
        if ((*frame)->id == BenchCar::kWidebandId && previous == w.profile.periodicId)
            QVERIFY((*frame)->time_us - previousAt > 1000);
        previous = (*frame)->id;
        previousAt = (*frame)->time_us;
        ++seen;
    }
    QCOMPARE(seen, 200);
}

void DiagnosticsTest::theWireCarriesNoMoreThanItCan() {
    Wire w;
    w.open(3);
    const int64_t begun = w.bus.now_us(), busy = w.bus.busyTime_us();
    EXPECT_OK(w.uds.requestUpload(0x8C0000, 0x4000));
    for (uint8_t i = 1; i <= 5; ++i)
        EXPECT_OK(w.uds.receiveBlock(i));
    const int64_t took = w.bus.now_us() - begun, held = w.bus.busyTime_us() - busy;
    QVERIFY(held <= took);
    QVERIFY(static_cast<double>(held) > 0.9 * static_cast<double>(took));  // and hardly a pause between frames
    // 16 KiB at 500 kbit/s: 2,341 frames of some 120 bits.
    QVERIFY(took > 500000 && took < 680000);
}

QTEST_APPLESS_MAIN(DiagnosticsTest)
#include "DiagnosticsTest.moc"
