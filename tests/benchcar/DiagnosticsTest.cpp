// The bench car's diagnostic server in unlucky conversations: out of session, repeated, wrong, with every kind of flow
// control.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Wire.h"

using namespace brusk;
using namespace brusk::benchcar;

namespace {

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
    void powerCanGoAtAChosenByte();
    void uploadsEndWhereTheyShould();
    void anUploadBlockAskedForAgainComesAgain();
    void everyServiceAnswersAsItShould_data();
    void everyServiceAnswersAsItShould();
    void wrongKeysLockForAWhile();
    void aBusyControllerAsksForPatience();
    void aQuietRequestIsObeyedSilently();
    void memoryIsReadByAddress();
    void workshopNumbersAreWrittenAndKept();
    void broadcastsCanBeSilenced();
    void codesAreNotSetWhileTheirSettingIsOff();
    void codesComeWithSnapshotAndCount();
    void periodicDataComesAtTheRateAskedFor();
    void dynamicIdsCanBeMadeOfOtherIds();
    void aLateConsecutiveFrameEndsTheMessage();
    void theTesterObeysSlowFlowControl_data();
    void theTesterObeysSlowFlowControl();
    void theServerObeysTheTestersFlowControl();
    void dynamicIdsAreCheckedAndLimited();
    void eachIdentifierKeepsItsOwnRate();
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

void DiagnosticsTest::powerCanGoAtAChosenByte() {
    Wire w;
    w.open(2);
    EXPECT_OK(w.uds.erase({0x8C0000, 0x4000}));
    EXPECT_OK(w.uds.requestDownload(0x8C0000, 0x4000));
    w.car.faults().powerCutByte = 100;
    Bytes data(300, 0x5A);
    QVERIFY(!w.uds.sendBlock(1, data));
    const auto flash = w.car.memory().at(0x8C0000, 300);
    QVERIFY(flash[99] == 0x5A && flash[100] == 0xFF);
    QVERIFY(w.car.bootMode());
    QVERIFY(w.car.faults().powerCutByte < 0);
    // It can always be flashed again.
    w.open(2);
    EXPECT_OK(w.uds.erase({0x8C0000, 0x4000}));
    EXPECT_OK(w.uds.requestDownload(0x8C0000, 0x4000));
    EXPECT_OK(w.uds.sendBlock(1, data));
}

void DiagnosticsTest::anUploadBlockAskedForAgainComesAgain() {
    Wire w;
    w.open(3);
    EXPECT_OK(w.uds.requestUpload(0x8C0000, 5000));
    const auto first = w.uds.receiveBlock(1), again = w.uds.receiveBlock(1);
    EXPECT_OK(first);
    EXPECT_OK(again);
    QVERIFY(*first == *again);
    QCOMPARE(w.uds.receiveBlock(2)->size(), size_t{907});
}

void DiagnosticsTest::everyServiceAnswersAsItShould_data() {
    QTest::addColumn<QByteArray>("request");
    QTest::addColumn<int>("session");
    QTest::addColumn<int>("code");
    const auto row = [](const char* name, const char* request, int session, int code) {
        QTest::newRow(name) << QByteArray::fromHex(request) << session << code;
    };
    row("reset, soft", "1103", 1, 0);
    row("clear one group that is not kept", "14123456", 1, 0x31);
    row("codes: count", "1901FF", 1, 0);
    row("codes: supported", "190A", 1, 0);
    row("codes: supported with too much", "190A00", 1, 0x13);
    row("codes: snapshot of one not known", "190499999901", 1, 0x31);
    row("codes: snapshot record that is not there", "190401070077", 1, 0x31);
    row("identifiers: two at once", "22F190F18C", 1, 0);
    row("identifiers: odd length", "22F190F1", 1, 0x13);
    row("memory by address in the default session", "23143F000002", 1, 0x7F);
    row("memory: flash without key", "23148C000004", 3, 0x13);
    row("memory: flash without key, four bytes of address", "2314008C000004", 3, 0x33);
    row("memory: RAM", "2314003F000004", 3, 0);
    row("memory: nowhere", "23140000000004", 3, 0x31);
    row("memory: nothing", "2314003F000000", 3, 0x31);
    row("key of another level", "2703", 3, 0x12);
    row("communication in the default session", "280301", 1, 0x7F);
    row("communication: unknown kind", "280901", 3, 0x12);
    row("communication: network management", "280302", 3, 0x31);
    row("write in the default session", "2EF19830313233343536373839", 1, 0x7F);
    row("write without key", "2EF19830313233343536373839", 3, 0x33);
    row("write the VIN", "2EF19030313233343536373839", 3, 0x31);
    row("write too short", "2EF1983031", 3, 0x13);
    row("routine result before any", "3103FF00", 3, 0x24);
    row("routine that nobody knows", "3101777700", 3, 0x33);
    row("codes' setting in the default session", "8502", 1, 0x7F);
    row("codes' setting: unknown", "8507", 3, 0x12);
    row("tester present, unknown kind", "3E01", 1, 0x12);
    row("periodic in the default session", "2A0300", 1, 0x7F);
    row("periodic at no rate", "2A0700", 3, 0x31);
    row("OBD: a mode nobody knows", "0A", 1, 0x11);
    row("OBD: an id nobody knows", "01F5", 1, 0x12);
}

void DiagnosticsTest::everyServiceAnswersAsItShould() {
    QFETCH(QByteArray, request);
    QFETCH(int, session);
    QFETCH(int, code);
    Wire w;
    if (session != 1) EXPECT_OK(w.uds.startSession(static_cast<uint8_t>(session)));
    QCOMPARE(w.refusal(Bytes(request.begin(), request.end())), code);
}

void DiagnosticsTest::wrongKeysLockForAWhile() {
    Wire w;
    EXPECT_OK(w.uds.startSession(3));
    for (const int expected : {0x35, 0x35, 0x36}) {
        QCOMPARE(w.refusal({0x27, 0x01}), 0);
        QCOMPARE(w.refusal({0x27, 0x02, 1, 2, 3, 4}), expected);
    }
    QCOMPARE(w.refusal({0x27, 0x01}), 0x37);
    w.letTimePass(4.5);
    EXPECT_OK(w.uds.testerPresent());
    w.letTimePass(4.5);
    QCOMPARE(w.refusal({0x27, 0x01}), 0x37);
    w.letTimePass(1.5);
    EXPECT_OK(w.uds.unlock());
}

void DiagnosticsTest::aBusyControllerAsksForPatience() {
    Wire w;
    w.open(2);
    EXPECT_OK(w.uds.transport().send(withRange({0x31, 0x01, 0xFF, 0x00, 0x44}, 0x8C0000, 0x4000)));
    auto answer = w.uds.transport().receive(w.bus.now_us() + 100000);
    QVERIFY(answer && (*answer)[0] == 0x7F && (*answer)[2] == 0x78);
    QCOMPARE(w.refusal({0x22, 0xF1, 0x90}), 0x21);
    QCOMPARE(w.refusal({0x3E, 0x00}), 0);  // a sign of life is taken
    answer = w.uds.transport().receive(w.bus.now_us() + 400000);
    QVERIFY(answer && (*answer)[0] == 0x71);
    QCOMPARE(w.refusal({0x22, 0xF1, 0x90}), 0);
    QCOMPARE(w.refusal({0x31, 0x03, 0xFF, 0x00}), 0);
}

void DiagnosticsTest::aQuietRequestIsObeyedSilently() {
    Wire w;
    QCOMPARE(w.refusal({0x10, 0x83}), -1);
    QCOMPARE(w.refusal({0x22, 0xF1, 0x86}), 0);
    QCOMPARE(w.refusal({0x27, 0x01}), 0);     // the session did open
    QCOMPARE(w.refusal({0x10, 0xFE}), 0x12);  // a refusal is told nevertheless
    QCOMPARE(w.refusal({0x3E, 0x80}), -1);
}

void DiagnosticsTest::memoryIsReadByAddress() {
    Wire w;
    w.open(3);
    EXPECT_OK(w.uds.transport().send(Bytes{0x23, 0x24, 0x00, 0x8C, 0x00, 0x10, 0x00, 0x10}));
    const auto answer = w.uds.transport().receive(w.bus.now_us() + 500000);
    EXPECT_OK(answer);
    QCOMPARE(answer->size(), size_t{17});
    QCOMPARE((*answer)[0], uint8_t{0x63});
    QCOMPARE(std::string(answer->begin() + 1, answer->end()), std::string("HERON16T-FACTORY"));
}

void DiagnosticsTest::workshopNumbersAreWrittenAndKept() {
    Wire w;
    w.open(3);
    QCOMPARE(w.refusal({0x2E, 0xF1, 0x98, 'W', 'O', 'R', 'K', 'S', 'H', 'O', 'P', '-', '7'}), 0);
    w.car.powerCycle();
    const auto kept = w.uds.readId(0xF198);
    EXPECT_OK(kept);
    QCOMPARE(std::string(kept->begin(), kept->end()), std::string("WORKSHOP-7"));
}

void DiagnosticsTest::broadcastsCanBeSilenced() {
    Wire w;
    const auto broadcasts = [&] {
        int count = 0;
        for (const int64_t until = w.bus.now_us() + 1000000; w.bus.now_us() < until;) {
            const auto frame = w.bus.receive(until);
            if (frame && *frame) count += (*frame)->id == BenchCar::kStatusId;
        }
        return count;
    };
    QVERIFY(std::abs(broadcasts() - 10) <= 1);
    EXPECT_OK(w.uds.startSession(3));
    QCOMPARE(w.refusal({0x28, 0x03, 0x01}), 0);
    QVERIFY(broadcasts() <= 1);
    QCOMPARE(w.refusal({0x28, 0x00, 0x01}), 0);
    QVERIFY(broadcasts() >= 9);
    QCOMPARE(w.refusal({0x28, 0x03, 0x01}), 0);
    w.letTimePass(6);  // a session that ends frees them again
    QVERIFY(broadcasts() >= 9);
}

void DiagnosticsTest::codesAreNotSetWhileTheirSettingIsOff() {
    Wire w;
    EXPECT_OK(w.uds.startSession(3));
    QCOMPARE(w.refusal({0x85, 0x02}), 0);
    QVERIFY(addFault(w.car.faults(), "coolant:dead"));
    w.car.startRoute(*routeNamed("idle"));
    for (int i = 0; i < 4; ++i) {
        w.letTimePass(2);
        EXPECT_OK(w.uds.testerPresent());
    }
    QVERIFY(w.uds.readTroubleCodes()->empty());
    QCOMPARE(w.refusal({0x85, 0x01}), 0);
    w.letTimePass(4.5);
    QCOMPARE(w.uds.readTroubleCodes()->size(), size_t{1});
}

void DiagnosticsTest::codesComeWithSnapshotAndCount() {
    Wire w;
    w.car.startRoute(*routeNamed("idle"));
    w.letTimePass(12);
    QVERIFY(addFault(w.car.faults(), "coolant:dead"));
    w.letTimePass(5);
    EXPECT_OK(w.uds.transport().send(Bytes{0x19, 0x04, 0x01, 0x18, 0x00, 0xFF}));
    const auto snapshot = w.uds.transport().receive(w.bus.now_us() + 500000);
    EXPECT_OK(snapshot);
    // Header, code, status, record, count of values; then identifier and value of each.
    QVERIFY(snapshot->size() == 8 + 9 * 4 && (*snapshot)[1] == 0x04 && (*snapshot)[5] & 0x08 && (*snapshot)[7] == 9);
    QCOMPARE((*snapshot)[8] << 8 | (*snapshot)[9], 0xFD02);
    const int rpm = (*snapshot)[10] << 8 | (*snapshot)[11];
    QVERIFY2(rpm > 700 && rpm < 1400, qPrintable(QString::number(rpm)));
    EXPECT_OK(w.uds.transport().send(Bytes{0x19, 0x06, 0x01, 0x18, 0x00, 0x01}));
    const auto extended = w.uds.transport().receive(w.bus.now_us() + 500000);
    EXPECT_OK(extended);
    QCOMPARE(extended->back(), uint8_t{1});
    QCOMPARE(w.refusal({0x14, 0xFF, 0xFF, 0xFF}), 0);
    w.car.faults() = {};
    w.letTimePass(1);
    QVERIFY(w.uds.readTroubleCodes()->empty());
}

void DiagnosticsTest::periodicDataComesAtTheRateAskedFor() {
    for (const auto& [rate, expected] : {std::pair{uint8_t{1}, 15}, {uint8_t{2}, 60}, {uint8_t{3}, 300}}) {
        Wire w;
        EXPECT_OK(w.uds.startSession(3));
        EXPECT_OK(w.uds.defineDynamicId(0xF200, {{0x3F0000, 2}}));
        EXPECT_OK(w.uds.startPeriodic(rate, {0x00}));
        int frames = 0;
        for (const int64_t until = w.bus.now_us() + 3000000; w.bus.now_us() < until;) {
            const auto frame = w.bus.receive(until);
            frames += frame && *frame && (*frame)->id == w.profile.periodicId;
        }
        QVERIFY2(std::abs(frames - expected) <= 1, qPrintable(QString::number(frames)));
    }
}

void DiagnosticsTest::dynamicIdsCanBeMadeOfOtherIds() {
    Wire w;
    EXPECT_OK(w.uds.startSession(3));
    QCOMPARE(w.refusal({0x2C, 0x01, 0xF2, 0x05, 0xF1, 0x90, 0x01, 0x03}), 0);
    const auto value = w.uds.readId(0xF205);
    EXPECT_OK(value);
    QCOMPARE(std::string(value->begin(), value->end()), std::string("FMK"));
    QCOMPARE(w.refusal({0x2C, 0x01, 0xF2, 0x06, 0x12, 0x34, 0x01, 0x03}), 0x31);
    QCOMPARE(w.refusal({0x2C, 0x03, 0xF2, 0x05}), 0);
    QCOMPARE(w.refusal({0x22, 0xF2, 0x05}), 0x31);
    QCOMPARE(w.refusal({0x2C, 0x03, 0xF2, 0x05}), 0x31);
}

void DiagnosticsTest::aLateConsecutiveFrameEndsTheMessage() {
    ServerTransport server(0x7E0, 0x7E8);
    can::CanFrame first, next;
    first.id = next.id = 0x7E0;
    first.length = next.length = 8;
    first.data = {0x10, 0x0A, 1, 2, 3, 4, 5, 6};
    next.data = {0x21, 7, 8, 9, 10, 0, 0, 0};
    QVERIFY(!server.receive(first, 0));
    QVERIFY(!server.receive(next, 1500000));  // N_Cr is a second
    QVERIFY(!server.receive(first, 2000000));
    const auto whole = server.receive(next, 2500000);
    QVERIFY(whole && whole->size() == 10 && whole->back() == 10);
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
    can::CanFrame flow;
    flow.id = 0x7E0;
    flow.length = 8;
    flow.data = {0x30, 2, 5};  // two frames, 5 ms apart
    server.receive(flow, 1000);
    QVERIFY(server.nextFrame(1000));
    QVERIFY(!server.nextFrame(5999));
    QVERIFY(!server.nextFrame(6100));  // and the frame itself took its time
    QVERIFY(server.nextFrame(6300));
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

void DiagnosticsTest::eachIdentifierKeepsItsOwnRate() {
    Wire w;
    EXPECT_OK(w.uds.startSession(3));
    for (const uint16_t i : {0, 1, 2})
        EXPECT_OK(w.uds.defineDynamicId(static_cast<uint16_t>(0xF200 + i), {{0x3F0000, 2}}));
    EXPECT_OK(w.uds.startPeriodic(3, {0x00, 0x02}));
    EXPECT_OK(w.uds.startPeriodic(1, {0x01}));
    EXPECT_OK(w.uds.startPeriodic(2, {0x02}));  // asked for again: the last rate counts
    int frames[3] = {};
    for (const int64_t until = w.bus.now_us() + 2000000; w.bus.now_us() < until;) {
        const auto frame = w.bus.receive(until);
        if (frame && *frame && (*frame)->id == w.profile.periodicId) ++frames[(*frame)->data[0]];
    }
    QVERIFY2(std::abs(frames[0] - 200) <= 1 && std::abs(frames[1] - 10) <= 1 && std::abs(frames[2] - 40) <= 1,
             qPrintable(QString("%1 %2 %3").arg(frames[0]).arg(frames[1]).arg(frames[2])));
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
