// Every station at the sizes it must work at, both themes: no visible widget overlaps another, nothing lies outside its
// parent, no text is cut without an ellipsis and a tooltip. BRUSK_LAYOUT_SCALE sets the scale; CMake runs it at 1
// and 1.5.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QAbstractButton>
#include <QAbstractScrollArea>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QScrollArea>

#include "Expect.h"
#include "Maps.h"
#include "app/desks/ImportDesk.h"

using namespace brusk;
using namespace brusk::app;

namespace {

const char* const kStations[] = {"Car", "Base", "Maps", "Drive", "Review", "Correct", "Flash", "Deliver", "Import"};

/// As somebody who mends it finds the widget again.
QString nameOf(const QWidget* widget) {
    QString out = widget->metaObject()->className();
    out = out.section("::", -1);
    if (!widget->objectName().isEmpty()) return out + " " + widget->objectName();
    if (const auto* text = qobject_cast<const QLabel*>(widget)) return out + " \"" + text->text().left(40) + "\"";
    if (const auto* button = qobject_cast<const QAbstractButton*>(widget)) return out + " \"" + button->text() + "\"";
    return out + " in " + (widget->parentWidget() ? nameOf(widget->parentWidget()) : QString("nothing"));
}

/// Widgets side by side in one parent, those seen alone.
QList<QWidget*> seenIn(const QWidget* parent) {
    QList<QWidget*> out;
    for (QObject* child : parent->children()) {
        auto* widget = qobject_cast<QWidget*>(child);
        if (widget && widget->isVisible() && !widget->isWindow() && !widget->size().isEmpty()) out << widget;
    }
    return out;
}

/// What scrolls may lie anywhere; what floats above the rest says so.
bool floats(const QWidget* widget) {
    return widget->objectName() == "cellEditor" || widget->objectName() == "qt_spinbox_lineedit";
}

/// A text that does not fit, where nobody could read the rest: no tooltip that tells it.
QString cutText(QWidget* widget) {
    QString text;
    int room = widget->contentsRect().width();
    if (const auto* shown = qobject_cast<QLabel*>(widget)) {
        if (shown->wordWrap() || shown->textFormat() == Qt::RichText || !shown->pixmap().isNull()) {
            const bool low = shown->wordWrap() && shown->heightForWidth(shown->width()) > shown->height() + 2;
            return low && shown->toolTip().isEmpty() ? shown->text() : QString();
        }
        text = shown->text();
    } else if (const auto* button = qobject_cast<QAbstractButton*>(widget)) {
        if (button->sizeHint().width() <= button->width()) return {};
        text = button->text();
    } else if (const auto* edit = qobject_cast<QLineEdit*>(widget)) {
        if (edit->hasFocus()) return {};
        text = edit->text();
        room -= edit->textMargins().left() + edit->textMargins().right();
    } else {
        return {};
    }
    // A pixel or two are the air beside the last letter.
    constexpr int kAir = 2;
    int wide = 0;
    for (const QString& line : text.split('\n'))
        wide = std::max(wide, widget->fontMetrics().horizontalAdvance(line));
    if (text.isEmpty() || wide <= room + kAir || !widget->toolTip().isEmpty()) return {};
    return QString("%1 (%2 of %3 px)").arg(text).arg(room).arg(wide);
}

void look(QWidget* parent, QStringList& found) {
    const bool viewport = qobject_cast<QAbstractScrollArea*>(parent->parentWidget()) &&
                          parent == qobject_cast<QAbstractScrollArea*>(parent->parentWidget())->viewport();
    if (const auto* area = qobject_cast<QScrollArea*>(parent);
        area && area->widget() && area->horizontalScrollBarPolicy() == Qt::ScrollBarAlwaysOff &&
        area->widget()->width() > area->viewport()->width() + 1)
        found << QString("outside: what scrolls in %1 is %2 px wide, seen are %3")
                     .arg(nameOf(area))
                     .arg(area->widget()->width())
                     .arg(area->viewport()->width());
    const auto all = seenIn(parent);
    for (qsizetype i = 0; i < all.size(); ++i) {
        QWidget* one = all[i];
        if (floats(one)) continue;
        const QString cut = cutText(one);
        if (!cut.isEmpty()) found << "cut: " + nameOf(one) + ": \"" + cut.left(60) + "\"";
        if (!viewport && !parent->rect().adjusted(-1, -1, 1, 1).contains(one->geometry()))
            found << QString("outside: %1 of %2").arg(nameOf(one), nameOf(parent));
        for (qsizetype k = i + 1; k < all.size() && !viewport; ++k) {
            const QRect both = one->geometry() & all[k]->geometry();
            if (!floats(all[k]) && both.width() > 1 && both.height() > 1)
                found << QString("overlap: %1 and %2").arg(nameOf(one), nameOf(all[k]));
        }
        look(one, found);
    }
}

}  // namespace

class LayoutTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void nothingOverlapsAndNoTextIsCut_data();
    void nothingOverlapsAndNoTextIsCut();
    void theCheckItselfFindsWhatIsWrong();
    void cleanupTestCase() { story_.reset(); }

  private:
    std::unique_ptr<Story> story_;
    QTemporaryDir table_;
};

void LayoutTest::initTestCase() {
    story_ = std::make_unique<Story>();
    QVERIFY(story_->begin());
    QVERIFY(story_->makeBase());
    QVERIFY(story_->flash());
    QVERIFY(story_->drive(3));
    QVERIFY(story_->openParameter("how full"));
    QFile table(table_.filePath("an evening.csv"));
    QVERIFY(table.open(QFile::WriteOnly));
    table.write("Clock;Engine RPM;A channel with a very long name of its own;K3\n;1/min;mbar;\n");
    for (int i = 0; i < 50; ++i)
        table.write(QString("10:00:%1,5;%2;1013,25;on\n").arg(i, 2, 10, QChar('0')).arg(900 + i).toUtf8());
}

void LayoutTest::nothingOverlapsAndNoTextIsCut_data() {
    QTest::addColumn<QString>("station");
    QTest::addColumn<QSize>("size");
    QTest::addColumn<bool>("dark");
    for (const char* station : kStations)
        for (const QSize size : {QSize(1100, 700), QSize(1280, 800)})
            for (const bool dark : {false, true})
                QTest::addRow("%s %dx%d %s", station, size.width(), size.height(), dark ? "dark" : "light")
                    << QString(station) << size << dark;
}

void LayoutTest::nothingOverlapsAndNoTextIsCut() {
    QFETCH(QString, station);
    QFETCH(QSize, size);
    QFETCH(bool, dark);
    Theme::instance().setDark(dark);
    story_->window().resize(size);
    auto& imports = story_->desks().imports;
    const bool import = station == "Import";
    if (import && !imports.shown()) imports.open(table_.filePath("an evening.csv").toStdString());
    if (!import) imports.putAside();
    story_->goTo(import ? "Review" : station.toLatin1());
    QTRY_VERIFY_WITH_TIMEOUT(!import || (imports.shown() && !imports.working()), 20000);
    // What is computed for the station is there, and the message gone.
    QTRY_VERIFY_WITH_TIMEOUT(!story_->busy(), 20000);
    QTest::qWait(400);
    if (auto* bar = story_->window().findChild<QFrame*>("messageBar")) bar->hide();
    QCoreApplication::processEvents();
    QCOMPARE(story_->window().size(), size);
    QStringList found;
    look(&story_->window(), found);
    QVERIFY2(found.isEmpty(), qPrintable("\n" + found.join('\n')));
}

void LayoutTest::theCheckItselfFindsWhatIsWrong() {
    QWidget parent;
    parent.resize(200, 100);
    auto* one = new QLabel("one", &parent);
    auto* two = new QLabel("a sentence that is much longer than its room", &parent);
    one->setGeometry(0, 0, 60, 20);
    two->setGeometry(50, 10, 60, 20);
    auto* outside = new QPushButton("x", &parent);
    outside->setGeometry(190, 60, 40, 20);
    parent.show();
    QVERIFY(QTest::qWaitForWindowExposed(&parent));
    QStringList found;
    look(&parent, found);
    QCOMPARE(found.filter("overlap:").size(), 1);
    QCOMPARE(found.filter("cut:").size(), 1);
    QCOMPARE(found.filter("outside:").size(), 1);
    two->setToolTip(two->text());
    two->move(70, 10);
    outside->move(150, 60);
    found.clear();
    look(&parent, found);
    QVERIFY2(found.isEmpty(), qPrintable(found.join('\n')));
}

int main(int argc, char** argv) {
    if (const QByteArray scale = qgetenv("BRUSK_LAYOUT_SCALE"); !scale.isEmpty()) qputenv("QT_SCALE_FACTOR", scale);
    QApplication application(argc, argv);
    Theme::instance().loadFonts();
    LayoutTest test;
    return QTest::qExec(&test, argc, argv);
}

#include "LayoutTest.moc"
