// The ledger first, then every file below the folder; restored beside, then put in place.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Archive.h"

#include "core/base/Say.h"

namespace brusk::deliver {
namespace {

constexpr const char* kLedgerCopy = ".ledger";  // beside the archive while it is made
constexpr const char* kMaking = ".making";
constexpr const char* kOriginal = "original.hex";

Done write(const carfolder::CarFolder& folder, const storage::Path& making, storage::GrowingFile& out, Archived& done) {
    storage::FileSystem& files = folder.files();
    PieceWriter writer([&](ByteSpan bytes) { return out.append(bytes); });
    // Beside the archive: the folder itself may be one that is only looked at.
    storage::Path copy = making;
    copy += kLedgerCopy;
    if (auto removed = files.remove(copy); !removed) return removed;
    if (auto copied = folder.copyLedger(copy); !copied) return copied;
    const auto ledger = files.read(copy);
    if (auto removed = files.remove(copy); !removed) return removed;
    if (!ledger) return tl::unexpected(ledger.error());
    if (auto added = writer.add(carfolder::CarFolder::kLedger, *ledger); !added) return added;
    const auto names = folder.filesToKeep();
    if (!names) return tl::unexpected(names.error());
    done.pieces = 1;
    for (const std::string& name : *names) {
        // One file at a time: a folder of many drives is larger than memory.
        const auto bytes = files.read(folder.path() / name);
        if (!bytes) return tl::unexpected(bytes.error());
        if (auto added = writer.add(name, *bytes); !added) return added;
        ++done.pieces;
    }
    if (auto finished = writer.finish(); !finished) return finished;
    return out.sync();
}

}  // namespace

Result<Archived> archive(const carfolder::CarFolder& folder, const storage::Path& to) {
    storage::FileSystem& files = folder.files();
    if (files.exists(to))
        return fail(ErrorCode::Conflict,
                    say("archive.stands", "{0} is there already; nothing was written.", {to.string()}));
    storage::Path making = to;
    making += kMaking;
    if (auto done = files.remove(making); !done) return tl::unexpected(done.error());
    auto out = files.create(making);
    if (!out) return tl::unexpected(out.error());
    Archived done;
    auto written = write(folder, making, **out, done);
    done.bytes = (*out)->size();
    out->reset();
    if (written) written = files.move(making, to);
    if (written) return done;
    (void)files.remove(making);
    return tl::unexpected(written.error());
}

Result<Restored> restore(storage::FileSystem& files, const storage::Path& from, const storage::Path& to) {
    if (files.exists(to))
        return fail(ErrorCode::Conflict,
                    say("archive.folder-stands", "{0} is there already; nothing was written.", {to.string()}));
    const auto bytes = files.read(from);
    if (!bytes) return tl::unexpected(bytes.error());
    storage::Path making = to;
    making += kMaking;
    if (files.exists(making))
        if (auto done = files.removeFolder(making); !done) return tl::unexpected(done.error());
    if (auto done = files.makeFolder(making); !done) return tl::unexpected(done.error());
    Restored out;
    bool ledger = false;
    const auto unpacked = unpack(*bytes, [&](Piece&& piece) -> Done {
        const storage::Path file = making / piece.name;
        if (auto done = files.makeFolder(file.parent_path()); !done) return done;
        if (auto done = files.save(file, piece.bytes); !done) return done;
        if (piece.name == kOriginal)
            if (auto done = files.makeReadOnly(file); !done) return done;
        ledger |= piece.name == carfolder::CarFolder::kLedger;
        ++out.pieces;
        return {};
    });
    Done done = unpacked ? Done() : Done(tl::unexpected(unpacked.error().in(from.string())));
    if (done && !ledger)
        done =
            fail(ErrorCode::BadInput, say("archive.no-ledger",
                                          "The ledger in {0} is damaged, or it is no archive of a car folder; nothing "
                                          "was written.",
                                          {from.string()}));
    for (const char* below : {"recordings", "exports"})
        if (done) done = files.makeFolder(making / below);
    if (done) done = files.move(making, to);
    if (!done) {
        (void)files.removeFolder(making);
        return tl::unexpected(done.error());
    }
    out.lost = unpacked->damaged;
    out.listed = unpacked->listed;
    return out;
}

}  // namespace brusk::deliver
