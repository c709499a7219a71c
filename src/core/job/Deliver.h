// Handing a round to somebody, and taking one that was handed to us.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>

#include "core/deliver/Sealed.h"
#include "core/job/Garage.h"
#include "core/job/Rounds.h"

namespace brusk::job {

struct SealOptions {
    std::vector<deliver::Person> to;
    deliver::Binding car;
    bool writeAllOnce = false;
    bool allowOlder = false;
    bool wayBack = true;
    std::string note = {};
};
/// What the folder says of its car: what a seal is bound to when nothing else is wanted. Empty parts are not known.
[[nodiscard]] Result<deliver::Binding> carOf(const carfolder::CarFolder& folder);

/// Puts the bytes of a file where somebody wants them.
using SaveFile = std::function<Done(ByteSpan file)>;
/// Seals a round of the folder: checksums mended, numbered after the one sealed before. When `save` has it, the ledger
/// says that the round was given out, to whom and when; a draft is none any more. Refused ("not-allowed") for a round
/// that came sealed itself.
[[nodiscard]] Done sealRound(const Kit& kit, carfolder::CarFolder& folder, int64_t round, const deliver::Key& key,
                             const SealOptions& options, const SaveFile& save);

/// From here on the folder's sealed rounds can be flashed: the key opens them when the controller is given their bytes.
/// What the seal allows is taken from the sealed file; a ledger that says otherwise is refused as "altered".
void useKey(carfolder::CarFolder& folder, const deliver::Key& key, const deliver::Home& home);

/// Whether this folder may take it: refused as "other-vin", "other-serial", "other-software" or "older"; Conflict when
/// it is there already.
[[nodiscard]] Done mayTake(const carfolder::CarFolder& folder, const deliver::SealedCalibration& sealed);
/// Takes it as a new round: open when everything may be done with it, else as it came. `file` is what `sealed` was
/// opened from.
[[nodiscard]] Result<carfolder::Round> takeSealed(const Kit& kit, carfolder::CarFolder& folder,
                                                  const deliver::SealedCalibration& sealed, const Bytes& file);

/// A round as a file for people without Brusk, by the ending of its name: "hex", "s19", "bin" its image, "a2l" the
/// definition as it was edited, "txt" what differs from the original, a line for each parameter.
/// With a name, the ledger says to whom it was given once `save` has it.
[[nodiscard]] Done exportRound(const Kit& kit, carfolder::CarFolder& folder, int64_t round, const std::string& ending,
                               const std::string& givenTo, const SaveFile& save);

/// Whether bytes that nobody may see can go over this folder's link: one of its rounds came sealed.
bool holdsSealed(const carfolder::CarFolder& folder);

/// What may be done with a round: everything with one's own.
[[nodiscard]] Result<std::optional<deliver::Rights>> rightsOf(const carfolder::Round& round);
/// Refused ("not-allowed") when the seal of the round does not allow it; the sentence says what was asked.
[[nodiscard]] Done mayBeDone(const carfolder::Round& round, deliver::May what);

}  // namespace brusk::job
