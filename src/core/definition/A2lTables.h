// What parameters of a definition are described with: conversions and their tables, record layouts, units, MOD_COMMON.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <map>

#include "core/definition/A2lStream.h"

namespace brusk::definition {

/// The byte order a BYTE_ORDER word asks for; throws BrokenBlock for one Brusk can't read.
ByteOrder readByteOrder(A2lStream& in);
DataType readDataType(A2lStream& in);
/// "%8.2" shows two digits behind the point; nothing when the format is not like that.
std::optional<int> decimalsOf(std::string_view format);
/// An optional keyword that means nothing to us, with its arguments; one that nobody knows is said.
void passOver(A2lStream& in);

/// The keywords that align a kind of number, each with its data types; signed and unsigned of a size share one.
const std::vector<std::pair<std::string_view, std::vector<DataType>>>& alignmentKeywords();

class A2lTables {
  public:
    A2lTables(A2lStream& in, Definition& out);

    /// Reads the block that was just entered if it is one of these; false otherwise.
    bool read(std::string_view keyword);
    /// Joins what stood apart (tables, units, alignments). After this, names can be found.
    void finish();
    /// Index by name; NameIndex::kNone when there is none.
    uint32_t conversion(std::string_view name) const;
    uint32_t layout(std::string_view name) const;
    bool differences() const { return differences_; }

  private:
    struct Pending {
        std::string table, unit;
        size_t offset = 0;
    };
    struct TabbedValues {
        std::vector<Conversion::Point> points;
        std::optional<double> defaultValue;
        std::vector<Conversion::Text> texts;
        std::string defaultText;
    };
    using Step = void (A2lTables::*)();

    void readModCommon();
    void readConversion();
    void readCoefficients(Conversion& conversion, bool& given);
    void readFormula(Conversion& conversion);
    void readTable();
    void readVerbalTable();
    void readVerbalRanges();
    void readVerbal(bool ranges);
    void readUnit();
    void readLayout();
    bool readLayoutItem(Layout& layout, A2lWord key);
    bool readAlignment(A2lWord key, uint8_t* alignment);
    void readAddressType(Layout& layout);
    void keepTable(const std::string& name, TabbedValues table);
    void joinTable(Conversion& conversion, const Pending& pending);

    A2lStream& in_;
    Definition& out_;
    NameIndex conversionIndex_, layoutIndex_;
    std::vector<Pending> pending_;  // by conversion
    std::map<std::string, TabbedValues, std::less<>> tables_;
    std::map<std::string, std::string, std::less<>> units_;
    uint8_t alignment_[kDataTypes] = {1, 1, 2, 2, 4, 4, 8, 8, 2, 4, 8};
    bool differences_ = false;
};

}  // namespace brusk::definition
