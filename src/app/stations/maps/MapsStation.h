// Maps: find parameters, hold up to four of them side by side, look at them as grid, profiles and surface, edit them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QSplitter>

#include "app/stations/maps/DefinitionPanel.h"
#include "app/stations/maps/FinderPanel.h"
#include "app/stations/maps/ParameterCard.h"
#include "app/stations/maps/RespacePanel.h"
#include "app/widgets/Panels.h"
#include "core/calibration/Transfer.h"

namespace brusk::app {

class MapsStation : public Station {
    Q_OBJECT
  public:
    MapsStation(Desks& desks, QWidget* parent = nullptr);
    QString hint() const override {
        return "type a number, +2, x1.05 or -3% \u00b7 F and an arrow fills, F F both ways \u00b7 G softens \u00b7 R "
               "takes the reference \u00b7 "
               "Ctrl+Z undoes";
    }
    void shown() override;
    /// Opens a parameter in the active pane, or beside it.
    void open(const QString& parameter, bool beside = false);
    void lookFor(const QString& text) { finder_->lookFor(text); }
    ParameterPane* pane(int i) { return i < panes_.size() ? panes_[i] : nullptr; }
    ParameterPane* active() { return active_; }
    ParameterCard* card() { return card_; }
    RespacePanel* respacePanel() { return respace_; }
    DefinitionPanel* definitionPanel() { return definitionPanel_; }
    void showDefinitionWork(bool on);
    void undo() { work_.undo(); }
    void redo() { work_.redo(); }
    /// "shape", "copy", "reference", "axis": the menu of that button, for the keyboard and for tests.
    QMenu* menu(const QString& name) { return menus_.value(name); }
    void addDonorFile(const QString& image, const QString& definition = {});
    /// The chosen parameters (or the open one) as an ASAM CDF 2.0 file, and the values of such a file taken over.
    void exportCdf(const QString& path);
    void importCdf(const QString& path);

  private:
    static constexpr int kMostPanes = 4;

    void makeBar(QVBoxLayout* column);
    void makeMenus(QHBoxLayout* row);
    void makeFamilyStrip(QVBoxLayout* column);
    void makeShortcuts();
    QString nameUnderPointer() const;
    void fillReferenceMenu();
    ParameterPane* addPane();
    void closePane(ParameterPane* pane);
    void activate(ParameterPane* pane);
    void arrange();
    void reload();
    void refreshBar();
    void askAmount(const QString& prefix);
    double strength() const;
    void chooseDonor(bool ownDefinition);
    void familyChanged();
    void forFamily(calibration::Transfer plan);

    MapsWork work_;
    bool stale_ = true;  ///< something changed while the station was not seen
    FinderPanel* finder_;
    QList<ParameterPane*> panes_;
    ParameterPane* active_ = nullptr;
    QSplitter *bench_, *upper_, *lower_;
    QStackedWidget* side_;
    ParameterCard* card_;
    DefinitionPanel* definitionPanel_;
    RespacePanel* respace_;
    QWidget* bar_;
    QLineEdit* amount_;
    QComboBox* strength_;
    QPushButton *set_, *add_, *scale_, *undo_, *redo_;
    QMap<QString, QMenu*> menus_;
    QAction* difference_;
    QLabel *selection_, *empty_;
    QFrame* family_;
    QLabel* familyCount_;
    QLineEdit* familyAmount_;
};

}  // namespace brusk::app
