// A drive of the bench car that is recorded without a link, on a clock that never slips, with the truth beside it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "benchcar/truth/Truth.h"
#include "core/job/Drive.h"
#include "core/recording/Mdf4.h"
#include "ctl/Commands.h"

namespace brusk::ctl {

/// What is driven.
struct BenchOrders {
    std::vector<benchcar::Route> routes;  ///< one after another, the engine running
    benchcar::FaultPlan faults;
    std::string out, truth;  ///< MDF 4 files; no truth when empty
    bool wideband = true;
    int period_ms = 10;
    uint64_t seed = 1;
    bool force = false;
};

/// What came of it.
struct BenchOutcome {
    struct Stretch {
        std::string route;
        double from_s = 0, to_s = 0;
    };
    struct Refuelled {
        double at_s = 0, litres = 0;
    };
    double duration_s = 0;
    uint64_t rows = 0;
    std::vector<Stretch> routes;
    std::vector<Refuelled> refuelled;
    std::vector<std::string> codes;  ///< confirmed: "P0172"
    bool limpMode = false, stalled = false;
    std::vector<std::pair<std::string_view, double>> figures;
    std::vector<benchcar::LearnedValue> learned;
};

class BenchDrive {
  public:
    BenchDrive(Context& context, benchcar::BenchCar& car, const job::Kit& kit, job::ChannelSet channels,
               const image::Image& image);
    /// Drives all of it and writes the files.
    [[nodiscard]] Result<BenchOutcome> run(const BenchOrders& orders);

  private:
    [[nodiscard]] Done open(const BenchOrders& orders);
    [[nodiscard]] Done drive(const benchcar::Route& route, const BenchOrders& orders, BenchOutcome& out);
    void row(double time_s);
    void keepLearned(double time_s);
    void listen(bool wideband, double time_s);
    void watch(double time_s, BenchOutcome& out);
    [[nodiscard]] Done finish(const BenchOutcome& out);

    Context& c_;
    benchcar::BenchCar& car_;
    const job::Kit& kit_;
    job::ChannelSet channels_;
    const image::Image& image_;  ///< what the car runs
    std::unique_ptr<recording::Mdf4Writer> file_, truth_;
    std::vector<float> values_, known_;
    job::ExternalRows external_;
    benchcar::TruthFigures figures_;
    size_t learnedGroup_ = 0;  ///< nil where the controller tells nothing of it
    int64_t from_us_ = 0;
    int refuels_ = 0;
    double refuelled_l_ = 0;
    bool ran_ = false;
};

}  // namespace brusk::ctl
