// Where one air model hands over to the other both must say the same: the step that is left there, and the meter's
// curve brought to it where no mixture has told.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/calibration/RoleUnits.h"
#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals::correct {

Result<Correction> changeover(const CorrectionInput& in) {
    constexpr double kAround_rpm = 400;
    Correction out;
    out.kind = &in.kind;
    const auto on = calibration::readRole(in.calibration, "changeover_on");
    const auto off = calibration::readRole(in.calibration, "changeover_off");
    if (!on) return tl::unexpected(on.error());
    if (!off) return tl::unexpected(off.error());
    const double from_rpm = std::min(on->values[0], off->values[0]) - kAround_rpm,
                 to_rpm = std::max(on->values[0], off->values[0]) + kAround_rpm;
    const auto& mixture = in.drives.mixture();
    if (!mixture) return tl::unexpected(mixture.error());
    // By density, by meter: whether both were in use at all.
    size_t used[2] = {};
    const auto* parameter = in.calibration.definition().parameterWithRole("meter_curve");
    auto table = in.calibration.read(*parameter);
    if (!table) return tl::unexpected(table.error());
    evidence::MapSamples samples(in.calibration.definition(), *table);
    for (size_t d = 0; d < in.drives.size(); ++d) {
        const evidence::Column speed = in.drives[d].columnIfAny("engine_speed");
        const evidence::Column source = in.drives[d].columnIfAny("air_source");
        const evidence::Column signal = in.drives[d].along(samples.axes.x);
        const evidence::MixtureSamples& told = mixture->drives[d];
        if (speed.empty() || source.empty() || signal.empty()) continue;
        for (size_t k = 0; k < told.size(); ++k) {
            const size_t i = told.row[k];
            ++used[source[i] == 0 ? 0 : 1];
            const auto rpm = static_cast<double>(speed[i]);
            const float step = told.metered[k] / told.density[k];
            if (!(rpm > from_rpm && rpm < to_rpm) || !std::isfinite(step)) continue;
            samples.x.push_back(signal[i]), samples.y.push_back(0), samples.value.push_back(step);
            samples.airChange_s.push_back(told.airChange_s[k]);
            samples.row.push_back(static_cast<uint32_t>(i)), samples.drive.push_back(static_cast<uint16_t>(d));
            samples.time_s.push_back(in.drives[d].time_s()[i]);
        }
    }
    if (used[0] == 0 || used[1] == 0) {
        out.standing = Standing::Right;
        out.line = "one model is in use throughout";
        return out;
    }
    constexpr size_t kFewest = 100;
    if (samples.size() < kFewest) {
        out.line =
            say("correct.changeover-waits", "for settled driving around {0} rpm", {formatNumber(on->values[0], 0)});
        return out;
    }
    Caution caution;
    caution.alike = 0;  // of one model against the other: of a drive both are off alike
    caution.strength = in.setting("strength") / 100, caution.largestStep = in.setting("largest-step") / 100;
    auto made = correctTable(in.calibration, std::move(*table), samples, {}, caution, "Changeover from evidence");
    if (!made) return tl::unexpected(made.error());
    out = ofTable(in, std::move(*made), "step = ln(air by speed-density / air by the meter) around the changeover");
    const double step = out.tables[0].now.rms * 100;
    if (out.standing == Standing::Right)
        out.line = say("correct.changeover-right", "the models agree to {0} %", {formatNumber(step, 1)});
    if (out.standing == Standing::Worth)
        out.line = say("correct.changeover", "a step of {0} % where one hands over", {formatNumber(step, 1)});
    return out;
}

}  // namespace brusk::proposals::correct
