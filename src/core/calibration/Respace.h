// New breakpoints for an axis, with the surface or the numbers kept; a shared axis moves for every parameter on it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/calibration/Surface.h"

namespace brusk::calibration {

enum class Keep {
    Surface,  ///< the numbers are interpolated, so that the engine gets the same at the same place
    Numbers   ///< the numbers stay in their cells
};

struct Respacing {
    Edit edit;
    struct Follower {
        const definition::Parameter* parameter = nullptr;
        SurfaceError error;  ///< of the new surface (as stored) against the old one
        int clamped = 0;     ///< cells that were held at a limit
    };
    std::vector<Follower> followers;  ///< every parameter whose cells lie on this axis, the asked one first
    std::string shared;               ///< the AXIS_PTS, when the axis is one that parameters share
};

/// Every parameter with cells on a shared axis.
std::vector<const definition::Parameter*> usersOfAxis(const definition::Definition& definition,
                                                      const std::string& shared);

/// Prepares new breakpoints (physical, rising, as many as there are) of axis 0 (x) or 1 (y) of a parameter. An axis in
/// an AXIS_PTS is where the controller looks for the breakpoints of all its users, so all of them follow; it can't be
/// made one parameter's own from outside. Nothing is changed yet.
[[nodiscard]] Result<Respacing> respace(const Calibration& calibration, const definition::Parameter& parameter,
                                        size_t axis, const std::vector<double>& breakpoints, Keep keep,
                                        Outside outside);

/// Breakpoints spread evenly, or by the old spacing stretched, from `first` to `last`.
std::vector<double> stretched(const std::vector<double>& breakpoints, double first, double last);
std::vector<double> evenly(size_t count, double first, double last);

}  // namespace brusk::calibration
