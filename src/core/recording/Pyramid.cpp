// One pass over the samples, then one over each level.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/Pyramid.h"

#include <algorithm>
#include <cmath>

#include "core/base/Parallel.h"

namespace brusk::recording {

namespace {

void join(Stretch& into, const Stretch& next) {
    if (!next.any()) return;
    if (!into.any()) {
        into = next;
        return;
    }
    into.least = std::min(into.least, next.least);
    into.most = std::max(into.most, next.most);
    into.last = next.last;
}

/// Without a branch a sample where no sample is missing, which is the common case.
Stretch stretchOf(const float* values, size_t count) {
    float least = INFINITY, most = -INFINITY, sum = 0;
    for (size_t i = 0; i < count; ++i) {
        least = values[i] < least ? values[i] : least;
        most = values[i] > most ? values[i] : most;
        sum += values[i] - values[i];  // NaN for what is no finite number
    }
    if (sum == 0 && count > 0) return {least, most, values[0], values[count - 1]};
    Stretch out;
    for (size_t i = 0; i < count; ++i)
        if (!std::isnan(values[i])) join(out, {values[i], values[i], values[i], values[i]});
    return out;
}

}  // namespace

Pyramid::Pyramid(std::span<const float> values) {
    if (values.size() <= kBase) return;
    std::vector<Stretch> base((values.size() + kBase - 1) / kBase);
    constexpr size_t kPiece = 8192;
    inParallel((base.size() + kPiece - 1) / kPiece, [&](size_t piece) {
        for (size_t i = piece * kPiece; i < std::min(base.size(), (piece + 1) * kPiece); ++i)
            base[i] = stretchOf(values.data() + i * kBase, std::min(kBase, values.size() - i * kBase));
    });
    levels_.push_back(std::move(base));
    while (levels_.back().size() > kFan) {
        const auto& below = levels_.back();
        std::vector<Stretch> level((below.size() + kFan - 1) / kFan);
        for (size_t i = 0; i < below.size(); ++i)
            join(level[i / kFan], below[i]);
        levels_.push_back(std::move(level));
    }
}

Stretch Pyramid::over(std::span<const float> values, size_t from, size_t to) const {
    Stretch out;
    to = std::min(to, values.size());
    size_t i = from;
    while (i < to) {
        // The largest block that begins here and ends inside.
        size_t level = 0, block = kBase;
        if (levels_.empty() || i % kBase != 0 || i + kBase > to) {
            const size_t end = levels_.empty() ? to : std::min(to, (i / kBase + 1) * kBase);
            join(out, stretchOf(values.data() + i, end - i));
            i = end;
            continue;
        }
        while (level + 1 < levels_.size() && i % (block * kFan) == 0 && i + block * kFan <= to)
            block *= kFan, ++level;
        join(out, levels_[level][i / block]);
        i += block;
    }
    return out;
}

size_t Pyramid::bytes() const {
    size_t out = 0;
    for (const auto& level : levels_)
        out += level.size() * sizeof(Stretch);
    return out;
}

}  // namespace brusk::recording
