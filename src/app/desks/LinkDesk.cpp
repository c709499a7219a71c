// Opens and closes links without waiting for what runs on them, and runs one task at a time.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/LinkDesk.h"

#include "app/desks/Background.h"
#include "app/desks/Messages.h"
#include "app/link/LinkParts.h"
#include "app/link/LinkThread.h"
#include "core/job/AnyCar.h"
#include "core/job/Sensors.h"
#include "core/job/Stock.h"

namespace brusk::app {

LinkDesk::LinkDesk(storage::FileSystem& files, const CarInHand& car, Background& background, Messages& messages)
    : files_(files),
      car_(car),
      background_(background),
      messages_(messages),
      benchOrders_(std::make_unique<BenchOrders>(usualOrders())) {}

LinkDesk::~LinkDesk() {
    leave();
}

void LinkDesk::leave() {
    stop_.request_stop();
    link_.reset();
    closing_.clear();
}

link::PortStatus LinkDesk::portStatus() const {
    return link_ ? link_->status() : link::PortStatus{};
}

std::shared_ptr<const link::TrafficLog> LinkDesk::traffic() const {
    return link_ ? link_->sharedTraffic() : nullptr;
}

bool LinkDesk::isBenchCar() const {
    return link_ && link_->hasBenchCar();
}

void LinkDesk::saveTraffic(const storage::Path& path) {
    if (!link_) return;
    background_.each(
        this,
        [files = &files_, path, log = link_->sharedTraffic()] {
            return files->save(path, asBytes(can::toCandump(log->frames(), "can0")));
        },
        [this, path](Done done) {
            if (!done) return messages_.failed(done.error());
            messages_.say(tr("The traffic is in ") + QString::fromStdString(path.string()) + ".");
        });
}

void LinkDesk::connectTo(const QString& choice, const std::vector<std::shared_ptr<const job::Kit>>& kits,
                         const std::string& usual) {
    if (!car_.folder || state_ == LinkState::Connecting || !disconnectLink()) return;
    Bytes kept;
    // The bench car's memory outlives the program, as a real one's does.
    if (const auto file = LinkParts::memoryFileOf(choice.toStdString()); !file.empty())
        if (auto flash = files_.read(car_.folder->path() / file, storage::FileSystem::kReadLimit); flash)
            kept = std::move(*flash);
    auto parts = LinkParts::open(choice.toStdString(), kept);
    if (!parts) {
        state_ = LinkState::Lost;
        text_ = QString::fromStdString(parts.error().text());
        messages_.failed(parts.error());
        return emit changed();
    }
    name_ = (*parts)->hasBenchCar() ? "Bench car" : choice.mid(choice.indexOf(':') + 1);
    cablePlugged_ = true;
    if (auto done = (*parts)->order(*benchOrders_); !done) messages_.failed(done.error());
    link_ = std::make_unique<LinkThread>(std::move(*parts));
    state_ = LinkState::Connecting;
    text_ = "Asking who is there ...";
    emit changed();
    run(Task::Connect,
        [this, kits, folder = car_.folder, choice, usual](LinkParts& open,
                                                          const std::stop_token& stop) -> std::function<void()> {
            const auto goOn = [stop] { return !stop.stop_requested(); };
            auto who = job::findController(open.port(), kits, usual, goOn);
            std::shared_ptr<std::unique_ptr<job::ObdCar>> obd = std::make_shared<std::unique_ptr<job::ObdCar>>();
            // Who no profile knows may still answer what every car has to.
            if (!who && who.error().code != ErrorCode::LinkLost)
                if (auto car = job::askAnyCar(open.port(), false, goOn))
                    *obd = std::make_unique<job::ObdCar>(std::move(*car));
            QString told;
            const auto contents = who ? folder->memory().contents(who->kit->profile.sectors())
                                      : Result<carfolder::CarContents>(carfolder::CarContents{});
            if (who && who->mismatch.empty() && contents && !contents->unknown.empty() && folder->mayWrite()) {
                link::Uds uds(open.port(), who->kit->profile);
                const auto stock = job::takeStock(uds, *who->kit, *folder, job::StockScope::Everything);
                told = QString::fromStdString(stock ? stock->sentence : stock.error().text());
            }
            constexpr double kListen_s = 0.3;
            const bool answered = who || *obd;
            const auto ears =
                answered ? job::listen(open.port(), kListen_s, goOn) : Result<job::BusEars>(job::BusEars());
            return [this, who, obd, choice, told, ears] {
                linkFound(who, std::move(*obd), choice.toStdString());
                if (ears) emit heardOthers(*ears);
                if (!told.isEmpty()) emit this->told(told, false);
            };
        });
}

void LinkDesk::linkFound(Result<job::Found> who, std::unique_ptr<job::ObdCar> obd, const std::string& choice) {
    obdCar_ = std::move(obd);
    if (!who && !obdCar_) {
        state_ = LinkState::Lost;
        text_ = QString::fromStdString(who.error().text());
        messages_.failed(who.error());
        return emit changed();
    }
    state_ = LinkState::Open;
    emit connectedTo(choice);
    if (!who) {
        why_.clear();
        text_ = tr("%1 %2 to OBD requests; no profile knows its controller.")
                    .arg(obdCar_->controllers.size())
                    .arg(obdCar_->controllers.size() == 1 ? "controller answers" : "controllers answer");
        emit changed();
        return emit obdChanged();
    }
    identity_ = who->identity;
    why_ = QString::fromStdString(who->why);
    text_ = QString::fromStdString(job::answerSentence(*who->kit, who->identity));
    emit found(who->kit, who->mismatch);
    emit changed();
}

void LinkDesk::closeLink() {
    // A task may wait for an answer for seconds; that is for another thread to sit out.
    closing_.push_back(std::async(std::launch::async, [link = std::move(link_)]() mutable { link.reset(); }));
    std::erase_if(closing_, [](const std::future<void>& done) {
        return done.wait_for(std::chrono::seconds(0)) == std::future_status::ready;
    });
}

bool LinkDesk::disconnectLink() {
    if (!link_) return true;
    if (const QString held = car_.heldBy(); !held.isEmpty()) {
        messages_.say(held, true);
        return false;
    }
    stop_.request_stop();
    closeLink();
    ++generation_;
    task_ = Task::None;
    state_ = LinkState::Closed;
    text_.clear();
    identity_.reset();
    obdCar_.reset();
    emit closed();
    emit changed();
    emit taskChanged();
    return true;
}

void LinkDesk::setBenchCable(bool plugged) {
    if (!link_) return;
    cablePlugged_ = plugged;
    link_->setCable(plugged);
    if (plugged && state_ == LinkState::Lost) {
        state_ = LinkState::Open;
        text_ = "It is plugged in again.";
        emit pluggedInAgain();
    }
    emit changed();
}

void LinkDesk::orderBenchCar(const BenchOrders& orders) {
    *benchOrders_ = orders;
    if (!link_) return;
    if (auto done = link_->order(orders); !done) messages_.failed(done.error());
}

void LinkDesk::lost(const Error& error) {
    if (error.code != ErrorCode::LinkLost && !(error.cause && error.cause->code == ErrorCode::LinkLost)) return;
    state_ = LinkState::Lost;
    text_ = "The link is gone.";
    emit changed();
}

void LinkDesk::failed(const Error& error) {
    messages_.failed(error);
    lost(error);
}

void LinkDesk::heard(const link::Identity& identity, const std::string& sentence) {
    identity_ = identity;
    state_ = LinkState::Open;
    text_ = QString::fromStdString(sentence);
    emit changed();
}

void LinkDesk::setObdCar(job::ObdCar car) {
    obdCar_ = std::make_unique<job::ObdCar>(std::move(car));
    emit obdChanged();
}

void LinkDesk::run(Task task, Work work) {
    if (!link_ || busy()) return;
    task_ = task;
    stop_ = std::stop_source();
    progress_ = {};
    emit taskChanged();
    link_->post([this, lapse = timeLapse_, generation = generation_, stop = stop_.get_token(),
                 work = std::move(work)](LinkParts& open) {
        // Another day passes without pace: what follows is paced from then on.
        open.obeyOrders();
        open.setTimeLapse(lapse);
        std::function<void()> then;
        try {
            then = work(open, stop);
        } catch (const std::exception& problem) {
            // The root of this thread. A flash that ends so is one that was cut off: its journal says how far it was.
            then = [this, error = brokenError(problem)] {
                emit broke();
                messages_.failed(error);
            };
        }
        background_.calls().post([this, generation, then = std::move(then)] {
            // A link that was closed meanwhile has nothing to say any more.
            if (generation != generation_) return;
            task_ = Task::None;
            then();
            emit taskChanged();
        });
    });
}

link::OnProgress LinkDesk::reporter(const std::stop_token& stop) {
    return [this, stop](const link::Progress& progress) {
        // One report in flight at a time: the interface is never flooded.
        if (!progressPending_.exchange(true))
            background_.calls().post([this, progress] {
                progressPending_ = false;
                progress_ = progress;
                emit taskChanged();
            });
        return !stop.stop_requested();
    };
}

}  // namespace brusk::app
