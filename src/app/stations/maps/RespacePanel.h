// New breakpoints for an axis, shown with what they do before they are taken.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QPointer>
#include <QPushButton>

#include "app/stations/maps/ParameterPane.h"
#include "core/calibration/Respace.h"

namespace brusk::app {

class RespacePanel : public QFrame {
    Q_OBJECT
  public:
    explicit RespacePanel(MapsWork& work, QWidget* parent = nullptr);
    /// Opens for axis 0 (across) or 1 (down) of a pane's parameter.
    void begin(ParameterPane* pane, size_t axis);

  private:
    std::optional<std::vector<double>> typed() const;
    void preview();
    void setText(const std::vector<double>& breakpoints);

    MapsWork& work_;
    QPointer<ParameterPane> pane_;
    size_t axis_ = 0;
    units::Shown shown_;
    Result<calibration::Respacing> plan_ = fail(ErrorCode::NotFound, "");
    QLabel *title_, *outcome_;
    QLineEdit* breakpoints_;
    QComboBox *keep_, *outside_;
    QPushButton *even_, *apply_, *cancel_;
};

}  // namespace brusk::app
