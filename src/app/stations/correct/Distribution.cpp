// Counts errors into bins and draws them as bars.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/correct/Distribution.h"

#include <QPainter>
#include <algorithm>

#include "app/theme/Theme.h"

namespace brusk::app {
namespace {
constexpr int kBins = 81;
constexpr double kBinRange = 0.30;  // -30 % to +30 %
}  // namespace

Distribution::Distribution(QWidget* parent) : QWidget(parent), now_(kBins), after_(kBins) {
    setFixedHeight(54);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void Distribution::setErrors(const std::vector<float>& now, const std::vector<float>& after) {
    const auto count = [](const std::vector<float>& errors) {
        std::vector<int> bins(kBins);
        for (const float e : errors)
            ++bins[static_cast<size_t>(std::clamp(static_cast<int>((e / kBinRange + 1) / 2 * kBins), 0, kBins - 1))];
        return bins;
    };
    now_ = count(now);
    after_ = count(after);
    most_ = std::max(1, *std::max_element(now_.begin(), now_.end()));
    update();
}

void Distribution::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const double wide = static_cast<double>(width()) / kBins;
    const double base = height() - 14;
    for (const auto& [bins, colour] : {std::pair{&now_, tokens().line}, {&after_, tokens().accent}})
        for (int i = 0; i < kBins; ++i) {
            const double high = std::min(base, base * (*bins)[static_cast<size_t>(i)] / most_);
            painter.fillRect(QRectF(i * wide, base - high, wide - 0.7, high), colour);
        }
    painter.setFont(Theme::instance().numbers(10));
    painter.setPen(tokens().faint);
    painter.drawText(QRectF(0, base, 40, 14), Qt::AlignLeft | Qt::AlignVCenter, "-30 %");
    painter.drawText(QRectF(width() / 2.0 - 20, base, 40, 14), Qt::AlignCenter, "0");
    painter.drawText(QRectF(width() - 40, base, 40, 14), Qt::AlignRight | Qt::AlignVCenter, "+30 %");
}

}  // namespace brusk::app
