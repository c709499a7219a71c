// A list to tick, a line for one's own, a line that arms.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/drive/GuardsPanel.h"

#include <QKeyEvent>

#include "app/desks/WatchDesk.h"

namespace brusk::app {

GuardsPanel::GuardsPanel(WatchDesk& desk) : desk_(desk) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    list_ = new QListWidget;
    list_->setObjectName("guards");
    list_->setAccessibleName(tr("Guards"));
    list_->installEventFilter(this);
    column->addWidget(list_, 1);
    own_ = new QLineEdit;
    own_->setObjectName("ownGuard");
    own_->setAccessibleName(tr("A guard of your own"));
    own_->setPlaceholderText(tr("One of your own: <coolant> > 105 \u00b0C; 1; too hot: stop"));
    own_->setToolTip(tr("Condition; seconds it has to hold; what is said. Enter adds it, Delete takes one away."));
    column->addWidget(own_);
    auto* armed = new QHBoxLayout;
    armed->setSpacing(6);
    armed->addWidget(label(tr("Only while"), "faint"));
    arm_ = new QLineEdit;
    arm_->setObjectName("arm");
    arm_->setAccessibleName(tr("Condition that arms the recording"));
    arm_->setPlaceholderText(tr("always; or held(<pedal> > 80 %, 0.3 s)"));
    arm_->setToolTip(tr("Enter arms the next recording: it keeps only stretches in which this holds"));
    armed->addWidget(arm_, 1);
    before_ = new QDoubleSpinBox;
    before_->setObjectName("before");
    before_->setRange(0, 600);
    before_->setDecimals(0);
    before_->setValue(drive::Arming().before_s);
    before_->setSuffix(tr(" s before"));
    before_->setButtonSymbols(QAbstractSpinBox::NoButtons);  // arrow keys and the wheel step it
    before_->setFixedWidth(96);
    before_->setToolTip(tr("What is kept from before such a stretch"));
    armed->addWidget(before_);
    column->addLayout(armed);
    problem_ = new ElidedLabel("alarm");
    problem_->setObjectName("guardProblem");
    problem_->hide();
    column->addWidget(problem_);
    silent_ = new ElidedLabel("warm");
    silent_->setObjectName("silent");
    silent_->hide();
    column->addWidget(silent_);
    connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        if (filling_) return;
        const auto rows = desk_.rows();
        const auto at = static_cast<size_t>(list_->row(item));
        if (at < rows.size()) desk_.turn(rows[at].guard, item->checkState() == Qt::Checked);
    });
    connect(own_, &QLineEdit::returnPressed, this, &GuardsPanel::add);
    connect(arm_, &QLineEdit::returnPressed, this, &GuardsPanel::arm);
    connect(before_, &QDoubleSpinBox::valueChanged, this, &GuardsPanel::arm);
    connect(&desk_, &WatchDesk::changed, this, &GuardsPanel::refresh);
    refresh();
}

void GuardsPanel::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    const QString& why = desk_.sound().silentBecause();
    silent_->setText(why);
    silent_->setVisible(!why.isEmpty());
}

void GuardsPanel::refresh() {
    const auto text = [](const std::string& from) { return QString::fromStdString(from); };
    const auto rows = desk_.rows();
    filling_ = true;
    // Items stay: one may be on its way to tell that it was ticked.
    while (list_->count() > static_cast<int>(rows.size()))
        delete list_->takeItem(list_->count() - 1);
    while (list_->count() < static_cast<int>(rows.size()))
        list_->addItem(new QListWidgetItem);
    int on = 0, can = 0;
    for (size_t i = 0; i < rows.size(); ++i) {
        const auto& row = rows[i];
        const bool asked = row.lacks.isEmpty();
        auto* item = list_->item(static_cast<int>(i));
        item->setText(text(row.guard.title) + (asked ? QString() : " \u2013 " + row.lacks));
        item->setCheckState(row.on ? Qt::Checked : Qt::Unchecked);
        item->setFlags(asked     ? Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable
                       : row.own ? Qt::ItemIsEnabled | Qt::ItemIsSelectable
                                 : Qt::NoItemFlags);
        item->setToolTip(asked ? tr("%1\nheld for %2 s: \"%3\"")
                                     .arg(text(row.guard.condition))
                                     .arg(row.guard.hold_s)
                                     .arg(text(row.guard.sentence))
                               : row.lacks);
        on += row.on, can += asked;
    }
    summary_ = tr("%1 of %2").arg(on).arg(can);
    if (const auto& arming = desk_.arming(); !arm_->hasFocus())
        arm_->setText(arming ? text(arming->condition) : QString());
    filling_ = false;
    emit refreshed();
}

void GuardsPanel::setEditable(bool editable) {
    for (QWidget* widget : std::initializer_list<QWidget*>{list_, own_, arm_, before_})
        widget->setEnabled(editable);
}

void GuardsPanel::say(const Error& error) {
    problem_->setText(QString::fromStdString(error.text()));
    problem_->show();
}

void GuardsPanel::add() {
    problem_->hide();
    if (auto done = desk_.addOwn(own_->text()); !done) return say(done.error());
    own_->clear();
}

void GuardsPanel::arm() {
    problem_->hide();
    const std::string condition = arm_->text().trimmed().toStdString();
    const auto arming = condition.empty()
                            ? std::nullopt
                            : std::optional(drive::Arming{condition, before_->value(), drive::Arming().after_s});
    if (auto done = desk_.arm(arming); !done) say(done.error());
}

bool GuardsPanel::eventFilter(QObject* watched, QEvent* event) {
    const auto* key = event->type() == QEvent::KeyPress ? static_cast<QKeyEvent*>(event) : nullptr;
    if (watched != list_ || !key || key->key() != Qt::Key_Delete) return QWidget::eventFilter(watched, event);
    const auto rows = desk_.rows();
    const auto at = static_cast<size_t>(std::max(list_->currentRow(), 0));
    if (at < rows.size() && rows[at].own) desk_.forgetOwn(rows[at].guard);
    return true;
}

}  // namespace brusk::app
