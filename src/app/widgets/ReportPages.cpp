// A text document with tables; maps are drawn by an object of their own, as vectors.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/ReportPages.h"

#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QLocale>
#include <QPainter>
#include <QPdfWriter>
#include <QTextCursor>
#include <QTextTable>
#include <algorithm>

#include "app/widgets/ReportMap.h"

namespace brusk::app {

namespace {

// Laid out in tenths of a point, with letters in these units too: the same on every device.
constexpr double kUnit = ReportMap::kUnit, kMargin = 48 * kUnit, kFoot = 22 * kUnit;

const QColor kInk("#23231f"), kFaint("#6b6a63");

QString qs(const std::string& text) {
    return QString::fromStdString(text);
}

QString numberText(double value, int decimals) {
    return QLocale().toString(value, 'f', decimals);
}

/// Writes the blocks one after the other.
class Writer {
  public:
    Writer(QTextDocument& document, ReportMap& maps) : cursor_(&document), maps_(maps) {}

    void heading(const std::string& text, double size_pt, bool first, bool onNewPage = false) {
        QTextBlockFormat block;
        if (onNewPage) block.setPageBreakPolicy(QTextFormat::PageBreak_AlwaysBefore);
        block.setTopMargin(first ? 0 : size_pt * kUnit);
        block.setBottomMargin(4 * kUnit);
        QTextCharFormat letters;
        letters.setProperty(QTextFormat::FontPixelSize, static_cast<int>(size_pt * kUnit));
        letters.setFontWeight(QFont::DemiBold);
        letters.setForeground(kInk);
        line(qs(text), block, letters);
    }
    void operator()(const std::string& paragraph) {
        QTextBlockFormat block;
        block.setBottomMargin(3 * kUnit);
        line(qs(paragraph), block, plain());
    }
    void operator()(const deliver::ReportTable& table) {
        if (!table.title.empty()) small(qs(table.title));
        QTextTableFormat format;
        format.setBorder(0);
        format.setCellPadding(1.5 * kUnit);
        format.setCellSpacing(0);
        format.setBottomMargin(4 * kUnit);
        const int columns = static_cast<int>(table.columns.size());
        next();
        auto* grid = cursor_.insertTable(static_cast<int>(table.rows.size()) + 1, columns, format);
        for (int i = 0; i < columns; ++i) {
            const auto& column = table.columns[static_cast<size_t>(i)];
            put(*grid, 0, i, qs(column.title) + (column.unit.empty() ? "" : ", " + qs(column.unit)), faint(), false);
        }
        for (size_t r = 0; r < table.rows.size(); ++r)
            for (size_t i = 0; i < table.rows[r].size(); ++i) {
                const auto& cell = table.rows[r][i];
                const auto* words = std::get_if<std::string>(&cell);
                const auto* number = std::get_if<deliver::Quantity>(&cell);
                const QString text = words           ? qs(*words)
                                     : number->value ? numberText(*number->value, number->decimals)
                                                     : QObject::tr("not measured");
                put(*grid, static_cast<int>(r) + 1, static_cast<int>(i), text,
                    number && !number->value ? faint() : plain(), false);
            }
        cursor_.movePosition(QTextCursor::End);
        fresh_ = true;
    }
    void operator()(const deliver::ReportMaps& maps) {
        for (size_t i = 0; i < maps.maps.size(); ++i) {
            small(qs(maps.title) + ", " + qs(maps.unit) + ": " + qs(maps.maps[i].title));
            next();
            QTextCharFormat place;
            place.setObjectType(ReportMap::kObject);
            place.setProperty(ReportMap::kProperty, maps_.add(maps, i));
            cursor_.insertText(QString(QChar::ObjectReplacementCharacter), place);
        }
    }

  private:
    static QTextCharFormat plain() {
        QTextCharFormat out;
        out.setProperty(QTextFormat::FontPixelSize, static_cast<int>(8.5 * kUnit));
        out.setForeground(kInk);
        return out;
    }
    static QTextCharFormat faint() {
        QTextCharFormat out = plain();
        out.setForeground(kFaint);
        return out;
    }
    void small(const QString& text) {
        QTextBlockFormat block;
        block.setTopMargin(6 * kUnit);
        block.setBottomMargin(2 * kUnit);
        line(text, block, faint());
    }
    void next() {
        if (!fresh_) cursor_.insertBlock(QTextBlockFormat(), plain());
        fresh_ = false;
    }
    void line(const QString& text, const QTextBlockFormat& block, const QTextCharFormat& letters) {
        next();
        cursor_.setBlockFormat(block);
        cursor_.setCharFormat(letters);
        cursor_.insertText(text, letters);
    }
    static void put(QTextTable& table, int row, int column, const QString& text, const QTextCharFormat& letters,
                    bool right) {
        QTextCursor at = table.cellAt(row, column).firstCursorPosition();
        QTextBlockFormat block;
        block.setAlignment(right ? Qt::AlignRight : Qt::AlignLeft);
        block.setRightMargin(10 * kUnit);
        at.setBlockFormat(block);
        // A SHA-256 has no blank to break at.
        at.insertText(text.size() > 40 && !text.contains(' ') ? text.left(32) + " " + text.mid(32) : text, letters);
    }

    QTextCursor cursor_;
    ReportMap& maps_;
    bool fresh_ = true;
};

}  // namespace

QPageSize ReportPages::usualSize() {
    return QPageSize(QLocale().measurementSystem() == QLocale::ImperialUSSystem ? QPageSize::Letter : QPageSize::A4);
}

ReportPages::ReportPages(const deliver::Report& report, const QPageSize& size)
    : size_(size),
      foot_(qs(report.title) + " \u00b7 " + qs(report.subtitle)),
      document_(std::make_unique<QTextDocument>()) {
    lay(report);
}

ReportPages::~ReportPages() = default;

void ReportPages::lay(const deliver::Report& report) {
    const QSizeF page = size() * kUnit, inside(page.width() - 2 * kMargin, page.height() - 2 * kMargin - kFoot);
    document_->documentLayout()->setPaintDevice(nullptr);
    document_->setDocumentMargin(0);
    document_->setPageSize(inside);
    auto* drawn = new ReportMap(inside.width());
    drawn->setParent(document_.get());
    document_->documentLayout()->registerHandler(ReportMap::kObject, drawn);
    Writer write(*document_, *drawn);
    write.heading(report.title, 18, true);
    write(report.subtitle);
    for (const auto& section : report.sections) {
        // Maps are looked at beside each other: they have a page of their own.
        const bool maps = std::any_of(section.blocks.begin(), section.blocks.end(), [](const auto& block) {
            return std::holds_alternative<deliver::ReportMaps>(block);
        });
        write.heading(section.title, 11.5, false, maps);
        for (const auto& block : section.blocks)
            std::visit(write, block);
    }
}

int ReportPages::count() const {
    return document_->pageCount();
}

void ReportPages::paint(QPainter& painter, int at) const {
    const QSizeF inside = document_->pageSize();
    painter.save();
    painter.scale(1 / kUnit, 1 / kUnit);
    QFont font = document_->defaultFont();
    font.setPixelSize(static_cast<int>(7 * kUnit));
    painter.setFont(font);
    painter.setPen(kFaint);
    const QRectF foot(kMargin, size().height() * kUnit - kMargin, inside.width(), kFoot);
    painter.drawText(foot, Qt::AlignLeft | Qt::AlignVCenter, foot_);
    painter.drawText(foot, Qt::AlignRight | Qt::AlignVCenter, QObject::tr("page %1 of %2").arg(at + 1).arg(count()));
    painter.translate(kMargin, kMargin - at * inside.height());
    document_->drawContents(&painter, QRectF(0, at * inside.height(), inside.width(), inside.height()));
    painter.restore();
}

QByteArray ReportPages::pdf() const {
    QByteArray out;
    QBuffer buffer(&out);
    buffer.open(QIODevice::WriteOnly);
    QPdfWriter writer(&buffer);
    writer.setPageSize(size_);
    writer.setPageMargins({});
    writer.setResolution(72);
    writer.setTitle(foot_);
    writer.setCreator("Brusk");
    QPainter painter(&writer);
    for (int i = 0; i < count(); ++i) {
        if (i) writer.newPage();
        paint(painter, i);
    }
    painter.end();
    return out;
}

QString ReportPages::text() const {
    return document_->toPlainText();
}

}  // namespace brusk::app
