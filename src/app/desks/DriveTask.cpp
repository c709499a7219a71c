// A drive as the link's thread records it: what it is told before, what it tells meanwhile.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <mutex>
#include <utility>

#include "app/desks/Background.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/LinkDesk.h"
#include "app/desks/Messages.h"
#include "app/link/LinkParts.h"
#include "core/job/Correct.h"
#include "core/job/Guards.h"
#include "core/job/ObdDrive.h"

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
    DriveWish wish;
    job::KeptSensors sensors;  ///< of a car that no profile knows
};

namespace {

/// Sends the bench car off; its route's title.
Result<std::string> startRoute(LinkParts& open, const job::Kit* kit, carfolder::CarFolder& folder,
                               std::optional<int64_t> inCar, const std::string& route) {
    if (route != kUnseenCells || !kit) return open.startRoute(route);
    if (!inCar) return fail(ErrorCode::Refused, "What the car runs is not known. Read the controller first.");
    const auto nodes = job::unseenNodes(*kit, folder, *inCar);
    if (!nodes) return tl::unexpected(nodes.error());
    if (nodes->empty()) return fail(ErrorCode::NotFound, "Every cell that a road sees has been driven on this round.");
    std::vector<BenchNode> cells;
    cells.reserve(nodes->size());
    for (const auto& node : *nodes)
        cells.push_back({node.speed_rpm, node.pressure_kPa});
    return open.startRouteThrough(cells);
}

}  // namespace

void DriveDesk::mark() {
    if (!driving()) return;
    {
        const std::scoped_lock lock(toSet_->mutex);
        toSet_->texts.push_back(std::to_string(++marks_));
    }
    emit noted();
}

Done DriveDesk::start(const DriveWish& wish) {
    if (!linkIsOpen() || !car_.folder) return fail(ErrorCode::NotFound, "Connect to the car first.");
    if (link_.busy()) return fail(ErrorCode::Conflict, "Something else is running on the link.");
    if (!car_.folder->mayWrite())
        return fail(ErrorCode::Refused, "The drive can't be recorded: " + car_.folder->whyNot());
    channels_.reset();
    layout_ = {};
    if (car_.kit) {
        auto names = wish.channels;
        auto asked = job::channelsAskedFor(*car_.kit, wish.guards, wish.arming);
        if (!asked) return tl::unexpected(asked.error());
        names.insert(names.begin(), asked->begin(), asked->end());
        auto set = job::channelSet(*car_.kit, names, wish.paces);
        if (!set) return tl::unexpected(set.error());
        channels_ = std::make_shared<const job::ChannelSet>(std::move(*set));
        layout_ = job::layoutOf(*car_.kit, *channels_);
    } else if (!link_.obdCar()) {
        return fail(ErrorCode::NotFound, "Connect to the car first.");
    }
    auto sensors = job::sensorsOf(*car_.folder);
    if (!sensors) return tl::unexpected(sensors.error());
    live_ = {};
    allMarks_.clear();
    coverage_ = channels_ ? coverageOfCar() : nullptr;
    toSet_ = std::make_shared<MarksToSet>();
    marks_ = 0;
    link_.run(Task::Drive,
              [this, orders = Orders{car_.kit, car_.folder, channels_, coverage_, toSet_, car_.contents.round, wish,
                                     std::move(*sensors)}](LinkParts& open, const std::stop_token& stop) {
                  return orders.kit ? record(open, stop, orders) : recordAnyCar(open, stop, orders);
              });
    return {};
}

job::DriveOptions DriveDesk::optionsFor(LinkParts& open, const std::stop_token& stop, const Orders& orders) {
    job::DriveOptions options;
    options.title = "Drive";
    options.throttle = true;
    options.guards = orders.wish.guards;
    options.arm = orders.wish.arming;
    options.conditions = orders.wish.conditions;
    options.ends = [stop, &open, bench = open.hasBenchCar()](double) -> std::optional<job::Ended> {
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
    options.onMark = [this](const recording::Mark& mark) {
        background_.calls().post([this, mark] {
            allMarks_.push_back(mark);
            if (mark.kind == "check") messages_.say(QString::fromStdString(mark.text));
            emit noted();
        });
    };
    options.onTrip = [this](const drive::Guard& guard) {
        background_.calls().post([this, guard] { emit tripped(QString::fromStdString(guard.sentence), guard.sound); });
    };
    options.onWaiting = [this](const std::string& sentence) {
        background_.calls().post([this, sentence] {
            waiting_ = QString::fromStdString(sentence);
            // What the car said before it fell silent is not what it says now, whoever asks.
            live_.values.clear();
            emit noted();
        });
    };
    if (const auto& coverage = orders.coverage)
        options.onRow = [coverage](double time_s, std::span<const float> values) { coverage->row(time_s, values); };
    options.onLive = [this](const job::LiveRow& row) {
        if (livePending_.exchange(true)) return;
        background_.calls().post([this, row] {
            livePending_ = false;
            live_ = row;
            emit liveChanged();
        });
    };
    return options;
}

std::function<void()> DriveDesk::record(LinkParts& open, const std::stop_token& stop, const Orders& orders) {
    auto options = optionsFor(open, stop, orders);
    if (open.hasBenchCar()) {
        auto title = startRoute(open, orders.kit.get(), *orders.folder, orders.inCar, orders.wish.route);
        if (!title) return [this, error = title.error()] { ended(tl::unexpected(error)); };
        options.title = std::move(*title);
    }
    link::Uds uds(open.port(), orders.kit->profile);
    auto outcome = job::recordDrive(uds, *orders.kit, *orders.folder, *orders.channels, options);
    // The engine runs down, so that the next step finds it standing.
    open.stopRoute();
    return [this, outcome] { ended(outcome); };
}

std::function<void()> DriveDesk::recordAnyCar(LinkParts& open, const std::stop_token& stop, const Orders& orders) {
    const auto failed = [this](const Error& error) { return [this, error] { ended(tl::unexpected(error)); }; };
    auto options = optionsFor(open, stop, orders);
    auto plan = job::planObdDrive(open.port(), {}, [stop] { return !stop.stop_requested(); });
    if (!plan) return failed(plan.error());
    if (open.hasBenchCar()) {
        auto title = startRoute(open, nullptr, *orders.folder, std::nullopt, orders.wish.route);
        if (!title) return failed(title.error());
        options.title = std::move(*title);
    }
    job::ObdRecorder recorder(open.port(), std::move(*plan), job::messagesOf(orders.sensors), orders.sensors.sensors);
    const auto layout = recorder.layout();
    background_.calls().post([this, layout] { layout_ = layout; });
    auto outcome = job::recordObd(recorder, *orders.folder, nullptr, options);
    open.stopRoute();
    if (!outcome) return failed(outcome.error());
    return [this, outcome] { ended(outcome->drive); };
}

}  // namespace brusk::app
