// Purposes and sets tick channels; what the car lacks, and what the link can't carry, stands below.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/drive/ChannelsPanel.h"

#include <QLineEdit>
#include <QMenu>
#include <QWidgetAction>
#include <algorithm>

namespace brusk::app {
namespace {

QString qtText(std::string_view from) {
    return QString::fromUtf8(from.data(), static_cast<int>(from.size()));
}

QToolButton* menuButton(const char* name) {
    auto* button = new QToolButton;
    button->setObjectName(name);
    button->setPopupMode(QToolButton::InstantPopup);
    button->setMenu(new QMenu(button));
    return button;
}

bool holds(const std::vector<std::string>& names, const std::string& name) {
    return std::find(names.begin(), names.end(), name) != names.end();
}

std::string nameOf(const QListWidgetItem* item) {
    return item->data(Qt::UserRole).toString().toStdString();
}

}  // namespace

ChannelsPanel::ChannelsPanel(DrivePresenter& presenter) : presenter_(presenter) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    column->addLayout(makeHead());
    channels_ = new QListWidget;
    channels_->setObjectName("channels");
    channels_->setAccessibleName(tr("Channels"));
    channels_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    column->addWidget(channels_, 1);
    column->addLayout(makeFoot());
    lacks_ = new ElidedLabel("warm");
    lacks_->setObjectName("lacks");
    lacks_->hide();
    column->addWidget(lacks_);
    connect(channels_, &QListWidget::itemChanged, this, &ChannelsPanel::refreshCost);
    connect(channels_, &QListWidget::itemSelectionChanged, this, &ChannelsPanel::showPaces);
}

QHBoxLayout* ChannelsPanel::makeHead() {
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    purpose_ = menuButton("purpose");
    purpose_->setToolTip(tr("What the drive is for: what its corrections and checks need is recorded"));
    for (const roles::Purpose& purpose : roles::kPurposes) {
        auto* action = purpose_->menu()->addAction(qtText(purpose.title));
        action->setCheckable(true);
        connect(action, &QAction::toggled, this, &ChannelsPanel::choosePurposes);
    }
    purpose_->setText(tr("For: the usual \u25be"));
    purpose_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    row->addWidget(purpose_, 1);
    sets_ = menuButton("channelSets");
    sets_->setText(tr("Sets \u25be"));
    sets_->setToolTip(tr("Choices that you kept for controllers of this family"));
    connect(sets_->menu(), &QMenu::aboutToShow, this, &ChannelsPanel::fillSets);
    row->addWidget(sets_);
    return row;
}

QHBoxLayout* ChannelsPanel::makeFoot() {
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    cost_ = new ElidedLabel("faint");
    cost_->setObjectName("channelCost");
    row->addWidget(cost_, 1);
    leaveOut_ = new QPushButton;
    leaveOut_->setObjectName("leaveOut");
    leaveOut_->hide();
    connect(leaveOut_, &QPushButton::clicked, this, &ChannelsPanel::leaveOut);
    row->addWidget(leaveOut_);
    rate_ = new QComboBox;
    rate_->setObjectName("channelRate");
    rate_->setAccessibleName(tr("How often the selected channels are recorded"));
    rate_->setToolTip(rate_->accessibleName());
    rate_->setPlaceholderText(tr("mixed"));
    connect(rate_, &QComboBox::activated, this, &ChannelsPanel::choosePace);
    row->addWidget(rate_);
    return row;
}

void ChannelsPanel::fill() {
    auto channels = presenter_.channels();
    const auto same = [](const auto& a, const auto& b) {
        return a.name == b.name && a.title == b.title && a.pace == b.pace;
    };
    if (channels.empty() && known_.empty()) return refreshCost();
    if (std::equal(channels.begin(), channels.end(), known_.begin(), known_.end(), same)) return;
    known_ = std::move(channels);
    const QSignalBlocker quiet(channels_);
    channels_->clear();
    for (const auto& channel : known_) {
        auto* item = new QListWidgetItem;
        item->setData(Qt::UserRole, QString::fromStdString(channel.name));
        item->setToolTip(channel.description);
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
        item->setCheckState(Qt::Unchecked);
        channels_->addItem(item);
    }
    rate_->clear();
    for (const auto& rate : presenter_.rates())
        rate_->addItem(rate.text, static_cast<int>(rate.pace));
    choosePurposes();
}

void ChannelsPanel::setEditable(bool editable) {
    for (QWidget* widget : std::initializer_list<QWidget*>{channels_, purpose_, sets_, leaveOut_})
        widget->setEnabled(editable);
    rate_->setEnabled(editable && !channels_->selectedItems().isEmpty() && rate_->count() > 1);
}

void ChannelsPanel::choosePurposes() {
    std::vector<const roles::Purpose*> purposes;
    QStringList titles;
    const auto actions = purpose_->menu()->actions();
    for (int i = 0; i < actions.size(); ++i)
        if (actions[i]->isChecked()) purposes.push_back(&roles::kPurposes[i]), titles << actions[i]->text();
    purpose_->setText(tr("For: %1 \u25be").arg(titles.isEmpty() ? tr("the usual") : titles.join(", ")));
    const auto wanted = presenter_.channelsFor(purposes);
    tick({{}, wanted.names, {}});
    lacks_->setText(wanted.lacks.join(" "));
    lacks_->setVisible(!wanted.lacks.isEmpty());
}

void ChannelsPanel::chooseSet(const job::KeptSet& set) {
    QStringList missing;
    for (const std::string& name : set.channels)
        if (std::none_of(known_.begin(), known_.end(), [&](const auto& one) { return one.name == name; }))
            missing << QString::fromStdString(name);
    tick(set);
    purpose_->setText(tr("Set: %1 \u25be").arg(QString::fromStdString(set.name)));
    lacks_->setText(tr("This controller has no %1.").arg(missing.join(", ")));
    lacks_->setVisible(!missing.isEmpty());
}

void ChannelsPanel::tick(const job::KeptSet& set) {
    wanted_ = set.channels;
    paces_ = set.paces;
    {
        const QSignalBlocker quiet(channels_);
        for (int i = 0; i < channels_->count(); ++i)
            channels_->item(i)->setCheckState(holds(wanted_, nameOf(channels_->item(i))) ? Qt::Checked : Qt::Unchecked);
    }
    showPaces();
    refreshCost();
}

void ChannelsPanel::fillSets() {
    auto* menu = sets_->menu();
    menu->clear();
    const auto sets = presenter_.sets();
    for (const auto& set : sets)
        connect(menu->addAction(QString::fromStdString(set.name)), &QAction::triggered, this,
                [this, set] { chooseSet(set); });
    if (!sets.empty()) {
        auto* forget = menu->addMenu(tr("Forget"));
        for (const auto& set : sets)
            connect(forget->addAction(QString::fromStdString(set.name)), &QAction::triggered, this,
                    [this, name = set.name] { presenter_.forgetSet(name); });
        menu->addSeparator();
    }
    auto* name = new QLineEdit;
    name->setObjectName("keepSet");
    name->setAccessibleName(tr("Keep what is ticked under a name"));
    name->setPlaceholderText(tr("Keep what is ticked as\u2026"));
    connect(name, &QLineEdit::returnPressed, this, [this, name] {
        auto set = chosen();
        set.name = name->text().trimmed().toStdString();
        if (set.name.empty()) return;
        if (presenter_.keepSet(set)) purpose_->setText(tr("Set: %1 \u25be").arg(name->text().trimmed()));
        sets_->menu()->close();
    });
    auto* action = new QWidgetAction(menu);
    action->setDefaultWidget(name);
    menu->addAction(action);
}

link::Pace ChannelsPanel::paceOf(const std::string& channel) const {
    if (const auto wish = paces_.find(channel); wish != paces_.end()) return wish->second;
    const auto at = std::find_if(known_.begin(), known_.end(), [&](const auto& one) { return one.name == channel; });
    return at == known_.end() ? link::Pace::Fast : at->pace;
}

/// The rate stands beside those that are not as quick as the rest.
void ChannelsPanel::showPaces() {
    const QSignalBlocker quiet(channels_);
    for (int i = 0; i < channels_->count(); ++i) {
        const auto& channel = known_[static_cast<size_t>(i)];
        const auto pace = paceOf(channel.name);
        const int at = rate_->findData(static_cast<int>(pace));
        channels_->item(i)->setText(pace == link::Pace::Fast || at < 0
                                        ? channel.title
                                        : tr("%1 \u00b7 %2").arg(channel.title, rate_->itemText(at)));
    }
    const auto selected = channels_->selectedItems();
    rate_->setEnabled(channels_->isEnabled() && !selected.isEmpty() && rate_->count() > 1);
    if (selected.isEmpty()) return;
    const auto first = paceOf(nameOf(selected.front()));
    const bool alike =
        std::all_of(selected.begin(), selected.end(), [&](const auto* item) { return paceOf(nameOf(item)) == first; });
    rate_->setCurrentIndex(alike ? rate_->findData(static_cast<int>(first)) : -1);
}

void ChannelsPanel::choosePace(int index) {
    const auto pace = static_cast<link::Pace>(rate_->itemData(index).toInt());
    for (const auto* item : channels_->selectedItems())
        paces_.insert_or_assign(nameOf(item), pace);
    showPaces();
    refreshCost();
}

job::KeptSet ChannelsPanel::chosen() const {
    job::KeptSet out;
    out.paces = paces_;
    std::vector<std::string> ticked;
    for (int i = 0; i < channels_->count(); ++i)
        if (channels_->item(i)->checkState() == Qt::Checked) ticked.push_back(nameOf(channels_->item(i)));
    // What was ticked by hand matters most.
    for (const auto& name : ticked)
        if (!holds(wanted_, name)) out.channels.push_back(name);
    for (const auto& name : wanted_)
        if (holds(ticked, name)) out.channels.push_back(name);
    return out;
}

void ChannelsPanel::leaveOut() {
    for (int i = 0; i < channels_->count(); ++i)
        if (holds(tooMany_, nameOf(channels_->item(i)))) {
            const QSignalBlocker quiet(channels_);
            channels_->item(i)->setCheckState(Qt::Unchecked);
        }
    refreshCost();
}

void ChannelsPanel::refreshCost() {
    const auto cost = presenter_.cost(chosen());
    cost_->setText(cost.text);
    setRole(cost_, cost.fits ? "faint" : "alarm");
    tooMany_ = cost.tooMany;
    leaveOut_->setVisible(!tooMany_.empty());
    QStringList titles;
    for (const auto& channel : known_)
        if (holds(tooMany_, channel.name)) titles << channel.title;
    leaveOut_->setText(tr("Leave out %1").arg(tooMany_.size()));
    leaveOut_->setToolTip(tr("What helps least goes: %1").arg(titles.join("; ")));
}

}  // namespace brusk::app
