// Tuning from afar by bruskctl alone: two homes, two car folders, one bench car process.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QFile>
#include <QTemporaryDir>

#include "Ctl.h"

using namespace brusk;

namespace {

/// What a command was refused with; "exit N" when it was not, or did not end with 3.
QString refusalOf(const Ran& ran) {
    if (ran.code != 3) return QString("exit %1: %2").arg(ran.code).arg(QString::fromUtf8(ran.err));
    const auto out = ran.object();
    return out["sentence"].toString().isEmpty() ? QString("no sentence") : out["refused"].toString();
}

}  // namespace

class AfarCtlTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void aRemoteJobGoesThereAndBack();
    void noCommandShowsASealedRoundsValues();
    void refusalsAreToldApart();
    void passphrasesComeFromAFile();
    void theReportIsWrittenInEachFormat();
    void aFolderGoesIntoOneFileAndBack();
    void cleanupTestCase() { car_.kill(), car_.waitForFinished(); }

  private:
    QString at(const char* name) const { return folder_.filePath(name); }
    Ran mara(const QStringList& words) { return ctl(QStringList{"--json", "--home", at("mara")} + words); }
    Ran jon(const QStringList& words) {
        return ctl(QStringList{"--json", "--quiet", "--home", at("jon"), "--passphrase-file", at("words")} + words);
    }

    QTemporaryDir folder_;
    QProcess car_;
    QString link_;
};

void AfarCtlTest::initTestCase() {
    link_ = "unix:" + at("bus");
    car_.start(kBin + "/brusk-benchcar", {"--link", link_});
    QVERIFY(car_.waitForStarted());
    QTRY_VERIFY(QFile::exists(at("bus")));
    QFile words(at("words"));
    QVERIFY(words.open(QFile::WriteOnly) && words.write("three old apples\n") > 0);
    words.close();
    QCOMPARE(mara({"key", "make", "--name", "Mara Ost"}).object()["name"].toString(), "Mara Ost");
    QCOMPARE(jon({"key", "make", "--name", "Jon Vale"}).object()["passphrase"].toBool(), true);
    // Cards go both ways; their fingerprints are what the telephone says.
    for (const char* name : {"mara", "jon"}) {
        const auto card = ctl({"--home", at(name), "card", "export", "--out", at(name) + ".card"});
        QVERIFY2(card.code == 0, card.err.constData());
    }
    const auto trusted = mara({"card", "trust", at("jon.card")});
    QCOMPARE(trusted.object()["fingerprint"], jon({"key", "show"}).object()["fingerprint"]);
    QCOMPARE(jon({"card", "trust", at("mara.card")}).object()["trusted"].toString(), "new");
    QCOMPARE(jon({"card", "list"}).object()["cards"].toArray().size(), 1);
    // Jon reads the car; Mara begins with what he sends.
    QVERIFY(jon({"read", "--car", at("jons"), "--link", link_}).code == 0);
    QVERIFY(jon({"parcel", "make", "--car", at("jons"), "--to", "Mara Ost", "--out", at("first.parcel")}).code == 0);
    const auto opened = mara({"parcel", "open", at("first.parcel"), "--car", at("maras")});
    QVERIFY2(opened.code == 0, opened.err.constData());
    QVERIFY(opened.object()["original"].toBool());
    QCOMPARE(opened.object()["in_car"].toInt(), 0);
}

void AfarCtlTest::aRemoteJobGoesThereAndBack() {
    const auto base = mara({"base", "--car", at("maras"), "--sheet",
                            QString(BRUSK_DATA_DIR) + "/heron/build-sheet.json", "--make", "Base"});
    QVERIFY2(base.code == 0, base.err.constData());
    const auto sealed = mara({"seal", "--car", at("maras"), "--round", "1", "--to", "Jon Vale=flash,record", "--note",
                              "Gently.", "--out", at("one.sealed")});
    QVERIFY2(sealed.code == 0, sealed.err.constData());
    QCOMPARE(sealed.object()["binding"].toObject()["vin"].toString(), "FMKHR16T0E2004711");
    // What is in it is told before anything is taken.
    const auto look = jon({"unseal", at("one.sealed")});
    QCOMPARE(look.object()["from"].toObject()["name"].toString(), "Mara Ost");
    QCOMPARE(look.object()["may"].toArray(), (QJsonArray{"flash", "record"}));
    QVERIFY(!look.object().contains("round"));
    const auto taken = jon({"unseal", at("one.sealed"), "--car", at("jons")});
    QCOMPARE(taken.object()["round"].toInt(), 1);
    QVERIFY(taken.object()["sealed"].toBool());
    const auto flash =
        jon({"flash", "--car", at("jons"), "--round", "1", "--link", link_, "--traffic", at("frames.log")});
    QVERIFY2(flash.code == 0, flash.err.constData());
    QVERIFY(flash.object()["sectors"].toInt() > 0);
    // The log of the frames has those of the greeting and none of the flash.
    QFile log(at("frames.log"));
    QVERIFY(log.open(QFile::ReadOnly));
    const qsizetype frames = log.readAll().count('\n');
    QVERIFY2(frames > 5 && frames < flash.object()["bytes"].toInt() / 100, qPrintable(QString::number(frames)));
    QVERIFY(jon({"record", "--car", at("jons"), "--link", link_, "--seconds", "2"}).code == 0);
    QCOMPARE(jon({"next", "--car", at("jons")}).object()["step"].toString(), "send-drives");
    QVERIFY(jon({"parcel", "make", "--car", at("jons"), "--to", "Mara Ost", "--link", link_, "--out", at("two.parcel")})
                .code == 0);
    QCOMPARE(mara({"next", "--car", at("maras")}).object()["step"].toString(), "await-drives");
    const auto back = mara({"parcel", "open", at("two.parcel"), "--car", at("maras")});
    QVERIFY2(back.code == 0, back.err.constData());
    const auto drives = back.object()["recordings"].toArray();
    QCOMPARE(drives.size(), 1);
    QCOMPARE(drives[0].toObject()["round"].toInt(), 1);
    QCOMPARE(back.object()["in_car"].toInt(), 1);
    // The next one.
    QVERIFY(mara({"base", "--car", at("maras"), "--sheet", QString(BRUSK_DATA_DIR) + "/heron/build-sheet.json",
                  "--make", "Base again"})
                .code == 0);
    QVERIFY(mara({"seal", "--car", at("maras"), "--to", "Jon Vale=flash,record", "--out", at("two.sealed")}).code == 0);
    QCOMPARE(jon({"unseal", at("two.sealed"), "--car", at("jons")}).object()["round"].toInt(), 2);
    QVERIFY(jon({"check", "--car", at("jons"), "--link", link_}).code == 0);
}

void AfarCtlTest::noCommandShowsASealedRoundsValues() {
    const QString car = at("jons");
    const QStringList ways[] = {
        {"propose", "all", "--car", car, "--round", "1"},
        {"propose", "air", "--car", car, "--round", "1", "--make", "mine"},
        {"propose", "air", "--car", car, "--round", "1", "--out", at("out.hex")},
        {"set", "--car", car, "--round", "1", "--make", "mine", "rev_limit=6000"},
        {"seal", "--car", car, "--round", "1", "--to", "Mara Ost=change", "--out", at("again.sealed")},
    };
    for (const auto& words : ways) {
        const auto ran = jon(words);
        QVERIFY2(refusalOf(ran) == "not-allowed", qPrintable(words.join(' ') + ": " + refusalOf(ran)));
    }
    QVERIFY(!QFile::exists(at("out.hex")) && !QFile::exists(at("again.sealed")));
    // What tells of the round tells no value: neither of the list nor of the ledger.
    const auto rounds = jon({"rounds", "--car", car});
    QVERIFY(rounds.object()["rounds"].toArray()[0].toObject()["sealed"].toBool());
    QCOMPARE(rounds.object()["rounds"].toArray().size(), 3);
}

void AfarCtlTest::refusalsAreToldApart() {
    const auto opened = [&](const QString& file) { return refusalOf(jon({"unseal", file, "--car", at("jons")})); };
    const auto written = [&](const char* name, QByteArray bytes) {
        QFile out(at(name));
        return out.open(QFile::WriteOnly) && out.write(bytes) == bytes.size();
    };
    QFile in(at("one.sealed"));
    QVERIFY(in.open(QFile::ReadOnly));
    const QByteArray good = in.readAll();
    QByteArray bad = good;
    bad[bad.size() / 2] = static_cast<char>(bad[bad.size() / 2] ^ 1);
    QVERIFY(written("bent", bad) && written("short", good.left(good.size() - 10)) && written("none", "hello"));
    QCOMPARE(opened(at("bent")), "altered");
    QCOMPARE(opened(at("short")), "truncated");
    QCOMPARE(opened(at("none")), "altered");
    QCOMPARE(opened(at("first.parcel")).left(6), "exit 1");
    const auto sealedFor = [&](const QStringList& more) {
        const QString file = at("special.sealed");
        QFile::remove(file);
        const auto ran = mara(QStringList{"seal", "--car", at("maras"), "--round", "1", "--out", file} + more);
        if (ran.code != 0) qWarning("%s", ran.err.constData());
        return file;
    };
    const QString toJon = "Jon Vale=flash";
    QCOMPARE(opened(sealedFor({"--to", toJon, "--vin", "OTHER"})), "other-vin");
    QCOMPARE(opened(sealedFor({"--to", toJon, "--serial", "OTHER"})), "other-serial");
    QCOMPARE(opened(sealedFor({"--to", toJon, "--software", "OTHER"})), "other-software");
    QCOMPARE(opened(sealedFor({"--to", "Mara Ost=flash"})), "wrong-recipient");
    QCOMPARE(refusalOf(mara({"seal", "--car", at("maras"), "--to", "Nobody=flash", "--out", at("x")})), "untrusted");
    // Older than what is there, unless its maker allows it.
    const QString again = sealedFor({"--to", toJon, "--vin", "any", "--serial", "any", "--software", "any"});
    QFile::rename(again, at("older.sealed"));
    const QString newer = sealedFor({"--to", toJon});
    QCOMPARE(jon({"unseal", newer, "--car", at("jons")}).code, 0);
    QCOMPARE(opened(at("older.sealed")), "older");
    // A stranger, and somebody whose card is another by now.
    const auto eve = [&](const QStringList& words) { return ctl(QStringList{"--json", "--home", at("eve")} + words); };
    QCOMPARE(eve({"key", "make", "--name", "Mara Ost"}).code, 0);
    QCOMPARE(eve({"card", "export", "--out", at("eve.card")}).code, 0);
    QCOMPARE(eve({"card", "trust", at("jon.card")}).code, 0);
    QCOMPARE(eve({"seal", "--car", at("maras"), "--round", "1", "--to", toJon, "--out", at("eve.sealed")}).code, 0);
    QCOMPARE(opened(at("eve.sealed")), "untrusted");
    QCOMPARE(refusalOf(jon({"card", "trust", at("eve.card")})), "untrusted");
    QCOMPARE(jon({"rounds", "--car", at("jons")}).object()["rounds"].toArray().size(), 3);
    // Who may not flash, does not.
    const QString look = sealedFor({"--to", "Jon Vale=look"});
    // The same bytes under a newer seal are the same round, and it is the newer seal that counts.
    const int round = jon({"unseal", look, "--car", at("jons")}).object()["round"].toInt();
    QCOMPARE(round, 1);
    QCOMPARE(refusalOf(jon({"flash", "--car", at("jons"), "--round", QString::number(round), "--link", link_})),
             "not-allowed");
}

void AfarCtlTest::passphrasesComeFromAFile() {
    const auto without = ctl({"--json", "--home", at("jon"), "unseal", at("one.sealed")});
    QCOMPARE(without.code, 3);
    QVERIFY(without.err.contains("Say --passphrase-file"));
    QFile wrong(at("wrong"));
    QVERIFY(wrong.open(QFile::WriteOnly) && wrong.write("two apples\n") > 0);
    wrong.close();
    const auto other = ctl({"--home", at("jon"), "--passphrase-file", at("wrong"), "unseal", at("one.sealed")});
    QCOMPARE(other.code, 3);
    QVERIFY(other.err.contains("This is not the passphrase of Jon Vale's key"));
    QCOMPARE(ctl({"--home", at("jon"), "key", "make", "--name", "Jon"}).code, 1);
    // Who names a file wants protection: an empty one makes no key.
    QFile none(at("none.words"));
    QVERIFY(none.open(QFile::WriteOnly));
    none.close();
    QCOMPARE(ctl({"--home", at("new"), "--passphrase-file", at("none.words"), "key", "make", "--name", "Jon"}).code, 1);
    QVERIFY(!QFile::exists(at("new/key")));
    QCOMPARE(jon({"key", "backup", "--to", at("backup")}).code, 0);
    QCOMPARE(QFile::permissions(at("backup")) & (QFile::ReadGroup | QFile::ReadOther), QFile::Permissions());
    QCOMPARE(QFile::permissions(at("jon/key")) & (QFile::ReadGroup | QFile::ReadOther), QFile::Permissions());
}

void AfarCtlTest::theReportIsWrittenInEachFormat() {
    const auto told = mara({"report", "--car", at("maras"), "--words", "Use RON 98."});
    QVERIFY2(told.code == 0, told.err.constData());
    const auto sections = told.object()["sections"].toArray();
    QVERIFY(sections.size() >= 8);
    QCOMPARE(sections[0].toObject()["title"].toString(), "The car");
    for (const char* name : {"report.json", "report.txt", "report.pdf"}) {
        const auto written = mara({"report", "--car", at("maras"), "--words", "Use RON 98.", "--out", at(name)});
        QVERIFY2(written.code == 0, written.err.constData());
        QVERIFY(QFile(at(name)).size() > 1000);
        QCOMPARE(mara({"report", "--car", at("maras"), "--out", at(name)}).code, 1);
    }
    QProcess reader;
    reader.start("pdftotext", {at("report.pdf"), "-"});
    QVERIFY(reader.waitForFinished());
    const QString text = QString::fromUtf8(reader.readAllStandardOutput());
    QVERIFY2(text.contains("Use RON 98.") && text.contains("Mara Ost") && text.contains("FMKHR16T0E2004711"),
             qPrintable(text));
    // Of a sealed round it says so, and no value.
    const QByteArray sealed = ctl({"report", "--car", at("jons"), "--round", "1"}).out;
    QVERIFY(sealed.contains("Round 1 came sealed from Mara Ost; its values are not in this report."));
    QVERIFY(sealed.contains("Not told: the calibration came sealed.") && !sealed.contains("Boost cut"));
}

void AfarCtlTest::aFolderGoesIntoOneFileAndBack() {
    QCOMPARE(jon({"archive", "make", "--car", at("jons"), "--out", at("all.zip")}).code, 0);
    QCOMPARE(jon({"archive", "make", "--car", at("jons"), "--out", at("all.zip")}).code, 1);
    const auto back = jon({"archive", "open", at("all.zip"), "--out", at("back")});
    QVERIFY2(back.code == 0, back.err.constData());
    QVERIFY(back.object()["lost"].toArray().isEmpty());
    for (const char* command : {"rounds", "next"})
        QCOMPARE(jon({command, "--car", at("back")}).object(), jon({command, "--car", at("jons")}).object());
    QCOMPARE(jon({"recording", "list", "--car", at("back")}).object(),
             jon({"recording", "list", "--car", at("jons")}).object());
    // Sealed it stays, wherever it is unpacked.
    QCOMPARE(refusalOf(jon({"propose", "all", "--car", at("back"), "--round", "1"})), "not-allowed");
}

QTEST_GUILESS_MAIN(AfarCtlTest)
#include "AfarCtlTest.moc"
