// The build sheet as a form: the parts fitted, as far as the base proposals need them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDoubleSpinBox>
#include <QWidget>
#include <array>

#include "core/proposals/BuildSheet.h"

namespace brusk::app {

class BuildSheetForm : public QWidget {
    Q_OBJECT
  public:
    explicit BuildSheetForm(QWidget* parent = nullptr);
    void setSheet(const proposals::BuildSheet& sheet);
    proposals::BuildSheet sheet() const;

  signals:
    void changed();

  private:
    QDoubleSpinBox* field(const char* name, double most, int decimals, const QString& unit, double step);

    static constexpr size_t kPoints = 5;
    QDoubleSpinBox *flow_, *rated_, *fuel_, *lowVolts_, *lowPressure_, *highVolts_, *highPressure_, *ethanol_;
    std::array<QDoubleSpinBox*, kPoints> volts_{}, dead_{};
    bool filling_ = false;
};

}  // namespace brusk::app
