// Session: what the work on maps shares. References and donors, recordings behind the cells, the definition, units.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QSettings>
#include <algorithm>
#include <cmath>

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
        out.push_back({QString("donor:%1").arg(i), QString::fromStdString(donors_[i]->name)});
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
        return i < donors_.size()
                   ? std::shared_ptr<const calibration::Calibration>(donors_[i], &donors_[i]->calibration)
                   : nullptr;
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
    if (!kit_ || !folder_)
        return fail(ErrorCode::NotFound, "Read the controller first: a donor is held beside this car's calibration.");
    auto donor = job::addDonor(*kit_, *folder_, image, definitionFile);
    if (!donor) return tl::unexpected(donor.error());
    donors_.push_back(std::move(*donor));
    if (const auto& remark = donors_.back()->remark; !remark.empty()) say(QString::fromStdString(remark));
    setReference(QString("donor:%1").arg(donors_.size() - 1));
    emit donorsChanged();
    return {};
}

void Session::loadDonors() {
    donors_.clear();
    if (!kit_ || !folder_) return;
    struct Read {
        std::vector<job::DonorPtr> donors;
        std::vector<Error> problems;
    };
    inBackground<Read>(
        [kit = kit_, folder = folder_] {
            Read out;
            out.donors = job::donorsOf(*kit, *folder, out.problems);
            return out;
        },
        [this, of = folder_, with = kit_](Read read) {
            if (folder_ != of || kit_ != with) return;
            donors_ = std::move(read.donors);
            for (const Error& problem : read.problems)
                failed(problem);
            loadReference();
            emit referenceChanged();
            emit donorsChanged();
        });
}

void Session::setDonorSheet(const job::DonorPtr& donor, const proposals::BuildSheet& sheet) {
    if (!folder_ || !donor || donor->sheet == sheet) return;
    auto changed = job::setDonorSheet(*folder_, donor, sheet);
    if (!changed) return failed(changed.error());
    std::replace(donors_.begin(), donors_.end(), donor, *changed);
    emit donorsChanged();
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
    if (!folder_ || !selected() || driven_) return;
    if (!kit_) return;
    driven_ = std::make_shared<const evidence::Drives>(evidence::Drives::Recordings());
    const int64_t round = selected_;
    inBackground<Result<job::DrivesPtr>>(
        [folder = folder_, kit = kit_, round] { return job::drivesOfLine(*kit, *folder, round); },
        [this, round, of = folder_](Result<job::DrivesPtr> found) {
            if (round != selected_ || folder_ != of) return;
            if (!found) return failed(found.error());
            driven_ = std::move(*found);
            for (const std::string& sentence : driven_->leftOut())
                say(QString::fromStdString(sentence), true);
            if (!driven_->empty()) emit recordingsChanged();
        });
}

void Session::setHardwareLimits(bool allow) {
    if (hardwareLimits_ == allow) return;
    hardwareLimits_ = allow;
    if (!calibration_) return;
    calibration_->allowHardwareLimits(allow);
    emit calibrationChanged();
}

// --- playback

void Session::lookAt(std::shared_ptr<const recording::Recording> recording, const QString& title) {
    playTimer_.stop();
    playback_ = {std::move(recording), title, 0, playback_.rate, false};
    emit playbackChanged();
    emit momentChanged();
}

void Session::setMoment(double time_s) {
    if (!playback_.recording) return;
    const double end = playback_.recording->duration_s();
    playback_.time_s = std::clamp(time_s, 0.0, end);
    emit momentChanged();
    if (playback_.playing && time_s >= end) play(false);
}

void Session::play(bool on) {
    on = on && playback_.recording && !driving();
    if (on == playback_.playing) return;
    // Once at the end, it begins again.
    if (on && playback_.time_s >= playback_.recording->duration_s()) playback_.time_s = 0;
    playback_.playing = on;
    if (on) {
        playedFor_.start();
        playTimer_.start();
    } else {
        playTimer_.stop();
    }
    emit playbackChanged();
}

void Session::setPlayRate(double rate) {
    playback_.rate = rate;
    emit playbackChanged();
}

double Session::valueNow(const std::string& channel) const {
    if (driving()) return liveValue(channel);
    return playback_.recording ? playback_.recording->valueAt(channel, playback_.time_s) : std::nan("");
}

// --- the definition

void Session::useOwnDefinition() {
    if (!kit_ || !folder_) return;
    auto own = job::withOwnDefinition(kit_, *folder_);
    if (!own) return failed(own.error());
    kit_ = *own;
}

void Session::changeDefinition(std::string text, std::function<void()> then) {
    if (!kit_ || !folder_) return say("No car with a known controller is open.", true);
    if (flashing()) return say("The calibration is being flashed; edit the definition after it.", true);
    if (auto may = mayWrite(); !may) return failed(may.error());
    if (keepingDefinition_) return say("The change before is still being kept.", true);
    keepingDefinition_ = true;
    using Kept = Result<std::shared_ptr<const job::Kit>>;
    inBackground<Kept>(
        [kit = kit_, folder = folder_, text = std::move(text)] { return job::keepOwnDefinition(kit, *folder, text); },
        [this, of = folder_, then = std::move(then)](Kept own) {
            keepingDefinition_ = false;
            if (!own) return failed(own.error());
            if (folder_ != of) return;
            saveDraftNow();
            kit_ = *own;
            seen_.clear();
            loadCalibration();
            loadDonors();
            emit definitionChanged();
            emit calibrationChanged();
            then();
        });
}

void Session::takeFuel() {
    const double ratio = units::stoichiometricRatio(buildSheet().of(proposals::Fact::Ethanol).value_or(0) / 100);
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
