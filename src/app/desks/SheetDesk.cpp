// A sheet that can't be read is not shown, and nothing is kept over it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/SheetDesk.h"

#include "app/desks/Messages.h"
#include "core/job/Keeping.h"
#include "core/units/Units.h"

namespace brusk::app {

SheetDesk::SheetDesk(storage::FileSystem& files, storage::Path dataFolder, const CarInHand& car, Messages& messages)
    : files_(files), dataFolder_(std::move(dataFolder)), car_(car), messages_(messages) {}

bool SheetDesk::isEmpty() const {
    return problem_ && sheet_ == proposals::BuildSheet{};
}

double SheetDesk::stoichiometric() const {
    return units::stoichiometricRatio(sheet_.of(proposals::Fact::Ethanol).value_or(0) / 100);
}

void SheetDesk::load() {
    sheet_ = {};
    problem_ = {};
    const auto kept = car_.folder->settings().sheet();
    if (kept && kept->version == 0) return emit fuelChanged();
    auto sheet = kept ? job::buildSheetFromJson(kept->facts) : tl::unexpected(kept.error());
    if (sheet) {
        sheet_ = std::move(*sheet);
        return emit fuelChanged();
    }
    problem_ =
        fail(sheet.error().code,
             "The build sheet can't be read, so it is not shown and nothing is kept over it: " + sheet.error().text());
    messages_.failed(problem_.error());
    emit fuelChanged();
}

void SheetDesk::setSheet(const proposals::BuildSheet& sheet) {
    if (!car_.folder) return;
    if (!problem_) return messages_.failed(problem_.error());
    // What can't be kept is not computed from either; the form shows again what is kept.
    if (auto kept = car_.folder->settings().keepSheet(job::toJson(sheet)); kept)
        sheet_ = sheet;
    else
        messages_.failed(kept.error());
    emit fuelChanged();
    emit sheetChanged();
}

void SheetDesk::offer(const storage::Path& file) {
    if (!car_.folder || !car_.folder->mayWrite()) return;
    if (messages_.orSay(car_.folder->settings().sheet()).version > 0) return;
    const auto text = files_.read(file, storage::FileSystem::kReadLimit);
    if (!text) return messages_.failed(text.error());
    const auto sheet = job::buildSheetFromJson(std::string(asText(*text)));
    if (!sheet) return messages_.failed(sheet.error());
    setSheet(*sheet);
}

void SheetDesk::setOwnParts(const storage::Path& file) {
    ownParts_ = file;
    loadParts();
}

void SheetDesk::loadParts() {
    parts_.clear();
    for (const bool own : {true, false}) {
        auto read = job::loadParts(files_, own ? ownParts_ : dataFolder_ / "parts.json");
        if (!read) {
            messages_.failed(read.error());
            continue;
        }
        for (auto& part : *read) {
            part.own = own;
            parts_.push_back(std::move(part));
        }
    }
    emit partsChanged();
}

void SheetDesk::keepPart(const proposals::Part& part) {
    if (auto done = job::keepPart(files_, ownParts_, part); !done) return messages_.failed(done.error());
    loadParts();
    messages_.say(tr("%1 is a part of your own now, for every car.").arg(QString::fromStdString(part.name)));
}

void SheetDesk::forgetPart(const proposals::Part& part) {
    if (auto done = job::forgetPart(files_, ownParts_, part); !done) return messages_.failed(done.error());
    loadParts();
}

}  // namespace brusk::app
