// The controller's memory: its areas and sectors, and where it keeps who it is. Where each strategy keeps its numbers
// stands beside the strategy.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstdint>

namespace brusk::benchcar::map {

// Flash: boot (never erased), application, calibration.
inline constexpr uint32_t kFlash = 0x800000, kFlashSize = 0x100000;
inline constexpr uint32_t kBoot = 0x800000, kBootSize = 0x10000;
inline constexpr uint32_t kApplication = 0x810000, kApplicationSize = 0xB0000, kApplicationSector = 0x10000;
inline constexpr uint32_t kCalibration = 0x8C0000, kCalibrationSize = 0x40000, kCalibrationSector = 0x4000;
inline constexpr uint32_t kRam = 0x3F0000, kRamSize = 0x10000;

// Identity, in the boot area but for the software id, which the application carries.
inline constexpr uint32_t kVin = 0x80FF00, kVinSize = 17;
inline constexpr uint32_t kSerial = 0x80FF20, kSerialSize = 12;
inline constexpr uint32_t kHardware = 0x80FF40, kHardwareSize = 12;
inline constexpr uint32_t kSoftwareId = 0x810010, kSoftwareIdSize = 12;

}  // namespace brusk::benchcar::map
