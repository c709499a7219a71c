// A single value by number, text, switch or step.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/ValueEditor.h"

#include <QRadioButton>
#include <algorithm>
#include <cmath>

#include "app/widgets/Panels.h"

namespace brusk::app {

using definition::Parameter;

namespace {
constexpr int kSliderSteps = 10000;
constexpr size_t kMostWords = 24;
}  // namespace

ValueEditor::ValueEditor(const QString& suffix, QWidget* parent) : QFrame(parent) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 4, 0, 0);
    column->setSpacing(8);
    numberRow_ = new QWidget;
    auto* row = new QHBoxLayout(numberRow_);
    row->setContentsMargins(0, 0, 0, 0);
    less_ = new QPushButton("\u2212");
    more_ = new QPushButton("+");
    for (auto [button, counts, tip] :
         {std::tuple{less_, -1, "One raw count less (Ctrl+Down)"}, {more_, 1, "One raw count more (Ctrl+Up)"}}) {
        button->setToolTip(tip);
        button->setAccessibleName(tip);
        button->setFixedWidth(36);
        button->setAutoRepeat(true);
        connect(button, &QPushButton::clicked, this, [this, counts = counts] { emit stepped(counts); });
    }
    less_->setObjectName("stepDown" + suffix);
    more_->setObjectName("stepUp" + suffix);
    slider_ = new QSlider(Qt::Horizontal);
    slider_->setObjectName("valueSlider" + suffix);
    slider_->setAccessibleName(tr("Slide within the limits"));
    slider_->setRange(0, kSliderSteps);
    slider_->setMinimumWidth(180);
    least_ = label({}, "numbers");
    most_ = label({}, "numbers");
    row->addWidget(less_);
    row->addWidget(least_);
    row->addWidget(slider_, 1);
    row->addWidget(most_);
    row->addWidget(more_);
    column->addWidget(numberRow_);
    wordsBox_ = new QWidget;
    words_ = new QVBoxLayout(wordsBox_);
    words_->setContentsMargins(0, 0, 0, 0);
    column->addWidget(wordsBox_);
    text_ = new QLineEdit;
    text_->setObjectName("textValue" + suffix);
    column->addWidget(text_);
    stored_ = label({}, "faint");
    column->addWidget(stored_);
    column->addStretch();
    connect(slider_, &QSlider::sliderReleased, this,
            [this] { emit rawChosen(std::round(lowRaw_ + (highRaw_ - lowRaw_) * slider_->value() / kSliderSteps)); });
    connect(slider_, &QSlider::actionTriggered, this, [this] {
        // Keys and clicks beside the handle act at once; a drag when it is let go.
        if (!slider_->isSliderDown())
            emit rawChosen(std::round(lowRaw_ + (highRaw_ - lowRaw_) * slider_->sliderPosition() / kSliderSteps));
    });
    connect(text_, &QLineEdit::returnPressed, this, [this] { emit textChosen(text_->text()); });
}

void ValueEditor::makeWords(const definition::Conversion& conversion, double raw) {
    emptyLayout(words_);
    const auto& texts = conversion.texts;
    for (size_t i = 0; i < std::min(texts.size(), kMostWords); ++i) {
        const auto& text = texts[i];
        auto* button =
            new QRadioButton(tr("%1   (stored as %2)").arg(QString::fromStdString(text.text)).arg(text.low, 0, 'f', 0));
        button->setObjectName(QString("word%1").arg(i));
        button->setChecked(raw >= text.low && raw <= text.high);
        connect(button, &QRadioButton::clicked, this, [this, low = text.low] { emit rawChosen(low); });
        words_->addWidget(button);
    }
}

void ValueEditor::setTable(const calibration::Table& t, const definition::Conversion& conversion,
                           const units::Shown& shown) {
    const bool isText = t.parameter->kind == Parameter::Kind::Text;
    const bool isValue = t.parameter->kind == Parameter::Kind::Value;
    const bool isSwitch =
        isValue && conversion.kind == definition::Conversion::Kind::Verbal && !conversion.texts.empty();
    setVisible(isText || isValue);
    text_->setVisible(isText);
    wordsBox_->setVisible(isSwitch);
    stored_->setVisible(isValue);
    const bool integer = isValue && !isSwitch && t.step > 0;
    numberRow_->setVisible(integer);
    if (isText) text_->setText(QString::fromStdString(t.text));
    if (!isValue) return;
    if (isSwitch) makeWords(conversion, t.raw[0]);
    const auto number = [&](double v) { return QString::number(shown(v), 'f', shown.decimals(t.decimals)); };
    stored_->setText(
        isSwitch  ? tr("Stored as %1").arg(t.raw[0], 0, 'f', 0)
        : integer ? tr("Stored as %1, which is %2 %3; one count is %4 %3")
                        .arg(t.raw[0], 0, 'f', 0)
                        .arg(number(t.values[0]), QString::fromStdString(shown.unit))
                        .arg(QString::number(shown.change(t.step), 'g', 3))
                  : tr("Stored as floating point, %1 %2").arg(number(t.values[0]), QString::fromStdString(shown.unit)));
    if (!integer) return;
    lowRaw_ = std::round(conversion.toRaw(t.lower));
    highRaw_ = std::round(conversion.toRaw(t.upper));
    if (!std::isfinite(lowRaw_) || !std::isfinite(highRaw_)) return numberRow_->hide();
    // A falling conversion has its least value at its greatest count.
    slider_->blockSignals(true);
    slider_->setPageStep(std::max(1, kSliderSteps / 20));
    slider_->setSingleStep(std::max(1, static_cast<int>(kSliderSteps / std::max(1.0, std::abs(highRaw_ - lowRaw_)))));
    slider_->setValue(highRaw_ != lowRaw_
                          ? static_cast<int>(std::lround((t.raw[0] - lowRaw_) / (highRaw_ - lowRaw_) * kSliderSteps))
                          : 0);
    slider_->blockSignals(false);
    least_->setText(number(t.lower));
    most_->setText(number(t.upper));
}

}  // namespace brusk::app
