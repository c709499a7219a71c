// Fast sampling: RAM places packed into dynamically defined identifiers that the controller sends by itself.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <vector>

#include "core/link/Uds.h"

namespace brusk::link {

/// A row of samples: for each item its raw bytes as an unsigned big-endian number, and whether it arrived.
struct SampleRow {
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
    double busLoad = 0;                  ///< share of the wire, 0 to 1
};

/// Packs items (of at most 4 bytes) into as few identifiers as possible; an error when the controller keeps fewer.
[[nodiscard]] Result<SamplePlan> planSampling(const Profile& profile, const std::vector<Uds::Place>& items);

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

    /// Asks the controller something in between, without waiting for it: a later poll hands over what it says, behind
    /// the service byte. Nothing comes when it refuses. For requests that fit one frame.
    using OnAnswer = std::function<void(ByteSpan answer)>;
    [[nodiscard]] Done ask(ByteSpan request, OnAnswer onAnswer);

  private:
    Done listen(const CanFrame& frame);
    void take(const CanFrame& frame, const OnRow& onRow);

    Uds& uds_;
    std::vector<Uds::Place> items_;
    SamplePlan plan_;
    SampleRow row_;
    std::vector<bool> seen_;
    int64_t lastFrame_us_ = 0;
    int64_t lastPresent_us_ = 0;
    IsoTpAssembler answer_;
    uint8_t asked_ = 0;  ///< the service that is waited for
    OnAnswer onAnswer_;
};

}  // namespace brusk::link
