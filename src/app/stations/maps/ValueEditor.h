// A single value with slider and raw steps; a switch with what each word means; a text.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QButtonGroup>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSlider>
#include <QVBoxLayout>

#include "core/calibration/Calibration.h"

namespace brusk::app {

class ValueEditor : public QFrame {
    Q_OBJECT
  public:
    explicit ValueEditor(const QString& suffix, QWidget* parent = nullptr);
    /// Shows a value, switch or text; hides itself for anything else.
    void setTable(const calibration::Table& table, const definition::Conversion& conversion, const units::Shown& shown);

  signals:
    /// A stored number was chosen.
    void rawChosen(double raw);
    /// Raw counts up or down.
    void stepped(int counts);
    void textChosen(const QString& text);

  private:
    void makeWords(const definition::Conversion& conversion, double raw);

    QSlider* slider_;
    QLabel *least_, *most_, *stored_;
    QPushButton *less_, *more_;
    QWidget *numberRow_, *wordsBox_;
    QVBoxLayout* words_;
    QLineEdit* text_;
    double lowRaw_ = 0, highRaw_ = 1;
};

}  // namespace brusk::app
