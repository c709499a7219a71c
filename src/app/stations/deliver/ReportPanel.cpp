// Pages under each other, as wide as the window gives them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/deliver/ReportPanel.h"

#include <QPainter>

namespace brusk::app {

namespace {

/// One page, at a size that can be read.
class Sheet : public QWidget {
  public:
    Sheet(const ReportPages& pages, int at) : pages_(pages), at_(at) {
        setObjectName("reportPage");
        setAccessibleName(QObject::tr("Page %1 of the report").arg(at + 1));
        setFixedSize((pages.size() * kScale).toSize());
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        painter.setRenderHint(QPainter::Antialiasing);
        // Paper is white, whatever the theme.
        painter.fillRect(rect(), Qt::white);
        painter.scale(kScale, kScale);
        pages_.paint(painter, at_);
    }

  private:
    static constexpr double kScale = 1.35;
    const ReportPages& pages_;
    int at_;
};

}  // namespace

ReportPanel::ReportPanel(QWidget* parent) : QWidget(parent) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    auto* row = new QHBoxLayout;
    words_ = new QLineEdit;
    words_->setObjectName("ownerWords");
    words_->setPlaceholderText(tr("Words for the owner: fuel, running in, what to watch"));
    auto* back = new QPushButton(tr("Back"));
    back->setObjectName("closeReport");
    row->addWidget(words_, 1);
    row->addWidget(back);
    column->addLayout(row);
    auto* room = new QScrollArea;
    room->setObjectName("reportPages");
    room->setFrameShape(QFrame::NoFrame);
    room->setWidgetResizable(true);
    sheets_ = new QWidget;
    rows_ = new QVBoxLayout(sheets_);
    rows_->setSpacing(14);
    room->setWidget(sheets_);
    column->addWidget(room, 1);
    connect(words_, &QLineEdit::editingFinished, this, &ReportPanel::wordsChanged);
    connect(back, &QPushButton::clicked, this, &ReportPanel::closed);
}

void ReportPanel::show(const deliver::Report& report) {
    emptyLayout(rows_);
    // The sheets look at the pages: they go first.
    for (QWidget* sheet : sheets_->findChildren<QWidget*>("reportPage"))
        delete sheet;
    pages_ = std::make_unique<ReportPages>(report);
    for (int i = 0; i < pages_->count(); ++i)
        rows_->addWidget(new Sheet(*pages_, i), 0, Qt::AlignHCenter);
    rows_->addStretch();
}

}  // namespace brusk::app
