// Draws the rounds as a branching line, newest on top, each in a lane of its branch.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/Ledger.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <map>
#include <set>

#include "app/desks/CarInHand.h"
#include "app/desks/Desks.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/Places.h"
#include "app/theme/Theme.h"
#include "app/widgets/Times.h"

namespace brusk::app {

namespace {

constexpr double kTop = 40;
constexpr double kWorst_pct = 25;  // the bar is full from here on

QString clock(const std::string& utc) {
    const QDateTime time = localTime(utc);
    return time.date() == QDate::currentDate() ? time.toString("HH:mm") : time.toString("d MMM");
}

}  // namespace

Ledger::Ledger(Desks& desks, QWidget* parent) : QWidget(parent), desks_(desks) {
    setObjectName("ledger");
    setAccessibleName(tr("Rounds"));
    setFocusPolicy(Qt::StrongFocus);
    setFixedWidth(190);
    const auto laysOut = [this](auto* desk, auto signal) {
        connect(desk, signal, this, [this] {
            layOut();
            update();
        });
    };
    laysOut(&desks_.car, &CarInHand::roundsChanged);
    laysOut(&desks_.car, &CarInHand::changed);
    laysOut(&desks_.evidence, &EvidenceDesk::changed);
    laysOut(&desks_.places, &Places::roundShown);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void Ledger::setCollapsed(bool collapsed) {
    collapsed_ = collapsed;
    setFixedWidth(collapsed ? 56 : 190);
    layOut();
    update();
}

void Ledger::layOut() {
    rows_.clear();
    // The newest child of a round stays on its lane; an older one branches off to the right.
    std::map<int64_t, int64_t> mainChild;
    for (const auto& round : desks_.car.rounds)
        if (round.parent && !mainChild.count(*round.parent)) mainChild[*round.parent] = round.id;
    std::map<int64_t, int> lanes;
    int branches = 0;
    for (auto it = desks_.car.rounds.rbegin(); it != desks_.car.rounds.rend(); ++it) {
        const bool main = !it->parent || mainChild[*it->parent] == it->id;
        lanes[it->id] = !it->parent ? 0 : main ? lanes[*it->parent] : std::min(++branches, 3);
    }
    double at = kTop;
    const QFontMetrics metrics(Theme::instance().text(13, true));
    for (const auto& round : desks_.car.rounds) {
        Row row;
        row.round = round;
        row.top = at;
        row.lane = lanes[round.id];
        row.where = round.state == carfolder::RoundState::Original ? "read " + clock(round.createdAt) + " \u00b7 kept"
                    : round.sealed && round.flashedAt.empty()      ? tr("came sealed, not flashed")
                    : round.state == carfolder::RoundState::GivenOut && round.flashedAt.empty() ? tr("given out")
                    : round.flashedAt.empty() ? tr("draft, not flashed")
                                              : "flashed " + clock(round.flashedAt);
        if (round.recordings)
            row.where += QString(" \u00b7 %1 %2").arg(round.recordings).arg(round.recordings == 1 ? "drive" : "drives");
        if (const int open = desks_.evidence.openFindings(round.id))
            row.where.prepend(QString("%1 %2 \u00b7 ").arg(open).arg(open == 1 ? "finding" : "findings"));
        const double room = width() - dotX(row) - 24;
        const int lines = metrics.boundingRect(QRect(0, 0, static_cast<int>(room), 100), Qt::TextWordWrap,
                                               QString::fromStdString(round.title))
                                      .height() > metrics.height() * 1.5
                              ? 2
                              : 1;
        const bool inCar = desks_.car.contents.round == round.id;
        row.height = collapsed_ ? 40 : 16.0 + lines * 17 + 16 + (inCar ? 18 : 0) + (round.fuelError_pct ? 25 : 0);
        at += row.height;
        rows_.push_back(row);
    }
    scroll_ = std::clamp(scroll_, 0.0, std::max(0.0, at - height()));
}

QPoint Ledger::rowCentre(int number) const {
    for (const Row& row : rows_)
        if (row.round.number == number) return {width() / 2, static_cast<int>(row.top + row.height / 2 - scroll_)};
    return {};
}

void Ledger::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Tokens& t = tokens();
    painter.fillRect(rect(), t.ground);
    painter.setPen(t.line);
    painter.drawLine(width() - 1, 0, width() - 1, height());
    painter.setFont(Theme::instance().text(12, true));
    painter.setPen(t.faint);
    if (!collapsed_) painter.drawText(QRectF(14, 10, width() - 28, 20), Qt::AlignLeft | Qt::AlignVCenter, "Rounds");
    if (rows_.empty() && !collapsed_) {
        painter.setFont(Theme::instance().text(12));
        painter.drawText(QRectF(14, kTop, width() - 28, 90), Qt::TextWordWrap,
                         "The first read of the controller becomes round 0, the original.");
        return;
    }
    painter.translate(0, -scroll_);
    painter.setRenderHint(QPainter::Antialiasing);
    // Branch lines first, below the dots.
    for (const Row& row : rows_) {
        if (!row.round.parent) continue;
        const auto parent =
            std::find_if(rows_.begin(), rows_.end(), [&](const Row& r) { return r.round.id == *row.round.parent; });
        if (parent == rows_.end()) continue;
        painter.setPen(QPen(t.line, 1.5));
        const QPointF from(dotX(row), row.top + 20), to(dotX(*parent), parent->top + 20);
        painter.drawLine(from, QPointF(from.x(), to.y() - 16));
        painter.drawLine(QPointF(from.x(), to.y() - 16), to);
    }
    for (const Row& row : rows_)
        paintRow(painter, row);
}

void Ledger::paintRow(QPainter& painter, const Row& row) {
    const Tokens& t = tokens();
    const auto* selected = desks_.car.round(desks_.places.round());
    const bool on = selected && selected->id == row.round.id;
    if (on) {
        painter.fillRect(QRectF(0, row.top, width() - 1, row.height), Tokens::mix(t.ground, t.accent, 0.14));
        if (hasFocus()) {
            painter.setPen(QPen(t.accent, 1));
            painter.setBrush(Qt::NoBrush);
            painter.drawRect(QRectF(1, row.top + 1, width() - 4, row.height - 2));
        }
    }
    const QPointF dot(dotX(row), row.top + 20);
    painter.setPen(QPen(on ? t.accent : t.faint, 1.4));
    painter.setBrush(on ? t.accent : t.ground);
    painter.drawEllipse(dot, 9, 9);
    painter.setFont(Theme::instance().numbers(11));
    painter.setPen(on ? (t.dark ? QColor("#0B1413") : QColor("#FFFFFF")) : t.ink);
    painter.drawText(QRectF(dot.x() - 10, dot.y() - 9, 20, 18), Qt::AlignCenter, QString::number(row.round.number));
    if (collapsed_) return;

    const double left = dot.x() + 18, room = width() - left - 6;
    painter.setFont(Theme::instance().text(13, true));
    painter.setPen(t.ink);
    QRectF drawn;
    painter.drawText(QRectF(left, row.top + 10, room, 40), Qt::AlignLeft | Qt::TextWordWrap,
                     QString::fromStdString(row.round.title), &drawn);
    double y = drawn.bottom() + 1;
    if (desks_.car.contents.round == row.round.id) {
        painter.setFont(Theme::instance().text(10, true));
        painter.setPen(t.accent);
        painter.setBrush(Qt::NoBrush);
        const QRectF box(left, y + 1, 56, 15);
        painter.drawRoundedRect(box, 3, 3);
        painter.drawText(box, Qt::AlignCenter, "in the car");
        y += 18;
    }
    painter.setFont(Theme::instance().text(11));
    painter.setPen(t.faint);
    painter.drawText(QRectF(left, y, room, 16), Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(row.where, Qt::ElideRight, static_cast<int>(room)));
    y += 16;
    if (!row.round.fuelError_pct) return;
    const double share = std::min(1.0, *row.round.fuelError_pct / kWorst_pct);
    painter.setPen(Qt::NoPen);
    painter.setBrush(t.line);
    painter.drawRoundedRect(QRectF(left, y + 3, room - 6, 4), 2, 2);
    painter.setBrush(*row.round.fuelError_pct > 10 ? t.warm : t.accent);
    painter.drawRoundedRect(QRectF(left, y + 3, std::max(4.0, (room - 6) * share), 4), 2, 2);
    painter.setPen(t.faint);
    painter.drawText(QRectF(left, y + 8, room, 16), Qt::AlignLeft | Qt::AlignVCenter,
                     tr("fuel off by %1 %").arg(*row.round.fuelError_pct, 0, 'f', 1));
}

void Ledger::mousePressEvent(QMouseEvent* event) {
    setFocus();
    const double y = event->position().y() + scroll_;
    for (const Row& row : rows_)
        if (y >= row.top && y < row.top + row.height) return desks_.places.go({.round = row.round.id});
}

void Ledger::keyPressEvent(QKeyEvent* event) {
    const auto* selected = desks_.car.round(desks_.places.round());
    const auto at = std::find_if(rows_.begin(), rows_.end(),
                                 [&](const Row& row) { return selected && row.round.id == selected->id; });
    if (at == rows_.end()) return QWidget::keyPressEvent(event);
    if (event->key() == Qt::Key_Down && at + 1 != rows_.end()) return desks_.places.go({.round = (at + 1)->round.id});
    if (event->key() == Qt::Key_Up && at != rows_.begin()) return desks_.places.go({.round = (at - 1)->round.id});
    QWidget::keyPressEvent(event);
}

void Ledger::wheelEvent(QWheelEvent* event) {
    const double bottom = rows_.empty() ? 0 : rows_.back().top + rows_.back().height;
    scroll_ = std::clamp(scroll_ - event->angleDelta().y() / 2.0, 0.0, std::max(0.0, bottom - height()));
    update();
}

}  // namespace brusk::app
