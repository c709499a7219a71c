// Purposes tick channels; what the car lacks for them stands below.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/drive/ChannelsPanel.h"

#include <QMenu>
#include <algorithm>

namespace brusk::app {

ChannelsPanel::ChannelsPanel(DrivePresenter& presenter) : presenter_(presenter) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    purpose_ = new QToolButton;
    purpose_->setObjectName("purpose");
    purpose_->setPopupMode(QToolButton::InstantPopup);
    purpose_->setToolTip(tr("What the drive is for: what its corrections and checks need is recorded"));
    auto* menu = new QMenu(purpose_);
    for (const roles::Purpose& purpose : roles::kPurposes) {
        auto* action = menu->addAction(QString::fromUtf8(purpose.title.data(), static_cast<int>(purpose.title.size())));
        action->setCheckable(true);
        connect(action, &QAction::toggled, this, &ChannelsPanel::choosePurposes);
    }
    purpose_->setMenu(menu);
    purpose_->setText(tr("For: the usual \u25be"));
    purpose_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    column->addWidget(purpose_);
    channels_ = new QListWidget;
    channels_->setObjectName("channels");
    column->addWidget(channels_, 1);
    cost_ = label({}, "faint");
    cost_->setObjectName("channelCost");
    column->addWidget(cost_);
    lacks_ = new ElidedLabel("warm");
    lacks_->setObjectName("lacks");
    lacks_->hide();
    column->addWidget(lacks_);
    connect(channels_, &QListWidget::itemChanged, this, &ChannelsPanel::refreshCost);
}

void ChannelsPanel::fill() {
    if (channels_->count()) return;
    for (const auto& channel : presenter_.channels()) {
        auto* item = new QListWidgetItem(channel.title);
        item->setData(Qt::UserRole, QString::fromStdString(channel.name));
        item->setToolTip(channel.description);
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
        channels_->addItem(item);
    }
    choosePurposes();
}

void ChannelsPanel::setEditable(bool editable) {
    channels_->setEnabled(editable);
    purpose_->setEnabled(editable);
}

void ChannelsPanel::choosePurposes() {
    std::vector<const roles::Purpose*> purposes;
    QStringList titles;
    const auto actions = purpose_->menu()->actions();
    for (int i = 0; i < actions.size(); ++i)
        if (actions[i]->isChecked()) purposes.push_back(&roles::kPurposes[i]), titles << actions[i]->text();
    purpose_->setText(tr("For: %1 \u25be").arg(titles.isEmpty() ? tr("the usual") : titles.join(", ")));
    const auto wanted = presenter_.channelsFor(purposes);
    {
        const QSignalBlocker quiet(channels_);
        for (int i = 0; i < channels_->count(); ++i) {
            auto* item = channels_->item(i);
            const auto name = item->data(Qt::UserRole).toString().toStdString();
            const bool needed = std::find(wanted.names.begin(), wanted.names.end(), name) != wanted.names.end();
            item->setCheckState(needed ? Qt::Checked : Qt::Unchecked);
        }
    }
    lacks_->setText(wanted.lacks.join(" "));
    lacks_->setVisible(!wanted.lacks.isEmpty());
    refreshCost();
}

std::vector<std::string> ChannelsPanel::chosen() const {
    std::vector<std::string> names;
    for (int i = 0; i < channels_->count(); ++i)
        if (channels_->item(i)->checkState() == Qt::Checked)
            names.push_back(channels_->item(i)->data(Qt::UserRole).toString().toStdString());
    return names;
}

void ChannelsPanel::refreshCost() {
    const auto cost = presenter_.cost(chosen());
    cost_->setText(cost.text);
    setRole(cost_, cost.fits ? "faint" : "alarm");
}

}  // namespace brusk::app
