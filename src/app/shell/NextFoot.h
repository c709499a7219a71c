// The foot of the ledger: what to do next, one click away.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractButton>

namespace brusk::app {

class NextFoot : public QAbstractButton {
    Q_OBJECT
  public:
    explicit NextFoot(QWidget* parent = nullptr);
    void show(const QString& sentence, const QString& reason);
    /// Beside a ledger that is a rail: an arrow alone.
    void setNarrow(bool narrow);
    QSize sizeHint() const override { return {narrow_ ? 56 : 190, narrow_ ? 44 : 62}; }

  protected:
    void paintEvent(QPaintEvent*) override;

  private:
    bool narrow_ = false;
};

}  // namespace brusk::app
