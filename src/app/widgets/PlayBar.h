// Plays a recording: halt and go on, where it stands, how fast.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QSlider>

namespace brusk::app {

class PlayBar : public QWidget {
    Q_OBJECT
  public:
    /// `suffix` makes the object names of a second bar its own.
    explicit PlayBar(const QString& suffix, QWidget* parent = nullptr);

    void showPlayed(const QString& title, double duration_s, double rate, bool playing);
    void showMoment(double time_s);

  signals:
    void playAsked();  ///< or halt
    void momentChosen(double time_s);
    void rateChosen(double rate);

  private:
    double duration_s_ = 0;
    QPushButton* play_;
    QSlider* place_;
    QLabel *time_, *title_;
    QComboBox* rate_;
};

}  // namespace brusk::app
