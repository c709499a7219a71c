// What the tests of the Maps station share: the station, its menus, a drag of the mouse.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAction>
#include <QApplication>
#include <QMenu>
#include <QMouseEvent>
#include <QTest>

#include "Story.h"
#include "app/stations/maps/MapsStation.h"

namespace brusk::app {

inline MapsStation* mapsOf(Story& story) {
    return qobject_cast<MapsStation*>(story.window().station("Maps"));
}

/// Triggers a named entry of one of the bar's menus, as a click on it does.
inline void choose(MapsStation* maps, const char* menu, const char* entry) {
    emit maps->menu(menu)->aboutToShow();
    for (QAction* action : maps->menu(menu)->actions())
        if (action->objectName() == entry) return action->trigger();
    QFAIL("no such entry");
}

inline void drag(QWidget* widget, QPointF from, QPointF to, Qt::KeyboardModifiers modifiers = {}) {
    QTest::mousePress(widget, Qt::LeftButton, modifiers, from.toPoint());
    QMouseEvent move(QEvent::MouseMove, to, widget->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, modifiers);
    QApplication::sendEvent(widget, &move);
    QTest::mouseRelease(widget, Qt::LeftButton, modifiers, to.toPoint());
}

inline const image::Image& imageOf(Story& story) {
    return story.calibration()->image();
}

}  // namespace brusk::app
