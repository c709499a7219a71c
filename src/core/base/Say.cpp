// One pass over the text; what is no place for a value stays as it is written.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/Say.h"

namespace brusk {

std::string say(std::string_view /*id*/, std::string_view text, std::initializer_list<std::string_view> values) {
    std::string out;
    for (size_t i = 0; i < text.size(); ++i) {
        const bool place = text[i] == '{' && i + 2 < text.size() && text[i + 2] == '}' && text[i + 1] >= '0' &&
                           static_cast<size_t>(text[i + 1] - '0') < values.size();
        if (!place) {
            out += text[i];
            continue;
        }
        out += values.begin()[text[i + 1] - '0'];
        i += 2;
    }
    return out;
}

}  // namespace brusk
