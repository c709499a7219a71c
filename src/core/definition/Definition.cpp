// Indexes by name and role; conversions from counts to numbers.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/Definition.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>
#include <utility>

namespace brusk::definition {

namespace {

struct TypeFacts {
    std::string_view name;
    size_t size;
    bool isSigned;
    bool isFloat;
};
constexpr TypeFacts kTypes[kDataTypes] = {
    {"UBYTE", 1, false, false},      {"SBYTE", 1, true, false},       {"UWORD", 2, false, false},
    {"SWORD", 2, true, false},       {"ULONG", 4, false, false},      {"SLONG", 4, true, false},
    {"A_UINT64", 8, false, false},   {"A_INT64", 8, true, false},     {"FLOAT16_IEEE", 2, true, true},
    {"FLOAT32_IEEE", 4, true, true}, {"FLOAT64_IEEE", 8, true, true},
};
const TypeFacts& factsOf(DataType type) {
    return kTypes[static_cast<size_t>(type)];
}

/// IEEE 754 binary16: 1 sign, 5 exponent (bias 15), 10 fraction bits.
double fromHalf(uint16_t bits) {
    const double sign = bits & 0x8000 ? -1 : 1;
    const int exponent = bits >> 10 & 31;
    const int fraction = bits & 0x3FF;
    if (exponent == 31)
        return fraction ? std::numeric_limits<double>::quiet_NaN() : sign * std::numeric_limits<double>::infinity();
    return exponent == 0 ? sign * std::ldexp(fraction, -24) : sign * std::ldexp(1024 + fraction, exponent - 25);
}

/// The nearest half, ties to even.
uint16_t toHalf(double value) {
    const uint16_t sign = std::signbit(value) ? 0x8000 : 0;
    const double size = std::abs(value);
    if (std::isnan(value)) return 0x7E00;
    if (size >= 65520) return static_cast<uint16_t>(sign | 0x7C00);
    if (size < std::ldexp(1.0, -14))
        return static_cast<uint16_t>(sign | static_cast<uint16_t>(std::nearbyint(std::ldexp(size, 24))));
    int exponent = 0;
    const double fraction = std::frexp(size, &exponent);  // 0.5 to 1
    // A fraction that rounds up to 2048 carries into the exponent by itself.
    const auto rounded = static_cast<uint32_t>(std::nearbyint(std::ldexp(fraction, 11)));
    return static_cast<uint16_t>(sign | ((static_cast<uint32_t>(exponent + 14) << 10) + (rounded - 1024)));
}

}  // namespace

size_t sizeOf(DataType type) {
    return factsOf(type).size;
}

bool isFloat(DataType type) {
    return factsOf(type).isFloat;
}

std::string_view dataTypeName(DataType type) {
    return factsOf(type).name;
}

std::optional<DataType> dataTypeNamed(std::string_view name) {
    for (size_t i = 0; i < kDataTypes; ++i)
        if (kTypes[i].name == name) return static_cast<DataType>(i);
    return std::nullopt;
}

std::pair<double, double> rangeOf(DataType type) {
    if (type == DataType::Float16) return {-65504, 65504};
    if (type == DataType::Float32) return {-std::numeric_limits<float>::max(), std::numeric_limits<float>::max()};
    if (type == DataType::Float64) return {-std::numeric_limits<double>::max(), std::numeric_limits<double>::max()};
    const int bits = static_cast<int>(sizeOf(type)) * 8;
    if (factsOf(type).isSigned) return {-std::ldexp(1.0, bits - 1), std::ldexp(1.0, bits - 1) - 1};
    return {0, std::ldexp(1.0, bits) - 1};
}

double loadRaw(const uint8_t* at, DataType type, ByteOrder order) {
    const size_t size = sizeOf(type);
    const uint64_t bits = loadUnsigned(at, size, order);
    if (type == DataType::Float16) return fromHalf(static_cast<uint16_t>(bits));
    if (type == DataType::Float32) return std::bit_cast<float>(static_cast<uint32_t>(bits));
    if (type == DataType::Float64) return std::bit_cast<double>(bits);
    if (!factsOf(type).isSigned) return static_cast<double>(bits);
    const unsigned shift = 64 - static_cast<unsigned>(size) * 8;
    return static_cast<double>(static_cast<int64_t>(bits << shift) >> shift);
}

void storeRaw(uint8_t* at, DataType type, ByteOrder order, double raw) {
    uint64_t bits = 0;
    if (type == DataType::Float16) {
        bits = toHalf(raw);
    } else if (type == DataType::Float32) {
        bits = std::bit_cast<uint32_t>(static_cast<float>(raw));
    } else if (type == DataType::Float64) {
        bits = std::bit_cast<uint64_t>(raw);
    } else {
        const auto [low, high] = rangeOf(type);
        // The ends of 64 bits are no doubles: casting what lies at or beyond them is undefined.
        if (factsOf(type).isSigned)
            bits = static_cast<uint64_t>(raw >= high  ? std::numeric_limits<int64_t>::max() >> (64 - 8 * sizeOf(type))
                                         : raw <= low ? static_cast<int64_t>(low)
                                                      : static_cast<int64_t>(raw));
        else
            bits = raw >= high ? std::numeric_limits<uint64_t>::max() : raw <= 0 ? 0 : static_cast<uint64_t>(raw);
    }
    storeUnsigned(at, sizeOf(type), order, bits);
}

void NameIndex::reserve(size_t count) {
    size_t size = 64;
    while (size < count * 2 + 2)
        size *= 2;
    const std::vector<Slot> old = std::exchange(slots_, std::vector<Slot>(size));
    for (const Slot& slot : old) {
        if (slot.index == kNone) continue;
        size_t at = slot.hash & (size - 1);
        while (slots_[at].index != kNone)
            at = (at + 1) & (size - 1);
        slots_[at] = slot;
    }
}

namespace {
template <class Thing>
const Thing* playerOf(roles::Role role, const std::vector<Thing>& things, const std::vector<uint32_t>& playing) {
    for (const uint32_t i : playing)
        if (i < things.size() && role == things[i].role) return &things[i];
    return nullptr;
}

template <class Thing>
std::vector<uint32_t> playersAmong(const std::vector<Thing>& things) {
    std::vector<uint32_t> out;
    for (uint32_t i = 0; i < things.size(); ++i)
        if (!things[i].role.empty()) out.push_back(i);
    return out;
}
}  // namespace

void Definition::index(NameIndex names) {
    const auto nameOfThing = [this](uint32_t thing) { return nameOf(thing); };
    const auto nameOfGroup = [this](uint32_t i) { return std::string_view(groups[i].name); };
    const bool given = !parameters.empty() && names.find(parameters[0].name, nameOfThing) != NameIndex::kNone;
    names_ = given ? std::move(names) : NameIndex();
    if (!given) {
        names_.reserve(parameters.size() + measurements.size());
        for (uint32_t i = 0; i < parameters.size(); ++i)
            names_.add(2 * i, nameOfThing);
        for (uint32_t i = 0; i < measurements.size(); ++i)
            names_.add(2 * i + 1, nameOfThing);
    }
    playing_ = playersAmong(parameters);
    playingMeasurements_ = playersAmong(measurements);
    groupIndex_ = NameIndex();
    for (uint32_t i = 0; i < groups.size(); ++i)
        groupIndex_.add(i, nameOfGroup);
    groupOfParameter_.assign(parameters.size(), NameIndex::kNone);
    groupOfMeasurement_.assign(measurements.size(), NameIndex::kNone);
    parentOfGroup_.assign(groups.size(), NameIndex::kNone);
    // What stands in several groups is found in the first.
    const auto own = [](uint32_t& owner, uint32_t group) {
        if (owner == NameIndex::kNone) owner = group;
    };
    for (uint32_t g = 0; g < groups.size(); ++g) {
        for (const auto* list : {&groups[g].parameters, &groups[g].measurements})
            for (size_t i = 0; i < list->size(); ++i) {
                constexpr size_t kAhead = 8;  // as many as are looked up while memory answers once
                if (i + kAhead < list->size()) names_.prefetch((*list)[i + kAhead]);
                const uint32_t thing = names_.find((*list)[i], nameOfThing);
                if (thing != NameIndex::kNone)
                    own((thing & 1 ? groupOfMeasurement_ : groupOfParameter_)[thing >> 1], g);
            }
        for (const std::string& name : groups[g].subgroups) {
            const uint32_t child = groupIndex_.find(name, nameOfGroup);
            if (child != NameIndex::kNone) own(parentOfGroup_[child], g);
        }
    }
}

const Parameter* Definition::parameter(std::string_view name) const {
    const uint32_t thing = names_.find(name, [this](uint32_t i) { return nameOf(i); });
    return thing == NameIndex::kNone || thing & 1 ? nullptr : &parameters[thing >> 1];
}

const Measurement* Definition::measurement(std::string_view name) const {
    const uint32_t thing = names_.find(name, [this](uint32_t i) { return nameOf(i); });
    return thing == NameIndex::kNone || !(thing & 1) ? nullptr : &measurements[thing >> 1];
}

const Parameter* Definition::parameterWithRole(roles::Role role) const {
    return playerOf(role, parameters, playing_);
}

std::string_view Definition::axisUnitOf(const Parameter& p, size_t axis) const {
    if (axis >= p.axes.size()) return {};
    const Axis& a = p.axes[axis];
    if (const auto* shared = a.kind == Axis::Kind::Shared ? parameter(a.shared) : nullptr) return unitOf(*shared);
    return a.unit.empty() ? conversions[a.conversion].unit : a.unit;
}

const Measurement* Definition::measurementWithRole(roles::Role role) const {
    return playerOf(role, measurements, playingMeasurements_);
}

namespace {
const Group* groupAt(const std::vector<Group>& groups, const std::vector<uint32_t>& owners, size_t i) {
    return i < owners.size() && owners[i] != NameIndex::kNone ? &groups[owners[i]] : nullptr;
}
}  // namespace

const Group* Definition::groupOf(const Parameter& p) const {
    return groupAt(groups, groupOfParameter_, static_cast<size_t>(&p - parameters.data()));
}

const Group* Definition::groupOf(const Measurement& m) const {
    return groupAt(groups, groupOfMeasurement_, static_cast<size_t>(&m - measurements.data()));
}

const Group* Definition::group(std::string_view name) const {
    const uint32_t i = groupIndex_.find(name, [this](uint32_t at) { return std::string_view(groups[at].name); });
    return i == NameIndex::kNone ? nullptr : &groups[i];
}

const Group* Definition::parentOf(const Group& group) const {
    return groupAt(groups, parentOfGroup_, static_cast<size_t>(&group - groups.data()));
}

std::string Definition::groupPath(const Group& group) const {
    const auto shown = [](const Group& g) { return g.description.empty() ? g.name : g.description; };
    std::string path = shown(group);
    // A group that contains itself, through others or not, is passed once.
    std::vector<const Group*> met{&group};
    for (const Group* parent = parentOf(group); parent; parent = parentOf(*parent)) {
        if (std::find(met.begin(), met.end(), parent) != met.end()) break;
        met.push_back(parent);
        path.insert(0, shown(*parent) + " / ");
    }
    return path;
}

std::string Definition::groupPath(std::string_view name) const {
    const Parameter* p = parameter(name);
    const Measurement* m = p ? nullptr : measurement(name);
    const Group* group = p ? groupOf(*p) : m ? groupOf(*m) : nullptr;
    return group ? groupPath(*group) : std::string();
}

std::vector<Definition::Use> Definition::functionsOf(std::string_view name) const {
    const auto lists = [&](const std::vector<std::string>& names) {
        return std::find(names.begin(), names.end(), name) != names.end();
    };
    std::vector<Use> out;
    for (const Function& f : functions) {
        if (lists(f.parameters) || lists(f.inputs)) out.push_back({f.name, false});
        if (lists(f.outputs)) out.push_back({f.name, true});
    }
    return out;
}

std::string_view kindName(Parameter::Kind kind) {
    switch (kind) {
        case Parameter::Kind::Value:
            return "value";
        case Parameter::Kind::Curve:
            return "curve";
        case Parameter::Kind::Map:
            return "map";
        case Parameter::Kind::Block:
            return "block";
        case Parameter::Kind::Text:
            return "text";
        case Parameter::Kind::AxisPoints:
            return "axis";
        case Parameter::Kind::Cuboid:
            return "cuboid";
    }
    return "";
}

double rawOf(const Definition& definition, const Measurement& m, const uint8_t* bytes) {
    const ByteOrder order = m.byteOrder.value_or(definition.byteOrder);
    const bool operated = m.shift != 0 || m.signExtend;
    if (isFloat(m.type) || (m.bitMask == 0 && !operated)) return loadRaw(bytes, m.type, order);
    const size_t size = sizeOf(m.type);
    const uint64_t whole = size == 8 ? ~uint64_t{0} : (uint64_t{1} << 8 * size) - 1;
    uint64_t mask = m.bitMask ? m.bitMask & whole : whole;
    if (mask == 0) return 0;
    uint64_t bits = loadUnsigned(bytes, size, order) & mask;
    const int left = operated ? m.shift : -std::countr_zero(mask);
    const auto move = [left](uint64_t v) {
        if (left <= -64 || left >= 64) return uint64_t{0};
        return left < 0 ? v >> -left : v << left;
    };
    bits = move(bits), mask = move(mask);
    if (!m.signExtend || mask == 0) return static_cast<double>(bits);
    // The highest bit that the mask leaves is the sign.
    const uint64_t sign = std::bit_floor(mask);
    return static_cast<double>(static_cast<int64_t>((bits ^ sign) - sign));
}

double physicalOf(const Definition& definition, const Measurement& m, const uint8_t* bytes) {
    return definition.conversionOf(m).toPhysical(rawOf(definition, m, bytes));
}

}  // namespace brusk::definition
