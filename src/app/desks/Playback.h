// A recording that is looked at, at rest or played: one for the whole window, so that a moment in Review is the moment
// in the maps.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <memory>

#include "core/recording/Recording.h"

namespace brusk::app {

class Playback : public QObject {
    Q_OBJECT
  public:
    explicit Playback(QObject* parent = nullptr);

    const std::shared_ptr<const recording::Recording>& recording() const { return recording_; }
    const QString& title() const { return title_; }
    double time_s() const { return time_s_; }
    double rate() const { return rate_; }  ///< seconds of the recording a second
    bool playing() const { return playing_; }
    /// What a channel says at the moment; NaN when nothing does.
    double value(const std::string& channel) const;

    void lookAt(std::shared_ptr<const recording::Recording> recording, const QString& title);
    void setMoment(double time_s);
    void play(bool on);
    void setRate(double rate);
    /// While a drive runs nothing is played.
    void setHeld(bool held);

  signals:
    void changed();  ///< another recording, played or halted, another rate
    void momentChanged();

  private:
    std::shared_ptr<const recording::Recording> recording_;
    QString title_;
    double time_s_ = 0;
    double rate_ = 1;
    bool playing_ = false;
    bool held_ = false;
    QTimer timer_;
    QElapsedTimer since_;  ///< the last moment
};

}  // namespace brusk::app
