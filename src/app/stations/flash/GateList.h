// The gates before a flash: what blocks first, each with its sentence and what settles it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLineEdit>

#include "app/widgets/Panels.h"
#include "core/job/Gates.h"

namespace brusk::app {

class GateList : public QWidget {
    Q_OBJECT
  public:
    explicit GateList(QWidget* parent = nullptr);
    /// Shows the gates. What somebody is typing is kept when they are the same as before.
    void setGates(const std::vector<job::Gate>& gates);

  signals:
    void remedyWanted(brusk::job::Gate::Remedy remedy, const QString& parameter);
    /// A whole serial number was typed to override a mismatch.
    void serialTyped(const QString& serial);

  private:
    void addGate(const job::Gate& gate);
    void addRemedy(const job::Gate& gate, QHBoxLayout* row);

    QVBoxLayout* rows_;
    QString shown_;
};

}  // namespace brusk::app
