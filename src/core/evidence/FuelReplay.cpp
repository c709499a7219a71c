// Every part of the fuel as a factor: with the new bytes over with those that were in the car.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/FuelReplay.h"

#include <algorithm>
#include <cmath>

#include "core/calibration/RoleUnits.h"
#include "core/evidence/Replay.h"

namespace brusk::evidence {
namespace {

constexpr double kKelvin = 273.15;

/// A table with the bytes before and after, in its own unit; only where it differs.
struct Twice {
    std::string title;
    TableReplay before, after;

    /// What moves along its axes in a drive; false where that was not recorded.
    struct Inputs {
        Column x, y;
        bool known = false;
    };
    Inputs inputsOf(const Sampled& drive) const {
        Inputs out{drive.along(before.input(0)), before.isMap() ? drive.along(before.input(1)) : Column()};
        out.known = !out.x.empty() && (!before.isMap() || !out.y.empty());
        return out;
    }
    double at(const TableReplay& table, const Inputs& in, size_t row) const {
        return table.at(static_cast<double>(in.x[row]), in.y.empty() ? 0 : static_cast<double>(in.y[row]));
    }
    double ratio(const Inputs& in, size_t row) const { return at(after, in, row) / at(before, in, row); }
};

std::optional<Twice> twice(const calibration::Calibration& inCar, const calibration::Calibration& with,
                           roles::Role role) {
    const auto* parameter = inCar.definition().parameterWithRole(role);
    if (!parameter) return std::nullopt;
    auto before = inCar.read(*parameter), after = with.read(*parameter);
    if (!before || !after || before->values.empty()) return std::nullopt;
    if (before->values == after->values && before->x.values == after->x.values && before->y.values == after->y.values)
        return std::nullopt;
    return Twice{std::string(role.title()), TableReplay(inCar.definition(), std::move(*before)),
                 TableReplay(inCar.definition(), std::move(*after))};
}

/// One number after over before; one where nobody plays the role.
double numberRatio(const calibration::Calibration& inCar, const calibration::Calibration& with, roles::Role role) {
    const auto before = calibration::readRole(inCar, role), after = calibration::readRole(with, role);
    if (!before || !after || before->values.size() != 1 || after->values.size() != 1 || before->values[0] == 0)
        return 1;
    return after->values[0] / before->values[0];
}

/// What a bank gets beside the loop, in per cent; of the first bank, whose pulse and trims are told.
double bankTrim(const calibration::Calibration& calibration) {
    const auto trims = calibration::readRole(calibration, "bank_trim");
    return trims && !trims->values.empty() ? trims->values[0] : 0;
}

class Replayed {
  public:
    Replayed(const calibration::Calibration& inCar, const calibration::Calibration& with)
        : filling_(twice(inCar, with, "ve_map")),
          altitude_(twice(inCar, with, "filling_altitude")),
          blend_(twice(inCar, with, "charge_blend")),
          meter_(twice(inCar, with, "meter_curve")),
          pulsesBefore_(pulseModel(inCar)),
          pulsesAfter_(pulseModel(with)),
          volume_(numberRatio(inCar, with, "displacement")),
          fuel_(numberRatio(inCar, with, "injector_flow") * numberRatio(inCar, with, "fuel_density") *
                numberRatio(inCar, with, "stoichiometric_ratio") * (1 + bankTrim(inCar) / 100) /
                (1 + bankTrim(with) / 100)) {
        if (blend_) percent_ = blend_->before.table().unit == "%" ? 0.01 : 1;
        deadTime_ =
            pulsesBefore_ && pulsesAfter_ &&
            (pulsesBefore_->dead_us != pulsesAfter_->dead_us || pulsesBefore_->battery_V != pulsesAfter_->battery_V);
    }

    /// Air by speed-density, after over before; one factor a sample of the mixture.
    std::vector<double> density(const MixtureSamples& samples, const Sampled& drive,
                                std::vector<std::string>& without) const {
        std::vector<double> out(samples.size(), volume_);
        for (const auto* part : {&filling_, &altitude_}) {
            if (!*part) continue;
            const auto in = (*part)->inputsOf(drive);
            if (!in.known) say(**part, without);
            if (in.known)
                for (size_t k = 0; k < out.size(); ++k)
                    out[k] *= (*part)->ratio(in, samples.row[k]);
        }
        if (!blend_) return out;
        const auto in = blend_->inputsOf(drive);
        const Column coolant = drive.columnIfAny("coolant"), intake = drive.columnIfAny("intake_temperature");
        if (!in.known || coolant.empty() || intake.empty()) {
            say(*blend_, without);
            return out;
        }
        for (size_t k = 0; k < out.size(); ++k) {
            const size_t i = samples.row[k];
            const double cold = static_cast<double>(intake[i]), hot = static_cast<double>(coolant[i]);
            const auto charge = [&](const TableReplay& table) {
                return kKelvin + cold + (hot - cold) * percent_ * blend_->at(table, in, i);
            };
            out[k] *= charge(blend_->before) / charge(blend_->after);
        }
        return out;
    }

    std::vector<double> meter(const MixtureSamples& samples, const Sampled& drive,
                              std::vector<std::string>& without) const {
        std::vector<double> out(samples.size(), 1.0);
        if (!meter_) return out;
        const auto in = meter_->inputsOf(drive);
        if (!in.known) say(*meter_, without);
        if (in.known)
            for (size_t k = 0; k < out.size(); ++k)
                out[k] = meter_->ratio(in, samples.row[k]);
        return out;
    }

    /// What the recorded pulse is taken for, after over before.
    std::vector<double> fuel(const MixtureSamples& samples, const Sampled& drive,
                             std::vector<std::string>& without) const {
        std::vector<double> out(samples.size(), fuel_);
        if (!deadTime_) return out;
        const Column pulse = drive.columnIfAny("injector_pulse"), battery = drive.columnIfAny("battery");
        if (pulse.empty() || battery.empty()) {
            without.push_back(
                "Injector dead time can't be replayed: injector pulse or battery voltage was not recorded.");
            return out;
        }
        for (size_t k = 0; k < out.size(); ++k) {
            const auto volts = static_cast<double>(battery[samples.row[k]]);
            const auto open = static_cast<double>(pulse[samples.row[k]]);
            const double before = open - pulsesBefore_->dead(volts), after = open - pulsesAfter_->dead(volts);
            if (before > 0 && after > 0) out[k] *= after / before;
        }
        return out;
    }

  private:
    static void say(const Twice& part, std::vector<std::string>& without) {
        without.push_back(part.title + " can't be replayed: what moves along its axes was not recorded.");
    }

    std::optional<Twice> filling_, altitude_, blend_, meter_;
    double percent_ = 0.01;
    std::optional<PulseModel> pulsesBefore_, pulsesAfter_;
    bool deadTime_ = false;
    double volume_, fuel_;
};

/// The meter's share in the air that was used: by what the two said where both were recorded and differ, else by the
/// model that was believed.
std::vector<double> meterShare(const MixtureSamples& samples, const Sampled& drive) {
    std::vector<double> out(samples.size());
    const Column source = drive.columnIfAny("air_source");
    for (size_t k = 0; k < out.size(); ++k) {
        // r of each model, and r of the air in use: shares add up in the air, which is over r.
        const double used = 1 / static_cast<double>(samples.ratio[k]),
                     density = 1 / static_cast<double>(samples.density[k]),
                     metered = 1 / static_cast<double>(samples.metered[k]);
        constexpr double kApart = 0.002;
        if (std::abs(metered / density - 1) > kApart)
            out[k] = std::clamp((used - density) / (metered - density), 0.0, 1.0);
        else if (!source.empty())
            out[k] = source[samples.row[k]] == 1 ? 1 : 0;
        else
            out[k] = std::isnan(density) && !std::isnan(metered) ? 1 : 0;
    }
    return out;
}

void multiply(std::vector<float>& values, size_t k, double by) {
    values[k] = static_cast<float>(static_cast<double>(values[k]) * by);
}

}  // namespace

std::shared_ptr<const Drives> replayFuel(const Drives& drives, const calibration::Calibration& inCar,
                                         const calibration::Calibration& with) {
    const auto& recorded = drives.mixture();
    if (!recorded) return std::make_shared<const Drives>(drives);
    Mixture out = *recorded;
    const Replayed replayed(inCar, with);
    std::vector<std::string> without;
    for (size_t d = 0; d < out.drives.size(); ++d) {
        MixtureSamples& samples = out.drives[d];
        const auto density = replayed.density(samples, drives[d], without),
                   meter = replayed.meter(samples, drives[d], without);
        const auto fuel = replayed.fuel(samples, drives[d], without), share = meterShare(samples, drives[d]);
        for (size_t k = 0; k < samples.size(); ++k) {
            // The air in use is made of both, by shares of what they said.
            const double ofDensity =
                (1 - share[k]) * static_cast<double>(samples.ratio[k]) / static_cast<double>(samples.density[k]);
            const double ofMeter =
                share[k] * static_cast<double>(samples.ratio[k]) / static_cast<double>(samples.metered[k]);
            const double air = (share[k] < 1 && std::isfinite(ofDensity) ? ofDensity * density[k] : 0) +
                               (share[k] > 0 && std::isfinite(ofMeter) ? ofMeter * meter[k] : 0);
            if (density[k] != 1 || meter[k] != 1 || fuel[k] != 1) {
                multiply(samples.ratio, k, fuel[k] / (air > 0 ? air : 1));
                multiply(samples.density, k, fuel[k] / density[k]);
                multiply(samples.metered, k, fuel[k] / meter[k]);
            }
        }
    }
    std::sort(without.begin(), without.end());
    without.erase(std::unique(without.begin(), without.end()), without.end());
    out.without.insert(out.without.end(), without.begin(), without.end());
    return drives.with(std::move(out));
}

}  // namespace brusk::evidence
