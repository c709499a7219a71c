// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/FlashRound.h"

#include <algorithm>

#include "core/base/Text.h"
#include "core/calibration/Calibration.h"

namespace brusk::job {
namespace {

/// Tells the car folder about each sector.
class LedgerJournal final : public link::FlashJournal {
  public:
    LedgerJournal(carfolder::CarFolder& folder, const image::Image& image) : folder_(folder), image_(image) {}
    Done sectorBegun(const link::Sector& sector) override { return folder_.sectorBegun(sector); }
    Done sectorVerified(const link::Sector& sector) override {
        const auto bytes = image_.bytes(sector.start, sector.length);
        if (!bytes) return tl::unexpected(bytes.error());
        return folder_.sectorVerified(sector, *bytes);
    }

  private:
    carfolder::CarFolder& folder_;
    const image::Image& image_;
};

Gate rightCar(const carfolder::CarFolder& folder, const link::Identity& now) {
    const auto kept = identityFromJson(folder.setting("identity"));
    if (!kept) return {"Right controller", false, "This car was not read yet. Read it first."};
    const bool same = kept->at("serial") == now.at("serial") && kept->at("vin") == now.at("vin");
    return {"Right controller", same,
            same ? "Serial " + now.at("serial") + " and VIN " + now.at("vin") + " are this folder's."
                 : "This folder is for " + kept->at("vin") + ", serial " + kept->at("serial") +
                       "; the car on the link is " + now.at("vin") + ", serial " + now.at("serial") +
                       ". Open its own folder."};
}

Gate rightSoftware(const Kit& kit, const link::Identity& now) {
    const std::string& seen = now.at("software");
    if (seen.empty())
        return {"Right software", true,
                "The controller waits in boot mode: its program or calibration is not whole. A flash mends that."};
    const bool same = seen == kit.profile.definitionSoftware;
    return {"Right software", same,
            same ? "Software " + seen + " is what the definition is for."
                 : "The controller runs " + seen + ", the definition is for " + kit.profile.definitionSoftware + "."};
}

Gate imageIsWhole(const Kit& kit, const calibration::Calibration& calibration) {
    if (auto done = calibration.matchesDefinition(); !done)
        return {"Image and definition", false, done.error().message};
    for (const auto& area : kit.profile.checksums) {
        const auto agrees = image::checksumAgrees(calibration.image(), area);
        if (!agrees || !*agrees)
            return {"Checksums", false,
                    "The checksum of the area at " + hexAddress(area.start) + " does not agree with its bytes."};
    }
    return {"Checksums", true, std::to_string(kit.profile.checksums.size()) + " areas agree with their checksums."};
}

Gate battery(const Kit& kit, const link::Identity& now) {
    const bool enough = now.voltage >= kit.profile.leastVoltage;
    return {
        "Battery", enough,
        formatNumber(now.voltage, 1) + " V" +
            (enough ? ", enough."
                    : ", at least " + formatNumber(kit.profile.leastVoltage, 1) + " V are needed. Connect a charger.")};
}

Gate engineOff(const link::Identity& now) {
    const bool off = now.engineSpeed_rpm < 50;
    return {"Engine off", off,
            off ? "The engine stands still."
                : "The engine turns at " + formatNumber(now.engineSpeed_rpm, 0) + " rpm. Switch it off, ignition on."};
}

}  // namespace

bool FlashPlan::blocked() const {
    return std::any_of(gates.begin(), gates.end(), [](const Gate& gate) { return !gate.passed; });
}

uint64_t FlashPlan::bytes() const {
    uint64_t total = 0;
    for (const auto& sector : sectors)
        total += sector.length;
    return total;
}

Result<FlashPlan> planFlash(const Kit& kit, const carfolder::CarFolder& folder, int64_t id,
                            const link::Identity* identity) {
    FlashPlan plan;
    const auto round = folder.round(id);
    if (!round) return tl::unexpected(round.error());
    plan.round = *round;
    auto image = folder.image(id);
    if (!image) return tl::unexpected(image.error());
    plan.image = *image;
    const calibration::Calibration calibration(kit.definition, **image);
    plan.sectors = folder.sectorsToWrite(**image, kit.profile.sectors());
    if (identity) {
        plan.gates.push_back(rightCar(folder, *identity));
        plan.gates.push_back(rightSoftware(kit, *identity));
    } else {
        plan.gates.push_back({"Right controller", false, "No controller was asked yet. Connect on the Car station."});
    }
    plan.gates.push_back(imageIsWhole(kit, calibration));
    if (identity) {
        plan.gates.push_back(battery(kit, *identity));
        plan.gates.push_back(engineOff(*identity));
    }
    const bool kept = folder.original().has_value();
    plan.gates.push_back({"Original kept", kept,
                          kept ? "Round 0 and original.hex are in the folder."
                               : "Read the controller first, so that you can always go back."});
    return plan;
}

Result<link::FlashReport> flashRound(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder, int64_t id,
                                     const link::OnProgress& onProgress) {
    const auto identity = link::identify(uds);
    if (!identity) return tl::unexpected(identity.error());
    const auto plan = planFlash(kit, folder, id, &*identity);
    if (!plan) return tl::unexpected(plan.error());
    for (const Gate& gate : plan->gates)
        if (!gate.passed) return fail(ErrorCode::Refused, gate.name + ": " + gate.sentence);
    LedgerJournal journal(folder, *plan->image);
    if (auto done =
            folder.note("Flash of round " + std::to_string(plan->round.number) + " begun, " +
                        std::to_string(plan->sectors.size()) + (plan->sectors.size() == 1 ? " sector" : " sectors"));
        !done)
        return tl::unexpected(done.error());
    link::FlashReport report;
    if (!plan->sectors.empty()) {
        auto flashed = link::flashSectors(uds, *plan->image, plan->sectors, journal, onProgress);
        if (!flashed) {
            // The sentence is what the user needs; that the journal can't take it must not hide it.
            (void)folder.note("Flash stopped: " + flashed.error().message);
            return flashed;
        }
        report = *flashed;
    }
    if (auto done = folder.markFlashed(id); !done) return tl::unexpected(done.error());
    if (auto done = folder.note("Round " + std::to_string(plan->round.number) + " is in the car"); !done)
        return tl::unexpected(done.error());
    return report;
}

std::string whatIsInTheCar(const carfolder::CarContents& contents, const carfolder::Round* round) {
    if (!contents.everKnown) return "What the car runs is not known yet.";
    if (contents.unknownSectors)
        return "A flash was interrupted: " + std::to_string(contents.unknownSectors) +
               (contents.unknownSectors == 1 ? " sector is" : " sectors are") + " not known. Flash again to finish it.";
    if (!contents.round || !round) return "The car runs bytes of more than one round.";
    return "The car runs round " + std::to_string(round->number) + ", as the ledger says.";
}

}  // namespace brusk::job
