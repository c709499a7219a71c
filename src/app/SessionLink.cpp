// The part of the session that works on the link: every job runs on the link thread and hands its result back.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPointer>
#include <algorithm>
#include <cmath>

#include "app/LinkParts.h"
#include "app/Session.h"
#include "core/evidence/Sampled.h"
#include "core/job/Stock.h"
#include "core/link/Ports.h"

namespace brusk::app {

namespace {

/// What is said where something came up that nobody expected.
Error brokenError(const std::exception& problem) {
    return {ErrorCode::Broken, std::string("Something unexpected stopped this step: ") + problem.what() +
                                   ". What was done before is kept; look at it, then try again."};
}

/// Who answers, and whether it is whole.
QString answerText(const job::Kit& kit, const link::Identity& identity) {
    const link::IsoTpAddress& address = kit.profile.address;
    const QString who = QString("%1 answers on %2")
                            .arg(QString::fromStdString(kit.profile.controller))
                            .arg(QString::number(address.responseId, 16).toUpper());
    return identity.bootMode() ? who + ", from boot mode: its program or calibration is not whole." : who + ".";
}

/// What any car tells: vehicle, all live values, codes, freeze frame.
Result<ObdCar> askObd(link::CanPort& port, bool clearFirst, const std::stop_token& stop) {
    link::Obd obd(port);
    obd.setGoOn([stop] { return !stop.stop_requested(); });
    ObdCar out;
    auto controllers = obd.discover();
    if (!controllers) return tl::unexpected(controllers.error());
    out.controllers = std::move(*controllers);
    if (clearFirst)
        if (auto done = obd.clear(out.controllers); !done) return tl::unexpected(done.error());
    const link::ObdController& first = out.controllers.front();
    auto vehicle = obd.vehicle(first);
    if (!vehicle) return tl::unexpected(vehicle.error());
    out.vehicle = std::move(*vehicle);
    auto values = obd.current(first, first.pids);
    if (!values) return tl::unexpected(values.error());
    out.values = std::move(*values);
    auto codes = obd.codes(out.controllers);
    if (!codes) return tl::unexpected(codes.error());
    out.codes = std::move(*codes);
    auto frozen = obd.freezeFrame(first);
    if (!frozen) return tl::unexpected(frozen.error());
    out.frozen = std::move(*frozen);
    return out;
}

}  // namespace

storage::Path Session::benchFlashFile() const {
    return folder_->path() / "benchcar.flash";
}

/// The bench car's memory outlives the program, as a real one's does.
void Session::keepBenchFlash(LinkParts& port, storage::FileSystem& files, const storage::Path& path) {
    if (!port.car) return;
    const auto flash = port.car->memory().flash();
    // Losing it would cost the simulated car only; the ledger is not touched by it.
    (void)files.save(path, ByteSpan(flash.data(), flash.size()));
}

void Session::connectLink(const QString& choice) {
    if (!folder_ || linkState_ == LinkState::Connecting) return;
    if (!disconnectLink()) return;
    auto port = std::make_unique<LinkParts>();
    if (choice == "bench") {
        port->car = std::make_unique<benchcar::BenchCar>();
        if (const auto kept = files_.read(benchFlashFile(), storage::FileSystem::kReadLimit);
            kept && kept->size() == port->car->memory().flash().size()) {
            std::copy(kept->begin(), kept->end(), port->car->memory().flash().begin());
            port->car->powerCycle();
        }
        port->bus = std::make_unique<benchcar::VirtualBus>(*port->car);
        port->paced = std::make_unique<benchcar::PacedBus>(*port->bus, 0);
        linkName_ = "Bench car";
    } else {
        auto opened = link::portNamed(choice.toStdString());
        if (!opened) {
            linkState_ = LinkState::Lost;
            linkText_ = QString::fromStdString(opened.error().text());
            failed(opened.error());
            emit linkChanged();
            return;
        }
        port->socket = std::move(*opened);
        linkName_ = choice.mid(choice.indexOf(':') + 1);
    }
    cablePlugged_ = true;
    port->orders = *benchOrders_;
    link_ = std::make_unique<LinkThread>(std::move(port));
    linkState_ = LinkState::Connecting;
    linkText_ = "Asking who is there ...";
    emit linkChanged();
    startTask(
        Task::Connect,
        [this, kits = kits_, folder = folder_, choice, usual = setting("profile")](
            LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
            auto found = job::findController(open.port(), kits, usual, [stop] { return !stop.stop_requested(); });
            std::optional<ObdCar> obd;
            // Who no profile knows may still answer what every car has to.
            if (!found && found.error().code != ErrorCode::LinkLost)
                if (auto car = askObd(open.port(), false, stop)) obd = std::move(*car);
            QString told;
            const auto contents = found ? folder->memory().contents(found->kit->profile.sectors())
                                        : Result<carfolder::CarContents>(carfolder::CarContents{});
            if (found && found->mismatch.empty() && contents && !contents->unknown.empty() && folder->mayWrite()) {
                link::Uds uds(open.port(), found->kit->profile);
                const auto stock = job::takeStock(uds, *found->kit, *folder, job::StockScope::Everything);
                told = QString::fromStdString(stock ? stock->sentence : stock.error().text());
            }
            return [this, found, obd, choice, told] {
                linkFound(found, obd, choice.toStdString());
                if (!told.isEmpty()) say(told + " " + carSentence());
            };
        });
}

void Session::linkFound(Result<job::Found> found, std::optional<ObdCar> obd, const std::string& choice) {
    obdCar_ = std::move(obd);
    if (!found && !obdCar_) {
        linkState_ = LinkState::Lost;
        linkText_ = QString::fromStdString(found.error().text());
        failed(found.error());
        emit linkChanged();
        return;
    }
    linkState_ = LinkState::Open;
    const bool keeps = folder_->mayWrite();
    if (auto done = keeps ? folder_->settings().set("link", choice) : Done(); !done) failed(done.error());
    if (!found) {
        linkWhy_.clear();
        linkText_ = QString("%1 %2 to OBD requests; no profile knows its controller.")
                        .arg(obdCar_->controllers.size())
                        .arg(obdCar_->controllers.size() == 1 ? "controller answers" : "controllers answer");
        emit linkChanged();
        emit obdChanged();
        return;
    }
    const bool firstTime = !kit_;
    kit_ = found->kit;
    useOwnDefinition();
    identity_ = found->identity;
    mismatch_ = QString::fromStdString(found->mismatch);
    linkWhy_ = QString::fromStdString(found->why);
    linkText_ = answerText(*kit_, found->identity);
    if (!mismatch_.isEmpty()) say(mismatch_, true);
    // A mismatched controller does not choose the folder's profile.
    if (mismatch_.isEmpty() && keeps)
        if (auto done = folder_->settings().set("profile", kit_->profile.name); !done) failed(done.error());
    refreshRounds();
    if (firstTime) loadCalibration();
    emit linkChanged();
}

void Session::closeLink() {
    // A task may wait for an answer for seconds; that is for another thread to sit out.
    closing_.push_back(std::async(std::launch::async, [link = std::move(link_)]() mutable { link.reset(); }));
    std::erase_if(closing_, [](const std::future<void>& done) {
        return done.wait_for(std::chrono::seconds(0)) == std::future_status::ready;
    });
}

bool Session::disconnectLink() {
    if (!link_) return true;
    if (const QString held = heldBy(); !held.isEmpty()) {
        say(held, true);
        return false;
    }
    stop_.request_stop();
    closeLink();
    ++linkGeneration_;
    task_ = Task::None;
    linkState_ = LinkState::Closed;
    linkText_.clear();
    mismatch_.clear();
    identity_.reset();
    obdCar_.reset();
    emit linkChanged();
    emit taskChanged();
    emit driveChanged();
    return true;
}

void Session::setBenchCable(bool plugged) {
    if (!link_) return;
    cablePlugged_ = plugged;
    link_->setCable(plugged);
    if (plugged && linkState_ == LinkState::Lost) {
        linkState_ = LinkState::Open;
        linkText_ = "It is plugged in again.";
        refreshIdentity();
    }
    emit linkChanged();
}

void Session::orderBenchCar(const BenchOrders& orders) {
    *benchOrders_ = orders;
    if (link_) link_->order(orders);
}

void Session::linkLost(const Error& error) {
    if (error.code != ErrorCode::LinkLost && !(error.cause && error.cause->code == ErrorCode::LinkLost)) return;
    linkState_ = LinkState::Lost;
    linkText_ = "The link is gone.";
    emit linkChanged();
}

void Session::startTask(Task task, Work work) {
    if (!link_ || busy()) return;
    task_ = task;
    stop_ = std::stop_source();
    progress_ = {};
    emit taskChanged();
    link_->post([this, lapse = timeLapse_, generation = linkGeneration_, stop = stop_.get_token(),
                 work = std::move(work)](LinkParts& open) {
        open.setTimeLapse(lapse);
        open.obeyOrders();
        std::function<void()> then;
        try {
            then = work(open, stop);
        } catch (const std::exception& problem) {
            // The root of this thread. A flash that ends so is one that was cut off: its journal says how far it was.
            then = [this, error = brokenError(problem)] {
                refreshRounds();
                failed(error);
            };
        }
        calls_.post([this, generation, then = std::move(then)] {
            // A link that was closed meanwhile has nothing to say any more.
            if (generation != linkGeneration_) return;
            task_ = Task::None;
            then();
            emit taskChanged();
        });
    });
}

link::OnProgress Session::reporter(const std::stop_token& stop) {
    return [this, stop](const link::Progress& progress) {
        // One report in flight at a time: the interface is never flooded.
        if (!progressPending_.exchange(true))
            calls_.post([this, progress] {
                progressPending_ = false;
                progress_ = progress;
                emit taskChanged();
            });
        return !stop.stop_requested();
    };
}

void Session::refreshIdentity() {
    if (!kit_) return;
    startTask(Task::AskIdentity,
              [this, kit = kit_](LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
                  link::Uds uds(open.port(), kit->profile);
                  uds.setGoOn([stop] { return !stop.stop_requested(); });
                  auto identity = link::identify(uds);
                  return [this, identity] {
                      if (!identity) {
                          failed(identity.error());
                          linkLost(identity.error());
                          return;
                      }
                      identity_ = *identity;
                      linkState_ = LinkState::Open;
                      linkText_ = answerText(*kit_, *identity);
                      emit linkChanged();
                  };
              });
}

void Session::readController(job::ReadScope scope) {
    if (!kit_ || !identity_) return;
    if (!mismatch_.isEmpty()) return say(mismatch_, true);
    startTask(Task::Read,
              [this, kit = kit_, folder = folder_, identity = *identity_, scope](
                  LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
                  link::Uds uds(open.port(), kit->profile);
                  auto outcome = job::readCar(uds, *kit, identity, *folder, scope, reporter(stop));
                  return [this, outcome] {
                      if (!outcome) {
                          failed(outcome.error());
                          linkLost(outcome.error());
                          return;
                      }
                      refreshRounds();
                      selected_ = -1;
                      selectRound(outcome->round.id);
                      say(QString("%1 %2 KiB in %3 s, %4 times the theoretical least.")
                              .arg(QString::fromStdString(outcome->sentence))
                              .arg(outcome->report.bytes / 1024)
                              .arg(static_cast<double>(outcome->report.elapsed_us) * 1e-6, 0, 'f', 1)
                              .arg(outcome->report.share() > 0 ? 1 / outcome->report.share() : 1.0, 0, 'f', 2));
                  };
              });
}

void Session::flashSelected(const job::FlashOptions& flashOptions) {
    if (!kit_ || !selected()) return;
    saveDraftNow();
    startTask(
        Task::Flash,
        [this, kit = kit_, folder = folder_, round = selected_, files = &files_, flashOptions, keep = benchFlashFile()](
            LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
            link::Uds uds(open.port(), kit->profile);
            auto report = job::flashRound(uds, *kit, *folder, round, flashOptions, reporter(stop));
            keepBenchFlash(open, *files, keep);
            auto identity = report ? link::identify(uds) : Result<link::Identity>(tl::unexpected(report.error()));
            return [this, report, identity] {
                refreshRounds();
                // What is in the car is not taken back by undo; the next edit begins a round of its own.
                history_.clear();
                emit roundSelected();
                if (!report) {
                    failed(report.error());
                    linkLost(report.error());
                    return;
                }
                lastFlash_ = *report;
                if (identity) identity_ = *identity;
                linkText_ = "It answers.";
                emit linkChanged();
                say(QString(
                        "Round %1 is in the car: %2 %3 written and read back in %4 s, %5 times the theoretical least.")
                        .arg(selected() ? selected()->number : 0)
                        .arg(report->sectors)
                        .arg(report->sectors == 1 ? "sector" : "sectors")
                        .arg(static_cast<double>(report->elapsed_us) * 1e-6, 0, 'f', 1)
                        .arg(report->share() > 0 ? 1 / report->share() : 1.0, 0, 'f', 2));
            };
        });
}

void Session::planFlash(int64_t round, const std::optional<link::Identity>& identity, const job::FlashOptions& options,
                        std::function<void(Result<job::FlashPlan>)> then) {
    inBackground<Result<job::FlashPlan>>(
        [kit = kit_, folder = folder_, round, identity, options] {
            return job::planFlash(*kit, *folder, round, identity ? &*identity : nullptr, options);
        },
        std::move(then));
}

void Session::checkAgainstLedger() {
    if (!kit_ || !orSay(folder_->rounds().original())) return;
    startTask(
        Task::Compare,
        [this, kit = kit_, folder = folder_](LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
            link::Uds uds(open.port(), kit->profile);
            uds.setGoOn([stop] { return !stop.stop_requested(); });
            auto stock = job::takeStock(uds, *kit, *folder, job::StockScope::Everything);
            return [this, stock] {
                refreshRounds();
                if (!stock) {
                    failed(stock.error());
                    linkLost(stock.error());
                    return;
                }
                say(QString::fromStdString(stock->sentence) + " " + carSentence(), stock->changed > 0);
            };
        });
}

void Session::readTroubleCodes(bool clearFirst) {
    if (!kit_) return;
    startTask(Task::Codes,
              [this, kit = kit_, clearFirst](LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
                  link::Uds uds(open.port(), kit->profile);
                  uds.setGoOn([stop] { return !stop.stop_requested(); });
                  Done cleared;
                  if (clearFirst) cleared = uds.clearTroubleCodes();
                  auto codes = cleared ? job::troubleCodes(uds, *kit)
                                       : Result<std::vector<job::TroubleCodeReport>>(tl::unexpected(cleared.error()));
                  return [this, codes, kit] {
                      if (!codes) {
                          failed(codes.error());
                          linkLost(codes.error());
                          return;
                      }
                      troubleCodes_ = *codes;
                      codesKit_ = kit;
                      troubleCodesRead_ = true;
                      emit codesChanged();
                  };
              });
}

void Session::refreshObd(bool clearFirst) {
    if (!obdCar_) return;
    startTask(Task::Obd, [this, clearFirst](LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
        auto car = askObd(open.port(), clearFirst, stop);
        return [this, car] {
            if (!car) {
                failed(car.error());
                linkLost(car.error());
                return;
            }
            obdCar_ = *car;
            emit obdChanged();
        };
    });
}

void Session::saveTraffic(const storage::Path& path) {
    if (!link_) return;
    inBackground<Done>(
        [files = &files_, path, log = link_->sharedTraffic()] {
            return files->save(path, asBytes(link::toCandump(log->frames(), "can0")));
        },
        [this, path](Done done) {
            if (!done) return failed(done.error());
            say("The traffic is in " + QString::fromStdString(path.string()) + ".");
        });
}

// --- driving

namespace {

/// A drive through the cells of the VE map that the round in the car has no samples of.
Result<benchcar::Route> routeToUnseen(const job::Kit& kit, carfolder::CarFolder& folder, std::optional<int64_t> round,
                                      const benchcar::Build& build) {
    if (!round) return fail(ErrorCode::Refused, "What the car runs is not known. Read the controller first.");
    const auto nodes = job::unseenNodes(kit, folder, *round);
    if (!nodes) return tl::unexpected(nodes.error());
    if (nodes->empty()) return fail(ErrorCode::NotFound, "Every cell that a road sees has been driven on this round.");
    std::vector<benchcar::Cell> cells;
    cells.reserve(nodes->size());
    for (const auto& node : *nodes)
        cells.push_back({node.speed_rpm, node.pressure_kPa});
    return benchcar::visitRoute(build, cells);
}

}  // namespace

std::shared_ptr<job::LiveCoverage> Session::coverageOfCar(const job::ChannelSet& channels) const {
    if (!folder_ || !contents_.round) return nullptr;
    const auto inCar = job::calibrationOf(*kit_, *folder_, *contents_.round);
    const auto* map = kit_->definition->parameterWithRole("ve_map");
    if (!inCar || !map) return nullptr;
    auto table = inCar->read(*map);
    return table ? std::make_shared<job::LiveCoverage>(*kit_, std::move(*table), channels) : nullptr;
}

Done Session::startDrive(const std::vector<std::string>& channels, const std::string& routeName) {
    if (!kit_ || !link_ || linkState_ != LinkState::Open) return fail(ErrorCode::NotFound, "Connect to the car first.");
    if (busy()) return fail(ErrorCode::Conflict, "Something else is running on the link.");
    auto set = job::channelSet(*kit_, channels);
    if (!set) return tl::unexpected(set.error());
    std::optional<benchcar::Route> route;
    const bool toUnseen = link_->hasBenchCar() && routeName == kUnseenCells;
    if (link_->hasBenchCar() && !toUnseen) {
        const auto* known = benchcar::routeNamed(routeName);
        if (!known) return fail(ErrorCode::NotFound, "The bench car knows no route \"" + routeName + "\".");
        route = *known;
    }
    liveChannels_ = std::make_shared<const job::ChannelSet>(*set);
    externalNames_.clear();
    externalRoles_.clear();
    for (const auto& message : kit_->externalSensors)
        for (const auto& signal : message.signalList) {
            externalNames_.push_back(signal.name);
            externalRoles_.push_back(signal.unit == "lambda" ? "lambda_measured" : "");
        }
    live_ = {};
    coverage_ = coverageOfCar(*liveChannels_);
    play(false);
    startTask(
        Task::Drive,
        [this, kit = kit_, folder = folder_, channels = liveChannels_, route, toUnseen, inCar = contents_.round,
         coverage = coverage_](LinkParts& open, const std::stop_token& stop) mutable -> std::function<void()> {
            if (toUnseen) {
                auto cells = routeToUnseen(*kit, *folder, inCar, open.car->plant().build());
                if (!cells)
                    return [this, error = cells.error()] {
                        emit driveChanged();
                        failed(error);
                    };
                route = std::move(*cells);
            }
            if (route) open.car->startRoute(*route);
            link::Uds uds(open.port(), kit->profile);
            job::DriveOptions options;
            options.title = route ? route->title : "Drive";
            options.throttle = true;
            options.ends = [stop, &open, route](double) -> std::optional<job::Ended> {
                open.obeyOrders();
                const bool goesOn = !stop.stop_requested() && (!route || open.car->onRoute());
                return goesOn ? std::nullopt : std::optional(job::Ended::Asked);
            };
            options.onTrouble = [this](const std::string& sentence) {
                calls_.post([this, sentence] { say(QString::fromStdString(sentence), true); });
            };
            if (coverage)
                options.onRow = [coverage](double time_s, const std::vector<float>& values) {
                    coverage->row(time_s, values);
                };
            options.onLive = [this](const job::LiveRow& row) {
                if (livePending_.exchange(true)) return;
                calls_.post([this, row] {
                    livePending_ = false;
                    live_ = row;
                    emit liveChanged();
                });
            };
            auto outcome = job::recordDrive(uds, *kit, *folder, *channels, options);
            if (open.car) {
                open.car->stopRoute();
                // The engine runs down, so that the next step finds it standing.
                open.setTimeLapse(0);
                for (const int64_t until = open.port().now_us() + 3000000; open.port().now_us() < until;)
                    if (!open.port().receive(until)) break;
            }
            std::optional<int64_t> round;
            Result<evidence::FuelError> error = fail(ErrorCode::NotFound, "");
            if (outcome) {
                round = outcome->entry.round;
                error = job::measureFuelError(*kit, *folder, *round);
            }
            return [this, outcome, round, error] {
                if (round) {
                    drives_.erase(*round);
                    driven_.reset();  // whoever shows them asks for them again
                }
                refreshRounds();
                emit roundSelected();
                emit driveChanged();
                if (!outcome) return failed(outcome.error());
                if (outcome->problem) {
                    failed(*outcome->problem);
                    linkLost(*outcome->problem);
                    return;
                }
                say(QString("Recorded %1 s in %2 rows, %3.")
                        .arg(outcome->entry.duration_s, 0, 'f', 0)
                        .arg(outcome->entry.samples)
                        .arg(outcome->entry.gaps ? QString("%1 gaps").arg(outcome->entry.gaps) : QString("no gaps")));
            };
        });
    emit driveChanged();
    return {};
}

double Session::liveValue(const std::string& channel) const {
    if (!liveChannels_) return std::nan("");
    for (size_t i = 0; i < liveChannels_->measurements.size() && i < live_.values.size(); ++i)
        if (liveChannels_->measurements[i]->name == channel) return live_.values[i];
    for (size_t i = 0; i < externalNames_.size() && i < live_.external.size(); ++i)
        if (externalNames_[i] == channel) return live_.external[i];
    return std::nan("");
}

double Session::liveRole(roles::Role role) const {
    if (!liveChannels_) return std::nan("");
    for (size_t i = 0; i < liveChannels_->measurements.size() && i < live_.values.size(); ++i)
        if (role == liveChannels_->measurements[i]->role) {
            const auto shown =
                evidence::intoRole(liveChannels_->definition->unitOf(*liveChannels_->measurements[i]), role);
            return shown ? (*shown)(static_cast<double>(live_.values[i])) : std::nan("");
        }
    for (size_t i = 0; i < externalRoles_.size() && i < live_.external.size(); ++i)
        if (role == externalRoles_[i]) return live_.external[i];
    return std::nan("");
}

}  // namespace brusk::app
