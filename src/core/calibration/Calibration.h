// An image seen through its definition: typed reads, and edits as byte changes that can be undone.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/calibration/Placement.h"
#include "core/units/Units.h"

namespace brusk::calibration {

/// The breakpoints of one axis in physical units.
struct AxisValues {
    std::string label;  ///< what moves along it, as a tuner reads it
    std::string input;  ///< the measurement's name
    std::string unit;
    std::string shared;  ///< the AXIS_PTS or curve it lies in, empty when it is the parameter's own
    int decimals = 0;
    bool editable = false;  ///< its breakpoints lie in the image
    std::vector<double> values;
    std::vector<double> raw;  ///< as stored (summed up where differences are stored); empty where nothing is
};

/// A parameter's numbers: `rows` x `columns`, row by row (a row is one y breakpoint). A value is 1 x 1, a curve 1 x n.
/// Of a cuboid this is one slice.
struct Table {
    const definition::Parameter* parameter = nullptr;
    size_t rows = 1;
    size_t columns = 1;
    size_t slice = 0;
    size_t slices = 1;
    std::vector<double> values;  ///< physical
    std::vector<double> raw;     ///< as stored
    AxisValues x;
    AxisValues y;
    std::vector<AxisValues> deeper;  ///< z and on, of a cuboid
    std::string unit;
    int decimals = 0;
    double lower = 0;  ///< limits, physical, narrowed to what the stored type can hold
    double upper = 0;
    double step = 0;  ///< physical size of one raw count at the first cell; 0 for floating point
    definition::DataType type = definition::DataType::UByte;
    std::string text;  ///< for a text, and the words of a switch

    double at(size_t row, size_t column) const { return values[row * columns + column]; }
};

/// Bytes that changed at an address.
struct ByteChange {
    uint32_t address = 0;
    Bytes before;
    Bytes after;
};

/// A named change of one or more parameters. Applying `after` does it, applying `before` undoes it.
struct Edit {
    std::string name;
    std::vector<ByteChange> changes;
    int clamped = 0;  ///< cells that were held at a limit
    bool empty() const { return changes.empty(); }
};

/// A new physical value for one cell (index row * columns + column).
struct CellValue {
    size_t index = 0;
    double value = 0;
};

enum class AtLimit { Refuse, Clamp };

class Calibration {
  public:
    Calibration() = default;
    Calibration(std::shared_ptr<const definition::Definition> definition, image::Image image)
        : definition_(std::move(definition)), image_(std::move(image)) {}

    const definition::Definition& definition() const { return *definition_; }
    const std::shared_ptr<const definition::Definition>& sharedDefinition() const { return definition_; }
    const image::Image& image() const { return image_; }
    /// Whether edits may go to the limits of the hardware (EXTENDED_LIMITS) where the definition knows them, beyond the
    /// usual ones.
    void allowHardwareLimits(bool allow) { hardwareLimits_ = allow; }
    bool allowsHardwareLimits() const { return hardwareLimits_; }

    /// Whether the image carries the software id that the definition was made for; the error says what stands there.
    [[nodiscard]] Done matchesDefinition() const;

    [[nodiscard]] Result<Table> read(const definition::Parameter& parameter) const;
    [[nodiscard]] Result<Table> read(std::string_view name) const;
    /// The one number of a value parameter.
    [[nodiscard]] Result<double> value(std::string_view name) const;

    /// Prepares the change of cells: nearest raw counts, within limits. Nothing is changed yet; cells whose stored
    /// bytes stay the same are not part of it.
    [[nodiscard]] Result<Edit> prepare(const definition::Parameter& parameter, const std::vector<CellValue>& cells,
                                       AtLimit atLimit, std::string name, size_t slice = 0) const;
    /// Prepares the change of raw counts, within the stored type.
    [[nodiscard]] Result<Edit> prepareRaw(const definition::Parameter& parameter, size_t cell, double raw,
                                          std::string name) const;
    /// One slice of a cuboid, counted through its z axis and on; 0 of anything else.
    [[nodiscard]] Result<Table> read(const definition::Parameter& parameter, size_t slice) const;
    /// Prepares new breakpoints (physical, all of them) of an axis of a parameter: 0 x, 1 y. They must rise. A shared
    /// axis changes for all that use it; the cells stay as they are.
    [[nodiscard]] Result<Edit> prepareBreakpoints(const definition::Parameter& parameter, size_t axis,
                                                  const std::vector<double>& values, AtLimit atLimit,
                                                  std::string name) const;
    /// Prepares another text for a text parameter (padded with blanks; refused when too long).
    [[nodiscard]] Result<Edit> prepareText(const definition::Parameter& parameter, std::string_view text,
                                           std::string name) const;

    /// The same edit on these bytes: what it writes stays, and undoing it brings back what is here now.
    [[nodiscard]] Result<Edit> onto(Edit edit) const;
    [[nodiscard]] Done apply(const Edit& edit);
    [[nodiscard]] Done revert(const Edit& edit);
    [[nodiscard]] Result<int> mendChecksums(const std::vector<image::ChecksumArea>& areas) {
        return image::mendChecksums(image_, areas);
    }

  private:
    Result<AxisValues> readAxis(const definition::Parameter& parameter, size_t axis, const Placement& placement) const;
    void describe(Table& table, const definition::Parameter& parameter, const Placement& placement) const;
    Result<std::vector<double>> readRaw(const definition::Parameter& parameter, const Placement& placement,
                                        size_t slice) const;
    Result<Edit> store(const definition::Parameter& parameter, const Placement& placement, size_t slice,
                       const std::vector<CellValue>& raw, std::string name) const;
    Done storeDifferences(const definition::Parameter& parameter, const Placement& placement,
                          const std::vector<CellValue>& raw, Edit& edit) const;
    Done change(uint32_t address, ByteSpan after, Edit& edit) const;

    std::shared_ptr<const definition::Definition> definition_;
    image::Image image_;
    bool hardwareLimits_ = false;
};

/// What turns `before` into `after`, two images with the same addresses, as one edit.
[[nodiscard]] Edit editBetween(const image::Image& before, const image::Image& after, std::string name);

/// Undo and redo without limit. Edits are kept in the order they were made.
class EditHistory {
  public:
    EditHistory() = default;
    /// Taken up again: `done` in the order they were made, `undone` with the next to redo last.
    EditHistory(std::vector<Edit> done, std::vector<Edit> undone)
        : done_(std::move(done)), undone_(std::move(undone)) {}
    /// Brings an image that holds any part of these edits to where all that are done are done and no other.
    [[nodiscard]] Done bringTo(image::Image& image) const;
    /// In the order they were made.
    const std::vector<Edit>& done() const { return done_; }
    /// Applies and remembers; what was undone before is forgotten. An empty edit is not remembered.
    [[nodiscard]] Done make(Calibration& calibration, Edit edit);
    /// The name of what was undone; an error when there is nothing.
    [[nodiscard]] Result<std::string> undo(Calibration& calibration);
    [[nodiscard]] Result<std::string> redo(Calibration& calibration);
    bool canUndo() const { return !done_.empty(); }
    bool canRedo() const { return !undone_.empty(); }
    std::string undoName() const { return done_.empty() ? "" : done_.back().name; }
    std::string redoName() const { return undone_.empty() ? "" : undone_.back().name; }
    void clear();

  private:
    std::vector<Edit> done_;
    std::vector<Edit> undone_;
};

/// What a person types over cells: "12.5" or "-4" sets, "+2" and "+-2" add, "x1.05" scales, "-3%" and "+3%" scale by a
/// share.
struct CellOperation {
    enum class Kind { Set, Add, Scale };
    Kind kind = Kind::Set;
    double amount = 0;
    double apply(double value) const;
    std::string describe() const;
};
std::optional<CellOperation> parseOperation(std::string_view text);
/// What cells become by an operation that was typed in the unit they are shown in.
std::vector<CellValue> operate(const Table& table, const std::vector<size_t>& cells, const CellOperation& operation,
                               const units::Shown& shown = {});

}  // namespace brusk::calibration
