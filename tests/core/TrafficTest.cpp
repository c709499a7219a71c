// Traffic in memory, in words and in a candump log; raw frames of a CAN interface; nothing of the kernel is needed.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <linux/can.h>
#include <linux/can/error.h>

#include "Expect.h"
#include "core/link/Ports.h"
#include "core/link/SocketCan.h"
#include "core/link/Traffic.h"

using namespace brusk;
using namespace brusk::link;

namespace {

CanFrame frameOf(uint32_t id, std::initializer_list<uint8_t> data, int64_t time_us = 0, bool extended = false) {
    CanFrame out;
    out.id = id;
    out.extended = extended;
    out.length = static_cast<uint8_t>(data.size());
    std::copy(data.begin(), data.end(), out.data.begin());
    out.time_us = time_us;
    return out;
}

}  // namespace

class TrafficTest : public QObject {
    Q_OBJECT
  private slots:
    void whatNobodyMaySeeIsCountedAndNotKept();
    void aLogIsWrittenAsCandumpDoes();
    void whatIsWrittenIsReadBackEqual();
    void otherKindsOfFramesArePassedOver();
    void brokenLinesAreNamed_data();
    void brokenLinesAreNamed();
    void aBrokenLineCostsItself();
    void theNewestFramesAreKept();
    void busLoadIsTheShareOfTheWireInUse();
    void messagesAreSaidInWords_data();
    void messagesAreSaidInWords();
    void aSegmentedMessageIsOneLine();
    void aLostFrameIsSaidInTheTraffic();
    void rawFramesOfAllKindsAreToldApart();
    void errorFramesMoveTheBusState();
    void missingInterfacesAreSaidWithWhatToType();
};

void TrafficTest::aLogIsWrittenAsCandumpDoes() {
    const std::vector<LoggedFrame> frames{{frameOf(0x7E0, {0x02, 0x3E, 0x00}, 1234567), true},
                                          {frameOf(0x18DAF110, {}, 2000000, true), false}};
    QCOMPARE(can::toCandump(frames, "can0"),
             std::string("(0000000001.234567) can0 7E0#023E00\n(0000000002.000000) can0 18DAF110#\n"));
}

void TrafficTest::whatIsWrittenIsReadBackEqual() {
    std::vector<LoggedFrame> frames;
    for (uint32_t i = 0; i < 500; ++i) {
        CanFrame frame;
        frame.extended = i % 3 == 0;
        frame.id = frame.extended ? 0x1FFFFFFF - i : i;
        frame.length = static_cast<uint8_t>(i % 9);
        for (size_t k = 0; k < frame.length; ++k)
            frame.data[k] = static_cast<uint8_t>(i * 7 + k);
        frame.time_us = int64_t{i} * 999983;
        frames.push_back({frame, false});
    }
    const std::string text = can::toCandump(frames, "vcan0");
    const auto log = can::readCandump(text);
    EXPECT_OK(log);
    QCOMPARE(log->interfaces, (std::vector<std::string>{"vcan0"}));
    QCOMPARE(log->frames.size(), frames.size());
    for (size_t i = 0; i < frames.size(); ++i) {
        const CanFrame &a = frames[i].frame, &b = log->frames[i].frame;
        QVERIFY(a.id == b.id && a.extended == b.extended && a.length == b.length && a.data == b.data);
        QCOMPARE(b.time_us, a.time_us);
    }
    QCOMPARE(can::toCandump(log->frames, "vcan0"), text);
}

void TrafficTest::otherKindsOfFramesArePassedOver() {
    const auto log = can::readCandump(
        "(1436509052.249713) vcan0 044#2A366C2BBA R\r\n"
        "(1436509052.449847) vcan0 0F6##17ADFE07BD205B1C9\n"
        "\n"
        "(1436509052.650004) can1 123#R\n"
        "(1436509053.050180) can1 20000080#0000000000000000\n"
        "(1436509053.250000) can1 123#0102 T\n");
    EXPECT_OK(log);
    QCOMPARE(log->frames.size(), size_t{2});
    QCOMPARE(log->passedOver, size_t{3});
    QCOMPARE(log->interfaces.size(), size_t{2});
    QCOMPARE(log->frames[0].frame.time_us, int64_t{1436509052249713});
    QVERIFY(!log->frames[0].ours && log->frames[1].ours);
}

void TrafficTest::brokenLinesAreNamed_data() {
    QTest::addColumn<QByteArray>("text");
    QTest::addColumn<QByteArray>("part");
    const auto row = [](const char* text, const char* part) {
        QTest::newRow(part) << QByteArray(text) << QByteArray(part);
    };
    row("(1.000000) can0\n", "Line 1: a time, an interface and a frame");
    row("(1.0) can0 123#00\n", "\"(1.0)\" is no time");
    row("(1.000000) can0 12#00\n", "\"12#00\" is no frame");
    row("(1.000000) can0 123#0\n", "\"123#0\" is no frame");
    row("(1.000000) can0 123#00112233445566778899\n", "is no frame");
    row("(1.000000) can0 FFF#00\n", "\"FFF#00\" is no frame");
    row("(1.000000) can0 123#ZZ\n", "\"123#ZZ\" is no frame");
}

void TrafficTest::brokenLinesAreNamed() {
    QFETCH(QByteArray, text);
    QFETCH(QByteArray, part);
    EXPECT_FAILS(can::readCandump(text.toStdString()), part.toStdString());
}

void TrafficTest::aBrokenLineCostsItself() {
    const auto log = can::readCandump("(1.000000) can0 123#00\n1.000000 can0 123#00\n(2.000000) can0 123#01\n");
    EXPECT_OK(log);
    QCOMPARE(log->frames.size(), size_t{2});
    QVERIFY(log->damage.size() == 1 && log->damage[0] == "Line 2: \"1.000000\" is no time.");
}

void TrafficTest::theNewestFramesAreKept() {
    TrafficLog log(100);
    for (int i = 0; i < 250; ++i)
        log.add(frameOf(static_cast<uint32_t>(i), {}, i), i % 2 == 0);
    QCOMPARE(log.next(), uint64_t{250});
    QCOMPARE(log.dropped(), uint64_t{150});
    QCOMPARE(log.frames().size(), size_t{100});
    QCOMPARE(log.frames().front().frame.id, 150u);
    // A reader that fell behind gets what is left.
    QCOMPARE(log.frames(10, 5).front().frame.id, 150u);
    QCOMPARE(log.frames(240, 5).front().frame.id, 240u);
    QVERIFY(log.frames(250).empty());
    log.clear();
    QVERIFY(log.frames().empty() && log.next() == 250);
}

void TrafficTest::busLoadIsTheShareOfTheWireInUse() {
    TrafficLog log;
    // A frame of its length every millisecond.
    const CanFrame frame = frameOf(0x123, {1, 2, 3, 4, 5, 6, 7, 8});
    for (int i = 0; i < 3000; ++i) {
        CanFrame at = frame;
        at.time_us = i * 1000;
        log.add(at, false);
    }
    const double wanted = static_cast<double>(frameTime_us(frame)) / 1000;
    QVERIFY(std::abs(log.busLoad() - wanted) < 0.01);
}

void TrafficTest::messagesAreSaidInWords_data() {
    QTest::addColumn<QByteArray>("bytes");
    QTest::addColumn<bool>("request");
    QTest::addColumn<QString>("text");
    const auto row = [](const char* hex, bool request, const char* text) {
        QTest::newRow(text) << QByteArray::fromHex(hex) << request << QString::fromUtf8(text);
    };
    row("22f190", true, "ReadDataByIdentifier 0xF190");
    row("62f1904142", false, "ReadDataByIdentifier 0xF190 \u2713");
    row("3101ff0044008c000000004000", true, "RoutineControl 0xFF00 at 0x008C0000");
    row("7f3178", false, "RoutineControl pending: it needs more time");
    row("7f2733", false, "SecurityAccess refused: security access is needed first");
    row("340044008c000000004000", true, "RequestDownload 0x008C0000, 16384 bytes");
    row("74200fff", false, "RequestDownload blocks of 4095 \u2713");
    row("3605aabbcc", true, "TransferData 5, 3 bytes");
    row("7605", false, "TransferData 5 \u2713");
    row("010c0d", true, "CurrentData 0C");
    row("ff", true, "0xFF");
}

void TrafficTest::messagesAreSaidInWords() {
    QFETCH(QByteArray, bytes);
    QFETCH(bool, request);
    QFETCH(QString, text);
    QCOMPARE(QString::fromStdString(messageText(asBytes(bytes.toStdString()), request)), text);
}

void TrafficTest::aSegmentedMessageIsOneLine() {
    TrafficDecoder decoder;
    decoder.know(IsoTpAddress{});
    std::vector<TrafficLine> lines;
    decoder.take({frameOf(0x7E0, {3, 0x22, 0xF1, 0x90}, 1), true}, lines);
    decoder.take({frameOf(0x7E8, {0x10, 0x0A, 0x62, 0xF1, 0x90, 1, 2, 3}, 2), false}, lines);
    decoder.take({frameOf(0x3A0, {9, 9}, 3), false}, lines);
    decoder.take({frameOf(0x7E0, {0x30, 0, 0}, 4), true}, lines);
    decoder.take({frameOf(0x7E8, {0x21, 4, 5, 6, 7}, 5), false}, lines);
    QCOMPARE(lines.size(), size_t{3});
    QVERIFY(lines[0].text == "ReadDataByIdentifier 0xF190" && lines[0].ours);
    QVERIFY(lines[1].text.empty() && lines[1].bytes == (Bytes{9, 9}));
    QVERIFY(lines[2].text.starts_with("ReadDataByIdentifier 0xF190") && lines[2].frames == 2 && lines[2].time_us == 5);
    QCOMPARE(lines[2].bytes.size(), size_t{10});
}

void TrafficTest::aLostFrameIsSaidInTheTraffic() {
    TrafficDecoder decoder;
    decoder.know(IsoTpAddress{});
    std::vector<TrafficLine> lines;
    decoder.take({frameOf(0x7E8, {0x10, 0x14, 0x62, 0xF1, 0x90, 1, 2, 3}), false}, lines);
    decoder.take({frameOf(0x7E8, {0x22, 4, 5, 6, 7, 8, 9, 10}), false}, lines);
    QCOMPARE(lines.size(), size_t{1});
    QVERIFY(lines[0].alarm && lines[0].text == "a frame was lost: number 1 was due, 2 came");
}

void TrafficTest::rawFramesOfAllKindsAreToldApart() {
    can_frame raw{};
    raw.can_id = 0x7E8;
    raw.len = 3;
    raw.data[0] = 2;
    const auto read = [&](size_t count) { return readRawFrame(reinterpret_cast<const uint8_t*>(&raw), count); };
    QVERIFY(read(sizeof raw).kind == RawFrame::Kind::Data);
    QVERIFY(read(sizeof raw).frame.id == 0x7E8 && !read(sizeof raw).frame.extended &&
            read(sizeof raw).frame.length == 3);
    raw.can_id = 0x18DAF110 | CAN_EFF_FLAG;
    QVERIFY(read(sizeof raw).frame.extended && read(sizeof raw).frame.id == 0x18DAF110);
    raw.can_id = 0x123 | CAN_RTR_FLAG;
    QVERIFY(read(sizeof raw).kind == RawFrame::Kind::Foreign);
    raw.can_id = CAN_ERR_FLAG | CAN_ERR_BUSOFF;
    raw.len = 8;
    QVERIFY(read(sizeof raw).kind == RawFrame::Kind::Error && read(sizeof raw).errorClass == CAN_ERR_BUSOFF);
    raw.can_id = 0x123;
    raw.len = 9;
    QVERIFY(read(sizeof raw).kind == RawFrame::Kind::Foreign);
    // A CAN FD frame is longer than a classic one, and is none.
    canfd_frame fd{};
    fd.can_id = 0x7E8;
    fd.len = 64;
    QVERIFY(readRawFrame(reinterpret_cast<const uint8_t*>(&fd), sizeof fd).kind == RawFrame::Kind::Foreign);
    for (size_t count = 0; count < sizeof raw; ++count)
        QVERIFY(read(count).kind == RawFrame::Kind::Foreign);
}

void TrafficTest::errorFramesMoveTheBusState() {
    const auto error = [](uint32_t kind, uint8_t control) {
        RawFrame out;
        out.kind = RawFrame::Kind::Error;
        out.errorClass = kind;
        out.frame.data[1] = control;
        return out;
    };
    QVERIFY(stateAfterError(error(CAN_ERR_BUSOFF, 0), BusState::Active) == BusState::Off);
    QVERIFY(stateAfterError(error(CAN_ERR_RESTARTED, 0), BusState::Off) == BusState::Active);
    QVERIFY(stateAfterError(error(CAN_ERR_CRTL, CAN_ERR_CRTL_TX_WARNING), BusState::Active) == BusState::Warning);
    QVERIFY(stateAfterError(error(CAN_ERR_CRTL, CAN_ERR_CRTL_RX_PASSIVE), BusState::Warning) == BusState::Passive);
    QVERIFY(stateAfterError(error(CAN_ERR_CRTL, CAN_ERR_CRTL_ACTIVE), BusState::Passive) == BusState::Active);
    QVERIFY(stateAfterError(error(CAN_ERR_ACK, 0), BusState::Warning) == BusState::Warning);
}

void TrafficTest::missingInterfacesAreSaidWithWhatToType() {
    // A kernel without CAN says so, one with it says that there is no such interface; both tell what to type.
    const auto missing = portNamed("socketcan:brusk-none0");
    QVERIFY(!missing);
    QVERIFY2(missing.error().message.find("modprobe can_raw") != std::string::npos ||
                 missing.error().message.find("ip link add brusk-none0 type vcan") != std::string::npos,
             missing.error().message.c_str());
    EXPECT_FAILS(portNamed("socketcan:"), "is not the name of an interface");
    EXPECT_FAILS(portNamed("socketcan:a-name-that-is-too-long"), "is not the name of an interface");
    EXPECT_FAILS(portNamed("serial:COM1"), "use bench, unix:PATH or socketcan:INTERFACE");
    QCOMPARE(bringUpLines("can0", false, 250000),
             std::string("ip link set can0 type can bitrate 250000 restart-ms 100\nip link set can0 up"));
    for (const CanInterface& found : canInterfaces())
        QVERIFY(found.text().starts_with(found.name));
    CanInterface known{"can0", true, false, 500000, BusState::Passive};
    QCOMPARE(known.text(), std::string("can0: 500 kbit/s, error passive"));
    known.up = false;
    QCOMPARE(known.text(), std::string("can0: down"));
}

void TrafficTest::whatNobodyMaySeeIsCountedAndNotKept() {
    TrafficLog log;
    CanFrame frame;
    frame.length = 8;
    log.add(frame, true);
    {
        const Unkept unseen(log, true);
        frame.time_us = 1000;
        log.add(frame, true);
    }
    {
        const Unkept seen(log, false);
        log.add(frame, false);
    }
    QCOMPARE(log.frames().size(), size_t{2});
    QVERIFY(log.frames().front().ours && !log.frames().back().ours);
}

QTEST_APPLESS_MAIN(TrafficTest)
#include "TrafficTest.moc"
