// What comes back from far away: what was driven, what the car says of itself, what is in it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/job/Deliver.h"
#include "core/job/TroubleCodes.h"

namespace brusk::job {

/// Trouble codes as a parcel tells them, a line each.
std::vector<std::string> codeLines(const std::vector<TroubleCodeReport>& codes);

struct ParcelOptions {
    std::vector<deliver::Card> to;
    std::string note;
    /// The recordings that go into it, by id; empty: all of them.
    std::vector<int64_t> recordings;
    bool withOriginal = true;        ///< the first read too, so that its receiver can begin
    std::vector<std::string> codes;  ///< trouble codes as they were read, a line each
};
/// Seals what was driven to `to`: recordings with their conditions, identity, the SHA-256 of what is in the car,
/// trouble codes, and the original where it may be seen. A recording that can't be read is left out and named in
/// `leftOut`.
[[nodiscard]] Result<Bytes> makeParcel(const Kit& kit, const carfolder::CarFolder& folder, const deliver::Key& key,
                                       const ParcelOptions& options, std::vector<std::string>& leftOut);

/// A parcel as it was opened, before anything of it was taken.
struct Parcel {
    struct Drive {
        std::string file;
        carfolder::Conditions conditions;
        Bytes bytes;
    };
    deliver::EnvelopeHead head;
    std::string note;
    std::map<std::string, std::string> identity;  ///< as the controller said it
    std::string imageSha256;                      ///< of what is in the car; empty: not known
    std::vector<std::string> codes;
    std::vector<Drive> drives;
    std::optional<image::Image> original;
    std::vector<std::string> damaged;  ///< what its sender's Brusk could not pack whole
};
[[nodiscard]] Result<Parcel> openParcel(ByteSpan file, const deliver::Key& key, const deliver::Home& home);

struct TakenParcel {
    struct Drive {
        carfolder::RecordingEntry entry;
        std::optional<int> round;  ///< its number; none: bound to no round, kept all the same
    };
    std::vector<Drive> drives;
    std::vector<std::string> there;  ///< recordings the folder had already
    bool original = false;           ///< the folder had none, and took it
    std::optional<int> inCar;        ///< the round that the far car holds
    std::vector<std::string> news;   ///< a sentence each, for the user
};
/// Takes it into the folder of the same car: refused as "other-vin" or "other-serial". Each recording is bound to the
/// round whose bytes were in the car when it was driven.
[[nodiscard]] Result<TakenParcel> takeParcel(const Kit& kit, carfolder::CarFolder& folder, const Parcel& parcel);

}  // namespace brusk::job
