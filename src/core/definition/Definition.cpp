// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/Definition.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

namespace brusk::definition {

size_t sizeOf(DataType type) {
    switch (type) {
        case DataType::UByte:
        case DataType::SByte:
            return 1;
        case DataType::UWord:
        case DataType::SWord:
            return 2;
        case DataType::ULong:
        case DataType::SLong:
        case DataType::Float32:
            return 4;
        case DataType::UInt64:
        case DataType::Int64:
        case DataType::Float64:
            return 8;
    }
    return 1;
}

bool isFloat(DataType type) {
    return type == DataType::Float32 || type == DataType::Float64;
}

static bool isSigned(DataType type) {
    return type == DataType::SByte || type == DataType::SWord || type == DataType::SLong || type == DataType::Int64;
}

std::pair<double, double> rangeOf(DataType type) {
    if (type == DataType::Float32) return {-std::numeric_limits<float>::max(), std::numeric_limits<float>::max()};
    if (type == DataType::Float64) return {-std::numeric_limits<double>::max(), std::numeric_limits<double>::max()};
    const int bits = static_cast<int>(sizeOf(type)) * 8;
    if (isSigned(type)) return {-std::ldexp(1.0, bits - 1), std::ldexp(1.0, bits - 1) - 1};
    return {0, std::ldexp(1.0, bits) - 1};
}

double loadRaw(const uint8_t* at, DataType type, ByteOrder order) {
    const size_t size = sizeOf(type);
    const uint64_t bits = loadUnsigned(at, size, order);
    if (type == DataType::Float32) return std::bit_cast<float>(static_cast<uint32_t>(bits));
    if (type == DataType::Float64) return std::bit_cast<double>(bits);
    if (!isSigned(type)) return static_cast<double>(bits);
    const unsigned shift = 64 - static_cast<unsigned>(size) * 8;
    return static_cast<double>(static_cast<int64_t>(bits << shift) >> shift);
}

void storeRaw(uint8_t* at, DataType type, ByteOrder order, double raw) {
    uint64_t bits = 0;
    if (type == DataType::Float32) {
        bits = std::bit_cast<uint32_t>(static_cast<float>(raw));
    } else if (type == DataType::Float64) {
        bits = std::bit_cast<uint64_t>(raw);
    } else if (isSigned(type)) {
        bits = static_cast<uint64_t>(static_cast<int64_t>(raw));
    } else {
        bits = static_cast<uint64_t>(raw);
    }
    storeUnsigned(at, sizeOf(type), order, bits);
}

double Conversion::toPhysical(double raw) const {
    if (kind == Kind::Linear) return a * raw + b;
    if (kind != Kind::Rational) return raw;
    // raw (d p2 + e p + f) = a p2 + b p + c
    const double qa = a - d * raw;
    const double qb = b - e * raw;
    const double qc = c - f * raw;
    if (qa == 0) return qb == 0 ? std::numeric_limits<double>::quiet_NaN() : -qc / qb;
    const double root = qb * qb - 4 * qa * qc;
    if (root < 0) return std::numeric_limits<double>::quiet_NaN();
    return (-qb + std::sqrt(root)) / (2 * qa);
}

double Conversion::toRaw(double physical) const {
    if (kind == Kind::Linear) return a == 0 ? 0 : (physical - b) / a;
    if (kind != Kind::Rational) return physical;
    const double below = d * physical * physical + e * physical + f;
    return below == 0 ? std::numeric_limits<double>::quiet_NaN() : (a * physical * physical + b * physical + c) / below;
}

std::string_view Conversion::textFor(double raw) const {
    for (const Text& text : texts)
        if (raw >= text.low && raw <= text.high) return text.text;
    return defaultText;
}

void Definition::index() {
    for (size_t i = 0; i < parameters.size(); ++i)
        parameterIndex_.emplace(parameters[i].name, i);
    for (size_t i = 0; i < measurements.size(); ++i)
        measurementIndex_.emplace(measurements[i].name, i);
    for (size_t i = 0; i < groups.size(); ++i) {
        for (const auto& name : groups[i].parameters)
            groupOfItem_.emplace(name, i);
        for (const auto& name : groups[i].measurements)
            groupOfItem_.emplace(name, i);
        for (const auto& name : groups[i].subgroups)
            parentGroup_.emplace(name, i);
    }
}

const Parameter* Definition::parameter(std::string_view name) const {
    const auto found = parameterIndex_.find(std::string(name));
    return found == parameterIndex_.end() ? nullptr : &parameters[found->second];
}

const Measurement* Definition::measurement(std::string_view name) const {
    const auto found = measurementIndex_.find(std::string(name));
    return found == measurementIndex_.end() ? nullptr : &measurements[found->second];
}

const Parameter* Definition::parameterWithRole(std::string_view role) const {
    for (const Parameter& p : parameters)
        if (p.role == role) return &p;
    return nullptr;
}

const Measurement* Definition::measurementWithRole(std::string_view role) const {
    for (const Measurement& m : measurements)
        if (m.role == role) return &m;
    return nullptr;
}

std::string Definition::groupPath(std::string_view name) const {
    const auto found = groupOfItem_.find(std::string(name));
    if (found == groupOfItem_.end()) return {};
    const auto shown = [](const Group& g) { return g.description.empty() ? g.name : g.description; };
    size_t at = found->second;
    std::string path = shown(groups[at]);
    // A group that contains itself must not hang us: a path is never longer than the list of groups.
    for (size_t depth = 0; depth < groups.size(); ++depth) {
        const auto parent = parentGroup_.find(groups[at].name);
        if (parent == parentGroup_.end()) break;
        at = parent->second;
        path.insert(0, shown(groups[at]) + " / ");
    }
    return path;
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
    }
    return "";
}

}  // namespace brusk::definition
