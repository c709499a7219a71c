// Draws cars, days and faults, drives them, and counts what was found.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/ProveFindings.h"

#include <cmath>
#include <mutex>

#include "benchcar/cars/Factory.h"
#include "benchcar/cars/WrongPart.h"
#include "benchcar/plant/Noise.h"
#include "core/base/Text.h"
#include "core/job/Keeping.h"
#include "ctl/DrivenCar.h"
#include "ctl/OnAll.h"

namespace brusk::ctl {
namespace {

using evidence::Seriousness;
/// A fault that is in the bytes, and there from the beginning.
constexpr std::string_view kPart = "part:";
/// The Heron with its owner's parts on a base that was computed from its build sheet, and that nothing has corrected.
constexpr std::string_view kBase = "heron-base";

using KitPtr = std::shared_ptr<const job::Kit>;

/// One drive that shall be driven: all of it is drawn from the seed.
struct Plan {
    std::string model;
    uint64_t seed = 1;
    std::vector<std::string> routes;
    std::vector<std::string> faults;   ///< as FaultPlan takes them, without a time
    std::vector<double> from_s, to_s;  ///< of each
    double ethanol = 0;
    std::string text() const {
        std::string out = model + ", seed " + std::to_string(seed) + ", ";
        for (const auto& route : routes)
            out += (&route == &routes[0] ? "" : "+") + route;
        if (ethanol > 0) out += ", E10";
        for (size_t i = 0; i < faults.size(); ++i)
            if (from_s[i] > 0) out += ", from " + formatNumber(from_s[i], 0) + " s";
        return out;
    }
};

struct DrivenPlan {
    bench::Driven driven;
    calibration::Calibration inCar;
    double length_s = 0;
    bool untuned = false;
};

class Bench {
  public:
    Bench(const std::map<std::string, KitPtr>& kits, proposals::BuildSheet sheet)
        : kits_(kits), sheet_(std::move(sheet)) {}

    DrivenPlan drive(const Plan& plan) const {
        const bool base = plan.model == kBase;
        const char* const model = base ? "heron-fitted" : plan.model.c_str();
        auto build = bench::drawnBuild(model, plan.seed);
        build.fuel.ethanol = std::max(build.fuel.ethanol, plan.ethanol);
        benchcar::BenchCar car(build, plan.seed);
        const KitPtr& kit = kits_.at(plan.model.substr(0, 5));
        if (base) {
            // Its owner's parts, on what is computed for them from the build sheet.
            auto computed = proposals::planBase(bench::calibrationOf(*kit, car), sheet_);
            // The demo's sheet and profile are whole; a base that is not one would prove nothing.
            if (!computed || !computed->result.mendChecksums(kit->profile.checksums)) std::exit(1);
            for (const auto& segment : computed->result.image().segments())
                std::copy(segment.bytes.begin(), segment.bytes.end(),
                          car.memory().flash().begin() + (segment.start - benchcar::map::kFlash));
            car.powerCycle();
        } else if (plan.model.find("fitted") != std::string::npos) {
            // Its owner's parts, on bytes that are right for them.
            auto drawnAs = *benchcar::buildNamed(plan.model);
            benchcar::writeCalibration(car.memory(), drawnAs, benchcar::wishesFor(benchcar::modelOf(build), drawnAs));
            car.powerCycle();
        }
        benchcar::FaultPlan faults;
        for (size_t i = 0; i < plan.faults.size(); ++i) {
            if (plan.faults[i].rfind(kPart, 0) == 0) {
                const auto equals = plan.faults[i].find('=');
                const auto* part = benchcar::wrongPartNamed(plan.faults[i].substr(kPart.size(), equals - kPart.size()));
                benchcar::makeWrong(car.memory(), *part, std::stod(plan.faults[i].substr(equals + 1)));
                car.powerCycle();
                continue;
            }
            (void)faults.add(plan.faults[i] + "@" + formatNumber(plan.from_s[i], 1) +
                             (std::isinf(plan.to_s[i]) ? "-" : "-" + formatNumber(plan.to_s[i], 1)));
        }
        car.planFaults(faults);  // each was tried before anything was driven
        DrivenPlan out{bench::drive(car, {kit}, plan.routes), bench::calibrationOf(*kit, car)};
        out.untuned = base;
        out.length_s = out.driven.truth->duration_s();
        return out;
    }

  private:
    const std::map<std::string, KitPtr>& kits_;
    proposals::BuildSheet sheet_;  ///< of the Heron's owner
};

/// What a recording had said until a moment.
std::shared_ptr<const recording::Recording> until(const recording::Recording& whole, double time_s) {
    auto out = std::make_shared<recording::Recording>(whole);
    for (auto& group : out->groups) {
        const auto rows = static_cast<size_t>(std::upper_bound(group.time_s.begin(), group.time_s.end(), time_s) -
                                              group.time_s.begin());
        group.time_s = recording::Clock(group.time_s.column().firstRows(rows));
        for (auto& channel : group.channels)
            channel.values = channel.values.firstRows(rows);
    }
    return out;
}

evidence::Findings findingsIn(std::shared_ptr<const recording::Recording> recording,
                              const calibration::Calibration& inCar, bool untuned = false) {
    auto options = job::evidenceOptions(inCar);
    options.untuned = untuned;
    const evidence::Drives drives({std::move(recording)}, std::move(options));
    return evidence::findingsOf(drives, &inCar);
}

bool accepts(const FaultCase& of, std::string_view check) {
    return std::find(of.accepted.begin(), of.accepted.end(), check) != of.accepted.end();
}

bool foundFirst(const FaultCase& of, const evidence::Findings& findings) {
    // What is no more than a note comes after what is serious; that it is there is enough.
    if (of.asNote)
        return std::any_of(findings.found.begin(), findings.found.end(),
                           [&](const auto& one) { return accepts(of, one.check); });
    const auto first = std::find_if(findings.found.begin(), findings.found.end(),
                                    [](const auto& one) { return one.seriousness >= Seriousness::Warn; });
    return first != findings.found.end() && accepts(of, first->check);
}

std::string faultText(const FaultCase& of, double amount) {
    return of.amounts.size() == 1 && std::string_view(of.fault).find(':') != std::string_view::npos
               ? of.fault
               : std::string(of.fault) + "=" + formatNumber(amount, 4);
}

double lengthOf(const std::vector<std::string>& routes) {
    double out = 0;
    for (const auto& route : routes)
        out += benchcar::routeNamed(route)->seconds();
    return out;
}

double uniform(benchcar::Noise& noise, double least, double most) {
    return least + (most - least) * static_cast<double>(noise.next() >> 11) * 0x1p-53;
}

/// One car, day, onset and end for a fault.
Plan drawn(const FaultCase& of, double amount, uint64_t seed) {
    benchcar::Noise noise(seed * 7919 + std::hash<std::string_view>()(of.id) % 9973 +
                          static_cast<uint64_t>(std::abs(amount) * 1000));
    Plan out;
    out.model = of.models[noise.next() % of.models.size()];
    out.seed = 1 + noise.next() % 100000;
    out.routes = of.routes;
    out.ethanol = noise.next() % 2 == 0 ? 0.1 : 0;
    out.faults = {faultText(of, amount)};
    const double length_s = lengthOf(out.routes);
    const bool late = noise.next() % 3 == 0;
    const bool ends = noise.next() % 5 == 0;
    const bool needsBegin = std::string_view(of.fault).rfind(kPart, 0) == 0 ||
                            std::string_view(of.fault) == "wideband-cold" || of.routes[0] == "cold-start";
    const bool needsLate = std::string_view(of.fault) == "other-fuel" || std::string_view(of.fault) == "intake:stuck";
    out.from_s = {needsLate             ? uniform(noise, 100, 0.3 * length_s)
                  : needsBegin || !late ? 0
                                        : uniform(noise, 60, 0.3 * length_s)};
    if (std::string_view(of.fault) == "coolant:stuck") out.from_s = {uniform(noise, 5, 30)};
    out.to_s = {ends && !needsBegin ? uniform(noise, 0.9, 1) * length_s : INFINITY};
    return out;
}

void count(FindingsProof& proof, const evidence::Findings& findings, const std::vector<const FaultCase*>& there) {
    for (const auto& one : findings.found) {
        if (one.seriousness < Seriousness::Warn) continue;
        const bool right =
            std::any_of(there.begin(), there.end(), [&](const auto* of) { return accepts(*of, one.check); });
        for (Claims* claims : {&proof.byCheck[std::string(one.check)],
                               &proof.byTenth[std::min(9, static_cast<int>(one.certainty * 10 + 1e-9))]}) {
            ++claims->made;
            claims->right += right ? 1 : 0;
            claims->claimed += one.certainty;
        }
    }
}

/// Seconds of driving after the onset until it came first, to a tenth of the rest.
double timeToFind(const FaultCase& of, const DrivenPlan& drive, double onset_s, double end_s) {
    double low = 0, high = end_s - onset_s;
    while (high - low > std::max(15.0, 0.05 * high)) {
        const double middle = (low + high) / 2;
        (foundFirst(of, findingsIn(until(*drive.driven.recordings[0], onset_s + middle), drive.inCar)) ? high : low) =
            middle;
    }
    return high;
}

// What the healthy hours are made of: each is a day of its own.
const std::vector<std::vector<std::string>> kDays = {{"town", "hills", "town"},
                                                     {"motorway", "town"},
                                                     {"pulls-3", "pulls-4", "town"},
                                                     {"cold-start", "town", "motorway"},
                                                     {"cold-start-minus-10", "hills"},
                                                     {"idle", "idle-loads"},
                                                     {"mountain"},
                                                     {"tip-ins", "coast-downs", "hills"},
                                                     {"survey"},
                                                     {"refuelling"},
                                                     {"cold-start-5", "pulls-3"},
                                                     {"road-pulls-3", "road-pulls-4"},
                                                     {"neutral-revs", "duty-steps"},
                                                     {"cold-start-20", "target-steps"},
                                                     {"key-off-and-on", "town"}};
const std::string_view kModels[] = {"heron", "heron-fitted", "crane", kBase};

// Two at once: what hides the other, and what is confused with it.
const std::pair<const char*, const char*> kPairs[] = {{"wideband dead", "wheel dead"},
                                                      {"battery weak", "pump weak, left"},
                                                      {"wastegate stuck shut", "wideband stuck"},
                                                      {"poor fuel", "battery weak"},
                                                      {"pressure scaled", "meter dead"},
                                                      {"narrowband dead", "wideband slow"},
                                                      {"coolant dead", "intake dead"},
                                                      {"wastegate stuck open", "clutch slips above"},
                                                      {"leak before the wideband", "wheel dead"},
                                                      {"meter scaled", "wideband offset"}};

}  // namespace

size_t CaseProof::showed() const {
    size_t out = 0;
    for (const auto& size : sizes)
        for (const auto& drive : size.drives)
            out += drive.showed ? 1 : 0;
    return out;
}

size_t CaseProof::found() const {
    size_t out = 0;
    for (const auto& size : sizes)
        for (const auto& drive : size.drives)
            out += drive.showed && drive.found ? 1 : 0;
    return out;
}

Result<FindingsProof> proveFindings(const std::string& dataFolder, const ProveOrders& orders,
                                    const std::function<void(const std::string&)>& progress) {
    storage::RealFileSystem files;
    std::map<std::string, KitPtr> kits;
    for (const auto& [name, profile] : {std::pair("heron", "/heron/aldine-e2.profile.json"),
                                        std::pair("crane", "/crane/aldine-e2-v6.profile.json")}) {
        auto kit = job::loadKit(files, dataFolder + profile);
        if (!kit) return tl::unexpected(kit.error());
        kits[name] = *kit;
    }
    const auto text = files.read(dataFolder + "/heron/build-sheet.json");
    if (!text) return tl::unexpected(text.error());
    auto sheet = job::buildSheetFromJson(std::string(text->begin(), text->end()));
    if (!sheet) return tl::unexpected(sheet.error());
    const Bench bench(kits, std::move(*sheet));
    FindingsProof proof;
    std::mutex mutex;
    const auto named = [&](std::string_view id) {
        return orders.only.empty() || std::string(id).find(orders.only) != std::string::npos;
    };

    struct Job {
        size_t of, size;
        Plan plan;
    };
    std::vector<Job> jobs;
    for (const FaultCase& of : faultCases()) {
        if (!named(of.id)) continue;
        CaseProof& one = proof.cases.emplace_back();
        one.of = &of;
        for (const double amount : of.amounts) {
            if (const std::string fault = faultText(of, amount); fault.rfind(kPart, 0) != 0)
                if (auto known = benchcar::FaultPlan().add(fault); !known) return tl::unexpected(known.error());
            const size_t size = one.sizes.size();
            one.sizes.push_back({amount, {}});
            const int cars = orders.cars * (of.amounts.size() == 1 ? 2 : 1);
            for (int car = 0; car < cars; ++car)
                jobs.push_back(
                    {proof.cases.size() - 1, size, drawn(of, amount, orders.seed * 1000 + static_cast<uint64_t>(car))});
        }
    }
    for (const Job& job : jobs)
        proof.cases[job.of].sizes[job.size].drives.emplace_back();
    std::vector<size_t> place(jobs.size());
    for (size_t i = 0, last = 0; i < jobs.size(); ++i) {
        const bool same = i > 0 && jobs[i].of == jobs[i - 1].of && jobs[i].size == jobs[i - 1].size;
        last = same ? last + 1 : 0;
        place[i] = last;
    }
    onAll(jobs.size(), [&](size_t i) {
        const Job& job = jobs[i];
        CaseProof& proofOf = proof.cases[job.of];
        const FaultCase& of = *proofOf.of;
        const DrivenPlan drive = bench.drive(job.plan);
        const double from_s = job.plan.from_s[0], to_s = std::min(job.plan.to_s[0], drive.length_s);
        Judged judged;
        judged.what = job.plan.text();
        judged.showed = of.showed(Known(*drive.driven.truth, from_s, to_s), proofOf.sizes[job.size].amount);
        const auto findings = findingsIn(drive.driven.recordings[0], drive.inCar);
        judged.found = foundFirst(of, findings);
        for (const auto& one : findings.found)
            if (one.seriousness >= Seriousness::Warn) judged.serious.emplace_back(one.check);
        if (judged.showed && judged.found) judged.after_s = timeToFind(of, drive, from_s, to_s);
        const std::lock_guard lock(mutex);
        if (judged.showed) count(proof, findings, {&of});
        progress(std::string(of.id) + " " + formatNumber(proofOf.sizes[job.size].amount, 3) +
                 (judged.showed ? judged.found ? ": found" : ": MISSED" : ": did not show") + " (" + judged.what + ")");
        if (judged.showed && !judged.found)
            for (const auto& one : findings.found)
                progress("    " + std::string(one.check) + " " + formatNumber(one.certainty, 2) + ": " + one.seen);
        proofOf.sizes[job.size].drives[place[i]] = std::move(judged);
    });

    if (orders.pairs && orders.only.empty()) {
        const auto caseOf = [](std::string_view id) {
            return &*std::find_if(faultCases().begin(), faultCases().end(),
                                  [&](const FaultCase& one) { return one.id == id; });
        };
        proof.pairs.resize(std::size(kPairs));
        onAll(std::size(kPairs), [&](size_t i) {
            const FaultCase *a = caseOf(kPairs[i].first), *b = caseOf(kPairs[i].second);
            const auto middle = [](const FaultCase& of) { return of.amounts[of.amounts.size() / 2]; };
            Plan plan = drawn(*a, middle(*a), orders.seed + i);
            for (const auto& route : b->routes)
                if (std::find(plan.routes.begin(), plan.routes.end(), route) == plan.routes.end())
                    plan.routes.push_back(route);
            if (b->models.size() < a->models.size()) plan.model = b->models[i % b->models.size()];
            plan.faults.push_back(faultText(*b, middle(*b)));
            plan.from_s = {0, 0};
            plan.to_s = {INFINITY, INFINITY};
            const DrivenPlan drive = bench.drive(plan);
            const Known known(*drive.driven.truth, 0, drive.length_s);
            const auto findings = findingsIn(drive.driven.recordings[0], drive.inCar);
            PairProof& out = proof.pairs[i];
            out.what = std::string(a->id) + " and " + std::string(b->id);
            out.showed = a->showed(known, middle(*a)) && b->showed(known, middle(*b));
            for (const auto& one : findings.found)
                if (one.seriousness >= Seriousness::Warn)
                    out.first = out.first || accepts(*a, one.check), out.second = out.second || accepts(*b, one.check);
            const std::lock_guard lock(mutex);
            if (out.showed) count(proof, findings, {a, b});
        });
    }

    std::vector<Plan> healthy;
    for (double seconds = 0; seconds < orders.hours * 3600;) {
        const size_t n = healthy.size();
        Plan plan;
        plan.model = kModels[n % std::size(kModels)];
        plan.seed = orders.seed * 100000 + 1 + n;
        plan.routes = kDays[n / std::size(kModels) % kDays.size()];
        plan.ethanol = n % 2 == 0 ? 0.1 : 0;
        seconds += lengthOf(plan.routes);
        healthy.push_back(std::move(plan));
    }
    onAll(healthy.size(), [&](size_t i) {
        const DrivenPlan drive = bench.drive(healthy[i]);
        const auto findings = findingsIn(drive.driven.recordings[0], drive.inCar, drive.untuned);
        const std::lock_guard lock(mutex);
        proof.healthyHours += drive.length_s / 3600;
        proof.baseHours += drive.untuned ? drive.length_s / 3600 : 0;
        if (!drive.untuned) count(proof, findings, {});
        for (const auto& one : findings.found)
            if (one.seriousness >= Seriousness::Warn) {
                // A base nobody corrected is wrong, and says so: that is no false alarm.
                if (drive.untuned && saysBytes(one.check)) {
                    ++proof.ofBases[std::string(one.check)];
                    continue;
                }
                proof.falseAlarms.push_back(std::string(one.check) + " (" + healthy[i].text() + "): " + one.seen);
                progress("FALSE ALARM " + proof.falseAlarms.back());
            }
    });
    std::sort(proof.falseAlarms.begin(), proof.falseAlarms.end());
    return proof;
}

namespace {

std::string percent(size_t some, size_t of) {
    return of == 0 ? "-" : formatNumber(100.0 * static_cast<double>(some) / static_cast<double>(of), 0) + " %";
}

/// A row of a table.
std::string row(std::initializer_list<std::string> cells) {
    std::string out = "|";
    for (const std::string& cell : cells)
        out.append(" ").append(cell).append(" |");
    return out.append("\n");
}

std::string rule(size_t cells) {
    std::string out = "|";
    for (size_t i = 0; i < cells; ++i)
        out.append(" --- |");
    return out.append("\n");
}

/// Several, apart by commas or what is given.
void addTo(std::string& list, const std::string& one, const char* between = ", ") {
    if (!list.empty()) list.append(between);
    list.append(one);
}

std::string rowOf(const CaseProof& one) {
    std::string sizes, misses, smallest = "-";
    std::vector<double> times;
    // From the largest down, as long as all were found.
    bool all = true;
    for (auto size = one.sizes.rbegin(); size != one.sizes.rend(); ++size) {
        size_t showed = 0, found = 0;
        for (const auto& drive : size->drives) {
            if (!drive.showed) continue;
            ++showed, found += drive.found ? 1 : 0;
            if (drive.after_s) times.push_back(*drive.after_s);
            if (!drive.found) addTo(misses, drive.serious.empty() ? "nothing" : drive.serious[0], "; ");
        }
        all = all && found == showed;
        if (all && showed > 0 && one.sizes.size() > 1) smallest = formatNumber(size->amount, 3);
    }
    for (const auto& size : one.sizes) {
        const auto showed =
            std::count_if(size.drives.begin(), size.drives.end(), [](const Judged& d) { return d.showed; });
        const auto found =
            std::count_if(size.drives.begin(), size.drives.end(), [](const Judged& d) { return d.showed && d.found; });
        std::string text = one.sizes.size() > 1 ? formatNumber(size.amount, 3) : std::string();
        if (!text.empty()) text.append(": ");
        addTo(sizes, text.append(std::to_string(found)).append(" of ").append(std::to_string(showed)));
    }
    std::sort(times.begin(), times.end());
    std::string name(one.of->id);
    if (!one.of->unit.empty()) name.append(", ").append(one.of->unit);
    return row({name, std::string(one.of->rule), sizes, percent(one.found(), one.showed()), smallest,
                times.empty() ? "-" : formatNumber(times[times.size() / 2], 0) + " s", misses});
}

std::string pairsTable(const FindingsProof& proof) {
    std::string out = "\n## Two at once\n\n" + row({"pair", "found"}) + rule(2);
    for (const auto& pair : proof.pairs)
        out += row({pair.what, !pair.showed                ? "did not both show"
                               : pair.first && pair.second ? "both"
                               : pair.first                ? "the first"
                               : pair.second               ? "the second"
                                                           : "neither"});
    return out;
}

std::string certaintyTable(const FindingsProof& proof) {
    constexpr int kTen = 10;
    std::string out = "\n## How sure\n\n" + row({"said", "times", "right"}) + rule(3);
    for (const auto& [tenth, claims] : proof.byTenth) {
        std::string said = "0." + std::to_string(tenth);
        said.append(tenth + 1 == kTen ? " to 1" : " to below 0." + std::to_string(tenth + 1));
        out += row({said, std::to_string(claims.made), percent(claims.right, claims.made)});
    }
    out.append("\n").append(row({"check", "times", "said, mean", "right"})).append(rule(4));
    for (const auto& [check, claims] : proof.byCheck)
        out +=
            row({check, std::to_string(claims.made), formatNumber(claims.claimed / static_cast<double>(claims.made), 2),
                 percent(claims.right, claims.made)});
    return out;
}

}  // namespace

std::string tableOf(const FindingsProof& proof, const ProveOrders& orders) {
    std::string out = row({"fault", "showed when", "found first, of those that showed", "share",
                           "smallest always found", "time to find", "misses: what came first"}) +
                      rule(7);
    size_t kinds = 0, well = 0;
    for (const auto& one : proof.cases) {
        if (one.showed() > 0) ++kinds, well += one.found() * 10 >= one.showed() * 9 ? 1 : 0;
        out += rowOf(one);
    }
    out.append("\n").append(std::to_string(well)).append(" of ").append(std::to_string(kinds));
    out.append(" faults are found first in at least nine of ten drives in which they showed.\n");
    for (const auto& one : proof.cases)
        if (!one.of->cannot.empty())
            out.append("\nCan't be told apart: ").append(one.of->id).append(": ").append(one.of->cannot).append(".\n");
    if (!proof.pairs.empty()) out += pairsTable(proof);
    if (orders.hours > 0) {
        out.append("\n## Healthy hours\n\n").append(formatNumber(proof.healthyHours, 1)).append(" hours, ");
        out.append(std::to_string(proof.falseAlarms.size())).append(" false alarms. ");
        out.append(formatNumber(proof.baseHours, 1)).append(" of them on a base that nothing has corrected");
        std::string told;
        for (const auto& [check, times] : proof.ofBases)
            addTo(told, check + " " + std::to_string(times));
        out.append(told.empty() ? ".\n" : "; what it was said to lack, rightly: " + told + ".\n");
        for (const auto& one : proof.falseAlarms)
            out.append("\n- ").append(one);
        if (!proof.falseAlarms.empty()) out.append("\n");
    }
    return out + certaintyTable(proof);
}

}  // namespace brusk::ctl
