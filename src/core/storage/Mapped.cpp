// Mapped files of this machine. A page that can't be read any more raises SIGBUS, which would end the program in the
// middle of a flash because somebody pulled a stick with a log on it: a handler puts a page of zeros there and notes
// it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/storage/Mapped.h"

#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <csignal>
#include <mutex>

#include "core/storage/MapFile.h"

namespace brusk::storage {

namespace {

/// One mapped file, as the handler sees it: no locks, no memory of its own.
struct Range {
    std::atomic<uintptr_t> begin{0}, end{0};
    std::atomic<bool> broken{false};
};
constexpr size_t kMostFiles = 1024;
std::array<Range, kMostFiles> ranges;
struct sigaction before;

void onBusError(int signal, siginfo_t* info, void* context) {
    const auto at = reinterpret_cast<uintptr_t>(info->si_addr);  // NOLINT: an address is what it is
    for (Range& range : ranges) {
        const uintptr_t begin = range.begin;
        if (begin == 0 || at < begin || at >= range.end) continue;
        const auto page = static_cast<uintptr_t>(::sysconf(_SC_PAGESIZE));
        void* where = reinterpret_cast<void*>(at / page * page);  // NOLINT
        if (::mmap(where, page, PROT_READ, MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED, -1, 0) == MAP_FAILED) break;
        range.broken = true;
        return;
    }
    // Nobody's file: as it would have been without us.
    if ((before.sa_flags & SA_SIGINFO) && before.sa_sigaction) return before.sa_sigaction(signal, info, context);
    ::signal(signal, SIG_DFL);
    ::raise(signal);
}

Range* freeRange() {
    static std::mutex mutex;
    static bool guarded = false;
    const std::scoped_lock lock(mutex);
    if (!guarded) {
        struct sigaction action {};
        action.sa_sigaction = onBusError;
        action.sa_flags = SA_SIGINFO | SA_NODEFER;
        guarded = ::sigaction(SIGBUS, &action, &before) == 0;
        if (!guarded) return nullptr;
    }
    for (Range& range : ranges)
        if (uintptr_t none = 0; range.begin.compare_exchange_strong(none, 1)) return &range;
    return nullptr;
}

class MappedFile final : public Mapped {
  public:
    MappedFile(Range* range, void* at, size_t size) : range_(range), at_(at), size_(size) {
        range_->broken = false;
        range_->end = reinterpret_cast<uintptr_t>(at) + size;  // NOLINT
        range_->begin = reinterpret_cast<uintptr_t>(at);       // NOLINT
    }
    MappedFile(const MappedFile&) = delete;
    MappedFile& operator=(const MappedFile&) = delete;
    ~MappedFile() override {
        ::munmap(at_, size_);
        range_->end = 0;
        range_->begin = 0;
    }
    ByteSpan bytes() const override { return {static_cast<const uint8_t*>(at_), size_}; }
    bool broken() const override { return range_->broken; }
    void willNeed(size_t from, size_t count) const override {
        const auto page = static_cast<size_t>(::sysconf(_SC_PAGESIZE));
        const size_t begin = from / page * page;
        ::madvise(static_cast<uint8_t*>(at_) + begin, std::min(count + from - begin, size_ - begin), MADV_WILLNEED);
    }

  private:
    Range* range_;
    void* at_;
    size_t size_;
};

class MappedBytes final : public Mapped {
  public:
    explicit MappedBytes(Bytes bytes) : bytes_(std::move(bytes)) {}
    ByteSpan bytes() const override { return bytes_; }

  private:
    Bytes bytes_;
};

}  // namespace

std::shared_ptr<const Mapped> mappedBytes(Bytes bytes) {
    return std::make_shared<MappedBytes>(std::move(bytes));
}

std::shared_ptr<const Mapped> mapFile(int descriptor, size_t size) {
    if (size == 0) return mappedBytes({});
    Range* range = freeRange();
    if (!range) return nullptr;
    void* at = ::mmap(nullptr, size, PROT_READ, MAP_PRIVATE, descriptor, 0);
    if (at == MAP_FAILED) {
        range->begin = 0;
        return nullptr;
    }
    // Heads of blocks lie far apart: what is between them is read when somebody says that it is needed.
    ::madvise(at, size, MADV_RANDOM);
    return std::make_shared<MappedFile>(range, at, size);
}

}  // namespace brusk::storage
