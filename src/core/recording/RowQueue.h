// Rows on their way from the thread that samples to the one that writes: no lock, and no memory asked for in the
// ordinary run of things.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <atomic>
#include <bit>
#include <cstdint>
#include <memory>
#include <span>
#include <utility>
#include <vector>

namespace brusk::recording {

/// One thread pushes, one takes. Blocks of rows, one after the other; a block that was emptied is filled again, so that
/// two of them go round while the taker keeps up, and more are made only when it does not.
class RowQueue {
  public:
    /// `widths`: values of a row of each group; a row is narrower than a block.
    explicit RowQueue(std::vector<size_t> widths, size_t mostBlocks)
        : widths_(std::move(widths)), mostBlocks_(mostBlocks), taking_(new Block), filling_(taking_) {}
    ~RowQueue() {
        for (Block* block = taking_; block;)
            delete std::exchange(block, block->next.load());
        delete spare_.load();
    }
    RowQueue(const RowQueue&) = delete;
    RowQueue& operator=(const RowQueue&) = delete;

    /// False where the taker is so far behind that there is no room: the row is not taken. Values that lack are NaN.
    bool push(size_t group, double time_s, std::span<const float> values) {
        const size_t words = kHead + widths_[group];
        size_t at = filling_->written.load(std::memory_order_relaxed);
        if (at + words > kWords) {
            if (!nextBlock()) return false;
            at = 0;
        }
        uint32_t* to = filling_->words.get() + at;
        const auto time = std::bit_cast<uint64_t>(time_s);
        *to++ = static_cast<uint32_t>(group);
        *to++ = static_cast<uint32_t>(time >> 32);
        *to++ = static_cast<uint32_t>(time);
        for (size_t i = 0; i < widths_[group]; ++i)
            *to++ = i < values.size() ? std::bit_cast<uint32_t>(values[i]) : kNaN;
        filling_->written.store(at + words, std::memory_order_release);
        return true;
    }

    /// Hands over all that is there: group, time and values of each row, in the order of their pushing.
    template <class OnRow>
    void take(OnRow onRow) {
        while (true) {
            // Whether there is a next one is asked before how far this one is: it is full then.
            Block* const next = taking_->next.load(std::memory_order_acquire);
            const size_t end = taking_->written.load(std::memory_order_acquire);
            while (taken_ < end) {
                const uint32_t* from = taking_->words.get() + taken_;
                const size_t group = from[0];
                row_.resize(widths_[group]);
                for (size_t i = 0; i < row_.size(); ++i)
                    row_[i] = std::bit_cast<float>(from[kHead + i]);
                onRow(group, std::bit_cast<double>(uint64_t{from[1]} << 32 | from[2]), std::span<const float>(row_));
                taken_ += kHead + row_.size();
            }
            if (!next) return;
            Block* const emptied = std::exchange(taking_, next);
            taken_ = 0;
            emptied->next.store(nullptr, std::memory_order_relaxed);
            emptied->written.store(0, std::memory_order_relaxed);
            if (Block* const other = spare_.exchange(emptied, std::memory_order_acq_rel)) {
                delete other;
                --blocks_;
            }
        }
    }

    static constexpr size_t kBytes = size_t{1} << 18;  ///< of a block: ten seconds of 60 channels at 100 Hz
    /// Those there are now.
    size_t blocks() const { return blocks_; }

  private:
    static constexpr size_t kWords = kBytes / sizeof(uint32_t);
    static constexpr size_t kHead = 3;  // group and time
    static constexpr uint32_t kNaN = 0x7FC00000;
    struct Block {
        std::unique_ptr<uint32_t[]> words{new uint32_t[kWords]};
        std::atomic<size_t> written{0};
        std::atomic<Block*> next{nullptr};
    };

    bool nextBlock() {
        Block* fresh = spare_.exchange(nullptr, std::memory_order_acq_rel);
        if (!fresh) {
            if (blocks_ >= mostBlocks_) return false;
            fresh = new Block;
            ++blocks_;
        }
        filling_->next.store(fresh, std::memory_order_release);
        filling_ = fresh;
        return true;
    }

    const std::vector<size_t> widths_;
    const size_t mostBlocks_;
    std::atomic<size_t> blocks_{1};
    std::atomic<Block*> spare_{nullptr};
    // Of the thread that takes.
    Block* taking_;
    size_t taken_ = 0;
    std::vector<float> row_;
    // Of the thread that pushes.
    Block* filling_;
};

}  // namespace brusk::recording
