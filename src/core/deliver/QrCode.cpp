// Encoded by libqrencode; at level M 15 % of it may be dirty.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/QrCode.h"

#include <qrencode.h>

#include <memory>

namespace brusk::deliver {

std::optional<QrCode> qrCode(const std::string& text) {
    const std::unique_ptr<QRcode, decltype(&QRcode_free)> code(QRcode_encodeString8bit(text.c_str(), 0, QR_ECLEVEL_M),
                                                               QRcode_free);
    if (!code) return std::nullopt;
    QrCode out{code->width, {}};
    const auto count = static_cast<size_t>(code->width) * static_cast<size_t>(code->width);
    for (size_t i = 0; i < count; ++i)
        out.modules.push_back((code->data[i] & 1) != 0);
    return out;
}

}  // namespace brusk::deliver
