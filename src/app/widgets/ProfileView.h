// One line through a map or a curve: the numbers of a row or column over their breakpoints, with a reference behind.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <vector>

namespace brusk::app {

class ProfileView : public QWidget {
    Q_OBJECT
  public:
    explicit ProfileView(QWidget* parent = nullptr);
    struct Line {
        QString title;
        QString unit;
        std::vector<double> x;
        std::vector<double> values;
        std::vector<double> reference;  ///< empty for none
        int decimals = 1;
        size_t current = 0;
    };
    void setLine(Line line);
    QSize sizeHint() const override { return {280, 190}; }
    QSize minimumSizeHint() const override { return {160, 110}; }

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    Line line_;
};

}  // namespace brusk::app
