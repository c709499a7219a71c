// Hands every question on to the desk that knows.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/MapsWork.h"

#include <cmath>

#include "app/desks/CarInHand.h"
#include "app/desks/DefinitionDesk.h"
#include "app/desks/Desks.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/desks/ReferenceDesk.h"
#include "app/desks/RoundDesk.h"
#include "app/desks/UnitChoice.h"
#include "core/evidence/Sampled.h"

namespace brusk::app {

MapsWork::MapsWork(Desks& desks, QObject* parent) : QObject(parent), desks_(desks) {
    connect(&desks.round, &RoundDesk::calibrationChanged, this, &MapsWork::calibrationChanged);
    connect(&desks.reference, &ReferenceDesk::changed, this, &MapsWork::referenceChanged);
    connect(&desks.evidence, &EvidenceDesk::changed, this, &MapsWork::drivenChanged);
    connect(&desks.car, &CarInHand::definitionChanged, this, &MapsWork::definitionChanged);
    connect(&desks.car, &CarInHand::changed, this, &MapsWork::definitionChanged);
    for (auto one : {&MapsWork::calibrationChanged, &MapsWork::referenceChanged, &MapsWork::drivenChanged,
                     &MapsWork::definitionChanged})
        connect(this, one, this, &MapsWork::changed);
    connect(&desks.places, &Places::roundShown, this, &MapsWork::changed);
    connect(&desks.units, &UnitChoice::changed, this, &MapsWork::changed);
    for (auto signal : {&DriveDesk::liveChanged, &DriveDesk::noted})
        connect(&desks.drive, signal, this, &MapsWork::nowMoved);
    connect(&desks.drive, &DriveDesk::driveChanged, this, &MapsWork::nowMoved);
    connect(&desks.playback, &Playback::momentChanged, this, &MapsWork::nowMoved);
    connect(&desks.places, &Places::wanted, this, [this](const Place& place) {
        if (!place.role.isEmpty()) emit roleWanted(place.role);
    });
}

bool MapsWork::isToLookAt() const {
    return desks_.round.isToLookAt();
}

const calibration::Calibration* MapsWork::calibration() const {
    return desks_.round.calibration();
}

Done MapsWork::edit(const calibration::Edit& edit) {
    return desks_.round.edit(edit);
}

void MapsWork::undo() {
    desks_.round.undo();
}

void MapsWork::redo() {
    desks_.round.redo();
}

const calibration::EditHistory& MapsWork::history() const {
    return desks_.round.history();
}

const calibration::SharedBytes* MapsWork::sharedBytes() const {
    return desks_.round.sharedBytes();
}

void MapsWork::setHardwareLimits(bool allow) {
    desks_.round.setHardwareLimits(allow);
}

const calibration::Calibration* MapsWork::reference() const {
    return desks_.reference.reference();
}

std::shared_ptr<const calibration::Calibration> MapsWork::referenceNamed(const QString& key) const {
    return desks_.reference.named(key);
}

QString MapsWork::referenceName() const {
    return desks_.reference.name();
}

QString MapsWork::referenceKey() const {
    return desks_.reference.key();
}

std::vector<std::pair<QString, QString>> MapsWork::referenceChoices() const {
    std::vector<std::pair<QString, QString>> out;
    for (const auto& choice : desks_.reference.choices())
        out.emplace_back(choice.key, choice.name);
    return out;
}

void MapsWork::setReference(const QString& key) {
    desks_.reference.choose(key);
}

Done MapsWork::addDonor(const storage::Path& image, const storage::Path& definitionFile) {
    return desks_.reference.addDonor(image, definitionFile);
}

std::shared_ptr<const definition::Definition> MapsWork::definition() const {
    return desks_.car.kit ? desks_.car.kit->definition : nullptr;
}

void MapsWork::changeDefinition(std::string text, std::function<void()> then) {
    desks_.definition.change(std::move(text), std::move(then));
}

storage::FileSystem* MapsWork::files() const {
    return desks_.car.folder ? &desks_.car.folder->files() : nullptr;
}

std::shared_ptr<const evidence::Drives> MapsWork::driven() const {
    return desks_.evidence.behind(desks_.places.round());
}

void MapsWork::loadDriven() {
    desks_.evidence.load(desks_.places.round());
}

double MapsWork::nowAlong(const calibration::AxisValues& axis) const {
    const auto* calibration = desks_.round.calibration();
    if (!calibration) return std::nan("");
    const auto input = evidence::axisInput(calibration->definition(), axis);
    if (desks_.drive.driving()) return desks_.drive.along(input);
    const auto& recording = desks_.playback.recording();
    if (!recording) return std::nan("");
    return evidence::valueAlong(*recording, input, desks_.playback.time_s(), units().stoichiometric)
        .value_or(std::nan(""));
}

void MapsWork::playOrHalt() {
    desks_.playback.play(!desks_.playback.playing());
}

const units::Preferences& MapsWork::units() const {
    return desks_.units.preferences();
}

void MapsWork::say(const QString& sentence, bool alarm) {
    desks_.messages.say(sentence, alarm);
}

Background& MapsWork::background() const {
    return desks_.background;
}

}  // namespace brusk::app
