// A recording from another program's file: how it will be read, said otherwise where the guess is wrong, looked at or
// kept in the car's folder.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <memory>
#include <optional>

#include "core/job/Import.h"

namespace brusk::app {

class Background;
class CarInHand;
class Messages;

class ImportDesk : public QObject {
    Q_OBJECT
  public:
    static constexpr size_t kFirstRows = 12;

    ImportDesk(storage::FileSystem& files, const CarInHand& car, Background& background, Messages& messages);

    /// Where plans and DBC files of one's own lie.
    void setHome(const storage::Path& folder) { home_.folder = folder; }

    /// What is on the page; nothing while no file is open.
    struct Shown {
        recording::ImportFile file;
        recording::ImportPlan plan;
        recording::Recording first;  ///< its first rows, as they will be read
    };
    const Shown* shown() const { return shown_.get(); }
    /// Of the file, with its folder.
    const storage::Path& path() const { return path_; }
    /// Why what was said last was not taken; empty where it was.
    const QString& refusal() const { return refusal_; }
    /// A CAN log needs a DBC file before anything of it can be shown.
    bool wantsDbc() const { return wantsDbc_; }
    bool working() const { return working_; }

    /// Opens a file, in place of the one before.
    void open(const storage::Path& file);
    /// Takes a DBC file into one's own library and opens the log anew.
    void addDbc(const storage::Path& file);
    void say(const std::string& point, const std::string& value);
    void say(const std::string& column, const recording::ColumnSaid& said);
    /// All guesses again.
    void forgetWhatWasSaid();
    void putAside();

    /// The whole file: lookedAt() has it.
    void look();
    /// The whole file into the car's folder, bound to a round or to none.
    void keep(std::optional<int64_t> round);

    /// A recording of the folder that was bound to no round was driven on this one.
    void bind(int64_t recording, int64_t round);

  signals:
    void changed();
    void workingChanged();
    void lookedAt(const std::shared_ptr<const recording::Recording>& recording, const QString& title);
    /// It is in the folder; the round it was bound to, or -1.
    void kept(int64_t round);

  private:
    struct Opened;
    void plan(recording::ImportSaid said);
    void show(Result<Shown> shown, recording::ImportSaid said);
    template <class Then>
    void readAll(Then then);

    storage::FileSystem& files_;
    const CarInHand& car_;
    Background& background_;
    Messages& messages_;
    job::ImportHome home_;
    storage::Path path_;
    std::shared_ptr<const Shown> shown_;
    recording::ImportSaid said_;
    QString refusal_;
    bool wantsDbc_ = false;
    bool working_ = false;
};

}  // namespace brusk::app
