// One choice a quantity; taken at once.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/UnitsDialog.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QSignalBlocker>

#include "app/desks/UnitChoice.h"
#include "app/widgets/Panels.h"

namespace brusk::app {

UnitsDialog::UnitsDialog(Desks& desks, QWidget* parent) : QDialog(parent), desks_(desks) {
    setWindowTitle("Units");
    setObjectName("unitsDialog");
    auto* column = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    const auto& now = desks_.units.preferences();
    for (const auto quantity : units::kQuantities) {
        const auto symbols = units::unitsOf(quantity);
        if (symbols.size() < 2) continue;
        auto* box = new QComboBox;
        box->setObjectName("unit_" + QString::fromUtf8(units::quantityName(quantity).data()));
        box->addItem("as the controller keeps it");
        for (const auto symbol : symbols)
            box->addItem(QString::fromUtf8(symbol.data(), static_cast<qsizetype>(symbol.size())));
        if (const auto wish = now.wanted.find(quantity); wish != now.wanted.end())
            box->setCurrentText(QString::fromStdString(wish->second));
        QString name = QString::fromUtf8(units::quantityName(quantity).data());
        name[0] = name[0].toUpper();
        form->addRow(name, box);
        boxes_[static_cast<int>(quantity)] = box;
        connect(box, &QComboBox::currentIndexChanged, this, &UnitsDialog::take);
    }
    column->addLayout(form);
    auto* fuel = label(tr("AFR is of this car's fuel, %1 to one: the ethanol share on the build sheet decides.")
                           .arg(now.stoichiometric, 0, 'f', 2),
                       "faint");
    fuel->setWordWrap(true);
    column->addWidget(fuel);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::accept);
    column->addWidget(buttons);
}

void UnitsDialog::take() {
    units::Preferences wanted;
    for (auto box = boxes_.begin(); box != boxes_.end(); ++box)
        if (box.value()->currentIndex() > 0)
            wanted.wanted[static_cast<units::Quantity>(box.key())] = box.value()->currentText().toStdString();
    desks_.units.choose(wanted);
}

}  // namespace brusk::app
