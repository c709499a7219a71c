// Finds channels by name and role, and the last value not after a moment.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recording/Recording.h"

#include <algorithm>

#include "core/base/Text.h"

namespace brusk::recording {

const std::string* Channel::textOf(float value) const {
    const auto at =
        std::lower_bound(states.begin(), states.end(), value, [](const State& s, float v) { return s.value < v; });
    return at != states.end() && at->value == value ? &at->text : nullptr;
}

const Channel* Group::find(std::string_view wanted) const {
    for (const Channel& channel : channels)
        if (channel.name == wanted) return &channel;
    return nullptr;
}

void LateDamage::add(const std::string& sentence) {
    const std::scoped_lock lock(mutex_);
    if (std::find(sentences_.begin(), sentences_.end(), sentence) == sentences_.end()) sentences_.push_back(sentence);
}

std::vector<std::string> LateDamage::sentences() const {
    const std::scoped_lock lock(mutex_);
    return sentences_;
}

std::vector<std::string> Recording::allDamage() const {
    std::vector<std::string> out = damage;
    if (!late) return out;
    for (std::string& sentence : late->sentences())
        out.push_back(std::move(sentence));
    return out;
}

double Recording::duration_s() const {
    double last = 0;
    for (const Group& group : groups)
        if (group.timed && !group.time_s.empty()) last = std::max(last, group.time_s.back());
    return last;
}

size_t Recording::samples() const {
    size_t count = 0;
    for (const Group& group : groups)
        count += group.time_s.size();
    return count;
}

Recording::Place Recording::find(std::string_view name) const {
    const std::string wanted = toLower(name);
    for (const Group& group : groups)
        for (const Channel& channel : group.channels)
            if (toLower(channel.name) == wanted) return {&group, &channel};
    return {};
}

Recording::Place Recording::findRole(roles::Role role) const {
    for (const Group& group : groups)
        for (const Channel& channel : group.channels)
            if (group.timed && role == channel.role) return {&group, &channel};
    return {};
}

double Recording::valueAt(std::string_view name, double time_s) const {
    const Place place = find(name);
    if (!place || place.group->time_s.empty() || time_s < place.group->time_s.front())
        return std::numeric_limits<double>::quiet_NaN();
    return place.channel->values.at(indexAt(place.group->time_s, time_s));
}

std::vector<Gap> gapsOf(const Group& group) {
    std::vector<Gap> gaps;
    if (group.rate_hz <= 0 || !group.timed) return gaps;
    const double longest = 3 / group.rate_hz;
    const auto times = group.time_s.times();
    for (size_t i = 1; i < times.size(); ++i)
        if (times[i] - times[i - 1] > longest) gaps.push_back({times[i - 1], times[i]});
    return gaps;
}

double nominalRate(std::span<const double> time_s) {
    constexpr size_t kLooked = 1000;
    if (time_s.size() < 2) return 0;
    std::vector<double> steps;
    for (size_t i = 1; i < std::min(time_s.size(), kLooked + 1); ++i)
        steps.push_back(time_s[i] - time_s[i - 1]);
    std::nth_element(steps.begin(), steps.begin() + static_cast<long>(steps.size() / 2), steps.end());
    const double step = steps[steps.size() / 2];
    if (!(step > 0)) return 0;
    const double rate = 1 / step;
    return rate < 1 ? rate : std::round(rate);
}

size_t indexAt(std::span<const double> time_s, double t) {
    const auto after = std::upper_bound(time_s.begin(), time_s.end(), t);
    return after == time_s.begin() ? 0 : static_cast<size_t>(after - time_s.begin()) - 1;
}

}  // namespace brusk::recording
