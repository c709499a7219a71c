// Tuning from afar through two windows, by mouse and keys: cards exchanged, a round sealed, taken at the other end,
// flashed, driven, and the drives sent back to the round they belong to.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QPushButton>

#include "Expect.h"
#include "Story.h"
#include "core/job/Deliver.h"

using namespace brusk;
using namespace brusk::app;

namespace {

/// Somebody's window on Deliver, with a key made by hand.
void makeKey(Story& who, const char* name, const char* passphrase = "") {
    who.goTo("Deliver");
    QTest::keyClicks(who.find<QLineEdit>("keyName"), name);
    QTest::keyClicks(who.find<QLineEdit>("passphrase"), passphrase);
    QVERIFY(who.click("makeKey"));
    QTRY_VERIFY_WITH_TIMEOUT(who.find<QLabel>("whoAmI"), 20000);
    QCOMPARE(who.find<QLabel>("whoAmI")->text(), name);
}

void pasteCard(Story& from, Story& to) {
    QVERIFY(from.click("copyCard"));
    QVERIFY(QApplication::clipboard()->text().startsWith("Brusk card 1"));
    QVERIFY(to.click("pasteCard"));
}

/// The file that was written last, as the station says.
QString writtenBy(Story& who) {
    const auto* text = who.find<QLabel>("exported");
    return text && text->text().startsWith("Wrote ") ? text->text().mid(6) : QString();
}

void drop(Story& who, const QString& path) {
    auto* station = who.window().station("Deliver");
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(path)});
    QDragEnterEvent enter(QPoint(50, 50), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(station, &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent event(QPointF(50, 50), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(station, &event);
}

}  // namespace

class AfarStoryTest : public QObject {
    Q_OBJECT
  private slots:
    void aRemoteJobGoesThereAndBack();
    void aKeyWithAPassphraseIsOpenedOnce();
    void aCardWithAnotherKeyIsSaidLoudly();
    void aRoundToLookAtIsShownAndNotKept();
    void whatCannotBeTakenSaysWhy();
};

void AfarStoryTest::aRemoteJobGoesThereAndBack() {
    Story mara, jon;
    QVERIFY(mara.begin());
    QVERIFY(mara.makeBase());
    QVERIFY(jon.begin());
    makeKey(mara, "Mara Ost");
    makeKey(jon, "Jon Vale");
    pasteCard(mara, jon);
    pasteCard(jon, mara);
    QTRY_VERIFY(mara.find<QLabel>("trusted"));
    QCOMPARE(mara.find<QLabel>("trusted")->text(), "Jon Vale");
    // Ticks and words, then the filled button.
    auto* primary = mara.find<QPushButton>("deliverPrimary");
    QCOMPARE(primary->text(), "Export as Intel HEX");
    QTRY_VERIFY(mara.find<QCheckBox>("may_0_flash"));
    QTest::mouseClick(mara.find<QCheckBox>("may_0_flash"), Qt::LeftButton, {}, QPoint(6, 8));
    QTest::mouseClick(mara.find<QCheckBox>("may_0_record"), Qt::LeftButton, {}, QPoint(6, 8));
    QTest::keyClicks(mara.find<QLineEdit>("sealNote"), "Gently at first.");
    QTRY_COMPARE(primary->text(), "Seal round 1");
    QTest::mouseClick(primary, Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(writtenBy(mara).endsWith("round1-for-Jon Vale.sealed"), 20000);
    const QString sealed = writtenBy(mara);
    QCOMPARE(mara.selected()->state, carfolder::RoundState::GivenOut);
    // At the other end: a page, and nothing taken before it is wanted.
    QVERIFY(!jon.find<QFrame>("incoming"));
    drop(jon, sealed);
    QTRY_VERIFY_WITH_TIMEOUT(jon.find<QFrame>("incoming"), 20000);
    QCOMPARE(jon.rounds().size(), size_t{1});
    auto* take = jon.find<QPushButton>("deliverPrimary");
    QCOMPARE(take->text(), "Take it as round 1");
    QTest::mouseClick(take, Qt::LeftButton);
    QTRY_COMPARE(jon.rounds().size(), size_t{2});
    QVERIFY(jon.rounds().front().sealed && !jon.find<QFrame>("incoming"));
    QCOMPARE(jon.selected()->number, 1);
    QVERIFY(jon.selected()->note.find("Gently at first.") != std::string::npos);
    // Nowhere are its values.
    QVERIFY(!jon.calibration());
    QVERIFY(!jon.find<QPushButton>("export_hex"));
    for (const char* station : {"Maps", "Base", "Correct"}) {
        jon.goTo(station);
        QVERIFY2(jon.find<QLabel>("sealedWhy"), station);
        QVERIFY(jon.find<QLabel>("sealedWhy")->text().startsWith("This round came sealed"));
        QVERIFY(!jon.find<QLineEdit>("finder") && !jon.find<MapGrid>("grid"));
    }
    // With the original selected they are there again.
    jon.select(jon.rounds().back().id);
    QVERIFY(!jon.find<QLabel>("sealedWhy") && jon.calibration());
    jon.select(jon.rounds().front().id);
    QVERIFY(jon.find<QLabel>("sealedWhy"));
    QVERIFY(jon.click("sealedFlash"));
    QVERIFY(jon.flash());
    QVERIFY(jon.drive());
    QCOMPARE(jon.rounds().front().recordings, 1);
    // The drives go back, by the same buttons.
    jon.goTo("Deliver");
    QVERIFY(jon.click("makeParcel"));
    QTRY_VERIFY_WITH_TIMEOUT(writtenBy(jon).endsWith(".parcel"), 30000);
    drop(mara, writtenBy(jon));
    QTRY_VERIFY_WITH_TIMEOUT(mara.find<QFrame>("incoming"), 30000);
    QCOMPARE(primary->text(), "Take the drives");
    QTest::mouseClick(primary, Qt::LeftButton);
    QTRY_COMPARE(mara.rounds().front().recordings, 1);
    QVERIFY2(mara.message().startsWith("1 recording taken."), qPrintable(mara.message()));
    QVERIFY(mara.message().contains("The car holds round 1."));
    // They are worth another round, and that goes the same way.
    QVERIFY(mara.correct());
    QCOMPARE(mara.selected()->number, 2);
    mara.goTo("Deliver");
    QTRY_COMPARE(primary->text(), "Seal round 2");
    QTest::mouseClick(primary, Qt::LeftButton);
    QTRY_VERIFY_WITH_TIMEOUT(writtenBy(mara).endsWith("round2-for-Jon Vale.sealed"), 20000);
    drop(jon, writtenBy(mara));
    QTRY_VERIFY_WITH_TIMEOUT(jon.find<QFrame>("incoming"), 20000);
    QCOMPARE(jon.find<QPushButton>("deliverPrimary")->text(), "Take it as round 2");
    QVERIFY(jon.click("deliverPrimary"));
    QTRY_COMPARE(jon.rounds().size(), size_t{3});
    QVERIFY(jon.flash());
    QVERIFY(jon.drive());
}

void AfarStoryTest::aKeyWithAPassphraseIsOpenedOnce() {
    Story who;
    makeKey(who, "Mara Ost", "three apples");
    // As if the program had been closed: the key asks again.
    const QString home = who.home();
    who.desks().setHome(home.toStdString());
    QVERIFY(who.find<QPushButton>("makeKey")->text() == "Open my key");
    QTest::keyClicks(who.find<QLineEdit>("passphrase"), "two apples");
    QTest::keyClick(who.find<QLineEdit>("passphrase"), Qt::Key_Return);
    QTRY_VERIFY_WITH_TIMEOUT(who.message().startsWith("This is not the passphrase"), 20000);
    QTest::keyClicks(who.find<QLineEdit>("passphrase"), "three apples");
    QTest::keyClick(who.find<QLineEdit>("passphrase"), Qt::Key_Return);
    QTRY_VERIFY_WITH_TIMEOUT(!who.find<QPushButton>("makeKey"), 20000);
    // The card as a picture for a camera.
    QVERIFY(who.click("showQr"));
    QVERIFY(who.find<QLabel>("qr")->pixmap().width() > 150);
}

void AfarStoryTest::aCardWithAnotherKeyIsSaidLoudly() {
    Story jon;
    makeKey(jon, "Jon Vale");
    const auto mara = deliver::Key::make("Mara Ost"), impostor = deliver::Key::make("Mara Ost");
    for (const auto* key : {&mara, &impostor}) {
        QApplication::clipboard()->setText(qs((*key)->card().text()));
        QVERIFY(jon.click("pasteCard"));
    }
    QVERIFY(jon.find<QLabel>("changedCard")->text().contains(qs(impostor->card().fingerprint())));
    QVERIFY(jon.message().contains("is known here with another key"));
    QTRY_COMPARE(jon.window().findChildren<QLabel*>("trusted").size(), 1);
    // Whom somebody chose for a parcel stays chosen, whatever is drawn anew.
    QApplication::clipboard()->setText(qs(deliver::Key::make("Zoe Ash")->card().text()));
    QVERIFY(jon.click("pasteCard"));
    jon.find<QComboBox>("parcelTo")->setCurrentText("Zoe Ash");
    QApplication::clipboard()->setText(qs(impostor->card().text()));
    QVERIFY(jon.click("pasteCard"));
    QCOMPARE(jon.find<QComboBox>("parcelTo")->currentText(), "Zoe Ash");
    QVERIFY(jon.click("trustInstead"));
    QVERIFY(!jon.find<QLabel>("changedCard"));
    QApplication::clipboard()->setText("hello");
    QVERIFY(jon.click("pasteCard"));
    QVERIFY(jon.message().startsWith("This is no calling card"));
}

void AfarStoryTest::aRoundToLookAtIsShownAndNotKept() {
    Story jon;
    QVERIFY(jon.begin());
    makeKey(jon, "Jon Vale");
    QVERIFY(jon.click("copyCard"));
    const auto card = *deliver::Card::fromText(QApplication::clipboard()->text().toStdString());
    const auto mara = *deliver::Key::make("Mara Ost");
    QApplication::clipboard()->setText(qs(mara.card().text()));
    QVERIFY(jon.click("pasteCard"));
    image::Image image = **jon.folder().rounds().image(jon.rounds().front().id);
    const auto* revs = jon.calibration()->definition().parameter("rev_limit");
    calibration::Calibration changed(jon.calibration()->sharedDefinition(), image);
    EXPECT_OK(changed.apply(*changed.prepare(*revs, {{0, 6300}}, calibration::AtLimit::Refuse, "less")));
    deliver::Sealing sealing{"Stage 1", "", {}, {{card, {deliver::May::Look}}}};
    sealing.rights.number = 1;
    QTemporaryDir folder;
    storage::RealFileSystem files;
    const QString path = folder.filePath("look.sealed");
    EXPECT_OK(files.save(path.toStdString(), *deliver::seal(mara, changed.image(), sealing, "2026-11-28T12:00:00Z")));
    drop(jon, path);
    QTRY_VERIFY_WITH_TIMEOUT(jon.find<QFrame>("incoming"), 20000);
    QVERIFY(jon.click("deliverPrimary"));
    QTRY_COMPARE(jon.rounds().size(), size_t{2});
    // Its values are there to be seen ...
    QVERIFY(jon.calibration());
    QCOMPARE(jon.calibration()->read(*revs)->values[0], 6300.0);
    jon.goTo("Maps");
    auto* grid = jon.openParameter("volumetric");
    QVERIFY(grid && grid->isVisible());
    // ... and neither edited, copied, exported, computed with nor flashed.
    const auto before = **jon.folder().rounds().imageToShow(jon.selected()->id);
    typeInto(grid, "1.5");
    QTRY_VERIFY(jon.message().contains("it may be looked at, not changed or kept"));
    QCOMPARE(jon.rounds().size(), size_t{2});
    QVERIFY(**jon.folder().rounds().imageToShow(jon.selected()->id) == before);
    QApplication::clipboard()->setText("mine");
    QTest::keyClick(grid, Qt::Key_C, Qt::ControlModifier);
    QCOMPARE(QApplication::clipboard()->text(), "mine");
    QVERIFY(jon.message().contains("it may be looked at, not copied"));
    for (const char* station : {"Base", "Correct"}) {
        jon.goTo(station);
        QVERIFY2(jon.find<QLabel>("sealedWhy"), station);
    }
    jon.goTo("Deliver");
    QVERIFY(!jon.find<QPushButton>("export_hex"));
    jon.goTo("Flash");
    jon.settle();
    QTRY_VERIFY(!jon.find<QPushButton>("flash")->isEnabled());
}

void AfarStoryTest::whatCannotBeTakenSaysWhy() {
    Story jon;
    QVERIFY(jon.begin());
    makeKey(jon, "Jon Vale");
    QVERIFY(jon.click("copyCard"));
    const auto card = *deliver::Card::fromText(QApplication::clipboard()->text().toStdString());
    QTemporaryDir folder;
    storage::RealFileSystem files;
    const auto mara = *deliver::Key::make("Mara Ost");
    const auto image = *jon.folder().rounds().image(jon.rounds().front().id);
    const auto write = [&](const char* name, const deliver::Binding& car, auto change) {
        deliver::Sealing sealing{"Stage 1", "", {}, {{card, {deliver::May::Flash}}}};
        sealing.rights.car = car;
        sealing.rights.number = 1;
        Bytes file = *deliver::seal(mara, *image, sealing, "2026-11-28T12:00:00Z");
        change(file);
        const QString path = folder.filePath(name);
        if (!files.save(path.toStdString(), file)) qFatal("not written");
        return path;
    };
    const auto asIs = [](Bytes&) {};
    const auto refusal = [&] {
        const auto* text = jon.find<QLabel>("incomingRefusal");
        return text ? text->text() : QString();
    };
    // A stranger's; after comparing it is none, and the page opens.
    drop(jon, write("stranger.sealed", {}, asIs));
    QTRY_VERIFY(refusal().contains("whose card is not trusted here"));
    QVERIFY(jon.find<QPushButton>("deliverPrimary")->text() != "Take it as round 1");
    QVERIFY(jon.click("trustStranger"));
    QTRY_COMPARE(jon.find<QPushButton>("deliverPrimary")->text(), "Take it as round 1");
    QVERIFY(jon.click("putAside"));
    QVERIFY(!jon.find<QFrame>("incoming"));
    drop(jon, write("other.sealed", {"FMKHR16T0E2009999", "", ""}, asIs));
    QTRY_VERIFY(refusal().startsWith("This calibration was sealed for the car FMKHR16T0E2009999"));
    drop(jon, write("bent.sealed", {}, [](Bytes& file) { file[file.size() - 100] ^= 1; }));
    QTRY_VERIFY(refusal().startsWith("This sealed calibration was changed on its way"));
    drop(jon, write("short.sealed", {}, [](Bytes& file) { file.resize(file.size() - 1000); }));
    QTRY_VERIFY(refusal().startsWith("This sealed calibration is not whole"));
    QCOMPARE(jon.rounds().size(), size_t{1});
}

QTEST_MAIN(AfarStoryTest)
#include "AfarStoryTest.moc"
