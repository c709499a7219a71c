// What was proved of corrections, as tables.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/evidence/Median.h"
#include "ctl/ProveCorrect.h"

namespace brusk::ctl {
namespace {

using Cells = std::vector<std::string>;

std::string row(const Cells& cells) {
    std::string out = "|";
    for (const std::string& cell : cells)
        out.append(" ").append(cell).append(" |");
    return out + "\n";
}

/// A head, and whether the columns after the first `texts` hold numbers.
std::string head(const Cells& titles, size_t texts) {
    Cells rule;
    rule.reserve(titles.size());
    for (size_t i = 0; i < titles.size(); ++i)
        rule.emplace_back(i < texts ? "---" : "---:");
    return row(titles) + row(rule);
}

std::string number(double v, int digits = 2) {
    return std::isfinite(v) ? formatNumber(v, digits) : std::string("-");
}

std::string median(std::vector<double> all, int digits = 2) {
    return all.empty() ? std::string("-") : number(evidence::medianOf(std::move(all)), digits);
}

double most(const std::vector<double>& all) {
    return all.empty() ? std::nan("") : *std::max_element(all.begin(), all.end());
}

/// Of every run what `value` says, where it says something.
template <class Value>
std::vector<double> ofAll(const std::vector<CorrectRun>& runs, Value value) {
    std::vector<double> out;
    out.reserve(runs.size());
    for (const CorrectRun& one : runs)
        if (const std::optional<double> v = value(one)) out.push_back(*v);
    return out;
}

std::string corrected(const CorrectProof& proof, size_t rounds) {
    Cells titles = {"kind", "wrong", "figure, by the plant", "target", "cars", "at first"};
    for (size_t i = 1; i <= rounds; ++i)
        titles.push_back(std::to_string(i));
    titles.insert(titles.end(), {"met", "rounds", "nearest cell", "lean, s"});
    std::string out = head(titles, 3);
    for (const CorrectCase& one : proof.cases) {
        size_t met = 0, arrived = 0;
        double needed = 0, lean = 0;
        for (const CorrectRun& each : one.runs) {
            met += !each.figure.empty() && each.figure.back() <= one.target ? 1 : 0;
            if (each.rounds >= 0) needed += each.rounds, ++arrived;
            lean += each.leanest;
        }
        Cells line = {one.kind, one.title, one.what + ", " + one.unit, number(one.target, 1),
                      std::to_string(one.runs.size())};
        for (size_t round = 0; round <= rounds; ++round)
            line.push_back(median(ofAll(one.runs, [&](const CorrectRun& each) {
                return round < each.figure.size() ? std::optional(each.figure[round]) : std::nullopt;
            })));
        line.insert(line.end(), {std::to_string(met), arrived ? number(needed / static_cast<double>(arrived), 1) : "-",
                                 median(ofAll(one.runs,
                                              [](const CorrectRun& each) {
                                                  return each.nearest.empty() ? std::nullopt
                                                                              : std::optional(each.nearest.back());
                                              })),
                                 number(lean, 1)});
        out += row(line);
    }
    return out;
}

/// Medians, and the worst of all.
std::vector<std::string> harmCells(const std::vector<CorrectHarm>& harms, bool cells) {
    const auto of = [&](auto value) {
        std::vector<double> out;
        out.reserve(harms.size());
        for (const CorrectHarm& one : harms)
            out.push_back(value(one));
        return out;
    };
    return {median(of([](const CorrectHarm& h) { return h.before; })),
            median(of([](const CorrectHarm& h) { return h.after; })),
            number(most(of([](const CorrectHarm& h) { return std::max(0.0, h.after - h.before); }))),
            cells ? number(most(of([](const CorrectHarm& h) { return h.cell; }))) : std::string("-")};
}

std::string harms(const CorrectProof& proof) {
    std::string out =
        head({"kind", "not made wrong", "figure, median", "corrected", "worse by, at most", "a cell, at most"}, 2);
    for (const CorrectCase& one : proof.cases) {
        std::vector<CorrectHarm> all;
        for (const CorrectRun& each : one.runs)
            if (each.harm) all.push_back(*each.harm);
        Cells line = {one.kind, one.title};
        for (const std::string& cell : harmCells(all, one.cells))
            line.push_back(cell);
        out += row(line);
    }
    return out;
}

std::string mountains(const std::vector<HarmRun>& runs) {
    std::string out =
        head({"figure, %", "right, median", "after a mountain", "worse by, at most", "a cell, at most"}, 1);
    for (const auto& [part, title] :
         {std::pair(&HarmRun::density, "mixture by speed-density off"),
          std::pair(&HarmRun::metered, "mixture by the meter off"), std::pair(&HarmRun::used, "mixture in use off")}) {
        std::vector<CorrectHarm> all;
        all.reserve(runs.size());
        for (const HarmRun& one : runs)
            all.push_back(one.*part);
        Cells line = {title};
        for (const std::string& cell : harmCells(all, true))
            line.push_back(cell);
        out += row(line);
    }
    return out;
}

/// RMS of misses over doubts, a car's together; how well that itself is known by leaving out each car once.
class Score {
  public:
    void add(std::span<const double> car) {
        Car mine;
        for (const double z : car)
            mine.squares += z * z, ++mine.n, within_ += std::abs(z) <= 2 ? 1 : 0;
        if (mine.n > 0) cars_.push_back(mine), all_.squares += mine.squares, all_.n += mine.n;
    }
    Cells cells() const {
        if (cars_.empty()) return {"-", "-", "-"};
        const auto count = static_cast<double>(cars_.size());
        double sum = 0, squares = 0;
        for (const Car& one : cars_) {
            if (all_.n == one.n) continue;
            const double without = std::sqrt((all_.squares - one.squares) / (all_.n - one.n));
            sum += without / count, squares += without * without / count;
        }
        const double doubt = std::sqrt(std::max(0.0, (count - 1) * (squares - sum * sum)));
        return {number(all_.n, 0), number(std::sqrt(all_.squares / all_.n)) + " \u00b1 " + number(doubt),
                number(100 * static_cast<double>(within_) / all_.n, 0)};
    }

  private:
    struct Car {
        double squares = 0, n = 0;
    };
    std::vector<Car> cars_;
    Car all_;
    size_t within_ = 0;
};

std::string doubts(const CorrectProof& proof) {
    std::string out = head({"kind", "wrong", "said against the plant", "miss / doubt, rms", "within 2, %",
                            "promises against what came", "miss / doubt, rms", "within 2, %"},
                           2);
    for (const CorrectCase& one : proof.cases) {
        Score plant, promises;
        for (const CorrectRun& each : one.runs)
            plant.add(each.misses), promises.add(each.kept);
        Cells line = {one.kind, one.title};
        for (const Score& score : {plant, promises})
            for (const std::string& cell : score.cells())
                line.push_back(cell);
        out += row(line);
    }
    return out;
}

std::string firstPulls(const std::vector<FirstPullRun>& runs) {
    std::string out =
        head({"what was learned", "cars", "expected, rms", "came, rms", "missed, median", "at most", "within 1 %"}, 1);
    for (const bool cleared : {false, true}) {
        std::vector<double> missed;
        double expects = 0, comes = 0;
        size_t within = 0;
        for (const FirstPullRun& one : runs) {
            const double expected = cleared ? one.expectedCleared : one.expectedLeft,
                         came = cleared ? one.cameCleared : one.cameLeft;
            missed.push_back(std::abs(came - expected));
            expects += expected * expected, comes += came * came, within += missed.back() <= 1 ? 1 : 0;
        }
        const auto n = static_cast<double>(runs.size());
        out += row({cleared ? "cleared" : "left as it was", std::to_string(runs.size()), number(std::sqrt(expects / n)),
                    number(std::sqrt(comes / n)), median(missed), number(most(missed)), std::to_string(within)});
    }
    return out;
}

std::string togethers(const std::vector<TogetherRun>& runs) {
    std::string out = head({"stage", "cars", "dead time off, us", "flow off, %", "by the meter off, %",
                            "by speed-density off, %", "in use off, %", "something can't be told apart"},
                           1);
    for (size_t stage = 0; stage < runs[0].stages.size(); ++stage) {
        const auto of = [&](double TogetherStage::*part) {
            std::vector<double> all;
            all.reserve(runs.size());
            for (const TogetherRun& one : runs)
                all.push_back(std::abs(one.stages[stage].*part));
            return median(all) + " (" + number(most(all)) + ")";
        };
        size_t notApart = 0;
        for (const TogetherRun& one : runs)
            notApart += one.stages[stage].notApart.empty() ? 0 : 1;
        out += row({runs[0].stages[stage].what, std::to_string(runs.size()), of(&TogetherStage::dead_us),
                    of(&TogetherStage::flow), of(&TogetherStage::meter), of(&TogetherStage::air),
                    of(&TogetherStage::used), std::to_string(notApart)});
    }
    return out;
}

}  // namespace

std::string FirstPullRun::text() const {
    return "first pull " + car + ": trim " + number(trim, 1) + " %, left " + number(expectedLeft) + " came " +
           number(cameLeft) + ", cleared " + number(expectedCleared) + " came " + number(cameCleared);
}

std::string HarmRun::text() const {
    std::string out = "harm " + car + ":";
    for (const auto& [harm, title] :
         {std::pair(&density, "density"), std::pair(&metered, "meter"), std::pair(&used, "in use")})
        out.append(" ")
            .append(title)
            .append(" ")
            .append(number(harm->before))
            .append(" -> ")
            .append(number(harm->after))
            .append(" (cell ")
            .append(number(harm->cell))
            .append(")");
    for (const std::string& one : made)
        out.append(" [").append(one).append("]");
    return out;
}

std::string TogetherRun::text() const {
    std::string out = "together " + car + ":";
    for (const TogetherStage& one : stages) {
        out.append("\n  ").append(one.what).append(": dead ").append(number(one.dead_us, 1)).append(" us, flow ");
        out.append(number(one.flow)).append(" %, meter ").append(number(one.meter)).append(" %, air ");
        out.append(number(one.air)).append(" %, in use ").append(number(one.used)).append(" % [").append(one.said);
        out.append("]");
        for (const std::string& sentence : one.notApart)
            out.append(" ").append(sentence);
    }
    return out;
}

std::string tableOf(const CorrectProof& proof) {
    size_t rounds = 0;
    for (const CorrectCase& one : proof.cases)
        for (const CorrectRun& each : one.runs)
            rounds = std::max(rounds, each.figure.empty() ? 0 : each.figure.size() - 1);
    std::string out;
    if (!proof.cases.empty()) out += corrected(proof, rounds) + "\n" + harms(proof) + "\n" + doubts(proof);
    if (!proof.firstPulls.empty()) out += "\n" + firstPulls(proof.firstPulls);
    if (!proof.harms.empty()) out += "\n" + mountains(proof.harms);
    if (!proof.together.empty()) out += "\n" + togethers(proof.together);
    return out;
}

}  // namespace brusk::ctl
