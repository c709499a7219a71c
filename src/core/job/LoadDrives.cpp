// Reads a round's recordings and leaves out, with a sentence, what was driven on something else.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/LoadDrives.h"

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/job/Drive.h"
#include "core/job/Keeping.h"
#include "core/job/LookForFaults.h"
#include "core/job/ObdDrive.h"
#include "core/job/Sensors.h"
#include "core/recording/Mdf4.h"

namespace brusk::job {

Result<std::shared_ptr<const recording::Recording>> loadRecording(const carfolder::CarFolder& folder,
                                                                  const carfolder::RecordingEntry& entry) {
    const auto file = folder.files().map(folder.recordings().path(entry.file));
    if (!file) return tl::unexpected(file.error());
    auto recording = recording::openMdf4(*file);
    if (!recording) return failBecause("The recording " + entry.file + " can't be read.", recording.error());
    const auto sensors = sensorsOf(folder);
    if (!sensors) return tl::unexpected(sensors.error());
    putRight(sensors->sensors, *recording);
    return std::make_shared<const recording::Recording>(std::move(*recording));
}

namespace {

/// Facts of parts that move what is learned from a drive.
template <class Holds>
bool allParts(Holds holds) {
    constexpr std::string_view kElsewhere[] = {"Car", "Driveline", "Cooling"};
    return std::all_of(proposals::factKinds().begin(), proposals::factKinds().end(), [&](const auto& kind) {
        const bool elsewhere =
            std::find(std::begin(kElsewhere), std::end(kElsewhere), kind.group) != std::end(kElsewhere);
        return elsewhere || kind.isWish || kind.fact == proposals::Fact::RevLimit || holds(kind.fact);
    });
}

/// Something is fitted that the original was not made for.
bool hasOtherParts(const proposals::BuildSheet& sheet) {
    return !allParts([&](proposals::Fact fact) {
        const auto fitted = sheet.of(fact), stock = sheet.of(fact, false);
        return !fitted || !stock || fitted == stock;
    });
}

}  // namespace

bool sameParts(const proposals::BuildSheet& a, const proposals::BuildSheet& b) {
    const bool same = allParts([&](proposals::Fact fact) {
        const auto present = [&](const proposals::BuildSheet& sheet) {
            const auto fitted = sheet.of(fact);
            return fitted ? fitted : sheet.of(fact, false);
        };
        return present(a) == present(b);
    });
    return same && a.deadTimes == b.deadTimes && a.meterCurve == b.meterCurve && a.regulator == b.regulator &&
           a.wideband == b.wideband;
}

evidence::Drives::Options evidenceOptions(const calibration::Calibration& inCar) {
    evidence::Drives::Options out;
    out.pulses = evidence::pulseModel(inCar);
    if (out.pulses) out.stoichiometric = out.pulses->stoichiometric;
    return out;
}

namespace {

using carfolder::Conditions;

bool tellsFuel(const Conditions& c) {
    return !c.fuel.empty() || c.ethanol_pct || c.octane_RON;
}

/// What is not told of either is taken to be the same.
bool otherFuel(const Conditions& a, const Conditions& b) {
    constexpr double kEthanol_pct = 2, kOctane_RON = 0.5;
    const auto apart = [](const std::optional<double>& x, const std::optional<double>& y, double by) {
        return x && y && std::abs(*x - *y) > by;
    };
    if (apart(a.ethanol_pct, b.ethanol_pct, kEthanol_pct) || apart(a.octane_RON, b.octane_RON, kOctane_RON))
        return true;
    const bool numbers = (a.ethanol_pct && b.ethanol_pct) || (a.octane_RON && b.octane_RON);
    return !numbers && !a.fuel.empty() && !b.fuel.empty() && a.fuel != b.fuel;
}

std::string fuelText(const Conditions& c) {
    std::string out = c.fuel;
    const auto add = [&](const std::optional<double>& value, const char* unit) {
        if (value) out += (out.empty() ? "" : ", ") + formatNumber(*value, 0) + unit;
    };
    add(c.octane_RON, " RON"), add(c.ethanol_pct, " % ethanol");
    return out;
}

/// What a recording of a round must agree with.
struct Subject {
    std::shared_ptr<const image::Image> image;
    std::optional<proposals::BuildSheet> sheet;  ///< none: it can't be read, which is said elsewhere
    int64_t sheetVersion = 0;
    std::optional<Conditions> fuel;
    std::string obd;  ///< what any car tells of its calibration; empty where nobody asked
};

Result<proposals::BuildSheet> sheetOf(const carfolder::CarFolder& folder, int64_t version) {
    const auto kept = folder.settings().sheet(version);
    if (!kept) return tl::unexpected(kept.error());
    return kept->facts.empty() ? proposals::BuildSheet{} : buildSheetFromJson(kept->facts);
}

/// Why a recording may not be learned from; empty where it may.
std::string objection(const Kit& kit, const carfolder::CarFolder& folder, const Subject& subject,
                      const carfolder::RecordingEntry& entry, const recording::Recording& recording) {
    if (subject.image && boundTo(kit, *subject.image, recording) == Bound::Other)
        return "it was recorded on other bytes than this round's.";
    if (onOtherCalibrations(subject.obd, recording.areas))
        return "by OBD the car told another calibration then than on the other drives of this round.";
    if (subject.sheet && entry.sheet != 0 && entry.sheet != subject.sheetVersion)
        if (const auto then = sheetOf(folder, entry.sheet); then && !sameParts(*then, *subject.sheet))
            return "it was driven with other parts than the build sheet names now (version " +
                   std::to_string(entry.sheet) + " of it, now " + std::to_string(subject.sheetVersion) + ").";
    if (subject.fuel && otherFuel(*subject.fuel, entry.conditions))
        return "it was driven with another fuel (" + fuelText(entry.conditions) +
               "; the newest drive: " + fuelText(*subject.fuel) + ").";
    return {};
}

/// The delay that earlier drives of this car tell, the newest first.
std::optional<evidence::WidebandDelay> earlierDelay(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    constexpr size_t kMostTried = 6;
    const auto entries = folder.recordings().all();
    if (!entries) return std::nullopt;
    size_t tried = 0;
    for (auto entry = entries->rbegin(); entry != entries->rend() && tried < kMostTried; ++entry) {
        if (entry->round == round) continue;
        const auto recording = loadRecording(folder, *entry);
        if (!recording) continue;
        ++tried;
        const evidence::Sampled drive(*recording);
        const auto columns = evidence::engineColumns(drive);
        if (!columns || !columns->wideband) continue;
        std::optional<evidence::PulseModel> pulses;
        if (entry->round)
            if (const auto inCar = calibrationOf(kit, folder, *entry->round)) pulses = evidence::pulseModel(*inCar);
        if (const auto delay = evidence::measureDelay({*columns}, pulses); delay.measured()) return delay;
    }
    return std::nullopt;
}

/// The original was tuned by its maker, for the parts it came with, and a round on corrections by whoever drove it; a
/// base, or what was written by hand upon the original, by nobody yet.
bool isUntuned(const carfolder::CarFolder& folder, int64_t round, bool otherParts) {
    for (std::optional<int64_t> at = round; at;) {
        const auto one = folder.rounds().byId(*at);
        if (!one || one->state == carfolder::RoundState::Original) return one && (*at != round || otherParts);
        const auto reason = reasonFromJson(one->reason);
        if (!reason) return false;
        if (reason->kind != "by-hand" && reason->kind != "base") return false;
        at = one->parent;
    }
    return false;
}

}  // namespace

Result<DrivesPtr> drivesIfAny(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    const auto entries = folder.recordings().of(round);
    if (!entries) return tl::unexpected(entries.error());
    Subject subject;
    evidence::Drives::Options options;
    std::optional<calibration::Calibration> inCar;
    if (!entries->empty()) {
        auto bytes = calibrationOf(kit, folder, round);
        if (!bytes) return tl::unexpected(bytes.error());
        inCar = std::move(*bytes);
        subject.image = std::make_shared<const image::Image>(inCar->image());
        options = evidenceOptions(*inCar);
        const auto newest = folder.settings().sheet();
        if (!newest) return tl::unexpected(newest.error());
        subject.sheetVersion = newest->version;
        if (const auto sheet = sheetOf(folder, newest->version)) subject.sheet = *sheet;
        if (auto told = obdBindingOf(folder, round)) subject.obd = std::move(*told);
        for (const auto& entry : *entries)
            if (tellsFuel(entry.conditions)) subject.fuel = entry.conditions;
    }
    if (inCar) options.untuned = isUntuned(folder, round, subject.sheet && hasOtherParts(*subject.sheet));
    evidence::Drives::Recordings recordings;
    std::vector<std::string> leftOut;
    for (const auto& entry : *entries) {
        auto recording = loadRecording(folder, entry);
        if (!recording) {
            leftOut.push_back(entry.file + " is left out: " + recording.error().text());
            continue;
        }
        if (const auto why = objection(kit, folder, subject, entry, **recording); !why.empty()) {
            leftOut.push_back(entry.file + " is not used: " + why);
            continue;
        }
        for (const std::string& damage : (*recording)->damage)
            leftOut.push_back("Of " + entry.file + " a part is left out: " + damage);
        recordings.push_back(std::move(*recording));
        options.names.push_back(entry.file);
    }
    DrivesPtr out = std::make_shared<const evidence::Drives>(recordings, options, leftOut);
    if (const auto& mixture = out->mixture();
        mixture && !mixture->drives.empty() && mixture->delay.from == evidence::WidebandDelay::From::Default)
        if (const auto delay = earlierDelay(kit, folder, round)) {
            options.delay = delay;
            out = std::make_shared<const evidence::Drives>(std::move(recordings), options, std::move(leftOut));
        }
    if (!inCar || out->empty()) return out;
    const auto back = putBackOn(folder, round);
    if (!back) return tl::unexpected(back.error());
    return lookedAt(out, *inCar, *back);
}

Result<DrivesPtr> drivesOf(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    auto out = drivesIfAny(kit, folder, round);
    if (!out || !(*out)->empty()) return out;
    if (!(*out)->leftOut().empty()) return fail(ErrorCode::BadInput, (*out)->leftOut().front());
    return fail(ErrorCode::NotFound, "No drive was recorded on this round yet. Flash it, drive, and come back.");
}

Result<DrivenLine> drivesOfLine(const Kit& kit, const carfolder::CarFolder& folder, int64_t round) {
    DrivenLine out{std::make_shared<const evidence::Drives>(evidence::Drives::Recordings()), std::nullopt, {}};
    for (std::optional<int64_t> at = round; at;) {
        auto drives = drivesIfAny(kit, folder, *at);
        if (!drives) return tl::unexpected(drives.error());
        const auto& leftOut = (*drives)->leftOut();
        out.leftOut.insert(out.leftOut.end(), leftOut.begin(), leftOut.end());
        if (!(*drives)->empty()) {
            out.drives = std::move(*drives);
            out.round = at;
            return out;
        }
        const auto here = folder.rounds().byId(*at);
        if (!here) return tl::unexpected(here.error());
        at = here->parent;
    }
    return out;
}

}  // namespace brusk::job
