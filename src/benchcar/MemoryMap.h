// Where the bench car's controller keeps everything: its fixed addresses, as a linker would have set them.
// The controller reads its calibration from its flash bytes at these places and knows no definition file.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cstddef>
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

// A curve with its own axis: a 16-bit count, the breakpoints, then the values. Shared axes: a 16-bit count, then
// breakpoints.
namespace cal {
// Sector 0: identity and air.
inline constexpr uint32_t kId = 0x8C0010, kIdSize = 16;
inline constexpr uint32_t kDisplacement = 0x8C0040;  // u16, cm3
inline constexpr uint32_t kMapSlope = 0x8C0042;      // u16, 0.01 kPa/V
inline constexpr uint32_t kMapOffset = 0x8C0044;     // s16, 0.01 kPa
inline constexpr uint32_t kMapFilter = 0x8C0046;     // u8, 1/256 of the new reading per 10 ms
inline constexpr uint32_t kChargeBlend = 0x8C0050;   // curve of 6: u16 airflow 0.1 kg/h -> u8 share of coolant, 1/256
inline constexpr uint32_t kAxisSpeed = 0x8C0100;     // 16 x u16, rpm
inline constexpr uint32_t kAxisPressure = 0x8C0140;  // 14 x u16, 0.01 kPa
inline constexpr uint32_t kVe = 0x8C0200;            // 14 rows x 16, u16, 0.01 %
// Sector 1: fuel.
inline constexpr uint32_t kStoich = 0x8C4000;           // u16, 0.001
inline constexpr uint32_t kInjectorFlow = 0x8C4002;     // u16, 0.1 cm3/min
inline constexpr uint32_t kFuelDensity = 0x8C4004;      // u16, 0.0001 g/cm3
inline constexpr uint32_t kMinPulse = 0x8C4006;         // u16, us
inline constexpr uint32_t kDeadTime = 0x8C4010;         // curve of 8: u8 battery 0.1 V -> u16 us
inline constexpr uint32_t kWarmUp = 0x8C4040;           // curve of 8: u8 coolant degC + 40 -> u8 0.5 %
inline constexpr uint32_t kAfterStart = 0x8C4060;       // u8, 0.5 %
inline constexpr uint32_t kAfterStartDecay = 0x8C4062;  // u16, 0.1 s
inline constexpr uint32_t kCutBegins = 0x8C4064;        // u16, rpm
inline constexpr uint32_t kCutEnds = 0x8C4066;          // u16, rpm
inline constexpr uint32_t kLambda = 0x8C4100;           // 14 rows x 16, u8, 1/128
inline constexpr uint32_t kLoopOn = 0x8C4400;           // u8 switch
inline constexpr uint32_t kLoopCoolant = 0x8C4401;      // u8, degC + 40
inline constexpr uint32_t kLoopWait = 0x8C4402;         // u16, 0.1 s after start
inline constexpr uint32_t kLoopJump = 0x8C4404;         // u16, 0.01 %
inline constexpr uint32_t kLoopRamp = 0x8C4406;         // u16, 0.01 %/s
inline constexpr uint32_t kLoopLimit = 0x8C4408;        // u8, %
inline constexpr uint32_t kLearnLimit = 0x8C4409;       // u8, %
inline constexpr uint32_t kLearnRate = 0x8C440A;        // u16, 0.1 % of the short trim per second
// Sector 2: spark and boost.
inline constexpr uint32_t kAxisLoad = 0x8C8000;   // 12 x u16, 0.02 mg per cylinder
inline constexpr uint32_t kSpark = 0x8C8100;      // 12 rows x 16, s16, 0.1 deg
inline constexpr uint32_t kSparkIdle = 0x8C8400;  // s16, 0.1 deg
inline constexpr uint32_t kWastegate = 0x8C8800;  // 16 x u8, 0.5 %, over the shared speed axis
inline constexpr uint32_t kBoostCut = 0x8C8820;   // u16, 0.01 kPa
// Sector 3: idle, pedal, limits, cooling, vehicle, diagnostics.
inline constexpr uint32_t kIdleSpeed = 0x8CC000;     // curve of 6: u8 coolant degC + 40 -> u16 rpm
inline constexpr uint32_t kIdleAir = 0x8CC020;       // curve of 6: u8 coolant degC + 40 -> u16 0.01 % throttle
inline constexpr uint32_t kIdleP = 0x8CC040;         // u16, 0.01 % throttle per 100 rpm
inline constexpr uint32_t kIdleI = 0x8CC042;         // u16, 0.01 % throttle per 100 rpm and second
inline constexpr uint32_t kPedal = 0x8CC080;         // map: 8 x u16 0.01 % pedal, 6 x u16 rpm -> u16 0.01 % throttle
inline constexpr uint32_t kRevLimit = 0x8CC180;      // u16, rpm
inline constexpr uint32_t kRevReturn = 0x8CC182;     // u16, rpm below the limit
inline constexpr uint32_t kFanOn = 0x8CC184;         // u8, degC + 40
inline constexpr uint32_t kFanOff = 0x8CC185;        // u8, degC + 40
inline constexpr uint32_t kWheelPulses = 0x8CC186;   // u16, pulses per km
inline constexpr uint32_t kDiagSwitches = 0x8CC188;  // u8: bit 0 MAP low, 1 MAP high, 2 too lean, 3 too rich
inline constexpr uint32_t kDiagMapLow = 0x8CC18A;    // u16, mV
inline constexpr uint32_t kDiagMapHigh = 0x8CC18C;   // u16, mV
inline constexpr uint32_t kDiagTrim = 0x8CC18E;      // u8, % of the trims together
}  // namespace cal

// Measurements.
namespace ram {
inline constexpr uint32_t kSpeed = 0x3F0000;           // u16, 0.25 rpm
inline constexpr uint32_t kPressure = 0x3F0002;        // u16, 0.01 kPa
inline constexpr uint32_t kMapVolts = 0x3F0004;        // u16, mV
inline constexpr uint32_t kThrottle = 0x3F0006;        // u16, 0.01 %
inline constexpr uint32_t kPedal = 0x3F0008;           // u16, 0.01 %
inline constexpr uint32_t kIntakeTemp = 0x3F000A;      // s16, 0.1 degC
inline constexpr uint32_t kCoolant = 0x3F000C;         // s16, 0.1 degC
inline constexpr uint32_t kBattery = 0x3F000E;         // u16, mV
inline constexpr uint32_t kAirPerCylinder = 0x3F0010;  // u16, 0.02 mg
inline constexpr uint32_t kAirflow = 0x3F0012;         // u16, 0.02 kg/h
inline constexpr uint32_t kVeUsed = 0x3F0014;          // u16, 0.01 %
inline constexpr uint32_t kChargeTemp = 0x3F0016;      // s16, 0.1 degC
inline constexpr uint32_t kLambdaAsked = 0x3F0018;     // u16, 0.0001
inline constexpr uint32_t kShortTrim = 0x3F001A;       // s16, 0.01 %
inline constexpr uint32_t kLongTrim = 0x3F001C;        // s16, 0.01 %
inline constexpr uint32_t kPulse = 0x3F001E;           // u16, us
inline constexpr uint32_t kDeadTime = 0x3F0020;        // u16, us
inline constexpr uint32_t kInjectorDuty = 0x3F0022;    // u16, 0.01 %
inline constexpr uint32_t kSpark = 0x3F0024;           // s16, 0.1 deg
inline constexpr uint32_t kIdleTarget = 0x3F0026;      // u16, rpm
inline constexpr uint32_t kIdleIntegral = 0x3F0028;    // s16, 0.01 %
inline constexpr uint32_t kFuelCut = 0x3F002A;         // u8
inline constexpr uint32_t kLoopState = 0x3F002B;       // u8
inline constexpr uint32_t kVehicleSpeed = 0x3F002C;    // u16, 0.01 km/h
inline constexpr uint32_t kGear = 0x3F002E;            // u8
inline constexpr uint32_t kWastegate = 0x3F002F;       // u8, 0.5 %
inline constexpr uint32_t kBoostCut = 0x3F0030;        // u8
inline constexpr uint32_t kFan = 0x3F0031;             // u8
inline constexpr uint32_t kEngineState = 0x3F0032;     // u8: 0 stopped, 1 cranking, 2 running
inline constexpr uint32_t kRunTime = 0x3F0034;         // u32, 10 ms
inline constexpr uint32_t kNarrowband = 0x3F0038;      // u16, mV
inline constexpr uint32_t kThrottleTarget = 0x3F003A;  // u16, 0.01 %
inline constexpr uint32_t kWarmUp = 0x3F003C;          // u16, 0.01 %
}  // namespace ram

}  // namespace brusk::benchcar::map
