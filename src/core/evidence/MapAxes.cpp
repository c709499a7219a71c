// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/MapAxes.h"

#include "core/units/Units.h"

namespace brusk::evidence {

namespace {

units::Quantity quantityOf(const calibration::AxisValues& axis) {
    const auto* unit = units::findUnit(axis.unit);
    return unit ? unit->quantity : units::Quantity::None;
}

std::vector<double> pointsIn(const calibration::AxisValues& axis, std::string_view unit) {
    const auto shown = units::conversion(axis.unit, unit);
    std::vector<double> out = axis.values;
    for (double& point : out)
        if (shown) point = (*shown)(point);
    return out;
}

}  // namespace

MapAxes::MapAxes(const calibration::Table& table)
    : pressureAcross_(quantityOf(table.x) == units::Quantity::Pressure ||
                      quantityOf(table.y) == units::Quantity::EngineSpeed),
      across_(pointsIn(table.x, pressureAcross_ ? "kPa" : "rpm")),
      down_(pointsIn(table.y, pressureAcross_ ? "rpm" : "kPa")) {}

double MapAxes::speed_rpm(size_t row, size_t column) const {
    return pressureAcross_ ? down_.points()[row] : across_.points()[column];
}

double MapAxes::pressure_kPa(size_t row, size_t column) const {
    return pressureAcross_ ? across_.points()[column] : down_.points()[row];
}

}  // namespace brusk::evidence
