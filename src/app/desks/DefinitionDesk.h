// The definition that the open folder keeps of its own, while it is worked on.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>

#include "app/desks/CarInHand.h"

namespace brusk::app {

class Background;
class Messages;

class DefinitionDesk : public QObject {
    Q_OBJECT
  public:
    DefinitionDesk(const CarInHand& car, Background& background, Messages& messages);

    /// Null before the controller is known.
    std::shared_ptr<const job::Kit> kit() const { return car_.kit; }
    bool mayWrite() const { return car_.folder && car_.folder->mayWrite(); }
    /// Keeps an edited definition in the car folder and uses it from now on. Reads it off this thread; `then` is called
    /// on it when it is in use.
    void change(std::string text, std::function<void()> then);

  signals:
    void made(std::shared_ptr<const brusk::job::Kit> kit);

  private:
    const CarInHand& car_;
    Background& background_;
    Messages& messages_;
    bool keeping_ = false;
};

}  // namespace brusk::app
