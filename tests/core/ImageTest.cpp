// Sparse memory, checksums, and the image files.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Expect.h"
#include "core/image/ImageFile.h"

using namespace brusk;
using namespace brusk::image;

class ImageTest : public QObject {
    Q_OBJECT
  private slots:
    void runsThatTouchAreJoined();
    void twoDifferentBytesForOneAddressAreRefused();
    void replacingOverwritesAndJoins();
    void readingBeyondARunNamesTheMissingAddress();
    void overwritingNeverGrowsTheImage();
    void crcMatchesThePublishedCheckValue();
    void mendingWritesTheChecksumAndReportsHowMany();
    void intelHexReadsEveryRecordType();
    void intelHexSegmentRecordsWrapInsideTheirSegment();
    void intelHexErrorsNameTheLine_data();
    void intelHexErrorsNameTheLine();
    void lineEndsOfEverySystemAreRead();
    void sRecordReadsAllAddressSizesAndChecksTheCount();
    void sRecordErrorsNameTheLine_data();
    void sRecordErrorsNameTheLine();
    void anSRecordFileWithoutItsEndIsReadAndSaid();
    void whatIsWrittenReadsBackEqual_data();
    void whatIsWrittenReadsBackEqual();
    void aRowNeverCrosses64KiB();
    void binaryWithAGapIsRefused();
    void formatsAreToldByNameAndByContent();
};

void ImageTest::runsThatTouchAreJoined() {
    Image image;
    EXPECT_OK(image.add(0x1004, Bytes{5, 6}));
    EXPECT_OK(image.add(0x1000, Bytes{1, 2, 3, 4}));
    EXPECT_OK(image.add(0x2000, Bytes{9}));
    QCOMPARE(image.segments().size(), size_t{2});
    QCOMPARE(image.segments()[0].bytes, (Bytes{1, 2, 3, 4, 5, 6}));
    QCOMPARE(image.size(), uint64_t{7});
    // A run in the middle joins three.
    Image three;
    EXPECT_OK(three.add(0, Bytes{1}));
    EXPECT_OK(three.add(2, Bytes{3}));
    EXPECT_OK(three.add(1, Bytes{2}));
    QCOMPARE(three.segments().size(), size_t{1});
    QCOMPARE(three.segments()[0].bytes, (Bytes{1, 2, 3}));
}

void ImageTest::twoDifferentBytesForOneAddressAreRefused() {
    Image image;
    EXPECT_OK(image.add(0x100, Bytes{1, 2, 3}));
    EXPECT_FAILS(image.add(0x101, Bytes{2, 4}), "0x000102");
    EXPECT_OK(image.add(0x101, Bytes{2, 3, 4}));  // the same bytes again are no conflict
    QCOMPARE(image.segments()[0].bytes, (Bytes{1, 2, 3, 4}));
    EXPECT_FAILS(image.add(0xFFFFFFFF, Bytes{1, 2}), "32-bit");
}

void ImageTest::replacingOverwritesAndJoins() {
    Image image;
    EXPECT_OK(image.add(0x100, Bytes{1, 2, 3}));
    EXPECT_OK(image.add(0xFF, Bytes{9, 9}, true));
    QCOMPARE(image.segments()[0].start, uint32_t{0xFF});
    QCOMPARE(image.segments()[0].bytes, (Bytes{9, 9, 2, 3}));
}

void ImageTest::readingBeyondARunNamesTheMissingAddress() {
    Image image;
    EXPECT_OK(image.add(0x8000, Bytes(16, 7)));
    EXPECT_OK(image.bytes(0x8000, 16));
    EXPECT_FAILS(image.bytes(0x8008, 9), "0x008010");
    EXPECT_FAILS(image.bytes(0x7FFF, 1), "0x007FFF");
    QVERIFY(!image.contains(0x800F, 2));
}

void ImageTest::overwritingNeverGrowsTheImage() {
    Image image;
    EXPECT_OK(image.add(0x10, Bytes{1, 2}));
    EXPECT_OK(image.overwrite(0x11, Bytes{7}));
    EXPECT_FAILS(image.overwrite(0x11, Bytes{7, 8}), "does not hold");
    QCOMPARE(image.size(), uint64_t{2});
}

void ImageTest::crcMatchesThePublishedCheckValue() {
    // The check value of CRC-32/ISO-HDLC over "123456789".
    QCOMPARE(crc32(asBytes("123456789")), uint32_t{0xCBF43926});
}

void ImageTest::mendingWritesTheChecksumAndReportsHowMany() {
    Image image;
    EXPECT_OK(image.add(0, Bytes(32, 0xAB)));
    const std::vector<ChecksumArea> areas{{0, 12, 12}, {16, 12, 28, ByteOrder::LittleEndian}};
    QVERIFY(!*checksumAgrees(image, areas[0]));
    QCOMPARE(*mendChecksums(image, areas), 2);
    QVERIFY(*checksumAgrees(image, areas[0]) && *checksumAgrees(image, areas[1]));
    QCOMPARE(*mendChecksums(image, areas), 0);
    EXPECT_FAILS(mendChecksums(image, {{0, 64, 60}}), "no byte at");
}

void ImageTest::intelHexReadsEveryRecordType() {
    const auto image = readImage(asBytes(":020000040080 7A\n"), Format::IntelHex);
    EXPECT_FAILS(image, "pairs");
    const auto whole =
        readImage(asBytes(":0200000400807A\n:02001000ABCD76\n:0400000312345678E5\n:04000005000000CD2A\n:00000001FF\n"),
                  Format::IntelHex);
    EXPECT_OK(whole);
    QCOMPARE(whole->segments()[0].start, uint32_t{0x800010});
    QCOMPARE(whole->segments()[0].bytes, (Bytes{0xAB, 0xCD}));
}

void ImageTest::intelHexSegmentRecordsWrapInsideTheirSegment() {
    // Segment 0x1000 (address 0x10000): the record at 0xFFFF goes on at the segment's beginning.
    const auto image = readImage(asBytes(":020000021000EC\n:02FFFF00010 2\n"), Format::IntelHex);
    EXPECT_FAILS(image, "Line 2");
    const auto wrapped = readImage(asBytes(":020000021000EC\n:02FFFF000102FD\n:00000001FF\n"), Format::IntelHex);
    EXPECT_OK(wrapped);
    QCOMPARE((*wrapped->bytes(0x1FFFF, 1))[0], uint8_t{1});
    QCOMPARE((*wrapped->bytes(0x10000, 1))[0], uint8_t{2});
}

void ImageTest::intelHexErrorsNameTheLine_data() {
    QTest::addColumn<QByteArray>("text");
    QTest::addColumn<QByteArray>("part");
    QTest::newRow("checksum") << QByteArray(":0200000400807A\n:02001000ABCD77\n:00000001FF\n")
                              << QByteArray("Line 2: the checksum is wrong");
    QTest::newRow("length") << QByteArray(":03001000ABCD75\n") << QByteArray("Line 1: the record says 3 data bytes");
    QTest::newRow("no colon") << QByteArray("\n\n02001000ABCD76\n")
                              << QByteArray("Line 3: an Intel HEX record starts with a colon");
    QTest::newRow("not hexadecimal") << QByteArray(":0200100GABCD76\n") << QByteArray("Line 1: not all characters");
    QTest::newRow("unknown type") << QByteArray(":00000006FA\n") << QByteArray("Line 1: record type 6");
    QTest::newRow("cut off") << QByteArray(":02001000ABCD76\n") << QByteArray("cut off");
    QTest::newRow("after the end") << QByteArray(":00000001FF\n:02001000ABCD76\n")
                                   << QByteArray("Line 2: there is text after the end");
    QTest::newRow("overlap") << QByteArray(":02001000ABCD76\n:02001000ABCE75\n:00000001FF\n")
                             << QByteArray("Line 2: Two different bytes");
    QTest::newRow("address record") << QByteArray(":0100000480 7B\n") << QByteArray("Line 1");
    QTest::newRow("empty") << QByteArray("") << QByteArray("cut off");
}

void ImageTest::intelHexErrorsNameTheLine() {
    QFETCH(QByteArray, text);
    QFETCH(QByteArray, part);
    EXPECT_FAILS(readImage(asBytes(text.toStdString()), Format::IntelHex), part.toStdString());
}

void ImageTest::lineEndsOfEverySystemAreRead() {
    for (const char* end : {"\n", "\r\n", "\r"}) {
        const std::string text = std::string(":02001000ABCD76") + end + ":00000001FF" + end;
        EXPECT_OK(readImage(asBytes(text), Format::IntelHex));
    }
    EXPECT_OK(readImage(asBytes(":02001000ABCD76\n:00000001FF"), Format::IntelHex));  // no end of line at the end
}

void ImageTest::sRecordReadsAllAddressSizesAndChecksTheCount() {
    // S1 (16 bit), S2 (24 bit), S3 (32 bit), count and end.
    const auto image = readImage(
        asBytes("S00600004844521B\nS1050010AABB85\nS206012345AABB2B\nS30700800010CCDDBF\nS5030003F9\nS9030000FC\n"),
        Format::SRecord);
    EXPECT_OK(image);
    QCOMPARE(Bytes(image->bytes(0x10, 2)->begin(), image->bytes(0x10, 2)->end()), (Bytes{0xAA, 0xBB}));
    QVERIFY(image->contains(0x12345, 2));
    QVERIFY(image->contains(0x800010, 2));
}

void ImageTest::sRecordErrorsNameTheLine_data() {
    QTest::addColumn<QByteArray>("text");
    QTest::addColumn<QByteArray>("part");
    QTest::newRow("checksum") << QByteArray("S1050010AABB86\nS9030000FC\n")
                              << QByteArray("Line 1: the checksum is wrong");
    QTest::newRow("length") << QByteArray("S1060010AABB85\n") << QByteArray("Line 1: the record's length is wrong");
    QTest::newRow("type 4") << QByteArray("S4030000FC\n") << QByteArray("Line 1: record type S4");
    QTest::newRow("count") << QByteArray("S1050010AABB85\nS5030002FA\nS9030000FC\n")
                           << QByteArray("Line 2: the count record says 2");
    QTest::newRow("nothing") << QByteArray("S00600004844521B\n") << QByteArray("there is no data record");
    QTest::newRow("foreign") << QByteArray("hello\n") << QByteArray("Line 1: an S-record starts with S");
}

void ImageTest::sRecordErrorsNameTheLine() {
    QFETCH(QByteArray, text);
    QFETCH(QByteArray, part);
    EXPECT_FAILS(readImage(asBytes(text.toStdString()), Format::SRecord), part.toStdString());
}

void ImageTest::anSRecordFileWithoutItsEndIsReadAndSaid() {
    std::vector<std::string> remarks;
    const auto bare = readImage(asBytes("S1050010AABB85\n"), Format::SRecord, 0, &remarks);
    EXPECT_OK(bare);
    QCOMPARE(bare->size(), uint64_t{2});
    QVERIFY(remarks.size() == 1 && remarks[0].find("no end record") != std::string::npos);
    // A count that agrees says as well that nothing is missing; with an end record nothing is odd.
    remarks.clear();
    EXPECT_OK(readImage(asBytes("S1050010AABB85\nS5030001FB\n"), Format::SRecord, 0, &remarks));
    EXPECT_OK(readImage(asBytes("S1050010AABB85\nS9030000FC\n"), Format::SRecord, 0, &remarks));
    QVERIFY(remarks.empty());
}

void ImageTest::whatIsWrittenReadsBackEqual_data() {
    QTest::addColumn<int>("format");
    QTest::addColumn<int>("row");
    for (const int row : {1, 16, 32, 250}) {
        QTest::addRow("Intel HEX, %d a row", row) << static_cast<int>(Format::IntelHex) << row;
        QTest::addRow("S-record, %d a row", row) << static_cast<int>(Format::SRecord) << row;
    }
}

void ImageTest::whatIsWrittenReadsBackEqual() {
    QFETCH(int, format);
    QFETCH(int, row);
    Image image;
    Bytes bytes(3000);
    for (size_t i = 0; i < bytes.size(); ++i)
        bytes[i] = static_cast<uint8_t>(i * 7 + i / 256);
    EXPECT_OK(image.add(0x8000FFF3 - 1500, bytes));  // across a 64 KiB border, unaligned
    EXPECT_OK(image.add(0x10, Bytes{1, 2, 3}));
    const auto written = writeImage(image, static_cast<Format>(format), row);
    EXPECT_OK(written);
    const auto again = readImage(*written, static_cast<Format>(format));
    EXPECT_OK(again);
    QVERIFY(*again == image);
}

void ImageTest::aRowNeverCrosses64KiB() {
    Image image;
    EXPECT_OK(image.add(0xFFFC, Bytes(8, 1)));
    const auto written = writeImage(image, Format::IntelHex, 32);
    QVERIFY(std::string(asText(*written)).find(":04FFFC00") != std::string::npos);
    QVERIFY(std::string(asText(*written)).find(":04000000") != std::string::npos);
}

void ImageTest::binaryWithAGapIsRefused() {
    Image image;
    EXPECT_OK(image.add(0, Bytes{1}));
    EXPECT_OK(writeImage(image, Format::Binary));
    EXPECT_OK(image.add(8, Bytes{1}));
    EXPECT_FAILS(writeImage(image, Format::Binary), "gap");
    EXPECT_FAILS(writeImage(image, Format::IntelHex, 0), "1 to 250");
    EXPECT_FAILS(writeImage(image, Format::IntelHex, 251), "1 to 250");
}

void ImageTest::formatsAreToldByNameAndByContent() {
    QVERIFY(formatOfName("a.HEX") == Format::IntelHex);
    QVERIFY(formatOfName("a.s19") == Format::SRecord);
    QVERIFY(formatOfName("a.bin") == Format::Binary);
    QVERIFY(!formatOfName("a.txt"));
    QVERIFY(formatOfBytes(asBytes("\n:00000001FF")) == Format::IntelHex);
    QVERIFY(formatOfBytes(asBytes("S9030000FC")) == Format::SRecord);
    QVERIFY(formatOfBytes(Bytes{0, 1, 2}) == Format::Binary);
}

QTEST_APPLESS_MAIN(ImageTest)
#include "ImageTest.moc"
