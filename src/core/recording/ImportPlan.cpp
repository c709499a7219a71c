// Guesses names, units and roles over what the readers give, and applies the plan to it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/ImportPlan.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/Text.h"
#include "core/recording/Mdf4.h"
#include "core/recording/canlog/CanLog.h"
#include "core/roles/Likeness.h"
#include "core/units/Units.h"

namespace brusk::recording {

std::string_view fileKindName(FileKind kind) {
    constexpr std::string_view kNames[] = {"mdf", "csv", "candump"};
    return kNames[static_cast<int>(kind)];
}

const GuessPoint* ImportPlan::point(std::string_view id) const {
    const auto found = std::find_if(points.begin(), points.end(), [&](const GuessPoint& p) { return p.id == id; });
    return found == points.end() ? nullptr : &*found;
}

namespace {

constexpr size_t kLookedRows = 400;

bool isMdf(ByteSpan bytes) {
    const std::string_view text = asText(bytes);
    return text.starts_with("MDF     ") || text.starts_with("UnFinMF ");
}

/// The channels of a recording under names that each stand for one: what a plan's columns are in order of.
template <class Each>
void eachKey(const Recording& recording, Each each) {
    std::set<std::string> taken;
    for (size_t g = 0; g < recording.groups.size(); ++g)
        for (size_t c = 0; c < recording.groups[g].channels.size(); ++c) {
            const Group& group = recording.groups[g];
            const std::string& name = group.channels[c].name.empty() ? "channel" : group.channels[c].name;
            std::string key = name;
            if (taken.count(key) && !group.name.empty()) key = name + " (" + group.name + ")";
            for (size_t n = 2; !taken.insert(key).second; ++n)
                key = name + " (" + std::to_string(n) + ")";
            each(g, c, key);
        }
}

std::string fingerprintOf(FileKind kind, const std::vector<std::string>& names) {
    std::string all(fileKindName(kind));
    for (const std::string& name : names)
        all += "\n" + name;
    return sha256Hex(asBytes(all));
}

/// The unit as Brusk writes it, where it knows it.
std::string knownUnit(const std::string& unit) {
    const auto* known = units::findUnit(unit);
    return known ? std::string(known->symbol) : unit;
}

/// Of a few thousand samples spread over the column.
double median(const Column& column) {
    constexpr size_t kLooked = 4000;
    const std::vector<double> some = column.some();
    std::vector<float> values;
    for (size_t i = 0; i < some.size(); i += some.size() / kLooked + 1)
        if (std::isfinite(some[i])) values.push_back(static_cast<float>(some[i]));
    if (values.empty()) return std::nan("");
    const auto middle = values.begin() + static_cast<long>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return static_cast<double>(*middle);
}

/// What the numbers say where nobody wrote a unit and the role's own would make nonsense of them.
std::optional<std::string> unitByNumbers(roles::Role role, const Channel& channel) {
    const double middle = median(channel.values);
    if (role.unit() == "lambda" && middle > 7 && middle < 25) return "AFR";
    if (role.unit() == "kPa" && middle > 600 && middle < 4000) return "mbar";
    return std::nullopt;
}

class Planner {
  public:
    /// `whole`: all rows are looked at, not the first alone.
    Planner(FileKind kind, bool ours, bool whole, const ImportSaid& said) : said_(said), ours_(ours), whole_(whole) {
        plan_.kind = kind;
    }

    /// From the raw recording, or its first rows.
    Result<ImportPlan> run(const Recording& raw, csv::Guess guess) {
        plan_.points = std::move(guess.points);
        plan_.dialect = std::move(guess.dialect);
        if (auto done = timePoints(raw); !done) return tl::unexpected(done.error());
        columns(raw);
        giveRoles();
        for (size_t i = 0; i < plan_.columns.size(); ++i)
            if (const auto said = said_.columns.find(plan_.columns[i].key); said != said_.columns.end())
                if (auto done = obey(plan_.columns[i], channels_[i], said->second); !done)
                    return tl::unexpected(done.error());
        if (auto done = namesDiffer(); !done) return tl::unexpected(done.error());
        return std::move(plan_);
    }

  private:
    const std::string* said(std::string_view id) const {
        const auto found = said_.points.find(id);
        return found == said_.points.end() ? nullptr : &found->second;
    }

    Done timePoints(const Recording& raw) {
        const bool untimed = std::any_of(raw.groups.begin(), raw.groups.end(), [](const Group& g) { return !g.timed; });
        if (untimed) {
            std::string rate = "none";
            if (const std::string* value = said("rate")) {
                const auto number = parseNumber(*value);
                if (*value != "none" && (!number || !(*number > 0) || *number > 1e6))
                    return fail(ErrorCode::BadInput, "\"" + *value + "\" is no rate in rows a second.");
                rate = *value;
            }
            plan_.points.push_back(
                {"rate",
                 "Rows a second",
                 rate,
                 said("rate") ? 1.0 : 0.3,
                 said("rate") ? "as you said" : "the file tells no time; without a rate nothing can be learned from it",
                 {},
                 "a number, or none"});
        }
        const double first = firstTime(raw);
        std::string begin = first > 3600 || first < 0 ? "zero" : "file";
        if (const std::string* value = said("begin")) {
            if (*value != "zero" && *value != "file")
                return fail(ErrorCode::BadInput, "\"" + *value + "\" is nothing that \"begin\" can be.");
            begin = *value;
        }
        if (std::isfinite(first) && first != 0)
            plan_.points.push_back(
                {"begin",
                 "The recording begins",
                 begin,
                 said("begin") ? 1.0 : 0.9,
                 said("begin") ? "as you said" : "the first sample is at " + formatNumber(first, 3) + " s",
                 {{"zero", "at 0 s"}, {"file", "at the file's time"}}});
        return {};
    }

    static double firstTime(const Recording& raw) {
        double first = INFINITY;
        for (const Group& group : raw.groups)
            if (group.timed && !group.time_s.empty()) first = std::min(first, group.time_s.front());
        return first;
    }

    void columns(const Recording& raw) {
        if (plan_.kind == FileKind::Table) return tableColumns(raw);
        eachKey(raw, [&](size_t g, size_t c, const std::string& key) {
            const Channel& channel = raw.groups[g].channels[c];
            add(key, raw.groups[g], channel, channel.unit, channel.states.empty() ? "number" : "states");
        });
    }

    /// In the order of the file; what is no signal stands among them, so that somebody may say that it is one.
    void tableColumns(const Recording& raw) {
        for (const csv::Column& column : plan_.dialect.columns) {
            if (column.kind == csv::Column::Kind::Time) continue;
            const auto place = raw.find(column.name);
            if (place) {
                add(column.name, *place.group, *place.channel, column.unit,
                    column.kind == csv::Column::Kind::States ? "states" : "number");
            } else {
                ColumnPlan out{column.name, {}, column.name, column.unit, {}, "nothing", 1, 0, false, 0.7, {}};
                out.why = "it is no signal";
                plan_.columns.push_back(std::move(out));
                channels_.push_back(nullptr);
                timed_.push_back(false);
            }
        }
    }

    void add(const std::string& key, const Group& group, const Channel& channel, const std::string& unit,
             const char* kind) {
        ColumnPlan out{key, group.name, key, knownUnit(unit), channel.role, kind, 1, 0, true, 0.6, {}};
        const auto some = channel.values.some();
        const bool nothing = std::all_of(some.begin(), some.end(), [](double v) { return std::isnan(v); });
        if (ours_) {
            out.certainty = 1, out.why = "Brusk recorded it";
        } else if (nothing && whole_ && channel.values.decoded()) {
            out.use = false, out.why = "it holds nothing";
        } else if (nothing) {
            // A sensor that warms up is silent at first.
            out.why = "it holds nothing in the first rows";
        } else if (!out.unit.empty() && units::findUnit(out.unit)) {
            out.certainty = 0.8, out.why = "its unit is known";
        } else {
            out.why = out.unit.empty() ? "it has no unit" : "its unit is not known";
        }
        plan_.columns.push_back(std::move(out));
        channels_.push_back(&channel);
        timed_.push_back(group.timed || said("rate"));
    }

    /// Each role to the channel that looks most like it.
    void giveRoles() {
        if (ours_) return;
        struct Candidate {
            size_t column;
            roles::LikelyRole like;
        };
        std::vector<Candidate> all;
        for (size_t i = 0; i < plan_.columns.size(); ++i) {
            const ColumnPlan& column = plan_.columns[i];
            if (!channels_[i] || !column.use || !timed_[i]) continue;
            if (const auto like =
                    roles::likeliestChannel({column.name, column.group, channels_[i]->description, column.unit}))
                all.push_back({i, *like});
        }
        std::stable_sort(all.begin(), all.end(), [](const Candidate& a, const Candidate& b) {
            return a.like.likeness.score > b.like.likeness.score;
        });
        std::set<std::string_view> given;
        for (const auto& [key, said] : said_.columns)
            if (said.role && !said.role->empty()) given.insert(*said.role);
        for (const auto& [i, like] : all) {
            ColumnPlan& column = plan_.columns[i];
            if (!given.insert(like.role.id()).second) continue;
            column.role = like.role.id();
            column.certainty = std::min(0.95, like.likeness.score);
            column.why = like.likeness.reason;
            if (!column.unit.empty()) continue;
            if (const auto unit = unitByNumbers(like.role, *channels_[i])) {
                column.unit = *unit;
                column.why += "; its numbers are those of " + *unit;
            }
        }
        giveRoleByUnit("engine_speed", given);
        giveRoleByUnit("lambda_measured", given);
    }

    /// A role that a unit alone tells, where one channel alone has it.
    void giveRoleByUnit(roles::Role role, std::set<std::string_view>& given) {
        ColumnPlan* only = nullptr;
        for (size_t i = 0; i < plan_.columns.size(); ++i) {
            ColumnPlan& column = plan_.columns[i];
            if (!channels_[i] || !column.use || !timed_[i] || !column.role.empty() || column.unit.empty() ||
                roles::unitFits(column.unit, role.unit()) < 1)
                continue;
            if (only) return;
            only = &column;
        }
        if (!only || !given.insert(role.id()).second) return;
        only->role = role.id();
        only->certainty = 0.6;
        only->why = "no other channel is in " + only->unit;
    }

    static Done obey(ColumnPlan& column, const Channel* channel, const ColumnSaid& said) {
        const auto wrong = [&](const std::string& what) {
            return fail(ErrorCode::BadInput, "Column \"" + column.key + "\": " + what);
        };
        if (said.name && said.name->empty()) return wrong("a channel needs a name.");
        if (said.role && !said.role->empty()) {
            const auto role = roles::Role::named(*said.role);
            if (!role || !role->meaning().measured()) return wrong("there is no role \"" + *said.role + "\".");
        }
        if ((said.factor && (!std::isfinite(*said.factor) || *said.factor == 0)) ||
            (said.offset && !std::isfinite(*said.offset)))
            return wrong("a factor other than 0 and an offset are wanted.");
        if (said.name) column.name = *said.name;
        if (said.unit) column.unit = knownUnit(*said.unit);
        if (said.role) column.role = *said.role;
        if (said.factor) column.factor = *said.factor;
        if (said.offset) column.offset = *said.offset;
        if (said.use) column.use = *said.use;
        if (said.role || said.unit || said.factor || said.offset) column.certainty = 1, column.why = "as you said";
        // Who says what it is need not know that 14.7 is no lambda.
        const auto role = roles::Role::named(column.role);
        if (said.role && role && !said.unit && column.unit.empty() && channel)
            if (const auto unit = unitByNumbers(*role, *channel))
                column.unit = *unit, column.why += "; its numbers are those of " + *unit;
        return {};
    }

    Done namesDiffer() const {
        std::set<std::string> names;
        for (const ColumnPlan& column : plan_.columns)
            if (column.use && !names.insert(toLower(column.name)).second && !ours_ && saidName(column))
                return fail(ErrorCode::BadInput, "Two columns are called \"" + column.name + "\".");
        return {};
    }
    bool saidName(const ColumnPlan& column) const {
        return std::any_of(said_.columns.begin(), said_.columns.end(),
                           [&](const auto& one) { return one.second.name && *one.second.name == column.name; });
    }

    const ImportSaid& said_;
    bool ours_, whole_;
    ImportPlan plan_;
    std::vector<const Channel*> channels_;
    std::vector<bool> timed_;
};

/// Kinds of a table's columns are said before it is read.
Done sayKinds(csv::Dialect& dialect, const ImportSaid& said) {
    using Kind = csv::Column::Kind;
    constexpr std::pair<std::string_view, Kind> kKinds[] = {
        {"number", Kind::Number}, {"states", Kind::States}, {"nothing", Kind::Nothing}};
    for (csv::Column& column : dialect.columns) {
        const auto found = said.columns.find(column.name);
        if (found == said.columns.end() || !found->second.kind || column.kind == Kind::Time) continue;
        const auto* kind = std::find_if(std::begin(kKinds), std::end(kKinds),
                                        [&](const auto& one) { return one.first == *found->second.kind; });
        if (kind == std::end(kKinds))
            return fail(ErrorCode::BadInput, "Column \"" + column.name + "\" can be number, states or nothing.");
        column.kind = kind->second;
    }
    return {};
}

void apply(const ColumnPlan& plan, Channel& channel) {
    channel.name = plan.name;
    channel.unit = plan.unit;
    channel.role = plan.role;
    if (plan.factor == 1 && plan.offset == 0) return;
    channel.values = channel.values.scaled(plan.factor, plan.offset);
    for (State& state : channel.states)
        state.value = static_cast<float>(plan.factor * static_cast<double>(state.value) + plan.offset);
    std::sort(channel.states.begin(), channel.states.end(),
              [](const State& a, const State& b) { return a.value < b.value; });
}

void giveRate(Group& group, double rate_hz) {
    group.timed = true;
    group.rate_hz = rate_hz;
    Numbers<double> times(group.time_s.size());
    for (size_t i = 0; i < times.size(); ++i)
        times[i] = static_cast<double>(i) / rate_hz;
    group.time_s = Clock(std::move(times));
}

/// The same with its first rows alone.
Recording firstRows(const Recording& of, size_t rows) {
    Recording out = {of.title,          of.startedAt, of.roundId, of.imageSha256, of.areas, of.definitionSha256,
                     of.channelsSha256, of.damage,    {},         of.marks,       of.vin};
    for (const Group& group : of.groups) {
        Group& cut = out.groups.emplace_back();
        cut.name = group.name, cut.rate_hz = group.rate_hz, cut.timed = group.timed;
        cut.time_s = Clock(group.time_s.column().firstRows(rows));
        for (const Channel& channel : group.channels) {
            Channel& here = cut.channels.emplace_back();
            here.name = channel.name, here.unit = channel.unit, here.description = channel.description;
            here.role = channel.role, here.states = channel.states;
            here.values = channel.values.firstRows(rows);
        }
    }
    return out;
}

}  // namespace

Result<ImportFile> ImportFile::open(std::string title, std::shared_ptr<const storage::Mapped> file,
                                    const std::vector<can::DbcMessage>& messages, bool namedMdf) {
    ImportFile out;
    out.title_ = std::move(title);
    out.file_ = std::move(file);
    std::vector<std::string> names;
    const ByteSpan bytes = out.file_->bytes();
    const bool mdf = namedMdf || isMdf(bytes);
    if (!mdf) out.file_->willNeed(0, bytes.size());  // texts are read whole
    if (mdf || isCandump(asText(bytes))) {
        out.kind_ = mdf ? FileKind::Mdf4 : FileKind::CanLog;
        auto read = out.kind_ == FileKind::Mdf4 ? openMdf4(out.file_) : readCanLog(asText(bytes), messages);
        if (!read) return tl::unexpected(read.error());
        if (!mdf && out.file_->broken()) read->damage.emplace_back(storage::Mapped::kCutShort);
        out.ours_ = !read->imageSha256.empty();
        eachKey(*read, [&](size_t g, size_t c, const std::string& key) {
            out.ours_ = out.ours_ || !read->groups[g].channels[c].role.empty();
            names.push_back(key);
        });
        out.read_ = std::make_shared<const Recording>(std::move(*read));
        // All of it is in columns now, or held by them.
        out.file_.reset();
    } else {
        const auto guess = csv::guess(bytes);
        if (!guess) return tl::unexpected(guess.error());
        for (const csv::Column& column : guess->dialect.columns)
            names.push_back(column.header);
    }
    out.fingerprint_ = fingerprintOf(out.kind_, names);
    return out;
}

Result<Recording> ImportFile::raw(const csv::Dialect& dialect, size_t rows) const {
    if (kind_ == FileKind::Table) {
        auto read = csv::readCsv(file_->bytes(), dialect, rows);
        if (read && file_->broken()) read->damage.emplace_back(storage::Mapped::kCutShort);
        return read;
    }
    return rows == SIZE_MAX ? *read_ : firstRows(*read_, rows);
}

Result<ImportPlan> ImportFile::plan(const ImportSaid& said) const {
    csv::Guess guess;
    if (kind_ == FileKind::Table) {
        auto guessed = csv::guess(file_->bytes(), said.points);
        if (!guessed) return tl::unexpected(guessed.error());
        guess = std::move(*guessed);
        if (auto done = sayKinds(guess.dialect, said); !done) return tl::unexpected(done.error());
    }
    if (read_) {
        auto plan = Planner(kind_, ours_, true, said).run(*read_, std::move(guess));
        if (plan) plan->fingerprint = fingerprint_;
        return plan;
    }
    const auto first = csv::readCsv(file_->bytes(), guess.dialect, kLookedRows);
    if (!first) return tl::unexpected(first.error());
    size_t most = 0;
    for (const Group& group : first->groups)
        most = std::max(most, group.time_s.size());
    auto plan = Planner(kind_, ours_, most + first->damage.size() < kLookedRows, said).run(*first, std::move(guess));
    if (plan) plan->fingerprint = fingerprint_;
    return plan;
}

Result<Recording> ImportFile::recording(const ImportPlan& plan, size_t rows) const {
    auto read = raw(plan.dialect, rows);
    if (!read) return read;
    std::map<std::string, const ColumnPlan*> byKey;
    for (const ColumnPlan& column : plan.columns)
        byKey[column.key] = &column;
    std::vector<std::vector<const ColumnPlan*>> places;
    for (const Group& group : read->groups)
        places.emplace_back(group.channels.size(), nullptr);
    eachKey(*read, [&](size_t g, size_t c, const std::string& key) {
        const auto found = byKey.find(key);
        if (found != byKey.end() && found->second->use) places[g][c] = found->second;
    });
    const auto* rate = plan.point("rate");
    const auto* begin = plan.point("begin");
    double shift = begin && begin->value == "zero" ? INFINITY : 0;
    for (size_t g = 0; g < read->groups.size(); ++g) {
        Group& group = read->groups[g];
        std::vector<Channel> kept;
        for (size_t c = 0; c < group.channels.size(); ++c) {
            if (!places[g][c]) continue;
            apply(*places[g][c], group.channels[c]);
            kept.push_back(std::move(group.channels[c]));
        }
        group.channels = std::move(kept);
        if (!group.timed && rate)
            if (const auto rate_hz = parseNumber(rate->value)) giveRate(group, *rate_hz);
        if (shift != 0 && group.timed && !group.time_s.empty()) shift = std::min(shift, group.time_s.front());
    }
    std::erase_if(read->groups, [](const Group& g) { return g.channels.empty(); });
    if (read->groups.empty()) return fail(ErrorCode::BadInput, "No column of the file is used.");
    if (std::isfinite(shift) && shift != 0) {
        for (Group& group : read->groups)
            if (group.timed) group.time_s = group.time_s.shifted(-shift);
        for (Mark& mark : read->marks)
            mark.at_s -= shift;
    }
    if (read->title.empty()) read->title = title_;
    return read;
}

}  // namespace brusk::recording
