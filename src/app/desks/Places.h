// Where the user looks. Anybody may ask for another place; the shell and the desks obey.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QString>

#include <cstdint>
#include <optional>

namespace brusk::app {

/// What is not said stays as it is.
struct Place {
    QString station = {};    ///< "Car", "Base", "Maps", "Drive", "Review", "Correct", "Flash", "Deliver"
    QString parameter = {};  ///< opened on the Maps station
    std::optional<int64_t> round = {};
    QString role = {};  ///< that the user wants to give to somebody
};

class Places : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;

    /// The round that every station shows; -1 for none.
    int64_t round() const { return round_; }
    /// Tells everybody, also when it is the same round again whose contents are another.
    void showRound(int64_t round) {
        round_ = round;
        emit roundShown();
    }
    /// Forgets the round without a word: the folder it lies in is being closed.
    void forgetRound() { round_ = -1; }
    void go(const Place& place) { emit wanted(place); }

  signals:
    void roundShown();
    void wanted(const Place& place);

  private:
    int64_t round_ = -1;
};

}  // namespace brusk::app
