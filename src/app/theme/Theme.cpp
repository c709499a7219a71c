// Tokens of both themes, the fonts, and the style sheet made of them.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/theme/Theme.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QPixmap>
#include <QTemporaryDir>

namespace brusk::app {
namespace {

Tokens lightTokens() {
    return {QColor("#F5F3EE"),
            QColor("#FFFFFF"),
            QColor("#DAD5CB"),
            QColor("#1E2328"),
            QColor("#6F6A61"),
            QColor("#0E6E6E"),
            QColor("#2456A6"),
            QColor("#B86A00"),
            QColor("#B3261E"),
            QColor("#6A4C9C"),
            false};
}

Tokens darkTokens() {
    return {QColor("#14171A"),
            QColor("#1C2024"),
            QColor("#30363C"),
            QColor("#E6E3DC"),
            QColor("#8F949A"),
            QColor("#3FB6AE"),
            QColor("#7FB0FF"),
            QColor("#F0A43A"),
            QColor("#FF6B5E"),
            QColor("#A98BDB"),
            true};
}

/// The two small pictures a style sheet can't draw: a check mark and a downward arrow, in a folder of our own.
QString drawPictures(const Tokens& t) {
    static const QTemporaryDir folder;
    const auto draw = [&](const char* name, const QColor& colour, const QPolygonF& line) {
        QPixmap picture(28, 28);
        picture.fill(Qt::transparent);
        QPainter painter(&picture);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(colour, 3.5, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        painter.drawPolyline(line);
        painter.end();
        picture.save(folder.filePath(name));
    };
    const QString tone = t.dark ? "dark-" : "light-";
    draw(qPrintable(tone + "check.png"), t.dark ? QColor("#0B1413") : QColor("#FFFFFF"),
         {QPointF(6, 15), QPointF(12, 21), QPointF(22, 8)});
    draw(qPrintable(tone + "arrow.png"), t.faint, {QPointF(4, 9), QPointF(14, 20), QPointF(24, 9)});
    return folder.filePath(tone);
}

QString styleSheet(const Tokens& t) {
    const QString pictures = drawPictures(t);
    const QString onAccent = t.dark ? "#0B1413" : "#FFFFFF";
    const QString hover = Tokens::mix(t.sheet, t.accent, 0.10).name();
    const QString picked = Tokens::mix(t.ground, t.accent, 0.16).name();
    return QString(R"(
QWidget { color: %ink; font-family: "Inter"; font-size: 13px; }
QMainWindow, QWidget#central, QWidget[station="true"] { background: %ground; }
QLabel { background: transparent; }
QLabel[role="title"] { font-size: 18px; font-weight: 600; }
QLabel[role="heading"] { font-weight: 600; }
QLabel[role="headingon"] { font-weight: 600; color: %accent; }
QLabel[role="faint"] { color: %faint; }
QLabel[role="warm"] { color: %warm; }
QLabel[role="alarm"] { color: %alarm; }
QLabel[role="good"] { color: %accent; }
QLabel[role="numbers"] { font-family: "JetBrains Mono"; }
QFrame[panel="true"] { background: %sheet; border: 1px solid %line; border-radius: 5px; }
QLabel[role="goodnumbers"] { font-family: "JetBrains Mono"; color: %accent; }
QLabel[role="faintnumbers"] { font-family: "JetBrains Mono"; color: %faint; }
QFrame#operatorPanel { background: transparent; border: 1px dashed %faint; }
QFrame[told="true"] { background: %picked; border: 0; border-left: 3px solid %accent; }
QFrame[note="true"] { background: %noteground; border: 0; border-left: 3px solid %warm; }
QFrame#header, QFrame#footer { background: %ground; }
QFrame#header { border: 0; border-bottom: 1px solid %line; }
QFrame#footer { border: 0; border-top: 1px solid %line; }
QFrame#footer QLabel { color: %faint; font-size: 12px; }
QPushButton, QToolButton { background: %sheet; border: 1px solid %line; border-radius: 5px; padding: 5px 12px; }
QPushButton:hover, QToolButton:hover { background: %hover; }
QPushButton:focus, QToolButton:focus, QLineEdit:focus, QComboBox:focus, QDoubleSpinBox:focus, QSpinBox:focus { border: 1px solid %accent; }
QPushButton:disabled, QToolButton:disabled { color: %faint; background: %ground; }
QPushButton[primary="true"] { background: %accent; color: %onaccent; border: 1px solid %accent; font-weight: 600; padding: 7px 16px; }
QPushButton[primary="true"]:hover { background: %accenthover; }
QPushButton[primary="true"]:focus { border: 2px solid %ink; padding: 6px 15px; }
QPushButton[primary="true"]:disabled { background: %line; color: %faint; border: 1px solid %line; }
QPushButton[danger="true"] { background: %alarm; color: %onalarm; border: 1px solid %alarm; font-weight: 600; padding: 7px 16px; }
QToolButton[tab="true"] { background: transparent; border: 0; border-bottom: 2px solid transparent; border-radius: 0; padding: 12px 11px 11px 11px; color: %faint; }
QToolButton[tab="true"]:checked { color: %ink; font-weight: 600; border-bottom: 2px solid %accent; }
QToolButton[tab="true"]:focus { color: %accent; }
QToolButton[flat="true"] { background: transparent; border: 1px solid transparent; padding: 4px 8px; }
QToolButton[link="true"] { background: transparent; border: 0; padding: 1px 0; color: %accent; text-align: left; }
QToolButton[link="quiet"] { background: transparent; border: 0; padding: 1px 0; text-align: left; }
QPushButton[link] { background: transparent; border: 0; padding: 1px 0; min-width: 0; text-align: left; font-weight: 400; }
QPushButton[link="faint"] { color: %faint; }
QPushButton[link]:hover, QPushButton[link]:focus { background: transparent; border: 0; padding: 1px 0; text-decoration: underline; }
QToolButton[link]:hover, QToolButton[link]:focus { text-decoration: underline; }
QToolButton[flat="true"]:hover { border: 1px solid %line; }
QToolButton[flat="true"]:checked { background: %picked; }
QToolButton::menu-indicator { image: none; }
QLineEdit, QComboBox, QDoubleSpinBox, QSpinBox, QPlainTextEdit { background: %sheet; border: 1px solid %line; border-radius: 5px; padding: 4px 7px; selection-background-color: %accent; selection-color: %onaccent; }
QLineEdit[wrong="true"] { border: 1px solid %alarm; }
QDoubleSpinBox, QSpinBox { font-family: "JetBrains Mono"; }
QLineEdit:disabled, QComboBox:disabled, QDoubleSpinBox:disabled, QSpinBox:disabled { color: %faint; background: %ground; }
QComboBox::drop-down { border: 0; width: 18px; }
QComboBox::down-arrow { image: url(%picturesarrow.png); width: 9px; height: 9px; margin-right: 8px; }
QComboBox QAbstractItemView { background: %sheet; border: 1px solid %line; selection-background-color: %picked; selection-color: %ink; }
QTreeView, QListView, QTableView, QTextBrowser { background: transparent; border: 0; outline: 0; }
QTreeView::item { padding: 4px 2px; }
QTreeView::item:selected, QListView::item:selected, QTableView::item:selected { background: %picked; color: %ink; }
QTreeView::item:hover { background: %hover; }
QTableView { gridline-color: %line; background: %sheet; border: 1px solid %line; }
QHeaderView::section { background: %ground; color: %faint; border: 0; border-bottom: 1px solid %line; padding: 3px 6px; }
QScrollArea { background: transparent; border: 0; }
QScrollArea > QWidget > QWidget { background: transparent; }
QScrollBar:vertical { background: transparent; width: 10px; }
QScrollBar:horizontal { background: transparent; height: 10px; }
QScrollBar::handle { background: %line; border-radius: 4px; min-height: 24px; min-width: 24px; margin: 1px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QSlider::groove:horizontal { height: 4px; background: %line; border-radius: 2px; }
QSlider::sub-page:horizontal { background: %accent; border-radius: 2px; }
QSlider::handle:horizontal { background: %accent; width: 12px; height: 12px; margin: -4px 0; border-radius: 6px; }
QSlider::handle:horizontal:focus { border: 2px solid %ink; }
QCheckBox { spacing: 7px; background: transparent; }
QCheckBox::indicator, QListView::indicator, QTableView::indicator { width: 14px; height: 14px; border: 1px solid %faint; border-radius: 3px; background: %sheet; }
QCheckBox::indicator:checked, QListView::indicator:checked, QTableView::indicator:checked { background: %accent; border: 1px solid %accent; image: url(%picturescheck.png); }
QListView::indicator:disabled, QCheckBox::indicator:disabled { background: %line; border: 1px solid %line; }
QCheckBox::indicator:focus { border: 2px solid %accent; }
QProgressBar { background: %line; border: 0; border-radius: 3px; max-height: 6px; min-height: 6px; }
QProgressBar::chunk { background: %accent; border-radius: 3px; }
QToolTip { background: %sheet; color: %ink; border: 1px solid %line; padding: 4px; }
QMenu { background: %sheet; border: 1px solid %line; }
QMenu::item { padding: 5px 22px; }
QMenu::item:selected { background: %picked; }
QSplitter::handle { background: %line; }
)")
        .replace("%ground", t.ground.name())
        .replace("%sheet", t.sheet.name())
        .replace("%line", t.line.name())
        .replace("%ink", t.ink.name())
        .replace("%faint", t.faint.name())
        .replace("%accenthover", Tokens::mix(t.accent, t.ink, 0.12).name())
        .replace("%accent", t.accent.name())
        .replace("%warm", t.warm.name())
        .replace("%alarm", t.alarm.name())
        .replace("%onaccent", onAccent)
        .replace("%onalarm", t.dark ? "#1A0B0A" : "#FFFFFF")
        .replace("%pictures", pictures)
        .replace("%hover", hover)
        .replace("%picked", picked)
        .replace("%noteground", Tokens::mix(t.sheet, t.warm, 0.16).name());
}

}  // namespace

QColor Tokens::mix(const QColor& under, const QColor& over, double share) {
    const auto part = [&](int a, int b) { return qRound(a + (b - a) * share); };
    return QColor(part(under.red(), over.red()), part(under.green(), over.green()), part(under.blue(), over.blue()));
}

Theme& Theme::instance() {
    static Theme theme;
    return theme;
}

void Theme::loadFonts() {
    for (const char* file : {":/fonts/Inter-Regular.otf", ":/fonts/Inter-SemiBold.otf",
                             ":/fonts/JetBrainsMono-Regular.ttf", ":/fonts/JetBrainsMono-SemiBold.ttf"})
        QFontDatabase::addApplicationFont(file);
    QApplication::setFont(text());
}

void Theme::setDark(bool dark) {
    tokens_ = dark ? darkTokens() : lightTokens();
    QPalette palette;
    palette.setColor(QPalette::Window, tokens_.ground);
    palette.setColor(QPalette::Base, tokens_.sheet);
    palette.setColor(QPalette::Button, tokens_.sheet);
    for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
        palette.setColor(role, tokens_.ink);
    palette.setColor(QPalette::PlaceholderText, tokens_.faint);
    palette.setColor(QPalette::Highlight, tokens_.accent);
    palette.setColor(QPalette::HighlightedText, tokens_.sheet);
    QApplication::setPalette(palette);
    qApp->setStyleSheet(styleSheet(tokens_));
    emit changed();
}

QFont Theme::text(int pixels, bool bold) const {
    QFont font("Inter");
    font.setPixelSize(pixels);
    font.setWeight(bold ? QFont::DemiBold : QFont::Normal);
    return font;
}

QFont Theme::numbers(int pixels) const {
    QFont font("JetBrains Mono");
    font.setPixelSize(pixels);
    return font;
}

QColor Theme::trace(int index) const {
    // Hues after Okabe and Ito's colour-blind safe set, brought to one lightness for each ground.
    static const char* const light[] = {"#0072B2", "#B85C00", "#00795A", "#A84F86",
                                        "#5A5A5A", "#7A6A00", "#C0392B", "#4B55B8"};
    static const char* const dark[] = {"#5CB3EA", "#F0A43A", "#3FC09A", "#E08CC0",
                                       "#B9BCC0", "#C9C24A", "#F08A7E", "#9AA4F0"};
    return QColor((tokens_.dark ? dark : light)[index & 7]);
}

}  // namespace brusk::app
