// Columns, gaps, expressions, and MDF4 files whole, cut off, damaged and by other hands.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <atomic>
#include <cmath>
#include <mutex>
#include <thread>

#include "Expect.h"
#include "core/recording/Expression.h"
#include "core/recording/ImportPlan.h"
#include "core/recording/RecordingWriter.h"

using namespace brusk;
using namespace brusk::recording;

namespace {

Recording sample(size_t rows = 500) {
    Recording r;
    r.title = "Town <&> \"hills\"";
    r.startedAt = "2026-03-01T10:12:05Z";
    r.roundId = "2";
    r.imageSha256 = "abcd";
    r.groups.resize(2);
    Group& fast = r.groups[0];
    fast.name = "controller";
    fast.channels = {{"speed", "rpm", "Engine speed", "engine_speed", {}},
                     {"pressure", "kPa", "Manifold pressure", "manifold_pressure", {}}};
    Group& slow = r.groups[1];
    slow.name = "wideband";
    slow.channels = {{"lambda", "lambda", "", "lambda_measured", {}}};
    for (size_t i = 0; i < rows; ++i) {
        fast.time_s.push_back(static_cast<double>(i) * 0.01);
        fast.channels[0].values.push_back(800.0f + static_cast<float>(i));
        fast.channels[1].values.push_back(i % 7 == 3 ? NAN : 40.0f + static_cast<float>(i % 50));
        if (i % 2) continue;
        slow.time_s.push_back(static_cast<double>(i) * 0.01 + 0.003);
        slow.channels[0].values.push_back(1.0f + 0.0001f * static_cast<float>(i));
    }
    return r;
}

bool same(const Recording& a, const Recording& b) {
    if (a.groups.size() != b.groups.size()) return false;
    for (size_t g = 0; g < a.groups.size(); ++g) {
        if (!(a.groups[g].time_s == b.groups[g].time_s) || a.groups[g].channels.size() != b.groups[g].channels.size())
            return false;
        for (size_t c = 0; c < a.groups[g].channels.size(); ++c)
            if (!(a.groups[g].channels[c].values == b.groups[g].channels[c].values) ||
                a.groups[g].channels[c].role != b.groups[g].channels[c].role)
                return false;
    }
    return a.title == b.title && a.roundId == b.roundId;
}

/// The recording as a file, flushed every `every` rows.
Bytes fileOf(const Recording& r, storage::MemoryFileSystem& files, size_t every, bool finish = true) {
    auto writer = Mdf4Writer::create(files, "/r.mf4", r);
    if (!writer) qFatal("%s", writer.error().text().c_str());
    size_t slow = 0;
    for (size_t i = 0; i < r.groups[0].time_s.size(); ++i) {
        const float row[] = {r.groups[0].channels[0].values[i], r.groups[0].channels[1].values[i]};
        (*writer)->append(0, r.groups[0].time_s[i], row);
        while (slow < r.groups[1].time_s.size() && r.groups[1].time_s[slow] <= r.groups[0].time_s[i]) {
            const float value[] = {r.groups[1].channels[0].values[slow]};
            (*writer)->append(1, r.groups[1].time_s[slow++], value);
        }
        if (i % every == every - 1)
            if (!(*writer)->flush()) qFatal("a flush failed");
    }
    while (slow < r.groups[1].time_s.size()) {
        const float value[] = {r.groups[1].channels[0].values[slow]};
        (*writer)->append(1, r.groups[1].time_s[slow++], value);
    }
    if (finish && !(*writer)->finish()) qFatal("finish failed");
    return *files.read("/r.mf4");
}

/// A minimal MDF 4 file by another hand: one group, int16 big-endian with a linear conversion, uint32 milliseconds as
/// time.
Bytes foreignFile() {
    Bytes f;
    const auto put = [&](uint64_t v, size_t n) {
        f.resize(f.size() + n);
        storeUnsigned(f.data() + f.size() - n, n, ByteOrder::LittleEndian, v);
    };
    const auto real = [&](double v) { put(std::bit_cast<uint64_t>(v), 8); };
    const auto head = [&](const char* id, uint64_t length, std::initializer_list<uint64_t> links) {
        while (f.size() % 8)
            f.push_back(0);
        f.insert(f.end(), id, id + 4);
        put(0, 4);
        put(length, 8);
        put(links.size(), 8);
        for (const uint64_t l : links)
            put(l, 8);
    };
    const std::string id = "MDF     4.11    other   ";
    f.insert(f.end(), id.begin(), id.end());
    put(0, 4), put(411, 2);
    f.resize(64);
    // Places: HD 64 (24+48+32=104) -> 168 DG (24+32+8=64) -> 232 CG (24+48+32=104) -> 336 CN time (24+64+72=160) -> 496
    // CN value -> 656 CC time (24+32+40=96... value pairs) -> 752 CC value -> 848 TX "t" -> 880 TX "temp" -> 912 DT
    head("##HD", 104, {168, 0, 0, 0, 0, 0});
    put(0, 8), put(0, 8), real(0), real(0);
    head("##DG", 64, {0, 232, 912, 0});
    put(0, 8);
    head("##CG", 104, {0, 336, 0, 0, 0, 0});
    put(0, 8), put(3, 8), put(0, 8), put(6, 4), put(0, 4);
    const auto cn = [&](uint64_t next, uint64_t name, uint64_t conversion, int type, int dataType, uint64_t byte,
                        uint64_t bits) {
        head("##CN", 160, {next, 0, name, 0, conversion, 0, 0, 0});
        put(static_cast<uint64_t>(type), 1), put(type ? 1 : 0, 1), put(static_cast<uint64_t>(dataType), 1), put(0, 1),
            put(byte, 4), put(bits, 4), put(0, 4), put(0, 4), put(0, 4);
        for (int i = 0; i < 6; ++i)
            put(0, 8);
    };
    cn(496, 848, 656, 2, 0, 0, 32);
    cn(0, 880, 752, 0, 3, 4, 16);
    const auto cc = [&](double offset, double factor) {
        head("##CC", 96, {0, 0, 0, 0});
        put(1, 1), put(0, 1), put(0, 2), put(0, 2), put(2, 2), real(0), real(0), real(offset), real(factor);
    };
    cc(0, 0.001);
    cc(-40, 0.5);
    const auto tx = [&](const char* text) {
        head("##TX", 32, {});
        const std::string t = text;
        f.insert(f.end(), t.begin(), t.end());
        f.resize(f.size() + 8 - t.size());
    };
    tx("t");
    tx("temp");
    head("##DT", 24 + 18, {});
    for (const auto& [ms, raw] : {std::pair{0, 100}, {500, -20}, {1000, 300}}) {
        put(static_cast<uint64_t>(ms), 4);
        f.push_back(static_cast<uint8_t>(static_cast<uint16_t>(raw) >> 8));
        f.push_back(static_cast<uint8_t>(raw));
    }
    return f;
}

}  // namespace

class RecordingTest : public QObject {
    Q_OBJECT
  private slots:
    void aMomentHasTheLastValueOfEachChannel();
    void whatIsWrittenReadsBackEqual();
    void aFileOfTheFirstFormatIsRead();
    void marksAndStatesAreWrittenAndRead();
    void aGroupWithoutTimeStaysWithoutOne();
    void packedFilesHoldTheSameInLess();
    void aSensorThatIsSilentAtFirstIsNotLeftOut();
    void aRoleThatIsSaidBringsTheUnitThatTheNumbersTell();
    void everyFlushLeavesACompleteFile();
    void afterPowerLossAllFlushedRowsAreThere();
    void aFailingWriteAtAnyOperationLeavesAReadableFile();
    void theFileIsMarkedUnfinalisedUntilItIsFinished();
    void aFileByAnotherHandIsRead();
    void cutOffAnywhereItIsAnErrorOrAShorterRecording();
    void flippedBytesNeverCrashTheReader();
    void ofMoreSamplesClaimedThanThereAreWhatIsThereIsGiven();
    void aBadLinkInTheMiddleGivesEverythingBeforeIt();
    void aFailedWriteIsMadeGoodByTheNext();
    void aFileWithoutItsHeadIsNotLeftBehind();
    void pagesThatThePowerTookAreNotTakenForSamples();
    void aBusyDiskDelaysNoRow();
    void rowsGoFromOneThreadToAnotherInTheirOrder();
    void aQueueWhoseTakerKeepsUpHasTwoBlocks();
    void aWriteThatDoesNotComeBackIsAGapAsLongAsTheQueueIsFull();
    void rowsThatNoDiskTakesAreAGapInTheEnd();
    void aCircleOfBlocksEnds();
    void whatIsNoMdfIsSaid();
    void channelsAreFoundByNameAndRole();
    void gapsAreWhereTheClockJumps();
    void expressionsOfChannelsAreEvaluatedOnTheClock();
    void expressionsThatAreWrongAreSaid();
};

void RecordingTest::whatIsWrittenReadsBackEqual() {
    storage::MemoryFileSystem files;
    const Recording r = sample();
    EXPECT_OK(saveMdf4(files, "/a.mf4", r));
    const auto again = readMdf4(*files.read("/a.mf4"));
    EXPECT_OK(again);
    QVERIFY(same(r, *again));
    QCOMPARE(again->groups[0].rate_hz, 100.0);
    QCOMPARE(again->groups[1].rate_hz, 50.0);
    QCOMPARE(again->groups[0].channels[0].unit, std::string("rpm"));
    QCOMPARE(again->groups[0].channels[0].description, std::string("Engine speed"));
    QCOMPARE(again->imageSha256, std::string("abcd"));
}

void RecordingTest::aFileOfTheFirstFormatIsRead() {
    const std::string file = readText(BRUSK_SOURCE_DIR "/tests/core/samples/recording.format1.mf4");
    const auto r = readMdf4(asBytes(file));
    EXPECT_OK(r);
    QVERIFY(r->damage.empty() && r->vin.empty() && r->marks.empty());
    QCOMPARE(r->title, std::string("Town <&> \"hills\""));
    QCOMPARE(r->startedAt, std::string("2026-03-01T10:12:05Z"));
    QCOMPARE(r->areas, std::string("calibration=ab12"));
    Recording wanted = sample(200);
    QVERIFY(same(*r, wanted));
}

void RecordingTest::marksAndStatesAreWrittenAndRead() {
    storage::MemoryFileSystem files;
    Recording r = sample();
    r.vin = "FMKHR16T0E2000001";
    r.marks = {{0.125, "marker", "left the <yard>"}, {0.5, "", "nobody said"}, {1.75, "guard", "lean & lifted"}};
    r.groups[0].channels[1].states = {{40, "calm"}, {41.5f, "\"windy\""}};
    EXPECT_OK(saveMdf4(files, "/a.mf4", r));
    const auto again = readMdf4(*files.read("/a.mf4"));
    EXPECT_OK(again);
    QVERIFY(same(r, *again));
    QCOMPARE(again->vin, r.vin);
    QCOMPARE(again->marks.size(), size_t{3});
    QVERIFY(again->marks[0] == r.marks[0] && again->marks[2] == r.marks[2]);
    QVERIFY(again->marks[1].at_s == 0.5 && again->marks[1].text == "nobody said");
    QVERIFY(again->groups[0].channels[1].states == r.groups[0].channels[1].states);
    QCOMPARE(*again->groups[0].channels[1].textOf(40), std::string("calm"));
    QVERIFY(!again->groups[0].channels[1].textOf(42));
    // Marks that come while it grows are there as soon as they are written.
    auto writer = Mdf4Writer::create(files, "/b.mf4", sample(3));
    (*writer)->append(Mark{0.01, "marker", "here"});
    EXPECT_OK((*writer)->write());
    QCOMPARE(readMdf4(*files.read("/b.mf4"))->marks.size(), size_t{1});
}

void RecordingTest::aGroupWithoutTimeStaysWithoutOne() {
    storage::MemoryFileSystem files;
    Recording r = sample(40);
    r.groups[0].timed = false;
    for (size_t i = 0; i < 40; ++i)
        r.groups[0].time_s.edit()[i] = static_cast<double>(i);
    EXPECT_OK(saveMdf4(files, "/a.mf4", r));
    const auto again = readMdf4(*files.read("/a.mf4"));
    EXPECT_OK(again);
    QVERIFY(same(r, *again) && !again->groups[0].timed && again->groups[1].timed);
    // It says nothing of when, so nothing is learned from it.
    QVERIFY(!again->findRole("engine_speed") && again->findRole("lambda_measured"));
    QVERIFY(again->find("speed") && again->duration_s() < 1);
}

void RecordingTest::packedFilesHoldTheSameInLess() {
    storage::MemoryFileSystem files;
    const Recording r = sample(20000);
    EXPECT_OK(saveMdf4(files, "/a.mf4", r));
    EXPECT_OK(saveMdf4(files, "/p.mf4", r, {.packed = true}));
    const auto packed = readMdf4(*files.read("/p.mf4"));
    EXPECT_OK(packed);
    QVERIFY(same(r, *packed));
    QVERIFY(files.read("/p.mf4")->size() * 3 < files.read("/a.mf4")->size());
    // Where the disk fails nothing is left behind.
    for (int n = 1; n < 6; ++n) {
        files.failAt(n, false);
        const auto done = saveMdf4(files, "/x.mf4", r, {.packed = true});
        files.failAt(0, false);
        QVERIFY(!done && !files.exists("/x.mf4"));
    }
}

namespace {

/// A table of 900 rows at 100 Hz whose mixture comes after 6 s, as a ratio without a unit.
ImportFile lateTable() {
    std::string text = "Time (s),Engine RPM (rpm),K7,K8\n";
    for (int i = 0; i < 900; ++i)
        text += std::to_string(i / 100) + "." + std::to_string(100 + i % 100).substr(1) + "," +
                std::to_string(900 + i) + "," + (i < 600 ? "" : "14." + std::to_string(i % 10)) + ",\n";
    const ByteSpan bytes = asBytes(text);
    return *ImportFile::open("late", storage::mappedBytes(Bytes(bytes.begin(), bytes.end())));
}

}  // namespace

void RecordingTest::aSensorThatIsSilentAtFirstIsNotLeftOut() {
    const ImportFile file = lateTable();
    const auto plan = file.plan();
    EXPECT_OK(plan);
    QVERIFY(plan->columns[1].key == "K7" && plan->columns[1].use);
    const auto read = file.recording(*plan);
    EXPECT_OK(read);
    QCOMPARE(read->find("K7").channel->values[899], 14.9f);
    // Of an MDF file all is known at once: what is silent to its end holds nothing.
    storage::MemoryFileSystem files;
    Recording late = sample(900);
    for (Channel& channel : late.groups[0].channels)
        channel.role.clear();
    late.groups.pop_back();
    late.imageSha256.clear();
    std::fill_n(late.groups[0].channels[0].values.edit().begin(), 600, NAN);
    late.groups[0].channels[1].values = std::vector<float>(900, NAN);
    EXPECT_OK(saveMdf4(files, "/late.mf4", late));
    const auto mdf = ImportFile::open("late", *files.map("/late.mf4"))->plan();
    EXPECT_OK(mdf);
    QVERIFY(mdf->columns[0].use && !mdf->columns[1].use);
}

void RecordingTest::aRoleThatIsSaidBringsTheUnitThatTheNumbersTell() {
    std::string text = "Time (s),K7\n0.0,14.2\n0.1,14.7\n0.2,15.1\n";
    const ByteSpan bytes = asBytes(text);
    const auto file = ImportFile::open("k", storage::mappedBytes(Bytes(bytes.begin(), bytes.end())));
    EXPECT_OK(file);
    ImportSaid said;
    said.columns["K7"].role = "lambda_measured";
    QCOMPARE(file->plan(said)->columns[0].unit, std::string("AFR"));
    said.columns["K7"].unit = "lambda";
    QCOMPARE(file->plan(said)->columns[0].unit, std::string("lambda"));
}

void RecordingTest::everyFlushLeavesACompleteFile() {
    const Recording r = sample(300);
    storage::MemoryFileSystem files;
    auto writer = Mdf4Writer::create(files, "/r.mf4", r);
    for (size_t i = 0; i < 300; ++i) {
        const float row[] = {r.groups[0].channels[0].values[i], r.groups[0].channels[1].values[i]};
        (*writer)->append(0, r.groups[0].time_s[i], row);
        if (i % 50 != 49) continue;
        EXPECT_OK((*writer)->flush());
        const auto now = readMdf4(*files.read("/r.mf4"));
        EXPECT_OK(now);
        QCOMPARE(now->groups[0].time_s.size(), i + 1);
        QVERIFY(now->groups[1].time_s.empty());
    }
}

void RecordingTest::afterPowerLossAllFlushedRowsAreThere() {
    const Recording r = sample(300);
    storage::MemoryFileSystem files;
    auto writer = Mdf4Writer::create(files, "/r.mf4", r);
    for (size_t i = 0; i < 130; ++i) {
        const float row[] = {r.groups[0].channels[0].values[i], r.groups[0].channels[1].values[i]};
        (*writer)->append(0, r.groups[0].time_s[i], row);
        if (i == 99) EXPECT_OK((*writer)->flush());
    }
    files.losePower();
    const auto found = readMdf4(*files.read("/r.mf4"));
    EXPECT_OK(found);
    QCOMPARE(found->groups[0].time_s.size(), size_t{100});
}

void RecordingTest::aFailingWriteAtAnyOperationLeavesAReadableFile() {
    const Recording r = sample(120);
    for (const bool lasting : {false, true})
        for (int n = 1;; ++n) {
            storage::MemoryFileSystem files;
            auto writer = Mdf4Writer::create(files, "/r.mf4", r);
            files.failAt(n, lasting);
            size_t flushed = 0;
            bool failed = false;
            for (size_t i = 0; i < 120; ++i) {
                const float row[] = {r.groups[0].channels[0].values[i], r.groups[0].channels[1].values[i]};
                (*writer)->append(0, r.groups[0].time_s[i], row);
                if (i % 40 != 39) continue;
                if ((*writer)->flush())
                    flushed = i + 1;
                else
                    failed = true;
            }
            const bool finished = (*writer)->finish().has_value();
            files.failAt(0, false);
            files.losePower();
            const auto found = readMdf4(*files.read("/r.mf4"));
            EXPECT_OK(found);
            QVERIFY(found->groups[0].time_s.size() >= flushed);
            if (finished && !failed) {
                QCOMPARE(found->groups[0].time_s.size(), size_t{120});
                QVERIFY(n > 10);
                break;
            }
        }
}

void RecordingTest::theFileIsMarkedUnfinalisedUntilItIsFinished() {
    storage::MemoryFileSystem files;
    const Bytes open = fileOf(sample(60), files, 20, false);
    QCOMPARE(std::string(asText(open)).substr(0, 8), std::string("UnFinMF "));
    storage::MemoryFileSystem others;
    const Bytes closed = fileOf(sample(60), others, 20);
    QCOMPARE(std::string(asText(closed)).substr(0, 8), std::string("MDF     "));
    QCOMPARE(std::string(asText(closed)).substr(8, 8), std::string("4.10    "));
    QCOMPARE(closed.size() % 8, size_t{0});
    const auto whole = readMdf4(closed);
    EXPECT_OK(whole);
    QVERIFY(same(sample(60), *whole));
}

void RecordingTest::aFileByAnotherHandIsRead() {
    const auto r = readMdf4(foreignFile());
    EXPECT_OK(r);
    QVERIFY((r->groups[0].time_s == Clock{0, 0.5, 1.0}));
    QCOMPARE(r->groups[0].channels[0].name, std::string("temp"));
    QVERIFY((r->groups[0].channels[0].values == Column{10, -50, 110}));
    QVERIFY(r->roundId.empty());
}

void RecordingTest::cutOffAnywhereItIsAnErrorOrAShorterRecording() {
    storage::MemoryFileSystem files;
    const Bytes whole = fileOf(sample(40), files, 20);
    for (size_t length = 0; length < whole.size(); ++length) {
        const auto r = readMdf4(ByteSpan(whole).first(length));
        if (!r)
            QVERIFY(!r.error().message.empty());
        else
            QVERIFY(r->groups[0].time_s.size() <= 40);
    }
}

void RecordingTest::flippedBytesNeverCrashTheReader() {
    storage::MemoryFileSystem files;
    const Bytes whole = fileOf(sample(20), files, 10);
    for (size_t at = 0; at < whole.size(); ++at)
        for (const uint8_t flip : {0x01, 0x80, 0xFF}) {
            Bytes damaged = whole;
            damaged[at] ^= flip;
            const auto r = readMdf4(damaged);
            if (r)
                for (const Group& g : r->groups)
                    for (const Channel& c : g.channels)
                        QCOMPARE(c.values.size(), g.time_s.size());
        }
}

void RecordingTest::ofMoreSamplesClaimedThanThereAreWhatIsThereIsGiven() {
    Bytes f = foreignFile();
    storeUnsigned(f.data() + 232 + 24 + 48 + 8, 8, ByteOrder::LittleEndian, 1000000000);
    const auto r = readMdf4(f);
    EXPECT_OK(r);
    QCOMPARE(r->groups[0].time_s.size(), size_t{3});
    QVERIFY(r->damage.size() == 1 &&
            r->damage[0].find("claims 1000000000 samples, the file holds 3") != std::string::npos);
}

void RecordingTest::aBadLinkInTheMiddleGivesEverythingBeforeIt() {
    storage::MemoryFileSystem files;
    Recording one = sample(120);
    one.groups[1] = {"silent", 0, {}, {{"lambda", "lambda", "", "", {}}}};
    const Bytes whole = fileOf(one, files, 20);
    // Each data list links the next: find them, and break each link in turn.
    int broken = 0;
    for (size_t at = 64; at + 48 <= whole.size(); at += 8) {
        if (asText(ByteSpan(whole).subspan(at, 4)) != "##DL" ||
            loadUnsigned(whole.data() + at + 24, 8, ByteOrder::LittleEndian) == 0)
            continue;
        ++broken;
        Bytes damaged = whole;
        storeUnsigned(damaged.data() + at + 24, 8, ByteOrder::LittleEndian, 0xDEADBEEF0ull);
        const auto r = readMdf4(damaged);
        EXPECT_OK(r);
        QCOMPARE(r->groups[0].time_s.size(), size_t{20} * static_cast<size_t>(broken));
        QVERIFY(!r->damage.empty() && r->damage[0].find("At byte") == 0);
    }
    QCOMPARE(broken, 5);
}

void RecordingTest::aFailedWriteIsMadeGoodByTheNext() {
    // Whatever write fails, and however much of it came through: once the disk is well again nothing is missing.
    Recording r = sample(120);
    r.groups[1] = {"silent", 0, {}, {{"lambda", "lambda", "", "", {}}}};
    for (int n = 1; n < 40; ++n) {
        storage::MemoryFileSystem files;
        auto writer = Mdf4Writer::create(files, "/r.mf4", r);
        files.failAt(n, false);
        bool failed = false;
        for (size_t i = 0; i < 120; ++i) {
            const float row[] = {r.groups[0].channels[0].values[i], r.groups[0].channels[1].values[i]};
            (*writer)->append(0, r.groups[0].time_s[i], row);
            if (i % 30 == 29 && !(*writer)->flush()) failed = true;
        }
        if (!(*writer)->finish()) {
            failed = true;
            EXPECT_OK((*writer)->finish());
        }
        if (!failed) {
            QVERIFY(n > 20);
            return;
        }
        const auto found = readMdf4(*files.read("/r.mf4"));
        EXPECT_OK(found);
        QVERIFY(found->damage.empty() && same(r, *found));
    }
    QFAIL("the sweep never ran without meeting its fault");
}

void RecordingTest::aFileWithoutItsHeadIsNotLeftBehind() {
    storage::MemoryFileSystem files;
    files.setRoom(100);
    EXPECT_FAILS(Mdf4Writer::create(files, "/r.mf4", sample(10)), "the disk is full");
    QVERIFY(!files.exists("/r.mf4"));
}

void RecordingTest::pagesThatThePowerTookAreNotTakenForSamples() {
    // 100 rows are on the disk, 100 more are linked, and of those some of the pages never came.
    const Recording r = sample(200);
    storage::MemoryFileSystem files;
    auto writer = Mdf4Writer::create(files, "/r.mf4", r);
    for (size_t i = 0; i < 200; ++i) {
        const float row[] = {r.groups[0].channels[0].values[i], r.groups[0].channels[1].values[i]};
        (*writer)->append(0, r.groups[0].time_s[i], row);
        if (i == 99) EXPECT_OK((*writer)->flush());
    }
    const size_t safe = static_cast<size_t>((*writer)->bytesWritten());
    EXPECT_OK((*writer)->write());
    const Bytes whole = *files.read("/r.mf4");
    QCOMPARE(readMdf4(whole)->groups[0].time_s.size(), size_t{200});
    size_t fewest = 200, most = 0;
    for (size_t page = safe; page < whole.size(); page += 8) {
        Bytes torn = whole;
        std::fill_n(torn.begin() + static_cast<long>(page), std::min<size_t>(512, torn.size() - page), uint8_t{0});
        const auto found = readMdf4(torn);
        EXPECT_OK(found);
        const Group& group = found->groups[0];
        QVERIFY(group.time_s.size() >= 100);
        for (size_t i = 0; i < group.time_s.size(); ++i)
            QVERIFY(group.time_s[i] == r.groups[0].time_s[i] &&
                    group.channels[0].values[i] == r.groups[0].channels[0].values[i]);
        fewest = std::min(fewest, group.time_s.size());
        most = std::max(most, group.time_s.size());
        if (group.time_s.size() < 199) QVERIFY(!found->damage.empty());
    }
    QVERIFY(fewest == 100 && most > 150);
}

void RecordingTest::aBusyDiskDelaysNoRow() {
    const Recording r = sample(300);
    storage::MemoryFileSystem files;
    std::mutex mutex;
    std::vector<std::string> told;
    RecordingWriter writer(std::move(*Mdf4Writer::create(files, "/r.mf4", r)), {2, 1},
                           [&](const std::string& sentence) {
                               const std::lock_guard lock(mutex);
                               told.push_back(sentence);
                           });
    const auto append = [&](size_t from, size_t to) {
        for (size_t i = from; i < to; ++i) {
            const float row[] = {r.groups[0].channels[0].values[i], r.groups[0].channels[1].values[i]};
            writer.append(0, r.groups[0].time_s[i], row);
            if (i % 2 == 0) writer.append(1, r.groups[1].time_s[i / 2], r.groups[1].channels[0].values);
        }
        writer.due();
    };
    const auto held = [&] { return readMdf4(*files.read("/r.mf4"))->groups[0].time_s.size(); };
    files.setBusy(true);
    append(0, 100);
    QTRY_COMPARE(held(), size_t{100});  // as a program that dies now leaves them
    append(100, 250);
    QTRY_COMPARE(held(), size_t{250});
    files.setBusy(false);
    append(250, 300);
    EXPECT_OK(writer.finish());
    QVERIFY(writer.lost().empty() && writer.rows(0) == 300 && writer.kept_s() == r.groups[0].time_s.back());
    QVERIFY(told.empty());
    files.losePower();
    const auto whole = readMdf4(*files.read("/r.mf4"));
    QVERIFY(whole->damage.empty() && whole->groups[0].time_s == r.groups[0].time_s);
    QVERIFY(whole->groups[1].time_s == r.groups[1].time_s);
}

void RecordingTest::rowsGoFromOneThreadToAnotherInTheirOrder() {
    constexpr size_t kRows = 300000;
    RowQueue queue({3, 1, 40}, 1000);
    std::thread pushing([&] {
        std::vector<float> row(40);
        for (size_t i = 0; i < kRows; ++i) {
            std::fill(row.begin(), row.end(), static_cast<float>(i));
            if (!queue.push(i % 3, static_cast<double>(i) * 1e-3, std::span(row).first(i % 3 == 1 ? 1 : 2))) return;
        }
    });
    size_t seen = 0;
    bool right = true;
    while (seen < kRows && right)
        queue.take([&](size_t group, double time_s, std::span<const float> values) {
            const size_t width = group == 0 ? 3 : group == 1 ? 1 : 40;
            // What a row does not have is not a number.
            right = right && group == seen % 3 && time_s == static_cast<double>(seen) * 1e-3 &&
                    values.size() == width && values[0] == static_cast<float>(seen) &&
                    (width == 1 || std::isnan(values.back()));
            ++seen;
        });
    pushing.join();
    QVERIFY(right);
    QCOMPARE(seen, kRows);
}

void RecordingTest::aQueueWhoseTakerKeepsUpHasTwoBlocks() {
    RowQueue queue({10}, 4);
    const std::vector<float> row(10, 1.0f);
    size_t most = 0, taken = 0;
    for (int i = 0; i < 100000; ++i) {
        QVERIFY(queue.push(0, i, row));
        if (i % 100 == 0) queue.take([&](size_t, double, std::span<const float>) { ++taken; });
        most = std::max(most, queue.blocks());
    }
    QCOMPARE(most, size_t{2});
    // One that does not, loses rows instead of all memory; what was taken in is not touched.
    size_t refused = 0;
    for (int i = 0; i < 100000; ++i)
        refused += !queue.push(0, i, row);
    QVERIFY(refused > 0 && queue.blocks() == 4);
    size_t left = 0;
    queue.take([&](size_t, double, std::span<const float>) { ++left; });
    QCOMPARE(taken + left, 200000 - refused);
    QVERIFY(queue.push(0, 0, row));
}

void RecordingTest::aWriteThatDoesNotComeBackIsAGapAsLongAsTheQueueIsFull() {
    Recording wide;
    wide.groups.resize(1);
    wide.groups[0].channels.resize(1000);
    storage::MemoryFileSystem files;
    RecordingWriter writer(std::move(*Mdf4Writer::create(files, "/r.mf4", wide)), {1000}, {});
    const std::vector<float> row(1000, 1.0f);
    double time_s = 0;
    const auto append = [&](uint64_t bytes) {
        for (uint64_t i = 0; i < bytes / 4000; ++i)
            writer.append(0, time_s += 0.01, row);
    };
    // Nothing is due: nobody takes a row.
    append(RecordingWriter::kMostQueued_bytes + (uint64_t{8} << 20));
    const double until_s = time_s;
    writer.due();
    QTRY_VERIFY(readMdf4(*files.read("/r.mf4"))->groups[0].time_s.size() > 1000);
    append(4000 * 10);
    EXPECT_OK(writer.finish());
    QCOMPARE(writer.lost().size(), size_t{1});
    const auto& lost = writer.lost()[0];
    QVERIFY(lost.to_s > until_s && lost.to_s < until_s + 0.02 && lost.to_s - lost.from_s > 10);
    const auto whole = readMdf4(*files.read("/r.mf4"));
    const std::span<const double> times = whole->groups[0].time_s;
    QVERIFY(std::find(times.begin(), times.end(), lost.from_s) != times.end());
    QCOMPARE(times.back(), time_s);
}

void RecordingTest::rowsThatNoDiskTakesAreAGapInTheEnd() {
    Recording wide;
    wide.groups.resize(1);
    wide.groups[0].channels.resize(1000);
    storage::MemoryFileSystem files;
    std::atomic<int> told{0};
    RecordingWriter writer(std::move(*Mdf4Writer::create(files, "/r.mf4", wide)), {1000},
                           [&](const std::string&) { ++told; });
    const std::vector<float> row(1000, 1.0f);
    const auto append = [&](size_t rows, double from_s) {
        for (size_t i = 0; i < rows; ++i)
            writer.append(0, from_s + static_cast<double>(i) * 0.01, row);
        writer.due();
    };
    const auto held = [&] { return readMdf4(*files.read("/r.mf4"))->groups[0].time_s.size(); };
    append(100, 0);
    QTRY_COMPARE(held(), size_t{100});
    files.setRoom(0);
    const size_t tooMany = RecordingWriter::kMostPending_bytes / 4000 + 1;
    append(tooMany, 1);
    QTRY_COMPARE(told.load(), 1);
    EXPECT_OK(writer.finish());
    QCOMPARE(writer.lost().size(), size_t{1});
    QVERIFY(writer.lost()[0].from_s == 0.99 && writer.lost()[0].to_s > 160);
    QCOMPARE(held(), size_t{100});
}

void RecordingTest::aCircleOfBlocksEnds() {
    Bytes f = foreignFile();
    // The second channel's next is the first.
    storeUnsigned(f.data() + 496 + 24, 8, ByteOrder::LittleEndian, 336);
    const auto r = readMdf4(f);
    EXPECT_OK(r);
    QCOMPARE(r->groups[0].time_s.size(), size_t{3});
    QVERIFY(r->damage.size() == 1 && r->damage[0].find("linked in a circle") != std::string::npos);
}

void RecordingTest::whatIsNoMdfIsSaid() {
    EXPECT_FAILS(readMdf4(Bytes{}), "no MDF file");
    EXPECT_FAILS(readMdf4(Bytes(200, 'x')), "no MDF file");
    Bytes old = foreignFile();
    old[28] = 0x4A, old[29] = 0x01;  // 330
    EXPECT_FAILS(readMdf4(old), "version 3");
}

void RecordingTest::channelsAreFoundByNameAndRole() {
    const Recording r = sample();
    QVERIFY(r.find("SPEED").channel == &r.groups[0].channels[0]);
    QVERIFY(r.findRole("lambda_measured").group == &r.groups[1]);
    QVERIFY(!r.find("nothing"));
    QCOMPARE(indexAt(std::vector{0.0, 1.0, 2.0}, 1.5), size_t{1});
    QCOMPARE(indexAt(std::vector{0.0, 1.0, 2.0}, -1), size_t{0});
}

void RecordingTest::gapsAreWhereTheClockJumps() {
    Group g;
    g.rate_hz = 100;
    g.time_s = {0, 0.01, 0.02, 0.5, 0.51, 0.53};
    const auto gaps = gapsOf(g);
    QCOMPARE(gaps.size(), size_t{1});
    QCOMPARE(gaps[0].from_s, 0.02);
    QCOMPARE(gaps[0].to_s, 0.5);
}

void RecordingTest::expressionsOfChannelsAreEvaluatedOnTheClock() {
    const Recording r = sample(10);
    const auto v = evaluate("speed / 1 rpm * 2 + lambda", r, r.groups[0]);
    EXPECT_OK(v);
    QCOMPARE(v->size(), size_t{10});
    QVERIFY(std::isnan((*v)[0]));  // the wideband's first sample comes later
    QCOMPARE((*v)[1], 1603.0f);
    QVERIFY(std::abs(static_cast<double>((*v)[3]) - (803 * 2 + 1.0002)) < 1e-3);
    const auto where = evaluate("speed > 804 && speed < 807", r, r.groups[0]);
    EXPECT_OK(where);
    QCOMPARE(std::count(where->begin(), where->end(), 1.0f), 2);
}

void RecordingTest::expressionsThatAreWrongAreSaid() {
    const Recording r = sample(10);
    EXPECT_FAILS(evaluate("boost + 1", r, r.groups[0]), "no channel \"boost\"");
    EXPECT_FAILS(evaluate("speed +", r, r.groups[0]), "Column 8: the expression ends");
    EXPECT_FAILS(evaluate("", r, r.groups[0]), "nothing to compute");
}

void RecordingTest::aMomentHasTheLastValueOfEachChannel() {
    const Recording r = sample(10);
    QCOMPARE(r.valueAt("speed", 0.0), 800.0);
    QCOMPARE(r.valueAt("speed", 0.019), 801.0);
    QCOMPARE(r.valueAt("speed", 100), 809.0);
    // The slow one was heard 3 ms later; before it spoke, it said nothing.
    QVERIFY(std::isnan(r.valueAt("lambda", 0.002)));
    QCOMPARE(r.valueAt("lambda", 0.003), 1.0);
    QVERIFY(std::isnan(r.valueAt("nobody", 1)));
}

QTEST_APPLESS_MAIN(RecordingTest)
#include "RecordingTest.moc"
