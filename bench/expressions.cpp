// Expressions over five million rows against the loop that somebody would write for them by hand, in the same run.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <random>

#include "Timing.h"
#include "core/base/Parallel.h"
#include "core/recording/Expression.h"

using namespace brusk;
using namespace brusk::bench;
using namespace brusk::recording;

int main() {
    constexpr size_t kRows = 5'000'000;
    Recording all;
    Group& group = all.groups.emplace_back();
    group.rate_hz = 100;
    std::mt19937 random(1);
    Numbers<double> time(kRows);
    Numbers<float> lambda(kRows), trim(kRows), speed(kRows);
    for (size_t i = 0; i < kRows; ++i) {
        time[i] = static_cast<double>(i) * 0.01;
        lambda[i] = 0.8f + static_cast<float>(random() % 4000) * 0.0001f;
        trim[i] = 1 + static_cast<float>(random() % 100) * 0.1f;
        speed[i] = 800 + static_cast<float>(random() % 6000);
    }
    group.time_s = Clock(std::move(time));
    group.channels = {{"lambda", "lambda", "", "lambda_measured", Column(std::move(lambda))},
                      {"trim", "%", "", "short_trim", Column(std::move(trim))},
                      {"speed", "rpm", "", "engine_speed", Column(std::move(speed))}};
    const auto t = group.time_s.times();
    const auto l = group.channels[0].values.values(), r = group.channels[1].values.values(),
               s = group.channels[2].values.values();
    double sum = 0;
    const auto ask = [&](const char* text) { sum += static_cast<double>((*evaluate(text, all, group))[7]); };
    const auto byHand = [&](auto each) {
        Numbers<float> out(kRows);
        const size_t parts = threads();
        inParallel(parts, [&](size_t part) {
            for (size_t i = kRows * part / parts; i < kRows * (part + 1) / parts; ++i)
                out[i] = each(i);
        });
        sum += static_cast<double>(out[7]);
    };
    for (const size_t count : {1, 2}) {
        setThreads(count);
        const auto times = inTurns(
            7, [&] { ask("({lambda}-1)*100/{trim}"); },
            [&] { byHand([&](size_t i) { return (l[i] - 1) * 100 / r[i]; }); },
            [&] { ask("{speed} > 3000 and {lambda} < 0.95"); },
            [&] { byHand([&](size_t i) { return static_cast<float>(s[i] > 3000 && l[i] < 0.95f); }); });
        std::printf(
            "%zu thread%s: a quotient %.0f ms, by hand %.0f ms: %.1f times; a condition %.0f ms, by hand %.0f ms: "
            "%.1f times\n",
            count, count > 1 ? "s" : "", times[0] * 1e3, times[1] * 1e3, times[0] / times[1], times[2] * 1e3,
            times[3] * 1e3, times[2] / times[3]);
    }
    setThreads(1);
    // What looks back is computed from row to row.
    const auto back = inTurns(
        3, [&] { ask("mean({speed}, 0.5 s)"); },
        [&] {
            Numbers<float> out(kRows);
            double window = 0;
            for (size_t i = 0, first = 0; i < kRows; ++i) {
                for (window += static_cast<double>(s[i]); t[first] < t[i] - 0.5; ++first)
                    window -= static_cast<double>(s[first]);
                out[i] = static_cast<float>(window / static_cast<double>(i - first + 1));
            }
            sum += static_cast<double>(out[7]);
        },
        [&] { ask("held({speed} > 3000, 0.3 s)"); });
    std::printf("a mean over half a second %.0f ms, by hand %.0f ms: %.1f times; held %.0f ms\n", back[0] * 1e3,
                back[1] * 1e3, back[0] / back[1], back[2] * 1e3);
    // A guard: one row at a time.
    const auto expression = *Expression::compile("held({speed} > 3000 and {lambda} < 0.95, 0.3 s)", vocabularyOf(all));
    ExpressionRun run(expression, 0.03);
    const double rows = seconds([&] {
        for (size_t i = 0; i < 1'000'000; ++i) {
            const double row[] = {static_cast<double>(s[i]), static_cast<double>(l[i])};
            sum += run.step(t[i], row);
        }
    });
    std::printf("row by row %.0f ns a row\n(%.0f)\n", rows * 1e3, sum);
    return 0;
}
