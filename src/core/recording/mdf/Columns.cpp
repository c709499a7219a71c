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

bool ColumnMaker::mayBeLater() const {
    if (textual() || conversion.isFormula()) return false;
    return !conversion.givesTexts() || (conversion.isStates() && !conversion.hasDefault());
}

bool ColumnMaker::mayBeWide() const {
    constexpr uint64_t kFloatBits = 24;
    return !textual() && !conversion.givesTexts() && !isVirtual() && field.bits > kFloatBits &&
           (field.isInteger() || (field.isReal() && field.bits == 64));
}

template <class Number>
void ColumnMaker::decode(const Where& from, const Where& validity, Number* out) const {
    const Records& records = from.records;
    if (alwaysInvalid && !isTimeMaster()) {
        std::fill_n(out, records.count, std::numeric_limits<Number>::quiet_NaN());
        return;
    }
    Field here = field;
    here.byte = from.byte;
    const static Conversion asItIs;
    decodeNumbers(here, conversion.isStates() ? asItIs : conversion, isVirtual(), records, out);
    if (!isTimeMaster()) {
        if (invalidationBit) dropInvalid(validity.byte, *invalidationBit % 8, validity.records, out);
        return;
    }
    // The standard's unit of time is the second; who writes another one means it.
    if (const auto second = units::conversion(channel.unit, "s"); second && !second->same())
        for (size_t row = 0; row < records.count; ++row)
            out[row] = static_cast<Number>((*second)(static_cast<double>(out[row])));
}

template void ColumnMaker::decode(const Where&, const Where&, float*) const;
template void ColumnMaker::decode(const Where&, const Where&, double*) const;

void ColumnMaker::put(const Physical& physical, double raw) {
    if (conversion.isStates()) {
        const auto value = static_cast<float>(raw);
        if (physical.text && states_.size() < TextCodes::kMost) states_.try_emplace(value, *physical.text);
        values.push_back(value);
        return;
    }
    if (!conversion.givesTexts() && !textual()) {
        values.push_back(static_cast<float>(physical.number));
        return;
    }
    const float code = physical.text ? codes_.codeOf(*physical.text) : kNone;
    const bool both = conversion.givesNumbers() && !textual();
    values.push_back(both || (textual() && !physical.text) ? static_cast<float>(physical.number) : code);
    if (both) besideValues.push_back(code);
}

void ColumnMaker::takeNumbers(const Records& records) {
    if (mayBeWide()) {
        const size_t before = exact.size();
        exact.resize(before + records.count);
        return decodeNumbers(field, conversion, false, records, exact.data() + before);
    }
    if (!conversion.givesTexts()) {
        const size_t before = values.size();
        values.resize(before + records.count);
        return decodeNumbers(field, conversion, isVirtual(), records, values.data() + before);
    }
    for (size_t row = 0; row < records.count; ++row) {
        const double raw = isVirtual() ? static_cast<double>(records.firstRow + row)
                                       : field.number(records.first + row * records.stride + field.byte);
        put(conversion.of(raw), raw);
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
    const size_t before = mayBeWide() ? exact.size() : values.size();
    if (isVariable()) {
        const size_t bytes = std::min<size_t>(8, static_cast<size_t>(field.bytes()));
        for (size_t row = 0; row < records.count; ++row)
            offsets_.push_back(
                loadUnsigned(records.first + row * records.stride + field.byte, bytes, ByteOrder::LittleEndian));
        values.resize(before + records.count, kNone);
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
    if (mayBeWide()) return exact.resize(exact.size() + rows, std::numeric_limits<double>::quiet_NaN());
    values.resize(values.size() + rows, kNone);
    if (!besideValues.empty()) besideValues.resize(values.size(), kNone);
    if (isVariable()) offsets_.resize(values.size(), kNowhere);
}

void ColumnMaker::invalidate(size_t row) {
    constexpr uint64_t kNowhere = UINT64_MAX;
    if (row < exact.size()) exact[row] = std::numeric_limits<double>::quiet_NaN();
    if (row < values.size()) values[row] = kNone;
    if (row < besideValues.size()) besideValues[row] = kNone;
    if (row < offsets_.size()) offsets_[row] = kNowhere;
}

void ColumnMaker::takeTimes(const Records& records, Numbers<double>& time_s) const {
    const size_t before = time_s.size();
    time_s.resize(before + records.count);
    decode({records, field.byte}, {records, 0}, time_s.data() + before);
}

void ColumnMaker::resolveTexts(ByteSpan texts) {
    const ByteView view(texts);
    std::string before;
    uint64_t at = UINT64_MAX;
    const auto kept = std::move(values);
    values.clear();
    for (const uint64_t offset : offsets_) {
        if (offset != at) {
            at = offset;
            const auto size = offset < texts.size() ? view.u32(offset) : std::nullopt;
            const auto bytes = size ? view.slice(offset + 4, *size) : std::nullopt;
            before = bytes ? field.text(*bytes) : std::string();
        }
        put(before.empty() ? Physical{} : conversion.ofText(before), 0);
    }
    values.resize(kept.size(), kNone);
}

void ColumnMaker::cutTo(size_t rows) {
    if (mayBeWide())
        exact.resize(rows, std::numeric_limits<double>::quiet_NaN());
    else
        values.resize(rows, kNone);
}

void ColumnMaker::finish(std::vector<std::string>& damage, size_t rows) {
    cutTo(rows);
    if (mayBeWide()) {
        if (alwaysInvalid) std::fill(exact.begin(), exact.end(), std::numeric_limits<double>::quiet_NaN());
        const bool wide = std::any_of(exact.begin(), exact.end(), Column::needsWide);
        channel.values = wide ? Column(std::move(exact)) : Column(Numbers<float>(exact.begin(), exact.end()));
        exact = {};
        return;
    }
    if (alwaysInvalid) {
        std::fill(values.begin(), values.end(), kNone);
        std::fill(besideValues.begin(), besideValues.end(), kNone);
    }
    if (codes_.full())
        damage.push_back("At byte " + std::to_string(block) + ": channel " + channel.name + " has more than " +
                         std::to_string(TextCodes::kMost) + " different texts; the later ones are left out.");
    channel.values = Column(std::move(values));
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
    beside = Channel{channel.name + " (text)", {}, channel.description, {}, {}, texts};
}

}  // namespace brusk::recording::mdf
