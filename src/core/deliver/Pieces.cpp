// ZIP by libarchive; the list of SHA-256 is the last piece.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Pieces.h"

#include <archive.h>
#include <archive_entry.h>
#include <locale.h>

#include <algorithm>
#include <map>
#include <set>

#include "core/base/Say.h"
#include "core/base/Text.h"
#include "core/deliver/Lines.h"

namespace brusk::deliver {
namespace {

constexpr const char* kList = "sha256";
constexpr const char* kListTitle = "Brusk pieces 1";
constexpr size_t kMostOfPiece = size_t{2} << 30;
constexpr size_t kMostPieces = 100000;

/// Whether a name stays below the folder it is unpacked into.
bool staysInside(const std::string& name) {
    if (name.empty() || name.front() == '/' || name.find('\\') != std::string::npos || name.size() > 4096) return false;
    for (size_t at = 0; at <= name.size();) {
        const size_t end = std::min(name.find('/', at), name.size());
        const std::string part = name.substr(at, end - at);
        if (part.empty() || part == "." || part == "..") return false;
        at = end + 1;
    }
    return std::none_of(name.begin(), name.end(), [](char c) { return static_cast<unsigned char>(c) < 0x20; });
}

tl::unexpected<Error> noPieces(const std::string& why) {
    return fail(ErrorCode::BadInput, say("pieces.none", "This is no file of pieces: {0}.", {why}));
}

/// Names are UTF-8 whatever the language of this machine: the library asks the locale of the thread.
class Utf8 {
  public:
    Utf8() : ours_(newlocale(LC_CTYPE_MASK, "C.UTF-8", nullptr)), before_(ours_ ? uselocale(ours_) : nullptr) {}
    ~Utf8() {
        if (!ours_) return;
        uselocale(before_);
        freelocale(ours_);
    }
    Utf8(const Utf8&) = delete;
    Utf8& operator=(const Utf8&) = delete;

  private:
    locale_t ours_;
    locale_t before_;
};

struct Entry {
    void operator()(archive_entry* e) const { archive_entry_free(e); }
};
struct Reading {
    void operator()(archive* a) const { archive_read_free(a); }
};

/// The bytes of the piece that is at hand; nothing when they are damaged.
std::optional<Bytes> bytesOf(archive* a, archive_entry* entry) {
    Bytes out;
    // What the file says of a piece's size is believed only as far as it comes.
    if (archive_entry_size_is_set(entry))
        out.reserve(static_cast<size_t>(std::clamp<int64_t>(archive_entry_size(entry), 0, 1 << 20)));
    std::array<uint8_t, 65536> block{};
    while (true) {
        const la_ssize_t n = archive_read_data(a, block.data(), block.size());
        if (n < 0 || out.size() + static_cast<size_t>(std::max<la_ssize_t>(n, 0)) > kMostOfPiece) return std::nullopt;
        if (n == 0) return out;
        out.insert(out.end(), block.begin(), block.begin() + n);
    }
}

}  // namespace

void PieceWriter::Closer::operator()(archive* a) const {
    archive_write_free(a);
}

PieceWriter::PieceWriter(Out out) : out_(std::move(out)), archive_(archive_write_new()) {
    archive_write_set_format_zip(archive_.get());
    const Utf8 names;
    archive_write_set_options(archive_.get(), "zip:hdrcharset=UTF-8");
    archive_write_set_bytes_in_last_block(archive_.get(), 1);
    const auto write = [](archive* a, void* self, const void* bytes, size_t count) -> la_ssize_t {
        auto& writer = *static_cast<PieceWriter*>(self);
        auto done = writer.out_({static_cast<const uint8_t*>(bytes), count});
        if (done) return static_cast<la_ssize_t>(count);
        writer.failed_ = done.error();
        writer.hasFailed_ = true;
        archive_set_error(a, 5, "the file can't be written");
        return -1;
    };
    archive_write_open(archive_.get(), this, nullptr, write, nullptr);
}

PieceWriter::~PieceWriter() {
    // What was not finished is not told to anybody any more.
    if (!hasFailed_) out_ = [](ByteSpan) { return Done(); };
}

Done PieceWriter::problem(const char* what) {
    if (hasFailed_) return tl::unexpected(failed_);
    const char* why = archive_error_string(archive_.get());
    return fail(ErrorCode::Io, say("pieces.not-written", "{0} could not be packed: {1}.", {what, why ? why : "?"}));
}

Done PieceWriter::add(const std::string& name, ByteSpan bytes) {
    const Utf8 names;
    const std::unique_ptr<archive_entry, Entry> entry(archive_entry_new());
    archive_entry_set_pathname_utf8(entry.get(), name.c_str());
    archive_entry_set_size(entry.get(), static_cast<la_int64_t>(bytes.size()));
    archive_entry_set_filetype(entry.get(), AE_IFREG);
    archive_entry_set_perm(entry.get(), 0644);
    if (archive_write_header(archive_.get(), entry.get()) != ARCHIVE_OK) return problem(name.c_str());
    for (size_t at = 0; at < bytes.size();) {
        const la_ssize_t n = archive_write_data(archive_.get(), bytes.data() + at, bytes.size() - at);
        if (n <= 0) return problem(name.c_str());
        at += static_cast<size_t>(n);
    }
    if (name != kList) {
        Lines line("");
        line.add(sha256Hex(bytes), name);
        shas_ += line.text().substr(1);
    }
    return {};
}

Done PieceWriter::finish() {
    const Utf8 names;
    const std::string list = std::string(kListTitle) + "\n" + shas_;
    if (auto done = add(kList, asBytes(list)); !done) return done;
    return archive_write_close(archive_.get()) == ARCHIVE_OK ? Done() : problem("The end");
}

Result<Bytes> packed(const std::vector<Piece>& pieces) {
    Bytes out;
    PieceWriter writer([&](ByteSpan bytes) {
        out.insert(out.end(), bytes.begin(), bytes.end());
        return Done();
    });
    for (const Piece& piece : pieces)
        if (auto done = writer.add(piece.name, piece.bytes); !done) return tl::unexpected(done.error());
    if (auto done = writer.finish(); !done) return tl::unexpected(done.error());
    return out;
}

Result<Unpacked> unpack(ByteSpan file, const std::function<Done(Piece&&)>& take) {
    const Utf8 names;
    // The list is read first: which bytes a piece should have must be known before it is handed on.
    std::map<std::string, std::string> shas;
    std::set<std::string> seen;
    Unpacked out;
    for (const bool listing : {true, false}) {
        const std::unique_ptr<archive, Reading> a(archive_read_new());
        archive_read_support_format_zip(a.get());
        if (archive_read_open_memory(a.get(), file.data(), file.size()) != ARCHIVE_OK)
            return noPieces(say("pieces.not-zip", "it is no ZIP file"));
        archive_entry* entry = nullptr;
        size_t count = 0;
        for (int code = ARCHIVE_OK; (code = archive_read_next_header(a.get(), &entry)) != ARCHIVE_EOF; ++count) {
            if (code == ARCHIVE_FATAL && count == 0) return noPieces(say("pieces.no-zip", "it is no ZIP file"));
            // What follows a place that can't be passed is lost; the list says what it was.
            if (code == ARCHIVE_FATAL || count > kMostPieces) break;
            if (code == ARCHIVE_RETRY) continue;
            const char* raw = archive_entry_pathname_utf8(entry);
            if (!raw) raw = archive_entry_pathname(entry);
            const std::string name = raw ? raw : "";
            if (archive_entry_filetype(entry) == AE_IFDIR) continue;
            if (!staysInside(name))
                return noPieces(say("pieces.name", "the name \"{0}\" leads out of it", {validText(name)}));
            if (listing != (name == kList)) continue;
            auto bytes = bytesOf(a.get(), entry);
            if (listing) {
                const auto lines = bytes ? Lines::parse(asText(*bytes), kListTitle, "list of pieces")
                                         : Result<Lines>(noPieces("it has no list"));
                out.listed = lines.has_value();
                if (lines)
                    for (const auto& [sha, piece] : lines->pairs())
                        shas[piece] = sha;
                break;
            }
            if (!seen.insert(name).second) return noPieces(say("pieces.twice", "\"{0}\" is in it twice", {name}));
            const auto wanted = shas.find(name);
            if (!bytes || (out.listed && (wanted == shas.end() || sha256Hex(*bytes) != wanted->second))) {
                out.damaged.push_back(name);
                continue;
            }
            if (auto done = take({name, std::move(*bytes)}); !done) return tl::unexpected(done.error());
        }
        if (listing && shas.empty()) out.listed = false;
    }
    for (const auto& [name, sha] : shas)
        if (!seen.contains(name)) out.damaged.push_back(name);
    if (seen.empty() && shas.empty()) return noPieces(say("pieces.empty", "there is nothing in it"));
    return out;
}

}  // namespace brusk::deliver
