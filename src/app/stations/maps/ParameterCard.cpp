// Everything known of the open parameter and its current cell, as a page with links.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/ParameterCard.h"

#include <QPushButton>
#include <QTextBlock>
#include <QTextCursor>
#include <QUrl>
#include <QVBoxLayout>
#include <cmath>

#include "app/theme/Theme.h"
#include "core/base/Text.h"

namespace brusk::app {

using definition::Parameter;

ParameterCard::ParameterCard(MapsWork& work, QWidget* parent) : QFrame(parent), work_(work) {
    setFixedWidth(252);
    setObjectName("card");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(8, 10, 10, 10);
    browser_ = new QTextBrowser;
    browser_->setObjectName("cardText");
    browser_->setOpenLinks(false);
    browser_->setFrameShape(QFrame::NoFrame);
    browser_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    browser_->setAccessibleName(tr("Parameter card"));
    browser_->document()->setDocumentMargin(2);
    column->addWidget(browser_, 1);
    auto* more = new QPushButton(tr("Definition \u2026"));
    more->setObjectName("definitionWork");
    more->setToolTip(tr("Rename, describe, regroup, give a role; add a parameter by address or copy one"));
    column->addWidget(more);
    connect(more, &QPushButton::clicked, this, &ParameterCard::definitionAsked);
    connect(browser_, &QTextBrowser::anchorClicked, this, [this](const QUrl& to) {
        to.scheme() == "parameter" ? emit nameFollowed(to.path()) : emit searched(to.path());
    });
    connect(&Theme::instance(), &Theme::changed, this, [this] { show(pane_); });
}

QString ParameterCard::text(const QString& key) const {
    for (const auto& [name, value] : facts_)
        if (name == key) return value;
    return {};
}

QString ParameterCard::nameAt(QPoint global) const {
    const QPoint inside = browser_->viewport()->mapFromGlobal(global);
    if (!browser_->viewport()->rect().contains(inside)) return {};
    QTextCursor cursor = browser_->cursorForPosition(inside);
    // A name runs over underscores and dots, as the standard has it.
    const QString text = cursor.block().text();
    const auto part = [](QChar c) { return c.isLetterOrNumber() || c == '_' || c == '.'; };
    qsizetype from = cursor.positionInBlock(), to = from;
    while (from > 0 && part(text[from - 1]))
        --from;
    while (to < text.size() && part(text[to]))
        ++to;
    return text.mid(from, to - from);
}

void ParameterCard::fact(const QString& key, const QString& value, bool numbers) {
    facts_.append({key, value});
    if (!inTable_) html_ += "<table cellspacing=0 cellpadding=2 width=100%>";
    inTable_ = true;
    html_ +=
        QString("<tr><td width=80 style=\"color:%1\">%2</td><td%3>%4</td></tr>")
            .arg(tokens().faint.name(), key.toHtmlEscaped(), numbers ? " style=\"font-family:'JetBrains Mono'\"" : "",
                 value.toHtmlEscaped().replace('\n', "<br>"));
}

void ParameterCard::paragraph(const QString& html) {
    if (inTable_) html_ += "</table>";
    inTable_ = false;
    html_ += html;
}

void ParameterCard::heading(const QString& text) {
    paragraph("<p style=\"margin:8px 2px 2px 2px; font-weight:600\">" + text.toHtmlEscaped() + "</p>");
}

void ParameterCard::link(const QString& text, const QString& target, bool parameter) {
    paragraph(QString("<p style=\"margin:2px\"><a style=\"color:%1; text-decoration:none\" href=\"%2:%3\">%4</a></p>")
                  .arg(tokens().accent.name(), parameter ? "parameter" : "find",
                       QString::fromUtf8(QUrl::toPercentEncoding(target)), text.toHtmlEscaped()));
}

void ParameterCard::cellFacts(ParameterPane& pane) {
    const auto& t = pane.table();
    if (t.values.empty()) return;
    const auto& shown = pane.shown();
    const size_t cell = std::min(pane.grid()->currentCell(), t.values.size() - 1);
    const int decimals = shown.decimals(t.decimals);
    const auto number = [&](double v) {
        return QString::number(shown(v), 'f', decimals) + " " + QString::fromStdString(shown.unit);
    };
    const auto& c = pane.grid()->contents();
    if (!c.x.empty()) {
        const auto unit = [&](const std::string& stored) {
            return QString::fromStdString(work_.units().shown(stored).unit);
        };
        QString place = QString::number(c.x[cell % t.columns], 'f', c.xDecimals) + " " + unit(t.x.unit);
        if (!c.y.empty())
            place += ", " + QString::number(c.y[cell / t.columns], 'f', c.yDecimals) + " " + unit(t.y.unit);
        fact(tr("Cell"), place);
    }
    const auto& conversion = work_.calibration()->definition().conversionOf(*t.parameter);
    const bool words = conversion.kind == definition::Conversion::Kind::Verbal;
    fact(tr("Value"),
         number(t.values[cell]) +
             (words ? " = " + QString::fromUtf8(conversion.textFor(t.raw[cell]).data(),
                                                static_cast<qsizetype>(conversion.textFor(t.raw[cell]).size()))
                    : QString()));
    for (const auto& ridge : pane.ridges())
        if (ridge.cell == cell) {
            fact(tr("Stands out"),
                 tr("%1 %2 the line %3")
                     .arg(QString::number(std::abs(shown.change(ridge.height)), 'f', decimals),
                          ridge.height > 0 ? "above" : "below", ridge.alongX ? "across" : "down"),
                 false);
            break;
        }
    evidenceFacts(pane, cell);
    referenceFacts(pane, cell);
    storedFacts(pane, cell);
    fact(tr("Limits"), QString::number(shown(t.lower), 'f', decimals) + " to " + number(t.upper));
    if (t.parameter->extendedLimits)
        fact(tr("Hardware"), QString::number(shown(t.parameter->extendedLimits->first), 'f', decimals) + " to " +
                                 number(t.parameter->extendedLimits->second));
}

void ParameterCard::evidenceFacts(ParameterPane& pane, size_t cell) {
    const auto& evidence = pane.evidence();
    if (cell >= evidence.cells.size()) return;
    const auto& found = evidence.cells[cell];
    QString text = found.count == 1 ? tr("1 sample") : QString("%1 samples").arg(found.count);
    if (const uint32_t visits = cell < evidence.visits.size() ? evidence.visits[cell] : 0)
        text += visits == 1 ? tr(" in 1 visit") : tr(" in %1 visits").arg(visits);
    if (found.count && !evidence.watched.empty())
        text += QString("\n%1 %2%3 \u00b1 %4 %5")
                    .arg(QString::fromStdString(evidence.watched), found.mean > 0 ? "+" : "",
                         QString::number(found.mean, 'f', 1), QString::number(found.spread, 'f', 1),
                         QString::fromStdString(evidence.unit));
    fact(tr("Evidence"), text, false);
}

void ParameterCard::referenceFacts(ParameterPane& pane, size_t cell) {
    const auto& shown = pane.shown();
    const auto& t = pane.table();
    QStringList met;
    for (const auto& [key, name] : work_.referenceChoices()) {
        if (met.size() >= 6) break;
        const auto other = work_.referenceNamed(key);
        if (!other) continue;
        const Parameter* p = &other->definition() == &work_.calibration()->definition()
                                 ? t.parameter
                                 : calibration::counterpart(other->definition(), *t.parameter);
        const auto theirs = p ? other->read(*p, t.slice) : Result<calibration::Table>(fail(ErrorCode::NotFound, ""));
        const auto compared = theirs ? calibration::compareCells(t, *theirs)
                                     : Result<calibration::CellDifferences>(tl::unexpected(theirs.error()));
        if (!compared || cell >= compared->other.size()) continue;
        met << key;
        const double change = compared->other[cell] - t.values[cell];
        QString value = QString::number(shown(compared->other[cell]), 'f', shown.decimals(t.decimals));
        if (compared->differs[cell])
            value += tr(", ours %1%2")
                         .arg(change < 0 ? "+" : "\u2212",
                              QString::number(std::abs(shown.change(change)), 'f', shown.decimals(t.decimals)));
        fact("in " + name.section(',', 0, 0), value);
    }
}

void ParameterCard::storedFacts(ParameterPane& pane, size_t cell) {
    const auto& t = pane.table();
    const auto size = definition::sizeOf(t.type);
    if (definition::isFloat(t.type)) {
        fact(tr("Stored"), QString::number(t.raw[cell], 'g', 9));
    } else {
        // Negative numbers are shown as the bits that stand in memory.
        const auto bits =
            static_cast<qulonglong>(static_cast<int64_t>(t.raw[cell])) & (size == 8 ? ~0ull : (1ull << (8 * size)) - 1);
        fact(tr("Stored"),
             QString("%1 = 0x%2").arg(t.raw[cell], 0, 'f', 0).arg(bits, static_cast<int>(2 * size), 16, QChar('0')));
        if (size <= 2) {
            QString binary = QString::number(bits, 2).rightJustified(static_cast<int>(8 * size), '0');
            if (size == 2) binary.insert(8, ' ');
            fact(tr("Bits"), binary);
        }
        if (t.step > 0)
            fact(tr("One count"), QString::number(pane.shown().change(t.step), 'g', 3) + " " +
                                      QString::fromStdString(pane.shown().unit));
    }
}

void ParameterCard::neighbours(const Parameter& p) {
    const auto* shared = work_.sharedBytes();
    if (!shared) return;
    const auto others = shared->of(p);
    if (!others.empty()) heading(tr("On the same bytes"));
    for (size_t i = 0; i < std::min<size_t>(others.size(), 5); ++i) {
        using Overlap = calibration::SharedBytes::Overlap;
        const auto& n = others[i];
        const char* how = n.overlap == Overlap::Whole ? "all" : n.overlap == Overlap::OtherBits ? "other bits" : "part";
        link(QString::fromStdString(n.parameter->title()) + "  \u00b7 " + how,
             QString::fromStdString(n.parameter->name), true);
    }
    if (others.size() > 5) paragraph(QString("<p style=\"margin:2px\">and %1 more</p>").arg(others.size() - 5));
}

void ParameterCard::show(ParameterPane* pane) {
    pane_ = pane;
    facts_.clear();
    html_.clear();
    inTable_ = false;
    browser_->clear();
    if (!pane || !pane->readable() || !work_.calibration()) return;
    const auto& d = work_.calibration()->definition();
    const Parameter& p = *pane->table().parameter;
    paragraph(QString("<p style=\"margin:2px 2px 8px 2px; color:%1\">%2</p>")
                  .arg(tokens().faint.name(), QString::fromStdString(p.description).toHtmlEscaped()));
    facts_.append({"Description", QString::fromStdString(p.description)});
    cellFacts(*pane);
    if (p.kind == Parameter::Kind::Text) fact(tr("Length"), QString("%1 characters").arg(p.number));
    fact(tr("Name"), QString::fromStdString(p.name), false);
    fact(tr("Address"), QString::fromStdString(hexAddress(p.address)));
    const auto& conversion = d.conversionOf(p);
    if (conversion.kind != definition::Conversion::Kind::Verbal)
        fact(tr("Conversion"), QString::fromStdString(conversion.name), false);
    fact(tr("Type"), QString("%1%2").arg(
                         QString::fromUtf8(definition::dataTypeName(pane->table().type).data()),
                         p.bitMask ? tr(", mask %1").arg(QString::fromStdString(hexAddress(p.bitMask))) : QString()));
    if (!p.role.empty()) fact(tr("Role"), QString::fromStdString(p.role), false);
    if (p.readOnly) fact(tr("Read only"), "the definition says so", false);
    const std::string path = d.groupPath(p.name);
    if (!path.empty()) fact(tr("Group"), QString::fromStdString(path), false);
    if (p.remarks)
        for (const std::string& annotation : p.remarks->annotations)
            fact(tr("Note"), QString::fromStdString(annotation), false);
    QStringList axes;
    for (const auto& axis : p.axes)
        if (!axis.shared.empty() && !axes.contains(QString::fromStdString(axis.shared)))
            axes << QString::fromStdString(axis.shared);
    if (!axes.isEmpty()) heading(tr("Axes shared with others"));
    for (const QString& axis : axes)
        link(axis, axis, true);
    const auto uses = d.functionsOf(p.name);
    if (!uses.empty()) heading(tr("Read by"));
    for (size_t i = 0; i < std::min<size_t>(uses.size(), 6); ++i)
        link(QString::fromStdString(uses[i].function), QString::fromStdString(uses[i].function), false);
    neighbours(p);
    paragraph({});
    browser_->setHtml(html_);
}

}  // namespace brusk::app
