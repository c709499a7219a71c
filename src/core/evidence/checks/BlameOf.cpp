// The joint fit for the checks: over all, or over the part in which one thing was broken.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/evidence/checks/Looks.h"
#include "core/evidence/checks/Shared.h"

namespace brusk::evidence::checks {

namespace {

using Points = std::span<const MixturePoint>;

/// The chance of what is likeliest broken, but for flow and fuel, which may well change on the way.
double surest(const MixtureBlame& blame) {
    double out = 0;
    for (const auto& part : blame.parts)
        if (part.suspect->id != Suspect::Id::Flow && part.suspect->id != Suspect::Id::Stoichiometry)
            out = std::max(out, part.chance);
    return out;
}

constexpr size_t kFewest = 12;  // of a part

/// The number of points before which, and since which, one answer each explains far better than one for all; nil where
/// none does.
size_t cutOf(Points points, const MixtureFacts& facts, double misfit) {
    constexpr size_t kParts = 20, kClosely = 8;
    constexpr double kBad = 12, kBetter = 8;
    if (points.size() < 2 * kFewest || misfit < kBad) return 0;
    double least = misfit - kBetter;
    size_t out = 0;
    const auto look = [&](size_t from, size_t to, size_t step) {
        for (size_t at = from; at < to; at += step) {
            const double left = whoIsToBlame(mixtureCells(points.first(at)), facts).misfit +
                                whoIsToBlame(mixtureCells(points.subspan(at)), facts).misfit;
            if (left < least) least = left, out = at;
        }
    };
    // Coarsely over all, then closely about the best.
    const size_t step = std::max<size_t>(1, points.size() / kParts), close = std::max<size_t>(1, step / kClosely);
    look(step, points.size(), step);
    if (out > 0) look(std::max(out, step) - step + close, std::min(out + step, points.size()), close);
    return out;
}

/// From the first to the last point of each drive.
std::vector<Stretch> stretchesOf(Points points) {
    std::vector<Stretch> out;
    for (const MixturePoint& point : points) {
        if (out.empty() || out.back().drive != point.drive)
            out.push_back({point.drive, point.from_s, point.from_s + 1});  // no row is shorter
        out.back().to_s = std::max(out.back().to_s, point.from_s + 1);
    }
    return out;
}

/// The fit of all points, or that of the part which says more; `change`, where it is asked for, is what the first cut
/// parts.
MixtureBlame blameIn(Points points, const MixtureFacts& facts, int cuts,
                     std::optional<MixtureChange>* change = nullptr) {
    MixtureBlame best = whoIsToBlame(mixtureCells(points), facts);
    const size_t cut = cuts == 0 ? 0 : cutOf(points, facts, best.misfit);
    if (cut == 0) return best;
    if (change)
        *change =
            MixtureChange{points[cut].drive, points[cut].from_s, whoIsToBlame(mixtureCells(points.first(cut)), facts),
                          whoIsToBlame(mixtureCells(points.subspan(cut)), facts)};
    for (const Points part : {points.first(cut), points.subspan(cut)}) {
        if (part.size() < kFewest) continue;
        MixtureBlame one = blameIn(part, facts, cuts - 1);
        if (one.where.empty()) one.where = stretchesOf(part);
        if (surest(one) > surest(best)) best = std::move(one);
    }
    return best;
}

const MixtureAnswer& answerOf(const Looked& at) {
    constexpr int kComesAndGoes = 2;
    return once(at.shared.mixture, [&] {
        MixtureFacts facts;
        facts.untuned = at.drives.untuned();
        MixtureAnswer out;
        out.blame = blameIn(mixturePoints(at.drives, at.events, at.steady), facts, kComesAndGoes, &out.change);
        return out;
    });
}

}  // namespace

const MixtureBlame& blameOf(const Looked& at) {
    return answerOf(at).blame;
}

std::vector<Stretch> whereBlamed(const Looked& at) {
    const MixtureBlame& blame = blameOf(at);
    return blame.where.empty() ? wholeDrives(at) : blame.where;
}

const std::optional<MixtureChange>& changeIn(const Looked& at) {
    return answerOf(at).change;
}

}  // namespace brusk::evidence::checks
