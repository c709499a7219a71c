// Looks through stations, actions, parameters, rounds and units for what somebody types.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/FindAnything.h"

#include <QApplication>
#include <QClipboard>
#include <QKeyEvent>
#include <QVBoxLayout>

#include "app/desks/CarInHand.h"
#include "app/desks/Places.h"
#include "app/desks/SheetDesk.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

namespace {
constexpr size_t kMostParameters = 12;
constexpr int kMostOfOthers = 6;
}  // namespace

FindAnything::FindAnything(Desks& desks, QWidget* parent) : QFrame(parent), desks_(desks) {
    setObjectName("findAnything");
    setProperty("panel", true);
    setAutoFillBackground(true);
    auto* column = new QVBoxLayout(this);
    text_ = new QLineEdit;
    text_->setObjectName("anything");
    text_->setPlaceholderText(tr("Find anything: a parameter, a channel, a round, an action, 14.2 psi"));
    list_ = new QListWidget;
    list_->setObjectName("anythingList");
    list_->setFocusPolicy(Qt::NoFocus);
    column->addWidget(text_);
    column->addWidget(list_);
    text_->installEventFilter(this);
    connect(text_, &QLineEdit::textChanged, this, &FindAnything::look);
    connect(list_, &QListWidget::itemClicked, this, [this](QListWidgetItem* item) { take(list_->row(item)); });
    hide();
}

void FindAnything::begin() {
    const auto now = desks_.car.kit ? desks_.car.kit->definition : nullptr;
    if (now != definition_) {
        definition_ = now;
        finder_ = now ? std::make_unique<definition::Finder>(now) : nullptr;
    }
    const int wide = std::min(620, parentWidget()->width() - 80);
    setGeometry((parentWidget()->width() - wide) / 2, 60, wide, 420);
    text_->clear();
    look({});
    show();
    raise();
    text_->setFocus();
}

void FindAnything::add(const QString& what, const QString& beside, std::function<void()> call) {
    auto* item = new QListWidgetItem(beside.isEmpty() ? what : what + "    " + beside);
    list_->addItem(item);
    calls_.push_back(std::move(call));
}

void FindAnything::look(const QString& text) {
    list_->clear();
    calls_.clear();
    const QStringList words = text.toLower().split(' ', Qt::SkipEmptyParts);
    const auto matches = [&](const QString& name) {
        return std::all_of(words.begin(), words.end(), [&](const QString& w) { return name.toLower().contains(w); });
    };
    for (const auto& c : units::convertAll(text.toStdString(), desks_.sheet.stoichiometric())) {
        const QString value = QString::number(c.value, 'g', 6) + " " + QString::fromStdString(c.unit);
        add(text.trimmed() + " = " + value, "Enter copies", [value] { QApplication::clipboard()->setText(value); });
    }
    for (const auto& action : actions_)
        if (matches(action.name)) add(action.name, action.keys, action.call);
    if (finder_ && !words.isEmpty())
        for (const auto& hit : finder_->find(text.toStdString(), kMostParameters).hits) {
            const auto& p = definition_->parameters[hit.parameter];
            const QString name = QString::fromStdString(p.name);
            add(QString::fromStdString(p.title()), QString::fromStdString(definition_->groupPath(p.name)),
                [this, name] { desks_.places.go({.station = "Maps", .parameter = name}); });
        }
    int others = 0;
    for (const auto& round : desks_.car.rounds)
        if (!words.isEmpty() &&
            matches(QString("round %1 %2").arg(round.number).arg(QString::fromStdString(round.title))) &&
            others++ < kMostOfOthers)
            add(QString("Round %1: %2").arg(round.number).arg(QString::fromStdString(round.title)), "select",
                [this, id = round.id] { desks_.places.go({.round = id}); });
    others = 0;
    if (definition_ && !words.isEmpty())
        for (const auto& m : definition_->measurements)
            if (others < kMostOfOthers && matches(QString::fromStdString(m.title() + " " + m.name))) {
                ++others;
                add(QString::fromStdString(m.title()) + " (channel)", QString::fromStdString(m.description),
                    [this] { desks_.places.go({.station = "Drive"}); });
            }
    if (list_->count() == 0) add("Nothing is called that.", {}, {});
    list_->setCurrentRow(0);
}

void FindAnything::take(int row) {
    if (row < 0 || row >= static_cast<int>(calls_.size())) return;
    const auto call = calls_[static_cast<size_t>(row)];
    hide();
    if (call) call();
}

bool FindAnything::eventFilter(QObject* object, QEvent* event) {
    if (event->type() == QEvent::FocusOut && isVisible() && !isActiveWindow()) hide();
    if (event->type() != QEvent::KeyPress) return QFrame::eventFilter(object, event);
    switch (static_cast<QKeyEvent*>(event)->key()) {
        case Qt::Key_Escape:
            hide();
            return true;
        case Qt::Key_Return:
        case Qt::Key_Enter:
            take(list_->currentRow());
            return true;
        case Qt::Key_Down:
            list_->setCurrentRow(std::min(list_->currentRow() + 1, list_->count() - 1));
            return true;
        case Qt::Key_Up:
            list_->setCurrentRow(std::max(list_->currentRow() - 1, 0));
            return true;
        default:
            return false;
    }
}

}  // namespace brusk::app
