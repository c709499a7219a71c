// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/PlayBar.h"

#include <QHBoxLayout>
#include <QSignalBlocker>
#include <cmath>

#include "app/widgets/Panels.h"
#include "app/widgets/Times.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/Playback.h"

namespace brusk::app {

namespace {
constexpr double kSteps_per_s = 20;  // of the slider
constexpr double kRates[] = {0.25, 0.5, 1, 2, 5, 20};
}  // namespace

PlayBar::PlayBar(Desks& desks, const QString& suffix, QWidget* parent) : QWidget(parent), desks_(desks) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 0, 8, 0);
    row->setSpacing(8);
    play_ = new QPushButton("Play");
    play_->setObjectName("play" + suffix);
    play_->setToolTip("Play or halt the recording (Ctrl+P)");
    play_->setMinimumWidth(64);
    place_ = new QSlider(Qt::Horizontal);
    place_->setObjectName("playPlace" + suffix);
    place_->setAccessibleName("Place in the recording");
    time_ = label({}, "numbers");
    time_->setObjectName("playTime" + suffix);
    title_ = label({}, "faint");
    rate_ = new QComboBox;
    rate_->setObjectName("playRate" + suffix);
    rate_->setAccessibleName("Seconds of the recording a second");
    rate_->setToolTip("Seconds of the recording a second");
    for (const double rate : kRates)
        rate_->addItem(QString("%1 \u00d7").arg(rate), rate);
    row->addWidget(play_);
    row->addWidget(place_, 1);
    row->addWidget(time_);
    row->addWidget(rate_);
    row->addWidget(title_);
    connect(play_, &QPushButton::clicked, this, [this] { desks_.playback.play(!desks_.playback.playing()); });
    connect(place_, &QSlider::valueChanged, this, [this](int at) { desks_.playback.setMoment(at / kSteps_per_s); });
    connect(rate_, &QComboBox::currentIndexChanged, this,
            [this] { desks_.playback.setRate(rate_->currentData().toDouble()); });
    connect(&desks_.playback, &Playback::changed, this, &PlayBar::refresh);
    connect(&desks_.playback, &Playback::momentChanged, this, &PlayBar::refreshMoment);
    connect(&desks_.drive, &DriveDesk::driveChanged, this, &PlayBar::refresh);
    refresh();
}

void PlayBar::refresh() {
    const Playback& playback = desks_.playback;
    // While the car drives, now is now.
    setVisible(playback.recording() && !desks_.drive.driving());
    play_->setText(playback.playing() ? "Halt" : "Play");
    title_->setText(playback.title());
    const QSignalBlocker quietPlace(place_), quietRate(rate_);
    if (playback.recording())
        place_->setRange(0, static_cast<int>(std::ceil(playback.recording()->duration_s() * kSteps_per_s)));
    rate_->setCurrentIndex(rate_->findData(playback.rate()));
    refreshMoment();
}

void PlayBar::refreshMoment() {
    const Playback& playback = desks_.playback;
    if (!playback.recording()) return;
    const QSignalBlocker quiet(place_);
    if (!place_->isSliderDown()) place_->setValue(static_cast<int>(playback.time_s() * kSteps_per_s));
    time_->setText(minutesText(playback.time_s()) + " of " + minutesText(playback.recording()->duration_s()));
}

}  // namespace brusk::app
