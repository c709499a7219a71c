// The link to the car: who is there, and the one task that runs on it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <atomic>
#include <functional>
#include <future>
#include <stop_token>

#include "app/desks/CarInHand.h"
#include "app/desks/LinkFacts.h"
#include "core/link/Traffic.h"

namespace brusk::job {
class BusEars;
struct ObdCar;
}  // namespace brusk::job

namespace brusk::app {

class Background;
class LinkParts;
class LinkThread;
class Messages;
struct BenchOrders;

class LinkDesk : public QObject {
    Q_OBJECT
  public:
    LinkDesk(storage::FileSystem& files, const CarInHand& car, Background& background, Messages& messages);
    ~LinkDesk() override;

    LinkState state() const { return state_; }
    QString text() const { return text_; }
    QString name() const { return name_; }
    QString why() const { return why_; }
    const link::Identity* identity() const { return identity_ ? &*identity_ : nullptr; }
    /// The car as anybody can ask it, where no profile knows its controller.
    const job::ObdCar* obdCar() const { return obdCar_.get(); }
    link::PortStatus portStatus() const;
    std::shared_ptr<const link::TrafficLog> traffic() const;
    /// Writes all frames of this link as a candump log.
    void saveTraffic(const storage::Path& path);

    /// "bench", "bench:crane", "unix:PATH" or "socketcan:INTERFACE".
    void connectTo(const QString& choice, const std::vector<std::shared_ptr<const job::Kit>>& kits,
                   const std::string& usual);
    /// Stops what runs and waits for it: the program ends.
    void leave();
    /// False when a flash holds the link; that is said.
    bool disconnectLink();

    bool isBenchCar() const;
    void setBenchCable(bool plugged);
    bool benchCablePlugged() const { return cablePlugged_; }
    /// Weather, fuel and faults of the bench car; taken at once, while it drives too.
    void orderBenchCar(const BenchOrders& orders);
    const BenchOrders& benchOrders() const { return *benchOrders_; }
    /// Simulated seconds a second for reading, flashing and driving the bench car; 0 is as fast as it can.
    void setTimeLapse(double lapse) { timeLapse_ = lapse; }

    // The task that runs.
    Task task() const { return task_; }
    bool busy() const { return task_ != Task::None; }
    /// Somebody answers, and nothing runs.
    bool ready() const { return state_ == LinkState::Open && !busy(); }
    const link::Progress& progress() const { return progress_; }
    /// Asks the task to stop where that is safe.
    void cancelTask() { stop_.request_stop(); }
    /// Starts work on the link thread; it returns what is to be done back here.
    using Work = std::function<std::function<void()>(LinkParts&, const std::stop_token&)>;
    void run(Task task, Work work);
    /// For a task that has an amount: shows it, and says whether to go on.
    link::OnProgress reporter(const std::stop_token& stop);
    /// What a task says of an error: its sentence, and that the link is gone where it is.
    void failed(const Error& error);
    /// Who answers now.
    void heard(const link::Identity& identity, const std::string& sentence);
    void setObdCar(job::ObdCar car);

  signals:
    void changed();
    void taskChanged();
    void obdChanged();
    /// A controller answered; what does not fit, a sentence.
    void found(std::shared_ptr<const brusk::job::Kit> kit, const std::string& mismatch);
    void connectedTo(const std::string& choice);
    /// What others sent by themselves while the link was opened.
    void heardOthers(const brusk::job::BusEars& ears);
    void closed();
    void pluggedInAgain();
    /// What the ledger's stock said; what the car runs now belongs behind it.
    void told(const QString& sentence, bool alarm);
    /// Something came up that nobody expected; the ledger may have moved.
    void broke();

  private:
    void linkFound(Result<job::Found> found, std::unique_ptr<job::ObdCar> obd, const std::string& choice);
    void lost(const Error& error);
    /// Closes the link without waiting for what runs on it.
    void closeLink();

    storage::FileSystem& files_;
    const CarInHand& car_;
    Background& background_;
    Messages& messages_;
    std::unique_ptr<LinkThread> link_;
    int generation_ = 0;  ///< counts links, so that a late answer of an old one is told apart
    LinkState state_ = LinkState::Closed;
    QString text_, name_, why_;
    std::optional<link::Identity> identity_;
    std::unique_ptr<job::ObdCar> obdCar_;
    bool cablePlugged_ = true;
    std::unique_ptr<BenchOrders> benchOrders_;
    double timeLapse_ = 20;
    Task task_ = Task::None;
    link::Progress progress_;
    std::stop_source stop_;  ///< of the task that runs
    std::atomic<bool> progressPending_{false};
    std::vector<std::future<void>> closing_;  ///< links that finish what they were at
};

}  // namespace brusk::app
