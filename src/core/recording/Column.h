// The numbers of a channel, and the times of a group: in memory, or in a file and decoded when somebody first asks.
//
// 1. Who copies a column shares its numbers; nothing copies numbers to hand them on.
// 2. Columns may be asked from several threads. What is asked for first is decoded once, on all processors, and stays;
//    views live as long as a column that shares it.
// 3. edit() and push_back() are for who builds a recording: they part a column from those that shared it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <initializer_list>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/recording/Pyramid.h"

namespace brusk::recording {

/// Leaves new memory as it is: it is written once, not twice.
template <class Number>
struct Unfilled : std::allocator<Number> {
    template <class Other>
    struct rebind {
        using other = Unfilled<Other>;
    };
    template <class Other>
    void construct(Other* at) noexcept {
        ::new (static_cast<void*>(at)) Other;
    }
    template <class Other, class... Values>
    void construct(Other* at, Values&&... values) {
        ::new (static_cast<void*>(at)) Other(std::forward<Values>(values)...);
    }
};
template <class Number>
using Numbers = std::vector<Number, Unfilled<Number>>;

/// Where the numbers of some columns lie, all of one length.
class RowSource {
  public:
    virtual ~RowSource() = default;
    virtual size_t rows() const = 0;
    /// A column and where its numbers go: to one of the two.
    struct Wanted {
        size_t column = 0;
        float* narrow = nullptr;
        double* wide = nullptr;
    };
    /// Rows [first, first + count) of these columns, NaN where there is none. May be asked by several threads.
    virtual void read(std::span<const Wanted> columns, size_t first, size_t count) const = 0;
};

class Column {
  public:
    Column() = default;
    Column(std::initializer_list<float> numbers);  // NOLINT: a list of numbers is a column
    Column(std::span<const float> numbers);        // NOLINT
    Column(const std::vector<float>& numbers) : Column(std::span<const float>(numbers)) {}  // NOLINT
    explicit Column(Numbers<float> numbers);
    /// Of what float32 can't hold: counters, times.
    explicit Column(Numbers<double> numbers);
    /// Decoded when asked for.
    Column(std::shared_ptr<const RowSource> source, size_t column, bool wide);

    size_t size() const;
    bool empty() const { return size() == 0; }
    /// Whether it has more than float32 holds; exact() is for such ones.
    bool isWide() const;
    /// A whole number that float32 can't hold: one of a counter, of a time.
    static bool needsWide(double value);
    /// Whether its numbers are in memory.
    bool decoded() const;

    /// As float32.
    std::span<const float> values() const;
    operator std::span<const float>() const { return values(); }  // NOLINT: reads like a vector
    const float* begin() const { return values().data(); }
    const float* end() const { return begin() + size(); }
    float operator[](size_t i) const { return values()[i]; }
    std::span<const double> exact() const;
    /// One number in the column's own width, without decoding the others.
    double at(size_t i) const;
    /// Rows from `first` on in the column's own width, nothing of which is kept.
    void read(size_t first, std::span<double> out) const;
    const Pyramid& pyramid() const;
    /// All numbers where they are in memory; else the first few thousand, and some spread over the rest: enough to
    /// guess what a column is.
    std::vector<double> some() const;

    /// factor * value + offset.
    Column scaled(double factor, double offset) const;
    /// The first rows alone, in memory.
    Column firstRows(size_t count) const;

    /// The numbers to be changed, as float32.
    Numbers<float>& edit();
    /// The same of a wide one.
    Numbers<double>& editExact();
    void push_back(float value) { edit().push_back(value); }

    /// Number by number; NaN equals NaN.
    bool operator==(const Column& other) const;

  private:
    friend void decode(std::span<const Column> columns);
    friend void readTogether(std::span<const Column> columns, size_t first, size_t count, double* out);
    struct Held;
    std::shared_ptr<Held> held_;
};

/// Several columns at once: those of one file in one walk through it, on all processors.
void decode(std::span<const Column> columns);

/// How many rows of so many columns are read together at a time: a few megabytes of them.
size_t rowsTogether(size_t columns);
/// The same rows of several columns, one column behind the other, nothing of which is kept.
void readTogether(std::span<const Column> columns, size_t first, size_t count, double* out);

/// Of the numbers of a column that are finite.
struct ColumnSummary {
    size_t count = 0;
    double first = 0, last = 0, least = 0, most = 0, mean = 0;
};
/// Of columns of one length, in one walk, nothing of which is kept.
std::vector<ColumnSummary> summariesOf(std::span<const Column> columns);

/// Times in s, of a group's rows.
class Clock {
  public:
    Clock() = default;
    Clock(std::initializer_list<double> times);  // NOLINT: a list of times is a clock
    Clock(const std::vector<double>& times);     // NOLINT
    explicit Clock(Numbers<double> times) : column_(std::move(times)) {}
    explicit Clock(Column wide) : column_(std::move(wide)) {}

    size_t size() const { return column_.size(); }
    bool empty() const { return column_.empty(); }
    std::span<const double> times() const { return column_.exact(); }
    operator std::span<const double>() const { return times(); }  // NOLINT: reads like a vector
    const double* begin() const { return times().data(); }
    const double* end() const { return begin() + size(); }
    double operator[](size_t i) const { return times()[i]; }
    /// Without decoding the others.
    double front() const { return column_.at(0); }
    double back() const;
    const Column& column() const { return column_; }

    Clock shifted(double by_s) const { return Clock(column_.scaled(1, by_s)); }
    Numbers<double>& edit() { return column_.editExact(); }
    void push_back(double time_s) { edit().push_back(time_s); }
    bool operator==(const Clock& other) const { return column_ == other.column_; }

  private:
    Column column_;
};

}  // namespace brusk::recording
