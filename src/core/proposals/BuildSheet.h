// The parts fitted to this car beside what it was sold with, and what its owner wants.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/calibration/Calibration.h"

namespace brusk::proposals {

/// A number on the build sheet. Units are those of its FactKind.
enum class Fact {
    Displacement,
    ManifoldVolume,
    RevLimit,  ///< what valves and pistons bear
    Octane,
    Ethanol,
    FuelPressure,
    InjectorFlow,
    InjectorPressure,  ///< at which the flow is rated
    MeterHousing,
    SensorLowVolts,
    SensorLowPressure,
    SensorHighVolts,
    SensorHighPressure,
    SensorSlope,   ///< the other way to tell a sensor
    SensorOffset,  ///< what it shows at no voltage
    ThrottleBore,
    CamOverlap,    ///< at 1 mm of lift
    CamDuration,   ///< of the intake valve, at 1 mm of lift
    TurboSpring,   ///< boost at which the wastegate opens by itself, over the weather
    BoostCeiling,  ///< greatest boost that is wanted, over the weather
    CompressorWheel,
    Intercooler,  ///< share of the possible cooling that is reached
    ExhaustBore,  ///< of the pipe behind the turbo or the manifold
    Thermostat,
    FanOn,  ///< coolant at which the fan is to start; else it follows the thermostat
    TyreCircumference,
    FinalDrive,
    VehicleMass,  ///< as it is driven: driver and fuel aboard
    DragArea,     ///< drag coefficient times frontal area
};
inline constexpr size_t kFacts = 29;

struct FactKind {
    Fact fact;
    std::string_view key;  ///< in files: "injector_flow"
    std::string_view group;
    std::string_view title;
    std::string_view unit;
    int decimals = 0;
    double least = 0, most = 0;  ///< what can be meant at all
    bool compared = true;        ///< the stock part's number counts too
    std::string_view refusal;    ///< why a number beyond that is refused
    bool isWish = false;         ///< what the owner wants, not what a part is
};
std::span<const FactKind> factKinds();
const FactKind& kindOf(Fact fact);
/// By its key in files; null for none.
const FactKind* kindNamed(std::string_view key);

/// Dead time of an injector at a battery voltage, from its maker's table.
struct DeadTimePoint {
    double volts = 14;
    double time_us = 0;
};

/// What an airflow meter shows at a flow, from its maker's table.
struct MeterPoint {
    double reading = 0;  ///< in the unit of the controller's own curve: Hz, V
    double flow_kgh = 0;
    bool operator==(const MeterPoint&) const = default;
};

enum class LoadModel { AsBuilt, SpeedDensity, AirflowMeter, Both };
enum class Wish { Power, Economy, Quiet };
/// What the fuel pressure is held against: the manifold, by a hose, or the weather.
enum class Regulator { AsBuilt, Referenced, Unreferenced };
/// Where a wideband sits. Before a turbine its reading follows the pressure there; behind a catalyst it comes late.
enum class WidebandPlace { NotTold, InThePipe, BeforeTheTurbine, BehindTheCatalyst };
inline constexpr std::string_view kLoadModels[] = {"as built", "speed-density", "airflow meter", "both"};
inline constexpr std::string_view kWishes[] = {"power", "economy", "quiet"};
inline constexpr std::string_view kRegulators[] = {"as built", "to the manifold", "to the weather"};
inline constexpr std::string_view kWidebandPlaces[] = {"not told", "in the pipe", "before the turbine",
                                                       "behind the catalyst"};

/// A number for each Fact, where there is one.
using PartNumbers = std::array<std::optional<double>, kFacts>;

/// What is not given proposes nothing.
struct BuildSheet {
    PartNumbers stock, fitted;
    std::vector<DeadTimePoint> deadTimes;  ///< of the fitted injectors, rising voltage
    std::vector<MeterPoint> meterCurve;    ///< of another airflow meter in its own housing, rising
    std::vector<double> gears;             ///< ratios of the gearbox from first on, falling
    LoadModel loadModel = LoadModel::AsBuilt;
    Wish wish = Wish::Power;
    Regulator regulator = Regulator::AsBuilt;
    WidebandPlace wideband = WidebandPlace::NotTold;
    std::string notes;  ///< exhaust, gearbox, what else a reader of the round should know

    std::optional<double>& of(Fact fact, bool isFitted = true) {
        return (isFitted ? fitted : stock)[static_cast<size_t>(fact)];
    }
    std::optional<double> of(Fact fact, bool isFitted = true) const {
        return (isFitted ? fitted : stock)[static_cast<size_t>(fact)];
    }
    bool operator==(const BuildSheet&) const;
};
/// The line of the fitted pressure sensor, told by two points or by slope and offset; nothing when neither is whole.
struct SensorLine {
    double slope_kPaV = 0, offset_kPa = 0;
    double at(double volts) const { return offset_kPa + slope_kPaV * volts; }
};
std::optional<SensorLine> lineByPoints(const BuildSheet& sheet);
std::optional<SensorLine> sensorLine(const BuildSheet& sheet);

inline bool operator==(const DeadTimePoint& a, const DeadTimePoint& b) {
    return a.volts == b.volts && a.time_us == b.time_us;
}

enum class SheetTable { DeadTimes, MeterCurve, Gears };

/// A number that can't be: which one, and a sentence to stand beside it.
struct Refusal {
    std::optional<Fact> fact;  ///< none: one of the tables
    bool isFitted = true;
    std::string why;
    SheetTable table = SheetTable::DeadTimes;
};
/// Everything on the sheet that can't be meant; with a calibration also what its controller could not store.
std::vector<Refusal> refusals(const BuildSheet& sheet, const calibration::Calibration* calibration = nullptr);

}  // namespace brusk::proposals
