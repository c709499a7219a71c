// The columns of a file as they will be read, one a row, correctable in place; and its first rows.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractTableModel>
#include <QStyledItemDelegate>

#include "app/desks/ImportDesk.h"

namespace brusk::app {

class ImportColumns : public QAbstractTableModel {
    Q_OBJECT
  public:
    enum Column { Use, InFile, Name, Unit, Role, Kind, Factor, Offset, kColumns };

    explicit ImportColumns(ImportDesk& desk, QObject* parent = nullptr);

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& = {}) const override { return kColumns; }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    bool setData(const QModelIndex& index, const QVariant& value, int role) override;
    /// What can be chosen in a column: value and title.
    static QList<QPair<QString, QString>> choices(int column);

  private:
    const recording::ImportPlan* plan() const { return desk_.shown() ? &desk_.shown()->plan : nullptr; }
    void refresh();
    QString text(const recording::ColumnPlan& column, int at) const;

    ImportDesk& desk_;
    QString laidOut_;  ///< by which columns; another is another table
};

/// Lists to choose from, that can be typed into.
class ChoiceDelegate : public QStyledItemDelegate {
    Q_OBJECT
  public:
    using QStyledItemDelegate::QStyledItemDelegate;
    QWidget* createEditor(QWidget* parent, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    void setEditorData(QWidget* editor, const QModelIndex& index) const override;
    void setModelData(QWidget* editor, QAbstractItemModel* model, const QModelIndex& index) const override;
};

/// The first rows of the recording, time in front.
class FirstRows : public QAbstractTableModel {
    Q_OBJECT
  public:
    explicit FirstRows(ImportDesk& desk, QObject* parent = nullptr);

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  private:
    /// Of one group after another: its clock, then its channels.
    struct Place {
        const recording::Group* group;
        const recording::Channel* channel;  ///< null: the clock
    };
    std::vector<Place> places_;
    ImportDesk& desk_;
};

/// A value as text: a state's, or a number with as many decimals as tell something of its channel.
QString valueText(const recording::Channel& channel, size_t row);

}  // namespace brusk::app
