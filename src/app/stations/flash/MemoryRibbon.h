// The controller's sectors as a strip: same, to be written, not known, being written, verified.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QWidget>
#include <vector>

namespace brusk::app {

class MemoryRibbon : public QWidget {
    Q_OBJECT
  public:
    enum class State { Same, Change, Unknown, Writing, Verified };
    explicit MemoryRibbon(QWidget* parent = nullptr);
    struct Cell {
        uint32_t start = 0;
        uint32_t length = 0;
        State state = State::Same;
        bool operator==(const Cell&) const = default;
    };
    void setCells(std::vector<Cell> cells);
    const std::vector<Cell>& cells() const { return cells_; }

  protected:
    void paintEvent(QPaintEvent*) override;
    bool event(QEvent* event) override;

  private:
    std::vector<Cell> cells_;
};

}  // namespace brusk::app
