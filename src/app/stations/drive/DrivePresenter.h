// What the Drive station shows: what the car says now and in the last half minute, where it has been on its map, which
// channels can be recorded and at what cost.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QStringList>

#include "core/job/Drive.h"
#include "core/job/KeptSets.h"
#include "core/roles/Purposes.h"
#include "core/units/Units.h"

namespace brusk::app {

class Desks;
struct BenchOrders;

class DrivePresenter : public QObject {
    Q_OBJECT
  public:
    explicit DrivePresenter(Desks& desks, QObject* parent = nullptr);

    // What can be done.
    bool driving() const;
    bool mayRecord() const;
    /// No profile knows its controller, and it answers what every car has to.
    bool isAnyCar() const;
    bool isBenchCar() const;
    /// What a recording would belong to, or why there can be none.
    QString situation() const;
    /// `lapse`: simulated seconds a second. What is wrong is said.
    void record(const job::KeptSet& channels, const std::string& route, double lapse);
    void stop();
    void mark();
    int marks() const;
    bool waiting() const;
    /// Neither somebody nor the build sheet has told what is in the tank.
    bool tankIsUntold() const;

    // Channels.
    struct Channel {
        std::string name;
        QString title;
        QString description;
        link::Pace pace = link::Pace::Fast;  ///< proposed
    };
    /// Empty before the controller is known.
    std::vector<Channel> channels() const;
    /// What drives for these purposes record, the usual ones for none; and what the car lacks for them, in sentences.
    struct ForPurposes {
        std::vector<std::string> names;
        QStringList lacks;
    };
    ForPurposes channelsFor(const std::vector<const roles::Purpose*>& purposes) const;
    struct Cost {
        QString text;
        bool fits = true;
        std::vector<std::string> tooMany;  ///< what would have to go
    };
    Cost cost(const job::KeptSet& channels) const;
    /// Those this controller has, and how often a second each is.
    struct Rate {
        link::Pace pace;
        QString text;
    };
    std::vector<Rate> rates() const;
    /// Names of what was kept for controllers of this family; what is wrong is said.
    std::vector<job::KeptSet> sets() const;
    bool keepSet(const job::KeptSet& set);
    void forgetSet(const std::string& name);
    /// Measurements in volts that nobody plays a role with but the spare input; the likeliest first.
    std::vector<Channel> voltages() const;

    // Sensors that are recorded besides: of the profile, and of this car.
    struct OwnSensor {
        drive::Sensor sensor;
        bool kept = false;  ///< with the car; else of the profile, as it comes
    };
    std::vector<OwnSensor> ownSensors() const;
    /// Senders that are heard, are not used, and look as if somebody could.
    size_t offers() const;
    /// Units of the same quantity, this one first.
    static std::vector<std::string> unitsLike(const std::string& unit);
    /// What a number of this unit can be to an engine.
    static std::vector<roles::Role> rolesLike(const std::string& unit);

    // What the car says.
    double now(roles::Role role) const;
    /// A channel by its name.
    double value(const std::string& channel) const;
    const std::vector<recording::Mark>& allMarks() const;
    /// What the lambda says against what was asked, trims counted, %, lean is more; NaN in a cut.
    double fuelOff_pct() const;
    /// Of these roles, a column each, since the recording began; the oldest are forgotten.
    void watch(std::vector<roles::Role> roles);
    const std::vector<double>& time_s() const { return time_s_; }
    const std::vector<float>& column(size_t watched) const { return columns_[watched]; }
    std::shared_ptr<const job::LiveCoverage> coverage() const;
    /// What is in the car came sealed: no map of it is shown.
    bool carIsSealed() const;

    // The bench car's operator.
    const BenchOrders& benchOrders() const;
    void order(const BenchOrders& orders);
    void setTimeLapse(double lapse);

    const units::Preferences& units() const;

  signals:
    void changed();  ///< what can be done, and how it stands
    void driveChanged();
    void channelsChanged();
    void unitsChanged();

  private:
    void take();

    Desks& desks_;
    std::vector<roles::Role> watched_;
    std::vector<double> time_s_;
    std::vector<std::vector<float>> columns_;
};

}  // namespace brusk::app
