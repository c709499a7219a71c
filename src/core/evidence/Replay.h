// What the controller would have computed from recorded inputs with given bytes. Now: one table, looked up as the
// controller does it. With the bytes that were in the car it must give what was recorded; where it does not, a channel
// does not move along the axis it is said to, or a scaling is wrong.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Calibration.h"
#include "core/evidence/Drives.h"

namespace brusk::evidence {

/// A table looked up at every sample of a drive.
class TableReplay {
  public:
    /// The table must be of this definition's.
    TableReplay(const definition::Definition& definition, calibration::Table table);

    /// Between the cells by their distances, held at the ends, in the table's unit.
    double at(double x, double y) const;
    /// How far its answer may lie off by counting in whole numbers: a count of the table and a share of what lies
    /// between the four cells.
    double tolerance(double x, double y) const;
    /// On the drive's clock, in the table's unit; empty where what moves along an axis was not recorded.
    std::vector<float> values(const Sampled& drive) const;

    const calibration::Table& table() const { return table_; }
    const AxisInput& input(size_t axis) const { return axis == 0 ? x_ : y_; }
    bool isMap() const { return table_.y.values.size() > 1; }

  private:
    calibration::Table table_;
    AxisInput x_, y_;
};

/// A map whose recorded value is not what its cells say at the recorded inputs, and what would explain it.
struct AxisMismatch {
    enum class Kind {
        Scaled,        ///< the channel along an axis reads too much or too little
        OtherChannel,  ///< another channel moves along that axis
        Unexplained
    };
    std::string parameter, title;
    roles::Role recorded;  ///< whose recorded value was compared
    Kind kind = Kind::Unexplained;
    std::optional<size_t> axis;  ///< 0 or 1
    std::string channel;         ///< what is said to move along it
    double factor = 1;           ///< of Scaled: what the channel's numbers must be multiplied by
    std::string instead;         ///< of OtherChannel
    double fits = 0;             ///< share of the samples that agree as it stands
    double fitsThen = 0;         ///< and if it were as explained
    size_t samples = 0;
    std::string sentence() const;
};

struct AxisCheck {
    std::vector<AxisMismatch> found;
    std::vector<std::string> looked;  ///< parameters
    std::vector<roles::Role> lacked;  ///< recorded values that nobody recorded
    /// How many tables agree with what was recorded, and what could not be looked at for want of which channel.
    std::string sentence() const;
};

/// Looks up the maps whose value is recorded too, with the bytes that were in the car.
AxisCheck checkAxes(const calibration::Calibration& inCar, const Drives& drives);

}  // namespace brusk::evidence
