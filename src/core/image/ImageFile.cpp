// Intel Hexadecimal Object File Format rev. A (record types 00 to 05); Motorola S-record (S0 to S3, S5 to S9).
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/image/ImageFile.h"

#include <algorithm>

#include "core/base/Text.h"

namespace brusk::image {
namespace {

/// Walks the lines of a text file, whatever ends them, and counts them from 1.
class Lines {
  public:
    explicit Lines(ByteSpan bytes) : rest_(asText(bytes)) {}

    std::optional<std::string_view> next() {
        while (!rest_.empty()) {
            const size_t end = rest_.find_first_of("\r\n");
            std::string_view line = rest_.substr(0, end);
            if (end == std::string_view::npos) {
                rest_ = {};
            } else {
                const bool pair = rest_[end] == '\r' && end + 1 < rest_.size() && rest_[end + 1] == '\n';
                rest_.remove_prefix(end + (pair ? 2 : 1));
            }
            ++number_;
            line = trimmed(line);
            if (!line.empty()) return line;
        }
        return std::nullopt;
    }

    tl::unexpected<Error> bad(const std::string& what) const {
        return fail(ErrorCode::BadInput, "Line " + std::to_string(number_) + ": " + what + ".");
    }

  private:
    std::string_view rest_;
    int number_ = 0;
};

int hexDigit(char c) {
    if (c >= '0' && c <= '9') return c - '0';
    if (c >= 'A' && c <= 'F') return c - 'A' + 10;
    if (c >= 'a' && c <= 'f') return c - 'a' + 10;
    return -1;
}

/// Hexadecimal pairs into `out`; false at the first character that is none.
bool parsePairs(std::string_view text, Bytes& out) {
    out.clear();
    if (text.size() % 2) return false;
    for (size_t i = 0; i < text.size(); i += 2) {
        const int high = hexDigit(text[i]);
        const int low = hexDigit(text[i + 1]);
        if (high < 0 || low < 0) return false;
        out.push_back(static_cast<uint8_t>(high * 16 + low));
    }
    return true;
}

uint8_t sumOf(ByteSpan bytes) {
    unsigned sum = 0;
    for (const uint8_t byte : bytes)
        sum += byte;
    return static_cast<uint8_t>(sum);
}

Result<Image> readIntelHex(ByteSpan file) {
    Image image;
    Lines lines(file);
    Bytes record;
    uint32_t upper = 0;
    bool segmented = false;
    bool ended = false;
    while (const auto line = lines.next()) {
        if (ended) return lines.bad("there is text after the end record");
        if (line->front() != ':') return lines.bad("an Intel HEX record starts with a colon");
        if (!parsePairs(line->substr(1), record)) return lines.bad("not all characters are hexadecimal pairs");
        if (record.size() < 5 || record.size() != size_t{record[0]} + 5)
            return lines.bad("the record says " + std::to_string(record.empty() ? 0 : record[0]) +
                             " data bytes and has another number of them");
        if (sumOf(record) != 0) return lines.bad("the checksum is wrong");
        const ByteSpan data = ByteSpan(record).subspan(4, record[0]);
        const uint32_t offset = static_cast<uint32_t>(record[1] << 8 | record[2]);
        switch (record[3]) {
            case 0x00: {
                // A segmented record wraps inside its 64 KiB, a linear one does not (clause 2 of the format).
                const size_t room = segmented ? std::min<size_t>(data.size(), 0x10000 - offset) : data.size();
                auto done = image.add(upper + offset, data.first(room));
                if (done && room < data.size()) done = image.add(upper, data.subspan(room));
                if (!done) return lines.bad(done.error().message.substr(0, done.error().message.size() - 1));
                break;
            }
            case 0x01:
                ended = true;
                break;
            case 0x02:
            case 0x04: {
                if (data.size() != 2) return lines.bad("an address record has two data bytes");
                const uint32_t value = static_cast<uint32_t>(data[0] << 8 | data[1]);
                segmented = record[3] == 0x02;
                upper = segmented ? value << 4 : value << 16;
                break;
            }
            case 0x03:
            case 0x05:
                if (data.size() != 4) return lines.bad("a start record has four data bytes");
                break;
            default:
                return lines.bad("record type " + std::to_string(record[3]) + " is not known");
        }
    }
    if (!ended) return lines.bad("the file stops before its end record; it is cut off");
    return image;
}

Result<Image> readSRecord(ByteSpan file, std::vector<std::string>* remarks) {
    Image image;
    Lines lines(file);
    Bytes record;
    bool ended = false, counted = false;
    uint32_t dataRecords = 0;
    while (const auto line = lines.next()) {
        if (ended) return lines.bad("there is text after the end record");
        if (line->size() < 4 || line->front() != 'S') return lines.bad("an S-record starts with S and a digit");
        const char type = (*line)[1];
        if (!parsePairs(line->substr(2), record)) return lines.bad("not all characters are hexadecimal pairs");
        if (record.empty() || record.size() != size_t{record[0]} + 1) return lines.bad("the record's length is wrong");
        if (sumOf(record) != 0xFF) return lines.bad("the checksum is wrong");
        if (type < '0' || type > '9' || type == '4')
            return lines.bad(std::string("record type S") + type + " is not known");
        static constexpr size_t kAddressBytes[] = {2, 2, 3, 4, 0, 2, 3, 4, 3, 2};
        const size_t addressBytes = kAddressBytes[type - '0'];
        if (record.size() < addressBytes + 2) return lines.bad("the record is too short for its address");
        const auto address = static_cast<uint32_t>(loadUnsigned(record.data() + 1, addressBytes, ByteOrder::BigEndian));
        const ByteSpan data = ByteSpan(record).subspan(1 + addressBytes, record.size() - addressBytes - 2);
        if (type >= '1' && type <= '3') {
            ++dataRecords;
            if (auto done = image.add(address, data); !done)
                return lines.bad(done.error().message.substr(0, done.error().message.size() - 1));
        } else if (type == '5' || type == '6') {
            if (address != dataRecords)
                return lines.bad("the count record says " + std::to_string(address) + " data records, there are " +
                                 std::to_string(dataRecords));
            counted = true;
        } else if (type >= '7') {
            ended = true;
        }
    }
    // Some writers leave the end record out; a count that agrees says as well that nothing is missing.
    if (!ended && !counted && dataRecords == 0) return lines.bad("there is no data record");
    if (!ended && !counted && remarks)
        remarks->push_back("The file has no end record and does not count its records; its end may be missing.");
    return image;
}

void appendPairs(std::string& out, ByteSpan bytes) {
    static constexpr char digits[] = "0123456789ABCDEF";
    for (const uint8_t byte : bytes) {
        out += digits[byte >> 4];
        out += digits[byte & 15];
    }
}

void appendHexRecord(std::string& out, uint8_t type, uint16_t offset, ByteSpan data) {
    Bytes record{static_cast<uint8_t>(data.size()), static_cast<uint8_t>(offset >> 8), static_cast<uint8_t>(offset),
                 type};
    record.insert(record.end(), data.begin(), data.end());
    record.push_back(static_cast<uint8_t>(-sumOf(record)));
    out += ':';
    appendPairs(out, record);
    out += "\r\n";
}

std::string writeIntelHex(const Image& image, size_t rowBytes) {
    std::string out;
    uint32_t upper = 0;
    for (const Segment& segment : image.segments()) {
        for (size_t at = 0; at < segment.bytes.size();) {
            const auto address = static_cast<uint32_t>(segment.start + at);
            if (address >> 16 != upper) {
                upper = address >> 16;
                const uint8_t data[] = {static_cast<uint8_t>(upper >> 8), static_cast<uint8_t>(upper)};
                appendHexRecord(out, 0x04, 0, data);
            }
            // A row ends at its multiple and never crosses a 64 KiB border.
            const size_t toBorder = 0x10000 - (address & 0xFFFF);
            const size_t count = std::min({rowBytes - address % rowBytes, toBorder, segment.bytes.size() - at});
            appendHexRecord(out, 0x00, static_cast<uint16_t>(address), ByteSpan(segment.bytes).subspan(at, count));
            at += count;
        }
    }
    appendHexRecord(out, 0x01, 0, {});
    return out;
}

void appendSRecord(std::string& out, char type, uint32_t address, size_t addressBytes, ByteSpan data) {
    Bytes record{static_cast<uint8_t>(addressBytes + data.size() + 1)};
    for (size_t i = addressBytes; i-- > 0;)
        record.push_back(static_cast<uint8_t>(address >> (8 * i)));
    record.insert(record.end(), data.begin(), data.end());
    record.push_back(static_cast<uint8_t>(~sumOf(record)));
    out += 'S';
    out += type;
    appendPairs(out, record);
    out += "\r\n";
}

std::string writeSRecord(const Image& image, size_t rowBytes) {
    std::string out;
    appendSRecord(out, '0', 0, 2, asBytes("brusk"));
    for (const Segment& segment : image.segments())
        for (size_t at = 0; at < segment.bytes.size(); at += rowBytes)
            appendSRecord(out, '3', static_cast<uint32_t>(segment.start + at), 4,
                          ByteSpan(segment.bytes).subspan(at, std::min(rowBytes, segment.bytes.size() - at)));
    appendSRecord(out, '7', 0, 4, {});
    return out;
}

}  // namespace

std::string_view formatName(Format format) {
    switch (format) {
        case Format::IntelHex:
            return "Intel HEX";
        case Format::SRecord:
            return "S-record";
        case Format::Binary:
            return "binary";
    }
    return "";
}

std::optional<Format> formatOfName(std::string_view fileName) {
    const size_t dot = fileName.rfind('.');
    if (dot == std::string_view::npos) return std::nullopt;
    const std::string ending = toLower(fileName.substr(dot + 1));
    if (ending == "hex" || ending == "ihx" || ending == "ihex") return Format::IntelHex;
    if (ending == "s19" || ending == "s28" || ending == "s37" || ending == "srec" || ending == "mot")
        return Format::SRecord;
    if (ending == "bin" || ending == "rom") return Format::Binary;
    return std::nullopt;
}

Format formatOfBytes(ByteSpan bytes) {
    const std::string_view text = trimmed(asText(bytes.first(std::min<size_t>(bytes.size(), 64))));
    if (!text.empty() && text[0] == ':') return Format::IntelHex;
    if (text.size() > 1 && text[0] == 'S' && text[1] >= '0' && text[1] <= '9') return Format::SRecord;
    return Format::Binary;
}

Result<Image> readImage(ByteSpan bytes, Format format, uint32_t base, std::vector<std::string>* remarks) {
    if (format == Format::IntelHex) return readIntelHex(bytes);
    if (format == Format::SRecord) return readSRecord(bytes, remarks);
    Image image;
    if (auto done = image.add(base, bytes); !done) return tl::unexpected(done.error());
    return image;
}

Result<Bytes> writeImage(const Image& image, Format format, int rowBytes) {
    if (rowBytes < 1 || rowBytes > 250) return fail(ErrorCode::OutOfRange, "A row has 1 to 250 data bytes.");
    if (format == Format::Binary) {
        const auto segments = image.segments();
        if (segments.size() > 1)
            return fail(ErrorCode::BadInput, "A raw binary can't hold the gap after " +
                                                 hexAddress(segments[0].end() - 1) + "; use Intel HEX or S-record.");
        return segments.empty() ? Bytes{} : segments[0].bytes;
    }
    const auto row = static_cast<size_t>(rowBytes);
    const std::string text = format == Format::IntelHex ? writeIntelHex(image, row) : writeSRecord(image, row);
    return Bytes(text.begin(), text.end());
}

}  // namespace brusk::image
