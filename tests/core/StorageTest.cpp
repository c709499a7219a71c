// The door to files: safe save, growing files, and what a failing disk leaves behind.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>

#include "Expect.h"
#include "core/storage/FileSystem.h"

using namespace brusk;
using namespace brusk::storage;

class StorageTest : public QObject {
    Q_OBJECT
  private slots:
    void savedBytesReadBack();
    void savingLeavesNoTemporaryFileBehind();
    void savingIntoAMissingFolderSaysWhich();
    void creatingAnExistingFileIsRefused();
    void growingFileAppendsAndPatchesButNeverPatchesBeyondItsEnd();
    void aFileAboveTheLimitIsRefusedBeforeItIsRead();
    void aFolderIsNotAFile();
    void atEveryFailureOfASaveEitherTheOldOrTheNewBytesAreThere();
    void powerLossKeepsOnlyWhatWasSynced();
    void readOnlyFilesAreNotReplaced();
};

void StorageTest::savedBytesReadBack() {
    QTemporaryDir folder;
    RealFileSystem files;
    const Path path = folder.filePath("a.bin").toStdString();
    EXPECT_OK(files.save(path, Bytes{1, 2, 3}));
    EXPECT_OK(files.save(path, Bytes{4, 5}));
    QCOMPARE(*files.read(path), (Bytes{4, 5}));
}

void StorageTest::savingLeavesNoTemporaryFileBehind() {
    QTemporaryDir folder;
    RealFileSystem files;
    EXPECT_OK(files.save(folder.filePath("a.bin").toStdString(), Bytes(1000, 7)));
    QCOMPARE(QDir(folder.path()).entryList(QDir::Files), QStringList{"a.bin"});
}

void StorageTest::savingIntoAMissingFolderSaysWhich() {
    RealFileSystem files;
    EXPECT_FAILS(files.save("/nowhere/at/all/a.bin", Bytes{1}), "/nowhere/at/all/a.bin");
    EXPECT_FAILS(files.read("/nowhere/at/all/a.bin"), "No such file");
}

void StorageTest::creatingAnExistingFileIsRefused() {
    QTemporaryDir folder;
    RealFileSystem files;
    const Path path = folder.filePath("a.bin").toStdString();
    EXPECT_OK(files.create(path));
    const auto again = files.create(path);
    QVERIFY(!again && again.error().code == ErrorCode::Conflict);
}

void StorageTest::growingFileAppendsAndPatchesButNeverPatchesBeyondItsEnd() {
    QTemporaryDir folder;
    RealFileSystem files;
    const Path path = folder.filePath("a.bin").toStdString();
    {
        auto file = files.create(path);
        EXPECT_OK(file);
        EXPECT_OK((*file)->append(Bytes{1, 2, 3, 4}));
        EXPECT_OK((*file)->patch(1, Bytes{9, 9}));
        EXPECT_FAILS((*file)->patch(3, Bytes{9, 9}), "beyond the end");
        EXPECT_OK((*file)->append(Bytes{5}));
        EXPECT_OK((*file)->sync());
        QCOMPARE((*file)->size(), uint64_t{5});
    }
    QCOMPARE(*files.read(path), (Bytes{1, 9, 9, 4, 5}));
}

void StorageTest::aFileAboveTheLimitIsRefusedBeforeItIsRead() {
    QTemporaryDir folder;
    RealFileSystem files;
    const Path path = folder.filePath("a.bin").toStdString();
    EXPECT_OK(files.save(path, Bytes(100)));
    EXPECT_FAILS(files.read(path, 99), "100 bytes; at most 99");
}

void StorageTest::aFolderIsNotAFile() {
    QTemporaryDir folder;
    RealFileSystem files;
    EXPECT_FAILS(files.read(folder.path().toStdString()), "is not a file");
}

void StorageTest::atEveryFailureOfASaveEitherTheOldOrTheNewBytesAreThere() {
    for (int n = 1;; ++n) {
        MemoryFileSystem files;
        EXPECT_OK(files.save("/car/a", Bytes{1}));
        files.failAt(n, false);
        const auto saved = files.save("/car/a", Bytes{2});
        files.losePower();
        const Bytes found = *files.read("/car/a");
        QVERIFY(found == Bytes{1} || found == Bytes{2});
        QCOMPARE(found == Bytes{2}, saved.has_value());
        if (saved) {
            QVERIFY(n > 1);  // the sweep met the fault at least once
            break;
        }
    }
}

void StorageTest::powerLossKeepsOnlyWhatWasSynced() {
    MemoryFileSystem files;
    auto file = files.create("/car/a");
    EXPECT_OK((*file)->append(Bytes{1, 2}));
    EXPECT_OK((*file)->sync());
    EXPECT_OK((*file)->append(Bytes{3}));
    files.losePower();
    QCOMPARE(*files.read("/car/a"), (Bytes{1, 2}));
}

void StorageTest::readOnlyFilesAreNotReplaced() {
    MemoryFileSystem files;
    EXPECT_OK(files.save("/car/original.hex", Bytes{1}));
    EXPECT_OK(files.makeReadOnly("/car/original.hex"));
    EXPECT_FAILS(files.save("/car/original.hex", Bytes{2}), "read-only");
    QTemporaryDir folder;
    RealFileSystem real;
    const Path path = folder.filePath("original.hex").toStdString();
    EXPECT_OK(real.save(path, Bytes{1}));
    EXPECT_OK(real.makeReadOnly(path));
    QVERIFY(!(QFile::permissions(qs(path.string())) & QFile::WriteOwner));
}

QTEST_APPLESS_MAIN(StorageTest)
#include "StorageTest.moc"
