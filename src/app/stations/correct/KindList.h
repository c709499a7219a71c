// The kinds of correction at the left: what is worth it with what it would gain, then those that are right and those
// that wait, a line each.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QListWidget>

#include "core/proposals/Correction.h"

namespace brusk::app {

class KindList : public QListWidget {
    Q_OBJECT
  public:
    explicit KindList(QWidget* parent = nullptr);
    /// `left`: kinds that are not to be made.
    void show(const proposals::Corrections& corrections, const std::vector<std::string>& left, std::string_view opened);
    /// The kind that is worth most, for a first look; empty for none.
    static std::string_view foremost(const proposals::Corrections& corrections);

  signals:
    void opened(const QString& kind);
    void taken(const QString& kind, bool takes);

  protected:
    void keyPressEvent(QKeyEvent* event) override;

  private:
    void addHeading(const QString& text);
    void addKind(const proposals::Correction& one, bool left);
    bool showing_ = false;
};

}  // namespace brusk::app
