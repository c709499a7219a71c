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
#include "app/link/LinkParts.h"
#include "core/evidence/Sampled.h"
#include "core/job/Correct.h"

namespace brusk::app {

/// On their way to the thread that samples.
struct DriveDesk::MarksToSet {
    std::mutex mutex;
    std::vector<std::string> texts;  // guarded by it
};

/// Copies: the car in hand may be another while the link's thread drives.
struct DriveDesk::Orders {
    std::shared_ptr<const job::Kit> kit;
    std::shared_ptr<carfolder::CarFolder> folder;
    std::shared_ptr<const job::ChannelSet> channels;
    std::shared_ptr<job::LiveCoverage> coverage;
    std::shared_ptr<MarksToSet> marks;
    std::optional<int64_t> inCar;
    std::string route;
};

namespace {

/// Sends the bench car off; its route's title.
Result<std::string> startRoute(LinkParts& open, const job::Kit& kit, carfolder::CarFolder& folder,
                               std::optional<int64_t> inCar, const std::string& route) {
    if (route != kUnseenCells) return open.startRoute(route);
    if (!inCar) return fail(ErrorCode::Refused, "What the car runs is not known. Read the controller first.");
    const auto nodes = job::unseenNodes(kit, folder, *inCar);
    if (!nodes) return tl::unexpected(nodes.error());
    if (nodes->empty()) return fail(ErrorCode::NotFound, "Every cell that a road sees has been driven on this round.");
    std::vector<BenchNode> cells;
    cells.reserve(nodes->size());
    for (const auto& node : *nodes)
        cells.push_back({node.speed_rpm, node.pressure_kPa});
    return open.startRouteThrough(cells);
}

}  // namespace

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

void DriveDesk::mark() {
    if (!driving()) return;
    {
        const std::scoped_lock lock(toSet_->mutex);
        toSet_->texts.push_back(std::to_string(++marks_));
    }
    emit noted();
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

Done DriveDesk::start(const std::vector<std::string>& channels, const std::string& route) {
    if (!car_.kit || !linkIsOpen()) return fail(ErrorCode::NotFound, "Connect to the car first.");
    if (link_.busy()) return fail(ErrorCode::Conflict, "Something else is running on the link.");
    auto set = job::channelSet(*car_.kit, channels);
    if (!set) return tl::unexpected(set.error());
    channels_ = std::make_shared<const job::ChannelSet>(std::move(*set));
    externalNames_.clear(), externalRoles_.clear();
    for (const auto& message : car_.kit->externalSensors)
        for (const auto& signal : message.signalList) {
            externalNames_.push_back(signal.name);
            externalRoles_.push_back(job::roleOfSignal(message, signal));
        }
    live_ = {};
    coverage_ = coverageOfCar();
    toSet_ = std::make_shared<MarksToSet>();
    marks_ = 0;
    link_.run(Task::Drive,
              [this, orders = Orders{car_.kit, car_.folder, channels_, coverage_, toSet_, car_.contents.round, route}](
                  LinkParts& open, const std::stop_token& stop) { return record(open, stop, orders); });
    return {};
}

std::function<void()> DriveDesk::record(LinkParts& open, const std::stop_token& stop, const Orders& orders) {
    job::DriveOptions options;
    options.title = "Drive";
    options.throttle = true;
    const bool bench = open.hasBenchCar();
    if (bench) {
        auto title = startRoute(open, *orders.kit, *orders.folder, orders.inCar, orders.route);
        if (!title) return [this, error = title.error()] { ended(tl::unexpected(error)); };
        options.title = std::move(*title);
    }
    options.ends = [stop, &open, bench](double) -> std::optional<job::Ended> {
        open.obeyOrders();
        const bool goesOn = !stop.stop_requested() && (!bench || open.onRoute());
        return goesOn ? std::nullopt : std::optional(job::Ended::Asked);
    };
    options.onTrouble = [this](const std::string& sentence) {
        background_.calls().post([this, sentence] { messages_.say(QString::fromStdString(sentence), true); });
    };
    options.marks = [marks = orders.marks] {
        const std::scoped_lock lock(marks->mutex);
        return std::exchange(marks->texts, {});
    };
    options.onWaiting = [this](const std::string& sentence) {
        background_.calls().post([this, sentence] {
            waiting_ = QString::fromStdString(sentence);
            // What the car said before it fell silent is not what it says now, whoever asks.
            live_.values.clear(), live_.external.clear();
            emit noted();
        });
    };
    if (const auto& coverage = orders.coverage)
        options.onRow = [coverage](double time_s, const std::vector<float>& values) { coverage->row(time_s, values); };
    options.onLive = [this](const job::LiveRow& row) {
        if (livePending_.exchange(true)) return;
        background_.calls().post([this, row] {
            livePending_ = false;
            live_ = row;
            emit liveChanged();
        });
    };
    link::Uds uds(open.port(), orders.kit->profile);
    auto outcome = job::recordDrive(uds, *orders.kit, *orders.folder, *orders.channels, options);
    // The engine runs down, so that the next step finds it standing.
    open.stopRoute();
    return [this, outcome] { ended(outcome); };
}

void DriveDesk::ended(const Result<job::DriveOutcome>& outcome) {
    if (outcome) emit recorded(outcome->entry.round.value_or(-1));
    if (!outcome) return messages_.failed(outcome.error());
    if (outcome->problem) return link_.failed(*outcome->problem);
    messages_.say(tr("Recorded %1 s in %2 rows, %3.")
                      .arg(outcome->entry.duration_s, 0, 'f', 0)
                      .arg(outcome->entry.samples)
                      .arg(QString::fromStdString(job::gapsText(outcome->entry.gaps))));
}

double DriveDesk::value(const std::string& channel) const {
    if (!channels_) return std::nan("");
    for (size_t i = 0; i < channels_->measurements.size() && i < live_.values.size(); ++i)
        if (channels_->measurements[i]->name == channel) return static_cast<double>(live_.values[i]);
    for (size_t i = 0; i < externalNames_.size() && i < live_.external.size(); ++i)
        if (externalNames_[i] == channel) return static_cast<double>(live_.external[i]);
    return std::nan("");
}

double DriveDesk::along(const evidence::AxisInput& input) const {
    const auto at = channels_ ? job::liveAlong(*channels_, input) : std::nullopt;
    return at && at->channel < live_.values.size() ? at->shown(static_cast<double>(live_.values[at->channel]))
                                                   : std::nan("");
}

double DriveDesk::role(roles::Role role) const {
    if (!channels_) return std::nan("");
    for (size_t i = 0; i < channels_->measurements.size() && i < live_.values.size(); ++i)
        if (role == channels_->measurements[i]->role) {
            const auto shown = evidence::intoRole(channels_->definition->unitOf(*channels_->measurements[i]), role);
            return shown ? (*shown)(static_cast<double>(live_.values[i])) : std::nan("");
        }
    for (size_t i = 0; i < externalRoles_.size() && i < live_.external.size(); ++i)
        if (role == externalRoles_[i]) return static_cast<double>(live_.external[i]);
    return std::nan("");
}

}  // namespace brusk::app
