// Four traces of five million noisy samples at 1200 x 600: loading, a frame at every zoom, and a walk of panning and
// zooming, each frame with its own time. Beside them what painting alone costs: spans whose ends are known. Draws on
// the offscreen raster.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QPainter>
#include <cmath>
#include <random>

#include "Timing.h"
#include "app/theme/Theme.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/TraceSpans.h"

using namespace brusk;
using namespace brusk::app;
using namespace brusk::bench;

namespace {

constexpr size_t kSamples = 5'000'000;
constexpr int kWidth = 1200, kHeight = 600, kTraces = 4;

double percentile(std::vector<double> times, double share) {
    const auto at = times.begin() + static_cast<long>(share * static_cast<double>(times.size() - 1));
    std::nth_element(times.begin(), at, times.end());
    return *at;
}

/// Spans that are there already, as high as noise makes them.
double paintingAlone() {
    QImage image(kWidth - 194, kHeight - 30, QImage::Format_ARGB32_Premultiplied),
        window(kWidth, kHeight, image.format());
    std::vector<float> tops(static_cast<size_t>(image.width())), bottoms(tops.size());
    std::vector<double> times;
    for (int frame = 0; frame < 30; ++frame)
        times.push_back(seconds([&] {
            image.fill(Qt::transparent);
            for (int lane = 0; lane < kTraces; ++lane) {
                const int height = image.height() / kTraces;
                std::fill(tops.begin(), tops.end(), static_cast<float>(lane * height + 5));
                std::fill(bottoms.begin(), bottoms.end(), static_cast<float>((lane + 1) * height - 5));
                paintSpans(image, tops, bottoms, 0, image.height(), Qt::blue);
            }
            QPainter(&window).drawImage(8, 8, image);
        }));
    return percentile(times, 0.5) * 1e3;
}

}  // namespace

int main(int argc, char** argv) {
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication application(argc, argv);
    Theme::instance().loadFonts();
    std::mt19937 random(1);
    std::normal_distribution<float> noise(0, 10);
    recording::Numbers<double> time(kSamples);
    for (size_t i = 0; i < kSamples; ++i)
        time[i] = static_cast<double>(i) * 0.01;
    const recording::Clock clock(std::move(time));
    std::vector<recording::Column> columns;
    for (int k = 0; k < kTraces; ++k) {
        recording::Numbers<float> values(kSamples);
        for (size_t i = 0; i < kSamples; ++i)
            values[i] = 50 * std::sin(static_cast<float>(i) * 0.0007f * static_cast<float>(k + 1)) + noise(random);
        columns.emplace_back(std::move(values));
    }
    const auto [before_kb, unused] = memory_kb();
    std::vector<Trace> traces;
    const double load = seconds([&] {
        for (int k = 0; k < kTraces; ++k)
            traces.push_back({QString("trace %1").arg(k), "kPa", k, k, 1,
                              std::make_shared<const TraceData>(clock, columns[static_cast<size_t>(k)])});
    });
    const auto [after_kb, most_kb] = memory_kb();
    std::printf("%d traces of %zu samples: loaded in %.0f ms; samples and times %ld MB, pyramids %ld MB\n", kTraces,
                kSamples, load * 1e3, before_kb / 1024, (after_kb - before_kb) / 1024);

    LaneView lanes;
    lanes.resize(kWidth, kHeight);
    lanes.setTraces(std::move(traces), kTraces);
    QImage window(kWidth, kHeight, QImage::Format_ARGB32_Premultiplied);
    const auto frame = [&](double from, double to) {
        lanes.setSpan(from, to);
        return seconds([&] { lanes.render(&window); }) * 1e3;
    };
    const double whole = static_cast<double>(kSamples) * 0.01;
    std::printf("painting of known spans alone %.1f ms\n", paintingAlone());
    for (const double share :
         {1.0, 0.3, 0.1, 0.03, 0.01, 0.003, 0.001, 0.0005, 0.0003, 0.0002, 0.0001, 0.00003, 0.00001}) {
        std::vector<double> times;
        for (int i = 0; i < 21; ++i) {
            const double from = (1 - share) * whole * static_cast<double>(random() % 1000) / 1000;
            times.push_back(frame(from, from + share * whole));
        }
        std::printf("%9.0f samples shown: %5.1f ms a frame, %5.1f ms at worst\n", share * kSamples,
                    percentile(times, 0.5), percentile(times, 1));
    }
    // As a hand moves it: a little further, a little nearer.
    std::vector<double> times;
    double from = 0, width = whole;
    for (int i = 0; i < 1000; ++i) {
        width = std::clamp(width * std::pow(0.85, i / 100 % 2 == 0 ? 1.0 : -1.0), 0.5, whole);
        from = std::clamp(from + width * (static_cast<double>(random() % 1000) / 1000 - 0.4), 0.0, whole - width);
        times.push_back(frame(from, from + width));
    }
    const auto slow = std::count_if(times.begin(), times.end(), [](double ms) { return ms > 16.7; });
    std::printf(
        "1000 frames of panning and zooming: median %.1f ms, 95 %% under %.1f ms, at worst %.1f ms, %ld over 16.7\n",
        percentile(times, 0.5), percentile(times, 0.95), percentile(times, 1), static_cast<long>(slow));
    return 0;
}
