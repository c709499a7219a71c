// A row for each kind that was found, with its count; below it one for each event.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/review/EventList.h"

#include <QHeaderView>

#include "app/widgets/Times.h"

namespace brusk::app {
namespace {

QString qtText(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<int>(text.size()));
}

QString lengthText(const evidence::FoundEvent& event) {
    const QString at = minutesText(event.from_s);
    const double long_s = event.to_s - event.from_s;
    return long_s > 0 ? QString("%1  %2 s").arg(at).arg(long_s, 0, 'f', 1) : at;
}

}  // namespace

EventList::EventList(QWidget* parent) : QTreeWidget(parent) {
    setObjectName("events");
    setAccessibleName(tr("Events of the recording"));
    setColumnCount(2);
    setHeaderHidden(true);
    setIndentation(10);
    setUniformRowHeights(true);
    header()->setStretchLastSection(false);
    header()->setSectionResizeMode(0, QHeaderView::Stretch);
    header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    connect(this, &QTreeWidget::currentItemChanged, this, [this] {
        if (current()) emit chosen();
    });
}

void EventList::show(const evidence::DriveEvents& events) {
    const QSignalBlocker quiet(this);
    clear();
    events_ = &events;
    for (const auto& kind : evidence::eventKinds()) {
        const auto found = events.of(kind.kind);
        if (found.empty()) continue;
        auto* row = new QTreeWidgetItem(this, {qtText(kind.title()), QString::number(found.size())});
        row->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
        for (const auto* event : found) {
            auto* item =
                new QTreeWidgetItem(row, {QString::fromStdString(evidence::eventLine(*event)), lengthText(*event)});
            item->setData(0, Qt::UserRole, static_cast<qulonglong>(event - events.found.data()));
            item->setTextAlignment(1, Qt::AlignRight | Qt::AlignVCenter);
            item->setToolTip(0, item->text(0));
        }
        // What a tuner looks at first.
        row->setExpanded(kind.kind == roles::kPull);
    }
}

const evidence::FoundEvent* EventList::current() const {
    const auto* item = currentItem();
    if (!item || !item->parent() || !events_) return nullptr;
    const auto at = item->data(0, Qt::UserRole).toULongLong();
    return at < events_->found.size() ? &events_->found[at] : nullptr;
}

}  // namespace brusk::app
