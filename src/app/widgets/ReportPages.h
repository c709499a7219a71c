// A report laid out on pages: for the screen, and as a PDF file.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QPageSize>
#include <QTextDocument>
#include <memory>

#include "core/deliver/Report.h"

class QPainter;

namespace brusk::app {

class ReportPages {
  public:
    /// A4 or Letter, as is usual in the language of this machine.
    explicit ReportPages(const deliver::Report& report, const QPageSize& size = usualSize());
    ~ReportPages();

    static QPageSize usualSize();
    int count() const;
    /// In points of 1/72 inch.
    QSizeF size() const { return size_.size(QPageSize::Point); }
    /// Page `at`, from 0, with its number at its foot; the painter's unit is a point.
    void paint(QPainter& painter, int at) const;
    /// All pages; vectors and letters, no picture of them.
    QByteArray pdf() const;
    /// The words on it, for tests and for who can't see.
    QString text() const;

  private:
    void lay(const deliver::Report& report);

    QPageSize size_;
    QString foot_;
    std::unique_ptr<QTextDocument> document_;
};

}  // namespace brusk::app
