// The round for somebody far away: to whom, what each may do, for which car, and what else its seal asks.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QCheckBox>
#include <QGridLayout>
#include <QLineEdit>
#include <array>
#include <vector>

#include "app/widgets/Panels.h"
#include "core/job/Deliver.h"

namespace brusk::app {

class SealPanel : public Panel {
    Q_OBJECT
  public:
    SealPanel();
    /// The people that can be chosen; ticks stay where the person does.
    void setPeople(const std::vector<deliver::Card>& cards);
    void setCar(const deliver::Binding& car);
    /// What is chosen; nobody when `to` is empty.
    job::SealOptions options() const;
    /// Why nothing can be sealed, in faint words under the table; empty: it can.
    void setWhyNot(const QString& why);

  signals:
    void chosenChanged();

  private:
    struct Row {
        deliver::Card card;
        std::array<QCheckBox*, 4> may;
    };
    QGridLayout* people_;
    std::vector<Row> rows_;
    deliver::Binding car_;
    std::array<QCheckBox*, 3> bound_;
    QCheckBox* once_;
    QCheckBox* older_;
    QCheckBox* noWayBack_;
    QLineEdit* note_;
    QLabel* whyNot_;
};

}  // namespace brusk::app
