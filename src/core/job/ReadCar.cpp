// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/ReadCar.h"

#include "core/calibration/Calibration.h"

namespace brusk::job {

Result<ReadOutcome> readCar(link::Uds& uds, const Kit& kit, const link::Identity& identity,
                            carfolder::CarFolder& folder, image::Image& partial, const link::OnProgress& onProgress) {
    if (const auto kept = identityFromJson(folder.setting("identity"));
        kept && kept->at("serial") != identity.at("serial"))
        return fail(ErrorCode::Mismatch, "This folder belongs to controller " + kept->at("serial") +
                                             "; the one on the link is " + identity.at("serial") +
                                             ". Make a folder for this car.");
    if (auto done = link::readMemory(uds, kit.profile.areas, partial, onProgress); !done)
        return tl::unexpected(done.error());
    const calibration::Calibration calibration(kit.definition, partial);
    if (auto done = calibration.matchesDefinition(); !done) return tl::unexpected(done.error());
    if (auto done = folder.setSetting("identity", toJson(identity)); !done) return tl::unexpected(done.error());
    const auto sectors = kit.profile.sectors();
    ReadOutcome out;
    if (!folder.original()) {
        auto round = folder.storeOriginal(partial, "Read from " + identity.at("vin"));
        if (!round) return tl::unexpected(round.error());
        if (auto done = folder.carHolds(partial, sectors); !done) return tl::unexpected(done.error());
        out.round = *round;
        out.isOriginal = true;
        out.sentence = "The original is kept.";
        return out;
    }
    if (auto done = folder.carHolds(partial, sectors); !done) return tl::unexpected(done.error());
    const auto contents = folder.contents(sectors);
    if (contents.round) {
        auto round = folder.round(*contents.round);
        if (!round) return tl::unexpected(round.error());
        out.round = *round;
        out.sentence = "The car holds round " + std::to_string(round->number) + ", as the ledger says.";
        return out;
    }
    auto round =
        folder.addRound(folder.original()->id, partial, "Found in the car", "Bytes that no round of this ledger had");
    if (!round) return tl::unexpected(round.error());
    if (auto done = folder.markFlashed(round->id); !done) return tl::unexpected(done.error());
    out.round = *round;
    out.unknown = true;
    out.sentence =
        "The car holds bytes that no round had; they are kept as round " + std::to_string(round->number) + ".";
    return out;
}

}  // namespace brusk::job
