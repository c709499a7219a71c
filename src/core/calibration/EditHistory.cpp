// Undo is the inverse edit; the list is cut where somebody goes on from the middle.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration/Calibration.h"

namespace brusk::calibration {

Edit editBetween(const image::Image& before, const image::Image& after, std::string name) {
    constexpr size_t kJoin = 8;  // runs closer than this become one
    constexpr size_t kBlock = 64;
    Edit edit;
    edit.name = std::move(name);
    for (const image::Segment& segment : after.segments()) {
        const auto old = before.bytes(segment.start, static_cast<uint32_t>(segment.bytes.size()));
        if (!old) continue;
        const Bytes& now = segment.bytes;
        for (size_t i = 0; i < now.size();) {
            // Most of an image is the same: whole blocks are passed over at once.
            if (i + kBlock <= now.size() && std::memcmp(&(*old)[i], &now[i], kBlock) == 0) {
                i += kBlock;
                continue;
            }
            if ((*old)[i] == now[i]) {
                ++i;
                continue;
            }
            size_t end = i + 1;
            for (size_t k = end; k < now.size() && k < end + kJoin; ++k)
                if ((*old)[k] != now[k]) end = k + 1;
            const auto at = [](ByteSpan bytes, size_t k) { return bytes.begin() + static_cast<long>(k); };
            edit.changes.push_back({static_cast<uint32_t>(segment.start + i), Bytes(at(*old, i), at(*old, end)),
                                    Bytes(at(now, i), at(now, end))});
            i = end;
        }
    }
    return edit;
}

Done EditHistory::bringTo(image::Image& image) const {
    // Back to before the first, newest first; then forward again.
    const auto back = [&](const Edit& edit) -> Done {
        for (auto change = edit.changes.rbegin(); change != edit.changes.rend(); ++change)
            if (auto done = image.overwrite(change->address, change->before); !done) return done;
        return {};
    };
    for (const Edit& edit : undone_)
        if (auto done = back(edit); !done) return done;
    for (auto edit = done_.rbegin(); edit != done_.rend(); ++edit)
        if (auto done = back(*edit); !done) return done;
    for (const Edit& edit : done_)
        for (const ByteChange& change : edit.changes)
            if (auto done = image.overwrite(change.address, change.after); !done) return done;
    return {};
}

Done EditHistory::make(Calibration& calibration, Edit edit) {
    if (edit.empty()) return {};
    if (auto done = calibration.apply(edit); !done) return done;
    done_.push_back(std::move(edit));
    undone_.clear();
    return {};
}

Result<std::string> EditHistory::undo(Calibration& calibration) {
    if (done_.empty()) return fail(ErrorCode::NotFound, "There is nothing to undo.");
    if (auto done = calibration.revert(done_.back()); !done) return tl::unexpected(done.error());
    undone_.push_back(std::move(done_.back()));
    done_.pop_back();
    return undone_.back().name;
}

Result<std::string> EditHistory::redo(Calibration& calibration) {
    if (undone_.empty()) return fail(ErrorCode::NotFound, "There is nothing to redo.");
    if (auto done = calibration.apply(undone_.back()); !done) return tl::unexpected(done.error());
    done_.push_back(std::move(undone_.back()));
    undone_.pop_back();
    return done_.back().name;
}

void EditHistory::clear() {
    done_.clear();
    undone_.clear();
}

}  // namespace brusk::calibration
