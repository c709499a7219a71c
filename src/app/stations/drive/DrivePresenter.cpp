// Keeps the last rows of the watched roles and asks the drive's desk for the rest.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/drive/DrivePresenter.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "app/desks/CarInHand.h"
#include "app/desks/Desks.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/LinkDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/OpenFolder.h"
#include "app/desks/SensorDesk.h"
#include "app/desks/UnitChoice.h"
#include "app/desks/WatchDesk.h"
#include "core/evidence/MixtureRatio.h"
#include "core/job/Purposes.h"

namespace brusk::app {

DrivePresenter::DrivePresenter(Desks& desks, QObject* parent) : QObject(parent), desks_(desks) {
    connect(&desks.drive, &DriveDesk::liveChanged, this, &DrivePresenter::take);
    connect(&desks.drive, &DriveDesk::driveChanged, this, &DrivePresenter::driveChanged);
    connect(&desks.drive, &DriveDesk::linkChanged, this, &DrivePresenter::changed);
    connect(&desks.drive, &DriveDesk::noted, this, &DrivePresenter::changed);
    connect(&desks.drive, &DriveDesk::linkChanged, this, &DrivePresenter::channelsChanged);
    for (auto signal : {&CarInHand::roundsChanged, &CarInHand::changed})
        connect(&desks.car, signal, this, &DrivePresenter::changed);
    connect(&desks.sensors, &SensorDesk::changed, this, &DrivePresenter::changed);
    connect(&desks.watch, &WatchDesk::changed, this, &DrivePresenter::changed);
    connect(&desks.units, &UnitChoice::changed, this, &DrivePresenter::unitsChanged);
}

bool DrivePresenter::driving() const {
    return desks_.drive.driving();
}

bool DrivePresenter::mayRecord() const {
    return desks_.drive.ready() && (desks_.car.contents.round || isAnyCar());
}

bool DrivePresenter::isAnyCar() const {
    return !desks_.car.kit && desks_.link.obdCar();
}

bool DrivePresenter::tankIsUntold() const {
    return desks_.watch.tankIsUntold();
}

bool DrivePresenter::isBenchCar() const {
    return desks_.drive.isBenchCar();
}

QString DrivePresenter::situation() const {
    const auto& inCar = desks_.car.contents.round;
    const auto* round = inCar ? desks_.car.round(*inCar) : nullptr;
    if (waiting()) return desks_.drive.waiting();
    if (driving() && desks_.watch.arming())
        return desks_.drive.live().kept && desks_.drive.live().stretches
                   ? tr("armed: stretch %1 is recorded").arg(desks_.drive.live().stretches)
                   : tr("armed: waits for %1 \u00b7 %2 kept so far")
                         .arg(QString::fromStdString(desks_.watch.arming()->condition))
                         .arg(desks_.drive.live().stretches);
    if (driving()) return round ? tr("recording on round %1").arg(round->number) : QString("recording");
    if (!desks_.drive.linkIsOpen()) return "Connect on the Car station, then record.";
    if (isAnyCar()) return tr("no profile knows this car: what every car tells is recorded, by OBD");
    if (!round) return desks_.folder.carSentence();
    const QString tank = desks_.watch.tankText();
    return tr("the car runs round %1, %2; the recording will belong to it%3")
        .arg(round->number)
        .arg(QString::fromStdString(round->title))
        .arg(tank.isEmpty() ? QString() : " \u00b7 " + tank);
}

void DrivePresenter::record(const job::KeptSet& channels, const std::string& route, double lapse) {
    time_s_.clear();
    columns_.assign(watched_.size(), {});
    desks_.drive.setTimeLapse(lapse);
    const DriveWish wish{channels.channels,   route,         desks_.watch.chosen(), desks_.watch.arming(),
                         desks_.watch.tank(), channels.paces};
    if (auto done = desks_.drive.start(wish); !done) desks_.messages.failed(done.error());
}

void DrivePresenter::stop() {
    desks_.drive.stop();
}

void DrivePresenter::mark() {
    desks_.drive.mark();
}

int DrivePresenter::marks() const {
    return desks_.drive.marks();
}

bool DrivePresenter::waiting() const {
    return driving() && !desks_.drive.waiting().isEmpty();
}

std::vector<DrivePresenter::Channel> DrivePresenter::channels() const {
    std::vector<Channel> out;
    if (!desks_.car.kit) return out;
    const auto& d = *desks_.car.kit->definition;
    for (const auto& m : d.measurements)
        out.push_back({m.name, QString::fromStdString(m.title() + (d.unitOf(m).empty() ? "" : ", " + d.unitOf(m))),
                       QString::fromStdString(m.description), desks_.car.kit->profile.paceOr(job::proposedPace(d, m))});
    return out;
}

DrivePresenter::ForPurposes DrivePresenter::channelsFor(const std::vector<const roles::Purpose*>& purposes) const {
    ForPurposes out;
    if (!desks_.car.kit) return out;
    if (purposes.empty()) {
        out.names = job::usualChannels(*desks_.car.kit->definition);
        return out;
    }
    auto chosen = job::channelsFor(*desks_.car.kit, purposes);
    out.names = std::move(chosen.names);
    for (const job::Lack& lack : chosen.lacks)
        out.lacks << QString::fromStdString(job::lackSentence(lack));
    return out;
}

DrivePresenter::Cost DrivePresenter::cost(const job::KeptSet& channels) const {
    if (isAnyCar()) return {tr("all that the car tells by OBD"), true, {}};
    if (!desks_.car.kit) return {};
    // What is watched is recorded too.
    auto names = channels.channels;
    if (const auto asked = job::channelsAskedFor(*desks_.car.kit, desks_.watch.chosen(), desks_.watch.arming()))
        names.insert(names.begin(), asked->begin(), asked->end());
    const auto set = job::channelSet(*desks_.car.kit, names, channels.paces);
    if (!set)
        return {QString::fromStdString(set.error().message), false,
                job::tooMany(*desks_.car.kit, names, channels.paces)};
    QStringList parts;
    for (const auto& one : job::classesOf(*desks_.car.kit, *set))
        parts << tr("%1 at %2").arg(one.size).arg(one.rate_hz, 0, 'f', 0);
    return {tr("link %1 % \u00b7 %2 Hz").arg(set->plan.busLoad * 100, 0, 'f', 0).arg(parts.join(", ")), true, {}};
}

std::vector<DrivePresenter::Rate> DrivePresenter::rates() const {
    std::vector<Rate> out;
    if (!desks_.car.kit) return out;
    const auto& profile = desks_.car.kit->profile;
    for (const link::Pace pace : link::kPaces)
        if (profile.period_us(pace) > 0)
            out.push_back({pace, tr("%1 Hz").arg(1e6 / static_cast<double>(profile.period_us(pace)), 0, 'f', 0)});
    return out;
}

std::vector<job::KeptSet> DrivePresenter::sets() const {
    auto sets = desks_.watch.sets();
    if (sets) return std::move(*sets);
    desks_.messages.failed(sets.error());
    return {};
}

bool DrivePresenter::keepSet(const job::KeptSet& set) {
    const auto done = desks_.watch.keepSet(set);
    if (!done) desks_.messages.failed(done.error());
    return done.has_value();
}

void DrivePresenter::forgetSet(const std::string& name) {
    if (auto done = desks_.watch.forgetSet(name); !done) desks_.messages.failed(done.error());
}

std::vector<DrivePresenter::Channel> DrivePresenter::voltages() const {
    std::vector<Channel> spare, others;
    if (!desks_.car.kit) return spare;
    const auto& d = *desks_.car.kit->definition;
    for (const auto& m : d.measurements) {
        if (d.unitOf(m) != "V" || (!m.role.empty() && m.role != "spare_input")) continue;
        (m.role.empty() ? others : spare)
            .push_back({m.name, QString::fromStdString(m.title()), QString::fromStdString(m.description)});
    }
    spare.insert(spare.end(), others.begin(), others.end());
    return spare;
}

std::vector<DrivePresenter::OwnSensor> DrivePresenter::ownSensors() const {
    std::vector<OwnSensor> out;
    if (!desks_.car.kit) {
        for (const auto& sensor : desks_.sensors.kept())
            if (!sensor.analogue()) out.push_back({sensor, true});
        return out;
    }
    const auto& kit = *desks_.car.kit;
    for (const auto& message : kit.externalSensors)
        for (const auto& signal : message.signalList) {
            const auto* kept = drive::sensorOf(kit.sensors, message.name, signal.name);
            out.push_back({kept ? *kept : job::asItComes(message, signal), kept != nullptr});
            out.back().sensor.title = message.name + ", " + signal.name;
        }
    for (const auto& sensor : kit.sensors)
        if (sensor.analogue()) out.push_back({sensor, true});
    return out;
}

size_t DrivePresenter::offers() const {
    std::set<std::string> senders;
    for (const auto& offer : desks_.sensors.offers())
        if (!offer.sensor.role.empty()) senders.insert(offer.sensor.message);
    return senders.size();
}

std::vector<std::string> DrivePresenter::unitsLike(const std::string& unit) {
    std::vector<std::string> out{unit};
    if (const auto* known = units::findUnit(unit))
        for (const auto other : units::unitsOf(known->quantity))
            if (other != unit) out.emplace_back(other);
    return out;
}

std::vector<roles::Role> DrivePresenter::rolesLike(const std::string& unit) {
    std::vector<roles::Role> out;
    const auto* own = units::findUnit(unit);
    for (const auto& meaning : roles::known()) {
        const auto* its = units::findUnit(meaning.unit);
        if (meaning.measured() && own && its && own->quantity == its->quantity)
            out.push_back(*roles::Role::named(meaning.id));
    }
    return out;
}

double DrivePresenter::value(const std::string& channel) const {
    return desks_.drive.driving() ? desks_.drive.value(channel) : std::nan("");
}

const std::vector<recording::Mark>& DrivePresenter::allMarks() const {
    return desks_.drive.allMarks();
}

double DrivePresenter::now(roles::Role role) const {
    return desks_.drive.role(role);
}

double DrivePresenter::fuelOff_pct() const {
    if (now("fuel_cut") != 0) return std::nan("");
    return evidence::airRatioOf(now("lambda_measured"), now("lambda_asked"), now("short_trim") / 100,
                                now("long_trim") / 100) *
               100 -
           100;
}

void DrivePresenter::watch(std::vector<roles::Role> roles) {
    watched_ = std::move(roles);
    columns_.assign(watched_.size(), {});
}

void DrivePresenter::take() {
    constexpr size_t kMost = 40000;
    if (time_s_.size() >= kMost) {
        const auto half = static_cast<long>(kMost / 2);
        time_s_.erase(time_s_.begin(), time_s_.begin() + half);
        for (auto& column : columns_)
            column.erase(column.begin(), column.begin() + half);
    }
    time_s_.push_back(desks_.drive.live().time_s);
    for (size_t i = 0; i < watched_.size(); ++i)
        columns_[i].push_back(static_cast<float>(now(watched_[i])));
}

bool DrivePresenter::carIsSealed() const {
    const auto* round = desks_.car.contents.round ? desks_.car.round(*desks_.car.contents.round) : nullptr;
    return round && round->sealed;
}

std::shared_ptr<const job::LiveCoverage> DrivePresenter::coverage() const {
    return desks_.drive.coverage();
}

const BenchOrders& DrivePresenter::benchOrders() const {
    return desks_.drive.benchOrders();
}

void DrivePresenter::order(const BenchOrders& orders) {
    desks_.drive.order(orders);
}

void DrivePresenter::setTimeLapse(double lapse) {
    desks_.drive.setTimeLapse(lapse);
}

const units::Preferences& DrivePresenter::units() const {
    return desks_.units.preferences();
}

}  // namespace brusk::app
