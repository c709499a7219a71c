// Which parameters lie on the same bytes: edit one, and the others change.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

#include "core/calibration/Calibration.h"

namespace brusk::calibration {

/// Built once for a calibration; the places hold as long as no stored count of breakpoints changes.
class SharedBytes {
  public:
    explicit SharedBytes(const Calibration& calibration);

    enum class Overlap {
        Whole,     ///< the same bytes from first to last
        Part,      ///< some of them
        OtherBits  ///< the same bytes, other bits of them: neither changes the other
    };
    struct Neighbour {
        const definition::Parameter* parameter = nullptr;
        Overlap overlap = Overlap::Part;
        uint32_t address = 0;  ///< the first byte they share
        uint32_t bytes = 0;    ///< how many
    };
    /// Every other parameter that lies on bytes of this one, in order of address.
    std::vector<Neighbour> of(const definition::Parameter& parameter) const;
    /// Every parameter whose numbers an edit changes, `apart` left out.
    std::vector<const definition::Parameter*> changedBy(const Edit& edit,
                                                        const definition::Parameter* apart = nullptr) const;

  private:
    struct Stretch {
        uint32_t begin = 0;
        uint64_t end = 0;
        uint64_t furthest = 0;  ///< the greatest end up to here, for stopping early
        uint32_t parameter = 0;
    };
    template <class Visit>
    void visit(uint32_t begin, uint64_t end, Visit call) const;

    std::shared_ptr<const definition::Definition> definition_;
    std::vector<Stretch> stretches_;  // by rising begin
    std::vector<uint32_t> ofParameter_;
};

}  // namespace brusk::calibration
