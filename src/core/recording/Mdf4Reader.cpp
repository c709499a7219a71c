// Reads MDF 4. A damaged file gives what is whole in it, and a sentence for what is lost.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <bit>
#include <cmath>
#include <unordered_set>

#include "core/base/Text.h"
#include "core/recording/Mdf4.h"

namespace brusk::recording {
namespace {

/// Thrown inside readMdf4() only.
struct BadMdf {
    std::string message;
    uint64_t at = 0;
};

[[noreturn]] void bad(uint64_t at, const std::string& what) {
    throw BadMdf{"At byte " + std::to_string(at) + ": " + what + ".", at};
}

struct Block {
    uint64_t at = 0;
    std::string_view id;
    std::vector<uint64_t> links;
    ByteView data{ByteSpan{}};

    uint64_t number(uint64_t offset, size_t count) const {
        const auto value = data.number(offset, count, ByteOrder::LittleEndian);
        if (!value) bad(at, std::string(id) + " is shorter than the standard asks for");
        return *value;
    }
    double real(uint64_t offset) const { return std::bit_cast<double>(number(offset, 8)); }
    uint64_t link(size_t i) const { return i < links.size() ? links[i] : 0; }
};

class Reader {
  public:
    explicit Reader(ByteSpan file) : file_(file) {}

    Recording run() {
        const auto head = file_.slice(0, 64);
        if (!head) bad(0, "this is no MDF file: it has fewer than 64 bytes");
        const std::string_view id = asText(head->first(8));
        if (id != "MDF     " && id != "UnFinMF ") bad(0, "this is no MDF file");
        unfinalised_ = id != "MDF     ";
        if (*file_.u16(28) < 400) bad(28, "this is MDF version 3; Brusk reads version 4");
        const Block hd = block(64, "##HD");
        Recording out;
        const std::string comment = text(hd.link(5));
        out.title = between(comment, "<TX>", "</TX>");
        out.startedAt = property(comment, "started");
        out.roundId = property(comment, "round");
        out.imageSha256 = property(comment, "image_sha256");
        out.areas = property(comment, "areas");
        out.definitionSha256 = property(comment, "definition_sha256");
        out.channelsSha256 = property(comment, "channels_sha256");
        for (uint64_t at = hd.link(0); at != 0;) {
            try {
                const Block dg = block(at, "##DG");
                readDataGroup(dg, out);
                at = dg.link(0);
            } catch (const BadMdf& problem) {
                // What was read before is whole; without anything the problem is all there is to say.
                if (out.groups.empty()) throw;
                damage_.push_back(problem.message);
                break;
            }
        }
        out.damage = std::move(damage_);
        if (out.groups.empty()) bad(64, "the file has no channels");
        return out;
    }

  private:
    struct Column {
        Channel channel;
        uint64_t byte = 0;
        size_t bytes = 0;
        uint8_t dataType = 0;
        bool master = false;
        double factor = 1;
        double offset = 0;
    };

    Block block(uint64_t at, std::string_view wanted) {
        // Texts and conversions may be shared; every other block is met once, or the file's links run in a circle.
        const bool shared = wanted == "##TX" || wanted == "##MD" || wanted == "##CC";
        if (!shared && !met_.insert(at).second) bad(at, "the file's blocks are linked in a circle");
        const auto head = file_.slice(at, 24);
        if (!head) bad(at, "a " + std::string(wanted) + " block is cut off in the file");
        Block out;
        out.at = at;
        out.id = asText(head->first(4));
        if (out.id != wanted)
            bad(at, "expected a " + std::string(wanted) + " block, found \"" + printable(out.id) + "\"");
        const uint64_t length = *file_.u64(at + 8);
        const uint64_t links = *file_.u64(at + 16);
        if (length < 24 || links > (length - 24) / 8)
            bad(at, std::string(wanted) + " claims " + std::to_string(links) + " links in " + std::to_string(length) +
                        " bytes");
        const auto body = file_.slice(at, length);
        if (!body) bad(at, std::string(wanted) + " claims " + std::to_string(length) + " bytes, the file has fewer");
        for (uint64_t i = 0; i < links; ++i)
            out.links.push_back(*file_.u64(at + 24 + 8 * i));
        out.data = ByteView(body->subspan(24 + 8 * links));
        return out;
    }

    static std::string printable(std::string_view text) {
        std::string out;
        for (const char c : text)
            out += c >= 32 && c < 127 ? c : '.';
        return out;
    }

    std::string idAt(uint64_t at) {
        const auto head = file_.slice(at, 4);
        if (!head) bad(at, "a block is cut off in the file");
        return std::string(asText(*head));
    }

    std::string text(uint64_t at) {
        if (at == 0) return {};
        const Block b = block(at, idAt(at) == "##MD" ? "##MD" : "##TX");
        const std::string_view all = asText(*b.data.slice(0, b.data.size()));
        return validText(all.substr(0, all.find('\0')));
    }

    static std::string between(const std::string& text, std::string_view open, std::string_view close) {
        const size_t from = text.find(open);
        if (from == std::string::npos) return {};
        const size_t to = text.find(close, from + open.size());
        if (to == std::string::npos) return {};
        std::string out = text.substr(from + open.size(), to - from - open.size());
        for (const auto& [entity, character] :
             {std::pair{"&lt;", "<"}, {"&gt;", ">"}, {"&quot;", "\""}, {"&amp;", "&"}})
            for (size_t at = out.find(entity); at != std::string::npos; at = out.find(entity, at + 1))
                out.replace(at, std::strlen(entity), character);
        return out;
    }

    static std::string property(const std::string& xml, const std::string& name) {
        return between(xml, "<e name=\"" + name + "\">", "</e>");
    }

    Column readColumn(const Block& cn) {
        Column column;
        column.channel.name = text(cn.link(2));
        column.channel.unit = text(cn.link(6));
        const std::string comment = text(cn.link(7));
        column.channel.description =
            comment.find("<TX>") == std::string::npos ? comment : between(comment, "<TX>", "</TX>");
        column.channel.role = property(comment, "role");
        const uint64_t type = cn.number(0, 1);
        column.master = type == 2;
        column.dataType = static_cast<uint8_t>(cn.number(2, 1));
        const uint64_t bits = cn.number(8, 4);
        if (cn.number(3, 1) != 0 || bits % 8 != 0 || bits == 0 || bits > 64)
            bad(cn.at, "channel " + column.channel.name + " is packed in bits, which Brusk does not read yet");
        if (column.dataType > 5)
            bad(cn.at, "channel " + column.channel.name + " holds texts or bytes, which Brusk does not read yet");
        column.byte = cn.number(4, 4);
        column.bytes = bits / 8;
        if (column.dataType >= 4 && column.bytes != 4 && column.bytes != 8)
            bad(cn.at, "channel " + column.channel.name + " has a float of " + std::to_string(bits) + " bits");
        if (const uint64_t conversion = cn.link(4)) readConversion(conversion, column);
        return column;
    }

    void readConversion(uint64_t at, Column& column) {
        const Block cc = block(at, "##CC");
        const uint64_t type = cc.number(0, 1);
        if (column.channel.unit.empty()) column.channel.unit = text(cc.link(1));
        if (type == 0) return;
        if (type != 1)
            bad(at, "channel " + column.channel.name + " has a conversion of type " + std::to_string(type) +
                        ", which Brusk does not read yet");
        column.offset = cc.real(24);
        column.factor = cc.real(32);
    }

    void readDataGroup(const Block& dg, Recording& out) {
        if (dg.link(1) == 0) return;
        const Block cg = block(dg.link(1), "##CG");
        if (dg.number(0, 1) != 0 || cg.link(0) != 0) bad(dg.at, "the file is unsorted, which Brusk does not read yet");
        const uint64_t rows = cg.number(8, 8);
        const uint64_t recordBytes = cg.number(24, 4) + cg.number(28, 4);
        std::vector<Column> columns;
        for (uint64_t at = cg.link(1); at != 0;) {
            const Block cn = block(at, "##CN");
            columns.push_back(readColumn(cn));
            if (columns.back().byte + columns.back().bytes > recordBytes)
                bad(at, "channel " + columns.back().channel.name + " lies beyond its record");
            at = cn.link(0);
        }
        if (recordBytes == 0) return;
        readSamples(dg.link(2), rows, recordBytes, columns, text(cg.link(2)), out);
    }

    /// The stretches of the file that hold the group's records, in order, up to the first link that leads nowhere.
    std::vector<ByteSpan> dataStretches(uint64_t at) {
        std::vector<ByteSpan> out;
        try {
            followData(at, out);
        } catch (const BadMdf& problem) {
            if (out.empty()) throw;
            damage_.push_back(problem.message);
        }
        return out;
    }

    void followData(uint64_t at, std::vector<ByteSpan>& out) {
        const auto take = [&](uint64_t where) {
            const Block dt = block(where, "##DT");
            out.push_back(*dt.data.slice(0, dt.data.size()));
        };
        if (at == 0) return;
        const std::string id = idAt(at);
        if (id == "##DT") return take(at);
        if (id != "##DL") bad(at, "data of kind \"" + printable(id) + "\" is not read yet");
        while (at != 0) {
            const Block dl = block(at, "##DL");
            if (unfinalised_ && dl.link(1) == 0)
                bad(at, "a list of data was not on the disk when the recording broke off");
            for (size_t i = 1; i < dl.links.size(); ++i)
                if (dl.links[i]) take(dl.links[i]);
            at = dl.link(0);
        }
    }

    static double number(const uint8_t* at, const Column& c) {
        const bool big = c.dataType & 1;
        const uint64_t bits = loadUnsigned(at, c.bytes, big ? ByteOrder::BigEndian : ByteOrder::LittleEndian);
        double raw = 0;
        if (c.dataType >= 4) {
            raw = c.bytes == 4 ? static_cast<double>(std::bit_cast<float>(static_cast<uint32_t>(bits)))
                               : std::bit_cast<double>(bits);
        } else if (c.dataType >= 2) {
            const unsigned shift = 64 - static_cast<unsigned>(c.bytes) * 8;
            raw = static_cast<double>(static_cast<int64_t>(bits << shift) >> shift);
        } else {
            raw = static_cast<double>(bits);
        }
        return raw * c.factor + c.offset;
    }

    static bool follows(double time_s, const std::vector<double>& before) {
        return std::isfinite(time_s) && (before.empty() || time_s > before.back());
    }

    /// Pages that the disk did not get before the power went read as zeros. They begin in the last row that still
    /// looked right, unless the disk was seen to have it.
    void leaveOutLast(uint64_t counted, uint64_t held, uint64_t at, Group& group, std::vector<Column>& columns) {
        if (group.time_s.size() > counted) {
            group.time_s.pop_back();
            for (Column& column : columns)
                if (!column.master) column.channel.values.pop_back();
        }
        damage_.push_back("At byte " + std::to_string(at) + ": the last " + std::to_string(held - group.time_s.size()) +
                          " samples were not on the disk when the recording broke off.");
    }

    void readSamples(uint64_t data, uint64_t rows, uint64_t recordBytes, std::vector<Column>& columns,
                     const std::string& name, Recording& out) {
        const std::vector<ByteSpan> stretches = dataStretches(data);
        uint64_t held = 0;
        for (const ByteSpan stretch : stretches)
            held += stretch.size() / recordBytes;
        // An unfinalised file may hold more rows than its count says; of those that it claims, what is there is given.
        if (rows > held)
            damage_.push_back("At byte " + std::to_string(data) + ": the group claims " + std::to_string(rows) +
                              " samples, the file holds " + std::to_string(held) + ".");
        Group group;
        group.name = name;
        group.time_s.reserve(held);
        const Column* master = nullptr;
        for (const Column& column : columns)
            if (column.master) master = &column;
        if (!master) bad(data, "the group has no time channel");
        for (Column& column : columns)
            column.channel.values.reserve(column.master ? 0 : held);
        bool running = true;
        for (const ByteSpan stretch : stretches)
            for (uint64_t row = 0; running && row + recordBytes <= stretch.size(); row += recordBytes) {
                const uint8_t* record = stretch.data() + row;
                const double time_s = number(record + master->byte, *master);
                running = !unfinalised_ || group.time_s.size() < rows || follows(time_s, group.time_s);
                if (!running) break;
                group.time_s.push_back(time_s);
                for (Column& column : columns)
                    if (!column.master)
                        column.channel.values.push_back(static_cast<float>(number(record + column.byte, column)));
            }
        if (!running) leaveOutLast(rows, held, data, group, columns);
        for (Column& column : columns)
            if (!column.master) group.channels.push_back(std::move(column.channel));
        if (group.time_s.size() > 1) {
            std::vector<double> steps;
            for (size_t i = 1; i < std::min<size_t>(group.time_s.size(), 1001); ++i)
                steps.push_back(group.time_s[i] - group.time_s[i - 1]);
            std::nth_element(steps.begin(), steps.begin() + static_cast<long>(steps.size() / 2), steps.end());
            const double step = steps[steps.size() / 2];
            group.rate_hz = step > 0 ? std::round(1 / step) : 0;
        }
        out.groups.push_back(std::move(group));
    }

    ByteView file_;
    std::unordered_set<uint64_t> met_;
    std::vector<std::string> damage_;
    bool unfinalised_ = false;
};

}  // namespace

Result<Recording> readMdf4(ByteSpan file) {
    try {
        return Reader(file).run();
    } catch (const BadMdf& problem) {
        return failIn({.offset = problem.at}, ErrorCode::BadInput, problem.message);
    }
}

}  // namespace brusk::recording
