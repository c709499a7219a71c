// Rows from the top: the first that holds is the step.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/NextStep.h"

#include <algorithm>

#include "core/base/Say.h"
#include "core/job/Keeping.h"

namespace brusk::job {

namespace {

const carfolder::Round* byId(const Situation& s, std::optional<int64_t> id) {
    const auto at = std::find_if(s.rounds.begin(), s.rounds.end(), [&](const auto& round) { return round.id == id; });
    return at == s.rounds.end() ? nullptr : &*at;
}

std::string named(const carfolder::Round& round) {
    return say("next.round", "round {0}", {std::to_string(round.number)});
}

/// A step that needs the car: without a link that comes first.
NextStep overTheLink(const Situation& s, NextStep step) {
    if (s.connected) return step;
    const std::string what = step.sentence;
    return {Step::Connect, "Car", say("next.connect", "Connect to the car"),
            say("next.to-go-on", "To go on: {0}.", {what}), step.round};
}

}  // namespace

const std::vector<Step>& steps() {
    static const std::vector<Step> all = {Step::OpenFolder, Step::Connect,     Step::Read,      Step::FillSheet,
                                          Step::MakeBase,   Step::FinishFlash, Step::Flash,     Step::Drive,
                                          Step::Correct,    Step::AwaitDrives, Step::SendDrives};
    return all;
}

std::string_view stepId(Step step) {
    static constexpr std::string_view ids[] = {"open-folder", "connect",      "read",       "fill-sheet",
                                               "make-base",   "finish-flash", "flash",      "drive",
                                               "correct",     "await-drives", "send-drives"};
    return ids[static_cast<size_t>(step)];
}

Result<Situation> situationOf(const carfolder::CarFolder& folder, const Kit* kit, bool connected) {
    Situation out;
    out.folderIsOpen = true;
    out.connected = connected;
    auto rounds = folder.rounds().all();
    if (!rounds) return tl::unexpected(rounds.error());
    out.rounds = std::move(*rounds);
    if (kit) {
        auto contents = folder.memory().contents(kit->profile.sectors());
        if (!contents) return tl::unexpected(contents.error());
        out.contents = std::move(*contents);
    }
    const auto sheet = folder.settings().sheet();
    if (!sheet) return tl::unexpected(sheet.error());
    const auto facts = sheet->facts.empty() ? proposals::BuildSheet{} : buildSheetFromJson(sheet->facts);
    out.sheetIsEmpty = facts && *facts == proposals::BuildSheet{};
    return out;
}

NextStep nextStep(const Situation& s) {
    if (!s.folderIsOpen)
        return {Step::OpenFolder,
                "",
                say("next.open-folder", "Open a car folder"),
                say("next.open-folder-why", "Everything about one car lies in its folder."),
                {}};
    if (s.rounds.empty())
        return overTheLink(s, {Step::Read,
                               "Car",
                               say("next.read", "Read the controller"),
                               say("next.read-why", "The original is kept before anything is changed."),
                               {}});
    if (s.contents.unfinished)
        if (const auto* round = byId(s, s.contents.unfinished->round))
            return overTheLink(
                s, {Step::FinishFlash, "Flash", say("next.finish-flash", "Finish flashing {0}", {named(*round)}),
                    say("next.finish-flash-why", "Its flash did not come to its end; until then the car may not run."),
                    round->id});
    const auto& newest = s.rounds.front();
    if (s.rounds.size() == 1 && s.sheetIsEmpty)
        return {Step::FillSheet, "Car", say("next.fill-sheet", "Say what is fitted"),
                say("next.fill-sheet-why", "The build sheet is empty; the base is made for the parts it names."),
                newest.id};
    if (s.rounds.size() == 1)
        return {Step::MakeBase, "Base", say("next.make-base", "Make the base"),
                say("next.make-base-why", "A calibration for the parts fitted, before the first drive."), newest.id};
    if (newest.state == carfolder::RoundState::GivenOut && s.contents.round != newest.id && newest.recordings == 0)
        return {Step::AwaitDrives, "Deliver", say("next.await", "Open what comes back"),
                say("next.await-why", "{0} was given out; its drives come as a parcel.", {named(newest)}), newest.id};
    if (s.contents.round != newest.id && newest.state != carfolder::RoundState::GivenOut)
        return overTheLink(
            s, {Step::Flash, "Flash", say("next.flash", "Flash {0}", {named(newest)}),
                newest.title.empty() ? say("next.flash-why", "It is not in the car yet.")
                                     : say("next.flash-why-named", "{0} is not in the car yet.", {newest.title}),
                newest.id});
    if (newest.recordings == 0)
        return overTheLink(s, {Step::Drive, "Drive", say("next.drive", "Drive on {0}", {named(newest)}),
                               say("next.drive-why", "It is in the car and nobody drove on it yet."), newest.id});
    if (newest.sealed)
        return {Step::SendDrives, "Deliver", say("next.send", "Send the drives"),
                say("next.send-why", "{0} came sealed; who made it looks at what was driven.", {named(newest)}),
                newest.id};
    return {Step::Correct, "Correct", say("next.correct", "Look at the drives"),
            say("next.correct-why", "What the drives on {0} say may be worth another round.", {named(newest)}),
            newest.id};
}

}  // namespace brusk::job
