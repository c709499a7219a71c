// Images as files: Intel HEX, Motorola S-record and raw binary, in and out.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/image/Image.h"

namespace brusk::image {

enum class Format { IntelHex, SRecord, Binary };

std::string_view formatName(Format format);
/// By the file name's extension: .hex .ihx .ihex; .s19 .s28 .s37 .srec .mot; .bin .rom.
std::optional<Format> formatOfName(std::string_view fileName);
/// By the first character that is not blank: ':' Intel HEX, 'S' S-record, anything else binary.
Format formatOfBytes(ByteSpan bytes);

/// Reads a whole file. `base` is the address of the first byte of a raw binary. Every error names the line. What is odd
/// and no error goes to `remarks`, a sentence each: an S-record file that neither ends nor counts its records.
[[nodiscard]] Result<Image> readImage(ByteSpan bytes, Format format, uint32_t base = 0,
                                      std::vector<std::string>* remarks = nullptr);
/// Writes a whole file with `rowBytes` (1 to 250) data bytes a row. A raw binary is refused when the image has gaps.
[[nodiscard]] Result<Bytes> writeImage(const Image& image, Format format, int rowBytes = 32);

}  // namespace brusk::image
