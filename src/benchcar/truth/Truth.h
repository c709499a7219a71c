// What the bench car knows and no sensor says, for whoever checks what was claimed about a drive.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "benchcar/BenchCar.h"

namespace brusk::benchcar {

/// One column of the truth, on the clock of the recording.
struct TruthChannel {
    std::string name;
    std::string unit;
    std::string title;
};
/// The plant's state, then each fault's amount (nil while it is well; of a sensor's fault its amount, 1 for a dead or
/// stuck one).
const std::vector<TruthChannel>& truthChannels();
/// The values of truthChannels() now.
void truthNow(BenchCar& car, std::vector<float>& out);

/// What the controller has learned, by name and unit.
struct LearnedValue {
    std::string_view name;
    std::string_view unit;
    double value = 0;
};
std::vector<LearnedValue> learnedNow(BenchCar& car);

/// Every figure that TruthFigures may tell.
std::span<const std::string_view> figureNames();

/// A drive in one number each, told from the plant and from what the controller asked for. The names are those by which
/// promises and recordings tell the same.
class TruthFigures {
  public:
    /// To be called every 10 ms.
    void add(BenchCar& car);
    /// What was seen at all, by name.
    std::vector<std::pair<std::string_view, double>> all() const;

  private:
    struct Mean {
        double sum = 0, squares = 0;
        long n = 0;
        void add(double v) { sum += v, squares += v * v, ++n; }
        double mean() const;
        double rms() const;
        double spread() const;
    };
    void fuel(const TrueState& s, const Signals& c);
    void boost(const TrueState& s, const Signals& c, const Build& build);
    void idle(const TrueState& s, const Signals& c);
    void start(const TrueState& s, const Signals& c);
    void tipIn(const TrueState& s, const Signals& c);
    void torque(const TrueState& s, const Signals& c, const Build& build);

    Mean fuelError_, fuelErrorBoost_, boostError_, rise_, idleOff_, tipIn_, pedalOff_, speedOff_, changeover_;
    std::optional<double> overshoot_kPa_, flare_rpm_, start_s_, overLimit_deg_;
    double retard_deg_ = 0, leanInBoost_s_ = 0;
    long running_ = 0, limited_ = 0;
    double sinceCut_s_ = 100, full_s_ = -1, reached_s_ = -1, idle_s_ = 0, cranking_s_ = -1, ran_s_ = 0;
    double fullAt_rpm_ = 0, fullFrom_kPa_ = 0;
    double pedalBefore_ = 0, tipIn_s_ = -1, leanArea_ = 0, settled_s_ = 0, wantedBefore_Nm_ = 0;
};

/// Seconds from the pedal on the floor until this turbo should hold its boost: three time constants of its shaft, which
/// falls with the gas that drives it.
double spoolUp_s(const Build& build, double rpm);

}  // namespace brusk::benchcar
