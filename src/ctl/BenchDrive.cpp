// Parts, bytes and routes to a recording and its truth, in virtual time.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "ctl/BenchDrive.h"

#include <cmath>

#include "core/carfolder/CarFolder.h"
#include "core/carfolder/Schema.h"
#include "core/link/Uds.h"

namespace brusk::ctl {

namespace {

constexpr int64_t kTick_us = 10000;
constexpr double kWriteEvery_s = 20;

recording::Group oneRow(std::string name) {
    recording::Group out;
    out.name = std::move(name);
    return out;
}

}  // namespace

BenchDrive::BenchDrive(Context& context, benchcar::BenchCar& car, const job::Kit& kit, job::ChannelSet channels,
                       const image::Image& image)
    : c_(context), car_(car), kit_(kit), channels_(std::move(channels)), image_(image), external_(kit) {
    values_.resize(channels_.measurements.size());
}

Done BenchDrive::open(const BenchOrders& orders) {
    const auto begin = [&](const std::string& path, recording::Recording layout, const std::string& title) {
        layout.title = title;
        layout.startedAt = carfolder::utcNow();
        layout.imageSha256 = carfolder::imageFingerprint(image_);
        layout.areas = job::areasText(kit_, image_);
        layout.definitionSha256 = job::definitionSha(kit_);
        layout.channelsSha256 = job::channelsSha(channels_);
        return recording::Mdf4Writer::create(c_.files, path, layout);
    };
    std::string title;
    for (const auto& route : orders.routes)
        title += (title.empty() ? "" : ", ") + route.name;
    for (const std::string& path : {orders.out, orders.truth})
        if (!path.empty())
            if (auto done = makeRoom(c_, path, orders.force); !done) return done;
    auto layout = job::layoutOf(kit_, channels_, orders.wideband);
    job::addLearned(kit_, layout);
    learnedGroup_ = layout.groups.size() - 1;
    auto file = begin(orders.out, layout, title);
    if (!file) return tl::unexpected(file.error());
    file_ = std::move(*file);
    keepLearned(0);
    if (orders.truth.empty()) return {};
    recording::Recording truth;
    auto& states = truth.groups.emplace_back();
    states.name = "truth";
    states.rate_hz = channels_.rate_hz;
    for (const auto& channel : benchcar::truthChannels())
        states.channels.push_back({channel.name, channel.unit, channel.title, "", {}});
    auto drawn = oneRow("drawn"), learned = oneRow("learned"), figures = oneRow("figures");
    for (const auto& fact : benchcar::factsOf(car_.plant().build().drawn))
        drawn.channels.push_back({fact.name, fact.unit, "Drawn from seed " + std::to_string(orders.seed), "", {}});
    for (const auto& value : benchcar::learnedNow(car_))
        learned.channels.push_back(
            {std::string(value.name), std::string(value.unit), "As the drive left it in the controller", "", {}});
    for (const auto name : benchcar::figureNames())
        figures.channels.push_back({std::string(name), "", "Of the whole drive", "", {}});
    truth.groups.insert(truth.groups.end(), {drawn, learned, figures});
    auto opened = begin(orders.truth, std::move(truth), "Truth of " + title);
    if (!opened) return tl::unexpected(opened.error());
    truth_ = std::move(*opened);
    return {};
}

void BenchDrive::keepLearned(double time_s) {
    if (learnedGroup_ == 0) return;
    std::vector<float> row;
    for (const auto* m : job::learnedChannels(*kit_.definition)) {
        const auto bytes = car_.memory().at(m->address, static_cast<uint32_t>(definition::sizeOf(m->type)));
        row.push_back(static_cast<float>(definition::physicalOf(*kit_.definition, *m, bytes.data())));
    }
    file_->append(learnedGroup_, time_s, row);
}

void BenchDrive::row(double time_s) {
    if (truth_) {
        benchcar::truthNow(car_, known_);
        truth_->append(0, time_s, known_);
    }
    // Without the key nothing on the bus has a supply, and nobody answers.
    const auto* leg = car_.plant().leg();
    if (leg && leg->keyOff) return;
    for (size_t i = 0; i < values_.size(); ++i) {
        const auto& m = *channels_.measurements[i];
        const auto bytes = car_.memory().at(m.address, static_cast<uint32_t>(definition::sizeOf(m.type)));
        values_[i] = bytes.empty() ? std::nanf("")
                                   : static_cast<float>(definition::physicalOf(*kit_.definition, m, bytes.data()));
    }
    file_->append(0, time_s, values_);
}

void BenchDrive::listen(bool wideband, double time_s) {
    while (const auto frame = car_.nextFrame()) {
        if (!wideband) continue;
        if (const auto of = external_.take(*frame)) file_->append(1 + *of, time_s, external_.row(*of));
    }
}

void BenchDrive::watch(double time_s, BenchOutcome& out) {
    const auto& s = car_.plant().state();
    figures_.add(car_);
    if (s.refuels != refuels_) {
        out.refuelled.push_back({time_s, s.refuelled_l - refuelled_l_});
        refuels_ = s.refuels;
        refuelled_l_ = s.refuelled_l;
    }
    out.limpMode = out.limpMode || car_.controller().now().limp;
    const auto* leg = car_.plant().leg();
    const bool keyOff = leg && leg->keyOff;
    out.stalled = out.stalled || (ran_ && s.ignition && !keyOff && s.speed_rpm < 300);
    ran_ = !keyOff && (ran_ || s.runTime_s > 2);
}

Done BenchDrive::drive(const benchcar::Route& route, const BenchOrders& orders, BenchOutcome& out) {
    const auto now_s = [&] { return static_cast<double>(car_.now_us() - from_us_) * 1e-6; };
    out.routes.push_back({route.name, now_s(), 0});
    car_.startRoute(route);
    double written_s = now_s();
    const int64_t period_us = orders.period_ms * int64_t{1000};
    while (car_.onRoute()) {
        car_.advanceTo(car_.now_us() + kTick_us);
        const double time_s = now_s();
        listen(orders.wideband, time_s);
        watch(time_s, out);
        if ((car_.now_us() - from_us_) % period_us == 0) row(time_s);
        if (time_s - written_s < kWriteEvery_s) continue;
        written_s = time_s;
        for (auto* file : {file_.get(), truth_.get()})
            if (file)
                if (auto done = file->write(); !done) return done;
    }
    out.routes.back().to_s = now_s();
    return {};
}

Done BenchDrive::finish(const BenchOutcome& out) {
    if (truth_) {
        const auto append = [&](size_t group, double time_s, const auto& values, auto number) {
            std::vector<float> row;
            row.reserve(values.size());
            for (const auto& value : values)
                row.push_back(static_cast<float>(number(value)));
            truth_->append(group, time_s, row);
        };
        append(1, 0, benchcar::factsOf(car_.plant().build().drawn), [](const auto& fact) { return fact.value; });
        append(2, out.duration_s, out.learned, [](const auto& value) { return value.value; });
        append(3, out.duration_s, benchcar::figureNames(), [&](std::string_view name) {
            for (const auto& [known, value] : out.figures)
                if (known == name) return value;
            return std::nan("");
        });
        if (auto done = truth_->finish(); !done) return done;
    }
    return file_->finish();
}

Result<BenchOutcome> BenchDrive::run(const BenchOrders& orders) {
    if (auto done = open(orders); !done) return tl::unexpected(done.error());
    BenchOutcome out;
    from_us_ = car_.now_us();
    car_.planFaults(orders.faults);
    for (size_t i = 0; i < orders.routes.size(); ++i) {
        benchcar::Route route = orders.routes[i];
        // What follows is driven with the engine that runs, in the weather of the first.
        if (i > 0) route.cold = false, route.weather_C.reset();
        if (auto done = drive(route, orders, out); !done) return tl::unexpected(done.error());
    }
    out.duration_s = static_cast<double>(car_.now_us() - from_us_) * 1e-6;
    out.figures = figures_.all();
    out.learned = benchcar::learnedNow(car_);
    for (const auto& code : car_.controller().codes())
        if (code.status & benchcar::status::kConfirmed)
            // SAE J2012 without the failure type, which this controller does not tell.
            out.codes.push_back(link::TroubleCode{code.code, code.status}.name().substr(0, 5));
    keepLearned(out.duration_s);
    if (auto done = finish(out); !done) return tl::unexpected(done.error());
    out.rows = file_->written()[0];
    return out;
}

}  // namespace brusk::ctl
