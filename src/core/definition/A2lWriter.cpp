// Changes the text where a block stands and leaves the rest as it was.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/definition/A2lWriter.h"

#include <map>
#include <set>

#include "core/base/Text.h"
#include "core/definition/A2lBlocks.h"

namespace brusk::definition {
namespace {

using Kind = A2lToken::Kind;

/// Replaces [begin, end) of the text.
struct Patch {
    size_t begin;
    size_t end;
    std::string with;
};

std::string patched(const std::string& text, std::vector<Patch> patches) {
    std::stable_sort(patches.begin(), patches.end(), [](const Patch& a, const Patch& b) { return a.begin < b.begin; });
    std::string out;
    size_t at = 0;
    for (const Patch& patch : patches) {
        out.append(text, at, patch.begin - at);
        out += patch.with;
        at = patch.end;
    }
    return out.append(text, at, std::string::npos);
}

/// The tokens of one block, with offsets of the whole text. The first is its "/begin", the last its "/end".
std::vector<A2lToken> tokensOf(const SourceText& source, const TextSpan& span) {
    std::vector<A2lToken> out;
    A2lTokens tokens(std::string_view(source.text).substr(span.begin, span.end - span.begin),
                     [](size_t, const char*) {});
    for (A2lToken token = tokens.next(); token.kind != Kind::EndOfText; token = tokens.next()) {
        token.begin += span.begin;
        token.end += span.begin;
        out.push_back(token);
    }
    return out;
}

/// A block of the definition's text, ready to be changed.
struct Block {
    const SourceText* source = nullptr;
    TextSpan span;
    std::vector<A2lToken> tokens;
    bool measurement = false;

    Result<std::string> replace(const A2lToken& token, const std::string& with) const {
        return patched(source->text, {{token.begin, token.end, with}});
    }
    /// Puts a line before the block's "/end".
    Patch line(const std::string& words) const {
        const size_t at = tokens.back().begin;
        return {at, at, "  " + words + "\n    "};
    }
    std::string insert(const std::string& words) const { return patched(source->text, {line(words)}); }
    /// Index of the word behind which a keyword's argument stands; 0 when it is not there at the block's own level.
    size_t find(std::string_view keyword) const {
        int depth = 0;
        for (size_t i = 0; i < tokens.size(); ++i) {
            if (tokens[i].kind == Kind::Begin) ++depth;
            if (tokens[i].kind == Kind::Close) --depth;
            if (depth == 1 && tokens[i].kind == Kind::Word && tokens[i].text == keyword && i + 1 < tokens.size())
                return i;
        }
        return 0;
    }
};

Result<Block> blockOf(const Definition& d, const std::string& name) {
    if (!d.source || d.source->text.empty())
        return fail(ErrorCode::BadInput, "This definition was not read from a text; there is nothing to change.");
    const Parameter* p = d.parameter(name);
    const Measurement* m = p ? nullptr : d.measurement(name);
    if (!p && !m) return fail(ErrorCode::NotFound, "There is no " + name + " in the definition.");
    Block block;
    block.source = d.source.get();
    block.span = p ? p->span : m->span;
    block.measurement = m != nullptr;
    block.tokens = tokensOf(*d.source, block.span);
    // name, description and two more words at least, and a proper end
    if (block.tokens.size() < 6 || block.tokens.back().kind != Kind::Close)
        return fail(ErrorCode::BadInput, name + " is not closed in the definition's text; mend that first.");
    return block;
}

/// Whether words of this block are names of parameters or measurements.
bool listsNames(std::string_view keyword) {
    static const std::set<std::string_view> lists = {
        "REF_CHARACTERISTIC", "DEF_CHARACTERISTIC",       "REF_MEASUREMENT",        "IN_MEASUREMENT", "OUT_MEASUREMENT",
        "LOC_MEASUREMENT",    "DEPENDENT_CHARACTERISTIC", "VIRTUAL_CHARACTERISTIC", "VIRTUAL",        "MAP_LIST",
        "VAR_CHARACTERISTIC"};
    return lists.count(keyword) > 0;
}

bool namesOne(std::string_view keyword) {
    return keyword == "AXIS_PTS_REF" || keyword == "CURVE_AXIS_REF" || keyword == "COMPARISON_QUANTITY";
}

/// Every word of the whole text that stands for the object `name`, outside its own block's head.
std::vector<A2lToken> referencesTo(const SourceText& source, std::string_view name) {
    std::vector<A2lToken> out;
    struct Open {
        std::string_view keyword;
        int words = 0;
    };
    std::vector<Open> open;
    std::string_view before;
    A2lTokens tokens(source.text, [](size_t, const char*) {});
    for (A2lToken token = tokens.next(); token.kind != Kind::EndOfText; token = tokens.next()) {
        if (token.kind == Kind::Begin) {
            if (token.text == "A2ML") tokens.skipToEndOf("A2ML");
            open.push_back({token.text, 0});
        } else if (token.kind == Kind::Close) {
            if (!open.empty()) open.pop_back();
        } else if (!open.empty()) {
            Open& block = open.back();
            ++block.words;
            const bool input = (block.keyword == "AXIS_DESCR" && block.words == 2) ||
                               (block.keyword == "AXIS_PTS" && block.words == 4);
            if (token.kind == Kind::Word && token.text == name &&
                (listsNames(block.keyword) || namesOne(before) || input))
                out.push_back(token);
        }
        before = token.text;
    }
    return out;
}

Result<A2lToken> argument(const Block& block, size_t index, const std::string& name) {
    if (index >= block.tokens.size() ||
        (block.tokens[index].kind != Kind::Word && block.tokens[index].kind != Kind::String))
        return fail(ErrorCode::BadInput, "The text of " + name + " is not as the standard has it.");
    return block.tokens[index];
}

size_t placeForMore(const SourceText& source) {
    return source.moduleEnd ? source.moduleEnd : source.text.size();
}

}  // namespace

bool isIdentifier(std::string_view name) {
    if (name.empty() || name.size() > 1024 || (name[0] >= '0' && name[0] <= '9')) return false;
    return std::all_of(name.begin(), name.end(), [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '.' ||
               c == '[' || c == ']';
    });
}

Result<std::string> withName(const Definition& d, const std::string& name, const std::string& newName) {
    const auto block = blockOf(d, name);
    if (!block) return tl::unexpected(block.error());
    if (!isIdentifier(newName))
        return fail(ErrorCode::BadInput,
                    "\"" + newName + "\" can't be a name: letters, digits, underscores and dots, no digit first.");
    if (newName == name) return block->source->text;
    if (d.parameter(newName) || d.measurement(newName))
        return fail(ErrorCode::Conflict, "There is a " + newName + " already.");
    std::vector<Patch> patches{{block->tokens[1].begin, block->tokens[1].end, newName}};
    for (const A2lToken& word : referencesTo(*block->source, name))
        patches.push_back({word.begin, word.end, newName});
    return patched(block->source->text, std::move(patches));
}

Result<std::string> withDescription(const Definition& d, const std::string& name, const std::string& description) {
    const auto block = blockOf(d, name);
    if (!block) return tl::unexpected(block.error());
    const auto token = argument(*block, 2, name);
    if (!token) return tl::unexpected(token.error());
    const auto text = quotedString(description, block->source->latin1);
    if (!text) return tl::unexpected(text.error());
    return block->replace(*token, *text);
}

Result<std::string> withLabel(const Definition& d, const std::string& name, const std::string& label) {
    const auto block = blockOf(d, name);
    if (!block) return tl::unexpected(block.error());
    std::string word = label;
    std::replace(word.begin(), word.end(), ' ', '_');
    if (word.empty() || word.find_first_of("\"/\t\r\n") != std::string::npos)
        return fail(ErrorCode::BadInput, "\"" + label + "\" can't be a name to show: no quotes and no slashes.");
    if (const size_t at = block->find("DISPLAY_IDENTIFIER")) return block->replace(block->tokens[at + 1], word);
    return block->insert("DISPLAY_IDENTIFIER " + word);
}

Result<std::string> withAddress(const Definition& d, const std::string& name, uint32_t address) {
    const auto block = blockOf(d, name);
    if (!block) return tl::unexpected(block.error());
    size_t index = d.parameter(name) && d.parameter(name)->kind == Parameter::Kind::AxisPoints ? 3 : 4;
    if (block->measurement) {
        index = block->find("ECU_ADDRESS");
        if (index == 0) return fail(ErrorCode::BadInput, name + " has no address to change.");
        ++index;
    }
    const auto token = argument(*block, index, name);
    if (!token) return tl::unexpected(token.error());
    return block->replace(*token, hexAddress(address));
}

namespace {

/// What gives an object a role, or takes it away; nothing where it has none to take.
Result<std::optional<Patch>> rolePatch(const Definition& d, const std::string& name, const std::string& role) {
    const auto block = blockOf(d, name);
    if (!block) return tl::unexpected(block.error());
    const auto quoted = quotedString(role, block->source->latin1);
    if (!quoted) return tl::unexpected(quoted.error());
    const auto& tokens = block->tokens;
    for (size_t i = 1; i + 4 < tokens.size(); ++i) {
        if (tokens[i].kind != Kind::Begin || tokens[i].text != "IF_DATA" || tokens[i + 1].text != "BRUSK") continue;
        if (tokens[i + 2].text != "ROLE") continue;
        if (!role.empty()) return Patch{tokens[i + 3].begin, tokens[i + 3].end, *quoted};
        return Patch{tokens[i].begin, tokens[i + 4].end, ""};
    }
    if (role.empty()) return std::nullopt;
    return block->line("/begin IF_DATA BRUSK ROLE " + *quoted + " /end IF_DATA");
}

}  // namespace

Result<std::string> withRoles(const Definition& d, const std::vector<std::pair<std::string, std::string>>& roles) {
    std::vector<Patch> patches;
    std::set<std::string_view> given;
    for (const auto& [name, role] : roles) {
        if (!given.insert(name).second) return fail(ErrorCode::Conflict, name + " can't play two roles at once.");
        auto patch = rolePatch(d, name, role);
        if (!patch) return tl::unexpected(patch.error());
        if (*patch) patches.push_back(std::move(**patch));
    }
    if (!d.source) return fail(ErrorCode::BadInput, "This definition was not read from a text.");
    return patched(d.source->text, std::move(patches));
}

Result<std::string> withRole(const Definition& d, const std::string& name, const std::string& role) {
    return withRoles(d, {{name, role}});
}

namespace {

/// Puts names into one group's list of a keyword, and takes them out of every other group's.
void putIntoGroup(const Definition& d, const char* keyword, const std::vector<std::string>& names,
                  const std::string& group, std::vector<Patch>& patches) {
    if (names.empty()) return;
    const std::set<std::string_view> wanted(names.begin(), names.end());
    std::string list;
    for (const std::string& name : names)
        list += name + " ";
    const std::string block = std::string("/begin ") + keyword + " " + list + "/end " + keyword;
    bool found = false;
    for (const Group& g : d.groups) {
        const auto tokens = tokensOf(*d.source, g.span);
        if (tokens.empty() || tokens.back().kind != Kind::Close) continue;
        const bool here = g.name == group && !found;
        bool inList = false, added = false;
        for (const A2lToken& token : tokens) {
            if (inList && token.kind == Kind::Word && wanted.count(token.text))
                patches.push_back({token.begin, token.end, ""});
            if (inList && token.kind == Kind::Close && here && !added) {
                patches.push_back({token.begin, token.begin, list});
                added = true;
            }
            inList = (inList || (token.kind == Kind::Begin && token.text == keyword)) && token.kind != Kind::Close;
        }
        found |= here;
        if (here && !added) patches.push_back({tokens.back().begin, tokens.back().begin, "  " + block + "\n    "});
    }
    if (found) return;
    const size_t end = placeForMore(*d.source);
    patches.push_back(
        {end, end, "  /begin GROUP " + group + " \"" + group + "\" ROOT\n      " + block + "\n    /end GROUP\n  "});
}

}  // namespace

Result<std::string> withGroup(const Definition& d, const std::string& name, const std::string& group) {
    const auto block = blockOf(d, name);
    if (!block) return tl::unexpected(block.error());
    if (!isIdentifier(group)) return fail(ErrorCode::BadInput, "\"" + group + "\" can't be the name of a group.");
    std::vector<Patch> patches;
    putIntoGroup(d, block->measurement ? "REF_MEASUREMENT" : "REF_CHARACTERISTIC", {name}, group, patches);
    return patched(block->source->text, std::move(patches));
}

Result<std::string> without(const Definition& d, const std::string& name) {
    const auto block = blockOf(d, name);
    if (!block) return tl::unexpected(block.error());
    for (const Parameter& p : d.parameters)
        for (const Axis& axis : p.axes)
            if (axis.shared == name)
                return fail(ErrorCode::Conflict, name + " is the axis of " + p.name + "; remove that first.");
    std::vector<Patch> patches{{block->span.begin, block->span.end, ""}};
    for (const A2lToken& word : referencesTo(*block->source, name))
        if (word.begin < block->span.begin || word.begin >= block->span.end)
            patches.push_back({word.begin, word.end, ""});
    return patched(block->source->text, std::move(patches));
}

Result<std::string> withChanges(const Definition& d, const std::string& name, const ObjectChanges& wanted, int* made) {
    const Parameter* p = d.parameter(name);
    const Measurement* m = p ? nullptr : d.measurement(name);
    if (!d.source || (!p && !m)) return tl::unexpected(blockOf(d, name).error());
    const Group* group = p ? d.groupOf(*p) : d.groupOf(*m);
    const auto is = [&](auto ofParameter, auto ofMeasurement) { return p ? ofParameter(*p) : ofMeasurement(*m); };
    const auto differs = [&](const auto& change, auto member) {
        return change && *change != is([&](const Parameter& x) { return member(x); },
                                       [&](const Measurement& x) { return member(x); });
    };
    // Each change is made on what the one before left; the name goes last, as the others find the object by it.
    Result<std::string> text = d.source->text;
    std::optional<Definition> now;
    int count = 0;
    const auto step = [&](bool needed, auto make) {
        if (!needed || !text) return;
        if (count > 0) {
            auto again = readA2l(*text);
            if (!again) {
                text = tl::unexpected(again.error());
                return;
            }
            now = std::move(again->definition);
        }
        text = make(now ? *now : d);
        ++count;
    };
    step(differs(wanted.description, [](const auto& x) { return x.description; }),
         [&](const Definition& at) { return withDescription(at, name, *wanted.description); });
    step(differs(wanted.label, [](const auto& x) { return x.label; }),
         [&](const Definition& at) { return withLabel(at, name, *wanted.label); });
    step(differs(wanted.address, [](const auto& x) { return x.address; }),
         [&](const Definition& at) { return withAddress(at, name, *wanted.address); });
    step(differs(wanted.role, [](const auto& x) { return x.role; }),
         [&](const Definition& at) { return withRole(at, name, *wanted.role); });
    step(wanted.group && (!group || group->name != *wanted.group),
         [&](const Definition& at) { return withGroup(at, name, *wanted.group); });
    step(wanted.newName && *wanted.newName != name,
         [&](const Definition& at) { return withName(at, name, *wanted.newName); });
    if (made) *made = count;
    return text;
}

namespace {

bool sameAxis(const Definition& a, const Axis& x, const Definition& b, const Axis& y) {
    Axis left = x, right = y;
    left.conversion = right.conversion = 0;
    return left == right && a.conversions[x.conversion] == b.conversions[y.conversion];
}

bool sameRemarks(const std::shared_ptr<const Remarks>& a, const std::shared_ptr<const Remarks>& b) {
    return (!a && !b) || (a && b && *a == *b);
}

bool same(const Definition& a, const Parameter& p, const Definition& b, const Parameter& q) {
    if (p.axes.size() != q.axes.size()) return false;
    for (size_t i = 0; i < p.axes.size(); ++i)
        if (!sameAxis(a, p.axes[i], b, q.axes[i])) return false;
    const auto facts = [](const Parameter& x) {
        return std::tie(x.name, x.description, x.kind, x.address, x.lower, x.upper, x.number, x.rowLength, x.input,
                        x.bitMask, x.readOnly, x.differences, x.computed, x.decimals, x.extendedLimits, x.stepSize,
                        x.unit, x.label, x.role);
    };
    return facts(p) == facts(q) && a.layouts[p.layout] == b.layouts[q.layout] &&
           a.conversionOf(p) == b.conversionOf(q) && sameRemarks(p.remarks, q.remarks) &&
           p.byteOrder.value_or(a.byteOrder) == q.byteOrder.value_or(b.byteOrder);
}

bool same(const Definition& a, const Measurement& m, const Definition& b, const Measurement& n) {
    const auto facts = [](const Measurement& x) {
        return std::tie(x.name, x.description, x.type, x.lower, x.upper, x.address, x.bitMask, x.shift, x.signExtend,
                        x.elements, x.decimals, x.unit, x.label, x.role);
    };
    return facts(m) == facts(n) && a.conversionOf(m) == b.conversionOf(n) && sameRemarks(m.remarks, n.remarks) &&
           m.byteOrder.value_or(a.byteOrder) == n.byteOrder.value_or(b.byteOrder);
}

template <class T, class Same>
std::string firstDifferenceIn(const char* what, const std::vector<T>& a, const std::vector<T>& b, Same equal) {
    for (size_t i = 0; i < std::min(a.size(), b.size()); ++i)
        if (!equal(a[i], b[i])) return std::string(what) + " " + a[i].name + " differs.";
    return a.size() == b.size()
               ? ""
               : std::string(what) + "s: " + std::to_string(a.size()) + " and " + std::to_string(b.size()) + ".";
}

}  // namespace

std::string firstDifference(const Definition& a, const Definition& b) {
    if (a.module != b.module || a.description != b.description) return "The module differs.";
    if (a.byteOrder != b.byteOrder) return "The byte order differs.";
    if (a.softwareId != b.softwareId || a.softwareIdAddress != b.softwareIdAddress) return "The software id differs.";
    if (!(a.memory == b.memory) || a.constants != b.constants) return "Memory segments or constants differ.";
    const auto plain = [](const auto& x, const auto& y) { return x == y; };
    const auto in = [&](const auto& x, const auto& y) { return same(a, x, b, y); };
    for (std::string found : {firstDifferenceIn("Conversion", a.conversions, b.conversions, plain),
                              firstDifferenceIn("Layout", a.layouts, b.layouts, plain),
                              firstDifferenceIn("Parameter", a.parameters, b.parameters, in),
                              firstDifferenceIn("Measurement", a.measurements, b.measurements, in),
                              firstDifferenceIn("Group", a.groups, b.groups, plain),
                              firstDifferenceIn("Function", a.functions, b.functions, plain)})
        if (!found.empty()) return found;
    return {};
}

Result<std::string> writeA2l(const Definition& d) {
    A2lBlocks out(d, false);
    const auto quoted = [](const std::string& text) { return *quotedString(text, false); };
    const std::string project = isIdentifier(d.project) ? d.project : "Project";
    const std::string module = isIdentifier(d.module) ? d.module : "Module";
    out.text = "ASAP2_VERSION 1 71\n/begin PROJECT " + project + " \"\"\n  /begin MODULE " + module + " " +
               quoted(d.description) + "\n    /begin MOD_PAR \"\"\n";
    if (d.softwareIdAddress) out.text += "      ADDR_EPK " + hexAddress(*d.softwareIdAddress) + "\n";
    if (!d.softwareId.empty()) out.text += "      EPK " + quoted(d.softwareId) + "\n";
    for (const auto& [name, value] : d.constants)
        out.text += "      SYSTEM_CONSTANT " + quoted(name) + " " + quoted(value) + "\n";
    for (const MemorySegment& m : d.memory)
        out.text += "      /begin MEMORY_SEGMENT " + m.name + " " + quoted(m.description) + " " + m.program + " " +
                    m.memory + " INTERN " + hexAddress(m.address) + " " + hexAddress(m.size) +
                    " -1 -1 -1 -1 -1 /end MEMORY_SEGMENT\n";
    out.text += std::string("    /end MOD_PAR\n    /begin MOD_COMMON \"\" BYTE_ORDER ") +
                (d.byteOrder == ByteOrder::BigEndian ? "MSB_FIRST" : "MSB_LAST") + " /end MOD_COMMON\n";
    for (const Conversion& k : d.conversions)
        if (k.name != "NO_COMPU_METHOD") out.conversion(k);
    for (const Layout& l : d.layouts)
        out.layout(l);
    for (const Parameter& p : d.parameters)
        out.parameter(p, d.byteOrder);
    for (const Measurement& m : d.measurements)
        out.measurement(m, d.byteOrder);
    for (const Group& g : d.groups)
        out.group(g);
    for (const Function& f : d.functions)
        out.function(f);
    out.text += "  /end MODULE\n/end PROJECT\n";
    if (!out.problem.empty()) return fail(ErrorCode::BadInput, out.problem);
    return std::move(out.text);
}

namespace {

/// A name that no thing of a list has: the wanted one, or that with a number.
template <class T>
std::string freeName(const std::vector<T>& things, const std::vector<T>& added, const std::string& wanted) {
    const auto taken = [&](const std::string& name) {
        const auto has = [&](const T& thing) { return thing.name == name; };
        return std::any_of(things.begin(), things.end(), has) || std::any_of(added.begin(), added.end(), has);
    };
    std::string name = wanted;
    for (int i = 2; taken(name); ++i)
        name = wanted + "_" + std::to_string(i);
    return name;
}

/// Finds an equal thing by name, or adds it under a free one; gives the name to use.
template <class T>
std::string shareOrAdd(const std::vector<T>& there, std::vector<T>& added, T thing, bool& isNew) {
    isNew = false;
    for (const T& known : there)
        if (known == thing) return known.name;
    for (const T& known : added)
        if (known == thing) return known.name;
    thing.name = freeName(there, added, thing.name);
    isNew = true;
    added.push_back(thing);
    return thing.name;
}

}  // namespace

Result<std::string> withAdded(const Definition& d, const Definition& more, const std::string& group) {
    if (!d.source || d.source->text.empty())
        return fail(ErrorCode::BadInput, "This definition was not read from a text; nothing can be added to it.");
    Definition local = more;  // names of what is shared change in it
    A2lBlocks out(local, d.source->latin1);
    std::vector<Conversion> conversions;
    std::vector<Layout> layouts;
    std::set<std::string> tables;
    for (const Conversion& k : d.conversions)
        tables.insert(k.table);
    for (size_t i = 0; i < local.conversions.size(); ++i) {
        Conversion& k = local.conversions[i];
        if (k.name == "NO_COMPU_METHOD") continue;
        bool isNew = false;
        const std::string name = shareOrAdd(d.conversions, conversions, k, isNew);
        k.name = name;
        if (isNew && !k.table.empty())
            for (int n = 2; !tables.insert(k.table).second; ++n)
                k.table = more.conversions[i].table + "_" + std::to_string(n);
        if (isNew) out.conversion(k);
    }
    for (Layout& l : local.layouts) {
        bool isNew = false;
        l.name = shareOrAdd(d.layouts, layouts, l, isNew);
        if (isNew) out.layout(l);
    }
    std::vector<std::string> parameters, measurements;
    for (const Parameter& p : local.parameters) {
        if (d.parameter(p.name) || d.measurement(p.name)) continue;
        if (!isIdentifier(p.name))
            return fail(ErrorCode::BadInput, "\"" + p.name + "\" can't be the name of a parameter.");
        out.parameter(p, d.byteOrder);
        parameters.push_back(p.name);
    }
    for (const Measurement& m : local.measurements) {
        if (d.parameter(m.name) || d.measurement(m.name)) continue;
        out.measurement(m, d.byteOrder);
        measurements.push_back(m.name);
    }
    if (parameters.empty() && measurements.empty())
        return fail(ErrorCode::Conflict, "The definition has all of this already.");
    if (!out.problem.empty()) return fail(ErrorCode::BadInput, out.problem);
    const size_t end = placeForMore(*d.source);
    if (!group.empty() && !isIdentifier(group))
        return fail(ErrorCode::BadInput, "\"" + group + "\" can't be the name of a group.");
    std::vector<Patch> patches{{end, end, out.text + "  "}};
    // Axes and inputs come along without a place of their own in the groups.
    if (!group.empty() && !parameters.empty())
        putIntoGroup(d, "REF_CHARACTERISTIC", {parameters.front()}, group, patches);
    return patched(d.source->text, std::move(patches));
}

Result<Definition> extract(const Definition& d, const std::string& name) {
    const Parameter* wanted = d.parameter(name);
    if (!wanted) return fail(ErrorCode::NotFound, "There is no parameter " + name + " in that definition.");
    Definition out;
    out.byteOrder = d.byteOrder;
    std::map<size_t, size_t> conversions, layouts;
    const auto conversionOf = [&](size_t index) {
        const auto [at, isNew] = conversions.emplace(index, out.conversions.size());
        if (isNew) out.conversions.push_back(d.conversions[index]);
        return at->second;
    };
    const auto take = [&](const Parameter& p, const auto& self, int depth) -> void {
        if (depth > 4 || std::any_of(out.parameters.begin(), out.parameters.end(),
                                     [&](const Parameter& known) { return known.name == p.name; }))
            return;
        Parameter copy = p;
        copy.conversion = conversionOf(p.conversion);
        const auto [at, isNew] = layouts.emplace(p.layout, out.layouts.size());
        if (isNew) out.layouts.push_back(d.layouts[p.layout]);
        copy.layout = at->second;
        std::vector<std::string> inputs{p.input};
        for (Axis& axis : copy.axes) {
            axis.conversion = conversionOf(axis.conversion);
            inputs.push_back(axis.input);
        }
        out.parameters.push_back(copy);
        for (const Axis& axis : p.axes)
            if (const Parameter* points = d.parameter(axis.shared)) self(*points, self, depth + 1);
        for (const std::string& input : inputs)
            if (const Measurement* m = d.measurement(input)) {
                if (std::any_of(out.measurements.begin(), out.measurements.end(),
                                [&](const Measurement& known) { return known.name == m->name; }))
                    continue;
                out.measurements.push_back(*m);
                out.measurements.back().conversion = conversionOf(m->conversion);
            }
    };
    take(*wanted, take, 0);
    out.index();
    return out;
}

}  // namespace brusk::definition
