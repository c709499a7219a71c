// What the Drive station shows: what the car says now and in the last half minute, where it has been on its map, which
// channels can be recorded and at what cost.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QStringList>

#include "core/job/Drive.h"
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
    bool isBenchCar() const;
    /// What a recording would belong to, or why there can be none.
    QString situation() const;
    /// `lapse`: simulated seconds a second. What is wrong is said.
    void record(const std::vector<std::string>& channels, const std::string& route, double lapse);
    void stop();
    void mark();
    int marks() const;
    bool waiting() const;

    // Channels.
    struct Channel {
        std::string name;
        QString title;
        QString description;
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
    };
    Cost cost(const std::vector<std::string>& channels) const;

    // What the car says.
    double now(roles::Role role) const;
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
