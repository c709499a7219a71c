// Thirty moments a second while it plays; none while a drive runs.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/Playback.h"

#include <algorithm>
#include <cmath>

namespace brusk::app {

Playback::Playback(QObject* parent) : QObject(parent) {
    constexpr int kEvery_ms = 33;
    timer_.setInterval(kEvery_ms);
    connect(&timer_, &QTimer::timeout, this,
            [this] { setMoment(time_s_ + rate_ * static_cast<double>(since_.restart()) / 1000); });
}

double Playback::value(const std::string& channel) const {
    return recording_ ? recording_->valueAt(channel, time_s_) : std::nan("");
}

void Playback::lookAt(std::shared_ptr<const recording::Recording> recording, const QString& title) {
    timer_.stop();
    recording_ = std::move(recording);
    title_ = title;
    time_s_ = 0;
    playing_ = false;
    emit changed();
    emit momentChanged();
}

void Playback::setMoment(double time_s) {
    if (!recording_) return;
    const double end = recording_->duration_s();
    time_s_ = std::clamp(time_s, 0.0, end);
    emit momentChanged();
    if (playing_ && time_s >= end) play(false);
}

void Playback::play(bool on) {
    on = on && recording_ && !held_;
    if (on == playing_) return;
    // Once at the end, it begins again.
    if (on && time_s_ >= recording_->duration_s()) time_s_ = 0;
    playing_ = on;
    if (on) {
        since_.start();
        timer_.start();
    } else {
        timer_.stop();
    }
    emit changed();
}

void Playback::setRate(double rate) {
    rate_ = rate;
    emit changed();
}

void Playback::setHeld(bool held) {
    held_ = held;
    if (held) play(false);
}

}  // namespace brusk::app
