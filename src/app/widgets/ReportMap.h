// Maps of a report as an object in its text: drawn as vectors where the text has their place.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QObject>
#include <QTextFormat>
#include <QTextObjectInterface>
#include <vector>

#include "core/deliver/Report.h"

namespace brusk::app {

class ReportMap : public QObject, public QTextObjectInterface {
    Q_OBJECT
    Q_INTERFACES(QTextObjectInterface)
  public:
    static constexpr int kObject = QTextFormat::UserObject + 1;
    static constexpr int kProperty = QTextFormat::UserProperty + 1;
    static constexpr double kUnit = 10;  ///< of the page's units make a point

    /// As wide as this, in the page's units.
    explicit ReportMap(double width) : width_(width) {}
    /// What the text's kProperty says to have map `which` of the frame drawn.
    int add(const deliver::ReportMaps& frame, size_t which);
    QSizeF intrinsicSize(QTextDocument* document, int position, const QTextFormat& format) override;
    void drawObject(QPainter* painter, const QRectF& rect, QTextDocument* document, int position,
                    const QTextFormat& format) override;

  private:
    struct One {
        deliver::ReportMaps frame;
        size_t which;
    };
    const One& of(const QTextFormat& format) const {
        return maps_[static_cast<size_t>(format.property(kProperty).toInt())];
    }

    double width_;
    std::vector<One> maps_;
};

}  // namespace brusk::app
