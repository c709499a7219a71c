// The report: its first page as it will be, the others by the wheel, and one button that writes it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLineEdit>
#include <QScrollArea>
#include <memory>

#include "app/widgets/Panels.h"
#include "app/widgets/ReportPages.h"

namespace brusk::app {

class ReportPanel : public QWidget {
    Q_OBJECT
  public:
    explicit ReportPanel(QWidget* parent = nullptr);
    void show(const deliver::Report& report);
    const ReportPages* pages() const { return pages_.get(); }
    QString words() const { return words_->text(); }

  signals:
    void wordsChanged();
    void closed();

  private:
    QLineEdit* words_;
    QWidget* sheets_;
    QVBoxLayout* rows_;
    std::unique_ptr<ReportPages> pages_;
};

}  // namespace brusk::app
