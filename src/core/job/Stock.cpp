// Checksums sector by sector against the rounds of the ledger; what fits none is read.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/Stock.h"

#include <algorithm>
#include <set>

#include "core/base/Say.h"
#include "core/base/Text.h"

namespace brusk::job {
namespace {

/// What the ledger's rounds have at a sector, unpacked once a round; of sealed ones without their key, the SHA-256.
class Candidates {
  public:
    explicit Candidates(const carfolder::CarFolder& folder) {
        const auto rounds = folder.rounds().all();
        if (!rounds) return;  // nothing to compare with: what is in the car stays not known
        for (const auto& round : *rounds)
            if (auto image = folder.rounds().imageForCar(round.id))
                images_.push_back(*image);
            else if (const auto parts = folder.rounds().areas(round.id); parts && round.sealed)
                sealed_.insert(parts->begin(), parts->end());
    }
    /// Whether a sealed round that can't be opened here has these bytes at the sector.
    bool sealedHas(const image::Sector& sector, const std::string& sha) const {
        return sealed_.contains({carfolder::sectorName(sector), sha});
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
    std::set<std::pair<std::string, std::string>> sealed_;
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
            const auto read = link::readStretch(uds, sector.start, sector.length);
            if (!read) return failBecause("The controller could not be asked what it holds.", read.error());
            if (!std::equal(read->begin(), read->end(), found->begin(), found->end())) found.reset();
        }
        Bytes held;
        if (!found) {
            // What fits no round that can be opened may still be what the ledger says, by its SHA-256.
            auto read = link::readStretch(uds, sector.start, sector.length);
            if (!read) return failBecause("The controller could not be asked what it holds.", read.error());
            held = std::move(*read);
            const std::string sha = sha256Hex(held);
            if (sure && sha == known->second) continue;
            if (candidates.sealedHas(sector, sha)) found = ByteSpan(held);
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
