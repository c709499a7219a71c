// One open parameter on the bench: its grid with profiles or a surface, or the editor of a single value; and everything
// that can be done to its cells. Arithmetic is the core's; this keeps what is selected and shown.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QSpinBox>
#include <QSplitter>
#include <QStackedWidget>
#include <QToolButton>

#include "app/stations/maps/MapsWork.h"
#include "app/stations/maps/ValueEditor.h"
#include "app/widgets/MapGrid.h"
#include "app/widgets/ProfileView.h"
#include "app/widgets/SurfaceView.h"
#include "core/calibration/Compare.h"
#include "core/calibration/Shape.h"
#include "core/calibration/Surface.h"
#include "core/job/Maps.h"

namespace brusk::app {

class ParameterPane : public QFrame {
    Q_OBJECT
  public:
    /// `suffix` makes the object names of a second, third ... pane their own.
    ParameterPane(MapsWork& work, const QString& suffix, QWidget* parent = nullptr);

    void open(const QString& parameter);
    QString parameter() const { return parameter_; }
    bool readable() const { return readable_; }
    const calibration::Table& table() const { return table_; }
    /// The reference's numbers on our breakpoints; empty when there are none.
    const std::vector<double>& referenceValues() const { return reference_; }
    /// Why there are none, a sentence.
    QString noReference() const { return noReference_; }
    MapGrid* grid() { return grid_; }
    SurfaceView* surface() { return surface_; }
    ProfileView* across() { return across_; }
    ProfileView* down() { return down_; }
    calibration::CellRange range() const;
    const units::Shown& shown() const { return shown_; }

    enum class Picture { Profiles, Surface, None };
    void setPicture(Picture picture);
    Picture picture() const { return picture_; }
    void setShowsDifference(bool on);
    bool showsDifference() const { return showsDifference_; }
    void setActive(bool active);
    void setPinned(bool pinned);

    void reload();
    void refreshHere();
    /// What was typed over the selected cells: "12.5", "+2", "x1.05", "-3%".
    void operate(const QString& text);
    void fill(calibration::Direction direction);
    void soften(double strength);
    void takeReference(double strength);
    void copy(bool withBreakpoints);
    void paste();
    void pasteFactors(double strength);
    void step(int counts);
    /// What recordings say of the cells; without any when they say nothing.
    const job::CellEvidence& evidence() const { return evidence_; }
    /// The name under a point of the grid: what moves along the axis there, or the parameter's own.
    QString nameAt(QPoint inGrid) const;
    /// Cells that were pointed out as ridges, worst first.
    const std::vector<calibration::Ridge>& ridges() const { return ridges_; }

  signals:
    void selectionMoved();
    void activated();
    void closeAsked();
    void pinAsked(bool pinned);
    void softenAsked();
    void factorsAsked();
    void referenceAsked();

  protected:
    bool eventFilter(QObject* object, QEvent* event) override;
    void mousePressEvent(QMouseEvent*) override { emit activated(); }

  private:
    /// Shares the height between grid and picture, until somebody moved the border.
    void balance();
    void resizeEvent(QResizeEvent*) override { balance(); }
    void makeHead(const QString& suffix);
    void makePictures(const QString& suffix);
    void asked(GridAsk ask);
    void make(Result<calibration::Edit> edit);
    void makeCells(const std::vector<calibration::CellValue>& cells, const std::string& what);
    void refreshGrid();
    void refreshPictures();
    void refreshProfile(ProfileView* view, bool across);
    void refreshSelection();
    void refreshEvidence();
    void loadReference();
    void drag(int row, int column, double shownValue, bool done);
    std::vector<double> inShown(const std::vector<double>& values) const;

    MapsWork& work_;
    QString parameter_;
    bool readable_ = false;
    calibration::Table table_;
    size_t slice_ = 0;
    std::vector<double> reference_;
    QString noReference_;
    std::vector<char> differs_, edited_;
    std::vector<calibration::Ridge> ridges_;
    job::CellEvidence evidence_;
    QString evidenceFor_;
    units::Shown shown_, shownX_, shownY_;
    bool showsDifference_ = false;
    bool dragging_ = false;
    Picture picture_ = Picture::Profiles;

    QSplitter* split_;
    bool splitByHand_ = false;
    QLabel *name_, *axes_, *problem_;
    QSpinBox* sliceBox_;
    QToolButton *profilesButton_, *surfaceButton_, *pinButton_, *closeButton_;
    MapGrid* grid_;
    ValueEditor* editor_;
    QStackedWidget* pictures_;
    ProfileView *across_, *down_;
    SurfaceView* surface_;
};

}  // namespace brusk::app
