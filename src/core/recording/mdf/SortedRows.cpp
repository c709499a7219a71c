// Piece by piece on all processors; a batch of records stays in the fast memory while its columns are taken.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/mdf/SortedRows.h"

#include <algorithm>
#include <cmath>

#include "core/base/Parallel.h"

namespace brusk::recording::mdf {

namespace {
constexpr size_t kBatch_bytes = size_t{1} << 17;
/// So many rows are worth a thread.
constexpr size_t kRows = size_t{1} << 16;
}  // namespace

SortedRows::SortedRows(std::shared_ptr<const storage::Mapped> file, std::vector<DataPiece> pieces, uint64_t recordBytes,
                       uint64_t dataBytes, size_t rows, std::vector<ColumnMaker> columns, std::optional<size_t> clock,
                       std::string name, uint64_t at, std::shared_ptr<LateDamage> damage)
    : file_(std::move(file)),
      pieces_(std::move(pieces)),
      recordBytes_(recordBytes),
      dataBytes_(dataBytes),
      rows_(rows),
      columns_(std::move(columns)),
      clock_(clock),
      name_(std::move(name)),
      at_(at),
      damage_(std::move(damage)) {}

void SortedRows::read(std::span<const Wanted> columns, size_t first, size_t count) const {
    // A look at a few rows does not pay for a walk through all times.
    constexpr size_t kLook = 4096;
    if (!clock_ || (!walked_ && count <= kLook && count < rows_)) return decode(columns, first, count);
    if (walked_) {
        decode(columns, first, count);
    } else if (first == 0 && count == rows_) {
        // The clock comes in the same walk through the file, asked for or not.
        std::vector<Wanted> all(columns.begin(), columns.end());
        const auto clock =
            std::find_if(all.begin(), all.end(), [&](const Wanted& w) { return w.column == *clock_ && w.wide; });
        Numbers<double> own;
        const double* times = clock != all.end() ? clock->wide : nullptr;
        if (!times) {
            own.resize(rows_);
            times = own.data();
            all.push_back({*clock_, nullptr, own.data()});
        }
        decode(all, 0, rows_);
        walk({times, rows_});
    } else {
        Numbers<double> times(rows_);
        const Wanted wanted[] = {{*clock_, nullptr, times.data()}};
        decode(wanted, 0, rows_);
        walk(times);
        decode(columns, first, count);
    }
    for (const BadRow& bad : badRows_) {
        if (bad.row < first || bad.row >= first + count) continue;
        for (const Wanted& wanted : columns) {
            const double is = wanted.column == *clock_ ? bad.time_s : NAN;
            if (wanted.narrow) wanted.narrow[bad.row - first] = static_cast<float>(is);
            if (wanted.wide) wanted.wide[bad.row - first] = is;
        }
    }
}

void SortedRows::walk(std::span<const double> times) const {
    const std::scoped_lock lock(walking_);
    if (walked_) return;
    const auto runs = [](double time_s, double last) { return time_s >= last && time_s < INFINITY; };
    // Rows before the first that tells a time have that one.
    const auto told = std::find_if(times.begin(), times.end(), [&](double t) { return runs(t, -INFINITY); });
    double last = told == times.end() ? 0 : *told;
    for (size_t row = 0; row < rows_; ++row)
        if (runs(times[row], last))
            last = times[row];
        else
            badRows_.push_back({row, last});
    if (!badRows_.empty())
        damage_->add("At byte " + std::to_string(at_) + ": " + std::to_string(badRows_.size()) +
                     " samples of group \"" + name_ + "\" tell no time, or one that goes back.");
    walked_ = true;
}

void SortedRows::decode(std::span<const Wanted> columns, size_t first, size_t count) const {
    // Pieces that hold some of the rows; plain ones are parted further.
    struct Part {
        size_t piece, first, count;
    };
    std::vector<Part> parts;
    const auto beginOf = [&](const DataPiece& piece) {
        return static_cast<size_t>((piece.offset + recordBytes_ - 1) / recordBytes_);
    };
    const auto behind = std::upper_bound(pieces_.begin(), pieces_.end(), first,
                                         [&](size_t row, const DataPiece& piece) { return row < beginOf(piece); });
    for (auto p = static_cast<size_t>(behind - pieces_.begin()) - (behind == pieces_.begin() ? 0 : 1);
         p < pieces_.size(); ++p) {
        if (beginOf(pieces_[p]) >= first + count) break;
        size_t from = std::max(first, beginOf(pieces_[p]));
        const size_t end = p + 1 < pieces_.size() ? beginOf(pieces_[p + 1]) : rows_;
        const size_t to = std::min(first + count, end);
        if (from >= to) continue;
        if (pieces_[p].packed) {
            parts.push_back({p, from, to - from});
            continue;
        }
        for (; from < to; from += kRows)
            parts.push_back({p, from, std::min(kRows, to - from)});
    }
    const auto fetch = [&](size_t i) {
        if (i >= parts.size() || count < kRows) return;
        const DataPiece& piece = pieces_[parts[i].piece];
        if (piece.packed) return file_->willNeed(piece.at, piece.stored);
        const uint64_t begin = parts[i].first * recordBytes_ - piece.offset;
        file_->willNeed(piece.at + begin, std::min(parts[i].count * recordBytes_, piece.stored - begin));
    };
    const auto work = [&](size_t i) {
        const Part& part = parts[i];
        // The disk works ahead of the processors.
        if (i == 0)
            for (size_t ahead = 0; ahead < threads(); ++ahead)
                fetch(ahead);
        fetch(i + threads());
        std::vector<Wanted> here(columns.begin(), columns.end());
        for (Wanted& wanted : here) {
            if (wanted.narrow) wanted.narrow += part.first - first;
            if (wanted.wide) wanted.wide += part.first - first;
        }
        decodePiece(here, part.piece, part.first, part.count);
    };
    inParallel(parts.size(), work);
    if (file_->broken()) damage_->add(storage::Mapped::kCutShort);
}

void SortedRows::decodePiece(std::span<const Wanted> columns, size_t p, size_t first, size_t count) const {
    const DataPiece& piece = pieces_[p];
    ByteSpan bytes = file_->bytes().subspan(piece.at, piece.stored);
    const uint64_t begin = first * recordBytes_ - piece.offset;
    Bytes unpacked;
    if (piece.packed) {
        std::string damage;
        unpacked = unpackedPiece(piece, bytes, damage);
        if (!damage.empty()) damage_->add(damage);
        const bool whole = unpacked.size() == piece.length;
        if (whole && piece.width == recordBytes_)
            return takeTurned(columns, unpacked, begin / recordBytes_, count, first);
        if (piece.width > 1) unpacked = whole ? turnedBack(unpacked, piece.width) : Bytes();
        bytes = unpacked;
    }
    const size_t held = bytes.size() > begin ? (bytes.size() - begin) / recordBytes_ : 0;
    const size_t whole = std::min<size_t>(count, held);
    const size_t batch = std::max<size_t>(1, kBatch_bytes / recordBytes_);
    for (size_t done = 0; done < whole; done += batch)
        take(columns,
             {bytes.data() + begin + done * recordBytes_, static_cast<size_t>(recordBytes_),
              std::min(batch, whole - done), first + done},
             done);
    if (whole == count) return;
    if (piece.packed) return putNothing(columns, whole, count - whole);
    // The last record goes on in the next pieces, which are plain: packed ones hold whole records.
    Bytes record(bytes.begin() + static_cast<long>(begin + whole * recordBytes_), bytes.end());
    for (size_t next = p + 1; next < pieces_.size() && record.size() < recordBytes_; ++next) {
        const ByteSpan more = file_->bytes().subspan(pieces_[next].at, pieces_[next].stored);
        const size_t missing = std::min<size_t>(recordBytes_ - record.size(), more.size());
        record.insert(record.end(), more.begin(), more.begin() + static_cast<long>(missing));
    }
    if (record.size() == recordBytes_)
        take(columns, {record.data(), record.size(), 1, first + whole}, whole);
    else
        putNothing(columns, whole, 1);
}

void SortedRows::putNothing(std::span<const Wanted> columns, size_t skip, size_t count) const {
    for (const Wanted& wanted : columns) {
        if (wanted.narrow) std::fill_n(wanted.narrow + skip, count, NAN);
        if (wanted.wide) std::fill_n(wanted.wide + skip, count, NAN);
    }
}

void SortedRows::take(std::span<const Wanted> columns, const Records& records, size_t skip) const {
    for (const Wanted& wanted : columns) {
        const ColumnMaker& column = columns_[wanted.column];
        const ColumnMaker::Where field{records, column.field.byte},
            validity{records, dataBytes_ + column.invalidationBit.value_or(0) / 8};
        if (wanted.narrow) column.decode(field, validity, wanted.narrow + skip);
        if (wanted.wide) column.decode(field, validity, wanted.wide + skip);
    }
}

void SortedRows::takeTurned(std::span<const Wanted> columns, ByteSpan bytes, size_t from, size_t count,
                            uint64_t firstRow) const {
    constexpr size_t kTile = 1024;
    const size_t rows = bytes.size() / recordBytes_;
    Bytes fields, validity;
    // Byte b of row r lies at b * rows + r.
    const auto turn = [&](uint64_t byte, size_t width, size_t first, size_t some, Bytes& out) {
        out.resize(width * some);
        for (size_t b = 0; b < width; ++b) {
            const uint8_t* plane = bytes.data() + (byte + b) * rows + first;
            for (size_t i = 0; i < some; ++i)
                out[i * width + b] = plane[i];
        }
    };
    for (const Wanted& wanted : columns) {
        const ColumnMaker& column = columns_[wanted.column];
        const auto width = static_cast<size_t>(column.isVirtual() ? 0 : column.field.bytes());
        for (size_t done = 0; done < count; done += kTile) {
            const size_t some = std::min(kTile, count - done);
            turn(column.field.byte, width, from + done, some, fields);
            if (column.invalidationBit) turn(dataBytes_ + *column.invalidationBit / 8, 1, from + done, some, validity);
            const Records numbers{fields.data(), width, some, firstRow + done}, bits{validity.data(), 1, some, 0};
            if (wanted.narrow) column.decode({numbers, 0}, {bits, 0}, wanted.narrow + done);
            if (wanted.wide) column.decode({numbers, 0}, {bits, 0}, wanted.wide + done);
        }
    }
}

}  // namespace brusk::recording::mdf
