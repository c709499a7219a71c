// Moving a stretch of memory over a link that may lose frames: what reading and flashing share.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/link/Transfer.h"

namespace brusk::link {

/// Reports progress and asks whether to go on.
class Reporter {
  public:
    Reporter(Uds& uds, uint64_t total, const OnProgress& onProgress);
    ~Reporter();
    Reporter(const Reporter&) = delete;
    Reporter& operator=(const Reporter&) = delete;

    void step(std::string text, std::optional<image::Sector> sector = {});
    void retry() { ++own_; }
    void alreadyDone(uint64_t bytes) { progress_.done += bytes, progress_.before += bytes; }
    Done advance(uint64_t bytes);
    /// Back to an earlier count, when a sector is begun again.
    void backTo(uint64_t done) { progress_.done = done; }
    uint64_t done() const { return progress_.done; }
    int64_t elapsed_us() const { return uds_.port().now_us() - begun_us_; }
    int retries() const { return own_ + uds_.repeats() - repeatsBefore_; }
    /// The wait for somebody to switch the ignition off for so long, and on again. It is no part of the elapsed time.
    Done awaitIgnition(double off_s);

  private:
    bool tell();

    Uds& uds_;
    const OnProgress& onProgress_;
    int64_t begun_us_;
    int repeatsBefore_;
    int own_ = 0;
    Progress progress_;
};

/// Block sizes that suit the link: a quarter when a block does not come through, doubled after a row of those that did.
class BlockSize {
  public:
    static constexpr size_t kLeast = 64;
    explicit BlockSize(size_t most) : most_(most), now_(most) {}
    size_t now() const { return now_; }
    size_t most() const { return most_; }
    bool smallest() const { return now_ <= kLeast; }
    void failed() { now_ = std::max(kLeast, now_ / 4), inARow_ = 0; }
    void cameThrough();

  private:
    size_t most_;
    size_t now_;
    int inARow_ = 0;
};

/// Uploads a stretch, handing each block to `take` in order. Asks again, for less at a time, when frames are lost.
class StretchReader {
  public:
    /// `programming`: the session that is opened again when the controller fell out of it.
    StretchReader(Uds& uds, Reporter& reporter, bool programming)
        : uds_(uds), reporter_(reporter), programming_(programming) {}
    using Take = std::function<Done(uint32_t start, ByteSpan bytes)>;
    [[nodiscard]] Done read(uint32_t start, uint32_t length, const Take& take);
    /// Data bytes of the largest block the controller sends; 0 before the first.
    size_t largestBlock() const { return largest_; }

  private:
    Done upload(uint32_t& start, uint32_t end, const Take& take);

    Uds& uds_;
    Reporter& reporter_;
    bool programming_;
    size_t largest_ = 0;
    std::optional<BlockSize> block_;
};

/// Whether trying again may help: silence and damaged frames, not a lost link, a stop, or a full disk.
bool worthRetrying(const Error& error);

}  // namespace brusk::link
