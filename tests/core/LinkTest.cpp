// ISO-TP, UDS and profiles of the tester, against conversations written out frame by frame.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include <QTemporaryDir>
#include <cstring>
#include <deque>
#include <utility>

#include "Expect.h"
#include "core/link/Obd.h"
#include "core/link/Sampler.h"
#include "core/link/SocketFrame.h"
#include "core/link/Uds.h"
#include "core/link/UnixSocketPort.h"

using namespace brusk;
using namespace brusk::link;

namespace {

/// A bus whose other side is a script: after each frame sent, the frames queued for it arrive.
class ScriptPort final : public CanPort {
  public:
    /// `answers[i]` arrive after the i-th frame the tester sends; answers[0] are there from the start.
    std::vector<std::vector<std::vector<uint8_t>>> answers;
    std::vector<Bytes> sent;
    std::vector<int64_t> sentAt_us;
    uint32_t answerId = 0x7E8;
    int64_t each_us = 300;

    using CanPort::send;
    Done confirm(int64_t) override { return {}; }
    Done send(const CanFrame& frame, int64_t) override {
        sent.emplace_back(frame.data.begin(), frame.data.begin() + frame.length);
        sentAt_us.push_back(now_);
        queue(sent.size());
        return {};
    }
    Result<std::optional<CanFrame>> receive(int64_t deadline_us) override {
        if (!started_) queue(0);
        if (pending_.empty() || pending_.front().time_us > deadline_us) {
            now_ = std::max(now_, deadline_us);
            return std::optional<CanFrame>{};
        }
        const CanFrame frame = pending_.front();
        pending_.pop_front();
        now_ = std::max(now_, frame.time_us);
        return std::optional(frame);
    }
    int64_t now_us() const override { return now_; }

  private:
    void queue(size_t index) {
        started_ = true;
        if (index >= answers.size()) return;
        int64_t at = std::max(now_, pending_.empty() ? 0 : pending_.back().time_us);
        for (const auto& data : answers[index]) {
            CanFrame frame;
            frame.id = answerId;
            frame.length = static_cast<uint8_t>(data.size());
            std::copy(data.begin(), data.end(), frame.data.begin());
            frame.time_us = at += each_us;
            pending_.push_back(frame);
        }
    }
    std::deque<CanFrame> pending_;
    int64_t now_ = 0;
    bool started_ = false;
};

Bytes counting(size_t n) {
    Bytes out(n);
    for (size_t i = 0; i < n; ++i)
        out[i] = static_cast<uint8_t>(i);
    return out;
}

std::vector<uint8_t> flow(int status, int block = 0, int st = 0) {
    return {static_cast<uint8_t>(0x30 | status), static_cast<uint8_t>(block), static_cast<uint8_t>(st), 0, 0, 0, 0, 0};
}

Profile demoProfile() {
    auto profile = readProfile(readText(BRUSK_DATA_DIR "/heron/aldine-e2.profile.json"));
    if (!profile) qFatal("%s", profile.error().text().c_str());
    return *profile;
}

/// A controller that never comes to an end: after each frame it gets, and then again and again, the same frame arrives.
class EndlessPort final : public CanPort {
  public:
    std::vector<uint8_t> frame;
    int64_t every_us = 1000;
    uint32_t id = 0x7E8;
    using CanPort::send;
    Done send(const CanFrame&, int64_t) override { return {}; }
    Done confirm(int64_t) override { return {}; }
    Result<std::optional<CanFrame>> receive(int64_t deadline_us) override {
        const int64_t next = (now_ / every_us + 1) * every_us;
        if (next > deadline_us) {
            now_ = std::max(now_, deadline_us);
            return std::optional<CanFrame>{};
        }
        now_ = next;
        CanFrame out;
        out.id = id;
        out.length = static_cast<uint8_t>(frame.size());
        std::copy(frame.begin(), frame.end(), out.data.begin());
        out.time_us = now_;
        return std::optional(out);
    }
    int64_t now_us() const override { return now_; }

  private:
    int64_t now_ = 0;
};

}  // namespace

class LinkTest : public QObject {
    Q_OBJECT
  private slots:
    void aControllerThatNeverComesToAnEndIsGivenUp_data();
    void aControllerThatNeverComesToAnEndIsGivenUp();
    void waitingForAnObdAnswerCanBeStopped();
    void frameLengthsMatchTheStandard();
    void socketFramesRoundTripAndForeignOnesAreDropped();
    void aShortMessageIsASingleFramePaddedToEight();
    void aLongMessageFollowsFlowControl();
    void sequenceNumbersWrapAround();
    void blockSizeIsObeyed();
    void separationTimeIsObeyed();
    void separationTimesOfTheStandard_data();
    void separationTimesOfTheStandard();
    void waitIsPutUpWithUpToALimit();
    void overflowIsSaid();
    void withoutFlowControlItTimesOut();
    void aMessageAbove4095UsesThe32BitLength();
    void aSegmentedAnswerIsAssembled();
    void aLostConsecutiveFrameIsSaid();
    void aStalledAnswerTimesOut();
    void aNewFirstFrameBeginsANewMessage();
    void anAnnouncementBeyondTheLimitIsAnsweredWithOverflow();
    void strayFramesAreIgnored();
    void pendingIsWaitedThrough();
    void busyIsRepeated();
    void everyNegativeResponseIsASentence();
    void answersToSomethingElseAreLetPass();
    void aZeroSeedMeansOpenAlready();
    void theKeyFollowsTheAlgorithm();
    void troubleCodesAreSpelledAsTheStandardDoes();
    void profilesThatAreWrongNameTheKey_data();
    void profilesThatAreWrongNameTheKey();
    void theDemoProfileDescribesItsSectors();
    void samplesArePackedTightly();
    void tooManySamplesAreRefusedWithTheNumber();
    void eachPaceIsPackedAndComesByItself();
    void aMissingPeriodicFrameLeavesAVisibleHole();
    void silenceIsSaidWithinASecond();
    void aSocketNobodyListensOnIsSaid();
    void aSocketIsJoinedAgainWhenSomebodyListensAgain();
};

void LinkTest::frameLengthsMatchTheStandard() {
    // Without stuffing a classic frame of 11-bit identifier has 47 + 8n bits (ISO 11898-1, interframe space included);
    // at most one stuff bit comes for every four bits after the first of the 34 + 8n that are stuffed.
    for (const uint8_t fill : {0x00, 0x55, 0xFF, 0xAA, 0x1F})
        for (uint8_t n = 0; n <= 8; ++n) {
            CanFrame frame;
            frame.id = fill ? 0x555 : 0;
            frame.length = n;
            frame.data.fill(fill);
            const int bits = frameBits(frame), plain = 47 + 8 * n;
            QVERIFY2(bits >= plain && bits <= plain + (34 + 8 * n - 1) / 4,
                     qPrintable(QString("%1 bits for %2 bytes of %3").arg(bits).arg(n).arg(fill)));
        }
    CanFrame alternating;
    alternating.id = 0x2AA;
    alternating.length = 8;
    alternating.data.fill(0x55);
    CanFrame flat = alternating;
    flat.data.fill(0);
    QVERIFY(frameBits(flat) > frameBits(alternating) + 8);
    QCOMPARE(frameTime_us(flat), int64_t{frameBits(flat) * 2});
}

void LinkTest::socketFramesRoundTripAndForeignOnesAreDropped() {
    CanFrame frame;
    frame.id = 0x18DAF110;
    frame.extended = true;
    frame.length = 3;
    frame.data = {1, 2, 3};
    const auto packed = packSocketFrame(frame);
    QCOMPARE(packed[3], uint8_t{0x98});  // little-endian, top bit: extended
    const auto again = unpackSocketFrame(packed.data(), 16);
    QVERIFY(again && again->id == frame.id && again->extended && again->length == 3 && again->data == frame.data);
    QVERIFY(!unpackSocketFrame(packed.data(), 15));
    auto remote = packed;
    remote[3] |= 0x40;
    QVERIFY(!unpackSocketFrame(remote.data(), 16));
    auto longer = packed;
    longer[4] = 12;
    QVERIFY(!unpackSocketFrame(longer.data(), 16));
}

void LinkTest::aShortMessageIsASingleFramePaddedToEight() {
    ScriptPort port;
    IsoTp transport(port, {});
    EXPECT_OK(transport.send(Bytes{0x22, 0xF1, 0x90}));
    QCOMPARE(port.sent.size(), size_t{1});
    QCOMPARE(port.sent[0], (Bytes{3, 0x22, 0xF1, 0x90, 0xAA, 0xAA, 0xAA, 0xAA}));
    EXPECT_OK(transport.send(counting(7)));
    QCOMPARE(port.sent[1][0], uint8_t{7});
    EXPECT_FAILS(transport.send(Bytes{}), "empty");
}

void LinkTest::aLongMessageFollowsFlowControl() {
    ScriptPort port;
    port.answers = {{}, {flow(0)}};
    IsoTp transport(port, {});
    EXPECT_OK(transport.send(counting(20)));
    QCOMPARE(port.sent.size(), size_t{3});
    QCOMPARE(port.sent[0], (Bytes{0x10, 20, 0, 1, 2, 3, 4, 5}));
    QCOMPARE(port.sent[1], (Bytes{0x21, 6, 7, 8, 9, 10, 11, 12}));
    QCOMPARE(port.sent[2], (Bytes{0x22, 13, 14, 15, 16, 17, 18, 19}));
}

void LinkTest::sequenceNumbersWrapAround() {
    ScriptPort port;
    port.answers = {{}, {flow(0)}};
    IsoTp transport(port, {});
    EXPECT_OK(transport.send(counting(6 + 7 * 20)));
    for (size_t i = 1; i <= 20; ++i)
        QCOMPARE(port.sent[i][0], static_cast<uint8_t>(0x20 | (i & 15)));
}

void LinkTest::blockSizeIsObeyed() {
    ScriptPort port;
    port.answers = {{}, {flow(0, 2)}, {}, {flow(0, 2)}, {}, {flow(0, 0)}};
    IsoTp transport(port, {});
    EXPECT_OK(transport.send(counting(6 + 7 * 6)));
    QCOMPARE(port.sent.size(), size_t{7});
    ScriptPort silent;
    silent.answers = {{}, {flow(0, 2)}};
    IsoTp waiting(silent, {});
    EXPECT_FAILS(waiting.send(counting(6 + 7 * 6)), "flow control (N_Bs)");
    QCOMPARE(silent.sent.size(), size_t{3});  // nothing beyond the block
}

void LinkTest::separationTimeIsObeyed() {
    ScriptPort port;
    port.answers = {{}, {flow(0, 0, 10)}};
    IsoTp transport(port, {});
    EXPECT_OK(transport.send(counting(6 + 7 * 5)));
    for (size_t i = 2; i < port.sentAt_us.size(); ++i)
        QVERIFY(port.sentAt_us[i] - port.sentAt_us[i - 1] >= 10000);
}

void LinkTest::separationTimesOfTheStandard_data() {
    QTest::addColumn<int>("coded");
    QTest::addColumn<int>("us");
    QTest::newRow("none") << 0x00 << 0;
    QTest::newRow("1 ms") << 0x01 << 1000;
    QTest::newRow("127 ms") << 0x7F << 127000;
    QTest::newRow("reserved") << 0x80 << 127000;
    QTest::newRow("reserved below") << 0xF0 << 127000;
    QTest::newRow("100 us") << 0xF1 << 100;
    QTest::newRow("900 us") << 0xF9 << 900;
    QTest::newRow("reserved above") << 0xFA << 127000;
}

void LinkTest::separationTimesOfTheStandard() {
    QFETCH(int, coded);
    QFETCH(int, us);
    QCOMPARE(separationTime_us(static_cast<uint8_t>(coded)), int64_t{us});
}

void LinkTest::waitIsPutUpWithUpToALimit() {
    ScriptPort port;
    port.answers = {{}, {flow(1), flow(1), flow(0)}};
    IsoTp transport(port, {});
    EXPECT_OK(transport.send(counting(20)));
    ScriptPort endless;
    endless.answers = {{}, std::vector<std::vector<uint8_t>>(60, flow(1))};
    IsoTp patient(endless, {});
    EXPECT_FAILS(patient.send(counting(20)), "asked to wait more than 50 times");
}

void LinkTest::overflowIsSaid() {
    ScriptPort port;
    port.answers = {{}, {flow(2)}};
    IsoTp transport(port, {});
    EXPECT_FAILS(transport.send(counting(20)), "overflow");
    ScriptPort strange;
    strange.answers = {{}, {flow(7)}};
    IsoTp other(strange, {});
    EXPECT_FAILS(other.send(counting(20)), "flow status that the standard does not know");
}

void LinkTest::withoutFlowControlItTimesOut() {
    ScriptPort port;
    IsoTp transport(port, {});
    const auto sent = transport.send(counting(20));
    EXPECT_FAILS(sent, "N_Bs");
    QVERIFY(sent.error().code == ErrorCode::Timeout);
    QCOMPARE(port.now_us(), int64_t{1000000});
}

void LinkTest::aMessageAbove4095UsesThe32BitLength() {
    ScriptPort port;
    port.answers = {{}, {flow(0)}};
    IsoTp transport(port, {});
    EXPECT_OK(transport.send(counting(5000)));
    QCOMPARE(port.sent[0], (Bytes{0x10, 0, 0, 0, 0x13, 0x88, 0, 1}));
    QCOMPARE(port.sent.size(), size_t{1 + (5000 - 2 + 6) / 7});
}

void LinkTest::aSegmentedAnswerIsAssembled() {
    ScriptPort port;
    port.answers = {{{0x10, 10, 1, 2, 3, 4, 5, 6}}, {{0x21, 7, 8, 9, 10, 0xAA, 0xAA, 0xAA}}};
    IsoTp transport(port, {});
    const auto message = transport.receive(100000);
    EXPECT_OK(message);
    QCOMPARE(*message, (Bytes{1, 2, 3, 4, 5, 6, 7, 8, 9, 10}));
    QCOMPARE(port.sent[0][0], uint8_t{0x30});
}

void LinkTest::aLostConsecutiveFrameIsSaid() {
    ScriptPort port;
    port.answers = {{{0x10, 20, 1, 2, 3, 4, 5, 6}}, {{0x22, 7, 8, 9, 10, 11, 12, 13}}};
    IsoTp transport(port, {});
    EXPECT_FAILS(transport.receive(100000), "number 1 was due, 2 came");
}

void LinkTest::aStalledAnswerTimesOut() {
    ScriptPort port;
    port.answers = {{{0x10, 20, 1, 2, 3, 4, 5, 6}}, {{0x21, 7, 8, 9, 10, 11, 12, 13}}};
    IsoTp transport(port, {});
    EXPECT_FAILS(transport.receive(100000), "N_Cr");
}

void LinkTest::aNewFirstFrameBeginsANewMessage() {
    ScriptPort port;
    port.answers = {
        {{0x10, 20, 1, 2, 3, 4, 5, 6}}, {{0x10, 9, 11, 12, 13, 14, 15, 16}}, {{0x21, 17, 18, 19, 0, 0, 0, 0}}};
    IsoTp transport(port, {});
    const auto message = transport.receive(100000);
    EXPECT_OK(message);
    QCOMPARE(*message, (Bytes{11, 12, 13, 14, 15, 16, 17, 18, 19}));
    ScriptPort single;
    single.answers = {{{0x10, 20, 1, 2, 3, 4, 5, 6}}, {{0x02, 0x7E, 0x00, 0, 0, 0, 0, 0}}};
    IsoTp interrupted(single, {});
    QCOMPARE(*interrupted.receive(100000), (Bytes{0x7E, 0x00}));
}

void LinkTest::anAnnouncementBeyondTheLimitIsAnsweredWithOverflow() {
    ScriptPort port;
    port.answers = {{{0x10, 0, 0x7F, 0xFF, 0xFF, 0xFF, 0, 0}}};
    IsoTp transport(port, {});
    EXPECT_FAILS(transport.receive(100000), "announces a message of 2147483647 bytes");
    QCOMPARE(port.sent[0][0], uint8_t{0x32});
}

void LinkTest::strayFramesAreIgnored() {
    ScriptPort port;
    // A consecutive frame without a first, a flow control nobody asked for, a single frame of length nothing, then the
    // answer.
    port.answers = {
        {{0x23, 1, 2, 3, 4, 5, 6, 7}, flow(0), {0x00, 1, 2, 3, 4, 5, 6, 7}, {0x02, 0x50, 0x01, 0, 0, 0, 0, 0}}};
    IsoTp transport(port, {});
    QCOMPARE(*transport.receive(100000), (Bytes{0x50, 0x01}));
}

void LinkTest::pendingIsWaitedThrough() {
    ScriptPort port;
    port.each_us = 500000;
    port.answers = {{}, {{3, 0x7F, 0x31, 0x78}, {3, 0x7F, 0x31, 0x78}, {5, 0x71, 0x01, 0xFF, 0x00, 0x00}}};
    const Profile profile = demoProfile();
    Uds uds(port, profile);
    ScriptPort erase;
    EXPECT_OK(uds.request(Bytes{0x31, 0x01, 0xFF, 0x00}));
    QVERIFY(port.now_us() > 1400000);
    QCOMPARE(port.sent.size(), size_t{1});
}

void LinkTest::busyIsRepeated() {
    ScriptPort port;
    port.answers = {{}, {{3, 0x7F, 0x22, 0x21}}, {{3, 0x7F, 0x22, 0x21}}, {{4, 0x62, 0xFD, 0x01, 139}}};
    const Profile profile = demoProfile();
    Uds uds(port, profile);
    QCOMPARE(*uds.readId(0xFD01), (Bytes{139}));
    QCOMPARE(port.sent.size(), size_t{3});
}

void LinkTest::everyNegativeResponseIsASentence() {
    for (const uint8_t code : {0x10, 0x11, 0x12, 0x13, 0x14, 0x22, 0x24, 0x31, 0x33, 0x35, 0x36,
                               0x37, 0x70, 0x71, 0x72, 0x73, 0x7E, 0x7F, 0x92, 0x93, 0xEE}) {
        ScriptPort port;
        port.answers = {{}, {{3, 0x7F, 0x22, static_cast<uint8_t>(code)}}};
        const Profile profile = demoProfile();
        Uds uds(port, profile);
        const auto answer = uds.readId(0xF190);
        QVERIFY(!answer && answer.error().code == ErrorCode::Refused);
        QVERIFY2(answer.error().message.starts_with("The controller refused to read an identifier: ") &&
                     answer.error().message.size() > 60,
                 answer.error().message.c_str());
    }
}

void LinkTest::answersToSomethingElseAreLetPass() {
    const Profile profile = demoProfile();
    ScriptPort late;
    // The rest of earlier answers comes first: another service, another identifier, a refusal of something else.
    late.answers = {{}, {{2, 0x50, 0x01}, {4, 0x62, 0xF1, 0x91, 1}, {3, 0x7F, 0x36, 0x31}, {4, 0x62, 0xFD, 0x01, 7}}};
    Uds other(late, profile);
    QCOMPARE(*other.readId(0xFD01), (Bytes{7}));
    ScriptPort port;
    port.answers = {{}, {{4, 0x62, 0xF1, 0x91, 1}}};
    Uds uds(port, profile);
    EXPECT_FAILS(uds.readId(0xF190), "did not come in time");
    QCOMPARE(port.sent.size(), static_cast<size_t>(Uds::kTries));
    QCOMPARE(uds.repeats(), Uds::kTries - 1);
}

void LinkTest::aZeroSeedMeansOpenAlready() {
    ScriptPort port;
    port.answers = {{}, {{6, 0x67, 0x01, 0, 0, 0, 0}}};
    const Profile profile = demoProfile();
    Uds uds(port, profile);
    EXPECT_OK(uds.unlock());
    QCOMPARE(port.sent.size(), size_t{1});
}

void LinkTest::theKeyFollowsTheAlgorithm() {
    KeyAlgorithm algorithm{"rotate-xor-add", 0x0000FFFF, 1, 8};
    // 12345678 ^ 0000FFFF = 1234A987; rotated left by 8: 34A98712; plus 1.
    QCOMPARE(*algorithm.key(Bytes{0x12, 0x34, 0x56, 0x78}), (Bytes{0x34, 0xA9, 0x87, 0x13}));
    EXPECT_FAILS(algorithm.key(Bytes{1, 2}), "2 bytes");
}

void LinkTest::troubleCodesAreSpelledAsTheStandardDoes() {
    QCOMPARE((TroubleCode{0x017200, 0x0D}).name(), std::string("P0172-00"));
    QCOMPARE((TroubleCode{0xC10087, 0x08}).name(), std::string("U0100-87"));
    QCOMPARE((TroubleCode{0x9234FF, 0x00}).name(), std::string("B1234-FF"));
    QVERIFY((TroubleCode{0, 0x09}).failingNow() && (TroubleCode{0, 0x09}).confirmed());
    ScriptPort port;
    port.answers = {{}, {{7, 0x59, 0x02, 0x0D, 0x01, 0x72, 0x00, 0x09}}};
    const Profile profile = demoProfile();
    Uds uds(port, profile);
    const auto codes = uds.readTroubleCodes();
    EXPECT_OK(codes);
    QCOMPARE(codes->size(), size_t{1});
    ScriptPort cut;
    cut.answers = {{}, {{6, 0x59, 0x02, 0x0D, 0x01, 0x72, 0x00}}};
    Uds other(cut, profile);
    EXPECT_FAILS(other.readTroubleCodes(), "wrong length");
}

void LinkTest::profilesThatAreWrongNameTheKey_data() {
    QTest::addColumn<QByteArray>("from");
    QTest::addColumn<QByteArray>("to");
    QTest::addColumn<QByteArray>("part");
    QTest::newRow("missing") << QByteArray("\"memory\"") << QByteArray("\"memories\"")
                             << QByteArray("\"memory\" is missing");
    QTest::newRow("text for number") << QByteArray("\"p2\": 50") << QByteArray("\"p2\": \"fifty\"")
                                     << QByteArray("\"p2\" must be a number");
    QTest::newRow("sector that does not divide")
        << QByteArray("\"sector\": \"0x4000\"") << QByteArray("\"sector\": \"0x3000\"")
        << QByteArray("not a whole number");
    QTest::newRow("beyond the address space")
        << QByteArray("\"start\": \"0x8C0000\", \"length\": \"0x40000\"")
        << QByteArray("\"start\": \"0xFFFF0000\", \"length\": \"0x40000\"") << QByteArray("beyond the address space");
    QTest::newRow("slow pace quicker than the medium one")
        << QByteArray("\"slow_period_ms\": 200") << QByteArray("\"slow_period_ms\": 20")
        << QByteArray("\"slow_period_ms\" must be longer than the faster ones");
    QTest::newRow("unknown algorithm") << QByteArray("rotate-xor-add") << QByteArray("rot13")
                                       << QByteArray("\"rot13\" is not known");
    QTest::newRow("unknown checksum") << QByteArray("\"crc32\"") << QByteArray("\"sum8\"")
                                      << QByteArray("\"sum8\" is not known");
    QTest::newRow("not JSON") << QByteArray("\"name\": \"Aldine E2\",") << QByteArray("\"name\" \"Aldine E2\",")
                              << QByteArray("not valid JSON");
}

void LinkTest::profilesThatAreWrongNameTheKey() {
    QFETCH(QByteArray, from);
    QFETCH(QByteArray, to);
    QFETCH(QByteArray, part);
    QByteArray text = QByteArray::fromStdString(readText(BRUSK_DATA_DIR "/heron/aldine-e2.profile.json"));
    QVERIFY(text.contains(from));
    text.replace(from, to);
    EXPECT_FAILS(readProfile(text.toStdString()), part.toStdString());
}

void LinkTest::theDemoProfileDescribesItsSectors() {
    const Profile profile = demoProfile();
    QCOMPARE(profile.sectors().size(), size_t{11 + 16});
    QCOMPARE(profile.checksums.size(), size_t{17});
    QCOMPARE(profile.checksums.back().storedAt, uint32_t{0x8FFFFC});
    QVERIFY(profile.calibrationArea() && profile.calibrationArea()->start == 0x8C0000);
    for (const auto& sector : profile.sectors())
        QVERIFY(sector.start >= 0x810000);  // the boot area is never erased
}

void LinkTest::samplesArePackedTightly() {
    const Profile profile = demoProfile();
    std::vector<Uds::Place> items;
    for (uint32_t i = 0; i < 9; ++i)
        items.push_back({0x3F0000 + 2 * i, 2});
    for (uint32_t i = 0; i < 3; ++i)
        items.push_back({0x3F0100 + i, 1});
    const auto plan = planSampling(profile, items);
    EXPECT_OK(plan);
    QCOMPARE(plan->ids.size(), size_t{3});  // 21 bytes in three frames of seven
    QVERIFY(plan->busLoad > 0.05 && plan->busLoad < 0.1);
    std::vector<int> seen(items.size());
    for (const auto& id : plan->ids)
        for (const auto& slot : id) {
            ++seen[slot.item];
            QVERIFY(slot.offset + slot.size <= 7);
        }
    for (const int n : seen)
        QCOMPARE(n, 1);
}

void LinkTest::tooManySamplesAreRefusedWithTheNumber() {
    const std::vector<Uds::Place> items(100, {0x3F0000, 2});
    EXPECT_FAILS(planSampling(demoProfile(), items), "need 34 periodic frames; the controller sends at most 24");
    EXPECT_FAILS(planSampling(demoProfile(), {}), "at least one channel");
}

void LinkTest::eachPaceIsPackedAndComesByItself() {
    const Profile profile = demoProfile();
    const std::vector<Uds::Place> items{{0x3F0000, 2}, {0x3F0002, 2}, {0x3F0004, 1}, {0x3F0006, 4}};
    const std::vector<Pace> paces{Pace::Slow, Pace::Fast, Pace::Slow, Pace::Fast};
    const auto plan = planSampling(profile, items, paces);
    EXPECT_OK(plan);
    QCOMPARE(plan->paces, (std::vector{Pace::Fast, Pace::Slow}));
    const auto frames = [&](Pace pace) { return planSampling(profile, items, {4, pace})->busLoad; };
    QVERIFY(std::abs(plan->busLoad - frames(Pace::Fast) / 2 - frames(Pace::Slow) / 2) < 1e-9);
    ScriptPort port;
    port.answerId = 0x7E8;
    // Session, clear, two definitions, a start for each pace.
    port.answers = {
        {},        {{6, 0x50, 0x03, 0, 50, 1, 0xF4}}, {{2, 0x6C, 0x03}}, {flow(0)},  {{4, 0x6C, 0x02, 0xF2, 0x00}},
        {flow(0)}, {{4, 0x6C, 0x02, 0xF2, 0x01}},     {{1, 0x6A}},       {{1, 0x6A}}};
    Uds uds(port, profile);
    Sampler sampler(uds, items, *plan);
    EXPECT_OK(sampler.start());
    const auto& sent = port.sent;
    QVERIFY(sent[sent.size() - 2][1] == 0x2A && sent[sent.size() - 2][2] == 3 && sent[sent.size() - 2][3] == 0);
    QVERIFY(sent.back()[2] == 1 && sent.back()[3] == 1);
    port.answerId = profile.periodicId;
    port.answers.resize(port.sent.size() + 1);
    port.each_us = 400;
    port.answers.push_back({{0, 0, 0, 0, 7, 0, 8}, {1, 0, 5, 6}});
    CanFrame poke;
    EXPECT_OK(port.send(poke));
    std::vector<SampleRow> rows;
    EXPECT_OK(sampler.poll(port.now_us() + 9000, [&](const SampleRow& row) { rows.push_back(row); }, {}));
    QCOMPARE(rows.size(), size_t{2});
    QVERIFY(rows[0].pace == Pace::Fast && rows[0].present == (std::vector{false, true, false, true}));
    QVERIFY(rows[0].raw[3] == 7 && rows[0].raw[1] == 8);
    QVERIFY(rows[1].pace == Pace::Slow && rows[1].present == (std::vector{true, false, true, false}));
    QVERIFY(rows[1].raw[0] == 5 && rows[1].raw[2] == 6);
}

void LinkTest::aMissingPeriodicFrameLeavesAVisibleHole() {
    const Profile profile = demoProfile();
    ScriptPort port;
    port.answerId = 0x7E8;
    const std::vector<Uds::Place> items{{0x3F0000, 4}, {0x3F0004, 4}};
    const auto plan = planSampling(profile, items);
    QCOMPARE(plan->ids.size(), size_t{2});
    // Session, clear, two definitions (each a first and consecutive frame), start.
    port.answers = {
        {},        {{6, 0x50, 0x03, 0, 50, 1, 0xF4}}, {{2, 0x6C, 0x03}}, {flow(0)}, {{4, 0x6C, 0x02, 0xF2, 0x00}},
        {flow(0)}, {{4, 0x6C, 0x02, 0xF2, 0x01}},     {{1, 0x6A}}};
    Uds uds(port, profile);
    Sampler sampler(uds, items, *plan);
    EXPECT_OK(sampler.start());
    // Three periods; in the second, the second frame is lost.
    port.answerId = profile.periodicId;
    port.answers.resize(port.sent.size() + 1);
    port.each_us = 400;
    port.answers.push_back({{0, 0, 0, 0, 1}, {1, 0, 0, 0, 2}});
    CanFrame poke;
    EXPECT_OK(port.send(poke));
    std::vector<SampleRow> rows;
    const auto keep = [&](const SampleRow& row) { rows.push_back(row); };
    EXPECT_OK(sampler.poll(port.now_us() + 9000, keep, {}));
    port.answers.push_back({{0, 0, 0, 0, 3}});
    EXPECT_OK(port.send(poke));
    EXPECT_OK(sampler.poll(port.now_us() + 9000, keep, {}));
    port.answers.push_back({{0, 0, 0, 0, 5}, {1, 0, 0, 0, 6}});
    EXPECT_OK(port.send(poke));
    EXPECT_OK(sampler.poll(port.now_us() + 9000, keep, {}));
    QCOMPARE(rows.size(), size_t{3});
    QVERIFY(rows[0].present[0] && rows[0].present[1] && rows[0].raw[1] == 2);
    QVERIFY(rows[1].present[0] && !rows[1].present[1]);
    QVERIFY(rows[2].present[0] && rows[2].raw[0] == 5 && rows[2].raw[1] == 6);
}

void LinkTest::silenceIsSaidWithinASecond() {
    const Profile profile = demoProfile();
    ScriptPort port;
    Uds uds(port, profile);
    const std::vector<Uds::Place> items{{0x3F0000, 2}};
    Sampler sampler(uds, items, *planSampling(profile, items));
    EXPECT_FAILS(sampler.poll(5000000, [](const SampleRow&) {}, {}), "stopped sending samples");
    QVERIFY(port.now_us() <= 1100000);
}

void LinkTest::aSocketNobodyListensOnIsSaid() {
    EXPECT_FAILS(openUnixSocket("/tmp/brusk-nobody-is-here"), "Nobody listens on /tmp/brusk-nobody-is-here");
    EXPECT_FAILS(openUnixSocket(std::string(300, 'x')), "too long");
}

void LinkTest::aSocketIsJoinedAgainWhenSomebodyListensAgain() {
    const QTemporaryDir folder;
    const QByteArray path = folder.filePath("bus").toUtf8();
    // The other side: listens, and takes one that joins.
    struct OtherSide {
        explicit OtherSide(const QByteArray& path) {
            sockaddr_un address{};
            address.sun_family = AF_UNIX;
            std::memcpy(address.sun_path, path.constData(), static_cast<size_t>(path.size()) + 1);
            ::unlink(path.constData());
            if (::bind(listening, reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0 ||
                ::listen(listening, 1) != 0)
                qFatal("no socket of our own");
        }
        ~OtherSide() { leave(); }
        void take() { joined = ::accept(listening, nullptr, nullptr); }
        void leave() {
            for (int* fd : {&listening, &joined})
                if (*fd >= 0) ::close(std::exchange(*fd, -1));
        }
        int listening = ::socket(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0), joined = -1;
    };
    auto first = std::make_unique<OtherSide>(path);
    const auto port = openUnixSocket(path.toStdString());
    EXPECT_OK(port);
    first->take();
    first.reset();
    QVERIFY(!(*port)->receive((*port)->now_us() + 100000));
    QVERIFY((*port)->status().state == BusState::Down);
    EXPECT_FAILS((*port)->send(CanFrame{}), "is gone");
    // Waiting passes the time though there is nobody.
    const int64_t until = (*port)->now_us() + 20000;
    (*port)->wait(until);
    QVERIFY((*port)->now_us() >= until);
    OtherSide second(path);
    const auto nothing = (*port)->receive((*port)->now_us());
    QVERIFY(nothing && !*nothing && (*port)->status().state == BusState::Active);
    second.take();
    CanFrame frame;
    frame.id = 0x123;
    frame.length = 1;
    const SocketFrame bytes = packSocketFrame(frame);
    QCOMPARE(::send(second.joined, bytes.data(), bytes.size(), 0), static_cast<ssize_t>(bytes.size()));
    const auto got = (*port)->receive((*port)->now_us() + 1000000);
    QVERIFY(got && *got && (*got)->id == 0x123);
}

void LinkTest::aControllerThatNeverComesToAnEndIsGivenUp_data() {
    QTest::addColumn<QByteArray>("frame");
    QTest::addColumn<int>("every_us");
    QTest::addColumn<int>("id");
    QTest::newRow("pending at once") << QByteArray::fromHex("037f0978") << 1000 << 0x7E8;
    QTest::newRow("pending late") << QByteArray::fromHex("037f0978") << 180000 << 0x7E8;
    QTest::newRow("first frames") << QByteArray::fromHex("1040490201414141") << 1000 << 0x7E8;
    QTest::newRow("answers to something else") << QByteArray::fromHex("0341000000") << 1000 << 0x7E8;
    QTest::newRow("a bus full of others") << QByteArray::fromHex("0102030405060708") << 100 << 0x123;
    QTest::newRow("busy") << QByteArray::fromHex("037f0921") << 1000 << 0x7E8;
}

void LinkTest::aControllerThatNeverComesToAnEndIsGivenUp() {
    QFETCH(QByteArray, frame);
    QFETCH(int, every_us);
    QFETCH(int, id);
    for (const bool obd : {true, false}) {
        EndlessPort port;
        port.frame.assign(frame.begin(), frame.end());
        port.every_us = every_us;
        port.id = static_cast<uint32_t>(id);
        if (obd) {
            ObdController controller;
            controller.address.requestId = 0x7E0;
            controller.address.responseId = 0x7E8;
            const auto vehicle = Obd(port).vehicle(controller);  // four questions
            QVERIFY(!vehicle || vehicle->vin.empty() || vehicle->vin == "AAA");
            QVERIFY2(port.now_us() < 4 * 15000000, qPrintable(QString::number(port.now_us())));
        } else {
            Profile profile;
            profile.address.requestId = 0x7E0;
            profile.address.responseId = 0x7E8;
            QVERIFY(!Uds(port, profile).request(Bytes{0x09, 0x02}, 1));
            QVERIFY2(port.now_us() < 15000000, qPrintable(QString::number(port.now_us())));
        }
    }
}

void LinkTest::waitingForAnObdAnswerCanBeStopped() {
    EndlessPort port;
    port.frame = {0x03, 0x7F, 0x01, 0x78};
    Obd obd(port);
    int asked = 0;
    obd.setGoOn([&] { return ++asked < 5; });
    const auto found = obd.discover();
    QVERIFY(!found && found.error().code == ErrorCode::Cancelled);
    QVERIFY(port.now_us() < 1000000);
}

QTEST_APPLESS_MAIN(LinkTest)
#include "LinkTest.moc"
