// SPDX-License-Identifier: GPL-3.0-or-later
#include "Story.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QListWidget>
#include <QSettings>

#include "Expect.h"
#include "app/desks/LinkDesk.h"
#include "app/desks/OpenFolder.h"
#include "app/desks/RoundDesk.h"
#include "app/desks/SheetDesk.h"
#include "app/desks/UnitChoice.h"

namespace brusk::app {

Story::Story(const QString& folder, const QString& profiles) {
    const storage::Path data = BRUSK_DATA_DIR;
    // What a person keeps (units, pinned parameters) is kept in the story's own folder.
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, temporary_.path());
    desks_ = std::make_unique<Desks>(files_, profiles.isEmpty() ? data : storage::Path(profiles.toStdString()));
    desks_->setHome(temporary_.filePath("home").toStdString());
    window_ = std::make_unique<MainWindow>(*desks_);
    const storage::Path path = folder.isEmpty() ? storage::Path(temporary_.filePath("heron").toStdString())
                                                : storage::Path(folder.toStdString());
    if (auto done = desks_->open(path, true, "Heron 1.6 T"); !done) qFatal("%s", done.error().text().c_str());
    desks_->sheet.setOwnParts(temporary_.filePath("parts.json").toStdString());
    desks_->sheet.offer(data / "heron" / "build-sheet.json");
    window_->show();
    if (!QTest::qWaitForWindowExposed(window_.get())) qWarning("the window was not exposed in time");
}

Story::~Story() {
    window_.reset();
    desks_.reset();
}

carfolder::CarFolder& Story::folder() {
    return *desks_->car.folder;
}

const std::vector<carfolder::Round>& Story::rounds() {
    return desks_->car.rounds;
}

const carfolder::Round* Story::selected() {
    return desks_->round.selected();
}

void Story::select(int64_t round) {
    desks_->round.select(round);
}

const calibration::Calibration* Story::calibration() {
    return desks_->round.calibration();
}

const calibration::EditHistory& Story::history() {
    return desks_->round.history();
}

const proposals::BuildSheet& Story::sheet() {
    return desks_->sheet.sheet();
}

void Story::setSheet(const proposals::BuildSheet& sheet) {
    desks_->sheet.setSheet(sheet);
}

void Story::undo() {
    desks_->round.undo();
}

void Story::redo() {
    desks_->round.redo();
}

void Story::saveNow() {
    desks_->round.saveNow();
}

const units::Preferences& Story::units() {
    return desks_->units.preferences();
}

void Story::chooseUnits(const units::Preferences& units) {
    desks_->units.choose(units);
}

Done Story::open(const storage::Path& folder) {
    return desks_->folder.open(folder);
}

void Story::setTimeLapse(double lapse) {
    desks_->link.setTimeLapse(lapse);
}

const link::Identity* Story::identity() {
    return desks_->link.identity();
}

bool Story::busy() {
    return desks_->link.busy();
}

LinkState Story::linkState() {
    return desks_->link.state();
}

const link::Progress& Story::progress() {
    return desks_->link.progress();
}

void Story::connectTo(const QString& choice) {
    desks_->link.connectTo(choice, desks_->folder.kits(), {});
}

bool Story::disconnectLink() {
    return desks_->link.disconnectLink();
}

bool Story::hardwareLimits() {
    return desks_->round.hardwareLimits();
}

Bytes benchFlash(Desks& desks) {
    const auto bytes = desks.car.folder->files().read(desks.car.folder->path() / "benchcar.flash");
    return bytes.value_or(Bytes{});
}

bool carHoldsRound(Desks& desks, int64_t round) {
    const auto image = *desks.car.folder->rounds().image(round);
    const auto wanted = image->bytes(0x800000, 0x100000);
    const Bytes held = benchFlash(desks);
    return wanted && held.size() == wanted->size() && std::equal(held.begin(), held.end(), wanted->begin());
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
    return QTest::qWaitFor([&] { return !desks_->link.busy(); }, timeout_ms * kSlower);
}

QString Story::message() {
    auto* text = window_->findChild<QLabel*>("message");
    return text ? text->text() : QString();
}

void Story::hurry() {
    desks_->link.setTimeLapse(0);
    if (auto* lapse = window_->findChild<QComboBox*>("timeLapse")) lapse->setCurrentIndex(lapse->count() - 1);
}

bool Story::connectBenchCar(const char* link) {
    goTo("Car");
    auto* choice = find<QComboBox>("linkChoice");
    if (!choice || choice->findData(link) < 0) return false;
    choice->setCurrentIndex(choice->findData(link));
    if (!click("carPrimary") || !settle()) return false;
    return desks_->link.state() == LinkState::Open;
}

bool Story::read() {
    goTo("Car");
    // What is read already is read again by a button of its own.
    return click(rounds().empty() ? "carPrimary" : "readAgain") && settle() && desks_->round.selected();
}

bool Story::begin(const char* link) {
    hurry();
    return connectBenchCar(link) && read();
}

MapGrid* Story::openParameter(const char* words) {
    goTo("Maps");
    auto* finder = find<QLineEdit>("finder");
    finder->clear();
    QTest::keyClicks(finder, words);
    QTest::keyClick(finder, Qt::Key_Return);
    return find<MapGrid>("mapGrid");
}

bool Story::driveAnything() {
    // The limits of the first drives have a test of their own.
    return desks_->car.folder->settings().set("stage", "Full load").has_value();
}

bool Story::makeBase() {
    if (!driveAnything()) return false;
    goTo("Base");
    auto* make = find<QPushButton>("makeBaseRound");
    if (!make || !QTest::qWaitFor([&] { return make->isEnabled(); }, 5000 * kSlower)) return false;
    const size_t before = desks_->car.rounds.size();
    // One that is asked for while the proposals are being computed is made when they are there.
    return click("makeBaseRound") &&
           QTest::qWaitFor([&] { return desks_->car.rounds.size() == before + 1; }, 5000 * kSlower);
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

bool Story::driveRoute(const char* title, std::optional<double> air_C, std::optional<double> pressure_kPa) {
    goTo("Drive");
    for (const auto& [name, value] :
         {std::pair("weatherTemperature", air_C), std::pair("weatherPressure", pressure_kPa)}) {
        auto* box = find<QDoubleSpinBox>(name);
        if (!value) continue;
        if (!box) return false;
        box->setFocus();
        box->selectAll();
        QTest::keyClicks(box, QString::number(*value));
        QTest::keyClick(box, Qt::Key_Return);
    }
    const auto* route = find<QComboBox>("route");
    const int at = route ? route->findText(title, Qt::MatchStartsWith) : -1;
    return at >= 0 && drive(at);
}

bool Story::correct() {
    goTo("Correct");
    auto* button = window_->findChild<QPushButton*>("makeRound");
    if (!button || !QTest::qWaitFor([&] { return button->isEnabled(); }, 60000 * kSlower)) return false;
    const size_t before = desks_->car.rounds.size();
    return click("makeRound") && desks_->car.rounds.size() == before + 1;
}

bool Story::openKind(const char* kind) {
    auto* kinds = find<QListWidget>("kinds");
    if (!kinds || !QTest::qWaitFor([&] { return kinds->count() > 0; }, 60000 * kSlower)) return false;
    for (int row = 0; row < kinds->count(); ++row) {
        if (kinds->item(row)->data(Qt::UserRole).toString() != kind) continue;
        const QPoint on = kinds->visualItemRect(kinds->item(row)).center() + QPoint(30, 0);
        QTest::mouseClick(kinds->viewport(), Qt::LeftButton, {}, on);
        return true;
    }
    return false;
}

}  // namespace brusk::app
