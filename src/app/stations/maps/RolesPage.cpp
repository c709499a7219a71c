// Roles nobody plays, each with the likeliest candidates.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/RolesPage.h"

#include <QCheckBox>
#include <QComboBox>
#include <QPointer>
#include <QScrollArea>
#include <QToolButton>
#include <algorithm>

#include "app/widgets/Panels.h"

namespace brusk::app {

namespace {
QString qs(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size()));
}
}  // namespace

RolesPage::RolesPage(QWidget* parent) : QWidget(parent) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 8, 0, 0);
    fact_ = label({}, "faint");
    fact_->setObjectName("rolesFact");
    fact_->setWordWrap(true);
    column->addWidget(fact_);
    nobody_ = label({}, "warm");
    nobody_->setObjectName("rolesNobody");
    nobody_->setWordWrap(true);
    nobody_->hide();
    column->addWidget(nobody_);
    auto* scroll = scroll_ = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = new QWidget;
    list_ = new QVBoxLayout(inside);
    list_->setContentsMargins(0, 0, 6, 0);
    list_->setSpacing(8);
    scroll->setWidget(inside);
    column->addWidget(scroll, 1);
    keep_ = new QPushButton(tr("Keep"));
    keep_->setObjectName("keepRoles");
    keep_->setProperty("primary", true);
    column->addWidget(keep_);
    connect(keep_, &QPushButton::clicked, this, [this] {
        std::vector<std::pair<std::string, std::string>> roles;
        for (const Row& row : rows_)
            if (row.yes->isChecked()) roles.emplace_back(row.who->currentData().toString().toStdString(), row.role->id);
        emit confirmed(roles);
    });
    showBusy();
}

void RolesPage::showBusy() {
    fact_->setText(tr("Looking for what plays which role \u2026"));
    rows_.clear();
    emptyLayout(list_);
    refreshButton();
}

void RolesPage::show(const definition::Definition& definition, const std::vector<definition::MissingRole>& missing) {
    rows_.clear();
    emptyLayout(list_);
    fact_->setText(missing.empty()
                       ? tr("Every role that Brusk can find somebody for is played.")
                       : tr("By name, unit and shape these may be meant. Tick what is right; a wrong role makes "
                            "Brusk compute with the wrong map."));
    for (const auto& role : missing)
        list_->addWidget(rowFor(definition, role));
    list_->addStretch();
    refreshButton();
    const auto wanted = roles::Role::named(wanted_.toStdString());
    if (wanted && definition.parameterWithRole(*wanted)) wanted_.clear();  // found
    showWanted();
}

void RolesPage::want(const QString& role) {
    wanted_ = role;
    showWanted();
}

void RolesPage::showWanted() {
    const auto* meaning = roles::meaningOf(wanted_.toStdString());
    const auto at = std::find_if(rows_.begin(), rows_.end(), [&](const Row& row) { return row.role == meaning; });
    const bool busy = list_->count() == 0;
    nobody_->setVisible(meaning && !busy && at == rows_.end());
    if (!meaning || busy) return;
    if (at == rows_.end())
        return nobody_->setText(tr("Nothing here looks like \"") + qs(meaning->title) +
                                tr("\". Open the parameter that is, and give it the role under \"This one\"."));
    at->yes->setFocus();
    // Once the page is laid out.
    QMetaObject::invokeMethod(
        scroll_,
        [scroll = scroll_, yes = QPointer(at->yes)] {
            if (yes) scroll->ensureWidgetVisible(yes, 0, 120);
        },
        Qt::QueuedConnection);
}

QWidget* RolesPage::rowFor(const definition::Definition& d, const definition::MissingRole& missing) {
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(2);
    Row row{new QCheckBox(qs(missing.role->title)), new QComboBox, missing.role};
    row.yes->setObjectName("role_" + qs(missing.role->id));
    row.who->setObjectName("who_" + qs(missing.role->id));
    row.who->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    row.who->setAccessibleName(tr("Who plays ") + qs(missing.role->title));
    for (const auto& guess : missing.guesses) {
        const bool measured = missing.role->measured();
        const std::string& name = measured ? d.measurements[guess.index].name : d.parameters[guess.index].name;
        const std::string& title = measured ? d.measurements[guess.index].title() : d.parameters[guess.index].title();
        row.who->addItem(title == name ? qs(name) : QString("%1 (%2)").arg(qs(title), qs(name)), qs(name));
        row.who->setItemData(row.who->count() - 1, qs(guess.reason), Qt::ToolTipRole);
    }
    auto* why = label({}, "faint");
    why->setWordWrap(true);
    const auto explain = [who = row.who, why] { why->setText(who->currentData(Qt::ToolTipRole).toString()); };
    explain();
    connect(row.who, &QComboBox::currentIndexChanged, why, explain);
    connect(row.yes, &QCheckBox::toggled, this, &RolesPage::refreshButton);
    auto* line = new QHBoxLayout;
    line->setContentsMargins(20, 0, 0, 0);
    line->addWidget(row.who, 1);
    if (!missing.role->measured()) {
        auto* look = new QToolButton;
        look->setText(tr("Look"));
        look->setToolTip(tr("Open it on the bench"));
        connect(look, &QToolButton::clicked, this,
                [this, who = row.who] { emit nameFollowed(who->currentData().toString()); });
        line->addWidget(look);
    }
    column->addWidget(row.yes);
    column->addLayout(line);
    why->setContentsMargins(20, 0, 0, 0);
    column->addWidget(why);
    rows_.push_back(row);
    return box;
}

void RolesPage::refreshButton() {
    const auto count = std::count_if(rows_.begin(), rows_.end(), [](const Row& row) { return row.yes->isChecked(); });
    keep_->setText(count ? tr("Keep %1 %2").arg(count).arg(count == 1 ? "role" : "roles") : tr("Keep"));
    keep_->setEnabled(count > 0);
}

}  // namespace brusk::app
