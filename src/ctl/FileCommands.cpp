// image, definition, values, set, compare, recording: work on files alone.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <memory>

#include "core/base/Text.h"
#include "core/calibration/Compare.h"
#include "core/definition/A2lReader.h"
#include "core/image/ImageFile.h"
#include "core/recording/Mdf4.h"
#include "ctl/Commands.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

Result<uint32_t> baseAddress(const std::string& text) {
    if (text.empty()) return 0u;
    const auto value = parseUnsigned(text);
    if (!value || *value > 0xFFFFFFFF)
        return fail(ErrorCode::BadInput, "The base address \"" + text + "\" is not a number of up to 32 bits.");
    return static_cast<uint32_t>(*value);
}

struct LoadedImage {
    image::Image image;
    image::Format format;
};

Result<LoadedImage> loadImage(Context& c, const std::string& path, const std::string& base) {
    const auto bytes = c.files.read(path);
    if (!bytes) return tl::unexpected(bytes.error());
    const auto address = baseAddress(base);
    if (!address) return tl::unexpected(address.error());
    const auto format = image::formatOfName(path).value_or(image::formatOfBytes(*bytes));
    auto image = image::readImage(*bytes, format, *address);
    if (!image)
        return failBecause(path + " can't be read as " + std::string(image::formatName(format)) + ".", image.error());
    return LoadedImage{std::move(*image), format};
}

Result<calibration::Calibration> loadCalibration(Context& c, const std::string& definition,
                                                 const std::string& imagePath, const std::string& base) {
    const auto text = c.files.read(definition);
    if (!text) return tl::unexpected(text.error());
    auto contents = definition::readA2l(std::string(asText(*text)));
    if (!contents) return failBecause(definition + " can't be used.", contents.error());
    auto image = loadImage(c, imagePath, base);
    if (!image) return tl::unexpected(image.error());
    calibration::Calibration out(std::make_shared<const definition::Definition>(std::move(contents->definition)),
                                 std::move(image->image));
    if (auto done = out.matchesDefinition(); !done) return tl::unexpected(done.error());
    return out;
}

json numbers(const std::vector<double>& values) {
    json out = json::array();
    for (const double v : values)
        out.push_back(std::isfinite(v) ? json(v) : json(nullptr));
    return out;
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

void definitionCheck(Context& c, const std::string& file) {
    const auto text = c.files.read(file);
    if (!text) return c.outcome.fail(text.error());
    const auto contents = definition::readA2l(std::string(asText(*text)));
    if (!contents) return c.outcome.fail(contents.error());
    const auto& d = contents->definition;
    json counts = {{"parameters", d.parameters.size()},
                   {"measurements", d.measurements.size()},
                   {"groups", d.groups.size()},
                   {"conversions", d.conversions.size()},
                   {"layouts", d.layouts.size()}};
    for (const auto& p : d.parameters)
        counts[std::string(definition::kindName(p.kind))] =
            counts.value(std::string(definition::kindName(p.kind)), 0) + 1;
    json diagnostics = json::array();
    size_t errors = 0;
    for (const auto& found : contents->diagnostics) {
        const bool isError = found.severity == definition::Diagnostic::Severity::Error;
        errors += isError;
        diagnostics.push_back({{"file", file},
                               {"line", found.line},
                               {"severity", isError ? "error" : "warning"},
                               {"message", found.message}});
        c.outcome.text +=
            file + ":" + std::to_string(found.line) + ": " + (isError ? "error: " : "warning: ") + found.message + "\n";
    }
    c.outcome.json = {{"counts", counts}, {"diagnostics", diagnostics}};
    c.outcome.text += std::to_string(d.parameters.size()) + " parameters, " + std::to_string(d.measurements.size()) +
                      " measurements, " + std::to_string(errors) + " errors\n";
    if (errors) c.outcome.code = kCheckFailed;
}

void definitionList(Context& c, const std::string& file, const std::string& find) {
    const auto text = c.files.read(file);
    if (!text) return c.outcome.fail(text.error());
    const auto contents = definition::readA2l(std::string(asText(*text)));
    if (!contents) return c.outcome.fail(contents.error());
    const auto& d = contents->definition;
    const std::string wanted = toLower(find);
    c.outcome.json = json::array();
    const auto list = [&](const std::string& name, std::string_view kind, const std::string& label,
                          const std::string& description, const std::string& unit, uint32_t address) {
        const std::string path = d.groupPath(name);
        if (!wanted.empty() &&
            toLower(name + " " + label + " " + description + " " + unit + " " + path + " " + hexAddress(address))
                    .find(wanted) == std::string::npos)
            return;
        c.outcome.json.push_back({{"name", name},
                                  {"kind", kind},
                                  {"description", description},
                                  {"unit", unit},
                                  {"address", address},
                                  {"group", path}});
        c.outcome.text += name + std::string(name.size() < 20 ? 20 - name.size() : 1, ' ') + std::string(kind) + "  " +
                          hexAddress(address) + "  " + unit + "  " + path + "  " + description + "\n";
    };
    for (const auto& p : d.parameters)
        list(p.name, definition::kindName(p.kind), p.title(), p.description, d.conversionOf(p).unit, p.address);
    for (const auto& m : d.measurements)
        list(m.name, "measurement", m.title(), m.description, d.conversionOf(m).unit, m.address);
}

void values(Context& c, const std::string& definition, const std::string& imagePath,
            const std::vector<std::string>& names, const std::string& base) {
    const auto calibration = loadCalibration(c, definition, imagePath, base);
    if (!calibration) return c.outcome.fail(calibration.error());
    std::vector<std::string> wanted = names;
    if (wanted.empty())
        for (const auto& p : calibration->definition().parameters)
            wanted.push_back(p.name);
    c.outcome.json = json::object();
    for (const std::string& name : wanted) {
        const auto table = calibration->read(name);
        if (!table) return c.outcome.fail(table.error());
        c.outcome.json[name] = tableJson(*table);
        c.outcome.text += tableText(*table);
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

void set(Context& c, const std::string& definition, const std::string& imagePath, const std::string& base,
         const std::string& out, const std::vector<std::string>& assignments, bool force) {
    auto calibration = loadCalibration(c, definition, imagePath, base);
    if (!calibration) return c.outcome.fail(calibration.error());
    c.outcome.json = json::object();
    for (const std::string& text : assignments) {
        const auto assignment = parseAssignment(text);
        if (!assignment) return c.outcome.fail(assignment.error());
        const auto edit = editFor(*calibration, *assignment);
        if (!edit) return c.outcome.fail(edit.error());
        if (auto done = calibration->apply(*edit); !done) return c.outcome.fail(done.error());
    }
    for (const std::string& text : assignments) {
        const std::string name = parseAssignment(text)->name;
        const auto table = calibration->read(name);
        if (!table) return c.outcome.fail(table.error());
        c.outcome.json[name] = tableJson(*table);
    }
    for (const auto& [name, stored] : c.outcome.json.items())
        c.outcome.text += tableText(*calibration->read(name));
    const auto format = image::formatOfName(out);
    if (!format)
        return c.outcome.fail(Error{
            ErrorCode::BadInput, "The ending of " + out + " names no format; use .hex, .s19, .srec or .bin.", nullptr});
    const auto bytes = image::writeImage(calibration->image(), *format);
    if (!bytes) return c.outcome.fail(bytes.error());
    if (auto may = mayWrite(c, out, force); !may) return c.outcome.fail(may.error());
    if (auto done = c.files.save(out, *bytes); !done) c.outcome.fail(done.error());
}

void compareImages(Context& c, const std::string& definition, const std::string& a, const std::string& b,
                   const std::string& base) {
    const auto left = loadCalibration(c, definition, a, base);
    if (!left) return c.outcome.fail(left.error());
    const auto right = loadCalibration(c, definition, b, base);
    if (!right) return c.outcome.fail(right.error());
    c.outcome.json = json::array();
    for (const auto& d : calibration::compare(*left, *right)) {
        const auto& conversion = left->definition().conversionOf(*d.parameter);
        c.outcome.json.push_back({{"name", d.parameter->name},
                                  {"cells", d.cells},
                                  {"largest_difference", d.largest},
                                  {"unit", conversion.unit}});
        c.outcome.text += d.parameter->name + ": " + std::to_string(d.cells) + " cells, by up to " +
                          formatNumber(d.largest, conversion.decimals) + " " + conversion.unit + "\n";
    }
}

void recordingInfo(Context& c, const std::string& file) {
    const auto bytes = c.files.read(file);
    if (!bytes) return c.outcome.fail(bytes.error());
    const auto recording = recording::readMdf4(*bytes);
    if (!recording) return c.outcome.fail(Error{ErrorCode::BadInput, file + ": " + recording.error().message, nullptr});
    json groups = json::array();
    for (const auto& group : recording->groups) {
        json channels = json::array();
        c.outcome.text += group.name + " at " + formatNumber(group.rate_hz, 0) + " Hz\n";
        for (const auto& channel : group.channels) {
            double sum = 0, least = INFINITY, most = -INFINITY;
            size_t count = 0;
            const float* first = nullptr;
            const float* last = nullptr;
            for (const float& v : channel.values) {
                if (!std::isfinite(v)) continue;
                sum += v, least = std::min<double>(least, v), most = std::max<double>(most, v), ++count;
                if (!first) first = &v;
                last = &v;
            }
            json entry{{"name", channel.name}, {"unit", channel.unit}, {"count", count}};
            if (count)
                entry.update({{"first", *first},
                              {"last", *last},
                              {"min", least},
                              {"max", most},
                              {"mean", sum / static_cast<double>(count)}});
            channels.push_back(entry);
            c.outcome.text += "  " + channel.name + " " + channel.unit + ": " + std::to_string(count) + " samples" +
                              (count ? ", " + formatNumber(least, 3) + " to " + formatNumber(most, 3) : "") + "\n";
        }
        groups.push_back({{"rate_hz", group.rate_hz}, {"channels", channels}});
    }
    c.outcome.json = {{"duration_s", recording->duration_s()}, {"round", recording->roundId}, {"groups", groups}};
}

}  // namespace

Done mayWrite(Context& context, const std::string& path, bool force) {
    if (!force && context.files.exists(path))
        return fail(ErrorCode::Conflict, path + " is there already; use --force to replace it.");
    return {};
}

void addFileCommands(CLI::App& app, Context& c) {
    // Options are kept alive by the callbacks that use them.
    struct Options {
        std::string file, second, third, base, out, find;
        std::vector<std::string> names;
        int row = 32;
        bool force = false;
    };
    auto* imageApp = app.add_subcommand("image", "images of a controller's memory")->require_subcommand(1);
    {
        auto o = std::make_shared<Options>();
        auto* sub = imageApp->add_subcommand("info", "format and segments");
        sub->add_option("FILE", o->file)->required();
        sub->add_option("--base", o->base, "address of a raw binary's first byte");
        sub->callback([o, &c] { imageInfo(c, o->file, o->base); });
    }
    {
        auto o = std::make_shared<Options>();
        auto* sub = imageApp->add_subcommand("convert", "by extension: .hex .s19 .srec .bin");
        sub->add_option("IN", o->file)->required();
        sub->add_option("OUT", o->out)->required();
        sub->add_option("--base", o->base, "address of a raw binary's first byte");
        sub->add_option("--row", o->row, "data bytes a row")->check(CLI::Range(1, 250));
        sub->add_flag("--force", o->force, "replace OUT");
        sub->callback([o, &c] { imageConvert(c, o->file, o->out, o->base, o->row, o->force); });
    }
    auto* definitionApp = app.add_subcommand("definition", "A2L definitions")->require_subcommand(1);
    {
        auto o = std::make_shared<Options>();
        auto* sub = definitionApp->add_subcommand("check", "what is in it and what is wrong with it");
        sub->add_option("FILE", o->file)->required();
        sub->callback([o, &c] { definitionCheck(c, o->file); });
    }
    {
        auto o = std::make_shared<Options>();
        auto* sub = definitionApp->add_subcommand("list", "parameters and measurements");
        sub->add_option("FILE", o->file)->required();
        sub->add_option("--find", o->find, "any part of name, description, unit, group or address");
        sub->callback([o, &c] { definitionList(c, o->file, o->find); });
    }
    {
        auto o = std::make_shared<Options>();
        auto* sub = app.add_subcommand("values", "parameters of an image, physical");
        sub->add_option("DEFINITION", o->file)->required();
        sub->add_option("IMAGE", o->second)->required();
        sub->add_option("NAME", o->names);
        sub->add_option("--base", o->base, "address of a raw binary's first byte");
        sub->callback([o, &c] { values(c, o->file, o->second, o->names, o->base); });
    }
    {
        auto o = std::make_shared<Options>();
        auto* sub = app.add_subcommand("set", "change parameters, physical in; prints what is stored");
        sub->add_option("DEFINITION", o->file)->required();
        sub->add_option("IMAGE", o->second)->required();
        sub->add_option("NAME=V", o->names)->required();
        sub->add_option("--out", o->out, "where the changed image goes")->required();
        sub->add_option("--base", o->base, "address of a raw binary's first byte");
        sub->add_flag("--force", o->force, "replace the file of --out");
        sub->callback([o, &c] { set(c, o->file, o->second, o->base, o->out, o->names, o->force); });
    }
    {
        auto o = std::make_shared<Options>();
        auto* sub = app.add_subcommand("compare", "parameters that differ between two images");
        sub->add_option("DEFINITION", o->file)->required();
        sub->add_option("A", o->second)->required();
        sub->add_option("B", o->third)->required();
        sub->add_option("--base", o->base, "address of a raw binary's first byte");
        sub->callback([o, &c] { compareImages(c, o->file, o->second, o->third, o->base); });
    }
    auto* recordingApp = app.add_subcommand("recording", "recordings")->require_subcommand(1);
    {
        auto o = std::make_shared<Options>();
        auto* sub = recordingApp->add_subcommand("info", "channels and their ranges");
        sub->add_option("FILE", o->file)->required();
        sub->callback([o, &c] { recordingInfo(c, o->file); });
    }
}

}  // namespace brusk::ctl
