// One correction at work: a map in four layers, a curve before and after, or values with the moments that speak for
// them.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QPushButton>
#include <QStackedWidget>
#include <QTreeWidget>

#include "app/stations/correct/Distribution.h"
#include "app/stations/correct/EvidencePlot.h"
#include "app/widgets/MapGrid.h"
#include "app/widgets/ProfileView.h"
#include "core/proposals/Correction.h"

class QLabel;
class QScrollArea;
class QVBoxLayout;

namespace brusk::app {

class CorrectionView : public QWidget {
    Q_OBJECT
  public:
    explicit CorrectionView(QWidget* parent = nullptr);
    /// Kept until another is shown: it must live as long. Null: nothing.
    void show(const proposals::Correction* correction, const units::Preferences& units);
    enum Layer { kOffBy, kHowSure, kChange, kResult, kLayers };
    void showLayer(Layer layer);
    size_t currentCell() const { return grid_->currentCell(); }
    /// The point that is chosen; the first where none is.
    size_t currentPoint() const;

  signals:
    void momentWanted(const evidence::Moment& moment);

  private:
    QWidget* makeTablePage();
    QWidget* makeValuesPage();
    GridContents contentsOf(Layer layer) const;
    /// `fresh`: another kind than before.
    void showTable(bool fresh);
    void showAlong();
    void showScatter();
    void showValues();
    void showFigures();
    void showCell();

    const proposals::Correction* shown_ = nullptr;
    const proposals::CorrectionKind* kind_ = nullptr;
    units::Preferences units_;
    Layer layer_ = kChange;
    QStackedWidget* pages_;
    QFrame* thumbs_[kLayers] = {};
    MapGrid* small_[kLayers] = {};
    MapGrid* grid_;
    QScrollArea* room_;  ///< of the grid: a curve may have more breakpoints than fit
    ProfileView* curve_;
    EvidencePlot *along_, *scatter_;  ///< of a curve, and of values
    std::vector<size_t> plotted_;     ///< the cells, or points, that are shown there
    QLabel* cell_;
    QVBoxLayout* values_;
    QTreeWidget* points_;
    QLabel *now_, *after_, *nowTitle_;
    Distribution* distribution_;
};

}  // namespace brusk::app
