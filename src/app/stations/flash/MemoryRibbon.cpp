// Sectors as wide as their bytes, coloured by what happens to them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/flash/MemoryRibbon.h"

#include <QHelpEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

#include "app/theme/Theme.h"
#include "core/base/Text.h"

namespace brusk::app {

namespace {

const char* wordsOf(MemoryRibbon::State state) {
    switch (state) {
        case MemoryRibbon::State::Same:
            return "holds this round's bytes";
        case MemoryRibbon::State::Change:
            return "differs, will be written";
        case MemoryRibbon::State::Unknown:
            return "not known, will be written";
        case MemoryRibbon::State::Writing:
            return "is being written";
        case MemoryRibbon::State::Verified:
            return "written and read back";
    }
    return "";
}

}  // namespace

MemoryRibbon::MemoryRibbon(QWidget* parent) : QWidget(parent) {
    setAccessibleName(tr("Sectors of the controller's memory"));
    setFixedHeight(66);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void MemoryRibbon::setCells(std::vector<Cell> cells) {
    if (cells == cells_) return;
    cells_ = std::move(cells);
    update();
}

void MemoryRibbon::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    if (cells_.empty()) return;
    const Tokens& t = tokens();
    // Each sector has the same width: a large one is not more work to look at.
    const double wide = static_cast<double>(width()) / static_cast<double>(cells_.size());
    painter.setFont(Theme::instance().numbers(10));
    for (size_t i = 0; i < cells_.size(); ++i) {
        const QRectF r(static_cast<double>(i) * wide + 1, 4, wide - 2, 34);
        QColor fill = t.line;
        QString mark;
        switch (cells_[i].state) {
            case State::Same:
                break;
            case State::Change:
                fill = Tokens::mix(t.sheet, t.accent, 0.75);
                mark = "\u2260";
                break;
            case State::Unknown:
                fill = t.warm;
                mark = "?";
                break;
            case State::Writing:
                fill = t.alarm;
                mark = "\u2026";
                break;
            case State::Verified:
                fill = t.accent;
                mark = "\u2713";
                break;
        }
        painter.fillRect(r, fill);
        painter.setPen(t.dark ? QColor("#0B1413") : QColor("#FFFFFF"));
        if (!mark.isEmpty()) painter.drawText(r, Qt::AlignCenter, mark);
        painter.setPen(t.faint);
        const bool label = i == 0 || cells_[i].length != cells_[i - 1].length || (i + 1 == cells_.size());
        if (label)
            painter.drawText(QRectF(std::min(r.left(), width() - 76.0), 42, 76, 16),
                             (i + 1 == cells_.size() ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter,
                             QString::fromStdString(hexAddress(cells_[i].start)));
    }
}

bool MemoryRibbon::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip || cells_.empty()) return QWidget::event(event);
    const auto* help = static_cast<QHelpEvent*>(event);
    const auto at =
        static_cast<size_t>(std::clamp(help->pos().x() * static_cast<int>(cells_.size()) / std::max(1, width()), 0,
                                       static_cast<int>(cells_.size()) - 1));
    const Cell& cell = cells_[at];
    QToolTip::showText(help->globalPos(), QString("%1, %2 KiB: %3")
                                              .arg(QString::fromStdString(hexAddress(cell.start)))
                                              .arg(cell.length / 1024)
                                              .arg(wordsOf(cell.state)));
    return true;
}

}  // namespace brusk::app
