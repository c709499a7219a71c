// Starts the route and the recording on the link's thread, and takes its newest row at the window's own pace.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/DriveDesk.h"

#include <cmath>
#include <mutex>
#include <utility>

#include "app/desks/Background.h"
#include "app/desks/LinkDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/Playback.h"
#include "core/evidence/Sampled.h"
#include "core/job/Correct.h"

namespace brusk::app {

DriveDesk::DriveDesk(const CarInHand& car, LinkDesk& link, Playback& playback, Background& background,
                     Messages& messages)
    : car_(car), link_(link), playback_(playback), background_(background), messages_(messages) {
    for (auto signal : {&LinkDesk::changed, &LinkDesk::taskChanged})
        connect(&link_, signal, this, &DriveDesk::linkChanged);
    connect(&link_, &LinkDesk::taskChanged, this, &DriveDesk::noticeTask);
}

/// However a drive ends, also when its link is closed or it breaks off: nothing that waits for it waits on.
void DriveDesk::noticeTask() {
    if (driving() == drove_) return;
    drove_ = driving();
    waiting_.clear();
    playback_.setHeld(drove_);
    emit driveChanged();
}

bool DriveDesk::linkIsOpen() const {
    return link_.state() == LinkState::Open;
}

bool DriveDesk::ready() const {
    return link_.ready();
}

bool DriveDesk::isBenchCar() const {
    return link_.isBenchCar();
}

const BenchOrders& DriveDesk::benchOrders() const {
    return link_.benchOrders();
}

void DriveDesk::order(const BenchOrders& orders) {
    link_.orderBenchCar(orders);
}

void DriveDesk::setTimeLapse(double lapse) {
    link_.setTimeLapse(lapse);
}

bool DriveDesk::driving() const {
    return link_.task() == Task::Drive;
}

void DriveDesk::stop() {
    if (driving()) link_.cancelTask();
}

double DriveDesk::valueNow(const std::string& channel) const {
    return driving() ? value(channel) : playback_.value(channel);
}

std::shared_ptr<job::LiveCoverage> DriveDesk::coverageOfCar() const {
    if (!car_.folder || !car_.contents.round) return nullptr;
    const auto inCar = job::calibrationOf(*car_.kit, *car_.folder, *car_.contents.round);
    const auto* map = car_.kit->definition->parameterWithRole("ve_map");
    if (!inCar || !map) return nullptr;
    auto table = inCar->read(*map);
    return table ? std::make_shared<job::LiveCoverage>(*car_.kit, std::move(*table), *channels_) : nullptr;
}

void DriveDesk::ended(const Result<job::DriveOutcome>& outcome) {
    if (outcome) emit recorded(outcome->entry.round.value_or(-1));
    if (!outcome) return messages_.failed(outcome.error());
    longestAway_s_ = outcome->longestAway_s;
    if (outcome->problem) return link_.failed(*outcome->problem);
    messages_.say(tr("Recorded %1 s in %2 rows, %3.")
                      .arg(outcome->entry.duration_s, 0, 'f', 0)
                      .arg(outcome->entry.samples)
                      .arg(QString::fromStdString(job::gapsText(outcome->entry.gaps))));
}

double DriveDesk::at(size_t channel) const {
    return channel < live_.values.size() ? static_cast<double>(live_.values[channel]) : std::nan("");
}

double DriveDesk::value(const std::string& channel) const {
    size_t i = 0;
    for (const auto& group : layout_.groups)
        for (const auto& one : group.channels) {
            if (one.name == channel) return at(i);
            ++i;
        }
    return std::nan("");
}

double DriveDesk::along(const evidence::AxisInput& input) const {
    const auto at = channels_ ? job::liveAlong(*channels_, input) : std::nullopt;
    return at && at->channel < live_.values.size() ? at->shown(static_cast<double>(live_.values[at->channel]))
                                                   : std::nan("");
}

double DriveDesk::role(roles::Role role) const {
    size_t i = 0;
    for (const auto& group : layout_.groups)
        for (const auto& one : group.channels) {
            if (role == one.role) {
                const auto shown = evidence::intoRole(one.unit, role);
                return shown ? (*shown)(at(i)) : std::nan("");
            }
            ++i;
        }
    return std::nan("");
}

}  // namespace brusk::app
