// Plain layouts of labels and buttons, named so that a theme can dress them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/Panels.h"

#include <QPainter>

#include <QStyle>

namespace brusk::app {

QLabel* label(const QString& text, const char* role) {
    auto* out = new QLabel(text);
    if (role) out->setProperty("role", role);
    out->setTextInteractionFlags(Qt::NoTextInteraction);
    return out;
}

ElidedLabel::ElidedLabel(const char* role, QWidget* parent) : QLabel(parent) {
    setRole(this, role);
}

void ElidedLabel::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const QString shown = fontMetrics().elidedText(text(), Qt::ElideRight, width());
    painter.setPen(palette().color(foregroundRole()));
    painter.drawText(contentsRect(), static_cast<int>(alignment()) | Qt::TextSingleLine, shown);
    setToolTip(shown == text() ? QString() : text());
}

void setRole(QLabel* label, const char* role) {
    if (label->property("role").toString() == role) return;
    label->setProperty("role", role);
    label->style()->unpolish(label);
    label->style()->polish(label);
}

Panel::Panel(const QString& heading, QWidget* parent) : QFrame(parent) {
    setProperty("panel", true);
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(14, 11, 14, 12);
    all->setSpacing(8);
    head_ = new QHBoxLayout;
    if (!heading.isEmpty()) head_->addWidget(label(heading, "heading"));
    head_->addStretch();
    all->addLayout(head_);
    body_ = new QVBoxLayout;
    body_->setSpacing(7);
    all->addLayout(body_);
}

Facts::Facts(QWidget* parent) : QWidget(parent), form_(new QFormLayout(this)) {
    form_->setContentsMargins(0, 0, 0, 0);
    form_->setHorizontalSpacing(14);
    form_->setVerticalSpacing(5);
    form_->setLabelAlignment(Qt::AlignLeft | Qt::AlignTop);
}

void Facts::set(const QString& key, const QString& value, const char* role) {
    for (auto& [name, shown] : rows_)
        if (name == key) {
            shown->setWordWrap(qstrcmp(role, "numbers") != 0);
            shown->setText(value);
            setRole(shown, role);
            return;
        }
    auto* shown = label(value, role);
    shown->setWordWrap(qstrcmp(role, "numbers") != 0);
    form_->addRow(label(key, "faint"), shown);
    rows_.append({key, shown});
}

void Facts::clear() {
    while (form_->rowCount())
        form_->removeRow(0);
    rows_.clear();
}

Station::Station(const QString& title, QWidget* parent) : QWidget(parent) {
    setProperty("station", true);
    setAttribute(Qt::WA_StyledBackground);
    body_ = new QVBoxLayout(this);
    body_->setContentsMargins(16, 12, 16, 12);
    body_->setSpacing(11);
    row_ = new QHBoxLayout;
    row_->setSpacing(12);
    title_ = label(title, "title");
    subtitle_ = label({}, "faint");
    subtitle_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    primary_ = new QPushButton;
    primary_->setProperty("primary", true);
    primary_->setObjectName("primary");
    row_->addWidget(title_);
    row_->addWidget(subtitle_, 1);
    row_->addWidget(primary_);
    body_->addLayout(row_);
}

void emptyLayout(QLayout* layout) {
    while (QLayoutItem* item = layout->takeAt(0)) {
        if (item->widget()) {
            item->widget()->hide();
            item->widget()->deleteLater();
        }
        if (item->layout()) emptyLayout(item->layout());
        delete item;
    }
}

}  // namespace brusk::app
