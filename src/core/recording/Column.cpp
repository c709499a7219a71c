// Decodes once, under a lock of the column's own; afterwards nobody waits.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/Column.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>

#include "core/base/Parallel.h"

namespace brusk::recording {

namespace {

/// Pieces for all processors.
constexpr size_t kPiece = size_t{1} << 18;

template <class Work>
void eachPiece(size_t count, Work work) {
    inParallel((count + kPiece - 1) / kPiece,
               [&](size_t piece) { work(piece * kPiece, std::min(count, (piece + 1) * kPiece)); });
}

template <class Number>
void scale(Number* numbers, size_t count, double factor, double offset) {
    if (factor == 1 && offset == 0) return;
    for (size_t i = 0; i < count; ++i)
        numbers[i] = static_cast<Number>(factor * static_cast<double>(numbers[i]) + offset);
}

template <class Number>
bool sameNumbers(std::span<const Number> a, std::span<const Number> b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                      [](Number x, Number y) { return x == y || (std::isnan(x) && std::isnan(y)); });
}

}  // namespace

struct Column::Held {
    std::shared_ptr<const RowSource> source;
    size_t column = 0;
    double factor = 1, offset = 0;  ///< of what the source gives
    bool wide = false;

    std::mutex mutex;  ///< guards what follows until it is there; then it only is
    std::atomic<bool> narrowThere{false}, wideThere{false}, pyramidThere{false};
    Numbers<float> narrow;
    Numbers<double> exact;
    Pyramid pyramid;

    size_t size() const {
        if (wide ? wideThere : narrowThere) return wide ? exact.size() : narrow.size();
        return source ? source->rows() : 0;
    }

    /// What the source gave, as whoever asks for all of them has it.
    void settle(double* numbers, size_t count) const {
        scale(numbers, count, factor, offset);
        for (size_t i = 0; !wide && i < count; ++i)
            numbers[i] = static_cast<double>(static_cast<float>(numbers[i]));
    }

    /// Called with the lock.
    void makeNarrow() {
        if (narrowThere) return;
        if (wideThere) {
            narrow.resize(exact.size());
            eachPiece(narrow.size(), [&](size_t from, size_t to) {
                std::transform(exact.begin() + static_cast<long>(from), exact.begin() + static_cast<long>(to),
                               narrow.begin() + static_cast<long>(from),
                               [](double v) { return static_cast<float>(v); });
            });
        } else if (source) {
            narrow.resize(source->rows());
            const RowSource::Wanted wanted[] = {{column, narrow.data(), nullptr}};
            source->read(wanted, 0, narrow.size());
            eachPiece(narrow.size(),
                      [&](size_t from, size_t to) { scale(narrow.data() + from, to - from, factor, offset); });
        }
        narrowThere = true;
    }
    void makeWide() {
        if (wideThere) return;
        if (source) {
            exact.resize(source->rows());
            const RowSource::Wanted wanted[] = {{column, nullptr, exact.data()}};
            source->read(wanted, 0, exact.size());
            eachPiece(exact.size(),
                      [&](size_t from, size_t to) { scale(exact.data() + from, to - from, factor, offset); });
        } else {
            exact.assign(narrow.begin(), narrow.end());
        }
        wideThere = true;
    }
};

Column::Column(std::initializer_list<float> numbers)
    : Column(std::span<const float>(numbers.begin(), numbers.size())) {}

Column::Column(std::span<const float> numbers) : Column(Numbers<float>(numbers.begin(), numbers.end())) {}

Column::Column(Numbers<float> numbers) : held_(std::make_shared<Held>()) {
    held_->narrow = std::move(numbers);
    held_->narrowThere = true;
}

Column::Column(Numbers<double> numbers) : held_(std::make_shared<Held>()) {
    held_->wide = true;
    held_->exact = std::move(numbers);
    held_->wideThere = true;
}

Column::Column(std::shared_ptr<const RowSource> source, size_t column, bool wide) : held_(std::make_shared<Held>()) {
    held_->source = std::move(source);
    held_->column = column;
    held_->wide = wide;
}

size_t Column::size() const {
    return held_ ? held_->size() : 0;
}

bool Column::isWide() const {
    return held_ && held_->wide;
}

bool Column::needsWide(double value) {
    constexpr double kExact = 16777216;  // 2^24
    return (value > kExact || value < -kExact) && std::trunc(value) == value &&
           static_cast<double>(static_cast<float>(value)) != value;
}

bool Column::decoded() const {
    return !held_ || held_->narrowThere || held_->wideThere;
}

std::span<const float> Column::values() const {
    if (!held_) return {};
    if (!held_->narrowThere) {
        const std::scoped_lock lock(held_->mutex);
        held_->makeNarrow();
    }
    return held_->narrow;
}

std::span<const double> Column::exact() const {
    if (!held_) return {};
    if (!held_->wideThere) {
        const std::scoped_lock lock(held_->mutex);
        held_->makeWide();
    }
    return held_->exact;
}

double Column::at(size_t i) const {
    if (i >= size()) return NAN;
    if (held_->wideThere) return held_->exact[i];
    if (held_->narrowThere) return static_cast<double>(held_->narrow[i]);
    double out = NAN;
    read(i, {&out, 1});
    return out;
}

void Column::read(size_t first, std::span<double> out) const {
    if (out.empty()) return;
    if (held_->wideThere) {
        std::copy_n(held_->exact.begin() + static_cast<long>(first), out.size(), out.begin());
    } else if (held_->narrowThere) {
        std::copy_n(held_->narrow.begin() + static_cast<long>(first), out.size(), out.begin());
    } else {
        const RowSource::Wanted wanted[] = {{held_->column, nullptr, out.data()}};
        held_->source->read(wanted, first, out.size());
        held_->settle(out.data(), out.size());
    }
}

void readTogether(std::span<const Column> columns, size_t first, size_t count, double* out) {
    std::vector<std::pair<const RowSource*, size_t>> left;
    for (size_t c = 0; c < columns.size(); ++c)
        if (columns[c].decoded())
            columns[c].read(first, {out + c * count, count});
        else
            left.emplace_back(columns[c].held_->source.get(), c);
    std::sort(left.begin(), left.end());
    for (size_t from = 0; from < left.size();) {
        std::vector<RowSource::Wanted> wanted;
        size_t to = from;
        for (; to < left.size() && left[to].first == left[from].first; ++to)
            wanted.push_back({columns[left[to].second].held_->column, nullptr, out + left[to].second * count});
        left[from].first->read(wanted, first, count);
        for (; from < to; ++from)
            columns[left[from].second].held_->settle(out + left[from].second * count, count);
    }
}

std::vector<double> Column::some() const {
    constexpr size_t kFirst = 4000, kSpread = 64;
    if (decoded()) return {begin(), end()};
    std::vector<double> out(std::min(kFirst, size()));
    read(0, out);
    for (size_t i = 0; i < kSpread; ++i)
        out.push_back(at(size() / kSpread * i));
    return out;
}

const Pyramid& Column::pyramid() const {
    static const Pyramid none;
    if (!held_) return none;
    if (!held_->pyramidThere) {
        const std::scoped_lock lock(held_->mutex);
        held_->makeNarrow();
        if (!held_->pyramidThere) held_->pyramid = Pyramid(held_->narrow);
        held_->pyramidThere = true;
    }
    return held_->pyramid;
}

Column Column::scaled(double factor, double offset) const {
    if (!held_ || (factor == 1 && offset == 0)) return *this;
    if (held_->source) {
        Column out(held_->source, held_->column, held_->wide);
        out.held_->factor = factor * held_->factor;
        out.held_->offset = factor * held_->offset + offset;
        return out;
    }
    if (held_->wide) {
        auto numbers = held_->exact;
        scale(numbers.data(), numbers.size(), factor, offset);
        return Column(std::move(numbers));
    }
    auto numbers = held_->narrow;
    scale(numbers.data(), numbers.size(), factor, offset);
    return Column(std::move(numbers));
}

Column Column::firstRows(size_t count) const {
    if (count >= size() && decoded()) return *this;
    count = std::min(count, size());
    Numbers<double> numbers(count);
    read(0, numbers);
    return isWide() ? Column(std::move(numbers)) : Column(Numbers<float>(numbers.begin(), numbers.end()));
}

Numbers<float>& Column::edit() {
    auto mine = std::make_shared<Held>();
    if (held_ && held_.use_count() == 1 && !held_->wide && !held_->source) {
        held_->pyramidThere = false;
        return held_->narrow;
    }
    const auto have = values();
    mine->narrow.assign(have.begin(), have.end());
    mine->narrowThere = true;
    held_ = std::move(mine);
    return held_->narrow;
}

Numbers<double>& Column::editExact() {
    if (held_ && held_.use_count() == 1 && held_->wide && !held_->source) {
        held_->narrowThere = held_->pyramidThere = false;
        return held_->exact;
    }
    auto mine = std::make_shared<Held>();
    const auto have = exact();
    mine->exact.assign(have.begin(), have.end());
    mine->wide = true;
    mine->wideThere = true;
    held_ = std::move(mine);
    return held_->exact;
}

bool Column::operator==(const Column& other) const {
    if (held_ == other.held_) return true;
    if (size() != other.size() || (!empty() && isWide() != other.isWide())) return false;
    return isWide() ? sameNumbers(exact(), other.exact()) : sameNumbers(values(), other.values());
}

size_t rowsTogether(size_t columns) {
    constexpr size_t kNumbers = size_t{1} << 22, kLeast = size_t{1} << 13, kMost = size_t{1} << 16;
    return std::clamp(kNumbers / std::max<size_t>(1, columns), kLeast, kMost);
}

std::vector<ColumnSummary> summariesOf(std::span<const Column> columns) {
    const size_t atOnce = rowsTogether(columns.size());
    std::vector<ColumnSummary> out(columns.size());
    const size_t rows = columns.empty() ? 0 : columns[0].size();
    std::vector<double> numbers(columns.size() * std::min(atOnce, rows));
    for (size_t first = 0; first < rows; first += atOnce) {
        const size_t count = std::min(atOnce, rows - first);
        readTogether(columns, first, count, numbers.data());
        inParallel(columns.size(), [&](size_t c) {
            ColumnSummary& all = out[c];
            for (const double v : std::span(numbers).subspan(c * count, count)) {
                if (!std::isfinite(v)) continue;
                if (all.count++ == 0) all.first = all.least = all.most = v;
                all.least = std::min(all.least, v), all.most = std::max(all.most, v);
                all.last = v, all.mean += v;  // a sum until the end
            }
        });
    }
    for (ColumnSummary& one : out)
        if (one.count) one.mean /= static_cast<double>(one.count);
    return out;
}

void decode(std::span<const Column> columns) {
    std::vector<Column::Held*> wanted;
    for (const Column& column : columns)
        if (column.held_ && column.held_->source && !column.decoded()) wanted.push_back(column.held_.get());
    std::sort(wanted.begin(), wanted.end());
    wanted.erase(std::unique(wanted.begin(), wanted.end()), wanted.end());
    // In one order, whoever asks: two who want the same columns do not wait for each other.
    std::vector<std::unique_lock<std::mutex>> locks;
    locks.reserve(wanted.size());
    for (Column::Held* held : wanted)
        locks.emplace_back(held->mutex);
    std::erase_if(wanted, [](Column::Held* h) { return h->narrowThere || h->wideThere; });
    std::stable_sort(wanted.begin(), wanted.end(), [](auto* a, auto* b) { return a->source.get() < b->source.get(); });
    for (size_t from = 0; from < wanted.size();) {
        const RowSource& source = *wanted[from]->source;
        std::vector<RowSource::Wanted> places;
        size_t to = from;
        for (; to < wanted.size() && wanted[to]->source.get() == &source; ++to) {
            Column::Held& held = *wanted[to];
            if (held.wide)
                held.exact.resize(source.rows());
            else
                held.narrow.resize(source.rows());
            places.push_back({held.column, held.narrow.data(), held.wide ? held.exact.data() : nullptr});
            if (held.wide) places.back().narrow = nullptr;
        }
        source.read(places, 0, source.rows());
        for (; from < to; ++from) {
            Column::Held& held = *wanted[from];
            eachPiece(source.rows(), [&](size_t first, size_t last) {
                if (held.wide)
                    scale(held.exact.data() + first, last - first, held.factor, held.offset);
                else
                    scale(held.narrow.data() + first, last - first, held.factor, held.offset);
            });
            (held.wide ? held.wideThere : held.narrowThere) = true;
        }
    }
}

Clock::Clock(std::initializer_list<double> times) : column_(Numbers<double>(times)) {}

Clock::Clock(const std::vector<double>& times) : column_(Numbers<double>(times.begin(), times.end())) {}

double Clock::back() const {
    if (empty()) return NAN;
    const double last = column_.at(size() - 1);
    // Rows whose time is none take that of the row before: only who sees them all knows it.
    return std::isfinite(last) || column_.decoded() ? last : times().back();
}

}  // namespace brusk::recording
