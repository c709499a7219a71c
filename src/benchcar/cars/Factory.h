// What leaves the factory: the flash of each made-up car, calibrated by what is physically true of a build. With the
// stock parts that is the stock calibration; with other parts it is the calibration that would be right for them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string_view>
#include <vector>

#include "benchcar/controller/ControllerMemory.h"
#include "benchcar/plant/Build.h"

namespace brusk::benchcar {

/// What a calibrator chooses, beside what the parts dictate.
struct Wishes {
    std::string_view calibrationId;
    std::vector<double> speeds, pressures, loads;  ///< rpm, kPa, mg: at most 16, 14 and 12
    double boost_kPa = 101.3;                      ///< greatest target, absolute
    double idle_rpm = 850;                         ///< warm
    double revLimit_rpm = 6700;
    int airModel = 0;  ///< 0 speed-density, 1 airflow meter, 2 both
    double sparkMargin_deg = 3.0;
    double eager = 1;  ///< how soon the pedal gives what there is
};

struct Identity {
    std::string_view vin, serial, hardware, software;
};

/// A car as it is sold: what it is built of, and what its calibrators wished.
struct Model {
    std::string_view name;   ///< "heron", "heron-s", "crane"
    std::string_view title;  ///< "Fennmark Heron 1.6 T"
    const Build* build;
    Wishes wishes;
    Identity identity;
};
const std::vector<Model>& models();
const Model* modelNamed(std::string_view name);
/// The model that left the factory with this build's engine, whatever was fitted since.
const Model& modelOf(const Build& build);

/// Erases the flash and programs boot, application and a calibration for this build; checksums included.
void programFlash(ControllerMemory& memory, const Model& model);
/// Only the calibration area, for a build other than the model's own.
void writeCalibration(ControllerMemory& memory, const Build& build, const Wishes& wishes);
/// The model's wishes for a build with other parts: same car, boost above its spring.
Wishes wishesFor(const Model& model, const Build& build);

}  // namespace brusk::benchcar
