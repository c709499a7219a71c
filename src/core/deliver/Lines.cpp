// One line a value, so that what was sent can be read by eye and by any program.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Lines.h"

#include <sodium.h>

#include <algorithm>

#include "core/base/Say.h"
#include "core/base/Text.h"

namespace brusk::deliver {
namespace {

std::string escaped(const std::string& value) {
    std::string out;
    for (const char c : value) {
        if (c == '\\')
            out += "\\\\";
        else if (c == '\n')
            out += "\\n";
        else if (c != '\r')
            out += c;
    }
    return out;
}

std::string unescaped(std::string_view value) {
    std::string out;
    for (size_t i = 0; i < value.size(); ++i) {
        const bool escape = value[i] == '\\' && i + 1 < value.size();
        if (escape) ++i;
        out += escape && value[i] == 'n' ? '\n' : value[i];
    }
    return out;
}

}  // namespace

Result<Lines> Lines::parse(std::string_view text, std::string_view title, const std::string& what) {
    Lines out{std::string(title)};
    out.what_ = what;
    bool titled = false;
    int number = 0;
    while (!text.empty()) {
        const size_t end = text.find('\n');
        const std::string_view raw = text.substr(0, end);
        text = end == std::string_view::npos ? std::string_view() : text.substr(end + 1);
        ++number;
        const std::string_view line = trimmed(raw);
        if (line.empty()) continue;
        if (!titled) {
            if (line != title)
                return failIn({{}, number, {}}, ErrorCode::BadInput,
                              say("lines.no-title", "This is no {0}: it does not begin with \"{1}\".", {what, title}));
            titled = true;
            continue;
        }
        const size_t colon = line.find(':');
        if (colon == std::string_view::npos || colon == 0)
            return failIn(
                {{}, number, {}}, ErrorCode::BadInput,
                say("lines.no-colon", "Line {0} of the {1} is not \"name: value\".", {std::to_string(number), what}));
        out.add(std::string(trimmed(line.substr(0, colon))), validText(unescaped(trimmed(line.substr(colon + 1)))));
    }
    if (!titled)
        return fail(ErrorCode::BadInput, say("lines.empty", "This is no {0}: there is nothing in it.", {what}));
    return out;
}

std::string Lines::text() const {
    std::string out = title_ + "\n";
    for (const auto& [name, value] : lines_)
        out += name + ": " + escaped(value) + "\n";
    return out;
}

std::vector<std::string> Lines::all(std::string_view name) const {
    std::vector<std::string> out;
    for (const auto& [key, value] : lines_)
        if (key == name) out.push_back(value);
    return out;
}

std::optional<std::string> Lines::maybe(std::string_view name) const {
    const auto found = all(name);
    return found.size() == 1 ? std::optional(found.front()) : std::nullopt;
}

Result<std::string> Lines::one(std::string_view name) const {
    if (auto value = maybe(name)) return std::move(*value);
    return fail(ErrorCode::BadInput, say("lines.not-once", "The {0} must say \"{1}\" once.", {what_, name}));
}

Result<Bytes> Lines::bytes(std::string_view name, size_t count) const {
    const auto text = one(name);
    if (!text) return tl::unexpected(text.error());
    auto out = fromBase64(*text);
    if (out && out->size() == count) return std::move(*out);
    return fail(ErrorCode::BadInput, say("lines.no-bytes", "The {0} says \"{1}\" in {2} bytes that can't be read.",
                                         {what_, name, std::to_string(count)}));
}

Result<uint64_t> Lines::number(std::string_view name) const {
    const auto text = one(name);
    if (!text) return tl::unexpected(text.error());
    if (const auto out = parseUnsigned(*text)) return *out;
    return fail(ErrorCode::BadInput, say("lines.no-number", "The {0}'s \"{1}\" is no number.", {what_, name}));
}

Result<bool> Lines::yes(std::string_view name) const {
    const auto text = one(name);
    if (!text) return tl::unexpected(text.error());
    if (*text == "yes" || *text == "no") return *text == "yes";
    return fail(ErrorCode::BadInput, say("lines.no-yes", "The {0}'s \"{1}\" is neither yes nor no.", {what_, name}));
}

std::string base64(ByteSpan bytes) {
    std::string out(sodium_base64_ENCODED_LEN(bytes.size(), sodium_base64_VARIANT_ORIGINAL), '\0');
    sodium_bin2base64(out.data(), out.size(), bytes.data(), bytes.size(), sodium_base64_VARIANT_ORIGINAL);
    out.resize(out.size() - 1);  // it wrote a terminating zero
    return out;
}

std::optional<Bytes> fromBase64(std::string_view text) {
    Bytes out(text.size() / 4 * 3 + 3);
    size_t size = 0;
    if (sodium_base642bin(out.data(), out.size(), text.data(), text.size(), nullptr, &size, nullptr,
                          sodium_base64_VARIANT_ORIGINAL) != 0)
        return std::nullopt;
    out.resize(size);
    return out;
}

}  // namespace brusk::deliver
