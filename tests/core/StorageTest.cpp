// The door to files: safe save, growing files, and what a failing disk leaves behind.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>

#include <sys/stat.h>
#include <unistd.h>

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
    void aFileChangedBehindOurBackIsNotReplaced();
    void aSaveThatFailsLeavesNothingBehind();
    void whatAFailedAppendLeftIsWrittenOver();
    void aFullDiskTakesWhatFitsAndMoreWhenThereIsRoomAgain();
    void foldersAreListedAndFilesBelowThemFound();
    void movingReplacesNothing();
    void aLockKeepsOthersOutAndGoesWithItsHolder();
    void aPipeIsNoFile();
    void aMappedFileIsReadWhenItIsLookedAt();
    void aMappedFileThatIsCutShortReadsAsZeros();
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
    EXPECT_FAILS(real.save(path, Bytes{2}), "read-only");
    QCOMPARE(*real.read(path), Bytes{1});
}

void StorageTest::aFileChangedBehindOurBackIsNotReplaced() {
    QTemporaryDir folder;
    RealFileSystem real;
    MemoryFileSystem memory;
    for (FileSystem* files : {static_cast<FileSystem*>(&real), static_cast<FileSystem*>(&memory)}) {
        const Path path = folder.filePath("parts.json").toStdString();
        const Stamp none = files->stamp(path);
        EXPECT_OK(files->save(path, Bytes{1}, none));
        EXPECT_FAILS(files->save(path, Bytes{2}, none), "was changed by another program");
        const Stamp seen = files->stamp(path);
        EXPECT_OK(files->save(path, Bytes{3, 3}, seen));
        EXPECT_FAILS(files->save(path, Bytes{4}, seen), "was changed by another program");
        QCOMPARE(*files->read(path), (Bytes{3, 3}));
        const Stamp last = files->stamp(path);
        EXPECT_OK(files->remove(path));
        EXPECT_FAILS(files->save(path, Bytes{5}, last), "was removed");
    }
}

void StorageTest::aSaveThatFailsLeavesNothingBehind() {
    QTemporaryDir folder;
    RealFileSystem files;
    EXPECT_OK(files.makeFolder(folder.filePath("taken").toStdString()));
    EXPECT_FAILS(files.save(folder.filePath("taken").toStdString(), Bytes{1}), "is not a file");
    EXPECT_FAILS(files.save(folder.filePath("no/such/a.bin").toStdString(), Bytes{1}), "No such file");
    // A leaving of a program that died while it saved is no hindrance.
    EXPECT_OK(files.save(folder.filePath("a.bin.saving").toStdString(), Bytes(100, 9)));
    EXPECT_OK(files.save(folder.filePath("a.bin").toStdString(), Bytes{1}));
    QCOMPARE(QDir(folder.path()).entryList(QDir::Files), QStringList{"a.bin"});
}

void StorageTest::whatAFailedAppendLeftIsWrittenOver() {
    MemoryFileSystem files;
    auto file = files.create("/car/a");
    EXPECT_OK((*file)->append(Bytes{1, 2, 3, 4}));
    files.failAt(1, false);
    EXPECT_FAILS((*file)->append(Bytes{5, 6, 7, 8}), "the disk is full");
    QCOMPARE(*files.read("/car/a"), (Bytes{1, 2, 3, 4, 5, 6}));  // half of it came through
    QCOMPARE((*file)->size(), uint64_t{4});
    EXPECT_OK((*file)->append(Bytes{9}));
    QCOMPARE((*files.read("/car/a"))[4], uint8_t{9});
    EXPECT_FAILS((*file)->patch(5, Bytes{1}), "beyond the end");
}

void StorageTest::aFullDiskTakesWhatFitsAndMoreWhenThereIsRoomAgain() {
    MemoryFileSystem files;
    auto file = files.create("/car/a");
    files.setRoom(6);
    EXPECT_OK((*file)->append(Bytes{1, 2, 3, 4}));
    EXPECT_FAILS((*file)->append(Bytes{5, 6, 7, 8}), "the disk is full");
    QCOMPARE(files.read("/car/a")->size(), size_t{6});
    files.setRoom(100);
    EXPECT_OK((*file)->append(Bytes{5, 6, 7, 8}));
    QCOMPARE(*files.read("/car/a"), (Bytes{1, 2, 3, 4, 5, 6, 7, 8}));
}

void StorageTest::foldersAreListedAndFilesBelowThemFound() {
    QTemporaryDir folder;
    RealFileSystem real;
    MemoryFileSystem memory;
    const Path top = folder.path().toStdString();
    for (FileSystem* files : {static_cast<FileSystem*>(&real), static_cast<FileSystem*>(&memory)}) {
        EXPECT_OK(files->makeFolder(top / "b"));
        EXPECT_OK(files->save(top / "b" / "two", Bytes{1, 2}));
        EXPECT_OK(files->save(top / "one", Bytes{1}));
        const auto held = files->list(top);
        EXPECT_OK(held);
        QVERIFY(held->size() == 2 && (*held)[0].isFolder && (*held)[1].path == top / "one" && (*held)[1].size == 1);
        QCOMPARE(files->filesBelow(top).size(), size_t{2});
        EXPECT_FAILS(files->list(top / "nowhere"), "nowhere");
        QCOMPARE(files->freeName(top, "one", ""), top / "one-2");
        EXPECT_OK(files->removeFolder(top / "b"));
        QVERIFY(!files->exists(top / "b" / "two") && files->exists(top / "one"));
    }
}

void StorageTest::movingReplacesNothing() {
    QTemporaryDir folder;
    RealFileSystem files;
    const Path a = folder.filePath("a").toStdString(), b = folder.filePath("b").toStdString();
    EXPECT_OK(files.save(a, Bytes{1}));
    EXPECT_OK(files.save(b, Bytes{2}));
    const auto refused = files.move(a, b);
    QVERIFY(!refused && refused.error().code == ErrorCode::Conflict);
    QVERIFY(*files.read(a) == Bytes{1} && *files.read(b) == Bytes{2});
    EXPECT_OK(files.remove(b));
    EXPECT_OK(files.move(a, b));
    QVERIFY(!files.exists(a) && *files.read(b) == Bytes{1});
}

void StorageTest::aLockKeepsOthersOutAndGoesWithItsHolder() {
    QTemporaryDir folder;
    RealFileSystem real;
    MemoryFileSystem memory;
    for (FileSystem* files : {static_cast<FileSystem*>(&real), static_cast<FileSystem*>(&memory)}) {
        const Path path = folder.filePath("car.lock").toStdString();
        auto first = files->lock(path, "the first");
        QVERIFY(first && first->lock);
        const auto second = files->lock(path, "the second");
        QVERIFY(second && !second->lock && second->locksAreThere);
        QCOMPARE(second->holder, std::string("the first"));
        first->lock.reset();
        QVERIFY(files->lock(path, "the third")->lock);
    }
}

void StorageTest::aPipeIsNoFile() {
    QTemporaryDir folder;
    RealFileSystem files;
    const Path path = folder.filePath("pipe").toStdString();
    QCOMPARE(::mkfifo(path.c_str(), 0600), 0);
    EXPECT_FAILS(files.read(path), "is not a file");
    EXPECT_FAILS(files.save(path, Bytes{1}), "is not a file");
    QVERIFY(files.exists(path) && !files.isFile(path));
}

void StorageTest::aMappedFileIsReadWhenItIsLookedAt() {
    QTemporaryDir folder;
    RealFileSystem files;
    const Path path = folder.filePath("a.bin").toStdString();
    Bytes bytes(100000);
    for (size_t i = 0; i < bytes.size(); ++i)
        bytes[i] = static_cast<uint8_t>(i * 7);
    EXPECT_OK(files.save(path, bytes));
    const auto mapped = files.map(path);
    EXPECT_OK(mapped);
    // It stays what it was, though another file takes its name.
    EXPECT_OK(files.save(path, Bytes{1}));
    QVERIFY(std::equal(bytes.begin(), bytes.end(), (*mapped)->bytes().begin(), (*mapped)->bytes().end()));
    QVERIFY(!(*mapped)->broken());
    EXPECT_OK(files.save(path, Bytes{}));
    QVERIFY((*files.map(path))->bytes().empty());
    EXPECT_FAILS(files.map(folder.path().toStdString()), "is not a file");
    EXPECT_FAILS(files.map("/nowhere/at/all"), "No such file");
    MemoryFileSystem memory;
    EXPECT_OK(memory.save("/a", Bytes{1, 2}));
    QCOMPARE((*memory.map("/a"))->bytes().size(), size_t{2});
}

void StorageTest::aMappedFileThatIsCutShortReadsAsZeros() {
    QTemporaryDir folder;
    RealFileSystem files;
    const Path path = folder.filePath("a.bin").toStdString();
    const size_t size = 1 << 20;
    EXPECT_OK(files.save(path, Bytes(size, 9)));
    const auto mapped = *files.map(path), other = *files.map(path);
    QCOMPARE(mapped->bytes()[size / 2 - 1], uint8_t{9});
    // A stick that is pulled looks the same: the program that reads on must not die of it.
    QCOMPARE(::truncate(path.c_str(), size / 2), 0);
    QCOMPARE(mapped->bytes()[size - 1], uint8_t{0});
    QVERIFY(mapped->broken());
    QVERIFY(!other->broken());
    QCOMPARE(mapped->bytes()[0], uint8_t{9});
}

QTEST_APPLESS_MAIN(StorageTest)
#include "StorageTest.moc"
