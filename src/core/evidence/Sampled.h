// A recording's numbers by what they mean, in the units their roles have, on one clock: whoever recorded them, at which
// rate and in which unit. Each column is converted once, here and nowhere else.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/calibration/Calibration.h"
#include "core/recording/Recording.h"
#include "core/units/Units.h"

namespace brusk::evidence {

/// As long as the clock it is on; NaN where nothing had come yet, or a sample did not arrive.
using Column = std::span<const float>;

/// A column with its own clock.
struct Series {
    std::span<const double> time_s;
    Column value;
    explicit operator bool() const { return !value.empty(); }
};

/// How numbers recorded in `unit` become those of the role. A unit that nobody knows, or none, is taken for the role's
/// own; a trim in "factor", "ratio", "x", "1" or "-" is a factor around one. Nothing where the two measure different
/// quantities.
std::optional<units::Shown> intoRole(std::string_view unit, roles::Role role,
                                     double stoichiometric = units::kPetrolRatio);

/// What moves along an axis of a table: a measurement by its name, and the role by which others find it.
struct AxisInput {
    std::string name;
    std::optional<roles::Role> role;
    std::string unit;  ///< of the axis
};
/// The role is that of the measurement the axis names; where it names none, the axis' unit tells speed and pressure.
AxisInput axisInput(const definition::Definition& definition, const calibration::AxisValues& axis);

/// What moves along an axis at a moment of a recording, in the axis' unit; nothing where it was not recorded.
std::optional<double> valueAlong(const recording::Recording& recording, const AxisInput& axis, double time_s,
                                 double stoichiometric = units::kPetrolRatio);

/// Not to be copied: columns are handed out as views. May be asked by several threads.
class Sampled {
  public:
    /// `stoichiometric`: for lambda that was recorded as an air-fuel ratio.
    explicit Sampled(std::shared_ptr<const recording::Recording> recording,
                     double stoichiometric = units::kPetrolRatio);
    Sampled(const Sampled&) = delete;
    Sampled& operator=(const Sampled&) = delete;

    const recording::Recording& recording() const { return *recording_; }
    /// The clock: that of engine speed, else of the group with most rows.
    std::span<const double> time_s() const { return clock_ ? clock_->time_s.times() : std::span<const double>(); }
    size_t size() const { return time_s().size(); }

    /// On the clock, in the role's unit: the newest sample counts. NotFound names what was not recorded, Mismatch a
    /// unit that can't be turned into the role's.
    [[nodiscard]] Result<Column> column(roles::Role role) const;
    /// The same, empty where there is nothing to read.
    Column columnIfAny(roles::Role role) const;
    /// On the clock it was recorded with.
    [[nodiscard]] Result<Series> series(roles::Role role) const;
    /// On the clock, in the axis' own unit; empty where nothing that was recorded moves along it.
    Column along(const AxisInput& axis) const;
    /// How often a column was converted, by channel: once each, whoever asked for it how often.
    std::map<std::string, size_t> conversions() const;

  private:
    Column converted(const recording::Recording::Place& place, const units::Shown& shown, bool onClock) const;

    std::shared_ptr<const recording::Recording> recording_;
    const recording::Group* clock_ = nullptr;
    double stoichiometric_;
    mutable std::mutex mutex_;
    mutable std::map<std::string, std::vector<float>> made_;
    mutable std::map<std::string, size_t> conversions_;
};

}  // namespace brusk::evidence
