// What the bytes of a controller mean: parameters, measurements, axes, conversions, layouts and groups.
// The model follows ASAM MCD-2 MC (A2L) 1.6; names of its members are the standard's in plain English.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "core/base/Bytes.h"

namespace brusk::definition {

enum class DataType { UByte, SByte, UWord, SWord, ULong, SLong, UInt64, Int64, Float32, Float64 };

size_t sizeOf(DataType type);
bool isFloat(DataType type);
/// Least and greatest raw value of the type.
std::pair<double, double> rangeOf(DataType type);
/// Raw number from `sizeOf(type)` bytes; the caller has checked the length.
double loadRaw(const uint8_t* at, DataType type, ByteOrder order);
void storeRaw(uint8_t* at, DataType type, ByteOrder order, double raw);

/// COMPU_METHOD with its verbal table. Raw is the stored number, physical what the tuner reads.
struct Conversion {
    enum class Kind { Identical, Linear, Rational, Verbal };
    struct Text {
        double low = 0;
        double high = 0;
        std::string text;
    };

    std::string name;
    Kind kind = Kind::Identical;
    std::string unit;
    int decimals = 3;
    double a = 0, b = 1, c = 0, d = 0, e = 0,
           f = 1;  ///< Linear: physical = a raw + b. Rational: raw = (a p2 + b p + c) / (d p2 + e p + f)
    std::vector<Text> texts;
    std::string defaultText;

    double toPhysical(double raw) const;
    double toRaw(double physical) const;
    /// The words for a raw value of a verbal table, or its default text.
    std::string_view textFor(double raw) const;
};

/// RECORD_LAYOUT: which fields lie after another at a parameter's address, in order of position.
struct Layout {
    enum class Field { AxisPoints, AxisCount, Values, Reserved };
    struct Item {
        int position = 0;
        Field field = Field::Values;
        int axis = 0;  ///< 0 x, 1 y
        DataType type = DataType::UByte;
    };

    std::string name;
    std::vector<Item> items;
    bool columnsFirst = false;  ///< COLUMN_DIR: the values of one column (one x) lie together
    int alignment = 1;          ///< largest alignment asked for, bytes
};

/// AXIS_DESCR: where the breakpoints of one axis come from.
struct Axis {
    enum class Kind { Standard, Shared, Fixed };
    Kind kind = Kind::Standard;
    std::string input;      ///< the measurement that moves along this axis
    size_t conversion = 0;  ///< index into Definition::conversions
    uint32_t points = 0;    ///< greatest number of breakpoints
    double lower = 0, upper = 0;
    std::string shared;         ///< the AXIS_PTS this axis uses, for Kind::Shared
    std::vector<double> fixed;  ///< raw breakpoints, for Kind::Fixed
};

/// CHARACTERISTIC or AXIS_PTS.
struct Parameter {
    enum class Kind { Value, Curve, Map, Block, Text, AxisPoints };
    std::string name;
    std::string description;
    Kind kind = Kind::Value;
    uint32_t address = 0;
    size_t layout = 0;      ///< index into Definition::layouts
    size_t conversion = 0;  ///< index into Definition::conversions
    double lower = 0, upper = 0;
    std::vector<Axis> axes;  ///< x, then y
    uint32_t number = 1;     ///< elements of a block, characters of a text, breakpoints of an AXIS_PTS
    std::string input;       ///< AXIS_PTS: the measurement that moves along it
    uint64_t bitMask = 0;    ///< 0: the whole number
    bool readOnly = false;
    std::optional<int> decimals;  ///< FORMAT of its own
    std::string label;            ///< DISPLAY_IDENTIFIER: the name a tuner reads; the name where there is none
    std::string role;             ///< what it means to the engine, whatever its maker called it
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
    std::string label;
    std::string role;
};

struct Group {
    std::string name;
    std::string description;
    bool root = false;
    std::vector<std::string> parameters;
    std::vector<std::string> measurements;
    std::vector<std::string> subgroups;
};

/// FUNCTION: a part of the controller's program, with the parameters it reads and the measurements that go in and out.
struct Function {
    std::string name;
    std::string description;
    std::vector<std::string> parameters;  ///< its own (DEF_CHARACTERISTIC) and others' (REF_CHARACTERISTIC)
    std::vector<std::string> inputs;      ///< measurements it reads
    std::vector<std::string> outputs;     ///< measurements it writes, local ones included
};

/// Something a reader noticed, with the line it stands on.
struct Diagnostic {
    enum class Severity { Warning, Error };
    Severity severity = Severity::Warning;
    int line = 0;
    std::string message;
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

    const Parameter* parameter(std::string_view name) const;
    const Measurement* measurement(std::string_view name) const;
    const Parameter* parameterWithRole(std::string_view role) const;
    const Measurement* measurementWithRole(std::string_view role) const;
    const Conversion& conversionOf(const Parameter& p) const { return conversions[p.conversion]; }
    const Conversion& conversionOf(const Measurement& m) const { return conversions[m.conversion]; }
    /// "Air / Volumetric efficiency": the groups above a parameter or measurement, empty when in none.
    std::string groupPath(std::string_view name) const;
    /// Which functions read or write a parameter or measurement.
    struct Use {
        std::string function;
        bool writes = false;
    };
    std::vector<Use> functionsOf(std::string_view name) const;
    /// Builds the name look-ups; called once by the reader.
    void index();

  private:
    std::unordered_map<std::string, size_t> parameterIndex_;
    std::unordered_map<std::string, size_t> measurementIndex_;
    std::unordered_map<std::string, size_t> groupOfItem_;
    std::unordered_map<std::string, size_t> parentGroup_;
};

/// "value", "curve", "map", "block", "text", "axis".
std::string_view kindName(Parameter::Kind kind);

}  // namespace brusk::definition
