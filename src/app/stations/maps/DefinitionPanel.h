// Work on the definition: the open parameter's name, description, group and role; a parameter added by address with its
// cells shown while it is described; one copied from another definition. Every change is kept as a new A2L file.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QStackedWidget>
#include <QTreeView>

#include "app/stations/maps/FinderModel.h"
#include "app/stations/maps/MapsWork.h"
#include "app/stations/maps/RolesPage.h"
#include "app/widgets/MapGrid.h"
#include "core/definition/Finder.h"
#include "core/definition/NewParameter.h"

namespace brusk::app {

class DefinitionPanel : public QFrame {
    Q_OBJECT
  public:
    explicit DefinitionPanel(MapsWork& work, QWidget* parent = nullptr);
    void showParameter(const QString& name);
    void showRoles(const QString& wanted);

  signals:
    void closed();
    /// A parameter was added or renamed and can be opened.
    void made(const QString& name);
    void nameFollowed(const QString& name);

  private:
    QWidget* makeEditPage();
    QWidget* makeAddPage();
    QWidget* makeCopyPage();
    void guessRoles();
    void keepEdits();
    void keep(const Result<std::string>& text, const QString& name, const QString& said);
    definition::NewParameter described() const;
    void fillChoices();
    void preview();
    void addDescribed();
    void openOther(const QString& path);
    void findOther();
    void copyChosen();

    MapsWork& work_;
    QString name_;
    QStackedWidget* pages_;
    QList<QToolButton*> tabs_;
    // the open parameter
    QLineEdit *nameEdit_, *labelEdit_, *descriptionEdit_, *addressEdit_;
    QComboBox *groupEdit_, *roleEdit_;
    // one by address
    QLineEdit *newName_, *newDescription_, *newAddress_, *factor_, *offset_, *unit_;
    QComboBox *kind_, *type_, *order_, *conversion_, *xAxis_, *yAxis_;
    QSpinBox *columns_, *rows_, *decimals_;
    QLabel* newProblem_;
    MapGrid* newGrid_;
    QPushButton* add_;
    RolesPage* roles_;
    std::shared_ptr<const definition::Definition> rolesOf_;  ///< the definition whose guesses are shown
    // one from another definition
    QLineEdit *otherFile_, *otherFind_;
    QTreeView* otherView_;
    FinderModel* otherModel_;
    QLabel* otherFact_;
    QPushButton* copy_;
    std::shared_ptr<const definition::Definition> other_;
    std::shared_ptr<definition::Finder> otherFinder_;
};

}  // namespace brusk::app
