// The ring where the engine is, and the fading wake of where it was; every picture of a map draws the same.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QPainter>
#include <QPointF>
#include <deque>
#include <optional>

#include "app/theme/Theme.h"

namespace brusk::app {

class Ring {
  public:
    /// By x and y value; nothing hides it and forgets the wake.
    void moveTo(std::optional<QPointF> at) {
        constexpr size_t kWake = 24;
        if (at && at_) {
            wake_.push_back(*at_);
            if (wake_.size() > kWake) wake_.pop_front();
        }
        if (!at) wake_.clear();
        at_ = at;
    }

    std::optional<QPointF> at() const { return at_; }

    /// `place` turns values into a point of the widget.
    template <class Place>
    void paint(QPainter& painter, double radius, Place place) const {
        if (!at_) return;
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setBrush(Qt::NoBrush);
        for (size_t i = 0; i + 1 < wake_.size(); ++i) {
            QColor colour = tokens().warm;
            colour.setAlphaF(0.6f * static_cast<float>(i + 1) / static_cast<float>(wake_.size()));
            painter.setPen(QPen(colour, 2));
            painter.drawLine(place(wake_[i]), place(wake_[i + 1]));
        }
        painter.setPen(QPen(tokens().warm, 2));
        painter.drawEllipse(place(*at_), radius, radius);
        painter.setRenderHint(QPainter::Antialiasing, false);
    }

  private:
    std::optional<QPointF> at_;
    std::deque<QPointF> wake_;
};

}  // namespace brusk::app
