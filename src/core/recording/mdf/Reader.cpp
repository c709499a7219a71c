// Reads MDF 4. A damaged file gives what is whole in it, and a sentence for what is lost.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/recording/IsoTime.h"
#include "core/recording/Mdf4.h"
#include "core/recording/mdf/Groups.h"

namespace brusk::recording {
namespace mdf {
namespace {

/// Nanoseconds since 1970 as ISO 8601, to the second; empty for 0.
std::string startText(const Block& hd) {
    constexpr uint64_t kLocal = 1;
    const uint64_t start_ns = hd.number(0, 8);
    if (start_ns == 0) return {};
    // A local time whose zone nobody wrote is left without one.
    return isoTime(static_cast<int64_t>(start_ns / 1000000000)) + (hd.number(12, 1) & kLocal ? "" : "Z");
}

Mark markOf(BlockFile& file, const Block& ev) {
    constexpr uint64_t kTime = 1;
    constexpr const char* kKinds[] = {"recording",     "recording interrupted", "acquisition interrupted",
                                      "start trigger", "stop trigger",          "trigger",
                                      "marker"};
    Mark out;
    const uint64_t type = ev.number(0, 1);
    const std::string comment = file.text(ev.link(4));
    out.kind = property(comment, "kind");
    if (out.kind.empty() && type < std::size(kKinds)) out.kind = kKinds[type];
    out.text = file.text(ev.link(3));
    if (out.text.empty()) out.text = between(comment, "<TX>", "</TX>");
    if (ev.number(1, 1) != kTime) bad(ev.at, "the event \"" + out.text + "\" tells no time");
    const auto base = static_cast<double>(static_cast<int64_t>(ev.number(16, 8)));
    out.at_s = base * ev.real(24);
    if (!std::isfinite(out.at_s)) bad(ev.at, "the event \"" + out.text + "\" tells no time");
    return out;
}

class Reader {
  public:
    Reader(ByteSpan file, Later later) : later_(std::move(later)), file_(file) {}

    Recording run() {
        const Block hd = file_.block(64, "##HD");
        Recording out;
        readHead(hd, out);
        std::vector<ChannelGroup> groups;
        GroupReader reader(file_, damage_, later_);
        follow(hd.link(0), [&](uint64_t at) {
            const Block dg = file_.block(at, "##DG");
            try {
                for (ChannelGroup& group : reader.read(dg))
                    groups.push_back(std::move(group));
            } catch (const BadMdf& problem) {
                damage_.push_back(problem.message);
            }
            return dg.link(0);
        });
        join(groups);
        for (ChannelGroup& group : groups) {
            if (group.group.channels.empty() && group.group.time_s.empty()) continue;
            if (group.group.timed && !group.later) inOrder(group);
            group.group.rate_hz = rateOf(group);
            out.groups.push_back(std::move(group.group));
        }
        follow(hd.link(4), [&](uint64_t at) {
            const Block ev = file_.block(at, "##EV");
            try {
                out.marks.push_back(markOf(file_, ev));
            } catch (const BadMdf& problem) {
                damage_.push_back(problem.message);
            }
            return ev.link(0);
        });
        std::stable_sort(out.marks.begin(), out.marks.end(),
                         [](const Mark& a, const Mark& b) { return a.at_s < b.at_s; });
        if (out.groups.empty()) noChannels();
        out.damage = std::move(damage_);
        out.late = later_.damage;
        return out;
    }

  private:
    void readHead(const Block& hd, Recording& out) {
        const std::string comment = file_.text(hd.link(5));
        out.title = comment.find("<TX>") == std::string::npos && comment.find('<') == std::string::npos
                        ? comment
                        : between(comment, "<TX>", "</TX>");
        out.startedAt = property(comment, "started");
        if (out.startedAt.empty()) out.startedAt = startText(hd);
        out.roundId = property(comment, "round");
        out.imageSha256 = property(comment, "image_sha256");
        out.areas = property(comment, "areas");
        out.definitionSha256 = property(comment, "definition_sha256");
        out.channelsSha256 = property(comment, "channels_sha256");
        out.vin = property(comment, "vin");
        out.sensors = property(comment, "sensors");
    }

    /// Along a chain of blocks until one can't be read; what came before is whole.
    template <class Step>
    void follow(uint64_t at, Step step) {
        try {
            while (at != 0)
                at = step(at);
        } catch (const BadMdf& problem) {
            damage_.push_back(problem.message);
        }
    }

    [[noreturn]] void noChannels() {
        if (damage_.empty()) bad(64, "the file has no channels");
        // The sentence and the place are of the same block.
        constexpr size_t kAtByte = std::string_view("At byte ").size();
        const std::string& first = damage_.front();
        throw BadMdf{first, parseUnsigned(first.substr(kAtByte, first.find(':') - kAtByte)).value_or(64)};
    }

    /// Channels whose clock is another group's go there (4.2: a group a channel).
    void join(std::vector<ChannelGroup>& groups) {
        for (ChannelGroup& group : groups) {
            if (group.masterGroup == 0 || group.masterGroup == group.at) continue;
            const auto owner = std::find_if(groups.begin(), groups.end(),
                                            [&](const ChannelGroup& g) { return g.at == group.masterGroup; });
            if (owner == groups.end()) {
                damage_.push_back("At byte " + std::to_string(group.at) + ": the group's clock is not in the file.");
                continue;
            }
            const size_t rows = owner->group.time_s.size();
            for (Channel& channel : group.group.channels) {
                if (channel.values.size() != rows)
                    damage_.push_back("At byte " + std::to_string(group.at) + ": channel " + channel.name + " has " +
                                      std::to_string(channel.values.size()) + " samples, its clock " +
                                      std::to_string(rows) + ".");
                if (channel.values.size() != rows)
                    channel.values.edit().resize(rows, std::numeric_limits<float>::quiet_NaN());
                owner->group.channels.push_back(std::move(channel));
            }
            group.group = {};
        }
    }

    /// Rows whose time is none, or lies before an earlier one, are left out: everything else counts on a clock that
    /// never falls.
    void inOrder(ChannelGroup& group) {
        Group& g = group.group;
        const auto times = g.time_s.times();
        std::vector<size_t> kept;
        double last = -INFINITY;
        for (size_t row = 0; row < times.size(); ++row) {
            if (!std::isfinite(times[row]) || times[row] < last) continue;
            last = times[row];
            kept.push_back(row);
        }
        if (kept.size() == times.size()) return;
        damage_.push_back("At byte " + std::to_string(group.at) + ": " + std::to_string(times.size() - kept.size()) +
                          " samples of group \"" + g.name + "\" tell no time, or one that goes back.");
        const auto pick = [&](auto& numbers) {
            for (size_t i = 0; i < kept.size(); ++i)
                numbers[i] = numbers[kept[i]];
            numbers.resize(kept.size());
        };
        for (Channel& channel : g.channels)
            pick(channel.values.edit());
        pick(g.time_s.edit());
    }

    /// By the first rows alone.
    static double rateOf(const ChannelGroup& group) {
        constexpr size_t kLooked = 1001;
        if (!group.group.timed) return 0;
        std::vector<double> first(std::min(kLooked, group.group.time_s.size()));
        group.group.time_s.column().read(0, first);
        return nominalRate(first);
    }

    Later later_;
    BlockFile file_;
    std::vector<std::string> damage_;
};

}  // namespace
}  // namespace mdf

namespace {

Result<Recording> readWith(ByteSpan file, mdf::Later later) {
    try {
        return mdf::Reader(file, std::move(later)).run();
    } catch (const mdf::BadMdf& problem) {
        return failIn({.offset = problem.at}, ErrorCode::BadInput, problem.message);
    }
}

}  // namespace

Result<Recording> readMdf4(ByteSpan file) {
    return readWith(file, {});
}

Result<Recording> openMdf4(const std::shared_ptr<const storage::Mapped>& file, uint64_t laterFrom_bytes) {
    auto read = readWith(file->bytes(), {file, laterFrom_bytes, std::make_shared<LateDamage>()});
    if (read && file->broken()) read->damage.emplace_back(storage::Mapped::kCutShort);
    return read;
}

}  // namespace brusk::recording
