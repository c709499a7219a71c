// seal, unseal: rounds for somebody else, and from somebody else.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include "core/base/Text.h"
#include "core/deliver/Archive.h"
#include "core/job/MakeReport.h"
#include "core/job/Parcel.h"
#include "ctl/Links.h"

namespace brusk::ctl {

nlohmann::json mayJson(const deliver::Allowed& may) {
    nlohmann::json out = nlohmann::json::array();
    using enum deliver::May;
    for (const deliver::May one : {Look, Change, Flash, Record})
        if (may.to(one)) out.push_back(deliver::mayName(one));
    return out;
}

namespace {

using nlohmann::json;

struct Options {
    std::string car, out, file;
    int round = -1;
    std::vector<std::string> to;
    std::string vin, serial, software, note;
    std::vector<std::string> codes;
    LinkOptions link;
    bool withoutOriginal = false;
    bool once = false, older = false, noWayBack = false, force = false;
};

json bindingJson(const deliver::Binding& car) {
    json out = json::object();
    const std::pair<const char*, const std::string*> parts[] = {
        {"vin", &car.vin}, {"serial", &car.serial}, {"software", &car.software}};
    for (const auto& [name, value] : parts)
        out[name] = value->empty() ? "any" : *value;
    return out;
}

std::string sentenceOf(const deliver::Rights& rights) {
    std::string out = "From " + rights.makerName + " (" + rights.maker + "), number " + std::to_string(rights.number) +
                      ".\nYou may: " + rights.may.text() + ".\n";
    const auto bound = [&](const char* what, const std::string& value) {
        if (!value.empty()) out += std::string("Only for ") + what + " " + value + ".\n";
    };
    bound("VIN", rights.car.vin);
    bound("controller", rights.car.serial);
    bound("software", rights.car.software);
    if (rights.writeAllOnce) out += "Its first flash writes everything.\n";
    if (!rights.wayBack) out += "Once flashed, only what its maker seals goes over it: there is no way back.\n";
    return out;
}

json sealedJson(const deliver::SealedCalibration& sealed) {
    return {{"from", {{"name", sealed.rights.makerName}, {"fingerprint", sealed.rights.maker}}},
            {"may", mayJson(sealed.rights.may)},
            {"binding", bindingJson(sealed.rights.car)},
            {"title", sealed.title},
            {"note", sealed.note},
            {"id", sealed.rights.id},
            {"number", sealed.rights.number},
            {"made", sealed.head.made},
            {"write_all_once", sealed.rights.writeAllOnce},
            {"way_back", sealed.rights.wayBack}};
}

/// "NAME=flash,record": a trusted card, and what its owner may do.
Result<deliver::Person> personOf(const deliver::Home& home, const std::string& text) {
    const size_t equals = text.rfind('=');
    if (equals == std::string::npos) throw WrongUse{"--to is CARD=change, look, flash or record, several by commas."};
    auto may = deliver::Allowed::parse(std::string_view(text).substr(equals + 1));
    if (!may) throw WrongUse{may.error().text()};
    auto card = home.named(text.substr(0, equals));
    if (!card) return tl::unexpected(card.error());
    return deliver::Person{std::move(*card), *may};
}

/// What was said, "any" for no binding; else what the folder says of its car.
std::string boundTo(const std::string& said, const std::string& folders) {
    return said == "any" ? "" : said.empty() ? folders : said;
}

Done seal(Context& c, const Options& o) {
    if (auto may = mayWrite(c, o.out, o.force); !may) return may;
    const auto home = homeOf(c);
    job::SealOptions options;
    for (const std::string& one : o.to) {
        auto person = personOf(home, one);
        if (!person) return tl::unexpected(person.error());
        options.to.push_back(std::move(*person));
    }
    const auto key = keyOf(c);
    if (!key) return tl::unexpected(key.error());
    const auto from = roundOf(c, o.car, o.round);
    if (!from) return tl::unexpected(from.error());
    const auto car = job::carOf(*from->folder);
    if (!car) return tl::unexpected(car.error());
    options.car = {boundTo(o.vin, car->vin), boundTo(o.serial, car->serial), boundTo(o.software, car->software)};
    options.writeAllOnce = o.once;
    options.allowOlder = o.older;
    options.wayBack = !o.noWayBack;
    options.note = o.note;
    Result<deliver::SealedCalibration> back = fail(ErrorCode::Broken, "");
    const auto save = [&](ByteSpan file) -> Done {
        if (auto done = c.files.save(o.out, file); !done) return done;
        // Read back as its maker reads it: what can't be opened was not sealed.
        back = deliver::unseal(file, *key, home);
        return back ? Done() : Done(tl::unexpected(back.error()));
    };
    if (auto done = job::sealRound(*from->kit, *from->folder, from->round.id, *key, options, save); !done) return done;
    c.outcome.json = sealedJson(*back);
    c.outcome.json["round"] = from->round.number;
    c.outcome.json["written"] = o.out;
    json people = json::array();
    for (const auto& person : options.to) {
        people.push_back({{"name", person.card.name}, {"may", mayJson(person.may)}});
        c.outcome.text += person.card.name + " may: " + person.may.text() + ".\n";
    }
    c.outcome.json["to"] = people;
    c.outcome.text = "Sealed round " + std::to_string(from->round.number) + " into " + o.out + ".\n" + c.outcome.text;
    return {};
}

Done unseal(Context& c, const Options& o) {
    const auto key = keyOf(c);
    if (!key) return tl::unexpected(key.error());
    const auto file = c.files.read(o.file, uint64_t{256} << 20);
    if (!file) return tl::unexpected(file.error());
    const auto sealed = deliver::unseal(*file, *key, homeOf(c));
    if (!sealed) return tl::unexpected(sealed.error());
    c.outcome.json = sealedJson(*sealed);
    c.outcome.text =
        sealed->title + "\n" + (sealed->note.empty() ? "" : sealed->note + "\n") + sentenceOf(sealed->rights);
    if (o.car.empty()) return {};
    auto folder = carfolder::CarFolder::open(c.files, o.car);
    if (!folder) return tl::unexpected(folder.error());
    const auto kit = kitOf(c, **folder);
    if (!kit) return tl::unexpected(kit.error());
    const auto round = job::takeSealed(**kit, **folder, *sealed, *file);
    if (!round) return tl::unexpected(round.error());
    c.outcome.json["round"] = round->number;
    c.outcome.json["sealed"] = round->sealed;
    c.outcome.text += "It is round " + std::to_string(round->number) + " of " + o.car + ".\n";
    return {};
}

/// The trouble codes of the car on the link, a line each.
Done readCodes(Context& c, const Options& o, job::ParcelOptions& options) {
    if (o.link.link.empty()) return {};
    const auto session = connect(c, o.link);
    if (!session) return tl::unexpected(session.error());
    const auto codes = job::troubleCodes(*session->uds, session->kit());
    if (!codes) return tl::unexpected(codes.error());
    options.codes = job::codeLines(*codes);
    return {};
}

Done makeParcel(Context& c, const Options& o) {
    if (auto may = mayWrite(c, o.out, o.force); !may) return may;
    const auto home = homeOf(c);
    job::ParcelOptions options;
    for (const std::string& name : o.to) {
        auto card = home.named(name);
        if (!card) return tl::unexpected(card.error());
        options.to.push_back(std::move(*card));
    }
    options.note = o.note;
    options.withOriginal = !o.withoutOriginal;
    const auto key = keyOf(c);
    if (!key) return tl::unexpected(key.error());
    auto folder = carfolder::CarFolder::open(c.files, o.car);
    if (!folder) return tl::unexpected(folder.error());
    const auto kit = kitOf(c, **folder);
    if (!kit) return tl::unexpected(kit.error());
    if (auto done = readCodes(c, o, options); !done) return done;
    std::vector<std::string> leftOut;
    const auto file = job::makeParcel(**kit, **folder, *key, options, leftOut);
    if (!file) return tl::unexpected(file.error());
    if (auto done = c.files.save(o.out, *file); !done) return done;
    c.outcome.json = {{"written", o.out}, {"bytes", file->size()}, {"codes", options.codes}, {"left_out", leftOut}};
    c.outcome.text = "Wrote the parcel " + o.out + ", " + std::to_string(file->size() / 1024) + " KiB.\n";
    for (const std::string& sentence : leftOut)
        c.outcome.text += sentence + "\n";
    return {};
}

Done openParcel(Context& c, const Options& o) {
    const auto key = keyOf(c);
    if (!key) return tl::unexpected(key.error());
    const auto file = c.files.read(o.file);
    if (!file) return tl::unexpected(file.error());
    const auto parcel = job::openParcel(*file, *key, homeOf(c));
    if (!parcel) return tl::unexpected(parcel.error());
    c.outcome.json = {{"from", {{"name", parcel->head.by.name}, {"fingerprint", parcel->head.by.fingerprint()}}},
                      {"made", parcel->head.made},
                      {"note", parcel->note},
                      {"identity", parcel->identity},
                      {"codes", parcel->codes}};
    c.outcome.text = "From " + parcel->head.by.name + ", " + std::to_string(parcel->drives.size()) + " recordings.\n" +
                     (parcel->note.empty() ? "" : parcel->note + "\n");
    for (const std::string& code : parcel->codes)
        c.outcome.text += "Trouble code " + code + "\n";
    if (o.car.empty()) return {};
    // A folder that is made for it goes by the controller that the parcel names; it is made when that is known.
    const auto kits = dataKits(c);
    if (!kits) return tl::unexpected(kits.error());
    auto kit = job::kitOfHardware(*kits, parcel->identity.contains("hardware") ? parcel->identity.at("hardware") : "");
    if (!kit && !carfolder::CarFolder::isThere(c.files, o.car)) return tl::unexpected(kit.error());
    const auto folder = openOrCreate(c, o.car);
    if (!folder) return tl::unexpected(folder.error());
    if (auto own = kitOf(c, **folder)) kit = std::move(own);
    if (!kit) return tl::unexpected(kit.error());
    const auto taken = job::takeParcel(**kit, **folder, *parcel);
    if (!taken) return tl::unexpected(taken.error());
    json drives = json::array();
    for (const auto& drive : taken->drives) {
        json one{{"file", "recordings/" + drive.entry.file}, {"bound", drive.round.has_value()}};
        if (drive.round) one["round"] = *drive.round;
        drives.push_back(one);
        c.outcome.text +=
            drive.entry.file +
            (drive.round ? " belongs to round " + std::to_string(*drive.round) : std::string(" belongs to no round")) +
            "\n";
    }
    c.outcome.json["recordings"] = drives;
    c.outcome.json["already_there"] = taken->there;
    c.outcome.json["original"] = taken->original;
    if (taken->inCar) c.outcome.json["in_car"] = *taken->inCar;
    for (const std::string& sentence : taken->news)
        c.outcome.text += sentence + "\n";
    return {};
}

Done makeArchive(Context& c, const Options& o) {
    const auto folder = carfolder::CarFolder::open(c.files, o.car, carfolder::Purpose::Look);
    if (!folder) return tl::unexpected(folder.error());
    const auto done = deliver::archive(**folder, o.out);
    if (!done) return tl::unexpected(done.error());
    c.outcome.json = {{"written", o.out}, {"pieces", done->pieces}, {"bytes", done->bytes}};
    c.outcome.text = "Wrote " + std::to_string(done->pieces) + " files into " + o.out + ".\n";
    return {};
}

Done openArchive(Context& c, const Options& o) {
    const auto done = deliver::restore(c.files, o.file, o.out);
    if (!done) return tl::unexpected(done.error());
    // Opened once: what it holds is what a folder holds.
    const auto folder = carfolder::CarFolder::open(c.files, o.out);
    if (!folder) return tl::unexpected(folder.error());
    c.outcome.json = {{"written", o.out}, {"pieces", done->pieces}, {"lost", done->lost}};
    c.outcome.text = "Made " + o.out + " of " + std::to_string(done->pieces) + " files.\n";
    for (const std::string& name : done->lost)
        c.outcome.text += name + " is damaged in the archive and is lost.\n";
    if (!done->listed) c.outcome.text += "The archive's own list was damaged: only its checksums were looked at.\n";
    return {};
}

json cellJson(const deliver::ReportCell& cell) {
    if (const auto* words = std::get_if<std::string>(&cell)) return *words;
    const auto& value = std::get<deliver::Quantity>(cell).value;
    return value ? json(*value) : json(nullptr);
}

json blockJson(const std::string& paragraph) {
    return {{"text", paragraph}};
}
json blockJson(const deliver::ReportTable& table) {
    json columns = json::array(), rows = json::array();
    for (const auto& column : table.columns)
        columns.push_back({{"title", column.title}, {"unit", column.unit}});
    for (const auto& row : table.rows) {
        json cells = json::array();
        for (const auto& cell : row)
            cells.push_back(cellJson(cell));
        rows.push_back(std::move(cells));
    }
    return {{"table", {{"title", table.title}, {"columns", columns}, {"rows", rows}}}};
}
json blockJson(const deliver::ReportMaps& maps) {
    json list = json::array();
    for (const auto& map : maps.maps) {
        json values = json::array();
        for (const auto& value : map.values)
            values.push_back(value ? json(*value) : json(nullptr));
        list.push_back({{"title", map.title}, {"values", values}});
    }
    return {{"maps",
             {{"title", maps.title},
              {"unit", maps.unit},
              {"x", {{"title", maps.xTitle}, {"unit", maps.xUnit}, {"values", maps.x}}},
              {"y", {{"title", maps.yTitle}, {"unit", maps.yUnit}, {"values", maps.y}}},
              {"scale", maps.scale},
              {"maps", list}}}};
}

/// Pages are laid out by the program with the window, without one: it lies beside this one.
Done writePdf(const Options& o, int round, const std::string& tuner) {
    std::array<char, 4096> self{};
    const ssize_t length = ::readlink("/proc/self/exe", self.data(), self.size() - 1);
    const std::string beside(self.data(), length > 0 ? static_cast<size_t>(length) : 0);
    std::vector<std::string> words{beside.substr(0, beside.rfind('/') + 1) + "brusk",
                                   "--write-report",
                                   o.out,
                                   "--report-round",
                                   std::to_string(round),
                                   "--report-words",
                                   o.note,
                                   "--report-tuner",
                                   tuner,
                                   "--",
                                   o.car};
    std::vector<char*> arguments;
    arguments.reserve(words.size() + 1);
    for (std::string& word : words)
        arguments.push_back(word.data());
    arguments.push_back(nullptr);
    ::setenv("QT_QPA_PLATFORM", "offscreen", 1);
    pid_t child = 0;
    int status = 0;
    if (::posix_spawn(&child, words[0].c_str(), nullptr, nullptr, arguments.data(), environ) != 0 ||
        ::waitpid(child, &status, 0) != child || !WIFEXITED(status) || WEXITSTATUS(status) != 0)
        return fail(ErrorCode::Io, "The PDF could not be written by " + words[0] + ".");
    return {};
}

Done report(Context& c, const Options& o) {
    if (!o.out.empty())
        if (auto may = mayWrite(c, o.out, o.force); !may) return may;
    const auto from = roundOf(c, o.car, o.round);
    if (!from) return tl::unexpected(from.error());
    const auto card = homeOf(c).card();
    const auto made = job::reportOn(*from->kit, *from->folder, from->round.id,
                                    {card && *card ? (*card)->name : std::string(), o.note, "Brusk"});
    if (!made) return tl::unexpected(made.error());
    json sections = json::array();
    for (const auto& section : made->sections) {
        json blocks = json::array();
        for (const auto& block : section.blocks)
            blocks.push_back(std::visit([](const auto& one) { return blockJson(one); }, block));
        sections.push_back({{"title", section.title}, {"blocks", blocks}});
    }
    c.outcome.json = {{"title", made->title}, {"subtitle", made->subtitle}, {"sections", sections}};
    c.outcome.text = deliver::textOf(*made);
    if (o.out.empty()) return {};
    if (storage::Path(o.out).extension() == ".pdf") {
        c.outcome.json["written"] = o.out;
        c.outcome.text = "Wrote " + o.out + ".\n";
        return writePdf(o, from->round.number, card && *card ? (*card)->name : std::string());
    }
    const bool asJson = storage::Path(o.out).extension() == ".json";
    const std::string text =
        asJson ? c.outcome.json.dump(2, ' ', false, json::error_handler_t::replace) + "\n" : c.outcome.text;
    if (auto done = c.files.save(o.out, asBytes(text)); !done) return done;
    c.outcome.text = "Wrote " + o.out + ".\n";
    return {};
}

}  // namespace

void addDeliverCommands(Command app, Context& c) {
    auto o = std::make_shared<Options>();
    const auto runs = [&c, o](Command command, auto work) {
        command.run([&c, o, work] {
            if (auto done = work(c, *o); !done) c.outcome.fail(done.error());
        });
    };
    auto sealing = app.command("seal", "a round for somebody far away: sealed to them, for one car");
    sealing.option("--car", o->car, "car folder").required();
    sealing.option("--round", o->round, "round; else the newest");
    sealing.option("--to", o->to, "CARD=change|look|flash|record[,..]; again for each person").required();
    sealing.option("--vin", o->vin, "VIN it is for, or any; else the folder's");
    sealing.option("--serial", o->serial, "controller it is for, or any; else the folder's");
    sealing.option("--software", o->software, "software it is for, or any; else the folder's");
    sealing.option("--note", o->note, "words for whoever opens it");
    sealing.flag("--write-all-once", o->once, "its first flash writes everything, whatever the car holds");
    sealing.flag("--allow-older", o->older, "it may be taken after a newer one");
    sealing.flag("--no-way-back", o->noWayBack, "only what you seal goes over it once it was flashed");
    sealing.option("--out", o->out, "file to write").required();
    sealing.flag("--force", o->force, "overwrite it");
    runs(sealing, seal);
    auto opening = app.command("unseal", "what a sealed calibration is; with --car, take it as a round");
    opening.option("FILE", o->file, "the sealed calibration").required();
    opening.option("--car", o->car, "car folder that takes it");
    runs(opening, unseal);

    Command parcel = app.group("parcel", "what was driven, for whoever made the calibration");
    auto packing = parcel.command("make", "recordings, trouble codes and what is in the car, sealed to somebody");
    packing.option("--car", o->car, "car folder").required();
    packing.option("--to", o->to, "trusted card; again for each person").required();
    packing.option("--note", o->note, "words for whoever opens it");
    packing.flag("--without-original", o->withoutOriginal, "the first read stays here");
    o->link.addTo(packing, false);
    packing.option("--out", o->out, "file to write").required();
    packing.flag("--force", o->force, "overwrite it");
    runs(packing, makeParcel);
    auto unpacking = parcel.command("open", "what is in a parcel; with --car, take it into that folder");
    unpacking.option("FILE", o->file, "the parcel").required();
    unpacking.option("--car", o->car, "car folder that takes it; it is made if it is not there");
    runs(unpacking, openParcel);

    auto reporting = app.command("report", "what was done to a car, and why, with what its drives showed");
    reporting.option("--car", o->car, "car folder").required();
    reporting.option("--round", o->round, "round; else the newest");
    reporting.option("--words", o->note, "words for the owner");
    reporting.option("--out", o->out, "file to write, .pdf, .json or .txt; else standard output");
    reporting.flag("--force", o->force, "overwrite it");
    runs(reporting, report);

    Command archive = app.group("archive", "a whole car folder as one file");
    auto making = archive.command("make", "write one; rounds that came sealed stay sealed in it");
    making.option("--car", o->car, "car folder").required();
    making.option("--out", o->out, "file to write; nothing is overwritten").required();
    runs(making, makeArchive);
    auto restoring = archive.command("open", "make the folder anew from it");
    restoring.option("FILE", o->file, "the archive").required();
    restoring.option("--out", o->out, "folder to make; nothing may stand there").required();
    runs(restoring, openArchive);
}

}  // namespace brusk::ctl
