// cells: samples of a recording in the cells of a map.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "core/base/Text.h"
#include "core/evidence/CellFit.h"
#include "core/recording/Expression.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

struct Options {
    std::string file, x, y, value, where;
    std::vector<double> xBreaks, yBreaks;
    bool fit = false;
};

Result<std::vector<float>> column(const std::string& expression, const recording::Recording& recording,
                                  const recording::Group& clock) {
    const auto values = recording::evaluate(expression, recording, clock);
    if (!values) return failBecause("\"" + expression + "\" can't be computed.", values.error());
    return std::vector<float>(values->begin(), values->end());
}

Done rising(const std::vector<double>& breaks, const char* name) {
    for (size_t i = 1; i < breaks.size(); ++i)
        if (!(breaks[i] > breaks[i - 1])) return fail(ErrorCode::BadInput, std::string(name) + " must rise.");
    return {};
}

Done cells(Context& c, const Options& o) {
    if (auto ok = rising(o.xBreaks, "--x-breaks"); !ok) return ok;
    if (auto ok = rising(o.yBreaks, "--y-breaks"); !ok) return ok;
    const auto recording = recordingOf(c, o.file);
    if (!recording) return failBecause(o.file + " can't be read.", recording.error());
    const auto place = recording->find(o.x);
    const recording::Group& clock = place ? *place.group : recording->groups[0];
    const auto x = column(o.x, *recording, clock);
    if (!x) return tl::unexpected(x.error());
    const auto y =
        o.y.empty() ? Result<std::vector<float>>(std::vector<float>(x->size(), 0)) : column(o.y, *recording, clock);
    if (!y) return tl::unexpected(y.error());
    auto value = column(o.value, *recording, clock);
    if (!value) return tl::unexpected(value.error());
    if (!o.where.empty()) {
        const auto where = column(o.where, *recording, clock);
        if (!where) return tl::unexpected(where.error());
        for (size_t i = 0; i < value->size(); ++i)
            if (!(std::abs((*where)[i]) > 0)) (*value)[i] = std::nanf("");  // NaN: nobody can tell
    }
    const evidence::AxisLookup xAxis(o.xBreaks);
    const evidence::AxisLookup yAxis(o.yBreaks);
    const auto stats = evidence::cellStatistics(xAxis, yAxis, *x, *y, *value);
    const size_t columns = std::max<size_t>(1, o.xBreaks.size());
    json list = json::array();
    for (size_t i = 0; i < stats.size(); ++i) {
        const auto& s = stats[i];
        json cell{{"column", i % columns}, {"row", i / columns}, {"count", s.count}};
        if (s.count) {
            cell.update({{"mean", s.mean}, {"spread", s.spread}, {"min", s.least}, {"max", s.most}, {"last", s.last}});
            c.outcome.text += "row " + std::to_string(i / columns) + " column " + std::to_string(i % columns) + ": " +
                              std::to_string(s.count) + " samples, mean " + formatNumber(s.mean, 4) + ", spread " +
                              formatNumber(s.spread, 4) + "\n";
        }
        list.push_back(cell);
    }
    c.outcome.json = {{"x", o.xBreaks}, {"y", o.yBreaks}, {"cells", list}};
    if (o.fit) {
        const auto fit = evidence::fitCells(xAxis, yAxis, {*x, *y, *value, clock.time_s, {}, {}});
        c.outcome.json["fit"] = {{"factor", fit.factor},  {"doubt", fit.doubt},       {"resolution", fit.resolution},
                                 {"visits", fit.visits},  {"evidence", fit.evidence}, {"within", fit.within},
                                 {"between", fit.between}};
        for (size_t i = 0; i < fit.factor.size(); ++i)
            c.outcome.text += "node row " + std::to_string(i / columns) + " column " + std::to_string(i % columns) +
                              ": " + formatNumber(fit.factor[i], 4) + " +- " + formatNumber(fit.doubt[i], 4) + "\n";
    }
    return {};
}

}  // namespace

void addCellsCommand(Command app, Context& c) {
    auto o = std::make_shared<Options>();
    auto sub = app.command("cells", "a recording's samples in the cells of a map");
    sub.option("RECORDING", o->file).required();
    sub.option("--x", o->x, "channel across").required();
    sub.option("--x-breaks", o->xBreaks).required().commas();
    auto y = sub.option("--y", o->y, "channel down");
    sub.option("--y-breaks", o->yBreaks).commas().needs(y);
    sub.option("--value", o->value, "expression of channels").required();
    sub.option("--where", o->where, "only samples where this is not 0");
    sub.flag("--fit", o->fit, "node factors and their certainty");
    sub.run([o, &c] {
        if (auto done = cells(c, *o); !done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
