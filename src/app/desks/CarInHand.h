// What everybody knows of the open car: its folder, what its controller is, its rounds and what it runs. Written by
// OpenFolder alone, which tells by the signals here.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>
#include <functional>
#include <memory>
#include <vector>

#include "core/carfolder/CarFolder.h"
#include "core/job/Garage.h"

namespace brusk::app {

class CarInHand : public QObject {
    Q_OBJECT
  public:
    std::shared_ptr<carfolder::CarFolder> folder;  ///< null: none is open
    std::shared_ptr<const job::Kit> kit;           ///< null: nobody knows the controller yet
    std::vector<carfolder::Round> rounds;          ///< newest first
    carfolder::CarContents contents;
    /// What does not fit between the controller, its profile and its definition, a sentence; empty when all does.
    QString mismatch;
    /// Why folder, link and window can't be let go of now, a sentence; empty when they can.
    std::function<QString()> heldBy = [] { return QString(); };

    const carfolder::Round* round(int64_t id) const {
        for (const auto& one : rounds)
            if (one.id == id) return &one;
        return nullptr;
    }
    int nextNumber() const { return rounds.empty() ? 1 : rounds.front().number + 1; }
    /// Why the folder may not be written, as an error; nothing when it may.
    Done mayWrite() const {
        if (!folder) return fail(ErrorCode::NotFound, "No car folder is open.");
        if (folder->mayWrite()) return {};
        return fail(ErrorCode::Refused, "Nothing can be changed: " + folder->whyNot());
    }

  signals:
    void changed();  ///< another folder, and all desks have it
    void roundsChanged();
    void definitionChanged();
};

}  // namespace brusk::app
