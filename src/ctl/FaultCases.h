// The faults by which findings are proved: how large, over which roads, when they showed, and what may be said of them.
// The rules ask the plant alone, and were written before the checks.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <span>
#include <string_view>
#include <vector>

#include "core/recording/Recording.h"

namespace brusk::ctl {

/// What the plant knew from the onset of a fault to its end, a row each 10 ms.
class Known {
  public:
    /// Rows of the truth between two times.
    Known(const recording::Recording& truth, double from_s, double to_s);
    size_t size() const { return end_ - begin_; }
    /// A column of the truth, from the onset on; they all exist.
    std::span<const float> operator[](std::string_view name) const;
    /// Seconds in which `holds(i)`.
    template <class Holds>
    double seconds(Holds holds) const {
        size_t n = 0;
        for (size_t i = 0; i < size(); ++i)
            n += holds(i) ? 1 : 0;
        return static_cast<double>(n) * kRow_s;
    }
    /// How often `holds(i)` for at least `least_s` on end.
    template <class Holds>
    int spells(Holds holds, double least_s) const {
        int out = 0;
        size_t long_ = 0;
        const auto least = static_cast<size_t>(least_s / kRow_s);
        for (size_t i = 0; i < size(); ++i) {
            long_ = holds(i) ? long_ + 1 : 0;
            if (long_ == least) ++out;
        }
        return out;
    }
    static constexpr double kRow_s = 0.01;

  private:
    const recording::Recording& truth_;
    size_t begin_ = 0, end_ = 0;
};

/// One thing that can be wrong.
struct FaultCase {
    std::string_view id;          ///< for the table
    std::string_view unit;        ///< of the amounts
    const char* fault;            ///< as addFault() takes it, without its amount
    std::vector<double> amounts;  ///< small, medium, large; one where there are no sizes
    std::vector<std::string_view> models;
    std::vector<std::string> routes;
    std::vector<std::string_view> accepted;  ///< checks that may come first
    std::string_view rule;                   ///< when it showed, in words
    std::function<bool(const Known&, double amount)> showed;
    std::string_view cannot = {};  ///< why no recording tells it from something else; empty: it can be told
    bool asNote = false;           ///< no more than worth knowing
};
const std::vector<FaultCase>& faultCases();

/// Whether a check tells of the calibration, or of what a wrong one does: on a base that nothing has corrected no false
/// alarm.
bool saysBytes(std::string_view check);

}  // namespace brusk::ctl
