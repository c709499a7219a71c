// Follows lists of data blocks and unpacks them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/mdf/Data.h"

#include <libdeflate.h>
#include <zlib.h>

#include <algorithm>
#include <memory>

namespace brusk::recording::mdf {

namespace {

constexpr uint64_t kEqualLengths = 1;
/// Deflate packs at most 1 to 1032 (zlib's own figure); more is a lie.
constexpr uint64_t kMostPacked = 1040;
/// What a file's packed blocks may come to in all.
constexpr uint64_t kMostUnpacked = uint64_t{8} << 30;

bool isPlain(std::string_view id) {
    return id == "##DT" || id == "##DV" || id == "##DI" || id == "##SD" || id == "##RD";
}

struct Inflated {
    Bytes bytes;
    bool whole = false;
};

/// The bytes of a packed block: all of them, those before the end of a file that is cut off, or none where the stream
/// or its checksum is wrong.
Inflated inflated(ByteSpan packed, uint64_t length) {
    Inflated out;
    out.bytes.resize(length + 1);  // one more shows a stream that is longer than it says
    z_stream stream{};
    if (inflateInit(&stream) != Z_OK) return {};
    constexpr size_t kMost = 1u << 30;
    size_t given = 0, made = 0;
    int state = Z_OK;
    while (state == Z_OK) {
        const size_t in = std::min(packed.size() - given, kMost),
                     room = std::min<size_t>(out.bytes.size() - made, kMost);
        stream.next_in = const_cast<uint8_t*>(packed.data() + given);  // NOLINT: zlib does not write there
        stream.avail_in = static_cast<uInt>(in);
        stream.next_out = out.bytes.data() + made;
        stream.avail_out = static_cast<uInt>(room);
        state = inflate(&stream, Z_NO_FLUSH);
        given += in - stream.avail_in;
        made += room - stream.avail_out;
        if (in == stream.avail_in && room == stream.avail_out) break;
    }
    inflateEnd(&stream);
    out.whole = state == Z_STREAM_END && made == length;
    const bool cutOff = given == packed.size() && state != Z_DATA_ERROR && state != Z_STREAM_END;
    out.bytes.resize(out.whole || cutOff ? made : 0);
    return out;
}

}  // namespace

Bytes turnedBack(const Bytes& columns, uint64_t width) {
    // So many rows stay in the fast memory while all their columns are laid into them.
    constexpr size_t kTile = 64;
    const size_t rows = columns.size() / width;
    Bytes out(columns.size());
    for (size_t tile = 0; tile < rows; tile += kTile)
        for (size_t column = 0; column < width; ++column)
            for (size_t row = tile; row < std::min(rows, tile + kTile); ++row)
                out[row * width + column] = columns[column * rows + row];
    std::copy(columns.begin() + static_cast<long>(rows * width), columns.end(),
              out.begin() + static_cast<long>(rows * width));
    return out;
}

namespace {

/// All at once, for a stream that is whole: the quicker way. False: who wants what there is asks inflated().
bool inflatedWhole(ByteSpan packed, Bytes& out) {
    thread_local const std::unique_ptr<libdeflate_decompressor, void (*)(libdeflate_decompressor*)> inflater(
        libdeflate_alloc_decompressor(), libdeflate_free_decompressor);
    size_t made = 0;
    return inflater &&
           libdeflate_zlib_decompress(inflater.get(), packed.data(), packed.size(), out.data(), out.size(), &made) ==
               LIBDEFLATE_SUCCESS &&
           made == out.size();
}

std::string packedDamage(uint64_t block, std::string_view held, uint64_t length, size_t given) {
    return "At byte " + std::to_string(block) + ": packed " + printable(held) + " data are damaged; of " +
           std::to_string(length) + " bytes " + std::to_string(given) + " are given.";
}

}  // namespace

Bytes unpackedPiece(const DataPiece& piece, ByteSpan stored, std::string& damage) {
    Bytes out(piece.length);
    if (inflatedWhole(stored, out)) return out;
    Inflated some = inflated(stored, piece.length);
    // Of turned data only the whole can be turned back.
    if (!some.whole && piece.width > 1) some.bytes.clear();
    if (!some.whole) damage = packedDamage(piece.block, "DT", piece.length, some.bytes.size());
    return std::move(some.bytes);
}

Bytes DataSection::unpacked(const Block& dz, bool& whole) {
    constexpr uint64_t kHead = 24;
    const std::string_view held = asText(dz.bytes().first(std::min<size_t>(2, dz.data.size())));
    const uint64_t zip = dz.number(2, 1), parameter = dz.number(4, 4), length = dz.number(8, 8);
    const uint64_t packedLength = dz.number(16, 8);
    if (zip > 1)
        bad(dz.at, "data packed in way " + std::to_string(zip) + "; the standard knows 0 (deflate) and 1 (transposed)");
    const uint64_t there = dz.data.size() - std::min<uint64_t>(kHead, dz.data.size());
    const ByteSpan packed = *dz.data.slice(kHead, std::min(packedLength, there));
    if (length / kMostPacked > packed.size())
        bad(dz.at, "packed data of " + std::to_string(packed.size()) + " bytes claim to be " + std::to_string(length));
    unpackedSoFar_ += length;
    if (unpackedSoFar_ > kMostUnpacked) bad(dz.at, "the packed data come to more than 8 GiB");
    Inflated out;
    out.bytes.resize(length);
    out.whole = inflatedWhole(packed, out.bytes);
    if (!out.whole) out = inflated(packed, length);
    whole = out.whole;
    // Of turned data only the whole can be turned back.
    if (!whole && zip == 1) out.bytes.clear();
    if (!whole) damage_.push_back(packedDamage(dz.at, held, length, out.bytes.size()));
    return zip == 1 && parameter > 1 ? turnedBack(out.bytes, parameter) : std::move(out.bytes);
}

bool DataSection::give(uint64_t at, bool jumped, uint64_t offset, const TakePiece& take, uint64_t& held) {
    const std::string id = file_.idAt(at);
    if (id == "##DZ") {
        const Block dz = file_.dataBlock(at, id);
        bool whole = false;
        const Bytes bytes = unpacked(dz, whole);
        held = bytes.size();
        take(bytes, jumped, offset);
        return whole;
    }
    if (!isPlain(id)) bad(at, "expected data, found \"" + printable(id) + "\"");
    const Block block = file_.dataBlock(at, id);
    held = block.data.size();
    if (block.cutOff)
        damage_.push_back("At byte " + std::to_string(at) + ": the data are cut off at the end of the file; " +
                          std::to_string(held) + " bytes of them are given.");
    take(block.bytes(), jumped, offset);
    return !block.cutOff;
}

void DataSection::listOf(const Block& list, std::vector<Entry>& out) const {
    if (file_.unfinalised() && list.link(1) == 0)
        bad(list.at, "a list of data was not on the disk when the recording broke off");
    const uint64_t flags = list.number(0, 1);
    for (size_t i = 1; i < list.links.size(); ++i) {
        if (list.links[i] == 0) continue;
        const auto offset =
            flags & kEqualLengths ? list.data.u64(8) : list.data.u64(8 + 8 * static_cast<uint64_t>(i - 1));
        Entry entry{list.links[i], offset};
        // Blocks of one length each: counted from the first of all.
        if (flags & kEqualLengths && offset)
            entry.offset = *offset > (uint64_t{1} << 40) ? std::nullopt : std::optional(*offset * out.size());
        out.push_back(entry);
    }
}

void DataSection::newListOf(const Block& list, size_t first, uint64_t sampleBytes, std::vector<Entry>& out) {
    constexpr uint64_t kMostSamples = uint64_t{1} << 32;
    const uint64_t flags = list.number(0, 4), count = list.number(4, 4);
    for (size_t i = 0; i < count && first + i < list.links.size(); ++i) {
        const bool equal = flags & kEqualLengths;
        const auto samples = list.data.u64(equal ? 8 : 8 + 8 * static_cast<uint64_t>(i));
        std::optional<uint64_t> offset;
        if (samples && *samples < kMostSamples) offset = *samples * sampleBytes * (equal ? out.size() : 1);
        out.push_back({list.links[first + i], offset});
    }
}

DataSection::Entries DataSection::entries(uint64_t at, uint64_t sampleBytes, uint64_t invalidationBytes) {
    constexpr uint64_t kInvalidation = uint64_t{1} << 31;
    Entries out;
    if (at == 0) return out;
    try {
        std::string id = file_.idAt(at);
        if (id == "##HL") {
            at = file_.block(at, "##HL").link(0);
            if (at == 0) return out;
            id = file_.idAt(at);
        }
        if (id != "##DL" && id != "##LD") {
            out.data.push_back({at, 0});
            return out;
        }
        while (at != 0) {
            const Block list = file_.block(at, id);
            if (id == "##DL") {
                listOf(list, out.data);
            } else {
                newListOf(list, 1, sampleBytes, out.data);
                if (list.number(0, 4) & kInvalidation)
                    newListOf(list, 1 + list.number(4, 4), invalidationBytes, out.invalidation);
            }
            at = list.link(0);
        }
    } catch (const BadMdf& problem) {
        damage_.push_back(problem.message);
    }
    return out;
}

void DataSection::run(const std::vector<Entry>& entries, const TakePiece& take) {
    bool jumped = false;
    uint64_t offset = 0;
    for (const Entry& entry : entries) {
        // After a loss a block can only be placed where the list says how far in the section it begins.
        if (jumped && (!entry.offset || *entry.offset < offset)) return;
        if (jumped) offset = *entry.offset;
        uint64_t held = 0;
        bool whole = true;
        try {
            if (entry.at != 0) whole = give(entry.at, jumped, offset, take, held);
        } catch (const TooMuch&) {
            throw;
        } catch (const BadMdf& problem) {
            damage_.push_back(problem.message);
            whole = false;
        }
        jumped = !whole || (jumped && held == 0);
        offset += held;
    }
}

bool DataSection::isByColumn(uint64_t at) {
    if (at == 0) return false;
    std::string id = file_.idAt(at);
    if (id == "##HL") id = file_.idAt(file_.linkOf(at, 0));
    return id == "##LD" || id == "##DV";
}

void DataSection::each(const Entries& entries, const TakePiece& take, const TakePiece& takeInvalidation) {
    run(entries.data, take);
    if (takeInvalidation) run(entries.invalidation, takeInvalidation);
}

std::optional<std::vector<DataPiece>> DataSection::wholePieces(const Entries& entries) const {
    constexpr uint64_t kHead = 24;
    std::vector<DataPiece> out;
    uint64_t offset = 0, unpacked = 0;
    try {
        for (const Entry& entry : entries.data) {
            if (entry.at == 0) return std::nullopt;
            const std::string id = file_.idAt(entry.at);
            if (id != "##DZ" && !isPlain(id)) return std::nullopt;
            const Block block = file_.look(entry.at, id);
            if (block.cutOff) return std::nullopt;
            DataPiece piece;
            piece.block = entry.at, piece.offset = offset;
            piece.at = entry.at + kHead + 8 * block.links.size();
            piece.stored = piece.length = block.data.size();
            if (id == "##DZ") {
                const uint64_t zip = block.number(2, 1), width = block.number(4, 4);
                piece.packed = true;
                piece.at += kHead, piece.stored = block.number(16, 8), piece.length = block.number(8, 8);
                piece.width = zip == 1 && width > 1 ? width : 0;
                unpacked += piece.length;
                if (zip > 1 || piece.stored > block.data.size() - kHead || piece.length / kMostPacked > piece.stored ||
                    unpacked > kMostUnpacked)
                    return std::nullopt;
            }
            if (entry.offset && *entry.offset != offset) return std::nullopt;
            offset += piece.length;
            if (piece.length > 0) out.push_back(piece);
        }
    } catch (const BadMdf&) {
        return std::nullopt;
    }
    return out;
}

}  // namespace brusk::recording::mdf
