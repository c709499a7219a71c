// One proposal: reason, formula with its numbers, before and after as text, bands of a curve or the picture of a map.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/base/ProposalCard.h"

#include <QComboBox>
#include <QGridLayout>
#include <QLineEdit>
#include <QPushButton>
#include <QStyle>
#include <QToolButton>
#include <algorithm>
#include <tuple>

#include "app/widgets/MapGrid.h"
#include "core/base/Text.h"
#include "core/calibration/Surface.h"

namespace brusk::app {

using proposals::Proposal;

namespace {
QString qs(const std::string& text) {
    return QString::fromStdString(text);
}
/// Four digits that count, none of them an empty nought: "669.7", "14.1", "0.9811", "12000".
QString inShort(double value) {
    constexpr int kDigits = 4;
    return std::abs(value) >= 1e4 ? QString::number(value, 'f', 0) : QString::number(value, 'g', kDigits);
}

constexpr size_t kWidest = 10;  // columns that are told as numbers

/// "Code P0101 on", "Changeover back below 2900 rpm": what a proposal needs and finds set already.
QString asItIs(const proposals::Change& change, const units::Preferences& units) {
    const auto& t = change.after;
    QString title = qs(t.parameter->title());
    if (!t.text.empty()) return title + " " + qs(t.text);
    if (t.values.size() != 1) return title;
    const auto shown = units.shown(t.unit);
    return title + " " + QString::number(shown(t.values[0]), 'f', shown.decimals(t.decimals)) + " " + qs(shown.unit);
}
}  // namespace

ProposalCard::ProposalCard(const Proposal& p, const units::Preferences& units, QWidget* parent)
    : Panel("", parent), told_(p), decision_{p.accepted, p.strength, p.byHand ? p.number : std::nullopt} {
    makeHead(p);
    wrong_ = label({}, "alarm");
    wrong_->setObjectName("wrong_" + qs(p.id));
    wrong_->hide();
    body()->addWidget(wrong_);
    const auto line = [&](const QString& text, const char* role) {
        auto* l = label(text, role);
        l->setWordWrap(true);
        l->setMinimumWidth(1);
        body()->addWidget(l);
        return l;
    };
    details_ << line(qs(p.reason), nullptr);
    line(qs(p.formula), "numbers")->setObjectName("formula_" + qs(p.id));
    makeTables(p, units);
    if (!p.check.empty()) details_ << line("First drive: " + qs(p.check), "faint");
}

void ProposalCard::setBrief(bool brief) {
    for (QWidget* detail : details_)
        detail->setVisible(!brief);
}

bool ProposalCard::tells(const Proposal& p) const {
    const auto facts = [](const Proposal& of) {
        return std::tie(of.id, of.title, of.reason, of.formula, of.check, of.accepted, of.suggested, of.strength,
                        of.number, of.byHand);
    };
    const auto same = [](const calibration::Table& a, const calibration::Table& b) {
        return a.parameter == b.parameter && a.raw == b.raw && a.text == b.text && a.x.values == b.x.values &&
               a.y.values == b.y.values;
    };
    return facts(p) == facts(told_) &&
           std::equal(p.changes.begin(), p.changes.end(), told_.changes.begin(), told_.changes.end(),
                      [&](const proposals::Change& a, const proposals::Change& b) {
                          return same(a.before, b.before) && same(a.after, b.after) && a.remark == b.remark &&
                                 a.follows == b.follows;
                      });
}

void ProposalCard::makeTables(const Proposal& p, const units::Preferences& units) {
    auto* tables = new QWidget;
    auto* column = new QVBoxLayout(tables);
    column->setContentsMargins(0, 0, 0, 0);
    const auto line = [&](const QString& text) {
        auto* l = label(text, "faint");
        l->setWordWrap(true);
        l->setMinimumWidth(1);
        column->addWidget(l);
    };
    QStringList same, follow;
    for (const auto& change : p.changes)
        if (!change.changes() && (p.offered || p.changesAnything()))
            same << (p.offered ? qs(change.parameter().title()) : asItIs(change, units));
        else if (change.follows)
            follow << qs(change.parameter().title());
        else
            column->addWidget(changeView(change, units));
    if (!follow.isEmpty()) line("Breakpoints move along, surfaces are kept: " + follow.join(", "));
    if (!same.isEmpty()) line((p.offered ? "The same in both: " : "As before: ") + same.join(", "));
    // What would not serve better takes little room until somebody asks.
    if (p.offered && !p.suggested && !p.accepted && p.changesAnything()) {
        auto* show = new QToolButton;
        show->setText(tr("show its tables"));
        show->setObjectName("show_" + qs(p.id));
        show->setProperty("link", true);
        connect(show, &QToolButton::clicked, this, [tables, show] {
            tables->show();
            show->hide();
        });
        body()->addWidget(show);
        tables->hide();
    }
    body()->addWidget(tables);
    // An offer is judged by its tables.
    if (!p.offered) details_ << tables;
}

void ProposalCard::makeHead(const Proposal& p) {
    auto* accept = new QCheckBox(qs(p.title));
    accept->setObjectName("accept_" + qs(p.id));
    accept->setChecked(p.accepted && p.changesAnything());
    accept->setEnabled(p.changesAnything());
    QFont bold = accept->font();
    bold.setWeight(QFont::DemiBold);
    accept->setFont(bold);
    headRow()->insertWidget(0, accept);
    connect(accept, &QCheckBox::toggled, this, [this](bool on) {
        decision_.accepted = on;
        emit decided(told_.id, decision_);
    });
    if (!p.changesAnything())
        headRow()->addWidget(label(tr("holds already"), "faint"));
    else if (p.offered)
        headRow()->addWidget(label(p.suggested ? tr("suggested") : tr("offered"), p.suggested ? "good" : "faint"));
    if (p.hasStrength && p.changesAnything()) {
        auto* strength = new QComboBox;
        strength->setObjectName("strength_" + qs(p.id));
        strength->setAccessibleName(tr("Strength of ") + qs(p.title));
        strength->setToolTip(tr("How much of it is made"));
        for (const int percent : {100, 75, 50, 25})
            strength->addItem(QString("%1 %").arg(percent), percent / 100.0);
        strength->setCurrentIndex(std::max(0, strength->findData(p.strength)));
        headRow()->addWidget(strength);
        connect(strength, &QComboBox::currentIndexChanged, this, [this, strength] {
            decision_.strength = strength->currentData().toDouble();
            emit decided(told_.id, decision_);
        });
    }
    if (p.number) {
        auto* number = new QLineEdit(inShort(*p.number));
        number->setObjectName("number_" + qs(p.id));
        number->setAccessibleName(tr("Number of ") + qs(p.title));
        number->setToolTip(tr("Another number than the computed one; emptied, the computed one comes back"));
        number->setAlignment(Qt::AlignRight);
        number->setFixedWidth(76);
        headRow()->addWidget(number);
        headRow()->addWidget(label(qs(p.numberUnit), "faint"));
        connect(number, &QLineEdit::editingFinished, this, [this, number] {
            if (!number->isModified()) return;
            number->setModified(false);
            const QString typed = number->text().trimmed();
            const auto value = parseNumber(QString(typed).replace(',', '.').toStdString());
            const bool wrong = !value && !typed.isEmpty();
            wrong_->setText("\"" + typed + tr("\" is not a number; what stood there counts."));
            wrong_->setVisible(wrong);
            number->setProperty("wrong", wrong);
            number->style()->unpolish(number);
            number->style()->polish(number);
            if (wrong) return;
            decision_.number = value ? std::optional(*value) : std::nullopt;
            emit decided(told_.id, decision_);
        });
    }
}

QWidget* ProposalCard::changeView(const proposals::Change& change, const units::Preferences& units) {
    const auto& after = change.after;
    const auto shown = units.shown(after.unit);
    const int decimals = shown.decimals(after.decimals);
    const auto number = [&](double v) { return QString::number(shown(v), 'f', decimals); };
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(2);
    auto* head = new QHBoxLayout;
    auto* name = new QPushButton(qs(after.parameter->title()) + (shown.unit.empty() ? "" : ", " + qs(shown.unit)));
    name->setProperty("link", "quiet");
    name->setToolTip(tr("Open it on Maps"));
    connect(name, &QPushButton::clicked, this, [this, n = after.parameter->name] { emit parameterWanted(qs(n)); });
    head->addWidget(name);
    column->addLayout(head);
    if (after.values.size() == 1) {
        const bool words = !after.text.empty();
        head->addSpacing(6);
        head->addWidget(
            label((words ? qs(change.before.text) : number(change.before.values[0])) + "  \u2192  ", "numbers"));
        head->addWidget(
            label(words ? qs(after.text) : number(after.values[0]), change.changes() ? "goodnumbers" : "numbers"));
        head->addStretch();
        return box;
    }
    head->addStretch();
    if (!change.remark.empty()) {
        auto* remark = label(qs(change.remark), "faint");
        remark->setWordWrap(true);
        remark->setMinimumWidth(1);
        column->addWidget(remark);
    }
    const bool sameAxes = change.before.x.values == after.x.values && change.before.y.values == after.y.values;
    if (after.rows == 1 && after.columns <= kWidest && sameAxes) {
        auto* grid = new QGridLayout;
        grid->setHorizontalSpacing(9);
        grid->setVerticalSpacing(2);
        const auto cell = [&](int row, int c, const QString& text, const char* role) {
            auto* l = label(text, role);
            l->setAlignment(c ? Qt::AlignRight : Qt::AlignLeft);
            grid->addWidget(l, row, c);
        };
        const ShownAxis x(after.x, units);
        // In bands that fit the narrowest window; a long curve has several.
        constexpr int kBand = 8, kRows = 4;
        const int columns = static_cast<int>(after.columns), bands = (columns + kBand - 1) / kBand;
        const int wide = (columns + bands - 1) / bands;
        for (int i = 0; i < columns; ++i) {
            const int top = i / wide * kRows, c = i % wide + 1;
            const auto at = static_cast<size_t>(i);
            if (c == 1) {
                if (top) grid->setRowMinimumHeight(top - 1, 5);
                cell(top, 0, x.unit(), "faint");
                cell(top + 1, 0, told_.offered ? "ours" : "before", "faint");
                cell(top + 2, 0, told_.offered ? "donor's" : "after", "faint");
            }
            cell(top, c, at < x.values.size() ? QString::number(x.values[at], 'f', x.decimals) : QString::number(i + 1),
                 "faint");
            cell(top + 1, c, number(change.before.values[at]), "numbers");
            cell(top + 2, c, number(after.values[at]),
                 after.values[at] != change.before.values[at] ? "goodnumbers" : "numbers");
        }
        grid->setColumnStretch(wide + 1, 1);
        column->addLayout(grid);
        return box;
    }
    if (told_.offered) {
        sideBySide(column, change, units);
        return box;
    }
    // A map: the change of each cell as a picture, its range in words.
    GridContents c;
    c.rows = after.rows, c.columns = after.columns;
    c.setAxes(ShownAxis(after.x, units), ShownAxis(after.y, units));
    c.shade = GridContents::Shade::Difference;
    double least = INFINITY, most = -INFINITY;
    size_t changed = 0;
    for (size_t i = 0; i < after.values.size(); ++i) {
        const double by = shown.change(after.values[i] - change.before.values[i]);
        c.values.push_back(by);
        changed += by != 0;
        least = std::min(least, by), most = std::max(most, by);
    }
    auto* picture = new MapGrid;
    picture->setCompact(true);
    picture->setFixedHeight(after.rows == 1 ? 18 : 64);
    picture->setContents(std::move(c));
    column->addWidget(picture);
    QString text = tr("%1 cells change by %2 to %3")
                       .arg(changed)
                       .arg(QString::number(least, 'f', decimals), QString::number(most, 'f', decimals));
    for (const auto& [was, is] : {std::pair{&change.before.x, &after.x}, {&change.before.y, &after.y}})
        if (was->values != is->values)
            text += tr("; the axis reaches %1 now").arg(ShownAxis(*is, units).text(is->values.size() - 1));
    column->addWidget(label(text, "faint"));
    return box;
}

void ProposalCard::sideBySide(QVBoxLayout* column, const proposals::Change& change, const units::Preferences& units) {
    const auto& after = change.after;
    const auto shown = units.shown(after.unit);
    const int decimals = shown.decimals(after.decimals);
    // Both over our breakpoints as they will be, so that the same place is at the same place.
    std::vector<double> ours, theirs, between;
    double least = INFINITY, most = -INFINITY;
    for (size_t i = 0; i < after.values.size(); ++i) {
        const double x = after.x.values.empty() ? 0 : after.x.values[i % after.columns];
        const double y = after.y.values.empty() ? 0 : after.y.values[i / after.columns];
        ours.push_back(shown(calibration::surfaceAt(change.before, x, y)));
        theirs.push_back(shown(after.values[i]));
        between.push_back(theirs.back() - ours.back());
        least = std::min({least, ours.back(), theirs.back()}), most = std::max({most, ours.back(), theirs.back()});
    }
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    const auto side = [&](const QString& title, std::vector<double> values, GridContents::Shade shade) {
        const auto [low, high] = std::minmax_element(values.begin(), values.end());
        const QString range =
            QString("%1 %2 to %3")
                .arg(title, QString::number(*low, 'f', decimals), QString::number(*high, 'f', decimals));
        GridContents c;
        c.rows = after.rows, c.columns = after.columns;
        c.setAxes(ShownAxis(after.x, units), ShownAxis(after.y, units));
        c.shade = shade;
        c.from = least, c.to = most;
        c.values = std::move(values);
        auto* half = new QVBoxLayout;
        half->setSpacing(1);
        auto* picture = new MapGrid;
        picture->setCompact(true);
        picture->setFixedHeight(after.rows == 1 ? 18 : 72);
        picture->setContents(std::move(c));
        picture->setAccessibleName(QString::fromStdString(after.parameter->title()) + ", " + range);
        half->addWidget(picture);
        half->addWidget(label(range, "faint"));
        row->addLayout(half, 1);
    };
    side("ours", std::move(ours), GridContents::Shade::Value);
    side("donor's", std::move(theirs), GridContents::Shade::Value);
    side("between", std::move(between), GridContents::Shade::Difference);
    column->addLayout(row);
}

}  // namespace brusk::app
