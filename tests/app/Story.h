// Drives the real window as a person would: mouse and keys on real widgets. Used by the story test and for the
// pictures.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QTemporaryDir>
#include <QTest>
#include <memory>

#include "app/desks/Desks.h"
#include "app/desks/LinkFacts.h"
#include "app/shell/MainWindow.h"
#include "app/theme/Theme.h"
#include "app/widgets/MapGrid.h"
#include "core/calibration/Calibration.h"
#include "core/carfolder/CarFolder.h"
#include "core/link/Transfer.h"
#include "core/proposals/BuildSheet.h"

namespace brusk::app {

class Story {
  public:
    /// `data`: where profiles are looked for; the demo's when empty.
    explicit Story(const QString& folder = {}, const QString& data = {});
    ~Story();

    MainWindow& window() { return *window_; }
    Desks& desks() { return *desks_; }
    /// Where its key and cards lie.
    QString home() const { return temporary_.filePath("home"); }
    // What tests look at most; here, so that they recompile for no desk.
    carfolder::CarFolder& folder();
    const std::vector<carfolder::Round>& rounds();
    const carfolder::Round* selected();
    void select(int64_t round);
    const calibration::Calibration* calibration();
    const calibration::EditHistory& history();
    const proposals::BuildSheet& sheet();
    void setSheet(const proposals::BuildSheet& sheet);
    void undo();
    void redo();
    void saveNow();
    const units::Preferences& units();
    void chooseUnits(const units::Preferences& units);
    Done open(const storage::Path& folder);
    void setTimeLapse(double lapse);
    const link::Identity* identity();
    /// A task runs on the link.
    bool busy();
    bool linkIsOpen() { return linkState() == LinkState::Open; }
    LinkState linkState();
    const link::Progress& progress();
    void connectTo(const QString& choice);
    bool disconnectLink();
    bool hardwareLimits();

    /// The one visible widget of this name and type; the test fails when there is none.
    template <class T>
    T* find(const char* name) {
        for (T* widget : window_->findChildren<T*>(name))
            if (widget->isVisible()) return widget;
        return nullptr;
    }
    bool click(const char* button);
    void goTo(const char* station);
    /// Waits until nothing runs on the link; false after `timeout_ms`.
    bool settle(int timeout_ms = 120000);
    QString message();

    // The chapters.
    /// `link`: as the choice of links knows it.
    bool connectBenchCar(const char* link = "bench");
    bool read();
    /// As fast as it can: connects and reads, so that there is something to work on.
    bool begin(const char* link = "bench");
    /// Finds a parameter on the Maps station by typing, and opens it with Enter.
    MapGrid* openParameter(const char* words);
    bool makeBase();
    bool flash();
    bool drive(int routeIndex = 0);
    /// By the beginning of the route's title, in another weather where one is given.
    bool driveRoute(const char* title, std::optional<double> air_C = {}, std::optional<double> pressure_kPa = {});
    /// What is driven is not held back by stages.
    bool driveAnything();
    bool correct();
    /// A kind of correction, by a click on its line in the list; false where the list has none.
    bool openKind(const char* kind);

    /// As fast as it can, so that a test does not wait for the simulated car.
    void hurry();

  private:
    QTemporaryDir temporary_;
    storage::RealFileSystem files_;
    std::unique_ptr<Desks> desks_;
    std::unique_ptr<MainWindow> window_;
};

/// The bench car's flash, as it stands in the folder after the last flash.
Bytes benchFlash(Desks& desks);
bool carHoldsRound(Desks& desks, int64_t round);

inline void typeInto(MapGrid* grid, const char* text) {
    QTest::keyClick(grid, text[0]);
    auto* editor = grid->findChild<QLineEdit*>("cellEditor");
    QVERIFY(editor && editor->isVisible());
    QTest::keyClicks(editor, text + 1);
    QTest::keyClick(editor, Qt::Key_Return);
}

}  // namespace brusk::app
