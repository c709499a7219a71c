// The drive that is recorded: its channels, its newest row, where it has been on the map that is in the car.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <atomic>
#include <stop_token>

#include "app/desks/CarInHand.h"
#include "core/job/Drive.h"

namespace brusk::app {

class Background;
class LinkDesk;
class Messages;
class Playback;
struct BenchOrders;

/// What somebody wants recorded, and how.
struct DriveWish {
    std::vector<std::string> channels;
    std::string route;  ///< what the bench car's driver does; a real car's driver does what he likes
    std::vector<drive::Guard> guards = {};
    std::optional<drive::Arming> arming = {};
    carfolder::Conditions conditions = {};
    job::PaceWishes paces = {};
};

class DriveDesk : public QObject {
    Q_OBJECT
  public:
    DriveDesk(const CarInHand& car, LinkDesk& link, Playback& playback, Background& background, Messages& messages);

    /// A car that no profile knows is recorded by what every car tells.
    [[nodiscard]] Done start(const DriveWish& wish);
    void stop();
    bool driving() const;
    /// Sets a mark at this moment of the drive; they are numbered.
    void mark();
    /// How many have been set in this drive.
    int marks() const { return marks_; }
    /// All marks of the drive that runs, or of the last: also those that nobody set by hand.
    const std::vector<recording::Mark>& allMarks() const { return allMarks_; }
    /// Why the recording stands still and waits; empty where it goes on.
    const QString& waiting() const { return waiting_; }

    const job::LiveRow& live() const { return live_; }
    /// The longest in the last drive that nobody looked at the bus.
    double longestAway_s() const { return longestAway_s_; }
    /// The newest value of a channel by name, or of a role in its unit; NaN when it is not sampled.
    double value(const std::string& channel) const;
    double role(roles::Role role) const;
    /// What moves along an axis, in the axis' unit.
    double along(const evidence::AxisInput& input) const;
    /// Where the drive that is recorded has been on the VE map that is in the car; null where that is not known.
    std::shared_ptr<const job::LiveCoverage> coverage() const { return coverage_; }

    // Of the link, for who drives on it.
    bool linkIsOpen() const;
    /// Open, and nothing runs on it.
    bool ready() const;
    bool isBenchCar() const;
    const BenchOrders& benchOrders() const;
    void order(const BenchOrders& orders);
    void setTimeLapse(double lapse);

    /// What a channel says now, in the drive or else in the recording that is looked at; NaN when nothing does.
    double valueNow(const std::string& channel) const;

  signals:
    void liveChanged();
    void driveChanged();
    void linkChanged();                                 ///< it, or what runs on it
    void tripped(const QString& sentence, bool sound);  ///< a guard
    void noted();                                       ///< a mark was set, or the recording waits, or goes on
    /// A recording of this round is in the folder.
    void recorded(int64_t round);

  private:
    /// The newest of a channel of the layout: which is one after the other over its groups.
    double at(size_t channel) const;
    struct Orders;  // of one drive, for the link's thread
    struct MarksToSet;
    std::shared_ptr<job::LiveCoverage> coverageOfCar() const;
    std::function<void()> record(class LinkParts& open, const std::stop_token& stop, const Orders& orders);
    job::DriveOptions optionsFor(class LinkParts& open, const std::stop_token& stop, const Orders& orders);
    std::function<void()> recordAnyCar(class LinkParts& open, const std::stop_token& stop, const Orders& orders);
    void noticeTask();
    void ended(const Result<job::DriveOutcome>& outcome);

    const CarInHand& car_;
    LinkDesk& link_;
    Playback& playback_;
    Background& background_;
    Messages& messages_;
    bool drove_ = false;  ///< when the link's task was last heard of
    std::atomic<bool> livePending_{false};
    std::shared_ptr<const job::ChannelSet> channels_;
    recording::Recording layout_;  ///< of what is recorded, without samples
    job::LiveRow live_;
    std::shared_ptr<job::LiveCoverage> coverage_;
    std::shared_ptr<MarksToSet> toSet_;
    int marks_ = 0;
    double longestAway_s_ = 0;
    std::vector<recording::Mark> allMarks_;
    QString waiting_;
};

}  // namespace brusk::app
