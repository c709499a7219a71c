// The common kinds of numbers in loops of their own; everything else by its field and conversion.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/mdf/Columns.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/units/Units.h"

namespace brusk::recording::mdf {

namespace {
constexpr float kNone = std::numeric_limits<float>::quiet_NaN();
}

uint64_t ColumnMaker::end() const {
    return isVirtual() ? 0 : field.byte + field.bytes();
}

template <class Load>
void ColumnMaker::linear(const Records& records, Load load) {
    const double offset = conversion.offset(), factor = conversion.factor();
    const uint8_t* at = records.first + field.byte;
    for (size_t row = 0; row < records.count; ++row, at += records.stride)
        channel.values.push_back(static_cast<float>(offset + factor * static_cast<double>(load(at))));
}

/// Whole little-endian numbers with a linear conversion: most of what is recorded.
bool ColumnMaker::takePlain(const Records& records) {
    static_assert(std::endian::native == std::endian::little);
    if (!conversion.linear() || field.bit != 0) return false;
    const auto as = [&]<class Number>(Number) {
        linear(records, [](const uint8_t* at) {
            Number value;
            std::memcpy(&value, at, sizeof value);
            return value;
        });
        return true;
    };
    const bool isSigned = field.type == DataType::SignedLittle;
    if (field.type == DataType::RealLittle) {
        if (field.bits == 32) return as(float{});
        if (field.bits == 64) return as(double{});
    } else if (isSigned || field.type == DataType::UnsignedLittle) {
        if (field.bits == 8) return isSigned ? as(int8_t{}) : as(uint8_t{});
        if (field.bits == 16) return isSigned ? as(int16_t{}) : as(uint16_t{});
        if (field.bits == 32) return isSigned ? as(int32_t{}) : as(uint32_t{});
    }
    return false;
}

void ColumnMaker::put(const Physical& physical, double raw) {
    if (conversion.isStates()) {
        const auto value = static_cast<float>(raw);
        if (physical.text && states_.size() < TextCodes::kMost) states_.try_emplace(value, *physical.text);
        channel.values.push_back(value);
        return;
    }
    if (!conversion.givesTexts() && !textual()) {
        channel.values.push_back(static_cast<float>(physical.number));
        return;
    }
    const float code = physical.text ? codes_.codeOf(*physical.text) : kNone;
    const bool both = conversion.givesNumbers() && !textual();
    channel.values.push_back(both || (textual() && !physical.text) ? static_cast<float>(physical.number) : code);
    if (both) besideValues_.push_back(code);
}

void ColumnMaker::takeNumbers(const Records& records) {
    if (!conversion.givesTexts() && !isVirtual() && takePlain(records)) return;
    for (size_t row = 0; row < records.count; ++row) {
        const double raw = isVirtual() ? static_cast<double>(records.firstRow + row)
                                       : field.number(records.first + row * records.stride + field.byte);
        put(conversion.givesTexts() ? conversion.of(raw) : Physical{conversion.number(raw), std::nullopt}, raw);
    }
}

void ColumnMaker::takeTexts(const Records& records) {
    for (size_t row = 0; row < records.count; ++row) {
        const uint8_t* record = records.first + row * records.stride;
        size_t bytes = static_cast<size_t>(field.bits / 8);
        if (length) bytes = std::min(bytes, static_cast<size_t>(std::max(0.0, length->number(record + length->byte))));
        put(conversion.ofText(field.text({record + field.byte, bytes})), 0);
    }
}

void ColumnMaker::take(const Records& records, std::optional<uint64_t> validAt) {
    const size_t before = channel.values.size();
    if (isVariable()) {
        const size_t bytes = std::min<size_t>(8, static_cast<size_t>(field.bytes()));
        for (size_t row = 0; row < records.count; ++row)
            offsets_.push_back(
                loadUnsigned(records.first + row * records.stride + field.byte, bytes, ByteOrder::LittleEndian));
        channel.values.resize(before + records.count, kNone);
    } else if (textual()) {
        takeTexts(records);
    } else {
        takeNumbers(records);
    }
    if (!invalidationBit || !validAt) return;
    const uint64_t byte = *validAt + *invalidationBit / 8;
    for (size_t row = 0; row < records.count; ++row)
        if (records.first[row * records.stride + byte] >> (*invalidationBit % 8) & 1) invalidate(before + row);
}

void ColumnMaker::lose(size_t rows) {
    constexpr uint64_t kNowhere = UINT64_MAX;
    channel.values.resize(channel.values.size() + rows, kNone);
    if (!besideValues_.empty()) besideValues_.resize(channel.values.size(), kNone);
    if (isVariable()) offsets_.resize(channel.values.size(), kNowhere);
}

void ColumnMaker::invalidate(size_t row) {
    constexpr uint64_t kNowhere = UINT64_MAX;
    if (row < channel.values.size()) channel.values[row] = kNone;
    if (row < besideValues_.size()) besideValues_[row] = kNone;
    if (row < offsets_.size()) offsets_[row] = kNowhere;
}

void ColumnMaker::takeTimes(const Records& records, std::vector<double>& time_s) const {
    // The standard's unit of time is the second; who writes another one means it.
    const auto second = units::conversion(channel.unit, "s");
    for (size_t row = 0; row < records.count; ++row) {
        const double raw = isVirtual() ? static_cast<double>(records.firstRow + row)
                                       : field.number(records.first + row * records.stride + field.byte);
        const double time = conversion.number(raw);
        time_s.push_back(second ? (*second)(time) : time);
    }
}

void ColumnMaker::resolveTexts(ByteSpan texts) {
    const ByteView view(texts);
    std::string before;
    uint64_t at = UINT64_MAX;
    const auto kept = std::move(channel.values);
    channel.values.clear();
    for (const uint64_t offset : offsets_) {
        if (offset != at) {
            at = offset;
            const auto size = offset < texts.size() ? view.u32(offset) : std::nullopt;
            const auto bytes = size ? view.slice(offset + 4, *size) : std::nullopt;
            before = bytes ? field.text(*bytes) : std::string();
        }
        put(before.empty() ? Physical{} : conversion.ofText(before), 0);
    }
    channel.values.resize(kept.size(), kNone);
}

void ColumnMaker::finish(std::vector<std::string>& damage) {
    if (alwaysInvalid) {
        std::fill(channel.values.begin(), channel.values.end(), kNone);
        std::fill(besideValues_.begin(), besideValues_.end(), kNone);
    }
    if (codes_.full())
        damage.push_back("At byte " + std::to_string(block) + ": channel " + channel.name + " has more than " +
                         std::to_string(TextCodes::kMost) + " different texts; the later ones are left out.");
    if (conversion.isStates()) {
        for (const State& state : conversion.states())
            states_.try_emplace(state.value, state.text);
        for (const auto& [value, text] : states_)
            channel.states.push_back({value, text});
        std::sort(channel.states.begin(), channel.states.end(),
                  [](const State& a, const State& b) { return a.value < b.value; });
        return;
    }
    const bool numbers = conversion.givesNumbers() && !textual();
    if (!numbers) channel.states = codes_.states();
    const auto texts = codes_.states();
    if (!numbers || texts.empty()) return;
    beside = Channel{channel.name + " (text)", {}, channel.description, {}, std::move(besideValues_), texts};
}

}  // namespace brusk::recording::mdf
