// Checksums sector by sector against the rounds of the ledger; what fits none is read.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Stock.h"

#include <algorithm>

#include "core/base/Say.h"
#include "core/base/Text.h"

namespace brusk::job {
namespace {

/// What the ledger's rounds have at a sector, unpacked once a round.
class Candidates {
  public:
    explicit Candidates(const carfolder::CarFolder& folder) {
        const auto rounds = folder.rounds().all();
        if (!rounds) return;  // nothing to compare with: what is in the car stays not known
        for (const auto& round : *rounds)
            if (auto image = folder.rounds().image(round.id)) images_.push_back(*image);
    }
    /// The newest content of the sector that has this CRC-32.
    std::optional<ByteSpan> with(const image::Sector& sector, uint32_t sum) const {
        for (const auto& image : images_) {
            const auto bytes = image->bytes(sector.start, sector.length);
            if (bytes && image::crc32(*bytes) == sum) return *bytes;
        }
        return std::nullopt;
    }

  private:
    std::vector<std::shared_ptr<const image::Image>> images_;
};

}  // namespace

Result<Stock> takeStock(link::Uds& uds, const Kit& kit, carfolder::CarFolder& folder, StockScope scope) {
    Stock out;
    const auto hashes = folder.memory().sectorHashes();
    if (!hashes) return tl::unexpected(hashes.error());
    const auto& before = *hashes;
    const Candidates candidates(folder);
    if (auto done = link::openForTransfer(uds, false); !done) return tl::unexpected(done.error());
    for (const image::Sector& sector : kit.profile.sectors()) {
        const auto known = before.find(sector.start);
        const bool sure = known != before.end() && !known->second.empty();
        if (scope == StockScope::Unknown && (sure || known == before.end())) continue;
        ++out.looked;
        std::optional<ByteSpan> found;
        // An answer that fits nothing is heard twice before it is believed.
        std::optional<uint32_t> heard;
        for (bool sureOfSum = false; !found && !sureOfSum;) {
            const auto sum = uds.checksum(sector.start, sector.length);
            if (!sum) return failBecause("The controller could not be asked what it holds.", sum.error());
            found = candidates.with(sector, *sum);
            sureOfSum = heard == *sum;
            heard = *sum;
        }
        // What the ledger is sure of was read back when it was written; its checksum is enough.
        if (found && sure && sha256Hex(*found) == known->second) continue;
        if (found) {
            const auto held = link::readStretch(uds, sector.start, sector.length);
            if (!held) return failBecause("The controller could not be asked what it holds.", held.error());
            if (!std::equal(held->begin(), held->end(), found->begin(), found->end())) found.reset();
        }
        if (sure) ++out.changed;
        if (!sure && found) ++out.settled;
        if (!sure && !found) continue;
        if (auto done = folder.memory().found(sector, found); !done) return tl::unexpected(done.error());
    }
    // The controller is left as it was found; it would fall back by itself.
    (void)uds.startSession(0x01);
    if (out.changed)
        out.sentence = say("stock.changed", "{0} {1} something else than the ledger said.",
                           {std::to_string(out.changed), out.changed == 1 ? "sector holds" : "sectors hold"});
    else if (out.settled)
        out.sentence = out.settled == 1 ? say("stock.settled-one", "1 sector was looked at and is known again.")
                                        : say("stock.settled", "{0} sectors were looked at and are known again.",
                                              {std::to_string(out.settled)});
    else
        out.sentence = say("stock.as-said", "The car holds what the ledger says.");
    return out;
}

}  // namespace brusk::job
