// Five million rows of twenty columns out of a table and out of measurement files, against what a loop that knows the
// layout does with the same bytes, in the same run. Rows may be given; BRUSK_SQL_ENGINE names the shared library of a
// columnar SQL engine whose reader is timed beside ours.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <dlfcn.h>
#include <zlib.h>

#include <cmath>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <functional>
#include <random>
#include <string>
#include <thread>

#include "Timing.h"
#include "core/base/Parallel.h"
#include "core/recording/Mdf4.h"
#include "core/recording/csv/Csv.h"

using namespace brusk;
using namespace brusk::bench;
using recording::Recording;

namespace {

constexpr size_t kColumns = 20;  // the time, and 19 channels

Recording drawn(size_t rows) {
    Recording out;
    auto& group = out.groups.emplace_back();
    group.name = "all";
    group.rate_hz = 100;
    std::mt19937 random(1);
    recording::Numbers<double> time(rows);
    for (size_t i = 0; i < rows; ++i)
        time[i] = static_cast<double>(i) * 0.01;
    group.time_s = recording::Clock(std::move(time));
    for (size_t c = 0; c + 1 < kColumns; ++c) {
        recording::Numbers<float> values(rows);
        double level = 50;
        for (size_t i = 0; i < rows; ++i) {
            level += (static_cast<double>(random() % 2001) - 1000) * 0.002 + (50 - level) * 0.001;
            // As a controller gives it: a few thousand steps.
            values[i] = static_cast<float>(std::round(level * 100) / 100 * (c % 3 == 0 ? 100 : 1));
        }
        group.channels.push_back({"channel " + std::to_string(c), "kPa", "", "", recording::Column(std::move(values))});
    }
    return out;
}

void writeTable(const Recording& recording, const std::filesystem::path& path) {
    std::FILE* out = std::fopen(path.c_str(), "w");
    std::string text = "time (s)";
    for (const auto& channel : recording.groups[0].channels)
        text += "," + channel.name + " (" + channel.unit + ")";
    text += "\n";
    const auto& group = recording.groups[0];
    char cell[32];
    for (size_t i = 0; i < group.time_s.size(); ++i) {
        text.append(cell, static_cast<size_t>(std::snprintf(cell, sizeof cell, "%.2f", group.time_s[i])));
        for (const auto& channel : group.channels)
            text.append(cell, static_cast<size_t>(
                                  std::snprintf(cell, sizeof cell, ",%.2f", static_cast<double>(channel.values[i]))));
        text += '\n';
        if (text.size() < (1u << 20) && i + 1 < group.time_s.size()) continue;
        std::fwrite(text.data(), 1, text.size(), out);
        text.clear();
    }
    std::fclose(out);
}

/// The limit: it knows that there are twenty plain numbers a line and nothing else.
void knownLines(const char* p, const char* end, float* const* columns) {
    constexpr double kPowers[] = {1, 10, 100, 1000, 10000, 100000, 1000000};
    size_t row = 0;
    while (p < end) {
        for (size_t c = 0; c < kColumns; ++c) {
            const bool negative = *p == '-';
            p += negative;
            int64_t digits = 0;
            while (*p >= '0' && *p <= '9')
                digits = digits * 10 + (*p++ - '0');
            size_t behind = 0;
            if (*p == '.')
                for (++p; *p >= '0' && *p <= '9'; ++behind)
                    digits = digits * 10 + (*p++ - '0');
            const double value = static_cast<double>(digits) / kPowers[behind];
            columns[c][row] = static_cast<float>(negative ? -value : value);
            ++p;
        }
        ++row;
    }
}

void onThreads(size_t threads, const std::function<void(size_t)>& work) {
    std::vector<std::thread> all;
    for (size_t i = 1; i < threads; ++i)
        all.emplace_back(work, i);
    work(0);
    for (auto& thread : all)
        thread.join();
}

void knownTable(std::string_view text, size_t rows, size_t threads) {
    std::vector<recording::Numbers<float>> columns(kColumns);
    for (auto& column : columns)
        column.resize(rows);
    text.remove_prefix(text.find('\n') + 1);
    std::vector<size_t> at = {0};
    for (size_t i = 1; i < threads; ++i)
        at.push_back(text.find('\n', text.size() / threads * i) + 1);
    at.push_back(text.size());
    onThreads(threads, [&](size_t i) {
        // Where its rows go is guessed: the limit does not count lines.
        const size_t first = rows / threads * i * 9 / 10;
        float* begin[kColumns];
        for (size_t c = 0; c < kColumns; ++c)
            begin[c] = columns[c].data() + first;
        knownLines(text.data() + at[i], text.data() + at[i + 1], begin);
    });
}

/// A columnar SQL engine through its C interface.
class SqlEngine {
  public:
    static std::unique_ptr<SqlEngine> open(const char* library) {
        void* handle = library ? ::dlopen(library, RTLD_NOW) : nullptr;
        if (!handle) return nullptr;
        auto out = std::make_unique<SqlEngine>();
        const auto bound = [&](auto& function, const char* name) {
            function = reinterpret_cast<std::remove_reference_t<decltype(function)>>(::dlsym(handle, name));
            return function != nullptr;
        };
        int (*openDatabase)(const char*, void**) = nullptr;
        int (*connect)(void*, void**) = nullptr;
        void* database = nullptr;
        if (!bound(openDatabase, "duckdb_open") || !bound(connect, "duckdb_connect") ||
            !bound(out->query_, "duckdb_query") || openDatabase(nullptr, &database) != 0 ||
            connect(database, &out->connection_) != 0)
            return nullptr;
        return out;
    }
    void run(const std::string& sql) const {
        if (query_(connection_, sql.c_str(), nullptr) != 0) std::fprintf(stderr, "refused: %s\n", sql.c_str());
    }

  private:
    void* connection_ = nullptr;
    int (*query_)(void*, const char*, void*) = nullptr;
};

void tables(const std::filesystem::path& path, size_t rows, const char* library) {
    storage::RealFileSystem files;
    const auto file = *files.map(path);
    const double mb = static_cast<double>(file->bytes().size()) / 1e6;
    const auto dialect = recording::csv::guess(file->bytes())->dialect;
    const auto engine = SqlEngine::open(library);
    std::printf("Table of %zu rows, %.0f MB, %.0f bytes a row\n", rows, mb, mb * 1e6 / static_cast<double>(rows));
    for (const size_t threads : {1, 2}) {
        setThreads(threads);
        size_t read = 0;
        const auto times = inTurns(
            3, [&] { read = recording::csv::readCsv(file->bytes(), dialect)->samples(); },
            [&] { knownTable(asText(file->bytes()), rows, threads); });
        std::printf("  %zu thread%s: ours %.0f MB/s (%zu rows), limit %.0f MB/s: %.2f of it", threads,
                    threads > 1 ? "s" : "", mb / times[0], read, mb / times[1], times[1] / times[0]);
        if (engine) {
            engine->run("SET threads = " + std::to_string(threads));
            std::string columns = "'time': 'DOUBLE'";
            for (size_t c = 0; c + 1 < kColumns; ++c)
                columns += ", 'c" + std::to_string(c) + "': 'FLOAT'";
            const double sql = seconds([&] {
                engine->run("CREATE OR REPLACE TABLE t AS SELECT * FROM read_csv('" + path.string() +
                            "', header = true, columns = {" + columns + "})");
            });
            std::printf("; SQL engine %.0f MB/s: ours %.1f times as fast", mb / sql, sql / times[0]);
        }
        std::printf("\n");
    }
    setThreads(0);
}

std::vector<recording::Column> columnsOf(const Recording& recording) {
    std::vector<recording::Column> out = {recording.groups[0].time_s.column()};
    for (const auto& channel : recording.groups[0].channels)
        out.push_back(channel.values);
    return out;
}

/// The limit of plain records: a loop that knows that they are a double and 19 floats.
void knownRecords(const uint8_t* at, size_t rows, size_t threads) {
    recording::Numbers<double> time(rows);
    std::vector<recording::Numbers<float>> columns(kColumns - 1);
    for (auto& column : columns)
        column.resize(rows);
    constexpr size_t kRow = 8 + 4 * (kColumns - 1), kBatch = 512;
    onThreads(threads, [&](size_t thread) {
        const size_t end = rows * (thread + 1) / threads;
        for (size_t first = rows * thread / threads; first < end; first += kBatch) {
            const size_t last = std::min(end, first + kBatch);
            for (size_t i = first; i < last; ++i)
                std::memcpy(&time[i], at + i * kRow, 8);
            for (size_t c = 0; c < columns.size(); ++c)
                for (size_t i = first; i < last; ++i)
                    std::memcpy(&columns[c][i], at + i * kRow + 8 + 4 * c, 4);
        }
    });
}

uint64_t scanned(const uint8_t* at, size_t bytes, size_t threads) {
    std::vector<uint64_t> sums(threads * 8);
    onThreads(threads, [&](size_t thread) {
        const size_t from = bytes / 64 * thread / threads * 64, to = bytes / 64 * (thread + 1) / threads * 64;
        uint64_t lanes[8] = {};
        for (size_t i = from; i < to; i += 64)
            for (size_t k = 0; k < 8; ++k) {
                uint64_t word = 0;
                std::memcpy(&word, at + i + 8 * k, 8);
                lanes[k] += word;
            }
        for (const uint64_t lane : lanes)
            sums[thread * 8] += lane;
    });
    uint64_t out = 0;
    for (const uint64_t sum : sums)
        out += sum;
    return out;
}

void plainFile(const std::filesystem::path& path, size_t rows) {
    storage::RealFileSystem files;
    const auto file = *files.map(path);
    const size_t bytes = rows * (8 + 4 * (kColumns - 1));
    const uint8_t* data = file->bytes().data() + 4096;
    std::printf("Measurement file, plain: %.0f MB\n", static_cast<double>(bytes) / 1e6);
    for (const size_t threads : {1, 2}) {
        setThreads(threads);
        uint64_t sum = 0;
        const auto times = inTurns(
            5, [&] { recording::decode(columnsOf(*recording::openMdf4(file))); },
            [&] { knownRecords(data, rows - 100, threads); }, [&] { sum += scanned(data, bytes - 8192, threads); },
            [&] {
                const auto all = columnsOf(*recording::openMdf4(file));
                recording::decode(std::span(all).first(3));
            });
        std::printf(
            "  %zu thread%s: all columns %.0f ms; the loop that knows the layout %.0f ms: %.2f of its speed; reading "
            "the bytes alone %.0f ms: %.2f of it; two channels and the time %.0f ms: %.2f of it (%llu)\n",
            threads, threads > 1 ? "s" : "", times[0] * 1e3, times[1] * 1e3, times[1] / times[0], times[2] * 1e3,
            times[2] / times[0], times[3] * 1e3, times[2] / times[3], static_cast<unsigned long long>(sum % 10));
    }
    setThreads(0);
}

/// Unpacks every packed block with zlib, and does nothing with what comes.
void inflateAll(const std::vector<std::pair<ByteSpan, size_t>>& blocks, size_t threads) {
    onThreads(threads, [&](size_t thread) {
        for (size_t i = thread; i < blocks.size(); i += threads) {
            Bytes out(blocks[i].second);
            uLongf length = out.size();
            if (::uncompress(out.data(), &length, blocks[i].first.data(), blocks[i].first.size()) != Z_OK)
                std::fprintf(stderr, "a block can't be unpacked\n");
        }
    });
}

void packedFile(const std::filesystem::path& path) {
    storage::RealFileSystem files;
    const auto file = *files.map(path);
    const ByteView view(file->bytes());
    std::vector<std::pair<ByteSpan, size_t>> blocks;
    size_t unpacked = 0;
    for (size_t at = 64; at + 48 < view.size(); at += 8)
        if (std::memcmp(file->bytes().data() + at, "##DZ", 4) == 0) {
            const size_t length = *view.u64(at + 32), packed = *view.u64(at + 40);
            blocks.emplace_back(*view.slice(at + 48, packed), length);
            unpacked += length;
            at += 40 + packed / 8 * 8;
        }
    std::printf("Measurement file, packed: %.0f MB, %.0f MB unpacked, %zu blocks\n",
                static_cast<double>(view.size()) / 1e6, static_cast<double>(unpacked) / 1e6, blocks.size());
    for (const size_t threads : {1, 2}) {
        setThreads(threads);
        const auto times = inTurns(
            3, [&] { recording::decode(columnsOf(*recording::openMdf4(file))); }, [&] { inflateAll(blocks, threads); });
        std::printf("  %zu thread%s: all columns %.0f MB/s, zlib alone %.0f MB/s: %.2f of it\n", threads,
                    threads > 1 ? "s" : "", static_cast<double>(unpacked) / 1e6 / times[0],
                    static_cast<double>(unpacked) / 1e6 / times[1], times[1] / times[0]);
    }
    setThreads(0);
}

}  // namespace

int main(int argc, char** argv) {
    const size_t rows = argc > 1 ? std::strtoul(argv[1], nullptr, 10) : 5'000'000;
    storage::RealFileSystem files;
    const auto folder = *files.makeTemporaryFolder();
    {
        const Recording all = drawn(rows);
        writeTable(all, folder / "table.csv");
        (void)recording::saveMdf4(files, folder / "plain.mf4", all);
    }
    (void)recording::saveMdf4(files, folder / "packed.mf4", drawn(rows / 4), {.packed = true});
    tables(folder / "table.csv", rows, std::getenv("BRUSK_SQL_ENGINE"));
    plainFile(folder / "plain.mf4", rows);
    packedFile(folder / "packed.mf4");
    (void)files.removeFolder(folder);
    return 0;
}
