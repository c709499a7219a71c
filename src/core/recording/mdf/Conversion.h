// CC blocks: from the number or text in a record to the physical one. ASAM MDF 4.2.0, 6.17: conversions 0 to 11.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/recording/Recording.h"
#include "core/recording/mdf/Blocks.h"

namespace brusk::recording::mdf {

/// A number, or a text, or neither.
struct Physical {
    double number = std::numeric_limits<double>::quiet_NaN();
    std::optional<std::string> text = {};
};

class Conversion {
  public:
    /// None: the number stays as it is.
    Conversion();
    ~Conversion();
    Conversion(Conversion&&) noexcept;
    Conversion& operator=(Conversion&&) noexcept;
    /// Reads the block; throws BadMdf. `reals`: what is stored are real numbers, whose ranges do not hold their upper
    /// end; those of whole numbers do.
    static Conversion read(BlockFile& file, uint64_t at, bool reals);

    /// The unit that the block names.
    const std::string& unit() const { return unit_; }
    bool none() const { return kind_ == Kind::None; }
    /// offset + factor * number, or none.
    bool linear() const { return kind_ == Kind::None || kind_ == Kind::Linear; }
    double offset() const { return kind_ == Kind::Linear ? values_[0] : 0; }
    double factor() const { return kind_ == Kind::Linear ? values_[1] : 1; }
    bool isFormula() const { return kind_ == Kind::Algebraic; }
    /// What it may give.
    bool givesTexts() const;
    bool givesNumbers() const;
    /// Each number has its own text: the number can stay, and the text beside it.
    bool isStates() const { return kind_ == Kind::NumberToText && !givesNumbers(); }

    /// Of isStates(): numbers that the table does not name have a text too.
    bool hasDefault() const;
    /// Of isStates(): what the table names.
    std::vector<State> states() const;

    double number(double raw) const;
    Physical of(double raw) const;
    Physical ofText(const std::string& raw) const;

  private:
    enum class Kind {
        None,
        Linear,
        Rational,
        Algebraic,
        Interpolated,
        Stepped,
        RangeToNumber,
        NumberToText,
        RangeToText,
        TextToNumber,
        TextToText,
        BitsToText
    };
    /// What a table refers to: a text, or a conversion of its own, or nothing.
    struct Reference {
        std::optional<std::string> text;
        std::unique_ptr<Conversion> scale;
    };
    class Formula;

    static Conversion read(BlockFile& file, uint64_t at, bool reals, int depth);
    bool holds(double from, double to, double raw) const { return raw >= from && (reals_ ? raw < to : raw <= to); }
    void check(const Block& cc) const;
    Physical from(const Reference* reference, double raw) const;
    double interpolated(double raw) const;
    double stepped(double raw) const;
    double inRange(double raw) const;
    std::string bits(double raw) const;

    Kind kind_ = Kind::None;
    bool reals_ = false;
    std::string unit_;
    std::string name_;
    std::vector<double> values_;
    std::vector<uint64_t> masks_;  ///< of BitsToText
    std::vector<Reference> references_;
    std::unique_ptr<Formula> formula_;
};

}  // namespace brusk::recording::mdf
