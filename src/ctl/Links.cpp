// Options of a link to an open port with its kit.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/Links.h"

#include <cstdlib>
#include <iostream>

#include "core/base/Text.h"
#include "core/link/Ports.h"

namespace brusk::ctl {

void LinkOptions::addTo(Command command, bool required) {
    auto which = command.option("--link", link, "bench, unix:PATH or socketcan:INTERFACE");
    if (required) which.required();
    command.option("--pace", pace, "seconds of the bench car a second; 0 is as fast as it can").range(0.0, 1000.0);
    command.option("--seed", seed, "seed of the bench car");
    command.flag("--drawn", drawn, "the bench car differs from the book as the seed draws it");
    command.option("--traffic", traffic, "write the frames of both sides as a candump log");
}

OpenLink::~OpenLink() {
    if (options_.traffic.empty() || !port) return;
    const std::string name = options_.link.starts_with("socketcan:") ? options_.link.substr(10) : "can0";
    const std::string text = can::toCandump(traffic.frames(), name);
    if (auto done = context_.files.save(options_.traffic, asBytes(text)); !done)
        std::cerr << "The traffic was not saved: " << done.error().text() << "\n";
}

Done OpenLink::wait(double seconds) {
    for (const int64_t until = port->now_us() + static_cast<int64_t>(seconds * 1e6); port->now_us() < until;)
        if (auto frame = port->receive(until); !frame) return tl::unexpected(frame.error());
    return {};
}

Result<std::unique_ptr<OpenLink>> openLink(Context& context, const LinkOptions& options) {
    auto out = std::make_unique<OpenLink>(context, options);
    if (options.link == "bench") {
        out->car = std::make_unique<benchcar::BenchCar>(
            options.drawn ? benchcar::oneOf(benchcar::kHeronFitted, options.seed) : benchcar::kHeronFitted,
            options.seed);
        out->bus = std::make_unique<benchcar::VirtualBus>(*out->car);
        out->port = std::make_unique<benchcar::PacedBus>(*out->bus, options.pace);
    } else {
        auto port = link::portNamed(options.link);
        if (!port) return tl::unexpected(port.error());
        out->port = std::move(*port);
    }
    if (!options.traffic.empty())
        (out->bus ? static_cast<link::CanPort&>(*out->bus) : *out->port)
            .watch([log = &out->traffic](const link::CanFrame& frame, bool ours) { log->add(frame, ours); });
    if (!options.route.empty()) {
        const auto* found = benchcar::routeNamed(options.route);
        if (!out->car) return fail(ErrorCode::BadInput, "--route drives the bench car of --link bench only.");
        if (!found) return fail(ErrorCode::BadInput, "There is no route \"" + options.route + "\".");
        out->car->startRoute(*found);
    }
    return out;
}

Result<LinkSession> connect(Context& c, const LinkOptions& options, bool strict, const std::string& usualProfile) {
    auto kits = dataKits(c);
    if (!kits) return tl::unexpected(kits.error());
    auto opened = openLink(c, options);
    if (!opened) return tl::unexpected(opened.error());
    LinkSession out;
    out.link = std::move(*opened);
    auto found = job::findController(*out.link->port, *kits, usualProfile);
    if (!found) return tl::unexpected(found.error());
    if (strict && !found->mismatch.empty()) return fail(ErrorCode::Mismatch, found->mismatch);
    out.found = std::move(*found);
    out.uds = std::make_unique<link::Uds>(*out.link->port, out.found.kit->profile);
    return out;
}

link::OnProgress progressOnStandardError(const Context& c) {
    if (c.quiet) return {};
    return [last = std::string(), lastPercent = -1](const link::Progress& p) mutable {
        const int percent = p.total ? static_cast<int>(p.done * 100 / p.total) : 0;
        if (p.step == last && percent == lastPercent) return true;
        last = p.step, lastPercent = percent;
        std::cerr << "\r" << p.step << "  " << percent << " %  " << formatNumber(p.rate() / 1024, 1) << " KiB/s";
        if (const auto left = p.secondsLeft()) std::cerr << "  " << formatNumber(*left, 0) << " s left";
        if (p.retries) std::cerr << "  " << p.retries << " retries";
        std::cerr << "   " << std::flush;
        if (p.done == p.total || p.waitsForPerson) std::cerr << "\n";
        return true;
    };
}

storage::Path dataFolder() {
    const char* set = std::getenv("BRUSK_DATA");
    return set && *set ? set : BRUSK_DATA_DIR;
}

Result<std::vector<std::shared_ptr<const job::Kit>>> dataKits(Context& context) {
    std::vector<Error> problems;
    auto kits = job::loadKits(context.files, dataFolder(), problems);
    if (kits.empty() && !problems.empty()) return tl::unexpected(problems[0]);
    if (kits.empty())
        return fail(ErrorCode::NotFound, "There is no controller profile in " + dataFolder().string() + ".");
    return kits;
}

Result<std::shared_ptr<const job::Kit>> kitOf(Context& context, const carfolder::CarFolder& folder) {
    const auto name = folder.settings().get("profile");
    if (!name) return tl::unexpected(name.error());
    const auto kits = dataKits(context);
    if (!kits) return tl::unexpected(kits.error());
    for (const auto& kit : *kits)
        if (kit->profile.name == *name) return kit;
    return fail(ErrorCode::NotFound, name->empty() ? std::string("This car was not connected yet.")
                                                   : "The profile \"" + *name + "\" of this folder is not there.");
}

namespace {

/// What is said on the way goes to standard error.
std::vector<can::DbcMessage> messagesOf(Context& c, const std::vector<std::string>& dbcs) {
    std::vector<std::string> remarks;
    auto out = job::loadDbcs(c.files, {dbcs.begin(), dbcs.end()}, remarks);
    const auto own = job::ownDbcs(c.files, importHomeOf(c), remarks);
    out.insert(out.end(), own.begin(), own.end());
    for (const std::string& remark : remarks)
        std::cerr << remark << "\n";
    return out;
}

}  // namespace

job::ImportHome importHomeOf(const Context& c) {
    return {c.home.empty() ? deliver::usualHome() : storage::Path(c.home)};
}

Result<recording::ImportFile> importFileOf(Context& c, const std::string& path, const std::vector<std::string>& dbcs) {
    return job::openForImport(c.files, path, messagesOf(c, dbcs));
}

Result<recording::Recording> recordingOf(Context& c, const std::string& path, const std::vector<std::string>& dbcs) {
    return job::readRecording(c.files, importHomeOf(c), path, messagesOf(c, dbcs));
}

deliver::Home homeOf(Context& c) {
    return {c.files, homeFolder(c)};
}

storage::Path homeFolder(const Context& c) {
    return c.home.empty() ? deliver::usualHome() : storage::Path(c.home);
}

Result<std::string> passphraseOf(Context& c) {
    if (c.passphraseFile.empty()) return std::string();
    const auto text = c.files.read(c.passphraseFile, 64 << 10);
    if (!text) return tl::unexpected(text.error());
    std::string line(asText(*text).substr(0, asText(*text).find_first_of("\r\n")));
    // Who names a file wants protection: an empty one must not make a key without.
    if (line.empty()) return fail(ErrorCode::BadInput, "The first line of the passphrase file is empty.");
    return line;
}

Result<deliver::Key> keyOf(Context& c) {
    const auto passphrase = passphraseOf(c);
    if (!passphrase) return tl::unexpected(passphrase.error());
    auto key = homeOf(c).key(*passphrase);
    if (!key && key.error().code == ErrorCode::Refused && passphrase->empty())
        return failBecause("Say --passphrase-file.", key.error());
    return key;
}

void useOwnKey(Context& c, carfolder::CarFolder& folder) {
    if (!job::holdsSealed(folder)) return;
    // Without a key everything else goes on as it did; what needs it says so.
    if (const auto key = keyOf(c)) job::useKey(folder, *key, homeOf(c));
}

Result<std::unique_ptr<carfolder::CarFolder>> openOrCreate(Context& c, const std::string& path) {
    if (!carfolder::CarFolder::isThere(c.files, path)) {
        auto made = carfolder::CarFolder::create(c.files, path, validText(storage::Path(path).filename().string()));
        // Somebody else may have made it in this moment.
        if (made || made.error().code != ErrorCode::Conflict) return made;
    }
    return carfolder::CarFolder::open(c.files, path);
}

Result<RoundOf> roundOf(Context& c, const std::string& car, int number) {
    auto folder = carfolder::CarFolder::open(c.files, car);
    if (!folder) return tl::unexpected(folder.error());
    auto kit = kitOf(c, **folder);
    if (!kit) return tl::unexpected(kit.error());
    const auto rounds = (*folder)->rounds().all();
    if (!rounds) return tl::unexpected(rounds.error());
    if (rounds->empty()) return fail(ErrorCode::NotFound, "Nothing was read into this folder yet.");
    auto round = number < 0 ? Result<carfolder::Round>(rounds->front()) : (*folder)->rounds().byNumber(number);
    if (!round) return tl::unexpected(round.error());
    return RoundOf{std::move(*folder), std::move(*kit), std::move(*round)};
}

}  // namespace brusk::ctl
