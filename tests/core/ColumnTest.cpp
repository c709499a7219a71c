// Columns that are decoded when somebody asks: the same numbers as at once, shared, in their own width, from any
// thread.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>
#include <atomic>
#include <random>
#include <thread>

#include "Expect.h"
#include "core/recording/ImportPlan.h"
#include "core/recording/Mdf4.h"
#include "core/recording/csv/Csv.h"

using namespace brusk;
using namespace brusk::recording;

namespace {

Recording drawn(size_t rows) {
    std::mt19937 random(7);
    Recording out;
    auto& group = out.groups.emplace_back();
    group.name = "all";
    Numbers<double> counter(rows), time(rows);
    for (int c = 0; c < 5; ++c) {
        Numbers<float> values(rows);
        for (float& v : values)
            v = random() % 50 == 0 ? NAN : static_cast<float>(random() % 10000) * 0.25f;
        group.channels.push_back({"c" + std::to_string(c), "kPa", "", "", Column(std::move(values))});
    }
    for (size_t i = 0; i < rows; ++i)
        time[i] = static_cast<double>(i) * 0.01, counter[i] = 4e9 + static_cast<double>(i);
    group.time_s = Clock(std::move(time));
    group.channels.push_back({"counter", "", "", "", Column(std::move(counter))});
    group.channels.push_back({"gear", "", "", "", Column(std::vector<float>(rows, 3)), {{2, "second"}, {3, "third"}}});
    return out;
}

std::shared_ptr<const storage::Mapped> saved(const Recording& recording, bool packed) {
    storage::MemoryFileSystem files;
    if (!saveMdf4(files, "/a.mf4", recording, {.packed = packed})) qFatal("not saved");
    return *files.map("/a.mf4");
}

bool same(const Recording& a, const Recording& b) {
    if (a.groups.size() != b.groups.size()) return false;
    for (size_t g = 0; g < a.groups.size(); ++g) {
        if (!(a.groups[g].time_s == b.groups[g].time_s) || a.groups[g].rate_hz != b.groups[g].rate_hz) return false;
        if (a.groups[g].channels.size() != b.groups[g].channels.size()) return false;
        for (size_t c = 0; c < a.groups[g].channels.size(); ++c) {
            const Channel &x = a.groups[g].channels[c], &y = b.groups[g].channels[c];
            if (x.name != y.name || x.states != y.states || x.values.size() != y.values.size()) return false;
            for (size_t i = 0; i < x.values.size(); ++i)
                if (const double p = x.values.at(i), q = y.values.at(i); p != q && !(std::isnan(p) && std::isnan(q)))
                    return false;
        }
    }
    return true;
}

}  // namespace

class ColumnTest : public QObject {
    Q_OBJECT
  private slots:
    void whatIsDecodedLaterIsWhatIsDecodedAtOnce();
    void nothingIsDecodedBeforeSomebodyAsks();
    void countersKeepTheirWidth();
    void severalThreadsGetTheSameNumbers();
    void damageThatShowsLateIsSaid();
    void rowsWhoseTimeGoesBackHaveNoNumbers();
    void rowsReadInPartsAreThoseReadAtOnce();
    void aFileThatIsCutShortWhileItIsOpenIsSaid();
    void aSmallFileThatIsCutShortBeforeItIsReadIsSaid();
    void aColumnIsSharedUntilItIsEdited();
    void thePyramidKnowsFirstAndLast();
    void largeCountersInATableKeepTheirWidth();
    void tablesAreTheSameInPartsAndInOneWalk();
};

void ColumnTest::whatIsDecodedLaterIsWhatIsDecodedAtOnce() {
    for (const bool packed : {false, true}) {
        const Recording all = drawn(200000);
        const auto file = saved(all, packed);
        const auto later = openMdf4(file, 0);
        EXPECT_OK(later);
        QVERIFY(!later->groups[0].channels[0].values.decoded());
        std::vector<Column> columns;
        for (const Channel& channel : later->groups[0].channels)
            columns.push_back(channel.values);
        decode(columns);
        QVERIFY(same(*later, *readMdf4(file->bytes())));
        QVERIFY(later->allDamage().empty());
        // Some rows alone, of several columns, and nothing kept.
        const auto again = openMdf4(file, 0);
        std::vector<Column> some = {again->groups[0].channels[1].values, again->groups[0].channels[5].values};
        std::vector<double> out(2 * 777);
        readTogether(some, 123456, 777, out.data());
        for (size_t i = 0; i < 777; ++i) {
            const double was = all.groups[0].channels[1].values.at(123456 + i);
            QVERIFY(out[i] == was || (std::isnan(out[i]) && std::isnan(was)));
            QCOMPARE(out[777 + i], 4e9 + 123456 + static_cast<double>(i));
        }
        QVERIFY(!some[0].decoded());
    }
}

void ColumnTest::nothingIsDecodedBeforeSomebodyAsks() {
    const auto recording = openMdf4(saved(drawn(50000), false), 0);
    EXPECT_OK(recording);
    const Group& group = recording->groups[0];
    QCOMPARE(group.time_s.size(), size_t{50000});
    QCOMPARE(recording->duration_s(), 499.99);
    QCOMPARE(group.rate_hz, 100.0);
    QCOMPARE(recording->valueAt("counter", 12.345), 4e9 + 1234);
    QVERIFY(!group.channels[5].values.decoded());
    (void)group.channels[0].values.values();
    QVERIFY(group.channels[0].values.decoded() && !group.channels[1].values.decoded());
}

void ColumnTest::countersKeepTheirWidth() {
    const auto recording = readMdf4(saved(drawn(1000), false)->bytes());
    EXPECT_OK(recording);
    const Column& counter = recording->groups[0].channels[5].values;
    QVERIFY(counter.at(999) == 4e9 + 999);
    // As float32, for whoever asks so.
    QCOMPARE(counter.values()[999], static_cast<float>(4e9 + 999));
}

void ColumnTest::severalThreadsGetTheSameNumbers() {
    for (int round = 0; round < 20; ++round) {
        const Recording recording = *openMdf4(saved(drawn(20000), round % 2), 0);
        std::atomic<int> wrong{0};
        std::vector<std::thread> threads;
        for (int k = 0; k < 6; ++k)
            threads.emplace_back([&, k] {
                const auto& group = recording.groups[0];
                if (k % 2)
                    decode(
                        std::vector<Column>{group.channels[3].values, group.channels[0].values, group.time_s.column()});
                const auto values = group.channels[static_cast<size_t>(k % 4)].values.values();
                wrong += values.size() != 20000 || group.time_s[19999] != 199.99;
                wrong += group.channels[0].values.pyramid().over(group.channels[0].values, 0, 20000).any() ? 0 : 1;
            });
        for (auto& thread : threads)
            thread.join();
        QCOMPARE(wrong.load(), 0);
    }
}

void ColumnTest::damageThatShowsLateIsSaid() {
    storage::MemoryFileSystem files;
    EXPECT_OK(saveMdf4(files, "/a.mf4", drawn(200000), {.packed = true}));
    Bytes bytes = *files.read("/a.mf4");
    // Somewhere in the middle of the second packed block.
    const std::string_view text = asText(bytes);
    const size_t block = text.find("##DZ", text.find("##DZ") + 4);
    QVERIFY(block != std::string_view::npos);
    for (size_t i = 0; i < 64; ++i)
        bytes[block + 2000 + i] ^= 0x5A;
    const auto recording = openMdf4(storage::mappedBytes(bytes), 0);
    EXPECT_OK(recording);
    QVERIFY(recording->allDamage().empty());
    const auto values = recording->groups[0].channels[0].values.values();
    const auto missing =
        static_cast<size_t>(std::count_if(values.begin(), values.end(), [](float v) { return std::isnan(v); }));
    QVERIFY(missing > 20000 && missing < 190000);
    const auto said = recording->allDamage();
    QVERIFY(!said.empty());
    QVERIFY2(said[0].starts_with("At byte " + std::to_string(block)), said[0].c_str());
    // Times never fall, whatever was lost.
    const auto times = recording->groups[0].time_s.times();
    QVERIFY(std::is_sorted(times.begin(), times.end()));
}

void ColumnTest::rowsWhoseTimeGoesBackHaveNoNumbers() {
    Recording all = drawn(100000);
    auto& times = all.groups[0].time_s.edit();
    times[70000] = 3, times[70001] = NAN;
    all.groups[0].channels[0].values = std::vector<float>(100000, 5);
    const auto recording = openMdf4(saved(all, false), 0);
    EXPECT_OK(recording);
    const Group& group = recording->groups[0];
    QCOMPARE(group.time_s[70001], 699.99);
    QVERIFY(std::isnan(group.channels[0].values[70000]) && std::isnan(group.channels[0].values[70001]));
    QCOMPARE(group.channels[0].values[70002], 5.0f);
    QCOMPARE(recording->allDamage().size(), size_t{1});
    QVERIFY(recording->allDamage()[0].find("2 samples of group \"all\" tell no time") != std::string::npos);
}

void ColumnTest::rowsReadInPartsAreThoseReadAtOnce() {
    Recording all = drawn(150000);
    auto& times = all.groups[0].time_s.edit();
    // At the very beginning, where parts begin, and in the last part, which is a short one.
    times[0] = NAN;
    for (const size_t row : {size_t{50000}, size_t{100000}, size_t{149999}})
        times[row] = 1;
    const auto file = saved(all, false);
    const auto whole = openMdf4(file, 0), parts = openMdf4(file, 0);
    EXPECT_OK(whole);
    const std::vector<Column> columns = {parts->groups[0].channels[5].values, parts->groups[0].time_s.column()};
    const auto at = whole->groups[0].time_s.times();
    for (size_t first = 0; first < 150000; first += 50000) {
        std::vector<double> out(100000);
        readTogether(columns, first, 50000, out.data());
        for (size_t i = 0; i < 50000; ++i) {
            const double value = whole->groups[0].channels[5].values.exact()[first + i];
            QVERIFY(out[i] == value || (std::isnan(out[i]) && std::isnan(value)));
            QCOMPARE(out[50000 + i], at[first + i]);
        }
    }
    QVERIFY(std::is_sorted(at.begin(), at.end()));
    QCOMPARE(at[0], 0.01);
    // And so they are written.
    storage::MemoryFileSystem files;
    EXPECT_OK(saveMdf4(files, "/again.mf4", *openMdf4(file, 0)));
    QVERIFY(same(*whole, *readMdf4(*files.read("/again.mf4"))));
    // Summed up without keeping anything.
    const auto summary = summariesOf(columns);
    QCOMPARE(summary[0].count, size_t{149996});
    QCOMPARE(summary[0].last, 4e9 + 149998);
    QVERIFY(!columns[0].decoded());
}

void ColumnTest::aSmallFileThatIsCutShortBeforeItIsReadIsSaid() {
    QTemporaryDir folder;
    storage::RealFileSystem files;
    const storage::Path path = folder.filePath("a.mf4").toStdString();
    EXPECT_OK(saveMdf4(files, path, drawn(20000)));
    const auto file = *files.map(path);
    std::filesystem::resize_file(path, file->bytes().size() / 2);
    const auto recording = openMdf4(file);
    EXPECT_OK(recording);
    const auto& said = recording->damage;
    QVERIFY(std::find(said.begin(), said.end(), storage::Mapped::kCutShort) != said.end());
}

void ColumnTest::aFileThatIsCutShortWhileItIsOpenIsSaid() {
    QTemporaryDir folder;
    storage::RealFileSystem files;
    const storage::Path path = folder.filePath("a.mf4").toStdString();
    EXPECT_OK(saveMdf4(files, path, drawn(200000)));
    const auto file = *files.map(path);
    const auto recording = openMdf4(file, 0);
    EXPECT_OK(recording);
    std::filesystem::resize_file(path, file->bytes().size() / 2);
    QCOMPARE(recording->groups[0].channels[6].values.size(), size_t{200000});
    (void)recording->groups[0].channels[6].values.values();
    const auto said = recording->allDamage();
    QVERIFY(std::any_of(said.begin(), said.end(), [](const auto& one) { return one == storage::Mapped::kCutShort; }));
}

void ColumnTest::aColumnIsSharedUntilItIsEdited() {
    Column a = {1, 2, 3};
    Column b = a;
    QCOMPARE(a.values().data(), b.values().data());
    b.edit()[0] = 9;
    QVERIFY(a[0] == 1 && b[0] == 9);
    QVERIFY((a.scaled(2, 1) == Column{3, 5, 7}));
    QVERIFY((Column{1, NAN} == Column{1, NAN}) && !(Column{1, 2} == Column{1, 3}));
    QCOMPARE(a.firstRows(2).size(), size_t{2});
}

void ColumnTest::thePyramidKnowsFirstAndLast() {
    std::mt19937 random(3);
    std::vector<float> values(5003);
    for (float& v : values)
        v = random() % 9 == 0 ? NAN : static_cast<float>(random() % 1000);
    const Column column(values);
    for (int n = 0; n < 3000; ++n) {
        const size_t from = random() % values.size(), to = from + random() % 2000;
        Stretch wanted;
        for (size_t i = from; i < std::min(to, values.size()); ++i) {
            if (std::isnan(values[i])) continue;
            if (!wanted.any()) wanted = {values[i], values[i], values[i], values[i]};
            wanted.least = std::min(wanted.least, values[i]), wanted.most = std::max(wanted.most, values[i]);
            wanted.last = values[i];
        }
        const Stretch is = column.pyramid().over(column, from, to);
        QCOMPARE(is.any(), wanted.any());
        if (!wanted.any()) continue;
        QVERIFY(is.least == wanted.least && is.most == wanted.most && is.first == wanted.first &&
                is.last == wanted.last);
    }
}

void ColumnTest::largeCountersInATableKeepTheirWidth() {
    const std::string text = "t,n,v\n0,4000000001,1.5\n1,4000000002,2.5\n2,,3.5\n";
    const auto guess = csv::guess(asBytes(text));
    EXPECT_OK(guess);
    const auto read = csv::readCsv(asBytes(text), guess->dialect);
    EXPECT_OK(read);
    QVERIFY(read->find("n").channel->values.at(1) == 4000000002.0);
    QVERIFY(std::isnan(read->find("n").channel->values.at(2)));
    QVERIFY(!read->find("v").channel->values.isWide());
}

void ColumnTest::tablesAreTheSameInPartsAndInOneWalk() {
    std::mt19937 random(11);
    for (int round = 0; round < 60; ++round) {
        // Rows with everything that the quick way leaves to the careful one.
        std::string text = "time,a,b,state\n";
        const char* odd[] = {"\n",
                             "#,#,#,#\n",
                             "1,2\n",
                             ",,,\n",
                             "5,\"x\",2,on\n",
                             "3,1,2,off,9\n",
                             "4, 7 ,+3,on\n",
                             "6,1e3,n/a,on\n",
                             "7,1,2,\"o,n\"\n",
                             "8,1,2,on,\n",
                             "9,.5,-.5,off\r\n"};
        for (int i = 0; i < 400; ++i) {
            if (random() % 6 == 0) text += odd[random() % std::size(odd)];
            text += std::to_string(10 + i) + "." + std::to_string(random() % 1000) + "," +
                    std::to_string(random() % 100000) + "," + (random() % 9 ? "-1.25" : "") + "," +
                    (random() % 2 ? "on" : "off") + (round % 3 ? "\n" : "\r\n");
        }
        if (round % 2) text += "999,1,2,on";
        const auto guess = csv::guess(asBytes(text));
        EXPECT_OK(guess);
        const auto parts = csv::readCsv(asBytes(text), guess->dialect);
        const auto walk = csv::readCsv(asBytes(text), guess->dialect, SIZE_MAX - 1);
        EXPECT_OK(parts);
        EXPECT_OK(walk);
        QVERIFY(same(*parts, *walk));
        QCOMPARE(parts->damage, walk->damage);
    }
}

QTEST_APPLESS_MAIN(ColumnTest)
#include "ColumnTest.moc"
