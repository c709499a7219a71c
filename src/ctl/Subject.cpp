// Opens the folder or the files, and the recordings that belong to them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/Subject.h"

#include "core/job/Correct.h"
#include "core/job/LookForFaults.h"
#include "core/job/ObdDrive.h"
#include "ctl/Loading.h"

namespace brusk::ctl {

Argument BytesChoice::addTo(Command sub) {
    auto option = sub.option("--car", car, "car folder");
    sub.option("--round", round, "of the folder; else the newest").needs(option);
    sub.option("--definition", definition, "A2L").excludes(option);
    sub.option("--image", image, "the bytes that were in the car").excludes(option);
    sub.option("--base", base, "address of a raw binary's first byte");
    return option;
}

void FactsChoice::addTo(Command sub) {
    sub.option("--poured", poured, "fuel filled in over fuel reckoned as injected, as a ratio").range(0.5, 2.0);
    sub.option("--dead-time", deadTime_ms, "of the injectors over what the bytes say, ms, from a bench")
        .range(-2.0, 2.0);
    sub.option("--rail-follows", rail, "whether a gauge saw the fuel pressure follow the manifold")
        .oneOf({"yes", "no"});
    sub.flag("--fuel-told", fuelTold, "the fuel was tested");
    sub.flag("--wideband-calibrated", widebandCalibrated, "in free air");
}

evidence::MixtureFacts FactsChoice::facts() const {
    evidence::MixtureFacts out;
    if (!std::isnan(poured)) out.poured = poured;
    if (!std::isnan(deadTime_ms)) out.deadTime_ms = deadTime_ms;
    if (!rail.empty()) out.railFollows = rail == "yes";
    out.fuelTold = fuelTold, out.widebandCalibrated = widebandCalibrated;
    return out;
}

Result<Subject> subjectOf(Context& c, const BytesChoice& o) {
    Subject out;
    if (o.car.empty()) {
        auto calibration = loadCalibration(c, o.definition, o.image, o.base);
        if (!calibration) return tl::unexpected(calibration.error());
        out.calibration = std::move(*calibration);
        // Whose controller it is tells what its checksums are.
        const auto kits = dataKits(c);
        if (!kits) return out;
        for (const auto& kit : *kits)
            if (kit->definition->softwareId == out.calibration->definition().softwareId) out.kit = kit;
        return out;
    }
    auto opened = roundOf(c, o.car, o.round);
    if (!opened) return tl::unexpected(opened.error());
    out.folder = std::move(opened->folder);
    out.kit = std::move(opened->kit);
    out.round = std::move(opened->round);
    auto calibration = job::calibrationOf(*out.kit, *out.folder, out.round->id);
    if (!calibration) return tl::unexpected(calibration.error());
    out.calibration = std::move(*calibration);
    return out;
}

Result<job::DrivesPtr> evidenceFor(Context& c, const Subject& subject, const std::vector<std::string>& files,
                                   const std::vector<std::string>& putBack) {
    // What is kept with the round counts too.
    auto back = putBack;
    if (subject.folder) {
        const auto kept = job::putBackOn(*subject.folder, subject.round->id);
        if (!kept) return tl::unexpected(kept.error());
        back.insert(back.end(), kept->begin(), kept->end());
    }
    if (files.empty() && subject.folder) {
        auto driven = job::drivesOf(*subject.kit, *subject.folder, subject.round->id);
        if (driven && !putBack.empty()) driven = job::lookedAt(*driven, *subject.calibration, back);
        if (driven || driven.error().code != ErrorCode::NotFound) return driven;
        return std::make_shared<const evidence::Drives>(evidence::Drives::Recordings());
    }
    evidence::Drives::Recordings recordings;
    std::vector<std::string> leftOut;
    std::string told;
    for (const std::string& file : files) {
        auto read = recordingOf(c, file);
        if (!read) return failBecause(file + " can't be read.", read.error());
        const auto bound =
            subject.kit ? job::boundTo(*subject.kit, subject.calibration->image(), *read) : job::Bound::Untold;
        if (bound == job::Bound::Other) {
            leftOut.push_back(file + " was recorded on other bytes than these; it is not used.");
            continue;
        }
        if (job::onOtherCalibrations(told, read->areas)) {
            leftOut.push_back(file + " was recorded on another calibration than those before it; it is not used.");
            continue;
        }
        if (told.empty()) told = read->areas;
        if (bound == job::Bound::Untold)
            leftOut.push_back(file + " does not tell which bytes were in the car; see that it was these.");
        recordings.push_back(std::make_shared<const recording::Recording>(std::move(*read)));
    }
    return job::lookedAt(std::make_shared<const evidence::Drives>(
                             std::move(recordings), job::evidenceOptions(*subject.calibration), std::move(leftOut)),
                         *subject.calibration, back);
}

}  // namespace brusk::ctl
