// image, values, set, compare, transfer: work on files alone.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <memory>

#include "core/base/Text.h"
#include "core/calibration/Cdf.h"
#include "core/calibration/Compare.h"
#include "core/calibration/Transfer.h"
#include "core/job/Correct.h"
#include "core/units/Units.h"
#include "ctl/Links.h"
#include "ctl/Loading.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

json numbers(const std::vector<double>& values) {
    json out = json::array();
    for (const double v : values)
        out.push_back(std::isfinite(v) ? json(v) : json(nullptr));
    return out;
}

/// A table in the units that were asked for.
calibration::Table inUnits(calibration::Table t, const units::Preferences& wanted) {
    const auto turn = [&](std::vector<double>& values, std::string& unit, int& decimals) {
        const auto shown = wanted.shown(unit);
        std::transform(values.begin(), values.end(), values.begin(), shown);
        decimals = shown.decimals(decimals);
        unit = shown.unit;
    };
    turn(t.values, t.unit, t.decimals);
    turn(t.x.values, t.x.unit, t.x.decimals);
    turn(t.y.values, t.y.unit, t.y.decimals);
    return t;
}

json tableJson(const calibration::Table& t) {
    using Kind = definition::Parameter::Kind;
    json out{{"kind", definition::kindName(t.parameter->kind)}, {"unit", t.unit}};
    const auto axis = [](const calibration::AxisValues& a) {
        return json{{"unit", a.unit}, {"values", numbers(a.values)}};
    };
    switch (t.parameter->kind) {
        case Kind::Text:
            out["value"] = t.text;
            break;
        case Kind::Value:
            out["value"] = t.values[0];
            if (!t.text.empty()) out["text"] = t.text;
            break;
        case Kind::Map: {
            json rows = json::array();
            for (size_t r = 0; r < t.rows; ++r)
                rows.push_back(numbers({t.values.begin() + static_cast<long>(r * t.columns),
                                        t.values.begin() + static_cast<long>((r + 1) * t.columns)}));
            out["values"] = rows;
            out["x"] = axis(t.x);
            out["y"] = axis(t.y);
            break;
        }
        case Kind::Curve:
            out["values"] = numbers(t.values);
            out["x"] = axis(t.x);
            break;
        default:
            out["values"] = numbers(t.values);
    }
    return out;
}

std::string tableText(const calibration::Table& t) {
    std::string out = t.parameter->name + " (" + std::string(definition::kindName(t.parameter->kind)) +
                      (t.unit.empty() ? "" : ", " + t.unit) + ")\n";
    if (!t.text.empty()) out += "  " + t.text + "\n";
    const auto cell = [](double v, int decimals) {
        std::string s = formatNumber(v, decimals);
        return std::string(s.size() < 9 ? 9 - s.size() : 1, ' ') + s;
    };
    if (!t.x.values.empty()) {
        out += t.y.values.empty() ? "" : std::string(9, ' ');
        for (const double v : t.x.values)
            out += cell(v, t.x.decimals);
        out += "  " + t.x.label + " " + t.x.unit + "\n";
    }
    for (size_t r = 0; r < t.rows && !t.values.empty(); ++r) {
        if (!t.y.values.empty()) out += cell(t.y.values[r], t.y.decimals);
        for (size_t k = 0; k < t.columns; ++k)
            out += cell(t.at(r, k), t.decimals);
        out += "\n";
    }
    return out;
}

void imageInfo(Context& c, const std::string& file, const std::string& base) {
    const auto loaded = loadImage(c, file, base);
    if (!loaded) return c.outcome.fail(loaded.error());
    c.outcome.json = {{"format", image::formatName(loaded->format)}, {"segments", json::array()}};
    c.outcome.text = std::string(image::formatName(loaded->format)) + "\n";
    if (!loaded->remarks.empty()) c.outcome.json["remarks"] = loaded->remarks;
    for (const std::string& remark : loaded->remarks)
        c.outcome.text += remark + "\n";
    for (const auto& s : loaded->image.segments()) {
        const std::string sha = sha256Hex(s.bytes);
        c.outcome.json["segments"].push_back({{"start", s.start}, {"size", s.bytes.size()}, {"sha256", sha}});
        c.outcome.text += "  " + hexAddress(s.start) + "  " + std::to_string(s.bytes.size()) + " bytes  " + sha + "\n";
    }
}

void imageConvert(Context& c, const std::string& in, const std::string& out, const std::string& base, int row,
                  bool force) {
    const auto loaded = loadImage(c, in, base);
    if (!loaded) return c.outcome.fail(loaded.error());
    const auto format = image::formatOfName(out);
    if (!format)
        return c.outcome.fail(Error{
            ErrorCode::BadInput, "The ending of " + out + " names no format; use .hex, .s19, .srec or .bin.", nullptr});
    const auto bytes = image::writeImage(loaded->image, *format, row);
    if (!bytes) return c.outcome.fail(bytes.error());
    if (auto may = mayWrite(c, out, force); !may) return c.outcome.fail(may.error());
    if (auto done = c.files.save(out, *bytes); !done) return c.outcome.fail(done.error());
    c.outcome.json = {{"written", out}, {"format", image::formatName(*format)}, {"bytes", loaded->image.size()}};
    c.outcome.text = "Wrote " + out + " (" + std::string(image::formatName(*format)) + ", " +
                     std::to_string(loaded->image.size()) + " data bytes).\n";
}

/// As it is stored: counts, without units.
calibration::Table inCounts(calibration::Table t) {
    const auto turn = [](std::vector<double>& values, const std::vector<double>& raw, std::string& unit,
                         int& decimals) {
        if (raw.size() == values.size()) values = raw;
        unit.clear();
        decimals = 0;
    };
    turn(t.values, t.raw, t.unit, t.decimals);
    turn(t.x.values, t.x.raw, t.x.unit, t.x.decimals);
    turn(t.y.values, t.y.raw, t.y.unit, t.y.decimals);
    return t;
}

/// A measurement whose address the image holds: its number, or a list where it is an array.
Result<json> measurementJson(const calibration::Calibration& calibration, const definition::Measurement& m, bool raw) {
    const auto& definition = calibration.definition();
    const auto size = static_cast<uint32_t>(definition::sizeOf(m.type));
    const auto bytes = calibration.image().bytes(m.address, size * m.elements);
    if (!bytes)
        return fail(ErrorCode::NotFound,
                    "The image does not hold " + m.name + ": it lies at " + hexAddress(m.address) + ".");
    std::vector<double> numbersOf;
    for (uint32_t i = 0; i < m.elements; ++i)
        numbersOf.push_back(raw ? definition::rawOf(definition, m, bytes->data() + i * size)
                                : definition::physicalOf(definition, m, bytes->data() + i * size));
    json out{{"kind", "measurement"}};
    if (!raw) out["unit"] = definition.unitOf(m);
    if (m.elements > 1)
        out["values"] = numbers(numbersOf);
    else
        out["value"] = std::isfinite(numbersOf[0]) ? json(numbersOf[0]) : json();
    const auto& conversion = definition.conversionOf(m);
    if (m.elements == 1 && conversion.kind == definition::Conversion::Kind::Verbal)
        out["text"] = conversion.textFor(definition::rawOf(definition, m, bytes->data()));
    return out;
}

void values(Context& c, const std::string& definition, const std::string& imagePath,
            const std::vector<std::string>& names, const std::string& base, const std::string& unitsText,
            const std::string& cdf, bool raw, bool force) {
    const auto calibration = loadCalibration(c, definition, imagePath, base);
    if (!calibration) return c.outcome.fail(calibration.error());
    std::vector<std::string> wanted = names;
    const bool all = wanted.empty();
    if (all)
        for (const auto& p : calibration->definition().parameters)
            wanted.push_back(p.name);
    if (!cdf.empty()) {
        std::vector<std::string> leftOut;
        const auto text = calibration::writeCdf(*calibration, wanted, leftOut);
        if (!text) return c.outcome.fail(text.error());
        if (auto may = mayWrite(c, cdf, force); !may) return c.outcome.fail(may.error());
        if (auto done = c.files.save(cdf, asBytes(*text)); !done) return c.outcome.fail(done.error());
        c.outcome.json = {{"written", cdf}, {"parameters", wanted.size() - leftOut.size()}, {"left_out", leftOut}};
        c.outcome.text = "Wrote " + std::to_string(wanted.size() - leftOut.size()) + " parameters to " + cdf + ".\n";
        for (const std::string& why : leftOut)
            c.outcome.text += "  left out: " + why + "\n";
        return;
    }
    const auto preferences = units::Preferences::fromText(unitsText);
    c.outcome.json = json::object();
    for (const std::string& name : wanted) {
        if (const auto* m = calibration->definition().measurement(name);
            m && !calibration->definition().parameter(name)) {
            const auto told = measurementJson(*calibration, *m, raw);
            if (!told) return c.outcome.fail(told.error());
            c.outcome.json[name] = *told;
            c.outcome.text += name + ": " + told->dump() + "\n";
            continue;
        }
        const auto table = calibration->read(name);
        if (!table && all) {
            // Of everything, one that can't be read does not hide the others.
            c.outcome.json[name] = {{"error", table.error().text()}};
            c.outcome.text += name + ": " + table.error().text() + "\n";
            continue;
        }
        if (!table) return c.outcome.fail(table.error());
        const auto shown = raw ? inCounts(*table) : inUnits(*table, preferences);
        c.outcome.json[name] = tableJson(shown);
        c.outcome.text += tableText(shown);
    }
}

/// "NAME=V", "NAME[i]=V" or "NAME[row,col]=V".
struct Assignment {
    std::string name;
    std::vector<size_t> indices;
    std::string value;
};

Result<Assignment> parseAssignment(const std::string& text) {
    const auto bad = [&] {
        return fail(ErrorCode::BadInput, "\"" + text + "\" is not NAME=V, NAME[i]=V or NAME[row,col]=V.");
    };
    const size_t equals = text.find('=');
    if (equals == std::string::npos || equals == 0) return bad();
    Assignment out;
    out.name = text.substr(0, equals);
    out.value = text.substr(equals + 1);
    if (out.name.back() != ']') return out;
    const size_t open = out.name.find('[');
    if (open == std::string::npos) return bad();
    std::string inside = out.name.substr(open + 1, out.name.size() - open - 2);
    out.name.erase(open);
    while (!inside.empty()) {
        const size_t comma = inside.find(',');
        const auto index = parseUnsigned(trimmed(inside.substr(0, comma)));
        if (!index) return bad();
        out.indices.push_back(*index);
        inside = comma == std::string::npos ? "" : inside.substr(comma + 1);
    }
    return out;
}

Result<calibration::Edit> editFor(const calibration::Calibration& calibration, const Assignment& a) {
    const auto table = calibration.read(a.name);
    if (!table) return tl::unexpected(table.error());
    const auto& p = *table->parameter;
    if (p.kind == definition::Parameter::Kind::Text) return calibration.prepareText(p, a.value, a.name);
    double value = 0;
    if (const auto number = parseNumber(a.value)) {
        value = *number;
    } else {
        const auto& texts = calibration.definition().conversionOf(p).texts;
        const auto text = std::find_if(texts.begin(), texts.end(), [&](const auto& t) { return t.text == a.value; });
        if (text == texts.end())
            return fail(ErrorCode::BadInput, "\"" + a.value + "\" is no number and no text of " + a.name + ".");
        value = text->low;
    }
    std::vector<calibration::CellValue> cells;
    if (a.indices.empty()) {
        for (size_t i = 0; i < table->values.size(); ++i)
            cells.push_back({i, value});
    } else {
        const size_t index = a.indices.size() == 2 ? a.indices[0] * table->columns + a.indices[1] : a.indices[0];
        const bool inside = a.indices.size() == 2 ? a.indices[0] < table->rows && a.indices[1] < table->columns
                                                  : a.indices.size() == 1 && index < table->values.size();
        if (!inside)
            return fail(ErrorCode::OutOfRange, a.name + " is " + std::to_string(table->rows) + " rows of " +
                                                   std::to_string(table->columns) + "; there is no such cell.");
        cells.push_back({index, value});
    }
    return calibration.prepare(p, cells, calibration::AtLimit::Refuse, a.name);
}

/// Writes the image of a calibration, by the ending of the name.
Done writeCalibration(Context& c, const calibration::Calibration& calibration, const std::string& out, bool force) {
    const auto format = image::formatOfName(out);
    if (!format)
        return fail(ErrorCode::BadInput, "The ending of " + out + " names no format; use .hex, .s19, .srec or .bin.");
    const auto bytes = image::writeImage(calibration.image(), *format);
    if (!bytes) return tl::unexpected(bytes.error());
    if (auto may = mayWrite(c, out, force); !may) return may;
    return c.files.save(out, *bytes);
}

/// What a transfer did, parameter by parameter; exit 3 when something could not be taken.
void tellTransfer(Context& c, const calibration::Transfer& plan) {
    static const char* const outcomes[] = {"same", "copied", "resampled", "not possible"};
    json lines = json::array();
    for (const auto& line : plan.lines) {
        const char* outcome = outcomes[static_cast<int>(line.outcome)];
        lines.push_back({{"name", line.name},
                         {"outcome", outcome},
                         {"cells", line.cells},
                         {"clamped", line.clamped},
                         {"largest_error", line.error.largest},
                         {"remark", line.remark}});
        c.outcome.text += line.name + ": " + outcome +
                          (line.cells ? ", " + std::to_string(line.cells) + " cells" : "") +
                          (line.remark.empty() ? "" : ". " + line.remark) + "\n";
        if (line.outcome == calibration::TransferLine::Outcome::NotPossible) c.outcome.code = kCheckFailed;
    }
    c.outcome.json = {{"parameters", lines}};
}

void importCdf(Context& c, const std::string& definition, const std::string& imagePath, const std::string& base,
               const std::string& cdf, const std::string& out, bool force) {
    const auto calibration = loadCalibration(c, definition, imagePath, base);
    if (!calibration) return c.outcome.fail(calibration.error());
    const auto text = c.files.read(cdf);
    if (!text) return c.outcome.fail(text.error());
    const auto contents = calibration::readCdf(std::string(asText(*text)));
    if (!contents) return c.outcome.fail(Error{ErrorCode::BadInput, cdf + ": " + contents.error().text(), nullptr});
    const auto plan = calibration::transferTables(*calibration, contents->tables, {}, "import " + cdf);
    calibration::Calibration after = *calibration;
    if (auto done = after.apply(plan.edit); !done) return c.outcome.fail(done.error());
    tellTransfer(c, plan);
    for (const auto& d : contents->diagnostics)
        c.outcome.text += cdf + ":" + std::to_string(d.line) + ": " + d.message + "\n";
    if (auto done = writeCalibration(c, after, out, force); !done) c.outcome.fail(done.error());
}

void transferBetween(Context& c, const std::string& definition, const std::string& imagePath,
                     const std::string& donorDefinition, const std::string& donorImage, const std::string& base,
                     const std::vector<std::string>& names, bool axes, double strength, const std::string& out,
                     bool force) {
    const auto ours = loadCalibration(c, definition, imagePath, base);
    if (!ours) return c.outcome.fail(ours.error());
    const auto donor = loadCalibration(c, donorDefinition, donorImage, base);
    if (!donor) return c.outcome.fail(donor.error());
    calibration::TransferOptions options;
    options.axes = axes;
    options.strength = strength / 100;
    const auto plan = calibration::transfer(*ours, *donor, names, options, "transfer");
    calibration::Calibration after = *ours;
    if (auto done = after.apply(plan.edit); !done) return c.outcome.fail(done.error());
    tellTransfer(c, plan);
    if (auto done = writeCalibration(c, after, out, force); !done) c.outcome.fail(done.error());
}

/// The edits that the assignments ask for, applied; and what is stored then.
Result<std::vector<calibration::Edit>> assign(Context& c, calibration::Calibration& calibration,
                                              const std::vector<std::string>& assignments) {
    std::vector<calibration::Edit> edits;
    c.outcome.json = json::object();
    for (const std::string& text : assignments) {
        const auto assignment = parseAssignment(text);
        if (!assignment) return tl::unexpected(assignment.error());
        auto edit = editFor(calibration, *assignment);
        if (!edit) return tl::unexpected(edit.error());
        if (auto done = calibration.apply(*edit); !done) return tl::unexpected(done.error());
        edits.push_back(std::move(*edit));
    }
    for (const std::string& text : assignments) {
        const std::string name = parseAssignment(text)->name;
        const auto table = calibration.read(name);
        if (!table) return tl::unexpected(table.error());
        c.outcome.json[name] = tableJson(*table);
    }
    for (const auto& [name, stored] : c.outcome.json.items())
        c.outcome.text += tableText(*calibration.read(name));
    return edits;
}

void set(Context& c, const std::string& definition, const std::string& imagePath, const std::string& base,
         const std::string& out, const std::vector<std::string>& assignments, bool force) {
    auto calibration = loadCalibration(c, definition, imagePath, base);
    if (!calibration) return c.outcome.fail(calibration.error());
    if (auto edits = assign(c, *calibration, assignments); !edits) return c.outcome.fail(edits.error());
    if (auto done = writeCalibration(c, *calibration, out, force); !done) c.outcome.fail(done.error());
}

/// A new round of a car folder with the parameters changed; `from` below 0: on the newest round.
Done setInFolder(Context& c, const std::string& car, int from, const std::string& title,
                 const std::vector<std::string>& assignments) {
    const auto opened = roundOf(c, car, from);
    if (!opened) return tl::unexpected(opened.error());
    if (!opened->folder->mayWrite())
        return fail(ErrorCode::Refused, "No round can be made: " + opened->folder->whyNot());
    auto calibration = job::calibrationOf(*opened->kit, *opened->folder, opened->round.id);
    if (!calibration) return tl::unexpected(calibration.error());
    const auto edits = assign(c, *calibration, assignments);
    if (!edits) return tl::unexpected(edits.error());
    const auto made = job::makeRound(*opened->kit, *opened->folder, opened->round.id, *edits, title, {});
    if (!made) return tl::unexpected(made.error());
    c.outcome.json = {{"round", made->number}, {"image_sha256", made->imageSha256}, {"values", c.outcome.json}};
    c.outcome.text += "Round " + std::to_string(made->number) + " made.\n";
    return {};
}

void compareImages(Context& c, const std::string& definition, const std::string& a, const std::string& b,
                   const std::string& base, const std::string& definitionB, bool cells) {
    const auto left = loadCalibration(c, definition, a, base);
    if (!left) return c.outcome.fail(left.error());
    auto right = loadCalibration(c, definitionB.empty() ? definition : definitionB, b, base);
    if (!right) return c.outcome.fail(right.error());
    // One definition read once, so that equal bytes are told quickly.
    if (definitionB.empty()) right = calibration::Calibration(left->sharedDefinition(), right->image());
    const auto all = calibration::compareAll(*left, *right);
    c.outcome.json = json::array();
    for (const auto& d : all.differences) {
        const auto& conversion = left->definition().conversionOf(*d.parameter);
        json entry{{"name", d.parameter->name},
                   {"cells", d.cells},
                   {"largest_difference", d.largest},
                   {"unit", left->definition().unitOf(*d.parameter)},
                   {"resampled", d.resampled}};
        if (cells) {
            const auto mine = left->read(*d.parameter), theirs = right->read(*d.other);
            if (const auto found = mine && theirs ? calibration::compareCells(*mine, *theirs)
                                                  : Result<calibration::CellDifferences>(fail(ErrorCode::NotFound, "")))
                for (size_t i = 0; i < found->differs.size() && i < mine->values.size(); ++i)
                    if (found->differs[i])
                        entry["at"].push_back({{"row", i / mine->columns},
                                               {"column", i % mine->columns},
                                               {"a", mine->values[i]},
                                               {"b", found->other[i]}});
        }
        c.outcome.json.push_back(std::move(entry));
        c.outcome.text += d.parameter->name + ": " + std::to_string(d.cells) + " cells, by up to " +
                          formatNumber(d.largest, conversion.decimals) + " " + left->definition().unitOf(*d.parameter) +
                          (d.resampled ? " (resampled)" : "") + "\n";
    }
    for (const auto& unlike : all.notComparable)
        c.outcome.text += unlike.parameter->name + ": not compared. " + unlike.why + "\n";
    for (const auto& [list, where] : {std::pair{&all.onlyInA, "A"}, {&all.onlyInB, "B"}})
        if (!list->empty())
            c.outcome.text +=
                std::to_string(list->size()) + " parameters are only in the definition of " + where + "\n";
}

}  // namespace

Done mayWrite(Context& context, const std::string& path, bool force) {
    if (!force && context.files.exists(path))
        return fail(ErrorCode::Conflict, path + " is there already; use --force to replace it.");
    return {};
}

Done makeRoom(Context& c, const std::string& out, bool force) {
    if (auto may = mayWrite(c, out, force); !may) return may;
    if (c.files.exists(out) && !c.files.isFile(out)) return fail(ErrorCode::Conflict, out + " is not a file.");
    return c.files.remove(out);
}

void addFileCommands(Command app, Context& c) {
    // Options are kept alive by the callbacks that use them.
    struct Options {
        std::string file, second, third, base, out, find, car, title;
        std::vector<std::string> names;
        int row = 32, round = -1;
        double strength = 100;
        bool force = false, axes = false;
    };
    auto imageApp = app.group("image", "images of a controller's memory");
    {
        auto o = std::make_shared<Options>();
        auto sub = imageApp.command("info", "format and segments");
        sub.option("FILE", o->file).required();
        sub.option("--base", o->base, "address of a raw binary's first byte");
        sub.run([o, &c] { imageInfo(c, o->file, o->base); });
    }
    {
        auto o = std::make_shared<Options>();
        auto sub = imageApp.command("convert", "by extension: .hex .s19 .srec .bin");
        sub.option("IN", o->file).required();
        sub.option("OUT", o->out).required();
        sub.option("--base", o->base, "address of a raw binary's first byte");
        sub.option("--row", o->row, "data bytes a row").range(1, 250);
        sub.flag("--force", o->force, "replace OUT");
        sub.run([o, &c] { imageConvert(c, o->file, o->out, o->base, o->row, o->force); });
    }
    {
        auto o = std::make_shared<Options>();
        auto sub = app.command("values", "parameters of an image, and measurements that lie in it, physical");
        sub.option("DEFINITION", o->file).required();
        sub.option("IMAGE", o->second).required();
        sub.option("NAME", o->names);
        sub.option("--base", o->base, "address of a raw binary's first byte");
        sub.option("--units", o->find, "units to print in, as \"pressure=psi;lambda=AFR;stoichiometric=14.7\"");
        sub.flag("--raw", o->axes, "counts as they are stored");
        sub.option("--cdf", o->out, "write them as an ASAM CDF 2.0 file instead");
        sub.flag("--force", o->force, "replace the file of --cdf");
        sub.run([o, &c] { values(c, o->file, o->second, o->names, o->base, o->find, o->out, o->axes, o->force); });
    }
    {
        auto o = std::make_shared<Options>();
        auto sub = app.command("set", "change parameters, physical in; prints what is stored");
        sub.option("DEFINITION", o->file);
        sub.option("IMAGE", o->second);
        sub.option("NAME=V", o->names);
        auto cdf = sub.option("--cdf", o->find, "take the values of an ASAM CDF 2.0 file");
        auto out = sub.option("--out", o->out, "where the changed image goes");
        sub.option("--base", o->base, "address of a raw binary's first byte");
        sub.flag("--force", o->force, "replace the file of --out");
        auto make = sub.option("--make", o->title, "title of the round to make in the folder of --car");
        auto car = sub.option("--car", o->car, "car folder: a new round instead of a file").needs(make).excludes(out);
        car.excludes(cdf);
        make.needs(car);
        sub.option("--round", o->round, "the round it is made from; else the newest").needs(car);
        sub.run([o, &c] {
            // With a folder all words are changes; without one the first two are files.
            if (!o->car.empty()) {
                std::vector<std::string> changes;
                for (const std::string* word : {&o->file, &o->second})
                    if (!word->empty()) changes.push_back(*word);
                changes.insert(changes.end(), o->names.begin(), o->names.end());
                if (changes.empty()) throw WrongUse{"set: give NAME=V."};
                if (auto done = setInFolder(c, o->car, o->round, o->title, changes); !done)
                    c.outcome.fail(done.error());
                return;
            }
            if (o->second.empty() || o->out.empty()) throw WrongUse{"set: give DEFINITION, IMAGE and --out, or --car."};
            if (o->names.empty() && o->find.empty()) throw WrongUse{"set: give NAME=V or --cdf."};
            if (o->find.empty())
                set(c, o->file, o->second, o->base, o->out, o->names, o->force);
            else
                importCdf(c, o->file, o->second, o->base, o->find, o->out, o->force);
        });
    }
    {
        auto o = std::make_shared<Options>();
        auto sub = app.command("transfer", "take parameters over from a donor, resampled and converted");
        sub.option("DEFINITION", o->file).required();
        sub.option("IMAGE", o->second).required();
        sub.option("DONOR_DEFINITION", o->third).required();
        sub.option("DONOR_IMAGE", o->find).required();
        sub.option("NAME", o->names).required();
        sub.option("--out", o->out, "where the changed image goes").required();
        sub.option("--base", o->base, "address of a raw binary's first byte");
        sub.flag("--axes", o->axes, "the donor's breakpoints come along");
        sub.option("--strength", o->strength, "per cent of the way to the donor").range(0.0, 100.0);
        sub.flag("--force", o->force, "replace the file of --out");
        sub.run([o, &c] {
            transferBetween(c, o->file, o->second, o->third, o->find, o->base, o->names, o->axes, o->strength, o->out,
                            o->force);
        });
    }
    {
        auto o = std::make_shared<Options>();
        auto sub = app.command("compare", "parameters that differ between two images");
        sub.option("DEFINITION", o->file).required();
        sub.option("A", o->second).required();
        sub.option("B", o->third).required();
        sub.option("--base", o->base, "address of a raw binary's first byte");
        sub.option("--definition-b", o->find, "the definition of B, when it is another");
        sub.flag("--cells", o->axes, "with --json, every cell that differs");
        sub.run([o, &c] { compareImages(c, o->file, o->second, o->third, o->base, o->find, o->axes); });
    }
}

}  // namespace brusk::ctl
