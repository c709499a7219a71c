// Text from outside is made valid where it enters.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Expect.h"
#include "core/base/Say.h"
#include "core/base/Text.h"

using namespace brusk;

class TextTest : public QObject {
    Q_OBJECT
  private slots:
    void validTextStaysAsItIs();
    void whatIsNoUtf8IsTakenAsLatin1_data();
    void whatIsNoUtf8IsTakenAsLatin1();
    void whateverBytesComeTheTextIsValidAndStaysSo();
    void aSentenceTakesItsValuesAsTheyAre();
};

void TextTest::validTextStaysAsItIs() {
    for (const char* text : {"", "WHRN16T0000000042", "K\u00fchlmittel \u03bb 14.7\ttab\nline", "\u20ac \U0001F697"})
        QCOMPARE(validText(text), std::string(text));
}

void TextTest::whatIsNoUtf8IsTakenAsLatin1_data() {
    QTest::addColumn<QByteArray>("bytes");
    QTest::addColumn<QString>("text");
    QTest::newRow("Latin-1") << QByteArray("M\xFCller") << "M\u00fcller";
    QTest::newRow("erased") << QByteArray("VIN\xFF\xFF") << "VIN\u00ff\u00ff";
    QTest::newRow("a control") << QByteArray(
                                      "a\x01"
                                      "b")
                               << "a\uFFFDb";
    QTest::newRow("a C1 control") << QByteArray(
                                         "a\x85"
                                         "b")
                                  << "a\uFFFDb";
    QTest::newRow("overlong slash") << QByteArray("\xC0\xAF") << "\u00c0\u00af";
    QTest::newRow("half a surrogate") << QByteArray("\xED\xA0\x80") << "\u00ed\u00a0\uFFFD";
    QTest::newRow("beyond the last") << QByteArray("\xF4\x90\x80\x80") << "\u00f4\uFFFD\uFFFD\uFFFD";
    QTest::newRow("cut off") << QByteArray("\xE2\x82") << "\u00e2\uFFFD";
}

void TextTest::whatIsNoUtf8IsTakenAsLatin1() {
    QFETCH(QByteArray, bytes);
    QFETCH(QString, text);
    QCOMPARE(qs(validText(bytes.toStdString())), text);
}

void TextTest::whateverBytesComeTheTextIsValidAndStaysSo() {
    uint32_t state = 1;
    for (int run = 0; run < 20000; ++run) {
        std::string bytes;
        for (int i = 0; i < 6; ++i)
            bytes += static_cast<char>((state = state * 1664525 + 1013904223) >> 24);
        const std::string text = validText(bytes);
        // Qt's decoder is the second opinion: it replaces what is not valid.
        QCOMPARE(QString::fromStdString(text).toStdString(), text);
        QCOMPARE(validText(text), text);
    }
}

void TextTest::aSentenceTakesItsValuesAsTheyAre() {
    QCOMPARE(say("test.plain", "Nothing changed."), std::string("Nothing changed."));
    QCOMPARE(say("test.two", "{1} after {0}, {0} again", {"a", "b"}), std::string("b after a, a again"));
    // A name out of somebody's file is no place for the next value.
    QCOMPARE(say("test.braces", "{0} holds {1}", {"map {1}", "{0}"}), std::string("map {1} holds {0}"));
    QCOMPARE(say("test.lacks", "{0} and {1} {x} {", {"a"}), std::string("a and {1} {x} {"));
}

QTEST_APPLESS_MAIN(TextTest)
#include "TextTest.moc"
