// Guards of one's own are kept in the user's settings, what is in the tank in the car's folder.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/WatchDesk.h"

#include <QSettings>

#include "app/desks/LinkDesk.h"
#include "app/desks/SheetDesk.h"
#include "core/base/Text.h"
#include "core/job/AnyCar.h"
#include "core/job/Keeping.h"
#include "core/job/ObdDrive.h"

namespace brusk::app {
namespace {

constexpr const char* kTank = "tank";

std::string keyOf(const drive::Guard& guard) {
    return guard.id.empty() ? guard.condition : guard.id;
}

QString text(const std::string& from) {
    return QString::fromStdString(from);
}

}  // namespace

Sound& WatchDesk::sound() {
    if (!sound_) sound_ = std::make_unique<Sound>(files_, home_);
    return *sound_;
}

WatchDesk::WatchDesk(storage::FileSystem& files, const CarInHand& car, const LinkDesk& link, const SheetDesk& sheet)
    : files_(files), car_(car), link_(link), sheet_(sheet) {
    connect(&sheet, &SheetDesk::sheetChanged, this, &WatchDesk::changed);
    connect(&link, &LinkDesk::obdChanged, this, &WatchDesk::changed);
    QSettings settings("Brusk", "Brusk");
    if (const QString kept = settings.value("guards").toString(); !kept.isEmpty()) {
        if (auto guards = job::guardsFromJson(kept.toStdString()))
            own_ = std::move(*guards);
        else
            settings.setValue("guardsUnreadable", kept);  // the next change writes over the others
    }
    for (const QString& off : settings.value("guardsOff").toStringList())
        off_.insert(off.toStdString());
}

void WatchDesk::keep() {
    QSettings settings("Brusk", "Brusk");
    settings.setValue("guards", text(job::toJson(own_)));
    QStringList off;
    for (const std::string& one : off_)
        off << text(one);
    settings.setValue("guardsOff", off);
    emit changed();
}

std::optional<recording::Vocabulary> WatchDesk::vocabulary() const {
    if (car_.kit) return recording::vocabularyOf(job::everythingOf(*car_.kit));
    const auto* obd = link_.obdCar();
    if (!obd || !car_.folder) return std::nullopt;
    const auto kept = job::sensorsOf(*car_.folder);
    return recording::vocabularyOf(job::everythingOf(obd->controllers, kept ? *kept : job::KeptSensors()));
}

std::vector<WatchDesk::Row> WatchDesk::rows() const {
    std::vector<Row> out;
    const auto known = vocabulary();
    if (!known) return out;
    const auto shipped = job::guardsFor(*known, sheet_.sheet());
    for (const auto& guard : shipped.guards)
        out.push_back({guard, !off_.contains(guard.id), false, {}});
    for (const auto& guard : own_) {
        const auto asked = job::askable(*known, {guard}, {});
        out.push_back(
            {guard, asked && !off_.contains(guard.condition), true, asked ? QString() : text(asked.error().text())});
    }
    for (const auto& lack : shipped.lacks) {
        drive::Guard guard;
        guard.id = lack.kind.id;
        guard.title = lack.kind.title;
        out.push_back({guard, false, false, tr("nobody plays %1").arg(text(std::string(lack.roles[0].title())))});
    }
    return out;
}

Result<std::vector<job::KeptSet>> WatchDesk::sets() const {
    if (!car_.kit || home_.empty()) return std::vector<job::KeptSet>();
    auto all = job::loadSets(files_, home_);
    if (!all) return tl::unexpected(all.error());
    return (*all)[car_.kit->profile.controller];
}

Done WatchDesk::keepSet(const job::KeptSet& set) {
    if (!car_.kit) return fail(ErrorCode::NotFound, "Connect to the car first: a set is kept for its controllers.");
    return job::keepSet(files_, home_, car_.kit->profile.controller, set);
}

Done WatchDesk::forgetSet(const std::string& name) {
    if (!car_.kit) return fail(ErrorCode::NotFound, "Connect to the car first: a set is kept for its controllers.");
    return job::forgetSet(files_, home_, car_.kit->profile.controller, name);
}

void WatchDesk::turn(const drive::Guard& guard, bool on) {
    if (on)
        off_.erase(keyOf(guard));
    else
        off_.insert(keyOf(guard));
    keep();
}

Done WatchDesk::addOwn(const QString& line) {
    const auto known = vocabulary();
    if (!known) return fail(ErrorCode::NotFound, "Connect to the car first: a guard is asked of what it tells.");
    auto guard = job::guardFromText(*known, line.toStdString());
    if (!guard) return tl::unexpected(guard.error());
    own_.push_back(std::move(*guard));
    keep();
    return {};
}

void WatchDesk::forgetOwn(const drive::Guard& guard) {
    std::erase(own_, guard);
    off_.erase(keyOf(guard));
    keep();
}

std::vector<drive::Guard> WatchDesk::chosen() const {
    std::vector<drive::Guard> out;
    for (Row& row : rows())
        if (row.on) out.push_back(std::move(row.guard));
    return out;
}

Done WatchDesk::arm(const std::optional<drive::Arming>& arming) {
    if (const auto known = arming ? vocabulary() : std::nullopt)
        if (auto asked = job::askable(*known, {}, arming); !asked) return asked;
    arming_ = arming;
    emit changed();
    return {};
}

carfolder::Conditions WatchDesk::tank() const {
    if (car_.folder)
        if (const auto kept = car_.folder->settings().get(kTank); kept && !kept->empty())
            return carfolder::conditionsFromJson(*kept);
    carfolder::Conditions out;
    out.octane_RON = sheet_.sheet().of(proposals::Fact::Octane);
    out.ethanol_pct = sheet_.sheet().of(proposals::Fact::Ethanol);
    return out;
}

bool WatchDesk::tankIsUntold() const {
    return tank() == carfolder::Conditions();
}

QString WatchDesk::tankText() const {
    const auto now = tank();
    QStringList out;
    if (!now.fuel.empty()) out << text(now.fuel);
    if (now.octane_RON) out << tr("%1 RON").arg(*now.octane_RON, 0, 'f', 0);
    if (now.ethanol_pct) out << tr("%1 % ethanol").arg(*now.ethanol_pct, 0, 'f', 0);
    return out.join(", ");
}

Done WatchDesk::tellTank(const carfolder::Conditions& tank) {
    if (auto may = car_.mayWrite(); !may) return may;
    // "Nobody knows" is an answer too, and is not asked for again.
    carfolder::Conditions said = tank;
    if (said == carfolder::Conditions()) said.note = tr("not known").toStdString();
    auto done = car_.folder->settings().set(kTank, carfolder::conditionsJson(said));
    if (done) emit changed();
    return done;
}

}  // namespace brusk::app
