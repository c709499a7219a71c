// Fast sampling: RAM places packed into dynamically defined identifiers that the controller sends by itself.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <array>
#include <functional>
#include <vector>

#include "core/link/Uds.h"

namespace brusk::link {

/// A row of the samples of one pace: for each item of all its raw bytes as an unsigned big-endian number, and whether
/// it arrived. Items of other paces never do.
struct SampleRow {
    Pace pace = Pace::Fast;
    int64_t time_us = 0;
    std::vector<uint32_t> raw;
    std::vector<bool> present;
};

/// How items are packed into periodic frames, and what that costs the bus.
struct SamplePlan {
    struct Slot {
        size_t item = 0;
        size_t offset = 0;  ///< within the identifier's data
        uint8_t size = 0;
    };
    std::vector<std::vector<Slot>> ids;  ///< per dynamic identifier
    std::vector<Pace> paces;             ///< of each identifier, the fast ones first
    double busLoad = 0;                  ///< share of the wire, 0 to 1
};

/// More of the wire than this is not asked for: requests, and those who send by themselves, need the rest.
inline constexpr double kMostBusLoad = 0.8;

/// Packs items (of at most 4 bytes) into as few identifiers as possible; OutOfRange when the controller keeps fewer, or
/// the wire can't carry them. `paces`: of each item, as the controller has them; empty: all are fast.
[[nodiscard]] Result<SamplePlan> planSampling(const Profile& profile, const std::vector<Uds::Place>& items,
                                              const std::vector<Pace>& paces = {});

class Sampler {
  public:
    Sampler(Uds& uds, std::vector<Uds::Place> items, SamplePlan plan)
        : uds_(uds), items_(std::move(items)), plan_(std::move(plan)), answer_(uds.profile().address.prefix()) {}

    using OnRow = std::function<void(const SampleRow&)>;
    using OnFrame = std::function<void(const CanFrame&)>;

    /// Defines the identifiers and starts them.
    [[nodiscard]] Done start();
    /// Takes frames until `deadline_us`: rows of the controller to `onRow`, everything else to `onOther`. Timeout when
    /// the controller has sent nothing for a second.
    [[nodiscard]] Done poll(int64_t deadline_us, const OnRow& onRow, const OnFrame& onOther);
    [[nodiscard]] Done stop();
    /// The longest since start() that nobody looked at the bus, because of what was done with a frame or between two
    /// polls, or because the computer did something else.
    int64_t longestAway_us() const { return longestAway_us_; }

    /// Asks the controller something in between, without waiting for it: a later poll hands over what it says, behind
    /// the service byte. Nothing comes when it refuses. For requests that fit one frame.
    using OnAnswer = std::function<void(ByteSpan answer)>;
    [[nodiscard]] Done ask(ByteSpan request, OnAnswer onAnswer);

  private:
    /// The row of one pace as its frames come.
    struct Coming {
        SampleRow row;
        std::vector<bool> seen;  ///< of each identifier, in the plan's order; those of other paces never are
        size_t missing = 0, frames = 0;
        void clear();
    };
    using IdsByPace = std::array<std::vector<uint8_t>, std::size(kPaces)>;
    Done startAll(const IdsByPace& ids);
    Done listen(const CanFrame& frame);
    void take(const CanFrame& frame, const OnRow& onRow);

    Uds& uds_;
    std::vector<Uds::Place> items_;
    SamplePlan plan_;
    std::array<Coming, std::size(kPaces)> coming_;
    int64_t silence_us_ = 1000000;  ///< after which the controller is taken to have stopped
    int64_t lastFrame_us_ = 0;
    int64_t lastPresent_us_ = 0;
    int64_t looked_us_ = 0, longestAway_us_ = 0;
    IsoTpAssembler answer_;
    uint8_t asked_ = 0;  ///< the service that is waited for
    OnAnswer onAnswer_;
};

}  // namespace brusk::link
