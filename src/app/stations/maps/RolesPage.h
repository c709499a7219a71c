// Roles that nobody plays in the definition yet, each with those who likely do; what is ticked is kept.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <QWidget>
#include <memory>
#include <vector>

#include "core/definition/Roles.h"

class QCheckBox;
class QComboBox;
class QScrollArea;

namespace brusk::app {

class RolesPage : public QWidget {
    Q_OBJECT
  public:
    explicit RolesPage(QWidget* parent = nullptr);
    /// The guesses are offered, none is taken before somebody ticks it.
    void show(const definition::Definition& definition, const std::vector<definition::MissingRole>& missing);
    void showBusy();
    /// The role somebody came for: it stands first, also when nobody is likely to play it.
    void want(const QString& role);

  signals:
    /// Names and roles that were ticked.
    void confirmed(const std::vector<std::pair<std::string, std::string>>& roles);
    /// Somebody wants to look at a parameter before saying yes.
    void nameFollowed(const QString& name);

  private:
    struct Row {
        QCheckBox* yes;
        QComboBox* who;
        const roles::Meaning* role;
    };
    QWidget* rowFor(const definition::Definition& definition, const definition::MissingRole& missing);
    void refreshButton();
    void showWanted();

    QString wanted_;
    QLabel* fact_;
    QLabel* nobody_;  ///< what to do when nobody is likely to play it
    QVBoxLayout* list_;
    QScrollArea* scroll_;
    QPushButton* keep_;
    std::vector<Row> rows_;
};

}  // namespace brusk::app
