// Looks up at recorded inputs, and tries scales and other channels where that does not agree.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/Replay.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/Text.h"
#include "core/calibration/Surface.h"

namespace brusk::evidence {

namespace {

/// A table and the channel that tells what the controller read from it.
struct Pair {
    roles::Role table, channel;
    bool free = false;                   ///< times a factor of the weather that nobody records
    std::optional<roles::Role> weather;  ///< times this over 101.3
};
constexpr Pair kPairs[] = {{"ve_map", "ve_now", true, {}},
                           {"spark_map", "spark_base_part", false, {}},
                           {"spark_coolant", "spark_coolant_part", false, {}},
                           {"injector_dead_time", "dead_time_now", false, {}},
                           {"expected_pressure", "expected_pressure_now", false, roles::Role("barometric_pressure")}};

constexpr double kBook_kPa = 101.3;
constexpr double kEnough = 0.95;  // of the samples: what agrees so often is right
constexpr double kAgain = 0.10;   // more of them: an explanation
constexpr size_t kLeast = 200, kMost = 6000;

/// The samples of all drives at which a table may be judged: both axes, what was recorded, and the step before.
struct Judged {
    std::vector<double> x, y, recorded, before;  ///< in the table's unit; before: the recorded value a sample earlier
    std::vector<size_t> drive;                   ///< at which of the drives
    std::vector<size_t> row;
    std::vector<int> weather_kPa;  ///< whole; nil where it was not recorded
};

std::optional<units::Shown> shownIn(std::string_view from, std::string_view to) {
    if (from == to || from.empty() || to.empty()) return units::Shown{std::string(to)};
    return units::conversion(from, to);
}

Judged judged(const TableReplay& replay, const Pair& pair, const Drives& drives) {
    Judged out;
    const auto shown = shownIn(pair.channel.unit(), replay.table().unit);
    if (!shown) return out;
    for (size_t d = 0; d < drives.size(); ++d) {
        const Sampled& drive = drives[d];
        const Column x = drive.along(replay.input(0)), y = replay.isMap() ? drive.along(replay.input(1)) : Column();
        const Column recorded = drive.columnIfAny(pair.channel);
        const Column weather = pair.weather ? drive.columnIfAny(*pair.weather) : Column();
        const Column baro = drive.columnIfAny("barometric_pressure");
        const Column speed = drive.columnIfAny("engine_speed"), cut = drive.columnIfAny("fuel_cut");
        if (x.empty() || recorded.empty() || (replay.isMap() && y.empty()) || (pair.weather && weather.empty()))
            continue;
        const size_t stride = std::max<size_t>(1, drive.size() * drives.size() / kMost);
        for (size_t i = 1; i < drive.size(); i += stride) {
            if (!speed.empty() && !(speed[i] > 500)) continue;
            if (!cut.empty() && cut[i] != 0) continue;
            const double factor = pair.weather ? kBook_kPa / static_cast<double>(weather[i]) : 1;
            const auto value = [&](size_t k) { return (*shown)(static_cast<double>(recorded[k])) * factor; };
            const double down = replay.isMap() ? static_cast<double>(y[i]) : 0;
            if (!std::isfinite(value(i)) || !std::isfinite(static_cast<double>(x[i])) || !std::isfinite(down)) continue;
            out.x.push_back(static_cast<double>(x[i])), out.y.push_back(down);
            out.recorded.push_back(value(i)), out.before.push_back(value(i - 1));
            out.drive.push_back(d), out.row.push_back(i);
            out.weather_kPa.push_back(baro.empty() || !std::isfinite(baro[i]) ? 0
                                                                              : static_cast<int>(std::floor(baro[i])));
        }
    }
    return out;
}

/// The share of samples at which the table says what was recorded.
double fits(const TableReplay& replay, const Pair& pair, const Judged& judged, const std::vector<double>& x,
            const std::vector<double>& y) {
    std::vector<double> said(x.size());
    for (size_t i = 0; i < x.size(); ++i)
        said[i] = replay.at(x[i], y[i]);
    // The median of recorded over said, one for each weather.
    std::map<int, double> factors;
    if (pair.free) {
        std::map<int, std::vector<double>> ratios;
        for (size_t i = 0; i < x.size(); ++i)
            if (std::isfinite(said[i]) && std::abs(said[i]) > 1e-9)
                ratios[judged.weather_kPa[i]].push_back(judged.recorded[i] / said[i]);
        for (auto& [weather, all] : ratios) {
            std::nth_element(all.begin(), all.begin() + static_cast<long>(all.size() / 2), all.end());
            factors[weather] = all[all.size() / 2];
        }
    }
    size_t right = 0, counted = 0;
    for (size_t i = 0; i < x.size(); ++i) {
        if (!std::isfinite(said[i])) continue;
        ++counted;
        // Inputs and value are not of one moment: what the value moves in a sample is allowed for.
        const double allowed = replay.tolerance(x[i], y[i]) + std::abs(judged.recorded[i] - judged.before[i]) +
                               (pair.free      ? 0.0005 * std::abs(judged.recorded[i])
                                : pair.weather ? 0.002 * std::abs(judged.recorded[i])
                                               : 0);
        const double factor = pair.free ? factors[judged.weather_kPa[i]] : 1;
        right += std::abs(judged.recorded[i] - factor * said[i]) <= allowed;
    }
    return counted ? static_cast<double>(right) / static_cast<double>(counted) : 0;
}

std::vector<double> times(const std::vector<double>& values, double factor) {
    std::vector<double> out = values;
    for (double& v : out)
        v *= factor;
    return out;
}

/// The factor on what moves along an axis under which the table fits best.
void tryScales(const TableReplay& replay, const Pair& pair, const Judged& samples, size_t axis, AxisMismatch& best) {
    const auto with = [&](double factor) {
        return axis == 0 ? fits(replay, pair, samples, times(samples.x, factor), samples.y)
                         : fits(replay, pair, samples, samples.x, times(samples.y, factor));
    };
    double at = 1, most = 0;
    for (double factor = 0.7; factor < 1.43; factor *= 1.01)
        if (const double share = with(factor); share > most) most = share, at = factor;
    // In the middle of those that fit about as well.
    std::vector<std::pair<double, double>> near;
    for (double factor = at * 0.97; factor < at * 1.0301; factor += at * 0.002) {
        near.emplace_back(with(factor), factor);
        most = std::max(most, near.back().first);
    }
    double sum = 0, n = 0;
    for (const auto& [share, factor] : near)
        if (share >= most - 0.005) sum += factor, n += 1;
    if (n > 0) at = sum / n;
    if (most <= best.fitsThen + 0.01) return;
    best.kind = AxisMismatch::Kind::Scaled;
    best.axis = axis, best.factor = at, best.fitsThen = most;
}

/// Another recorded channel of the axis' quantity under which the table fits.
void tryChannels(const TableReplay& replay, const Pair& pair, const Judged& samples, const Drives& drives, size_t axis,
                 AxisMismatch& best) {
    const AxisInput& input = replay.input(axis);
    for (const auto& group : drives.recording(0).groups)
        for (const auto& channel : group.channels) {
            if (channel.name == input.name || channel.role == pair.channel.id()) continue;
            if (!shownIn(channel.unit, input.unit)) continue;
            const bool one = channel.unit.empty() != input.unit.empty();
            if (one) continue;
            const AxisInput other{channel.name, std::nullopt, input.unit};
            std::vector<double> moved(samples.x.size());
            std::vector<Column> columns;
            for (size_t d = 0; d < drives.size(); ++d)
                columns.push_back(drives[d].along(other));
            for (size_t i = 0; i < moved.size(); ++i) {
                const Column& column = columns[samples.drive[i]];
                moved[i] = column.empty() ? std::nan("") : static_cast<double>(column[samples.row[i]]);
            }
            const double share = axis == 0 ? fits(replay, pair, samples, moved, samples.y)
                                           : fits(replay, pair, samples, samples.x, moved);
            if (share <= best.fitsThen + 0.01) continue;
            best.kind = AxisMismatch::Kind::OtherChannel;
            best.axis = axis, best.instead = channel.name, best.fitsThen = share;
        }
}

}  // namespace

TableReplay::TableReplay(const definition::Definition& definition, calibration::Table table)
    : table_(std::move(table)), x_(axisInput(definition, table_.x)), y_(axisInput(definition, table_.y)) {}

double TableReplay::at(double x, double y) const {
    if (std::isnan(x) || std::isnan(y)) return std::nan("");
    return calibration::surfaceAt(table_, x, y, calibration::Outside::Clamp);
}

double TableReplay::tolerance(double x, double y) const {
    constexpr double kWhole = 128;  // parts between two breakpoints that the coarsest controllers count
    const auto px = calibration::positionOn(table_.x.values, x, calibration::Outside::Clamp);
    const auto py =
        isMap() ? calibration::positionOn(table_.y.values, y, calibration::Outside::Clamp) : calibration::Position{};
    double low = table_.at(py.below, px.below), high = low;
    for (size_t r = py.below; r <= std::min(py.below + 1, table_.rows - 1); ++r)
        for (size_t c = px.below; c <= std::min(px.below + 1, table_.columns - 1); ++c)
            low = std::min(low, table_.at(r, c)), high = std::max(high, table_.at(r, c));
    // What an axis counts in is as coarse for the controller.
    const auto counts = [](const calibration::AxisValues& axis) {
        const size_t last = axis.values.size() - 1;
        const bool stored = axis.raw.size() == axis.values.size() && axis.raw[last] != axis.raw[0];
        return stored ? std::abs((axis.values[last] - axis.values[0]) / (axis.raw[last] - axis.raw[0])) : 0.0;
    };
    double coarse = std::abs(at(x + counts(table_.x), y) - at(x - counts(table_.x), y)) / 2;
    if (isMap()) coarse += std::abs(at(x, y + counts(table_.y)) - at(x, y - counts(table_.y))) / 2;
    return std::abs(table_.step) + (high - low) / kWhole + coarse;
}

std::vector<float> TableReplay::values(const Sampled& drive) const {
    const Column x = drive.along(x_), y = isMap() ? drive.along(y_) : Column();
    if (x.empty() || (isMap() && y.empty())) return {};
    std::vector<float> out(drive.size());
    for (size_t i = 0; i < out.size(); ++i)
        out[i] = static_cast<float>(at(static_cast<double>(x[i]), isMap() ? static_cast<double>(y[i]) : 0));
    return out;
}

std::string AxisMismatch::sentence() const {
    std::string begin = title + ": at the recorded inputs its cells do not say what was recorded as " +
                        std::string(recorded.title()) + " (" + formatNumber(fits * 100, 0) +
                        " % of the samples agree). ";
    switch (kind) {
        case Kind::Scaled:
            return begin + "They would if " + channel + " read " + formatNumber(std::abs(factor - 1) * 100, 1) + " % " +
                   (factor > 1 ? "more" : "less") + ": its scaling, or that of the axis, is off.";
        case Kind::OtherChannel:
            return begin + "They would if " + instead + " moved along the axis that is said to follow " + channel + ".";
        case Kind::Unexplained:
            return begin + "Check its axes, its scaling, and which bytes were in the car.";
    }
    return begin;
}

std::string AxisCheck::sentence() const {
    const size_t agree = looked.size() - found.size();
    std::string out = std::to_string(agree) + " of " + std::to_string(looked.size()) +
                      (looked.size() == 1 ? " table says" : " tables say") + " what was recorded.";
    if (lacked.empty()) return out;
    out += " Not looked at, for it was not recorded: ";
    for (const roles::Role& role : lacked)
        out += (&role == &lacked.front() ? "" : ", ") + std::string(role.title());
    return out + ".";
}

AxisCheck checkAxes(const calibration::Calibration& inCar, const Drives& drives) {
    AxisCheck out;
    if (drives.empty()) return out;
    for (const Pair& pair : kPairs) {
        const auto* parameter = inCar.definition().parameterWithRole(pair.table);
        if (!parameter) continue;
        auto table = inCar.read(*parameter);
        if (!table || table->x.values.size() < 2) continue;
        const TableReplay replay(inCar.definition(), std::move(*table));
        const Judged samples = judged(replay, pair, drives);
        if (samples.x.size() < kLeast) {
            if (!drives[0].recording().findRole(pair.channel)) out.lacked.push_back(pair.channel);
            continue;
        }
        out.looked.push_back(parameter->name);
        AxisMismatch one{parameter->name, parameter->title(), pair.channel, {}, {}, {}, 1, {}, 0, 0, samples.x.size()};
        one.kind = AxisMismatch::Kind::Unexplained;
        one.fits = one.fitsThen = fits(replay, pair, samples, samples.x, samples.y);
        if (one.fits >= kEnough) continue;
        AxisMismatch best = one;
        for (size_t axis = 0; axis < (replay.isMap() ? 2u : 1u); ++axis) {
            tryScales(replay, pair, samples, axis, best);
            tryChannels(replay, pair, samples, drives, axis, best);
        }
        if (best.fitsThen < one.fits + kAgain && best.fitsThen < kEnough) best = one;
        if (best.axis) best.channel = replay.input(*best.axis).name;
        out.found.push_back(std::move(best));
    }
    return out;
}

}  // namespace brusk::evidence
