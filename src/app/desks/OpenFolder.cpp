// Opens in three steps: what was is forgotten, the rounds are looked up, then everybody is told.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/OpenFolder.h"

#include "app/desks/Messages.h"
#include "core/job/FlashRound.h"
#include "core/job/Keeping.h"
#include "core/job/Maps.h"
#include "core/job/Sensors.h"

namespace brusk::app {

OpenFolder::OpenFolder(storage::FileSystem& files, storage::Path dataFolder, CarInHand& car, Messages& messages)
    : files_(files), dataFolder_(std::move(dataFolder)), car_(car), messages_(messages) {}

Done OpenFolder::open(const storage::Path& path) {
    if (const QString held = car_.heldBy(); !held.isEmpty()) return fail(ErrorCode::Conflict, held.toStdString());
    // The folder that is open here, however it is named: opened anew it would find its own lock.
    const storage::Stamp there = files_.stamp(path / "car.sqlite");
    if (car_.folder && car_.folder->mayWrite() && there.there &&
        there == files_.stamp(car_.folder->path() / "car.sqlite")) {
        refresh();
        emit car_.changed();
        return {};
    }
    auto folder = carfolder::CarFolder::open(files_, path);
    if (!folder) return tl::unexpected(folder.error());
    take(std::move(*folder));
    return {};
}

Done OpenFolder::create(const storage::Path& path, const std::string& carName) {
    if (const QString held = car_.heldBy(); !held.isEmpty()) return fail(ErrorCode::Conflict, held.toStdString());
    auto folder = carfolder::CarFolder::create(files_, path, carName);
    if (!folder) return tl::unexpected(folder.error());
    take(std::move(*folder));
    return {};
}

void OpenFolder::take(std::unique_ptr<carfolder::CarFolder> folder) {
    emit aboutToClose();
    car_.folder = std::move(folder);
    if (kits_.empty()) {
        std::vector<Error> problems;
        kits_ = job::loadKits(files_, dataFolder_, problems);
        for (const Error& problem : problems)
            messages_.failed(problem);
    }
    car_.kit.reset();
    const std::string profile = setting("profile");
    for (const auto& kit : kits_)
        if (kit->profile.name == profile) car_.kit = kit;
    car_.rounds.clear();
    car_.contents = {};
    car_.mismatch.clear();
    useOwn();
    emit closed();
    refresh();
    emit opened();
    emit car_.changed();
    QStringList news;
    for (const std::string& sentence : car_.folder->news())
        news << QString::fromStdString(sentence);
    if (!news.isEmpty()) messages_.say(news.join(' '));
    if (!car_.folder->mayWrite()) {
        QString why = QString::fromStdString(car_.folder->whyNot());
        why[0] = why[0].toUpper();
        messages_.say(why, true);
    }
}

void OpenFolder::refresh() {
    if (!car_.folder) return;
    // What can't be looked up now is what it was; the sentence says why.
    if (auto rounds = car_.folder->rounds().all())
        car_.rounds = std::move(*rounds);
    else
        messages_.failed(rounds.error());
    const auto kept = job::identityFromJson(setting("identity"));
    keptIdentity_ = kept ? std::optional(*kept) : std::nullopt;
    if (car_.kit) {
        if (auto contents = car_.folder->memory().contents(car_.kit->profile.sectors()))
            car_.contents = std::move(*contents);
        else
            messages_.failed(contents.error());
    }
    emit car_.roundsChanged();
}

QString OpenFolder::carSentence() const {
    if (!car_.folder) return "No car folder is open.";
    if (!car_.kit) return "This car was not connected yet.";
    if (const QString held = car_.heldBy(); !held.isEmpty()) return held.section(". ", 0, 0) + ".";
    return QString::fromStdString(
        job::whatIsInTheCar(car_.contents, car_.contents.round ? car_.round(*car_.contents.round) : nullptr,
                            car_.contents.unfinished ? car_.round(car_.contents.unfinished->round) : nullptr));
}

std::string OpenFolder::setting(const std::string& key) const {
    return car_.folder ? messages_.orSay(car_.folder->settings().get(key)) : std::string();
}

void OpenFolder::keep(const std::string& key, const std::string& value) {
    if (!car_.folder) return;
    if (auto done = car_.folder->settings().set(key, value); !done) messages_.failed(done.error());
}

void OpenFolder::useOwn() {
    if (!car_.kit || !car_.folder) return;
    auto own = job::withOwnDefinition(car_.kit, *car_.folder);
    if (!own) return messages_.failed(own.error());
    car_.kit = *own;
    useKeptSensors();
}

void OpenFolder::useKeptSensors() {
    auto sensors = job::withKeptSensors(car_.kit, *car_.folder);
    if (!sensors) return messages_.failed(sensors.error());
    car_.kit = *sensors;
}

void OpenFolder::takeSensorsAnew() {
    if (!car_.kit || !car_.folder) return;
    // The definition in hand stays: views of it are open.
    auto kit = std::make_shared<job::Kit>(*car_.kit);
    kit->sensors.clear();
    for (const auto& base : kits_)
        if (base->profile.name == kit->profile.name) kit->externalSensors = base->externalSensors;
    car_.kit = std::move(kit);
    useKeptSensors();
    emit car_.changed();
}

void OpenFolder::useKit(std::shared_ptr<const job::Kit> kit, const std::string& mismatch) {
    const bool firstTime = !car_.kit;
    const auto before = firstTime ? nullptr : car_.kit->definition;
    car_.kit = std::move(kit);
    useOwn();
    car_.mismatch = QString::fromStdString(mismatch);
    if (!car_.mismatch.isEmpty()) messages_.say(car_.mismatch, true);
    // A mismatched controller does not choose the folder's profile.
    if (car_.mismatch.isEmpty() && car_.folder->mayWrite()) keep("profile", car_.kit->profile.name);
    refresh();
    if (firstTime) emit kitFound();
    if (car_.kit->definition != before) emit car_.definitionChanged();
}

void OpenFolder::takeDefinition(std::shared_ptr<const job::Kit> kit) {
    car_.kit = std::move(kit);
    emit definitionTaken();
    emit car_.definitionChanged();
}

}  // namespace brusk::app
