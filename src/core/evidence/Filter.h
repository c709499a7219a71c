// Which samples of a drive count, and what each rule cost.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>
#include <functional>
#include <string_view>
#include <vector>

namespace brusk::evidence {

/// What was left out; a sample is booked on the first rule it breaks.
struct LeftOut {
    struct Cost {
        std::string_view id, title;
        size_t samples = 0;
    };
    size_t recorded = 0;
    size_t kept = 0;
    std::vector<Cost> costs;  ///< every rule that was asked, in its order

    /// Samples that a rule cost; nil for one that was not asked.
    size_t of(std::string_view id) const;
    LeftOut& operator+=(const LeftOut& other);
};

class Filter {
  public:
    /// `broken` tells whether sample i must be left out by this rule.
    void add(std::string_view id, std::string_view title, std::function<bool(size_t i)> broken) {
        rules_.push_back({id, title, std::move(broken)});
    }
    /// The samples, of n, that break no rule, in order.
    std::vector<uint32_t> kept(size_t n, LeftOut& leftOut) const;

  private:
    struct Rule {
        std::string_view id, title;
        std::function<bool(size_t)> broken;
    };
    std::vector<Rule> rules_;
};

}  // namespace brusk::evidence
