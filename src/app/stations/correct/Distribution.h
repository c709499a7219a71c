// Two distributions of an error over each other: now, and as expected after.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <vector>

namespace brusk::app {

class Distribution : public QWidget {
    Q_OBJECT
  public:
    explicit Distribution(QWidget* parent = nullptr);
    /// Shares, one a sample.
    void setErrors(const std::vector<float>& now, const std::vector<float>& after);
    QSize sizeHint() const override { return {320, 54}; }

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    std::vector<int> now_, after_;
    int most_ = 1;
};

}  // namespace brusk::app
