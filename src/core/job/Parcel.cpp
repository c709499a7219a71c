// Pieces in an envelope: "about" says what the car is, the rest are files.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Parcel.h"

#include <algorithm>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/carfolder/Schema.h"
#include "core/deliver/Lines.h"
#include "core/deliver/Pieces.h"
#include "core/job/Drive.h"
#include "core/job/Keeping.h"

namespace brusk::job {
namespace {

using deliver::Lines;

constexpr const char* kTitle = "Brusk parcel content 1";
constexpr const char* kConditionsTitle = "Brusk conditions 1";
constexpr const char* kAbout = "about";
constexpr const char* kOriginal = "original.image";
constexpr const char* kRecordings = "recordings/";
constexpr const char* kConditions = "conditions/";
constexpr const char* kNumber = "serial";

std::string conditionsText(const carfolder::Conditions& c) {
    Lines out(kConditionsTitle);
    out.add("fuel", c.fuel);
    if (c.ethanol_pct) out.add("ethanol-pct", exactNumber(*c.ethanol_pct));
    if (c.octane_RON) out.add("octane-ron", exactNumber(*c.octane_RON));
    out.add("weather", c.weather);
    out.add("load", c.load);
    out.add("where", c.where);
    out.add("note", c.note);
    return out.text();
}

/// What can't be read is left out: it is a remark, no measurement.
carfolder::Conditions conditionsOf(std::string_view text) {
    carfolder::Conditions out;
    const auto lines = Lines::parse(text, kConditionsTitle, "conditions");
    if (!lines) return out;
    const auto number = [&](const char* name) {
        const auto said = lines->maybe(name);
        return said ? parseNumber(*said) : std::nullopt;
    };
    out.fuel = lines->maybe("fuel").value_or("");
    out.ethanol_pct = number("ethanol-pct");
    out.octane_RON = number("octane-ron");
    out.weather = lines->maybe("weather").value_or("");
    out.load = lines->maybe("load").value_or("");
    out.where = lines->maybe("where").value_or("");
    out.note = lines->maybe("note").value_or("");
    return out;
}

/// What the car is and holds, as lines.
Result<std::string> aboutText(const Kit& kit, const carfolder::CarFolder& folder, const ParcelOptions& options) {
    Lines out(kTitle);
    out.add("note", options.note);
    const auto told = folder.settings().get("identity");
    if (!told) return tl::unexpected(told.error());
    if (const auto identity = told->empty() ? Result<link::Identity>(link::Identity{}) : identityFromJson(*told))
        for (const auto& [name, value] : identity->values)
            out.add("identity", std::string(name).append(" ").append(value));
    for (const std::string& code : options.codes)
        out.add("code", code);
    const auto contents = folder.memory().contents(kit.profile.sectors());
    if (!contents) return tl::unexpected(contents.error());
    if (contents->round) {
        const auto round = folder.rounds().byId(*contents->round);
        if (!round) return tl::unexpected(round.error());
        out.add("in-car", round->imageSha256);
    }
    return out.text();
}

std::string numberOf(const std::map<std::string, std::string>& identity, const char* name) {
    const auto found = identity.find(name);
    return found == identity.end() ? std::string() : found->second;
}

}  // namespace

std::vector<std::string> codeLines(const std::vector<TroubleCodeReport>& codes) {
    std::vector<std::string> out;
    out.reserve(codes.size());
    for (const auto& report : codes)
        out.push_back(report.code.name() + (report.code.failingNow() ? " failing now" : " stored"));
    return out;
}

Result<Bytes> makeParcel(const Kit& kit, const carfolder::CarFolder& folder, const deliver::Key& key,
                         const ParcelOptions& options, std::vector<std::string>& leftOut) {
    if (options.to.empty()) return fail(ErrorCode::BadInput, say("parcel.nobody", "Say to whom the parcel goes."));
    Bytes content;
    deliver::PieceWriter writer([&](ByteSpan bytes) {
        content.insert(content.end(), bytes.begin(), bytes.end());
        return Done();
    });
    const auto about = aboutText(kit, folder, options);
    if (!about) return tl::unexpected(about.error());
    if (auto done = writer.add(kAbout, asBytes(*about)); !done) return tl::unexpected(done.error());
    const auto original = folder.rounds().original();
    if (!original) return tl::unexpected(original.error());
    if (options.withOriginal && *original)
        if (const auto image = folder.rounds().image((*original)->id))
            if (auto done = writer.add(kOriginal, carfolder::packImage(**image)); !done)
                return tl::unexpected(done.error());
    const auto recordings = folder.recordings().all();
    if (!recordings) return tl::unexpected(recordings.error());
    for (const auto& entry : *recordings) {
        const auto& chosen = options.recordings;
        if (!chosen.empty() && std::find(chosen.begin(), chosen.end(), entry.id) == chosen.end()) continue;
        if (entry.state == carfolder::RecordingState::Open) continue;  // it grows
        const auto bytes = folder.files().read(folder.recordings().path(entry.file));
        if (!bytes) {
            leftOut.push_back(say("parcel.left-out", "{0} can't be read and was left out.", {entry.file}));
            continue;
        }
        if (auto done = writer.add(kRecordings + entry.file, *bytes); !done) return tl::unexpected(done.error());
        if (auto done = writer.add(kConditions + entry.file, asBytes(conditionsText(entry.conditions))); !done)
            return tl::unexpected(done.error());
    }
    if (auto done = writer.finish(); !done) return tl::unexpected(done.error());
    return deliver::closeEnvelope(deliver::EnvelopeKind::Parcel, key, options.to, content, carfolder::utcNow());
}

Result<Parcel> openParcel(ByteSpan file, const deliver::Key& key, const deliver::Home& home) {
    auto opened = deliver::openEnvelope(deliver::EnvelopeKind::Parcel, file, key, home);
    if (!opened) return tl::unexpected(opened.error());
    Parcel out;
    out.head = std::move(opened->head);
    std::map<std::string, carfolder::Conditions> conditions;
    bool told = false;
    const auto take = [&](deliver::Piece&& piece) -> Done {
        if (piece.name == kAbout) {
            const auto lines = Lines::parse(asText(piece.bytes), kTitle, "parcel");
            if (!lines) return tl::unexpected(lines.error());
            told = true;
            out.note = lines->maybe("note").value_or("");
            out.codes = lines->all("code");
            out.imageSha256 = lines->maybe("in-car").value_or("");
            for (const std::string& line : lines->all("identity"))
                out.identity[line.substr(0, line.find(' '))] =
                    line.find(' ') == std::string::npos ? "" : line.substr(line.find(' ') + 1);
        } else if (piece.name == kOriginal) {
            auto image = carfolder::unpackImage(piece.bytes);
            if (!image) return tl::unexpected(image.error());
            out.original = std::move(*image);
        } else if (piece.name.starts_with(kRecordings)) {
            out.drives.push_back({piece.name.substr(std::string_view(kRecordings).size()), {}, std::move(piece.bytes)});
        } else if (piece.name.starts_with(kConditions)) {
            conditions[piece.name.substr(std::string_view(kConditions).size())] = conditionsOf(asText(piece.bytes));
        }
        return {};
    };
    const auto unpacked = deliver::unpack(opened->content, take);
    if (!unpacked) return tl::unexpected(unpacked.error());
    if (!told) return fail(ErrorCode::BadInput, say("parcel.no-about", "The parcel does not say of which car it is."));
    out.damaged = unpacked->damaged;
    for (auto& drive : out.drives)
        drive.conditions = conditions[drive.file];
    return out;
}

Result<TakenParcel> takeParcel(const Kit& kit, carfolder::CarFolder& folder, const Parcel& parcel) {
    if (!folder.mayWrite()) return fail(ErrorCode::Refused, folder.whyNot());
    TakenParcel out;
    const auto car = carOf(folder);
    if (!car) return tl::unexpected(car.error());
    const std::string vin = numberOf(parcel.identity, "vin"), serial = numberOf(parcel.identity, kNumber);
    const std::string from = parcel.head.by.name;
    if (!car->vin.empty() && !vin.empty() && car->vin != vin)
        return refuse("other-vin", say("parcel.other-vin",
                                       "This parcel from {0} is of the car {1}; this folder is for {2}. Open its own "
                                       "folder. Nothing of it was taken.",
                                       {from, vin, car->vin}));
    if (!car->serial.empty() && !serial.empty() && car->serial != serial)
        return refuse("other-serial", say("parcel.other-serial",
                                          "This parcel from {0} is of the controller {1}; this folder is for {2}. "
                                          "Nothing of it was taken.",
                                          {from, serial, car->serial}));
    const auto original = folder.rounds().original();
    if (!original) return tl::unexpected(original.error());
    const auto profile = folder.settings().get("profile");
    if (!profile) return tl::unexpected(profile.error());
    if (profile->empty())
        if (auto done = folder.settings().set("profile", kit.profile.name); !done) return tl::unexpected(done.error());
    if (!*original && parcel.original) {
        link::Identity identity;
        identity.values = parcel.identity;
        const calibration::Calibration calibration(kit.definition, *parcel.original);
        if (auto done = calibration.matchesDefinition(); !done) return tl::unexpected(done.error());
        if (auto done = folder.settings().set("identity", toJson(identity)); !done) return tl::unexpected(done.error());
        auto round = folder.rounds().storeOriginal(*parcel.original, say("parcel.original", "Read by {0}", {from}));
        if (!round) return tl::unexpected(round.error());
        out.original = true;
        out.news.push_back(say("parcel.original-kept",
                               "The original came with it: round 0, and original.hex in the "
                               "folder."));
    }
    const auto rounds = folder.rounds().all();
    if (!rounds) return tl::unexpected(rounds.error());
    // Every round goes by its parts too, so that a recording of the calibration alone finds it.
    for (const auto& round : *rounds)
        if (!round.sealed)
            if (auto done = folder.rounds().nameAreas(round.id, namedAreas(kit)); !done)
                return tl::unexpected(done.error());
    for (const auto& drive : parcel.drives) {
        auto entry = folder.recordings().takeIn(drive.file, drive.bytes, drive.conditions);
        if (!entry && entry.error().code == ErrorCode::Conflict) {
            out.there.push_back(drive.file);
            continue;
        }
        if (!entry && entry.error().code == ErrorCode::BadInput) {
            out.news.push_back(entry.error().text());
            continue;
        }
        if (!entry) return tl::unexpected(entry.error());
        TakenParcel::Drive taken{std::move(*entry), {}};
        if (taken.entry.round) {
            const auto round = folder.rounds().byId(*taken.entry.round);
            if (!round) return tl::unexpected(round.error());
            taken.round = round->number;
        } else {
            out.news.push_back(
                say("parcel.unbound",
                    "{0} was driven on bytes that no round of this folder has; it is kept, bound to none.",
                    {taken.entry.file}));
        }
        out.drives.push_back(std::move(taken));
    }
    if (!parcel.imageSha256.empty()) {
        const auto held = folder.rounds().ofImage(parcel.imageSha256);
        if (!held) return tl::unexpected(held.error());
        if (*held) out.inCar = (*held)->number;
        out.news.push_back(*held
                               ? say("parcel.in-car", "The car holds round {0}.", {std::to_string((*held)->number)})
                               : say("parcel.in-car-unknown", "The car holds bytes that no round of this folder has."));
    }
    for (const std::string& name : parcel.damaged)
        out.news.push_back(say("parcel.damaged", "{0} was damaged before it was packed and is lost.", {name}));
    const size_t count = out.drives.size(), there = out.there.size();
    if (there)
        out.news.insert(out.news.begin(), say("parcel.there", "{0} were here already.", {std::to_string(there)}));
    out.news.insert(out.news.begin(), count == 1
                                          ? say("parcel.taken-one", "1 recording taken.")
                                          : say("parcel.taken", "{0} recordings taken.", {std::to_string(count)}));
    if (auto done = folder.memory().note(say("parcel.noted", "A parcel from {0}, {1} {2}",
                                             {from, std::to_string(count), count == 1 ? "recording" : "recordings"}));
        !done)
        return tl::unexpected(done.error());
    return out;
}

}  // namespace brusk::job
