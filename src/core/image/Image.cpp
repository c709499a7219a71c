// Blocks of bytes by address, merged where they touch.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/Image.h"

#include <zlib.h>

#include <algorithm>

#include "core/base/Text.h"

namespace brusk::image {

const Bytes* Image::runAt(uint32_t address, uint32_t* runStart) const {
    auto after = runs_.upper_bound(address);
    if (after == runs_.begin()) return nullptr;
    --after;
    if (address - after->first >= after->second.size()) return nullptr;
    *runStart = after->first;
    return &after->second;
}

Done Image::add(uint32_t start, ByteSpan bytes, bool replace) {
    if (bytes.empty()) return {};
    const uint64_t end = uint64_t{start} + bytes.size();
    if (end > (uint64_t{1} << 32))
        return fail(ErrorCode::OutOfRange, "Bytes at " + hexAddress(start) + " run beyond the 32-bit address space.");

    // The runs that touch [start, end) are taken out and joined into one.
    auto first = runs_.upper_bound(start);
    if (first != runs_.begin()) {
        auto before = std::prev(first);
        if (uint64_t{before->first} + before->second.size() >= start) first = before;
    }
    auto last = first;
    for (; last != runs_.end() && last->first <= end; ++last) {
        const uint64_t from = std::max<uint64_t>(last->first, start);
        const uint64_t to = std::min<uint64_t>(uint64_t{last->first} + last->second.size(), end);
        for (uint64_t a = from; !replace && a < to; ++a)
            if (last->second[a - last->first] != bytes[a - start])
                return fail(ErrorCode::Conflict, "Two different bytes are given for address " + hexAddress(a) + ".");
    }
    if (first != last && std::next(first) == last && first->first <= start) {
        // The common case, a file read in order: grow the run in place.
        Bytes& run = first->second;
        if (end - first->first > run.size()) run.resize(end - first->first);
        std::copy(bytes.begin(), bytes.end(), run.begin() + (start - first->first));
        return {};
    }
    const uint32_t joinedStart = first == last ? start : std::min(start, first->first);
    uint64_t joinedEnd = end;
    for (auto run = first; run != last; ++run)
        joinedEnd = std::max<uint64_t>(joinedEnd, uint64_t{run->first} + run->second.size());
    Bytes joined(joinedEnd - joinedStart);
    for (auto run = first; run != last; ++run)
        std::copy(run->second.begin(), run->second.end(), joined.begin() + (run->first - joinedStart));
    std::copy(bytes.begin(), bytes.end(), joined.begin() + (start - joinedStart));
    runs_.erase(first, last);
    runs_.emplace(joinedStart, std::move(joined));
    return {};
}

Result<ByteSpan> Image::bytes(uint32_t start, uint32_t count) const {
    uint32_t runStart = 0;
    const Bytes* run = runAt(start, &runStart);
    if (!run) return fail(ErrorCode::NotFound, "The image has no byte at " + hexAddress(start) + ".");
    const uint64_t offset = start - runStart;
    if (count > run->size() - offset)
        return fail(ErrorCode::NotFound, "The image has no byte at " + hexAddress(runStart + run->size()) + ".");
    return ByteSpan(*run).subspan(offset, count);
}

bool Image::contains(uint32_t start, uint32_t count) const {
    return bytes(start, count).has_value();
}

Done Image::overwrite(uint32_t start, ByteSpan bytes) {
    uint32_t runStart = 0;
    auto* run = const_cast<Bytes*>(runAt(start, &runStart));
    if (!run || bytes.size() > run->size() - (start - runStart))
        return fail(ErrorCode::NotFound, "The image does not hold all bytes from " + hexAddress(start) + ".");
    std::copy(bytes.begin(), bytes.end(), run->begin() + (start - runStart));
    return {};
}

uint64_t Image::size() const {
    uint64_t total = 0;
    for (const auto& [start, run] : runs_)
        total += run.size();
    return total;
}

std::vector<Segment> Image::segments() const {
    std::vector<Segment> all;
    for (const auto& [start, run] : runs_)
        all.push_back({start, run});
    return all;
}

uint32_t crc32(ByteSpan bytes) {
    return static_cast<uint32_t>(::crc32_z(0, bytes.data(), bytes.size()));
}

size_t checksumSize(ChecksumKind kind) {
    return kind == ChecksumKind::Crc32 || kind == ChecksumKind::Sum32 ? 4 : 2;
}

uint32_t checksumOf(ChecksumKind kind, ByteSpan bytes) {
    if (kind == ChecksumKind::Crc32) return crc32(bytes);
    if (kind == ChecksumKind::Crc16) {
        uint16_t crc = 0xFFFF;
        for (const uint8_t byte : bytes) {
            crc = static_cast<uint16_t>(crc ^ byte << 8);
            for (int bit = 0; bit < 8; ++bit)
                crc = static_cast<uint16_t>(crc & 0x8000 ? crc << 1 ^ 0x1021 : crc << 1);
        }
        return crc;
    }
    uint32_t sum = 0;
    for (const uint8_t byte : bytes)
        sum += byte;
    return kind == ChecksumKind::Sum16 ? sum & 0xFFFF : sum;
}

namespace {

/// The checksum as stored, and as it should be.
struct StoredSum {
    Bytes stored;
    Bytes wanted;
};

Result<StoredSum> storedSum(const Image& image, const ChecksumArea& area) {
    const size_t size = checksumSize(area.kind);
    const auto covered = image.bytes(area.start, area.length);
    if (!covered) return tl::unexpected(covered.error());
    const auto stored = image.bytes(area.storedAt, static_cast<uint32_t>(size));
    if (!stored) return tl::unexpected(stored.error());
    StoredSum out{Bytes(stored->begin(), stored->end()), Bytes(size)};
    storeUnsigned(out.wanted.data(), size, area.order, checksumOf(area.kind, *covered));
    return out;
}

}  // namespace

Result<bool> checksumAgrees(const Image& image, const ChecksumArea& area) {
    const auto sum = storedSum(image, area);
    if (!sum) return tl::unexpected(sum.error());
    return sum->stored == sum->wanted;
}

Result<int> mendChecksums(Image& image, const std::vector<ChecksumArea>& areas) {
    int mended = 0;
    for (const ChecksumArea& area : areas) {
        const auto sum = storedSum(image, area);
        if (!sum) return tl::unexpected(sum.error());
        if (sum->stored == sum->wanted) continue;
        if (auto done = image.overwrite(area.storedAt, sum->wanted); !done) return tl::unexpected(done.error());
        ++mended;
    }
    return mended;
}

}  // namespace brusk::image
