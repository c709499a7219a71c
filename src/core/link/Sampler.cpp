// Periodic requests in a pattern that the bus can carry.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/link/Sampler.h"

#include <algorithm>
#include <numeric>
#include <utility>

#include "core/base/Text.h"

namespace brusk::link {
namespace {

constexpr size_t kPeriodicRoom = 7;       // A periodic frame: its identifier's low byte, then data (ISO 14229-3, UUDT).
constexpr int64_t kSilence_us = 1000000;  // at least; and three periods
constexpr int64_t kHeldUp_us = 1000000;   // a computer that waited so much longer than it wanted to
constexpr int64_t kKeepAlive_us = 2000000;

}  // namespace

Result<SamplePlan> planSampling(const Profile& profile, const std::vector<Uds::Place>& items,
                                const std::vector<Pace>& paces) {
    if (items.empty()) return fail(ErrorCode::BadInput, "Choose at least one channel to record.");
    const auto paceOf = [&](size_t item) { return paces.empty() ? Pace::Fast : paces[item]; };
    SamplePlan plan;
    // The fast ones first, of each pace the largest first, into the first identifier with room.
    std::vector<size_t> order(items.size());
    std::iota(order.begin(), order.end(), size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](size_t a, size_t b) {
        return std::pair(paceOf(a), items[b].size) < std::pair(paceOf(b), items[a].size);
    });
    std::vector<size_t> used;
    for (const size_t item : order) {
        const uint8_t size = items[item].size;
        if (size == 0 || size > 4)
            return fail(ErrorCode::BadInput, "A channel of " + std::to_string(size) + " bytes can't be sampled.");
        size_t id = 0;
        while (id < used.size() && (plan.paces[id] != paceOf(item) || used[id] + size > kPeriodicRoom))
            ++id;
        if (id == used.size()) {
            used.push_back(0);
            plan.ids.emplace_back();
            plan.paces.push_back(paceOf(item));
        }
        plan.ids[id].push_back({item, used[id], size});
        used[id] += size;
    }
    if (plan.ids.size() > static_cast<size_t>(profile.dynamicIds))
        return fail(ErrorCode::OutOfRange, "These " + std::to_string(items.size()) + " channels need " +
                                               std::to_string(plan.ids.size()) +
                                               " periodic frames; the controller sends at most " +
                                               std::to_string(profile.dynamicIds) + ". Choose fewer.");
    CanFrame longest;
    longest.id = profile.periodicId;
    longest.length = 8;
    longest.data = {1, 0x55, 0xAA, 0x5A, 0xA5, 0x3C, 0xC3, 0x69};
    const auto frame_us = static_cast<double>(frameTime_us(longest)) * kBitrate / profile.bitrate;
    for (const Pace pace : plan.paces)
        plan.busLoad += frame_us / static_cast<double>(profile.period_us(pace));
    if (plan.busLoad > kMostBusLoad)
        return fail(ErrorCode::OutOfRange, "These " + std::to_string(items.size()) + " channels need " +
                                               formatNumber(plan.busLoad * 100, 0) + " % of the link; more than " +
                                               formatNumber(kMostBusLoad * 100, 0) +
                                               " % is not asked for. Choose fewer, or slower ones.");
    return plan;
}

void Sampler::Coming::clear() {
    std::fill(seen.begin(), seen.end(), false);
    std::fill(row.present.begin(), row.present.end(), false);
    missing = frames;
}

Done Sampler::start() {
    const Profile& profile = uds_.profile();
    if (auto done = uds_.startSession(profile.sessionExtended); !done) return done;
    if (auto done = uds_.clearDynamicIds(); !done) return done;
    IdsByPace ids;
    for (size_t id = 0; id < plan_.ids.size(); ++id) {
        std::vector<Uds::Place> places;
        for (const SamplePlan::Slot& slot : plan_.ids[id])
            places.push_back(items_[slot.item]);
        const auto did = static_cast<uint16_t>(profile.firstDynamicId + id);
        if (auto done = uds_.defineDynamicId(did, places); !done) return done;
        ids[static_cast<size_t>(plan_.paces[id])].push_back(static_cast<uint8_t>(did));
    }
    std::optional<int64_t> silence_us;
    for (const Pace pace : kPaces) {
        Coming& coming = coming_[static_cast<size_t>(pace)];
        coming.frames = ids[static_cast<size_t>(pace)].size();
        coming.row = {pace, 0, std::vector<uint32_t>(items_.size()), std::vector<bool>(items_.size())};
        coming.seen.assign(plan_.ids.size(), false);
        coming.clear();
        if (coming.frames && !silence_us) silence_us = std::max(kSilence_us, 3 * profile.period_us(pace));
    }
    silence_us_ = silence_us.value_or(kSilence_us);
    lastFrame_us_ = lastPresent_us_ = uds_.port().now_us();
    onAnswer_ = {};
    Done started = startAll(ids);
    looked_us_ = uds_.port().now_us();
    longestAway_us_ = 0;
    return started;
}

Done Sampler::startAll(const IdsByPace& ids) {
    for (const Pace pace : kPaces)
        if (const auto& of = ids[static_cast<size_t>(pace)]; !of.empty())
            if (auto done = uds_.startPeriodic(uds_.profile().rateByte(pace), of); !done) return done;
    return {};
}

void Sampler::take(const CanFrame& frame, const OnRow& onRow) {
    const size_t id = static_cast<size_t>(frame.data[0]) - (uds_.profile().firstDynamicId & 0xFFu);
    if (id >= plan_.ids.size()) return;
    const Pace pace = plan_.paces[id];
    Coming& coming = coming_[static_cast<size_t>(pace)];
    SampleRow& row = coming.row;
    const auto flush = [&] {
        if (coming.missing == coming.frames) return;
        onRow(row);
        coming.clear();
    };
    // The same identifier again, or one that comes more than half a period late, belongs to the next row.
    if (coming.seen[id] || frame.time_us - row.time_us > uds_.profile().period_us(pace) / 2) flush();
    if (coming.missing == coming.frames) row.time_us = frame.time_us;
    coming.seen[id] = true;
    --coming.missing;
    for (const SamplePlan::Slot& slot : plan_.ids[id]) {
        if (1 + slot.offset + slot.size > frame.length) continue;
        row.raw[slot.item] =
            static_cast<uint32_t>(loadUnsigned(frame.data.data() + 1 + slot.offset, slot.size, ByteOrder::BigEndian));
        row.present[slot.item] = true;
    }
    if (coming.missing == 0) flush();
}

Done Sampler::poll(int64_t deadline_us, const OnRow& onRow, const OnFrame& onOther) {
    CanPort& port = uds_.port();
    while (port.now_us() < deadline_us) {
        const int64_t until = std::min(deadline_us, lastFrame_us_ + silence_us_);
        longestAway_us_ = std::max(longestAway_us_, port.now_us() - looked_us_);
        auto frame = port.receive(until);
        looked_us_ = port.now_us();
        if (!frame) return tl::unexpected(frame.error());
        // Who wakes finds old frames, which the port stamps as if they came now.
        if (port.now_us() - until >= kHeldUp_us) return fail(ErrorCode::Timeout, "This computer was held up.");
        if (*frame && (*frame)->id == uds_.profile().periodicId) {
            lastFrame_us_ = (*frame)->time_us;
            take(**frame, onRow);
        } else if (*frame && onAnswer_ && uds_.profile().address.isOurs(**frame)) {
            if (auto done = listen(**frame); !done) return done;
        } else if (*frame && onOther) {
            onOther(**frame);
        }
        if (port.now_us() - lastFrame_us_ >= silence_us_)
            return fail(ErrorCode::Timeout,
                        "The controller stopped sending samples. Is the ignition off, or the cable out?");
        if (port.now_us() - lastPresent_us_ >= kKeepAlive_us) {
            lastPresent_us_ = port.now_us();
            if (auto done = uds_.testerPresent(); !done) return done;
        }
    }
    return {};
}

Done Sampler::ask(ByteSpan request, OnAnswer onAnswer) {
    asked_ = request[0];
    onAnswer_ = std::move(onAnswer);
    return uds_.transport().send(request);
}

Done Sampler::listen(const CanFrame& frame) {
    const auto event = answer_.take(frame);
    if (event == IsoTpAssembler::Event::Begun) return uds_.port().send(uds_.profile().address.frame(kGoOn));
    if (event != IsoTpAssembler::Event::Complete) return {};
    const Bytes& message = answer_.message();
    if (!message.empty() && message[0] == asked_ + 0x40) std::exchange(onAnswer_, {})(ByteSpan(message).subspan(1));
    return {};
}

Done Sampler::stop() {
    if (auto done = uds_.stopPeriodic(); !done) return done;
    return uds_.clearDynamicIds();
}

}  // namespace brusk::link
