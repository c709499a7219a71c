// Find anything: parameters, channels, rounds, stations, actions; and "14.2 psi" in every other unit.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLineEdit>
#include <QListWidget>
#include <functional>
#include <memory>

#include "app/desks/Desks.h"
#include "core/definition/Finder.h"

namespace brusk::app {

class FindAnything : public QFrame {
    Q_OBJECT
  public:
    struct Action {
        QString name;
        QString keys;
        std::function<void()> call;
    };
    FindAnything(Desks& desks, QWidget* parent);
    void setActions(std::vector<Action> actions) { actions_ = std::move(actions); }
    void begin();

  protected:
    bool eventFilter(QObject* object, QEvent* event) override;

  private:
    void look(const QString& text);
    void add(const QString& what, const QString& beside, std::function<void()> call);
    void take(int row);

    Desks& desks_;
    QLineEdit* text_;
    QListWidget* list_;
    std::vector<Action> actions_;
    std::vector<std::function<void()>> calls_;  // by row; empty for what can only be read
    std::shared_ptr<const definition::Definition> definition_;
    std::unique_ptr<definition::Finder> finder_;
};

}  // namespace brusk::app
