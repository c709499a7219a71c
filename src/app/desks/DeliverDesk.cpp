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
    background_.each(
        this,
        [at = home(), name = name.toStdString(), secret = passphrase.toStdString()] {
            return at.makeKey(name, secret);
        },
        [this](Result<deliver::Key> key) { useKey(std::move(key)); });
}

void DeliverDesk::openKey(const QString& passphrase) {
    background_.each(
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

void DeliverDesk::writeInto(const std::string& stem, const char* ending, Make make) {
    if (!car_.folder) return;
    background_.each(
        this,
        [folder = car_.folder, stem, ending = std::string(ending), make = std::move(make)]() -> Result<Wrote> {
            Wrote out;
            const auto save = [&](ByteSpan bytes) -> Done {
                auto& files = folder->files();
                const storage::Path into = folder->path() / "exports";
                if (auto done = files.makeFolder(into); !done) return done;
                // A name that is taken gets a number: nothing is overwritten.
                const storage::Path path = files.freeName(into, stem, ending);
                out.path = QString::fromStdString(path.string());
                return files.save(path, bytes);
            };
            if (auto done = make(*folder, save, out.news); !done) return tl::unexpected(done.error());
            return out;
        },
        [this](Result<Wrote> wrote) {
            if (!wrote) return messages_.failed(wrote.error());
            emit ledgerMoved();
            emit written(wrote->path);
            for (const std::string& sentence : wrote->news)
                messages_.say(QString::fromStdString(sentence), true);
        });
}

void DeliverDesk::seal(const job::SealOptions& options) {
    const auto* round = car_.round(places_.round());
    if (!key_ || !round || !car_.kit || options.to.empty()) return;
    writeInto(ownNumber() + "-for-" + options.to.front().card.name, ".sealed",
              [kit = car_.kit, id = round->id, key = *key_, options](auto& folder, const auto& save, auto&) {
                  return job::sealRound(*kit, folder, id, key, options, save);
              });
}

void DeliverDesk::makeParcel(const job::ParcelOptions& options) {
    if (!key_ || !car_.kit || options.to.empty()) return;
    writeInto("drives-for-" + options.to.front().name, ".parcel",
              [kit = car_.kit, key = *key_, options](auto& folder, const auto& save, auto& leftOut) -> Done {
                  const auto file = job::makeParcel(*kit, folder, key, options, leftOut);
                  return file ? save(*file) : Done(tl::unexpected(file.error()));
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
    const std::string name = ending, to = givenTo.trimmed().toStdString();
    writeInto(ownNumber() + (name == "txt" ? "-differences" : ""), ("." + name).c_str(),
              [kit = car_.kit, id = round->id, name, to](auto& folder, const auto& save, auto&) {
                  return job::exportRound(*kit, folder, id, name, to, save);
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
        [this, from = car_.folder, then = std::move(then)](Result<deliver::Report> made) {
            if (car_.folder != from) return;
            if (!made) return messages_.failed(made.error());
            then(std::move(*made));
        },
        kReport);
}

void DeliverDesk::keep(const std::string& stem, const char* ending, const QByteArray& bytes) {
    writeInto(stem, ending,
              [held = Bytes(bytes.begin(), bytes.end())](auto&, const auto& save, auto&) { return save(held); });
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
        [this, from = car_.folder](Result<Incoming> opened) {
            if (!opened) return messages_.failed(opened.error());
            if (isCard(opened->file)) return trust(QString::fromStdString(std::string(asText(opened->file))), false);
            if (!key_)
                return messages_.say(
                    card_ ? tr("Open your key first: what came is sealed to it.")
                          : tr("Make your key first, and send your card to who is to seal something for you."),
                    true);
            // Whether it may be taken is a question of the folder that is open now.
            if (car_.folder != from) return open(opened->name.toStdString());
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
    // Recordings are large; they are written and read off this thread. What is being taken is not taken twice.
    const Incoming taking = std::move(*incoming_);
    putAside();
    background_.each(
        this,
        [kit = car_.kit, folder = car_.folder, parcel = *taking.parcel] {
            return job::takeParcel(*kit, *folder, parcel);
        },
        [this, from = car_.folder, name = taking.name](Result<job::TakenParcel> taken) {
            if (!taken) {
                messages_.failed(taken.error());
                return open(name.toStdString());  // it is still to be taken
            }
            if (car_.folder == from) tookParcel(*taken);
        });
}

void DeliverDesk::tookParcel(const job::TakenParcel& taken) {
    QStringList sentences;
    for (const std::string& one : taken.news)
        sentences << QString::fromStdString(one);
    messages_.say(sentences.join(' '));
    emit ledgerMoved();
    for (const auto& drive : taken.drives)
        if (drive.entry.round) emit tookDrives(*drive.entry.round);
}

}  // namespace brusk::app
