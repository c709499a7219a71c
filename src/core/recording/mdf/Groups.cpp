// Block layouts: ASAM MDF 4.2.0, 6.14 to 6.18 (DG, CG, CN, CA).
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/mdf/Groups.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/recording/mdf/SortedRows.h"

namespace brusk::recording::mdf {

namespace {
constexpr int kDeepest = 16;  // channels within channels
constexpr size_t kBatch = size_t{1} << 16;
}  // namespace

std::vector<ChannelGroup> GroupReader::read(const Block& dg) {
    std::vector<ChannelGroup> groups;
    const size_t idBytes = dg.number(0, 1);
    if (idBytes > 8 || (idBytes & (idBytes - 1)) != 0)
        bad(dg.at, "record ids of " + std::to_string(idBytes) + " bytes; the standard knows 0, 1, 2, 4 and 8");
    for (uint64_t at = dg.link(1); at != 0;) {
        const Block cg = file_.block(at, "##CG");
        groups.push_back(groupOf(cg));
        at = cg.link(0);
    }
    if (groups.empty()) return groups;
    if (groups.size() > 1 && idBytes == 0)
        bad(dg.at, "several groups share their data, and no record says whose it is");
    const uint64_t data = dg.link(2);
    if (idBytes == 0)
        sorted(data, groups[0]);
    else
        unsorted(data, idBytes, groups);
    for (ChannelGroup& group : groups) {
        if (group.isTexts) continue;
        textsFor(group, groups);
        count(group, data);
        finish(group);
    }
    std::erase_if(groups, [](const ChannelGroup& g) { return g.isTexts; });
    return groups;
}

ChannelGroup GroupReader::groupOf(const Block& cg) {
    constexpr uint64_t kTexts = 1, kRemoteMaster = 8;
    constexpr size_t kMasterLink = 6;
    ChannelGroup out;
    out.at = cg.at;
    out.recordId = cg.number(0, 8);
    out.claimedRows = cg.number(8, 8);
    const uint64_t flags = cg.number(16, 2);
    out.isTexts = flags & kTexts;
    if (out.isTexts) return out;
    out.dataBytes = cg.number(24, 4);
    out.invalidationBytes = cg.number(28, 4);
    if (flags & kRemoteMaster) out.masterGroup = cg.link(kMasterLink);
    out.group.name = file_.text(cg.link(2));
    if (out.group.name.empty() && cg.link(3)) out.group.name = file_.text(file_.block(cg.link(3), "##SI").link(0));
    channelsOf(cg.link(1), out, 0);
    // One clock is enough; another is a channel like any other.
    bool hasClock = false;
    for (ColumnMaker& column : out.columns) {
        if (!column.isTimeMaster()) continue;
        if (hasClock) column.type = column.isVirtual() ? ChannelType::Virtual : ChannelType::Value;
        hasClock = true;
    }
    // How long a text is may be said by a channel of the same group.
    for (ColumnMaker& column : out.columns)
        if (column.type == ChannelType::MaximumLength)
            for (const ColumnMaker& other : out.columns)
                if (other.block == column.dataLink && other.field.isInteger() && !other.isVirtual())
                    column.length = other.field;
    return out;
}

void GroupReader::channelsOf(uint64_t at, ChannelGroup& group, int depth) {
    if (depth > kDeepest) bad(at, "channels are nested more than 16 deep");
    while (at != 0) {
        uint64_t next = 0;
        try {
            const Block cn = file_.block(at, "##CN");
            next = cn.link(0);
            channelOf(cn, group, depth);
        } catch (const BadMdf& problem) {
            // A channel that can't be read costs itself.
            damage_.push_back(problem.message);
        }
        at = next;
    }
}

void GroupReader::channelOf(const Block& cn, ChannelGroup& group, int depth) {
    constexpr uint64_t kAllInvalid = 1, kInvalidationBit = 2;
    ColumnMaker column;
    column.block = cn.at;
    column.channel.name = file_.text(cn.link(2));
    const uint64_t type = cn.number(0, 1);
    if (type > static_cast<uint64_t>(ChannelType::Virtual))
        bad(cn.at, "channel " + column.channel.name + " is of type " + std::to_string(type) +
                       ", which the standard to 4.2 does not know");
    column.type = static_cast<ChannelType>(type);
    column.sync = cn.number(1, 1);
    column.field = {static_cast<DataType>(cn.number(2, 1)), cn.number(4, 4), static_cast<unsigned>(cn.number(3, 1)),
                    cn.number(8, 4)};
    column.dataLink = cn.link(5);
    const uint64_t flags = cn.number(12, 4);
    column.alwaysInvalid = flags & kAllInvalid;
    if (flags & kInvalidationBit) column.invalidationBit = cn.number(16, 4);
    column.channel.unit = file_.plainText(cn.link(6));
    const std::string comment = file_.text(cn.link(7));
    column.channel.description =
        comment.find("<TX>") == std::string::npos ? comment : between(comment, "<TX>", "</TX>");
    column.channel.role = property(comment, "role");
    const uint64_t parts = cn.link(1);
    const std::string partsAre = parts ? file_.idAt(parts) : std::string();
    if (partsAre == "##CN") {
        channelsOf(parts, group, depth + 1);
        // The whole of a structure is its parts.
        if (column.field.isText()) return;
    }
    const uint64_t conversion = cn.link(4);
    if (conversion) column.conversion = Conversion::read(file_, conversion, column.field.isReal());
    if (column.channel.unit.empty()) column.channel.unit = column.conversion.unit();
    if (partsAre == "##CA") return arrayOf(file_.block(parts, "##CA"), column, conversion, group);
    add(std::move(column), group);
}

void GroupReader::add(ColumnMaker column, ChannelGroup& group) {
    const auto objection = [&](const std::string& what) {
        bad(column.block, "channel " + column.channel.name + " is left out: " + what);
    };
    const bool complex = column.field.type == DataType::ComplexLittle || column.field.type == DataType::ComplexBig;
    if (complex) {
        const uint64_t half = column.field.bits / 2;
        ColumnMaker imaginary;
        imaginary.block = column.block;
        imaginary.channel = column.channel;
        imaginary.channel.name += " (imaginary)";
        imaginary.field = column.field;
        imaginary.invalidationBit = column.invalidationBit;
        imaginary.alwaysInvalid = column.alwaysInvalid;
        for (Field* field : {&column.field, &imaginary.field})
            field->bits = half,
            field->type = field->type == DataType::ComplexLittle ? DataType::RealLittle : DataType::RealBig;
        imaginary.field.byte += half / 8;
        add(std::move(imaginary), group);
    }
    if (!column.isVirtual()) {
        Field place = column.field;
        if (column.isVariable()) place.type = DataType::UnsignedLittle;
        if (const auto why = place.objection(); !why.empty()) return objection(why);
        if (column.field.type == DataType::MimeSample || column.field.type == DataType::MimeStream)
            return objection("it holds pictures, sounds or files");
    }
    if (column.end() > group.dataBytes)
        return objection("it lies beyond its record of " + std::to_string(group.dataBytes) + " bytes");
    if (column.invalidationBit && *column.invalidationBit / 8 >= group.invalidationBytes)
        return objection("the bit that says whether it is valid lies beyond its record");
    group.columns.push_back(std::move(column));
}

void GroupReader::arrayOf(const Block& ca, const ColumnMaker& first, uint64_t conversion, ChannelGroup& group) {
    constexpr uint64_t kMost = 1024, kColumnsFirst = 64;
    const auto left = [&](const std::string& what) {
        bad(ca.at, "channel " + first.channel.name + " is left out: " + what);
    };
    if (ca.number(1, 1) != 0) left("an array whose elements lie in data of their own");
    const uint64_t dimensions = ca.number(2, 2), flags = ca.number(4, 4);
    const auto step = static_cast<int32_t>(ca.number(8, 4));
    const uint64_t invalidationStep = ca.number(12, 4);
    std::vector<uint64_t> sizes;
    uint64_t all = 1;
    for (uint64_t i = 0; i < dimensions; ++i) {
        sizes.push_back(ca.number(16 + 8 * i, 8));
        if (sizes.back() == 0 || sizes.back() > kMost || all * sizes.back() > kMost)
            left("an array of more than 1024 elements");
        all *= sizes.back();
    }
    if (step <= 0 || first.field.isText() || first.isVirtual()) left("an array whose elements have no place");
    for (uint64_t i = 0; i < all; ++i) {
        // Rows first, unless the flag says otherwise.
        std::string index;
        uint64_t rest = i;
        for (size_t d = 0; d < sizes.size(); ++d) {
            const size_t k = flags & kColumnsFirst ? d : sizes.size() - 1 - d;
            const std::string here = "[" + std::to_string(rest % sizes[k]) + "]";
            index.insert(flags & kColumnsFirst ? index.size() : 0, here);
            rest /= sizes[k];
        }
        ColumnMaker element;
        element.block = first.block;
        element.channel = first.channel;
        element.channel.name += index;
        element.field = first.field;
        element.field.byte += i * static_cast<uint64_t>(step);
        element.alwaysInvalid = first.alwaysInvalid;
        if (first.invalidationBit) element.invalidationBit = *first.invalidationBit + i * invalidationStep;
        if (conversion) element.conversion = Conversion::read(file_, conversion, element.field.isReal());
        add(std::move(element), group);
    }
}

/// A file can claim more channels than its bytes could ever fill.
void GroupReader::afford(uint64_t values, uint64_t bytes, uint64_t at) {
    constexpr uint64_t kFree = uint64_t{16} << 20, kMostPerByte = 16;  // each bit twice
    values_ += values;
    bytes_ += bytes;
    if (values_ > kFree + kMostPerByte * bytes_)
        throw TooMuch{{"At byte " + std::to_string(at) + ": the channels claim " + std::to_string(values_) +
                           " values in " + std::to_string(bytes_) + " bytes of data.",
                       at}};
}

void GroupReader::decodeRows(ChannelGroup& group, const uint8_t* first, uint64_t count) {
    const Records records{first, static_cast<size_t>(group.recordBytes()), static_cast<size_t>(count), group.fileRow};
    for (ColumnMaker& column : group.columns) {
        if (column.later) continue;
        if (column.isTimeMaster())
            column.takeTimes(records, group.time_s);
        else
            column.take(records, group.byColumn ? std::nullopt : std::optional(group.dataBytes));
    }
    group.rows += count;
    group.fileRow += count;
}

void GroupReader::decode(ChannelGroup& group, ByteSpan records) {
    const uint64_t bytes = group.recordBytes();
    uint64_t left = records.size() / bytes;
    afford(left * group.columns.size(), records.size(), group.at);
    // As many rows at once as the fast memory holds.
    const uint64_t batch = std::max<uint64_t>(1, kBatch / bytes);
    for (const uint8_t* at = records.data(); left > 0;) {
        const uint64_t now = std::min(left, batch);
        decodeRows(group, at, now);
        at += now * bytes;
        left -= now;
    }
}

/// Room for the rows that are claimed, as far as the file could hold them.
void GroupReader::makeRoom(ChannelGroup& group) {
    if (group.recordBytes() == 0) return;
    const auto rows = static_cast<size_t>(std::min(group.claimedRows, 2 * file_.size() / group.recordBytes()));
    for (ColumnMaker& column : group.columns)
        if (column.later)
            continue;
        else if (column.isTimeMaster())
            group.time_s.reserve(rows);
        else
            column.expect(rows);
}

/// Rows are lost up to this one of the file. What is counted goes on counting from there; channels whose clock is
/// another group's keep their place on it.
void GroupReader::skipTo(uint64_t fileRow, ChannelGroup& group) {
    group.fileRow = std::max(fileRow, group.fileRow);
    if (!group.byColumn || group.fileRow <= group.rows) return;
    const uint64_t lost = std::min(group.fileRow - group.rows, file_.size());
    afford(lost * group.columns.size(), 0, group.at);
    for (ColumnMaker& column : group.columns)
        if (column.isTimeMaster())
            group.time_s.resize(group.rows + lost, std::numeric_limits<double>::quiet_NaN());
        else
            column.lose(static_cast<size_t>(lost));
    group.rows += lost;
}

void GroupReader::sorted(uint64_t data, ChannelGroup& group) {
    group.byColumn = section_.isByColumn(data);
    const uint64_t bytes = group.recordBytes();
    if (group.isTexts || group.columns.empty()) return;
    const auto entries = section_.entries(data, bytes, group.invalidationBytes);
    leave(entries, group);
    if (std::all_of(group.columns.begin(), group.columns.end(), [](const ColumnMaker& c) { return c.later; })) {
        // Decoded later, they are not worth more than decoded now.
        afford(group.claimedRows * group.columns.size(), group.claimedRows * bytes, group.at);
        group.rows = group.claimedRows;
        return;
    }
    fetchAll();
    makeRoom(group);
    if (bytes == 0) {
        // Nothing is stored: the clock and the values come of counting.
        afford(group.claimedRows * group.columns.size(), file_.size(), group.at);
        if (group.claimedRows > file_.size() * 16) bad(group.at, "the group claims more rows than the file could have");
        return decodeRows(group, nullptr, group.claimedRows);
    }
    const auto take = [&](ByteSpan piece, bool jumped, uint64_t offset) {
        if (jumped) {
            // Behind a loss the next whole record begins where records begin.
            group.pending.clear();
            const uint64_t skip = (bytes - offset % bytes) % bytes;
            if (skip >= piece.size()) return;
            piece = piece.subspan(skip);
            skipTo((offset + skip) / bytes, group);
        }
        if (!group.pending.empty()) {
            const size_t missing = std::min<size_t>(bytes - group.pending.size(), piece.size());
            group.pending.insert(group.pending.end(), piece.begin(), piece.begin() + static_cast<long>(missing));
            piece = piece.subspan(missing);
            if (group.pending.size() < bytes) return;
            decode(group, group.pending);
            group.pending.clear();
        }
        const size_t whole = piece.size() / bytes * bytes;
        decode(group, piece.first(whole));
        group.pending.assign(piece.begin() + static_cast<long>(whole), piece.end());
    };
    size_t invalidRow = 0;
    Bytes invalidPending;
    const uint64_t invalidBytes = group.invalidationBytes;
    const auto takeInvalidation = [&](ByteSpan piece, bool jumped, uint64_t offset) {
        if (invalidBytes == 0) return;
        if (jumped) invalidPending.clear(), invalidRow = (offset + invalidBytes - 1) / invalidBytes;
        invalidPending.insert(invalidPending.end(), piece.begin(), piece.end());
        size_t at = 0;
        for (; at + invalidBytes <= invalidPending.size(); at += invalidBytes, ++invalidRow)
            for (ColumnMaker& column : group.columns)
                if (const auto bit = column.invalidationBit)
                    if (invalidPending[at + *bit / 8] >> (*bit % 8) & 1) column.invalidate(invalidRow);
        invalidPending.erase(invalidPending.begin(), invalidPending.begin() + static_cast<long>(at));
    };
    section_.each(entries, take, takeInvalidation);
}

namespace {

/// Whether a column of a large group counts beyond what float32 holds, by its first, middle and last row.
bool counts(const RowSource& source, size_t column) {
    for (const size_t row : {size_t{0}, source.rows() / 2, source.rows() - 1}) {
        double value = 0;
        const RowSource::Wanted wanted[] = {{column, nullptr, &value}};
        source.read(wanted, row, 1);
        if (Column::needsWide(value)) return true;
    }
    return false;
}

}  // namespace

void GroupReader::leave(const DataSection::Entries& entries, ChannelGroup& group) {
    const uint64_t bytes = group.recordBytes();
    if (!later_.file || file_.unfinalised() || group.byColumn || group.masterGroup != 0 || bytes == 0 ||
        group.claimedRows == 0 || group.claimedRows * bytes < later_.from_bytes)
        return;
    auto pieces = section_.wholePieces(entries);
    if (!pieces || pieces->empty() || pieces->back().offset + pieces->back().length != group.claimedRows * bytes)
        return;
    for (const DataPiece& piece : *pieces)
        if (piece.packed && (piece.offset % bytes != 0 || piece.length % bytes != 0)) return;
    std::vector<ColumnMaker> left;
    std::vector<size_t> places;
    std::optional<size_t> clock;
    for (size_t c = 0; c < group.columns.size(); ++c) {
        ColumnMaker& column = group.columns[c];
        if (!column.mayBeLater()) continue;
        if (column.isTimeMaster()) clock = left.size();
        ColumnMaker place;
        place.block = column.block, place.type = column.type, place.sync = column.sync;
        place.channel = column.channel;
        place.later = true;
        places.push_back(c);
        left.push_back(std::exchange(column, std::move(place)));
    }
    // Without its clock nothing of a group can be told apart from what is damaged.
    const bool timed =
        std::any_of(group.columns.begin(), group.columns.end(), [](const ColumnMaker& c) { return c.isTimeMaster(); });
    if (left.empty() || (timed && !clock)) {
        for (size_t i = 0; i < left.size(); ++i)
            group.columns[places[i]] = std::move(left[i]);
        return;
    }
    const auto rows = static_cast<size_t>(group.claimedRows);
    std::vector<bool> mayBeWide(left.size());
    std::vector<std::vector<State>> states(left.size());
    for (size_t i = 0; i < left.size(); ++i) {
        mayBeWide[i] = left[i].mayBeWide();
        if (left[i].conversion.isStates()) states[i] = left[i].conversion.states();
    }
    const auto source = std::make_shared<SortedRows>(later_.file, std::move(*pieces), bytes, group.dataBytes, rows,
                                                     std::move(left), clock, group.group.name, group.at, later_.damage);
    for (size_t i = 0; i < places.size(); ++i) {
        ColumnMaker& place = group.columns[places[i]];
        place.channel.values = Column(source, i, i == clock || (mayBeWide[i] && counts(*source, i)));
        std::sort(states[i].begin(), states[i].end(), [](const State& a, const State& b) { return a.value < b.value; });
        place.channel.states = std::move(states[i]);
    }
    group.later = clock.has_value();
    if (clock) group.group.time_s = Clock(group.columns[places[*clock]].channel.values);
}

GroupReader::Took GroupReader::takeRecord(ByteSpan& bytes, size_t idBytes, std::vector<ChannelGroup>& groups,
                                          ChannelGroup*& owner) {
    constexpr size_t kLength = 4;
    if (bytes.size() < idBytes) return Took::Incomplete;
    const uint64_t id = loadUnsigned(bytes.data(), idBytes, ByteOrder::LittleEndian);
    if (!owner || owner->recordId != id) {
        const auto found = std::find_if(groups.begin(), groups.end(), [&](const auto& g) { return g.recordId == id; });
        if (found == groups.end()) return Took::Unknown;
        owner = &*found;
    }
    const ByteSpan behind = bytes.subspan(idBytes);
    if (owner->isTexts) {
        const auto length = ByteView(behind).u32(0);
        if (!length || behind.size() - kLength < *length) return Took::Incomplete;
        owner->texts.insert(owner->texts.end(), behind.begin(), behind.begin() + static_cast<long>(kLength + *length));
        bytes = behind.subspan(kLength + *length);
        return Took::Record;
    }
    const uint64_t size = owner->recordBytes();
    if (behind.size() < size) return Took::Incomplete;
    owner->pending.insert(owner->pending.end(), behind.begin(), behind.begin() + static_cast<long>(size));
    bytes = behind.subspan(size);
    return Took::Record;
}

void GroupReader::unsorted(uint64_t data, size_t idBytes, std::vector<ChannelGroup>& groups) {
    fetchAll();
    for (ChannelGroup& group : groups)
        makeRoom(group);
    Bytes carried;
    bool lost = false;
    ChannelGroup* owner = nullptr;
    const auto takeAll = [&](ByteSpan bytes) {
        while (!bytes.empty()) {
            const Took took = takeRecord(bytes, idBytes, groups, owner);
            if (took == Took::Incomplete) break;
            if (took == Took::Unknown) {
                lost = true;
                damage_.push_back("At byte " + std::to_string(data) + ": a record of no group (id " +
                                  std::to_string(loadUnsigned(bytes.data(), idBytes, ByteOrder::LittleEndian)) +
                                  "); what comes after it is lost.");
                break;
            }
            if (!owner->isTexts && owner->pending.size() >= kBatch)
                decode(*owner, owner->pending), owner->pending.clear();
        }
        return bytes;
    };
    section_.each(data, [&](ByteSpan piece, bool jumped, uint64_t) {
        // Where the next record begins nobody knows behind a loss.
        lost = lost || jumped;
        if (lost) return;
        if (carried.empty()) {
            const ByteSpan left = takeAll(piece);
            carried.assign(left.begin(), left.end());
            return;
        }
        carried.insert(carried.end(), piece.begin(), piece.end());
        const size_t taken = carried.size() - takeAll(carried).size();
        carried.erase(carried.begin(), carried.begin() + static_cast<long>(taken));
    });
    for (ChannelGroup& group : groups)
        if (group.recordBytes() > 0 && !group.isTexts) decode(group, group.pending), group.pending.clear();
}

void GroupReader::textsFor(ChannelGroup& group, const std::vector<ChannelGroup>& all) {
    for (ColumnMaker& column : group.columns) {
        if (!column.isVariable() || column.dataLink == 0) continue;
        const auto owner =
            std::find_if(all.begin(), all.end(), [&](const ChannelGroup& g) { return g.at == column.dataLink; });
        if (owner != all.end()) {
            column.resolveTexts(owner->texts);
            continue;
        }
        Bytes texts;
        try {
            section_.each(column.dataLink, [&](ByteSpan piece, bool jumped, uint64_t offset) {
                // What is lost stays empty, so that the others are where they were.
                constexpr uint64_t kMostLost = uint64_t{64} << 20;
                if (jumped && offset > texts.size() && offset - texts.size() < kMostLost) texts.resize(offset);
                texts.insert(texts.end(), piece.begin(), piece.end());
            });
        } catch (const BadMdf& problem) {
            damage_.push_back(problem.message);
        }
        column.resolveTexts(texts);
    }
}

namespace {

/// The first row from `from` on whose time does not come after the one before it.
size_t runsUntil(std::span<const double> time_s, size_t from) {
    for (size_t i = from; i < time_s.size(); ++i)
        if (!std::isfinite(time_s[i]) || (i > 0 && !(time_s[i] > time_s[i - 1]))) return i;
    return time_s.size();
}

void cutTo(ChannelGroup& group, size_t rows) {
    if (!group.time_s.empty()) group.time_s.resize(rows);
    for (ColumnMaker& column : group.columns)
        column.cutTo(rows);
    group.rows = rows;
}

}  // namespace

/// Rows that are there against rows that are claimed. An unfinalised file may hold more than its count says, and pages
/// that the disk did not get before the power went read as zeros: they begin in the last row that still looked right,
/// unless the disk was seen to have it.
void GroupReader::count(ChannelGroup& group, uint64_t data) {
    const uint64_t held = group.rows, claimed = group.claimedRows;
    if (claimed > held)
        damage_.push_back("At byte " + std::to_string(data) + ": the group claims " + std::to_string(claimed) +
                          " samples, the file holds " + std::to_string(held) + ".");
    if (held <= claimed) return;
    if (!file_.unfinalised() && claimed > 0) return cutTo(group, claimed);
    if (group.time_s.empty()) return;
    const size_t runs = runsUntil(group.time_s, claimed);
    if (runs == held) return;
    cutTo(group, runs > claimed ? runs - 1 : runs);
    damage_.push_back("At byte " + std::to_string(data) + ": the last " + std::to_string(held - group.rows) +
                      " samples were not on the disk when the recording broke off.");
}

void GroupReader::finish(ChannelGroup& group) {
    Group& out = group.group;
    const bool hasTime =
        std::any_of(group.columns.begin(), group.columns.end(), [](const ColumnMaker& c) { return c.isTimeMaster(); });
    out.timed = hasTime;
    constexpr float kNone = std::numeric_limits<float>::quiet_NaN();
    for (ColumnMaker& column : group.columns) {
        if (column.isTimeMaster()) continue;
        if (!column.later) {
            column.finish(damage_, group.rows);
        }
        out.channels.push_back(std::move(column.channel));
        if (!column.beside) continue;
        column.besideValues.resize(group.rows, kNone);
        column.beside->values = Column(std::move(column.besideValues));
        out.channels.push_back(std::move(*column.beside));
    }
    if (!hasTime) {
        group.time_s.resize(group.rows);
        for (size_t i = 0; i < group.time_s.size(); ++i)
            group.time_s[i] = static_cast<double>(i);
    }
    if (!group.later) out.time_s = Clock(std::move(group.time_s));
    group.columns.clear();
}

}  // namespace brusk::recording::mdf
