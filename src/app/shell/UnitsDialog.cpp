// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/UnitsDialog.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QSignalBlocker>

#include "app/widgets/Panels.h"

namespace brusk::app {

UnitsDialog::UnitsDialog(Session& session, QWidget* parent) : QDialog(parent), session_(session) {
    setWindowTitle("Units");
    setObjectName("unitsDialog");
    auto* column = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    const auto& now = session_.unitPreferences();
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
    ratio_ = new QDoubleSpinBox;
    ratio_->setRange(5, 20);
    ratio_->setDecimals(2);
    ratio_->setValue(now.stoichiometric);
    ratio_->setToolTip("Kilograms of air that burn a kilogram of the fuel: 14.7 for petrol, 9.0 for ethanol");
    form->addRow("Stoichiometric ratio for AFR", ratio_);
    connect(ratio_, &QDoubleSpinBox::valueChanged, this, &UnitsDialog::take);
    column->addLayout(form);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::accept);
    column->addWidget(buttons);
}

void UnitsDialog::take() {
    units::Preferences wanted;
    wanted.stoichiometric = ratio_->value();
    for (auto box = boxes_.begin(); box != boxes_.end(); ++box)
        if (box.value()->currentIndex() > 0)
            wanted.wanted[static_cast<units::Quantity>(box.key())] = box.value()->currentText().toStdString();
    session_.setUnitPreferences(wanted);
}

}  // namespace brusk::app
