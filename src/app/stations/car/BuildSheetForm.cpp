// Two columns, stock and fitted; what is refused says why beside the number.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/car/BuildSheetForm.h"

#include <QRegularExpression>
#include <QShortcut>
#include <QStyle>
#include <algorithm>

#include "app/widgets/Panels.h"
#include "core/base/Text.h"

namespace brusk::app {

namespace {

QString qs(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size()));
}

/// A number as a person writes it; nothing when the field is empty, NaN when it is no number.
std::optional<double> numberIn(const QLineEdit* edit) {
    const std::string text = edit->text().trimmed().replace(',', '.').toStdString();
    if (text.empty()) return std::nullopt;
    return parseNumber(text).value_or(std::nan(""));
}

QString written(std::optional<double> value) {
    return value ? QString::fromStdString(exactNumber(*value)) : QString();
}

}  // namespace

QLineEdit* BuildSheetForm::field(const QString& name, const QString& title) {
    auto* edit = new QLineEdit;
    edit->setObjectName(name);
    edit->setAccessibleName(title);
    edit->setAlignment(Qt::AlignRight);
    edit->setPlaceholderText("\u2013");
    edit->setMinimumWidth(56);
    connect(edit, &QLineEdit::textEdited, this, &BuildSheetForm::take);
    return edit;
}

std::optional<std::vector<double>> BuildSheetForm::numbersIn(QLineEdit* edit, QLabel* why) {
    std::vector<double> out;
    static const QRegularExpression between("[\\s;|]+");
    for (QString word : edit->text().split(between, Qt::SkipEmptyParts)) {
        if (word.endsWith(',')) word.chop(1);  // between numbers; within one it is a decimal sign
        const auto number = parseNumber(QString(word).replace(',', '.').toStdString());
        if (!number) {
            refuse(edit, why, "\"" + word + "\" is not a number.");
            return std::nullopt;
        }
        out.push_back(*number);
    }
    return out;
}

std::vector<proposals::MeterPoint> BuildSheetForm::meterCurve() {
    const auto written = numbersIn(meterCurve_, meterWhy_);
    if (!written) return {};
    const auto& numbers = *written;
    if (numbers.size() % 2) {
        refuse(meterCurve_, meterWhy_, "Each point takes two numbers: a reading and its flow in kg/h.");
        return {};
    }
    std::vector<proposals::MeterPoint> out;
    for (size_t i = 0; i + 1 < numbers.size(); i += 2)
        out.push_back({numbers[i], numbers[i + 1]});
    return out;
}

QLabel* BuildSheetForm::refusalLine(QGridLayout* grid, int& row, const QString& name) {
    auto* line = label({}, "alarm");
    line->setObjectName("why_" + name);
    line->setWordWrap(true);
    line->hide();
    grid->addWidget(line, row++, 0, 1, 4);
    return line;
}

BuildSheetForm::BuildSheetForm(Check check, std::vector<proposals::Fact> only, QWidget* parent)
    : QWidget(parent), check_(std::move(check)), only_(std::move(only)) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 6, 0);
    name_ = new QLineEdit;
    name_->setObjectName("partName");
    name_->hide();
    column->addWidget(name_);
    connect(name_, &QLineEdit::returnPressed, this, [this] {
        const auto part = proposals::partOn(taken_, keptGroup_, name_->text().trimmed().toStdString());
        name_->hide();
        if (part && !part->name.empty()) emit partKept(*part);
    });
    auto* never = new QShortcut(QKeySequence("Esc"), name_);
    never->setContext(Qt::WidgetShortcut);
    connect(never, &QShortcut::activated, name_, &QWidget::hide);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(4);
    int row = 0;
    makeFacts(grid, row);
    const int beyond = row;
    makeDeadTimes(grid, row);
    auto* meter = label(tr("Another airflow meter"), "heading");
    meter->setContentsMargins(0, 6, 0, 0);
    grid->addWidget(meter, row++, 0, 1, 4);
    meterCurve_ = field("meterCurve", "Another airflow meter's curve: reading and kg/h in pairs");
    meterCurve_->setAlignment(Qt::AlignLeft);
    meterCurve_->setPlaceholderText(tr("reading, kg/h, reading, kg/h \u2026 as in its table"));
    grid->addWidget(label(tr("Its curve"), "faint"), row, 0);
    grid->addWidget(meterCurve_, row++, 1, 1, 3);
    meterWhy_ = refusalLine(grid, row, "meter_curve");
    makeBesides(grid, row);
    for (int r = beyond; r < row && !only_.empty(); ++r)
        for (int c = 0; c < grid->columnCount(); ++c)
            if (auto* item = grid->itemAtPosition(r, c)) item->widget()->hide();
    grid->setColumnStretch(0, 3);
    for (const int c : {1, 2})
        grid->setColumnStretch(c, 2);
    column->addLayout(grid);
    column->addStretch();
    for (QComboBox* box : {wish_, loadModel_, regulator_, wideband_})
        connect(box, &QComboBox::currentIndexChanged, this, &BuildSheetForm::take);
    connect(notes_, &QLineEdit::textEdited, this, &BuildSheetForm::take);
}

void BuildSheetForm::makeBesides(QGridLayout* grid, int& row) {
    const auto heading = [&](const QString& text) {
        auto* head = label(text, "heading");
        head->setContentsMargins(0, 6, 0, 0);
        grid->addWidget(head, row++, 0, 1, 4);
    };
    const auto line = [&](const QString& title, QWidget* widget) {
        grid->addWidget(label(title, "faint"), row, 0);
        grid->addWidget(widget, row++, 1, 1, 3);
    };
    const auto choice = [&](const QString& name, const QString& title, std::span<const std::string_view> names) {
        auto* box = new QComboBox;
        box->setObjectName(name);
        box->setAccessibleName(title);
        for (const auto one : names)
            box->addItem(qs(one));
        line(title, box);
        return box;
    };
    heading(tr("Gearbox, fuel pressure, wideband"));
    gears_ = field("gears", "Ratios of the gears, from first on");
    gears_->setAlignment(Qt::AlignLeft);
    gears_->setPlaceholderText(tr("first, second \u2026 to one"));
    line("Gear ratios", gears_);
    gearsWhy_ = refusalLine(grid, row, "gears");
    regulator_ = choice("regulator", "Fuel pressure held", proposals::kRegulators);
    wideband_ = choice("widebandPlace", "Wideband sits", proposals::kWidebandPlaces);
    heading(tr("What the owner wants"));
    wish_ = choice("wish", "Most of all", proposals::kWishes);
    loadModel_ = choice("loadModel", "Air estimate by", proposals::kLoadModels);
    notes_ = new QLineEdit;
    notes_->setObjectName("sheetNotes");
    connect(notes_, &QLineEdit::textChanged, notes_, &QWidget::setToolTip);
    notes_->setPlaceholderText(tr("gearbox, brakes, what else is fitted"));
    line("Besides", notes_);
}

void BuildSheetForm::makeFacts(QGridLayout* grid, int& row) {
    std::string_view group;
    QToolButton* parts = nullptr;
    for (const auto& kind : proposals::factKinds()) {
        if (!only_.empty() && std::find(only_.begin(), only_.end(), kind.fact) == only_.end()) continue;
        if (kind.group != group) {
            group = kind.group;
            auto* heading = label(qs(group), "heading");
            if (row) heading->setContentsMargins(0, 6, 0, 0);
            grid->addWidget(heading, row, 0);
            if (row == 0) {
                for (const auto& [text, c] : {std::pair{"stock", 1}, {"fitted", 2}}) {
                    if (c == 1 && !only_.empty()) continue;
                    auto* head = label(text, "faint");
                    head->setAlignment(Qt::AlignRight);
                    grid->addWidget(head, row, c);
                }
            }
            parts = partsButton(qs(group));
            grid->addWidget(parts, row, 3, Qt::AlignLeft | Qt::AlignBottom);
            ++row;
        }
        grid->addWidget(label(qs(kind.title), "faint"), row, 0);
        grid->addWidget(label(qs(kind.unit), "faint"), row, 3);
        const int fieldRow = row++;
        auto* why = refusalLine(grid, row, qs(kind.key));
        for (const bool fitted : {false, true}) {
            if (!fitted && (!kind.compared || !only_.empty())) continue;
            auto* edit = field((fitted ? "fitted_" : "stock_") + qs(kind.key),
                               qs(kind.group) + ", " + qs(kind.title) + (fitted ? ", fitted" : ", stock"));
            grid->addWidget(edit, fieldRow, fitted ? 2 : 1);
            fields_.push_back({kind.fact, fitted, edit, why});
            auto* choose = new QShortcut(QKeySequence("Alt+Down"), edit);
            choose->setContext(Qt::WidgetShortcut);
            connect(choose, &QShortcut::activated, parts, &QToolButton::showMenu);
        }
    }
}

QToolButton* BuildSheetForm::partsButton(const QString& group) {
    auto* button = new QToolButton;
    button->setText(tr("parts \u2026"));
    button->setObjectName("parts_" + group);
    button->setAccessibleName(tr("Parts for ") + group);
    button->setToolTip(tr("Put a known part on the sheet, or keep this one for other cars (Alt+Down in a field)"));
    button->setProperty("link", true);
    button->setPopupMode(QToolButton::InstantPopup);
    button->setFocusPolicy(Qt::NoFocus);  // Tab goes from number to number
    auto* menu = new QMenu(button);
    button->setMenu(menu);
    connect(menu, &QMenu::aboutToShow, this, [this, menu, g = group.toStdString()] { fillMenu(menu, g); });
    return button;
}

void BuildSheetForm::fillMenu(QMenu* menu, const std::string& group) {
    menu->clear();
    qDeleteAll(menu->findChildren<QMenu*>(Qt::FindDirectChildrenOnly));
    std::vector<proposals::Part> here;
    std::copy_if(parts_.begin(), parts_.end(), std::back_inserter(here),
                 [&](const auto& p) { return p.group == group; });
    const auto named = [&](QMenu* in, const proposals::Part& part, auto act) {
        auto* item = in->addAction(qs(part.name) + (part.own ? "\tyour own" : ""));
        connect(item, &QAction::triggered, this, [part, act] { act(part); });
    };
    for (const auto& part : here)
        named(menu, part, [this](const proposals::Part& p) { putPart(p, true); });
    const auto kinds = proposals::factKinds();
    const bool compared =
        std::any_of(kinds.begin(), kinds.end(), [&](const auto& kind) { return kind.group == group && kind.compared; });
    if (compared && !here.empty() && only_.empty()) {
        auto* stock = menu->addMenu(tr("As the stock part"));
        for (const auto& part : here)
            named(stock, part, [this](const proposals::Part& p) { putPart(p, false); });
    }
    if (!here.empty()) menu->addSeparator();
    auto* keep = menu->addAction(tr("Keep what is fitted as a part of your own"));
    keep->setEnabled(proposals::partOn(taken_, group, "").has_value());
    connect(keep, &QAction::triggered, this, [this, group] { askName(group); });
    if (std::any_of(here.begin(), here.end(), [](const auto& p) { return p.own; })) {
        auto* forget = menu->addMenu(tr("Forget"));
        for (const auto& part : here)
            if (part.own) named(forget, part, [this](const proposals::Part& p) { emit partForgotten(p); });
    }
}

void BuildSheetForm::putPart(const proposals::Part& part, bool isFitted) {
    auto sheet = taken_;
    proposals::put(sheet, part, isFitted);
    setSheet(sheet);
    emit changed();
}

void BuildSheetForm::askName(const std::string& group) {
    keptGroup_ = group;
    name_->setPlaceholderText(tr("A name for this part (") + qs(group) + tr("), then Enter; Esc for none"));
    name_->setAccessibleName(tr("Name of the part"));
    name_->clear();
    name_->show();
    name_->setFocus();
}

void BuildSheetForm::makeDeadTimes(QGridLayout* grid, int& row) {
    auto* heading = label(tr("Dead times of the injectors"), "heading");
    heading->setContentsMargins(0, 6, 0, 0);
    grid->addWidget(heading, row++, 0, 1, 4);
    for (size_t i = 0; i < kPoints; ++i) {
        volts_[i] = field(QString("deadVolts%1").arg(i), tr("Battery voltage %1").arg(i + 1));
        dead_[i] = field(QString("deadTime%1").arg(i), tr("Dead time %1").arg(i + 1));
        grid->addWidget(label(i ? "" : tr("volts, \u00b5s"), "faint"), row, 0);
        grid->addWidget(volts_[i], row, 1);
        grid->addWidget(dead_[i], row++, 2);
        for (QLineEdit* edit : {volts_[i], dead_[i]})
            connect(edit, &QLineEdit::editingFinished, this, &BuildSheetForm::take);
    }
    deadWhy_ = refusalLine(grid, row, "dead_times");
}

void BuildSheetForm::setSheet(const proposals::BuildSheet& sheet) {
    filling_ = true;
    taken_ = sheet;
    for (const Field& f : fields_)
        f.edit->setText(written(sheet.of(f.fact, f.fitted)));
    for (size_t i = 0; i < kPoints; ++i) {
        const bool there = i < sheet.deadTimes.size();
        volts_[i]->setText(there ? written(sheet.deadTimes[i].volts) : QString());
        dead_[i]->setText(there ? written(sheet.deadTimes[i].time_us) : QString());
    }
    QStringList curve;
    for (const auto& point : sheet.meterCurve)
        curve << written(point.reading) + " " + written(point.flow_kgh);
    meterCurve_->setText(curve.join("; "));
    QStringList ratios;
    for (const double ratio : sheet.gears)
        ratios << written(ratio);
    gears_->setText(ratios.join("; "));
    regulator_->setCurrentIndex(static_cast<int>(sheet.regulator));
    wideband_->setCurrentIndex(static_cast<int>(sheet.wideband));
    wish_->setCurrentIndex(static_cast<int>(sheet.wish));
    loadModel_->setCurrentIndex(static_cast<int>(sheet.loadModel));
    notes_->setText(QString::fromStdString(sheet.notes));
    moreDeadTimes_.clear();
    if (sheet.deadTimes.size() > kPoints)
        moreDeadTimes_.assign(sheet.deadTimes.begin() + kPoints, sheet.deadTimes.end());
    filling_ = false;
    filled();  // what can't be is said; nothing is changed before somebody types
}

void BuildSheetForm::refuse(QLineEdit* edit, QLabel* line, const QString& why) {
    edit->setProperty("wrong", true);
    edit->setToolTip(why);
    line->setText(why);
    line->show();
}

void BuildSheetForm::takeDeadTimes(proposals::BuildSheet& sheet) {
    sheet.deadTimes.clear();
    for (size_t i = 0; i < kPoints; ++i) {
        const auto volts = numberIn(volts_[i]), time = numberIn(dead_[i]);
        if (volts && time) sheet.deadTimes.push_back({*volts, *time});
        // Who is just typing the one is about to type the other.
        if (volts.has_value() != time.has_value() && !volts_[i]->hasFocus() && !dead_[i]->hasFocus())
            refuse(volts ? dead_[i] : volts_[i], deadWhy_,
                   "A dead time needs its voltage too, and a voltage its time.");
    }
    sheet.deadTimes.insert(sheet.deadTimes.end(), moreDeadTimes_.begin(), moreDeadTimes_.end());
}

void BuildSheetForm::take() {
    if (filling_) return;
    const auto sheet = filled();
    if (sheet == taken_) return;
    taken_ = sheet;
    emit changed();
}

proposals::BuildSheet BuildSheetForm::filled() {
    proposals::BuildSheet sheet = only_.empty() ? proposals::BuildSheet{} : taken_;
    std::vector<QLineEdit*> all;
    for (const Field& f : fields_) {
        all.push_back(f.edit);
        f.why->hide();
    }
    deadWhy_->hide();
    meterWhy_->hide();
    gearsWhy_->hide();
    all.push_back(meterCurve_);
    all.push_back(gears_);
    all.insert(all.end(), std::begin(volts_), std::end(volts_));
    all.insert(all.end(), std::begin(dead_), std::end(dead_));
    for (QLineEdit* edit : all) {
        edit->setProperty("wrong", false);
        edit->setToolTip({});
    }
    for (const Field& f : fields_) {
        const auto value = numberIn(f.edit);
        if (value && std::isnan(*value))
            refuse(f.edit, f.why, "\"" + f.edit->text() + "\" is not a number.");
        else
            sheet.of(f.fact, f.fitted) = value;
    }
    takeDeadTimes(sheet);
    sheet.meterCurve = meterCurve();
    sheet.gears = numbersIn(gears_, gearsWhy_).value_or(std::vector<double>());
    for (const auto& refused : check_(sheet)) {
        if (!refused.fact && refused.table == proposals::SheetTable::MeterCurve) {
            refuse(meterCurve_, meterWhy_, QString::fromStdString(refused.why));
            sheet.meterCurve.clear();
            continue;
        }
        if (!refused.fact && refused.table == proposals::SheetTable::Gears) {
            refuse(gears_, gearsWhy_, QString::fromStdString(refused.why));
            sheet.gears.clear();
            continue;
        }
        if (!refused.fact) {
            refuse(volts_[0], deadWhy_, QString::fromStdString(refused.why));
            sheet.deadTimes.clear();
            continue;
        }
        sheet.of(*refused.fact, refused.isFitted).reset();
        for (const Field& f : fields_)
            if (f.fact == *refused.fact && f.fitted == refused.isFitted)
                refuse(f.edit, f.why, QString::fromStdString(refused.why));
    }
    sheet.wish = static_cast<proposals::Wish>(wish_->currentIndex());
    sheet.regulator = static_cast<proposals::Regulator>(regulator_->currentIndex());
    sheet.wideband = static_cast<proposals::WidebandPlace>(wideband_->currentIndex());
    sheet.loadModel = static_cast<proposals::LoadModel>(loadModel_->currentIndex());
    sheet.notes = notes_->text().toStdString();
    for (QLineEdit* edit : all) {
        edit->style()->unpolish(edit);
        edit->style()->polish(edit);
    }
    return sheet;
}

void BuildSheetForm::begin() {
    for (auto* number : findChildren<QLineEdit*>())
        if (number->isVisible() && number->isEnabled()) return number->setFocus();
}

}  // namespace brusk::app
