// Plays the recording that is looked at: halt and go on, where it stands, how fast.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QSlider>

#include "app/desks/Desks.h"

namespace brusk::app {

class PlayBar : public QWidget {
    Q_OBJECT
  public:
    /// `suffix` makes the object names of a second bar its own.
    PlayBar(Desks& desks, const QString& suffix, QWidget* parent = nullptr);

  private:
    void refresh();
    void refreshMoment();

    Desks& desks_;
    QPushButton* play_;
    QSlider* place_;
    QLabel *time_, *title_;
    QComboBox* rate_;
};

}  // namespace brusk::app
