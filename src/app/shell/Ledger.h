// The ledger: rounds as a branching line, newest on top; the spine of the window.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <vector>

#include "app/desks/Desks.h"
#include "core/carfolder/Rounds.h"

namespace brusk::app {

class Ledger : public QWidget {
    Q_OBJECT
  public:
    explicit Ledger(Desks& desks, QWidget* parent = nullptr);
    void setCollapsed(bool collapsed);
    bool collapsed() const { return collapsed_; }
    /// Middle of a round's row, for tests that click.
    QPoint rowCentre(int number) const;

  protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void wheelEvent(QWheelEvent*) override;

  private:
    struct Row {
        carfolder::Round round;
        double top = 0;
        double height = 0;
        int lane = 0;   ///< which branch it stands on
        QString where;  ///< "flashed 14:02, 2 drives"
    };
    void layOut();
    void paintRow(QPainter& painter, const Row& row);
    double dotX(const Row& row) const { return 22 + row.lane * 14; }

    Desks& desks_;
    std::vector<Row> rows_;
    bool collapsed_ = false;
    double scroll_ = 0;
};

}  // namespace brusk::app
