// SPDX-License-Identifier: GPL-3.0-or-later
#include "Story.h"

#include <QComboBox>
#include <QSettings>

#include "Expect.h"

namespace brusk::app {

Story::Story(const QString& folder, const QString& profiles) {
    const storage::Path data = BRUSK_DATA_DIR;
    // What a person keeps (units, pinned parameters) is kept in the story's own folder.
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, temporary_.path());
    session_ = std::make_unique<Session>(files_, profiles.isEmpty() ? data : storage::Path(profiles.toStdString()));
    window_ = std::make_unique<MainWindow>(*session_);
    const storage::Path path = folder.isEmpty() ? storage::Path(temporary_.filePath("heron").toStdString())
                                                : storage::Path(folder.toStdString());
    const auto done = carfolder::CarFolder::isThere(files_, path) ? session_->openFolder(path)
                                                                  : session_->createFolder(path, "Heron 1.6 T");
    if (!done) qFatal("%s", done.error().text().c_str());
    session_->setOwnParts(temporary_.filePath("parts.json").toStdString());
    session_->offerBuildSheet(data / "heron" / "build-sheet.json");
    emit session_->folderChanged();
    window_->show();
    if (!QTest::qWaitForWindowExposed(window_.get())) qWarning("the window was not exposed in time");
}

Story::~Story() {
    window_.reset();
    session_.reset();
}

bool Story::click(const char* button) {
    auto* widget = find<QAbstractButton>(button);
    if (!widget || !widget->isEnabled()) {
        qWarning("no button %s to click", button);
        return false;
    }
    QTest::mouseClick(widget, Qt::LeftButton);
    return true;
}

void Story::goTo(const char* station) {
    click((std::string("tab") + station).c_str());
    QCoreApplication::processEvents();
}

bool Story::settle(int timeout_ms) {
    return QTest::qWaitFor([&] { return !session_->busy(); }, timeout_ms * kSlower);
}

QString Story::message() {
    auto* text = window_->findChild<QLabel*>("message");
    return text ? text->text() : QString();
}

void Story::hurry() {
    session_->setTimeLapse(0);
    if (auto* lapse = window_->findChild<QComboBox*>("timeLapse")) lapse->setCurrentIndex(lapse->count() - 1);
}

bool Story::connectBenchCar() {
    goTo("Car");
    if (!click("carPrimary") || !settle()) return false;
    return session_->linkState() == LinkState::Open;
}

bool Story::read() {
    goTo("Car");
    return click("carPrimary") && settle() && session_->selected();
}

bool Story::begin() {
    hurry();
    return connectBenchCar() && read();
}

MapGrid* Story::openParameter(const char* words) {
    goTo("Maps");
    auto* finder = find<QLineEdit>("finder");
    finder->clear();
    QTest::keyClicks(finder, words);
    QTest::keyClick(finder, Qt::Key_Return);
    return find<MapGrid>("mapGrid");
}

bool Story::makeBase() {
    // Stories drive as they like; the limits of the first drives have a test of their own.
    if (!session_->folder()->settings().set("stage", "Full load")) return false;
    goTo("Base");
    auto* make = find<QPushButton>("makeBaseRound");
    if (!make || !QTest::qWaitFor([&] { return make->isEnabled(); }, 5000 * kSlower)) return false;
    const size_t before = session_->rounds().size();
    // One that is asked for while the proposals are being computed is made when they are there.
    return click("makeBaseRound") &&
           QTest::qWaitFor([&] { return session_->rounds().size() == before + 1; }, 5000 * kSlower);
}

bool Story::flash() {
    goTo("Flash");
    if (!settle()) return false;
    auto* button = find<QPushButton>("flash");
    if (!button || !QTest::qWaitFor([&] { return button->isEnabled(); }, 5000 * kSlower)) return false;
    return click("flash") && click("confirmFlash") && settle();
}

bool Story::drive(int routeIndex) {
    goTo("Drive");
    auto* route = find<QComboBox>("route");
    if (!route) return false;
    route->setFocus();
    QTest::keyClick(route, Qt::Key_Home);
    for (int i = 0; i < routeIndex; ++i)
        QTest::keyClick(route, Qt::Key_Down);
    return click("record") && settle(300000);
}

bool Story::correct() {
    goTo("Correct");
    auto* button = window_->findChild<QPushButton*>("makeRound");
    if (!button || !QTest::qWaitFor([&] { return button->isEnabled(); }, 60000 * kSlower)) return false;
    const size_t before = session_->rounds().size();
    return click("makeRound") && session_->rounds().size() == before + 1;
}

}  // namespace brusk::app
