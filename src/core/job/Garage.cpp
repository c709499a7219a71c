// Loads profiles with what stands beside them, and asks a controller with each until one fits.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Garage.h"

#include <algorithm>

#include "core/base/Say.h"

#include "core/job/Maps.h"

namespace brusk::job {

Result<std::shared_ptr<const Kit>> loadKit(storage::FileSystem& files, const storage::Path& path) {
    const auto text = files.read(path);
    if (!text) return tl::unexpected(text.error());
    auto profile = link::readProfile(asText(*text));
    if (!profile) return failBecause("The profile " + path.filename().string() + " can't be used.", profile.error());
    auto kit = std::make_shared<Kit>();
    kit->profile = std::move(*profile);
    kit->definitionFile = (path.parent_path() / kit->profile.definitionFile).string();
    auto contents = readDefinition(files, kit->definitionFile);
    if (!contents) return tl::unexpected(contents.error());
    kit->definition = std::make_shared<const definition::Definition>(std::move(contents->definition));
    const auto beside = files.list(path.parent_path());
    if (!beside) return tl::unexpected(beside.error());
    for (const auto& entry : *beside) {
        if (entry.isFolder || entry.path.extension() != ".dbc") continue;
        const auto dbc = files.read(entry.path);
        if (!dbc) return tl::unexpected(dbc.error());
        auto messages = can::readDbc(asText(*dbc));
        if (!messages)
            return failBecause("The sensor file " + entry.path.filename().string() + " can't be used.",
                               messages.error());
        kit->externalSensors.insert(kit->externalSensors.end(), messages->messages.begin(), messages->messages.end());
    }
    return std::shared_ptr<const Kit>(std::move(kit));
}

std::vector<std::shared_ptr<const Kit>> loadKits(storage::FileSystem& files, const storage::Path& folder,
                                                 std::vector<Error>& problems) {
    std::vector<storage::Path> profiles;
    for (const auto& entry : files.filesBelow(folder))
        if (entry.path.filename().string().ends_with(".profile.json")) profiles.push_back(entry.path);
    std::sort(profiles.begin(), profiles.end());
    std::vector<std::shared_ptr<const Kit>> kits;
    for (const auto& path : profiles) {
        auto kit = loadKit(files, path);
        if (kit)
            kits.push_back(std::move(*kit));
        else
            problems.push_back(kit.error());
    }
    return kits;
}

std::shared_ptr<const Kit> withSensors(const Kit& kit, const std::vector<can::DbcMessage>& sensors) {
    auto out = std::make_shared<Kit>(kit);
    for (const auto& sensor : sensors) {
        std::erase_if(out->externalSensors, [&](const can::DbcMessage& old) {
            return old.id == sensor.id && old.extended == sensor.extended;
        });
        out->externalSensors.push_back(sensor);
    }
    return out;
}

namespace {

bool sameAddress(const link::IsoTpAddress& a, const link::IsoTpAddress& b) {
    return a.requestId == b.requestId && a.responseId == b.responseId && a.extendedIds == b.extendedIds &&
           a.requestTarget == b.requestTarget && a.responseTarget == b.responseTarget;
}

bool asksTheSame(const link::Profile& a, const link::Profile& b) {
    return a.didVoltage == b.didVoltage && a.voltageScale == b.voltageScale && a.didEngineSpeed == b.didEngineSpeed &&
           std::equal(a.identity.begin(), a.identity.end(), b.identity.begin(), b.identity.end(),
                      [](const auto& x, const auto& y) { return x.key == y.key && x.did == y.did; });
}

bool fits(const Kit& kit, const link::Identity& identity) {
    const auto& hardware = kit.profile.hardware;
    return std::find(hardware.begin(), hardware.end(), identity.at("hardware")) != hardware.end();
}

}  // namespace

std::string answerSentence(const Kit& kit, const link::Identity& identity) {
    char id[16];
    std::snprintf(id, sizeof id, "%X", static_cast<unsigned>(kit.profile.address.responseId));
    const std::string who = kit.profile.controller + " answers on " + id;
    return identity.bootMode() ? who + ", from boot mode: its program or calibration is not whole." : who + ".";
}

Result<std::shared_ptr<const Kit>> kitOfHardware(const std::vector<std::shared_ptr<const Kit>>& kits,
                                                 const std::string& hardware) {
    for (const auto& kit : kits)
        if (const auto& fits = kit->profile.hardware; std::find(fits.begin(), fits.end(), hardware) != fits.end())
            return kit;
    return fail(ErrorCode::NotFound,
                say("garage.no-kit", "No profile here is for a controller of hardware \"{0}\".", {hardware}));
}

Result<Found> findController(link::CanPort& port, const std::vector<std::shared_ptr<const Kit>>& kits,
                             const std::string& usual, const std::function<bool()>& goOn) {
    if (kits.empty()) return fail(ErrorCode::NotFound, "There is no controller profile; look at the data folder.");
    std::optional<Error> last;
    std::optional<Found> stranger;
    std::vector<const link::IsoTpAddress*> silent;
    std::vector<std::pair<const Kit*, link::Identity>> answers;
    for (const auto& kit : kits) {
        const link::IsoTpAddress& address = kit->profile.address;
        // Nobody is waited for twice at the same address.
        if (std::any_of(silent.begin(), silent.end(), [&](const auto* other) { return sameAddress(*other, address); }))
            continue;
        // Profiles that ask the same of the same address get the same answer.
        const auto known = std::find_if(answers.begin(), answers.end(), [&](const auto& answer) {
            return sameAddress(answer.first->profile.address, address) &&
                   asksTheSame(answer.first->profile, kit->profile);
        });
        link::Uds uds(port, kit->profile);
        uds.setGoOn(goOn);
        auto identity = known == answers.end() ? link::identify(uds) : Result<link::Identity>(known->second);
        if (identity) answers.emplace_back(kit.get(), *identity);
        if (!identity) {
            last = identity.error();
            if (last->code == ErrorCode::LinkLost || last->code == ErrorCode::Cancelled) return tl::unexpected(*last);
            if (last->code == ErrorCode::Timeout) silent.push_back(&address);
            continue;
        }
        Found found{kit, *identity, identity->bootMode(), {}, {}};
        const std::string& hardware = identity->at("hardware");
        found.why = kit->profile.name + ", because the controller says it is hardware " + hardware;
        if (!fits(*kit, *identity)) {
            found.why = kit->profile.name + ", the profile of this folder";
            found.mismatch =
                hardware.empty()
                    ? "A controller answers, but it refuses to say what it is. Switch the ignition off and on, "
                      "then connect again; if it stays so, no profile is for it."
                    : "The controller says it is hardware \"" + hardware + "\"; no profile is for it.";
            if (!stranger || kit->profile.name == usual) stranger = std::move(found);
            continue;
        }
        if (!found.bootMode && identity->at("software") != kit->profile.definitionSoftware)
            found.mismatch = "The controller runs software \"" + identity->at("software") +
                             "\"; the definition is for \"" + kit->profile.definitionSoftware +
                             "\". Nothing can be read or edited until the right definition is there.";
        return found;
    }
    if (stranger && stranger->kit->profile.name == usual) return *stranger;
    if (stranger) return fail(ErrorCode::Mismatch, stranger->mismatch);
    return tl::unexpected(*last);
}

}  // namespace brusk::job
