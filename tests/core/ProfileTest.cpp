// Controller profiles: what they may say, and what they mean.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Expect.h"
#include "core/link/Profile.h"

using namespace brusk;
using namespace brusk::link;

namespace {

QByteArray demo() {
    return QByteArray::fromStdString(readText(BRUSK_DATA_DIR "/heron/aldine-e2.profile.json"));
}

/// The demo profile with one text replaced by another.
Result<Profile> with(const char* from, const char* to) {
    QByteArray text = demo();
    if (!text.contains(from)) qFatal("the demo profile has no %s", from);
    text.replace(from, to);
    return readProfile(text.toStdString());
}

constexpr const char* kAddresses =
    "\"addressing\": \"normal\", \"request\": \"0x7E0\", \"response\": \"0x7E8\", \"functional\": \"0x7DF\",";
constexpr const char* kSecurity =
    "\"algorithm\": \"rotate-xor-add\", \"xor\": \"0x5A17C3E9\", \"rotate\": 11, \"add\": \"0x0BADBEE5\"";

}  // namespace

class ProfileTest : public QObject {
    Q_OBJECT
  private slots:
    void addressingIsReadInItsThreeForms();
    void keysFollowTheirAlgorithms();
    void sectorsMayDifferInSize();
    void checksumsOfAllKindsAreKept();
    void frozenValuesAreScaled();
    void nonsenseIsRefused_data();
    void nonsenseIsRefused();
    void theLeastTimesFollowFromTheFrames();
};

void ProfileTest::addressingIsReadInItsThreeForms() {
    const auto normal = readProfile(demo().toStdString());
    EXPECT_OK(normal);
    QVERIFY(normal->address.requestId == 0x7E0 && normal->address.padding == 0xAA && normal->functionalId == 0x7DF);
    const auto fixed =
        with(kAddresses, "\"addressing\": \"normal_fixed\", \"target\": \"0x10\", \"source\": \"0xF1\",");
    EXPECT_OK(fixed);
    QCOMPARE(fixed->address.requestId, 0x18DA10F1u);
    QCOMPARE(fixed->address.responseId, 0x18DAF110u);
    QCOMPARE(fixed->functionalId, 0x18DB33F1u);
    const auto extended = with(kAddresses,
                               "\"addressing\": \"extended\", \"request\": \"0x6F1\", \"response\": \"0x612\", "
                               "\"request_target\": \"0x12\", \"response_target\": \"0xF1\",");
    EXPECT_OK(extended);
    QVERIFY(extended->address.requestTarget == 0x12 && extended->address.responseTarget == 0xF1);
    const auto unpadded = with("\"padding\": \"0xAA\"", "\"padding\": null");
    EXPECT_OK(unpadded);
    QVERIFY(!unpadded->address.padding);
}

void ProfileTest::keysFollowTheirAlgorithms() {
    const Bytes seed{0x80, 0x00, 0x00, 0x01};
    const auto times = with(kSecurity, "\"algorithm\": \"multiply-add\", \"multiply\": 3, \"add\": 5");
    EXPECT_OK(times);
    QCOMPARE(*times->key.key(seed), (Bytes{0x80, 0x00, 0x00, 0x08}));
    const auto shift =
        with(kSecurity, "\"algorithm\": \"feedback-shift\", \"polynomial\": \"0x04C11DB7\", \"rounds\": 2, \"xor\": 1");
    EXPECT_OK(shift);
    // 80000001 -> 00000002 ^ 04C11DB7 = 04C11DB5 -> 09823B6A; xor 1.
    QCOMPARE(*shift->key.key(seed), (Bytes{0x09, 0x82, 0x3B, 0x6B}));
    const auto none = with(kSecurity, "\"algorithm\": \"none\"");
    EXPECT_OK(none);
    EXPECT_FAILS(none->key.key(seed), "has no algorithm");
}

void ProfileTest::sectorsMayDifferInSize() {
    const auto mixed =
        with("\"length\": \"0x40000\", \"sector\": \"0x4000\"",
             "\"length\": \"0x40000\", \"sector\": [{\"count\": 4, \"size\": \"0x2000\"}, {\"count\": 7, "
             "\"size\": \"0x8000\"}]");
    EXPECT_OK(mixed);
    const auto sectors = mixed->sectorsOf(*mixed->calibrationArea());
    QCOMPARE(sectors.size(), size_t{11});
    QVERIFY((sectors[3] == image::Sector{0x8C6000, 0x2000}) && (sectors[4] == image::Sector{0x8C8000, 0x8000}));
}

void ProfileTest::checksumsOfAllKindsAreKept() {
    const auto kinds = with("\"kind\": \"crc32\", \"start\": \"0x810000\"",
                            "\"kind\": \"sum16\", \"little_endian\": true, \"start\": \"0x810000\"");
    EXPECT_OK(kinds);
    QVERIFY(kinds->checksums[0].kind == image::ChecksumKind::Sum16);
    QVERIFY(kinds->checksums[0].order == ByteOrder::LittleEndian);
    QVERIFY(kinds->checksums[1].kind == image::ChecksumKind::Crc32);
    QCOMPARE(image::checksumOf(image::ChecksumKind::Crc16, asBytes("123456789")), 0x29B1u);
    QCOMPARE(image::checksumOf(image::ChecksumKind::Crc32, asBytes("123456789")), 0xCBF43926u);
    QCOMPARE(image::checksumOf(image::ChecksumKind::Sum16, Bytes(300, 0xFF)), (300u * 255) & 0xFFFF);
    QCOMPARE(image::checksumOf(image::ChecksumKind::Sum32, Bytes(300, 0xFF)), 300u * 255);
}

void ProfileTest::frozenValuesAreScaled() {
    const auto profile = readProfile(demo().toStdString());
    const FrozenItem* trim = profile->frozenItem(0xFD08);
    QVERIFY(trim && trim->isSigned);
    QCOMPARE(trim->physical(0xFFFF - 1999), -20.0);
    QCOMPARE(profile->frozenItem(0xFD0A)->physical(13800), 13.8);
    QVERIFY(!profile->frozenItem(0x1234));
}

void ProfileTest::nonsenseIsRefused_data() {
    QTest::addColumn<QByteArray>("from");
    QTest::addColumn<QByteArray>("to");
    QTest::addColumn<QByteArray>("part");
    const auto row = [](const char* from, const char* to, const char* part) {
        QTest::newRow(part) << QByteArray(from) << QByteArray(to) << QByteArray(part);
    };
    row("\"normal\"", "\"sideways\"", "\"addressing\" must be");
    row("\"0x7E0\"", "\"0x800\"", "\"request\" must be a whole number of at most 0x0007FF");
    row("\"bitrate\": 500000", "\"bitrate\": 0", "\"bitrate\" must be 10000 to 1000000");
    row("\"p2\": 50", "\"p2\": -1", "\"p2\" must be 0 to 600000 milliseconds");
    row("[\"ALD-E2-HW03\"]", "[]", "\"hardware\" must list 1 to 256 entries");
    row("[\"ALD-E2-HW03\"]", "[7]", "\"hardware\" must list texts");
    row("\"calibration\": true", "\"calibration\": 1", "\"calibration\" must be true or false");
    row("\"sector\": \"0x4000\"", "\"sector\": [{\"count\": 3, \"size\": \"0x4000\"}]", "not a whole number");
    row("\"most_volts\": 15.5", "\"most_volts\": 11", "\"least_volts\" must lie below \"most_volts\"");
    row("\"before_read\": 0", "\"before_read\": 9999", "\"ignition_off_s\" must be 0 to 600");
    row("\"did\": \"0xFD02\", \"label\": \"Engine speed\", \"bytes\": 2",
        "\"did\": \"0xFD02\", \"label\": \"x\", \"bytes\": 0", "\"bytes\" of a frozen value");
}

void ProfileTest::nonsenseIsRefused() {
    QFETCH(QByteArray, from);
    QFETCH(QByteArray, to);
    QFETCH(QByteArray, part);
    EXPECT_FAILS(with(from.constData(), to.constData()), part.toStdString());
}

void ProfileTest::theLeastTimesFollowFromTheFrames() {
    const auto profile = readProfile(demo().toStdString());
    // One block of 14 data bytes: request and answer of the upload, of the block and of the exit, counted by hand.
    const Bytes bytes(14, 0x5A);
    IsoTpAddress back = profile->address;
    std::swap(back.requestId, back.responseId);
    Bytes block(2 + bytes.size(), 0x5A);
    block[0] = 0x76, block[1] = 0x01;
    const int64_t wanted =
        leastMessageTime_us(Bytes{0x35, 0x00, 0x44, 0x00, 0x8C, 0, 0, 0, 0, 0, 14}, profile->address) +
        leastMessageTime_us(Bytes{0x75, 0x20, 0x0F, 0xFF}, back) +
        leastMessageTime_us(Bytes{0x36, 0x01}, profile->address) + leastMessageTime_us(block, back) +
        leastMessageTime_us(Bytes{0x37}, profile->address) + leastMessageTime_us(Bytes{0x77}, back);
    QCOMPARE(profile->leastRead_us(0x8C0000, bytes, 4093), wanted);
    // A sector: its stated erase and program times are part of it.
    const Bytes sector(0x4000, 0x5A);
    const int64_t flash = profile->leastFlash_us({0x8C0000, 0x4000}, sector, 4093);
    const int64_t read = profile->leastRead_us(0x8C0000, sector, 4093);
    QVERIFY(flash > 2 * read + 180000 + 5 * 6000 - 2000 && flash < 2 * read + 180000 + 5 * 6000 + 5000);
    // Half the bitrate takes twice as long.
    auto slow = *profile;
    slow.bitrate = 250000;
    QCOMPARE(slow.leastRead_us(0x8C0000, bytes, 4093), 2 * wanted);
}

QTEST_APPLESS_MAIN(ProfileTest)
#include "ProfileTest.moc"
