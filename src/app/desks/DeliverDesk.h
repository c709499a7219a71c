// What is handed to others and what comes from them: the key and the cards of who sits here, sealed rounds, parcels,
// the whole folder as one file.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <optional>

#include "app/desks/Incoming.h"
#include "core/deliver/Report.h"

namespace brusk::app {

class Background;
class CarInHand;
class Messages;
class Places;

class DeliverDesk : public QObject {
    Q_OBJECT
  public:
    DeliverDesk(storage::FileSystem& files, const CarInHand& car, Places& places, Background& background,
                Messages& messages);

    /// Where key and cards lie; looks what is there.
    void setHome(const storage::Path& folder);
    /// One's own card; nothing when no key was made yet.
    const std::optional<deliver::Card>& card() const { return card_; }
    bool keyIsOpen() const { return key_.has_value(); }
    void makeKey(const QString& name, const QString& passphrase);
    void openKey(const QString& passphrase);
    void backUpKey(const storage::Path& to);
    const std::vector<deliver::Card>& cards() const { return cards_; }
    /// A card's text, pasted or of a file. One that comes in place of another is refused until `instead`.
    void trust(const QString& text, bool instead);
    /// The card that was refused because another goes by its name.
    const std::optional<deliver::Card>& changedCard() const { return changed_; }

    /// Into the folder's exports, under a name that nothing has yet.
    void seal(const job::SealOptions& options);
    void makeParcel(const job::ParcelOptions& options);
    void makeArchive();
    /// The round as a plain file (job::exported); with a name, the ledger says to whom it was given.
    void exportRound(const char* ending, const QString& givenTo);

    /// Reckons the report on the round looked at; `then` is called with it.
    void report(const QString& words, std::function<void(deliver::Report)> then);
    /// A file of the station's own making, into exports.
    void keep(const std::string& stem, const char* ending, const QByteArray& bytes);

    void open(const storage::Path& file);
    const std::optional<Incoming>& incoming() const { return incoming_; }
    void putAside();
    void take();

    /// The folder that is open now: its sealed rounds are for this key.
    void folderOpened();

  signals:
    void changed();          ///< key, cards
    void incomingChanged();  ///< what came
    void written(const QString& path);
    void ledgerMoved();
    void tookRound(int64_t round);
    void tookDrives(int64_t round);

  private:
    deliver::Home home() const { return {files_, home_}; }
    void lookAtHome();
    void useKey(Result<deliver::Key> key);
    /// Makes a file and hands it to `save`; what there is to tell besides goes into `news`.
    using Make =
        std::function<Done(carfolder::CarFolder& folder, const job::SaveFile& save, std::vector<std::string>& news)>;
    struct Wrote {
        QString path;
        std::vector<std::string> news;
    };
    /// Off the interface thread, into the folder's exports.
    void writeInto(const std::string& stem, const char* ending, Make make);
    std::string ownNumber() const;
    void tookParcel(const job::TakenParcel& taken);

    storage::FileSystem& files_;
    const CarInHand& car_;
    Places& places_;
    Background& background_;
    Messages& messages_;
    storage::Path home_;
    std::optional<deliver::Card> card_;
    std::optional<deliver::Key> key_;
    std::vector<deliver::Card> cards_;
    std::optional<deliver::Card> changed_;
    std::optional<Incoming> incoming_;
};

}  // namespace brusk::app
