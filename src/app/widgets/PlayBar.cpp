// A slider of twentieths of a second.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/PlayBar.h"

#include <QHBoxLayout>
#include <QSignalBlocker>
#include <cmath>

#include "app/widgets/Panels.h"
#include "app/widgets/Times.h"

namespace brusk::app {

namespace {
constexpr double kSteps_per_s = 20;  // of the slider
constexpr double kRates[] = {0.25, 0.5, 1, 2, 5, 20};
}  // namespace

PlayBar::PlayBar(const QString& suffix, QWidget* parent) : QWidget(parent) {
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 0, 8, 0);
    row->setSpacing(8);
    play_ = new QPushButton(tr("Play"));
    play_->setObjectName("play" + suffix);
    play_->setToolTip(tr("Play or halt the recording (Ctrl+P)"));
    play_->setMinimumWidth(64);
    place_ = new QSlider(Qt::Horizontal);
    place_->setObjectName("playPlace" + suffix);
    place_->setAccessibleName(tr("Place in the recording"));
    time_ = label({}, "numbers");
    time_->setObjectName("playTime" + suffix);
    title_ = label({}, "faint");
    rate_ = new QComboBox;
    rate_->setObjectName("playRate" + suffix);
    rate_->setAccessibleName(tr("Seconds of the recording a second"));
    rate_->setToolTip(tr("Seconds of the recording a second"));
    for (const double rate : kRates)
        rate_->addItem(QString("%1 \u00d7").arg(rate), rate);
    row->addWidget(play_);
    row->addWidget(place_, 1);
    row->addWidget(time_);
    row->addWidget(rate_);
    row->addWidget(title_);
    connect(play_, &QPushButton::clicked, this, &PlayBar::playAsked);
    connect(place_, &QSlider::valueChanged, this, [this](int at) { emit momentChosen(at / kSteps_per_s); });
    connect(rate_, &QComboBox::currentIndexChanged, this, [this] { emit rateChosen(rate_->currentData().toDouble()); });
}

void PlayBar::showPlayed(const QString& title, double duration_s, double rate, bool playing) {
    duration_s_ = duration_s;
    play_->setText(playing ? tr("Halt") : tr("Play"));
    title_->setText(title);
    const QSignalBlocker quietPlace(place_), quietRate(rate_);
    place_->setRange(0, static_cast<int>(std::ceil(duration_s * kSteps_per_s)));
    rate_->setCurrentIndex(rate_->findData(rate));
}

void PlayBar::showMoment(double time_s) {
    const QSignalBlocker quiet(place_);
    if (!place_->isSliderDown()) place_->setValue(static_cast<int>(time_s * kSteps_per_s));
    time_->setText(minutesText(time_s) + tr(" of ") + minutesText(duration_s_));
}

}  // namespace brusk::app
