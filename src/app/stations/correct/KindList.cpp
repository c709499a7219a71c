// A list whose rows are of three sorts, drawn by a delegate: headings, kinds with a box, and plain lines.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/correct/KindList.h"

#include <QKeyEvent>
#include <QPainter>
#include <QStyledItemDelegate>
#include <algorithm>

#include "app/stations/correct/CoreText.h"
#include "app/theme/Theme.h"

namespace brusk::app {
namespace {

constexpr int kKind = Qt::UserRole, kLine = Qt::UserRole + 1, kWorth = Qt::UserRole + 2;
constexpr int kWorthHigh = 46, kLineHigh = 24, kHeadingHigh = 30, kBox = 14;

/// What is surely gained, whatever its unit: as a share of what it is now.
double shareOf(const proposals::Correction& one) {
    return one.promise && one.promise->now > 0 ? one.promise->surely() / one.promise->now : 0;
}

bool isWorth(const proposals::Correction& one) {
    return one.standing == proposals::Standing::Worth && one.changes();
}

class KindDelegate : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;

    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override {
        const bool heading = index.data(kKind).toString().isEmpty();
        return {100, heading ? kHeadingHigh : index.data(kWorth).toBool() ? kWorthHigh : kLineHigh};
    }

    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const QRect r = option.rect.adjusted(0, 1, 0, -1);
        const QString title = index.data(Qt::DisplayRole).toString(), line = index.data(kLine).toString();
        painter->save();
        if (index.data(kKind).toString().isEmpty()) {
            painter->setFont(Theme::instance().text(11, true));
            painter->setPen(tokens().faint);
            painter->drawText(r.adjusted(2, 0, 0, -3), Qt::AlignLeft | Qt::AlignBottom, title);
            painter->restore();
            return;
        }
        const bool chosen = option.state & QStyle::State_Selected;
        if (chosen) {
            painter->setRenderHint(QPainter::Antialiasing);
            painter->setPen(Qt::NoPen);
            painter->setBrush(Tokens::mix(tokens().ground, tokens().accent, 0.14));
            painter->drawRoundedRect(r, 5, 5);
        }
        if (chosen && (option.state & QStyle::State_HasFocus)) {
            painter->setPen(tokens().accent);
            painter->setBrush(Qt::NoBrush);
            painter->drawRoundedRect(r.adjusted(0, 0, -1, -1), 5, 5);
        }
        const auto elided = [&](const QString& text, int width) {
            return painter->fontMetrics().elidedText(text, Qt::ElideRight, width);
        };
        if (index.data(kWorth).toBool()) {
            paintBox(*painter, boxIn(r), index.data(Qt::CheckStateRole).toInt() == Qt::Checked);
            const QRect text = r.adjusted(kBox + 20, 5, -6, -5);
            painter->setFont(Theme::instance().text(13, true));
            painter->setPen(tokens().ink);
            painter->drawText(text, Qt::AlignLeft | Qt::AlignTop, elided(title, text.width()));
            painter->setFont(Theme::instance().text(11));
            painter->drawText(text, Qt::AlignLeft | Qt::AlignBottom, elided(line, text.width()));
        } else {
            const QRect text = r.adjusted(8, 0, -6, 0);
            painter->setFont(Theme::instance().text(12, true));
            painter->setPen(tokens().ink);
            painter->drawText(text, Qt::AlignLeft | Qt::AlignVCenter, title);
            const int used = painter->fontMetrics().horizontalAdvance(title) + 8;
            painter->setFont(Theme::instance().text(11));
            painter->setPen(tokens().faint);
            painter->drawText(text.adjusted(used, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
                              elided(line, text.width() - used));
        }
        painter->restore();
    }

    bool editorEvent(QEvent* event, QAbstractItemModel* model, const QStyleOptionViewItem& option,
                     const QModelIndex& index) override {
        if (event->type() != QEvent::MouseButtonRelease || !index.data(kWorth).toBool()) return false;
        const auto* mouse = static_cast<QMouseEvent*>(event);
        if (!boxIn(option.rect.adjusted(0, 1, 0, -1)).adjusted(-6, -6, 6, 6).contains(mouse->pos())) return false;
        const bool is = index.data(Qt::CheckStateRole).toInt() == Qt::Checked;
        return model->setData(index, is ? Qt::Unchecked : Qt::Checked, Qt::CheckStateRole);
    }

  private:
    static QRect boxIn(const QRect& r) { return {r.left() + 8, r.top() + 8, kBox, kBox}; }
    static void paintBox(QPainter& painter, const QRect& box, bool checked) {
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(checked ? tokens().accent : tokens().faint);
        painter.setBrush(checked ? QBrush(tokens().accent) : QBrush(tokens().sheet));
        painter.drawRoundedRect(QRectF(box).adjusted(0.5, 0.5, -0.5, -0.5), 3, 3);
        if (!checked) return;
        painter.setPen(QPen(tokens().ground, 2));
        painter.drawPolyline(QPolygonF(
            {box.topLeft() + QPointF(3.5, 7.5), box.topLeft() + QPointF(6, 10), box.topLeft() + QPointF(10.5, 4.5)}));
    }
};

}  // namespace

KindList::KindList(QWidget* parent) : QListWidget(parent) {
    setObjectName("kinds");
    setAccessibleName(tr("Kinds of correction"));
    setFrameShape(QFrame::NoFrame);
    setItemDelegate(new KindDelegate(this));
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setStyleSheet("QListWidget { background: transparent; border: 0; outline: 0; }");
    connect(this, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (!showing_ && item && !item->data(kKind).toString().isEmpty()) emit opened(item->data(kKind).toString());
    });
    connect(this, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        if (!showing_) emit taken(item->data(kKind).toString(), item->checkState() == Qt::Checked);
    });
    connect(&Theme::instance(), &Theme::changed, viewport(), qOverload<>(&QWidget::update));
}

std::string_view KindList::foremost(const proposals::Corrections& corrections) {
    const proposals::Correction* best = nullptr;
    for (const auto& one : corrections.all)
        if (isWorth(one) && (!best || shareOf(one) > shareOf(*best))) best = &one;
    if (best) return best->kind->id;
    return corrections.all.empty() ? std::string_view() : corrections.all.front().kind->id;
}

void KindList::addHeading(const QString& text) {
    auto* item = new QListWidgetItem(text, this);
    item->setFlags(Qt::NoItemFlags);
}

void KindList::addKind(const proposals::Correction& one, bool left) {
    auto* item = new QListWidgetItem(textOf(one.kind->title), this);
    item->setData(kKind, textOf(one.kind->id));
    item->setData(kLine, QString::fromStdString(one.line));
    item->setToolTip(QString::fromStdString(one.line));
    const bool worth = isWorth(one);
    item->setData(kWorth, worth);
    item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
    item->setData(Qt::AccessibleTextRole, textOf(one.kind->title) + ", " + QString::fromStdString(one.line));
    if (!worth) return;
    item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
    item->setCheckState(left ? Qt::Unchecked : Qt::Checked);
}

void KindList::show(const proposals::Corrections& corrections, const std::vector<std::string>& left,
                    std::string_view opened) {
    using proposals::Standing;
    showing_ = true;
    clear();
    std::vector<const proposals::Correction*> worth, right, waits;
    for (const auto& one : corrections.all)
        (isWorth(one) ? worth : one.standing == Standing::Waits ? waits : right).push_back(&one);
    std::stable_sort(worth.begin(), worth.end(),
                     [](const auto* a, const auto* b) { return shareOf(*a) > shareOf(*b); });
    const auto add = [&](const QString& heading, const std::vector<const proposals::Correction*>& of) {
        if (of.empty()) return;
        addHeading(heading);
        for (const auto* one : of)
            addKind(*one, std::find(left.begin(), left.end(), one->kind->id) != left.end());
    };
    add(tr("Worth it"), worth), add(tr("Right within its doubt"), right), add(tr("Waits"), waits);
    for (int i = 0; i < count(); ++i)
        if (item(i)->data(kKind).toString() == textOf(opened)) setCurrentRow(i);
    showing_ = false;
}

void KindList::keyPressEvent(QKeyEvent* event) {
    auto* at = currentItem();
    if (event->key() == Qt::Key_Space && at && at->data(kWorth).toBool()) {
        at->setCheckState(at->checkState() == Qt::Checked ? Qt::Unchecked : Qt::Checked);
        return;
    }
    // What is typed is no search here: digits choose layers, and Enter is the station's.
    const bool enter = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter;
    if (enter || (!event->text().isEmpty() && event->text()[0].isPrint())) return event->ignore();
    QListWidget::keyPressEvent(event);
}

}  // namespace brusk::app
