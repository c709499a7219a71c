// Plan, gates, journal, sectors, and what the controller holds when it went wrong.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/FlashRound.h"

#include <algorithm>
#include <chrono>
#include <future>

#include "core/base/Text.h"
#include "core/carfolder/Schema.h"
#include "core/job/Correct.h"
#include "core/job/Deliver.h"
#include "core/job/Stock.h"

namespace brusk::job {
namespace {

constexpr std::chrono::seconds kSaidAfter{2};

/// Tells the car folder about each step, and whoever watches when the folder's database keeps the flash waiting.
class LedgerJournal final : public link::FlashJournal {
  public:
    LedgerJournal(carfolder::CarFolder& folder, const image::Image& image, link::OnProgress onProgress)
        : folder_(folder), image_(image), onProgress_(std::move(onProgress)) {}
    Done step(const image::Sector& sector, image::SectorStep step) override {
        if (step != image::SectorStep::Verified) return kept(sector, step, {});
        const auto bytes = image_.bytes(sector.start, sector.length);
        if (!bytes) return tl::unexpected(bytes.error());
        return kept(sector, step, *bytes);
    }
    /// Passes a report on and remembers it.
    bool report(const link::Progress& progress) {
        last_ = progress;
        return !onProgress_ || onProgress_(progress);
    }

  private:
    Done kept(const image::Sector& sector, image::SectorStep step, ByteSpan bytes) {
        auto done = std::async(std::launch::async, [&] { return folder_.memory().step(sector, step, bytes); });
        if (onProgress_ && done.wait_for(kSaidAfter) == std::future_status::timeout) {
            link::Progress waiting = last_;
            waiting.step =
                "The car folder's database does not answer yet: another program holds it, or the disk is busy. The "
                "flash waits and goes on by itself";
            waiting.waitsForPerson = true;
            // Whether somebody wants to stop is asked again with the next block.
            (void)onProgress_(waiting);
        }
        return done.get();
    }

    carfolder::CarFolder& folder_;
    const image::Image& image_;
    link::OnProgress onProgress_;
    link::Progress last_;
};

/// Why a wrong checksum can't be mended in this image; nothing when it can.
std::optional<Error> unmendable(const Kit& kit, const image::Image& image, const carfolder::Round& round) {
    const auto sectors = kit.profile.sectors();
    for (const auto& area : kit.profile.checksums) {
        const auto agrees = image::checksumAgrees(image, area);
        const std::string which = "The checksum of the area at " + hexAddress(area.start);
        if (!agrees)
            return Error{ErrorCode::Mismatch, which + " can't be mended: the image lacks bytes of it.", nullptr};
        if (*agrees) continue;
        const bool erasable = std::any_of(sectors.begin(), sectors.end(), [&](const image::Sector& sector) {
            return area.storedAt >= sector.start && area.storedAt - sector.start < sector.length;
        });
        if (!erasable)
            return Error{ErrorCode::Mismatch,
                         which + " is wrong and is kept in memory that is never erased; it can't be mended.", nullptr};
        if (round.state != carfolder::RoundState::Draft)
            return Error{ErrorCode::Mismatch,
                         which + " is wrong, and round " + std::to_string(round.number) +
                             " is fixed. Make a new round from it; its checksums are mended then.",
                         nullptr};
    }
    return std::nullopt;
}

Result<std::vector<image::Sector>> sectorsOf(const Kit& kit, const carfolder::CarFolder& folder,
                                             const image::Image& image, FlashScope scope) {
    if (scope == FlashScope::Changed) return folder.memory().toWrite(image, kit.profile.sectors());
    std::vector<image::Sector> out;
    for (const auto& area : kit.profile.areas) {
        if (scope == FlashScope::Calibration && !area.calibration) continue;
        for (const image::Sector& sector : kit.profile.sectorsOf(area))
            out.push_back(sector);
    }
    // What the scope leaves out and nobody knows is written too: a flash ends with a whole controller.
    const auto contents = folder.memory().contents(kit.profile.sectors());
    if (!contents) return tl::unexpected(contents.error());
    for (const auto& lost : contents->unknown)
        if (std::find(out.begin(), out.end(), lost.sector) == out.end()) out.push_back(lost.sector);
    return out;
}

/// What a round is compared with: what is in the car, else what was flashed last, else what it was made from.
Result<std::optional<int64_t>> roundBefore(const Kit& kit, const carfolder::CarFolder& folder,
                                           const carfolder::Round& round) {
    const auto contents = folder.memory().contents(kit.profile.sectors());
    if (!contents) return tl::unexpected(contents.error());
    if (contents->round && *contents->round != round.id) return contents->round;
    if (contents->round) return round.parent;
    const auto rounds = folder.rounds().all();
    if (!rounds) return tl::unexpected(rounds.error());
    std::optional<carfolder::Round> last;
    for (const auto& flashed : *rounds)
        if (flashed.id != round.id && !flashed.flashedAt.empty() && (!last || flashed.flashedAt > last->flashedAt))
            last = flashed;
    return last ? std::optional(last->id) : round.parent;
}

}  // namespace

bool FlashPlan::blocked() const {
    return std::any_of(gates.begin(), gates.end(),
                       [](const Gate& gate) { return gate.verdict == Gate::Verdict::Blocks; });
}

uint64_t FlashPlan::bytes() const {
    uint64_t total = 0;
    for (const auto& sector : sectors)
        total += sector.length;
    return total;
}

std::string FlashPlan::overridden() const {
    std::string out;
    for (const Gate& gate : gates)
        if (gate.overridden) out += (out.empty() ? "" : "; ") + gate.name + ": " + gate.sentence;
    return out;
}

namespace {

/// Of a sealed round nobody chooses what is written: what differs from the car, or all of it once when its maker asks.
Result<FlashScope> scopeOf(const carfolder::CarFolder& folder, const carfolder::Round& round, FlashScope asked) {
    const auto rights = rightsOf(round);
    // Rights that can't be read are for their gate to refuse.
    if (!rights || !*rights || (*rights)->may.to(deliver::May::Change)) return asked;
    if (!(*rights)->writeAllOnce) return FlashScope::Changed;
    const auto done = folder.memory().wasFlashed(round.id, scopeName(FlashScope::Everything));
    if (!done) return tl::unexpected(done.error());
    return *done ? FlashScope::Changed : FlashScope::Everything;
}

/// The plan with the bytes in it, of a sealed round too.
Result<FlashPlan> wholePlan(const Kit& kit, carfolder::CarFolder& folder, int64_t id, const link::Identity* identity,
                            const FlashOptions& options) {
    FlashPlan plan;
    const auto round = folder.rounds().byId(id);
    if (!round) return tl::unexpected(round.error());
    plan.round = *round;
    auto kept = folder.rounds().imageForCar(id);
    if (!kept) return tl::unexpected(kept.error());
    auto image = std::make_shared<image::Image>(**kept);
    const auto why = unmendable(kit, *image, plan.round);
    if (!why) {
        const auto mended = image::mendChecksums(*image, kit.profile.checksums);
        if (!mended) return tl::unexpected(mended.error());
        plan.mended = *mended;
    }
    const auto scope = scopeOf(folder, plan.round, options.scope);
    if (!scope) return tl::unexpected(scope.error());
    plan.scope = *scope;
    auto sectors = sectorsOf(kit, folder, *image, plan.scope);
    if (!sectors) return tl::unexpected(sectors.error());
    plan.sectors = std::move(*sectors);
    std::optional<calibration::Calibration> before;
    // Nothing is said of a sealed round's values, not even how they differ.
    const auto earlier =
        plan.round.sealed ? Result<std::optional<int64_t>>(std::nullopt) : roundBefore(kit, folder, plan.round);
    if (!earlier) return tl::unexpected(earlier.error());
    if (*earlier) {
        const auto other = folder.rounds().byId(**earlier);
        if (auto calibration = calibrationOf(kit, folder, **earlier); calibration && other) {
            before = std::move(*calibration);
            plan.comparedWith = *other;
            plan.changes = calibration::compare(*before, calibration::Calibration(kit.definition, *image));
        }
    }
    plan.gates =
        gatesOf({kit, folder, plan.round, *image, plan.mended, why, identity, options.typedSerial,
                 before ? &*before : nullptr, plan.comparedWith ? plan.comparedWith->id : -1, options.clearLearned});
    plan.imageSha256 = carfolder::imageFingerprint(*image);
    plan.image = std::move(image);
    return plan;
}

}  // namespace

Result<FlashPlan> planFlash(const Kit& kit, carfolder::CarFolder& folder, int64_t id, const link::Identity* identity,
                            const FlashOptions& options) {
    auto plan = wholePlan(kit, folder, id, identity, options);
    if (plan && plan->round.sealed) plan->image.reset();
    return plan;
}

Result<link::FlashReport> flashRound(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder, int64_t id,
                                     const FlashOptions& options, const link::OnProgress& onProgress) {
    const auto identity = link::identify(uds);
    if (!identity) return tl::unexpected(identity.error());
    const auto plan = wholePlan(kit, folder, id, &*identity, options);
    if (!plan) return tl::unexpected(plan.error());
    for (const Gate& gate : plan->gates)
        if (gate.verdict == Gate::Verdict::Blocks) return refuse(gate.refused, gate.name + ": " + gate.sentence);
    if (plan->mended)
        if (auto done = folder.rounds().updateDraft(id, *plan->image); !done) return tl::unexpected(done.error());
    // From here on the round says what the car is given: nobody edits it any more, and it is these bytes.
    const std::string& sha = plan->imageSha256;
    if (auto done = folder.rounds().fix(id, sha); !done) return tl::unexpected(done.error());
    const auto flash = folder.memory().flashBegun(id, scopeName(plan->scope), static_cast<int>(plan->sectors.size()),
                                                  plan->overridden());
    if (!flash) return tl::unexpected(flash.error());
    LedgerJournal journal(folder, *plan->image, onProgress);
    link::FlashReport report;
    if (!plan->sectors.empty()) {
        auto flashed = link::flashSectors(uds, *plan->image, plan->sectors, journal,
                                          [&](const link::Progress& progress) { return journal.report(progress); });
        // Frames went astray: what the controller made of them is not for us to guess.
        const bool rough = !flashed || flashed->retries > 0;
        if (rough && (flashed || flashed.error().code != ErrorCode::LinkLost))
            if (auto stock = takeStock(uds, kit, folder, StockScope::Everything); !stock && flashed)
                flashed = tl::unexpected(stock.error());
        if (flashed) {
            const auto left = folder.memory().toWrite(*plan->image, plan->sectors);
            if (!left)
                flashed = tl::unexpected(left.error());
            else if (!left->empty())
                flashed = fail(ErrorCode::Mismatch,
                               "The controller holds other bytes than were written: the link is bad. Flash again.");
        }
        if (!flashed) {
            // The sentence is what the user needs; that the journal can't take it must not hide it.
            (void)folder.memory().flashEnded(*flash, flashed.error().message);
            (void)folder.memory().note("Flash stopped: " + flashed.error().message);
            return flashed;
        }
        report = *flashed;
    }
    if (auto done = folder.rounds().markFlashed(id, sha); !done) return tl::unexpected(done.error());
    if (auto done = folder.memory().flashEnded(*flash, "done"); !done) return tl::unexpected(done.error());
    if (auto done = folder.memory().note("Round " + std::to_string(plan->round.number) + " is in the car"); !done)
        return tl::unexpected(done.error());
    if (options.clearLearned) {
        if (auto done = uds.clearTroubleCodes(); !done)
            return failBecause(
                "The round is in the car, but what was learned on the old bytes could not be cleared; clear "
                "the trouble codes on the Car station before you drive.",
                done.error());
        if (auto done = folder.memory().note("What was learned was cleared, and the trouble codes"); !done)
            return tl::unexpected(done.error());
    }
    return report;
}

std::string whatIsInTheCar(const carfolder::CarContents& contents, const carfolder::Round* round,
                           const carfolder::Round* unfinished) {
    if (!contents.everKnown) return "What the car runs is not known yet.";
    if (round && contents.round) return "The car runs round " + std::to_string(round->number) + ", as the ledger says.";
    const size_t lost = contents.unknown.size();
    const std::string which = lost == 0 ? std::string()
                                        : std::to_string(lost) + (lost == 1 ? " sector (" : " sectors (from ") +
                                              hexAddress(contents.unknown.front().sector.start) + ") " +
                                              (lost == 1 ? "is" : "are") + " not known";
    if (unfinished && contents.unfinished)
        return "The flash of round " + std::to_string(unfinished->number) +
               " was interrupted: " + std::to_string(contents.sectorsOfUnfinished) + " of " +
               std::to_string(contents.sectors) + " sectors hold its bytes" + (which.empty() ? "" : ", " + which) +
               ". Flash again to finish it.";
    if (lost) return "Of the car's memory " + which + ". Flash to mend that.";
    return "The car runs bytes of more than one round.";
}

}  // namespace brusk::job
