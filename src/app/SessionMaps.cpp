// Session: what the work on maps shares. References and donors, recordings behind the cells, the definition, units.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QSettings>

#include "app/Session.h"
#include "app/SessionBackground.h"

namespace brusk::app {

std::shared_ptr<const calibration::Calibration> Session::calibrationOfRound(int64_t id) const {
    const auto* round = roundById(id);
    if (!round || !kit_) return nullptr;
    auto& [sha, kept] = seen_[id];
    // A draft changes; the image it was seen with tells.
    if (!kept || sha != round->imageSha256) {
        auto calibration = job::calibrationOf(*kit_, *folder_, id);
        if (!calibration) return nullptr;
        kept = std::make_shared<const calibration::Calibration>(std::move(*calibration));
        sha = round->imageSha256;
    }
    return kept;
}

std::vector<Session::ReferenceChoice> Session::referenceChoices() const {
    std::vector<ReferenceChoice> out;
    const auto* round = selected();
    if (!round) return out;
    const auto* parent = round->parent ? roundById(*round->parent) : nullptr;
    if (parent && parent->number > 0) out.push_back({"parent", QString("round %1, before").arg(parent->number)});
    for (const auto& other : rounds_)
        if (other.number == 0 && other.id != selected_)
            out.push_back({parent && parent->number == 0 ? "parent" : "original", "original"});
    for (size_t i = 0; i < donors_.size(); ++i)
        out.push_back({QString("donor:%1").arg(i), donors_[i].name});
    for (const auto& other : rounds_)
        if (other.id != selected_ && other.number > 0 && (!parent || other.id != parent->id))
            out.push_back({QString("round:%1").arg(other.id), QString("round %1").arg(other.number)});
    return out;
}

std::shared_ptr<const calibration::Calibration> Session::referenceNamed(const QString& key) const {
    const auto* round = selected();
    if (!round) return nullptr;
    if (key == "parent") return round->parent ? calibrationOfRound(*round->parent) : nullptr;
    if (key.startsWith("round:")) return calibrationOfRound(key.mid(6).toLongLong());
    if (key.startsWith("donor:")) {
        const auto i = static_cast<size_t>(key.mid(6).toInt());
        return i < donors_.size() ? donors_[i].calibration : nullptr;
    }
    for (const auto& other : rounds_)
        if (other.number == 0 && other.id != selected_) return calibrationOfRound(other.id);
    return nullptr;
}

void Session::loadReference() {
    reference_ = referenceNamed(referenceKey_);
    if (!reference_ && referenceKey_ != "parent") {
        referenceKey_ = "parent";
        reference_ = referenceNamed(referenceKey_);
    }
    referenceName_.clear();
    for (const ReferenceChoice& choice : referenceChoices())
        if (choice.key == referenceKey_) referenceName_ = choice.name;
}

void Session::setReference(const QString& key) {
    referenceKey_ = key;
    loadReference();
    emit referenceChanged();
}

Done Session::addDonor(const storage::Path& image, const storage::Path& definitionFile) {
    auto donor = job::readDonor(files_, image, definitionFile, kit_ ? kit_->definition : nullptr);
    if (!donor) return tl::unexpected(donor.error());
    donors_.push_back({QString::fromStdString(image.filename().string()),
                       std::make_shared<const calibration::Calibration>(std::move(*donor))});
    setReference(QString("donor:%1").arg(donors_.size() - 1));
    return {};
}

const calibration::SharedBytes* Session::sharedBytes() const {
    return shared_.get();
}

void Session::loadSharedBytes() {
    shared_.reset();
    if (!calibration_) return;
    constexpr size_t kBuiltAtOnce = 3000;  // parameters
    if (calibration_->definition().parameters.size() < kBuiltAtOnce) {
        shared_ = std::make_shared<const calibration::SharedBytes>(*calibration_);
        return;
    }
    inBackground<std::shared_ptr<const calibration::SharedBytes>>(
        [calibration = *calibration_] { return std::make_shared<const calibration::SharedBytes>(calibration); },
        [this, of = calibration_->sharedDefinition()](std::shared_ptr<const calibration::SharedBytes> made) {
            if (calibration_ && calibration_->sharedDefinition() == of) shared_ = std::move(made);
        });
}

void Session::loadRecordings() {
    if (!folder_ || !selected() || recordings_) return;
    recordings_ = std::make_shared<const Recordings>();
    const int64_t round = selected_;
    inBackground<Result<Recordings>>([folder = folder_, round] { return job::recordingsFor(*folder, round); },
                                     [this, round](Result<Recordings> found) {
                                         if (round != selected_) return;
                                         if (!found) return failed(found.error());
                                         recordings_ = std::make_shared<const Recordings>(std::move(*found));
                                         if (!recordings_->empty()) emit recordingsChanged();
                                     });
}

void Session::useOwnDefinition() {
    if (!kit_ || !folder_) return;
    auto own = job::withOwnDefinition(kit_, *folder_);
    if (!own) return failed(own.error());
    kit_ = *own;
}

Done Session::changeDefinition(const std::string& text) {
    if (!kit_ || !folder_) return fail(ErrorCode::NotFound, "No car with a known controller is open.");
    if (flashing()) return fail(ErrorCode::Conflict, "The calibration is being flashed; edit the definition after it.");
    saveDraftNow();
    auto own = job::keepOwnDefinition(kit_, *folder_, text);
    if (!own) return tl::unexpected(own.error());
    kit_ = *own;
    seen_.clear();
    loadCalibration();
    emit definitionChanged();
    emit calibrationChanged();
    return {};
}

void Session::takeFuel() {
    const double ratio = units::stoichiometricRatio(buildSheet().ethanol_pct.value_or(0) / 100);
    if (units_.stoichiometric == ratio) return;
    units_.stoichiometric = ratio;
    emit unitsChanged();
}

void Session::setUnitPreferences(const units::Preferences& preferences) {
    if (preferences.wanted == units_.wanted) return;
    units_.wanted = preferences.wanted;
    QSettings("Brusk", "Brusk").setValue("units", QString::fromStdString(units_.text()));
    emit unitsChanged();
}

}  // namespace brusk::app
