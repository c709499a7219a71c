// Joins the bar and the playback, and hides it while the car drives.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/review/Player.h"

#include "app/desks/Desks.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/Playback.h"

namespace brusk::app {

PlayBar* makePlayBar(Desks& desks, const QString& suffix) {
    auto* bar = new PlayBar(suffix);
    Playback& playback = desks.playback;
    const auto moment = [bar, &playback] {
        if (playback.recording()) bar->showMoment(playback.time_s());
    };
    const auto refresh = [bar, &playback, &drive = desks.drive, moment] {
        // While the car drives, now is now.
        bar->setVisible(playback.recording() && !drive.driving());
        if (playback.recording())
            bar->showPlayed(playback.title(), playback.recording()->duration_s(), playback.rate(), playback.playing());
        moment();
    };
    QObject::connect(bar, &PlayBar::playAsked, &playback, [&playback] { playback.play(!playback.playing()); });
    QObject::connect(bar, &PlayBar::momentChosen, &playback, &Playback::setMoment);
    QObject::connect(bar, &PlayBar::rateChosen, &playback, &Playback::setRate);
    QObject::connect(&playback, &Playback::changed, bar, refresh);
    QObject::connect(&playback, &Playback::momentChanged, bar, moment);
    QObject::connect(&desks.drive, &DriveDesk::driveChanged, bar, refresh);
    refresh();
    return bar;
}

}  // namespace brusk::app
