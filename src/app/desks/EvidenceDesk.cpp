// Drives by the round they were driven on, and which round stands on whose; a late answer of an older asking is
// dropped.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/EvidenceDesk.h"

#include "app/desks/Background.h"
#include "app/desks/Messages.h"
#include "core/job/Correct.h"
#include "core/job/LookForFaults.h"

namespace brusk::app {

EvidenceDesk::EvidenceDesk(const CarInHand& car, Background& background, Messages& messages)
    : car_(car), background_(background), messages_(messages) {}

EvidenceDesk::DrivesPtr EvidenceDesk::of(int64_t round) const {
    const auto found = driven_.find(round);
    return found != driven_.end() && found->second.on == round ? behind(round) : nullptr;
}

EvidenceDesk::DrivesPtr EvidenceDesk::behind(int64_t round) const {
    const auto found = driven_.find(round);
    if (found == driven_.end() || !found->second.on) return nullptr;
    const auto drives = drives_.find(*found->second.on);
    return drives == drives_.end() ? nullptr : drives->second;
}

void EvidenceDesk::load(int64_t round) {
    if (!car_.folder || !car_.kit || !car_.round(round)) return;
    // A recording may have come from outside.
    const size_t there = recordings(round).size();
    const auto asked = loading_.find(round);
    if (asked != loading_.end() && asked->second.recordings == there) return;
    const auto known = driven_.find(round);
    if (known == driven_.end() || known->second.recordings != there) load(round, false);
}

void EvidenceDesk::load(int64_t round, bool measure) {
    const Asked mine = loading_[round] = {++asked_, recordings(round).size()};
    struct Loaded {
        job::DrivenLine line;
        Done measured;
    };
    background_.each(
        this,
        [folder = car_.folder, kit = car_.kit, round, measure]() -> Result<Loaded> {
            auto line = job::drivesOfLine(*kit, *folder, round);
            if (!line) return tl::unexpected(line.error());
            // What everybody asks for is ready when they see it.
            (void)line->drives->mixture();
            Loaded out{std::move(*line), {}};
            if (measure && out.line.round == round)
                if (const auto error = job::measureFuelError(*kit, *folder, round, *out.line.drives); !error)
                    out.measured = tl::unexpected(error.error());
            return out;
        },
        [this, round, mine, measure, from = car_.folder](Result<Loaded> loaded) {
            const auto newest = loading_.find(round);
            if (car_.folder != from || newest == loading_.end() || newest->second.number != mine.number) return;
            loading_.erase(newest);
            if (!loaded) {
                // Of a sealed round nothing is computed, and that is no news.
                if (!loaded.error().refused) messages_.failed(loaded.error());
                return emit couldNotLoad();
            }
            if (!loaded->measured) messages_.failed(loaded->measured.error());
            for (const std::string& sentence : loaded->line.leftOut)
                messages_.say(QString::fromStdString(sentence), true);
            driven_[round] = {loaded->line.round, mine.recordings};
            if (const auto on = loaded->line.round)
                if (auto& kept = drives_[*on]; !kept || *on == round) kept = loaded->line.drives;
            emit changed();
            if (measure) emit measured();
        });
}

std::vector<carfolder::RecordingEntry> EvidenceDesk::recordings(int64_t round) const {
    return car_.folder ? messages_.orSay(car_.folder->recordings().of(round))
                       : std::vector<carfolder::RecordingEntry>();
}

std::vector<std::string> EvidenceDesk::putBackOn(int64_t round) const {
    return car_.folder ? messages_.orSay(job::putBackOn(*car_.folder, round)) : std::vector<std::string>();
}

void EvidenceDesk::putBack(int64_t round, const std::string& check, bool back) {
    if (!car_.folder) return;
    if (const auto done = job::putBack(*car_.folder, round, check, back); !done) return messages_.failed(done.error());
    driveAdded(round);
}

int EvidenceDesk::openFindings(int64_t round) const {
    const auto drives = of(round);
    if (!drives || !drives->findings()) return 0;
    const auto& found = drives->findings()->found;
    return static_cast<int>(std::count_if(
        found.begin(), found.end(), [](const auto& one) { return one.seriousness >= evidence::Seriousness::Warn; }));
}

void EvidenceDesk::driveAdded(int64_t round) {
    // Who stood on an ancestor's drives may stand on this one now.
    drives_.erase(round);
    driven_.clear(), loading_.clear();
    load(round, true);
}

void EvidenceDesk::forget() {
    drives_.clear(), driven_.clear(), loading_.clear();
}

}  // namespace brusk::app
