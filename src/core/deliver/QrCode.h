// A text as a QR code (ISO/IEC 18004), so that a card goes from screen to camera.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace brusk::deliver {

struct QrCode {
    int side = 0;               ///< modules along one side, without the quiet zone
    std::vector<bool> modules;  ///< row by row; true is dark
    bool dark(int x, int y) const {
        return modules[static_cast<size_t>(y) * static_cast<size_t>(side) + static_cast<size_t>(x)];
    }
};
/// Nothing when the text is too long for one (about 2,300 bytes).
std::optional<QrCode> qrCode(const std::string& text);

}  // namespace brusk::deliver
