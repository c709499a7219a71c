// One object of a definition as an A2L block.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

#include "core/definition/Definition.h"

namespace brusk::definition {

/// Writes blocks for a text of one encoding. What the encoding lacks is kept in `problem`.
class A2lBlocks {
  public:
    A2lBlocks(const Definition& definition, bool latin1) : d_(definition), latin1_(latin1) {}

    void conversion(const Conversion& conversion);
    void layout(const Layout& layout);
    /// `defaultOrder`: the byte order of the module that the block goes into.
    void parameter(const Parameter& parameter, ByteOrder defaultOrder);
    void measurement(const Measurement& measurement, ByteOrder defaultOrder);
    void group(const Group& group);
    void function(const Function& function);

    std::string text;
    std::string problem;

  private:
    std::string quoted(const std::string& plain);
    void line(int indent, const std::string& words);
    void table(const Conversion& conversion);
    void axis(const Axis& axis);
    void names(const char* keyword, const std::vector<std::string>& list);
    template <class T>
    void common(const T& thing, ByteOrder defaultOrder);

    const Definition& d_;
    bool latin1_;
};

}  // namespace brusk::definition
