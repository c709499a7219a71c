// What somebody may do with a calibration that is not their own, and on which car.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>

#include "core/base/Result.h"
namespace brusk::deliver {

/// One of the things that can be allowed.
enum class May { Look, Change, Flash, Record };
/// "look", "change", "flash", "record".
const char* mayName(May may);
std::optional<May> mayNamed(std::string_view name);

/// What one person may do. To change is to do everything, as if it were one's own.
class Allowed {
  public:
    Allowed() = default;
    Allowed(std::initializer_list<May> all) {
        for (const May may : all)
            add(may);
    }
    void add(May may) { bits_ |= bit(may); }
    bool to(May may) const { return (bits_ & (bit(may) | bit(May::Change))) != 0; }
    /// Values, differences and axes are shown.
    bool seesValues() const { return to(May::Look); }
    bool nothing() const { return bits_ == 0; }
    /// Names by commas, "flash,record".
    std::string text() const;
    [[nodiscard]] static Result<Allowed> parse(std::string_view text);
    bool operator==(const Allowed&) const = default;

  private:
    static unsigned bit(May may) { return 1u << static_cast<unsigned>(may); }
    unsigned bits_ = 0;
};

/// For which car: each empty when any will do.
struct Binding {
    std::string vin = {};
    std::string serial = {};
    std::string software = {};
    bool operator==(const Binding&) const = default;
};

/// What the controller on the link says of itself; in boot mode some of it may be empty.
struct CarOnLink {
    std::string vin = {};
    std::string serial = {};
    std::string software = {};
    bool bootMode = false;
};

/// What the maker of a sealed calibration allows whoever opened it.
struct Rights {
    Allowed may = {};
    Binding car = {};
    bool writeAllOnce = false;  ///< the first flash writes all that the seal covers, whatever the car holds
    bool allowOlder = false;    ///< it may be taken after a newer one
    bool wayBack = true;        ///< the car's own original may be flashed over it
    std::string maker = {};     ///< fingerprint
    std::string makerName = {};
    std::string id = {};  ///< of the file
    uint64_t number = 0;  ///< rises with each file of a maker for a car

    /// As the ledger keeps it beside the round.
    std::string text() const;
    [[nodiscard]] static Result<Rights> parse(std::string_view text);
    bool operator==(const Rights&) const = default;
};

/// Refused as "other-vin", "other-serial" or "other-software" when the controller is not the one it was sealed for. A
/// controller in boot mode that does not tell its VIN or software is taken for the right one: it must be mended.
[[nodiscard]] Done fitsCar(const Binding& binding, const CarOnLink& car);

}  // namespace brusk::deliver
