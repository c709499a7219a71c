// What is typed goes to the desk as something said; what stands there is what the plan makes of it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/review/ImportTable.h"

#include <QComboBox>
#include <QCompleter>
#include <QLineEdit>
#include <cmath>

#include "app/theme/Theme.h"
#include "core/base/Text.h"
#include "core/roles/Role.h"
#include "core/units/Units.h"

namespace brusk::app {

namespace {

QString qs(const std::string& text) {
    return QString::fromStdString(text);
}

QString qs(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<int>(text.size()));
}

QString kindTitle(const std::string& kind) {
    if (kind == "states") return QObject::tr("states");
    return kind == "nothing" ? QObject::tr("no signal") : QObject::tr("number");
}

}  // namespace

QString valueText(const recording::Channel& channel, size_t row) {
    const float value = channel.values[row];
    if (const std::string* state = channel.textOf(value)) return qs(*state);
    if (std::isnan(value)) return "\u2013";
    // The same for all rows, so that they stand on their decimal points.
    float largest = 0;
    bool whole = true;
    for (const float v : channel.values)
        if (std::isfinite(v)) largest = std::max(largest, std::abs(v)), whole = whole && v == std::floor(v);
    const int decimals = whole ? 0 : largest >= 1000 ? 1 : largest >= 100 ? 2 : largest >= 0.1f ? 3 : 6;
    return QString::number(static_cast<double>(value), 'f', decimals);
}

ImportColumns::ImportColumns(ImportDesk& desk, QObject* parent) : QAbstractTableModel(parent), desk_(desk) {
    connect(&desk_, &ImportDesk::changed, this, &ImportColumns::refresh);
}

void ImportColumns::refresh() {
    QString laidOut;
    if (const auto* now = plan())
        for (const auto& column : now->columns)
            laidOut += qs(column.key) + '\n';
    // The same columns with other contents: who types in one goes on in the next.
    if (laidOut == laidOut_ && !laidOut.isEmpty())
        return emit dataChanged(index(0, 0), index(rowCount() - 1, kColumns - 1));
    beginResetModel();
    laidOut_ = laidOut;
    endResetModel();
}

int ImportColumns::rowCount(const QModelIndex& parent) const {
    return parent.isValid() || !plan() ? 0 : static_cast<int>(plan()->columns.size());
}

QString ImportColumns::text(const recording::ColumnPlan& column, int at) const {
    switch (at) {
        case InFile:
            return qs(column.key);
        case Name:
            return qs(column.name);
        case Unit:
            return qs(column.unit);
        case Role: {
            const auto role = roles::Role::named(column.role);
            return role ? qs(role->title()) : QString();
        }
        case Kind:
            return kindTitle(column.kind);
        case Factor:
            return column.factor == 1 ? QString() : qs(exactNumber(column.factor));
        case Offset:
            return column.offset == 0 ? QString() : qs(exactNumber(column.offset));
        default:
            return {};
    }
}

QVariant ImportColumns::data(const QModelIndex& index, int role) const {
    if (!plan() || index.row() >= rowCount()) return {};
    const auto& column = plan()->columns[static_cast<size_t>(index.row())];
    if (role == Qt::CheckStateRole && index.column() == Use) return column.use ? Qt::Checked : Qt::Unchecked;
    if (role == Qt::DisplayRole || role == Qt::EditRole) return text(column, index.column());
    if (role == Qt::ToolTipRole) {
        if (index.column() == InFile) return text(column, index.column());
        return tr("%1 % sure: %2").arg(column.certainty * 100, 0, 'f', 0).arg(qs(column.why));
    }
    const bool faint = !column.use || index.column() == InFile;
    const bool unsure = column.use && column.certainty < 0.7 &&
                        ((index.column() == Role && !column.role.empty()) || index.column() == Unit);
    if (role == Qt::ForegroundRole) return unsure ? tokens().warm : faint ? tokens().faint : tokens().ink;
    return {};
}

QVariant ImportColumns::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) return {};
    const QString titles[] = {tr("Use"),  tr("In the file"), tr("Name"),   tr("Unit"),
                              tr("Role"), tr("Kind"),        tr("Factor"), tr("Added")};
    return titles[section];
}

Qt::ItemFlags ImportColumns::flags(const QModelIndex& index) const {
    Qt::ItemFlags out = Qt::ItemIsEnabled | Qt::ItemIsSelectable;
    // What is no signal becomes one by its kind.
    const bool noSignal =
        plan() && index.row() < rowCount() && plan()->columns[static_cast<size_t>(index.row())].kind == "nothing";
    if (index.column() == Use) return noSignal ? out & ~Qt::ItemIsEnabled : out | Qt::ItemIsUserCheckable;
    const bool kindFixed = index.column() == Kind && plan() && plan()->kind != recording::FileKind::Table;
    if (index.column() == InFile || kindFixed) return out;
    return out | Qt::ItemIsEditable;
}

bool ImportColumns::setData(const QModelIndex& index, const QVariant& value, int role) {
    if (!plan() || index.row() >= rowCount()) return false;
    const auto& column = plan()->columns[static_cast<size_t>(index.row())];
    recording::ColumnSaid said;
    const QString typed = value.toString().trimmed();
    const auto number = [&](double nothing) { return typed.isEmpty() ? nothing : parseNumber(typed.toStdString()); };
    switch (index.column()) {
        case Use:
            if (role != Qt::CheckStateRole) return false;
            said.use = value.toInt() == Qt::Checked;
            break;
        case Name:
            said.name = typed.toStdString();
            break;
        case Unit:
            said.unit = typed.toStdString();
            break;
        case Role:
            said.role = typed.toStdString();
            break;
        case Kind:
            said.kind = typed.toStdString();
            said.use = typed != "nothing";
            break;
        case Factor:
            said.factor = number(1).value_or(0);
            break;
        case Offset:
            said.offset = number(0).value_or(INFINITY);
            break;
        default:
            return false;
    }
    desk_.say(column.key, said);
    return true;
}

QList<QPair<QString, QString>> ImportColumns::choices(int column) {
    QList<QPair<QString, QString>> out;
    if (column == Kind)
        for (const char* kind : {"number", "states", "nothing"})
            out.append({kind, kindTitle(kind)});
    if (column == Role) {
        out.append({QString(), tr("none")});
        for (const auto& role : roles::known())
            if (role.measured()) out.append({qs(role.id), qs(role.title)});
    }
    if (column == Unit) {
        out.append({QString(), QString()});
        for (const auto quantity : units::kQuantities)
            for (const auto unit : units::unitsOf(quantity))
                out.append({qs(unit), qs(unit)});
    }
    return out;
}

QWidget* ChoiceDelegate::createEditor(QWidget* parent, const QStyleOptionViewItem& option,
                                      const QModelIndex& index) const {
    const auto choices = ImportColumns::choices(index.column());
    if (choices.isEmpty()) return QStyledItemDelegate::createEditor(parent, option, index);
    auto* box = new QComboBox(parent);
    for (const auto& [value, title] : choices)
        box->addItem(title, value);
    box->setEditable(true);
    box->setInsertPolicy(QComboBox::NoInsert);
    box->completer()->setFilterMode(Qt::MatchContains);
    box->completer()->setCompletionMode(QCompleter::PopupCompletion);
    return box;
}

void ChoiceDelegate::setEditorData(QWidget* editor, const QModelIndex& index) const {
    auto* box = qobject_cast<QComboBox*>(editor);
    if (!box) return QStyledItemDelegate::setEditorData(editor, index);
    const QString now = index.data(Qt::EditRole).toString();
    box->setCurrentIndex(box->findText(now, Qt::MatchFixedString | Qt::MatchCaseSensitive));
    box->setEditText(now);
    box->lineEdit()->selectAll();
}

void ChoiceDelegate::setModelData(QWidget* editor, QAbstractItemModel* model, const QModelIndex& index) const {
    const auto* box = qobject_cast<QComboBox*>(editor);
    if (!box) return QStyledItemDelegate::setModelData(editor, model, index);
    const QString typed = box->currentText().trimmed();
    // As it stands in the list, else whatever its letter case.
    int at = box->findText(typed, Qt::MatchFixedString | Qt::MatchCaseSensitive);
    if (at < 0) at = box->findText(typed, Qt::MatchFixedString);
    if (typed == index.data(Qt::EditRole).toString()) return;
    if (at >= 0) {
        model->setData(index, box->itemData(at), Qt::EditRole);
    } else if (index.column() == ImportColumns::Unit) {
        // A unit that Brusk does not know is a unit all the same.
        model->setData(index, typed, Qt::EditRole);
    }
}

FirstRows::FirstRows(ImportDesk& desk, QObject* parent) : QAbstractTableModel(parent), desk_(desk) {
    connect(&desk_, &ImportDesk::changed, this, [this] {
        beginResetModel();
        places_.clear();
        if (const auto* shown = desk_.shown())
            for (const auto& group : shown->first.groups) {
                places_.push_back({&group, nullptr});
                for (const auto& channel : group.channels)
                    places_.push_back({&group, &channel});
            }
        endResetModel();
    });
}

int FirstRows::rowCount(const QModelIndex& parent) const {
    if (parent.isValid() || !desk_.shown()) return 0;
    size_t most = 0;
    for (const auto& group : desk_.shown()->first.groups)
        most = std::max(most, group.time_s.size());
    return static_cast<int>(most);
}

int FirstRows::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(places_.size());
}

QVariant FirstRows::data(const QModelIndex& index, int role) const {
    const auto& [group, channel] = places_[static_cast<size_t>(index.column())];
    const auto row = static_cast<size_t>(index.row());
    if (role == Qt::TextAlignmentRole) return static_cast<int>(Qt::AlignRight | Qt::AlignVCenter);
    if (role == Qt::FontRole) return Theme::instance().numbers();
    if (role == Qt::ForegroundRole) return channel ? tokens().ink : tokens().faint;
    if (role != Qt::DisplayRole || row >= group->time_s.size()) return {};
    if (channel) return valueText(*channel, row);
    return group->timed ? QString::number(group->time_s[row], 'f', 3) : QString::number(row + 1);
}

QVariant FirstRows::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) return {};
    const auto& [group, channel] = places_[static_cast<size_t>(section)];
    if (!channel) return group->timed ? tr("time, s") : tr("row");
    return qs(channel->name) + (channel->unit.empty() ? QString() : ", " + qs(channel->unit));
}

}  // namespace brusk::app
