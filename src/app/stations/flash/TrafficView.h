// The wire in words: requests and answers by service, newest last, while it happens.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractTableModel>
#include <QCheckBox>
#include <QTableView>
#include <QTimer>
#include <deque>

#include "app/desks/Desks.h"
#include "app/widgets/Panels.h"
#include "core/link/Traffic.h"

namespace brusk::app {

class TrafficModel : public QAbstractTableModel {
    Q_OBJECT
  public:
    enum Column { kTime, kFrom, kId, kMessage, kBytes, kColumns };
    using QAbstractTableModel::QAbstractTableModel;
    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    void append(std::vector<link::TrafficLine> lines);
    void clear();

  private:
    std::deque<link::TrafficLine> lines_;
};

class TrafficView : public Panel {
    Q_OBJECT
  public:
    explicit TrafficView(Desks& desks);

  private:
    void take();
    void restart();
    void save();

    Desks& desks_;
    TrafficModel* model_;
    QTableView* table_;
    QCheckBox* others_;
    QLabel* count_;
    QPushButton* save_;
    QTimer timer_;
    std::shared_ptr<const link::TrafficLog> log_;
    std::optional<link::TrafficDecoder> decoder_;
    uint64_t next_ = 0;
    bool following_ = true;
};

}  // namespace brusk::app
