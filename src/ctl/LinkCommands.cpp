// identify, read, flash, sample, dtc: work with a controller over a link.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <iostream>

#include "core/base/Text.h"
#include "core/calibration/Calibration.h"
#include "core/image/ImageFile.h"
#include "core/job/Drive.h"
#include "core/job/FlashRound.h"
#include "core/job/ReadCar.h"
#include "core/recording/Mdf4.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

/// A link, the controller on it, and a client for it.
struct Session {
    OpenLink link;
    job::Found found;
    std::unique_ptr<link::Uds> uds;
};

Result<Session> connect(Context& c, const std::string& text, uint64_t seed, const std::string& route) {
    auto kits = dataKits(c);
    if (!kits) return tl::unexpected(kits.error());
    Session out;
    auto opened = openLink(text, seed);
    if (!opened) return tl::unexpected(opened.error());
    out.link = std::move(*opened);
    if (!route.empty()) {
        const auto* found = benchcar::routeNamed(route);
        if (!out.link.car) return fail(ErrorCode::BadInput, "--route drives the bench car of --link bench only.");
        if (!found) return fail(ErrorCode::BadInput, "There is no route \"" + route + "\".");
        out.link.car->startRoute(*found);
    }
    auto found = job::findController(*out.link.port, *kits);
    if (!found) return tl::unexpected(found.error());
    out.found = std::move(*found);
    out.uds = std::make_unique<link::Uds>(*out.link.port, out.found.kit->profile);
    return out;
}

link::OnProgress progressOnStandardError(const Context& c) {
    if (c.quiet) return {};
    return [last = std::string(), lastPercent = -1](const link::Progress& p) mutable {
        const int percent = p.total ? static_cast<int>(p.done * 100 / p.total) : 0;
        if (p.step == last && percent == lastPercent) return true;
        last = p.step, lastPercent = percent;
        std::cerr << "\r" << p.step << "  " << percent << " %  " << formatNumber(p.rate() / 1024, 1) << " KiB/s  "
                  << formatNumber(p.secondsLeft(), 0) << " s left   " << std::flush;
        if (p.done == p.total) std::cerr << "\n";
        return true;
    };
}

void identify(Context& c, const std::string& link, uint64_t seed) {
    const auto session = connect(c, link, seed, "");
    if (!session) return c.outcome.fail(session.error());
    const auto& identity = session->found.identity;
    c.outcome.json = {{"profile", session->found.kit->profile.name},
                      {"boot_mode", session->found.bootMode},
                      {"voltage", identity.voltage},
                      {"identity", identity.values}};
    c.outcome.text = session->found.why + "\n";
    for (const auto& item : session->found.kit->profile.identity)
        c.outcome.text += "  " + item.label + ": " + identity.at(item.key) + "\n";
    c.outcome.text += "  Battery: " + formatNumber(identity.voltage, 1) + " V\n";
}

void read(Context& c, const std::string& link, uint64_t seed, const std::string& out, bool calibrationOnly,
          bool force) {
    if (auto may = mayWrite(c, out, force); !may) return c.outcome.fail(may.error());
    const auto format = image::formatOfName(out);
    if (!format)
        return c.outcome.fail(Error{
            ErrorCode::BadInput, "The ending of " + out + " names no format; use .hex, .s19, .srec or .bin.", nullptr});
    const auto session = connect(c, link, seed, "");
    if (!session) return c.outcome.fail(session.error());
    std::vector<link::MemoryArea> areas;
    for (const auto& area : session->found.kit->profile.areas)
        if (!calibrationOnly || area.calibration) areas.push_back(area);
    image::Image image;
    const int64_t begun = session->link.port->now_us();
    if (auto done = link::readMemory(*session->uds, areas, image, progressOnStandardError(c)); !done)
        return c.outcome.fail(done.error());
    const double seconds = static_cast<double>(session->link.port->now_us() - begun) * 1e-6;
    const auto bytes = image::writeImage(image, *format);
    if (!bytes) return c.outcome.fail(bytes.error());
    if (auto done = c.files.save(out, *bytes); !done) return c.outcome.fail(done.error());
    c.outcome.json = {{"written", out}, {"bytes", image.size()}, {"seconds_on_the_wire", seconds}};
    c.outcome.text = "Read " + std::to_string(image.size()) + " bytes in " + formatNumber(seconds, 1) + " s into " +
                     out + "; the controller's checksums agree.\n";
}

/// For a flash without a car folder: nothing to remember, everything is told as it happens.
class NoJournal final : public link::FlashJournal {
  public:
    Done sectorBegun(const link::Sector&) override { return {}; }
    Done sectorVerified(const link::Sector&) override { return {}; }
};

Result<link::FlashReport> flashFile(Context& c, Session& session, const std::string& file, const std::string& base) {
    const auto bytes = c.files.read(file);
    if (!bytes) return tl::unexpected(bytes.error());
    const auto address = base.empty() ? std::optional<uint64_t>(0) : parseUnsigned(base);
    if (!address || *address > 0xFFFFFFFF)
        return fail(ErrorCode::BadInput, "The base address \"" + base + "\" is not a number of up to 32 bits.");
    auto image = image::readImage(*bytes, image::formatOfName(file).value_or(image::formatOfBytes(*bytes)),
                                  static_cast<uint32_t>(*address));
    if (!image) return failBecause(file + " can't be read.", image.error());
    const auto& kit = *session.found.kit;
    const calibration::Calibration calibration(kit.definition, *image);
    if (auto done = calibration.matchesDefinition(); !done) return tl::unexpected(done.error());
    std::vector<image::ChecksumArea> held;
    for (const auto& area : kit.profile.checksums)
        if (image->contains(area.start, area.length) && image->contains(area.storedAt, 4)) held.push_back(area);
    if (auto mended = image::mendChecksums(*image, held); !mended) return tl::unexpected(mended.error());
    if (session.found.identity.voltage < kit.profile.leastVoltage)
        return fail(ErrorCode::Refused, "The battery has " + formatNumber(session.found.identity.voltage, 1) +
                                            " V; at least " + formatNumber(kit.profile.leastVoltage, 1) +
                                            " V are needed.");
    if (session.found.identity.engineSpeed_rpm > 50)
        return fail(ErrorCode::Refused, "The engine is running. Switch it off, ignition on.");
    // Without a ledger the controller itself is asked which sectors differ.
    std::vector<link::Sector> sectors;
    if (auto done = session.uds->startSession(kit.profile.sessionExtended); !done) return tl::unexpected(done.error());
    if (auto done = session.uds->unlock(); !done) return tl::unexpected(done.error());
    for (const auto& sector : kit.profile.sectors()) {
        const auto wanted = image->bytes(sector.start, sector.length);
        if (!wanted) continue;
        const auto sum = session.uds->checksum(sector.start, sector.length);
        if (!sum) return tl::unexpected(sum.error());
        if (*sum != image::crc32(*wanted)) sectors.push_back(sector);
    }
    if (sectors.empty()) return link::FlashReport{};
    NoJournal journal;
    return link::flashSectors(*session.uds, *image, sectors, journal, progressOnStandardError(c));
}

Result<link::FlashReport> flashFromFolder(Context& c, Session& session, const std::string& car, int number) {
    auto folder = carfolder::CarFolder::open(c.files, car);
    if (!folder) return tl::unexpected(folder.error());
    for (const auto& round : (*folder)->rounds())
        if (round.number == number)
            return job::flashRound(*session.uds, *session.found.kit, **folder, round.id, progressOnStandardError(c));
    return fail(ErrorCode::NotFound, "The ledger has no round " + std::to_string(number) + ".");
}

void flash(Context& c, const std::string& link, uint64_t seed, const std::string& file, const std::string& base,
           const std::string& car, int round) {
    auto session = connect(c, link, seed, "");
    if (!session) return c.outcome.fail(session.error());
    const auto report = car.empty() ? flashFile(c, *session, file, base) : flashFromFolder(c, *session, car, round);
    if (!report) return c.outcome.fail(report.error());
    const double seconds = static_cast<double>(report->elapsed_us) * 1e-6;
    c.outcome.json = {{"sectors", report->sectors},
                      {"bytes", report->bytes},
                      {"seconds_on_the_wire", seconds},
                      {"share_of_theoretical_least", report->share()}};
    c.outcome.text = report->sectors == 0
                         ? "The controller holds these bytes already; nothing was written.\n"
                         : "Wrote and read back " + std::to_string(report->sectors) + " sectors, " +
                               std::to_string(report->bytes) + " bytes, in " + formatNumber(seconds, 1) +
                               " s; the theoretical least is " + formatNumber(report->share() * 100, 1) + " % of it.\n";
}

void sample(Context& c, const std::string& link, uint64_t seed, const std::string& route,
            const std::vector<std::string>& names, double seconds, const std::string& out, bool force) {
    if (!out.empty())
        if (auto may = mayWrite(c, out, force); !may) return c.outcome.fail(may.error());
    const auto session = connect(c, link, seed, route);
    if (!session) return c.outcome.fail(session.error());
    const auto& kit = *session->found.kit;
    auto channels = job::channelSet(kit, names);
    if (!channels) return c.outcome.fail(channels.error());
    job::DriveRecorder recorder(*session->uds, kit, *channels);
    recording::Recording recording = recorder.layout();
    const auto keep = [&](size_t group) {
        return [&recording, group](double time_s, const std::vector<float>& values) {
            recording::Group& g = recording.groups[group];
            g.time_s.push_back(time_s);
            for (size_t i = 0; i < values.size(); ++i)
                g.channels[i].values.push_back(values[i]);
        };
    };
    if (auto done = recorder.start(); !done) return c.outcome.fail(done.error());
    auto& port = *session->link.port;
    if (auto done = recorder.poll(port.now_us() + static_cast<int64_t>(seconds * 1e6), keep(0), keep(1)); !done)
        return c.outcome.fail(done.error());
    if (auto done = recorder.stop(); !done) return c.outcome.fail(done.error());
    if (!out.empty())
        if (auto done = recording::saveMdf4(c.files, out, recording); !done) return c.outcome.fail(done.error());
    json last = json::object();
    for (const auto& group : recording.groups)
        for (const auto& channel : group.channels)
            if (!channel.values.empty()) {
                last[channel.name] = {{"unit", channel.unit}, {"value", channel.values.back()}};
                c.outcome.text +=
                    channel.name + ": " + formatNumber(channel.values.back(), 3) + " " + channel.unit + "\n";
            }
    c.outcome.json = {
        {"rows", recording.groups[0].time_s.size()}, {"bus_load", channels->plan.busLoad}, {"last", last}};
    c.outcome.text += std::to_string(recording.groups[0].time_s.size()) + " rows, " +
                      formatNumber(channels->plan.busLoad * 100, 0) + " % of the link\n";
}

void troubleCodes(Context& c, const std::string& link, uint64_t seed, const std::string& route, double seconds,
                  bool clear) {
    const auto session = connect(c, link, seed, route);
    if (!session) return c.outcome.fail(session.error());
    auto& port = *session->link.port;
    // Whatever the car sends meanwhile is of no interest here.
    const int64_t until = port.now_us() + static_cast<int64_t>(seconds * 1e6);
    while (port.now_us() < until)
        if (auto frame = port.receive(until); !frame) return c.outcome.fail(frame.error());
    if (clear)
        if (auto done = session->uds->clearTroubleCodes(); !done) return c.outcome.fail(done.error());
    const auto codes = session->uds->readTroubleCodes();
    if (!codes) return c.outcome.fail(codes.error());
    c.outcome.json = json::array();
    for (const auto& code : *codes) {
        c.outcome.json.push_back({{"code", code.name()},
                                  {"status", code.status},
                                  {"failing_now", code.failingNow()},
                                  {"confirmed", code.confirmed()}});
        c.outcome.text +=
            code.name() + (code.failingNow() ? "  failing now" : "") + (code.confirmed() ? "  confirmed" : "") + "\n";
    }
    if (codes->empty()) c.outcome.text = "No trouble codes.\n";
}

}  // namespace

void addLinkCommands(CLI::App& app, Context& c) {
    struct Options {
        std::string link, out, file, base, car, route;
        std::vector<std::string> names;
        uint64_t seed = 1;
        int round = -1;
        double seconds = 0;
        bool force = false, calibration = false, clear = false;
    };
    const auto add = [&](const char* name, const char* help) {
        auto o = std::make_shared<Options>();
        auto* sub = app.add_subcommand(name, help);
        sub->add_option("--link", o->link, "bench or unix:PATH")->required();
        sub->add_option("--seed", o->seed, "seed of the bench car");
        return std::pair{sub, o};
    };
    {
        auto [sub, o] = add("identify", "who answers");
        sub->callback([o = o, &c] { identify(c, o->link, o->seed); });
    }
    {
        auto [sub, o] = add("read", "read the controller's memory into a file");
        sub->add_option("--out", o->out, "image file to write")->required();
        sub->add_flag("--calibration", o->calibration, "the calibration area only");
        sub->add_flag("--force", o->force, "replace the file");
        sub->callback([o = o, &c] { read(c, o->link, o->seed, o->out, o->calibration, o->force); });
    }
    {
        auto [sub, o] = add("flash", "write what differs, read it back");
        auto* file = sub->add_option("IMAGE", o->file, "image file");
        sub->add_option("--base", o->base, "address of a raw binary's first byte");
        auto* car = sub->add_option("--car", o->car, "car folder");
        auto* round = sub->add_option("--round", o->round, "round of the car folder");
        car->needs(round)->excludes(file);
        sub->callback([o = o, &c] {
            if (o->file.empty() == o->car.empty())
                throw CLI::ValidationError("flash", "give an IMAGE, or --car and --round");
            flash(c, o->link, o->seed, o->file, o->base, o->car, o->round);
        });
    }
    {
        auto [sub, o] = add("sample", "sample channels");
        o->seconds = 5;
        sub->add_option("NAME", o->names, "measurements besides those the fuelling corrections need");
        sub->add_option("--seconds", o->seconds)->check(CLI::Range(0.01, 36000.0));
        sub->add_option("--out", o->out, "MDF4 file to write");
        sub->add_option("--route", o->route, "the bench car drives this route meanwhile");
        sub->add_flag("--force", o->force, "replace the file");
        sub->callback([o = o, &c] { sample(c, o->link, o->seed, o->route, o->names, o->seconds, o->out, o->force); });
    }
    {
        auto [sub, o] = add("dtc", "read trouble codes");
        sub->add_flag("--clear", o->clear, "clear them first");
        sub->add_option("--route", o->route, "the bench car drives this route first");
        sub->add_option("--seconds", o->seconds, "wait this long before reading")->check(CLI::Range(0.0, 36000.0));
        sub->callback([o = o, &c] { troubleCodes(c, o->link, o->seed, o->route, o->seconds, o->clear); });
    }
}

}  // namespace brusk::ctl
