// A step ten times a second, forgotten after five seconds; ages count to the last move.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/Footprint.h"

#include <algorithm>
#include <map>

namespace brusk::app {

void Footprint::setAxes(std::vector<double> x, std::vector<double> y) {
    if (x == x_ && y == y_) return;
    x_ = std::move(x), y_ = std::move(y);
    const auto at = at_;
    moveTo(std::nullopt);
    moveTo(at);
}

void Footprint::moveTo(std::optional<QPointF> at) {
    constexpr double kStep_s = 0.1;  // a tick is no wider than the way of so long
    at_ = at;
    if (!at_) {
        cells_.clear(), past_.clear();
        return;
    }
    if (!clock_.isValid()) clock_.start();
    now_s_ = static_cast<double>(clock_.elapsed()) / 1000;
    cells_ = x_.empty() ? std::vector<calibration::CellWeight>() : calibration::weightsAt(x_, y_, at_->x(), at_->y());
    if (past_.empty() || now_s_ - past_.back().time_s >= kStep_s) past_.push_back({now_s_, *at_, cells_});
    while (now_s_ - past_.front().time_s > kFades_s)
        past_.pop_front();
}

float Footprint::freshness(const Step& step) const {
    return static_cast<float>(std::clamp(1 - (now_s_ - step.time_s) / kFades_s, 0.0, 1.0));
}

std::vector<Footprint::Past> Footprint::past() const {
    std::vector<Past> out;
    for (const Step& step : past_)
        out.push_back({step.at, freshness(step)});
    return out;
}

std::vector<std::pair<size_t, float>> Footprint::cellsLeft() const {
    std::map<size_t, float> left;
    for (const Step& step : past_)
        for (const auto& cell : step.cells)
            left[cell.cell] = freshness(step);
    for (const auto& cell : cells_)
        left.erase(cell.cell);
    return {left.begin(), left.end()};
}

}  // namespace brusk::app
