// The build sheet as a form: stock beside fitted for each part, what can't be is refused at its field.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QComboBox>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>
#include <QWidget>
#include <functional>

#include "core/proposals/Parts.h"

namespace brusk::app {

class BuildSheetForm : public QWidget {
    Q_OBJECT
  public:
    using Check = std::function<std::vector<proposals::Refusal>(const proposals::BuildSheet&)>;
    /// `check` tells what can't be meant, also by what the controller can store.
    /// `only`: another car's, of which these facts are asked, as it is now; the rest of its sheet is kept.
    explicit BuildSheetForm(Check check, std::vector<proposals::Fact> only = {}, QWidget* parent = nullptr);
    /// Puts the keyboard into its first number.
    void begin();
    void setSheet(const proposals::BuildSheet& sheet);
    /// What is filled in and not refused.
    proposals::BuildSheet sheet() const { return taken_; }
    /// Parts to choose from at each group.
    void setParts(std::vector<proposals::Part> parts) { parts_ = std::move(parts); }

  signals:
    void changed();
    void partKept(const proposals::Part& part);
    void partForgotten(const proposals::Part& part);

  private:
    struct Field {
        proposals::Fact fact;
        bool fitted;
        QLineEdit* edit;
        QLabel* why;  ///< below its row: why it is refused
    };
    /// Below a row; hidden until something of the row is refused.
    QLabel* refusalLine(QGridLayout* grid, int& row, const QString& name);
    QLineEdit* field(const QString& name, const QString& title);
    void makeFacts(QGridLayout* grid, int& row);
    void makeDeadTimes(QGridLayout* grid, int& row);
    QToolButton* partsButton(const QString& group);
    void fillMenu(QMenu* menu, const std::string& group);
    void putPart(const proposals::Part& part, bool isFitted);
    /// Asks for a name under which the fitted parts of a group are kept.
    void askName(const std::string& group);
    void take();
    /// What is filled in; the fields that are refused say so.
    proposals::BuildSheet filled();
    void refuse(QLineEdit* edit, QLabel* line, const QString& why);
    void takeDeadTimes(proposals::BuildSheet& sheet);

    static constexpr size_t kPoints = 5;
    Check check_;
    std::vector<proposals::Fact> only_;
    proposals::BuildSheet taken_;
    std::vector<proposals::DeadTimePoint> moreDeadTimes_;  ///< of a longer table: kept, not shown
    std::vector<Field> fields_;
    std::vector<proposals::Part> parts_;
    std::string keptGroup_;  ///< whose parts are being named
    QLineEdit* name_;
    QLineEdit* volts_[kPoints] = {};
    QLineEdit* dead_[kPoints] = {};
    QComboBox *loadModel_, *wish_, *regulator_, *wideband_;
    QLineEdit* notes_;
    /// The meter's curve as it is written: pairs of reading and flow.
    std::vector<proposals::MeterPoint> meterCurve();
    /// The numbers in a field, parted by blanks or semicolons; nothing when one of them is none, which is then said.
    std::optional<std::vector<double>> numbersIn(QLineEdit* edit, QLabel* why);
    void makeBesides(QGridLayout* grid, int& row);
    QLineEdit* meterCurve_ = nullptr;
    QLabel* meterWhy_ = nullptr;
    QLineEdit* gears_ = nullptr;
    QLabel* gearsWhy_ = nullptr;
    QLabel* deadWhy_ = nullptr;  ///< why the dead times are refused
    bool filling_ = false;
};

}  // namespace brusk::app
