// identify, read, flash, check, profile: the memory of a controller over a link.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/Text.h"
#include "core/calibration/Calibration.h"
#include "core/image/ImageFile.h"
#include "core/job/FlashRound.h"
#include "core/job/ReadCar.h"
#include "core/job/Stock.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

void identify(Context& c, const LinkOptions& options) {
    const auto session = connect(c, options, false);
    if (!session) return c.outcome.fail(session.error());
    const auto& identity = session->found.identity;
    c.outcome.json = {{"profile", session->kit().profile.name},       {"boot_mode", session->found.bootMode},
                      {"mismatch", session->found.mismatch},          {"voltage", identity.voltage},
                      {"engine_speed_rpm", identity.engineSpeed_rpm}, {"identity", identity.values}};
    c.outcome.text = session->found.why + "\n";
    if (!session->found.mismatch.empty()) c.outcome.text += session->found.mismatch + "\n";
    for (const auto& item : session->kit().profile.identity)
        c.outcome.text += "  " + item.label + ": " + identity.at(item.key) + "\n";
    c.outcome.text += "  Battery: " + formatNumber(identity.voltage, 1) + " V\n";
}

/// What a read that is not finished has so far, in a file of its own beside the one it is for.
class PartFile final : public link::ReadKeeper {
  public:
    PartFile(Context& c, const std::string& out, image::Image& image) : c_(c), path_(out + ".part"), image_(image) {
        if (const auto kept = c.files.read(path_))
            if (auto part = image::readImage(*kept, image::Format::IntelHex, 0)) image_ = std::move(*part);
    }
    Done keep(uint32_t, ByteSpan) override {
        const auto bytes = image::writeImage(image_, image::Format::IntelHex);
        if (!bytes) return tl::unexpected(bytes.error());
        return c_.files.save(path_, *bytes);
    }
    void done() { (void)c_.files.remove(path_); }

  private:
    Context& c_;
    std::string path_;
    image::Image& image_;
};

json reportJson(const link::ReadReport& report) {
    return {{"bytes", report.bytes},
            {"seconds_on_the_wire", static_cast<double>(report.elapsed_us) * 1e-6},
            {"share_of_theoretical_least", report.share()},
            {"times_theoretical_least", report.share() > 0 ? 1 / report.share() : 0},
            {"retries", report.retries}};
}

std::string reportText(uint64_t bytes, int64_t elapsed_us, double share, int retries) {
    return std::to_string(bytes) + " bytes in " + formatNumber(static_cast<double>(elapsed_us) * 1e-6, 1) + " s, " +
           (share > 0 ? formatNumber(1 / share, 3) + " times the theoretical least" : "nothing to do") +
           (retries ? ", " + std::to_string(retries) + " retries" : std::string());
}

void read(Context& c, const LinkOptions& options, const std::string& out, bool calibrationOnly, bool force) {
    if (auto may = mayWrite(c, out, force); !may) return c.outcome.fail(may.error());
    const auto format = image::formatOfName(out);
    if (!format)
        return c.outcome.fail(Error{
            ErrorCode::BadInput, "The ending of " + out + " names no format; use .hex, .s19, .srec or .bin.", nullptr});
    const auto session = connect(c, options, false);
    if (!session) return c.outcome.fail(session.error());
    std::vector<link::MemoryArea> areas;
    for (const auto& area : session->kit().profile.areas)
        if (!calibrationOnly || area.calibration) areas.push_back(area);
    image::Image image;
    PartFile part(c, out, image);
    const auto report = link::readMemory(*session->uds, areas, image, &part, progressOnStandardError(c));
    if (!report) return c.outcome.fail(report.error());
    const auto bytes = image::writeImage(image, *format);
    if (!bytes) return c.outcome.fail(bytes.error());
    if (auto done = c.files.save(out, *bytes); !done) return c.outcome.fail(done.error());
    part.done();
    c.outcome.json = reportJson(*report);
    c.outcome.json["written"] = out;
    c.outcome.json["image_bytes"] = image.size();
    c.outcome.text = "Read " + reportText(report->bytes, report->elapsed_us, report->share(), report->retries) +
                     "; the controller's checksums agree. Written to " + out + ".\n";
}

void readIntoFolder(Context& c, const LinkOptions& options, const std::string& car, bool calibrationOnly) {
    const auto session = connect(c, options);
    if (!session) return c.outcome.fail(session.error());
    auto folder = openOrCreate(c, car);
    if (!folder) return c.outcome.fail(folder.error());
    if (auto done = (*folder)->settings().set("profile", session->kit().profile.name); !done)
        return c.outcome.fail(done.error());
    const link::Unkept unseen(session->link->traffic, job::holdsSealed(**folder));
    const auto outcome = job::readCar(*session->uds, session->kit(), session->found.identity, **folder,
                                      calibrationOnly ? job::ReadScope::Calibration : job::ReadScope::Everything,
                                      progressOnStandardError(c));
    if (!outcome) return c.outcome.fail(outcome.error());
    c.outcome.json = reportJson(outcome->report);
    if (!outcome->sealed || !outcome->round.title.empty()) c.outcome.json["round"] = outcome->round.number;
    if (outcome->sealed) c.outcome.json["sealed"] = true;
    c.outcome.json["original"] = outcome->isOriginal;
    c.outcome.json["unknown"] = outcome->unknown;
    c.outcome.text = outcome->sentence + "\nRead " +
                     reportText(outcome->report.bytes, outcome->report.elapsed_us, outcome->report.share(),
                                outcome->report.retries) +
                     ".\n";
}

/// For a flash without a car folder: nothing to remember, everything is told as it happens.
class NoJournal final : public link::FlashJournal {
  public:
    Done step(const image::Sector&, image::SectorStep) override { return {}; }
};

struct FlashChoice {
    std::string file, base, car;
    int round = -1;
    std::string scope = "changed";
    std::string typedSerial;
    bool clearLearned = false;
};

/// The sectors of a file to write. Without a ledger the controller itself is asked which ones differ.
Result<std::vector<image::Sector>> sectorsToWrite(LinkSession& session, const image::Image& image,
                                                  job::FlashScope scope) {
    const auto& profile = session.kit().profile;
    std::vector<image::Sector> out;
    if (auto done = link::openForTransfer(*session.uds, false); !done) return tl::unexpected(done.error());
    for (const auto& area : profile.areas)
        for (const auto& sector : profile.sectorsOf(area)) {
            const auto wanted = image.bytes(sector.start, sector.length);
            if (!wanted || (scope == job::FlashScope::Calibration && !area.calibration)) continue;
            if (scope == job::FlashScope::Changed) {
                const auto sum = session.uds->checksum(sector.start, sector.length);
                if (!sum) return tl::unexpected(sum.error());
                if (*sum == image::crc32(*wanted)) continue;
            }
            out.push_back(sector);
        }
    return out;
}

Result<link::FlashReport> flashFile(Context& c, LinkSession& session, const FlashChoice& choice,
                                    job::FlashScope scope) {
    const auto bytes = c.files.read(choice.file);
    if (!bytes) return tl::unexpected(bytes.error());
    const auto address = choice.base.empty() ? std::optional<uint64_t>(0) : parseUnsigned(choice.base);
    if (!address || *address > 0xFFFFFFFF)
        return fail(ErrorCode::BadInput, "\"" + choice.base + "\" is no address; write it like 0x8C0000.");
    const auto format = image::formatOfName(choice.file);
    auto image = image::readImage(*bytes, format.value_or(image::Format::Binary), static_cast<uint32_t>(*address));
    if (!image) return failBecause(choice.file + " can't be read.", image.error());
    const auto& kit = session.kit();
    const calibration::Calibration calibration(kit.definition, *image);
    // A part of the memory may lack the software id; the controller's own was compared when it was found.
    if (auto done = calibration.matchesDefinition(); !done && done.error().code == ErrorCode::Mismatch)
        return tl::unexpected(done.error());
    std::vector<image::ChecksumArea> held;
    for (const auto& area : kit.profile.checksums)
        if (image->contains(area.start, area.length) &&
            image->contains(area.storedAt, static_cast<uint32_t>(image::checksumSize(area.kind))))
            held.push_back(area);
    if (auto mended = image::mendChecksums(*image, held); !mended) return tl::unexpected(mended.error());
    const link::Identity& identity = session.found.identity;
    if (identity.voltage < kit.profile.leastVoltage || identity.voltage > kit.profile.mostVoltage)
        return fail(ErrorCode::Refused, "The battery has " + formatNumber(identity.voltage, 1) + " V; " +
                                            formatNumber(kit.profile.leastVoltage, 1) + " to " +
                                            formatNumber(kit.profile.mostVoltage, 1) + " V are needed.");
    if (identity.engineSpeed_rpm > 50)
        return fail(ErrorCode::Refused, "The engine is running. Switch it off, ignition on.");
    const auto sectors = sectorsToWrite(session, *image, scope);
    if (!sectors) return tl::unexpected(sectors.error());
    if (sectors->empty()) return link::FlashReport{};
    NoJournal journal;
    return link::flashSectors(*session.uds, *image, *sectors, journal, progressOnStandardError(c));
}

Result<link::FlashReport> flashFromFolder(Context& c, LinkSession& session, carfolder::CarFolder& folder,
                                          const FlashChoice& choice, job::FlashScope scope) {
    const auto round = folder.rounds().byNumber(choice.round);
    if (!round) return tl::unexpected(round.error());
    return job::flashRound(*session.uds, session.kit(), folder, round->id,
                           {scope, choice.typedSerial, choice.clearLearned}, progressOnStandardError(c));
}

void flash(Context& c, const LinkOptions& options, const FlashChoice& choice) {
    const auto scope = job::scopeNamed(choice.scope);
    if (!scope)
        return c.outcome.fail(Error{ErrorCode::BadInput, "--scope is changed, calibration or everything.", nullptr});
    std::unique_ptr<carfolder::CarFolder> folder;
    if (!choice.car.empty()) {
        auto opened = carfolder::CarFolder::open(c.files, choice.car);
        if (!opened) return c.outcome.fail(opened.error());
        folder = std::move(*opened);
        useOwnKey(c, *folder);
    }
    const auto usual = folder ? folder->settings().get("profile") : Result<std::string>(std::string());
    if (!usual) return c.outcome.fail(usual.error());
    // Before the car is asked anything: who may not write into the folder flashes nothing from it.
    if (folder && !folder->mayWrite())
        return c.outcome.fail({ErrorCode::Refused, "Nothing can be flashed: " + folder->whyNot()});
    auto session = connect(c, options, !folder, *usual);
    if (!session) return c.outcome.fail(session.error());
    const link::Unkept unseen(session->link->traffic, folder && job::holdsSealed(*folder));
    const auto before = folder ? folder->memory().contents(session->kit().profile.sectors())
                               : Result<carfolder::CarContents>(carfolder::CarContents{});
    if (!before) return c.outcome.fail(before.error());
    // A flash that was cut off is finished on what the controller holds now, not on what it held then.
    if (!before->unknown.empty())
        if (auto stock = job::takeStock(*session->uds, session->kit(), *folder, job::StockScope::Everything); !stock)
            return c.outcome.fail(stock.error());
    const auto report =
        folder ? flashFromFolder(c, *session, *folder, choice, *scope) : flashFile(c, *session, choice, *scope);
    if (!report) return c.outcome.fail(report.error());
    c.outcome.json = {{"sectors", report->sectors},
                      {"bytes", report->bytes},
                      {"seconds_on_the_wire", static_cast<double>(report->elapsed_us) * 1e-6},
                      {"share_of_theoretical_least", report->share()},
                      {"times_theoretical_least", report->share() > 0 ? 1 / report->share() : 0},
                      {"retries", report->retries}};
    c.outcome.text = report->sectors == 0
                         ? "The controller holds these bytes already; nothing was written.\n"
                         : "Wrote and read back " + std::to_string(report->sectors) + " sectors, " +
                               reportText(report->bytes, report->elapsed_us, report->share(), report->retries) + ".\n";
}

std::string sentenceOf(const carfolder::CarFolder& folder, const carfolder::CarContents& contents) {
    const auto named = contents.round ? folder.rounds().byId(*contents.round)
                                      : Result<carfolder::Round>(fail(ErrorCode::NotFound, ""));
    const auto unfinished = contents.unfinished ? folder.rounds().byId(contents.unfinished->round)
                                                : Result<carfolder::Round>(fail(ErrorCode::NotFound, ""));
    return job::whatIsInTheCar(contents, named ? &*named : nullptr, unfinished ? &*unfinished : nullptr);
}

void check(Context& c, const LinkOptions& options, const std::string& car) {
    auto folder = carfolder::CarFolder::open(c.files, car);
    if (!folder) return c.outcome.fail(folder.error());
    useOwnKey(c, **folder);
    const auto session = connect(c, options);
    if (!session) return c.outcome.fail(session.error());
    const link::Unkept unseen(session->link->traffic, job::holdsSealed(**folder));
    const auto stock = job::takeStock(*session->uds, session->kit(), **folder, job::StockScope::Everything);
    if (!stock) return c.outcome.fail(stock.error());
    const auto contents = (*folder)->memory().contents(session->kit().profile.sectors());
    if (!contents) return c.outcome.fail(contents.error());
    const std::string sentence = sentenceOf(**folder, *contents);
    c.outcome.json = {{"looked", stock->looked},
                      {"settled", stock->settled},
                      {"changed", stock->changed},
                      {"unknown", contents->unknown.size()},
                      {"sentence", sentence}};
    c.outcome.text = stock->sentence + " " + sentence + "\n";
    if (stock->changed) c.outcome.code = kCheckFailed;
}

void checkProfile(Context& c, const std::string& file) {
    const auto bytes = c.files.read(file);
    if (!bytes) return c.outcome.fail(bytes.error());
    const auto profile = link::readProfile(asText(*bytes));
    if (!profile) return c.outcome.fail(profile.error());
    c.outcome.json = {{"name", profile->name},
                      {"hardware", profile->hardware},
                      {"areas", profile->areas.size()},
                      {"sectors", profile->sectors().size()},
                      {"checksums", profile->checksums.size()}};
    c.outcome.text = profile->name + ": " + std::to_string(profile->areas.size()) + " areas, " +
                     std::to_string(profile->sectors().size()) + " sectors, " +
                     std::to_string(profile->checksums.size()) + " checksums.\n";
}

}  // namespace

void addLinkCommands(Command app, Context& c) {
    struct Options {
        LinkOptions link;
        FlashChoice flash;
        std::string out, car, file;
        bool force = false, calibration = false;
    };
    const auto add = [&](const char* name, const char* help) {
        auto o = std::make_shared<Options>();
        auto sub = app.command(name, help);
        o->link.addTo(sub);
        return std::pair{sub, o};
    };
    {
        auto [sub, o] = add("identify", "who answers");
        sub.run([o = o, &c] { identify(c, o->link); });
    }
    {
        auto [sub, o] = add("read", "read the controller's memory into a file or a car folder");
        auto out = sub.option("--out", o->out, "image file to write; what an interrupted read has is kept beside it");
        sub.option("--car", o->car, "car folder; made when there is none").excludes(out);
        sub.flag("--calibration", o->calibration, "the calibration area only");
        sub.flag("--force", o->force, "replace the file");
        sub.run([o = o, &c] {
            if (o->out.empty() == o->car.empty()) throw WrongUse{"read: give --out or --car."};
            if (o->car.empty())
                read(c, o->link, o->out, o->calibration, o->force);
            else
                readIntoFolder(c, o->link, o->car, o->calibration);
        });
    }
    {
        auto [sub, o] = add("flash", "write a scope, read it back");
        auto file = sub.option("IMAGE", o->flash.file, "image file");
        sub.option("--base", o->flash.base, "address of a raw binary's first byte");
        auto car = sub.option("--car", o->flash.car, "car folder");
        auto round = sub.option("--round", o->flash.round, "round of the car folder");
        sub.option("--scope", o->flash.scope, "changed (usual), calibration or everything");
        sub.option("--serial", o->flash.typedSerial,
                   "the controller's serial number, typed to override a mismatch; written in the ledger")
            .needs(car);
        sub.flag("--clear-learned", o->flash.clearLearned,
                 "clear trouble codes and what the controller learned once the round is in")
            .needs(car);
        car.needs(round).excludes(file);
        sub.run([o = o, &c] {
            if (o->flash.file.empty() == o->flash.car.empty())
                throw WrongUse{"flash: give an IMAGE, or --car and --round."};
            flash(c, o->link, o->flash);
        });
    }
    {
        auto [sub, o] = add("check", "whether the car holds what its folder says");
        sub.option("--car", o->car, "car folder").required();
        sub.run([o = o, &c] { check(c, o->link, o->car); });
    }
    {
        auto o = std::make_shared<Options>();
        auto profile = app.group("profile", "controller profiles");
        auto sub = profile.command("check", "whether a profile can be used");
        sub.option("FILE", o->file).required();
        sub.run([o = o, &c] { checkProfile(c, o->file); });
    }
}

}  // namespace brusk::ctl
