// Two lines and an arrow; narrow, the arrow alone.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/NextFoot.h"

#include <QPainter>

#include "app/theme/Theme.h"

namespace brusk::app {

NextFoot::NextFoot(QWidget* parent) : QAbstractButton(parent) {
    setObjectName("nextStep");
    setCursor(Qt::PointingHandCursor);
    setFocusPolicy(Qt::StrongFocus);
    setNarrow(false);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void NextFoot::show(const QString& sentence, const QString& reason) {
    setText(sentence);
    setToolTip(sentence + ". " + reason + tr(" (Alt+N)"));
    setAccessibleName(tr("Next: ") + sentence);
    update();
}

void NextFoot::setNarrow(bool narrow) {
    narrow_ = narrow;
    setFixedSize(sizeHint());
    update();
}

void NextFoot::paintEvent(QPaintEvent*) {
    const Tokens& t = tokens();
    QPainter painter(this);
    painter.setPen(t.line);
    painter.drawLine(0, 0, width(), 0);
    painter.drawLine(width() - 1, 0, width() - 1, height());
    if (underMouse() || isDown()) painter.fillRect(rect().adjusted(0, 1, -1, 0), Tokens::mix(t.ground, t.accent, 0.1));
    if (hasFocus()) {
        painter.setPen(QPen(t.accent, 1));
        painter.drawRect(QRectF(rect()).adjusted(2.5, 3.5, -3.5, -2.5));
    }
    painter.setFont(Theme::instance().text(narrow_ ? 18 : 13, true));
    painter.setPen(t.accent);
    if (narrow_) return painter.drawText(rect(), Qt::AlignCenter, "\u2192");
    painter.drawText(QRectF(14, 24, width() - 26, height() - 28), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
                     text() + " \u2192");
    painter.setFont(Theme::instance().text(12));
    painter.setPen(t.faint);
    painter.drawText(QRectF(14, 7, width() - 26, 16), Qt::AlignLeft | Qt::AlignVCenter, "Next");
}

}  // namespace brusk::app
