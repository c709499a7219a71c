// Shows what other breakpoints would cost before they are taken.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/RespacePanel.h"

#include <QHBoxLayout>
#include <QRegularExpression>
#include <QVBoxLayout>

#include "app/theme/Theme.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

RespacePanel::RespacePanel(MapsWork& work, QWidget* parent) : QFrame(parent), work_(work) {
    setObjectName("respace");
    setProperty("panel", true);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 8, 12, 10);
    auto* head = new QHBoxLayout;
    title_ = label({}, "heading");
    keep_ = new QComboBox;
    keep_->addItems({tr("keep the surface"), tr("keep the numbers")});
    outside_ = new QComboBox;
    outside_->addItems({"beyond: hold the last", "beyond: go on with the slope"});
    head->addWidget(title_, 1);
    head->addWidget(keep_);
    head->addWidget(outside_);
    column->addLayout(head);
    breakpoints_ = new QLineEdit;
    breakpoints_->setObjectName("breakpoints");
    breakpoints_->setToolTip(tr("All breakpoints, rising, with blanks between"));
    breakpoints_->setFont(Theme::instance().numbers(12));
    column->addWidget(breakpoints_);
    auto* foot = new QHBoxLayout;
    outcome_ = label({}, "faint");
    outcome_->setObjectName("respaceOutcome");
    outcome_->setWordWrap(true);
    even_ = new QPushButton(tr("Even"));
    even_->setToolTip(tr("Spread evenly between the first and the last"));
    cancel_ = new QPushButton(tr("Cancel"));
    apply_ = new QPushButton(tr("Re-space"));
    apply_->setObjectName("applyRespace");
    apply_->setProperty("primary", true);
    foot->addWidget(outcome_, 1);
    for (QPushButton* button : {even_, cancel_, apply_})
        foot->addWidget(button);
    column->addLayout(foot);
    hide();
    connect(breakpoints_, &QLineEdit::textChanged, this, &RespacePanel::preview);
    connect(breakpoints_, &QLineEdit::returnPressed, apply_, &QPushButton::click);
    connect(keep_, &QComboBox::currentIndexChanged, this, &RespacePanel::preview);
    connect(outside_, &QComboBox::currentIndexChanged, this, &RespacePanel::preview);
    connect(cancel_, &QPushButton::clicked, this, &QWidget::hide);
    connect(even_, &QPushButton::clicked, this, [this] {
        if (const auto now = typed(); now && now->size() > 1)
            setText(calibration::evenly(now->size(), now->front(), now->back()));
    });
    connect(apply_, &QPushButton::clicked, this, [this] {
        if (!plan_ || plan_->edit.empty()) return;
        if (auto done = work_.edit(plan_->edit); !done)
            return work_.say(QString::fromStdString(done.error().text()), true);
        work_.say(QString::fromStdString(plan_->edit.name) + ": " + outcome_->text());
        hide();
    });
}

void RespacePanel::begin(ParameterPane* pane, size_t axis) {
    if (!pane || !pane->readable() || axis >= pane->table().parameter->axes.size())
        return work_.say(tr("This parameter has no such axis."), true);
    const auto& values = axis == 0 ? pane->table().x : pane->table().y;
    if (!values.editable)
        return work_.say(tr("The breakpoints of this axis do not lie in the image; they can't be moved."), true);
    pane_ = pane;
    axis_ = axis;
    shown_ = work_.units().shown(values.unit);
    title_->setText(QString("%1, %2").arg(QString::fromStdString(values.label), QString::fromStdString(shown_.unit)));
    setText(values.values);
    show();
    breakpoints_->setFocus();
}

void RespacePanel::setText(const std::vector<double>& breakpoints) {
    QStringList parts;
    for (const double v : breakpoints)
        parts << QString::number(shown_(v), 'f', shown_.decimals(1)).remove(QRegularExpression("\\.0+$"));
    breakpoints_->setText(parts.join("  "));
}

std::optional<std::vector<double>> RespacePanel::typed() const {
    std::vector<double> out;
    for (const QString& part : breakpoints_->text().split(QRegularExpression("[\\s;]+"), Qt::SkipEmptyParts)) {
        bool good = false;
        out.push_back(shown_.back(QString(part).replace(',', '.').toDouble(&good)));
        if (!good) return std::nullopt;
    }
    return out;
}

void RespacePanel::preview() {
    const auto values = typed();
    const auto* calibration = work_.calibration();
    if (!pane_ || !pane_->readable() || !calibration) return hide();
    plan_ = values ? calibration::respace(
                         *calibration, *pane_->table().parameter, axis_, *values,
                         keep_->currentIndex() == 0 ? calibration::Keep::Surface : calibration::Keep::Numbers,
                         outside_->currentIndex() == 0 ? calibration::Outside::Clamp : calibration::Outside::Extend)
                   : Result<calibration::Respacing>(fail(ErrorCode::BadInput, "Not all of these are numbers."));
    apply_->setEnabled(plan_.has_value() && !plan_->edit.empty());
    setRole(outcome_, plan_ ? "faint" : "warm");
    if (!plan_) return outcome_->setText(QString::fromStdString(plan_.error().message));
    if (plan_->edit.empty()) return outcome_->setText(tr("These are the breakpoints as they are."));
    const auto& own = plan_->followers.front();
    QString text = tr("The surface moves by up to %1 %2 between the breakpoints.")
                       .arg(pane_->shown().change(own.error.largest), 0, 'g', 3)
                       .arg(QString::fromStdString(pane_->shown().unit));
    if (!plan_->shared.empty() && plan_->followers.size() > 1) {
        QStringList names;
        for (size_t i = 1; i < std::min<size_t>(plan_->followers.size(), 4); ++i)
            names << QString::fromStdString(plan_->followers[i].parameter->title());
        text += tr(" The controller keeps one axis for all: %1%2 follow.")
                    .arg(names.join(", "),
                         plan_->followers.size() > 4 ? tr(" and %1 more").arg(plan_->followers.size() - 4) : QString());
    }
    outcome_->setText(text);
}

}  // namespace brusk::app
