// What recording costs while somebody looks: the window with lanes, footprint and numbers moving, the bench car in a
// process of its own, as it happens. Prints the share of one core, memory, and the longest pause of the thread that
// samples.
//
//   bench_drive_cost [SECONDS]
//
// The port stamps a frame when the sampling thread takes it: a pause of that thread is a pause in the recording. So is
// one of the bench car, which has a clock of its own to keep; so the thread also measures itself how long it was away
// from the bus. What the machine does to any thread is printed beside it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/resource.h>

#include <QComboBox>
#include <QListWidget>
#include <QProcess>
#include <QTemporaryDir>
#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstdio>
#include <thread>

#include "Story.h"
#include "Timing.h"
#include "app/desks/DriveDesk.h"
#include "app/widgets/LaneView.h"
#include "core/job/LoadDrives.h"

using namespace brusk;
using namespace brusk::app;

namespace {

double processor_s() {
    rusage used{};
    ::getrusage(RUSAGE_SELF, &used);
    const auto seconds = [](const timeval& t) {
        return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_usec) * 1e-6;
    };
    return seconds(used.ru_utime) + seconds(used.ru_stime);
}

/// How late a thread is that only sleeps for a millisecond each time: what the machine does to anybody.
class Sleeper {
  public:
    Sleeper() {
        thread_ = std::thread([this] {
            using Clock = std::chrono::steady_clock;
            constexpr auto kNap = std::chrono::milliseconds(1);
            while (!ending_) {
                const auto from = Clock::now();
                std::this_thread::sleep_for(kNap);
                const std::chrono::duration<double, std::milli> late = Clock::now() - from - kNap;
                latest_ms_ = std::max(latest_ms_, late.count());
            }
        });
    }
    double latest_ms() {
        ending_ = true;
        thread_.join();
        return latest_ms_;
    }

  private:
    std::atomic<bool> ending_{false};
    double latest_ms_ = 0;
    std::thread thread_;
};

int stopped(const char* at) {
    std::fprintf(stderr, "stopped at: %s\n", at);
    return 1;
}

}  // namespace

int main(int argc, char** argv) {
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    Theme::instance().loadFonts();
    Theme::instance().setDark(false);
    const int seconds = argc > 1 ? atoi(argv[1]) : 30;
    const QTemporaryDir temporary;
    const QString socket = temporary.filePath("bus");
    QProcess car;
    car.start(QString(BRUSK_BIN_DIR) + "/brusk-benchcar", {"--link", "unix:" + socket, "--route", "survey"});
    if (!QTest::qWaitFor([&] { return QFile::exists(socket); }, 10000)) return stopped("the bench car");
    Story story;
    story.window().resize(1280, 800);
    story.connectTo("unix:" + socket);
    if (!story.settle() || !story.read()) return stopped("reading the car");
    story.goTo("Drive");
    // All of them a hundred times a second.
    story.find<QListWidget>("channels")->selectAll();
    auto* rate = story.find<QComboBox>("channelRate");
    rate->setFocus();
    QTest::keyClick(rate, Qt::Key_Home);
    if (!story.click("record")) return stopped("record");
    Sleeper sleeper;
    QTest::qWait(3000);
    const double before_s = processor_s();
    const double wall_s = bench::seconds([&] { QTest::qWait(seconds * 1000); });
    const double used_s = processor_s() - before_s;
    const auto memory = bench::memory_kb();
    if (!story.click("record") || !story.settle()) return stopped("ending the recording");
    const auto entries = story.folder().recordings().of(story.selected()->id);
    const auto recording =
        entries && !entries->empty()
            ? job::loadRecording(story.folder(), entries->front())
            : Result<std::shared_ptr<const recording::Recording>>(fail(ErrorCode::NotFound, "nothing recorded"));
    if (!recording) return stopped(recording.error().message.c_str());
    const auto& group = (*recording)->groups.front();
    const std::span<const double> time = group.time_s;
    std::vector<double> steps;
    for (size_t i = 1; i < time.size(); ++i)
        steps.push_back(time[i] - time[i - 1]);
    std::sort(steps.begin(), steps.end());
    const double period_s = steps[steps.size() / 2];
    std::printf("%zu channels, %.1f rows a second, %d gaps, %.0f s\n", group.channels.size(),
                static_cast<double>(time.size()) / (time.back() - time.front()), entries->front().gaps, wall_s);
    std::printf("share of one core %.1f %%, memory of its own %.0f MB, at most %.0f MB with libraries\n",
                100 * used_s / wall_s, static_cast<double>(memory.first) / 1e3,
                static_cast<double>(memory.second) / 1e3);
    std::printf("pause between rows beyond their %.1f ms: longest %.1f ms, 99.9 %% below %.1f ms\n", period_s * 1e3,
                (steps.back() - period_s) * 1e3, (steps[steps.size() * 999 / 1000] - period_s) * 1e3);
    std::printf("a thread that only sleeps woke late by at most %.2f ms\n", sleeper.latest_ms());
    std::printf("the sampling thread was away from the bus for at most %.2f ms\n",
                story.desks().drive.longestAway_s() * 1e3);
    car.terminate();
    car.waitForFinished(5000);
    return 0;
}
