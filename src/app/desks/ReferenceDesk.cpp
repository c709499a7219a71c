// Other rounds are read once each and told apart by the SHA-256 of their image.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/ReferenceDesk.h"

#include <algorithm>

#include "app/desks/Background.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "core/job/Correct.h"

namespace brusk::app {

ReferenceDesk::ReferenceDesk(const CarInHand& car, Places& places, Background& background, Messages& messages)
    : car_(car), places_(places), background_(background), messages_(messages) {
    connect(&places_, &Places::roundShown, this, &ReferenceDesk::look);
}

ReferenceDesk::Seen ReferenceDesk::ofRound(int64_t id) const {
    const auto* round = car_.round(id);
    if (!round || !car_.kit) return nullptr;
    auto& [sha, kept] = seen_[id];
    // A draft changes; the image it was seen with tells.
    if (!kept || sha != round->imageSha256) {
        auto calibration = job::calibrationOf(*car_.kit, *car_.folder, id);
        if (!calibration) return nullptr;
        kept = std::make_shared<const calibration::Calibration>(std::move(*calibration));
        sha = round->imageSha256;
    }
    return kept;
}

std::vector<ReferenceDesk::Choice> ReferenceDesk::choices() const {
    std::vector<Choice> out;
    const auto* round = car_.round(places_.round());
    if (!round) return out;
    const auto* parent = round->parent ? car_.round(*round->parent) : nullptr;
    if (parent && parent->number > 0) out.push_back({"parent", tr("round %1, before").arg(parent->number)});
    for (const auto& other : car_.rounds)
        if (other.number == 0 && other.id != round->id)
            out.push_back({parent && parent->number == 0 ? "parent" : "original", "original"});
    for (size_t i = 0; i < donors_.size(); ++i)
        out.push_back({QString("donor:%1").arg(i), QString::fromStdString(donors_[i]->name)});
    for (const auto& other : car_.rounds)
        if (other.id != round->id && other.number > 0 && (!parent || other.id != parent->id))
            out.push_back({QString("round:%1").arg(other.id), QString("round %1").arg(other.number)});
    return out;
}

ReferenceDesk::Seen ReferenceDesk::named(const QString& key) const {
    const auto* round = car_.round(places_.round());
    if (!round) return nullptr;
    if (key == "parent") return round->parent ? ofRound(*round->parent) : nullptr;
    if (key.startsWith("round:")) return ofRound(key.mid(6).toLongLong());
    if (key.startsWith("donor:")) {
        const auto i = static_cast<size_t>(key.mid(6).toInt());
        return i < donors_.size() ? Seen(donors_[i], &donors_[i]->calibration) : nullptr;
    }
    for (const auto& other : car_.rounds)
        if (other.number == 0 && other.id != round->id) return ofRound(other.id);
    return nullptr;
}

void ReferenceDesk::look() {
    reference_ = named(key_);
    if (!reference_ && key_ != "parent") {
        key_ = "parent";
        reference_ = named(key_);
    }
    name_.clear();
    for (const Choice& choice : choices())
        if (choice.key == key_) name_ = choice.name;
}

void ReferenceDesk::choose(const QString& key) {
    key_ = key;
    look();
    emit changed();
}

void ReferenceDesk::reload() {
    seen_.clear();
    loadDonors();
    look();
}

Done ReferenceDesk::addDonor(const storage::Path& image, const storage::Path& definitionFile) {
    if (!car_.kit || !car_.folder)
        return fail(ErrorCode::NotFound, "Read the controller first: a donor is held beside this car's calibration.");
    auto donor = job::addDonor(*car_.kit, *car_.folder, image, definitionFile);
    if (!donor) return tl::unexpected(donor.error());
    donors_.push_back(std::move(*donor));
    if (const auto& remark = donors_.back()->remark; !remark.empty()) messages_.say(QString::fromStdString(remark));
    choose(QString("donor:%1").arg(donors_.size() - 1));
    emit donorsChanged();
    return {};
}

void ReferenceDesk::loadDonors() {
    donors_.clear();
    if (!car_.kit || !car_.folder) return;
    struct Read {
        std::vector<job::DonorPtr> donors;
        std::vector<Error> problems;
    };
    background_.latest(
        this,
        [kit = car_.kit, folder = car_.folder] {
            Read out;
            out.donors = job::donorsOf(*kit, *folder, out.problems);
            return out;
        },
        [this, of = car_.folder, with = car_.kit](Read read) {
            if (car_.folder != of || car_.kit != with) return;
            donors_ = std::move(read.donors);
            for (const Error& problem : read.problems)
                messages_.failed(problem);
            look();
            emit changed();
            emit donorsChanged();
        });
}

void ReferenceDesk::setDonorSheet(const job::DonorPtr& donor, const proposals::BuildSheet& sheet) {
    if (!car_.folder || !donor || donor->sheet == sheet) return;
    auto changedDonor = job::setDonorSheet(*car_.folder, donor, sheet);
    if (!changedDonor) return messages_.failed(changedDonor.error());
    std::replace(donors_.begin(), donors_.end(), donor, *changedDonor);
    emit donorsChanged();
}

}  // namespace brusk::app
