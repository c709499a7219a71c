// The records of one large, whole, sorted group, left in the file until somebody asks for a column of them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <atomic>
#include <mutex>

#include "core/recording/mdf/Columns.h"
#include "core/recording/mdf/Data.h"
#include "core/storage/Mapped.h"

namespace brusk::recording::mdf {

/// 1. Bytes are read where they lie, or unpacked block by block; nothing is kept of them.
/// 2. What turns out to be damaged reads as NaN, and is said in LateDamage with its place.
/// 3. A row whose time is none, or lies before an earlier one, has the earlier time and no numbers.
class SortedRows final : public RowSource {
  public:
    /// `pieces` hold exactly `rows` records of `recordBytes`. The column at `clock`, if any, has the times.
    SortedRows(std::shared_ptr<const storage::Mapped> file, std::vector<DataPiece> pieces, uint64_t recordBytes,
               uint64_t dataBytes, size_t rows, std::vector<ColumnMaker> columns, std::optional<size_t> clock,
               std::string name, uint64_t at, std::shared_ptr<LateDamage> damage);

    size_t rows() const override { return rows_; }
    void read(std::span<const Wanted> columns, size_t first, size_t count) const override;

  private:
    void decode(std::span<const Wanted> columns, size_t first, size_t count) const;
    /// The rows that begin in a piece, as far as they are asked for.
    void decodePiece(std::span<const Wanted> columns, size_t piece, size_t first, size_t count) const;
    void take(std::span<const Wanted> columns, const Records& records, size_t skip) const;
    /// Of a packed piece whose columns lie one behind the other: only the bytes asked for are turned back.
    void takeTurned(std::span<const Wanted> columns, ByteSpan bytes, size_t from, size_t count,
                    uint64_t firstRow) const;
    void putNothing(std::span<const Wanted> columns, size_t skip, size_t count) const;
    /// Finds the rows that rule 3 is about.
    void walk(std::span<const double> times) const;

    std::shared_ptr<const storage::Mapped> file_;
    std::vector<DataPiece> pieces_;
    uint64_t recordBytes_, dataBytes_;
    size_t rows_;
    std::vector<ColumnMaker> columns_;
    std::optional<size_t> clock_;
    std::string name_;
    uint64_t at_;
    std::shared_ptr<LateDamage> damage_;
    mutable std::mutex walking_;
    mutable std::atomic<bool> walked_{false};
    /// By rule 3, once it walked: a row, and the time that it has instead of its own.
    struct BadRow {
        size_t row;
        double time_s;
    };
    mutable std::vector<BadRow> badRows_;
};

}  // namespace brusk::recording::mdf
