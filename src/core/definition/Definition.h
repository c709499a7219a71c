// What the bytes of a controller mean: parameters, measurements, axes, conversions, layouts and groups.
// The model follows ASAM MCD-2 MC (A2L) 1.6 and 1.7; names of its members are the standard's in plain English.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <algorithm>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/Bytes.h"
#include "core/roles/Role.h"

namespace brusk::definition {

enum class DataType { UByte, SByte, UWord, SWord, ULong, SLong, UInt64, Int64, Float16, Float32, Float64 };
inline constexpr size_t kDataTypes = 11;

size_t sizeOf(DataType type);
bool isFloat(DataType type);
/// "UBYTE", "FLOAT32_IEEE": the standard's word.
std::string_view dataTypeName(DataType type);
std::optional<DataType> dataTypeNamed(std::string_view name);
/// Least and greatest raw value of the type.
std::pair<double, double> rangeOf(DataType type);
/// Raw number from `sizeOf(type)` bytes; the caller has checked the length.
double loadRaw(const uint8_t* at, DataType type, ByteOrder order);
/// Stores the raw number; one beyond the type's range is held at its end.
void storeRaw(uint8_t* at, DataType type, ByteOrder order, double raw);

/// Where a thing stands in the definition's text, from its "/begin" to behind its "/end ...", in bytes.
struct TextSpan {
    size_t begin = 0;
    size_t end = 0;
    /// Where a thing stands is no part of what it is.
    friend bool operator==(const TextSpan&, const TextSpan&) { return true; }
};

/// COMPU_METHOD with its table. Raw is the stored number, physical what the tuner reads.
struct Conversion {
    enum class Kind { Identical, Linear, Rational, Interpolated, Stepped, Verbal, Formula };
    struct Text {
        double low = 0;
        double high = 0;
        std::string text;
        bool operator==(const Text&) const = default;
    };
    struct Point {
        double raw = 0;
        double physical = 0;
        bool operator==(const Point&) const = default;
    };

    std::string name;
    std::string description;
    Kind kind = Kind::Identical;
    std::string unit;
    int decimals = 3;
    /// Linear: physical = a raw + b. Rational: raw = (a p2 + b p + c) / (d p2 + e p + f)
    double a = 0, b = 1, c = 0, d = 0, e = 0, f = 1;
    std::vector<Point> points;           ///< Interpolated and Stepped, by rising raw value
    std::optional<double> defaultValue;  ///< Stepped: of a raw value that is not in the table
    std::vector<Text> texts;             ///< Verbal
    std::string defaultText;
    std::string formula;  ///< Formula: physical from raw X1
    std::string inverse;  ///< Formula: raw from physical X1; empty where the definition gives none
    std::string table;    ///< the COMPU_TAB, COMPU_VTAB or COMPU_VTAB_RANGE it names
    TextSpan span;

    double toPhysical(double raw) const;  ///< NaN where there is none
    double toRaw(double physical) const;  ///< not rounded; NaN where there is none
    /// The words for a raw value of a verbal table, or its default text.
    std::string_view textFor(double raw) const;
    bool operator==(const Conversion&) const = default;
};

inline constexpr int kMostAxes = 5;

/// RECORD_LAYOUT: which fields lie after another at a parameter's address, in order of position.
struct Layout {
    enum class Field {
        AxisPoints,
        AxisCount,
        Values,
        Reserved,
        RescalePairs,
        RescaleCount,
        Offset,  ///< of breakpoints that are computed: offset + i 2^shift, or offset + i distance
        Shift,
        Distance,
        Other  ///< identification, addresses, working points: passed over
    };
    struct Item {
        int position = 0;
        Field field = Field::Values;
        int axis = 0;  ///< 0 x, 1 y, 2 z ...
        DataType type = DataType::UByte;
        bool falling = false;  ///< INDEX_DECR: the first stored breakpoint is the greatest index
        uint32_t pairs = 0;    ///< RescalePairs: how many there is room for
        bool operator==(const Item&) const = default;
    };

    std::string name;
    std::vector<Item> items;
    bool columnsFirst = false;   ///< COLUMN_DIR: the values of one column (one x) lie together
    bool staticPlaces = false;   ///< STATIC_RECORD_LAYOUT: every cell stays where it is for the most breakpoints
    bool staticOffsets = false;  ///< STATIC_ADDRESS_OFFSETS: every field does, the cells lie close
    std::string unreadable;      ///< why parameters of this layout can't be read; empty: they can
    uint32_t fixedCounts[kMostAxes] = {};                               ///< FIX_NO_AXIS_PTS_X ..., 0 for none
    uint8_t alignment[kDataTypes] = {1, 1, 2, 2, 4, 4, 8, 8, 2, 4, 8};  ///< bytes, by data type
    TextSpan span;
    bool operator==(const Layout&) const = default;
};

/// AXIS_DESCR: where the breakpoints of one axis come from.
struct Axis {
    enum class Kind {
        Standard,  ///< STD_AXIS: in the parameter's own record
        Shared,    ///< COM_AXIS: in an AXIS_PTS that several parameters use
        Fixed,     ///< FIX_AXIS: in the definition
        Rescaled,  ///< RES_AXIS: evenly spaced between the pairs of an AXIS_PTS
        Lookup     ///< CURVE_AXIS: another curve turns the input into a position
    };
    Kind kind = Kind::Standard;
    std::string input;      ///< the measurement that moves along this axis
    size_t conversion = 0;  ///< index into Definition::conversions
    uint32_t points = 0;    ///< greatest number of breakpoints
    double lower = 0, upper = 0;
    std::string shared;         ///< the AXIS_PTS or curve this axis uses, for all kinds but Standard and Fixed
    std::vector<double> fixed;  ///< raw breakpoints, for Kind::Fixed
    bool differences = false;   ///< DEPOSIT DIFFERENCE: each breakpoint is stored as its distance to the one before
    bool readOnly = false;
    std::optional<int> decimals;         ///< FORMAT of its own
    std::optional<ByteOrder> byteOrder;  ///< of its own
    std::string unit;                    ///< PHYS_UNIT of its own
    bool operator==(const Axis&) const = default;
};

/// What a definition says of a parameter or measurement beyond its numbers; most have none of it.
struct Remarks {
    std::vector<std::string> annotations;  ///< label, origin and text of each ANNOTATION, a paragraph each
    std::string dependsOn;                 ///< formula and names of a DEPENDENT_ or VIRTUAL_CHARACTERISTIC or VIRTUAL
    std::string symbol;                    ///< SYMBOL_LINK: the name in the linker's map
    bool operator==(const Remarks&) const = default;
};

/// CHARACTERISTIC or AXIS_PTS.
struct Parameter {
    enum class Kind { Value, Curve, Map, Block, Text, AxisPoints, Cuboid };
    std::string name;
    std::string description;
    Kind kind = Kind::Value;
    uint32_t address = 0;
    size_t layout = 0;      ///< index into Definition::layouts
    size_t conversion = 0;  ///< index into Definition::conversions
    double lower = 0, upper = 0;
    std::vector<Axis> axes;  ///< x, then y; a cuboid has up to five
    uint32_t number = 1;     ///< elements of a block, characters of a text, breakpoints of an AXIS_PTS
    uint32_t rowLength = 0;  ///< of a block with two or more dimensions; 0: all elements stand in one row
    std::string input;       ///< AXIS_PTS: the measurement that moves along it
    uint64_t bitMask = 0;    ///< 0: the whole number
    bool readOnly = false;
    bool differences = false;                                 ///< AXIS_PTS with DEPOSIT DIFFERENCE
    bool computed = false;                                    ///< VIRTUAL_CHARACTERISTIC: it has no bytes
    std::optional<int> decimals;                              ///< FORMAT of its own
    std::optional<ByteOrder> byteOrder;                       ///< of its own
    std::optional<std::pair<double, double>> extendedLimits;  ///< what hardware allows, beyond `lower` and `upper`
    double stepSize = 0;                                      ///< STEP_SIZE, physical; 0: none
    std::string unit;                                         ///< PHYS_UNIT of its own
    std::string label;                                        ///< DISPLAY_IDENTIFIER; empty where there is none
    std::string role;                        ///< what it means to the engine, whatever its maker called it
    std::shared_ptr<const Remarks> remarks;  ///< null for none
    TextSpan span;

    /// The name a tuner reads.
    const std::string& title() const { return label.empty() ? name : label; }
};

/// MEASUREMENT: a number in the controller's RAM.
struct Measurement {
    std::string name;
    std::string description;
    DataType type = DataType::UByte;
    size_t conversion = 0;
    double lower = 0, upper = 0;
    uint32_t address = 0;
    uint64_t bitMask = 0;
    int shift = 0;            ///< BIT_OPERATION: bits to the left, to the right where negative
    bool signExtend = false;  ///< BIT_OPERATION SIGN_EXTEND
    uint32_t elements = 1;    ///< ARRAY_SIZE or the product of MATRIX_DIM
    std::optional<ByteOrder> byteOrder;
    std::optional<int> decimals;
    std::string unit;
    std::string label;
    std::string role;
    std::shared_ptr<const Remarks> remarks;
    TextSpan span;

    const std::string& title() const { return label.empty() ? name : label; }
};

struct Group {
    std::string name;
    std::string description;
    bool root = false;
    std::vector<std::string> parameters;
    std::vector<std::string> measurements;
    std::vector<std::string> subgroups;
    TextSpan span;
    bool operator==(const Group&) const = default;
};

/// FUNCTION: a part of the controller's program, with the parameters it reads and the measurements that go in and out.
struct Function {
    std::string name;
    std::string description;
    std::vector<std::string> parameters;  ///< its own (DEF_CHARACTERISTIC) and others' (REF_CHARACTERISTIC)
    std::vector<std::string> inputs;      ///< measurements it reads
    std::vector<std::string> outputs;     ///< measurements it writes, local ones included
    std::vector<std::string> subfunctions;
    TextSpan span;
    bool operator==(const Function&) const = default;
};

/// MEMORY_SEGMENT: a stretch of the controller's memory and what lies there.
struct MemorySegment {
    std::string name;
    std::string description;
    std::string program;  ///< CODE, DATA, CALIBRATION_VARIABLES ...
    std::string memory;   ///< FLASH, RAM ...
    uint32_t address = 0;
    uint32_t size = 0;
    bool operator==(const MemorySegment&) const = default;
};

/// Something a reader noticed, with the line it stands on.
struct Diagnostic {
    enum class Severity { Warning, Error };
    Severity severity = Severity::Warning;
    int line = 0;
    std::string message;
    std::string file;  ///< of an included file; empty for the definition's own
};

/// The text a definition was read from: included files stand in the place of their "/include".
struct SourceText {
    /// A run of the text that came from one file.
    struct Piece {
        size_t begin = 0;
        std::string file;  ///< empty for the definition's own
        int line = 1;      ///< of its first byte
    };
    std::string text;
    std::vector<Piece> pieces;  ///< in order; never empty once read
    bool latin1 = false;        ///< a string of it is ISO 8859-1; otherwise UTF-8
    size_t moduleEnd = 0;       ///< where the module's "/end" stands; 0 when it has none
};

/// Finds things by name without copying the names: a hash table of their numbers.
class NameIndex {
  public:
    static constexpr uint32_t kNone = 0xFFFFFFFF;
    void reserve(size_t count);
    /// `nameOf(i)` gives the name of thing i. False when the name is taken already.
    template <class NameOf>
    bool add(uint32_t index, NameOf nameOf) {
        if ((used_ + 1) * 2 > slots_.size()) reserve(std::max<size_t>(32, used_ * 2));
        const std::string_view name = nameOf(index);
        Slot* slot = slotFor(name, nameOf);
        if (slot->index != kNone) return false;
        *slot = {hashOf(name), index};
        ++used_;
        return true;
    }
    /// Asks for the memory that adding or finding this name will look at, so that it comes while other work is done.
    void prefetch(std::string_view name) const {
        if (!slots_.empty()) __builtin_prefetch(&slots_[hashOf(name) & (slots_.size() - 1)], 1);
    }
    template <class NameOf>
    uint32_t find(std::string_view name, NameOf nameOf) const {
        return slots_.empty() ? kNone : const_cast<NameIndex*>(this)->slotFor(name, nameOf)->index;
    }

  private:
    struct Slot {
        uint32_t hash = 0;
        uint32_t index = kNone;
    };
    static uint32_t hashOf(std::string_view name) { return static_cast<uint32_t>(std::hash<std::string_view>{}(name)); }
    /// Where the name is, or the free slot where it would go.
    template <class NameOf>
    Slot* slotFor(std::string_view name, NameOf nameOf) {
        const uint32_t hash = hashOf(name);
        const size_t mask = slots_.size() - 1;
        for (size_t at = hash & mask;; at = (at + 1) & mask) {
            Slot& slot = slots_[at];
            if (slot.index == kNone || (slot.hash == hash && nameOf(slot.index) == name)) return &slot;
        }
    }
    std::vector<Slot> slots_;
    size_t used_ = 0;
};

/// A whole definition. Built by a reader, then never changed.
struct Definition {
    std::string project;
    std::string module;
    std::string description;
    ByteOrder byteOrder = ByteOrder::BigEndian;
    std::string softwareId;                     ///< EPK: the text that the matching software carries
    std::optional<uint32_t> softwareIdAddress;  ///< ADDR_EPK: where it carries it
    std::vector<Conversion> conversions;
    std::vector<Layout> layouts;
    std::vector<Parameter> parameters;
    std::vector<Measurement> measurements;
    std::vector<Group> groups;
    std::vector<Function> functions;
    std::vector<MemorySegment> memory;
    std::vector<std::pair<std::string, std::string>> constants;  ///< SYSTEM_CONSTANT: name and text
    std::shared_ptr<const SourceText> source;                    ///< null for one that was not read from a text

    const Parameter* parameter(std::string_view name) const;
    const Measurement* measurement(std::string_view name) const;
    /// Who plays a role; null for nobody, and for a role that was given after index().
    const Parameter* parameterWithRole(roles::Role role) const;
    const Measurement* measurementWithRole(roles::Role role) const;
    const Conversion& conversionOf(const Parameter& p) const { return conversions[p.conversion]; }
    const Conversion& conversionOf(const Measurement& m) const { return conversions[m.conversion]; }
    /// The unit of its own, or its conversion's.
    const std::string& unitOf(const Parameter& p) const { return p.unit.empty() ? conversionOf(p).unit : p.unit; }
    /// The unit along an axis: that of the breakpoints it shares, its own, or its conversion's; empty where there is
    /// none.
    std::string_view axisUnitOf(const Parameter& p, size_t axis) const;
    const std::string& unitOf(const Measurement& m) const { return m.unit.empty() ? conversionOf(m).unit : m.unit; }
    /// The group a parameter or measurement stands in; null when in none.
    const Group* groupOf(const Parameter& p) const;
    const Group* groupOf(const Measurement& m) const;
    const Group* parentOf(const Group& group) const;
    const Group* group(std::string_view name) const;
    std::string groupPath(const Group& group) const;
    /// "Air / Volumetric efficiency": the groups above a parameter or measurement, empty when in none.
    std::string groupPath(std::string_view name) const;
    /// Which functions read or write a parameter or measurement.
    struct Use {
        std::string function;
        bool writes = false;
    };
    std::vector<Use> functionsOf(std::string_view name) const;
    /// Builds the look-ups by name and by role; called once by whoever built it. `names` may hold them already:
    /// parameter i as 2 i, measurement i as 2 i + 1.
    void index(NameIndex names = {});
    /// The name of a thing so numbered.
    std::string_view nameOf(uint32_t thing) const {
        return thing & 1 ? measurements[thing >> 1].name : parameters[thing >> 1].name;
    }

  private:
    NameIndex names_, groupIndex_;
    std::vector<uint32_t> groupOfParameter_, groupOfMeasurement_, parentOfGroup_;
    std::vector<uint32_t> playing_, playingMeasurements_;  ///< those with a role: few among many
};

/// "value", "curve", "map", "block", "text", "axis", "cuboid".
std::string_view kindName(Parameter::Kind kind);

/// The number behind a measurement, from its bytes as they lie in the controller's memory: by byte order, mask, shift
/// and sign of its own, then its conversion. Of an array, the element whose bytes are given. The caller has checked
/// that sizeOf(m.type) bytes are there. The unit is definition.unitOf(m).
///
/// Source: ASAM MCD-2 MC 1.7, MEASUREMENT: BIT_MASK comes first, then what BIT_OPERATION says. Without the latter the
/// masked bits are moved down to bit 0.
double physicalOf(const Definition& definition, const Measurement& m, const uint8_t* bytes);
/// The same before the conversion.
double rawOf(const Definition& definition, const Measurement& m, const uint8_t* bytes);

}  // namespace brusk::definition
