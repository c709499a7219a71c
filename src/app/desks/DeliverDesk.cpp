// Cryptography and files on the pool; what came is held here until it is taken or put aside.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/DeliverDesk.h"

#include "app/desks/Background.h"
#include "app/desks/CarInHand.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "core/deliver/Archive.h"
#include "core/job/MakeReport.h"

namespace brusk::app {

DeliverDesk::DeliverDesk(storage::FileSystem& files, const CarInHand& car, Places& places, Background& background,
                         Messages& messages)
    : files_(files), car_(car), places_(places), background_(background), messages_(messages) {}

void DeliverDesk::setHome(const storage::Path& folder) {
    home_ = folder;
    key_.reset();
    lookAtHome();
    if (!card_) return;
    // A key without a passphrase is simply there.
    if (const auto locked = home().isLocked(); locked && !*locked) useKey(home().key(""));
}

void DeliverDesk::lookAtHome() {
    card_ = messages_.orSay(home().card());
    cards_ = messages_.orSay(home().trusted());
    emit changed();
}

void DeliverDesk::useKey(Result<deliver::Key> key) {
    if (!key) return messages_.failed(key.error());
    key_ = std::move(*key);
    folderOpened();
    lookAtHome();
}

void DeliverDesk::folderOpened() {
    if (key_ && car_.folder) job::useKey(*car_.folder, *key_, home());
}

void DeliverDesk::makeKey(const QString& name, const QString& passphrase) {
    background_.latest(
        this,
        [at = home(), name = name.toStdString(), secret = passphrase.toStdString()] {
            return at.makeKey(name, secret);
        },
        [this](Result<deliver::Key> key) { useKey(std::move(key)); });
}

void DeliverDesk::openKey(const QString& passphrase) {
    background_.latest(
        this, [at = home(), secret = passphrase.toStdString()] { return at.key(secret); },
        [this](Result<deliver::Key> key) { useKey(std::move(key)); });
}

void DeliverDesk::backUpKey(const storage::Path& to) {
    if (auto done = home().backup(to); !done) return messages_.failed(done.error());
    messages_.say(tr("The key is copied to %1. Whoever has it is you.").arg(QString::fromStdString(to.string())));
}

void DeliverDesk::trust(const QString& text, bool instead) {
    changed_.reset();
    const auto card = deliver::Card::fromText(text.toStdString());
    if (!card) return messages_.failed(card.error());
    const auto trusted = home().trust(*card, instead);
    if (!trusted) {
        if (trusted.error().refused) changed_ = *card;
        messages_.failed(trusted.error());
        return emit changed();
    }
    messages_.say(*trusted == deliver::Trusted::Already
                      ? tr("The card of %1 was trusted already.").arg(QString::fromStdString(card->name))
                      : tr("%1 is trusted from now on. Compare by telephone: %2")
                            .arg(QString::fromStdString(card->name), QString::fromStdString(card->fingerprint())));
    lookAtHome();
    // Who was a stranger may be none now.
    if (incoming_ && incoming_->stranger && incoming_->stranger->sameKeys(*card)) open(incoming_->name.toStdString());
}

std::string DeliverDesk::ownNumber() const {
    const auto* round = car_.round(places_.round());
    return "round" + (round ? std::to_string(round->number) : std::string());
}

void DeliverDesk::writeInto(const std::string& stem, const char* ending, std::function<Result<Bytes>()> make) {
    if (!car_.folder) return;
    background_.each(
        this,
        [folder = car_.folder, stem, ending = std::string(ending), make = std::move(make)]() -> Result<QString> {
            const auto bytes = make();
            if (!bytes) return tl::unexpected(bytes.error());
            auto& files = folder->files();
            const storage::Path into = folder->path() / "exports";
            if (auto done = files.makeFolder(into); !done) return tl::unexpected(done.error());
            // A name that is taken gets a number: nothing is overwritten.
            const storage::Path path = files.freeName(into, stem, ending);
            if (auto done = files.save(path, *bytes); !done) return tl::unexpected(done.error());
            return QString::fromStdString(path.string());
        },
        [this](Result<QString> path) {
            if (!path) return messages_.failed(path.error());
            emit ledgerMoved();
            emit written(*path);
        });
}

void DeliverDesk::seal(const job::SealOptions& options) {
    const auto* round = car_.round(places_.round());
    if (!key_ || !round || !car_.kit || options.to.empty()) return;
    writeInto(ownNumber() + "-for-" + options.to.front().card.name, ".sealed",
              [kit = car_.kit, folder = car_.folder, id = round->id, key = *key_, options] {
                  return job::sealRound(*kit, *folder, id, key, options);
              });
}

void DeliverDesk::makeParcel(const std::vector<deliver::Card>& to, const QString& note,
                             const std::vector<std::string>& codes) {
    if (!key_ || !car_.kit || to.empty()) return;
    job::ParcelOptions options;
    options.to = to;
    options.note = note.toStdString();
    options.codes = codes;
    writeInto("drives-for-" + to.front().name, ".parcel", [kit = car_.kit, folder = car_.folder, key = *key_, options] {
        std::vector<std::string> leftOut;
        return job::makeParcel(*kit, *folder, key, options, leftOut);
    });
}

void DeliverDesk::makeArchive() {
    if (!car_.folder) return;
    background_.each(
        this,
        [folder = car_.folder]() -> Result<QString> {
            const storage::Path at = folder->path();
            const storage::Path path = folder->files().freeName(at.parent_path(), at.filename().string(), ".zip");
            auto done = deliver::archive(*folder, path);
            if (!done) return tl::unexpected(done.error());
            return QString::fromStdString(path.string());
        },
        [this](Result<QString> path) {
            if (!path) return messages_.failed(path.error());
            emit written(*path);
        });
}

void DeliverDesk::exportRound(const char* ending, const QString& givenTo) {
    const auto* round = car_.round(places_.round());
    if (!round || !car_.kit) return;
    writeInto(ownNumber() + (std::string_view(ending) == "txt" ? "-differences" : ""),
              ("." + std::string(ending)).c_str(),
              [kit = car_.kit, folder = car_.folder, id = round->id, ending = std::string(ending),
               to = givenTo.trimmed().toStdString()]() -> Result<Bytes> {
                  auto bytes = job::exported(*kit, *folder, id, ending);
                  if (bytes && !to.empty())
                      if (auto done = folder->rounds().giveOut(id, "given to " + to + " as ." + ending); !done)
                          return tl::unexpected(done.error());
                  return bytes;
              });
}

void DeliverDesk::report(const QString& words, std::function<void(deliver::Report)> then) {
    if (!car_.folder || !car_.kit) return;
    constexpr int kReport = 1;
    background_.latest(
        this,
        [kit = car_.kit, folder = car_.folder, id = places_.round(),
         options = job::ReportOptions{card_ ? card_->name : std::string(), words.toStdString(), "Brusk"}] {
            return job::reportOn(*kit, *folder, id, options);
        },
        [this, then = std::move(then)](Result<deliver::Report> made) {
            if (!made) return messages_.failed(made.error());
            then(std::move(*made));
        },
        kReport);
}

void DeliverDesk::keep(const std::string& stem, const char* ending, const QByteArray& bytes) {
    writeInto(stem, ending, [held = Bytes(bytes.begin(), bytes.end())]() -> Result<Bytes> { return held; });
}

void DeliverDesk::open(const storage::Path& file) {
    background_.latest(
        this,
        [path = file, key = key_, at = home(), folder = car_.folder, files = &files_]() -> Result<Incoming> {
            const auto bytes = files->read(path);
            if (!bytes) return tl::unexpected(bytes.error());
            auto out = key && !isCard(*bytes) ? openedBy(*bytes, *key, at, folder) : Incoming{};
            out.file = *bytes;
            out.name = QString::fromStdString(path.string());
            return out;
        },
        [this](Result<Incoming> opened) {
            if (!opened) return messages_.failed(opened.error());
            if (isCard(opened->file)) return trust(QString::fromStdString(std::string(asText(opened->file))), false);
            if (!key_)
                return messages_.say(
                    card_ ? tr("Open your key first: what came is sealed to it.")
                          : tr("Make your key first, and send your card to who is to seal something for you."),
                    true);
            incoming_ = std::move(*opened);
            emit incomingChanged();
        });
}

void DeliverDesk::putAside() {
    incoming_.reset();
    emit incomingChanged();
}

void DeliverDesk::take() {
    if (!incoming_ || !incoming_->mayBeTaken() || !car_.kit || !car_.folder) return;
    if (incoming_->sealed) {
        const auto round = job::takeSealed(*car_.kit, *car_.folder, *incoming_->sealed, incoming_->file);
        if (!round) return messages_.failed(round.error());
        putAside();
        emit ledgerMoved();
        return emit tookRound(round->id);
    }
    // Recordings are large; they are written and read off this thread.
    background_.latest(
        this,
        [kit = car_.kit, folder = car_.folder, parcel = *incoming_->parcel] {
            return job::takeParcel(*kit, *folder, parcel);
        },
        [this](Result<job::TakenParcel> taken) {
            if (!taken) return messages_.failed(taken.error());
            tookParcel(*taken);
        });
}

void DeliverDesk::tookParcel(const job::TakenParcel& taken) {
    const size_t count = taken.drives.size();
    QString sentence = count == 1 ? tr("1 recording taken.") : tr("%1 recordings taken.").arg(count);
    if (!taken.there.empty()) sentence += tr(" %1 were here already.").arg(taken.there.size());
    for (const std::string& one : taken.news)
        sentence += " " + QString::fromStdString(one);
    messages_.say(sentence);
    putAside();
    emit ledgerMoved();
    for (const auto& drive : taken.drives)
        if (drive.entry.round) emit tookDrives(*drive.entry.round);
}

}  // namespace brusk::app
