// How a number, curve or map lies in the controller's memory. Every strategy lists its own beside its code; the
// firmware reads through these descriptions and knows no definition file.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <bit>
#include <cstdint>
#include <string_view>
#include <vector>

namespace brusk::benchcar {

enum class Store : uint8_t { U8, S8, U16, S16, U32 };
constexpr uint32_t bytesOf(Store s) {
    return s == Store::U8 || s == Store::S8 ? 1 : s == Store::U32 ? 4 : 2;
}

/// The breakpoints of one axis. Own: counted and kept with the parameter. Shared: kept by another item. Fixed: never
/// stored, `first`, `first + step` and so on.
struct Points {
    enum class Source : uint8_t { None, Own, Shared, Fixed } source = Source::None;
    Store store = Store::U16;
    double perCount = 1, offset = 0;  ///< physical = raw * perCount + offset
    int most = 0;
    uint32_t sharedAt = 0;
    int first = 0, step = 1;
};

/// One parameter or measurement. Curves: count, breakpoints, values. Maps: both counts, both rows of breakpoints, then
/// the values row by row (a row is one y). All counts are 16 bit; everything is big-endian and packed.
struct Item {
    enum class Kind : uint8_t { Value, Flag, Curve, Map, Block, Text, Axis };
    std::string_view name;
    uint32_t at = 0;
    Kind kind = Kind::Value;
    Store store = Store::U16;
    double perCount = 1, offset = 0;
    Points x{}, y{};
    int number = 1;    ///< of a block or text
    uint8_t mask = 0;  ///< of a flag
};

namespace layout {

constexpr Points own(Store store, double perCount, int most, double offset = 0) {
    return {Points::Source::Own, store, perCount, offset, most, 0, 0, 1};
}
constexpr Points sharing(const Item& axis) {
    return {Points::Source::Shared, axis.store, axis.perCount, axis.offset, axis.x.most, axis.at, 0, 1};
}
constexpr Points counted(int first, int count) {
    return {Points::Source::Fixed, Store::U8, 1, 0, count, 0, first, 1};
}

constexpr Item value(std::string_view name, uint32_t at, Store store, double perCount = 1, double offset = 0) {
    return {name, at, Item::Kind::Value, store, perCount, offset, {}, {}, 1, 0};
}
constexpr Item flag(std::string_view name, uint32_t at, uint8_t mask = 1) {
    return {name, at, Item::Kind::Flag, Store::U8, 1, 0, {}, {}, 1, mask};
}
constexpr Item curve(std::string_view name, uint32_t at, Points x, Store store, double perCount = 1,
                     double offset = 0) {
    return {name, at, Item::Kind::Curve, store, perCount, offset, x, {}, 1, 0};
}
constexpr Item map(std::string_view name, uint32_t at, Points x, Points y, Store store, double perCount = 1,
                   double offset = 0) {
    return {name, at, Item::Kind::Map, store, perCount, offset, x, y, 1, 0};
}
constexpr Item block(std::string_view name, uint32_t at, int number, Store store, double perCount = 1,
                     double offset = 0) {
    return {name, at, Item::Kind::Block, store, perCount, offset, {}, {}, number, 0};
}
constexpr Item text(std::string_view name, uint32_t at, int number) {
    return {name, at, Item::Kind::Text, Store::U8, 1, 0, {}, {}, number, 0};
}
constexpr Item axis(std::string_view name, uint32_t at, Store store, double perCount, int most) {
    return {name, at, Item::Kind::Axis, store, perCount, 0, own(store, perCount, most), {}, 1, 0};
}

/// The members of a layout, all of them items, one after another.
template <class Layout>
void append(std::vector<const Item*>& out, const Layout& layout) {
    static_assert(sizeof(Layout) % sizeof(Item) == 0, "a layout holds items only");
    const auto* first = reinterpret_cast<const Item*>(&layout);
    for (size_t i = 0; i < sizeof(Layout) / sizeof(Item); ++i)
        out.push_back(first + i);
}

}  // namespace layout

/// Every parameter and every measurement of the controller, in the order of its strategies.
const std::vector<const Item*>& allParameters();
const std::vector<const Item*>& allMeasurements();
/// By name; null when there is none.
const Item* parameterNamed(std::string_view name);
const Item* measurementNamed(std::string_view name);

}  // namespace brusk::benchcar
