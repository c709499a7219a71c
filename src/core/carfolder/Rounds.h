// The ledger's rounds with their images and edits.
//
// 1. Round 0, the original, is made once and never changes; the database itself sees to it.
// 2. Only a draft's bytes and edits change. A draft is fixed before its first sector is written, and when another round
//    is built on it; it is never a draft again.
// 3. A round says it was flashed only with the SHA-256 of the bytes that were flashed, and only when they are its own.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "core/calibration/Calibration.h"
#include "core/carfolder/Database.h"
#include "core/image/Sector.h"

namespace brusk::carfolder {

enum class RoundState {
    Original,  ///< round 0: nothing can change it
    Draft,     ///< its calibration may still be edited
    Fixed,     ///< it was flashed, or another round was built on it: edits begin a new round
    GivenOut   ///< handed to somebody as a file, not flashed by us
};
/// As `bruskctl rounds` names it.
const char* stateName(RoundState state);

struct Round {
    int64_t id = 0;
    int number = 0;
    std::optional<int64_t> parent;
    std::string title;
    std::string note;
    std::string createdAt;  ///< ISO 8601, UTC
    std::string flashedAt;  ///< empty: never
    std::string imageSha256;
    RoundState state = RoundState::Draft;
    std::optional<double> fuelError_pct;  ///< of the drives made on it
    int recordings = 0;
    std::string rights;       ///< of a calibration that came sealed (deliver::Rights); empty: it is our own
    bool sealed = false;      ///< its bytes lie encrypted: image() refuses them
    int64_t sheet = 0;        ///< version of the build sheet it was made on; 0: none was kept
    std::string reason = {};  ///< why it was made and what it promised (JSON); empty: not kept
    std::string came = {};    ///< what came of the promise (JSON); empty: not driven yet
};

/// A part of the controller's memory that has a SHA-256 of its own.
struct NamedArea {
    std::string name;  ///< "calibration", "application"
    uint32_t start = 0;
    uint32_t length = 0;
};

/// Names of sectors begin so.
inline constexpr const char* kSectorName = "sector ";
/// What a sector goes by among the named areas of a sealed image.
std::string sectorName(const image::Sector& sector);
/// SHA-256 of each named area that an image holds whole. Several stretches may go by one name, as in a memory that is
/// calibrated in two places.
std::map<std::string, std::string> areaShas(const image::Image& image, const std::vector<NamedArea>& areas);

class Rounds {
  public:
    Rounds(Database& database, storage::FileSystem& files, storage::Path folder)
        : database_(database), files_(files), folder_(std::move(folder)) {}

    [[nodiscard]] Result<std::vector<Round>> all() const;  ///< newest first
    [[nodiscard]] Result<Round> byId(int64_t id) const;
    [[nodiscard]] Result<Round> byNumber(int number) const;
    [[nodiscard]] Result<std::optional<Round>> original() const;
    /// The round whose image, or whose calibration area, has this SHA-256: of several the one that was flashed last.
    [[nodiscard]] Result<std::optional<Round>> ofImage(const std::string& sha256) const;
    /// What is shown, exported, compared and computed with. Refused ("not-allowed") when the round's bytes are sealed.
    [[nodiscard]] Result<std::shared_ptr<const image::Image>> image(int64_t round) const;

    /// A round that came sealed: its file is kept as it came. `shas` are those of its image and of its parts, by name.
    struct Sealed {
        std::string title;
        std::string note;
        std::string rights;
        Bytes file;
        std::string imageSha256;
        std::map<std::string, std::string> shas;
    };
    /// Of bytes that are there sealed already, the newer seal takes the older one's place in the same round.
    [[nodiscard]] Result<Round> addSealed(int64_t parent, const Sealed& sealed);
    /// The file as it came; NotFound for a round that is not sealed.
    [[nodiscard]] Result<Bytes> sealedFile(int64_t round) const;
    /// What is in a sealed file, and what its seal allows.
    struct Unsealed {
        image::Image image;
        std::string rights;
        bool mayBeSeen = false;
    };
    /// Who can open a sealed file: the key of whoever sits here.
    using Opener = std::function<Result<Unsealed>(ByteSpan sealedFile)>;
    void openSealedBy(Opener opener);
    /// The bytes for the controller, of a sealed round too; refused when the ledger's rights are not those of the seal.
    /// For the flash and what compares with the controller, which
    /// hand them to nobody (tests/house/HouseTest.cpp says who they are).
    [[nodiscard]] Result<std::shared_ptr<const image::Image>> imageForCar(int64_t round) const;
    /// The bytes to look at and not to keep: as image(), and of a sealed round too when its seal lets it be seen.
    [[nodiscard]] Result<std::shared_ptr<const image::Image>> imageToShow(int64_t round) const;

    /// Keeps the first read as round 0 and as a read-only original.hex; refused when there is one.
    [[nodiscard]] Result<Round> storeOriginal(const image::Image& image, const std::string& note);
    /// A new draft; `reason` (JSON) says why it was made and what it promises.
    [[nodiscard]] Result<Round> add(int64_t parent, const image::Image& image, const std::string& title,
                                    const std::string& note, const std::string& reason = {});
    /// A draft's new bytes; refused for any other state.
    [[nodiscard]] Done updateDraft(int64_t round, const image::Image& image);
    /// No edits from now on. Refused when the round's bytes are not those of `sha256`: somebody edited it meanwhile.
    [[nodiscard]] Done fix(int64_t round, const std::string& sha256);
    /// It is in the car. Refused when the round's bytes are not those of `sha256`.
    [[nodiscard]] Done markFlashed(int64_t round, const std::string& sha256);
    [[nodiscard]] Done rename(int64_t round, const std::string& title, const std::string& note);
    [[nodiscard]] Done setFuelError(int64_t round, double percent);
    [[nodiscard]] Done setRights(int64_t round, const std::string& rights);
    /// These bytes of it were handed to somebody as a file; a draft is none any more. Conflict when it has others by
    /// now. `how` goes into the journal ("sealed for Mara").
    [[nodiscard]] Done giveOut(int64_t round, const std::string& sha256, const std::string& how);
    /// Why it was made and what it promises (JSON), where that has grown since.
    [[nodiscard]] Done setReason(int64_t round, const std::string& reason);
    /// What came of the promise (JSON).
    [[nodiscard]] Done setCame(int64_t round, const std::string& came);

    /// An edit of a draft, as it happens; what was undone before it is forgotten. Refused for any other state.
    [[nodiscard]] Done addEdit(int64_t round, const calibration::Edit& edit);
    /// The newest edit that is done is undone, or the oldest undone one done again.
    [[nodiscard]] Done editUndone(int64_t round);
    [[nodiscard]] Done editRedone(int64_t round);
    /// All edits of a round, to be undone and redone as if the program had never been closed.
    [[nodiscard]] Result<calibration::EditHistory> edits(int64_t round) const;
    /// Brings the image of every draft to where its edits are: the program may have died between the two.
    [[nodiscard]] Done recoverDrafts();

    /// SHA-256 of each named area that a round's image holds whole, kept with the image.
    [[nodiscard]] Done nameAreas(int64_t round, const std::vector<NamedArea>& areas);
    /// By name; empty when they were never named.
    [[nodiscard]] Result<std::vector<std::pair<std::string, std::string>>> areas(int64_t round) const;

  private:
    /// The image's bytes as they lie in the database; `sealed` says whether they are a sealed file.
    Result<Bytes> stored(int64_t round, bool& sealed) const;
    Result<Unsealed> unsealed(int64_t round, ByteSpan file) const;
    Done writeText(int64_t round, const char* what, const char* column, const std::string& text);

    Database& database_;
    storage::FileSystem& files_;
    storage::Path folder_;
    mutable std::mutex openerMutex_;
    Opener opener_;
};

}  // namespace brusk::carfolder
