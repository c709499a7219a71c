// Whole maps from one calibration into another, each with what fits and what does not.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Transfer.h"

#include "core/base/Text.h"
#include "core/calibration/Compare.h"
#include "core/units/Units.h"

namespace brusk::calibration {

using definition::Parameter;
using Outcome = TransferLine::Outcome;

namespace {

void remark(TransferLine& line, const std::string& sentence) {
    line.remark += (line.remark.empty() ? "" : " ") + sentence;
}

/// Gives an axis of ours the donor's breakpoints. Where that can't be, ours stay, and it is said.
Done takeAxis(Calibration& work, const Parameter& p, size_t axis, const AxisValues& ours, const AxisValues& theirs,
              TransferLine& line) {
    if (ours.values == theirs.values && ours.unit == theirs.unit) return {};
    std::vector<double> wanted = theirs.values;
    for (double& v : wanted)
        if (theirs.unit != ours.unit) {
            const auto converted = units::convert(v, theirs.unit, ours.unit);
            if (!converted) return {};  // fitted() says it
            v = *converted;
        }
    if (wanted.size() != ours.values.size()) {
        remark(line, "The donor has " + std::to_string(wanted.size()) + " breakpoints of " + ours.label + ", we have " +
                         std::to_string(ours.values.size()) + "; ours are kept and the numbers resampled.");
        return {};
    }
    const auto moved = respace(work, p, axis, wanted, Keep::Surface, Outside::Clamp);
    if (!moved) {
        remark(line, "Our breakpoints of " + ours.label + " are kept: " + moved.error().message);
        return {};
    }
    if (moved->followers.size() > 1)
        remark(line, "The axis " + moved->shared + " moved for " + std::to_string(moved->followers.size() - 1) +
                         " other parameters; their surfaces were kept.");
    return work.apply(moved->edit);
}

Done takeText(Calibration& work, const Parameter& p, const Table& theirs, TransferLine& line) {
    const auto edit = work.prepareText(p, theirs.text, {});
    if (!edit) return tl::unexpected(edit.error());
    line.cells = edit->empty() ? 0 : 1;
    line.outcome = edit->empty() ? Outcome::Same : Outcome::Copied;
    return work.apply(*edit);
}

Done takeNumbers(Calibration& work, const Parameter& p, const Table& ours, const Table& theirs,
                 const TransferOptions& options, TransferLine& line) {
    const auto numbers = fitted(ours, theirs, options.outside);
    if (!numbers) return tl::unexpected(numbers.error());
    std::vector<CellValue> cells;
    for (size_t i = 0; i < numbers->size(); ++i)
        cells.push_back({i, ours.values[i] + options.strength * ((*numbers)[i] - ours.values[i])});
    const auto edit = work.prepare(p, cells, AtLimit::Clamp, {});
    if (!edit) return tl::unexpected(edit.error());
    if (auto done = work.apply(*edit); !done) return done;
    const auto after = work.read(p);
    if (!after) return tl::unexpected(after.error());
    for (size_t i = 0; i < after->raw.size(); ++i)
        line.cells += after->raw[i] != ours.raw[i];
    line.clamped = edit->clamped;
    const bool same = ours.x.values == theirs.x.values && ours.y.values == theirs.y.values;
    line.outcome = line.cells == 0 ? Outcome::Same : same ? Outcome::Copied : Outcome::Resampled;
    line.error = surfaceError(*after, theirs);
    if (ours.unit != theirs.unit && !theirs.unit.empty())
        remark(line, "Converted from " + theirs.unit + " to " + ours.unit + ".");
    if (line.clamped) remark(line, std::to_string(line.clamped) + " cells were held at a limit.");
    return {};
}

/// The words of a switch as the number they stand for.
Done wordsToNumber(const Calibration& work, const Parameter& p, Table& theirs) {
    if (!theirs.values.empty() || theirs.text.empty()) return {};
    for (const auto& text : work.definition().conversionOf(p).texts)
        if (text.text == theirs.text) {
            theirs.values = theirs.raw = {text.low};
            return {};
        }
    return fail(ErrorCode::Mismatch, "\"" + theirs.text + "\" is none of the words of " + p.name + ".");
}

Done takeTable(Calibration& work, const Parameter& p, Table theirs, const TransferOptions& options,
               TransferLine& line) {
    auto ours = work.read(p);
    if (!ours) return tl::unexpected(ours.error());
    const bool theirsIsText = theirs.parameter->kind == Parameter::Kind::Text;
    if (p.kind == Parameter::Kind::Text) {
        if (!theirsIsText) return fail(ErrorCode::Mismatch, p.name + " is a text here and numbers there.");
        return takeText(work, p, theirs, line);
    }
    if (auto done = wordsToNumber(work, p, theirs); !done) return done;
    if (theirsIsText && theirs.values.empty())
        return fail(ErrorCode::Mismatch, p.name + " is a number here and a text there.");
    if (p.kind == Parameter::Kind::Cuboid || theirs.parameter->kind == Parameter::Kind::Cuboid)
        return fail(ErrorCode::BadInput, p.name + " has more than two axes; take it over slice by slice.");
    if (options.axes) {
        const AxisValues* pairs[][2] = {{&ours->x, &theirs.x}, {&ours->y, &theirs.y}};
        for (size_t axis = 0; axis < p.axes.size(); ++axis)
            if (!pairs[axis][1]->values.empty())
                if (auto done = takeAxis(work, p, axis, *pairs[axis][0], *pairs[axis][1], line); !done) return done;
        ours = work.read(p);
        if (!ours) return tl::unexpected(ours.error());
    }
    return takeNumbers(work, p, *ours, theirs, options, line);
}

void notPossible(TransferLine& line, const Error& why) {
    line.outcome = Outcome::NotPossible;
    line.cells = 0;
    line.remark = why.text();
}

/// Takes one parameter over on a copy, so that what fails halfway leaves nothing behind.
template <class Take>
TransferLine attempt(Calibration& work, const std::string& name, Take take) {
    TransferLine line;
    line.name = name;
    const Parameter* p = work.definition().parameter(name);
    Calibration copy = work;
    const Done done =
        p ? take(copy, *p, line) : Done(fail(ErrorCode::NotFound, "Our definition has no parameter " + name + "."));
    if (done) {
        const bool changed = !(copy.image() == work.image());
        if (changed && line.outcome == Outcome::Same) line.outcome = Outcome::Copied;  // an axis moved, no number
        if (changed) work = std::move(copy);
    } else {
        notPossible(line, done.error());
    }
    return line;
}

void finish(Transfer& out, const Calibration& before, const Calibration& after, const std::string& editName) {
    out.edit = editBetween(before.image(), after.image(), editName);
    for (const TransferLine& line : out.lines)
        out.edit.clamped += line.clamped;
}

}  // namespace

TransferLine takeOver(Calibration& work, const Parameter& parameter, const Table& theirs) {
    TransferLine line;
    line.name = parameter.name;
    // Without axes there is one change, and it comes last.
    if (const auto done = takeTable(work, parameter, theirs, {}, line); !done) notPossible(line, done.error());
    return line;
}

Transfer transfer(const Calibration& to, const Calibration& donor, const std::vector<std::string>& names,
                  const TransferOptions& options, const std::string& editName) {
    Transfer out;
    Calibration work = to;
    for (const std::string& name : names)
        out.lines.push_back(attempt(work, name, [&](Calibration& copy, const Parameter& p, TransferLine& line) -> Done {
            const Parameter* other = counterpart(donor.definition(), p);
            if (!other) return fail(ErrorCode::NotFound, "The donor has no parameter " + p.name + ".");
            auto theirs = donor.read(*other);
            if (!theirs) return tl::unexpected(theirs.error());
            return takeTable(copy, p, std::move(*theirs), options, line);
        }));
    finish(out, to, work, editName);
    return out;
}

Transfer transferTables(const Calibration& to, const std::vector<Table>& donor, const TransferOptions& options,
                        const std::string& editName) {
    Transfer out;
    Calibration work = to;
    for (const Table& theirs : donor)
        out.lines.push_back(
            attempt(work, theirs.parameter->name, [&](Calibration& copy, const Parameter& p, TransferLine& line) {
                return takeTable(copy, p, theirs, options, line);
            }));
    finish(out, to, work, editName);
    return out;
}

Transfer fillAlike(const Calibration& calibration, const Table& like, const std::vector<std::string>& names,
                   const TransferOptions& options, const std::string& editName) {
    Transfer out;
    Calibration work = calibration;
    for (const std::string& name : names)
        out.lines.push_back(attempt(work, name, [&](Calibration& copy, const Parameter& p, TransferLine& line) {
            return takeTable(copy, p, like, options, line);
        }));
    finish(out, calibration, work, editName);
    return out;
}

Transfer operateOnAll(const Calibration& calibration, const CellOperation& operation,
                      const std::vector<std::string>& names, const std::string& editName) {
    Transfer out;
    Calibration work = calibration;
    for (const std::string& name : names)
        out.lines.push_back(attempt(work, name, [&](Calibration& copy, const Parameter& p, TransferLine& line) -> Done {
            const auto table = copy.read(p);
            if (!table) return tl::unexpected(table.error());
            if (table->values.empty()) return fail(ErrorCode::BadInput, p.name + " is a text.");
            std::vector<size_t> all(table->values.size());
            for (size_t i = 0; i < all.size(); ++i)
                all[i] = i;
            const auto edit = copy.prepare(p, operate(*table, all, operation), AtLimit::Clamp, {});
            if (!edit) return tl::unexpected(edit.error());
            line.clamped = edit->clamped;
            line.cells = edit->changes.size();
            line.outcome = line.cells ? Outcome::Copied : Outcome::Same;
            return copy.apply(*edit);
        }));
    finish(out, calibration, work, editName);
    return out;
}

}  // namespace brusk::calibration
