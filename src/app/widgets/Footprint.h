// Where the engine is on a map: the cells the controller interpolates between, each with its weight, and where it was
// in the last five seconds. Grid, profiles and surface draw the same; no mark touches a digit.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QElapsedTimer>
#include <QPointF>
#include <deque>
#include <optional>
#include <vector>

#include "core/calibration/Surface.h"

namespace brusk::app {

class Footprint {
  public:
    static constexpr double kFades_s = 5;

    /// The breakpoints it stands on, in the units of moveTo(); `y` empty for a curve. Forgets where it was.
    void setAxes(std::vector<double> x, std::vector<double> y);
    /// By x and y value; nothing hides it and forgets where it was. Ages count to the last move, so that a halted
    /// recording keeps its picture.
    void moveTo(std::optional<QPointF> at);

    std::optional<QPointF> at() const { return at_; }
    /// The up to four cells, row by row; the weights add up to one.
    const std::vector<calibration::CellWeight>& cells() const { return cells_; }
    /// Where it was, oldest first, each with how fresh it is: 1 just now, 0 five seconds ago.
    struct Past {
        QPointF at;
        float fresh;
    };
    std::vector<Past> past() const;
    /// Cells that were stood on in that time and are not now, each once.
    std::vector<std::pair<size_t, float>> cellsLeft() const;

  private:
    struct Step {
        double time_s;
        QPointF at;
        std::vector<calibration::CellWeight> cells;
    };
    float freshness(const Step& step) const;

    std::vector<double> x_, y_;
    std::optional<QPointF> at_;
    std::vector<calibration::CellWeight> cells_;
    std::deque<Step> past_;  ///< at most a few a second
    double now_s_ = 0;
    QElapsedTimer clock_;
};

}  // namespace brusk::app
