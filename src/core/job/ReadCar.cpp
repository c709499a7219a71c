// Goes on where a read was cut off, and compares a later one with the ledger.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/ReadCar.h"

#include <algorithm>
#include <set>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/calibration/Calibration.h"
#include "core/job/Keeping.h"

namespace brusk::job {
namespace {

constexpr const char* kReading = "reading";  // setting: whose bytes the kept pieces are, and of which scope

class FolderKeeper final : public link::ReadKeeper {
  public:
    explicit FolderKeeper(carfolder::CarFolder& folder) : folder_(folder) {}
    Done keep(uint32_t start, ByteSpan bytes) override { return folder_.memory().keepPiece(start, bytes); }

  private:
    carfolder::CarFolder& folder_;
};

Done rightCar(const link::Identity& identity, const carfolder::CarFolder& folder) {
    const auto told = folder.settings().get("identity");
    if (!told) return tl::unexpected(told.error());
    const auto kept = identityFromJson(*told);
    if (kept && kept->at("serial") != identity.at("serial"))
        return fail(ErrorCode::Mismatch, "This folder belongs to controller " + kept->at("serial") +
                                             "; the one on the link is " + identity.at("serial") +
                                             ". Make a folder for this car.");
    return {};
}

/// Pieces of an interrupted read, when they are of this controller and this scope; else they are forgotten.
Result<image::Image> piecesSoFar(carfolder::CarFolder& folder, const std::string& mark) {
    const auto reading = folder.settings().get(kReading);
    if (!reading) return tl::unexpected(reading.error());
    if (*reading == mark) return folder.memory().keptPieces();
    if (auto done = folder.memory().forgetPieces(); !done) return tl::unexpected(done.error());
    if (auto done = folder.settings().set(kReading, mark); !done) return tl::unexpected(done.error());
    return image::Image();
}

/// The bytes that were read over those of `base`: a whole image again.
Result<image::Image> laidOver(const image::Image& base, const image::Image& part) {
    image::Image out = base;
    for (const image::Segment& segment : part.segments())
        if (auto done = out.overwrite(segment.start, segment.bytes); !done) return tl::unexpected(done.error());
    return out;
}

/// The sectors that only rounds hold which came sealed.
class SealedSectors {
  public:
    static Result<SealedSectors> of(const carfolder::CarFolder& folder, const std::vector<image::Sector>& sectors) {
        SealedSectors out;
        const auto rounds = folder.rounds().all();
        if (!rounds) return tl::unexpected(rounds.error());
        std::set<Named> open;
        for (const auto& round : *rounds) {
            if (round.sealed) {
                const auto parts = folder.rounds().areas(round.id);
                if (!parts) return tl::unexpected(parts.error());
                out.hidden_.insert(parts->begin(), parts->end());
            } else if (const auto image = folder.rounds().image(round.id)) {
                for (const image::Sector& sector : sectors)
                    if (const auto bytes = (*image)->bytes(sector.start, sector.length))
                        open.emplace(carfolder::sectorName(sector), sha256Hex(*bytes));
            }
        }
        for (const Named& one : open)
            out.hidden_.erase(one);
        return out;
    }
    bool any() const { return !hidden_.empty(); }
    bool in(const image::Image& image, const std::vector<image::Sector>& sectors) const {
        return std::any_of(sectors.begin(), sectors.end(), [&](const image::Sector& sector) {
            const auto bytes = image.bytes(sector.start, sector.length);
            return bytes && hidden_.contains({carfolder::sectorName(sector), sha256Hex(*bytes)});
        });
    }

  private:
    using Named = std::pair<std::string, std::string>;
    std::set<Named> hidden_;
};

/// What to compare a later read with the ledger by, and where it came from.
struct Known {
    int64_t round = 0;
    std::shared_ptr<const image::Image> image;
};

Result<Known> lastKnown(const carfolder::CarFolder& folder, const std::vector<image::Sector>& sectors) {
    const auto contents = folder.memory().contents(sectors);
    if (!contents) return tl::unexpected(contents.error());
    const auto original = folder.rounds().original();
    if (!original) return tl::unexpected(original.error());
    Known out;
    out.round = contents->round ? *contents->round : (*original)->id;
    auto image = folder.rounds().image(out.round);
    // Of a sealed round nothing is laid over: what was read is all there is.
    if (!image && contents->round && image.error().refused) image = folder.rounds().image((*original)->id);
    if (!image) return tl::unexpected(image.error());
    out.image = *image;
    return out;
}

/// The ledger learns which bytes are in the car, by their SHA-256, and keeps none of them.
Result<ReadOutcome> comparedOnly(carfolder::CarFolder& folder, const image::Image& read,
                                 const std::vector<image::Sector>& sectors, ReadOutcome out) {
    out.sealed = true;
    if (auto done = folder.memory().holds(read, sectors); !done) return tl::unexpected(done.error());
    const auto contents = folder.memory().contents(sectors);
    if (!contents) return tl::unexpected(contents.error());
    if (!contents->round) {
        out.sentence = say("read.sealed-part",
                           "The car holds a part of a round that came sealed; it was compared, and nothing of it was "
                           "kept. Flash again to make it whole.");
        return out;
    }
    auto round = folder.rounds().byId(*contents->round);
    if (!round) return tl::unexpected(round.error());
    out.sentence =
        say("read.sealed", "The car holds round {0}, which came sealed: it was compared, and nothing of it was kept.",
            {std::to_string(round->number)});
    out.round = std::move(*round);
    return out;
}

}  // namespace

Result<ReadOutcome> readCar(link::Uds& uds, const Kit& kit, const link::Identity& identity,
                            carfolder::CarFolder& folder, ReadScope scope, const link::OnProgress& onProgress) {
    if (auto done = rightCar(identity, folder); !done) return tl::unexpected(done.error());
    const auto original = folder.rounds().original();
    if (!original) return tl::unexpected(original.error());
    const bool first = !*original;
    if (first && scope != ReadScope::Everything)
        return fail(ErrorCode::Refused, "The original is not kept yet. Read the whole memory first.");
    std::vector<link::MemoryArea> areas;
    for (const auto& area : kit.profile.areas)
        if (scope == ReadScope::Everything || area.calibration) areas.push_back(area);
    const auto sectors = kit.profile.sectors();
    const auto hidden = SealedSectors::of(folder, sectors);
    if (!hidden) return tl::unexpected(hidden.error());
    auto read = piecesSoFar(folder, identity.at("serial") + (scope == ReadScope::Everything ? " all" : " calibration"));
    if (!read) return tl::unexpected(read.error());
    FolderKeeper keeper(folder);
    ReadOutcome out;
    auto report = link::readMemory(uds, areas, *read, hidden->any() ? nullptr : &keeper, onProgress);
    if (!report) return tl::unexpected(report.error());
    out.report = *report;
    Known before;
    if (!first) {
        auto known = lastKnown(folder, sectors);
        if (!known) return tl::unexpected(known.error());
        before = std::move(*known);
        auto whole = laidOver(*before.image, *read);
        if (!whole) return tl::unexpected(whole.error());
        read = std::move(whole);
    }
    const calibration::Calibration calibration(kit.definition, *read);
    if (auto done = calibration.matchesDefinition(); !done) return tl::unexpected(done.error());
    if (auto done = folder.settings().set("identity", toJson(identity)); !done) return tl::unexpected(done.error());
    if (hidden->in(*read, sectors)) return comparedOnly(folder, *read, sectors, std::move(out));
    if (first) {
        auto round = folder.rounds().storeOriginal(*read, "Read from " + identity.at("vin"));
        if (!round) return tl::unexpected(round.error());
        out.round = *round;
        out.isOriginal = true;
        out.sentence = say("read.original", "The original is kept: round 0, and original.hex in the folder.");
    }
    if (auto done = folder.memory().holds(*read, sectors); !done) return tl::unexpected(done.error());
    // The pieces have their place now. Not being able to tidy up costs room, nothing else.
    (void)folder.memory().forgetPieces();
    (void)folder.settings().set(kReading, "");
    if (first) return out;
    const auto contents = folder.memory().contents(sectors);
    if (!contents) return tl::unexpected(contents.error());
    if (contents->round) {
        auto round = folder.rounds().byId(*contents->round);
        if (!round) return tl::unexpected(round.error());
        out.round = *round;
        out.sentence =
            *contents->round == before.round
                ? say("read.as-said", "The car holds round {0}, as the ledger says.", {std::to_string(round->number)})
                : say("read.other-round", "The car holds round {0}; the ledger had expected another and is put right.",
                      {std::to_string(round->number)});
        return out;
    }
    if (contents->unfinished) {
        // A part of one round and a part of another is no calibration of anybody's.
        auto half = folder.rounds().byId(contents->unfinished->round);
        if (!half) return tl::unexpected(half.error());
        out.round = *half;
        out.sentence = say("read.half",
                           "The flash of round {0} did not come to its end; {1} of {2} sectors hold its bytes. Flash "
                           "again to finish it.",
                           {std::to_string(half->number), std::to_string(contents->sectorsOfUnfinished),
                            std::to_string(contents->sectors)});
        return out;
    }
    auto round = folder.rounds().add(before.round, *read, "Found in the car", "Bytes that no round of this ledger had");
    if (!round) return tl::unexpected(round.error());
    if (auto done = folder.rounds().markFlashed(round->id, round->imageSha256); !done)
        return tl::unexpected(done.error());
    out.round = *round;
    out.unknown = true;
    out.sentence = say("read.unknown", "The car holds bytes that no round had; they are kept as round {0}.",
                       {std::to_string(round->number)});
    return out;
}

}  // namespace brusk::job
