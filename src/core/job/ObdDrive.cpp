// Requests of several ids, tried for the quickest way, turned into rows.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/ObdDrive.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/job/Deliver.h"

namespace brusk::job {
namespace {

constexpr size_t kMostIds = 6;      // a request (ISO 15031-5, 7.1)
constexpr size_t kSingleFrame = 7;  // bytes of an answer that needs no more than one frame
const std::string kBinding = "obd:";
constexpr int kTries = 6;  // of each way of asking
constexpr int64_t kSilence_us = 1000000;
constexpr int64_t kCodesTake_us = 300000;  // where they are told at all
constexpr size_t kRowsASlowOne = 5;        // fast rows between two slow requests

/// Whose numbers change slowly beside temperatures: long trims, weather, levels, distances, times.
constexpr uint8_t kSlow[] = {0x07, 0x09, 0x1F, 0x21, 0x2F, 0x30, 0x31, 0x33, 0x42, 0x4D, 0x4E, 0x52};

struct Played {
    uint8_t id;
    const char* role;
};
constexpr Played kRoles[] = {{0x05, "coolant"},
                             {0x06, "short_trim"},
                             {0x07, "long_trim"},
                             {0x08, "short_trim_2"},
                             {0x09, "long_trim_2"},
                             {0x0B, "manifold_pressure"},
                             {0x0C, "engine_speed"},
                             {0x0D, "vehicle_speed"},
                             {0x0E, "spark"},
                             {0x0F, "intake_temperature"},
                             {0x10, "meter_airflow"},
                             {0x11, "throttle"},
                             {0x14, "narrowband"},
                             {0x18, "narrowband_2"},
                             {0x24, "lambda_measured"},
                             {0x34, "lambda_measured"},
                             {0x33, "barometric_pressure"},
                             {0x42, "battery"},
                             {0x43, "filling"},
                             {0x44, "lambda_asked"},
                             {0x49, "pedal"},
                             {0x4C, "throttle_target"},
                             {0x5E, "fuel_rate"}};

/// Of the first number that an id tells.
std::string roleOf(uint8_t id) {
    const auto found = std::find_if(std::begin(kRoles), std::end(kRoles), [&](const Played& p) { return p.id == id; });
    return found == std::end(kRoles) ? "" : found->role;
}

bool isSlow(const link::ObdPid& pid) {
    return pid.quantities.front().unit == "\u00b0C" ||
           std::find(std::begin(kSlow), std::end(kSlow), pid.id) != std::end(kSlow);
}

std::vector<std::vector<uint8_t>> inParts(const std::vector<uint8_t>& ids, size_t most) {
    std::vector<std::vector<uint8_t>> out;
    for (size_t at = 0; at < ids.size(); at += most)
        out.emplace_back(ids.begin() + static_cast<long>(at),
                         ids.begin() + static_cast<long>(std::min(ids.size(), at + most)));
    return out;
}

/// As many ids a request as an answer of one frame holds; longer ones alone.
std::vector<std::vector<uint8_t>> inSingleFrames(std::vector<uint8_t> ids) {
    const auto bytesOf = [](uint8_t id) { return 1 + link::obdPid(id)->bytes; };
    std::stable_sort(ids.begin(), ids.end(), [&](uint8_t a, uint8_t b) { return bytesOf(a) > bytesOf(b); });
    std::vector<std::vector<uint8_t>> out;
    std::vector<size_t> used;
    for (const uint8_t id : ids) {
        size_t at = 0;
        while (at < used.size() && (used[at] + bytesOf(id) > kSingleFrame || out[at].size() == kMostIds))
            ++at;
        if (at == used.size()) {
            used.push_back(1);  // the service byte
            out.emplace_back();
        }
        used[at] += bytesOf(id);
        out[at].push_back(id);
    }
    return out;
}

/// Time on the wire of a request and its answer.
int64_t leastTime_us(const link::ObdController& controller, const std::vector<uint8_t>& request) {
    Bytes asked{0x01}, answered{0x41};
    asked.insert(asked.end(), request.begin(), request.end());
    for (const uint8_t id : request) {
        answered.push_back(id);
        answered.resize(answered.size() + link::obdPid(id)->bytes, 0x55);
    }
    return link::leastMessageTime_us(asked, controller.address) +
           link::leastMessageTime_us(answered, controller.address);
}

struct Tried {
    double time_s = 0;
    size_t answered = 0;  ///< ids
};

/// How long a way of asking takes, and how many ids it gets an answer to.
Result<Tried> tryOut(link::CanPort& port, link::Obd& obd, const link::ObdController& controller,
                     const std::vector<std::vector<uint8_t>>& requests) {
    Tried out;
    const int64_t from_us = port.now_us();
    for (int i = 0; i < kTries; ++i)
        for (const auto& request : requests) {
            const auto answer = obd.currentBytes(controller, request);
            if (!answer) return tl::unexpected(answer.error());
            if (!*answer) return out;  // it does not answer so; it is not asked six times
            if (i > 0) continue;
            for (const auto& value : link::obdValues(**answer, false))
                out.answered += std::find(request.begin(), request.end(), value.pid) != request.end();
        }
    out.time_s = static_cast<double>(port.now_us() - from_us) * 1e-6 / kTries;
    return out;
}

std::vector<uint8_t> withNumbers(const std::vector<uint8_t>& ids) {
    std::vector<uint8_t> out;
    for (const uint8_t id : ids)
        if (const auto* pid = link::obdPid(id); pid && !pid->quantities.empty()) out.push_back(id);
    return out;
}

/// The engine's tells the engine's speed; of several the one that tells most.
const link::ObdController& engineOf(const std::vector<link::ObdController>& controllers) {
    const auto tells = [](const link::ObdController& c) {
        return std::pair(std::binary_search(c.pids.begin(), c.pids.end(), 0x0C), c.pids.size());
    };
    return *std::max_element(controllers.begin(), controllers.end(),
                             [&](const auto& a, const auto& b) { return tells(a) < tells(b); });
}

void addChannels(const std::vector<uint8_t>& ids, recording::Group& group) {
    for (const uint8_t id : ids) {
        const auto& pid = *link::obdPid(id);
        for (size_t i = 0; i < pid.quantities.size(); ++i) {
            const auto& q = pid.quantities[i];
            char number[16];
            std::snprintf(number, sizeof number, "OBD %02X", id);
            group.channels.push_back({q.name, q.unit, number, i == 0 ? roleOf(id) : "", {}});
        }
    }
}

/// Adds what sensors send. What one of them plays, the controller's own numbers do not.
void addExternal(const ExternalRows& external, recording::Recording& layout) {
    const size_t own = layout.groups.size();
    external.addTo(layout);
    for (size_t g = own; g < layout.groups.size(); ++g)
        for (const auto& sensor : layout.groups[g].channels)
            for (size_t k = 0; k < own && !sensor.role.empty(); ++k)
                for (auto& channel : layout.groups[k].channels)
                    if (channel.role == sensor.role) channel.role.clear();
}

}  // namespace

recording::Recording everythingOf(const std::vector<link::ObdController>& controllers, const KeptSensors& sensors) {
    recording::Recording out;
    auto& group = out.groups.emplace_back();
    if (!controllers.empty()) addChannels(withNumbers(engineOf(controllers).pids), group);
    addExternal(ExternalRows(messagesOf(sensors), sensors.sensors), out);
    return out;
}

size_t ObdPlan::fastIds() const {
    size_t out = 0;
    for (const auto& request : fast)
        out += request.size();
    return out;
}

Result<ObdPlan> planObdDrive(link::CanPort& port, const std::vector<uint8_t>& wanted,
                             const std::function<bool()>& goOn) {
    link::Obd obd(port);
    obd.setGoOn(goOn);
    auto controllers = obd.discover();
    if (!controllers) return tl::unexpected(controllers.error());
    ObdPlan out;
    out.controller = engineOf(*controllers);
    auto vehicle = obd.vehicle(out.controller);
    if (!vehicle) return tl::unexpected(vehicle.error());
    out.vehicle = std::move(*vehicle);
    std::vector<uint8_t> fast, slow;
    for (const uint8_t id : withNumbers(out.controller.pids)) {
        if (!wanted.empty() && std::find(wanted.begin(), wanted.end(), id) == wanted.end()) continue;
        (isSlow(*link::obdPid(id)) ? slow : fast).push_back(id);
    }
    if (fast.empty()) fast.swap(slow);
    if (fast.empty())
        return fail(ErrorCode::NotFound, "The controller " + out.controller.name() +
                                             " tells none of these numbers by OBD. Leave the choice to it.");
    double best = 0;
    for (const auto& requests : {inParts(fast, kMostIds), inSingleFrames(fast), inParts(fast, 1)}) {
        const auto tried = tryOut(port, obd, out.controller, requests);
        if (!tried) return tl::unexpected(tried.error());
        if (tried->time_s <= 0 || static_cast<double>(tried->answered) / tried->time_s <= best) continue;
        best = static_cast<double>(tried->answered) / tried->time_s;
        out.fast = requests;
        out.rowTime_s = tried->time_s;
    }
    if (out.fast.empty())
        return fail(ErrorCode::Timeout, "The controller " + out.controller.name() +
                                            " says which numbers it tells, and then tells none. Is the ignition on?");
    size_t most = 0;
    for (const auto& request : out.fast) {
        out.leastRowTime_s += static_cast<double>(leastTime_us(out.controller, request)) * 1e-6;
        most = std::max(most, request.size());
    }
    out.slow = inParts(slow, most);
    return out;
}

std::string obdBinding(const ObdPlan& plan) {
    const auto& ids = plan.vehicle.calibrations;
    const auto& numbers = plan.vehicle.verificationNumbers;
    if (ids.empty() && numbers.empty()) return {};
    std::string out = kBinding + plan.controller.name() + ":";
    for (size_t i = 0; i < std::max(ids.size(), numbers.size()); ++i) {
        std::string id = i < ids.size() ? ids[i] : "";
        std::replace(id.begin(), id.end(), ' ', '_');
        out += (i > 0 ? "," : "") + id + "=" + (i < numbers.size() ? numbers[i] : "");
    }
    std::erase(out, ' ');
    return out;
}

bool onOtherCalibrations(const std::string& areas, const std::string& otherAreas) {
    const auto tells = [](const std::string& text) { return text.starts_with(kBinding); };
    return tells(areas) && tells(otherAreas) && areas != otherAreas;
}

namespace {

std::string bindingKey(int64_t round) {
    return "obd-of-round-" + std::to_string(round);
}

}  // namespace

Result<std::string> obdBindingOf(const carfolder::CarFolder& folder, int64_t round) {
    return folder.settings().get(bindingKey(round));
}

ObdRecorder::Class ObdRecorder::classOf(const std::vector<std::vector<uint8_t>>& requests) {
    Class out;
    for (const auto& request : requests)
        out.ids.insert(out.ids.end(), request.begin(), request.end());
    std::sort(out.ids.begin(), out.ids.end());
    size_t width = 0;
    for (const uint8_t id : out.ids) {
        out.begins.push_back(width);
        width += link::obdPid(id)->quantities.size();
    }
    out.row.assign(width, std::nanf(""));
    return out;
}

ObdRecorder::ObdRecorder(link::CanPort& port, ObdPlan plan, const std::vector<can::DbcMessage>& sensors,
                         std::vector<drive::Sensor> meanings)
    : port_(port),
      obd_(port),
      plan_(std::move(plan)),
      fast_(classOf(plan_.fast)),
      slow_(classOf(plan_.slow)),
      meanings_(std::move(meanings)),
      external_(sensors, meanings_) {
    obd_.setOtherFrames([this](const link::CanFrame& frame) {
        if (!onRow_) return;
        if (const auto of = external_.take(frame))
            (*onRow_)(1 + (slow_.ids.empty() ? 0 : 1) + *of, since_s(frame.time_us), external_.row(*of));
    });
}

recording::Recording ObdRecorder::layout() const {
    recording::Recording out;
    out.vin = plan_.vehicle.vin;
    out.areas = obdBinding(plan_);
    const auto add = [&](const Class& of, const std::string& name, double rate_hz) {
        auto& group = out.groups.emplace_back();
        group.name = name;
        group.rate_hz = rate_hz;
        addChannels(of.ids, group);
    };
    const double rate_hz = 1 / plan_.rowTime_s;
    add(fast_, "OBD " + plan_.controller.name(), std::round(rate_hz * 10) / 10);
    if (!slow_.ids.empty())
        add(slow_, "OBD " + plan_.controller.name() + ", slow",
            rate_hz / static_cast<double>(kRowsASlowOne * plan_.slow.size()));
    addExternal(external_, out);
    out.sensors = sensorsText(meanings_);
    return out;
}

Done ObdRecorder::start() {
    const auto answer = obd_.currentBytes(plan_.controller, plan_.fast.front());
    if (!answer) return tl::unexpected(answer.error());
    if (!*answer) return fail(ErrorCode::Timeout, "The controller does not answer. Is the ignition on?");
    heard_us_ = port_.now_us();
    if (!begun_us_) begun_us_ = heard_us_;
    return {};
}

Result<bool> ObdRecorder::ask(const std::vector<uint8_t>& request, Class& into) {
    const auto answer = obd_.currentBytes(plan_.controller, request);
    if (!answer) return tl::unexpected(answer.error());
    if (!*answer) return false;
    heard_us_ = port_.now_us();
    // The numbers of one id follow each other.
    int before = -1;
    size_t number = 0;
    for (const auto& value : link::obdValues(**answer, false)) {
        number = value.pid == before ? number + 1 : 0;
        before = value.pid;
        const auto id = std::lower_bound(into.ids.begin(), into.ids.end(), value.pid);
        if (id != into.ids.end() && *id == value.pid)
            into.row[into.begins[static_cast<size_t>(id - into.ids.begin())] + number] =
                static_cast<float>(value.value);
    }
    return true;
}

Done ObdRecorder::poll(int64_t deadline_us, const OnRow& onRow) {
    struct Lend {
        const OnRow*& place;
        ~Lend() { place = nullptr; }
    } lend{onRow_ = &onRow};
    while (port_.now_us() < deadline_us) {
        const int64_t at_us = port_.now_us();
        std::fill(fast_.row.begin(), fast_.row.end(), std::nanf(""));
        bool any = false;
        for (const auto& request : plan_.fast) {
            const auto answered = ask(request, fast_);
            if (!answered) return tl::unexpected(answered.error());
            any = any || *answered;
        }
        // The answers' middle is when they were true.
        if (any) onRow(0, since_s((at_us + port_.now_us()) / 2), fast_.row);
        if (port_.now_us() - heard_us_ >= kSilence_us)
            return fail(ErrorCode::Timeout, "The controller answers no more. Is the ignition off, or the cable out?");
        if (!plan_.slow.empty() && ++rows_ % kRowsASlowOne == 0) {
            const auto answered = ask(plan_.slow[nextSlow_], slow_);
            if (!answered) return tl::unexpected(answered.error());
            nextSlow_ = (nextSlow_ + 1) % plan_.slow.size();
            if (nextSlow_ == 0) onRow(1, since_s(port_.now_us()), slow_.row);
        }
        if (onCodes_)
            if (auto done = answerCodes(); !done) return done;
    }
    return {};
}

Done ObdRecorder::askForCodes(OnCodes onCodes) {
    onCodes_ = std::move(onCodes);
    return {};
}

Done ObdRecorder::answerCodes() {
    const auto tell = std::exchange(onCodes_, {});
    if (!tellsCodes_) return {};
    const int64_t from_us = port_.now_us();
    const auto codes = obd_.codes({plan_.controller});
    // Who lets such a question pass costs the drive rows each time.
    tellsCodes_ = port_.now_us() - from_us < kCodesTake_us;
    if (!codes) return codes.error().code == ErrorCode::LinkLost ? Done(tl::unexpected(codes.error())) : Done();
    std::vector<SeenCode> out;
    for (const auto& code : *codes)
        out.push_back({code.name, !code.pending});
    tell(out);
    return {};
}

Result<ObdOutcome> recordObd(ObdRecorder& recorder, carfolder::CarFolder& folder, const Kit* kit,
                             const DriveOptions& options) {
    if (!folder.mayWrite()) return fail(ErrorCode::Refused, "The drive can't be recorded: " + folder.whyNot());
    ObdOutcome out;
    recording::Recording layout = recorder.layout();
    std::optional<carfolder::Round> round;
    if (kit) {
        const auto contents = folder.memory().contents(kit->profile.sectors());
        if (!contents) return tl::unexpected(contents.error());
        if (contents->round) {
            auto inCar = folder.rounds().byId(*contents->round);
            if (!inCar) return tl::unexpected(inCar.error());
            round = std::move(*inCar);
        }
    }
    if (round) {
        if (auto may = mayBeDone(*round, deliver::May::Record); !may) return tl::unexpected(may.error());
        const auto told = obdBindingOf(folder, round->id);
        if (!told) return tl::unexpected(told.error());
        if (onOtherCalibrations(*told, layout.areas)) {
            out.unbound =
                "The car tells other calibration ids or verification numbers than on earlier drives on round " +
                std::to_string(round->number) +
                ": something else was flashed. The recording is kept and belongs to no round.";
            round.reset();
        } else if (told->empty() && !layout.areas.empty()) {
            if (auto done = folder.settings().set(bindingKey(round->id), layout.areas); !done)
                return tl::unexpected(done.error());
        }
    }
    if (round) layout.imageSha256 = round->imageSha256;
    auto drive = recordSource(recorder, folder, std::move(layout), std::move(round), options);
    if (!drive) return tl::unexpected(drive.error());
    out.drive = std::move(*drive);
    return out;
}

Result<DriveOutcome> recordObdFile(ObdRecorder& recorder, storage::FileSystem& files, const storage::Path& file,
                                   const DriveOptions& options) {
    return recordSource(recorder, files, file, recorder.layout(), options);
}

}  // namespace brusk::job
