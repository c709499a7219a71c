// Block layouts: ASAM MDF 4.1.1 base standard, chapter 6. Every block begins with id (4), reserved (4), length (8),
// link count (8); all numbers little-endian; all blocks start at multiples of 8.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <zlib.h>

#include <algorithm>

#include "core/recording/IsoTime.h"
#include "core/recording/Mdf4.h"

namespace brusk::recording {
namespace {

/// Builds the file's head in memory; links are positions in the file.
class Blocks {
  public:
    Bytes bytes;

    uint64_t here() const { return bytes.size(); }
    void u8(uint64_t v) { put(v, 1); }
    void u16(uint64_t v) { put(v, 2); }
    void u32(uint64_t v) { put(v, 4); }
    void u64(uint64_t v) { put(v, 8); }
    void f64(double v) { u64(std::bit_cast<uint64_t>(v)); }
    void zeros(size_t n) { bytes.insert(bytes.end(), n, 0); }

    /// Starts a block; its length is set by end().
    uint64_t begin(const char (&id)[5], const std::vector<uint64_t>& links) {
        const uint64_t at = here();
        bytes.insert(bytes.end(), id, id + 4);
        zeros(4);
        u64(0);
        u64(links.size());
        for (const uint64_t link : links)
            u64(link);
        return at;
    }
    void end(uint64_t at) {
        storeUnsigned(bytes.data() + at + 8, 8, ByteOrder::LittleEndian, here() - at);
        while (bytes.size() % 8)
            bytes.push_back(0);
    }
    static constexpr uint64_t kNowhere = UINT64_MAX;
    /// At the front of what is appended a block can lie at 0, which as a link would be none.
    uint64_t textOrNowhere(const std::string& value, bool xml) { return value.empty() ? kNowhere : text(value, xml); }
    uint64_t text(const std::string& value, bool xml = false) {
        if (value.empty()) return 0;
        const uint64_t at = xml ? begin("##MD", {}) : begin("##TX", {});
        bytes.insert(bytes.end(), value.begin(), value.end());
        u8(0);
        end(at);
        return at;
    }
    static uint64_t linkPosition(uint64_t block, size_t link) { return block + 24 + 8 * link; }
    void setLink(uint64_t block, size_t link, uint64_t target) {
        storeUnsigned(bytes.data() + linkPosition(block, link), 8, ByteOrder::LittleEndian, target);
    }

  private:
    void put(uint64_t v, size_t n) {
        bytes.resize(bytes.size() + n);
        storeUnsigned(bytes.data() + bytes.size() - n, n, ByteOrder::LittleEndian, v);
    }
};

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        if (c == '<')
            out += "&lt;";
        else if (c == '>')
            out += "&gt;";
        else if (c == '&')
            out += "&amp;";
        else if (c == '"')
            out += "&quot;";
        else
            out += c;
    }
    return out;
}

std::string headComment(const Recording& r) {
    const auto property = [](const char* name, const std::string& value) {
        return std::string("<e name=\"") + name + "\">" + escaped(value) + "</e>";
    };
    return "<HDcomment><TX>" + escaped(r.title) + "</TX><common_properties>" + property("started", r.startedAt) +
           property("round", r.roundId) + property("image_sha256", r.imageSha256) + property("areas", r.areas) +
           property("definition_sha256", r.definitionSha256) + property("channels_sha256", r.channelsSha256) +
           property("vin", r.vin) + property("sensors", r.sensors) + "</common_properties></HDcomment>";
}

std::string channelComment(const Channel& channel) {
    return "<CNcomment><TX>" + escaped(channel.description) + "</TX><common_properties><e name=\"role\">" +
           escaped(channel.role) + "</e></common_properties></CNcomment>";
}

// ID block: "MDF     " when finalised, "UnFinMF " before; flags 1 (cycle counts) and 16 (last data list) then.
void idBlock(Blocks& out, bool finalised) {
    const std::string_view head = finalised ? "MDF     " : "UnFinMF ";
    out.bytes.insert(out.bytes.end(), head.begin(), head.end());
    const std::string_view rest = "4.10    brusk   ";
    out.bytes.insert(out.bytes.end(), rest.begin(), rest.end());
    out.zeros(4);
    out.u16(410);
    out.zeros(30);
    out.u16(finalised ? 0 : 1);
    out.u16(0);
}

/// Conversion 7: a text for each number.
uint64_t statesBlock(Blocks& out, const std::vector<State>& states) {
    constexpr size_t kMost = 65535;
    const size_t count = std::min(states.size(), kMost);
    std::vector<uint64_t> links = {0, 0, 0, 0};
    for (size_t i = 0; i < count; ++i)
        links.push_back(out.text(states[i].text));
    links.push_back(0);  // what stands for nothing stays a number
    const uint64_t at = out.begin("##CC", links);
    out.u8(7);
    out.u8(0xFF);
    out.u16(0);
    out.u16(count + 1);
    out.u16(count);
    out.f64(0), out.f64(0);
    for (size_t i = 0; i < count; ++i)
        out.f64(states[i].value);
    out.end(at);
    return at;
}

uint64_t channelBlock(Blocks& out, const Channel& channel, bool master, uint64_t offset, uint64_t next) {
    const bool wide = master || channel.values.isWide();
    const uint64_t name = out.text(channel.name);
    const uint64_t unit = out.text(channel.unit);
    const uint64_t comment =
        channel.description.empty() && channel.role.empty() ? 0 : out.text(channelComment(channel), true);
    const uint64_t conversion = channel.states.empty() ? 0 : statesBlock(out, channel.states);
    const uint64_t at = out.begin("##CN", {next, 0, name, 0, conversion, 0, unit, comment});
    out.u8(master ? 2 : 0);  // channel type: master or value
    out.u8(master ? 1 : 0);  // sync type: time
    out.u8(4);               // data type: IEEE float, little-endian
    out.u8(0);               // bit offset
    out.u32(offset);
    out.u32(wide ? 64 : 32);
    out.u32(0);    // flags
    out.u32(0);    // invalidation bit
    out.u8(0xFF);  // precision: no restriction
    out.u8(0);
    out.u16(0);
    out.zeros(6 * 8);  // ranges and limits
    out.end(at);
    return at;
}

}  // namespace

Result<std::unique_ptr<Mdf4Writer>> Mdf4Writer::create(storage::FileSystem& files, const storage::Path& path,
                                                       const Recording& layout, const Mdf4Options& options) {
    Blocks out;
    idBlock(out, false);
    const uint64_t head = out.begin("##HD", {0, 0, 0, 0, 0, 0});
    // Nanoseconds since 1970; 0 where nobody knows.
    const uint64_t start =
        static_cast<uint64_t>(std::max<int64_t>(0, secondsOf(layout.startedAt).value_or(0))) * 1000000000;
    out.u64(start);
    out.zeros(4);  // zone and daylight saving: UTC
    out.u8(0);
    out.u8(0);
    out.u8(0);
    out.u8(0);
    out.f64(0);
    out.f64(0);
    out.end(head);
    out.setLink(head, 5, out.text(headComment(layout), true));

    const uint64_t historyText = out.text(
        "<FHcomment><TX>recorded</TX><tool_id>brusk</tool_id><tool_vendor>brusk</tool_vendor><tool_version>0.1</"
        "tool_version></FHcomment>",
        true);
    const uint64_t history = out.begin("##FH", {0, historyText});
    out.u64(start);
    out.zeros(8);
    out.end(history);
    out.setLink(head, 1, history);

    std::vector<OpenGroup> groups;
    uint64_t previous = 0;
    for (const Group& group : layout.groups) {
        // Channels are linked forward, so the last is written first.
        OpenGroup open;
        for (const Channel& channel : group.channels)
            open.wide.push_back(channel.values.isWide());
        open.timed = group.timed;
        uint64_t first = 0, end = open.rowBytes();
        for (size_t i = group.channels.size(); i-- > 0;) {
            end -= open.bytesOf(i);
            first = channelBlock(out, group.channels[i], false, end, first);
        }
        if (group.timed) {
            Channel time;
            time.name = "time";
            time.unit = "s";
            first = channelBlock(out, time, true, 0, first);
        }
        const uint64_t name = out.text(group.name);
        const uint64_t channelGroup = out.begin("##CG", {0, first, name, 0, 0, 0});
        out.u64(0);  // record id
        open.countAt = out.here();
        out.u64(0);  // cycle count
        out.u16(0);
        out.u16(0);
        out.zeros(4);
        out.u32(open.rowBytes());
        out.u32(0);
        out.end(channelGroup);
        const uint64_t data = out.begin("##DG", {0, channelGroup, 0, 0});
        out.u8(0);
        out.zeros(7);
        out.end(data);
        open.linkAt = Blocks::linkPosition(data, 2);
        if (previous == 0)
            out.setLink(head, 0, data);
        else
            out.setLink(previous, 0, data);
        previous = data;
        groups.push_back(std::move(open));
    }
    auto file = files.create(path);
    if (!file) return tl::unexpected(file.error());
    auto writer = std::unique_ptr<Mdf4Writer>(new Mdf4Writer(std::move(*file)));
    writer->groups_ = std::move(groups);
    writer->markLinkAt_ = Blocks::linkPosition(head, 4);
    writer->packed_ = options.packed;
    auto done = writer->file_->append(out.bytes);
    if (done) done = writer->file_->sync();
    if (done) return writer;
    // A file without its head is no recording; nobody is to find it.
    writer.reset();
    (void)files.remove(path);
    return tl::unexpected(done.error());
}

template <class Number>
void Mdf4Writer::appendRow(OpenGroup& open, double time_s, std::span<const Number> values) {
    const size_t at = open.pending.size();
    open.pending.resize(at + open.rowBytes());
    uint8_t* row = open.pending.data() + at;
    if (open.timed) storeUnsigned(row, 8, ByteOrder::LittleEndian, std::bit_cast<uint64_t>(time_s)), row += 8;
    for (size_t i = 0; i < open.wide.size(); ++i) {
        const Number value = i < values.size() ? values[i] : std::numeric_limits<Number>::quiet_NaN();
        if (open.wide[i])
            storeUnsigned(row, 8, ByteOrder::LittleEndian, std::bit_cast<uint64_t>(static_cast<double>(value)));
        else
            storeUnsigned(row, 4, ByteOrder::LittleEndian, std::bit_cast<uint32_t>(static_cast<float>(value)));
        row += open.bytesOf(i);
    }
    ++open.pendingRows;
}

void Mdf4Writer::append(size_t group, double time_s, std::span<const float> values) {
    appendRow(groups_[group], time_s, values);
}

void Mdf4Writer::append(size_t group, double time_s, std::span<const double> values) {
    appendRow(groups_[group], time_s, values);
}

namespace {

/// The rows as a DZ block: column by column, deflated.
uint64_t packedBlock(Blocks& out, const Bytes& rows, uint64_t rowBytes) {
    const size_t count = rows.size() / rowBytes;
    Bytes columns(rows.size());
    for (size_t row = 0; row < count; ++row)
        for (size_t byte = 0; byte < rowBytes; ++byte)
            columns[byte * count + row] = rows[row * rowBytes + byte];
    uLongf length = compressBound(columns.size());
    Bytes packed(length);
    // Only too small a room fails here, and there is room for the worst.
    (void)compress2(packed.data(), &length, columns.data(), columns.size(), Z_DEFAULT_COMPRESSION);
    packed.resize(length);
    const uint64_t at = out.begin("##DZ", {});
    out.bytes.insert(out.bytes.end(), {'D', 'T'});
    out.u8(1);  // transposed and deflated
    out.u8(0);
    out.u32(rowBytes);
    out.u64(rows.size());
    out.u64(packed.size());
    out.bytes.insert(out.bytes.end(), packed.begin(), packed.end());
    out.end(at);
    return at;
}

}  // namespace

Done Mdf4Writer::writeRows(OpenGroup& group) {
    Blocks out;
    const uint64_t base = file_->size();
    uint64_t data = 0;
    if (packed_) {
        data = packedBlock(out, group.pending, group.rowBytes());
    } else {
        data = out.begin("##DT", {});
        out.bytes.insert(out.bytes.end(), group.pending.begin(), group.pending.end());
        out.end(data);
    }
    const uint64_t list = out.begin("##DL", {0, base + data});
    out.u8(0);  // flags: offsets follow
    out.zeros(3);
    out.u32(1);
    out.u64(group.rows * group.rowBytes());
    out.end(list);
    uint64_t first = list;
    if (packed_ && !group.begun) {
        // Lists of packed blocks hang below a head that says so.
        first = out.begin("##HL", {base + list});
        out.u16(0);
        out.u8(1);
        out.zeros(5);
        out.end(first);
    }
    if (auto done = file_->append(out.bytes); !done) return done;
    uint8_t number[8];
    storeUnsigned(number, 8, ByteOrder::LittleEndian, base + first);
    if (auto done = file_->patch(group.linkAt, number); !done) return done;
    group.begun = true;
    group.linkAt = base + Blocks::linkPosition(list, 0);
    group.rows += group.pendingRows;
    group.pendingRows = 0;
    group.pending.clear();
    return {};
}

Done Mdf4Writer::writeMarks() {
    while (!pendingMarks_.empty()) {
        const Mark& mark = pendingMarks_.front();
        Blocks out;
        const uint64_t base = file_->size();
        const auto placed = [&](uint64_t at) { return at == Blocks::kNowhere ? 0 : base + at; };
        const uint64_t name = placed(out.textOrNowhere(mark.text, false));
        const std::string kind = "<EVcomment><TX>" + escaped(mark.text) + "</TX><common_properties><e name=\"kind\">" +
                                 escaped(mark.kind) + "</e></common_properties></EVcomment>";
        const uint64_t comment = placed(out.textOrNowhere(mark.kind.empty() ? "" : kind, true));
        const uint64_t event = out.begin("##EV", {0, 0, 0, name, comment});
        out.u8(6);  // marker
        out.u8(1);  // in time
        out.zeros(14);
        out.u64(1);
        out.f64(mark.at_s);
        out.end(event);
        if (auto done = file_->append(out.bytes); !done) return done;
        uint8_t number[8];
        storeUnsigned(number, 8, ByteOrder::LittleEndian, base + event);
        if (auto done = file_->patch(markLinkAt_, number); !done) return done;
        markLinkAt_ = base + Blocks::linkPosition(event, 0);
        pendingMarks_.erase(pendingMarks_.begin());
    }
    return {};
}

Done Mdf4Writer::write() {
    for (OpenGroup& group : groups_) {
        if (group.pendingRows == 0) continue;
        if (auto done = writeRows(group); !done) return done;
    }
    return writeMarks();
}

std::vector<uint64_t> Mdf4Writer::written() const {
    std::vector<uint64_t> out;
    out.reserve(groups_.size());
    for (const OpenGroup& group : groups_)
        out.push_back(group.rows);
    return out;
}

Done Mdf4Writer::count(const std::vector<uint64_t>& rows) {
    for (size_t i = 0; i < groups_.size(); ++i) {
        if (groups_[i].countedRows == rows[i]) continue;
        uint8_t number[8];
        storeUnsigned(number, 8, ByteOrder::LittleEndian, rows[i]);
        if (auto done = file_->patch(groups_[i].countAt, number); !done) return done;
        groups_[i].countedRows = rows[i];
    }
    return {};
}

Done Mdf4Writer::flush() {
    if (auto done = write(); !done) return done;
    // What a failing disk did not count is counted now, though no rows came since.
    const bool counted =
        std::all_of(groups_.begin(), groups_.end(), [](const OpenGroup& g) { return g.countedRows == g.rows; });
    if (counted) return {};
    if (auto done = sync(); !done) return done;
    if (auto done = count(written()); !done) return done;
    return sync();
}

void Mdf4Writer::forgetPending() {
    for (OpenGroup& group : groups_) {
        group.pendingRows = 0;
        group.pending.clear();
    }
}

uint64_t Mdf4Writer::pendingBytes() const {
    uint64_t out = 0;
    for (const OpenGroup& group : groups_)
        out += group.pending.size();
    return out;
}

Done Mdf4Writer::finish() {
    if (auto done = flush(); !done) return done;
    Blocks out;
    idBlock(out, true);
    if (auto done = file_->patch(0, out.bytes); !done) return done;
    return file_->sync();
}

namespace {

Done appendAll(Mdf4Writer& writer, const Recording& recording) {
    constexpr uint64_t kAtOnce_bytes = uint64_t{4} << 20;
    for (size_t g = 0; g < recording.groups.size(); ++g) {
        const Group& group = recording.groups[g];
        std::vector<Column> columns = {group.time_s.column()};
        for (const Channel& channel : group.channels)
            columns.push_back(channel.values);
        const size_t rows = group.time_s.size(), atOnce = rowsTogether(columns.size());
        std::vector<double> numbers(columns.size() * std::min(atOnce, rows)), row(group.channels.size());
        for (size_t first = 0; first < rows; first += atOnce) {
            const size_t count = std::min(atOnce, rows - first);
            readTogether(columns, first, count, numbers.data());
            for (size_t i = 0; i < count; ++i) {
                for (size_t c = 0; c < row.size(); ++c)
                    row[c] = numbers[(c + 1) * count + i];
                writer.append(g, numbers[i], std::span<const double>(row));
                if (writer.pendingBytes() < kAtOnce_bytes) continue;
                if (auto done = writer.write(); !done) return done;
            }
        }
        // Each block holds rows of one group: the next begins with its own.
        if (auto done = writer.write(); !done) return done;
    }
    for (const Mark& mark : recording.marks)
        writer.append(mark);
    return writer.finish();
}

}  // namespace

Done saveMdf4(storage::FileSystem& files, const storage::Path& path, const Recording& recording,
              const Mdf4Options& options) {
    auto writer = Mdf4Writer::create(files, path, recording, options);
    if (!writer) return tl::unexpected(writer.error());
    auto done = appendAll(**writer, recording);
    if (done) return done;
    writer->reset();
    (void)files.remove(path);
    return done;
}

}  // namespace brusk::recording
