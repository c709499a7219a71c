// definition: what is in an A2L file, what is wrong with it, and changes of it that leave the rest byte for byte.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <memory>

#include "core/base/Text.h"
#include "core/definition/A2lWriter.h"
#include "core/definition/Finder.h"
#include "core/definition/Roles.h"
#include "ctl/Loading.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

void check(Context& c, const std::string& file) {
    const auto contents = loadDefinition(c, file);
    if (!contents) return c.outcome.fail(contents.error());
    const auto& d = contents->definition;
    json counts = {{"parameters", d.parameters.size()},   {"measurements", d.measurements.size()},
                   {"groups", d.groups.size()},           {"functions", d.functions.size()},
                   {"conversions", d.conversions.size()}, {"layouts", d.layouts.size()}};
    for (const auto& p : d.parameters)
        counts[std::string(definition::kindName(p.kind))] =
            counts.value(std::string(definition::kindName(p.kind)), 0) + 1;
    json diagnostics = json::array();
    size_t errors = 0;
    for (const auto& found : contents->diagnostics) {
        const bool isError = found.severity == definition::Diagnostic::Severity::Error;
        const std::string where = found.file.empty() ? file : found.file;
        errors += isError;
        diagnostics.push_back({{"file", where},
                               {"line", found.line},
                               {"severity", isError ? "error" : "warning"},
                               {"message", found.message}});
        c.outcome.text += where + ":" + std::to_string(found.line) + ": " + (isError ? "error: " : "warning: ") +
                          found.message + "\n";
    }
    c.outcome.json = {{"counts", counts}, {"diagnostics", diagnostics}};
    c.outcome.text += std::to_string(d.parameters.size()) + " parameters, " + std::to_string(d.measurements.size()) +
                      " measurements, " + std::to_string(errors) + " errors\n";
    if (errors) c.outcome.code = kCheckFailed;
}

void list(Context& c, const std::string& file, const std::string& find) {
    auto contents = loadDefinition(c, file);
    if (!contents) return c.outcome.fail(contents.error());
    const auto d = std::make_shared<const definition::Definition>(std::move(contents->definition));
    c.outcome.json = json::array();
    const auto say = [&](const std::string& name, std::string_view kind, const std::string& description,
                         const std::string& unit, uint32_t address) {
        const std::string path = d->groupPath(name);
        c.outcome.json.push_back({{"name", name},
                                  {"kind", kind},
                                  {"description", description},
                                  {"unit", unit},
                                  {"address", address},
                                  {"group", path}});
        c.outcome.text += name + std::string(name.size() < 20 ? 20 - name.size() : 1, ' ') + std::string(kind) + "  " +
                          hexAddress(address) + "  " + unit + "  " + path + "  " + description + "\n";
    };
    const auto sayParameter = [&](const definition::Parameter& p) {
        say(p.name, definition::kindName(p.kind), p.description, d->unitOf(p), p.address);
    };
    if (find.empty())
        for (const auto& p : d->parameters)
            sayParameter(p);
    else
        for (const auto& hit : definition::Finder(d).find(find, d->parameters.size()).hits)
            sayParameter(d->parameters[hit.parameter]);
    const std::string wanted = toLower(find);
    for (const auto& m : d->measurements)
        if (wanted.empty() || toLower(m.name + " " + m.label + " " + m.description + " " + d->unitOf(m) + " " +
                                      d->groupPath(m.name) + " " + hexAddress(m.address))
                                      .find(wanted) != std::string::npos)
            say(m.name, "measurement", m.description, d->unitOf(m), m.address);
}

void roles(Context& c, const std::string& file, size_t most) {
    const auto contents = loadDefinition(c, file);
    if (!contents) return c.outcome.fail(contents.error());
    const auto& d = contents->definition;
    json given = json::object(), missing = json::array();
    for (const auto& p : d.parameters)
        if (!p.role.empty()) given[p.role] = p.name;
    for (const auto& m : d.measurements)
        if (!m.role.empty()) given[m.role] = m.name;
    c.outcome.text = std::to_string(given.size()) + " roles are given.\n";
    for (const auto& role : definition::missingRoles(d, most)) {
        json offered = json::array();
        c.outcome.text += std::string(role.role->id) + ", " + std::string(role.role->title) + ":\n";
        for (const auto& guess : role.guesses) {
            const std::string& name =
                role.role->measured() ? d.measurements[guess.index].name : d.parameters[guess.index].name;
            offered.push_back({{"name", name}, {"score", guess.score}, {"reason", guess.reason}});
            c.outcome.text += "  " + formatNumber(guess.score * 100, 0) + " %  " + name + "  (" + guess.reason + ")\n";
        }
        missing.push_back({{"role", role.role->id}, {"title", role.role->title}, {"guesses", offered}});
    }
    c.outcome.json = {{"given", given}, {"missing", missing}};
}

void save(Context& c, const Result<std::string>& text, const std::string& out, bool force, const std::string& said) {
    if (!text) return c.outcome.fail(text.error());
    if (auto may = mayWrite(c, out, force); !may) return c.outcome.fail(may.error());
    if (auto done = c.files.save(out, asBytes(*text)); !done) return c.outcome.fail(done.error());
    c.outcome.json = {{"written", out}};
    c.outcome.text = said + "\n";
}

struct Change {
    std::string file, from, name, out, newName, description, label, group, role, address;
    std::vector<std::string> names;
    bool force = false;
};

void change(Context& c, const Change& o) {
    const auto now = loadDefinition(c, o.file);
    if (!now) return c.outcome.fail(now.error());
    const auto address = parseUnsigned(o.address);
    if (!o.address.empty() && (!address || *address > 0xFFFFFFFF))
        return c.outcome.fail(Error{ErrorCode::BadInput, "\"" + o.address + "\" is not an address.", nullptr});
    definition::ObjectChanges changes;
    const auto given = [](const std::string& text) {
        return text.empty() ? std::nullopt : std::optional<std::string>(text);
    };
    changes.description = given(o.description);
    changes.label = given(o.label);
    changes.group = given(o.group);
    changes.role = o.role == "-" ? std::optional<std::string>("") : given(o.role);
    changes.newName = given(o.newName);
    if (address) changes.address = static_cast<uint32_t>(*address);
    save(c, definition::withChanges(now->definition, o.name, changes), o.out, o.force, "Wrote " + o.out + ".");
}

void copy(Context& c, const Change& o) {
    auto now = loadDefinition(c, o.file);
    if (!now) return c.outcome.fail(now.error());
    const auto from = loadDefinition(c, o.from);
    if (!from) return c.outcome.fail(from.error());
    for (const std::string& name : o.names) {
        const auto part = definition::extract(from->definition, name);
        if (!part) return c.outcome.fail(part.error());
        const auto text = definition::withAdded(now->definition, *part, o.group);
        if (!text) return c.outcome.fail(text.error());
        now = definition::readA2l(*text);
        if (!now) return c.outcome.fail(now.error());
    }
    save(c, now->definition.source->text, o.out, o.force,
         "Wrote " + o.out + " with " + std::to_string(o.names.size()) + " parameters more.");
}

}  // namespace

void addDefinitionCommands(Command app, Context& c) {
    auto group = app.group("definition", "A2L definitions");
    const auto command = [&](const char* name, const char* what) {
        auto o = std::make_shared<Change>();
        auto sub = group.command(name, what);
        sub.option("FILE", o->file).required();
        return std::pair{sub, o};
    };
    {
        auto [sub, o] = command("check", "what is in it and what is wrong with it");
        sub.run([o = o, &c] { check(c, o->file); });
    }
    {
        auto [sub, o] = command("list", "parameters and measurements");
        sub.option("--find", o->name, "any part of name, description, unit, group or address; best first");
        sub.run([o = o, &c] { list(c, o->file, o->name); });
    }
    {
        auto [sub, o] =
            command("roles", "what means what to the engine, and guesses where the definition does not say");
        auto most = std::make_shared<size_t>(3);
        sub.option("--guesses", *most, "for each role, likeliest first").range(1, 100);
        sub.run([o = o, most, &c] { roles(c, o->file, *most); });
    }
    {
        auto [sub, o] = command("change", "one parameter's name, description, group, role or address");
        sub.option("NAME", o->name).required();
        sub.option("--out", o->out, "where the changed definition goes").required();
        sub.option("--name", o->newName, "another name; what refers to it follows");
        sub.option("--describe", o->description, "another description");
        sub.option("--label", o->label, "the name a tuner reads");
        sub.option("--group", o->group, "the group it moves to");
        sub.option("--role", o->role, "what it means to the engine; - for none");
        sub.option("--address", o->address, "another address");
        sub.flag("--force", o->force, "replace the file of --out");
        sub.run([o = o, &c] { change(c, *o); });
    }
    {
        auto [sub, o] = command("copy", "parameters of another definition, with all they need");
        sub.option("FROM", o->from).required();
        sub.option("NAME", o->names).required();
        sub.option("--out", o->out, "where the larger definition goes").required();
        sub.option("--group", o->group, "the group they go to");
        sub.flag("--force", o->force, "replace the file of --out");
        sub.run([o = o, &c] { copy(c, *o); });
    }
    {
        auto [sub, o] = command("write", "the whole definition written anew in the standard's order");
        sub.option("OUT", o->out).required();
        sub.flag("--force", o->force, "replace OUT");
        sub.run([o = o, &c] {
            const auto contents = loadDefinition(c, o->file);
            if (!contents) return c.outcome.fail(contents.error());
            save(c, definition::writeA2l(contents->definition), o->out, o->force, "Wrote " + o->out + ".");
        });
    }
}

}  // namespace brusk::ctl
