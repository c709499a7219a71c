// Tables, ranges, formulas and texts, as the standard defines each.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/mdf/Conversion.h"

#include <muParser.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/base/Text.h"

namespace brusk::recording::mdf {

namespace {
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
constexpr int kDeepest = 8;  // conversions that refer to conversions
}  // namespace

/// One variable, called X.
class Conversion::Formula {
  public:
    explicit Formula(const std::string& text) {
        parser_.DefineVar("X", &x_);
        parser_.DefineVar("x", &x_);
        parser_.DefineVar("X1", &x_);
        parser_.DefineFun("pow", static_cast<double (*)(double, double)>(std::pow));
        parser_.DefineFun("log", static_cast<double (*)(double)>(std::log10));
        parser_.SetExpr(text);
        (void)parser_.Eval();
    }
    double operator()(double x) {
        x_ = x;
        return parser_.Eval();
    }

  private:
    double x_ = 1;
    mu::Parser parser_;
};

Conversion::Conversion() = default;
Conversion::~Conversion() = default;
Conversion::Conversion(Conversion&&) noexcept = default;
Conversion& Conversion::operator=(Conversion&&) noexcept = default;

Conversion Conversion::read(BlockFile& file, uint64_t at, bool reals) {
    return read(file, at, reals, 0);
}

Conversion Conversion::read(BlockFile& file, uint64_t at, bool reals, int depth) {
    constexpr size_t kFixedLinks = 4;
    constexpr uint64_t kValues = 24;
    if (depth > kDeepest) bad(at, "conversions refer to conversions more than 8 deep");
    const Block cc = file.block(at, "##CC");
    const uint64_t type = cc.number(0, 1);
    if (type > static_cast<uint64_t>(Kind::BitsToText))
        bad(at, "a conversion of type " + std::to_string(type) + ", which the standard to 4.2 does not know");
    Conversion out;
    out.kind_ = static_cast<Kind>(type);
    out.reals_ = reals;
    out.unit_ = file.plainText(cc.link(1));
    out.name_ = file.text(cc.link(0));
    const uint64_t count = cc.number(6, 2);
    for (uint64_t i = 0; i < count; ++i)
        if (out.kind_ == Kind::BitsToText)
            out.masks_.push_back(cc.number(kValues + 8 * i, 8));
        else
            out.values_.push_back(cc.real(kValues + 8 * i));
    for (size_t i = kFixedLinks; i < cc.links.size(); ++i) {
        Reference reference;
        const uint64_t link = cc.links[i];
        if (link && file.idAt(link) == "##CC")
            reference.scale = std::make_unique<Conversion>(read(file, link, reals, depth + 1));
        else if (link)
            reference.text = file.text(link);
        out.references_.push_back(std::move(reference));
    }
    out.check(cc);
    if (out.kind_ == Kind::Algebraic) {
        const std::string text = out.references_[0].text.value_or("");
        try {
            out.formula_ = std::make_unique<Formula>(text);
        } catch (const mu::Parser::exception_type& problem) {
            bad(at, "the formula \"" + text + "\" can't be used: " + problem.GetMsg());
        }
    }
    return out;
}

void Conversion::check(const Block& cc) const {
    const size_t n = values_.size(), references = references_.size();
    const bool fits = [&] {
        switch (kind_) {
            case Kind::None:
                return true;
            case Kind::Linear:
                return n >= 2;
            case Kind::Rational:
                return n >= 6;
            case Kind::Algebraic:
                return references >= 1;
            case Kind::Interpolated:
            case Kind::Stepped:
                return n >= 2 && n % 2 == 0;
            case Kind::RangeToNumber:
                return n >= 1 && n % 3 == 1;
            case Kind::NumberToText:
                return references == n || references == n + 1;
            case Kind::RangeToText:
                return n % 2 == 0 && (references == n / 2 || references == n / 2 + 1);
            case Kind::TextToNumber:
                return references == n || references + 1 == n;
            case Kind::TextToText:
                return references >= 1;
            case Kind::BitsToText:
                return references == masks_.size();
        }
        return false;
    }();
    if (!fits)
        bad(cc.at, "a conversion of type " + std::to_string(static_cast<int>(kind_)) + " with " + std::to_string(n) +
                       " values and " + std::to_string(references) + " references");
}

bool Conversion::givesTexts() const {
    if (kind_ == Kind::TextToText || kind_ == Kind::BitsToText) return true;
    if (kind_ != Kind::NumberToText && kind_ != Kind::RangeToText) return false;
    return std::any_of(references_.begin(), references_.end(),
                       [](const Reference& r) { return r.text || (r.scale && r.scale->givesTexts()); });
}

bool Conversion::givesNumbers() const {
    if (kind_ == Kind::TextToText || kind_ == Kind::BitsToText) return false;
    if (kind_ != Kind::NumberToText && kind_ != Kind::RangeToText) return true;
    return std::any_of(references_.begin(), references_.end(),
                       [](const Reference& r) { return r.scale && r.scale->givesNumbers(); });
}

bool Conversion::hasDefault() const {
    return references_.size() > values_.size() && references_[values_.size()].text.has_value();
}

std::vector<State> Conversion::states() const {
    std::vector<State> out;
    for (size_t i = 0; i < std::min(values_.size(), references_.size()); ++i)
        if (references_[i].text) out.push_back({static_cast<float>(values_[i]), *references_[i].text});
    return out;
}

double Conversion::interpolated(double raw) const {
    const size_t pairs = values_.size() / 2;
    const auto key = [&](size_t i) { return values_[2 * i]; };
    const auto value = [&](size_t i) { return values_[2 * i + 1]; };
    if (std::isnan(raw)) return kNone;
    if (raw <= key(0)) return value(0);
    for (size_t i = 1; i < pairs; ++i)
        if (raw < key(i)) return value(i - 1) + (value(i) - value(i - 1)) * (raw - key(i - 1)) / (key(i) - key(i - 1));
    return value(pairs - 1);
}

double Conversion::stepped(double raw) const {
    const size_t pairs = values_.size() / 2;
    if (std::isnan(raw)) return kNone;
    // The nearer key; half way the lower one.
    size_t i = 0;
    while (i + 1 < pairs && raw > values_[2 * i + 2])
        ++i;
    if (i + 1 < pairs && raw > values_[2 * i] && raw - values_[2 * i] > values_[2 * i + 2] - raw) ++i;
    return values_[2 * i + 1];
}

double Conversion::inRange(double raw) const {
    if (std::isnan(raw)) return kNone;
    for (size_t i = 0; i + 2 < values_.size(); i += 3)
        if (holds(values_[i], values_[i + 1], raw)) return values_[i + 2];
    return values_.back();
}

double Conversion::number(double raw) const {
    switch (kind_) {
        case Kind::None:
            return raw;
        case Kind::Linear:
            return values_[0] + values_[1] * raw;
        case Kind::Rational: {
            const double above = values_[0] * raw * raw + values_[1] * raw + values_[2];
            const double below = values_[3] * raw * raw + values_[4] * raw + values_[5];
            return below == 0 ? kNone : above / below;
        }
        case Kind::Algebraic:
            try {
                return (*formula_)(raw);
            } catch (const mu::Parser::exception_type&) {
                return kNone;
            }
        case Kind::Interpolated:
            return interpolated(raw);
        case Kind::Stepped:
            return stepped(raw);
        case Kind::RangeToNumber:
            return inRange(raw);
        default:
            return of(raw).number;
    }
}

Physical Conversion::from(const Reference* reference, double raw) const {
    if (!reference) return {};
    if (reference->scale) return reference->scale->of(raw);
    return {kNone, reference->text};
}

std::string Conversion::bits(double raw) const {
    constexpr double kMost = 9.2e18;
    std::string out;
    if (!(std::abs(raw) < kMost)) return out;
    const auto all = static_cast<uint64_t>(raw < 0 ? static_cast<double>(static_cast<int64_t>(raw)) : raw);
    for (size_t i = 0; i < masks_.size(); ++i) {
        const auto& scale = references_[i].scale;
        if (!scale) continue;
        const auto part = scale->of(static_cast<double>(all & masks_[i]));
        if (!part.text || part.text->empty()) continue;
        const std::string named = scale->name_.empty() ? *part.text : scale->name_ + " = " + *part.text;
        out += (out.empty() ? "" : " | ") + named;
    }
    return out;
}

Physical Conversion::of(double raw) const {
    if (std::isnan(raw)) return {};
    switch (kind_) {
        case Kind::NumberToText: {
            const size_t n = values_.size();
            size_t i = 0;
            while (i < n && values_[i] != raw)
                ++i;
            return from(i < references_.size() ? &references_[i] : nullptr, raw);
        }
        case Kind::RangeToText: {
            const size_t n = values_.size() / 2;
            size_t i = 0;
            while (i < n && !holds(values_[2 * i], values_[2 * i + 1], raw))
                ++i;
            return from(i < references_.size() ? &references_[i] : nullptr, raw);
        }
        case Kind::BitsToText:
            return {kNone, bits(raw)};
        case Kind::TextToNumber:
        case Kind::TextToText:
            return {};
        default:
            return {number(raw), std::nullopt};
    }
}

Physical Conversion::ofText(const std::string& raw) const {
    if (kind_ == Kind::TextToNumber) {
        for (size_t i = 0; i < references_.size(); ++i)
            if (references_[i].text == raw && i < values_.size()) return {values_[i], std::nullopt};
        return {values_.size() > references_.size() ? values_.back() : kNone, std::nullopt};
    }
    if (kind_ == Kind::TextToText) {
        const size_t pairs = references_.size() / 2;
        for (size_t i = 0; i < pairs; ++i)
            if (references_[2 * i].text == raw) return {kNone, references_[2 * i + 1].text.value_or(raw)};
        const bool other = references_.size() % 2 == 1 && references_.back().text;
        return {kNone, other ? *references_.back().text : raw};
    }
    return {kNone, raw};
}

}  // namespace brusk::recording::mdf
