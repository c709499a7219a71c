// Charge temperature and altitude: what the air outside changes, told apart from the map by cells that were driven in
// different weather, and put into their own parameters. They come before the map, so that weather does not end in it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/proposals/correct/Kinds.h"

namespace brusk::proposals::correct {
namespace {

using Matrix = Eigen::MatrixXd;
using Vector = Eigen::VectorXd;
using Index = Eigen::Index;

constexpr double kKelvin = 273.15, kReference_kPa = 100;

/// Some seconds in one cell of the map: means.
struct Bin {
    size_t drive = 0, cell = 0;
    double x = 0, y = 0;  ///< on the map's axes
    double ln = 0;        ///< of r of speed-density
    double flow = 0;      ///< on the blend's axis
    double outside = 0;   ///< on the altitude curve's axis
    double cold_C = 0, hot_C = 0, outside_kPa = 0;
    double n = 0;
    double from_s = 0, to_s = 0;
};

/// A curve that may be off at its own nodes.
struct Curve {
    const definition::Parameter* parameter = nullptr;
    calibration::Table table;
    evidence::MapAxes axes;
    size_t size() const { return table.values.size(); }
};

Result<Curve> curveOf(const calibration::Calibration& calibration, roles::Role role) {
    const auto* parameter = calibration.definition().parameterWithRole(role);
    if (!parameter)
        return fail(ErrorCode::NotFound,
                    "The definition has no curve with the role \"" + std::string(role.id()) + "\".");
    auto table = calibration.read(*parameter);
    if (!table) return tl::unexpected(table.error());
    evidence::MapAxes axes(calibration.definition(), *table);
    return Curve{parameter, std::move(*table), std::move(axes)};
}

std::vector<Bin> binsOf(const CorrectionInput& in, const evidence::MapAxes& map, const Curve* blend,
                        const Curve* altitude) {
    constexpr double kLongest_s = 5, kCrept_kPa = 2;
    std::vector<Bin> out;
    const auto& mixture = *in.drives.mixture();
    for (size_t d = 0; d < in.drives.size(); ++d) {
        const evidence::Sampled& drive = in.drives[d];
        const evidence::MixtureSamples& told = mixture.drives[d];
        const evidence::Column x = drive.along(map.x), y = drive.along(map.y);
        const evidence::Column flow = blend ? drive.along(blend->axes.x) : evidence::Column(),
                               weather = altitude ? drive.along(altitude->axes.x) : evidence::Column();
        const evidence::Column coolant = drive.columnIfAny("coolant"), intake = drive.columnIfAny("intake_temperature"),
                               outside = drive.columnIfAny("barometric_pressure");
        if (x.empty() || y.empty()) continue;
        size_t cell = SIZE_MAX;
        double first_kPa = std::nan("");
        for (size_t k = 0; k < told.size(); ++k) {
            const size_t i = told.row[k];
            const auto at = [&](evidence::Column column) {
                return column.empty() ? std::nan("") : static_cast<double>(column[i]);
            };
            const double ln = std::log(static_cast<double>(told.density[k]));
            if (!std::isfinite(ln)) continue;
            // Where a compressor blows, a controller that takes the manifold for the weather reads ever more.
            if (std::isnan(first_kPa)) first_kPa = at(outside);
            if (at(outside) > first_kPa + kCrept_kPa) continue;
            const double t = drive.time_s()[i];
            const size_t here = size_t{map.down.nearest(at(y))} * map.columns() + map.across.nearest(at(x));
            if (here != cell || out.back().drive != d || t - out.back().from_s > kLongest_s) {
                out.push_back({.drive = d, .cell = here, .from_s = t});
                cell = here;
            }
            Bin& bin = out.back();
            bin.x += at(x), bin.y += at(y), bin.ln += ln, bin.flow += at(flow), bin.cold_C += at(intake),
                bin.hot_C += at(coolant), bin.outside_kPa += at(outside), bin.outside += at(weather), ++bin.n,
                bin.to_s = t;
        }
    }
    for (Bin& bin : out)
        for (double* sum :
             {&bin.x, &bin.y, &bin.ln, &bin.flow, &bin.cold_C, &bin.hot_C, &bin.outside_kPa, &bin.outside})
            *sum /= bin.n;
    return out;
}

/// What both curves are off by, with doubts, after the map's own error and each drive's level are integrated out.
struct WeatherFit {
    std::vector<double> blend;     ///< share of the coolant, absolute
    std::vector<double> altitude;  ///< ln of the factor
    size_t thinnest = 0;           ///< first node of altitude's that was driven at
    double now = 0, then = 0;      ///< RMS of what each adds to ln r, and what the doubt leaves of it
    double nowAltitude = 0, thenAltitude = 0;
    double coldest_C = INFINITY, warmest_C = -INFINITY, lowest_kPa = INFINITY, highest_kPa = -INFINITY;
};

Result<WeatherFit> weatherFit(const CorrectionInput& in, const Curve* blend, const Curve* altitude) {
    constexpr double kCell = 0.08, kBlend = 0.25, kAltitude = 0.15, kDrive = 0.005, kBin = 0.006, kSample = 0.03;
    constexpr double kBlendStep = 0.15;      // from node to node
    constexpr double kAltitudeBend = 0.015;  // of what thin air does, over ten kPa
    constexpr double kBySea = 0.97, kRight = 0.003;
    const auto* parameter = in.calibration.definition().parameterWithRole("ve_map");
    auto table = in.calibration.read(*parameter);
    if (!table) return tl::unexpected(table.error());
    if (const auto& mixture = in.drives.mixture(); !mixture) return tl::unexpected(mixture.error());
    const evidence::MapAxes map(in.calibration.definition(), *table);
    const std::vector<Bin> bins = binsOf(in, map, blend, altitude);
    WeatherFit out;
    const auto cells = static_cast<Index>(map.rows() * map.columns());
    const auto blends = static_cast<Index>(blend ? blend->size() : 0);
    const auto alts = static_cast<Index>(altitude ? altitude->size() : 0);
    const auto drives = static_cast<Index>(in.drives.size());
    const Index size = cells + blends + alts + drives;
    Matrix normal = Matrix::Zero(size, size);
    Vector right = Vector::Zero(size);
    double percent = 1;
    if (blend && blend->table.unit == "%") percent = 0.01;
    double reference = kReference_kPa;
    if (altitude)
        if (const auto shown = units::conversion("kPa", altitude->axes.x.unit)) reference = (*shown)(kReference_kPa);
    double lowest = INFINITY;
    std::vector<std::vector<std::pair<Index, double>>> rows;
    rows.reserve(bins.size());
    const auto onCurve = [](const evidence::AxisLookup& axis, double at, Index first, double by, auto& row) {
        const auto place = axis.locate(at);
        const auto share = static_cast<double>(place.fraction);
        row.emplace_back(first + place.index, by * (1 - share));
        if (axis.size() > 1) row.emplace_back(first + place.index + 1, by * share);
    };
    for (const Bin& bin : bins) {
        auto& row = rows.emplace_back();
        const auto x = map.across.locate(bin.x), y = map.down.locate(bin.y);
        const auto u = static_cast<double>(x.fraction), v = static_cast<double>(y.fraction);
        const auto columns = static_cast<Index>(map.columns());
        const Index node = static_cast<Index>(y.index) * columns + static_cast<Index>(x.index);
        const Index nextColumn = map.columns() > 1 ? 1 : 0, nextRow = map.rows() > 1 ? columns : 0;
        row.emplace_back(node, (1 - u) * (1 - v)), row.emplace_back(node + nextColumn, u * (1 - v));
        row.emplace_back(node + nextRow, (1 - u) * v), row.emplace_back(node + nextColumn + nextRow, u * v);
        // A warmer charge is less air: ln r falls by (hot - cold) / T for each unit of the share that lacks.
        if (blend && std::isfinite(bin.hot_C) && std::isfinite(bin.cold_C) && std::isfinite(bin.flow)) {
            const double share =
                percent * bilinear(blend->table.values, blend->size(), 1, blend->axes.across.locate(bin.flow), {});
            const double charge_K = kKelvin + bin.cold_C + share * (bin.hot_C - bin.cold_C);
            onCurve(blend->axes.across, bin.flow, cells, -(bin.hot_C - bin.cold_C) / charge_K, row);
            out.coldest_C = std::min(out.coldest_C, bin.cold_C), out.warmest_C = std::max(out.warmest_C, bin.cold_C);
        }
        if (altitude && std::isfinite(bin.outside)) {
            // The map itself is that of the reference: there the curve is right.
            onCurve(altitude->axes.across, bin.outside, cells + blends, 1, row);
            onCurve(altitude->axes.across, reference, cells + blends, -1, row);
            lowest = std::min(lowest, bin.outside);
            out.lowest_kPa = std::min(out.lowest_kPa, bin.outside_kPa),
            out.highest_kPa = std::max(out.highest_kPa, bin.outside_kPa);
        }
        row.emplace_back(cells + blends + alts + static_cast<Index>(bin.drive), 1.0);
        const double weight = 1 / (kBin * kBin + kSample * kSample / bin.n);
        for (const auto& a : row) {
            right(a.first) += weight * a.second * bin.ln;
            for (const auto& b : row)
                normal(a.first, b.first) += weight * a.second * b.second;
        }
    }
    const auto hold = [&](Index first, Index count, double sd) {
        for (Index i = first; i < first + count; ++i)
            normal(i, i) += 1 / (sd * sd);
    };
    hold(0, cells, kCell), hold(cells, blends, kBlend), hold(cells + blends + alts, drives, kDrive);
    // By the sea the curve is right, whatever the map says.
    for (Index i = 0; i < alts; ++i) {
        const bool bySea = altitude->table.x.values[static_cast<size_t>(i)] >= kBySea * reference;
        hold(cells + blends + i, 1, bySea ? kRight : kAltitude);
    }
    const auto tie = [&](std::initializer_list<std::pair<Index, double>> together, double sd) {
        for (const auto& a : together)
            for (const auto& b : together)
                normal(a.first, b.first) += a.second * b.second / (sd * sd);
    };
    for (Index i = cells; i + 1 < cells + blends; ++i)
        tie({{i, -1}, {i + 1, 1}}, kBlendStep);
    // The thinner the air the more it does: from the sea on a line, which bends a little.
    for (Index i = 1; i + 1 < alts; ++i) {
        const auto& at = altitude->table.x.values;
        const auto k = static_cast<size_t>(i);
        if (at[k] >= kBySea * reference) break;
        const double before = reference / (at[k] - at[k - 1]) / 10, after = reference / (at[k + 1] - at[k]) / 10;
        const Index node = cells + blends + i;
        tie({{node - 1, before}, {node, -before - after}, {node + 1, after}}, kAltitudeBend);
    }
    const Eigen::LDLT<Matrix> solved(normal);
    const Vector answer = solved.solve(right);
    const Index asked = blends + alts;
    Matrix unit = Matrix::Zero(size, asked);
    unit.block(cells, 0, asked, asked).setIdentity();
    const Matrix covariance = solved.solve(unit).middleRows(cells, asked);
    for (Index i = 0; i < blends; ++i)
        out.blend.push_back(answer(cells + i));
    for (Index i = 0; i < alts; ++i)
        out.altitude.push_back(answer(cells + blends + i));
    if (std::isfinite(lowest)) out.thinnest = altitude->axes.across.locate(lowest).index;
    // What both come to in the bins beyond what the map's own cell takes of it, and how far that is known.
    std::map<size_t, std::pair<Vector, double>> means;
    std::vector<Vector> parts;
    parts.reserve(bins.size());
    for (size_t k = 0; k < bins.size(); ++k) {
        Vector& part = parts.emplace_back(Vector::Zero(asked));
        for (const auto& [i, share] : rows[k])
            if (i >= cells && i < cells + asked) part(i - cells) += share;
        auto& [sum, n] = means.try_emplace(bins[k].cell, Vector::Zero(asked), 0).first->second;
        sum += bins[k].n * part, n += bins[k].n;
    }
    const auto comesTo = [&](Index first, Index count, double& now, double& then) {
        for (size_t k = 0; k < bins.size(); ++k) {
            const auto& [sum, n] = means.at(bins[k].cell);
            const Vector part = (parts[k] - sum / n).segment(first, count);
            const double comes = part.dot(answer.segment(cells + first, count));
            now += comes * comes, then += part.dot(covariance.block(first, first, count, count) * part);
        }
        const auto n = static_cast<double>(std::max<size_t>(1, bins.size()));
        now = std::sqrt(now / n), then = std::sqrt(std::max(0.0, then) / n);
    };
    comesTo(0, blends, out.now, out.then), comesTo(blends, alts, out.nowAltitude, out.thenAltitude);
    return out;
}

/// The correction of one curve by what each node is off; `made` says what a node becomes; `apart`: whether what was
/// driven lies far enough apart to tell it.
template <class Made>
Result<Correction> ofCurve(const CorrectionInput& in, const Curve& curve, const std::vector<double>& off, double now,
                           double then, bool apart, Made made, const std::string& title) {
    constexpr double kKnown = 0.01;
    Correction out;
    out.kind = &in.kind;
    const double strength = in.setting("strength") / 100, most = in.setting("largest-step") / 100;
    std::vector<double> wanted = curve.table.values;
    for (size_t i = 0; i < wanted.size(); ++i) {
        const double step = std::clamp(made(wanted[i], strength * off[i]) - wanted[i], -most * std::abs(wanted[i]),
                                       most * std::abs(wanted[i]));
        wanted[i] += wanted[i] != 0 ? step : made(0, strength * off[i]);
    }
    calibration::Edit edit;
    auto change = setTable(in.calibration, *curve.parameter, wanted, edit, title);
    if (!change) return tl::unexpected(change.error());
    if (change->changes()) out.values.push_back(std::move(*change)), out.edits.push_back(std::move(edit));
    out.promise = in.promise(now * 100, std::hypot((1 - strength) * now, then) * 100, then * 100, kFolded * then * 100);
    const bool shows = now > 2.33 * then;
    judge(out, apart && shows, then < kKnown && (apart || !shows));
    return out;
}

}  // namespace

Result<Correction> chargeTemperature(const CorrectionInput& in) {
    const auto blend = curveOf(in.calibration, "charge_blend");
    if (!blend) return tl::unexpected(blend.error());
    const auto altitude = curveOf(in.calibration, "filling_altitude");
    const auto fit = weatherFit(in, &*blend, altitude ? &*altitude : nullptr);
    if (!fit) return tl::unexpected(fit.error());
    const double unit = blend->table.unit == "%" ? 100 : 1;
    // Air that grows a little colder on the way up a hill tells of the hill.
    constexpr double kApart_K = 15;
    auto out = ofCurve(
        in, *blend, fit->blend, fit->now, fit->then, fit->warmest_C - fit->coldest_C >= kApart_K,
        [&](double old, double off) { return std::max(0.0, old + off * unit); }, "Charge temperature from evidence");
    if (!out) return out;
    const std::string range = formatNumber(fit->coldest_C, 0) + " to " + formatNumber(fit->warmest_C, 0) + " \u00b0C";
    out->formula =
        "T charge = T intake + s (T coolant - T intake); ln r = -ds (T coolant - T intake) / T charge, cells "
        "of the map and levels of the drives integrated out";
    out->reason = say("correct.charge",
                      "Intake air of {0} was driven in. Cells that were driven in both tell that the blend puts the "
                      "mixture off by {1} %, \u00b1 {2}.",
                      {range, formatNumber(fit->now * 100, 2), formatNumber(fit->then * 100, 2)});
    out->line = out->standing == Standing::Worth ? say("correct.charge-line", "mixture off by {0} % over {1}",
                                                       {formatNumber(fit->now * 100, 1), range})
                : out->standing == Standing::Right
                    ? say("correct.charge-right", "right to {0} % over {1}", {formatNumber(fit->then * 100, 1), range})
                    : say("correct.charge-waits", "for drives in other weather: {0} so far", {range});
    return out;
}

Result<Correction> altitude(const CorrectionInput& in) {
    const auto curve = curveOf(in.calibration, "filling_altitude");
    if (!curve) return tl::unexpected(curve.error());
    const auto blend = curveOf(in.calibration, "charge_blend");
    const auto fit = weatherFit(in, blend ? &*blend : nullptr, &*curve);
    if (!fit) return tl::unexpected(fit.error());
    constexpr double kApart_kPa = 5;
    // Where nobody was so high the line goes on, but never to less fuel than where somebody was.
    std::vector<double> asked = fit->altitude;
    for (size_t i = fit->thinnest; i-- > 0;)
        asked[i] = std::max(asked[i], std::min(0.0, asked[i + 1]));
    auto out = ofCurve(
        in, *curve, asked, fit->nowAltitude, fit->thenAltitude, fit->highest_kPa - fit->lowest_kPa >= kApart_kPa,
        [](double old, double off) { return old * std::exp(off); }, "Altitude from evidence");
    if (!out) return out;
    const std::string range = formatNumber(fit->lowest_kPa, 0) + " to " + formatNumber(fit->highest_kPa, 0) + " kPa";
    out->formula =
        "factor new = factor old \u00d7 exp(h); h along the air pressure outside, nil at 100 kPa, cells of the "
        "map and levels of the drives integrated out";
    out->reason = say("correct.altitude",
                      "Air of {0} outside was driven in. Cells that were driven in both tell that altitude puts the "
                      "mixture off by {1} %, \u00b1 {2}.",
                      {range, formatNumber(fit->nowAltitude * 100, 2), formatNumber(fit->thenAltitude * 100, 2)});
    out->line = out->standing == Standing::Worth ? say("correct.altitude-line", "mixture off by {0} % over {1}",
                                                       {formatNumber(fit->nowAltitude * 100, 1), range})
                : out->standing == Standing::Right
                    ? say("correct.altitude-right", "right to {0} % over {1}",
                          {formatNumber(fit->thenAltitude * 100, 1), range})
                    : say("correct.altitude-waits", "for drives at another height: {0} so far", {range});
    return out;
}

}  // namespace brusk::proposals::correct
