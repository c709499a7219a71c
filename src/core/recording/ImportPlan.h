// How somebody's file becomes a recording: what it is, what each column means, each guess with how sure it is, and all
// of it correctable before a row is taken over. The same for MDF, tables and CAN logs.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>

#include "core/base/Bytes.h"
#include "core/base/Result.h"
#include "core/can/Dbc.h"
#include "core/recording/GuessPoint.h"
#include "core/recording/Recording.h"
#include "core/recording/csv/Csv.h"
#include "core/storage/Mapped.h"

namespace brusk::recording {

enum class FileKind { Mdf4, Table, CanLog };
/// "mdf", "csv", "candump".
std::string_view fileKindName(FileKind kind);

/// One column of the file.
struct ColumnPlan {
    std::string key;    ///< by which corrections find it: its name in the file, made unique
    std::string group;  ///< of the file
    std::string name;
    std::string unit;
    std::string role;               ///< empty: none
    std::string kind = "number";    ///< or "states", "nothing" (a table's column that is no signal)
    double factor = 1, offset = 0;  ///< value = factor * what the file says + offset
    bool use = true;
    double certainty = 0;  ///< of role and unit
    std::string why;
};

/// What somebody said about a column; the rest is guessed.
struct ColumnSaid {
    std::optional<std::string> name = {}, unit = {}, role = {}, kind = {};
    std::optional<double> factor = {}, offset = {};
    std::optional<bool> use = {};
    bool operator==(const ColumnSaid&) const = default;
};

/// All that was said about a file.
struct ImportSaid {
    Said points;
    std::map<std::string, ColumnSaid> columns;  ///< by key
    bool empty() const { return points.empty() && columns.empty(); }
};

struct ImportPlan {
    FileKind kind = FileKind::Table;
    std::string fingerprint;  ///< of files that are laid out alike: the same program, the same channels
    std::vector<GuessPoint> points;
    std::vector<ColumnPlan> columns;
    csv::Dialect dialect;  ///< of a table

    const GuessPoint* point(std::string_view id) const;
};

/// A file that was looked at. Cheap to copy; may be used from several threads.
class ImportFile {
  public:
    /// Finds out what it is. `title`: what its recording is called where the file does not say. `messages`: what a CAN
    /// log's frames mean. `namedMdf`: its name says that it is MDF. An error where it is none of the three, or damaged
    /// beyond use.
    [[nodiscard]] static Result<ImportFile> open(std::string title, std::shared_ptr<const storage::Mapped> file,
                                                 const std::vector<can::DbcMessage>& messages = {},
                                                 bool namedMdf = false);

    FileKind kind() const { return kind_; }
    const std::string& fingerprint() const { return fingerprint_; }
    /// Whether Brusk recorded it: it names the bytes that were in the car, or roles.
    bool isOurs() const { return ours_; }

    /// The guess, with what was said. An error where what was said makes no sense.
    [[nodiscard]] Result<ImportPlan> plan(const ImportSaid& said = {}) const;
    /// The recording that a plan makes of it; `rows`: at most so many of each group, for a first look.
    [[nodiscard]] Result<Recording> recording(const ImportPlan& plan, size_t rows = SIZE_MAX) const;

  private:
    Result<Recording> raw(const csv::Dialect& dialect, size_t rows) const;

    FileKind kind_ = FileKind::Table;
    std::string title_, fingerprint_;
    bool ours_ = false;
    std::shared_ptr<const storage::Mapped> file_;
    std::shared_ptr<const Recording> read_;  ///< of what is read whole at once
};

}  // namespace brusk::recording
