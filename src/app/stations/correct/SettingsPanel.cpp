// A slider has two hundred steps between least and most; what has words is a box of them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/correct/SettingsPanel.h"

#include <QComboBox>
#include <QLabel>
#include <QSlider>
#include <QVBoxLayout>
#include <cmath>

#include "app/stations/correct/CoreText.h"
#include "app/widgets/Panels.h"
#include "core/base/Text.h"

namespace brusk::app {
namespace {

constexpr int kSteps = 200;

}  // namespace

SettingsPanel::SettingsPanel(QWidget* parent) : QWidget(parent), column_(new QVBoxLayout(this)) {
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(4);
}

void SettingsPanel::show(const proposals::CorrectionKind* kind,
                         const std::function<double(const proposals::Setting&)>& value) {
    if (kind == kind_) return;
    kind_ = kind;
    emptyLayout(column_);
    if (!kind) return;
    for (const auto& setting : kind->settings)
        add(setting, value(setting));
}

void SettingsPanel::add(const proposals::Setting& setting, double value) {
    const QString id = textOf(setting.id), title = textOf(setting.title);
    column_->addWidget(label(title, "heading"));
    if (!setting.words.empty()) {
        auto* box = new QComboBox;
        box->setObjectName("setting." + id);
        box->setAccessibleName(title);
        for (const std::string_view word : setting.words)
            box->addItem(textOf(word).replace('-', ' '));
        box->setCurrentIndex(static_cast<int>(value));
        column_->addWidget(box);
        connect(box, &QComboBox::currentIndexChanged, this, [this, id](int at) { emit moved(id, at); });
        return;
    }
    auto* slider = new QSlider(Qt::Horizontal);
    slider->setObjectName("setting." + id);
    slider->setAccessibleName(title);
    slider->setRange(0, kSteps);
    slider->setPageStep(kSteps / 10);
    const double least = setting.least, span = setting.most - setting.least;
    slider->setValue(static_cast<int>(std::lround((value - least) / span * kSteps)));
    column_->addWidget(slider);
    auto* shown = label({}, "faint");
    shown->setObjectName("shown." + id);
    column_->addWidget(shown);
    const QString unit = textOf(setting.unit);
    const auto tell = [shown, unit](double v) {
        shown->setText(QString::fromStdString(formatNumber(v, v < 10 ? 1 : 0)) + " " + unit);
    };
    tell(value);
    connect(slider, &QSlider::valueChanged, this, [this, id, least, span, tell](int at) {
        const double v = least + span * at / kSteps;
        tell(v);
        emit moved(id, v);
    });
}

}  // namespace brusk::app
