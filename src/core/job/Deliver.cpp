// The ledger's side of sealing: numbers, rights, who may.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Deliver.h"

#include <algorithm>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/calibration/Compare.h"
#include "core/carfolder/Schema.h"
#include "core/image/ImageFile.h"
#include "core/job/Drive.h"
#include "core/job/Keeping.h"

namespace brusk::job {
namespace {

constexpr const char* kNumber = "sealed_number";  // setting: of the newest file sealed here

Result<uint64_t> nextNumber(carfolder::CarFolder& folder) {
    const auto last = folder.settings().get(kNumber);
    if (!last) return tl::unexpected(last.error());
    const uint64_t number = parseUnsigned(*last).value_or(0) + 1;
    if (auto done = folder.settings().set(kNumber, std::to_string(number)); !done) return tl::unexpected(done.error());
    return number;
}

std::string namesOf(const std::vector<deliver::Person>& people) {
    std::string out;
    for (const auto& person : people)
        out += (out.empty() ? "" : ", ") + person.card.name;
    return out;
}

/// SHA-256 of the parts that drives are bound by, and of each sector, so that a sealed image can be recognised in the
/// car without its bytes.
std::map<std::string, std::string> shasOf(const Kit& kit, const image::Image& image) {
    auto parts = namedAreas(kit);
    for (const image::Sector& sector : kit.profile.sectors())
        parts.push_back({carfolder::sectorName(sector), sector.start, sector.length});
    return carfolder::areaShas(image, parts);
}

}  // namespace

Result<deliver::Binding> carOf(const carfolder::CarFolder& folder) {
    const auto kept = folder.settings().get("identity");
    if (!kept) return tl::unexpected(kept.error());
    if (kept->empty()) return deliver::Binding{};
    const auto identity = identityFromJson(*kept);
    if (!identity) return tl::unexpected(identity.error());
    return deliver::Binding{identity->at("vin"), identity->at("serial"), identity->at("software")};
}

Done sealRound(const Kit& kit, carfolder::CarFolder& folder, int64_t id, const deliver::Key& key,
               const SealOptions& options, const SaveFile& save) {
    const auto round = folder.rounds().byId(id);
    if (!round) return tl::unexpected(round.error());
    const auto kept = folder.rounds().image(id);
    if (!kept) return tl::unexpected(kept.error());
    image::Image image = **kept;
    const auto mended = image::mendChecksums(image, kit.profile.checksums);
    if (!mended) return tl::unexpected(mended.error());
    if (*mended && round->state == carfolder::RoundState::Draft)
        if (auto done = folder.rounds().updateDraft(id, image); !done) return tl::unexpected(done.error());
    const auto number = nextNumber(folder);
    if (!number) return tl::unexpected(number.error());
    deliver::Sealing sealing{round->title, options.note, {}, options.to};
    sealing.rights.car = options.car;
    sealing.rights.writeAllOnce = options.writeAllOnce;
    sealing.rights.allowOlder = options.allowOlder;
    sealing.rights.wayBack = options.wayBack;
    sealing.rights.number = *number;
    const auto file = deliver::seal(key, image, sealing, carfolder::utcNow());
    if (!file) return tl::unexpected(file.error());
    if (auto done = save(*file); !done) return done;
    // Checksums that a fixed round lacks are mended in the file alone.
    const std::string sha =
        round->state == carfolder::RoundState::Draft ? carfolder::imageFingerprint(image) : round->imageSha256;
    return folder.rounds().giveOut(
        id, sha, say("deliver.sealed", "sealed for {0} (number {1})", {namesOf(options.to), std::to_string(*number)}));
}

void useKey(carfolder::CarFolder& folder, const deliver::Key& key, const deliver::Home& home) {
    folder.rounds().openSealedBy([key, home](ByteSpan file) -> Result<carfolder::Rounds::Unsealed> {
        auto sealed = deliver::unseal(file, key, home);
        if (!sealed) return tl::unexpected(sealed.error());
        const bool seen = sealed->rights.may.seesValues();
        return carfolder::Rounds::Unsealed{std::move(sealed->image), sealed->rights.text(), seen};
    });
}

Done mayTake(const carfolder::CarFolder& folder, const deliver::SealedCalibration& sealed) {
    const auto original = folder.rounds().original();
    if (!original) return tl::unexpected(original.error());
    if (!*original)
        return fail(ErrorCode::NotFound, say("deliver.no-original",
                                             "This car was not read yet. Read it first, so that there is a way back."));
    const auto car = carOf(folder);
    if (!car) return tl::unexpected(car.error());
    if (auto done = deliver::fitsCar(sealed.rights.car, {car->vin, car->serial, car->software, false}); !done)
        return done;
    const auto rounds = folder.rounds().all();
    if (!rounds) return tl::unexpected(rounds.error());
    const std::string sha = carfolder::imageFingerprint(sealed.image);
    for (const auto& round : *rounds) {
        const auto rights = rightsOf(round);
        if (!rights) return tl::unexpected(rights.error());
        if (*rights && round.sealed && round.imageSha256 == sha && (*rights)->maker != sealed.rights.maker)
            return fail(ErrorCode::Conflict, say("deliver.others-bytes",
                                                 "These bytes are in the folder already, as round {0}, sealed by {1}.",
                                                 {std::to_string(round.number), (*rights)->makerName}));
        if (!*rights || (*rights)->maker != sealed.rights.maker) continue;
        if ((*rights)->id == sealed.rights.id)
            return fail(ErrorCode::Conflict, say("deliver.there", "This file is in the folder already, as round {0}.",
                                                 {std::to_string(round.number)}));
        if ((*rights)->number >= sealed.rights.number && !sealed.rights.allowOlder)
            return refuse("older",
                          say("deliver.older",
                              "{0} sealed this before round {1}, which is here already (number {2} after {3}). "
                              "Ask for a new one if the older is meant.",
                              {sealed.rights.makerName, std::to_string(round.number),
                               std::to_string(sealed.rights.number), std::to_string((*rights)->number)}));
    }
    return {};
}

Result<carfolder::Round> takeSealed(const Kit& kit, carfolder::CarFolder& folder,
                                    const deliver::SealedCalibration& sealed, const Bytes& file) {
    if (!folder.mayWrite()) return fail(ErrorCode::Refused, folder.whyNot());
    if (auto done = mayTake(folder, sealed); !done) return tl::unexpected(done.error());
    for (const auto& area : kit.profile.areas)
        if (!sealed.image.contains(area.start, area.length))
            return fail(ErrorCode::Mismatch,
                        say("deliver.lacks",
                            "This calibration does not hold all memory of this folder's controller "
                            "({0} lacks). It is for another one.",
                            {area.name}));
    const calibration::Calibration calibration(kit.definition, sealed.image);
    if (auto done = calibration.matchesDefinition(); !done) return tl::unexpected(done.error());
    const auto contents = folder.memory().contents(kit.profile.sectors());
    if (!contents) return tl::unexpected(contents.error());
    const auto original = folder.rounds().original();
    if (!original) return tl::unexpected(original.error());
    const int64_t parent = contents->round.value_or((*original)->id);
    const std::string note =
        say("deliver.from", "From {0}.", {sealed.rights.makerName}) + (sealed.note.empty() ? "" : "\n" + sealed.note);
    if (sealed.rights.may.to(deliver::May::Change)) {
        auto round = folder.rounds().add(parent, sealed.image, sealed.title, note);
        if (!round) return round;
        // Who may do everything with it is bound to nothing; the rights say where it came from.
        if (auto done = folder.rounds().setRights(round->id, sealed.rights.text()); !done)
            return tl::unexpected(done.error());
        return folder.rounds().byId(round->id);
    }
    return folder.rounds().addSealed(parent, {sealed.title, note, sealed.rights.text(), file,
                                              carfolder::imageFingerprint(sealed.image), shasOf(kit, sealed.image)});
}

namespace {

Result<std::string> differencesText(const Kit& kit, const carfolder::CarFolder& folder, const carfolder::Round& round) {
    const auto original = folder.rounds().original();
    if (!original) return tl::unexpected(original.error());
    const auto before = (*original)
                            ? calibrationOf(kit, folder, (*original)->id)
                            : Result<calibration::Calibration>(fail(ErrorCode::NotFound, "No original is kept."));
    const auto now = calibrationOf(kit, folder, round.id);
    if (!before) return tl::unexpected(before.error());
    if (!now) return tl::unexpected(now.error());
    std::string out = say("export.differences", "Round {0}, {1}: what differs from the original\n",
                          {std::to_string(round.number), round.title});
    for (const auto& one : calibration::compare(*before, *now)) {
        const auto& parameter = *one.parameter;
        const auto a = before->read(parameter), b = now->read(parameter);
        const std::string unit = kit.definition->unitOf(parameter);
        const int decimals = kit.definition->conversionOf(parameter).decimals;
        const bool single = a && b && a->values.size() == 1 && b->values.size() == 1;
        out += single ? say("export.value", "{0} ({1}): {2} -> {3} {4}\n",
                            {parameter.title(), parameter.name, formatNumber(a->values[0], decimals),
                             formatNumber(b->values[0], decimals), unit})
                      : say("export.map", "{0} ({1}): {2} cells, by up to {3} {4}\n",
                            {parameter.title(), parameter.name, std::to_string(one.cells),
                             formatNumber(one.largest, decimals), unit});
    }
    return out;
}

Result<Bytes> exported(const Kit& kit, const carfolder::CarFolder& folder, const carfolder::Round& round,
                       const std::string& ending) {
    if (ending == "a2l") return folder.files().read(kit.definitionFile);
    if (ending == "txt") {
        const auto text = differencesText(kit, folder, round);
        if (!text) return tl::unexpected(text.error());
        const ByteSpan bytes = asBytes(*text);
        return Bytes(bytes.begin(), bytes.end());
    }
    const auto image = folder.rounds().image(round.id);
    if (!image) return tl::unexpected(image.error());
    const auto format = image::formatOfName("a." + ending);
    if (!format) return fail(ErrorCode::BadInput, say("export.format", "There is no format \"{0}\".", {ending}));
    return image::writeImage(**image, *format);
}

}  // namespace

Done exportRound(const Kit& kit, carfolder::CarFolder& folder, int64_t id, const std::string& ending,
                 const std::string& givenTo, const SaveFile& save) {
    const auto round = folder.rounds().byId(id);
    if (!round) return tl::unexpected(round.error());
    const auto bytes = exported(kit, folder, *round, ending);
    if (!bytes) return tl::unexpected(bytes.error());
    if (auto done = save(*bytes); !done || givenTo.empty()) return done;
    return folder.rounds().giveOut(id, round->imageSha256,
                                   say("deliver.given", "given to {0} as .{1}", {givenTo, ending}));
}

bool holdsSealed(const carfolder::CarFolder& folder) {
    const auto rounds = folder.rounds().all();
    return rounds && std::any_of(rounds->begin(), rounds->end(), [](const auto& round) { return round.sealed; });
}

Result<std::optional<deliver::Rights>> rightsOf(const carfolder::Round& round) {
    if (round.rights.empty()) return std::optional<deliver::Rights>();
    auto rights = deliver::Rights::parse(round.rights);
    if (!rights) return tl::unexpected(rights.error());
    return std::optional(std::move(*rights));
}

Done mayBeDone(const carfolder::Round& round, deliver::May what) {
    const auto rights = rightsOf(round);
    if (!rights) return tl::unexpected(rights.error());
    if (!*rights || (*rights)->may.to(what)) return {};
    const char* asked[] = {"looked at", "changed", "flashed", "recorded on"};
    return refuse(
        "not-allowed",
        say("deliver.not-allowed", "{0} sealed round {1}; the seal does not allow it to be {2}. Ask for one that does.",
            {(*rights)->makerName, std::to_string(round.number), asked[static_cast<int>(what)]}));
}

}  // namespace brusk::job
