// The tables of car.sqlite, and how an image lies in them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/Result.h"
#include "core/calibration/Calibration.h"

namespace brusk::carfolder {

inline constexpr int kSchemaVersion = 3;
inline constexpr int kApplicationId = 0x4272736B;  // "Brsk": tells a car folder's database from any other

/// All statements that make an empty database.
extern const char* const kSchema;
/// What turns a database of format 1 into one of format 2.
extern const char* const kFrom1To2;
/// What turns one of format 2 into one of format 3.
extern const char* const kFrom2To3;

/// SHA-256 over the runs of the image with their addresses and lengths: the same bytes at the same places, the same
/// text.
std::string imageFingerprint(const image::Image& image);
/// Runs of the image with address and length, deflated.
Bytes packImage(const image::Image& image);
[[nodiscard]] Result<image::Image> unpackImage(ByteSpan packed);
/// Each change as address, length, the bytes before and after.
Bytes packChanges(const std::vector<calibration::ByteChange>& changes);
[[nodiscard]] Result<std::vector<calibration::ByteChange>> unpackChanges(ByteSpan packed);

}  // namespace brusk::carfolder
