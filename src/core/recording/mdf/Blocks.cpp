// Finds blocks by their links, and texts in them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/mdf/Blocks.h"

#include <algorithm>
#include <cctype>

#include "core/base/Text.h"

namespace brusk::recording::mdf {

void bad(uint64_t at, const std::string& what) {
    throw BadMdf{"At byte " + std::to_string(at) + ": " + what + ".", at};
}

uint64_t Block::number(uint64_t offset, size_t count) const {
    const auto value = data.number(offset, count, ByteOrder::LittleEndian);
    if (!value) bad(at, std::string(id) + " is shorter than the standard asks for");
    return *value;
}

BlockFile::BlockFile(ByteSpan file) : file_(file) {
    constexpr uint64_t kUnfinalisedFlags = 60, kVersion = 28;
    constexpr uint64_t kLengthOfLastData = 4;  // bit 2: "update of length for last DT block required"
    const auto head = file_.slice(0, 64);
    if (!head) bad(0, "this is no MDF file: it has fewer than 64 bytes");
    const std::string_view id = asText(head->first(8));
    unfinalised_ = id == "UnFinMF ";
    if (id != "MDF     " && !unfinalised_) bad(0, "this is no MDF file");
    const uint64_t version = *file_.u16(kVersion);
    if (version < 400)
        bad(kVersion, "this is MDF version " + formatNumber(static_cast<double>(version) / 100, 2) +
                          "; Brusk reads version 4, into which most programs that write version 3 can save");
    lastLengthUnknown_ = unfinalised_ && (*file_.u16(kUnfinalisedFlags) & kLengthOfLastData) != 0;
}

std::string printable(std::string_view text) {
    std::string out;
    for (const char c : text)
        out += c >= 32 && c < 127 ? c : '.';
    return out;
}

Block BlockFile::read(uint64_t at, std::string_view wanted, bool mayBeCutOff) {
    const bool shared = wanted == "##TX" || wanted == "##MD" || wanted == "##CC" || wanted == "##SI";
    if (!shared && !met_.insert(at).second) bad(at, "the file's blocks are linked in a circle");
    return blockAt(at, wanted, mayBeCutOff);
}

Block BlockFile::blockAt(uint64_t at, std::string_view wanted, bool mayBeCutOff) const {
    constexpr uint64_t kHead = 24;
    const auto head = file_.slice(at, kHead);
    if (!head) bad(at, "a " + std::string(wanted) + " block is cut off in the file");
    Block out;
    out.at = at;
    out.id = asText(head->first(4));
    if (out.id != wanted) bad(at, "expected a " + std::string(wanted) + " block, found \"" + printable(out.id) + "\"");
    uint64_t length = *file_.u64(at + 8);
    const uint64_t links = *file_.u64(at + 16);
    const uint64_t held = file_.size() - at;
    if (mayBeCutOff && lastLengthUnknown_ && length <= kHead) length = held;
    if (length < kHead || links > (length - kHead) / 8)
        bad(at, std::string(wanted) + " claims " + std::to_string(links) + " links in " + std::to_string(length) +
                    " bytes");
    out.cutOff = length > held;
    if (out.cutOff && (!mayBeCutOff || links > 0))
        bad(at, std::string(wanted) + " claims " + std::to_string(length) + " bytes, the file has " +
                    std::to_string(held) + " from there");
    const ByteSpan body = *file_.slice(at, std::min(length, held));
    for (uint64_t i = 0; i < links; ++i)
        out.links.push_back(*file_.u64(at + kHead + 8 * i));
    out.data = ByteView(body.subspan(kHead + 8 * links));
    return out;
}

Block BlockFile::block(uint64_t at, std::string_view wanted) {
    return read(at, wanted, false);
}

Block BlockFile::dataBlock(uint64_t at, std::string_view wanted) {
    return read(at, wanted, true);
}

std::string BlockFile::idAt(uint64_t at) const {
    const auto head = file_.slice(at, 4);
    if (!head) bad(at, "a block is cut off in the file");
    return std::string(asText(*head));
}

std::string BlockFile::text(uint64_t at) {
    if (at == 0) return {};
    const Block b = block(at, idAt(at) == "##MD" ? "##MD" : "##TX");
    const std::string_view all = asText(b.bytes());
    return validText(all.substr(0, all.find('\0')));
}

std::string BlockFile::plainText(uint64_t at) {
    const std::string all = text(at);
    return all.find("<TX") == std::string::npos ? all : between(all, "<TX>", "</TX>");
}

namespace {

/// "&#233;" and "&#xE9;" as UTF-8.
std::string character(std::string_view number) {
    const bool hex = !number.empty() && (number[0] == 'x' || number[0] == 'X');
    const auto code = parseUnsigned(hex ? "0x" + std::string(number.substr(1)) : std::string(number));
    if (!code || *code == 0 || *code > 0x10FFFF || (*code >= 0xD800 && *code < 0xE000)) return "\uFFFD";
    std::string out;
    appendUtf8(out, static_cast<uint32_t>(*code));
    return out;
}

std::string withoutEntities(std::string_view text) {
    constexpr size_t kLongest = 10;
    constexpr std::pair<std::string_view, char> kNamed[] = {
        {"lt", '<'}, {"gt", '>'}, {"quot", '"'}, {"apos", '\''}, {"amp", '&'}};
    std::string out;
    while (!text.empty()) {
        const size_t end = text[0] == '&' ? text.substr(0, kLongest).find(';') : std::string_view::npos;
        const std::string_view name = end == std::string_view::npos ? "" : text.substr(1, end - 1);
        const auto* named =
            std::find_if(std::begin(kNamed), std::end(kNamed), [&](const auto& one) { return one.first == name; });
        if (named != std::end(kNamed))
            out += named->second;
        else if (!name.empty() && name[0] == '#')
            out += character(name.substr(1));
        else {
            out += text[0];
            text.remove_prefix(1);
            continue;
        }
        text.remove_prefix(end + 1);
    }
    return out;
}

}  // namespace

std::string between(const std::string& xml, std::string_view open, std::string_view close) {
    const size_t from = xml.find(open);
    if (from == std::string::npos) return {};
    const size_t to = xml.find(close, from + open.size());
    if (to == std::string::npos) return {};
    return withoutEntities(std::string_view(xml).substr(from + open.size(), to - from - open.size()));
}

std::string property(const std::string& xml, const std::string& name) {
    return between(xml, "<e name=\"" + name + "\">", "</e>");
}

}  // namespace brusk::recording::mdf
