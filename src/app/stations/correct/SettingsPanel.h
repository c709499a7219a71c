// Sliders and choices that make themselves of a kind's settings.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <functional>

#include "core/proposals/Correction.h"

class QVBoxLayout;

namespace brusk::app {

class SettingsPanel : public QWidget {
    Q_OBJECT
  public:
    explicit SettingsPanel(QWidget* parent = nullptr);
    /// Makes them anew where another kind is shown; `value` says how a setting stands.
    void show(const proposals::CorrectionKind* kind, const std::function<double(const proposals::Setting&)>& value);

  signals:
    void moved(const QString& setting, double value);

  private:
    void add(const proposals::Setting& setting, double value);
    const proposals::CorrectionKind* kind_ = nullptr;
    QVBoxLayout* column_;
};

}  // namespace brusk::app
